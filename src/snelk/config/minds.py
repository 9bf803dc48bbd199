"""What a designer writes about alert states, what is done in them, and moving."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, BeforeValidator, Field

from snelk.config.fields import (
    Length,
    Model,
    Name,
    Names,
    Reach,
    Seconds,
    Share,
    WholeAngle,
    with_unit,
)

Attribute = Annotated[float, with_unit("", ge=-1e9, le=1e9)]
Pace = Annotated[float, with_unit("m/s", gt=0, le=100)]


def _a_word(name: str) -> str:
    if not name.isidentifier() or not name.isascii():
        raise ValueError("must be letters, digits and _, to be named in conditions")
    return name


Attributes = dict[Annotated[str, AfterValidator(_a_word)], Attribute]


def _a_rule(text: str) -> str:
    if text in ("meter", "nearest", "first"):
        return text
    if not text.startswith("target.") or not text[7:].isidentifier():
        raise ValueError("must be meter, nearest, first or target.NAME of an attribute")
    return text


def _one_or_more(value: object) -> object:
    return (value,) if isinstance(value, str) else value


class Movement(Model):
    """How an agent moves where no track moves it."""

    creeping: Pace = Field(default=0.6, description="Speed at this pace, m/s.")
    walking: Pace = Field(default=1.4, description="Speed at this pace, m/s.")
    running: Pace = Field(default=4.0, description="Speed at this pace, m/s.")
    turn_rate: Annotated[float, with_unit("deg/s", gt=0, le=100_000)] = Field(
        default=240.0, description="How fast it turns, degrees a second."
    )
    acceleration: Annotated[float, with_unit("m/s2", gt=0, le=10_000)] = Field(
        default=6.0, description="How fast it gains and loses speed, m/s a second."
    )
    arrive: Length = Field(
        default=0.3,
        description="Nearer than this to its goal it stands, m; at least a tick's way.",
    )


class Hold(Model):
    """Stand."""


class Face(Model):
    """Stand, and turn to where the focus is believed to be."""


class Patrol(Model):
    """Walk a route."""

    route: Name | None = Field(default=None, description="A route; the character's if absent.")
    order: Literal["loop", "back_and_forth", "once"] = Field(
        default="loop", description="What comes after the route's last corner."
    )
    pause: Seconds = Field(default=0.0, description="Seconds it stands at each corner.")


class Roam(Model):
    """Wander evenly over an area."""

    zone: Name | None = Field(default=None, description="A zone; all ground if absent.")
    ring: Annotated[tuple[Reach, Length], Field(strict=False)] | None = Field(
        default=None, description="Least and largest distance from its home, m."
    )
    every: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=6.0, description="Seconds until it takes another direction."
    )
    pause: Seconds = Field(default=0.0, description="Seconds it stands before it does.")


class Approach(Model):
    """Go to where the focus is believed to be, and keep up with it."""

    stop: Reach = Field(default=0.0, description="How near it comes, m; as it arrives if less.")


class Go(Model):
    """Go to the last-known position of the focus, or to a spot."""

    spot: Name | None = Field(default=None, description="A spot; the last-known position if not.")


class Home(Model):
    """Go home, and face as at the start."""


class Flee(Model):
    """Go to a spot that the focus cannot see."""

    spots: Names = Field(default=(), description="Spots to choose of; the character's if absent.")
    keep_eyes: bool = Field(
        default=False, description="Whether it looks at where the focus was while it goes."
    )
    until_unseen: bool = Field(
        default=False, description="Whether it stops as soon as it has lost sight of the focus."
    )


class Evade(Model):
    """Go a little way in a direction that is free, at random."""

    distance: Length = Field(default=4.0, description="How far, m.")
    directions: Annotated[int, with_unit("", ge=2, le=64)] = Field(
        default=8, description="How many directions there are to choose of."
    )
    away: bool = Field(default=True, description="Whether only those away from the focus.")


class Sleep(Model):
    """Lie, and be busy for a while when woken."""

    wake_time: Seconds = Field(
        default=1.0, description="Seconds after it was woken in which it does nothing."
    )


class Search(Model):
    """Look for the focus from its last-known position on."""

    way: Literal["there", "nearby", "hideouts", "likelihood"] = Field(
        default="nearby", description="Only there, points nearby, known spots, or where it may be."
    )
    radius: Length = Field(default=10.0, description="How far from there it searches, m.")
    points: Annotated[int, with_unit("", ge=1, le=200)] = Field(
        default=6, description="How many points nearby there are at most."
    )
    spots: Names = Field(default=(), description="Hideouts; the character's spots if absent.")
    point_time: Seconds = Field(default=2.0, description="Seconds it looks around at each point.")
    give_up: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=30.0, description="Seconds after which the search is over."
    )
    speed: Pace | None = Field(
        default=None,
        description="How fast the target may go, m/s; memory's spread if absent.",
    )
    cell: Annotated[float, with_unit("m", ge=0.1, le=100)] = Field(
        default=1.0, description="Side of the cells of likelihood, m."
    )


class Call(Model):
    """Do what a Python function says."""

    activity: Name = Field(description="Its name, as it was registered.")


ACTIVITIES = (
    "hold",
    "face",
    "patrol",
    "roam",
    "approach",
    "go",
    "home",
    "flee",
    "evade",
    "sleep",
    "search",
    "call",
)


class Catch(Model):
    """Whoever of the targets comes near and is in view is caught."""

    reach: Length = Field(default=0.5, description="From middle to middle in plan, m.")
    ends: bool = Field(default=True, description="Whether the run ends with it.")


class State(Model):
    """An alert state: what an agent does in it, and how. It has one activity; it holds if none."""

    rank: Annotated[int, with_unit("", ge=0, le=1000)] | None = Field(
        default=None, description="How alert it is; the place in the ladder, from 0, if absent."
    )
    pace: Literal["creeping", "walking", "running"] = Field(
        default="walking", description="How fast it moves."
    )
    look: Literal["ahead", "focus", "sweep"] = Field(
        default="ahead", description="Along its way, at where the focus is believed, or around."
    )
    sweep_whole: WholeAngle = Field(
        default=120.0, description="WHOLE angle over which it looks around, degrees."
    )
    sweep_period: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=5.0, description="Seconds to look from one side to the other and back."
    )
    posture: Literal["standing", "crouched", "prone"] | None = Field(
        default=None, description="Its posture; standing, or prone asleep, if absent."
    )
    awake: Share = Field(default=1.0, description="Scales how far all its senses reach.")
    senses: dict[Literal["sight", "hearing", "touch", "zone"], Share] = Field(
        default={}, description="Scales single senses beside that, by name; 0 is off."
    )
    least: Seconds = Field(default=0.0, description="Seconds it stays in the state at least.")
    interruptible: bool = Field(
        default=True, description="Whether it may be left before its activity is done."
    )
    freeze_seen_by: Names = Field(
        default=(), description="Teams: while an agent of these has it in view it does not move."
    )
    catch: Catch | None = Field(default=None, description="Whom it meets it catches.")
    hold: Hold | None = Field(default=None, description="It stands.")
    face: Face | None = Field(default=None, description="It stands and faces the focus.")
    patrol: Patrol | None = Field(default=None, description="It walks a route.")
    roam: Roam | None = Field(default=None, description="It wanders over an area.")
    approach: Approach | None = Field(default=None, description="It goes to its focus.")
    go: Go | None = Field(default=None, description="It goes where the focus was last known.")
    home: Home | None = Field(default=None, description="It goes home.")
    flee: Flee | None = Field(default=None, description="It flees out of sight.")
    evade: Evade | None = Field(default=None, description="It evades.")
    sleep: Sleep | None = Field(default=None, description="It sleeps.")
    search: Search | None = Field(default=None, description="It searches.")
    call: Call | None = Field(default=None, description="It does what a Python function says.")

    def activities(self) -> tuple[str, ...]:
        """The activities that are written; one at most is right."""
        return tuple(name for name in ACTIVITIES if getattr(self, name) is not None)

    @property
    def activity(self) -> str:
        """What is done in the state, one of `ACTIVITIES`."""
        return next(iter(self.activities()), "hold")

    def awake_of(self, sense: str) -> float:
        """What scales one of the senses in this state."""
        scales = {str(name): scale for name, scale in self.senses.items()}
        return self.awake * scales.get(sense, 1.0)

    @property
    def pace_in(self) -> str:
        """The pace of who is in it; empty if its activity is to stay where it is."""
        return "" if self.activity in ("hold", "face", "sleep") else self.pace

    @property
    def posture_in(self) -> str:
        """The posture of who is in it."""
        return self.posture or ("prone" if self.sleep is not None else "standing")


class StateChange(Model):
    """A change from one alert state to another."""

    from_: Annotated[
        Names, BeforeValidator(_one_or_more, json_schema_input_type=str | list[str])
    ] = Field(default=(), alias="from", description="States it leads out of; any other if absent.")
    to: Name = Field(description="The state it leads to.")
    when: str = Field(description="The condition under which it is taken.")
    for_: Seconds = Field(
        default=0.0, alias="for", description="Seconds on end that this must be true."
    )


class Ladder(Model):
    """Alert states, and the changes between them, tried in the order written."""

    first: Name | None = Field(
        default=None, description="The state to start in; the first written if absent."
    )
    focus_by: Annotated[str, AfterValidator(_a_rule)] = Field(
        default="meter",
        description="By what the focus is chosen: `meter`, the fullest; `nearest`; `first`, who "
        "was noticed first; or `target.NAME`, the highest attribute.",
    )
    focus_stick: Annotated[float, with_unit("", ge=0, le=1e6)] = Field(
        default=0.15,
        description="By how much another must be better to draw the focus: so much fuller a "
        "meter, so many m nearer, so much more of the attribute. 0: the best at every moment.",
    )
    states: Annotated[dict[Name, State], Field(min_length=1)] = Field(description="By name.")
    changes: dict[Name, StateChange] = Field(default={}, description="By name.")

    @property
    def first_state(self) -> str:
        """The state to start in."""
        return self.first or next(iter(self.states))

    def rank_of(self, name: str) -> int:
        """How alert a state is."""
        rank = self.states[name].rank
        return list(self.states).index(name) if rank is None else rank


class Leash(Model):
    """A territory that an agent does not leave."""

    zone: Name = Field(description="The zone that is its territory.")
    outside: Literal["watch", "ignore"] = Field(
        default="watch", description="What it does about targets outside of it."
    )
