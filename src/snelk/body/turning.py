"""Smooth turning: paths that begin with an arc, as tight as an agent can turn at its pace."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

Numbers = NDArray[np.float64]

STEP = np.radians(10.0)
"""Arcs are walked in straight pieces that turn by no more than this."""

FROM_END = 1e-6
"""So far from its ends, m, a path is tested for lying on the ground: there no rounding decides."""


def arc_to(
    place: Numbers, heading: float, goal: Numbers, radius: float, side: int
) -> Numbers | None:
    """The places, (places, 2), along an arc from a place until it heads for a goal.

    Args:
        place: (2,), m.
        goal: (2,), m.
        heading: Where it heads at first, rad.
        radius: Of the arc, m.
        side: 1 turns to the left, -1 to the right.

    Returns:
        Without the place where it begins; None if the goal lies within the arc's circle.

    >>> at = arc_to(np.zeros(2), 0.0, np.array([0.0, 10.0]), 1.0, 1)
    >>> at[-1].round(3).tolist()  # where the tangent from the goal touches the circle about (0, 1)
    [0.994, 1.111]
    """
    across = side * np.array([-np.sin(heading), np.cos(heading)])
    centre = place + radius * across
    away = goal - centre
    far = float(np.hypot(*away))
    if far <= radius:
        return None
    # Seen from the centre, the tangent from the goal touches the circle so far before it.
    ends = np.arctan2(away[1], away[0]) - side * np.arccos(radius / far)
    begins = np.arctan2(-across[1], -across[0])
    turn = (side * (ends - begins)) % (2.0 * np.pi)
    count = max(int(np.ceil(turn / STEP)), 1)
    angles = begins + side * turn * np.arange(1, count + 1) / count
    points: Numbers = centre + radius * np.stack([np.cos(angles), np.sin(angles)], axis=1)
    return points


def smoothed(
    place: Numbers, heading: float, way: Numbers, radius: float, ground: shapely.Geometry
) -> Numbers | None:
    """A path, (points, 2), that begins with an arc towards its first corner.

    The shorter of both sides, if equal the right; None where neither lies within the ground, or it
    need not turn.
    """
    off = np.arctan2(*(way[0] - place)[::-1]) - heading
    if abs((off + np.pi) % (2.0 * np.pi) - np.pi) < STEP / 2.0:
        return None
    found: list[tuple[float, Numbers]] = []
    for side in (-1, 1):
        arc = arc_to(place, heading, way[0], radius, side)
        if arc is None:
            continue
        line = np.concatenate([place[None], arc, way[:1]])
        length = float(np.hypot(*np.diff(line, axis=0).T).sum())
        # Who stands at the very edge stands on the ground, and so does the corner.
        for end, beside in ((0, 1), (-1, -2)):
            along = line[beside] - line[end]
            line[end] += along * (FROM_END / max(float(np.hypot(*along)), FROM_END))
        if shapely.covers(ground, shapely.LineString(line)):
            found.append((round(length, 9), np.concatenate([arc, way])))
    return min(found, key=lambda each: each[0])[1] if found else None
