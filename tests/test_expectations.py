"""Expectations: what each demands, what is told when it fails, and mistakes in them."""

from __future__ import annotations

import itertools
import json
import math
import re
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
import samples
import scenes
import shapely
from test_cli import command

import snelk
from snelk.tuning.judging import judge_batch

LADDER = {
    "states": {"calm": {}, "alert": {}},
    "transitions": {
        "up": {"from": "calm", "to": "alert", "when": "meter >= 0.6"},
        "down": {"from": "alert", "to": "calm", "when": "lost_for > 1s"},
    },
}
# The guest walks past at 1 m/s, 3 m before the guard, who faces it: in view from -4 to +4 m.
WALK = samples.track_of((0, 3, -8), (16, 3, 8))
FACTS: dict[str, Any] = {
    "profiles.watcher.cones": {"front": {"fov_whole": 106.27, "range": 30.0}},
    "profiles.watcher.meter": {"fill_time": 2.0, "drain_time": 2.0, "drain_after": 0.5,
                               "thresholds": {"wary": 0.25, "sure": 1.0}},
}  # fmt: skip
SEEN, LOST = 4.0, 12.0
BELL = {"noise": "bell"}
STAYS = {"stays": {"state": "alert", "before": 0.5}}


def scene(folder: Path, **expect: dict[str, Any]) -> snelk.Scenario:
    bell = {"t": 3.05, "kind": "bell", "at": [500, 0]}
    kinds = {"bell": {"reach": 2.0}, "gong": {"reach": 2.0}}
    more = {**FACTS, "expect": expect, "noise": [bell], "noise_kinds": kinds}
    return scenes.scene(folder, **LADDER, track=WALK, end=16.0, more=more)


NOTICED = SEEN + 0.25 * 2.0 - 0.1  # the tick in which it is first seen fills already
FULL = SEEN + 2.0 - 0.1
ALERT = SEEN + 0.6 * 2.0 - 0.1
CALM = LOST + 1.1  # at the tick after a second without


@pytest.mark.parametrize(
    ("statement", "met", "at"),
    [
        ({"notices": {"target": "guest", "before": 5.0}}, True, NOTICED),
        ({"notices": {"target": "guest", "before": 4.2}}, False, NOTICED),
        ({"notices": {"target": "guest", "after": 4.0}}, True, NOTICED),
        ({"notices": {"target": "guest", "after": 5.0}}, False, NOTICED),
        ({"notices": {"target": "guest", "threshold": "sure", "before": 6}}, True, FULL),
        ({"notices": {"target": "guest", "threshold": "sure", "before": 5.5}}, False, FULL),
        ({"notices": {"target": "guest", "never": True}}, False, NOTICED),
        ({"notices": {"target": "guest", "never": True, "before": 4.3}}, True, 4.3),
        ({"notices": {"target": "guest", "never": True, "after": 15.0}}, True, None),
        ({"reaches": {"state": "alert", "before": 6.0}}, True, ALERT),
        ({"reaches": {"state": "alert", "after": 6.0}}, False, ALERT),
        ({"reaches": {"state": "alert", "never": True, "after": 14.0}}, True, None),
        ({"reaches": {"state": "alert", "never": True}}, False, ALERT),
        ({"stays": {"state": "alert", "after": 6.0, "before": 12.0}}, True, None),
        ({"stays": {"state": "alert", "after": 6.0}}, False, CALM),
        ({"meter": {"target": "guest", "under": 0.5, "before": 4.8}}, True, None),
        ({"meter": {"target": "guest", "under": 0.5}}, False, SEEN + 0.9),
        ({"always": {"when": "meter < 0.9 or seen or lost_for < 2s"}}, True, None),
        ({"always": {"when": "not seen", "after": 1.0}}, False, SEEN),
        ({"never": {"when": "seen and distance > 6m"}}, True, None),
        ({"never": {"when": "seen and distance < 4m"}}, False, 8 - math.sqrt(7)),
        ({"once": {"when": "seen and distance < 4m", "before": 6.0}}, True, 8 - math.sqrt(7)),
        ({"once": {"when": "seen and own.speed > 1", "before": 9.0}}, False, None),
        # Counted from a moment: a bell at 3.05 s, the first sight at 4 s, the alert.
        ({"notices": {"target": "guest", "within": 1.2, "since": BELL}}, False, NOTICED),
        ({"notices": {"target": "guest", "within": 1.4, "since": BELL}}, True, NOTICED),
        ({"notices": {"target": "guest", "within": 9, "since": {"noise": "gong"}}}, False, None),
        ({"reaches": {"state": "alert", "within": 1.0, "since": {"seen": "guest"}}}, False, ALERT),
        ({"reaches": {"state": "alert", "within": 1.1, "since": {"seen": "guest"}}}, True, ALERT),
        ({"reaches": {"state": "calm", "since": {"state": "alert"}}}, True, CALM),
        ({"reaches": {"state": "calm", "within": 1, "since": {"state": "alert"}}}, False, CALM),
        ({"stays": {"state": "alert", "within": 7.9, "since": {"state": "alert"}}}, True, None),
        ({"stays": {"state": "alert", "within": 8.0, "since": {"state": "alert"}}}, False, CALM),
        ({"never": {"when": "seen", "within": 0.9, "since": BELL}}, True, None),
        ({"never": {"when": "seen", "within": 1.0, "since": BELL}}, False, SEEN),
        (
            {"once": {"when": "not seen", "within": 9, "since": {"state": "alert"}}},
            True,
            LOST + 0.1,
        ),
        ({"always": {"when": "seen", "within": 8, "since": {"seen": "guest"}}}, True, None),
        ({"always": {"when": "seen", "since": {"seen": "guest"}}}, False, LOST + 0.1),
    ],
)
def test_each_statement_holds_or_fails_at_its_moment(
    tmp_path: Path, statement: dict[str, Any], met: bool, at: float | None
) -> None:
    scenario = scene(tmp_path, it={"agent": "guard", **statement})
    _, verdicts = snelk_judged(scenario)
    assert bool(verdicts.met[0, 0]) == met
    assert (verdicts.off[0, 0] == 0.0) == met
    if at is not None:
        assert verdicts.at[0, 0] == pytest.approx(math.ceil(at * 10 - 1e-6) / 10, abs=1e-6)
    (verdict,) = snelk.verify(scenario)
    assert verdict.met == met
    assert (verdict.failures == ()) == met
    if not met and "measure" not in statement:
        assert verdict.failures[0].why


def snelk_judged(scenario: snelk.Scenario) -> Any:
    from snelk.tuning.judging import judge_batch

    return judge_batch(scenario)


def test_what_never_comes_is_off_by_how_long_before_the_end_it_should_have(tmp_path: Path) -> None:
    never = {
        f"by-{before}": {"agent": "guard", "once": {"when": "own.speed > 1", "before": before}}
        for before in (6.0, 9.0, 20.0)
    }
    early = {"agent": "guard", "notices": {"target": "guest", "after": 5.0}}
    judged = snelk_judged(scene(tmp_path, **never, early=early))[1]
    off = judged.off[0]
    assert (off[0] - off[1], off[1] - off[2]) == (pytest.approx(3.0), pytest.approx(7.0))
    assert off[3] == pytest.approx(5.0 - judged.at[0, 3])  # and what comes too early by how much


def test_of_what_should_come_after_a_catch_it_is_said_that_the_run_was_over(tmp_path: Path) -> None:
    catch = {"profiles.watcher.ladder.states.alert.catch": {"reach": 9.0}}
    late = {"agent": "guard", "once": {"when": "seen", "after": 12.0, "before": 14.0}}
    (verdict,) = snelk.verify(scene(tmp_path, late=late).changed(catch))
    assert verdict.met is False
    assert re.match(r"the run was over at [\d.]+ s: guard caught guest", verdict.failures[0].why[0])


def test_without_a_meter_who_senses_is_sure_and_who_does_not_is_not(tmp_path: Path) -> None:
    cones = {"profiles.watcher.cones": FACTS["profiles.watcher.cones"]}
    for before, met, most in ((3.0, True, 0.0), (9.0, False, 1.0)):
        never = {"agent": "guard", "notices": {"target": "guest", "never": True, "before": before}}
        more = {**cones, "expect": {"it": never}}
        scenario = scenes.scene(
            tmp_path / str(met), states={"calm": {}}, track=WALK, end=16.0, more=more,
            profiles=samples.SAMPLE_PROFILES,
        )  # fmt: skip
        _, verdicts = snelk_judged(scenario)
        assert (bool(verdicts.met[0, 0]), verdicts.value[0, 0]) == (met, most)


def test_measures_groups_and_sentences(tmp_path: Path) -> None:
    seen = {"of": "guard.guest.first_seen", "at_least": 3.0, "at_most": SEEN}
    none = {"of": "guard.guest.caught", "at_least": 1}
    found = snelk.verify(
        scene(
            tmp_path,
            between={"measure": seen},
            none={"measure": none},
            anybody={"any_of": ["guard"], "reaches": {"state": "alert", "before": 6.0}},
            each={"each_of": ["guard"], "reaches": {"state": "alert", "before": 5.0}},
        )
    )
    assert [verdict.met for verdict in found] == [True, False, True, False]
    assert found[0].sentence == "guard.guest.first_seen is at least 3 and at most 4"
    assert found[1].found == "it is 0"
    assert found[2].sentence == "any of guard reaches alert before 6 s"
    assert "calm → alert (up): meter 0.6" in found[3].failures[0].why[0]


def test_variants_in_which_nobody_moves_are_judged_as_one(tmp_path: Path) -> None:
    from snelk.tuning.judging import judge_batch

    guest = {"agent": "guard", "notices": {"target": "guest", "threshold": "sure", "before": 5.0}}
    path = samples.write_sample(tmp_path, guest="at = [4, 1]", profiles=samples.SAMPLE_PROFILES)
    meter = {"fill_time": 1.0, "thresholds": {"sure": 0.9}}
    scenario = snelk.load(path, overrides={"expect.soon": guest, "profiles.watcher.meter": meter})
    variants = [{"profiles.watcher.meter.fill_time": seconds} for seconds in (1.0, 2.0, 3.0, 40.0)]
    _, verdicts = judge_batch(scenario, variants=variants)
    alone = [judge_batch(scenario, variants=[each])[1] for each in variants]
    assert verdicts.met[:, 0].tolist() == [bool(one.met[0, 0]) for one in alone]
    assert (verdicts.met[0, 0], verdicts.met[3, 0]) == (True, False)
    assert verdicts.at[:, 0].tolist() == pytest.approx([one.at[0, 0] for one in alone], nan_ok=True)


def test_any_and_each_of_several_agents() -> None:
    night = snelk.load(snelk.croft() / "night.toml", overrides={"clock.end": 60.5})
    geese = ["goose-1", "goose-2"]  # with this seed goose-1 never notices the fox
    for group, met in (("any_of", True), ("each_of", False)):
        notices = {"target": "fox", "before": 60.0}
        sure = {group: geese, "once": {"when": "meter >= 0.4", "before": 60.0}}
        expect = {"sure": sure, "warned": {group: geese, "notices": notices}}
        first, verdict = snelk.verify(night.changed({"expect": expect}))
        assert first.met == verdict.met == met
    assert verdict.failures[0].ask[0] in geese
    # What is told is the worst of them, whoever comes first.
    told = []
    since = {"once": {"when": "meter > 0", "since": {"seen": "fox"}}}  # the hen sees it at 59.1 s
    for several in (["hen-1"], ["hen-1", "goose-2"], ["goose-2", "hen-1"]):
        changes = {"clock.end": 55.0, "expect": {"sure": {**since, "each_of": several}}}
        _, found = judge_batch(night.changed(changes), variants=[{}])
        told.append([float(each[0, 0]) for each in found[1:]])
        np.testing.assert_array_equal(told[0], told[-1])
    assert told[0][0] == 0.0 < told[0][1]


def test_what_never_began_is_asked_about_where_it_was_nearest_or_at_the_end(tmp_path: Path) -> None:
    guard = {"agent": "guard"}
    night = scene(
        tmp_path, noticed={**guard, "notices": {"target": "guest", "before": 15.0}},
        alert={**guard, "reaches": {"state": "alert", "before": 12.0}},
    ).changed({"cast.guard.facing": 180.0})  # fmt: skip
    asked = [verdict.failures[0].ask for verdict in snelk.verify(night)]
    assert asked == [("guard", "guest", "--at", "8"), ("guard", "--at", "12")]


def test_each_agent_of_a_group_has_its_own_states(tmp_path: Path) -> None:
    """One that only dozes has its states in another order; in one variant all do, or none."""
    reached = {"any_of": ["second", "guard"], "reaches": {"state": "alert", "before": 6.0}}
    expect = {"alert": reached, "all": {"each_of": reached["any_of"], **STAYS}}
    night = scene(tmp_path)
    dozing = {"first": "dozing", "states": {"alert": {}, "calm": {}, "dozing": {}}}
    watcher = night.setup.cast["guard"]
    second = {
        "profile": "dozer",
        "body": "post",
        "at": [0.0, -40.0],
        "facing": watcher.facing,
        "team": "others",
    }
    dozer = {"ladder": dozing, "notices": [], "movement": {"walking": 1.0}}
    night = night.changed({"profiles.dozer": dozer, "cast.second": second, "expect": expect})
    by_name = [
        {},
        {"cast.guard.profile": "dozer", "cast.guard.body": "post"},
        {"cast.second.state": "alert"},
    ]
    _, verdicts = judge_batch(night, variants=by_name)
    assert verdicts.names == ("alert", "all")
    assert verdicts.met.tolist() == [[True, False], [False, False], [True, False]]
    both = {**by_name[1], "cast.second.state": "alert", "cast.guard.state": "alert"}
    assert judge_batch(night, variants=[*by_name, both])[1].met[3].tolist() == [True, True]


@pytest.mark.parametrize(
    ("demo", "who", "zones", "variants"),
    [
        ("croft", ("dog", "hen-1", "farmer"), ("gravel yard", "lantern pool", "coop doorstep"),
         [{"seed": 2}, {"seed": 5}]),
        ("mill", ("cat", "miller", "boy"), ("roar of the wheel",),
         [{}, {"profiles.kitten.movement.running": 1.5}, {"seed": 2}]),
    ],
)  # fmt: skip
def test_who_was_where_is_as_in_the_tables(
    demo: str, who: tuple[str, ...], zones: tuple[str, ...], variants: list[dict[str, Any]]
) -> None:
    """At the first tick at which it was there, before anybody moved, and in each variant."""
    night = snelk.load(getattr(snelk, demo)() / "night.toml", overrides={"clock.end": 63.0})
    about = list(itertools.product(who, zones))
    expect = {
        f"{n}": {"agent": agent, "once": {"when": f'in_zone("{zone}")'}}
        for n, (agent, zone) in enumerate(about)
    }
    _, verdicts = judge_batch(night.changed({"expect": expect}), variants=variants)
    shapes = {zone.name: (shape, zone.radius or 0.0) for zone, shape in night.level.zones}
    for v, run in enumerate(snelk.run_batch(night, variants=variants)):
        for n, (agent, zone) in enumerate(about):
            rows, (shape, radius) = run.poses[run.poses.id == agent], shapes[zone]
            inside = shapely.distance(shape, shapely.points(rows.x, rows.y)) <= radius
            first = rows.t.to_numpy()[inside.argmax()] if inside.any() else np.nan
            np.testing.assert_equal(verdicts.value[v, n], first, f"{agent} in {zone}")
    assert len(np.unique(verdicts.value)) > 2


def test_it_counts_from_when_somebody_else_entered_a_state() -> None:
    night = snelk.load(snelk.croft() / "night.toml", overrides={"clock.end": 50.0})
    variants = [{"seed": 2}, {"seed": 5}]
    once = {"when": "heard", "since": {"state": "wary", "of": "gander"}}
    expect = {"wary": {"any_of": ["goose-1", "dog"], "once": once}}
    _, verdicts = judge_batch(night.changed({"expect": expect}), variants=variants)
    for v, run in enumerate(snelk.run_batch(night, variants=variants)):
        wary = run.states[(run.states.agent == "gander") & (run.states.state == "wary")]
        assert verdicts.since[v, 0] == wary.t.min()


def test_it_counts_from_the_first_noise_of_its_own_variant(tmp_path: Path) -> None:
    notices = {"target": "guest", "since": BELL}
    night = scene(tmp_path, it={"agent": "guard", "notices": notices})
    times = ((3.05,), (6.07, 6.02, 9.0), (2.0,))
    bells = [[{"t": t, "kind": "bell", "at": [500, 0]} for t in each] for each in times]
    variants: list[dict[str, Any]] = [{"noise": each} for each in bells]
    # One that is over by then counts from nothing.
    catch = {"profiles.watcher.ladder.states.alert.catch": {"reach": 9.0}}
    measured, verdicts = judge_batch(night, variants=[*variants, {"noise": bells[1], **catch}])
    assert measured.values[-1, measured.keys.index("length")] == pytest.approx(ALERT, abs=0.2)
    assert verdicts.since[:, 0].tolist()[:-1] == [min(each) for each in times]
    assert np.isnan(verdicts.since[-1, 0])
    assert not verdicts.met[-1, 0]


def test_a_share_of_the_seeds_is_enough() -> None:
    night = snelk.load(snelk.croft() / "night.toml", overrides={"clock.end": 57.0})
    wakes = {"agent": "dog", "reaches": {"state": "pricked-up", "after": 43.0}}
    fails = []
    for run in snelk.run_batch(night, variants=[{"seed": seed} for seed in range(7, 11)]):
        states = run.states[(run.states.agent == "dog") & (run.states.state == "pricked-up")]
        if len(states) == 0 or states.t.iloc[0] < 43.0:
            fails.append(run.setup.seed)
    held = 4 - len(fails)
    assert 0 < held < 4
    for share, met in ((held / 4, True), (held / 4 + 0.2, False)):
        expect = {"wakes": {**wakes, "seeds": 4, "share": share}}
        (verdict,) = snelk.verify(night.changed({"expect": expect}))
        assert (verdict.held, verdict.seeds, verdict.met) == (held, 4, met)
        assert [failure.seed for failure in verdict.failures] == fails


@pytest.mark.parametrize(
    ("expect", "error"),
    [
        ({"agent": "guard"}, "must contain exactly one statement"),
        (
            {"agent": "guard", "stays": {"state": "calm"}, "never": {"when": "seen"}},
            "exactly one statement",
        ),
        ({"notices": {"target": "guest"}}, "must say who it is about"),
        ({"agent": "gaurd", "stays": {"state": "calm"}}, 'did you mean "guard"'),
        ({"agent": "guard", "stays": {"state": "clam"}}, 'did you mean "calm"'),
        ({"agent": "guard", "notices": {"target": "gest"}}, 'did you mean "guest"'),
        ({"agent": "guard", "notices": {"target": "guest", "threshold": "sur"}}, '"sure"'),
        ({"agent": "guard", "notices": {"target": "guest", "after": 99}}, "after the end of the"),
        ({"agent": "guard", "stays": {"state": "calm", "after": 5, "before": 4}}, "not be below"),
        ({"agent": "guard", "never": {"when": "sen"}}, 'column 1: .*did you mean "seen"'),
        ({"agent": "guard", "never": {"when": "chance(0.5)"}}, "use seeds and share"),
        ({"agent": "guard", "never": {"when": 'in_zone("yard")'}}, "no such zone"),
        ({"agent": "guard", "meter": {"target": "guest", "under": 1.5}}, "at most 1"),
        ({"measure": {"of": "guard.guest.first"}}, "at_least or at_most|no such measure"),
        (
            {"agent": "guard", "measure": {"of": "length", "at_most": 3}},
            "cannot be used with a meas",
        ),
        ({"measure": {"of": "length", "at_least": 3, "at_most": 2}}, "must not be above at_most"),
        ({"agent": "guard", "stay": {"state": "calm"}}, 'did you mean "stays"'),
        ({"agent": "guard", "stays": {"state": "calm"}, "seeds": 0}, "must be at least 1"),
        ({"agent": "guard", "notices": {"target": "guest", "within": 2.0}}, "moment to count from"),
        ({"agent": "guard", "notices": {"target": "guest", "since": {}}}, "exactly one moment"),
        (
            {"agent": "guard", "notices": {"target": "guest", "since": {"noise": "bel"}}},
            r'no such kind of noise \(given: "bel"\)',
        ),
        (
            {"agent": "guard", "notices": {"target": "guest", "since": {"state": "clam"}}},
            r'no such alert state of guard \(given: "clam"\); did you mean "calm"',
        ),
        (
            {
                "agent": "guard",
                "notices": {"target": "guest", "since": {"seen": "x", "of": "gard"}},
            },
            r'since.of: no such agent \(given: "gard"\); did you mean "guard"',
        ),
    ],
)
def test_mistakes_in_expectations_are_told(
    tmp_path: Path, expect: dict[str, Any], error: str
) -> None:
    with pytest.raises(snelk.InputError, match=error) as caught:
        scene(tmp_path, it=expect)
    assert "expect.it" in str(caught.value)


def test_mistakes_in_wishes_limits_fairness_and_ladders_are_told_at_once() -> None:
    toward = {"measure": "owl.fox.first_full", "toward": 1.0}
    meter = {"target": "fox", "under": 0.5}
    changes = {
        "wish.both": {**toward, "want": "low"},
        "fit.move": {
            "light": {"low": 0.5, "high": 0.2}, "background": {"choices": []},
            "cast.owl.awake": {"low": 0.1},
        },
        "fairness.owl": {"target": "fxo", "ignore": ["hwl"], "sign": "warry"},
        "expect.blind": {"agent": "scarecrow", "meter": meter},
        "cast.owl.state": "asleep", "cast.owl.attributes": {"speed": 1.0},
        "effect": [{"t": 1.0, "of": "fox", "set": {"speed": 2.0}}],
        "profiles.farmer.ladder.states.searching.search":
            {"method": "likelihood", "radius": 900.0, "cell": 0.2},
    }  # fmt: skip
    with pytest.raises(snelk.InputError) as caught:
        snelk.load(snelk.croft() / "night.toml", overrides=changes)
    told = str(caught.value)
    for line in (
        "wish.both: must have one of toward and want",
        "fit.move.light: low must be below high (given: 0.5, 0.2)",
        "fit.move.background: must have at least one choice (given: [])",
        'fit.move."cast.owl.awake": must have low and high, or choices',
        "fairness.owl: is the name of an agent, too; rename it",
        'fairness.owl.target: no such character (given: "fxo"); did you mean "fox"?',
        'fairness.owl.ignore: no such agent (given: "hwl"); did you mean "owl"?',
        'fairness.owl.sign: no such threshold (given: "warry")',
        "expect.blind.meter: scarecrow has no meter; choose another agent",
        'cast.owl.state: no such alert state (given: "asleep")',
        "cast.owl.attributes.speed: is a built-in attribute of every character; rename it",
        "effect[0]: is computed at every tick, and cannot be set (given: speed)",
        "makes 63,617,251 cells, more than",
    ):
        assert line in told, told


def test_a_try_that_leaves_expectations_behind_still_runs(tmp_path: Path) -> None:
    expect = {"agent": "guard", "reaches": {"state": "alert", "after": 5.0}}
    path = samples.write_sample(tmp_path, track=WALK)
    states = "ladder = { states = { calm = {}, alert = {} } }"
    kinds = tmp_path / "kinds.toml"
    kinds.write_text(
        kinds.read_text().replace("[profiles.watcher]", f"[profiles.watcher]\n{states}")
    )
    lines = 'agent = "guard"\nreaches = { state = "alert", after = 5.0 }\n'
    path.write_text(path.read_text() + f"\n[expect.it]\n{lines}")
    shorter = snelk.load(path, overrides={"clock.end": 4.0})
    assert snelk.run(shorter).times[-1] == 4.0
    assert not snelk.verify(shorter)[0].met
    without = snelk.load(path, overrides={"profiles.watcher.ladder": {"states": {"calm": {}}}})
    assert snelk.run(without).measure("guard.transitions") == 0
    with pytest.raises(snelk.InputError, match=r'no such alert state of guard .*"alert"'):
        snelk.verify(without)
    with pytest.raises(snelk.InputError, match="after the end of the run"):
        snelk.load(path, overrides={"clock.end": 4.0, "expect.again": expect})


def test_the_command_says_what_fails_and_why(tmp_path: Path) -> None:
    scenario = samples.write_sample(tmp_path, track=WALK)
    text = scenario.read_text()
    notices = 'agent = "guard"\nnotices = { target = "guest", never = true }\n'
    scenario.write_text(text + f"\n[expect.unseen]\n{notices}")
    said = command("verify", scenario, "--junit", "out/v.xml", cwd=tmp_path, code=1)
    assert said == ""  # nothing on standard error: it is an answer
    root = ElementTree.parse(tmp_path / "out" / "v.xml").getroot()
    assert [suite.get("failures") for suite in root] == ["1"]
    failure = root.find(".//failure")
    assert failure is not None
    assert "guard has guest in view" in (failure.text or "")
    scenario.write_text(
        text + f"\n[expect.unseen]\n{notices}".replace("never = true", "before = 9")
    )
    found = json.loads(command("verify", scenario, "--json", cwd=tmp_path))
    assert [each["met"] for each in found[str(scenario)]] == [True]
    assert "1 expectations, all hold" in command("verify", scenario, cwd=tmp_path)
    scenario.write_text(text)
    assert "has no expectations; add [expect.NAME]" in command(
        "verify", scenario, cwd=tmp_path, code=2
    )


def test_the_croft_carries_a_dozen_and_they_hold() -> None:
    found = snelk.verify(snelk.croft() / "night.toml")
    assert len(found) >= 12
    assert [verdict.name for verdict in found if not verdict.met] == []
    kinds = {
        each.statement for each in snelk.load(snelk.croft() / "night.toml").setup.expect.values()
    }
    assert kinds == {"notices", "reaches", "stays", "meter", "measure", "always", "never", "once"}


def test_a_moment_may_be_a_noise_of_a_recording(tmp_path: Path) -> None:
    since = {"notices": {"target": "guest", "within": 2, "since": {"noise": "bang"}}}
    more = {**FACTS, "expect": {"it": {"agent": "guard", **since}}}
    path = scenes.scene(tmp_path, **LADDER, track=WALK, end=16.0, more=FACTS).source
    assert "no such kind" in refused(path, {**more, "profiles.watcher.ladder": LADDER})
    (tmp_path / "noises.csv").write_text("t,kind,x,y,reach\n3.0,bang,500,0,5\n")
    text = Path(path).read_text()
    Path(path).write_text(text.replace("use =", 'noises = ["noises.csv"]\nuse ='))
    scenario = snelk.load(
        path, overrides={**more, "profiles.watcher.ladder": LADDER, "clock.dt": 0.1}
    )
    (verdict,) = snelk.verify(scenario)
    assert verdict.met
    assert verdict.found.endswith("(a bang at 3.00 s)")


def refused(path: str, changes: dict[str, Any]) -> str:
    with pytest.raises(snelk.InputError) as error:
        snelk.load(path, overrides=changes)
    return str(error.value)
