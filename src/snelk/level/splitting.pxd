cimport cython

cdef Py_ssize_t WIDE, LEAF, BINS
cdef double INF

@cython.locals(
    nodes=Py_ssize_t, waiting=Py_ssize_t, depth=Py_ssize_t, node=Py_ssize_t, level=Py_ssize_t,
    count=Py_ssize_t, best=Py_ssize_t, largest=double, half=double, n=Py_ssize_t,
    middle=Py_ssize_t, axis=Py_ssize_t, nowhere=double, first=Py_ssize_t, last=Py_ssize_t,
)
cdef (Py_ssize_t, Py_ssize_t) _fill(
    const double[:, ::1] bounds, int[::1] order, double[:, ::1] boxes, int[:, ::1] parts,
    int[:, ::1] room, double[:, ::1] bins, double[:, ::1] own,
) noexcept

@cython.locals(entry=Py_ssize_t, each=Py_ssize_t, axis=Py_ssize_t)
cdef void _bound(
    const double[:, ::1] bounds, const int[::1] order, double[:, ::1] own, Py_ssize_t n,
) noexcept nogil

@cython.locals(x=double, y=double, z=double, area=double)
cdef double _half(const double[:, ::1] own, Py_ssize_t n) noexcept nogil

@cython.locals(
    first=Py_ssize_t, last=Py_ssize_t, best=double, by=Py_ssize_t, where=Py_ssize_t, start=double,
    end=double, axis=Py_ssize_t, low=double, high=double, entry=Py_ssize_t, middle=double,
    n=Py_ssize_t, k=Py_ssize_t, each=Py_ssize_t, cut=Py_ssize_t, left=double, right=double, here=Py_ssize_t,
    there=Py_ssize_t, middle_one=Py_ssize_t, found=Py_ssize_t,
)
cdef Py_ssize_t _cut(
    const double[:, ::1] bounds, int[::1] order, double[:, ::1] bins, const double[:, ::1] own,
    Py_ssize_t part,
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
