"""What an agent's signals are computed from, apart from its senses."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree_axes

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


CAUGHT_ON, NEWLY = 1, 2
"""Marks of a target that is caught: it was a tick ago, or was not."""

SLACK = 1e-9
"""Times and lengths this close are the same, s and m."""


class Standing(NamedTuple):
    """Its alert state, home and territory: (variant, agent), unless noted."""

    state: NDArray[np.int16]
    entries: NDArray[np.int64]  # states entered before this one
    since: NDArray[np.int64]  # ticks since it was entered
    rank: Numbers  # (variant, agent, state)
    asleep: Truths  # (variant, agent, state)
    home_x: Numbers  # m; NaN without one
    home_y: Numbers
    home_z: Numbers  # the same on a level with floors, else NaN
    goals: Numbers  # (variant, agent, 3): where its path leads to, m
    others: Truths  # (variant, agent, watcher): who is of another team
    territory: NDArray[np.int32]  # index of the zone that it does not leave; -1 for none

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            rank="variants agents states",
            asleep="variants agents states",
            goals="variants agents 3",
            others="variants agents agents",
        )


class Timing(NamedTuple):
    """When every agent thinks and glances: (variant, agent) where nothing else is said."""

    used: Truths  # who has a ladder
    ended: Truths  # (variant,): whether the run is over
    next_thought: Numbers  # s: when it wants to think again
    state_for: Numbers  # s it has been in its state, after the transitions of this tick
    thought_there: Truths  # it has thought since its path ended
    due: Truths  # it thinks at this tick
    at_end: Truths  # its path has just come to its end
    short_told: Truths  # it was told that it cannot get nearer to its goal
    fresh: Truths  # a time in which it glances once has begun
    glanced: NDArray[np.int64]  # index of that time within its state; -1 if it does not glance
    freeze: Truths  # (variant, agent, state, watcher): who must not move while that one sees it

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self, "variants agents", ended="variants", freeze="variants agents states agents"
        )
