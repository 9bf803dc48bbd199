from libc.math cimport sqrt


cdef inline double hypot(double x, double y) noexcept nogil:
    """The length of (x, y), the same on all machines; see `snelk.level.columns.hypot`."""
    return sqrt(x * x + y * y)
