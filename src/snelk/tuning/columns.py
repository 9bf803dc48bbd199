"""How the arrays of stand-ins lie in memory for compiled loops; see `level.columns`."""

from __future__ import annotations

from snelk.level.columns import Columns


class WatchStageColumns(Columns):
    """Those of `WatchStage`."""
