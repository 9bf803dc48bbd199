"""Arrow tables of arrays and lists, without pandas.

`pyarrow.array` imports pandas, if it is installed, only to see whether it was given something of
it. That takes a quarter of a short run's time, so arrays are handed over as Arrow lays them out.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from itertools import accumulate
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

STRING, NUMBER, WHOLE = pa.string(), pa.float64(), pa.int64()
PLAIN: dict[pa.DataType, Any] = {NUMBER: np.float64, WHOLE: np.int64}
"""The kinds of columns that rows are made of."""

MOST_BYTES = 2**31 - 1
"""Of the texts of one array."""


def table_of(columns: Mapping[str, pa.Array | NDArray[Any]]) -> pa.Table:
    """A table of columns; of arrays of numbers nothing is null."""
    arrays = [
        array_of(column) if isinstance(column, np.ndarray) else column
        for column in columns.values()
    ]
    return pa.Table.from_arrays(arrays, names=list(columns))


def array_of(values: NDArray[Any], nothing: NDArray[np.bool_] | None = None) -> pa.Array:
    """Numbers or truths, null where there is nothing.

    The memory is shared, if it is in one piece: an array that will be overwritten is to be copied.

    >>> array_of(np.array([1.5, 2.5]), np.array([False, True])).to_pylist()
    [1.5, None]
    """
    values = np.ascontiguousarray(values)
    laid = _bits(values) if values.dtype.kind == "b" else values
    there = None if nothing is None or not nothing.any() else pa.py_buffer(_bits(~nothing))
    kind = pa.from_numpy_dtype(values.dtype)
    return pa.Array.from_buffers(kind, len(values), [there, pa.py_buffer(laid)])


def numbers_of(values: NDArray[np.float64]) -> pa.Array:
    """Numbers, null where NaN; copied, because blocks are reused."""
    return array_of(values.copy(), np.isnan(values))


def texts_of(words: Iterable[str | None]) -> pa.Array:
    """Texts; None is null.

    >>> texts_of(["gander", None, ""]).to_pylist()
    ['gander', None, '']
    """
    words = list(words)
    coded = [b"" if word is None else word.encode("utf-8") for word in words]
    ends = [*accumulate(map(len, coded), initial=0)]
    if ends[-1] > MOST_BYTES:
        return pa.array(words, STRING)  # in pieces
    there = None
    if None in words:
        there = pa.py_buffer(_bits(np.array([word is not None for word in words], np.bool_)))
    laid = np.array(ends, dtype=np.int32)
    buffers = [there, pa.py_buffer(laid), pa.py_buffer(b"".join(coded))]
    return pa.Array.from_buffers(STRING, len(words), buffers)


def guessed_of(values: Sequence[Any]) -> pa.Array:
    """Values of which the kind is not known before, as `pyarrow.array` takes them.

    >>> guessed_of([1, 2]).type, guessed_of([1, 2.5]).type
    (DataType(int64), DataType(double))
    """
    kinds = {type(value) for value in values}
    if kinds == {str}:
        return texts_of(values)
    plain = np.array(values) if kinds in ({bool}, {int}, {float}) else np.empty(0, dtype=object)
    return array_of(plain) if plain.dtype.kind in "bif" else pa.array(values)


def words_of(codes: NDArray[np.integer], words: Iterable[str]) -> pa.DictionaryArray:
    """Names by their number; a negative number is nothing.

    >>> words_of(np.array([1, -1, 0]), ["calm", "alarmed"]).to_pylist()
    ['alarmed', None, 'calm']
    """
    codes = np.array(codes, dtype=np.int32)
    return pa.DictionaryArray.from_arrays(array_of(codes, codes < 0), texts_of(words))


def table_of_rows(kinds: Mapping[str, pa.DataType], rows: Sequence[Sequence[Any]]) -> pa.Table:
    """Rows as a table, each column of its kind; None and NaN are null.

    >>> table_of_rows({"t": NUMBER, "agent": STRING}, [(0.5, "gander"), (None, None)]).to_pylist()
    [{'t': 0.5, 'agent': 'gander'}, {'t': None, 'agent': None}]
    """
    columns = zip(*rows, strict=True) if rows else [()] * len(kinds)
    found: dict[str, pa.Array] = {}
    for (name, kind), column in zip(kinds.items(), columns, strict=True):
        values = [None if value != value else value for value in column]
        if kind == STRING:
            found[name] = texts_of(values)
            continue
        nothing = np.array([value is None for value in values], dtype=np.bool_)
        plain = [0 if value is None else value for value in values]
        found[name] = array_of(np.array(plain, dtype=PLAIN[kind]), nothing)
    return table_of(found)


def _bits(truths: NDArray[np.bool_]) -> NDArray[np.uint8]:
    """Truths as Arrow has them: a bit each, the lowest first."""
    return np.packbits(truths, bitorder="little")
