"""The clock, the batch, and one tick."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.body.columns import GivenColumns
from snelk.body.scene import Senses
from snelk.body.world import World
from snelk.config.scenario import Scenario, as_scenario
from snelk.engine.listening import Listening
from snelk.engine.noises import NoiseMaker
from snelk.engine.replay import replayed_poses, tick_times
from snelk.engine.throws import Thrower
from snelk.engine.turns import Turns
from snelk.errors import InputError
from snelk.level.columns import GridColumns, ZoneColumns, frozen, laid_out
from snelk.level.grid import scratch_for
from snelk.level.level import Level
from snelk.mind.columns import (
    BeliefColumns,
    MemoryNumberColumns,
    MeterColumns,
    MeterNumberColumns,
    MindStageColumns,
    NewsColumns,
)
from snelk.mind.memory import Beliefs, memory_numbers
from snelk.mind.messages import Message
from snelk.mind.meter import Meters, meter_numbers
from snelk.mind.minding import mind
from snelk.mind.places import Places
from snelk.mind.sharing import Saying, Sharing
from snelk.mind.stage import MindStage
from snelk.senses.awake import awake_of
from snelk.senses.bodies import Poses, bodies_of
from snelk.senses.columns import (
    AroundColumns,
    BodyColumns,
    ContactColumns,
    ContactNumberColumns,
    LightColumns,
    SenseStageColumns,
    SightColumns,
    SurroundingColumns,
)
from snelk.senses.contact import Contacts, contact_numbers
from snelk.senses.ears import Ears
from snelk.senses.hearing import BY_KIND, Heard, Noises, hearing_numbers
from snelk.senses.light import light_numbers
from snelk.senses.sensing import sense
from snelk.senses.sight import LOGGED, NEEDED, Sight, sight_limits, sight_numbers
from snelk.senses.stage import SenseStage
from snelk.senses.surroundings import Surroundings, around_of


class Simulation:
    """A batch of variants of one scenario, stepped tick by tick.

    All state has the leading axes (variant, agent, target); one ordinary run is a batch of one.

    Args:
        scenario: What to replay: its TOML file, or what `load` returned.
        variants: For each variant the numbers it changes, by key path; they may differ in
            anything but who is in the cast, who of them are agents, and the clock.
        pushed: Whether a game says at each tick where those are who have tracks or stand, in
            `given`, instead of the tracks.
        logged: Whether all is worked out that tables show; else only what decides what happens.

    Attributes:
        given: Where they are: (tick or 1, variant or 1, character).
        setups: The numbers of each variant.
        level: The level.
        names, agents: All characters, and those that sense, in the order of the cast.
        times: Times of all ticks, s.
        tick: The tick that `step` computes next.
        poses: Everybody's poses at the last computed tick; overwritten by the tick after the next.
        laid_poses: The same as compiled loops read them.
        limits: The limits of everybody's cones from now on.
        light: (variant, character) light on everybody at the last computed tick, 0 to 1.
        surroundings: The place everybody is in; overwritten by the next tick.
        sight: What everybody's last look came to; overwritten by the next tick.
        contacts: What touch and the zone sense came to; overwritten by the next tick.
        meters: Everybody's meter for everybody; overwritten by the next tick.
        beliefs: What everybody believes of everybody; overwritten by the next tick.
        laid_beliefs: The same as compiled loops read it.
        memory_numbers: The numbers of everybody's memory.
        world: Everybody's alert states, activities and bodies.
        thrower: What was thrown at this tick.
        awake: For each sense (variant, agent) how awake it is from now on.
        awake_then: The same as it was at the last computed tick.
        last: (variant,) the tick at which the run ended because somebody was caught, or -1.

    >>> import snelk
    >>> simulation = Simulation(snelk.load(snelk.croft() / "night.toml"))
    >>> simulation.step()
    0.0
    >>> simulation.sight.distance.shape == (1, len(simulation.agents), len(simulation.names))
    True
    """

    def __init__(
        self,
        scenario: str | Path | Scenario,
        *,
        variants: Sequence[Mapping[str, Any]] = ({},),
        pushed: bool = False,
        logged: bool = True,
    ) -> None:
        if not variants:
            raise InputError.of("variants", "", "[]", "must hold at least one variant")
        self.scenario = scenario = as_scenario(scenario)
        self.setups = [scenario.changed(overrides).setup for overrides in variants]
        first = self.setups[0]
        for index, setup in enumerate(self.setups):
            for what in ("agents", "clock"):
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
        self.numbers = frozen(sight_numbers(self.setups))
        self.limits = sight_limits(self.setups)
        self.awake = {**awake_of(self.setups), "sight": self.limits.awake}
        self.bodies = frozen(bodies_of(self.setups))
        self.lights = frozen(light_numbers(self.setups))
        self.light = np.full((len(self.setups), len(self.names)), np.nan)
        self.tick = 0
        self._dt = first.clock.dt
        replayed = self.times[:1] if pushed else self.times
        self.given = replayed_poses(self.setups, scenario.tracks, replayed)
        self._pushed = pushed
        self._asked = LOGGED if logged else NEEDED
        self.sight = Sight.blank(self.numbers)
        self.meter_numbers = frozen(meter_numbers(self.setups))
        self.meters = Meters.blank(self.numbers)
        profiles = [[setup.profile_of(name) for name in self.agents] for setup in self.setups]
        looks = [[profile.look_every for profile in row] for row in profiles]
        self._look_turns = Turns(looks, self._dt)
        self._everybody_looks = np.ones_like(self._look_turns.at(0))
        level = self.level
        self.around = frozen(around_of(self.setups, level.zone_light, level.zone_background))
        self.thrower = Thrower(self.setups, scenario.throws, self.level, self.bodies, self.times)
        self.hearing_numbers = frozen(hearing_numbers(self.setups))
        self.ears = Ears(
            self.hearing_numbers,
            self.awake["hearing"],
            self.bodies,
            self.numbers.characters,
            self.names,
            self.level,
        )
        self.listening = Listening(self.setups, self.ears, self.times)
        pairs = self.numbers.notices.shape
        self.memory_numbers = frozen(memory_numbers(self.setups))
        self.beliefs = Beliefs.blank(pairs)
        self.laid_beliefs = laid_out(BeliefColumns, self.beliefs)
        self.places = Places(self.setups, self.meter_numbers, self._dt)
        self._sharing = Sharing(
            self.setups,
            self.numbers.notices,
            self.ears,
            laid_out(BodyColumns, self.bodies),
            self.laid_beliefs,
            self._dt,
            logged=logged,
        )
        zones = [zone.name for zone, _ in scenario.level.zones]
        self.contact_numbers = frozen(contact_numbers(self.setups, zones))
        self.contacts = Contacts.blank(self.numbers.notices.shape)
        self.world = World(
            self.setups,
            self.level,
            scenario.tracks,
            self.numbers,
            self.limits,
            self.bodies,
            self.memory_numbers,
            self.awake,
            self._dt,
            grows=pushed,
            shows=logged,
        )
        self.awake_then = {sense: values.copy() for sense, values in self.awake.items()}
        self.last = np.full(len(self.setups), -1)
        self._all_ended = False
        self._laid_given = laid_out(GivenColumns, self.given)
        self.poses, self.laid_poses = self._poses_at(0)
        self.surroundings = Surroundings.blank(self.poses, self.around)
        self.maker = NoiseMaker(
            self.setups, scenario.noises, self.level, self.times, self.thrower,
            self.surroundings.moved,
        )  # fmt: skip
        self._lay_out()

    def _lay_out(self) -> None:
        """All that compiled loops read and write at each tick."""
        level, scratch = self.level, scratch_for(self.level.grid)
        numbers, limits = self.world.outlook[1:3]
        surroundings = laid_out(SurroundingColumns, self.surroundings)
        sight = laid_out(SightColumns, self.sight)
        contacts = laid_out(ContactColumns, self.contacts)
        senses = SenseStage(
            dt=self._dt,
            asked=self._asked,
            everybody=np.arange(len(self.names), dtype=np.int32),
            bodies=laid_out(BodyColumns, self.bodies),
            zones=laid_out(ZoneColumns, level.zones),
            around=laid_out(AroundColumns, self.around),
            surroundings=surroundings,
            lights=laid_out(LightColumns, self.lights),
            light=self.light,
            numbers=numbers,
            limits=limits,
            grid=laid_out(GridColumns, level.grid),
            solid_grid=laid_out(GridColumns, level.solid_grid),
            scratch=scratch,
            sight=sight,
            contact_numbers=laid_out(ContactNumberColumns, self.contact_numbers),
            touch_awake=self.awake["touch"],
            zone_awake=self.awake["zone"],
            contacts=contacts,
        )
        self._senses_stage = laid_out(SenseStageColumns, senses)
        minds = MindStage(
            dt=self._dt,
            remembers=bool(self.memory_numbers.used.any()),
            numbers=numbers,
            limits=limits,
            surroundings=surroundings,
            sight=sight,
            contacts=contacts,
            loudness=self.listening.loudness,
            meter_numbers=laid_out(MeterNumberColumns, self.meter_numbers),
            meters=laid_out(MeterColumns, self.meters),
            memory_numbers=laid_out(MemoryNumberColumns, self.memory_numbers),
            heard=laid_out(NewsColumns, self.listening.news),
            told=laid_out(NewsColumns, self._sharing.news),
            grid=laid_out(GridColumns, level.plan_grid),
            scratch=scratch_for(level.plan_grid),
            beliefs=self.laid_beliefs,
        )
        self._minds_stage = laid_out(MindStageColumns, minds)
        self._senses = Senses(
            self.poses, self.laid_poses, self.laid_beliefs, self.surroundings, self.light,
            self.sight, self.contacts, self.listening.loudness, self.meters, self.beliefs,
            self._sharing.told, self._sharing.told_rank, self.places,
        )  # fmt: skip

    @property
    def noises(self) -> Noises:
        """The noises made since the tick before the last computed one."""
        return self.maker.noises.noises()

    @property
    def heard(self) -> Heard:
        """What became of noises at the ears of those that listened at the last tick."""
        return self.listening.heard.heard()

    @property
    def any_told(self) -> bool:
        """Whether any message arrived at the last tick."""
        return self._sharing.came.count > 0

    @property
    def told(self) -> list[Message]:
        """The messages that arrived at the last tick."""
        return self._sharing.came.messages()

    @property
    def said(self) -> list[Saying]:
        """What was told at the last tick, and to whom it came or did not."""
        return self._sharing.said

    @property
    def done(self) -> bool:
        """Whether all ticks have been computed, or every variant has ended before."""
        return self.tick >= len(self.times) or self._all_ended

    def step(self) -> float:
        """Compute one tick and return its time, s.

        Raises:
            StopIteration: The run is over.
        """
        if self.done:
            raise StopIteration(f"the run is over after {self.tick} ticks")
        laid_before = self.laid_poses
        tick, time = self.tick, float(self.times[self.tick])
        poses, laid = self.poses, self.laid_poses = self._poses_at(tick)
        looks = self._everybody_looks if tick == 0 else self._look_turns.at(tick)
        sense(self._senses_stage, laid, laid_before, looks)
        self.maker.make(tick, time, poses, laid, laid_before)
        listening = self.listening
        listening.step(tick, self.maker.noises, laid, self.surroundings.background)
        if self.places.any_can:
            self.places.step(time, listening.judged, listening.heard)
        self._sharing.arrive(tick)
        mind(self._minds_stage, laid, laid_before)
        if self.world.active:
            for which, values in self.awake.items():
                self.awake_then[which][...] = values
            self._senses = self._senses._replace(poses=poses, laid_poses=laid)
            self.world.step(time, self._senses)
            if self.world.any_ended:
                self.last[self.world.ended & (self.last < 0)] = tick
                self._all_ended = bool(self.world.ended.all())
            self._carry_out(poses)
        self._sharing.tell(tick, laid, self.surroundings.background, self.world.ladders.ranks)
        self.tick += 1
        return time

    def _carry_out(self, poses: Poses) -> None:
        """Make the noises of the next tick, and raise the alarms, that minds came to."""
        world, tick = self.world, self.tick
        for v, a, kind in world.outcomes.noises:
            p, j = v if len(poses.x) > 1 else 0, int(self.numbers.characters[a])
            place = float(poses.x[p, j]), float(poses.y[p, j]), float(poses.z[p, j])
            reach = self.setups[v].noise_kinds[kind].reach
            self.maker.give(kind, place, reach, self.names[j], variant=v, source=BY_KIND)
        for alarm in world.outcomes.alarms:
            rank = float(world.ladders.ranks()[alarm.variant, alarm.teller])
            count = self._sharing.alarm(tick, alarm, self.laid_poses, rank)
            world.outcomes.tell_alarm(alarm, count)

    def _poses_at(self, tick: int) -> tuple[Poses, Poses]:
        # A game writes into the same row again.
        return self.world.poses(self._laid_given, 0 if self._pushed else tick)
