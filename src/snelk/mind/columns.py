"""How the arrays of the minds lie in memory for the compiled loops; see `level.columns`."""

from __future__ import annotations

from snelk.level.columns import Columns


class MeterNumberColumns(Columns):
    """Those of `MeterNumbers`."""


class MeterColumns(Columns):
    """Those of `Meters`."""


class MemoryNumberColumns(Columns):
    """Those of `MemoryNumbers`."""


class BeliefColumns(Columns):
    """Those of `Beliefs`."""


class NewsColumns(Columns):
    """Those of `News`."""


class CodeColumns(Columns):
    """Those of `Code`."""


class FactColumns(Columns):
    """Those of `Facts`."""


class LadderColumns(Columns):
    """Those of `LadderState`."""


class FocusNumberColumns(Columns):
    """Those of `FocusNumbers`."""


class AttendedColumns(Columns):
    """Those of `Attended`."""


class SignalColumns(Columns):
    """Those of `Signals`."""


class DrawnColumns(Columns):
    """Those of `Drawn`."""


class CellColumns(Columns):
    """Those of `Cells`."""


class MindStageColumns(Columns):
    """Those of `MindStage`."""


class LadderStageColumns(Columns):
    """Those of `LadderStage`."""


class TellStageColumns(Columns):
    """Those of `TellStage`."""


class MessageColumns(Columns):
    """Those of `Messages`."""


class ListenStageColumns(Columns):
    """Those of `ListenStage`."""


class DrawStageColumns(Columns):
    """Those of `DrawStage`."""
