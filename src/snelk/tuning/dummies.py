"""Dummies at many places, and who senses them: places take the part of variants."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.config.scenario import Scenario
from snelk.config.words import GAITS, POSTURES
from snelk.engine.listening import Listening
from snelk.level.columns import GridColumns, ZoneColumns, laid_out, plain
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
from snelk.mind.meter import REACHED, Meters, meter_numbers
from snelk.mind.minding import mind
from snelk.mind.stage import MindStage
from snelk.senses.awake import awake_of
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
from snelk.senses.contact import SENSED, Contacts, contact_numbers
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

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
N = TypeVar("N", bound=tuple[Any, ...])

Stance = Literal["standing", "crouched", "prone", "walking"]

STANCES: tuple[Stance, ...] = ("standing", "crouched", "prone", "walking")

SLACK = 1e-9

DUMMY = 0
"""The index of the character that the dummy is."""


@dataclass(frozen=True)
class Rounds:
    """What everybody did without the target, tick by tick."""

    times: Numbers
    poses: Poses  # (tick, character) each
    awake: dict[str, Numbers]  # by sense, (tick, agent)
    states: NDArray[np.int16]  # (tick, agent) the alert state in which they sensed


@dataclass(frozen=True)
class Job:
    """What is the same for all places."""

    scenario: Scenario
    target: str
    stance: Stance
    watching: tuple[str, ...]
    rounds: Rounds


class Sensed(NamedTuple):
    """What became of a dummy at some places: as in `Coverage`."""

    full: Numbers
    by: NDArray[np.int64]
    highest: Numbers
    watched: Truths


def sense(job: Job, low: int, places: Numbers) -> tuple[int, Sensed]:
    """Put the dummy at some places, and let everybody pass."""
    dummies = _Dummies(job, places)
    count, ticks = len(places), len(job.rounds.times)
    full, by = np.full(count, np.nan), np.full(count, -1, dtype=np.int64)
    highest, watched = np.zeros(count), np.zeros((count, ticks), dtype=np.bool_)
    for tick, (seen, value) in enumerate(dummies.pass_by()):
        watched[:, tick] = seen
        highest = np.maximum(highest, value.max(axis=1, initial=0.0))
        now = np.isnan(full) & (value >= 1.0 - REACHED).any(axis=1)
        full[now] = job.rounds.times[tick] - job.rounds.times[0]
        by[now] = value[now].argmax(axis=1)
    return low, Sensed(np.round(full, 9), by, highest, watched)


class _Dummies:
    """Dummies at some places, each in a variant of its own."""

    def __init__(self, job: Job, places: Numbers) -> None:
        self.job, self.places = job, places
        scenario, setup = job.scenario, job.scenario.setup
        self.level = level = Level.of(scenario.level)
        names, self.agents, self.dt = list(setup.cast), setup.agents, setup.clock.dt
        target = names.index(job.target)
        # The dummy comes first, and is the only target: nobody else is of interest.
        self.order = np.array([target, *(n for n in range(len(names)) if n != target)])
        self.names = [names[n] for n in self.order]
        place = np.argsort(self.order).astype(np.int32)
        count = len(places)
        one = [setup]
        numbers, only = sight_numbers(one), [target]
        numbers = numbers._replace(
            characters=place[numbers.characters],
            notices=np.ascontiguousarray(numbers.notices[:, :, only]),
            cares=np.ascontiguousarray(numbers.cares[:, :, only]),
        )
        contact = contact_numbers(one, [zone.name for zone, _ in scenario.level.zones])
        contact = contact._replace(
            characters=place[contact.characters],
            touch_cares=np.ascontiguousarray(contact.touch_cares[:, :, only]),
            zone_cares=np.ascontiguousarray(contact.zone_cares[:, :, only]),
        )
        self.watching = [self.agents.index(name) for name in job.watching]
        self.numbers = _spread(numbers, count, but=("characters",))
        self.limits = _spread(sight_limits(one), count)
        self.awake = {sense: np.repeat(row, count, axis=0) for sense, row in awake_of(one).items()}
        self.awake["sight"] = self.limits.awake
        self.contact = _spread(contact, count, but=("characters",))
        self.bodies = _spread(_in_order(bodies_of(one), self.order), count)
        self.lights = _spread(_in_order(light_numbers(one), self.order), count)
        self.meter = _spread(meter_numbers(one), count)
        around = around_of(one, level.zone_light, level.zone_background)
        self.around = _spread(around, count, but=("zone_light", "zone_background"))
        self.turns = Turns([[setup.profile_of(a).look_every for a in self.agents]], self.dt)
        self.metered = self.meter.used[0]
        # Whose surroundings matter: the dummy's, and those of ears while it walks.
        asked = [DUMMY, *map(self.names.index, self.agents)] if job.stance == "walking" else [DUMMY]
        self.whom = np.unique(np.array(asked, np.int32))
        self._steps = _Footsteps(job, places, self.order) if job.stance == "walking" else None

    def pass_by(self) -> Iterator[tuple[Truths, Numbers]]:
        """Per tick: (places,) whether any agent sees the dummy, (places, agent) their meters."""
        job, rounds, steps = self.job, self.job.rounds, self._steps
        rooms = [self._room() for _ in range(2)]
        senses, minds = self._stages(rooms[0][0])
        surroundings, sight = plain(plain(senses).surroundings), plain(plain(senses).sight)
        contacts, meters = plain(plain(senses).contacts), plain(plain(minds).meters)
        limits = limits_in_states([job.scenario.setup])[:, 0]  # (limit, agent, state, cone)
        agent = np.arange(limits.shape[1])
        first = round((rounds.times[0] - job.scenario.setup.clock.start) / self.dt)
        others = [values[:, self.order[1:]] for values in rounds.poses]
        for tick in range(len(rounds.times)):
            (poses, laid), (_, before) = rooms
            rooms.reverse()
            columns: Any = poses
            for values, rows in zip(columns, others, strict=True):
                values[:, 1:] = rows[tick]
            for which, awake in self.awake.items():
                if tick == 0 or (rounds.awake[which][tick] != rounds.awake[which][tick - 1]).any():
                    awake[...] = rounds.awake[which][tick]
            if tick == 0 or (rounds.states[tick] != rounds.states[tick - 1]).any():
                for name, in_states in zip(LIMITS, limits, strict=True):
                    getattr(self.limits, name)[...] = in_states[agent, rounds.states[tick]]
            looks = self.turns.at(first + tick) | (tick == 0)
            looks = np.ascontiguousarray(np.broadcast_to(looks, self.numbers.notices.shape[:2]))
            sense_all(senses, laid, before if tick else laid, looks)
            surroundings.speed[:, DUMMY] = steps.speed if tick and steps is not None else 0.0
            if steps is not None:
                loudness = plain(minds).loudness
                steps.hear(tick, laid, surroundings.background, loudness)
            mind(minds, laid, before if tick else laid)
            a = self.watching
            seen = (sight.failed[:, :, 0] == IN_VIEW).any(axis=2)[:, a]
            felt = (contacts.touch[:, a, 0] == SENSED) | (contacts.zone[:, a, 0] == SENSED)
            value = np.where(self.metered[a], meters.value[:, a, 0], (seen | felt) * 1.0)
            yield seen.any(axis=1), value

    def _room(self) -> tuple[Poses, Poses]:
        """Room for everybody's poses, with the dummy at each place; and as loops read it."""
        shape, stance = (len(self.places), len(self.names)), self.job.stance
        x, y, z, heading = np.zeros((4, *shape))
        posture, gait = np.zeros((2, *shape), dtype=np.int8)
        poses = Poses(x, y, z, heading, posture, gait, np.ones(shape, dtype=np.bool_))
        poses.x[:, DUMMY], poses.y[:, DUMMY] = self.places.T
        poses.posture[:, DUMMY] = 0 if stance == "walking" else POSTURES.index(stance)
        poses.gait[:, DUMMY] = GAITS.index("walking" if stance == "walking" else "still")
        return poses, laid_out(PoseColumns, poses)

    def _stages(self, poses: Poses) -> tuple[SenseStage, MindStage]:
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
            grid=laid_out(GridColumns, level.grid),
            solid_grid=laid_out(GridColumns, level.solid_grid),
            scratch=scratch_for(level.grid),
            sight=sight,
            contact_numbers=laid_out(ContactNumberColumns, self.contact),
            touch_awake=self.awake["touch"],
            zone_awake=self.awake["zone"],
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
            memory_numbers=laid_out(MemoryNumberColumns, _spread(memory, len(self.places))),
            heard=laid_out(NewsColumns, News.blank(pairs)),
            told=laid_out(NewsColumns, News.blank(pairs)),
            grid=laid_out(GridColumns, level.plan_grid),
            scratch=scratch_for(level.plan_grid),
            beliefs=laid_out(BeliefColumns, Beliefs.blank(pairs)),
        )
        return laid_out(SenseStageColumns, senses), laid_out(MindStageColumns, minds)


class _Footsteps:
    """The footsteps of dummies that walk on the spot, and who hears them.

    They walk as fast as halfway between creeping and running, or as their profile says.
    """

    def __init__(self, job: Job, places: Numbers, order: NDArray[np.intp]) -> None:
        scenario, setup = job.scenario, job.scenario.setup
        cast = list(setup.cast)
        names = [cast[n] for n in order]
        self.rounds, self.dt = job.rounds, setup.clock.dt
        self.places, level = places, Level.of(scenario.level)
        steps, movement = setup.body_of(job.target).steps, _movement_of(setup, job.target)
        self.speed = 1.4
        if movement is not None:
            self.speed = movement.walking
        elif steps is not None:
            self.speed = (steps.creep_below + steps.run_above) / 2.0
        self.stride = steps.stride if steps is not None else np.inf
        factor = np.ones(len(places))
        for zone, _ in level.data.zones:
            if zone.ground is not None:
                inside = level.within(zone.name, places[:, 0], places[:, 1])
                factor[inside] = setup.grounds[zone.ground]
        self.reach = factor * (steps.walking if steps is not None else 0.0)
        count = len(places)
        hearing = hearing_numbers([setup])
        makers = np.append(order, len(order))  # the last is nobody
        hearing = hearing._replace(cares=np.ascontiguousarray(hearing.cares[:, :, makers]))
        self.hearing = _spread(hearing, count, but=("seeds",))._replace(seeds=hearing.seeds * count)
        self.awake = np.repeat(awake_of([setup])["hearing"], count, axis=0)
        ears = Ears(
            self.hearing, self.awake, _spread(_in_order(bodies_of([setup]), order), count),
            np.array([names.index(agent) for agent in setup.agents], dtype=np.int32),
            names, level,
        )  # fmt: skip
        self.listening = Listening([setup] * count, ears, job.rounds.times)
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
        self.listening.step(tick, NoiseStore.of(noises, tick), poses, background)
        loudness[...] = self.listening.loudness[:, :, [DUMMY]]


def _movement_of(setup: Setup, name: str) -> Any:
    profile = setup.cast[name].profile
    return setup.profiles[profile].movement if profile is not None else None


def _noises(steps: _Footsteps, t: Numbers, place: NDArray[np.intp]) -> Noises:
    none = np.full(len(t), -1, dtype=np.intp)
    x, y = steps.places[place].T if len(t) else np.zeros((2, 0))
    by = np.full(len(t), DUMMY, dtype=np.intp)
    gait = np.full(len(t), GAITS.index("walking"), dtype=np.intp)
    index = np.arange(len(t), dtype=np.intp)
    return Noises(
        place.astype(np.intp), index, t.astype(np.float64), np.zeros(len(t), dtype=np.intp), gait,
        none, x.copy(), y.copy(), np.zeros(len(t)), steps.reach[place], by, none,
    )  # fmt: skip


def _in_order(numbers: N, order: NDArray[np.intp]) -> N:
    """Numbers of characters, (variant, character, ...), in another order."""
    return type(numbers)(*(np.ascontiguousarray(values[:, order]) for values in numbers))


def _spread(numbers: N, count: int, *, but: tuple[str, ...] = ()) -> N:
    """Numbers of one variant for many."""
    names: tuple[str, ...] = numbers._fields  # type: ignore[attr-defined]  # all are NamedTuples
    values = (
        value if name in but else np.repeat(value, count, axis=0)
        for name, value in zip(names, numbers, strict=True)
    )
    return type(numbers)(*values)
