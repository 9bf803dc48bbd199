"""One tick of meters and memories; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from cython import compiled, nogil

from snelk.level.columns import door, laid_out
from snelk.mind.columns import MindStageColumns
from snelk.mind.stage import MindStage
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.mind.filling import _fill
    from snelk.mind.remembering import _remember


@door
def mind(stage: MindStage, poses: Poses, before: Poses) -> None:
    """Update meters and beliefs.

    Args:
        stage: Overwritten with what they come to.
        poses: Everybody's poses.
        before: Everybody's poses a tick ago.

    Raises:
        ValueError: These arrays do not agree.
    """
    laid, then = laid_out(PoseColumns, poses), laid_out(PoseColumns, before)
    if not _mind_freely(laid_out(MindStageColumns, stage), laid, then):
        raise ValueError("poses do not match the minds")


def _mind_freely(stage: MindStage, poses: Poses, before: Poses) -> bool:
    """While other threads go on."""
    with nogil:
        return _mind(stage, poses, before)


def _mind(stage: MindStage, poses: Poses, before: Poses) -> bool:
    rows, characters = poses.x.shape[0], poses.x.shape[1]
    agrees: bool = (
        rows == before.x.shape[0] == stage.surroundings.speed.shape[0]
        and characters == before.x.shape[1] == stage.surroundings.speed.shape[1]
        and (rows == 1 or rows == stage.loudness.shape[0])
    )
    if not agrees:
        return False
    _fill(
        stage.numbers.notices, poses.posture, stage.surroundings.speed, stage.numbers.cones,
        stage.limits.range, stage.limits.half_fov, stage.sight, stage.contacts, stage.loudness,
        stage.meter_numbers, stage.dt, stage.meters,
    )  # fmt: skip
    if stage.remembers:
        _remember(
            stage.numbers.notices, poses, before, stage.dt, stage.sight.failed,
            stage.contacts, stage.heard, stage.told, stage.memory_numbers, stage.grid,
            stage.scratch, stage.beliefs,
        )  # fmt: skip
    return True
