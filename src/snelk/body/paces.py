"""Paces and looks, and all arrays that moving reads and writes."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree_axes

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

PACES = ("creeping", "walking", "running")
AHEAD, AT_FOCUS, SWEEP, AT_PLACE, GLANCES = range(5)
"""Where an agent looks: along its path, at its focus, to both sides, at a place, or ahead with
glances to a side.
"""

GLANCE = 0.3
"""The share of a period that a glance lasts."""

STUCK_AFTER = 1.0
"""Who wants to get on and has not for so long is stuck, s."""

LEAST = 0.02
"""Who makes less than this share of the progress that it should does not get on."""

NEAR = 1e-9
"""Places this close are the same, m."""

AT_END = 2e-6
"""Who is no farther than this from the end of its path cannot come to a stand on it, m.

It is more than what is left of paths that are walked to their very end.
"""


class Moving(NamedTuple):
    """All bodies and their paths: (variant, agent), unless noted."""

    driven: Truths  # who is moved here; the others' places are written from outside
    x: Numbers  # m
    y: Numbers
    z: Numbers
    heading: Numbers  # rad
    speed: Numbers  # m/s
    turn_rate: Numbers  # rad/s
    acceleration: Numbers  # m/s2
    arrive: Numbers  # m
    pace: Numbers  # m/s
    still: Truths  # who must not move or turn at this tick
    holds: Truths  # who stands, as it opens a door
    posture: NDArray[np.int8]
    gait: NDArray[np.int8]  # index of GAITS while it goes at its pace
    look: NDArray[np.int8]  # one of AHEAD to GLANCES
    look_x: Numbers  # the place it looks at, m; NaN for nowhere
    look_y: Numbers
    base: Numbers  # heading about which it looks to both sides, rad
    swing: Numbers  # how far to a side, rad
    period: Numbers  # s
    glance_at: Numbers  # s in its state at which a glance begins
    glance_by: Numbers  # how far to a side it goes, rad
    smooth: Truths  # who turns in arcs
    on_way: Truths  # who has a path to go
    at_end: Truths  # whose path is at its end
    short: Numbers  # how far its path ends before the place that was asked for, m
    no_way: Truths  # who wants to go somewhere and cannot take a step towards it
    stuck_for: Numbers  # s that it has wanted to get on and has not
    was_stuck: Numbers  # the same before this tick
    was_left: Numbers  # length of its path before this tick, m
    walked: Numbers  # m in all
    stop: Numbers  # ends this far before the end of the way, m
    turn_at: NDArray[np.int64]  # the point at which it must stand; -1 for none
    next: NDArray[np.int64]  # the point that it walks to
    size: NDArray[np.int64]  # points of the way
    halt: NDArray[np.int64]  # the point from which the next link begins; -1 for none
    points: Numbers  # (variant, agent, point, 5): the path, see `find_way`
    beyond: Numbers  # (variant, agent, point): from there to the end of the way, m
    link: NDArray[np.int64]  # the link that it is on; -1 for none
    climbed: Numbers  # how far it is on that, m

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            points="variants agents places 5",
            beyond="variants agents places",
        )
