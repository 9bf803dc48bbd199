"""The state of roaming of all agents, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.streams import Streams
from snelk.level.columns import agree, plain
from snelk.level.floors import Floors
from snelk.level.ground import Ground

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

EXACT = 1e-6
"""Paths that end this far before their end are walked to there, not only nearly, m."""

INSIDE = 2e-3
"""Paths end this far before the edge, m."""

ROUNDING = 1e-6
"""Places this near to the edge of an area may lie on it, m."""

AT_EDGE = INSIDE / 4.0
"""Who is as near to an edge can only leave it, m."""

NO_AREA, NOT_ASKED = -1, -2
"""Instead of an area's number: there is none to roam over; it has not been asked for yet."""


class RoamStage(NamedTuple):
    """What wandering reads and writes: (variant, agent) where nothing else is said."""

    areas: Ground  # a part for each area
    floors: Floors
    streams: Streams  # overwritten
    area: NDArray[np.int32]  # index of its area
    every: Numbers  # (variant, agent, state) s until it takes another direction
    pause: Numbers  # (variant, agent, state) s it stands before it does
    until: Numbers  # s: when it does so next; overwritten
    normal: Numbers  # (variant, agent, 2) of the edge that it walks to; NaN for none; overwritten
    pausing: Truths  # it stands before it takes another direction; overwritten
    outside: Truths  # it may stand outside of its area; overwritten
    keeps: Truths  # doors have turned: it goes on toward its goal; overwritten
    way: Numbers  # (places, 5) room for a path; see `find_way`

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(
            self.area.shape, self.until.shape, self.pausing.shape, self.outside.shape,
            self.keeps.shape, plain(self.streams).used.shape, self.every.shape[:2],
        )  # fmt: skip
        agree(self.every.shape, self.pause.shape)
        agree(self.normal.shape, (*self.area.shape, 2))
        known = int(self.area.max(initial=NO_AREA)) < len(plain(self.areas).reach)
        agree((known, self.way.shape[1]), (True, 5))
