cimport cython

from snelk.level.lengths cimport hypot
from snelk.mind.columns cimport AttendedColumns, BeliefColumns, FocusNumberColumns
from snelk.senses.columns cimport ContactColumns, PoseColumns

cdef double INF, NAN, REACHED, FARTHEST
cdef Py_ssize_t HEARD, NO_BELIEF, SENSED_NOW, SMELT, TOLD, NOBODY, PLACE, SENSED, IN_VIEW
cdef Py_ssize_t BY_NEAREST, BY_FIRST, BY_ATTRIBUTE

@cython.locals(
    agents=Py_ssize_t, targets=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t,
    k=Py_ssize_t, source=Py_ssize_t, there=bint, seen=bint, felt=bint, smelt=bint, sensed=bint,
    on_end=bint,
)
cdef void _attend(
    PoseColumns poses, const signed char[:, :, :, ::1] failed,
    ContactColumns contacts, const double[:, :, ::1] loudness,
    const double[:, :, ::1] meter, BeliefColumns beliefs,
    const unsigned char[:, :, ::1] ignored, const double[:, ::1] place_x,
    const double[:, ::1] place_y, const double[:, ::1] place_z,
    const double[:, ::1] place_meter,
    const unsigned char[:, ::1] place_heard, FocusNumberColumns numbers, double dt,
    Py_ssize_t tick, AttendedColumns now,
) noexcept nogil

@cython.locals(
    last=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, chosen=Py_ssize_t, name=Py_ssize_t,
    first_name=Py_ssize_t, focus=Py_ssize_t, held_at=Py_ssize_t, most=double, x=double, y=double,
    z=double, full=double, away=double, value=double, nearest=double, held=double, anybody=bint,
    sensed=bint, candidate=bint, other=bint,
)
cdef void _choose(
    PoseColumns poses, Py_ssize_t p, const double[:, :, ::1] meter, BeliefColumns beliefs,
    const unsigned char[:, :, ::1] ignored, double place_x, double place_y, double place_z,
    double place_meter,
    bint place_heard, FocusNumberColumns numbers, Py_ssize_t tick, AttendedColumns now,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil
