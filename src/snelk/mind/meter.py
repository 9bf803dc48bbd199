"""The detection meter: suspicion that fills while a target is sensed, holds, and drains.

The formula is that of docs/calculations.md; times do not depend on the length of a tick.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import CURVES, Meter, Setup
from snelk.level.columns import agree, agree_axes, in_one
from snelk.senses.sight import SightNumbers

FACTORS = ("distance", "angle", "light", "motion", "exposure", "posture", "weight")
"""What the rate of filling is a product of; the first four come from curves."""

STATES = ("empty", "filling", "at_once", "heard", "holding", "draining")
EMPTY, FILLING, AT_ONCE, HEARD, HOLDING, DRAINING = range(len(STATES))

NO_SENSE = -1
SIGHT, HEARING = range(2)
"""The numbers of senses, as in `SENSES`; those of contact come from `FIRST_CONTACT` on."""

NO_CONE = -1

REACHED = 1e-9
"""A meter this close below a value has reached it, so that no rounding decides."""


SINGLE = (
    "fill_time", "drain_time", "drain_after", "at_once", "noise_gain",
)  # fmt: skip
"""The keys of a meter that are one number here, in the order of `MeterNumbers`."""


class MeterNumbers(NamedTuple):
    """The numbers of everybody's meter; see `meter_numbers`."""

    used: NDArray[np.bool_]  # (variant, agent): whether it has a meter at all
    fill_time: NDArray[np.float64]  # (variant, agent), s
    drain_time: NDArray[np.float64]
    drain_after: NDArray[np.float64]
    at_once: NDArray[np.float64]  # (variant, agent), m
    noise_gain: NDArray[np.float64]  # (variant, agent)
    posture: NDArray[np.float64]  # (variant, agent, posture)
    weight: NDArray[np.float64]  # (variant, agent, cone)
    points: NDArray[np.int32]  # (variant, agent, curve): how many points a curve has
    curves: NDArray[np.float64]  # (variant, agent, curve, point, 2): x and factor

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            posture="variants agents 3",
            weight="variants agents cones",
            points="variants agents curves",
            curves="variants agents curves points 2",
        )
        most = int(self.points.max(initial=0))
        agree((most <= self.curves.shape[3],), (True,))


class Meters(NamedTuple):
    """The meters of all for all: state that a tick overwrites, and its factors."""

    value: NDArray[np.float64]  # (variant, agent, target), 0 to 1
    quiet: NDArray[np.float64]  # (variant, agent, target), s since last sensed
    rate: NDArray[np.float64]  # (variant, agent, target), 1 fills in fill_time
    cone: NDArray[np.int32]  # (variant, agent, target): the cone that filled, or NO_CONE
    sense: NDArray[np.int8]  # (variant, agent, target): index of SENSES that filled, or NO_SENSE
    noise: NDArray[np.float64]  # (variant, agent, target): what noises added at this tick
    state: NDArray[np.int8]  # (variant, agent, target): index of STATES
    factors: NDArray[np.float64]  # (variant, agent, target, factor); NaN while not in view

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents targets", factors="variants agents targets 7")

    @classmethod
    def blank(cls, numbers: SightNumbers) -> Meters:
        """All empty."""
        pairs = numbers.notices.shape
        return in_one(
            cls(
                np.zeros(pairs),
                np.zeros(pairs),
                np.zeros(pairs),
                np.full(pairs, NO_CONE, dtype=np.int32),
                np.full(pairs, NO_SENSE, dtype=np.int8),
                np.zeros(pairs),
                np.full(pairs, EMPTY, dtype=np.int8),
                np.full((*pairs, len(FACTORS)), np.nan),
            )
        )


def suspicion(
    meter: NDArray[np.float64], senses: NDArray[np.bool_], metered: NDArray[np.bool_]
) -> NDArray[np.float64]:
    """How sure agents are of targets: their meters, 0 to 1; without one 1 if they sense them.

    >>> suspicion(np.array([0.2, 0.0]), np.array([True, True]), np.array([True, False]))
    array([0.2, 1. ])
    """
    return np.where(metered, meter, senses.astype(np.float64))


def meter_numbers(setups: Sequence[Setup]) -> MeterNumbers:
    """Pack the meters of every agent of every variant into arrays."""
    agents = setups[0].agents
    profiles = [[setup.profile_of(agent) for agent in agents] for setup in setups]
    meters = [[profile.meter or Meter(fill_time=1.0) for profile in row] for row in profiles]
    shape = (len(setups), len(agents))
    most_cones = max((len(profile.cones) for row in profiles for profile in row), default=0)
    lengths = [len(getattr(m, name)) for row in meters for m in row for name in CURVES]
    times = np.array(
        [[[getattr(m, name) for name in SINGLE] for m in row] for row in meters],
        np.float64,
    )
    times = np.moveaxis(times.reshape(*shape, len(SINGLE)), -1, 0).copy()
    used = np.array([[p.meter is not None for p in row] for row in profiles], np.bool_)
    parts: list[Any] = [
        used.reshape(shape),
        *times,
        np.ones((*shape, 3)),
        np.ones((*shape, most_cones)),
        np.ones((*shape, len(CURVES)), dtype=np.int32),
        np.ones((*shape, len(CURVES), max(lengths, default=1), 2)),
    ]
    numbers = MeterNumbers(*parts)
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
