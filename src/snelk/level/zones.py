"""Which zone a position is in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.config.steps import HEADROOM, STEP
from snelk.level.columns import agree, agree_axes

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.config.models import Zone


OUTSIDE, INSIDE, ON_EDGE = range(3)
"""Where a place is in an area."""


class Zones(NamedTuple):
    """Zones as circles and as outlines; a zone has the one or the other."""

    circles: NDArray[np.float64]  # (zone, 3): x, y, radius in m; radius 0 for an outline
    starts: NDArray[np.int32]  # (zone + 1,): where a zone's edges begin
    edges: NDArray[np.float64]  # (edges, 4): ax, ay, bx, by, m
    planes: NDArray[np.float64]  # (zone, 3): a, b, c of the plane that heights are counted from
    spans: NDArray[np.float64]  # (zone, 2): from and to which height above that, m; may be infinite

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "",
            circles="zones 3",
            starts="bounds",
            edges="edges 4",
            planes="zones 3",
            spans="zones 2",
        )
        agree((len(self.starts), int(self.starts[-1])), (len(self.circles) + 1, len(self.edges)))


def build_zones(
    zones: Sequence[tuple[Zone, BaseGeometry]], floors: Mapping[str, NDArray[np.float64]]
) -> Zones:
    """Pack zones into arrays, in the order of the file; `floors` are planes by name."""
    circles, planes = np.zeros((len(zones), 3)), np.zeros((len(zones), 3))
    spans = np.tile([-np.inf, np.inf], (len(zones), 1))
    edges: list[NDArray[np.float64]] = []
    starts = [0]
    for n, (zone, geometry) in enumerate(zones):
        if zone.floor is not None:
            planes[n], spans[n] = floors[zone.floor], (-STEP, HEADROOM)
        if zone.base is not None:
            spans[n, 0] = zone.base
        if zone.top is not None:
            spans[n, 1] = zone.top
        found = np.zeros((0, 4))
        if zone.radius is not None:
            circles[n, :2], circles[n, 2] = shapely.get_coordinates(geometry)[0], zone.radius
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
        planes,
        spans,
    )
