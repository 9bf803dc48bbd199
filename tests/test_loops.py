"""Compiled loops held against the same rules on whole arrays, and against Shapely."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
import shapely
import shapely.ops
from hypothesis import assume, given, settings
from hypothesis import strategies as st

import snelk
from snelk.body.looking import look_out
from snelk.body.outlook import Outlook
from snelk.body.streams import Streams, draw, draw_whole
from snelk.chance import key_of, stream, stream_of
from snelk.engine.columns import FollowedColumns
from snelk.engine.followed import Followed, FollowStage
from snelk.engine.following import follow_tick
from snelk.engine.simulation import Simulation
from snelk.engine.ticking import advance
from snelk.level.columns import GridColumns, ZoneColumns, in_one, laid_out, plain
from snelk.level.grid import build_grid, scratch_for
from snelk.level.ground import Areas, ground_of
from snelk.level.outlines import edges_of
from snelk.level.walking import part_of, step_back
from snelk.level.within import edge_ahead, which_inside
from snelk.level.zones import Zones
from snelk.mind.cells import Cells
from snelk.mind.spreading import likeliest, spread, take_out
from snelk.mind.updating import mind
from snelk.runs.measures import Measurer
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import (
    AroundColumns,
    BodyColumns,
    LightColumns,
    PoseColumns,
    SightLimitColumns,
    SightNumberColumns,
)
from snelk.senses.light import LightNumbers
from snelk.senses.seeing import see
from snelk.senses.sensing import sense
from snelk.senses.sight import IN_VIEW, LOGGED, NEEDED, Sight, SightLimits, SightNumbers
from snelk.senses.stepping import make_steps
from snelk.senses.stores import NoiseStore
from snelk.senses.surroundings import Around
from snelk.tuning.judging import Judge

V, A, J, S = 3, 4, 6, 3
AGENTS = np.array([4, 0, 3, 1], np.int32)
AREA = shapely.Polygon(
    [(0, 0), (8, 0), (8, 6), (5, 6), (4, 3), (3, 6), (0, 6)],
    [[(1, 1), (1, 2), (3, 2), (3, 1)], [(5, 1), (6, 3), (7, 1)]],
)
"""An area with a notch and two holes, whose corners and edges lie on whole metres."""


def sometimes(chance: np.random.Generator, share: float, *shape: int) -> np.ndarray:
    return chance.random(shape) < share


def whole(chance: np.random.Generator, *shape: int) -> np.ndarray:
    return chance.integers(-2, 3, shape).astype(float)


def poses_of(chance: np.random.Generator, rows: int) -> Poses:
    code = chance.integers(0, 2, (2, rows, J)).astype(np.int8)
    heading = chance.uniform(-4, 4, (rows, J))
    return Poses(*whole(chance, 3, rows, J), heading, *code, sometimes(chance, 0.8, rows, J))


def bodies_of(chance: np.random.Generator) -> Bodies:
    height = chance.uniform(0.5, 2.0, (V, J, 2))
    return Bodies(
        height,
        0.9 * height,
        np.zeros((V, J, 1, 2)),
        np.zeros((V, J)),
        np.full((V, J), -1, np.int32),
    )


@pytest.mark.parametrize("seed", range(40))
def test_what_is_in_view_of_places(seed: int) -> None:
    chance = np.random.default_rng(seed)
    rows, v, a, tall = int(chance.choice([1, V])), *chance.integers(0, (V, A, J)).tolist()
    poses, bodies = poses_of(chance, rows), bodies_of(chance)
    poses.z[...] = chance.choice([0.0, 0.4], poses.z.shape)
    poses.x[...] = -np.abs(poses.x) - 0.5  # on one side of the wall, most places on the other
    cones = (V, A, 2)
    whom = int(chance.choice([-1, tall]))
    sight = SightNumbers(
        AGENTS, np.ones((V, A, J), np.bool_), sometimes(chance, 0.7, V, A, J, 2),
        chance.integers(1, 3, (V, A)).astype(np.int32),
    )  # fmt: skip
    limits = SightLimits(
        chance.choice([0.0, 0.5, 1.0], (V, A), p=[0.1, 0.4, 0.5]), chance.choice([3.0, 9.0], cones), np.zeros(cones), chance.choice([0.6, np.pi], cones),
        np.zeros(cones), *chance.choice([0.1, 1.6], (2, *cones)), chance.choice([0.0, 0.3, 0.8], cones), np.zeros(cones),
    )  # fmt: skip
    around = Around(
        chance.choice([0.2, 0.4], V),
        np.zeros(V),
        np.array([0.9, np.nan, 0.1]) + 0.02 * np.arange(V)[:, None],
        np.zeros(3),
    )
    lamps = LightNumbers(chance.choice([0.0, 0.6], (V, J)), np.full((V, J), 3.0), np.zeros((V, J)))
    square, starts = edges_of([shapely.box(-1, -1, 2, 1)])
    circles = np.array([[0.0, 0, 2], [9, 9, 1], [0, 0, 0]])
    spans = np.tile([-1.0, 0.5], (3, 1))  # whose feet are higher is in none
    zones = Zones(circles, np.array([0, 0, 0, starts[1]], np.int32), square, 0 * circles, spans)
    wall = np.array([[0.5, -1.0, 0.5, 1.5, 0.0, 1.2]])
    grid = build_grid(wall, np.zeros(1, np.int32), np.zeros(1))
    places, found = chance.uniform(-4, 4, (60, 3)), np.zeros(60, np.bool_)
    places[:, 2] = chance.choice([0.0, 0.4, 0.6], 60)
    outlook = Outlook(
        laid_out(BodyColumns, bodies), laid_out(SightNumberColumns, sight), laid_out(SightLimitColumns, limits),
        laid_out(AroundColumns, around), laid_out(LightColumns, lamps), laid_out(ZoneColumns, zones),
        laid_out(GridColumns, grid), scratch_for(grid),
    )  # fmt: skip
    look_out(v, a, whom, tall, places, poses, outlook, found)
    p, i = v if rows > 1 else 0, AGENTS[a]
    here = np.array([poses.x[p, i], poses.y[p, i]])
    dx, dy = (places[:, :2] - here).T
    eye = poses.z[p, i] + bodies.eyes[v, i, poses.posture[p, i]]
    middle = places[:, 2] + 0.5 * bodies.height[v, tall, 0]
    away, rises = (
        np.sqrt(dx**2 + dy**2 + (middle - eye) ** 2),
        np.arctan((middle - eye) / np.hypot(dx, dy)),
    )
    off = np.abs(np.angle(np.exp(1j * (np.arctan2(dy, dx) - poses.heading[p, i]))))
    lamp = poses.z[p, i] + 0.5 * bodies.height[v, i, poses.posture[p, i]]
    to_lamp = np.sqrt(dx**2 + dy**2 + (middle - lamp) ** 2)
    light = np.full(60, around.light[v])
    low = places[:, 2] <= 0.5
    light[(np.hypot(*places[:, :2].T) <= 2.0) & low] = 0.9 + 0.02 * v
    light[(np.abs(places[:, 0] - 0.5) <= 1.5) & (np.abs(places[:, 1]) <= 1.0) & low] = (
        0.1 + 0.02 * v
    )
    light = np.minimum(light + lamps.lamp[v, i] * np.clip(1.0 - to_lamp / 3.0, 0.0, 1.0), 1.0)
    expected = np.zeros(60, np.bool_)
    for k in range(sight.cones[v, a]):
        if whom >= 0 and not sight.cares[v, a, whom, k]:
            continue
        fits = away <= limits.range[v, a, k] * limits.awake[v, a]
        fits &= (limits.awake[v, a] > 0) & (-limits.down[v, a, k] <= rises)
        fits &= rises <= limits.up[v, a, k]
        fits &= off <= limits.half_fov[v, a, k]
        expected |= fits & (light >= limits.min_light[v, a, k] - 1e-9)
    share = (0.5 - here[0]) / dx
    height, across = eye + share * (middle - eye), here[1] + share * dy
    hidden = (
        (share > 0)
        & (share < 1)
        & (across >= -1)
        & (across <= 1.5)
        & (height >= 0)
        & (height <= 1.2)
    )
    np.testing.assert_array_equal(found, expected & ~hidden)


@pytest.mark.parametrize("seed", range(12))
def test_what_decides_a_look_is_the_same_where_no_table_shows_the_rest(seed: int) -> None:
    chance, cones = np.random.default_rng(seed), (V, A, 2)
    bodies, no_walls = (
        bodies_of(chance),
        build_grid(np.zeros((0, 6)), np.zeros(0, np.int32), np.zeros(0)),
    )
    reach, half = chance.choice([1.5, 2.5], cones), chance.choice([0.6, 1.5], cones)
    numbers = SightNumbers(
        AGENTS, sometimes(chance, 0.8, V, A, J), sometimes(chance, 0.8, V, A, J, 2),
        chance.integers(1, 3, (V, A)).astype(np.int32),
    )  # fmt: skip
    limits = SightLimits(
        chance.choice([0.8, 1.0], (V, A)), reach, reach + 1.0, half, half + 0.7, np.full(cones, 1.0), np.full(cones, 1.0),
        np.zeros(cones), np.zeros(cones),
    )  # fmt: skip
    numbers.cares[...] &= numbers.notices[..., None]
    lean, full = Sight.blank(numbers), Sight.blank(numbers)
    left_out = 0
    for _ in range(8):  # what is in view is held beyond its range
        poses, light = poses_of(chance, V), np.ones((V, J))
        looks = sometimes(chance, 0.9, V, A)
        for asked, sight in ((NEEDED, lean), (LOGGED, full)):
            scratch = scratch_for(no_walls)
            see(poses, bodies, light, numbers, limits, no_walls, scratch, looks, asked, sight)
        for name in ("failed", "held", "exposure", "distance", "wall"):
            np.testing.assert_array_equal(getattr(lean, name), getattr(full, name), name)
        seen = (full.failed == IN_VIEW).any(axis=3)
        np.testing.assert_array_equal(lean.off[seen], full.off[seen])
        left_out += int((np.isnan(lean.off) & ~np.isnan(full.off)).sum())
    assert left_out > 0


@pytest.mark.parametrize("seed", range(30))
def test_an_expectation_tick_by_tick(seed: int) -> None:
    """The same from the table of all ticks, as one would count in it."""
    chance, ticks, low, high = np.random.default_rng(seed), 40, 0.6, 3.1
    within = float(chance.choice([np.inf, 0.8]))
    holds = sometimes(chance, 0.1, ticks, V, A)
    gap, value = chance.choice([0.0, 0.5, 1.0], (2, ticks, V, A))
    since = chance.choice([-np.inf, 0.5, 1.0, 2.95], (V, A)) if np.isinf(within) else (
        chance.choice([np.nan, 0.5, 1.0, 2.95], (V, A))
    )  # fmt: skip
    ends = chance.integers(10, ticks + 9, V)
    so_far = Followed.blank(since.copy())
    t = np.round(np.arange(ticks) * 0.1, 9)
    for n in range(ticks):
        inside = bool(low - 1e-9 <= t[n] <= high + 1e-9)
        stage = FollowStage(holds[n], gap[n], value[n], laid_out(FollowedColumns, so_far))
        follow_tick(stage, ends - 1, n, float(t[n]), inside, within)
    for v in range(V):
        alive = np.arange(ticks) < ends[v]
        begun = since[v] <= t[:, None] + 1e-9
        last = np.inf if np.isinf(within) else since[v] + within
        inside = begun & (t[:, None] <= last + 1e-9)
        came = alive & (holds[:, v] & begun).any(axis=1)
        span = alive & inside.any(axis=1) & (t >= low - 1e-9) & (t <= high + 1e-9)
        true = span & (holds[:, v] & inside).any(axis=1)
        false = span & ~true
        least = np.where(span, np.where(inside, gap[:, v], np.inf).min(axis=1), np.inf)
        most = np.where(span, np.where(inside, value[:, v], -np.inf).max(axis=1), -np.inf)

        def first(which: np.ndarray) -> float:
            return t[which.argmax()] if which.any() else np.nan

        expected = {
            "first": first(came), "end": t[alive][-1], "true_at": first(true), "true": true.sum(),
            "false_at": first(false), "false": false.sum(), "gap": least.min(),
            "gap_at": t[least.argmin()] if span.any() else np.nan, "most": most.max(),
            "most_at": t[most.argmax()] if span.any() else np.nan,
        }  # fmt: skip
        for name, number in expected.items():
            np.testing.assert_equal(getattr(so_far, name)[v], number, name)


@given(st.integers(-2, 20), st.integers(-2, 16), st.booleans())
@settings(max_examples=200, deadline=None)
def test_an_outline_belongs_to_a_zone_and_not_to_the_ground(x2: int, y2: int, off: bool) -> None:
    x, y = x2 / 2 + off * 0.137, y2 / 2 + off * 0.219
    edges, starts = edges_of([AREA])
    zones, found = (
        Zones(np.zeros((1, 3)), starts, edges, np.zeros((1, 3)), np.array([[-1.0, 1.0]])),
        np.zeros(1, np.bool_),
    )
    which_inside(zones, 0, np.array([[x, y, 1.0]]), found)
    assert found[0] == shapely.intersects_xy(AREA, x, y)
    which_inside(zones, 0, np.array([[x, y, 1.0 + 1e-9]]), found)
    assert not found[0]
    inner = shapely.buffer(AREA, -0.1)
    ground = ground_of(Areas.each_a_part([AREA], [inner]))
    assert (part_of(ground, x, y, 3.0) == 0) == shapely.contains_xy(AREA, x, y)
    *back, z = step_back(ground, 0, x, y, 3.0)
    assert z == 3.0
    back = shapely.Point(back)
    if shapely.contains_xy(AREA, x, y):
        assert back.coords[0] == (x, y)
    else:
        assert back.distance(shapely.Point(x, y)) == pytest.approx(
            inner.distance(shapely.Point(x, y))
        )
        assert back.distance(inner) < 1e-9


@given(st.floats(0.2, 7.8), st.floats(0.2, 5.8), st.floats(-3.1, 3.1))
@settings(max_examples=200, deadline=None)
def test_the_edge_ahead_is_where_a_line_first_meets_it(x: float, y: float, angle: float) -> None:
    dx, dy, least = float(np.cos(angle)), float(np.sin(angle)), 5e-4
    far, normal_x, normal_y = edge_ahead(edges_of([AREA])[0], x, y, dx, dy, least)
    ray = shapely.LineString([(x + least * dx, y + least * dy), (x + 20 * dx, y + 20 * dy)])
    met = shapely.intersection(ray, AREA.boundary)
    assume(AREA.boundary.distance(shapely.Point(x, y)) > 0.01 and "Line" not in met.geom_type)
    assume("Collection" not in met.geom_type)
    if met.is_empty:
        assert (far, normal_x, normal_y) == (0.0, -dx, -dy)
        return
    assert far == pytest.approx(met.distance(shapely.Point(x, y)), abs=2e-3)
    assert normal_x * dx + normal_y * dy <= 0.0
    assert np.hypot(normal_x, normal_y) == pytest.approx(1.0)
    # A step along the edge, across the normal, stays on it, in one way at least.
    at = np.array([x + far * dx, y + far * dy])
    steps = [shapely.Point(*(at + s * 1e-4 * np.array([-normal_y, normal_x]))) for s in (1, -1)]
    assert min(AREA.boundary.distance(step) for step in steps) < 1e-9


@pytest.mark.parametrize("seed", range(20))
def test_likelihood_is_handed_on_and_the_first_of_the_best_is_gone_to(seed: int) -> None:
    chance, count = np.random.default_rng(seed), 9
    links = sometimes(chance, 0.4, count, count) | np.eye(count, dtype=np.bool_)
    parts = np.where(links, chance.choice([0.25, 0.5], (count, count)), 0.0)
    to, others = np.nonzero(links)
    cells = Cells.of(
        chance.choice([-1.0, 1.0], (count, 3)),
        np.searchsorted(to, np.arange(count + 1)).astype(np.int32),
        others.astype(np.int32), parts[to, others], 1.0,
    )  # fmt: skip
    cells.share[...] = chance.choice([0.0, 0.25, 0.5], count)
    share = cells.share.copy()
    for _ in range(3):
        share = parts @ share
    spread(cells, 3)
    np.testing.assert_allclose(cells.share, share, rtol=1e-12)
    worth = (parts @ share) / (1.0 + np.linalg.norm(cells.centres, axis=1) / 2.0)
    assert likeliest(cells, 0.0, 0.0, 0.0, 2.0, np.zeros((0, 6))) == int(
        np.argmax(np.round(worth, 12))
    )
    cells.share[...] = 0.5
    cells.parts[...] = to == others  # each keeps what it has
    cells.share[1:] *= 1.0 + 1e-12  # last digits do not count
    assert likeliest(cells, 0.0, 0.0, 0.0, 2.0, np.zeros((0, 6))) == 0  # all are as good


@pytest.mark.parametrize("seed", range(6))
def test_streams_in_loops_give_the_numbers_of_numpy(seed: int) -> None:
    streams, keys = Streams.blank((2, 3)), {}
    for v, a in np.ndindex(2, 3):
        keys[v, a] = key_of(seed, "activity", f"agent {a}", v)
        streams.begin(v, a, keys[v, a])
    for v, a in np.ndindex(2, 3):
        expected = stream_of(keys[v, a]).random(11)
        assert [draw(streams, v, a) for _ in range(11)] == expected.tolist()
        again = stream(seed, "activity", f"agent {a}", v).uniform(-np.pi, np.pi, 2).tolist()
        streams.begin(v, a, keys[v, a])  # from the beginning, whatever was drawn
        assert [-np.pi + 2.0 * np.pi * draw(streams, v, a) for _ in range(2)] == again
    for count in (1, 2, 3, 8, 9, 64, 3_000_000_000):  # of the last many are drawn again
        for key in (key_of(seed, "whole", n) for n in range(40)):
            streams.begin(1, 2, key)
            assert draw_whole(streams, 1, 2, count) == stream_of(key).integers(count)
    for v, a in ((2, 0), (0, 3), (-1, 0)):
        with pytest.raises(ValueError, match="do not match"):
            draw(streams, v, a)


@pytest.mark.parametrize("seed", range(8))
def test_what_is_seen_empty_is_taken_out_of_a_likelihood(seed: int) -> None:
    chance, count = np.random.default_rng(seed), 9
    share = chance.dirichlet(np.ones(count))
    seen = sometimes(chance, 0.4, count) if seed else np.ones(count, np.bool_)
    own = np.arange(count)
    cells = Cells.of(
        chance.random((count, 3)), np.arange(count + 1, dtype=np.int32), own.astype(np.int32),
        np.ones(count), 1.0,
    )  # fmt: skip
    cells.share[...], cells.seen[...], cells.cleared[...] = share, seen, 0.25
    take_out(cells)
    assert cells.cleared[0] == pytest.approx(0.25 + 0.75 * share[seen].sum())
    left = np.where(seen, 0.0, share)
    np.testing.assert_allclose(cells.share, left / left.sum() if left.sum() else left)
    assert likeliest(cells, 0.5, 0.5, 0.0, 1.0, np.zeros((0, 6))) == -1 or not seen.all()
    cells.share[...], cells.seen[...], cells.cleared[...] = 1.0 / count, False, 1.0 - 2e-6
    take_out(cells)
    assert cells.share.sum() == pytest.approx(1.0)
    cells.cleared[...] = 1.0 - 5e-7  # as good as all has been looked at
    take_out(cells)
    assert cells.share.sum() == 0.0


FREE = {
    ("Bodies", "points", 2), ("BodyStage", "speeds", 0), ("Code", "starts", 0), ("FlightStage", "lengths", 0),
    ("FlightStage", "spots", 0), ("Ground", "corners", 0), ("GroundStage", "way", 0), ("JudgeStage", "stack", 0), ("JudgeStage", "table", 0), ("Joins", "leads", 0), ("Joins", "planes", 0),
    ("LadderStage", "stack", 0),
    ("LadderStage", "values", 0), ("MeterNumbers", "curves", 3), ("MeterNumbers", "weight", 2),
    ("RoamStage", "way", 0), ("RoundStage", "corners", 0), ("Scratch", "waiting", 0),
    ("SearchStage", "places", 0), ("SenseStage", "everybody", 0), ("SightNumbers", "cares", 3),
    ("StepStage", "loudness", 1), ("Surroundings", "zones", 2), ("TickStage", "times", 0),
    ("ValueCopy", "now", 0),
}  # fmt: skip
"""Axes that may be longer, or are not read by what they are handed to."""


def other_sizes(values: np.ndarray) -> Iterator[tuple[int, np.ndarray]]:
    """An array, with each of its axes in turn longer and shorter by one."""
    for axis in range(values.ndim):
        pad = [(0, int(each == axis)) for each in range(values.ndim)]
        yield axis, np.pad(values, pad, mode="edge" if values.size else "constant")
        if values.shape[axis]:
            yield axis, np.ascontiguousarray(np.delete(values, -1, axis))


class OneOf:
    """A list of what is read, of which one is another."""

    def __init__(self, every: list[Any]) -> None:
        self.every = every

    def _replace(self, **one: Any) -> list[Any]:
        ((n, value),) = one.items()
        return [*self.every[: int(n)], value, *self.every[int(n) + 1 :]]


def is_told(above: list[tuple[Any, str]], value: Any) -> bool:
    """Whether what is read as a whole complains of another value within."""
    for whole, name in reversed(above):
        value = whole._replace(**{name: value})
        try:
            if not isinstance(value, list):
                value.check()
        except ValueError:
            return True
    return False


def not_told(whole: Any, above: list[tuple[Any, str]]) -> Iterator[tuple[str, str, int]]:
    for name, value in zip(whole._fields, map(plain, whole), strict=True):
        here = [*above, (whole, name)]
        if isinstance(value, np.ndarray):
            sizes = other_sizes(value)
            yield from ((type(whole).__name__, name, n) for n, v in sizes if not is_told(here, v))
        elif hasattr(value, "_fields"):
            yield from not_told(value, here)
        elif isinstance(value, list):
            for n, one in enumerate(map(plain, value)):
                if one is None:  # nothing is laid out there
                    continue
                yield from not_told(one, [*here, (OneOf(value), str(n))])


def test_no_array_that_loops_read_can_have_another_size() -> None:
    simulation = Simulation(snelk.croft() / "night.toml", variants=[{"seed": n} for n in range(3)])
    simulation.copies.of(simulation.sight.failed)
    maker = simulation.maker
    simulation.copies.of_table(lambda: maker.noises.rows, maker.noises.held)
    while not any(simulation.world.thinking.seeker._stage.cells):
        simulation.advance(simulation.tick + 40)
    Measurer(simulation), Judge(simulation)
    simulation._renew()
    assert {*not_told(plain(simulation._stage), [])} <= FREE


def test_calls_with_arrays_of_others_are_refused() -> None:
    simulation = Simulation(snelk.croft() / "night.toml")
    simulation.advance(3)
    poses = simulation.laid_poses
    one_too_few = Poses(*(values[:, :-1].copy() for values in simulation.poses))
    twice = Poses(*(np.repeat(values, 2, axis=0) for values in simulation.poses))
    senses, steps = simulation._senses_stage, simulation.maker.steps
    noises, looks = NoiseStore(), np.ones((1, len(simulation.agents)), np.bool_)
    plain(steps).ended[...] = 1
    for call in (
        lambda: sense(senses, one_too_few, poses, looks),
        lambda: sense(senses, twice, twice, looks),
        lambda: sense(senses, poses, poses, looks[:, :-1].copy()),
        lambda: make_steps(steps, poses, one_too_few, 0.3, 0, noises.laid),
        lambda: make_steps(steps, twice, twice, 0.3, 0, noises.laid),
        lambda: make_steps(steps, poses, poses, 0.3, 99, noises.laid),
        lambda: mind(simulation._minds_stage, poses, one_too_few),
        lambda: advance(plain(simulation._stage)._replace(even_poses=twice), 4),
        lambda: laid_out(PoseColumns, twice._replace(x=twice.x[:, 1:].copy())),
    ):
        with pytest.raises(ValueError, match=r"match|room"):
            call()
    kept = in_one(simulation.beliefs)
    assert len({id(values.base) for values in kept}) == 1
    for mine, theirs in zip(kept, simulation.beliefs, strict=True):
        np.testing.assert_array_equal(mine, theirs)
