"""The cells of a search and their likelihood, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree

Numbers = NDArray[np.float64]


class Cells(NamedTuple):
    """What compiled loops read and write of a `Likelihood`.

    What each cell is handed is that of the links from `starts[cell]` up to `starts[cell + 1]`.
    """

    centres: Numbers  # (cells, 3), m
    starts: NDArray[np.int32]  # (cells + 1,)
    others: NDArray[np.int32]  # (links,) the cell that hands on
    parts: Numbers  # (links,) how much of what it has, 0 to 1
    share: Numbers  # (cells,) how likely the target is there
    around: Numbers  # (cells,) the same of what it is handed: of the cell and those around it
    side: Numbers  # (1,) of a cell, m
    cleared: Numbers  # (1,) how much of the whole has been looked at and found empty, 0 to 1
    seen: NDArray[np.bool_]  # (cells,) which are looked at now
    theirs: NDArray[np.bool_]  # (cells,) the same by another of its group
    shot: Numbers  # (cells,) `share` when it was kept last
    is_shot: NDArray[np.bool_]  # (1,) whether that was just now

    @classmethod
    def of(
        cls,
        centres: Numbers,
        starts: NDArray[np.int32],
        others: NDArray[np.int32],
        parts: Numbers,
        side: float,
    ) -> Cells:
        """Cells with nothing in them."""
        share, around, shot = np.zeros((3, len(centres)))
        seen, theirs = np.zeros((2, len(centres)), dtype=np.bool_)
        is_shot = np.zeros(1, dtype=np.bool_)
        own = np.array([side], dtype=np.float64)
        return cls(
            centres,
            starts,
            others,
            parts,
            share,
            around,
            own,
            np.zeros(1),
            seen,
            theirs,
            shot,
            is_shot,
        )

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        count = len(self.share)
        agree(self.centres.shape, (count, 3))
        agree(
            self.around.shape,
            self.seen.shape,
            self.theirs.shape,
            self.shot.shape,
            (count,),
            (len(self.starts) - 1,),
        )
        agree(self.others.shape, self.parts.shape, (self.starts[-1],))
        agree(self.side.shape, self.cleared.shape, self.is_shot.shape, (1,))
