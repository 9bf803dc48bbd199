"""Fleeing out of sight, and evading; compiled, see `snelk.level.columns`.

That a spot or a direction is wanted is noted; it is found afterwards, on the ground of who asks.
"""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import cos, isnan, sin

from snelk.body.agreeing import agreed
from snelk.body.columns import BodyStageColumns, FlightStageColumns, MovingColumns
from snelk.body.doing import KEEP_UP, NEVER, NEWLY_FAILED, Doing
from snelk.body.escapes import A_DIRECTION, A_SPOT, FlightStage
from snelk.body.paces import AT_PLACE, Moving
from snelk.body.stage import BodyStage
from snelk.level.columns import GroundStageColumns, door, laid_out
from snelk.level.ground import GroundStage
from snelk.mind.drawn import Drawn
from snelk.mind.signals import PLACE, Attended
from snelk.mind.stage import DISAGREE

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.agreeing import agrees
    from snelk.body.moving import _come_to_end, _stand, _want, sets_out_from
    from snelk.body.streams import whole_of
    from snelk.level.casting import share_past
    from snelk.level.lengths import hypot
    from snelk.level.walking import (
        _length_of_way,
        height_on,
        is_on,
        sheet_at,
        straight_on,
    )  # fmt: skip

INF = float("inf")
NAN = float("nan")
PI = float(np.pi)

AGAIN = 1.0
"""Seconds after which somebody who flees looks whether its spot is still out of sight."""

SIDEWAYS = 1e-6
"""A direction that leads nearer by less than this share of its length leads to the side."""


@door
def choose_where(
    index: int,
    walk: GroundStage,
    flights: FlightStage,
    stage: BodyStage,
    moving: Moving,
) -> int:
    """Find the spots and directions that are asked for on one ground; how many are left to do.

    Left is who flees where the paths between the corners of the ground are not known.

    Args:
        index: Of the ground.
        walk: That ground.
        flights: Who asks; overwritten.
        stage: What they do; overwritten.
        moving: Their bodies; overwritten.

    Raises:
        ValueError: These arrays do not agree.
    """
    found = _choose_where(
        index, laid_out(GroundStageColumns, walk), laid_out(FlightStageColumns, flights),
        laid_out(BodyStageColumns, stage),
        laid_out(MovingColumns, moving),
    )  # fmt: skip
    return agreed(found)


@door
def choose_by_lengths(
    v: int, a: int, flights: FlightStage, stage: BodyStage, moving: Moving
) -> None:
    """Choose the spot of one agent by the lengths of its paths, which are known."""
    found = _choose_by_lengths(
        v, a, laid_out(FlightStageColumns, flights), laid_out(BodyStageColumns, stage),
         laid_out(MovingColumns, moving),
    )  # fmt: skip
    agreed(found)


def flee(
    moving: Moving,
    stage: FlightStage,
    now: Attended,
    drawn: Drawn,
    state: int,
    dt: float,
    v: int,
    a: int,
    doing: Doing,
) -> float:
    """Choose a spot, and another when the target could see it; s until it decides again."""
    if doing.done[v, a] or doing.failed[v, a]:
        return NEVER
    x, y, _z = last_known(now, drawn, v, a)
    if stage.keep_eyes[v, a, state] and not isnan(x):
        moving.look[v, a] = AT_PLACE
        moving.look_x[v, a], moving.look_y[v, a] = x, y
    chosen, stops = stage.chosen[v, a], stage.until_unseen[v, a, state]
    if stops and chosen >= 0:
        here_x, here_y, here_z = moving.x[v, a], moving.y[v, a], moving.z[v, a]
        if not _could_be_seen(moving, stage, now, drawn, v, a, here_x, here_y, here_z):
            _stand(moving, v, a)
            doing.done[v, a] = True
    if not doing.done[v, a] and chosen >= 0 and moving.at_end[v, a]:
        _come_to_end(moving, dt, v, a, doing)
    if doing.done[v, a] or doing.failed[v, a]:  # it looks back while it goes only
        moving.look[v, a] = stage.look[v, a, state]
        moving.look_x[v, a] = moving.look_y[v, a] = NAN
        return NEVER
    asks = chosen < 0 or isnan(x)
    if not asks:
        row = stage.first[v, a, state] + chosen
        to_x, to_y, to_z = stage.spots[row, 0], stage.spots[row, 1], stage.spots[row, 2]
        asks = _could_be_seen(moving, stage, now, drawn, v, a, to_x, to_y, to_z)
    if asks:
        stage.asks[v, a] = A_SPOT
    return KEEP_UP if stops else AGAIN


def evade(moving: Moving, stage: FlightStage, dt: float, v: int, a: int, doing: Doing) -> float:
    """Choose from the free directions, and go; at the end it is done."""
    if stage.chosen[v, a] >= 0:
        _come_to_end(moving, dt, v, a, doing)
        return NEVER
    stage.chosen[v, a], stage.asks[v, a] = 0, A_DIRECTION
    return NEVER


def last_known(now: Attended, drawn: Drawn, v: int, a: int) -> tuple[float, float, float]:
    """The last-known position of the focus, m; NaN for none."""
    j = now.focus[v, a]
    if j == PLACE:
        return drawn.x[v, a], drawn.y[v, a], drawn.z[v, a]
    if j >= 0:
        return now.known_x[v, a, j], now.known_y[v, a, j], now.known_z[v, a, j]
    return NAN, NAN, NAN


def _could_be_seen(
    moving: Moving,
    stage: FlightStage,
    now: Attended,
    drawn: Drawn,
    v: int,
    a: int,
    x: float,
    y: float,
    z: float,
) -> bool:
    """Whether the focus, from its last-known position, could see the agent at a position.

    The ray goes from the focus's eyes, standing, to the middle of the agent's body. A spot on
    ground without floors has no height: it is as high as the agent.
    """
    j, i = now.focus[v, a], stage.characters[a]
    from_x, from_y, from_z = last_known(now, drawn, v, a)
    if j < 0 or isnan(from_x):
        return False
    z = moving.z[v, a] if isnan(z) else z
    eye = from_z + stage.bodies.eyes[v, j, 0]
    middle = z + 0.5 * stage.bodies.height[v, i, moving.posture[v, a]]
    stage.scratch.row[0] = v if len(stage.scratch.opened) > 1 else 0
    return share_past(stage.grid, stage.scratch, from_x, from_y, eye, x, y, middle) > 0.0


def _choose_where(
    index: int,
    walk: GroundStage,
    flights: FlightStage,
    stage: BodyStage,
    moving: Moving,
) -> int:
    if not _agrees(flights, stage, moving):
        return DISAGREE
    left = 0
    for v in range(flights.asks.shape[0]):
        for a in range(flights.asks.shape[1]):
            asks = flights.asks[v, a]
            if asks == 0 or stage.doing.ground[v, a] != index:
                continue
            if asks == A_DIRECTION:
                _take_a_direction(walk, flights, stage, moving, v, a)
            elif _measure_ways(walk, flights, stage, moving, v, a):
                _take_a_spot(flights, stage, moving, v, a)
            else:
                left += 1
                continue
            flights.asks[v, a] = 0
    return left


def _choose_by_lengths(
    v: int, a: int, flights: FlightStage, stage: BodyStage, moving: Moving
) -> int:
    inside = 0 <= v < flights.asks.shape[0] and 0 <= a < flights.asks.shape[1]
    if not (inside and _agrees(flights, stage, moving)):
        return DISAGREE
    _take_a_spot(flights, stage, moving, v, a)
    flights.asks[v, a] = 0
    return 0


def _agrees(flights: FlightStage, stage: BodyStage, moving: Moving) -> bool:
    same: bool = (
        agrees(stage, moving)
        and flights.asks.shape[0] == stage.stuck.shape[0]
        and flights.asks.shape[1] == stage.stuck.shape[1]
    )
    return same


def _measure_ways(
    walk: GroundStage, flights: FlightStage, stage: BodyStage, moving: Moving, v: int, a: int
) -> bool:
    """Measure the paths to an agent's spots; return whether they are known."""
    x, y, here_z = sets_out_from(walk, stage.links, moving, stage.doing, v, a)
    state, part = max(stage.standing.state[v, a], 0), stage.doing.part[v, a]
    first = flights.first[v, a, state]
    for n in range(flights.last[v, a, state] - first):
        length = INF
        if part >= 0:
            z = _height_of(flights, moving, first + n, v, a)
            length = _length_of_way(
                walk.ground, walk.grid, walk.scratch, walk.room, part, x, y, here_z,
                flights.spots[first + n, 0], flights.spots[first + n, 1], z, True,
            )  # fmt: skip
        if isnan(length):
            return False
        flights.lengths[n] = length
    return True


def _take_a_spot(flights: FlightStage, stage: BodyStage, moving: Moving, v: int, a: int) -> None:
    """The nearest spot out of sight, by path; if there is none, the farthest from the focus."""
    state, best, least, most = max(stage.standing.state[v, a], 0), -1, INF, -1.0
    first = flights.first[v, a, state]
    count = flights.last[v, a, state] - first
    for n in range(count):
        x, y, z = (
            flights.spots[first + n, 0],
            flights.spots[first + n, 1],
            flights.spots[first + n, 2],
        )
        if flights.lengths[n] < least and not _could_be_seen(
            moving, flights, stage.attended, stage.drawn, v, a, x, y, z
        ):
            best, least = n, flights.lengths[n]
    if best < 0:
        from_x, from_y, from_z = last_known(stage.attended, stage.drawn, v, a)
        for n in range(count):
            if not flights.lengths[n] < INF:
                continue
            x, y, z = (
                flights.spots[first + n, 0],
                flights.spots[first + n, 1],
                flights.spots[first + n, 2],
            )
            rise = 0.0 if isnan(z) else z - from_z
            away = 0.0 if isnan(from_x) else hypot(hypot(x - from_x, y - from_y), rise)
            if away > most:
                best, most = n, away
    if best < 0:
        _stand(moving, v, a)
        moving.no_way[v, a] = True
        _fail(stage, v, a)
    elif best != flights.chosen[v, a]:
        flights.chosen[v, a] = best
        x, y = flights.spots[first + best, 0], flights.spots[first + best, 1]
        z = _height_of(flights, moving, first + best, v, a)
        _want(moving, v, a, x, y, z, 0.0, stage.doing)


def _height_of(flights: FlightStage, moving: Moving, spot: int, v: int, a: int) -> float:
    """Height of a spot, m; without floors, that of the agent."""
    z: float = flights.spots[spot, 2]
    return moving.z[v, a] if isnan(z) else z


def _take_a_direction(
    walk: GroundStage, flights: FlightStage, stage: BodyStage, moving: Moving, v: int, a: int
) -> None:
    """Any of the directions that are free."""
    x, y, z = sets_out_from(walk, stage.links, moving, stage.doing, v, a)
    sheet, count = sheet_at(walk.ground, x, y, z), 0
    for n in range(flights.directions[v, a, max(stage.standing.state[v, a], 0)]):
        count += _is_free(walk, flights, stage, moving, x, y, sheet, n, v, a)
    if count == 0:
        _stand(moving, v, a)
        _fail(stage, v, a)
        return
    left = whole_of(flights.streams, v, a, count)
    n = -1
    while left >= 0:
        n += 1
        left -= _is_free(walk, flights, stage, moving, x, y, sheet, n, v, a)
    end_x, end_y = _end_of(flights, stage, moving, x, y, n, v, a)
    _rest, sheet = _straight_to(walk, x, y, sheet, end_x, end_y)
    z = height_on(walk.ground, sheet, end_x, end_y, z)
    _want(moving, v, a, end_x, end_y, z, 0.0, stage.doing)


def _straight_to(
    walk: GroundStage, x: float, y: float, sheet: int, to_x: float, to_y: float
) -> tuple[float, int]:
    """The length of a straight path, infinite if blocked, m, and the floor at its end."""
    if sheet < 0:
        return INF, 0
    return straight_on(walk.grid, walk.scratch, walk.ground.joins, x, y, sheet, to_x, to_y)


def _end_of(
    flights: FlightStage,
    stage: BodyStage,
    moving: Moving,
    x: float,
    y: float,
    n: int,
    v: int,
    a: int,
) -> tuple[float, float]:
    """Where direction n from a position leads to."""
    state = max(stage.standing.state[v, a], 0)
    angle = moving.heading[v, a] + n * (2.0 * PI / flights.directions[v, a, state])
    far = flights.distance[v, a, state]
    return x + far * cos(angle), y + far * sin(angle)


def _is_free(
    walk: GroundStage,
    flights: FlightStage,
    stage: BodyStage,
    moving: Moving,
    x: float,
    y: float,
    sheet: int,
    n: int,
    v: int,
    a: int,
) -> bool:
    """Whether direction n is free all the way, and leads away if required."""
    state, part = max(stage.standing.state[v, a], 0), stage.doing.part[v, a]
    end_x, end_y = _end_of(flights, stage, moving, x, y, n, v, a)
    from_x, from_y, _from_z = last_known(stage.attended, stage.drawn, v, a)
    if flights.away[v, a, state] and not isnan(from_x):
        # To the side, neither to nor from it, counts as away on either side.
        along = (end_x - x) * (x - from_x) + (end_y - y) * (y - from_y)
        if along < -SIDEWAYS * flights.distance[v, a, state]:
            return False
    far, end_sheet = _straight_to(walk, x, y, sheet, end_x, end_y)
    if part < 0 or far == INF:
        return False
    if len(walk.ground.floors.planes) > 0:  # where floors meet that is the highest
        height = height_on(walk.ground, end_sheet, end_x, end_y, 0.0)
        end_sheet = sheet_at(walk.ground, end_x, end_y, height)
    free: bool = is_on(walk.ground, part, end_x, end_y, end_sheet)
    return free


def _fail(stage: BodyStage, v: int, a: int) -> None:
    """The activity has failed."""
    stage.doing.failed[v, a] = True
    stage.doing.news[v, a] += NEWLY_FAILED
