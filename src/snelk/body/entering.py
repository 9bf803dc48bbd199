"""Entering a state, for one agent; compiled, see `snelk.level.columns`."""

from __future__ import annotations

from cython import compiled

from snelk.body.columns import EntryStageColumns, MovingColumns
from snelk.body.doing import NEVER
from snelk.body.entries import EntryStage
from snelk.body.paces import Moving
from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.ladder import NO_LADDER

if not compiled:  # else it is the loops' own, by the .pxd
    from snelk.body.moving import _stand

NAN = float("nan")


@door
def stand_as_in_state(stage: EntryStage, now: Moving, v: int, a: int) -> None:
    """Let an agent sense and move as in the state that it is in now, and leave its path."""
    _make_sure(stage, now, v, a)
    _stand_as_in_state(laid_out(EntryStageColumns, stage), laid_out(MovingColumns, now), v, a)


@door
def begin_in_state(stage: EntryStage, now: Moving, v: int, a: int, before: int) -> None:
    """Note where an agent enters its state, and begin what it does there anew.

    `before` is the state that it was in, or NO_LADDER: it came in, and nothing is noted.
    """
    _make_sure(stage, now, v, a)
    agree((NO_LADDER <= before < plain(stage).rank.shape[2],), (True,))
    _begin_in_state(laid_out(EntryStageColumns, stage), laid_out(MovingColumns, now), v, a, before)


def _make_sure(stage: EntryStage, now: Moving, v: int, a: int) -> None:
    shape = plain(stage).state.shape
    agree(plain(now).x.shape, shape)
    agree((0 <= v < shape[0], 0 <= a < shape[1]), (True, True))


def _state_of(stage: EntryStage, v: int, a: int) -> int:
    state: int = max(stage.state[v, a], 0)
    return state


def _stand_as_in_state(stage: EntryStage, now: Moving, v: int, a: int) -> None:
    s = _state_of(stage, v, a)
    for sense in range(stage.awake.shape[0]):
        awake = stage.own_awake[sense, v, a] * stage.awake_in[sense, v, a, s]
        stage.awake[sense, v, a] = awake
    for limit in range(stage.limits.shape[0]):
        for cone in range(stage.limits.shape[3]):
            stage.limits[limit, v, a, cone] = stage.limits_in[limit, v, a, s, cone]
    _stand(now, v, a)
    now.pace[v, a], now.swing[v, a] = stage.pace[v, a, s], stage.swing[v, a, s]
    now.period[v, a], now.gait[v, a] = stage.period[v, a, s], stage.gait[v, a, s]
    now.look[v, a], now.posture[v, a] = stage.look[v, a, s], stage.posture[v, a, s]
    now.base[v, a] = now.heading[v, a]
    stage.has_caught[v, a] = stage.was_caught[v, a] = stage.has_seen_to[v, a] = False


def _begin_in_state(stage: EntryStage, now: Moving, v: int, a: int, before: int) -> None:
    if before != NO_LADDER:
        _note_place(stage, now, v, a, before)
    doing = stage.doing
    doing.kind[v, a] = stage.kind[v, a, _state_of(stage, v, a)]
    doing.to_x[v, a] = doing.to_y[v, a] = doing.to_z[v, a] = NAN
    doing.done[v, a] = doing.failed[v, a] = doing.wants[v, a] = doing.joins[v, a] = False
    timing = stage.timing
    timing.next_thought[v, a], timing.glanced[v, a] = -NEVER, -1
    timing.thought_there[v, a] = timing.short_told[v, a] = False


def _note_place(stage: EntryStage, now: Moving, v: int, a: int, before: int) -> None:
    """Note where it enters its state; and where it leaves its routine, a state of lowest rank."""
    x, y, z = now.x[v, a], now.y[v, a], now.z[v, a]
    stage.entered[v, a, 0], stage.entered[v, a, 1], stage.entered[v, a, 2] = x, y, z
    for s in range(stage.states[v, a]):
        if stage.rank[v, a, s] < stage.rank[v, a, before]:
            return
    stage.routine[v, a, 0], stage.routine[v, a, 1], stage.routine[v, a, 2] = x, y, z
    stage.routine[v, a, 3] = now.heading[v, a]
