"""Which zone a place is in."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.level.compiled import inlined

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.config.models import Zone


class Zones(NamedTuple):
    """Zones as circles and as outlines; a zone has the one or the other."""

    circles: NDArray[np.float64]  # (zone, 3): x, y, radius in m; radius 0 for an outline
    starts: NDArray[np.int32]  # (zone + 1,): where a zone's edges begin
    edges: NDArray[np.float64]  # (edges, 4): ax, ay, bx, by, m


def build_zones(zones: Sequence[tuple[Zone, BaseGeometry]]) -> Zones:
    """Pack zones into arrays, in the order of the file."""
    circles = np.zeros((len(zones), 3))
    edges: list[NDArray[np.float64]] = []
    starts = [0]
    for n, (zone, geometry) in enumerate(zones):
        found = np.zeros((0, 4))
        if zone.radius is not None:
            circles[n] = geometry.x, geometry.y, zone.radius
        else:
            rings = [
                shapely.get_coordinates(ring)
                for part in shapely.get_parts(geometry)
                for ring in (part.exterior, *part.interiors)
            ]
            found = np.concatenate([np.hstack([ring[:-1], ring[1:]]) for ring in rings])
        edges.append(found)
        starts.append(starts[-1] + len(found))
    return Zones(
        circles,
        np.array(starts, dtype=np.int32),
        np.ascontiguousarray(np.concatenate([np.zeros((0, 4)), *edges])),
    )


@inlined
def inside(zones: Zones, zone: int, x: float, y: float) -> bool:
    """Whether a place is in a zone: the rim of a circle counts as inside.

    An outline is crossed an odd number of times on the way from inside to far away; of places
    exactly on an outline some count as inside and some do not, each always the same.
    """
    if zones.circles[zone, 2] > 0.0:
        dx, dy = x - zones.circles[zone, 0], y - zones.circles[zone, 1]
        return bool(dx * dx + dy * dy <= zones.circles[zone, 2] * zones.circles[zone, 2])
    odd = False
    for edge in range(zones.starts[zone], zones.starts[zone + 1]):
        ay, by = zones.edges[edge, 1], zones.edges[edge, 3]
        if (ay > y) != (by > y):
            ax, bx = zones.edges[edge, 0], zones.edges[edge, 2]
            if x < ax + (y - ay) / (by - ay) * (bx - ax):
                odd = not odd
    return odd
