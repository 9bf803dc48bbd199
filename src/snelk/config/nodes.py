"""The words of conditions, and their parse trees."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

LONGEST_TEXT = 400
"""Longer conditions are refused, letters."""

Dimension = tuple[int, int, int] | None
"""Powers of m, s and deg; None for a number without a unit, which goes with everything."""

PURE: Dimension = (0, 0, 0)
METRES: Dimension = (1, 0, 0)
SECONDS: Dimension = (0, 1, 0)
DEGREES: Dimension = (0, 0, 1)
SPEED: Dimension = (1, -1, 0)

TRUTHS = {
    "seen": "the focus is in view",
    "heard": "a noise made by the focus was heard at this tick",
    "felt": "the focus is felt, or is in a watched zone",
    "smelt": "it smells the trail of the focus",
    "told": "another agent's message about the focus arrived at this tick",
    "any_seen": "any target is in view, the focus or another",
    "any_heard": "a noise made by any target was heard at this tick, or one made by nobody",
    "any_felt": "any target is felt, or is in a watched zone",
    "any_smelt": "it smells the trail of any target",
    "any_told": "another agent's message about any target arrived at this tick",
    "knows": "it has a belief about the position of the focus",
    "arrived": "it has arrived at the goal of its activity",
    "unreachable": "it is as near to its goal as it can get",
    "done": "its activity is done",
    "failed": "its activity cannot be done",
    "search_done": "the search is over, with any result",
    "stuck": "it tries to move and does not get on",
    "faces_focus": "it faces the believed position of the focus, within 5 degrees",
    "caught": "it has caught a target since it entered its state",
    "was_caught": "it has been caught since it entered its state",
    "seen_to": "it has seen to a clue since it entered its state",
    "observed": "an agent of another team has it in view",
    "asleep": "its activity is sleep",
    "inside_territory": "it is in its territory, or has none",
    "target_inside_territory": "it believes the focus to be in its territory, or has none",
}
NUMBERS: dict[str, tuple[Dimension, str]] = {
    "meter": (PURE, "the detection meter of the focus, 0 to 1"),
    "exposure": (PURE, "share of the focus in view at the last look, 0 to 1"),
    "distance": (METRES, "to the believed position of the focus; endless without a belief"),
    "from_home": (METRES, "to its home"),
    "lost_for": (SECONDS, "since the focus was last seen, felt or in a watched zone"),
    "seen_for": (SECONDS, "how long the focus has been in view without a break"),
    "scent_age": (SECONDS, "age of the point of the trail that is smelt; endless if none is"),
    "state_for": (SECONDS, "since the alert state was entered"),
    "told_rank": (
        PURE,
        "rank of the sender's state, if a message about the focus arrived; else -1",
    ),
    "rank": (PURE, "rank of its own alert state"),
    "bearing": (DEGREES, "angle from its facing to the believed position of the focus, 0 to 180"),
}
FUNCTIONS = {
    "seen": "the focus is in view of one of its cones, by name",
    "felt": 'the focus is felt, "touch", or is in a watched zone, "zone"',
    "in_zone": "it is in a zone of the level, by name",
    "target_in_zone": "it believes the focus to be in a zone, by name",
    "observed_by": "an agent of a team, by name, has it in view",
    "open": "a door of the level, by name, is open",
    "lit": "the light of a zone, by name, is on",
    "chance": "true with a probability, drawn once each time the state is entered",
}
FACES = 5.0
"""Whoever faces a place within so many degrees faces it: `faces_focus`."""

FELT_BY = ("touch", "zone")
"""What `felt` may name."""
SIDES = ("own", "target")
BUILT_IN: dict[str, Dimension] = {"speed": SPEED, "height": METRES, "light": PURE}
"""Attributes that every character has, of this tick."""
WORDS_OF = ("team", "name")
"""Attributes that are words, to be compared with == or !=."""

UNITS: dict[str, Dimension] = {"s": SECONDS, "m": METRES, "deg": DEGREES}


class ConditionError(ValueError):
    """A condition that cannot be understood.

    Attributes:
        column: Where in the text, from 0.
        rule, fix: What must hold, and what to do about it.
    """

    def __init__(self, column: int, rule: str, fix: str = "") -> None:
        super().__init__(f"column {column + 1}: {rule}" + (f"; {fix}" if fix else ""))
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
        start, end: Its place in the text.
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
        """Whether it is true or false without such parts: a part of a reason."""
        return self.truth and self.kind not in ("or", "xor", "and", "not")


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
