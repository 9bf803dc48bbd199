"""Where agents flee to and how they evade, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.streams import Streams
from snelk.level.columns import agree, plain
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.senses.bodies import Bodies

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

A_SPOT, A_DIRECTION = 1, 2
"""What somebody asks for, to be found on its ground: a spot out of sight, a free direction."""


class FlightStage(NamedTuple):
    """What fleeing and evading read and write: (variant, agent) where nothing else is said."""

    bodies: Bodies
    grid: Grid  # that eyes look through
    scratch: Scratch  # of the grid
    characters: NDArray[np.int32]  # (agent,)
    streams: Streams  # overwritten
    spots: Numbers  # (spots, 3) of all that flee, m
    first: NDArray[np.int32]  # (variant, agent, state) the first of its spots
    last: NDArray[np.int32]  # (variant, agent, state) the one behind its last
    keep_eyes: Truths  # (variant, agent, state) it looks at where the focus was
    until_unseen: Truths  # (variant, agent, state) it stops as soon as it is out of sight
    look: NDArray[np.int8]  # (variant, agent, state) where it looks otherwise
    distance: Numbers  # (variant, agent, state) how far it evades, m
    directions: NDArray[np.int32]  # (variant, agent, state) how many there are to choose of
    away: Truths  # (variant, agent, state) only those away from the focus
    chosen: NDArray[np.int64]  # the spot by index, or 0 of who chose a direction; -1 before
    asks: NDArray[np.int8]  # A_SPOT, A_DIRECTION or 0; overwritten
    lengths: Numbers  # (spots of one,) the paths to them, m; overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(self.chosen.shape, self.asks.shape, plain(self.streams).used.shape)
        agree(self.chosen.shape, self.first.shape[:2], (len(self.first), len(self.characters)))
        agree(
            self.first.shape, self.last.shape, self.keep_eyes.shape, self.until_unseen.shape,
            self.look.shape, self.distance.shape, self.directions.shape, self.away.shape,
        )  # fmt: skip
        agree_scratch(self.scratch, self.grid, len(self.first))
        inside = (self.first >= 0).all() and (self.last <= len(self.spots)).all()
        room = int((self.last - self.first).max(initial=0)) <= len(self.lengths)
        agree((bool(inside), room, self.spots.shape[1]), (True, True, 3))

    def begin(self, v: int, a: int, key: int) -> None:
        """Somebody begins to flee or to evade."""
        self.chosen[v, a], self.asks[v, a] = -1, 0
        plain(self.streams).begin(v, a, key)
