"""Reading tables as CSV, Parquet or JSON Lines."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
from numpy.typing import NDArray

from snelk.config.reading import no_such_file, read_text
from snelk.errors import ReadError

MOST_ROWS = 5_000_000
"""Of one table that is read."""

MOST_DEPTH = 100
"""How deep values of JSON Lines may be nested."""


@dataclass(frozen=True)
class FileRows:
    """The rows of a table that was read.

    Attributes:
        columns: By name: (rows,) numbers, or objects as they stood there.
        what: What its file counts: `line` or `row`.
        places: (rows,) where in its file each was.
    """

    columns: Mapping[str, NDArray[Any]]
    what: str
    places: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.places)

    def __contains__(self, name: str) -> bool:
        return name in self.columns

    def __getitem__(self, name: str) -> NDArray[Any]:
        return self.columns[name]

    def only(self, which: NDArray[np.bool_]) -> FileRows:
        """Some of them."""
        columns = {name: values[which] for name, values in self.columns.items()}
        return FileRows(columns, self.what, self.places[which])

    def place(self, row: int | np.integer) -> str:
        """Where a row stands in its file."""
        return f"{self.what} {self.places[row]}"

    def value(self, name: str, row: int | np.integer) -> Any:
        """One value, as plain Python has it."""
        return self.columns[name][row : row + 1].tolist()[0]

    def numbers(self, name: str) -> NDArray[np.float64]:
        """A column as numbers; NaN for anything else."""
        column = self.columns[name]
        if column.dtype.kind in "iufb":
            return column.astype(np.float64)
        if column.dtype.kind != "O":  # times, dates and the like count from an epoch
            return np.full(len(self), np.nan)
        return np.array([as_number(value) for value in column.tolist()], dtype=np.float64)

    def by(self, name: str) -> dict[str, NDArray[np.intp]]:
        """By each text in a column, as they first appear, the rows in which it stands."""
        texts = self.texts(name)
        numbers = {text: n for n, text in enumerate(dict.fromkeys(texts))}
        codes = np.array([numbers[text] for text in texts])
        rows = np.split(np.argsort(codes, kind="stable"), np.cumsum(np.bincount(codes))[:-1])
        return dict(zip(numbers, rows, strict=True))

    def texts(self, name: str) -> list[str]:
        """A column as text."""
        return [as_text(value) for value in self.columns[name].tolist()]


def as_number(value: Any) -> float:
    """A field as a number; NaN for anything else."""
    if isinstance(value, str) and ("_" in value or not value.isascii()):
        return np.nan  # which Python would take
    try:
        return float(value)
    except (TypeError, ValueError, OverflowError):
        return np.nan


def as_text(value: object) -> str:
    """A field as text: empty if missing, whole numbers without a point."""
    if value is None or value != value:
        return ""
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value).strip().encode("utf-8", "backslashreplace").decode()


def read_rows(path: Path, *suffixes: str) -> FileRows:
    """The rows of a CSV, Parquet or JSON Lines file, by its suffix.

    The fields of CSV are text as they stand there, without blanks around them. Parts of nested
    values are named with dots.

    Raises:
        ReadError: The file cannot be read, a row has not as many fields as the first line has
            names, or there are no rows, or too many.
    """
    source, suffix = str(path), path.suffix.lower()
    if suffix not in suffixes:
        fix = f"use {' or '.join(suffixes[:2])}"
        if ".jsonl" in suffixes:
            fix = "use .csv, .parquet, or .jsonl for JSON Lines"
        raise ReadError.of(source, "", suffix, "unknown format", fix)
    if suffix == ".parquet":
        rows = _parquet(path)
    elif suffix == ".csv":
        rows = _csv(path)
    else:
        rows = _json_lines(path)
    if len(rows) == 0:
        raise ReadError.of(
            source, "", "", "has no rows", "it needs at least one row; or leave the file out"
        )
    return rows


def _by_name(path: Path, names: Sequence[str], columns: Sequence[Any]) -> dict[str, Any]:
    """Columns by their names.

    Raises:
        ReadError: Two have the same.
    """
    found: dict[str, Any] = {}
    for name, column in zip(map(_plain, names), columns, strict=True):
        if name in found:
            rule = "two columns have the same name"
            raise ReadError.of(str(path), "columns", f'"{name}"', rule, "rename one of them")
        found[name] = column
    return found


def _csv(path: Path) -> FileRows:
    source, text = str(path), read_text(path)
    reader = csv.reader(io.StringIO(text, newline=""), skipinitialspace=True)
    rows: list[list[str]] = []
    lines: list[int] = []
    head: list[str] | None = None
    try:
        for row in reader:
            if not any(field.strip() for field in row):
                continue
            if head is None:
                head = [name.strip() for name in row]
                continue
            if len(row) != len(head):
                rule = f"must have {len(head)} fields, as the first line has names"
                fix = "put fields with a comma in quotes, or name every column"
                raise ReadError.of(source, f"line {reader.line_num}", f"{len(row)}", rule, fix)
            rows.append([*map(str.strip, row)])
            lines.append(reader.line_num)
            if len(rows) > MOST_ROWS:
                raise _too_many(path)
    except csv.Error as error:
        rule = f"cannot be read: {error}"
        raise ReadError.of(source, f"line {reader.line_num}", "", rule) from None
    if head is None:
        raise ReadError.of(
            source, "", "", "is empty", "it needs a first line with the names of its columns"
        )
    if len(head) == 1 and any(sign in head[0] for sign in ";\t"):
        rule = "must be separated by commas"
        raise ReadError.of(source, "line 1", head[0][:40], rule, "save it with commas")
    values = np.array(rows, dtype=object).reshape(len(rows), len(head))
    return FileRows(_by_name(path, head, [*values.T]), "line", np.array(lines, dtype=np.int64))


def _parquet(path: Path) -> FileRows:
    source = str(path)
    if not path.is_file():
        raise no_such_file(path)
    try:
        with pq.ParquetFile(path) as file:
            if file.metadata.num_rows > MOST_ROWS:
                raise _too_many(path)
            table = file.read()
            table.validate(full=True)
            table = table.flatten()
            columns = [_values(column) for column in table.columns]
    except ReadError:
        raise
    except Exception as error:  # a damaged file fails in as many ways as there are bytes
        first = (str(error) or type(error).__name__).splitlines()[0][:100]
        raise ReadError.of(source, "", "", f"cannot be read as Parquet: {first}") from None
    return FileRows(_by_name(path, table.column_names, columns), "row", np.arange(len(table)))


def _values(column: pa.ChunkedArray) -> NDArray[Any]:
    """A column as numbers or times, or as objects of plain Python."""
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    if pa.types.is_primitive(column.type) or pa.types.is_string(column.type):
        return column.to_numpy()
    found = np.empty(len(column), dtype=object)
    found[:] = column.to_pylist()
    return found


def _too_many(path: Path) -> ReadError:
    rule = f"has more than {MOST_ROWS:,} rows"
    return ReadError.of(str(path), "", "", rule, "split it, or use fewer samples")


def _json_lines(path: Path) -> FileRows:
    rows: list[dict[str, Any]] = []
    lines: list[int] = []
    for number, line in enumerate(read_text(path).split("\n"), start=1):
        if not line.strip():
            continue
        place = f"line {number}"
        try:
            value = json.loads(line)
        except (ValueError, RecursionError) as error:
            raise ReadError.of(str(path), place, "", f"is not valid JSON: {error}") from None
        if not isinstance(value, dict):
            raise ReadError.of(str(path), place, line[:40], "must be a JSON object")
        rows.append({_plain(name): part for name, part in _flat(value, path, place)})
        lines.append(number)
        if len(rows) > MOST_ROWS:
            raise _too_many(path)
    columns = {}
    for name in dict.fromkeys(name for row in rows for name in row):
        columns[name] = np.empty(len(rows), dtype=object)
        columns[name][:] = [row.get(name) for row in rows]
    return FileRows(columns, "line", np.array(lines, dtype=np.int64))


def _plain(name: str) -> str:
    """The name of a column; halves of letters, which JSON can hold, as escapes."""
    return name.strip().encode("utf-8", "backslashreplace").decode()


def _flat(value: Any, path: Path, place: str) -> Iterator[tuple[str, Any]]:
    """Nested values by their dotted names: `pos.x`, `pos.0`."""
    rest: list[tuple[str, Any, int]] = [("", value, 0)]
    while rest:
        name, here, depth = rest.pop()
        if not isinstance(here, dict | list):
            yield name, here
            continue
        if depth > MOST_DEPTH:
            rule = f"is nested deeper than {MOST_DEPTH}"
            raise ReadError.of(str(path), place, "", rule, "use fewer levels")
        items = list(here.items() if isinstance(here, dict) else enumerate(here))
        rest += [
            (f"{name}.{key}" if name else str(key), part, depth + 1)
            for key, part in reversed(items)
        ]
