"""Levels that keep the triangles of a game's meshes, with the floors found in them."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import mapping
from shapely.geometry.base import BaseGeometry

from snelk.config.geojson import LevelData, level_from
from snelk.config.meshes import THIN, objects_in, section, unused, without_doors
from snelk.config.models import Floor
from snelk.config.steps import HEADROOM, STEP
from snelk.config.words import THROUGH
from snelk.level.columns import plain
from snelk.level.floors import build_floors
from snelk.level.storeys import build_storeys

LEVELEST = math.cos(math.radians(45.0))
"""Of what is walked on the normal points up at least so much."""

SMALLEST, NARROW = 0.04, 0.05
"""Floors of a smaller area, m², or nowhere wider than twice this, m, are left out."""

ALL_PASSES = dict.fromkeys(THROUGH, 1.0)
"""What stands for triangles that block by themselves lets all pass."""

MANY = 500
"""With more floors than this something is said."""

SLICE = 0.05
"""A cut stands for what is so far above and below it, m."""

FEET_AND_HEAD = (STEP + SLICE, 1.2, HEADROOM - SLICE)
"""So high above a floor it is asked what stops whoever walks there, m."""


def level_with_triangles(
    path: str | Path,
    *,
    up: str = "y",
    mirror: bool = False,
    length: float = 1.0,
    doors: Sequence[str] = (),
) -> LevelData:
    """A level that blocks with the exact triangles of a glTF or OBJ file, with floors found in it.

    Each object becomes a mesh. What faces upward, at most 45 degrees steep, is floor, in one piece
    where it lies in one plane. For each height of a floor the objects are cut just above a step and
    at two heights up to the head of who walks there: what shows are walls that stop feet, and let
    sight and sound pass, as their triangles see to that.

    Args:
        path: A .glb, .gltf or .obj.
        up: The axis that points up there, `x`, `y` or `z`.
        mirror: Whether y is turned round, for meshes of left-handed axes.
        length: Metres in one of its units.
        doors: Names of objects that are doors, with * for any letters: each becomes a wall with
            `door` true, its outline in plan, from its lowest to its highest point.

    Raises:
        InputError: The file cannot be read, has no triangles, or a number is out of range.
    """
    path = Path(path)
    used: dict[str, int] = {}
    found = list(objects_in(path, up, mirror, length))
    found, features = without_doors(found, doors, path, used)
    objects = {unused(name, used): triangles for name, triangles in found}
    for name, triangles in objects.items():
        hull = shapely.convex_hull(shapely.multipoints(triangles.reshape(-1, 3)[:, :2]))
        if hull.geom_type == "Point":
            hull = shapely.envelope(shapely.buffer(hull, THIN))
        features.append(_feature("mesh", name, hull))
    planes = [
        (f"{name} floor", plane, area)
        for name, triangles in objects.items()
        for plane, area in _upward(triangles)
    ]
    for name, plane, area in planes:
        corners = _on_plane(area, plane)
        features.append(_feature("floor", unused(name, used), corners, **ALL_PASSES))
    on_stairs = _climbed([(plane, area) for _, plane, area in planes])
    levels = sorted({round(float(plane[2]), 2) for _, plane, _ in planes if not plane[:2].any()})
    for height in levels or [0.0]:
        # What one walks on is not in the way, be it a stair.
        free = shapely.union_all(list(on_stairs(height)))
        for name, triangles in objects.items():
            cuts = [section(triangles, height + above) for above in FEET_AND_HEAD]
            for kind in ("Polygon", "LineString"):
                for shape, low, high in _alike(cuts, free, kind):
                    heights = {"base": round(height + low, 4), "top": round(height + high, 4)}
                    unique = unused(f"{name} wall", used)
                    features.append(_feature("wall", unique, shape, **heights, **ALL_PASSES))
    document: dict[str, Any] = {"type": "FeatureCollection", "features": features}
    document["triangles"] = {name: own.reshape(-1, 9).tolist() for name, own in objects.items()}
    warnings = []
    if len(planes) > MANY:
        warnings.append(
            f"{len(planes):,} floors: on uneven ground every triangle becomes one; model "
            "the walkable ground with fewer, larger faces"
        )
    return replace(level_from(document, source=str(path)), warnings=tuple(warnings))


def _alike(
    cuts: Sequence[BaseGeometry | None], free: BaseGeometry, kind: str
) -> Iterator[tuple[BaseGeometry, float, float]]:
    """Sections outside the free area, with the heights at which they stop feet, without duplicates.

    A shape reaches no further than its sections, so that it stops nobody on another floor.
    """
    before: tuple[BaseGeometry, float, float] | None = None
    for cut, above in zip(cuts, FEET_AND_HEAD, strict=True):
        whole = shapely.Point() if cut is None else shapely.difference(cut, free)
        parts = [p for p in shapely.get_parts(whole) if max(p.area, p.length) > 10 * THIN]
        parts = [part for part in parts if part.geom_type == kind]
        shape = parts[0] if len(parts) == 1 else shapely.union_all(parts)
        if before is not None and shapely.equals(shape, before[0]):
            before = (before[0], before[1], above + SLICE)
            continue
        if before is not None:
            yield before
        before = (shape, above - SLICE, above + SLICE) if parts else None
    if before is not None:
        yield before


def _climbed(
    found: Sequence[tuple[NDArray[np.float64], BaseGeometry]],
) -> Callable[[float], Iterator[BaseGeometry]]:
    """For a height: which floors between feet and head can be climbed from there."""
    raised = [(Floor(kind="floor", name="floor"), _on_plane(area, plane)) for plane, area in found]
    floors = build_floors(raised)
    storeys = build_storeys(floors, [area for _, area in found], STEP)
    group = np.arange(len(found))
    for a, b in zip(storeys.from_floor, storeys.to_floor, strict=True):
        group[group == group[a]] = group[b]
    spans = np.array(plain(floors).spans)

    def climbed(height: float) -> Iterator[BaseGeometry]:
        low, high = spans.T
        from_here = np.isin(group, group[(low <= height + STEP) & (high >= height - STEP)])
        between = from_here & (low < height + HEADROOM) & (high > height + STEP)
        yield from (shapely.buffer(found[n][1], THIN) for n in np.flatnonzero(between).tolist())

    return climbed


def _on_plane(area: BaseGeometry, plane: NDArray[np.float64]) -> BaseGeometry:
    """An area with the heights of a plane."""

    def raised(corners: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.column_stack([corners[:, :2], corners[:, :2] @ plane[:2] + plane[2]])

    found: BaseGeometry = shapely.transform(shapely.force_3d(area), raised, include_z=True)
    return found


def _feature(kind: str, name: str, shape: BaseGeometry, **more: Any) -> dict[str, Any]:
    properties = {"kind": kind, "name": name, **more}
    geometry = json.loads(json.dumps(mapping(shape)))
    return {"type": "Feature", "properties": properties, "geometry": geometry}


def _upward(triangles: NDArray[np.float64]) -> Iterator[tuple[NDArray[np.float64], BaseGeometry]]:
    """Planes and areas of what faces upward and is not too steep; small pieces are left out."""
    across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    size = np.maximum(np.linalg.norm(across, axis=1), 1e-12)
    up = across[:, 2] / size
    if not (up > LEVELEST).any() and not (up < -LEVELEST).any():
        return
    flat = triangles[up >= LEVELEST]
    normal = across[up >= LEVELEST]
    gradient = -normal[:, :2] / normal[:, 2:]
    offset = flat[:, 0, 2] - (flat[:, 0, :2] * gradient).sum(axis=1)
    planes = np.column_stack([gradient, offset])
    keys = np.round(planes, 3) + 0.0
    for key in np.unique(keys, axis=0):
        own = (keys == key).all(axis=1)
        plane = planes[own].mean(axis=0)
        plane[np.abs(plane) < 1e-9] = 0.0
        area = shapely.union_all(shapely.polygons(flat[own][:, :, :2]), grid_size=1e-5)
        for part in shapely.get_parts(shapely.simplify(area, THIN / 10)):
            roomy = part.geom_type == "Polygon" and not shapely.buffer(part, -NARROW).is_empty
            if roomy and part.area >= SMALLEST:
                yield plane, part
