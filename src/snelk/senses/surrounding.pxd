cimport cython

from snelk.level.columns cimport ZoneColumns
from snelk.level.within cimport inside
from snelk.senses.columns cimport AroundColumns, PoseColumns, SurroundingColumns

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, n=Py_ssize_t, j=Py_ssize_t, zone=Py_ssize_t, within=bint, dx=double, dy=double,
    dz=double, background=double, says=bint,
)
cdef void _surround(
    PoseColumns poses, PoseColumns before, double dt, ZoneColumns zones, AroundColumns around,
    const int[::1] whom, SurroundingColumns surroundings,
) noexcept nogil

@cython.locals(zone=Py_ssize_t, light=double)
cdef double light_at(
    AroundColumns around, ZoneColumns zones, Py_ssize_t v, double x, double y, double z,
) noexcept nogil
