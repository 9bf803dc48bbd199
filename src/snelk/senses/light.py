"""Light that falls on each character: of the place it is in, and of lamps that are carried."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.compiled import compiled
from snelk.level.rays import Grid, cast_ray
from snelk.senses.bodies import Bodies, Poses


class LightNumbers(NamedTuple):
    """The lamps; see `light_numbers`."""

    lamp: NDArray[np.float64]  # (variant, character): light close to its lamp, 0 without one
    reach: NDArray[np.float64]  # (variant, character), m


def light_numbers(setups: Sequence[Setup]) -> LightNumbers:
    """Pack the lamps of every variant into arrays."""
    lamps = [[member.lamp for member in setup.cast.values()] for setup in setups]
    shape = (len(setups), len(setups[0].cast))
    light = np.array([[lamp.light if lamp else 0.0 for lamp in row] for row in lamps])
    reach = np.array([[lamp.reach if lamp else 1.0 for lamp in row] for row in lamps])
    return LightNumbers(light.reshape(shape), reach.reshape(shape))


@compiled
def shine(
    poses: Poses,
    bodies: Bodies,
    numbers: LightNumbers,
    ground: NDArray[np.float64],
    grid: Grid,
    scratch: NDArray[np.int64],
    light: NDArray[np.float64],
) -> None:
    """Light on everybody, written to `light`, (variant, character), 0 to 1; NaN while absent.

    `ground`, (variant, character), is the light of the place everybody is in. A lamp adds
    its light, falling in a straight line to nothing at its reach, times what walls let pass on
    the way to the middle of the body; its bearer has it in full.
    """
    variants, characters = light.shape
    for v in range(variants):
        p = v if len(poses.x) > 1 else 0
        for j in range(characters):
            if not poses.present[p, j]:
                light[v, j] = np.nan
                continue
            x, y = poses.x[p, j], poses.y[p, j]
            z = poses.z[p, j] + 0.5 * bodies.height[v, j, poses.posture[p, j]]
            total = ground[v, j]
            for i in range(characters):
                if numbers.lamp[v, i] <= 0.0 or not poses.present[p, i]:
                    continue
                lamp_z = poses.z[p, i] + 0.5 * bodies.height[v, i, poses.posture[p, i]]
                dx, dy, dz = x - poses.x[p, i], y - poses.y[p, i], z - lamp_z
                distance = np.sqrt(dx * dx + dy * dy + dz * dz)
                if distance >= numbers.reach[v, i]:
                    continue
                share = 1.0
                if i != j:
                    share, _, _ = cast_ray(
                        grid, scratch, poses.x[p, i], poses.y[p, i], lamp_z, x, y, z
                    )
                total += numbers.lamp[v, i] * (1.0 - distance / numbers.reach[v, i]) * share
            light[v, j] = min(total, 1.0)
