"""Outlines of areas as plain arrays."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

Numbers = NDArray[np.float64]


def edges_of(parts: Sequence[BaseGeometry]) -> tuple[Numbers, NDArray[np.int32]]:
    """The (edges, 4) of all outlines of some areas, and where those of each begin."""
    found, starts = [np.zeros((0, 4))], [0]
    for part in parts:
        for polygon in shapely.get_parts(part):
            for ring in (polygon.exterior, *polygon.interiors):
                points = shapely.get_coordinates(ring)
                found.append(np.hstack([points[:-1], points[1:]]))
        starts.append(sum(map(len, found)))
    return np.ascontiguousarray(np.concatenate(found)), np.array(starts, dtype=np.int32)
