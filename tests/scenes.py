"""Scenarios with alert ladders that the tests of minds and bodies share."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import samples
import shapely

import snelk

GUARD = """
[bodies.post]
standing = 2.0
eyes = 0.5
radius = 0.25

[profiles.watcher]
body = "post"
notices = ["visitors"]
cones = { front = { fov_whole = 200, range = 12.0 } }
hearing = {}
meter = { fill_time = 0.8, drain_time = 2.0 }
memory = { grace = 0.3, forget = 8.0, spread = 1.0 }
movement = { walking = 1.5, running = 4.0, turn_rate = 400, acceleration = 8.0 }
"""


def feature(kind: str, name: str, shape: shapely.Geometry, **properties: Any) -> dict[str, Any]:
    geometry = json.loads(shapely.to_geojson(shape))
    return {
        "type": "Feature",
        "properties": {"kind": kind, "name": name, **properties},
        "geometry": geometry,
    }


def level(*features: dict[str, Any]) -> str:
    return json.dumps({"type": "FeatureCollection", "features": list(features)})


def scene(
    folder: Path,
    *features: dict[str, Any],
    states: dict[str, Any],
    transitions: dict[str, Any] | None = None,
    track: str | None = None,
    profiles: str = GUARD,
    dt: float = 0.1,
    end: float = 10.0,
    more: dict[str, Any] | None = None,
    ladder: dict[str, Any] | None = None,
) -> snelk.Scenario:
    """The guard of `samples` with a ladder and legs; the guest far off unless it has a track."""
    guest = None if track else "at = [90, 90]"
    path = samples.write_sample(
        folder, guest=guest, track=track, level=level(*features), profiles=profiles
    )
    every = {"clock.dt": dt, "clock.end": end, **(more or {})}
    every["profiles.watcher.ladder"] = {
        "states": states,
        "transitions": transitions or {},
        **(ladder or {}),
    }
    return snelk.load(path, overrides=every)


def guard_of(run: snelk.Run) -> Any:
    """The poses of the guard: arrays of t, x, y and heading."""
    rows = run.poses[run.poses.id == "guard"]
    return rows.t.to_numpy(), rows[["x", "y"]].to_numpy(), rows.heading_deg.to_numpy()


def places_at(run: snelk.Run, who: str, *times: float) -> np.ndarray:
    rows = run.poses[run.poses.id == who].set_index("t")
    return rows.loc[list(times), ["x", "y"]].to_numpy()
