"""Listening: which noises are judged at which ears at a tick, each exactly once."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out, plain
from snelk.level.ground import GroundStage
from snelk.mind.columns import ListenStageColumns, NewsColumns
from snelk.mind.memory import News
from snelk.mind.receiving import receive, take_in
from snelk.mind.stage import JUDGED, LEFT, NOTHING_HEARD, ROOM, WAITED, ListenStage
from snelk.senses.bodies import Poses
from snelk.senses.ears import Ears
from snelk.senses.hearing import NOBODY
from snelk.senses.stores import HeardStore, NoiseStore
from snelk.senses.turns import Turns


class Listening:
    """Noises on their way to ears, and the results of the last tick.

    Args:
        setups: The numbers of each variant.
        ears: Everybody's ears.
        times: Times of all ticks, s.
        last: The tick at which everybody listens, as it is the last one; -1 if none is known.

    Attributes:
        heard: What became of the noises that were judged at the last tick.
        loudness: (variant, agent, target) strengths of what was heard, added up.
        news: The newest that was heard of each target.
        stage: All of it, as compiled loops read and write it.
    """

    def __init__(
        self, setups: Sequence[Setup], ears: Ears, times: NDArray[np.float64], *, last: int
    ) -> None:
        self.ears = ears
        self.times = times
        profiles = [[setup.profile_of(name) for name in setup.agents] for setup in setups]
        every = [[p.hearing.listen_every if p.hearing else 0.0 for p in row] for row in profiles]
        turns, used = Turns(every, setups[0].clock.dt), ears.numbers.used
        seldom = used & (turns.ticks > 1)
        pairs = (*used.shape, ears.numbers.cares.shape[2] - 1)
        self.loudness = np.zeros(pairs)
        self.news = News.blank(pairs)
        self.heard, self._waiting = HeardStore(), NoiseStore()
        self._now = np.array([-1, 0])
        self._grounds: dict[int, GroundStage] = {}
        self.stage = laid_out(
            ListenStageColumns,
            ListenStage(
                ears=ears.stage,
                walk=self._walk(),
                always=used & (turns.ticks == 1),
                seldom=seldom,
                any_seldom=bool(seldom.any()),
                every=turns.ticks,
                last_tick=last,
                due=np.zeros_like(used),
                last=np.full(used.shape, -1),
                waiting=self._waiting.laid,
                waiting_at=self._waiting.made_at,
                waiting_count=self._waiting.held,
                heard=self.heard.laid,
                heard_count=self.heard.held,
                now=self._now,
                loudness=self.loudness,
                news=laid_out(NewsColumns, self.news),
            ),
        )

    def __getstate__(self) -> dict[str, Any]:
        """All but room to work in, which is laid out anew; see `snelk.runs.saving`."""
        whole: Any = plain(self.stage)
        return {**vars(self), "stage": whole._replace(walk=None), "_grounds": {}}

    def __setstate__(self, state: dict[str, Any]) -> None:
        vars(self).update(state)
        self._lay_out()

    def step(
        self, tick: int, noises: NoiseStore, poses: Poses, background: NDArray[np.float64]
    ) -> None:
        """Judge the noises of this tick, and at ears that listen seldom those since they did."""
        while True:
            came = receive(
                self.stage, noises.laid, noises.made_at, noises.count, poses, background, tick
            )
            if came != ROOM:
                break
            self.make_room(noises.count)
        if came == LEFT:
            self.judge(noises, poses, background)
        elif came == JUDGED:
            self.misplace(noises)
        if came != NOTHING_HEARD:
            take_in(self.stage, noises.laid, float(self.times[tick]))

    def make_room(self, count: int) -> None:
        """Make room for more noises, and for the results of all that wait."""
        whole = self._waiting.count + count
        self._waiting.make_room(whole)
        self.heard.make_room(whole * len(self.ears.characters))
        self._lay_out()

    def judge(self, noises: NoiseStore, poses: Poses, background: NDArray[np.float64]) -> None:
        """Judge noises at ears, if loops do not know the paths between corners."""
        self.ears.judge(self._judged(noises), self.heard, poses, background)
        if plain(self.stage).walk is not self._walk():
            self._lay_out()

    def misplace(self, noises: NoiseStore) -> None:
        """Add the error of hearing to heard positions."""
        self.ears.misplace(self._judged(noises), self.heard)

    def begin(self, v: int, a: int, tick: int) -> None:
        """A character hears only noises made after a tick."""
        plain(self.stage).last[v, a] = tick

    def forget_maker(self, v: int, j: int) -> None:
        """What waits to be heard of somebody is nobody's from now on."""
        rows, count = self._waiting.rows, self._waiting.count
        rows.by[:count][(rows.variant[:count] == v) & (rows.by[:count] == j)] = NOBODY

    def _judged(self, noises: NoiseStore) -> NoiseStore:
        return self._waiting if self._now[WAITED] else noises

    def _walk(self) -> GroundStage:
        """The ground for noises, with all known paths."""
        return next(self.ears.ways.stages(self._grounds))

    def mind_doors(self) -> None:
        """Doors have opened or shut."""
        self.ears.mind_doors()
        self._lay_out()

    def _lay_out(self) -> None:
        changed = plain(self.stage)._replace(
            walk=self._walk(), waiting=self._waiting.laid, waiting_at=self._waiting.made_at,
            heard=self.heard.laid,
        )  # fmt: skip
        self.stage = laid_out(ListenStageColumns, changed)
