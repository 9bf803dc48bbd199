"""How the arrays of the senses lie in memory for the compiled loops; see `level.columns`."""

from __future__ import annotations

from snelk.level.columns import Columns


class PoseColumns(Columns):
    """Those of `Poses`."""


class BodyColumns(Columns):
    """Those of `Bodies`."""


class AroundColumns(Columns):
    """Those of `Around`."""


class SurroundingColumns(Columns):
    """Those of `Surroundings`."""


class LightColumns(Columns):
    """Those of `LightNumbers`."""


class SightNumberColumns(Columns):
    """Those of `SightNumbers`."""


class SightLimitColumns(Columns):
    """Those of `SightLimits`."""


class SightColumns(Columns):
    """Those of `Sight`."""


class ContactNumberColumns(Columns):
    """Those of `ContactNumbers`."""


class ContactColumns(Columns):
    """Those of `Contacts`."""


class AirColumns(Columns):
    """Those of `AirNumbers`."""


class TrailColumns(Columns):
    """Those of `Trails`."""


class SmellStageColumns(Columns):
    """Those of `SmellStage`."""


class NoiseColumns(Columns):
    """Those of `Noises`."""


class HeardColumns(Columns):
    """Those of `Heard`."""


class SenseStageColumns(Columns):
    """Those of `SenseStage`."""


class StepStageColumns(Columns):
    """Those of `StepStage`."""


class EarStageColumns(Columns):
    """Those of `EarStage`."""
