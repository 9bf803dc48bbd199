cimport cython

from snelk.level.lengths cimport hypot
from snelk.mind.columns cimport BeliefColumns, SignalColumns
from snelk.engine.columns cimport CountStageColumns, PairColumns, TallyColumns
from snelk.senses.columns cimport ContactColumns, HeardColumns, PoseColumns

cdef double NAN, SLACK, REACHED
cdef Py_ssize_t NO_BELIEF, SENSED, IN_VIEW, HEARD, NOBODY

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, k=Py_ssize_t,
    there=bint, seen=bint, felt=bint, smelt=bint, sensed=bint, noticed=bint, full=bint, value=double,
    unseen=double, dx=double, error=double,
)
cdef void _count_pairs(
    PairColumns pairs, const Py_ssize_t[::1] last, Py_ssize_t tick, double t, double undone,
    PoseColumns poses, const signed char[:, :, :, ::1] failed, ContactColumns contacts,
    const double[:, :, ::1] loudness,
    const double[:, :, ::1] meter, BeliefColumns beliefs, TallyColumns tally,
) noexcept

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, state=Py_ssize_t, x=double, y=double,
    highest=double,
)
cdef void _count_agents(
    const Py_ssize_t[::1] last, Py_ssize_t tick, double t, PoseColumns poses,
    const int[::1] characters,
    SignalColumns signals, const double[:, :, ::1] rank, const unsigned char[:, ::1] used,
    TallyColumns tally,
) noexcept

@cython.locals(pair=Py_ssize_t, v=Py_ssize_t)
cdef void _count_heard(
    const Py_ssize_t[::1] last, Py_ssize_t tick, HeardColumns heard, Py_ssize_t pairs,
    double[:, :, ::1] found,
) noexcept

cdef bint _is_over(const Py_ssize_t[::1] last, Py_ssize_t v, Py_ssize_t tick) noexcept nogil

@cython.locals(rows=Py_ssize_t, same=bint)
cdef bint count_tick(
    CountStageColumns stage, Py_ssize_t tick, double t, PoseColumns poses, HeardColumns heard,
    Py_ssize_t pairs,
) noexcept
