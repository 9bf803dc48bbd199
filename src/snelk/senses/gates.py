"""The senses and their gates: what each is called, and what is said of a target that it stops.

This is their one home: tables, events, answers, stretches, figures and the page take the names,
the order, the words, the units and what is held against what from here. What a gate asks is in the
loop of its sense: `snelk.senses.seeing`, `listening` and `feeling`; the numbers that it went by are
put together by `snelk.runs.reasons` and `snelk.runs.senses`, colours are in `snelk.plots.style`.
"""

from __future__ import annotations

from typing import Any, NamedTuple


class Limit(NamedTuple):
    """What is held against a limit by a gate that goes by a number."""

    column: str  # of tables: what is held against it
    unit: str  # m, deg, or none
    rule: str  # <=, >= or >: how it has to compare for the gate to be passed

    def margin(self, value: Any, limit: Any) -> Any:
        """How much there is to spare, of numbers or arrays; negative where the gate stops."""
        return limit - abs(value) if self.rule == "<=" else value - limit

    @property
    def columns(self) -> tuple[str, str, str]:
        """The columns of tables with what is held, the limit and the margin.

        >>> SIGHT.limit("angle").columns
        ('off_deg', 'off_limit_deg', 'off_margin_deg')
        """
        unit = "_deg" if self.unit == "deg" else ""
        name = self.column
        return f"{name}{unit}", f"{name}_limit{unit}", f"{name}_margin{unit}"


class GateWords(NamedTuple):
    """One gate of a sense."""

    name: str
    short: str  # what a target is that it stops, for a lane: too far
    pattern: str  # the same with {numbers}, the {cone} or the {wall}
    otherwise: str = ""  # the same where there is no wall
    limit: Limit | None = None  # of a gate that goes by a number


class Sense(NamedTuple):
    """A sense, its gates in the order in which they are tried."""

    name: str
    sensed: str  # what a target is that passed all of them
    gates: tuple[GateWords, ...]

    @property
    def names(self) -> tuple[str, ...]:
        """The names of its gates."""
        return tuple(gate.name for gate in self.gates)

    @property
    def results(self) -> tuple[str, ...]:
        """What asking it can come to: sensed, or the first gate that failed."""
        return (self.sensed, *self.names)

    def limit(self, gate: str) -> Limit:
        """What a gate holds against its limit."""
        found = next(each.limit for each in self.gates if each.name == gate)
        if found is None:
            raise KeyError(gate)
        return found

    def stopped(self, gate: str, *, cone: str = "", numbers: str = "", wall: str = "") -> str:
        """What is said of a target that a gate stopped.

        >>> SIGHT.stopped("range", cone="far", numbers="21 m, limit 20 m")
        'too far (21 m, limit 20 m, far cone)'
        >>> SIGHT.stopped("range", cone="far"), SIGHT.stopped("line_of_sight", wall="hay-1")
        ('too far (far cone)', 'behind hay-1')
        """
        words = next(each for each in self.gates if each.name == gate)
        if words.otherwise and not wall:
            return words.otherwise
        pattern = words.pattern
        if not numbers:
            pattern = pattern.replace("{numbers}, ", "").replace(" ({numbers})", "")
        return pattern.format(cone=cone, numbers=numbers, wall=wall)


_THERE = GateWords("present", "not there", "not there")
_CARES = GateWords("cares", "of no interest", "of no interest")
_AWAKE = GateWords("awake", "asleep", "asleep", limit=Limit("awake", "", ">"))

SIGHT = Sense(
    "sight",
    "in_view",
    (
        _THERE,
        _CARES,
        _AWAKE,
        GateWords(
            "range",
            "too far",
            "too far ({numbers}, {cone} cone)",
            limit=Limit("distance", "m", "<="),
        ),
        GateWords(
            "angle",
            "outside the cone",
            "outside the {cone} cone ({numbers})",
            limit=Limit("off", "deg", "<="),
        ),
        GateWords(
            "elevation",
            "too steep",
            "too steep ({numbers}, {cone} cone)",
            limit=Limit("elevation", "deg", "<="),
        ),
        GateWords(
            "light",
            "too dark",
            "too dark ({numbers}, {cone} cone)",
            limit=Limit("light", "", ">="),
        ),
        GateWords(
            "line_of_sight",
            "blocked",
            "behind {wall}",
            "too little in view",
            Limit("exposure", "", ">"),
        ),
    ),
)
STRAIGHT, AROUND = Limit("straight", "m", "<="), Limit("around", "m", "<=")
"""By either way a noise may reach an ear: through what muffles it, or around on foot."""

HEARING = Sense(
    "hearing",
    "heard",
    (
        _THERE,
        _CARES,
        _AWAKE,
        GateWords("reach", "too quiet", "too quiet", limit=STRAIGHT),
    ),
)
TOUCH = Sense(
    "touch",
    "sensed",
    (
        _THERE,
        _CARES,
        _AWAKE,
        GateWords("radius", "too far", "too far", limit=Limit("distance", "m", "<=")),
        GateWords("wall", "a wall between them", "a wall between them"),
    ),
)
ZONE = Sense("zone", "sensed", (_THERE, _CARES, _AWAKE, GateWords("inside", "outside", "outside")))

SENSES = (SIGHT, HEARING, TOUCH, ZONE)
