cimport cython

from snelk.mind.columns cimport NewsColumns
from snelk.senses.columns cimport EarStageColumns, HeardColumns, NoiseColumns

cdef Py_ssize_t HEARD, NOBODY

@cython.locals(pair=Py_ssize_t, v=Py_ssize_t, a=Py_ssize_t, j=Py_ssize_t, age=double)
cdef void _add_up(
    EarStageColumns stage, NoiseColumns noises, HeardColumns heard, Py_ssize_t pairs, double now,
    double[:, :, ::1] loudness, NewsColumns news,
) noexcept nogil
