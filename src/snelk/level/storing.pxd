cimport cython

cdef double SLACK

@cython.locals(
    i=Py_ssize_t, column_from=Py_ssize_t, column_to=Py_ssize_t, column=Py_ssize_t,
    row_from=Py_ssize_t, row_to=Py_ssize_t, row=Py_ssize_t, index=Py_ssize_t,
    slack=double, ax=double, ay=double, bx=double, by=double, low_y=double, high_y=double,
    s=double, t=double, y_s=double, y_t=double,
)
cdef void _visit_cells(
    const double[:, ::1] pieces, double x, double y, double cell,
    Py_ssize_t columns, Py_ssize_t rows, int[::1] cursor, int[::1] order,
) noexcept
