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

GATES = ("present", "cares", "range", "angle", "line_of_sight")
"""The gates in the order in which they are tried."""

RESULTS = ("in_view", *GATES)
"""What a check can come to: in view, or the first gate that failed."""

IN_VIEW = -1
PRESENT, CARES, RANGE, ANGLE, LINE_OF_SIGHT = range(len(GATES))

EDGE = 1e-9
"""Limits are inclusive, and wider by this (m or rad), so that no rounding decides."""

BODY_POINTS = ((0.05, 0.25), (0.5, 0.5), (0.95, 0.25))
"""Feet, middle and head: height as a share of the body's height, and weight."""

_POINT_HEIGHTS = np.array([height for height, _ in BODY_POINTS])
_POINT_WEIGHTS = np.array([weight for _, weight in BODY_POINTS])
_MIDDLE = 1


class Poses(NamedTuple):
    """Where everybody is: (variant, character), or (1, character) if alike in all variants."""

    x: NDArray[np.float64]  # m
    y: NDArray[np.float64]
    z: NDArray[np.float64]  # the ground they stand on
    heading: NDArray[np.float64]  # rad
    posture: NDArray[np.int8]
    present: NDArray[np.bool_]


class SightNumbers(NamedTuple):
    """The numbers of everybody's sight; see `sight_numbers`."""

    characters: NDArray[np.int32]  # (agent,): which character the agent is
    notices: NDArray[np.bool_]  # (variant, agent, target)
    cones: NDArray[np.int32]  # (variant, agent): how many of the cone axis are in use
    range: NDArray[np.float64]  # (variant, agent, cone), m
    hold_range: NDArray[np.float64]
    half_fov: NDArray[np.float64]  # (variant, agent, cone), rad
    hold_half_fov: NDArray[np.float64]
    min_exposure: NDArray[np.float64]
    height: NDArray[np.float64]  # (variant, character, posture), m
    eyes: NDArray[np.float64]  # (variant, character, posture), m above the ground


class Sight(NamedTuple):
    """What one tick's sight came to; a number that no gate asked for is NaN."""

    distance: NDArray[np.float64]  # (variant, agent, target), m, eye to middle of body
    off: NDArray[np.float64]  # (variant, agent, target), rad off the facing
    exposure: NDArray[np.float64]  # (variant, agent, target)
    wall: NDArray[np.int32]  # (variant, agent, target): what stopped the ray, or NO_WALL
    wall_place: NDArray[np.float64]  # (variant, agent, target, 3), m
    held: NDArray[np.bool_]  # (variant, agent, target, cone): in view the tick before
    failed: NDArray[np.int8]  # (variant, agent, target, cone): first failed gate, or IN_VIEW

    @classmethod
    def blank(cls, numbers: SightNumbers) -> Sight:
        """Before the first tick: nobody in view."""
        pairs = numbers.notices.shape
        with_cones = (*pairs, numbers.range.shape[2])
        return cls(
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
    profiles = [
        [setup.profiles[setup.cast[agent].profile or ""] for agent in agents] for setup in setups
    ]
    most = max((len(profile.cones) for row in profiles for profile in row), default=0)
    shape = (len(setups), len(agents), most)
    limits = np.full((5, *shape), np.nan)
    for v, row in enumerate(profiles):
        for a, profile in enumerate(row):
            for k, cone in enumerate(profile.cones.values()):
                hold_fov = cone.fov_whole if cone.hold_fov_whole is None else cone.hold_fov_whole
                hold_range = cone.range if cone.hold_range is None else cone.hold_range
                halves = np.radians(cone.fov_whole) / 2, np.radians(hold_fov) / 2
                values = (cone.range, hold_range, *halves, cone.min_exposure)
                limits[:, v, a, k] = values
    reach, hold_reach, half_fov, hold_half_fov, min_exposure = limits
    notices = np.array(
        [
            [[setup.cast[name].team in profile.notices for name in names] for profile in row]
            for setup, row in zip(setups, profiles, strict=True)
        ],
        dtype=np.bool_,
    ).reshape(len(setups), len(agents), len(names))
    bodies = [[setup.body_of(name) for name in names] for setup in setups]
    height = np.array([[body.heights() for body in row] for row in bodies], dtype=np.float64)
    height = height.reshape(len(setups), len(names), 3)
    share = np.array([[body.eyes for body in row] for row in bodies], dtype=np.float64)
    return SightNumbers(
        np.array([names.index(agent) for agent in agents], dtype=np.int32),
        notices,
        np.array([[len(p.cones) for p in row] for row in profiles], dtype=np.int32).reshape(
            shape[:2]
        ),
        reach,
        hold_reach,
        half_fov,
        hold_half_fov,
        min_exposure,
        height,
        height * share.reshape(len(setups), len(names), 1),
    )


@compiled
def see(
    poses: Poses,
    numbers: SightNumbers,
    grid: Grid,
    scratch: NDArray[np.int64],
    every_gate: bool,
    sight: Sight,
) -> None:
    """One tick of sight: `sight` holds the tick before and is overwritten with this one.

    A ray is cast only for a target that passed the gates before it, unless `every_gate`.
    """
    variants, agents, targets = numbers.notices.shape
    for v in range(variants):
        p = v if len(poses.x) > 1 else 0
        for a in range(agents):
            i = numbers.characters[a]
            eye_z = poses.z[p, i] + numbers.eyes[v, i, poses.posture[p, i]]
            facing_x = np.cos(poses.heading[p, i])
            facing_y = np.sin(poses.heading[p, i])
            for j in range(targets):
                sight.distance[v, a, j] = np.nan
                sight.off[v, a, j] = np.nan
                sight.exposure[v, a, j] = np.nan
                sight.wall[v, a, j] = NO_WALL
                sight.wall_place[v, a, j, :] = np.nan
                present = poses.present[p, i] and poses.present[p, j] and i != j
                if present:
                    dx = poses.x[p, j] - poses.x[p, i]
                    dy = poses.y[p, j] - poses.y[p, i]
                    dz = poses.z[p, j] + 0.5 * numbers.height[v, j, poses.posture[p, j]] - eye_z
                    sight.distance[v, a, j] = np.sqrt(dx * dx + dy * dy + dz * dz)
                    across = facing_x * dy - facing_y * dx
                    along = facing_x * dx + facing_y * dy
                    sight.off[v, a, j] = np.arctan2(abs(across), along)
                pending = False
                for k in range(numbers.cones[v, a]):
                    held = sight.failed[v, a, j, k] == IN_VIEW
                    sight.held[v, a, j, k] = held
                    reach = numbers.hold_range[v, a, k] if held else numbers.range[v, a, k]
                    half = numbers.hold_half_fov[v, a, k] if held else numbers.half_fov[v, a, k]
                    if not present:
                        sight.failed[v, a, j, k] = PRESENT
                    elif not numbers.notices[v, a, j]:
                        sight.failed[v, a, j, k] = CARES
                    elif sight.distance[v, a, j] > reach + EDGE:
                        sight.failed[v, a, j, k] = RANGE
                    elif sight.off[v, a, j] > half + EDGE:
                        sight.failed[v, a, j, k] = ANGLE
                    else:
                        sight.failed[v, a, j, k] = LINE_OF_SIGHT
                        pending = True
                if pending or (every_gate and present):
                    expose(poses, numbers, grid, scratch, v, p, i, j, eye_z, sight, a)
                for k in range(numbers.cones[v, a]):
                    if sight.failed[v, a, j, k] == LINE_OF_SIGHT:  # that is, all gates before
                        if sight.exposure[v, a, j] > numbers.min_exposure[v, a, k]:
                            sight.failed[v, a, j, k] = IN_VIEW


@inlined
def expose(
    poses: Poses,
    numbers: SightNumbers,
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
    height = numbers.height[v, j, poses.posture[p, j]]
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
