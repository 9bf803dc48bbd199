cimport cython

from snelk.level.columns cimport ZoneColumns
from snelk.level.within cimport inside
from snelk.senses.columns cimport NoiseColumns, PoseColumns

cdef Py_ssize_t NO_GROUND

@cython.locals(
    n=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, j=Py_ssize_t, gait=Py_ssize_t, nth=Py_ssize_t,
    ground=Py_ssize_t, zone=Py_ssize_t, speed=double, start=double, share=double, x=double,
    y=double, reach=double,
)
cdef void _make_steps(
    PoseColumns poses, PoseColumns before, double t, double dt, const double[:, ::1] stride,
    const double[:, :, ::1] reaches, const double[:, :, ::1] speeds, ZoneColumns zones,
    const Py_ssize_t[::1] zone_ground, const double[:, ::1] loudness, double[:, ::1] walked,
    const double[:, ::1] moved, const Py_ssize_t[:, ::1] ended, NoiseColumns steps,
) noexcept

@cython.locals(found=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, j=Py_ssize_t, far=double)
cdef Py_ssize_t _count_strides(
    const double[:, ::1] moved, const double[:, ::1] stride, double[:, ::1] walked,
    Py_ssize_t[:, ::1] ended,
) noexcept
