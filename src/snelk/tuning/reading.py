"""Reading a sweep: means over seeds, what changes what, and the best trade-offs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from snelk.errors import InputError
from snelk.tuning.sweep import Sweep

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]

ENOUGH = 5
"""With fewer points than this nothing is said of what moves what."""


@dataclass(frozen=True)
class Want:
    """What a measure should be: low or high."""

    key: str
    high: bool

    @classmethod
    def parse(cls, text: str) -> Want:
        """`KEY=low` or `KEY=high`.

        >>> Want.parse("farmer.search_time=low")
        Want(key='farmer.search_time', high=False)
        """
        key, _, way = text.rpartition("=")
        if not key or way not in ("low", "high"):
            rule, fix = "must be KEY=low or KEY=high", "such as farmer.search_time=low"
            raise InputError.of("--want", "", f'"{text}"', rule, fix)
        return cls(key.strip(), way == "high")


@dataclass(frozen=True)
class Mover:
    """How a number moves a measure.

    Attributes:
        number, measure: Their keys.
        together: Spearman's rank correlation of the number and the measure, -1 to 1; of words
            the share of the measure's variance that they explain, 0 to 1 (correlation ratio).
        low, high: The measure's smallest and largest mean over seeds.
    """

    number: str
    measure: str
    together: float
    low: float
    high: float


def points_of(sweep: Sweep) -> pd.DataFrame:
    """The means over seeds of all measures, a row per point; `variant` is its first variant."""
    table = sweep.table
    point = table.variant // len(sweep.plan.seeds)
    means = table[sweep.measures].groupby(point).mean()
    first = table.groupby(point)[["variant", *sweep.keys]].first()
    return first.join(means)


def movers(sweep: Sweep, *, most: int = 5) -> list[Mover]:
    """For each number the measures that it moves most, strongest first."""
    points = points_of(sweep)
    found: list[Mover] = []
    for axis in sweep.plan.axes:
        given = points[axis.key].to_numpy()
        rows = [
            Mover(axis.key, name, together, float(values.min()), float(values.max()))
            for name in sweep.measures
            if len(values := points[name].to_numpy()) >= ENOUGH
            and not np.isnan(values).any()
            and np.ptp(values) > 1e-9
            and np.isfinite(together := _together(given, values))
        ]
        rows.sort(key=lambda mover: (-round(abs(mover.together), 6), mover.measure))
        found += rows[:most]
    return found


def rank_correlation(a: NDArray[np.generic], b: Numbers) -> float:
    """Spearman's, -1 to 1; NaN where either does not vary."""
    if len(a) < 2 or (a == a[0]).all() or (b == b[0]).all():
        return np.nan
    from scipy.stats import spearmanr

    return float(spearmanr(a, b).statistic)


def _together(given: NDArray[np.generic], values: Numbers) -> float:
    if given.dtype.kind in "ifu":
        return rank_correlation(given, values)
    words, which = np.unique(given.astype(str), return_inverse=True)
    means = np.array([values[which == n].mean() for n in range(len(words))])
    return float(
        ((means[which] - values.mean()) ** 2).sum() / ((values - values.mean()) ** 2).sum()
    )


def best_tradeoffs(values: Numbers, high: Sequence[bool]) -> NDArray[np.intp]:
    """The rows, of (rows, wants), that no other row beats: is as good in all and better in one.

    Rows with a measure that is not there are never among them.

    >>> best_tradeoffs(np.array([[1.0, 5.0], [2.0, 4.0], [2.0, 6.0]]), [False, False]).tolist()
    [0, 1]
    """
    cost = np.where(high, -values, values)
    there = np.flatnonzero(~np.isnan(cost).any(axis=1))
    best: list[int] = []
    # In this order a row can only be beaten by one before it.
    for row in there[np.lexsort(cost[there].T[::-1])]:
        kept = cost[best]
        no_worse = (kept <= cost[row]).all(axis=1)
        if not (no_worse & (kept < cost[row]).any(axis=1)).any():
            best.append(int(row))
    return np.sort(np.array(best, dtype=np.intp))


def tradeoffs_of(sweep: Sweep, wants: Sequence[Want]) -> pd.DataFrame:
    """The points that are the best trade-offs between wants, as rows of `points_of`.

    Raises:
        InputError: A want is about a measure that the sweep does not have.
    """
    keys = [sweep.find(want.key) for want in wants]
    points = points_of(sweep)
    return points.iloc[best_tradeoffs(points[keys].to_numpy(), [w.high for w in wants])]
