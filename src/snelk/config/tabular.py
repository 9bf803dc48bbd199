"""Reading tables as CSV, Parquet or JSON Lines."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pandas as pd
import pyarrow.parquet as pq

from snelk.config.reading import no_such_file, read_text
from snelk.errors import ReadError

MOST_ROWS = 5_000_000
"""Of one table that is read."""

MOST_DEPTH = 100
"""How deep values of JSON Lines may be nested."""


def read_rows(path: Path, *suffixes: str) -> pd.DataFrame:
    """The rows of a CSV, Parquet or JSON Lines file, by its suffix.

    The fields of CSV are text as they stand there, without blanks around them. The index tells
    where a row was: its name is `line` or `row`. Parts of nested values are named with dots.

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
        frame = _parquet(path)
    elif suffix == ".csv":
        frame = _csv(path)
    else:
        frame = _json_lines(path)
    frame.columns = pd.Index([_plain(str(name)) for name in frame.columns], dtype=object)
    if frame.columns.has_duplicates:
        double = str(frame.columns[frame.columns.duplicated()][0])
        rule = "two columns have the same name"
        raise ReadError.of(source, "columns", f'"{double}"', rule, "rename one of them")
    if len(frame) == 0:
        raise ReadError.of(
            source, "", "", "has no rows", "it needs at least one row; or leave the file out"
        )
    return frame


def _csv(path: Path) -> pd.DataFrame:
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
            rows.append(row)
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
    index = pd.Index(lines, name="line")
    frame = pd.DataFrame(rows, columns=pd.Index(head, dtype=object), index=index, dtype=object)
    return frame.map(str.strip) if len(frame) else frame


def _parquet(path: Path) -> pd.DataFrame:
    source = str(path)
    if not path.is_file():
        raise no_such_file(path)
    try:
        with pq.ParquetFile(path) as file:
            if file.metadata.num_rows > MOST_ROWS:
                raise _too_many(path)
            table = file.read()
            table.validate(full=True)
            frame: pd.DataFrame = table.flatten().to_pandas(ignore_metadata=True)
    except ReadError:
        raise
    except Exception as error:  # a damaged file fails in as many ways as there are bytes
        first = (str(error) or type(error).__name__).splitlines()[0][:100]
        raise ReadError.of(source, "", "", f"cannot be read as Parquet: {first}") from None
    frame.index = pd.RangeIndex(len(frame), name="row")
    return frame


def _too_many(path: Path) -> ReadError:
    rule = f"has more than {MOST_ROWS:,} rows"
    return ReadError.of(str(path), "", "", rule, "split it, or use fewer samples")


def _json_lines(path: Path) -> pd.DataFrame:
    rows, lines = [], []
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
    return pd.DataFrame(rows, index=pd.Index(lines, name="line"), dtype=object)


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
