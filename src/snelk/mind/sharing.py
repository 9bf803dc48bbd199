"""Telling: agents tell others about their targets, by voice or to all, with a delay."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out, plain
from snelk.level.grid import NO_WALL
from snelk.mind.columns import NewsColumns, TellStageColumns
from snelk.mind.memory import Beliefs, News
from snelk.mind.messages import MessageStore
from snelk.mind.stage import TellStage
from snelk.mind.telling import pass_on, raise_voices
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.ears import Ears
from snelk.senses.stores import HeardStore, NoiseStore

Numbers = NDArray[np.float64]


class Alarm(NamedTuple):
    """An alarm of an agent to all of some teams."""

    variant: int
    teller: int  # agent
    target: int  # or NOBODY
    teams: tuple[str, ...]
    x: float  # where it has the target in mind, m; NaN if it has not
    y: float
    z: float


class Saying(NamedTuple):
    """What one agent told about some targets at a tick, and the result at each listener."""

    variant: int
    teller: int  # agent
    by: str  # one of TELL_BY
    arrives: int  # tick
    listeners: NDArray[np.intp]  # (listener,) agents that it is meant for
    targets: NDArray[np.intp]  # (target,)
    failed: NDArray[np.int8]  # (listener, target) first failed gate, or TOLD_IT
    straight: Numbers  # (listener,) how far off it was, m; NaN but for a voice
    limit: Numbers  # (listener,) how far the voice carries to this ear in the open, m
    wall: NDArray[np.intp]  # (listener,) the first wall that muffles it, or NO_WALL


NEVER = 2**62
"""A tick that does not come."""


class Sharing:
    """The telling of all agents, and messages on their way.

    A voice is a noise: it carries through walls that muffle and around them on foot, to all with
        ears, no matter whom they otherwise listen for. An agent tells what it senses or hears
        itself; with `passes_on` also what it was told, once. Listeners learn only about targets
        they notice.

    Args:
        setups: The numbers of each variant.
        notices: (variant, agent, target) whom they notice.
        ears: Everybody's ears.
        bodies: Everybody's bodies, as compiled loops read them.
        beliefs: What everybody believes, as compiled loops read it.
        dt: Length of a tick, s.
        logged: Whether `said` is kept.

    Attributes:
        said: What was told at this tick.
        going: The messages that are on their way.
        came: Those that arrived at this tick.
        news: The newest of what arrived of each target.
        told: (variant, agent, target) of whom anything arrived.
        told_rank: The highest rank of the state of who told of it; -1 if nobody did.
        stage: All that telling reads and writes, as compiled loops read it.
        any_tells: Whether anybody tells of anything.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        notices: NDArray[np.bool_],
        ears: Ears,
        bodies: Bodies,
        beliefs: Beliefs,
        dt: float,
        *,
        logged: bool = True,
    ) -> None:
        self._setups, self.ears, self._logged = setups, ears, logged
        agents = setups[0].agents
        shape = notices.shape[:2]
        tells, passes, remembers, due = (
            np.zeros(shape, dtype=np.bool_),
            np.zeros(shape, dtype=np.bool_),
            np.zeros(shape, dtype=np.bool_),
            np.zeros(notices.shape, dtype=np.bool_),
        )
        self._reach = np.full(shape, np.nan)
        self._delay, every = np.ones((2, *shape), dtype=np.int64)
        self._audience = np.zeros((*shape, len(agents)), dtype=np.bool_)
        for v, setup in enumerate(setups):
            remembers[v] = [setup.profile_of(name).memory is not None for name in agents]
            teams = [setup.cast[name].team for name in agents]
            for a, agent in enumerate(agents):
                tell = setup.profile_of(agent).tell
                if tell is None:
                    continue
                whom = (setup.cast[agent].team,) if tell.teams is None else tell.teams
                tells[v, a], passes[v, a] = True, tell.passes_on
                self._reach[v, a] = np.nan if tell.reach is None else tell.reach
                self._delay[v, a] = max(round(tell.delay / dt), 1)
                every[v, a] = max(round(tell.every / dt), 1)
                self._audience[v, a] = [team in whom for team in teams]
                self._audience[v, a, a] = False
        self.any_tells, self._due = bool(tells.any()), due
        self._tellers = np.zeros((len(setups) * len(agents), 2), dtype=np.int64)
        self._failed = np.zeros((len(agents), len(setups[0].cast)), dtype=np.int8)
        self._straight, self._limit = np.full((2, len(agents)), np.nan)
        self._wall = np.full(len(agents), NO_WALL, dtype=np.int64)
        self.news = News.blank(notices.shape)
        self.told = np.zeros(notices.shape, dtype=np.bool_)
        self.told_rank = np.full(notices.shape, -1.0)
        stage = TellStage(
            dt=dt,
            characters=ears.characters,
            bodies=bodies,
            beliefs=beliefs,
            notices=notices,
            tells=tells,
            passes=passes,
            ears=ears.numbers.used,
            remembers=remembers,
            reach=self._reach,
            delay=self._delay,
            every=every,
            audience=self._audience,
            next_time=np.zeros(notices.shape, dtype=np.int64),
            passed_on=np.full(notices.shape, -np.inf),
            due=due,
            tellers=self._tellers,
            failed=self._failed,
            straight=self._straight,
            limit=self._limit,
            wall=self._wall,
            news=laid_out(NewsColumns, self.news),
            told=self.told,
            told_rank=self.told_rank,
        )
        self.stage = laid_out(TellStageColumns, stage)
        self.said: list[Saying] = []
        self.going, self.came = MessageStore(), MessageStore()
        self._voices, self._heard = NoiseStore(), HeardStore()

    def tell(
        self, tick: int, most: int, poses: Poses, background: Numbers,
        rank_of: Callable[[int, int], float],
    ) -> None:  # fmt: skip
        """Send the messages of this tick; they arrive at the next tick at the earliest.

        Args:
            tick: The index of the tick.
            most: How many pairs there are of who tells and of whom; see `telling.who_tells`.
            poses: Everybody's poses, as compiled loops may read them.
            background: (variant, character) noise that drowns others.
            rank_of: The rank of an agent's alert state, by variant and number.
        """
        voices, heard = self._voices, self._heard
        voices.make_room(most)
        heard.make_room((most + 1) * len(self._wall))
        tellers, voices.held[0], heard.held[0] = raise_voices(
            self.stage, poses, voices.laid, heard.laid
        )
        if heard.count:
            self.ears.judge(voices, heard, poses, background, placed=False)
        pair = 0
        for v, a in self._tellers[:tellers].tolist():
            listeners, later = self._audience[v, a], int(self._delay[v, a])
            voice = not np.isnan(self._reach[v, a])
            at, nowhere = (pair, np.nan) if voice else (-1, np.nan)
            self._pass_on(
                "voice" if voice else "to_all", tick, v, a, listeners, self._due[v, a], poses, at,
                later, rank_of(v, a), nowhere, nowhere, nowhere,
            )  # fmt: skip
            if voice:
                pair += int((listeners & self.ears.numbers.used[v]).sum())

    def leave_out(self, seen_to: NDArray[np.bool_]) -> None:
        """Exclude clues that an agent has seen to; (variant, agent, target)."""
        next_time = plain(self.stage).next_time
        next_time[seen_to] = NEVER
        next_time[~seen_to & (next_time == NEVER)] = 0

    def alarm(self, tick: int, alarm: Alarm, poses: Poses, rank: float) -> int:
        """Let all of some teams know of a target at the next tick; return how many they are."""
        v, a = alarm.variant, alarm.teller
        if np.isnan(alarm.x):
            return 0
        cast, agents = self._setups[v].cast, self._setups[v].agents
        team = [cast[name].team in alarm.teams and b != a for b, name in enumerate(agents)]
        targets = np.zeros(len(cast), dtype=np.bool_)
        targets[alarm.target] = True
        return self._pass_on(
            "alarm", tick, v, a, np.array(team, np.bool_), targets, poses, -1, 1, rank, alarm.x,
            alarm.y, alarm.z,
        )  # fmt: skip

    def _pass_on(
        self,
        by: str,
        tick: int,
        v: int,
        a: int,
        listeners: NDArray[np.bool_],
        targets: NDArray[np.bool_],
        poses: Poses,
        pair: int,
        later: int,
        rank: float,
        x: float,
        y: float,
        z: float,
    ) -> int:
        """Send an agent's messages to all that it reaches; return their number."""
        going = self.going
        before = going.count
        going.make_room(before + int(listeners.sum()) * int(targets.sum()))
        going.held[0] = pass_on(
            self.stage, poses, v, a, listeners, targets, self._heard.laid, pair, later, tick,
            rank, x, y, z, going.laid, before,
        )  # fmt: skip
        if self._logged:
            who, whom = np.flatnonzero(listeners), np.flatnonzero(targets)
            became = self._failed[np.ix_(who, whom)]
            far = (self._straight[who], self._limit[who], self._wall[who])
            self.said.append(Saying(v, a, by, tick + later, who, whom, became, *far))
        return going.count - before
