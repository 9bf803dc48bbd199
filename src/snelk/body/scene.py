"""The part of the world that activities can read and write.

`snelk.body.world.World` is one. Activities know no more of it than this.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from snelk.body.doing import Doing
from snelk.body.doors import Doors
from snelk.body.motion import Motion
from snelk.body.outcomes import Happening, Outcomes
from snelk.body.outlook import Outlook
from snelk.body.stage import BodyStage
from snelk.body.standing import Timing
from snelk.body.walker import Walker
from snelk.config.minds import State
from snelk.config.models import Setup
from snelk.level.level import Level
from snelk.mind.attention import Attention
from snelk.mind.ladder import Ladders
from snelk.mind.memory import Beliefs, MemoryNumbers
from snelk.mind.meter import Meters
from snelk.mind.places import Places
from snelk.mind.search import Likelihood
from snelk.mind.signals import Signals
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.contact import Contacts
from snelk.senses.sight import Sight
from snelk.senses.surroundings import Surroundings

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]
Place = tuple[float, ...]
"""(x, y) on a level without floors, (x, y, z) on one with floors, m."""


class Senses(NamedTuple):
    """The results of senses and memory at a tick."""

    poses: Poses
    laid_poses: Poses  # as compiled loops read them
    laid_beliefs: Beliefs
    surroundings: Surroundings
    light: Numbers  # (variant, character)
    sight: Sight
    contacts: Contacts
    loudness: Numbers  # (variant, agent, target)
    meters: Meters
    beliefs: Beliefs
    told: Truths  # (variant, agent, target) of whom it was told at this tick
    told_rank: Numbers  # the rank of the state of who told of it; -1 if nobody did
    places: Places


class Note(NamedTuple):
    """One line of a search's log."""

    variant: int
    agent: int
    t: float
    search: int  # index of the search of this agent, from 0
    what: str  # began, moved, planned, visited, looked, unreachable, ended
    point: int  # -1 where it is not about a point
    x: float
    y: float
    z: float
    likelihood: float  # NaN where there is none
    outcome: str  # of `ended`: found, gave_up, nothing, broken_off
    walked: float  # m since it began
    method: str


class Snapshot(NamedTuple):
    """The likelihoods of a search at one time."""

    variant: int
    agent: int
    t: float
    search: int
    likelihood: Likelihood
    share: np.ndarray[tuple[int], np.dtype[np.float64]]


class Footing(Protocol):
    """The paths over the ground, and what everybody does there."""

    doing: Doing
    laid: Doing  # the same as compiled loops read it

    def walker_of(self, v: int, a: int) -> Walker:
        """The ground that an agent walks on."""

    def goes_on_to(self, v: int, a: int) -> list[tuple[Numbers, float]]:
        """The next corners of a patrol, and the pause before each, s."""

    def shift(self, v: int, a: int, x: float, y: float) -> None:
        """Push somebody by so much, m, as far as the ground allows that."""

    def set_out(self, v: int, a: int, goal: Numbers, stop: float) -> bool:
        """Take the path to a position; return whether that is done, or left to Python."""


class Scene(Protocol):
    """All agents of all variants, as an activity can read them; see `World`."""

    setups: Sequence[Setup]
    names: tuple[str, ...]
    agents: tuple[str, ...]
    characters: NDArray[np.int32]
    level: Level
    dt: float
    time: float
    bodies: Bodies
    motion: Motion
    attention: Attention
    ladders: Ladders
    senses: Senses
    stage: BodyStage
    entered: Numbers
    timing: Timing
    laid_timing: Timing
    spots: dict[str, Numbers]
    outlook: Outlook
    signals: Signals
    happenings: list[Happening]
    outcomes: Outcomes
    doors: Doors
    memory: MemoryNumbers

    @property
    def footing(self) -> Footing:
        """The paths over the ground."""

    def present(self, characters: NDArray[np.int32]) -> Truths:
        """(variant, of these) who is present at this tick."""

    @property
    def asleep(self) -> Truths:
        """(variant, agent) who sleeps, by the state that it is in."""

    def state_name(self, v: int, a: int) -> str:
        """The name of the state that an agent is in."""

    def state_of(self, v: int, a: int) -> State:
        """The state that an agent is in."""

    def states_of(self, v: int, a: int) -> list[State]:
        """The states of an agent's ladder; none without one."""

    def entered_at(self, v: int, a: int) -> Numbers:
        """Where an agent was when it entered its state."""

    def new_walker(self, v: int, a: int) -> Walker:
        """The ground that an agent walks on."""

    def route_of(self, v: int, a: int, name: str | None) -> Numbers:
        """The corners, (corners, 3), of a route, or of the agent's own."""
