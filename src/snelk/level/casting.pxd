cimport cython

from snelk.level.columns cimport GridColumns, ScratchColumns, Slot

# What processors do in an instruction or two, and no loop is translated to.
cdef extern from *:
    """
    #if defined(__SSE__) || defined(_M_X64)
    #include <xmmintrin.h>
    static CYTHON_INLINE int snelk_below_zero(const float *gaps) {
        return _mm_movemask_ps(_mm_loadu_ps(gaps)) | _mm_movemask_ps(_mm_loadu_ps(gaps + 4)) << 4;
    }
    #else
    static CYTHON_INLINE int snelk_below_zero(const float *gaps) {
        int n, bits = 0;
        for (n = 0; n < 8; n++) bits |= (gaps[n] < 0.0f) << n;
        return bits;
    }
    #endif
    #if defined(__GNUC__)
    #define snelk_lowest_bit(bits) __builtin_ctz(bits)
    #define snelk_fetch(place) __builtin_prefetch(place)
    #else
    static CYTHON_INLINE int snelk_lowest_bit(int bits) {
        int n = 0;
        while (!(bits >> n & 1)) n++;
        return n;
    }
    #define snelk_fetch(place) ((void) (place))
    #endif
    """
    int below_zero "snelk_below_zero"(const float *gaps) noexcept nogil
    int lowest_bit "snelk_lowest_bit"(int bits) noexcept nogil
    void fetch "snelk_fetch"(const void *place) noexcept nogil

cdef double INF, NAN, TOUCH, TINY
cdef float ROUNDED, SLIGHT
cdef Py_ssize_t NO_WALL

# Numbers that are known when this is compiled save up to a tenth of the time.
cdef enum:
    WIDE = 8
    PARTS = 48
    INNER = 56
    ABREAST = 8

cdef inline void fetch_node(GridColumns grid, Py_ssize_t node) noexcept nogil:
    fetch(&grid.boxes[node])  # four lines of 64 bytes
    fetch(&grid.boxes[node + 16])
    fetch(&grid.boxes[node + 32])
    fetch(&grid.boxes[node + 48])

cdef inline void fetch_triangle(GridColumns grid, Py_ssize_t triangle) noexcept nogil:
    fetch(&grid.triangles[9 * triangle])
    fetch(&grid.triangles[9 * triangle + 8])

cdef inline Slot *slot_of(ScratchColumns scratch, Py_ssize_t slot) noexcept nogil:
    return &scratch.slots[slot]

cdef (double, double) _overlap(
    double start, double extent, double low, double high, double enter, double leave,
) noexcept nogil

@cython.locals(
    square=double, length=double, off=double, a=double, b=double, near=double, far=double,
    beside=bint,
)
cdef double _along_face(
    double dx, double dy, double dz, double ax, double ay, double bx, double by, double low,
    double high, double first, double last,
) noexcept nogil

cdef (double, Py_ssize_t, double) cast_ray(
    GridColumns grid, ScratchColumns scratch, double x, double y, double z, double to_x,
    double to_y, double to_z,
) noexcept nogil

# `inline` makes functions part of their callers, see `WHOLE` in setup.py. Cython remarks at each
# that its body is elsewhere; it is, in the .py.
@cython.locals(share=double, _wall=Py_ssize_t, _at=double)
cdef double share_past(
    GridColumns grid, ScratchColumns scratch, double x, double y, double z, double to_x,
    double to_y, double to_z,
) noexcept nogil

@cython.locals(ray='Slot *')
cdef inline (double, Py_ssize_t, double) _cast(
    GridColumns grid, ScratchColumns scratch, double x, double y, double z, double to_x,
    double to_y, double to_z, bint nearest,
) noexcept nogil

@cython.locals(wall=Py_ssize_t)
cdef inline (double, Py_ssize_t, double) _outcome(GridColumns grid, Slot *ray) noexcept nogil

cdef inline bint _is_none(double dx, double dy, double dz) noexcept nogil

cdef inline void _count(GridColumns grid, ScratchColumns scratch, Py_ssize_t slot) noexcept nogil

@cython.locals(dx=double, dy=double, dz=double, first=double)
cdef (double, Py_ssize_t, double) _through_faces(
    GridColumns grid, ScratchColumns scratch, Py_ssize_t slot, double x, double y, double z,
    double to_x, double to_y, double to_z, bint nearest,
) noexcept nogil

@cython.locals(
    to_x=double, to_y=double, last=double, enter=double, leave=double, right=double, upper=double,
    columns=Py_ssize_t, cells=Py_ssize_t, column=Py_ssize_t, row=Py_ssize_t, index=Py_ssize_t,
    step_column=Py_ssize_t, step_row=Py_ssize_t, per_dx=double, per_dy=double, per_column=double,
    per_row=double, next_column=double, next_row=double, stopped_by=Py_ssize_t, stopped_at=double,
    dimmed_by=Py_ssize_t, dimmed_at=double, share=double, parallel=bint, entry=Py_ssize_t,
    ax=double, ay=double, bx=double, by=double, side_a=double, side_b=double, across=double,
    at=double, height=double, met=bint, wall=Py_ssize_t, end_of_cell=double, by_column=bint,
    rays=Py_ssize_t, now=Py_ssize_t, stopped_wall=Py_ssize_t, any_faces=bint, faces=Py_ssize_t,
)
cdef inline (double, Py_ssize_t, double) _past_faces(
    GridColumns grid, ScratchColumns scratch, Py_ssize_t slot, double x, double y, double z,
    double dx, double dy, double dz, double first, bint nearest,
) noexcept nogil

@cython.locals(
    at=double, ax=double, ay=double, bx=double, by=double, side_a=double, side_b=double,
    low=double, high=double, height=double,
)
cdef double _meet(
    const double[:, ::1] pieces, Py_ssize_t entry, double x, double y, double z, double dx,
    double dy, double dz, double first, double last,
) noexcept nogil

@cython.locals(
    share=double, wall=Py_ssize_t, at=double, dx=double, dy=double, dz=double,
    reach=double, one=cython.float, slope_x=cython.float, slope_y=cython.float,
    slope_z=cython.float, per_x=cython.float, per_y=cython.float, per_z=cython.float,
)
cdef inline bint _begin(
    GridColumns grid, ScratchColumns scratch, Slot *ray, Py_ssize_t slot, double x, double y,
    double z, double to_x, double to_y, double to_z, bint nearest,
) noexcept nogil

@cython.locals(
    from_x=cython.float, from_y=cython.float, from_z=cython.float, per_x=cython.float,
    per_y=cython.float, per_z=cython.float, out_x=cython.float, out_y=cython.float,
    out_z=cython.float, reach=cython.float, gap=cython.float, behind=cython.float,
    enter_x=cython.float, enter_y=cython.float, enter_z=cython.float, leave_x=cython.float,
    leave_y=cython.float, leave_z=cython.float, node=Py_ssize_t, near_x=Py_ssize_t,
    near_y=Py_ssize_t, near_z=Py_ssize_t, far_x=Py_ssize_t, far_y=Py_ssize_t, far_z=Py_ssize_t,
    n=Py_ssize_t,
)
cdef inline int _boxes_met(GridColumns grid, Slot *ray) noexcept nogil

@cython.locals(
    node=Py_ssize_t, held=Py_ssize_t, top=Py_ssize_t, inner=int, leaves=int,
    n=Py_ssize_t, part=Py_ssize_t, entry=Py_ssize_t, triangle=Py_ssize_t, here=double,
    wall=Py_ssize_t, rays=Py_ssize_t, before=double, by=Py_ssize_t,
)
cdef inline bint _go_on(
    GridColumns grid, ScratchColumns scratch, Slot *ray, Py_ssize_t slot, int met, bint nearest,
    bint alone,
) noexcept nogil

@cython.locals(
    dx=double, dy=double, dz=double, most=Py_ssize_t, across=Py_ssize_t, up=Py_ssize_t,
    ahead=double,
)
cdef inline void _lean(Slot *ray) noexcept nogil

@cython.locals(
    most=Py_ssize_t, across=Py_ssize_t, up=Py_ssize_t, u=double, v=double, w=double, lean_u=double,
    lean_v=double, a=Py_ssize_t, b=Py_ssize_t, c=Py_ssize_t, au=double, av=double, aw=double,
    bu=double, bv=double, bw=double, cu=double, cv=double, cw=double, px=double, py=double,
    qx=double, qy=double, rx=double, ry=double, by_a=double, by_b=double, by_c=double,
    area=double, at=double, du=double, dv=double, dw=double, first=double, last=double,
)
cdef inline double _meet_triangle(GridColumns grid, Py_ssize_t triangle, Slot *ray) noexcept nogil

@cython.locals(nx=double, ny=double, nz=double, turn=double, near=double, far=double)
cdef double _along_triangle(
    double ax, double ay, double az, double bx, double by, double bz, double cx, double cy,
    double cz, double dx, double dy, double dz, double first, double last,
) noexcept nogil

@cython.locals(begins=double, gains=double, at=double)
cdef (double, double) _left_of(
    double ax, double ay, double bx, double by, double dx, double dy, double turn, double near,
    double far,
) noexcept nogil

@cython.locals(is_roomy=bint, n=Py_ssize_t, passes=double, by=Py_ssize_t, where=double)
cdef void _each(
    GridColumns grid, ScratchColumns scratch, const double[:, ::1] start,
    const double[:, ::1] end, double[::1] share, int[::1] wall, double[::1] at, bint nearest,
) noexcept

@cython.locals(
    begun=Py_ssize_t, running=Py_ssize_t, slot=Py_ssize_t, n=Py_ssize_t, ray='Slot *',
    passes=double, by=Py_ssize_t, where=double,
)
cdef inline void _abreast(
    GridColumns grid, ScratchColumns scratch, const double[:, ::1] start,
    const double[:, ::1] end, double[::1] share, int[::1] wall, double[::1] at, bint nearest,
) noexcept nogil
