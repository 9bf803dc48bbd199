"""A vertical section of a level along a line, to see who looks over what."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.errors import InputError
from snelk.level.columns import plain

if TYPE_CHECKING:
    from collections.abc import Iterator

    from shapely.geometry.base import BaseGeometry

    from snelk.level.level import Level

TOUCHING = 1e-6
"""What is cut on a shorter path than this is only touched, m."""


class Slice(NamedTuple):
    """The section of one wall or floor.

    Attributes:
        name: Of the wall or floor.
        kind: `wall` for an upright face, `solid`, or `floor`.
        outline: (corners, 2) how far along the line and how high, m; two for a line.
        see_through: The share of sight that passes.
    """

    name: str
    kind: str
    outline: NDArray[np.float64]
    see_through: float


def section_of(
    level: Level,
    start: tuple[float, float],
    end: tuple[float, float],
    *,
    beyond: float = 0.0,
) -> list[Slice]:
    """Cut a level vertically along the line between two positions.

    Args:
        level: The level.
        start: x, y of the place that distances are counted from, m.
        end: x, y of the other, m; elsewhere than the first.
        beyond: How much farther on both sides, m.

    Raises:
        InputError: Both places are the same, or a number makes no sense.

    >>> from snelk.config.geojson import LevelData
    >>> from snelk.config.models import Wall
    >>> from snelk.level.level import Level
    >>> crate = Wall(kind="wall", name="crate", top=1.0)
    >>> level = Level(LevelData("", walls=((crate, shapely.box(2, -1, 3, 1)),)))
    >>> (found,) = section_of(level, (0, 0), (9, 0))
    >>> found.name, found.kind, found.outline.tolist()
    ('crate', 'solid', [[2.0, 0.0], [3.0, 0.0], [3.0, 1.0], [2.0, 1.0]])
    """
    a, b = np.array(start, dtype=np.float64), np.array(end, dtype=np.float64)
    length = float(np.hypot(*(b - a)))
    if not (length > 0.0 and np.isfinite(length) and beyond >= 0.0):
        given = f"({a[0]:g}, {a[1]:g}) to ({b[0]:g}, {b[1]:g}), beyond {beyond:g}"
        rule = "needs two different positions, and beyond of 0 m or more"
        raise InputError.of("section_of", "", given, rule)
    along = (b - a) / length
    line = shapely.LineString([a - beyond * along, b + beyond * along])
    found = []
    for n, (wall, outline) in enumerate(level.data.walls):
        solid = "Polygon" in outline.geom_type
        for near, far in _stretches(line, outline, a, along):
            if solid and far - near > TOUCHING:
                corners = [(near, wall.base), (far, wall.base), (far, wall.top), (near, wall.top)]
            else:
                corners = [(near, wall.base), (near, wall.top)]
            kind = "solid" if len(corners) > 2 else "wall"
            found.append(_slice(level, n, kind, corners))
    first = len(level.data.walls) + len(level.data.edges)
    for n, (_, area) in enumerate(level.data.floors):
        plane = np.array(plain(level.floors).planes[n])
        for near, far in _stretches(line, shapely.force_2d(area), a, along):
            ends = np.stack([a + near * along, a + far * along])
            heights = ends @ plane[:2] + plane[2]
            corners = [(near, float(heights[0])), (far, float(heights[1]))]
            found.append(_slice(level, first + n, "floor", corners))
    return found


def _slice(level: Level, wall: int, kind: str, corners: list[tuple[float, float]]) -> Slice:
    through = float(level.see_through[wall])
    return Slice(level.wall_names[wall], kind, np.array(corners), through)


def _stretches(
    line: BaseGeometry,
    outline: BaseGeometry,
    start: NDArray[np.float64],
    along: NDArray[np.float64],
) -> Iterator[tuple[float, float]]:
    """From where to where a line runs through an outline, m along it; points are as long as 0."""
    for part in shapely.get_parts(shapely.intersection(line, outline)):
        at = (shapely.get_coordinates(part) - start) @ along
        if len(at):
            yield float(at.min()), float(at.max())
