"""Whose turn it is at a tick: senses with an interval, in turns between agents.

Compiled, see `snelk.level.columns`.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, door


class Turns:
    """Turns of every agent of every variant.

    Args:
        every: (variant, agent) seconds between two turns; rounded to ticks, at least one.
        dt: Length of a tick, s.

    Attributes:
        ticks: (variant, agent) the same in ticks.

    >>> Turns([[0.2, 0.2, 0.0]], 0.1).at(4).tolist()
    [[True, False, True]]
    """

    def __init__(self, every: Sequence[Sequence[float]], dt: float) -> None:
        ticks = np.rint(np.array(every, dtype=np.float64).reshape(len(every), -1) / dt)
        self.ticks = np.maximum(ticks, 1).astype(np.int64)

    def at(self, tick: int) -> NDArray[np.bool_]:
        """(variant, agent) whose turn it is: agent number n's at n more than a multiple."""
        turns = np.empty(self.ticks.shape, dtype=np.bool_)
        take_turns(self.ticks, tick, turns)
        return turns


@door
def take_turns(every: NDArray[np.int64], tick: int, turns: NDArray[np.bool_]) -> None:
    """Whose turn it is at a tick: (variant, agent), filled; as `Turns.at`."""
    agree(every.shape, turns.shape)
    whose_turn(every, tick, turns)


def whose_turn(every: NDArray[np.int64], tick: int, turns: NDArray[np.bool_]) -> None:
    """As `take_turns`."""
    for v in range(every.shape[0]):
        for a in range(every.shape[1]):
            turns[v, a] = (tick - a) % every[v, a] == 0
