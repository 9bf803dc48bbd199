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
from snelk.senses.contact import SENSED
from snelk.senses.sight import IN_VIEW
from snelk.tuning.columns import FollowStageColumns, LevelStageColumns
from snelk.tuning.followed import SLACK, FollowStage, LevelStage

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
def ask_level(stage: LevelStage, poses: Poses) -> None:
    """How sure agents are of a target at a tick, and where that is enough.

    Args:
        stage: What is true, what it falls short by, and the values are overwritten.
        poses: Everybody's poses.

    Raises:
        ValueError: These arrays do not agree.
    """
    if not _ask_level(laid_out(LevelStageColumns, stage), laid_out(PoseColumns, poses)):
        raise ValueError("poses do not match the followed characters")


def _ask_level(stage: LevelStage, poses: Poses) -> bool:
    rows, target = poses.x.shape[0], stage.target
    if not (rows == 1 or rows == stage.metered.shape[0]) or target >= poses.x.shape[1]:
        return False
    for v in range(stage.metered.shape[0]):
        there = poses.present[v if rows > 1 else 0, target]
        for n in range(stage.agents.shape[0]):
            a = stage.agents[n]
            sensed = False
            for k in range(stage.sight.failed.shape[3]):
                sensed = sensed or stage.sight.failed[v, a, target, k] == IN_VIEW
            sensed = sensed or stage.contacts.touch[v, a, target] == SENSED
            sensed = sensed or stage.contacts.zone[v, a, target] == SENSED
            sensed = (sensed and there) or stage.loudness[v, a, target] > 0.0
            value = 1.0 if sensed else 0.0
            if stage.metered[v, n]:
                value = stage.meters.value[v, a, target]
                sensed = value >= stage.limit[v, n] - REACHED
            stage.follow.holds[v, n], stage.follow.value[v, n] = sensed, value
            stage.follow.gap[v, n] = max(stage.limit[v, n] - value, 0.0)
    return True


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
