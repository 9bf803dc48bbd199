"""The counters of measures, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, agree_axes, plain
from snelk.mind.memory import Beliefs
from snelk.mind.meter import Meters
from snelk.mind.signals import Signals
from snelk.senses.contact import Contacts
from snelk.senses.sight import Sight

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


class Pairs(NamedTuple):
    """The pairs that are followed, and from when on a target counts as noticed."""

    agent: NDArray[np.int32]  # (pair,)
    target: NDArray[np.int32]  # (pair,)
    metered: Truths  # (variant, pair): who has a detection meter
    notice: Numbers  # (variant, pair): the value from which on a target is noticed

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants pairs", agent="pairs", target="pairs")


class Tally(NamedTuple):
    """Counts up to a tick: (variant, pair) where nothing else is said; in ticks, but for times."""

    end: Numbers  # (variant,): time of the last tick that counts, s
    first_sensed: Numbers  # s; NaN if never
    first_seen: Numbers
    first_noticed: Numbers
    first_full: Numbers
    in_view: Numbers
    unseen: Numbers  # on end, up to now
    longest_unseen: Numbers
    losses: Numbers
    regains: Numbers
    view_flicker: Numbers
    turned: Numbers  # when it last came into view or went out of it, s
    was_seen: Truths
    highest: Numbers  # of the meter
    believed: Numbers
    error_sum: Numbers  # of beliefs, m
    error_count: Numbers
    worst: Numbers  # error of a belief, m
    walked: Numbers  # (variant, agent), m
    last_x: Numbers  # (variant, agent): where it was, m; NaN if it was not there
    last_y: Numbers
    highest_rank: Numbers  # (variant, agent)
    states: Numbers  # (variant, agent, state)
    noises_heard: Numbers  # (variant, agent, target) who made them

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants pairs",
            end="variants",
            walked="variants agents",
            last_x="variants agents",
            last_y="variants agents",
            highest_rank="variants agents",
            states="variants agents states",
            noises_heard="variants agents targets",
        )

    @classmethod
    def blank(cls, variants: int, pairs: int, shape: tuple[int, int], states: int) -> Tally:
        """Nothing yet; the shape is that of (agent, target)."""
        agents, targets = shape
        by_agent = ("walked", "last_x", "last_y", "highest_rank")
        shapes = dict.fromkeys(by_agent, (variants, agents))
        shapes |= {"end": (variants,), "states": (variants, agents, states)}
        shapes["noises_heard"] = variants, agents, targets
        never = ("first_sensed", "first_seen", "first_noticed", "first_full", "end")
        first = dict.fromkeys((*never, "last_x", "last_y", "highest_rank"), np.nan)
        first |= {"turned": -np.inf, "was_seen": False}
        return cls(
            **{
                name: np.full(shapes.get(name, (variants, pairs)), first.get(name, 0.0))
                for name in cls._fields
            }
        )


class CountStage(NamedTuple):
    """The inputs of counting at each tick, and the counts."""

    undone: float  # a change of view that is undone within so long counts as flicker, s
    pairs: Pairs
    last: NDArray[np.int64]  # (variant,) the tick at which it ended, or -1
    sight: Sight
    contacts: Contacts
    loudness: Numbers  # (variant, agent, target) of what was heard at this tick
    meters: Meters
    beliefs: Beliefs
    characters: NDArray[np.int32]  # (agent,)
    signals: Signals
    rank: Numbers  # (variant, agent, state)
    used: Truths  # (variant, agent): who has a ladder
    tally: Tally  # added to

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        pairs, tally, meter = plain(self.pairs), plain(self.tally), plain(self.meters).value
        agree(
            meter.shape, plain(self.sight).failed.shape[:3], plain(self.contacts).touch.shape,
            self.loudness.shape, plain(self.beliefs).x.shape,
        )  # fmt: skip
        agree(self.last.shape, (len(meter),))
        agree(self.loudness.shape, tally.noises_heard.shape)
        agree(pairs.metered.shape, pairs.notice.shape, tally.unseen.shape)
        agree(tally.unseen.shape, (len(meter), len(pairs.agent)))
        agree(self.used.shape, plain(self.signals).state.shape, tally.walked.shape)
        agree(self.used.shape, meter.shape[:2], (len(meter), len(self.characters)))
        agree(self.rank.shape, tally.states.shape, (*self.used.shape, self.rank.shape[2]))
