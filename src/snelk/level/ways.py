"""Walkable ways: how far it is on foot, around walls and through openings.

The level is covered by square cells. Two cells are neighbours if the straight line between
their centres is free, where a centre has 16 neighbours: those of a step along an axis, of a
diagonal, and of the moves two ahead and one aside. Dijkstra's algorithm finds the shortest ways
among them (SciPy's routine); then they are pulled taut around the corners they turn.
"""

from __future__ import annotations

from collections import OrderedDict
from typing import NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra

from snelk.errors import InputError
from snelk.level.compiled import compiled
from snelk.level.rays import Grid, cast_ray, cast_rays, scratch_for

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


class Taut(NamedTuple):
    """The ways from one cell to all others, pulled taut; arrays are (cells,)."""

    length: Numbers  # m; infinite where there is no way within the limit
    turn: NDArray[np.int32]  # the cell at which the way turns last, or where it starts
    first: NDArray[np.int32]  # the cell at which it turns first, or itself


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
        self._kept: OrderedDict[tuple[int, int], Taut] = OrderedDict()
        self._scratch = scratch_for(grid)

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
        there, over cells, and to the end from the best of the four cells about it; where a turn
        can be left out it is.
        """
        cells, ahead = self._cells_at(start)
        nearest = np.arange(len(start)), np.argmin(ahead, axis=1)
        source, first = cells[nearest], ahead[nearest]
        cells, last = self._cells_at(end)
        length = np.full(len(start), np.inf)
        for cell in np.unique(source[np.isfinite(first)]):
            here = np.flatnonzero(source == cell)
            taut = self.taut(int(cell), float(limit[here].max()))
            n = np.repeat(here, len(_CORNERS))
            # To the end either from a cell about it, or from where the way to that turns last.
            from_cell = cells[here].ravel()
            from_turn = taut.turn[from_cell]
            from_turn[from_turn < 0] = cell
            leave = np.concatenate([from_cell, from_turn])
            n = np.concatenate([n, n])
            to_end = np.hypot(*(end[n] - self.centres[leave]).T)
            whole = first[n] + taut.length[leave] + to_end
            open_end = np.isfinite(np.concatenate([last[here].ravel(), np.zeros(len(from_turn))]))
            open_end[len(from_turn) :] = self.clear(
                self.centres[from_turn], end[n[: len(from_turn)]]
            )
            # And from the start straight to where the way turns first.
            turn = taut.first[leave]
            turn[turn < 0] = cell
            shorter = np.hypot(*(self.centres[turn] - start[n]).T) - (
                first[n] + np.hypot(*(self.centres[turn] - self.centres[cell]).T)
            )
            usable = np.isfinite(whole) & open_end
            cut = np.flatnonzero(usable & (shorter < 0.0))
            cut = cut[self.clear(start[n[cut]], self.centres[turn[cut]])]
            whole[cut] += shorter[cut]
            np.minimum.at(length, n[usable], whole[usable])
        result: Numbers = np.where(length <= limit, length, np.inf)
        return result

    def field(self, cell: int, limit: float) -> Numbers:
        """(cells,) length of the way over cells from one to every other, m.

        It is infinite beyond `limit` and where there is no way.
        """
        found: Numbers = dijkstra(self.graph, indices=cell, limit=limit)
        return found

    def taut(self, cell: int, limit: float) -> Taut:
        """The ways from one cell to all that are at most about `limit` metres away.

        What was asked for once is kept; of limits only the power of two above counts, and it
        changes none of the ways within it.
        """
        power = max(int(np.ceil(np.log2(max(limit, 1.0)))), 0) if np.isfinite(limit) else 60
        known = self._kept.pop((cell, power), None)
        if known is None:
            # Ways over cells are longer than taut ones, so that some more have to be looked at.
            field = self.field(cell, np.inf if power == 60 else 1.1 * 2.0**power + 4 * self.cell)
            known = Taut(field.copy(), *np.full((2, len(field)), -1, dtype=np.int32))
            order = np.flatnonzero(np.isfinite(field))
            order = order[np.argsort(field[order], kind="stable")]
            graph = self.graph
            _pull(
                cell, order, field, graph.indptr, graph.indices, graph.data, self.centres,
                self.grid, self._scratch, known,
            )  # fmt: skip
        self._kept[cell, power] = known
        while len(self._kept) > 1 and len(self._kept) * 16 * len(self.free) > FIELD_MEMORY:
            self._kept.popitem(last=False)
        return known

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


@compiled
def _pull(
    source: int,
    order: NDArray[np.intp],
    field: Numbers,
    starts: NDArray[np.int32],
    neighbours: NDArray[np.int32],
    weights: Numbers,
    centres: Numbers,
    grid: Grid,
    scratch: NDArray[np.int64],
    taut: Taut,
) -> None:
    """Lead the way to each cell from the last turn that it can be reached from straight.

    Cells come in the order of their distance. A cell's way follows that of the neighbour it is
    reached over: of several that are as near the one with the lowest number.
    """
    for n in range(len(order)):
        cell = order[n]
        if cell == source:
            continue
        before = -1
        for edge in range(starts[cell], starts[cell + 1]):
            other = neighbours[edge]
            if field[other] + weights[edge] == field[cell] and (before < 0 or other < before):
                before = other
        turn = taut.turn[before] if before != source else source
        x, y = centres[cell, 0], centres[cell, 1]
        share, _, _ = cast_ray(grid, scratch, centres[turn, 0], centres[turn, 1], 0.0, x, y, 0.0)
        if share <= 0.0:
            turn = before
        dx, dy = x - centres[turn, 0], y - centres[turn, 1]
        taut.turn[cell] = turn
        so_far = taut.length[turn] if turn != source else 0.0
        taut.length[cell] = so_far + np.sqrt(dx * dx + dy * dy)
        taut.first[cell] = cell if turn == source else taut.first[turn]
