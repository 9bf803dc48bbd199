"""The clock, the batch, and one tick."""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.body.columns import GivenColumns
from snelk.body.scene import Senses
from snelk.body.world import PoseRoom, World
from snelk.chance import stream_at_once
from snelk.config.models import Setup
from snelk.config.players import players_of
from snelk.config.scenario import Scenario, as_scenario
from snelk.engine.columns import CountStageColumns, JudgeStageColumns, TickStageColumns
from snelk.engine.copies import Copies
from snelk.engine.followed import JudgeStage
from snelk.engine.listening import Listening
from snelk.engine.noises import NoiseMaker
from snelk.engine.replay import replayed_poses, tick_times
from snelk.engine.resetting import Keepers, Slots
from snelk.engine.stage import (
    ACTIVE,
    ASK,
    BEGIN_TO_OPEN,
    CATCH,
    COUNT,
    FIND_WAYS,
    FINISH,
    FINISHES,
    GATHER,
    GLANCE,
    HALTS,
    JUDGE,
    JUDGE_VOICES,
    MISPLACE,
    NOISES_AT,
    NOTHING,
    OVER,
    PHASE,
    PREPARE,
    PREPARES,
    ROOM_FOR_COPIES,
    ROOM_FOR_EARS,
    ROOM_FOR_MESSAGES,
    ROOM_FOR_NOISES,
    ROOM_FOR_TRAILS,
    ROOM_FOR_VOICES,
    TAKE,
    TELL_CLUES,
    TELL_ENDS,
    TELL_NEWS,
    TELL_STUCK,
    TICK,
    WAITS,
    TickStage,
)
from snelk.engine.tally import CountStage
from snelk.engine.throws import Thrower
from snelk.engine.ticking import advance
from snelk.errors import InputError
from snelk.level.columns import ZoneColumns, frozen, laid_out
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
from snelk.mind.places import Places
from snelk.mind.sharing import Saying, Sharing
from snelk.mind.stage import MindStage
from snelk.senses.awake import awake_of, in_one_piece
from snelk.senses.bodies import Poses, bodies_of
from snelk.senses.columns import (
    AirColumns,
    AroundColumns,
    BodyColumns,
    ContactColumns,
    ContactNumberColumns,
    LightColumns,
    SenseStageColumns,
    SightColumns,
    SmellStageColumns,
    SurroundingColumns,
    TrailColumns,
)
from snelk.senses.contact import Contacts, contact_numbers
from snelk.senses.doors import opened_at_first
from snelk.senses.ears import Ears
from snelk.senses.hearing import BY_KIND, Heard, Noises, hearing_numbers
from snelk.senses.light import light_numbers
from snelk.senses.sight import LOGGED, NEEDED, Sight, SightLimits, sight_limits, sight_numbers
from snelk.senses.stage import SenseStage, SmellStage
from snelk.senses.surroundings import Surroundings, around_of
from snelk.senses.trails import Trails, air_numbers
from snelk.senses.turns import Turns

Numbers = NDArray[np.float64]

ONLY_TELLS = {MISPLACE, TELL_CLUES, TELL_ENDS, TELL_NEWS, TELL_STUCK}
"""What is done in Python and lets nothing be due, nor be in another place in memory."""


NO_EVENTS = {
    ROOM_FOR_NOISES, ROOM_FOR_EARS, ROOM_FOR_MESSAGES, ROOM_FOR_TRAILS, ROOM_FOR_COPIES,
    ROOM_FOR_VOICES, JUDGE, JUDGE_VOICES, MISPLACE,
}  # fmt: skip
"""What is done in Python and is no event."""


class Simulation:
    """A batch of variants of one scenario, stepped tick by tick.

    All state has the leading axes (variant, agent, target); one ordinary run is a batch of one.

    Args:
        scenario: What to replay: its TOML file, or what `load` returned.
        variants: The overrides of each variant, by key path; variants can differ in anything but
            the cast, who of them are agents, and the clock.
        setups: Those numbers themselves, in place of `variants`.
        pushed: Whether a game says at each tick where those are who have tracks or stand, in
            `given`, instead of the tracks.
        logged: Whether everything for tables is computed; else only what decides what happens.

    Attributes:
        given: Where they are: (tick or 1, variant or 1, character).
        setups: The numbers of each variant.
        level: The level.
        names, agents: All characters, and those that sense, in the order of the cast.
        times: Times of all ticks, s.
        limits: The limits of everybody's cones from now on.
        light: (variant, character) light on everybody at the last computed tick, 0 to 1.
        surroundings: The place everybody is in; overwritten by the next tick.
        listening: What all agents hear, and noises still to be heard.
        sharing: The telling of all agents, and messages on their way.
        sight: The results of all last looks; overwritten by the next tick.
        contacts: The results of touch, the zone sense and smell; overwritten by the next tick.
        trails: Where everybody went, as long as any nose minds it.
        meters: Everybody's meter for everybody; overwritten by the next tick.
        beliefs: The beliefs of all about all; overwritten by the next tick.
        laid_beliefs: The same as compiled loops read it.
        memory_numbers: The numbers of everybody's memory.
        world: Everybody's alert states, activities and bodies.
        thrower: What was thrown at this tick.
        awake: For each sense (variant, agent) how awake it is from now on.
        awake_then: The same as it was at the last computed tick.
        last: (variant,) the tick at which the run ended because somebody was caught, or -1.
        copies: Copies of what ticks leave; none unless some are asked for.
        counts: The measures that ticks are added to; none unless some are asked for.
        judges: The expectations that ticks are held against; the same.
        before_forgetting: Called with the time of a tick, s, before its events are forgotten.

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
        setups: Sequence[Setup] = (),
        pushed: bool = False,
        logged: bool = True,
    ) -> None:
        if not variants:
            raise InputError.of("variants", "", "[]", "must hold at least one variant")
        self.scenario = scenario = as_scenario(scenario)
        changed = (scenario.changed(overrides).setup for overrides in variants)
        self.setups = list(setups) or list(changed)
        first = self.setups[0]
        for index, setup in enumerate(self.setups):
            for what in ("agents", "clock"):
                if getattr(setup, what) != getattr(first, what):
                    rule = f"variants of one batch must have the same {what}"
                    raise InputError.of("variants", f"[{index}]", "", rule, "run it apart")
            if players_of(setup) != players_of(scenario.setup):
                rule = "all variants of a batch must have the same simulated players"
                fix = "write them into the scenario itself"
                raise InputError.of("variants", f"[{index}]", "", rule, fix)
            if list(setup.cast) != list(first.cast):
                rule = "all variants of a batch must have the same cast"
                raise InputError.of("variants", f"[{index}]", "", rule, "run it apart")
        self.names = tuple(first.cast)
        self.agents = first.agents
        played = scenario.played
        self.level = Level.of(scenario.level)
        self.times: NDArray[np.float64] = tick_times(first.clock, scenario.tracks)
        self.numbers = frozen(sight_numbers(self.setups))
        self._awake_now, self.awake, self.limits = _awake_and_limits(self.setups)
        self.bodies = frozen(bodies_of(self.setups))
        self.lights = frozen(light_numbers(self.setups, self.level.lit))
        self.light = np.full((len(self.setups), len(self.names)), np.nan)
        self._at = np.zeros(COUNT + 1, dtype=np.int64)
        self._dt = first.clock.dt
        replayed = self.times[:1] if pushed else self.times
        self.given = replayed_poses(self.setups, scenario.tracks, replayed, self.level)
        self._pushed = pushed
        self._asked = LOGGED if logged else NEEDED
        self.sight = Sight.blank(self.numbers)
        self.meter_numbers = frozen(meter_numbers(self.setups))
        self.meters = Meters.blank(self.numbers)
        profiles = [[setup.profile_of(name) for name in self.agents] for setup in self.setups]
        looks = [[profile.look_every for profile in row] for row in profiles]
        self._looks = Turns(looks, self._dt)
        level = self.level
        self.around = around_of(self.setups, level)  # a tick overwrites its lights
        self.opened = opened_at_first(self.setups, level)
        self.thrower = Thrower(
            self.setups, scenario.throws, self.level, self.bodies, self.times, self.opened
        )
        self.hearing_numbers = frozen(hearing_numbers(self.setups))
        self.ears = Ears(
            self.hearing_numbers,
            self.awake["hearing"],
            self.bodies,
            self.numbers.characters,
            self.names,
            self.level,
            self.opened,
        )
        # Who played a game did not know yet when it would end.
        last = len(self.times) - 1 if played is None and not pushed else -1
        self.listening = Listening(self.setups, self.ears, self.times, last=last)
        pairs = self.numbers.notices.shape
        self.memory_numbers = frozen(memory_numbers(self.setups))
        self.beliefs = Beliefs.blank(pairs)
        self.laid_beliefs = laid_out(BeliefColumns, self.beliefs)
        self.places = Places(self.setups, self.meter_numbers)
        zones = [zone.name for zone, _ in scenario.level.zones]
        self.contact_numbers = frozen(contact_numbers(self.setups, zones))
        self.contacts = Contacts.blank(self.numbers.notices.shape)
        self.sharing = Sharing(
            self.setups,
            self.numbers.notices,
            self.ears,
            laid_out(BodyColumns, self.bodies),
            self.laid_beliefs,
            laid_out(NewsColumns, self.listening.news),
            laid_out(ContactColumns, self.contacts),
            self._dt,
            logged=logged,
        )
        self.trails = Trails.blank(len(self.setups), len(self.names))
        self.world = World(
            self.setups,
            self.level,
            scenario.tracks,
            self.numbers,
            self.limits,
            self.bodies,
            self.memory_numbers,
            self._awake_now,
            tuple(self.awake),
            self.around,
            self.opened,
            scenario.changes,
            played.effects if played is not None else (),
            self._dt,
            grows=pushed or first.ground == "grows",
            shows=logged,
        )
        self._awake_then = self._awake_now.copy()
        self.awake_then = dict(zip(self.awake, self._awake_then, strict=True))
        self.last = np.full(len(self.setups), -1)
        given = laid_out(GivenColumns, self.given)
        self._placed, self._rooms = self.world.rooms_for_poses(given, pushed=pushed)
        self.surroundings = Surroundings.blank(self.poses, self.around)
        self.maker = NoiseMaker(
            self.setups, scenario.noises, self.level, self.times, self.thrower,
            self.surroundings.moved, played.noises if played is not None else (),
        )  # fmt: skip
        self._fresh_at = -1  # the tick whose events are kept
        self.before_forgetting: Callable[[float], None] | None = None
        self._lay_out()
        keepers = Keepers(
            self.world, self.listening, self.sharing, self.maker, self.places, self.sight,
            self.meters, self.contacts, self.beliefs,
        )  # fmt: skip
        self._slots = Slots(keepers)

    @property
    def tick(self) -> int:
        """The tick that `step` computes next."""
        return int(self._at[TICK])

    @property
    def _room(self) -> PoseRoom:
        """Everybody's poses at the tick that is computed, or was last."""
        now = self.tick if self._at[PHASE] else max(self.tick - 1, 0)
        return self._rooms[now % 2]

    @property
    def poses(self) -> Poses:
        """Everybody's poses at the last computed tick; overwritten by the tick after the next."""
        return self._room.poses

    @property
    def poses_of_ticks(self) -> tuple[Poses, Poses]:
        """Everybody's poses at even and at odd ticks; overwritten in turn."""
        return self._rooms[0].poses, self._rooms[1].poses

    @property
    def laid_poses(self) -> Poses:
        """The poses as compiled loops read them."""
        return self._room.laid

    def _lay_out(self) -> None:
        """All that compiled loops read and write at each tick."""
        level = self.level
        scratch = scratch_for(level.grid, self.opened, also=level.solid_grid)
        self._whose_looks = np.zeros_like(self._looks.ticks, dtype=np.bool_)
        numbers, limits = self.world.outlook.numbers, self.world.outlook.limits
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
            grid=level.laid_grid,
            solid_grid=level.laid_solid_grid,
            scratch=scratch,
            sight=sight,
            contact_numbers=laid_out(ContactNumberColumns, self.contact_numbers),
            awake=self._awake_now,
            contacts=contacts,
        )
        self._senses_stage = laid_out(SenseStageColumns, senses)
        noses = bool(self.contact_numbers.smells.any())
        scent_grid = level.laid_scent_grid if noses else level.laid_grid
        self._smells_stage = SmellStage(
            used=noses,
            notices=self.numbers.notices,
            bodies=senses.bodies,
            surroundings=surroundings,
            air=laid_out(AirColumns, air_numbers(self.setups, level, self.contact_numbers)),
            trails=laid_out(TrailColumns, self.trails),
            numbers=senses.contact_numbers,
            awake=self.awake["smell"],
            grid=scent_grid,
            scratch=scratch_for(scent_grid, self.opened),
            contacts=contacts,
        )
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
            told=laid_out(NewsColumns, self.sharing.news),
            grid=level.laid_feet_grid,
            scratch=scratch_for(level.feet_grid, self.opened),
            beliefs=self.laid_beliefs,
        )
        self._minds_stage = laid_out(MindStageColumns, minds)
        self._senses = [
            Senses(
                room.poses, room.laid, self.laid_beliefs, self.surroundings, self.light,
                self.sight, self.contacts, self.listening.loudness, self.meters, self.beliefs,
                self.sharing.told, self.sharing.told_rank, self.places,
            )
            for room in self._rooms
        ]  # fmt: skip
        self.world.lay_out(self._senses[0])
        self._next_effect = np.full(1, np.inf)
        self._take_up()

    def __getstate__(self) -> dict[str, Any]:
        """All but what is laid out again; see `snelk.runs.saving`."""
        return {
            **vars(self),
            "_parts": (),
            "_stage": None,
            "_left": {},
            "copies": None,
            "counts": [],
            "judges": [],
        }

    def __setstate__(self, state: dict[str, Any]) -> None:
        vars(self).update(state)
        self._take_up()

    def _take_up(self) -> None:
        """Lay out one tick, and register what loops leave to Python."""
        self._parts: tuple[Any, ...] = ()
        self.copies = Copies(len(self.times))
        self.counts: list[CountStage] = []
        self.judges: list[JudgeStage] = []
        self._renew()
        self._left = {
            GATHER: self._gather,
            ROOM_FOR_NOISES: self._make_room_for_noises,
            ROOM_FOR_EARS: self._make_room_for_ears,
            JUDGE: self._judge,
            MISPLACE: self._misplace,
            ROOM_FOR_MESSAGES: self._make_room_for_messages,
            ROOM_FOR_TRAILS: self._make_room_for_trails,
            ROOM_FOR_COPIES: lambda: self.copies.make_room(),
            PREPARE: self.world.prepare,
            TAKE: self._take,
            CATCH: self.world.catch,
            TELL_ENDS: self.world.thinking.tell_ends,
            ASK: self.world.thinking.ask_others,
            FIND_WAYS: self._find_ways,
            TELL_NEWS: self.world.thinking.tell_news,
            BEGIN_TO_OPEN: self.world.begin_to_open,
            GLANCE: self.world.glance,
            TELL_STUCK: self.world.tell_stuck,
            FINISH: self._finish,
            TELL_CLUES: self.world.tell_clues,
            ROOM_FOR_VOICES: self.sharing.make_room,
            JUDGE_VOICES: self._judge_voices,
        }

    def _movable(self) -> tuple[Any, ...]:
        """What loops read and may be in another place after Python has done something."""
        maker, sharing, listening, thinking = (
            self.maker, self.sharing, self.listening, self.world.thinking,
        )  # fmt: skip
        return (
            self.world.motion.now, maker.made.laid, maker.noises.laid, maker.order, listening.stage,
            sharing.going.laid, sharing.came.laid, sharing.stage, sharing.voices.laid,
            sharing.voiced.laid, thinking.walks, self._smells_stage,
            self.copies.stage, *self.counts, *self.judges, *thinking.stages,
        )  # fmt: skip

    def _renew(self) -> None:
        """Let loops read and write what has got another place in memory; lay out all at first."""
        parts = self._movable()
        if len(parts) == len(self._parts) and all(map(operator.is_, parts, self._parts)):
            return
        maker, sharing, world, listening = self.maker, self.sharing, self.world, self.listening
        world.thinking.make_room()
        self._parts = self._movable()
        stages = world.thinking.stages
        even, odd = self._rooms
        stage = TickStage(
            dt=self._dt,
            times=self.times,
            at=self._at,
            next_effect=self._next_effect,
            is_pushed=self._pushed,
            placed=self._placed,
            even_poses=even.laid,
            odd_poses=odd.laid,
            even_room=even.to_write,
            odd_room=odd.to_write,
            moving=world.motion.now,
            look_every=self._looks.ticks,
            looks=self._whose_looks,
            senses=self._senses_stage,
            smells=laid_out(SmellStageColumns, self._smells_stage),
            steps=maker.steps,
            made=maker.made.laid,
            made_count=maker.made.held,
            noises=maker.noises.laid,
            noises_made_at=maker.noises.made_at,
            noises_count=maker.noises.held,
            order=maker.order,
            numbered=maker.numbered,
            listens=listening.stage,
            draws=self.places.stage,
            any_drawn=self.places.any_can,
            tells=sharing.stage,
            any_tells=sharing.any_tells,
            voices=sharing.voices.laid,
            voices_count=sharing.voices.held,
            voiced=sharing.voiced.laid,
            voiced_count=sharing.voiced.held,
            going=sharing.going.laid,
            going_count=sharing.going.held,
            came=sharing.came.laid,
            came_count=sharing.came.held,
            minds=self._minds_stage,
            awake=self._awake_now,
            awake_then=self._awake_then,
            bodies=world.stage,
            ignored=world.ignored,
            named=world.named,
            upkeep=world.upkeep,
            ladders=world.ladders.stage,
            roams=stages[0],
            rounds=stages[1],
            flights=stages[2],
            searches=stages[3],
            walks=world.thinking.walks,
            counts=[laid_out(CountStageColumns, each) for each in self.counts],
            judges=[laid_out(JudgeStageColumns, each) for each in self.judges],
            copies=self.copies.stage,
        )
        self._stage = laid_out(TickStageColumns, stage)

    def make_ready(self) -> None:
        """Find paths now, so that no tick takes long because it is the first to need them.

        What comes of the run is the same.
        """
        self.world.make_ready()
        if self.agents:
            self.ears.make_ready()
        stream_at_once(0)  # which loads what it draws with

    def tick_at(self, t: float) -> int:
        """The number of the tick at a time, s."""
        return int(np.searchsorted(self.times, t - self._dt / 2))

    @property
    def noises(self) -> Noises:
        """The noises made since the tick before the last computed one."""
        return self.maker.noises.noises()

    @property
    def heard(self) -> Heard:
        """The results of noises at ears that listened at the last tick."""
        return self.listening.heard.heard()

    @property
    def any_told(self) -> bool:
        """Whether any message arrived at the last tick."""
        return self.sharing.came.count > 0

    @property
    def told(self) -> list[Message]:
        """The messages that arrived at the last tick."""
        return self.sharing.came.messages()

    @property
    def said(self) -> list[Saying]:
        """The messages of the last tick, and whom they reached."""
        return self.sharing.said

    @property
    def done(self) -> bool:
        """Whether all ticks have been computed, or every variant has ended before."""
        return self.tick >= len(self.times) or bool(self._at[OVER])

    def step(self) -> float:
        """Compute one tick and return its time, s.

        Raises:
            StopIteration: The run is over.
        """
        if self.done:
            raise StopIteration(f"the run ended after {self.tick} ticks")
        tick = self.tick
        self.advance(tick + 1)
        return float(self.times[tick])

    def advance(self, until: int, *, halts: bool = False) -> None:
        """Compute all ticks before an index, or until the run is over, or `copies` are full.

        Events are those of the last tick only; see `before_forgetting`. `halts` ends with the first
        tick at which there may be any.
        """
        world, at = self.world, self._at
        at[ACTIVE], at[PREPARES] = world.active, world.prepares
        at[HALTS] = halts
        self._note_what_is_due()
        self._renew()
        while (left := advance(self._stage, until)) != NOTHING:
            self._freshen(self.tick)
            self._left[left]()
            if halts and left not in NO_EVENTS:
                until = min(until, self.tick + 1)
            if left not in ONLY_TELLS:
                self._note_what_is_due()
                self._renew()
        self._freshen(self.tick - 1)

    def _freshen(self, tick: int) -> None:
        """Forget what happened at other ticks than one."""
        if tick != self._fresh_at:
            if self.before_forgetting is not None and self._fresh_at >= 0:
                self.before_forgetting(float(self.times[self._fresh_at]))
            self._fresh_at = tick
            self.world.begin_tick(tick, float(self.times[tick]), self._senses[tick % 2])
            self.sharing.alarmed = []
            self.thrower.flights = []

    def _note_what_is_due(self) -> None:
        """Note when Python has to do something, and whether it has to end the tick."""
        outcomes = self.world.outcomes
        self._at[NOISES_AT] = self.maker.due_at
        self._next_effect[0] = outcomes.next_time
        ends = outcomes.noises or outcomes.alarms or self.world.newly_ended or outcomes.turned
        comes = outcomes.spawned or outcomes.put or outcomes.gone
        self._at[FINISHES] = bool(ends) or bool(comes)

    def _gather(self) -> None:
        tick = self.tick
        self.maker.gather(tick, float(self.times[tick]), self.poses)

    def _judge(self) -> None:
        background = self.surroundings.background
        self.listening.judge(self.maker.noises, self.laid_poses, background)

    def _make_room_for_noises(self) -> None:
        self.maker.make_room(int(self._at[COUNT]))

    def _make_room_for_ears(self) -> None:
        self.listening.make_room(self.maker.noises.count)

    def _make_room_for_messages(self) -> None:
        self.sharing.came.make_room(self.sharing.going.count)

    def _make_room_for_trails(self) -> None:
        self.trails = self.trails.with_room()
        trails = laid_out(TrailColumns, self.trails)
        self._smells_stage = self._smells_stage._replace(trails=trails)

    def _misplace(self) -> None:
        self.listening.misplace(self.maker.noises)

    def _let_in(self) -> None:
        """Remove, spawn and put into states, after everything else of a tick."""
        world = self.world
        for v, who in world.outcomes.gone:
            if (a := world.agent_of(who)) >= 0:
                world.thinking.let_go(v, a)
        for spawn in world.outcomes.spawned:
            self._slots.renew(spawn.variant, spawn.who, self.tick)
            self.trails.forget(spawn.variant, spawn.who)
            world.let_in(spawn)
        for put in world.outcomes.put:
            if not world.outcomes.removed[put.variant, put.who]:
                world.put(put)

    def _take(self) -> None:
        self._at[WAITS] = self.world.take_transitions()

    def _find_ways(self) -> None:
        self.world.thinking.find_ways(self.world.stage, int(self._at[COUNT]))

    def _finish(self) -> None:
        """Spawn characters, end variants, and make the noises and alarms of effects."""
        world, tick, poses = self.world, self.tick, self.poses
        if world.company.keeps_apart:
            world.company.make_room()
        self._let_in()
        if world.newly_ended:
            world.newly_ended = False
            self.last[world.ended & (self.last < 0)] = tick
            self._at[OVER] = bool(world.ended.all())
        for v, a, kind in world.outcomes.noises:
            p, j = v if len(poses.x) > 1 else 0, int(self.numbers.characters[a])
            if not poses.present[p, j]:  # it is put into a state while it is absent
                continue
            reach = self.setups[v].noise_kinds[kind].reach
            self.maker.give(
                kind, poses.place(v, j), reach, self.names[j], variant=v, source=BY_KIND
            )
        for v, name, kind, by in world.outcomes.door_noises:
            reach = self.setups[v].noise_kinds[kind].reach
            place, who = world.doors.place_of(name), self.names[by] if by >= 0 else None
            self.maker.give(kind, place, reach, who, variant=v, source=BY_KIND)
        if world.outcomes.turned:
            world.doors.settle()
            world.mind_turns()
        if world.doors.changed.any():
            self.listening.mind_doors()
            world.mind_doors()
        world.mind_clues(self.sharing.stage)
        for alarm in world.outcomes.alarms:
            rank = world.ladders.rank_of(alarm.variant, alarm.teller)
            count = self.sharing.alarm(tick, alarm, self.laid_poses, rank)
            world.outcomes.tell_alarm(alarm, count)

    def _judge_voices(self) -> None:
        self.sharing.judge(self.laid_poses, self.surroundings.background)


def _awake_and_limits(
    setups: Sequence[Setup],
) -> tuple[Numbers, dict[str, Numbers], SightLimits]:
    """(sense, variant, agent) how awake everybody is, the same by sense, and the cones' limits."""
    limits = sight_limits(setups)
    whole, awake = in_one_piece({**awake_of(setups), "sight": limits.awake})
    return whole, awake, limits._replace(awake=awake["sight"])
