"""What comes of changes, states and catches, reactions, groups of states, and the newer signals."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely

import snelk
from snelk.runs.measures import measure_batch

TOUCHY = scenes.GUARD.replace("hearing = {}", "hearing = {}\ntouch = { radius = 0.4 }")

MATE = """
[profiles.mate]
body = "post"
notices = ["visitors"]
memory = {}
hearing = { acuity = 0.8 }
"""
PACK = f"""{scenes.GUARD}{MATE}
ladder.states = {{ a = {{}}, b = {{}} }}
ladder.transitions.news = {{ to = "b", when = "told" }}
"""


def of(run: snelk.Run, kind: str) -> list[tuple[float, str]]:
    rows = run.events[run.events.kind == kind]
    return list(zip(rows.t.round(6), rows.text, strict=True))


def test_attributes_change_by_change_state_catch_and_scenario_and_are_asked_for(
    tmp_path: Path,
) -> None:
    states = {
        "calm": {},
        "hunt": {
            "approach": {},
            "then": {"set": {"own.anger": 2.0}},
            "catch": {"reach": 1.0, "ends": False, "then": {"add": {"target.hits": 1}}},
        },
        "back": {"home": {}},
    }
    transitions = {
        "spot": {"from": "calm", "to": "hunt", "when": "seen and own.courage > 0.5"},
        "got": {
            **{"from": "hunt", "to": "back", "when": "caught and own.anger >= 2"},
            "then": {"add": {"own.anger": -0.5}},
        },
    }
    more = {
        "cast.guest.at": [6.0, 0.0],
        "cast.guard.attributes": {"courage": 0.2},
        "effect": [{"t": 1.0, "of": "guard", "set": {"courage": 0.9}}],
    }
    run = snelk.run(scenes.scene(tmp_path, states=states, transitions=transitions, more=more))
    rows = run.table("effects")
    caught = float(run.events[run.events.kind == "caught"].t.iloc[0])
    # What is given at 1 s holds from the next tick on; 6 m at 1.5 m/s and 8 m/s2, less 1 m.
    assert list(rows.t.round(6)) == [1.0, 1.1, caught, pytest.approx(caught + 0.1)]
    assert caught == pytest.approx(1.1 + 5.0 / 1.5 + 1.5 / 8.0 / 2.0, abs=0.15)
    assert list(rows.attribute) == ["courage", "anger", "hits", "anger"]
    assert list(rows.value) == [0.9, 2.0, 1.0, 1.5]
    assert rows.before.isna().tolist() == [False, True, True, False]
    assert list(rows.cause) == ["the scenario", "hunt", "caught guest", "got"]
    assert [s for _, s in of(run, "became")][2] == "guest: hits none → 1 (caught guest), by guard"
    # Why, worked out again from the tables, minds what the attributes were at each tick.
    missing = [run.why_state("guard", at=t).transition("spot").missing for t in (0.9, 1.0)]  # type: ignore[union-attr]
    assert missing == [("own.courage 0.2, needs > 0.5",)] * 2
    assert run.why_state("guard", at=1.1).transition("spot").taken  # type: ignore[union-attr]


def test_who_is_taken_out_is_there_no_more_and_does_nothing(tmp_path: Path) -> None:
    states = {"a": {"patrol": {"route": "round"}}, "b": {"home": {}}}
    transitions = {
        "end": {"to": "b", "when": "state_for >= 2s", "then": {"removes": "own"}},
        "on": {"from": "b", "to": "a", "when": "state_for > 1s"},
    }
    run = snelk.run(
        scenes.scene(
            tmp_path,
            scenes.feature("route", "round", scenes.shapely.LineString([(1, 0), (9, 0)])),
            states=states,
            transitions=transitions,
            more={"effect": [{"t": 4.0, "of": "guest", "removes": True}]},
        )
    )
    there = run.poses.pivot(index="t", columns="id", values="x").notna()
    assert there.guard.idxmin() == pytest.approx(2.1)
    assert there.guest.idxmin() == pytest.approx(4.1)
    assert not there.guard[there.index > 2.05].any()
    assert len(run.states) == 2
    assert [t for t, _ in of(run, "vanished")] == [2.1, 4.1]
    gone = run.why_state("guard", at=5.0).transition("on")
    assert gone is not None
    assert gone.missing == ("was removed at 2.00 s (end)",)
    assert of(run, "removed")[1] == (4.0, "guest: is removed (the scenario)")
    assert not (run.events[run.events.agent == "guard"].t > 2.2).any()


def test_an_alarm_reaches_the_team_however_far_and_a_noise_is_made(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    states = {"a": {}, "b": {}}
    then = {"alarm": ["home"], "noise": "horn"}
    transitions = {"raise": {"to": "b", "when": "seen and state_for >= 0.5s", "then": then}}
    more = {
        "noise_kinds": {"horn": {"reach": 30.0}},
        "cast.guest.at": [5.0, 1.0],
        "cast.far": {"team": "home", "profile": "mate", "at": [500.0, 0.0]},
        "cast.near": {"team": "other", "profile": "mate", "at": [8.0, 0.0]},
    }
    run = snelk.run(
        scenes.scene(tmp_path, states=states, transitions=transitions, more=more, profiles=PACK)
    )
    assert of(run, "alarm") == [(0.5, "guard raised an alarm: 1 of home learn of guest")]
    told = run.states[run.states.transition == "news"]
    assert list(told.agent) == ["far"]
    assert float(told.t.iloc[0]) == pytest.approx(0.6)
    rows = run.beliefs[(run.beliefs.agent == "far") & (run.beliefs.target == "guest")]
    belief = rows[rows.source.notna()].iloc[0]
    assert (belief.x, belief.y, belief.source) == (5.0, 1.0, "told")
    (noise,) = run.noises.itertuples()
    assert (noise.kind, noise.by, noise.x, noise.reach) == ("horn", "guard", 0.0, 30.0)
    assert noise.t == pytest.approx(0.6)
    # Who has no memory tells what it sees; and in a run of many each alarm is a row all the same.
    transitions["again"] = {"to": "a", "from": "b", "when": "state_for > 1s"}
    monkeypatch.setattr("snelk.runs.tables.MOST_PAIRS", 0)
    forgets = PACK.replace("memory = { grace = 0.3, forget = 8.0, spread = 1.0 }", "")
    run = snelk.run(
        scenes.scene(tmp_path, states=states, transitions=transitions, more=more, profiles=forgets)
    )
    assert of(run, "alarm")[0] == (0.5, "guard raised an alarm: 1 of home learn of guest")
    words = run.table("voices")
    assert words.t.round(6).tolist() == [t for t, _ in of(run, "alarm")]
    assert len(words) > 3
    assert set(zip(words.by, words.result, strict=True)) == {("alarm", "told")}
    rows = run.beliefs[(run.beliefs.agent == "far") & run.beliefs.source.notna()]
    assert (rows.x.iloc[0], rows.y.iloc[0], rows.age.iloc[0]) == (5.0, 1.0, pytest.approx(0.1))
    # With nobody in mind there is nothing to tell, and that is said.
    transitions["raise"]["when"] = "state_for >= 0.5s"
    del more["cast.guest.at"], transitions["again"]
    run = snelk.run(
        scenes.scene(tmp_path, states=states, transitions=transitions, more=more, profiles=PACK)
    )
    said = "guard raised an alarm: nobody of home learns: it knows of no target"
    assert of(run, "alarm") == [(0.5, said)]


@pytest.mark.parametrize(("where", "takes"), [("ladder", 0.5), ("state", 0.3), ("change", 0.0)])
def test_a_reaction_delays_a_change_and_is_cut_off_if_it_ends(
    tmp_path: Path, where: str, takes: float
) -> None:
    """In view from 1.0 to 1.3 s, and again from 3 s on."""
    track = samples.track_of(
        (0, -9, 0), (0.95, -9, 0), (0.96, 5, 0), (1.35, 5, 0), (1.36, -9, 0),
        (2.95, -9, 0), (2.96, 5, 0), (9, 5, 0),
    )  # fmt: skip
    a: dict[str, Any] = {"reaction": 0.3} if where == "state" else {}
    change: dict[str, Any] = {"from": "quiet", "to": "b", "when": "seen"}
    if where == "change":
        change["reaction"] = 0.0
    scenario = scenes.scene(
        tmp_path, states={"a": a, "b": {}}, transitions={"spot": change}, track=track,
        ladder={"reaction": 0.5, "groups": {"quiet": ["a"]}},
    )  # fmt: skip
    run = snelk.run(scenario)
    first = 3.0 if takes > 0.35 else 1.0
    assert float(run.states.t.iloc[1]) == pytest.approx(first + takes)
    begun, cut = (run.events[run.events.kind == kind].t.tolist() for kind in ("reacts", "ignored"))
    assert cut == pytest.approx([1.4] if takes > 0.35 else [])
    assert begun == pytest.approx({0.5: [1.0, 3.0], 0.3: [1.0], 0.0: []}[takes])
    if takes == 0.5:
        answer = run.why_state("guard", at=3.2).transition("spot")
        assert answer is not None
        assert answer.missing == ("reacts for 0.5 s, 0.3 s to go",)
        assert answer.reacted == pytest.approx(0.2)
        assert run.why_state("guard", at=1.5).transition("spot").reacted is None  # type: ignore[union-attr]


def test_live_effects_are_those_of_a_run(tmp_path: Path) -> None:
    states = {"a": {}, "b": {}}
    transitions = {"hurt": {"to": "b", "when": "own.hits >= 2"}}
    given = {"effect": [{"t": 1.0, "of": "guard", "add": {"hits": 2}}]}
    more = {"cast.guest.at": [5.0, 1.0], "cast.guard.attributes": {"hits": 0.0}}
    run = snelk.run(
        scenes.scene(tmp_path, states=states, transitions=transitions, more={**more, **given})
    )
    live = snelk.Live(scenes.scene(tmp_path, states=states, transitions=transitions, more=more))
    texts = []
    for n in range(30):
        if n == 10:  # the next tick is that of 1 s
            live.effect("guard", add={"hits": 2})
        texts += [(e.t, e.text) for e in live.step()]
    assert live.attribute("guard", "hits") == 2.0
    assert live.state("guard") == "b"
    rows = run.events[run.events.t < 2.95]
    assert texts == list(zip(rows.t, rows.text, strict=True))
    with pytest.raises(snelk.InputError, match="no such attribute"):
        live.effect("guard", add={"hit": 1})
    with pytest.raises(snelk.InputError, match="must be a number within"):
        live.effect("guard", add={"hits": float("nan")})


@pytest.mark.parametrize(
    ("key", "value", "message"),
    [
        ("transitions.c.then", {"set": {"anger": 1}}, "must be own.NAME or target.NAME"),
        ("transitions.c.then", {"set": {"own.speed": 1}}, "is computed at every tick"),
        (
            "transitions.c.then",
            {"noise": "horm"},
            'no such kind of noise.*did you mean "horn"',
        ),
        ("transitions.c.then", {"alarm": ["hom"]}, 'no such team.*did you mean "home"'),
        ("transitions.c.when", 'seen("fromt")', 'no such cone.*did you mean "front"'),
        ("transitions.c.when", 'felt("tuch")', 'no such sense.*did you mean "touch"'),
        ("transitions.c.from", ["quite"], 'no such alert state.*did you mean "quiet"'),
        ("groups.quiet", ["z"], "no such alert state"),
        ("groups.a", ["a"], "is already the name of a state"),
        ("states.a.roam", {"about": "gest"}, 'no such character.*did you mean "guest"'),
        ("states.a.speeds", [[3, 1], [1, 2]], "metres must rise"),
        ("transitions.c.when", "chance(distance) ", "chance needs a number without a unit, not m"),
    ],
)
def test_what_is_wrong_with_them_is_told(
    tmp_path: Path, key: str, value: object, message: str
) -> None:
    ladder: dict[str, Any] = {
        "states": {"a": {}, "b": {}},
        "transitions": {"c": {"to": "b", "when": "seen"}},
        "groups": {"quiet": ["a"]},
    }
    part = ladder
    *path, last = key.split(".")
    for name in path:
        part = part[name]
    part[last] = value
    with pytest.raises(snelk.InputError, match=message):
        scenes.scene(
            tmp_path, states={}, ladder=ladder, more={"noise_kinds": {"horn": {"reach": 3.0}}}
        )


def test_a_state_may_have_limits_of_its_own_for_a_cone(tmp_path: Path) -> None:
    """At 5 m, 40 degrees off: in view while wide awake, and by the log, why and the page too."""
    limits = {"front": {"range": 4.0, "hold_range": 4.5}}
    states = {"dim": {"cones": limits}, "keen": {"cones": {"front": {"fov_whole": 70}}}, "c": {}}
    transitions = {
        "on": {"from": "dim", "to": "keen", "when": "state_for >= 1s"},
        "off": {"from": "keen", "to": "c", "when": "state_for >= 1s"},
    }
    at = [5.0 * np.cos(np.radians(40.0)), 5.0 * np.sin(np.radians(40.0))]
    more = {"cast.guest.at": at}
    scenario = scenes.scene(tmp_path, states=states, transitions=transitions, more=more, end=3.0)
    run = snelk.run(scenario)
    rows = run.sight[run.sight.target == "guest"]
    # A change at 1 s holds from 1.1 s on.
    kept = np.select([rows.t < 1.05, rows.t < 2.05], ["range", "angle"], "in_view")
    assert rows.result.tolist() == kept.tolist()
    assert rows.distance_limit.round(6).tolist() == np.where(rows.t < 1.05, 4.0, 12.0).tolist()
    half = np.where((rows.t > 1.05) & (rows.t < 2.05), 35.0, 100.0)
    assert rows.off_limit_deg.round(6).tolist() == half.tolist()
    answer = run.why("guard", "guest", at=0.5)
    assert answer.counterfactual is not None
    assert answer.counterfactual.settable[0].startswith(
        "profiles.watcher.ladder.states.dim.cones.front.range="
    )
    assert answer.cones[0].gates[3].limit == 4.0
    answer = run.why("guard", "guest", at=1.5)
    assert answer.counterfactual is not None
    key, value = answer.counterfactual.settable[0].split("=")
    assert key == "profiles.watcher.ladder.states.keen.cones.front.fov_whole"
    tried = snelk.run(scenario.changed({key: float(value)}))
    assert tried.why("guard", "guest", at=1.5).in_view
    assert run.why("guard", "guest", at=2.5).in_view


VOICES = f"""{scenes.GUARD}
tell = {{ reach = 20.0, every = 60.0, delay = 0.2 }}
{MATE}
[profiles.deaf]
body = "post"
notices = ["visitors"]
memory = {{}}

[profiles.forgetful]
body = "post"
notices = ["visitors"]
hearing = {{}}

[profiles.careless]
like = "mate"
notices = ["home"]
"""


def test_a_voice_is_a_row_for_everybody_it_is_meant_for(tmp_path: Path) -> None:
    """The voice carries 20 m, so 16 m to ears of acuity 0.8, and half of it behind the shed."""
    shed = scenes.feature("wall", "shed", shapely.LineString([(-30, 5), (30, 5)]), top=9.0)
    cast = {
        "near": ("mate", [0, -15.9]),
        "far": ("mate", [0, -16.1]),
        "behind": ("mate", [0, 8.1]),
        "deaf": ("deaf", [1, -1]),
        "lost": ("forgetful", [1, -2]),
        "cold": ("careless", [1, -3]),
        "tired": ("mate", [1, -4]),
    }
    more: dict[str, Any] = {"cast.guest.at": [5.0, 1.0]}
    for name, (profile, at) in cast.items():
        more[f"cast.{name}"] = {"team": "home", "profile": profile, "at": at}
    more["cast.tired"]["awake"] = 0.0
    path = samples.write_sample(tmp_path, guest=None, level=scenes.level(shed), profiles=VOICES)
    run = snelk.run(snelk.load(path, overrides={**more, "clock.end": 1.0, "clock.dt": 0.1}))
    rows = run.table("voices").set_index("listener")
    assert set(rows.t) == {0.0}
    assert rows.result.to_dict() == {
        "near": "told", "far": "reach", "behind": "reach", "deaf": "ears", "lost": "memory",
        "cold": "cares", "tired": "awake",
    }  # fmt: skip
    assert rows.limit["near"] == pytest.approx(16.0)
    assert rows.straight["far"] == pytest.approx(16.1)
    assert rows.wall.dropna().to_dict() == {"behind": "shed"}
    assert rows.arrives.dropna().to_dict() == {"near": pytest.approx(0.2)}
    said = [line for line in run.why("far", "guest", at=0.9).lacks if "no message" in line]
    assert said == [
        "no message about guest: what guard told at 0.00 s did not arrive, as far was 16.1 m off, and the "
        "voice carries 16.0 m"
    ]
    assert not any("message" in line for line in run.why("near", "guest", at=0.2).lacks)
    often = {"profiles.watcher.tell.every": 0.1, "profiles.watcher.tell.delay": 0.7}
    for at, end, tell, told, arrives in (
        (0.1, 1.0, {}, "0.00", "at 0.20 s"), (0.1, 0.1, {}, "0.00", "after the end"),
        (0.8, 1.0, often, "0.20", "at 0.90 s"),  # of seven the one that arrives next
    ):  # fmt: skip
        keys = {**more, **tell, "clock.end": end, "clock.dt": 0.1}
        lacks = snelk.run(path, overrides=keys).why("near", "guest", at=at).lacks
        way = f"a message about guest on its way: guard told it at {told} s, it arrives {arrives}"
        assert [line for line in lacks if "message" in line] == [way]


def test_reach_and_reactions_are_drawn_where_they_are(tmp_path: Path) -> None:
    track = samples.track_of((0, 6, 1), (9, 6, 1))
    speeds = [[0.0, 5.0], [9.0, 1.5]]
    catch = {"catch": {"reach": 2.0, "ends": False}, "approach": {}, "speeds": speeds}
    scenario = scenes.scene(
        tmp_path, states={"a": {}, "b": catch}, track=track, profiles=TOUCHY, end=6.0,
        transitions={"spot": {"from": "a", "to": "b", "when": "seen"}}, ladder={"reaction": 0.5},
    )  # fmt: skip
    run = snelk.run(scenario)
    bars = snelk.plot_timeline(run).reactions["guard"]
    assert [(since, until) for since, until, _ in bars] == [(0.0, pytest.approx(0.5))]
    assert set(snelk.plot_map(run, at=0.2).reaches) == {("guard", "touch")}
    drawn = snelk.plot_map(run, at=2.0).reaches
    x, y = scenes.places_at(run, "guard", 2.0)[0]
    rings = {what: (*ring.center, ring.radius) for (_, what), ring in drawn.items()}
    assert rings["touch"] == pytest.approx((x, y, 0.4))
    assert rings["catch"] == pytest.approx((x, y, 2.0))
    assert rings["arrive"] == pytest.approx((6.0, 1.0, 0.5))  # a tick's way at 5 m/s


def test_who_is_taken_out_is_so_in_each_variant_of_a_batch(tmp_path: Path) -> None:
    # Nobody moves, so that all variants are alike until then.
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    path.write_text(path.read_text() + '[[effect]]\nof = "guest"\nt = 2.0\nremoves = true\n')
    night = snelk.load(path).changed({"clock.end": 4.0})
    changes = [{"profiles.watcher.cones.front.range": reach} for reach in (3.0, 9.0)]
    measured = measure_batch(night, variants=changes)
    for v, change in enumerate(changes):
        alone = measure_batch(night.changed(change))
        np.testing.assert_array_equal(measured.values[v], alone.values[0])
    at = measured.keys.index("guard.guest.time_in_view")
    assert measured.values[:, at].tolist() == [0.0, pytest.approx(2.5, abs=0.5)]


def test_who_is_spawned_elsewhere_is_at_home_there(tmp_path: Path) -> None:
    effects: list[dict[str, Any]] = [{"t": 1.0, "of": "guard", "removes": True}]
    effects.append({"t": 2.0, "of": "guard", "spawns": True, "at": [5.0, 5.0]})
    for moves in (True, False):
        profiles = scenes.GUARD if moves else samples.SAMPLE_PROFILES
        run = snelk.run(
            scenes.scene(
                tmp_path, states={"a": {}}, profiles=profiles, more={"effect": effects}, end=3.0
            )
        )
        mine = run.signals[(run.signals.agent == "guard") & (run.signals.t > 2.05)]
        assert mine.x.iloc[0] == 5.0
        assert set(mine.from_home) == {0.0}


def test_who_is_put_into_a_state_enters_it_about_its_focus(tmp_path: Path) -> None:
    states = {"a": {}, "b": {"then": {"set": {"target.marks": 1.0}}}}
    more = {"cast.guest.at": [5, 0], "effect": [{"t": 1.0, "of": "guard", "state": "b"}]}
    run = snelk.run(scenes.scene(tmp_path, states=states, more=more, end=2.0))
    ((t, who, value),) = run.table("effects")[["t", "who", "value"]].to_numpy().tolist()
    assert (t, who, value) == (1.0, "guest", 1.0)
