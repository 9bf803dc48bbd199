cimport cython

from snelk.body.acting cimport (
    _act_on, _who_wants, ends_are_events, news_are_events, set_out_on,
)
from snelk.body.answering cimport answer_all
from snelk.body.behaving cimport _come_to, _go_on, _move_on, _perceive, _think_on
from snelk.body.moving cimport _place
from snelk.body.tending cimport _come_to_doors, _is_crowded, _mind_clues, _tend
from snelk.engine.columns cimport TickStageColumns
from snelk.engine.copying cimport copy_tick
from snelk.engine.counting cimport count_tick
from snelk.engine.following cimport judge_tick
from snelk.mind.deciding cimport _decide, leave_out
from snelk.mind.fading cimport _follow_drawn
from snelk.mind.updating cimport _mind
from snelk.mind.receiving cimport _receive, _take_in, errs
from snelk.mind.telling cimport _arrive, _pass_all_on, _say, _who_tells, is_cramped
from snelk.senses.columns cimport PoseColumns
from snelk.senses.sensing cimport _sense
from snelk.senses.smelling cimport _leave_and_smell
from snelk.senses.stepping cimport _count_strides, _make_steps, _put_in_order
from snelk.senses.turns cimport whose_turn

cdef double SLACK
cdef Py_ssize_t NOT_YET, DISAGREE, LEFT, NOTHING_HEARD, ROOM, TELLERS, WAITED
cdef Py_ssize_t ACTIVE, BEGUN, COUNT, FINISHES, HALTS, NOISES_AT, OVER, PHASE, PREPARES, TICK, WAITS
cdef Py_ssize_t ACTS, ARRIVES, ATTENDS, BEGINS, COMES_TO, ENDS, FINDS_WAYS, HEARS, IS_DONE, IS_STUCK
cdef Py_ssize_t MAKES, MINDS, MOVES, MOVES_ON, RESTS, TAKES_IN, TELLS, TELLS_NEWS, THINKS
cdef Py_ssize_t BEGIN_TO_OPEN, COMES_BY, PASSES_ON, SAYS, SMELLS, THINKS_ON, WALKS
cdef Py_ssize_t ASK, BAD, CATCH, FIND_WAYS, FINISH, GATHER, GLANCE, JUDGE, MISPLACE, NOTHING, PREPARE
cdef Py_ssize_t ROOM_FOR_EARS, ROOM_FOR_MESSAGES, ROOM_FOR_NOISES, TAKE, TELL_ENDS, TELL_NEWS
cdef Py_ssize_t ROOM_FOR_COPIES, ROOM_FOR_TRAILS, ROOM_FOR_VOICES, JUDGE_VOICES, TELL_CLUES, TELL_STUCK

@cython.locals(
    most=Py_ssize_t, left=Py_ssize_t, is_even=bint, poses=PoseColumns, before=PoseColumns,
)
cdef Py_ssize_t _advance(TickStageColumns stage, Py_ssize_t until) noexcept

@cython.locals(tick=Py_ssize_t, same=bint, poses=PoseColumns, n=Py_ssize_t)
cdef bint _count_all(TickStageColumns stage) noexcept

@cython.locals(told=bint)
cdef bint _tells(TickStageColumns stage) noexcept nogil

@cython.locals(left=Py_ssize_t, at="Py_ssize_t[::1]", phase=Py_ssize_t)
cdef Py_ssize_t _go_through(
    TickStageColumns stage, PoseColumns poses, PoseColumns before,
) noexcept nogil

@cython.locals(
    at="Py_ssize_t[::1]", tick=Py_ssize_t, whole=Py_ssize_t, came=Py_ssize_t, pairs=Py_ssize_t,
)
cdef Py_ssize_t _sense_all(
    TickStageColumns stage, Py_ssize_t phase, PoseColumns poses, PoseColumns before,
) noexcept nogil

@cython.locals(row=Py_ssize_t, same=bint)
cdef Py_ssize_t _begin(
    TickStageColumns stage, Py_ssize_t tick, PoseColumns poses, PoseColumns before,
) noexcept nogil

@cython.locals(count=Py_ssize_t, n=Py_ssize_t)
cdef Py_ssize_t _make(
    TickStageColumns stage, Py_ssize_t tick, PoseColumns poses, PoseColumns before,
) noexcept nogil

cdef void _draw(TickStageColumns stage, Py_ssize_t pairs, double now) noexcept nogil

@cython.locals(
    at="Py_ssize_t[::1]", tick=Py_ssize_t, found=Py_ssize_t, begun=bint,
)
cdef Py_ssize_t _mind_all(
    TickStageColumns stage, Py_ssize_t phase, PoseColumns poses, PoseColumns before,
) noexcept nogil

@cython.locals(
    at="Py_ssize_t[::1]", tick=Py_ssize_t, time=double,
    found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, there=bint, waits=bint,
)
cdef Py_ssize_t _think_all(
    TickStageColumns stage, Py_ssize_t phase, PoseColumns poses,
) noexcept nogil

@cython.locals(at="Py_ssize_t[::1]", left=Py_ssize_t, count=Py_ssize_t, time=double, crowded=bint)
cdef Py_ssize_t _move_all(TickStageColumns stage, Py_ssize_t phase, PoseColumns poses) noexcept nogil
