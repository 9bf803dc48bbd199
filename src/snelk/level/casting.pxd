cimport cython

from snelk.level.columns cimport GridColumns, ScratchColumns

cdef double INF, NAN, TOUCH, TINY, LEEWAY
cdef int LAYERS
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
    rays=Py_ssize_t, now=Py_ssize_t, stopped_wall=Py_ssize_t, any_faces=bint, faces=Py_ssize_t, here=double, there=double,
    heights=cython.ulonglong, triangle=Py_ssize_t, most=Py_ssize_t, lean_x=double, lean_y=double,
)
cdef (double, Py_ssize_t, double) cast_ray(
    GridColumns grid, ScratchColumns scratch, double x, double y, double z, double to_x,
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

@cython.locals(
    lowest=double, highest=double, above=cython.ulonglong, below=cython.ulonglong,
)
cdef unsigned long long layers(GridColumns grid, double low, double high) noexcept nogil

@cython.locals(
    ax=double, ay=double, az=double, bx=double, by=double, bz=double, cx=double, cy=double,
    cz=double, px=double, py=double, qx=double, qy=double, rx=double,
    ry=double, by_a=double, by_b=double, by_c=double, across=double, at=double,
)
cdef double _meet_triangle(
    const double[:, ::1] triangles, Py_ssize_t entry, double x, double y, double z, double dx,
    double dy, double dz, Py_ssize_t most, double lean_x, double lean_y, double first, double last,
) noexcept nogil

@cython.locals(nx=double, ny=double, nz=double, turn=double, near=double, far=double)
cdef double _along_triangle(
    double ax, double ay, double az, double bx, double by, double bz, double cx, double cy,
    double cz, double dx, double dy, double dz, double first, double last,
) noexcept nogil

@cython.locals(begins=double, gains=double, at=double)
cdef (double, double) _left_of(
    double ax, double ay, double bx, double by, double dx, double dy, double turn, double near,
    double far,
) noexcept nogil

@cython.locals(share=double, _wall=Py_ssize_t, _at=double)
cdef bint _passes(
    GridColumns grid, ScratchColumns scratch, double x, double y, double z, double to_x,
    double to_y, double to_z,
) noexcept nogil

@cython.locals(i=Py_ssize_t)
cdef void _cast_each(
    GridColumns grid, ScratchColumns scratch, const double[:, ::1] start,
    const double[:, ::1] end, double[::1] share, int[::1] wall, double[::1] at,
) noexcept
