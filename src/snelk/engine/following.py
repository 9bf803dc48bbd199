"""Expectations at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.body.named import IN_ZONE
from snelk.body.paces import Moving
from snelk.body.stage import BodyStage
from snelk.engine.columns import FollowStageColumns
from snelk.engine.followed import (
    A_NOISE,
    A_SIGHT,
    A_STATE,
    CONDITION,
    LEVEL,
    NOTHING,
    SLACK,
    FollowStage,
    JudgeStage,
    TrialStage,
)
from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.meter import REACHED
from snelk.senses.bodies import Poses
from snelk.senses.hearing import Noises
from snelk.senses.sight import IN_VIEW

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.answering import _holds, answer_all
    from snelk.engine.counting import _is_over
    from snelk.mind.deciding import _which_hold

Codes = NDArray[np.int64]

INF = float("inf")


@door
def follow_tick(
    stage: FollowStage, last: Codes, tick: int, t: float, inside: bool, within: float
) -> None:
    """Take in a tick.

    Args:
        stage: What is true of it; its result so far is overwritten.
        last: (variant,) the tick at which each ended, or -1.
        tick: The index of the tick.
        t: Its time, s.
        inside: Whether that lies within the interval asked about.
        within: Seconds since what it counts from in which it matters; infinite for all.
    """
    agree(last.shape, plain(stage).holds.shape[:1])
    _follow_tick(laid_out(FollowStageColumns, stage), last, tick, t, inside, within)


def judge_tick(
    stage: JudgeStage,
    tick: int,
    t: float,
    poses: Poses,
    bodies: BodyStage,
    moving: Moving,
    noises: Noises,
    count: int,
) -> bool:
    """Take in a tick for all expectations, of variants that have not ended before.

    Given are its poses, what everybody attends to, where everybody is afterwards, and the noises
    made, so many. False, and nothing is taken in, if arrays disagree.
    """
    rows = poses.x.shape[0]
    whole = poses.x.shape[1] == stage.loudness.shape[2] and count <= noises.t.shape[0]
    if not (whole and (rows == 1 or rows == stage.state.shape[0])):
        return False
    if stage.true.shape[0] > 0:
        if answer_all(stage.named, bodies, moving, stage.table) != 0:
            return False
        _say_who_was_in_zones(stage, bodies, poses)
        _which_hold(
            stage.code, stage.signals, stage.facts, stage.table, stage.stack, stage.asked,
            stage.true,
        )  # fmt: skip
    for n in range(len(stage.trials)):
        trial = stage.trials[n]
        _note_begin(stage, trial, tick, t, noises, count)
        if trial.asks == LEVEL:
            _ask_level(stage, trial, poses)
        else:
            _ask_truth(stage, trial)
        inside = trial.low - SLACK <= t <= trial.high + SLACK
        _follow_tick(trial.follow, stage.last, tick, t, inside, trial.within)
    return True


def _say_who_was_in_zones(stage: JudgeStage, bodies: BodyStage, poses: Poses) -> None:
    """Who was in the zones that conditions ask for at this tick, before anybody moved."""
    rows = poses.x.shape[0]
    for n in range(stage.named.kind.shape[0]):
        if stage.named.kind[n] != IN_ZONE:
            continue
        for v in range(stage.state.shape[0]):
            p = v if rows > 1 else 0
            for a in range(stage.state.shape[1]):
                j = stage.characters[a]
                stage.table[stage.named.row[n], v, a] = _holds(
                    bodies.zones, stage.named.zone[n], poses.x[p, j], poses.y[p, j], poses.z[p, j]
                )


def _note_begin(
    stage: JudgeStage,
    trial: TrialStage,
    tick: int,
    t: float,
    noises: Noises,
    count: int,
) -> None:
    """Note when what it counts from happens first."""
    if trial.awaits == NOTHING:
        return
    since = trial.follow.so_far.since
    for v in range(trial.metered.shape[0]):
        if _is_over(stage.last, v, tick):
            continue
        for n in range(trial.agents.shape[0]):
            if not isnan(since[v, n]):
                continue
            a = trial.awaited_of[n]
            if trial.awaits == A_STATE:
                if stage.state[v, a] == trial.awaited_states[v, n]:
                    since[v, n] = t
            elif trial.awaits == A_SIGHT:
                for k in range(stage.sight.failed.shape[3]):
                    if stage.sight.failed[v, a, trial.awaited, k] == IN_VIEW:
                        since[v, n] = t
            elif trial.awaits == A_NOISE:
                for m in range(count - 1, -1, -1):  # so that the first remains
                    if noises.variant[m] == v and noises.kind[m] == trial.awaited:
                        since[v, n] = noises.t[m]


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
    stage: FollowStage, last: Codes, tick: int, t: float, inside: bool, within: float
) -> None:
    so_far = stage.so_far
    with nogil:
        for v in range(stage.holds.shape[0]):
            if _is_over(last, v, tick):
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
