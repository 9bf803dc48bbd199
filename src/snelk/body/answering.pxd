cimport cython

from snelk.body.agreeing cimport agrees
from snelk.body.columns cimport BodyStageColumns, NamedColumns, MovingColumns
from snelk.level.columns cimport ZoneColumns
from snelk.level.within cimport inside

cdef Py_ssize_t FELT_BY, IN_ZONE, OBSERVED_BY, IS_ON, SEEN_BY, TARGET_IN_ZONE, TOUCH, DISAGREE, SENSED, IN_VIEW

@cython.locals(same=bint, n=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t)
cdef Py_ssize_t answer_all(
    NamedColumns named, BodyStageColumns stage, MovingColumns moving, double[:, :, ::1] values,
) noexcept nogil

@cython.locals(
    kind=Py_ssize_t, which=Py_ssize_t, j=Py_ssize_t, watcher=Py_ssize_t, x=double, y=double,
    found=bint, mine=bint, seen=bint, felt=bint,
)
cdef bint _is_true(
    NamedColumns named, BodyStageColumns stage, MovingColumns moving, Py_ssize_t n,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

cdef bint _holds(ZoneColumns zones, Py_ssize_t zone, double x, double y, double z) noexcept nogil
