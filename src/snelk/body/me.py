"""One agent as its activity sees it: what it knows, and what it can do."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.body.paces import AHEAD, AT_FOCUS, GLANCES, SWEEP
from snelk.body.scene import Place, Scene
from snelk.body.turning import smoothed
from snelk.body.walker import Walker
from snelk.chance import key_of, stream_of
from snelk.config.minds import State
from snelk.mind.signals import PLACE

Way = NDArray[np.float64]

ROOMY = 1.2
"""Arcs are so much wider than the tightest that an agent can turn, so that it keeps up."""

LOOK_CODES = {"ahead": AHEAD, "focus": AT_FOCUS, "sweep": SWEEP, "glances": GLANCES}


@dataclass
class Me:
    """An agent during one stay in an alert state. Lengths are m, times s, places (x, y)."""

    world: Scene
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
        return max(int(self.world.ladders.since[self.v, self.a]) - 1, 0) * self.dt

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
        return bool(focus >= 0 and self.world.attention.now.seen[self.v, self.a, focus])

    @property
    def believed(self) -> Place | None:
        """Where the focus is believed to be."""
        notions = self.world.attention.now
        return self._of_focus(notions.x, notions.y)

    @property
    def last_known(self) -> Place | None:
        """Where the focus last was when it was sensed, heard or told of."""
        notions = self.world.attention.now
        return self._of_focus(notions.known_x, notions.known_y)

    @property
    def at_end(self) -> bool:
        """Whether its way is at its end, there or as near as it can get."""
        return bool(self.world.motion.at_end[self.v, self.a])

    @property
    def arrived(self) -> bool:
        """Whether it has come to the place that it was to go to."""
        return self.world.motion.nearness(self.v, self.a)[1]

    @property
    def unreachable(self) -> bool:
        """Whether it has come as near to that as it can get, and no nearer."""
        return self.world.motion.nearness(self.v, self.a)[2]

    @property
    def on_way(self) -> bool:
        """Whether it has a way to go."""
        return bool(self.world.motion.on_way[self.v, self.a])

    @property
    def state_index(self) -> int:
        """The number of that state in its ladder."""
        return max(int(self.world.ladders.state[self.v, self.a]), 0)

    @property
    def chance_key(self) -> int:
        """The key of its own stream of chance for this stay in the state."""
        entry = int(self.world.ladders.entries[self.v, self.a])
        return key_of(self.world.setups[self.v].seed, "activity", self.name, self.state, entry)

    @property
    def chance(self) -> np.random.Generator:
        """Its own stream of chance for this stay in the state."""
        if self._chance is None:
            self._chance = stream_of(self.chance_key)
        return self._chance

    def way_length(self, to: Place) -> float:
        """How long the way to a place is, or to the nearest where it can stand, m.

        It is infinite if there is none.
        """
        return self.walker.length(self.place, to)

    def _of_focus(self, x: NDArray[np.float64], y: NDArray[np.float64]) -> Place | None:
        focus = self.world.attention.focus[self.v, self.a]
        if focus == PLACE:
            places = self.world.senses.places.drawn
            return float(places.x[self.v, self.a]), float(places.y[self.v, self.a])
        if focus < 0 or np.isnan(x[self.v, self.a, focus]):
            return None
        return float(x[self.v, self.a, focus]), float(y[self.v, self.a, focus])

    @property
    def walker(self) -> Walker:
        """The ground it walks on, and the ways over it."""
        return self.world.footing.walker_of(self.v, self.a)

    @property
    def settings(self) -> State:
        """What is written about its state."""
        return self.world.state_of(self.v, self.a)

    def walk_to(self, to: Place, *, stop: float = 0.0) -> bool:
        """Take the way to a place, or as near as it can get; tell whether there is one."""
        motion, v, a = self.world.motion, self.v, self.a
        doing = self.world.footing.doing
        if not motion.driven[v, a]:  # it is moved from outside: what would it do?
            doing.goals[v, a] = to
            motion.go(v, a, doing.goals[v, a, None], stop)
            return True
        if self.world.footing.set_out(v, a, to, stop):
            return not motion.no_way[v, a]
        return self.find_way()

    def find_way(self) -> bool:
        """The same, where compiled loops left it to Python; see `acting.set_out`."""
        motion, v, a = self.world.motion, self.v, self.a
        doing = self.world.footing.doing
        goal, stop = doing.goals[v, a].copy(), float(doing.stop[v, a])
        doing.wants[v, a] = False
        way, turn_at = self.path(goal), -1
        arc = None if way is None else self.smoothed(way)
        if arc is not None:
            way = arc
        elif way is not None and motion.turns_back(v, a, *way[0].tolist()):
            first = motion.run_out(v, a)  # it comes to a stand first
            rest = self.path(goal, (float(first[-1, 0]), float(first[-1, 1])))
            way = None if rest is None else np.concatenate([first, rest])
            turn_at = len(first) - 1
        if way is None:
            self.cannot_go()
            return False
        motion.go_to(v, a, way, goal, stop, turn_at=turn_at)
        return True

    def smoothed(
        self, way: NDArray[np.float64], ground: shapely.Geometry | None = None
    ) -> NDArray[np.float64] | None:
        """A way that begins with an arc, if it turns in arcs and there is room; else None."""
        motion, v, a = self.world.motion, self.v, self.a
        if not motion.smooth[v, a] or len(way) == 0 or self.walker.part < 0:
            return None
        radius = ROOMY * motion.pace[v, a] / motion.turn_rate[v, a]
        heading = float(motion.heading[v, a])
        ground = self.walker.area if ground is None else ground
        return smoothed(np.array(self.place), heading, way, radius, ground)

    def centre(self, about: str | None) -> Place | None:
        """The place that something is about; None where a character is not there."""
        world, v, a = self.world, self.v, self.a
        if about is None or about == "home":
            return self.home
        if about == "start":
            return world.setups[v].cast[self.name].at or self.home
        if about == "here":
            return world.entered_at(v, a)
        j = world.names.index(about)
        poses = world.senses.poses
        p = v if len(poses.x) > 1 else 0
        return (float(poses.x[p, j]), float(poses.y[p, j])) if poses.present[p, j] else None

    def cannot_go(self) -> None:
        """Stand, as there is no way to where it wants to go."""
        self.stand()
        self.world.motion.no_way[self.v, self.a] = True

    def in_the_way(self, goal: Place) -> str:
        """What keeps it from a place, or from a way there: a wall, an edge, its territory."""
        motion, v, a = self.world.motion, self.v, self.a
        here, end = np.array(self.place), np.array(goal, dtype=np.float64)
        leash = self.world.setups[v].cast[self.name].leash
        zone = leash.zone if leash is not None and motion.driven[v, a] else None
        up = float(motion.z[v, a])
        if zone is not None and not self.world.level.within(zone, end[:1], end[1:], up)[0]:
            return f"the end of its territory, {zone}"
        wall = self.world.level.first_wall(here, end)
        return wall or "the end of the ground, 3 m outside of all that is in the level"

    def path(self, goal: NDArray[np.float64], start: Place | None = None) -> Way | None:
        """The way from where it is, or from `start` on, to a place or as near as it can get."""
        return self.walker.path(self.place if start is None else start, goal)

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
