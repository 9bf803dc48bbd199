"""Conditions evaluated on arrays: of all variants and agents at a tick, or of a row of ticks."""

from __future__ import annotations

import operator
from collections.abc import Callable
from functools import reduce
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import Node

Values = NDArray[Any]
LookUp = Callable[[Node], Values]
"""Gives the values of a signal, an attribute or a call."""

COMPARISONS: dict[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
    "==": operator.eq,
    "!=": operator.ne,
}

CLOSE = 1e-9
"""Numbers this close are equal, so that no rounding decides."""


def evaluate(node: Node, look_up: LookUp) -> Values:
    """The values of a part of a condition; truths for a truth, else numbers or words.

    What is compared with a number that is not there is false.

    >>> from snelk.config.conditions import parse
    >>> values = {"meter": np.array([0.2, 0.7]), "seen": np.array([True, True])}
    >>> evaluate(parse("meter >= 0.6 and seen").root, lambda node: values[node.word])
    array([False,  True])
    """
    match node.kind:
        case "signal" | "attribute" | "call":
            return look_up(node)
        case "number":
            return np.float64(node.value)  # type: ignore[return-value]
        case "text":
            return np.str_(node.word)  # type: ignore[return-value]
        case "not":
            return np.logical_not(evaluate(node.parts[0], look_up))
    parts = [evaluate(part, look_up) for part in node.parts]
    match node.kind:
        case "and":
            return reduce(np.logical_and, parts)
        case "or":
            return reduce(np.logical_or, parts)
        case "xor":
            return reduce(np.logical_xor, parts)
        case "compare":
            return compared(node, parts[0], parts[1])
        case "minus":
            return np.negative(parts[0])
        case "sum":
            found = parts[0]
            for sign, part in zip(node.word, parts[1:], strict=True):
                found = found + part if sign == "+" else found - part
            return found
        case "product":
            found = parts[0]
            for sign, part in zip(node.word, parts[1:], strict=True):
                found = found * part if sign == "*" else found / part
            return found
    raise ValueError(node.kind)


def compared(node: Node, left: Values, right: Values) -> Values:
    """Whether two sides compare as they should; numbers that are all but equal are."""
    found: Values = np.asarray(COMPARISONS[node.word](left, right))
    if node.parts[0].is_word:
        return found
    close = np.abs(left - right) <= CLOSE
    if node.word in ("<=", ">=", "=="):
        found |= close
    else:
        found &= ~(close | np.isnan(left) | np.isnan(right))
    return found
