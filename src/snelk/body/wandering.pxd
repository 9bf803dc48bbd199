cimport cython

from snelk.body.columns cimport DoingColumns, MovingColumns, RoamStageColumns
from snelk.level.columns cimport GroundColumns
from snelk.body.moving cimport _run_out, _stand, _take_way, _turns_back
from snelk.body.streams cimport next_of
from snelk.level.footing cimport floor_below, height_of
from snelk.level.lengths cimport hypot
from snelk.level.walking cimport is_on, sheet_at
from snelk.level.within cimport _edge_ahead, where_in

cdef double NAN, NEVER, PI, SLACK, EXACT, INSIDE, LEFT_TO_PYTHON, BEYOND, STEP, ROUNDING, AT_EDGE
cdef Py_ssize_t NO_AREA, OUTSIDE

@cython.locals(area=Py_ssize_t, again=double, count=Py_ssize_t, turn_at=Py_ssize_t)
cdef double wander(
    MovingColumns moving, RoamStageColumns stage, Py_ssize_t state, double time, double dt,
    Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(
    area=Py_ssize_t, count=Py_ssize_t, x=double, y=double, angle=double, dx=double, dy=double,
    z=double, sheet=Py_ssize_t, most=Py_ssize_t, turn_at=Py_ssize_t, keeps=bint,
)
cdef (double, Py_ssize_t, Py_ssize_t) _plan(
    MovingColumns moving, RoamStageColumns stage, Py_ssize_t state, double time, double dt,
    Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(n=Py_ssize_t, at_x=double, at_y=double)
cdef bint _is_within(
    GroundColumns ground, Py_ssize_t area, double x, double y, double z,
) noexcept nogil

@cython.locals(
    flat=bint, far=double, normal_x=double, normal_y=double, beyond_x=double, beyond_y=double,
    other=Py_ssize_t, steep=double, on=double, rise=double,
)
cdef Py_ssize_t _straight_on(
    RoamStageColumns stage, Py_ssize_t area, Py_ssize_t sheet, double x, double y, double dx,
    double dy, Py_ssize_t count, Py_ssize_t most, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    found=Py_ssize_t, k=Py_ssize_t, low=Py_ssize_t, high=Py_ssize_t, least=double,
)
cdef (double, double, double) _edge_of(
    RoamStageColumns stage, Py_ssize_t area, Py_ssize_t sheet, double x, double y, double dx,
    double dy,
) noexcept nogil

@cython.locals(height=double, other=Py_ssize_t, joined=bint)
cdef Py_ssize_t _across(
    RoamStageColumns stage, Py_ssize_t area, Py_ssize_t sheet, double x, double y,
) noexcept nogil

@cython.locals(share=double, turn=double)
cdef double _angle(RoamStageColumns stage, Py_ssize_t v, Py_ssize_t a) noexcept nogil
