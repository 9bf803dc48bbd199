cimport cython

from snelk.level.lengths cimport hypot
from snelk.mind.columns cimport CellColumns

cdef double AS_GOOD, LEAST, TOGETHER, NOT_MINE

@cython.locals(_=Py_ssize_t, cell=Py_ssize_t)
cdef void _spread(CellColumns cells, Py_ssize_t times) noexcept

@cython.locals(cell=Py_ssize_t, found=double, rest=double, cleared=double)
cdef void _take_out(CellColumns cells) noexcept

@cython.locals(best=Py_ssize_t, cell=Py_ssize_t, whole=double, most=double, away=double, worth=double)
cdef Py_ssize_t _likeliest(
    CellColumns cells, double x, double y, double z, double near, const double[:, ::1] others,
    Py_ssize_t count,
) noexcept

@cython.locals(n=Py_ssize_t, factor=double, far=double, goal=double)
cdef double beside_others(
    const double[:, ::1] others, Py_ssize_t count, double away, double x, double y, double z,
) noexcept nogil

@cython.locals(cell=Py_ssize_t, link=Py_ssize_t, whole=double)
cdef void _hand_on(CellColumns cells) noexcept nogil
