"""Listening: which noises are judged at whose ears at a tick, so that each is judged once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.engine.turns import Turns
from snelk.level.columns import laid_out
from snelk.mind.columns import NewsColumns
from snelk.mind.memory import News
from snelk.mind.overhearing import add_up
from snelk.senses.bodies import Poses
from snelk.senses.ears import Ears
from snelk.senses.hearing import Heard, Noises


class Listening:
    """Noises on their way to ears, and what the last tick's came to.

    Args:
        setups: The numbers of each variant.
        ears: Everybody's ears.
        times: Times of all ticks, s; at the last one everybody listens.

    Attributes:
        heard: What became of noises at the ears of those that listened.
        loudness: (variant, agent, target) strengths of what was heard, added up.
        news: The newest that was heard of each target.
        judged: The noises that `heard` is about.
    """

    def __init__(self, setups: Sequence[Setup], ears: Ears, times: NDArray[np.float64]) -> None:
        self.ears = ears
        self.times = times
        profiles = [[setup.profile_of(name) for name in setup.agents] for setup in setups]
        every = [[p.hearing.listen_every if p.hearing else 0.0 for p in row] for row in profiles]
        self._turns = Turns(every, setups[0].clock.dt)
        used = ears.numbers.used
        self._always = used & (self._turns.ticks == 1)
        self._seldom = used & (self._turns.ticks > 1)
        self._seldom_any = bool(self._seldom.any())
        self._last = np.full(used.shape, -1)  # tick at which who listens seldom did so last
        self._waiting: list[tuple[int, Noises]] = []
        pairs = (*used.shape, ears.numbers.cares.shape[2] - 1)
        self.loudness = np.zeros(pairs)
        self.news = News.blank(pairs)
        self._laid_news = laid_out(NewsColumns, self.news)
        self.heard = self._silence = Heard.none()
        self.judged: Noises

    def step(
        self, tick: int, noises: Noises, poses: Poses, background: NDArray[np.float64]
    ) -> None:
        """Judge the noises of this tick, and at ears that listen seldom those since they did."""
        if len(self.heard.agent):
            self.loudness[...] = 0.0
            self.news.clear()
        self.heard, self.judged = self._silence, noises
        if not self._seldom_any and not len(noises.t):
            return
        # Nobody must miss a noise because the run ends before they would listen again.
        due = self._seldom & (self._turns.at(tick) | (tick == len(self.times) - 1))
        if len(noises.t) and self._seldom_any:
            self._waiting.append((tick, noises))
        judged = self._always[noises.variant]
        if due.any() and self._waiting:
            made_at = np.concatenate([np.full(len(some.t), t) for t, some in self._waiting])
            noises = Noises(*map(np.concatenate, zip(*(n for _, n in self._waiting), strict=True)))
            v = noises.variant
            judged = due[v] & (made_at[:, None] > self._last[v])
            judged |= self._always[v] & (made_at[:, None] == tick)
        if due.any():
            self._last[due] = tick
            oldest = int(self._last[self._seldom].min())
            self._waiting = [(t, some) for t, some in self._waiting if t > oldest]
        self.judged = noises
        judged &= self.ears.characters != noises.by[:, None]
        if judged.any():
            self.heard = self.ears.judge(noises, judged, poses, background)
            add_up(
                noises, self.heard, self.ears.numbers.place_error, float(self.times[tick]),
                self.loudness, self._laid_news,
            )  # fmt: skip
