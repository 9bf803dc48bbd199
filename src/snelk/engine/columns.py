"""How the arrays of `snelk.engine` lie in memory for the compiled loops."""

from __future__ import annotations

from snelk.level.columns import Columns


class TickStageColumns(Columns):
    """Those of `TickStage`."""


class ValueCopyColumns(Columns):
    """Those of a `ValueCopy`."""


class ColumnCopyColumns(Columns):
    """Those of a `ColumnCopy`."""


class TableCopyColumns(Columns):
    """Those of a `TableCopy`."""


class CopyStageColumns(Columns):
    """Those of a `CopyStage`."""


class PairColumns(Columns):
    """Those of `Pairs`."""


class TallyColumns(Columns):
    """Those of a `Tally`."""


class CountStageColumns(Columns):
    """Those of a `CountStage`."""


class FollowedColumns(Columns):
    """Those of `Followed`."""


class FollowStageColumns(Columns):
    """Those of a `FollowStage`."""


class TrialStageColumns(Columns):
    """Those of a `TrialStage`."""


class JudgeStageColumns(Columns):
    """Those of a `JudgeStage`."""
