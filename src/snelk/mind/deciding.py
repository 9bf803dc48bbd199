"""Which changes of state come true, and which are taken: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import Py_ssize_t, cast, nogil
from cython.cimports.libc.math import fabs
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import CodeColumns, LadderColumns
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
    EQUAL,
    IS_DROPPED,
    LESS,
    MINUS,
    NOT,
    NUMBER,
    OR,
    PLUS,
    ROW,
    TIMES,
    UNEQUAL,
    XOR,
    Code,
    LadderState,
)


@door
def decide(
    code: Code,
    table: NDArray[np.float64],
    stack: NDArray[np.float64],
    may: NDArray[np.bool_],
    dt: float,
    ladders: LadderState,
    ready: NDArray[np.bool_],
) -> int:
    """One tick of all ladders; how many changes can be taken, and are marked in `ready`.

    Args:
        code: The conditions.
        table: (row, variant, agent) what they ask for.
        stack: As many numbers as lie on it at once.
        may: (variant, agent) who may leave its state.
        dt: Length of the tick, s.
        ladders: For how long conditions have been true, overwritten.
        ready: (variant, agent, change) overwritten.
    """
    agree(may.shape, table.shape[1:], ready.shape[:2])
    agree(ready.shape, plain(ladders).held.shape, plain(ladders).program.shape)
    return _decide(
        laid_out(CodeColumns, code),
        table,
        stack,
        may,
        dt,
        laid_out(LadderColumns, ladders),
        ready,
    )


def _decide(
    code: Code,
    table: NDArray[np.float64],
    stack: NDArray[np.float64],
    may: NDArray[np.bool_],
    dt: float,
    ladders: LadderState,
    ready: NDArray[np.bool_],
) -> int:
    found = 0
    agents, changes = ready.shape[1], ready.shape[2]
    with nogil:
        for v in range(len(ready)):
            for a in range(agents):
                state = max(ladders.state[v, a], 0)
                for c in range(changes):
                    true = False
                    if ladders.open[v, a, state, c]:
                        true = _value(code, ladders.program[v, a, c], table, stack, v, a) != 0.0
                    held = max(ladders.held[v, a, c], -dt) + dt if true else -dt
                    ladders.held[v, a, c] = held
                    due = true and may[v, a] and held >= ladders.wait[v, a, c] - SLACK
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
    return found


def _value(
    code: Code,
    program: int,
    table: NDArray[np.float64],
    stack: NDArray[np.float64],
    v: int,
    a: int,
) -> float:
    """What a condition comes to for one agent."""
    top = -1
    for n in range(code.starts[program], code.starts[program + 1]):
        step = code.steps[n]
        if step == ROW:
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


def _joined(step: int, left: float, right: float) -> float:
    """Two numbers or truths made one; what is compared with what is not there is false."""
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
