"""How the arrays of `snelk.engine` lie in memory for the compiled loops."""

from __future__ import annotations

from snelk.level.columns import Columns


class TickStageColumns(Columns):
    """Those of `TickStage`."""
