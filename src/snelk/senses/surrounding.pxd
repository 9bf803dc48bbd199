cimport cython

from snelk.level.columns cimport ZoneColumns
from snelk.level.within cimport inside
from snelk.senses.columns cimport AroundColumns, PoseColumns, SurroundingColumns

@cython.locals(
    v=Py_ssize_t, p=Py_ssize_t, n=Py_ssize_t, j=Py_ssize_t, zone=Py_ssize_t, within=bint, dx=double, dy=double,
    dz=double, light=double, background=double,
)
cdef void _surround(
    PoseColumns poses, PoseColumns before, double dt, ZoneColumns zones, AroundColumns around,
    const int[::1] whom, SurroundingColumns surroundings,
) noexcept
