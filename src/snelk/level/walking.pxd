cimport cython

from snelk.level.casting cimport share_past
from snelk.level.columns cimport GridColumns, GroundColumns, JoinColumns, ScratchColumns
from snelk.level.footing cimport floor_below, height_of
from snelk.level.lengths cimport hypot
from snelk.level.within cimport where_in

cdef double INF, NAN, ROUNDING, RIM, STEP, ASKEW, GRAZE, SNAP, SAME, TINY_STEP
cdef Py_ssize_t MOST_SEAMS, MOST_BESIDE, NO_WAY, NOT_KNOWN, INSIDE, FAR, LEFT, FIRST, LAST, LEAST
cdef double NOT_TRIED, UNSEEN, SEEN

@cython.locals(n=Py_ssize_t)
cdef void _can_walk(
    GridColumns grid, ScratchColumns scratch, JoinColumns joins, const double[:, ::1] start,
    const double[:, ::1] end, const int[:, ::1] sheets, double[::1] lengths,
) noexcept

@cython.locals(whole=double, end=Py_ssize_t)
cdef double straight_way(
    GridColumns grid, ScratchColumns scratch, JoinColumns joins, double x, double y,
    Py_ssize_t sheet, double to_x, double to_y, Py_ssize_t to_sheet,
) noexcept nogil

@cython.locals(
    whole=double, here=double, there=double, turn=double, begin=double, length=double, slack=double, low=double, high=double,
    after=Py_ssize_t, _=Py_ssize_t, share=double, dx=double,
    dy=double,
)
cdef (double, Py_ssize_t) straight_on(
    GridColumns grid, ScratchColumns scratch, JoinColumns joins, double x, double y,
    Py_ssize_t sheet, double to_x, double to_y,
) noexcept nogil

@cython.locals(
    best=double, leads=Py_ssize_t, n=Py_ssize_t, ax=double, ay=double, bx=double, by=double,
    side_a=double, side_b=double, at=double, round_=double, best_turn=double, near=double,
)
cdef (double, double, Py_ssize_t) _next_seam(
    JoinColumns joins, Py_ssize_t sheet, double x, double y, double dx, double dy, double here,
    double turn, double begin, double last,
) noexcept nogil

@cython.locals(
    side=Py_ssize_t, found=Py_ssize_t, came=Py_ssize_t, step=Py_ssize_t, after=Py_ssize_t,
)
cdef Py_ssize_t _ahead(
    JoinColumns joins, Py_ssize_t sheet, double x, double y, double dx, double dy,
) noexcept nogil

@cython.locals(
    side=Py_ssize_t, found=Py_ssize_t, came=Py_ssize_t, step=Py_ssize_t, after=Py_ssize_t,
)
cdef bint _meets(
    JoinColumns joins, Py_ssize_t sheet, Py_ssize_t other, double x, double y,
) noexcept nogil

@cython.locals(ax=double, ay=double, ex=double, ey=double, along=double)
cdef bint _touches(JoinColumns joins, Py_ssize_t seam, double x, double y) noexcept nogil

@cython.locals(n=Py_ssize_t, after=Py_ssize_t)
cdef Py_ssize_t _round(
    JoinColumns joins, Py_ssize_t sheet, Py_ssize_t came, Py_ssize_t leave, double x, double y,
) noexcept nogil

@cython.locals(
    share=double, touches=Py_ssize_t, inside=Py_ssize_t, before=Py_ssize_t, after=Py_ssize_t,
    n=Py_ssize_t, ax=double, ay=double, bx=double, by=double, ex=double, ey=double, from_a=double,
    from_b=double, off_x=double, off_y=double, left=double,
)
cdef bint _holds(
    JoinColumns joins, Py_ssize_t sheet, double x, double y, double dx, double dy,
) noexcept nogil

@cython.locals(ex=double, ey=double, fx=double, fy=double, turn=double)
cdef bint _turns_right(JoinColumns joins, Py_ssize_t before, Py_ssize_t after) noexcept nogil

@cython.locals(rise=double)
cdef double _length_on(
    JoinColumns joins, Py_ssize_t sheet, double dx, double dy,
) noexcept nogil

@cython.locals(
    plan=double, space=double, _=Py_ssize_t, share=double, here=double, there=double, turn=double, begin=double,
    length=double, slack=double, dx=double, dy=double, after=Py_ssize_t, lost=bint,
)
cdef (Py_ssize_t, Py_ssize_t) _write_stretch(
    JoinColumns joins, double x, double y,
    Py_ssize_t sheet, double to_x, double to_y, double[:, ::1] way, Py_ssize_t count,
    Py_ssize_t spare,
) noexcept nogil

@cython.locals(to_x=double, to_y=double, n=Py_ssize_t, link=Py_ssize_t)
cdef (Py_ssize_t, Py_ssize_t) _write_turn(
    GroundColumns ground, double x, double y,
    Py_ssize_t sheet, Py_ssize_t before, Py_ssize_t corner, double[:, ::1] way, Py_ssize_t count,
    Py_ssize_t spare,
) noexcept nogil

@cython.locals(sheet=Py_ssize_t, to_sheet=Py_ssize_t)
cdef Py_ssize_t _find_way(
    GroundColumns ground, GridColumns grid, ScratchColumns scratch, double[:, ::1] room,
    const double[::1] start, const double[::1] goal, double[:, ::1] way, const double[::1] here,
) noexcept nogil

@cython.locals(
    x=double, y=double, sheet=Py_ssize_t, count=Py_ssize_t, spare=Py_ssize_t, before=Py_ssize_t,
    n=Py_ssize_t, corner=Py_ssize_t,
)
cdef Py_ssize_t _lay_way(
    GroundColumns ground, const double[::1] start, const double[::1] goal, const int[::1] turns,
    double[:, ::1] way,
) noexcept nogil

@cython.locals(
    x=double, y=double, sheet=Py_ssize_t, count=Py_ssize_t, spare=Py_ssize_t, n=Py_ssize_t,
)
cdef Py_ssize_t _lay_line(
    GroundColumns ground, const double[::1] start, const double[:, ::1] line,
    double[:, ::1] way,
) noexcept nogil

@cython.locals(
    straight=double, spare=Py_ssize_t, n=Py_ssize_t, first=Py_ssize_t, last=Py_ssize_t,
    whole=double, turns=Py_ssize_t, count=Py_ssize_t, corner=Py_ssize_t, tail=Py_ssize_t,
    before=Py_ssize_t,
)
cdef Py_ssize_t way_between(
    GroundColumns ground, GridColumns grid, ScratchColumns scratch, double[:, ::1] room,
    double x, double y, Py_ssize_t sheet, double to_x, double to_y, Py_ssize_t to_sheet,
    double[:, ::1] way, double here_x, double here_y, Py_ssize_t here_sheet,
) noexcept nogil

@cython.locals(
    count=Py_ssize_t, first=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, _=Py_ssize_t, link=Py_ssize_t,
    least=double, by=double,
)
cdef void _find_all_ways(
    const int[::1] starts, const int[::1] others, const double[::1] far, unsigned char[::1] done,
    double[:, ::1] lengths, int[:, ::1] before,
) noexcept

@cython.locals(n=Py_ssize_t, a=Py_ssize_t, b=Py_ssize_t, dx=double, dy=double)
cdef void _pass_beside(
    const double[:, ::1] corners, const double[:, :, ::1] sides, const Py_ssize_t[:, ::1] pairs,
    unsigned char[::1] useful,
) noexcept

@cython.locals(one=double, other=double, beside=bint)
cdef bint _passes_by(
    const double[:, :, ::1] sides, Py_ssize_t corner, double dx, double dy,
) noexcept nogil

@cython.locals(_first=Py_ssize_t, _last=Py_ssize_t, whole=double)
cdef double length_around(
    GroundColumns ground, GridColumns grid, ScratchColumns scratch, double[:, ::1] room,
    double x, double y, Py_ssize_t sheet, double to_x, double to_y, Py_ssize_t to_sheet,
) noexcept nogil

@cython.locals(sheet=Py_ssize_t, to_sheet=Py_ssize_t, straight=double, around=double)
cdef double _length_of_way(
    GroundColumns ground, GridColumns grid, ScratchColumns scratch, double[:, ::1] room,
    Py_ssize_t part, double x, double y, double z, double to_x, double to_y, double to_z,
    bint stays,
) noexcept nogil

@cython.locals(n=Py_ssize_t, whole=double)
cdef void _lengths_between(
    GroundColumns ground, GridColumns grid, ScratchColumns scratch, double[:, ::1] room,
    const double[:, ::1] start, const double[:, ::1] end, const int[:, ::1] sheets,
    const double[::1] limit, double[::1] length,
) noexcept

@cython.locals(
    count=Py_ssize_t, first=Py_ssize_t, last=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, best=double,
    ax=double, ay=double, bx=double, by=double, whole=double, least=double, free=bint,
    far=double, left=double,
)
cdef (Py_ssize_t, Py_ssize_t, double) _best_turns(
    GroundColumns ground, GridColumns grid, ScratchColumns scratch, double[:, ::1] room,
    double x, double y, Py_ssize_t sheet, double to_x, double to_y, Py_ssize_t to_sheet,
) noexcept nogil

cdef Py_ssize_t sheet_at(GroundColumns ground, double x, double y, double z) noexcept nogil

cdef double height_on(
    GroundColumns ground, Py_ssize_t sheet, double x, double y, double z,
) noexcept nogil

@cython.locals(part=Py_ssize_t)
cdef Py_ssize_t part_on(
    GroundColumns ground, double x, double y, Py_ssize_t sheet,
) noexcept nogil

@cython.locals(height=double, n=Py_ssize_t, dx=double, dy=double)
cdef bint is_on(
    GroundColumns ground, Py_ssize_t part, double x, double y, Py_ssize_t sheet,
) noexcept nogil

@cython.locals(area=Py_ssize_t, floor=Py_ssize_t)
cdef bint _is_inside(
    GroundColumns ground, Py_ssize_t part, double x, double y, Py_ssize_t sheet, double height,
) noexcept nogil

@cython.locals(n=Py_ssize_t)
cdef void _which_stand(
    GroundColumns ground, Py_ssize_t part, Py_ssize_t sheet, const double[:, ::1] places,
    unsigned char[::1] found,
) noexcept

@cython.locals(other=Py_ssize_t)
cdef bint may_stand(
    GroundColumns ground, Py_ssize_t part, double x, double y, Py_ssize_t sheet,
) noexcept nogil

cdef (double, double, Py_ssize_t) onto(
    GroundColumns ground, Py_ssize_t part, double x, double y, double z,
) noexcept nogil

cdef (double, double, Py_ssize_t) back_onto(
    GroundColumns ground, Py_ssize_t part, double x, double y, double z,
) noexcept nogil

@cython.locals(
    sheet=Py_ssize_t, nearest=double, at_x=double, at_y=double, found=Py_ssize_t,
    other=Py_ssize_t, area=Py_ssize_t, px=double, py=double, away=double, height=double,
    under=double, own=bint, on_own=bint,
)
cdef (double, double, Py_ssize_t) _onto(
    GroundColumns ground, Py_ssize_t part, double x, double y, double z, bint stays,
) noexcept nogil

@cython.locals(
    low=Py_ssize_t, high=Py_ssize_t, edge=Py_ssize_t, nearest=double, at_x=double, at_y=double,
    ax=double, ay=double, bx=double, by=double, dx=double, dy=double, square=double, share=double,
    px=double, py=double, away=double,
)
cdef (double, double, double) _nearest_in(
    GroundColumns ground, Py_ssize_t area, double x, double y,
) noexcept nogil
