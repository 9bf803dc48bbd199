from snelk.level.columns cimport Columns
from snelk.mind.columns cimport MeterColumns
from snelk.senses.columns cimport ContactColumns, SightColumns


cdef class WatchStageColumns(Columns):
    cdef public SightColumns sight
    cdef public ContactColumns contacts
    cdef public MeterColumns meters
    cdef public const int[::1] agents
    cdef public const unsigned char[::1] metered
    cdef public double[::1] full, highest
    cdef public Py_ssize_t[::1] by
    cdef public unsigned char[:, ::1] watched
