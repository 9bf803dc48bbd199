cimport cython

from snelk.level.columns cimport FloorColumns
from snelk.level.lengths cimport hypot
from snelk.level.within cimport where_in

cdef double INF, NAN, STEP, RIM
cdef Py_ssize_t OUTSIDE

@cython.locals(height=double)
cdef double height_of(
    FloorColumns floors, Py_ssize_t floor, double x, double y,
) noexcept nogil

@cython.locals(
    best=double, found=Py_ssize_t, floor=Py_ssize_t, height=double, low=Py_ssize_t,
    high=Py_ssize_t,
)
cdef Py_ssize_t floor_below(FloorColumns floors, double x, double y, double limit) noexcept nogil

@cython.locals(edge=Py_ssize_t, ax=double, ay=double, bx=double, by=double)
cdef bint _at_rim(
    FloorColumns floors, Py_ssize_t first, Py_ssize_t last, double x, double y,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _floors_below(
    FloorColumns floors, const double[:, ::1] places, int[::1] found,
) noexcept

@cython.locals(floor=Py_ssize_t)
cdef double highest_below(FloorColumns floors, double x, double y, double limit) noexcept nogil

@cython.locals(n=Py_ssize_t, before=double, height=double)
cdef void _follow_floors(
    FloorColumns floors, const double[::1] x, const double[::1] y, double[::1] z,
) noexcept
