"""Walkable ground, and the paths between its corners, as plain arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.level.columns import JoinColumns, agree, agree_axes, laid_out, plain
from snelk.level.floors import Floors, build_floors
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.level.links import Links, build_links
from snelk.level.outlines import edges_of
from snelk.level.storeys import Storeys

Numbers = NDArray[np.float64]

NO_WAY, NOT_KNOWN = -1, -2
"""Instead of how many places a path has: there is none; the paths between corners are needed."""


class Joins(NamedTuple):
    """How floors are connected, for walking.

    Of floor n are the seams from `starts[n]` up to `starts[n + 1]`, which it lies to the left of.
    """

    seams: Numbers  # (seams, 4): ax, ay, bx, by, m
    leads: NDArray[np.int32]  # (seams,): the floor that each leads to
    starts: NDArray[np.int32]  # (floors + 1,)
    planes: Numbers  # (floors, 3): a, b, c of z = a x + b y + c

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "", seams="seams 4", leads="seams", starts="bounds", planes="floors 3")
        agree((len(self.starts), int(self.starts[-1])), (len(self.planes) + 1, len(self.seams)))
        agree((bool((self.leads >= 0).all() and (self.leads < len(self.planes)).all()),), (True,))

    @classmethod
    def none(cls) -> Joins:
        """Level ground all over."""
        none, starts = np.zeros(0, dtype=np.int32), np.zeros(2, dtype=np.int32)
        return cls(np.zeros((0, 4)), none, starts, np.zeros((1, 3)))

    @classmethod
    def of(cls, storeys: Storeys, planes: Numbers) -> Joins:
        """Those of floors with such planes."""
        order = np.argsort(storeys.from_floor, kind="stable")
        starts = np.searchsorted(storeys.from_floor[order], np.arange(len(planes) + 1))
        seams = np.ascontiguousarray(storeys.seams[order])
        return cls(seams, storeys.to_floor[order], starts.astype(np.int32), planes)


class Ground(NamedTuple):
    """The arrays of `Ways` for compiled loops.

    A part of the ground consists of areas, each on one floor; without floors it is one area. The
    edges of area n, ax, ay, bx, by in m, are those from `starts[n]` up to `starts[n + 1]`; those
    of the same area a little smaller lie in `inner_edges`.
    """

    corners: Numbers  # (corners, 2) where paths turn, m
    lengths: Numbers  # (corners, corners) of the paths between them, m; (0, 0) if not known yet
    before: NDArray[np.int32]  # (corners, corners) the corner before the second
    edges: Numbers
    starts: NDArray[np.int32]
    inner_edges: Numbers
    inner_starts: NDArray[np.int32]
    sheets: NDArray[np.int32]  # (corners,) the floor that each is on; 0 without floors
    area_sheets: NDArray[np.int32]  # (areas,) the same
    parts: NDArray[np.int32]  # (parts + 1,) where the areas of each part begin
    reach: NDArray[np.bool_]  # (parts, parts) whether one gets from part to part by links
    climbs: NDArray[np.int32]  # (climbs, 3) from corner to corner by a link
    joins: Joins
    floors: Floors
    links: Links

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "",
            corners="corners 2",
            lengths="known known",
            before="known known",
            edges="edges 4",
            starts="bounds",
            inner_edges="inner 4",
            inner_starts="bounds",
            sheets="corners",
            area_sheets="areas",
            parts="ends",
            reach="parts parts",
            climbs="climbs 3",
        )
        agree((len(self.starts), len(self.parts), int(self.parts[-1])),
              (len(self.area_sheets) + 1, len(self.reach) + 1, len(self.area_sheets)))  # fmt: skip
        ends, by = self.climbs[:, :2], self.climbs[:, 2]
        agree((int(ends.max(initial=-1)) < len(self.corners),), (True,))
        agree((int(by.max(initial=-1)) < len(plain(self.links).lengths),), (True,))
        agree((len(self.edges), len(self.inner_edges)), (self.starts[-1], self.inner_starts[-1]))
        agree((len(self.lengths) in (0, len(self.corners)),), (True,))
        known = int(self.sheets.max(initial=0)) < len(plain(self.joins).planes)
        agree((known,), (True,))


class Areas(NamedTuple):
    """The areas that parts of the ground consist of, part after part."""

    shapes: Sequence[BaseGeometry]
    inner: Sequence[BaseGeometry]  # the same a little smaller
    sheets: NDArray[np.int32]  # (areas,) the floor of each; 0 without floors
    parts: NDArray[np.int32]  # (parts + 1,) where those of each part begin
    reach: NDArray[np.bool_]  # (parts, parts)

    @classmethod
    def each_a_part(cls, shapes: Sequence[BaseGeometry], inner: Sequence[BaseGeometry]) -> Areas:
        """Areas on ground without floors."""
        count = len(shapes)
        sheets, parts = np.zeros(count, dtype=np.int32), np.arange(count + 1, dtype=np.int32)
        return cls(shapes, inner, sheets, parts, np.eye(count, dtype=np.bool_))


def ground_of(
    areas: Areas,
    corners: Numbers | None = None,
    sheets: NDArray[np.int32] | None = None,
    joins: Joins | None = None,
    *,
    climbs: NDArray[np.int32] | None = None,
    floors: Floors | None = None,
    links: Links | None = None,
) -> Ground:
    """Ground of some areas; the paths between its corners are not known yet."""
    places = np.zeros((0, 2)) if corners is None else np.ascontiguousarray(corners)
    return Ground(
        places,
        np.zeros((0, 0)),
        np.zeros((0, 0), dtype=np.int32),
        *edges_of(areas.shapes),
        *edges_of(areas.inner),
        np.zeros(len(places), dtype=np.int32) if sheets is None else sheets,
        areas.sheets,
        areas.parts,
        areas.reach,
        np.zeros((0, 3), dtype=np.int32) if climbs is None else climbs,
        laid_out(JoinColumns, Joins.none()) if joins is None else joins,
        build_floors([]) if floors is None else floors,
        build_links([]) if links is None else links,
    )


class GroundStage(NamedTuple):
    """Ground, the walls on it, and scratch space."""

    ground: Ground
    grid: Grid
    scratch: Scratch  # of the grid
    room: Numbers  # (5, corners) overwritten
    way: Numbers  # (places, 5) overwritten, with room for all corners and the goal; see `find_way`

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        count = len(plain(self.ground).corners)
        agree(self.room.shape, (5, count))
        agree((len(self.way) > count, self.way.shape[1]), (True, 5))
        agree_scratch(self.scratch, self.grid)
