cimport cython

from snelk.senses.columns cimport PoseColumns, SenseStageColumns
from snelk.senses.feeling cimport _feel
from snelk.senses.seeing cimport _see
from snelk.senses.shining cimport _shine
from snelk.senses.surrounding cimport _surround

cdef bint _sense_freely(
    SenseStageColumns stage, PoseColumns poses, PoseColumns before,
    const unsigned char[:, ::1] looks,
) noexcept

@cython.locals(rows=Py_ssize_t, characters=Py_ssize_t, agrees=bint)
cdef bint _sense(
    SenseStageColumns stage, PoseColumns poses, PoseColumns before,
    const unsigned char[:, ::1] looks,
) noexcept nogil
