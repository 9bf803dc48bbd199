"""The detection meters at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.mind.meter import (
    AT_ONCE,
    DRAINING,
    EMPTY,
    FILLING,
    HEARD,
    HEARING,
    HOLDING,
    NO_CONE,
    NO_SENSE,
    SIGHT,
    MeterNumbers,
    Meters,
)
from snelk.senses.contact import FIRST_CONTACT, Contacts
from snelk.senses.sight import IN_VIEW, Sight

INF, NAN = float("inf"), float("nan")


def _fill(
    notices: NDArray[np.bool_],
    posture: NDArray[np.int8],
    speed: NDArray[np.float64],
    cones: NDArray[np.int32],
    ranges: NDArray[np.float64],
    half_fov: NDArray[np.float64],
    sight: Sight,
    contacts: Contacts,
    loudness: NDArray[np.float64],
    numbers: MeterNumbers,
    dt: float,
    meters: Meters,
) -> None:
    agents, targets = meters.value.shape[1], meters.value.shape[2]
    factors = meters.factors.shape[3]
    for v in range(len(meters.value)):
        p = v if len(posture) > 1 else 0
        for a in range(agents):
            if not numbers.used[v, a]:
                continue
            for j in range(targets):
                if not notices[v, a, j]:
                    continue
                rate, best, best_near, best_aside = 0.0, NO_CONE, 1.0, 1.0
                for k in range(cones[v, a]):
                    if sight.failed[v, a, j, k] != IN_VIEW:
                        continue
                    share = sight.distance[v, a, j] / ranges[v, a, k]
                    near = _curve(numbers, v, a, 0, share)
                    share = sight.off[v, a, j] / half_fov[v, a, k]
                    aside = _curve(numbers, v, a, 1, share)
                    cone_rate = near * aside * numbers.weight[v, a, k]
                    if best == NO_CONE or cone_rate > rate:
                        rate, best, best_near, best_aside = cone_rate, k, near, aside
                sense = NO_SENSE
                if best != NO_CONE:
                    meters.factors[v, a, j, 0] = best_near
                    meters.factors[v, a, j, 1] = best_aside
                    for c in range(2, 4):
                        x = sight.light[v, a, j] if c == 2 else speed[p, j]
                        meters.factors[v, a, j, c] = _curve(numbers, v, a, c, x)
                    meters.factors[v, a, j, 4] = sight.exposure[v, a, j]
                    meters.factors[v, a, j, 5] = numbers.posture[v, a, posture[p, j]]
                    meters.factors[v, a, j, 6] = numbers.weight[v, a, best]
                    rate, sense = 1.0, SIGHT
                    for factor in range(factors):
                        rate *= meters.factors[v, a, j, factor]
                at_once = NO_SENSE
                if sense == SIGHT and sight.distance[v, a, j] <= numbers.at_once[v, a]:
                    at_once = SIGHT
                for contact in range(contacts.fills.shape[3]):
                    filled = contacts.fills[v, a, j, contact]
                    if filled == INF:
                        at_once = FIRST_CONTACT + contact
                    elif at_once == NO_SENSE and not isnan(filled):
                        if sense == NO_SENSE or filled > rate:
                            rate, best, sense = filled, NO_CONE, FIRST_CONTACT + contact
                if best == NO_CONE:
                    for factor in range(factors):
                        meters.factors[v, a, j, factor] = NAN
                if at_once != NO_SENSE:
                    sense = at_once
                meters.cone[v, a, j] = best
                meters.rate[v, a, j] = rate
                noise = numbers.noise_gain[v, a] * loudness[v, a, j]
                meters.noise[v, a, j] = noise
                meters.value[v, a, j] = min(meters.value[v, a, j] + noise, 1.0)
                if sense == NO_SENSE and noise > 0.0:
                    meters.state[v, a, j], meters.quiet[v, a, j] = HEARD, 0.0
                    sense = HEARING
                else:
                    _change_value(
                        numbers, sense != NO_SENSE, at_once != NO_SENSE, v, a, j, rate, dt, meters
                    )
                meters.sense[v, a, j] = sense


def _curve(numbers: MeterNumbers, v: int, a: int, c: int, x: float) -> float:
    """A curve at x: linear between its points, level beyond its ends."""
    points = numbers.points[v, a, c]
    right, high = numbers.curves[v, a, c, 0, 0], numbers.curves[v, a, c, 0, 1]
    factor: float = high
    for n in range(1, points):
        left, low = right, high
        right, high = numbers.curves[v, a, c, n, 0], numbers.curves[v, a, c, n, 1]
        if x > left:
            factor = low + min((x - left) / (right - left), 1.0) * (high - low)
    return factor


def _change_value(
    numbers: MeterNumbers,
    sensed: bool,
    at_once: bool,
    v: int,
    a: int,
    j: int,
    rate: float,
    dt: float,
    meters: Meters,
) -> None:
    """Fill, hold or drain one meter for one tick."""
    if sensed:
        meters.quiet[v, a, j] = 0.0
        if at_once:
            meters.value[v, a, j] = 1.0
            meters.state[v, a, j] = AT_ONCE
        else:
            filled = meters.value[v, a, j] + rate * dt / numbers.fill_time[v, a]
            meters.value[v, a, j] = min(filled, 1.0)
            meters.state[v, a, j] = FILLING
        return
    if meters.value[v, a, j] <= 0.0:
        meters.state[v, a, j] = EMPTY
        return
    meters.quiet[v, a, j] += dt
    # Of the tick in which the hold ends only the rest drains.
    draining = min(meters.quiet[v, a, j] - numbers.drain_after[v, a], dt)
    if draining <= 1e-12:
        meters.state[v, a, j] = HOLDING
        return
    left = meters.value[v, a, j] - draining / numbers.drain_time[v, a]
    meters.value[v, a, j] = left if left > 1e-12 else 0.0
    meters.state[v, a, j] = DRAINING
