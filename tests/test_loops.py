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
from snelk.body.agent import on_foot
from snelk.body.columns import StreamColumns
from snelk.body.doing import Doing
from snelk.body.looking import look_out
from snelk.body.moving import run_out, turns_back
from snelk.body.outlook import Outlook
from snelk.body.paces import AT_FOCUS, GLANCES, Moving
from snelk.body.roams import RoamStage
from snelk.body.standing import Timing
from snelk.body.streams import Streams, draw, draw_whole
from snelk.body.timing import who_catches, who_glances, who_thinks
from snelk.body.wandering import wander_alone
from snelk.chance import key_of, stream, stream_of
from snelk.engine.columns import FollowedColumns
from snelk.engine.followed import Followed, FollowStage
from snelk.engine.following import follow_tick
from snelk.engine.simulation import Simulation
from snelk.engine.ticking import advance
from snelk.level.columns import GridColumns, GroundColumns, ZoneColumns, in_one, laid_out, plain
from snelk.level.floors import build_floors
from snelk.level.grid import build_grid, scratch_for
from snelk.level.ground import Areas, ground_of
from snelk.level.level import Level
from snelk.level.outlines import edges_of
from snelk.level.walking import part_of, step_back
from snelk.level.within import edge_ahead, which_inside
from snelk.level.zones import Zones
from snelk.mind.cells import Cells
from snelk.mind.columns import (
    BeliefColumns,
    DrawnColumns,
    MeterNumberColumns,
    NewsColumns,
)
from snelk.mind.drawn import Drawn
from snelk.mind.fading import follow_drawn
from snelk.mind.memory import SOURCES, Beliefs, News
from snelk.mind.messages import TELL_RESULTS, MessageStore
from snelk.mind.meter import MeterNumbers, meter_numbers
from snelk.mind.overhearing import add_up
from snelk.mind.programs import LadderState
from snelk.mind.receiving import receive
from snelk.mind.signals import Attended, FocusNumbers, Signals
from snelk.mind.spreading import likeliest, spread, take_out
from snelk.mind.stage import ROOM, DrawStage, ListenStage, TellStage
from snelk.mind.telling import arrive, pass_all_on, raise_voices, who_tells
from snelk.mind.updating import mind
from snelk.runs.measures import Measurer
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import (
    AroundColumns,
    BodyColumns,
    ContactColumns,
    EarStageColumns,
    LightColumns,
    PoseColumns,
    SightLimitColumns,
    SightNumberColumns,
)
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.hearing import AWAKE as EAR_AWAKE
from snelk.senses.hearing import HEARD, Noises
from snelk.senses.hearing import REACH as EAR_REACH
from snelk.senses.light import LightNumbers
from snelk.senses.listening import pair_up
from snelk.senses.seeing import see
from snelk.senses.sensing import sense
from snelk.senses.sight import IN_VIEW, LOGGED, NEEDED, Sight, SightLimits, SightNumbers
from snelk.senses.stage import ALL_ALIKE, EarStage
from snelk.senses.stepping import make_steps, put_in_order
from snelk.senses.stores import HeardStore, NoiseStore
from snelk.senses.surroundings import Around
from snelk.tuning.judging import Judge

V, A, J, S = 3, 4, 6, 3
AGENTS = np.array([4, 0, 3, 1], np.int32)
AREA = shapely.Polygon(
    [(0, 0), (8, 0), (8, 6), (5, 6), (4, 3), (3, 6), (0, 6)],
    [[(1, 1), (1, 2), (3, 2), (3, 1)], [(5, 1), (6, 3), (7, 1)]],
)
"""An area with a notch and two holes, whose corners and edges lie on whole metres."""


NO_FLOORS = build_floors([])


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


def moving_of(chance: np.random.Generator) -> Moving:
    arrays = {name: np.zeros((V, A)) for name in Moving._fields}
    truths = ("driven", "still", "holds", "smooth", "on_way", "at_end", "no_way")
    arrays |= {name: sometimes(chance, 0.4, V, A) for name in truths}
    arrays |= {name: np.zeros((V, A), np.int64) for name in ("turn_at", "next", "size")}
    arrays |= {name: np.full((V, A), -1) for name in ("halt", "link")}
    arrays |= {name: np.zeros((V, A), np.int8) for name in ("posture", "gait")}
    arrays |= {"look": chance.choice([0, AT_FOCUS, GLANCES], (V, A)).astype(np.int8)}
    arrays |= {"points": np.zeros((V, A, 1, 5)), "beyond": np.zeros((V, A, 1))}
    arrays |= {"period": chance.choice([0.5, 2.0], (V, A))}
    return Moving(**arrays)  # type: ignore[arg-type]


def ladders_of(chance: np.random.Generator) -> LadderState:
    one, none = (V, A, 1), np.zeros((V, A, 1))
    return LadderState(
        chance.integers(-1, S, (V, A)).astype(np.int16), np.zeros(one, np.int64),
        np.ones((V, A, S, 1), np.bool_), none, np.zeros((V, A, S, 1)), none.copy(), none.copy(),
        np.zeros(one, np.int8), np.zeros((V, A, S)), np.ones((V, A, S), np.bool_),
        chance.integers(0, 9, (V, A)), chance.integers(4, 7, (V, A)), sometimes(chance, 0.1, V, A),
    )  # fmt: skip


def timing_of(chance: np.random.Generator) -> Timing:
    truths = {name: sometimes(chance, 0.4, V, A) for name in Timing._fields}
    rest = {
        "used": sometimes(chance, 0.9, V, A),
        "ended": sometimes(chance, 0.2, V),
        "next_thought": chance.choice([0.4, 0.5, 0.6], (V, A)),
        "state_for": np.zeros((V, A)),
        "glanced": chance.integers(-1, 3, (V, A)),
        "freeze": sometimes(chance, 0.3, V, A, S, A),
    }
    return Timing(**truths | rest)  # type: ignore[arg-type]


@pytest.mark.parametrize("seed", range(40))
def test_whose_turn_it_is(seed: int) -> None:
    chance, tick, dt = np.random.default_rng(seed), 5, 0.1
    moving, ladders, timing = moving_of(chance), ladders_of(chance), timing_of(chance)
    thought_there, glanced = timing.thought_there.copy(), timing.glanced.copy()
    busy = (tick < ladders.busy_until) | ladders.out
    count = who_thinks(moving, ladders, tick, 0.5, timing)
    able = timing.used & ~timing.ended[:, None]
    at_end = (moving.at_end | moving.no_way) & ~thought_there & able
    due = (at_end | (timing.next_thought <= 0.5)) & able & ~busy
    np.testing.assert_array_equal(timing.at_end, at_end)
    np.testing.assert_array_equal(timing.due, due)
    assert count == (due | at_end).sum()

    since, sees_me = chance.integers(0, 25, (V, A)), sometimes(chance, 0.4, V, A, A)
    signals = Signals.blank((V, A))
    signals.target_x[...], signals.target_y[...] = whole(chance, 2, V, A)
    count = who_glances(moving, ladders, since, signals, sees_me, tick, dt, timing)
    state = np.maximum(ladders.state, 0)
    v, a = np.indices((V, A))
    np.testing.assert_array_equal(
        moving.still, busy | (sees_me & timing.freeze[v, a, state]).any(axis=2)
    )
    at_focus, glances = moving.look == AT_FOCUS, moving.look == GLANCES
    np.testing.assert_array_equal(moving.look_x, np.where(at_focus, signals.target_x, 0.0))
    np.testing.assert_array_equal(moving.look_y, np.where(at_focus, signals.target_y, 0.0))
    np.testing.assert_allclose(timing.state_for, np.maximum(since - 1, 0) * dt)
    ticks = np.rint(moving.period / dt).astype(int)  # by whole ticks: no rounding decides
    number = np.where(glances, np.maximum(since - 1, 0) // ticks, -1)
    np.testing.assert_array_equal(timing.glanced, number)
    np.testing.assert_array_equal(timing.fresh, glances & (number != glanced))
    assert count == timing.fresh.sum()


@pytest.mark.parametrize("seed", range(40))
def test_who_is_caught(seed: int) -> None:
    chance = np.random.default_rng(seed)
    rows = int(chance.choice([1, V]))
    poses, bodies, ladders = poses_of(chance, rows), bodies_of(chance), ladders_of(chance)
    timing = timing_of(chance)
    shapes = dict.fromkeys(Attended._fields, (V, A, J))
    now = Attended(**{n: np.zeros(s) for n, s in shapes.items()} | {  # type: ignore[arg-type]
        **{n: sometimes(chance, 0.6, V, A, J) for n in ("seen", "heard", "felt", "smelt", "was_seen", "seen_to")},
        **{n: np.zeros((V, A, J + 1)) for n in ("first", "away", "value")},
        "sensed": np.zeros((V, A, J + 1), np.bool_), "focus": np.zeros((V, A), np.int32),
    })  # fmt: skip
    may = sometimes(chance, 0.8, V, A, J)
    none = np.zeros((V, A))
    numbers = FocusNumbers(
        AGENTS, may, none > 0, none > 0, none, none.astype(np.int8), np.zeros((V, A, J + 1)),
        np.arange(J),
    )  # fmt: skip
    reach = chance.choice([np.nan, 1.0, 2.0, np.sqrt(2.0)], (V, A, S))
    was = chance.integers(0, 3, (V, A, J)).astype(np.int8)
    caught = was.copy()
    count = who_catches(poses, bodies, now, numbers, ladders, timing, reach, caught)
    p = np.arange(V) if rows > 1 else np.zeros(V, int)
    x, y, low = poses.x[p], poses.y[p], poses.z[p]
    high = low + bodies.height[np.arange(V)[:, None], np.arange(J), poses.posture[p]]
    gap = np.maximum(low[:, None, :] - high[:, AGENTS, None], low[:, AGENTS, None] - high[:, None])
    away = np.sqrt(
        (x[:, None, :] - x[:, AGENTS, None]) ** 2
        + (y[:, None, :] - y[:, AGENTS, None]) ** 2
        + np.maximum(gap, 0.0) ** 2
    )
    v, a = np.indices((V, A))
    far = reach[v, a, np.maximum(ladders.state, 0)][..., None]
    there = poses.present[p][:, None] & poses.present[p][:, AGENTS, None] & (now.seen | (was > 0))
    near = there & may & timing.used[..., None] & (away <= far + 1e-9)
    np.testing.assert_array_equal(caught, near * 1 + (near & (was == 0)))
    assert count == (near & (was == 0)).sum()


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
def test_who_tells_whom_and_what_arrives(seed: int) -> None:
    chance, tick, dt = np.random.default_rng(seed), 7, 0.1
    source = chance.integers(-1, len(SOURCES), (V, A, J)).astype(np.int8)
    age = chance.choice([0.0, 0.09, 0.1, 0.4], (V, A, J))
    x, y, z, blur = chance.random((4, V, A, J))
    beliefs = Beliefs(source, x, y, z, *np.zeros((2, V, A, J)), age, blur)
    delay, every = chance.integers(1, 4, (2, V, A))
    next_time = chance.integers(5, 10, (V, A, J))
    before, audience = next_time.copy(), sometimes(chance, 0.7, V, A, A)
    passed = chance.choice([-np.inf, 0.28, 0.57, 0.61], (V, A, J))
    news, bodies = News.blank((V, A, J)), bodies_of(chance)
    heard_now, contacts = News.blank((V, A, J)), Contacts.blank((V, A, J))
    heard_now.age[sometimes(chance, 0.3, V, A, J)] = 0.3
    contacts.smell[sometimes(chance, 0.3, V, A, J)] = SENSED
    stage = TellStage(
        dt, AGENTS, laid_out(BodyColumns, bodies), laid_out(BeliefColumns, beliefs),
        laid_out(NewsColumns, heard_now), laid_out(ContactColumns, contacts),
        sometimes(chance, 0.8, V, A, J),
        *sometimes(chance, 0.7, 4, V, A), np.full((V, A), np.nan), delay, every, audience,
        next_time, passed.copy(), np.zeros((V, A, J), np.bool_), np.zeros((V * A, 2), np.int64),
        np.zeros(3, np.int64), True,
        np.zeros((V * A, A, J), np.int8), *np.zeros((2, V * A, A)), np.zeros((V * A, A), np.int64),
        laid_out(NewsColumns, news), np.zeros((V, A, J), np.bool_), np.full((V, A, J), -1.0),
    )  # fmt: skip
    stage.said[:] = 9
    rows = int(chance.choice([1, V]))
    poses = poses_of(chance, rows)
    count = who_tells(stage, poses, tick)
    told = source == SOURCES.index("told")
    own = (contacts.smell == SENSED) | ~np.isnan(heard_now.age)
    own = (own | (source == SOURCES.index("sensed"))) & (source >= 0) & ~told
    news_to_it = told & plain(stage).passes[..., None] & (tick * dt - age > passed + dt / 2)
    there = np.broadcast_to(poses.present[:, AGENTS], (V, A)) & stage.tells
    expected = (own | news_to_it) & there[..., None] & (before <= tick)
    np.testing.assert_array_equal(stage.due, expected)
    now = np.where(expected, tick * dt - age, passed)
    np.testing.assert_array_equal(plain(stage).passed_on, now)
    np.testing.assert_array_equal(next_time, np.where(expected, tick + every[..., None], before))
    assert count == expected.sum()
    most = (expected.sum(axis=2) * audience.sum(axis=2)).sum()
    assert stage.said.tolist() == [expected.any(axis=2).sum(), tick, most]

    voices, heard = NoiseStore(), HeardStore()
    tellers, raised, pairs = raise_voices(stage, poses, voices.laid, heard.laid)
    assert [list(at) for at in stage.tellers[:tellers]] == np.argwhere(expected.any(2)).tolist()
    assert raised == pairs == 0  # nobody has a voice: they tell all
    reach = np.where(sometimes(chance, 0.6, V, A), 5.0 + np.arange(A), np.nan)
    loud = plain(stage)._replace(reach=reach)
    voices.make_room(V * A)
    heard.make_room((V * A + 1) * A)
    tellers, raised, pairs = raise_voices(loud, poses, voices.laid, heard.laid)
    speakers = [(v, a) for v, a in stage.tellers[:tellers].tolist() if reach[v, a] > 0]
    p = [v if rows > 1 else 0 for v, _ in speakers]
    row = voices.rows
    assert raised == len(speakers)
    assert row.variant[:raised].tolist() == [v for v, _ in speakers]
    assert row.reach[:raised].tolist() == [reach[at] for at in speakers]
    who = [AGENTS[a] for _, a in speakers]
    assert row.x[:raised].tolist() == [poses.x[at] for at in zip(p, who, strict=True)]
    up = [
        bodies.eyes[v, i, poses.posture[q, i]]
        for (v, _), q, i in zip(speakers, p, who, strict=True)
    ]
    assert row.z[:raised].tolist() == [
        poses.z[at] + high for at, high in zip(zip(p, who, strict=True), up, strict=True)
    ]
    meant = [
        (n, b) for n, (v, a) in enumerate(speakers) for b in range(A)
        if audience[v, a, b] and stage.ears[v, b]
    ]  # fmt: skip
    assert [*zip(heard.rows.row[:pairs], heard.rows.agent[:pairs], strict=True)] == meant
    heard.rows.failed[:pairs] = chance.choice([HEARD, EAR_AWAKE, EAR_REACH], pairs)
    heard.rows.limit[:pairs], mute = chance.random(pairs), MessageStore()
    mute.make_room(V * A * A * J)
    state, ranks = chance.integers(-1, 3, (V, A)).astype(np.int16), chance.random((V, A, 3))
    pass_all_on(loud, poses, heard.laid, state, ranks, mute.laid, mute.held)
    for row, (v, a) in enumerate(stage.tellers[:tellers].tolist()):
        for b, j in np.argwhere(audience[v, a][:, None] & stage.due[v, a]).tolist():
            i, result = AGENTS[b], TELL_RESULTS[stage.failed[row, b, j] + 1]
            if result not in ("told", "ears", "awake", "reach") or (v, a) not in speakers:
                continue
            became = {HEARD: "told", EAR_AWAKE: "awake", EAR_REACH: "reach"}
            at = meant.index((speakers.index((v, a)), b)) if stage.ears[v, b] else -1
            assert result == (became[int(heard.rows.failed[at])] if at >= 0 else "ears")
            assert at < 0 or stage.limit[row, b] == heard.rows.limit[at]
    going, came, sent = MessageStore(), MessageStore(), []
    going.make_room(V * A * A * J)
    pass_all_on(stage, poses, heard.laid, state, ranks, going.laid, going.held)
    for row, (v, a) in enumerate(stage.tellers[:tellers].tolist()):
        rank, there = ranks[v, a, max(state[v, a], 0)], poses.present[v if rows > 1 else 0]
        for b, j in np.argwhere(audience[v, a][:, None] & stage.due[v, a]).tolist():
            i = AGENTS[b]
            passed = {
                "present": there[i], "memory": stage.remembers[v, b],
                "cares": stage.notices[v, b, j] and i != j,
            }  # fmt: skip
            failed = [gate for gate, ok in passed.items() if not ok]
            assert TELL_RESULTS[stage.failed[row, b, j] + 1] == (failed[0] if failed else "told")
            if not failed:
                d = int(delay[v, a])
                old = age[v, a, j] + d * dt
                place = (values[v, a, j] for values in (x, y, z))
                sent.append((v, a, b, j, tick + d, *place, old, blur[v, a, j], rank))
    assert going.messages() == sent
    for now in range(tick + 1, tick + 4):
        came.make_room(going.count)
        arrive(stage, now, going.laid, going.held, came.laid, came.held)
        due = [each for each in sent if each[4] == now]
        assert came.messages() == due
        for v, b, j in np.ndindex(V, A, J):
            mine = [each for each in due if (each[0], *each[2:4]) == (v, b, j)]
            newest = min(mine, key=lambda each: each[8], default=(np.nan,) * 11)
            assert stage.told[v, b, j] == bool(mine)
            assert stage.told_rank[v, b, j] == max((each[10] for each in mine), default=-1.0)
            got = [values[v, b, j] for values in news]
            np.testing.assert_array_equal(got, newest[5:10])
    arrive(stage, tick + 4, going.laid, going.held, came.laid, came.held)
    assert (going.count, came.count, stage.told.any()) == (0, 0, False)
    assert np.isnan(news.age).all()


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


@pytest.mark.parametrize("seed", range(20))
def test_noises_come_in_order_and_each_is_judged_once_by_each_that_listens(seed: int) -> None:
    chance, size = np.random.default_rng(seed), 40
    made, ordered = NoiseStore(), NoiseStore()
    some = Noises.blank(size)._replace(
        variant=chance.integers(0, V, size), t=chance.choice([0.1, 0.2, 0.3], size),
        kind=np.arange(size), by=chance.integers(-1, J, size), x=chance.random(size),
    )  # fmt: skip
    for part in (slice(0, 7), slice(7, size)):  # room grows, and what is there stays
        made.add(some.of(part), 3)
    ordered.make_room(size)
    numbered = chance.integers(0, 9, V)
    first = numbered.copy()
    put_in_order(made.laid, size, np.empty(size, np.int64), numbered, ordered.laid)
    ordered.held[0] = size
    order = np.lexsort((some.t, some.variant))  # of noises at once the first stays the first
    found = ordered.noises()
    for name in ("variant", "t", "kind", "by", "x", "gait"):
        np.testing.assert_array_equal(getattr(found, name), getattr(some, name)[order])
    for v in range(V):
        count = int((some.variant == v).sum())
        assert found.noise[found.variant == v].tolist() == list(range(first[v], first[v] + count))
        assert numbered[v] == first[v] + count

    ordered.made_at[:size] = np.sort(chance.integers(3, 7, size))
    always, due = sometimes(chance, 0.4, 2, V, A)
    last, heard = chance.integers(2, 7, (V, A)), HeardStore()
    empty = build_grid(np.zeros((0, 6)), np.zeros(0, np.int32), np.zeros(0))
    grid = laid_out(GridColumns, empty)
    ones = np.ones((V, A))
    stage = EarStage(
        AGENTS, laid_out(BodyColumns, bodies_of(chance)), ones, ones,
        np.ones((V, A, J + 1), np.bool_), ones, grid, grid, -1.0, 1.0, scratch_for(empty), NO_FLOORS,
        np.zeros(V, np.int32), np.full(1, ALL_ALIKE, np.int32),
    )  # fmt: skip
    heard.make_room(size * A)
    tick = 6
    heard.held[0] = pair_up(
        stage, ordered.laid, size, ordered.made_at, tick, always, due, last, heard.laid
    )
    listens = [
        (n, a)
        for n, a in np.ndindex(size, A)
        if found.by[n] != AGENTS[a]
        and (
            (always[found.variant[n], a] and ordered.made_at[n] == tick)
            or (due[found.variant[n], a] and ordered.made_at[n] > last[found.variant[n], a])
        )
    ]
    pairs = heard.heard()
    assert [*zip(pairs.row.tolist(), pairs.agent.tolist(), strict=True)] == listens
    np.testing.assert_array_equal(pairs.noise, found.noise[pairs.row])
    assert np.isnan(pairs.limit).all()
    assert (pairs.strength == 0.0).all()


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


@pytest.mark.parametrize("seed", range(6))
def test_each_noise_is_judged_once_by_each_that_listens(seed: int) -> None:
    chance, ticks = np.random.default_rng(seed), 23
    every = chance.choice([1, 1, 3, 5], (V, A)).astype(np.int64)
    used = sometimes(chance, 0.8, V, A)
    level = Level.of(snelk.load(snelk.croft() / "night.toml").level)
    grid, ones = laid_out(GridColumns, level.sound_grid), np.ones((V, A))
    ears = EarStage(
        AGENTS, laid_out(BodyColumns, bodies_of(chance)), ones, ones,
        np.ones((V, A, J + 1), np.bool_), ones, grid, laid_out(GridColumns, level.feet_grid), *level.alike,
        scratch_for(level.sound_grid), level.floors,
        np.zeros(V, np.int32), np.full(1, ALL_ALIKE, np.int32),
    )  # fmt: skip
    waiting, heard, noises = NoiseStore(), HeardStore(), NoiseStore()
    poses = poses_of(chance, 1)
    stage = ListenStage(
        laid_out(EarStageColumns, ears), next(level.ways().stages({})), used & (every == 1), used & (every > 1), bool((used & (every > 1)).any()),
        every, ticks - 1, np.zeros((V, A), np.bool_), np.full((V, A), -1), waiting.laid,
        waiting.made_at, waiting.held, heard.laid, heard.held, np.array([-1, 0]),
        np.zeros((V, A, J)), laid_out(NewsColumns, News.blank((V, A, J))),
    )  # fmt: skip
    came, made = [], []
    for tick in range(ticks):
        count = int(chance.choice([0, 0, 1, 2]))
        some = Noises.blank(count)
        some.variant[:], some.kind[:] = chance.integers(0, V, count), len(made) + np.arange(count)
        some.by[:] = -1
        noises.held[0] = 0
        noises.add(some, tick)
        made += [(int(v), int(kind), tick) for v, kind in zip(some.variant, some.kind, strict=True)]
        given = noises.laid, noises.made_at, count, poses, np.zeros((V, J)), tick
        if receive(stage, *given) == ROOM:
            waiting.make_room(40)
            heard.make_room(40 * A)
            stage = stage._replace(
                waiting=waiting.laid, waiting_at=waiting.made_at, heard=heard.laid
            )
            assert receive(stage, *given) != ROOM
        rows = waiting.rows if stage.now[1] else noises.rows
        pairs = heard.heard()
        came += [
            (int(v), int(rows.kind[row]), int(a), tick)
            for v, row, a in zip(pairs.variant, pairs.row, pairs.agent, strict=True)
        ]
    turns = [
        (v, kind, a, next(
            t for t in range(tick, ticks) if t == ticks - 1 or (t - a) % every[v, a] == 0
        ))
        for v, kind, tick in made for a in range(A) if used[v, a]
    ]  # fmt: skip
    assert sorted(came) == sorted(turns)


@pytest.mark.parametrize("seed", range(20))
def test_the_newest_noise_counts_and_all_add_up(seed: int) -> None:
    chance, count, now = np.random.default_rng(seed), 30, 2.0
    some = Noises.blank(count)._replace(
        t=chance.choice([0.5, 1.0, 1.9, 2.0, 2.05], count),
        kind=np.arange(count),
        z=chance.random(count),
    )
    noises, heard = NoiseStore.of(some, 0), HeardStore()
    heard.make_room(count)
    heard.held[0] = count
    rows = heard.rows
    rows.variant[:count], rows.agent[:count] = (
        chance.integers(0, V, count),
        chance.integers(0, A, count),
    )
    rows.by[:count], rows.row[:count] = chance.integers(-1, 2, count), chance.permutation(count)
    rows.failed[:count] = np.where(sometimes(chance, 0.7, count), HEARD, 3)
    rows.strength[:count], rows.straight[:count] = chance.random((2, count))
    rows.x[:count], rows.y[:count] = chance.random((2, count))
    error, can = chance.random((V, A)), sometimes(chance, 0.7, V, A)
    empty = laid_out(GridColumns, build_grid(np.zeros((0, 6)), np.zeros(0, np.int32), np.zeros(0)))
    stage = EarStage(
        AGENTS, laid_out(BodyColumns, bodies_of(chance)), error, error,
        np.ones((V, A, J + 1), np.bool_), error, empty, empty, -1.0, 1.0, scratch_for(empty), NO_FLOORS,
        np.zeros(V, np.int32), np.full(1, ALL_ALIKE, np.int32),
    )  # fmt: skip
    loudness, news = np.zeros((V, A, J)), News.blank((V, A, J))
    add_up(stage, noises.laid, heard.laid, count, now, loudness, news)
    drawn, loud = Drawn.blank((V, A)), np.ones((V, A))
    meters = meter_numbers([snelk.load(snelk.croft() / "night.toml").setup] * V)
    meters = MeterNumbers(*(np.ascontiguousarray(values[:, :A]) for values in meters))
    draws = DrawStage(
        can, error, np.full((V, A), np.inf), laid_out(MeterNumberColumns, meters), loud,
        np.zeros(1, np.bool_), laid_out(DrawnColumns, drawn),
    )  # fmt: skip
    follow_drawn(draws, noises.laid, heard.laid, count, now, 0.0)
    for v, a, j in np.ndindex(V, A, J + 1):
        by = j if j < J else -1
        mine = [
            n for n in range(count)
            if (rows.variant[n], rows.agent[n], rows.by[n], rows.failed[n]) == (v, a, by, HEARD)
        ]  # fmt: skip
        ages = [max(now - some.t[rows.row[n]], 0.0) for n in mine]
        whole = pytest.approx(sum(rows.strength[n] for n in mine))
        if by >= 0:
            assert loudness[v, a, j] == whole
            newest = mine[int(np.argmin(ages))] if mine else None  # of equally new the first
            expected = [np.nan] * 5 if newest is None else [
                rows.x[newest], rows.y[newest], some.z[rows.row[newest]], min(ages),
                error[v, a] * rows.straight[newest],
            ]  # fmt: skip
            np.testing.assert_array_equal([values[v, a, j] for values in news], expected)
            continue
        assert loud[v, a] == (whole if can[v, a] else 0.0)
        assert drawn.heard[v, a] == bool(mine and can[v, a])
        if drawn.heard[v, a]:
            # Of noises as new as each other the last counts.
            newest = mine[len(ages) - 1 - int(np.argmin(ages[::-1]))]
            assert drawn.kind[v, a] == some.kind[rows.row[newest]]
            assert drawn.age[v, a] == max(now - some.t[rows.row[newest]], 0.0)
            assert drawn.blur[v, a] == error[v, a] * rows.straight[newest]
            assert (drawn.x[v, a], drawn.y[v, a]) == (rows.x[newest], rows.y[newest])
            assert drawn.z[v, a] == some.z[rows.row[newest]]
    # When all is quiet it draws as much for a while, then less and less, and is forgotten.
    drawn.meter[...] = at_first = np.where(np.isnan(drawn.age), 0.0, chance.random((V, A)))
    age, forget, dt = drawn.age.copy(), chance.uniform(1, 4, (V, A)), 0.3
    draws = draws._replace(forget=forget)
    for n in range(1, 25):
        follow_drawn(draws, noises.laid, heard.laid, 0, now + n * dt, dt)
        drains = np.maximum(n * dt - meters.drain_after, 0.0) / meters.drain_time
        left = np.where(age + n * dt > forget, 0.0, np.clip(at_first - drains, 0.0, 1.0))
        np.testing.assert_allclose(drawn.meter, left, atol=1e-9)
        np.testing.assert_array_equal(np.isnan(drawn.x), ~(age + n * dt <= forget))


@pytest.mark.parametrize("seed", range(10))
def test_the_likeliest_cell_is_near_and_likely_with_what_is_around_it(seed: int) -> None:
    chance, count = np.random.default_rng(seed), 12
    others = [np.unique([n, *chance.integers(0, count, 2)]) for n in range(count)]
    parts = [chance.random(len(each)) for each in others]
    share, centres = chance.dirichlet(np.ones(count)), chance.uniform(-9, 9, (count, 3))
    cells = Cells.of(
        centres, np.cumsum([0, *map(len, others)]).astype(np.int32),
        np.concatenate(others).astype(np.int32), np.concatenate(parts), 1.0,
    )  # fmt: skip
    cells.share[...] = share
    (x, y, z), near = chance.uniform(-9, 9, 3).tolist(), 3.0
    around = np.array([(p * share[o]).sum() for p, o in zip(parts, others, strict=True)])
    worth = around / (1.0 + np.linalg.norm(centres - (x, y, z), axis=1) / near)
    assert likeliest(cells, x, y, z, near, np.zeros((0, 6))) == int(np.argmax(worth))
    np.testing.assert_allclose(cells.around, around)


def wandering(chance: np.random.Generator) -> tuple[Moving, RoamStage, Doing]:
    shape, square = (1, 1), shapely.box(-10.0, -5.0, 10.0, 5.0)
    arrays = {name: np.zeros(shape) for name in Moving._fields}
    truths = ("driven", "still", "holds", "smooth", "on_way", "at_end", "no_way")
    arrays |= {name: np.zeros(shape, np.bool_) for name in truths}
    arrays |= {name: np.zeros(shape, np.int64) for name in ("turn_at", "next", "size")}
    arrays |= {name: np.full(shape, -1) for name in ("halt", "link")}
    arrays |= {name: np.zeros(shape, np.int8) for name in ("look", "posture", "gait")}
    arrays |= {"points": np.zeros((*shape, 4, 5)), "beyond": np.zeros((*shape, 4))}
    moving = Moving(**arrays)  # type: ignore[arg-type]
    moving.acceleration[...], streams = 2.0, Streams.blank(shape)
    streams.begin(0, 0, key_of(int(chance.integers(99)), "roam"))
    ground = ground_of(Areas.each_a_part([square], [square]))
    pausing, outside = np.zeros((2, *shape), np.bool_)
    stage = RoamStage(
        laid_out(GroundColumns, ground), build_floors([]), laid_out(StreamColumns, streams),
        np.zeros(shape, np.int32), np.full((1, 1, 1), 4.0), np.zeros((1, 1, 1)),
        np.full(shape, 8.0), np.full((1, 1, 2), np.nan), pausing, outside, np.zeros((5, 5)),
    )  # fmt: skip
    return moving, stage, Doing.blank(shape, 1)


@pytest.mark.parametrize("seed", range(12))
def test_wandering_is_straight_to_the_edge_and_away_from_it_by_the_cosine_law(seed: int) -> None:
    chance = np.random.default_rng(seed)
    moving, stage, doing = wandering(chance)
    stream_now = stream_of(
        int(plain(stage.streams).key[0, 0, 0]) + (int(plain(stage.streams).key[0, 0, 1]) << 64)
    )
    moving.x[0, 0], moving.y[0, 0] = chance.uniform(-4, 4, 2)
    again, count, _ = wander_alone(moving, stage, 0, 5.0, 0.1, 0, 0, doing)
    assert (again, count, stage.until[0, 0]) == (3.0, 1, 8.0)  # not yet time for another
    angle = stream_now.uniform(-np.pi, np.pi)
    far_end = np.array([moving.x[0, 0] + 40 * np.cos(angle), moving.y[0, 0] + 40 * np.sin(angle)])
    line = shapely.LineString([(moving.x[0, 0], moving.y[0, 0]), far_end])
    inside = shapely.intersection(line, shapely.box(-10.0, -5.0, 10.0, 5.0))
    went = float(np.hypot(*(stage.way[0, :2] - [moving.x[0, 0], moving.y[0, 0]])))
    assert went == pytest.approx(inside.length - 2e-3)
    np.testing.assert_allclose(doing.goals[0, 0, :2], stage.way[0, :2])
    normal = stage.normal[0, 0].copy()
    assert np.hypot(*normal) == pytest.approx(1.0)
    moving.x[0, 0], moving.y[0, 0] = stage.way[
        0, :2
    ]  # at the edge: by the cosine law about the normal
    wander_alone(moving, stage, 0, 7.5, 0.1, 0, 0, doing)
    turn = np.arcsin(stream_now.uniform(-1.0, 1.0))
    step = doing.goals[0, 0, :2] - [moving.x[0, 0], moving.y[0, 0]]
    expected = np.arctan2(normal[1], normal[0]) + turn
    off = np.arctan2(step[1], step[0]) - expected
    assert np.cos(off) == pytest.approx(1.0)
    # When it is time it takes any direction, after the pause if there is one.
    stage.pause[...] = 1.5
    assert wander_alone(moving, stage, 0, 8.0, 0.1, 0, 0, doing) == (1.5, 0, -1)
    assert stage.pausing[0, 0]
    again, count, _ = wander_alone(moving, stage, 0, 9.5, 0.1, 0, 0, doing)
    assert (again, count, stage.until[0, 0]) == (4.0, 1, 13.5)
    assert not stage.pausing[0, 0]
    # Who is on its way and would turn back comes to a stand first.
    at = np.array([moving.x[0, 0], moving.y[0, 0]])
    moving.points[0, 0, 0], moving.size[0, 0] = on_foot(-9.0 * at[None] / np.hypot(*at)), 1
    moving.speed[0, 0], stage.until[0, 0] = 2.0, 99.0
    for _ in range(20):
        _, count, turn_at = wander_alone(moving, stage, 0, 10.0, 0.1, 0, 0, doing)
        along = moving.points[0, 0, 0, :2] - at
        back = float((stage.way[count - 1, :2] - at) @ along) < 0.0
        assert turn_at == count - 2
        if count == 2:
            rest = 2.0**2 / (2.0 * 2.0)
            np.testing.assert_allclose(stage.way[0, :2], at + along / np.hypot(*along) * rest)
        else:
            assert not back


@pytest.mark.parametrize("seed", range(20))
def test_where_somebody_could_come_to_a_stand_and_what_lies_behind(seed: int) -> None:
    chance, count = np.random.default_rng(seed), 3
    moving, _, _ = wandering(chance)
    places = chance.uniform(-3, 3, (count + 1, 2))
    moving.x[0, 0], moving.y[0, 0] = places[0]
    moving.points[0, 0, :count], moving.size[0, 0] = on_foot(places[1:]), count
    moving.speed[0, 0], dt = chance.uniform(0.5, 7.0), 0.1
    rest = moving.speed[0, 0] ** 2 / (2 * moving.acceleration[0, 0])
    line = shapely.LineString(places)
    way = np.zeros((count + 1, 5))
    found = way[: run_out(moving, 0, 0, way), :2]
    np.testing.assert_allclose(
        found, shapely.get_coordinates(shapely.ops.substring(line, 0.0, min(rest, line.length)))[1:]
    )
    ahead, place = places[1] - places[0], chance.uniform(-3, 3, 2)
    fast = moving.speed[0, 0] > moving.acceleration[0, 0] * dt
    behind = bool(np.dot(ahead, place - places[0]) < 0)
    assert turns_back(moving, dt, 0, 0, *place.tolist()) == (behind and fast)
    # No last digit decides about what lies right beside it.
    moving.speed[0, 0] = 7.0
    for little, is_back in ((1e-12, False), (1e-6, True)):
        aside = places[0] + (-ahead[1], ahead[0]) - little * ahead
        assert turns_back(moving, dt, 0, 0, *aside.tolist()) == is_back
    # At the end of its path it cannot go on: it stops at once, whatever is to come.
    moving.x[0, 0], moving.y[0, 0] = places[-1] + (0.0, 1e-6)
    moving.next[0, 0], moving.speed[0, 0] = count - 1, 3.0
    assert turns_back(moving, dt, 0, 0, *(2 * places[-1] - places[-2]).tolist())
    assert run_out(moving, 0, 0, way) == 0
    assert moving.speed[0, 0] == 0.0
