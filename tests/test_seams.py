"""Ways over floors that are cut into tiles, and over slopes that change."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
import scenes
import shapely
from scipy.optimize import minimize_scalar

import snelk
from snelk.config.geojson import LevelData
from snelk.config.models import Floor, Wall
from snelk.level.level import Level
from snelk.tuning.coverage import places_on

SIDE = 8.0


def level_of(
    areas: Sequence[shapely.Geometry], heights: Sequence[Any], walls: Sequence[Any] = ()
) -> Level:
    """Floors that lie as the functions of x and y tell."""
    floors = []
    for n, (area, height) in enumerate(zip(areas, heights, strict=True)):

        def raised(plan: np.ndarray, height: Any = height) -> np.ndarray:
            return np.column_stack([plan[:, :2], height(plan[:, 0], plan[:, 1])])

        solid = shapely.transform(shapely.force_3d(area), raised, include_z=True)
        floors.append((Floor(kind="floor", name=f"tile {n}"), solid))
    features = [(Wall(kind="wall", name=f"w{n}", base=-9, top=9), w) for n, w in enumerate(walls)]
    return Level(LevelData("tiles", walls=tuple(features), floors=tuple(floors)))


def tiles_of(rng: np.random.Generator) -> list[shapely.Geometry]:
    """A square cut into tiles, with corners at halves of a metre."""
    found = [shapely.box(0, 0, SIDE, SIDE)]
    for _ in range(rng.integers(1, 16)):
        whole = found.pop(rng.integers(len(found)))
        x0, y0, x1, y1 = whole.bounds
        across, up = (rng.integers(2 * a, 2 * b + 1) / 2 for a, b in ((x0, x1), (y0, y1)))
        if len(whole.exterior.coords) != 5:
            found.append(whole)
        elif rng.random() < 0.4 and x0 < across < x1:
            found += [shapely.box(x0, y0, across, y1), shapely.box(across, y0, x1, y1)]
        elif rng.random() < 0.7 and y0 < up < y1:
            found += [shapely.box(x0, y0, x1, up), shapely.box(x0, up, x1, y1)]
        else:
            found += [shapely.Polygon([(x0, y0), (x1, y0), (x1, y1)]),
                      shapely.Polygon([(x0, y0), (x1, y1), (x0, y1)])]  # fmt: skip
    for _ in range(rng.integers(3)):  # some with a corner that goes inward
        a, b = rng.integers(len(found), size=2)
        both = shapely.union(found[a], found[b])
        if a != b and both.geom_type == "Polygon":
            found = [each for n, each in enumerate(found) if n not in (a, b)] + [both]
    return found


@pytest.mark.parametrize("seed", [*range(40), 130, 404, 484])
def test_ways_over_tiles_are_those_over_one_floor(seed: int) -> None:
    """Many places are at seams or where some meet, and many ways run along them."""
    rng = np.random.default_rng(seed)
    tiles, (east, north) = tiles_of(rng), rng.uniform(-0.5, 0.5, 2) * (seed % 2)
    walls = [shapely.box(x, y, x + 1, y + 1.5) for x, y in rng.integers(1, 7, (seed % 3, 2))]

    def height(x: Any, y: Any) -> Any:
        return east * x + north * y

    plan = rng.integers(1, 16, (2, 60, 2)) / 2
    plan[:, :20] = rng.choice(shapely.get_coordinates(tiles).clip(0.5, SIDE - 0.5), (2, 20))
    whole = [shapely.box(0, 0, SIDE, SIDE)]
    if seed % 4 > 1:  # at an angle at which nothing is exact
        angle, off = rng.uniform(0, 2 * np.pi), rng.uniform(-50, 50, 2)
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        tiles, walls, whole = (
            list(shapely.transform(each, lambda at: at @ turn + off)) if each else []
            for each in (tiles, walls, whole)
        )
        plan = plan @ turn + off
    many = level_of(tiles, [height] * len(tiles), walls)
    one = level_of(whole, [height], walls)
    start, goal = (np.column_stack([each, height(*each.T) + 1e-9]) for each in plan)
    limit = np.full(60, np.inf)
    for clearance in (0.0, 0.25):
        found, wanted = (
            level.ways(clearance=clearance).distance(start, goal, limit) for level in (many, one)
        )
        np.testing.assert_allclose(found, wanted, rtol=1e-3, atol=1e-6)
        ways = many.ways(clearance=clearance)
        for n in np.flatnonzero(np.isfinite(found))[:8]:
            way = ways.way(start[n], goal[n])
            assert way is not None
            turns = np.concatenate([start[n, None, :2], way[:, :2]])
            length = np.hypot(*np.diff(turns, axis=0).T) @ way[:, 2]
            assert length == pytest.approx(found[n], rel=1e-3, abs=1e-6)
            on = way[:, 4].astype(int)
            middles = shapely.points((turns[1:] + turns[:-1]) / 2)
            assert (shapely.distance(np.array(tiles)[on], middles) < 1e-5).all()


@pytest.mark.parametrize("seed", range(16))
def test_a_way_over_two_slopes_is_as_short_as_by_the_best_place_to_cross(seed: int) -> None:
    rng = np.random.default_rng(seed)
    steep = rng.uniform(-1, 1, (2, 2)) * (0.3 if seed % 2 else 1.0)
    steep[1, 1] = steep[0, 1]  # they meet all along x = 4

    def over(n: int, a: Any, b: Any) -> float:
        off = np.subtract(b, a)
        return float(np.hypot(np.hypot(*off), off @ steep[n]))

    heights = [
        lambda x, y, slope=slope: slope[0] * (x - 4) + slope[1] * y for slope in steep
    ]  # fmt: skip
    level = level_of([shapely.box(0, 0, 4, SIDE), shapely.box(4, 0, SIDE, SIDE)], heights)
    plan = np.column_stack([rng.uniform((0, 4), (4, 8)), rng.uniform(0, SIDE, 2)])
    best = minimize_scalar(
        lambda y: over(0, plan[0], (4, y)) + over(1, (4, y), plan[1]),
        bounds=(0, SIDE),
        method="bounded",
    ).fun
    start, goal = (np.array([*p, height(*p)]) for p, height in zip(plan, heights, strict=True))
    found = level.ways(clearance=0.01).length(start, goal)
    assert best - 1e-6 <= found <= 1.01 * best + 0.002


def test_from_where_three_tiles_meet_one_gets_straight_onto_each_of_them() -> None:
    flat = [lambda x, _y: 0.0 * x] * 3
    tiles = [shapely.box(0, 0, 4, 4), shapely.box(4, 0, 8, 4), shapely.box(0, 4, 4, 8)]
    goals = [(1.0, 2.0, 0.0), (6.0, 1.0, 0.0), (3.0, 7.0, 0.0)]
    for order in ([0, 1, 2], [1, 0, 2], [2, 1, 0], [0, 2, 1]):
        ways = level_of([tiles[n] for n in order], flat).ways()
        for goal in goals:
            ends = np.array([(4.0, 4.0, 0.0), goal])
            far = np.hypot(*(ends[1] - ends[0])[:2])
            assert [ways.length(*ends), ways.length(*ends[::-1])] == pytest.approx([far, far])


def test_who_keeps_away_from_a_wall_does_so_on_the_next_floor_too() -> None:
    """A wall on one tile stands beside the seam to the next, on which one walks by."""
    wall = shapely.box(2, 3.2, 6, 3.9)
    tiles = [shapely.box(0, 0, SIDE, 4), shapely.box(0, 4, SIDE, SIDE)]
    level = level_of(tiles, [lambda x, _y: 0.0 * x] * 2, [wall])
    way = level.ways(clearance=0.5).way(np.array([0.6, 4.2, 0.0]), np.array([7.4, 4.2, 0.0]))
    assert way is not None
    line = shapely.LineString([(0.6, 4.2), *way[:, :2]])
    assert shapely.distance(line, wall) >= 0.5 - 1e-6


SEARCH = {"radius": 6.0, "cell": 1.0, "speed": 2.0, "points": 6, "point_time": 0.5}
DOES: dict[str, dict[str, Any]] = {
    "evade": {"distance": 2.0, "directions": 8}, "roam": {"every": 2.0}, "go": {"spot": "attic"}, "flee": {"spots": ["hut", "den"]}, "patrol": {"route": "round"},
    "likelihood": SEARCH, "nearby": SEARCH, "hideouts": {**SEARCH, "radius": 9.0, "spots": ["hut", "den"]},
}  # fmt: skip


def night_on_tiles(folder: Path, side: int, does: str) -> snelk.Scenario:
    """A guard that loses a guest; what counts is at corners of tiles."""
    tiles = [
        shapely.box(x, y, x + side, y + side)
        for x in range(-12, 12, side)
        for y in range(-12, 12, side)
    ]
    features = [scenes.feature("floor", f"{n}", tile) for n, tile in enumerate(tiles)]
    up = shapely.LineString([(-6, -6, 0), (-10, -10, 3)])
    features += [
        scenes.feature("floor", "loft", shapely.box(-12, -12, -8, -8), height=3.0),
        scenes.feature("link", "ladder", up, seconds=1.0),
    ]
    features += [scenes.feature("spot", "attic", shapely.Point(-11, -9, 3))]
    features += [scenes.feature("wall", "box", shapely.box(2.3, 1.2, 3.1, 2.9), top=0.4)]
    # The guest is last seen over a crate, of which the nearest ground is that of another tile.
    features += [scenes.feature("wall", "crate", shapely.box(2.2, -1.1, 4.1, 1.1), top=0.4)]
    features += [
        scenes.feature("spot", name, shapely.Point(at))
        for name, at in (("hut", (6, 2)), ("den", (2, -4)))
    ]
    features += [scenes.feature("route", "round", shapely.LineString([(0, 0), (4, 2), (2, 6)]))]
    activity = (
        {"search": {"method": does, **DOES[does]}} if "radius" in DOES[does] else {does: DOES[does]}
    )
    more = {
        "cast.guard.at": [0.0, 0.0], "profiles.watcher.cones.front": {"fov_whole": 90, "range": 4.5},
        "profiles.watcher.movement": {"turn_rate": 200.0, "smooth": True},
        "profiles.watcher.memory": {"grace": 0.3, "forget": 20.0, "spread": 1.0},
        "cast.mate": {"team": "home", "profile": "watcher", "at": [-0.3, 0.5]},
        "groups.pair": {"members": ["guard", "mate"], "apart": 1.1},
    }  # fmt: skip
    change = {"from": "idle", "to": "acts", "when": "state_for >= 3.5s"}
    track = "t,id,x,y,heading,present\n0,guest,3.9,0.3,0,1\n1.5,guest,3.9,0.3,0,0\n"
    states = {"idle": {"stand": {}}, "acts": activity}
    return scenes.scene(
        folder,
        *features,
        states=states,
        transitions={"a": change},
        track=track,
        more=more,
        end=16.0,
    )


@pytest.mark.parametrize("does", DOES)
def test_floors_cut_into_tiles_are_lived_on_like_one_floor(does: str, tmp_path: Path) -> None:
    nights = [night_on_tiles(tmp_path / str(side), side, does) for side in (24, 2)]
    whole, cut = (snelk.run(each).poses[["x", "y", "z", "heading_deg"]] for each in nights)
    pd.testing.assert_frame_equal(cut, whole, atol=1e-9)
    assert whole.z.max() == (3.0 if does == "go" else 0.0)


def test_the_edge_of_the_ground_is_none_where_tiles_meet_either() -> None:
    quarters = [shapely.box(x, y, x + 4, y + 4) for x in (0, 4) for y in (0, 4)]
    ways = level_of(quarters, [lambda x, _y: 0.0 * x] * 4).ways()
    places = np.array([(4.0, 4), (4, 1), (1, 4), (0, 4), (8, 4), (4, 0), (4, 8), (0, 0)])
    found = ways.holds(0, np.column_stack([places, np.zeros(len(places))]))
    assert found.tolist() == [True] * 3 + [False] * 5


def test_coverage_and_sneaking_know_the_places_between_tiles(tmp_path: Path) -> None:
    nights = [night_on_tiles(tmp_path / str(side), side, "patrol") for side in (24, 2)]
    whole, cut = (places_on(Level.of(each.level), 4.0, 0.0).tolist() for each in nights)
    assert sorted(cut) == sorted(whole)
    whole, cut = (snelk.sneak(each, to=(6, 6), start=(-6, -6), cell=2.0) for each in nights)
    assert len(cut.places) == len(whole.places)
    assert cut.soonest == pytest.approx(whole.soonest)
