"""Everybody's memory, tick by tick, and how beliefs are led on; see docs/calculations.md."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out
from snelk.level.grid import Grid
from snelk.level.rays import cast_rays
from snelk.mind.columns import BeliefColumns, MemoryNumberColumns
from snelk.mind.memory import (
    LAST_KNOWN,
    LEAD,
    SLACK,
    Beliefs,
    MemoryNumbers,
    News,
    memory_numbers,
)
from snelk.mind.remembering import remember
from snelk.senses.bodies import Poses
from snelk.senses.contact import Contacts

SHORT_OF_WALL = 0.02
"""A belief that is led on stops this far before a wall, m."""


class Memories:
    """Everybody's memory.

    Attributes:
        numbers: The numbers of the memories.
        beliefs: What everybody believes of everybody; a tick overwrites it.
        laid: The same as compiled loops read it.
    """

    def __init__(self, setups: Sequence[Setup], shape: tuple[int, ...]) -> None:
        self.numbers = memory_numbers(setups)
        self.beliefs = Beliefs.blank(shape)
        self.laid = laid_out(BeliefColumns, self.beliefs)
        self._laid_numbers = laid_out(MemoryNumberColumns, self.numbers)

    def step(
        self,
        poses: Poses,
        before: Poses,
        dt: float,
        failed: NDArray[np.int8],
        contacts: Contacts,
        heard: News,
        told: News,
        grid: Grid,
    ) -> None:
        """One tick of all memories.

        Args:
            poses: Everybody's poses.
            before: Everybody's poses a tick ago.
            dt: Length of the tick, s.
            failed: (variant, agent, target, cone) the first gate of sight that failed, or IN_VIEW.
            contacts: What touch and the zone sense came to.
            heard: The newest noises that were heard.
            told: The newest that was told.
            grid: The walls that stop a belief that is led on.
        """
        remember(
            poses, before, dt, failed, contacts.touch, contacts.zone, heard, told,
            self._laid_numbers, self.laid,
        )  # fmt: skip
        led = self.beliefs.source == LEAD
        if led.any():
            _lead_on(np.nonzero(led), dt, self.numbers, grid, self.beliefs)


def _lead_on(
    pairs: tuple[NDArray[np.intp], ...],
    dt: float,
    numbers: MemoryNumbers,
    grid: Grid,
    beliefs: Beliefs,
) -> None:
    """Carry beliefs along the last velocity for what of the tick lies within the lead."""
    v, a, _ = pairs
    since = beliefs.age[pairs] - numbers.grace[v, a]
    part = np.minimum(since, numbers.lead[v, a]) - np.maximum(since - dt, 0.0)
    part = np.clip(part, 0.0, dt)
    ended = part <= SLACK
    beliefs.source[pairs] = np.where(ended, LAST_KNOWN, LEAD)
    step = np.stack([beliefs.vx[pairs], beliefs.vy[pairs]], axis=1) * part[:, None]
    length = np.hypot(*step.T)
    if not (length > 0.0).any():
        return
    # Look a little farther, so that it stops short of a wall.
    start = np.stack([beliefs.x[pairs], beliefs.y[pairs], np.zeros(len(v))], axis=1)
    ahead = 1.0 + np.divide(SHORT_OF_WALL, length, out=np.zeros_like(length), where=length > 0.0)
    end = start.copy()
    end[:, :2] += ahead[:, None] * step
    _, wall, at = cast_rays(grid, start, end)
    share = np.where(wall >= 0, np.maximum(np.nan_to_num(at) * ahead - (ahead - 1.0), 0.0), 1.0)
    beliefs.x[pairs] += share * step[:, 0]
    beliefs.y[pairs] += share * step[:, 1]
    stopped = tuple(index[wall >= 0] for index in pairs)
    beliefs.vx[stopped] = beliefs.vy[stopped] = 0.0
