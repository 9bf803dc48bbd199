"""Models of the files that a designer writes.

Lengths are metres, times seconds, angles degrees. A field of view is the whole angle from edge
to edge, never half of it: that is why its key is called `fov_whole`.
"""

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, model_validator

from snelk.config.fields import (
    LONGEST,
    Coordinate,
    Elevation,
    Factor,
    FileNames,
    Length,
    Model,
    Name,
    Names,
    Place,
    Reach,
    Seconds,
    Share,
    Speed,
    WholeAngle,
    with_unit,
)
from snelk.config.goals import Expectation, Fair, Fit, Wish
from snelk.config.minds import Attributes, Ladder, Leash, Movement, Play, State
from snelk.config.words import SINGLE_SENSES, SenseName


class Cone(Model):
    """One sight volume. The `hold_` limits apply while a target is in view of this cone."""

    fov_whole: WholeAngle
    range: Length = Field(description="Largest distance from the eye to the middle of a body, m.")
    hold_fov_whole: WholeAngle | None = Field(
        default=None,
        description="WHOLE angle while already in view, degrees; as `fov_whole` if absent.",
    )
    hold_range: Length | None = Field(
        default=None, description="Largest distance while already in view, m; as `range` if absent."
    )
    weight: Annotated[float, with_unit("", ge=0, le=100)] = Field(
        default=1.0, description="Factor on what this cone adds to the meter."
    )
    up: Elevation = Field(
        default=90.0, description="How far it sees above the horizontal, degrees."
    )
    down: Elevation = Field(
        default=90.0, description="How far it sees below the horizontal, degrees."
    )
    min_light: Share = Field(
        default=0.0, description="Light that must fall on the target, 0 (dark) to 1 (day)."
    )
    min_exposure: Annotated[float, with_unit("", ge=0, lt=1)] = Field(
        default=0.0, description="More than this share of the body must be in view, 0 to 1."
    )
    notices: Names | None = Field(
        default=None, description="The teams this cone notices; the profile's if absent."
    )


CURVES = ("distance", "angle", "light", "motion")
"""Names of a meter's curves."""


def _rising(curve: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    if not 1 <= len(curve) <= 32:
        raise ValueError("must be 1 to 32 points [x, factor]")
    if any(b[0] <= a[0] for a, b in pairwise(curve)):
        raise ValueError("x must rise from point to point")
    if any(x < 0 or not 0 <= factor <= 100 for x, factor in curve):
        raise ValueError("x must be 0 or more, and factors 0 to 100")
    return curve


Point = Annotated[tuple[float, float], Field(strict=False)]
Curve = Annotated[tuple[Point, ...], Field(strict=False), AfterValidator(_rising)]


class Meter(Model):
    """The detection meter: how fast suspicion of a target in view fills, holds and drains."""

    fill_time: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        description="Time from empty to full at rate 1, s."
    )
    drain_time: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=5.0, description="Time from full to empty once it drains, s."
    )
    drain_after: Seconds = Field(
        default=1.0, description="Time it stays level before it drains, s."
    )
    at_once: Annotated[float, with_unit("m", ge=0, le=LONGEST)] = Field(
        default=0.0, description="A target in view within this distance fills it at once, m."
    )
    distance: Curve = Field(
        default=((0.0, 1.0),), description="Factor by distance, as a share of the cone's range."
    )
    angle: Curve = Field(
        default=((0.0, 1.0),),
        description="Factor by angle off the facing direction, as a share of half fov.",
    )
    light: Curve = Field(default=((0.0, 1.0),), description="Factor by light on the target.")
    motion: Curve = Field(default=((0.0, 1.0),), description="Factor by the target's speed, m/s.")
    standing: Factor = Field(default=1.0, description="Factor while the target stands.")
    crouched: Factor = Field(default=1.0, description="Factor while it crouches.")
    prone: Factor = Field(default=1.0, description="Factor while it lies.")
    noise_gain: Share = Field(
        default=0.1,
        description="What a noise of strength 1 adds at once; a weaker noise adds less.",
    )
    zone_rate: Factor = Field(default=1.0, description="Rate at which the zone sense fills it.")
    smell_rate: Factor = Field(
        default=0.5,
        description="Rate at which smelling a trail of strength 1 fills it; a weaker "
        "trail fills it more slowly.",
    )
    thresholds: dict[Name, Annotated[float, with_unit("", gt=0, le=1)]] = Field(
        default={}, description="Named values whose crossing is an event."
    )


class Steps(Model):
    """The footsteps of a kind of body: one noise a stride, by gait."""

    stride: Annotated[float, with_unit("m", ge=0.01, le=100)] = Field(
        description="Distance between footsteps, m."
    )
    creeping: Reach = Field(description="How far a footstep carries while creeping, m.")
    walking: Reach = Field(description="How far it carries while walking, m.")
    running: Reach = Field(description="How far it carries while running, m.")
    creep_below: Speed = Field(
        default=0.8, description="For tracks without a gait: below this speed it creeps, m/s."
    )
    run_above: Speed = Field(
        default=2.5, description="For tracks without a gait: above this speed it runs, m/s."
    )

    def reaches(self) -> tuple[float, float, float, float]:
        """How far a footstep carries in each gait, in the order of `GAITS`, m."""
        return 0.0, self.creeping, self.walking, self.running


def _body_points(
    points: tuple[tuple[float, float], ...],
) -> tuple[tuple[float, float], ...]:
    if not 1 <= len(points) <= 16:
        raise ValueError("must be 1 to 16 points [height, weight]")
    if any(not 0 <= height <= 1 or not 0 <= weight <= 1000 for height, weight in points):
        raise ValueError("heights must be shares from 0 to 1, and weights 0 to 1000")
    if sum(weight for _, weight in points) <= 0:
        raise ValueError("weights must not all be 0")
    return points


BodyPoints = Annotated[tuple[Point, ...], Field(strict=False), AfterValidator(_body_points)]


CLIMB = 0.75
"""What a body gets over where it is not said, as a share of its height standing."""


class Body(Model):
    """How tall a kind of body is in each posture, m, and what of it is looked for and heard."""

    standing: Length = Field(description="Height of the body, m.")
    crouched: Length | None = Field(
        default=None, description="Height while crouched, m; 0.6 of standing if absent."
    )
    prone: Length | None = Field(
        default=None, description="Height while prone, m; 0.3 of standing if absent."
    )
    eyes: Annotated[float, with_unit("", gt=0, le=1)] = Field(
        default=0.9, description="Height of eyes and ears, as a share of the body height."
    )
    points: BodyPoints = Field(
        default=((0.05, 0.25), (0.5, 0.5), (0.95, 0.25)),
        description="Points of the body that others look for: height as a share of "
        "the body height, and weight.",
    )
    steps: Steps | None = Field(default=None, description="Its footsteps; none if absent.")
    radius: Length = Field(
        default=0.2, description="Half its width: the distance it keeps from walls, m."
    )
    blocks: bool = Field(
        default=False,
        description="Whether its body blocks the view, as an upright cylinder of its "
        "radius and height.",
    )
    scent: Factor = Field(default=1.0, description="Strength of the trail it leaves; 0 for none.")
    climb: Reach | None = Field(
        default=None,
        description="The highest wall it can get over, m; three quarters of its height if absent.",
    )
    attributes: Attributes = Field(default={}, description="Numbers for conditions.")

    @property
    def climbs(self) -> float:
        """How high a wall it gets over, m."""
        return CLIMB * self.standing if self.climb is None else self.climb

    def heights(self) -> tuple[float, float, float]:
        """Height in each posture, in the order of `POSTURES`, m."""
        crouched = 0.6 * self.standing if self.crouched is None else self.crouched
        prone = 0.3 * self.standing if self.prone is None else self.prone
        return self.standing, crouched, prone


class Hearing(Model):
    """An agent's hearing."""

    acuity: Factor = Field(
        default=1.0, description="Factor on how far noises carry to it; 1 is an ordinary ear."
    )
    notices: Names | None = Field(
        default=None, description="The teams it listens for; the profile's `notices` if absent."
    )
    of_nobody: bool = Field(
        default=True,
        description="Whether a noise made by nobody draws it to its position.",
    )
    listen_every: Annotated[float, with_unit("s", ge=0, le=60)] = Field(
        default=0.0, description="Time between two moments of listening, s; no noise is lost."
    )
    place_error: Annotated[float, with_unit("m/m", ge=0, le=10)] = Field(
        default=0.0,
        description="Error of the heard position, standard deviation in m per m of distance.",
    )

    @property
    def in_words(self) -> str:
        """Its numbers in a few words."""
        often = f", every {self.listen_every:g} s" if self.listen_every else ""
        return f"acuity {self.acuity:g}{often}"


class Touch(Model):
    """Who comes so near is felt, whatever the facing."""

    radius: Length = Field(description="Distance in plan within which it feels a body, m.")
    notices: Names | None = Field(
        default=None, description="The teams it feels; the profile's `notices` if absent."
    )

    @property
    def in_words(self) -> str:
        """Its numbers in a few words."""
        return f"within {self.radius:g} m"


class ZoneSense(Model):
    """Characters in these zones are sensed, from anywhere."""

    zones: Annotated[Names, Field(min_length=1)] = Field(description="Zones of the level, by name.")
    notices: Names | None = Field(
        default=None, description="The teams it senses; the profile's `notices` if absent."
    )

    @property
    def in_words(self) -> str:
        """Its zones."""
        return ", ".join(self.zones)


class Smell(Model):
    """An agent's sense of smell."""

    reach: Length = Field(
        description="Distance at which it smells a trail of strength 1 without wind, m."
    )
    weakest: Annotated[float, with_unit("", ge=0.001, le=1)] = Field(
        default=0.05, description="It does not smell a trail weaker than this."
    )
    notices: Names | None = Field(
        default=None, description="The teams it smells; the profile's `notices` if absent."
    )

    @property
    def in_words(self) -> str:
        """Its numbers in a few words."""
        return f"within {self.reach:g} m"


class Memory(Model):
    """An agent's memory of targets that it no longer senses."""

    grace: Seconds = Field(
        default=0.5,
        description="Time after losing the target in which it still knows the position, s.",
    )
    lead: Seconds = Field(
        default=0.0,
        description="Time after grace in which the believed position moves on at "
        "the last velocity, s.",
    )
    spread: Speed = Field(
        default=1.0, description="How fast the uncertainty of the believed position grows, m/s."
    )
    forget: Seconds = Field(default=60.0, description="Time after which it forgets the target, s.")
    seen_empty: Seconds | None = Field(
        default=None,
        description="How long, without a break, it must see the believed position "
        "empty to know that the target has gone, s: 0 at once; never if "
        "absent.",
    )


class Tell(Model):
    """How an agent tells others about its targets."""

    teams: Names | None = Field(default=None, description="Teams it tells; its own if absent.")
    reach: Length | None = Field(
        default=None,
        description="How far its voice carries to an ordinary ear, m; to all if absent.",
    )
    delay: Seconds = Field(default=0.0, description="Time until the others know, s.")
    every: Annotated[float, with_unit("s", gt=0, le=3600)] = Field(
        default=1.0, description="Time between two messages about the same target, s."
    )
    passes_on: bool = Field(
        default=False,
        description="Whether it also passes on what it was told, once, with the age "
        "and uncertainty it has by then.",
    )


class Profile(Model):
    """Everything about one kind of agent."""

    like: Name | None = Field(
        default=None, description="A parent profile; its keys apply where this one has none."
    )
    body: Name | None = Field(default=None, description="The body of its agents, by name.")
    notices: Names = Field(
        default=(), description="The teams its senses notice, unless a sense has its own list."
    )
    hearing: Hearing | None = Field(default=None, description="Its ears; none if absent.")
    touch: Touch | None = Field(default=None, description="Its sense of touch; none if absent.")
    zone_sense: ZoneSense | None = Field(
        default=None, description="Zones in which it senses anybody; none if absent."
    )
    smell: Smell | None = Field(default=None, description="Its nose; none if absent.")
    cones: dict[Name, Cone] = Field(default={}, description="Its view cones, by name.")
    meter: Meter | None = Field(default=None, description="Its detection meter; none if absent.")
    memory: Memory | None = Field(default=None, description="Its memory; none if absent.")
    tell: Tell | None = Field(default=None, description="What it tells others; nothing if absent.")
    ladder: Ladder | None = Field(default=None, description="Its alert ladder; none if absent.")
    movement: Movement | None = Field(
        default=None, description="How it moves without a track; it stands if absent."
    )
    look_every: Annotated[float, with_unit("s", ge=0, le=60)] = Field(
        default=0.0, description="Time between two looks, s; 0 looks at every tick."
    )

    def teams(self) -> dict[tuple[str, ...], tuple[str, ...]]:
        """The teams that each of its senses notices, by where the sense stands in the profile."""
        senses: dict[tuple[str, ...], Cone | Hearing | Touch | ZoneSense | Smell | None] = {
            ("cones", name): cone for name, cone in self.cones.items()
        }
        senses |= {(key,): getattr(self, key) for key in SINGLE_SENSES}
        return {
            place: self.notices if sense.notices is None else sense.notices
            for place, sense in senses.items()
            if sense is not None
        }

    def cones_in(self, state: State | None) -> dict[str, Cone]:
        """Its cones with the limits that they have in an alert state."""
        limits = {} if state is None else state.cones
        return {
            name: cone.model_copy(update=limits[name].given) if name in limits else cone
            for name, cone in self.cones.items()
        }

    def every_cone(self) -> list[Cone]:
        """Its cones, and those with the limits that they have in its alert states."""
        states = self.ladder.states.values() if self.ladder else ()
        in_states = [self.cones_in(state).values() for state in states if state.cones]
        return [*self.cones.values(), *(cone for cones in in_states for cone in cones)]

    def sees(self, team: str) -> bool:
        """Whether any of its cones notices a team."""
        return any(team in teams for (sense, *_), teams in self.teams().items() if sense == "cones")

    def noticed(self) -> set[str]:
        """The teams that any of its senses notices; without senses, those that it would."""
        return {t for teams in (self.teams() or {(): self.notices}).values() for t in teams}

    def ever_notices(self, team: str) -> bool:
        """Whether any of its senses notices a team; without senses, whether it would."""
        return team in self.noticed()


class Lamp(Model):
    """A light that a character carries, at half its height."""

    light: Share = Field(description="Brightness close to it, 0 to 1.")
    reach: Length = Field(description="Distance at which its light has fallen to nothing, m.")


OUT_OF_ORDER = ("open", "shut", "lit", "dark", "still", "gone")
"""What can be out of order: a door, a light, or a character."""


class Clue(Model):
    """The condition of a clue: one of six."""

    open: Name | None = Field(default=None, description="A door that is open.")
    shut: Name | None = Field(default=None, description="A door that is shut.")
    lit: Name | None = Field(default=None, description="A zone of `lights` that is switched on.")
    dark: Name | None = Field(default=None, description="A zone of `lights` that is switched off.")
    still: Name | None = Field(
        default=None, description="A character that lies prone and does not move."
    )
    gone: Name | None = Field(
        default=None, description="A character that is not at the clue's position."
    )
    seconds: Seconds = Field(
        default=0.0, description="How long the condition must hold before the clue appears, s."
    )
    within: Reach = Field(
        default=1.0,
        description="For `gone`: within this distance of the clue's position it "
        "counts as still there, m.",
    )
    reach: Length = Field(
        default=1.5, description="An agent that acts on it and comes this close has seen to it, m."
    )

    @model_validator(mode="after")
    def _is_one(self) -> "Clue":
        given = [word for word in OUT_OF_ORDER if getattr(self, word) is not None]
        if len(given) != 1:
            has = " and ".join(given) or "none"
            raise ValueError(f"must have exactly one of {', '.join(OUT_OF_ORDER)}; it has {has}")
        return self

    @property
    def what(self) -> tuple[str, str]:
        """What is out of order, one of `OUT_OF_ORDER`, and its name."""
        word = next(word for word in OUT_OF_ORDER if getattr(self, word) is not None)
        return word, getattr(self, word)

    @property
    def in_words(self) -> str:
        """When it is present: `while gate is open, after 3 s`."""
        word, of = self.what
        says = {"still": "lies still", "gone": f"is more than {self.within:g} m off"}
        after = f", after {self.seconds:g} s" if self.seconds else ""
        return f"while {of} {says.get(word, f'is {word}')}{after}"


CLUE_BODY = "clue"
"""The body of a clue that does not say which: of this name if there is one, else 1 m tall."""


class Member(Model):
    """One character of the cast. It has a track of its own, or stands at a place."""

    team: Name = Field(description="Its team; profiles notice teams.")
    body: Name | None = Field(default=None, description="Its body; the profile's if absent.")
    profile: Name | None = Field(
        default=None, description="Its profile; a character with a profile is an agent."
    )
    at: Place | None = Field(
        default=None, description="Its position, [x, y] in m; not with a track."
    )
    facing: Annotated[float, with_unit("deg", ge=-360, le=360)] = Field(
        default=0.0, description="Its heading at `at`, degrees counter-clockwise from +x."
    )
    z: Coordinate = Field(default=0.0, description="Height of the ground at `at`, m.")
    posture: Literal["standing", "crouched", "prone"] = Field(
        default="standing", description="Its posture at `at`."
    )
    awake: Share = Field(
        default=1.0, description="Scales the range of all its senses; 0 is fast asleep."
    )
    senses: dict[SenseName, Share] = Field(
        default={}, description="Scales single senses in addition, by name; 0 is off."
    )
    lamp: Lamp | None = Field(default=None, description="A light it carries.")
    state: Name | None = Field(
        default=None, description="Its alert state at the start; the first of its ladder if absent."
    )
    route: Name | None = Field(default=None, description="The route it patrols.")
    home: Place | None = Field(default=None, description="Its home, [x, y] in m; `at` if absent.")
    home_z: Coordinate | None = Field(
        default=None, description="Height of the ground at its home, m; `z` if absent."
    )
    spots: Names = Field(default=(), description="Spots it knows to flee or to search to.")
    leash: Leash | None = Field(default=None, description="The territory it does not leave.")
    clue: Clue | None = Field(
        default=None,
        description="Makes it a clue: it is there only while something is out of order.",
    )
    attributes: Attributes = Field(
        default={}, description="Numbers for conditions; they override those of its body."
    )
    play: Play | None = Field(
        default=None,
        description="Makes it a simulated player: it goes to a goal past everybody, "
        "from `at` or from the start of its track, which it does not "
        "follow further.",
    )
    absent: bool = Field(
        default=False,
        description="Whether it is absent until an effect or a live game spawns it.",
    )

    def awake_of(self, sense: str) -> float:
        """The factor of one of its `SENSES`: `awake` times that of the sense."""
        scales = {str(name): scale for name, scale in self.senses.items()}
        return self.awake * scales.get(sense, 1.0)


def _several(names: tuple[str, ...]) -> tuple[str, ...]:
    if len(names) < 2:
        raise ValueError("must be at least 2 agents")
    return names


def _a_rule_to_go(text: str) -> str:
    side, _, name = text.partition(".")
    if text != "nearest" and not (side == "own" and name.isidentifier() and name.isascii()):
        raise ValueError("must be nearest, or own.NAME of an attribute")
    return text


class Group(Model):
    """Agents that act as one: they search together, keep posts manned, and make room."""

    members: Annotated[Names, AfterValidator(_several)] = Field(description="Who is in it.")
    search: bool = Field(
        default=True,
        description="Whether they share a search: a place one of them has checked is "
        "cleared for all, and each goes to a different place.",
    )
    stays: Annotated[int, with_unit("", ge=0, le=1000)] = Field(
        default=0,
        description="How many of them must stay in their routine, the states of the lowest rank.",
    )
    goes: Annotated[str, AfterValidator(_a_rule_to_go)] = Field(
        default="nearest",
        description="Who goes first if not all may leave: the `nearest` to what "
        "alarmed it, or the one with the highest attribute, `own.NAME`.",
    )
    apart: Reach = Field(
        default=0.0,
        description="Distance they keep between the centres of their bodies, m; 0 for none.",
    )


class NoiseKind(Model):
    """A kind of noise that scenarios and recordings can name."""

    reach: Length = Field(description="How far it carries to an ordinary ear in the open, m.")


class Noise(Model):
    """One noise of a scenario: what, when and where."""

    t: Annotated[float, with_unit("s", ge=0, le=1e6)] = Field(description="When, s.")
    kind: Name = Field(description="A kind of `noise_kinds`, or any word with a `reach`.")
    by: Name | None = Field(default=None, description="Who made it; nobody if absent.")
    at: Place | None = Field(
        default=None, description="Position, [x, y] in m; that of `by` if absent."
    )
    spot: Name | None = Field(default=None, description="Position, as a spot of the level.")
    z: Coordinate | None = Field(
        default=None,
        description="Height with `at` or `spot`, m; that of the spot, or 0, if absent.",
    )
    reach: Length | None = Field(
        default=None, description="How far it carries, m; that of its kind if absent."
    )


class Throw(Model):
    """A thrown object, which makes a noise where it lands."""

    t: Annotated[float, with_unit("s", ge=0, le=1e6)] = Field(description="When, s.")
    by: Name = Field(description="Who throws it, from eye height.")
    kind: Name = Field(description="A kind of `noise_kinds`, or any word with a `reach`.")
    at: Place | None = Field(default=None, description="Where to, [x, y] in m.")
    spot: Name | None = Field(default=None, description="Where to, as a spot of the level.")
    z: Coordinate | None = Field(
        default=None, description="Height there, m; that of the spot, or 0, if absent."
    )
    speed: Annotated[float, with_unit("m/s", gt=0, le=1000)] = Field(
        default=12.0, description="Highest speed of the throw, m/s."
    )
    reach: Length | None = Field(
        default=None, description="How far its landing carries, m; that of its kind if absent."
    )


class Door(Model):
    """A door: its first state, who can open it, and its noise."""

    open: bool = Field(default=False, description="Whether it is open at the start.")
    who: Names | None = Field(
        default=None,
        description="Who can open it by walking through, names of characters or "
        "profiles; all if absent, nobody if empty.",
    )
    seconds: Seconds = Field(
        default=1.0, description="Time that agents moved by Snelk take to open it, s."
    )
    shuts: Seconds | None = Field(
        default=None,
        description="It shuts this long after it was opened, once nobody stands in "
        "it, s; it stays open if absent.",
    )
    noise: Name | None = Field(
        default=None, description="A kind of noise, made when it opens and when it shuts."
    )


class Light(Model):
    """How the light of a zone of the level is switched."""

    lit: bool = Field(default=True, description="Whether it is lit at the start.")
    dark: Share = Field(
        default=0.0,
        description="Light in the zone while it is switched off, 0 to 1.",
    )


BECOMES = ("open", "shut", "lit", "dark")
"""What doors and lights become."""


class Change(Model):
    """A door that opens or shuts, or a light that goes on or out, at a time."""

    t: Annotated[float, with_unit("s", ge=0, le=1e6)] = Field(
        description="Time, s; it takes effect at the next tick."
    )
    of: Name = Field(description="The door, a wall of the level, or the zone with a light.")
    to: Literal["open", "shut", "lit", "dark"] = Field(description="Its new state.")

    @property
    def is_of_door(self) -> bool:
        """Whether it is about a door, and not about a light."""
        return self.to in BECOMES[:2]


class Effect(Model):
    """Something that the game does to a character, at a time: a hit, a bite eaten."""

    t: Annotated[float, with_unit("s", ge=0, le=1e6)] = Field(
        description="Time, s; it takes effect at the next tick."
    )
    of: Name = Field(description="To whom.")
    set: Attributes = Field(default={}, description="Attributes to set.")
    add: Attributes = Field(
        default={}, description="Attributes to increase, or decrease with a negative number."
    )
    removes: bool = Field(default=False, description="Whether it is removed from the run.")
    spawns: bool = Field(
        default=False,
        description="Whether it is spawned, if absent: in its first state with its "
        "first attributes, with no memory, and nobody knows of it.",
    )
    at: Place | None = Field(
        default=None,
        description="With `spawns`, where it appears, [x, y] in m; as in the cast if absent.",
    )
    z: Coordinate | None = Field(
        default=None, description="Height of the ground at `at`, m; as in the cast if absent."
    )
    facing: Annotated[float, with_unit("deg", ge=-360, le=360)] | None = Field(
        default=None,
        description="With `spawns`, its heading, degrees counter-clockwise from +x; "
        "as in the cast if absent.",
    )
    state: Name | None = Field(default=None, description="The alert state to put it into.")

    @model_validator(mode="after")
    def _comes_or_goes(self) -> "Effect":
        if self.spawns and self.removes:
            raise ValueError("cannot both spawn and remove somebody; write two effects")
        given = [word for word in ("at", "z", "facing") if getattr(self, word) is not None]
        if given and not self.spawns:
            raise ValueError(f"has {given[0]} but not spawns = true")
        return self


class Air(Model):
    """How trails fade, and the wind that carries them to noses."""

    half_life: Annotated[float, with_unit("s", gt=0, le=1e6)] = Field(
        default=60.0,
        description="Time in which a trail fades to half its strength without wind, s.",
    )
    wind: Annotated[float, with_unit("m/s", ge=0, le=30)] = Field(
        default=0.0, description="Wind speed, m/s."
    )
    blows_to: Annotated[float, with_unit("deg", ge=-360, le=360)] = Field(
        default=0.0, description="Direction the wind blows to, degrees counter-clockwise from +x."
    )
    thins: Annotated[float, with_unit("s/m", ge=0, le=10)] = Field(
        default=0.2, description="How much faster a trail fades per m/s of wind, as a share."
    )
    carries: Annotated[float, with_unit("s/m", ge=0, le=1)] = Field(
        default=0.2,
        description="How much farther a trail is smelt downwind, and how much less "
        "far upwind, per m/s of wind: an exponent of e.",
    )


class Clock(Model):
    """The fixed step, and from when to when."""

    dt: Annotated[float, with_unit("s", ge=0.001, le=10)] = Field(
        default=0.05, description="Length of a tick, s."
    )
    start: Annotated[float, with_unit("s", ge=0, le=1e6)] = Field(
        default=0.0, description="First tick, s."
    )
    end: Annotated[float, with_unit("s", ge=0, le=1e6)] | None = Field(
        default=None,
        description="Time of the last tick at the latest, s; the end of the "
        "longest track if absent.",
    )


class ProfilesFile(Model):
    """A TOML file of bodies, profiles, kinds of noise and grounds, for scenarios to `use`."""

    bodies: dict[Name, Body] = Field(default={}, description="Kinds of body, by name.")
    profiles: dict[Name, Profile] = Field(default={}, description="Kinds of agent, by name.")
    noise_kinds: dict[Name, NoiseKind] = Field(
        default={}, description="Kinds of noise, except footsteps, by name."
    )
    grounds: dict[Name, Factor] = Field(
        default={}, description="Factor on how far footsteps carry on each ground."
    )


class Setup(ProfilesFile):
    """A scenario's TOML file, after the files it uses have been taken in."""

    title: str = Field(default="", description="Title of figures and pages.")
    level: str = Field(description="The level, a GeoJSON file beside this one.")
    use: FileNames = Field(
        default=(), description="TOML files of bodies, profiles, kinds of noise and grounds."
    )
    tracks: FileNames = Field(default=(), description="CSV or Parquet files of poses.")
    noises: FileNames = Field(default=(), description="CSV or Parquet files of noises.")
    noise: Annotated[tuple[Noise, ...], Field(strict=False)] = Field(
        default=(), description="Single noises: doors, shouts."
    )
    throws: FileNames = Field(default=(), description="CSV or Parquet files of thrown objects.")
    throw: Annotated[tuple[Throw, ...], Field(strict=False)] = Field(
        default=(), description="Single thrown objects, which make a noise where they land."
    )
    effect: Annotated[tuple[Effect, ...], Field(strict=False)] = Field(
        default=(), description="What the game does to characters, such as hits."
    )
    doors: dict[Name, Door] = Field(
        default={}, description="The doors of the level, by the names of their walls."
    )
    lights: dict[Name, Light] = Field(
        default={}, description="Lights that can be switched, by the names of their zones."
    )
    change: Annotated[tuple[Change, ...], Field(strict=False)] = Field(
        default=(), description="Doors and lights that change at a time."
    )
    changes: FileNames = Field(
        default=(), description="CSV or Parquet files of doors and lights that change."
    )
    played: Name | None = Field(
        default=None,
        description="A JSON Lines file with the input of a live game, tick by tick, as recorded.",
    )
    ground: Literal["ends", "grows"] = Field(
        default="ends",
        description="Without floors: whether the ground `ends` 3 m outside everything"
        " known at the start, or `grows` whenever somebody reaches its "
        "end, as in a live game.",
    )
    background: Share = Field(
        default=0.0,
        description="Background noise outside all zones with a background; it "
        "masks other noises, 0 to 1.",
    )
    light: Share = Field(
        default=1.0, description="Light outside all zones with a light, 0 (dark) to 1 (day)."
    )
    air: Air = Field(default=Air(), description="The wind, and how trails fade.")
    seed: Annotated[int, with_unit("", ge=0, lt=2**63)] = Field(
        default=0, description="Seed of all randomness."
    )
    clock: Clock = Field(default=Clock(), description="The ticks: their length, first and last.")
    silence: dict[Name, Annotated[str, Field(min_length=1)]] = Field(
        default={}, description="Kinds of `snelk check` warnings to turn off, each with the reason."
    )
    cast: dict[Name, Member] = Field(default={}, description="The characters, by name.")
    groups: dict[Name, Group] = Field(
        default={}, description="Groups of agents that act together, by name."
    )
    expect: dict[Name, Expectation] = Field(
        default={}, description="Statements that must hold, for `snelk verify`, by name."
    )
    wish: dict[Name, Wish] = Field(
        default={}, description="What measures should ideally be, for `snelk fit`, by name."
    )
    fairness: dict[Name, Fair] = Field(
        default={}, description="Fairness tests, for the measures NAME.unfair, by name."
    )
    fit: Fit = Field(default=Fit(), description="Numbers that `snelk fit` may change.")

    def body_name_of(self, name: str) -> str:
        """The name of the body of a character of the cast."""
        member = self.cast[name]
        body = member.body
        if body is None and member.profile is not None:
            body = self.profiles[member.profile].body
        if body is None:
            raise KeyError(name)
        return body

    def body_of(self, name: str) -> Body:
        """The body of a character of the cast."""
        return self.bodies[self.body_name_of(name)]

    def names_of(self, name: str) -> tuple[str, ...]:
        """The names of a character for doors and links: its own and its profile's.

        A simulated player still goes by the profile that it has without playing.
        """
        member = self.cast[name]
        if member.profile is None:
            return (name,)
        like = self.profiles[member.profile].like if member.play is not None else None
        return (name, member.profile) if like is None else (name, member.profile, like)

    def profile_of(self, agent: str) -> Profile:
        """The profile of an agent of the cast."""
        profile = self.cast[agent].profile
        if profile is None:
            raise KeyError(agent)
        return self.profiles[profile]

    def attributes_of(self, name: str) -> dict[str, float]:
        """The attributes of a character of the cast."""
        return {**self.body_of(name).attributes, **self.cast[name].attributes}

    @property
    def attributes(self) -> tuple[str, ...]:
        """The names of all attributes that anybody has, or can get."""
        ladders = [profile.ladder for profile in self.profiles.values() if profile.ladder]
        given = {name for each in self.effect for name in (*each.set, *each.add)}
        given |= {n for ladder in ladders for _, each in ladder.effects() for n in each.attributes}
        return tuple(sorted(given.union(*(self.attributes_of(name) for name in self.cast))))

    @property
    def agents(self) -> tuple[str, ...]:
        """The characters that sense, in the order of the cast."""
        return tuple(name for name, member in self.cast.items() if member.profile is not None)


class Blocking(Model):
    """What walls, floors and meshes have in common."""

    name: Name = Field(description="Its name, unique among walls, edges, floors and meshes.")
    see_through: Share = Field(
        default=0.0, description="Share of sight that passes: 0 stone, 0.4 a hedge, 1 glass."
    )
    hear_through: Share = Field(
        default=0.5, description="Share of a noise's reach that is left behind it."
    )
    smell_through: Share = Field(
        default=0.0, description="Share of the smelling distance that is left behind it."
    )

    @property
    def as_wall(self) -> "Wall":
        """A wall that lets the same shares pass; its heights come from the level."""
        return Wall(
            kind="wall",
            name=self.name,
            top=0.0,
            see_through=self.see_through,
            hear_through=self.hear_through,
            smell_through=self.smell_through,
        )


class Wall(Blocking):
    """Properties of a wall: an outline that blocks between two heights."""

    kind: Literal["wall"] = Field(description="That it is a wall.")
    base: Coordinate = Field(default=0.0, description="Height of its lower edge, m.")
    top: Coordinate = Field(description="Height of its upper edge, m.")
    walkable: bool = Field(default=False, description="Whether one can walk through it.")
    door: bool = Field(default=False, description="Whether it can open; while open it is ignored.")


class Edge(Model):
    """Properties of an edge: an outline that nobody walks across, and nothing else minds."""

    kind: Literal["edge"] = Field(description="That it is an edge, such as a shore or a ditch.")
    name: Name = Field(description="Its name, unique among edges and walls.")

    @property
    def as_wall(self) -> Wall:
        """The wall of no height that stops feet as it does."""
        return Wall(
            kind="wall",
            name=self.name,
            base=0.0,
            top=0.0,
            see_through=1.0,
            hear_through=1.0,
            smell_through=1.0,
        )


class Floor(Blocking):
    """Properties of a floor: an area at a height, level or sloped, that one walks on."""

    kind: Literal["floor"] = Field(description="That it is a floor, a stair or a ramp.")
    height: Coordinate | None = Field(
        default=None,
        description="Height of a level floor, m; 0 if absent. Not if its corners have heights.",
    )


class Mesh(Blocking):
    """Properties of a mesh: what blocks by the level's triangles of that name."""

    kind: Literal["mesh"] = Field(
        description="That it is a mesh; its outline in plan is for drawing only."
    )


class Zone(Model):
    """Properties of a zone: a polygon, or a point with a radius."""

    kind: Literal["zone"] = Field(description="That it is a zone.")
    name: Name = Field(description="Its name, unique among zones.")
    radius: Length | None = Field(
        default=None, description="Radius of a round zone about a point, m."
    )
    base: Coordinate | None = Field(
        default=None, description="Characters with lower feet are outside, m; no limit if absent."
    )
    top: Coordinate | None = Field(
        default=None, description="Characters with higher feet are outside, m; no limit if absent."
    )
    floor: Name | None = Field(
        default=None, description="The floor it lies on, instead of base and top."
    )
    light: Share | None = Field(
        default=None, description="Light inside, 0 (dark) to 1 (day); as outside if absent."
    )
    background: Share | None = Field(
        default=None, description="Background noise inside; as outside if absent."
    )
    ground: Name | None = Field(
        default=None, description="One of the scenario's `grounds`; as outside if absent."
    )
    wind: Share | None = Field(
        default=None, description="Share of the wind that blows inside; as outside if absent."
    )
    scent: Share | None = Field(
        default=None,
        description="Share of its strength that a trail has inside, 0 for water; as "
        "outside if absent.",
    )


class Spot(Model):
    """Properties of a named point."""

    kind: Literal["spot"] = Field(description="That it is a spot.")
    name: Name = Field(description="Its name, unique among spots.")


class Link(Model):
    """Properties of a link: a connection that one cannot walk."""

    kind: Literal["link"] = Field(description="That it is a ladder, a drop, a jump or the like.")
    name: Name = Field(description="Its name, unique among links.")
    one_way: bool = Field(
        default=False, description="Whether it can be used from its first end only."
    )
    seconds: Annotated[float, with_unit("s", gt=0, le=3600)] | None = Field(
        default=None, description="Time it takes, s; its length at 1 m/s if absent."
    )
    who: Names | None = Field(
        default=None,
        description="Who may use it, names of characters or profiles; all if absent.",
    )


class Route(Model):
    """Properties of a named path."""

    kind: Literal["route"] = Field(description="That it is a route.")
    name: Name = Field(description="Its name, unique among routes.")


FEATURES: dict[str, tuple[type[Model], tuple[str, ...]]] = {
    "wall": (Wall, ("LineString", "MultiLineString", "Polygon", "MultiPolygon")),
    "edge": (Edge, ("LineString", "MultiLineString", "Polygon", "MultiPolygon")),
    "floor": (Floor, ("Polygon", "MultiPolygon")),
    "mesh": (Mesh, ("Polygon", "MultiPolygon", "LineString")),
    "zone": (Zone, ("Polygon", "MultiPolygon", "Point")),
    "link": (Link, ("LineString",)),
    "spot": (Spot, ("Point",)),
    "route": (Route, ("LineString",)),
}
"""For each `kind` of a level's feature: its properties, and the geometries it may have."""
