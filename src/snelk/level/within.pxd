cimport cython

from snelk.level.columns cimport ZoneColumns

@cython.locals(
    edge=Py_ssize_t, dx=double, dy=double, radius=double, ax=double, ay=double, bx=double,
    by=double, odd=bint,
)
cdef bint inside(ZoneColumns zones, Py_ssize_t zone, double x, double y) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _which_inside(
    ZoneColumns zones, Py_ssize_t zone, const double[:, ::1] places, unsigned char[::1] found,
) noexcept
