"""What every tick has to look after beside minds and moving, as plain arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.outlook import Outlook
from snelk.level.columns import agree, plain

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
Indices = NDArray[np.int32]

NO_CLUE, OF_A_DOOR, OF_A_LIGHT, STILL, GONE = range(5)
"""What a clue is of: a door or a light as it should not be, or somebody who lies still or is gone.
"""

SEEN_TO, IN_ORDER = 1, 2
"""Of `Upkeep.news`: somebody has seen to a clue; it is in order again. Both are 3."""

ABOVE = 1.0
"""Whose feet are so much higher does not stand in the way, m."""

DOORSTEP = 0.05
"""Whoever is no more than this, and what it walks in a tick, from a door begins to open it, m."""


class Upkeep(NamedTuple):
    """Places seen empty, territories, doors, growing ground, and clues.

    (variant, agent) where nothing else is said.
    """

    disproves: bool  # whether anybody drops a belief when it sees the place empty
    seen_empty: Numbers  # s it has to see it; NaN for who never does
    empty_for: Numbers  # (variant, agent, target or place) s it has seen it; overwritten
    is_empty: Truths  # the same: what is to be dropped now; overwritten
    outlook: Outlook
    spot: Numbers  # (1, 3) a place to look at, m; overwritten
    looked: Truths  # (1,) whether it is in view; overwritten
    any_ignores: bool
    ignores: Truths  # whether it ignores who is outside of its territory
    ignored: Truths  # (variant, agent, target) overwritten
    doors: Indices  # (door,) which walls they are
    boxes: Numbers  # (door, 4) least x, y, greatest x, y of each, m
    opened: Truths  # (variant, wall); without doors (1, wall)
    turned: Truths  # (variant,) where a door turns at this tick, and is so from the next
    shuts_at: Numbers  # (variant, wall) s: when it shuts by itself
    radii: Numbers  # (variant, character) m
    next_opening: Numbers  # (1,) s: when a door that somebody opens is open
    link_starts: Indices  # (link and one more,) where its doors begin
    link_doors: Indices  # which walls those are
    grows: bool  # whether the ground grows around who reaches its end
    bounds: Numbers  # (variant, 4) least x, y, greatest x, y of the ground, m
    any_clues: bool
    clue: NDArray[np.int8]  # (variant, character) what it is a clue of, or NO_CLUE
    clue_of: Indices  # (variant, character) which door, zone or character
    clue_on: Truths  # (variant, character) whether the door is open, or the light lit
    seconds: Numbers  # (variant, character) how long that has to be so, s
    within: Numbers  # (variant, character) how far off somebody is gone, m
    reach: Numbers  # (variant, character) who comes this close has seen to it, m
    lit: Truths  # (variant, zone)
    removed: Truths  # (variant, character) who has been taken out
    since: Numbers  # (variant, character) s: since when it is so; NaN if it is not; overwritten
    lay: Numbers  # (variant, character, 3) where who is asked for was, m; overwritten
    away: Truths  # (variant, character) clues that are not there at the next tick; overwritten
    put: Numbers  # (variant, character, 5) where the next tick has those that are elsewhere
    seen_to: Truths  # (variant, agent, target) overwritten
    routine_rank: Numbers  # above this an agent sees to clues
    news: NDArray[np.int8]  # (variant, agent, target) of SEEN_TO and IN_ORDER; overwritten
    keeps_apart: bool
    apart: Numbers  # (variant, agent, agent) how far apart their middles keep, m; 0 for no matter
    passing: Truths  # (variant, agent, agent) who let each other pass

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        variants, agents, targets = self.ignored.shape
        agree(
            (variants, agents), self.seen_empty.shape, self.ignores.shape, self.routine_rank.shape
        )
        agree((variants, agents, targets + 1), self.empty_for.shape, self.is_empty.shape)
        agree(self.ignored.shape, self.seen_to.shape, self.news.shape)
        outlook = plain(self.outlook)
        agree(self.ignored.shape, plain(outlook.numbers).notices.shape)
        agree((variants, agents, agents), self.apart.shape, self.passing.shape)
        agree((1, 3), self.spot.shape)
        agree((1,), self.looked.shape, self.next_opening.shape)
        agree((len(self.doors), 4), self.boxes.shape)
        agree(self.opened.shape, self.shuts_at.shape)
        agree((variants,), self.turned.shape)
        agree((variants, 4), self.bounds.shape)
        agree(
            (variants, targets), self.radii.shape, self.clue.shape, self.clue_of.shape,
            self.clue_on.shape, self.seconds.shape, self.within.shape, self.reach.shape,
            self.removed.shape, self.since.shape, self.away.shape,
        )  # fmt: skip
        agree((variants, targets, 3), self.lay.shape)
        agree((variants, targets, 5), self.put.shape)
        agree((variants, len(plain(outlook.zones).circles)), self.lit.shape)
        agree((len(self.link_doors),), tuple(self.link_starts[-1:].tolist()))
        walls = self.opened.shape[1] if len(self.opened) == variants else 0  # no doors, one row
        most = np.array([1, walls, self.lit.shape[1], targets, targets])  # by what a clue is of
        there = np.concatenate([self.doors, self.link_doors]) < walls
        agree((True, True), (bool((self.clue_of < most[self.clue]).all()), bool(there.all())))
