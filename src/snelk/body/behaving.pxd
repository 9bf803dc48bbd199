cimport cython

from snelk.body.asking cimport _ask
from snelk.body.columns cimport BodyStageColumns, MovingColumns
from snelk.body.agreeing cimport agrees
from snelk.body.moving cimport _follow, _left, _move, _nearness
from snelk.body.timing cimport _who_catches, _who_glances, _who_thinks
from snelk.mind.attending cimport _attend
from snelk.mind.columns cimport SignalColumns
from snelk.senses.columns cimport PoseColumns

cdef double SLACK, STUCK_AFTER
cdef Py_ssize_t NOT_YET, DISAGREE

@cython.locals(
    variants=Py_ssize_t, agents=Py_ssize_t, targets=Py_ssize_t, rows=Py_ssize_t, same=bint,
)
cdef bint _perceive(
    BodyStageColumns stage, PoseColumns poses, MovingColumns moving,
    const unsigned char[:, :, ::1] ignored, Py_ssize_t tick, bint counts,
) noexcept nogil

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, _close=double, arrived=bint, unreachable=bint,
)
cdef void _tell_what_came(
    BodyStageColumns stage, SignalColumns signals, MovingColumns moving,
) noexcept nogil

@cython.locals(found=Py_ssize_t)
cdef Py_ssize_t _go_on(
    BodyStageColumns stage, MovingColumns moving, Py_ssize_t tick,
) noexcept nogil

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, state=Py_ssize_t, first=Py_ssize_t, last=Py_ssize_t, left=double,
    n=Py_ssize_t, pace=double, slope=double,
)
cdef void _pace_by_distance(BodyStageColumns stage, MovingColumns moving) noexcept nogil

@cython.locals(found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, since=double, stuck=bint, newly=bint)
cdef Py_ssize_t _move_on(BodyStageColumns stage, MovingColumns moving) noexcept nogil

@cython.locals(rows=Py_ssize_t, same=bint, found=Py_ssize_t)
cdef Py_ssize_t _come_to(
    BodyStageColumns stage, PoseColumns poses, MovingColumns moving, Py_ssize_t tick, double time,
    bint waits,
) noexcept nogil

cdef Py_ssize_t _think_on(
    BodyStageColumns stage, MovingColumns moving, Py_ssize_t tick, double time,
) noexcept nogil
