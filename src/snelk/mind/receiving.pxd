cimport cython

from snelk.mind.columns cimport ListenStageColumns
from snelk.mind.overhearing cimport _add_up
from snelk.senses.columns cimport NoiseColumns, PoseColumns
from snelk.senses.listening cimport _at_ears, _pair_up
from snelk.senses.stepping cimport append
from snelk.senses.turns cimport whose_turn

cdef double NAN
cdef Py_ssize_t DISAGREE, DONE_TO, JUDGED, LEFT, NOTHING_HEARD, ROOM, WAITED, HEARD

@cython.locals(
    all_of_them=Py_ssize_t, waiting=Py_ssize_t, found=Py_ssize_t, anybody=bint,
)
cdef Py_ssize_t _receive(
    ListenStageColumns stage, NoiseColumns noises, const Py_ssize_t[::1] made_at,
    Py_ssize_t count, PoseColumns poses, const double[:, ::1] background, Py_ssize_t tick,
) noexcept nogil

@cython.locals(pairs=Py_ssize_t, left=Py_ssize_t)
cdef Py_ssize_t _judge(
    ListenStageColumns stage, NoiseColumns noises, const Py_ssize_t[::1] made_at,
    Py_ssize_t count, PoseColumns poses, const double[:, ::1] background, Py_ssize_t tick,
) noexcept nogil

@cython.locals(
    first=Py_ssize_t, count=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t,
)
cdef void _forget_last_tick(ListenStageColumns stage) noexcept nogil

@cython.locals(anybody=bint, due=bint, v=Py_ssize_t, a=Py_ssize_t)
cdef bint _who_is_due(ListenStageColumns stage, Py_ssize_t tick) noexcept nogil

@cython.locals(least=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t)
cdef void _note_turns(ListenStageColumns stage, Py_ssize_t tick) noexcept nogil

cdef void _take_in(ListenStageColumns stage, NoiseColumns noises, double now) noexcept nogil

cdef void _take_in_of(ListenStageColumns stage, NoiseColumns judged, double now) noexcept nogil

@cython.locals(pair=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t)
cdef bint errs(ListenStageColumns stage) noexcept nogil
