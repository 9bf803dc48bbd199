cimport cython

from snelk.mind.columns cimport DrawnColumns, MeterNumberColumns

cdef double NAN, SLACK

@cython.locals(v=Py_ssize_t, a=Py_ssize_t, added=double, drained=double)
cdef void _fade(
    const double[:, ::1] loud, MeterNumberColumns numbers, const double[:, ::1] forget, double dt,
    DrawnColumns drawn,
) noexcept
