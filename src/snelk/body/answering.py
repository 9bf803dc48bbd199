"""Answers to the named parts of conditions, such as `seen("front")`, for all agents.

Compiled, see `snelk.level.columns`.
"""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.body.named import (
    FELT_BY,
    IN_ZONE,
    IS_ON,
    OBSERVED_BY,
    SEEN_BY,
    TARGET_IN_ZONE,
    TOUCH,
    NamedSignals,
)
from snelk.body.paces import Moving
from snelk.body.stage import BodyStage
from snelk.level.zones import Zones
from snelk.mind.stage import DISAGREE
from snelk.senses.contact import SENSED
from snelk.senses.sight import IN_VIEW

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.agreeing import agrees
    from snelk.level.within import inside


def answer_all(
    named: NamedSignals, stage: BodyStage, moving: Moving, values: NDArray[np.float64]
) -> int:
    """Write the values of named signals for all agents; DISAGREE if these arrays do not agree.

    To their rows of `values`, (row, variant, agent); of a truth 1 or 0.
    """
    same: bool = (
        agrees(stage, moving)
        and values.shape[1] == stage.stuck.shape[0] == named.which.shape[1]
        and values.shape[2] == stage.stuck.shape[1] == named.which.shape[2]
    )
    if not same:
        return DISAGREE
    for n in range(named.kind.shape[0]):
        if named.row[n] >= values.shape[0] or named.zone[n] >= stage.zones.circles.shape[0]:
            return DISAGREE
        for v in range(values.shape[1]):
            for a in range(values.shape[2]):
                values[named.row[n], v, a] = _is_true(named, stage, moving, n, v, a)
    return 0


def _is_true(named: NamedSignals, stage: BodyStage, moving: Moving, n: int, v: int, a: int) -> bool:
    kind, which = named.kind[n], named.which[n, v, a]
    j, found = stage.attended.focus[v, a], False
    if kind == IN_ZONE:
        return _holds(stage.zones, named.zone[n], moving.x[v, a], moving.y[v, a], moving.z[v, a])
    if kind == TARGET_IN_ZONE:
        x, y = stage.signals.target_x[v, a], stage.signals.target_y[v, a]
        return _holds(stage.zones, named.zone[n], x, y, stage.signals.target_z[v, a])
    if kind == IS_ON:
        return bool(which == 1)
    if kind == OBSERVED_BY:
        for watcher in range(stage.sees_me.shape[2]):
            mine = named.which[n, v, watcher] == 1
            found = found or (mine and stage.sees_me[v, a, watcher])
    elif kind == SEEN_BY and j >= 0 and 0 <= which < stage.sight.failed.shape[3]:
        seen = stage.sight.failed[v, a, j, which] == IN_VIEW
        found = seen and stage.attended.seen[v, a, j]
    elif kind == FELT_BY and j >= 0:
        felt = stage.contacts.touch[v, a, j] == SENSED
        if which != TOUCH:
            felt = stage.contacts.zone[v, a, j] == SENSED
        found = felt and stage.attended.felt[v, a, j]
    return found


def _holds(zones: Zones, zone: int, x: float, y: float, z: float) -> bool:
    """Whether a zone holds a place; one that is not known is nowhere."""
    return not (isnan(x) or isnan(y)) and inside(zones, zone, x, y, z)
