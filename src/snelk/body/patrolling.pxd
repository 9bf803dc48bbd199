cimport cython

from snelk.body.columns cimport DoingColumns, MovingColumns, RoundStageColumns
from snelk.body.moving cimport _stand, _want
from snelk.level.lengths cimport hypot
from snelk.senses.columns cimport PoseColumns

cdef double NAN, NEAR, NEVER, KEEP_UP
cdef Py_ssize_t LOOP, BACK_AND_FORTH, ONCE, WHERE_IT_IS, HOME, START, HERE

@cython.locals(first=Py_ssize_t, count=Py_ssize_t, about=Py_ssize_t, x=double, y=double, z=double)
cdef double patrol(
    MovingColumns moving, RoundStageColumns stage, PoseColumns poses, Py_ssize_t state,
    Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(p=Py_ssize_t, x=double, y=double, z=double)
cdef (double, double, double) _centre(
    MovingColumns moving, RoundStageColumns stage, PoseColumns poses, Py_ssize_t about,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(row=Py_ssize_t)
cdef (double, double, double) _corner(
    RoundStageColumns stage, Py_ssize_t state, Py_ssize_t v, Py_ssize_t a, Py_ssize_t n,
) noexcept nogil

@cython.locals(
    count=Py_ssize_t, n=Py_ssize_t, best=Py_ssize_t, loop=bint, x=double, y=double, least=double,
    best_share=double, best_x=double, best_y=double, px=double, py=double, to_x=double,
    to_y=double, dx=double, dy=double, share=double, away=double, up=double, best_z=double,
    pz=double, to_z=double, dz=double, along=double,
)
cdef double _begin(
    MovingColumns moving, RoundStageColumns stage, Py_ssize_t state, Py_ssize_t v, Py_ssize_t a,
    DoingColumns doing,
) noexcept nogil

@cython.locals(count=Py_ssize_t, at=Py_ssize_t, step=Py_ssize_t)
cdef void _advance(
    RoundStageColumns stage, Py_ssize_t state, Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(x=double, y=double, z=double)
cdef double _walk(
    MovingColumns moving, RoundStageColumns stage, Py_ssize_t state, Py_ssize_t v, Py_ssize_t a,
    DoingColumns doing,
) noexcept nogil
