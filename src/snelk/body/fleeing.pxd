cimport cython

from snelk.body.columns cimport (
    BodyStageColumns, DoingColumns, FlightStageColumns, MovingColumns,
)
from snelk.body.agreeing cimport agrees
from snelk.body.moving cimport _come_to_end, _stand, _want, sets_out_from
from snelk.body.streams cimport whole_of
from snelk.level.casting cimport share_past
from snelk.level.columns cimport GroundStageColumns
from snelk.level.lengths cimport hypot
from snelk.level.walking cimport _length_of_way, height_on, is_on, sheet_at, straight_on
from snelk.mind.columns cimport AttendedColumns, DrawnColumns

cdef double INF, NAN, PI, AGAIN, SIDEWAYS, KEEP_UP, NEVER
cdef Py_ssize_t A_SPOT, A_DIRECTION, AT_PLACE, PLACE, NEWLY_FAILED, DISAGREE

@cython.locals(
    x=double, y=double, _z=double, here_x=double, here_y=double, here_z=double, to_x=double,
    to_y=double, to_z=double, chosen=Py_ssize_t,
    row=Py_ssize_t, stops=bint, asks=bint,
)
cdef double flee(
    MovingColumns moving, FlightStageColumns stage, AttendedColumns now,
    DrawnColumns drawn, Py_ssize_t state, double dt, Py_ssize_t v, Py_ssize_t a,
    DoingColumns doing,
) noexcept nogil

cdef double evade(
    MovingColumns moving, FlightStageColumns stage, double dt, Py_ssize_t v, Py_ssize_t a,
    DoingColumns doing,
) noexcept nogil

@cython.locals(j=Py_ssize_t)
cdef (double, double, double) last_known(
    AttendedColumns now, DrawnColumns drawn, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    j=Py_ssize_t, i=Py_ssize_t, from_x=double, from_y=double, from_z=double, eye=double,
    middle=double,
)
cdef bint _could_be_seen(
    MovingColumns moving, FlightStageColumns stage, AttendedColumns now,
    DrawnColumns drawn, Py_ssize_t v, Py_ssize_t a, double x, double y, double z,
) noexcept nogil

@cython.locals(left=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, asks=Py_ssize_t)
cdef Py_ssize_t _choose_where(
    Py_ssize_t index, GroundStageColumns walk, FlightStageColumns flights,
    BodyStageColumns stage, MovingColumns moving,
) noexcept

@cython.locals(inside=bint)
cdef Py_ssize_t _choose_by_lengths(
    Py_ssize_t v, Py_ssize_t a, FlightStageColumns flights, BodyStageColumns stage,
    MovingColumns moving,
) noexcept

@cython.locals(same=bint)
cdef bint _agrees(
    FlightStageColumns flights, BodyStageColumns stage, MovingColumns moving,
) noexcept nogil

@cython.locals(
    state=Py_ssize_t, part=Py_ssize_t, first=Py_ssize_t, n=Py_ssize_t, length=double, z=double,
    x=double, y=double, here_z=double,
)
cdef bint _measure_ways(
    GroundStageColumns walk, FlightStageColumns flights, BodyStageColumns stage,
    MovingColumns moving, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    state=Py_ssize_t, best=Py_ssize_t, first=Py_ssize_t, count=Py_ssize_t, n=Py_ssize_t,
    least=double, most=double, x=double, y=double, z=double, from_x=double, from_y=double,
    from_z=double, away=double, rise=double,
)
cdef void _take_a_spot(
    FlightStageColumns flights, BodyStageColumns stage, MovingColumns moving,
    Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(z=double)
cdef double _height_of(
    FlightStageColumns flights, MovingColumns moving, Py_ssize_t spot, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

cdef (double, Py_ssize_t) _straight_to(
    GroundStageColumns walk, double x, double y, Py_ssize_t sheet, double to_x, double to_y,
) noexcept nogil

@cython.locals(
    count=Py_ssize_t, n=Py_ssize_t, left=Py_ssize_t, x=double, y=double, z=double, _rest=double,
    sheet=Py_ssize_t, end_x=double, end_y=double,
)
cdef void _take_a_direction(
    GroundStageColumns walk, FlightStageColumns flights, BodyStageColumns stage,
    MovingColumns moving, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(state=Py_ssize_t, angle=double, far=double)
cdef (double, double) _end_of(
    FlightStageColumns flights, BodyStageColumns stage, MovingColumns moving, double x, double y,
    Py_ssize_t n, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    part=Py_ssize_t, state=Py_ssize_t, end_x=double, end_y=double,
    from_x=double, from_y=double, _from_z=double, along=double, far=double, end_sheet=Py_ssize_t,
    height=double, free=bint,
)
cdef bint _is_free(
    GroundStageColumns walk, FlightStageColumns flights, BodyStageColumns stage,
    MovingColumns moving, double x, double y, Py_ssize_t sheet, Py_ssize_t n, Py_ssize_t v,
    Py_ssize_t a,
) noexcept nogil

cdef void _fail(BodyStageColumns stage, Py_ssize_t v, Py_ssize_t a) noexcept nogil
