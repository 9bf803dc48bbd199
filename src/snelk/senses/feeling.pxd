cimport cython

from snelk.level.casting cimport cast_ray
from snelk.level.columns cimport GridColumns, ScratchColumns
from snelk.senses.columns cimport (
    BodyColumns, ContactColumns, ContactNumberColumns, PoseColumns,
)

cdef double NAN, EDGE
cdef Py_ssize_t NO_WALL, NO_ZONE, PRESENT, CARES, AWAKE, RADIUS, WALL, INSIDE, SENSED
cdef Py_ssize_t FIRST_CONTACT, BY_TOUCH, BY_ZONE

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, agents=Py_ssize_t,
    targets=Py_ssize_t, zone=Py_ssize_t, wall=Py_ssize_t, height=double, middle=double, dx=double,
    dy=double, other_height=double, above=double, below=double, gap=double, distance=double,
    other=double, share=double, touch_awake=double, zone_awake=double,
)
cdef void _feel(
    const unsigned char[:, :, ::1] notices,
    PoseColumns poses, BodyColumns bodies, const unsigned char[:, :, ::1] within,
    ContactNumberColumns numbers, const double[:, :, ::1] awake, GridColumns grid,
    ScratchColumns scratch, ContactColumns contacts,
) noexcept nogil
