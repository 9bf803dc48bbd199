cimport cython

from snelk.level.columns cimport FloorColumns
from snelk.level.within cimport where_in

cdef double NAN, STEP
cdef Py_ssize_t OUTSIDE

@cython.locals(best=double, floor=Py_ssize_t, height=double, low=Py_ssize_t, high=Py_ssize_t)
cdef double highest_below(FloorColumns floors, double x, double y, double limit) noexcept nogil

@cython.locals(n=Py_ssize_t, before=double, height=double)
cdef void _follow_floors(
    FloorColumns floors, const double[::1] x, const double[::1] y, double[::1] z,
) noexcept
