"""Noises and their results at ears, in arrays that grow."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import laid_out
from snelk.senses.columns import HeardColumns, NoiseColumns
from snelk.senses.hearing import Heard, Noises

FIRST = 16
"""Room for so many at first."""


class NoiseStore:
    """Some noises, and room for more.

    Attributes:
        rows: The noises, and after `count` of them what does not matter.
        laid: The same as compiled loops read and write it.
        held: (1,) how many noises there are; compiled loops write to it.
        made_at: Of each the tick at which it was made.
    """

    def __init__(self) -> None:
        self.held = np.zeros(1, dtype=np.int64)
        self.rows = Noises.blank(FIRST)
        self.laid = laid_out(NoiseColumns, self.rows)
        self.made_at: NDArray[np.int64] = np.zeros(FIRST, dtype=np.int64)

    @property
    def count(self) -> int:
        """How many noises there are."""
        return int(self.held[0])

    @classmethod
    def of(cls, noises: Noises, tick: int) -> NoiseStore:
        """That of some noises that were made at a tick."""
        store = cls()
        store.add(noises, tick)
        return store

    def make_room(self, count: int) -> None:
        """Let it hold so many."""
        have = len(self.made_at)
        if count <= have:
            return
        more = Noises.blank(2 * count)
        for old, new in zip(self.rows, more, strict=True):
            new[:have] = old
        self.made_at = np.concatenate([self.made_at, np.zeros(2 * count - have, np.int64)])
        self.rows, self.laid = more, laid_out(NoiseColumns, more)

    def add(self, noises: Noises, tick: int) -> None:
        """Add noises that are made at a tick."""
        end = self.count + len(noises.t)
        self.make_room(end)
        for all_rows, rows in zip(self.rows, noises, strict=True):
            all_rows[self.count : end] = rows
        self.made_at[self.count : end] = tick
        self.held[0] = end

    def noises(self) -> Noises:
        """The noises, as they are now."""
        some: Any = (values[: self.count].copy() for values in self.rows)
        return Noises(*some)


class HeardStore:
    """Results of noises at ears, with room for more; as `NoiseStore`."""

    def __init__(self) -> None:
        self.held = np.zeros(1, dtype=np.int64)
        self.rows = Heard.blank(FIRST)
        self.laid = laid_out(HeardColumns, self.rows)

    @property
    def count(self) -> int:
        """How many pairs of noise and ear there are."""
        return int(self.held[0])

    def make_room(self, count: int) -> None:
        """Make room for this many; the old content is lost."""
        if count > len(self.rows.row):
            self.rows = Heard.blank(2 * count)
            self.laid = laid_out(HeardColumns, self.rows)

    def heard(self) -> Heard:
        """Its current content."""
        some: Any = (values[: self.count].copy() for values in self.rows)
        return Heard(*some)
