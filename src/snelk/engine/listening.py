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
from snelk.senses.listening import pair_up
from snelk.senses.stores import HeardStore, NoiseStore


class Listening:
    """Noises on their way to ears, and what the last tick's came to.

    Args:
        setups: The numbers of each variant.
        ears: Everybody's ears.
        times: Times of all ticks, s; at the last one everybody listens.

    Attributes:
        judged: The noises that were judged at the last tick.
        heard: What became of them at the ears of those that listened.
        loudness: (variant, agent, target) strengths of what was heard, added up.
        news: The newest that was heard of each target.
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
        self._nobody = np.zeros_like(used)
        self._waiting = NoiseStore()  # for those that listen seldom
        self._done_to = -1  # the tick up to which they have heard what waits
        pairs = (*used.shape, ears.numbers.cares.shape[2] - 1)
        self.loudness = np.zeros(pairs)
        self.news = News.blank(pairs)
        self._laid_news = laid_out(NewsColumns, self.news)
        self.heard = HeardStore()
        self.judged = NoiseStore()

    def step(
        self, tick: int, noises: NoiseStore, poses: Poses, background: NDArray[np.float64]
    ) -> None:
        """Judge the noises of this tick, and at ears that listen seldom those since they did."""
        heard, waiting = self.heard, self._waiting
        if heard.count:
            heard.count = 0
            self.loudness[...] = 0.0
            self.news.clear()
        if self._done_to >= 0:
            waiting.drop_before(self._done_to + 1)
            self._done_to = -1
        self.judged = noises
        if self._seldom_any and noises.count:
            waiting.add_all(noises)
        if not (waiting.count or noises.count):
            return
        due = self._nobody
        if self._seldom_any:
            # Nobody must miss a noise because the run ends before they would listen again.
            due = self._seldom & (self._turns.at(tick) | (tick == len(self.times) - 1))
        anybody = bool(due.any())
        self.judged = waiting if anybody else noises
        if self.judged.count:
            self._judge(tick, due, poses, background)
        if anybody:
            self._last[due] = tick
            self._done_to = int(self._last[self._seldom].min())

    def _judge(
        self, tick: int, due: NDArray[np.bool_], poses: Poses, background: NDArray[np.float64]
    ) -> None:
        """Judge those that were made since each that listens did so last."""
        judged, heard, ears = self.judged, self.heard, self.ears
        heard.make_room(judged.count * len(ears.characters))
        heard.count = pair_up(
            ears.stage, judged.laid, judged.count, judged.made_at, tick, self._always, due,
            self._last, heard.laid,
        )  # fmt: skip
        if heard.count:
            ears.judge(judged, heard, poses, background)
            add_up(
                ears.stage, judged.laid, heard.laid, heard.count, float(self.times[tick]),
                self.loudness, self._laid_news,
            )  # fmt: skip
