"""Expectations at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import nogil
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.meter import REACHED
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns
from snelk.senses.sight import IN_VIEW
from snelk.tuning.columns import FollowStageColumns, JudgeStageColumns
from snelk.tuning.followed import (
    CONDITION,
    LEVEL,
    SLACK,
    FollowStage,
    JudgeStage,
    TrialStage,
)

INF = float("inf")


@door
def follow_tick(
    stage: FollowStage, alive: NDArray[np.bool_], t: float, inside: bool, within: float
) -> None:
    """Take in a tick.

    Args:
        stage: What is true of it; its result so far is overwritten.
        alive: (variant,) which have not ended.
        t: The time of the tick, s.
        inside: Whether that lies within the interval asked about.
        within: Seconds since what it counts from in which it matters; infinite for all.
    """
    agree(alive.shape, plain(stage).holds.shape[:1])
    _follow_tick(laid_out(FollowStageColumns, stage), alive, t, inside, within)


@door
def follow_all(stage: JudgeStage, poses: Poses, alive: NDArray[np.bool_], t: float) -> None:
    """Take in a tick for all expectations.

    Args:
        stage: Their results so far are overwritten.
        poses: Everybody's poses.
        alive: (variant,) which have not ended.
        t: The time of the tick, s.

    Raises:
        ValueError: These arrays do not agree.
    """
    agree(alive.shape, plain(stage).state.shape[:1])
    if not _follow_all(laid_out(JudgeStageColumns, stage), laid_out(PoseColumns, poses), alive, t):
        raise ValueError("poses do not match the followed characters")


def _follow_all(stage: JudgeStage, poses: Poses, alive: NDArray[np.bool_], t: float) -> bool:
    rows = poses.x.shape[0]
    whole = poses.x.shape[1] == stage.loudness.shape[2]
    if not (whole and (rows == 1 or rows == stage.state.shape[0])):
        return False
    for n in range(len(stage.trials)):
        trial = stage.trials[n]
        if trial.asks == LEVEL:
            _ask_level(stage, trial, poses)
        else:
            _ask_truth(stage, trial)
        inside = trial.low - SLACK <= t <= trial.high + SLACK
        _follow_tick(trial.follow, alive, t, inside, trial.within)
    return True


def _ask_truth(stage: JudgeStage, trial: TrialStage) -> None:
    """Who is in a state, or for whom a condition is true."""
    for v in range(trial.metered.shape[0]):
        for n in range(trial.agents.shape[0]):
            a = trial.agents[n]
            true = stage.state[v, a] == trial.states[v, n]
            if trial.asks == CONDITION:
                true = stage.true[trial.row, v, a]
            value = 1.0 if true else 0.0
            trial.follow.holds[v, n], trial.follow.value[v, n] = true, value
            trial.follow.gap[v, n] = 1.0 - value


def _ask_level(stage: JudgeStage, trial: TrialStage, poses: Poses) -> None:
    """How sure agents are of a target, and where that is enough."""
    rows, target = poses.x.shape[0], trial.target
    for v in range(trial.metered.shape[0]):
        there = poses.present[v if rows > 1 else 0, target]
        for n in range(trial.agents.shape[0]):
            a = trial.agents[n]
            sensed = False
            for k in range(stage.sight.failed.shape[3]):
                sensed = sensed or stage.sight.failed[v, a, target, k] == IN_VIEW
            sensed = sensed or stage.contacts.felt[v, a, target]
            sensed = (sensed and there) or stage.loudness[v, a, target] > 0.0
            value = 1.0 if sensed else 0.0
            if trial.metered[v, n]:
                value = stage.meters.value[v, a, target]
                sensed = value >= trial.limit[v, n] - REACHED
            trial.follow.holds[v, n], trial.follow.value[v, n] = sensed, value
            trial.follow.gap[v, n] = max(trial.limit[v, n] - value, 0.0)


def _follow_tick(
    stage: FollowStage, alive: NDArray[np.bool_], t: float, inside: bool, within: float
) -> None:
    so_far = stage.so_far
    with nogil:
        for v in range(stage.holds.shape[0]):
            if not alive[v]:
                continue
            so_far.end[v] = t
            came, counts, true, least, most = False, False, False, INF, -INF
            for a in range(stage.holds.shape[1]):
                since = so_far.since[v, a]
                if not since <= t + SLACK:  # not yet, or not known
                    continue
                came |= stage.holds[v, a]
                if within < INF and t > since + within + SLACK:
                    continue
                counts = True
                true |= stage.holds[v, a]
                least, most = min(stage.gap[v, a], least), max(stage.value[v, a], most)
            if came and isnan(so_far.first[v]):
                so_far.first[v] = t
            if not (counts and inside):
                continue
            if least < so_far.gap[v] - SLACK:
                so_far.gap[v], so_far.gap_at[v] = least, t
            if most > so_far.most[v] + SLACK:
                so_far.most[v], so_far.most_at[v] = most, t
            if true:
                so_far.true[v] += 1.0
                if isnan(so_far.true_at[v]):
                    so_far.true_at[v] = t
            else:
                so_far.false[v] += 1.0
                if isnan(so_far.false_at[v]):
                    so_far.false_at[v] = t
