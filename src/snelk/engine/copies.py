"""Copies of what every tick leaves, made by the loops that compute ticks.

Who wants the results of all ticks need not stop at each of them: arrays that a tick overwrites
are copied to a row for each tick, and tables of which a tick has some rows are appended.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.engine.columns import (
    ColumnCopyColumns,
    CopyStageColumns,
    TableCopyColumns,
    ValueCopyColumns,
)
from snelk.level.columns import agree, laid_out, plain

Bytes = NDArray[np.uint8]
Codes = NDArray[np.int64]

EVERY = -1
"""Instead of 0 or 1: a value is that of even and of odd ticks."""

FIRST = 4096
"""Room for so many rows of a table at first."""


class ValueCopy(NamedTuple):
    """A value, as bytes, and its copies."""

    ticks: int  # 0: it is that of even ticks; 1: of odd ones; EVERY
    now: Bytes  # (place, byte)
    places: Codes  # (kept,) those that are copied
    kept: Bytes  # (tick, kept, byte); overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(self.kept.shape[1:], (len(self.places), self.now.shape[1]))
        inside = (self.places >= 0) & (self.places < len(self.now))
        agree((bool(inside.all()),), (True,))


class ColumnCopy(NamedTuple):
    """A column of a table, as bytes, and its copies."""

    now: Bytes  # (row, byte)
    kept: Bytes  # (row, byte); overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree(self.now.shape[1:], self.kept.shape[1:])


class TableCopy(NamedTuple):
    """A table of which each tick has some rows, and the rows of all ticks."""

    new: Codes  # (1,) how many rows a tick has
    held: Codes  # (1,) how many there are of all; overwritten
    ticks: Codes  # (row,) the tick of each; overwritten
    columns: list[ColumnCopy]

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        columns = [plain(column) for column in self.columns]
        agree((1,), self.new.shape, self.held.shape)
        agree(*[(len(column.now),) for column in columns])
        agree(self.ticks.shape, *[(len(column.kept),) for column in columns])


class CopyStage(NamedTuple):
    """All that is copied of each tick."""

    first: int  # the tick that the first row is of
    end: int  # so many ticks there is room for
    values: list[ValueCopy]
    tables: list[TableCopy]

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree((self.end,), *[(len(plain(value).kept),) for value in self.values])
        agree((self.first >= 0,), (True,))


class _Table:
    """The rows of all ticks of a table that grows."""

    def __init__(self, rows: Callable[[], Any], new: Codes) -> None:
        self._rows, self._new = rows, new
        self._held, self._ticks = np.zeros(1, dtype=np.int64), np.zeros(FIRST, dtype=np.int64)
        self._read: Any = rows()  # that from which it was laid out
        self._kept: list[Any] = [
            np.zeros((FIRST, *values.shape[1:]), values.dtype) for values in self._read
        ]
        self.stage = self._laid_out()

    def make_room(self) -> None:
        """Let it hold the rows of a tick more."""
        most = len(self._ticks)
        if self._held[0] + self._new[0] <= most:
            return
        more = 2 * int(self._held[0] + self._new[0]) - most
        grown = [np.zeros((more, *each.shape[1:]), each.dtype) for each in self._kept]
        pairs = zip(self._kept, grown, strict=True)
        self._kept = [np.concatenate(pair) for pair in pairs]
        self._ticks = np.concatenate([self._ticks, np.zeros(more, dtype=np.int64)])
        self.stage = self._laid_out()

    def empty(self) -> None:
        """Forget all rows."""
        self._held[0] = 0

    def look_again(self) -> bool:
        """Read it where it is now; return whether that is elsewhere."""
        rows = self._rows()
        if rows is self._read:
            return False
        self._read = rows
        self.stage = self._laid_out()
        return True

    def _laid_out(self) -> TableCopy:
        columns = [
            laid_out(ColumnCopyColumns, ColumnCopy(_as_bytes(now), _as_bytes(kept)))
            for now, kept in zip(self._read, self._kept, strict=True)
        ]
        stage = TableCopy(self._new, self._held, self._ticks, columns)
        return laid_out(TableCopyColumns, stage)

    def found(self) -> tuple[Codes, list[Any]]:
        """The tick of each row so far, and the columns."""
        count = int(self._held[0])
        return self._ticks[:count], [values[:count] for values in self._kept]


class Copies:
    """Copies of what every tick leaves.

    Args:
        ticks: How many ticks there is room for.
    """

    def __init__(self, ticks: int) -> None:
        self._first, self._end = 0, ticks
        self._values: list[ValueCopy] = []
        self._tables: list[_Table] = []
        self._stage: CopyStage | None = None  # None: to be laid out anew

    def of(
        self, now: NDArray[Any], places: NDArray[np.intp] | None = None, ticks: int = EVERY
    ) -> NDArray[Any]:
        """(tick, ...) what will be copied of an array, in one piece, that ticks overwrite.

        Args:
            now: The array.
            places: Which places along its first axis are kept; all if None.
            ticks: Whether it is that of even (0) or odd ticks (1), or EVERY.
        """
        kept = np.zeros((self._end, len(now) if places is None else len(places), *now.shape[1:]),
                        now.dtype)  # fmt: skip
        self.into(kept, now, places, ticks)
        return kept

    def into(
        self, kept: NDArray[Any], now: NDArray[Any], places: NDArray[np.intp] | None = None,
        ticks: int = EVERY,
    ) -> None:  # fmt: skip
        """Copy an array to one that there is already; as `of`."""
        whole = places is None
        of_now = _as_bytes(now[None]) if whole else _as_bytes(now)
        which = np.zeros(1, dtype=np.int64) if whole else np.asarray(places, dtype=np.int64)
        in_all = _as_bytes(kept).reshape(self._end, len(which), of_now.shape[1])
        value = ValueCopy(ticks, of_now, which, in_all)
        self._values.append(laid_out(ValueCopyColumns, value))
        self._stage = None

    def of_table(self, rows: Callable[[], Any], new: Codes) -> Callable[[], Any]:
        """What gives the tick of each row of all ticks so far, and their columns.

        Args:
            rows: Gives the columns of the table, a named tuple: another if they are elsewhere.
            new: (1,) how many rows a tick has.
        """
        table = _Table(rows, new)
        self._tables.append(table)
        self._stage = None
        return table.found

    def begin(self, first: int) -> None:
        """Copy to the first row again, from a tick on; tables are empty again."""
        self._first, self._stage = first, None
        for table in self._tables:
            table.empty()

    def make_room(self) -> None:
        """Let tables hold the rows of a tick more."""
        for table in self._tables:
            table.make_room()
        self._stage = None

    @property
    def stage(self) -> CopyStage:
        """All of it as compiled loops read it; another if anything is elsewhere."""
        moved = [table for table in self._tables if table.look_again()]
        if moved or self._stage is None:
            tables = [table.stage for table in self._tables]
            stage = CopyStage(self._first, self._end, [*self._values], tables)
            self._stage = laid_out(CopyStageColumns, stage)
        return self._stage


def _as_bytes(values: NDArray[Any]) -> Bytes:
    """(place, byte) the same memory of an array in one piece."""
    assert values.flags.c_contiguous
    return values.reshape(len(values), math.prod(values.shape[1:])).view(np.uint8)
