"""One tick of what agents attend to, decide and do: compiled, see `snelk.level.columns`.

What only a few agents need at a few ticks is done in Python between these loops.
"""

from __future__ import annotations

import numpy as np
from cython import compiled
from numpy.typing import NDArray

from snelk.body.agreeing import agreed
from snelk.body.columns import BodyStageColumns, MovingColumns
from snelk.body.paces import STUCK_AFTER, Moving
from snelk.body.stage import NOT_YET, BodyStage
from snelk.level.columns import door, laid_out
from snelk.mind.stage import DISAGREE
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.agreeing import agrees
    from snelk.body.asking import _ask
    from snelk.body.moving import _follow, _move, _nearness
    from snelk.body.timing import _who_catches, _who_glances, _who_thinks
    from snelk.mind.attending import _attend

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def perceive(
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    ignored: NDArray[np.bool_],
    tick: int,
    counts: bool,
) -> None:
    """Follow who is moved from outside, choose everybody's focus, and gather the signals.

    Args:
        stage: Overwritten.
        poses: Everybody's poses.
        moving: Everybody's body.
        ignored: (variant, agent, target) who is not worth a focus.
        tick: The index of the tick.
        counts: Whether what they moved counts as walked: not at the first tick.

    Raises:
        ValueError: These arrays do not agree.
    """
    if not _perceive(
        laid_out(BodyStageColumns, stage), laid_out(PoseColumns, poses),
        laid_out(MovingColumns, moving), ignored, tick, counts,
    ):  # fmt: skip
        raise ValueError("poses or bodies that do not agree with the minds")


@door
def come_to(
    stage: BodyStage, poses: Poses, moving: Moving, tick: int, time: float, waits: bool
) -> int:
    """See who catches whom, and whose turn it is to think, if nothing is to be done before.

    Args:
        stage: Overwritten.
        poses: Everybody's poses.
        moving: Everybody's body.
        tick: The index of the tick.
        time: Its time, s.
        waits: Whether something is to be done before they think, in any case.

    Returns:
        How many think, or are at the end of their way; or NOT_YET: that is to be asked with
        `think_on`, after what comes of catching.

    Raises:
        ValueError: These arrays do not agree.
    """
    laid, there = laid_out(MovingColumns, moving), laid_out(PoseColumns, poses)
    return agreed(_come_to(laid_out(BodyStageColumns, stage), there, laid, tick, time, waits))


@door
def think_on(stage: BodyStage, moving: Moving, tick: int, time: float) -> int:
    """Whose turn it is to think; see `come_to`."""
    laid = laid_out(MovingColumns, moving)
    return agreed(_think_on(laid_out(BodyStageColumns, stage), laid, tick, time))


@door
def go_on(stage: BodyStage, moving: Moving, tick: int, waits: bool) -> int:
    """See who must not move and where all look, and move them, if nothing is to be done before.

    Args:
        stage: Overwritten.
        moving: Everybody's body; overwritten.
        tick: The index of the tick.
        waits: Whether something is to be done before they move, in any case.

    Returns:
        How many are stuck now that were not; or NOT_YET: they are to be moved with `move_on`, after
        the glances of those have been drawn who begin one.

    Raises:
        ValueError: These arrays do not agree.
    """
    found = _go_on(laid_out(BodyStageColumns, stage), laid_out(MovingColumns, moving), tick, waits)
    return agreed(found)


@door
def move_on(stage: BodyStage, moving: Moving) -> int:
    """Move everybody, and return how many are stuck now that were not; see `go_on`."""
    return agreed(_move_on(laid_out(BodyStageColumns, stage), laid_out(MovingColumns, moving)))


def _perceive(
    stage: BodyStage,
    poses: Poses,
    moving: Moving,
    ignored: NDArray[np.bool_],
    tick: int,
    counts: bool,
) -> bool:
    variants, agents, targets = ignored.shape[0], ignored.shape[1], ignored.shape[2]
    rows = poses.x.shape[0]
    same: bool = (
        agrees(stage, moving)
        and variants == stage.stuck.shape[0]
        and agents == stage.stuck.shape[1]
        and targets == stage.loudness.shape[2] == poses.x.shape[1]
        and rows == stage.surroundings.speed.shape[0]
        and (rows == 1 or rows == variants)
    )
    if not same:
        return False
    if stage.any_tracked:
        _follow(moving, poses, stage.characters, stage.dt, counts)
    _attend(
        poses, stage.sight.failed, stage.contacts.touch, stage.contacts.zone, stage.loudness,
        stage.meters.value, stage.beliefs, ignored, stage.drawn.x, stage.drawn.y,
        stage.drawn.meter, stage.drawn.heard, stage.focus_numbers, stage.dt, tick,
        stage.attended,
    )  # fmt: skip
    signals = stage.signals
    for v in range(variants):
        for a in range(agents):
            signals.done[v, a] = stage.doing.done[v, a]
            signals.failed[v, a] = stage.doing.failed[v, a]
            signals.search_done[v, a] = stage.search_done[v, a]
            signals.caught[v, a] = stage.has_caught[v, a]
            signals.was_caught[v, a] = stage.was_caught[v, a]
            _close, arrived, unreachable = _nearness(moving, stage.dt, v, a)
            signals.arrived[v, a], signals.unreachable[v, a] = arrived, unreachable
    _ask(
        poses, stage.bodies, stage.characters, stage.surroundings.speed, stage.light,
        stage.sight.exposure, stage.meters.value, stage.told, stage.told_rank, stage.drawn,
        stage.attended, moving, stage.standing, stage.zones, stage.dt, stage.sees_me, signals,
    )  # fmt: skip
    return True


def _come_to(
    stage: BodyStage, poses: Poses, moving: Moving, tick: int, time: float, waits: bool
) -> int:
    if stage.catches:
        rows = poses.x.shape[0]
        same: bool = (rows == 1 or rows == stage.stuck.shape[0]) and (
            poses.x.shape[1] == stage.loudness.shape[2]
        )
        if not same:
            return DISAGREE
        found = _who_catches(
            poses, stage.bodies, stage.attended, stage.focus_numbers, stage.ladders,
            stage.timing, stage.reach, stage.caught,
        )  # fmt: skip
        waits = waits or found > 0
    return NOT_YET if waits else _think_on(stage, moving, tick, time)


def _think_on(stage: BodyStage, moving: Moving, tick: int, time: float) -> int:
    if not agrees(stage, moving):
        return DISAGREE
    return _who_thinks(moving, stage.ladders, tick, time, stage.timing)


def _go_on(stage: BodyStage, moving: Moving, tick: int, waits: bool) -> int:
    if not agrees(stage, moving):
        return DISAGREE
    found = _who_glances(
        moving, stage.ladders, stage.ladders.since, stage.signals, stage.sees_me, tick, stage.dt,
        stage.timing,
    )  # fmt: skip
    return NOT_YET if waits or found > 0 else _move_on(stage, moving)


def _move_on(stage: BodyStage, moving: Moving) -> int:
    if not agrees(stage, moving):
        return DISAGREE
    found = 0
    _move(moving, stage.timing.state_for, stage.dt)
    for v in range(stage.stuck.shape[0]):
        for a in range(stage.stuck.shape[1]):
            stuck = moving.stuck_for[v, a] >= STUCK_AFTER - SLACK
            newly = stuck and not stage.stuck[v, a]
            stage.stuck[v, a], stage.newly_stuck[v, a] = stuck, newly
            found += newly
    return found
