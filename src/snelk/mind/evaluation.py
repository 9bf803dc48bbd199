"""Conditions evaluated on arrays: for all variants and agents at a tick, or for many ticks."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.chance import stream_at_once
from snelk.config.nodes import Node

Values = NDArray[Any]
LookUp = Callable[[Node], Values]
"""Gives the values of a signal, an attribute or a call."""

Evaluator = Callable[[LookUp], Values]

CLOSE = 1e-9
"""Numbers this close are equal, so that no rounding decides."""

GROUPS = {"and": np.logical_and, "or": np.logical_or, "xor": np.logical_xor}

COMPARISONS: dict[str, Callable[[Any, Any], Any]] = {
    "<": lambda left, right: left < right - CLOSE,
    "<=": lambda left, right: left <= right + CLOSE,
    ">": lambda left, right: left > right + CLOSE,
    ">=": lambda left, right: left >= right - CLOSE,
    "==": lambda left, right: (left == right) | (np.abs(left - right) <= CLOSE),
    "!=": lambda left, right: np.abs(left - right) > CLOSE,
}
"""What is compared with a number that is not there is false."""

WORDS: dict[str, Callable[[Any, Any], Any]] = {
    "==": lambda left, right: left == right,
    "!=": lambda left, right: left != right,
}


def evaluate(node: Node, look_up: LookUp) -> Values:
    """The values of a part of a condition: true or false, numbers, or words.

    >>> from snelk.config.conditions import parse
    >>> values = {"meter": np.array([0.2, 0.7]), "seen": np.array([True, True])}
    >>> evaluate(parse("meter >= 0.6 and seen").root, lambda node: values[node.word])
    array([False,  True])
    """
    return evaluator(node)(look_up)


def evaluator(node: Node) -> Evaluator:
    """A function that evaluates a part of a condition: for those that are asked at every tick."""
    if node.kind in ("signal", "attribute", "call"):
        return lambda look_up: look_up(node)
    if node.kind in ("number", "text"):
        value: Any = np.float64(node.value) if node.kind == "number" else np.str_(node.word)
        return lambda _: value
    parts = [evaluator(part) for part in node.parts]
    first = parts[0]
    if node.kind in GROUPS:
        group = GROUPS[node.kind]
        return lambda look_up: reduce(group, [part(look_up) for part in parts])
    if node.kind == "not":
        return lambda look_up: np.logical_not(first(look_up))
    if node.kind == "minus":
        return lambda look_up: np.negative(first(look_up))
    if node.kind == "compare":
        second = parts[1]
        words: Mapping[str, Any] = WORDS if node.parts[0].is_word else COMPARISONS
        compare = words[node.word]
        return lambda look_up: np.asarray(compare(first(look_up), second(look_up)))
    each: Any = np.add, np.subtract, np.multiply, np.divide
    signs: dict[str, Any] = dict(zip("+-*/", each, strict=True))
    steps = [(signs[sign], part) for sign, part in zip(node.word, parts[1:], strict=True)]

    def arithmetic(look_up: LookUp) -> Values:
        found = first(look_up)
        for sign, part in steps:
            found = sign(found, part(look_up))
        return found

    return arithmetic


def chance_of_stay(seed: int, agent: str, transition: str, leaf: int, entry: int) -> float:
    """The number from 0 to 1 that a `chance` is compared with during a stay in a state."""
    return float(stream_at_once(seed, "chance", agent, transition, leaf, entry).random())
