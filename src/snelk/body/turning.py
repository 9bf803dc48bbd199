"""Smooth turning: paths that begin with an arc, as tight as an agent can turn at its pace."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import pairwise

import numpy as np
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
    place: Numbers,
    heading: float,
    corner: Numbers,
    radius: float,
    laid: Callable[[Numbers], Numbers | None],
) -> Numbers | None:
    """A path, (points, 5), that begins with an arc towards its first corner, and ends there.

    The shorter of both sides in plan, if equal the right; None where neither lies on the ground, or
    it need not turn. `laid` lays a line, (places, 2), on the ground; None if it leaves that.
    """
    off = np.arctan2(*(corner - place)[::-1]) - heading
    if abs((off + np.pi) % (2.0 * np.pi) - np.pi) < STEP / 2.0:
        return None
    found: list[tuple[float, Numbers]] = []
    for side in (-1, 1):
        arc = arc_to(place, heading, corner, radius, side)
        if arc is None:
            continue
        line = np.concatenate([arc, corner[None]])
        way = laid(line)
        if way is not None:
            length = float(np.hypot(*np.diff(line, axis=0, prepend=place[None]).T).sum())
            found.append((round(length, 9), way))
    return min(found, key=lambda each: each[0])[1] if found else None


def first_corner(place: Numbers, way: Numbers) -> int:
    """Which place of a path, (points, 2 or more), is the first where it turns; or its end.

    Where it only comes to another floor it goes straight on.
    """
    n = 0
    while n + 1 < len(way):
        along, on = way[n, :2] - place, way[n + 1, :2] - place
        aside = abs(along[0] * on[1] - along[1] * on[0])
        if aside > FROM_END * np.hypot(*on) or not 0.0 <= along @ on <= on @ on:
            break
        n += 1
    return n


def stretches(start: Numbers, way: Numbers) -> Iterator[tuple[int, Numbers]]:
    """Of each floor that a path comes to, in turn: which it is, and the path there, (places, 2).

    Each begins and ends a hair later and earlier: who stands at the very edge stands on the ground.
    """
    line, floors = np.concatenate([start[None, :2], way[:, :2]]), way[:, 4]
    cuts = [0, *(np.flatnonzero(np.diff(floors)) + 1), len(way)]
    for first, last in pairwise(cuts):
        piece = line[first : last + 1].copy()
        for end, beside in ((0, 1), (-1, -2)):
            along = piece[beside] - piece[end]
            piece[end] += along * (FROM_END / max(float(np.hypot(*along)), FROM_END))
        if float(np.hypot(*np.diff(piece, axis=0).T).sum()) > FROM_END:
            yield int(floors[first]), piece
