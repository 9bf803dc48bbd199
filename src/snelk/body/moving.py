"""Moving along paths: turning, braking, walking and arriving; compiled, see `level.columns`."""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, compiled
from cython.cimports.libc.math import atan2, cos, fabs, fmod, isnan, sin, sqrt
from numpy.typing import NDArray

from snelk.body.columns import MovingColumns, PlacedColumns, PlaceStageColumns
from snelk.body.doing import NEWLY_DONE, NEWLY_FAILED, Doing
from snelk.body.paces import (
    AHEAD,
    AT_END,
    AT_FOCUS,
    AT_PLACE,
    GLANCE,
    GLANCES,
    LEAST,
    NEAR,
    SWEEP,
    Moving,
)
from snelk.body.stage import PlaceStage
from snelk.config.steps import STEP
from snelk.level.columns import FloorColumns, agree, door, laid_out, plain
from snelk.level.floors import Floors
from snelk.level.ground import GroundStage
from snelk.level.links import Links
from snelk.senses.bodies import Poses

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.footing import height_of, highest_below
    from snelk.level.lengths import hypot
    from snelk.level.walking import part_on, sheet_at

INF = float("inf")
PI = float(np.pi)


@door
def place(stage: PlaceStage, tick: int, now: Moving, poses: Poses) -> None:
    """Where everybody is at a tick.

    Args:
        stage: Who is moved from outside, and who has been taken out.
        tick: Which of its ticks.
        now: Those that are moved here.
        poses: (variant, character) filled; (1, character) if all variants are alike: then nobody
            is moved here or taken out.

    Raises:
        ValueError: These arrays do not agree.
    """
    if not _place(
        laid_out(PlaceStageColumns, stage), tick, laid_out(MovingColumns, now),
        laid_out(PlacedColumns, poses),
    ):  # fmt: skip
        raise ValueError("poses do not match the tracked characters")


@door
def take_way(
    now: Moving, v: int, a: int, way: NDArray[np.float64], stop: float, short: float, turn_at: int
) -> None:
    """Take a path, (points, 5); see `Motion.go`."""
    agree((0 <= v < len(plain(now).x), 0 <= a < plain(now).x.shape[1]), (True, True))
    agree((way.shape[1], len(way) <= plain(now).points.shape[2]), (5, True))
    _take_way(laid_out(MovingColumns, now), v, a, way, len(way), stop, short, turn_at)


@door
def take_way_to(
    now: Moving,
    dt: float,
    v: int,
    a: int,
    way: NDArray[np.float64],
    floors: Floors,
    to_x: float,
    to_y: float,
    to_z: float,
    stop: float,
    turn_at: int,
) -> None:
    """Take a path, (points, 5), that leads as near to a position as it can get."""
    agree((0 <= v < len(plain(now).x), 0 <= a < plain(now).x.shape[1]), (True, True))
    agree((way.shape[1], 0 < len(way) <= plain(now).points.shape[2]), (5, True))
    laid, floors = laid_out(MovingColumns, now), laid_out(FloorColumns, floors)
    _take_way_to(laid, dt, v, a, way, len(way), floors, to_x, to_y, to_z, stop, turn_at)


@door
def stand(now: Moving, v: int, a: int) -> None:
    """Leave its path, as soon as it has stopped."""
    agree((0 <= v < len(plain(now).x), 0 <= a < plain(now).x.shape[1]), (True, True))
    _stand(laid_out(MovingColumns, now), v, a)


@door
def turns_back(now: Moving, dt: float, v: int, a: int, x: float, y: float) -> bool:
    """Whether a character moves, and a position is behind it."""
    agree((0 <= v < len(plain(now).x), 0 <= a < plain(now).x.shape[1]), (True, True))
    return bool(_turns_back(laid_out(MovingColumns, now), dt, v, a, x, y))


@door
def run_out(now: Moving, v: int, a: int, way: NDArray[np.float64]) -> int:
    """The points of its path up to where it could stop, m, and their number.

    `way`, (places, 5), is overwritten. At the end of its path there are none, and it stops at once.
    """
    agree((0 <= v < len(plain(now).x), 0 <= a < plain(now).x.shape[1]), (True, True))
    agree((len(way) >= plain(now).points.shape[2], way.shape[1]), (True, 5))
    return _run_out(laid_out(MovingColumns, now), v, a, way)


@door
def nearness(now: Moving, dt: float, v: int, a: int) -> tuple[float, bool, bool]:
    """Its arrival distance, m, and whether it has arrived, or can get no nearer."""
    agree((0 <= v < len(plain(now).x), 0 <= a < plain(now).x.shape[1]), (True, True))
    close, arrived, unreachable = _nearness(laid_out(MovingColumns, now), dt, v, a)
    return float(close), bool(arrived), bool(unreachable)


def _move(
    now: Moving, state_for: NDArray[np.float64], dt: float, floors: Floors, links: Links
) -> None:
    for v in range(len(now.x)):
        for a in range(now.x.shape[1]):
            if not now.driven[v, a]:
                continue
            if now.link[v, a] >= 0:
                _climb(now, links, state_for[v, a], dt, v, a)
                continue
            _move_one(now, state_for[v, a], dt, v, a)
            _follow_floor(now, floors, v, a)


def _follow_floor(now: Moving, floors: Floors, v: int, a: int) -> None:
    """Set its height to the floor of its path, else to the highest within a step."""
    x, y, sheet = now.x[v, a], now.y[v, a], -1
    if now.size[v, a] > 0:
        sheet = cast(Py_ssize_t, now.points[v, a, now.next[v, a], 4])
    if 0 <= sheet < len(floors.planes):
        now.z[v, a] = height_of(floors, sheet, x, y)
        return
    height = highest_below(floors, x, y, now.z[v, a] + STEP)
    now.z[v, a] = now.z[v, a] if isnan(height) else height


def _place(stage: PlaceStage, tick: int, now: Moving, poses: Poses) -> bool:
    rows = poses.x.shape[0]
    same: bool = (
        0 <= tick < stage.tracked.x.shape[0]
        and (stage.tracked.x.shape[1] == 1 or stage.tracked.x.shape[1] == rows)
        and stage.tracked.x.shape[2] == poses.x.shape[1]
        and now.x.shape[0] == stage.removed.shape[0]
        and now.x.shape[1] == stage.characters.shape[0]
        and (rows == 1 or rows == stage.removed.shape[0])
    )
    if not same:
        return False
    for v in range(rows):
        g = v if stage.tracked.x.shape[1] > 1 else 0
        for j in range(poses.x.shape[1]):
            poses.x[v, j], poses.y[v, j] = stage.tracked.x[tick, g, j], stage.tracked.y[tick, g, j]
            poses.z[v, j] = stage.tracked.z[tick, g, j]
            poses.heading[v, j] = stage.tracked.heading[tick, g, j]
            poses.posture[v, j] = stage.tracked.posture[tick, g, j]
            poses.gait[v, j] = stage.tracked.gait[tick, g, j]
            poses.present[v, j] = stage.tracked.present[tick, g, j]
        if rows < now.x.shape[0]:
            continue
        for a in range(stage.characters.shape[0]):
            if now.driven[v, a]:
                j = stage.characters[a]
                poses.x[v, j], poses.y[v, j] = now.x[v, a], now.y[v, a]
                poses.z[v, j] = now.z[v, a]
                poses.heading[v, j] = now.heading[v, a]
                poses.posture[v, j] = now.posture[v, a]
                poses.gait[v, j] = now.gait[v, a] if now.speed[v, a] > 0.01 else 0
        for j in range(poses.x.shape[1]):
            if not isnan(stage.put[v, j, 0]):
                poses.x[v, j], poses.y[v, j] = stage.put[v, j, 0], stage.put[v, j, 1]
                poses.z[v, j] = stage.put[v, j, 2]
                poses.posture[v, j] = cast(Py_ssize_t, stage.put[v, j, 3])
                if not isnan(stage.put[v, j, 4]):
                    poses.heading[v, j] = stage.put[v, j, 4]
            if stage.removed[v, j] or stage.away[v, j]:
                poses.present[v, j] = False
    return True


def _follow(
    now: Moving,
    poses: Poses,
    characters: NDArray[np.int32],
    floors: Floors,
    goals: NDArray[np.float64],
    dt: float,
    counts: bool,
) -> None:
    """Note where those are who are moved from outside, and who of them is at its goal by that."""
    for v in range(len(now.x)):
        p = v if len(poses.x) > 1 else 0
        for a in range(now.x.shape[1]):
            if now.driven[v, a]:
                continue
            j = characters[a]
            x, y = poses.x[p, j], poses.y[p, j]
            if counts and poses.present[p, j]:
                now.walked[v, a] += hypot(x - now.x[v, a], y - now.y[v, a])
            now.x[v, a], now.y[v, a], now.heading[v, a] = x, y, poses.heading[p, j]
            now.z[v, a] = poses.z[p, j]
            if now.on_way[v, a]:
                left = _left(now, v, a)
                to_x, to_y, to_z = goals[v, a, 0], goals[v, a, 1], goals[v, a, 2]
                up = highest_below(floors, to_x, to_y, to_z + STEP)
                up -= highest_below(floors, x, y, poses.z[p, j] + STEP)
                left = left if isnan(up) else hypot(left, up)
                _arrive(now, left - now.stop[v, a], dt, v, a)


def _nearness(now: Moving, dt: float, v: int, a: int) -> tuple[float, bool, bool]:
    close = _close_to_goal(now, dt, v, a)
    at_end, no_way, there = now.at_end[v, a], now.no_way[v, a], now.short[v, a] <= close
    return close, at_end and there, (at_end and not there) or no_way


def _take_way(
    now: Moving,
    v: int,
    a: int,
    way: NDArray[np.float64],
    count: int,
    stop: float,
    short: float,
    turn_at: int,
) -> None:
    """As `take_way`, for a path with this number of points."""
    beyond = 0.0
    for n in range(count - 1, -1, -1):
        now.points[v, a, n, 0], now.points[v, a, n, 1] = way[n, 0], way[n, 1]
        now.points[v, a, n, 2], now.points[v, a, n, 3] = way[n, 2], way[n, 3]
        now.points[v, a, n, 4] = way[n, 4]
        now.beyond[v, a, n] = beyond
        if n > 0 and way[n, 3] >= 0.0:
            beyond += way[n, 2]
        elif n > 0:
            far = hypot(way[n, 0] - way[n - 1, 0], way[n, 1] - way[n - 1, 1])
            beyond += far * way[n, 2]
    _begin_way(now, v, a, count, stop, short, turn_at)


def _take_way_to(
    now: Moving,
    dt: float,
    v: int,
    a: int,
    way: NDArray[np.float64],
    count: int,
    floors: Floors,
    to_x: float,
    to_y: float,
    to_z: float,
    stop: float,
    turn_at: int,
) -> None:
    """As `take_way_to`: where the ground ends before the goal, it need not stop as far off.

    Who stands right below a goal on another floor is not there.
    """
    end_x, end_y = way[count - 1, 0], way[count - 1, 1]
    short, floor = hypot(end_x - to_x, end_y - to_y), cast(Py_ssize_t, way[count - 1, 4])
    if 0 <= floor < len(floors.planes):
        up = highest_below(floors, to_x, to_y, to_z + STEP) - height_of(floors, floor, end_x, end_y)
        short = short if isnan(up) else hypot(short, up)
    close, _arrived, _unreachable = _nearness(now, dt, v, a)
    missed = short if short > stop + close else 0.0
    _take_way(now, v, a, way, count, max(stop - short, 0.0), missed, turn_at)


def _begin_way(
    now: Moving, v: int, a: int, count: int, stop: float, short: float, turn_at: int
) -> None:
    """Start on the path whose points were written."""
    now.next[v, a], now.size[v, a] = 0, count
    now.stop[v, a], now.short[v, a], now.turn_at[v, a] = stop, short, turn_at
    now.on_way[v, a], now.at_end[v, a], now.no_way[v, a] = True, False, False
    _find_halt(now, v, a)


def sets_out_from(
    walk: GroundStage, links: Links, moving: Moving, doing: Doing, v: int, a: int
) -> tuple[float, float, float]:
    """Where its next path begins: where it is, or at the end of the link that it is on.

    It is noted which part of the ground that is on: a link may have led to another.
    """
    x, y, z, link = moving.x[v, a], moving.y[v, a], moving.z[v, a], moving.link[v, a]
    if link >= 0:
        x, y, z = links.ends[link, 3], links.ends[link, 4], links.ends[link, 5]
    if len(walk.ground.climbs) > 0:
        part = part_on(walk.ground, x, y, sheet_at(walk.ground, x, y, z))
        doing.part[v, a] = part if part >= 0 else doing.part[v, a]
    return x, y, z


def _find_halt(now: Moving, v: int, a: int) -> None:
    """The point of its path where the next link begins."""
    now.halt[v, a] = -1
    for n in range(now.size[v, a] - 1, now.next[v, a], -1):
        if now.points[v, a, n, 3] >= 0.0:
            now.halt[v, a] = n - 1


def _stand(moving: Moving, v: int, a: int) -> None:
    """Leave its path, as soon as it has stopped."""
    moving.on_way[v, a] = moving.at_end[v, a] = moving.no_way[v, a] = False
    moving.short[v, a] = 0.0


def _come_to_end(moving: Moving, dt: float, v: int, a: int, doing: Doing) -> None:
    """Its path is at its end: that is what was wanted, or as near as it gets."""
    _close, arrived, unreachable = _nearness(moving, dt, v, a)
    doing.done[v, a], doing.failed[v, a] = arrived, unreachable


def note_news(doing: Doing, v: int, a: int, was_done: bool, was_failed: bool) -> None:
    """Note what has newly come of an activity: that it is done, or cannot be."""
    if doing.done[v, a] and not was_done:
        doing.news[v, a] += NEWLY_DONE
    if doing.failed[v, a] and not was_failed:
        doing.news[v, a] += NEWLY_FAILED


def _want(
    moving: Moving, v: int, a: int, x: float, y: float, z: float, stop: float, doing: Doing
) -> None:
    """Request a path to a position, or as near as it can get.

    Who is moved from outside would go straight.
    """
    doing.wants[v, a] = moving.driven[v, a]
    doing.goals[v, a, 0], doing.goals[v, a, 1], doing.goals[v, a, 2] = x, y, z
    doing.stop[v, a] = stop
    if not moving.driven[v, a]:
        moving.points[v, a, 0, 0], moving.points[v, a, 0, 1], moving.beyond[v, a, 0] = x, y, 0.0
        moving.points[v, a, 0, 2], moving.points[v, a, 0, 3] = 1.0, -1.0
        moving.points[v, a, 0, 4] = -1.0
        _begin_way(moving, v, a, 1, stop, 0.0, -1)


def _run_out(now: Moving, v: int, a: int, way: NDArray[np.float64]) -> int:
    """The points of its path up to where it could stop; -1 if there is no room.

    At the end of its path there are none, and it stops at once.
    """
    n, x, y = now.next[v, a], now.x[v, a], now.y[v, a]
    at_end = hypot(now.points[v, a, n, 0] - x, now.points[v, a, n, 1] - y) <= AT_END
    if n == now.size[v, a] - 1 and at_end:
        now.speed[v, a] = 0.0
        return 0
    rest = now.speed[v, a] * now.speed[v, a] / (2.0 * now.acceleration[v, a])
    x, y, count = now.x[v, a], now.y[v, a], 0
    for n in range(now.next[v, a], now.size[v, a]):
        if count >= way.shape[0]:
            return -1
        if now.points[v, a, n, 3] >= 0.0:
            break  # it stands where a link begins
        dx, dy = now.points[v, a, n, 0] - x, now.points[v, a, n, 1] - y
        length = hypot(dx, dy) * now.points[v, a, n, 2]
        way[count, 2], way[count, 3] = now.points[v, a, n, 2], -1.0
        way[count, 4] = now.points[v, a, n, 4]
        if length >= rest - NEAR and rest > 0.0 and length > 0.0:
            share = min(rest / length, 1.0)
            way[count, 0], way[count, 1] = x + dx * share, y + dy * share
            return count + 1
        rest -= length
        x, y = now.points[v, a, n, 0], now.points[v, a, n, 1]
        way[count, 0], way[count, 1] = x, y
        count += 1
    return count


def _turns_back(now: Moving, dt: float, v: int, a: int, x: float, y: float) -> bool:
    if now.speed[v, a] <= now.acceleration[v, a] * dt or now.size[v, a] == 0:
        return False
    n = now.next[v, a]
    at_x, at_y = now.x[v, a], now.y[v, a]
    along_x, along_y = now.points[v, a, n, 0] - at_x, now.points[v, a, n, 1] - at_y
    if n == now.size[v, a] - 1 and hypot(along_x, along_y) <= AT_END:
        return True  # it cannot go on
    to_x, to_y = x - at_x, y - at_y
    ahead = along_x * to_x + along_y * to_y
    return ahead < -NEAR * hypot(along_x, along_y) * hypot(to_x, to_y)


def _move_one(now: Moving, state_for: float, dt: float, v: int, a: int) -> None:
    whole = _left(now, v, a)
    now.was_left[v, a], now.was_stuck[v, a] = whole, now.stuck_for[v, a]
    left = whole - now.stop[v, a]
    _arrive(now, left, dt, v, a)
    free = not now.still[v, a] and not now.holds[v, a]
    if free and now.on_way[v, a] and whole - _beyond_halt(now, v, a) <= NEAR:
        now.next[v, a] = now.halt[v, a] + 1
        _begin_link(now, v, a)
        return
    going = now.on_way[v, a] and free
    toward = now.base[v, a]
    if going:
        _pass(now, v, a)
        n = now.next[v, a]
        dx, dy = now.points[v, a, n, 0] - now.x[v, a], now.points[v, a, n, 1] - now.y[v, a]
        toward = atan2(dy, dx)
    now.base[v, a] = toward
    turned = 0.0
    if free:
        turned = _turn(now, toward, state_for, dt, v, a)
    ahead = now.look[v, a] == AHEAD and going  # else it walks one way and looks another
    gain = now.acceleration[v, a] * dt
    wanted = 0.0
    if going:
        wanted = now.pace[v, a]
        if ahead:
            wanted *= min(max(cos(toward - now.heading[v, a]), 0.0), 1.0)
        # It brakes in time for the end of its path, and for where it turns back.
        wanted = min(wanted, _can_stop_within(left, now.acceleration[v, a], dt))
        if now.turn_at[v, a] >= now.next[v, a] and now.turn_at[v, a] >= 0:
            back = whole - now.beyond[v, a, now.turn_at[v, a]]
            if back > AT_END:
                wanted = min(wanted, _can_stop_within(back, now.acceleration[v, a], dt))
        if now.halt[v, a] >= 0:
            back = whole - now.beyond[v, a, now.halt[v, a]]
            wanted = min(wanted, _can_stop_within(back, now.acceleration[v, a], dt))
    speed = min(max(wanted, max(now.speed[v, a] - gain, 0.0)), now.speed[v, a] + gain)
    # Who has no path any more comes to a stand on the one that it left.
    rolling = free and (left > 0.0 if going else now.speed[v, a] > 0.0)
    now.speed[v, a] = speed if rolling else 0.0
    moved = 0.0
    if rolling:
        most = left if going else whole
        moved = _walk(now, min(speed * dt, max(most, 0.0)), v, a)
    now.walked[v, a] += moved
    _arrive(now, left - moved, dt, v, a)
    wants = (now.on_way[v, a] and now.pace[v, a] > 0.0) or now.no_way[v, a]
    slow = moved < LEAST * now.pace[v, a] * dt
    if ahead and fabs(turned) > NEAR:  # turning is getting on
        slow = False
    now.stuck_for[v, a] = now.stuck_for[v, a] + dt if wants and free and slow else 0.0


def _pass(now: Moving, v: int, a: int) -> None:
    """Leave the points of its path behind that it stands on: they lead nowhere.

    Where a link begins somebody who stands there is on the link already.
    """
    n = now.next[v, a]
    while n < now.size[v, a] - 1:
        if hypot(now.points[v, a, n, 0] - now.x[v, a], now.points[v, a, n, 1] - now.y[v, a]) > NEAR:
            break
        n += 1
    now.next[v, a] = n


def _begin_link(now: Moving, v: int, a: int) -> bool:
    """Whether its path continues with a link; then it is on the link."""
    by = now.points[v, a, now.next[v, a], 3]
    if by < 0.0:
        return False
    now.link[v, a], now.climbed[v, a], now.speed[v, a] = cast(Py_ssize_t, by), 0.0, 0.0
    return True


def _beyond_halt(now: Moving, v: int, a: int) -> float:
    """Length of its path after the start of the next link, m; negative for none."""
    halt = now.halt[v, a]
    return float(now.beyond[v, a, halt]) if halt >= 0 else -INF


def _climb(now: Moving, links: Links, state_for: float, dt: float, v: int, a: int) -> None:
    """Move along a link at an even pace, up to its end."""
    link = now.link[v, a]
    now.stuck_for[v, a] = 0.0
    if now.still[v, a]:
        return
    whole = links.lengths[link]
    before = now.climbed[v, a]
    now.climbed[v, a] = min(before + whole * (dt / links.seconds[link]), whole)
    now.walked[v, a] += now.climbed[v, a] - before
    share = now.climbed[v, a] / whole
    dx, dy = links.ends[link, 3] - links.ends[link, 0], links.ends[link, 4] - links.ends[link, 1]
    if hypot(dx, dy) > STEP:  # up a ladder it looks where it looked
        now.base[v, a] = atan2(dy, dx)
    _turn(now, now.base[v, a], state_for, dt, v, a)
    if whole - now.climbed[v, a] > NEAR * whole:
        now.x[v, a], now.y[v, a] = (
            links.ends[link, 0] + share * dx,
            links.ends[link, 1] + share * dy,
        )
        rise = links.ends[link, 5] - links.ends[link, 2]
        now.z[v, a] = links.ends[link, 2] + share * rise
        return
    now.x[v, a], now.y[v, a] = links.ends[link, 3], links.ends[link, 4]
    now.z[v, a] = links.ends[link, 5]
    now.link[v, a], now.climbed[v, a] = -1, 0.0
    n = now.next[v, a]
    if now.size[v, a] > 0 and now.points[v, a, n, 3] == link:
        # It may have taken another way meanwhile, which begins here.
        now.points[v, a, n, 2], now.points[v, a, n, 3] = 1.0, -1.0
        if n < now.size[v, a] - 1:
            now.next[v, a] = n + 1
            _find_halt(now, v, a)
            _begin_link(now, v, a)


def _left(now: Moving, v: int, a: int) -> float:
    """Remaining length of its path, m, also of one that it has just given up."""
    if now.size[v, a] == 0:
        return 0.0
    n = now.next[v, a]
    if now.points[v, a, n, 3] >= 0.0:
        return float(now.points[v, a, n, 2] - now.climbed[v, a] + now.beyond[v, a, n])
    dx, dy = now.points[v, a, n, 0] - now.x[v, a], now.points[v, a, n, 1] - now.y[v, a]
    return float(hypot(dx, dy) * now.points[v, a, n, 2] + now.beyond[v, a, n])


def _close_to_goal(now: Moving, dt: float, v: int, a: int) -> float:
    """Its arrival distance, m: at least one tick's walk."""
    return float(max(now.arrive[v, a], now.pace[v, a] * dt) + NEAR)


def _arrive(now: Moving, left: float, dt: float, v: int, a: int) -> None:
    """Leave the path if no more than this length is left, m."""
    if now.halt[v, a] >= 0:
        return  # a link is left of it, if a short one
    close = NEAR
    if now.stop[v, a] <= 0.0:
        close = _close_to_goal(now, dt, v, a)
    if now.on_way[v, a] and left <= close:
        now.at_end[v, a], now.on_way[v, a] = True, False


def _turn(now: Moving, toward: float, state_for: float, dt: float, v: int, a: int) -> float:
    """Turn towards where it looks, as fast as it can; return the angle turned, rad."""
    look, wanted = now.look[v, a], toward
    if look in (AT_FOCUS, AT_PLACE):
        aim_x, aim_y = now.look_x[v, a] - now.x[v, a], now.look_y[v, a] - now.y[v, a]
        if not isnan(aim_x) and hypot(aim_x, aim_y) > NEAR:
            wanted = atan2(aim_y, aim_x)
    elif look == SWEEP:
        phase = sin(2.0 * PI * state_for / now.period[v, a])
        wanted = toward + now.swing[v, a] * phase
    elif look == GLANCES:
        since = state_for - now.glance_at[v, a]
        if since >= 0.0 and since < GLANCE * now.period[v, a]:
            wanted = toward + now.glance_by[v, a]
    before = now.heading[v, a]
    off = off_heading(wanted, before)
    if off > PI - NEAR:  # right behind, whatever the last digits are
        off -= 2.0 * PI
    most = now.turn_rate[v, a] * dt
    now.heading[v, a] = before + min(max(off, -most), most)
    return float(now.heading[v, a] - before)


def off_heading(direction: float, heading: float) -> float:
    """How far a direction is to the left of a heading, from -pi to below pi, rad."""
    off: float = fmod(direction - heading + PI, 2.0 * PI)
    if off < 0.0:
        off += 2.0 * PI
    return off - PI


def _can_stop_within(far: float, acceleration: float, dt: float) -> float:
    """The fastest that leaves room to brake after one more tick, m/s.

    Near the end that is the speed that gets there in one tick, and can stop in the next.
    """
    gain = acceleration * dt
    far = max(far, 0.0)
    if far <= gain * dt + NEAR:
        return far / dt
    return float(sqrt(gain * gain + 2.0 * acceleration * far) - gain)


def _walk(now: Moving, way: float, v: int, a: int) -> float:
    """Walk along its path, up to the start of a link, m; return the distance walked."""
    rest, moved, come = way, 0.0, False
    while not come:
        n = now.next[v, a]
        x, y = now.points[v, a, n, 0], now.points[v, a, n, 1]
        dx, dy = x - now.x[v, a], y - now.y[v, a]
        length = hypot(dx, dy) * now.points[v, a, n, 2]
        take = min(rest, length) if rest > 0.0 else 0.0
        share = take / length if length > 0.0 else 0.0
        if rest > 0.0 and take >= length - NEAR:  # else what is left would lead anywhere
            now.x[v, a], now.y[v, a] = x, y
            if n < now.size[v, a] - 1:
                now.next[v, a] = n + 1
                _pass(now, v, a)
                come = _begin_link(now, v, a)
            else:
                come = True
        else:
            now.x[v, a], now.y[v, a] = now.x[v, a] + share * dx, now.y[v, a] + share * dy
        moved += take
        rest -= take
        come = come or not rest > NEAR
    return moved
