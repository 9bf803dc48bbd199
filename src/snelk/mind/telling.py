"""Who has something to tell: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import BeliefColumns
from snelk.mind.memory import HEARD, SENSED_NOW, Beliefs


@door
def who_tells(
    beliefs: Beliefs,
    tells: NDArray[np.bool_],
    every: NDArray[np.int64],
    tick: int,
    dt: float,
    next_time: NDArray[np.int64],
    due: NDArray[np.bool_],
) -> int:
    """Who tells of whom at a tick, and how many such pairs there are.

    Args:
        beliefs: What everybody believes; what one senses or hears itself at this tick is told.
        tells: (variant, agent) who tells at all.
        every: (variant, agent) ticks until it tells of the same target again.
        tick: The number of the tick.
        dt: Its length, s.
        next_time: (variant, agent, target) the tick before which it does not; overwritten.
        due: (variant, agent, target) overwritten.
    """
    agree(plain(beliefs).x.shape, next_time.shape, due.shape)
    agree(tells.shape, every.shape, due.shape[:2])
    return _who_tells(laid_out(BeliefColumns, beliefs), tells, every, tick, dt, next_time, due)


def _who_tells(
    beliefs: Beliefs,
    tells: NDArray[np.bool_],
    every: NDArray[np.int64],
    tick: int,
    dt: float,
    next_time: NDArray[np.int64],
    due: NDArray[np.bool_],
) -> int:
    found = 0
    with nogil:
        for v in range(len(tells)):
            for a in range(tells.shape[1]):
                for j in range(due.shape[2]):
                    source = beliefs.source[v, a, j]
                    own = source in (SENSED_NOW, HEARD) and beliefs.age[v, a, j] < dt
                    now = tells[v, a] and own and tick >= next_time[v, a, j]
                    due[v, a, j] = now
                    if now:
                        next_time[v, a, j] = tick + every[v, a]
                        found += 1
    return found
