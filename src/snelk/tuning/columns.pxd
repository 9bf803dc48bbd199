from snelk.level.columns cimport Columns


cdef class FollowedColumns(Columns):
    cdef public const double[:, ::1] since
    cdef public double[::1] first, end, true_at, false_at, true, false, gap, gap_at, most, most_at
