"""Draw the croft and move its animals: writes the level and the tracks of the demonstration.

Run it from the root of the repository after a change here; a test holds the files equal.
"""

from __future__ import annotations

import csv
import io
import json
import sys
from pathlib import Path
from typing import Any

import numpy as np
from scipy.interpolate import PchipInterpolator

CROFT = Path(__file__).parents[1] / "src" / "snelk" / "croft"
RATE = 10.0  # samples a second

Point = tuple[float, float]


def box(x: float, y: float, width: float, depth: float, turn_deg: float = 0.0) -> list[Point]:
    """A closed rectangle about (x, y)."""
    a = np.radians(turn_deg)
    corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1), (-1, -1)]) * (width / 2, depth / 2)
    turned = corners @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]]) + (x, y)
    return [(round(float(px), 3), round(float(py), 3)) for px, py in turned]


def feature(kind: str, name: str, geometry: str, points: Any, **properties: Any) -> dict[str, Any]:
    coordinates = [points] if geometry == "Polygon" else points
    return {
        "type": "Feature",
        "properties": {"kind": kind, "name": name, **properties},
        "geometry": {"type": geometry, "coordinates": coordinates},
    }


def level() -> dict[str, Any]:
    stone = {"hear_through": 0.6}
    boards = {"see_through": 0.6, "hear_through": 1.0, "smell_through": 0.9}
    hedge = {"see_through": 0.4, "hear_through": 0.9, "smell_through": 0.7}
    features = [
        feature("wall", "barn", "Polygon", box(14, 30.5, 14, 10), top=6.0, hear_through=0.2),
        feature("wall", "coop", "Polygon", box(38.5, 31, 5, 3.6), top=2.2, hear_through=0.6),
        feature("wall", "farmhouse", "Polygon", box(50, 39.5, 11, 6), top=5.0, hear_through=0.2),
        feature(
            "wall",
            "kennel",
            "LineString",
            [(24.2, 28.2), (22.4, 28.2), (22.4, 26.6), (24.2, 26.6)],
            top=1.1,
            hear_through=0.8,
        ),
        feature(
            "wall",
            "stone-wall-west",
            "LineString",
            [(3, 16), (14, 15.6), (26, 16)],
            top=0.9,
            **stone,
        ),
        feature(
            "wall",
            "stone-wall-east",
            "LineString",
            [(29, 16), (41, 15.7), (52, 16)],
            top=0.9,
            **stone,
        ),
        feature("wall", "gate", "LineString", [(26, 16), (28.1, 17.8)], top=1.1, **boards),
        feature("wall", "hedge-north", "Polygon", box(52, 29.5, 0.9, 14), top=1.7, **hedge),
        feature("wall", "hedge-south", "Polygon", box(52, 17.6, 0.9, 5), top=1.7, **hedge),
        feature(
            "wall", "hay-1", "Polygon", box(30.6, 21.4, 2.0, 1.3, 20), top=1.2, hear_through=0.7
        ),
        feature(
            "wall", "hay-2", "Polygon", box(35.0, 27.4, 2.0, 1.3, -35), top=1.2, hear_through=0.7
        ),
        feature(
            "wall", "hay-3", "Polygon", box(34.6, 21.6, 2.2, 1.4, 75), top=1.2, hear_through=0.7
        ),
        feature(
            "wall", "hay-4", "Polygon", box(46.6, 26.4, 2.0, 1.3, 10), top=1.2, hear_through=0.7
        ),
    ]
    trees = [(9, 7.5), (15.5, 5.2), (21, 8.2), (33, 6.4), (39.5, 8.4), (46, 5.6)]
    for number, (x, y) in enumerate(trees, start=1):
        trunk = [
            (round(x + 0.35 * np.cos(a), 3), round(y + 0.35 * np.sin(a), 3))
            for a in np.radians(np.arange(0, 361, 60))
        ]
        trunk[-1] = trunk[0]
        features.append(
            feature("wall", f"tree-{number}", "Polygon", trunk, top=5.0, hear_through=0.9)
        )
    yard = [(22, 17), (31, 17), (33, 25), (33, 34), (22, 34), (22, 17)]
    wind = [(1, 1), (58, 1), (58, 9.5), (1, 11), (1, 1)]
    straw = [(29, 18.5), (41, 18.5), (46, 23), (45.5, 28), (33, 28.5), (33, 25), (29, 18.5)]
    pasture = [(34, 18), (44, 18), (47, 23), (45, 26), (36, 26), (34, 18)]
    features += [
        feature("zone", "gravel yard", "Polygon", yard, ground="gravel"),
        feature("zone", "straw", "Polygon", straw, ground="straw"),
        feature("zone", "wind by the trees", "Polygon", wind, background=0.5),
        feature("zone", "lantern pool", "Point", (46.5, 35.2), radius=3.5, light=0.8),
        feature("zone", "coop doorstep", "Point", (35.8, 31), radius=1.2),
        feature("zone", "pasture", "Polygon", pasture),
        feature("spot", "coop-door-west", "Point", (35.8, 31)),
        feature("spot", "coop-door-east", "Point", (41.2, 31)),
        feature("spot", "coop-door-north", "Point", (38.5, 33.0)),
        feature("spot", "behind-hay-2", "Point", (35.9, 28.3)),
        feature("spot", "behind-hay-4", "Point", (47.8, 27.2)),
        feature("spot", "hedge-gap", "Point", (51.2, 21.3)),
        feature("spot", "kennel-mat", "Point", (23.6, 27.4)),
        feature("spot", "farmhouse-door", "Point", (46.5, 36.2)),
        feature(
            "route",
            "farmer's round",
            "LineString",
            [
                (45.6, 34.8),
                (42.6, 33.4),
                (42.4, 28.4),
                (34, 29.4),
                (25.4, 25),
                (27.8, 19.4),
                (36, 18),
            ],
        ),
    ]
    return {"type": "FeatureCollection", "features": features}


# t, x, y, posture, gait; where nothing changes the animal pauses and looks about.
FOX = [
    (0.0, 6.0, 4.0, "standing", "walking"),
    (6.0, 11.0, 9.5, "standing", "walking"),
    (8.5, 12.5, 12.5, "crouched", "creeping"),
    (10.5, 13.0, 14.4, "crouched", "still"),
    (13.0, 13.0, 14.4, "crouched", "creeping"),
    (20.0, 20.5, 14.6, "crouched", "creeping"),
    (23.0, 24.6, 14.7, "crouched", "still"),
    (25.5, 24.6, 14.7, "standing", "walking"),
    (27.5, 28.4, 15.7, "standing", "walking"),
    (29.0, 28.6, 18.2, "standing", "still"),
    (30.5, 28.6, 18.2, "crouched", "creeping"),
    (33.5, 30.2, 20.0, "crouched", "still"),
    (36.5, 30.2, 20.0, "crouched", "creeping"),
    (38.5, 32.2, 20.2, "crouched", "creeping"),
    (39.5, 33.5, 20.9, "crouched", "still"),
    (43.0, 33.5, 20.9, "standing", "running"),
    (45.2, 33.3, 26.4, "crouched", "creeping"),
    (46.5, 34.0, 26.5, "crouched", "still"),
    (50.0, 34.0, 26.5, "standing", "walking"),
    (52.2, 33.2, 28.8, "standing", "creeping"),
    (54.0, 35.2, 30.8, "standing", "still"),
    (57.0, 35.2, 30.8, "standing", "running"),
    (58.6, 35.0, 29.0, "standing", "running"),
    (60.4, 41.0, 27.0, "standing", "running"),
    (62.4, 47.0, 23.0, "standing", "running"),
    (63.6, 51.0, 21.3, "standing", "running"),
    (64.6, 54.2, 21.2, "standing", "walking"),
    (67.0, 56.4, 19.4, "standing", "still"),
    (69.5, 56.4, 19.4, "standing", "walking"),
    (74.0, 57.4, 13.0, "standing", "walking"),
    (76.0, 57.0, 9.0, "standing", "walking"),
]
# How far, and how often a minute, the fox looks to either side where it stands still.
LOOK_SWING, LOOK_RATE = 55, 19


def track(name: str, points: list[tuple[float, float, float, str, str]]) -> list[list[object]]:
    times = np.array([point[0] for point in points])
    places = np.array([point[1:3] for point in points])
    path = PchipInterpolator(times, places)
    t = np.arange(times[0], times[-1] + 1e-9, 1 / RATE)
    x, y = path(t).T
    vx, vy = path.derivative()(t).T
    speed = np.hypot(vx, vy)
    moving = speed > 0.15
    heading = np.zeros(len(t))
    heading[moving] = np.degrees(np.arctan2(vy, vx))[moving]
    # Whoever stops keeps facing the way it went.
    last = np.maximum.accumulate(np.where(moving, np.arange(len(t)), -1))
    heading = heading[np.where(last < 0, int(np.argmax(moving)), last)]
    phase = sum(map(ord, name)) % 7
    look = (
        LOOK_SWING
        * np.sin(2 * np.pi * LOOK_RATE / 60 * t + phase)
        * (1 - np.clip(speed / 0.5, 0, 1))
    )
    # A neck turns at most so fast: smooth over about half a second.
    turned = np.unwrap(np.radians(heading)) + np.radians(look)
    kernel = np.hanning(9) / np.hanning(9).sum()
    smooth = np.convolve(np.pad(turned, 4, mode="edge"), kernel, mode="valid")
    degrees = (np.degrees(smooth) + 180) % 360 - 180
    sample = np.searchsorted(times, t + 1e-9, side="right") - 1
    return [
        [
            f"{t[n]:.1f}",
            name,
            f"{x[n]:.3f}",
            f"{y[n]:.3f}",
            f"{degrees[n]:.1f}",
            *points[sample[n]][3:],
        ]
        for n in range(len(t))
    ]


def text_of(rows: list[list[object]]) -> str:
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(["t", "id", "x", "y", "heading", "posture", "gait"])
    writer.writerows(rows)
    return text.getvalue()


def files() -> dict[str, str]:
    """Every file this script writes, by name."""
    collection = level()
    lines = ",\n".join(json.dumps(f, ensure_ascii=False) for f in collection["features"])
    return {
        "croft.geojson": f'{{"type": "FeatureCollection", "features": [\n{lines}\n]}}\n',
        "fox.csv": text_of(track("fox", FOX)),
    }


if __name__ == "__main__":
    for name, text in files().items():
        (CROFT / name).write_text(text, encoding="utf-8")
        sys.stdout.write(f"wrote {name}, {len(text)} characters\n")
