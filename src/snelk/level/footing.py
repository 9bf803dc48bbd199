"""The floor below a character; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import fabs
from numpy.typing import NDArray

from snelk.config.steps import STEP
from snelk.level.columns import FloorColumns, agree, door, laid_out
from snelk.level.floors import Floors
from snelk.level.zones import OUTSIDE

if not compiled:
    from snelk.level.lengths import hypot
    from snelk.level.within import where_in

RIM = 1e-9
"""A place so near to the rim of a floor is on it, m."""

INF = float("inf")
NAN = float("nan")


@door
def footing(floors: Floors, x: float, y: float, z: float) -> float:
    """How high the highest floor is that is at most a step above feet, m; NaN for none."""
    return highest_below(laid_out(FloorColumns, floors), x, y, z + STEP)


@door
def follow_floors(
    floors: Floors, x: NDArray[np.float64], y: NDArray[np.float64], z: NDArray[np.float64]
) -> None:
    """Put characters recorded without heights on floors.

    Args:
        floors: The floors.
        x: (places,) one after another, m.
        y: The same.
        z: The same, of which the first is known; where there is no floor it stays as it was.
    """
    agree(x.shape, y.shape, z.shape)
    _follow_floors(laid_out(FloorColumns, floors), x, y, z)


@door
def floors_below(floors: Floors, places: NDArray[np.float64], found: NDArray[np.int32]) -> None:
    """The floors below positions, (positions, 3) in m: by number, -1 for none."""
    agree(places.shape, (len(found), 3))
    _floors_below(laid_out(FloorColumns, floors), places, found)


def _floors_below(floors: Floors, places: NDArray[np.float64], found: NDArray[np.int32]) -> None:
    with nogil:
        for n in range(len(places)):
            found[n] = floor_below(floors, places[n, 0], places[n, 1], places[n, 2] + STEP)


def _follow_floors(
    floors: Floors, x: NDArray[np.float64], y: NDArray[np.float64], z: NDArray[np.float64]
) -> None:
    with nogil:
        for n in range(len(x)):
            before = z[max(n - 1, 0)]
            height = highest_below(floors, x[n], y[n], before + STEP)
            z[n] = height if height == height else before


def highest_below(floors: Floors, x: float, y: float, limit: float) -> float:
    """How high the highest floor at a place is that is not above a limit, m; NaN for none."""
    floor = floor_below(floors, x, y, limit)
    return height_of(floors, floor, x, y) if floor >= 0 else NAN


def floor_below(floors: Floors, x: float, y: float, limit: float) -> int:
    """The same floor by its number; of floors as high the first; -1 for none."""
    best, found = -INF, -1
    for floor in range(len(floors.planes)):
        height = height_of(floors, floor, x, y)
        if height > limit or height <= best:
            continue
        low, high = floors.starts[floor], floors.starts[floor + 1]
        if where_in(floors.edges, low, high, x, y) != OUTSIDE or _at_rim(floors, low, high, x, y):
            best, found = height, floor
    return found


def _at_rim(floors: Floors, first: int, last: int, x: float, y: float) -> bool:
    """Whether a place is on one of some edges, but for rounding: so nobody falls between tiles."""
    for edge in range(first, last):
        ax, ay = floors.edges[edge, 0] - x, floors.edges[edge, 1] - y
        bx, by = floors.edges[edge, 2] - x, floors.edges[edge, 3] - y
        if min(ax, bx) > RIM or max(ax, bx) < -RIM or min(ay, by) > RIM or max(ay, by) < -RIM:
            continue
        if fabs(ax * by - ay * bx) <= RIM * hypot(bx - ax, by - ay):
            return True
    return False


def height_of(floors: Floors, floor: int, x: float, y: float) -> float:
    """How high a floor is at a place, m."""
    height: float = floors.planes[floor, 0] * x + floors.planes[floor, 1] * y
    height += floors.planes[floor, 2]
    return height
