cimport cython

from snelk.body.columns cimport BodyStageColumns, MovingColumns, UpkeepColumns
from snelk.body.looking cimport look_at_all
from snelk.body.moving cimport _left
from snelk.level.lengths cimport hypot
from snelk.level.within cimport inside
from snelk.mind.columns cimport TellStageColumns
from snelk.senses.columns cimport PoseColumns

cdef double ABOVE, DOORSTEP, NAN, SLACK
cdef Py_ssize_t GRACE, IN_ORDER, NEVER, NO_BELIEF, NO_CLUE, OF_A_DOOR, OF_A_LIGHT, PRONE, SEEN_TO
cdef Py_ssize_t SENSED_NOW, SMELT, STILL

@cython.locals(needs=bint)
cdef bint _tend(
    UpkeepColumns upkeep, BodyStageColumns stage, PoseColumns poses, PoseColumns before,
    double time,
) noexcept nogil

@cython.locals(v=Py_ssize_t, p=Py_ssize_t, j=Py_ssize_t, x=double, y=double, beside=bint)
cdef bint _outgrow(UpkeepColumns upkeep, PoseColumns poses) noexcept nogil

@cython.locals(
    found=bint, places=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, i=Py_ssize_t,
    looks=bint, j=Py_ssize_t, whom=Py_ssize_t, tall=Py_ssize_t, source=Py_ssize_t, unseen=bint, since=double,
    seen=bint,
)
cdef bint _see_empty(
    UpkeepColumns upkeep, BodyStageColumns stage, PoseColumns poses,
) noexcept nogil

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, zone=Py_ssize_t, j=Py_ssize_t, x=double, y=double,
    z=double,
)
cdef void _ignore(UpkeepColumns upkeep, BodyStageColumns stage, PoseColumns poses) noexcept nogil

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, any_shut=bint, d=Py_ssize_t, wall=Py_ssize_t, j=Py_ssize_t,
    moves=bint, dx=double, dy=double, reach=double,
)
cdef bint _concern_doors(
    UpkeepColumns upkeep, PoseColumns poses, PoseColumns before, double time,
) noexcept nogil

@cython.locals(v=Py_ssize_t, a=Py_ssize_t)
cdef bint _come_to_doors(
    UpkeepColumns upkeep, BodyStageColumns stage, MovingColumns moving,
) noexcept nogil

@cython.locals(reach=double, halt=Py_ssize_t, link=Py_ssize_t, n=Py_ssize_t)
cdef bint _comes_to(
    UpkeepColumns upkeep, MovingColumns moving, Py_ssize_t v, Py_ssize_t a, Py_ssize_t i,
    double dt,
) noexcept nogil

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, b=Py_ssize_t, dx=double, dy=double, near=bint,
)
cdef bint _is_crowded(UpkeepColumns upkeep, MovingColumns moving) noexcept nogil

@cython.locals(d=Py_ssize_t, beside=bint)
cdef bint _is_near(
    UpkeepColumns upkeep, Py_ssize_t v, double x, double y, double reach,
) noexcept nogil

@cython.locals(
    found=bint, v=Py_ssize_t, j=Py_ssize_t, a=Py_ssize_t, is_so=bint, appears=double,
)
cdef bint _mind_clues(
    UpkeepColumns upkeep, BodyStageColumns stage, TellStageColumns tells, PoseColumns poses,
    double time, double dt,
) noexcept nogil

@cython.locals(
    rank=double, p=Py_ssize_t, i=Py_ssize_t, senses=bint, low=double, bottom=double, high=double,
    top=double, gap=double, away=double, near=bint,
)
cdef bint _sees_to(
    UpkeepColumns upkeep, BodyStageColumns stage, PoseColumns poses, Py_ssize_t v, Py_ssize_t a,
    Py_ssize_t j,
) noexcept nogil

@cython.locals(
    kind=Py_ssize_t, of=Py_ssize_t, p=Py_ssize_t, x=double, y=double, z=double, there=bint,
    away=double, lies=bint,
)
cdef bint _is_so(
    UpkeepColumns upkeep, PoseColumns poses, Py_ssize_t v, Py_ssize_t j,
) noexcept nogil
