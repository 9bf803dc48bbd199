"""Searching: the four methods to look for a target from its last-known position on.

Points are planned afterwards, on the ground of who asks for them; where the target may be is laid
out in Python, see `snelk.body.seeker`. Compiled, see `snelk.level.columns`.
"""

from __future__ import annotations

from cython import Py_ssize_t, cast, compiled
from cython.cimports.libc.math import exp, isnan

from snelk.body.agreeing import agreed
from snelk.body.columns import BodyStageColumns, MovingColumns, SearchStageColumns
from snelk.body.doing import KEEP_UP, LEFT_TO_PYTHON, NEVER, SEARCH
from snelk.body.paces import SWEEP, Moving
from snelk.body.searches import (
    ANOTHER,
    BEGAN,
    BROKEN_OFF,
    ENDED,
    FOUND,
    GAVE_UP,
    GOING_ON,
    HIDEOUTS,
    ITSELF,
    LIKELIHOOD,
    LOOKED,
    MOVED,
    NEARBY,
    NEARBY_WITHIN,
    NO_CELLS,
    NOBODY_YET,
    NOTHING,
    PLANNED,
    UNREACHABLE,
    VISITED,
    SearchStage,
)
from snelk.body.stage import BodyStage
from snelk.level.columns import GroundStageColumns, agree, door, laid_out, plain
from snelk.level.ground import GroundStage
from snelk.mind.cells import Cells
from snelk.mind.columns import CellColumns
from snelk.mind.signals import Attended
from snelk.mind.stage import DISAGREE
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.agreeing import agrees
    from snelk.body.fleeing import last_known
    from snelk.body.looking import look_at_all
    from snelk.body.moving import _nearness, _stand, _want, note_news, sets_out_from
    from snelk.level.footing import floor_below, height_of
    from snelk.level.lengths import hypot
    from snelk.level.walking import _length_of_way, is_on, may_stand
    from snelk.mind.spreading import _likeliest, _spread, _take_out, beside_others

INF = float("inf")
NAN = float("nan")

SLACK = 1e-9
"""Times this close are the same, s."""

LOOK_AGAIN = 0.5
"""Seconds at most between two looks at how likely places are."""

OTHER_NEWS = 1.0
"""A last-known position farther than this from the one searched from begins it anew, m."""

MORE = 1.5 * (1.0 + 1e-9)
"""So many times better another cell must be to change course for it; last digits do not count."""

SHOT = 1.0
"""Seconds between two rows of likelihoods that are kept."""

MOST_TIMES = 10_000
"""So often likelihood spreads at once, at most."""

ROUNDING = 1e-9
"""A floor may be so much higher than where it is, m."""

NEAR = 0.25
"""A cell counts half at this share of the radius."""


@door
def begin_search(
    searches: SearchStage,
    moving: Moving,
    state: int,
    x: float,
    y: float,
    z: float,
    time: float,
    v: int,
    a: int,
) -> None:
    """Somebody begins to search.

    Args:
        searches: How far everybody has come; overwritten.
        moving: Everybody's body.
        state: The alert state.
        x: Where the target was last known, m.
        y: The same.
        z: The same.
        time: s.
        v: The variant.
        a: The agent.
    """
    shape = plain(searches).state.shape
    agree((0 <= v < shape[0], 0 <= a < shape[1]), (True, True))
    agree((0 <= state < plain(searches).method.shape[2],), (True,))
    agree(plain(moving).x.shape, shape)
    _begin(
        laid_out(SearchStageColumns, searches), laid_out(MovingColumns, moving), state, x, y, z,
        time, v, a,
    )  # fmt: skip


@door
def end_search(
    searches: SearchStage, stage: BodyStage, moving: Moving, time: float, v: int, a: int
) -> None:
    """The state with the search is left: return its outcome."""
    found = _leave(
        laid_out(SearchStageColumns, searches), laid_out(BodyStageColumns, stage),
        laid_out(MovingColumns, moving), time, v, a,
    )  # fmt: skip
    agreed(found)


@door
def plan_points(
    v: int,
    a: int,
    walk: GroundStage,
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
) -> bool:
    """Plan the points that an agent asks for, and send it to the first; whether that is done.

    It is not where the paths between the corners of its ground are not known.

    Args:
        v: The variant.
        a: The agent.
        walk: Its ground.
        searches: Who asks; overwritten.
        stage: What they do; overwritten.
        moving: Their bodies; overwritten.
        time: s.

    Raises:
        ValueError: These arrays do not agree.
    """
    found = _plan_for(
        v, a, laid_out(GroundStageColumns, walk), laid_out(SearchStageColumns, searches),
        laid_out(BodyStageColumns, stage), laid_out(MovingColumns, moving), time,
    )  # fmt: skip
    return bool(agreed(found))


@door
def plan_by_lengths(
    walk: GroundStage,
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
    v: int,
    a: int,
    *,
    begins: bool,
) -> bool:
    """Plan the points of one agent by the lengths of its paths, which are known.

    Args:
        walk: Its ground.
        searches: How long the paths are; overwritten.
        stage: What it does; overwritten.
        moving: Its body; overwritten.
        time: s.
        v: The variant.
        a: The agent.
        begins: Whether no path has been written down yet.

    Returns:
        Whether the paths from the last of its points to the places that are left are needed.
    """
    found = _plan_by_lengths(
        laid_out(GroundStageColumns, walk), laid_out(SearchStageColumns, searches),
        laid_out(BodyStageColumns, stage), laid_out(MovingColumns, moving), time, v, a, begins,
    )  # fmt: skip
    return bool(agreed(found))


@door
def go_to_next(searches: SearchStage, stage: BodyStage, moving: Moving, time: float) -> int:
    """Send those that found no path to their next point; return how many need a path.

    Args:
        searches: Who has just set out; overwritten.
        stage: What they do; overwritten.
        moving: Their bodies; overwritten.
        time: s.

    Raises:
        ValueError: These arrays do not agree.
    """
    found = _go_to_next(
        laid_out(SearchStageColumns, searches), laid_out(BodyStageColumns, stage),
        laid_out(MovingColumns, moving), time,
    )  # fmt: skip
    return agreed(found)


@door
def search_cells(
    searches: SearchStage,
    cells: Cells | None,
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    time: float,
    v: int,
    a: int,
    fresh: bool,
) -> float:
    """Go to the best cell; cells seen empty have no likelihood.

    Args:
        searches: How far it has come; overwritten.
        cells: Where the target may be, if that has been laid out; overwritten.
        stage: What it does; overwritten.
        poses: Everybody's poses.
        moving: Everybody's body; overwritten.
        time: s.
        v: The variant.
        a: The agent.
        fresh: Whether `cells` have been laid out just now, about where it searches from.

    Returns:
        Seconds until it thinks again, or NO_CELLS: fresh ones are needed first.

    Raises:
        ValueError: These arrays do not agree.
    """
    laid = None if cells is None else laid_out(CellColumns, cells)
    again = think_of_cells(
        laid_out(SearchStageColumns, searches), laid, laid_out(BodyStageColumns, stage),
        laid_out(PoseColumns, poses), laid_out(MovingColumns, moving), time, v, a, fresh,
    )  # fmt: skip
    if again == DISAGREE:
        raise ValueError("cells, bodies or poses do not match the searches")
    return again


def _begin(
    searches: SearchStage,
    moving: Moving,
    state: int,
    x: float,
    y: float,
    z: float,
    time: float,
    v: int,
    a: int,
) -> None:
    searches.state[v, a] = state
    searches.begun[v, a] += 1
    searches.since[v, a], searches.walked[v, a] = time, moving.walked[v, a]
    searches.next_shot[v, a] = time
    searches.over[v, a], searches.looked[v, a] = GOING_ON, False
    _begin_at(searches, v, a, x, y, z)
    _note(searches, moving, v, a, time, BEGAN, -1, x, y, z, NAN)


def _begin_at(searches: SearchStage, v: int, a: int, x: float, y: float, z: float) -> None:
    """Nothing is planned yet of a search from here."""
    searches.x[v, a], searches.y[v, a], searches.z[v, a] = x, y, z
    searches.planned[v, a] = searches.waiting[v, a] = searches.asks[v, a] = False
    searches.going[v, a] = False
    searches.at[v, a] = searches.target[v, a] = -1
    searches.size[v, a] = 0
    searches.cleared[v, a, 0] = NOBODY_YET


def _leave(
    searches: SearchStage, stage: BodyStage, moving: Moving, time: float, v: int, a: int
) -> int:
    if not (_agrees(searches, stage, moving) and _is_there(searches, v, a)):
        return DISAGREE
    j = stage.attended.focus[v, a]
    if searches.over[v, a] == GOING_ON:
        sensed = j >= 0 and (stage.attended.seen[v, a, j] or stage.attended.felt[v, a, j])
        outcome = FOUND if sensed else BROKEN_OFF
        _end(searches, stage, moving, time, v, a, outcome)
    stage.search_done[v, a] = False
    searches.asks[v, a] = searches.going[v, a] = False
    return 0


def seek(
    moving: Moving,
    searches: SearchStage,
    stage: BodyStage,
    poses: Poses,
    time: float,
    v: int,
    a: int,
) -> float:
    """Go on searching from point to point; s until it thinks again."""
    if searches.method[v, a, searches.state[v, a]] == LIKELIHOOD:
        return LEFT_TO_PYTHON
    left = _time_left(searches, stage, moving, time, v, a)
    if left <= SLACK:
        return NEVER
    if searches.planned[v, a]:
        return min(_search_points(moving, searches, stage, poses, time, v, a), left)
    searches.asks[v, a] = True
    return min(KEEP_UP, left)


def _time_left(
    searches: SearchStage, stage: BodyStage, moving: Moving, time: float, v: int, a: int
) -> float:
    """Seconds until it gives up, if it has not ended; where something newer is known, all."""
    if searches.over[v, a] != GOING_ON:
        return 0.0
    x, y, z = last_known(stage.attended, stage.drawn, v, a)
    if len(stage.floors.planes) == 0:  # heights do not count on ground without floors
        z = searches.z[v, a]
    away = hypot(x - searches.x[v, a], y - searches.y[v, a])
    if not isnan(x) and hypot(away, z - searches.z[v, a]) > OTHER_NEWS:
        searches.since[v, a] = time
        _look_on(searches, moving, v, a)
        _begin_at(searches, v, a, x, y, z)
        _note(searches, moving, v, a, time, MOVED, -1, x, y, z, NAN)
    left: float = searches.since[v, a] + searches.give_up[v, a, searches.state[v, a]] - time
    if left <= SLACK:
        _look_on(searches, moving, v, a)
        _end(searches, stage, moving, time, v, a, GAVE_UP)
    return left


def _search_points(
    moving: Moving,
    searches: SearchStage,
    stage: BodyStage,
    poses: Poses,
    time: float,
    v: int,
    a: int,
) -> float:
    """From point to point, looking around at each."""
    state, at = searches.state[v, a], searches.at[v, a]
    together = _is_together(searches, v, a)
    if together:
        seen = _clear_points(searches, stage, poses, moving, time, v, a)
        if seen and not searches.waiting[v, a]:  # the one that it goes to
            searches.at[v, a] = -1  # which it has not come to itself
            return _next_point(searches, stage, moving, time, v, a)
    if searches.waiting[v, a]:
        if time < searches.until[v, a] - SLACK:
            return float(max(searches.until[v, a] - time, stage.dt))
        _look_on(searches, moving, v, a)
        return _next_point(searches, stage, moving, time, v, a)
    _close, arrived, unreachable = _nearness(moving, stage.dt, v, a)
    if unreachable:
        _note_point(searches, moving, v, a, time, UNREACHABLE)
        if at > 0 or together:
            return _next_point(searches, stage, moving, time, v, a)
        return _look_around(searches, moving, time, v, a)
    if arrived:
        _note_point(searches, moving, v, a, time, VISITED)
        return _look_around(searches, moving, time, v, a)
    if searches.method[v, a, state] == HIDEOUTS and at > 0:
        # One that is in view from afar, with nobody there, need not be visited.
        searches.spot[0, 0] = searches.points[v, a, at, 0]
        searches.spot[0, 1] = searches.points[v, a, at, 1]
        searches.spot[0, 2] = searches.points[v, a, at, 2]
        tall = _how_tall(searches, stage.attended, v, a)
        look_at_all(
            v, a, stage.attended.focus[v, a], tall, searches.spot, poses, searches.outlook,
            searches.seen,
        )  # fmt: skip
        if searches.seen[0]:
            _note_point(searches, moving, v, a, time, LOOKED)
            return _next_point(searches, stage, moving, time, v, a)
    return KEEP_UP


def _how_tall(searches: SearchStage, now: Attended, v: int, a: int) -> int:
    """The character whose height is used for the target: the focus, or the agent itself."""
    j: int = now.focus[v, a]
    return j if j >= 0 else searches.characters[a]


def _next_point(
    searches: SearchStage, stage: BodyStage, moving: Moving, time: float, v: int, a: int
) -> float:
    """Set out for the next of its points; with none left it has found nothing."""
    at = searches.at[v, a] + 1
    if _is_together(searches, v, a):
        at = _take_mine(searches, stage, moving, v, a)
    if at >= searches.size[v, a]:
        if _is_any_for_others(searches, v, a):
            searches.at[v, a] = -1
            searches.waiting[v, a], searches.until[v, a] = True, time + LOOK_AGAIN
            _stand(moving, v, a)
            return LOOK_AGAIN
        searches.at[v, a] = at
        _end(searches, stage, moving, time, v, a, NOTHING)
        return NEVER
    searches.at[v, a] = at
    x, y = searches.points[v, a, at, 0], searches.points[v, a, at, 1]
    _want(moving, v, a, x, y, searches.points[v, a, at, 2], 0.0, stage.doing)
    searches.going[v, a] = True
    return KEEP_UP


def _is_together(searches: SearchStage, v: int, a: int) -> bool:
    """Whether it is in a group that searches together."""
    found = False
    for b in range(searches.company.shape[2]):
        found = found or searches.company[v, a, b] != 0
    return found


def _is_any_for_others(searches: SearchStage, v: int, a: int) -> bool:
    """Whether one of its points is left, which it may go to when the others of its group do not."""
    found = False
    if _is_together(searches, v, a):
        for n in range(searches.size[v, a]):
            found = found or searches.cleared[v, a, n] != ITSELF
    return found


def _looks_for_it(
    searches: SearchStage, stage: BodyStage, poses: Poses, v: int, a: int, b: int
) -> bool:
    """Whether what another of its group has in view counts for it: that one notices the target."""
    p, focus = v if poses.x.shape[0] > 1 else 0, stage.attended.focus[v, a]
    if not searches.company[v, a, b] or not poses.present[p, searches.characters[b]]:
        return False
    notices: bool = focus < 0 or searches.outlook.numbers.notices[v, b, focus]
    return notices


def _who_else(searches: SearchStage, stage: BodyStage, moving: Moving, v: int, a: int) -> int:
    """Note where those of its group are that look for the same, and go to; return how many."""
    count, focus = 0, stage.attended.focus[v, a]
    for b in range(searches.company.shape[2]):
        if not searches.company[v, a, b] or stage.doing.kind[v, b] != SEARCH:
            continue
        if searches.over[v, b] != GOING_ON or stage.attended.focus[v, b] != focus:
            continue
        if _waits_for_others(searches, v, b):
            continue
        searches.others[count, 0], searches.others[count, 1] = moving.x[v, b], moving.y[v, b]
        searches.others[count, 2] = moving.z[v, b]
        for axis in range(3):
            goal = stage.doing.goals[v, b, axis]
            # Who has not set out yet goes to where it is.
            searches.others[count, 3 + axis] = searches.others[count, axis]
            if searches.at[v, b] >= 0 and not isnan(goal):
                searches.others[count, 3 + axis] = goal
        count += 1
    return count


def _waits_for_others(searches: SearchStage, v: int, b: int) -> bool:
    """Whether somebody stands until others of its group leave it something."""
    if searches.method[v, b, searches.state[v, b]] == LIKELIHOOD:
        found: bool = searches.at[v, b] > 0 and searches.target[v, b] < 0
    else:
        found = searches.waiting[v, b] and searches.at[v, b] < 0
    return found


def _take_mine(searches: SearchStage, stage: BodyStage, moving: Moving, v: int, a: int) -> int:
    """The best of its points that nobody of its group has looked at or goes to; `size` for none.

    First where the target was last known, if nobody else is nearer to that or has been there; at
    last those that only others have looked at.
    """
    if searches.at[v, a] >= 0:
        searches.cleared[v, a, searches.at[v, a]] = ITSELF
    count = _who_else(searches, stage, moving, v, a)
    best = _best_of(searches, stage, moving, NOBODY_YET, count, v, a)
    if best >= searches.size[v, a]:
        best = _best_of(searches, stage, moving, ANOTHER, count, v, a)
    return best


def _best_of(
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    cleared: int,
    count: int,
    v: int,
    a: int,
) -> int:
    """The best of its points that somebody has cleared; `size` for none."""
    most, best = 0.0, searches.size[v, a]
    near = NEAR * searches.radius[v, a, searches.state[v, a]]
    for n in range(searches.size[v, a]):
        if searches.cleared[v, a, n] != cleared:
            continue
        x, y, z = (
            searches.points[v, a, n, 0], searches.points[v, a, n, 1], searches.points[v, a, n, 2]
        )  # fmt: skip
        away = _away(moving, v, a, x, y, z)
        if n == 0 and cleared == NOBODY_YET:
            if not _is_anothers(searches, stage, moving, v, a, x, y, z):
                return 0
            searches.cleared[v, a, 0] = ANOTHER
            continue
        worth = searches.chances[v, a, n]
        if isnan(worth):  # of points nearby those near where it was last known come first
            worth = 1.0 / (1.0 + _off_start(searches, v, a, x, y, z) / near)
        worth *= beside_others(searches.others, count, away, x, y, z) / (1.0 + away / near)
        if worth > most:
            best, most = n, worth
    return int(best)


def _away(moving: Moving, v: int, b: int, x: float, y: float, z: float) -> float:
    """How far somebody is from a place, m."""
    far: float = hypot(hypot(moving.x[v, b] - x, moving.y[v, b] - y), moving.z[v, b] - z)
    return far


def _has_come_to(
    stage: BodyStage, moving: Moving, v: int, b: int, x: float, y: float, z: float
) -> bool:
    """Whether somebody is so near to a place that nobody can be there unnoticed, seen or not."""
    close, _arrived, _unreachable = _nearness(moving, stage.dt, v, b)
    return _away(moving, v, b, x, y, z) <= close


def _off_start(searches: SearchStage, v: int, a: int, x: float, y: float, z: float) -> float:
    """How far a place is from where its target was last known, m."""
    away = hypot(x - searches.x[v, a], y - searches.y[v, a])
    return float(hypot(away, z - searches.z[v, a]))


def _is_anothers(
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    v: int,
    a: int,
    x: float,
    y: float,
    z: float,
) -> bool:
    """Whether another of its group is nearer to where the target was last known, or was there."""
    away = _away(moving, v, a, x, y, z)
    for b in range(searches.company.shape[2]):
        if not searches.company[v, a, b] or stage.doing.kind[v, b] != SEARCH:
            continue
        same = stage.attended.focus[v, b] == stage.attended.focus[v, a]
        if searches.over[v, b] != GOING_ON or not same:
            continue
        far = _away(moving, v, b, x, y, z)
        if searches.looked[v, b] or far < away or (far == away and b < a):
            return True
    return False


def _clear_points(
    searches: SearchStage,
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    time: float,
    v: int,
    a: int,
) -> bool:
    """Clear those of its points that any of its group has in view, or another has come to.

    Return whether its current goal was cleared.
    """
    at, tall = searches.at[v, a], _how_tall(searches, stage.attended, v, a)
    was = NOBODY_YET
    if at > 0:
        was = searches.cleared[v, a, at]
    for n in range(1, searches.size[v, a]):
        if searches.cleared[v, a, n] != NOBODY_YET:
            continue
        for axis in range(3):
            searches.spot[0, axis] = searches.points[v, a, n, axis]
        x, y, z = searches.spot[0, 0], searches.spot[0, 1], searches.spot[0, 2]
        for b in range(searches.company.shape[2]):
            if b != a and not _looks_for_it(searches, stage, poses, v, a, b):
                continue
            look_at_all(
                v, b, stage.attended.focus[v, a], tall, searches.spot, poses, searches.outlook,
                searches.seen,
            )  # fmt: skip
            # At its own goal it arrives, and looks around there.
            if searches.seen[0] or (b != a and _has_come_to(stage, moving, v, b, x, y, z)):
                searches.cleared[v, a, n] = ITSELF if b == a else ANOTHER
                searches.at[v, a] = n
                _note_point(searches, moving, v, a, time, LOOKED)
                searches.at[v, a] = at
                break
    cleared: bool = at > 0 and searches.cleared[v, a, at] != was
    return cleared


def _look_around(searches: SearchStage, moving: Moving, time: float, v: int, a: int) -> float:
    """At a point: look to both sides for a while."""
    wait: float = searches.point_time[v, a, searches.state[v, a]]
    searches.waiting[v, a], searches.until[v, a] = True, time + wait
    moving.look[v, a] = SWEEP
    moving.look_x[v, a] = moving.look_y[v, a] = NAN
    return wait


def _look_on(searches: SearchStage, moving: Moving, v: int, a: int) -> None:
    """Look as the state says, after it has looked around at a point."""
    if searches.waiting[v, a]:
        searches.waiting[v, a] = False
        moving.look[v, a] = searches.look[v, a, searches.state[v, a]]
        moving.look_x[v, a] = moving.look_y[v, a] = NAN


def _plan_for(
    v: int,
    a: int,
    walk: GroundStage,
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
) -> int:
    if not (_agrees(searches, stage, moving) and _is_there(searches, v, a)):
        return DISAGREE
    return int(_plan(walk, searches, stage, moving, time, v, a))


def plan_in_turn(
    walks: list[GroundStage],
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
) -> int:
    """Plan the points that are asked for, agent by agent; in how many variants some are left.

    Who searches with others goes by what those before it have planned. So nobody is passed over
    whose paths are not known yet.
    """
    left = 0
    if not _agrees(searches, stage, moving):
        return DISAGREE
    for v in range(searches.asks.shape[0]):
        for a in range(searches.asks.shape[1]):
            if not searches.asks[v, a]:
                continue
            index = stage.doing.ground[v, a]
            known = 0 <= index < len(walks)
            if not (known and _plan(walks[index], searches, stage, moving, time, v, a)):
                left += 1
                break
    return left


def _plan(
    walk: GroundStage,
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
    v: int,
    a: int,
) -> bool:
    """Plan all points of one agent, and go to the first; return whether the paths are known."""
    sets_out_from(walk, stage.links, moving, stage.doing, v, a)
    part = stage.doing.part[v, a]
    more = _lay_out_places(walk, searches, moving, part, v, a)
    while more:
        last = searches.size[v, a] - 1
        x, y = searches.points[v, a, last, 0], searches.points[v, a, last, 1]
        z = searches.points[v, a, last, 2]
        first = searches.first[v, a, searches.state[v, a]]
        for n in range(searches.last[v, a, searches.state[v, a]] - first):
            if searches.left[n]:
                to_x, to_y, to_z = _place(searches, moving, first + n, v, a)
                searches.lengths[n] = _length_of_way(
                    walk.ground, walk.grid, walk.scratch, walk.room, part, x, y, z, to_x, to_y,
                    to_z, False,
                )  # fmt: skip
                if isnan(searches.lengths[n]):
                    return False
        more = _take_places(searches, moving, v, a)
    _set_out(searches, stage, moving, time, v, a)
    return True


def _plan_by_lengths(
    walk: GroundStage,
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
    v: int,
    a: int,
    begins: bool,
) -> int:
    if not (_agrees(searches, stage, moving) and _is_there(searches, v, a)):
        return DISAGREE
    if begins:
        sets_out_from(walk, stage.links, moving, stage.doing, v, a)
        more = _lay_out_places(walk, searches, moving, stage.doing.part[v, a], v, a)
    else:
        more = _take_places(searches, moving, v, a)
    if not more:
        _set_out(searches, stage, moving, time, v, a)
    return int(more)


def _place(
    searches: SearchStage, moving: Moving, n: int, v: int, a: int
) -> tuple[float, float, float]:
    """One of the possible search points.

    Points nearby are on floors, by number; without floors they have the height of the searcher, and
    so do hideouts.
    """
    x, y, z = searches.places[n, 0], searches.places[n, 1], searches.places[n, 2]
    if searches.method[v, a, searches.state[v, a]] == NEARBY:
        x, y = searches.x[v, a] + x, searches.y[v, a] + y
        if len(searches.floors.planes) > 0:
            z = height_of(searches.floors, cast(Py_ssize_t, z), x, y)
    return x, y, moving.z[v, a] if len(searches.floors.planes) == 0 else z


def _is_near(
    walk: GroundStage, searches: SearchStage, moving: Moving, part: int, n: int, v: int, a: int
) -> bool:
    """Whether one can stand at one of the places nearby, and it is as near as all are to be."""
    x, y, z = _place(searches, moving, n, v, a)
    if len(searches.floors.planes) == 0:
        return is_on(walk.ground, part, x, y, 0)
    sheet = cast(Py_ssize_t, searches.places[n, 2])
    if floor_below(searches.floors, x, y, z + ROUNDING) != sheet:
        return False  # that floor is not there, or lies under another
    away = hypot(hypot(x - searches.x[v, a], y - searches.y[v, a]), z - searches.z[v, a])
    near: bool = away <= searches.radius[v, a, searches.state[v, a]]
    return near and may_stand(walk.ground, part, x, y, sheet)


def _lay_out_places(
    walk: GroundStage, searches: SearchStage, moving: Moving, part: int, v: int, a: int
) -> bool:
    """Plan the last-known position; return whether there are other points."""
    state, any_left = searches.state[v, a], False
    searches.size[v, a] = 1
    searches.points[v, a, 0, 0], searches.points[v, a, 0, 1] = searches.x[v, a], searches.y[v, a]
    searches.points[v, a, 0, 2] = searches.z[v, a]
    searches.chances[v, a, 0] = NAN
    for n in range(searches.cleared.shape[2]):
        searches.cleared[v, a, n] = NOBODY_YET
    first = searches.first[v, a, state]
    for n in range(searches.last[v, a, state] - first):
        # Points nearby are those that can be stood at; of hideouts it is the nearest place.
        here = part >= 0 and (
            searches.method[v, a, state] == HIDEOUTS
            or _is_near(walk, searches, moving, part, first + n, v, a)
        )
        searches.left[n] = here
        any_left = any_left or here
    return any_left


def _take_places(searches: SearchStage, moving: Moving, v: int, a: int) -> bool:
    """Choose points by the paths to them; return whether any are left."""
    if searches.method[v, a, searches.state[v, a]] == HIDEOUTS:
        _take_hideouts(searches, moving, v, a)
        return False
    return _take_nearest(searches, moving, v, a)


def _take_nearest(searches: SearchStage, moving: Moving, v: int, a: int) -> bool:
    """The point nearest to the last one, unless the path is a long detour."""
    state, best, any_left = searches.state[v, a], -1, False
    least, limit = INF, NEARBY_WITHIN * searches.radius[v, a, state]
    first = searches.first[v, a, state]
    count = searches.last[v, a, state] - first
    for n in range(count):
        length = searches.lengths[n]
        if searches.left[n] and length <= limit and length < least:
            best, least = n, length
    if best < 0:
        return False
    x, y, z = _place(searches, moving, first + best, v, a)
    _add_point(searches, v, a, x, y, z, NAN)
    searches.left[best] = False
    for n in range(count):
        any_left = any_left or searches.left[n]
    return any_left


def _take_hideouts(searches: SearchStage, moving: Moving, v: int, a: int) -> None:
    """Known spots within the radius by path, the nearest first."""
    state, whole = searches.state[v, a], 0.0
    radius, first = searches.radius[v, a, state], searches.first[v, a, state]
    count = searches.last[v, a, state] - first
    for n in range(count):
        near = searches.left[n] and searches.lengths[n] <= radius
        searches.left[n] = near
        if near:
            searches.lengths[n] = exp(-searches.lengths[n] / radius)
            whole += searches.lengths[n]
    while True:
        best, most = -1, -1.0
        for n in range(count):
            if searches.left[n] and searches.lengths[n] > most:
                best, most = n, searches.lengths[n]
        if best < 0:
            return
        x, y, z = _place(searches, moving, first + best, v, a)
        _add_point(searches, v, a, x, y, z, most / whole)
        searches.left[best] = False


def _add_point(
    searches: SearchStage, v: int, a: int, x: float, y: float, z: float, chance: float
) -> None:
    n = searches.size[v, a]
    searches.points[v, a, n, 0], searches.points[v, a, n, 1] = x, y
    searches.points[v, a, n, 2] = z
    searches.chances[v, a, n] = chance
    searches.size[v, a] = n + 1


def _set_out(
    searches: SearchStage, stage: BodyStage, moving: Moving, time: float, v: int, a: int
) -> None:
    """All points are planned: go to the first."""
    searches.asks[v, a], searches.planned[v, a] = False, True
    for n in range(searches.size[v, a]):
        searches.at[v, a] = n
        _note_point(searches, moving, v, a, time, PLANNED)
    searches.at[v, a] = -1
    _next_point(searches, stage, moving, time, v, a)


def _go_to_next(searches: SearchStage, stage: BodyStage, moving: Moving, time: float) -> int:
    if not _agrees(searches, stage, moving):
        return DISAGREE
    found, doing = 0, stage.doing
    for v in range(searches.going.shape[0]):
        for a in range(searches.going.shape[1]):
            if not searches.going[v, a]:
                continue
            searches.going[v, a] = False
            if not moving.no_way[v, a]:
                continue
            was_done, was_failed = doing.done[v, a], doing.failed[v, a]
            _note_point(searches, moving, v, a, time, UNREACHABLE)
            _next_point(searches, stage, moving, time, v, a)
            found += searches.going[v, a]
            note_news(doing, v, a, was_done, was_failed)
    return found


def think_of_cells(
    searches: SearchStage,
    cells: Cells | None,
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    time: float,
    v: int,
    a: int,
    fresh: bool,
) -> float:
    """As `search_cells`; DISAGREE if arrays do not."""
    same: bool = (
        _agrees(searches, stage, moving)
        and _is_there(searches, v, a)
        and poses.x.shape[1] == stage.loudness.shape[2]
        and (poses.x.shape[0] == 1 or poses.x.shape[0] == stage.stuck.shape[0])
    )
    if not same:
        return float(DISAGREE)
    left = _time_left(searches, stage, moving, time, v, a)
    if left <= SLACK:
        return NEVER
    if cells is None or not (fresh or searches.planned[v, a]):
        return NO_CELLS
    if not searches.planned[v, a]:
        searches.planned[v, a] = True
        x, y, z = searches.x[v, a], searches.y[v, a], searches.z[v, a]
        _note(searches, moving, v, a, time, PLANNED, 0, x, y, z, NAN)
    return min(_search_cells(searches, cells, stage, poses, moving, time, v, a), left)


def keeps_now(searches: SearchStage, time: float, v: int, a: int) -> bool:
    """Whether it is time to keep where the target may be."""
    due: bool = time >= searches.next_shot[v, a] - SLACK
    return due


def _search_cells(
    searches: SearchStage,
    cells: Cells,
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    time: float,
    v: int,
    a: int,
) -> float:
    """The same, where all is laid out.

    When nothing is left, an agent that left cells to others searches again as if alone.
    """
    state = searches.state[v, a]
    together = _is_together(searches, v, a) and searches.cleared[v, a, 0] != ITSELF
    step = cells.side[0] / searches.speed[v, a, state]
    times = cast(Py_ssize_t, (time - searches.spread_to[v, a]) / step + SLACK)
    if times > 0:
        _spread(cells, min(times, MOST_TIMES))
        searches.spread_to[v, a] += times * step
    look_at_all(
        v, a, stage.attended.focus[v, a], _how_tall(searches, stage.attended, v, a),
        cells.centres, poses, searches.outlook, cells.seen,
    )  # fmt: skip
    for n in range(cells.seen.shape[0]):
        x, y, z = cells.centres[n, 0], cells.centres[n, 1], cells.centres[n, 2]
        cells.seen[n] = cells.seen[n] or _has_come_to(stage, moving, v, a, x, y, z)
    if together:
        _look_together(searches, cells, stage, poses, moving, v, a)
    _take_out(cells)
    cells.is_shot[0] = keeps_now(searches, time, v, a)
    if cells.is_shot[0]:
        searches.next_shot[v, a] = time + SHOT
        for n in range(cells.share.shape[0]):
            cells.shot[n] = cells.share[n]
    x, y, z = searches.x[v, a], searches.y[v, a], searches.z[v, a]
    another = searches.at[v, a] < 0 and _is_anothers(searches, stage, moving, v, a, x, y, z)
    if another:
        searches.at[v, a], searches.cleared[v, a, 0] = 1, ANOTHER
    if searches.at[v, a] < 0:  # first to where it was last known
        searches.at[v, a] = 0
        _want(moving, v, a, x, y, z, 0.0, stage.doing)
    elif not another:
        _come_to_cell(searches, cells, stage, moving, time, v, a)
    if searches.at[v, a] > 0:
        near = NEAR * searches.radius[v, a, state]
        count = _who_else(searches, stage, moving, v, a)
        best = _likeliest(
            cells, moving.x[v, a], moving.y[v, a], moving.z[v, a], near, searches.others, count
        )
        if best < 0 and count > 0 and _is_any_left(cells):  # what is left is for others
            _stand(moving, v, a)
            searches.target[v, a] = -1
            return LOOK_AGAIN
        if best < 0 and searches.cleared[v, a, 0] == ANOTHER:
            searches.cleared[v, a, 0], searches.planned[v, a] = ITSELF, False
            searches.target[v, a] = -1  # which is one of these cells
            return NO_CELLS
        if best < 0:
            _end(searches, stage, moving, time, v, a, NOTHING)
            return NEVER
        target = searches.target[v, a]
        taken = target >= 0 and count > 0 and _is_taken(searches, cells, count, target)
        if target < 0 or taken or cells.around[best] > MORE * cells.around[target]:
            searches.target[v, a] = best
            x, y, z = cells.centres[best, 0], cells.centres[best, 1], cells.centres[best, 2]
            at, chance = searches.at[v, a], cells.share[best]
            _note(searches, moving, v, a, time, PLANNED, at, x, y, z, chance)
            _want(moving, v, a, x, y, z, 0.0, stage.doing)
    return float(min(max(step, stage.dt), LOOK_AGAIN))


def _look_together(
    searches: SearchStage,
    cells: Cells,
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    v: int,
    a: int,
) -> None:
    """What others of its group have in view, or have come to, is looked at as well."""
    tall = _how_tall(searches, stage.attended, v, a)
    for b in range(searches.company.shape[2]):
        if not _looks_for_it(searches, stage, poses, v, a, b):
            continue
        look_at_all(
            v, b, stage.attended.focus[v, a], tall, cells.centres, poses, searches.outlook,
            cells.theirs,
        )  # fmt: skip
        for n in range(cells.seen.shape[0]):
            x, y, z = cells.centres[n, 0], cells.centres[n, 1], cells.centres[n, 2]
            checked = cells.theirs[n] or _has_come_to(stage, moving, v, b, x, y, z)
            if checked and not cells.seen[n]:
                cells.seen[n] = True
                if cells.share[n] > 0.0:
                    searches.cleared[v, a, 0] = ANOTHER


def _is_any_left(cells: Cells) -> bool:
    """Whether there is any cell left where the target may be."""
    found = False
    for n in range(cells.share.shape[0]):
        found = found or cells.share[n] > 0.0
    return found


def _is_taken(searches: SearchStage, cells: Cells, count: int, target: int) -> bool:
    """Whether another member of its group is at its goal, or goes there."""
    x, y, z = cells.centres[target, 0], cells.centres[target, 1], cells.centres[target, 2]
    return beside_others(searches.others, count, INF, x, y, z) <= 0.0


def _come_to_cell(
    searches: SearchStage,
    cells: Cells,
    stage: BodyStage,
    moving: Moving,
    time: float,
    v: int,
    a: int,
) -> None:
    """Whether it is at its goal, or as near as it can get."""
    _close, _arrived, unreachable = _nearness(moving, stage.dt, v, a)
    if not (moving.at_end[v, a] or unreachable):
        return
    what = UNREACHABLE if unreachable else VISITED
    at, target = searches.at[v, a], searches.target[v, a]
    if at == 0:
        x, y, z = searches.x[v, a], searches.y[v, a], searches.z[v, a]
        _note(searches, moving, v, a, time, what, 0, x, y, z, NAN)
        searches.at[v, a] = 1
    elif target >= 0:
        x, y, z = cells.centres[target, 0], cells.centres[target, 1], cells.centres[target, 2]
        _note(searches, moving, v, a, time, what, at, x, y, z, NAN)
        if unreachable:
            cells.share[target] = 0.0
        searches.at[v, a] = at + 1
    searches.target[v, a] = -1


def _end(
    searches: SearchStage,
    stage: BodyStage,
    moving: Moving,
    time: float,
    v: int,
    a: int,
    outcome: int,
) -> None:
    """A search is over; who could get to none of its points has searched nowhere."""
    searches.over[v, a] = outcome
    failed = outcome == NOTHING and not searches.looked[v, a]
    stage.doing.failed[v, a], stage.doing.done[v, a] = failed, not failed
    stage.search_done[v, a] = True
    _stand(moving, v, a)
    x, y, z = moving.x[v, a], moving.y[v, a], moving.z[v, a]
    _note(searches, moving, v, a, time, ENDED, -1, x, y, z, NAN)


def _note_point(
    searches: SearchStage, moving: Moving, v: int, a: int, time: float, what: int
) -> None:
    """Log something about its current point."""
    at = searches.at[v, a]
    x, y, z = (
        searches.points[v, a, at, 0],
        searches.points[v, a, at, 1],
        searches.points[v, a, at, 2],
    )
    _note(searches, moving, v, a, time, what, at, x, y, z, searches.chances[v, a, at])


def _note(
    searches: SearchStage,
    moving: Moving,
    v: int,
    a: int,
    time: float,
    what: int,
    point: int,
    x: float,
    y: float,
    z: float,
    chance: float,
) -> None:
    if what in (VISITED, LOOKED):
        searches.looked[v, a] = True
    n = searches.noted[0]
    if n >= searches.notes.t.shape[0]:
        return  # there is room for all that can be noted at a tick
    searches.noted[0] = n + 1
    searches.notes.variant[n], searches.notes.agent[n], searches.notes.t[n] = v, a, time
    searches.notes.search[n] = searches.begun[v, a] - 1
    searches.notes.what[n], searches.notes.point[n] = what, point
    searches.notes.x[n], searches.notes.y[n], searches.notes.z[n] = x, y, z
    searches.notes.likelihood[n], searches.notes.outcome[n] = chance, searches.over[v, a]
    searches.notes.walked[n] = moving.walked[v, a] - searches.walked[v, a]
    searches.notes.method[n] = searches.method[v, a, searches.state[v, a]]


def _agrees(searches: SearchStage, stage: BodyStage, moving: Moving) -> bool:
    return (
        agrees(stage, moving)
        and searches.state.shape[0] == stage.stuck.shape[0]
        and searches.state.shape[1] == stage.stuck.shape[1]
        and searches.outlook.numbers.notices.shape[2] == stage.loudness.shape[2]
    )


def _is_there(searches: SearchStage, v: int, a: int) -> bool:
    """Whether there is such an agent."""
    there: bool = 0 <= v < searches.state.shape[0] and 0 <= a < searches.state.shape[1]
    return there
