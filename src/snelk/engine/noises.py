"""The noises of a replay: those in files, and the footsteps of everybody who moves."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.config.played import Sound
from snelk.config.recordings import NoiseData
from snelk.config.words import GAITS, STEP
from snelk.engine.throws import Flight, Thrower
from snelk.level.columns import ZoneColumns, laid_out
from snelk.level.level import Level
from snelk.senses.bodies import Poses
from snelk.senses.columns import StepStageColumns
from snelk.senses.hearing import BY_KIND, IN_FILE, NO_GROUND, NOBODY, Noises
from snelk.senses.stage import StepStage
from snelk.senses.stores import NoiseStore

Numbers = NDArray[np.float64]

SLACK = 1e-9
"""A noise this close after a tick still belongs to it, s."""


class NoiseMaker:
    """Makes the noises of every variant, tick by tick.

    Args:
        setups: The numbers of each variant.
        recorded: The noises of files.
        level: The level.
        times: Times of all ticks, s.
        thrower: What throws.
        moved: (variant or 1, character) where it stands how far everybody went since the tick
            before, in plan, m; negative where somebody was not there all the time.
        played: By time, in s, the noises that a live game made.

    Attributes:
        words: Kinds of noise; `Noises.kind` indexes it.
        own_words: (variant,) those that each variant has by itself.
        grounds: Grounds of the level's zones; `Noises.ground` indexes it.
        noises: Those of the last tick, in the order of variants and of time.
        made: The same in the order in which they were made.
        order: Room to put them in order.
        numbered: (variant,) how many there were so far.
        steps: Everybody's footsteps, as compiled loops read and write them.
        due_at: The tick from which on `gather` has noises to gather, or anything to throw.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        recorded: NoiseData,
        level: Level,
        times: NDArray[np.float64],
        thrower: Thrower,
        moved: Numbers,
        played: Sequence[tuple[float, Sound]] = (),
    ) -> None:
        self.setups = setups
        self.thrower = thrower
        self._times = times
        self._landing: dict[int, list[Flight]] = {}
        self.names = list(setups[0].cast)
        self.level = level
        self.own_words = [
            _words_of(setup, recorded, thrown)
            for setup, thrown in zip(setups, thrower.kinds, strict=True)
        ]
        self.words = tuple(dict.fromkeys(word for own in self.own_words for word in own))
        self.grounds = grounds_of(level)
        self.made, self.noises = NoiseStore(), NoiseStore()
        self.order = np.empty(len(self.made.made_at), dtype=np.int64)
        self.numbered = np.zeros(len(setups), dtype=np.int64)
        self._given: list[tuple[int, str, tuple[float, float, float], float, int, int]] = []
        self._written = self._written_down(recorded, times)
        self._played = [(int(np.searchsorted(times + SLACK, t)), each) for t, each in played][::-1]
        self.steps = laid_out(StepStageColumns, footsteps_of(setups, level, moved))
        self.due_at = self._next_due(0)

    def give(
        self,
        kind: str,
        place: tuple[float, float, float],
        reach: float,
        by: str | None,
        *,
        variant: int = 0,
        source: int = IN_FILE,
    ) -> None:
        """Add a noise for the next tick, m; `by` is its maker, or nobody.

        `source` tells where its reach is written, as in `Noises.listed`.
        """
        if kind not in self.words:
            self.words = (*self.words, kind)
        maker = NOBODY if by is None else self.names.index(by)
        self._given.append((variant, kind, place, reach, maker, source))
        self.due_at = 0

    def mark(self) -> tuple[int, tuple[str, ...], int]:
        """A mark in the given noises, to take back those given after it."""
        return len(self._given), self.words, self.due_at

    def take_back(self, mark: tuple[int, tuple[str, ...], int]) -> None:
        """Forget the noises that were given since a mark, at this same tick."""
        count, self.words, self.due_at = mark
        del self._given[count:]

    def _taken(self, t: float) -> Noises | None:
        """The noises that were given, and none are left."""
        if not self._given:
            return None
        found = Noises.blank(len(self._given))
        for n, (v, kind, (x, y, z), reach, by, source) in enumerate(self._given):
            found.variant[n], found.t[n], found.kind[n] = v, t, self.words.index(kind)
            found.x[n], found.y[n], found.z[n], found.reach[n] = x, y, z, reach
            found.by[n], found.listed[n] = by, source
        self._given.clear()
        return found

    def gather(self, tick: int, t: float, poses: Poses) -> None:
        """Gather the noises after the tick before, up to and with this one, but for footsteps.

        Args:
            tick: The index of the tick.
            t: Its time, s.
            poses: Everybody's poses.
        """
        self.made.held[0] = 0
        while self._played and self._played[-1][0] <= tick:
            _, each = self._played.pop()
            for v in range(len(self.setups)):
                self.give(each.kind, (each.x, each.y, each.z), each.reach, each.by, variant=v)
        for some in (self._due(tick, poses), self._taken(t), self._landings(tick, poses)):
            if some is not None:
                self.made.add(some, tick)
        self.make_room(0)
        self.due_at = self._next_due(tick + 1)

    def _next_due(self, tick: int) -> int:
        """The first tick from one on at which other noises than footsteps are made, for now."""
        starts, never = self._written[0], len(self._times)
        waiting = starts[min(tick, never)]
        written = bisect_right(starts, waiting) - 1 if waiting < starts[-1] else never
        played = self._played[-1][0] if self._played else never
        return min([written, played, self.thrower.next_tick(tick), *self._landing])

    def make_room(self, strides: int) -> None:
        """Make room for more strides."""
        whole = self.made.count + strides
        self.made.make_room(whole)
        room = len(self.made.made_at)
        self.noises.make_room(room)
        if len(self.order) < room:
            self.order = np.empty(room, dtype=np.int64)

    def _written_down(
        self, recorded: NoiseData, times: NDArray[np.float64]
    ) -> tuple[list[int], Noises]:
        """All noises of files and lists in the order of ticks, and where those of a tick begin."""
        level = self.level
        spots = dict(zip(level.spot_names, level.spot_places.tolist(), strict=True))
        rows = []
        for v, setup in enumerate(self.setups):
            for n, kind in enumerate(recorded.kind):
                own = not np.isnan(recorded.reach[n])
                reach = recorded.reach[n] if own else setup.noise_kinds[kind].reach
                place = (recorded.x[n], recorded.y[n], recorded.z[n])
                source = IN_FILE if own else BY_KIND
                rows.append((v, recorded.t[n], kind, *place, reach, recorded.by[n], source))
            for n, noise in enumerate(setup.noise):
                reach = noise.reach or setup.noise_kinds[noise.kind].reach
                place: tuple[Any, ...] = (np.nan, np.nan, np.nan)
                if noise.at is not None:
                    place = (*noise.at, 0.0)
                place = place if noise.spot is None else tuple(spots[noise.spot])
                if noise.z is not None and not np.isnan(place[0]):
                    place = (*place[:2], noise.z)
                source = n if noise.reach else BY_KIND
                x, y, z = place
                rows.append((v, noise.t, noise.kind, x, y, z, reach, noise.by or "", source))
        tick = np.searchsorted(times + SLACK, [row[1] for row in rows])
        order = [
            n
            for n in np.argsort(tick, kind="stable")
            if tick[n] < len(times) and rows[n][1] >= times[0] - SLACK
        ]
        written = Noises.blank(len(order))
        for n, (v, t, kind, x, y, z, reach, by, source) in enumerate(rows[n] for n in order):
            written.variant[n], written.t[n], written.kind[n] = v, t, self.words.index(kind)
            written.x[n], written.y[n], written.z[n], written.reach[n] = x, y, z, reach
            written.listed[n] = source
            written.by[n] = self.names.index(by) if by in self.names else NOBODY
        return np.searchsorted(tick[order], np.arange(len(times) + 1)).tolist(), written

    def _due(self, tick: int, poses: Poses) -> Noises | None:
        """The scenario's noises of this tick; absent makers make none at their position."""
        starts, written = self._written
        low, high = starts[tick], starts[tick + 1]
        if low == high:
            return None
        due = written.of(np.arange(low, high))
        at_maker = np.isnan(due.x)
        if at_maker.any():
            p = due.variant if len(poses.x) > 1 else np.zeros_like(due.variant)
            for axis in ("x", "y", "z"):
                where = getattr(poses, axis)[p, due.by]
                due = due._replace(**{axis: np.where(at_maker, where, getattr(due, axis))})
            due = due.of(~at_maker | poses.present[p, due.by])
        return due

    def _landings(self, tick: int, poses: Poses) -> Noises | None:
        """Throw what is due, and make the noises of what has landed since the last tick."""
        for flight in self.thrower.step(tick, poses):
            if flight.arc is not None:
                at = int(np.searchsorted(self._times + SLACK, flight.t + flight.arc.flight))
                self._landing.setdefault(max(at, tick), []).append(flight)
        flights = self._landing.pop(tick, [])
        if not flights:
            return None
        noises = Noises.blank(len(flights))
        for n, flight in enumerate(flights):
            noises.variant[n], noises.kind[n] = flight.variant, self.words.index(flight.kind)
            noises.t[n] = flight.t + (flight.arc.flight if flight.arc else 0.0)
            noises.x[n], noises.y[n], noises.z[n] = flight.end
            noises.reach[n], noises.by[n] = flight.reach, flight.by
            setup = self.setups[flight.variant]
            written = flight.listed >= 0 and setup.throw[flight.listed].reach is not None
            noises.listed[n] = len(setup.noise) + flight.listed if written else BY_KIND
        return noises


def grounds_of(level: Level) -> tuple[str, ...]:
    """Grounds of the level's zones; `Noises.ground` indexes it."""
    return tuple(dict.fromkeys(zone.ground for zone, _ in level.data.zones if zone.ground))


def footsteps_of(setups: Sequence[Setup], level: Level, moved: Numbers) -> StepStage:
    """Pack everybody's footsteps into arrays, and nobody has walked yet.

    `moved` is where it stands how far everybody went, as `NoiseMaker` has it.
    """
    names, grounds = list(setups[0].cast), grounds_of(level)
    shape = (len(setups), len(names))
    stride = np.full(shape, np.inf)  # so that who has no steps never ends a stride
    reaches, speeds = np.zeros((*shape, len(GAITS))), np.zeros((*shape, 2))
    for v, setup in enumerate(setups):
        for j, name in enumerate(names):
            steps = setup.body_of(name).steps
            if steps is not None:
                stride[v, j] = steps.stride
                reaches[v, j] = steps.reaches()
                speeds[v, j] = steps.creep_below, steps.run_above
    zones = [zone for zone, _ in level.data.zones]
    on = [grounds.index(zone.ground) if zone.ground else NO_GROUND for zone in zones]
    loudness = [[setup.grounds[name] for name in grounds] for setup in setups]
    return StepStage(
        dt=setups[0].clock.dt,
        moved=moved,
        stride=stride,
        reaches=reaches,
        speeds=speeds,
        zones=laid_out(ZoneColumns, level.zones),
        zone_ground=np.array(on, dtype=np.int64),
        loudness=np.array(loudness, dtype=np.float64).reshape(shape[0], -1),
        walked=np.zeros(shape),
        ended=np.zeros(shape, dtype=np.int64),
    )


def _words_of(setup: Setup, recorded: NoiseData, thrown: Sequence[str]) -> tuple[str, ...]:
    """All kinds of noise that can be made in one variant."""
    ladders = [setup.profile_of(agent).ladder for agent in setup.agents]
    effects = [each for ladder in ladders if ladder for _, each in ladder.effects()]
    made = [each.noise for each in effects if each.noise]
    made += [door.noise for door in setup.doors.values() if door.noise]
    listed = [noise.kind for noise in setup.noise]
    return tuple(dict.fromkeys([STEP, *recorded.kind, *listed, *thrown, *made]))
