cimport cython

from snelk.senses.columns cimport PoseColumns
from snelk.tuning.columns cimport FollowedColumns, FollowStageColumns, LevelStageColumns

cdef double INF, SLACK, REACHED
cdef Py_ssize_t SENSED, IN_VIEW

@cython.locals(
    so_far=FollowedColumns, v=Py_ssize_t, a=Py_ssize_t, came=bint, counts=bint, true=bint,
    least=double, most=double, since=double,
)
cdef void _follow_tick(
    FollowStageColumns stage, const unsigned char[::1] alive, double t, bint inside,
    double within,
) noexcept

@cython.locals(
    rows=Py_ssize_t, target=Py_ssize_t, v=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t, k=Py_ssize_t,
    there=bint, sensed=bint, value=double,
)
cdef bint _ask_level(LevelStageColumns stage, PoseColumns poses) noexcept
