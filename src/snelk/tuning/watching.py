"""Stand-ins that are watched, at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from cython import nogil
from cython.cimports.libc.math import isnan

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.meter import REACHED
from snelk.senses.sight import IN_VIEW
from snelk.tuning.columns import WatchStageColumns
from snelk.tuning.watched import WatchStage


@door
def watch_tick(stage: WatchStage, tick: int, since: float) -> None:
    """Take in a tick.

    Args:
        stage: What everybody makes of the stand-ins; what has become of them is overwritten.
        tick: The index of the tick, from the first that counts.
        since: How long ago that was, s.
    """
    agree((0 <= tick < len(plain(stage).watched),), (True,))
    _watch_tick(laid_out(WatchStageColumns, stage), tick, since)


def _watch_tick(stage: WatchStage, tick: int, since: float) -> None:
    with nogil:
        each = stage.meters.value.shape[2]
        for place in range(len(stage.full)):
            v, j = place // each, place % each
            best, most, watched = 0, -1.0, False
            for n in range(len(stage.agents)):
                a = stage.agents[n]
                seen = False
                for k in range(stage.sight.failed.shape[3]):
                    seen = seen or stage.sight.failed[v, a, j, k] == IN_VIEW
                watched = watched or seen
                value = 1.0 if seen or stage.contacts.felt[v, a, j] else 0.0
                if stage.metered[n]:
                    value = stage.meters.value[v, a, j]
                if value > most:
                    best, most = n, value
            stage.watched[tick, place] = watched
            stage.highest[place] = max(stage.highest[place], most)
            if isnan(stage.full[place]) and most >= 1.0 - REACHED:
                stage.full[place], stage.by[place] = since, best
