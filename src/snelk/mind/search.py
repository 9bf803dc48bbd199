"""Where to look for a lost target: points, hideouts, and where it may be."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import laid_out
from snelk.level.ways import Ways
from snelk.mind.cells import Cells
from snelk.mind.columns import CellColumns
from snelk.mind.spreading import spread, take_out

Numbers = NDArray[np.float64]

GOLDEN_ANGLE = np.pi * (3.0 - np.sqrt(5.0))


def points_about(place: tuple[float, float], radius: float, count: int) -> Numbers:
    """(count, 2) points spread evenly over a disc, from the middle outwards, m.

    They lie on a spiral of equal areas (Vogel 1979, "A better way to construct the sunflower
    head").

    >>> points_about((0.0, 0.0), 2.0, 2).round(2).tolist()
    [[1.0, 0.0], [-1.28, 1.17]]
    """
    n = np.arange(count)
    far = radius * np.sqrt((n + 0.5) / count)
    angle = n * GOLDEN_ANGLE
    turned = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    points: Numbers = np.array(place) + far[:, None] * turned
    return points


def _beside(grid: NDArray[np.intp], other: NDArray[np.intp]) -> list[NDArray[np.intp]]:
    """(2, pairs) of the cells of a grid, and their neighbours ahead in another or the same."""
    return [
        np.stack([grid[:, :-1].ravel(), other[:, 1:].ravel()]),
        np.stack([grid[:-1].ravel(), other[1:].ravel()]),
    ]


class Likelihood:
    """Where a target may be: shares of a whole over cells of walkable ground.

    Every time the target could have walked one cell, the content of each cell is shared equally
    among itself and its neighbours. So nothing spreads faster than the target. Cells seen empty are
    emptied.

    Args:
        ways: The ground of the searcher.
        part: The part of it that is searched.
        place: (3,) where the target was last known, m.
        radius: How far from there it is searched, m.
        cell: Side of a cell, m.
        blur: How far off the last-known position may be, m.

    Attributes:
        centres: (cells, 3) middles of the cells, m: on every floor that is in reach.
        share: (cells,) how likely the target is there; they add up to 1, or to 0 if nothing is
            left.
        cells: All of it, as plain arrays.
        laid: The same as compiled loops read it.
    """

    def __init__(
        self,
        ways: Ways,
        part: int,
        place: Numbers,
        radius: float,
        cell: float,
        blur: float,
    ) -> None:
        reach = int(np.ceil(radius / cell))
        step = np.arange(-reach, reach + 1)
        columns, rows = (grid.ravel() for grid in np.meshgrid(step, step))
        plan = place[:2] + cell * np.stack([columns, rows], axis=1)
        near = np.hypot(columns, rows) * cell <= radius + 1e-9
        side, count = len(step), 0
        centres, sheets, grids = [np.zeros((0, 3))], [np.zeros(0, np.int32)], []
        for sheet in np.unique(ways.area_sheets).tolist() or [0]:
            on = np.column_stack([plan, ways.heights_on(sheet, plan, float(place[2]))])
            free = near & (np.linalg.norm(on - place, axis=1) <= radius + 1e-6)
            free &= ways.may_stand(part, sheet, plan)
            index = np.full(len(free), -1)
            index[free] = count + np.arange(int(free.sum()))
            grids.append(index.reshape(side, side))
            centres.append(on[free])
            sheets.append(np.full(int(free.sum()), sheet, dtype=np.int32))
            count += int(free.sum())
        self.cell = cell
        self.centres: Numbers = np.concatenate(centres)
        on_sheet = np.concatenate(sheets)
        pairs = [pair for grid in grids for other in grids for pair in _beside(grid, other)]
        a, b = np.concatenate([np.zeros((2, 0), dtype=np.intp), *pairs], axis=1)
        both = (a >= 0) & (b >= 0)
        a, b = a[both], b[both]
        straight = ways.straight(self.centres[a], on_sheet[a], self.centres[b], on_sheet[b])
        a, b = a[np.isfinite(straight)], b[np.isfinite(straight)]
        start, end = ways.cells_by_links(self.centres, cell)
        count = len(self.centres)
        own = np.arange(count)
        # Each cell is handed to by its neighbours and itself, each of which shares out evenly.
        to, others = np.concatenate([a, b, end, own]), np.concatenate([b, a, start, own])
        to, others = np.divmod(np.unique(to * count + others), max(count, 1))
        parts = 1.0 / np.bincount(others, minlength=count)
        self.cells = Cells.of(
            self.centres,
            np.searchsorted(to, np.arange(count + 1)).astype(np.int32),
            others.astype(np.int32),
            parts[others],
            cell,
        )
        self.laid = laid_out(CellColumns, self.cells)
        self.share = self.cells.share
        if count:
            apart = self.centres - place
            away = np.hypot(np.hypot(apart[:, 0], apart[:, 1]), apart[:, 2])
            first = away <= max(blur, away.min() + 1e-9)
            self.share[first] = 1.0 / first.sum()

    @property
    def cleared(self) -> float:
        """How much of the whole has been looked at and found empty, 0 to 1."""
        return float(self.cells.cleared[0])

    def spread(self, times: int) -> None:
        """Spread it this many cells."""
        spread(self.laid, times)

    def clear(self, seen: NDArray[np.bool_]) -> None:
        """Take out cells, (cells,), that were looked at and are empty."""
        self.cells.seen[...] = seen
        take_out(self.laid)
