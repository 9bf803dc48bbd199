"""How likelihood spreads over cells, and which is the best to go to.

Compiled, see `snelk.level.columns`.
"""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import hypot
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.cells import Cells
from snelk.mind.columns import CellColumns

if not compiled:  # else it is the C library's, by the import above
    from snelk.level.columns import hypot

LEAST = 1e-6
"""If less than this share of the likelihood is left, nothing is left to look for."""


@door
def spread(cells: Cells, times: int) -> None:
    """Let what each cell holds spread to its neighbours, so often; `share` is overwritten."""
    _agree(cells)
    _spread(laid_out(CellColumns, cells), times)


@door
def likeliest(cells: Cells, x: float, y: float, near: float) -> int:
    """The first cell that is likeliest with what is around it and not far; -1 if nothing is left.

    Args:
        cells: The cells; `around` is overwritten.
        x: The place that it must not be far from, m.
        y: The same.
        near: So far off a cell counts half, m.
    """
    _agree(cells)
    return _likeliest(laid_out(CellColumns, cells), x, y, near)


@door
def take_out(cells: Cells, seen: NDArray[np.bool_], cleared: float) -> float:
    """Take out what was looked at and is empty; what is left adds up to 1 again.

    Args:
        cells: The cells; `share` is overwritten.
        seen: (cells,) which of them were looked at.
        cleared: How much of the whole was looked at before, 0 to 1.

    Returns:
        How much has been by now; if as good as all has, nothing is left.
    """
    _agree(cells)
    agree(seen.shape, plain(cells).share.shape)
    return _take_out(laid_out(CellColumns, cells), seen, cleared)


def _agree(cells: Cells) -> None:
    count = len(plain(cells).share)
    agree(plain(cells).centres.shape, (count, 2))
    agree(plain(cells).around.shape, (count,), (len(plain(cells).starts) - 1,))
    agree(plain(cells).others.shape, plain(cells).parts.shape, (plain(cells).starts[-1],))


def _spread(cells: Cells, times: int) -> None:
    with nogil:
        for _ in range(times):
            _hand_on(cells)
            for cell in range(len(cells.share)):
                cells.share[cell] = cells.around[cell]


def _take_out(cells: Cells, seen: NDArray[np.bool_], cleared: float) -> float:
    found, rest = 0.0, 0.0
    with nogil:
        for cell in range(len(cells.share)):
            if seen[cell]:
                found += cells.share[cell]
                cells.share[cell] = 0.0
            rest += cells.share[cell]
        cleared += (1.0 - cleared) * found
        for cell in range(len(cells.share)):
            if rest > 0.0:
                cells.share[cell] /= rest
            if 1.0 - cleared <= LEAST:
                cells.share[cell] = 0.0
    return cleared


def _likeliest(cells: Cells, x: float, y: float, near: float) -> int:
    best, most, whole = -1, 0.0, 0.0
    with nogil:
        for cell in range(len(cells.share)):
            whole += cells.share[cell]
        if whole <= 0.0:
            return -1
        _hand_on(cells)
        for cell in range(len(cells.share)):
            away = hypot(cells.centres[cell, 0] - x, cells.centres[cell, 1] - y)
            worth = cells.around[cell] / (1.0 + away / near)
            if best < 0 or worth > most:
                best, most = cell, worth
    return best


def _hand_on(cells: Cells) -> None:
    for cell in range(len(cells.share)):
        whole = 0.0
        for link in range(cells.starts[cell], cells.starts[cell + 1]):
            whole += cells.parts[link] * cells.share[cells.others[link]]
        cells.around[cell] = whole
