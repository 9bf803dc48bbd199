"""Levels from GeoJSON that was not written for Snelk: other units, no kinds, no names."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import shapely

from snelk.config.fields import LONGEST
from snelk.config.geojson import LevelData, level_from, within
from snelk.config.models import FEATURES
from snelk.config.reading import read_json
from snelk.errors import InputError

NAMES = ("name", "id", "label", "title")
"""Properties that are taken for a name, the first that there is."""

SINGLE = {
    "MultiPoint": "Point",
    "MultiLineString": "LineString",
    "GeometryCollection": "",
}
"""Geometries that are taken apart, and what their parts are."""


def level_from_outlines(
    path: str | Path, *, length: float = 1.0, kind: str = "wall", top: float = 3.0
) -> LevelData:
    """A level from any GeoJSON on a plane.

    A feature with a valid `kind` keeps it, and its properties. All others get the given kind;
    points become spots. A wall without a `top` or a `height` gets the given one. Missing names are
    made up, and all names are made unique.

    Args:
        path: A GeoJSON FeatureCollection.
        length: Metres in one of its units.
        kind: `wall` or `zone`, for areas and lines without a kind.
        top: For walls without one, m.

    Raises:
        InputError: The file is no GeoJSON, or a feature cannot be used; all problems are listed.
    """
    path = Path(path)
    if kind not in ("wall", "zone"):
        raise InputError.of("kind", "", f'"{kind}"', "must be wall or zone")
    if not (math.isfinite(length) and length > 0):
        raise InputError.of("length", "", f"{length:g}", "must be above 0 m")
    document = read_json(path)
    features = document.get("features") if isinstance(document, dict) else None
    if not isinstance(features, list) or not features:
        rule = "must be a GeoJSON FeatureCollection with features"
        raise InputError.of(str(path), "features", "", rule)
    found: list[dict[str, Any]] = []
    used: dict[tuple[str, str], int] = {}
    for number, feature in enumerate(features):
        found += _features(feature, number, length, kind, top, used, str(path))
    return level_from({"type": "FeatureCollection", "features": found}, source=str(path))


def _features(
    feature: Any, number: int, length: float, kind: str, top: float,
    used: dict[tuple[str, str], int], source: str,
) -> list[dict[str, Any]]:  # fmt: skip
    place = f"feature {number}"
    raw: Any = feature.get("geometry") if isinstance(feature, dict) else None
    kinds = raw.get("type") if isinstance(raw, dict) else None
    properties: Any = feature.get("properties") or {} if isinstance(feature, dict) else None
    if not isinstance(properties, dict) or not isinstance(kinds, str):
        rule = "must be a GeoJSON Feature with a geometry"
        raise InputError.of(source, place, "", rule)
    if not within(raw.get("coordinates", raw.get("geometries")), LONGEST / length):
        rule = f"needs coordinates that are numbers within ±{LONGEST / length:g}"
        raise InputError.of(source, f"{place}: geometry", "", rule, "check --length")
    try:
        geometry = shapely.force_2d(shapely.geometry.shape(raw))
    except Exception:  # shapes of others fail in many ways
        rule = f"coordinates do not make a {kinds}"
        raise InputError.of(source, f"{place}: geometry", kinds[:40], rule) from None
    geometry = shapely.transform(geometry, lambda points: points * length)
    own = properties.get("kind")
    own = own if isinstance(own, str) else None
    parts = [geometry]
    if geometry.geom_type in SINGLE and not (own == "wall" and "Line" in geometry.geom_type):
        parts = list(shapely.get_parts(geometry))
    name = next(
        (str(properties[key]) for key in NAMES if properties.get(key) not in (None, "")), ""
    )
    made = []
    for part in parts:
        what = own if own in FEATURES else "spot" if part.geom_type == "Point" else kind
        if what == "zone" and "Polygon" not in part.geom_type and own not in FEATURES:
            what = "wall"
        known = {field.alias or key for key, field in FEATURES[what][0].model_fields.items()}
        kept = {key: value for key, value in properties.items() if key in known}
        if what == "wall" and "top" not in kept:
            height: Any = properties.get("height")
            plain = isinstance(height, int | float) and not isinstance(height, bool)
            kept["top"] = float(height) * length if plain and abs(height) < 1e9 else top
        label = (name or f"{what} {number}").strip()[:70]
        used[what, label] = used.get((what, label), 0) + 1
        again = used[what, label]
        unique = label if again == 1 else f"{label} {again}"
        made.append(
            {
                "type": "Feature",
                "properties": {**kept, "kind": what, "name": unique},
                "geometry": json.loads(json.dumps(shapely.geometry.mapping(part))),
            }
        )
    return made
