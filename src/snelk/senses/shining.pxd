cimport cython

from snelk.level.casting cimport share_past
from snelk.level.columns cimport GridColumns, ScratchColumns
from snelk.senses.columns cimport BodyColumns, LightColumns, PoseColumns

cdef double NAN

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, n=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, characters=Py_ssize_t, x=double,
    y=double, z=double, total=double, lamp_z=double, dx=double, dy=double, dz=double,
    distance=double, share=double, own=double,
)
cdef void _shine(
    PoseColumns poses, BodyColumns bodies, LightColumns numbers, const double[:, ::1] ground,
    const int[::1] whom, GridColumns grid, ScratchColumns scratch, double[:, ::1] light,
) noexcept nogil

cdef double lamp_light(
    LightColumns numbers, Py_ssize_t v, Py_ssize_t i, double distance,
) noexcept nogil
