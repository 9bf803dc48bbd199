"""How the arrays of measures lie in memory for compiled loops; see `level.columns`."""

from __future__ import annotations

from snelk.level.columns import Columns


class PairColumns(Columns):
    """Those of `Pairs`."""


class TallyColumns(Columns):
    """Those of `Tally`."""


class CountStageColumns(Columns):
    """Those of `CountStage`."""
