"""What stops feet on a straight line, by name."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.config.steps import HEADROOM, STEP
from snelk.level.columns import plain
from snelk.level.footing import follow_floors

if TYPE_CHECKING:
    from snelk.level.level import Level

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

APART, MOST = 0.2, 500
"""A line is followed from place to place, m, of which there are no more than this."""


def first_bar(
    level: Level, start: Numbers, end: Numbers, opened: frozenset[int] = frozenset()
) -> str:
    """What first stops feet on the straight line between two places, (3,) in m.

    A wall or an edge by its name, or a floor that is too low to stand under; empty if there is
    nothing, or if the floor ends before that. Without floors it is what blocks bodies at the height
    of the start. `opened` are doors that are open, by number.

    >>> from snelk.config.geojson import LevelData
    >>> from snelk.config.models import Wall
    >>> from snelk.level.level import Level
    >>> beam = Wall(kind="wall", name="beam", base=1.5, top=2.0)
    >>> level = Level(LevelData("", walls=((beam, shapely.box(2, -1, 3, 1)),)))
    >>> first_bar(level, np.array([0.0, 0.0, 0.0]), np.array([9.0, 0.0, 0.0]))
    'beam'
    >>> first_bar(level, np.array([0.0, 0.0, 2.0]), np.array([9.0, 0.0, 2.0]))
    ''
    """
    line = shapely.LineString([start[:2], end[:2]])
    if not level.data.floors:
        met = _met(line, *level.bars_at(float(start[2])), opened)
        return level.wall_names[min(met)[1]] if met else ""
    along = np.linspace(0.0, line.length, int(np.clip(line.length / APART, 2, MOST)))
    plan = start[:2] + along[:, None] * (end[:2] - start[:2]) / max(line.length, 1e-9)
    heights = np.full(len(plan), float(start[2]))
    follow_floors(level.floors, plan[:, 0].copy(), plan[:, 1].copy(), heights)
    before = np.append(start[2], heights[:-1])
    on = level.floors_at(np.column_stack([plan, before])).astype(np.intp)
    # The floors end where there is none, or only one that is deeper than a step.
    ends = on < 0
    ends[1:] |= _heights(level, on[:-1], plan[1:]) - heights[1:] > STEP
    if ends.any():
        on = on[: np.argmax(ends)]
    found = [
        (away, level.wall_names[wall])
        for floor in np.unique(on).tolist()
        for away, wall in _met(line, *level.bars_on(floor), opened)
        if floor in on[np.abs(along[: len(on)] - away) <= along[1]]
    ]
    for name, low in too_low(level, on, plan[: len(on)]):
        if low.any():
            found.append((along[np.argmax(low)], f"{name}, too low to stand under"))
    return min(found)[1] if found else ""


def too_low(level: Level, on: NDArray[np.intp], plan: Numbers) -> Iterator[tuple[str, Truths]]:
    """Each floor, and over which places, (places, 2) in m, it is too low to stand under.

    `on` is the floor of each place. Who could step onto a floor is not under it.
    """
    own = _heights(level, on, plan)
    for n, (floor, area) in enumerate(level.data.floors):
        rise = _heights(level, np.full(len(plan), n), plan) - own
        low = (rise > STEP) & (rise < HEADROOM)
        if low.any():
            low &= shapely.intersects_xy(area, *plan.T)
        yield floor.name, low


def _heights(level: Level, on: NDArray[np.intp], plan: Numbers) -> Numbers:
    """(places,) how high the planes of floors are at places, (places, 2), m."""
    planes: Numbers = np.array(plain(level.floors).planes)[on]
    found: Numbers = (planes[:, :2] * plan).sum(axis=1) + planes[:, 2]
    return found


def _met(
    line: shapely.LineString, walls: list[int], tree: shapely.STRtree, opened: frozenset[int]
) -> list[tuple[float, int]]:
    """How far along a line it first meets each of those that it meets, m, and which."""
    begin = shapely.Point(line.coords[0])
    return [
        (shapely.distance(begin, shapely.intersection(line, tree.geometries[n])), walls[n])
        for n in tree.query(line, predicate="intersects").tolist()
        if walls[n] not in opened
    ]
