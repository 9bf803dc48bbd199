"""The language of conditions: what makes an agent change its alert state.

`parse` turns text into a tree; nothing of it is ever run as code. The tree is evaluated on arrays
by `snelk.mind.evaluation`. The language is told in docs/conditions.md.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Any, TypeVar

from lark import Lark, Token, Transformer, UnexpectedInput, v_args
from lark.exceptions import VisitError

from snelk.errors import nearest

LONGEST_TEXT = 400
"""Longer conditions are refused, letters."""

DEEPEST = 24
"""Deeper nesting of parentheses, `not` and minus signs is refused."""

Dimension = tuple[int, int, int] | None
"""Powers of m, s and deg; None for a number without a unit, which goes with everything."""

PURE: Dimension = (0, 0, 0)
METRES: Dimension = (1, 0, 0)
SECONDS: Dimension = (0, 1, 0)
DEGREES: Dimension = (0, 0, 1)
SPEED: Dimension = (1, -1, 0)

TRUTHS = {
    "seen": "the focus is in view",
    "heard": "a noise of the focus was heard at this tick",
    "felt": "the focus is felt, or in a zone that is watched",
    "told": "another agent told of the focus at this tick",
    "knows": "there is a belief of where the focus is",
    "arrived": "it has come to the place that its activity goes to",
    "unreachable": "it has come as near to that place as it can get, and no nearer",
    "done": "its activity is done",
    "failed": "its activity cannot be done",
    "search_done": "the search is over, whatever came of it",
    "stuck": "it wants to get on and does not",
    "observed": "an agent of another team has it in view",
    "asleep": "its activity is sleep",
    "inside_territory": "it is in its territory, or has none",
    "target_inside_territory": "the focus is believed to be in it, or there is none",
}
NUMBERS: dict[str, tuple[Dimension, str]] = {
    "meter": (PURE, "the detection meter of the focus, 0 to 1"),
    "exposure": (PURE, "share of the focus in view at the last look, 0 to 1"),
    "distance": (METRES, "to where the focus is believed to be; endless without a belief"),
    "from_home": (METRES, "to its home"),
    "lost_for": (SECONDS, "since the focus was last seen, felt or in a watched zone"),
    "seen_for": (SECONDS, "that the focus has been in view on end"),
    "state_for": (SECONDS, "since the alert state was entered"),
    "told_rank": (PURE, "rank of the state of who told of the focus at this tick; -1 if nobody"),
}
FUNCTIONS = {
    "in_zone": "it is in a zone of the level, by name",
    "target_in_zone": "the focus is believed to be in a zone, by name",
    "observed_by": "an agent of a team, by name, has it in view",
    "chance": "true with a probability; drawn once each time the state is entered",
}
SIDES = ("own", "target")
BUILT_IN: dict[str, Dimension] = {"speed": SPEED, "height": METRES, "light": PURE}
"""Attributes that every character has, of this tick."""
WORDS_OF = ("team", "name")
"""Attributes that are words, to be compared with == or !=."""

UNITS: dict[str, Dimension] = {"s": SECONDS, "m": METRES, "deg": DEGREES}

GRAMMAR = r"""
?start: either
?either: one_of ("or" one_of)*
?one_of: both ("xor" both)*
?both: negated ("and" negated)*
?negated: "not" negated -> negation
        | compared
?compared: sum (COMPARISON sum)?
?sum: product (SIGN product)*
?product: factor (TIMES factor)*
?factor: SIGN factor -> signed
       | NUMBER UNIT? -> number
       | NAME "." NAME -> attribute
       | NAME "(" either ")" -> call
       | NAME -> signal
       | TEXT -> text
       | "(" either ")" -> inner
COMPARISON: "<=" | ">=" | "==" | "!=" | "<" | ">"
SIGN: "+" | "-"
TIMES: "*" | "/"
UNIT: /(deg|s|m)(?![A-Za-z0-9_])/
NUMBER: /(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?/
NAME: /[A-Za-z_][A-Za-z0-9_]*/
TEXT: /"[^"\n]*"|'[^'\n]*'/
%ignore /[ \t\r\n]+/
"""


class ConditionError(ValueError):
    """A condition that cannot be understood.

    Attributes:
        column: Where in the text, from 0.
        rule, fix: What must hold, and what to do about it.
    """

    def __init__(self, column: int, rule: str, fix: str = "") -> None:
        super().__init__(f"letter {column + 1}: {rule}" + (f"; {fix}" if fix else ""))
        self.column = column
        self.rule = rule
        self.fix = fix


@dataclass(frozen=True)
class Node:
    """A part of a condition.

    Attributes:
        kind: `or`, `xor`, `and`, `not`, `compare`, `sum`, `product`, `minus`, `number`, `text`,
            `signal`, `attribute`, `call`.
        word: The operators, name, text or comparison.
        parts: The parts it consists of.
        value: Of a number.
        dimension: Of a number; `PURE` of a truth.
        truth: Whether it is true or false, and no number.
        start, end: Where it stands in the text.
    """

    kind: str
    word: str = ""
    parts: tuple[Node, ...] = ()
    value: float = 0.0
    dimension: Dimension = None
    truth: bool = False
    start: int = 0
    end: int = 0

    def walk(self) -> Iterator[Node]:
        """This part and all within, in the order of the text."""
        yield self
        for part in self.parts:
            yield from part.walk()

    @property
    def is_word(self) -> bool:
        """Whether it is text, or an attribute that is."""
        return self.kind == "text" or self.word.partition(".")[2] in WORDS_OF

    @property
    def is_leaf(self) -> bool:
        """Whether it is a truth that does not consist of truths: what a reason is made of."""
        return self.truth and self.kind not in ("or", "xor", "and", "not")


@dataclass(frozen=True)
class Condition:
    """A condition that has been understood.

    Attributes:
        text: As it was written.
        root: The tree.
    """

    text: str
    root: Node

    def leaves(self) -> tuple[Node, ...]:
        """The truths that it consists of, in the order of the text."""
        return tuple(node for node in self.root.walk() if node.is_leaf)

    def words_in(self, node: Node) -> str:
        """A part as it was written."""
        return self.text[node.start : node.end].strip()


@lru_cache(maxsize=4096)
def parse(text: str) -> Condition:
    """Understand a condition.

    Raises:
        ConditionError: It is too long or nested too deep, or a word, unit or sign is wrong.

    >>> [node.word for node in parse("seen or lost_for > 3s and not told").leaves()]
    ['seen', '>', 'told']
    >>> parse("metre >= 0.6")
    Traceback (most recent call last):
    snelk.config.conditions.ConditionError: letter 1: no such signal, "metre"; did you mean "meter"?
    """
    if not text.strip():
        raise ConditionError(0, "is empty", 'write a condition such as "meter >= 0.6 and seen"')
    if len(text) > LONGEST_TEXT:
        rule = f"has {len(text)} letters, more than {LONGEST_TEXT}"
        raise ConditionError(0, rule, "split it into two changes")
    try:
        tokens = list(_parser().lex(text))
        _check_depth(tokens)
        root: Node = _Builder().transform(_parser().parse(text))
    except UnexpectedInput as error:
        raise _misplaced(text, error) from None
    except VisitError as error:
        if isinstance(error.orig_exc, ConditionError):
            raise (_meant(text, error.orig_exc.column) or error.orig_exc) from None
        raise
    _must_be_truth(root)
    return Condition(text, root)


@cache
def _parser() -> Lark:
    return Lark(GRAMMAR, parser="lalr", propagate_positions=True, maybe_placeholders=False)


def _check_depth(tokens: list[Token]) -> None:
    depth = run = 0
    for token in tokens:
        run = run + 1 if token.type in ("NOT", "SIGN", "LPAR") else 0
        depth += {"LPAR": 1, "RPAR": -1}.get(token.type, 0)
        if max(depth, run) > DEEPEST:
            rule = f"is nested deeper than {DEEPEST}"
            raise ConditionError(token.start_pos or 0, rule, "split it into two changes")


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
    "AND": "write and, in small letters",
    "OR": "write or, in small letters",
    "XOR": "write xor, in small letters",
    "NOT": "write not, in small letters",
    "is": "leave it out, or compare with ==",
    "for": "give the change for = seconds, or ask lost_for or seen_for, such as lost_for > 3s",
    "then": "say it in the change's to",
    "true": "leave it out: seen is a truth by itself",
    "false": "write not",
}
"""Words of other languages, and what is written here instead."""


def _meant(text: str, column: int) -> ConditionError | None:
    """What somebody meant by a word of another language that stands at a place or before it."""
    plain = re.sub(r"\"[^\"]*\"|'[^']*'", lambda quoted: " " * len(quoted[0]), text)
    for found in re.finditer(r"[A-Za-z_]\w*|&&?|\|\|?|!(?!=)", plain):
        if found[0] in MEANT and found.start() <= column:
            rule = f'"{found[0]}" is no word of conditions'
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
        return ConditionError(len(text), "something is missing at the end")
    rule = f'did not expect "{token}" here'
    return ConditionError(column, rule)


def _must_be_truth(node: Node) -> None:
    if not node.truth:
        rule = "is not true or false" if node.kind != "number" else "is a number, not a condition"
        raise ConditionError(node.start, rule, "compare it, such as meter >= 0.6")


def _must_be_number(node: Node) -> None:
    if node.truth or node.is_word:
        what = f"{node.word or node.kind} is {'true or false' if node.truth else 'text'}"
        raise ConditionError(node.start, f"must be a number; {what}")


def unit_of(dimension: Dimension) -> str:
    """How a dimension is written: `m`, `m/s`; empty for none."""
    if dimension is None:
        return ""
    over = [
        unit + (str(n) if n > 1 else "")
        for unit, n in zip(("m", "s", "deg"), dimension, strict=True)
        if n > 0
    ]
    under = [
        unit + (str(-n) if n < -1 else "")
        for unit, n in zip(("m", "s", "deg"), dimension, strict=True)
        if n < 0
    ]
    return "·".join(over or (["1"] if under else [])) + "".join(f"/{unit}" for unit in under)


def _same(a: Node, b: Node) -> Dimension:
    """The dimension of two numbers that are added or compared."""
    if a.dimension is None or b.dimension is None or a.dimension == b.dimension:
        return b.dimension if a.dimension is None else a.dimension
    units = [unit_of(node.dimension) or "a number without unit" for node in (a, b)]
    raise ConditionError(b.start, f"{units[0]} and {units[1]} do not go together")


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
                fix = 'write such as target.team == "wild"'
                raise ConditionError(left.start, "words are compared with == or !=", fix)
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
            if part.kind != "number" or part.dimension is not None or not 0 <= part.value <= 1:
                raise ConditionError(part.start, "chance needs a number from 0 to 1")
        elif part.kind != "text" or not part.word:
            raise ConditionError(part.start, f"{name} needs a name in quotes")
        return Node("call", name, (part,), part.value, PURE, True, meta.start_pos, meta.end_pos)
