"""Line of sight against GEOS and against a plain reference, and at the edges of its rules."""

from __future__ import annotations

import numpy as np
import pytest
import samples
import shapely
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from snelk.config.geojson import LevelData
from snelk.config.models import Wall
from snelk.level.grid import NO_WALL, build_grid
from snelk.level.level import Level
from snelk.level.rays import cast_rays, shares_past
from snelk.level.tree import INNER, PARTS, ROOM, WIDE

SIZE = 60.0
RAYS = 12_000


def made_levels() -> dict[str, samples.Array]:
    rng = np.random.default_rng(3)
    return {
        "scattered": samples.scattered_pieces(rng, 900, SIZE),
        "sparse": samples.scattered_pieces(rng, 40, SIZE),
        "streets": samples.street_pieces(SIZE),
        "ring": samples.ring_pieces(SIZE),
    }


def touching(pieces: samples.Array, start: samples.Array, end: samples.Array) -> np.ndarray:
    """Rays whose end lies on a wall, or that pass the end of a wall, within 1e-9 m."""
    walls = shapely.linestrings(pieces[:, :4].reshape(-1, 2, 2))
    ends = shapely.points(pieces[:, :4].reshape(-1, 2))
    rays = shapely.linestrings(np.stack([start[:, :2], end[:, :2]], axis=1))
    tree, corners = shapely.STRtree(walls), shapely.STRtree(ends)
    near = np.zeros(len(rays), dtype=bool)
    for points in (start, end):
        near[tree.query(shapely.points(points[:, :2]), "dwithin", distance=1e-9)[0]] = True
    near[corners.query(rays, "dwithin", distance=1e-9)[0]] = True
    return near


@pytest.mark.parametrize("name", list(made_levels()))
def test_agrees_with_geos_in_plan(name: str) -> None:
    pieces = made_levels()[name]
    pieces[:, 4:] = -10.0, 10.0  # walls higher than any ray
    start, end = samples.random_rays(np.random.default_rng(11), RAYS, SIZE)
    share, _, _ = cast_rays(samples.grid_of(pieces), start, end)
    tree = shapely.STRtree(shapely.linestrings(pieces[:, :4].reshape(-1, 2, 2)))
    rays = shapely.linestrings(np.stack([start[:, :2], end[:, :2]], axis=1))
    blocked = np.zeros(RAYS, dtype=bool)
    blocked[tree.query(rays, "intersects")[0]] = True
    sure = ~touching(pieces, start, end)
    assert sure.mean() > 0.999
    assert 0.1 < blocked.mean() < 0.99
    np.testing.assert_array_equal((share == 0.0)[sure], blocked[sure])


def occluded(triangles: samples.Array, start: samples.Array, end: samples.Array) -> np.ndarray:
    """What Embree says, which reckons in single precision."""
    scene = rtcore_scene.EmbreeScene()
    mesh = TriangleMesh(scene, triangles.astype(np.float32))
    origin, toward = start.astype(np.float32), (end - start).astype(np.float32)
    far = np.ones(len(start), dtype=np.float32)
    found = np.asarray(scene.run(origin, toward, far, query="OCCLUDED")) != -1
    del mesh
    return found


def edge_distance(triangles: samples.Array, start: np.ndarray, end: np.ndarray) -> float:
    """How near a ray comes to the edge of a triangle, or one of its ends to its plane, m."""
    a, b = triangles.reshape(-1, 3), triangles[:, [1, 2, 0]].reshape(-1, 3)
    along, edge, between = end - start, b - a, start - a
    normal = np.cross(along, edge)
    length = np.maximum(np.linalg.norm(normal, axis=1), 1e-12)
    near = np.abs((between * normal).sum(axis=1)) / length
    planes = np.cross(edge[::1], np.roll(edge, -1, axis=0))[::3]
    planes /= np.maximum(np.linalg.norm(planes, axis=1), 1e-12)[:, None]
    ends = [
        np.abs(((place - triangles[:, 0]) * planes).sum(axis=1)).min() for place in (start, end)
    ]
    return float(min(near.min(), *ends))


@pytest.mark.parametrize("name", ["hills", "loose", "large", "mixed"])
def test_agrees_with_embree_on_triangles(name: str) -> None:
    rng, size = np.random.default_rng(2), 40.0
    pieces = np.zeros((0, 6))
    if name == "hills":
        triangles = samples.hill_triangles(size, 60)
    elif name == "large":
        size, triangles = 120.0, samples.hill_triangles(120.0, 300)
    else:
        triangles = samples.loose_triangles(rng, 1000, size)
    if name == "mixed":
        pieces = samples.scattered_pieces(rng, 400, size)
        houses = [shapely.box(x, y, x + 5, y + 4) for x in range(2, 36, 9) for y in range(2, 36, 9)]
        level = samples.level_of(*((f"house-{n}", area, 3.0) for n, area in enumerate(houses)))
        pieces = np.concatenate([pieces, level.pieces])
        triangles = np.concatenate([triangles[:300], level.triangles])
    grid = build_grid(
        pieces, np.zeros(len(pieces), np.int32), np.zeros(1),
        triangles, np.zeros(len(triangles), np.int32),
    )  # fmt: skip
    start = rng.uniform((0, 0, -2), (size, size, 6), (100_000, 3))
    end = start + rng.normal(0, (9, 9, 2), start.shape)
    share, _, _ = cast_rays(grid, start, end)
    np.testing.assert_array_equal(shares_past(grid, start, end), share)
    every = np.concatenate([triangles, samples.upright_triangles(pieces)])
    blocked = occluded(every, start, end)
    assert 0.1 < blocked.mean() < 0.95
    unlike = np.flatnonzero((share == 0.0) != blocked)
    assert len(unlike) <= 1e-5 * len(start)
    assert all(edge_distance(every, start[n], end[n]) < 1e-4 for n in unlike)


def test_no_ray_slips_between_triangles_or_a_triangle_and_a_wall() -> None:
    rng = np.random.default_rng(9)
    hills = samples.hill_triangles(30.0, 25)
    grid = build_grid(
        np.zeros((0, 6)), np.zeros(0, np.int32), np.zeros(1), hills, np.zeros(len(hills), np.int32)
    )
    inner = ((hills[:, :, :2] > 0.1) & (hills[:, :, :2] < 29.9)).all(axis=(1, 2))
    a, b = hills[inner, 0], hills[inner, 1]
    on_edge = a + rng.choice([0.0, 0.5, 1.0, 0.123], (len(a), 1)) * (b - a)
    away = rng.normal(0, 3, a.shape)
    away[:, 2] = 9.0
    away[::3, :2] = 0.0  # straight down
    share, _, _ = cast_rays(grid, on_edge + away, on_edge - away)
    assert not share.any()
    tower = samples.level_of(("tower", shapely.box(0, 0, 3, 2), 4.0))
    rim = np.array([3.0, 1.0, 4.0])
    for out in rng.normal(0, 1, (500, 3)):
        out[0], out[2] = abs(out[0]), abs(out[2])
        assert tower.sightline(tuple(rim + out), tuple(rim - 0.1 * out)).share == 0.0


def plain_answer(
    pieces: samples.Array,
    triangles: samples.Array,
    through: samples.Array,
    start: samples.Array,
    end: samples.Array,
) -> tuple[float, int, float]:
    """Brute force over everything with linear algebra; each piece is a wall of its own."""
    met = [plain_face(piece, start, end) for piece in pieces]
    met += [plain_triangle(triangle, start, end) for triangle in triangles]
    share, stopped, dimmed = 1.0, (np.inf, NO_WALL), (np.inf, NO_WALL)
    for wall, at in enumerate(met):
        if at is None:
            continue
        if through[wall] == 0.0:
            stopped = min(stopped, (at, wall))
        else:
            share *= through[wall]
            dimmed = min(dimmed, (at, wall))
    at, wall = stopped if stopped[1] != NO_WALL else dimmed
    return (0.0 if stopped[1] != NO_WALL else share), wall, at


def plain_face(piece: np.ndarray, start: samples.Array, end: samples.Array) -> float | None:
    ax, ay, bx, by, base, top = piece
    matrix = np.array([[end[0] - start[0], ax - bx], [end[1] - start[1], ay - by]])
    if abs(np.linalg.det(matrix)) < 1e-12:
        return None
    at, along = np.linalg.solve(matrix, [ax - start[0], ay - start[1]])
    height = start[2] + at * (end[2] - start[2])
    return float(at) if 0 < at < 1 and 0 <= along <= 1 and base <= height <= top else None


def plain_triangle(corners: np.ndarray, start: samples.Array, end: samples.Array) -> float | None:
    a, b, c = corners
    at, u, v = np.linalg.solve(np.column_stack([start - end, b - a, c - a]), start - a)
    return float(at) if 0 < at < 1 and u >= 0 and v >= 0 and u + v <= 1 else None


@pytest.mark.parametrize("name", ["scattered", "streets", "ring"])
def test_share_wall_and_place_agree_with_brute_force(name: str) -> None:
    pieces = made_levels()[name]
    rng = np.random.default_rng(5)
    triangles = rng.uniform((0, 0, 0), (SIZE, SIZE, 2), (80, 1, 3)) + rng.normal(0, 3, (80, 3, 3))
    walls = np.arange(len(pieces) + len(triangles), dtype=np.int32)
    through = np.where(rng.random(len(walls)) < 0.7, rng.uniform(0.1, 0.9, len(walls)), 0.0)
    start, end = samples.random_rays(rng, 60, SIZE)
    own, others = np.split(walls, [len(pieces)])
    share, wall, at = cast_rays(build_grid(pieces, own, through, triangles, others), start, end)
    unsure = touching(pieces, start, end)
    dimmed = 0
    for n in np.flatnonzero(~unsure):
        expected = plain_answer(pieces, triangles, through, start[n], end[n])
        assert share[n] == pytest.approx(expected[0], rel=1e-12)
        assert wall[n] == expected[1]
        dimmed += 0.0 < share[n] < 1.0
        if wall[n] != NO_WALL:
            assert at[n] == pytest.approx(expected[2], abs=1e-12)
    assert dimmed > 10
    # Who asks for the share alone gets the same, to the last digit, also where doors stand open.
    doors = rng.random(len(walls)) < 0.3
    grid = build_grid(pieces, own, through * ~doors, triangles, others, doors=doors)
    start, end = samples.random_rays(rng, 5000, SIZE)
    shares = [cast_rays(grid, start, end, opened)[0] for opened in (None, doors[None])]
    np.testing.assert_array_equal(shares_past(grid, start, end), shares[0])
    np.testing.assert_array_equal(shares_past(grid, start, end, doors[None]), shares[1])
    assert (shares[0] < shares[1]).sum() > 100


@pytest.mark.parametrize("dimmed", [0.0, 0.3])
def test_rays_that_are_followed_at_once_end_as_each_does_alone(dimmed: float) -> None:
    rng = np.random.default_rng(8)
    pieces = made_levels()["scattered"]
    triangles = np.concatenate([
        samples.hill_triangles(SIZE, 12),
        rng.uniform((0, 0, 0), (SIZE, SIZE, 3), (300, 1, 3)) + rng.normal(0, 1, (300, 3, 3)),
    ])  # fmt: skip
    walls = np.arange(len(pieces) + len(triangles), dtype=np.int32)
    through = np.where(rng.random(len(walls)) < dimmed, 0.5, 0.0)
    own, others = np.split(walls, [len(pieces)])
    start, end = samples.random_rays(rng, 400, SIZE)
    end[::9] = start[::9] + 1e-10  # no ray at all
    for faces in (pieces, pieces[:0]):
        grid = build_grid(faces, own[: len(faces)], through, triangles, others)
        alone = [cast_rays(grid, start[[n]], end[[n]]) for n in range(len(start))]
        share, wall, at = (np.concatenate(each) for each in zip(*alone, strict=True))
        assert len(np.unique(wall)) > 100
        assert (share > 0.0).sum() > 50
        for count in (*range(20), 400):
            found = cast_rays(grid, start[:count], end[:count])
            for column, known in zip(found, (share, wall, at), strict=True):
                np.testing.assert_array_equal(column, known[:count])
            np.testing.assert_array_equal(found[0], shares_past(grid, start[:count], end[:count]))
            singly = [shares_past(grid, start[[n]], end[[n]])[0] for n in range(count)]
            np.testing.assert_array_equal(found[0], singly)


coordinate = st.floats(-20, 20).map(lambda value: round(value, 3))
height = st.floats(0, 3).map(lambda value: round(value, 3))
point = st.tuples(coordinate, coordinate, height)
piece = st.tuples(coordinate, coordinate, coordinate, coordinate)
walls = st.lists(piece, min_size=1, max_size=12)


def world(plan: list[tuple[float, ...]]) -> samples.Array:
    return np.array([(*wall, 0.5, 2.0) for wall in plan])


def one_share(pieces: samples.Array, start: np.ndarray, end: np.ndarray) -> float:
    return float(cast_rays(samples.grid_of(pieces), start[None], end[None])[0][0])


@given(walls, point, point)
@settings(max_examples=60, deadline=None)
def test_is_symmetric(
    plan: list[tuple[float, ...]], a: tuple[float, ...], b: tuple[float, ...]
) -> None:
    pieces, start, end = world(plan), np.array(a), np.array(b)
    end[2] = start[2]
    assume(not touching(pieces, start[None], end[None])[0])
    assert one_share(pieces, start, end) == one_share(pieces, end, start)


@given(walls, piece, point, point)
@settings(max_examples=60, deadline=None)
def test_another_wall_never_opens_a_view(
    plan: list[tuple[float, ...]],
    extra: tuple[float, ...],
    a: tuple[float, ...],
    b: tuple[float, ...],
) -> None:
    start, end = np.array(a), np.array(b)
    before = one_share(world(plan), start, end)
    assert one_share(world([*plan, extra]), start, end) <= before


@given(walls, point, point, st.floats(0, 6.28), coordinate, coordinate)
@settings(max_examples=60, deadline=None)
def test_turning_and_shifting_the_world_changes_nothing(
    plan: list[tuple[float, ...]],
    a: tuple[float, ...],
    b: tuple[float, ...],
    turn: float,
    dx: float,
    dy: float,
) -> None:
    pieces, start, end = world(plan), np.array(a), np.array(b)
    assume(not touching(pieces, start[None], end[None])[0])
    # Nor may a rounding decide whether a ray grazes an edge of a face.
    flat = np.linalg.norm(end[:2] - start[:2])
    assume(flat > 1e-6)
    close = shapely.STRtree(shapely.points(pieces[:, :4].reshape(-1, 2)))
    ray = shapely.LineString([start[:2], end[:2]])
    assume(len(close.query(ray, "dwithin", distance=1e-6)) == 0)
    raised = start.copy(), end.copy()
    for body in raised:
        body[2] += 1e-6
    assume(one_share(pieces, start, end) == one_share(pieces, *raised))
    c, s = np.cos(turn), np.sin(turn)
    matrix = np.array([[c, s], [-s, c]])

    def moved(points: np.ndarray) -> np.ndarray:
        return points @ matrix + (dx, dy)

    turned = pieces.copy()
    turned[:, 0:2], turned[:, 2:4] = moved(pieces[:, 0:2]), moved(pieces[:, 2:4])
    start_2, end_2 = np.append(moved(start[:2]), start[2]), np.append(moved(end[:2]), end[2])
    assume(not touching(turned, start_2[None], end_2[None])[0])
    assert one_share(pieces, start, end) == one_share(turned, start_2, end_2)


FENCE = (0.0, -1.0, 0.0, 1.0, 0.0, 2.0)


@pytest.mark.parametrize(
    ("case", "pieces", "start", "end", "expected"),
    [
        ("through the middle", [FENCE], (-1, 0, 1), (1, 0, 1), 0.0),
        ("past it", [FENCE], (-1, 1.5, 1), (1, 1.5, 1), 1.0),
        ("grazes the end of a wall", [FENCE], (-1, 1, 1), (1, 1, 1), 0.0),
        ("grazes the top", [FENCE], (-1, 0, 2), (1, 0, 2), 0.0),
        ("just above the top", [FENCE], (-1, 0, 2.0000001), (1, 0, 2.0000001), 1.0),
        ("eye on the wall", [FENCE], (0, 0, 1), (1, 0, 1), 1.0),
        ("target on the wall", [FENCE], (-1, 0, 1), (0, 0, 1), 1.0),
        ("both on the wall, along it", [FENCE], (0, -0.5, 1), (0, 0.5, 1), 0.0),
        ("along the wall from outside", [FENCE], (0, -3, 1), (0, 3, 1), 0.0),
        ("along its line, short of it", [FENCE], (0, -3, 1), (0, -2, 1), 1.0),
        ("agent and target in one place", [FENCE], (1, 0, 1), (1, 0, 1), 1.0),
        ("straight up beside it", [FENCE], (0.1, 0, 0), (0.1, 0, 3), 1.0),
        ("straight up beside a slanting one", [(-1, -1, 1, 1, 0, 2)], (0.5, -0.5, 0), (0.5, -0.5, 3), 1.0),
        ("straight up within a slanting one", [(-1, -1, 1, 1, 0, 2)], (0.3, 0.3, -1), (0.3, 0.3, 5), 0.0),
        ("straight up above it", [FENCE], (0, 0, 2.5), (0, 0, 9), 1.0),
        ("along its line, down into it", [FENCE], (0, -3, 4), (0, 3, -1), 0.0),
        ("along its line, above it", [FENCE], (0, -3, 4), (0, 3, 2.5), 1.0),
        ("a wall without length", [(0, 0, 0, 0, 0, 2)], (-1, 0, 1), (1, 0, 1), 1.0),
        ("the same wall twice", [FENCE, FENCE], (-1, 0, 1), (1, 0, 1), 0.0),
        ("crossing walls, at the crossing", [FENCE, (-1, -1, 1, 1, 0, 2)], (-1, 0, 1), (1, 0, 1), 0.0),
        ("between two joined pieces", [(0, -1, 0, 0, 0, 2), (0, 0, 0, 1, 0, 2)], (-1, 0, 1), (1, 0, 1), 0.0),
        ("under a raised wall", [(0, -1, 0, 1, 1.0, 2.0)], (-1, 0, 0.5), (1, 0, 0.5), 1.0),
        ("sloping down behind it", [FENCE], (-1, 0, 4), (1, 0, 1), 1.0),
        ("sloping down into it", [FENCE], (-1, 0, 4), (3, 0, 0), 1.0),
        ("sloping down just into it", [FENCE], (-1, 0, 3), (1, 0, 1), 0.0),
        ("no walls", [], (-1, 0, 1), (1, 0, 1), 1.0),
        ("far outside the walls", [FENCE], (50, 50, 1), (60, 60, 1), 1.0),
    ],
)  # fmt: skip
def test_edges_of_the_rules(
    case: str, pieces: list[tuple[float, ...]], start: tuple[float, ...], end: tuple[float, ...], expected: float
) -> None:  # fmt: skip
    array = np.array(pieces, dtype=np.float64).reshape(-1, 6)
    assert one_share(array, np.array(start, float), np.array(end, float)) == expected, case


CRATE = shapely.Polygon([(0, 0), (4, 0), (4, 4), (0, 4)], [[(1, 1), (3, 1), (3, 2), (1, 2)]])


@pytest.mark.parametrize(
    ("case", "start", "end", "expected"),
    [
        ("down through the top", (0.5, 3, 3), (0.5, 3, 1.5), 0.0),
        ("up through the bottom", (0.5, 3, 0), (0.5, 3, 1.5), 0.0),
        ("over it", (0.5, 3, 3), (3, 3, 2.5), 1.0),
        ("down the hole in it", (1.5, 1.5, 3), (1.5, 1.5, 0), 1.0),
        ("from the hole into it", (1.5, 1.5, 1.5), (0.5, 1.5, 1.5), 0.0),
        ("inside it", (0.2, 3, 1.2), (3.8, 3, 1.8), 1.0),
        ("out of it, upward", (0.5, 3, 1.5), (0.6, 3, 4), 0.0),
        ("along its top", (0.5, 3, 2), (3, 3, 2), 0.0),
        ("along its top, from outside", (-1, 3, 2), (5, 3, 2), 0.0),
        ("from on top of it, up", (0.5, 3, 2), (3, 3, 4), 1.0),
        ("from on top of it, down", (0.5, 3, 2), (9, 3, 1), 0.0),
        ("from its rim, away", (0, 3, 2), (-3, 3, 1), 1.0),
        ("just over its top", (0.5, 3, 2.000001), (3, 3, 2.000001), 1.0),
    ],
)  # fmt: skip
def test_edges_of_the_rules_of_solids(
    case: str, start: tuple[float, ...], end: tuple[float, ...], expected: float
) -> None:
    crate = Wall(kind="wall", name="crate", base=1.0, top=2.0)
    level = Level(LevelData("", walls=((crate, CRATE),)))
    assert level.sightline(start, end).share == expected, case
    assert level.sightline(end, start).share == expected, f"{case}, back"


@given(st.integers(0, 10_000))
@settings(max_examples=60, deadline=None)
def test_a_solid_blocks_what_is_partly_inside_it(seed: int) -> None:
    rng = np.random.default_rng(seed)
    area = shapely.Polygon(rng.uniform(-5, 5, (3, 2))).buffer(rng.uniform(0.1, 2), quad_segs=2)
    base = float(rng.uniform(0.1, 1))
    wall = Wall(kind="wall", name="solid", base=base, top=base + 1)
    level = Level(LevelData("", walls=((wall, area),)))
    for start, end in rng.uniform((-6, -6, 0), (6, 6, 3), (20, 2, 3)):
        # In plan the ray is in the area between two of its points, as the area is convex.
        inside = shapely.LineString([start[:2], end[:2]]).intersection(area)
        part = 0.0
        if not inside.is_empty:
            ends = shapely.get_coordinates(inside)[[0, -1]]
            at = np.linalg.norm(ends - start[:2], axis=1) / np.linalg.norm((end - start)[:2])
            heights = sorted((base - start[2], base + 1 - start[2]) / (end[2] - start[2]))
            part = max(min(*[at.max()], heights[1]) - max(at.min(), heights[0]), 0.0)
        if 1e-6 < part < 1 - 1e-6 or part in (0.0, 1.0):
            blocked = 1e-6 < part < 1 - 1e-6
            assert (level.sightline(tuple(start), tuple(end)).share == 0.0) == blocked


def test_walls_between_come_in_order_and_once() -> None:
    box, line = shapely.box, shapely.LineString
    walls = (
        ("shed", box(4, -1, 6, 1), 3.0), ("fence", line([(2, -1), (2, 1)]), 3.0),
        ("slab", box(0, -5, 9, 5), 5.0), ("far", line([(9.5, -1), (9.5, 1)]), 3.0),
    )  # fmt: skip
    level = samples.level_of(*walls)
    assert level.walls_between((1, 0, 1), (7, 0, 1)) == [1, 0]
    assert level.walls_between((7, 0, 1), (1, 0, 1)) == [0, 1]
    assert level.walls_between((1, 0, 7), (1, 0, 1)) == [2]
    assert level.walls_between((1, 0, 7), (1, 0, 6)) == []
    assert samples.level_of().walls_between((0, 0, 0), (1, 1, 1)) == []


def test_a_hedge_dims_once_however_often_its_outline_is_crossed() -> None:
    zigzag = [(0, 0), (4, 0), (4, 3), (3, 3), (3, 1), (2, 1), (2, 3), (1, 3), (1, 1), (0, 1)]
    hedge = samples.level_of(("hedge", shapely.Polygon(zigzag), 2.0), see_through=0.4)
    sightline = hedge.sightline((-1, 2, 1), (5, 2, 1))
    assert (sightline.share, sightline.wall) == (0.4, "hedge")
    assert sightline.place == pytest.approx((1, 2, 1))


def test_the_nearest_solid_wall_is_named_and_of_equal_ones_the_first() -> None:
    lines = [shapely.LineString([(x, -1), (x, 1)]) for x in (3, 2, 2, 4)]
    level = samples.level_of(*((f"wall-{n}", line, 2.0) for n, line in enumerate(lines)))
    assert level.sightline((0, 0, 1), (9, 0, 1)).wall == "wall-1"
    assert level.sightline((9, 0, 1), (0, 0, 1)).wall == "wall-3"
    hedges = samples.level_of(
        *((f"hedge-{n}", line, 2.0) for n, line in enumerate(lines[1:])), see_through=0.5
    )
    assert hedges.sightline((0, 0, 1), (9, 0, 1)).wall == "hedge-0"
    assert hedges.sightline((0, 0, 1), (9, 0, 1)).share == 0.5**3
    lids = samples.level_of(
        *((f"lid-{n}", shapely.box(-1, -1, 1, 1), 2.0) for n in range(2)), see_through=0.5
    )
    assert lids.sightline((0, 0, 3), (0, 0, 1)).wall == "lid-0"


def test_the_size_of_cells_changes_no_answer() -> None:
    pieces, triangles = made_levels()["scattered"], samples.hill_triangles(SIZE, 12)
    walls = np.arange(len(pieces), dtype=np.int32)
    own = walls[: len(triangles)]
    start, end = samples.random_rays(np.random.default_rng(8), 5000, SIZE)
    through = np.where(walls % 3 == 0, 0.5, 0.0)
    first, *others = (
        cast_rays(build_grid(pieces, walls, through, triangles, own, cell=cell), start, end)
        for cell in (None, 0.4, 3.0, 100.0)
    )
    for other in others:
        np.testing.assert_allclose(other[0], first[0], rtol=1e-12)
        np.testing.assert_array_equal(other[1], first[1])
        np.testing.assert_array_equal(other[2], first[2])


@pytest.mark.parametrize(("far", "unit"), [(0.0, 1.0), (30_000.0, 1.0), (0.0, 0.7)])
def test_a_tree_of_many_triangles_answers_as_each_of_them_does(far: float, unit: float) -> None:
    """Also for rays along an axis, in the plane of triangles, and through corners of boxes."""
    rng = np.random.default_rng(9)
    hill = samples.hill_triangles(SIZE, 8)
    cubes = np.round(rng.uniform((0, 0, 0), (SIZE, SIZE, 4), (40, 1, 3))) + rng.integers(
        0, 3, (40, 3, 3)
    )
    across = np.cross(cubes[:, 1] - cubes[:, 0], cubes[:, 2] - cubes[:, 0])
    cubes = cubes[np.linalg.norm(across, axis=1) > 0.5]
    off = np.array([far, far, 0.0])
    flat = rng.uniform((0, 0, 0), (SIZE, SIZE, 4), (60, 1, 3)) + rng.uniform(-2, 2, (60, 3, 3))
    flat[np.arange(60), :, np.arange(60) % 3] = flat[np.arange(60), :1, np.arange(60) % 3]
    triangles = np.concatenate([hill, cubes, flat]) * unit + off
    start, end = samples.random_rays(rng, 3000, SIZE)
    start[:500], end[:500] = np.round(start[:500]), np.round(end[:500])
    axis = rng.integers(0, 3, 250)
    end[:250] = start[:250]
    end[np.arange(250), axis] += rng.choice([-6.0, 6.0], 250)
    start, end = start * unit + off, end * unit + off
    back = 10.0 ** rng.uniform(0, 6, (2000, 1))  # most come from far off
    start[1000:] = end[1000:] + (start[1000:] - end[1000:]) * back
    none, walls = np.zeros((0, 6)), np.arange(len(triangles), dtype=np.int32)
    through = np.where(walls % 4 == 0, 0.5, 0.0)

    def cast(these: np.ndarray) -> list[np.ndarray]:
        grid = build_grid(none, walls[:0], through, triangles[these], walls[these])
        found = list(cast_rays(grid, start, end))
        np.testing.assert_array_equal(shares_past(grid, start, end), found[0])
        return found

    share, wall, at = cast(walls)
    alone = [cast(walls[n : n + 1]) for n in walls]
    ends = np.array([np.where(own[0] == 0.0, own[2], np.inf) for own in alone])
    dims = np.array([np.where(own[0] > 0.0, own[2], np.nan) for own in alone])
    dims = np.where(np.isnan(dims), np.inf, dims)
    stopped = np.isfinite(ends).any(axis=0)
    nearest = np.where(stopped, ends.argmin(axis=0), dims.argmin(axis=0))
    known = stopped | np.isfinite(dims).any(axis=0)
    np.testing.assert_array_equal(wall, np.where(known, nearest, NO_WALL))
    places = np.where(stopped, ends.min(axis=0), dims.min(axis=0))
    np.testing.assert_array_equal(at[known], places[known])
    shares = np.where(stopped, 0.0, np.prod([own[0] for own in alone], axis=0))
    np.testing.assert_allclose(share, shares, rtol=1e-12)
    assert 500 < stopped.sum() < 2900
    for n in range(1000, 3000, 80):  # told by other means, but for what is as good as at an edge
        middle, wide = triangles.mean(axis=1, keepdims=True), np.array([1.0 - 1e-4, 1.0 + 1e-4])
        fewest, most = (
            [
                plain_triangle(each, start[n], end[n]) is not None
                for each in middle + (triangles - middle) * by
            ]
            for by in wide
        )
        solid = through == 0.0
        assert np.any(fewest & solid) <= stopped[n] <= np.any(most & solid)


def test_a_tree_that_does_not_hold_together_is_refused() -> None:
    triangles = samples.hill_triangles(SIZE, 8)
    walls = np.zeros(len(triangles), dtype=np.int32)
    grid = build_grid(np.zeros((0, 6)), walls[:0], np.zeros(1), triangles, walls)
    ends = np.zeros((1, 3)), np.ones((1, 3))
    assert grid.depth > 1
    cast_rays(grid, *ends)
    rows = grid.parts.reshape(-1, ROOM)
    inner, leaves = (np.argwhere(own[:, PARTS : PARTS + WIDE]) for own in (rows > 0, rows < 0))
    (row, part), (leaf_row, leaf) = inner[-1], leaves[-1]
    part, leaf = PARTS + part, PARTS + leaf
    for place, value in (
        ((row, part), ROOM), ((row, part), len(grid.parts)), ((row, part), rows[row, part] + 1),
        ((row, part), 0), ((row, INNER), 0), ((leaf_row, leaf), -1 - 2 * len(triangles)),
    ):  # fmt: skip
        parts = rows.copy()
        parts[place] = value
        with pytest.raises(ValueError, match="do not match"):
            cast_rays(grid._replace(parts=parts.ravel()), *ends)
    with pytest.raises(ValueError, match="do not match"):
        cast_rays(grid._replace(depth=grid.depth - 1), *ends)
