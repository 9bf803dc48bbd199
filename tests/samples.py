"""Named sample objects that the tests share."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from snelk.config.geojson import LevelData
from snelk.config.models import Wall
from snelk.level.grid import Grid, build_grid
from snelk.level.level import Level

Array = NDArray[np.float64]


def scattered_pieces(rng: np.random.Generator, count: int, size: float) -> Array:
    """Wall pieces at random in a square of `size` metres: (pieces, 6)."""
    middle = rng.uniform(0, size, (count, 2))
    angle = rng.uniform(0, 2 * np.pi, count)
    half = (
        rng.lognormal(np.log(2.5), 0.6, (count, 1))
        / 2
        * np.stack([np.cos(angle), np.sin(angle)], 1)
    )
    base = np.where(rng.random(count) < 0.3, rng.uniform(0.2, 1.0, count), 0.0)
    return np.column_stack([middle - half, middle + half, base, base + rng.uniform(0.5, 4, count)])


def street_pieces(size: float) -> Array:
    """Houses in rows, all walls along the axes, corners shared."""
    pieces = []
    for x in np.arange(3, size - 5, 9.0):
        for y in np.arange(3, size - 5, 7.0):
            corners = np.array([(x, y), (x + 5, y), (x + 5, y + 4), (x, y + 4), (x, y)])
            pieces += [[*corners[n], *corners[n + 1], 0.0, 3.0] for n in range(4)]
    return np.array(pieces)


def ring_pieces(size: float) -> Array:
    """A long winding wall around the middle, its pieces joined end to end."""
    angle = np.linspace(0, 2 * np.pi, 241)
    radius = size * (0.3 + 0.1 * np.sin(7 * angle))
    points = np.stack([size / 2 + radius * np.cos(angle), size / 2 + radius * np.sin(angle)], 1)
    gaps = np.arange(240) % 20 != 0
    pieces = np.hstack([points[:-1], points[1:], np.zeros((240, 1)), np.full((240, 1), 2.0)])
    return pieces[gaps]


def hill_triangles(size: float, steps: int) -> Array:
    """Uneven ground of 2 * steps² triangles that share their corners: (triangles, 3, 3)."""
    x, y = np.meshgrid(*[np.linspace(0, size, steps + 1)] * 2, indexing="ij")
    corners = np.dstack([x, y, np.sin(x / 3) + np.cos(y / 4) + 0.4 * np.sin(x * y)])
    a, b, c, d = corners[:-1, :-1], corners[1:, :-1], corners[1:, 1:], corners[:-1, 1:]
    halves = np.stack([a, b, c], axis=2), np.stack([a, c, d], axis=2)
    return np.concatenate([half.reshape(-1, 3, 3) for half in halves])


def loose_triangles(rng: np.random.Generator, count: int, size: float) -> Array:
    """Triangles that lie in any direction in a cube of `size` metres: (triangles, 3, 3)."""
    return rng.uniform(0, size, (count, 1, 3)) + rng.normal(0, 0.05 * size, (count, 3, 3))


def upright_triangles(pieces: Array) -> Array:
    """Pieces of walls as two triangles each: (triangles, 3, 3)."""
    a, b = pieces[:, 0:2], pieces[:, 2:4]
    low, high = pieces[:, 4:5], pieces[:, 5:6]
    corners = [np.hstack(pair) for pair in ((a, low), (b, low), (b, high), (a, high))]
    return np.concatenate(
        [np.stack([corners[n] for n in three], axis=1) for three in ((0, 1, 2), (0, 2, 3))]
    )


def grid_of(pieces: Array, see_through: Array | None = None) -> Grid:
    """A grid in which each piece is a wall of its own."""
    through = np.zeros(len(pieces)) if see_through is None else see_through
    return build_grid(pieces, np.arange(len(pieces), dtype=np.int32), through)


def random_rays(rng: np.random.Generator, count: int, size: float) -> tuple[Array, Array]:
    """Starts and ends, (rays, 3), of rays of 0.5 to 40 m."""
    start = np.column_stack([rng.uniform(-2, size + 2, (count, 2)), rng.uniform(0.2, 2.0, count)])
    angle, length = rng.uniform(0, 2 * np.pi, count), rng.uniform(0.5, 40, count)
    step = np.column_stack([np.cos(angle), np.sin(angle)]) * length[:, None]
    return start, np.column_stack([start[:, :2] + step, rng.uniform(0.1, 2.0, count)])


def level_of(*walls: tuple[str, object, float], see_through: float = 0.0) -> Level:
    """A level from (name, Shapely geometry, top in m)."""
    features = tuple(
        (Wall(kind="wall", name=name, top=top, see_through=see_through), shape)
        for name, shape, top in walls
    )
    return Level(LevelData("sample", walls=features))


SAMPLE_PROFILES = """
[bodies.post]
standing = 2.0
crouched = 1.0
eyes = 0.5

[profiles.watcher]
body = "post"
notices = ["visitors"]

[profiles.watcher.cones.front]
fov_whole = 90
hold_fov_whole = 120
range = 10.0
hold_range = 12.0
"""

SAMPLE_SCENARIO = """
level = "level.geojson"
use = ["kinds.toml"]
{files}

[clock]
dt = 0.5
{clock}

[cast.guard]
team = "home"
profile = "watcher"
at = [0, 0]

[cast.guest]
team = "visitors"
body = "post"
{guest}
"""

EMPTY_LEVEL = '{"type": "FeatureCollection", "features": []}'


def write_sample(
    folder: Path,
    *,
    guest: str | None = None,
    track: str | None = None,
    level: str = EMPTY_LEVEL,
    profiles: str = SAMPLE_PROFILES,
) -> Path:
    """A scenario with a guard at the origin facing +x, and a guest on a track or at a place.

    Eyes and the middle of a standing body are both 1 m up, so that distances are those in plan.
    """
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "level.geojson").write_text(level)
    (folder / "kinds.toml").write_text(profiles)
    if track is not None:
        (folder / "track.csv").write_text(track)
    files = 'tracks = ["track.csv"]' if track is not None else ""
    clock = "" if track is not None else "end = 0.5"
    text = SAMPLE_SCENARIO.format(files=files, clock=clock, guest=guest or "")
    (folder / "scene.toml").write_text(text)
    return folder / "scene.toml"


def track_of(*samples: tuple[float, float, float], extra: str = "") -> str:
    """A track of the guest from (t, x, y)."""
    rows = "".join(f"{t},guest,{x},{y},0{extra}\n" for t, x, y in samples)
    return f"t,id,x,y,heading{',posture' if extra else ''}\n{rows}"


def wall_feature(name: str, points: list[tuple[float, float]], **properties: object) -> str:
    """A level with one wall along a line."""
    feature = {
        "type": "Feature",
        "properties": {"kind": "wall", "name": name, **properties},
        "geometry": {"type": "LineString", "coordinates": points},
    }
    return json.dumps({"type": "FeatureCollection", "features": [feature]})
