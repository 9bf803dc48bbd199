cimport cython

from snelk.mind.columns cimport (
    CodeColumns, FactColumns, LadderColumns, LadderStageColumns, SignalColumns,
)
from snelk.senses.columns cimport PoseColumns

cdef double CLOSE, SLACK
cdef Py_ssize_t BEGINS, IS_DROPPED
cdef Py_ssize_t SIGNAL, OWN, TARGET, ROW, COMES_TRUE, NUMBER, AND, OR, XOR, NOT, MINUS, PLUS, LESS, TIMES, BY
cdef Py_ssize_t SEEN, HEARD, FELT, TOLD, ANY_SEEN, ANY_HEARD, ANY_FELT, ANY_TOLD, METER, KNOWS
cdef Py_ssize_t DISTANCE, LOST_FOR, SEEN_FOR, STATE_FOR, SEARCH_DONE, ARRIVED, UNREACHABLE, DONE
cdef Py_ssize_t FAILED, STUCK, FACES_FOCUS, CAUGHT, WAS_CAUGHT, SEEN_TO, OBSERVED, ASLEEP
cdef Py_ssize_t INSIDE_TERRITORY, TARGET_INSIDE_TERRITORY, EXPOSURE, FROM_HOME, TOLD_RANK, RANK
cdef Py_ssize_t BEARING, OWN_SPEED, OWN_HEIGHT, OWN_LIGHT, TARGET_SPEED, TARGET_HEIGHT
cdef Py_ssize_t TARGET_LIGHT, SMELT, ANY_SMELT, SCENT_AGE
cdef Py_ssize_t BELOW, AT_MOST, ABOVE, AT_LEAST, EQUAL, UNEQUAL

@cython.locals(rows=Py_ssize_t, agents=Py_ssize_t)
cdef Py_ssize_t _decide(
    LadderStageColumns stage, SignalColumns signals, Py_ssize_t tick, double dt,
) noexcept nogil

@cython.locals(
    found=Py_ssize_t, pairs=Py_ssize_t, before=Py_ssize_t, agents=Py_ssize_t, transitions=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t,
    c=Py_ssize_t, state=Py_ssize_t, program=Py_ssize_t, may=bint, true=bint, due=bint, was=bint, now=bint, held=double,
    since=double,
)
cdef Py_ssize_t _decide_all(
    LadderStageColumns stage, LadderColumns ladders, unsigned char[:, :, ::1] ready,
    SignalColumns signals, Py_ssize_t tick, double dt,
) noexcept nogil

@cython.locals(found=double, top=Py_ssize_t, n=Py_ssize_t, step=Py_ssize_t, which=Py_ssize_t, who=Py_ssize_t)
cdef double _value(
    CodeColumns code, Py_ssize_t program, SignalColumns signals, FactColumns facts,
    const double[:, :, ::1] table,
    double[::1] stack, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t)
cdef void leave_out(
    LadderColumns ladders, PoseColumns poses, const int[::1] characters,
) noexcept nogil

@cython.locals(busy=bint)
cdef bint is_busy(
    LadderColumns ladders, Py_ssize_t tick, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(over=bint)
cdef bint _may_leave(
    SignalColumns signals, LadderColumns ladders, Py_ssize_t tick, Py_ssize_t v, Py_ssize_t a,
    Py_ssize_t state,
) noexcept nogil

@cython.locals(found=double)
cdef double _signal(
    SignalColumns signals, Py_ssize_t which, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(found=double)
cdef double _joined(Py_ssize_t step, double left, double right) noexcept nogil

@cython.locals(program=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, value=double)
cdef void _which_hold(
    CodeColumns code, SignalColumns signals, FactColumns facts, const double[:, :, ::1] table,
    double[::1] stack, const unsigned char[:, ::1] asked, unsigned char[:, :, ::1] found,
) noexcept
