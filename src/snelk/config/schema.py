"""JSON Schemas of the files, for completion and checks in editors."""

from __future__ import annotations

import json
from typing import Any

from pydantic import BaseModel

from snelk.config.models import FEATURES, ProfilesFile, Setup

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def schema(kind: str) -> dict[str, Any]:
    """The JSON Schema of one kind of file: `scenario`, `profiles` or `level`.

    >>> schema("profiles")["title"]
    'Snelk profiles'
    """
    if kind == "level":
        return _level_schema()
    models: dict[str, type[BaseModel]] = {"scenario": Setup, "profiles": ProfilesFile}
    found = models[kind].model_json_schema()
    # A profile that is like another may leave any key of its senses and meter to it.
    for name in ("Cone", "Meter", "Touch", "ZoneSense", "Smell", "Ladder", "Transition"):
        found.get("$defs", {}).get(name, {}).pop("required", None)
    return {"$schema": DIALECT, **found, "title": f"Snelk {kind}"}


FILES = ("scenario", "profiles", "level")


def _level_schema() -> dict[str, Any]:
    features, definitions = [], {}
    for model, geometries in FEATURES.values():
        found = model.model_json_schema(ref_template="#/$defs/{model}")
        definitions.update(found.pop("$defs", {}))
        features.append(
            {
                "type": "object",
                "required": ["type", "properties", "geometry"],
                "properties": {
                    "type": {"const": "Feature"},
                    "properties": found,
                    "geometry": {
                        "type": "object",
                        "required": ["type", "coordinates"],
                        "properties": {"type": {"enum": list(geometries)}},
                    },
                },
            }
        )
    whole: dict[str, Any] = {
        "$schema": DIALECT,
        "title": "Snelk level",
        "type": "object",
        "required": ["type", "features"],
        "properties": {
            "type": {"const": "FeatureCollection"},
            "features": {"type": "array", "items": {"oneOf": features}},
        },
    }
    if definitions:
        whole["$defs"] = definitions
    return json.loads(json.dumps(whole))  # type: ignore[no-any-return]
