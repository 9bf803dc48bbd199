"""Moving corners of a level, in memory and in its file."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import shapely
from shapely.geometry import mapping
from shapely.geometry.base import BaseGeometry

from snelk.config.geojson import LevelData, geometry_from
from snelk.config.models import FEATURES
from snelk.errors import InputError, Problem, nearest

GROUPS = {"wall": "walls", "edge": "edges", "zone": "zones", "spot": "spots", "route": "routes"}
"""Kinds of features whose corners can be put elsewhere, and where a level keeps them."""

Place = tuple[float, float]


class Corner(NamedTuple):
    """A corner of a feature: its place among all positions in the feature's coordinates."""

    kind: str
    name: str
    number: int


def corners_of(level: LevelData) -> Iterator[tuple[Corner, Place, bool]]:
    """All corners that can be put elsewhere, each once: where, m, and if its outline is closed."""
    for kind, group in GROUPS.items():
        for feature, geometry in getattr(level, group):
            closing = {last for _, last in _rings(geometry)}
            for n, (x, y) in enumerate(shapely.get_coordinates(geometry).tolist()):
                if n not in closing:
                    yield Corner(kind, feature.name, n), (x, y), bool(closing)


def with_corners(level: LevelData, places: Mapping[Corner, Place]) -> LevelData:
    """A level with corners at other places; heights stay.

    Raises:
        InputError: There is no such corner, or an outline crosses itself then.

    >>> import snelk
    >>> level = snelk.load(snelk.croft() / "night.toml").level
    >>> corner, (x, y), _ = next(corners_of(level))
    >>> moved = with_corners(level, {corner: (x + 1.0, y)})
    >>> next(corners_of(moved))[1] == (x + 1.0, y)
    True
    """
    problems: list[Problem] = []
    groups: dict[str, list[tuple[Any, BaseGeometry]]] = {}
    for corner, place in places.items():
        kind, name, number = corner
        label = f'{kind} "{name}"'
        if kind not in GROUPS:
            raise InputError.of(level.source, kind, "", "no such kind", nearest(kind, GROUPS))
        group = groups.setdefault(GROUPS[kind], list(getattr(level, GROUPS[kind])))
        names = [feature.name for feature, _ in group]
        if name not in names:
            raise InputError.of(level.source, label, "", f"no such {kind}", nearest(name, names))
        n = names.index(name)
        feature, geometry = group[n]
        at = shapely.get_coordinates(geometry, include_z=geometry.has_z)
        if not 0 <= number < len(at):
            rule = f"has corners 0 to {len(at) - 1}"
            raise InputError.of(level.source, label, str(number), rule)
        for own in _same(geometry, number):
            at[own, :2] = place

        def elsewhere(_: Any, at: Any = at) -> Any:
            return at

        moved = shapely.transform(geometry, elsewhere, include_z=geometry.has_z)
        raw = json.loads(json.dumps(mapping(moved)))
        checked = geometry_from(raw, FEATURES[kind][1], label, level.source, problems)
        group[n] = feature, geometry if checked is None else moved
    if problems:
        raise InputError(problems)
    changed: dict[str, Any] = {name: tuple(group) for name, group in groups.items()}
    return replace(level, **changed, derived={})


def _rings(geometry: BaseGeometry) -> Iterator[tuple[int, int]]:
    """First and last position of each ring or closed line, which are one corner."""
    parts = shapely.get_parts(geometry)
    lines = [ring for part in parts for ring in (
        shapely.get_rings(part) if part.geom_type == "Polygon" else [part])]  # fmt: skip
    first = 0
    for line in lines:
        at = shapely.get_coordinates(line)
        if len(at) > 2 and (at[0] == at[-1]).all():
            yield first, first + len(at) - 1
        first += len(at)


def _same(geometry: BaseGeometry, index: int) -> set[int]:
    """All positions that are this corner."""
    return {index, *(each for ends in _rings(geometry) if index in ends for each in ends)}


NUMBER = re.compile(r"-?\d[\d.eE+-]*")
TOKEN = re.compile(r'"(?:[^"\\]|\\.)*"|[{}\[\],]|-?\d[\d.eE+-]*|:|[a-z]+')

Steps = tuple[str | int, ...]


def with_corners_in(text: str, places: Mapping[Corner, Place]) -> str:
    """The text of a level's file with corners at other places; only their numbers change.

    Raises:
        InputError: There is no such corner.
    """
    document, wanted = json.loads(text), dict[Steps, float]()
    for corner, place in places.items():
        found = [n for n, each in enumerate(document["features"])
                 if (each["properties"].get("kind"), each["properties"].get("name"))
                 == (corner.kind, corner.name)]  # fmt: skip
        if not found:
            raise InputError.of("level", f'{corner.kind} "{corner.name}"', "", "is not in the file")
        geometry = document["features"][found[0]]["geometry"]
        steps = list(_positions(geometry["coordinates"], ()))
        for own in _same(shapely.geometry.shape(geometry), corner.number):
            for axis, value in enumerate(place):
                path = ("features", found[0], "geometry", "coordinates", *steps[own], axis)
                wanted[path] = round(value, 3)
    pieces, last = list[str](), 0
    for path, start, end in _numbers(text):
        if path in wanted:
            pieces += [text[last:start], f"{wanted[path]:.10g}"]
            last = end
    return "".join([*pieces, text[last:]])


def _positions(coordinates: Any, path: Steps) -> Iterator[Steps]:
    """Where each position stands in nested lists of them."""
    if coordinates and not isinstance(coordinates[0], list):
        yield path
        return
    for n, each in enumerate(coordinates):
        yield from _positions(each, (*path, n))


def _numbers(text: str) -> Iterator[tuple[Steps, int, int]]:
    """Each number of a JSON text: its place in the tree, its start and its end."""
    path: list[str | int] = []
    word = ""
    for token in TOKEN.finditer(text):
        found = token.group()
        if found == "[":
            path.append(0)
        elif found == "{":
            path.append("")
        elif found in "]}":
            path.pop()
        elif found == "," and isinstance(path[-1], int):
            path[-1] += 1
        elif found[0] == '"':
            word = found
        elif found == ":":
            path[-1] = json.loads(word)
        elif NUMBER.fullmatch(found):
            yield tuple(path), token.start(), token.end()
