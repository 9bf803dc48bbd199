"""Conditions as small programs for a stack.

A step puts a number on the stack, or works on what lies on top of it: `meter >= 0.6 and seen` is
*signal meter, 0.6, >=, signal seen, and*. Truths are 1 and 0; words are numbers that only stand
for equality. Anything else, such as a call, is in a row of a table.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import Condition
from snelk.config.nodes import BUILT_IN, WORDS_OF, Node
from snelk.level.columns import agree, agree_axes
from snelk.mind.signals import Signals

STEPS = (
    *(
        "signal",
        "own",
        "target",
        "row",
        "drawn",
        "number",
        "and",
        "or",
        "xor",
        "not",
        "minus",
        "+",
        "-",
        "*",
        "/",
    ),
    *("<", "<=", ">", ">=", "==", "!="),
)
"""What a step can be."""

SIGNAL, OWN, TARGET, ROW, COMES_TRUE, NUMBER = range(6)
AND, OR, XOR, NOT, MINUS, PLUS, LESS, TIMES, BY = range(6, 15)
BELOW, AT_MOST, ABOVE, AT_LEAST, EQUAL, UNEQUAL = range(15, len(STEPS))

BEGINS, IS_DROPPED = 1, 2
"""What becomes of a reaction at a tick."""

NO_WORD = 0
"""Number of the word that is not there: somebody without a focus has no team."""


class LadderState(NamedTuple):
    """The state of all transitions, and their settings."""

    state: NDArray[np.int16]  # (variant, agent): the state each is in
    program: NDArray[np.int64]  # (variant, agent, transition): which condition it has
    open: NDArray[np.bool_]  # (variant, agent, state, transition): whether it leads out of a state
    wait: NDArray[np.float64]  # (variant, agent, transition), s
    reaction: NDArray[np.float64]  # (variant, agent, state, transition), s
    held: NDArray[
        np.float64
    ]  # (variant, agent, transition): for how long its condition has been true, s
    due: NDArray[np.float64]  # (variant, agent, transition): s it could have been taken
    news: NDArray[np.int8]  # (variant, agent, transition): BEGINS, IS_DROPPED, or 0
    least: NDArray[np.float64]  # (variant, agent, state): how long it has to be stayed in, s
    interruptible: NDArray[np.bool_]  # (variant, agent, state)
    since: NDArray[np.int64]  # (variant, agent) ticks since the state was entered; overwritten
    busy_until: NDArray[np.int64]  # (variant, agent): the tick before which it does nothing
    out: NDArray[np.bool_]  # (variant, agent): who is absent, or about to be; overwritten

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            program="variants agents transitions",
            wait="variants agents transitions",
            held="variants agents transitions",
            due="variants agents transitions",
            news="variants agents transitions",
            open="variants agents states transitions",
            reaction="variants agents states transitions",
            least="variants agents states",
            interruptible="variants agents states",
        )


class Facts(NamedTuple):
    """The attributes of all characters, with words as numbers."""

    values: NDArray[np.float64]  # (attribute, variant, character); NaN for who has none
    absent: NDArray[np.float64]  # (attribute,): the value where there is no focus
    characters: NDArray[np.int32]  # (agent,): which character the agent is

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "",
            values="attributes variants characters",
            absent="attributes",
            characters="agents",
        )


class Code(NamedTuple):
    """Programs one after the other."""

    steps: NDArray[np.int16]  # index of STEPS
    numbers: NDArray[np.float64]  # of a number, its value; of what is asked for, which
    starts: NDArray[np.int64]  # (program + 1,): where each begins

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "steps", starts="programs")
        agree((int(self.starts[-1]),), self.steps.shape)

    def needs(self) -> tuple[int, int]:
        """The rows that its programs need, and the largest stack."""
        rows = self.numbers[self.steps == ROW].astype(int)
        adds = np.isin(self.steps, (SIGNAL, OWN, TARGET, ROW, NUMBER))
        joins = ~adds & ~np.isin(self.steps, (NOT, MINUS))
        high = np.cumsum(adds.astype(int) - joins)  # each program leaves one
        before = np.concatenate([[0], high])[self.starts[:-1]]
        program = np.repeat(np.arange(len(before)), np.diff(self.starts))
        deepest = int((high - before[program]).max(initial=0))
        return int(rows.max(initial=-1)) + 1, deepest


class Table:
    """Named parts of conditions, each once.

    Args:
        words: What attributes that are words may be.
        attributes: The attributes that somebody has or comes to have.

    Attributes:
        leaves: What stands in each row.
        draws: For each condition its chances: the row of what is drawn, and the leaf's number.
        words: Each word that a condition may compare with, and its number.
        attributes: All attributes, the words among them.
        deepest: The most that lies on the stack at once.
    """

    def __init__(self, words: Sequence[str], attributes: Sequence[str] = ()) -> None:
        self.leaves: list[Node] = []
        self.draws: list[list[tuple[int, int]]] = []
        self.words = {"": NO_WORD}
        for word in words:
            self.words.setdefault(word, len(self.words))
        self.attributes = (*attributes, *WORDS_OF)
        self.deepest = 1
        self._rows: dict[tuple[str, str], int] = {}

    def _row_of(self, leaf: Node) -> int:
        """The row of a call."""
        row = self._rows.setdefault((leaf.word, leaf.parts[0].word), len(self.leaves))
        if row == len(self.leaves):
            self.leaves.append(leaf)
        return row

    def code_of(self, conditions: Sequence[Condition]) -> Code:
        """The programs of conditions."""
        written: list[tuple[int, float]] = []
        starts = [0]
        for condition in conditions:
            self.draws.append([])
            self._write(condition.root, written, 1, condition)
            starts.append(len(written))
        steps = np.array([step for step, _ in written], np.int16)
        numbers = np.array([number for _, number in written], np.float64)
        return Code(steps, numbers, np.array(starts, np.int64))

    def _write(
        self, node: Node, written: list[tuple[int, float]], depth: int, condition: Condition
    ) -> None:
        self.deepest = max(self.deepest, depth)
        side, _, name = node.word.partition(".")
        if node.kind == "signal" or (node.kind == "attribute" and name in BUILT_IN):
            signal = node.word.replace(".", "_")
            written.append((SIGNAL, float(Signals._fields.index(signal))))
        elif node.kind == "attribute":
            written.append((OWN if side == "own" else TARGET, self.attributes.index(name)))
        elif node.word == "chance":
            # A row of its own: what is drawn belongs to this place in this condition.
            leaf = next(n for n, each in enumerate(condition.leaves()) if each is node)
            self.draws[-1].append((len(self.leaves), leaf))
            self.leaves.append(node)
            self._write(node.parts[0], written, depth, condition)
            written += [(ROW, len(self.leaves) - 1), (COMES_TRUE, 0.0)]
            self.deepest = max(self.deepest, depth + 1)
        elif node.kind == "call":
            written.append((ROW, float(self._row_of(node))))
        elif node.kind == "number":
            written.append((NUMBER, node.value))
        elif node.kind == "text":
            number = self.words.setdefault(node.word, len(self.words))
            written.append((NUMBER, float(number)))
        else:
            signs = node.word if node.kind in ("sum", "product") else [node.kind] * len(node.parts)
            signs = [node.word] if node.kind == "compare" else signs
            self._write(node.parts[0], written, depth, condition)
            if len(node.parts) == 1:
                written.append((STEPS.index(node.kind), 0.0))
            for sign, part in zip(signs, node.parts[1:], strict=False):
                self._write(part, written, depth + 1, condition)
                written.append((STEPS.index(sign), 0.0))
