"""Sorting wall pieces into the cells of a uniform grid."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, agree_axes
from snelk.level.filing import visit_cells

TOUCH = 1e-9
"""Length at either end of a ray in which a wall is not met, m."""

TINY = 1e-200
"""A ray that extends less than this along an axis does not cross cells that way, m."""

NO_WALL = -1


CELLS_PER_PIECE = 64.0
"""Upper bound of cells per piece, so that a huge empty level cannot eat all memory."""


class Grid(NamedTuple):
    """Square cells over the walls of a level, those that stop sight apart from the others.

    The pieces of walls are filed by cell; each cell's pieces lie next to each other. Solid walls
    let nothing pass, sheer ones dim a ray and let a share of it pass.
    """

    x: float  # lower left corner, m
    y: float
    cell: float  # side of a cell, m
    per_metre: float  # cells in a metre
    columns: int
    rows: int
    solid_starts: NDArray[np.int32]  # (rows * columns + 1,): where a cell's pieces begin
    solid_pieces: NDArray[np.float64]  # (entries, 6): ax, ay, bx, by, base, top in m
    solid_walls: NDArray[np.int32]  # (entries,): the wall a piece belongs to
    sheer_starts: NDArray[np.int32]
    sheer_pieces: NDArray[np.float64]
    sheer_walls: NDArray[np.int32]
    has_sheer: bool
    see_through: NDArray[np.float64]  # (walls,): share of sight each wall lets pass

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "",
            solid_starts="cells",
            sheer_starts="cells",
            solid_pieces="solid 6",
            solid_walls="solid",
            sheer_pieces="sheer 6",
            sheer_walls="sheer",
            see_through="walls",
        )
        cells = self.rows * self.columns + 1
        agree(
            (cells, len(self.solid_walls), len(self.sheer_walls)),
            (
                len(self.solid_starts),
                self.solid_starts[-1],
                self.sheer_starts[-1],
            ),
        )


Shelf = tuple[NDArray[np.int32], NDArray[np.float64], NDArray[np.int32]]
"""Where each cell's pieces begin, the pieces, and the wall each belongs to."""


def scratch_for(grid: Grid) -> NDArray[np.int64]:
    """Working memory of `cast_ray`: which ray last met each wall, and a count of rays."""
    return np.zeros(len(grid.see_through) + 1, dtype=np.int64)


def build_grid(
    pieces: NDArray[np.float64],
    walls: NDArray[np.int32],
    see_through: NDArray[np.float64],
    *,
    cell: float | None = None,
) -> Grid:
    """Sort wall pieces, (pieces, 6) rows of ax, ay, bx, by, base, top in m, into a `Grid`.

    Pieces without length hide nothing and are left out, as are walls one sees through fully
    (`see_through` 1). The side of a cell, `cell`, is by default so long that there is about one
    piece a cell, within half and twice the median length of a piece: the best of those tried
    on the levels of benchmarks/line_of_sight.py.
    """
    length = np.hypot(pieces[:, 2] - pieces[:, 0], pieces[:, 3] - pieces[:, 1])
    kept = (length > TOUCH) & (see_through[walls] < 1.0)
    pieces, walls, length = pieces[kept], walls[kept], length[kept]
    if len(pieces) == 0:
        shelf = np.zeros(1, np.int32), np.zeros((0, 6)), np.zeros(0, np.int32)
        return _grid((0.0, 0.0, 1.0, 0, 0), shelf, shelf, see_through)
    low = np.minimum(pieces[:, 0:2], pieces[:, 2:4]).min(axis=0)
    high = np.maximum(pieces[:, 0:2], pieces[:, 2:4]).max(axis=0)
    extent = np.maximum(high - low, 1e-3)
    if cell is None:
        spacing = float(np.sqrt(extent[0] * extent[1] / len(pieces)))
        median = _median(length)
        cell = min(max(0.85 * spacing, 0.5 * median), 2.0 * median)
        cell = max(cell, spacing / np.sqrt(CELLS_PER_PIECE), float(extent.max()) / 4096.0)
    low = low - cell * 1e-3
    columns, rows = (int(n) for n in np.ceil((high + cell * 1e-3 - low) / cell))
    solid = see_through[walls] == 0.0
    frame = (float(low[0]), float(low[1]), cell, columns, rows)
    shelf, sheer = (_file(pieces[these], walls[these], *frame) for these in (solid, ~solid))
    return _grid(frame, shelf, sheer, see_through)


def _grid(
    frame: tuple[float, float, float, int, int],
    solid: Shelf,
    sheer: Shelf,
    see_through: NDArray[np.float64],
) -> Grid:
    x, y, cell, columns, rows = frame
    has_sheer = len(sheer[1]) > 0
    starts, pieces, walls = solid
    lattice = (x, y, cell, 1.0 / cell, columns, rows)
    return Grid(*lattice, starts, pieces, walls, *sheer, has_sheer, see_through)


def _median(values: NDArray[np.float64]) -> float:
    """NumPy's own loads its masked arrays, which takes longer than all that is done here."""
    middle = ((len(values) - 1) // 2, len(values) // 2)
    return float(np.partition(values, middle)[list(middle)].mean())


def _file(
    pieces: NDArray[np.float64],
    walls: NDArray[np.int32],
    x: float,
    y: float,
    cell: float,
    columns: int,
    rows: int,
) -> Shelf:
    """File every piece under each cell it touches, in the order given."""
    counts = np.zeros(columns * rows, dtype=np.int32)
    visit_cells(pieces, x, y, cell, columns, rows, counts, np.zeros(0, dtype=np.int32))
    starts = np.zeros(columns * rows + 1, dtype=np.int32)
    np.cumsum(counts, out=starts[1:])
    order = np.empty(starts[-1], dtype=np.int32)
    visit_cells(pieces, x, y, cell, columns, rows, starts[:-1].copy(), order)
    return starts, np.ascontiguousarray(pieces[order]), np.ascontiguousarray(walls[order])
