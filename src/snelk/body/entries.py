"""What changes when an agent enters a state, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doing import Doing
from snelk.body.standing import Timing
from snelk.level.columns import agree, agree_axes, plain

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
Codes = NDArray[np.int8]


class EntryStage(NamedTuple):
    """How everybody stands in its states, and what of that holds now: (variant, agent)."""

    state: NDArray[np.int16]  # that it is in
    states: NDArray[np.int64]  # how many it has
    rank: Numbers  # (variant, agent, state)
    own_awake: Numbers  # (sense, variant, agent) of its profile
    awake_in: Numbers  # (sense, variant, agent, state) share of that
    awake: Numbers  # (sense, variant, agent) now; overwritten, as all that is said to be so now
    limits_in: Numbers  # (limit, variant, agent, state, cone)
    limits: Numbers  # (limit, variant, agent, cone) now
    pace: Numbers  # (variant, agent, state) m/s
    gait: Codes  # (variant, agent, state), as all that follows up to `kind`; see `Moving`
    look: Codes
    swing: Numbers
    period: Numbers
    posture: Codes
    kind: Codes  # its activity, see `Doing`
    entered: Numbers  # (variant, agent, 3) where it entered its state, m; overwritten
    routine: Numbers  # (variant, agent, 4) where it left its routine; overwritten
    has_caught: Truths  # since it entered its state; overwritten
    was_caught: Truths
    has_seen_to: Truths
    doing: Doing  # overwritten
    timing: Timing  # overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        by_state = ("rank", "pace", "gait", "look", "swing", "period", "posture", "kind")
        agree_axes(
            self,
            "variants agents",
            **dict.fromkeys(by_state, "variants agents states"),
            own_awake="senses variants agents",
            awake_in="senses variants agents states",
            awake="senses variants agents",
            limits_in="limits variants agents states cones",
            limits="limits variants agents cones",
            entered="variants agents 3",
            routine="variants agents 4",
        )
        agree(plain(self.doing).kind.shape, plain(self.timing).due.shape, self.state.shape)
        inside = (self.states >= 0) & (self.states <= self.rank.shape[2])
        agree((bool(inside.all()),), (True,))
