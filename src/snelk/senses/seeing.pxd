cimport cython

from snelk.level.casting cimport cast_ray
from snelk.level.columns cimport GridColumns, ScratchColumns
from snelk.senses.columns cimport (
    BodyColumns, PoseColumns, SightColumns, SightLimitColumns, SightNumberColumns,
)

cdef double NAN, EDGE
cdef Py_ssize_t NO_WALL, FIRST_BODY, NEEDED, EVERY_GATE
cdef Py_ssize_t IN_VIEW, GONE, PRESENT, CARES, AWAKE, RANGE, ANGLE, ELEVATION, LIGHT, LINE_OF_SIGHT

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, k=Py_ssize_t,
    axis=Py_ssize_t, agents=Py_ssize_t, targets=Py_ssize_t, failed=Py_ssize_t, eye_z=double,
    facing_x=double, facing_y=double, flat=double, dx=double, dy=double, dz=double, across=double,
    along=double, distance=double, off=double, elevation=double, shine=double,
    middle=double, cones=Py_ssize_t, present=bint, pending=bint, held=bint,
)
cdef void _see(
    PoseColumns poses, BodyColumns bodies, const double[:, ::1] light,
    SightNumberColumns numbers, SightLimitColumns limits, GridColumns grid,
    ScratchColumns scratch,
    const unsigned char[:, ::1] looks, Py_ssize_t asked, SightColumns sight,
) noexcept nogil

@cython.locals(failed=Py_ssize_t)
cdef Py_ssize_t _gate_before_ray(
    SightNumberColumns numbers, SightLimitColumns limits, Py_ssize_t v, Py_ssize_t a,
    Py_ssize_t j, Py_ssize_t k, bint held, double distance, double off, double elevation, double light,
) noexcept nogil

@cython.locals(half=double)
cdef Py_ssize_t gate_of_cone(
    SightLimitColumns limits, Py_ssize_t v, Py_ssize_t a, Py_ssize_t k, bint held, double distance,
    double off, double elevation,
) noexcept nogil

cdef bint is_too_dark(
    SightLimitColumns limits, Py_ssize_t v, Py_ssize_t a, Py_ssize_t k, double light,
) noexcept nogil

@cython.locals(
    found=Py_ssize_t, c=Py_ssize_t, nearest=double, x=double, y=double, dx=double, dy=double,
    dz=double, length2=double, radius=double, cx=double, cy=double, middle=double, aside2=double,
    half=double, enters=double, leaves=double, low=double, high=double, at=double, end=double,
)
cdef (Py_ssize_t, double) _first_body(
    PoseColumns poses, BodyColumns bodies, Py_ssize_t v, Py_ssize_t p, Py_ssize_t i, Py_ssize_t j,
    double eye_z, double to_z,
) noexcept nogil

@cython.locals(
    x=double, y=double, to_x=double, to_y=double, to_z=double, height=double, exposure=double,
    point=Py_ssize_t, weight=double, share=double, wall=Py_ssize_t, at=double, body=Py_ssize_t,
    near=double,
)
cdef void _expose(
    PoseColumns poses, BodyColumns bodies, GridColumns grid, ScratchColumns scratch,
    Py_ssize_t v, Py_ssize_t p, Py_ssize_t i, Py_ssize_t j, double eye_z, SightColumns sight,
    Py_ssize_t a,
) noexcept nogil

cdef bint _was_in_view(
    SightColumns sight, Py_ssize_t v, Py_ssize_t a, Py_ssize_t j, Py_ssize_t k,
) noexcept nogil

@cython.locals(j=Py_ssize_t, k=Py_ssize_t)
cdef void _lose_absent(
    PoseColumns poses, SightColumns sight, Py_ssize_t v, Py_ssize_t p, Py_ssize_t a, Py_ssize_t i,
) noexcept nogil

@cython.locals(k=Py_ssize_t, held=bint, near=bint)
cdef bint _is_in_reach(
    SightNumberColumns numbers, SightLimitColumns limits, SightColumns sight, Py_ssize_t v, Py_ssize_t a, Py_ssize_t j,
    double distance,
) noexcept nogil

@cython.locals(reach=double)
cdef double range_of(
    SightLimitColumns limits, Py_ssize_t v, Py_ssize_t a, Py_ssize_t k, bint held,
) noexcept nogil
