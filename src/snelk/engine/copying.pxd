cimport cython
from libc.string cimport memcpy

from snelk.engine.columns cimport (
    ColumnCopyColumns, CopyStageColumns, TableCopyColumns, ValueCopyColumns,
)

cdef inline void copy_place(ValueCopyColumns value, Py_ssize_t row, Py_ssize_t n) noexcept:
    if value.now.shape[1] > 0:
        memcpy(&value.kept[row, n, 0], &value.now[value.places[n], 0], value.now.shape[1])

cdef inline void copy_rows(ColumnCopyColumns column, Py_ssize_t first, Py_ssize_t count) noexcept:
    if column.now.shape[1] > 0 and count > 0:
        memcpy(&column.kept[first, 0], &column.now[0, 0], count * column.now.shape[1])

@cython.locals(
    n=Py_ssize_t, table=TableCopyColumns, value=ValueCopyColumns, first=Py_ssize_t,
    count=Py_ssize_t, c=Py_ssize_t, row=Py_ssize_t, each=Py_ssize_t, place=Py_ssize_t,
)
cdef bint copy_tick(CopyStageColumns stage, Py_ssize_t tick) noexcept
