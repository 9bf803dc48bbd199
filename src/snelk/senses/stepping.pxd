cimport cython

from snelk.level.columns cimport ZoneColumns
from snelk.level.within cimport inside
from snelk.senses.columns cimport NoiseColumns, PoseColumns

cdef Py_ssize_t NO_GROUND

@cython.locals(
    n=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, j=Py_ssize_t, gait=Py_ssize_t, nth=Py_ssize_t,
    ground=Py_ssize_t, zone=Py_ssize_t, speed=double, begun=double, share=double, x=double,
    y=double, reach=double,
)
cdef Py_ssize_t _make_steps(
    PoseColumns poses, PoseColumns before, double t, double dt, const double[:, ::1] stride,
    const double[:, :, ::1] reaches, const double[:, :, ::1] speeds, ZoneColumns zones,
    const Py_ssize_t[::1] zone_ground, const double[:, ::1] loudness, double[:, ::1] walked,
    const double[:, ::1] moved, const Py_ssize_t[:, ::1] ended, Py_ssize_t start,
    NoiseColumns steps,
) noexcept

@cython.locals(found=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, j=Py_ssize_t, far=double)
cdef Py_ssize_t _count_strides(
    const double[:, ::1] moved, const double[:, ::1] stride, double[:, ::1] walked,
    Py_ssize_t[:, ::1] ended,
) noexcept

@cython.locals(n=Py_ssize_t, m=Py_ssize_t, v=Py_ssize_t, at=Py_ssize_t, t=double)
cdef void _put_in_order(
    NoiseColumns made, Py_ssize_t count, Py_ssize_t[::1] order, Py_ssize_t[::1] numbered,
    NoiseColumns noises,
) noexcept

cdef bint _comes_after(NoiseColumns made, Py_ssize_t n, Py_ssize_t v, double t) noexcept nogil
