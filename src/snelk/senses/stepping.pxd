cimport cython

from snelk.level.within cimport inside
from snelk.senses.columns cimport NoiseColumns, PoseColumns, StepStageColumns

cdef Py_ssize_t NO_GROUND
cdef double EDGE

@cython.locals(
    moved="const double[:, ::1]", found=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, j=Py_ssize_t,
    far=double,
)
cdef Py_ssize_t _count_strides(StepStageColumns stage) noexcept nogil

@cython.locals(
    rows=Py_ssize_t, characters=Py_ssize_t, same=bint, slow=bint, fast=bint, says=bint,
    n=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, j=Py_ssize_t, gait=Py_ssize_t, nth=Py_ssize_t,
    ground=Py_ssize_t, zone=Py_ssize_t, speed=double, begun=double, share=double, x=double,
    y=double, z=double, reach=double,
)
cdef Py_ssize_t _make_steps(
    StepStageColumns stage, PoseColumns poses, PoseColumns before, double t, Py_ssize_t start,
    NoiseColumns steps,
) noexcept nogil

@cython.locals(n=Py_ssize_t, m=Py_ssize_t, v=Py_ssize_t, at=Py_ssize_t, t=double)
cdef void _put_in_order(
    NoiseColumns made, Py_ssize_t count, Py_ssize_t[::1] order, Py_ssize_t[::1] numbered,
    NoiseColumns noises,
) noexcept nogil

cdef bint _comes_after(NoiseColumns made, Py_ssize_t n, Py_ssize_t v, double t) noexcept nogil

cdef void _copy(
    NoiseColumns made, Py_ssize_t m, NoiseColumns noises, Py_ssize_t n,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void append(
    NoiseColumns noises, Py_ssize_t[::1] made_at, Py_ssize_t end, NoiseColumns more,
    const Py_ssize_t[::1] more_at, Py_ssize_t count, Py_ssize_t start,
) noexcept nogil
