"""Line of sight: a ray cast through a uniform grid of wall segments.

Compiled, see `snelk.level.columns`.

A wall is an upright face above each piece of its outline, from `base` to `top`; what is not
upright, such as the top of a solid, is triangles. Walls are closed: a ray that only grazes a
corner, a top edge or runs along a face has met the wall. The ray is open: what lies within `TOUCH`
of its own two ends does not count, so that somebody who leans on a wall still sees. The rules are
in docs/calculations.md.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from cython import Py_ssize_t, cast, compiled, declare, nogil
from cython import float as single
from cython import int as cint
from cython.cimports.libc.math import fabs, sqrt
from numpy.typing import NDArray

from snelk.level import tree
from snelk.level.columns import GridColumns, agree, door, laid_out
from snelk.level.grid import NO_WALL, TINY, TOUCH, Grid, Scratch, agree_scratch

if not compiled:  # else they are in the .pxd
    from snelk.level.tree import ABREAST, INNER, PARTS, WIDE

    def below_zero(gaps: list[float]) -> int:
        """Which of eight numbers are below 0, a bit for each; for -0 either may be told."""
        return sum(1 << n for n in range(8) if gaps[n] < 0.0)

    def lowest_bit(bits: int) -> int:
        """The place of the lowest bit that is set; one is."""
        return int(bits & -bits).bit_length() - 1

    def fetch_node(grid: Grid, node: int) -> None:
        """Ask memory for a node that is looked at soon."""

    def fetch_triangle(grid: Grid, triangle: int) -> None:
        """The same for a triangle."""

    def slot_of(scratch: Scratch, slot: int) -> Any:
        """What is kept of a ray."""
        return scratch.slots[slot]


agree((WIDE, PARTS, INNER, ABREAST), (tree.WIDE, tree.PARTS, tree.INNER, tree.ABREAST))

SLIGHT = 1e-30
"""A ray extends along an axis by no less than this, m, where boxes are asked for."""

ROUNDED = 1.000002
"""Where a ray leaves a box in 32 bits is taken to be so much farther, more than it can err."""

INF = float("inf")
NAN = float("nan")


def _overlap(
    start: float, extent: float, low: float, high: float, enter: float, leave: float
) -> tuple[float, float]:
    """Clip the part (enter, leave) of a ray to where one coordinate is in (low, high)."""
    if extent == 0.0:
        return (enter, leave) if low <= start <= high else (1.0, 0.0)
    a, b = (low - start) / extent, (high - start) / extent
    return max(enter, min(a, b)), min(leave, max(a, b))


def _along_face(
    dx: float,
    dy: float,
    dz: float,
    ax: float,
    ay: float,
    bx: float,
    by: float,
    low: float,
    high: float,
    first: float,
    last: float,
) -> float:
    """Where a ray that runs along a face first meets it, or infinity if it does not.

    The face goes from (ax, ay) to (bx, by) and from `low` to `high`, as seen from the ray's start.
    """
    square, near, far = dx * dx + dy * dy, 0.0, 1.0
    if square > 0.0:
        a = (ax * dx + ay * dy) / square
        b = (bx * dx + by * dy) / square
        near, far = min(a, b), max(a, b)
    else:  # straight up or down: whether that is on the line of the face
        length, off = sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay)), ax * by - ay * bx
        beside = min(ax, bx) > TOUCH or max(ax, bx) < -TOUCH
        beside = beside or min(ay, by) > TOUCH or max(ay, by) < -TOUCH
        if beside or fabs(off) > TOUCH * length:
            return INF
    near, far = _overlap(0.0, dz, low, high, near, far)
    if near > far or far <= first or near >= last:
        return INF
    return max(near, 2.0 * first)


def cast_ray(
    grid: Grid,
    scratch: Scratch,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
) -> tuple[float, int, float]:
    """Follow one ray; return the share that passes, the wall that stopped it, and where.

    The wall is the nearest one that lets nothing through, else the nearest it was dimmed by,
    else `NO_WALL`; the place is a fraction of the ray. Each wall dims a ray once, however
    often the ray crosses its outline.
    """
    return _cast(grid, scratch, x, y, z, to_x, to_y, to_z, True)


def share_past(
    grid: Grid,
    scratch: Scratch,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
) -> float:
    """The share that passes of one ray, as `cast_ray` has it; sooner, since no wall is named."""
    # Until a wall stops it, it meets the same in the same order, so that no last digit differs.
    share, _wall, _at = _cast(grid, scratch, x, y, z, to_x, to_y, to_z, False)
    return share


def _cast(
    grid: Grid,
    scratch: Scratch,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
    nearest: bool,
) -> tuple[float, int, float]:
    """`cast_ray`; unless the `nearest` is asked for, any wall that stops the ray will do."""
    if not grid.has_triangles:
        _count(grid, scratch, 0)
        return _through_faces(grid, scratch, 0, x, y, z, to_x, to_y, to_z, nearest)
    ray = slot_of(scratch, 0)
    if _begin(grid, scratch, ray, 0, x, y, z, to_x, to_y, to_z, nearest):
        while _go_on(grid, scratch, ray, 0, _boxes_met(grid, ray), nearest, True):
            pass
    return _outcome(grid, ray)


def _outcome(grid: Grid, ray: Any) -> tuple[float, int, float]:
    """What `cast_ray` returns of a ray that was followed to its end."""
    wall = ray.wall
    if wall != NO_WALL:
        return 0.0, wall, ray.at
    if grid.has_sheer and ray.dimmed_by != NO_WALL:
        return ray.share, ray.dimmed_by, ray.dimmed_at
    return 1.0, NO_WALL, NAN


def _through_faces(
    grid: Grid,
    scratch: Scratch,
    slot: int,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
    nearest: bool,
) -> tuple[float, int, float]:
    """`_cast` of upright faces alone."""
    dx, dy, dz = to_x - x, to_y - y, to_z - z
    if grid.columns == 0 or _is_none(dx, dy, dz):
        return 1.0, NO_WALL, NAN
    first = TOUCH / sqrt(dx * dx + dy * dy + dz * dz)
    return _past_faces(grid, scratch, slot, x, y, z, dx, dy, dz, first, nearest)


def _is_none(dx: float, dy: float, dz: float) -> bool:
    """Whether all of a ray is within `TOUCH` of its ends."""
    return dx * dx + dy * dy + dz * dz <= 4.0 * TOUCH * TOUCH


def _count(grid: Grid, scratch: Scratch, slot: int) -> None:
    """Count a ray where any is dimmed, so that each wall that it meets dims it once."""
    if grid.has_sheer:
        scratch.met[slot, scratch.met.shape[1] - 1] += 1


def _past_faces(
    grid: Grid,
    scratch: Scratch,
    slot: int,
    x: float,
    y: float,
    z: float,
    dx: float,
    dy: float,
    dz: float,
    first: float,
    nearest: bool,
) -> tuple[float, int, float]:
    """The same; `first` is the share of it within `TOUCH` of its ends."""
    to_x, to_y, last = x + dx, y + dy, 1.0 - first
    enter, leave = 0.0, 1.0
    right = grid.x + grid.cell * grid.columns
    upper = grid.y + grid.cell * grid.rows
    if (
        min(x, to_x) < grid.x
        or max(x, to_x) > right
        or min(y, to_y) < grid.y
        or max(y, to_y) > upper
    ):
        enter, leave = _overlap(x, dx, grid.x, right, enter, leave)
        enter, leave = _overlap(y, dy, grid.y, upper, enter, leave)
        if enter > leave:
            return 1.0, NO_WALL, NAN

    columns, cells = grid.columns, grid.columns * grid.rows
    column = min(max(cast(Py_ssize_t, (x + enter * dx - grid.x) * grid.per_metre), 0), columns - 1)
    row = min(max(cast(Py_ssize_t, (y + enter * dy - grid.y) * grid.per_metre), 0), grid.rows - 1)
    index = row * columns + column
    step_column = 1 if dx > 0.0 else -1
    step_row = columns if dy > 0.0 else -columns
    # A ray that hardly moves along an axis never leaves its column or row.
    per_dx = 1.0 / dx if abs(dx) > TINY else INF
    per_dy = 1.0 / dy if abs(dy) > TINY else INF
    per_column, per_row = grid.cell * abs(per_dx), grid.cell * abs(per_dy)
    next_column = (grid.x + grid.cell * (column + (dx > 0.0)) - x) * per_dx
    next_row = (grid.y + grid.cell * (row + (dy > 0.0)) - y) * per_dy
    next_column = next_column if abs(dx) > TINY else INF
    next_row = next_row if abs(dy) > TINY else INF

    rays, any_faces, now = scratch.met.shape[1] - 1, len(grid.solid_walls) > 0, scratch.row[0]
    stopped_by, stopped_at, stopped_wall = NO_WALL, last, NO_WALL
    dimmed_by, dimmed_at = NO_WALL, INF
    share = 1.0
    while True:
        parallel = False
        # Which pieces are met cannot be foretold, so a loop without branches is much faster
        # here than one that leaves a piece at the first test it fails.
        faces = grid.solid_starts[index + 1] if any_faces else 0
        for entry in range(grid.solid_starts[index] if any_faces else 0, faces):
            ax = grid.solid_pieces[entry, 0] - x
            ay = grid.solid_pieces[entry, 1] - y
            bx = grid.solid_pieces[entry, 2] - x
            by = grid.solid_pieces[entry, 3] - y
            side_a = dx * ay - dy * ax
            side_b = dx * by - dy * bx
            across = side_b - side_a
            at = (ax * (by - ay) - ay * (bx - ax)) / across
            parallel |= across == 0.0
            height = z + at * dz
            met = (
                (side_a * side_b <= 0.0)
                & (at > first)
                & (at < stopped_at)
                & (height >= grid.solid_pieces[entry, 4])
                & (height <= grid.solid_pieces[entry, 5])
            )
            stopped_at = at if met else stopped_at
            stopped_by = entry if met else stopped_by
        if parallel:
            for entry in range(grid.solid_starts[index], grid.solid_starts[index + 1]):
                at = _meet(grid.solid_pieces, entry, x, y, z, dx, dy, dz, first, last)
                if at < stopped_at:
                    stopped_by, stopped_at = entry, at
        if grid.has_sheer:
            for entry in range(grid.sheer_starts[index], grid.sheer_starts[index + 1]):
                at = _meet(grid.sheer_pieces, entry, x, y, z, dx, dy, dz, first, last)
                if at < INF:
                    wall = grid.sheer_walls[entry]
                    if scratch.opened[now, wall]:
                        continue
                    if grid.see_through[wall] == 0.0:  # a door
                        if at < stopped_at:
                            stopped_wall, stopped_at, stopped_by = wall, at, NO_WALL
                        continue
                    if scratch.met[slot, wall] != scratch.met[slot, rays]:
                        scratch.met[slot, wall] = scratch.met[slot, rays]
                        share *= grid.see_through[wall]
                    if at < dimmed_at:
                        dimmed_by, dimmed_at = wall, at
        end_of_cell = min(next_column, next_row)
        if stopped_at < end_of_cell or end_of_cell >= leave:
            break
        if stopped_at < last and not nearest:
            break
        by_column = next_column < next_row
        index += step_column if by_column else step_row
        next_column += per_column if by_column else 0.0
        next_row += 0.0 if by_column else per_row
        if index < 0 or index >= cells:
            break
    if stopped_by != NO_WALL:
        stopped_wall = grid.solid_walls[stopped_by]
    if stopped_wall != NO_WALL:
        return 0.0, stopped_wall, stopped_at
    if dimmed_by != NO_WALL:
        return share, dimmed_by, dimmed_at
    return 1.0, NO_WALL, NAN


def _meet(
    pieces: NDArray[np.float64],
    entry: int,
    x: float,
    y: float,
    z: float,
    dx: float,
    dy: float,
    dz: float,
    first: float,
    last: float,
) -> float:
    """Where a ray meets one piece, as a fraction of the ray, or infinity if it does not."""
    ax, ay = pieces[entry, 0] - x, pieces[entry, 1] - y
    bx, by = pieces[entry, 2] - x, pieces[entry, 3] - y
    side_a = dx * ay - dy * ax
    side_b = dx * by - dy * bx
    if side_a * side_b > 0.0:
        return INF
    if side_a == 0.0 and side_b == 0.0:
        low, high = pieces[entry, 4] - z, pieces[entry, 5] - z
        return _along_face(dx, dy, dz, ax, ay, bx, by, low, high, first, last)
    at = (ax * (by - ay) - ay * (bx - ax)) / (side_b - side_a)
    height = z + at * dz
    if first < at < last and pieces[entry, 4] <= height <= pieces[entry, 5]:
        return at
    return INF


def _begin(
    grid: Grid,
    scratch: Scratch,
    ray: Any,
    slot: int,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
    nearest: bool,
) -> bool:
    """Cast a ray through faces, and let it begin at the tree; False if nothing more can change."""
    dx, dy, dz, reach = to_x - x, to_y - y, to_z - z, 1.0
    ray.wall, ray.at = NO_WALL, reach
    if grid.has_sheer:
        ray.share, ray.dimmed_by, ray.dimmed_at = 1.0, NO_WALL, INF
    _count(grid, scratch, slot)
    if grid.columns > 0:
        share, wall, at = _through_faces(grid, scratch, slot, x, y, z, to_x, to_y, to_z, nearest)
        if share == 0.0:
            ray.wall, ray.at, reach = wall, at, at
            if not nearest:
                return False
        elif wall != NO_WALL:
            ray.share, ray.dimmed_by, ray.dimmed_at = share, wall, at
    if _is_none(dx, dy, dz):
        return False
    ray.start[0], ray.start[1], ray.start[2] = x, y, z
    ray.along[0], ray.along[1], ray.along[2] = dx, dy, dz
    one, slope_x, slope_y, slope_z = 1.0, dx, dy, dz  # in 32 bits
    per_x = one / (slope_x if fabs(dx) > SLIGHT else SLIGHT)
    per_y = one / (slope_y if fabs(dy) > SLIGHT else SLIGHT)
    per_z = one / (slope_z if fabs(dz) > SLIGHT else SLIGHT)
    ray.from_x = x - grid.middle[0]
    ray.from_y = y - grid.middle[1]
    ray.from_z = z - grid.middle[2]
    ray.per_x = per_x
    ray.per_y = per_y
    ray.per_z = per_z
    ray.reach = reach * ROUNDED
    # In a row of boxes the lowest come before the highest.
    ray.near_x = 0 if per_x > 0.0 else 3 * WIDE
    ray.near_y = WIDE if per_y > 0.0 else 4 * WIDE
    ray.near_z = 2 * WIDE if per_z > 0.0 else 5 * WIDE
    ray.node, ray.held, ray.most = 0, 0, -1
    return True


def _boxes_met(grid: Grid, ray: Any) -> int:
    """The boxes of its node that a ray meets before what stops it, a bit for each."""
    gaps = declare(single[8])
    from_x, per_x = ray.from_x, ray.per_x
    from_y, per_y = ray.from_y, ray.per_y
    from_z, per_z = ray.from_z, ray.per_z
    # Boxes are enlarged, and a ray leaves one a little later than computed (Ize 2013, "Robust BVH
    # ray traversal").
    out_x, out_y, out_z = per_x * ROUNDED, per_y * ROUNDED, per_z * ROUNDED
    node, reach = ray.node, ray.reach
    near_x, near_y = ray.near_x, ray.near_y
    near_z = ray.near_z
    far_x, far_y, far_z = 3 * WIDE - near_x, 5 * WIDE - near_y, 7 * WIDE - near_z
    for n in range(8):  # `WIDE`; with a number that is known four are worked out at once
        enter_x = (grid.boxes[node + near_x + n] - from_x) * per_x
        enter_y = (grid.boxes[node + near_y + n] - from_y) * per_y
        enter_z = (grid.boxes[node + near_z + n] - from_z) * per_z
        leave_x = (grid.boxes[node + far_x + n] - from_x) * out_x
        leave_y = (grid.boxes[node + far_y + n] - from_y) * out_y
        leave_z = (grid.boxes[node + far_z + n] - from_z) * out_z
        enter_x = enter_x if enter_x > enter_y else enter_y
        enter_x = enter_x if enter_x > enter_z else enter_z
        leave_x = leave_x if leave_x < leave_y else leave_y
        leave_z = leave_z if leave_z < reach else reach
        leave_x = leave_x if leave_x < leave_z else leave_z
        gap, behind = enter_x - leave_x, -leave_x
        gaps[n] = gap if gap > behind else behind
    return below_zero(gaps)


def _go_on(
    grid: Grid, scratch: Scratch, ray: Any, slot: int, met: int, nearest: bool, alone: bool
) -> bool:
    """Look at the triangles in boxes that a ray met, and go to the next node; False at the end.

    Boxes are looked into in whatever order: to put them in order takes longer than to look into
    some in vain. Of triangles that meet the ray at one place the wall with the lowest number
    counts. A ray that is followed `alone` holds its nodes one after the other: a processor guesses
    which comes next, and begins with it. Of several rays each holds a node, and which of its parts
    are left: that takes no branch, which could be guessed wrongly.
    """
    node, held = ray.node, ray.held
    inner = met & grid.parts[node + INNER]
    leaves = met - inner
    top = 2 * (ABREAST * held + slot)
    if alone:
        while inner > 0:
            n = lowest_bit(inner)
            inner &= inner - 1
            scratch.waiting[held] = grid.parts[node + PARTS + n]
            fetch_node(grid, scratch.waiting[held])
            held += 1
    else:
        scratch.waiting[top], scratch.waiting[top + 1] = node, inner
        held += inner != 0
    while leaves > 0:
        n = lowest_bit(leaves)
        leaves &= leaves - 1
        part = -1 - grid.parts[node + PARTS + n]
        entry = part >> 1  # `LEAF` is 2
        if leaves > 0:
            fetch_triangle(grid, (-1 - grid.parts[node + PARTS + lowest_bit(leaves)]) >> 1)
        if ray.most < 0:
            _lean(ray)
        for triangle in range(entry, entry + (part & 1) + 1):
            here = _meet_triangle(grid, triangle, ray)
            if here == INF or here > ray.at:
                continue
            wall = grid.triangle_walls[triangle]
            if grid.has_sheer:
                if scratch.opened[scratch.row[0], wall]:
                    continue
                if grid.see_through[wall] > 0.0:
                    rays = scratch.met.shape[1] - 1
                    if scratch.met[slot, wall] != scratch.met[slot, rays]:
                        scratch.met[slot, wall] = scratch.met[slot, rays]
                        ray.share *= grid.see_through[wall]
                    before, by = ray.dimmed_at, ray.dimmed_by
                    if here < before or (here == before and wall < by):
                        ray.dimmed_by, ray.dimmed_at = wall, here
                    continue
            before, by = ray.at, ray.wall
            if by == NO_WALL or here < before or wall < by:
                ray.wall, ray.at = wall, here
                ray.reach = here * ROUNDED
            if not nearest:
                return False
    if held == 0:
        return False
    if alone:
        ray.node, ray.held = scratch.waiting[held - 1], held - 1
        return True
    top = 2 * (ABREAST * (held - 1) + slot)
    inner = scratch.waiting[top + 1]
    node = grid.parts[scratch.waiting[top] + PARTS + lowest_bit(inner)]
    fetch_node(grid, node)
    inner &= inner - 1
    scratch.waiting[top + 1] = inner
    ray.node, ray.held = node, held - (inner == 0)
    return True


def _lean(ray: Any) -> None:
    """Work out what triangles ask of a ray, once.

    Seen along it, it extends along one axis most, and leans so much along the others, which come
    before that.
    """
    dx, dy, dz = ray.along[0], ray.along[1], ray.along[2]
    most = 1 - (fabs(dx) > fabs(dy))
    most = 2 if (fabs(dz) >= fabs(dx)) & (fabs(dz) >= fabs(dy)) else most
    across, up = most + 1 - 3 * (most == 2), most + 2 - 3 * (most > 0)
    ahead = ray.along[most]
    ray.most = most
    ray.lean_u = ray.along[across] / ahead
    ray.lean_v = ray.along[up] / ahead
    ray.first = TOUCH / sqrt(dx * dx + dy * dy + dz * dz)


def _meet_triangle(grid: Grid, triangle: int, ray: Any) -> float:
    """Where a ray meets a triangle, as a fraction of the ray, or infinity if it does not.

    Seen along the ray, a triangle is met if the ray leaves all its edges on one side. A corner is
    seen at the same place whichever triangle it is asked for, so that no ray slips between two
    that share it (Woop, Benthin and Wald 2013, "Watertight ray/triangle intersection").
    """
    most = ray.most
    across, up = most + 1 - 3 * (most == 2), most + 2 - 3 * (most > 0)
    u, v = ray.start[across], ray.start[up]
    w = ray.start[most]
    lean_u, lean_v = ray.lean_u, ray.lean_v
    a, b, c = 9 * triangle, 9 * triangle + 3, 9 * triangle + 6
    au, av, aw = grid.triangles[a + across], grid.triangles[a + up], grid.triangles[a + most]
    bu, bv, bw = grid.triangles[b + across], grid.triangles[b + up], grid.triangles[b + most]
    cu, cv, cw = grid.triangles[c + across], grid.triangles[c + up], grid.triangles[c + most]
    au, av, aw, bu, bv, bw = au - u, av - v, aw - w, bu - u, bv - v, bw - w
    cu, cv, cw = cu - u, cv - v, cw - w
    px, py = au - lean_u * aw, av - lean_v * aw
    qx, qy = bu - lean_u * bw, bv - lean_v * bw
    rx, ry = cu - lean_u * cw, cv - lean_v * cw
    by_a, by_b, by_c = qx * ry - qy * rx, rx * py - ry * px, px * qy - py * qx
    if ((by_a < 0.0) | (by_b < 0.0) | (by_c < 0.0)) & ((by_a > 0.0) | (by_b > 0.0) | (by_c > 0.0)):
        return INF
    area = by_a + by_b + by_c
    dw = ray.along[most]
    first = ray.first
    last = 1.0 - first
    if area == 0.0:
        du, dv = ray.along[across], ray.along[up]
        return _along_triangle(au, av, aw, bu, bv, bw, cu, cv, cw, du, dv, dw, first, last)
    at = (by_a * aw + by_b * bw + by_c * cw) / (area * dw)
    return at if first < at < last else INF


def _along_triangle(
    ax: float,
    ay: float,
    az: float,
    bx: float,
    by: float,
    bz: float,
    cx: float,
    cy: float,
    cz: float,
    dx: float,
    dy: float,
    dz: float,
    first: float,
    last: float,
) -> float:
    """Where a ray in the plane of a triangle first meets it, or infinity if it does not.

    Both are laid flat along the axis that the triangle looks along most.
    """
    nx = fabs((by - ay) * (cz - az) - (bz - az) * (cy - ay))
    ny = fabs((bz - az) * (cx - ax) - (bx - ax) * (cz - az))
    nz = fabs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax))
    if nx > max(ny, nz):
        ax, ay, bx, by, cx, cy, dx, dy = ay, az, by, bz, cy, cz, dy, dz
    elif ny > nz:
        ay, by, cy, dy = az, bz, cz, dz
    turn = 1.0 if (bx - ax) * (cy - ay) - (by - ay) * (cx - ax) > 0.0 else -1.0
    near, far = _left_of(ax, ay, bx, by, dx, dy, turn, -INF, INF)
    near, far = _left_of(bx, by, cx, cy, dx, dy, turn, near, far)
    near, far = _left_of(cx, cy, ax, ay, dx, dy, turn, near, far)
    if near > far or far <= first or near >= last:
        return INF
    return max(near, 2.0 * first)


def _left_of(
    ax: float,
    ay: float,
    bx: float,
    by: float,
    dx: float,
    dy: float,
    turn: float,
    near: float,
    far: float,
) -> tuple[float, float]:
    """Clip the part (near, far) of a line from (0, 0) to the left of an edge, or on it."""
    begins = turn * (ax * by - ay * bx)
    gains = turn * ((bx - ax) * dy - (by - ay) * dx)
    if gains == 0.0:
        return (near, far) if begins >= 0.0 else (1.0, 0.0)
    at = -begins / gains
    return (max(near, at), far) if gains > 0.0 else (near, min(far, at))


@door
def cast_each(
    grid: Grid,
    scratch: Scratch,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    share: NDArray[np.float64],
    wall: NDArray[np.int32],
    at: NDArray[np.float64],
) -> None:
    """`cast_ray` for many rays, start and end (rays, 3), m; the last three arrays are filled."""
    agree(start.shape, end.shape, *((len(each), 3) for each in (share, wall, at)))
    agree_scratch(scratch, grid)
    _each(laid_out(GridColumns, grid), scratch, start, end, share, wall, at, True)


@door
def share_each(
    grid: Grid,
    scratch: Scratch,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    share: NDArray[np.float64],
) -> None:
    """`share_past` for many rays, start and end (rays, 3), m; `share` is filled."""
    agree(start.shape, end.shape, (len(share), 3))
    agree_scratch(scratch, grid)
    wall, at = np.empty(0, dtype=np.int32), np.empty(0)
    _each(laid_out(GridColumns, grid), scratch, start, end, share, wall, at, False)


def _each(
    grid: Grid,
    scratch: Scratch,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    share: NDArray[np.float64],
    wall: NDArray[np.int32],
    at: NDArray[np.float64],
    nearest: bool,
) -> None:
    """Both; `wall` and `at` are filled if the `nearest` is asked for."""
    with nogil:
        # Where any ray is dimmed there has to be room to tell which of several met a wall.
        is_roomy = len(scratch.met) == ABREAST or not grid.has_sheer
        if grid.has_triangles and len(start) > 1 and is_roomy:
            _abreast(grid, scratch, start, end, share, wall, at, nearest)
            return
        for n in range(len(start)):
            passes, by, where = _cast(
                grid, scratch, start[n, 0], start[n, 1], start[n, 2], end[n, 0], end[n, 1],
                end[n, 2], nearest,
            )  # fmt: skip
            share[n] = passes
            if nearest:
                wall[n], at[n] = by, where


def _abreast(
    grid: Grid,
    scratch: Scratch,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    share: NDArray[np.float64],
    wall: NDArray[np.int32],
    at: NDArray[np.float64],
    nearest: bool,
) -> None:
    """Follow several rays at a time, each as it would be alone.

    Where a ray goes next is known only when its boxes were worked out. Meanwhile those of the
    others are.
    """
    begun, running, met = 0, 0, declare(cint[8])  # `ABREAST`
    for slot in range(8):
        ray = slot_of(scratch, slot)
        ray.number, ray.node = -1, 0
    while running > 0 or begun < len(start):
        for slot in range(8):
            met[slot] = _boxes_met(grid, slot_of(scratch, slot))
        for slot in range(8):
            ray = slot_of(scratch, slot)
            n = ray.number
            if n >= 0 and _go_on(grid, scratch, ray, slot, met[slot], nearest, False):
                continue
            running -= n >= 0
            while True:
                if n >= 0:
                    passes, by, where = _outcome(grid, ray)
                    share[n] = passes
                    if nearest:
                        wall[n], at[n] = by, where
                n = begun if begun < len(start) else -1
                ray.number, ray.node = n, 0
                if n < 0:
                    break
                begun += 1
                if _begin(
                    grid, scratch, ray, slot, start[n, 0], start[n, 1], start[n, 2], end[n, 0],
                    end[n, 1], end[n, 2], nearest,
                ):  # fmt: skip
                    running += 1
                    break
