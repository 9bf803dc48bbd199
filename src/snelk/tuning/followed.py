"""The state of expectations so far, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, agree_axes, plain
from snelk.mind.meter import Meters
from snelk.senses.contact import Contacts
from snelk.senses.sight import Sight

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

SLACK = 1e-9
"""Times and numbers this close are the same."""


class Followed(NamedTuple):
    """The state of an expectation so far: (variant,), unless noted."""

    since: Numbers  # (variant, agent): when what it counts from happened, s; -inf for always
    first: Numbers  # when it first came true, s
    end: Numbers  # the last tick that was followed, s
    true_at: Numbers  # when it first was true within its interval, s
    false_at: Numbers  # when it first was not
    true: Numbers  # ticks within its interval at which it was true
    false: Numbers  # and at which it was not
    gap: Numbers  # the least that it fell short by
    gap_at: Numbers  # when, s
    most: Numbers  # the largest value
    most_at: Numbers  # when, s

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants", since="variants agents")

    @classmethod
    def blank(cls, since: Numbers) -> Followed:
        """Nothing yet."""
        count = len(since)
        first, end, true_at, false_at, gap_at, most_at = np.full((6, count), np.nan)
        true, false = np.zeros((2, count))
        gap, most = np.full(count, np.inf), np.full(count, -np.inf)
        return cls(since, first, end, true_at, false_at, true, false, gap, gap_at, most, most_at)


class FollowStage(NamedTuple):
    """The question for each tick, and its result so far."""

    holds: Truths  # (variant, agent) where it is true; of several agents any counts
    gap: Numbers  # (variant, agent) what it falls short by
    value: Numbers  # (variant, agent) what is held against a limit
    so_far: Followed  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        so_far = plain(self.so_far)
        agree(self.holds.shape, self.gap.shape, self.value.shape, so_far.since.shape)
        agree(so_far.first.shape, self.holds.shape[:1])


LEVEL, IS_IN, CONDITION = range(3)
"""What an expectation asks at each tick: how sure agents are of a target, whether they are in a
state, or whether a condition is true."""


class TrialStage(NamedTuple):
    """An expectation about some agents, and its result so far: (variant, agent) of these."""

    asks: int  # LEVEL, IS_IN or CONDITION
    low: float  # the interval asked about, s
    high: float
    within: float  # seconds since what it counts from in which it matters; infinite for all
    agents: NDArray[np.int32]  # (agent,) which agents these are
    target: int  # of whom it asks how sure they are
    metered: Truths  # who has a meter; for who has none being sensed counts as full
    limit: Numbers  # what the meter is held against
    states: NDArray[np.int16]  # the state that it asks about; less than any for who has it not
    row: int  # which of the conditions it is
    follow: FollowStage  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(
            self.metered.shape, self.limit.shape, self.states.shape, plain(self.follow).holds.shape
        )
        agree(self.metered.shape[1:], self.agents.shape)


class JudgeStage(NamedTuple):
    """All expectations of a scenario, and what they ask: (variant, every agent, target)."""

    sight: Sight
    contacts: Contacts
    loudness: Numbers
    meters: Meters
    state: NDArray[np.int16]  # (variant, every agent)
    true: Truths  # (condition, variant, every agent)
    trials: list[TrialStage]

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        every = plain(self.meters).value.shape
        agree(
            every, plain(self.sight).failed.shape[:3], plain(self.contacts).touch.shape,
            self.loudness.shape,
        )  # fmt: skip
        agree(every[:2], self.state.shape, self.true.shape[1:])
        for trial in map(plain, self.trials):
            agree(trial.metered.shape[:1], every[:1])
            inside = bool(((trial.agents >= 0) & (trial.agents < every[1])).all())
            known = trial.asks != CONDITION or 0 <= trial.row < len(self.true)
            seen = trial.asks != LEVEL or 0 <= trial.target < every[2]
            agree((inside, known, seen), (True, True, True))
