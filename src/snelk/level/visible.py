"""The region of the plan that a cone sees, cut by walls."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.errors import InputError
from snelk.level.grid import TOUCH

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.level.level import Level

ARC_STEP = math.radians(0.5)
"""Arcs are drawn in steps of at most this; it costs 0.0013 % of a sector's area."""

WELD = 1e-7
"""Corners this close are one, m: it closes most cracks between shadows of adjoining faces."""

HORIZON = 1e-4
"""What is nearer to the eye's own height than this share of the way to the points is left out."""

HAIRLINE = 1e-5
"""What is narrower than this is left out of a region, m."""


@dataclass(frozen=True)
class VisibleRegion:
    """Where in the plan a point at a given height is in view.

    Attributes:
        clear: In view with nothing in between.
        dimmed: In view only through walls that let a share of sight pass.
        sector: The bare cone, as if there were no walls.
    """

    clear: BaseGeometry
    dimmed: BaseGeometry
    sector: BaseGeometry


def visible_region(
    level: Level,
    *,
    eye: tuple[float, float, float],
    heading_deg: float,
    fov_whole: float,
    range: float,
    height: float,
) -> VisibleRegion:
    """Clip a cone to what it sees of points at one height.

    A face between `base` and `top` hides those points behind it to which the ray crosses the
    face within these heights. Seen from the eye these are the face enlarged about the eye by
    all factors s with base <= eye z + (height - eye z) / s <= top, which is a quadrilateral in
    plan. A triangle hides what lies behind its part between the height of the eye and that of the
    points (docs/calculations.md).

    Args:
        level: Whose walls cut the cone.
        eye: x, y, z of the eye, m.
        heading_deg: Facing, degrees counter-clockwise from +x.
        fov_whole: Whole angle, degrees, above 0 to 360.
        range: Reach of the cone from the eye, m, above 0.
        height: Height of the points looked for, m.

    Raises:
        InputError: A number is out of range.

    >>> from snelk.config.geojson import LevelData
    >>> from snelk.level.level import Level
    >>> view = visible_region(Level(LevelData("")), eye=(0, 0, 1), heading_deg=0, fov_whole=90,
    ...     range=10.0, height=1.0)
    >>> round(view.clear.area, 1)  # a quarter of pi r^2
    78.5
    """
    numbers = (*eye, heading_deg, fov_whole, range, height)
    if not all(map(math.isfinite, numbers)) or not (0 < fov_whole <= 360 and range > 0):
        rule = "needs finite numbers, a fov_whole above 0 to 360 degrees and a range above 0 m"
        raise InputError.of("visible_region", "", str(numbers), rule)
    x, y, z = eye
    square = range * range - (z - height) ** 2
    if square <= 0.0:
        nothing = shapely.Polygon()
        return VisibleRegion(nothing, nothing, nothing)
    radius = math.sqrt(square)
    sector = _sector(x, y, radius, math.radians(heading_deg), math.radians(fov_whole))
    solid = _hidden_by(level, level.see_through == 0.0, eye, height, radius)
    sheer_walls = (level.see_through > 0.0) & (level.see_through < 1.0)
    sheer = _hidden_by(level, sheer_walls, eye, height, radius)
    lit = shapely.difference(sector, solid)
    clear = shapely.difference(lit, sheer, grid_size=WELD)
    dimmed = shapely.intersection(lit, sheer, grid_size=WELD)
    return VisibleRegion(
        shapely.set_precision(clear, HAIRLINE), shapely.set_precision(dimmed, HAIRLINE), sector
    )


def _sector(x: float, y: float, radius: float, facing: float, fov: float) -> BaseGeometry:
    steps = max(math.ceil(fov / ARC_STEP), 2)
    angles = facing - fov / 2 + np.linspace(0.0, fov, steps + 1)
    arc = np.column_stack([x + radius * np.cos(angles), y + radius * np.sin(angles)])
    if fov >= 2 * math.pi - 1e-12:
        return shapely.Polygon(arc[:-1])
    return shapely.Polygon(np.vstack([[(x, y)], arc]))


def _hidden_by(
    level: Level,
    walls: NDArray[np.bool_],
    eye: tuple[float, float, float],
    height: float,
    radius: float,
) -> BaseGeometry:
    """What some walls of a level hide, out to beyond the radius."""
    pieces, triangles = level.pieces[walls[level.piece_walls]], level.triangles
    triangles = triangles[walls[level.triangle_walls]]
    near = np.linalg.norm(np.clip(0.0, *_plan_box(triangles, eye)), axis=1) <= radius
    if height == eye[2]:
        pieces = np.concatenate([pieces, *(_cut_at(each, height) for each in triangles[near])])
        return _shadows(pieces, eye, height, radius)
    shades = [_shade(each, eye, height) for each in triangles[near]]
    areas = [shapely.Polygon(shade) for shade in shades if len(shade) > 2]
    found = [area for area in areas if area.area > 0.0]
    return shapely.union_all([_shadows(pieces, eye, height, radius), *found], grid_size=WELD)


def _plan_box(
    triangles: NDArray[np.float64], eye: tuple[float, float, float]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Lowest and highest x and y of triangles, seen from the eye."""
    plan = triangles[:, :, :2] - np.array(eye[:2])
    return plan.min(axis=1), plan.max(axis=1)


def _shade(
    triangle: NDArray[np.float64], eye: tuple[float, float, float], height: float
) -> list[tuple[float, float]]:
    """The corners of the area that a triangle hides at a height.

    Of each place on the way from the eye's height to theirs the share of that way tells by how much
    it is enlarged about the eye.
    """
    x, y, z = eye
    corners = [(a - x, b - y, (c - z) / (height - z)) for a, b, c in triangle.tolist()]
    if all(share == 1.0 for _, _, share in corners):  # who lies on it is seen
        return []
    for sign, bound in ((1.0, HORIZON), (-1.0, 1.0)):
        kept = []
        for here, there in zip(corners, corners[1:] + corners[:1], strict=True):
            before, after = sign * (here[2] - bound), sign * (there[2] - bound)
            if before >= 0.0:
                kept.append(here)
            if before * after < 0.0:
                along = before / (before - after)
                kept.append(tuple(p + along * (q - p) for p, q in zip(here, there, strict=True)))
        corners = kept
    return [(x + a / share, y + b / share) for a, b, share in corners]


def _cut_at(triangle: NDArray[np.float64], height: float) -> NDArray[np.float64]:
    """(pieces, 6) where a triangle is at a height, as faces of no height."""
    found = []
    for here, there in zip(triangle, np.roll(triangle, -1, axis=0), strict=True):
        low, high = here[2] - height, there[2] - height
        if low == 0.0 == high:
            found += [here, there]
        elif low * high <= 0.0:
            found.append(here + low / (low - high) * (there - here))
    ends = np.array(found).reshape(-1, 3)[:, :2]
    pairs = np.hstack([ends[:-1], ends[1:]]) if len(ends) else np.zeros((0, 4))
    return np.column_stack([pairs, np.full((len(pairs), 2), height)])


def _shadows(
    pieces: NDArray[np.float64], eye: tuple[float, float, float], height: float, radius: float
) -> BaseGeometry:
    """Union of what the pieces hide, out to beyond the radius."""
    x, y, z = eye
    a, b = pieces[:, 0:2] - (x, y), pieces[:, 2:4] - (x, y)
    distance = _distance_to_origin(a, b)
    nearest, farthest = _enlargements(pieces[:, 4], pieces[:, 5], z, height)
    with np.errstate(divide="ignore"):
        farthest = np.minimum(farthest, 1.01 * radius / distance)
    across = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    kept = (distance > TOUCH) & (nearest < farthest) & (across > 0.0)
    a, b = a[kept], b[kept]
    near, far = nearest[kept, None], farthest[kept, None]
    corners = np.stack([near * a, near * b, far * b, far * a], axis=1) + np.array([x, y])
    return shapely.union_all(shapely.polygons(corners), grid_size=WELD)


def _distance_to_origin(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    along = b - a
    square = np.maximum((along**2).sum(axis=1), 1e-300)
    share = np.clip(-(a * along).sum(axis=1) / square, 0.0, 1.0)
    nearest = a + share[:, None] * along
    result: NDArray[np.float64] = np.hypot(nearest[:, 0], nearest[:, 1])
    return result


def _enlargements(
    base: NDArray[np.float64], top: NDArray[np.float64], z: float, height: float
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """From which to which factor s >= 1 the crossing height z + (height - z) / s is on the face."""
    if height > z:  # mirror it, so that the ray always falls from the eye
        base, top, z, height = -top, -base, -z, -height
    fall = z - height
    with np.errstate(divide="ignore", invalid="ignore"):
        if fall == 0.0:
            on = (base <= z) & (z <= top)
            return np.ones(len(base)), np.where(on, np.inf, 0.0)
        from_base = np.where(base <= height, 1.0, np.where(base < z, fall / (z - base), np.inf))
        to_top = np.where(top >= z, np.inf, fall / (z - top))
    return np.maximum(from_base, 1.0), to_top
