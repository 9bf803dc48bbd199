"""How the arrays of expectations lie in memory for compiled loops; see `level.columns`."""

from __future__ import annotations

from snelk.level.columns import Columns


class FollowedColumns(Columns):
    """Those of `Followed`."""


class FollowStageColumns(Columns):
    """Those of `FollowStage`."""


class TrialStageColumns(Columns):
    """Those of `TrialStage`."""


class JudgeStageColumns(Columns):
    """Those of `JudgeStage`."""


class WatchStageColumns(Columns):
    """Those of `WatchStage`."""
