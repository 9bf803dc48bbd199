from snelk.level.columns cimport Columns


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
