cimport cython

from snelk.mind.columns cimport DrawnColumns, DrawStageColumns, MeterNumberColumns
from snelk.senses.columns cimport HeardColumns, NoiseColumns

cdef double NAN, SLACK
cdef Py_ssize_t HEARD, NOBODY

@cython.locals(v=Py_ssize_t, a=Py_ssize_t, added=double, drained=double)
cdef void _fade(
    const double[:, ::1] loud, MeterNumberColumns numbers, const double[:, ::1] forget, double dt,
    DrawnColumns drawn,
) noexcept nogil

@cython.locals(pair=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, n=Py_ssize_t, age=double)
cdef void _draw(
    NoiseColumns noises, HeardColumns heard, Py_ssize_t pairs, const unsigned char[:, ::1] can,
    const double[:, ::1] error, double now, DrawnColumns drawn,
) noexcept nogil

@cython.locals(pair=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t)
cdef void _draw_loud(
    HeardColumns heard, Py_ssize_t pairs, const unsigned char[:, ::1] can, double[:, ::1] loud,
) noexcept nogil

cdef void _follow_drawn(
    DrawStageColumns stage, NoiseColumns noises, HeardColumns heard, Py_ssize_t pairs, double now,
    double dt,
) noexcept nogil
