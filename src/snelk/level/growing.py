"""Walls grown by the clearance that a body needs, and areas less their rim."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

APART = 1e-3
"""Corners stand this much farther out than what blocks, m, so that no rounding decides."""

HAIR = 2 * APART
"""So far in plan, m, somebody may stand from where it can stand on its floor, and just go on.

Going back first would look like a turn.
"""

MITRE = 2.0
"""A corner of what is grown is no farther from the wall than so many times the clearance."""

MANY = 1000
"""The outlines of more walls than this are not united: what lies within others does no harm."""

LONG, STRETCH = 256, 4
"""Walls of more corners than this are grown stretch by stretch, of so many pieces."""


def grown(walls: Sequence[BaseGeometry], by: float) -> list[BaseGeometry]:
    """Walls grown by so much on all sides, m; corners stay sharp."""
    if by <= 0.0:
        return list(walls)
    style: Any = {"join_style": "mitre", "mitre_limit": MITRE}
    every = np.array(walls, dtype=object)
    short = shapely.get_num_coordinates(every) <= LONG
    every[short] = shapely.buffer(every[short], by, cap_style="square", **style)
    for n in np.flatnonzero(~short).tolist():
        every[n] = shapely.union_all([*_areas(walls[n]), *_stretches(walls[n], by, style)])
    return list(every)


def united(shapes: Sequence[BaseGeometry] | NDArray[Any]) -> BaseGeometry:
    """The union, cluster by cluster of those that touch: of many apart a tenth of the time."""
    return shapely.disjoint_subset_union_all(np.array(shapes, dtype=object))


def shrunk(area: BaseGeometry, by: float) -> BaseGeometry:
    """An area less its rim, m; with many holes hole by hole, which takes a fifth of the time.

    Below 0, grown by so much.
    """
    parts = shapely.get_parts(area)
    if shapely.get_num_interior_rings(parts).sum() <= MANY:
        return shapely.buffer(area, -by)
    if len(parts) > 1:
        return united([shrunk(part, by) for part in parts])
    rings = shapely.get_rings(parts[0])
    holes = shapely.buffer(shapely.polygons(rings[1:]), by)
    return shapely.difference(shapely.buffer(shapely.Polygon(rings[0]), -by), united(holes))


def less_rim(area: BaseGeometry) -> BaseGeometry:
    """An area a little smaller, in which no rounding decides; itself if nothing is left of it."""
    inner = shrunk(area, APART)
    return area if inner.is_empty else inner


def _areas(wall: BaseGeometry) -> list[BaseGeometry]:
    return [part for part in shapely.get_parts(wall) if part.geom_type == "Polygon"]


def _stretches(wall: BaseGeometry, by: float, style: dict[str, Any]) -> list[BaseGeometry]:
    """A long wall grown piece by piece, which is much faster than all at once.

    Every corner lies within a stretch, so that it is as sharp as in one go.
    """
    found = []
    for part in shapely.get_parts(wall):
        lines = [part.exterior, *part.interiors] if part.geom_type == "Polygon" else [part]
        for line in lines:
            points = shapely.get_coordinates(line)
            closed = bool((points[0] == points[-1]).all())
            if closed:
                points = np.concatenate([points, points[1:2]])
            for low in range(0, max(len(points) - 2, 1), STRETCH):
                stretch = shapely.LineString(points[low : low + STRETCH + 2])
                found.append(shapely.buffer(stretch, by, cap_style="flat", **style))
            if not closed:
                found += [
                    shapely.buffer(shapely.LineString(end), by, cap_style="square", **style)
                    for end in (points[:2], points[-2:])
                ]
    return found
