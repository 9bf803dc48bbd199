"""Outlines of areas as plain arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

Numbers = NDArray[np.float64]
Indices = NDArray[np.intp]

SLIVER = 1e-6
"""Smaller polygons are not kept, m2."""


def lines_of(pieces: Any) -> list[BaseGeometry]:
    """Lines from (pieces, 4) ax, ay, bx, by."""
    ends = np.asarray(pieces, dtype=np.float64).reshape(-1, 2, 2)
    lines: Any = shapely.linestrings(ends)
    return list(lines)


def polygons_of(area: BaseGeometry) -> list[BaseGeometry]:
    """The polygons of an area that are not mere slivers."""
    parts = shapely.get_parts(area)
    return [part for part in parts if part.geom_type == "Polygon" and part.area > SLIVER]


def edges_of(parts: Sequence[BaseGeometry]) -> tuple[Numbers, NDArray[np.int32]]:
    """The (edges, 4) of all outlines of some areas, and where those of each begin."""
    polygons, owners = shapely.get_parts(np.array(parts, dtype=object), return_index=True)
    rings, of = shapely.get_rings(polygons, return_index=True)
    edges, lines = _pieces(rings)
    starts = np.searchsorted(owners[of][lines], np.arange(len(parts) + 1))
    return edges, starts.astype(np.int32)


def outlines_of(geometries: Sequence[BaseGeometry]) -> Numbers:
    """(pieces, 4) of all outlines; of an area what blocks lies to their left."""
    return _pieces(_rings(geometries))[0]


def outward_corners(blocked: BaseGeometry) -> tuple[Numbers, Numbers]:
    """(corners, 2) convex corners, and (corners, 2, 2) the directions of their walls."""
    pieces, rings = _pieces(_rings([blocked]))
    here, ahead = pieces[:, :2], pieces[:, 2:]
    before = np.arange(len(here)) - 1
    firsts = np.flatnonzero(np.diff(rings, prepend=-1))
    before[firsts] = np.append(firsts[1:], len(here)) - 1  # a ring is closed
    back, ahead = here[before] - here, ahead - here
    out = back[:, 1] * ahead[:, 0] - back[:, 0] * ahead[:, 1] > 1e-12
    return here[out], np.stack([back, ahead], axis=1)[out]


def _rings(geometries: Sequence[BaseGeometry]) -> NDArray[Any]:
    """The rings of polygons, what blocks to their left, and lines as they are."""
    parts: Any = shapely.get_parts(np.array(geometries, dtype=object))
    kinds = shapely.get_type_id(parts)
    is_line = kinds == shapely.GeometryType.LINESTRING
    areas = np.flatnonzero(kinds == shapely.GeometryType.POLYGON)
    rings, of = shapely.get_rings(shapely.orient_polygons(parts[areas]), return_index=True)
    order = np.argsort(np.concatenate([areas[of], np.flatnonzero(is_line)]), kind="stable")
    found: NDArray[Any] = np.concatenate([rings, parts[is_line]])[order]
    return found


def _pieces(lines: Any) -> tuple[Numbers, Indices]:
    """(pieces, 4) of lines, and the line that each is of."""
    points, of = shapely.get_coordinates(lines, return_index=True)
    whole = of[:-1] == of[1:]
    pieces = np.hstack([points[:-1], points[1:]])[whole]
    return np.ascontiguousarray(pieces), of[:-1][whole]
