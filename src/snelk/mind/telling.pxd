cimport cython

from snelk.mind.columns cimport BeliefColumns

cdef Py_ssize_t HEARD, SENSED_NOW

@cython.locals(
    found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, source=Py_ssize_t, own=bint,
    now=bint,
)
cdef Py_ssize_t _who_tells(
    BeliefColumns beliefs, const unsigned char[:, ::1] tells, const Py_ssize_t[:, ::1] every,
    Py_ssize_t tick, double dt, Py_ssize_t[:, :, ::1] next_time, unsigned char[:, :, ::1] due,
) noexcept
