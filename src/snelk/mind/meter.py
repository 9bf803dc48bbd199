"""The detection meter: suspicion that fills while a target is sensed, holds, and drains.

The formula is that of docs/calculations.md; times do not depend on the length of a tick.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import CURVES, Meter, Setup
from snelk.config.words import SENSES
from snelk.level.compiled import compiled, inlined
from snelk.senses.contact import SENSED
from snelk.senses.sight import IN_VIEW, Sight, SightNumbers

FACTORS = ("distance", "angle", "light", "motion", "exposure", "posture", "weight")
"""What the rate of filling is a product of; the first four come from curves."""

STATES = ("empty", "filling", "at_once", "heard", "holding", "draining")
EMPTY, FILLING, AT_ONCE, HEARD, HOLDING, DRAINING = range(len(STATES))

NO_SENSE = -1
SIGHT, HEARING, TOUCH, ZONE = range(len(SENSES))

NO_CONE = -1

REACHED = 1e-9
"""A meter this close below a value has reached it, so that no rounding decides."""


class MeterNumbers(NamedTuple):
    """The numbers of everybody's meter; see `meter_numbers`."""

    used: NDArray[np.bool_]  # (variant, agent): whether it has a meter at all
    fill_time: NDArray[np.float64]  # (variant, agent), s
    drain_time: NDArray[np.float64]
    hold: NDArray[np.float64]
    at_once: NDArray[np.float64]  # (variant, agent), m
    noise_gain: NDArray[np.float64]  # (variant, agent)
    zone_rate: NDArray[np.float64]  # (variant, agent), 1 fills in fill_time
    posture: NDArray[np.float64]  # (variant, agent, posture)
    weight: NDArray[np.float64]  # (variant, agent, cone)
    points: NDArray[np.int32]  # (variant, agent, curve): how many points a curve has
    curves: NDArray[np.float64]  # (variant, agent, curve, point, 2): x and factor


class Meters(NamedTuple):
    """Everybody's meter for everybody: state that a tick overwrites, and how it came about."""

    value: NDArray[np.float64]  # (variant, agent, target), 0 to 1
    quiet: NDArray[np.float64]  # (variant, agent, target), s since last sensed
    rate: NDArray[np.float64]  # (variant, agent, target), 1 fills in fill_time
    cone: NDArray[np.int32]  # (variant, agent, target): the cone that filled, or NO_CONE
    sense: NDArray[np.int8]  # (variant, agent, target): index of SENSES that filled, or NO_SENSE
    noise: NDArray[np.float64]  # (variant, agent, target): what noises added at this tick
    state: NDArray[np.int8]  # (variant, agent, target): index of STATES
    factors: NDArray[np.float64]  # (variant, agent, target, factor); NaN while not in view

    @classmethod
    def blank(cls, numbers: SightNumbers) -> Meters:
        """All empty."""
        pairs = numbers.notices.shape
        return cls(
            np.zeros(pairs),
            np.zeros(pairs),
            np.zeros(pairs),
            np.full(pairs, NO_CONE, dtype=np.int32),
            np.full(pairs, NO_SENSE, dtype=np.int8),
            np.zeros(pairs),
            np.full(pairs, EMPTY, dtype=np.int8),
            np.full((*pairs, len(FACTORS)), np.nan),
        )


def meter_numbers(setups: Sequence[Setup]) -> MeterNumbers:
    """Pack the meters of every agent of every variant into arrays."""
    agents = setups[0].agents
    profiles = [[setup.profile_of(agent) for agent in agents] for setup in setups]
    meters = [[profile.meter or Meter(fill_time=1.0) for profile in row] for row in profiles]
    shape = (len(setups), len(agents))
    most_cones = max((len(profile.cones) for row in profiles for profile in row), default=0)
    lengths = [len(getattr(m, name)) for row in meters for m in row for name in CURVES]
    times = np.array(
        [
            [(m.fill_time, m.drain_time, m.hold, m.at_once, m.noise_gain, m.zone_rate) for m in row]
            for row in meters
        ],
        np.float64,
    )
    times = np.moveaxis(times.reshape(*shape, 6), -1, 0).copy()
    used = np.array([[p.meter is not None for p in row] for row in profiles], np.bool_)
    numbers = MeterNumbers(
        used.reshape(shape),
        times[0],
        times[1],
        times[2],
        times[3],
        times[4],
        times[5],
        np.ones((*shape, 3)),
        np.ones((*shape, most_cones)),
        np.ones((*shape, len(CURVES)), dtype=np.int32),
        np.ones((*shape, len(CURVES), max(lengths, default=1), 2)),
    )
    for v, row in enumerate(profiles):
        for a, profile in enumerate(row):
            meter = meters[v][a]
            numbers.posture[v, a] = meter.standing, meter.crouched, meter.prone
            for k, cone in enumerate(profile.cones.values()):
                numbers.weight[v, a, k] = cone.weight
            for c, name in enumerate(CURVES):
                curve = getattr(meter, name)
                numbers.points[v, a, c] = len(curve)
                numbers.curves[v, a, c, : len(curve)] = curve
    return numbers


@compiled
def fill(
    posture: NDArray[np.int8],
    speed: NDArray[np.float64],
    cones: NDArray[np.int32],
    ranges: NDArray[np.float64],
    half_fov: NDArray[np.float64],
    sight: Sight,
    touch: NDArray[np.int8],
    zone: NDArray[np.int8],
    loudness: NDArray[np.float64],
    numbers: MeterNumbers,
    dt: float,
    meters: Meters,
) -> None:
    """One tick of all meters.

    Args:
        posture: (variant or 1, character) everybody's posture.
        speed: (variant or 1, character) everybody's speed, m/s.
        cones: (variant, agent) how many of the cone axis are in use.
        ranges: (variant, agent, cone) what the curve for distance goes by, m.
        half_fov: (variant, agent, cone) what the curve for the angle goes by, rad.
        sight: What sight came to.
        touch: (variant, agent, target) its first gate that failed, or SENSED.
        zone: (variant, agent, target) the same of the zone sense.
        loudness: (variant, agent, target) strengths of the noises heard at this tick, added up.
        numbers: The numbers of the meters.
        dt: Length of the tick, s.
        meters: The meters, overwritten.
    """
    variants, agents, targets = meters.value.shape
    for v in range(variants):
        p = v if len(posture) > 1 else 0
        for a in range(agents):
            if not numbers.used[v, a]:
                continue
            for j in range(targets):
                rate, best, best_near, best_aside = 0.0, NO_CONE, 1.0, 1.0
                for k in range(cones[v, a]):
                    if sight.failed[v, a, j, k] != IN_VIEW:
                        continue
                    share = sight.distance[v, a, j] / ranges[v, a, k]
                    near = curve(numbers, v, a, 0, share)
                    share = sight.off[v, a, j] / half_fov[v, a, k]
                    aside = curve(numbers, v, a, 1, share)
                    cone_rate = near * aside * numbers.weight[v, a, k]
                    if best == NO_CONE or cone_rate > rate:
                        rate, best, best_near, best_aside = cone_rate, k, near, aside
                sense = NO_SENSE
                if best != NO_CONE:
                    meters.factors[v, a, j, 0] = best_near
                    meters.factors[v, a, j, 1] = best_aside
                    for c in range(2, 4):
                        x = sight.light[v, a, j] if c == 2 else speed[p, j]
                        meters.factors[v, a, j, c] = curve(numbers, v, a, c, x)
                    meters.factors[v, a, j, 4] = sight.exposure[v, a, j]
                    meters.factors[v, a, j, 5] = numbers.posture[v, a, posture[p, j]]
                    meters.factors[v, a, j, 6] = numbers.weight[v, a, best]
                    rate, sense = 1.0, SIGHT
                    for factor in range(len(FACTORS)):
                        rate *= meters.factors[v, a, j, factor]
                if zone[v, a, j] == SENSED and (
                    sense == NO_SENSE or numbers.zone_rate[v, a] > rate
                ):
                    rate, best, sense = numbers.zone_rate[v, a], NO_CONE, ZONE
                if best == NO_CONE:
                    for factor in range(len(FACTORS)):
                        meters.factors[v, a, j, factor] = np.nan
                if touch[v, a, j] == SENSED:
                    sense = TOUCH
                meters.cone[v, a, j] = best
                meters.rate[v, a, j] = rate
                noise = numbers.noise_gain[v, a] * loudness[v, a, j]
                meters.noise[v, a, j] = noise
                meters.value[v, a, j] = min(meters.value[v, a, j] + noise, 1.0)
                at_once = sense == TOUCH or (
                    sense == SIGHT and sight.distance[v, a, j] <= numbers.at_once[v, a]
                )
                if sense == NO_SENSE and noise > 0.0:
                    meters.state[v, a, j], meters.quiet[v, a, j] = HEARD, 0.0
                    sense = HEARING
                else:
                    change_value(numbers, sense != NO_SENSE, at_once, v, a, j, rate, dt, meters)
                meters.sense[v, a, j] = sense


@compiled
def curve(numbers: MeterNumbers, v: int, a: int, c: int, x: float) -> float:
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


@inlined
def change_value(
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
    """Fill, hold or drain one meter over one tick."""
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
    draining = min(meters.quiet[v, a, j] - numbers.hold[v, a], dt)
    if draining <= 1e-12:
        meters.state[v, a, j] = HOLDING
        return
    left = meters.value[v, a, j] - draining / numbers.drain_time[v, a]
    meters.value[v, a, j] = left if left > 1e-12 else 0.0
    meters.state[v, a, j] = DRAINING
