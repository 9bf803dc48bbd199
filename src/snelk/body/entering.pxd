cimport cython

from snelk.body.columns cimport DoingColumns, EntryStageColumns, MovingColumns, TimingColumns
from snelk.body.moving cimport _stand

cdef double NAN, NEVER
cdef Py_ssize_t NO_LADDER

@cython.locals(state=Py_ssize_t)
cdef Py_ssize_t _state_of(EntryStageColumns stage, Py_ssize_t v, Py_ssize_t a) noexcept

@cython.locals(
    s=Py_ssize_t, sense=Py_ssize_t, limit=Py_ssize_t, cone=Py_ssize_t, awake=double,
)
cdef void _stand_as_in_state(
    EntryStageColumns stage, MovingColumns now, Py_ssize_t v, Py_ssize_t a,
) noexcept

@cython.locals(doing=DoingColumns, timing=TimingColumns)
cdef void _begin_in_state(
    EntryStageColumns stage, MovingColumns now, Py_ssize_t v, Py_ssize_t a, Py_ssize_t before,
) noexcept

@cython.locals(x=double, y=double, z=double, s=Py_ssize_t)
cdef void _note_place(
    EntryStageColumns stage, MovingColumns now, Py_ssize_t v, Py_ssize_t a, Py_ssize_t before,
) noexcept
