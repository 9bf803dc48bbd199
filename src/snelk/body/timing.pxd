cimport cython

from snelk.body.columns cimport MovingColumns, TimingColumns
from snelk.level.lengths cimport hypot
from snelk.mind.columns cimport AttendedColumns, FocusNumberColumns, LadderColumns, SignalColumns
from snelk.mind.deciding cimport is_busy
from snelk.senses.columns cimport BodyColumns, PoseColumns

cdef double SLACK
cdef Py_ssize_t AT_FOCUS, GLANCES, CAUGHT_ON, NEWLY

@cython.locals(
    found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, at_end=bint, time_is_up=bint, busy=bint,
    due=bint,
)
cdef Py_ssize_t _who_thinks(
    MovingColumns moving, LadderColumns ladders, Py_ssize_t tick, double time, TimingColumns timing,
) noexcept nogil

@cython.locals(
    found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, state=Py_ssize_t, watcher=Py_ssize_t,
    still=bint, fresh=bint, state_for=double, number=Py_ssize_t,
)
cdef Py_ssize_t _who_glances(
    MovingColumns moving, LadderColumns ladders, const Py_ssize_t[:, ::1] since,
    SignalColumns signals, const unsigned char[:, :, ::1] sees_me, Py_ssize_t tick, double dt,
    TimingColumns timing,
) noexcept nogil

@cython.locals(
    found=Py_ssize_t, v=Py_ssize_t, p=Py_ssize_t, a=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t,
    far=double, low=double, high=double, bottom=double, top=double, gap=double, dx=double,
    dy=double, near=bint, there=bint, minds=bint, is_new=bint,
)
cdef Py_ssize_t _who_catches(
    PoseColumns poses, BodyColumns bodies, AttendedColumns now, FocusNumberColumns numbers,
    LadderColumns ladders, TimingColumns timing, const double[:, :, ::1] reach,
    signed char[:, :, ::1] caught,
) noexcept nogil
