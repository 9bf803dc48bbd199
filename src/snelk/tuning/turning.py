"""The smallest change of one number that would have changed an agent's alert state."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from snelk.config.conditions import Condition, parse
from snelk.config.nodes import Node, unit_of
from snelk.config.problems import key_path
from snelk.errors import InputError
from snelk.runs.answers import written
from snelk.runs.ladders import TransitionAnswer, asked_by, blocked_by, explain_ladder

if TYPE_CHECKING:
    from snelk.runs.conditions import Asked
    from snelk.runs.record import Record


class Turning(NamedTuple):
    """One change, with everything else equal: in words, and what to set.

    Attributes:
        text: Such as `something-stirs → wary if meter > 0.21 (is 0.3)`.
        key, value: What to set, as for `--set`.
        size: Its relative size; the smallest comes first.
    """

    text: str
    key: str
    value: Any
    size: float


def turnings(run: Record, agent: str, t: float) -> list[Turning]:
    """For each transition that was not taken the number that alone kept it, the nearest first.

    A number in its condition, or its `for`. None if it takes more than one number, or none, or the
    state cannot be left yet.

    Raises:
        InputError: The agent has no alert states.

    >>> import snelk
    >>> run = snelk.run(snelk.croft() / "night.toml")
    >>> turnings(run, "farmer", 40.0)[0].text
    'evening-round → round if state_for > 39.99 s (is 46 s)'
    """
    answer, asked = explain_ladder(run, agent, at=t), asked_by(run, agent)
    profile, tick = run.setup.cast[agent].profile or "", run.tick_at(t)
    found: list[Turning] = []
    if blocked_by(run, agent, answer.state, asked.rows, tick):
        return found
    for each in answer.transitions:
        if each.taken or each.to == answer.state:
            continue
        place = ("profiles", profile, "ladder", "transitions", each.name)
        if each.condition.true:
            found += _sooner(each, place)
        elif not each.needs:  # else it would have to be true for a while as well
            found += _nearer(asked, each, place, tick)
    return sorted(found, key=lambda each: each.size)


def _sooner(each: TransitionAnswer, place: tuple[str, ...]) -> list[Turning]:
    """The `for` of a transition, if only that prevents it."""
    if each.held >= each.needs - 1e-9:
        return []
    seconds = math.floor(each.held * 100.0) / 100.0
    text = f"{each.name} → {each.to} if true for {seconds:g} s (is {each.needs:g} s)"
    size = (each.needs - seconds) / each.needs
    return [Turning(text, key_path((*place, "for")), seconds, size)]


def _nearer(
    asked: Asked, each: TransitionAnswer, place: tuple[str, ...], tick: int
) -> list[Turning]:
    """Numbers of its condition that alone would make it true."""
    condition, found = asked.condition(each.name), list[Turning]()
    if any(node.word == "chance" for node in condition.root.walk()):
        return []  # each text of it would draw otherwise
    for leaf in condition.leaves():
        if leaf.kind != "compare" or leaf.parts[0].is_word:
            continue
        for number, other in (leaf.parts, leaf.parts[::-1]):
            if number.kind != "number" or other.kind == "number":
                continue
            values = np.ravel(asked.values(other, each.name))
            value = float(values[tick if len(values) > 1 else 0])
            # What is 0, such as an empty meter, is no less: such a limit would keep nothing.
            rises = (
                leaf.word in (">", ">=") if number is leaf.parts[1] else leaf.word in ("<", "<=")
            )
            if not math.isfinite(value) or (rises and value <= 0.0):
                continue
            for now in _near(value):
                text = _with(condition, number, now)
                try:
                    tried = parse(text)
                except InputError:  # it may be no number of its kind
                    continue
                if not asked.explain_condition(tried, tick, each.name).true:
                    continue
                unit = unit_of(number.dimension)
                longer = len(text) - len(condition.text)
                words = text[leaf.start : leaf.end + longer]
                said = f"{each.name} → {each.to} if {words} (is {written(number.value, unit)})"
                size = abs(now - number.value) / max(abs(number.value), 1e-9)
                found.append(Turning(said, key_path((*place, "when")), text, size))
                break
    return found


def _near(value: float) -> tuple[float, ...]:
    """A number itself, and a little to either side of it."""
    hundredths = value * 100.0
    below, above = math.floor(hundredths - 0.5) / 100.0, math.ceil(hundredths + 0.5) / 100.0
    return round(value, 2), below, above


def _with(condition: Condition, number: Node, value: float) -> str:
    """The text of a condition with one number changed."""
    unit = unit_of(number.dimension)
    written_now = f"{value:.6g} {unit}".strip()
    return condition.text[: number.start] + written_now + condition.text[number.end :]
