"""The list of events: who saw, heard or felt whom, lost whom, was told, forgot."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

from snelk.config.words import GAITS
from snelk.runs.arrow import NUMBER, STRING
from snelk.senses.gates import CONTACTS, SIGHT, Sense

EVENT_KINDS = (
    "appeared",
    "saw",
    "lost",
    "heard",
    *(kind for sense in CONTACTS if sense.told for kind in (sense.told.begins, sense.told.ends)),
    "told",
    "disproved",
    "forgot",
    "rose",
    "fell",
    "reacts",
    "ignored",
    "changed",
    "reached",
    "unreachable",
    "stuck",
    "done",
    "failed",
    "stays",
    "warned",
    "too_late",
    "waits",
    "hides",
    "goes_on",
    "through",
    "searched",
    "gave_up",
    "threw",
    "not_thrown",
    "caught",
    "seen_to",
    "opened",
    "shut",
    "lit",
    "darkened",
    "became",
    "alarm",
    "missed",
    "spawned",
    "removed",
    "vanished",
)
"""Kinds of events, in their order within one tick."""


@dataclass(frozen=True)
class Event:
    """One event; values that do not apply are None or empty."""

    t: float
    kind: str
    agent: str
    target: str = ""
    cone: str = ""
    distance: float | None = None
    off_deg: float | None = None
    gate: str = ""
    wall: str = ""
    threshold: str = ""
    noise: str = ""
    strength: float | None = None
    zone: str = ""
    by: str = ""
    state: str = ""
    transition: str = ""
    x: float | None = None
    y: float | None = None
    z: float | None = None
    text: str = ""

    def with_text(self, text: str) -> Event:
        """The same event with another text."""
        return replace(self, text=text)

    def row(self) -> tuple[object, ...]:
        """The event as a row of the table; a number that is missing is null."""
        values = (getattr(self, name) for name in EVENT_COLUMNS)
        return tuple(None if value != value else value for value in values)


NUMBERS = ("t", "distance", "off_deg", "strength", "x", "y", "z")

EVENT_COLUMNS = {field.name: NUMBER if field.name in NUMBERS else STRING for field in fields(Event)}


def describe_sight(event: Event) -> str:
    """`goose-2 saw fox (wide cone, 7.9 m, 61° off)`."""
    return (
        f"{event.agent} saw {event.target} "
        f"({event.cone} cone, {event.distance:.1f} m, {event.off_deg:.0f}° off)"
    )


def describe_crossing(event: Event, value: float) -> str:
    """`gander rose to wary of fox (meter 0.31)`."""
    way = "rose to" if event.kind == "rose" else "fell below"
    return f"{event.agent} {way} {event.threshold} of {event.target} (meter {value:.2f})"


def describe_loss(event: Event, *, absent: str = "") -> str:
    """`goose-2 lost fox: behind hay-3`; `absent` is the absent one, if that is the reason."""
    if event.gate == "present":
        reason = f"{absent or event.target} is no longer there"
    elif event.gate == "cares":
        reason = "no longer of interest"
    else:
        numbers = f"{event.distance:.1f} m" if event.gate == "range" else ""
        numbers = f"{event.off_deg:.0f}° off" if event.gate == "angle" else numbers
        reason = SIGHT.stopped(event.gate, cone=event.cone, numbers=numbers, wall=event.wall)
    return f"{event.agent} lost {event.target}: {reason}"


def describe_noise(kind: str, gait: str, ground: str) -> str:
    """`walking on gravel` for a footstep, else the kind."""
    if not gait:
        return kind
    return f"{gait} on {ground}" if ground else gait


def describe_hearing(event: Event) -> str:
    """`dog heard fox walking on gravel (9.2 m, strength 0.31)`."""
    noise = event.noise if event.target else f"a {event.noise}"
    maker = f" {event.target}" if event.target else ""
    colon = "" if noise.split()[0] in GAITS or not maker else ":"
    far = f"{event.distance:.1f} m, strength {event.strength:.2f}"
    return f"{event.agent} heard{maker}{colon} {noise} ({far})"


def describe_contact(event: Event, sense: Sense, *, age: float = 0.0) -> str:
    """`goose-2 felt fox (0.6 m)` or `bell: fox entered coop doorstep`; `age` is of a trail, s."""
    told = sense.told
    if told is None:
        return ""
    pattern = told.begin if event.kind == told.begins else told.end
    reason = sense.stopped(event.gate) if event.gate else ""
    return pattern.format(
        agent=event.agent, target=event.target, distance=event.distance, age=age,
        zone=event.zone, reason=reason,
    )  # fmt: skip
