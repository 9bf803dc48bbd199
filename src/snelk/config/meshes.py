"""Levels from a game's meshes: triangles cut at heights become walls."""

from __future__ import annotations

import json
import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.config.geojson import LevelData, level_from
from snelk.config.reading import MOST_BYTES, no_such_file
from snelk.errors import InputError, ReadError, nearest

CUTS = (0.0, 0.5, 1.0, 2.0, 4.0, 100.0)
"""Heights between which a mesh is cut where none are given, m."""

UPS = {
    "x": ((0, 1, 0), (0, 0, 1), (1, 0, 0)),
    "y": ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
    "z": ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
}
"""For the axis that points up in a mesh: what x, y and z here are made of there. Each turns the
world and does not mirror it; where y points up, y here is z there turned round."""

FARTHEST = 1e9
"""Of a corner, in the file's own units."""

STEEP = (0.3, 0.98)
"""Share of a triangle's normal that points up: between these it slopes, 11 to 73 degrees."""

SLOPING = 1.0
"""An object with a larger sloping area is told of, m²."""

THIN = 1e-3
"""What is smaller than this is left out of an outline, m."""


def level_from_mesh(
    path: str | Path,
    *,
    up: str = "y",
    mirror: bool = False,
    length: float = 1.0,
    cuts: Sequence[float] = CUTS,
    doors: Sequence[str] = (),
) -> LevelData:
    r"""Walls from the objects of a glTF or OBJ file.

    Each object is cut half way between every two heights. A section becomes a wall between these
    heights, or as far as the object reaches; equal outlines on top of each other become one wall.
    Floors do not appear in a section.

    Args:
        path: A .glb, .gltf or .obj.
        up: The axis that points up there, `x`, `y` or `z`.
        mirror: Whether y is reversed, for meshes with left-handed axes.
        length: Metres in one of its units.
        cuts: Heights, rising, 2 to 64, m.
        doors: Names of objects that are doors, with * as a wildcard: each becomes a wall with
            `door` true, its outline in plan, from its lowest to its highest point.

    Raises:
        InputError: The file cannot be read, has no triangles, or a number is out of range.

    >>> import tempfile
    >>> corners = [f"v {x} {y} {z}\n" for x in (0, 2) for y in (0, 1) for z in (0, 3)]
    >>> faces = [(1, 2, 4, 3), (5, 7, 8, 6), (1, 5, 6, 2), (3, 4, 8, 7), (1, 3, 7, 5), (2, 6, 8, 4)]
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     file = Path(folder) / "crate.obj"
    ...     _ = file.write_text("o crate\n" + "".join(corners) + "".join(
    ...         "f %d %d %d %d\n" % face for face in faces))
    ...     (wall, outline), = level_from_mesh(file).walls
    >>> wall.name, wall.base, wall.top, outline.area
    ('crate', 0.0, 1.0, 6.0)
    """
    path = Path(path)
    heights = _checked_cuts(cuts)
    used: dict[str, int] = {}
    warnings: list[str] = []
    objects = list(objects_in(path, up, mirror, length))
    objects, features = without_doors(objects, doors, path, used)
    for name, turned in objects:
        parts = list(_bands(turned, heights))
        if slopes_in(turned) > SLOPING:
            warnings.append(
                f'"{name}" slopes: without --triangles a slope becomes walls, stacked like steps, '
                "and nobody can walk up"
            )
        for base, top, outline in parts:
            properties = {"kind": "wall", "name": unused(name, used), "base": base, "top": top}
            geometry = json.loads(shapely.to_geojson(outline))
            features.append({"type": "Feature", "properties": properties, "geometry": geometry})
    if not features:
        rule = f"has no faces between {heights[0]:g} and {heights[-1]:g} m"
        fix = "check --up, --length and --cut"
        raise InputError.of(str(path), "", "", rule, fix)
    document = {"type": "FeatureCollection", "features": features}
    return replace(level_from(document, source=str(path)), warnings=tuple(warnings))


def unused(name: str, used: dict[str, int]) -> str:
    """The name, or with the next number with which it was not used yet.

    `used` counts how often each was requested.
    """
    number = used.get(name, 0) + 1
    found = name if number == 1 else f"{name} {number}"
    while number > 1 and found in used:
        number += 1
        found = f"{name} {number}"
    used[name] = number
    used.setdefault(found, 1)
    return found


def without_doors(
    objects: list[tuple[str, NDArray[np.float64]]],
    doors: Sequence[str],
    path: Path,
    used: dict[str, int],
) -> tuple[list[tuple[str, NDArray[np.float64]]], list[dict[str, Any]]]:
    """The objects that are no doors, and a feature for each that is; `used` as for `unused`.

    Raises:
        InputError: No object has one of the names.
    """
    for wanted in doors:
        if not any(fnmatchcase(name, wanted) for name, _ in objects):
            fix = nearest(wanted, [name for name, _ in objects])
            raise InputError.of(str(path), "doors", f'"{wanted}"', "no object has this name", fix)
    rest, found = [], []
    for name, triangles in objects:
        if not any(fnmatchcase(name, wanted) for wanted in doors):
            rest.append((name, triangles))
            continue
        corners = triangles.reshape(-1, 3)
        hull = shapely.convex_hull(shapely.multipoints(corners[:, :2]))
        low, high = (round(float(z), 6) for z in (corners[:, 2].min(), corners[:, 2].max()))
        named = {"kind": "wall", "name": unused(name, used)}
        properties = {**named, "base": low, "top": high, "door": True}
        geometry = json.loads(shapely.to_geojson(hull))
        found.append({"type": "Feature", "properties": properties, "geometry": geometry})
    return rest, found


def _checked_cuts(cuts: Sequence[float]) -> list[float]:
    heights = [float(cut) for cut in cuts]
    rises = all(b - a > THIN for a, b in pairwise(heights))
    if not 2 <= len(heights) <= 64 or not rises or not all(map(math.isfinite, heights)):
        given = ", ".join(f"{height:g}" for height in heights)
        raise InputError.of("cuts", "", given, "must be 2 to 64 heights in m, in rising order")
    return heights


def objects_in(
    path: Path, up: str, mirror: bool, length: float
) -> Iterator[tuple[str, NDArray[np.float64]]]:
    """Each object of a file: its name and its triangles in Snelk's axes, (n, 3, 3) in m."""
    if up not in UPS:
        raise InputError.of("up", "", f'"{up}"', "must be x, y or z")
    if not (math.isfinite(length) and length > 0):
        raise InputError.of("length", "", f"{length:g}", "must be above 0 m")
    for name, triangles in _objects(path):
        turned = triangles @ np.array(UPS[up], dtype=np.float64).T * length
        turned[:, :, 1] *= -1.0 if mirror else 1.0
        yield name, turned


def _objects(path: Path) -> Iterator[tuple[str, NDArray[np.float64]]]:
    """Each object of a file: its name and its triangles in the file's own axes, (n, 3, 3)."""
    import trimesh

    suffix = path.suffix.lower()
    if suffix not in (".glb", ".gltf", ".obj"):
        raise InputError.of(str(path), "", suffix, "unknown format", "use .glb, .gltf or .obj")
    if not path.is_file():
        raise no_such_file(path)
    options: dict[str, Any] = {"split_object": True, "split_objects": True, "group_material": False}
    try:
        size = path.stat().st_size
        if size > MOST_BYTES:
            raise ValueError(f"it is larger than {MOST_BYTES // 1_000_000} MB")
        scene = trimesh.load_scene(path, process=False, **(options if suffix == ".obj" else {}))
        nodes = sorted(scene.graph.nodes_geometry, key=str)
    except Exception as error:  # a reader of files fails in as many ways as there are files
        rule = (
            f"cannot be read: {str(error).splitlines()[0] if str(error) else type(error).__name__}"
        )
        raise ReadError.of(str(path), "", "", rule[:160]) from None
    found = False
    for node in nodes:
        triangles = _triangles(scene, node, path)
        if len(triangles):
            found = True
            yield _name(str(node)), triangles
    if not found:
        raise ReadError.of(str(path), "", "", "has no triangles")


def _triangles(scene: Any, node: Any, path: Path) -> NDArray[np.float64]:
    """The triangles of an object in the file's own axes, (n, 3, 3); none if it has none."""
    import trimesh

    rule = ""
    try:
        transform, geometry = scene.graph[node]
        mesh = scene.geometry[geometry]
        faces = np.asarray(getattr(mesh, "faces", ()), dtype=np.int64).reshape(-1, 3)
        corners = np.asarray(mesh.vertices, dtype=np.float64).reshape(-1, 3)
        if len(faces) and not (faces.min() >= 0 and faces.max() < len(corners)):
            rule = f"has triangles of corners that are not there; it has {len(corners)}"
            triangles = np.zeros((0, 3, 3))
        else:
            with np.errstate(all="ignore"):
                triangles = trimesh.transform_points(corners, transform)[faces]
    except Exception as error:  # as many ways as there are files
        text = str(error) or type(error).__name__
        rule, triangles = f"cannot be used: {text.splitlines()[0][:120]}", np.zeros((0, 3, 3))
    if not rule and not (np.abs(triangles) <= FARTHEST).all():
        rule = "has corners that are not numbers, or are far too large"
    if rule:
        raise InputError.of(str(path), f'object "{str(node)[:40]}"', "", rule, "export it again")
    return triangles


def _name(text: str) -> str:
    """A name as walls may have one."""
    plain = "".join(letter for letter in text if letter.isprintable()).strip()[:70].strip()
    return plain or "object"


def _bands(
    triangles: NDArray[np.float64], heights: list[float]
) -> Iterator[tuple[float, float, BaseGeometry]]:
    """From base to top with the outline there; alike outlines on top of one another as one."""
    low, high = float(triangles[:, :, 2].min()), float(triangles[:, :, 2].max())
    pending: tuple[float, float, BaseGeometry] | None = None
    for lower, upper in pairwise(heights):
        base, top = max(lower, low), min(upper, high)
        if top - base <= THIN:
            continue
        outline = section(triangles, (base + top) / 2)
        if outline is None:
            continue
        if pending is not None and pending[1] >= base - THIN and _alike(pending[2], outline):
            pending = pending[0], top, pending[2]
            continue
        if pending is not None:
            yield _written(pending)
        pending = base, top, outline
    if pending is not None:
        yield _written(pending)


def _written(band: tuple[float, float, BaseGeometry]) -> tuple[float, float, BaseGeometry]:
    return round(band[0], 4), round(band[1], 4), band[2]


def _alike(one: BaseGeometry, other: BaseGeometry) -> bool:
    if "Polygon" not in one.geom_type or "Polygon" not in other.geom_type:
        if "Polygon" in one.geom_type or "Polygon" in other.geom_type:
            return False
        one, other = shapely.buffer(one, 10 * THIN), shapely.buffer(other, 10 * THIN)
    return bool(shapely.symmetric_difference(one, other).area <= 0.005 * max(one.area, other.area))


def section(triangles: NDArray[np.float64], z: float) -> BaseGeometry | None:
    """A horizontal section through triangles: areas where it closes, else lines.

    A point is inside if the section lines surround it, by the outward sides of triangles, or an odd
    number of them is on the way out. So boxes that touch or overlap are one area, a courtyard is
    not, and meshes with inconsistent triangles work as well.
    """
    segments = np.array(list(_segments(triangles, z))).reshape(-1, 2, 2)
    if not len(segments):
        return None
    noded = shapely.union_all(shapely.linestrings(segments))
    noded = shapely.set_precision(noded, THIN / 100.0)
    faces = shapely.get_parts(shapely.polygonize([noded]))
    inside = [face for face in faces if _is_inside(shapely.point_on_surface(face), segments)]
    area = shapely.union_all(inside)
    if area.area <= THIN**2:
        lines = shapely.simplify(shapely.line_merge(noded), THIN)
        return lines if lines.length > THIN else None
    return shapely.simplify(area, THIN)


def _is_inside(point: Any, segments: NDArray[np.float64]) -> bool:
    """Whether directed lines surround a point, or an odd number of them is to its right."""
    x, y = point.x, point.y
    (ax, ay), (bx, by) = segments[:, 0].T, segments[:, 1].T
    crosses = (ay > y) != (by > y)
    with np.errstate(divide="ignore", invalid="ignore"):
        right = crosses & (x < ax + (y - ay) / (by - ay) * (bx - ax))
    winding = int((right & (by > ay)).sum()) - int((right & (by < ay)).sum())
    return winding != 0 or int(right.sum()) % 2 == 1


def _segments(triangles: NDArray[np.float64], z: float) -> Iterable[tuple[Any, Any]]:
    """Where a level plane cuts each triangle that it does not merely touch.

    An edge that two triangles share is cut at the very same place in both, so that ends meet. The
    inside lies to the left, if the triangle's corners run counter-clockwise as seen from outside.
    """
    above = triangles[:, :, 2] > z
    cut = above.any(axis=1) & ~above.all(axis=1)
    for triangle, over in zip(triangles[cut], above[cut], strict=True):
        ends: list[Any] = [None, None]
        for i, j in ((0, 1), (1, 2), (2, 0)):
            if over[i] != over[j]:
                a, b = sorted((tuple(triangle[i]), tuple(triangle[j])))
                share = (z - a[2]) / (b[2] - a[2])
                # Where the outline comes down through the plane the cut begins.
                place = 0 if over[i] else 1
                ends[place] = (a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1]))
        if math.dist(*ends) > 1e-9:
            yield ends[0], ends[1]


def slopes_in(triangles: NDArray[np.float64]) -> float:
    """The area of a mesh that slopes, neither floor nor wall: ramps, stairs without steps, m²."""
    across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    area = np.linalg.norm(across, axis=1) / 2.0
    with np.errstate(divide="ignore", invalid="ignore"):
        upright = np.abs(across[:, 2]) / (2.0 * area)
    return float(area[(upright > STEEP[0]) & (upright < STEEP[1])].sum())
