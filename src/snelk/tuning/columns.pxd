from snelk.level.columns cimport Columns
from snelk.mind.columns cimport MeterColumns
from snelk.senses.columns cimport ContactColumns, SightColumns


cdef class FollowedColumns(Columns):
    cdef public const double[:, ::1] since
    cdef public double[::1] first, end, true_at, false_at, true, false, gap, gap_at, most, most_at


cdef class FollowStageColumns(Columns):
    cdef public unsigned char[:, ::1] holds
    cdef public double[:, ::1] gap, value
    cdef public FollowedColumns so_far


cdef class TrialStageColumns(Columns):
    cdef public Py_ssize_t asks, target, row
    cdef public double low, high, within
    cdef public const int[::1] agents
    cdef public const unsigned char[:, ::1] metered
    cdef public const double[:, ::1] limit
    cdef public const short[:, ::1] states
    cdef public FollowStageColumns follow


cdef class JudgeStageColumns(Columns):
    cdef public SightColumns sight
    cdef public ContactColumns contacts
    cdef public const double[:, :, ::1] loudness
    cdef public MeterColumns meters
    cdef public const short[:, ::1] state
    cdef public const unsigned char[:, :, ::1] true
    cdef public list trials


cdef class WatchStageColumns(Columns):
    cdef public SightColumns sight
    cdef public ContactColumns contacts
    cdef public MeterColumns meters
    cdef public const int[::1] agents
    cdef public const unsigned char[::1] metered
    cdef public double[::1] full, highest
    cdef public Py_ssize_t[::1] by
    cdef public unsigned char[:, ::1] watched
