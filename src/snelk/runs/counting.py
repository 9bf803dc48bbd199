"""What a tick adds to the measures: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled, nogil
from cython.cimports.libc.math import hypot, isnan
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import BeliefColumns, SignalColumns
from snelk.mind.memory import NO_BELIEF, Beliefs
from snelk.mind.meter import REACHED
from snelk.mind.signals import Signals
from snelk.runs.columns import PairColumns, TallyColumns
from snelk.runs.tally import Pairs, Tally
from snelk.senses.bodies import Poses
from snelk.senses.columns import HeardColumns, PoseColumns
from snelk.senses.contact import SENSED
from snelk.senses.hearing import HEARD, NOBODY, Heard
from snelk.senses.sight import IN_VIEW

if not compiled:  # else it is the C library's, by the import above
    from snelk.level.columns import hypot

NAN = float("nan")

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def count_pairs(
    pairs: Pairs,
    alive: NDArray[np.bool_],
    t: float,
    undone: float,
    poses: Poses,
    failed: NDArray[np.int8],
    touch: NDArray[np.int8],
    zone: NDArray[np.int8],
    loudness: NDArray[np.float64],
    meter: NDArray[np.float64],
    beliefs: Beliefs,
    tally: Tally,
) -> None:
    """What senses, meters and beliefs add.

    Args:
        pairs: The pairs that are followed.
        alive: (variant,) which have not ended.
        t: The time of the tick, s.
        undone: A change of view that is undone within so long counts as flicker, s.
        poses: Everybody's poses.
        failed: (variant, agent, target, cone) the first gate of sight that failed, or IN_VIEW.
        touch: (variant, agent, target) the same of touch.
        zone: (variant, agent, target) the same of the zone sense.
        loudness: (variant, agent, target) strengths of the noises heard at this tick.
        meter: (variant, agent, target) the detection meters.
        beliefs: What everybody believes.
        tally: Added to.
    """
    agree(failed.shape[:3], touch.shape, zone.shape, loudness.shape, meter.shape)
    agree(meter.shape, plain(beliefs).x.shape, (len(alive), *meter.shape[1:]))
    agree(plain(pairs).metered.shape, plain(pairs).notice.shape, plain(tally).unseen.shape)
    agree(plain(tally).unseen.shape, (len(alive), len(plain(pairs).agent)))
    agree(plain(poses).x.shape[1:], meter.shape[2:])
    _count_pairs(
        laid_out(PairColumns, pairs),
        alive,
        t,
        undone,
        laid_out(PoseColumns, poses),
        failed,
        touch,
        zone,
        loudness,
        meter,
        laid_out(BeliefColumns, beliefs),
        laid_out(TallyColumns, tally),
    )


@door
def count_agents(
    alive: NDArray[np.bool_],
    t: float,
    poses: Poses,
    characters: NDArray[np.int32],
    signals: Signals,
    rank: NDArray[np.float64],
    used: NDArray[np.bool_],
    tally: Tally,
) -> None:
    """What walking and alert states add.

    Args:
        alive: (variant,) which have not ended.
        t: The time of the tick, s.
        poses: Everybody's poses.
        characters: (agent,) which character an agent is.
        signals: The states in which conditions were asked.
        rank: (variant, agent, state) of each state.
        used: (variant, agent) who has a ladder.
        tally: Added to.
    """
    agree(used.shape, plain(signals).state.shape, plain(tally).walked.shape, rank.shape[:2])
    agree(used.shape, (len(alive), len(characters)))
    agree(rank.shape, plain(tally).states.shape)
    _count_agents(
        alive,
        t,
        laid_out(PoseColumns, poses),
        characters,
        laid_out(SignalColumns, signals),
        rank,
        used,
        laid_out(TallyColumns, tally),
    )


def _count_pairs(
    pairs: Pairs,
    alive: NDArray[np.bool_],
    t: float,
    undone: float,
    poses: Poses,
    failed: NDArray[np.int8],
    touch: NDArray[np.int8],
    zone: NDArray[np.int8],
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
                felt = (touch[v, a, j] == SENSED or zone[v, a, j] == SENSED) and there
                sensed = seen or felt or loudness[v, a, j] > 0.0
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
