"""Light that falls on each character: of the place it is in, and of lamps that are carried."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import agree_axes


class LightNumbers(NamedTuple):
    """The lamps; see `light_numbers`."""

    lamp: NDArray[np.float64]  # (variant, character): light close to its lamp, 0 without one
    reach: NDArray[np.float64]  # (variant, character), m

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants characters")


def light_numbers(setups: Sequence[Setup]) -> LightNumbers:
    """Pack the lamps of every variant into arrays."""
    lamps = [[member.lamp for member in setup.cast.values()] for setup in setups]
    shape = (len(setups), len(setups[0].cast))
    light = np.array([[lamp.light if lamp else 0.0 for lamp in row] for row in lamps])
    reach = np.array([[lamp.reach if lamp else 1.0 for lamp in row] for row in lamps])
    return LightNumbers(light.reshape(shape), reach.reshape(shape))
