"""Walkable ways: how far it is on foot, around walls and through openings.

The level is covered by square cells. Two cells are neighbours if the straight line between
their centres is free, where a centre has 16 neighbours (a step along an axis, a diagonal, and
the moves two ahead and one aside), which makes a way at most 2.8 % longer than it is in the
open (docs/calculations.md). Dijkstra's algorithm finds the shortest ways (SciPy's routine).
"""

from __future__ import annotations

from collections import OrderedDict

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from snelk.errors import InputError
from snelk.level.rays import Grid, cast_rays

Numbers = NDArray[np.float64]

MARGIN = 3.0
"""Ground around everything in the level that can be walked on as well, m."""

MOST_CELLS = 4_000_000
"""More cells than this are refused."""

FIELD_MEMORY = 200_000_000
"""Bytes that fields of distances may take before the one unused for longest is dropped."""

ON_WALL = 1e-6
"""A centre this close to a wall cannot be walked on, m: else ways would leak through it."""

STEPS = ((1, 0), (0, 1), (1, 1), (1, -1), (2, 1), (1, 2), (2, -1), (1, -2))
"""Half of the neighbours of a cell, (columns, rows); the others are their opposites."""

_CORNERS = np.array([(0, 0), (1, 0), (0, 1), (1, 1)])


class Ways:
    """The cells of a level and the ways between them.

    Args:
        bounds: Smallest x, y and largest x, y of the level, m.
        blocking: Outlines of the walls that nobody walks through; a polygon is filled.
        grid: The pieces of the same walls, without regard to height.
        cell: Side of a cell, m.

    Raises:
        InputError: The cells would be more than `MOST_CELLS`.
    """

    def __init__(
        self,
        bounds: tuple[float, float, float, float],
        blocking: list[shapely.Geometry],
        grid: Grid,
        cell: float,
    ) -> None:
        self.cell = cell
        self.grid = grid
        self.x, self.y = bounds[0] - MARGIN, bounds[1] - MARGIN
        self.columns = int(np.ceil((bounds[2] + MARGIN - self.x) / cell))
        self.rows = int(np.ceil((bounds[3] + MARGIN - self.y) / cell))
        if self.columns * self.rows > MOST_CELLS:
            rule = f"makes {self.columns * self.rows} cells, more than {MOST_CELLS}"
            raise InputError.of("walk_cell", "", f"{cell:g} m", rule, "make it larger")
        x = self.x + (np.arange(self.columns) + 0.5) * cell
        y = self.y + (np.arange(self.rows) + 0.5) * cell
        self.centres: Numbers = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
        self.free = self._free_cells(blocking)
        self.graph = self._neighbours()
        self._fields: OrderedDict[int, tuple[float, Numbers]] = OrderedDict()

    def distance(self, start: Numbers, end: Numbers, limit: Numbers) -> Numbers:
        """Length of the way from each start to each end, (pairs, 2), m; infinite beyond `limit`.

        Where the straight line is free the way is that line.
        """
        length = np.hypot(*(end - start).T)
        bent = np.flatnonzero(~self.clear(start, end))
        length[bent] = self.around(start[bent], end[bent], limit[bent])
        result: Numbers = np.where(length <= limit, length, np.inf)
        return result

    def around(self, start: Numbers, end: Numbers, limit: Numbers) -> Numbers:
        """The same for pairs of which it is known that the straight line is not free.

        The way leads from the start to the nearest cell that can be reached straight from
        there, and to the end from the best of the four cells about it.
        """
        cells, ahead = self._cells_at(start)
        nearest = np.arange(len(start)), np.argmin(ahead, axis=1)
        source, first = cells[nearest], ahead[nearest]
        cells, last = self._cells_at(end)
        length = np.full(len(start), np.inf)
        for cell in np.unique(source[np.isfinite(first)]):
            here = np.flatnonzero(source == cell)
            field = self.field(int(cell), float(limit[here].max()))
            length[here] = (first[here, None] + field[cells[here]] + last[here]).min(axis=1)
        result: Numbers = np.where(length <= limit, length, np.inf)
        return result

    def field(self, cell: int, limit: float) -> Numbers:
        """(cells,) length of the way from one cell to every other, m; infinite beyond `limit`.

        Fields are kept; the same cell is not asked for twice without need.
        """
        known = self._fields.pop(cell, None)
        if known is None or known[0] < limit:
            known = limit, dijkstra(self.graph, indices=cell, limit=limit)
        self._fields[cell] = known
        while len(self._fields) > 1 and len(self._fields) * 8 * len(self.free) > FIELD_MEMORY:
            self._fields.popitem(last=False)
        return known[1]

    def clear(self, start: Numbers, end: Numbers) -> NDArray[np.bool_]:
        """Whether each straight line, (lines, 2), is free of walls that block walking."""
        flat = np.zeros((len(start), 1))
        share, _, _ = cast_rays(self.grid, np.hstack([start, flat]), np.hstack([end, flat]))
        result: NDArray[np.bool_] = share > 0.0
        return result

    def _cells_at(self, points: Numbers) -> tuple[NDArray[np.intp], Numbers]:
        """The four cells about each point, and how far they are: infinite if not in reach."""
        corner = np.floor((points - (self.x, self.y)) / self.cell - 0.5).astype(np.intp)
        column = np.clip(corner[:, None, 0] + _CORNERS[:, 0], 0, self.columns - 1)
        row = np.clip(corner[:, None, 1] + _CORNERS[:, 1], 0, self.rows - 1)
        cells = row * self.columns + column
        start = np.repeat(points, len(_CORNERS), axis=0)
        end = self.centres[cells.ravel()]
        reachable = (self.clear(start, end) & self.free[cells.ravel()]).reshape(cells.shape)
        length = np.hypot(*(end - start).T).reshape(cells.shape)
        return cells, np.where(reachable, length, np.inf)

    def _free_cells(self, blocking: list[shapely.Geometry]) -> NDArray[np.bool_]:
        """Which centres are neither inside nor on a wall."""
        free = np.ones(len(self.centres), dtype=np.bool_)
        if blocking:
            tree = shapely.STRtree(shapely.points(self.centres))
            for geometry in blocking:
                free[tree.query(geometry, predicate="dwithin", distance=ON_WALL)] = False
        return free

    def _neighbours(self) -> csr_matrix:
        """The graph of free cells; a weight is the distance between two centres, m."""
        index = np.arange(self.columns * self.rows).reshape(self.rows, self.columns)
        pairs = []
        for across, along in STEPS:
            rows, columns = self.rows - abs(along), self.columns - across
            if rows <= 0 or columns <= 0:
                continue
            low, high = max(-along, 0), max(along, 0)
            a = index[low : low + rows, :columns].ravel()
            b = index[high : high + rows, across : across + columns].ravel()
            pairs.append(np.stack([a, b])[:, self.free[a] & self.free[b]])
        a, b = np.concatenate(pairs, axis=1) if pairs else np.zeros((2, 0), dtype=np.intp)
        open_way = self.clear(self.centres[a], self.centres[b])
        a, b = a[open_way], b[open_way]
        length = np.hypot(*(self.centres[b] - self.centres[a]).T)
        both = (np.concatenate([length, length]), (np.concatenate([a, b]), np.concatenate([b, a])))
        return csr_matrix(both, shape=(index.size, index.size))
