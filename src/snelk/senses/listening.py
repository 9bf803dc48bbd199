"""The gates between noises and ears: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import hypot, isnan, sqrt
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, GroundColumns, agree, door, laid_out, plain
from snelk.level.grid import NO_WALL, Grid
from snelk.level.ground import Ground
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import BodyColumns, HeardColumns, NoiseColumns, PoseColumns
from snelk.senses.hearing import (
    AWAKE,
    CARES,
    HEARD,
    NOBODY,
    PRESENT,
    REACH,
    Codes,
    Heard,
    Noises,
    Numbers,
)
from snelk.senses.sight import EDGE

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.casting import cast_ray
    from snelk.level.columns import hypot
    from snelk.level.walking import length_around

INF = float("inf")
NAN = float("nan")


def _strength_of(distance: float, limit: float) -> float:
    """How strong a noise arrives: 1 at no distance, falling to 0 at the limit; NaN beyond."""
    if limit <= 0.0 or distance > limit + EDGE:
        return NAN
    return min(max(1.0 - distance / limit, 0.0), 1.0)


@door
def pair_up(
    noises: Noises,
    count: int,
    made_at: NDArray[np.int64],
    tick: int,
    characters: NDArray[np.int32],
    always: NDArray[np.bool_],
    due: NDArray[np.bool_],
    last: NDArray[np.int64],
    heard: Heard,
) -> int:
    """Who listens to which noise at a tick: pairs in the order of the noises; how many.

    Args:
        noises: The noises.
        count: How many of them there are.
        made_at: (noise,) the tick at which each was made.
        tick: The number of the tick.
        characters: (agent,) which character an agent is; nobody listens to itself.
        always: (variant, agent) who listens at each tick, to what was made at it.
        due: (variant, agent) who listens seldom and does so now, to what was made since the last.
        last: (variant, agent) the tick of that.
        heard: The pairs, of which nothing is known yet; overwritten.
    """
    agree((0 <= count <= len(plain(noises).t), count <= len(made_at)), (True, True))
    agree((count * len(characters) <= len(plain(heard).row),), (True,))
    agree(always.shape, due.shape, last.shape, (len(always), len(characters)))
    return _pair_up(
        laid_out(NoiseColumns, noises), count, made_at, tick, characters, always, due, last,
        laid_out(HeardColumns, heard),
    )  # fmt: skip


def _pair_up(
    noises: Noises,
    count: int,
    made_at: NDArray[np.int64],
    tick: int,
    characters: NDArray[np.int32],
    always: NDArray[np.bool_],
    due: NDArray[np.bool_],
    last: NDArray[np.int64],
    heard: Heard,
) -> int:
    pair = 0
    with nogil:
        for n in range(count):
            v = noises.variant[n]
            for a in range(len(characters)):
                listens = due[v, a] and made_at[n] > last[v, a]
                if not listens and not (always[v, a] and made_at[n] == tick):
                    continue
                if noises.by[n] == characters[a]:
                    continue
                _begin_pair(noises, n, a, pair, heard)
                pair += 1
    return pair


def _begin_pair(noises: Noises, n: int, a: int, pair: int, heard: Heard) -> None:
    """A pair of which nothing is known yet."""
    heard.variant[pair], heard.row[pair], heard.agent[pair] = noises.variant[n], n, a
    heard.number[pair], heard.by[pair] = noises.number[n], noises.by[n]
    heard.wall[pair], heard.strength[pair] = NO_WALL, 0.0
    heard.acuity[pair], heard.background[pair], heard.limit[pair] = NAN, NAN, NAN
    heard.straight[pair], heard.through[pair], heard.height[pair] = NAN, NAN, NAN
    heard.around[pair], heard.x[pair], heard.y[pair] = NAN, NAN, NAN
    heard.ear[pair, 0], heard.ear[pair, 1] = NAN, NAN


@door
def begin_pairs(noises: Noises, rows: Codes, agents: Codes, heard: Heard) -> None:
    """Pairs of these noises and agents, of which nothing is known yet; `heard` is overwritten."""
    agree(rows.shape, agents.shape)
    agree((len(rows) <= len(plain(heard).row),), (True,))
    _begin_pairs(laid_out(NoiseColumns, noises), rows, agents, laid_out(HeardColumns, heard))


def _begin_pairs(noises: Noises, rows: Codes, agents: Codes, heard: Heard) -> None:
    with nogil:
        for pair in range(len(rows)):
            _begin_pair(noises, rows[pair], agents[pair], pair, heard)


@door
def at_ears(
    noises: Noises,
    characters: NDArray[np.int32],
    poses: Poses,
    bodies: Bodies,
    background: Numbers,
    acuity: Numbers,
    awake: Numbers,
    cares: NDArray[np.bool_],
    sound_grid: Grid,
    plan_grid: Grid,
    scratch: NDArray[np.int64],
    ground: Ground,
    ways_grid: Grid,
    ways_scratch: NDArray[np.int64],
    room: Numbers,
    heard: Heard,
    pairs: int,
) -> int:
    """The gates of each pair of noise and agent, and both ways where the reach has to decide.

    Args:
        noises: The noises.
        characters: (agent,) which character an agent is.
        poses: Everybody's poses.
        bodies: How high their ears are.
        background: (variant, character) noise that drowns others, 0 to 1.
        acuity: (variant, agent).
        awake: (variant, agent).
        cares: (variant, agent, maker) whose noises they care about; the last maker is nobody.
        sound_grid: Walls that muffle.
        plan_grid: Walls that are in the way on foot.
        scratch: Of both.
        ground: The ground of somebody of no size.
        ways_grid: What is in the way there.
        ways_scratch: Of that.
        room: (4, corners) overwritten.
        heard: The pairs; the rest is filled in.
        pairs: How many there are.

    Returns:
        Of how many pairs the way on foot is left to be found: it is not straight, and the ways
        between the corners of the ground are not known.
    """
    count = len(plain(ground).corners)
    agree(room.shape, (4, count))
    agree(ways_scratch.shape, (len(plain(ways_grid).see_through) + 1,))
    agree(plain(heard).row.shape, plain(heard).agent.shape, plain(heard).failed.shape)
    agree((0 <= pairs <= len(plain(heard).row),), (True,))
    agree(background.shape, plain(bodies).blocks.shape, (len(background), plain(poses).x.shape[1]))
    agree(acuity.shape, awake.shape, cares.shape[:2], (len(background), len(characters)))
    agree(
        scratch.shape,
        (len(plain(sound_grid).see_through) + 1,),
        (len(plain(plan_grid).see_through) + 1,),
    )
    return _at_ears(
        laid_out(NoiseColumns, noises),
        characters,
        laid_out(PoseColumns, poses),
        laid_out(BodyColumns, bodies),
        background,
        acuity,
        awake,
        cares,
        laid_out(GridColumns, sound_grid),
        laid_out(GridColumns, plan_grid),
        scratch,
        laid_out(GroundColumns, ground),
        laid_out(GridColumns, ways_grid),
        ways_scratch,
        room,
        laid_out(HeardColumns, heard),
        pairs,
    )


def _at_ears(
    noises: Noises,
    characters: NDArray[np.int32],
    poses: Poses,
    bodies: Bodies,
    background: Numbers,
    acuity: Numbers,
    awake: Numbers,
    cares: NDArray[np.bool_],
    sound_grid: Grid,
    plan_grid: Grid,
    scratch: NDArray[np.int64],
    ground: Ground,
    ways_grid: Grid,
    ways_scratch: NDArray[np.int64],
    room: Numbers,
    heard: Heard,
    pairs: int,
) -> int:
    left = 0
    with nogil:
        for pair in range(pairs):
            n, a = heard.row[pair], heard.agent[pair]
            v = noises.variant[n]
            p = v if len(poses.x) > 1 else 0
            i = characters[a]
            if not poses.present[p, i]:
                heard.failed[pair] = PRESENT
                continue
            ear_z = poses.z[p, i] + bodies.eyes[v, i, poses.posture[p, i]]
            x, y, z = noises.x[n], noises.y[n], noises.z[n]
            dx, dy, dz = poses.x[p, i] - x, poses.y[p, i] - y, ear_z - z
            straight = sqrt(dx * dx + dy * dy + dz * dz)
            heard.straight[pair], heard.height[pair] = straight, dz
            heard.ear[pair, 0], heard.ear[pair, 1] = poses.x[p, i], poses.y[p, i]
            heard.acuity[pair] = acuity[v, a] * awake[v, a]
            heard.background[pair] = background[v, i]
            maker = noises.by[n] if noises.by[n] != NOBODY else cares.shape[2] - 1
            limit = noises.reach[n] * heard.acuity[pair] * (1.0 - heard.background[pair])
            heard.limit[pair] = limit
            if not cares[v, a, maker]:
                heard.failed[pair] = CARES
            elif awake[v, a] <= 0.0:
                heard.failed[pair] = AWAKE
            else:
                heard.failed[pair] = REACH
                if limit > 0.0 and straight <= limit + EDGE:
                    to_x, to_y = poses.x[p, i], poses.y[p, i]
                    share, wall, _ = cast_ray(sound_grid, scratch, x, y, z, to_x, to_y, ear_z)
                    heard.through[pair], heard.wall[pair] = share, wall
                    free, _, _ = cast_ray(plan_grid, scratch, x, y, 0.0, to_x, to_y, 0.0)
                    strength = _strength_of(straight, limit * share)
                    if free > 0.0:
                        heard.around[pair] = straight
                        strength = _strength_of(straight, limit)
                    if not isnan(strength):
                        _hear(noises, strength, pair, heard)
                    if not free > 0.0:
                        if len(ground.lengths) < len(ground.corners):
                            left += 1
                        else:
                            walked = length_around(
                                ground, ways_grid, ways_scratch, room, x, y, to_x, to_y
                            )
                            _walk_to_ear(noises, walked, pair, heard)
    return left


def _hear(noises: Noises, strength: float, pair: int, heard: Heard) -> None:
    """A noise is heard, where it was made."""
    n = heard.row[pair]
    heard.failed[pair], heard.strength[pair] = HEARD, strength
    heard.x[pair], heard.y[pair] = noises.x[n], noises.y[n]


def _walk_to_ear(noises: Noises, walked: float, pair: int, heard: Heard) -> None:
    """Decide again by the way around walls, of such a length in plan, m."""
    around, limit = hypot(walked, heard.height[pair]), heard.limit[pair]
    heard.around[pair] = around if around <= limit + EDGE else INF
    if around <= limit + EDGE:
        # Also a little beyond the limit it is heard, though it has no strength left.
        _hear(noises, max(heard.strength[pair], 1.0 - around / limit), pair, heard)


@door
def walk_to_ears(noises: Noises, pairs: Codes, walked: Numbers, heard: Heard) -> None:
    """Decide again about some pairs by the ways on foot, (these pairs,) in m, that were left."""
    agree(pairs.shape, walked.shape)
    _walk_to_ears(laid_out(NoiseColumns, noises), pairs, walked, laid_out(HeardColumns, heard))


def _walk_to_ears(noises: Noises, pairs: Codes, walked: Numbers, heard: Heard) -> None:
    with nogil:
        for n in range(len(pairs)):
            _walk_to_ear(noises, walked[n], pairs[n], heard)
