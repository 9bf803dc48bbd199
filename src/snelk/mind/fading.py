"""How places that a noise drew somebody to fade: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import DrawnColumns, MeterNumberColumns
from snelk.mind.drawn import Drawn
from snelk.mind.meter import MeterNumbers

Numbers = NDArray[np.float64]

NAN = float("nan")

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def fade(loud: Numbers, numbers: MeterNumbers, forget: Numbers, dt: float, drawn: Drawn) -> None:
    """One tick of the meters of places: what noises add, the hold, draining; and forgetting.

    Args:
        loud: (variant, agent) strengths of such noises heard at this tick, added up.
        numbers: The numbers of the meters.
        forget: (variant, agent) the age at which a place is forgotten, s.
        dt: Length of the tick, s.
        drawn: Overwritten.
    """
    agree(loud.shape, forget.shape, plain(numbers).used.shape, plain(drawn).x.shape)
    _fade(loud, laid_out(MeterNumberColumns, numbers), forget, dt, laid_out(DrawnColumns, drawn))


def _fade(loud: Numbers, numbers: MeterNumbers, forget: Numbers, dt: float, drawn: Drawn) -> None:
    with nogil:
        for v in range(len(loud)):
            for a in range(loud.shape[1]):
                drawn.heard[v, a] = False
                drawn.age[v, a] += dt
                added, drained = 0.0, 0.0
                if numbers.used[v, a]:
                    added = numbers.noise_gain[v, a] * loud[v, a]
                if loud[v, a] > 0.0:
                    drawn.quiet[v, a] = 0.0
                else:
                    drawn.quiet[v, a] += dt
                    # Of the tick in which the hold ends only the rest drains.
                    drained = min(max(drawn.quiet[v, a] - numbers.drain_after[v, a], 0.0), dt)
                    drained = drained / numbers.drain_time[v, a]
                drawn.meter[v, a] = min(max(drawn.meter[v, a] + added - drained, 0.0), 1.0)
                if drawn.age[v, a] > forget[v, a] + SLACK:
                    drawn.x[v, a], drawn.y[v, a], drawn.age[v, a] = NAN, NAN, NAN
                    drawn.blur[v, a], drawn.meter[v, a], drawn.kind[v, a] = NAN, 0.0, -1
