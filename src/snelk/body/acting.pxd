cimport cython

from snelk.body.columns cimport DoingColumns, MovingColumns, TimingColumns
from snelk.body.moving cimport _begin_way, _nearness, _take_way, _turns_back
from snelk.level.columns cimport GridColumns, GroundColumns
from snelk.level.walking cimport onto, way_between
from snelk.mind.columns cimport AttendedColumns, DrawnColumns

cdef double NEVER, NAN, KEEP_UP, FARTHER, AND_MORE
cdef Py_ssize_t APPROACH, FACE, GO, HOME, RESUME, OTHERS, NEWLY_DONE, NEWLY_FAILED
cdef Py_ssize_t AT_FOCUS, PLACE, NO_WAY, NOT_KNOWN

@cython.locals(
    others=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, kind=Py_ssize_t, again=double, was_done=bint,
    was_failed=bint,
)
cdef Py_ssize_t _act(
    MovingColumns moving, AttendedColumns now, DrawnColumns drawn, const short[:, ::1] state,
    double time, double dt, TimingColumns timing, DoingColumns doing,
) noexcept

@cython.locals(x=double, y=double, j=Py_ssize_t, stop=double, apart=double)
cdef double _approach(
    MovingColumns moving, AttendedColumns now, DrawnColumns drawn, Py_ssize_t state, double dt,
    Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(x=double, y=double, j=Py_ssize_t, again=double)
cdef double _go(
    MovingColumns moving, AttendedColumns now, DrawnColumns drawn, Py_ssize_t state, double dt,
    Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(x=double, y=double, heading=double)
cdef double _go_home(
    MovingColumns moving, Py_ssize_t kind, double dt, Py_ssize_t v, Py_ssize_t a,
    DoingColumns doing,
) noexcept nogil

@cython.locals(_close=double, arrived=bint, unreachable=bint)
cdef void _come_to_end(
    MovingColumns moving, double dt, Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(there=bint)
cdef bint _come_to_end_there(
    MovingColumns moving, double dt, Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

cdef void _stand(MovingColumns moving, Py_ssize_t v, Py_ssize_t a) noexcept nogil

cdef void _want(
    MovingColumns moving, Py_ssize_t v, Py_ssize_t a, double x, double y, double stop,
    DoingColumns doing,
) noexcept nogil

@cython.locals(left=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t)
cdef Py_ssize_t _set_out(
    Py_ssize_t number, GroundColumns ground, GridColumns grid, Py_ssize_t[::1] scratch,
    double[:, ::1] room, double[:, ::1] way, const unsigned char[:, ::1] smooth, double dt,
    MovingColumns moving, DoingColumns doing,
) noexcept

@cython.locals(
    part=Py_ssize_t, count=Py_ssize_t, x=double, y=double, to_x=double, to_y=double,
    from_x=double, from_y=double, end_x=double, end_y=double, fits=bint, short=double,
    stop=double, close=double, _arrived=bint, _unreachable=bint, missed=double,
)
cdef bint _set_out_one(
    GroundColumns ground, GridColumns grid, Py_ssize_t[::1] scratch, double[:, ::1] room,
    double[:, ::1] way, const unsigned char[:, ::1] smooth, double dt, Py_ssize_t v, Py_ssize_t a,
    MovingColumns moving, DoingColumns doing,
) noexcept nogil

cdef void _cannot_go(MovingColumns moving, Py_ssize_t v, Py_ssize_t a) noexcept nogil
