"""What a tick adds to the measures; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import hypot, isnan
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.memory import NO_BELIEF, Beliefs
from snelk.mind.meter import REACHED
from snelk.mind.signals import Signals
from snelk.runs.columns import CountStageColumns
from snelk.runs.tally import CountStage, Pairs, Tally
from snelk.senses.bodies import Poses
from snelk.senses.columns import HeardColumns, PoseColumns
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.hearing import HEARD, NOBODY, Heard
from snelk.senses.sight import IN_VIEW

if not compiled:  # else it is the C library's, by the import above
    from snelk.level.columns import hypot

NAN = float("nan")

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def count(stage: CountStage, alive: NDArray[np.bool_], t: float, poses: Poses) -> None:
    """What a tick adds: senses, meters and beliefs, walking and alert states.

    Args:
        stage: The counts are added to.
        alive: (variant,) which variants have not ended.
        t: The time of the tick, s.
        poses: Everybody's poses.

    Raises:
        ValueError: These arrays do not agree.
    """
    if not _count(laid_out(CountStageColumns, stage), alive, t, laid_out(PoseColumns, poses)):
        raise ValueError("poses or variants do not match the counts")


def _count(stage: CountStage, alive: NDArray[np.bool_], t: float, poses: Poses) -> bool:
    rows, variants = poses.x.shape[0], stage.tally.end.shape[0]
    same: bool = (
        alive.shape[0] == variants
        and poses.x.shape[1] == stage.loudness.shape[2]
        and (rows == 1 or rows == variants)
    )
    if not same:
        return False
    _count_pairs(
        stage.pairs, alive, t, stage.undone, poses, stage.sight.failed, stage.contacts,
        stage.loudness, stage.meters.value, stage.beliefs, stage.tally,
    )  # fmt: skip
    _count_agents(
        alive, t, poses, stage.characters, stage.signals, stage.rank, stage.used, stage.tally
    )
    return True


def _count_pairs(
    pairs: Pairs,
    alive: NDArray[np.bool_],
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
        for v in range(len(alive)):
            if not alive[v]:
                continue
            p = v if len(poses.x) > 1 else 0
            for n in range(len(pairs.agent)):
                a, j = pairs.agent[n], pairs.target[n]
                there = poses.present[p, j]
                seen = False
                for k in range(failed.shape[3]):
                    seen |= failed[v, a, j, k] == IN_VIEW
                seen &= there
                felt = contacts.touch[v, a, j] == SENSED or contacts.zone[v, a, j] == SENSED
                felt = felt and there
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
    alive: NDArray[np.bool_],
    t: float,
    poses: Poses,
    characters: NDArray[np.int32],
    signals: Signals,
    rank: NDArray[np.float64],
    used: NDArray[np.bool_],
    tally: Tally,
) -> None:
    with nogil:
        for v in range(len(alive)):
            if not alive[v]:
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


@door
def count_heard(
    alive: NDArray[np.bool_], heard: Heard, pairs: int, found: NDArray[np.float64]
) -> None:
    """Add up the noises of each maker that were heard.

    Args:
        alive: (variant,) which have not ended.
        heard: What became of noises at ears.
        pairs: How many pairs of noise and ear that is.
        found: (variant, agent, target) added to.
    """
    agree((0 <= pairs <= len(plain(heard).row), len(alive) == len(found)), (True, True))
    _count_heard(alive, laid_out(HeardColumns, heard), pairs, found)


def _count_heard(
    alive: NDArray[np.bool_], heard: Heard, pairs: int, found: NDArray[np.float64]
) -> None:
    with nogil:
        for pair in range(pairs):
            v = heard.variant[pair]
            if heard.failed[pair] == HEARD and heard.by[pair] != NOBODY and alive[v]:
                found[v, heard.agent[pair], heard.by[pair]] += 1.0
