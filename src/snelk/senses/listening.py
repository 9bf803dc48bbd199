"""The gates between noises and ears; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import isnan, sqrt
from numpy.typing import NDArray

from snelk.config.steps import STEP
from snelk.level.columns import GroundStageColumns, agree, door, laid_out
from snelk.level.grid import NO_WALL
from snelk.level.ground import GroundStage
from snelk.senses.bodies import Poses
from snelk.senses.columns import EarStageColumns, HeardColumns, NoiseColumns, PoseColumns
from snelk.senses.hearing import (
    AWAKE,
    CARES,
    HEARD,
    LIFT,
    NOBODY,
    PRESENT,
    REACH,
    UNDERFOOT,
    Codes,
    Heard,
    Noises,
    Numbers,
)
from snelk.senses.sight import EDGE
from snelk.senses.stage import ALL_ALIKE, APART, EarStage

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.casting import cast_ray, share_past
    from snelk.level.footing import floor_below, height_of
    from snelk.level.lengths import hypot
    from snelk.level.walking import length_around, straight_way

INF = float("inf")
NAN = float("nan")


def _strength_of(distance: float, limit: float) -> float:
    """How strong a noise arrives: 1 at no distance, falling to 0 at the limit; NaN beyond."""
    if limit <= 0.0 or distance > limit + EDGE:
        return NAN
    return min(max(1.0 - distance / limit, 0.0), 1.0)


@door
def pair_up(
    stage: EarStage,
    noises: Noises,
    count: int,
    made_at: NDArray[np.int64],
    tick: int,
    always: NDArray[np.bool_],
    due: NDArray[np.bool_],
    last: NDArray[np.int64],
    heard: Heard,
) -> int:
    """Who listens to which noise at a tick: pairs in the order of the noises; how many.

    Args:
        stage: The ears; nobody listens to itself.
        noises: The noises.
        count: How many of them there are.
        made_at: (noise,) the tick at which each was made.
        tick: The index of the tick.
        always: (variant, agent) who listens at each tick, to what was made at it.
        due: (variant, agent) who listens seldom and does so now, to what was made since the last.
        last: (variant, agent) the tick of that.
        heard: The pairs, of which nothing is known yet; overwritten.

    Raises:
        ValueError: These arrays do not agree.
    """
    found = _pair_up(
        laid_out(EarStageColumns, stage), laid_out(NoiseColumns, noises), count, made_at, tick,
        always, due, last, laid_out(HeardColumns, heard),
    )  # fmt: skip
    if found < 0:
        raise ValueError("turns or noises do not match the ears")
    return found


def _pair_up(
    stage: EarStage,
    noises: Noises,
    count: int,
    made_at: NDArray[np.int64],
    tick: int,
    always: NDArray[np.bool_],
    due: NDArray[np.bool_],
    last: NDArray[np.int64],
    heard: Heard,
) -> int:
    variants, agents, pair = stage.acuity.shape[0], stage.acuity.shape[1], 0
    same: bool = (
        variants == always.shape[0] == due.shape[0] == last.shape[0]
        and agents == always.shape[1] == due.shape[1] == last.shape[1]
        and 0 <= count <= made_at.shape[0]
        and count <= noises.t.shape[0]
        and count * agents <= heard.row.shape[0]
    )
    if not same:
        return -1
    for n in range(count):
        v = noises.variant[n]
        for a in range(agents):
            listens = due[v, a] and made_at[n] > last[v, a]
            if not listens and not (always[v, a] and made_at[n] == tick):
                continue
            if noises.by[n] == stage.characters[a]:
                continue
            _begin_pair(noises, n, a, pair, heard)
            pair += 1
    return pair


def _begin_pair(noises: Noises, n: int, a: int, pair: int, heard: Heard) -> None:
    """A pair without results yet."""
    heard.variant[pair], heard.row[pair], heard.agent[pair] = noises.variant[n], n, a
    heard.noise[pair], heard.by[pair] = noises.noise[n], noises.by[n]
    heard.wall[pair], heard.strength[pair] = NO_WALL, 0.0
    heard.acuity[pair], heard.background[pair], heard.limit[pair] = NAN, NAN, NAN
    heard.straight[pair], heard.through[pair], heard.height[pair] = NAN, NAN, NAN
    heard.around[pair], heard.x[pair], heard.y[pair] = NAN, NAN, NAN
    heard.ear[pair, 0], heard.ear[pair, 1], heard.ear[pair, 2] = NAN, NAN, NAN


@door
def at_ears(
    stage: EarStage,
    noises: Noises,
    poses: Poses,
    background: Numbers,
    walk: GroundStage,
    heard: Heard,
    pairs: int,
) -> int:
    """The gates of each pair of noise and agent, and both paths if the reach decides.

    Args:
        stage: The ears.
        noises: The noises.
        poses: Everybody's poses.
        background: (variant, character) noise that drowns others, 0 to 1.
        walk: The ground of somebody of no size.
        heard: The pairs; the rest is filled in.
        pairs: How many there are.

    Returns:
        Of how many pairs the path on foot is left to be found: it is not straight, and the paths
        between the corners of the ground are not known.

    Raises:
        ValueError: These arrays do not agree.
    """
    left = _at_ears_freely(
        laid_out(EarStageColumns, stage), laid_out(NoiseColumns, noises),
        laid_out(PoseColumns, poses), background, laid_out(GroundStageColumns, walk),
        laid_out(HeardColumns, heard), pairs,
    )  # fmt: skip
    if left < 0:
        raise ValueError("poses or pairs do not match the ears")
    return left


def _at_ears_freely(
    stage: EarStage,
    noises: Noises,
    poses: Poses,
    background: Numbers,
    walk: GroundStage,
    heard: Heard,
    pairs: int,
) -> int:
    """While other threads go on."""
    with nogil:
        return _at_ears(stage, noises, poses, background, walk, heard, pairs)


def _at_ears(
    stage: EarStage,
    noises: Noises,
    poses: Poses,
    background: Numbers,
    walk: GroundStage,
    heard: Heard,
    pairs: int,
) -> int:
    rows, left = poses.x.shape[0], 0
    same: bool = (
        0 <= pairs <= heard.row.shape[0]
        and background.shape[0] == stage.acuity.shape[0]
        and poses.x.shape[1] == background.shape[1] == stage.cares.shape[2] - 1
        and (rows == 1 or rows == background.shape[0])
    )
    if not same:
        return -1
    which = stage.which[0]
    if which == APART:
        return pairs  # one ground after the other
    for pair in range(pairs):
        n, a = heard.row[pair], heard.agent[pair]
        v = noises.variant[n]
        if which != ALL_ALIKE and stage.way_of[v] != which:
            continue
        p = v if rows > 1 else 0
        stage.scratch.row[0] = v if len(stage.scratch.opened) > 1 else 0
        i = stage.characters[a]
        _begin_pair(noises, n, a, pair, heard)  # it may have been judged on another ground
        if not poses.present[p, i]:
            heard.failed[pair] = PRESENT
            continue
        ear_z = poses.z[p, i] + stage.bodies.eyes[v, i, poses.posture[p, i]]
        x, y, z = noises.x[n], noises.y[n], noises.z[n]
        to_x, to_y = poses.x[p, i], poses.y[p, i]
        dx, dy, dz = to_x - x, to_y - y, ear_z - z
        straight = sqrt(dx * dx + dy * dy + dz * dz)
        heard.straight[pair], heard.height[pair] = straight, dz
        heard.ear[pair, 0], heard.ear[pair, 1] = to_x, to_y
        heard.ear[pair, 2] = poses.z[p, i]
        heard.acuity[pair] = stage.acuity[v, a] * stage.awake[v, a]
        heard.background[pair] = background[v, i]
        maker = noises.by[n] if noises.by[n] != NOBODY else stage.cares.shape[2] - 1
        limit = noises.reach[n] * heard.acuity[pair] * (1.0 - heard.background[pair])
        heard.limit[pair] = limit
        if not stage.cares[v, a, maker]:
            heard.failed[pair] = CARES
        elif stage.awake[v, a] <= 0.0:
            heard.failed[pair] = AWAKE
        else:
            heard.failed[pair] = REACH
            if limit > 0.0 and straight <= limit + EDGE:
                left += _by_both_ways(stage, noises, walk, x, y, z, to_x, to_y, ear_z, pair, heard)
    return left


def _by_both_ways(
    stage: EarStage,
    noises: Noises,
    walk: GroundStage,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    ear_z: float,
    pair: int,
    heard: Heard,
) -> bool:
    """Whether a noise is loud enough through what muffles it, or around on foot.

    Tell whether the path on foot is left to be found.
    """
    straight, limit = heard.straight[pair], heard.limit[pair]
    share, wall, _ = cast_ray(stage.sound_grid, stage.scratch, x, y, z + LIFT, to_x, to_y, ear_z)
    heard.through[pair], heard.wall[pair] = share, wall
    strength = _strength_of(straight, limit * share)
    sheet, to_sheet, walked = 0, 0, INF
    if len(stage.floors.planes) > 0:
        feet = heard.ear[pair, 2]
        sheet = floor_below(stage.floors, x, y, z + UNDERFOOT)
        to_sheet = floor_below(stage.floors, to_x, to_y, feet + STEP)
        if sheet >= 0 and to_sheet >= 0:
            # What is left to climb: the ear is above its floor, and the noise above its own.
            above = z - height_of(stage.floors, sheet, x, y)
            heard.height[pair] = ear_z - height_of(stage.floors, to_sheet, to_x, to_y) - above
            walked = straight_way(
                walk.grid, walk.scratch, walk.ground.joins, x, y, sheet, to_x, to_y, to_sheet
            )
    else:
        ground = min(z, heard.ear[pair, 2])  # the lower one of both
        free = share_past(stage.feet_grid, stage.scratch, x, y, ground, to_x, to_y, ground)
        if free > 0.0:
            heard.around[pair] = straight
            strength = _strength_of(straight, limit)
        elif ground != 0.0 and not stage.low < ground < stage.high:
            if not isnan(strength):
                _hear(noises, strength, pair, heard)
            return True
    if not isnan(strength):
        _hear(noises, strength, pair, heard)
    if walked < INF:
        _walk_to_ear(noises, walked, pair, heard)
    elif sheet < 0 or to_sheet < 0:  # nobody walks where there is no floor
        heard.around[pair] = INF
    if not isnan(heard.around[pair]) and sheet == to_sheet:
        return False  # from floor to floor a path that bends may be shorter
    if sheet < 0 or to_sheet < 0:
        return False
    if walk.ground.lengths.shape[0] < walk.ground.corners.shape[0]:
        return True
    around = length_around(
        walk.ground, walk.grid, walk.scratch, walk.room, x, y, sheet, to_x, to_y, to_sheet
    )
    walked = min(walked, around)
    _walk_to_ear(noises, walked, pair, heard)
    return False


def _hear(noises: Noises, strength: float, pair: int, heard: Heard) -> None:
    """Record that a noise is heard, at its position."""
    n = heard.row[pair]
    heard.failed[pair], heard.strength[pair] = HEARD, strength
    heard.x[pair], heard.y[pair] = noises.x[n], noises.y[n]


def _walk_to_ear(noises: Noises, walked: float, pair: int, heard: Heard) -> None:
    """Decide again by the path around walls, with this length in plan, m."""
    around, limit = hypot(walked, heard.height[pair]), heard.limit[pair]
    heard.around[pair] = around if around <= limit + EDGE else INF
    if around <= limit + EDGE:
        # Also a little beyond the limit it is heard, though it has no strength left.
        _hear(noises, max(heard.strength[pair], 1.0 - around / limit), pair, heard)


@door
def walk_to_ears(noises: Noises, pairs: Codes, walked: Numbers, heard: Heard) -> None:
    """Decide again about some pairs by the remaining paths on foot, (these pairs,) in m."""
    agree(pairs.shape, walked.shape)
    _walk_to_ears(laid_out(NoiseColumns, noises), pairs, walked, laid_out(HeardColumns, heard))


def _walk_to_ears(noises: Noises, pairs: Codes, walked: Numbers, heard: Heard) -> None:
    for n in range(len(pairs)):
        _walk_to_ear(noises, walked[n], pairs[n], heard)
