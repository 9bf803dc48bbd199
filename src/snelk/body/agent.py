"""One agent as its activity sees it: what it knows and what it can do."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.body.paces import AHEAD, AT_END, AT_FOCUS, GLANCES, SWEEP
from snelk.body.scene import Place, Scene
from snelk.body.turning import first_corner, smoothed, stretches
from snelk.body.walker import Walker
from snelk.chance import key_of, stream_of
from snelk.config.minds import State
from snelk.level.barring import first_bar
from snelk.level.columns import plain
from snelk.mind.signals import PLACE

Way = NDArray[np.float64]

ROOMY = 1.2
"""Arcs are so much wider than the tightest that an agent can turn, so that it keeps up."""

LOOK_CODES = {"ahead": AHEAD, "focus": AT_FOCUS, "sweep": SWEEP, "glances": GLANCES}


def on_foot(places: Way) -> Way:
    """(places, 5) a path over level ground by places, (places, 2 or more); see `find_way`."""
    return np.column_stack([places[:, :2], np.tile([1.0, -1.0, -1.0], (len(places), 1))])


@dataclass
class Me:
    """An agent during one stay in an alert state. Lengths are m, times s.

    Places are (x, y) on a level without floors, (x, y, z) on one with floors; those named `here`
    or `..._at` are arrays, (3,).
    """

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
    def here(self) -> Way:
        """Its position."""
        return np.array(self.world.motion.place(self.v, self.a))

    @property
    def place(self) -> Place:
        """Its position."""
        return self._told(self.here)

    def _told(self, place: Way) -> Place:
        """A position in the form that designers get."""
        on_floors = bool(self.world.level.data.floors)
        return tuple(place.tolist()[: 3 if on_floors else 2])

    def _in_space(self, place: Place | Way) -> Way:
        """A position with a height: that of the agent if none is given."""
        found = self.here
        found[: len(place)] = place
        found[2] = self.here[2] if np.isnan(found[2]) else found[2]
        return found

    @property
    def heading_deg(self) -> float:
        """Its heading, degrees counter-clockwise from +x."""
        return float(np.degrees(self.world.motion.heading[self.v, self.a]))

    @property
    def home_at(self) -> Way:
        """Its home; its position if it has none."""
        motion, at = self.world.motion, (self.v, self.a)
        home = np.array([motion.home_x[at], motion.home_y[at], motion.home_z[at]])
        return self.here if np.isnan(home[0]) else self._in_space(home)

    @property
    def home(self) -> Place:
        """Its home; its position if it has none."""
        return self._told(self.home_at)

    @property
    def spots(self) -> dict[str, Place]:
        """The spots that it knows, by name."""
        names = self.world.setups[self.v].cast[self.name].spots
        return {name: self._told(self.world.spots[name]) for name in names}

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
        found = self._of_focus(notions.x, notions.y, notions.z)
        return None if found is None else self._told(found)

    @property
    def last_known(self) -> Place | None:
        """The last-known position of the focus."""
        found = self.last_known_at
        return None if found is None else self._told(found)

    @property
    def last_known_at(self) -> Way | None:
        """The same."""
        notions = self.world.attention.now
        return self._of_focus(notions.known_x, notions.known_y, notions.known_z)

    @property
    def at_end(self) -> bool:
        """Whether it is at the end of its path, at its goal or as near as it can get."""
        return bool(self.world.motion.at_end[self.v, self.a])

    @property
    def arrived(self) -> bool:
        """Whether it has arrived at its goal."""
        return self.world.motion.nearness(self.v, self.a)[1]

    @property
    def unreachable(self) -> bool:
        """Whether it has come as near to that as it can get, and no nearer."""
        return self.world.motion.nearness(self.v, self.a)[2]

    @property
    def on_way(self) -> bool:
        """Whether it is on a path."""
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
        """Length of the path to a position, or to the nearest where it can stand, m.

        It is infinite if there is none.
        """
        return self.length_to(self._in_space(to))

    def length_to(self, to: Way) -> float:
        """The same."""
        return self.walker.length(self.sets_out_from, self._in_space(to))

    def _of_focus(self, x: Way, y: Way, z: Way) -> Way | None:
        at = (self.v, self.a)
        focus = self.world.attention.focus[at]
        if focus == PLACE:
            drawn = self.world.senses.places.drawn
            return np.array([drawn.x[at], drawn.y[at], drawn.z[at]])
        if focus < 0 or np.isnan(x[(*at, focus)]):
            return None
        return np.array([values[(*at, focus)] for values in (x, y, z)])

    @property
    def walker(self) -> Walker:
        """The ground it walks on, and the paths over it; a link may have led to another part."""
        found = self.world.footing.walker_of(self.v, self.a)
        found.stands_at(self.sets_out_from)
        return found

    @property
    def sets_out_from(self) -> Way:
        """Where its next path begins: where it is, or at the end of the link that it is on."""
        link = int(self.world.motion.link[self.v, self.a])
        return self.here if link < 0 else plain(self.world.level.links).ends[link, 3:].copy()

    @property
    def settings(self) -> State:
        """The settings of its state."""
        return self.world.state_of(self.v, self.a)

    def walk_to(self, to: Place | Way, *, stop: float = 0.0) -> bool:
        """Take the path to a position, or as near as it can get; return whether there is one."""
        motion, v, a = self.world.motion, self.v, self.a
        doing, goal = self.world.footing.doing, self._in_space(to)
        if not motion.driven[v, a]:  # it is moved from outside: what would it do?
            doing.goals[v, a] = goal
            motion.go(v, a, on_foot(goal[None]), stop)
            return True
        if self.world.footing.set_out(v, a, goal, stop):
            return not motion.no_way[v, a]
        return self.find_way()

    def find_way(self) -> bool:
        """The same, where compiled loops left it to Python; see `acting.set_out`."""
        motion, v, a = self.world.motion, self.v, self.a
        doing = self.world.footing.doing
        goal, stop = doing.goals[v, a].copy(), float(doing.stop[v, a])
        doing.wants[v, a] = False
        start, link = self.sets_out_from, int(motion.link[v, a])
        doing.part[v, a] = self.walker.part
        way, turn_at = self.path(goal, start), -1
        arc = None if way is None or link >= 0 else self.smoothed(way, stop=stop)
        if arc is not None:
            way = arc
        elif way is not None and link < 0 and motion.turns_back(v, a, *way[0, :2].tolist()):
            first = motion.run_out(v, a)  # it comes to a stand first
            if len(first):
                x, y, floor = first[-1, [0, 1, 4]].tolist()
                up = self.world.level.height_of(int(floor), x, y) if floor >= 0 else start[2]
                rest = self.path(goal, np.array([x, y, up]))
                way = None if rest is None else np.concatenate([first, rest])
                turn_at = len(first) - 1
        if way is None:
            self.cannot_go()
            return False
        motion.go_to(v, a, way, goal, stop, turn_at=turn_at)
        return True

    def smoothed(
        self,
        way: NDArray[np.float64],
        area: Callable[[int], BaseGeometry] | None = None,
        *,
        stop: float = 0.0,
    ) -> NDArray[np.float64] | None:
        """A path, (points, 5), that begins with an arc, if it turns smoothly and there is room.

        That is on its ground or in an area, given by what of it is on a floor. None if it is near
        enough to the end, by `stop`, where it is.
        """
        motion, v, a = self.world.motion, self.v, self.a
        if not motion.smooth[v, a] or len(way) == 0 or self.walker.part < 0:
            return None
        legs = np.hypot(*np.diff(way[:, :2], axis=0, prepend=self.here[None, :2]).T)
        whole = np.where(way[:, 3] >= 0.0, way[:, 2], legs * way[:, 2]).sum()
        if float(whole) <= (stop or motion.nearness(v, a)[0]):
            return None
        links = np.flatnonzero(way[:, 3] >= 0.0)
        walked = way[: links[0]] if len(links) else way
        off = np.hypot(*(walked[:, :2] - self.here[:2]).T) > AT_END
        if not off.any():
            return None  # there is no place to which it could lead
        left_out = int(off.argmax())
        corner = left_out + first_corner(self.here[:2], walked[left_out:])
        radius = ROOMY * motion.pace[v, a] / motion.turn_rate[v, a]
        on = self.walker.area_on if area is None else area

        def laid(line: NDArray[np.float64]) -> NDArray[np.float64] | None:
            found = self.walker.ways.along(self.here, line)
            pieces = stretches(self.here, found)
            is_on = all(shapely.covers(on(floor), shapely.LineString(at)) for floor, at in pieces)
            return found if is_on else None

        heading = float(motion.heading[v, a])
        arc = smoothed(self.here[:2], heading, way[corner, :2], radius, laid)
        return None if arc is None else np.concatenate([arc, way[corner + 1 :]])

    def centre(self, about: str | None) -> Way | None:
        """The position that `about` refers to; None if that character is absent."""
        world, v, a = self.world, self.v, self.a
        if about is None or about == "home":
            return self.home_at
        if about == "start":
            member = world.setups[v].cast[self.name]
            return self.home_at if member.at is None else np.array([*member.at, member.z])
        if about == "here":
            return world.entered_at(v, a)
        j = world.names.index(about)
        poses = world.senses.poses
        p = v if len(poses.x) > 1 else 0
        place = np.array([poses.x[p, j], poses.y[p, j], poses.z[p, j]])
        return place if poses.present[p, j] else None

    def cannot_go(self) -> None:
        """Stand, as there is no path to where it wants to go."""
        self.stand()
        self.world.motion.no_way[self.v, self.a] = True

    def in_the_way(self, goal: Way) -> str:
        """What blocks the way to a position: a wall, an edge, its territory."""
        motion, v, a = self.world.motion, self.v, self.a
        here, end = self.here, goal
        leash = self.world.setups[v].cast[self.name].leash
        zone = leash.zone if leash is not None and motion.driven[v, a] else None
        level = self.world.level
        up = goal[2] if level.data.floors else float(motion.z[v, a])
        if zone is not None and not level.within(zone, end[:1], end[1:2], up)[0]:
            return f"the end of its territory, {zone}"
        names = self.world.setups[v].names_of(self.name)
        wall = first_bar(level, here, end, self.world.doors.open_for(v, names))
        if level.data.floors and not wall:
            floor, other = level.floor_at(*goal.tolist()), level.floor_at(*here.tolist())
            if floor is None:
                return "there is no floor"
            return "the end of the floor" if floor == other else f"no path leads on to {floor}"
        return wall or "the end of the ground, 3 m outside the level"

    def path(self, goal: Way, start: Way | None = None) -> Way | None:
        """The path from its position, or from `start`, to a position or as near as it can get."""
        return self.walker.path(self.here if start is None else start, goal)

    def stand(self) -> None:
        """Leave its path here."""
        self.world.motion.stand(self.v, self.a)

    def look(self, how: int, at: Place | None = None) -> None:
        """Look along the path, at the focus, to both sides or at a position."""
        motion, v, a = self.world.motion, self.v, self.a
        motion.look[v, a] = how
        motion.look_x[v, a], motion.look_y[v, a] = (np.nan, np.nan) if at is None else at[:2]

    def look_as_written(self) -> None:
        """Look as its state says."""
        self.look(LOOK_CODES[self.settings.look])

    def face(self, heading_deg: float) -> None:
        """Turn so as to face there while standing."""
        self.world.motion.base[self.v, self.a] = np.radians(heading_deg)
