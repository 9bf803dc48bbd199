cimport cython

from snelk.body.columns cimport DoingColumns, GivenColumns, MovingColumns, PlacedColumns, PlaceStageColumns
from snelk.level.columns cimport FloorColumns, GroundStageColumns, LinkColumns
from snelk.level.footing cimport height_of, highest_below
from snelk.level.lengths cimport hypot
from snelk.level.walking cimport part_on, sheet_at
from snelk.senses.columns cimport PoseColumns

cdef double INF, PI, GLANCE, NEAR, LEAST, AT_END, STEP
cdef Py_ssize_t NEWLY_DONE, NEWLY_FAILED, AHEAD, AT_FOCUS, AT_PLACE, GLANCES, SWEEP

@cython.locals(x=double, y=double, sheet=Py_ssize_t, height=double)
cdef void _follow_floor(
    MovingColumns now, FloorColumns floors, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(v=Py_ssize_t, a=Py_ssize_t)
cdef void _move(
    MovingColumns now, const double[:, ::1] state_for, double dt, FloorColumns floors,
    LinkColumns links,
) noexcept nogil

@cython.locals(halt=Py_ssize_t)
cdef double _beyond_halt(MovingColumns now, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(by=double)
cdef bint _begin_link(MovingColumns now, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(
    link=Py_ssize_t, whole=double, before=double, share=double, dx=double, dy=double, rise=double,
    n=Py_ssize_t,
)
cdef void _climb(
    MovingColumns now, LinkColumns links, double state_for, double dt, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(x=double, y=double, z=double, link=Py_ssize_t, part=Py_ssize_t)
cdef (double, double, double) sets_out_from(
    GroundStageColumns walk, LinkColumns links, MovingColumns moving, DoingColumns doing,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _find_halt(MovingColumns now, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(
    rows=Py_ssize_t, same=bint, v=Py_ssize_t, g=Py_ssize_t, j=Py_ssize_t,
    a=Py_ssize_t,
)
cdef bint _place(
    PlaceStageColumns stage, Py_ssize_t tick, MovingColumns now, PlacedColumns poses,
) noexcept nogil

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, x=double, y=double, left=double,
    to_x=double, to_y=double, to_z=double, up=double,
)
cdef void _follow(
    MovingColumns now, PoseColumns poses, const int[::1] characters, FloorColumns floors,
    const double[:, :, ::1] goals, double dt, bint counts,
) noexcept nogil

@cython.locals(
    n=Py_ssize_t, whole=double, left=double, toward=double, dx=double, dy=double, turned=double,
    gain=double, wanted=double, back=double, speed=double, moved=double, most=double, free=bint,
    going=bint, ahead=bint, rolling=bint, wants=bint, slow=bint,
)
cdef void _move_one(
    MovingColumns now, double state_for, double dt, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(n=Py_ssize_t, dx=double, dy=double)
cdef double _left(MovingColumns now, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(close=double)
cdef void _arrive(
    MovingColumns now, double left, double dt, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    look=Py_ssize_t, wanted=double, aim_x=double, aim_y=double, phase=double, since=double,
    before=double, off=double, most=double,
)
cdef double _turn(
    MovingColumns now, double toward, double state_for, double dt, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(gain=double)
cdef double _can_stop_within(double far, double acceleration, double dt) noexcept nogil

@cython.locals(
    n=Py_ssize_t, rest=double, moved=double, come=bint, x=double, y=double, dx=double, dy=double,
    length=double, take=double, share=double,
)
cdef double _walk(MovingColumns now, double way, Py_ssize_t v, Py_ssize_t a) noexcept nogil

cdef double _close_to_goal(MovingColumns now, double dt, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(off=double)
cdef double off_heading(double direction, double heading) noexcept nogil

@cython.locals(close=double, there=bint, at_end=bint, no_way=bint)
cdef (double, bint, bint) _nearness(
    MovingColumns now, double dt, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(n=Py_ssize_t, beyond=double, far=double)
cdef void _take_way(
    MovingColumns now, Py_ssize_t v, Py_ssize_t a, const double[:, ::1] way, Py_ssize_t count,
    double stop, double short, Py_ssize_t turn_at,
) noexcept nogil

cdef void _begin_way(
    MovingColumns now, Py_ssize_t v, Py_ssize_t a, Py_ssize_t count, double stop, double short,
    Py_ssize_t turn_at,
) noexcept nogil

@cython.locals(
    n=Py_ssize_t, at_x=double, at_y=double, along_x=double, along_y=double, to_x=double, to_y=double,
    ahead=double,
)
cdef bint _turns_back(
    MovingColumns now, double dt, Py_ssize_t v, Py_ssize_t a, double x, double y,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _pass(MovingColumns now, Py_ssize_t v, Py_ssize_t a) noexcept nogil

cdef void _stand(MovingColumns moving, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(
    rest=double, x=double, y=double, dx=double, dy=double, length=double, count=Py_ssize_t,
    n=Py_ssize_t, at_end=bint, share=double,
)
cdef Py_ssize_t _run_out(
    MovingColumns now, Py_ssize_t v, Py_ssize_t a, double[:, ::1] way,
) noexcept nogil

@cython.locals(
    end_x=double, end_y=double, short=double, floor=Py_ssize_t, up=double, close=double,
    _arrived=bint, _unreachable=bint, missed=double,
)
cdef void _take_way_to(
    MovingColumns now, double dt, Py_ssize_t v, Py_ssize_t a, const double[:, ::1] way,
    Py_ssize_t count, FloorColumns floors, double to_x, double to_y, double to_z, double stop,
    Py_ssize_t turn_at,
) noexcept nogil

cdef void _want(
    MovingColumns moving, Py_ssize_t v, Py_ssize_t a, double x, double y, double z, double stop,
    DoingColumns doing,
) noexcept nogil

@cython.locals(_close=double, arrived=bint, unreachable=bint)
cdef void _come_to_end(
    MovingColumns moving, double dt, Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

cdef void note_news(
    DoingColumns doing, Py_ssize_t v, Py_ssize_t a, bint was_done, bint was_failed,
) noexcept nogil
