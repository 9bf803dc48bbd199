"""Paths on foot: the exact shortest paths around walls, from corner to corner.

Walls are grown by the clearance that a body needs, after which the body is a point (Lozano-Pérez
and Wesley 1979, "An algorithm for planning collision-free paths among polyhedral obstacles"). A
shortest path then turns only at convex corners of the grown walls. Which of them see each other is
computed once; Dijkstra's algorithm finds the paths between them, and they are kept. For large
levels SciPy is used. For small ones it takes longer to load than a whole run, so a compiled loop is
used.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterator, Sequence
from functools import cached_property
from threading import Lock
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.config.steps import STEP
from snelk.level.columns import (
    GridColumns,
    GroundColumns,
    GroundStageColumns,
    JoinColumns,
    laid_out,
    plain,
)
from snelk.level.floors import Floors
from snelk.level.footing import floors_below
from snelk.level.grid import build_grid, scratch_for
from snelk.level.ground import NO_WAY, NOT_KNOWN, Areas, Ground, GroundStage, Joins, ground_of
from snelk.level.growing import APART, MANY, grown, less_rim, united
from snelk.level.links import Links
from snelk.level.outlines import outlines_of, outward_corners, polygons_of
from snelk.level.sheets import Sheets
from snelk.level.walking import (
    can_walk,
    find_all_ways,
    find_way,
    lay_line,
    lay_way,
    length_of_way,
    lengths_between,
    part_of,
    pass_beside,
    step_back,
    which_stand,
)

Numbers = NDArray[np.float64]

Row = tuple[Numbers, NDArray[np.int32]]
"""Lengths of the paths from a place to all corners, and the corner before each."""

Sights = tuple[NDArray[np.int32], NDArray[np.int32], Numbers]
"""Of each corner where its straight paths begin, and of each the other corner and its length, m."""

Seen = tuple[NDArray[np.intp], Numbers]
"""The corners that can be walked to straight from a place, and how far each is, m."""

MARGIN = 3.0
"""Ground around everything in the level that can be walked on as well, m."""

SEAMS = 4096
"""A path has room for so many places at which it comes to another floor."""

WHOLE = 600
"""Of levels with no more corners than this, all ways between them are found at once."""

ROWS_MEMORY = 200_000_000
"""Bytes that ways to corners may take before those unused for longest are dropped."""

SEEN_KEPT = 4096
"""Places whose visible corners are kept."""

MOST_PAIRS = 6_000_000
"""More pairs of corners than this are not looked at: those farther apart are left out."""

SAMPLED, FEWEST = 4_000_000, 16
"""By so many distances, of so many corners at least, it is found which corners are near."""

CHUNK = 200_000
"""Pairs of corners that are looked at together."""


class Ways:
    """The ground for a body with some clearance, and the paths over it.

    Args:
        bounds: Smallest x, y and largest x, y of the level, m.
        walls: Outlines of the walls that nobody walks through; a polygon is filled.
        clearance: Least distance from the middle of the body to a wall, m.
        within: A territory that is not left; anywhere if None. With floors, one for each.
        floors: The floors of the level and all that has been laid out of them; None without
            floors. With floors, `walls` are those that block on each floor, by floor, and positions
            have heights.
        links: The links of the level; None for no links.
        may: Which of them may be taken, by number.

    Attributes:
        areas: The ground that can be walked on, as polygons; without floors each is a part.
            Without a territory it ends `MARGIN` outside of the level; paths may lead farther out.
        corners: (corners, 2) where paths turn, m.
        sheets: (corners,) the floor that each is on; 0 without floors.
        grid: What is in the way, as compiled loops read it.
        is_small: Whether the paths between all corners are known at once.
    """

    def __init__(
        self,
        bounds: tuple[float, float, float, float],
        walls: Any,
        clearance: float,
        within: Any = None,
        floors: tuple[Floors, Sheets] | None = None,
        links: Links | None = None,
        may: Sequence[int] = (),
    ) -> None:
        self._lock = Lock()  # of what is kept, which threads share
        self._rows: OrderedDict[tuple[float, ...], Row] = OrderedDict()
        self._seen: OrderedDict[tuple[float, ...], Seen] = OrderedDict()
        self._areas: Areas
        self._floors = None if floors is None else floors[0]
        self._links_taken, self._climbs = links, np.zeros((0, 3), dtype=np.int32)
        if floors is None:
            self._lay_out(bounds, walls, clearance, within)
        else:
            self._lay_out_sheets(walls, clearance, within, floors[1])
        if links is not None:
            self._join_by_links(plain(links), may)
        self.is_small = len(self.corners) <= WHOLE

    def _lay_out_sheets(
        self,
        walls: Sequence[Sequence[BaseGeometry]],
        clearance: float,
        within: Sequence[BaseGeometry] | None,
        sheets: Sheets,
    ) -> None:
        """The obstacles on each floor, at the height of its number, and their corners."""
        laid = sheets.lay(walls, clearance, within)
        flat = [np.full((len(each.lines), 2), float(n)) for n, each in enumerate(laid)]
        lines = np.concatenate([np.zeros((0, 4)), *(each.lines for each in laid)])
        pieces = np.hstack([lines, np.concatenate([np.zeros((0, 2)), *flat])])
        bends, floors = sheets.bends(laid)
        on = np.repeat(np.arange(len(laid), dtype=np.int32), [len(each.corners) for each in laid])
        self.corners = np.concatenate([*(each.corners for each in laid), bends])
        turns = np.zeros((len(bends), 2, 2))  # a path may turn there to any side
        self._sides = np.concatenate([*(each.sides for each in laid), turns])
        self.sheets = np.concatenate([on, floors])
        self._joins = laid_out(JoinColumns, Joins.of(sheets.storeys, sheets.planes))
        owners = np.zeros(len(pieces), np.int32)
        self.grid = laid_out(GridColumns, build_grid(pieces, owners, np.zeros(1)))
        areas = [area for each in laid for area in each.areas]
        inner = [area for each in laid for area in each.inner]
        self._in_parts(areas, inner, *sheets.parts(laid))

    def _join_by_links(self, links: Links, may: Sequence[int]) -> None:
        """Add links whose ends can both be stood on, from corner to corner."""
        reach, climbs = np.eye(self.count_parts, dtype=np.bool_), []
        for link in may:
            ends = links.ends[link].reshape(2, 3)
            sheets = self.sheets_at(ends)
            parts = [self.part_on(end) for end in ends]
            if min(parts) < 0:
                continue
            far = float(self.straight(ends[:1], sheets[:1], ends[1:], sheets[1:])[0])
            if far <= links.lengths[link]:
                continue  # one walks as well
            reach[parts[0], parts[1]] = True
            climbs.append((len(self.corners), len(self.corners) + 1, link))
            self.corners = np.concatenate([self.corners, ends[:, :2]])
            self._sides = np.concatenate([self._sides, np.zeros((2, 2, 2))])
            self.sheets = np.concatenate([self.sheets, sheets.astype(np.int32)])
        for between in range(len(reach)):
            reach |= reach[:, between, None] & reach[None, between]
        self._climbs = np.array(climbs, dtype=np.int32).reshape(-1, 3)
        self._areas = self._areas._replace(reach=reach)
        self.__dict__.pop("ground", None)  # it was laid out without links

    def _in_parts(
        self,
        areas: list[BaseGeometry],
        inner: list[BaseGeometry],
        sheets: list[int],
        part: list[int],
    ) -> None:
        """File areas by the part of the ground that they belong to."""
        order = np.argsort(part, kind="stable").tolist()
        shapes = [areas[n] for n in order]
        count = max(part, default=-1) + 1
        starts = np.searchsorted(np.array(part)[order], np.arange(count + 1)).astype(np.int32)
        on = np.array([sheets[n] for n in order], dtype=np.int32)
        within = [inner[n] for n in order]
        self._areas = Areas(shapes, within, on, starts, np.eye(count, dtype=np.bool_))
        shapely.prepare(shapes)

    def _lay_out(
        self,
        bounds: tuple[float, float, float, float],
        walls: Sequence[Any],
        clearance: float,
        within: BaseGeometry | None,
    ) -> None:
        """The obstacles on ground without floors, its parts and corners."""
        low, high = np.array(bounds[:2]) - MARGIN, np.array(bounds[2:]) + MARGIN
        ground = shapely.box(*low, *high)
        blocks = grown(walls, max(clearance - APART, 0.0))
        outer = grown(walls, max(clearance, 2 * APART))
        if within is not None:
            around = shapely.box(*(low - 1000.0), *(high + 1000.0))
            blocks.append(shapely.difference(around, within))
            outer.append(shapely.difference(around, shapely.buffer(within, -APART)))
        # Walls as they are stay lines, for which a union of areas would be no use.
        unites = clearance > 2 * APART and len(blocks) <= MANY
        solid = united(blocks) if unites else None
        pieces = outlines_of(blocks if solid is None else [solid])
        flat = np.column_stack(
            [pieces, np.full(len(pieces), -np.inf), np.full(len(pieces), np.inf)]
        )
        walls_of = np.zeros(len(pieces), dtype=np.int32)
        self.grid = laid_out(GridColumns, build_grid(flat, walls_of, np.zeros(1)))
        solid = united(outer)
        free = shapely.difference(ground if within is None else within, solid)
        areas = polygons_of(free)
        inner = [less_rim(area) for area in areas]
        self._in_parts(areas, inner, [0] * len(areas), list(range(len(areas))))
        self.corners, self._sides = outward_corners(solid)
        self.sheets = np.zeros(len(self.corners), dtype=np.int32)
        self._joins = laid_out(JoinColumns, Joins.none())

    @property
    def areas(self) -> Sequence[BaseGeometry]:
        """The ground that can be walked on, as polygons; without floors each is a part."""
        return self._areas.shapes

    @property
    def area_sheets(self) -> NDArray[np.int32]:
        """(areas,) the floor that each is on; 0 without floors."""
        return self._areas.sheets

    @property
    def climbs(self) -> NDArray[np.int32]:
        """(climbs, 3) the corners at which links begin and end, and the link, by number."""
        return self._climbs

    @property
    def has_links(self) -> bool:
        """Whether there are links that one gets on by."""
        return len(self._climbs) > 0

    @property
    def count_parts(self) -> int:
        """How many parts the ground has."""
        return len(self._areas.reach)

    def reach(self, part: int) -> tuple[int, ...]:
        """The parts that are in reach from one, itself first."""
        others = np.flatnonzero(self._areas.reach[part]).tolist()
        return part, *(other for other in others if other != part)

    def areas_of(self, part: int) -> list[tuple[BaseGeometry, int]]:
        """The areas of a part of the ground, each with the floor that it is on."""
        low, high = self._areas.parts[part : part + 2].tolist()
        return [(self.areas[n], int(self._areas.sheets[n])) for n in range(low, high)]

    def area_on(self, part: int, sheet: int) -> BaseGeometry:
        """What of a part of the ground is on a floor; empty if there is nothing."""
        low, high = self._areas.parts[part : part + 2].tolist()
        found = low + np.flatnonzero(self.area_sheets[low:high] == sheet)
        own = [self.areas[n] for n in found.tolist()]
        return own[0] if len(own) == 1 else shapely.union_all(own)

    def may_stand(self, part: int, sheet: int, places: Numbers) -> NDArray[np.bool_]:
        """Which places, (places, 2) on a floor, are in reach from a part, -1 for any.

        All without ground.
        """
        found = np.zeros(len(places), dtype=np.bool_)
        if not self.areas:
            return ~found
        which_stand(self.ground, part, sheet, np.ascontiguousarray(places), found)
        return found

    def heights_on(self, sheet: int, places: Numbers, z: float) -> Numbers:
        """(places,) how high a floor is at places, (places, 2) in m; z without floors."""
        if self._floors is None:
            return np.full(len(places), z)
        plane = plain(self._floors).planes[sheet]
        heights: Numbers = places @ plane[:2] + plane[2]
        return heights

    def cells_by_links(
        self, centres: Numbers, cell: float
    ) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """From which to which of some places, (cells, 3), as far apart as cells, one gets by links.

        To the nearest in space: of those as near the one with less y, then less x.
        """
        found: list[tuple[int, int]] = []
        for corners in self._climbs[:, :2].tolist():
            near = []
            for corner in corners:
                end = self.corners[corner]
                heights = self.heights_on(int(self.sheets[corner]), end[None], 0.0)
                up = 0.0 if self._floors is None else centres[:, 2] - heights
                away = np.hypot(np.hypot(*(centres[:, :2] - end).T), up).round(9)
                first = np.lexsort((*centres[:, :2].T, away))[:1].tolist()
                near += [each for each in first if away[each] <= cell]
            if len(near) == 2:
                found.append((near[0], near[1]))
        pairs = np.array(found, dtype=np.intp).reshape(-1, 2)
        return pairs[:, 0], pairs[:, 1]

    def sheets_at(self, places: Numbers) -> NDArray[np.int32]:
        """(positions,) the floor below each, (positions, 3); -1 for none."""
        if self._floors is None:
            return np.zeros(len(places), dtype=np.int32)
        found = np.empty(len(places), dtype=np.int32)
        floors_below(self._floors, np.ascontiguousarray(places, dtype=np.float64), found)
        return found

    def clear(self, start: Numbers, end: Numbers) -> NDArray[np.bool_]:
        """Whether each straight line can be walked; both as in `distance`."""
        return np.isfinite(self.straight(start, self.sheets_at(start), end, self.sheets_at(end)))

    def lengths_from(self, place: Numbers, ends: Numbers) -> Numbers:
        """(ends,) how long the straight line from a place to each is, m; infinite if blocked."""
        start = np.repeat(place[None], len(ends), axis=0)
        return self.straight(start, self.sheets_at(start), ends, self.sheets_at(ends))

    def straight(
        self,
        start: Numbers,
        start_sheets: NDArray[np.int32],
        end: Numbers,
        end_sheets: NDArray[np.int32],
    ) -> Numbers:
        """(lines,) how long each straight line is on the floors under it, m; infinite if blocked.

        Who is on no floor, -1, gets nowhere.
        """
        sheets = np.column_stack([start_sheets, end_sheets]).astype(np.int32)
        lengths = np.empty(len(start))
        can_walk(
            self.grid,
            scratch_for(plain(self.grid)),
            self._joins,
            np.ascontiguousarray(start[:, :2]),
            np.ascontiguousarray(end[:, :2]),
            np.maximum(sheets, 0),
            lengths,
        )
        lengths[(sheets < 0).any(axis=1)] = np.inf
        return lengths

    def distance(self, start: Numbers, end: Numbers, limit: Numbers) -> Numbers:
        """Length of the path from each start to each end, (pairs, 2), m; infinite beyond `limit`.

        Where the straight line is free the path is that line. On a level with floors places have
        heights, (pairs, 3), and so have the lengths.
        """
        sheets = self.sheets_at(start), self.sheets_at(end)
        length = self.straight(start, sheets[0], end, sheets[1])
        # From floor to floor one that bends may be shorter than one that is straight in plan.
        bent = np.flatnonzero(np.isinf(length) | (sheets[0] != sheets[1]))
        around = self.around(start[bent], end[bent], limit[bent])
        length[bent] = np.minimum(length[bent], around)
        result: Numbers = np.where(length <= limit, length, np.inf)
        return result

    def around(self, start: Numbers, end: Numbers, limit: Numbers) -> Numbers:
        """The same for pairs whose straight line is known to be blocked."""
        length = np.full(len(start), np.inf)
        if len(start) == 0:
            return length
        if self.is_small:
            sheets = np.column_stack([self.sheets_at(start), self.sheets_at(end)])
            start, end, limit = (
                np.ascontiguousarray(each) for each in (start[:, :2], end[:, :2], limit)
            )
            lengths_between(
                self.whole_ground, self.grid, scratch_for(plain(self.grid)), self.room(), start,
                end, np.maximum(sheets, 0), limit, length,
            )  # fmt: skip
            length[(sheets < 0).any(axis=1)] = np.inf
            return length
        places, which = np.unique(start, axis=0, return_inverse=True)
        for n, place in enumerate(places):
            here = np.flatnonzero(which.ravel() == n)
            field = self.field(place, float(limit[here].max()))
            apart = self.corners - end[here, None, :2]
            least = field + np.hypot(*apart.transpose(2, 0, 1))
            pair, corner = np.nonzero(least <= limit[here, None])
            ends = end[here[pair]]  # from there, as compiled loops do
            left = self.straight(
                ends, self.sheets_at(ends), self.corners[corner], self.sheets[corner]
            )
            whole = field[corner] + left
            near = whole <= limit[here[pair]]
            np.minimum.at(length, here[pair[near]], whole[near])
        return length

    def field(self, place: Numbers, limit: float = np.inf) -> Numbers:
        """(corners,) length of the path from a position to every corner, m.

        Those beyond the limit may be infinite.
        """
        if not self.is_small:
            return self._from(place, limit)[0]
        a, before = self._visible(place, limit)
        whole: Numbers = before[:, None] + plain(self.whole_ground).lengths[a]
        found: Numbers = whole.min(axis=0, initial=np.inf)
        return found

    def length(self, start: Numbers, goal: Numbers) -> float:
        """Length of the path between two positions, (2,), m; infinite if there is none."""
        return float(self.distance(start[None], goal[None], np.array([np.inf]))[0])

    def length_on(self, part: int, start: Numbers, goal: Numbers, *, stays: bool = True) -> float:
        """The same, of the places that are nearest in reach from a part of the ground.

        Somebody stands at the first, and `stays` near its floor; see `nearest`.
        """
        start, goal = _in_space(start), _in_space(goal)
        if not self.is_small:
            return self.length(self.nearest(start, part, stays=stays), self.nearest(goal, part))
        scratch, room, length = scratch_for(plain(self.grid)), self.room(), np.nan
        for ground in self.grounds():
            length = length_of_way(ground, self.grid, scratch, room, part, start, goal, stays)
            if not np.isnan(length):
                break
        return length

    def path(self, start: Numbers, goal: Numbers) -> Numbers | None:
        """The points, (points, 2), where the shortest path turns, with the goal at its end, m.

        None if there is no path; see `nearest` for goals that cannot be walked to.
        """
        way = self.way(start, goal)
        return None if way is None else way[:, :2]

    def way(self, start: Numbers, goal: Numbers, here: Numbers | None = None) -> Numbers | None:
        """The same with the cost of each point, (points, 5); see `find_way`."""
        start, goal, way = _in_space(start), _in_space(goal), self.room_for_way()
        here = start if here is None else _in_space(here)
        if self.is_small:
            room, count = self.room(), NOT_KNOWN
            for ground in self.grounds():
                scratch = scratch_for(plain(self.grid))
                count = find_way(ground, self.grid, scratch, room, start, goal, way, here)
                if count != NOT_KNOWN:
                    break
            return None if count == NO_WAY else way[:count].copy()
        on = self.sheets_at(np.stack([start, goal]))
        straight = float(self.straight(start[None], on[:1], goal[None], on[1:])[0])
        turns: list[int] = []
        if np.isinf(straight) or on[0] != on[1]:
            lengths, before = self._from(start)
            sees, far = self._visible(goal)
            whole = lengths[sees] + far
            if whole.min(initial=np.inf) < straight:
                corner = int(sees[np.argmin(whole)])
                while corner < len(self.corners):
                    turns.append(corner)
                    corner = int(before[corner])
            elif np.isinf(straight):
                return None
        by = np.array(turns[::-1], dtype=np.int32)
        count = lay_way(self.ground, here, goal, by, way)
        return way[:count].copy()

    def along(self, start: Numbers, line: Numbers) -> Numbers:
        """The same, straight from place to place, (places, 2), whatever is in the way."""
        way = np.empty((len(line) + 1 + (0 if self._floors is None else SEAMS), 5))
        count = lay_line(self.ground, _in_space(start), np.ascontiguousarray(line), way)
        return way[:count].copy()

    def part_on(self, place: Numbers) -> int:
        """The index of the part of the ground that a place is in; -1 if it is in none."""
        return part_of(self.ground, *_in_space(place).tolist())

    def part_at(self, place: Numbers) -> int:
        """The index of the part of the ground that a place is in, or the nearest; -1 if none.

        The nearest no more than a step up or down, if there is one.
        """
        x, y, z = _in_space(place).tolist()
        part = self.part_on(place)
        if part >= 0 or not self.areas:
            return part
        away = shapely.distance(np.array(self.areas, dtype=object), shapely.Point(x, y))
        if self._floors is not None:
            heights = np.array(plain(self._floors).planes) @ (x, y, 1.0)
            sheet = int(self.sheets_at(np.array([[x, y, z]]))[0])
            under, heights = z if sheet < 0 else heights[sheet], heights[self.area_sheets]
            away = np.hypot(away, heights - z)
            own = np.abs(heights - under) <= STEP
            away[own.any() & ~own] = np.inf
        return int(np.searchsorted(self._areas.parts, np.argmin(away), side="right")) - 1

    def nearest(self, place: Numbers, part: int, *, stays: bool = False) -> Numbers:
        """The place itself, or if one cannot stand there the nearest in reach from a part.

        Of who stands there and `stays` the nearest no more than a step up or down, if there is one.
        """
        x, y, z = _in_space(place).tolist()
        on = step_back(self.ground, part, x, y, z, stays)
        return place if on == (x, y, z) else np.array(on[: len(place)])

    def holds(self, part: int, places: Numbers) -> NDArray[np.bool_]:
        """Which places, (places, 2 or 3) in m, are in a part of the ground."""
        found = [self.part_on(place) for place in places]
        return np.array([0 <= part == each for each in found], np.bool_)

    @property
    def is_wholly_known(self) -> bool:
        """Whether the paths between all corners have been found."""
        return "whole_ground" in self.__dict__

    def grounds(self) -> Iterator[Ground]:
        """The arrays for compiled loops; paths between corners only if `more` is asked."""
        if not self.is_wholly_known:
            yield self.ground
        if self.is_small:
            yield self.whole_ground

    def make_ready(self) -> None:
        """Find now what paths are made of, which else is done when the first one is needed."""
        tuple(self.grounds())
        if not self.is_small:  # any path finds what is needed for the others
            self._from(_in_space(self.corners[0]))

    def stages(self, known: dict[int, GroundStage]) -> Iterator[GroundStage]:
        """The same with room to work in, which the caller keeps in `known`."""
        for ground in self.grounds():
            if id(ground) not in known:
                known[id(ground)] = laid_out(
                    GroundStageColumns,
                    GroundStage(
                        ground,
                        self.grid,
                        scratch_for(plain(self.grid)),
                        self.room(),
                        self.room_for_way(),
                    ),
                )
            yield known[id(ground)]

    def room(self) -> Numbers:
        """Scratch space of compiled loops for each corner."""
        return np.empty((5, len(self.corners)))

    def room_for_way(self) -> Numbers:
        """Scratch space of compiled loops for a path."""
        spare = SEAMS if self._floors is not None else 0
        return np.empty((len(self.corners) + 1 + spare, 5))

    @cached_property
    def ground(self) -> Ground:
        """The arrays for compiled loops, without paths between corners."""
        found = ground_of(
            self._areas, self.corners, self.sheets, self._joins, climbs=self._climbs,
            floors=self._floors, links=self._links_taken,
        )  # fmt: skip
        return laid_out(GroundColumns, found)

    @cached_property
    def whole_ground(self) -> Ground:
        """All arrays for compiled loops, of a small level."""
        count = len(self.corners)
        lengths, before = np.empty((count, count)), np.empty((count, count), dtype=np.int32)
        find_all_ways(*self._sights, np.empty(count, dtype=np.bool_), lengths, before)
        found = plain(self.ground)._replace(lengths=lengths, before=before)
        return laid_out(GroundColumns, found)

    def _visible(self, place: Numbers, limit: float = np.inf) -> Seen:
        """The corners that can be walked to straight from a place, and how far each is, m."""
        key = (*(float(each) for each in place), limit)
        known = self._seen.get(key)
        if known is None:
            near = np.flatnonzero(np.hypot(*(self.corners - place[:2]).T) <= limit)
            start = np.repeat(place[None], len(near), axis=0)
            far = self.straight(start, self.sheets_at(start), self.corners[near], self.sheets[near])
            known = near[np.isfinite(far)], far[np.isfinite(far)]
            with self._lock:
                self._seen[key] = known
                if len(self._seen) > SEEN_KEPT:
                    self._seen.popitem(last=False)
        return known

    def _from(self, place: Numbers, limit: float = np.inf) -> Row:
        """Lengths of paths from a position to all corners of a large level, m, and predecessors.

        That is a corner, or a number beyond them all for the place itself. Lengths beyond the
        limit may be infinite; of limits only the power of two above counts.
        """
        reach = 2.0 ** np.ceil(np.log2(max(limit, 1.0))) if np.isfinite(limit) else np.inf
        key = (*(float(each) for each in place), float(reach))
        with self._lock:
            known = self._rows.pop(key, None)
        if known is None:
            from scipy.sparse import csr_matrix
            from scipy.sparse.csgraph import dijkstra

            # The place is one more corner, from which ways lead to those that are seen from it.
            (starts, others, lengths), count = self._sights, len(self.corners)
            seen, far = self._visible(place, float(reach))
            joined = (
                np.concatenate([lengths, far]),
                np.concatenate([others, seen]),
                np.append(starts, starts[-1] + len(seen)),
            )
            whole = csr_matrix(joined, shape=(count + 1, count + 1))
            known = dijkstra(whole, indices=count, return_predecessors=True, limit=reach)
            known = known[0][:count], known[1][:count]
        with self._lock:
            full = (len(self._rows) + 1) * 12 * len(self.corners) > ROWS_MEMORY
            if key not in self._rows and full and self._rows:
                self._rows.popitem(last=False)
            self._rows[key] = known
        return known

    @cached_property
    def _sights(self) -> Sights:
        """Pairs of corners with a free straight line.

        A shortest path passes a corner so that both walls beside it lie on one side of the way.
        """
        count, sides = len(self.corners), self._sides
        found, lengths = [np.zeros((2, 0), dtype=np.intp)], [np.zeros(0)]
        pairs = self._pairs()
        corners, sides = np.ascontiguousarray(self.corners), np.ascontiguousarray(sides)
        for low in range(0, len(pairs), CHUNK):
            near = np.ascontiguousarray(pairs[low : low + CHUNK])
            useful = np.empty(len(near), dtype=np.bool_)
            pass_beside(corners, sides, near, useful)
            pair = near[useful].T
            far = self.straight(
                *(each[end] for end in pair for each in (self.corners, self.sheets))
            )
            found.append(pair[:, np.isfinite(far)])
            lengths.append(far[np.isfinite(far)])
        a, b = np.concatenate(found, axis=1)
        length = np.concatenate(lengths)
        start, other = np.concatenate([a, b]), np.concatenate([b, a])
        length = np.concatenate([length, length])
        if self._links_taken is not None and len(self._climbs):
            climb, by = self._climbs.T, plain(self._links_taken).lengths
            start, other = np.concatenate([start, climb[0]]), np.concatenate([other, climb[1]])
            length = np.concatenate([length, by[climb[2]]])
        order = np.lexsort((other, start))
        starts = np.searchsorted(start[order], np.arange(count + 1)).astype(np.int32)
        return starts, other[order].astype(np.int32), length[order]

    def _pairs(self) -> NDArray[np.intp]:
        """(pairs, 2) of corners that may see each other: all, of large levels only near ones."""
        count = len(self.corners)
        if count * (count - 1) // 2 <= MOST_PAIRS:
            return np.column_stack(np.triu_indices(count, 1))
        from scipy.spatial import KDTree

        # As far apart as there are not too many such pairs, told by some of the corners.
        some = self.corners[:: -(-count // max(SAMPLED // count, FEWEST))]
        away = np.hypot(*(some[:, None] - self.corners).transpose(2, 0, 1)).ravel()
        n = min(len(some) * (2 * MOST_PAIRS + count) // count, len(away) - 1)
        low, tree = float(np.partition(away, n)[n]), KDTree(self.corners)
        near: NDArray[np.intp] = tree.query_pairs(low, output_type="ndarray")
        return near.astype(np.intp, copy=False)


def _in_space(place: Numbers) -> Numbers:
    """A place with a height, m, which is 0 if it has none."""
    at = np.asarray(place, dtype=np.float64)
    return at if len(at) == 3 else np.append(at, 0.0)
