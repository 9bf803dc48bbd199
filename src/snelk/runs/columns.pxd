from snelk.level.columns cimport Columns
from snelk.mind.columns cimport BeliefColumns, MeterColumns, SignalColumns
from snelk.senses.columns cimport ContactColumns, SightColumns


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
    cdef public double[:, :, ::1] states


cdef class CountStageColumns(Columns):
    cdef public double undone
    cdef public PairColumns pairs
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
