cimport cython

from snelk.level.casting cimport cast_ray
from snelk.level.columns cimport GridColumns, GroundColumns
from snelk.level.walking cimport length_around
from snelk.senses.columns cimport BodyColumns, HeardColumns, NoiseColumns, PoseColumns

cdef double INF, NAN, EDGE
cdef Py_ssize_t NO_WALL, NOBODY, HEARD, PRESENT, CARES, AWAKE, REACH

cdef double _strength_of(double distance, double limit) noexcept nogil

@cython.locals(
    left=Py_ssize_t, pair=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, i=Py_ssize_t,
    maker=Py_ssize_t, wall=Py_ssize_t, ear_z=double, x=double, y=double, z=double, dx=double,
    dy=double, dz=double, straight=double, limit=double, to_x=double, to_y=double, share=double,
    free=double, strength=double, walked=double,
)
cdef Py_ssize_t _at_ears(
    NoiseColumns noises, const int[::1] characters, PoseColumns poses, BodyColumns bodies,
    const double[:, ::1] background, const double[:, ::1] acuity, const double[:, ::1] awake,
    const unsigned char[:, :, ::1] cares, GridColumns sound_grid, GridColumns plan_grid,
    Py_ssize_t[::1] scratch, GroundColumns ground, GridColumns ways_grid,
    Py_ssize_t[::1] ways_scratch, double[:, ::1] room, HeardColumns heard, Py_ssize_t pairs,
) noexcept

@cython.locals(n=Py_ssize_t)
cdef void _hear(
    NoiseColumns noises, double strength, Py_ssize_t pair, HeardColumns heard,
) noexcept nogil

@cython.locals(around=double, limit=double)
cdef void _walk_to_ear(
    NoiseColumns noises, double walked, Py_ssize_t pair, HeardColumns heard,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _walk_to_ears(
    NoiseColumns noises, const Py_ssize_t[::1] pairs, const double[::1] walked,
    HeardColumns heard,
) noexcept

@cython.locals(pair=Py_ssize_t, n=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, listens=bint)
cdef Py_ssize_t _pair_up(
    NoiseColumns noises, Py_ssize_t count, const Py_ssize_t[::1] made_at, Py_ssize_t tick,
    const int[::1] characters, const unsigned char[:, ::1] always,
    const unsigned char[:, ::1] due, const Py_ssize_t[:, ::1] last, HeardColumns heard,
) noexcept

cdef void _begin_pair(
    NoiseColumns noises, Py_ssize_t n, Py_ssize_t a, Py_ssize_t pair, HeardColumns heard,
) noexcept nogil

@cython.locals(pair=Py_ssize_t)
cdef void _begin_pairs(
    NoiseColumns noises, const Py_ssize_t[::1] rows, const Py_ssize_t[::1] agents,
    HeardColumns heard,
) noexcept
