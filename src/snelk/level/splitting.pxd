cimport cython

cdef Py_ssize_t WIDE, LEAF, BINS, PARTS, INNER, ROOM, FIRST, LAST, LEFT, RIGHT
cdef double INF, NODE, TRIANGLE

@cython.locals(
    used=Py_ssize_t, waiting=Py_ssize_t, half=Py_ssize_t, first=Py_ssize_t, last=Py_ssize_t,
    middle=Py_ssize_t,
)
cdef Py_ssize_t _halve(
    const double[:, ::1] bounds, int[::1] order, int[:, ::1] halves, int[:, ::1] room,
    double[:, ::1] bins,
) noexcept

@cython.locals(
    back=Py_ssize_t, half=Py_ssize_t, left=Py_ssize_t, right=Py_ssize_t, count=Py_ssize_t,
    axis=Py_ssize_t, surface=double, n=Py_ssize_t, k=Py_ssize_t, cost=double, alone=double,
    leaf=double,
)
cdef void _weigh(
    const double[:, ::1] bounds, const int[::1] order, const int[:, ::1] halves,
    Py_ssize_t used, double[:, ::1] around, double[:, ::1] costs, signed char[:, ::1] shares,
) noexcept

@cython.locals(
    nodes=Py_ssize_t, waiting=Py_ssize_t, depth=Py_ssize_t, half=Py_ssize_t, node=Py_ssize_t,
    level=Py_ssize_t, count=Py_ssize_t, uncut=Py_ssize_t, most=Py_ssize_t, share=Py_ssize_t,
    n=Py_ssize_t, own=Py_ssize_t, axis=Py_ssize_t, side=double, nowhere=double, first=Py_ssize_t,
    last=Py_ssize_t,
)
cdef (Py_ssize_t, Py_ssize_t) _gather(
    const int[:, ::1] halves, const double[:, ::1] around, const signed char[:, ::1] shares,
    double margin, float[:, ::1] boxes, int[:, ::1] parts, int[:, ::1] room, int[:, ::1] found,
) noexcept

@cython.locals(x=double, y=double, z=double, area=double)
cdef double _half_surface(const double[:, ::1] around, Py_ssize_t half) noexcept nogil

@cython.locals(
    best=double, by=Py_ssize_t, where=Py_ssize_t, start=double,
    end=double, axis=Py_ssize_t, low=double, high=double, entry=Py_ssize_t, middle=double,
    n=Py_ssize_t, k=Py_ssize_t, each=Py_ssize_t, cut=Py_ssize_t, left=double, right=double, here=Py_ssize_t,
    there=Py_ssize_t, middle_one=Py_ssize_t, found=Py_ssize_t,
)
cdef Py_ssize_t _cut(
    const double[:, ::1] bounds, int[::1] order, double[:, ::1] bins, Py_ssize_t first,
    Py_ssize_t last,
) noexcept nogil

@cython.locals(share=double, found=Py_ssize_t)
cdef Py_ssize_t _bin_of(
    const double[:, ::1] bounds, Py_ssize_t each, Py_ssize_t axis, double low, double high,
) noexcept nogil

@cython.locals(
    n=Py_ssize_t, count=double, low_x=double, low_y=double, low_z=double, high_x=double,
    high_y=double, high_z=double, x=double, y=double, z=double,
)
cdef double _cost(const double[:, ::1] bins, Py_ssize_t first, Py_ssize_t last) noexcept nogil
