"""The clock, the batch, and one tick."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.scenario import Scenario
from snelk.engine.noises import NoiseMaker
from snelk.engine.replay import replayed_poses, tick_times
from snelk.errors import InputError
from snelk.level.compiled import Direct
from snelk.level.level import Level
from snelk.level.rays import scratch_for
from snelk.mind.memory import Beliefs, News, memory_numbers, remember
from snelk.mind.meter import Meters, fill, meter_numbers
from snelk.mind.sharing import Message, Sharing
from snelk.senses.bodies import Poses, bodies_of
from snelk.senses.contact import SENSED, Contacts, contact_numbers, feel
from snelk.senses.hearing import HEARD, NOBODY, Ears, Heard, Noises, hearing_numbers
from snelk.senses.light import light_numbers, shine
from snelk.senses.sight import IN_VIEW, Sight, see, sight_numbers
from snelk.senses.surroundings import Surroundings, around_of, surround


class Simulation:
    """A batch of variants of one scenario, stepped tick by tick.

    All state has the leading axes (variant, agent, target); one ordinary run is a batch of one.

    Args:
        scenario: What to replay.
        variants: For each variant the numbers it changes, by key path; they may differ in
            anything but who is in the cast, who of them are agents, and the clock.

    Attributes:
        setups: The numbers of each variant.
        level: The level.
        names, agents: All characters, and those that sense, in the order of the cast.
        times: Times of all ticks, s.
        tick: The tick that `step` computes next.
        poses: Everybody's poses at the last computed tick.
        light: (variant, character) light on everybody at the last computed tick, 0 to 1.
        surroundings: The place everybody is in; overwritten by the next tick.
        sight: What everybody's last look came to; overwritten by the next tick.
        noises: The noises made since the tick before.
        heard: What became of noises at the ears of those that listened at this tick.
        contacts: What touch and the zone sense came to; overwritten by the next tick.
        meters: Everybody's meter for everybody; overwritten by the next tick.
        beliefs: What everybody believes of everybody; overwritten by the next tick.
        told: The messages that arrived at this tick.

    >>> import snelk
    >>> simulation = Simulation(snelk.load(snelk.croft() / "night.toml"))
    >>> simulation.step()
    0.0
    >>> simulation.sight.distance.shape == (1, len(simulation.agents), len(simulation.names))
    True
    """

    def __init__(
        self, scenario: Scenario, *, variants: Sequence[Mapping[str, Any]] = ({},)
    ) -> None:
        if not variants:
            raise InputError.of("variants", "", "[]", "must hold at least one variant")
        self.scenario = scenario
        self.setups = [scenario.changed(changes).setup for changes in variants]
        first = self.setups[0]
        for index, setup in enumerate(self.setups):
            for what in ("agents", "clock", "walk_cell"):
                if getattr(setup, what) != getattr(first, what):
                    rule = f"variants of one batch must have the same {what}"
                    raise InputError.of("variants", f"[{index}]", "", rule, "run it apart")
            if list(setup.cast) != list(first.cast):
                rule = "variants of one batch must have the same cast"
                raise InputError.of("variants", f"[{index}]", "", rule, "run it apart")
        self.names = tuple(first.cast)
        self.agents = first.agents
        self.level = Level.of(scenario.level)
        self.times: NDArray[np.float64] = tick_times(first.clock, scenario.tracks)
        self.numbers = sight_numbers(self.setups)
        self.bodies = bodies_of(self.setups)
        self.lights = light_numbers(self.setups)
        self.light = np.full((len(self.setups), len(self.names)), np.nan)
        self.tick = 0
        self._dt = first.clock.dt
        self._replay = replayed_poses(self.setups, scenario.tracks, self.times)
        self._scratch = scratch_for(self.level.grid)
        self.sight = Sight.blank(self.numbers)
        self.meter_numbers = meter_numbers(self.setups)
        self.meters = Meters.blank(self.numbers)
        profiles = [[setup.profile_of(name) for name in self.agents] for setup in self.setups]
        self._order = np.arange(len(self.agents))
        self._look_ticks = self._ticks([[p.look_every for p in row] for row in profiles])
        self._listen_ticks = self._ticks(
            [[p.hearing.listen_every if p.hearing else 0.0 for p in row] for row in profiles]
        )
        self._surround, self._feel = Direct(surround), Direct(feel)
        self._shine, self._see, self._fill = Direct(shine), Direct(see), Direct(fill)
        self.poses = self._poses_at(0)
        level = self.level
        self._around = around_of(self.setups, level.zone_light, level.zone_background)
        self.surroundings = Surroundings.blank(self.poses, self._around)
        self.maker = NoiseMaker(self.setups, scenario.noises, self.level, self.times)
        self.noises = self.maker.nothing
        self.hearing_numbers = hearing_numbers(self.setups)
        self.ears = Ears(
            self.hearing_numbers,
            self.bodies,
            self.numbers.characters,
            self.names,
            self.level,
            first.walk_cell,
        )
        self.heard = self._silence = Heard.none()
        self._pending: list[tuple[int, Noises]] = []
        self._last_listened = np.full(self._listen_ticks.shape, -1)
        self._loudness = np.zeros(self.numbers.notices.shape)
        self._loud = False
        self.memory_numbers = memory_numbers(self.setups)
        pairs = self.numbers.notices.shape
        self.beliefs = Beliefs.blank(pairs)
        self._heard_news, self._told_news = News.blank(pairs), News.blank(pairs)
        self._sharing = Sharing(self.setups, self.numbers.notices, self.ears, self.bodies, self._dt)
        self.told: list[Message] = []
        zones = [zone.name for zone, _ in scenario.level.zones]
        self.contact_numbers = contact_numbers(self.setups, zones)
        self.contacts = Contacts.blank(self.numbers.notices.shape)

    @property
    def done(self) -> bool:
        """Whether all ticks have been computed."""
        return self.tick >= len(self.times)

    def step(self) -> float:
        """Compute one tick and return its time, s.

        Raises:
            StopIteration: All ticks have been computed.
        """
        if self.done:
            raise StopIteration(f"all {len(self.times)} ticks have been computed")
        before, self.poses = self.poses, self._poses_at(self.tick)
        poses, level, tick = self.poses, self.level, self.tick
        self._surround(poses, before, self._dt, level.zones, self._around, self.surroundings)
        self._feel(
            poses,
            self.bodies,
            self.surroundings.zones,
            self.contact_numbers,
            level.solid_grid,
            self._scratch,
            self.contacts,
        )
        self._shine(
            poses,
            self.bodies,
            self.lights,
            self.surroundings.light,
            level.grid,
            self._scratch,
            self.light,
        )
        looks = self._turns(self._look_ticks) | (tick == 0)
        self._see(
            poses,
            self.bodies,
            self.light,
            self.numbers,
            level.grid,
            self._scratch,
            looks,
            False,
            self.sight,
        )
        self.noises = self.maker.make(tick, float(self.times[tick]), poses, before)
        self.heard = self._listen()
        self._fill(
            poses.posture,
            self.surroundings.speed,
            self.numbers.cones,
            self.numbers.range,
            self.numbers.half_fov,
            self.sight,
            self.contacts.touch,
            self.contacts.zone,
            self._loudness,
            self.meter_numbers,
            self._dt,
            self.meters,
        )
        if self.memory_numbers.used.any():
            self._remember(before)
        self.tick += 1
        return float(self.times[self.tick - 1])

    def _listen(self) -> Heard:
        """Judge at every ear that listens now the noises since it listened last."""
        if self._loud:
            self._loudness[...] = 0.0
            self._heard_news.clear()
            self._loud = False
        if len(self.noises.t):
            self._pending.append((self.tick, self.noises))
        if not self._pending:
            return self._silence
        noises, judged = self._waiting()
        judged &= self.numbers.characters != noises.by[:, None]
        if not judged.any():
            return self._silence
        heard = self.ears.judge(noises, judged, self.poses, self.surroundings.background)
        known = heard.by != NOBODY
        place = heard.variant[known], heard.agent[known], heard.by[known]
        self._loud = True
        np.add.at(self._loudness, place, heard.strength[known])
        self._note_heard(heard, noises, known)
        return heard

    def _remember(self, before: Poses) -> None:
        """One tick of memory and telling."""
        self._told_news.clear()
        self.told = self._sharing.arrive(self.tick, self._told_news)
        contacts = self.contacts
        sensed = (self.sight.failed == IN_VIEW).any(axis=3)
        sensed |= (contacts.touch == SENSED) | (contacts.zone == SENSED)
        remember(
            self.poses,
            before,
            self._dt,
            sensed,
            self._heard_news,
            self._told_news,
            self.memory_numbers,
            self.level.plan_grid,
            self.beliefs,
        )
        self._sharing.tell(self.tick, self.beliefs, self.poses, self.surroundings)

    def _note_heard(self, heard: Heard, noises: Noises, known: NDArray[np.bool_]) -> None:
        """Keep the newest noise of each target that was heard, for the memories."""
        now = float(self.times[self.tick])
        made = {(v, n): t for v, n, t in zip(noises.variant, noises.number, noises.t, strict=True)}
        for pair in np.flatnonzero(known & (heard.failed == HEARD)):
            v, a, j = heard.variant[pair], heard.agent[pair], heard.by[pair]
            age = max(now - made[v, heard.number[pair]], 0.0)
            if not self._heard_news.age[v, a, j] <= age:
                spread = self.hearing_numbers.place_error[v, a] * heard.straight[pair]
                news = heard.x[pair], heard.y[pair], age, spread
                for values, value in zip(self._heard_news, news, strict=True):
                    values[v, a, j] = value

    def _waiting(self) -> tuple[Noises, NDArray[np.bool_]]:
        """The noises that somebody has not judged yet, and (noise, agent) who does so now."""
        used, last = self.hearing_numbers.used, self._last_listened
        # Nobody must miss a noise because the run ends before they would listen again.
        listens = self._turns(self._listen_ticks) | (self.tick == len(self.times) - 1)
        noises = self._pending[0][1]
        if len(self._pending) > 1:
            noises = Noises(*map(np.concatenate, zip(*(n for _, n in self._pending), strict=True)))
        made_at = np.repeat([t for t, _ in self._pending], [len(n.t) for _, n in self._pending])
        v = noises.variant
        judged = (listens & used)[v] & (made_at[:, None] > last[v])
        last[listens] = self.tick
        oldest = last[used].min(initial=self.tick)
        self._pending = [(t, some) for t, some in self._pending if t > oldest]
        return noises, judged

    def _ticks(self, every: Sequence[Sequence[float]]) -> NDArray[np.int64]:
        """(variant, agent) a period in whole ticks, at least one."""
        ticks = np.rint(np.array(every, dtype=np.float64) / self.setups[0].clock.dt)
        shape = (len(self.setups), len(self.agents))
        return np.maximum(ticks, 1).astype(np.int64).reshape(shape)

    def _turns(self, every: NDArray[np.int64]) -> NDArray[np.bool_]:
        """(variant, agent): whose turn it is at this tick; agents are staggered."""
        turns: NDArray[np.bool_] = (self.tick - self._order) % every == 0
        return turns

    def _poses_at(self, tick: int) -> Poses:
        return Poses(*(values[tick] for values in self._replay))
