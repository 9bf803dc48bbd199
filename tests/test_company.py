"""Groups: searches that are shared, posts that stay manned, room that is made, news passed on."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import scenes
import shapely
from scenes import feature
from test_cli import command

import snelk
from snelk.body.seeker import notes_in_order
from snelk.engine.simulation import Simulation
from snelk.tuning.searches import means_by_company

CROFT = snelk.croft() / "night.toml"

EDGE = feature("edge", "rim", shapely.box(0, 0, 30, 22).exterior)
CORNERS = ([1.0, 1.0], [29.0, 1.0], [1.0, 21.0], [29.0, 21.0])


def yard(folder: Path, seed: int, method: str, **more: Any) -> snelk.Scenario:
    """Three guards in the corners of a yard of sheds; all hear a thud of somebody who hides."""
    rng = np.random.default_rng(seed)
    sheds = []
    for x in np.arange(4, 28, 6.0):
        for y in np.arange(4, 20, 6.0):
            (dx, dy), (w, h) = rng.uniform(-1, 1, 2), rng.uniform(1.0, 2.2, 2)
            sheds.append(shapely.box(x + dx - w, y + dy - h, x + dx + w, y + dy + h))
    blocked = shapely.union_all(sheds).buffer(0.4)
    free = [
        place
        for place in rng.uniform([1, 1], [29, 21], (60, 2))
        if not blocked.contains(shapely.Point(place))
    ]
    walls = [feature("wall", f"shed {n}", each, top=3.0) for n, each in enumerate(sheds)]
    spots = [feature("spot", f"s{n}", shapely.Point(each)) for n, each in enumerate(free[1:9])]
    names = [f"s{n}" for n in range(8)]
    search = {
        "method": method,
        "radius": 16.0,
        "give_up": 60.0,
        "speed": 1.5,
        "point_time": 1.0,
        "points": 14,
    }
    states = {"standing": {"stand": {}}, "seeking": {"search": search, "rank": 2, "look": "sweep"}}
    numbers: dict[str, Any] = {
        "cast.guest.at": free[0].tolist(), "cast.guard.at": CORNERS[0], "cast.guard.spots": names,
        "cast.guard.facing": 36.0,
        "profiles.watcher.cones.front": {"fov_whole": 110, "range": 8.0},
        "profiles.watcher.memory.forget": 80.0, "profiles.watcher.meter": {"fill_time": 0.5},
        "noise": [{"t": 1.0, "kind": "thud", "by": "guest", "at": [15, 11], "reach": 900.0}],
        "groups.watch": {"members": ["guard", "second", "third"]}, **more,
    }  # fmt: skip
    for name, at in zip(("second", "third"), CORNERS[1:], strict=False):
        numbers[f"cast.{name}"] = {
            "team": "home", "profile": "watcher", "at": at, "spots": names,
            "facing": 144.0 if at[0] > 15 else -36.0,
        }  # fmt: skip
    return scenes.scene(
        folder, EDGE, *walls, *spots, states=states, end=70.0, more=numbers,
        transitions={
            "thud": {"from": "standing", "to": "seeking", "when": "heard"},
            "there": {"from": "seeking", "to": "standing", "when": "seen"},
        },
    )  # fmt: skip


def test_together_they_find_sooner_and_do_not_meet(tmp_path: Path) -> None:
    results = [
        each
        for method in ("likelihood", "nearby", "hideouts")
        for n in range(14)
        for each in snelk.compare_company(
            yard(tmp_path / f"{method} {n}", n, method), "watch", seeds=[0]
        )
    ]
    together, alone = means_by_company(results)
    assert together["searched"] == alone["searched"] == 42
    assert together["found"] >= alone["found"]
    assert together["until_found"] < 0.95 * alone["until_found"]
    assert together["walked"] < alone["walked"]
    assert together["same_point"] <= 1.0


def test_who_does_not_notice_the_target_clears_nothing_for_the_others(tmp_path: Path) -> None:
    """The second guard looks at all of the yard, and notices no guest."""
    walls = [feature("wall", "shed", shapely.box(8, 0, 9, 8), top=3.0)]
    spots = [feature("spot", f"s{n}", shapely.Point(14, y)) for n, y in enumerate((2, 5))]
    for method in ("likelihood", "hideouts"):
        search = {
            "method": method,
            "radius": 30.0,
            "give_up": 30.0,
            "speed": 1.0,
            "spots": ["s0", "s1"],
        }
        states = {"standing": {"stand": {}}, "seeking": {"search": search, "rank": 2}}
        more: dict[str, Any] = {
            "cast.guard.at": [2.0, 4.0], "cast.guard.facing": 180.0, "cast.guest.at": [90.0, 90.0],
            "cast.second": {"team": "home", "profile": "blind", "at": [20.0, 3.0], "facing": 180.0},
            "profiles.blind": {"like": "watcher", "notices": ["home"]},
            "profiles.watcher.cones.front": {"fov_whole": 110, "range": 12.0},
            "noise": [{"t": 1.0, "kind": "thud", "by": "guest", "at": [4, 4], "reach": 900.0}],
            "groups.watch.members": ["guard", "second"],
        }  # fmt: skip
        thud = {"thud": {"from": "standing", "to": "seeking", "when": "heard"}}
        scenario = scenes.scene(
            tmp_path / method, *walls, *spots, states=states, transitions=thud, end=8.0, more=more
        )
        rows = [
            getattr(snelk.run(scenario, overrides={"groups.watch.search": on}), table)
            for on in (True, False)
            for table in ("searches", "likelihood")
        ]
        assert len(rows[0]) > 2, method
        for table in (0, 1):
            assert rows[table].equals(rows[table + 2]), method
        sees = snelk.run(scenario, overrides={"cast.second.profile": "watcher"}).searches
        assert not sees[sees.agent == "guard"].equals(rows[0]), method


def test_who_searches_together_decides_in_turn_with_tables_and_without(tmp_path: Path) -> None:
    """Copies of cells are made in Python, at other times for each: the others wait for that."""
    night, found = yard(tmp_path, 1, "likelihood", **{"cast.guest.at": [90, 90]}), []
    for logged in (True, False):
        scene = Simulation(night, logged=logged)
        notes_of = scene.copies.of_table(*scene.world.thinking.seeker.noted)
        scene.advance(len(scene.times))
        found.append(notes_in_order(*notes_of()))
    assert str(found[0]) == str(found[1])
    assert len(found[0]) > 90


def gate(folder: Path, **more: Any) -> snelk.Scenario:
    """Three guards in a row at a gate, who go after the first noise."""
    states = {"on guard": {"stand": {}, "rank": 0}, "after it": {"go": {}, "rank": 2}}
    numbers: dict[str, Any] = {
        "cast.guard.at": [2.0, 0.0],
        "profiles.watcher.cones": {},
        "noise": [{"t": t, "kind": "thud", "by": "guest", "at": [12, 0], "reach": 80} for t in (1, 9)],
        "bodies.post.attributes": {"zeal": 1.0},
    }  # fmt: skip
    for name, x in (("second", 0.0), ("third", 4.0)):
        numbers[f"cast.{name}"] = {"team": "home", "profile": "watcher", "at": [x, 0.0]}
    numbers["groups.gate"] = {"members": ["guard", "second", "third"], **more.pop("group", {})}
    transitions = {"thud": {"from": "on guard", "to": "after it", "when": "heard"},
                   "back": {"from": "after it", "to": "on guard", "when": "arrived"}}  # fmt: skip
    return scenes.scene(
        folder, states=states, transitions=transitions, end=15.0, more={**numbers, **more}
    )


def test_on_the_very_same_spot_the_first_in_the_cast_goes_to_the_left(tmp_path: Path) -> None:
    more = {
        "profiles.watcher.cones": {}, "cast.guard.at": [0.0, 0.0], "groups.g.apart": 0.6,
        "cast.other": {"team": "home", "profile": "watcher", "at": [0.0, 0.0]},
        "groups.g.members": ["guard", "other"],
    }  # fmt: skip
    scenario = scenes.scene(tmp_path, states={"standing": {"stand": {}}}, end=1.0, more=more)
    last = snelk.run(scenario).poses.groupby("id").last()
    for name, x in (("guard", -0.3), ("other", 0.3)):
        assert (last.x[name], last.y[name]) == pytest.approx((x, 0.0), abs=1e-6)


def test_who_cannot_make_room_is_given_all_of_it(tmp_path: Path) -> None:
    states = {"standing": {"stand": {}}}
    asleep = {"first": "asleep", "states": {"asleep": {"sleep": {}}}}
    frozen = {"stand": {}, "freeze_seen_by": ["visitors"]}
    seen = {"first": "frozen", "states": {"frozen": frozen}}
    senses = {"body": "post", "notices": ["visitors"]}
    cones = {"front": {"fov_whole": 359, "range": 9.0}}
    more: dict[str, Any] = {
        "profiles.watcher.cones": {}, "cast.guard.at": [0.0, 0.0], "cast.guard.absent": True,
        "effect": [{"t": 0.5, "of": "guard", "spawns": True}],
    }  # fmt: skip
    for name, profile in (
        ("frozen", {"like": "watcher", "ladder": seen}),
        ("asleep", {"like": "watcher", "ladder": asleep}),
        ("post", senses),
    ):
        more[f"profiles.{name}"] = profile
        more[f"cast.{name}"] = {"team": "home", "profile": name, "at": [0.2, 0.0]}
    more["profiles.onlooker"] = {"body": "post", "notices": ["home"], "cones": cones}
    more["cast.onlooker"] = {"team": "visitors", "profile": "onlooker", "at": [3.0, 3.0]}
    for name in ("frozen", "asleep", "post"):
        other = {f"cast.{n}.at": [50.0, 50.0] for n in ("frozen", "asleep", "post") if n != name}
        group = {"groups.g": {"members": ["guard", name], "apart": 0.8}}
        scenario = scenes.scene(
            tmp_path / name, states=states, end=1.0, more={**more, **other, **group}
        )
        poses = snelk.run(scenario).poses.set_index(["id", "t"])
        assert set(poses.loc[name].x) == {0.2}, name
        assert poses.loc["guard"].x.loc[0.8] == pytest.approx(-0.6), name  # at once


def test_room_is_made_for_who_is_there_only(tmp_path: Path) -> None:
    more: dict[str, Any] = {
        "profiles.watcher.cones": {}, "cast.guard.at": [0.0, 0.0], "cast.guard.absent": True,
        "cast.other": {"team": "home", "profile": "watcher", "at": [0.2, 0.0]},
        "groups.g": {"members": ["guard", "other"], "apart": 0.8},
        "effect": [{"t": 0.5, "of": "guard", "spawns": True},
                   {"t": 1.0, "of": "guard", "removes": True}],
    }  # fmt: skip
    states = {"standing": {"stand": {}}}
    poses = snelk.run(scenes.scene(tmp_path, states=states, end=1.5, more=more)).poses
    other = poses[poses.id == "other"].set_index("t").x
    assert set(other[:0.45]) == {0.2}
    assert other[0.8] == pytest.approx(0.5)
    assert set(other[1.0:]) == {other[0.8]}


def test_who_is_pushed_onto_a_slope_stands_on_it(tmp_path: Path) -> None:
    up = shapely.Polygon([(2, -9, 0), (9, -9, 3.5), (9, 9, 3.5), (2, 9, 0)])
    features = [
        scenes.feature("floor", "flat", shapely.box(-9, -9, 2, 9)),
        scenes.feature("floor", "up", up),
    ]
    more: dict[str, Any] = {
        "cast.guard.at": [0.0, 0.0], "profiles.watcher.movement.arrive": 0.05,
        "cast.other": {"team": "home", "profile": "watcher", "at": [1.6, 0.0], "absent": True},
        "groups.g": {"members": ["guard", "other"], "apart": 1.4},
        "effect": [{"t": 3.0, "of": "other", "spawns": True}],
    }  # fmt: skip
    spot = scenes.feature("spot", "rim", shapely.Point(1.9, 0))
    states = {"go": {"go": {"spot": "rim"}}}
    poses = snelk.run(
        scenes.scene(tmp_path, *features, spot, states=states, more=more, end=5.0)
    ).poses
    guard = poses[poses.id == "guard"].iloc[-1]
    assert guard.x > 2.1
    assert guard.z == pytest.approx((guard.x - 2.0) / 2.0)


JAMS: dict[str, tuple[list[Any], dict[str, tuple[tuple[float, ...], tuple[float, ...]]], float]] = {
    # what stands there; from where to where each goes; how much later both may be there, s
    "corridor": (
        [scenes.feature("wall", f"{n}", shapely.box(-3, y, 3, y + 9), top=3) for n, y in enumerate((0.45, -9.45))],
        {"guard": ((-6, 0.03), (8, 0)), "other": ((6, 0), (-8, 0))}, 1.7,
    ),
    "corner": (
        [scenes.feature("wall", f"{n}", box, top=3) for n, box in enumerate((shapely.box(2.3, 1.2, 3.1, 2.9), shapely.box(2.2, -1.1, 4.1, 1.1)))],
        {"guard": ((0.13, -0.22), (6, 2)), "other": ((-0.43, 0.72), (6, 2))}, 1.0,
    ),
    "ladder": (
        [scenes.feature("floor", "ground", shapely.box(-9, -9, 9, 9)), scenes.feature("floor", "loft", shapely.box(2, -3, 6, 3), height=3),
         scenes.feature("link", "ladder", shapely.LineString([(0, 0, 0), (2.5, 0, 3)]), seconds=1.0)],
        {"guard": ((-2, 2), (4, 1, 3)), "other": ((-2, -2), (4, -1, 3))}, 1.2,
    ),
}  # fmt: skip


@pytest.mark.parametrize("jam", JAMS)
def test_members_who_keep_apart_do_not_hold_each_other_up_for_long(
    tmp_path: Path, jam: str
) -> None:
    features, goes, later = JAMS[jam]
    features = features + [
        scenes.feature("spot", name, shapely.Point(to)) for name, (_, to) in goes.items()
    ]
    more: dict[str, Any] = {
        "cast.guard.at": goes["guard"][0], "groups.g": {"members": [*goes], "apart": 1.1},
        "profiles.another": {"like": "watcher", "ladder": {"states": {"go": {"go": {"spot": "other"}}}}},
        "cast.other": {"team": "home", "profile": "another", "at": goes["other"][0]},
    }  # fmt: skip
    states = {"go": {"go": {"spot": "guard"}}}
    scenario = scenes.scene(tmp_path, *features, states=states, more=more, end=15.0)
    runs = [snelk.run(scenario, overrides={"groups.g.apart": apart}) for apart in (0.0, 1.1)]
    alone, run = (each.signals[each.signals.arrived].groupby("agent").t.min() for each in runs)
    assert set(alone.index) == set(run.index) == set(goes)
    assert ("stuck" in set(runs[1].events.kind)) == (jam == "corridor")
    poses = [runs[1].poses[runs[1].poses.id == name] for name in goes]
    apart = np.hypot(*(np.subtract(*(each[["x", "y"]].to_numpy() for each in poses))).T)
    assert run.max() < alone.max() + later
    # On the ladder the first in the cast: both have as far to go.
    assert run.idxmin() == ("other" if jam == "corner" else "guard")
    assert (apart[10:].min() < 0.8) == (jam == "corridor")
    assert apart[-1] > 1.0


@pytest.mark.parametrize(("asleep", "stop"), [(False, 2.0), (True, 2.0), (False, 0.0)])
def test_who_is_almost_there_keeps_its_place_if_the_other_can_move(
    tmp_path: Path, asleep: bool, stop: float
) -> None:
    """The guard approaches a guest; another member stands 0.3 m before or behind where it stops."""
    ladder = {"states": {"go": {"sleep" if asleep else "stand": {}}}}
    more: dict[str, Any] = {
        "cast.guard.at": [0.0, 0.0], "profiles.another": {"like": "watcher", "ladder": ladder},
        "profiles.watcher.movement.arrive": 0.05,
        "cast.other": {"team": "home", "profile": "another", "at": [5.7 - stop + 0.6 * asleep, 0.01]},
        "groups.g": {"members": ["guard", "other"], "apart": 0.8},
    }  # fmt: skip
    states = {"go": {"approach": {"stop": stop}}}
    track = "t,id,x,y,heading,present\n0,guest,6,0,0,1\n"
    scenario = scenes.scene(tmp_path, states=states, track=track, more=more, end=7.0)
    runs = [snelk.run(scenario, overrides={"groups.g.apart": apart}) for apart in (0.0, 0.8)]
    alone, run = (each.poses[each.poses.id == "guard"].x.to_numpy() for each in runs)
    late = int(np.argmax(run > 5.8 - stop)) - int(np.argmax(alone > 5.8 - stop))
    assert late > 3 if asleep else late <= 1


def test_who_has_to_stay_may_do_what_leads_nowhere_above(tmp_path: Path) -> None:
    scenario = gate(tmp_path, group={"stays": 3})
    ladder = "profiles.watcher.ladder"
    stirs = {f"{ladder}.states.stirs": {"stand": {}, "rank": 0},
             f"{ladder}.transitions.stirs": {"from": "on guard", "to": "stirs", "when": "heard"}}  # fmt: skip
    run = snelk.run(scenario.changed(stirs))
    assert set(run.states.state) == {"on guard", "stirs"}
    assert set(run.states[run.states.state == "stirs"].agent) == {"guard", "second", "third"}


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ('groups.g.members=["dog"]', "at least 2"),
        ('groups.g.members=["dog", "cat"]', 'no such agent (given: "cat")'),
        ('groups.g.members=["dog", "dog"]', "is named twice"),
        ('groups.g={members=["dog","farmer"], goes="nearst"}', "must be nearest, or own.NAME"),
        ('groups.g={members=["dog","farmer"], goes="own.brains"}', "no such attribute"),
        ('groups.g={members=["dog","bell"], stays=1}', "has no routine that it could stay in"),
        ('groups.g={members=["dog","farmer"], stays=3}', "must be at most 2"),
        ('groups.g={members=["dog","farmer"], apart=-1}', "must be at least 0"),
        ('groups={a={members=["dog","farmer"]}, b={members=["dog","owl"]}}', "is already in a"),
    ],
)
def test_mistakes_are_told_in_a_line(change: str, said: str, tmp_path: Path) -> None:
    complained = command("run", CROFT, "--set", change, cwd=tmp_path, code=2)
    assert said in complained
    assert len(complained.strip().splitlines()) == 1
    assert not list(tmp_path.iterdir())


def test_a_group_that_does_nothing_is_said(tmp_path: Path) -> None:
    def warned(**group: Any) -> list[str]:
        scenario = snelk.load(CROFT, overrides={"groups.g": group})
        return [each.reason for each in snelk.check(scenario) if each.name == "idle-group"]

    (said,) = warned(members=["dog", "owl"])
    assert "only dog of it ever searches" in said
    assert "none of its members ever searches" in warned(members=["owl", "hen-1"])[0]
    assert "do not share searches" in warned(members=["dog", "farmer"], search=False)[0]
    assert not warned(members=["dog", "farmer"])
    assert not warned(members=["dog", "owl"], stays=1)
    assert not warned(members=["hen-1", "hen-2"], apart=0.3)


def test_the_command_compares_a_group_with_its_members_alone(tmp_path: Path) -> None:
    words = ("searches", CROFT, "keepers", "--set", 'groups.keepers.members=["dog","farmer"]')
    said = command(*words, "--seeds", "3", cwd=tmp_path)
    assert "keepers (dog, farmer): as one, and each as if alone" in said
    assert max(map(len, said.splitlines())) <= 80
    data = json.loads(command(*words, "--seeds", "3", "--json", cwd=tmp_path))
    assert [row["way"] for row in data["ways"]] == ["together", "alone"]
    for each in data["runs"]:
        if each["way"] == "alone":
            run = snelk.run(CROFT, overrides={"seed": each["seed"]})
            rows = run.searches
            began = rows[rows.what == "began"].t.min()
            found = rows[rows.outcome == "found"].t.min()
            until = (found if found == found else run.times[-1]) - began
            assert each["until_found"] == pytest.approx(until)
            assert each["searches"] == (rows.what == "began").sum()
    wrong = command("searches", CROFT, "keepers", cwd=tmp_path, code=2)
    assert "no such agent" in wrong
