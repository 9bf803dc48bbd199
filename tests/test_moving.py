"""Moving and activities: arriving, patrols, roaming, chasing, fleeing, catching, one's own."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import product
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely

import snelk
from snelk.body.roaming import Area
from snelk.body.wandering import is_within
from snelk.level.level import Level

SHED = scenes.feature("wall", "shed", shapely.box(4, -4, 6, 4), top=3.0)


@pytest.mark.parametrize("whole", [600, 0])
@pytest.mark.parametrize("smooth", [False, True])
def test_who_walks_along_a_wall_turns_back_as_in_the_open(
    whole: int, smooth: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A hair too near it, as by rounding: who went back first would seem to turn aside."""
    monkeypatch.setattr("snelk.level.ways.WHOLE", whole)
    wall = scenes.feature("wall", "hedge", shapely.LineString([(-30, 0), (30, 0)]), top=2.0)
    states = {"out": {"go": {"spot": "right"}}, "back": {"go": {"spot": "left"}}}
    turn = {"turn": {"from": "out", "to": "back", "when": "state_for > 2s"}}
    found = []
    for y in (0.25 - 1e-6, 4.0):
        spots = [
            scenes.feature("spot", name, shapely.Point(x, y))
            for name, x in (("left", -9), ("right", 9))
        ]
        more = {
            "cast.guard.at": [0.0, y], "cast.guard.facing": 0.0,
            "profiles.watcher.movement.smooth": smooth,
        }  # fmt: skip
        scene = scenes.scene(
            tmp_path / str(y), wall, *spots, states=states, transitions=turn, more=more
        )
        found.append(scenes.guard_of(snelk.run(scene))[1][:, 0])
    np.testing.assert_allclose(*found, atol=1e-3)
    speed = np.diff(found[0])
    assert (speed.min(), speed.max()) == pytest.approx((-0.15, 0.15), abs=1e-3)
    if not smooth:
        assert np.abs(np.diff(np.append(0.0, speed))).max() <= 8.0 * 0.01 + 1e-9


def test_a_patrol_goes_as_near_to_a_corner_by_a_wall_as_it_can(tmp_path: Path) -> None:
    hedge = scenes.feature("wall", "hedge", shapely.LineString([(6, -2), (6, 2)]), top=2.0)
    route = scenes.feature("route", "round", shapely.LineString([(0, 0), (5.9, 0), (0, 4)]))
    states = {"walk": {"patrol": {"route": "round"}}}
    run = snelk.run(scenes.scene(tmp_path, hedge, route, states=states, end=12.0))
    _, places, _ = scenes.guard_of(run)
    for corner in ((6.0 - 0.251, 0.0), (0.0, 4.0)):  # it stands 1 mm farther off than it has to
        assert np.hypot(*(places - corner).T).min() <= 0.3 + 1e-9


def test_any_place_of_an_area_in_pieces_is_as_likely_as_another(tmp_path: Path) -> None:
    level = Level.of(scenes.scene(tmp_path, states={"stand": {}}).level)
    notch, rng = shapely.box(3, 3, 6, 6), np.random.default_rng(1)
    around = shapely.box(0, 0, 6, 6).difference(shapely.box(2.5, 2.5, 6, 6))
    area = Area(level, [around, notch], [0, 0])
    places = np.array([area.any_place(lambda: float(rng.random())) for _ in range(2000)])
    inside = [shapely.contains_xy(shape, *places.T[:2]).mean() for shape in (around, notch)]
    assert sum(inside) == 1.0
    assert inside[1] == pytest.approx(notch.area / (notch.area + around.area), abs=0.03)


def test_on_the_edge_of_an_area_is_outside_and_from_there_it_leads_inside(tmp_path: Path) -> None:
    level = Level.of(scenes.scene(tmp_path, states={"stand": {}}).level)
    area = Area(level, [shapely.box(0, 0, 6, 6) - shapely.box(2, 2, 4, 4)], [0])
    for x, y, inside in ((0, 1, False), (5e-7, 1, False), (2e-6, 1, True), (6 - 5e-7, 1, False),
                         (3, 6, False), (3, 6 - 2e-6, True), (3, 5e-7, False)):  # fmt: skip
        assert is_within(area.ground, 0, x, y, 0.0) == inside
    for x, y in product((2 - 5e-7, 4 + 5e-7), repeat=2):  # beside a corner of the hole
        assert not is_within(area.ground, 0, x, y, 0.0)
    for x, y in ((0.0, 1.0), (-1e-7, 1.0), (5e-7, 1.0), (-2.0, 1.0)):
        np.testing.assert_allclose(area.nearest(np.array([x, y, 0.0])), (0.05, 1.0, 0.0), atol=2e-6)


def test_who_roams_along_a_wall_does_not_walk_into_it(tmp_path: Path) -> None:
    block = shapely.box(-1, -1, 1, 1)
    features = [
        scenes.feature("wall", "block", block, top=3.0),
        scenes.feature("spot", "east", shapely.Point(3, 1.2)),
        scenes.feature("zone", "all", shapely.box(-9, -9, 9, 9)),
    ]
    states = {"go": {"go": {"spot": "east"}}, "r": {"roam": {"every": 0.3}}}
    states = {name: {**state, "pace": "walking"} for name, state in states.items()}
    on = {"from": "go", "to": "r", "when": "state_for >= 2.5s"}  # it is beside the wall then
    scenario = scenes.scene(
        tmp_path, *features, states=states, transitions={"on": on}, end=30.0,
        more={"cast.guard.at": [-2.5, -0.3]},
    )  # fmt: skip
    for run in snelk.run_batch(scenario, variants=[{"seed": n} for n in (8, 92, 100, 166)]):
        went = shapely.LineString(scenes.guard_of(run)[1])
        assert shapely.distance(went, block) > 0.25 - 1e-6


def test_a_chase_goes_around_walls_and_ends_with_a_catch(tmp_path: Path) -> None:
    track = samples.track_of((0, 8, 0), (20, 8, 0))
    chase = {"approach": {"stop": 0.4}, "pace": "running", "catch": {"reach": 0.6}}
    zone = {"zones": ["back"]}
    more = {"profiles.watcher.zone_sense": zone}
    back = scenes.feature("zone", "back", shapely.box(6, -5, 12, 5))
    run = snelk.run(
        scenes.scene(tmp_path, SHED, back, states={"chase": chase}, track=track, more=more)
    )
    assert run.info["ended_by_catch"]
    caught = run.events[run.events.kind == "caught"].iloc[0]
    assert (caught.agent, caught.target, caught.t) == ("guard", "guest", run.times[-1])
    for name in ("poses", "sight", "meters", "beliefs", "signals", "contacts", "events"):
        assert run.table(name).t.max() <= run.times[-1]
    _, places, _ = scenes.guard_of(run)
    line = shapely.LineString(places)
    assert line.length <= 1.08 * (2 * math.hypot(4, 4) + 2 + 2)
    off = shapely.distance(shapely.points(places), shapely.box(4, -4, 6, 4))
    assert off.min() >= 0.2485
    # Where it does not end, it is told once for as long as both are together.
    more["profiles.watcher.ladder.states.chase.catch.ends"] = False
    on = snelk.run(
        scenes.scene(tmp_path, SHED, back, states={"chase": chase}, track=track).changed(more)
    )
    assert not on.info["ended_by_catch"]
    assert list(on.events[on.events.kind == "caught"].t) == [caught.t]
    _, places, _ = scenes.guard_of(on)
    assert math.hypot(*(places[-1] - (8, 0))) == pytest.approx(0.4, abs=1e-6)


def test_nobody_is_caught_who_is_not_in_view(tmp_path: Path) -> None:
    states = {"wait": {"catch": {"reach": 3.0}}}
    for x, caught in ((2.0, True), (-2.0, False)):  # before it, and behind its back
        track = samples.track_of((0, x, 0), (2, x, 0.5))
        run = snelk.run(scenes.scene(tmp_path, states=states, track=track, end=2.0))
        assert run.info["ended_by_catch"] == caught


@pytest.mark.parametrize("outside", ["watch", "ignore"])
def test_a_leash_ends_a_chase_at_the_edge_of_the_territory(tmp_path: Path, outside: str) -> None:
    yard = scenes.feature("zone", "yard", shapely.box(-3, -3, 3, 3))
    track = samples.track_of((0, 2, 1), (1, 2, 1), (4, 9, 1), (9, 9, 1))
    states = {"calm": {}, "chase": {"approach": {}, "pace": "running", "look": "focus"}}
    transitions = {
        "see": {
            "to": "chase",
            "from": "calm",
            "when": "seen and target_inside_territory",
            "for": 0.5,
        },
        "gone": {"to": "calm", "from": "chase", "when": "distance > 90m"},
    }
    more = {"cast.guard.leash": {"zone": "yard", "outside": outside}}
    run = snelk.run(
        scenes.scene(tmp_path, yard, states=states, transitions=transitions, track=track, more=more)
    )
    _t, places, heading = scenes.guard_of(run)
    assert np.abs(places).max() <= 3.0
    guest = run.poses[run.poses.id == "guest"]
    leaves = guest.t[guest.x > 3.0].iloc[0]
    signals = run.signals.set_index("t")
    assert signals.focus.loc[0.0] == "guest"  # at once, as it is inside
    if outside == "watch":
        assert places[-1][0] == pytest.approx(3.0, abs=0.35)
        assert signals.focus.loc[9.0] == "guest"
        aim = np.degrees(np.arctan2(1 - places[-1][1], 9 - places[-1][0]))
        assert heading[-1] == pytest.approx(aim, abs=0.5)
        assert not signals.target_inside_territory.loc[9.0]
        assert not run.events.kind.isin(["stuck"]).any()
    else:
        gone = run.states[run.states.transition == "gone"].t.iloc[0]
        assert gone == pytest.approx(leaves, abs=0.15)
        assert signals.focus.loc[leaves + 0.2 :].isna().all()


@pytest.mark.parametrize("first", ["guard", "guest"])
def test_who_flees_goes_where_it_cannot_be_seen(
    tmp_path: Path, first: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    head, guard, guest = samples.SAMPLE_SCENARIO.split("[cast.")
    cast = [guard, guest] if first == "guard" else [guest + "\n", guard]
    monkeypatch.setattr(samples, "SAMPLE_SCENARIO", "[cast.".join([head, *cast]))
    spots = [
        scenes.feature("spot", "open", shapely.Point(-2, 3)),
        scenes.feature("spot", "behind", shapely.Point(9, 2)),
        scenes.feature("spot", "farther", shapely.Point(9, 0)),
    ]
    track = samples.track_of((0, -6, 0), (20, -6, 0))
    flee = {"spots": ["open", "behind", "farther"], "keep_eyes": True}
    base: dict[str, Any] = {"cast.guard.facing": 180.0, "cast.guard.at": [0.0, 0.0]}

    def fled(**changed: Any) -> tuple[snelk.Run, np.ndarray, np.ndarray]:
        states = {"calm": {}, "flee": {"flee": {**flee, **changed}, "pace": "running"}}
        transitions = {"see": {"to": "flee", "from": "calm", "when": "seen"}}
        run = snelk.run(
            scenes.scene(
                tmp_path,
                SHED,
                *spots,
                states=states,
                transitions=transitions,
                track=track,
                more=base,
            )
        )
        _, places, heading = scenes.guard_of(run)
        return run, places, heading

    run, places, heading = fled()
    assert math.hypot(*(places[-1] - (9, 2))) <= 0.4
    assert (run.events.kind == "reached").sum() == 1
    # On its way it looked back at where the guest was.
    n = 8
    aim = np.degrees(np.arctan2(0 - places[n][1], -6 - places[n][0]))
    assert (heading[n] - aim + 180) % 360 - 180 == pytest.approx(0.0, abs=15.0)
    _, without, _ = fled(spots=["open"])
    assert math.hypot(*(without[-1] - (-2, 3))) <= 0.4  # seen from there too, but there is no other
    run, early, _ = fled(until_unseen=True, keep_eyes=False)
    assert math.hypot(*(early[-1] - (9, 2))) > 1.0
    assert (run.events.kind == "done").sum() == 1
    # It did not stop because it looked elsewhere, but where the guest's eyes no longer reach it.
    behind = shapely.LineString([(-6, 0), early[-1]])
    assert behind.intersects(shapely.box(4, -4, 6, 4))


def test_who_flees_goes_by_the_floors_of_its_own_spots(tmp_path: Path) -> None:
    """Others' spots stand before its own, on another floor: from there one would be seen."""
    points = {"theirs": (2, 9, 6.0), "open": (11, -11, 0.0), "behind": (9, 0, 0.0)}
    level = [
        SHED,
        scenes.feature("floor", "yard", shapely.box(-12, -12, 14, 12), height=0.0),
        scenes.feature("floor", "loft", shapely.box(1, 8, 3, 10), height=6.0),
        *(scenes.feature("spot", name, shapely.Point(*at)) for name, at in points.items()),
    ]
    night = scenes.scene(
        tmp_path, *level, track=samples.track_of((0, -6, 0), (20, -6, 0)),
        states={"calm": {}, "flee": {"flee": {"spots": ["open", "behind"]}, "pace": "running"}},
        transitions={"see": {"to": "flee", "from": "calm", "when": "seen"}},
        more={
            "cast.guard.facing": 180.0, "cast.guard.at": [0.0, 0.0], "profiles.mate": {"like": "watcher"},
            "cast.mate": {"team": "others", "profile": "mate", "at": [-9, -9]},
        },
    )  # fmt: skip
    night = night.changed({"profiles.mate.ladder.states.flee.flee.spots": ["theirs"]})
    cast = {name: night.setup.cast[name] for name in ("mate", "guest", "guard")}
    run = snelk.run(replace(night, setup=night.setup.model_copy(update={"cast": cast})))
    end = scenes.places_at(run, "guard", 10.0)[0]
    assert math.dist(end, points["behind"][:2]) <= 0.4


def test_who_flees_goes_elsewhere_if_its_spot_comes_into_view(tmp_path: Path) -> None:
    """The other spot is farther than the first, and behind a hedge from everywhere."""
    level = [
        SHED,
        scenes.feature("floor", "yard", shapely.box(-26, -16, 26, 16), height=0.0),
        scenes.feature("wall", "hedge", shapely.LineString([(-18, 2), (-18, 8)]), top=3.0),
        scenes.feature("spot", "near", shapely.Point(9, 0, 0)),
        scenes.feature("spot", "away", shapely.Point(-20, 5, 0)),
    ]
    flee = {"flee": {"spots": ["near", "away"], "keep_eyes": True}, "pace": "running"}
    around = samples.track_of((0, -6, 0), (1, -6, 0), (2.5, 4, -11), (20, 4, -11))
    night = scenes.scene(
        tmp_path, *level, track=around, states={"calm": {}, "flee": flee},
        transitions={"see": {"to": "flee", "from": "calm", "when": "seen"}},
        more={
            "cast.guard.at": [0.0, 0.0], "profiles.watcher.cones.front.fov_whole": 360,
            "profiles.watcher.cones.front.range": 30.0,
        },
    )  # fmt: skip
    there, back = scenes.places_at(snelk.run(night), "guard", 3.0, 10.0)
    assert there[0] > 7.0  # nearly there
    assert back[0] < -12.0


def test_walls_far_below_are_not_between_anybody_and_its_ground(tmp_path: Path) -> None:
    tall = scenes.feature("wall", "tall", shapely.box(-3, -3, -0.2, 3), top=3.0)
    low = scenes.feature("wall", "low", shapely.LineString([(0.03, -9), (0.03, 9)]), top=0.5)
    spot = scenes.feature("spot", "east", shapely.Point(5, 0))
    for z, gets_there in ((1.0, True), (0.0, False)):
        more = {"cast.guard.at": [0.0, 0.0], "cast.guard.z": z}
        states = {"go": {"go": {"spot": "east"}}}
        scene = scenes.scene(tmp_path, tall, low, spot, states=states, more=more)
        assert (scenes.places_at(snelk.run(scene), "guard", 10.0)[0, 0] > 4.6) == gets_there


def test_who_freezes_moves_only_while_nobody_looks(tmp_path: Path) -> None:
    profiles = (
        scenes.GUARD + '[profiles.lookout]\nbody = "post"\nnotices = ["home"]\nlook_every = 0\n'
    )
    profiles += "cones = { front = { fov_whole = 60, range = 30.0 } }\n"
    profiles += '[profiles.lookout.ladder.states.sweep]\nlook = "sweep"\nsweep_whole = 200\nsweep_period = 4.0\n'
    profiles += "[profiles.lookout.movement]\nturn_rate = 3600\n"
    spot = scenes.feature("spot", "goal", shapely.Point(40, 0))
    states = {"creep": {"go": {"spot": "goal"}, "freeze_seen_by": ["visitors"]}}
    more = {
        "cast.guest": {
            "team": "visitors",
            "profile": "lookout",
            "at": [10.0, 8.0],
            "facing": -140.0,
        }
    }
    scenario = scenes.scene(tmp_path, spot, states=states, profiles=profiles, end=16.0, more=more)
    run = snelk.run(scenario)
    _t, places, heading = scenes.guard_of(run)
    sight = run.sight[(run.sight.agent == "guest") & (run.sight.target == "guard")]
    looked = sight.in_view.to_numpy()
    still = (np.diff(places, axis=0) == 0).all(axis=1) & (np.diff(heading) == 0)
    assert 20 < looked.sum() < 140
    assert still[looked[:-1]].all()
    assert not still[1:][~looked[1:-1]].any()
    signals = run.signals[run.signals.agent == "guard"]
    assert (signals.observed.to_numpy() == looked).all()
    assert set(signals.observers[signals.observed]) == {"guest"}


def test_who_cannot_get_anywhere_is_told_to_be_stuck(tmp_path: Path) -> None:
    def box(half: float) -> dict[str, Any]:
        return scenes.feature(
            "wall", "box", shapely.box(-half, -half, half, half).exterior, top=2.0
        )

    spot = scenes.feature("spot", "far", shapely.Point(9, 0))
    states = {"go": {"go": {"spot": "far"}}, "sulk": {}}
    transitions = {"enough": {"to": "sulk", "when": "stuck", "for": 0.5}}
    run = snelk.run(scenes.scene(tmp_path, spot, box(0.2), states=states, transitions=transitions))
    (stuck,) = run.events[run.events.kind == "stuck"].itertuples()
    assert (stuck.agent, stuck.x, stuck.y) == ("guard", 0.0, 0.0)
    assert stuck.text == "guard is stuck at (0.0, 0.0) (go)"
    assert run.measure("guard.times_stuck") == 1.0
    assert run.states.state.iloc[-1] == "sulk"
    # In a box that it fits into it goes as near as it can, and is not stuck but there.
    run = snelk.run(scenes.scene(tmp_path, spot, box(1.0), states=states, transitions=transitions))
    assert not (run.events.kind == "stuck").any()
    np.testing.assert_allclose(scenes.places_at(run, "guard", 10.0)[0], [0.75, 0.0], atol=0.31)


def test_a_tracked_agent_keeps_a_ladder_and_its_track(tmp_path: Path) -> None:
    spot = scenes.feature("spot", "well", shapely.Point(6, 0))
    rows = "".join(
        f"{t},guard,{x},0,0\n{t},guest,{x + 5},1,0\n" for t, x in ((0, 0), (4, 6), (8, 12))
    )
    states = {"go": {"go": {"spot": "well"}}, "see": {"approach": {}}}
    transitions = {"there": {"to": "see", "from": "go", "when": "arrived"}}
    walk = samples.track_of((0, 5, 1), (8, 17, 1))
    scenario = scenes.scene(tmp_path, spot, states=states, transitions=transitions, track=walk)
    path = Path(scenario.source)
    path.write_text(path.read_text().replace("at = [0, 0]\n", ""))
    (tmp_path / "track.csv").write_text("t,id,x,y,heading\n" + rows)
    run = snelk.run(path, overrides=dict(scenario.overrides))
    t, places, _ = scenes.guard_of(run)
    there = t <= 8.0
    np.testing.assert_allclose(
        places[there], np.stack([1.5 * t[there], 0 * t[there]], axis=1), atol=1e-9
    )
    row = run.states[run.states.transition == "there"].iloc[0]
    assert row.t == pytest.approx((6 - 0.3) / 1.5, abs=0.1)
    assert (run.beliefs.source == "sensed").any()


def test_activities_of_ones_own_do_what_they_say(tmp_path: Path) -> None:
    @snelk.activity("zigzag")
    def zigzag(me: snelk.Situation) -> snelk.Move:
        n = me.memo.setdefault("n", 0)
        if me.arrived:
            n = me.memo["n"] = n + 1
        if n == 3:
            return snelk.Move(face_deg=90.0, done=True, again=99.0)
        return snelk.Move(to=(2.0 * (n + 1), 2.0 * (n % 2)), look_at=(0.0, 50.0))

    snelk.check_activity(zigzag)
    states = {"zig": {"call": {"activity": "zigzag"}, "interruptible": False}, "end": {}}
    transitions = {"over": {"to": "end", "when": "state_for > 0s"}}
    run = snelk.run(scenes.scene(tmp_path, states=states, transitions=transitions))
    _t, places, heading = scenes.guard_of(run)
    assert math.hypot(*(places[-1] - (6, 0))) <= 0.4
    assert heading[-1] == pytest.approx(90.0, abs=8.0)
    for corner in ((2, 0), (4, 2), (6, 0)):
        assert np.hypot(*(places - corner).T).min() <= 0.31
    assert run.states.state.iloc[-1] == "end"
    run = snelk.run(
        scenes.scene(
            tmp_path,
            states={"zig": {"call": {"activity": "zigzag"}}},
            more={"cast.guard.at": [1.0, 1.0]},
        )
    )
    assert run.states.state.tolist() == ["zig"]


@pytest.mark.parametrize(
    ("function", "message"),
    [
        (lambda _: None, "must return a Move"),
        (lambda _: snelk.Move(to=(math.nan, 0.0)), "to must be"),
        (lambda _: snelk.Move(to=(1.0,)), "to must be"),
        (lambda _: snelk.Move(face_deg=math.inf), "face_deg must be a finite number"),
        (lambda _: snelk.Move(again=-1.0), "again must be seconds, 0 or more"),
        (lambda me: snelk.Move(to=me.last_known[:2]), "raised TypeError"),
        (
            lambda _: snelk.Move(to=(float(np.random.default_rng().random()), 0.0)),
            "must return the same move",
        ),
        (
            lambda _: snelk.Move(to=(float(np.random.random()), 0.0)),  # noqa: NPY002
            "uses randomness from elsewhere",
        ),
    ],
)
def test_the_checker_finds_what_an_activity_does_wrong(function: Any, message: str) -> None:
    with pytest.raises(snelk.InputError, match=message):
        snelk.check_activity(function)


def test_an_activity_that_goes_wrong_in_a_run_is_told_with_who_and_when(tmp_path: Path) -> None:
    snelk.activity("broken")(lambda me: snelk.Move(to=(1.0, 0.0)) if me.t < 1.0 else 3)  # type: ignore[arg-type, return-value]
    scenario = scenes.scene(tmp_path, states={"a": {"call": {"activity": "broken"}}})
    with pytest.raises(
        snelk.InputError,
        match=r'test_moving.py:\d+: activity "broken" of guard at 1 s: must return a Move \(given: 3\)',
    ):
        snelk.run(scenario)
    unknown = scenes.scene(tmp_path, states={"a": {"call": {"activity": "brokn"}}})
    with pytest.raises(
        snelk.InputError, match=r'no such activity is registered .*did you mean "broken"'
    ):
        snelk.run(unknown)


def test_on_levels_too_large_to_know_all_ways_all_do_the_same(
    monkeypatch: pytest.MonkeyPatch, night: snelk.Run
) -> None:
    """Fleeing, evading, patrols, searches and telling, by ways that are found one by one."""
    monkeypatch.setattr("snelk.level.ways.WHOLE", 0)
    again = snelk.run(snelk.load(snelk.croft() / "night.toml"))
    assert {"fleeing", "scattering", "round", "searching"} <= {*again.states.state}
    assert again.states.state.tolist() == night.states.state.tolist()
    np.testing.assert_allclose(again.states.t, night.states.t)
    assert again.events.kind.tolist() == night.events.kind.tolist()
    np.testing.assert_allclose(again.poses.x, night.poses.x, atol=1e-6)
