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
from snelk.engine.turns import Turns
from snelk.level.grid import scratch_for
from snelk.level.level import Level
from snelk.mind.filling import fill
from snelk.mind.meter import REACHED, Meters, meter_numbers
from snelk.senses.awake import awake_of
from snelk.senses.bodies import Poses, bodies_of
from snelk.senses.contact import SENSED, Contacts, contact_numbers
from snelk.senses.ears import Ears
from snelk.senses.feeling import feel
from snelk.senses.hearing import Noises, hearing_numbers
from snelk.senses.light import light_numbers
from snelk.senses.seeing import see
from snelk.senses.shining import shine
from snelk.senses.sight import (
    IN_VIEW,
    LIMITS,
    NEEDED,
    Sight,
    limits_in_states,
    sight_limits,
    sight_numbers,
)
from snelk.senses.stores import NoiseStore
from snelk.senses.surrounding import surround
from snelk.senses.surroundings import Surroundings, around_of

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
N = TypeVar("N", bound=tuple[Any, ...])

Stance = Literal["standing", "crouched", "prone", "walking"]

STANCES: tuple[Stance, ...] = ("standing", "crouched", "prone", "walking")

SLACK = 1e-9

DUMMY = 0
"""The number of the character that the dummy is."""


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
        job, level, j = self.job, self.level, DUMMY
        rounds, count = job.rounds, len(self.places)
        sight, meters = Sight.blank(self.numbers), Meters.blank(self.numbers)
        contacts = Contacts.blank(self.numbers.notices.shape)
        light = np.full((count, len(self.names)), np.nan)
        loudness = np.zeros(self.numbers.notices.shape)
        scratch = scratch_for(level.grid)
        surroundings = Surroundings.blank(self._poses(0), self.around)
        speed = self._steps.speed if self._steps is not None else 0.0
        limits = limits_in_states([self.job.scenario.setup])[:, 0]  # (limit, agent, state, cone)
        agent = np.arange(limits.shape[1])
        first = round((rounds.times[0] - job.scenario.setup.clock.start) / self.dt)
        poses = self._poses(0)
        for tick in range(len(rounds.times)):
            before, poses = poses, self._poses(tick)
            for sense, values in self.awake.items():
                if tick == 0 or (rounds.awake[sense][tick] != rounds.awake[sense][tick - 1]).any():
                    values[...] = rounds.awake[sense][tick]
            if tick == 0 or (rounds.states[tick] != rounds.states[tick - 1]).any():
                for name, values in zip(LIMITS, limits, strict=True):
                    getattr(self.limits, name)[...] = values[agent, rounds.states[tick]]
            surround(poses, before, self.dt, level.zones, self.around, self.whom, surroundings)
            surroundings.speed[:, j] = speed if tick else 0.0
            feel(
                self.numbers.notices, poses, self.bodies, surroundings.zones, self.contact,
                self.awake["touch"], self.awake["zone"], level.solid_grid, scratch, contacts,
            )  # fmt: skip
            shine(
                poses,
                self.bodies,
                self.lights,
                surroundings.light,
                self.whom,
                level.grid,
                scratch,
                light,
            )
            looks = self.turns.at(first + tick) | (tick == 0)
            looks = np.ascontiguousarray(np.broadcast_to(looks, self.numbers.notices.shape[:2]))
            see(
                poses, self.bodies, light, self.numbers, self.limits, level.grid, scratch, looks,
                NEEDED, sight,
            )  # fmt: skip
            if self._steps is not None:
                self._steps.hear(tick, poses, surroundings.background, loudness)
            fill(
                self.numbers.notices, poses.posture, surroundings.speed, self.numbers.cones,
                self.limits.range, self.limits.half_fov, sight, contacts.touch, contacts.zone,
                loudness, self.meter, self.dt, meters,
            )  # fmt: skip
            a = self.watching
            seen = (sight.failed[:, :, j] == IN_VIEW).any(axis=2)[:, a]
            felt = (contacts.touch[:, a, j] == SENSED) | (contacts.zone[:, a, j] == SENSED)
            value = np.where(self.metered[a], meters.value[:, a, j], (seen | felt) * 1.0)
            yield seen.any(axis=1), value

    def _poses(self, tick: int) -> Poses:
        """Everybody as they passed, and the dummy at each place."""
        stance = self.job.stance
        rows = (values[tick, self.order] for values in self.job.rounds.poses)
        poses = Poses(*(np.repeat(row[None], len(self.places), axis=0) for row in rows))
        poses.x[:, DUMMY], poses.y[:, DUMMY] = self.places.T
        poses.z[:, DUMMY], poses.heading[:, DUMMY] = 0.0, 0.0
        poses.posture[:, DUMMY] = 0 if stance == "walking" else POSTURES.index(stance)
        poses.gait[:, DUMMY] = GAITS.index("walking" if stance == "walking" else "still")
        poses.present[:, DUMMY] = True
        return poses


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
    number = np.arange(len(t), dtype=np.intp)
    return Noises(
        place.astype(np.intp), number, t.astype(np.float64), np.zeros(len(t), dtype=np.intp), gait,
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
