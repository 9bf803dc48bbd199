"""The state of expectations so far, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.named import NamedSignals
from snelk.level.columns import agree, agree_axes, plain
from snelk.mind.meter import Meters
from snelk.mind.programs import Code, Facts
from snelk.mind.signals import Signals
from snelk.senses.contact import Contacts
from snelk.senses.sight import Sight

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

SLACK = 1e-9
"""Times and numbers this close are the same."""


class Followed(NamedTuple):
    """The state of an expectation so far: (variant,), unless noted."""

    since: Numbers  # (variant, agent): when what it counts from happened first, s; NaN before,
    # -inf for always
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

NOTHING, A_SIGHT, A_NOISE, A_STATE = range(4)
"""What an expectation counts from: always; the first tick at which a target is in view, a noise of
some kind is made, or a state is entered."""

NO_STATE = -2
"""Instead of the number of a state: an agent has none of that name."""

NO_KIND = -2
"""Instead of a kind of noise: none of that name can be made."""


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
    states: NDArray[np.int16]  # the state that it asks about, or NO_STATE
    row: int  # which of the conditions it is
    awaits: int  # NOTHING, A_SIGHT, A_NOISE or A_STATE
    awaited: int  # the target or the kind of noise that it counts from
    awaited_of: NDArray[np.int32]  # (agent,) who sees it, or is in the state
    awaited_states: NDArray[np.int16]  # that state, or NO_STATE
    follow: FollowStage  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(
            self.metered.shape, self.limit.shape, self.states.shape, self.awaited_states.shape,
            plain(self.follow).holds.shape,
        )  # fmt: skip
        agree(self.metered.shape[1:], self.agents.shape, self.awaited_of.shape)


class JudgeStage(NamedTuple):
    """All expectations of a scenario, and what they ask: (variant, every agent, target)."""

    last: NDArray[np.int64]  # (variant,) the tick at which it ended, or -1
    sight: Sight
    contacts: Contacts
    loudness: Numbers
    meters: Meters
    characters: NDArray[np.int32]  # (every agent,)
    state: NDArray[np.int16]  # (variant, every agent)
    signals: Signals
    code: Code  # the conditions
    facts: Facts
    named: NamedSignals  # what they ask for with a name
    table: Numbers  # (row, variant, every agent) the values of these; overwritten
    stack: Numbers  # as long as the conditions need; overwritten
    asked: Truths  # (condition, every agent) of whom each is asked
    true: Truths  # (condition, variant, every agent); overwritten
    trials: list[TrialStage]

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        every = plain(self.meters).value.shape
        agree(
            every, plain(self.sight).failed.shape[:3], plain(self.contacts).touch.shape,
            self.loudness.shape,
        )  # fmt: skip
        agree(every[:2], self.state.shape, self.true.shape[1:], self.table.shape[1:])
        agree(every[:2], plain(self.signals).seen.shape, (len(self.last), len(self.characters)))
        code, facts = plain(self.code), plain(self.facts)
        agree(facts.values.shape[:2], (len(facts.absent), every[0]))
        agree((len(self.characters), every[2]), (len(facts.characters), facts.values.shape[2]))
        agree(self.asked.shape, (len(self.true), every[1]))
        agree((len(self.true),), (len(code.starts) - 1,))
        rows, deepest = code.needs()
        named = int(plain(self.named).row.max(initial=-1))
        room = max(rows, named + 1) <= len(self.table) and deepest <= len(self.stack)
        agree(plain(self.named).which.shape[1:], every[:2])
        inside = (self.characters >= 0) & (self.characters < every[2])
        agree((room, bool(inside.all())), (True, True))
        for trial in map(plain, self.trials):
            agree(trial.metered.shape[:1], every[:1])
            inside = bool(((trial.agents >= 0) & (trial.agents < every[1])).all())
            known = trial.asks != CONDITION or 0 <= trial.row < len(self.true)
            seen = trial.asks != LEVEL or 0 <= trial.target < every[2]
            came = trial.awaits != A_SIGHT or 0 <= trial.awaited < every[2]
            there = bool(((trial.awaited_of >= 0) & (trial.awaited_of < every[1])).all())
            agree((inside, known, seen, came, there), (True,) * 5)
