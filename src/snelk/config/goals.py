"""Models of expectations, wishes, and numbers that may change to meet them."""

from typing import Annotated, Literal

import numpy as np
from pydantic import BeforeValidator, Field

from snelk.config.fields import Model, Name, Names, with_unit

Moment = Annotated[float, with_unit("s", ge=0, le=1e6)]
Number = Annotated[float, with_unit("", ge=-1e9, le=1e9)]


class Since(Model):
    """A moment of the run: the first time that something happens. It has one of its keys."""

    seen: Name | None = Field(default=None, description="The agent has this target in view.")
    state: Name | None = Field(default=None, description="The agent is in this alert state.")
    noise: Name | None = Field(default=None, description="A noise of this kind is made.")
    of: Name | None = Field(
        default=None,
        description="The agent that sees or is in the state; the agent of the "
        "expectation if absent.",
    )

    @property
    def what(self) -> str:
        """Which of its keys it has; empty if it has none or several."""
        said = [key for key in ("seen", "state", "noise") if getattr(self, key) is not None]
        return said[0] if len(said) == 1 else ""

    def words(self, agent: str) -> str:
        """It, as one would say it of an agent.

        >>> Since(seen="fox").words("dog"), Since(noise="bell").words("dog")
        ('dog sees fox', 'a bell')
        """
        who = self.of or agent
        if self.what == "seen":
            return f"{who} sees {self.seen}"
        return f"a {self.noise}" if self.what == "noise" else f"{who} is {self.state}"


class Interval(Model):
    """From when to when; from the start or to the end of the run where a key is absent."""

    after: Moment | None = Field(default=None, description="Not before this time of the run, s.")
    before: Moment | None = Field(default=None, description="Not after this time of the run, s.")
    since: Since | None = Field(
        default=None,
        description="Start at this moment of the run; if it never comes, the "
        "expectation is not met.",
    )
    within: Annotated[float, with_unit("s", ge=0, le=1e6)] | None = Field(
        default=None, description="At most this long after `since`, s."
    )

    def from_then(self, then: float) -> "Interval":
        """The same interval where `since` is known, s."""
        after = max(then, -np.inf if self.after is None else self.after)
        before = np.inf if self.before is None else self.before
        before = min(before, then + (np.inf if self.within is None else self.within))
        end = before if np.isfinite(before) else None
        return self.model_copy(
            update={"after": after, "before": end, "since": None, "within": None}
        )


class Notices(Interval):
    """The agent notices a target: first within the interval, or never within it."""

    target: Name = Field(description="Whom.")
    threshold: Name | None = Field(
        default=None,
        description="The meter threshold that counts; the lowest if absent; without "
        "thresholds or a meter, any sensing.",
    )
    never: bool = Field(default=False, description="Whether it must not happen in the interval.")


class Reaches(Interval):
    """The agent comes into an alert state: first within the interval, or never within it."""

    state: Name = Field(description="Which alert state.")
    never: bool = Field(default=False, description="Whether it must not happen in the interval.")


class Stays(Interval):
    """The agent is in an alert state at every tick of the interval."""

    state: Name = Field(description="Which alert state.")


class MeterUnder(Interval):
    """The agent's meter for a target stays below a value at every tick of the interval."""

    target: Name = Field(description="Whose.")
    under: Annotated[float, with_unit("", gt=0, le=1)] = Field(
        description="The value it must stay below, 0 to 1."
    )


class MeasureBetween(Model):
    """A measure of the run lies between two numbers."""

    of: str = Field(description="Its key, such as farmer.fox.first_full or dog.distance_walked.")
    at_least: Number | None = Field(default=None, description="In the measure's unit.")
    at_most: Number | None = Field(default=None, description="In the measure's unit.")


class Holding(Interval):
    """A condition about the agent, in the language of alert ladders."""

    when: str = Field(description="The condition.")


STATEMENTS = (
    "notices", "reaches", "stays", "meter", "measure", "always", "never", "once",
)  # fmt: skip
"""The keys of which an expectation has one."""


class Expectation(Model):
    """A statement about a run that must hold: one of `STATEMENTS`."""

    agent: Name | None = Field(default=None, description="The agent it is about.")
    any_of: Names | None = Field(default=None, description="Several agents: one of them is enough.")
    each_of: Names | None = Field(default=None, description="Several agents: each of them must.")
    notices: Notices | None = Field(default=None, description="It notices a target, or never does.")
    reaches: Reaches | None = Field(
        default=None, description="It reaches an alert state, or never does."
    )
    stays: Stays | None = Field(default=None, description="It stays in an alert state.")
    meter: MeterUnder | None = Field(default=None, description="Its meter stays under a value.")
    measure: MeasureBetween | None = Field(
        default=None, description="A measure lies between two numbers; without an agent."
    )
    always: Holding | None = Field(default=None, description="A condition is true all the time.")
    never: Holding | None = Field(default=None, description="A condition is true at no time.")
    once: Holding | None = Field(
        default=None, description="A condition becomes true for the first time in the interval."
    )
    seeds: Annotated[int, with_unit("", ge=1, le=1000)] = Field(
        default=1, description="Number of seeds it is tried with, from the scenario's seed."
    )
    share: Annotated[float, with_unit("", gt=0, le=1)] = Field(
        default=1.0, description="Share of the seeds with which it must hold."
    )
    weight: Annotated[float, with_unit("", gt=0, le=1e6)] = Field(
        default=1.0, description="Its weight when numbers are fitted."
    )

    @property
    def statement(self) -> str:
        """Which of `STATEMENTS` it makes."""
        return next(name for name in STATEMENTS if getattr(self, name) is not None)

    @property
    def who(self) -> tuple[str, ...]:
        """The agents it is about; none for a measure."""
        return (self.agent,) if self.agent else self.any_of or self.each_of or ()

    @property
    def sentence(self) -> str:
        """It, as one would say it.

        >>> Expectation(agent="dog", reaches=Reaches(state="chasing", before=60.0)).sentence
        'dog reaches chasing before 60 s'
        """
        who = ", ".join(self.who)
        who = f"any of {who}" if self.any_of else f"each of {who}" if self.each_of else who
        said = getattr(self, self.statement)
        if isinstance(said, MeasureBetween):
            text = said.of
            text += "" if said.at_least is None else f" is at least {said.at_least:g}"
            joint = " and" if said.at_least is not None else " is"
            return text + ("" if said.at_most is None else f"{joint} at most {said.at_most:g}")
        interval = _interval_in_words(
            said,
            self.who[0] if len(self.who) == 1 else "it",
            first=self.statement in ("notices", "reaches", "once"),
        )
        if isinstance(said, Notices):
            verb = "never notices" if said.never else "notices"
            degree = f" ({said.threshold})" if said.threshold else ""
            return f"{who} {verb} {said.target}{degree}{interval}"
        if isinstance(said, Reaches):
            return f"{who} {'never reaches' if said.never else 'reaches'} {said.state}{interval}"
        if isinstance(said, Stays):
            return f"{who} stays {said.state}{interval}"
        if isinstance(said, MeterUnder):
            return f"{who} meter of {said.target} stays under {said.under:g}{interval}"
        return f"{who} {self.statement}: {said.when}{interval}"


def _interval_in_words(interval: Interval, agent: str, *, first: bool) -> str:
    """`before 60 s` for a first time, `until 60 s` for all the time."""
    if interval.since is not None:
        words = interval.since.words(agent)
        rest = _interval_in_words(interval.model_copy(update={"since": None}), agent, first=first)
        near = f" within {interval.within:g} s after {words}" if interval.within is not None else ""
        return (near or f" from when {words} on") + rest
    if interval.after is not None and interval.before is not None:
        return f" between {interval.after:g} and {interval.before:g} s"
    if interval.after is not None:
        return f" after {interval.after:g} s" if first else f" from {interval.after:g} s on"
    if interval.before is not None:
        return f" {'before' if first else 'until'} {interval.before:g} s"
    return ""


class Wish(Model):
    """What a measure should ideally be: near a number, or as low or high as possible."""

    measure: str = Field(description="Its key, such as farmer.fox.first_full.")
    toward: Number | None = Field(default=None, description="The target value.")
    want: Literal["low", "high"] | None = Field(
        default=None, description="Or: `low` or `high`, as far as possible."
    )
    within: Annotated[float, with_unit("", gt=0, le=1e9)] = Field(
        default=1.0,
        description="With `toward`, the difference that counts as met; with `want`, "
        "the change worth as much as meeting it.",
    )
    weight: Annotated[float, with_unit("", gt=0, le=1e6)] = Field(
        default=1.0, description="Its weight relative to the others."
    )

    @property
    def sentence(self) -> str:
        """It, as one would say it."""
        to = f"towards {self.toward:g}" if self.toward is not None else f"as {self.want} as can be"
        return f"{self.measure} {to}"


def _meter(value: object) -> object:
    if isinstance(value, str) and value.strip():
        return value
    if isinstance(value, int | float) and not isinstance(value, bool) and 0.0 <= value <= 1.0:
        return float(value)
    raise ValueError("must be a meter value from 0 to 1, or the name of a threshold")


MeterOrName = Annotated[
    Annotated[float, Field(ge=0, le=1)] | str,
    BeforeValidator(_meter, json_schema_input_type=Annotated[float, Field(ge=0, le=1)] | str),
]
"""A meter from 0 to 1, or the name of a threshold."""


class Fair(Model):
    """What `snelk fair` asks, to be counted by sweep, fit and verify as the measure NAME.unfair."""

    target: Name | None = Field(
        default=None, description="The target; the only character that is noticed, if absent."
    )
    ignore: Names = Field(default=(), description="Agents to ignore.")
    stance: Literal["standing", "crouched", "prone", "walking"] = Field(
        default="standing", description="Its stance: standing, crouched, prone or walking."
    )
    cell: Annotated[float, with_unit("m", gt=0, le=1e6)] | None = Field(
        default=None, description="Grid spacing, m; such that there are about 800 places if absent."
    )
    every: Annotated[float, with_unit("s", gt=0, le=1e6)] = Field(
        default=5.0, description="Time between two moments tried, s."
    )
    within: Annotated[float, with_unit("s", gt=0, le=1e6)] = Field(
        default=10.0, description="How long each is watched, s."
    )
    sign: MeterOrName = Field(
        default=0.3,
        description="Meter value that warns the player, 0 to 1, or the name of a threshold.",
    )
    late: MeterOrName = Field(
        default=1.0,
        description="Meter value at which it is too late, 0 to 1, or the name of a threshold.",
    )
    signs: Names = Field(
        default=(),
        description="Names of alert states that also warn; with any, everybody reacts.",
    )
    react: Annotated[float, with_unit("s", ge=0, le=3600)] = Field(
        default=0.5, description="Reaction time to the sign, s."
    )
    pace: Literal["creeping", "walking", "running"] = Field(
        default="running", description="Its pace on the way to cover."
    )
    hold: Annotated[float, with_unit("s", ge=0, le=3600)] = Field(
        default=1.0, description="How long cover has to stay out of view, s."
    )


class Limits(Model):
    """How far a number may move: between two limits, or among choices."""

    low: Number | None = Field(default=None, description="Not below.")
    high: Number | None = Field(default=None, description="Not above.")
    choices: Annotated[tuple[str | float | int | bool, ...], Field(strict=False)] | None = Field(
        default=None, description="Or: one of these."
    )


class Fit(Model):
    """How numbers are fitted to expectations and wishes."""

    seeds: Annotated[int, with_unit("", ge=1, le=1000)] = Field(
        default=1, description="Number of seeds over which a variant is averaged."
    )
    move: dict[str, Limits] = Field(
        default={}, description="The numbers that may change, by key path."
    )
