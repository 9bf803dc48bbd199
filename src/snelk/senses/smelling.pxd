cimport cython

from snelk.level.casting cimport cast_ray
from snelk.level.columns cimport GridColumns, ScratchColumns
from snelk.senses.columns cimport (
    AirColumns, BodyColumns, ContactColumns, ContactNumberColumns, PoseColumns,
    SmellStageColumns, TrailColumns,
)

cdef double INF, NAN, EDGE, SPACING
cdef Py_ssize_t NO_WALL, PRESENT, CARES, AWAKE, STRENGTH, REACH, SENSED, BY_SMELL

cdef bint _leave_and_smell(
    SmellStageColumns stage, PoseColumns poses, double now,
) noexcept nogil

@cython.locals(v=Py_ssize_t)
cdef void _leave(
    double now, PoseColumns poses, const unsigned char[:, :, ::1] within,
    AirColumns air, TrailColumns trails,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef Py_ssize_t _leave_since(
    const double[::1] times, PoseColumns poses, const unsigned char[:, :, ::1] within,
    AirColumns air, TrailColumns trails,
) noexcept nogil

@cython.locals(
    j=Py_ssize_t, n=Py_ssize_t, at=Py_ssize_t, room=Py_ssize_t, halvings=double,
)
cdef void _leave_of(
    double now, PoseColumns poses, const unsigned char[:, :, ::1] within,
    AirColumns air, TrailColumns trails, Py_ssize_t v, Py_ssize_t p,
) noexcept nogil

@cython.locals(
    room=Py_ssize_t, count=Py_ssize_t, fixed=Py_ssize_t, at=Py_ssize_t, zone=Py_ssize_t,
    wind=double, scent=double, begins=bint,
)
cdef void _go_on(
    double now, PoseColumns poses, const unsigned char[:, :, ::1] within,
    AirColumns air, TrailColumns trails, Py_ssize_t v, Py_ssize_t p, Py_ssize_t j,
) noexcept nogil

@cython.locals(v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t)
cdef void _smell(
    double now, const unsigned char[:, :, ::1] notices, PoseColumns poses, BodyColumns bodies,
    AirColumns air, TrailColumns trails, ContactNumberColumns numbers,
    const double[:, ::1] awake, GridColumns grid, ScratchColumns scratch, ContactColumns contacts,
) noexcept nogil

@cython.locals(
    room=Py_ssize_t, back=Py_ssize_t, at=Py_ssize_t, wall=Py_ssize_t, nearest=Py_ssize_t,
    wall_then=Py_ssize_t, best=double, strength=double, away=double, limit=double,
    away_then=double, limit_then=double, through=double, margin=double,
)
cdef void _follow(
    double now, PoseColumns poses, BodyColumns bodies, AirColumns air, TrailColumns trails,
    ContactNumberColumns numbers, double reach, GridColumns grid, ScratchColumns scratch,
    Py_ssize_t v, Py_ssize_t p, Py_ssize_t a, Py_ssize_t i, Py_ssize_t j, ContactColumns contacts,
) noexcept nogil

@cython.locals(dx=double, dy=double, dz=double)
cdef double _away(
    PoseColumns poses, TrailColumns trails, Py_ssize_t v, Py_ssize_t p, Py_ssize_t i,
    Py_ssize_t j, Py_ssize_t at,
) noexcept nogil

@cython.locals(dx=double, dy=double, plan=double, along=double, found=double)
cdef double _carried(
    PoseColumns poses, AirColumns air, TrailColumns trails, Py_ssize_t v, Py_ssize_t p,
    Py_ssize_t i, Py_ssize_t j, Py_ssize_t at,
) noexcept nogil

@cython.locals(through=double, wall=Py_ssize_t)
cdef (double, Py_ssize_t) _past(
    PoseColumns poses, BodyColumns bodies, TrailColumns trails, GridColumns grid,
    ScratchColumns scratch, Py_ssize_t v, Py_ssize_t p, Py_ssize_t i, Py_ssize_t j, Py_ssize_t at,
) noexcept nogil

@cython.locals(n=Py_ssize_t, at=Py_ssize_t, through=double)
cdef void _sniff(
    PoseColumns poses, BodyColumns bodies, AirColumns air, TrailColumns trails, GridColumns grid,
    ScratchColumns scratch, Py_ssize_t i, Py_ssize_t j, double[:, ::1] found,
) noexcept

@cython.locals(known=bint)
cdef void _note(
    TrailColumns trails, Py_ssize_t v, Py_ssize_t a, Py_ssize_t j, Py_ssize_t at, double now,
    double away, double limit, Py_ssize_t wall, ContactColumns contacts,
) noexcept nogil
