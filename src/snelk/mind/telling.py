"""Who has something to tell: compiled, see `snelk.level.columns`."""

from __future__ import annotations

from cython import nogil

from snelk.level.columns import door, laid_out
from snelk.mind.columns import TellStageColumns
from snelk.mind.memory import HEARD, SENSED_NOW
from snelk.mind.stage import TellStage


@door
def who_tells(stage: TellStage, tick: int) -> int:
    """Who tells of whom at a tick, written to the stage, and how many such pairs there are."""
    return _who_tells(laid_out(TellStageColumns, stage), tick)


def _who_tells(stage: TellStage, tick: int) -> int:
    found = 0
    with nogil:
        for v in range(stage.tells.shape[0]):
            for a in range(stage.tells.shape[1]):
                for j in range(stage.due.shape[2]):
                    source = stage.beliefs.source[v, a, j]
                    own = source in (SENSED_NOW, HEARD) and stage.beliefs.age[v, a, j] < stage.dt
                    now = stage.tells[v, a] and own and tick >= stage.next_time[v, a, j]
                    stage.due[v, a, j] = now
                    if now:
                        stage.next_time[v, a, j] = tick + stage.every[v, a]
                        found += 1
    return found
