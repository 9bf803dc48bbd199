"""The place everybody is in, as its zones make it, and how fast they come to it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.compiled import compiled
from snelk.level.zones import Zones, inside
from snelk.senses.bodies import Poses


class Around(NamedTuple):
    """What holds where zones say something, and where none does."""

    light: NDArray[np.float64]  # (variant,): where no zone says otherwise
    background: NDArray[np.float64]  # (variant,)
    zone_light: NDArray[np.float64]  # (zone,): NaN where the zone does not say
    zone_background: NDArray[np.float64]  # (zone,)


class Surroundings(NamedTuple):
    """The place everybody is in."""

    zones: NDArray[np.bool_]  # (variant or 1, character, zone): which of them it is in
    light: NDArray[np.float64]  # (variant, character), without lamps
    background: NDArray[np.float64]  # (variant, character)
    speed: NDArray[np.float64]  # (variant or 1, character), m/s; 0 at the first tick
    moved: NDArray[np.float64]  # (variant or 1, character), m in plan; -1 if not there before

    @classmethod
    def blank(cls, poses: Poses, around: Around) -> Surroundings:
        """Room for one tick."""
        shape = (len(around.light), poses.x.shape[1])
        zones = np.zeros((*poses.x.shape, len(around.zone_light)), dtype=np.bool_)
        return cls(zones, np.zeros(shape), np.zeros(shape), *np.zeros((2, *poses.x.shape)))


def around_of(
    setups: Sequence[Setup],
    zone_light: NDArray[np.float64],
    zone_background: NDArray[np.float64],
) -> Around:
    """Pack the surroundings of every variant into arrays."""
    light = np.array([setup.light for setup in setups], dtype=np.float64)
    background = np.array([setup.background for setup in setups], dtype=np.float64)
    return Around(light, background, zone_light, zone_background)


@compiled
def surround(
    poses: Poses,
    before: Poses,
    dt: float,
    zones: Zones,
    around: Around,
    surroundings: Surroundings,
) -> None:
    """One tick; of several zones that hold a place the last of the file that says it counts.

    `before` are the poses a tick of `dt` seconds ago.
    """
    for p in range(len(poses.x)):
        for j in range(poses.x.shape[1]):
            for zone in range(len(around.zone_light)):
                within = inside(zones, zone, poses.x[p, j], poses.y[p, j])
                surroundings.zones[p, j, zone] = within
            surroundings.speed[p, j], surroundings.moved[p, j] = 0.0, -1.0
            if poses.present[p, j] and before.present[p, j]:
                dx, dy = poses.x[p, j] - before.x[p, j], poses.y[p, j] - before.y[p, j]
                dz = poses.z[p, j] - before.z[p, j]
                surroundings.moved[p, j] = np.sqrt(dx * dx + dy * dy)
                surroundings.speed[p, j] = np.sqrt(dx * dx + dy * dy + dz * dz) / dt
    variants, characters = surroundings.light.shape
    for v in range(variants):
        p = v if len(poses.x) > 1 else 0
        for j in range(characters):
            light, background = around.light[v], around.background[v]
            for zone in range(len(around.zone_light)):
                if surroundings.zones[p, j, zone]:
                    if not np.isnan(around.zone_light[zone]):
                        light = around.zone_light[zone]
                    if not np.isnan(around.zone_background[zone]):
                        background = around.zone_background[zone]
            surroundings.light[v, j] = light
            surroundings.background[v, j] = background
