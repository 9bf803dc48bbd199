"""Positions of noises made by nobody that draw agents: a bell, a branch.

Of these an agent with ears and a memory keeps the newest. Like a target it has a meter, which
noises fill and which holds and drains, and like a belief it is forgotten.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out
from snelk.mind.columns import DrawnColumns, DrawStageColumns, MeterNumberColumns
from snelk.mind.drawn import Drawn
from snelk.mind.meter import MeterNumbers
from snelk.mind.stage import DrawStage

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


class Places:
    """What drew everybody.

    Attributes:
        drawn: To where each was drawn; overwritten by the next tick.
        laid: The same as compiled loops read it.
        can: (variant, agent) who can be drawn to a place.
        any_can: Whether anybody can.
        stage: All of it, as compiled loops read and write it.
    """

    def __init__(self, setups: Sequence[Setup], meters: MeterNumbers) -> None:
        profiles = [[setup.profile_of(name) for name in setup.agents] for setup in setups]
        shape = (len(setups), len(setups[0].agents))
        can = [[bool(p.memory and p.hearing and p.hearing.of_nobody) for p in r] for r in profiles]
        self.can: Truths = np.array(can, np.bool_).reshape(shape)
        self.any_can = bool(self.can.any())
        keep = [[p.memory.forget if p.memory else 0.0 for p in row] for row in profiles]
        error = [[p.hearing.place_error if p.hearing else 0.0 for p in row] for row in profiles]
        self.drawn = Drawn.blank(shape)
        self.laid = laid_out(DrawnColumns, self.drawn)
        stage = DrawStage(
            can=self.can,
            error=np.array(error, np.float64).reshape(shape),
            forget=np.array(keep, np.float64).reshape(shape),
            meters=laid_out(MeterNumberColumns, meters),
            loud=np.zeros(shape),
            is_loud=np.zeros(1, dtype=np.bool_),
            drawn=self.laid,
        )
        self.stage = laid_out(DrawStageColumns, stage)

    def drop(self, v: int, a: int) -> None:
        """Let a place go: it was seen to be empty."""
        drawn = self.drawn
        drawn.x[v, a] = drawn.y[v, a] = drawn.z[v, a] = np.nan
        drawn.age[v, a] = drawn.blur[v, a] = np.nan
        drawn.kind[v, a], drawn.meter[v, a] = -1, 0.0
