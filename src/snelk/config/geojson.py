"""Reading a level: GeoJSON with our own properties, in metres on a plane."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import mapping, shape
from shapely.geometry.base import BaseGeometry

from snelk.config.fields import LONGEST
from snelk.config.models import FEATURES, Edge, Floor, Link, Mesh, Route, Spot, Wall, Zone
from snelk.config.problems import checked, shown
from snelk.config.reading import read_json
from snelk.config.triangles import Triangles, triangles_in
from snelk.errors import InputError, Problem, nearest

FLAT = 0.01
"""A corner of a floor may be so far off the plane of the others, m."""

MOST_CORNERS = 500_000
"""More corners than this in one level are refused: so many take minutes, and some 4 GB."""


@dataclass(frozen=True)
class LevelData:
    """The features of a level, each with its geometry in plan, in the order of the file.

    The geometry of floors, spots and routes has heights if the file gives any, and that of links.
    `warnings` lists what could not be imported as it is. `derived` keeps
    what others have computed from it, as long as it is in use itself.
    """

    source: str
    walls: tuple[tuple[Wall, BaseGeometry], ...] = ()
    zones: tuple[tuple[Zone, BaseGeometry], ...] = ()
    spots: tuple[tuple[Spot, BaseGeometry], ...] = ()
    routes: tuple[tuple[Route, BaseGeometry], ...] = ()
    edges: tuple[tuple[Edge, BaseGeometry], ...] = ()
    floors: tuple[tuple[Floor, BaseGeometry], ...] = ()
    meshes: tuple[tuple[Mesh, BaseGeometry], ...] = ()
    links: tuple[tuple[Link, BaseGeometry], ...] = ()
    triangles: Triangles = field(default_factory=dict, compare=False, repr=False)
    derived: dict[str, Any] = field(default_factory=dict, compare=False, repr=False)
    warnings: tuple[str, ...] = field(default=(), compare=False)

    @property
    def groups(self) -> tuple[tuple[tuple[Any, BaseGeometry], ...], ...]:
        """All features, by kind."""
        ground = self.walls, self.edges, self.floors, self.meshes, self.links
        return *ground, self.zones, self.spots, self.routes

    def __getstate__(self) -> dict[str, Any]:
        """The data another process needs; the rest is computed there."""
        return {**self.__dict__, "derived": {}}

    def to_geojson(self, *, triangles: str | None = None) -> dict[str, Any]:
        """The level as GeoJSON, equal to its file.

        The triangles of meshes are in it, or with a name in the file of that name beside it.
        """
        features = [
            {
                "type": "Feature",
                "properties": properties.model_dump(exclude_none=True),
                "geometry": json.loads(json.dumps(mapping(geometry))),
            }
            for group in self.groups
            for properties, geometry in group
        ]
        whole: dict[str, Any] = {"type": "FeatureCollection", "features": features}
        if self.meshes:
            rows = {name: own.reshape(-1, 9).tolist() for name, own in self.triangles.items()}
            whole["triangles"] = triangles or rows
        return whole


def read_level(path: Path) -> LevelData:
    """Read and check a GeoJSON level.

    Raises:
        InputError: The file is missing or broken, or any feature is; all problems are listed.
    """
    return level_from(read_json(path), source=str(path), folder=path.parent)


def level_from(document: Any, *, source: str, folder: Path | None = None) -> LevelData:
    """Check a GeoJSON document that has been parsed already; see `read_level`."""
    if not isinstance(document, dict) or document.get("type") != "FeatureCollection":
        rule = 'must be a GeoJSON FeatureCollection ("type": "FeatureCollection")'
        raise InputError.of(source, "", "", rule)
    features = document.get("features")
    if not isinstance(features, list):
        raise InputError.of(source, "features", shown(features), "must be a list")
    problems: list[Problem] = []
    found: dict[str, list[tuple[Any, BaseGeometry]]] = {kind: [] for kind in FEATURES}
    first_use: dict[tuple[str, str], int] = {}
    for index, feature in enumerate(features):
        result = _feature(feature, index, source, problems)
        if result is None:
            continue
        properties, geometry = result
        kind, name = properties.kind, properties.name
        # One of these can be named where another could be.
        kind = "wall" if kind in ("edge", "floor", "mesh") else kind
        if (kind, name) in first_use:
            rule = f"feature {first_use[kind, name]} is already a {kind} with this name"
            place = f"feature {index}: name"
            problems.append(Problem(source, place, f'"{name}"', rule, "rename one of the two"))
        first_use.setdefault((kind, name), index)
        found[properties.kind].append((properties, geometry))
    if problems:
        raise InputError(problems)
    shapes = [geometry for group in found.values() for _, geometry in group]
    corners = int(shapely.get_num_coordinates(np.array(shapes, dtype=object)).sum())
    if corners > MOST_CORNERS:
        rule = f"has {corners:,} corners, more than {MOST_CORNERS:,}"
        fix = "leave out corners that nobody can see, or split the level"
        raise InputError.of(source, "features", "", rule, fix)
    kinds = ("wall", "zone", "spot", "route", "edge", "floor", "mesh", "link")
    walls, zones, spots, routes, edges, floors, meshes, links = (tuple(found[k]) for k in kinds)
    triangles = triangles_in(document.get("triangles"), folder, source, problems)
    level = LevelData(
        source, walls, zones, spots, routes, edges, floors, meshes, links, triangles=triangles
    )
    for mesh, _ in meshes if not problems else ():
        if mesh.name not in triangles:
            rule, fix = "no triangles have this name", nearest(mesh.name, triangles)
            problems.append(Problem(source, f'mesh "{mesh.name}"', "", rule, fix))
    names = [floor.name for floor, _ in level.floors]
    for zone, _ in level.zones:
        if zone.floor is not None and zone.floor not in names:
            fix = nearest(zone.floor, names)
            place = f'zone "{zone.name}": floor'
            problems.append(Problem(source, place, f'"{zone.floor}"', "no such floor", fix))
    if problems:
        raise InputError(problems)
    return level


def _feature(
    feature: Any, index: int, source: str, problems: list[Problem]
) -> tuple[Any, BaseGeometry] | None:
    label = f"feature {index}"
    if not isinstance(feature, dict) or not isinstance(feature.get("properties"), dict):
        rule = "must be a GeoJSON Feature with properties"
        problems.append(Problem(source, label, shown(feature), rule))
        return None
    raw: Mapping[str, Any] = feature["properties"]
    if isinstance(raw.get("name"), str):
        label += f' "{raw["name"]}"'
    kind = raw.get("kind")
    if not isinstance(kind, str) or kind not in FEATURES:
        given = shown(kind) if kind is not None else ""
        fix = nearest(str(kind or ""), FEATURES)
        problems.append(Problem(source, f"{label}: kind", given, "is missing or unknown", fix))
        return None
    model, geometries = FEATURES[kind]
    before = len(problems)
    properties = checked(
        model, raw, lambda place: (source, f"{label}: {'.'.join(map(str, place))}"), problems
    )
    geometry = geometry_from(feature.get("geometry"), geometries, label, source, problems)
    if isinstance(properties, Floor) and geometry is not None:
        _floor_heights(properties, geometry, label, source, problems)
    elif isinstance(properties, Link) and geometry is not None:
        _link_ends(geometry, label, source, problems)
    elif geometry is not None and kind not in ("spot", "route"):
        geometry = shapely.force_2d(geometry)
    if isinstance(properties, Zone):
        _zone_heights(properties, label, source, problems)
    if isinstance(properties, Wall) and not properties.top > properties.base:
        rule = f"must be above base, {properties.base:g} m"
        problems.append(Problem(source, f"{label}: top", f"{properties.top:g}", rule))
    if isinstance(properties, Zone) and geometry is not None:
        geometry = _round_zone(properties, geometry, label, source, problems)
    if len(problems) > before or properties is None or geometry is None:
        return None
    return properties, geometry


def geometry_from(
    raw: Any, allowed: tuple[str, ...], label: str, source: str, problems: list[Problem]
) -> BaseGeometry | None:
    """A geometry of one of the kinds allowed; None if something is wrong with it."""
    place = f"{label}: geometry"
    kind = raw.get("type") if isinstance(raw, dict) else None
    if kind not in allowed:
        given, fix = shown(kind) if kind else "", f"use {' or '.join(allowed)}"
        problems.append(Problem(source, place, given, "wrong type of geometry", fix))
        return None
    if not within(raw.get("coordinates"), LONGEST):
        rule = f"needs coordinates that are numbers within ±{LONGEST:g} m"
        problems.append(Problem(source, place, shown(raw.get("coordinates")), rule))
        return None
    try:
        geometry = shape(raw)
    except Exception:  # shapes fail in many ways
        rule = "coordinates do not make a " + str(kind)
        uneven = len({len(each) for each in _positions(raw["coordinates"])}) > 1
        fix = "give every corner two numbers, or every corner three" if uneven else ""
        problems.append(Problem(source, place, shown(raw.get("coordinates")), rule, fix))
        return None
    if geometry.is_empty:
        problems.append(Problem(source, place, shown(raw.get("coordinates")), "is empty"))
        return None
    if kind in ("Polygon", "MultiPolygon") and not geometry.is_valid:
        reason = shapely.is_valid_reason(geometry)
        fix = "draw an outline that does not cross itself"
        problems.append(Problem(source, place, reason, "is not a valid polygon", fix))
        return None
    return geometry


def _positions(coordinates: Any) -> Iterator[list[Any]]:
    """The positions in nested lists of them."""
    if isinstance(coordinates, list):
        if coordinates and not isinstance(coordinates[0], list):
            yield coordinates
        for each in coordinates:
            yield from _positions(each)


def _floor_heights(
    floor: Floor, geometry: BaseGeometry, label: str, source: str, problems: list[Problem]
) -> None:
    """Where the heights of a floor do not make sense."""
    corners = shapely.get_coordinates(geometry, include_z=True)
    if not np.isfinite(corners[:, 2]).any():
        return
    place = f"{label}: geometry"
    if floor.height is not None:
        place, given = f"{label}: height", f"{floor.height:g}"
        rule, fix = "cannot be combined with heights of corners", "leave out one of the two"
    else:
        off = corners[:, 2] - heights_on(plane_of(corners), corners)
        n = int(np.argmax(np.abs(off)))
        if abs(off[n]) <= FLAT:
            return
        given = f"corner {n} is {abs(off[n]):.2f} m off"
        rule = f"needs corners in one plane, within {FLAT:g} m"
        fix = "split it into floors that are level or slope in one direction"
    problems.append(Problem(source, place, given, rule, fix))


def _link_ends(geometry: BaseGeometry, label: str, source: str, problems: list[Problem]) -> None:
    """Where a link does not lead from one place in space to another."""
    ends = shapely.get_coordinates(geometry, include_z=True)
    if len(ends) == 2 and np.isfinite(ends).all() and (ends[0] != ends[1]).any():
        return
    rule, fix = "must lead from one position to another", "give it two positions [x, y, z]"
    given = shown(shapely.get_coordinates(geometry, include_z=geometry.has_z).tolist())
    problems.append(Problem(source, f"{label}: geometry", given, rule, fix))


def plane_of(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """The plane nearest to corners, (corners, 3) in m: z = a x + b y + c as (a, b, c).

    >>> import numpy as np
    >>> corners = np.array([(0, 0, 3.0), (2, 0, 4.0), (2, 2, 4.0), (0, 2, 3.0)])
    >>> (plane_of(corners).round(6) + 0.0).tolist()
    [0.5, 0.0, 3.0]
    """
    if np.ptp(corners[:, 2]) == 0.0:
        return np.array([0.0, 0.0, corners[0, 2]])
    middle = corners.mean(axis=0)
    a, b = np.linalg.lstsq(corners[:, :2] - middle[:2], corners[:, 2] - middle[2])[0]
    return np.array([a, b, middle[2] - a * middle[0] - b * middle[1]])


def heights_on(plane: NDArray[np.float64], places: NDArray[np.float64]) -> NDArray[np.float64]:
    """(places,) how high a plane is at places, (places, 2 or more) in m."""
    heights: NDArray[np.float64] = places[:, 0] * plane[0] + places[:, 1] * plane[1] + plane[2]
    return heights


def _zone_heights(zone: Zone, label: str, source: str, problems: list[Problem]) -> None:
    """Where the heights of a zone do not make sense."""
    base, top = zone.base, zone.top
    if zone.floor is not None and not base is top is None:
        rule, fix = "lies on a floor, which defines its heights", "leave out base and top"
        problems.append(Problem(source, f"{label}: floor", f'"{zone.floor}"', rule, fix))
    elif base is not None and top is not None and not top > base:
        problems.append(
            Problem(source, f"{label}: top", f"{top:g}", f"must be above base, {base:g} m")
        )


def within(coordinates: Any, limit: float) -> bool:
    """Whether nested lists contain only numbers within ±limit; also geometries in a list."""
    rest = [coordinates]
    while rest:
        item = rest.pop()
        if isinstance(item, list):
            rest += item
        elif isinstance(item, dict):
            rest.append(item.get("coordinates", item.get("geometries")))
        elif isinstance(item, bool) or not isinstance(item, int | float) or not abs(item) <= limit:
            return False
    return True


def _round_zone(
    zone: Zone, geometry: BaseGeometry, label: str, source: str, problems: list[Problem]
) -> BaseGeometry:
    if (geometry.geom_type == "Point") != (zone.radius is not None):
        rule = "a zone needs a radius if it is a Point, and only then"
        given = shown(zone.radius) if zone.radius is not None else ""
        problems.append(Problem(source, f"{label}: radius", given, rule))
    return geometry
