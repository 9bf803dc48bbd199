"""Where to look for a target that was lost: points, hideouts, and where it may have got to."""

from __future__ import annotations

import numpy as np
import shapely
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


class Likelihood:
    """Where a target may be: shares of a whole over cells of walkable ground.

    What a cell holds spreads to its neighbours once in the time in which the target could walk
    from one cell to the next, in equal shares to each and to itself. So nothing gets farther than
    the target could. What is looked at and found empty is taken out.

    Args:
        ways: The ground of the searcher.
        part: The part of it that is searched.
        place: Where the target was last known, m.
        radius: How far from there it is searched, m.
        cell: Side of a cell, m.
        blur: How far off the last-known position may be, m.
        z: How high the ground is there, m.

    Attributes:
        centres: (cells, 2) middles of the cells, m.
        share: (cells,) how likely the target is there; they add up to 1, or to 0 if nothing is
            left.
        cells: All of it, as plain arrays.
        laid: The same as compiled loops read it.
    """

    def __init__(
        self,
        ways: Ways,
        part: int,
        place: tuple[float, float],
        radius: float,
        cell: float,
        blur: float,
        z: float = 0.0,
    ) -> None:
        reach = int(np.ceil(radius / cell))
        step = np.arange(-reach, reach + 1)
        columns, rows = (grid.ravel() for grid in np.meshgrid(step, step))
        centres = np.array(place) + cell * np.stack([columns, rows], axis=1)
        free = np.hypot(columns, rows) * cell <= radius + 1e-9
        if ways.parts:
            free &= shapely.contains_xy(ways.parts[part], centres[:, 0], centres[:, 1])
        self.cell = cell
        self.centres: Numbers = centres[free]
        index = np.full(len(free), -1)
        index[free] = np.arange(int(free.sum()))
        side = len(step)
        grid = index.reshape(side, side)
        pairs = [
            np.stack([grid[:, :-1].ravel(), grid[:, 1:].ravel()]),
            np.stack([grid[:-1].ravel(), grid[1:].ravel()]),
        ]
        a, b = np.concatenate(pairs, axis=1)
        both = (a >= 0) & (b >= 0)
        a, b = a[both], b[both]
        open_way = ways.clear(self.centres[a], self.centres[b])
        a, b = a[open_way], b[open_way]
        count = len(self.centres)
        own = np.arange(count)
        # Each cell is handed to by its neighbours and itself, each of which shares out evenly.
        to, others = np.concatenate([a, b, own]), np.concatenate([b, a, own])
        order = np.lexsort((others, to))
        parts = 1.0 / np.bincount(others, minlength=count)
        self.cells = Cells.of(
            np.column_stack([self.centres, np.full(count, z)]),
            np.searchsorted(to[order], np.arange(count + 1)).astype(np.int32),
            others[order].astype(np.int32),
            parts[others[order]],
            cell,
        )
        self.laid = laid_out(CellColumns, self.cells)
        self.share = self.cells.share
        if count:
            away = np.hypot(*(self.centres - place).T)
            first = away <= max(blur, away.min() + 1e-9)
            self.share[first] = 1.0 / first.sum()

    @property
    def cleared(self) -> float:
        """How much of the whole has been looked at and found empty, 0 to 1."""
        return float(self.cells.cleared[0])

    def spread(self, times: int) -> None:
        """Let it spread so many cells far."""
        spread(self.laid, times)

    def clear(self, seen: NDArray[np.bool_]) -> None:
        """Take out cells, (cells,), that were looked at and are empty."""
        self.cells.seen[...] = seen
        take_out(self.laid)
