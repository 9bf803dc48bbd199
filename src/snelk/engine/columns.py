"""The arrays of the named tuples of `snelk.engine` that compiled loops read and write."""

from __future__ import annotations

from snelk.level.columns import Columns


class TickStageColumns(Columns):
    """Those of `TickStage`."""
