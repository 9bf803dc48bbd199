"""Sorting wall pieces into the cells of a uniform grid."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.level.compiled import compiled
from snelk.level.rays import TOUCH, Grid, Shelf

CELLS_PER_PIECE = 64.0
"""Upper bound of cells per piece, so that a huge empty level cannot eat all memory."""

SLACK = 1e-6
"""A piece also belongs to cells it misses by less than this share of a cell."""


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
        empty = Shelf(np.zeros(1, np.int32), np.zeros((0, 6)), np.zeros(0, np.int32))
        return Grid(0.0, 0.0, 1.0, 1.0, 0, 0, empty, empty, False, see_through)
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
    return Grid(
        *frame[:3],
        1.0 / cell,
        *frame[3:],
        _file(pieces[solid], walls[solid], *frame),
        _file(pieces[~solid], walls[~solid], *frame),
        bool(np.any(~solid)),
        see_through,
    )


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
    _visit_cells(pieces, x, y, cell, columns, rows, counts, np.zeros(0, dtype=np.int32))
    starts = np.zeros(columns * rows + 1, dtype=np.int32)
    np.cumsum(counts, out=starts[1:])
    order = np.empty(starts[-1], dtype=np.int32)
    _visit_cells(pieces, x, y, cell, columns, rows, starts[:-1].copy(), order)
    return Shelf(starts, np.ascontiguousarray(pieces[order]), np.ascontiguousarray(walls[order]))


@compiled
def _visit_cells(
    pieces: NDArray[np.float64],
    x: float,
    y: float,
    cell: float,
    columns: int,
    rows: int,
    cursor: NDArray[np.int32],
    order: NDArray[np.int32],
) -> None:
    """Count the pieces of each cell in `cursor`, or with `order` given file them there."""
    slack = cell * SLACK
    for i in range(len(pieces)):
        ax, ay, bx, by = pieces[i, 0] - x, pieces[i, 1] - y, pieces[i, 2] - x, pieces[i, 3] - y
        column_from = max(int((min(ax, bx) - slack) / cell), 0)
        column_to = min(int((max(ax, bx) + slack) / cell), columns - 1)
        for column in range(column_from, column_to + 1):
            low_y, high_y = min(ay, by), max(ay, by)
            if bx != ax:
                # The heights at which the piece enters and leaves this column.
                s = (column * cell - slack - ax) / (bx - ax)
                t = ((column + 1) * cell + slack - ax) / (bx - ax)
                s, t = max(min(s, t), 0.0), min(max(s, t), 1.0)
                y_s, y_t = ay + s * (by - ay), ay + t * (by - ay)
                low_y, high_y = min(y_s, y_t), max(y_s, y_t)
            row_from = max(int((low_y - slack) / cell), 0)
            row_to = min(int((high_y + slack) / cell), rows - 1)
            for row in range(row_from, row_to + 1):
                index = row * columns + column
                if len(order) > 0:
                    order[cursor[index]] = i
                cursor[index] += 1
