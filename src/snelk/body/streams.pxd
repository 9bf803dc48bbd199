cimport cython

from snelk.body.columns cimport StreamColumns

cdef unsigned long long WORD, HALF, TIMES_0, TIMES_1, PLUS_0, PLUS_1
cdef Py_ssize_t ROUNDS, BLOCK
cdef double STEP

cdef double next_of(StreamColumns streams, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(word=cython.ulonglong, product=cython.ulonglong, upper=bint)
cdef unsigned long long whole_of(
    StreamColumns streams, Py_ssize_t v, Py_ssize_t a, unsigned long long count,
) noexcept nogil

@cython.locals(n=Py_ssize_t, word=cython.ulonglong)
cdef unsigned long long _word_of(
    StreamColumns streams, Py_ssize_t v, Py_ssize_t a,
) noexcept nogil

@cython.locals(
    key_0=cython.ulonglong, key_1=cython.ulonglong, count=cython.ulonglong,
    word_0=cython.ulonglong, word_1=cython.ulonglong, word_2=cython.ulonglong,
    word_3=cython.ulonglong, high_0=cython.ulonglong, high_1=cython.ulonglong,
    low_0=cython.ulonglong, low_1=cython.ulonglong,
)
cdef void _draw_block(StreamColumns streams, Py_ssize_t v, Py_ssize_t a) noexcept nogil

@cython.locals(
    low=cython.ulonglong, high=cython.ulonglong, first=cython.ulonglong, second=cython.ulonglong,
)
cdef unsigned long long _high(unsigned long long one, unsigned long long other) noexcept nogil
