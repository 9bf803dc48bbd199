"""The cells of a search, and how likely the target is in each, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]


class Cells(NamedTuple):
    """What compiled loops read and write of a `Likelihood`.

    What each cell is handed is that of the links from `starts[cell]` up to `starts[cell + 1]`.
    """

    centres: Numbers  # (cells, 2), m
    starts: NDArray[np.int32]  # (cells + 1,)
    others: NDArray[np.int32]  # (links,) the cell that hands on
    parts: Numbers  # (links,) how much of what it has, 0 to 1
    share: Numbers  # (cells,) how likely the target is there
    around: Numbers  # (cells,) the same of what it is handed: of the cell and those around it
