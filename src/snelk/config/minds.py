"""Models of alert states, activities and movement."""

from collections.abc import Iterator
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BeforeValidator, Field

from snelk.config.fields import (
    Elevation,
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
from snelk.config.words import SenseName

MOST_OF_AN_ATTRIBUTE = 1e9

Attribute = Annotated[float, with_unit("", ge=-MOST_OF_AN_ATTRIBUTE, le=MOST_OF_AN_ATTRIBUTE)]
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
        default=240.0, description="How fast it turns, degrees per second."
    )
    acceleration: Annotated[float, with_unit("m/s2", gt=0, le=10_000)] = Field(
        default=6.0, description="How fast it gains and loses speed, m/s per second."
    )
    smooth: bool = Field(
        default=False,
        description="Whether it turns in arcs while walking, where there is room; the"
        " arcs are as tight as turn_rate allows. Else it slows down and "
        "turns.",
    )
    arrive: Length = Field(
        default=0.3,
        description="Within this distance of its goal it has arrived, m; never less "
        "than one tick's walk.",
    )


class Stand(Model):
    """Stand."""


class Face(Model):
    """Stand, and turn to where the focus is believed to be."""


PLACES = ("home", "start", "here")
ABOUT = (
    "`home`, `start` (its place in the cast), `here` (where it entered the state) or a character"
)


class Patrol(Model):
    """Walk a route."""

    route: Name | None = Field(default=None, description="A route; the character's if absent.")
    order: Literal["loop", "back_and_forth", "once"] = Field(
        default="loop", description="What follows after the route's last corner."
    )
    pause: Seconds = Field(default=0.0, description="Pause at each corner, s.")
    about: Name | None = Field(
        default=None,
        description=f"Moves the route so that its first corner lies there: {ABOUT}.",
    )


class Roam(Model):
    """Wander evenly over an area."""

    method: Literal["wander", "places"] = Field(
        default="wander", description="Straight on from edge to edge, or to random places."
    )
    zone: Name | None = Field(default=None, description="A zone; all ground if absent.")
    ring: Annotated[tuple[Reach, Length], Field(strict=False)] | None = Field(
        default=None, description="Smallest and largest distance from its home, or from `about`, m."
    )
    about: Name | None = Field(
        default=None,
        description=f"The ring's middle, and to where the zone's is moved: {ABOUT}.",
    )
    every: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=6.0, description="Time until it takes a new direction, or a new place, s."
    )
    pause: Seconds = Field(default=0.0, description="Pause before it does so, s.")


class Approach(Model):
    """Go to where the focus is believed to be, and keep up with it."""

    stop: Reach = Field(default=0.0, description="How near it comes, m; at least movement.arrive.")


class Go(Model):
    """Go to the last-known position of the focus, or to a spot."""

    spot: Name | None = Field(
        default=None, description="A spot; the last-known position of the focus if absent."
    )


class Home(Model):
    """Go home, and face as at the start."""


class Resume(Model):
    """Go back to where it left its routine, the last state of the lowest rank."""


class Flee(Model):
    """Go to a spot that the focus cannot see."""

    spots: Names = Field(default=(), description="Spots to choose from; the character's if absent.")
    keep_eyes: bool = Field(
        default=False, description="Whether it looks back at the focus while it goes."
    )
    until_unseen: bool = Field(
        default=False, description="Whether it stops as soon as it is out of sight of the focus."
    )


class Evade(Model):
    """Go a short way in a random free direction."""

    distance: Length = Field(default=4.0, description="How far, m.")
    directions: Annotated[int, with_unit("", ge=2, le=64)] = Field(
        default=8, description="Number of directions to choose from."
    )
    away: bool = Field(
        default=True,
        description="Whether to use only directions that do not lead towards the focus.",
    )


class Sleep(Model):
    """Lie down, and be busy for a while when woken."""

    wake_time: Seconds = Field(
        default=1.0, description="Time after being woken in which it does nothing, s."
    )


class Search(Model):
    """Look for the focus from its last-known position on."""

    method: Literal["there", "nearby", "hideouts", "likelihood"] = Field(
        default="nearby",
        description="`there`: the last-known position only; then `nearby` points,"
        " known `hideouts`, or by `likelihood`.",
    )
    radius: Length = Field(
        default=10.0, description="How far from the last-known position it searches, m."
    )
    points: Annotated[int, with_unit("", ge=1, le=200)] = Field(
        default=6, description="Largest number of points nearby."
    )
    spots: Names = Field(default=(), description="Hideouts; the character's spots if absent.")
    point_time: Seconds = Field(default=2.0, description="Time it looks around at each point, s.")
    give_up: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=30.0, description="Time after which it gives up, s."
    )
    speed: Pace | None = Field(
        default=None,
        description="How fast the target can move, m/s; memory's spread if absent.",
    )
    cell: Annotated[float, with_unit("m", ge=0.1, le=100)] = Field(
        default=1.0, description="Side of a likelihood cell, m."
    )


def _drawn(most: float, unit: str) -> Any:
    """A number, or a range to draw from; a single number becomes a range."""
    rule = f"must be a number from 0 to {most:g}{unit}, or [least, most] of such"

    def ends(value: object) -> tuple[float, float]:
        pair = value if isinstance(value, list | tuple) else (value, value)
        given: list[Any] = [each for each in pair if type(each) in (int, float)]  # not true, false
        if len(pair) != 2 or len(given) != 2 or not 0.0 <= given[0] <= given[1] <= most:
            raise ValueError(rule)
        return float(given[0]), float(given[1])

    return BeforeValidator(ends, json_schema_input_type=float | list[float])


Shares = Annotated[tuple[float, float], Field(strict=False), _drawn(1.0, "")]
"""A share, or from which to which it is drawn."""

Delays = Annotated[tuple[Seconds, Seconds], Field(strict=False), _drawn(3600.0, " s")]
"""Seconds, or from which to which they are drawn."""


class Play(Model):
    """Go to a place past everybody, as a player would: a simulated player."""

    to: Name = Field(description="Its goal: a spot or a zone.")
    care: Shares = Field(
        default=(0.0, 1.0),
        description="How careful it is, from 0, reckless, to 1: how often it reacts "
        "to a danger, and how slowly it moves. A number, or [least, most]"
        " to draw from for each seed.",
    )
    knows: Shares = Field(
        default=(0.0, 1.0),
        description="Share of the others whose routines it knows. A number, or "
        "[least, most] to draw from for each seed.",
    )
    delay: Delays = Field(
        default=(0.0, 10.0),
        description="How long it waits before it sets out, s. A number, or [least, "
        "most] to draw from for each seed.",
    )
    sign: Annotated[float, with_unit("", gt=0, le=1)] = Field(
        default=0.3, description="Meter value of another that warns it."
    )
    signs: Names = Field(
        default=(), description="Names of alert states of others that also warn it."
    )
    late: Annotated[float, with_unit("", gt=0, le=1)] = Field(
        default=1.0, description="Meter value of another at which it is too late."
    )
    react: Seconds = Field(default=0.5, description="Reaction time to a sign, s.")
    patience: Seconds = Field(
        default=10.0,
        description="Longest time it waits or hides at a time, s; for waiting, times its care.",
    )
    ignores: Names = Field(default=(), description="Agents that it ignores.")
    leaves: bool = Field(
        default=True, description="Whether it is removed from the run once it has arrived."
    )


class Call(Model):
    """Do what a Python function returns."""

    activity: Name = Field(description="Its name, as it was registered.")


ACTIVITIES = (
    "stand",
    "face",
    "patrol",
    "roam",
    "approach",
    "go",
    "home",
    "resume",
    "flee",
    "evade",
    "sleep",
    "search",
    "play",
    "call",
)


def _a_side(text: str) -> str:
    side, dot, name = text.partition(".")
    if side not in ("own", "target") or not dot or not name.isidentifier() or not name.isascii():
        raise ValueError("must be own.NAME or target.NAME of an attribute")
    return text


Sided = dict[Annotated[str, AfterValidator(_a_side)], Attribute]


class Effects(Model):
    """What comes of a transition, of entering a state, or of catching somebody.

    They take effect at the next tick. The target is the focus, or whoever was caught.
    """

    set: Sided = Field(default={}, description="Attributes to set, own.NAME or target.NAME.")
    add: Sided = Field(
        default={}, description="Attributes to increase, or decrease with a negative number."
    )
    noise: Name | None = Field(
        default=None, description="A kind of noise that it makes at its position."
    )
    alarm: Names = Field(
        default=(), description="Teams: all their agents with a memory learn about its target."
    )
    removes: Literal["own", "target"] | None = Field(
        default=None, description="Who is removed from the run: the agent itself, or its target."
    )
    turns: dict[Name, Literal["open", "shut", "lit", "dark"]] = Field(
        default={}, description="Doors and lights, by name, and their new state."
    )

    @property
    def attributes(self) -> tuple[str, ...]:
        """The names of the attributes that change."""
        return tuple(dict.fromkeys(key.partition(".")[2] for key in (*self.set, *self.add)))


class Catch(Model):
    """A target that is near and in view is caught."""

    reach: Length = Field(default=0.5, description="Distance between centres in plan, m.")
    ends: bool = Field(default=True, description="Whether the run ends with it.")
    then: Effects | None = Field(default=None, description="Its effects.")


class ConeLimits(Model):
    """Limits of a cone in a state, instead of the profile's."""

    fov_whole: WholeAngle | None = Field(
        default=None, description="WHOLE angle from edge to edge, degrees."
    )
    range: Length | None = Field(default=None, description="Farthest distance, m.")
    hold_fov_whole: WholeAngle | None = Field(
        default=None, description="WHOLE angle while in view, degrees."
    )
    hold_range: Length | None = Field(default=None, description="Farthest while in view, m.")
    up: Elevation | None = Field(default=None, description="How far up it sees, degrees.")
    down: Elevation | None = Field(default=None, description="How far down it sees, degrees.")
    min_light: Share | None = Field(default=None, description="Light that must fall on a target.")
    min_exposure: Annotated[float, with_unit("", ge=0, lt=1)] | None = Field(
        default=None, description="More than this share of the body must be in view."
    )

    @property
    def given(self) -> dict[str, float]:
        """The limits that are written, by name."""
        return {name: value for name, value in self if value is not None}


def _rising(points: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    if not 1 <= len(points) <= 32:
        raise ValueError("must be 1 to 32 points [m, m/s]")
    if any(b[0] <= a[0] for a, b in pairwise(points)):
        raise ValueError("metres must rise from point to point")
    if any(far < 0 or not 0.01 <= speed <= 100 for far, speed in points):
        raise ValueError("metres must be 0 or more, and speeds 0.01 to 100 m/s")
    return points


Speeds = Annotated[
    tuple[Annotated[tuple[float, float], Field(strict=False)], ...], AfterValidator(_rising)
]


class State(Model):
    """An alert state: what an agent does, and how. It has one activity, by default `stand`."""

    rank: Annotated[int, with_unit("", ge=0, le=1000)] | None = Field(
        default=None, description="How alert it is; its position in the ladder, from 0, if absent."
    )
    pace: Literal["creeping", "walking", "running"] = Field(
        default="walking", description="How fast it moves."
    )
    speeds: Annotated[Speeds, Field(strict=False)] | None = Field(
        default=None,
        description="Speed by remaining distance to the goal, as [m, m/s], instead of"
        " that of its pace.",
    )
    look: Literal["ahead", "focus", "sweep", "glances"] = Field(
        default="ahead",
        description="Ahead along its path, at the believed position of the focus, "
        "sweeping from side to side, or ahead with random glances to the "
        "side.",
    )
    sweep_whole: WholeAngle = Field(
        default=120.0, description="WHOLE angle of its sweep or glances, degrees."
    )
    sweep_period: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=5.0,
        description="Period of the sweep, there and back, s; with glances, there is "
        "one per period.",
    )
    posture: Literal["standing", "crouched", "prone"] | None = Field(
        default=None, description="Its posture; standing, or prone asleep, if absent."
    )
    awake: Share = Field(default=1.0, description="Scales the range of all its senses.")
    senses: dict[SenseName, Share] = Field(
        default={}, description="Scales single senses in addition, by name; 0 is off."
    )
    cones: dict[Name, ConeLimits] = Field(
        default={}, description="Limits of its cones in this state, by the cone's name."
    )
    least: Seconds = Field(default=0.0, description="Shortest time in this state, s.")
    interruptible: bool = Field(
        default=True,
        description="Whether it can be left before its activity is done, failed or stuck.",
    )
    freeze_seen_by: Names = Field(
        default=(),
        description="Teams: while one of their agents has it in view, it does not move or turn.",
    )
    reaction: Seconds | None = Field(
        default=None,
        description="Reaction time before a transition out of it is taken, s; the "
        "ladder's if absent.",
    )
    then: Effects | None = Field(
        default=None,
        description="Effects of entering it by a transition; not at the start of the run.",
    )
    catch: Catch | None = Field(default=None, description="It catches a target that it reaches.")
    stand: Stand | None = Field(default=None, description="It stands.")
    face: Face | None = Field(default=None, description="It stands and faces the focus.")
    patrol: Patrol | None = Field(default=None, description="It walks a route.")
    roam: Roam | None = Field(default=None, description="It wanders over an area.")
    approach: Approach | None = Field(default=None, description="It approaches its focus.")
    go: Go | None = Field(
        default=None, description="It goes to a spot, or to the last-known position of the focus."
    )
    home: Home | None = Field(default=None, description="It goes home.")
    resume: Resume | None = Field(
        default=None, description="It goes back to where it left its routine."
    )
    flee: Flee | None = Field(default=None, description="It flees out of sight.")
    evade: Evade | None = Field(default=None, description="It evades.")
    sleep: Sleep | None = Field(default=None, description="It sleeps.")
    search: Search | None = Field(default=None, description="It searches.")
    play: Play | None = Field(
        default=None, description="It goes to a goal past everybody, as a player would."
    )
    call: Call | None = Field(default=None, description="It does what a Python function says.")

    def activities(self) -> tuple[str, ...]:
        """The activities that are written; one at most is right."""
        return tuple(name for name in ACTIVITIES if getattr(self, name) is not None)

    @property
    def activity(self) -> str:
        """The activity of the state, one of `ACTIVITIES`."""
        return next((name for name in ACTIVITIES if getattr(self, name) is not None), "stand")

    def awake_of(self, sense: str) -> float:
        """What scales one of the senses in this state."""
        scales = {str(name): scale for name, scale in self.senses.items()}
        return self.awake * scales.get(sense, 1.0)

    @property
    def pace_in(self) -> str:
        """The pace in this state; empty if its activity does not move."""
        return "" if self.activity in ("stand", "face", "sleep") else self.pace

    @property
    def posture_in(self) -> str:
        """The posture in this state."""
        return self.posture or ("prone" if self.sleep is not None else "standing")


class Transition(Model):
    """A transition from one alert state to another."""

    from_: Annotated[
        Names, BeforeValidator(_one_or_more, json_schema_input_type=str | list[str])
    ] = Field(
        default=(), alias="from", description="States or groups it leads out of; any if absent."
    )
    to: Name = Field(description="The state it leads to.")
    when: str = Field(description="Its condition.")
    for_: Seconds = Field(
        default=0.0,
        alias="for",
        description="How long, without a break, the condition must be true, s.",
    )
    reaction: Seconds | None = Field(
        default=None,
        description="Reaction time before it is taken, s; its state's if absent.",
    )
    then: Effects | None = Field(default=None, description="Its effects.")


class Ladder(Model):
    """Alert states, and the transitions between them, tried in the order written."""

    first: Name | None = Field(
        default=None, description="The state at the start; the first listed if absent."
    )
    focus_by: Annotated[str, AfterValidator(_a_rule)] = Field(
        default="meter",
        description="How the focus is chosen: `meter`, the fullest meter; `nearest`; "
        "`first`, noticed first; or `target.NAME`, the highest attribute.",
    )
    focus_stick: Annotated[float, with_unit("", ge=0, le=1e6)] = Field(
        default=0.15,
        description="How much better another target must be to take the focus, in the"
        " unit of focus_by: meter, m, or the attribute. 0 always takes "
        "the best.",
    )
    reaction: Seconds = Field(
        default=0.0,
        description="Reaction time: delay between when a transition could be taken "
        "and when it is taken, s.",
    )
    groups: dict[Name, Annotated[Names, Field(min_length=1)]] = Field(
        default={}, description="Names for several states, for use in a transition's `from`."
    )
    states: Annotated[dict[Name, State], Field(min_length=1)] = Field(description="By name.")
    transitions: dict[Name, Transition] = Field(default={}, description="By name.")

    @property
    def first_state(self) -> str:
        """The state to start in."""
        return self.first or next(iter(self.states))

    def origins(self, transition: Transition) -> tuple[str, ...]:
        """The states that a transition leads out of, in the order of the ladder."""
        named = {state for name in transition.from_ for state in self.groups.get(name, (name,))}
        return tuple(
            name for name in self.states if name != transition.to and (name in named or not named)
        )

    def reaction_of(self, transition: Transition, state: str) -> float:
        """Seconds between that a transition out of a state could be taken and that it is."""
        of_state = self.states[state].reaction
        named = self.reaction if of_state is None else of_state
        return named if transition.reaction is None else transition.reaction

    def effects(self) -> Iterator[tuple[tuple[str, ...], Effects]]:
        """All effects in the ladder, each with its place."""
        for name, state in self.states.items():
            if state.then is not None:
                yield ("states", name, "then"), state.then
            if state.catch is not None and state.catch.then is not None:
                yield ("states", name, "catch", "then"), state.catch.then
        for name, transition in self.transitions.items():
            if transition.then is not None:
                yield ("transitions", name, "then"), transition.then

    @property
    def plays(self) -> bool:
        """Whether it is that of a simulated player."""
        return any(state.play is not None for state in self.states.values())

    def rank_of(self, name: str) -> int:
        """How alert a state is."""
        rank = self.states[name].rank
        return list(self.states).index(name) if rank is None else rank


class Leash(Model):
    """A territory that an agent does not leave."""

    zone: Name = Field(description="The zone that is its territory.")
    outside: Literal["watch", "ignore"] = Field(
        default="watch", description="What it does about targets outside it."
    )
