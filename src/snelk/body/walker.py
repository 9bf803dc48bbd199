"""The ground that one agent walks on."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.level.ways import Ways

Numbers = NDArray[np.float64]
Place = tuple[float, float]


class Walker:
    """The part of the ground that an agent walks on, and the ways over it.

    Args:
        ways: The ways of a body of its size, within its territory.
        free: The ways of a body of no size: where nothing but a wall is in the way.
        here: Where it stands, m.

    Attributes:
        part: The index of its part of the ground; -1 if there is none.
    """

    def __init__(self, ways: Ways, free: Ways, here: Place) -> None:
        self.ways, self._free = ways, free
        self.part = ways.part_at(np.array(here))

    @property
    def area(self) -> shapely.Geometry:
        """Its part of the ground; empty if there is none."""
        return self.ways.parts[self.part] if self.part >= 0 else shapely.Polygon()

    def holds(self, places: Numbers) -> NDArray[np.bool_]:
        """Which places, (places, 2) in m, are on its part of the ground."""
        return self.ways.holds(self.part, places)

    def nearest(self, place: Place | Numbers) -> Numbers:
        """The place itself, or if it cannot stand there the nearest where it can."""
        return self.ways.nearest(np.asarray(place, dtype=np.float64), self.part)

    def length(self, start: Place, goal: Place) -> float:
        """The length of the way between two places, or the nearest where it can stand, m."""
        if self.part < 0:
            return float("inf")
        return self.ways.length_on(self.part, start, goal)

    def path(self, start: Place, goal: Numbers) -> Numbers | None:
        """The way to a place, (places, 2) in m, or as near as it can get; None if there is none.

        First back onto the ground, if it stands too near a wall and none is between.
        """
        if self.part < 0:
            return None
        here = np.array(start)
        on = self.nearest(here)
        way = self.ways.path(on, self.nearest(goal))
        if way is None or on is here:
            return way
        if not self._free.clear(here[None], on[None])[0]:
            return None
        return np.concatenate([on[None], way])
