cimport cython

from snelk.body.agreeing cimport agrees
from snelk.body.columns cimport (
    BodyStageColumns, DoingColumns, MovingColumns, SearchStageColumns,
)
from snelk.body.fleeing cimport last_known
from snelk.body.looking cimport look_at_all
from snelk.body.moving cimport _nearness, _stand, _want, note_news, sets_out_from
from snelk.level.columns cimport GroundStageColumns
from snelk.level.footing cimport floor_below, height_of
from snelk.level.lengths cimport hypot
from snelk.level.walking cimport _length_of_way, is_on, may_stand
from snelk.mind.columns cimport AttendedColumns, CellColumns
from snelk.mind.spreading cimport _likeliest, _spread, _take_out, beside_others
from snelk.senses.columns cimport PoseColumns

cdef double INF, NAN, SLACK, LOOK_AGAIN, OTHER_NEWS, MORE, SHOT, NEAR, ROUNDING, KEEP_UP, LEFT_TO_PYTHON
cdef double NEVER, NEARBY_WITHIN, NO_CELLS
cdef Py_ssize_t MOST_TIMES, SWEEP, DISAGREE, GOING_ON, SEARCH
cdef Py_ssize_t NEARBY, HIDEOUTS, LIKELIHOOD, NOBODY_YET, ANOTHER, ITSELF
cdef Py_ssize_t BEGAN, MOVED, PLANNED, VISITED, LOOKED, UNREACHABLE, ENDED
cdef Py_ssize_t FOUND, GAVE_UP, NOTHING, BROKEN_OFF

cdef void _begin(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t state, double x, double y,
    double z, double time, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

cdef void _begin_at(
    SearchStageColumns searches, Py_ssize_t v, Py_ssize_t a, double x, double y, double z,
) noexcept nogil

@cython.locals(j=Py_ssize_t, sensed=bint, outcome=Py_ssize_t)
cdef Py_ssize_t _leave(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, double time,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(left=double)
cdef double seek(
    MovingColumns moving, SearchStageColumns searches, BodyStageColumns stage, PoseColumns poses,
    double time, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(x=double, y=double, z=double, away=double, left=double)
cdef double _time_left(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, double time,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    state=Py_ssize_t, at=Py_ssize_t, tall=Py_ssize_t, _close=double, arrived=bint,
    unreachable=bint, together=bint, seen=bint,
)
cdef double _search_points(
    MovingColumns moving, SearchStageColumns searches, BodyStageColumns stage, PoseColumns poses,
    double time, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(j=Py_ssize_t)
cdef Py_ssize_t _how_tall(
    SearchStageColumns searches, AttendedColumns now, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(at=Py_ssize_t, x=double, y=double)
cdef double _next_point(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, double time,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(b=Py_ssize_t, found=bint)
cdef bint _is_together(SearchStageColumns searches, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(n=Py_ssize_t, found=bint)
cdef bint _is_any_for_others(
    SearchStageColumns searches, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(p=Py_ssize_t, focus=Py_ssize_t, notices=bint)
cdef bint _looks_for_it(
    SearchStageColumns searches, BodyStageColumns stage, PoseColumns poses, Py_ssize_t v,
    Py_ssize_t a, Py_ssize_t b,
) noexcept nogil

@cython.locals(
    count=Py_ssize_t, focus=Py_ssize_t, b=Py_ssize_t, axis=Py_ssize_t, goal=double,
)
cdef Py_ssize_t _who_else(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, Py_ssize_t v,
    Py_ssize_t a,
) noexcept nogil

@cython.locals(count=Py_ssize_t, best=Py_ssize_t)
cdef Py_ssize_t _take_mine(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, Py_ssize_t v,
    Py_ssize_t a,
) noexcept nogil

@cython.locals(
    best=Py_ssize_t, n=Py_ssize_t, most=double, near=double, x=double, y=double, z=double,
    away=double, worth=double,
)
cdef Py_ssize_t _best_of(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, Py_ssize_t cleared,
    Py_ssize_t count, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(far=double)
cdef double _away(
    MovingColumns moving, Py_ssize_t v, Py_ssize_t b, double x, double y, double z,
) noexcept nogil

@cython.locals(found=bint)
cdef bint _waits_for_others(SearchStageColumns searches, Py_ssize_t v, Py_ssize_t b) noexcept nogil

@cython.locals(close=double, _arrived=bint, _unreachable=bint)
cdef bint _has_come_to(
    BodyStageColumns stage, MovingColumns moving, Py_ssize_t v, Py_ssize_t b, double x, double y,
    double z,
) noexcept nogil

@cython.locals(away=double)
cdef double _off_start(
    SearchStageColumns searches, Py_ssize_t v, Py_ssize_t a, double x, double y, double z,
) noexcept nogil

@cython.locals(away=double, far=double, b=Py_ssize_t, same=bint)
cdef bint _is_anothers(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, Py_ssize_t v,
    Py_ssize_t a, double x, double y, double z,
) noexcept nogil

@cython.locals(
    at=Py_ssize_t, tall=Py_ssize_t, n=Py_ssize_t, axis=Py_ssize_t, b=Py_ssize_t, cleared=bint,
    was=Py_ssize_t, x=double, y=double, z=double,
)
cdef bint _clear_points(
    SearchStageColumns searches, BodyStageColumns stage, PoseColumns poses, MovingColumns moving,
    double time, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

cdef void _look_on(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(wait=double)
cdef double _look_around(
    SearchStageColumns searches, MovingColumns moving, double time, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

cdef Py_ssize_t _plan_for(
    Py_ssize_t v, Py_ssize_t a, GroundStageColumns walk, SearchStageColumns searches,
    BodyStageColumns stage, MovingColumns moving, double time,
) noexcept nogil

@cython.locals(left=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, index=Py_ssize_t, known=bint)
cdef Py_ssize_t plan_in_turn(
    list walks, SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving,
    double time,
) noexcept

@cython.locals(
    part=Py_ssize_t, last=Py_ssize_t, first=Py_ssize_t, n=Py_ssize_t, more=bint, x=double,
    y=double, z=double, to_x=double, to_y=double, to_z=double,
)
cdef bint _plan(
    GroundStageColumns walk, SearchStageColumns searches, BodyStageColumns stage,
    MovingColumns moving, double time, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(more=bint)
cdef Py_ssize_t _plan_by_lengths(
    GroundStageColumns walk, SearchStageColumns searches, BodyStageColumns stage,
    MovingColumns moving, double time, Py_ssize_t v, Py_ssize_t a, bint begins,
) noexcept nogil

@cython.locals(x=double, y=double, z=double)
cdef (double, double, double) _place(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t n, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(x=double, y=double, z=double, sheet=Py_ssize_t, away=double, near=bint)
cdef bint _is_near(
    GroundStageColumns walk, SearchStageColumns searches, MovingColumns moving, Py_ssize_t part,
    Py_ssize_t n, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    state=Py_ssize_t, first=Py_ssize_t, n=Py_ssize_t, any_left=bint, here=bint,
)
cdef bint _lay_out_places(
    GroundStageColumns walk, SearchStageColumns searches, MovingColumns moving, Py_ssize_t part,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

cdef bint _take_places(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    state=Py_ssize_t, best=Py_ssize_t, first=Py_ssize_t, count=Py_ssize_t, n=Py_ssize_t,
    any_left=bint, least=double, limit=double, length=double, x=double, y=double, z=double,
)
cdef bint _take_nearest(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    state=Py_ssize_t, best=Py_ssize_t, first=Py_ssize_t, count=Py_ssize_t, n=Py_ssize_t,
    near=bint, whole=double, radius=double, most=double, x=double, y=double, z=double,
)
cdef void _take_hideouts(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _add_point(
    SearchStageColumns searches, Py_ssize_t v, Py_ssize_t a, double x, double y, double z,
    double chance,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _set_out(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, double time,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, was_done=bint, was_failed=bint,
    doing=DoingColumns,
)
cdef Py_ssize_t _go_to_next(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, double time,
) noexcept

@cython.locals(due=bint)
cdef bint keeps_now(SearchStageColumns searches, double time, Py_ssize_t v, Py_ssize_t a) noexcept

@cython.locals(same=bint, left=double, x=double, y=double, z=double)
cdef double think_of_cells(
    SearchStageColumns searches, CellColumns cells, BodyStageColumns stage, PoseColumns poses,
    MovingColumns moving, double time, Py_ssize_t v, Py_ssize_t a, bint fresh,
) noexcept

@cython.locals(
    state=Py_ssize_t, times=Py_ssize_t, n=Py_ssize_t, best=Py_ssize_t, target=Py_ssize_t,
    at=Py_ssize_t, step=double, near=double, x=double, y=double, z=double, chance=double,
    another=bint, count=Py_ssize_t, taken=bint, together=bint,
)
cdef double _search_cells(
    SearchStageColumns searches, CellColumns cells, BodyStageColumns stage, PoseColumns poses,
    MovingColumns moving, double time, Py_ssize_t v, Py_ssize_t a,
) noexcept

@cython.locals(
    tall=Py_ssize_t, b=Py_ssize_t, n=Py_ssize_t, x=double, y=double, z=double, checked=bint,
)
cdef void _look_together(
    SearchStageColumns searches, CellColumns cells, BodyStageColumns stage, PoseColumns poses,
    MovingColumns moving, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(n=Py_ssize_t, found=bint)
cdef bint _is_any_left(CellColumns cells) noexcept nogil

@cython.locals(x=double, y=double, z=double)
cdef bint _is_taken(
    SearchStageColumns searches, CellColumns cells, Py_ssize_t count, Py_ssize_t target,
) noexcept nogil

@cython.locals(
    _close=double, _arrived=bint, unreachable=bint, what=Py_ssize_t, at=Py_ssize_t,
    target=Py_ssize_t, x=double, y=double, z=double,
)
cdef void _come_to_cell(
    SearchStageColumns searches, CellColumns cells, BodyStageColumns stage, MovingColumns moving,
    double time, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(failed=bint, x=double, y=double, z=double)
cdef void _end(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving, double time,
    Py_ssize_t v, Py_ssize_t a, Py_ssize_t outcome,
) noexcept nogil

@cython.locals(at=Py_ssize_t, x=double, y=double, z=double)
cdef void _note_point(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t v, Py_ssize_t a, double time,
    Py_ssize_t what,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _note(
    SearchStageColumns searches, MovingColumns moving, Py_ssize_t v, Py_ssize_t a, double time,
    Py_ssize_t what, Py_ssize_t point, double x, double y, double z, double chance,
) noexcept nogil

cdef bint _agrees(
    SearchStageColumns searches, BodyStageColumns stage, MovingColumns moving,
) noexcept nogil

@cython.locals(there=bint)
cdef bint _is_there(SearchStageColumns searches, Py_ssize_t v, Py_ssize_t a) noexcept nogil
