"""The light on each character: of its position, and of carried lamps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import agree_axes


class LightNumbers(NamedTuple):
    """The lamps; see `light_numbers`."""

    lamp: NDArray[np.float64]  # (variant, character): light close to its lamp, 0 without one
    reach: NDArray[np.float64]  # (variant, character), m
    least: NDArray[np.float64]  # (variant, character): light on a clue that a light is out, else 0

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants characters")


def light_numbers(setups: Sequence[Setup], zones: Mapping[str, float]) -> LightNumbers:
    """Pack the lamps of every variant into arrays; `zones` is the light of each while lit.

    That a light is out is noticed by the dark, as well as the place would be while lit.
    """
    lamps = [[member.lamp for member in setup.cast.values()] for setup in setups]
    shape = (len(setups), len(setups[0].cast))
    light = np.array([[lamp.light if lamp else 0.0 for lamp in row] for row in lamps])
    reach = np.array([[lamp.reach if lamp else 1.0 for lamp in row] for row in lamps])
    least = np.zeros(shape)
    for v, setup in enumerate(setups):
        for j, member in enumerate(setup.cast.values()):
            if member.clue is not None and member.clue.dark is not None:
                least[v, j] = zones[member.clue.dark]
    return LightNumbers(light.reshape(shape), reach.reshape(shape), least)
