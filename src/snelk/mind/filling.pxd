cimport cython

from snelk.mind.columns cimport MeterColumns, MeterNumberColumns
from snelk.senses.columns cimport ContactColumns, SightColumns

cdef double INF, NAN
cdef Py_ssize_t AT_ONCE, DRAINING, EMPTY, FILLING, HEARD, HOLDING
cdef Py_ssize_t SIGHT, HEARING, FIRST_CONTACT, NO_SENSE, NO_CONE, IN_VIEW

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, k=Py_ssize_t, c=Py_ssize_t,
    agents=Py_ssize_t, targets=Py_ssize_t, factors=Py_ssize_t, factor=Py_ssize_t, best=Py_ssize_t,
    sense=Py_ssize_t, rate=double, best_near=double, best_aside=double, share=double, near=double,
    aside=double, cone_rate=double, x=double, noise=double, filled=double,
    at_once=Py_ssize_t, contact=Py_ssize_t,
)
cdef void _fill(
    const unsigned char[:, :, ::1] notices,
    const signed char[:, ::1] posture, const double[:, ::1] speed, const int[:, ::1] cones,
    const double[:, :, ::1] ranges, const double[:, :, ::1] half_fov, SightColumns sight,
    ContactColumns contacts, const double[:, :, ::1] loudness, MeterNumberColumns numbers,
    double dt, MeterColumns meters,
) noexcept nogil

@cython.locals(
    points=Py_ssize_t, n=Py_ssize_t, left=double, right=double, low=double, high=double,
    factor=double,
)
cdef double _curve(
    MeterNumberColumns numbers, Py_ssize_t v, Py_ssize_t a, Py_ssize_t c, double x,
) noexcept nogil

@cython.locals(filled=double, draining=double, left=double)
cdef void _change_value(
    MeterNumberColumns numbers, bint sensed, bint at_once, Py_ssize_t v, Py_ssize_t a,
    Py_ssize_t j, double rate, double dt, MeterColumns meters,
) noexcept nogil
