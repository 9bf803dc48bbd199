"""Conditions as programs: what is asked for in rows of a table, and steps that work on a stack.

A step puts a number on the stack, or works on what lies on top of it: `meter >= 0.6 and seen` is
*row of meter, 0.6, >=, row of seen, and*. Truths are 1 and 0; words are numbers that only stand for
equality.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import Node

STEPS = (
    *("row", "number", "and", "or", "xor", "not", "minus", "+", "-", "*", "/"),
    *("<", "<=", ">", ">=", "==", "!="),
)
"""What a step can be."""

ROW, NUMBER, AND, OR, XOR, NOT, MINUS, PLUS, LESS, TIMES, BY = range(11)
BELOW, AT_MOST, ABOVE, AT_LEAST, EQUAL, UNEQUAL = range(11, len(STEPS))

BEGINS, IS_DROPPED = 1, 2
"""What becomes of a reaction at a tick."""

NO_WORD = 0
"""Number of the word that is not there: somebody without a focus has no team."""


class LadderState(NamedTuple):
    """What is followed of every change, and what it goes by."""

    state: NDArray[np.int16]  # (variant, agent): the state each is in
    program: NDArray[np.int64]  # (variant, agent, change): which condition it has
    open: NDArray[np.bool_]  # (variant, agent, state, change): whether it leads out of a state
    wait: NDArray[np.float64]  # (variant, agent, change), s
    reaction: NDArray[np.float64]  # (variant, agent, state, change), s
    held: NDArray[
        np.float64
    ]  # (variant, agent, change): for how long its condition has been true, s
    due: NDArray[np.float64]  # (variant, agent, change): for how long it could have been taken, s
    news: NDArray[np.int8]  # (variant, agent, change): BEGINS, IS_DROPPED, or 0


class Code(NamedTuple):
    """Programs one after the other."""

    steps: NDArray[np.int16]  # index of STEPS
    numbers: NDArray[np.float64]  # of a number, its value; of a row, which
    starts: NDArray[np.int64]  # (program + 1,): where each begins


class Table:
    """What some conditions ask for, each thing once.

    Attributes:
        leaves: What stands in each row.
        words: Each word that a condition may compare with, and its number.
        deepest: The most that lies on the stack at once.
    """

    def __init__(self, words: Sequence[str]) -> None:
        self.leaves: list[Node] = []
        self.words = {"": NO_WORD}
        for word in words:
            self.words.setdefault(word, len(self.words))
        self.deepest = 1
        self._rows: dict[object, int] = {}

    def row_of(self, leaf: Node, owner: object = None) -> int:
        """The row of a signal, an attribute or a call; a chance has one for each owner."""
        key: object = (leaf.kind, leaf.word, tuple(part.word for part in leaf.parts))
        key = (owner, id(leaf)) if leaf.word == "chance" else key
        if key not in self._rows:
            self._rows[key] = len(self.leaves)
            self.leaves.append(leaf)
        return self._rows[key]

    def code_of(self, conditions: Sequence[Node]) -> Code:
        """The programs of conditions; each condition is an owner, by its number."""
        written: list[tuple[int, float]] = []
        starts = [0]
        for n, condition in enumerate(conditions):
            self._write(condition, written, 1, n)
            starts.append(len(written))
        steps = np.array([step for step, _ in written], np.int16)
        numbers = np.array([number for _, number in written], np.float64)
        return Code(steps, numbers, np.array(starts, np.int64))

    def _write(self, node: Node, written: list[tuple[int, float]], depth: int, owner: int) -> None:
        self.deepest = max(self.deepest, depth)
        if node.kind in ("signal", "attribute", "call"):
            written.append((ROW, float(self.row_of(node, owner))))
        elif node.kind == "number":
            written.append((NUMBER, node.value))
        elif node.kind == "text":
            number = self.words.setdefault(node.word, len(self.words))
            written.append((NUMBER, float(number)))
        else:
            signs = node.word if node.kind in ("sum", "product") else [node.kind] * len(node.parts)
            signs = [node.word] if node.kind == "compare" else signs
            self._write(node.parts[0], written, depth, owner)
            if len(node.parts) == 1:
                written.append((STEPS.index(node.kind), 0.0))
            for sign, part in zip(signs, node.parts[1:], strict=False):
                self._write(part, written, depth + 1, owner)
                written.append((STEPS.index(sign), 0.0))
