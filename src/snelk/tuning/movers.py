"""Moving stand-ins, many at once, each from its own state: who senses them.

The stages of the senses, of ears and of the meter are those of a run. What has to go on from tick
to tick is taken out after a stretch, and put in again before another one: so one can try how
things would go on from anywhere, as often as one likes.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import SLACK, Doors
from snelk.body.world import DOORSTEP
from snelk.config.words import GAITS
from snelk.engine.listening import Listening
from snelk.engine.noises import footsteps_of
from snelk.level.columns import laid_out, plain
from snelk.mind.meter import Meters
from snelk.mind.updating import mind
from snelk.senses.awake import awake_of
from snelk.senses.bodies import Poses
from snelk.senses.columns import StepStageColumns
from snelk.senses.ears import Ears
from snelk.senses.hearing import Noises, hearing_numbers
from snelk.senses.sensing import sense
from snelk.senses.sight import IN_VIEW, PRESENT, Sight
from snelk.senses.stage import StepStage
from snelk.senses.stepping import count_strides, make_steps
from snelk.senses.stores import NoiseStore
from snelk.tuning.batches import cores
from snelk.tuning.standins import Job, StandIns, spread, suspicions

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NONE = -1
"""Instead of a door."""

SMALLEST, MOST = 16, 2048
"""Room for so few at least; so many at most move in one thread: sharing out fewer does not pay."""

TOGETHER = 32
"""So many move in one variant: they are nothing to one another."""


class Waiting(NamedTuple):
    """Noises that somebody who listens seldom has still to judge; arrays of (noises,)."""

    state: NDArray[np.int64]  # whose they are, by row
    made_at: NDArray[np.int64]  # tick
    noises: Noises

    @classmethod
    def none(cls) -> Waiting:
        """No noises."""
        none = np.zeros(0, dtype=np.int64)
        return cls(none, none, Noises.blank(0))


class States(NamedTuple):
    """What goes on from one tick to the next, for some stand-ins: (states, ...)."""

    value: Numbers  # (states, agent) meters
    quiet: Numbers  # (states, agent) s since last sensed
    seen: Truths  # (states, agent, cone) in view at the last look
    sight: Numbers  # (states, agent, 4) distance, off, light and exposure at that look
    walked: Numbers  # (states,) since the last stride ended, m
    doors: Numbers  # (states, door that it may open) when one that it opened shuts, s; else NaN
    creaks: NDArray[np.int64]  # (states,) the door that makes its noise at the next tick, or NONE
    waiting: Waiting

    @classmethod
    def fresh(cls, count: int, agents: int, cones: int, doors: int = 0) -> States:
        """The state of stand-ins that nobody has sensed yet."""
        pairs = np.zeros((count, agents))
        seen = np.zeros((count, agents, cones), dtype=np.bool_)
        sight = np.full((count, agents, 4), np.nan)
        shut, none = np.full((count, doors), np.nan), np.full(count, NONE)
        return cls(pairs, pairs.copy(), seen, sight, np.zeros(count), shut, none, Waiting.none())

    @property
    def tends(self) -> Truths:
        """(states,) whether they have changed doors."""
        return np.asarray(~np.isnan(self.doors).all(axis=1) | (self.creaks != NONE))

    def take(self, rows: NDArray[np.intp]) -> States:
        """Some of them."""
        waits = self.waiting
        if len(waits.state):
            order = np.argsort(waits.state, kind="stable")
            keys = waits.state[order]
            low, high = np.searchsorted(keys, rows), np.searchsorted(keys, rows, side="right")
            count = high - low
            at = np.repeat(low - np.append(0, np.cumsum(count)[:-1]), count)
            picked = order[at + np.arange(len(at))]
            whose = np.repeat(np.arange(len(rows)), count)
            waits = Waiting(whose, waits.made_at[picked], waits.noises.of(picked))
        rest: list[Any] = [values[rows] for values in self[:-1]]
        return States._make([*rest, waits])

    @staticmethod
    def joined(some: list[States]) -> States:
        """All of some, one after another."""
        if len(some) == 1:
            return some[0]
        parts = list(zip(*(each[:-1] for each in some), strict=True))
        starts = np.cumsum([0, *(len(each.value) for each in some[:-1])])
        waits = [each.waiting for each in some]
        rows: Any = zip(*(each.noises for each in waits), strict=True)
        waiting = Waiting(
            np.concatenate([each.state + n for each, n in zip(waits, starts, strict=True)]),
            np.concatenate([each.made_at for each in waits]),
            Noises(*(np.concatenate(each) for each in rows)),
        )
        whole: list[Any] = [np.concatenate(part) for part in parts]
        return States._make([*whole, waiting])


class Went(NamedTuple):
    """The result of a move: (states, ...)."""

    states: States
    highest: Numbers  # (states, agent) the highest value on it; without a meter 1 if sensed


class Crowd:
    """Stand-ins that move, as many as one likes: in threads, on as many cores as there are.

    What becomes of one does not depend on the others.

    Args:
        job: As for `Movers`.
        may_open: The doors that they may open, by number.
    """

    def __init__(self, job: Job, may_open: Sequence[int] = ()) -> None:
        self.job, self.may_open = job, tuple(may_open)
        self._idle: dict[tuple[int, bool], list[Movers]] = {}
        self._pool = ThreadPoolExecutor(cores())

    def __enter__(self) -> Crowd:
        return self

    def __exit__(self, *of: object) -> None:
        self._pool.shutdown(cancel_futures=True)

    def appear(self, tick: int, place: Numbers, posture: NDArray[np.int8]) -> Went:
        """As `Movers.appear`."""
        return self._lent(len(posture), lambda movers: movers.appear(tick, place, posture))

    def go(
        self, tick: int, states: States, way: Numbers, posture: NDArray[np.int8],
        gait: NDArray[np.int8], tends: Truths | None = None,
    ) -> Went:  # fmt: skip
        """As `Movers.go`; `tends` are those that can open a door."""
        tends = states.tends if tends is None else tends | states.tends
        if not tends.any() or not len(self.may_open):
            return self._go(tick, states, way, posture, gait, tends=False)
        parts, order = [], []
        for some in (tends, ~tends):
            rows = np.flatnonzero(some)
            if len(rows):
                own = states.take(rows), way[rows], posture[rows], gait[rows]
                parts.append(self._go(tick, *own, tends=bool(some is tends)))
                order.append(rows)
        back = np.argsort(np.concatenate(order), kind="stable")
        highest = np.concatenate([part.highest for part in parts])[back]
        return Went(States.joined([part.states for part in parts]).take(back), highest)

    def _go(
        self, tick: int, states: States, way: Numbers, posture: NDArray[np.int8],
        gait: NDArray[np.int8], *, tends: bool,
    ) -> Went:  # fmt: skip
        count = len(posture)

        def go(low: int) -> Went:
            rows = np.arange(low, min(low + MOST, count))
            own = states.take(rows), way[rows], posture[rows], gait[rows]
            return self._lent(len(rows), lambda movers: movers.go(tick, *own), tends=tends)

        lows = range(0, count, MOST)
        parts = list(self._pool.map(go, lows)) if len(lows) > 1 else [go(0)]
        highest = np.concatenate([part.highest for part in parts])
        return Went(States.joined([part.states for part in parts]), highest)

    def _lent(self, count: int, use: Callable[[Movers], Went], *, tends: bool = False) -> Went:
        room = max(1 << (count - 1).bit_length(), SMALLEST)
        idle = self._idle.setdefault((room, tends), [])
        try:
            movers = idle.pop()
        except IndexError:
            movers = Movers(self.job, room, self.may_open, tends=tends)
        went = use(movers)
        idle.append(movers)
        return went


class Movers:
    """A simulation for many moving stand-ins at once.

    Args:
        job: The target, who watches, and the rounds; all of the run's.
        room: How many there are at most.
        may_open: The doors that they may open, by number.
        tends: Whether they do, as they come to them; else doors are as on the rounds.
    """

    def __init__(
        self, job: Job, room: int, may_open: Sequence[int] = (), *, tends: bool = False
    ) -> None:
        job = replace(job, stance="standing")
        self.job, self.room = job, room
        setup = job.scenario.setup
        hearing = hearing_numbers([setup])
        target = list(setup.cast).index(job.target)
        steps = setup.body_of(job.target).steps
        ears = [a for a in range(len(setup.agents)) if hearing.cares[0, a, target]]
        self._walls, self._tends = np.array(may_open, dtype=np.intp), tends
        self._mine = np.zeros((room, len(self._walls)), dtype=np.bool_)
        self._shuts, self._creaks = np.full(self._mine.shape, np.nan), np.full(room, NONE)
        self._heard = (steps is not None or tends) and bool(ears)
        self._stand_ins = stand_ins = StandIns(
            job, np.zeros((room, 3)), heard=self._heard, together=1 if tends else TOGETHER,
            doors_apart=tends,
        )  # fmt: skip
        if tends:
            lights = stand_ins.around.zone_light.copy()
            self._doors = Doors([setup] * room, stand_ins.level, stand_ins.opened, lights)
            self._radii = np.array([setup.body_of(name).radius for name in setup.cast])
            self._radii = self._radii[stand_ins.order]
            self._opened_then = stand_ins.opened.copy()
        self.each = stand_ins.each
        ignored = np.ones(len(setup.agents), dtype=np.bool_)
        ignored[stand_ins.watching] = False
        stand_ins.numbers.notices[:, ignored] = False
        self._ignored, self._metered = ignored, stand_ins.metered | ignored
        self._slots = np.divmod(np.arange(room), self.each)
        self._rooms = [stand_ins.room() for _ in range(2)]
        for poses, _ in self._rooms:
            poses.present[:, : self.each] = False
        self._senses, self._minds = stand_ins.stages(self._rooms[0][1])
        whole: Any = plain(self._senses)
        self._sight: Sight = plain(whole.sight)
        self._contacts = plain(whole.contacts)
        self._surroundings = plain(whole.surroundings)
        self._meters: Meters = plain(plain(self._minds).meters)
        self._loudness = plain(self._minds).loudness
        self._watching = np.array(stand_ins.watching, dtype=np.intp)
        self.agents, self.cones = stand_ins.numbers.cares.shape[1], stand_ins.numbers.cares.shape[3]
        self._times = job.rounds.times
        if self._heard:
            self._lay_out_ears(target)

    def _lay_out_ears(self, target: int) -> None:
        """Footsteps of all stand-ins, and the ears that may hear them."""
        stand_ins, setup = self._stand_ins, self.job.scenario.setup
        count, makers = stand_ins.variants, np.append(stand_ins.order, len(setup.cast))
        hearing = hearing_numbers([setup])
        hearing = hearing._replace(
            cares=np.ascontiguousarray(hearing.cares[:, :, makers]),
            place_error=np.zeros_like(hearing.place_error),  # nobody asks where it seemed to be
        )
        hearing.cares[:, self._ignored] = False
        hearing = spread(hearing, count, but=("seeds",))._replace(seeds=hearing.seeds * count)
        self._ears_awake = np.repeat(awake_of([setup])["hearing"], count, axis=0)
        ears = Ears(
            hearing, self._ears_awake, stand_ins.bodies, stand_ins.numbers.characters,
            stand_ins.names, stand_ins.level, stand_ins.opened,
        )  # fmt: skip
        last = len(self._times) - 1
        self._listening = Listening([setup] * count, ears, self._times, last=last)
        self._acuity = hearing.acuity[0]
        moved = self._surroundings.moved
        one = footsteps_of([setup], stand_ins.level, moved)
        order = stand_ins.order
        stride = np.where(order == target, one.stride[0, target], np.inf)[None]
        self._steps = laid_out(
            StepStageColumns,
            one._replace(
                moved=moved,
                stride=np.repeat(stride, count, axis=0),
                reaches=np.repeat(one.reaches[:, order], count, axis=0),
                speeds=np.repeat(one.speeds[:, order], count, axis=0),
                loudness=np.repeat(one.loudness, count, axis=0),
                walked=np.zeros((count, len(order))),
                ended=np.zeros((count, len(order)), dtype=np.int64),
            ),
        )
        self._noises = NoiseStore()
        stage: Any = plain(self._listening.stage)
        self._seldom = np.flatnonzero(stage.seldom[0] & hearing.cares[0, :, 0])

    def appear(self, tick: int, place: Numbers, posture: NDArray[np.int8]) -> Went:
        """Appear at a tick, at a position, in each of some postures."""
        count = len(posture)
        fresh = States.fresh(count, self.agents, self.cones, len(self._walls))
        way = np.repeat(place[None, None], count, axis=0)
        still = np.full(count, GAITS.index("still"), dtype=np.int8)
        return self._go(tick - 1, fresh, way, posture, still, comes=True)

    def go(
        self, tick: int, states: States, way: Numbers, posture: NDArray[np.int8],
        gait: NDArray[np.int8],
    ) -> Went:  # fmt: skip
        """Move on from a tick.

        Args:
            tick: The tick at which they are in these states, and at the first of their places.
            states: What goes on.
            way: (states, ticks + 1, 3) where they are at each tick from then on, m.
            posture: (states,) from the next tick on.
            gait: (states,) from this tick on.
        """
        return self._go(tick, states, way, posture, gait)

    def _go(
        self, tick: int, states: States, way: Numbers, posture: NDArray[np.int8],
        gait: NDArray[np.int8], *, comes: bool = False,
    ) -> Went:  # fmt: skip
        count, whom = len(posture), self._watching
        at = self._slots[0][:count], self._slots[1][:count]
        self._put_in(tick, states, at)
        highest = np.where(self._stand_ins.metered, states.value, 0.0)
        before, now = self._rooms
        self._stand_ins.place_others(before[0], max(tick, 0))
        before[0].present[:, : self.each] = False
        before[0].present[at] = not comes
        before[0].x[at], before[0].y[at], before[0].z[at] = way[:, 0].T
        for poses, _ in (before, now):
            poses.gait[at] = gait
        ticks = range(tick + 1, tick + 2) if comes else range(tick + 1, tick + way.shape[1])
        for n, when in enumerate(ticks, start=0 if comes else 1):
            poses = now[0]
            self._stand_ins.place_others(poses, when)
            poses.present[:, : self.each] = False
            poses.present[at] = True
            poses.x[at], poses.y[at], poses.z[at] = way[:, n].T
            poses.posture[at] = posture
            self._tick(when, now, before)
            sure = suspicions(self._sight, self._contacts, self._meters, self._metered)
            highest = np.maximum(highest, sure[at[0], :, at[1]])
            before, now = now, before
        only = np.zeros(self.agents, dtype=np.bool_)
        only[whom] = True
        return Went(self._taken_out(tick + len(ticks), at), np.where(only, highest, 0.0))

    def _tick(self, tick: int, now: tuple[Poses, Any], before: tuple[Poses, Any]) -> None:
        stand_ins, t = self._stand_ins, float(self._times[tick])
        turned = stand_ins.let_all_be_as(tick)
        if self._tends:
            stand_ins.opened[:, self._walls] |= self._mine
            turned = bool((stand_ins.opened != self._opened_then).any())
            self._opened_then[...] = stand_ins.opened
        if turned and self._heard:
            self._listening.mind_doors()
        looks = stand_ins.turns.at(tick) | (tick == 0)
        sense(self._senses, now[1], before[1], looks)
        if self._heard:
            self._ears_awake[...] = self.job.rounds.awake["hearing"][tick]
            made, strides = self._noises, count_strides(self._steps) if tick else 0
            made.make_room(strides)
            made.held[0] = 0
            if strides:
                made.held[0] = make_steps(self._steps, now[1], before[1], t, 0, made.laid)
                made.made_at[: made.count] = tick
            if self._tends:
                self._creak(tick)
            background = self._surroundings.background
            self._listening.step(tick, made, now[1], background)
            self._loudness[...] = self._listening.loudness[:, :, : self.each]
        mind(self._minds, now[1], before[1])
        if self._tends:
            self._tend(t, now[0], before[0])

    def _creak(self, tick: int) -> None:
        """The noises of doors that were opened, or shut again, at the tick before."""
        for v in np.flatnonzero(self._creaks != NONE).tolist():
            wall = int(self._walls[self._creaks[v]])
            kind = self._doors.rules_of(v, wall).noise
            if kind is None:
                continue
            one = Noises.blank(1)
            one.variant[0], one.by[0], one.t[0] = v, 0, self._times[tick]
            place = self._doors.place_of(self._stand_ins.level.wall_names[wall])
            one.x[0], one.y[0], one.z[0] = place
            one.reach[0] = self.job.scenario.setup.noise_kinds[kind].reach
            self._noises.add(one, tick)
        self._creaks[...] = NONE

    def _tend(self, t: float, now: Poses, before: Poses) -> None:
        """Open and shut doors, as a run does."""
        doors, there = self._doors, now.present
        here = np.stack([now.x, now.y, now.z], axis=2)
        along = here[:, 0, :2] - np.stack([before.x[:, 0], before.y[:, 0]], axis=1)
        moves = there[:, 0] & before.present[:, 0] & (np.hypot(*along.T) > SLACK)
        for v in np.flatnonzero(moves).tolist():
            radius, far = float(self._radii[0]), float(np.hypot(*along[v]))
            reach = far + DOORSTEP
            end = here[v, 0, :2] + along[v] * ((reach + radius) / far)
            wall = doors.ahead(v, here[v, 0], end[None], reach, radius)
            for d in np.flatnonzero(self._walls == wall).tolist():
                shuts = doors.rules_of(v, wall).shuts
                self._mine[v, d], self._creaks[v] = True, d
                self._shuts[v, d] = np.inf if shuts is None else t + shuts
        due = self._mine & (self._shuts <= t + SLACK)
        for v in np.flatnonzero(due.any(axis=1)).tolist():
            doors.shuts_at[v] = np.inf
            doors.shuts_at[v, self._walls] = np.where(self._mine[v], self._shuts[v], np.inf)
            for name in doors.to_shut(v, t, here[v, there[v]], self._radii[there[v]]):
                wall = doors.level.wall_names.index(name)
                for d in np.flatnonzero(self._walls == wall).tolist():
                    self._mine[v, d], self._creaks[v] = False, d

    def _put_in(self, tick: int, states: States, at: tuple[Any, Any]) -> None:
        """Let all be as these states say."""
        (v, j), sight = at, self._sight
        self._meters.value[v, :, j], self._meters.quiet[v, :, j] = states.value, states.quiet
        sight.failed[...] = PRESENT
        sight.failed[v, :, j] = np.where(states.seen, IN_VIEW, PRESENT)
        for n, values in enumerate((sight.distance, sight.off, sight.light, sight.exposure)):
            values[v, :, j] = states.sight[:, :, n]
        if self._tends:
            self._mine[...], self._creaks[...] = False, NONE
            self._shuts[v], self._creaks[v] = states.doors, states.creaks
            self._mine[v] = ~np.isnan(states.doors)
        if not self._heard:
            return
        steps: StepStage = plain(self._steps)
        steps.walked[v, j] = states.walked
        self._wait_for(tick, states.waiting)

    def _wait_for(self, tick: int, waits: Waiting) -> None:
        """Keep noises for ears that do not listen at every tick."""
        stage: Any = plain(self._listening.stage)
        store = NoiseStore()
        if len(waits.state):
            v, j = self._slots[0][waits.state], self._slots[1][waits.state]
            store.add(waits.noises._replace(variant=v, by=j), 0)
        count, agent = store.count, np.arange(self.agents)
        if count > len(stage.waiting_at):
            self._listening.make_room(count)
            stage = plain(self._listening.stage)
        rows: Any = plain(stage.waiting)
        for mine, theirs in zip(rows, store.rows, strict=True):
            mine[:count] = theirs[:count]
        stage.waiting_at[:count] = waits.made_at
        stage.waiting_count[0], stage.now[:] = count, (-1, 0)
        stage.heard_count[0] = 0
        stage.loudness[...] = 0.0
        every = stage.every[0]
        stage.last[...] = np.maximum(tick - (tick - agent) % every, -1)

    def _taken_out(self, tick: int, at: tuple[Any, Any]) -> States:
        """How these go on after a tick."""
        (v, j), sight = at, self._sight
        seen = sight.failed[v, :, j] == IN_VIEW
        four = (sight.distance, sight.off, sight.light, sight.exposure)
        looked = np.stack([values[v, :, j] for values in four], axis=2)
        looked[~seen.any(axis=2)] = np.nan
        value = self._meters.value[v, :, j]
        quiet = np.where(value > 0.0, self._meters.quiet[v, :, j], 0.0)
        walked, waits = np.zeros(len(v)), Waiting.none()
        if self._heard:
            walked = plain(self._steps).walked[v, j]
            waits = self._left_to_hear(tick)
        shuts = np.full((len(v), len(self._walls)), np.nan)
        creaks = np.full(len(v), NONE)
        if self._tends:
            shuts[self._mine[v]] = self._shuts[v][self._mine[v]]
            creaks = self._creaks[v]
        return States(value, quiet, seen, looked, walked, shuts, creaks, waits)

    def _left_to_hear(self, tick: int) -> Waiting:
        """The noises that somebody may still hear when it listens again."""
        stage: Any = plain(self._listening.stage)
        held = int(stage.waiting_count[0])
        if not held or not len(self._seldom):
            return Waiting.none()
        noises, made_at = Noises(*(each[:held] for each in plain(stage.waiting))), stage.waiting_at
        open_to = np.zeros(held, dtype=np.bool_)
        rounds, characters = self.job.rounds, self._stand_ins.numbers.characters
        for a in self._seldom.tolist():
            every = int(stage.every[0, a])
            turn = min(tick + every - (tick - a) % every, len(self._times) - 1)
            limit = noises.reach * self._acuity[a] * rounds.awake["hearing"][turn, a]
            c = self._stand_ins.others[int(characters[a]) - self.each]
            poses = rounds.poses
            away = np.hypot(noises.x - poses.x[turn, c], noises.y - poses.y[turn, c])
            last = tick - (tick - a) % every
            open_to |= (made_at[:held] > last) & (away <= limit + 1e-6)
        rows = np.flatnonzero(open_to)
        kept = noises.of(rows)
        whose = (kept.variant * self.each + kept.by).astype(np.int64)
        return Waiting(whose, made_at[rows].copy(), kept)
