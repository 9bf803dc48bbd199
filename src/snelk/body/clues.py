"""Clues during a run: what is out of order, and who has seen to it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import Doors
from snelk.body.upkeep import GONE, NO_CLUE, OF_A_DOOR, OF_A_LIGHT, STILL
from snelk.config.models import Setup

Numbers = NDArray[np.float64]

KINDS = {
    "open": OF_A_DOOR, "shut": OF_A_DOOR, "lit": OF_A_LIGHT, "dark": OF_A_LIGHT, "still": STILL,
    "gone": GONE,
}  # fmt: skip


class Clues:
    """All clues of all variants: which are present, and who has seen to which.

    Which of them are out of order is found by `snelk.body.tending`.

    Args:
        setups: The numbers of each variant.
        agents: How many agents there are.
        doors: All doors and lights as they are now.

    Attributes:
        any: Whether there is any clue.
        is_clue: (character,) which are clues in any variant.
        kind: (variant, character) what each is a clue of, or NO_CLUE.
        of: (variant, character) which door, zone or character.
        on: (variant, character) whether the door is open, or the light lit.
        seconds: (variant, character) how long that has to be so, s.
        within: (variant, character) how far off somebody is gone, m.
        reach: (variant, character) who comes this close has seen to it, m.
        since: (variant, character) since when it has been so, s; NaN if it is not.
        lay: (variant, character, 3) where who is asked for was, m.
        away: (variant, character) which clues are not there at the next tick.
        put: (variant, character, 5) where the next tick has those that are elsewhere than at
            first: x, y, z in m, posture, and heading in rad, NaN for as at first; NaN for all.
        seen_to: (variant, agent, target) who has seen to what, and ignores it.
        news: (variant, agent, target) what has come of it at a tick.
    """

    def __init__(self, setups: Sequence[Setup], agents: int, doors: Doors) -> None:
        names = list(setups[0].cast)
        shape = (len(setups), len(names))
        self.kind = np.full(shape, NO_CLUE, dtype=np.int8)
        self.of = np.zeros(shape, dtype=np.int32)
        self.on = np.zeros(shape, dtype=np.bool_)
        self.seconds, self.within, self.reach = np.zeros((3, *shape))
        self.since = np.full(shape, np.nan)
        self.lay: Numbers = np.full((*shape, 3), np.nan)
        self.away = np.zeros(shape, dtype=np.bool_)
        self.put = np.full((*shape, 5), np.nan)
        self.seen_to = np.zeros((shape[0], agents, shape[1]), dtype=np.bool_)
        self.news = np.zeros(self.seen_to.shape, dtype=np.int8)
        indices = {OF_A_DOOR: doors.level.wall_names, OF_A_LIGHT: doors.zones}
        for v, setup in enumerate(setups):
            for j, member in enumerate(setup.cast.values()):
                if (clue := member.clue) is None:
                    continue
                word, name = clue.what
                kind = self.kind[v, j] = KINDS[word]
                self.of[v, j] = indices.get(kind, names).index(name)
                self.on[v, j] = word in ("open", "lit")
                self.seconds[v, j], self.within[v, j] = clue.seconds, clue.within
                self.reach[v, j] = clue.reach
                is_so = kind in indices and self.on[v, j] == doors.is_on(
                    v, "open" if kind == OF_A_DOOR else "lit", name
                )
                self.since[v, j] = setup.clock.start if is_so else np.nan
                self.away[v, j] = not is_so or clue.seconds > 0.0
        self.is_clue = (self.kind != NO_CLUE).any(axis=0)
        self.any = bool(self.is_clue.any())
