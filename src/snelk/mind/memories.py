"""Everybody's memory, tick by tick; see docs/calculations.md."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import GridColumns, laid_out
from snelk.level.grid import Grid, scratch_for
from snelk.mind.columns import BeliefColumns, MemoryNumberColumns, NewsColumns
from snelk.mind.memory import Beliefs, News, memory_numbers
from snelk.mind.remembering import remember
from snelk.senses.bodies import Poses
from snelk.senses.contact import Contacts


class Memories:
    """Everybody's memory.

    Args:
        setups: The numbers of each variant.
        notices: (variant, agent, target) whom they can notice.
        heard: The newest noises that were heard, which a tick overwrites.
        told: The newest that was told, which a tick overwrites.
        grid: The walls that stop a belief that is led on.

    Attributes:
        numbers: The numbers of the memories.
        beliefs: What everybody believes of everybody; a tick overwrites it.
        laid: The same as compiled loops read it.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        notices: NDArray[np.bool_],
        heard: News,
        told: News,
        grid: Grid,
    ) -> None:
        self._notices = notices
        self.numbers = memory_numbers(setups)
        self.beliefs = Beliefs.blank(heard.x.shape)
        self.laid = laid_out(BeliefColumns, self.beliefs)
        self._laid_numbers = laid_out(MemoryNumberColumns, self.numbers)
        self._news = laid_out(NewsColumns, heard), laid_out(NewsColumns, told)
        self._grid, self._scratch = laid_out(GridColumns, grid), scratch_for(grid)

    def step(
        self, poses: Poses, before: Poses, dt: float, failed: NDArray[np.int8], contacts: Contacts
    ) -> None:
        """One tick of all memories; see `remember`."""
        remember(
            self._notices, poses, before, dt, failed, contacts.touch, contacts.zone, *self._news,
            self._laid_numbers, self._grid, self._scratch, self.laid,
        )  # fmt: skip
