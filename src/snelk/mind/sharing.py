"""Sharing: agents tell others of the targets they sense, by voice or to all, with a delay."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out, plain
from snelk.level.grid import NO_WALL
from snelk.mind.columns import TellStageColumns
from snelk.mind.memory import Beliefs, News
from snelk.mind.stage import TellStage
from snelk.mind.telling import who_tells
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.ears import Ears
from snelk.senses.hearing import HEARING_GATES, Heard, Noises
from snelk.senses.listening import begin_pairs
from snelk.senses.stores import HeardStore, NoiseStore
from snelk.senses.surroundings import Surroundings

Numbers = NDArray[np.float64]


class Message(NamedTuple):
    """What one agent told another of a target."""

    variant: int
    teller: int  # agent
    listener: int  # agent
    target: int
    x: float  # the place that was told, m
    y: float
    age: float  # how old that was when it was told, s
    blur: float  # how far off it may have been, m
    rank: float  # of the teller's alert state; 0 without a ladder


class Alarm(NamedTuple):
    """What an agent lets all of some teams know at once."""

    variant: int
    teller: int  # agent
    target: int  # or NOBODY
    teams: tuple[str, ...]
    x: float  # where it has the target in mind, m; NaN if it has not
    y: float


TELL_GATES = ("present", "memory", "cares", "ears", "awake", "reach")
"""What a word must pass to be known to somebody: it is there, has a memory, and notices the
target; of a voice also that it has ears, is awake, and is reached.
"""

TELL_RESULTS = ("told", *TELL_GATES)
TOLD_IT = -1
PRESENT, MEMORY, CARES, EARS, AWAKE, REACH = range(len(TELL_GATES))

TELL_BY = ("voice", "to_all", "alarm")
"""How something is told."""


class Saying(NamedTuple):
    """What one agent told of some targets at a tick, and what became of it at each listener."""

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


class Sharing:
    """Everybody's telling, and what is on its way.

    A voice is a noise: it carries through walls that muffle and on foot around them, to those
    with ears, whomever they listen to otherwise. Only what an agent senses or hears itself is
    told, not what it was told; and only of targets that the listener notices.

    Attributes:
        said: What was told at this tick.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        notices: NDArray[np.bool_],
        ears: Ears,
        bodies: Bodies,
        laid: Beliefs,
        dt: float,
    ) -> None:
        self.notices = notices  # (variant, agent, target)
        self._setups = setups
        self.ears = ears
        self.bodies = bodies
        self.dt = dt
        agents = setups[0].agents
        shape = (len(setups), len(agents))
        self.tells = np.zeros(shape, dtype=np.bool_)
        self.reach = np.full(shape, np.nan)  # m; NaN tells all
        self.delay = np.zeros(shape, dtype=np.int64)  # ticks
        self.every = np.ones(shape, dtype=np.int64)  # ticks
        self.audience = np.zeros((*shape, len(agents)), dtype=np.bool_)
        self.remembers = np.zeros(shape, dtype=np.bool_)
        self.said: list[Saying] = []
        for v, setup in enumerate(setups):
            self.remembers[v] = [setup.profile_of(name).memory is not None for name in agents]
            teams = [setup.cast[name].team for name in agents]
            for a, agent in enumerate(agents):
                tell = setup.profile_of(agent).tell
                if tell is None:
                    continue
                told = (setup.cast[agent].team,) if tell.teams is None else tell.teams
                self.tells[v, a] = True
                self.reach[v, a] = np.nan if tell.reach is None else tell.reach
                self.delay[v, a] = round(tell.delay / dt)
                self.every[v, a] = max(round(tell.every / dt), 1)
                self.audience[v, a] = [team in told for team in teams]
                self.audience[v, a, a] = False
        characters = len(setups[0].cast)
        self.anybody = bool(self.tells.any())
        self._due = np.zeros((*shape, characters), dtype=np.bool_)
        next_time = np.zeros((*shape, characters), dtype=np.int64)
        stage = TellStage(dt, laid, self.tells, self.every, next_time, self._due)
        self._stage = laid_out(TellStageColumns, stage)
        self._on_the_way: defaultdict[int, list[Message]] = defaultdict(list)

    def tell(
        self,
        tick: int,
        beliefs: Beliefs,
        poses: Poses,
        surroundings: Surroundings,
        ranks_now: Callable[[], Numbers],
    ) -> None:
        """Send what is told at this tick; it arrives at the next one at the earliest.

        The poses may be as compiled loops read them; `ranks_now` gives the ranks, (variant,
        agent), of everybody's alert state.
        """
        if not self.anybody:
            return
        if not who_tells(self._stage, tick):
            return
        due = self._due
        ranks = ranks_now()
        tellers = np.argwhere(due.any(axis=2))
        voices = self._voices(tellers, poses, surroundings)
        for n, (v, a) in enumerate(tellers.tolist()):
            arrives = tick + max(int(self.delay[v, a]), 1)
            listeners = np.flatnonzero(self.audience[v, a])
            voice = (v, a) in self._speakers
            low, high = np.searchsorted(voices.number, (n, n + 1)).tolist()
            heard = voices.of(slice(low, high)) if voice else None
            targets = np.flatnonzero(due[v, a])
            saying = self._say(
                "voice" if voice else "to_all", v, a, listeners, targets, arrives, poses, heard
            )
            told = (beliefs.x, beliefs.y, beliefs.age, beliefs.blur)
            news = np.array([each[v, a, targets] for each in told])
            self._send(saying, tick, news, float(ranks[v, a]))

    def alarm(self, tick: int, alarm: Alarm, beliefs: Beliefs, poses: Poses, rank: float) -> int:
        """Let all of some teams know of a target at the next tick; return how many they are."""
        v, a, j = alarm.variant, alarm.teller, alarm.target
        if np.isnan(alarm.x):
            return 0
        cast, agents = self._setups[v].cast, self._setups[v].agents
        team = [cast[name].team in alarm.teams and b != a for b, name in enumerate(agents)]
        listeners, targets = np.flatnonzero(team), np.array([j])
        saying = self._say("alarm", v, a, listeners, targets, tick + 1, poses, None)
        # Who senses the target without a memory has no belief: then it is as fresh as can be.
        age, blur = (np.nan_to_num(each[v, a, [j]]) for each in (beliefs.age, beliefs.blur))
        news = np.array([[alarm.x], [alarm.y], age, blur])
        self._send(saying, tick, news, rank)
        return int((saying.failed == TOLD_IT).sum())

    def _say(
        self,
        by: str,
        v: int,
        a: int,
        listeners: NDArray[np.intp],
        targets: NDArray[np.intp],
        arrives: int,
        poses: Poses,
        heard: Heard | None,
    ) -> Saying:
        """What becomes of a word at everybody it is meant for; `heard` is that of a voice."""
        i, shape = self.ears.characters[listeners], (len(listeners), len(targets))
        failed = np.full(shape, TOLD_IT, dtype=np.int8)
        straight, limit = np.full((2, len(listeners)), np.nan)
        wall = np.full(len(listeners), NO_WALL, dtype=np.intp)
        if heard is not None:
            failed[~self.ears.numbers.used[v, listeners]] = EARS
            at = np.searchsorted(listeners, heard.agent)
            straight[at], limit[at], wall[at] = heard.straight, heard.limit, heard.wall
            failed[at[heard.failed == HEARING_GATES.index("awake")]] = AWAKE
            failed[at[heard.failed == HEARING_GATES.index("reach")]] = REACH
        cares = self.notices[v][np.ix_(listeners, targets)] & (i[:, None] != targets)
        failed[~cares] = CARES
        failed[~self.remembers[v, listeners]] = MEMORY
        there = plain(poses)
        failed[~there.present[v if len(there.x) > 1 else 0][i]] = PRESENT
        return Saying(v, a, by, arrives, listeners, targets, failed, straight, limit, wall)

    def _send(self, saying: Saying, tick: int, news: Numbers, rank: float) -> None:
        """Send what somebody said to all that it reaches.

        `news`, (4, target), are x and y, the age and the blur of what is told.
        """
        self.said.append(saying)
        v, a, later = saying.variant, saying.teller, (saying.arrives - tick) * self.dt
        for n, m in np.argwhere(saying.failed == TOLD_IT):
            b, j = int(saying.listeners[n]), int(saying.targets[m])
            x, y, age, blur = news[:, m].tolist()
            message = Message(v, a, b, j, x, y, age + later, blur, rank)
            self._on_the_way[saying.arrives].append(message)

    def arrive(self, tick: int, told: News) -> list[Message]:
        """What arrives at this tick, the newest of each target written to `told`."""
        messages = self._on_the_way.pop(tick, [])
        for message in messages:
            place = message.variant, message.listener, message.target
            if not told.age[place] <= message.age:
                told.x[place], told.y[place] = message.x, message.y
                told.age[place], told.blur[place] = message.age, message.blur
        return messages

    def _voices(self, tellers: NDArray[np.intp], poses: Poses, surroundings: Surroundings) -> Heard:
        """What becomes of the voices of those that have one, at the ears they are meant for.

        A voice's number is that of its teller.
        """
        v, a = tellers.T
        speak = np.flatnonzero(~np.isnan(self.reach[v, a]))
        v, a = v[speak], a[speak]
        self._speakers = set(zip(v.tolist(), a.tolist(), strict=True))
        if len(speak) == 0:
            return Heard.none()
        who, there = self.ears.characters[a], plain(poses)
        p = v if len(there.x) > 1 else np.zeros_like(v)
        up = self.bodies.eyes[v, who, there.posture[p, who]]
        blank = Noises.blank(len(speak))
        voices = blank._replace(
            variant=v, number=speak, x=there.x[p, who], y=there.y[p, who],
            z=there.z[p, who] + up, reach=self.reach[v, a],
        )  # fmt: skip
        said, heard = NoiseStore.of(voices, 0), HeardStore()
        pairs = np.nonzero(self.audience[v, a] & self.ears.numbers.used[v])
        rows, agents = map(np.ascontiguousarray, pairs)
        heard.make_room(len(rows))
        heard.count = len(rows)
        begin_pairs(said.laid, rows, agents, heard.laid)
        self.ears.judge(said, heard, poses, surroundings.background, placed=False)
        return heard.heard()
