"""Clues during a run: what is out of order, and who has seen to it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import Doors
from snelk.config.models import Clue, Setup
from snelk.config.words import POSTURES
from snelk.mind.attention import Attention
from snelk.senses.bodies import Bodies, Poses

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

SLACK = 1e-9
"""Times and lengths this close are the same, s and m."""

PRONE = POSTURES.index("prone")


class SeenTo(NamedTuple):
    """An agent that has seen to a clue, from the next tick on."""

    variant: int
    agent: int
    target: int


class Clues:
    """All clues of all variants: which are present, and who has seen to which.

    Args:
        setups: The numbers of each variant.
        characters: (agent,) which characters the agents are.
        doors: All doors and lights as they are now.
        bodies: Everybody's bodies.

    Attributes:
        any: Whether there is any clue.
        is_clue: (character,) which are clues in any variant.
        away: (variant, character) which clues are not there at the next tick.
        put: (variant, character, 5) where the next tick has those that are elsewhere than at
            first: x, y, z in m, posture, and heading in rad, NaN for as at first; NaN for all.
        seen_to: (variant, agent, target) who has seen to what, and ignores it.
    """

    def __init__(
        self, setups: Sequence[Setup], characters: NDArray[np.int32], doors: Doors, bodies: Bodies
    ) -> None:
        names = list(setups[0].cast)
        self.setups, self.characters, self.doors, self.bodies = setups, characters, doors, bodies
        self._clues: list[tuple[int, int, Clue, tuple[str, str]]] = [
            (v, j, member.clue, member.clue.what)
            for v, setup in enumerate(setups)
            for j, member in enumerate(setup.cast.values())
            if member.clue is not None
        ]
        self._of = {
            (v, j): names.index(name)
            for v, j, _, (word, name) in self._clues
            if word in ("still", "gone")
        }
        shape = (len(setups), len(names))
        self.any = bool(self._clues)
        self.is_clue = np.zeros(shape[1], dtype=np.bool_)
        self.is_clue[[j for _, j, *_ in self._clues]] = True
        self.away = np.zeros(shape, dtype=np.bool_)
        self.put = np.full((*shape, 5), np.nan)
        self.seen_to = np.zeros((shape[0], len(characters), shape[1]), dtype=np.bool_)
        self._since = np.full(shape, np.nan)  # when what is out of order came to be so, s
        self._lay: Numbers = np.full((*shape, 3), np.nan)  # where who is asked for was, m
        for v, j, clue, what in self._clues:
            is_so = (v, j) not in self._of and self._is_turned(v, what)
            self._since[v, j] = setups[v].clock.start if is_so else np.nan
            self.away[v, j] = not is_so or clue.seconds > 0.0

    def _is_turned(self, v: int, what: tuple[str, str]) -> bool:
        """Whether a door or a light is as a clue asks for."""
        word, of = what
        is_on = self.doors.is_on(v, "open" if word in ("open", "shut") else "lit", of)
        return is_on == (word in ("open", "lit"))

    def _is_so_with(self, v: int, j: int, clue: Clue, poses: Poses, removed: Truths) -> bool:
        """Whether a character lies still, or is gone from a clue's position."""
        p, of = v if len(poses.x) > 1 else 0, self._of[v, j]
        here = np.array([poses.x[p, of], poses.y[p, of], poses.z[p, of]])
        there = bool(poses.present[p, of]) and not removed[v, of]
        if clue.what[0] == "gone":
            place = np.array([poses.x[p, j], poses.y[p, j], poses.z[p, j]])
            return not there or float(np.linalg.norm(here - place)) > clue.within + SLACK
        lay, self._lay[v, j] = self._lay[v, j].copy(), here
        if not there or poses.posture[p, of] != PRONE or not np.allclose(lay, here, atol=SLACK):
            return False
        self.put[v, j, :4] = (*here, PRONE)
        return True

    def mind(self, time: float, dt: float, poses: Poses, removed: Truths) -> list[SeenTo]:
        """Find the clues that are present at the next tick.

        Returns those which are in order again, each with everybody who had seen to it.

        Args:
            time: Of this tick, s.
            dt: Until the next, s.
            poses: Where everybody is at this tick.
            removed: (variant, character) who has been taken out.
        """
        over = []
        for v, j, clue, what in self._clues:
            if (v, j) in self._of:
                is_so = self._is_so_with(v, j, clue, poses, removed)
            else:
                is_so = self._is_turned(v, what)
            if not is_so:
                self._since[v, j] = np.nan
                over += [SeenTo(v, a, j) for a in np.flatnonzero(self.seen_to[v, :, j]).tolist()]
                self.seen_to[v, :, j] = False
            elif np.isnan(self._since[v, j]):
                self._since[v, j] = time
            self.away[v, j] = not is_so or time + dt < self._since[v, j] + clue.seconds - SLACK
        return over

    def see_to(
        self, poses: Poses, attention: Attention, alert: Truths, unreachable: Truths
    ) -> list[SeenTo]:
        """Who sees to a clue at this tick.

        That is an agent in a state above its routine, `alert` (variant, agent), whose focus is the
        clue, that has it in view or feels it, and is within its reach, as for catching, or can get
        no nearer.
        """
        found: list[SeenTo] = []
        now, heeded = attention.now, attention.focus[alert]
        if not self.is_clue[heeded[heeded >= 0]].any():
            return found
        for v, j, clue, _ in self._clues:
            p = v if len(poses.x) > 1 else 0
            for a in np.flatnonzero((attention.focus[v] == j) & alert[v]).tolist():
                i = int(self.characters[a])
                senses = now.seen[v, a, j] or now.felt[v, a, j]
                if not senses or not poses.present[p, i] or self.seen_to[v, a, j]:
                    continue
                low, bottom = float(poses.z[p, i]), float(poses.z[p, j])
                high = low + self.bodies.height[v, i, poses.posture[p, i]]
                top = bottom + self.bodies.height[v, j, poses.posture[p, j]]
                gap = max(bottom - high, low - top, 0.0)
                plan = np.hypot(poses.x[p, j] - poses.x[p, i], poses.y[p, j] - poses.y[p, i])
                if np.hypot(plan, gap) <= clue.reach + SLACK or unreachable[v, a]:
                    self.seen_to[v, a, j] = True
                    found.append(SeenTo(v, a, j))
        return found
