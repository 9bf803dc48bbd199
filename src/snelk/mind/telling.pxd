cimport cython

from snelk.level.columns cimport GroundStageColumns
from snelk.mind.columns cimport MessageColumns, TellStageColumns
from snelk.senses.columns cimport EarStageColumns, HeardColumns, NoiseColumns, PoseColumns
from snelk.senses.listening cimport _at_ears, _begin_pair

cdef double NAN
cdef Py_ssize_t NO_BELIEF, SENSED_NOW, SENSED, TOLD, NO_WALL, NOBODY, EAR_AWAKE, EAR_REACH
cdef Py_ssize_t DISAGREE, MOST_MESSAGES, SAID_AT, TELLERS, TOLD_IT, PRESENT, MEMORY, CARES, EARS, AWAKE, REACH

@cython.locals(
    found=Py_ssize_t, before=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, b=Py_ssize_t,
    source=Py_ssize_t, own=bint, moment=double, p=Py_ssize_t, tells=bint,
)
cdef Py_ssize_t _who_tells(
    TellStageColumns stage, PoseColumns poses, Py_ssize_t tick,
) noexcept nogil

@cython.locals(
    tellers=Py_ssize_t, n=Py_ssize_t, pair=Py_ssize_t, rows=Py_ssize_t, agents=Py_ssize_t,
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, b=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, tells=bint,
)
cdef (Py_ssize_t, Py_ssize_t, Py_ssize_t) _raise_voices(
    TellStageColumns stage, PoseColumns poses, NoiseColumns voices, HeardColumns heard,
) noexcept nogil

@cython.locals(tellers=Py_ssize_t, agents=Py_ssize_t, cramped=bint)
cdef bint is_cramped(
    TellStageColumns stage, NoiseColumns voices, HeardColumns heard, MessageColumns messages,
    Py_ssize_t held,
) noexcept nogil

@cython.locals(tellers=Py_ssize_t, raised=Py_ssize_t, pairs=Py_ssize_t, left=Py_ssize_t)
cdef Py_ssize_t _say(
    TellStageColumns stage, PoseColumns poses, const double[:, ::1] background,
    EarStageColumns ears, GroundStageColumns walk, NoiseColumns voices,
    Py_ssize_t[::1] voices_held, HeardColumns heard, Py_ssize_t[::1] heard_held,
) noexcept nogil

@cython.locals(
    pair=Py_ssize_t, n=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, b=Py_ssize_t, voiced=bint,
)
cdef void _pass_all_on(
    TellStageColumns stage, PoseColumns poses, HeardColumns heard, const short[:, ::1] state,
    const double[:, :, ::1] rank, MessageColumns messages, Py_ssize_t[::1] held,
) noexcept nogil

@cython.locals(
    voiced=bint, p=Py_ssize_t, b=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, at_ear=Py_ssize_t,
    failed=Py_ssize_t,
)
cdef Py_ssize_t _pass_on(
    TellStageColumns stage, PoseColumns poses, Py_ssize_t row, Py_ssize_t v, Py_ssize_t a,
    const unsigned char[::1] listeners, const unsigned char[::1] targets, HeardColumns heard,
    Py_ssize_t pair, Py_ssize_t later, Py_ssize_t tick, double rank, double x, double y, double z,
    MessageColumns messages, Py_ssize_t count,
) noexcept nogil

@cython.locals(age=double, blur=double)
cdef void _send(
    TellStageColumns stage, Py_ssize_t v, Py_ssize_t a, Py_ssize_t b, Py_ssize_t j,
    Py_ssize_t later, Py_ssize_t tick, double rank, double x, double y, double z,
    MessageColumns messages,
    Py_ssize_t n,
) noexcept nogil

@cython.locals(
    found=Py_ssize_t, left=Py_ssize_t, n=Py_ssize_t, v=Py_ssize_t, b=Py_ssize_t, j=Py_ssize_t,
)
cdef void _arrive(
    TellStageColumns stage, Py_ssize_t tick, MessageColumns messages, Py_ssize_t[::1] held,
    MessageColumns came, Py_ssize_t[::1] came_held,
) noexcept nogil

cdef void _copy(MessageColumns messages, Py_ssize_t n, MessageColumns to, Py_ssize_t m) noexcept nogil

@cython.locals(n=Py_ssize_t, v=Py_ssize_t, b=Py_ssize_t, j=Py_ssize_t)
cdef void _forget_what_came(
    TellStageColumns stage, MessageColumns came, Py_ssize_t count,
) noexcept nogil
