"""Moving along paths: speed, turning, braking and arriving, for all variants and agents at once."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.body.columns import MovingColumns
from snelk.body.moving import (
    nearness,
    run_out,
    stand,
    take_way,
    take_way_to,
    turns_back,
)
from snelk.body.paces import AHEAD, LEAST, NEAR, PACES, Moving
from snelk.body.turning import first_corner
from snelk.config.models import Setup
from snelk.config.words import POSTURES
from snelk.level.columns import laid_out
from snelk.level.level import Level

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


ROOM = 12
"""Paths of so many places need no more room."""


class Motion:
    """Positions and paths of agents without a track: (variant, agent).

    Attributes:
        now: All that follows, in one; a tick overwrites it.
        driven: Who is moved here; the positions of others are set from outside.
        x, y, z, heading, speed: m, rad and m/s.
        pace, gait: The speed it would walk at, m/s, and the gait that is.
        still: Who must not move or turn at this tick.
        holds: Who stands, as it opens a door.
        look: Where it looks, one of AHEAD to GLANCES.
        look_x, look_y: The place it looks at, m, for AT_FOCUS and AT_PLACE; NaN for nowhere.
        glance_at, glance_by: Seconds in its state at which a glance begins, and how far to a side
            it goes, rad.
        smooth: Who turns in arcs.
        on_way: Who has a path to go.
        at_end: Whose path is at its end.
        short: How far its path ends before the place that was asked for, m.
        no_way: Who wants to go somewhere and cannot take a step towards it.
        stuck_for: Seconds that it has wanted to get on and has not.
        was_stuck, was_left: The same, and the length of its path, m, before this tick.
        walked: Metres walked in all.
        link: The link of the level that it is on, by number; -1 for none.
        home_x, home_y, home_z: Where its home is, m; NaN without one, z also without floors.
    """

    def __init__(
        self, setups: Sequence[Setup], tracked: Sequence[str], dt: float, level: Level
    ) -> None:
        agents = setups[0].agents
        shape = (len(setups), len(agents))
        self.dt, self._level = dt, level
        self._v, self._a = np.arange(shape[0])[:, None], np.arange(shape[1])
        self.driven = np.zeros(shape, dtype=np.bool_)
        self.x, self.y, self.z, self.heading, self.speed = np.zeros((5, *shape))
        self.home_x, self.home_y, self.home_z, self.home_heading = np.full((4, *shape), np.nan)
        self.paces = np.zeros((*shape, len(PACES)))
        self.turn_rate, self.acceleration, self.arrive = np.ones((3, *shape))
        self.pace = np.zeros(shape)
        self.gait = np.zeros(shape, dtype=np.int8)  # index of GAITS while it goes at its pace
        self.still, self.holds = np.zeros((2, *shape), dtype=np.bool_)
        self.look = np.full(shape, AHEAD, dtype=np.int8)
        self.look_x, self.look_y = np.full((2, *shape), np.nan)
        self.base = np.zeros(shape)  # heading about which it looks to both sides, rad
        self.swing = np.zeros(shape)  # how far to a side, rad
        self.period = np.ones(shape)  # s
        self.glance_at, self.glance_by = np.zeros((2, *shape))
        self.smooth = np.zeros(shape, dtype=np.bool_)
        self.posture = np.zeros(shape, dtype=np.int8)
        self.on_way = np.zeros(shape, dtype=np.bool_)
        self.at_end = np.zeros(shape, dtype=np.bool_)
        self.short = np.zeros(shape)
        self.no_way = np.zeros(shape, dtype=np.bool_)
        self.stuck_for, self.was_stuck, self.was_left = np.zeros((3, *shape))
        self.walked = np.zeros(shape)
        self._stop = np.zeros(shape)  # ends this far before the end of the way, m
        self._points = np.zeros((*shape, ROOM, 5))  # the path
        self._beyond = np.zeros(
            (*shape, ROOM)
        )  # how far it is from each of its points to its end, m
        self._turn_at = np.full(shape, -1, dtype=np.int64)  # the point at which it must stand
        self._halt = np.full(shape, -1, dtype=np.int64)  # the point from which a link begins
        self.link = np.full(shape, -1, dtype=np.int64)
        self._climbed = np.zeros(shape)  # how far it is on that, m
        self._next = np.zeros(shape, dtype=np.int64)
        self._size = np.zeros(shape, dtype=np.int64)
        for v, setup in enumerate(setups):
            for a, name in enumerate(agents):
                member, movement = setup.cast[name], setup.profile_of(name).movement
                if member.at is not None:
                    self.x[v, a], self.y[v, a] = member.at
                    self.z[v, a] = level.stands_at(*member.at, member.z)
                    self.heading[v, a] = np.radians(member.facing)
                    self.home_heading[v, a] = self.heading[v, a]
                if member.at is not None or member.home is not None:
                    self.home_x[v, a], self.home_y[v, a] = member.home or member.at or (0, 0)
                    if level.data.floors:
                        z = member.z if member.home_z is None else member.home_z
                        x, y = float(self.home_x[v, a]), float(self.home_y[v, a])
                        self.home_z[v, a] = level.stands_at(x, y, z)
                self.posture[v, a] = POSTURES.index(member.posture)
                if movement is not None:
                    self.driven[v, a] = name not in tracked
                    self.paces[v, a] = movement.creeping, movement.walking, movement.running
                    self.turn_rate[v, a] = np.radians(movement.turn_rate)
                    self.acceleration[v, a] = movement.acceleration
                    self.arrive[v, a] = movement.arrive
                    self.smooth[v, a] = movement.smooth
        self.base[...] = self.heading
        self.now = self._gathered()

    def _gathered(self) -> Moving:
        """All of it, as one tick of moving reads and writes it."""
        mine = vars(self)
        arrays: list[Any] = [mine.get(name, mine.get(f"_{name}")) for name in Moving._fields]
        return laid_out(MovingColumns, Moving(*arrays))

    def run_out(self, v: int, a: int) -> Numbers:
        """The points, (points, 5), of its path up to where it could stop; see `run_out`."""
        way = np.empty((self._points.shape[2], 5))
        return way[: run_out(self.now, v, a, way)]

    def turns_back(self, v: int, a: int, x: float, y: float) -> bool:
        """Whether it moves, and a position is behind it."""
        return turns_back(self.now, self.dt, v, a, x, y)

    def nearness(self, v: int, a: int) -> tuple[float, bool, bool]:
        """Of one: how near is close, m, whether it has arrived, or can get no nearer."""
        return nearness(self.now, self.dt, v, a)

    def go(
        self, v: int, a: int, way: Numbers, stop: float, *, short: float = 0.0, turn_at: int = -1
    ) -> None:
        """Take a path, (points, 5) as of `find_way`, and stop `stop` metres before its end.

        It ends `short` metres before its goal; at point `turn_at` the agent must stop, because it
        turns back there.
        """
        self._make_room(len(way))
        take_way(self.now, v, a, np.ascontiguousarray(way), stop, short, turn_at)

    def go_to(
        self, v: int, a: int, way: Numbers, goal: Numbers, stop: float, *, turn_at: int = -1
    ) -> None:
        """Take a path that leads as near to a position as it can get; see `take_way_to`."""
        self._make_room(len(way))
        way, floors = np.ascontiguousarray(way), self._level.floors
        x, y, z = goal.tolist()
        take_way_to(self.now, self.dt, v, a, way, floors, x, y, z, stop, turn_at)

    def _make_room(self, places: int) -> None:
        if places > self._points.shape[2]:
            more = 2 * places - self._points.shape[2]
            self._points = np.pad(self._points, ((0, 0), (0, 0), (0, more), (0, 0)))
            self._beyond = np.pad(self._beyond, ((0, 0), (0, 0), (0, more)))
            self.now = self._gathered()

    def before_stop(self) -> Numbers:
        """How far each has to go to its end, or to its next link, m; infinite without a path."""
        halts = self._beyond[self._v, self._a, np.maximum(self._halt, 0)]
        rest = self.left() - np.where(self._halt >= 0, halts, self._stop)
        return np.where(self.on_way, np.maximum(rest, 0.0), np.inf)

    def were_pushed(self, who: Truths) -> None:
        """Those are stuck, too, who were pushed back as far as they have walked."""
        slow = self.was_left - self.left() < LEAST * self.pace * self.dt
        held = who & slow & self.on_way & (self.pace > 0.0) & ~self.holds
        self.stuck_for[held] = self.was_stuck[held] + self.dt

    def is_going(self, v: int, a: int) -> bool:
        """Whether it has a path, or comes to a stand on one that it has left."""
        return bool(self._size[v, a] and (self.on_way[v, a] or self.speed[v, a]))

    def next_turns(self, v: int, a: int, place: Numbers) -> tuple[list[int], float]:
        """Where its path from a place turns first, and then, as points counted from the next.

        One if it stands there, or a link begins, or it ends; and how far it is between both, m.
        """
        first, stands = int(self._next[v, a]), int(self._turn_at[v, a])
        way = self.before_link(v, a)
        way = way[: stands - first + 1] if stands >= first else way
        turn = first_corner(place[:2], way)
        if turn + 1 == len(way):
            return [turn], 0.0
        then = turn + 1 + first_corner(way[turn], way[turn + 1 :])
        between = self._beyond[v, a, first + turn] - self._beyond[v, a, first + then]
        return [turn, then], float(between)

    def lay_again(self, v: int, a: int, first: Numbers, turn: int) -> None:
        """Take other points, (points, 5), up to where it turns, as of `next_turns`."""
        told = self.on_way[v, a], self.at_end[v, a], self.no_way[v, a]
        at = int(self._next[v, a]) + turn
        turns = int(self._turn_at[v, a]) - at
        way = np.concatenate([first, self._points[v, a, at + 1 : self._size[v, a]]])
        stop, short = float(self._stop[v, a]), float(self.short[v, a])
        turn_at = len(first) - 1 + turns if turns >= 0 else -1
        self.go(v, a, way, stop, short=short, turn_at=turn_at)
        self.on_way[v, a], self.at_end[v, a], self.no_way[v, a] = told

    def forget_way(self, v: int, a: int) -> None:
        """Have no path left, not even one that is over."""
        self._size[v, a] = 0

    def before_link(self, v: int, a: int) -> Numbers:
        """(points, 2) the rest of its path up to the next link, m."""
        halt = int(self._halt[v, a])
        end = halt + 1 if halt >= 0 else int(self._size[v, a])
        places: Numbers = self._points[v, a, self._next[v, a] : end, :2]
        return places

    def place(self, v: int, a: int) -> tuple[float, float, float]:
        """Where an agent is, m."""
        return float(self.x[v, a]), float(self.y[v, a]), float(self.z[v, a])

    def ahead(self, v: int, a: int) -> Numbers:
        """(points, 3) the rest of its path, m; a link is its end point."""
        rest = self._points[v, a, self._next[v, a] : self._size[v, a]]
        places = np.column_stack([rest[:, :2], np.full(len(rest), self.z[v, a])])
        for n, floor in enumerate(rest[:, 4].astype(int).tolist()):
            if floor >= 0:
                places[n, 2] = self._level.height_of(floor, *places[n, :2].tolist())
        return places

    def farther_on(
        self, v: int, a: int, seconds: float, then: Iterable[tuple[Numbers, float]] = ()
    ) -> tuple[float, float, float, float]:
        """Its position on its path after a time at its pace, m, and its heading then, rad.

        `then` are positions, (3,), to walk to after the end of its path, each with a pause before
        it, s; after the last it stands.
        """
        here = np.array([self.x[v, a], self.y[v, a], self.z[v, a]])
        heading, left = float(self.heading[v, a]), seconds
        ahead = self.ahead(v, a) if self.on_way[v, a] else ()
        for place, wait in (*((place, 0.0) for place in ahead), *then):
            off, left = place - here, left - wait
            takes = float(np.linalg.norm(off)) / float(self.pace[v, a])
            if left <= 0.0:
                break
            if np.hypot(off[0], off[1]) > NEAR:
                heading = float(np.arctan2(off[1], off[0]))
            if takes > left:
                here = here + off * (left / takes)
                break
            here, left = place, left - takes
        return (*here.tolist(), heading)

    def link_within(self, v: int, a: int, reach: float) -> int:
        """The first link on its path within a distance, m, by number; -1 for none."""
        halt = int(self._halt[v, a])
        if halt < 0 or self.left()[v, a] - self._beyond[v, a, halt] > reach:
            return -1
        return int(self._points[v, a, halt + 1, 3])

    def stand(self, v: int, a: int) -> None:
        """Leave the path, as soon as it has stopped."""
        stand(self.now, v, a)

    def left(self) -> Numbers:
        """Remaining length of each path, m, also of one that was just given up."""
        x, y, longer, by, _ = np.moveaxis(self._points[self._v, self._a, self._next], -1, 0)
        first = np.where(
            by < 0.0, np.hypot(x - self.x, y - self.y) * longer, longer - self._climbed
        )
        ahead = first + self._beyond[self._v, self._a, self._next]
        return np.where(self._size > 0, ahead, 0.0)
