"""Rows of a table as NumPy columns, for quick answers.

Users want DataFrames, but loading pandas takes longer than most answers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.errors import InputError, nearest
from snelk.runs.store import read_table
from snelk.showing import MOST_SHOWN, html_table, line

if TYPE_CHECKING:
    import pyarrow as pa

Values = NDArray[Any]


class Words(NamedTuple):
    """A column of words.

    Attributes:
        codes: (rows,) the number of each row's word; negative for none.
        known: The words, by index.
    """

    codes: NDArray[np.intp]
    known: tuple[str, ...]

    @classmethod
    def of(cls, words: Iterable[str]) -> Words:
        """A column of these words; an empty word is null."""
        words = list(words)
        known = tuple(dict.fromkeys(word for word in words if word))
        place = {word: n for n, word in enumerate(known)}
        return cls(np.array([place.get(word, -1) for word in words], dtype=np.intp), known)

    @classmethod
    def alike(cls, word: str, count: int) -> Words:
        """A column of the same word so many times."""
        return cls(np.zeros(count, dtype=np.intp), (word,))

    def texts(self) -> NDArray[np.object_]:
        """(rows,) the words; an empty text for none."""
        return np.array([*self.known, ""], dtype=object)[self.codes]

    def codes_in(self, words: Sequence[str]) -> NDArray[np.intp]:
        """(rows,) the index of each row's word among other words; -1 if missing."""
        place = {word: n for n, word in enumerate(words)}
        return np.array([*(place.get(word, -1) for word in self.known), -1])[self.codes]


class Rows(Mapping[str, Values]):
    """Rows of a table: the values of each column, by its name.

    Words are texts, empty where there is none; a number that is not there is NaN, a truth false.

    >>> rows = Rows({"t": np.array([0.0, 0.5]), "state": Words.of(["calm", "alarmed"])})
    >>> rows.where(state="alarmed")["t"]
    array([0.5])
    """

    def __init__(self, columns: Mapping[str, Values | Words]) -> None:
        self._columns = dict(columns)
        self._names: tuple[str, ...] = tuple(columns)
        self._count = next((_length(column) for column in columns.values()), 0)
        self._found: Callable[[str], Values | Words] | None = None

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: the first rows."""
        first = self.take(slice(0, MOST_SHOWN))
        rows = [dict(zip(self._names, each, strict=True)) for each in zip(
            *(first[name].tolist() for name in self._names), strict=True)]  # fmt: skip
        return html_table(rows) + line(f"{self._count} rows")

    @classmethod
    def of(cls, table: Any, *, group: int | None = None) -> Rows:
        """The rows of an Arrow table, or of a file or one of its groups of rows.

        A column is only read when it is asked for.
        """
        if hasattr(table, "column_names"):
            names, count, column = table.column_names, table.num_rows, table.column
        else:
            notes = table.metadata
            names = table.schema_arrow.names
            count = notes.num_rows if group is None else notes.row_group(group).num_rows

            def column(name: str) -> pa.ChunkedArray:
                if group is not None:
                    return table.read_row_group(group, [name], use_threads=False).column(0)
                return read_table(table, name).column(0)

        return cls._found_by(names, count, lambda name: _taken_out(column(name)))

    @classmethod
    def _found_by(
        cls, names: Iterable[str], count: int, found: Callable[[str], Values | Words]
    ) -> Rows:
        rows = cls({})
        rows._names, rows._count, rows._found = tuple(names), count, found
        return rows

    def __reduce__(self) -> tuple[Any, ...]:
        """What another process needs of it: all columns."""
        return Rows, ({name: self.column(name) for name in self},)

    def __len__(self) -> int:
        """How many rows there are, not how many columns."""
        return self._count

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __getitem__(self, name: str) -> Values:
        column = self.column(name)
        return column.texts() if isinstance(column, Words) else column

    def column(self, name: str) -> Values | Words:
        """A column as it is stored: words with their numbers."""
        if name not in self._columns:
            if name not in self._names or self._found is None:
                raise KeyError(f'no such column, "{name}"; {nearest(name, self._names)}')
            self._columns[name] = self._found(name)
        return self._columns[name]

    def words(self, name: str) -> Words:
        """A column that contains words.

        Raises:
            InputError: It holds numbers.
        """
        column = self.column(name)
        if not isinstance(column, Words):
            raise InputError.of("rows", name, "", "contains numbers, not text", "use take")
        return column

    def take(self, which: Values | slice) -> Rows:
        """Some of the rows: by a truth of each, by their numbers, or a stretch of them."""
        count = len(np.arange(self._count)[which])
        return self._found_by(self._names, count, lambda name: _some(self.column(name), which))

    def where(self, **wanted: str) -> Rows:
        """The rows in which columns of words have these values."""
        return self.take(self.equal(**wanted))

    def equal(self, **wanted: str) -> NDArray[np.bool_]:
        """(rows,) whether columns of words have these values."""
        found = np.ones(len(self), dtype=np.bool_)
        for name, word in wanted.items():
            column = self.words(name)
            found &= column.codes == (column.known.index(word) if word in column.known else -2)
        return found

    def last_of_each(self, *names: str) -> Rows:
        """Of rows that are alike in some columns the last, in the order in which they stand."""
        alike = zip(*(self[name].tolist() for name in names), strict=True)
        last = {key: number for number, key in enumerate(alike)}
        return self.take(np.array(sorted(last.values()), dtype=np.intp))

    def changed(self, **columns: Values | Words) -> Rows:
        """The same rows with other columns, or more."""
        return Rows({**{name: self.column(name) for name in self}, **columns})

    def row(self, number: int) -> Row:
        """One row; a negative number counts from the last.

        Raises:
            IndexError: There is no such row.
        """
        if not -len(self) <= number < len(self):
            raise IndexError(f"row {number} of {len(self)}")
        return Row(_Lists(self.take(slice(number, number + 1 or None))), 0)

    def each(self) -> Iterator[Row]:
        """The rows one by one."""
        lists = _Lists(self)
        return (Row(lists, number) for number in range(len(self)))


class Row:
    """One row: its values as attributes, named like the columns."""

    __slots__ = ("_lists", "_number")

    def __init__(self, lists: _Lists, number: int) -> None:
        self._lists = lists
        self._number = number

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):  # what copying and pickling ask for is no column
            raise AttributeError(name)
        try:
            return self._lists[name][self._number]
        except KeyError as error:
            raise AttributeError(*error.args) from None


class _Lists(dict[str, list[Any]]):
    """Columns as lists, made when they are first asked for."""

    def __init__(self, rows: Rows) -> None:
        self.rows = rows

    def __missing__(self, name: str) -> list[Any]:
        self[name] = self.rows[name].tolist()
        return self[name]


def _length(column: Values | Words) -> int:
    return len(column.codes if isinstance(column, Words) else column)


def _some(column: Values | Words, which: Values | slice) -> Values | Words:
    if isinstance(column, Words):
        return Words(column.codes[which], column.known)
    return column[which]


def _taken_out(column: pa.ChunkedArray) -> Values | Words:
    """A column of an Arrow table, read from its buffers: to_numpy would load pandas."""
    import pyarrow as pa

    kind = column.type
    if pa.types.is_string(kind):
        return Words.of([text or "" for text in column.to_pylist()])
    if pa.types.is_dictionary(kind):
        chunks = column.unify_dictionaries().chunks
        known = tuple(chunks[0].dictionary.to_pylist()) if chunks else ()
        codes = [np.where(_there(chunk), _numbers(chunk.indices), -1) for chunk in chunks]
        return Words(np.concatenate([np.zeros(0, dtype=np.intp), *codes]).astype(np.intp), known)
    parts = [_numbers(chunk) for chunk in column.chunks]
    if column.null_count:
        lacking = False if pa.types.is_boolean(kind) else np.nan
        parts = [
            np.where(_there(chunk), part, lacking)
            for chunk, part in zip(column.chunks, parts, strict=True)
        ]
    return np.concatenate(parts) if parts else np.zeros(0)


def _there(chunk: pa.Array) -> NDArray[np.bool_]:
    """(rows,) which values are not null."""
    bits = chunk.buffers()[0]
    return np.ones(len(chunk), dtype=np.bool_) if bits is None else _truths(bits, chunk)


def _numbers(chunk: pa.Array) -> Values:
    """(rows,) numbers or truth values; any value where they are null."""
    import pyarrow as pa

    data = chunk.buffers()[1]
    if pa.types.is_boolean(chunk.type):
        return _truths(data, chunk)
    whole: Values = np.frombuffer(data, dtype=chunk.type.to_pandas_dtype())
    return whole[chunk.offset : chunk.offset + len(chunk)]


def _truths(bits: pa.Buffer, chunk: pa.Array) -> NDArray[np.bool_]:
    every = np.unpackbits(np.frombuffer(bits, dtype=np.uint8), bitorder="little")
    found: NDArray[np.bool_] = every[chunk.offset : chunk.offset + len(chunk)].astype(np.bool_)
    return found
