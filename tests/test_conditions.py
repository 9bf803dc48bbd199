"""The language of conditions: what is understood, what is refused and where, and what it means."""

from __future__ import annotations

import ast
import operator
from collections.abc import Mapping
from pathlib import Path

import numpy as np
import pytest
import samples
from hypothesis import given, settings
from hypothesis import strategies as st

import snelk
from snelk.config import syntax
from snelk.config.conditions import Condition, parse
from snelk.config.nodes import BUILT_IN, FUNCTIONS, NUMBERS, TRUTHS, UNITS, ConditionError, Node
from snelk.level.columns import laid_out
from snelk.mind.columns import CodeColumns, FactColumns, LadderColumns
from snelk.mind.deciding import decide, which_hold
from snelk.mind.evaluation import evaluate
from snelk.mind.programs import Facts, LadderState, Table
from snelk.mind.signals import OVER, Signals
from snelk.mind.stage import LadderStage


def test_a_kept_parser_is_taken_only_if_it_was_made_of_this_grammar(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(syntax, "KEPT", tmp_path / "kept")
    monkeypatch.setattr(syntax, "GRAMMAR", 'start: "seen"')
    syntax.keep()
    assert not syntax.parser.__wrapped__().parse("seen").children
    kept = syntax.KEPT.read_bytes()
    for spoiled in (kept[:-1], b"", b"\n"):
        syntax.KEPT.write_bytes(spoiled)
        syntax.parser.__wrapped__().parse("seen")
    syntax.KEPT.write_bytes(kept)
    monkeypatch.setattr(syntax, "GRAMMAR", 'start: "heard"')
    syntax.parser.__wrapped__().parse("heard")


@pytest.mark.parametrize(
    ("text", "column", "message"),
    [
        ("", 0, 'is empty; write a condition such as "meter >= 0.6 and seen"'),
        ("sen", 0, 'no such signal, "sen"; did you mean "seen"?'),
        ("seen and herd", 9, 'no such signal, "herd"; did you mean "heard"?'),
        ("seen or in_zne('a')", 8, 'no such function, "in_zne"; did you mean "in_zone"?'),
        ("lost_for > 3m", 11, "s and m cannot be compared or added"),
        ("distance + 1s > 3", 11, "m and s cannot be compared or added"),
        ("meter > distance", 8, "a number without a unit and m cannot be compared or added"),
        ("lost_for > 3sec", 12, 'did not expect "sec" here'),
        ("meter > 0.6 and", 15, "the condition is incomplete"),
        ("(seen", 5, "the condition is incomplete"),
        ("seen heard", 5, 'did not expect "heard" here'),
        ("meter = 1", 6, "cannot read '='; write == to compare"),
        ("meter & 1", 6, '"&" is not a word of the condition language; write and'),
        ("meter", 0, "must be true or false; compare it, such as meter >= 0.6"),
        ("3", 0, "is a number, not a condition; compare it, such as meter >= 0.6"),
        ("seen > 0.5", 0, "must be a number; seen is true or false"),
        ("not meter", 4, "must be true or false"),
        ("seen and meter", 9, "must be true or false"),
        ("foe.size > 2", 0, 'no such side, "foe"; known: own, target'),
        ('target.team > "wild"', 0, 'text can only be compared with == or !=; write, for example, target.team == "wild"'),
        ("target.team == 3", 0, "text can only be compared with == or !="),
        ("chance(2)", 7, "chance needs a number from 0 to 1"),
        ("chance(1s)", 7, "chance needs a number without a unit, not s"),
        ("chance", 0, "chance needs something in parentheses; write such as chance(0.5)"),
        ("in_zone(seen)", 8, "in_zone needs a name in quotes"),
        ("1e99 > meter", 0, "is too large a number"),
        ("(" * 25 + "seen" + ")" * 25, 24, "is nested deeper than 24"),
        ("seen or " * 60 + "seen", 0, "has 484 letters, more than 400"),
    ],
)  # fmt: skip
def test_a_mistake_is_told_with_its_place(text: str, column: int, message: str) -> None:
    with pytest.raises(ConditionError) as caught:
        parse(text)
    assert caught.value.column == column
    assert message in str(caught.value)


def test_a_mistake_in_a_file_is_told_with_its_key(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    states = {"a": {}, "b": {}}

    def message(transitions: dict[str, object], **more: object) -> str:
        ladder = {"states": states, "transitions": {"go": {"to": "b", **transitions}}, **more}
        with pytest.raises(snelk.InputError) as caught:
            snelk.load(path, overrides={"profiles.watcher.ladder": ladder})
        return str(caught.value).removeprefix("overrides: profiles.watcher.ladder")

    assert message({"when": "lost_for > 3 and sen"}) == (
        '.transitions.go.when: column 18: no such signal, "sen" (given: "lost_for > 3 and sen"); did you mean "seen"?'
    )
    assert (
        message({"when": 'in_zone("yrad")'})
        == '.transitions.go.when: no such zone (given: "yrad"); there are none'
    )
    assert (
        message({"when": "target.size > 2"})
        == '.transitions.go.when: no such attribute (given: "size"); there are none'
    )
    assert (
        message({"when": 'target.team == "vistors"'})
        == '.transitions.go.when: no such team (given: "vistors"); did you mean "visitors"?'
    )
    assert message({"when": 'observed_by("hoem")'}).endswith(
        'no such team (given: "hoem"); did you mean "home"?'
    )
    assert message({"when": "seen", "from": ["a", "c"]}).startswith(
        '.transitions.go.from: no such alert state (given: "c")'
    )
    assert (
        message({"when": "seen", "from": "b"})
        == ".transitions.go: leads from a state to the same state; use another state in from or to"
    )
    assert (
        message({"when": "seen", "frm": "a"})
        == '.transitions.go.frm: no such key (given: "a"); did you mean "from"?'
    )
    assert message({"when": "seen"}, first="z").startswith(
        '.first: no such alert state (given: "z")'
    )
    assert (
        message({"when": "seen"}, states={"b": {"stand": {}, "face": {}}})
        == ".states.b: has 2 activities: stand, face; keep one"
    )
    assert message({"when": "seen"}, states={"b": {"roam": {"ring": [3.0, 1.0]}}}).startswith(
        ".states.b.roam.ring: must be [least, largest]"
    )
    assert (
        message({"when": "seen"}, states={"b": {"least": -1}})
        == ".states.b.least: must be at least 0 s and at most 3600 (given: -1)"
    )


# A reference of another make: the same text as Python, run by Python itself on one situation.

VALUES = {"meter": 0.4, "distance": 7.0, "lost_for": 2.5, "seen_for": 0.0, "state_for": 3.0}
TRUE = {"seen": True, "heard": False, "told": True, "knows": True, "arrived": False}

numbers = st.one_of(
    st.sampled_from(sorted(VALUES)),
    st.floats(0, 10).map(lambda x: f"{x:.3f}"),
    st.floats(0, 10).map(lambda x: f"{x:.3f}"),
)
sums = st.recursive(
    numbers,
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from("+-*/"), inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        inner.map(lambda x: f"-{x}"),
    ),
    max_leaves=4,
)
compared = st.tuples(sums, st.sampled_from(["<", "<=", ">", ">="]), sums).map(" ".join)
conditions = st.recursive(
    st.one_of(st.sampled_from(sorted(TRUE)), compared),
    lambda inner: st.one_of(
        st.tuples(inner, st.sampled_from(["or", "and", "xor"]), inner).map(" ".join),
        inner.map(lambda x: f"not {x}"),
        inner.map(lambda x: f"({x})"),
    ),
    max_leaves=6,
)


def by_python(text: str) -> bool:
    """What Python makes of it; `xor` binds tighter than `or` and looser than `and`."""

    # `|` on truths, over parenthesised groups, has the same order: or < xor < and < not.
    def value(node: ast.AST) -> object:
        match node:
            case ast.BoolOp(op=op, values=values):
                found = [value(v) for v in values]
                return all(found) if isinstance(op, ast.And) else any(found)
            case ast.UnaryOp(op=ast.Not(), operand=part):
                return not value(part)
            case ast.UnaryOp(op=ast.USub(), operand=part):
                return -value(part)  # type: ignore[operator]
            case ast.Compare(left=left, ops=[sign], comparators=[right]):
                names = {
                    ast.Lt: operator.lt,
                    ast.LtE: operator.le,
                    ast.Gt: operator.gt,
                    ast.GtE: operator.ge,
                }
                return names[type(sign)](value(left), value(right))
            case ast.BinOp(left=left, op=sign, right=right):
                a, b = np.float64(value(left)), np.float64(value(right))  # type: ignore[arg-type]
                names = {
                    ast.Add: operator.add,
                    ast.Sub: operator.sub,
                    ast.Mult: operator.mul,
                    ast.Div: operator.truediv,
                }
                with np.errstate(all="ignore"):
                    return names[type(sign)](a, b)
            case ast.Name(id=name):
                return VALUES[name] if name in VALUES else TRUE[name]
            case ast.Constant(value=number):
                return number
        raise TypeError(node)

    def of_groups(part: str) -> bool:
        return bool(value(ast.parse(part.strip(), mode="eval").body))

    return any(
        sum(of_groups(x) for x in either.split(" xor ")) % 2 == 1 for either in text.split(" or ")
    )


def plain(text: str) -> bool:
    """Whether no `or` or `xor` stands within parentheses, where splitting the text would cut."""
    depth = 0
    for n, letter in enumerate(text):
        depth += (letter == "(") - (letter == ")")
        if depth and (text[n:].startswith(" or ") or text[n:].startswith(" xor ")):
            return False
    return True


def understood(text: str) -> Condition | ConditionError:
    try:
        return parse(text)
    except ConditionError as error:
        return error


def decided(
    condition: Condition,
    values: Mapping[str, object],
    agents: int,
    facts: Facts | None = None,
    *,
    held_on: bool = False,
) -> list[bool]:
    """What the compiled ladder makes of a condition, for so many agents at once."""
    table, one = Table(["wild"], ["size"]), (1, agents, 1)
    code = table.code_of([condition])
    signals = Signals.blank(one[:2])
    if facts is None:  # everybody's focus is a character of its own
        facts = Facts(np.zeros((3, 1, agents)), np.zeros(3), np.zeros(agents, np.int32))
        signals.focus[...] = np.arange(agents)
    attributes = {"target.size": facts.values[0, 0], "target.team": facts.values[1, 0]}
    for name, value in values.items():
        if name in attributes:
            attributes[name][...] = value
        else:
            getattr(signals, name.replace(".", "_"))[...] = value
    ladders = LadderState(
        np.zeros(one[:2], np.int16), np.zeros(one, np.int64), np.ones((*one, 1), np.bool_),
        np.zeros(one), np.zeros((*one, 1)), *np.full((2, *one), -0.1), np.zeros(one, np.int8),
        np.zeros(one), np.full(one, not held_on), *np.zeros((2, *one[:2]), np.int64),
        np.zeros(one[:2], np.bool_),
    )  # fmt: skip
    ready, drawn = np.zeros(one, np.bool_), np.full((len(table.leaves), 1, agents), 0.5)
    stage = LadderStage(
        laid_out(CodeColumns, code), laid_out(FactColumns, facts), drawn,
        np.zeros(table.deepest), laid_out(LadderColumns, ladders), ready,
        np.zeros((agents, 2), np.int64), np.zeros(1, np.int64),
    )  # fmt: skip
    found = decide(stage, signals, 1, 0.1)
    assert found == ready.sum()
    everybody = np.ones((1, agents), np.bool_)
    for asked in (everybody, np.arange(agents)[None] % 2 == 0):  # and of expectations
        told = np.zeros((1, 1, agents), np.bool_)
        which_hold(code, signals, facts, drawn, np.zeros(table.deepest), asked, told)
        assert held_on or told[0, 0].tolist() == (ready[0, :, 0] & asked[0]).tolist()
    return ready[0, :, 0].tolist()


@pytest.mark.parametrize(
    "name", [*TRUTHS, *NUMBERS, *(f"{s}.{n}" for s in ("own", "target") for n in BUILT_IN)]
)
def test_the_ladder_reads_each_signal_by_its_name(name: str) -> None:
    condition = parse(name if name in TRUTHS else f"{name} > 0.5")
    assert decided(condition, {name: [[0, 1, 0]]}, 3) == [False, True, False]


@pytest.mark.parametrize("name", TRUTHS)
def test_what_lets_a_state_be_left_that_cannot_be_interrupted(name: str) -> None:
    """What `why` and the page call over is what the ladder goes by."""
    values = {"meter": 1.0, name: [[0, 1]]}
    assert decided(parse("meter > 0.5"), values, 2, held_on=True) == [False, name in OVER]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        # Of three characters the second and third are agents: sizes 1, 2 and none; the focus of
        # the first agent is the first character, the other has none.
        ("own.size > 1.5", [True, False]),
        ("own.size < 1.5", [False, False]),
        ("target.size == 1", [True, False]),
        ("not target.size > 0", [False, True]),
        ('target.team == "wild"', [True, False]),
        ('target.team != "wild"', [False, True]),
        ('own.team == "wild"', [False, False]),
        ("chance(0.5)", [False, False]),  # 0.5 was drawn
        ("chance(own.size / 3)", [True, False]),
        ("not chance(0.6) or chance(0.51) and chance(0.2)", [False, False]),
    ],
)
def test_the_ladder_reads_attributes_of_either_side_and_chances(
    text: str, expected: list[bool]
) -> None:
    names = np.array(
        [[[1.0, 2.0, np.nan]], [[1.0, 7.0, 7.0]], [[3.0, 4.0, 5.0]]]
    )  # size, team, name
    facts = Facts(names, np.array([np.nan, 0.0, 0.0]), np.array([1, 2], np.int32))
    assert decided(parse(text), {"focus": [[0, -1]]}, 2, facts) == expected


@given(conditions.filter(lambda text: len(text) <= 380 and plain(text)))
@settings(max_examples=150, deadline=None)
def test_it_means_what_it_says(text: str) -> None:
    condition = understood(text)
    if isinstance(condition, ConditionError):
        assert "cannot be compared or added" in condition.rule or "nested" in condition.rule
        return
    everything = {**VALUES, **TRUE}
    with np.errstate(all="ignore"):
        found = evaluate(condition.root, lambda node: np.array([everything[node.word]]))
        assert decided(condition, everything, 2) == [bool(np.ravel(found)[0])] * 2
        expected = by_python(text)
        # All but equal sides count as equal, which Python does not do.
        gaps = [
            np.subtract(
                *(evaluate(part, lambda m: np.array([everything[m.word]])) for part in n.parts)
            )
            for n in condition.root.walk()
            if n.kind == "compare"
        ]
    if all(not abs(np.ravel(gap)[0]) <= 1e-9 for gap in gaps):
        assert bool(np.ravel(found)[0]) == expected


@given(st.text(max_size=500))
@settings(max_examples=120, deadline=None)
def test_no_text_crashes_it(text: str) -> None:
    found = understood(text)
    if isinstance(found, ConditionError):
        assert 0 <= found.column <= max(len(text), 1)


WORDS = [*TRUTHS, *NUMBERS, *FUNCTIONS, "own.size", "target.team", '"wild"', "3", "0.5s", "2 m", "1e3", "(", ")", "and",
         "or", "xor", "not", "<", ">=", "==", "!=", "+", "-", "*", "/", *UNITS, "__import__", "lambda", "os.system", ";", "."]  # fmt: skip


@given(st.lists(st.sampled_from(WORDS), max_size=30).map(" ".join))
@settings(max_examples=150, deadline=None)
def test_nothing_but_known_parts_ever_comes_out(text: str) -> None:
    condition = understood(text)
    if isinstance(condition, ConditionError):
        return
    kinds = {
        "or",
        "xor",
        "and",
        "not",
        "compare",
        "sum",
        "product",
        "minus",
        "number",
        "text",
        "signal",
        "attribute",
        "call",
    }
    for node in condition.root.walk():
        assert isinstance(node, Node)
        assert node.kind in kinds
        if node.kind == "signal":
            assert node.word in TRUTHS or node.word in NUMBERS
        if node.kind == "call":
            assert node.word in FUNCTIONS
    assert condition.root.truth


def test_times_and_numbers_that_are_not_there_compare_as_false() -> None:
    look_up = {"target.size": np.array([np.nan, 2.0]), "lost_for": np.array([np.inf, 1.0])}
    for text, expected in (
        ("target.size > 1", [False, True]),
        ("target.size <= 1", [False, False]),
        ("not target.size > 1", [True, False]),
        ("target.size != 1", [False, True]),
        ("lost_for > 5s", [True, False]),
    ):
        found = evaluate(parse(text).root, lambda node: look_up[node.word])
        assert found.tolist() == expected, text
        assert decided(parse(text), look_up, 2) == expected, text
    team = {"target.team": [Table(["wild"]).words[word] for word in ("wild", "")]}
    assert decided(parse('target.team == "wild"'), team, 2) == [True, False]
    assert decided(parse('target.team != "tame"'), team, 2) == [True, True]


def test_every_word_of_the_language_is_documented() -> None:
    text = (Path(__file__).parents[1] / "docs" / "conditions.md").read_text(encoding="utf-8")
    for word in (
        *TRUTHS,
        *NUMBERS,
        *FUNCTIONS,
        *UNITS,
        "own",
        "target",
        "speed",
        "height",
        "light",
        "team",
        "name",
    ):
        assert f"`{word}" in text, word
