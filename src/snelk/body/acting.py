"""What agents do in their states, and their paths; compiled, see `snelk.level.columns`.

An activity decides when its state is entered, when its path is over, and when the time it asked for
is up. Its goals are recorded, and the paths are found afterwards.
"""

from __future__ import annotations

from cython import Py_ssize_t, cast, compiled
from cython.cimports.libc.math import isnan

from snelk.body.agreeing import agreed
from snelk.body.columns import (
    BodyStageColumns,
    MovingColumns,
)
from snelk.body.doing import (
    APPROACH,
    EVADE,
    FACE,
    FLEE,
    GO,
    HOME,
    KEEP_UP,
    LEFT_TO_PYTHON,
    NEVER,
    NEWLY_FAILED,
    OTHERS,
    PATROL,
    RESUME,
    ROAM,
    SEARCH,
    Doing,
)
from snelk.body.escapes import FlightStage
from snelk.body.paces import AT_FOCUS, Moving
from snelk.body.patrols import RoundStage
from snelk.body.roams import RoamStage
from snelk.body.searches import SearchStage
from snelk.body.stage import WHOSE_GROUND, BodyStage
from snelk.body.standing import Timing
from snelk.level.columns import GroundStageColumns, door, laid_out
from snelk.level.ground import NO_WAY, NOT_KNOWN, GroundStage
from snelk.level.growing import HAIR
from snelk.level.links import Links
from snelk.mind.drawn import Drawn
from snelk.mind.signals import PLACE, Attended
from snelk.mind.stage import DISAGREE
from snelk.senses.bodies import Poses

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.body.agreeing import agrees
    from snelk.body.fleeing import _choose_where, evade, flee, last_known
    from snelk.body.moving import (
        _come_to_end,
        _nearness,
        _run_out,
        _stand,
        _take_way_to,
        _turns_back,
        _want,
        note_news,
        sets_out_from,
    )
    from snelk.body.patrolling import patrol
    from snelk.body.searching import (
        _go_to_next,
        keeps_now,
        plan_in_turn,
        seek,
        think_of_cells,
    )
    from snelk.body.wandering import wander
    from snelk.level.footing import height_of
    from snelk.level.lengths import hypot
    from snelk.level.walking import back_onto, height_on, onto, sheet_at, way_between

NAN = float("nan")

FARTHER, AND_MORE = 1.25, 0.1
"""Who has come near enough stands until the target is so many times as far off and so much more,
m.
"""


@door
def goes_somewhere(kind: int) -> bool:
    """Whether an activity goes somewhere, so that arriving there is an event, and being done."""
    return bool(_goes(kind))


@door
def set_out(index: int, walk: GroundStage, stage: BodyStage, moving: Moving) -> int:
    """Plan the requested paths on one ground; return how many are left to Python.

    Left to Python are agents that turn in arcs or turn back, that stand where they cannot, and
    whose path is unknown on this ground or has too many corners.

    Args:
        index: Of the ground.
        walk: That ground.
        stage: What they do; `wants` is taken back where it is done.
        moving: Their bodies; their paths are overwritten.

    Raises:
        ValueError: These arrays do not agree.
    """
    laid, on = laid_out(MovingColumns, moving), laid_out(GroundStageColumns, walk)
    return agreed(_set_out(index, on, laid_out(BodyStageColumns, stage), laid))


@door
def set_out_one(v: int, a: int, walk: GroundStage, stage: BodyStage, moving: Moving) -> bool:
    """The same for one agent, on its ground; return whether it is done."""
    laid, on = laid_out(MovingColumns, moving), laid_out(GroundStageColumns, walk)
    return bool(agreed(_set_out_for(v, a, on, laid_out(BodyStageColumns, stage), laid)))


def _act(
    stage: BodyStage,
    now: Attended,
    drawn: Drawn,
    timing: Timing,
    doing: Doing,
    roams: RoamStage,
    rounds: RoundStage,
    flights: FlightStage,
    searches: SearchStage,
    poses: Poses,
    moving: Moving,
    time: float,
) -> int:
    state, dt, flat, others = stage.standing.state, stage.dt, len(stage.floors.planes) == 0, 0
    for v in range(len(moving.x)):
        for a in range(moving.x.shape[1]):
            doing.news[v, a] = 0
            if not timing.due[v, a]:
                continue
            kind = doing.kind[v, a]
            if kind == OTHERS:
                others += 1
                continue
            there = moving.at_end[v, a] or moving.no_way[v, a]
            was_done, was_failed = doing.done[v, a], doing.failed[v, a]
            if kind == APPROACH:
                again = _approach(moving, now, drawn, state[v, a], flat, dt, v, a, doing)
            elif kind == GO:
                again = _go(moving, now, drawn, state[v, a], flat, dt, v, a, doing)
            elif kind in (HOME, RESUME):
                again = _go_home(moving, kind, dt, v, a, doing)
            elif kind == PATROL:
                again = patrol(moving, rounds, poses, max(state[v, a], 0), v, a, doing)
            elif kind == FLEE:
                again = flee(moving, flights, now, drawn, max(state[v, a], 0), dt, v, a, doing)
            elif kind == EVADE:
                again = evade(moving, flights, dt, v, a, doing)
            elif kind == ROAM:
                again = wander(moving, roams, max(state[v, a], 0), time, dt, v, a, doing)
            elif kind == SEARCH:
                again = seek(moving, searches, stage, poses, time, v, a)
            else:
                if kind == FACE:
                    moving.look[v, a] = AT_FOCUS
                    moving.look_x[v, a] = moving.look_y[v, a] = NAN
                doing.done[v, a] = True
                _stand(moving, v, a)
                again = NEVER
            if again == LEFT_TO_PYTHON:
                others += 1
                continue
            timing.due[v, a], timing.thought_there[v, a] = False, there
            timing.next_thought[v, a] = time + again
            note_news(doing, v, a, was_done, was_failed)
    return others


def _approach(
    moving: Moving,
    now: Attended,
    drawn: Drawn,
    state: int,
    flat: bool,
    dt: float,
    v: int,
    a: int,
    doing: Doing,
) -> float:
    """Follow the belief of where the focus is; stand where there is none."""
    x, y, z = NAN, NAN, NAN
    j = now.focus[v, a]
    if j == PLACE:
        x, y, z = drawn.x[v, a], drawn.y[v, a], drawn.z[v, a]
    elif j >= 0:
        x, y, z = now.x[v, a, j], now.y[v, a, j], now.z[v, a, j]
    z = moving.z[v, a] if flat else z  # on ground without floors heights do not count
    if _goes_to(doing, v, a, x, y, z) and moving.on_way[v, a]:
        return KEEP_UP  # it would take the path again that it is on
    _come_to_end(moving, dt, v, a, doing)
    doing.to_x[v, a], doing.to_y[v, a], doing.to_z[v, a] = x, y, z
    if isnan(x):
        _stand(moving, v, a)
        return KEEP_UP
    stop = max(doing.stops[v, a, max(state, 0)], max(moving.arrive[v, a], moving.pace[v, a] * dt))
    apart = hypot(hypot(x - moving.x[v, a], y - moving.y[v, a]), z - moving.z[v, a])
    if not (moving.at_end[v, a] and apart <= FARTHER * stop + AND_MORE):
        _want(moving, v, a, x, y, z, stop, doing)
    return KEEP_UP


def _goes_to(doing: Doing, v: int, a: int, x: float, y: float, z: float) -> bool:
    """Whether that is the place that it set out to."""
    same: bool = x == doing.to_x[v, a] and y == doing.to_y[v, a] and z == doing.to_z[v, a]
    return same


def _go(
    moving: Moving,
    now: Attended,
    drawn: Drawn,
    state: int,
    flat: bool,
    dt: float,
    v: int,
    a: int,
    doing: Doing,
) -> float:
    """Go to where the focus was last known or to a spot, and again if that is another place."""
    x, y = doing.spots[v, a, max(state, 0), 0], doing.spots[v, a, max(state, 0), 1]
    z = doing.spots[v, a, max(state, 0), 2]
    again = KEEP_UP if isnan(x) else NEVER
    if isnan(x):
        x, y, z = last_known(now, drawn, v, a)
    z = moving.z[v, a] if flat else z
    if isnan(x) and isnan(doing.to_x[v, a]):
        _stand(moving, v, a)
    elif not isnan(x) and not _goes_to(doing, v, a, x, y, z):
        doing.done[v, a] = doing.failed[v, a] = False
        doing.to_x[v, a], doing.to_y[v, a], doing.to_z[v, a] = x, y, z
        _want(moving, v, a, x, y, z, 0.0, doing)
    else:
        _come_to_end_there(moving, dt, v, a, doing)
    return again


def _go_home(moving: Moving, kind: int, dt: float, v: int, a: int, doing: Doing) -> float:
    """Go home, or to where it left its routine; there, face as before."""
    if isnan(doing.to_x[v, a]):
        x, y, z = doing.home[v, a, 0], doing.home[v, a, 1], doing.home[v, a, 2]
        heading = doing.home[v, a, 3]
        if kind == RESUME:
            x, y, z = doing.routine[v, a, 0], doing.routine[v, a, 1], doing.routine[v, a, 2]
            heading = doing.routine[v, a, 3]
            if isnan(x):
                heading = moving.heading[v, a]
        if isnan(x):
            x, y = moving.x[v, a], moving.y[v, a]
        if isnan(z):
            z = moving.z[v, a]
        doing.to_x[v, a], doing.to_y[v, a], doing.to_z[v, a] = x, y, z
        doing.facing[v, a] = heading
        _want(moving, v, a, x, y, z, 0.0, doing)
    elif _come_to_end_there(moving, dt, v, a, doing) and not isnan(doing.facing[v, a]):
        moving.base[v, a] = doing.facing[v, a]
    return NEVER


def _come_to_end_there(moving: Moving, dt: float, v: int, a: int, doing: Doing) -> bool:
    """The same if it is at the end of its path; return whether it is."""
    there: bool = moving.at_end[v, a] or moving.no_way[v, a]
    if there:
        _come_to_end(moving, dt, v, a, doing)
    return there


def _act_on(
    stage: BodyStage,
    roams: RoamStage,
    rounds: RoundStage,
    flights: FlightStage,
    searches: SearchStage,
    poses: Poses,
    moving: Moving,
    time: float,
) -> int:
    """Let those think whose turn it is; for how many that is left to Python."""
    same: bool = (
        agrees(stage, moving)
        and roams.area.shape[0] == stage.stuck.shape[0]
        and roams.area.shape[1] == stage.stuck.shape[1]
        and roams.way.shape[0] >= moving.points.shape[2]
        and rounds.begun.shape[0] == stage.stuck.shape[0]
        and rounds.begun.shape[1] == stage.stuck.shape[1]
        and flights.asks.shape[0] == stage.stuck.shape[0]
        and flights.asks.shape[1] == stage.stuck.shape[1]
        and searches.asks.shape[0] == stage.stuck.shape[0]
        and searches.asks.shape[1] == stage.stuck.shape[1]
        and searches.outlook.numbers.notices.shape[2] == stage.loudness.shape[2]
        and poses.x.shape[1] == stage.loudness.shape[2]
        and (poses.x.shape[0] == 1 or poses.x.shape[0] == stage.stuck.shape[0])
    )
    if not same:
        return DISAGREE
    left = _act(
        stage, stage.attended, stage.drawn, stage.timing, stage.doing, roams, rounds, flights,
        searches, poses, moving, time,
    )  # fmt: skip
    return left - _search_on(stage, searches, poses, moving, time) if left > 0 else left


def _search_on(
    stage: BodyStage, searches: SearchStage, poses: Poses, moving: Moving, time: float
) -> int:
    """Let those who search go on from cell to cell; how many do.

    Left to Python is who has no cells yet, or of whose cells a copy is kept now, and who comes
    after such a one: those who search together go by what the others have decided.
    """
    timing, doing, found = stage.timing, stage.doing, 0
    for v in range(timing.due.shape[0]):
        for a in range(timing.due.shape[1]):
            if not timing.due[v, a] or doing.kind[v, a] != SEARCH:
                continue
            cells = searches.cells[v * timing.due.shape[1] + a]
            if cells is None or (searches.shows and keeps_now(searches, time, v, a)):
                break
            there = moving.at_end[v, a] or moving.no_way[v, a]
            was_done, was_failed = doing.done[v, a], doing.failed[v, a]
            again = think_of_cells(searches, cells, stage, poses, moving, time, v, a, False)
            if again < 0.0:  # it needs other cells
                break
            timing.due[v, a], timing.thought_there[v, a] = False, there
            timing.next_thought[v, a] = time + again
            note_news(doing, v, a, was_done, was_failed)
            found += 1
    return found


def _goes(kind: int) -> bool:
    return kind in (GO, HOME, RESUME, PATROL, FLEE, EVADE)


def ends_are_events(stage: BodyStage, moving: Moving) -> bool:
    """Whether any path that has just come to its end is told of; see `Thinking.tell_ends`."""
    for v in range(stage.timing.at_end.shape[0]):
        for a in range(stage.timing.at_end.shape[1]):
            if not stage.timing.at_end[v, a] or stage.doing.joins[v, a]:
                continue
            _close, arrived, _unreachable = _nearness(moving, stage.dt, v, a)
            told = stage.timing.short_told[v, a]
            if (told or _goes(stage.doing.kind[v, a])) if arrived else not told:
                return True
    return False


def news_are_events(stage: BodyStage, moving: Moving) -> bool:
    """Whether any activity that has just been done, or failed, is told of; see `tell_news`."""
    for v in range(stage.doing.news.shape[0]):
        for a in range(stage.doing.news.shape[1]):
            if stage.doing.news[v, a] >= NEWLY_FAILED:
                return True
            if stage.doing.news[v, a] == 0 or not _goes(stage.doing.kind[v, a]):
                continue
            _close, arrived, _unreachable = _nearness(moving, stage.dt, v, a)
            if not (stage.timing.at_end[v, a] and arrived):
                return True
    return False


def _who_wants(stage: BodyStage, flights: FlightStage, searches: SearchStage) -> int:
    """For how many something is to be found on their ground, or WHOSE_GROUND."""
    found, unknown = 0, False
    rows = stage.stuck.shape[0]
    if flights.asks.shape[0] != rows or searches.asks.shape[0] != rows:
        return DISAGREE
    for v in range(stage.doing.wants.shape[0]):
        for a in range(stage.doing.wants.shape[1]):
            if stage.doing.wants[v, a] or flights.asks[v, a] != 0 or searches.asks[v, a]:
                found += 1
                unknown = unknown or stage.doing.ground[v, a] < 0
    return WHOSE_GROUND if unknown else found


def set_out_on(
    walks: list[GroundStage],
    flights: FlightStage,
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
) -> int:
    """Find what is asked for: spots, directions, points to search, paths; how much is left.

    Who searches and finds no path goes to the next point. Left to Python is who needs paths
    between corners that are not known yet, and all if somebody walks on a ground that is not
    among these.
    """
    for v in range(stage.doing.wants.shape[0]):
        for a in range(stage.doing.wants.shape[1]):
            if stage.doing.ground[v, a] >= len(walks):
                return 1
    more = 0
    for index in range(len(walks)):
        found = _choose_where(index, walks[index], flights, stage, moving)
        if found < 0:
            return found
        more += found
    found = plan_in_turn(walks, searches, stage, moving, time)
    if found < 0:
        return found
    more += found
    if more > 0:
        return more
    while True:
        left = 0
        for index in range(len(walks)):
            found = _set_out(index, walks[index], stage, moving)
            if found < 0:
                return found
            left += found
        if left > 0 or _go_to_next(searches, stage, moving, time) == 0:
            return left


def _set_out(index: int, walk: GroundStage, stage: BodyStage, moving: Moving) -> int:
    if not agrees(stage, moving):
        return DISAGREE
    left = 0
    doing = stage.doing
    for v in range(moving.x.shape[0]):
        for a in range(moving.x.shape[1]):
            if doing.wants[v, a] and doing.ground[v, a] == index:
                left += not _set_out_one(walk, stage.links, stage.dt, v, a, moving, doing)
    return left


def _set_out_for(v: int, a: int, walk: GroundStage, stage: BodyStage, moving: Moving) -> int:
    there = 0 <= v < stage.stuck.shape[0] and 0 <= a < stage.stuck.shape[1]
    if not (there and agrees(stage, moving)):
        return DISAGREE
    return int(_set_out_one(walk, stage.links, stage.dt, v, a, moving, stage.doing))


def _set_out_one(
    walk: GroundStage, links: Links, dt: float, v: int, a: int, moving: Moving, doing: Doing
) -> bool:
    way = walk.way
    doing.wants[v, a] = False
    if doing.part[v, a] < 0:
        _cannot_go(moving, v, a)
        return True
    x, y, z = sets_out_from(walk, links, moving, doing, v, a)
    part = doing.part[v, a]
    to_x, to_y = doing.goals[v, a, 0], doing.goals[v, a, 1]
    from_x, from_y, sheet = back_onto(walk.ground, part, x, y, z)
    end_x, end_y, end_sheet = onto(walk.ground, part, to_x, to_y, doing.goals[v, a, 2])
    count = NOT_KNOWN
    up = height_on(walk.ground, sheet, from_x, from_y, z) - z
    stands = hypot(hypot(from_x - x, from_y - y), up) <= HAIR
    if stands and not moving.smooth[v, a]:
        count = way_between(
            walk.ground, walk.grid, walk.scratch, walk.room, from_x, from_y, sheet, end_x, end_y,
            end_sheet, way, x, y, sheet_at(walk.ground, x, y, z),
        )  # fmt: skip
    if count == NO_WAY:
        _cannot_go(moving, v, a)
        return True
    turn_at = -1
    if count > 0 and moving.link[v, a] < 0 and _turns_back(moving, dt, v, a, way[0, 0], way[0, 1]):
        first = _run_out(moving, v, a, way)
        if first > 0:  # it comes to a stand first
            x, y, sheet = way[first - 1, 0], way[first - 1, 1], cast(Py_ssize_t, way[first - 1, 4])
            if 0 <= sheet < len(walk.ground.floors.planes):
                z = height_of(walk.ground.floors, sheet, x, y)
            turn_at = first - 1
            count = _way_after(walk, part, first, x, y, z, end_x, end_y, end_sheet, moving, v, a)
        elif first < 0:
            count = NOT_KNOWN
    if count == NO_WAY:
        _cannot_go(moving, v, a)
        return True
    if not 0 < count <= moving.points.shape[2]:
        doing.wants[v, a] = True
        return False
    to_z = doing.goals[v, a, 2]
    _take_way_to(
        moving, dt, v, a, way, count, walk.ground.floors, to_x, to_y, to_z, doing.stop[v, a],
        turn_at,
    )  # fmt: skip
    return True


def _way_after(
    walk: GroundStage,
    part: int,
    first: int,
    x: float,
    y: float,
    z: float,
    end_x: float,
    end_y: float,
    end_sheet: int,
    moving: Moving,
    v: int,
    a: int,
) -> int:
    """A path behind the first points of the one that it runs out on; the number of all points."""
    way = walk.way
    from_x, from_y, sheet = back_onto(walk.ground, part, x, y, z)
    up = height_on(walk.ground, sheet, from_x, from_y, z) - z
    if hypot(hypot(from_x - x, from_y - y), up) > HAIR:
        return NOT_KNOWN
    rest = way_between(
        walk.ground, walk.grid, walk.scratch, walk.room, from_x, from_y, sheet, end_x, end_y,
        end_sheet, way, x, y, sheet_at(walk.ground, x, y, z),
    )  # fmt: skip
    if rest < 0 or first + rest > way.shape[0]:
        return NO_WAY if rest == NO_WAY else NOT_KNOWN
    for n in range(rest - 1, -1, -1):
        for k in range(way.shape[1]):
            way[first + n, k] = way[n, k]
    _run_out(moving, v, a, way)
    return first + rest


def _cannot_go(moving: Moving, v: int, a: int) -> None:
    """Stand, because there is no path to its goal."""
    _stand(moving, v, a)
    moving.no_way[v, a] = True
