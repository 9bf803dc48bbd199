"""The words of conditions, and the trees that they are read into."""

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
    "heard": "a noise of the focus was heard at this tick",
    "felt": "the focus is felt, or in a zone that is watched",
    "smelt": "the trail of the focus is smelt",
    "told": "another agent told of the focus at this tick",
    "any_seen": "any target is in view, the focus or another",
    "any_heard": "a noise of any target was heard at this tick, or one of nobody that draws it",
    "any_felt": "any target is felt, or in a zone that is watched",
    "any_smelt": "the trail of any target is smelt",
    "any_told": "another agent told of any target at this tick",
    "knows": "there is a belief of where the focus is",
    "arrived": "it has come to the place that its activity goes to",
    "unreachable": "it has come as near to that place as it can get, and no nearer",
    "done": "its activity is done",
    "failed": "its activity cannot be done",
    "search_done": "the search is over, whatever came of it",
    "stuck": "it wants to get on and does not",
    "faces_focus": "it faces where the focus is believed to be, within 5 degrees",
    "caught": "it has caught a target since it entered its state",
    "was_caught": "it has been caught since it entered its state",
    "seen_to": "it has seen to a clue since it entered its state",
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
    "scent_age": (SECONDS, "since the focus left what is smelt of it; endless if nothing is"),
    "state_for": (SECONDS, "since the alert state was entered"),
    "told_rank": (PURE, "rank of the state of who told of the focus at this tick; -1 if nobody"),
    "rank": (PURE, "rank of its own alert state"),
    "bearing": (DEGREES, "how far off its facing the focus is believed to be, 0 to 180"),
}
FUNCTIONS = {
    "seen": "the focus is in view of one of its cones, by name",
    "felt": 'the focus is felt, "touch", or in a zone that is watched, "zone"',
    "in_zone": "it is in a zone of the level, by name",
    "target_in_zone": "the focus is believed to be in a zone, by name",
    "observed_by": "an agent of a team, by name, has it in view",
    "open": "a door of the level, by name, stands open",
    "lit": "the light of a zone, by name, is lit",
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
