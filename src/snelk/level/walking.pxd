cimport cython

from snelk.level.casting cimport cast_ray
from snelk.level.columns cimport GridColumns, GroundColumns, JoinColumns
from snelk.level.within cimport where_in

cdef double INF, NAN, ROUNDING
cdef Py_ssize_t MOST_SEAMS, NO_WAY, NOT_KNOWN, INSIDE, FAR, LEFT, FIRST, LAST
cdef double NOT_TRIED, UNSEEN, SEEN

@cython.locals(n=Py_ssize_t)
cdef void _can_walk(
    GridColumns grid, Py_ssize_t[::1] scratch, JoinColumns joins, const double[:, ::1] start,
    const double[:, ::1] end, const int[:, ::1] sheets, double[::1] lengths,
) noexcept

@cython.locals(share=double, _wall=Py_ssize_t, _at=double)
cdef bint is_clear(
    GridColumns grid, Py_ssize_t[::1] scratch, double x, double y, double to_x, double to_y,
) noexcept nogil

@cython.locals(
    whole=double, _=Py_ssize_t, share=double, wall=Py_ssize_t, at=double, rest=double, dx=double,
    dy=double,
)
cdef double straight_way(
    GridColumns grid, Py_ssize_t[::1] scratch, JoinColumns joins, double x, double y,
    Py_ssize_t sheet, double to_x, double to_y, Py_ssize_t to_sheet,
) noexcept nogil

@cython.locals(rise=double)
cdef double _length_on(
    JoinColumns joins, Py_ssize_t sheet, double dx, double dy,
) noexcept nogil

@cython.locals(
    n=Py_ssize_t, first=Py_ssize_t, last=Py_ssize_t, count=Py_ssize_t, corner=Py_ssize_t,
    _whole=double,
)
cdef Py_ssize_t way_between(
    GroundColumns ground, GridColumns grid, Py_ssize_t[::1] scratch, double[:, ::1] room,
    double x, double y, double to_x, double to_y, double[:, ::1] way,
) noexcept nogil

@cython.locals(
    count=Py_ssize_t, first=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, _=Py_ssize_t, link=Py_ssize_t,
    least=double, by=double,
)
cdef void _find_all_ways(
    const int[::1] starts, const int[::1] others, const double[::1] far, unsigned char[::1] done,
    double[:, ::1] lengths, int[:, ::1] before,
) noexcept

@cython.locals(_first=Py_ssize_t, _last=Py_ssize_t, whole=double)
cdef double length_around(
    GroundColumns ground, GridColumns grid, Py_ssize_t[::1] scratch, double[:, ::1] room,
    double x, double y, Py_ssize_t sheet, double to_x, double to_y, Py_ssize_t to_sheet,
) noexcept nogil

cdef double _length_of_way(
    GroundColumns ground, GridColumns grid, Py_ssize_t[::1] scratch, double[:, ::1] room,
    Py_ssize_t part, double x, double y, double to_x, double to_y,
) noexcept nogil

@cython.locals(n=Py_ssize_t, whole=double)
cdef void _lengths_between(
    GroundColumns ground, GridColumns grid, Py_ssize_t[::1] scratch, double[:, ::1] room,
    const double[:, ::1] start, const double[:, ::1] end, const int[:, ::1] sheets,
    const double[::1] limit, double[::1] length,
) noexcept

@cython.locals(
    count=Py_ssize_t, first=Py_ssize_t, last=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, best=double,
    ax=double, ay=double, bx=double, by=double, whole=double, least=double, free=bint,
    far=double, left=double,
)
cdef (Py_ssize_t, Py_ssize_t, double) _best_turns(
    GroundColumns ground, GridColumns grid, Py_ssize_t[::1] scratch, double[:, ::1] room,
    double x, double y, Py_ssize_t sheet, double to_x, double to_y, Py_ssize_t to_sheet,
) noexcept nogil

@cython.locals(part=Py_ssize_t)
cdef Py_ssize_t _part_of(GroundColumns ground, double x, double y) noexcept nogil

@cython.locals(low=Py_ssize_t, high=Py_ssize_t)
cdef bint is_on(GroundColumns ground, Py_ssize_t part, double x, double y) noexcept nogil

@cython.locals(
    edge=Py_ssize_t, nearest=double, at_x=double, at_y=double, ax=double, ay=double, bx=double, by=double,
    dx=double, dy=double, square=double, share=double, px=double, py=double, away=double,
)
cdef (double, double) onto(
    GroundColumns ground, Py_ssize_t part, double x, double y,
) noexcept nogil
