cimport cython

from snelk.mind.columns cimport TellStageColumns

cdef Py_ssize_t HEARD, SENSED_NOW

@cython.locals(
    found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, source=Py_ssize_t, own=bint,
    now=bint,
)
cdef Py_ssize_t _who_tells(TellStageColumns stage, Py_ssize_t tick) noexcept
