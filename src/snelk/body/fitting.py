"""Whether bodies fit the stage they are on: compiled, see `snelk.level.columns`."""

from __future__ import annotations

from snelk.body.paces import Moving
from snelk.body.stage import UNFIT, BodyStage


def fits(stage: BodyStage, moving: Moving) -> bool:
    """Whether they are as many."""
    same: bool = (
        moving.x.shape[0] == stage.stuck.shape[0] and moving.x.shape[1] == stage.stuck.shape[1]
    )
    return same


def fitting(found: int) -> int:
    """What a loop found.

    Raises:
        ValueError: It found that its arrays do not fit.
    """
    if found == UNFIT:
        raise ValueError("bodies or poses that do not fit the minds")
    return found
