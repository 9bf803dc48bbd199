"""Lines of sight for many rays at once; the rule of one is in `snelk.level.casting`."""

from __future__ import annotations

from threading import local

import numpy as np
from numpy.typing import NDArray

from snelk.level.casting import cast_each, passes
from snelk.level.columns import GridColumns, laid_out
from snelk.level.grid import Grid, scratch_for


def cast_rays(
    grid: Grid,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    opened: NDArray[np.bool_] | None = None,
) -> tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.float64]]:
    """`cast_ray` for many rays; `start` and `end` are (rays, 3) in metres, `opened` (1, walls)."""
    count = len(start)
    share, wall, at = np.empty(count), np.empty(count, dtype=np.int32), np.empty(count)
    cast_each(grid, scratch_for(grid, opened), start, end, share, wall, at)
    return share, wall, at


class RayCaster(local):
    """`cast_rays` through one grid, for those who ask for few rays at a time, and often.

    Each thread that uses it has a scratch of its own.
    """

    def __init__(self, grid: Grid) -> None:
        self.grid = grid
        self._scratch = scratch_for(grid)
        self._laid = laid_out(GridColumns, grid)

    def is_free(self, start: tuple[float, float, float], end: tuple[float, float, float]) -> bool:
        """Whether anything of one ray passes, m."""
        return passes(self._laid, self._scratch, *start, *end)

    def cast(
        self, start: NDArray[np.float64], end: NDArray[np.float64]
    ) -> tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.float64]]:
        """As `cast_rays`; both contiguous in C order."""
        count = len(start)
        share, wall, at = np.empty(count), np.empty(count, dtype=np.int32), np.empty(count)
        cast_each(self._laid, self._scratch, start, end, share, wall, at)
        return share, wall, at
