cimport cython

from snelk.level.casting cimport cast_ray
from snelk.level.columns cimport GridColumns, ScratchColumns
from snelk.level.lengths cimport hypot
from snelk.mind.columns cimport BeliefColumns, MemoryNumberColumns, NewsColumns
from snelk.senses.columns cimport ContactColumns, PoseColumns

cdef double INF, NAN, SLACK, SHORT_OF_WALL
cdef Py_ssize_t NO_BELIEF, SENSED_NOW, GRACE, LEAD, LAST_KNOWN, HEARD, TOLD, SMELT, SENSED, IN_VIEW

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, k=Py_ssize_t, agents=Py_ssize_t,
    targets=Py_ssize_t, source=Py_ssize_t, age=double, oldest=double, now=bint, followed=bint,
    moving=bint, by_ear=bint, by_nose=bint, by_word=bint,
)
cdef void _remember(
    const unsigned char[:, :, ::1] notices,
    PoseColumns poses, PoseColumns before, double dt, const signed char[:, :, :, ::1] failed,
    ContactColumns contacts, NewsColumns heard, NewsColumns told, MemoryNumberColumns numbers, GridColumns grid, ScratchColumns scratch,
    BeliefColumns beliefs,
) noexcept nogil

cdef void _take(
    NewsColumns news, Py_ssize_t source, Py_ssize_t v, Py_ssize_t a, Py_ssize_t j,
    BeliefColumns beliefs,
) noexcept nogil

cdef void _take_scent(
    ContactColumns contacts, Py_ssize_t v, Py_ssize_t a, Py_ssize_t j, BeliefColumns beliefs,
) noexcept nogil

@cython.locals(
    since=double, led=double, part=double, dx=double, dy=double, length=double, ahead=double, x=double,
    y=double, z=double, share=double, _share=double, at=double, wall=Py_ssize_t,
)
cdef void _lead_on(
    MemoryNumberColumns numbers, double dt, GridColumns grid, ScratchColumns scratch,
    Py_ssize_t v, Py_ssize_t a, Py_ssize_t j, BeliefColumns beliefs,
) noexcept nogil
