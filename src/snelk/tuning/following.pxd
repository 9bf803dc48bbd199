cimport cython

from snelk.senses.columns cimport PoseColumns
from snelk.tuning.columns cimport (
    FollowedColumns, FollowStageColumns, JudgeStageColumns, TrialStageColumns,
)

cdef double INF, SLACK, REACHED
cdef Py_ssize_t IN_VIEW, LEVEL, CONDITION

@cython.locals(
    so_far=FollowedColumns, v=Py_ssize_t, a=Py_ssize_t, came=bint, counts=bint, true=bint,
    least=double, most=double, since=double,
)
cdef void _follow_tick(
    FollowStageColumns stage, const unsigned char[::1] alive, double t, bint inside,
    double within,
) noexcept

@cython.locals(
    rows=Py_ssize_t, whole=bint, n=Py_ssize_t, trial=TrialStageColumns, inside=bint,
)
cdef bint _follow_all(
    JudgeStageColumns stage, PoseColumns poses, const unsigned char[::1] alive, double t,
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
