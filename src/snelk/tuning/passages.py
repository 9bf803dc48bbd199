"""The search for the least noticed passages, over points and time steps.

A time step has some ticks. At its end there are, for each place, the arrivals than which no other
there is as good in every respect: with meters that are no higher and drain no later, and in view of
nobody else. From each of them every move and every wait is tried, with the senses and meters of a
run. So what is found is the best that these places, time steps and modes allow (a label-setting
search: Martins 1984, "On a multicriteria shortest path problem").
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import GAITS, POSTURES
from snelk.tuning.lattice import Lattice, Mode
from snelk.tuning.movers import Crowd, States
from snelk.tuning.standins import Job

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
Indices = NDArray[np.intp]

WAIT = -1
"""Instead of a move."""

NEVER = 2**40
SLACK = 1e-12

Progress = Callable[[int, int], None]


class Arrivals(NamedTuple):
    """Arrivals at points by the end of a time step; arrays of (arrivals,)."""

    place: Indices
    peak: Numbers  # the highest meter so far, 0 to 1
    far: Numbers  # m walked so far
    layer: Indices  # the time step at whose end the last move began
    row: Indices  # which of the arrivals of that one
    move: Indices  # of the lattice, or WAIT
    mode: Indices  # in which mode it was taken
    clean: Truths  # nobody has sensed anything that would be left
    doors: Indices  # how the doors stand that it opened itself: which of those met so far


class Moment(NamedTuple):
    """The end of a move on a passage: time step, point, move and mode."""

    layer: int
    place: int
    move: int
    mode: int


@dataclass(frozen=True)
class Found:
    """A passage.

    Attributes:
        peak: The highest meter on it, 0 to 1.
        layer: The time step at whose end it is there.
        moments: From the beginning to the goal.
        highest: (agent,) the highest value of each meter.
    """

    peak: float
    layer: int
    moments: tuple[Moment, ...]
    highest: Numbers


class Search:
    """A search for passages.

    Args:
        job: The target, who watches, and the rounds of the whole run.
        lattice: Where it may go.
        modes: How it may go; those with speed 0 wait.
        ticks: How many ticks a time step has.
        first: The tick at which it begins.
        last: The tick by which it must be there.
        limits: (agent,) meters that reach this are not allowed.
        kept: So many arrivals at most are kept of each place and moment.
        by_feet: Whether arrivals are told apart by where the next footstep falls.
        may_open: The doors that the target opens as it comes to them, by number.
        enough: Whether the first passage is enough.

    Attributes:
        trimmed: Whether arrivals were left out as there were more than `kept`.
        refused: Of each agent where and when it stands in the way: (place, tick) of moves that
            would have come to its limit.
    """

    def __init__(
        self, job: Job, lattice: Lattice, modes: Sequence[Mode], *, ticks: int, first: int,
        last: int, limits: Numbers, kept: int = 12, by_feet: bool = False,
        may_open: Sequence[int] = (), enough: bool = False,
    ) -> None:  # fmt: skip
        self.job, self.lattice, self.modes = job, lattice, modes
        self.ticks, self.first, self.layers = ticks, first, (last - first) // ticks
        self.limits, self.kept, self.by_feet = limits, kept, by_feet
        self.may_open, self._near_doors = frozenset(may_open), lattice.near_doors(may_open)
        self.trimmed, self._enough = False, enough
        self._met: dict[bytes, int] = {}
        self.refused: dict[int, list[tuple[int, int]]] = {}
        setup = job.scenario.setup
        seconds = ticks * setup.clock.dt
        self._posture = np.array([POSTURES.index(mode.posture) for mode in modes], dtype=np.int8)
        self._gait = np.array([GAITS.index(mode.pace) for mode in modes], dtype=np.int8)
        every = [setup.profile_of(name).look_every for name in setup.agents]
        self._looks_always = np.rint(np.array(every) / setup.clock.dt) <= 1
        moving = [m for m, mode in enumerate(modes) if mode.speed > 0.0]
        self._waits = np.array([m for m in range(len(modes)) if m not in moving], dtype=np.intp)
        takes = {m: lattice.layers(modes[m], seconds) for m in moving}
        self._moves: list[tuple[int, int, Indices, Indices]] = []  # time steps, mode, moves, first
        for m, each in takes.items():
            for k in np.unique(each[each > 0]).tolist():
                chosen = np.flatnonzero(each == k)
                starts = lattice.moves.start[chosen]
                first_of = np.searchsorted(starts, np.arange(len(lattice.places) + 1))
                self._moves.append((k, m, chosen, first_of))
        self._longest = max((k for k, *_ in self._moves), default=1)
        self._left = lattice.least_layers(list(takes.values()))

    @property
    def soonest(self) -> float:
        """The least time it takes, even if nobody watches, s; infinite if there is no path."""
        left = int(self._left[self.lattice.start])
        return left * self.ticks * self.job.scenario.setup.clock.dt if left < NEVER else np.inf

    def tick_of(self, layer: int) -> int:
        """The tick at the end of a time step."""
        return self.first + layer * self.ticks

    def run(self, progress: Progress | None = None) -> list[Found]:
        """All passages that are sooner than those with lower meters; the soonest first."""
        with Crowd(self.job, sorted(self.may_open)) as self._crowd:
            return self._run(progress)

    def _run(self, progress: Progress | None) -> list[Found]:
        arrivals: list[Arrivals] = []
        states: list[States | None] = []
        found: list[Found] = []
        best = np.inf
        for layer in range(self.layers + 1):
            if layer == 0:
                there, how = self._begin()
                self._nobody = how.take(np.zeros(0, dtype=np.intp))
            else:
                there, how = self._time_step(layer, arrivals, states, best)
            arrivals.append(there)
            states.append(how)
            if layer >= self._longest:
                states[layer - self._longest] = None
            at_goal = np.flatnonzero(self.lattice.goals[there.place])
            if len(at_goal):
                row = int(at_goal[np.lexsort((there.far[at_goal], there.peak[at_goal]))[0]])
                if there.peak[row] < best:
                    best = float(there.peak[row])
                    moments = self._retrace(arrivals, layer, row)
                    found.append(Found(best, layer, moments, self._gone(moments)))
            if progress is not None:
                progress(layer, self.layers)
            if best <= 0.0 or (found and self._enough):
                break
        if progress is not None:
            progress(self.layers, self.layers)
        return found

    def _gone(self, moments: tuple[Moment, ...]) -> Numbers:
        """(agent,) the highest of each meter on a passage, gone once more."""
        mode = np.array([moments[0].mode])
        here = self.lattice.places[moments[0].place]
        went = self._crowd.appear(self.first, here, self._posture[mode])
        highest: Numbers = went.highest[0]
        for before, after in pairwise(moments):
            ticks = (after.layer - before.layer) * self.ticks
            way = np.repeat(self.lattice.places[None, None, after.place], ticks + 1, axis=1)
            if after.move != WAIT:
                way = self.lattice.along(np.array([after.move]), ticks)
            mode = np.array([after.mode])
            went = self._crowd.go(
                self.tick_of(before.layer), went.states, way, self._posture[mode],
                self._gait[mode], np.array([after.move in self._near_doors]),
            )  # fmt: skip
            highest = np.maximum(highest, went.highest[0])
        return highest

    def _begin(self) -> tuple[Arrivals, States]:
        """The start, in each posture."""
        postures = np.unique(self._posture)
        modes = np.array([np.flatnonzero(self._posture == each)[0] for each in postures])
        here = self.lattice.places[self.lattice.start]
        went = self._crowd.appear(self.first, here, postures)
        place = np.full(len(postures), self.lattice.start)
        peak = went.highest.max(axis=1, initial=0.0)
        start = self.arrivals_at(place, peak, went.states)._replace(mode=modes)
        allowed = self._allowed(went.highest, place, 0)
        rows = np.flatnonzero(allowed)
        return self._best(_some(start, rows), went.states.take(rows))

    def _time_step(
        self, layer: int, arrivals: list[Arrivals], states: list[States | None], best: float
    ) -> tuple[Arrivals, States]:
        """All arrivals by the end of a time step."""
        tries = self._tries(layer, arrivals, best)
        done: set[int] = set()
        got: list[tuple[Arrivals, States]] = []
        # Who may come to a place unnoticed needs no other way there: few are tried at first.
        where = tries.place + len(self.lattice.places) * tries.doors
        rank = _rank(where)
        through = np.isin(tries.move, list(self._near_doors))  # there doors may come to stand so
        for low, high in ((0, 1), (1, 4), (4, NEVER)):
            some = (rank >= low) & (rank < high) & (~np.isin(where, list(done)) | through)
            for k in np.unique(layer - tries.layer[some]).tolist():
                rows = np.flatnonzero(some & (tries.layer == layer - k))
                before = states[layer - k]
                if before is not None:
                    got.append(self._try(_some(tries, rows), before, layer, k, best))
                    clean = _some(got[-1][0], np.flatnonzero(got[-1][0].clean))
                    there = clean.place + len(self.lattice.places) * clean.doors
                    done |= set(there.tolist())
        if not got:
            none = np.zeros(0, dtype=np.intp)
            return _some(arrivals[0], none), self._nobody
        columns = zip(*(g[0] for g in got), strict=True)
        whole = Arrivals._make(np.concatenate(each) for each in columns)
        return self._best(whole, States.joined([g[1] for g in got]))

    def _tries(self, layer: int, arrivals: list[Arrivals], best: float) -> Arrivals:
        """Every move and wait that ends with a time step, the most promising first."""
        lattice, found = self.lattice, []
        going = [(k, m, moves, first) for k, m, moves, first in self._moves if k <= layer]
        for k, m, moves, first in going:
            source = arrivals[layer - k]
            count = first[source.place + 1] - first[source.place]
            row = np.repeat(np.arange(len(count)), count)
            begin = np.repeat(first[source.place] - np.append(0, np.cumsum(count)[:-1]), count)
            move = moves[begin + np.arange(len(row))]
            found.append((np.full(len(row), layer - k), row, move, np.full(len(row), m)))
        source = arrivals[layer - 1]
        for m in self._waits.tolist():
            row = np.arange(len(source.place))
            same = np.full(len(row), layer - 1)
            found.append((same, row, np.full(len(row), WAIT), np.full(len(row), m)))
        from_, row, move, mode = (np.concatenate(each) for each in zip(*found, strict=True))
        peak, far, clean = np.zeros(len(row)), np.zeros(len(row)), np.zeros(len(row), np.bool_)
        here, doors = np.zeros((2, len(row)), dtype=np.intp)
        for each in np.unique(from_).tolist():
            at = from_ == each
            source, rows = arrivals[each], row[at]
            peak[at], far[at], clean[at] = source.peak[rows], source.far[rows], source.clean[rows]
            here[at], doors[at] = source.place[rows], source.doors[rows]
        place = np.where(move == WAIT, here, lattice.moves.end[move])
        far += np.where(move == WAIT, 0.0, lattice.moves.length[move])
        use = (peak < best) & (layer + self._left[place] <= self.layers)
        use = use & ~self._shut(layer, from_, move)
        every = Arrivals(place, peak, far, from_, row, move, mode, clean, doors)
        tries = _some(every, np.flatnonzero(use))
        slow = self._gait[tries.mode]
        order = np.lexsort((slow, tries.far, tries.peak, ~tries.clean, tries.doors, tries.place))
        return _some(tries, order)

    def _shut(self, layer: int, from_: Indices, move: Indices) -> Truths:
        """Which moves lead through a door that is not open all the time."""
        found = np.zeros(len(move), dtype=np.bool_)
        opened = self.job.rounds.opened
        for n in np.flatnonzero(np.isin(move, list(self.lattice.doors))).tolist():
            low, high = self.tick_of(int(from_[n])), self.tick_of(layer)
            walls = list(self.lattice.doors[int(move[n])] - self.may_open)
            found[n] = not opened[low : high + 1, walls].all()
        return found

    def _try(
        self, tries: Arrivals, before: States, layer: int, k: int, best: float
    ) -> tuple[Arrivals, States]:
        """Take moves that all take as long."""
        lattice, ticks = self.lattice, k * self.ticks
        waits = tries.move == WAIT
        way = np.empty((len(waits), ticks + 1, 3))
        way[waits] = lattice.places[tries.place[waits]][:, None]
        way[~waits] = lattice.along(tries.move[~waits], ticks)
        went = self._crowd.go(
            self.tick_of(layer - k), before.take(tries.row), way, self._posture[tries.mode],
            self._gait[tries.mode], np.isin(tries.move, list(self._near_doors)),
        )  # fmt: skip
        peak = np.maximum(tries.peak, went.highest.max(axis=1, initial=0.0))
        allowed = self._allowed(went.highest, tries.place, layer) & (peak < best)
        stand = self._doors_of(went.states)
        tries = tries._replace(peak=peak, clean=_clean(went.states, peak), doors=stand)
        rows = np.flatnonzero(allowed)
        return _some(tries, rows), went.states.take(rows)

    def _allowed(self, highest: Numbers, place: Indices, layer: int) -> Truths:
        """Which stay below the limits; record the agents that stop the others."""
        over = highest >= self.limits
        for a in np.flatnonzero(over.any(axis=0)).tolist():
            at = np.unique(place[over[:, a]]).tolist()
            self.refused.setdefault(a, []).extend((each, self.tick_of(layer)) for each in at)
        return np.asarray(~over.any(axis=1))

    def _best(self, arrivals: Arrivals, states: States) -> tuple[Arrivals, States]:
        """Those than which no other at the same place is as good in every respect."""
        chosen = self.front(arrivals, states)
        return _some(arrivals, chosen), states.take(chosen)

    def arrivals_at(self, place: Indices, peak: Numbers, states: States) -> Arrivals:
        """Arrivals, given their points and states only."""
        none = np.zeros(len(place), dtype=np.intp)
        return Arrivals(
            place, peak, np.zeros(len(place)), none - 1, none, none + WAIT, none,
            _clean(states, peak), self._doors_of(states),
        )  # fmt: skip

    def _doors_of(self, states: States) -> Indices:
        """How the doors stand that each opened itself: alike is one number, 0 for as they are."""
        found = np.zeros(len(states.value), dtype=np.intp)
        for n in np.flatnonzero(states.tends).tolist():
            key = states.doors[n].round(6).tobytes() + states.creaks[n].tobytes()
            found[n] = self._met.setdefault(key, len(self._met) + 1)
        return found

    def front(self, arrivals: Arrivals, states: States) -> Indices:
        """Which of some arrivals are kept, by row: see `_best`."""
        order = np.lexsort(
            (arrivals.far, states.value.sum(axis=1), arrivals.peak, ~arrivals.clean,
             arrivals.doors, arrivals.place)
        )  # fmt: skip
        places = (arrivals.place + len(self.lattice.places) * arrivals.doors)[order]
        starts = np.flatnonzero(np.append(True, places[1:] != places[:-1])[: len(order)])
        ends = np.append(starts[1:], len(order))[: len(starts)]
        waits = np.zeros(len(order), dtype=np.bool_)
        waits[states.waiting.state] = True
        kept: list[int] = []
        for low, high in zip(starts, ends, strict=True):
            rows = order[low:high]
            if high - low == 1 or (arrivals.clean[rows[0]] and not self.by_feet):
                kept.append(int(rows[0]))
                continue
            kept += self._front(rows, arrivals, states, waits)
        return np.array(kept, dtype=np.intp)

    def _front(self, rows: Indices, arrivals: Arrivals, states: States, waits: Truths) -> list[int]:
        """The same at one point, in an order in which better ones come first."""
        front: list[int] = []
        while len(rows):
            if len(front) >= self.kept:
                self.trimmed = True
                break
            best, rows = int(rows[0]), rows[1:]
            front.append(best)
            if not waits[best]:
                rows = rows[~self._is_as_good(best, rows, arrivals, states)]
        return front

    def _is_as_good(self, best: int, rows: Indices, arrivals: Arrivals, states: States) -> Truths:
        """Than which others an arrival is as good in every respect."""
        value, quiet, seen = states.value, states.quiet, states.seen
        good: Truths = arrivals.peak[best] <= arrivals.peak[rows]
        good &= (value[best] <= value[rows]).all(axis=1)
        good &= ((quiet[best] >= quiet[rows]) | (value[best] <= 0.0)).all(axis=1)
        good &= (seen[rows] | ~seen[best]).all(axis=(1, 2))
        stands = seen[best].any(axis=1) & ~self._looks_always
        if stands.any():
            same = (states.sight[best] == states.sight[rows]).all(axis=2)
            good &= (same | ~stands).all(axis=1)
        if self.by_feet:
            good &= np.abs(states.walked[best] - states.walked[rows]) < 1e-9
        return good

    def _retrace(self, arrivals: list[Arrivals], layer: int, row: int) -> tuple[Moment, ...]:
        found = []
        while layer >= 0:
            at = arrivals[layer]
            found.append(Moment(layer, int(at.place[row]), int(at.move[row]), int(at.mode[row])))
            layer, row = int(at.layer[row]), int(at.row[row])
        return tuple(found[::-1])


def _some(arrivals: Arrivals, rows: Indices) -> Arrivals:
    return Arrivals._make(values[rows] for values in arrivals)


def _rank(place: Indices) -> Indices:
    """The place of each in the row of those at its place, from 0; these follow on each other."""
    if not len(place):
        return place
    starts = np.append(True, place[1:] != place[:-1])
    first = np.maximum.accumulate(np.where(starts, np.arange(len(place)), 0))
    rank: Indices = np.arange(len(place)) - first
    return rank


def _clean(states: States, peak: Numbers) -> Truths:
    """Arrivals that nobody has sensed, and nobody will before the next move."""
    clean = (peak <= 0.0) & (states.value <= 0.0).all(axis=1) & ~states.seen.any(axis=(1, 2))
    clean[states.waiting.state] = False
    found: Truths = clean
    return found
