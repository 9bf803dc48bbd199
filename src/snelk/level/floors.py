"""Floors: what a character stands on, and how high it is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.config.geojson import plane_of
from snelk.level.columns import FloorColumns, agree, agree_axes, laid_out
from snelk.level.outlines import edges_of

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.config.models import Floor


class Floors(NamedTuple):
    """Floors as planes z = a x + b y + c over areas in plan, in the order of the file."""

    planes: NDArray[np.float64]  # (floors, 3): a, b, c
    spans: NDArray[np.float64]  # (floors, 2): lowest and highest, m
    edges: NDArray[np.float64]  # (edges, 4): ax, ay, bx, by, m
    starts: NDArray[np.int32]  # (floors + 1,): where the edges of each begin

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "", planes="floors 3", spans="floors 2", edges="edges 4", starts="bounds")
        agree((len(self.starts),), (len(self.planes) + 1,))
        agree((int(self.starts[-1]),), (len(self.edges),))


def build_floors(floors: Sequence[tuple[Floor, BaseGeometry]]) -> Floors:
    """Pack floors into arrays; compiled, as loops read them."""
    planes, spans = np.zeros((len(floors), 3)), np.zeros((len(floors), 2))
    for n, (floor, area) in enumerate(floors):
        corners = shapely.get_coordinates(area, include_z=True)
        if not np.isfinite(corners[:, 2]).any():
            corners[:, 2] = floor.height or 0.0
        planes[n] = plane_of(corners)
        spans[n] = corners[:, 2].min(), corners[:, 2].max()
    return laid_out(FloorColumns, Floors(planes, spans, *edges_of([area for _, area in floors])))
