"""Lines of sight for many rays at once; the rule of one is in `snelk.level.casting`."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.level.casting import cast_each, share_each
from snelk.level.grid import Grid, scratch_for


def cast_rays(
    grid: Grid,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    opened: NDArray[np.bool_] | None = None,
) -> tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.float64]]:
    """`cast_ray` for many rays; `start` and `end` are (rays, 3) in metres, `opened` (1, walls).

    Laying out and checking a grid takes time, too: who asks often hands in what `laid_out` made of
    it.
    """
    count = len(start)
    share, wall, at = np.empty(count), np.empty(count, dtype=np.int32), np.empty(count)
    cast_each(grid, scratch_for(grid, opened, abreast=True), start, end, share, wall, at)
    return share, wall, at


def shares_past(
    grid: Grid,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    opened: NDArray[np.bool_] | None = None,
) -> NDArray[np.float64]:
    """What `cast_rays` returns first, sooner: the share of each ray that passes."""
    share = np.empty(len(start))
    share_each(grid, scratch_for(grid, opened, abreast=True), start, end, share)
    return share
