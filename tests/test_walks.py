"""Walking, tick by tick: the rules of docs/calculations.md once more, in plain Python.

Written from the document, with Shapely and NetworkX, so slow. Not tried here: floors, links, doors,
pushing, roaming, fleeing and searching.
"""

from __future__ import annotations

# fmt: off
import math
from collections.abc import Iterator
from itertools import combinations, pairwise
from pathlib import Path
from typing import Any

import networkx as nx
import numpy as np
import pytest
import samples
import scenes
import shapely

import snelk
from snelk.chance import stream

Place = tuple[float, float]
RADIUS = 0.25  # of the guard


def off(a: float, b: float) -> float:
    """How far direction a is to the left of direction b, rad; right behind is to the right."""
    left = (a - b + math.pi) % (2.0 * math.pi) - math.pi
    return left if left <= math.pi - 1e-9 else left - 2.0 * math.pi


def length(line: list[Place]) -> float:
    return sum(map(math.dist, line, line[1:]))


def along(line: list[Place], far: float) -> list[Place]:
    """The first metres of a line, without its first point."""
    found: list[Place] = []
    for (ax, ay), (bx, by) in pairwise(line):
        leg = math.hypot(bx - ax, by - ay)
        if far < leg - 1e-9:
            return [*found, (ax + far / leg * (bx - ax), ay + far / leg * (by - ay))]
        found, far = [*found, (bx, by)], far - leg
    return found


def corners_from(route: list[Place], order: str, n: int) -> Iterator[Place]:
    """Corner n of a route, and those after it."""
    step = 1
    while True:
        yield route[n]
        if order == "loop":
            n = (n + 1) % len(route)
        elif 0 <= n + step < len(route):
            n += step
        elif order == "once":
            return
        else:
            n, step = n - step, -step


class Walk:
    """One agent, by what is written in its profile, in the cast, in its states and in the level."""

    path: list[Place]

    def __init__(self, written: dict[str, Any]) -> None:
        self.legs, self.states, self.level = written["legs"], written["states"], written["level"]
        self.dt, self.seed, member = written["dt"], written["seed"], written["member"]
        self.grown = [box.buffer(RADIUS, join_style="mitre") for box in self.level["boxes"]]
        self.blocked = [box.buffer(-1e-3) for box in self.grown]
        self.at: Place = (member["at"][0], member["at"][1])
        self.home = (*self.at, math.radians(member["facing"]))
        self.heading, self.left_at = self.home[2], self.home[:0]
        self.speed, self.path, self.turn_at, self.stop, self.entries = 0.0, [], None, 0.0, -1
        self.enter(next(iter(self.states)), "")

    def enter(self, name: str, before: str) -> None:
        ranks = {key: state.get("rank", 0) for key, state in self.states.items()}
        if before and ranks[before] == min(ranks.values()):
            self.left_at = (*self.at, self.heading)
        self.state, self.ticks, self.entries = self.states[name], 0, self.entries + 1
        self.going = self.ended = self.told = self.pausing = False
        self.again, self.base, self.goal, self.corners, self.short = -math.inf, self.heading, None, None, 0.0
        self.pace = self.legs[self.state["pace"]]

    @property
    def close(self) -> float:
        return max(self.legs["arrive"], self.pace * self.dt) + 1e-9

    @property
    def left(self) -> float:
        return length([self.at, *self.path])

    @property
    def arrived(self) -> bool:
        return self.ended and self.short <= self.close

    def think(self, t: float, focus: Place) -> None:
        """Decide where to go: at first, when the path is over, and when it is time again."""
        if (self.told or not self.ended) and t < self.again - 1e-9:
            return
        self.told, self.again = self.ended, math.inf
        kind, keys = next(((key, each) for key, each in self.state.items() if isinstance(each, dict)), ("stand", {}))
        if kind == "patrol":
            self.patrol(keys, t)
        elif kind == "approach":
            self.again = t + 0.2
            if not self.going or self.goal != focus:
                self.goal, stop = focus, max(keys.get("stop", 0.0), self.close - 1e-9)
                if not (self.ended and math.dist(self.at, focus) <= 1.25 * stop + 0.1):
                    self.go(focus, stop)
        elif kind == "stand":
            self.going = self.ended = False
        elif self.goal is None:
            here = (*self.at, self.heading)
            self.goal = {"go": self.level.get(keys.get("spot")), "home": self.home, "resume": self.left_at or here}[kind]
            self.go(self.goal[:2])
        elif self.ended and len(self.goal) > 2:
            self.base = self.goal[2]

    def patrol(self, keys: dict[str, Any], t: float) -> None:
        """To the nearest point of the route, without a pause there, and then from corner to corner."""
        route, loops = self.level["round"], keys["order"] == "loop"
        if self.corners is None:
            self.corners = corners_from(route, keys["order"], self.first_corner(route, loops))
            line = shapely.LineString([*route, route[0]] if loops else route)
            joint = line.interpolate(line.project(shapely.Point(self.at))).coords[0]
            if math.dist(self.at, joint) > self.legs["arrive"]:
                self.pausing = True
                return self.go(joint)
        elif keys["pause"] > 0.0 and not self.pausing:
            self.pausing, self.again = True, t + keys["pause"]
            return None
        self.pausing = False
        corner = next(self.corners, None)
        return self.go(corner) if corner else None

    def first_corner(self, route: list[Place], loops: bool) -> int:
        """The corner after the nearest point of a route; of legs as near as each other the first."""
        legs = [*zip(route, [*route[1:], route[0]], strict=True)][: len(route) - (not loops)]
        lines, here = [*map(shapely.LineString, legs)], shapely.Point(self.at)
        away = [line.distance(here) for line in lines]
        first = next(n for n, far in enumerate(away) if far <= min(away) + 1e-9)
        return (first + (lines[first].project(here) > 1e-9)) % len(route)

    def way(self, start: Place, goal: Place) -> list[Place]:
        """The shortest around the boxes, as near to the goal as it can stand."""
        for box in self.grown:
            if box.contains_properly(shapely.Point(goal)):
                rim = box.buffer(1e-3).exterior
                goal = rim.interpolate(rim.project(shapely.Point(goal))).coords[0]
        if start == goal:
            return [goal]
        graph = nx.Graph()
        for a, b in combinations([start, goal, *(at for box in self.grown for at in box.exterior.coords[:-1])], 2):
            if not any(shapely.relate_pattern(shapely.LineString([a, b]), box, "T********") for box in self.blocked):
                graph.add_edge(a, b, weight=math.dist(a, b))
        found: list[Place] = nx.dijkstra_path(graph, start, goal)
        return found[1:]

    def go(self, goal: Place, stop: float = 0.0) -> None:
        """Take the path to a goal, first along an arc or to a stand if it has to."""
        path, brakes, gain = self.way(self.at, goal), self.legs["acceleration"], self.legs["acceleration"] * self.dt
        far, self.turn_at, arc = length([self.at, *path]), None, None
        if self.legs["smooth"] and far > (stop or self.close):
            arc = self.arc_to(path[0])
        if arc:
            path = [*arc, *path]
        elif self.path and self.speed > gain and self.is_behind(path[0]):
            rest = along([self.at, *self.path], self.speed**2 / (2.0 * brakes)) if self.left > 1e-6 else []
            self.speed = self.speed if rest else 0.0
            if rest:
                path, self.turn_at = [*rest, *self.way(rest[-1], goal)], rest[-1]
        short = math.dist(path[-1], goal)
        self.path, self.stop, self.short = path, max(stop - short, 0.0), short if short > stop + self.close else 0.0
        self.going, self.ended, self.told = True, False, False

    def is_behind(self, place: Place) -> bool:
        ahead, there = (np.subtract(each, self.at) for each in (self.path[0], place))
        return self.left <= 1e-6 or bool(ahead @ there < -1e-9 * np.hypot(*ahead) * np.hypot(*there))

    def arc_to(self, corner: Place) -> list[Place] | None:
        """The shorter of the arcs to the right and to the left that do not cut into a box."""
        direction = math.atan2(corner[1] - self.at[1], corner[0] - self.at[0])
        radius, best = 1.2 * self.pace / math.radians(self.legs["turn_rate"]), None
        for side in (-1, 1) if abs(off(direction, self.heading)) >= math.radians(5.0) else ():
            begins = self.heading - side * math.pi / 2.0
            x, y = self.at[0] - radius * math.cos(begins), self.at[1] - radius * math.sin(begins)
            far = math.dist((x, y), corner)
            if far <= radius:
                continue
            ends = math.atan2(corner[1] - y, corner[0] - x) - side * math.acos(radius / far)
            turn = (side * (ends - begins)) % (2.0 * math.pi)
            pieces = max(math.ceil(turn / math.radians(10.0)), 1)
            angles = [begins + side * turn * n / pieces for n in range(1, pieces + 1)]
            arc = [(x + radius * math.cos(angle), y + radius * math.sin(angle)) for angle in angles]
            line = shapely.LineString([self.at, *arc, corner])
            free = not any(shapely.relate_pattern(line, box, "T********") for box in self.grown)
            if free and (best is None or line.length < best[0] - 1e-9):
                best = line.length, arc
        return best[1] if best else None

    def arrive(self) -> None:
        if self.going and self.left - self.stop <= (1e-9 if self.stop > 0.0 else self.close):
            self.going, self.ended = False, True

    def can_stop_within(self, far: float) -> float:
        gain = self.legs["acceleration"] * self.dt
        if far <= gain * self.dt:
            return max(far, 0.0) / self.dt
        return math.sqrt(gain**2 + 2.0 * self.legs["acceleration"] * far) - gain

    def looks(self, focus: Place) -> float:
        look, t, whole = self.state["look"], self.ticks * self.dt, math.radians(self.state["sweep_whole"])
        period = self.state["sweep_period"]
        if look == "focus" and math.dist(focus, self.at) > 1e-9:
            return math.atan2(focus[1] - self.at[1], focus[0] - self.at[0])
        if look == "sweep":
            return self.base + whole / 2.0 * math.sin(2.0 * math.pi * t / period)
        if look == "glances":
            n = math.floor(t / period + 1e-9)
            when, side = stream(self.seed, "glance", "guard", self.entries, n).random(2)
            if 0.7 * when * period <= t - n * period < (0.7 * when + 0.3) * period:
                return float(self.base + (2.0 * side - 1.0) * whole / 2.0)
        return self.base

    def move(self, focus: Place) -> None:
        if self.going and "speeds" in self.state:
            self.pace = float(np.interp(self.left, *zip(*self.state["speeds"], strict=True)))
        left, gain = self.left - self.stop, self.legs["acceleration"] * self.dt
        self.arrive()
        if self.going:
            while len(self.path) > 1 and math.dist(self.at, self.path[0]) <= 1e-9:
                self.path.pop(0)
            self.base = math.atan2(self.path[0][1] - self.at[1], self.path[0][0] - self.at[0])
        most, wanted = math.radians(self.legs["turn_rate"]) * self.dt, 0.0
        self.heading += min(max(off(self.looks(focus), self.heading), -most), most)
        if self.going:
            ahead = max(math.cos(self.base - self.heading), 0.0) if self.state["look"] == "ahead" else 1.0
            wanted = min(self.pace * ahead, self.can_stop_within(left))
            back = length([self.at, *self.path[: self.path.index(self.turn_at) + 1]]) if self.turn_at in self.path else 0.0
            wanted = min(wanted, self.can_stop_within(back)) if back > 1e-6 else wanted
        self.speed = min(max(wanted, self.speed - gain, 0.0), self.speed + gain)
        rest = left if self.going else self.left
        self.speed = self.speed if rest > 0.0 or not self.going else 0.0
        went = along([self.at, *self.path], min(self.speed * self.dt, rest)) if self.speed > 0.0 and rest > 0.0 else []
        if went:
            self.at = went[-1]
            passed = sum(a == b for a, b in zip(went, self.path, strict=False))
            self.path = self.path[min(passed, len(self.path) - 1):]
        self.arrive()
        self.ticks += 1


def random_walk(folder: Path, seed: int) -> tuple[snelk.Scenario, dict[str, Any]]:
    """A guard that goes from state to state, each for a while; a guest walks about in its view.

    Odd seeds have low boxes to walk around.
    """
    chance = np.random.default_rng(seed)

    def some(low: float, high: float) -> float:
        return round(float(chance.uniform(low, high)), 2)

    def one(*of: Any) -> Any:
        return of[int(chance.integers(len(of)))]

    boxes = []
    for x, y in np.argwhere(chance.random((3, 3)) < 0.5 * (seed % 2)) * 4.0 - 6.0:
        x, y = x + some(0.3, 1.0), y + some(0.3, 1.0)
        boxes.append(shapely.box(x, y, x + some(0.5, 2.6), y + some(0.5, 2.6)))

    def place(apart: float = RADIUS + 0.01) -> Place:
        while True:
            found = (some(-6, 6), some(-6, 6))
            if not any(box.buffer(apart, join_style="mitre").intersects(shapely.Point(found)) for box in boxes):
                return found

    level: dict[str, Any] = {"boxes": boxes, "round": [place() for _ in range(int(chance.integers(2, 5)))]}
    level |= {f"spot{n}": place(one(-9.0, 0.3)) for n in range(3)}
    kinds = [
        lambda: {"patrol": {"route": "round", "order": one("loop", "back_and_forth", "once"), "pause": one(0.0, 0.0, 0.3, 1.0)}},
        lambda: {"go": {"spot": f"spot{chance.integers(3)}"}}, lambda: {"home": {}}, lambda: {"resume": {}},
        lambda: {"approach": one({}, {"stop": some(0.0, 3.0)})}, lambda: {"stand": {}},
    ]
    names = [f"s{n}" for n in range(int(chance.integers(2, 6)))]
    states, transitions = {}, {}
    for n, name in enumerate(names):
        looks = {"look": one("ahead", "ahead", "focus", "sweep", "glances"), "sweep_whole": some(20, 300), "sweep_period": some(0.5, 4)}
        states[name] = {**one(*kinds)(), **looks, "pace": one("creeping", "walking", "running"), "rank": one(0, 0, 1)}
        if chance.random() < 0.3:
            states[name]["speeds"] = [[0.0, some(0.5, 2)], [some(0.5, 2), some(0.5, 4)], [some(3, 6), some(0.5, 4)]]
        transitions[f"c{n}"] = {"from": name, "to": names[(n + 1) % len(names)], "when": f"state_for >= {some(0.3, 6)}s"}
    legs = {
        "creeping": some(0.3, 1), "walking": some(1, 2), "running": some(2, 5), "turn_rate": one(some(40, 120), some(120, 720)),
        "acceleration": one(some(0.5, 3), some(3, 12)), "arrive": one(0.05, 0.3, some(0.1, 1.0)), "smooth": bool(chance.random() < 0.3),
    }
    member, dt = {"at": list(place()), "facing": some(-180, 180)}, one(0.05, 0.1, 0.1, 0.25)
    features = [scenes.feature("spot", f"spot{n}", shapely.Point(level[f"spot{n}"])) for n in range(3)]
    features += [scenes.feature("wall", f"box{n}", box, top=0.4) for n, box in enumerate(boxes)]
    features += [scenes.feature("spot", f"end{x}", shapely.Point(x, x)) for x in (-99, 99)]  # no arc leads off the ground
    features.append(scenes.feature("route", "round", shapely.LineString(level["round"])))
    more = {
        "profiles.watcher.movement": legs, **{f"cast.guard.{key}": value for key, value in member.items()},
        "profiles.watcher.cones.front": {"fov_whole": 360.0, "range": 99.0}, "seed": seed,
    }
    track = samples.track_of(*((5.0 * n, *place(-9.0)) for n in range(6)))
    scenario = scenes.scene(folder, *features, states=states, transitions=transitions, track=track, more=more, dt=dt, end=25.0)
    return scenario, {"legs": legs, "member": member, "states": states, "level": level, "dt": dt, "seed": seed}


@pytest.mark.parametrize("seed", sorted({*range(60)} - {31, 49}))  # a millimetre decides in these
def test_everybody_walks_as_the_rules_say(tmp_path: Path, seed: int) -> None:
    scenario, written = random_walk(tmp_path, seed)
    run = snelk.run(scenario)
    walk = Walk(written)
    guard, guest = (run.poses[run.poses.id == name].itertuples() for name in ("guard", "guest"))
    signals = run.signals[run.signals.agent == "guard"].itertuples()
    changes = run.states[(run.states.agent == "guard") & run.states.transition.notna()]
    changes = {round(row.t / walk.dt): row for row in changes.itertuples()}
    for k, (row, other, signal) in enumerate(zip(guard, guest, signals, strict=True)):
        told = k, walk.at, math.degrees(walk.heading), row, walk.state
        assert math.dist(walk.at, (row.x, row.y)) < 1e-6, told
        assert abs(off(walk.heading, math.radians(row.heading_deg))) < 1e-6, told
        assert (walk.arrived, walk.ended and not walk.arrived) == (signal.arrived, signal.unreachable), told
        if k in changes:
            walk.enter(changes[k].state, changes[k].before)
        walk.think(k * walk.dt, (other.x, other.y))
        walk.move((other.x, other.y))
