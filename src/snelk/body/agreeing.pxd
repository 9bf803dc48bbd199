cimport cython

from snelk.body.columns cimport BodyStageColumns, MovingColumns

cdef Py_ssize_t DISAGREE

@cython.locals(same=bint)
cdef bint agrees(BodyStageColumns stage, MovingColumns moving) noexcept nogil
