cimport cython

from snelk.mind.columns cimport MindStageColumns
from snelk.mind.filling cimport _fill
from snelk.mind.remembering cimport _remember
from snelk.senses.columns cimport PoseColumns

cdef bint _mind_freely(
    MindStageColumns stage, PoseColumns poses, PoseColumns before,
) noexcept

@cython.locals(rows=Py_ssize_t, characters=Py_ssize_t, agrees=bint)
cdef bint _mind(MindStageColumns stage, PoseColumns poses, PoseColumns before) noexcept nogil
