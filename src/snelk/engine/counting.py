"""What a tick adds to the measures; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.engine.tally import CountStage, Pairs, Tally
from snelk.mind.memory import NO_BELIEF, Beliefs
from snelk.mind.meter import REACHED
from snelk.mind.signals import Signals
from snelk.senses.bodies import Poses
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.hearing import HEARD, NOBODY, Heard
from snelk.senses.sight import IN_VIEW

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.lengths import hypot

Codes = NDArray[np.int64]

NAN = float("nan")

SLACK = 1e-9
"""Times this close are the same, s."""


def count_tick(
    stage: CountStage, tick: int, t: float, poses: Poses, heard: Heard, pairs: int
) -> bool:
    """What a tick adds: senses, meters and beliefs, walking, alert states and noises.

    Of variants that have not ended before. False, and nothing is counted, if arrays disagree.
    """
    rows = poses.x.shape[0]
    same: bool = poses.x.shape[1] == stage.loudness.shape[2] and (
        rows == 1 or rows == stage.last.shape[0]
    )
    if not same:
        return False
    _count_pairs(
        stage.pairs, stage.last, tick, t, stage.undone, poses, stage.sight.failed, stage.contacts,
        stage.loudness, stage.meters.value, stage.beliefs, stage.tally,
    )  # fmt: skip
    _count_agents(
        stage.last, tick, t, poses, stage.characters, stage.signals, stage.rank, stage.used,
        stage.tally,
    )  # fmt: skip
    _count_heard(stage.last, tick, heard, pairs, stage.tally.noises_heard)
    return True


def _is_over(last: Codes, v: int, tick: int) -> bool:
    return last[v] >= 0 and last[v] < tick


def _count_pairs(
    pairs: Pairs,
    last: Codes,
    tick: int,
    t: float,
    undone: float,
    poses: Poses,
    failed: NDArray[np.int8],
    contacts: Contacts,
    loudness: NDArray[np.float64],
    meter: NDArray[np.float64],
    beliefs: Beliefs,
    tally: Tally,
) -> None:
    with nogil:
        for v in range(len(last)):
            if _is_over(last, v, tick):
                continue
            p = v if len(poses.x) > 1 else 0
            for n in range(len(pairs.agent)):
                a, j = pairs.agent[n], pairs.target[n]
                there = poses.present[p, j]
                seen = False
                for k in range(failed.shape[3]):
                    seen |= failed[v, a, j, k] == IN_VIEW
                seen &= there
                felt = contacts.felt[v, a, j] and there
                smelt = contacts.smell[v, a, j] == SENSED
                sensed = seen or felt or smelt or loudness[v, a, j] > 0.0
                value = meter[v, a, j]
                noticed, full = sensed, seen or felt
                if pairs.metered[v, n]:
                    noticed = value >= pairs.notice[v, n] - REACHED
                    full = value >= 1.0 - REACHED
                if sensed and isnan(tally.first_sensed[v, n]):
                    tally.first_sensed[v, n] = t
                if seen and isnan(tally.first_seen[v, n]):
                    tally.first_seen[v, n] = t
                if noticed and isnan(tally.first_noticed[v, n]):
                    tally.first_noticed[v, n] = t
                if full and isnan(tally.first_full[v, n]):
                    tally.first_full[v, n] = t
                tally.in_view[v, n] += seen
                unseen = tally.unseen[v, n] + 1.0 if there and not seen else 0.0
                tally.unseen[v, n] = unseen
                tally.longest_unseen[v, n] = max(tally.longest_unseen[v, n], unseen)
                tally.highest[v, n] = max(tally.highest[v, n], value)
                if seen != tally.was_seen[v, n]:
                    tally.losses[v, n] += not seen
                    tally.regains[v, n] += seen and tally.first_seen[v, n] < t
                    tally.view_flicker[v, n] += t - tally.turned[v, n] <= undone + SLACK
                    tally.turned[v, n], tally.was_seen[v, n] = t, seen
                if beliefs.source[v, a, j] != NO_BELIEF:
                    tally.believed[v, n] += 1.0
                    if there:
                        dx = beliefs.x[v, a, j] - poses.x[p, j]
                        error = hypot(dx, beliefs.y[v, a, j] - poses.y[p, j])
                        error = hypot(error, beliefs.z[v, a, j] - poses.z[p, j])
                        tally.error_sum[v, n] += error
                        tally.error_count[v, n] += 1.0
                        tally.worst[v, n] = max(tally.worst[v, n], error)


def _count_agents(
    last: Codes,
    tick: int,
    t: float,
    poses: Poses,
    characters: NDArray[np.int32],
    signals: Signals,
    rank: NDArray[np.float64],
    used: NDArray[np.bool_],
    tally: Tally,
) -> None:
    with nogil:
        for v in range(len(last)):
            if _is_over(last, v, tick):
                continue
            p = v if len(poses.x) > 1 else 0
            tally.end[v] = t
            for a in range(len(characters)):
                j = characters[a]
                x, y = poses.x[p, j], poses.y[p, j]
                if poses.present[p, j] and not isnan(tally.last_x[v, a]):
                    tally.walked[v, a] += hypot(x - tally.last_x[v, a], y - tally.last_y[v, a])
                tally.last_x[v, a] = x if poses.present[p, j] else NAN
                tally.last_y[v, a] = y
                if used[v, a]:
                    state = max(signals.state[v, a], 0)
                    tally.states[v, a, state] += 1.0
                    highest = tally.highest_rank[v, a]
                    if isnan(highest) or rank[v, a, state] > highest:
                        tally.highest_rank[v, a] = rank[v, a, state]


def _count_heard(
    last: Codes, tick: int, heard: Heard, pairs: int, found: NDArray[np.float64]
) -> None:
    with nogil:
        for pair in range(pairs):
            v = heard.variant[pair]
            if heard.failed[pair] != HEARD or heard.by[pair] == NOBODY:
                continue
            if not _is_over(last, v, tick):
                found[v, heard.agent[pair], heard.by[pair]] += 1.0
