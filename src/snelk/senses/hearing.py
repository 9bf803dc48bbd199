"""Hearing: the gates between a noise and an ear; see docs/calculations.md.

Noises are events, few in a tick, so this stage works on arrays of (noise, ear) pairs.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import agree_axes
from snelk.level.grid import NO_WALL
from snelk.senses.gates import HEARING

HEARING_GATES = HEARING.names
"""The gates in the order in which they are tried."""

HEARING_RESULTS = HEARING.results

HEARD = -1
PRESENT, CARES, AWAKE, REACH = range(len(HEARING_GATES))

UNDERFOOT = 0.1
"""What sounds from no more than this below a floor is on it, m; feet may be a step below."""

LIFT = 1e-6
"""What lies on a floor sounds from so much above it, m, so that the floor is in the way below."""

NO_GROUND = -1
"""Ground of a noise that is no footstep, or of a footstep where no zone has one."""

NOBODY = -1
"""Maker of a noise that no character made."""

BY_KIND, IN_FILE = -1, -2
"""Where a noise's reach is written, if not in the scenario's own list of noises."""

Numbers = NDArray[np.float64]
Codes = NDArray[np.intp]


class HearingNumbers(NamedTuple):
    """The numbers of everybody's hearing; see `hearing_numbers`."""

    used: NDArray[np.bool_]  # (variant, agent): whether it has ears at all
    acuity: Numbers  # (variant, agent)
    cares: NDArray[np.bool_]  # (variant, agent, maker); the last maker is nobody
    place_error: Numbers  # (variant, agent), m per m
    seeds: tuple[int, ...]  # (variant,)


class Noises(NamedTuple):
    """Some noises, as arrays of equal length."""

    variant: Codes
    noise: Codes  # its index among all of its variant, in the order in which they were made
    t: Numbers  # s
    kind: Codes  # index of the simulation's noise_words
    gait: Codes  # of a footstep: index of GAITS, else -1
    ground: Codes  # of a footstep: index of the simulation's ground_words, else -1
    x: Numbers  # m
    y: Numbers
    z: Numbers
    reach: Numbers  # m, to an ordinary ear in the open
    by: Codes  # index of the character who made it, or NOBODY
    listed: Codes  # where its reach is written: BY_KIND, IN_FILE, or its place in the list

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "noises")

    def of(self, chosen: NDArray[np.generic]) -> Noises:
        """Some of these, by mask or index."""
        return Noises(*(values[chosen] for values in self))

    @classmethod
    def blank(cls, size: int) -> Noises:
        """Space for noises; -1 where nothing is filled in."""
        variant, noise, kind, gait, ground, by, listed = np.full((7, size), -1, dtype=np.intp)
        t, x, y, z, reach = np.full((5, size), -1.0)
        return cls(variant, noise, t, kind, gait, ground, x, y, z, reach, by, listed)


class Heard(NamedTuple):
    """Results of noises at ears, as arrays of (pairs,); NaN where no gate needed a value."""

    variant: Codes
    row: Codes  # the noise: its place among those that were judged
    noise: Codes  # its index, as in `Noises.noise`
    agent: Codes
    by: Codes
    failed: NDArray[np.int8]  # first failed gate, or HEARD
    acuity: Numbers  # of the ear, times how awake it is
    background: Numbers  # at the ear, 0 to 1
    limit: Numbers  # how far it carries to this ear in the open, m
    straight: Numbers  # distance in a straight line, m
    through: Numbers  # share of the limit that walls on that line let pass
    wall: Codes  # the first wall that muffles, or NO_WALL
    ear: Numbers  # (pairs, 3) place of the feet below the ear, m
    height: Numbers  # of the ear above the noise, m
    around: Numbers  # length of the way on foot, m; infinite if beyond the limit
    strength: Numbers  # 1 at the source to 0 at the limit; 0 if not heard
    x: Numbers  # the place heard, m; NaN if not heard
    y: Numbers

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "pairs", ear="pairs 3")

    def of(self, chosen: slice | NDArray[np.generic]) -> Heard:
        """Some of these pairs, by slice, mask or index."""
        some: Any = (values[chosen] for values in self)
        return Heard(*some)

    @classmethod
    def none(cls) -> Heard:
        """Nothing to hear."""
        return cls.blank(0)

    @classmethod
    def blank(cls, size: int) -> Heard:
        """Space for pairs, to be filled in."""
        variant, row, noise, agent, by, wall = np.full((6, size), NO_WALL, dtype=np.intp)
        failed = np.zeros(size, dtype=np.int8)
        acuity, background, limit, straight, through, height, around, strength, x, y = np.full(
            (10, size), np.nan
        )
        ear = np.full((size, 3), np.nan)
        return cls(
            *(variant, row, noise, agent, by, failed, acuity, background, limit, straight),
            *(through, wall, ear, height, around, strength, x, y),
        )


def hearing_numbers(setups: Sequence[Setup]) -> HearingNumbers:
    """Pack the ears of every agent of every variant into arrays."""
    agents, names = setups[0].agents, list(setups[0].cast)
    shape = (len(setups), len(agents))
    used = np.zeros(shape, dtype=np.bool_)
    acuity, error = np.zeros((2, *shape))
    cares = np.zeros((*shape, len(names) + 1), dtype=np.bool_)
    for v, setup in enumerate(setups):
        for a, agent in enumerate(agents):
            profile = setup.profile_of(agent)
            if profile.hearing is None:
                continue
            noticed = profile.teams()[("hearing",)]
            used[v, a], acuity[v, a] = True, profile.hearing.acuity
            error[v, a] = profile.hearing.place_error
            cares[v, a] = [*(setup.cast[name].team in noticed for name in names), True]
    return HearingNumbers(used, acuity, cares, error, tuple(s.seed for s in setups))
