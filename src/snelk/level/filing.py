"""Filing what blocks by the cells that it touches in plan: compiled, see `snelk.level.columns`."""

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


@door
def visit_cells_of_triangles(
    triangles: NDArray[np.float64],
    x: float,
    y: float,
    cell: float,
    columns: int,
    rows: int,
    cursor: NDArray[np.int32],
    order: NDArray[np.int32],
) -> None:
    """The same for triangles, (triangles, 9) of three places each; their heights do not count."""
    agree(triangles.shape, (len(triangles), 9))
    agree(cursor.shape, (columns * rows,))
    _visit_cells_of_triangles(triangles, x, y, cell, columns, rows, cursor, order)


def _visit_cells_of_triangles(
    triangles: NDArray[np.float64],
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
        for i in range(len(triangles)):
            ax, ay = triangles[i, 0] - x, triangles[i, 1] - y
            bx, by = triangles[i, 3] - x, triangles[i, 4] - y
            cx, cy = triangles[i, 6] - x, triangles[i, 7] - y
            column_from = max(cast(Py_ssize_t, (min(ax, bx, cx) - slack) / cell), 0)
            column_to = min(cast(Py_ssize_t, (max(ax, bx, cx) + slack) / cell), columns - 1)
            row_from = max(cast(Py_ssize_t, (min(ay, by, cy) - slack) / cell), 0)
            row_to = min(cast(Py_ssize_t, (max(ay, by, cy) + slack) / cell), rows - 1)
            turn = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            for row in range(row_from, row_to + 1):
                low_y, high_y = row * cell - slack, (row + 1) * cell + slack
                for column in range(column_from, column_to + 1):
                    low_x, high_x = column * cell - slack, (column + 1) * cell + slack
                    if (
                        _is_beyond(ax, ay, bx, by, turn, low_x, low_y, high_x, high_y)
                        or _is_beyond(bx, by, cx, cy, turn, low_x, low_y, high_x, high_y)
                        or _is_beyond(cx, cy, ax, ay, turn, low_x, low_y, high_x, high_y)
                    ):
                        continue
                    index = row * columns + column
                    if len(order) > 0:
                        order[cursor[index]] = i
                    cursor[index] += 1


def _is_beyond(
    ax: float,
    ay: float,
    bx: float,
    by: float,
    turn: float,
    low_x: float,
    low_y: float,
    high_x: float,
    high_y: float,
) -> bool:
    """Whether all of a box lies on the outer side of an edge of a triangle.

    `turn` is above 0 for a triangle that runs to the left, below 0 for the other kind, and 0 for
    one that is seen from its edge, which has nothing on either side.
    """
    ex, ey = bx - ax, by - ay
    least = min(ex * (low_y - ay), ex * (high_y - ay)) - max(ey * (low_x - ax), ey * (high_x - ax))
    most = max(ex * (low_y - ay), ex * (high_y - ay)) - min(ey * (low_x - ax), ey * (high_x - ax))
    return (turn >= 0.0 and most < 0.0) or (turn <= 0.0 and least > 0.0)
