cimport cython

from snelk.body.columns cimport MovingColumns, StandingColumns
from snelk.body.moving cimport off_heading
from snelk.level.columns cimport ZoneColumns
from snelk.level.lengths cimport hypot
from snelk.level.within cimport inside
from snelk.mind.columns cimport AttendedColumns, DrawnColumns, SignalColumns
from snelk.senses.columns cimport BodyColumns, PoseColumns

cdef double INF, NAN, DEGREES, SLACK, STUCK_AFTER, FACES
cdef Py_ssize_t PLACE

@cython.locals(
    agents=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t,
    watcher=Py_ssize_t, zone=Py_ssize_t, x=double, y=double, z=double, observed=bint, seen=bint, shown=double,
)
cdef void _ask(
    PoseColumns poses, BodyColumns bodies, const int[::1] characters, const double[:, ::1] speed,
    const double[:, ::1] light, const double[:, :, ::1] exposure, const double[:, :, ::1] meter,
    const unsigned char[:, :, ::1] told, const double[:, :, ::1] told_rank, DrawnColumns drawn,
    AttendedColumns now, MovingColumns moving, StandingColumns standing,
    ZoneColumns zones, double dt, unsigned char[:, :, ::1] sees_me, SignalColumns signals,
) noexcept nogil

@cython.locals(state=Py_ssize_t, x=double, y=double, rise=double, far=double, goes=bint)
cdef void _ask_body(
    MovingColumns moving, StandingColumns standing, double dt, Py_ssize_t v, Py_ssize_t a, SignalColumns signals,
) noexcept nogil

@cython.locals(
    j=Py_ssize_t, any_seen=bint, any_heard=bint, any_felt=bint, any_smelt=bint, any_told=bint, x=double,
    y=double, z=double, dx=double, dy=double, away=double,
)
cdef void _ask_targets(
    AttendedColumns now, const unsigned char[:, :, ::1] told, DrawnColumns drawn,
    MovingColumns moving, Py_ssize_t v, Py_ssize_t a, SignalColumns signals,
) noexcept nogil

cdef double _off_facing(double x, double y, double heading) noexcept nogil
