"""How the arrays of the bodies lie in memory for the compiled loops; see `level.columns`."""

from __future__ import annotations

from snelk.level.columns import Columns


class StandingColumns(Columns):
    """Those of `Standing`."""


class MovingColumns(Columns):
    """Those of `Moving`."""


class GivenColumns(Columns):
    """Those of `Poses` at all ticks."""


class PlacedColumns(Columns):
    """Those of `Poses` at one tick, to be written."""


class TimingColumns(Columns):
    """Those of `Timing`."""


class DoingColumns(Columns):
    """Those of `Doing`."""


class BodyStageColumns(Columns):
    """Those of `BodyStage`."""


class OutlookColumns(Columns):
    """Those of `Outlook`."""


class UpkeepColumns(Columns):
    """Those of `Upkeep`."""


class PlaceStageColumns(Columns):
    """Those of `PlaceStage`."""


class StreamColumns(Columns):
    """Those of `Streams`."""


class RoamStageColumns(Columns):
    """Those of `RoamStage`."""


class RoundStageColumns(Columns):
    """Those of `RoundStage`."""


class FlightStageColumns(Columns):
    """Those of `FlightStage`."""


class NoteColumns(Columns):
    """Those of `Notes`."""


class SearchStageColumns(Columns):
    """Those of `SearchStage`."""


class NamedColumns(Columns):
    """Those of `NamedSignals`."""


class EntryStageColumns(Columns):
    """Those of `EntryStage`."""
