"""What measures are counted in, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


class Pairs(NamedTuple):
    """The pairs that are followed, and from when on a target counts as noticed."""

    agent: NDArray[np.int32]  # (pair,)
    target: NDArray[np.int32]  # (pair,)
    metered: Truths  # (variant, pair): who has a detection meter
    notice: Numbers  # (variant, pair): the value from which on a target is noticed


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

    @classmethod
    def blank(cls, variants: int, pairs: int, agents: int, states: int) -> Tally:
        """Nothing yet."""
        by_agent = ("walked", "last_x", "last_y", "highest_rank")
        shapes = dict.fromkeys(by_agent, (variants, agents))
        shapes |= {"end": (variants,), "states": (variants, agents, states)}  # type: ignore[dict-item]
        never = ("first_sensed", "first_seen", "first_noticed", "first_full", "end")
        first = dict.fromkeys((*never, "last_x", "last_y", "highest_rank"), np.nan)
        first |= {"turned": -np.inf, "was_seen": False}
        return cls(
            **{
                name: np.full(shapes.get(name, (variants, pairs)), first.get(name, 0.0))
                for name in cls._fields
            }
        )
