"""The routes of patrols, and how far agents are along them, as plain arrays."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

LOOP, BACK_AND_FORTH, ONCE = range(3)
"""What comes after a route's last corner."""

WHERE_IT_IS, HOME, START, HERE = -1, -2, -3, -4
"""Instead of the character that a route is about: it stays, or is moved so that its first corner
lies at the walker's home, its place in the cast, or where it entered its state.
"""


class RoundStage(NamedTuple):
    """What patrols read and write: (variant, agent) where nothing else is said."""

    heights: bool  # whether heights count: the level has floors
    corners: Numbers  # (corners, 3) of all routes, m
    first: NDArray[np.int32]  # (variant, agent, state) the first corner of its route
    last: NDArray[np.int32]  # (variant, agent, state) the one behind its last corner
    order: NDArray[np.int8]  # (variant, agent, state) LOOP, BACK_AND_FORTH or ONCE
    pause: Numbers  # (variant, agent, state) s it stands at each corner
    about: NDArray[np.int32]  # (variant, agent, state) a character, or WHERE_IT_IS to HERE
    home: Numbers  # (variant, agent, 3) m; NaN for where it is
    start: Numbers  # (variant, agent, 3) m; NaN for where it is
    entered: Numbers  # (variant, agent, 3) where it entered its state, m; NaN for where it is
    shift: Numbers  # (variant, agent, 3) how far its route is moved, m; overwritten
    begun: Truths  # it is on its round; overwritten
    pausing: Truths  # it stands at a corner; overwritten
    at: NDArray[np.int64]  # the corner it goes to, from 0; overwritten
    step: NDArray[np.int64]  # 1 to the next corner, -1 to the one before; overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        by_agent = self.begun.shape
        agree(by_agent, self.pausing.shape, self.at.shape, self.step.shape, self.first.shape[:2])
        agree(
            self.first.shape, self.last.shape, self.order.shape, self.pause.shape,
            self.about.shape,
        )  # fmt: skip
        agree(
            (*by_agent, 3), self.home.shape, self.start.shape, self.entered.shape, self.shift.shape
        )
        count = len(self.corners)
        inside = (self.first >= 0).all() and (self.last <= count).all()
        agree((bool(inside), self.corners.shape[1]), (True, 3))

    def to_come(self, v: int, a: int, state: int) -> Iterator[tuple[Numbers, float]]:
        """The corners, (3,), after the one it goes to now, and for how long it stands before, s.

        Without end, but of a route that is walked once.
        """
        first, order = int(self.first[v, a, state]), int(self.order[v, a, state])
        count = int(self.last[v, a, state]) - first
        at, step = int(self.at[v, a]), int(self.step[v, a])
        while count > 1:
            if order == LOOP:
                at = (at + 1) % count
            elif 0 <= at + step < count:
                at += step
            elif order == ONCE:
                return
            else:
                step = -step
                at += step
            corner = self.corners[first + at] + self.shift[v, a]
            yield corner, float(self.pause[v, a, state])

    def begin(self, v: int, a: int) -> None:
        """Somebody begins a round."""
        self.shift[v, a], self.at[v, a], self.step[v, a] = 0.0, 0, 1
        self.begun[v, a] = self.pausing[v, a] = False
