"""Finding numbers that meet expectations and wishes, as near to today's as can be.

The loss of a variant is the sum over all aims of weight times how far it is off, squared; of
wishes without an end (`want`) it is weight times the measure in units of `within`. It has steps
and flat parts, so it is searched by SciPy's differential evolution, whose generations are
batches of variants: first between the limits, then ever nearer about the best. Then every
number is pulled back towards today's as far as the loss allows, and rounded.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import combinations
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import differential_evolution
from scipy.stats import rankdata

from snelk.config.measures import Address, find_measure
from snelk.config.scenario import Scenario, load, value_of
from snelk.config.wanted import Limits, Wish
from snelk.config.writing import Rewrite, rewritten
from snelk.errors import InputError
from snelk.tuning.batches import batch_size, cores, in_batches
from snelk.tuning.judging import NEVER_CAME, judge_batch
from snelk.tuning.plan import NOT_VARIED, Axis, Value, tidy

Numbers = NDArray[np.float64]

Progress = Callable[[int, int], None]
"""Told the variants that were tried, and how many will be at most."""

MET = 1e-9
"""An aim that is off by no more is met."""

BUDGET = 2000
"""Variants that are tried at most, if nothing else is said."""

LEAST_CHANGE = 1e-4
"""What a change over all of a number's span adds to the loss: of numbers as good the nearer."""

NEARER = (1.0, 0.25, 0.05, 0.01)
"""Shares of the limits about the best that are searched one after the other."""

NEIGHBOURS = 8
"""Points per number in a generation."""

GENERATION = 48
"""Variants in a generation at least: fewer are stepped together no quicker."""

GENERATIONS = 10
"""Generations in which each of these is searched."""

PULLS = 16
"""Steps from today's number to the fitted one that are tried at a time."""

MOST_SUBSETS = 5
"""Of so many numbers at most all ways to take some of them back are tried."""

DIGITS = (1, 2, 3, 4, 5)
"""Significant digits to which numbers are rounded: the fewest that will do."""

AROUND = (0.01, 0.02, 0.05, 0.1, 0.2)
"""How far beside the result it is looked, as shares of a number's limits."""


@dataclass(frozen=True)
class Aim:
    """An expectation or a wish, and how far it is met.

    Attributes:
        name, sentence: What it says.
        before, after: Its value with today's numbers and with the fitted ones: of a wish its
            measure, of an expectation how far it is off.
        off: How far it is off with the fitted ones; 0 if it is met.
        met: Whether it is met; None of a wish without an end.
        nearest: The least that it was off in all that was tried.
    """

    name: str
    sentence: str
    before: float
    after: float
    off: float
    met: bool | None
    nearest: float


@dataclass(frozen=True)
class FittedNumber:
    """A number, before and after.

    Attributes:
        key: Its key path.
        today, fitted: Its value in the scenario, and the one found.
        low, high: Its limits; None for choices.
        holds_from, holds_to: How far it can go beside the fitted value, all else equal, before
            an aim that is met is not; None for choices.
        breaks: The aims that first break when it goes farther.
    """

    key: str
    today: Value
    fitted: Value
    low: float | None
    high: float | None
    holds_from: float | None
    holds_to: float | None
    breaks: tuple[str, ...]


@dataclass(frozen=True)
class Fight:
    """Two aims that get in each other's way.

    Attributes:
        a, b: Their names.
        never_both: Whether each was met by some numbers, but never both by the same.
        against: Spearman's rank correlation of how far they are off, -1 to 1, over all numbers
            tried; below 0 the one gets better as the other gets worse.
    """

    a: str
    b: str
    never_both: bool
    against: float


@dataclass(frozen=True)
class FitResult:
    """What came of fitting.

    Attributes:
        numbers: Every number that might move.
        aims: Every expectation and wish.
        fights: Aims that get in each other's way, worst first.
        loss_before, loss_after: With today's numbers, and with the fitted ones.
        tried: How many variants were tried.
        seeds: Over how many seeds each was averaged.
    """

    scenario: Scenario
    numbers: tuple[FittedNumber, ...]
    aims: tuple[Aim, ...]
    fights: tuple[Fight, ...]
    loss_before: float
    loss_after: float
    tried: int
    seeds: int

    @property
    def met(self) -> bool:
        """Whether every aim that can be met is."""
        return all(aim.met is not False for aim in self.aims)

    @property
    def changes(self) -> dict[str, Value]:
        """The numbers that are to change, by key path."""
        return {n.key: n.fitted for n in self.numbers if n.fitted != n.today}

    def files(self) -> list[Rewrite]:
        """The scenario's files with the fitted numbers; `write_back` writes them."""
        return rewritten(self.scenario, self.changes) if self.changes else []

    def to_dict(self) -> dict[str, Any]:
        """The result as plain data."""
        return {
            "scenario": self.scenario.source,
            "met": self.met,
            "loss": {"before": self.loss_before, "after": self.loss_after},
            "numbers": [asdict(number) for number in self.numbers],
            "aims": [asdict(aim) for aim in self.aims],
            "fights": [asdict(fight) for fight in self.fights],
            "tried": self.tried,
            "seeds": self.seeds,
        }


def fit(
    scenario: str | Path | Scenario,
    *,
    move: Mapping[str, Any] | None = None,
    seeds: int | None = None,
    budget: int = BUDGET,
    jobs: int | None = None,
    progress: Progress | None = None,
) -> FitResult:
    """Find numbers that meet a scenario's expectations and wishes.

    Args:
        scenario: Its TOML file, or what `load` returned.
        move: For each key path `(low, high)`, or a list of choices; as the scenario's `fit.move`
            says if None.
        seeds: Over how many seeds each variant is averaged, from the scenario's on; as `fit.seeds`
            says if None.
        budget: How many variants are tried at most, about; seeds count.
        jobs: How many processes work at it; as many as there are cores if None.
        progress: Called with the variants tried so far and the budget.

    Raises:
        InputError: The scenario is wrong, expects and wishes nothing, or no number may move.
    """
    scenario = scenario if isinstance(scenario, Scenario) else load(scenario)
    setup = scenario.setup
    if not setup.expect and not setup.wish:
        fix = "add [expect.NAME] or [wish.NAME]"
        raise InputError.of(scenario.source, "", "", "expects nothing and wishes nothing", fix)
    axes = _axes(scenario, move)
    count = setup.fit.seeds if seeds is None else seeds
    if count < 1 or budget < 1:
        raise InputError.of("fit", "", "", "seeds and budget must be 1 or more")
    trials = _Trials(scenario, axes, count, budget, jobs or cores(), progress)
    today = np.array([_share(axis, value_of(setup, axis.key)) for axis in axes])
    start = trials.loss(today[None])[0]
    best = today if start <= MET and not trials.endless else _search(trials, today)
    best = _pulled_back(trials, today, best)
    for n in np.flatnonzero(trials.offs(best[None])[0] > MET):
        if not trials.endless_at(int(n)) and trials.nearest(int(n)) > MET:
            _search(trials, today, only=int(n))  # can it be met at all?
    return _result(trials, today, best, float(start))


def _axes(scenario: Scenario, move: Mapping[str, Any] | None) -> tuple[Axis, ...]:
    """What may move, checked."""
    given: dict[str, Any] = dict(move) if move is not None else {}
    if move is None:
        for key, limits in scenario.setup.fit.move.items():
            given[key] = _as_given(limits)
    if not given:
        fix = "add [fit.move] with KEY = { low = …, high = … }, or use --move KEY=LO:HI"
        raise InputError.of(scenario.source, "fit.move", "", "no number may move", fix)
    axes = []
    for key, limits in given.items():
        top, _, rest = key.partition(".")
        now = value_of(scenario.setup, key)
        if key == "seed" or (top in NOT_VARIED and not (top == "cast" and "." in rest)):
            raise InputError.of("move", key, "", "cannot be fitted")
        if isinstance(limits, tuple) and len(limits) == 2 and _are_numbers(limits):
            low, high = map(float, limits)
            if not (math.isfinite(low) and math.isfinite(high) and low < high):
                raise InputError.of("move", key, f"{low:g}, {high:g}", "low must be below high")
            whole = isinstance(now, int) and not isinstance(now, bool)
            axis = Axis(key, (), low, high, whole)
        else:
            choices = list(limits) if isinstance(limits, list | tuple) else [limits]
            axis = Axis(key, tuple(choices))
        for value in axis.ends():
            scenario.changed({key: value})
        if now is None:
            rule, fix = "is not written and has no default", "write today's number first"
            raise InputError.of("move", key, "", rule, fix)
        if axis.values and now not in axis.values:
            axis = Axis(key, (now, *axis.values))
        axes.append(axis)
    return tuple(axes)


def _as_given(limits: Limits) -> Any:
    if limits.choices is not None:
        return list(limits.choices)
    return limits.low, limits.high


def _are_numbers(values: Sequence[Any]) -> bool:
    return all(isinstance(v, int | float) and not isinstance(v, bool) for v in values)


def _share(axis: Axis, value: Any) -> float:
    """Where a value lies on an axis, 0 to 1; today's number may lie outside."""
    if axis.values:
        return (axis.values.index(value) + 0.5) / len(axis.values)
    assert axis.low is not None
    assert axis.high is not None
    if axis.whole:
        steps = round(axis.high) - round(axis.low) + 1
        return float((value - round(axis.low) + 0.5) / steps)
    return float((value - axis.low) / (axis.high - axis.low))


def _value(axis: Axis, share: float) -> Value:
    """The value at a share; shares outside of 0 to 1 go on, for today's number may lie there."""
    if axis.values or (0.0 <= share <= 1.0 and not axis.whole):
        return axis.at(min(max(share, 0.0), 1.0))
    assert axis.low is not None
    assert axis.high is not None
    if axis.whole:
        steps = round(axis.high) - round(axis.low) + 1
        return round(axis.low) + math.floor(share * steps)
    return tidy(axis.low + share * (axis.high - axis.low))


class _Trials:
    """Everything that was tried: points, (axes,) shares each, and how far off every aim was."""

    def __init__(
        self,
        scenario: Scenario,
        axes: tuple[Axis, ...],
        seeds: int,
        budget: int,
        jobs: int,
        progress: Progress | None,
    ) -> None:
        self.scenario, self.axes, self.seeds = scenario, axes, seeds
        self.budget, self.jobs, self.progress = budget, jobs, progress
        setup = scenario.setup
        self.names = [f"expect.{name}" for name in setup.expect]
        self.names += [f"wish.{name}" for name in setup.wish]
        self.expectations, self.wishes = list(setup.expect.values()), list(setup.wish.values())
        self.addresses = [find_measure(setup, wish.measure, source="wish") for wish in self.wishes]
        weights = [each.weight for each in self.expectations]
        weights += [wish.weight for wish in self.wishes]
        self.weights = np.array(weights, dtype=np.float64)
        self.sentences = [each.sentence for each in self.expectations]
        self.sentences += [wish.sentence for wish in self.wishes]
        self._endless = np.array(
            [False] * len(self.expectations) + [wish.want is not None for wish in self.wishes]
        )
        self.endless = bool(self._endless.any())
        self._known: dict[tuple[Value, ...], tuple[Numbers, Numbers]] = {}
        self.tried = 0

    @property
    def spent(self) -> bool:
        """Whether as many variants were tried as may be."""
        return self.tried >= self.budget

    def endless_at(self, aim: int) -> bool:
        """Whether an aim is a wish that is never quite met."""
        return bool(self._endless[aim])

    def values_at(self, point: Numbers) -> tuple[Value, ...]:
        """The numbers at a point."""
        return tuple(_value(axis, float(s)) for axis, s in zip(self.axes, point, strict=True))

    def offs(self, points: Numbers) -> Numbers:
        """(points, aims) how far off every aim is."""
        numbers = [self.values_at(point) for point in points]
        found: Numbers = self._judge(numbers)[0]
        return found

    def values(self, numbers: tuple[Value, ...]) -> Numbers:
        """(aims,) the measures of wishes, and how far off expectations are."""
        found: Numbers = self._judge([numbers])[1]
        row: Numbers = found[0]
        return row

    def loss(self, points: Numbers) -> Numbers:
        """(points,) the loss, without what is added for change."""
        return self.loss_of(self.offs(points))

    def loss_of(self, offs: Numbers) -> Numbers:
        """The loss of how far off every aim is, (…, aims)."""
        cost = np.where(self._endless, offs, offs**2)
        loss: Numbers = (self.weights * cost).sum(axis=-1)
        return loss

    def nearest(self, aim: int) -> float:
        """The least that an aim was off in all that was tried."""
        return min(float(offs[aim]) for offs, _ in self._known.values())

    def tried_offs(self) -> Numbers:
        """(points, aims) of all that was tried."""
        return np.array([offs for offs, _ in self._known.values()])

    def _judge(self, points: list[tuple[Value, ...]]) -> tuple[Numbers, Numbers]:
        new = [numbers for numbers in dict.fromkeys(points) if numbers not in self._known]
        first = self.scenario.setup.seed
        changes = [
            {**dict(zip((a.key for a in self.axes), numbers, strict=True)), "seed": first + n}
            for numbers in new
            for n in range(self.seeds)
        ]
        if changes:
            size = batch_size(len(changes), self.jobs)
            tasks = [(low, changes[low : low + size]) for low in range(0, len(changes), size)]
            jobs = min(self.jobs, len(tasks)) if len(changes) > 2 * size // 3 else 1
            found = dict(in_batches(_off_and_value, self._job(), tasks, jobs=jobs))
            rows = np.concatenate([found[low] for low, _ in tasks])  # (variant, 2, aims)
            each = rows.reshape(len(new), self.seeds, 2, -1)
            for numbers, row in zip(new, each, strict=True):
                self._known[numbers] = self._over_seeds(row)
            self.tried += len(changes)
            if self.progress is not None:
                self.progress(min(self.tried, self.budget), self.budget)
        known = [self._known[numbers] for numbers in points]
        return np.array([offs for offs, _ in known]), np.array([values for _, values in known])

    def _over_seeds(self, row: Numbers) -> tuple[Numbers, Numbers]:
        """(aims,) offs and values from those of every seed, (seeds, 2, aims)."""
        offs, values = row[:, 0], row[:, 1].mean(axis=0)
        found = offs.mean(axis=0)
        for n, expectation in enumerate(self.expectations):
            # With the seeds that it may fail with it counts as met.
            needed = math.ceil(expectation.share * self.seeds - MET)
            found[n] = np.sort(offs[:, n])[:needed].mean()
            values[n] = found[n]
        for n, wish in enumerate(self.wishes, start=len(self.expectations)):
            found[n] = _off_wish(wish, float(values[n]))
        return found, values

    def _job(self) -> tuple[Scenario, tuple[Address, ...]]:
        return self.scenario, tuple(self.addresses)


def _off_wish(wish: Wish, value: float) -> float:
    """How far a measure is off what is wished, in units of `within`."""
    if wish.toward is not None:
        return max(abs(value - wish.toward) / wish.within - 1.0, 0.0)
    return value / wish.within * (1.0 if wish.want == "low" else -1.0)


def _off_and_value(
    job: tuple[Scenario, tuple[Address, ...]], low: int, changes: list[dict[str, Any]]
) -> tuple[int, Numbers]:
    """(variant, 2, aims) how far expectations are off, and the measures of wishes."""
    scenario, addresses = job
    measured, verdicts = judge_batch(scenario, variants=changes)
    places = {address: n for n, address in enumerate(measured.addresses)}
    length = measured.values[:, places[Address("length")]]
    columns = [np.stack([verdicts.off, verdicts.off], axis=1)]
    for address in addresses:
        value = measured.values[:, places[address]]
        # A time that never came counts as the length of the run, anything else as much too much.
        missing = length if address.unit == "s" else np.full(len(length), NEVER_CAME)
        value = np.where(np.isnan(value), missing, value)
        columns.append(np.stack([np.zeros(len(value)), value], axis=1)[:, :, None])
    return low, np.concatenate(columns, axis=2)


def _search(trials: _Trials, today: Numbers, only: int | None = None) -> Numbers:
    """The best point of all limits, or, of one aim only, the point that meets it best."""
    axes = trials.axes
    steady = [axis.whole or bool(axis.values) for axis in axes]
    best, loss = np.clip(today, 0.0, 1.0), math.inf
    limit = trials.budget if only is None else trials.tried + trials.budget // 8

    def cost(points: Numbers) -> Numbers:
        """Of (axes, points), as SciPy hands them over."""
        offs = trials.offs(points.T)
        change = ((points.T - today) ** 2).sum(axis=1)
        found: Numbers = LEAST_CHANGE * change
        found += offs[:, only] if only is not None else trials.loss_of(offs)
        return found

    for stage, share in enumerate(NEARER):
        if trials.tried >= limit:
            break
        near = best
        bounds = [
            (0.0, 1.0)
            if fixed
            else (max(place - share / 2, 0.0), min(max(place + share / 2, share), 1.0))
            for place, fixed in zip(near, steady, strict=True)
        ]

        def stop(intermediate_result: Any) -> bool:
            done = intermediate_result.fun <= LEAST_CHANGE * len(axes) + MET
            return trials.tried >= limit or (done and not trials.endless)

        inside = [min(max(x, low), high) for x, (low, high) in zip(near, bounds, strict=True)]
        found = differential_evolution(
            cost, bounds, vectorized=True, updating="deferred", polish=False, init="latinhypercube",
            popsize=max(NEIGHBOURS, -(-GENERATION // (trials.seeds * len(axes)))),
            maxiter=GENERATIONS, tol=1e-8, atol=1e-8,
            x0=np.array(inside),
            rng=np.random.default_rng([trials.scenario.setup.seed, stage]), callback=stop,
        )  # fmt: skip
        if found.fun <= loss:
            best, loss = np.asarray(found.x), float(found.fun)
        if loss <= LEAST_CHANGE * len(axes) + MET and not trials.endless:
            break
    return best


def _pulled_back(trials: _Trials, today: Numbers, best: Numbers) -> Numbers:
    """The point nearest to today's numbers that is as good, with numbers as round as can be."""
    bound = float(trials.loss(best[None])[0])
    bound += MET if bound <= MET else 0.01 * abs(bound)
    best = _fewest_changed(trials, today, best, bound)
    near = np.where(best == today, today, np.clip(today, 0.0, 1.0))  # within the limits
    best = _along(trials, near, best, best != today, bound, twice=True)
    for n, axis in enumerate(trials.axes):
        if not axis.values and best[n] != today[n]:
            best = _along(trials, near, best, np.arange(len(best)) == n, bound)
    for n, axis in enumerate(trials.axes):
        if axis.values or axis.whole or best[n] == today[n]:
            continue
        exact = float(_value(axis, float(best[n])))
        points = np.repeat(best[None], len(DIGITS), axis=0)
        points[:, n] = [_share(axis, float(f"{exact:.{digits}g}")) for digits in DIGITS]
        points = points[(points[:, n] >= -MET) & (points[:, n] <= 1.0 + MET)]
        good = points[trials.loss(points) <= bound] if len(points) else points
        best = good[0] if len(good) else best
    return best


def _fewest_changed(trials: _Trials, today: Numbers, best: Numbers, bound: float) -> Numbers:
    """The point with as many of today's numbers as the loss allows.

    Of few numbers all ways to take some back are tried, of many one after the other.
    """
    changed = np.flatnonzero(best != today)
    if len(changed) == 0:
        return best
    if len(changed) <= MOST_SUBSETS:
        kept = [
            list(some) for k in range(len(changed)) for some in combinations(changed.tolist(), k)
        ]
        points = np.array([np.where(np.isin(np.arange(len(best)), k), best, today) for k in kept])
        good = np.flatnonzero(trials.loss(points) <= bound)
        return points[good[0]] if len(good) else best
    for n in changed[np.argsort(np.abs(best - today)[changed], kind="stable")]:
        trial = best.copy()
        trial[n] = today[n]
        if trials.loss(trial[None])[0] <= bound:
            best = trial
    return best


def _along(
    trials: _Trials,
    today: Numbers,
    best: Numbers,
    moved: NDArray[np.bool_],
    bound: float,
    *,
    twice: bool = False,
) -> Numbers:
    """Some numbers pulled back together, as far as the loss stays within a bound."""
    low, high = 0.0, 1.0
    way = np.where(moved, best - today, 0.0)
    if not way.any():
        return best
    for _ in range(1 + twice):
        shares = np.linspace(low, high, PULLS + 1)
        good = trials.loss(best - (1.0 - shares)[:, None] * way) <= bound
        good[-1] = True
        first = int(np.argmax(good))
        if first == 0:
            return np.asarray(best - (1.0 - shares[0]) * way)
        low, high = shares[first - 1], shares[first]
    return np.asarray(best - (1.0 - high) * way)


def _result(trials: _Trials, today: Numbers, best: Numbers, start: float) -> FitResult:
    setup = trials.scenario.setup
    numbers = trials.values_at(best)
    held = tuple(value_of(setup, axis.key) for axis in trials.axes)
    before, after = trials.values(trials.values_at(today)), trials.values(numbers)
    offs = trials.offs(best[None])[0]
    room = _rooms(trials, best, offs)
    aims = tuple(
        Aim(
            name, sentence, float(before[n]), float(after[n]), float(offs[n]),
            None if trials.endless_at(n) else bool(offs[n] <= MET), trials.nearest(n),
        )
        for n, (name, sentence) in enumerate(zip(trials.names, trials.sentences, strict=True))
    )  # fmt: skip
    fitted = tuple(
        FittedNumber(axis.key, was, now, axis.low, axis.high, *where)
        for axis, was, now, where in zip(trials.axes, held, numbers, room, strict=True)
    )
    loss = float(trials.loss_of(offs))
    return FitResult(
        trials.scenario, fitted, aims, _fights(trials, offs), start, loss, trials.tried,
        trials.seeds,
    )  # fmt: skip


def _rooms(
    trials: _Trials, best: Numbers, offs: Numbers
) -> list[tuple[float | None, float | None, tuple[str, ...]]]:
    """How far each number can go before an aim that is met is not, and which these are."""
    steps = np.concatenate([-np.array(AROUND), np.array(AROUND)])
    points = np.repeat(best[None], len(best) * len(steps), axis=0)
    for n in range(len(best)):
        rows = slice(n * len(steps), (n + 1) * len(steps))
        points[rows, n] = np.clip(best[n] + steps, min(0.0, best[n]), max(1.0, best[n]))
    worse: NDArray[np.bool_] = (trials.offs(points) > MET) & (offs <= MET)
    found: list[tuple[float | None, float | None, tuple[str, ...]]] = []
    for n, axis in enumerate(trials.axes):
        if axis.values:
            found.append((None, None, ()))
            continue
        ends, broken = [], []
        for side in range(2):
            first = (2 * n + side) * len(AROUND)
            after = first + len(AROUND)
            broke = [row for row in range(first, after) if worse[row].any()]
            last = (broke[0] if broke else after) - 1
            reach = float(points[last, n] if last >= first else best[n])
            ends.append(float(_value(axis, reach)))
            if broke:
                broken += [trials.names[k] for k in np.flatnonzero(worse[broke[0]])]
        found.append((ends[0], ends[1], tuple(dict.fromkeys(broken))))
    return found


def _fights(trials: _Trials, offs: Numbers) -> tuple[Fight, ...]:
    """Pairs of aims of which one is not met, or that pull against each other."""
    tried = trials.tried_offs()
    met = tried <= MET
    found = []
    for a, b in combinations(range(len(trials.names)), 2):
        endless = trials.endless_at(a), trials.endless_at(b)
        against = _against(tried[:, a], tried[:, b])
        wanted = any(endless) or offs[a] > MET or offs[b] > MET
        never = not any(endless) and bool(met[:, a].any() and met[:, b].any())
        never &= not bool((met[:, a] & met[:, b]).any())
        if wanted and (never or against < -0.3):
            found.append(Fight(trials.names[a], trials.names[b], never, against))
    return tuple(sorted(found, key=lambda fight: (not fight.never_both, fight.against)))


def _against(a: Numbers, b: Numbers) -> float:
    if len(a) < 3 or np.ptp(a) <= MET or np.ptp(b) <= MET:
        return 0.0
    return float(np.corrcoef(rankdata(a), rankdata(b))[0, 1])
