cimport cython

from snelk.body.columns cimport OutlookColumns
from snelk.body.moving cimport off_heading
from snelk.level.casting cimport share_past
from snelk.level.lengths cimport hypot
from snelk.senses.columns cimport PoseColumns
from snelk.senses.seeing cimport range_of, gate_of_cone, is_too_dark
from snelk.senses.shining cimport lamp_light
from snelk.senses.surrounding cimport light_at

cdef double NAN, EDGE
cdef Py_ssize_t LINE_OF_SIGHT

@cython.locals(
    p=Py_ssize_t, i=Py_ssize_t, n=Py_ssize_t, k=Py_ssize_t, x=double, y=double, z=double,
    eye=double, lamp=double, half=double, dx=double, dy=double, to_z=double, across=double,
    away=double, off=double, elevation=double, light=double, share=double, near=bint,
)
cdef void look_at_all(
    Py_ssize_t v, Py_ssize_t a, Py_ssize_t whom, Py_ssize_t tall, const double[:, ::1] places, PoseColumns poses,
    OutlookColumns outlook, unsigned char[::1] found,
) noexcept nogil
