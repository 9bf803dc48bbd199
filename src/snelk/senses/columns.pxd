from snelk.level.columns cimport Columns, FloorColumns, GridColumns, ScratchColumns, ZoneColumns


cdef class PoseColumns(Columns):
    cdef public const double[:, ::1] x, y, z, heading
    cdef public const signed char[:, ::1] posture, gait
    cdef public const unsigned char[:, ::1] present


cdef class BodyColumns(Columns):
    cdef public const double[:, :, ::1] height, eyes
    cdef public const double[:, :, :, ::1] points
    cdef public const double[:, ::1] blocks
    cdef public const int[:, ::1] lies


cdef class AroundColumns(Columns):
    cdef public const double[::1] light, background, zone_background
    cdef public const double[:, ::1] zone_light


cdef class SurroundingColumns(Columns):
    cdef public unsigned char[:, :, ::1] zones
    cdef public double[:, ::1] light, background, speed, moved


cdef class LightColumns(Columns):
    cdef public const double[:, ::1] lamp, reach, least


cdef class SightNumberColumns(Columns):
    cdef public const int[::1] characters
    cdef public const unsigned char[:, :, ::1] notices
    cdef public const unsigned char[:, :, :, ::1] cares
    cdef public const int[:, ::1] cones


cdef class SightLimitColumns(Columns):
    cdef public const double[:, ::1] awake
    cdef public const double[:, :, ::1] range, hold_range, half_fov, hold_half_fov, up, down
    cdef public const double[:, :, ::1] min_light, min_exposure


cdef class SightColumns(Columns):
    cdef public unsigned char[:, ::1] looked
    cdef public double[:, :, ::1] distance, off, elevation, light, exposure
    cdef public int[:, :, ::1] wall
    cdef public double[:, :, :, ::1] wall_place
    cdef public unsigned char[:, :, :, ::1] held
    cdef public signed char[:, :, :, ::1] failed


cdef class ContactNumberColumns(Columns):
    cdef public const int[::1] characters
    cdef public const unsigned char[:, ::1] feels, watches, smells
    cdef public const double[:, ::1] radius, reach, weakest
    cdef public const unsigned char[:, :, ::1] touch_cares, zones, zone_cares, smell_cares
    cdef public const double[:, :, ::1] rates


cdef class ContactColumns(Columns):
    cdef public double[:, :, ::1] distance, radius, strength, scent_age, scent_x, scent_y, scent_z
    cdef public double[:, :, ::1] away, limit
    cdef public signed char[:, :, ::1] touch, zone, smell
    cdef public unsigned char[:, :, ::1] felt
    cdef public double[:, :, :, ::1] fills
    cdef public int[:, :, ::1] wall, zone_in, scent_wall


cdef class AirColumns(Columns):
    cdef public const unsigned char[:, ::1] leaves
    cdef public const double[:, ::1] scent
    cdef public const double[::1] weakest, fades, thins, wind_x, wind_y, zone_wind, zone_scent


cdef class TrailColumns(Columns):
    cdef public double[:, :, ::1] x, y, z, t, scent, wind, strength
    cdef public Py_ssize_t[:, ::1] first, size
    cdef public Py_ssize_t[::1] longest


cdef class NoiseColumns(Columns):
    cdef public Py_ssize_t[::1] variant, noise, kind, gait, ground, by, listed
    cdef public double[::1] t, x, y, z, reach


cdef class HeardColumns(Columns):
    cdef public Py_ssize_t[::1] variant, row, noise, agent, by, wall
    cdef public signed char[::1] failed
    cdef public double[::1] acuity, background, limit, straight, through, height, around
    cdef public double[::1] strength, x, y
    cdef public double[:, ::1] ear


cdef class SenseStageColumns(Columns):
    cdef public double dt
    cdef public Py_ssize_t asked
    cdef public const int[::1] everybody
    cdef public BodyColumns bodies
    cdef public ZoneColumns zones
    cdef public AroundColumns around
    cdef public SurroundingColumns surroundings
    cdef public LightColumns lights
    cdef public double[:, ::1] light
    cdef public SightNumberColumns numbers
    cdef public SightLimitColumns limits
    cdef public GridColumns grid, solid_grid
    cdef public ScratchColumns scratch
    cdef public SightColumns sight
    cdef public ContactNumberColumns contact_numbers
    cdef public const double[:, :, ::1] awake
    cdef public ContactColumns contacts


cdef class SmellStageColumns(Columns):
    cdef public bint used
    cdef public const unsigned char[:, :, ::1] notices
    cdef public BodyColumns bodies
    cdef public SurroundingColumns surroundings
    cdef public AirColumns air
    cdef public TrailColumns trails
    cdef public ContactNumberColumns numbers
    cdef public const double[:, ::1] awake
    cdef public GridColumns grid
    cdef public ScratchColumns scratch
    cdef public ContactColumns contacts


cdef class StepStageColumns(Columns):
    cdef public double dt
    cdef public const double[:, ::1] moved, stride, loudness
    cdef public const double[:, :, ::1] reaches, speeds
    cdef public ZoneColumns zones
    cdef public const Py_ssize_t[::1] zone_ground
    cdef public double[:, ::1] walked
    cdef public Py_ssize_t[:, ::1] ended


cdef class EarStageColumns(Columns):
    cdef public const int[::1] characters
    cdef public BodyColumns bodies
    cdef public const double[:, ::1] acuity, awake, error
    cdef public const unsigned char[:, :, ::1] cares
    cdef public GridColumns sound_grid, feet_grid
    cdef public double low, high
    cdef public ScratchColumns scratch
    cdef public FloorColumns floors
    cdef public const int[::1] way_of, which
