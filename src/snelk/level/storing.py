"""Storing walls by the cells they touch in plan; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door

SLACK = 1e-6
"""A piece also belongs to cells it misses by less than this share of a cell."""


@door
def visit_cells(
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
    agree(pieces.shape, (len(pieces), 6))
    agree(cursor.shape, (columns * rows,))
    _visit_cells(pieces, x, y, cell, columns, rows, cursor, order)


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
    with nogil:
        slack = cell * SLACK
        for i in range(len(pieces)):
            ax, ay, bx, by = pieces[i, 0] - x, pieces[i, 1] - y, pieces[i, 2] - x, pieces[i, 3] - y
            column_from = max(cast(Py_ssize_t, (min(ax, bx) - slack) / cell), 0)
            column_to = min(cast(Py_ssize_t, (max(ax, bx) + slack) / cell), columns - 1)
            for column in range(column_from, column_to + 1):
                low_y, high_y = min(ay, by), max(ay, by)
                if bx != ax:
                    # The heights at which the piece enters and leaves this column.
                    s = (column * cell - slack - ax) / (bx - ax)
                    t = ((column + 1) * cell + slack - ax) / (bx - ax)
                    s, t = max(min(s, t), 0.0), min(max(s, t), 1.0)
                    y_s, y_t = ay + s * (by - ay), ay + t * (by - ay)
                    low_y, high_y = min(y_s, y_t), max(y_s, y_t)
                row_from = max(cast(Py_ssize_t, (low_y - slack) / cell), 0)
                row_to = min(cast(Py_ssize_t, (high_y + slack) / cell), rows - 1)
                for row in range(row_from, row_to + 1):
                    index = row * columns + column
                    if len(order) > 0:
                        order[cursor[index]] = i
                    cursor[index] += 1
