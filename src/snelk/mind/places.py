"""Places that an agent was drawn to by a noise that nobody of the cast made: a bell, a branch.

Of these an agent with ears and a memory keeps the newest. Like a target it has a meter, which
noises fill and which holds and drains, and like a belief it is forgotten.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.mind.meter import MeterNumbers
from snelk.senses.hearing import HEARD, NOBODY, Heard, Noises

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

SLACK = 1e-9
"""Times this close are the same, s."""


class Places:
    """What drew everybody: (variant, agent) each.

    Attributes:
        x, y: Where the noise was heard, m; NaN where nothing draws it.
        age: Since when, s ago.
        blur: How far off that may be, m.
        kind: The noise, index of the noise maker's words; -1 for none.
        meter: How much it draws, 0 to 1.
        heard: Who heard such a noise at this tick.
    """

    def __init__(self, setups: Sequence[Setup], meters: MeterNumbers, dt: float) -> None:
        profiles = [[setup.profile_of(name) for name in setup.agents] for setup in setups]
        shape = (len(setups), len(setups[0].agents))
        self._meters, self._dt = meters, dt
        drawn = [
            [bool(p.memory and p.hearing and p.hearing.of_nobody) for p in r] for r in profiles
        ]
        self.drawn: Truths = np.array(drawn, np.bool_).reshape(shape)
        keep = [[p.memory.forget if p.memory else 0.0 for p in row] for row in profiles]
        error = [[p.hearing.place_error if p.hearing else 0.0 for p in row] for row in profiles]
        self._forget = np.array(keep, np.float64).reshape(shape)
        self._error = np.array(error, np.float64).reshape(shape)
        self.x, self.y, self.age, self.blur = (np.full(shape, np.nan) for _ in range(4))
        self.kind = np.full(shape, -1, dtype=np.int32)
        self.meter, self._quiet = np.zeros(shape), np.zeros(shape)
        self.heard = np.zeros(shape, dtype=np.bool_)

    def step(self, now: float, heard: Heard, noises: Noises) -> None:
        """Follow one tick: `noises` are those that were judged, by the numbers in `heard`."""
        self.heard[...] = False
        self.age += self._dt
        rows = np.flatnonzero((heard.failed == HEARD) & (heard.by == NOBODY))
        rows = rows[self.drawn[heard.variant[rows], heard.agent[rows]]]
        self._fade(rows, heard)
        if len(rows) == 0:
            return
        made = {
            (v, n): (t, kind)
            for v, n, t, kind in zip(
                noises.variant, noises.number, noises.t, noises.kind, strict=True
            )
        }
        for row in rows:
            place = heard.variant[row], heard.agent[row]
            t, kind = made[heard.variant[row], heard.number[row]]
            self.heard[place] = True
            if not self.age[place] < now - t - SLACK:
                self.x[place], self.y[place] = heard.x[row], heard.y[row]
                self.age[place], self.kind[place] = max(now - t, 0.0), kind
                self.blur[place] = self._error[place] * heard.straight[row]

    def _fade(self, rows: NDArray[np.intp], heard: Heard) -> None:
        """The meters of one tick: what noises add, then the hold, then draining; forgetting."""
        numbers, dt = self._meters, self._dt
        loud = np.zeros(self.x.shape)
        np.add.at(loud, (heard.variant[rows], heard.agent[rows]), heard.strength[rows])
        added = np.where(numbers.used, numbers.noise_gain * loud, 0.0)
        self._quiet = np.where(loud > 0.0, 0.0, self._quiet + dt)
        drains = np.clip(self._quiet - numbers.hold, 0.0, dt)
        left = self.meter + added - np.where(loud > 0.0, 0.0, drains / numbers.drain_time)
        np.clip(left, 0.0, 1.0, out=self.meter)
        self.drop(self.age > self._forget + SLACK)

    def drop(self, who: Truths) -> None:
        """Let places go: they were forgotten, or seen to be empty."""
        for values in (self.x, self.y, self.age, self.blur):
            values[who] = np.nan
        self.kind[who] = -1
        self.meter[who] = 0.0
