"""Telling: agents tell others about their targets, by voice or to all, with a delay."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out, plain
from snelk.level.grid import NO_WALL
from snelk.mind.columns import NewsColumns, TellStageColumns
from snelk.mind.memory import Beliefs, News
from snelk.mind.messages import TELL_BY, MessageStore
from snelk.mind.stage import MOST_MESSAGES, SAID_AT, TELLERS, TellStage
from snelk.mind.telling import pass_on
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.contact import Contacts
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


VOICE, TO_ALL, ALARM = TELL_BY


class Sharing:
    """The telling of all agents, and messages on their way.

    A voice is a noise: it carries through walls that muffle and around them on foot, to all with
        ears, no matter whom they otherwise listen for. An agent tells what it senses, hears or
        smells itself; with `passes_on` also what it was told, once. Listeners learn only about
        targets they notice.

    Args:
        setups: The numbers of each variant.
        notices: (variant, agent, target) whom they notice.
        ears: Everybody's ears.
        bodies: Everybody's bodies, as compiled loops read them.
        beliefs: What everybody believes, as compiled loops read it.
        heard: The newest that was heard of each target at a tick, the same.
        contacts: The results of touch, the zone sense and smell, the same.
        dt: Length of a tick, s.
        logged: Whether `said` is kept.

    Attributes:
        alarmed: The alarms of this tick; kept for `said`.
        voices, voiced: The voices of this tick, and what became of them at ears.
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
        heard: News,
        contacts: Contacts,
        dt: float,
        *,
        logged: bool = True,
    ) -> None:
        self._setups, self.ears = setups, ears
        agents = setups[0].agents
        shape = notices.shape[:2]
        tells, passes, remembers, due = (
            np.zeros(shape, dtype=np.bool_),
            np.zeros(shape, dtype=np.bool_),
            np.zeros(shape, dtype=np.bool_),
            np.zeros(notices.shape, dtype=np.bool_),
        )
        reach = np.full(shape, np.nan)
        delay, every = np.ones((2, *shape), dtype=np.int64)
        audience = np.zeros((*shape, len(agents)), dtype=np.bool_)
        for v, setup in enumerate(setups):
            remembers[v] = [setup.profile_of(name).memory is not None for name in agents]
            teams = [setup.cast[name].team for name in agents]
            for a, agent in enumerate(agents):
                tell = setup.profile_of(agent).tell
                if tell is None:
                    continue
                whom = (setup.cast[agent].team,) if tell.teams is None else tell.teams
                tells[v, a], passes[v, a] = True, tell.passes_on
                reach[v, a] = np.nan if tell.reach is None else tell.reach
                delay[v, a] = max(round(tell.delay / dt), 1)
                every[v, a] = max(round(tell.every / dt), 1)
                audience[v, a] = [team in whom for team in teams]
                audience[v, a, a] = False
        self.any_tells = bool(tells.any())
        self._pairs = len(agents), len(setups[0].cast)
        self._tellers = np.zeros((len(setups) * len(agents), 2), dtype=np.int64)
        self._said = np.zeros(3, dtype=np.int64)
        self.news = News.blank(notices.shape)
        self.told = np.zeros(notices.shape, dtype=np.bool_)
        self.told_rank = np.full(notices.shape, -1.0)
        stage = TellStage(
            dt=dt,
            characters=ears.characters,
            bodies=bodies,
            beliefs=beliefs,
            heard=heard,
            contacts=contacts,
            notices=notices,
            tells=tells,
            passes=passes,
            ears=ears.numbers.used,
            remembers=remembers,
            reach=reach,
            delay=delay,
            every=every,
            audience=audience,
            next_time=np.zeros(notices.shape, dtype=np.int64),
            passed_on=np.full(notices.shape, -np.inf),
            due=due,
            tellers=self._tellers,
            said=self._said,
            keeps=logged,
            **self._room_for(1),
            news=laid_out(NewsColumns, self.news),
            told=self.told,
            told_rank=self.told_rank,
        )
        self.stage = laid_out(TellStageColumns, stage)
        self.alarmed: list[Saying] = []
        self.going, self.came = MessageStore(), MessageStore()
        self.voices, self.voiced = NoiseStore(), HeardStore()

    def _room_for(self, tellers: int) -> dict[str, Any]:
        """Room for what becomes of the words of so many."""
        agents, targets = self._pairs
        straight, limit = np.full((2, tellers, agents), np.nan)
        return {
            "failed": np.zeros((tellers, agents, targets), dtype=np.int8),
            "straight": straight,
            "limit": limit,
            "wall": np.full((tellers, agents), NO_WALL, dtype=np.int64),
        }

    def make_room(self) -> None:
        """Make room for all that those who tell at this tick can come to."""
        tellers = int(self._said[TELLERS])
        self.voices.make_room(tellers)
        self.voiced.make_room((tellers + 1) * self._pairs[0])
        self.going.make_room(self.going.count + int(self._said[MOST_MESSAGES]))
        whole = plain(self.stage)
        if whole.keeps and tellers >= len(whole.failed):  # the last row is for alarms
            room = self._room_for(2 * tellers + 1)
            self.stage = laid_out(TellStageColumns, whole._replace(**room))

    def judge(self, poses: Poses, background: Numbers) -> None:
        """Judge this tick's voices at ears, if loops do not know the paths between corners."""
        self.ears.judge(self.voices, self.voiced, poses, background, placed=False)

    @property
    def said(self) -> list[Saying]:
        """What was told at this tick: alarms, then in the order of those that told."""
        found, whole = [*self.alarmed], plain(self.stage)
        if not whole.keeps:
            return found
        for n, (v, a) in enumerate(self._tellers[: self._said[TELLERS]].tolist()):
            by = TO_ALL if np.isnan(whole.reach[v, a]) else VOICE
            arrives = int(self._said[SAID_AT] + whole.delay[v, a])
            meant = whole.audience[v, a], whole.due[v, a]
            found.append(self._saying(n, v, a, by, arrives, *meant))
        return found

    def _saying(
        self, row: int, v: int, a: int, by: str, arrives: int, listeners: NDArray[np.bool_],
        targets: NDArray[np.bool_],
    ) -> Saying:  # fmt: skip
        """What became of an agent's words, of which loops wrote a row."""
        whole = plain(self.stage)
        who, whom = np.flatnonzero(listeners), np.flatnonzero(targets)
        became = whole.failed[row][np.ix_(who, whom)]
        far = (each[row, who] for each in (whole.straight, whole.limit, whole.wall))
        return Saying(v, a, by, arrives, who, whom, became, *far)

    def alarm(self, tick: int, alarm: Alarm, poses: Poses, rank: float) -> int:
        """Let all of some teams know of a target at the next tick; return how many they are."""
        v, a = alarm.variant, alarm.teller
        if np.isnan(alarm.x):
            return 0
        cast, agents = self._setups[v].cast, self._setups[v].agents
        team = [cast[name].team in alarm.teams and b != a for b, name in enumerate(agents)]
        targets = np.zeros(len(cast), dtype=np.bool_)
        targets[alarm.target] = True
        listeners, going = np.array(team, np.bool_), self.going
        before, row = going.count, len(plain(self.stage).failed) - 1
        going.make_room(before + int(listeners.sum()))
        going.held[0] = pass_on(
            self.stage, poses, row, v, a, listeners, targets, self.voiced.laid, -1, 1, tick, rank,
            alarm.x, alarm.y, alarm.z, going.laid, before,
        )  # fmt: skip
        if plain(self.stage).keeps:
            self.alarmed.append(self._saying(row, v, a, ALARM, tick + 1, listeners, targets))
        return going.count - before
