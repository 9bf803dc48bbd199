cimport cython

from snelk.body.answering cimport _holds, answer_all
from snelk.body.columns cimport BodyStageColumns, MovingColumns
from snelk.engine.columns cimport (
    FollowedColumns, FollowStageColumns, JudgeStageColumns, TrialStageColumns,
)
from snelk.engine.counting cimport _is_over
from snelk.mind.deciding cimport _which_hold
from snelk.senses.columns cimport NoiseColumns, PoseColumns

cdef double INF, SLACK, REACHED
cdef Py_ssize_t IN_VIEW, IN_ZONE, LEVEL, CONDITION, NOTHING, A_NOISE, A_SIGHT, A_STATE

@cython.locals(
    so_far=FollowedColumns, v=Py_ssize_t, a=Py_ssize_t, came=bint, counts=bint, true=bint,
    least=double, most=double, since=double,
)
cdef void _follow_tick(
    FollowStageColumns stage, const Py_ssize_t[::1] last, Py_ssize_t tick, double t, bint inside,
    double within,
) noexcept

@cython.locals(
    rows=Py_ssize_t, whole=bint, n=Py_ssize_t, trial=TrialStageColumns, inside=bint,
)
cdef bint judge_tick(
    JudgeStageColumns stage, Py_ssize_t tick, double t, PoseColumns poses,
    BodyStageColumns bodies, MovingColumns moving, NoiseColumns noises, Py_ssize_t count,
) noexcept

@cython.locals(
    rows=Py_ssize_t, n=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t,
)
cdef void _say_who_was_in_zones(
    JudgeStageColumns stage, BodyStageColumns bodies, PoseColumns poses,
) noexcept

@cython.locals(
    since="double[:, ::1]", v=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t,
    k=Py_ssize_t, m=Py_ssize_t,
)
cdef void _note_begin(
    JudgeStageColumns stage, TrialStageColumns trial, Py_ssize_t tick, double t,
    NoiseColumns noises, Py_ssize_t count,
) noexcept

@cython.locals(v=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t, true=bint, value=double)
cdef void _ask_truth(JudgeStageColumns stage, TrialStageColumns trial) noexcept

@cython.locals(
    rows=Py_ssize_t, target=Py_ssize_t, v=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t, k=Py_ssize_t,
    there=bint, sensed=bint, value=double,
)
cdef void _ask_level(
    JudgeStageColumns stage, TrialStageColumns trial, PoseColumns poses,
) noexcept
