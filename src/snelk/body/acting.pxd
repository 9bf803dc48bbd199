cimport cython

from snelk.body.columns cimport (
    BodyStageColumns, DoingColumns, FlightStageColumns, MovingColumns, RoamStageColumns,
    RoundStageColumns, SearchStageColumns, TimingColumns,
)
from snelk.body.agreeing cimport agrees
from snelk.body.moving cimport (
    _come_to_end, _nearness, _run_out, _stand, _take_way_to, _turns_back, _want, note_news,
    sets_out_from,
)
from snelk.body.fleeing cimport _choose_where, evade, flee, last_known
from snelk.body.patrolling cimport patrol
from snelk.body.searching cimport _go_to_next, keeps_now, plan_in_turn, seek, think_of_cells
from snelk.body.wandering cimport wander
from snelk.level.footing cimport height_of
from snelk.level.columns cimport GroundStageColumns, LinkColumns
from snelk.level.lengths cimport hypot
from snelk.level.walking cimport back_onto, height_on, onto, sheet_at, way_between
from snelk.mind.columns cimport AttendedColumns, CellColumns, DrawnColumns
from snelk.senses.columns cimport PoseColumns

cdef double HAIR, NEVER, NAN, KEEP_UP, FARTHER, AND_MORE, LEFT_TO_PYTHON
cdef Py_ssize_t APPROACH, FACE, GO, HOME, RESUME, ROAM, PATROL, FLEE, EVADE, SEARCH, OTHERS
cdef Py_ssize_t NEWLY_FAILED, AT_FOCUS, PLACE, NO_WAY, NOT_KNOWN, DISAGREE, WHOSE_GROUND

@cython.locals(
    state="const short[:, ::1]", dt=double, flat=bint, others=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t,
    kind=Py_ssize_t, again=double, there=bint, was_done=bint, was_failed=bint,
)
cdef Py_ssize_t _act(
    BodyStageColumns stage, AttendedColumns now, DrawnColumns drawn, TimingColumns timing,
    DoingColumns doing, RoamStageColumns roams, RoundStageColumns rounds,
    FlightStageColumns flights, SearchStageColumns searches, PoseColumns poses,
    MovingColumns moving, double time,
) noexcept nogil

@cython.locals(same=bint)
cdef bint _goes_to(
    DoingColumns doing, Py_ssize_t v, Py_ssize_t a, double x, double y, double z,
) noexcept nogil

@cython.locals(x=double, y=double, z=double, j=Py_ssize_t, stop=double, apart=double)
cdef double _approach(
    MovingColumns moving, AttendedColumns now, DrawnColumns drawn, Py_ssize_t state, bint flat,
    double dt, Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(x=double, y=double, z=double, again=double)
cdef double _go(
    MovingColumns moving, AttendedColumns now, DrawnColumns drawn, Py_ssize_t state, bint flat,
    double dt, Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(x=double, y=double, z=double, heading=double)
cdef double _go_home(
    MovingColumns moving, Py_ssize_t kind, double dt, Py_ssize_t v, Py_ssize_t a,
    DoingColumns doing,
) noexcept nogil

@cython.locals(there=bint)
cdef bint _come_to_end_there(
    MovingColumns moving, double dt, Py_ssize_t v, Py_ssize_t a, DoingColumns doing,
) noexcept nogil

@cython.locals(
    timing=TimingColumns, doing=DoingColumns, found=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t,
    cells=CellColumns, there=bint, was_done=bint, was_failed=bint, again=double,
)
cdef Py_ssize_t _search_on(
    BodyStageColumns stage, SearchStageColumns searches, PoseColumns poses, MovingColumns moving,
    double time,
) noexcept with gil

@cython.locals(same=bint, left=Py_ssize_t)
cdef Py_ssize_t _act_on(
    BodyStageColumns stage, RoamStageColumns roams, RoundStageColumns rounds,
    FlightStageColumns flights, SearchStageColumns searches, PoseColumns poses,
    MovingColumns moving, double time,
) noexcept nogil

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, found=Py_ssize_t, rows=Py_ssize_t, unknown=bint,
)
cdef Py_ssize_t _who_wants(
    BodyStageColumns stage, FlightStageColumns flights, SearchStageColumns searches,
) noexcept nogil

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, left=Py_ssize_t, index=Py_ssize_t, found=Py_ssize_t,
    more=Py_ssize_t,
)
cdef Py_ssize_t set_out_on(
    list walks, FlightStageColumns flights, SearchStageColumns searches, BodyStageColumns stage,
    MovingColumns moving, double time,
) noexcept with gil

@cython.locals(left=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, doing=DoingColumns)
cdef Py_ssize_t _set_out(
    Py_ssize_t index, GroundStageColumns walk, BodyStageColumns stage, MovingColumns moving,
) noexcept

@cython.locals(there=bint)
cdef Py_ssize_t _set_out_for(
    Py_ssize_t v, Py_ssize_t a, GroundStageColumns walk, BodyStageColumns stage,
    MovingColumns moving,
) noexcept

@cython.locals(
    way="double[:, ::1]", part=Py_ssize_t, count=Py_ssize_t, x=double, y=double, z=double,
    to_x=double, to_y=double, to_z=double, from_x=double, from_y=double, end_x=double, end_y=double,
    up=double, sheet=Py_ssize_t, stands=bint, end_sheet=Py_ssize_t, first=Py_ssize_t, turn_at=Py_ssize_t,
)
cdef bint _set_out_one(
    GroundStageColumns walk, LinkColumns links, double dt, Py_ssize_t v, Py_ssize_t a,
    MovingColumns moving, DoingColumns doing,
) noexcept

@cython.locals(
    way="double[:, ::1]", from_x=double, from_y=double, up=double, sheet=Py_ssize_t,
    rest=Py_ssize_t, n=Py_ssize_t, k=Py_ssize_t,
)
cdef Py_ssize_t _way_after(
    GroundStageColumns walk, Py_ssize_t part, Py_ssize_t first, double x, double y, double z,
    double end_x, double end_y, Py_ssize_t end_sheet, MovingColumns moving, Py_ssize_t v,
    Py_ssize_t a,
) noexcept

cdef void _cannot_go(MovingColumns moving, Py_ssize_t v, Py_ssize_t a) noexcept nogil

cdef bint _goes(Py_ssize_t kind) noexcept nogil

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, _close=double, arrived=bint, _unreachable=bint, told=bint,
)
cdef bint ends_are_events(BodyStageColumns stage, MovingColumns moving) noexcept nogil

@cython.locals(
    v=Py_ssize_t, a=Py_ssize_t, _close=double, arrived=bint, _unreachable=bint,
)
cdef bint news_are_events(BodyStageColumns stage, MovingColumns moving) noexcept nogil
