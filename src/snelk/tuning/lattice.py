"""The grid of a search for paths: points, moves between them, and their duration."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.config.steps import HEADROOM
from snelk.level.columns import plain
from snelk.level.footing import follow_floors
from snelk.level.level import Level
from snelk.level.ways import Ways

Numbers = NDArray[np.float64]
Indices = NDArray[np.intp]

NEAR, FAR = 1.5, 2.3
"""Places no farther apart than so many cells are joined: the eight around one, and corners; and
those a cell and two beside, for who is so fast that such a move takes less than two short ones."""

STEEP = 2.0
"""Places that differ by more in height than so many times their distance in plan are not joined."""

MOST_CORNERS = 1500
"""Of levels with more corners of paths than this they are no places."""

NEAR_DOOR = 1.5
"""Who comes no nearer to a door than this and its width does not open it within a tick, m."""

NO_LINK = -1
SLACK = 1e-9


class Mode(NamedTuple):
    """How somebody goes: in which posture, at which pace, and how fast that is, m/s; 0 to wait."""

    posture: str
    pace: str
    speed: float


class Moves(NamedTuple):
    """Moves from place to place; arrays of (moves,)."""

    start: Indices  # place
    end: Indices  # place
    length: Numbers  # m
    link: Indices  # the link that is taken, or NO_LINK


@dataclass(frozen=True)
class Lattice:
    """Places on the ground that somebody walks on, and the moves between them.

    Attributes:
        level: The level.
        cell: Distance between places, m.
        places: (places, 3), m.
        moves: The moves, in both directions, as they begin.
        first: (places + 1,) where the moves of each place begin.
        doors: Of a move that leads through doors, these, by number.
        start: The place where one begins.
        goals: (places,) which of them one wants to get to.
        radius: Of the body, m.
    """

    level: Level
    cell: float
    places: Numbers
    moves: Moves
    first: Indices
    doors: dict[int, frozenset[int]]
    start: int
    goals: NDArray[np.bool_]
    radius: float

    def layers(self, mode: Mode, seconds: float) -> Indices:
        """(moves,) the number of time steps of each move; 0 if it is not used."""
        links, link = plain(self.level.links), self.moves.link
        takes = self.moves.length / mode.speed
        if len(links.seconds):
            takes = np.where(link >= 0, links.seconds[np.maximum(link, 0)], takes)
        found = np.maximum(np.ceil(takes / seconds - SLACK), 1).astype(np.intp)
        straight, across = (
            max(int(np.ceil(far * self.cell / mode.speed / seconds - SLACK)), 1)
            for far in (1.0, 2.0**0.5)
        )
        by_short = np.where(self.moves.length < 2.1 * self.cell, 2 * straight, straight + across)
        is_long = (self.moves.length > NEAR * self.cell + SLACK) & (link == NO_LINK)
        found[is_long & (found >= by_short)] = 0
        upright = mode.posture == "standing" and mode.pace == "walking"
        found[(link >= 0) & (not upright)] = 0
        return found

    def along(self, moves: Indices, ticks: int) -> Numbers:
        """(moves, ticks + 1, 3) positions at each tick of a move."""
        start, end = self.places[self.moves.start[moves]], self.places[self.moves.end[moves]]
        share = (np.arange(ticks + 1) / ticks)[:, None]
        found: Numbers = start[:, None] + share * (end - start)[:, None]
        if self.level.data.floors:
            if ticks not in self._heights:
                self._heights[ticks] = np.full((len(self.moves.start), ticks + 1), np.nan)
            known = self._heights[ticks]
            new = np.isnan(known[moves, 0])
            for n in np.flatnonzero(new).tolist():
                self._climb(found[n], known[moves[n]], int(self.moves.link[moves[n]]))
            found[:, :, 2] = known[moves]
        return found

    @cached_property
    def _heights(self) -> dict[int, Numbers]:
        """By how many ticks moves take: (moves, ticks + 1) heights, m; NaN if not asked yet."""
        return {}

    def _climb(self, way: Numbers, heights: Numbers, link: int) -> None:
        """Write down how high somebody is on a move: on the floors, or on a link."""
        heights[...] = way[:, 2]
        if link == NO_LINK:
            heights[...] = way[0, 2]
            x, y = np.ascontiguousarray(way[:, 0]), np.ascontiguousarray(way[:, 1])
            follow_floors(self.level.floors, x, y, heights)

    def near_doors(self, walls: Sequence[int]) -> frozenset[int]:
        """The moves that come near one of these doors, by number."""
        found: set[int] = set()
        for wall in walls:
            reach = NEAR_DOOR + 2.0 * self.radius
            near = self._lines.query(self.level.outline_of(wall), "dwithin", distance=reach)
            low, high = float(self.level.base[wall]) - HEADROOM, float(self.level.top[wall])
            z = self.places[:, 2][np.stack([self.moves.start[near], self.moves.end[near]])]
            found |= set(near[(z.max(axis=0) > low) & (z.min(axis=0) < high)].tolist())
        return frozenset(found)

    @cached_property
    def _lines(self) -> shapely.STRtree:
        return _lines_of(self.places, self.moves)

    def least_layers(self, layers: list[Indices]) -> Indices:
        """(points,) the least number of time steps to a goal; huge if there is no path."""
        fastest = np.full(len(self.moves.start), 2**40, dtype=np.intp)
        for each in layers:
            fastest = np.where(each > 0, np.minimum(fastest, each), fastest)
        best = np.where(self.goals, 0, 2**40).astype(np.intp)
        while True:
            better = best.copy()
            np.minimum.at(better, self.moves.start, fastest + best[self.moves.end])
            if (better == best).all():
                return best
            best = better


def lay_lattice(
    level: Level,
    ways: Ways,
    cell: float,
    start: Numbers,
    goals: Numbers,
    goal_zone: str | None,
    radius: float,
) -> Lattice:
    """Lay places over the ground that is in reach from a start.

    Args:
        level: The level.
        ways: The ground, as the body needs it, with all doors open that may ever be.
        cell: Distance between places, m.
        start: (3,) where one begins, m; it can be stood on.
        goals: (goals, 3) where one wants to get to, m; places of their own.
        goal_zone: The zone one wants to get into; None if it is none.
        radius: Of the body, m: doors this near to a move are in its way.
    """
    ground = _Ground(ways, ways.part_at(start), float(start[2]))
    given = np.concatenate([start[None], goals])
    middles, middles_on = ground.middles(cell, start)
    corners, corners_on, which = ground.corners()
    places = np.concatenate([given, middles, corners])
    on = np.concatenate([ways.sheets_at(given), middles_on, corners_on])
    a, b, length = joined(ways, places, on, cell, FAR)
    # Links lead from corner to corner of the ways.
    at = np.full(len(ways.corners), -1, dtype=np.intp)
    at[which] = len(given) + len(middles) + np.arange(len(which))
    climbs = ways.climbs[(at[ways.climbs[:, :2]] >= 0).all(axis=1)]
    link = climbs[:, 2].astype(np.intp)
    begin = np.concatenate([a, b, at[climbs[:, 0]]])
    end = np.concatenate([b, a, at[climbs[:, 1]]])
    whole = np.concatenate([length, length, plain(level.links).lengths[link]])
    by = np.concatenate([np.full(2 * len(a), NO_LINK), link])
    order = np.lexsort((end, begin))
    moves = Moves(begin[order], end[order], whole[order], by[order])
    first = np.searchsorted(moves.start, np.arange(len(places) + 1))
    wanted = np.zeros(len(places), dtype=np.bool_)
    wanted[1 : 1 + len(goals)] = True
    wanted[0] = bool((np.abs(goals - start) <= SLACK).all(axis=1).any())
    if goal_zone is not None:
        wanted |= level.within(goal_zone, *places.T)
    doors = _through_doors(level, places, moves, radius)
    return Lattice(level, cell, places, moves, first, doors, 0, wanted, radius)


class _Ground:
    """The ground that can be reached from the start."""

    def __init__(self, ways: Ways, part: int, z: float) -> None:
        self.ways, self.part, self.z = ways, part, z
        self.sheets: list[int] = np.unique(ways.area_sheets).tolist()

    def middles(self, cell: float, start: Numbers) -> tuple[Numbers, NDArray[np.int32]]:
        """Grid points including the start, and the floor of each."""
        boxes = np.array([area.bounds for area in self.ways.areas]).reshape(-1, 4)
        low, high = boxes[:, :2].min(axis=0), boxes[:, 2:].max(axis=0)
        axes = [
            from_ + cell * np.arange(np.ceil((a - from_) / cell), np.floor((b - from_) / cell) + 1)
            for a, b, from_ in zip(low, high, start[:2], strict=True)
        ]
        plan = np.stack([each.ravel() for each in np.meshgrid(*axes)], axis=1)
        found, on = self._standing(plan)
        new = (found != start).any(axis=1)
        return found[new], on[new]

    def _standing(self, plan: Numbers) -> tuple[Numbers, NDArray[np.int32]]:
        found, on = [np.zeros((0, 3))], [np.zeros(0, dtype=np.int32)]
        for sheet in self.sheets:
            free = plan[self.ways.may_stand(self.part, sheet, plan)]
            found.append(np.column_stack([free, self.ways.heights_on(sheet, free, self.z)]))
            on.append(np.full(len(free), sheet, dtype=np.int32))
        return np.concatenate(found), np.concatenate(on)

    def corners(self) -> tuple[Numbers, NDArray[np.int32], Indices]:
        """Corners of paths, with floor and number; if there are many, only ends of links."""
        ways = self.ways
        chosen = np.zeros(len(ways.corners), dtype=np.bool_)
        for sheet in self.sheets:
            own = ways.sheets == sheet
            chosen[own] = ways.may_stand(self.part, sheet, ways.corners[own])
        if chosen.sum() > MOST_CORNERS:
            chosen[...] = False
        chosen[ways.climbs[:, :2].ravel()] = True
        which = np.flatnonzero(chosen)
        places = np.column_stack([ways.corners[which], np.full(len(which), self.z)])
        for sheet in self.sheets:
            own = ways.sheets[which] == sheet
            places[own, 2] = ways.heights_on(sheet, places[own, :2], self.z)
        return places, ways.sheets[which].astype(np.int32), which


def joined(
    ways: Ways, places: Numbers, on: NDArray[np.int32], cell: float, most: float = NEAR
) -> tuple[Indices, Indices, Numbers]:
    """Which places are near enough for a move that can be walked straight, and its length, m.

    That is no more than so many cells, `most`.
    """
    from scipy.spatial import KDTree

    pairs = KDTree(places[:, :2]).query_pairs(most * cell, output_type="ndarray")
    a, b = pairs.astype(np.intp).T
    apart = places[a] - places[b]
    flat = np.hypot(apart[:, 0], apart[:, 1])
    near = (np.abs(apart[:, 2]) <= STEEP * flat) & (flat > 0.0)
    a, b = a[near], b[near]
    length = ways.straight(places[a], on[a], places[b], on[b])
    free = np.isfinite(length)
    return a[free], b[free], length[free]


def _lines_of(places: Numbers, moves: Moves) -> shapely.STRtree:
    """The moves as lines in plan."""
    return shapely.STRtree(
        shapely.linestrings(places[np.column_stack([moves.start, moves.end])][:, :, :2])
    )


def _through_doors(
    level: Level, places: Numbers, moves: Moves, radius: float
) -> dict[int, frozenset[int]]:
    """The doors that block moves while they are shut."""
    found: dict[int, set[int]] = {}
    tree = _lines_of(places, moves)
    low = np.minimum(places[moves.start, 2], places[moves.end, 2])
    for wall in np.flatnonzero(level.is_door).tolist():
        near = tree.query(level.outline_of(wall), predicate="dwithin", distance=radius)
        for move in near.tolist():
            link = int(moves.link[move])
            if link != NO_LINK:
                if wall in level.link_doors[link]:
                    found.setdefault(move, set()).add(wall)
            elif level.base[wall] - 2.0 < low[move] < level.top[wall]:
                found.setdefault(move, set()).add(wall)
    return {move: frozenset(walls) for move, walls in found.items()}
