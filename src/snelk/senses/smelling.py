"""Trails, and what noses smell of them; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import exp, exp2, isnan, sqrt
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, agree, door, laid_out, plain
from snelk.level.grid import NO_WALL, Grid, Scratch, agree_scratch
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import (
    AirColumns,
    BodyColumns,
    ContactColumns,
    ContactNumberColumns,
    PoseColumns,
    TrailColumns,
)
from snelk.senses.contact import (
    AWAKE,
    BY_SMELL,
    CARES,
    PRESENT,
    REACH,
    SENSED,
    STRENGTH,
    ContactNumbers,
    Contacts,
)
from snelk.senses.sight import EDGE
from snelk.senses.stage import SmellStage
from snelk.senses.trails import SPACING, AirNumbers, Trails

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.casting import cast_ray

INF = float("inf")
NAN = float("nan")


def _leave_and_smell(stage: SmellStage, poses: Poses, now: float) -> bool:
    """Update all trails and what noses smell of them; return whether there was room."""
    if stage.trails.longest[0] >= stage.trails.x.shape[2]:
        return False
    _leave(now, poses, stage.surroundings.zones, stage.air, stage.trails)
    _smell(
        now, stage.notices, poses, stage.bodies, stage.air, stage.trails, stage.numbers,
        stage.awake, stage.grid, stage.scratch, stage.contacts,
    )  # fmt: skip
    return True


@door
def leave_since(
    times: NDArray[np.float64],
    poses: Poses,
    within: NDArray[np.bool_],
    air: AirNumbers,
    trails: Trails,
) -> int:
    """Ticks of the trails of one variant; return how many were done, until there was no room.

    Args:
        times: (tick,) their times, s.
        poses: Everybody's poses; its rows are the ticks.
        within: (tick, character, zone) which zones everybody is in.
        air: How strong trails are, and how they fade.
        trails: Overwritten.
    """
    agree(times.shape, within.shape[:1])
    agree(plain(poses).x.shape, within.shape[:2])
    agree(plain(air).scent.shape, plain(trails).first.shape, (1, plain(poses).x.shape[1]))
    agree(within.shape[2:], plain(air).zone_wind.shape)
    return _leave_since(
        times, laid_out(PoseColumns, poses), within, laid_out(AirColumns, air),
        laid_out(TrailColumns, trails),
    )  # fmt: skip


@door
def smell(
    now: float,
    notices: NDArray[np.bool_],
    poses: Poses,
    bodies: Bodies,
    air: AirNumbers,
    trails: Trails,
    numbers: ContactNumbers,
    awake: NDArray[np.float64],
    grid: Grid,
    scratch: Scratch,
    contacts: Contacts,
) -> None:
    """What every nose smells at a tick.

    Args:
        now: Its time, s.
        notices: (variant, agent, target) whom it is asked of.
        poses: Everybody's poses.
        bodies: How high they are.
        air: How strong trails are, and how they fade.
        trails: The trails.
        numbers: The noses.
        awake: (variant, agent) how awake they are.
        grid: What holds a scent back.
        scratch: Of the grid.
        contacts: Overwritten.
    """
    agree_scratch(scratch, grid, len(notices))
    agree(notices.shape, plain(contacts).smell.shape, plain(numbers).smell_cares.shape)
    agree(notices.shape[:2], awake.shape)
    agree(plain(trails).first.shape, plain(air).scent.shape, plain(bodies).blocks.shape)
    agree(plain(air).scent.shape, (len(notices), plain(poses).x.shape[1]))
    agree(notices.shape[2:], (plain(poses).x.shape[1],))
    _smell(
        now, notices, laid_out(PoseColumns, poses), laid_out(BodyColumns, bodies),
        laid_out(AirColumns, air), laid_out(TrailColumns, trails),
        laid_out(ContactNumberColumns, numbers), awake, laid_out(GridColumns, grid), scratch,
        laid_out(ContactColumns, contacts),
    )  # fmt: skip


@door
def sniff(
    pair: tuple[int, int],
    poses: Poses,
    bodies: Bodies,
    air: AirNumbers,
    trails: Trails,
    grid: Grid,
    scratch: Scratch,
    found: NDArray[np.float64],
) -> None:
    """Ask all places of one trail, of the first variant, at one nose.

    Args:
        pair: The character whose nose it is, and whose trail.
        poses: Everybody's poses.
        bodies: How high they are.
        air: How strong trails are, and how they fade.
        trails: The trails.
        grid: What holds a scent back.
        scratch: Of the grid.
        found: (place, 3) by age, the oldest first: how far off it is, m; how many times as far off
            it is smelt in the wind; the share that walls let pass. Overwritten.
    """
    i, j = pair
    agree_scratch(scratch, grid, 1)
    agree(plain(poses).x.shape, plain(trails).first.shape, plain(air).scent.shape)
    agree(found.shape, (int(plain(trails).size[0, j]), 3))
    agree(plain(bodies).blocks.shape, plain(poses).x.shape)
    _sniff(
        laid_out(PoseColumns, poses), laid_out(BodyColumns, bodies), laid_out(AirColumns, air),
        laid_out(TrailColumns, trails), laid_out(GridColumns, grid), scratch, i, j, found,
    )  # fmt: skip


def _sniff(
    poses: Poses,
    bodies: Bodies,
    air: AirNumbers,
    trails: Trails,
    grid: Grid,
    scratch: Scratch,
    i: int,
    j: int,
    found: NDArray[np.float64],
) -> None:
    scratch.row[0] = 0
    for n in range(trails.size[0, j]):
        at = (trails.first[0, j] + n) % trails.x.shape[2]
        through, _ = _past(poses, bodies, trails, grid, scratch, 0, 0, i, j, at)
        found[n, 0] = _away(poses, trails, 0, 0, i, j, at)
        found[n, 1] = _carried(poses, air, trails, 0, 0, i, j, at)
        found[n, 2] = through


def _leave(
    now: float,
    poses: Poses,
    within: NDArray[np.bool_],
    air: AirNumbers,
    trails: Trails,
) -> None:
    """Everybody goes on with its trail; what of trails has faded for all noses is gone."""
    trails.longest[0] = 0
    for v in range(len(trails.x)):
        _leave_of(now, poses, within, air, trails, v, v if len(poses.x) > 1 else 0)


def _leave_since(
    times: NDArray[np.float64],
    poses: Poses,
    within: NDArray[np.bool_],
    air: AirNumbers,
    trails: Trails,
) -> int:
    for n in range(len(times)):
        if trails.longest[0] >= trails.x.shape[2]:
            return n
        trails.longest[0] = 0
        _leave_of(times[n], poses, within, air, trails, 0, n)
    return len(times)


def _leave_of(
    now: float,
    poses: Poses,
    within: NDArray[np.bool_],
    air: AirNumbers,
    trails: Trails,
    v: int,
    p: int,
) -> None:
    """The trails of one variant, whose poses stand in one row."""
    room = trails.x.shape[2]
    for j in range(trails.x.shape[1]):
        if not air.leaves[v, j]:
            continue
        if poses.present[p, j]:
            _go_on(now, poses, within, air, trails, v, p, j)
        for n in range(trails.size[v, j]):
            at = (trails.first[v, j] + n) % room
            halvings = (now - trails.t[v, j, at]) * air.fades[v]
            halvings *= 1.0 + air.thins[v] * trails.wind[v, j, at]
            trails.strength[v, j, at] = trails.scent[v, j, at] * exp2(-halvings)
        # The newest place stays, so that it is known that there was a trail, and the one before,
        # so that no nose has a say in where the next begins.
        while trails.size[v, j] > 2:
            if not trails.strength[v, j, trails.first[v, j]] < air.weakest[v]:
                break
            trails.first[v, j] = (trails.first[v, j] + 1) % room
            trails.size[v, j] -= 1
        trails.longest[0] = max(trails.longest[0], trails.size[v, j])


def _go_on(
    now: float,
    poses: Poses,
    within: NDArray[np.bool_],
    air: AirNumbers,
    trails: Trails,
    v: int,
    p: int,
    j: int,
) -> None:
    """The newest place of a trail moves along, or it stays and another begins."""
    room, count = trails.x.shape[2], trails.size[v, j]
    begins = count < 2
    if not begins:
        fixed = (trails.first[v, j] + count - 2) % room
        begins = _away(poses, trails, v, p, j, j, fixed) >= SPACING
    if begins:
        count += 1
        trails.size[v, j] = count
    at = (trails.first[v, j] + count - 1) % room
    trails.x[v, j, at], trails.y[v, j, at] = poses.x[p, j], poses.y[p, j]
    trails.z[v, j, at], trails.t[v, j, at] = poses.z[p, j], now
    wind, scent = 1.0, 1.0
    for zone in range(len(air.zone_wind)):
        if within[p, j, zone]:
            if not isnan(air.zone_wind[zone]):
                wind = air.zone_wind[zone]
            if not isnan(air.zone_scent[zone]):
                scent = air.zone_scent[zone]
    trails.wind[v, j, at], trails.scent[v, j, at] = wind, air.scent[v, j] * scent


def _smell(
    now: float,
    notices: NDArray[np.bool_],
    poses: Poses,
    bodies: Bodies,
    air: AirNumbers,
    trails: Trails,
    numbers: ContactNumbers,
    awake: NDArray[np.float64],
    grid: Grid,
    scratch: Scratch,
    contacts: Contacts,
) -> None:
    """What every nose smells: the freshest place of each trail that it can."""
    for v in range(contacts.smell.shape[0]):
        scratch.row[0] = v if len(scratch.opened) > 1 else 0
        p = v if len(poses.x) > 1 else 0
        for a in range(contacts.smell.shape[1]):
            if not numbers.smells[v, a]:
                continue
            i = numbers.characters[a]
            for j in range(contacts.smell.shape[2]):
                if not notices[v, a, j]:
                    continue
                contacts.smell[v, a, j] = PRESENT
                contacts.fills[v, a, j, BY_SMELL] = NAN
                _note(trails, v, a, j, -1, now, NAN, NAN, NO_WALL, contacts)
                if i == j or not poses.present[p, i]:
                    continue
                if not numbers.smell_cares[v, a, j]:
                    contacts.smell[v, a, j] = CARES
                elif trails.size[v, j] == 0:
                    continue
                elif awake[v, a] <= 0.0:
                    contacts.smell[v, a, j] = AWAKE
                else:
                    _follow(
                        now, poses, bodies, air, trails, numbers,
                        numbers.reach[v, a] * awake[v, a], grid, scratch, v, p, a, i, j,
                        contacts,
                    )  # fmt: skip


def _follow(
    now: float,
    poses: Poses,
    bodies: Bodies,
    air: AirNumbers,
    trails: Trails,
    numbers: ContactNumbers,
    reach: float,
    grid: Grid,
    scratch: Scratch,
    v: int,
    p: int,
    a: int,
    i: int,
    j: int,
    contacts: Contacts,
) -> None:
    """The freshest place of a trail that is smelt; if none is, that which comes nearest to it.

    Walls are asked of those places only that would be smelt in the open. If all has faded it is
    the newest.
    """
    room, best, nearest, wall_then = trails.x.shape[2], -INF, -1, NO_WALL
    away_then, limit_then = NAN, NAN
    contacts.smell[v, a, j] = STRENGTH
    at = (trails.first[v, j] + trails.size[v, j]) % room
    for back in range(trails.size[v, j]):
        at = room - 1 if at == 0 else at - 1
        strength = trails.strength[v, j, at]
        if strength < numbers.weakest[v, a] and back > 0:
            continue
        away = _away(poses, trails, v, p, i, j, at)
        limit = reach * (strength * _carried(poses, air, trails, v, p, i, j, at))
        wall, through = NO_WALL, 1.0
        margin = -INF
        if strength >= numbers.weakest[v, a]:
            if away <= limit + EDGE:
                through, wall = _past(poses, bodies, trails, grid, scratch, v, p, i, j, at)
                if through > 0.0 and away <= limit * through + EDGE:
                    contacts.smell[v, a, j] = SENSED
                    contacts.fills[v, a, j, BY_SMELL] = numbers.rates[v, a, BY_SMELL] * strength
                    _note(trails, v, a, j, at, now, away, limit * through, wall, contacts)
                    return
            margin = limit * through - away
            contacts.smell[v, a, j] = REACH
        if nearest < 0 or margin > best:
            best, nearest, wall_then = margin, at, wall
            away_then, limit_then = away, limit * through
    _note(trails, v, a, j, nearest, now, away_then, limit_then, wall_then, contacts)


def _away(poses: Poses, trails: Trails, v: int, p: int, i: int, j: int, at: int) -> float:
    """How far off a place of a trail somebody stands, from feet to feet, m."""
    dx, dy = poses.x[p, i] - trails.x[v, j, at], poses.y[p, i] - trails.y[v, j, at]
    dz = poses.z[p, i] - trails.z[v, j, at]
    return float(sqrt(dx * dx + dy * dy + dz * dz))


def _carried(
    poses: Poses, air: AirNumbers, trails: Trails, v: int, p: int, i: int, j: int, at: int
) -> float:
    """The factor of the wind on the smelling distance."""
    found = 1.0
    if air.wind_x[v] == 0.0 and air.wind_y[v] == 0.0:
        return found
    dx, dy = poses.x[p, i] - trails.x[v, j, at], poses.y[p, i] - trails.y[v, j, at]
    plan = sqrt(dx * dx + dy * dy)
    if plan > EDGE:
        along = (dx * air.wind_x[v] + dy * air.wind_y[v]) / plan
        found = exp(along * trails.wind[v, j, at])
    return float(found)


def _past(
    poses: Poses,
    bodies: Bodies,
    trails: Trails,
    grid: Grid,
    scratch: Scratch,
    v: int,
    p: int,
    i: int,
    j: int,
    at: int,
) -> tuple[float, int]:
    """The share that walls let pass from the middle of who left it to the nose, and the wall."""
    through, wall, _ = cast_ray(
        grid, scratch,
        poses.x[p, i], poses.y[p, i], poses.z[p, i] + bodies.eyes[v, i, poses.posture[p, i]],
        trails.x[v, j, at], trails.y[v, j, at], trails.z[v, j, at] + 0.5 * bodies.height[v, j, 0],
    )  # fmt: skip
    return through, wall


def _note(
    trails: Trails,
    v: int,
    a: int,
    j: int,
    at: int,
    now: float,
    away: float,
    limit: float,
    wall: int,
    contacts: Contacts,
) -> None:
    """Note which place of a trail it is about; none if `at` is below 0."""
    known = at >= 0
    contacts.strength[v, a, j] = trails.strength[v, j, at] if known else NAN
    contacts.scent_age[v, a, j] = now - trails.t[v, j, at] if known else NAN
    contacts.scent_x[v, a, j] = trails.x[v, j, at] if known else NAN
    contacts.scent_y[v, a, j] = trails.y[v, j, at] if known else NAN
    contacts.scent_z[v, a, j] = trails.z[v, j, at] if known else NAN
    contacts.away[v, a, j], contacts.limit[v, a, j] = away, limit
    contacts.scent_wall[v, a, j] = wall
