from snelk.body.columns cimport (
    BodyStageColumns, NamedColumns, FlightStageColumns, MovingColumns, PlacedColumns,
    PlaceStageColumns, RoamStageColumns, RoundStageColumns, SearchStageColumns, UpkeepColumns,
)
from snelk.level.columns cimport Columns
from snelk.mind.columns cimport (
    BeliefColumns, CodeColumns, DrawStageColumns, FactColumns, LadderStageColumns,
    ListenStageColumns, MessageColumns, MeterColumns, MindStageColumns, SignalColumns,
    TellStageColumns,
)
from snelk.senses.columns cimport (
    ContactColumns, HeardColumns, NoiseColumns, PoseColumns, SenseStageColumns, SightColumns,
    SmellStageColumns, StepStageColumns,
)


cdef class ValueCopyColumns(Columns):
    cdef public Py_ssize_t ticks
    cdef public const unsigned char[:, ::1] now
    cdef public const Py_ssize_t[::1] places
    cdef public unsigned char[:, :, ::1] kept


cdef class ColumnCopyColumns(Columns):
    cdef public const unsigned char[:, ::1] now
    cdef public unsigned char[:, ::1] kept


cdef class TableCopyColumns(Columns):
    cdef public const Py_ssize_t[::1] new
    cdef public Py_ssize_t[::1] held, ticks
    cdef public list columns


cdef class CopyStageColumns(Columns):
    cdef public Py_ssize_t first, end
    cdef public list values, tables


cdef class PairColumns(Columns):
    cdef public const int[::1] agent, target
    cdef public const unsigned char[:, ::1] metered
    cdef public const double[:, ::1] notice


cdef class TallyColumns(Columns):
    cdef public double[::1] end
    cdef public double[:, ::1] first_sensed, first_seen, first_noticed, first_full, in_view
    cdef public double[:, ::1] unseen, longest_unseen, losses, regains, view_flicker, turned
    cdef public unsigned char[:, ::1] was_seen
    cdef public double[:, ::1] highest, believed, error_sum, error_count, worst
    cdef public double[:, ::1] walked, last_x, last_y, highest_rank
    cdef public double[:, :, ::1] states, noises_heard


cdef class CountStageColumns(Columns):
    cdef public double undone
    cdef public PairColumns pairs
    cdef public const Py_ssize_t[::1] last
    cdef public SightColumns sight
    cdef public ContactColumns contacts
    cdef public double[:, :, ::1] loudness
    cdef public MeterColumns meters
    cdef public BeliefColumns beliefs
    cdef public const int[::1] characters
    cdef public SignalColumns signals
    cdef public const double[:, :, ::1] rank
    cdef public const unsigned char[:, ::1] used
    cdef public TallyColumns tally


cdef class FollowedColumns(Columns):
    cdef public double[:, ::1] since
    cdef public double[::1] first, end, true_at, false_at, true, false, gap, gap_at, most, most_at


cdef class FollowStageColumns(Columns):
    cdef public unsigned char[:, ::1] holds
    cdef public double[:, ::1] gap, value
    cdef public FollowedColumns so_far


cdef class TrialStageColumns(Columns):
    cdef public Py_ssize_t asks, target, row, awaits, awaited
    cdef public double low, high, within
    cdef public const int[::1] agents, awaited_of
    cdef public const unsigned char[:, ::1] metered
    cdef public const double[:, ::1] limit
    cdef public const short[:, ::1] states, awaited_states
    cdef public FollowStageColumns follow


cdef class JudgeStageColumns(Columns):
    cdef public const Py_ssize_t[::1] last
    cdef public SightColumns sight
    cdef public ContactColumns contacts
    cdef public const double[:, :, ::1] loudness
    cdef public MeterColumns meters
    cdef public const int[::1] characters
    cdef public const short[:, ::1] state
    cdef public SignalColumns signals
    cdef public CodeColumns code
    cdef public FactColumns facts
    cdef public NamedColumns named
    cdef public double[:, :, ::1] table
    cdef public double[::1] stack
    cdef public const unsigned char[:, ::1] asked
    cdef public unsigned char[:, :, ::1] true
    cdef public list trials


cdef class TickStageColumns(Columns):
    cdef public double dt
    cdef public const double[::1] times
    cdef public Py_ssize_t[::1] at
    cdef public const double[::1] next_effect
    cdef public bint is_pushed, any_drawn, any_tells
    cdef public PlaceStageColumns placed
    cdef public PoseColumns even_poses, odd_poses
    cdef public PlacedColumns even_room, odd_room
    cdef public MovingColumns moving
    cdef public const Py_ssize_t[:, ::1] look_every
    cdef public unsigned char[:, ::1] looks
    cdef public SenseStageColumns senses
    cdef public SmellStageColumns smells
    cdef public StepStageColumns steps
    cdef public NoiseColumns made, noises
    cdef public Py_ssize_t[::1] made_count, noises_made_at, noises_count, order, numbered
    cdef public ListenStageColumns listens
    cdef public DrawStageColumns draws
    cdef public TellStageColumns tells
    cdef public NoiseColumns voices
    cdef public HeardColumns voiced
    cdef public Py_ssize_t[::1] voices_count, voiced_count
    cdef public MessageColumns going, came
    cdef public Py_ssize_t[::1] going_count, came_count
    cdef public MindStageColumns minds
    cdef public const double[:, :, ::1] awake
    cdef public double[:, :, ::1] awake_then
    cdef public BodyStageColumns bodies
    cdef public const unsigned char[:, :, ::1] ignored
    cdef public NamedColumns named
    cdef public UpkeepColumns upkeep
    cdef public LadderStageColumns ladders
    cdef public RoamStageColumns roams
    cdef public RoundStageColumns rounds
    cdef public FlightStageColumns flights
    cdef public SearchStageColumns searches
    cdef public list walks, counts, judges
    cdef public CopyStageColumns copies
