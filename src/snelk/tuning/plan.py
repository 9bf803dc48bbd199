"""The variants of a sweep: grids, lists, quasi-random samples, and seeds."""

from __future__ import annotations

import math
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.draft import as_value
from snelk.config.scenario import Scenario, value_of
from snelk.errors import InputError

Value = float | int | str | bool

MOST_VARIANTS = 10_000_000
"""More variants than this are refused: more likely than not a count is wrong."""

NOT_VARIED = ("clock", "expect", "wish", "fit", "title", "silence", "cast")
"""What cannot be varied in a sweep, or would change nothing; of the cast single numbers can be."""


@dataclass(frozen=True)
class Axis:
    """One number that is varied: over values, or between two limits that samples are drawn from.

    Attributes:
        key: Its key path.
        values: The values; empty for limits.
        low, high: The limits; None for values.
        whole: Whether it must be a whole number.
    """

    key: str
    values: tuple[Value, ...] = ()
    low: float | None = None
    high: float | None = None
    whole: bool = False

    def at(self, share: float) -> Value:
        """The value at a share of the axis, 0 to below 1."""
        if self.values:
            return self.values[min(int(share * len(self.values)), len(self.values) - 1)]
        assert self.low is not None
        assert self.high is not None
        if self.whole:
            low, high = round(self.low), round(self.high)
            return min(low + int(share * (high - low + 1)), high)
        return tidy(self.low + share * (self.high - self.low))

    def ends(self) -> tuple[Value, ...]:
        """Values that show whether all can be used: of numbers the least and the largest."""
        if not self.values:
            return self.at(0.0), self.at(1.0)
        numbers = [v for v in self.values if isinstance(v, int | float) and not isinstance(v, bool)]
        if len(numbers) < len(self.values):
            return self.values
        return tuple(dict.fromkeys((min(numbers), max(numbers))))


@dataclass(frozen=True)
class Plan:
    """The variants of a sweep, numbered from 0.

    Attributes:
        axes: What is varied.
        seeds: The seeds with which each is tried.
        samples: How many points are drawn from the axes; None for the grid of all values.
        chance: The seed of the samples.
    """

    axes: tuple[Axis, ...]
    seeds: tuple[int, ...]
    samples: int | None = None
    chance: int = 0

    @property
    def points(self) -> int:
        """How many points there are, not counting seeds."""
        if self.samples is not None:
            return self.samples
        return math.prod(len(axis.values) for axis in self.axes)

    @property
    def count(self) -> int:
        """How many variants there are."""
        return self.points * len(self.seeds)

    def overrides(self, numbers: Sequence[int]) -> list[dict[str, Value]]:
        """What some variants change, by key path; seeds change fastest, then the last axis."""
        drawn = None
        if self.samples is not None:
            drawn = _drawn(len(self.axes), self.points, self.chance)
        found = []
        for n in numbers:
            point, seed = divmod(n, len(self.seeds))
            if drawn is not None:
                shares = drawn[point]
                row = {a.key: a.at(float(s)) for a, s in zip(self.axes, shares, strict=True)}
            else:
                row = {}
                for axis in reversed(self.axes):
                    point, place = divmod(point, len(axis.values))
                    row[axis.key] = axis.values[place]
                row = dict(reversed(row.items()))
            if not any(axis.key == "seed" for axis in self.axes):
                row["seed"] = self.seeds[seed]
            found.append(row)
        return found


@lru_cache(maxsize=2)
def _drawn(axes: int, points: int, chance: int) -> NDArray[np.float64]:
    """(points, axes) shares of the axes: scrambled Sobol points (Owen 1998).

    "Scrambling Sobol' and Niederreiter-Xing points", Journal of Complexity 14.
    """
    from scipy.stats import qmc

    sobol = qmc.Sobol(axes, rng=np.random.default_rng(chance))
    drawn: NDArray[np.float64] = sobol.random_base2(max(points - 1, 1).bit_length())
    return drawn[:points]


def plan_of(
    scenario: Scenario,
    vary: Mapping[str, Any],
    *,
    seeds: int = 1,
    samples: int | None = None,
) -> Plan:
    """The variants of a sweep, with all numbers checked.

    Args:
        scenario: What is varied.
        vary: For each key path a sequence of values, or `(low, high)` with `samples`.
        seeds: With how many seeds each is tried, from the scenario's on.
        samples: How many quasi-random points are drawn; the grid of all values if None.

    Raises:
        InputError: A key path leads nowhere, a value breaks its rule, or there are too many.

    >>> import snelk
    >>> night = snelk.load(snelk.croft() / "night.toml")
    >>> plan = plan_of(night, {"profiles.dog.hearing.acuity": [1.0, 2.0]}, seeds=2)
    >>> plan.overrides([2])
    [{'profiles.dog.hearing.acuity': 2.0, 'seed': 7}]
    """
    if not vary:
        fix = "such as profiles.dog.cones.muzzle.range=6:20:8"
        raise InputError.of("vary", "", "", "must be the path of a number", fix)
    if seeds < 1 or (samples is not None and samples < 1):
        raise InputError.of("sweep", "", "", "seeds and samples must be 1 or more")
    axes = tuple(_axis(scenario, key, given, samples) for key, given in vary.items())
    first = scenario.setup.seed
    if "seed" in vary and seeds > 1:
        raise InputError.of("vary", "seed", "", "is also varied by seeds", "leave one out")
    plan = Plan(axes, tuple(range(first, first + seeds)), samples, first)
    if plan.count > MOST_VARIANTS:
        rule = f"makes {plan.count} variants, more than {MOST_VARIANTS}"
        raise InputError.of("sweep", "", "", rule, "use fewer values, or --samples")
    for axis in axes:
        for value in axis.ends():
            scenario.changed({axis.key: value})
    return plan


def _axis(scenario: Scenario, key: str, given: Any, samples: int | None) -> Axis:
    top, _, rest = key.partition(".")
    if top in NOT_VARIED and not (top == "cast" and "." in rest):
        rule = "cannot be varied within a sweep"
        raise InputError.of("vary", key, "", rule, "use --set, with one sweep for each value")
    now = value_of(scenario.setup, key)
    whole = isinstance(now, int) and not isinstance(now, bool)
    if isinstance(given, str) or not isinstance(given, Sequence | np.ndarray):
        given = [given]
    if any(isinstance(value, int) and abs(value) > sys.float_info.max for value in given):
        raise InputError.of("vary", key, "", "is too large a number", "use a smaller one")
    if isinstance(given, tuple) and len(given) == 2:
        if samples is None:
            fix = "add --samples, or the number of values: LO:HI:N"
            raise InputError.of(
                "vary", key, "", "a range without a number of values needs samples", fix
            )
        low, high = (float(end) for end in given)
        if not (math.isfinite(low) and math.isfinite(high) and low < high):
            raise InputError.of("vary", key, f"{low:g}, {high:g}", "low must be below high")
        return Axis(key, (), low, high, whole)
    values = [value.item() if isinstance(value, np.generic) else value for value in given]
    if not values:
        raise InputError.of("vary", key, "[]", "must have at least one value")
    if not all(isinstance(value, str | bool | int | float) for value in values):
        raise InputError.of("vary", key, "", "must be numbers, text, true or false")
    if whole and all(isinstance(v, float) and v.is_integer() for v in values):
        values = [int(value) for value in values]
    elif any(isinstance(value, float) for value in values):
        values = [value if isinstance(value, str | bool) else tidy(value) for value in values]
    if len({type(value) for value in values}) > 1:
        raise InputError.of("vary", key, "", "must be all numbers or all text")
    return Axis(key, tuple(values))


def tidy(value: float) -> float:
    """A number without rounding errors of binary fractions.

    >>> tidy(0.1 + 0.2)
    0.3
    """
    return float(f"{value:.12g}")


def parse_vary(text: str) -> tuple[str, Any]:
    """`KEY=LO:HI:N`, `KEY=LO:HI` or `KEY=A,B,C`, as written on the command line.

    >>> parse_vary("profiles.dog.hearing.acuity=1:2:3")
    ('profiles.dog.hearing.acuity', [1.0, 1.5, 2.0])
    >>> parse_vary("profiles.dog.hearing.acuity=1:2")
    ('profiles.dog.hearing.acuity', (1.0, 2.0))
    >>> parse_vary('cast.fox.team=wild,"tame"')
    ('cast.fox.team', ['wild', 'tame'])
    """
    key, equals, written = text.partition("=")
    form = "must be KEY=LO:HI:N, KEY=LO:HI or KEY=A,B,C"
    fix = "such as profiles.dog.cones.muzzle.range=6:20:8"
    if not equals or not key.strip() or not written.strip():
        raise InputError.of("--vary", "", f'"{text}"', form, fix)
    if ":" in written:
        try:
            low, high, *count = (float(part) for part in written.split(":"))
        except ValueError:
            raise InputError.of("--vary", key, f'"{written}"', form, fix) from None
        if not count:
            return key.strip(), (low, high)
        steps = count[0]
        whole = len(count) == 1 and math.isfinite(low + high + steps) and steps == int(steps)
        if not whole or steps < 2:
            rule = "must be LO:HI:N with N a whole number, 2 or more"
            raise InputError.of("--vary", key, f'"{written}"', rule, fix)
        if steps > MOST_VARIANTS:
            rule = f"must be at most {MOST_VARIANTS} values"
            raise InputError.of("--vary", key, f'"{written}"', rule, fix)
        return key.strip(), [tidy(float(x)) for x in np.linspace(low, high, int(steps))]
    return key.strip(), [as_value(part) for part in written.split(",")]
