"""The grammar of conditions: from text to a tree, with names, kinds and units checked."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, TypeVar

from lark import Token, Transformer, UnexpectedInput, v_args
from lark.exceptions import VisitError

from snelk.config.nodes import (
    BUILT_IN,
    FELT_BY,
    FUNCTIONS,
    NUMBERS,
    PURE,
    SIDES,
    TRUTHS,
    UNITS,
    ConditionError,
    Dimension,
    Node,
    unit_of,
)
from snelk.config.syntax import parser
from snelk.errors import nearest

DEEPEST = 24
"""Deeper nesting of parentheses, `not` and minus signs is refused."""


def tree_of(text: str) -> Node:
    """The tree of a condition.

    Raises:
        ConditionError: It is nested too deep, or a word, unit or sign is wrong.
    """
    try:
        tokens = list(parser().lex(text))
        _check_depth(tokens)
        root: Node = _Builder().transform(parser().parse(text))
    except UnexpectedInput as error:
        raise _misplaced(text, error) from None
    except VisitError as error:
        if isinstance(error.orig_exc, ConditionError):
            raise (_meant(text, error.orig_exc.column) or error.orig_exc) from None
        raise
    _must_be_truth(root)
    return root


def _check_depth(tokens: list[Token]) -> None:
    depth = run = 0
    for token in tokens:
        run = run + 1 if token.type in ("NOT", "SIGN", "LPAR") else 0
        depth += {"LPAR": 1, "RPAR": -1}.get(token.type, 0)
        if max(depth, run) > DEEPEST:
            rule = f"is nested deeper than {DEEPEST}"
            raise ConditionError(token.start_pos or 0, rule, "split it into two transitions")


MEANT = {
    "neither": "write not (a or b)",
    "nor": "write not (a or b)",
    "but": "write and",
    "unless": "write and not",
    "&&": "write and",
    "&": "write and",
    "||": "write or",
    "|": "write or",
    "!": "write not",
    "AND": "write and, in lower case",
    "OR": "write or, in lower case",
    "XOR": "write xor, in lower case",
    "NOT": "write not, in lower case",
    "is": "leave it out, or compare with ==",
    "for": "give the transition for = seconds, or use lost_for or seen_for, such as lost_for > 3s",
    "then": "use the transition's to",
    "true": "leave it out: seen is true or false by itself",
    "false": "write not",
}
"""Words of other languages, and what is written here instead."""


def _meant(text: str, column: int) -> ConditionError | None:
    """The probable meaning of a word from another language, at a column or before it."""
    plain = re.sub(r"\"[^\"]*\"|'[^']*'", lambda quoted: " " * len(quoted[0]), text)
    for found in re.finditer(r"[A-Za-z_]\w*|&&?|\|\|?|!(?!=)", plain):
        if found[0] in MEANT and found.start() <= column:
            rule = f'"{found[0]}" is not a word of the condition language'
            return ConditionError(found.start(), rule, MEANT[found[0]])
    return None


def _misplaced(text: str, error: UnexpectedInput) -> ConditionError:
    at = error.pos_in_stream
    column = len(text) if at is None or at < 0 else min(at, len(text))
    token = getattr(error, "token", None)
    meant = _meant(text, column)
    if meant is not None:
        return meant
    if token is None:  # a letter that begins no word
        sign = text[column : column + 1]
        fix = "write == to compare" if sign == "=" else ""
        return ConditionError(column, f"cannot read {sign!r}", fix)
    if token.type == "$END":
        return ConditionError(len(text), "the condition is incomplete")
    rule = f'did not expect "{token}" here'
    return ConditionError(column, rule)


def _must_be_truth(node: Node) -> None:
    if not node.truth:
        rule = "must be true or false" if node.kind != "number" else "is a number, not a condition"
        raise ConditionError(node.start, rule, "compare it, such as meter >= 0.6")


def _must_be_number(node: Node) -> None:
    if node.truth or node.is_word:
        what = f"{node.word or node.kind} is {'true or false' if node.truth else 'text'}"
        raise ConditionError(node.start, f"must be a number; {what}")


def _same(a: Node, b: Node) -> Dimension:
    """The dimension of two numbers that are added or compared."""
    if a.dimension is None or b.dimension is None or a.dimension == b.dimension:
        return b.dimension if a.dimension is None else a.dimension
    units = [unit_of(node.dimension) or "a number without a unit" for node in (a, b)]
    raise ConditionError(b.start, f"{units[0]} and {units[1]} cannot be compared or added")


F = TypeVar("F", bound=Callable[..., Any])


def _with_place(method: F) -> Any:
    return v_args(meta=True)(method)


class _Builder(Transformer[Token, Node]):
    """From Lark's tree to ours, with names, kinds and units checked."""

    def _group(self, kind: str, meta: Any, parts: list[Node]) -> Node:
        for part in parts:
            _must_be_truth(part)
        return Node(kind, kind, tuple(parts), 0.0, PURE, True, meta.start_pos, meta.end_pos)

    @_with_place
    def either(self, meta: Any, parts: list[Node]) -> Node:
        return self._group("or", meta, parts)

    @_with_place
    def one_of(self, meta: Any, parts: list[Node]) -> Node:
        return self._group("xor", meta, parts)

    @_with_place
    def both(self, meta: Any, parts: list[Node]) -> Node:
        return self._group("and", meta, parts)

    @_with_place
    def negation(self, meta: Any, parts: list[Node]) -> Node:
        return self._group("not", meta, parts)

    @_with_place
    def compared(self, meta: Any, parts: list[Any]) -> Node:
        left, sign, right = parts
        place = (meta.start_pos, meta.end_pos)
        words = [part for part in (left, right) if part.is_word]
        if words:
            if sign not in ("==", "!=") or len(words) < 2 or left.kind == right.kind == "text":
                fix = 'write, for example, target.team == "wild"'
                raise ConditionError(left.start, "text can only be compared with == or !=", fix)
            return Node("compare", str(sign), (left, right), 0.0, PURE, True, *place)
        for part in (left, right):
            _must_be_number(part)
        _same(left, right)
        return Node("compare", str(sign), (left, right), 0.0, PURE, True, *place)

    @_with_place
    def sum(self, meta: Any, parts: list[Any]) -> Node:
        numbers, signs = parts[::2], parts[1::2]
        first = numbers[0]
        dimension = first.dimension
        for part in numbers:
            _must_be_number(part)
            dimension = _same(Node("", dimension=dimension, start=first.start), part)
        place = (meta.start_pos, meta.end_pos)
        return Node("sum", "".join(signs), tuple(numbers), 0.0, dimension, False, *place)

    @_with_place
    def product(self, meta: Any, parts: list[Any]) -> Node:
        numbers, signs = parts[::2], parts[1::2]
        for part in numbers:
            _must_be_number(part)
        dimension = numbers[0].dimension
        for sign, part in zip(signs, numbers[1:], strict=True):
            if part.dimension is None:
                continue
            way = 1 if sign == "*" else -1
            own = dimension or (0, 0, 0)
            dimension = tuple(a + way * b for a, b in zip(own, part.dimension, strict=True))
        place = (meta.start_pos, meta.end_pos)
        return Node("product", "".join(signs), tuple(numbers), 0.0, dimension, False, *place)

    @_with_place
    def signed(self, meta: Any, parts: list[Any]) -> Node:
        sign, part = parts
        _must_be_number(part)
        kind = "minus" if sign == "-" else "sum"
        return Node(kind, "", (part,), 0.0, part.dimension, False, meta.start_pos, meta.end_pos)

    @_with_place
    def number(self, meta: Any, parts: list[Token]) -> Node:
        value = float(parts[0])
        if value > 1e12:
            raise ConditionError(meta.start_pos, "is too large a number")
        unit = str(parts[1]) if len(parts) > 1 else ""
        dimension = UNITS[unit] if unit else None
        return Node("number", unit, (), value, dimension, False, meta.start_pos, meta.end_pos)

    @_with_place
    def text(self, meta: Any, parts: list[Token]) -> Node:
        return Node("text", str(parts[0])[1:-1], start=meta.start_pos, end=meta.end_pos)

    def inner(self, parts: list[Node]) -> Node:
        return parts[0]

    @_with_place
    def signal(self, meta: Any, parts: list[Token]) -> Node:
        name = str(parts[0])
        place = (meta.start_pos, meta.end_pos)
        if name in TRUTHS:
            return Node("signal", name, (), 0.0, PURE, True, *place)
        if name in NUMBERS:
            return Node("signal", name, (), 0.0, NUMBERS[name][0], False, *place)
        if name in FUNCTIONS:
            fix = f"write such as {name}({'0.5' if name == 'chance' else '…'})"
            raise ConditionError(meta.start_pos, f"{name} needs something in parentheses", fix)
        rule = f'no such signal, "{name}"'
        raise ConditionError(meta.start_pos, rule, nearest(name, [*TRUTHS, *NUMBERS, *FUNCTIONS]))

    @_with_place
    def attribute(self, meta: Any, parts: list[Token]) -> Node:
        side, name = map(str, parts)
        if side not in SIDES:
            raise ConditionError(meta.start_pos, f'no such side, "{side}"', nearest(side, SIDES))
        place = (meta.start_pos, meta.end_pos)
        return Node("attribute", f"{side}.{name}", (), 0.0, BUILT_IN.get(name), False, *place)

    @_with_place
    def call(self, meta: Any, parts: list[Any]) -> Node:
        name, part = str(parts[0]), parts[1]
        if name not in FUNCTIONS:
            rule = f'no such function, "{name}"'
            raise ConditionError(meta.start_pos, rule, nearest(name, FUNCTIONS))
        if name == "chance":
            _must_be_number(part)
            if part.dimension not in (None, PURE):
                rule = f"chance needs a number without a unit, not {unit_of(part.dimension)}"
                raise ConditionError(part.start, rule, "divide it, such as chance(distance / 10m)")
            if part.kind == "number" and not 0 <= part.value <= 1:
                raise ConditionError(part.start, "chance needs a number from 0 to 1")
        elif part.kind != "text" or not part.word:
            raise ConditionError(part.start, f"{name} needs a name in quotes")
        elif name == "felt" and part.word not in FELT_BY:
            rule, fix = f'no such sense, "{part.word}"', nearest(part.word, FELT_BY)
            raise ConditionError(part.start, rule, fix)
        return Node("call", name, (part,), part.value, PURE, True, meta.start_pos, meta.end_pos)
