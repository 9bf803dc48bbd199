"""The light on each character at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import sqrt
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, agree, door, laid_out, plain
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import BodyColumns, LightColumns, PoseColumns
from snelk.senses.light import LightNumbers

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.casting import share_past

NAN = float("nan")


@door
def shine(
    poses: Poses,
    bodies: Bodies,
    numbers: LightNumbers,
    ground: NDArray[np.float64],
    whom: NDArray[np.int32],
    grid: Grid,
    scratch: Scratch,
    light: NDArray[np.float64],
) -> None:
    """Light on characters, written to `light`, (variant, character), 0 to 1; NaN while absent.

    `ground`, (variant, character), is the light of the place everybody is in; `whom` are the
    characters it is asked of. A lamp adds
    its light, falling in a straight line to nothing at its reach, times what walls let pass on
    the path to the middle of the body; its bearer has it in full.
    """
    agree(light.shape, ground.shape, plain(numbers).lamp.shape, plain(bodies).blocks.shape)
    agree((bool((whom >= 0).all() and (whom < light.shape[1]).all()),), (True,))
    agree(light.shape[1:], plain(poses).x.shape[1:])
    agree_scratch(scratch, grid, len(light))
    _shine(
        laid_out(PoseColumns, poses),
        laid_out(BodyColumns, bodies),
        laid_out(LightColumns, numbers),
        ground,
        whom,
        laid_out(GridColumns, grid),
        scratch,
        light,
    )


def _shine(
    poses: Poses,
    bodies: Bodies,
    numbers: LightNumbers,
    ground: NDArray[np.float64],
    whom: NDArray[np.int32],
    grid: Grid,
    scratch: Scratch,
    light: NDArray[np.float64],
) -> None:
    characters = light.shape[1]
    for v in range(len(light)):
        scratch.row[0] = v if len(scratch.opened) > 1 else 0
        p = v if len(poses.x) > 1 else 0
        for n in range(len(whom)):
            j = whom[n]
            if not poses.present[p, j]:
                light[v, j] = NAN
                continue
            x, y = poses.x[p, j], poses.y[p, j]
            z = poses.z[p, j] + 0.5 * bodies.height[v, j, poses.posture[p, j]]
            total = ground[v, j]
            for i in range(characters):
                if numbers.lamp[v, i] <= 0.0 or not poses.present[p, i]:
                    continue
                lamp_z = poses.z[p, i] + 0.5 * bodies.height[v, i, poses.posture[p, i]]
                dx, dy, dz = x - poses.x[p, i], y - poses.y[p, i], z - lamp_z
                distance = sqrt(dx * dx + dy * dy + dz * dz)
                own = lamp_light(numbers, v, i, distance)
                if own <= 0.0:
                    continue
                share = 1.0
                if i != j:
                    share = share_past(grid, scratch, poses.x[p, i], poses.y[p, i], lamp_z, x, y, z)
                total += own * share
            light[v, j] = min(max(total, numbers.least[v, j]), 1.0)


def lamp_light(numbers: LightNumbers, v: int, i: int, distance: float) -> float:
    """The light of a lamp at a distance, m, if nothing blocks it."""
    if distance >= numbers.reach[v, i]:
        return 0.0
    return float(numbers.lamp[v, i] * (1.0 - distance / numbers.reach[v, i]))
