"""Ways on foot: the shortest, held against a visibility graph built by other means."""

from __future__ import annotations

import math

import networkx
import numpy as np
import pytest
import samples
import shapely
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from snelk.config.geojson import LevelData
from snelk.config.models import Wall, Zone
from snelk.level.growing import MITRE, grown, shrunk
from snelk.level.level import Level
from snelk.level.outlines import edges_of, outlines_of, outward_corners

INF = np.array([np.inf])


def random_walls(rng: np.random.Generator, lines: int, boxes: int) -> list[shapely.Geometry]:
    walls: list[shapely.Geometry] = [
        shapely.LineString([start, start + rng.uniform(-5, 5, 2)])
        for start in rng.uniform(0, 12, (lines, 2))
    ]
    for _ in range(boxes):
        x, y = rng.uniform(1, 11, 2)
        box = shapely.box(x, y, x + rng.uniform(0.5, 3), y + rng.uniform(0.5, 3))
        walls.append(shapely.affinity.rotate(box, float(rng.uniform(0, 90))))
    return walls


def level_with(walls: list[shapely.Geometry], *zones: tuple[str, shapely.Geometry]) -> Level:
    features = tuple((Wall(kind="wall", name=f"w{n}", top=2.0), w) for n, w in enumerate(walls))
    areas = tuple((Zone(kind="zone", name=name), area) for name, area in zones)
    return Level(LevelData("sample", walls=features, zones=areas))


def shortest(
    blocked: shapely.Geometry, corners: shapely.Geometry, start: np.ndarray, end: np.ndarray
) -> float:
    """Through the corners of an area a little larger than what blocks, by networkx."""
    shapely.prepare(blocked)
    places = [tuple(start), tuple(end), *map(tuple, shapely.get_coordinates(corners))]
    places = [p for p in places if not shapely.contains_xy(blocked, *p)]
    graph = networkx.Graph()
    graph.add_nodes_from(range(len(places)))
    a, b = np.triu_indices(len(places), 1)
    points = np.array(places)
    lines = shapely.linestrings(np.stack([points[a], points[b]], axis=1))
    free = ~shapely.intersects(blocked, lines)
    for i, j, length in zip(a[free], b[free], shapely.length(lines)[free], strict=True):
        graph.add_edge(int(i), int(j), weight=float(length))
    try:
        return float(networkx.dijkstra_path_length(graph, 0, 1))
    except networkx.NetworkXNoPath:
        return math.inf


@given(seed=st.integers(0, 10_000), clearance=st.sampled_from([0.0, 0.2, 0.45]))
@settings(max_examples=3, deadline=None, phases=[Phase.generate])
def test_ways_are_the_shortest_there_are(seed: int, clearance: float) -> None:
    rng = np.random.default_rng(seed)
    walls = random_walls(rng, 4, 2)
    level = level_with(walls)
    ways = level.ways(clearance=clearance)
    # The true clearance is round at corners; ours is sharp, so that ways are a little longer.
    round_off = shapely.union_all(walls)  # which a buffer of 0 would rob of its lines
    if clearance > 0.0:
        round_off = round_off.buffer(clearance - 0.002, quad_segs=12)
    outer = shapely.union_all(walls).buffer(clearance + 0.004, quad_segs=12)
    free = [
        p
        for p in rng.uniform(-1, 13, (8, 2))
        if shapely.distance(shapely.union_all(walls), shapely.Point(p)) > 1.5 * clearance + 0.01
    ]
    for start, end in zip(free[::2], free[1::2], strict=False):
        expected = shortest(round_off, outer, start, end)
        found = float(ways.distance(start[None], end[None], INF)[0])
        if math.isinf(expected):
            assert math.isinf(found)
            continue
        # A gap may be just wide enough for a round body, and not for a square one.
        assert found >= expected * (1 - 1e-6) - 0.01
        if math.isfinite(found) and clearance == 0.0:
            assert found <= expected + 0.05
        elif math.isfinite(found) and found > 1.08 * expected:
            wider = shapely.union_all(walls).buffer(1.45 * clearance, quad_segs=12)
            more = shapely.union_all(walls).buffer(1.45 * clearance + 0.004, quad_segs=12)
            assert found <= 1.08 * shortest(wider, more, start, end) + 0.05
        path = ways.path(start, end)
        assert (path is None) == math.isinf(found)
        if path is not None:
            line = shapely.LineString([start, *path])
            assert line.length == pytest.approx(found)
            assert shapely.distance(line, shapely.union_all(walls)) >= clearance - 0.0015
        near = float(ways.distance(start[None], end[None], np.array([found * 0.99]))[0])
        assert math.isinf(near)  # what is beyond the limit is not told


@pytest.mark.parametrize("seed", range(6))
def test_of_a_large_level_ways_are_the_same(seed: int) -> None:
    rng = np.random.default_rng(seed)
    walls = random_walls(rng, 8, 4)
    small, large = (level_with(walls).ways(clearance=0.2) for _ in range(2))
    large.is_small = False
    places = rng.uniform(-1, 13, (20, 2))
    for start, end in zip(places[::2], places[1::2], strict=True):
        paths = [ways.path(start, end) for ways in (small, large)]
        assert (paths[0] is None) == (paths[1] is None)
        if paths[0] is not None:
            np.testing.assert_allclose(paths[1], paths[0])
        for limit in (np.inf, 8.5, 9.0, 15.0):  # what was found within 8.5 m is not taken for 15
            lengths = [
                ways.distance(start[None], end[None], np.array([limit])) for ways in (small, large)
            ]
            np.testing.assert_allclose(lengths[1], lengths[0])
            near = small.field(start) <= limit
            np.testing.assert_allclose(large.field(start, limit)[near], small.field(start)[near])


@pytest.mark.parametrize("degrees", [0.0, 20.0, 60.0, 75.0, 120.0])
def test_around_a_corner_a_path_is_longer_than_a_round_body_needs_by(degrees: float) -> None:
    radius, half = 0.3, math.radians(degrees) / 2
    cos, sin = math.cos(half), math.sin(half)
    corner = [(-9 * cos, 9 * sin), (0, 0), (-9 * cos, -9 * sin)]
    wall = shapely.Polygon(corner) if degrees else shapely.LineString(corner[:2])
    start = 3 * np.array([-cos, sin]) + (radius + 0.002) * np.array([sin, cos])
    ways = level_with([wall]).ways(clearance=radius)
    found = float(ways.distance(start[None], (start * [1, -1])[None], INF)[0])
    # In radii: from where sides are left to the end of the corner, and half across it.
    out = 2.0 if degrees else 1.0  # a line ends as broad as it is grown
    across = max((1.0 - out * sin) / cos, 0.0)
    beyond = out * cos - across * sin if across else cos / sin
    longer = 2 * (beyond + across) - (math.pi - 2 * half)
    assert (found - 6.0) / radius - (math.pi - 2 * half) == pytest.approx(longer, abs=0.02)
    told = {0.0: 0.86, 60.0: 1.4}  # in docs/calculations.md
    assert longer == pytest.approx(told.get(degrees, longer), abs=0.05)


def test_within_eight_percent_of_the_known_shortest_way() -> None:
    # Around a long wall, through a door, and in and out of a yard, with a body 0.3 m to a side.
    wall = shapely.LineString([(0, -5), (0, 5)])
    door = shapely.LineString([(10, -20), (10, -1)]), shapely.LineString([(10, 1), (10, 20)])
    ways = level_with([wall, *door]).ways(clearance=0.3)
    for start, end, bends in (
        ((-4, 0), (4, 0), [(0, 5)]),
        ((-4, 4), (14, 4), [(0, 5), (10, 1)]),
        ((2, -6), (18, -6), [(10, -1)]),
    ):
        true = shapely.LineString([start, *bends, end]).length  # of a body without width
        found = float(ways.distance(np.array([start], float), np.array([end], float), INF)[0])
        assert true <= found <= 1.08 * true


def test_courtyards_are_parts_of_their_own_and_goals_move_onto_the_ground() -> None:
    yard = shapely.box(0, 0, 10, 10).difference(shapely.box(2, 2, 8, 8))
    ways = level_with([yard]).ways(clearance=0.25)
    inside, outside = ways.part_at(np.array([5.0, 5.0])), ways.part_at(np.array([-1.0, 5.0]))
    assert inside != outside
    assert ways.path(np.array([5.0, 5.0]), np.array([-1.0, 5.0])) is None
    goal = ways.nearest(np.array([20.0, 5.0]), inside)
    np.testing.assert_allclose(goal, [7.75, 5.0], atol=0.005)
    here = np.array([5.0, 5.0])
    assert ways.nearest(here, inside) is here


def test_a_territory_is_not_left() -> None:
    zone = shapely.Polygon([(0, 0), (10, 0), (10, 10), (6, 10), (6, 4), (4, 4), (4, 10), (0, 10)])
    level = level_with([shapely.box(1, 1, 2, 2)], ("horseshoe", zone))
    ways = level.ways(clearance=0.2, within="horseshoe")
    path = ways.path(np.array([2.0, 9.0]), np.array([8.0, 9.0]))
    assert path is not None
    assert shapely.covers(zone, shapely.LineString([(2, 9), *path]))
    assert shapely.LineString([(2, 9), *path]).length == pytest.approx(
        2 * math.hypot(2, 5) + 2, abs=0.02
    )
    np.testing.assert_allclose(ways.nearest(np.array([5.0, 9.0]), 0)[1], 9.0, atol=0.01)


def test_sounds_go_around_walls_exactly() -> None:
    level = level_with([shapely.LineString([(0, -3), (0, 4)])])
    found = level.ways().distance(np.array([[-3.0, 0.0]]), np.array([[3.0, 0.0]]), INF)
    assert found[0] == pytest.approx(2 * math.hypot(3, 3), abs=0.01)
    narrow = level_with(
        [shapely.LineString([(0, -9), (0, -0.05)]), shapely.LineString([(0, 0.05), (0, 9)])]
    )
    found = narrow.ways().distance(np.array([[-3.0, 2.0]]), np.array([[3.0, -2.0]]), INF)
    assert found[0] == pytest.approx(math.hypot(6, 4), abs=0.02)  # through a gap of 10 cm


def test_large_levels_link_near_corners_only(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = np.random.default_rng(4)
    walls = random_walls(rng, 14, 4)
    start, end = np.array([[-1.0, -1.0]]), np.array([[13.0, 13.0]])
    whole = level_with(walls).ways()
    exact = float(whole.distance(start, end, INF)[0])
    monkeypatch.setattr("snelk.level.ways.MOST_PAIRS", 900)
    fewer = level_with(walls).ways()
    assert len(fewer._sights[1]) < len(whole._sights[1])
    found = float(fewer.distance(start, end, INF)[0])
    assert exact - 1e-9 <= found <= 1.15 * exact
    path = fewer.path(start[0], end[0])
    assert path is not None
    assert not shapely.intersects(shapely.LineString([start[0], *path]), shapely.union_all(walls))


def test_crowded_levels_are_searched_too() -> None:
    rng = np.random.default_rng(3)
    pieces = samples.scattered_pieces(rng, 400, 60.0)
    walls = [shapely.LineString([p[:2], p[2:4]]) for p in pieces]
    ways = level_with(walls).ways(clearance=0.2)
    start, end = np.array([-1.0, 30.0]), np.array([61.0, 31.0])
    path = ways.path(start, end)
    assert path is not None
    line = shapely.LineString([start, *path])
    assert line.length >= np.hypot(*(end - start))
    assert shapely.distance(line, shapely.union_all(walls)) >= 0.1985


@pytest.mark.parametrize("by", [0.05, -0.05])
def test_the_rim_of_ground_with_many_holes_is_that_of_one_go(
    by: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    walls = shapely.union_all(random_walls(np.random.default_rng(8), 0, 6))
    ground = shapely.MultiPolygon([shapely.box(-2, -2, 7, 15), shapely.box(7.2, -2, 15, 15)])
    ground = ground.difference(walls)
    assert ground.geom_type == "MultiPolygon"
    assert sum(len(part.interiors) for part in ground.geoms) > 3
    monkeypatch.setattr("snelk.level.growing.MANY", 0)
    for area in (ground, *shapely.get_parts(ground)):
        found, wanted = shrunk(area, by), area.buffer(-by)
        apart = shapely.hausdorff_distance(found.boundary, wanted.boundary)
        assert apart <= 0.01 * abs(by)  # arcs begin elsewhere
        assert len(shapely.get_parts(found)) == len(shapely.get_parts(wanted))


@pytest.mark.parametrize("corners", [*range(257, 263), 300])
def test_a_long_wall_is_grown_as_in_one_go(corners: int) -> None:
    points = np.column_stack([np.arange(corners) * 0.8, np.arange(corners) % 2])
    back = np.column_stack([points[::-1, 0], points[::-1, 1] + 3.0])
    wall = shapely.Polygon(np.concatenate([points, back, [[-1.0, 2.0]]]))
    for shape in (shapely.LineString(points), wall):
        found, wanted = grown([shape], 0.3)[0], shape.buffer(0.3, cap_style="square", join_style="mitre",
                                                             mitre_limit=MITRE)  # fmt: skip
        assert shapely.symmetric_difference(found, wanted).area < 0.05  # in one go it is simplified


@pytest.mark.parametrize("seed", [0, 1, 3])
def test_outlines_are_those_of_every_ring_and_corners_those_that_stand_out(seed: int) -> None:
    chance = np.random.default_rng(seed)
    circles = [shapely.Point(p).buffer(0.7, quad_segs=3) for p in chance.uniform(0, 9, (60, 2))]
    whole = shapely.union_all(circles)
    line = shapely.LineString([(20, 0), (21, 0), (21, 3)])
    parts = [*shapely.get_parts(whole)]
    assert any(len(part.interiors) for part in parts)
    rings = [ring for part in parts for ring in (part.exterior, *part.interiors)]
    pieces = outlines_of([parts[0], line, *parts[1:]])
    assert len(pieces) == sum(len(ring.coords) - 1 for ring in rings) + 2
    lines = shapely.linestrings(pieces.reshape(-1, 2, 2))
    assert shapely.equals(shapely.union_all([whole.boundary, line]), shapely.union_all(lines))
    first = len(parts[0].exterior.coords) - 1 + sum(len(r.coords) - 1 for r in parts[0].interiors)
    assert pieces[first : first + 2].tolist() == [[20, 0, 21, 0], [21, 0, 21, 3]]
    for ax, ay, bx, by in np.delete(pieces, [first, first + 1], axis=0):  # what blocks to the left
        beside = 1e-4 * np.array([ay - by, bx - ax]) / np.hypot(bx - ax, by - ay)
        assert whole.contains(shapely.Point(np.add([ax + bx, ay + by], 2 * beside) / 2))
    corners, sides = outward_corners(whole)
    places = {tuple(place) for ring in rings for place in ring.coords}
    near = {place: shapely.Point(place).buffer(1e-4, quad_segs=16) for place in places}
    out = {p for p, disc in near.items() if whole.intersection(disc).area < 0.499 * disc.area}
    assert set(map(tuple, corners)) == out
    ends = shapely.linestrings(np.stack([np.repeat(corners, 2, axis=0),
                                         (corners[:, None] + sides).reshape(-1, 2)], axis=1))  # fmt: skip
    assert shapely.distance(shapely.centroid(ends), whole.boundary).max() < 1e-9
    edges, starts = edges_of([whole, parts[-1]])
    own = [len(edges) - starts[1], starts[1]]
    assert own == [
        sum(len(r.coords) - 1 for r in of)
        for of in ((parts[-1].exterior, *parts[-1].interiors), rings)
    ]
