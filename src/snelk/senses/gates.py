"""The senses and their gates: their names, and the texts for a target that one stops.

Tables, events, answers, stretches, figures and the page take names, order, texts, units, limits and
colours from here, and nowhere else. What
a gate asks is in the loop of its sense: `snelk.senses.seeing`, `listening` and `feeling`.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from types import MappingProxyType
from typing import Any, NamedTuple

from snelk.config.words import SENSE_KEYS


class Paint(NamedTuple):
    """How a reason is drawn, safe for colour-blind readers: never by colour alone.

    The colours are those of Okabe and Ito (2008), "Color Universal Design", some made darker or
    paler.
    """

    colour: str  # of the ray on the map
    band: str  # of the stretch in the timeline
    hatch: str  # of the same
    line: str | tuple[int, tuple[float, ...]]  # how the ray is dashed
    mark: str  # at its end
    hatch_colour: str = "white"


QUIET = "#9a9a9a"


class Limit(NamedTuple):
    """The number that a gate compares with a limit."""

    column: str  # of tables: what is held against it
    unit: str  # m, deg, or none
    rule: str  # <=, >= or >: how it has to compare for the gate to be passed
    field: str = ""  # of `Sight`: what is held against it
    # The limit of a cone, and one that counts instead: of what was in view at the look before, or
    # of what is below 0 where that has a side of its own.
    fields: tuple[str, ...] = ()  # of `SightLimits`
    keys: tuple[str, ...] = ()  # as it is written in a profile
    sides: tuple[str, ...] = ()  # what is said of a value from 0 on, and below
    share: float = 1.0  # how much of what is written the limit is
    is_scaled: bool = False  # by how awake the sense is
    said: str = ""  # of both: a pattern with {value}, {limit}, {whole}, {side} and {behind}
    scaled: str = ""  # the same of the limit before it is scaled, with {own} and {awake}
    after: str = ""  # what is said after the value alone
    can_be: tuple[float, float] = (0.0, math.inf)  # what can be written, to the digits shown

    def margin(self, value: Any, limit: Any) -> Any:
        """How much there is to spare, of numbers or arrays; negative where the gate stops."""
        return limit - abs(value) if self.rule == "<=" else value - limit

    @property
    def columns(self) -> tuple[str, str, str]:
        """The table columns of value, limit and margin.

        >>> SIGHT.limit("angle").columns
        ('off_deg', 'off_limit_deg', 'off_margin_deg')
        """
        unit = "_deg" if self.unit == "deg" else ""
        name = self.column
        return f"{name}{unit}", f"{name}_limit{unit}", f"{name}_margin{unit}"

    def is_second(self, value: Any, held: Any) -> Any:
        """Whether the second of its limits counts, of numbers or arrays.

        >>> SIGHT.limit("range").is_second(3.0, True), SIGHT.limit("light").is_second(0.2, True)
        (True, False)
        """
        if len(self.fields) < 2:
            return held & False
        return value < 0.0 if self.sides else held

    def explain(self, value: float, limit: float, awake: float = 1.0, behind: str = "") -> str:
        """The text about a value and its limit, before scaling.

        >>> SIGHT.limit("elevation").explain(-12.3, 30.0)
        '12.3° below the horizontal, limit 30°'
        """
        now = limit * awake if self.is_scaled else limit
        side = self.sides[value < 0.0] if self.sides else ""
        whole = now / self.share
        text = self.said.format(value=abs(value), limit=now, whole=whole, side=side, behind=behind)
        return text + self.scaled.format(own=limit, awake=awake) * (now < limit)


class GateWords(NamedTuple):
    """One gate of a sense."""

    name: str
    short: str  # what a target is that it stops, for a lane: too far
    pattern: str  # the same with {numbers}, the {cone} or the {wall}
    otherwise: str = ""  # the same where there is no wall
    limit: Limit | None = None  # of a gate that goes by a number
    paint: Paint | None = None  # of a gate of sight


class Bar(NamedTuple):
    """How stretches of a sense are drawn in a lane, and named in a story."""

    mark: str  # at both ends, as Matplotlib has it
    label: str  # in a legend
    reason: str  # of the stretch
    words: str  # what the reason is called


class Told(NamedTuple):
    """The texts of a sense of contact when it begins and ends to sense somebody."""

    begins: str  # the kind of the event
    ends: str
    begin: str  # its text, with {agent}, {target}, {distance}, {age}, {zone} and {reason}
    end: str
    does: str  # what is said of an agent, about a target
    does_not: str
    begun: tuple[str, ...]  # what the event notes: fields of the sense, or `gate`, which failed
    ended: tuple[str, ...]
    numbers: tuple[str, ...] = ()  # columns of `contacts` that a page shows


class Sense(NamedTuple):
    """A sense, its gates in the order in which they are tried."""

    name: str
    sensed: str  # what a target is that passed all of them
    gates: tuple[GateWords, ...]
    lack: str  # what an agent has that does not have it
    paint: Paint | None = None  # of what a target is that passed all of them
    bar: Bar | None = None
    told: Told | None = None
    # Of a sense of contact: by column of the table `contacts` the field of `Contacts`.
    fields: Mapping[str, str] = MappingProxyType({})

    @property
    def key(self) -> str:
        """Its key in a profile."""
        return SENSE_KEYS[self.name]

    @property
    def names(self) -> tuple[str, ...]:
        """The names of its gates."""
        return tuple(gate.name for gate in self.gates)

    @property
    def results(self) -> tuple[str, ...]:
        """Its possible results: sensed, or the first gate that failed."""
        return (self.sensed, *self.names)

    @property
    def paints(self) -> dict[str, Paint]:
        """How each of its results is drawn that is."""
        every = (self.paint, *(gate.paint for gate in self.gates))
        drawn = zip(self.results, every, strict=True)
        return {name: paint for name, paint in drawn if paint is not None}

    @property
    def limits(self) -> dict[str, Limit]:
        """The limits of its gates that compare with a number, by gate."""
        return {each.name: each.limit for each in self.gates if each.limit and each.limit.field}

    def limit(self, gate: str) -> Limit:
        """The limit of a gate."""
        found = next(each.limit for each in self.gates if each.name == gate)
        if found is None:
            raise KeyError(gate)
        return found

    def stopped(self, gate: str, *, cone: str = "", numbers: str = "", wall: str = "") -> str:
        """The text about a target that a gate stopped.

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


_THERE = GateWords(
    "present",
    "not there",
    "not there",
    paint=Paint(QUIET, "#fbfbfb", "xx", (0, (1, 6)), "", "#d4d4d4"),
)
_CARES = GateWords(
    "cares",
    "of no interest",
    "of no interest",
    paint=Paint(QUIET, "#f3f3f1", "", (0, (1, 6)), ""),
)
_AWAKE = GateWords(
    "awake",
    "asleep",
    "asleep",
    limit=Limit("awake", "", ">"),
    paint=Paint(QUIET, "#dfe9ef", "oo", (0, (1, 6)), ""),
)
_RANGE = Limit(
    "distance",
    "m",
    "<=",
    field="distance",
    fields=("range", "hold_range"),
    keys=("range", "hold_range"),
    is_scaled=True,
    said="{value:.2f} m, limit {limit:g} m",
    scaled=" ({own:g} m at {awake:.0%} awake)",
    can_be=(0.01, math.inf),
)
_ANGLE = Limit(
    "off",
    "deg",
    "<=",
    field="off",
    fields=("half_fov", "hold_half_fov"),
    keys=("fov_whole", "hold_fov_whole"),
    share=0.5,
    said="{value:.1f}° off, limit {limit:g}° (half of {whole:g}°)",
    after="off",
    can_be=(0.01, 360.0),
)
_ELEVATION = Limit(
    "elevation",
    "deg",
    "<=",
    field="elevation",
    fields=("up", "down"),
    keys=("up", "down"),
    sides=("above", "below"),
    said="{value:.1f}° {side} the horizontal, limit {limit:g}°",
    can_be=(0.0, 90.0),
)
_LIGHT = Limit(
    "light",
    "",
    ">=",
    field="light",
    fields=("min_light",),
    keys=("min_light",),
    said="{value:.2f} on the target, needs {limit:g}",
    can_be=(0.0, 1.0),
)
_EXPOSURE = Limit(
    "exposure",
    "",
    ">",
    field="exposure",
    fields=("min_exposure",),
    keys=("min_exposure",),
    said="{value:.0%} in view, needs more than {limit:.0%}{behind}",
    after="in view",
    can_be=(0.0, 0.9999),
)

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
            limit=_RANGE,
            paint=Paint("#8a8a8a", "#e6e6e4", "", (0, (1, 2.5)), "s"),
        ),
        GateWords(
            "angle",
            "outside the cone",
            "outside the {cone} cone ({numbers})",
            limit=_ANGLE,
            paint=Paint("#7a6a2e", "#e9dfb4", "...", (0, (7, 3, 1.5, 3)), "D"),
        ),
        GateWords(
            "elevation",
            "too steep",
            "too steep ({numbers}, {cone} cone)",
            limit=_ELEVATION,
            paint=Paint("#6b5b95", "#d9d2e9", "--", (0, (4, 2, 1, 2)), "^"),
        ),
        GateWords(
            "light",
            "too dark",
            "too dark ({numbers}, {cone} cone)",
            limit=_LIGHT,
            paint=Paint("#3b3b58", "#8d8fa8", "\\\\\\", (0, (2, 2)), "P"),
        ),
        GateWords(
            "line_of_sight",
            "blocked",
            "behind {wall}",
            "too little in view",
            _EXPOSURE,
            Paint("#d55e00", "#f2b48a", "///", "-", "X"),
        ),
    ),
    "no eyes",
    Paint("#0072b2", "#0072b2", "", "-", "o"),
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
    "no ears",
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
    "no sense of touch",
    bar=Bar("x", "felt", "felt", "felt"),
    told=Told(
        "felt",
        "parted",
        "{agent} felt {target} ({distance:.1f} m)",
        "{agent} no longer felt {target}",
        "feels it",
        "does not feel it",
        ("distance",),
        ("distance",),
        ("distance", "distance_limit"),
    ),
    fields={"distance": "distance", "distance_limit": "radius", "wall": "wall"},
)
ZONE = Sense(
    "zone",
    "sensed",
    (_THERE, _CARES, _AWAKE, GateWords("inside", "outside", "outside")),
    "no zone that it senses",
    bar=Bar("s", "in a watched zone", "in_zone", "in"),
    told=Told(
        "entered",
        "left",
        "{agent}: {target} entered {zone}",
        "{agent}: {target} left {zone}",
        "senses it in a zone",
        "does not sense it in a zone",
        ("zone",),
        ("zone",),
    ),
    fields={"zone": "zone_in"},
)
SMELL = Sense(
    "smell",
    "sensed",
    (
        _THERE._replace(short="no trail", pattern="has left no trail"),
        _CARES,
        _AWAKE,
        GateWords("strength", "faded", "faded", limit=Limit("strength", "", ">=")),
        GateWords("reach", "too far", "too far", limit=Limit("distance", "m", "<=")),
    ),
    "no nose",
    bar=Bar("D", "trail smelt", "smelt", "smelt"),
    told=Told(
        "smelt",
        "off_trail",
        "{agent} smelt the trail of {target} ({distance:.1f} m, {age:.1f} s old)",
        "{agent} no longer smelt the trail of {target}: {reason}",
        "smells its trail",
        "does not smell its trail",
        ("distance", "strength", "x", "y", "z"),
        ("gate",),
        ("distance", "distance_limit", "strength", "age"),
    ),
    fields={
        "distance": "away",
        "distance_limit": "limit",
        "wall": "scent_wall",
        "strength": "strength",
        "age": "scent_age",
        "x": "scent_x",
        "y": "scent_y",
        "z": "scent_z",
    },
)

SENSES = (SIGHT, HEARING, TOUCH, ZONE, SMELL)
CONTACTS = (TOUCH, ZONE, SMELL)
"""The senses of which the table `contacts` tells, in its order."""
