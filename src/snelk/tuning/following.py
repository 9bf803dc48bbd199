"""An expectation, tick by tick: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import nogil
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.tuning.columns import FollowedColumns
from snelk.tuning.followed import SLACK, Followed

Numbers = NDArray[np.float64]

INF = float("inf")


@door
def follow_tick(
    holds: NDArray[np.bool_],
    gap: Numbers,
    value: Numbers,
    alive: NDArray[np.bool_],
    t: float,
    in_span: bool,
    within: float,
    so_far: Followed,
) -> None:
    """Take in a tick.

    Args:
        holds: (variant, agent) where it is true; of several agents any counts.
        gap: (variant, agent) what it falls short by.
        value: (variant, agent) what is held against a limit.
        alive: (variant,) which have not ended.
        t: The time of the tick, s.
        in_span: Whether that lies within the span asked about.
        within: Seconds since what it counts from in which it matters; infinite for all.
        so_far: Overwritten.
    """
    agree(holds.shape, gap.shape, value.shape, plain(so_far).since.shape)
    agree(alive.shape, plain(so_far).first.shape, holds.shape[:1])
    _follow_tick(holds, gap, value, alive, t, in_span, within, laid_out(FollowedColumns, so_far))


def _follow_tick(
    holds: NDArray[np.bool_],
    gap: Numbers,
    value: Numbers,
    alive: NDArray[np.bool_],
    t: float,
    in_span: bool,
    within: float,
    so_far: Followed,
) -> None:
    with nogil:
        for v in range(len(holds)):
            if not alive[v]:
                continue
            so_far.end[v] = t
            came, counts, true, least, most = False, False, False, INF, -INF
            for a in range(holds.shape[1]):
                since = so_far.since[v, a]
                if not since <= t + SLACK:  # not yet, or not known
                    continue
                came |= holds[v, a]
                if within < INF and t > since + within + SLACK:
                    continue
                counts = True
                true |= holds[v, a]
                least, most = min(gap[v, a], least), max(value[v, a], most)
            if came and isnan(so_far.first[v]):
                so_far.first[v] = t
            if not (counts and in_span):
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
