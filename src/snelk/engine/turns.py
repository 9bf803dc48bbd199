"""Who has a turn at a tick: senses that are asked every so many seconds, agents out of step."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

MOST_ROWS = 4096
"""Turns that repeat after at most so many ticks are worked out once."""


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
        self._order = np.arange(self.ticks.shape[1])
        repeats = math.lcm(*set(self.ticks.ravel().tolist()))
        self._known: list[NDArray[np.bool_]] = []
        if repeats <= MOST_ROWS and repeats * self.ticks.size <= MOST_ROWS * 64:
            self._known = [self._worked_out(tick) for tick in range(repeats)]

    def at(self, tick: int) -> NDArray[np.bool_]:
        """(variant, agent) whose turn it is: agent number n's at n more than a multiple."""
        if self._known:
            return self._known[tick % len(self._known)]
        return self._worked_out(tick)

    def _worked_out(self, tick: int) -> NDArray[np.bool_]:
        turns: NDArray[np.bool_] = (tick - self._order) % self.ticks == 0
        return turns
