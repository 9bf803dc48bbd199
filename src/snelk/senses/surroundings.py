"""Zones, background and light at each character's position, and its speed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import agree_axes
from snelk.level.level import Level
from snelk.senses.bodies import Poses
from snelk.senses.doors import light_of_zones


class Around(NamedTuple):
    """The properties of zones, and of the rest of the level."""

    light: NDArray[np.float64]  # (variant,): where no zone says otherwise
    background: NDArray[np.float64]  # (variant,)
    zone_light: NDArray[np.float64]  # (variant, zone) as it is now; NaN where it does not say
    zone_background: NDArray[np.float64]  # (zone,)

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants", zone_light="variants zones", zone_background="zones")


class Surroundings(NamedTuple):
    """The place everybody is in."""

    zones: NDArray[np.bool_]  # (variant or 1, character, zone): which of them it is in
    light: NDArray[np.float64]  # (variant, character), without lamps
    background: NDArray[np.float64]  # (variant, character)
    speed: NDArray[np.float64]  # (variant or 1, character), m/s; 0 at the first tick
    moved: NDArray[np.float64]  # (variant or 1, character), m in plan; -1 if not there before

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "rows characters",
            zones="rows characters zones",
            light="variants characters",
            background="variants characters",
        )

    @classmethod
    def blank(cls, poses: Poses, around: Around) -> Surroundings:
        """Room for one tick."""
        shape = (len(around.light), poses.x.shape[1])
        zones = np.zeros((*poses.x.shape, len(around.zone_background)), dtype=np.bool_)
        return cls(zones, np.zeros(shape), np.zeros(shape), *np.zeros((2, *poses.x.shape)))


def around_of(
    setups: Sequence[Setup], level: Level, zone_light: NDArray[np.float64] | None = None
) -> Around:
    """Pack the surroundings of every variant into arrays, with lights as they are at first."""
    light = np.array([setup.light for setup in setups], dtype=np.float64)
    background = np.array([setup.background for setup in setups], dtype=np.float64)
    if zone_light is None:
        zone_light = light_of_zones(setups, level)
    return Around(light, background, zone_light, level.zone_background)
