"""Memory: what an agent believes about a target's position; see docs/calculations.md.

A belief has a position, a source and an age. An agent that senses a target by sight, touch or the
zone sense knows its position; after that the belief remains, unless something newer arrives.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import agree_axes, in_one

SOURCES = ("sensed", "grace", "lead", "last_known", "heard", "told", "smelt")
"""Where a belief comes from; of one that is there."""

NO_BELIEF = -1
SENSED_NOW, GRACE, LEAD, LAST_KNOWN, HEARD, TOLD, SMELT = range(len(SOURCES))

SLACK = 1e-9
"""Times this close are the same, s."""

Numbers = NDArray[np.float64]


class MemoryNumbers(NamedTuple):
    """The numbers of everybody's memory; see `memory_numbers`."""

    used: NDArray[np.bool_]  # (variant, agent): whether it has a memory
    grace: Numbers  # (variant, agent), s
    lead: Numbers  # (variant, agent), s
    spread: Numbers  # (variant, agent), m/s
    forget: Numbers  # (variant, agent), s

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents")


class Beliefs(NamedTuple):
    """The beliefs of all about all: (variant, agent, target)."""

    source: NDArray[np.int8]  # index of SOURCES, or NO_BELIEF
    x: Numbers  # the believed place, m; NaN without a belief
    y: Numbers
    z: Numbers  # the height of its feet there
    vx: Numbers  # velocity when last sensed, m/s
    vy: Numbers
    age: Numbers  # s since it was sensed, or since what was heard, told or smelt was so
    blur: Numbers  # how far off it may have been then, m

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents targets")

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> Beliefs:
        """Nobody believes anything."""
        source = np.full(shape, NO_BELIEF, dtype=np.int8)
        return in_one(cls(source, *(np.full(shape, np.nan) for _ in cls._fields[1:])))


class News(NamedTuple):
    """News about a target at this tick, heard, smelt or told: (variant, agent, target)."""

    x: Numbers  # m; NaN without news
    y: Numbers
    z: Numbers
    age: Numbers  # s since it was so
    blur: Numbers  # how far off it may be, m

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents targets")

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> News:
        """No news."""
        return cls(*(np.full(shape, np.nan) for _ in cls._fields))

    def clear(self) -> None:
        """Forget the news of the tick before."""
        for values in self:
            values[...] = np.nan


def memory_numbers(setups: Sequence[Setup]) -> MemoryNumbers:
    """Pack the memories of every agent of every variant into arrays."""
    agents = setups[0].agents
    shape = (len(setups), len(agents))
    numbers = MemoryNumbers(np.zeros(shape, dtype=np.bool_), *(np.zeros(shape) for _ in range(4)))
    for v, setup in enumerate(setups):
        for a, agent in enumerate(agents):
            memory = setup.profile_of(agent).memory
            if memory is not None:
                numbers.used[v, a] = True
                numbers.grace[v, a], numbers.lead[v, a] = memory.grace, memory.lead
                numbers.spread[v, a], numbers.forget[v, a] = memory.spread, memory.forget
    return numbers


def forget(beliefs: Beliefs, pair: tuple[int, int, int]) -> None:
    """Drop the belief of a (variant, agent) about a target."""
    beliefs.source[pair] = NO_BELIEF
    for values in beliefs[1:]:
        values[pair] = np.nan


def uncertainty(numbers: MemoryNumbers, beliefs: Beliefs) -> Numbers:
    """(..., variant, agent, target) radius in which the target is believed to be, m."""
    spread, grace = numbers.spread[:, :, None], numbers.grace[:, :, None]
    return doubt(beliefs.source, beliefs.age, beliefs.blur, grace, spread)


def doubt(source: Any, age: Any, blur: Any, grace: Any, spread: Any) -> Numbers:
    """(...) the uncertainty of beliefs, m; `source` holds their numbers in SOURCES."""
    frozen = (source == LEAD) | (source == LAST_KNOWN)
    since = np.where(frozen, np.maximum(age - grace, 0.0), age)
    known_now = (source == SENSED_NOW) | (source == GRACE)
    result: Numbers = np.where(known_now, 0.0, blur + spread * since)
    return result
