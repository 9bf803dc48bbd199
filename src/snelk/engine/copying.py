"""Copying what a tick leaves; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from cython import compiled

from snelk.engine.copies import ColumnCopy, CopyStage, ValueCopy

if not compiled:  # else it is what C does at once, see the .pxd

    def copy_place(value: ValueCopy, row: int, n: int) -> None:
        """Copy one of the places of a value that are kept."""
        value.kept[row, n, :] = value.now[value.places[n], :]

    def copy_rows(column: ColumnCopy, first: int, count: int) -> None:
        """Append so many rows of a column."""
        column.kept[first : first + count, :] = column.now[:count, :]


def copy_tick(stage: CopyStage, tick: int) -> bool:
    """Copy what a tick has left; False, and nothing is copied, if there is no room for that."""
    row = tick - stage.first
    for n in range(len(stage.tables)):
        table = stage.tables[n]
        if table.held[0] + table.new[0] > table.ticks.shape[0]:
            return False
    for n in range(len(stage.values)):
        value = stage.values[n]
        if value.ticks < 0 or value.ticks == tick % 2:
            for place in range(value.places.shape[0]):
                copy_place(value, row, place)
    for n in range(len(stage.tables)):
        table = stage.tables[n]
        first, count = table.held[0], table.new[0]
        for c in range(len(table.columns) if count > 0 else 0):
            copy_rows(table.columns[c], first, count)
        for each in range(count):
            table.ticks[first + each] = tick
        table.held[0] = first + count
    return True
