"""The messages of a game and their replies: one model for each, and their JSON Schema."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from snelk.config.fields import Model, Name, with_unit
from snelk.config.foreign import GameUnits
from snelk.config.schema import DIALECT

PROTOCOL = 1
"""The layout of the messages; another number is another layout."""

LARGEST = 1e12
"""Of any number in a message; what it may be in metres or degrees is looked at after."""

MOST = 10_000
"""Entries of one list in a message, at most."""

Number = Annotated[float, Field(ge=-LARGEST, le=LARGEST, allow_inf_nan=False)]
Triple = Annotated[
    tuple[Number, Number, Number],
    Field(strict=False, description="A place: x, y, z in the game's own axes and units."),
]
Identity = Annotated[int, Field(ge=0, lt=2**53)] | Annotated[str, Field(max_length=80)]
Slot = Annotated[str, Field(pattern="^[A-Za-z0-9_-]{1,64}$")]


class Message(Model):
    """What all messages to Snelk have in common."""

    id: Identity | None = Field(
        default=None, description="Of the game's choice; the reply to it has the same."
    )


class Hello(Message):
    """The first message: version, units, and who moves whom."""

    type: Literal["hello"]
    version: int = Field(description=f"The layout of the messages it knows: {PROTOCOL}.")
    token: str = Field(default="", description="The token that `snelk serve` printed.")
    units: GameUnits = Field(default=GameUnits(), description="Units, angles and axes.")
    moves: Annotated[tuple[Name, ...], Field(strict=False, max_length=MOST)] = Field(
        default=(), description="Whom the game moves beside those with a track in the scenario."
    )
    spare: dict[Name, int] = Field(
        default={}, description="Room for more: like whom, and how many."
    )
    new: bool = Field(
        default=False, description="Whether a new game begins although one is going on."
    )
    scenario: str = Field(
        default="",
        max_length=200,
        description="Which of the scenarios of `snelk serve`, by the name of its file without "
        ".toml; the one that goes on, or else the first, if absent.",
    )
    carries: bool = Field(
        default=False,
        description="Whether who is in both games brings attributes and alert states into a new "
        "one.",
    )
    tells: Annotated[tuple[Literal["events", "agents", "characters"], ...], Field(strict=False)] = (
        Field(
            default=("events", "agents", "characters"), description="What replies to frames tell."
        )
    )


class Pose(Model):
    """Where a character is at the end of the frame."""

    place: Triple
    heading: Number = Field(default=0.0, description="Where it faces, in the game's angles.")
    posture: Literal["standing", "crouched", "prone"] = Field(default="standing")
    gait: Literal["still", "creeping", "walking", "running"] | None = Field(
        default=None, description="How it goes; its speed tells it if absent."
    )
    present: bool = Field(default=True, description="Whether it is present.")
    jumps: bool = Field(
        default=False, description="Whether it did not walk there but was taken there at once."
    )


class NoiseMade(Model):
    """A noise of this frame."""

    kind: Name = Field(description="One of the scenario's kinds, or any word with a reach.")
    place: Triple
    reach: Number | None = Field(
        default=None, description="How far it carries; as its kind says if absent."
    )
    by: Name | None = Field(default=None, description="Who made it; nobody if absent.")


class TurnMade(Model):
    """A door or a light that the game turns."""

    of: Name
    to: Literal["open", "shut", "lit", "dark"]


class EffectMade(Model):
    """What the game does to a character."""

    of: Name
    set: dict[Name, Number] = Field(default={}, description="Attributes to set.")
    add: dict[Name, Number] = Field(default={}, description="Attributes to increase.")
    state: Name | None = Field(default=None, description="The alert state to put it into.")


class SpawnMade(Model):
    """A character to spawn."""

    name: Name | None = Field(default=None, description="Who.")
    like: Name | None = Field(
        default=None, description="Instead of that, like whom: the first spare one that is free."
    )
    place: Triple | None = Field(default=None, description="Where; as the cast says if absent.")
    heading: Number | None = Field(default=None, description="Where it faces.")


class Frame(Message):
    """One frame of the game: how long it was, and what happened in it. All of it, or nothing."""

    type: Literal["frame"]
    seconds: Annotated[float, with_unit("", gt=0, le=LARGEST)] = Field(
        description="Since the frame before, in the game's unit of time."
    )
    poses: dict[Name, Pose] = Field(default={}, max_length=MOST, description="Who is where.")
    noises: Annotated[tuple[NoiseMade, ...], Field(strict=False, max_length=MOST)] = ()
    turns: Annotated[tuple[TurnMade, ...], Field(strict=False, max_length=MOST)] = ()
    effects: Annotated[tuple[EffectMade, ...], Field(strict=False, max_length=MOST)] = ()
    remove: Annotated[tuple[Name, ...], Field(strict=False, max_length=MOST)] = ()
    spawn: Annotated[tuple[SpawnMade, ...], Field(strict=False, max_length=MOST)] = ()


class Why(Message):
    """Why an agent sees a target now, or does not."""

    type: Literal["why"]
    agent: Name
    target: Name


class Visible(Message):
    """The area that an agent's cones see now, at a height above its ground."""

    type: Literal["visible"]
    agent: Name
    height: Number | None = Field(
        default=None, description="Of what is looked for, above its ground; its eyes if absent."
    )


class PathBetween(Message):
    """The shortest path on foot from one position to another."""

    type: Literal["path"]
    who: Name = Field(description="Who goes: how wide it is, and what it may take and open.")
    start: Triple
    goal: Triple


class Save(Message):
    """Save the game."""

    type: Literal["save"]
    name: Slot = Field(description="Under which name: letters, digits, - and _.")


class Restore(Message):
    """Restore a saved game."""

    type: Literal["restore"]
    name: Slot = Field(description="The name that it was kept under.")


class Bye(Message):
    """The client leaves; the game waits for it to come back."""

    type: Literal["bye"]


TO_SNELK: dict[str, type[Message]] = {
    "hello": Hello,
    "frame": Frame,
    "why": Why,
    "visible": Visible,
    "path": PathBetween,
    "save": Save,
    "restore": Restore,
    "bye": Bye,
}
"""What a game can say, by its `type`."""


class CharacterTold(Model):
    """A character of the cast."""

    team: str
    agent: bool = Field(description="Whether it senses.")
    moved_by: Literal["game", "snelk", "nobody"] = Field(
        description="`nobody` moves a clue, which comes and goes by itself."
    )
    states: list[str] = Field(description="Its alert states; none without a ladder.")


class Welcome(Model):
    """The reply to `hello`."""

    type: Literal["welcome"]
    id: Identity | None = None
    version: int
    snelk: str
    game: Literal["new", "goes on"]
    scenario: str = Field(description="What is played.")
    t: float | None = Field(description="Of its last tick, in the game's unit of time.")
    dt: float = Field(description="Length of a tick, in the game's unit of time.")
    characters: dict[str, CharacterTold]
    record: bool = Field(description="Whether it is kept.")


class EventTold(Model):
    """Something that happened, as in the table `events`."""

    t: float
    kind: str
    agent: str
    text: str = Field(description="In words: metres, seconds, degrees.")
    target: str | None = None
    cone: str | None = None
    gate: str | None = None
    wall: str | None = None
    threshold: str | None = None
    noise: str | None = None
    zone: str | None = None
    by: str | None = None
    state: str | None = None
    transition: str | None = None
    strength: float | None = Field(default=None, description="Of what was heard, 0 to 1.")
    distance: float | None = Field(default=None, description="In the game's unit of length.")
    off: float | None = Field(default=None, description="Off the middle of the cone, as headings.")
    place: tuple[float, float, float] | None = Field(
        default=None, description="In plan: how high it was is not told, and 0 m here."
    )


class BeliefTold(Model):
    """Where an agent has a target in mind."""

    place: tuple[float, float, float]
    age: float = Field(description="Since it was so, in the game's unit of time.")
    uncertainty: float = Field(description="In the game's unit of length.")
    source: str


class AgentTold(Model):
    """What an agent senses and knows after the last tick."""

    state: str = Field(description="Its alert state; empty without a ladder.")
    focus: str | None = Field(description="Whom it acts on.")
    sees: list[str] = Field(description="Whom it has in view.")
    meters: dict[str, float] = Field(description="Those above 0, by target.")
    beliefs: dict[str, BeliefTold]
    drawn_to: BeliefTold | None = Field(description="The place of a noise that nobody made.")


class PoseTold(Model):
    """The pose of a character that Snelk moves."""

    place: tuple[float, float, float]
    heading: float
    posture: str


class FrameTold(Model):
    """The reply to `frame`."""

    type: Literal["frame"]
    id: Identity | None = None
    t: float | None = Field(description="Of the last tick; null before the first.")
    ticks: int = Field(description="How many were computed; 0 in a frame between two.")
    over: bool = Field(description="Whether the game has ended.")
    spawned: list[str] = Field(description="Who comes in, in the order of `spawn`.")
    events: list[EventTold] = Field(default=[], description="What happened at them.")
    agents: dict[str, AgentTold] = Field(
        default={}, description="All that are there; empty if no tick was computed."
    )
    characters: dict[str, PoseTold | None] = Field(
        default={}, description="Those that Snelk moves; null while one is not there."
    )


class Answer(Model):
    """The reply to any other message."""

    type: Literal["answer"]
    id: Identity | None = None
    to: Literal["why", "visible", "path", "save", "restore", "bye"]
    text: str = Field(description="In words.")
    sees: bool | None = Field(default=None, description="Of `why`.")
    gates: list[dict[str, Any]] | None = Field(
        default=None, description="Of `why`: each gate of each cone, with its margin."
    )
    change: str | None = Field(
        default=None, description="Of `why`: the smallest change of a number that would turn it."
    )
    rings: list[list[tuple[float, float, float]]] | None = Field(
        default=None, description="Of `visible`: outlines, holes too."
    )
    places: list[tuple[float, float, float]] | None = Field(
        default=None, description="Of `path`: its corners; null if there is no way."
    )
    length: float | None = Field(default=None, description="Of `path`, in the game's units.")
    t: float | None = Field(default=None, description="Of `save` and `restore`: the last tick.")


class Error(Model):
    """The error of a message; nothing of it was carried out."""

    type: Literal["error"]
    id: Identity | None = None
    text: str = Field(description="Where, what was given, the rule and the fix, in one line.")
    problems: list[dict[str, str]]


FROM_SNELK: dict[str, type[Model]] = {
    "welcome": Welcome,
    "frame": FrameTold,
    "answer": Answer,
    "error": Error,
}
"""What it gets back."""


def messages_schema() -> dict[str, Any]:
    """The JSON Schema of all messages: `to_snelk` and `from_snelk` in its `$defs`.

    >>> messages_schema()["$defs"]["to_snelk"]["anyOf"][1]
    {'$ref': '#/$defs/Frame'}
    """
    found: dict[str, Any] = {}
    for name, models in (("to_snelk", TO_SNELK), ("from_snelk", FROM_SNELK)):
        for model in models.values():
            schema = model.model_json_schema(ref_template="#/$defs/{model}")
            found |= schema.pop("$defs", {})
            found[model.__name__] = schema
        every = [{"$ref": f"#/$defs/{model.__name__}"} for model in models.values()]
        found[name] = {"anyOf": every}
    return {
        "$schema": DIALECT,
        "title": "Snelk messages",
        "anyOf": [{"$ref": "#/$defs/to_snelk"}, {"$ref": "#/$defs/from_snelk"}],
        "$defs": found,
    }
