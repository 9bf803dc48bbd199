# ruff: noqa: E501 - features read better in one line each
"""Draw the mill and move who comes by night: writes the level and the tracks of the demonstration.

Run it from the root of the repository after a change here; a test holds the files equal.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from make_croft import feature, text_of, track

MILL = Path(__file__).parents[1] / "src" / "snelk" / "mill"

STONES, LOFT = 2.8, 5.4  # how high the floors are, m

Plan = tuple[float, float]


def area(x: float, y: float, to_x: float, to_y: float) -> list[Plan]:
    """A closed rectangle from corner to corner."""
    return [(x, y), (to_x, y), (to_x, to_y), (x, to_y), (x, y)]


def many(kind: str, name: str, lines: list[list[Plan]], **properties: Any) -> dict[str, Any]:
    return feature(kind, name, "MultiLineString", lines, **properties)


def with_holes(name: str, outline: Any, *holes: Any, **properties: Any) -> dict[str, Any]:
    found = feature("floor", name, "Polygon", outline, **properties)
    found["geometry"]["coordinates"] += holes
    return found


def level() -> dict[str, Any]:
    stone, boards = {"hear_through": 0.3}, {"hear_through": 0.6}
    rail = {"see_through": 0.8, "hear_through": 1.0}
    stairwell, hatchway = area(1, 6.6, 5, 7.8), area(8.6, 0.5, 10.0, 1.7)
    up = [(1, 6.6, 0), (5, 6.6, STONES), (5, 7.8, STONES), (1, 7.8, 0), (1, 6.6, 0)]
    features = [
        with_holes("ground", area(-2, -3.5, 17.5, 9.5), height=0.0, hear_through=0.0),
        feature("floor", "stairs", "Polygon", up, see_through=0.3, hear_through=0.9),
        with_holes("stone floor", area(0, 0, 12, 8), stairwell, height=STONES, hear_through=0.5),
        with_holes("loft", area(3, 0, 12, 8), hatchway, height=LOFT, hear_through=0.6),
        many(
            "wall", "mill walls",
            [
                [(2.4, 0), (0, 0), (0, 8), (12, 8), (12, 6.5)],
                [(12, 5.5), (12, 0), (3.6, 0)],
            ],
            top=7.8, **stone,
        ),
        many(
            "wall", "lintels", [[(2.4, 0), (3.6, 0)], [(12, 5.5), (12, 6.5)]],
            base=2.2, top=7.8, **stone,
        ),
        many(
            "wall", "store wall", [[(7, 0), (7, 3.0)], [(7, 4.2), (7, 6.8)], [(7, 7.2), (7, 8)]],
            top=STONES, **boards,
        ),
        feature(
            "wall", "over the store door", "LineString", [(7, 3.0), (7, 4.2)],
            base=2.2, top=STONES, **boards,
        ),
        feature(
            "wall", "over the mouse hole", "LineString", [(7, 6.8), (7, 7.2)],
            base=0.12, top=STONES, **boards,
        ),
        feature("wall", "yard door", "LineString", [(2.4, 0), (3.6, 0)], top=2.2, door=True, **boards),
        feature("wall", "race door", "LineString", [(12, 5.5), (12, 6.5)], top=2.2, door=True, **boards),
        feature("wall", "store door", "LineString", [(7, 3.0), (7, 4.2)], top=2.2, door=True, **boards),
        feature(
            "wall", "hatch", "Polygon", area(8.4, 0.3, 10.45, 1.9),
            base=LOFT - 0.1, top=LOFT + 0.05, door=True, **boards,
        ),
        many(
            "wall", "stair rail", [[(5, 6.6), (1, 6.6), (1, 7.8)]],
            base=STONES, top=STONES + 1.0, **rail,
        ),
        feature(
            "wall", "loft rail", "LineString", [(3, 0), (3, 8)],
            base=LOFT, top=LOFT + 1.0, **rail,
        ),
        feature(
            "wall", "millstones", "Polygon", area(3.2, 2.8, 5.0, 4.6),
            base=STONES, top=STONES + 0.9, hear_through=0.8,
        ),
        feature(
            "wall", "grain bin", "Polygon", area(8.8, 6.4, 10.4, 7.85),
            base=STONES, top=STONES + 0.8, hear_through=0.8,
        ),
        feature("wall", "flour sacks", "Polygon", area(4.6, 0.3, 6.4, 1.1), top=0.9, hear_through=0.8),
        feature("wall", "water wheel", "Polygon", area(6.5, 8.2, 10.5, 8.9), top=3.6, hear_through=0.9),
        feature("edge", "mill race", "LineString", [(-2, 9.0), (17.5, 9.0)]),
        feature("link", "ladder", "LineString", [(9.7, 1.1, STONES), (10.3, 1.1, LOFT)], seconds=3.5),
        feature("zone", "meal floor", "Polygon", area(0, 0, 7, 8), floor="ground", light=0.7),
        feature("zone", "stone floor lamp", "Polygon", area(0, 0, 12, 8), floor="stone floor", light=0.6, ground="boards"),
        feature("zone", "hay", "Polygon", area(3, 0, 12, 8), floor="loft", ground="hay"),
        feature("zone", "roar of the wheel", "Polygon", area(5, 6.2, 12, 9.5), background=0.35),
        feature(
            "route", "miller's round", "LineString",
            [(3.0, 2.2, 0), (6.0, 2.0, 0), (6.0, 5.4, 0), (0.5, 7.2, 0), (5.8, 7.2, STONES),
             (8.6, 4.4, STONES), (6.4, 1.6, STONES)],
        ),
    ]  # fmt: skip
    return {"type": "FeatureCollection", "features": features}


# t, x, y, posture, gait; nobody writes heights down: they stand on the floors.
MOUSE = [
    (0.0, 11.0, 6.9, "standing", "still"),
    (8.6, 11.0, 6.9, "standing", "running"),
    (10.6, 7.3, 7.0, "standing", "creeping"),
    (11.4, 6.5, 7.0, "standing", "still"),
    (14.0, 6.5, 7.0, "standing", "creeping"),
    (18.0, 4.2, 6.1, "standing", "still"),
    (20.0, 4.2, 6.1, "standing", "walking"),
    (24.5, 0.6, 6.4, "standing", "walking"),
    (25.5, 0.6, 7.2, "standing", "walking"),
    (31.0, 5.4, 7.2, "standing", "still"),
    (33.0, 5.4, 7.2, "standing", "walking"),
    (37.0, 8.6, 6.0, "standing", "still"),
    (41.4, 8.6, 6.0, "standing", "running"),
    (42.1, 8.4, 7.5, "standing", "running"),
    (42.5, 8.7, 7.93, "standing", "running"),
    (42.9, 9.6, 7.93, "standing", "still"),
    (89.9, 9.6, 7.93, "standing", "still"),
]
THIEF = [
    (0.0, 16.5, 1.0, "standing", "still"),
    (3.0, 16.5, 1.0, "standing", "walking"),
    (8.0, 12.9, 6.0, "standing", "creeping"),
    (11.0, 11.0, 5.6, "standing", "creeping"),
    (16.0, 10.2, 2.7, "standing", "still"),
    (18.0, 10.2, 2.7, "standing", "creeping"),
    (22.5, 7.1, 3.6, "standing", "still"),
    (25.5, 7.1, 3.6, "standing", "creeping"),
    (31.5, 11.4, 6.0, "standing", "walking"),
    (33.0, 13.0, 6.0, "standing", "walking"),
    (37.0, 16.0, 1.0, "standing", "running"),
    (39.0, 17.2, -3.2, "standing", "still"),
]
SACK = (10.2, 2.0)
TAKEN = 17.0  # s, when the thief has it on its shoulder


def sack_of(rows: list[list[object]]) -> list[list[object]]:
    """The sack stands in the store, and is where the thief is as soon as that has taken it."""
    found = []
    for t, _, x, y, heading, *rest in rows:
        at = (x, y) if float(str(t)) >= TAKEN else (f"{SACK[0]:.3f}", f"{SACK[1]:.3f}")
        found.append([t, "sack", *at, heading, rest[0], "still"])
    return found


def files() -> dict[str, str]:
    """Every file this script writes, by name."""
    lines = ",\n".join(json.dumps(f, ensure_ascii=False) for f in level()["features"])
    thief = track("thief", THIEF)
    return {
        "mill.geojson": f'{{"type": "FeatureCollection", "features": [\n{lines}\n]}}\n',
        "mouse.csv": text_of(track("mouse", MOUSE)),
        "thief.csv": text_of([*thief, *sack_of(thief)]),
    }


if __name__ == "__main__":
    for name, text in files().items():
        (MILL / name).write_text(text, encoding="utf-8")
        sys.stdout.write(f"wrote {name}, {len(text)} characters\n")
