"""Trails and noses, against the rules as they are told, in plain arithmetic and with GEOS."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely
from samples import track_of
from scenes import feature
from test_rules import Maker

import snelk
from snelk.config.scenario import parse_override
from snelk.plots.appearance import FAINTNESS
from snelk.runs.run import run_batch
from snelk.runs.scent import trail_at
from snelk.senses.trails import Trails

NOSE = """
[bodies.post]
standing = 2.0
eyes = 0.5
radius = 0.25

[profiles.watcher]
body = "post"
notices = ["visitors"]
smell = { reach = 3.0, weakest = 0.1 }
meter = { fill_time = 4.0, smell_rate = 0.8 }
memory = { forget = 300.0, spread = 0.5 }
movement = { walking = 1.5, turn_rate = 400, acceleration = 8.0 }
"""
DT = 0.5


def told(run: snelk.Run) -> Any:
    rows = run.contacts
    return rows[(rows.sense == "smell") & (rows.agent == "guard")].reset_index(drop=True)


def in_the_open(folder: Path, *, track: str, **changes: Any) -> snelk.Run:
    path = samples.write_sample(folder, track=track, profiles=NOSE)
    return snelk.run(path, overrides={"clock.dt": 0.1, **changes})


def test_the_wind_carries_a_scent_as_far_as_the_formula_says(tmp_path: Path) -> None:
    air = {"wind": 5.0, "blows_to": 180.0, "carries": 0.15, "thins": 0.0}
    # The last blows exactly along an axis.
    for n, (at, to) in enumerate(((0, 180), (60, 180), (90, 180), (180, 180), (180, 0))):
        air["blows_to"] = float(to)
        far = 3.0 * math.exp(0.75 * math.cos(math.radians(at + 180 - to)))
        for off, smelt in ((far - 1e-3, True), (far + 1e-3, False)):
            x, y = off * math.cos(math.radians(at)), off * math.sin(math.radians(at))
            track = track_of((0, x, y), (1, x, y))
            run = in_the_open(tmp_path / f"{n}{smelt}", track=track, air=air)
            assert (told(run).sensed == smelt).all()
    air["blows_to"] = 180.0
    # All that a limit is a product of is told apart, of the place that is smelt.
    fence = shapely.LineString([(0.5, -9), (0.5, 9)])
    level = scenes.level(feature("wall", "fence", fence, top=9.0, smell_through=0.4))
    track = track_of((0, 0.2, 0), (0.5, 1.2, 0), (4, 6, 9))
    path = samples.write_sample(tmp_path, track=track, level=level, profiles=NOSE)
    still = {"clock.dt": 0.1, "air": {**air, "half_life": 1e6}, "cast.guard.awake": 0.5}
    answer = snelk.run(path, overrides=still).why("guard", "guest", at=3.0).sense("smell")
    assert answer is not None
    said, factors = answer.gates[-1].text.split(": ")
    assert said.endswith(f"limit {3 * 0.5 * 0.4 * math.e**0.75:.2f} m")
    assert factors == "reach 3 m × strength 1 × awake 0.5 × wind 2.1 × past fence 0.4"


def test_a_trail_fills_the_meter_tells_its_age_and_is_forgotten_by_water(tmp_path: Path) -> None:
    """Somebody passes by, and goes far away; its trail stays and fades."""
    track = track_of((0, -12, 1), (4, 12, 1), (40, 90, 1))
    run = in_the_open(tmp_path, track=track, air={"half_life": 10.0})
    rows, beliefs = told(run), run.beliefs
    smelt = rows[rows.sensed]
    freshest = smelt.iloc[-1]
    assert 8.0 < freshest.age < 25.0
    # What is believed is the freshest that was ever smelt, and grows as old as that is.
    age, known = np.inf, (np.nan, np.nan)
    believed = beliefs.set_index(beliefs.t.round(3))
    for row in rows.itertuples():
        age += 0.1
        if row.sensed and row.age <= age + 1e-9:
            age, known = row.age, (row.x, row.y)
        belief = believed.loc[round(row.t, 3)]
        if np.isfinite(age):
            assert (belief.source, belief.x, belief.y) == ("smelt", *known)
            assert (belief.age, belief.uncertainty) == pytest.approx((age, 0.5 * age))
        else:
            assert belief.source != belief.source
    assert age < 40.0
    meters = run.meters
    filling = meters[meters.sense == "smell"]
    assert len(filling) == len(smelt)
    np.testing.assert_allclose(filling.rate, 0.8 * smelt.strength, atol=1e-12)
    texts = run.events[run.events.kind.isin(["smelt", "off_trail"])].text
    assert texts.iloc[0].startswith("guard smelt the trail of guest (")
    assert "no longer smelt the trail of guest: " in texts.iloc[-1]

    brook = feature("zone", "brook", shapely.box(-99, 0.5, 99, 1.5), scent=0.0)
    path = samples.write_sample(
        tmp_path / "wet", track=track, level=scenes.level(brook), profiles=NOSE
    )
    assert not told(snelk.run(path)).sensed.any()


UP = [
    feature("floor", "below", shapely.box(-9, -9, 9, 9), height=0.0),
    feature("floor", "stairs", shapely.Polygon([(3, -1, 0), (6, -1, 3), (6, 1, 3), (3, 1, 0)])),
    feature("floor", "above", shapely.box(6, -9, 9, 9), height=3.0),
    feature("wall", "front", shapely.LineString([(1, -9), (1, -0.6)]), top=2.9),
    feature("wall", "back", shapely.LineString([(1, 0.6), (1, 9)]), top=2.9),
    feature("wall", "door", shapely.LineString([(1, -0.6), (1, 0.6)]), top=2.9, door=True),
]
TRAILING = {
    "waiting": {"stand": {}},
    "following": {"go": {}, "pace": "walking"},
}


def follows(folder: Path, **changes: Any) -> snelk.Run:
    """A guard at the origin; a guest has gone through the door, up the stairs and to a corner."""
    track = track_of((0, -2, 0.4), (1.5, 0.2, 0), (2, 2, 0), (6, 7.5, 0), (9, 7.5, 6), (60, 7.5, 6))
    scenario = scenes.scene(
        folder, *UP, states=TRAILING, track=track, profiles=NOSE, end=60.0,
        transitions={"off": {"from": "waiting", "to": "following",
                             "when": "smelt and scent_age > 5s and state_for > 15s"}},
        more={"doors": {"door": {"open": True, "who": []}}, "air.half_life": 200.0,
              "change": [{"t": 12.0, "of": "door", "to": "shut"},
                         {"t": 25.0, "of": "door", "to": "open"}], **changes},
    )  # fmt: skip
    return snelk.run(scenario)


def test_a_trail_leads_through_a_door_and_up_the_stairs_by_smell_alone(tmp_path: Path) -> None:
    run = follows(tmp_path)
    rows = run.poses[run.poses.id == "guard"]
    last = rows.iloc[-1]
    assert math.dist((last.x, last.y, last.z), (7.5, 6.0, 3.0)) < 0.5
    # It waits before the door while that is shut: nothing is smelt through it.
    shut = rows[(rows.t > 18) & (rows.t < 25)]
    assert (shut.x < 1.0).all()
    asked = told(run)
    behind = asked[(asked.t > 20) & (asked.t < 25)]
    assert behind.sensed.any()
    assert (behind[behind.sensed].x < 1.0).all()
    assert (asked[asked.t > 45].x > 6.0).any()
    assert not run.sight.in_view.any()
    assert not run.hearing.heard.any()
    # On a map of one floor, trails and noses on others are faint.
    upper = run.level.floor_at(7.5, 6.0, 3.0)
    places = trail_at(run, "guest", run.tick_at(45.0))[0].of(0, 0)
    drawn = snelk.plot_map(run, at=45.0, floor=upper)
    dots = drawn.scent.trails["guest"]
    on = [
        run.level.floor_at(*at) == upper
        for at in zip(*(places[axis] for axis in "xyz"), strict=True)
    ]
    assert len({*on}) == 2
    kept = dict(zip(zip(places["x"], places["y"], strict=True), on, strict=True))
    for at, alpha in zip(dots.get_offsets().tolist(), dots.get_alpha(), strict=True):
        assert alpha == 0.55 * (1.0 if kept[tuple(at)] else FAINTNESS)
    assert len({*dots.get_alpha()}) == 2
    seen = set()
    for t in (10.0, 45.0):
        at = rows[rows.t == t][["x", "y", "z"]].iloc[0]
        share = 1.0 if run.level.floor_at(*at) == upper else FAINTNESS
        assert snelk.plot_map(run, at=t, floor=upper).scent.noses["guard"].get_alpha() == share
        seen.add(share)
    assert len(seen) == 2
    # A line to what is smelt is strong if one of its ends is there.
    places = {row.t: run.level.floor_at(row.x, row.y, row.z) for row in rows.itertuples()}
    ends = [
        (row.t, run.level.floor_at(row.x, row.y, row.z)) for row in asked[asked.sensed].itertuples()
    ]
    t, floor = next((t, floor) for t, floor in ends if floor != places[t])
    for each in run.level.floor_names:
        line = snelk.plot_map(run, at=t, floor=each).scent.smelt["guard", "guest"]
        assert line.get_alpha() == (1.0 if each in (floor, places[t]) else FAINTNESS)


def test_no_floor_lets_a_scent_through_and_of_who_is_spawned_anew_nothing_is_left(
    tmp_path: Path,
) -> None:
    track = track_of((0, 7.5, 0), (3, 7.5, 0))
    below = {"cast.guard.at": [7.5, 0.5]}
    over = snelk.run(scenes.scene(tmp_path / "over", *UP, states=TRAILING, track=track.replace(
        "x,y,heading", "x,y,heading,z").replace(",0\n", ",0,3\n"), profiles=NOSE, end=3.0,
        more={**below, "profiles.watcher.smell.reach": 9.0}))  # fmt: skip
    rows = told(over)
    assert not rows.sensed.any()
    assert set(rows.result) == {"reach"}
    assert rows.wall.iloc[-1] == "above"
    again = {"effect": [{"t": 1.0, "of": "guest", "removes": True},
                        {"t": 2.0, "of": "guest", "spawns": True, "at": [30, 30]}]}  # fmt: skip
    path = samples.write_sample(tmp_path / "again", guest="at = [1, 0]", profiles=NOSE)
    run = snelk.run(path, overrides={"clock.dt": 0.1, "clock.end": 4.0, **again})
    rows = told(run)
    assert rows[rows.t < 1.95].sensed.all()
    assert not rows[rows.t > 2.15].sensed.any()
    would = [run.why("guard", "guest", at=t).sense("smell").counterfactual for t in (2.0, 2.1, 3.0)]
    assert would[0] is None
    assert [each.needs for each in would[1:]] == [pytest.approx(math.hypot(30, 30))] * 2


def test_noticing_another_team_by_smell_is_a_change_too(tmp_path: Path) -> None:
    strangers = NOSE.replace('["visitors"]', '["strangers"]')
    path = samples.write_sample(tmp_path, guest="at = [1, 0]", profiles=strangers)
    answer = snelk.run(path).why("guard", "guest", at=0.2).sense("smell")
    assert answer is not None
    assert answer.counterfactual is not None
    assert answer.gates[0].text == "guard is there"  # whether there is a trail does not matter
    changes = dict(map(parse_override, answer.counterfactual.settable))
    assert changes == {"profiles.watcher.notices": ["strangers", "visitors"]}
    again = snelk.run(path, overrides=changes).why("guard", "guest", at=0.2).sense("smell")
    assert (answer.sensed, again is not None and again.sensed) == (False, True)
    # That is not enough where there is nothing to smell, or nothing near enough.
    for more, gate in (
        ({"bodies.post.scent": 0.0}, "strength"),
        ({"cast.guest.at": [30, 0]}, "reach"),
    ):
        found = snelk.run(path, overrides=more).why("guard", "guest", at=0.2).sense("smell")
        assert found is not None
        assert found.counterfactual is None
        assert found.no_counterfactual == f"no single number: cares and {gate} fail together"


def test_where_the_next_point_of_a_trail_begins_does_not_depend_on_noses(tmp_path: Path) -> None:
    """Of which one is so dull here that all but the newest points are too faint for it."""
    Maker(10).scene(tmp_path)
    calm = {"profiles.p.ladder.transitions": {}, "profiles.q.ladder.transitions": {}}
    for weakest, smelt in ((0.5, True), (0.96, True), (0.9616, True), (0.9617, False)):
        changes = {**calm, "profiles.q.smell.weakest": weakest}
        run = snelk.run(tmp_path / "scene.toml", overrides=changes)
        found = run.why("c3", "c0", at=5.9).sense("smell")
        assert found is not None
        assert found.sensed == smelt


def test_what_is_wrong_with_trails_is_told_before_a_run(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, track=track_of((0, 5, 0), (9, 5, 0)), profiles=NOSE)

    def found(**changes: Any) -> list[str]:
        scenario = snelk.load(path, overrides={k.replace("__", "."): v for k, v in changes.items()})
        ours = ("smell", "trail", "nose")
        return [f.name for f in snelk.check(scenario) if any(word in f.name for word in ours)]

    assert found() == []
    assert found(bodies__post__scent=0.0) == ["nothing-to-smell"]
    assert "nothing-to-smell" in found(profiles__watcher__notices=["home"])  # which is its own
    assert found(profiles__watcher__smell__reach=2.4) == ["trail-in-pieces"]
    assert found(profiles__watcher__smell__reach=2.6) == []
    # 60 s to half, to a tenth in 199.3 s, and in wind of 5 m/s in half of that.
    assert found(profiles__watcher__memory__forget=199.0) == ["trail-forgotten"]
    assert found(profiles__watcher__memory__forget=100.0, air={"wind": 5.0}) == []
    bare = NOSE.replace("memory = ", "# ")
    path = samples.write_sample(tmp_path, track=track_of((0, 5, 0), (9, 5, 0)), profiles=bare)
    assert found() == ["nose-without-memory"]
    path = samples.write_sample(tmp_path, track=track_of((0, 5, 0), (9, 5, 0)))
    assert found(air={"wind": 1.0}) == ["air-without-nose"]
    for key, value in (("air.half_life", 0.0), ("air.wind", math.nan), ("air.carries", 2.0)):
        with pytest.raises(snelk.InputError, match=key.split(".")[1]):
            snelk.load(path, overrides={key: value})


def test_a_game_that_is_saved_goes_on_with_its_trails(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [1, 0]", profiles=NOSE)
    scenario = snelk.load(path, overrides={"clock.dt": 0.1, "clock.end": 60.0})
    one, other = (snelk.Live(scenario, duration=60.0) for _ in range(2))
    for n in range(120):  # so far that there has to be more room for it
        one.push("guest", x=1.0 + 0.3 * n, y=0.0, heading_deg=0.0)
        one.step()
    other.restore(one.save())
    for game in (one, other):
        game.push("guest", x=60.0, y=0.0, heading_deg=0.0)
        game.step()
    said = []
    for game in (one, other):
        answer = game.why("guard", "guest").sense("smell")
        assert answer is not None
        said.append((answer.headline, [gate.text for gate in answer.gates]))
    assert said[0] == said[1]
    assert "it was here" in said[0][0]


def test_when_there_is_more_room_for_trails_they_are_as_they_were() -> None:
    trails = Trails.blank(1, 2, room=4)
    trails.first[0], trails.size[0] = [3, 1], [4, 2]
    trails.x[0] = [[10.0, 20.0, 30.0, 0.0], [9.0, 1.0, 2.0, 9.0]]
    wider = trails.with_room()
    assert wider.x.shape == (1, 2, 8)
    assert [wider.of(0, j)["x"].tolist() for j in (0, 1)] == [[0.0, 10.0, 20.0, 30.0], [1.0, 2.0]]


def test_each_variant_has_its_own_doors_wind_and_trails(tmp_path: Path) -> None:
    door = feature("wall", "door", shapely.LineString([(1, -3), (1, 3)]), top=9.0, door=True)
    path = samples.write_sample(
        tmp_path, track=track_of((0, 2, 0), (3, 2, 1)), level=scenes.level(door), profiles=NOSE
    )
    scenario = snelk.load(path, overrides={"clock.dt": DT})
    variants = (
        {"doors": {"door": {"open": True, "who": []}}},
        {"doors": {"door": {"open": False, "who": []}}},
        {"doors": {"door": {"open": True, "who": []}}, "air": {"wind": 9.0}},
        {"doors": {"door": {"open": True, "who": []}}, "bodies.post.scent": 0.0},
    )
    together = run_batch(scenario, variants=variants)
    pair = run_batch(scenario, variants=variants[:2])
    for changes, run in zip((*variants, *variants), (*together, *pair), strict=False):
        assert told(run).equals(told(snelk.run(scenario.changed(changes))))
    assert [bool(told(run).sensed.any()) for run in together] == [True, False, False, False]
