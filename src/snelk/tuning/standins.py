"""Stand-ins at many positions, and who senses them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from snelk.config.minds import Movement
from snelk.config.models import Setup
from snelk.config.scenario import Scenario
from snelk.config.words import GAITS, POSTURES
from snelk.engine.listening import Listening
from snelk.level.columns import ZoneColumns, laid_out, plain
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
from snelk.mind.memory import Beliefs, News, memory_numbers
from snelk.mind.meter import Meters, meter_numbers, suspicion
from snelk.mind.stage import MindStage
from snelk.mind.updating import mind
from snelk.senses.awake import awake_of, in_one_piece
from snelk.senses.bodies import Poses, bodies_of
from snelk.senses.columns import (
    AroundColumns,
    BodyColumns,
    ContactColumns,
    ContactNumberColumns,
    LightColumns,
    PoseColumns,
    SenseStageColumns,
    SightColumns,
    SightLimitColumns,
    SightNumberColumns,
    SurroundingColumns,
)
from snelk.senses.contact import Contacts, contact_numbers
from snelk.senses.doors import opened_at_first
from snelk.senses.ears import Ears
from snelk.senses.hearing import Noises, hearing_numbers
from snelk.senses.light import light_numbers
from snelk.senses.sensing import sense as sense_all
from snelk.senses.sight import (
    IN_VIEW,
    LIMITS,
    NEEDED,
    Sight,
    limits_in_states,
    sight_limits,
    sight_numbers,
)
from snelk.senses.stage import SenseStage
from snelk.senses.stores import NoiseStore
from snelk.senses.surroundings import Surroundings, around_of
from snelk.senses.turns import Turns
from snelk.tuning.columns import WatchStageColumns
from snelk.tuning.watched import WatchStage
from snelk.tuning.watching import watch_tick

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
N = TypeVar("N", bound=tuple[Any, ...])

Stance = Literal["standing", "crouched", "prone", "walking"]

STANCES: tuple[Stance, ...] = ("standing", "crouched", "prone", "walking")

SLACK = 1e-9

TOGETHER = 32
"""So many stand-ins stand in one variant: they are nothing to one another."""


@dataclass(frozen=True)
class Rounds:
    """What everybody did without the target, at each tick."""

    times: Numbers
    poses: Poses  # (tick, character) each
    awake: dict[str, Numbers]  # by sense, (tick, agent)
    states: NDArray[np.int16]  # (tick, agent) the alert state in which they sensed
    opened: NDArray[np.bool_]  # (tick, wall) which doors stood open
    zone_light: Numbers  # (tick, zone) light inside
    first: int  # which tick of the run is the first of these

    def between(self, first: int, last: int) -> Rounds:
        """Some of these ticks; the last is left out."""
        some, poses = slice(first, last), list[Any]()
        poses += [values[some] for values in self.poses]
        return Rounds(
            self.times[some],
            Poses(*poses),
            {sense: values[some] for sense, values in self.awake.items()},
            self.states[some],
            self.opened[some],
            self.zone_light[some],
            self.first + first,
        )


@dataclass(frozen=True)
class Job:
    """Data that all positions share."""

    scenario: Scenario
    target: str
    stance: Stance
    watching: tuple[str, ...]
    rounds: Rounds


class Sensed(NamedTuple):
    """The results of stand-ins at some positions: as in `Coverage`."""

    full: Numbers
    by: NDArray[np.int64]
    highest: Numbers
    watched: Truths


def sense(job: Job, low: int, places: Numbers) -> tuple[int, Sensed]:
    """Put the stand-in at some places, and let everybody pass."""
    stand_ins = StandIns(job, places)
    count, ticks = len(places), len(job.rounds.times)
    full, by = np.full(count, np.nan, np.float64), np.full(count, -1, dtype=np.int64)
    highest, watched = np.zeros(count), np.zeros((ticks, count), dtype=np.bool_)
    watching, stage = np.array(stand_ins.watching, dtype=np.int32), None
    for tick, (sight, contacts, meters) in enumerate(stand_ins.pass_by()):
        if stage is None:
            metered = stand_ins.metered[watching]
            stage = laid_out(
                WatchStageColumns,
                WatchStage(sight, contacts, meters, watching, metered, full, by, highest, watched),
            )
        watch_tick(stage, tick, float(job.rounds.times[tick] - job.rounds.times[0]))
    return low, Sensed(np.round(full, 9), by, highest, np.ascontiguousarray(watched.T))


class StandIns:
    """StandIns at some places, many in a variant; one alone if it has a lamp that shines on others.

    They come before all other characters, and are the only targets: nobody else is of interest.

    Args:
        job: What is the same for all.
        places: (places, 3) where they are, m.
        heard: Whether it matters what ears make of them; of those who walk on the spot if None.
        together: So many stand in one variant at most.
        doors_apart: Whether doors may stand otherwise in each variant.
    """

    def __init__(
        self,
        job: Job,
        places: Numbers,
        *,
        heard: bool | None = None,
        together: int = TOGETHER,
        doors_apart: bool = False,
    ) -> None:
        self.job, self.places = job, places
        scenario, setup = job.scenario, job.scenario.setup
        self.level = level = Level.of(scenario.level)
        names, self.agents, self.dt = list(setup.cast), setup.agents, setup.clock.dt
        target, one = names.index(job.target), [setup]
        lamps = light_numbers(one, level.lit)
        self.each = each = 1 if lamps.lamp[0, target] > 0.0 else min(together, len(places))
        self.variants = count = -(-len(places) // each)
        self.others = [n for n in range(len(names)) if n != target]
        self.order = np.array([*[target] * each, *self.others])
        self.names = [names[n] for n in self.order]
        index = {n: each + at for at, n in enumerate(self.others)} | {target: 0}
        only, whose = np.full(each, target), [index[n] for n in sight_numbers(one).characters]
        characters = np.array(whose, dtype=np.int32)
        numbers, contact = sight_numbers(one), contact_numbers(one, _zones_of(scenario))
        numbers = numbers._replace(
            characters=characters,
            notices=np.ascontiguousarray(numbers.notices[:, :, only]),
            cares=np.ascontiguousarray(numbers.cares[:, :, only]),
        )
        contact = contact.of_targets(only)._replace(characters=characters)
        bodies = _in_order(bodies_of(one), self.order)
        bodies.blocks[:, :each] = 0.0
        self.watching = [self.agents.index(name) for name in job.watching]
        self.numbers = spread(numbers, count, but=("characters",))
        self.limits = spread(sight_limits(one), count)
        awake = {sense: np.repeat(row, count, axis=0) for sense, row in awake_of(one).items()}
        self._awake, self.awake = in_one_piece({**awake, "sight": self.limits.awake})
        self.limits = self.limits._replace(awake=self.awake["sight"])
        self.contact = spread(contact, count, but=("characters",))
        self.bodies = spread(bodies, count)
        self.lights = spread(_in_order(lamps, self.order), count)
        self.meter = spread(meter_numbers(one), count)
        around = around_of(one, level)
        self.opened = opened_at_first(one, level)  # overwritten
        if doors_apart:
            self.opened = np.repeat(self.opened, count, axis=0)
        self.around = spread(around, count, but=("zone_background",))
        self.turns = Turns([[setup.profile_of(a).look_every for a in self.agents]] * count, self.dt)
        self.metered = self.meter.used[0]
        # Whose surroundings matter: the stand-ins', and those of ears while they walk.
        heard = job.stance == "walking" if heard is None else heard
        asked = [*range(each), *characters] if heard else range(each)
        self.whom = np.unique(np.array([*asked], np.int32))
        self._in_states = limits_in_states(one)[:, 0]  # (limit, agent, state, cone)
        self._states = np.full(len(self.agents), -1)
        self._others = [values[:, self.others] for values in job.rounds.poses]
        self._steps = _Footsteps(self) if job.stance == "walking" else None

    def pass_by(self) -> Iterator[tuple[Sight, Contacts, Meters]]:
        """What all agents sense of the stand-ins at each tick, and their meters."""
        rounds, steps = self.job.rounds, self._steps
        rooms = [self.room() for _ in range(2)]
        senses, minds = self.stages(rooms[0][0])
        surroundings = plain(plain(senses).surroundings)
        first = rounds.first
        for tick in range(len(rounds.times)):
            (poses, laid), (_, before) = rooms
            rooms.reverse()
            self.place_others(poses, tick)
            if self.let_all_be_as(tick) and steps is not None:
                steps.listening.mind_doors()
            looks = self.turns.at(first + tick) | (tick == 0)
            sense_all(senses, laid, before if tick else laid, looks)
            surroundings.speed[:, : self.each] = steps.speed if tick and steps is not None else 0.0
            if steps is not None:
                loudness = plain(minds).loudness
                steps.hear(tick, laid, surroundings.background, loudness)
            mind(minds, laid, before if tick else laid)
            yield plain(senses).sight, plain(senses).contacts, plain(minds).meters

    def place_others(self, poses: Poses, tick: int) -> None:
        """Write down where all others are at a tick of the rounds."""
        columns: Any = poses
        for values, rows in zip(columns, self._others, strict=True):
            values[:, self.each :] = rows[tick]

    def let_all_be_as(self, tick: int) -> bool:
        """Set senses, limits, lights and doors of a tick; return whether a door changed."""
        rounds = self.job.rounds
        for which, awake in self.awake.items():
            awake[...] = rounds.awake[which][tick]
        if (self._states != rounds.states[tick]).any():
            self._states = rounds.states[tick]
            agent = np.arange(len(self._states))
            for name, in_states in zip(LIMITS, self._in_states, strict=True):
                getattr(self.limits, name)[...] = in_states[agent, self._states]
        self.around.zone_light[...] = rounds.zone_light[tick]
        turned = bool((self.opened != rounds.opened[tick]).any())
        if turned:
            self.opened[...] = rounds.opened[tick]
        return turned

    def room(self) -> tuple[Poses, Poses]:
        """Room for everybody's poses, with the stand-in at each place; and as loops read it."""
        shape, stance = (self.variants, len(self.names)), self.job.stance
        x, y, z, heading = np.zeros((4, *shape))
        posture, gait = np.zeros((2, *shape), dtype=np.int8)
        poses = Poses(x, y, z, heading, posture, gait, np.ones(shape, dtype=np.bool_))
        at = np.divmod(np.arange(len(self.places)), self.each)
        poses.x[at], poses.y[at], poses.z[at] = self.places.T
        stand_ins = slice(0, self.each)
        poses.present[:, stand_ins] = False  # there may be room for more
        poses.present[at] = True
        poses.posture[:, stand_ins] = 0 if stance == "walking" else POSTURES.index(stance)
        poses.gait[:, stand_ins] = GAITS.index("walking" if stance == "walking" else "still")
        return poses, laid_out(PoseColumns, poses)

    def stages(self, poses: Poses) -> tuple[SenseStage, MindStage]:
        """The senses and meters of all, as in a run."""
        level, pairs = self.level, self.numbers.notices.shape
        surroundings = Surroundings.blank(poses, self.around)
        numbers = laid_out(SightNumberColumns, self.numbers)
        limits = laid_out(SightLimitColumns, self.limits)
        around = laid_out(SurroundingColumns, surroundings)
        sight = laid_out(SightColumns, Sight.blank(self.numbers))
        contacts = laid_out(ContactColumns, Contacts.blank(pairs))
        senses = SenseStage(
            dt=self.dt,
            asked=NEEDED,
            everybody=self.whom,
            bodies=laid_out(BodyColumns, self.bodies),
            zones=laid_out(ZoneColumns, level.zones),
            around=laid_out(AroundColumns, self.around),
            surroundings=around,
            lights=laid_out(LightColumns, self.lights),
            light=np.full(poses.x.shape, np.nan),
            numbers=numbers,
            limits=limits,
            grid=level.laid_grid,
            solid_grid=level.laid_solid_grid,
            scratch=scratch_for(level.grid, self.opened, also=level.solid_grid),
            sight=sight,
            contact_numbers=laid_out(ContactNumberColumns, self.contact),
            awake=self._awake,
            contacts=contacts,
        )
        memory = memory_numbers([self.job.scenario.setup])
        minds = MindStage(
            dt=self.dt,
            remembers=False,
            numbers=numbers,
            limits=limits,
            surroundings=around,
            sight=sight,
            contacts=contacts,
            loudness=np.zeros(pairs),
            meter_numbers=laid_out(MeterNumberColumns, self.meter),
            meters=laid_out(MeterColumns, Meters.blank(self.numbers)),
            memory_numbers=laid_out(MemoryNumberColumns, spread(memory, self.variants)),
            heard=laid_out(NewsColumns, News.blank(pairs)),
            told=laid_out(NewsColumns, News.blank(pairs)),
            grid=level.laid_feet_grid,
            scratch=scratch_for(level.feet_grid, self.opened),
            beliefs=laid_out(BeliefColumns, Beliefs.blank(pairs)),
        )
        return laid_out(SenseStageColumns, senses), laid_out(MindStageColumns, minds)


def suspicions(sight: Sight, contacts: Contacts, meters: Meters, metered: Truths) -> Numbers:
    """(variant, agent, target) how sure each is; `metered` tells which agents have a meter."""
    if metered.all():
        return meters.value
    sensed = (sight.failed == IN_VIEW).any(axis=3) | contacts.felt
    return suspicion(meters.value, sensed, metered[:, None])


class _Footsteps:
    """The footsteps of stand-ins that walk on the spot, and who hears them.

    They walk as fast as halfway between creeping and running, or as their profile says.
    """

    def __init__(self, stand_ins: StandIns) -> None:
        job, places, order = stand_ins.job, stand_ins.places, stand_ins.order
        scenario, setup = job.scenario, job.scenario.setup
        self.rounds, self.dt, self.each = job.rounds, setup.clock.dt, stand_ins.each
        self.places, level = places, Level.of(scenario.level)
        steps, movement = setup.body_of(job.target).steps, movement_of(setup, job.target)
        self.speed = 1.4
        if movement is not None:
            self.speed = movement.walking
        elif steps is not None:
            self.speed = (steps.creep_below + steps.run_above) / 2.0
        self.stride = steps.stride if steps is not None else np.inf
        factor = np.ones(len(places))
        for zone, _ in level.data.zones:
            if zone.ground is not None:
                inside = level.within(zone.name, *places.T)
                factor[inside] = setup.grounds[zone.ground]
        self.reach = factor * (steps.walking if steps is not None else 0.0)
        count = stand_ins.variants
        hearing = hearing_numbers([setup])
        makers = np.append(order, len(setup.cast))  # the last is nobody
        hearing = hearing._replace(cares=np.ascontiguousarray(hearing.cares[:, :, makers]))
        self.hearing = spread(hearing, count, but=("seeds",))._replace(seeds=hearing.seeds * count)
        self.awake = np.repeat(awake_of([setup])["hearing"], count, axis=0)
        ears = Ears(
            self.hearing, self.awake, stand_ins.bodies, stand_ins.numbers.characters,
            stand_ins.names, level, stand_ins.opened,
        )  # fmt: skip
        # Ears take turns by the ticks of the run.
        times = np.concatenate([np.zeros(job.rounds.first), job.rounds.times])
        self.listening = Listening([setup] * count, ears, times, last=len(times) - 1)
        self.walked = 0.0

    def hear(self, tick: int, poses: Poses, background: Numbers, loudness: Numbers) -> None:
        """The steps since the tick before, and how loud they are to everybody."""
        self.awake[...] = self.rounds.awake["hearing"][tick]
        t = float(self.rounds.times[tick])
        before = self.walked
        self.walked += self.speed * self.dt if tick else 0.0
        ends = np.arange(int(before / self.stride) + 1, int(self.walked / self.stride + SLACK) + 1)
        made = [t - (self.walked - end * self.stride) / self.speed for end in ends]
        count = len(self.places)
        noises = _noises(self, np.repeat(made, count), np.tile(np.arange(count), len(made)))
        now = self.rounds.first + tick
        self.listening.step(now, NoiseStore.of(noises, now), poses, background)
        loudness[...] = self.listening.loudness[:, :, : self.each]


def movement_of(setup: Setup, name: str) -> Movement | None:
    """The movement settings of a character; None if its profile has none."""
    profile = setup.cast[name].profile
    return setup.profiles[profile].movement if profile is not None else None


def _noises(steps: _Footsteps, t: Numbers, place: NDArray[np.intp]) -> Noises:
    none = np.full(len(t), -1, dtype=np.intp)
    x, y, z = steps.places[place].T if len(t) else np.zeros((3, 0))
    variant, by = np.divmod(place.astype(np.intp), steps.each)
    gait = np.full(len(t), GAITS.index("walking"), dtype=np.intp)
    index = np.arange(len(t), dtype=np.intp)
    return Noises(
        variant, index, t.astype(np.float64), np.zeros(len(t), dtype=np.intp), gait, none,
        x.copy(), y.copy(), z.copy(), steps.reach[place], by, none,
    )  # fmt: skip


def _zones_of(scenario: Scenario) -> list[str]:
    return [zone.name for zone, _ in scenario.level.zones]


def _in_order(numbers: N, order: NDArray[np.intp]) -> N:
    """Numbers of characters, (variant, character, ...), in another order."""
    return type(numbers)(*(np.ascontiguousarray(values[:, order]) for values in numbers))


def spread(numbers: N, count: int, *, but: tuple[str, ...] = ()) -> N:
    """Numbers of one variant for many."""
    names: tuple[str, ...] = numbers._fields  # type: ignore[attr-defined]  # all are NamedTuples
    values = (
        value if name in but else np.repeat(value, count, axis=0)
        for name, value in zip(names, numbers, strict=True)
    )
    return type(numbers)(*values)
