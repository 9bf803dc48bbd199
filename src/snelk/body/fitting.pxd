cimport cython

from snelk.body.columns cimport BodyStageColumns, MovingColumns

cdef Py_ssize_t UNFIT

@cython.locals(same=bint)
cdef bint fits(BodyStageColumns stage, MovingColumns moving) noexcept nogil
