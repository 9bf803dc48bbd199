"""Wandering that covers every part of an area equally in the long run.

The agent walks straight; at the edge it leaves in a direction by the cosine law, and every so
often it takes any direction. Of such a walk the places are spread evenly over the area, whatever
its shape (Comets, Popov, Schütz, Vachkovskaia 2009, "Billiards in a general domain with random
reflections"); going to points at random would crowd the middle. Compiled, see
`snelk.level.columns`.
"""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, compiled
from cython.cimports.libc.math import asin, atan2, cos, fabs, isnan, sin

from snelk.body.columns import DoingColumns, MovingColumns, RoamStageColumns
from snelk.body.doing import LEFT_TO_PYTHON, NEVER, Doing
from snelk.body.paces import Moving
from snelk.body.roams import AT_EDGE, EXACT, INSIDE, NO_AREA, ROUNDING, RoamStage
from snelk.config.steps import STEP
from snelk.level.columns import GroundColumns, agree, door, laid_out, plain
from snelk.level.ground import Ground
from snelk.level.zones import OUTSIDE

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.moving import _run_out, _stand, _take_way, _turns_back
    from snelk.body.streams import next_of
    from snelk.level.footing import floor_below, height_of
    from snelk.level.lengths import hypot
    from snelk.level.walking import is_on, sheet_at
    from snelk.level.within import _edge_ahead, where_in

NAN = float("nan")
PI = float(np.pi)

BEYOND = 1e-4
"""So far behind the edge of a floor is looked for another one, m."""

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def wander_alone(
    moving: Moving,
    stage: RoamStage,
    state: int,
    time: float,
    dt: float,
    v: int,
    a: int,
    doing: Doing,
) -> tuple[float, int, int]:
    """Choose where to wander, but do not set out yet.

    Args:
        moving: Their bodies.
        stage: Where they roam; the path is written to it.
        state: The alert state.
        time: The time of the tick, s.
        dt: Its length, s.
        v: The variant.
        a: The agent, within its area.
        doing: What they do; where it wants to go is overwritten.

    Returns:
        Seconds until it thinks again, how many places its path has, 0 if it stands, and the one
        at which it turns back, -1 for none.
    """
    agree(plain(moving).x.shape, plain(stage).area.shape, plain(doing).kind.shape)
    agree((0 <= v < len(plain(stage).area), 0 <= a < plain(stage).area.shape[1]), (True, True))
    agree((0 <= state < plain(stage).every.shape[2], plain(stage).area[v, a] >= 0), (True, True))
    agree((len(plain(stage).way) > plain(moving).points.shape[2],), (True,))
    return _plan(
        laid_out(MovingColumns, moving), laid_out(RoamStageColumns, stage), state, time, dt, v, a,
        laid_out(DoingColumns, doing),
    )  # fmt: skip


def wander(
    moving: Moving,
    stage: RoamStage,
    state: int,
    time: float,
    dt: float,
    v: int,
    a: int,
    doing: Doing,
) -> float:
    """Take another direction at the edge, and when it is time; s until it thinks again.

    Left to Python are agents that have to find or enter their area first, and those that turn in
    arcs.
    """
    area = stage.area[v, a]
    if area == NO_AREA:  # its area is none, or cannot be walked to
        _stand(moving, v, a)
        moving.no_way[v, a] = doing.failed[v, a] = True
        return NEVER
    if area < 0 or moving.smooth[v, a]:
        return LEFT_TO_PYTHON
    if stage.outside[v, a]:
        if not _is_within(stage.areas, area, moving.x[v, a], moving.y[v, a], moving.z[v, a]):
            return LEFT_TO_PYTHON
    if moving.link[v, a] >= 0:
        return dt  # it is on a link: it comes to its end first
    if moving.size[v, a] >= moving.points.shape[2]:  # there may be no room for its path
        return LEFT_TO_PYTHON
    again, count, turn_at = _plan(moving, stage, state, time, dt, v, a, doing)
    if count > 0:
        _take_way(moving, v, a, stage.way, count, EXACT, 0.0, turn_at)
    return again


def _plan(
    moving: Moving,
    stage: RoamStage,
    state: int,
    time: float,
    dt: float,
    v: int,
    a: int,
    doing: Doing,
) -> tuple[float, int, int]:
    """As `wander_alone`."""
    area, x, y = stage.area[v, a], moving.x[v, a], moving.y[v, a]
    stage.outside[v, a] = False
    keeps = stage.keeps[v, a] and time < stage.until[v, a] - SLACK
    stage.keeps[v, a] = False
    if time >= stage.until[v, a] - SLACK:
        if stage.pause[v, a, state] > 0.0 and not stage.pausing[v, a]:
            stage.pausing[v, a] = True
            _stand(moving, v, a)
            return stage.pause[v, a, state], 0, -1
        stage.pausing[v, a] = False
        stage.normal[v, a, 0] = stage.normal[v, a, 1] = NAN
        stage.until[v, a] = time + stage.every[v, a, state]
    if keeps:
        angle = atan2(doing.goals[v, a, 1] - y, doing.goals[v, a, 0] - x)
    else:
        angle = _angle(stage, v, a)
    dx, dy = cos(angle), sin(angle)
    count, z = 0, moving.z[v, a]
    doing.stop[v, a] = EXACT
    sheet = sheet_at(stage.areas, x, y, z)
    if _turns_back(moving, dt, v, a, x + dx, y + dy):
        count = _run_out(moving, v, a, stage.way)  # it comes to a stand first
        if count > 0:
            x, y = stage.way[count - 1, 0], stage.way[count - 1, 1]
            sheet = cast(Py_ssize_t, stage.way[count - 1, 4])
            z = height_of(stage.floors, sheet, x, y) if sheet >= 0 else z
            if not _is_within(stage.areas, area, x, y, z):  # from there it first has to get back
                stage.outside[v, a] = True
                doing.goals[v, a, 0], doing.goals[v, a, 1], doing.goals[v, a, 2] = x, y, z
                return max(stage.until[v, a] - time, dt), count, -1
    turn_at, most = count - 1, min(len(stage.way), moving.points.shape[2])
    count = _straight_on(stage, area, sheet, x, y, dx, dy, count, most, v, a)
    x, y = stage.way[count - 1, 0], stage.way[count - 1, 1]
    doing.goals[v, a, 0], doing.goals[v, a, 1], doing.goals[v, a, 2] = x, y, z
    sheet = cast(Py_ssize_t, stage.way[count - 1, 4])
    if sheet >= 0:
        doing.goals[v, a, 2] = height_of(stage.floors, sheet, x, y)
    return max(stage.until[v, a] - time, dt), count, turn_at


@door
def is_within(ground: Ground, area: int, x: float, y: float, z: float) -> bool:
    """Whether a place, m, lies in an area, and not on its edge but for rounding."""
    agree((0 <= area < len(plain(ground).reach),), (True,))
    return bool(_is_within(laid_out(GroundColumns, ground), area, x, y, z))


def _is_within(ground: Ground, area: int, x: float, y: float, z: float) -> bool:
    for n in range(4):
        at_x = x + ROUNDING if n % 2 == 0 else x - ROUNDING
        at_y = y + ROUNDING if n < 2 else y - ROUNDING
        if not is_on(ground, area, at_x, at_y, sheet_at(ground, at_x, at_y, z)):
            return False
    return True


def _straight_on(
    stage: RoamStage,
    area: int,
    sheet: int,
    x: float,
    y: float,
    dx: float,
    dy: float,
    count: int,
    most: int,
    v: int,
    a: int,
) -> int:
    """Write a straight path to the edge of an area, over all connected floors.

    Returns how many places the path has then; with room for no more it ends where a floor does.
    """
    flat = len(stage.floors.planes) == 0
    while True:
        far, normal_x, normal_y = _edge_of(stage, area, sheet, x, y, dx, dy)
        stage.normal[v, a, 0], stage.normal[v, a, 1] = normal_x, normal_y
        beyond_x, beyond_y = x + dx * (far + BEYOND), y + dy * (far + BEYOND)
        other = _across(stage, area, sheet, beyond_x, beyond_y) if count < most - 1 else -1
        steep, on = 1.0, -1.0
        if not flat and sheet >= 0:
            rise = stage.floors.planes[sheet, 0] * dx + stage.floors.planes[sheet, 1] * dy
            steep, on = hypot(1.0, rise), sheet
        stage.way[count, 2], stage.way[count, 3], stage.way[count, 4] = steep, -1.0, on
        if other < 0:
            far = max(far - INSIDE, 0.0)
            stage.way[count, 0], stage.way[count, 1] = x + dx * far, y + dy * far
            return count + 1
        stage.way[count, 0], stage.way[count, 1] = x + dx * far, y + dy * far
        x, y, sheet, count = beyond_x, beyond_y, other, count + 1


def _edge_of(
    stage: RoamStage, area: int, sheet: int, x: float, y: float, dx: float, dy: float
) -> tuple[float, float, float]:
    """How far it is to the edge of the area on one floor, m, and the normal there."""
    found = stage.areas.parts[area]
    for k in range(stage.areas.parts[area], stage.areas.parts[area + 1]):
        low, high = stage.areas.starts[k], stage.areas.starts[k + 1]
        if (
            stage.areas.area_sheets[k] == sheet
            and where_in(stage.areas.edges, low, high, x, y) != OUTSIDE
        ):
            found = k
            break
    low, high = stage.areas.starts[found], stage.areas.starts[found + 1]
    least = AT_EDGE  # it stands that near to the edge that it leaves
    if where_in(stage.areas.edges, low, high, x + dx * least, y + dy * least) == OUTSIDE:
        least = -AT_EDGE  # it would walk over that edge: its path ends here
    return _edge_ahead(stage.areas.edges, low, high, x, y, dx, dy, least)


def _across(stage: RoamStage, area: int, sheet: int, x: float, y: float) -> int:
    """The floor on which one goes on beyond an edge, still in the area; -1 for none."""
    if len(stage.floors.planes) == 0 or sheet < 0:
        return -1
    height = height_of(stage.floors, sheet, x, y)
    other = floor_below(stage.floors, x, y, height + STEP)
    if other < 0 or other == sheet:
        return -1
    joined = fabs(height_of(stage.floors, other, x, y) - height) <= STEP
    return other if joined and is_on(stage.areas, area, x, y, other) else -1


def _angle(stage: RoamStage, v: int, a: int) -> float:
    """Any direction, or from the edge one by the cosine law."""
    share = next_of(stage.streams, v, a)
    if isnan(stage.normal[v, a, 0]):
        return -PI + 2.0 * PI * share
    # The sine of the angle to the normal is even between -1 and 1.
    turn = asin(-1.0 + 2.0 * share)
    return float(atan2(stage.normal[v, a, 1], stage.normal[v, a, 0]) + turn)
