from snelk.level.columns cimport Columns, GridColumns, GroundStageColumns, ScratchColumns
from snelk.senses.columns cimport (
    BodyColumns, ContactColumns, EarStageColumns, HeardColumns, NoiseColumns, SightColumns,
    SightLimitColumns, SightNumberColumns, SurroundingColumns,
)


cdef class MeterNumberColumns(Columns):
    cdef public const unsigned char[:, ::1] used
    cdef public const double[:, ::1] fill_time, drain_time, drain_after, at_once, noise_gain
    cdef public const double[:, :, ::1] posture, weight
    cdef public const int[:, :, ::1] points
    cdef public const double[:, :, :, :, ::1] curves


cdef class MeterColumns(Columns):
    cdef public double[:, :, ::1] value, quiet, rate, noise
    cdef public int[:, :, ::1] cone
    cdef public signed char[:, :, ::1] sense, state
    cdef public double[:, :, :, ::1] factors


cdef class MemoryNumberColumns(Columns):
    cdef public const unsigned char[:, ::1] used
    cdef public const double[:, ::1] grace, lead, spread, forget


cdef class BeliefColumns(Columns):
    cdef public signed char[:, :, ::1] source
    cdef public double[:, :, ::1] x, y, z, vx, vy, age, blur


cdef class NewsColumns(Columns):
    cdef public double[:, :, ::1] x, y, z, age, blur


cdef class CodeColumns(Columns):
    cdef public const short[::1] steps
    cdef public const double[::1] numbers
    cdef public const Py_ssize_t[::1] starts


cdef class FactColumns(Columns):
    cdef public const double[:, :, ::1] values
    cdef public const double[::1] absent
    cdef public const int[::1] characters


cdef class LadderColumns(Columns):
    cdef public const short[:, ::1] state
    cdef public const Py_ssize_t[:, :, ::1] program
    cdef public const unsigned char[:, :, :, ::1] open
    cdef public const double[:, :, ::1] wait
    cdef public const double[:, :, :, ::1] reaction
    cdef public double[:, :, ::1] held, due
    cdef public signed char[:, :, ::1] news
    cdef public const double[:, :, ::1] least
    cdef public const unsigned char[:, :, ::1] interruptible
    cdef public Py_ssize_t[:, ::1] since
    cdef public const Py_ssize_t[:, ::1] busy_until
    cdef public unsigned char[:, ::1] out


cdef class FocusNumberColumns(Columns):
    cdef public const int[::1] characters
    cdef public const unsigned char[:, :, ::1] may
    cdef public const unsigned char[:, ::1] remembers, metered
    cdef public const double[:, ::1] stick
    cdef public const signed char[:, ::1] rule
    cdef public const double[:, :, ::1] worth
    cdef public const Py_ssize_t[::1] by_name


cdef class AttendedColumns(Columns):
    cdef public unsigned char[:, :, ::1] seen, heard, felt, smelt, was_seen, seen_to, sensed
    cdef public double[:, :, ::1] scent_age, lost_for, seen_for, x, y, z, first, away, value
    cdef public double[:, :, ::1] known_x, known_y, known_z
    cdef public int[:, ::1] focus


cdef class SignalColumns(Columns):
    cdef public short[:, ::1] state
    cdef public int[:, ::1] focus, entry, place
    cdef public unsigned char[:, ::1] seen, heard, felt, smelt, told, any_seen, any_heard
    cdef public unsigned char[:, ::1] any_felt, any_smelt, any_told, knows, arrived, unreachable, done
    cdef public unsigned char[:, ::1] failed, search_done, stuck, faces_focus, caught, was_caught
    cdef public unsigned char[:, ::1] seen_to, observed, asleep, inside_territory
    cdef public unsigned char[:, ::1] target_inside_territory
    cdef public double[:, ::1] meter, exposure, distance, from_home, lost_for, seen_for
    cdef public double[:, ::1] scent_age
    cdef public double[:, ::1] state_for, told_rank, rank, bearing, own_speed, own_height
    cdef public double[:, ::1] own_light, target_speed, target_height, target_light
    cdef public double[:, ::1] target_x, target_y, target_z
    cdef public double[:, ::1] goal_x, goal_y, goal_z


cdef class DrawnColumns(Columns):
    cdef public double[:, ::1] x, y, z, age, blur, meter, quiet
    cdef public unsigned char[:, ::1] heard
    cdef public int[:, ::1] kind


cdef class CellColumns(Columns):
    cdef public const double[:, ::1] centres
    cdef public const int[::1] starts, others
    cdef public const double[::1] parts
    cdef public double[::1] share, around, side, cleared, shot
    cdef public unsigned char[::1] seen, theirs, is_shot


cdef class MindStageColumns(Columns):
    cdef public double dt
    cdef public bint remembers
    cdef public SightNumberColumns numbers
    cdef public SightLimitColumns limits
    cdef public SurroundingColumns surroundings
    cdef public SightColumns sight
    cdef public ContactColumns contacts
    cdef public double[:, :, ::1] loudness
    cdef public MeterNumberColumns meter_numbers
    cdef public MeterColumns meters
    cdef public MemoryNumberColumns memory_numbers
    cdef public NewsColumns heard, told
    cdef public GridColumns grid
    cdef public ScratchColumns scratch
    cdef public BeliefColumns beliefs


cdef class LadderStageColumns(Columns):
    cdef public CodeColumns code
    cdef public FactColumns facts
    cdef public double[:, :, ::1] values
    cdef public double[::1] stack
    cdef public LadderColumns ladders
    cdef public unsigned char[:, :, ::1] ready
    cdef public Py_ssize_t[:, ::1] concerned
    cdef public Py_ssize_t[::1] pairs


cdef class MessageColumns(Columns):
    cdef public Py_ssize_t[::1] variant, teller, listener, target, arrives
    cdef public double[::1] x, y, z, age, blur, rank


cdef class TellStageColumns(Columns):
    cdef public double dt
    cdef public const int[::1] characters
    cdef public BodyColumns bodies
    cdef public BeliefColumns beliefs
    cdef public NewsColumns heard
    cdef public ContactColumns contacts
    cdef public const unsigned char[:, :, ::1] notices
    cdef public const unsigned char[:, ::1] tells, passes, ears, remembers
    cdef public const double[:, ::1] reach
    cdef public const Py_ssize_t[:, ::1] delay, every
    cdef public const unsigned char[:, :, ::1] audience
    cdef public Py_ssize_t[:, :, ::1] next_time
    cdef public double[:, :, ::1] passed_on
    cdef public unsigned char[:, :, ::1] due
    cdef public Py_ssize_t[:, ::1] tellers
    cdef public Py_ssize_t[::1] said
    cdef public bint keeps
    cdef public signed char[:, :, ::1] failed
    cdef public double[:, ::1] straight, limit
    cdef public Py_ssize_t[:, ::1] wall
    cdef public NewsColumns news
    cdef public unsigned char[:, :, ::1] told
    cdef public double[:, :, ::1] told_rank


cdef class ListenStageColumns(Columns):
    cdef public EarStageColumns ears
    cdef public GroundStageColumns walk
    cdef public const unsigned char[:, ::1] always, seldom
    cdef public bint any_seldom
    cdef public const Py_ssize_t[:, ::1] every
    cdef public Py_ssize_t last_tick
    cdef public unsigned char[:, ::1] due
    cdef public Py_ssize_t[:, ::1] last
    cdef public NoiseColumns waiting
    cdef public Py_ssize_t[::1] waiting_at, waiting_count, heard_count, now
    cdef public HeardColumns heard
    cdef public double[:, :, ::1] loudness
    cdef public NewsColumns news


cdef class DrawStageColumns(Columns):
    cdef public const unsigned char[:, ::1] can
    cdef public const double[:, ::1] error, forget
    cdef public MeterNumberColumns meters
    cdef public double[:, ::1] loud
    cdef public unsigned char[::1] is_loud
    cdef public DrawnColumns drawn
