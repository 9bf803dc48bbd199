"""Messages between agents, on their way and when they arrive."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree_axes, laid_out
from snelk.mind.columns import MessageColumns

Numbers = NDArray[np.float64]
Codes = NDArray[np.int64]

TELL_GATES = ("present", "memory", "cares", "ears", "awake", "reach")
"""What a word must pass to be known to somebody: it is there, has a memory, and notices the
target; of a voice also that it has ears, is awake, and is reached.
"""

TELL_RESULTS = ("told", *TELL_GATES)
TOLD_IT = -1
PRESENT, MEMORY, CARES, EARS, AWAKE, REACH = range(len(TELL_GATES))

TELL_BY = ("voice", "to_all", "alarm")
"""How something is told."""

FIRST = 16
"""Room for so many at first."""


class Message(NamedTuple):
    """What one agent told another about a target."""

    variant: int
    teller: int  # agent
    listener: int  # agent
    target: int
    arrives: int  # tick
    x: float  # the place that was told, m
    y: float
    z: float
    age: float  # how old that is when it arrives, s
    blur: float  # how far off it may have been, m
    rank: float  # of the teller's alert state; 0 without a ladder


class Messages(NamedTuple):
    """Some messages, as arrays of equal length; see `Message`."""

    variant: Codes
    teller: Codes
    listener: Codes
    target: Codes
    arrives: Codes
    x: Numbers
    y: Numbers
    z: Numbers
    age: Numbers
    blur: Numbers
    rank: Numbers

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "messages")

    @classmethod
    def blank(cls, size: int) -> Messages:
        """Arrays of this size."""
        parts: list[Any] = [*np.zeros((5, size), dtype=np.int64), *np.zeros((6, size))]
        return cls(*parts)


class MessageStore:
    """Some messages, and room for more.

    Attributes:
        rows: The messages, and after `count` of them what does not matter.
        laid: The same as compiled loops read and write it.
        held: (1,) how many messages there are; compiled loops write to it.
    """

    def __init__(self) -> None:
        self.held = np.zeros(1, dtype=np.int64)
        self.rows = Messages.blank(FIRST)
        self.laid = laid_out(MessageColumns, self.rows)

    @property
    def count(self) -> int:
        """How many messages there are."""
        return int(self.held[0])

    def make_room(self, count: int) -> None:
        """Make room for this many."""
        have = len(self.rows.x)
        if count <= have:
            return
        more = Messages.blank(2 * count)
        for old, new in zip(self.rows, more, strict=True):
            new[:have] = old
        self.rows, self.laid = more, laid_out(MessageColumns, more)

    def drop(self, v: int, target: int, listener: int) -> None:
        """Let go of all messages of a target, or to a listener, of one variant."""
        rows, count = self.rows, self.count
        mine = (rows.target[:count] == target) | (rows.listener[:count] == listener)
        left = np.flatnonzero(~(mine & (rows.variant[:count] == v)))
        for values in rows:
            values[: len(left)] = values[left]
        self.held[0] = len(left)

    def messages(self) -> list[Message]:
        """The messages."""
        columns = (values[: self.count].tolist() for values in self.rows)
        return [Message(*row) for row in zip(*columns, strict=True)]
