"""Sight: the gates between an eye and a body, for every agent, target and cone at once.

The gates are tried in order and the first that fails is the reason; see docs/calculations.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Cone, Setup
from snelk.level.columns import agree_axes, in_one
from snelk.level.grid import NO_WALL
from snelk.senses.gates import SIGHT

GATES = SIGHT.names
"""The gates in the order in which they are tried."""

RESULTS = SIGHT.results
"""What a check can come to: in view, or the first gate that failed."""

IN_VIEW = -1
PRESENT, CARES, AWAKE, RANGE, ANGLE, ELEVATION, LIGHT, LINE_OF_SIGHT = range(len(GATES))

GONE = len(GATES)
"""Between two looks: it was in view at the last one, and is absent."""

EDGE = 1e-9
"""Limits are inclusive, and wider by this (m, rad or light), so that no rounding decides."""


NEEDED, LOGGED, EVERY_GATE = range(3)
"""What of a look is worked out: what decides it; what a table shows besides; or also what lies
behind a gate that failed, of every pair.
"""


class SightNumbers(NamedTuple):
    """The numbers of everybody's sight; see `sight_numbers`."""

    characters: NDArray[np.int32]  # (agent,): which character the agent is
    notices: NDArray[np.bool_]  # (variant, agent, target): with any of its senses
    cares: NDArray[np.bool_]  # (variant, agent, target, cone)
    cones: NDArray[np.int32]  # (variant, agent): how many of the cone axis are in use

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            characters="agents",
            notices="variants agents targets",
            cares="variants agents targets cones",
        )


class SightLimits(NamedTuple):
    """The limits of all cones as set by alert states: what a run changes."""

    awake: NDArray[np.float64]  # (variant, agent): scales ranges
    range: NDArray[np.float64]  # (variant, agent, cone), m
    hold_range: NDArray[np.float64]
    half_fov: NDArray[np.float64]  # (variant, agent, cone), rad
    hold_half_fov: NDArray[np.float64]
    up: NDArray[np.float64]  # (variant, agent, cone), rad
    down: NDArray[np.float64]
    min_light: NDArray[np.float64]
    min_exposure: NDArray[np.float64]

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents cones", awake="variants agents")


class Sight(NamedTuple):
    """The result of each agent's last look; NaN where no gate needed a number."""

    looked: NDArray[np.bool_]  # (variant, agent): whether it looked at this tick
    distance: NDArray[np.float64]  # (variant, agent, target), m, eye to middle of body
    off: NDArray[np.float64]  # (variant, agent, target), rad off the facing
    elevation: NDArray[np.float64]  # (variant, agent, target), rad above the horizontal
    light: NDArray[np.float64]  # (variant, agent, target), on the target
    exposure: NDArray[np.float64]  # (variant, agent, target)
    wall: NDArray[np.int32]  # (variant, agent, target): what stopped the ray, or NO_WALL
    wall_place: NDArray[np.float64]  # (variant, agent, target, 3), m
    held: NDArray[np.bool_]  # (variant, agent, target, cone): in view at the look before
    failed: NDArray[np.int8]  # (variant, agent, target, cone): first failed gate, or IN_VIEW

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents targets",
            looked="variants agents",
            wall_place="variants agents targets 3",
            held="variants agents targets cones",
            failed="variants agents targets cones",
        )

    @classmethod
    def blank(cls, numbers: SightNumbers) -> Sight:
        """Before the first look: nobody in view."""
        pairs = numbers.notices.shape
        with_cones = numbers.cares.shape
        return in_one(
            cls(
                np.zeros(pairs[:2], dtype=np.bool_),
                np.full(pairs, np.nan),
                np.full(pairs, np.nan),
                np.full(pairs, np.nan),
                np.full(pairs, np.nan),
                np.full(pairs, np.nan),
                np.full(pairs, NO_WALL, dtype=np.int32),
                np.full((*pairs, 3), np.nan),
                np.zeros(with_cones, dtype=np.bool_),
                np.full(with_cones, PRESENT, dtype=np.int8),
            )
        )


LIMITS = SightLimits._fields[1:]
"""The limits of a cone, by their names in `SightLimits`."""


def limits_of(cone: Cone) -> tuple[float, ...]:
    """The limits of a cone, in the order of `LIMITS`, m and rad."""
    return (
        cone.range,
        cone.range if cone.hold_range is None else cone.hold_range,
        np.radians(cone.fov_whole) / 2,
        np.radians(cone.hold_fov_whole or cone.fov_whole) / 2,
        np.radians(cone.up),
        np.radians(cone.down),
        cone.min_light,
        cone.min_exposure,
    )


def limits_in_states(setups: Sequence[Setup]) -> NDArray[np.float64]:
    """(limit, variant, agent, state, cone) the limits of everybody's cones in each alert state.

    An agent without a ladder has those of its profile, as in a state by itself.
    """
    profiles = [[setup.profile_of(agent) for agent in setup.agents] for setup in setups]
    states = [
        [list(p.ladder.states.values()) if p.ladder else [None] for p in row] for row in profiles
    ]
    most = max((len(profile.cones) for row in profiles for profile in row), default=0)
    longest = max((len(each) for row in states for each in row), default=1)
    shape = (len(LIMITS), len(setups), len(setups[0].agents), longest, most)
    limits = np.full(shape, np.nan)
    for v, row in enumerate(profiles):
        for a, profile in enumerate(row):
            for s, state in enumerate(states[v][a]):
                for k, cone in enumerate(profile.cones_in(state).values()):
                    limits[:, v, a, s, k] = limits_of(cone)
    return limits


def sight_numbers(setups: Sequence[Setup]) -> SightNumbers:
    """Pack the sight of every agent of every variant into arrays.

    The cone axis is as long as the most cones of any agent; what an agent does not use is NaN.
    """
    names, agents = list(setups[0].cast), setups[0].agents
    profiles = [[setup.profile_of(agent) for agent in agents] for setup in setups]
    most = max((len(profile.cones) for row in profiles for profile in row), default=0)
    shape = (len(setups), len(agents), most)
    notices = np.zeros((*shape[:2], len(names)), dtype=np.bool_)
    cares = np.zeros((*notices.shape, most), dtype=np.bool_)
    for v, setup in enumerate(setups):
        teams = [setup.cast[name].team for name in names]
        for a, profile in enumerate(profiles[v]):
            known, noticed = profile.noticed(), profile.teams()
            notices[v, a] = [team in known for team in teams]
            for k, name in enumerate(profile.cones):
                cares[v, a, :, k] = [team in noticed["cones", name] for team in teams]
    cones = [[len(profile.cones) for profile in row] for row in profiles]
    return SightNumbers(
        np.array([names.index(agent) for agent in agents], dtype=np.int32),
        notices,
        cares,
        np.array(cones, dtype=np.int32).reshape(shape[:2]),
    )


def sight_limits(setups: Sequence[Setup]) -> SightLimits:
    """The limits that everybody begins with."""
    profiles = [[setup.profile_of(agent) for agent in setup.agents] for setup in setups]
    most = max((len(profile.cones) for row in profiles for profile in row), default=0)
    shape = (len(setups), len(setups[0].agents), most)
    awake, limits = np.ones(shape[:2]), np.full((len(LIMITS), *shape), np.nan)
    for v, (setup, row) in enumerate(zip(setups, profiles, strict=True)):
        for a, (agent, profile) in enumerate(zip(setup.agents, row, strict=True)):
            awake[v, a] = setup.cast[agent].awake_of("sight")
            for k, cone in enumerate(profile.cones.values()):
                limits[:, v, a, k] = limits_of(cone)
    return SightLimits(awake, *limits)


def whole_of(limits: SightLimits) -> NDArray[np.float64]:
    """(limit, variant, agent, cone) all limits at once, in the order of `LIMITS`.

    What is written to it is written to them, for they lie in it: see `sight_limits`.
    """
    whole = limits.range.base
    assert whole is not None
    assert whole.shape == (len(LIMITS), *limits.range.shape)
    return whole
