"""Whether a place is in a zone: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import nogil
from numpy.typing import NDArray

from snelk.level.columns import ZoneColumns, agree, door, laid_out
from snelk.level.zones import Zones


def inside(zones: Zones, zone: int, x: float, y: float) -> bool:
    """Whether a place is in a zone: the rim of a circle counts as inside.

    An outline is crossed an odd number of times on the way from inside to far away; of places
    exactly on an outline some count as inside and some do not, each always the same.
    """
    if zones.circles[zone, 2] > 0.0:
        dx, dy = x - zones.circles[zone, 0], y - zones.circles[zone, 1]
        radius = zones.circles[zone, 2]
        odd: bool = dx * dx + dy * dy <= radius * radius
        return odd
    odd = False
    for edge in range(zones.starts[zone], zones.starts[zone + 1]):
        ay, by = zones.edges[edge, 1], zones.edges[edge, 3]
        if (ay > y) != (by > y):
            ax, bx = zones.edges[edge, 0], zones.edges[edge, 2]
            if x < ax + (y - ay) / (by - ay) * (bx - ax):
                odd = not odd
    return odd


@door
def which_inside(
    zones: Zones, zone: int, places: NDArray[np.float64], found: NDArray[np.bool_]
) -> None:
    """Which of some places, (places, 2) in m, are in a zone; `found` is filled."""
    agree(places.shape, (len(found), 2))
    _which_inside(laid_out(ZoneColumns, zones), zone, places, found)


def _which_inside(
    zones: Zones, zone: int, places: NDArray[np.float64], found: NDArray[np.bool_]
) -> None:
    with nogil:
        for n in range(len(places)):
            found[n] = inside(zones, zone, places[n, 0], places[n, 1])
