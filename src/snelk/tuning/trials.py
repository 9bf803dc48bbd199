"""The variants that fitting has tried, and how far off every goal was."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.goals import Wish
from snelk.config.measures import Address, find_measure
from snelk.config.scenario import Scenario
from snelk.tuning.batches import BATCH, in_batches
from snelk.tuning.judging import NEVER_CAME, judge_batch
from snelk.tuning.plan import Axis, Value, tidy

Numbers = NDArray[np.float64]

Progress = Callable[[int, int], None]
"""Told the variants that were tried, and how many will be at most."""

UNMET, LEAST_WISH = 1e9, 1e-6
"""The loss from which on an expectation is not met, and how little wishes count there."""

MET = 1e-9
"""An goal that is off by no more is met."""


def share_of(axis: Axis, value: Any) -> float:
    """The position of a value on its axis, 0 to 1; the current number can be outside."""
    if axis.values:
        return (axis.values.index(value) + 0.5) / len(axis.values)
    assert axis.low is not None
    assert axis.high is not None
    if axis.whole:
        steps = round(axis.high) - round(axis.low) + 1
        return float((value - round(axis.low) + 0.5) / steps)
    return float((value - axis.low) / (axis.high - axis.low))


def value_at(axis: Axis, share: float) -> Value:
    """The value at a share; extrapolated outside 0 to 1, where the current number can be."""
    if axis.values or (0.0 <= share <= 1.0 and not axis.whole):
        return axis.at(min(max(share, 0.0), 1.0))
    assert axis.low is not None
    assert axis.high is not None
    if axis.whole:
        steps = round(axis.high) - round(axis.low) + 1
        return round(axis.low) + math.floor(share * steps)
    return tidy(axis.low + share * (axis.high - axis.low))


class Trials:
    """Everything that was tried: points, (axes,) shares each, and how far off every goal was."""

    def __init__(
        self,
        scenario: Scenario,
        axes: tuple[Axis, ...],
        seeds: int,
        budget: int,
        jobs: int,
        progress: Progress | None,
        *,
        cluster: str | None = None,
    ) -> None:
        self.scenario, self.axes, self.seeds = scenario, axes, seeds
        self.budget, self.jobs, self.progress, self.cluster = budget, jobs, progress, cluster
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

    def endless_at(self, goal: int) -> bool:
        """Whether a goal is a wish that is never quite met."""
        return bool(self._endless[goal])

    def values_at(self, point: Numbers) -> tuple[Value, ...]:
        """The numbers at a point."""
        return tuple(value_at(axis, float(s)) for axis, s in zip(self.axes, point, strict=True))

    def offs(self, points: Numbers) -> Numbers:
        """(points, goals) how far off every goal is."""
        numbers = [self.values_at(point) for point in points]
        found: Numbers = self._judge(numbers)[0]
        return found

    def values(self, numbers: tuple[Value, ...]) -> Numbers:
        """(goals,) the measures of wishes, and how far off expectations are."""
        found: Numbers = self._judge([numbers])[1]
        row: Numbers = found[0]
        return row

    def loss(self, points: Numbers) -> Numbers:
        """(points,) the loss, without the cost of change."""
        return self.loss_of(self.offs(points))

    def loss_of(self, offs: Numbers) -> Numbers:
        """The loss of how far off every goal is, (…, goals).

        Expectations come first: where any is not met the loss is above `UNMET`, and how far they
        are off decides; where all are, only wishes count.
        """
        cost = self.weights * np.where(self._endless, offs, offs**2)
        count = len(self.expectations)
        expected, wished = cost[..., :count].sum(axis=-1), cost[..., count:].sum(axis=-1)
        unmet = (offs[..., :count] > MET).any(axis=-1)
        loss: Numbers = np.where(unmet, UNMET + expected + LEAST_WISH * wished, wished)
        return loss

    def as_good(self, loss: float) -> float:
        """Up to which loss a point counts as no worse than one of this loss."""
        base = UNMET if loss >= UNMET / 2.0 else 0.0
        more = loss - base
        return base + more + (MET if abs(more) <= MET else 0.01 * abs(more))

    def nearest(self, goal: int) -> float:
        """The least that a goal was off in all that was tried."""
        return min(float(offs[goal]) for offs, _ in self._known.values())

    def tried_offs(self) -> Numbers:
        """(points, goals) of all that was tried."""
        return np.array([offs for offs, _ in self._known.values()])

    def _judge(self, points: list[tuple[Value, ...]]) -> tuple[Numbers, Numbers]:
        new = [numbers for numbers in dict.fromkeys(points) if numbers not in self._known]
        first = self.scenario.setup.seed
        overrides = [
            {**dict(zip((a.key for a in self.axes), numbers, strict=True)), "seed": first + n}
            for numbers in new
            for n in range(self.seeds)
        ]
        if overrides:
            tasks = [(low, overrides[low : low + BATCH]) for low in range(0, len(overrides), BATCH)]
            jobs = min(self.jobs, len(tasks))
            given = self._job(), tasks
            found = dict(in_batches(_off_and_value, *given, jobs=jobs, cluster=self.cluster))
            rows = np.concatenate([found[low] for low, _ in tasks])  # (variant, 2, goals)
            each = rows.reshape(len(new), self.seeds, 2, -1)
            for numbers, row in zip(new, each, strict=True):
                self._known[numbers] = self._over_seeds(row)
            self.tried += len(overrides)
            if self.progress is not None:
                self.progress(min(self.tried, self.budget), self.budget)
        known = [self._known[numbers] for numbers in points]
        return np.array([offs for offs, _ in known]), np.array([values for _, values in known])

    def _over_seeds(self, row: Numbers) -> tuple[Numbers, Numbers]:
        """(goals,) offs and values from those of every seed, (seeds, 2, goals)."""
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
    """How far a measure is from its wish, in units of `within`."""
    if wish.toward is not None:
        return max(abs(value - wish.toward) / wish.within - 1.0, 0.0)
    return value / wish.within * (1.0 if wish.want == "low" else -1.0)


def _off_and_value(
    job: tuple[Scenario, tuple[Address, ...]], low: int, overrides: list[dict[str, Any]]
) -> tuple[int, Numbers]:
    """(variant, 2, goals) how far expectations are off, and the measures of wishes."""
    scenario, addresses = job
    measured, verdicts = judge_batch(scenario, variants=overrides)
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
