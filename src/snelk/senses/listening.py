"""The gates between noises and ears: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import isnan, sqrt
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, agree, door, laid_out, plain
from snelk.level.grid import Grid
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

NAN = float("nan")


def _strength_of(distance: float, limit: float) -> float:
    """How strong a noise arrives: 1 at no distance, falling to 0 at the limit; NaN beyond."""
    if limit <= 0.0 or distance > limit + EDGE:
        return NAN
    return min(max(1.0 - distance / limit, 0.0), 1.0)


@door
def at_ears(
    noises: Noises,
    of_noise: Codes,
    of_agent: Codes,
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
    heard: Heard,
) -> None:
    """The gates of each pair of noise and agent, and both ways where the reach has to decide.

    A way on foot that is not straight is left to be found: it stays NaN.
    """
    agree(of_noise.shape, of_agent.shape, plain(heard).failed.shape)
    agree(background.shape, plain(bodies).blocks.shape, (len(background), plain(poses).x.shape[1]))
    agree(acuity.shape, awake.shape, cares.shape[:2], (len(background), len(characters)))
    agree(
        scratch.shape,
        (len(plain(sound_grid).see_through) + 1,),
        (len(plain(plan_grid).see_through) + 1,),
    )
    _at_ears(
        laid_out(NoiseColumns, noises),
        of_noise,
        of_agent,
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
        laid_out(HeardColumns, heard),
    )


def _at_ears(
    noises: Noises,
    of_noise: Codes,
    of_agent: Codes,
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
    heard: Heard,
) -> None:
    with nogil:
        for pair in range(len(of_noise)):
            n, a = of_noise[pair], of_agent[pair]
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
                        heard.failed[pair], heard.strength[pair] = HEARD, strength
