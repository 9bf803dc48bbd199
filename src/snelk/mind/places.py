"""Places that an agent was drawn to by a noise that nobody of the cast made: a bell, a branch.

Of these an agent with ears and a memory keeps the newest. Like a target it has a meter, which
noises fill and which holds and drains, and like a belief it is forgotten.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out
from snelk.mind.columns import DrawnColumns, MeterNumberColumns
from snelk.mind.drawn import Drawn
from snelk.mind.fading import draw, draw_loud, fade
from snelk.mind.meter import MeterNumbers
from snelk.senses.stores import HeardStore, NoiseStore

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


class Places:
    """What drew everybody.

    Attributes:
        drawn: To where each was drawn; overwritten by the next tick.
        laid: The same as compiled loops read it.
        can: (variant, agent) who can be drawn to a place.
    """

    def __init__(self, setups: Sequence[Setup], meters: MeterNumbers, dt: float) -> None:
        profiles = [[setup.profile_of(name) for name in setup.agents] for setup in setups]
        shape = (len(setups), len(setups[0].agents))
        self._meters, self._dt = laid_out(MeterNumberColumns, meters), dt
        can = [[bool(p.memory and p.hearing and p.hearing.of_nobody) for p in r] for r in profiles]
        self.can: Truths = np.array(can, np.bool_).reshape(shape)
        self.any_can = bool(self.can.any())
        keep = [[p.memory.forget if p.memory else 0.0 for p in row] for row in profiles]
        error = [[p.hearing.place_error if p.hearing else 0.0 for p in row] for row in profiles]
        self._forget = np.array(keep, np.float64).reshape(shape)
        self._error = np.array(error, np.float64).reshape(shape)
        self._loud, self._is_loud = np.zeros(shape), False
        self.drawn = Drawn.blank(shape)
        self.laid = laid_out(DrawnColumns, self.drawn)

    def step(self, now: float, noises: NoiseStore, heard: HeardStore) -> None:
        """Follow one tick: `noises` are those that were judged, `heard` what became of them."""
        if heard.count or self._is_loud:
            draw_loud(heard.laid, heard.count, self.can, self._loud)
            self._is_loud = heard.count > 0
        fade(self._loud, self._meters, self._forget, self._dt, self.laid)
        if heard.count:
            draw(noises.laid, heard.laid, heard.count, self.can, self._error, now, self.laid)

    def drop(self, v: int, a: int) -> None:
        """Let a place go: it was seen to be empty."""
        drawn = self.drawn
        drawn.x[v, a] = drawn.y[v, a] = drawn.age[v, a] = drawn.blur[v, a] = np.nan
        drawn.kind[v, a], drawn.meter[v, a] = -1, 0.0
