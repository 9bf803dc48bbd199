"""Sight at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import atan2, cos, sin, sqrt
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, agree, door, laid_out, plain
from snelk.level.grid import NO_WALL, Grid, Scratch, agree_scratch
from snelk.senses.bodies import FIRST_BODY, Bodies, Poses
from snelk.senses.columns import (
    BodyColumns,
    PoseColumns,
    SightColumns,
    SightLimitColumns,
    SightNumberColumns,
)
from snelk.senses.sight import (
    ANGLE,
    AWAKE,
    CARES,
    EDGE,
    ELEVATION,
    EVERY_GATE,
    GONE,
    IN_VIEW,
    LIGHT,
    LINE_OF_SIGHT,
    NEEDED,
    PRESENT,
    RANGE,
    Sight,
    SightLimits,
    SightNumbers,
)

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.casting import cast_ray

NAN = float("nan")


@door
def see(
    poses: Poses,
    bodies: Bodies,
    light: NDArray[np.float64],
    numbers: SightNumbers,
    limits: SightLimits,
    grid: Grid,
    scratch: Scratch,
    looks: NDArray[np.bool_],
    asked: int,
    sight: Sight,
) -> None:
    """One tick of sight: `sight` holds the look before and is overwritten with this one.

    `light` is (variant, character); only agents that look now, `looks` (variant, agent), are
    touched. A ray is cast only for a target that passed the gates before it, unless
    EVERY_GATE is `asked`; angles to who is out of reach are left out if only what is NEEDED is.
    """
    targets = plain(numbers).notices.shape[2]  # the first so many of the characters
    agree(plain(numbers).notices.shape, plain(sight).distance.shape, (*looks.shape, targets))
    agree((targets <= light.shape[1],), (True,))
    agree(plain(limits).range.shape, (*looks.shape, plain(numbers).cares.shape[3]))
    agree(light.shape, plain(bodies).blocks.shape, (len(light), plain(poses).x.shape[1]))
    agree_scratch(scratch, grid, len(plain(numbers).notices))
    _see(
        laid_out(PoseColumns, poses),
        laid_out(BodyColumns, bodies),
        light,
        laid_out(SightNumberColumns, numbers),
        laid_out(SightLimitColumns, limits),
        laid_out(GridColumns, grid),
        scratch,
        looks,
        asked,
        laid_out(SightColumns, sight),
    )


def _see(
    poses: Poses,
    bodies: Bodies,
    light: NDArray[np.float64],
    numbers: SightNumbers,
    limits: SightLimits,
    grid: Grid,
    scratch: Scratch,
    looks: NDArray[np.bool_],
    asked: int,
    sight: Sight,
) -> None:
    agents, targets = numbers.notices.shape[1], numbers.notices.shape[2]
    for v in range(len(numbers.notices)):
        scratch.row[0] = v if len(scratch.opened) > 1 else 0
        p = v if len(poses.x) > 1 else 0
        for a in range(agents):
            sight.looked[v, a] = looks[v, a]
            i = numbers.characters[a]
            if not looks[v, a]:
                _lose_absent(poses, sight, v, p, a, i)
                continue
            eye_z = poses.z[p, i] + bodies.eyes[v, i, poses.posture[p, i]]
            cones = numbers.cones[v, a]
            facing_x = cos(poses.heading[p, i])
            facing_y = sin(poses.heading[p, i])
            for j in range(targets):
                if not numbers.notices[v, a, j] and asked != EVERY_GATE:  # nobody asks for it
                    continue
                present = poses.present[p, i] and poses.present[p, j] and i != j
                distance, off, elevation, shine = NAN, NAN, NAN, NAN
                if present:
                    dx = poses.x[p, j] - poses.x[p, i]
                    dy = poses.y[p, j] - poses.y[p, i]
                    middle = 0.5 * bodies.height[v, j, poses.posture[p, j]]
                    dz = poses.z[p, j] + middle - eye_z
                    distance = sqrt(dx * dx + dy * dy + dz * dz)
                    shine = light[v, j]
                    if asked != NEEDED or _is_in_reach(numbers, limits, sight, v, a, j, distance):
                        across = facing_x * dy - facing_y * dx
                        along = facing_x * dx + facing_y * dy
                        flat = sqrt(dx * dx + dy * dy)
                        off = atan2(abs(across), along) if flat > EDGE else 0.0
                        elevation = atan2(dz, flat)
                sight.distance[v, a, j] = distance
                sight.off[v, a, j] = off
                sight.elevation[v, a, j] = elevation
                sight.light[v, a, j] = shine
                sight.exposure[v, a, j] = NAN
                sight.wall[v, a, j] = NO_WALL
                for axis in range(3):
                    sight.wall_place[v, a, j, axis] = NAN
                pending = False
                for k in range(cones):
                    held = _was_in_view(sight, v, a, j, k)
                    failed = PRESENT
                    if present:
                        failed = _gate_before_ray(
                            numbers, limits, v, a, j, k, held, distance, off, elevation, shine
                        )
                    sight.held[v, a, j, k], sight.failed[v, a, j, k] = held, failed
                    pending |= failed == LINE_OF_SIGHT
                if pending or (asked == EVERY_GATE and present):
                    _expose(poses, bodies, grid, scratch, v, p, i, j, eye_z, sight, a)
                for k in range(cones if pending else 0):
                    if sight.failed[v, a, j, k] == LINE_OF_SIGHT:  # that is, all gates before
                        if sight.exposure[v, a, j] > limits.min_exposure[v, a, k]:
                            sight.failed[v, a, j, k] = IN_VIEW


def _was_in_view(sight: Sight, v: int, a: int, j: int, k: int) -> bool:
    """Whether a cone had it in view at its last look."""
    return bool(sight.failed[v, a, j, k] == IN_VIEW or sight.failed[v, a, j, k] == GONE)


def _lose_absent(poses: Poses, sight: Sight, v: int, p: int, a: int, i: int) -> None:
    """Between two looks, who is absent is not in view any more."""
    for j in range(sight.failed.shape[2]):
        if poses.present[p, i] and poses.present[p, j]:
            continue
        for k in range(sight.failed.shape[3]):
            if sight.failed[v, a, j, k] == IN_VIEW:
                sight.failed[v, a, j, k] = GONE


def _is_in_reach(
    numbers: SightNumbers,
    limits: SightLimits,
    sight: Sight,
    v: int,
    a: int,
    j: int,
    distance: float,
) -> bool:
    """Whether a target is within the range of any cone."""
    near = False
    for k in range(numbers.cones[v, a]):
        held = _was_in_view(sight, v, a, j, k)
        near |= distance <= range_of(limits, v, a, k, held)
    return near


def range_of(limits: SightLimits, v: int, a: int, k: int, held: bool) -> float:
    """The range of a cone, and its hold range, m."""
    reach = limits.hold_range[v, a, k] if held else limits.range[v, a, k]
    return float(reach * limits.awake[v, a] + EDGE)


def _gate_before_ray(
    numbers: SightNumbers,
    limits: SightLimits,
    v: int,
    a: int,
    j: int,
    k: int,
    held: bool,
    distance: float,
    off: float,
    elevation: float,
    light: float,
) -> int:
    """The first gate that fails, or LINE_OF_SIGHT if the ray has to decide."""
    if not numbers.cares[v, a, j, k]:
        return CARES
    if limits.awake[v, a] <= 0.0:
        return AWAKE
    failed = gate_of_cone(limits, v, a, k, held, distance, off, elevation)
    if failed == LINE_OF_SIGHT and is_too_dark(limits, v, a, k, light):
        return LIGHT
    return failed


def gate_of_cone(
    limits: SightLimits,
    v: int,
    a: int,
    k: int,
    held: bool,
    distance: float,
    off: float,
    elevation: float,
) -> int:
    """The first of range, angle and elevation that fails, or LINE_OF_SIGHT."""
    if distance > range_of(limits, v, a, k, held):
        return RANGE
    half = limits.hold_half_fov[v, a, k] if held else limits.half_fov[v, a, k]
    if off > half + EDGE:
        return ANGLE
    if elevation > limits.up[v, a, k] + EDGE or -elevation > limits.down[v, a, k] + EDGE:
        return ELEVATION
    return LINE_OF_SIGHT


def is_too_dark(limits: SightLimits, v: int, a: int, k: int, light: float) -> bool:
    """Whether a cone needs more light than this."""
    return bool(light < limits.min_light[v, a, k] - EDGE)


def _first_body(
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
        if c == i or c == j or c == bodies.lies[v, j]:  # noqa: SIM109
            continue
        cx, cy = poses.x[p, c] - x, poses.y[p, c] - y
        middle = (cx * dx + cy * dy) / length2  # the share at which it is nearest in plan
        aside2 = cx * cx + cy * cy - middle * middle * length2
        if aside2 >= radius * radius:
            continue
        half = sqrt((radius * radius - aside2) / length2)
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


def _expose(
    poses: Poses,
    bodies: Bodies,
    grid: Grid,
    scratch: Scratch,
    v: int,
    p: int,
    i: int,
    j: int,
    eye_z: float,
    sight: Sight,
    a: int,
) -> None:
    """The share of body `j` in view of eye `i`, and the wall or body that blocks.

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
            body, near = _first_body(poses, bodies, v, p, i, j, eye_z, to_z)
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
