"""Which transitions are possible, and which are taken; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, nogil
from cython.cimports.libc.math import fabs
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import CodeColumns, FactColumns, LadderStageColumns, SignalColumns
from snelk.mind.evaluation import CLOSE
from snelk.mind.memory import SLACK
from snelk.mind.programs import (
    ABOVE,
    AND,
    AT_LEAST,
    AT_MOST,
    BEGINS,
    BELOW,
    BY,
    COMES_TRUE,
    EQUAL,
    IS_DROPPED,
    LESS,
    MINUS,
    NOT,
    NUMBER,
    OR,
    OWN,
    PLUS,
    ROW,
    SIGNAL,
    TARGET,
    TIMES,
    UNEQUAL,
    XOR,
    Code,
    Facts,
    LadderState,
)
from snelk.mind.signals import Signals
from snelk.mind.stage import LadderStage
from snelk.senses.bodies import Poses

(
    SEEN, HEARD, FELT, TOLD, ANY_SEEN, ANY_HEARD, ANY_FELT, ANY_TOLD, METER, KNOWS, DISTANCE,
    LOST_FOR, SEEN_FOR, STATE_FOR, SEARCH_DONE, ARRIVED, UNREACHABLE, DONE, FAILED, STUCK,
    FACES_FOCUS, CAUGHT, WAS_CAUGHT, SEEN_TO, OBSERVED, ASLEEP, INSIDE_TERRITORY,
    TARGET_INSIDE_TERRITORY, EXPOSURE, FROM_HOME, TOLD_RANK, RANK, BEARING, OWN_SPEED,
    OWN_HEIGHT, OWN_LIGHT, TARGET_SPEED, TARGET_HEIGHT, TARGET_LIGHT, SMELT, ANY_SMELT, SCENT_AGE,
) = (
    Signals._fields.index(name)
    for name in (
        "seen", "heard", "felt", "told", "any_seen", "any_heard", "any_felt", "any_told",
        "meter", "knows", "distance", "lost_for", "seen_for", "state_for", "search_done",
        "arrived", "unreachable", "done", "failed", "stuck", "faces_focus", "caught",
        "was_caught", "seen_to", "observed", "asleep", "inside_territory",
        "target_inside_territory",
        "exposure", "from_home", "told_rank", "rank", "bearing", "own_speed", "own_height",
        "own_light", "target_speed", "target_height", "target_light", "smelt", "any_smelt",
        "scent_age",
    )
)  # fmt: skip


@door
def decide(stage: LadderStage, signals: Signals, tick: int, dt: float) -> int:
    """One tick of all ladders; how many transitions can be taken, or begin or cease to be due.

    Args:
        stage: The ladders; for how long conditions have been true, and who can take which
            transition, is overwritten.
        signals: What conditions ask for.
        tick: The index of the tick.
        dt: Its length, s.

    Raises:
        ValueError: The signals are not those of so many.
    """
    found = _decide(laid_out(LadderStageColumns, stage), laid_out(SignalColumns, signals), tick, dt)
    if found < 0:
        raise ValueError("signals do not match the ladders")
    return found


@door
def which_hold(
    code: Code,
    signals: Signals,
    facts: Facts,
    table: NDArray[np.float64],
    stack: NDArray[np.float64],
    asked: NDArray[np.bool_],
    found: NDArray[np.bool_],
) -> None:
    """The value of each condition: (condition, variant, agent), overwritten.

    Only of those (condition, agent) for whom it is asked.
    """
    agree(asked.shape, (len(found), found.shape[2]))
    agree(found.shape, (len(plain(code).starts) - 1, *plain(signals).seen.shape))
    agree(table.shape[1:], plain(signals).seen.shape)
    agree(plain(facts).values.shape[:2], (len(plain(facts).absent), found.shape[1]))
    agree(plain(facts).characters.shape, found.shape[2:])
    _which_hold(
        laid_out(CodeColumns, code),
        laid_out(SignalColumns, signals),
        laid_out(FactColumns, facts),
        table,
        stack,
        asked,
        found,
    )


def _which_hold(
    code: Code,
    signals: Signals,
    facts: Facts,
    table: NDArray[np.float64],
    stack: NDArray[np.float64],
    asked: NDArray[np.bool_],
    found: NDArray[np.bool_],
) -> None:
    with nogil:
        for program in range(len(found)):
            for a in range(found.shape[2]):
                for v in range(found.shape[1] if asked[program, a] else 0):
                    value = _value(code, program, signals, facts, table, stack, v, a)
                    found[program, v, a] = value != 0.0


def _decide(stage: LadderStage, signals: Signals, tick: int, dt: float) -> int:
    rows, agents = stage.ready.shape[0], stage.ready.shape[1]
    if signals.seen.shape[0] != rows or signals.seen.shape[1] != agents:
        return -1
    return _decide_all(stage, stage.ladders, stage.ready, signals, tick, dt)


def _decide_all(
    stage: LadderStage,
    ladders: LadderState,
    ready: NDArray[np.bool_],
    signals: Signals,
    tick: int,
    dt: float,
) -> int:
    agents, transitions = ready.shape[1], ready.shape[2]
    found, pairs = 0, 0
    for v in range(len(ready)):
        for a in range(agents):
            before = found
            ladders.since[v, a] += 1
            state = max(ladders.state[v, a], 0)
            may = _may_leave(signals, ladders, tick, v, a, state)
            for c in range(transitions):
                true = False
                if ladders.open[v, a, state, c] and not ladders.out[v, a]:
                    program = ladders.program[v, a, c]
                    true = _value(
                        stage.code, program, signals, stage.facts, stage.values, stage.stack, v, a
                    ) != 0.0  # fmt: skip
                held = max(ladders.held[v, a, c], -dt) + dt if true else -dt
                ladders.held[v, a, c] = held
                due = true and may and held >= ladders.wait[v, a, c] - SLACK
                was = ladders.due[v, a, c] > -dt + SLACK
                since = max(ladders.due[v, a, c], -dt) + dt if due else -dt
                ladders.due[v, a, c] = since
                now = due and since >= ladders.reaction[v, a, state, c] - SLACK
                ready[v, a, c] = now
                found += now
                ladders.news[v, a, c] = 0
                if due and not was and not now:
                    ladders.news[v, a, c] = BEGINS
                    found += 1
                elif was and not due:
                    ladders.news[v, a, c] = IS_DROPPED
                    found += 1
            if found > before:
                stage.concerned[pairs, 0], stage.concerned[pairs, 1] = v, a
                pairs += 1
    stage.pairs[0] = pairs
    return found


def leave_out(ladders: LadderState, poses: Poses, characters: NDArray[np.int32]) -> None:
    """Who is absent at a tick does nothing."""
    for v in range(ladders.out.shape[0]):
        p = v if len(poses.x) > 1 else 0
        for a in range(ladders.out.shape[1]):
            ladders.out[v, a] = not poses.present[p, characters[a]]


def is_busy(ladders: LadderState, tick: int, v: int, a: int) -> bool:
    """Whether an agent does nothing at a tick: it wakes up, or is out."""
    busy: bool = tick < ladders.busy_until[v, a] or ladders.out[v, a]
    return busy


def _may_leave(
    signals: Signals, ladders: LadderState, tick: int, v: int, a: int, state: int
) -> bool:
    """Whether an agent may leave its state: it has been there for long enough, and is not busy.

    A state that cannot be interrupted is left only when its activity is over.
    """
    if is_busy(ladders, tick, v, a):
        return False
    if signals.state_for[v, a] < ladders.least[v, a, state] - SLACK:
        return False
    over: bool = signals.done[v, a] or signals.failed[v, a] or signals.stuck[v, a]
    return over or ladders.interruptible[v, a, state]


def _value(
    code: Code,
    program: int,
    signals: Signals,
    facts: Facts,
    table: NDArray[np.float64],
    stack: NDArray[np.float64],
    v: int,
    a: int,
) -> float:
    """The value of a condition for one agent."""
    top = -1
    for n in range(code.starts[program], code.starts[program + 1]):
        step = code.steps[n]
        if step == SIGNAL:
            top += 1
            stack[top] = _signal(signals, cast(Py_ssize_t, code.numbers[n]), v, a)
        elif step in (OWN, TARGET):
            top += 1
            which = cast(Py_ssize_t, code.numbers[n])
            who = facts.characters[a] if step == OWN else signals.focus[v, a]
            stack[top] = facts.absent[which] if who < 0 else facts.values[which, v, who]
        elif step == ROW:
            top += 1
            stack[top] = table[cast(Py_ssize_t, code.numbers[n]), v, a]
        elif step == NUMBER:
            top += 1
            stack[top] = code.numbers[n]
        elif step == NOT:
            stack[top] = stack[top] == 0.0
        elif step == MINUS:
            stack[top] = -stack[top]
        else:
            top -= 1
            stack[top] = _joined(step, stack[top], stack[top + 1])
    found: float = stack[0]
    return found


def _signal(signals: Signals, which: int, v: int, a: int) -> float:
    """One signal of one agent; of a truth 1 or 0."""
    found = 0.0
    if which == SEEN:
        found = signals.seen[v, a]
    elif which == HEARD:
        found = signals.heard[v, a]
    elif which == FELT:
        found = signals.felt[v, a]
    elif which == TOLD:
        found = signals.told[v, a]
    elif which == ANY_SEEN:
        found = signals.any_seen[v, a]
    elif which == ANY_HEARD:
        found = signals.any_heard[v, a]
    elif which == ANY_FELT:
        found = signals.any_felt[v, a]
    elif which == ANY_TOLD:
        found = signals.any_told[v, a]
    elif which == METER:
        found = signals.meter[v, a]
    elif which == SMELT:
        found = signals.smelt[v, a]
    elif which == ANY_SMELT:
        found = signals.any_smelt[v, a]
    elif which == SCENT_AGE:
        found = signals.scent_age[v, a]
    elif which == KNOWS:
        found = signals.knows[v, a]
    elif which == DISTANCE:
        found = signals.distance[v, a]
    elif which == LOST_FOR:
        found = signals.lost_for[v, a]
    elif which == SEEN_FOR:
        found = signals.seen_for[v, a]
    elif which == STATE_FOR:
        found = signals.state_for[v, a]
    elif which == SEARCH_DONE:
        found = signals.search_done[v, a]
    elif which == ARRIVED:
        found = signals.arrived[v, a]
    elif which == UNREACHABLE:
        found = signals.unreachable[v, a]
    elif which == DONE:
        found = signals.done[v, a]
    elif which == FAILED:
        found = signals.failed[v, a]
    elif which == STUCK:
        found = signals.stuck[v, a]
    elif which == FACES_FOCUS:
        found = signals.faces_focus[v, a]
    elif which == CAUGHT:
        found = signals.caught[v, a]
    elif which == WAS_CAUGHT:
        found = signals.was_caught[v, a]
    elif which == SEEN_TO:
        found = signals.seen_to[v, a]
    elif which == OBSERVED:
        found = signals.observed[v, a]
    elif which == ASLEEP:
        found = signals.asleep[v, a]
    elif which == INSIDE_TERRITORY:
        found = signals.inside_territory[v, a]
    elif which == TARGET_INSIDE_TERRITORY:
        found = signals.target_inside_territory[v, a]
    elif which == EXPOSURE:
        found = signals.exposure[v, a]
    elif which == FROM_HOME:
        found = signals.from_home[v, a]
    elif which == TOLD_RANK:
        found = signals.told_rank[v, a]
    elif which == RANK:
        found = signals.rank[v, a]
    elif which == BEARING:
        found = signals.bearing[v, a]
    elif which == OWN_SPEED:
        found = signals.own_speed[v, a]
    elif which == OWN_HEIGHT:
        found = signals.own_height[v, a]
    elif which == OWN_LIGHT:
        found = signals.own_light[v, a]
    elif which == TARGET_SPEED:
        found = signals.target_speed[v, a]
    elif which == TARGET_HEIGHT:
        found = signals.target_height[v, a]
    elif which == TARGET_LIGHT:
        found = signals.target_light[v, a]
    return found


def _joined(step: int, left: float, right: float) -> float:
    """Combine two values; a comparison with a missing number is false."""
    found = left
    if step == AND:
        found = left != 0.0 and right != 0.0
    elif step == OR:
        found = left != 0.0 or right != 0.0
    elif step == XOR:
        found = (left != 0.0) != (right != 0.0)
    elif step == PLUS:
        found = left + right
    elif step == LESS:
        found = left - right
    elif step == TIMES:
        found = left * right
    elif step == BY:
        found = left / right
    elif step == COMES_TRUE:
        found = right < left
    elif step == BELOW:
        found = left < right - CLOSE
    elif step == AT_MOST:
        found = left <= right + CLOSE
    elif step == ABOVE:
        found = left > right + CLOSE
    elif step == AT_LEAST:
        found = left >= right - CLOSE
    elif step == EQUAL:
        found = left == right or fabs(left - right) <= CLOSE
    elif step == UNEQUAL:
        found = fabs(left - right) > CLOSE
    return found
