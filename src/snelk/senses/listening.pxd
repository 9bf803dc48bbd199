cimport cython

from snelk.level.casting cimport cast_ray, share_past
from snelk.level.columns cimport GroundStageColumns
from snelk.level.footing cimport floor_below, height_of
from snelk.level.lengths cimport hypot
from snelk.level.walking cimport length_around, straight_way
from snelk.senses.columns cimport EarStageColumns, HeardColumns, NoiseColumns, PoseColumns

cdef double INF, NAN, EDGE, LIFT, STEP, UNDERFOOT
cdef Py_ssize_t NO_WALL, NOBODY, HEARD, PRESENT, CARES, AWAKE, REACH, ALL_ALIKE, APART

cdef double _strength_of(double distance, double limit) noexcept nogil

cdef Py_ssize_t _at_ears_freely(
    EarStageColumns stage, NoiseColumns noises, PoseColumns poses,
    const double[:, ::1] background, GroundStageColumns walk, HeardColumns heard,
    Py_ssize_t pairs,
) noexcept

@cython.locals(
    rows=Py_ssize_t, left=Py_ssize_t, same=bint, pair=Py_ssize_t, n=Py_ssize_t, a=Py_ssize_t,
    v=Py_ssize_t, p=Py_ssize_t, i=Py_ssize_t, maker=Py_ssize_t, ear_z=double, x=double, y=double,
    z=double, dx=double, dy=double, dz=double, straight=double, limit=double, to_x=double,
    to_y=double, which=Py_ssize_t,
)
cdef Py_ssize_t _at_ears(
    EarStageColumns stage, NoiseColumns noises, PoseColumns poses,
    const double[:, ::1] background, GroundStageColumns walk, HeardColumns heard,
    Py_ssize_t pairs,
) noexcept nogil

@cython.locals(
    straight=double, limit=double, share=double, wall=Py_ssize_t, free=double, strength=double,
    walked=double, sheet=Py_ssize_t, to_sheet=Py_ssize_t, feet=double, above=double, around=double,
    ground=double,
)
cdef bint _by_both_ways(
    EarStageColumns stage, NoiseColumns noises, GroundStageColumns walk, double x, double y,
    double z, double to_x, double to_y, double ear_z, Py_ssize_t pair, HeardColumns heard,
) noexcept nogil

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
) noexcept nogil

@cython.locals(
    variants=Py_ssize_t, agents=Py_ssize_t, same=bint, pair=Py_ssize_t, n=Py_ssize_t,
    v=Py_ssize_t, a=Py_ssize_t, listens=bint,
)
cdef Py_ssize_t _pair_up(
    EarStageColumns stage, NoiseColumns noises, Py_ssize_t count, const Py_ssize_t[::1] made_at,
    Py_ssize_t tick, const unsigned char[:, ::1] always, const unsigned char[:, ::1] due,
    const Py_ssize_t[:, ::1] last, HeardColumns heard,
) noexcept nogil

cdef void _begin_pair(
    NoiseColumns noises, Py_ssize_t n, Py_ssize_t a, Py_ssize_t pair, HeardColumns heard,
) noexcept nogil

