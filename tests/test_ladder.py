"""Alert ladders: which change is taken when, the focus, and invariants over random scenarios."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

import snelk
from snelk.runs.store import TABLES

A, B, C = {"a": {}}, {"b": {}}, {"c": {}}


def states_of(run: snelk.Run) -> list[tuple[float, str, object]]:
    rows = run.states[run.states.agent == "guard"]
    return [
        (t, s, c if isinstance(c, str) else None)
        for t, s, c in zip(rows.t, rows.state, rows.transition, strict=True)
    ]


@pytest.mark.parametrize("dt", [0.05, 0.1, 0.25])
def test_the_first_that_is_true_for_long_enough_is_taken(tmp_path: Path, dt: float) -> None:
    transitions = {
        "late": {"to": "c", "when": "state_for >= 3s", "from": "a"},
        "slow": {"to": "c", "when": "state_for >= 1s", "for": 1.5, "from": "a"},
        "never": {"to": "b", "when": "seen", "from": "a"},
        "same": {"to": "b", "when": "state_for >= 2.5s", "from": "a"},
        "on": {"to": "a", "when": "state_for > 0s", "from": "c"},
    }
    states = {"a": {}, "b": {}, "c": {"least": 2.0}}
    run = snelk.run(scenes.scene(tmp_path, states=states, transitions=transitions, dt=dt, end=6.0))
    # `slow` has been true since 1 s and is taken at 2.5 s, before `same` which comes later.
    assert states_of(run) == [(0.0, "a", None), (2.5, "c", "slow"), (4.5, "a", "on")]
    taken = run.states.iloc[1]
    assert (taken.held, taken.also, taken.reason) == (pytest.approx(1.5), "same", "state_for 2.5 s")
    answer = run.why_state("guard", at=2.0)
    assert answer.transition("slow").missing == ("true for 1 s, needs 1.5 s",)  # type: ignore[union-attr]
    assert answer.transition("never").missing == ("seen is false",)  # type: ignore[union-attr]
    assert answer.transition("late").missing == ("state_for 2 s, needs ≥ 3 s",)  # type: ignore[union-attr]
    answer = run.why_state("guard", at=3.0)
    (only,) = answer.transitions
    assert only.missing == (f"stays 2 s at least, has been there {0.5:.1f} s",)
    answer = run.why_state("guard", at=2.5)
    assert answer.headline == "guard turns from a to c at 2.50 s: slow; no focus"
    assert answer.transition("same").missing == ("slow comes first",)  # type: ignore[union-attr]


def test_a_state_that_cannot_be_interrupted_is_left_when_its_activity_is_done(
    tmp_path: Path,
) -> None:
    spot = scenes.feature("spot", "post", shapely.Point(6, 0))
    states = {"go": {"go": {"spot": "post"}, "interruptible": False}, "stay": {}}
    transitions = {"out": {"to": "stay", "when": "state_for > 0.5s"}}
    run = snelk.run(scenes.scene(tmp_path, spot, states=states, transitions=transitions))
    (_, (left, _, _)) = states_of(run)
    t, places, _ = scenes.guard_of(run)
    there = t[np.hypot(*(places - (6, 0)).T) <= 0.3 + 1e-9][0]
    assert left == pytest.approx(there + 0.1)
    early = run.why_state("guard", at=2.0).transitions[0]
    assert (early.condition.true, early.missing) == (
        True,
        ("cannot be interrupted before its activity is done",),
    )
    assert list(run.events[run.events.kind == "reached"].t) == [pytest.approx(there)]


def test_chance_is_drawn_once_for_each_stay(tmp_path: Path) -> None:
    states = {"a": {}, "b": {}}
    transitions = {
        "jump": {"to": "b", "when": "state_for >= 0.5s and chance(0.4)", "from": "a"},
        "back": {"to": "a", "when": "state_for >= 0.5s", "from": "b"},
        "round": {"to": "b", "when": "state_for >= 1s", "from": "a"},
    }
    found = []
    scenario = scenes.scene(tmp_path, states=states, transitions=transitions)
    for run in snelk.run_batch(scenario, variants=[{"seed": n} for n in range(60)]):
        rows = states_of(run)
        found += [c for _, s, c in rows if s == "b"]
        # Of a stay in a, either all ticks from 0.5 s on are lucky or none: it ends at 0.5 or 1 s.
        stays = np.diff([t for t, _, _ in rows])[::2]
        assert set(np.round(stays, 6)) <= {0.5, 1.0}
        for t, _, change in rows[1:4]:
            answer = run.why_state("guard", at=t)
            assert answer.transition(str(change)).taken  # type: ignore[union-attr]
    first = run.why_state("guard", at=0.5).transition("jump")
    assert first is not None
    (drew,) = [part for part in first.condition.leaves() if part.text.startswith("chance")]
    number = float(drew.found.removeprefix("chance(0.4) drew "))
    assert first.taken == (number < 0.4)
    assert drew.missing == ("" if first.taken else f"{drew.found}, needs < 0.4")
    assert 0.3 < found.count("jump") / len(found) < 0.5


def test_a_focus_sticks_to_what_is_better_by_so_much_and_no_more(tmp_path: Path) -> None:
    guest = {"team": "visitors", "body": "post", "at": [5, 1], "attributes": {"gold": 0.5}}
    gold = [(1.0, 0.75), (2.0, 0.7500001), (3.0, 0.0), (4.0, 0.7), (5.0, 0.76)]
    more = {
        "cast.guest": guest,
        "cast.other": {**guest, "at": [5, -1], "attributes": {"gold": 0.0}},
        "effect": [{"t": t, "of": "other", "set": {"gold": value}} for t, value in gold],
    }
    ladder = {"focus_by": "target.gold", "focus_stick": 0.25}
    run = snelk.run(scenes.scene(tmp_path, states={"a": {}}, more=more, end=6.0, ladder=ladder))
    focus = run.signals.focus.astype(str)
    assert focus.tolist() == ["guest"] * 21 + ["other"] * 10 + ["guest"] * 20 + ["other"] * 10


def test_sleep_dulls_the_senses_and_waking_takes_time(tmp_path: Path) -> None:
    track = samples.track_of((0, 5, 0), (4, 5, 0), (10, 5, 1))
    states = {
        "asleep": {"sleep": {"wake_time": 1.0}, "senses": {"sight": 0.3}},
        "up": {"approach": {}, "pace": "running"},
        "calm": {},
    }
    transitions = {
        "alarm": {"to": "up", "when": "state_for >= 2s", "from": "asleep"},
        "on": {"to": "calm", "when": "seen", "from": "up"},
    }
    run = snelk.run(scenes.scene(tmp_path, states=states, transitions=transitions, track=track))
    assert states_of(run) == [(0.0, "asleep", None), (2.0, "up", "alarm"), (3.0, "calm", "on")]
    sight = run.sight[(run.sight.target == "guest")].set_index("t")
    assert sight.awake.loc[[0.0, 2.0, 2.1]].tolist() == [0.3, 0.3, 1.0]
    assert not sight.in_view.loc[2.0]  # 12 m at 30 % reach 3.6 m
    assert sight.in_view.loc[2.1]
    gate = run.why("guard", "guest", at=1.0).cones[0].gates[2]
    assert gate.text == "guard is 30% awake (asleep)"
    answer = run.why("guard", "guest", at=1.0)
    assert answer.counterfactual is not None
    assert answer.counterfactual.key == "profiles.watcher.ladder.states.asleep.senses.sight"
    fixed = snelk.run(
        scenes.scene(tmp_path, states=states, transitions=transitions, track=track).changed(
            {answer.counterfactual.key: answer.counterfactual.needs}
        )
    )
    assert fixed.why("guard", "guest", at=1.0).in_view
    waking = run.why_state("guard", at=2.6).transition("on")
    assert waking is not None
    assert waking.missing == ("is still waking up, 0.4 s to go",)
    poses = run.poses[run.poses.id == "guard"].set_index("t")
    assert poses.posture.loc[1.0] == "prone"
    assert (poses.x.loc[0:3.0] == 0.0).all()  # busy until 3 s


# Random small scenarios: what has to hold whatever is in them.

POOL = [
    {"patrol": {"route": "round", "pause": 0.3}},
    {"patrol": {"route": "round", "order": "back_and_forth"}, "pace": "running"},
    {"roam": {"every": 2.0}},
    {"roam": {"ring": [0.5, 4.0], "every": 1.0, "pause": 0.2}},
    {"approach": {}, "pace": "running", "look": "focus"},
    {"go": {}},
    {"home": {}},
    {"flee": {"spots": ["nook", "corner"], "keep_eyes": True}},
    {"evade": {"distance": 3.0}, "pace": "running"},
    {"search": {"method": "nearby", "radius": 5.0, "give_up": 4.0, "point_time": 0.3}},
    {
        "search": {"method": "likelihood", "radius": 5.0, "give_up": 4.0, "cell": 1.0},
        "look": "sweep",
    },
    {"sleep": {"wake_time": 0.4}, "awake": 0.5},
    {"stand": {}, "look": "sweep", "least": 1.0},
]
CONDITIONS = [
    "seen", "not seen", "meter >= 0.5", "lost_for > 1s", "state_for > 1.5s", "arrived", "search_done or stuck",
    "distance < 4m", "heard xor seen", "state_for > 1s and chance(0.5)", "from_home > 3m", "knows and not seen",
    'in_zone("yard")', "not target_inside_territory", "observed or told",
]  # fmt: skip


def random_scene(folder: Path, rng: np.random.Generator, *, leash: bool) -> snelk.Scenario:
    walls = [
        scenes.feature("wall", f"w{n}", shapely.LineString([p, p + rng.uniform(-4, 4, 2)]), top=3.0)
        for n, p in enumerate(rng.uniform(-8, 8, (5, 2)))
    ]
    yard = shapely.box(-7, -7, 7, 7)
    places = [
        scenes.feature("zone", "yard", yard),
        scenes.feature("route", "round", shapely.LineString(rng.uniform(-6, 6, (4, 2)))),
        scenes.feature("spot", "nook", shapely.Point(*rng.uniform(-6, 6, 2))),
        scenes.feature("spot", "corner", shapely.Point(*rng.uniform(-6, 6, 2))),
    ]
    names = [f"s{n}" for n in range(int(rng.integers(2, 5)))]
    states = {n: dict(POOL[int(rng.integers(len(POOL)))]) for n in names}
    for state in states.values():
        if rng.random() < 0.4:
            state["least"] = float(rng.choice([0.2, 0.7, 1.1]))
    transitions = {}
    for n in range(int(rng.integers(2, 6))):
        start, end = rng.choice(names, 2, replace=False)
        transitions[f"c{n}"] = {
            "from": str(start), "to": str(end), "when": str(rng.choice(CONDITIONS)),
            "for": float(rng.choice([0.0, 0.0, 0.3, 0.5])),
        }  # fmt: skip
    points = rng.uniform(-9, 9, (6, 2))
    track = samples.track_of(*((2.0 * n, x, y) for n, (x, y) in enumerate(points)))
    more: dict[str, Any] = {"seed": int(rng.integers(1000))}
    if leash:
        more["cast.guard.leash"] = {"zone": "yard", "outside": str(rng.choice(["watch", "ignore"]))}
    return scenes.scene(
        folder, *walls, *places, states=states, transitions=transitions, track=track, more=more
    )


@given(seed=st.integers(0, 100_000), leash=st.booleans())
@settings(max_examples=8, deadline=None, phases=[Phase.generate])
def test_what_always_holds(
    tmp_path_factory: pytest.TempPathFactory, seed: int, leash: bool
) -> None:
    rng = np.random.default_rng(seed)
    scenario = random_scene(tmp_path_factory.mktemp("random"), rng, leash=leash)
    other = {"seed": 5, "profiles.watcher.movement.walking": 1.0}
    run, varied = snelk.run_batch(scenario, variants=[{}, other])
    _, places, _ = scenes.guard_of(run)
    steps = np.hypot(*np.diff(places, axis=0).T)
    assert steps.max(initial=0.0) <= 4.0 * 0.1 + 1e-9
    # No wall is walked through: it keeps its width once it stands on free ground.
    walls = shapely.union_all([shape for _, shape in scenario.level.walls])
    legs = shapely.linestrings(np.stack([places[:-1], places[1:]], axis=1))
    assert not shapely.intersects(legs, walls).any()
    off = shapely.distance(shapely.points(places), walls)
    free = np.maximum.accumulate(off >= 0.2485)
    assert (off[free] >= 0.2485 - 1e-9).all()
    if leash:
        assert shapely.covers(
            shapely.box(-7.001, -7.001, 7.001, 7.001), shapely.points(places)
        ).all()
    assert run.meters.value.between(0.0, 1.0).all()
    sensed = run.beliefs[run.beliefs.source == "sensed"]
    assert (sensed.error.dropna() == 0.0).all()
    assert not run.beliefs.age.max() > 8.0 + 1e-9
    _check_events(run)
    for again, changes in ((run, {}), (varied, other)):
        alone = snelk.run(scenario, overrides=changes)
        assert all(again.arrow(name).equals(alone.arrow(name)) for name in TABLES)


def _check_events(run: snelk.Run) -> None:
    kinds = run.events.kind.value_counts()
    assert kinds.get("changed", 0) == run.states.transition.notna().sum()
    searches = run.searches
    ended = searches[searches.what == "ended"]
    assert kinds.get("searched", 0) + kinds.get("gave_up", 0) == (
        searches.what == "began"
    ).sum() + len(ended)
    assert kinds.get("gave_up", 0) == ended.outcome.isin(["gave_up", "nothing"]).sum()
    for _, search in searches.groupby(["agent", "search"]):
        assert search.what.iloc[0] == "began"
        assert (search.what == "ended").sum() <= 1
        assert search.seconds.is_monotonic_increasing
    assert kinds.get("told", 0) == 0
