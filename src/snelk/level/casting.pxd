cimport cython

from snelk.level.columns cimport GridColumns

cdef double INF, NAN, TOUCH, TINY
cdef Py_ssize_t NO_WALL

cdef (double, double) _overlap(
    double start, double extent, double low, double high, double enter, double leave,
) noexcept nogil

@cython.locals(square=double, a=double, b=double, near=double, far=double, on_face=bint)
cdef double _along_face(
    double dx, double dy, double ax, double ay, double bx, double by, double first, double last,
) noexcept nogil

@cython.locals(
    dx=double, dy=double, dz=double, length=double, first=double, last=double, enter=double,
    leave=double, right=double, upper=double, columns=Py_ssize_t, cells=Py_ssize_t,
    column=Py_ssize_t, row=Py_ssize_t, index=Py_ssize_t, step_column=Py_ssize_t,
    step_row=Py_ssize_t, per_dx=double, per_dy=double, per_column=double, per_row=double,
    next_column=double, next_row=double, stopped_by=Py_ssize_t, stopped_at=double,
    dimmed_by=Py_ssize_t, dimmed_at=double, share=double, parallel=bint, entry=Py_ssize_t,
    ax=double, ay=double, bx=double, by=double, side_a=double, side_b=double, across=double,
    at=double, height=double, met=bint, wall=Py_ssize_t, end_of_cell=double, by_column=bint,
    rays=Py_ssize_t,
)
cdef (double, Py_ssize_t, double) cast_ray(
    GridColumns grid, Py_ssize_t[::1] scratch, double x, double y, double z, double to_x,
    double to_y, double to_z,
) noexcept nogil

@cython.locals(
    at=double, ax=double, ay=double, bx=double, by=double, side_a=double, side_b=double,
    height=double,
)
cdef double _meet(
    const double[:, ::1] pieces, Py_ssize_t entry, double x, double y, double z, double dx,
    double dy, double dz, double first, double last,
) noexcept nogil

@cython.locals(share=double, _wall=Py_ssize_t, _at=double)
cdef bint _passes(
    GridColumns grid, Py_ssize_t[::1] scratch, double x, double y, double z, double to_x,
    double to_y, double to_z,
) noexcept nogil

@cython.locals(i=Py_ssize_t)
cdef void _cast_each(
    GridColumns grid, Py_ssize_t[::1] scratch, const double[:, ::1] start,
    const double[:, ::1] end, double[::1] share, int[::1] wall, double[::1] at,
) noexcept
