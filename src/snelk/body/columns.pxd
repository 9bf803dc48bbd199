from snelk.level.columns cimport (
    Columns, FloorColumns, GridColumns, GroundColumns, LinkColumns, ScratchColumns, ZoneColumns,
)
from snelk.mind.columns cimport (
    AttendedColumns, BeliefColumns, DrawnColumns, FocusNumberColumns, LadderColumns,
    MeterColumns, SignalColumns,
)
from snelk.senses.columns cimport (
    AroundColumns, BodyColumns, ContactColumns, LightColumns, SightColumns, SightLimitColumns,
    SightNumberColumns, SurroundingColumns,
)


cdef class StandingColumns(Columns):
    cdef public const short[:, ::1] state
    cdef public const Py_ssize_t[:, ::1] entries, since
    cdef public const double[:, :, ::1] rank, goals
    cdef public const unsigned char[:, :, ::1] asleep, others
    cdef public const double[:, ::1] home_x, home_y, home_z
    cdef public const int[:, ::1] territory


cdef class MovingColumns(Columns):
    cdef public unsigned char[:, ::1] driven, still, holds, smooth, on_way, at_end, no_way
    cdef public double[:, ::1] x, y, z, heading, speed, turn_rate, acceleration, arrive
    cdef public double[:, ::1] pace, look_x, look_y, base, swing, period, glance_at
    cdef public double[:, ::1] glance_by, short, stuck_for, was_stuck, was_left
    cdef public double[:, ::1] walked, stop
    cdef public signed char[:, ::1] look, posture, gait
    cdef public Py_ssize_t[:, ::1] turn_at, next, size, halt, link
    cdef public double[:, ::1] climbed
    cdef public double[:, :, :, ::1] points
    cdef public double[:, :, ::1] beyond


cdef class GivenColumns(Columns):
    cdef public const double[:, :, ::1] x, y, z, heading
    cdef public const signed char[:, :, ::1] posture, gait
    cdef public const unsigned char[:, :, ::1] present


cdef class PlacedColumns(Columns):
    cdef public double[:, ::1] x, y, z, heading
    cdef public signed char[:, ::1] posture, gait
    cdef public unsigned char[:, ::1] present


cdef class TimingColumns(Columns):
    cdef public const unsigned char[:, ::1] used
    cdef public const unsigned char[::1] ended
    cdef public double[:, ::1] next_thought, state_for
    cdef public unsigned char[:, ::1] thought_there, due, at_end, short_told, fresh
    cdef public Py_ssize_t[:, ::1] glanced
    cdef public const unsigned char[:, :, :, ::1] freeze


cdef class DoingColumns(Columns):
    cdef public signed char[:, ::1] kind, news
    cdef public unsigned char[:, ::1] done, failed, wants, joins
    cdef public double[:, ::1] to_x, to_y, to_z, facing, stop
    cdef public double[:, :, ::1] goals
    cdef public const double[:, :, ::1] home, routine, stops
    cdef public const double[:, :, :, ::1] spots
    cdef public const int[:, ::1] ground
    cdef public int[:, ::1] part


cdef class BodyStageColumns(Columns):
    cdef public double dt
    cdef public bint any_tracked
    cdef public const int[::1] characters
    cdef public BodyColumns bodies
    cdef public ZoneColumns zones
    cdef public FloorColumns floors
    cdef public LinkColumns links
    cdef public SurroundingColumns surroundings
    cdef public double[:, ::1] light
    cdef public SightColumns sight
    cdef public ContactColumns contacts
    cdef public double[:, :, ::1] loudness, told_rank
    cdef public MeterColumns meters
    cdef public BeliefColumns beliefs
    cdef public unsigned char[:, :, ::1] told, sees_me
    cdef public DrawnColumns drawn
    cdef public FocusNumberColumns focus_numbers
    cdef public AttendedColumns attended
    cdef public StandingColumns standing
    cdef public unsigned char[:, ::1] search_done, has_caught, was_caught, has_seen_to, stuck
    cdef public unsigned char[:, ::1] newly_stuck
    cdef public DoingColumns doing
    cdef public SignalColumns signals
    cdef public LadderColumns ladders
    cdef public TimingColumns timing
    cdef public bint catches, any_speeds
    cdef public const int[:, :, ::1] speed_first, speed_last
    cdef public const double[:, ::1] speeds
    cdef public const double[:, :, ::1] reach
    cdef public signed char[:, :, ::1] caught


cdef class OutlookColumns(Columns):
    cdef public BodyColumns bodies
    cdef public SightNumberColumns numbers
    cdef public SightLimitColumns limits
    cdef public AroundColumns around
    cdef public LightColumns lamps
    cdef public ZoneColumns zones
    cdef public GridColumns grid
    cdef public ScratchColumns scratch


cdef class UpkeepColumns(Columns):
    cdef public bint disproves, any_ignores, grows, any_clues, keeps_apart
    cdef public const double[:, ::1] seen_empty, boxes, shuts_at, radii, bounds, seconds, within
    cdef public const double[:, ::1] reach, routine_rank
    cdef public const double[:, :, ::1] apart
    cdef public double[:, :, ::1] empty_for, lay, put
    cdef public unsigned char[:, :, ::1] is_empty, ignored, seen_to
    cdef public const unsigned char[:, :, ::1] passing
    cdef public OutlookColumns outlook
    cdef public double[:, ::1] spot, since
    cdef public unsigned char[::1] looked
    cdef public const unsigned char[::1] turned
    cdef public const unsigned char[:, ::1] ignores, opened, clue_on, lit, removed
    cdef public const int[::1] doors, link_starts, link_doors
    cdef public const double[::1] next_opening
    cdef public const signed char[:, ::1] clue
    cdef public const int[:, ::1] clue_of
    cdef public unsigned char[:, ::1] away
    cdef public signed char[:, :, ::1] news


cdef class PlaceStageColumns(Columns):
    cdef public GivenColumns tracked
    cdef public const int[::1] characters
    cdef public unsigned char[:, ::1] removed, away
    cdef public double[:, :, ::1] put


cdef class StreamColumns(Columns):
    cdef public unsigned long[:, :, ::1] key, block
    cdef public unsigned long[:, ::1] blocks
    cdef public Py_ssize_t[:, ::1] used


cdef class RoamStageColumns(Columns):
    cdef public GroundColumns areas
    cdef public FloorColumns floors
    cdef public StreamColumns streams
    cdef public int[:, ::1] area
    cdef public const double[:, :, ::1] every, pause
    cdef public double[:, ::1] until
    cdef public double[:, :, ::1] normal
    cdef public unsigned char[:, ::1] pausing, outside, keeps
    cdef public double[:, ::1] way


cdef class RoundStageColumns(Columns):
    cdef public const double[:, ::1] corners
    cdef public const int[:, :, ::1] first, last, about
    cdef public const signed char[:, :, ::1] order
    cdef public const double[:, :, ::1] pause, home, start, entered
    cdef public double[:, :, ::1] shift
    cdef public bint heights
    cdef public unsigned char[:, ::1] begun, pausing
    cdef public Py_ssize_t[:, ::1] at, step


cdef class FlightStageColumns(Columns):
    cdef public BodyColumns bodies
    cdef public GridColumns grid
    cdef public ScratchColumns scratch
    cdef public const int[::1] characters
    cdef public StreamColumns streams
    cdef public const double[:, ::1] spots
    cdef public const int[:, :, ::1] first, last, directions
    cdef public const unsigned char[:, :, ::1] keep_eyes, until_unseen, away
    cdef public const signed char[:, :, ::1] look
    cdef public const double[:, :, ::1] distance
    cdef public Py_ssize_t[:, ::1] chosen
    cdef public signed char[:, ::1] asks
    cdef public double[::1] lengths


cdef class NoteColumns(Columns):
    cdef public int[::1] variant, agent, search, point
    cdef public signed char[::1] what, outcome, method
    cdef public double[::1] t, x, y, z, likelihood, walked


cdef class SearchStageColumns(Columns):
    cdef public OutlookColumns outlook
    cdef public FloorColumns floors
    cdef public Py_ssize_t[::1] noted
    cdef public const int[::1] characters
    cdef public const signed char[:, :, ::1] method, look
    cdef public const double[:, :, ::1] radius, give_up, point_time, speed
    cdef public const int[:, :, ::1] first, last
    cdef public const double[:, ::1] places
    cdef public int[:, ::1] state
    cdef public Py_ssize_t[:, ::1] begun, at, size, target
    cdef public double[:, ::1] since, walked, x, y, z, until, spread_to, next_shot, spot
    cdef public signed char[:, ::1] over
    cdef public unsigned char[:, ::1] looked, asks, planned, going, waiting
    cdef public double[:, :, :, ::1] points
    cdef public double[:, :, ::1] chances
    cdef public const unsigned char[:, :, ::1] company
    cdef public signed char[:, :, ::1] cleared
    cdef public double[:, ::1] others
    cdef public unsigned char[::1] left, seen
    cdef public double[::1] lengths
    cdef public list cells
    cdef public bint shows
    cdef public NoteColumns notes


cdef class NamedColumns(Columns):
    cdef public const signed char[::1] kind
    cdef public const int[::1] row, zone
    cdef public const int[:, :, ::1] which


cdef class EntryStageColumns(Columns):
    cdef public const short[:, ::1] state
    cdef public const Py_ssize_t[:, ::1] states
    cdef public const double[:, :, ::1] rank, own_awake
    cdef public const double[:, :, :, ::1] awake_in
    cdef public double[:, :, ::1] awake
    cdef public const double[:, :, :, :, ::1] limits_in
    cdef public double[:, :, :, ::1] limits
    cdef public const double[:, :, ::1] pace, swing, period
    cdef public const signed char[:, :, ::1] gait, look, posture, kind
    cdef public double[:, :, ::1] entered, routine
    cdef public unsigned char[:, ::1] has_caught, was_caught, has_seen_to
    cdef public DoingColumns doing
    cdef public TimingColumns timing
