"""The signals of a run that conditions asked for, to evaluate them again."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import Condition, parse
from snelk.config.models import Setup
from snelk.config.nodes import BUILT_IN, Node, unit_of
from snelk.mind.evaluation import chance_of_stay, evaluate
from snelk.runs.answers import written

Values = NDArray[Any]


def joined(names: Iterable[str]) -> str:
    r"""Names in one text, from which `unjoined` gets them again, commas within names and all.

    >>> joined(["owl", "hen, brown"])
    'owl, hen\\, brown'
    """
    return ", ".join(name.replace("\\", "\\\\").replace(",", "\\,") for name in names)


def unjoined(text: str) -> list[str]:
    r"""The names in a text that `joined` made.

    >>> unjoined(joined(["owl", "hen, brown", "a\\"]))
    ['owl', 'hen, brown', 'a\\']
    """
    found = re.findall(r"((?:[^\\,]|\\.)+)(?:, |$)", text)
    return [re.sub(r"\\(.)", r"\1", name) for name in found]


def endless(columns: Mapping[str, Values]) -> dict[str, Values]:
    """Columns of the table `signals`: endless distances and times are infinite again."""
    found = dict(columns)
    for name in ("distance", "lost_for", "scent_age"):
        found[name] = np.where(np.isnan(found[name]), np.inf, found[name])
    return found


@dataclass(frozen=True)
class Asked:
    """Rows of the table `signals` of one agent.

    Attributes:
        setup: Of the run.
        within: Tells of the run's level which places, x, y and z in m, are in a zone, by name.
        agent: Whose rows.
        rows: The columns by name, (rows,); also `x` and `y`, the agent's place.
        effects: (t, who, attribute, value) the attributes that changed, in the order of time.
        turns: (t, name, whether it is a door, whether it is open or lit) the same of doors and
            lights.
    """

    setup: Setup
    within: Callable[[str, Values, Values, Values | float], Values]
    agent: str
    rows: Mapping[str, Values]
    effects: tuple[tuple[float, str, str, float], ...] = ()
    turns: tuple[tuple[float, str, bool, bool], ...] = ()

    def true(self, transition: str) -> NDArray[np.bool_]:
        """(rows,) whether the condition of a transition was true."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            found = evaluate(self.condition(transition).root, self._look_up(transition))
        return np.broadcast_to(found, self.rows["state"].shape)

    def condition(self, transition: str) -> Condition:
        """The condition of a transition of the agent's ladder."""
        ladder = self.setup.profile_of(self.agent).ladder
        assert ladder is not None
        return parse(ladder.transitions[transition].when)

    def explain(self, transition: str, row: int) -> Part:
        """The tree of a transition's condition at one row, each part with its value."""
        return self.explain_condition(self.condition(transition), row, transition)

    def explain_condition(self, condition: Condition, row: int, transition: str = "") -> Part:
        """The same of any condition; without a transition it must not ask for chance."""
        one = Asked(
            self.setup,
            self.within,
            self.agent,
            {name: values[row : row + 1] for name, values in self.rows.items()},
            self.effects,
            self.turns,
        )
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            look_up = one._look_up(transition)

            def drawn(node: Node) -> Any:
                return one.drawn(node, transition)

            return _part(condition, condition.root, look_up, drawn)

    def values(self, node: Node, transition: str) -> Values:
        """(rows,) values of a part of a transition's condition; a constant part has no axis."""
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            return np.asarray(evaluate(node, self._look_up(transition)))

    def nearness(self, condition: Condition) -> Values:
        """(rows,) how many leaves of a condition without chance were true; all if it was."""
        look_up = self._look_up("")
        count = np.zeros(len(self.rows["state"]))
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            for leaf in condition.leaves():
                count += evaluate(leaf, look_up)
            count += len(condition.leaves()) * evaluate(condition.root, look_up)
        return count

    def _within(self, zone: str, x: str, y: str, z: str) -> Values:
        """Whether places are in a zone; runs that were kept before had no heights."""
        height = self.rows.get(z, 0.0)
        found: Values = self.within(zone, self.rows[x], self.rows[y], height)
        return found

    def _look_up(self, transition: str) -> Any:
        def look_up(node: Node) -> Values:
            if node.kind == "signal":
                return self.rows[node.word]
            if node.kind == "attribute":
                return self._attribute(*node.word.split("."))
            if node.word == "chance":
                return self._chance(transition, node, evaluate(node.parts[0], look_up))
            name = node.parts[0].word
            if node.word == "seen":
                return self._listed("cones", name)
            if node.word == "felt":
                return self._listed("felt_by", name)
            if node.word == "in_zone":
                return self._within(name, "x", "y", "z")
            if node.word == "target_in_zone":
                return self._within(name, "target_x", "target_y", "target_z")
            if node.word == "observed_by":
                return self._observed_by(name)
            if node.word in ("open", "lit"):
                return self._is_on(node.word, name)
            raise AssertionError(node.word)

        return look_up

    def _attribute(self, side: str, name: str) -> Values:
        if name in BUILT_IN:
            return self.rows[f"{side}_{name}"]
        who = (
            self.rows["focus"] if side == "target" else np.full(len(self.rows["focus"]), self.agent)
        )
        cast = self.setup.cast
        if name == "team":
            return np.array([cast[each].team if each else "" for each in who])
        if name == "name":
            return np.array(who, dtype=np.str_)
        known = [
            self.setup.attributes_of(each).get(name, np.nan) if each else np.nan for each in who
        ]
        found = np.array(known)
        for t, whose, attribute, value in self.effects:
            if attribute == name:  # it holds from the next tick on
                found[(np.asarray(who) == whose) & (self.rows["t"] > t + 1e-9)] = value
        return found

    def _listed(self, column: str, name: str) -> Values:
        """(rows,) whether a name is among those that a column lists."""
        return np.array([name in unjoined(text) for text in self.rows[column]], np.bool_)

    def _is_on(self, word: str, name: str) -> Values:
        """(rows,) whether a door stood open, or a light was lit."""
        first = self.setup.doors[name].open if name in self.setup.doors else False
        if word == "lit":
            first = self.setup.lights[name].lit
        found = np.full(len(self.rows["t"]), first)
        for t, of, is_door, is_on in self.turns:
            if (of, is_door) == (name, word == "open"):
                found[self.rows["t"] > t + 1e-9] = is_on
        return found

    def _observed_by(self, team: str) -> Values:
        cast = self.setup.cast
        seen = (
            any(cast[name].team == team for name in unjoined(text))
            for text in self.rows["observers"]
        )
        return np.array([*seen], np.bool_)

    def _chance(self, transition: str, node: Node, odds: Values) -> Values:
        return self.drawn(node, transition) < odds

    def drawn(self, node: Node, transition: str) -> Values:
        """(rows,) the number from 0 to 1 that a chance of a transition's condition drew."""
        leaves = self.condition(transition).leaves()
        leaf = next(n for n, each in enumerate(leaves) if each is node)
        seed = self.setup.seed
        draws = {
            int(entry): chance_of_stay(seed, self.agent, transition, leaf, int(entry))
            for entry in np.unique(self.rows["entry"])
        }
        return np.array([draws[int(entry)] for entry in self.rows["entry"]])


@dataclass(frozen=True)
class Part:
    """A part of a condition, and its value.

    Attributes:
        text: Its text, as written.
        true: Its value.
        kind: `or`, `xor`, `and`, `not`, or `leaf`.
        found: The values that are compared, with units: `lost_for 2.1 s`; empty if none.
        missing: What a false part lacks, in words; empty if unknown.
        parts: Its parts.
    """

    text: str
    true: bool
    kind: str
    found: str
    missing: str
    parts: tuple[Part, ...]

    def reasons(self) -> list[str]:
        """The parts that decided its value, with their values."""
        if not self.parts:
            return [self.found or (self.text if self.true else f"not {self.text}")]
        # One true part makes an `or` true, one false part an `and` false.
        decides = {"or": True, "and": False}.get(self.kind)
        parts = self.parts
        if decides is not None and self.true == decides:
            parts = tuple(part for part in parts if part.true == decides)
        return [reason for part in parts for reason in part.reasons()]

    def leaves(self) -> list[Part]:
        """The leaves, in the order of the text."""
        return [self] if not self.parts else [leaf for part in self.parts for leaf in part.leaves()]


def _part(condition: Condition, node: Node, look_up: Any, drawn: Any) -> Part:
    text = condition.words_in(node)
    true = bool(np.ravel(evaluate(node, look_up))[0])
    if not node.is_leaf:
        parts = tuple(_part(condition, part, look_up, drawn) for part in node.parts)
        return Part(text, true, node.kind, "", "", parts)
    if node.word == "chance":
        odds = float(np.ravel(evaluate(node.parts[0], look_up))[0])
        drew = f"{text} drew {written_draw(np.ravel(drawn(node))[0])}"
        missing = "" if true else f"{drew}, needs < {written(odds, '')}"
        return Part(text, true, "leaf", drew, missing, ())
    if node.kind != "compare":
        return Part(text, true, "leaf", "", "", ())
    unit = _unit(node)
    found = [
        (words, np.ravel(evaluate(part, look_up))[0]) for words, part in sides_of(condition, node)
    ]
    if node.parts[0].is_word:
        names = [f"{words} {value or 'nobody'}" for words, value in found]
        return Part(text, true, "leaf", ", ".join(names), "", ())
    numbers = [f"{words} {written(float(value), unit)}" for words, value in found]
    missing = ""
    if not true:
        right = np.ravel(evaluate(node.parts[1], look_up))[0]
        missing = f"{numbers[0] if numbers else text}, needs {_sign(node.word)} "
        missing += written(float(right), unit)
    return Part(text, true, "leaf", ", ".join(numbers), missing, ())


def written_draw(number: float) -> str:
    """The number drawn for a chance, with enough digits to compare it."""
    return f"{number:.4f}"


def sides_of(condition: Condition, leaf: Node) -> list[tuple[str, Node]]:
    """The sides of a comparison, as written, without constants."""
    if leaf.kind != "compare":
        return []
    plain = "text" if leaf.parts[0].is_word else "number"
    return [(condition.words_in(part), part) for part in leaf.parts if part.kind != plain]


def unit_in(leaf: Node) -> str:
    """The unit of a comparison; empty for text and numbers without a unit."""
    return "" if leaf.kind != "compare" or leaf.parts[0].is_word else _unit(leaf)


def _unit(node: Node) -> str:
    dimension = next((p.dimension for p in node.parts if p.dimension is not None), None)
    return unit_of(dimension)


def _sign(word: str) -> str:
    return {">=": "≥", "<=": "≤", "!=": "≠", "==": "="}.get(word, word)


def deciding(value: float, digits: int) -> str:
    """A number with some decimals, or with more if it would show as 0.

    >>> deciding(1.234, 2), deciding(0.0004, 2), deciding(0.0, 2)
    ('1.23', '0.0004', '0.00')
    """
    while 0.0 < abs(value) < 0.5 * 10.0**-digits and digits < 12:
        digits += 1
    return f"{value:.{digits}f}"
