"""One tick of all senses but hearing; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from numpy.typing import NDArray

from snelk.level.columns import door, laid_out
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns, SenseStageColumns
from snelk.senses.stage import SenseStage

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.senses.feeling import _feel
    from snelk.senses.seeing import _see
    from snelk.senses.shining import _shine
    from snelk.senses.surrounding import _surround


@door
def sense(stage: SenseStage, poses: Poses, before: Poses, looks: NDArray[np.bool_]) -> None:
    """The place everybody is in, touch and zones, the light on everybody, and sight.

    Args:
        stage: Overwritten with what they come to.
        poses: Everybody's poses.
        before: Everybody's poses a tick ago.
        looks: (variant, agent) who looks at this tick.

    Raises:
        ValueError: These arrays do not agree.
    """
    now, then = laid_out(PoseColumns, poses), laid_out(PoseColumns, before)
    if not _sense_freely(laid_out(SenseStageColumns, stage), now, then, looks):
        raise ValueError("poses or turns do not match the senses")


def _sense_freely(stage: SenseStage, poses: Poses, before: Poses, looks: NDArray[np.bool_]) -> bool:
    """While other threads go on."""
    with nogil:
        return _sense(stage, poses, before, looks)


def _sense(stage: SenseStage, poses: Poses, before: Poses, looks: NDArray[np.bool_]) -> bool:
    rows, characters = poses.x.shape[0], poses.x.shape[1]
    agrees: bool = (
        rows == before.x.shape[0] == stage.surroundings.moved.shape[0]
        and characters == before.x.shape[1] == stage.light.shape[1]
        and (rows == 1 or rows == stage.light.shape[0])
        and looks.shape[0] == stage.light.shape[0]
        and looks.shape[1] == stage.numbers.notices.shape[1]
    )
    if not agrees:
        return False
    _surround(
        poses, before, stage.dt, stage.zones, stage.around, stage.everybody, stage.surroundings
    )
    _feel(
        stage.numbers.notices, poses, stage.bodies, stage.surroundings.zones,
        stage.contact_numbers, stage.awake, stage.solid_grid, stage.scratch, stage.contacts,
    )  # fmt: skip
    _shine(
        poses, stage.bodies, stage.lights, stage.surroundings.light, stage.everybody, stage.grid,
        stage.scratch, stage.light,
    )  # fmt: skip
    _see(
        poses, stage.bodies, stage.light, stage.numbers, stage.limits, stage.grid, stage.scratch,
        looks, stage.asked, stage.sight,
    )  # fmt: skip
    return True
