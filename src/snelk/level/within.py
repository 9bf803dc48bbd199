"""Whether a position is in a zone; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from numpy.typing import NDArray

from snelk.level.columns import ZoneColumns, agree, door, laid_out
from snelk.level.zones import INSIDE, ON_EDGE, OUTSIDE, Zones

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.lengths import hypot

INF = float("inf")


def inside(zones: Zones, zone: int, x: float, y: float, z: float) -> bool:
    """Whether a place is in a zone; its rim or outline, base and top belong to it."""
    height = z - (zones.planes[zone, 0] * x + zones.planes[zone, 1] * y + zones.planes[zone, 2])
    if not zones.spans[zone, 0] <= height <= zones.spans[zone, 1]:
        return False
    if zones.circles[zone, 2] > 0.0:
        dx, dy = x - zones.circles[zone, 0], y - zones.circles[zone, 1]
        radius = zones.circles[zone, 2]
        near: bool = dx * dx + dy * dy <= radius * radius
        return near
    return where_in(zones.edges, zones.starts[zone], zones.starts[zone + 1], x, y) != OUTSIDE


def where_in(edges: NDArray[np.float64], low: int, high: int, x: float, y: float) -> int:
    """Where a place is in the area that some edges enclose: OUTSIDE, INSIDE or ON_EDGE.

    The edges are those from number `low` up to `high`, ax, ay, bx, by each. A line from a place
    inside to the right crosses an odd number of them.
    """
    found = OUTSIDE
    for edge in range(low, high):
        ax, ay, bx, by = edges[edge, 0], edges[edge, 1], edges[edge, 2], edges[edge, 3]
        if min(ay, by) <= y <= max(ay, by):
            side = (bx - ax) * (y - ay) - (by - ay) * (x - ax)
            if side == 0.0 and min(ax, bx) <= x <= max(ax, bx):
                return ON_EDGE
            to_right = side > 0.0 if by > ay else side < 0.0
            if (ay > y) != (by > y) and to_right:
                found = INSIDE if found == OUTSIDE else OUTSIDE
    return found


@door
def which_inside(
    zones: Zones, zone: int, places: NDArray[np.float64], found: NDArray[np.bool_]
) -> None:
    """Which of some places, (places, 3) in m, are in a zone; `found` is filled."""
    agree(places.shape, (len(found), 3))
    _which_inside(laid_out(ZoneColumns, zones), zone, places, found)


def _which_inside(
    zones: Zones, zone: int, places: NDArray[np.float64], found: NDArray[np.bool_]
) -> None:
    with nogil:
        for n in range(len(places)):
            found[n] = inside(zones, zone, places[n, 0], places[n, 1], places[n, 2])


@door
def edge_ahead(
    edges: NDArray[np.float64], x: float, y: float, dx: float, dy: float, least: float
) -> tuple[float, float, float]:
    """How far off an edge is in a direction, and the direction that points back from it.

    Args:
        edges: (edges, 4) ax, ay, bx, by, m.
        x: A place, m.
        y: The same.
        dx: A direction of length 1.
        dy: The same.
        least: An edge that is not farther than this does not count, m.

    Returns:
        Metres, and x and y of the normal; 0 and the way back if there is no edge.
    """
    agree(edges.shape, (len(edges), 4))
    return _edge_ahead(edges, 0, len(edges), x, y, dx, dy, least)


def _edge_ahead(
    edges: NDArray[np.float64],
    low: int,
    high: int,
    x: float,
    y: float,
    dx: float,
    dy: float,
    least: float,
) -> tuple[float, float, float]:
    nearest, normal_x, normal_y = INF, -dx, -dy
    for edge in range(low, high):
        along_x = edges[edge, 2] - edges[edge, 0]
        along_y = edges[edge, 3] - edges[edge, 1]
        across = dx * along_y - dy * along_x
        to_x, to_y = edges[edge, 0] - x, edges[edge, 1] - y
        far = (to_x * along_y - to_y * along_x) / across
        share = (to_x * dy - to_y * dx) / across
        if least < far < nearest and 0.0 <= share <= 1.0:
            length = hypot(along_x, along_y)
            nearest, normal_x, normal_y = far, -along_y / length, along_x / length
    if normal_x * dx + normal_y * dy > 0.0:
        normal_x, normal_y = -normal_x, -normal_y
    return nearest if nearest < INF else 0.0, normal_x, normal_y
