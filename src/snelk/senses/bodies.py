"""Where everybody is, and how tall: what all senses share."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup


class Poses(NamedTuple):
    """Where everybody is: (variant, character), or (1, character) if alike in all variants."""

    x: NDArray[np.float64]  # m
    y: NDArray[np.float64]
    z: NDArray[np.float64]  # the ground they stand on
    heading: NDArray[np.float64]  # rad
    posture: NDArray[np.int8]
    present: NDArray[np.bool_]


class Bodies(NamedTuple):
    """How tall everybody is in each posture: (variant, character, posture), m."""

    height: NDArray[np.float64]
    eyes: NDArray[np.float64]  # above the ground


def bodies_of(setups: Sequence[Setup]) -> Bodies:
    """Pack the bodies of every variant into arrays."""
    rows = [[setup.body_of(name) for name in setup.cast] for setup in setups]
    shape = (len(setups), len(setups[0].cast))
    height = np.array([[body.heights() for body in row] for row in rows], dtype=np.float64)
    eyes = np.array([[body.eyes for body in row] for row in rows], dtype=np.float64)
    height = height.reshape(*shape, 3)
    return Bodies(height, height * eyes.reshape(*shape, 1))
