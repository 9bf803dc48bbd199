"""Line of sight: a walk along a ray through a uniform grid of wall pieces.

Compiled, see `snelk.level.columns`.

A wall is an upright face above each piece of its outline, from `base` to `top`; what is not
upright, such as the top of a solid, is triangles. Walls are closed: a ray that only grazes a
corner, a top edge or runs along a face has met the wall. The ray is open: what lies within `TOUCH`
of its own two ends does not count, so that somebody who leans on a wall still sees. The rules are
in docs/calculations.md.
"""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, nogil, ulonglong
from cython.cimports.libc.math import fabs, sqrt
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, agree, door, laid_out
from snelk.level.grid import LAYERS, LEEWAY, NO_WALL, TINY, TOUCH, Grid, Scratch, agree_scratch

INF = float("inf")
NAN = float("nan")


def _overlap(
    start: float, extent: float, low: float, high: float, enter: float, leave: float
) -> tuple[float, float]:
    """Cut the part (enter, leave) of a ray down to where one coordinate is in (low, high)."""
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
    dx = to_x - x
    dy = to_y - y
    dz = to_z - z
    length = sqrt(dx * dx + dy * dy + dz * dz)
    if length <= 2.0 * TOUCH or grid.columns == 0:
        return 1.0, NO_WALL, NAN
    first = TOUCH / length
    last = 1.0 - first

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
    if grid.has_sheer:
        scratch.met[rays] += 1
    here = z + enter * dz
    # Seen along the ray: it extends along this axis most, and leans so much along the others.
    most, lean_x, lean_y = 2, 0.0, 0.0
    if grid.has_triangles:
        most = 2 if fabs(dz) >= max(fabs(dx), fabs(dy)) else 0 if fabs(dx) > fabs(dy) else 1
        if most == 2:
            lean_x, lean_y = dx / dz, dy / dz
        elif most == 0:
            lean_x, lean_y = dy / dx, dz / dx
        else:
            lean_x, lean_y = dz / dy, dx / dy
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
        if grid.has_triangles:
            there = z + min(end_of_cell, leave) * dz
            heights = layers(grid, min(here, there) - LEEWAY, max(here, there) + LEEWAY)
            if grid.cell_layers[index] & heights:
                if stopped_by != NO_WALL:
                    stopped_wall, stopped_by = grid.solid_walls[stopped_by], NO_WALL
                for entry in range(grid.triangle_starts[index], grid.triangle_starts[index + 1]):
                    if not grid.entry_layers[entry] & heights:
                        continue
                    triangle = grid.entry_triangles[entry]
                    at = _meet_triangle(
                        grid.triangles, triangle, x, y, z, dx, dy, dz, most, lean_x, lean_y, first,
                        last,
                    )  # fmt: skip
                    if at > stopped_at or at == INF:
                        continue
                    wall = grid.triangle_walls[triangle]
                    if scratch.opened[now, wall]:
                        continue
                    if grid.see_through[wall] == 0.0:
                        if at < stopped_at or wall < stopped_wall:
                            stopped_wall, stopped_at = wall, at
                        continue
                    if scratch.met[wall] != scratch.met[rays]:
                        scratch.met[wall] = scratch.met[rays]
                        share *= grid.see_through[wall]
                    if at < dimmed_at:
                        dimmed_by, dimmed_at = wall, at
            here = there
        if stopped_at < end_of_cell or end_of_cell >= leave:
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


def layers(grid: Grid, low: float, high: float) -> int:
    """The layers of height between two heights, a bit for each."""
    lowest = min(max((low - grid.lowest) * grid.layers_per_metre, 0.0), LAYERS - 1.0)
    highest = min(max((high - grid.lowest) * grid.layers_per_metre, 0.0), LAYERS - 1.0)
    above: int = cast(ulonglong, 2) << cast(int, highest)
    below: int = cast(ulonglong, 1) << cast(int, lowest)
    return above - below


def _meet_triangle(
    triangles: NDArray[np.float64],
    entry: int,
    x: float,
    y: float,
    z: float,
    dx: float,
    dy: float,
    dz: float,
    most: int,
    lean_x: float,
    lean_y: float,
    first: float,
    last: float,
) -> float:
    """The same for a triangle.

    Seen along the ray, a triangle is met if the ray leaves all its edges on one side. A corner is
    seen at the same place whichever triangle it is asked for, so that no ray slips between two
    that share it (Woop, Benthin and Wald 2013, "Watertight ray/triangle intersection").
    """
    ax, ay, az = triangles[entry, 0] - x, triangles[entry, 1] - y, triangles[entry, 2] - z
    bx, by, bz = triangles[entry, 3] - x, triangles[entry, 4] - y, triangles[entry, 5] - z
    cx, cy, cz = triangles[entry, 6] - x, triangles[entry, 7] - y, triangles[entry, 8] - z
    if most == 0:  # laid so that the ray extends along the last axis most
        dx, dy, dz = dy, dz, dx
        ax, ay, az, bx, by, bz, cx, cy, cz = ay, az, ax, by, bz, bx, cy, cz, cx
    elif most == 1:
        dx, dy, dz = dz, dx, dy
        ax, ay, az, bx, by, bz, cx, cy, cz = az, ax, ay, bz, bx, by, cz, cx, cy
    px, py = ax - lean_x * az, ay - lean_y * az
    qx, qy = bx - lean_x * bz, by - lean_y * bz
    rx, ry = cx - lean_x * cz, cy - lean_y * cz
    by_a, by_b, by_c = qx * ry - qy * rx, rx * py - ry * px, px * qy - py * qx
    if min(by_a, by_b, by_c) < 0.0 and max(by_a, by_b, by_c) > 0.0:
        return INF
    across = by_a + by_b + by_c
    if across == 0.0:
        return _along_triangle(ax, ay, az, bx, by, bz, cx, cy, cz, dx, dy, dz, first, last)
    at = (by_a * az + by_b * bz + by_c * cz) / (across * dz)
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
    """Cut the part (near, far) of a line from (0, 0) down to what is left of an edge, or on it."""
    begins = turn * (ax * by - ay * bx)
    gains = turn * ((bx - ax) * dy - (by - ay) * dx)
    if gains == 0.0:
        return (near, far) if begins >= 0.0 else (1.0, 0.0)
    at = -begins / gains
    return (max(near, at), far) if gains > 0.0 else (near, min(far, at))


@door
def passes(
    grid: Grid,
    scratch: Scratch,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
) -> bool:
    """Whether anything of one ray passes, m."""
    agree_scratch(scratch, grid)
    return _passes(laid_out(GridColumns, grid), scratch, x, y, z, to_x, to_y, to_z)


def _passes(
    grid: Grid,
    scratch: Scratch,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
) -> bool:
    share, _wall, _at = cast_ray(grid, scratch, x, y, z, to_x, to_y, to_z)
    return bool(share > 0.0)


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
