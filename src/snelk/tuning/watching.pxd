cimport cython

from snelk.tuning.columns cimport WatchStageColumns

cdef double REACHED
cdef Py_ssize_t IN_VIEW

@cython.locals(
    each=Py_ssize_t, place=Py_ssize_t, v=Py_ssize_t, j=Py_ssize_t, best=Py_ssize_t, n=Py_ssize_t,
    a=Py_ssize_t, k=Py_ssize_t, most=double, value=double, watched=bint, seen=bint,
)
cdef void _watch_tick(WatchStageColumns stage, Py_ssize_t tick, double since) noexcept
