"""Finding numbers that meet expectations and wishes, as close to the current ones as possible.

Expectations come first, always: numbers that meet all of them are better than any that do not, and
wishes count within what they leave. The loss is the sum of weight times how far a goal is off,
squared; of wishes without an end (`want`) it is weight times the measure in units of `within`. It
has steps and flat parts, so it is searched by SciPy's differential evolution, whose generations are
batches of variants: first between the limits, then closer and closer around the best. Then every
number is moved back towards the current one as far as the loss allows, and rounded.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from itertools import combinations
from pathlib import Path
from typing import Any

import numpy as np

from snelk.config.goals import Limits
from snelk.config.scenario import Scenario, as_scenario, value_of
from snelk.config.writing import Rewrite, rewritten
from snelk.errors import InputError
from snelk.tuning.batches import workers
from snelk.tuning.optimizing import pulled_back, search
from snelk.tuning.plan import NOT_VARIED, Axis, Value
from snelk.tuning.reading import rank_correlation
from snelk.tuning.trials import MET, UNMET, Numbers, Progress, Trials, share_of, value_at

BUDGET = 2000
"""Variants that are tried at most, if nothing else is said."""

OUTWARD = (0.01, 0.03, 0.1, 0.25, 0.5, 1.0)
"""How far beside the result it is looked, one after the other, as shares of a number's limits."""

HALVINGS = 6
"""So often the stretch in which something breaks is halved."""


@dataclass(frozen=True)
class Goal:
    """An expectation or a wish, and how far it is met.

    Attributes:
        name, sentence: Its name and text.
        before, after: Its value with the current and with the fitted numbers: for a wish its
            measure, of an expectation how far it is off.
        off: Its distance from being met with the fitted numbers; 0 if it is met.
        met: Whether it is met; None for a wish without a target value.
        nearest: Its smallest distance from being met in all variants tried.
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
    """A number before and after fitting.

    Attributes:
        key: Its key path.
        today, fitted: Its value in the scenario, and the one found.
        low, high: Its limits; None for choices.
        holds_from, holds_to: How far it can move from the fitted value, all else equal, before
            a goal that is met is not; None for choices.
        breaks: The goals that first break when it goes farther.
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
class Conflict:
    """Two goals that conflict.

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
    """The result of fitting.

    Attributes:
        numbers: Every number that might move.
        goals: Every expectation and wish.
        conflicts: Goals that conflict, worst first.
        loss_before, loss_after: With today's numbers, and with the fitted ones; above 1e9 where an
            expectation is not met, as that outweighs all wishes.
        tried: How many variants were tried.
        seeds: Over how many seeds each was averaged.
    """

    scenario: Scenario
    numbers: tuple[FittedNumber, ...]
    goals: tuple[Goal, ...]
    conflicts: tuple[Conflict, ...]
    loss_before: float
    loss_after: float
    tried: int
    seeds: int

    @property
    def met(self) -> bool:
        """Whether every goal is met; a wish without an end counts for nothing."""
        return all(goal.met is not False for goal in self.goals)

    @property
    def off_before(self) -> str:
        """How far off all is with today's numbers: expectations, or wishes where those are met."""
        return _off_in_words(self.loss_before)

    @property
    def off_after(self) -> str:
        """The same with the fitted numbers."""
        return _off_in_words(self.loss_after)

    @property
    def overrides(self) -> dict[str, Value]:
        """The numbers that are to change, by key path."""
        return {n.key: n.fitted for n in self.numbers if n.fitted != n.today}

    def files(self) -> list[Rewrite]:
        """The scenario's files with the fitted numbers; `write_back` writes them."""
        return rewritten(self.scenario, self.overrides) if self.overrides else []

    def to_dict(self) -> dict[str, Any]:
        """The result as plain data."""
        return {
            "scenario": self.scenario.source,
            "met": self.met,
            "loss": {"before": self.loss_before, "after": self.loss_after},
            "numbers": [asdict(number) for number in self.numbers],
            "goals": [asdict(goal) for goal in self.goals],
            "conflicts": [asdict(conflict) for conflict in self.conflicts],
            "tried": self.tried,
            "seeds": self.seeds,
        }


def _off_in_words(loss: float) -> str:
    if loss >= UNMET / 2.0:
        return f"expectations off by {loss - UNMET:.4g}"
    return f"wishes off by {loss:.4g}"


def fit(
    scenario: str | Path | Scenario,
    *,
    move: Mapping[str, Any] | None = None,
    seeds: int | None = None,
    budget: int = BUDGET,
    jobs: int | None = None,
    cluster: str | None = None,
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
        cluster: The address of a Dask scheduler, whose workers are used instead.
        progress: Called with the variants tried so far and the budget.

    Raises:
        InputError: The scenario is wrong, expects and wishes nothing, or no number may move.

    >>> import snelk
    >>> wish = {"measure": "owl.fox.first_full", "toward": 3.5, "within": 0.05}
    >>> overrides = {"clock.end": 8.0, "expect": {}, "wish": {"sooner": wish}}
    >>> night = snelk.load(snelk.croft() / "night.toml", overrides=overrides)
    >>> found = snelk.fit(night, move={"profiles.owl.meter.fill_time": (0.5, 4.0)}, jobs=1)
    >>> found.met, found.numbers[0].today, found.numbers[0].fitted < 2.0
    (True, 2.0, True)
    """
    scenario = as_scenario(scenario)
    setup = scenario.setup
    if not setup.expect and not setup.wish:
        fix = "add [expect.NAME] or [wish.NAME]"
        raise InputError.of(scenario.source, "", "", "expects nothing and wishes nothing", fix)
    axes = _axes(scenario, move)
    count = setup.fit.seeds if seeds is None else seeds
    if count < 1 or budget < 1:
        raise InputError.of("fit", "", "", "seeds and budget must be 1 or more")
    trials = Trials(
        scenario, axes, count, budget, workers(jobs, cluster), progress, cluster=cluster
    )
    today = np.array([share_of(axis, value_of(setup, axis.key)) for axis in axes])
    start = float(trials.loss(today[None])[0])
    best = today if start <= MET and not trials.endless else search(trials, today)
    best = pulled_back(trials, today, best)
    for n in np.flatnonzero(trials.offs(best[None])[0] > MET):
        if not trials.endless_at(int(n)) and trials.nearest(int(n)) > MET:
            search(trials, today, only=int(n))  # can it be met at all?
    return _result(trials, today, best, start)


def _axes(scenario: Scenario, move: Mapping[str, Any] | None) -> tuple[Axis, ...]:
    """What may move, checked."""
    given: dict[str, Any] = dict(move) if move is not None else {}
    if move is None:
        for key, limits in scenario.setup.fit.move.items():
            given[key] = as_given(limits)
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


def as_given(limits: Limits) -> Any:
    """Limits as `fit` takes them: (low, high), or a list of choices."""
    if limits.choices is not None:
        return list(limits.choices)
    return limits.low, limits.high


def _are_numbers(values: Sequence[Any]) -> bool:
    return all(isinstance(v, int | float) and not isinstance(v, bool) for v in values)


def _result(trials: Trials, today: Numbers, best: Numbers, start: float) -> FitResult:
    setup = trials.scenario.setup
    numbers = trials.values_at(best)
    held = tuple(value_of(setup, axis.key) for axis in trials.axes)
    before, after = trials.values(trials.values_at(today)), trials.values(numbers)
    offs = trials.offs(best[None])[0]
    room = _rooms(trials, best, offs)
    goals = tuple(
        Goal(
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
        trials.scenario, fitted, goals, _conflicts(trials, offs), start, loss, trials.tried,
        trials.seeds,
    )  # fmt: skip


def _rooms(
    trials: Trials, best: Numbers, offs: Numbers
) -> list[tuple[float | None, float | None, tuple[str, ...]]]:
    """How far each number can go before a goal that is met is not, and which these are.

    It is tried outwards on both sides, ever farther, until something breaks or the number's own
    limit is reached, and then ever more finely between the last that held and the first that broke.
    """
    ends = [(n, side) for n, axis in enumerate(trials.axes) if not axis.values for side in (-1, 1)]
    limit = {(n, side): min(0.0, best[n]) if side < 0 else max(1.0, best[n]) for n, side in ends}
    holds = {(n, side): float(best[n]) for n, side in ends}
    breaks: dict[tuple[int, int], float] = {}
    broken: dict[tuple[int, int], list[str]] = {}

    def ask(places: dict[tuple[int, int], float]) -> None:
        points = np.repeat(best[None], len(places), axis=0)
        for row, ((n, _), place) in enumerate(places.items()):
            points[row, n] = place
        worse = (trials.offs(points) > MET) & (offs <= MET)
        for row, (end, place) in enumerate(places.items()):
            if worse[row].any():
                breaks[end] = place
                broken[end] = [trials.names[k] for k in np.flatnonzero(worse[row])]
            else:
                holds[end] = place

    for step in OUTWARD:
        going = {
            (n, side): float(
                np.clip(
                    best[n] + side * step,
                    min(best[n], limit[n, side]),
                    max(best[n], limit[n, side]),
                )
            )
            for n, side in ends
            if (n, side) not in breaks and holds[n, side] != limit[n, side]
        }
        if going:
            ask(going)
    for _ in range(HALVINGS):
        between = {end: (holds[end] + breaks[end]) / 2.0 for end in breaks}
        if between:
            ask(between)
    found: list[tuple[float | None, float | None, tuple[str, ...]]] = []
    for n, axis in enumerate(trials.axes):
        if axis.values:
            found.append((None, None, ()))
            continue
        low, high = (float(value_at(axis, holds[n, side])) for side in (-1, 1))
        names = [name for side in (-1, 1) for name in broken.get((n, side), ())]
        found.append((low, high, tuple(dict.fromkeys(names))))
    return found


def _conflicts(trials: Trials, offs: Numbers) -> tuple[Conflict, ...]:
    """Pairs of goals of which one is not met, or that conflict."""
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
            found.append(Conflict(trials.names[a], trials.names[b], never, against))
    return tuple(sorted(found, key=lambda conflict: (not conflict.never_both, conflict.against)))


def _against(a: Numbers, b: Numbers) -> float:
    if len(a) < 3 or np.ptp(a) <= MET or np.ptp(b) <= MET:
        return 0.0
    return rank_correlation(a, b)
