"""Line of sight: a ray cast through a uniform grid of wall segments.

Compiled, see `snelk.level.columns`.

A wall is an upright face above each piece of its outline, from `base` to `top`; what is not
upright, such as the top of a solid, is triangles. Walls are closed: a ray that only grazes a
corner, a top edge or runs along a face has met the wall. The ray is open: what lies within `TOUCH`
of its own two ends does not count, so that somebody who leans on a wall still sees. The rules are
in docs/calculations.md.
"""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, compiled, declare, nogil
from cython import float as single
from cython.cimports.libc.math import fabs, sqrt
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, agree, door, laid_out
from snelk.level.grid import NO_WALL, TINY, TOUCH, Grid, Scratch, agree_scratch
from snelk.level.tree import INNER, PARTS, WIDE

if not compiled:  # else they are a few instructions of the processor, see the .pxd

    def below_zero(gaps: list[float]) -> int:
        """Which of eight numbers are below 0, a bit for each."""
        return sum(1 << n for n in range(8) if gaps[n] < 0.0)

    def lowest_bit(bits: int) -> int:
        """The place of the lowest bit that is set; one is."""
        return (bits & -bits).bit_length() - 1

    def fetch_node(grid: Grid, node: int) -> None:
        """Ask memory for a node that is looked at soon."""

    def fetch_triangle(grid: Grid, triangle: int) -> None:
        """The same for a triangle."""


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
    dx: float, dy: float, ax: float, ay: float, bx: float, by: float, first: float, last: float
) -> float:
    """Where a ray that runs along a face first meets it, or infinity if it does not.

    A ray straight up or down on the line of a face counts as meeting it half-way.
    """
    square = dx * dx + dy * dy
    if square == 0.0:
        on_face = min(ax, bx) <= 0.0 <= max(ax, bx) and min(ay, by) <= 0.0 <= max(ay, by)
        return 0.5 if on_face else INF
    a = (ax * dx + ay * dy) / square
    b = (bx * dx + by * dy) / square
    near, far = min(a, b), max(a, b)
    if far <= first or near >= last:
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
    dx = to_x - x
    dy = to_y - y
    dz = to_z - z
    square = dx * dx + dy * dy + dz * dz
    if square <= 4.0 * TOUCH * TOUCH:
        return 1.0, NO_WALL, NAN
    if grid.has_sheer:
        scratch.met[len(scratch.met) - 1] += 1
    first = TOUCH / sqrt(square)
    if not grid.has_triangles:
        return _past_faces(grid, scratch, x, y, z, dx, dy, dz, first, nearest)
    share, wall, at = 1.0, NO_WALL, NAN
    if grid.columns > 0:
        share, wall, at = _past_faces(grid, scratch, x, y, z, dx, dy, dz, first, nearest)
        if share == 0.0 and not nearest:
            return share, wall, at
    return _past_triangles(grid, scratch, x, y, z, dx, dy, dz, first, share, wall, at, nearest)


def _past_faces(
    grid: Grid,
    scratch: Scratch,
    x: float,
    y: float,
    z: float,
    dx: float,
    dy: float,
    dz: float,
    first: float,
    nearest: bool,
) -> tuple[float, int, float]:
    """`_cast` of upright faces alone; `first` is the share of it within `TOUCH` of its ends."""
    if grid.columns == 0:
        return 1.0, NO_WALL, NAN
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

    rays, any_faces, now = len(scratch.met) - 1, len(grid.solid_walls) > 0, scratch.row[0]
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
                    if scratch.met[wall] != scratch.met[rays]:
                        scratch.met[wall] = scratch.met[rays]
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
        at = _along_face(dx, dy, ax, ay, bx, by, first, last)
    else:
        at = (ax * (by - ay) - ay * (bx - ax)) / (side_b - side_a)
    height = z + at * dz
    if first < at < last and pieces[entry, 4] <= height <= pieces[entry, 5]:
        return at
    return INF


def _past_triangles(
    grid: Grid,
    scratch: Scratch,
    x: float,
    y: float,
    z: float,
    dx: float,
    dy: float,
    dz: float,
    first: float,
    share: float,
    wall: int,
    at: float,
    nearest: bool,
) -> tuple[float, int, float]:
    """`_cast` for triangles, after the ray was cast through faces.

    It looks into the boxes of the tree that it meets before what stops it, in whatever order: to
    put them in order takes longer than to look into some in vain. Of those that meet it at one
    place the wall with the lowest number counts.
    """
    stopped_wall, stopped_at = NO_WALL, 1.0
    dimmed_by, dimmed_at = NO_WALL, INF
    if share == 0.0:
        stopped_wall, stopped_at = wall, at
    elif wall != NO_WALL:
        dimmed_by, dimmed_at = wall, at
    from_x, from_y, from_z = x - grid.middle[0], y - grid.middle[1], z - grid.middle[2]
    none, one, reach = 0.0, 1.0, stopped_at * ROUNDED  # in 32 bits
    slope_x, slope_y, slope_z, gaps = dx, dy, dz, declare(single[8])
    per_x = one / (slope_x if fabs(dx) > SLIGHT else SLIGHT)
    per_y = one / (slope_y if fabs(dy) > SLIGHT else SLIGHT)
    per_z = one / (slope_z if fabs(dz) > SLIGHT else SLIGHT)
    # Boxes are enlarged, and a ray leaves one a little later than computed (Ize 2013, "Robust BVH
    # ray traversal").
    out_x, out_y, out_z = per_x * ROUNDED, per_y * ROUNDED, per_z * ROUNDED
    # In a row of boxes the lowest come before the highest.
    near_x = 0 if per_x > 0.0 else 3 * WIDE
    near_y = WIDE if per_y > 0.0 else 4 * WIDE
    near_z = 2 * WIDE if per_z > 0.0 else 5 * WIDE
    far_x, far_y, far_z = 3 * WIDE - near_x, 5 * WIDE - near_y, 7 * WIDE - near_z
    node, count, most, last = 0, 0, -1, 1.0 - first
    while True:
        for n in range(8):  # `WIDE`; with a number that is known four are worked out at once
            enter_x = (grid.boxes[node + near_x + n] - from_x) * per_x
            enter_y = (grid.boxes[node + near_y + n] - from_y) * per_y
            enter_z = (grid.boxes[node + near_z + n] - from_z) * per_z
            leave_x = (grid.boxes[node + far_x + n] - from_x) * out_x
            leave_y = (grid.boxes[node + far_y + n] - from_y) * out_y
            leave_z = (grid.boxes[node + far_z + n] - from_z) * out_z
            enter_x = enter_x if enter_x > enter_y else enter_y
            enter_z = enter_z if enter_z > none else none
            enter_x = enter_x if enter_x > enter_z else enter_z
            leave_x = leave_x if leave_x < leave_y else leave_y
            leave_z = leave_z if leave_z < reach else reach
            leave_x = leave_x if leave_x < leave_z else leave_z
            gaps[n] = enter_x - leave_x
        met = below_zero(gaps)
        inner = met & grid.parts[node + INNER]
        leaves = met - inner
        while inner > 0:
            n = lowest_bit(inner)
            inner &= inner - 1
            scratch.waiting[count] = grid.parts[node + PARTS + n]
            fetch_node(grid, scratch.waiting[count])
            count += 1
        while leaves > 0:
            n = lowest_bit(leaves)
            leaves &= leaves - 1
            part = -1 - grid.parts[node + PARTS + n]
            if leaves > 0:
                fetch_triangle(grid, (-1 - grid.parts[node + PARTS + lowest_bit(leaves)]) >> 1)
            if most < 0:
                # Seen along the ray: it extends along this axis most, and leans so much along the
                # others, which come before it.
                most = 1 - (fabs(dx) > fabs(dy))
                most = 2 if (fabs(dz) >= fabs(dx)) & (fabs(dz) >= fabs(dy)) else most
                across, up = most + 1 - 3 * (most == 2), most + 2 - 3 * (most > 0)
                scratch.ray[0], scratch.ray[1], scratch.ray[2] = x, y, z
                scratch.ray[3], scratch.ray[4], scratch.ray[5] = dx, dy, dz
                u, v, w = scratch.ray[across], scratch.ray[up], scratch.ray[most]
                du, dv, dw = scratch.ray[3 + across], scratch.ray[3 + up], scratch.ray[3 + most]
                lean_u, lean_v = du / dw, dv / dw
            entry = part >> 1  # `LEAF` is 2
            for triangle in range(entry, entry + (part & 1) + 1):
                here = _meet_triangle(
                    grid,
                    triangle,
                    across,
                    up,
                    most,
                    u,
                    v,
                    w,
                    du,
                    dv,
                    dw,
                    lean_u,
                    lean_v,
                    first,
                    last,
                )
                if here > stopped_at or here == INF:
                    continue
                wall = grid.triangle_walls[triangle]
                if grid.has_sheer:
                    if scratch.opened[scratch.row[0], wall]:
                        continue
                    if grid.see_through[wall] > 0.0:
                        rays = len(scratch.met) - 1
                        if scratch.met[wall] != scratch.met[rays]:
                            scratch.met[wall] = scratch.met[rays]
                            share *= grid.see_through[wall]
                        if here < dimmed_at or (here == dimmed_at and wall < dimmed_by):
                            dimmed_by, dimmed_at = wall, here
                        continue
                if not nearest:
                    return 0.0, wall, here
                if here < stopped_at or wall < stopped_wall:
                    stopped_wall, stopped_at, reach = wall, here, here * ROUNDED
        if count == 0:
            break
        count -= 1
        node = scratch.waiting[count]
    if stopped_wall != NO_WALL:
        return 0.0, stopped_wall, stopped_at
    if dimmed_by != NO_WALL:
        return share, dimmed_by, dimmed_at
    return 1.0, NO_WALL, NAN


def _meet_triangle(
    grid: Grid,
    triangle: int,
    across: int,
    up: int,
    most: int,
    u: float,
    v: float,
    w: float,
    du: float,
    dv: float,
    dw: float,
    lean_u: float,
    lean_v: float,
    first: float,
    last: float,
) -> float:
    """The same for a triangle, and a ray given along three axes, the longest last.

    Seen along the ray, a triangle is met if the ray leaves all its edges on one side. A corner is
    seen at the same place whichever triangle it is asked for, so that no ray slips between two
    that share it (Woop, Benthin and Wald 2013, "Watertight ray/triangle intersection").
    """
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
    if area == 0.0:
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
    _cast_each(laid_out(GridColumns, grid), scratch, start, end, share, wall, at)


def _cast_each(
    grid: Grid,
    scratch: Scratch,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    share: NDArray[np.float64],
    wall: NDArray[np.int32],
    at: NDArray[np.float64],
) -> None:
    with nogil:
        for i in range(len(start)):
            share[i], wall[i], at[i] = cast_ray(
                grid,
                scratch,
                start[i, 0],
                start[i, 1],
                start[i, 2],
                end[i, 0],
                end[i, 1],
                end[i, 2],
            )


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
    _share_each(laid_out(GridColumns, grid), scratch, start, end, share)


def _share_each(
    grid: Grid,
    scratch: Scratch,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    share: NDArray[np.float64],
) -> None:
    with nogil:
        for i in range(len(start)):
            share[i] = share_past(
                grid,
                scratch,
                start[i, 0],
                start[i, 1],
                start[i, 2],
                end[i, 0],
                end[i, 1],
                end[i, 2],
            )
