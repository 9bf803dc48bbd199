cimport cython

from snelk.level.casting cimport cast_ray
from snelk.level.columns cimport GridColumns
from snelk.senses.columns cimport BodyColumns, HeardColumns, NoiseColumns, PoseColumns

cdef double NAN, EDGE
cdef Py_ssize_t NOBODY, HEARD, PRESENT, CARES, AWAKE, REACH

cdef double _strength_of(double distance, double limit) noexcept nogil

@cython.locals(
    pair=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, i=Py_ssize_t,
    maker=Py_ssize_t, wall=Py_ssize_t, ear_z=double, x=double, y=double, z=double, dx=double,
    dy=double, dz=double, straight=double, limit=double, to_x=double, to_y=double, share=double,
    free=double, strength=double,
)
cdef void _at_ears(
    NoiseColumns noises, const Py_ssize_t[::1] of_noise, const Py_ssize_t[::1] of_agent,
    const int[::1] characters, PoseColumns poses, BodyColumns bodies,
    const double[:, ::1] background, const double[:, ::1] acuity, const double[:, ::1] awake,
    const unsigned char[:, :, ::1] cares, GridColumns sound_grid, GridColumns plan_grid,
    Py_ssize_t[::1] scratch, HeardColumns heard,
) noexcept
