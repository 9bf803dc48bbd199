cimport cython

from snelk.engine.columns cimport (
    ColumnCopyColumns, CopyStageColumns, TableCopyColumns, ValueCopyColumns,
)

@cython.locals(
    n=Py_ssize_t, table=TableCopyColumns, value=ValueCopyColumns, first=Py_ssize_t,
    count=Py_ssize_t, c=Py_ssize_t, row=Py_ssize_t,
)
cdef bint copy_tick(CopyStageColumns stage, Py_ssize_t tick) noexcept

@cython.locals(n=Py_ssize_t)
cdef void _copy_value(ValueCopyColumns value, Py_ssize_t tick) noexcept

cdef void _append(ColumnCopyColumns column, Py_ssize_t first, Py_ssize_t count) noexcept
