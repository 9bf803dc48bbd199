"""Sharing: agents tell others of the targets they sense, by voice or to all, with a delay."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.mind.memory import HEARD, SENSED_NOW, Beliefs, News
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.hearing import HEARD as HEARD_IT
from snelk.senses.hearing import NOBODY, Ears, Noises
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


class Sharing:
    """Everybody's telling, and what is on its way.

    A voice is a noise: it carries through walls that muffle and on foot around them, to those
    with ears, whomever they listen to otherwise. Only what an agent senses or hears itself is
    told, not what it was told; and only of targets that the listener notices.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        notices: NDArray[np.bool_],
        ears: Ears,
        bodies: Bodies,
        dt: float,
    ) -> None:
        self.notices = notices  # (variant, agent, target)
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
        for v, setup in enumerate(setups):
            remembers = [setup.profile_of(name).memory is not None for name in agents]
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
                self.audience[v, a] = [
                    team in told and knows for team, knows in zip(teams, remembers, strict=True)
                ]
                self.audience[v, a, a] = False
        characters = len(setups[0].cast)
        self.anybody = bool(self.tells.any())
        self._next = np.zeros((*shape, characters), dtype=np.int64)  # tick
        self._on_the_way: defaultdict[int, list[Message]] = defaultdict(list)

    def tell(
        self,
        tick: int,
        beliefs: Beliefs,
        poses: Poses,
        surroundings: Surroundings,
        ranks: Numbers,
    ) -> None:
        """Send what is told at this tick; it arrives at the next one at the earliest.

        `ranks`, (variant, agent), are those of everybody's alert state.
        """
        if not self.anybody:
            return
        due = (tick >= self._next) & self.tells[:, :, None] & (beliefs.age < self.dt)
        due &= (beliefs.source == SENSED_NOW) | (beliefs.source == HEARD)
        if not due.any():
            return
        tellers = np.argwhere(due.any(axis=2))
        self._next[due] = (tick + self.every[:, :, None] + np.zeros_like(self._next))[due]
        reached = self._reached(tellers, poses, surroundings)
        for (v, a), listeners in zip(tellers, reached, strict=True):
            arrives = tick + max(int(self.delay[v, a]), 1)
            for j in np.flatnonzero(due[v, a]):
                for b in np.flatnonzero(listeners):
                    if self.notices[v, b, j] and self.ears.characters[b] != j:
                        x, y = float(beliefs.x[v, a, j]), float(beliefs.y[v, a, j])
                        age = float(beliefs.age[v, a, j]) + (arrives - tick) * self.dt
                        blur = float(beliefs.blur[v, a, j])
                        rank = float(ranks[v, a])
                        message = Message(int(v), int(a), int(b), int(j), x, y, age, blur, rank)
                        self._on_the_way[arrives].append(message)

    def arrive(self, tick: int, told: News) -> list[Message]:
        """What arrives at this tick, the newest of each target written to `told`."""
        messages = self._on_the_way.pop(tick, [])
        for message in messages:
            place = message.variant, message.listener, message.target
            if not told.age[place] <= message.age:
                told.x[place], told.y[place] = message.x, message.y
                told.age[place], told.blur[place] = message.age, message.blur
        return messages

    def _reached(
        self, tellers: NDArray[np.intp], poses: Poses, surroundings: Surroundings
    ) -> NDArray[np.bool_]:
        """(teller, agent) who is told: all of the audience, or whoever hears the voice."""
        v, a = tellers.T
        i = self.ears.characters
        p = v if len(poses.x) > 1 else np.zeros_like(v)
        listeners: NDArray[np.bool_] = self.audience[v, a] & poses.present[p][:, i]
        by_voice = ~np.isnan(self.reach[v, a])
        if by_voice.any():
            speak, v, a, p = np.flatnonzero(by_voice), v[by_voice], a[by_voice], p[by_voice]
            who = i[a]
            count = len(speak)
            up = self.bodies.eyes[v, who, poses.posture[p, who]]
            nothing = np.full(count, -1, dtype=np.intp)
            voices = Noises(
                v.astype(np.intp), np.arange(count), np.zeros(count), nothing, nothing, nothing,
                poses.x[p, who], poses.y[p, who], poses.z[p, who] + up, self.reach[v, a],
                np.full(count, NOBODY, dtype=np.intp), nothing,
            )  # fmt: skip
            judged = listeners[speak] & self.ears.numbers.used[v]
            heard = self.ears.judge(voices, judged, poses, surroundings.background)
            listeners[speak] = False
            arrived = heard.failed == HEARD_IT
            listeners[speak[heard.number[arrived]], heard.agent[arrived]] = True
        return listeners
