cimport cython

from snelk.mind.columns cimport CellColumns

cdef double LEAST

@cython.locals(_=Py_ssize_t, cell=Py_ssize_t)
cdef void _spread(CellColumns cells, Py_ssize_t times) noexcept

@cython.locals(cell=Py_ssize_t, found=double, rest=double, cleared=double)
cdef void _take_out(CellColumns cells) noexcept

@cython.locals(best=Py_ssize_t, cell=Py_ssize_t, whole=double, most=double, away=double, worth=double)
cdef Py_ssize_t _likeliest(
    CellColumns cells, double x, double y, double z, double near,
) noexcept

@cython.locals(cell=Py_ssize_t, link=Py_ssize_t, whole=double)
cdef void _hand_on(CellColumns cells) noexcept nogil
