"""The state of all searches, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.outlook import Outlook
from snelk.level.columns import agree, agree_axes, plain
from snelk.level.floors import Floors
from snelk.mind.cells import Cells

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

METHODS = ("there", "nearby", "hideouts", "likelihood")
"""How to search, as it is written."""

THERE, NEARBY, HIDEOUTS, LIKELIHOOD = range(4)
"""The same by index."""

WHATS = ("began", "moved", "planned", "visited", "looked", "unreachable", "ended")
"""What a search notes."""

BEGAN, MOVED, PLANNED, VISITED, LOOKED, UNREACHABLE, ENDED = range(7)
"""The same by index."""

OUTCOMES = ("found", "gave_up", "nothing", "broken_off")
"""How a search ends."""

FOUND, GAVE_UP, NOTHING, BROKEN_OFF = range(4)
"""The same by index."""

GOING_ON = -1
"""Instead of an outcome: there is none yet."""

NO_CELLS = -4.0
"""Instead of the seconds until it thinks again: where the target may be is to be laid out."""

NOBODY_YET, ANOTHER, ITSELF = range(3)
"""Who has cleared a point of a search, of whoever searches in a group."""

NEARBY_WITHIN = 3.0
"""A point nearby is left out if the path to it is so many times longer than the radius."""

MOST_NOTES = 6
"""What a search can note at one tick, beside twice of each of its points."""


class Notes(NamedTuple):
    """What searches note at a tick, in the order of time for each agent: (note,)."""

    variant: NDArray[np.int32]
    agent: NDArray[np.int32]
    search: NDArray[np.int32]  # index of the search of this agent, from 0
    what: NDArray[np.int8]  # of WHATS
    point: NDArray[np.int32]  # -1 where it is not about a point
    t: Numbers  # s
    x: Numbers  # m
    y: Numbers
    z: Numbers
    likelihood: Numbers  # NaN where there is none
    outcome: NDArray[np.int8]  # of OUTCOMES, or GOING_ON
    walked: Numbers  # m since it began
    method: NDArray[np.int8]  # of METHODS

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "notes")

    @classmethod
    def blank(cls, count: int) -> Notes:
        """Arrays of this size."""
        variant, agent, search, point = np.zeros((4, count), dtype=np.int32)
        what, outcome, method = np.zeros((3, count), dtype=np.int8)
        t, x, y, z, likelihood, walked = np.zeros((6, count))
        return cls(
            variant, agent, search, what, point, t, x, y, z, likelihood, outcome, walked, method
        )


class SearchStage(NamedTuple):
    """What searching reads and writes: (variant, agent) where nothing else is said."""

    outlook: Outlook
    floors: Floors
    characters: NDArray[np.int32]  # (agent,)
    method: NDArray[np.int8]  # (variant, agent, state) of METHODS, as all that follows up to `look`
    radius: Numbers  # m
    give_up: Numbers  # s
    point_time: Numbers  # s
    speed: Numbers  # of the target, m/s
    first: NDArray[np.int32]  # the first of its places
    last: NDArray[np.int32]  # the one behind its last
    look: NDArray[np.int8]  # where it looks on its way
    places: Numbers  # (places, 3): hideouts, m; points nearby, m from where the target was known,
    # and the number of the floor that each is on
    state: NDArray[np.int32]  # that it searches in; this and all that follows is overwritten
    begun: NDArray[np.int64]  # searches so far
    since: Numbers  # s
    walked: Numbers  # m, when it began
    x: Numbers  # where the target was last known, m
    y: Numbers
    z: Numbers
    over: NDArray[np.int8]  # of OUTCOMES, or GOING_ON
    looked: Truths  # at any of its points
    asks: Truths  # for points
    planned: Truths
    going: Truths  # it has just set out, and may find that there is no path
    waiting: Truths  # it looks around at a point
    until: Numbers  # s: how long
    at: NDArray[np.int64]  # the point that it is on its way to, or at; -1 for none
    size: NDArray[np.int64]  # how many points there are
    points: Numbers  # (variant, agent, point, 3), m
    chances: Numbers  # (variant, agent, point) how likely it is there; NaN where that is not known
    spread_to: Numbers  # s: until when likelihood has spread
    next_shot: Numbers  # s: when it is kept next
    company: Truths  # (variant, agent, agent) who searches together with whom
    cleared: NDArray[np.int8]  # (variant, agent, point) by whom: NOBODY_YET, ANOTHER or ITSELF
    others: Numbers  # (agents, 6) where those are, and where each goes to, m
    target: NDArray[np.int64]  # the cell it heads for; -1 for none
    left: Truths  # (places of one,) which may still become points
    lengths: Numbers  # (places of one,) the paths to them, m
    spot: Numbers  # (1, 3) a place to look at, m
    seen: Truths  # (1,) whether it is in view
    cells: list[Cells | None]  # (variants * agents,) where the target may be, once laid out
    shows: bool  # whether it is kept where the target may be, once a second
    notes: Notes
    noted: NDArray[np.int64]  # (1,) how many of them

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        shape, states = self.state.shape, self.method.shape
        agree(
            shape, states[:2], self.begun.shape, self.since.shape, self.walked.shape, self.x.shape,
            self.y.shape, self.z.shape, self.over.shape, self.looked.shape, self.asks.shape,
            self.planned.shape,
            self.going.shape, self.waiting.shape, self.until.shape, self.at.shape, self.size.shape,
            self.points.shape[:2], self.spread_to.shape, self.next_shot.shape, self.target.shape,
            plain(plain(self.outlook).numbers).notices.shape[:2], (shape[0], len(self.characters)),
        )  # fmt: skip
        agree(
            states, self.radius.shape, self.give_up.shape, self.point_time.shape, self.speed.shape,
            self.first.shape, self.last.shape, self.look.shape,
        )  # fmt: skip
        most = int((self.last - self.first).max(initial=0))
        inside = (self.first >= 0).all() and (self.last <= len(self.places)).all()
        agree((bool(inside), self.places.shape[1]), (True, 3))
        agree((most <= len(self.lengths), most < self.points.shape[2]), (True, True))
        agree(self.left.shape, self.lengths.shape)
        agree(self.company.shape, (*shape, shape[1]))
        agree(self.cleared.shape, self.chances.shape)
        agree((len(self.cells),), (shape[0] * shape[1],))
        agree(self.others.shape, (shape[1], 6))
        agree(self.points.shape, (*self.chances.shape, 3))
        agree(self.spot.shape, (1, 3))
        agree(self.seen.shape, self.noted.shape, (1,))
