cimport cython

@cython.locals(v=Py_ssize_t, a=Py_ssize_t)
cdef void whose_turn(
    const Py_ssize_t[:, ::1] every, Py_ssize_t tick, unsigned char[:, ::1] turns,
) noexcept nogil
