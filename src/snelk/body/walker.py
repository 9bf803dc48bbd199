"""The walkable ground of one agent."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.level.growing import HAIR
from snelk.level.ways import Ways

Numbers = NDArray[np.float64]


class Walker:
    """The part of the ground that an agent walks on, and the paths over it, as (x, y, z).

    Args:
        ways: The paths of a body of its size, within its territory.
        free: The paths of a body of no size: where nothing but a wall is in the way.
        here: Where it stands, m.

    Attributes:
        part: The index of its part of the ground; -1 if there is none.
    """

    def __init__(self, ways: Ways, free: Ways, here: Numbers) -> None:
        self.ways, self._free = ways, free
        self.part = ways.part_at(here)

    def stands_at(self, here: Numbers) -> None:
        """A link may have brought it to another part of the ground."""
        part = self.ways.part_on(here) if self.ways.has_links else -1
        self.part = self.part if part < 0 else part

    @property
    def areas(self) -> list[tuple[BaseGeometry, int]]:
        """Its part of the ground, floor by floor; none if there is none."""
        return self.ways.areas_of(self.part) if self.part >= 0 else []

    @property
    def reach(self) -> tuple[int, ...]:
        """The parts of the ground that are in reach from its own, that first."""
        return self.ways.reach(self.part) if self.part >= 0 else ()

    def areas_in(self, parts: Sequence[int]) -> list[tuple[BaseGeometry, int]]:
        """The areas of some parts of the ground, each with its floor."""
        return [area for part in parts if part >= 0 for area in self.ways.areas_of(part)]

    def area_on(self, sheet: int) -> BaseGeometry:
        """Its part of the ground on a floor; empty if there is none."""
        return self.ways.area_on(self.part, sheet) if self.part >= 0 else shapely.Polygon()

    def nearest(self, place: Numbers) -> Numbers:
        """The position itself, or the nearest one where it can stand."""
        return self.ways.nearest(place, self.part)

    def length(self, start: Numbers, goal: Numbers, *, stays: bool = True) -> float:
        """Length of the path between two positions, or the nearest where it can stand, m.

        It stands at the first, and `stays` near its floor; see `Ways.nearest`.
        """
        if self.part < 0:
            return float("inf")
        return self.ways.length_on(self.part, start, goal, stays=stays)

    def path(self, start: Numbers, goal: Numbers) -> Numbers | None:
        """The path to a position, (points, 5), or as near as it can get; None if there is none.

        First back onto the ground, if it stands too near a wall by more than a hair and none is
        between. By no more than that it sets out from where it is.
        """
        if self.part < 0:
            return None
        on = self.ways.nearest(start, self.part, stays=True)
        if np.linalg.norm(on - start) <= HAIR:
            return self.ways.way(on, self.nearest(goal), start)
        way = self.ways.way(on, self.nearest(goal))
        if way is None:
            return None
        if not self._free.clear(start[None], on[None])[0]:
            return None
        return np.concatenate([[(on[0], on[1], 1.0, -1.0, -1.0)], way])
