cimport cython

from snelk.mind.columns cimport CodeColumns, LadderColumns

cdef double CLOSE, SLACK
cdef Py_ssize_t BEGINS, IS_DROPPED
cdef Py_ssize_t ROW, NUMBER, AND, OR, XOR, NOT, MINUS, PLUS, LESS, TIMES, BY
cdef Py_ssize_t BELOW, AT_MOST, ABOVE, AT_LEAST, EQUAL, UNEQUAL

@cython.locals(
    found=Py_ssize_t, agents=Py_ssize_t, changes=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t,
    c=Py_ssize_t, state=Py_ssize_t, true=bint, due=bint, was=bint, now=bint, held=double,
    since=double,
)
cdef Py_ssize_t _decide(
    CodeColumns code, const double[:, :, ::1] table, double[::1] stack,
    const unsigned char[:, ::1] may, double dt, LadderColumns ladders,
    unsigned char[:, :, ::1] ready,
) noexcept

@cython.locals(found=double, top=Py_ssize_t, n=Py_ssize_t, step=Py_ssize_t)
cdef double _value(
    CodeColumns code, Py_ssize_t program, const double[:, :, ::1] table, double[::1] stack,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(found=double)
cdef double _joined(Py_ssize_t step, double left, double right) noexcept nogil
