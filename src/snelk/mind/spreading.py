"""How likelihood spreads over cells, and the best cell to go to.

Compiled, see `snelk.level.columns`.
"""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out
from snelk.mind.cells import Cells
from snelk.mind.columns import CellColumns

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.lengths import hypot

TOGETHER = 1.5
"""Who searches with others goes to no place so near to one that another is at or goes to, m."""

NOT_MINE = 0.1
"""So much a place counts that another who searches is nearer to."""

AS_GOOD = 1e-9
"""A cell that is better by no more than this share is as good: the first of them is taken."""

LEAST = 1e-6
"""If less than this share of the likelihood is left, nothing is left to look for."""


@door
def spread(cells: Cells, times: int) -> None:
    """Spread each cell to its neighbours, this often; `share` is overwritten."""
    _spread(laid_out(CellColumns, cells), times)


@door
def likeliest(
    cells: Cells, x: float, y: float, z: float, near: float, others: NDArray[np.float64]
) -> int:
    """The best cell by likelihood around it and distance; -1 if nothing is left.

    It is one where the target may be: there is nothing to look for in one that is empty.

    Args:
        cells: The cells; `around` is overwritten.
        x: The place that it must not be far from, m.
        y: The same.
        z: The same.
        near: So far off a cell counts half, m.
        others: (others, 6) where others are that look for the same, and where each goes to, m; see
            `beside_others`.
    """
    agree(others.shape[1:], (6,))
    laid = laid_out(CellColumns, cells)
    return _likeliest(laid, x, y, z, near, others, others.shape[0])


@door
def take_out(cells: Cells) -> None:
    """Empty the cells in view; scale the rest to 1.

    If as good as all has been looked at, nothing is left.

    Args:
        cells: The cells; `share` and `cleared` are overwritten.
    """
    _take_out(laid_out(CellColumns, cells))


def _spread(cells: Cells, times: int) -> None:
    with nogil:
        for _ in range(times):
            _hand_on(cells)
            for cell in range(len(cells.share)):
                cells.share[cell] = cells.around[cell]


def _take_out(cells: Cells) -> None:
    found, rest = 0.0, 0.0
    with nogil:
        for cell in range(len(cells.share)):
            if cells.seen[cell]:
                found += cells.share[cell]
                cells.share[cell] = 0.0
            rest += cells.share[cell]
        cleared = cells.cleared[0] + (1.0 - cells.cleared[0]) * found
        cells.cleared[0] = cleared
        for cell in range(len(cells.share)):
            if rest > 0.0:
                cells.share[cell] /= rest
            if 1.0 - cleared <= LEAST:
                cells.share[cell] = 0.0


def _likeliest(
    cells: Cells,
    x: float,
    y: float,
    z: float,
    near: float,
    others: NDArray[np.float64],
    count: int,
) -> int:
    best, most, whole = -1, 0.0, 0.0
    with nogil:
        for cell in range(len(cells.share)):
            whole += cells.share[cell]
        if whole <= 0.0:
            return -1
        _hand_on(cells)
        for cell in range(len(cells.share)):
            if cells.share[cell] <= 0.0:
                continue
            away = hypot(cells.centres[cell, 0] - x, cells.centres[cell, 1] - y)
            away = hypot(away, cells.centres[cell, 2] - z)
            worth = cells.around[cell] / (1.0 + away / near)
            if count > 0 and worth > most * (1.0 + AS_GOOD):
                worth *= beside_others(
                    others, count, away, cells.centres[cell, 0], cells.centres[cell, 1],
                    cells.centres[cell, 2],
                )  # fmt: skip
                if worth <= 0.0:
                    continue
            if worth > most * (1.0 + AS_GOOD):
                best, most = cell, worth
    return best


def beside_others(
    others: NDArray[np.float64], count: int, away: float, x: float, y: float, z: float
) -> float:
    """The weight of a position `away` m from an agent, given the others in its search.

    Nothing if another is there, or goes there; little if another is nearer to it.
    """
    factor = 1.0
    for n in range(count):
        far = hypot(hypot(others[n, 0] - x, others[n, 1] - y), others[n, 2] - z)
        goal = hypot(hypot(others[n, 3] - x, others[n, 4] - y), others[n, 5] - z)
        if goal <= TOGETHER or far <= TOGETHER:
            return 0.0
        if far < away:
            factor = NOT_MINE
    return factor


def _hand_on(cells: Cells) -> None:
    for cell in range(len(cells.share)):
        whole = 0.0
        for link in range(cells.starts[cell], cells.starts[cell + 1]):
            whole += cells.parts[link] * cells.share[cells.others[link]]
        cells.around[cell] = whole
