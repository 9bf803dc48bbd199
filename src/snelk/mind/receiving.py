"""Which noises are judged at which ears at a tick, each once.

Compiled, see `snelk.level.columns`.
"""

from __future__ import annotations

import numpy as np
from cython import compiled
from numpy.typing import NDArray

from snelk.level.columns import door, laid_out
from snelk.mind.columns import ListenStageColumns
from snelk.mind.stage import (
    DISAGREE,
    DONE_TO,
    JUDGED,
    LEFT,
    NOTHING_HEARD,
    ROOM,
    WAITED,
    ListenStage,
)
from snelk.senses.bodies import Poses
from snelk.senses.columns import NoiseColumns, PoseColumns
from snelk.senses.hearing import HEARD, Noises

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.mind.overhearing import _add_up
    from snelk.senses.listening import _at_ears, _pair_up
    from snelk.senses.stepping import append
    from snelk.senses.turns import whose_turn

NAN = float("nan")


@door
def receive(
    stage: ListenStage,
    noises: Noises,
    made_at: NDArray[np.int64],
    count: int,
    poses: Poses,
    background: NDArray[np.float64],
    tick: int,
) -> int:
    """Judge the noises of a tick, and at ears that listen seldom those since they did.

    Args:
        stage: What became of them is overwritten.
        noises: The noises.
        made_at: (noise,) the tick at which each was made.
        count: How many noises there are.
        poses: Everybody's poses.
        background: (variant, character) noise that drowns others.
        tick: The index of the tick.

    Returns:
        NOTHING_HEARD, JUDGED, LEFT: what `Ears.judge` has to do, or ROOM: it is needed first, and
        nothing has been done.

    Raises:
        ValueError: These arrays do not agree.
    """
    found = _receive(
        laid_out(ListenStageColumns, stage), laid_out(NoiseColumns, noises), made_at, count,
        laid_out(PoseColumns, poses), background, tick,
    )  # fmt: skip
    if found == DISAGREE:
        raise ValueError("noises, poses or turns do not match the ears")
    return found


@door
def take_in(stage: ListenStage, noises: Noises, now: float) -> None:
    """What judged noises tell about their makers: how loud, and where.

    Args:
        stage: Overwritten.
        noises: Those of the tick.
        now: Its time, s.
    """
    _take_in(laid_out(ListenStageColumns, stage), laid_out(NoiseColumns, noises), now)


def _receive(
    stage: ListenStage,
    noises: Noises,
    made_at: NDArray[np.int64],
    count: int,
    poses: Poses,
    background: NDArray[np.float64],
    tick: int,
) -> int:
    all_of_them = stage.waiting_count[0] + count
    if not 0 <= count <= made_at.shape[0] or count > noises.t.shape[0]:
        return DISAGREE
    if all_of_them * stage.every.shape[1] > stage.heard.row.shape[0] or (
        stage.any_seldom and all_of_them > stage.waiting_at.shape[0]
    ):
        return ROOM
    _forget_last_tick(stage)
    if stage.any_seldom and count:
        append(stage.waiting, stage.waiting_at, stage.waiting_count[0], noises, made_at, count, 0)
        stage.waiting_count[0] += count
    if count == 0 and stage.waiting_count[0] == 0:
        return NOTHING_HEARD
    anybody = stage.any_seldom and _who_is_due(stage, tick)
    stage.now[WAITED] = anybody
    if not anybody:
        return _judge(stage, noises, made_at, count, poses, background, tick)
    waiting = stage.waiting_count[0]
    found = _judge(stage, stage.waiting, stage.waiting_at, waiting, poses, background, tick)
    _note_turns(stage, tick)
    return found


def _judge(
    stage: ListenStage,
    noises: Noises,
    made_at: NDArray[np.int64],
    count: int,
    poses: Poses,
    background: NDArray[np.float64],
    tick: int,
) -> int:
    """Judge noises at the ears that listen at a tick."""
    pairs = _pair_up(
        stage.ears, noises, count, made_at, tick, stage.always, stage.due, stage.last, stage.heard
    )
    if pairs < 0:
        return DISAGREE
    stage.heard_count[0] = pairs
    if pairs == 0:
        return NOTHING_HEARD
    left = _at_ears(stage.ears, noises, poses, background, stage.walk, stage.heard, pairs)
    if left < 0:
        return DISAGREE
    return LEFT if left > 0 else JUDGED


def _forget_last_tick(stage: ListenStage) -> None:
    """Drop the results of the last tick, and noises that nobody waits for."""
    if stage.heard_count[0]:
        stage.heard_count[0] = 0
        for v in range(stage.loudness.shape[0]):
            for a in range(stage.loudness.shape[1]):
                for j in range(stage.loudness.shape[2]):
                    stage.loudness[v, a, j] = 0.0
                    stage.news.x[v, a, j] = stage.news.y[v, a, j] = stage.news.z[v, a, j] = NAN
                    stage.news.age[v, a, j] = stage.news.blur[v, a, j] = NAN
    if stage.now[DONE_TO] >= 0:
        first, count = 0, stage.waiting_count[0]
        while first < count and stage.waiting_at[first] <= stage.now[DONE_TO]:
            first += 1
        append(stage.waiting, stage.waiting_at, 0, stage.waiting, stage.waiting_at, count, first)
        stage.waiting_count[0] = count - first
        stage.now[DONE_TO] = -1


def _who_is_due(stage: ListenStage, tick: int) -> bool:
    """Which agents with a listening interval listen now; return whether any does.

    Nobody must miss a noise because the run ends before they would listen again.
    """
    anybody = False
    whose_turn(stage.every, tick, stage.due)
    for v in range(stage.due.shape[0]):
        for a in range(stage.due.shape[1]):
            due = stage.seldom[v, a] and (stage.due[v, a] or tick == stage.last_tick)
            stage.due[v, a] = due
            anybody = anybody or due
    return anybody


def _note_turns(stage: ListenStage, tick: int) -> None:
    """They have listened; up to when have all that do so seldom?"""
    least = tick
    for v in range(stage.due.shape[0]):
        for a in range(stage.due.shape[1]):
            if stage.due[v, a]:
                stage.last[v, a] = tick
            if stage.seldom[v, a]:
                least = min(least, stage.last[v, a])
    stage.now[DONE_TO] = least


def _take_in(stage: ListenStage, noises: Noises, now: float) -> None:
    if stage.now[WAITED]:
        _take_in_of(stage, stage.waiting, now)
    else:
        _take_in_of(stage, noises, now)


def _take_in_of(stage: ListenStage, judged: Noises, now: float) -> None:
    """As `take_in`, of the noises that were judged."""
    _add_up(stage.ears, judged, stage.heard, stage.heard_count[0], now, stage.loudness, stage.news)


def errs(stage: ListenStage) -> bool:
    """Whether any noise that was heard seems to come from elsewhere than it does."""
    for pair in range(stage.heard_count[0]):
        v, a = stage.heard.variant[pair], stage.heard.agent[pair]
        if stage.heard.failed[pair] == HEARD and stage.ears.error[v, a] > 0.0:
            return True
    return False
