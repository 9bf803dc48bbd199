"""Everybody's ears: which noises reach them, by which way, and where they seem to come from."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.chance import stream_at_once
from snelk.level.columns import GridColumns, laid_out
from snelk.level.grid import scratch_for
from snelk.level.level import Level
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import BodyColumns
from snelk.senses.hearing import HEARD, NOBODY, Codes, Heard, HearingNumbers, Noises, Numbers
from snelk.senses.listening import at_ears
from snelk.senses.sight import EDGE


class Ears:
    """Everybody's ears in one level.

    Args:
        numbers: The ears.
        bodies: How high they are.
        characters: (agent,) which character an agent is.
        names: Names of all characters, for the streams of chance.
        level: Whose walls muffle and are in the way.
    """

    def __init__(
        self,
        numbers: HearingNumbers,
        bodies: Bodies,
        characters: NDArray[np.int32],
        names: Sequence[str],
        level: Level,
    ) -> None:
        self.numbers = numbers
        self.bodies = bodies
        self.characters = characters
        self.names = names
        self.level = level
        self._scratch = scratch_for(level.sound_grid)
        self._grids = (
            laid_out(GridColumns, level.sound_grid),
            laid_out(GridColumns, level.plan_grid),
        )
        self._laid_bodies = laid_out(BodyColumns, bodies)

    def judge(
        self,
        noises: Noises,
        judged: NDArray[np.bool_],
        poses: Poses,
        background: Numbers,
        *,
        placed: bool = True,
    ) -> Heard:
        """Judge noises at ears; the pairs come in the order of the noises.

        Args:
            noises: The noises.
            judged: (noise, agent) which noise is judged at whose ears.
            poses: Where everybody is.
            background: (variant, character) background noise everybody is in, 0 to 1.
            placed: Whether it is asked where they seem to come from.
        """
        n, a = map(np.ascontiguousarray, np.nonzero(judged))
        heard = Heard.blank(noises.variant[n], noises.number[n], a, noises.by[n])
        numbers = self.numbers
        at_ears(
            noises, n, a, self.characters, poses, self._laid_bodies, background, numbers.acuity,
            numbers.awake, numbers.cares, *self._grids, self._scratch, heard,
        )  # fmt: skip
        # Both ways are known but for those on foot that are not straight.
        bent = np.flatnonzero(~np.isnan(heard.through) & np.isnan(heard.around))
        if len(bent):
            self._walk_around(heard, bent, noises, n[bent])
        for pair in np.flatnonzero(heard.failed == HEARD) if placed else ():
            self._place(heard, int(pair), noises, int(n[pair]))
        return heard

    def _walk_around(self, heard: Heard, bent: Codes, noises: Noises, n: Codes) -> None:
        """Find the ways around walls, and decide again where they are better."""
        limit = heard.limit[bent]
        start = np.stack([noises.x[n], noises.y[n]], axis=1)
        walked = self.level.ways().around(start, heard.ear[bent], limit + EDGE)
        around = np.hypot(walked, heard.height[bent])
        heard.around[bent] = np.where(around <= limit + EDGE, around, np.inf)
        reached = bent[np.isfinite(heard.around[bent])]
        by_foot = 1.0 - heard.around[reached] / heard.limit[reached]
        heard.strength[reached] = np.maximum(heard.strength[reached], by_foot)
        heard.failed[reached] = HEARD

    def _place(self, heard: Heard, pair: int, noises: Noises, n: int) -> None:
        """Where a noise seems to come from: its place, and an error that grows with distance."""
        v, a = heard.variant[pair], heard.agent[pair]
        heard.x[pair], heard.y[pair] = noises.x[n], noises.y[n]
        spread = self.numbers.place_error[v, a] * heard.straight[pair]
        if spread > 0.0:
            by, agent = int(heard.by[pair]), self.names[self.characters[a]]
            maker = self.names[by] if by != NOBODY else ""
            # Named by maker and time, so that another noise does not change the error of this.
            t = float(noises.t[n])
            chance = stream_at_once(self.numbers.seeds[v], "hearing", agent, maker, t)
            off_x, off_y = chance.standard_normal(2) * spread
            heard.x[pair] += off_x
            heard.y[pair] += off_y
