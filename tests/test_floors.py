"""Levels with storeys: what floors hold up and hide, and what minds the height."""

from __future__ import annotations

import itertools
import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import shapely
import shapely.affinity
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra
from scipy.spatial import KDTree

import snelk
from snelk.config.geojson import LevelData, level_from, plane_of
from snelk.config.models import Floor
from snelk.config.steps import HEADROOM, STEP
from snelk.level.footing import follow_floors
from snelk.level.level import Level
from snelk.level.section import section_of
from snelk.level.ways import Ways


def feature(kind: str, name: str, corners: list[Any], **properties: object) -> dict[str, Any]:
    shape = {"type": "Polygon", "coordinates": [[*corners, corners[0]]]}
    return {
        "type": "Feature", "properties": {"kind": kind, "name": name, **properties},
        "geometry": shape,
    }  # fmt: skip


def square(x: float, y: float, side: float, z: float | None = None) -> list[list[float]]:
    corners = [[x, y], [x + side, y], [x + side, y + side], [x, y + side]]
    return corners if z is None else [[*corner, z] for corner in corners]


STAIR = [[4, 0, 0.0], [8, 0, 2.8], [8, 2, 2.8], [4, 2, 0.0]]
HOUSE = [
    feature("floor", "taproom", square(-4, -4, 8), height=0.0),
    feature("floor", "stair", STAIR),
    feature("floor", "gallery", [[8, 0], [12, 0], [12, 4], [-4, 4], [-4, 2], [8, 2]], height=2.8,
            see_through=0.0, hear_through=0.25),
]  # fmt: skip


def level_of(*features: dict[str, Any]) -> Level:
    document = {"type": "FeatureCollection", "features": list(features)}
    return Level(level_from(document, source="house"))


def test_what_holds_somebody_up_is_the_highest_floor_within_a_step() -> None:
    house = level_of(*HOUSE)
    for place, height in (
        ((0, 0, 0), 0.0), ((6, 1, 1.4), 1.4), ((6, 1, 1.4 - STEP + 1e-6), 1.4),
        ((6, 1, 1.4 - STEP - 1e-6), np.nan), ((0, 3, 0), 0.0), ((0, 3, 2.8), 2.8),
        ((0, 3, 2.8 - STEP - 0.01), 0.0), ((0, 3, 9), 2.8), ((20, 20, 9), np.nan),
        ((8, 1, 2.8), 2.8),
    ):  # fmt: skip
        assert house.footing(*place) == pytest.approx(height, nan_ok=True), place
    assert samples.level_of().footing(3, 4, 1.7) == 1.7


@given(st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_footing_is_what_geos_and_the_planes_say(seed: int) -> None:
    rng = np.random.default_rng(seed)
    floors = []
    for n in range(5):
        area = shapely.Polygon(rng.uniform(-5, 5, (3, 2))).buffer(1.0, quad_segs=2)
        plane = np.array([*rng.uniform(-0.5, 0.5, 2), rng.uniform(0, 4)])
        corners = shapely.get_coordinates(area)
        heights = corners @ plane[:2] + plane[2]
        raised = shapely.Polygon(np.column_stack([corners, heights]))
        floors.append((Floor(kind="floor", name=f"f{n}"), raised))
    level = Level(LevelData("", floors=tuple(floors)))
    for x, y, z in rng.uniform((-6, -6, 0), (6, 6, 5), (40, 3)):
        under = []
        for _, raised in floors:
            if raised.covers(shapely.Point(x, y)):
                corners = shapely.get_coordinates(raised, include_z=True)
                under.append(float(np.array([x, y, 1.0]) @ plane_of(corners)))
        fits = [height for height in under if height <= z + STEP]
        assert level.footing(x, y, z) == pytest.approx(max(fits, default=np.nan), nan_ok=True)
        # What the ray meets straight down is that floor, or the one a step above.
        down = level.sightline((x, y, z + STEP), (x, y, -9.0))
        assert (down.place[2] if down.place else np.nan) == pytest.approx(
            max(fits, default=np.nan), nan_ok=True
        )


def test_who_stands_on_a_rim_but_for_rounding_does_not_fall() -> None:
    area = shapely.affinity.rotate(shapely.box(2, -3, 6, 1), 33)
    corners = shapely.get_coordinates(area)
    level = level_of(feature("floor", "tile", corners[:-1].tolist(), height=0.5))
    for a, b in itertools.pairwise(corners):
        out = np.array([b[1] - a[1], a[0] - b[0]]) / np.linalg.norm(b - a)
        out *= 1 if not shapely.contains_xy(area, *((a + b) / 2 + 0.1 * out)) else -1
        for share in np.linspace(0.05, 0.95, 7):
            x, y = a + share * (b - a)
            assert level.footing(*((x, y) + 0.5e-9 * out), 0.5) == 0.5
            assert np.isnan(level.footing(*((x, y) + 2e-9 * out), 0.5))


def test_from_where_floors_meet_and_right_beside_a_path_is_on_the_floor_that_it_enters() -> None:
    corner = np.array([5.0, -3.0])
    notch, whole = shapely.box(5, -3, 8, -1), shapely.box(1, -7, 8, -1)
    for turn in range(0, 360, 30):
        areas = [
            shapely.affinity.rotate(each, turn, origin=tuple(corner))
            for each in (shapely.difference(whole, notch), notch)
        ]
        level = level_of(*(
            feature("floor", name, shapely.get_coordinates(area)[:-1].tolist(), height=0.0)
            for name, area in zip(("yard", "notch"), areas, strict=True)
        ))  # fmt: skip
        for angle, beside in itertools.product(
            np.arange(7, 360, 15) + turn, [None, *np.arange(14.5, 360, 45)]
        ):
            goal = corner + 1.5 * np.array([np.cos(np.radians(angle)), np.sin(np.radians(angle))])
            off = 0.0 if beside is None else 5e-5
            beside = np.radians((beside or 0.0) + turn)
            start = corner + off * np.array([np.cos(beside), np.sin(beside)])
            way = level.sound_ways.way(np.array([*start, 0.0]), np.array([*goal, 0.0]))
            assert way is not None
            assert len(way) == 1 or off > 0.0
            assert way[-1, 4] == float(shapely.contains_xy(areas[1], *goal))


def test_who_was_recorded_in_plan_walks_up_the_stair_and_not_through_the_floor() -> None:
    floors = level_of(*HOUSE).floors
    x = np.linspace(-3, 11, 60)
    z = np.zeros(60)
    follow_floors(floors, x, np.full(60, 1.0), z)
    expected = np.interp(x, [-3, 4, 8, 11], [0, 0, 2.8, 2.8])
    np.testing.assert_allclose(z, expected, atol=1e-9)
    back, again = x[::-1].copy(), np.zeros(60)
    again[0] = 2.8
    follow_floors(floors, back, np.full(60, 1.0), again)
    np.testing.assert_allclose(again[::-1], expected, atol=1e-9)
    under = np.zeros(60)  # beneath the gallery, on the floor below it
    follow_floors(floors, np.linspace(-3, 3, 60), np.full(60, 3.0), under)
    assert not under.any()


SENSES = """
[profiles.watcher.hearing]
notices = []
of_nobody = true
place_error = 0.0
[profiles.watcher.touch]
radius = 3.0
[profiles.watcher.zone_sense]
zones = ["attic"]
"""
SCENARIO = """
level = "level.geojson"
use = ["kinds.toml"]
[clock]
dt = 0.5
end = 0.5
[noise_kinds.bang]
reach = 8.0
[cast.guard]
team = "home"
profile = "watcher"
at = [0, 3]
z = {guard}
[cast.guest]
team = "visitors"
body = "post"
at = [1, 3]
z = {guest}
[[noise]]
t = 0.5
kind = "bang"
at = [1, 3]
z = {guest}
"""


def house_run(folder: Path, guard: float, guest: float, *more: dict[str, Any]) -> snelk.Run:
    samples.write_sample(folder, profiles=samples.SAMPLE_PROFILES + SENSES)
    document = {"type": "FeatureCollection", "features": [*HOUSE, *more]}
    (folder / "level.geojson").write_text(json.dumps(document))
    (folder / "house.toml").write_text(SCENARIO.format(guard=guard, guest=guest))
    return snelk.run(folder / "house.toml")


ATTIC = feature("zone", "attic", square(-9, -9, 30), floor="gallery")


@pytest.mark.parametrize(("guard", "guest"), [(0.0, 0.0), (2.8, 2.8), (0.0, 2.8), (2.8, 0.0)])
def test_a_floor_is_in_the_way_of_sight_touch_and_sound(
    tmp_path: Path, guard: float, guest: float
) -> None:
    run = house_run(tmp_path, guard, guest, ATTIC)
    together = guard == guest
    assert run.sight.in_view.all() == together
    assert (run.sight.wall.iloc[0] == "gallery") == (not together)
    contacts = run.contacts.query("agent == 'guard' and target == 'guest'").set_index("sense")
    touch = contacts.loc["touch"].iloc[0]
    assert touch.result == ("sensed" if together else "wall")
    assert together or touch.wall == "gallery"
    answers = {each.sense: each for each in run.why("guard", "guest", at=0.0).senses}
    assert together or "gallery between them" in str(answers["touch"].gates)
    heard = run.hearing.query("agent == 'guard'").iloc[0]
    assert heard.through == (1.0 if together else 0.25)
    # A zone on a floor holds who stands there, and nobody below.
    assert contacts.loc["zone"].iloc[0].sensed == (guest > 0)
    assert run.poses.query("id == 'guest'").z.unique().tolist() == [guest]


def test_zones_have_a_base_and_a_top(tmp_path: Path) -> None:
    lit = feature("zone", "lit", square(-9, -9, 30), light=0.4, base=1.0, top=2.8)
    for height, light in ((2.8, 0.4), (0.0, 1.0)):
        run = house_run(tmp_path, 0.0, height, lit, ATTIC)
        assert (run.poses.query("id == 'guest'").light == light).all()


@pytest.mark.parametrize(
    ("features", "message"),
    [
        ([feature("floor", "a", [*square(0, 0, 4, 1.0)[:3], [0, 4]])], r"give every corner two numbers, or every corner three"),
        ([feature("floor", "a", [*square(0, 0, 4, 1.0)[:3], [0, 4, 2.0]])], r"needs corners in one plane, within 0.01 m \(given: corner \d is 0.\d\d m off\)"),
        ([feature("floor", "a", square(0, 0, 4, 1.0), height=2.0)], "height: cannot be combined with heights of corners"),
        ([feature("zone", "z", square(0, 0, 4), floor="lofft"), HOUSE[1]], 'zone "z": floor: no such floor'),
        ([feature("zone", "z", square(0, 0, 4), floor="stair", top=2), HOUSE[1]], "leave out base and top"),
        ([feature("zone", "z", square(0, 0, 4), base=2, top=2)], "top: must be above base, 2 m"),
        ([feature("floor", "a", square(0, 0, 4)), feature("wall", "a", square(0, 0, 4), top=2)], "rename one of the two"),
    ],
)  # fmt: skip
def test_heights_that_make_no_sense_are_refused(
    features: list[dict[str, Any]], message: str
) -> None:
    with pytest.raises(snelk.InputError, match=message):
        level_of(*features)


def test_a_level_with_floors_is_written_as_it_was_read() -> None:
    document = {"type": "FeatureCollection", "features": HOUSE}
    data = level_from(document, source="house")
    again = level_from(json.loads(json.dumps(data.to_geojson())), source="again")
    assert [*map(str, again.floors)] == [*map(str, data.floors)]
    np.testing.assert_array_equal(Level(again).triangles, Level(data).triangles)


def surface(chance: np.random.Generator, side: int) -> list[np.ndarray]:
    """Triangles, (3, 3) each, that cover a square of whole metres without a step."""
    up = chance.integers(0, 4, (side + 1, side + 1)) / 8.0
    found = []
    for x, y in np.ndindex(side, side):
        a, b, c, d = ((i, j, up[i, j]) for i, j in ((x, y), (x + 1, y), (x + 1, y + 1), (x, y + 1)))
        halves = ((a, b, c), (a, c, d)) if chance.random() < 0.5 else ((a, b, d), (b, c, d))
        found += [np.array(each, dtype=float) for each in halves]
    return [found[n] for n in chance.permutation(len(found))]


def over(triangles: list[np.ndarray], start: np.ndarray, end: np.ndarray) -> float:
    """How long a line is over a surface: cut wherever two triangles can meet."""
    (x, y), (dx, dy) = start[:2], end[:2] - start[:2]
    cuts = {0.0, 1.0}
    for at, by in ((x, dx), (y, dy), (x + y, dx + dy), (x - y, dx - dy)):
        cuts |= {(n - at) / by for n in range(-9, 19) if by and 0.0 < (n - at) / by < 1.0}
    length = 0.0
    for low, high in itertools.pairwise(sorted(cuts)):
        mid = shapely.Point(start[:2] + (low + high) / 2 * np.array([dx, dy]))
        under = min(triangles, key=lambda each: shapely.distance(shapely.Polygon(each), mid))
        slope_x, slope_y, _ = plane_of(under)
        rise = slope_x * dx + slope_y * dy
        length += (high - low) * float(np.hypot(np.hypot(dx, dy), rise))
    return length


@given(st.integers(0, 10_000))
@settings(max_examples=7, deadline=None)
def test_lines_through_corners_and_along_seams_are_as_long_as_the_surface(seed: int) -> None:
    """Where many floors meet at a point none is missed, whatever their order in the file."""
    chance, side = np.random.default_rng(seed), 3
    triangles = surface(chance, side)
    level = level_of(*(
        feature("floor", f"{n}", each.tolist()) for n, each in enumerate(triangles)
    ))  # fmt: skip
    ways, areas = level.sound_ways, [shapely.Polygon(each) for each in triangles]
    for _ in range(30):
        middle, along = chance.integers(1, side, 2), chance.integers(-2, 3, 2)
        ends = [
            middle + along * far for far in (-chance.integers(1, 6) / 4, chance.integers(1, 6) / 4)
        ]
        if not along.any() or not all(((end > 0) & (end < side)).all() for end in ends):
            continue
        start, goal = (np.array([*end, level.stands_at(*end, 1.0)]) for end in ends)
        sheets = [ways.sheets_at(end[None]) for end in (start, goal)]
        (found,) = ways.straight(start[None], sheets[0], goal[None], sheets[1])
        assert found == pytest.approx(over(triangles, start, goal), abs=1e-9)
        assert_names_its_floors(ways, areas, start, goal)


def assert_names_its_floors(
    ways: Ways, areas: list[Any], start: np.ndarray, goal: np.ndarray
) -> tuple[float, int]:
    """Each stretch of a path lies on the floor that it names, and together they are as long.

    Returns how long, m, and how many there are.
    """
    (length,) = ways.distance(start[None], goal[None], np.full(1, np.inf))
    way, whole = ways.way(start, goal), 0.0
    assert way is not None
    for a, b in itertools.pairwise([start[:2], *way[:, :2]]):
        stretch, row = shapely.LineString([a, b]), way[:, :2].tolist().index(b.tolist())
        if stretch.length > 1e-6:
            assert shapely.distance(areas[int(way[row, 4])], stretch.centroid) < 5e-3
        whole += stretch.length * way[row, 2]
    assert whole == pytest.approx(length, abs=1e-6)
    assert way[-1, :2].tolist() == goal[:2].tolist()
    return length, len(way)


@given(st.integers(0, 10_000))
@settings(max_examples=6, deadline=None)
def test_a_path_around_a_wall_names_the_floors_that_it_is_on(seed: int) -> None:
    chance, side = np.random.default_rng(seed), 3
    triangles = surface(chance, side)
    wall = feature("wall", "screen", square(0, 0, 1), top=3.0)
    line = [[1.6, 0.4], [1.3, 2.7]]
    wall["geometry"] = {"type": "LineString", "coordinates": line}
    level = level_of(wall, *(
        feature("floor", f"{n}", each.tolist()) for n, each in enumerate(triangles)
    ))  # fmt: skip
    ways, areas = level.sound_ways, [shapely.Polygon(each) for each in triangles]
    ends = chance.uniform((0.1, 1.0), (1.0, 2.0)), chance.uniform((2.0, 1.0), (2.9, 2.0))
    start, goal = (np.array([*end, level.stands_at(*end, 1.0)]) for end in ends)
    length, count = assert_names_its_floors(ways, areas, start, goal)
    assert count > 2
    turns = [np.array(end) for end in line]
    least = min(over(triangles, start, turn) + over(triangles, turn, goal) for turn in turns)
    assert length <= least + 0.02


def heights_under(level: Level, x: np.ndarray, y: np.ndarray, z: np.ndarray) -> np.ndarray:
    """What holds up whoever is at some places, by GEOS and the planes; NaN for nothing."""
    best = np.full(len(x), np.nan)
    for _, area in level.data.floors:
        a, b, c = plane_of(corners_of(level, area))
        height = a * x + b * y + c
        fits = shapely.intersects_xy(area, x, y) & (height <= z + STEP)
        best = np.where(fits, np.fmax(best, height), best)
    return best


def corners_of(level: Level, area: Any) -> np.ndarray:
    """(corners, 3) of the area of a floor."""
    corners = shapely.get_coordinates(area, include_z=True)
    own = next(floor.height or 0.0 for floor, each in level.data.floors if each is area)
    corners[:, 2] = np.nan_to_num(corners[:, 2], nan=own)
    return corners


def walked(
    level: Level, start: np.ndarray, end: np.ndarray, tread: float, clearance: float
) -> np.ndarray:
    """How long straight walks are, in small steps up and down; infinite where one cannot go on."""
    steps = int(np.ceil(np.hypot(*(end - start)[:, :2].T).max() / tread))
    at, length = start.copy(), np.zeros(len(start))
    walls = shapely.union_all([line for _, line in level.data.walls])
    walls = shapely.buffer(walls, clearance, cap_style="square") if clearance else walls
    for n in range(1, steps + 1):
        there = start + (end - start) * (n / steps)
        there[:, 2] = heights_under(level, there[:, 0], there[:, 1], at[:, 2])
        lost = np.isnan(there[:, 2]) | (np.abs(there[:, 2] - at[:, 2]) > STEP)
        lost |= clearance > 0.0 and too_low(level, there, clearance)
        lines = shapely.linestrings(np.stack([at[:, :2], there[:, :2]], axis=1))
        lost |= shapely.intersects(walls, lines)
        off = there - at
        length += np.where(lost, np.inf, np.hypot(np.hypot(off[:, 0], off[:, 1]), slope(off)))
        at = np.where(lost[:, None], at, there)
    return np.where(np.abs(at[:, 2] - end[:, 2]) < 1e-6, length, np.inf)


def too_low(level: Level, places: np.ndarray, clearance: float) -> np.ndarray:
    """Whether something a step to 2 m above the floor is in the way of who stands at a place."""
    planes = [plane_of(corners_of(level, area)) for _, area in level.data.floors]
    rims = [
        shapely.get_coordinates(shapely.segmentize(area.boundary, 0.04))
        for _, area in level.data.floors
    ]
    found = np.zeros(len(places), dtype=np.bool_)
    for (a, b, c), rim in zip(planes, rims, strict=True):
        on = np.abs(places[:, :2] @ (a, b) + c - places[:, 2]) < 1e-6
        for other, (d, e, f) in zip(rims, planes, strict=True):
            rise = other @ (d - a, e - b) + f - c
            low = other[(rise > STEP) & (rise < HEADROOM) & (other is not rim)]
            if len(low) and on.any():
                found[on] |= KDTree(low).query(places[on, :2])[0] < clearance
    return found


def slope(off: np.ndarray) -> np.ndarray:
    """How far up or down; a step from floor to floor is none of the way."""
    far = np.hypot(off[:, 0], off[:, 1])
    return np.where(np.abs(off[:, 2]) < 1.2 * far, off[:, 2], 0.0)


LADDER, DROP = [[-1.7, 1.2, 0.0], [-1.7, 1.7, 2.1]], [[0.2, 1.8, 2.1], [0.2, 0.9, 0.0]]


def link(name: str, ends: list[list[float]], **properties: object) -> dict[str, Any]:
    found = feature("link", name, square(0, 0, 1), **properties)
    return {**found, "geometry": {"type": "LineString", "coordinates": ends}}


@pytest.mark.parametrize("clearance", [0.0, 0.12])
def test_ways_over_floors_are_those_of_a_fine_graph_of_small_steps(clearance: float) -> None:
    rng = np.random.default_rng(1)
    line = rng.uniform((-1.5, -1.5), (1.5, 1.5), (2, 2))
    wall = feature("wall", "screen", square(0, 0, 1), top=2.0)
    wall["geometry"] = {"type": "LineString", "coordinates": line.tolist()}
    shelf = feature("floor", "shelf", square(-2, -2, 0.75), height=0.4)
    half = json.loads(json.dumps(HOUSE))
    plan, up = (0.7, 0.75) if clearance else (0.5, 0.5)  # bodies need their headroom
    for each in half:
        each["geometry"]["coordinates"][0] = [
            [*(value * plan for value in corner[:2]), *(value * up for value in corner[2:])]
            for corner in each["geometry"]["coordinates"][0]
        ]
        each["properties"]["height"] = each["properties"].get("height", 0.0) * up
    del half[1]["properties"]["height"]
    links = [link("ladder", LADDER), link("drop", DROP, one_way=True)] if clearance else []
    level = level_of(*half, shelf, wall, *links)
    spots, fine = [], 0.15 if clearance == 0.0 else 0.2
    for _, area in level.data.floors:
        low_x, low_y, high_x, high_y = area.bounds
        xs, ys = np.arange(low_x + 0.03, high_x, fine), np.arange(low_y + 0.03, high_y, fine)
        plan = np.stack(np.meshgrid(xs, ys), axis=-1).reshape(-1, 2)
        # Also close to where a way may turn: the end of the floor, and of the wall.
        lines = (
            shapely.buffer(area, -0.005).boundary,
            shapely.LineString(line).buffer(0.006).exterior,
        )
        plan = np.concatenate(
            [plan, *(shapely.get_coordinates(shapely.segmentize(each, fine / 3)) for each in lines)]
        )
        plan = plan[shapely.contains_xy(area, plan)]
        a, b, c = plane_of(corners_of(level, area))
        spots.append(np.column_stack([plan, plan @ (a, b) + c]))
    nodes = np.concatenate(spots)
    free = np.abs(heights_under(level, *nodes.T) - nodes[:, 2]) < 1e-6
    free &= ~shapely.dwithin(shapely.points(nodes[:, :2]), shapely.LineString(line), 0.005)
    nodes = nodes[free]
    if clearance:
        grown = shapely.buffer(shapely.LineString(line), clearance, cap_style="square")
        around = shapely.get_coordinates(shapely.segmentize(shapely.buffer(grown, 0.006), 0.1))
        nodes = np.concatenate([nodes, np.column_stack([around, np.zeros(len(around))])])
        nodes = nodes[~shapely.contains_xy(grown, nodes[:, :2])]
        nodes = nodes[~too_low(level, nodes, clearance)]
        nodes = np.concatenate([nodes, LADDER, DROP])
    pairs = KDTree(nodes[:, :2]).query_pairs(0.6 + 2 * clearance, output_type="ndarray")
    lengths = walked(level, nodes[pairs[:, 0]], nodes[pairs[:, 1]], 0.05, clearance)
    pairs, lengths = pairs[np.isfinite(lengths)], lengths[np.isfinite(lengths)]
    pairs, lengths = np.concatenate([pairs, pairs[:, ::-1]]), np.tile(lengths, 2)
    if clearance:
        up, down, off = np.arange(4).reshape(2, 2)[[0, 0, 1]] + len(nodes) - 4
        pairs = np.concatenate([pairs, [up, down[::-1], off]])
        high = [np.linalg.norm(np.subtract(*ends)) for ends in (LADDER, LADDER, DROP)]
        lengths = np.concatenate([lengths, high])
    graph = csr_matrix((lengths, pairs.T), shape=(len(nodes),) * 2)
    ends = rng.choice(len(nodes), 12, replace=False)
    brute, back_brute = (
        dijkstra(each, directed=True, indices=ends[:6])[:, ends[6:]] for each in (graph, graph.T)
    )
    ways = level.ways(clearance=clearance) if clearance else level.sound_ways
    for n, start in enumerate(nodes[ends[:6]]):
        goals = nodes[ends[6:]]
        found = ways.distance(np.tile(start, (6, 1)), goals, np.full(6, np.inf))
        back = ways.distance(goals, np.tile(start, (6, 1)), np.full(6, np.inf))
        if not clearance:
            np.testing.assert_allclose(found, back, atol=0.002)  # corners stand 1 or 2 mm off
        # Straight in plan is not quite the shortest over a floor that slopes.
        for each, least in ((found, brute[n]), (back, back_brute[n])):
            assert (each <= least * 1.01 + 1e-3).all()
            assert (least <= each * 1.01 + 0.03).all()
    assert np.isfinite(brute).all()


def hill() -> list[dict[str, Any]]:
    """A hill with a door to each side of its ridge, and one in front of the step at its foot."""
    slopes = ((0.0, 2.0), (2.0, 0.0), (-0.3, -0.3))
    doors = ((3.9, 1, 5, 5.0), (4.05, 2, 6, 5.0), (8.0, 0, 6, -0.1))
    features = []
    for n in (2, 0, 1):
        (low, high), (x, y, end, top) = slopes[n], doors[n]
        corners = [[4 * n, 0, low], [4 * n + 4, 0, high], [4 * n + 4, 6, high], [4 * n, 6, low]]
        corners.append([4 * n, 3, low])  # so that there are two seams from floor to floor
        door = feature("wall", f"door {n}", square(0, 0, 1), door=True, base=-1.0, top=top)
        door["geometry"] = {"type": "LineString", "coordinates": [[x, y], [x, end]]}
        features += [feature("floor", f"side {n}", corners), door]
    return [*features, feature("zone", "west", [[0, 1], [4.5, 1], [4.5, 4], [0, 4]])]


def test_ways_are_the_same_whatever_was_laid_out_before() -> None:
    shared, seen, parts = level_of(*hill()), set(), set()
    for within, clearance, count in itertools.product((None, "west"), (0.3, 0.1), range(4)):
        for opened in map(frozenset, itertools.combinations(range(3), count)):
            how: dict[str, Any] = {"clearance": clearance, "within": within, "opened": opened}
            ways, alone = shared.ways(**how), level_of(*hill()).ways(**how)
            told = []
            for each in (ways, alone):
                arrays = (each.corners, each.sheets, each.area_sheets, each.whole_ground.lengths)
                shapes = [shapely.to_wkt(area, rounding_precision=9) for area in each.areas]
                told.append(
                    (shapes, each.count_parts, [np.array(array).tolist() for array in arrays])
                )
            assert told[0] == told[1], how
            seen.add(str(told[0]))
            parts.add((clearance, within, opened == {0, 1, 2}, ways.count_parts))
    assert len(seen) >= 20
    assert {each[-1] for each in parts if each[2]} == {1}


def test_of_very_uneven_ground_only_the_sharpest_seams_have_bends(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    opened = frozenset(range(3))
    for most, expected in ((1000, {4, 8}), (5, {4})):
        monkeypatch.setattr("snelk.level.sheets.MOST_BENDS", most)
        corners = level_of(*hill()).ways(clearance=0.1, opened=opened).corners
        inside = (corners[:, 1] > 0.2) & (corners[:, 1] < 5.8)
        found = corners[inside]
        assert set(found[:, 0].round().tolist()) == expected
        assert np.ptp(found[:, 1]) > (4.9 if most > 5 else 2.0)


def test_a_noise_comes_by_the_stairs_and_over_no_ledge(tmp_path: Path) -> None:
    run = house_run(tmp_path, 0.0, 2.8, ATTIC)
    heard = run.hearing.iloc[0]
    # 1 m of air in plan, but a floor between them: down the stair it is farther than it carries.
    assert (heard.through, heard.wall, heard.around) == (
        0.25,
        "gallery",
        pytest.approx(np.nan, nan_ok=True),
    )
    level = run.level
    away = level.sound_ways.distance(
        np.array([[1.0, 3.0, 2.8]]), np.array([[0.0, 3.0, 0.0]]), np.array([np.inf])
    )
    assert 13.0 < away[0] < 15.0
    nowhere = level.sound_ways.distance(
        np.array([[20.0, 3.0, 2.8]]), np.array([[0.0, 3.0, 0.0]]), np.array([np.inf])
    )
    assert np.isinf(nowhere[0])


@given(st.integers(0, 10_000))
@settings(max_examples=25, deadline=None)
def test_what_a_cut_shows_is_what_stops_rays(seed: int) -> None:
    rng = np.random.default_rng(seed)
    features = [*HOUSE]
    for n in range(5):
        low, corners = float(rng.uniform(0, 2)), rng.uniform(-5, 5, (3, 2)).tolist()
        kinds = [feature("wall", f"w{n}", corners, base=low, top=low + 1.0)]
        kinds += [{**kinds[0], "geometry": {"type": "LineString", "coordinates": corners}}]
        features.append(kinds[n % 2])
    level = level_of(*features)
    for (*a, eye), (*b, high) in rng.uniform((-5, -5, 0), (5, 5, 4), (15, 2, 3)):
        length = float(np.hypot(*np.subtract(b, a)))
        ray = shapely.LineString([(0.0, eye), (length, high)])
        met = []
        for each in section_of(level, (a[0], a[1]), (b[0], b[1])):  # no farther than asked
            assert -1e-9 <= each.outline[:, 0].min() <= each.outline[:, 0].max() <= length + 1e-9
        for each in section_of(level, (a[0], a[1]), (b[0], b[1]), beyond=0.5):
            assert each.outline[:, 0].min() >= -0.5 - 1e-9
            assert each.outline[:, 0].max() <= length + 0.5 + 1e-9
            solid = len(each.outline) > 2
            drawn = shapely.LinearRing(each.outline) if solid else shapely.LineString(each.outline)
            cut = shapely.intersection(ray, drawn)
            if not cut.is_empty:
                met.append((float(shapely.get_coordinates(cut)[:, 0].min()), each.name))
        found = level.sightline((*a, eye), (*b, high))
        assert (found.share == 0.0) == bool(met)
        if met:
            assert found.wall == min(met)[1]


def test_a_ray_is_drawn_as_far_as_it_comes(tmp_path: Path) -> None:
    run = house_run(tmp_path, 2.8, 0.0, ATTIC)
    drawn = snelk.plot_ray(run, "guard", "guest", at=0.0)
    assert drawn.save(tmp_path / "ray.png").stat().st_size > 10_000
    # From the eye 1 m above the gallery to the points of a body of 2 m that stands 1 m away below.
    for ray, point in zip(drawn.rays, (0.1, 1.0, 1.9), strict=True):
        assert ray.get_ydata()[-1] == pytest.approx(2.8)
        assert ray.get_xdata()[-1] == pytest.approx(1.0 / (3.8 - point))
    assert {slice.name for slice, _ in drawn.slices} == {"taproom", "gallery"}
    words = [text.get_text() for text in drawn.axes.texts]
    assert {"guard", "guest", "gallery", "25%", "50%"} <= {*words}
    assert drawn.stretched == pytest.approx(1.0)
    together = house_run(tmp_path, 0.0, 0.0, ATTIC)
    assert all(
        ray.get_xdata()[-1] == 1.0
        for ray in snelk.plot_ray(together, "guard", "guest", at=0.0).rays
    )


def test_a_map_of_one_floor_shows_the_others_faint(tmp_path: Path) -> None:
    low = feature("wall", "counter", square(-2, -2, 1), top=1.0)
    rail = feature("wall", "rail", square(-4, 1.9, 0.1), base=2.8, top=3.7)
    run = house_run(tmp_path, 2.8, 0.0, ATTIC, low, rail)
    drawn = snelk.plot_map(run, at=0.0, floor="gallery")
    assert drawn.bodies["guard"].get_alpha() is None
    assert (drawn.bodies["guest"].get_alpha() or 1.0) < 0.3
    assert drawn.rays["guard", "guest"][1].get_alpha() != drawn.bodies["guest"].get_alpha()
    level = run.level
    assert [level.wall_names[n] for n in level.standing_on("gallery")] == ["rail"]
    assert [level.wall_names[n] for n in level.standing_on("taproom")] == ["counter"]
    assert level.floor_at(6, 1, 1.4) == "stair"
    assert level.floor_at(20, 1, 1.4) is None
    faint = [
        sum((patch.get_alpha() or 1.0) < 0.2 for patch in figure.axes.patches)
        for figure in (drawn, snelk.plot_map(run, at=0.0))
    ]
    assert faint[0] - faint[1] >= 3  # two floors and a wall
    with pytest.raises(snelk.InputError, match='did you mean "gallery"'):
        snelk.plot_map(run, at=0.0, floor="galery")


def test_a_noise_beneath_a_ceiling_is_on_the_floor_below(tmp_path: Path) -> None:
    run = house_run(tmp_path, 0.0, 2.5, ATTIC)  # 0.3 m below the gallery, less than a step
    heard = run.hearing.iloc[0]
    # Of the taproom: 1 m in plan, and from 2.5 m up to the ear at 1 m.
    assert (heard.through, heard.around) == (1.0, pytest.approx(np.hypot(1.0, 1.5)))


def test_rays_are_drawn_straight_down_and_up_to_a_body_that_blocks(tmp_path: Path) -> None:
    samples.write_sample(tmp_path)
    shelf = feature("floor", "shelf", square(-9, -9, 30), height=0.0)
    document = {"type": "FeatureCollection", "features": [*HOUSE, shelf]}
    (tmp_path / "level.geojson").write_text(json.dumps(document))
    text = SCENARIO.format(guard=2.8, guest=0.0).replace("at = [1, 3]", "at = [0, 3]", 1)
    (tmp_path / "house.toml").write_text(text)
    above = snelk.plot_ray(snelk.run(tmp_path / "house.toml"), "guard", "guest", at=0.0)
    for ray in above.rays:
        assert ray.get_ydata().tolist() == pytest.approx([3.8, 2.8])
    scene = samples.write_sample(tmp_path / "open", guest="at = [6, 0]")
    more = "\n[bodies.stout]\nstanding = 1.2\ncrouched = 1.0\neyes = 0.5\nradius = 0.5\nblocks = true\n"
    more += '[cast.friend]\nteam = "home"\nbody = "stout"\nat = [3, 0.3]\n'
    scene.write_text(scene.read_text() + more)
    run = snelk.run(scene)
    drawn = snelk.plot_ray(run, "guard", "guest", at=0.0)
    near = 3.0 - np.sqrt(0.5**2 - 0.3**2)
    # The eye is 1 m up; to the head, at 1.9 m, the ray clears a body of 1.2 m where 1 + 0.15 d > 1.2.
    ends = [float(ray.get_xdata()[-1]) for ray in drawn.rays]
    assert ends == pytest.approx([near, near, 6.0])
    assert run.why("guard", "guest", at=0.0).exposure == pytest.approx(0.25)


def test_a_cut_needs_two_places() -> None:
    with pytest.raises(snelk.InputError, match="needs two different positions"):
        section_of(level_of(*HOUSE), (1.0, 1.0), (1.0, 1.0))
