cimport cython

from snelk.body.columns cimport DoingColumns, MovingColumns, RoamStageColumns
from snelk.body.moving cimport _run_out, _stand, _take_way, _turns_back
from snelk.body.streams cimport next_of
from snelk.level.walking cimport is_on
from snelk.level.within cimport _edge_ahead

cdef double NAN, NEVER, PI, SLACK, EXACT, INSIDE, LEFT_TO_PYTHON
cdef Py_ssize_t NO_AREA

@cython.locals(area=Py_ssize_t, again=double, count=Py_ssize_t)
cdef double wander(
    MovingColumns moving, RoamStageColumns stage, Py_ssize_t state, double time, double dt,
    Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(
    area=Py_ssize_t, count=Py_ssize_t, x=double, y=double, angle=double, dx=double, dy=double,
    far=double, normal_x=double, normal_y=double,
)
cdef (double, Py_ssize_t) _plan(
    MovingColumns moving, RoamStageColumns stage, Py_ssize_t state, double time, double dt,
    Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(share=double, turn=double)
cdef double _angle(RoamStageColumns stage, Py_ssize_t v, Py_ssize_t a) noexcept nogil
