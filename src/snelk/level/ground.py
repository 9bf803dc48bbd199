"""Ground that can be walked on, and the ways between its corners, as plain arrays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.level.columns import JoinColumns, agree, agree_axes, laid_out, plain
from snelk.level.grid import Grid

Numbers = NDArray[np.float64]

NO_WAY, NOT_KNOWN = -1, -2
"""Instead of how many places a way has: there is none; the ways between corners are needed."""


class Joins(NamedTuple):
    """How floors hang together, for who goes over them."""

    leads: NDArray[np.int32]  # (walls of the grid,): the floor a seam leads to; -1 for what blocks
    planes: Numbers  # (floors, 3): a, b, c of z = a x + b y + c

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "", leads="walls", planes="floors 3")
        agree((bool((self.leads < len(self.planes)).all()),), (True,))

    @classmethod
    def none(cls) -> Joins:
        """Level ground all over, on which everything blocks."""
        return cls(np.full(1, -1, dtype=np.int32), np.zeros((1, 3)))


class Ground(NamedTuple):
    """What compiled loops read of `Ways`.

    The edges of part n of the ground, ax, ay, bx, by in m, are those from `starts[n]` up to
    `starts[n + 1]`; those of the same part a little smaller lie in `inner_edges`.
    """

    corners: Numbers  # (corners, 2) where ways turn, m
    lengths: Numbers  # (corners, corners) of the ways between them, m; (0, 0) if not known yet
    before: NDArray[np.int32]  # (corners, corners) the corner before the second
    edges: Numbers
    starts: NDArray[np.int32]
    inner_edges: Numbers
    inner_starts: NDArray[np.int32]
    sheets: NDArray[np.int32]  # (corners,) the floor that each is on; 0 without floors
    joins: Joins

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "",
            corners="corners 2",
            lengths="known known",
            before="known known",
            edges="edges 4",
            starts="parts",
            inner_edges="inner 4",
            inner_starts="parts",
            sheets="corners",
        )
        agree((len(self.edges), len(self.inner_edges)), (self.starts[-1], self.inner_starts[-1]))
        agree((len(self.lengths) in (0, len(self.corners)),), (True,))
        known = int(self.sheets.max(initial=0)) < len(plain(self.joins).planes)
        agree((known,), (True,))


def edges_of(parts: Sequence[BaseGeometry]) -> tuple[Numbers, NDArray[np.int32]]:
    """The (edges, 4) of all outlines of some areas, and where those of each begin."""
    found, starts = [np.zeros((0, 4))], [0]
    for part in parts:
        for polygon in shapely.get_parts(part):
            for ring in (polygon.exterior, *polygon.interiors):
                points = shapely.get_coordinates(ring)
                found.append(np.hstack([points[:-1], points[1:]]))
        starts.append(sum(map(len, found)))
    return np.ascontiguousarray(np.concatenate(found)), np.array(starts, dtype=np.int32)


def ground_of(
    parts: Sequence[BaseGeometry],
    inner: Sequence[BaseGeometry],
    corners: Numbers | None = None,
    sheets: NDArray[np.int32] | None = None,
    joins: Joins | None = None,
) -> Ground:
    """Ground of some parts, and the same parts a little smaller; the ways are not known yet."""
    joins = laid_out(JoinColumns, Joins.none()) if joins is None else joins
    places = np.zeros((0, 2)) if corners is None else np.ascontiguousarray(corners)
    lengths, before = np.zeros((0, 0)), np.zeros((0, 0), dtype=np.int32)
    sheets = np.zeros(len(places), dtype=np.int32) if sheets is None else sheets
    edges = (*edges_of(parts), *edges_of(inner))
    return Ground(places, lengths, before, *edges, sheets, joins)


class GroundStage(NamedTuple):
    """Ground, what is in the way on it, and room to work in."""

    ground: Ground
    grid: Grid
    scratch: NDArray[np.int64]  # of the grid
    room: Numbers  # (4, corners) overwritten
    way: Numbers  # (corners + 1, 2) overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        count = len(plain(self.ground).corners)
        agree(self.room.shape, (4, count))
        agree(self.way.shape, (count + 1, 2))
        agree(self.scratch.shape, (len(plain(self.grid).see_through) + 1,))
        agree(plain(plain(self.ground).joins).leads.shape, plain(self.grid).see_through.shape)
