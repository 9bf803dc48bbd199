"""What a designer writes about alert states, what is done in them, and moving."""

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
        default=240.0, description="How fast it turns, degrees a second."
    )
    acceleration: Annotated[float, with_unit("m/s2", gt=0, le=10_000)] = Field(
        default=6.0, description="How fast it gains and loses speed, m/s a second."
    )
    smooth: bool = Field(
        default=False,
        description="Whether it turns in arcs while it walks, as tight as turn_rate lets it, where "
        "there is room; else it slows down and turns.",
    )
    arrive: Length = Field(
        default=0.3,
        description="Nearer than this to its goal it stands, m; at least a tick's way.",
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
        default="loop", description="What comes after the route's last corner."
    )
    pause: Seconds = Field(default=0.0, description="Seconds it stands at each corner.")
    about: Name | None = Field(
        default=None,
        description=f"Moves the route so that its first corner lies there: {ABOUT}.",
    )


class Roam(Model):
    """Wander evenly over an area."""

    method: Literal["wander", "places"] = Field(
        default="wander", description="Straight on and from edge to edge, or from place to place."
    )
    zone: Name | None = Field(default=None, description="A zone; all ground if absent.")
    ring: Annotated[tuple[Reach, Length], Field(strict=False)] | None = Field(
        default=None, description="Least and largest distance from its home, or from `about`, m."
    )
    about: Name | None = Field(
        default=None,
        description=f"The ring's middle, and to where the zone's is moved: {ABOUT}.",
    )
    every: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=6.0, description="Seconds until it takes another direction, or another place."
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


class Resume(Model):
    """Go back to where it left its routine: the last state of the least rank that it was in."""


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

    method: Literal["there", "nearby", "hideouts", "likelihood"] = Field(
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


def _drawn(most: float, unit: str) -> Any:
    """How a number, or a pair of such to draw between, is written: what is no pair becomes one."""
    rule = f"must be a number from 0 to {most:g}{unit}, or [least, most] of such"

    def ends(value: object) -> tuple[float, float]:
        pair = value if isinstance(value, list | tuple) else (value, value)
        given = [each for each in pair if type(each) in (int, float)]  # not true and false
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

    to: Name = Field(description="Where to: a spot or a zone.")
    care: Shares = Field(
        default=(0.0, 1.0),
        description="How careful it is, from 0, reckless, to 1: how often it minds a danger, and "
        "how slowly it goes. A number, or [least, most] to draw between for each seed.",
    )
    knows: Shares = Field(
        default=(0.0, 1.0),
        description="Of how many of the others it knows where they go next. A number, or [least, "
        "most] to draw between for each seed.",
    )
    delay: Delays = Field(
        default=(0.0, 10.0),
        description="For how long it stands before it sets out, s. A number, or [least, most] to "
        "draw between for each seed.",
    )
    sign: Annotated[float, with_unit("", gt=0, le=1)] = Field(
        default=0.3, description="The meter of another that warns it."
    )
    signs: Names = Field(
        default=(), description="Alert states of others that warn it as well, by name."
    )
    late: Annotated[float, with_unit("", gt=0, le=1)] = Field(
        default=1.0, description="The meter of another at which it is too late."
    )
    react: Seconds = Field(default=0.5, description="How long it takes to see a sign, s.")
    patience: Seconds = Field(
        default=10.0,
        description="How long it waits or hides at a time, s, at most; times its care for waiting.",
    )
    ignores: Names = Field(
        default=(), description="Agents whose looks and meters it does not mind."
    )
    leaves: bool = Field(
        default=True, description="Whether it is taken out of the run once it is there."
    )


class Call(Model):
    """Do what a Python function says."""

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

    All of it holds from the next tick on. The target is the focus, or whoever was caught.
    """

    set: Sided = Field(default={}, description="Attributes that get a value, by own. or target.")
    add: Sided = Field(
        default={}, description="Attributes that grow by so much, or shrink if below 0."
    )
    noise: Name | None = Field(
        default=None, description="A kind of noise that it makes where it is."
    )
    alarm: Names = Field(
        default=(), description="Teams whose agents with a memory all learn of its target."
    )
    removes: Literal["own", "target"] | None = Field(
        default=None, description="Who is taken out of the run: the agent itself, or its target."
    )
    turns: dict[Name, Literal["open", "shut", "lit", "dark"]] = Field(
        default={}, description="Doors and lights, by name, and what they become."
    )

    @property
    def attributes(self) -> tuple[str, ...]:
        """The names of the attributes that change."""
        return tuple(dict.fromkeys(key.partition(".")[2] for key in (*self.set, *self.add)))


class Catch(Model):
    """Whoever of the targets comes near and is in view is caught."""

    reach: Length = Field(default=0.5, description="From middle to middle in plan, m.")
    ends: bool = Field(default=True, description="Whether the run ends with it.")
    then: Effects | None = Field(default=None, description="What comes of it.")


class ConeLimits(Model):
    """Limits of a cone that hold in a state instead of the profile's."""

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
    """An alert state: what an agent does in it, and how. It has one activity; it holds if none."""

    rank: Annotated[int, with_unit("", ge=0, le=1000)] | None = Field(
        default=None, description="How alert it is; the place in the ladder, from 0, if absent."
    )
    pace: Literal["creeping", "walking", "running"] = Field(
        default="walking", description="How fast it moves."
    )
    speeds: Annotated[Speeds, Field(strict=False)] | None = Field(
        default=None,
        description="Speed by how much of its way is left, as [m, m/s], instead of its pace's.",
    )
    look: Literal["ahead", "focus", "sweep", "glances"] = Field(
        default="ahead",
        description="Along its way, at where the focus is believed, around, or ahead with glances "
        "to the sides at random.",
    )
    sweep_whole: WholeAngle = Field(
        default=120.0, description="WHOLE angle over which it looks around, or glances, degrees."
    )
    sweep_period: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=5.0,
        description="Seconds to look from one side to the other and back; of glances there is one "
        "in each.",
    )
    posture: Literal["standing", "crouched", "prone"] | None = Field(
        default=None, description="Its posture; standing, or prone asleep, if absent."
    )
    awake: Share = Field(default=1.0, description="Scales how far all its senses reach.")
    senses: dict[SenseName, Share] = Field(
        default={}, description="Scales single senses beside that, by name; 0 is off."
    )
    cones: dict[Name, ConeLimits] = Field(
        default={}, description="Limits of its cones in this state, by the cone's name."
    )
    least: Seconds = Field(default=0.0, description="Seconds it stays in the state at least.")
    interruptible: bool = Field(
        default=True, description="Whether it may be left before its activity is done."
    )
    freeze_seen_by: Names = Field(
        default=(), description="Teams: while an agent of these has it in view it does not move."
    )
    reaction: Seconds | None = Field(
        default=None,
        description="Seconds from when a transition out of it could be taken to when it is; as the "
        "ladder's if absent.",
    )
    then: Effects | None = Field(
        default=None, description="What comes of entering it; not at the start of the run."
    )
    catch: Catch | None = Field(default=None, description="Whom it meets it catches.")
    stand: Stand | None = Field(default=None, description="It stands.")
    face: Face | None = Field(default=None, description="It stands and faces the focus.")
    patrol: Patrol | None = Field(default=None, description="It walks a route.")
    roam: Roam | None = Field(default=None, description="It wanders over an area.")
    approach: Approach | None = Field(default=None, description="It goes to its focus.")
    go: Go | None = Field(default=None, description="It goes where the focus was last known.")
    home: Home | None = Field(default=None, description="It goes home.")
    resume: Resume | None = Field(
        default=None, description="It goes back to where it left its routine."
    )
    flee: Flee | None = Field(default=None, description="It flees out of sight.")
    evade: Evade | None = Field(default=None, description="It evades.")
    sleep: Sleep | None = Field(default=None, description="It sleeps.")
    search: Search | None = Field(default=None, description="It searches.")
    play: Play | None = Field(
        default=None, description="It goes to a place past everybody, as a player would."
    )
    call: Call | None = Field(default=None, description="It does what a Python function says.")

    def activities(self) -> tuple[str, ...]:
        """The activities that are written; one at most is right."""
        return tuple(name for name in ACTIVITIES if getattr(self, name) is not None)

    @property
    def activity(self) -> str:
        """What is done in the state, one of `ACTIVITIES`."""
        return next(iter(self.activities()), "stand")

    def awake_of(self, sense: str) -> float:
        """What scales one of the senses in this state."""
        scales = {str(name): scale for name, scale in self.senses.items()}
        return self.awake * scales.get(sense, 1.0)

    @property
    def pace_in(self) -> str:
        """The pace of who is in it; empty if its activity is to stay where it is."""
        return "" if self.activity in ("stand", "face", "sleep") else self.pace

    @property
    def posture_in(self) -> str:
        """The posture of who is in it."""
        return self.posture or ("prone" if self.sleep is not None else "standing")


class Transition(Model):
    """A transition from one alert state to another."""

    from_: Annotated[
        Names, BeforeValidator(_one_or_more, json_schema_input_type=str | list[str])
    ] = Field(default=(), alias="from", description="States or groups left; any if absent.")
    to: Name = Field(description="The state it leads to.")
    when: str = Field(description="The condition under which it is taken.")
    for_: Seconds = Field(
        default=0.0, alias="for", description="Seconds on end that this must be true."
    )
    reaction: Seconds | None = Field(
        default=None,
        description="Seconds from when it could be taken to when it is; as its state's if absent.",
    )
    then: Effects | None = Field(default=None, description="What comes of it.")


class Ladder(Model):
    """Alert states, and the transitions between them, tried in the order written."""

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
    reaction: Seconds = Field(
        default=0.0,
        description="Seconds from when a transition could be taken to when it is, if it could be "
        "all that time.",
    )
    groups: dict[Name, Annotated[Names, Field(min_length=1)]] = Field(
        default={}, description="Names for several states, to be used in a transition's `from`."
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
        """All that comes of anything, each with where it stands in the ladder."""
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
        default="watch", description="What it does about targets outside of it."
    )
