"""Paths on foot, one at a time; compiled, see `snelk.level.columns`.

`snelk.level.ways` describes shortest paths and the corners they turn at.
"""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, compiled, nogil
from cython.cimports.libc.math import fabs, isnan, sqrt
from numpy.typing import NDArray

from snelk.config.steps import STEP
from snelk.level.columns import (
    GridColumns,
    GroundColumns,
    JoinColumns,
    agree,
    door,
    laid_out,
    plain,
)
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.level.ground import NO_WAY, NOT_KNOWN, Ground, Joins
from snelk.level.growing import APART
from snelk.level.storeys import SNAP
from snelk.level.zones import INSIDE

if not compiled:
    from snelk.level.casting import share_past
    from snelk.level.footing import floor_below, height_of
    from snelk.level.lengths import hypot
    from snelk.level.within import where_in

INF = float("inf")
NAN = float("nan")

SAME = 1e-11
"""Places on a line this close are one, m."""

TINY_STEP = 1e-5
"""What a line is on so far from where it begins decides on which floor it begins, m."""

ASKEW = 0.35
"""Places beside another one are so much aside, of how far they are off."""

MOST_BESIDE = 64
"""So many floors meet at a place at most."""

MOST_SEAMS = 4096
"""A straight path that passes from floor to floor more often than this is given up."""

GRAZE = 1e-12
"""What the product of two sides of a line may be below 0, m4."""

ROUNDING = 1e-9
"""A path by a corner may be this much shorter than the straight lines it consists of, m."""

RIM = APART + ROUNDING
"""Who is this near, in plan, to where it would go back to is on the rim of it, and can stay, m."""

FAR, LEFT, FIRST, LAST, LEAST = range(5)
"""Of each corner: how far it is from start and goal, whether it is seen from there, and the least
length of a path that begins by it."""

NOT_TRIED, UNSEEN, SEEN = 0.0, 1.0, 2.0


@door
def can_walk(
    grid: Grid,
    scratch: Scratch,
    joins: Joins,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    sheets: NDArray[np.int32],
    lengths: NDArray[np.float64],
) -> None:
    """How long the straight lines are that can be walked.

    Args:
        grid: What is in the way.
        scratch: Of the grid.
        joins: How floors are connected.
        start: (lines, 2) where they begin, m.
        end: (lines, 2) where they end, m.
        sheets: (lines, 2) the floors that both are on.
        lengths: (lines,) filled, m; infinite where something is in the way.
    """
    agree(start.shape, end.shape, sheets.shape, (len(lengths), 2))
    agree_scratch(scratch, grid)
    count = len(plain(joins).planes)
    agree((bool((sheets >= 0).all() and (sheets < count).all()),), (True,))
    _can_walk(
        laid_out(GridColumns, grid),
        scratch,
        laid_out(JoinColumns, joins),
        start,
        end,
        sheets,
        lengths,
    )


@door
def find_way(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    start: NDArray[np.float64],
    goal: NDArray[np.float64],
    way: NDArray[np.float64],
    here: NDArray[np.float64],
) -> int:
    """The shortest path between two positions, (3,), written to `way`; return its number of points.

    Args:
        ground: What can be walked on.
        grid: What is in the way.
        scratch: Of the grid.
        room: (5, corners) overwritten.
        start: Where it begins, m.
        goal: Where it ends, m.
        way: (places, 5) where it turns, and the goal at its end; overwritten. Of each place x, y,
            how many metres one walks for each metre in plan of the stretch that leads to it, -1,
            and the floor that this is on; or, if a link leads to it, its length, m, its number,
            and -1. With room for all corners and the goal; what is beyond is for places where it
            comes to another floor. If that is not enough, the floor is -1 for any.
        here: Who takes it stands here, (3,) in m, a hair beside the start: from here it leads to
            where it turns first.

    Returns:
        The number of places, NO_WAY or NOT_KNOWN.
    """
    count = len(plain(ground).corners)
    agree(room.shape, (5, count))
    agree(start.shape, goal.shape, here.shape, (3,))
    agree((way.shape[1], len(way) > count), (5, True))
    agree_scratch(scratch, grid)
    return _find_way(
        laid_out(GroundColumns, ground), laid_out(GridColumns, grid), scratch, room, start, goal,
        way, here,
    )  # fmt: skip


@door
def lay_way(
    ground: Ground,
    start: NDArray[np.float64],
    goal: NDArray[np.float64],
    turns: NDArray[np.int32],
    way: NDArray[np.float64],
) -> int:
    """The same for a path that is known to turn at these corners, (turns,)."""
    count = len(plain(ground).corners)
    agree(start.shape, goal.shape, (3,))
    agree((way.shape[1], len(way) > len(turns)), (5, True))
    inside = bool(((turns >= 0) & (turns < count)).all())
    agree((inside,), (True,))
    return _lay_way(laid_out(GroundColumns, ground), start, goal, turns, way)


@door
def lay_line(
    ground: Ground,
    start: NDArray[np.float64],
    line: NDArray[np.float64],
    way: NDArray[np.float64],
) -> int:
    """The same for one that leads straight from place to place, (places, 2), m.

    Whatever is in the way; where the ground ends it stays on the floor that it was on.
    """
    agree(start.shape + line.shape[1:], (3, 2))
    agree((way.shape[1], len(way) > len(line)), (5, True))
    return _lay_line(laid_out(GroundColumns, ground), start, line, way)


@door
def find_all_ways(
    starts: NDArray[np.int32],
    others: NDArray[np.int32],
    far: NDArray[np.float64],
    done: NDArray[np.bool_],
    lengths: NDArray[np.float64],
    before: NDArray[np.int32],
) -> None:
    """The shortest paths between all corners, with links between some of them.

    By Dijkstra's algorithm (1959, "A note on two problems in connexion with graphs"), with no
    more than a scan for the nearest corner that is left.

    Args:
        starts: (corners + 1,) where the links of each corner begin.
        others: (links,) the corner at the other end.
        far: (links,) how long each is, m.
        done: (corners,) overwritten.
        lengths: (corners, corners) filled, m; infinite where there is no path.
        before: (corners, corners) filled: the corner before the second; -1 for none.
    """
    count = len(done)
    agree(starts.shape, (count + 1,))
    agree(others.shape, far.shape, (starts[-1],))
    agree(lengths.shape, before.shape, (count, count))
    _find_all_ways(starts, others, far, done, lengths, before)


@door
def pass_beside(
    corners: NDArray[np.float64],
    sides: NDArray[np.float64],
    pairs: NDArray[np.intp],
    useful: NDArray[np.bool_],
) -> None:
    """Which lines between two corners pass both without cutting into them.

    Args:
        corners: (corners, 2), m.
        sides: (corners, 2, 2) the directions of the walls beside each.
        pairs: (pairs, 2) of corners.
        useful: (pairs,) filled.
    """
    agree(pairs.shape, (len(useful), 2))
    agree(sides.shape, (len(corners), 2, 2))
    agree((bool((pairs >= 0).all() and (pairs < len(corners)).all()),), (True,))
    _pass_beside(corners, sides, pairs, useful)


@door
def lengths_between(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    sheets: NDArray[np.int32],
    limit: NDArray[np.float64],
    length: NDArray[np.float64],
) -> None:
    """The lengths of paths whose straight line is known to be blocked.

    Args:
        ground: What can be walked on; the paths between its corners are known.
        grid: What is in the way.
        scratch: Of the grid.
        room: (5, corners) overwritten.
        start: (paths, 2) where they begin, m.
        end: (paths, 2) where they end, m.
        sheets: (paths, 2) the floors that both are on.
        limit: (paths,) paths longer than this count as none, m.
        length: (paths,) filled with their lengths, m; infinite where there is none.
    """
    count = len(plain(ground).corners)
    agree(room.shape, (5, count))
    agree(start.shape, end.shape, sheets.shape, (len(limit), 2), (len(length), 2))
    known = len(plain(plain(ground).joins).planes)
    agree((bool((sheets >= 0).all() and (sheets < known).all()),), (True,))
    agree_scratch(scratch, grid)
    agree(plain(ground).lengths.shape, (count, count))
    _lengths_between(
        laid_out(GroundColumns, ground),
        laid_out(GridColumns, grid),
        scratch,
        room,
        start,
        end,
        sheets,
        limit,
        length,
    )


@door
def length_of_way(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    part: int,
    start: NDArray[np.float64],
    goal: NDArray[np.float64],
    stays: bool,
) -> float:
    """Length of the path between the reachable positions nearest to two, (3,), m.

    Infinite if there is none, NaN if the paths between corners are needed and not known. Somebody
    stands at the first, and `stays` near its floor; see `step_back`.
    """
    agree(room.shape, (5, len(plain(ground).corners)))
    agree_scratch(scratch, grid)
    agree((0 <= part < len(plain(ground).reach),), (True,))
    return _length_of_way(
        laid_out(GroundColumns, ground), laid_out(GridColumns, grid), scratch, room, part,
        start[0], start[1], start[2], goal[0], goal[1], goal[2], stays,
    )  # fmt: skip


@door
def sheet_of(ground: Ground, x: float, y: float, z: float) -> int:
    """The floor below a position, m; 0 without floors, -1 for none."""
    return sheet_at(laid_out(GroundColumns, ground), x, y, z)


@door
def part_of(ground: Ground, x: float, y: float, z: float) -> int:
    """The first part of the ground that contains a position, m, or -1."""
    laid = laid_out(GroundColumns, ground)
    return part_on(laid, x, y, sheet_at(laid, x, y, z))


@door
def which_stand(
    ground: Ground,
    part: int,
    sheet: int,
    places: NDArray[np.float64],
    found: NDArray[np.bool_],
) -> None:
    """Which places, (places, 2) in m on a floor, are in reach from a part, -1 for any.

    Args:
        ground: What can be walked on.
        part: The part.
        sheet: The floor.
        places: The places.
        found: (places,) filled.
    """
    agree(places.shape, (len(found), 2))
    agree((-1 <= part < len(plain(ground).reach), sheet >= 0), (True, True))
    count = len(plain(plain(ground).floors).planes)
    agree((count == 0 or sheet < count,), (True,))
    _which_stand(laid_out(GroundColumns, ground), part, sheet, places, found)


def _which_stand(
    ground: Ground,
    part: int,
    sheet: int,
    places: NDArray[np.float64],
    found: NDArray[np.bool_],
) -> None:
    with nogil:
        for n in range(len(found)):
            if part >= 0:
                found[n] = may_stand(ground, part, places[n, 0], places[n, 1], sheet)
            else:
                found[n] = part_on(ground, places[n, 0], places[n, 1], sheet) >= 0


@door
def step_back(
    ground: Ground, part: int, x: float, y: float, z: float, stays: bool = False
) -> tuple[float, float, float]:
    """The place itself, m, or if one cannot stand there the nearest in reach from a part.

    Of each floor that is the nearest in plan, of all floors the nearest in space. Who stands there
    and `stays` goes no more than a step up or down, if it can.
    """
    agree((0 <= part < len(plain(ground).reach),), (True,))
    laid = laid_out(GroundColumns, ground)
    at_x, at_y, sheet = _onto(laid, part, x, y, z, stays)
    if sheet == sheet_at(laid, at_x, at_y, z) and (at_x, at_y) == (x, y):
        return x, y, z
    return at_x, at_y, height_on(laid, sheet, at_x, at_y, z)


def _can_walk(
    grid: Grid,
    scratch: Scratch,
    joins: Joins,
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    sheets: NDArray[np.int32],
    lengths: NDArray[np.float64],
) -> None:
    with nogil:
        for n in range(len(start)):
            lengths[n] = straight_way(
                grid, scratch, joins, start[n, 0], start[n, 1], sheets[n, 0], end[n, 0], end[n, 1],
                sheets[n, 1],
            )  # fmt: skip


def straight_way(
    grid: Grid,
    scratch: Scratch,
    joins: Joins,
    x: float,
    y: float,
    sheet: int,
    to_x: float,
    to_y: float,
    to_sheet: int,
) -> float:
    """Length of the path that is straight in plan, m; infinite if blocked."""
    whole, end = straight_on(grid, scratch, joins, x, y, sheet, to_x, to_y)
    return whole if _meets(joins, to_sheet, end, to_x, to_y) else INF


def straight_on(
    grid: Grid,
    scratch: Scratch,
    joins: Joins,
    x: float,
    y: float,
    sheet: int,
    to_x: float,
    to_y: float,
) -> tuple[float, int]:
    """Its length, and the floor at its end.

    What is in the way on a floor lies in the grid at the height of its number. Where the line
    crosses a seam it goes on, on the floor that this leads to.
    """
    dx, dy = to_x - x, to_y - y
    length = max(hypot(dx, dy), SNAP)
    slack, begin = SNAP / length, min(TINY_STEP / length, 0.5)
    whole, here, turn = 0.0, 0.0, -INF
    sheet = _ahead(joins, sheet, x, y, dx, dy)
    for _ in range(MOST_SEAMS):
        there, turn, after = _next_seam(joins, sheet, x, y, dx, dy, here, turn, begin, 1.0 - slack)
        low, high = max(here - slack, 0.0), min(there + slack, 1.0)
        share = share_past(
            grid, scratch, x + low * dx, y + low * dy, sheet, x + high * dx, y + high * dy, sheet
        )
        if share <= 0.0:
            return INF, sheet
        there = max(there, here)
        whole += _length_on(joins, sheet, (there - here) * dx, (there - here) * dy)
        if after < 0:
            return whole, sheet
        here, sheet = there, after
    return INF, sheet


def _next_seam(
    joins: Joins,
    sheet: int,
    x: float,
    y: float,
    dx: float,
    dy: float,
    here: float,
    turn: float,
    begin: float,
    last: float,
) -> tuple[float, float, int]:
    """Where a line leaves a floor for another one, as a share of it, and which: -1 for nowhere.

    The line is treated as if moved to its left by an infinitely small distance. So it meets no
    corner and runs along no seam, but passes both on one side, for every floor. Seams that it
    crosses at one point are crossed in their order around that point; `turn` is the position in
    that order, from minus to plus infinity, and so is the returned value. Up to `begin`, seams that
    it starts at are left to `_ahead`.
    """
    best, best_turn, leads = 1.0, INF, -1
    near = SAME / max(hypot(dx, dy), SAME)
    for n in range(joins.starts[sheet], joins.starts[sheet + 1]):
        ax, ay = joins.seams[n, 0] - x, joins.seams[n, 1] - y
        bx, by = joins.seams[n, 2] - x, joins.seams[n, 3] - y
        side_a, side_b = dx * ay - dy * ax, dx * by - dy * bx
        if not side_a <= 0.0 < side_b:
            continue
        at = (ax * (by - ay) - ay * (bx - ax)) / (side_b - side_a)
        round_ = ((bx - ax) * dx + (by - ay) * dy) / (side_b - side_a)
        if at < here - near or at >= last or (at <= here + near and round_ <= turn):
            continue
        if at < begin and _touches(joins, n, x, y):
            continue
        if at < best - near or (at <= best + near and round_ < best_turn):
            best, best_turn, leads = at, round_, joins.leads[n]
    return best, best_turn, leads


def _ahead(joins: Joins, sheet: int, x: float, y: float, dx: float, dy: float) -> int:
    """Of the floors that meet at a place that which a line is on a little after it.

    One of the floors is given; it stays if the line is on none of them. `_next_seam` says what
    holds of lines along a seam.
    """
    for side in range(2):
        found, came = sheet, -1
        for step in range(MOST_BESIDE):
            if _holds(joins, found, x, y, dx, dy):
                return found
            after = _round(joins, found, came, side if step == 0 else 0, x, y)
            if after < 0 or after == sheet:
                break
            came, found = found, after
    return sheet


def _meets(joins: Joins, sheet: int, other: int, x: float, y: float) -> bool:
    """Whether two floors meet at a place, or are one."""
    if sheet == other:
        return True
    for side in range(2):
        found, came = sheet, -1
        for step in range(MOST_BESIDE):
            after = _round(joins, found, came, side if step == 0 else 0, x, y)
            if after == other:
                return True
            if after < 0 or after == sheet:
                break
            came, found = found, after
    return False


def _touches(joins: Joins, seam: int, x: float, y: float) -> bool:
    ax, ay = joins.seams[seam, 0] - x, joins.seams[seam, 1] - y
    ex = joins.seams[seam, 2] - joins.seams[seam, 0]
    ey = joins.seams[seam, 3] - joins.seams[seam, 1]
    along = min(max(-(ax * ex + ay * ey) / (ex * ex + ey * ey), 0.0), 1.0)
    return bool(hypot(ax + along * ex, ay + along * ey) <= SNAP)


def _round(joins: Joins, sheet: int, came: int, leave: int, x: float, y: float) -> int:
    """Around a place the next floor after one, if one did not come from there; -1 for none.

    So many that would do are left out: by that one goes the other way round.
    """
    for n in range(joins.starts[sheet], joins.starts[sheet + 1]):
        if joins.leads[n] != came and _touches(joins, n, x, y):
            if leave == 0:
                after: int = joins.leads[n]
                return after
            leave -= 1
    return -1


def _holds(joins: Joins, sheet: int, x: float, y: float, dx: float, dy: float) -> bool:
    """Whether a line from a position is on a floor just after it, according to seams."""
    share = TINY_STEP / max(hypot(dx, dy), TINY_STEP)
    touches, inside, before, after = 0, 0, -1, -1
    for n in range(joins.starts[sheet], joins.starts[sheet + 1]):
        if not _touches(joins, n, x, y):
            continue
        ax, ay = x - joins.seams[n, 0], y - joins.seams[n, 1]
        bx, by = x - joins.seams[n, 2], y - joins.seams[n, 3]
        ex, ey = ax - bx, ay - by
        from_a, from_b = hypot(ax, ay), hypot(bx, by)
        # From the nearer end, so that on both sides of a seam the same comes out.
        off_x, off_y = (ax, ay) if from_a <= from_b else (bx, by)
        left = ex * off_y - ey * off_x + share * (ex * dy - ey * dx)
        touches += 1
        inside += left > 0.0 or (left == 0.0 and ex * dx + ey * dy > 0.0)
        if from_a <= SNAP:
            after = n
        if from_b <= SNAP:
            before = n
    if before >= 0 and after >= 0 and _turns_right(joins, before, after):
        return inside > 0  # it lies around more than half of the place
    return inside == touches


def _turns_right(joins: Joins, before: int, after: int) -> bool:
    """Whether one turns right from a seam to the next, and not left or nowhere."""
    ex = joins.seams[before, 2] - joins.seams[before, 0]
    ey = joins.seams[before, 3] - joins.seams[before, 1]
    fx = joins.seams[after, 2] - joins.seams[after, 0]
    fy = joins.seams[after, 3] - joins.seams[after, 1]
    turn: float = ex * fy - ey * fx
    return turn < 0.0


def _length_on(joins: Joins, sheet: int, dx: float, dy: float) -> float:
    """Length of a straight piece on a floor, m."""
    rise = joins.planes[sheet, 0] * dx + joins.planes[sheet, 1] * dy
    return float(hypot(hypot(dx, dy), rise))


def _write_stretch(
    joins: Joins,
    x: float,
    y: float,
    sheet: int,
    to_x: float,
    to_y: float,
    way: NDArray[np.float64],
    count: int,
    spare: int,
) -> tuple[int, int]:
    """Write the end of a straight piece, and where it changes floors.

    Returns how many places the path has now, and for how many more there is room beside corners.
    """
    dx, dy, here, turn, lost = to_x - x, to_y - y, 0.0, -INF, False
    length = max(hypot(dx, dy), SNAP)
    slack, begin = SNAP / length, min(TINY_STEP / length, 0.5)
    plan, space = 0.0, 0.0
    sheet = _ahead(joins, sheet, x, y, dx, dy)
    for _ in range(MOST_SEAMS):
        there, turn, after = _next_seam(joins, sheet, x, y, dx, dy, here, turn, begin, 1.0 - slack)
        if after < 0:
            break
        share = max(there - here, 0.0)
        plan, space = (
            plan + share * hypot(dx, dy),
            space + _length_on(joins, sheet, share * dx, share * dy),
        )
        here = max(there, here)
        if spare > 0:
            way[count, 0], way[count, 1] = x + here * dx, y + here * dy
            way[count, 3], way[count, 4] = -1.0, sheet
            way[count, 2] = space / plan if plan > 0.0 else 1.0
            count, spare, plan, space = count + 1, spare - 1, 0.0, 0.0
        else:
            lost = True
        sheet = after
    share = 1.0 - here
    plan, space = (
        plan + share * hypot(dx, dy),
        space + _length_on(joins, sheet, share * dx, share * dy),
    )
    way[count, 0], way[count, 1], way[count, 3] = to_x, to_y, -1.0
    way[count, 2] = space / plan if plan > 0.0 else 1.0
    way[count, 4] = -1.0 if lost else sheet
    return count + 1, spare


def _write_turn(
    ground: Ground,
    x: float,
    y: float,
    sheet: int,
    before: int,
    corner: int,
    way: NDArray[np.float64],
    count: int,
    spare: int,
) -> tuple[int, int]:
    """The same for the next corner of a path, after the previous one, -1 for none, at x, y."""
    to_x, to_y = ground.corners[corner, 0], ground.corners[corner, 1]
    for n in range(len(ground.climbs)):
        if ground.climbs[n, 0] == before and ground.climbs[n, 1] == corner:
            link = ground.climbs[n, 2]
            way[count, 0], way[count, 1], way[count, 3] = to_x, to_y, link
            way[count, 2], way[count, 4] = ground.links.lengths[link], -1.0
            return count + 1, spare
    if before >= 0 and to_x == x and to_y == y:  # the same corner on another floor
        return count, spare
    return _write_stretch(ground.joins, x, y, sheet, to_x, to_y, way, count, spare)


def _find_way(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    start: NDArray[np.float64],
    goal: NDArray[np.float64],
    way: NDArray[np.float64],
    here: NDArray[np.float64],
) -> int:
    sheet = sheet_at(ground, start[0], start[1], start[2])
    to_sheet = sheet_at(ground, goal[0], goal[1], goal[2])
    return way_between(
        ground, grid, scratch, room, start[0], start[1], sheet, goal[0], goal[1], to_sheet, way,
        here[0], here[1], sheet_at(ground, here[0], here[1], here[2]),
    )  # fmt: skip


def _lay_way(
    ground: Ground,
    start: NDArray[np.float64],
    goal: NDArray[np.float64],
    turns: NDArray[np.int32],
    way: NDArray[np.float64],
) -> int:
    x, y, sheet = start[0], start[1], sheet_at(ground, start[0], start[1], start[2])
    count, spare, before = 0, len(way) - len(turns) - 1, -1
    for n in range(len(turns)):
        corner = turns[n]
        count, spare = _write_turn(ground, x, y, sheet, before, corner, way, count, spare)
        before, sheet = corner, ground.sheets[corner]
        x, y = ground.corners[corner, 0], ground.corners[corner, 1]
    count, spare = _write_stretch(
        ground.joins, x, y, max(sheet, 0), goal[0], goal[1], way, count, spare
    )
    return count


def _lay_line(
    ground: Ground,
    start: NDArray[np.float64],
    line: NDArray[np.float64],
    way: NDArray[np.float64],
) -> int:
    x, y, sheet = start[0], start[1], sheet_at(ground, start[0], start[1], start[2])
    count, spare = 0, len(way) - len(line)
    for n in range(len(line)):
        count, spare = _write_stretch(
            ground.joins, x, y, max(sheet, 0), line[n, 0], line[n, 1], way, count, spare
        )
        x, y, sheet = line[n, 0], line[n, 1], cast(Py_ssize_t, way[count - 1, 4])
    return count


def way_between(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    x: float,
    y: float,
    sheet: int,
    to_x: float,
    to_y: float,
    to_sheet: int,
    way: NDArray[np.float64],
    here_x: float,
    here_y: float,
    here_sheet: int,
) -> int:
    """As `find_way`, between positions whose floors are known."""
    if sheet < 0 or to_sheet < 0:
        return NO_WAY
    straight = straight_way(grid, scratch, ground.joins, x, y, sheet, to_x, to_y, to_sheet)
    spare = len(way) - len(ground.corners) - 1
    if straight < INF and sheet == to_sheet:  # from floor to floor one that bends may be shorter
        count, spare = _write_stretch(
            ground.joins, here_x, here_y, max(here_sheet, 0), to_x, to_y, way, 0, spare
        )
        return count
    if len(ground.lengths) < len(ground.corners):
        return NOT_KNOWN
    first, last, whole = _best_turns(ground, grid, scratch, room, x, y, sheet, to_x, to_y, to_sheet)
    turns = 0
    if first >= 0 and whole < straight:
        corner, turns = last, 1
        while corner != first:
            corner = ground.before[first, corner]
            turns += 1
        corner, tail = last, len(way) - turns  # so far behind that nothing is written over them
        for n in range(turns - 1, -1, -1):
            way[tail + n, 0] = corner
            corner = ground.before[first, corner]
    elif straight == INF:
        return NO_WAY
    count, before, tail = 0, -1, len(way) - turns
    x, y, sheet = here_x, here_y, max(here_sheet, 0)
    for n in range(turns):
        corner = cast(Py_ssize_t, way[tail + n, 0])
        count, spare = _write_turn(ground, x, y, sheet, before, corner, way, count, spare)
        before, sheet = corner, ground.sheets[corner]
        x, y = ground.corners[corner, 0], ground.corners[corner, 1]
    count, spare = _write_stretch(ground.joins, x, y, sheet, to_x, to_y, way, count, spare)
    return count


def _length_of_way(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    part: int,
    x: float,
    y: float,
    z: float,
    to_x: float,
    to_y: float,
    to_z: float,
    stays: bool,
) -> float:
    x, y, sheet = _onto(ground, part, x, y, z, stays)
    to_x, to_y, to_sheet = onto(ground, part, to_x, to_y, to_z)
    straight = straight_way(grid, scratch, ground.joins, x, y, sheet, to_x, to_y, to_sheet)
    if straight < INF and sheet == to_sheet:
        return straight
    if len(ground.lengths) < len(ground.corners):
        return NAN
    around = length_around(ground, grid, scratch, room, x, y, sheet, to_x, to_y, to_sheet)
    return min(straight, around)


def _find_all_ways(
    starts: NDArray[np.int32],
    others: NDArray[np.int32],
    far: NDArray[np.float64],
    done: NDArray[np.bool_],
    lengths: NDArray[np.float64],
    before: NDArray[np.int32],
) -> None:
    count = len(done)
    with nogil:
        for first in range(count):
            for j in range(count):
                lengths[first, j], before[first, j], done[j] = INF, -1, False
            lengths[first, first] = 0.0
            for _ in range(count):
                i, least = -1, INF
                for j in range(count):
                    if not done[j] and lengths[first, j] < least:
                        i, least = j, lengths[first, j]
                if i < 0:
                    break
                done[i] = True
                for link in range(starts[i], starts[i + 1]):
                    j, by = others[link], least + far[link]
                    if by < lengths[first, j]:
                        lengths[first, j], before[first, j] = by, i


def _pass_beside(
    corners: NDArray[np.float64],
    sides: NDArray[np.float64],
    pairs: NDArray[np.intp],
    useful: NDArray[np.bool_],
) -> None:
    with nogil:
        for n in range(len(useful)):
            a, b = pairs[n, 0], pairs[n, 1]
            dx, dy = corners[b, 0] - corners[a, 0], corners[b, 1] - corners[a, 1]
            useful[n] = _passes_by(sides, a, dx, dy) and _passes_by(sides, b, dx, dy)


def _passes_by(sides: NDArray[np.float64], corner: int, dx: float, dy: float) -> bool:
    """Whether both walls at a corner are on one side of a line through it."""
    one = dx * sides[corner, 0, 1] - dy * sides[corner, 0, 0]
    other = dx * sides[corner, 1, 1] - dy * sides[corner, 1, 0]
    beside: bool = one * other >= -GRAZE
    return beside


def _lengths_between(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    start: NDArray[np.float64],
    end: NDArray[np.float64],
    sheets: NDArray[np.int32],
    limit: NDArray[np.float64],
    length: NDArray[np.float64],
) -> None:
    with nogil:
        for n in range(len(start)):
            whole = length_around(
                ground, grid, scratch, room, start[n, 0], start[n, 1], sheets[n, 0], end[n, 0],
                end[n, 1], sheets[n, 1],
            )  # fmt: skip
            length[n] = whole if whole <= limit[n] else INF


def length_around(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    x: float,
    y: float,
    sheet: int,
    to_x: float,
    to_y: float,
    to_sheet: int,
) -> float:
    """Length of the shortest path with turns, m; infinite if there is none."""
    _first, _last, whole = _best_turns(
        ground, grid, scratch, room, x, y, sheet, to_x, to_y, to_sheet
    )
    return whole


def _best_turns(
    ground: Ground,
    grid: Grid,
    scratch: Scratch,
    room: NDArray[np.float64],
    x: float,
    y: float,
    sheet: int,
    to_x: float,
    to_y: float,
    to_sheet: int,
) -> tuple[int, int, float]:
    """First and last corner of the shortest path with turns, and its length, m.

    Corners that cannot be part of a shorter path are not looked at. How far they are is that in
    plan, until it is known how long the path there is; what is left from a corner to begin with
    stays that in plan, as a path around a slope may be shorter than the straight one over it.
    """
    count = len(ground.corners)
    best, first, last = INF, -1, -1
    for i in range(count):
        ax, ay = ground.corners[i, 0], ground.corners[i, 1]
        room[FAR, i], room[LEFT, i] = hypot(ax - x, ay - y), hypot(ax - to_x, ay - to_y)
        room[LEAST, i] = room[FAR, i] + room[LEFT, i]
        room[FIRST, i] = room[LAST, i] = NOT_TRIED
    while True:
        # The corner to begin with by which the path is shortest if nothing more is in the way.
        i, least = -1, best + ROUNDING
        for j in range(count):
            if room[FIRST, j] == NOT_TRIED and room[LEAST, j] <= least:
                if i < 0 or room[LEAST, j] < least:
                    i, least = j, room[LEAST, j]
        if i < 0:
            return first, last, best
        far = straight_way(
            grid, scratch, ground.joins, x, y, sheet, ground.corners[i, 0], ground.corners[i, 1],
            ground.sheets[i],
        )  # fmt: skip
        free = far < INF
        room[FAR, i], room[FIRST, i] = far, SEEN if free else UNSEEN
        for j in range(count if free else 0):
            whole = room[FAR, i] + ground.lengths[i, j] + room[LEFT, j]
            # Of paths that are as long the one by the first corners of the level.
            if whole > best or room[LAST, j] == UNSEEN or whole == INF:
                continue
            if room[LAST, j] == NOT_TRIED:
                bx, by = ground.corners[j, 0], ground.corners[j, 1]
                left = straight_way(
                    grid, scratch, ground.joins, to_x, to_y, to_sheet, bx, by, ground.sheets[j]
                )
                room[LAST, j] = SEEN if left < INF else UNSEEN
                if left == INF:
                    continue
                room[LEFT, j] = left
                whole = room[FAR, i] + ground.lengths[i, j] + left
                if whole > best:
                    continue
            if whole == best and (i > first or (i == first and j > last)):
                continue
            best, first, last = whole, i, j


def sheet_at(ground: Ground, x: float, y: float, z: float) -> int:
    """The floor below a position; 0 without floors, -1 for none."""
    if len(ground.floors.planes) == 0:
        return 0
    return floor_below(ground.floors, x, y, z + STEP)


def height_on(ground: Ground, sheet: int, x: float, y: float, z: float) -> float:
    """How high a floor is at a place, m; without floors the height itself."""
    if len(ground.floors.planes) == 0:
        return z
    return height_of(ground.floors, sheet, x, y)


def part_on(ground: Ground, x: float, y: float, sheet: int) -> int:
    """The first part of the ground that a place on a floor is in, or -1."""
    for part in range(len(ground.reach)):
        if is_on(ground, part, x, y, sheet):
            return part
    return -1


def is_on(ground: Ground, part: int, x: float, y: float, sheet: int) -> bool:
    """Whether a place on a floor is in a part of the ground; on its very edge it is not.

    A place where floors meet is on the highest of them, and in if all around it is.
    """
    if _is_inside(ground, part, x, y, sheet, NAN):
        return True
    if len(ground.floors.planes) == 0 or sheet < 0:
        return False
    height = height_of(ground.floors, sheet, x, y)
    if floor_below(ground.floors, x, y, height + STEP) != sheet:
        return False
    for n in range(4):  # askew, so that none of them is on a seam as well
        dx, dy = ASKEW * SNAP, SNAP
        if n % 2 == 0:
            dx, dy = SNAP, -ASKEW * SNAP
        if n >= 2:
            dx, dy = -dx, -dy
        if not _is_inside(ground, part, x + dx, y + dy, -1, height):
            return False
    return True


def _is_inside(ground: Ground, part: int, x: float, y: float, sheet: int, height: float) -> bool:
    """Whether a place is within a part, on a floor, or on any within a step of a height, m."""
    for area in range(ground.parts[part], ground.parts[part + 1]):
        floor = ground.area_sheets[area]
        if floor != sheet:
            if isnan(height) or fabs(height_of(ground.floors, floor, x, y) - height) > STEP:
                continue
        if where_in(ground.edges, ground.starts[area], ground.starts[area + 1], x, y) == INSIDE:
            return True
    return False


def may_stand(ground: Ground, part: int, x: float, y: float, sheet: int) -> bool:
    """Whether a position on a floor is in a part of the ground, or reachable from it."""
    for other in range(len(ground.reach)):
        if ground.reach[part, other] and is_on(ground, other, x, y, sheet):
            return True
    return False


def onto(ground: Ground, part: int, x: float, y: float, z: float) -> tuple[float, float, int]:
    """As `step_back`, of a goal, and on which floor."""
    return _onto(ground, part, x, y, z, False)


def back_onto(ground: Ground, part: int, x: float, y: float, z: float) -> tuple[float, float, int]:
    """As `step_back`, of who stands there, and on which floor."""
    return _onto(ground, part, x, y, z, True)


def _onto(
    ground: Ground, part: int, x: float, y: float, z: float, stays: bool
) -> tuple[float, float, int]:
    sheet = sheet_at(ground, x, y, z)
    if may_stand(ground, part, x, y, sheet):
        return x, y, sheet
    nearest, at_x, at_y, found = INF, x, y, sheet
    on_own, under = False, height_on(ground, sheet, x, y, z) if sheet >= 0 else z
    for other in range(len(ground.reach)):
        if not ground.reach[part, other]:
            continue
        for area in range(ground.parts[other], ground.parts[other + 1]):
            px, py, away = _nearest_in(ground, area, x, y)
            own = stays
            if len(ground.floors.planes) > 0:  # else heights do not count, nor need be known
                height = height_on(ground, ground.area_sheets[area], px, py, z)
                away, own = hypot(away, height - z), stays and fabs(height - under) <= STEP
            if (away < nearest and own >= on_own) or (own and not on_own):
                nearest, at_x, at_y, found = away, px, py, ground.area_sheets[area]
                on_own = own
    if found == sheet and hypot(at_x - x, at_y - y) <= RIM:
        return x, y, sheet
    return at_x, at_y, found


def _nearest_in(ground: Ground, area: int, x: float, y: float) -> tuple[float, float, float]:
    """The place in an area that is nearest in plan, and how far it is, m."""
    nearest, at_x, at_y = INF, x, y
    low, high = ground.starts[area], ground.starts[area + 1]
    if where_in(ground.edges, low, high, x, y) == INSIDE:
        return x, y, 0.0
    for edge in range(ground.inner_starts[area], ground.inner_starts[area + 1]):
        ax, ay = ground.inner_edges[edge, 0], ground.inner_edges[edge, 1]
        bx, by = ground.inner_edges[edge, 2], ground.inner_edges[edge, 3]
        dx, dy = bx - ax, by - ay
        square = dx * dx + dy * dy
        share = ((x - ax) * dx + (y - ay) * dy) / square if square > 0.0 else 0.0
        if 0.0 < share < 1.0:
            px, py = ax + share * dx, ay + share * dy
            away = fabs(((ay - y) * dx - (ax - x) * dy) / square) * sqrt(square)
        else:
            px, py = (ax, ay) if share <= 0.0 else (bx, by)
            away = hypot(px - x, py - y)
        if away < nearest:
            nearest, at_x, at_y = away, px, py
    return at_x, at_y, nearest
