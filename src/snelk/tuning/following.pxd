cimport cython

from snelk.tuning.columns cimport FollowedColumns

cdef double INF, SLACK

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, came=bint, counts=bint, true=bint, least=double, most=double,
    since=double,
)
cdef void _follow_tick(
    const unsigned char[:, ::1] holds, const double[:, ::1] gap, const double[:, ::1] value,
    const unsigned char[::1] alive, double t, bint in_span, double within, FollowedColumns so_far,
) noexcept
