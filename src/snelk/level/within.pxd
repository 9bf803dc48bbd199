cimport cython

from snelk.level.columns cimport ZoneColumns
from snelk.level.lengths cimport hypot

cdef double INF
cdef Py_ssize_t OUTSIDE, INSIDE, ON_EDGE

@cython.locals(height=double, dx=double, dy=double, radius=double, near=bint)
cdef bint inside(
    ZoneColumns zones, Py_ssize_t zone, double x, double y, double z,
) noexcept nogil

@cython.locals(
    edge=Py_ssize_t, found=Py_ssize_t, ax=double, ay=double, bx=double, by=double, side=double,
    to_right=bint,
)
cdef Py_ssize_t where_in(
    const double[:, ::1] edges, Py_ssize_t low, Py_ssize_t high, double x, double y,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _which_inside(
    ZoneColumns zones, Py_ssize_t zone, const double[:, ::1] places, unsigned char[::1] found,
) noexcept

@cython.locals(
    edge=Py_ssize_t, nearest=double, normal_x=double, normal_y=double, along_x=double,
    along_y=double, across=double, to_x=double, to_y=double, far=double, share=double,
    length=double,
)
cdef (double, double, double) _edge_ahead(
    const double[:, ::1] edges, Py_ssize_t low, Py_ssize_t high, double x, double y, double dx,
    double dy, double least,
) noexcept nogil
