"""The poses and heights of all characters, which all senses share."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import agree_axes


class Poses(NamedTuple):
    """The poses of all characters: (variant, character), or (1, character) if all are equal."""

    x: NDArray[np.float64]  # m
    y: NDArray[np.float64]
    z: NDArray[np.float64]  # the ground they stand on
    heading: NDArray[np.float64]  # rad
    posture: NDArray[np.int8]
    gait: NDArray[np.int8]  # index of GAITS; -1 where it is told by the speed
    present: NDArray[np.bool_]

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "...rows characters")

    def place(self, v: int, j: int) -> tuple[float, float, float]:
        """Where a character is, m: the first row is that of all variants if there is but one."""
        at = v if len(self.x) > 1 else 0, j
        return float(self.x[at]), float(self.y[at]), float(self.z[at])


class Bodies(NamedTuple):
    """How tall everybody is in each posture, and which points of a body are looked for."""

    height: NDArray[np.float64]  # (variant, character, posture), m
    eyes: NDArray[np.float64]  # the same, above the ground
    points: NDArray[np.float64]  # (variant, character, point, 2): share of height, weight
    blocks: NDArray[np.float64]  # (variant, character): radius of those that block, m, or 0
    lies: NDArray[np.int32]  # (variant, character): of a clue, whoever lies there still, or -1

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants characters",
            height="variants characters postures",
            eyes="variants characters postures",
            points="variants characters points 2",
        )


FIRST_BODY = -2
"""Of what is in the way of a ray: character n is this less n; a wall is 0 or more, -1 nothing."""


def blockers_of(walls: Sequence[str], names: Sequence[str]) -> tuple[str, ...]:
    """The names of everything that can block, walls first; see `blocker_codes`."""
    return (*walls, *names)


def blocker_codes(found: NDArray[Any], walls: int) -> NDArray[Any]:
    """Indices into `blockers_of` of what blocks rays; -1 for nothing.

    >>> blocker_codes(np.array([-1, 0, 2, -2, -4]), 3).tolist()
    [-1, 0, 2, 3, 5]
    """
    codes: NDArray[Any] = np.where(found <= FIRST_BODY, walls + FIRST_BODY - found, found)
    return codes


def gap_between(
    low: NDArray[np.float64],
    high: NDArray[np.float64],
    other_low: NDArray[np.float64],
    other_high: NDArray[np.float64],
) -> NDArray[np.float64]:
    """How much air there is in height between bodies from their feet to their heads, m.

    0 where they stand beside one another; arrays of shapes that fit together.
    """
    return np.maximum(np.maximum(other_low - high, low - other_high), 0.0)


def bodies_of(setups: Sequence[Setup]) -> Bodies:
    """Pack the bodies of every variant into arrays.

    The point nearest to the middle comes first; weights add up to 1, and are 0 for points that
    a body with fewer of them does not have.
    """
    rows = [[setup.body_of(name) for name in setup.cast] for setup in setups]
    shape = (len(setups), len(setups[0].cast))
    height = np.array([[body.heights() for body in row] for row in rows], dtype=np.float64)
    eyes = np.array([[body.eyes for body in row] for row in rows], dtype=np.float64)
    height = height.reshape(*shape, 3)
    points = np.zeros((*shape, max((len(b.points) for r in rows for b in r), default=0), 2))
    for v, row in enumerate(rows):
        for j, body in enumerate(row):
            middle_first = sorted(body.points, key=lambda point: abs(point[0] - 0.5))
            points[v, j, : len(middle_first)] = middle_first
            points[v, j, :, 1] /= points[v, j, :, 1].sum()
    blocks = [[body.radius if body.blocks else 0.0 for body in row] for row in rows]
    radius = np.array(blocks, dtype=np.float64).reshape(shape)
    lies = np.full(shape, -1, dtype=np.int32)
    for v, setup in enumerate(setups):
        names = list(setup.cast)
        for j, member in enumerate(setup.cast.values()):
            if member.clue is not None and member.clue.still is not None:
                lies[v, j] = names.index(member.clue.still)
    return Bodies(height, height * eyes.reshape(*shape, 1), points, radius, lies)
