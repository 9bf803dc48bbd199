"""What every agent is doing, as plain arrays for the compiled loops."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree_axes

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

(
    OTHERS, STAND, FACE, SLEEP, APPROACH, GO, HOME, RESUME, ROAM, PATROL, FLEE, EVADE, SEARCH,
) = range(13)  # fmt: skip
"""Activities by index. That of OTHERS is an object in Python, see `snelk.body.activities`."""

CODES = {
    "stand": STAND,
    "face": FACE,
    "sleep": SLEEP,
    "approach": APPROACH,
    "go": GO,
    "home": HOME,
    "resume": RESUME,
    "roam": ROAM,
    "patrol": PATROL,
    "flee": FLEE,
    "evade": EVADE,
    "search": SEARCH,
}
"""Those that `snelk.body.acting` knows, by the key they are written with."""

NEWLY_DONE, NEWLY_FAILED = 1, 2
"""Marks of what has come of an activity at a tick; they add up."""

LEFT_TO_PYTHON = -1.0
"""Instead of the seconds until it thinks again: what it does now is done in Python."""

NEVER = float("inf")
"""The same for who does not want to think again by itself."""

KEEP_UP = 0.2
"""Seconds after which somebody who follows a target looks again where to go."""


class Doing(NamedTuple):
    """What each agent does in its alert state: (variant, agent), unless noted."""

    kind: NDArray[np.int8]  # one of OTHERS to SEARCH
    done: Truths  # it has done what it is to do
    failed: Truths  # it cannot
    news: NDArray[np.int8]  # NEWLY_DONE and NEWLY_FAILED at this tick
    to_x: Numbers  # the place it set out to, m; NaN before
    to_y: Numbers
    to_z: Numbers
    facing: Numbers  # where it will face there, rad; NaN for as it comes
    wants: Truths  # a path to its goal is to be found
    joins: Truths  # it is on its way to where a route begins for it, which is no arriving
    stop: Numbers  # the path ends so far before the goal, m
    goals: Numbers  # (variant, agent, 3): where it wants to go, m
    home: Numbers  # (variant, agent, 4): where it goes home to, m, and faces there, rad; NaN for
    # where it is, and for as it comes
    routine: Numbers  # the same of where it left its routine
    stops: Numbers  # (variant, agent, state): `stop` of approaching as it is written, m
    spots: Numbers  # (variant, agent, state, 3): the spot it goes to, m; NaN for last known
    ground: NDArray[np.int32]  # index of the ground that it walks on; -1 if not asked yet
    part: NDArray[np.int32]  # the part of that; -1 for none

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            goals="variants agents 3",
            home="variants agents 4",
            routine="variants agents 4",
            stops="variants agents states",
            spots="variants agents states 3",
        )

    @classmethod
    def blank(cls, shape: tuple[int, ...], states: int) -> Doing:
        """Nobody does anything."""
        done, failed, wants, joins = np.zeros((4, *shape), dtype=np.bool_)
        kind, news = np.zeros((2, *shape), dtype=np.int8)
        to_x, to_y, to_z, facing, stop = np.full((5, *shape), np.nan)
        home, routine = np.full((2, *shape, 4), np.nan)
        ground, part = np.full((2, *shape), -1, dtype=np.int32)
        return cls(
            *(kind, done, failed, news, to_x, to_y, to_z, facing, wants, joins, stop),
            np.full((*shape, 3), np.nan),
            home,
            routine,
            np.zeros((*shape, states)),
            np.full((*shape, states, 3), np.nan),
            ground,
            part,
        )
