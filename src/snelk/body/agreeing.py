"""Checks that the arrays of bodies match their stage; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from snelk.body.paces import Moving
from snelk.body.stage import BodyStage
from snelk.mind.stage import DISAGREE


def agrees(stage: BodyStage, moving: Moving) -> bool:
    """Whether they are as many."""
    same: bool = (
        moving.x.shape[0] == stage.stuck.shape[0] and moving.x.shape[1] == stage.stuck.shape[1]
    )
    return same


def agreed(found: int) -> int:
    """The result of a check, as a loop returns it.

    Raises:
        ValueError: It found that its arrays do not agree.
    """
    if found == DISAGREE:
        raise ValueError("arrays of bodies or poses do not match those of the minds")
    return found
