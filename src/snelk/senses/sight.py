"""Sight: the gates between an eye and a body, for every agent, target and cone at once.

The gates are tried in order and the first that fails is the reason; see docs/calculations.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.compiled import compiled, inlined
from snelk.level.rays import NO_WALL, Grid, cast_ray
from snelk.senses.bodies import Bodies, Poses

GATES = ("present", "cares", "awake", "range", "angle", "elevation", "light", "line_of_sight")
"""The gates in the order in which they are tried."""

RESULTS = ("in_view", *GATES)
"""What a check can come to: in view, or the first gate that failed."""

IN_VIEW = -1
PRESENT, CARES, AWAKE, RANGE, ANGLE, ELEVATION, LIGHT, LINE_OF_SIGHT = range(len(GATES))

EDGE = 1e-9
"""Limits are inclusive, and wider by this (m, rad or light), so that no rounding decides."""

BODY_POINTS = ((0.05, 0.25), (0.5, 0.5), (0.95, 0.25))
"""Feet, middle and head: height as a share of the body's height, and weight."""

_POINT_HEIGHTS = np.array([height for height, _ in BODY_POINTS])
_POINT_WEIGHTS = np.array([weight for _, weight in BODY_POINTS])
_MIDDLE = 1


class SightNumbers(NamedTuple):
    """The numbers of everybody's sight; see `sight_numbers`."""

    characters: NDArray[np.int32]  # (agent,): which character the agent is
    notices: NDArray[np.bool_]  # (variant, agent, target)
    awake: NDArray[np.float64]  # (variant, agent): scales ranges
    cones: NDArray[np.int32]  # (variant, agent): how many of the cone axis are in use
    range: NDArray[np.float64]  # (variant, agent, cone), m
    hold_range: NDArray[np.float64]
    half_fov: NDArray[np.float64]  # (variant, agent, cone), rad
    hold_half_fov: NDArray[np.float64]
    up: NDArray[np.float64]  # (variant, agent, cone), rad
    down: NDArray[np.float64]
    min_light: NDArray[np.float64]
    min_exposure: NDArray[np.float64]


class Sight(NamedTuple):
    """What each agent's last look came to; a number that no gate asked for is NaN."""

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

    @classmethod
    def blank(cls, numbers: SightNumbers) -> Sight:
        """Before the first look: nobody in view."""
        pairs = numbers.notices.shape
        with_cones = (*pairs, numbers.range.shape[2])
        return cls(
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


def sight_numbers(setups: Sequence[Setup]) -> SightNumbers:
    """Pack the sight of every agent of every variant into arrays.

    The cone axis is as long as the most cones of any agent; what an agent does not use is NaN.
    """
    names, agents = list(setups[0].cast), setups[0].agents
    profiles = [[setup.profile_of(agent) for agent in agents] for setup in setups]
    most = max((len(profile.cones) for row in profiles for profile in row), default=0)
    shape = (len(setups), len(agents), most)
    limits = np.full((8, *shape), np.nan)
    for v, row in enumerate(profiles):
        for a, profile in enumerate(row):
            for k, cone in enumerate(profile.cones.values()):
                limits[:, v, a, k] = (
                    cone.range,
                    cone.range if cone.hold_range is None else cone.hold_range,
                    np.radians(cone.fov_whole) / 2,
                    np.radians(cone.hold_fov_whole or cone.fov_whole) / 2,
                    np.radians(cone.up),
                    np.radians(cone.down),
                    cone.min_light,
                    cone.min_exposure,
                )
    notices = [
        [[setup.cast[name].team in profile.notices for name in names] for profile in row]
        for setup, row in zip(setups, profiles, strict=True)
    ]
    awake = [[setup.cast[agent].awake for agent in agents] for setup in setups]
    cones = [[len(profile.cones) for profile in row] for row in profiles]
    return SightNumbers(
        np.array([names.index(agent) for agent in agents], dtype=np.int32),
        np.array(notices, dtype=np.bool_).reshape(*shape[:2], len(names)),
        np.array(awake, dtype=np.float64).reshape(shape[:2]),
        np.array(cones, dtype=np.int32).reshape(shape[:2]),
        *limits,
    )


@compiled
def see(
    poses: Poses,
    bodies: Bodies,
    light: NDArray[np.float64],
    numbers: SightNumbers,
    grid: Grid,
    scratch: NDArray[np.int64],
    looks: NDArray[np.bool_],
    every_gate: bool,
    sight: Sight,
) -> None:
    """One tick of sight: `sight` holds the look before and is overwritten with this one.

    `light` is (variant, character); only agents that look now, `looks` (variant, agent), are
    touched. A ray is cast only for a target that passed the gates before it, unless
    `every_gate`.
    """
    variants, agents, targets = numbers.notices.shape
    for v in range(variants):
        p = v if len(poses.x) > 1 else 0
        for a in range(agents):
            sight.looked[v, a] = looks[v, a]
            if not looks[v, a]:
                continue
            i = numbers.characters[a]
            eye_z = poses.z[p, i] + bodies.eyes[v, i, poses.posture[p, i]]
            facing_x = np.cos(poses.heading[p, i])
            facing_y = np.sin(poses.heading[p, i])
            for j in range(targets):
                sight.distance[v, a, j] = np.nan
                sight.off[v, a, j] = np.nan
                sight.elevation[v, a, j] = np.nan
                sight.light[v, a, j] = np.nan
                sight.exposure[v, a, j] = np.nan
                sight.wall[v, a, j] = NO_WALL
                sight.wall_place[v, a, j, :] = np.nan
                present = poses.present[p, i] and poses.present[p, j] and i != j
                if present:
                    dx = poses.x[p, j] - poses.x[p, i]
                    dy = poses.y[p, j] - poses.y[p, i]
                    dz = poses.z[p, j] + 0.5 * bodies.height[v, j, poses.posture[p, j]] - eye_z
                    sight.distance[v, a, j] = np.sqrt(dx * dx + dy * dy + dz * dz)
                    across = facing_x * dy - facing_y * dx
                    along = facing_x * dx + facing_y * dy
                    sight.off[v, a, j] = np.arctan2(abs(across), along)
                    sight.elevation[v, a, j] = np.arctan2(dz, np.sqrt(dx * dx + dy * dy))
                    sight.light[v, a, j] = light[v, j]
                pending = False
                for k in range(numbers.cones[v, a]):
                    held = sight.failed[v, a, j, k] == IN_VIEW
                    sight.held[v, a, j, k] = held
                    failed = gate_before_ray(numbers, sight, v, a, j, k, present, held)
                    sight.failed[v, a, j, k] = failed
                    pending |= failed == LINE_OF_SIGHT
                if pending or (every_gate and present):
                    expose(poses, bodies, grid, scratch, v, p, i, j, eye_z, sight, a)
                for k in range(numbers.cones[v, a]):
                    if sight.failed[v, a, j, k] == LINE_OF_SIGHT:  # that is, all gates before
                        if sight.exposure[v, a, j] > numbers.min_exposure[v, a, k]:
                            sight.failed[v, a, j, k] = IN_VIEW


@inlined
def gate_before_ray(
    numbers: SightNumbers,
    sight: Sight,
    v: int,
    a: int,
    j: int,
    k: int,
    present: bool,
    held: bool,
) -> int:
    """The first gate that fails, or LINE_OF_SIGHT if the ray has to decide."""
    if not present:
        return PRESENT
    if not numbers.notices[v, a, j]:
        return CARES
    if numbers.awake[v, a] <= 0.0:
        return AWAKE
    reach = numbers.hold_range[v, a, k] if held else numbers.range[v, a, k]
    if sight.distance[v, a, j] > reach * numbers.awake[v, a] + EDGE:
        return RANGE
    half = numbers.hold_half_fov[v, a, k] if held else numbers.half_fov[v, a, k]
    if sight.off[v, a, j] > half + EDGE:
        return ANGLE
    elevation = sight.elevation[v, a, j]
    if elevation > numbers.up[v, a, k] + EDGE or -elevation > numbers.down[v, a, k] + EDGE:
        return ELEVATION
    if sight.light[v, a, j] < numbers.min_light[v, a, k] - EDGE:
        return LIGHT
    return LINE_OF_SIGHT


@inlined
def expose(
    poses: Poses,
    bodies: Bodies,
    grid: Grid,
    scratch: NDArray[np.int64],
    v: int,
    p: int,
    i: int,
    j: int,
    eye_z: float,
    sight: Sight,
    a: int,
) -> None:
    """The share of body `j` that eye `i` has in view, and the wall in the way.

    That is the wall which stopped or dimmed the ray to the middle of the body; where that ray
    is clear, the one which stopped the ray to the feet, or else to the head.
    """
    x, y = poses.x[p, i], poses.y[p, i]
    to_x, to_y = poses.x[p, j], poses.y[p, j]
    height = bodies.height[v, j, poses.posture[p, j]]
    exposure = 0.0
    for point in range(len(_POINT_HEIGHTS)):
        to_z = poses.z[p, j] + height * _POINT_HEIGHTS[point]
        share, wall, at = cast_ray(grid, scratch, x, y, eye_z, to_x, to_y, to_z)
        exposure += _POINT_WEIGHTS[point] * share
        if wall != NO_WALL and (point == _MIDDLE or sight.wall[v, a, j] == NO_WALL):
            sight.wall[v, a, j] = wall
            sight.wall_place[v, a, j, 0] = x + at * (to_x - x)
            sight.wall_place[v, a, j, 1] = y + at * (to_y - y)
            sight.wall_place[v, a, j, 2] = eye_z + at * (to_z - eye_z)
    sight.exposure[v, a, j] = exposure
