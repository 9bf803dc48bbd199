"""Sight: the gates between an eye and a body, for every agent, target and cone at once.

The gates are tried in order and the first that fails is the reason; see docs/calculations.md.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Cone, Setup
from snelk.level.compiled import compiled, inlined
from snelk.level.rays import NO_WALL, Grid, cast_ray
from snelk.senses.bodies import FIRST_BODY, Bodies, Poses

GATES = ("present", "cares", "awake", "range", "angle", "elevation", "light", "line_of_sight")
"""The gates in the order in which they are tried."""

RESULTS = ("in_view", *GATES)
"""What a check can come to: in view, or the first gate that failed."""

IN_VIEW = -1
PRESENT, CARES, AWAKE, RANGE, ANGLE, ELEVATION, LIGHT, LINE_OF_SIGHT = range(len(GATES))

EDGE = 1e-9
"""Limits are inclusive, and wider by this (m, rad or light), so that no rounding decides."""


class SightNumbers(NamedTuple):
    """The numbers of everybody's sight; see `sight_numbers`."""

    characters: NDArray[np.int32]  # (agent,): which character the agent is
    notices: NDArray[np.bool_]  # (variant, agent, target): with any of its senses
    cares: NDArray[np.bool_]  # (variant, agent, target, cone)
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


LIMITS = SightNumbers._fields[SightNumbers._fields.index("range") :]
"""The limits of a cone, by their names in `SightNumbers`."""


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
    limits = np.full((len(LIMITS), *shape), np.nan)
    for v, row in enumerate(profiles):
        for a, profile in enumerate(row):
            for k, cone in enumerate(profile.cones.values()):
                limits[:, v, a, k] = limits_of(cone)
    notices = np.zeros((*shape[:2], len(names)), dtype=np.bool_)
    cares = np.zeros((*notices.shape, most), dtype=np.bool_)
    for v, setup in enumerate(setups):
        teams = [setup.cast[name].team for name in names]
        for a, profile in enumerate(profiles[v]):
            notices[v, a] = [profile.ever_notices(team) for team in teams]
            noticed = profile.teams()
            for k, name in enumerate(profile.cones):
                cares[v, a, :, k] = [team in noticed["cones", name] for team in teams]
    awake = [[setup.cast[agent].awake_of("sight") for agent in agents] for setup in setups]
    cones = [[len(profile.cones) for profile in row] for row in profiles]
    return SightNumbers(
        np.array([names.index(agent) for agent in agents], dtype=np.int32),
        notices,
        cares,
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
                for axis in range(3):
                    sight.wall_place[v, a, j, axis] = np.nan
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
    if not numbers.cares[v, a, j, k]:
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
def first_body(
    poses: Poses,
    bodies: Bodies,
    v: int,
    p: int,
    i: int,
    j: int,
    eye_z: float,
    to_z: float,
) -> tuple[int, float]:
    """The nearest body that blocks a ray from eye `i` to body `j`, and at which share of it.

    A body is an upright cylinder from its feet to its head; -1 for none.
    """
    found, nearest = -1, 2.0
    x, y = poses.x[p, i], poses.y[p, i]
    dx, dy, dz = poses.x[p, j] - x, poses.y[p, j] - y, to_z - eye_z
    length2 = dx * dx + dy * dy
    for c in range(bodies.blocks.shape[1]):
        radius = bodies.blocks[v, c]
        if radius <= 0.0 or not poses.present[p, c] or length2 <= 0.0:
            continue
        if c == i or c == j:  # noqa: SIM109 - no tuple in a compiled loop
            continue
        cx, cy = poses.x[p, c] - x, poses.y[p, c] - y
        middle = (cx * dx + cy * dy) / length2  # the share at which it is nearest in plan
        aside2 = cx * cx + cy * cy - middle * middle * length2
        if aside2 >= radius * radius:
            continue
        half = np.sqrt((radius * radius - aside2) / length2)
        enters, leaves = max(middle - half, 0.0), min(middle + half, 1.0)
        if enters >= leaves:
            continue
        low = poses.z[p, c]
        high = low + bodies.height[v, c, poses.posture[p, c]]
        if enters <= 0.0 and low <= eye_z <= high:  # it stands in it, and sees out
            continue
        at, end = eye_z + enters * dz, eye_z + leaves * dz
        if max(at, end) < low or min(at, end) > high:
            continue
        if at > high:  # it comes down into it from above
            enters = (high - eye_z) / dz
        elif at < low:
            enters = (low - eye_z) / dz
        if enters < nearest:
            found, nearest = c, enters
    return found, nearest


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
    """The share of body `j` that eye `i` has in view, and the wall or body in the way.

    That is the one which stopped or dimmed the ray to the point nearest to the middle of the
    body, or if that is clear, the first of the other rays that is not.
    """
    x, y = poses.x[p, i], poses.y[p, i]
    to_x, to_y = poses.x[p, j], poses.y[p, j]
    height = bodies.height[v, j, poses.posture[p, j]]
    exposure = 0.0
    for point in range(bodies.points.shape[2]):
        weight = bodies.points[v, j, point, 1]
        if weight == 0.0 and point > 0:
            continue
        to_z = poses.z[p, j] + height * bodies.points[v, j, point, 0]
        share, wall, at = cast_ray(grid, scratch, x, y, eye_z, to_x, to_y, to_z)
        if share > 0.0:
            body, near = first_body(poses, bodies, v, p, i, j, eye_z, to_z)
            if body >= 0:
                share = 0.0
                if wall == NO_WALL or near < at:
                    wall, at = FIRST_BODY - body, near
        exposure += weight * share
        if wall != NO_WALL and sight.wall[v, a, j] == NO_WALL:
            sight.wall[v, a, j] = wall
            sight.wall_place[v, a, j, 0] = x + at * (to_x - x)
            sight.wall_place[v, a, j, 1] = y + at * (to_y - y)
            sight.wall_place[v, a, j, 2] = eye_z + at * (to_z - eye_z)
    sight.exposure[v, a, j] = exposure
