"""Searching for numbers, and going back towards the current ones."""

from __future__ import annotations

import math
from itertools import combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.tuning.trials import MET, Numbers, Trials, share_of, value_at

LEAST_CHANGE = 1e-4
"""What a change over all of a number's range adds to the loss: of numbers as good the nearer."""

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


def search(trials: Trials, today: Numbers, only: int | None = None) -> Numbers:
    """The best point of all limits, or, of one goal only, the point that meets it best."""
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
        from scipy.optimize import differential_evolution

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


def pulled_back(trials: Trials, today: Numbers, best: Numbers) -> Numbers:
    """The point nearest to today's numbers that is as good, with numbers as round as can be."""
    bound = trials.as_good(float(trials.loss(best[None])[0]))
    best = _fewest_changed(trials, today, best, bound)
    near = np.where(best == today, today, np.clip(today, 0.0, 1.0))  # within the limits
    best = _along(trials, near, best, best != today, bound, twice=True)
    for n, axis in enumerate(trials.axes):
        if not axis.values and best[n] != today[n]:
            best = _along(trials, near, best, np.arange(len(best)) == n, bound)
    for n, axis in enumerate(trials.axes):
        if axis.values or axis.whole or best[n] == today[n]:
            continue
        exact = float(value_at(axis, float(best[n])))
        points = np.repeat(best[None], len(DIGITS), axis=0)
        points[:, n] = [share_of(axis, float(f"{exact:.{digits}g}")) for digits in DIGITS]
        points = points[(points[:, n] >= -MET) & (points[:, n] <= 1.0 + MET)]
        good = points[trials.loss(points) <= bound] if len(points) else points
        best = good[0] if len(good) else best
    return best


def _fewest_changed(trials: Trials, today: Numbers, best: Numbers, bound: float) -> Numbers:
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
    trials: Trials,
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
