"""One agent as its activity sees it: what it knows, and what it can do."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from snelk.body.motion import AHEAD, AT_FOCUS, SWEEP
from snelk.chance import stream

if TYPE_CHECKING:
    from snelk.body.world import World
    from snelk.config.minds import State
    from snelk.level.ways import Ways

Place = tuple[float, float]

LOOK_CODES = {"ahead": AHEAD, "focus": AT_FOCUS, "sweep": SWEEP}


@dataclass
class Me:
    """An agent during one stay in an alert state. Lengths are m, times s, places (x, y)."""

    world: World
    v: int
    a: int
    _chance: np.random.Generator | None = None

    @property
    def name(self) -> str:
        """Its name in the cast."""
        return self.world.agents[self.a]

    @property
    def t(self) -> float:
        """The time of the tick, s."""
        return self.world.time

    @property
    def dt(self) -> float:
        """Length of a tick, s."""
        return self.world.dt

    @property
    def state(self) -> str:
        """The alert state it is in."""
        return self.world.state_name(self.v, self.a)

    @property
    def state_for(self) -> float:
        """Since when, s ago."""
        return float(self.world.ladders.since[self.v, self.a] * self.dt)

    @property
    def place(self) -> Place:
        """Where it is."""
        motion = self.world.motion
        return float(motion.x[self.v, self.a]), float(motion.y[self.v, self.a])

    @property
    def heading_deg(self) -> float:
        """Where it faces, degrees counter-clockwise from +x."""
        return float(np.degrees(self.world.motion.heading[self.v, self.a]))

    @property
    def home(self) -> Place:
        """Its home; where it is, if it has none."""
        motion = self.world.motion
        x, y = motion.home_x[self.v, self.a], motion.home_y[self.v, self.a]
        return self.place if np.isnan(x) else (float(x), float(y))

    @property
    def spots(self) -> dict[str, Place]:
        """The spots that it knows, by name."""
        names = self.world.setups[self.v].cast[self.name].spots
        return {name: self.world.spots[name] for name in names}

    @property
    def focus(self) -> str | None:
        """The target it acts on."""
        focus = self.world.attention.focus[self.v, self.a]
        return None if focus < 0 else self.world.names[focus]

    @property
    def in_view(self) -> bool:
        """Whether the focus is in view."""
        focus = self.world.attention.focus[self.v, self.a]
        return bool(focus >= 0 and self.world.attention.seen[self.v, self.a, focus])

    @property
    def believed(self) -> Place | None:
        """Where the focus is believed to be."""
        notions = self.world.attention.notions
        return self._of_focus(notions.x, notions.y)

    @property
    def last_known(self) -> Place | None:
        """Where the focus last was when it was sensed, heard or told of."""
        notions = self.world.attention.notions
        return self._of_focus(notions.known_x, notions.known_y)

    @property
    def arrived(self) -> bool:
        """Whether its way is at its end."""
        return bool(self.world.motion.arrived[self.v, self.a])

    @property
    def on_way(self) -> bool:
        """Whether it has a way to go."""
        return bool(self.world.motion.on_way[self.v, self.a])

    @property
    def chance(self) -> np.random.Generator:
        """Its own stream of chance for this stay in the state."""
        if self._chance is None:
            entry = int(self.world.ladders.entries[self.v, self.a])
            seed = self.world.setups[self.v].seed
            self._chance = stream(seed, "activity", self.name, self.state, entry)
        return self._chance

    def way_length(self, to: Place) -> float:
        """How long the way to a place is, or to the nearest where it can stand, m.

        It is infinite if there is none.
        """
        part = self.part
        if part < 0:
            return float("inf")
        start, goal = (
            self.ways.nearest(np.array(place, dtype=np.float64), part) for place in (self.place, to)
        )
        return self.ways.length(start, goal)

    def _of_focus(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> Place | None:
        focus = self.world.attention.focus[self.v, self.a]
        if focus < 0 or np.isnan(x[self.v, self.a, focus]):
            return None
        return float(x[self.v, self.a, focus]), float(y[self.v, self.a, focus])

    @property
    def ways(self) -> Ways:
        """The ways it walks."""
        return self.world.ways_of(self.v, self.a)

    @property
    def part(self) -> int:
        """The part of the ground it walks on; -1 if there is none."""
        return self.world.part_of(self.v, self.a)

    @property
    def settings(self) -> State:
        """What is written about its state."""
        return self.world.state_of(self.v, self.a)

    def walk_to(self, to: Place, *, stop: float = 0.0) -> bool:
        """Take the way to a place, or as near as it can get; tell whether there is one."""
        motion, goal = self.world.motion, np.array(to, dtype=np.float64)
        if not motion.driven[self.v, self.a]:  # it is moved from outside: what would it do?
            motion.go(self.v, self.a, goal[None], stop)
            return True
        way = self.path(goal)
        if way is None:
            motion.stand(self.v, self.a)
            motion.no_way[self.v, self.a] = True
            return False
        # Where the ground ends before the goal, it need not stop as far off.
        short = float(np.hypot(*(way[-1] - goal)))
        motion.go(self.v, self.a, way, max(stop - short, 0.0))
        return True

    def path(self, goal: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """The way from where it is, first back onto the ground if it stands too near a wall."""
        part = self.part
        if part < 0:
            return None
        here = np.array(self.place)
        goal, start = self.ways.nearest(goal, part), self.ways.nearest(here, part)
        way = self.ways.path(start, goal)
        if way is None or start is here:
            return way
        if not self.world.level.ways().clear(here[None], start[None])[0]:
            return None
        return np.concatenate([start[None], way])

    def stand(self) -> None:
        """Leave its way where it is."""
        self.world.motion.stand(self.v, self.a)

    def look(self, how: int, at: Place | None = None) -> None:
        """Look along the way, at the focus, to both sides or at a place."""
        motion, v, a = self.world.motion, self.v, self.a
        motion.look[v, a] = how
        motion.look_x[v, a], motion.look_y[v, a] = (np.nan, np.nan) if at is None else at

    def look_as_written(self) -> None:
        """Look as its state says."""
        self.look(LOOK_CODES[self.settings.look])

    def face(self, heading_deg: float) -> None:
        """Turn so as to face there while standing."""
        self.world.motion.base[self.v, self.a] = np.radians(heading_deg)
