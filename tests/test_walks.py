"""Walking, tick by tick: the rules of docs/calculations.md once more, in plain Python.

Written from the document, with Shapely and NetworkX, so slow.
A place upstairs has 1,000 m added to its x: what is above each other is far apart in plan.
"""

from __future__ import annotations

# fmt: off
import math
from collections.abc import Iterator
from itertools import combinations, pairwise
from pathlib import Path
from typing import Any, NamedTuple

import networkx as nx
import numpy as np
import pytest
import scenes
import shapely

import snelk
from snelk.chance import stream
from snelk.level.level import Level

Place = tuple[float, float]
RADIUS = 0.25  # of the guard
EXACT = 1e-6  # so far before their ends paths end that are walked to their ends
UP, STOREY = 1000.0, 3.0
HILLS: list[tuple[float, float]] = []  # at which x the slope of the ground changes, and how high it is there


def off(a: float, b: float) -> float:
    """How far direction a is to the left of direction b, rad; right behind is to the right."""
    left = (a - b + math.pi) % (2.0 * math.pi) - math.pi
    return left if left <= math.pi - 1e-9 else left - 2.0 * math.pi


class Aloft(tuple[float, float]):
    """A place on a link between two floors, or off the ground, in plan."""

    z: float

    @classmethod
    def at(cls, x: float, y: float, z: float) -> Aloft:
        found = cls((x, y))
        found.z = z
        return found


def in_space(place: Place) -> tuple[float, float, float]:
    if isinstance(place, Aloft):
        return (*place, place.z)
    return (place[0] - UP, place[1], STOREY) if place[0] > UP / 2 else (place[0], place[1], height(place[0]))


def height(x: float) -> float:
    return float(np.interp(x, *zip(*HILLS, strict=True))) if HILLS else 0.0


def strips() -> list[Any]:
    """The ground between where its slope changes: a floor each."""
    return [shapely.box(low, -9, high, 9) for low, high in pairwise([-99.0, *(x for x, _ in HILLS), 99.0])] if HILLS else []


def cut_at_hills(a: Place, b: Place) -> list[Place]:
    """A line in plan, with the points where the slope changes."""
    met = [(x - a[0]) / (b[0] - a[0]) for x, _ in HILLS if min(a[0], b[0]) < x < max(a[0], b[0])]
    return [a, *((a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])) for share in sorted(met)), b]


def placed(x: float, y: float, z: float) -> Place:
    """The place on the floor no more than a step above."""
    if HILLS:
        return (x, y) if abs(z - height(x)) <= 1e-9 else Aloft.at(x, y, z)
    return (x + UP, y) if z >= STOREY - 0.5 else (x, y)


def is_deep(place: Place) -> bool:
    """Whether it is so far under a slope that nobody stands there."""
    return bool(HILLS) and height(place[0]) - in_space(place)[2] > 0.5


def distance(a: Place, b: Place) -> float:
    return math.dist(in_space(a), in_space(b))


def bearing(a: Place, b: Place) -> float:
    (x, y, _), (to_x, to_y, _) = in_space(a), in_space(b)
    return math.atan2(to_y - y, to_x - x)


def top_of(box: Any, tall: bool) -> float:
    """Of a box on hills."""
    low, _, high, _ = box.bounds
    return 20.0 if tall else 0.3 + max(height(x) for x in (low, high, *(x for x, _ in HILLS if low < x < high)))


def is_within(area: Any, at: Place) -> bool:
    return bool(area.covers(shapely.box(at[0] - 1e-6, at[1] - 1e-6, at[0] + 1e-6, at[1] + 1e-6)))


def length(line: list[Place]) -> float:
    return sum(distance(*leg) for pair in pairwise(line) for leg in ([pair] if isinstance(pair[1], Landing) else pairwise(cut_at_hills(*pair))))


def lengths(pairs: list[tuple[Place, Place]]) -> list[float]:
    """Of straight lines on one floor."""
    a, b = np.array(pairs, dtype=float).reshape(-1, 2, 2).transpose(1, 0, 2)
    over = (b - a)[:, :1]
    cuts = (np.array([x for x, _ in HILLS]) - a[:, :1]) / np.where(over == 0.0, 1.0, over)
    shares = np.sort(np.concatenate([np.zeros((len(a), 1)), np.clip(cuts, 0.0, 1.0), np.ones((len(a), 1))], axis=1))
    heights = np.interp(a[:, :1] + shares * over, *zip(*HILLS, strict=True)) if HILLS else 0.0 * shares
    found: list[float] = np.hypot(np.diff(shares) * np.hypot(*(b - a).T)[:, None], np.diff(heights)).sum(axis=1).tolist()
    return found


def along(line: list[Place], far: float, distance: Any = distance) -> list[Place]:
    """The first metres of a line, without its first point."""
    found: list[Place] = []
    for start, end in pairwise(line):
        for (ax, ay), (bx, by) in pairwise(cut_at_hills(start, end)):
            leg = distance((ax, ay), (bx, by))
            if far < leg - 1e-9:
                return [*found, (ax + far / leg * (bx - ax), ay + far / leg * (by - ay))]
            far -= leg
        found = [*found, (end[0], end[1])]
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


class Landing(tuple[float, float]):
    """The end of a link, as a point of a path."""

    link: dict[str, Any]

    @classmethod
    def of(cls, link: dict[str, Any]) -> Landing:
        found = cls(link["to"])
        found.link = link
        return found


def before_links(line: list[Place]) -> list[Place]:
    """The first points of a path, up to where a link begins."""
    return line[: next((n for n, place in enumerate(line) if isinstance(place, Landing)), len(line))]


def passes(at: Place, to: Place, door: Any, tall: bool) -> bool:
    """Whether a link leads through a door, as high as its storey if there are floors."""
    (x, y, z), (to_x, to_y, to_z) = in_space(at), in_space(to)
    up, line = door.bounds[0] > UP / 2, shapely.LineString([(x, y), (to_x, to_y)])
    met = line.intersection(shapely.affinity.translate(door, -UP * up))
    shares = [line.project(shapely.Point(corner), normalized=True) for corner in shapely.get_coordinates(met)]
    heights = [z + share * (to_z - z) for share in shares]
    low, top = (-20.0, top_of(door, tall)) if HILLS else (STOREY * up, STOREY * up + STOREY)
    return bool(heights) and min(heights) < top and max(heights) >= low


def may_take(link: dict[str, Any], who: str) -> bool:
    return link["who"] is None or who in link["who"]


def may_open(door: dict[str, Any], who: str) -> bool:
    return door["who"] is None or who in door["who"]


class Ground(NamedTuple):
    """Where somebody can walk while some doors are shut."""

    grown: list[Any]  # what is in the way, larger by a radius
    inner: np.ndarray  # the same, a bit smaller: what lines may touch, but not cut
    rim: Any  # just outside of all of it
    yards: list[list[Any]]  # in a yard: the parts of its ground, and the same, a bit smaller
    graph: nx.DiGraph  # which corners and links lead straight to which
    links: list[tuple[Place, Place]]


class Walk:
    """One agent, by what is written in its profile, in the cast, in its states and in the level."""

    path: list[Place]
    guest: Place | None  # where the guest really is

    def __init__(self, name: str, written: dict[str, Any]) -> None:
        own = written["guards"][name]
        self.legs, self.states, self.level, member = own["legs"], own["states"], written["level"], own["member"]
        self.dt, self.seed, self.name = written["dt"], written["seed"], name
        self.company: list[Walk] = []  # all who search together, in the order of the cast
        self.focus, self.apart, self.yard = "", written["apart"], written["yard"]
        self.doors = [{**door, "soon": door["open"], "shuts_at": math.inf} for door in self.level["doors"]]
        self.opening: tuple[dict[str, Any], float] | None = None
        self.turned, self.turns = False, []
        self.at: Place = placed(*member["at"], member["z"])
        home = member.get("home", member["at"])
        self.home = (*placed(*home, height(home[0]) if HILLS else member["z"]), math.radians(member["facing"]))
        self.start, self.heading, self.left_at = self.at, self.home[2], self.home[:0]
        self.speed, self.path, self.turn_at, self.stop, self.entries = 0.0, [], None, 0.0, -1
        self.notes: list[tuple[Any, ...]] = []
        self.hunts, self.age, self.cone, self.grounds = False, 0.0, own["cone"], {}
        self.link, self.climbed = None, 0.0
        self.stuck = self.was_stuck = self.was_left = 0.0
        self.passes: set[Walk] = set()  # whom it lets pass
        self.enter(next(iter(self.states)), "", 0.0, None, sensed=False)

    def enter(self, name: str, before: str, t: float, known: Place | None, *, sensed: bool) -> None:
        if self.hunts:
            self.note(t, "ended", outcome="found" if sensed else "broken_off")
        ranks = {key: state.get("rank", 0) for key, state in self.states.items()}
        if before and ranks[before] == min(ranks.values()):
            self.left_at = (*self.at, self.heading)
        self.state, self.state_name, self.ticks, self.entries = self.states[name], name, 0, self.entries + 1
        self.going = self.ended = self.told = self.pausing = False
        self.again, self.base, self.goal, self.corners, self.short = -math.inf, self.heading, None, None, 0.0
        self.pace, self.look = self.legs[self.state["pace"]], self.state["look"]
        self.hunts, self.since, self.around, self.points, self.cells = "search" in self.state, t, known or self.at, None, None
        self.until = self.spot = self.looks_at = self.area = self.normal = None
        self.entered, self.chance, self.outside, self.chosen, self.keeps = self.at, None, True, False, False
        self.over = self.looked = self.alone = self.waits = False
        self.point = -1
        if self.hunts:
            self.note(t, "began")

    def note(self, t: float, what: str, point: int = -1, outcome: str = "", at: Place | None = None) -> None:
        """What comes of a search, at where it is about."""
        self.looked = self.looked or what in ("visited", "looked")
        at = at or (self.points[point] if point >= 0 and self.points else self.at if what == "ended" else self.around)
        self.notes.append((round(t, 6), what, point, outcome, *(round(each, 5) for each in in_space(at))))

    @property
    def close(self) -> float:
        return max(self.legs["arrive"], self.pace * self.dt) + 1e-9

    @property
    def left(self) -> float:
        return length([self.at, *self.path])

    @property
    def arrived(self) -> bool:
        return self.ended and self.short <= self.close

    def think(self, t: float, focus: Place | None, known: Place | None) -> None:
        """Decide where to go: at first, when the path is over, and when it is time again."""
        if (self.told or not self.ended) and t < self.again - 1e-9:
            return
        self.told, self.again = self.ended, math.inf
        kind, keys = next(((key, each) for key, each in self.state.items() if isinstance(each, dict)), ("stand", {}))
        place = {"go": self.level.get(keys.get("spot"), known), "home": self.home, "resume": self.left_at or (*self.at, self.heading)}
        if kind == "patrol":
            self.patrol(keys, t)
        elif kind == "search":
            self.search(keys, t, known)
        elif kind == "flee":
            self.flee(keys, t, known)
        elif kind == "evade":
            self.evade(keys, known)
        elif kind == "roam":
            self.again = t + self.roam(keys, t)
        elif kind == "stand" or (kind == "approach" and not focus):
            self.going, self.ended, self.goal = False, False, None
        elif kind == "approach" and (not self.going or self.goal != focus):
            self.goal, stop = focus, max(keys.get("stop", 0.0), self.close - 1e-9)
            if not (self.ended and distance(self.at, focus) <= 1.25 * stop + 0.1):
                self.go(focus, stop)
        elif kind == "go" or (kind in place and self.goal is None):
            if place[kind] and place[kind] != self.goal:
                self.goal = place[kind]
                self.go(self.goal[:2])
        elif kind in place and self.ended:
            self.base = self.goal[2]
        if kind == "approach" or (kind == "go" and "spot" not in keys):
            self.again = t + 0.2

    def search(self, keys: dict[str, Any], t: float, known: Place | None) -> None:
        """From point to point, looking around at each, until nothing is left or it gives up."""
        if not self.hunts:
            return None
        if known and distance(known, self.around) > 1.0:
            self.since, self.around, self.points, self.cells, self.until, self.look = t, known, None, None, None, self.state["look"]
            self.alone, self.waits, self.point = False, False, -1
            self.note(t, "moved")
        left, wait = self.since + keys["give_up"] - t, 0.2
        if left <= 1e-9:
            return self.end_search(t, "gave_up")
        if keys["method"] == "likelihood":
            wait = self.search_cells(keys, t)
        elif self.points is not None:
            wait = self.search_points(keys, t)
        self.again = t + min(wait, left) if self.hunts else math.inf
        return None

    def search_points(self, keys: dict[str, Any], t: float) -> float:
        """From point to point; s until it looks again."""
        if self.company and self.check_points(t) and self.until is None:
            self.point = -1
            return self.next_point(t)
        if self.until is not None and t < self.until - 1e-9:
            return max(self.until - t, self.dt)
        if self.until is not None:
            self.until, self.look = None, self.state["look"]
            return self.next_point(t)
        if self.ended:
            self.note(t, "visited" if self.arrived else "unreachable", self.point)
            if self.arrived or (self.point == 0 and not self.company):
                self.until, self.look = t + keys["point_time"], "sweep"
                return keys["point_time"]
            return self.next_point(t)
        if keys["method"] == "hideouts" and self.point > 0 and self.has_in_view(self.points[self.point]):
            self.note(t, "looked", self.point)
            return self.next_point(t)
        return 0.2

    def plan_if_asked(self, t: float) -> None:
        """When all have decided: points for who has just begun to search."""
        if self.hunts and self.points is None and not self.by_cells:
            self.points = self.plan(self.state["search"])
            self.checked = [""] * len(self.points)
            for n in range(len(self.points)):
                self.note(t, "planned", n)
            self.next_point(t)

    def check_points(self, t: float) -> bool:
        """Strike off points that any of its group has in view or has come to; whether its goal was."""
        was = self.checked[self.point] if self.point > 0 else ""
        for n, place in enumerate(self.points):
            by = [b for b in self.company if b.has_in_view(place) or (b is not self and distance(b.at, place) <= b.close)]
            if n > 0 and not self.checked[n] and by:
                self.checked[n] = "itself" if by[0] is self else "another"
                self.note(t, "looked", n)
        return self.point > 0 and self.checked[self.point] != was

    @property
    def by_cells(self) -> bool:
        return "search" in self.state and self.state["search"]["method"] == "likelihood"

    @property
    def mates(self) -> list[Walk]:
        """Those of its group who look for the same."""
        return [b for b in self.company if b is not self and b.hunts and b.focus == self.focus]

    @property
    def taken(self) -> list[tuple[Place, Place]]:
        """Where those of them are that do not wait, and where each goes to."""
        return [(b.at, b.aim if b.point >= 0 else b.at) for b in self.mates if not b.waits]

    def is_anothers(self) -> bool:
        """Whether somebody else goes to where the target was last known, or has checked anything."""
        far = distance(self.at, self.around)
        for b in self.mates:
            theirs = distance(b.at, self.around)
            if b.looked or theirs < far or (theirs == far and self.company.index(b) < self.company.index(self)):
                return True
        return False

    def share(self, place: Place) -> float:
        """How much a place counts, given the others."""
        far = distance(self.at, place)
        if any(distance(at, place) <= 1.5 or distance(goal, place) <= 1.5 for at, goal in self.taken):
            return 0.0
        return 0.1 if any(distance(at, place) < far for at, _ in self.taken) else 1.0

    def best_point(self, checked: str) -> int | None:
        """The best of its points, of those that are checked by nobody, or by another."""
        near, best, most = self.state["search"]["radius"] / 4.0, None, 0.0
        for n, place in enumerate(self.points):
            if self.checked[n] != checked:
                continue
            if n == 0 and not checked:
                if not self.is_anothers():
                    return 0
                self.checked[0] = "another"
                continue
            worth = self.chances[n] if n and self.chances else 1.0 / (1.0 + distance(place, self.around) / near)
            worth *= self.share(place) / (1.0 + distance(self.at, place) / near)
            if worth > most:
                best, most = n, worth
        return best

    def plan(self, keys: dict[str, Any]) -> list[Place]:
        """Where it was last known, then what is near to that by path."""
        radius, found, self.chances = keys["radius"], [self.around], []
        if keys["method"] == "hideouts":
            far = {spot: self.far_between(self.around, self.level[spot]) for spot in keys["spots"]}
            spots = [spot for spot in sorted(far, key=lambda each: far[each]) if far[spot] <= radius]
            likely = [math.exp(-far[spot] / radius) for spot in spots]
            self.chances = [math.nan, *(each / sum(likely) for each in likely)]
            return found + [self.level[spot] for spot in spots]
        count, places, (x, y, _) = keys["points"] if keys["method"] == "nearby" else 0, [], in_space(self.around)
        for n in range(count):
            far, angle = radius * math.sqrt((n + 0.5) / count), n * math.pi * (3.0 - math.sqrt(5.0))
            places += [(x + UP * up + far * math.cos(angle), y + far * math.sin(angle)) for up in range(1 + self.level["floors"])]
        places = [place for place in places if self.reached(self.sets_out_from, place) == place and distance(place, self.around) <= radius + 1e-9]
        while places:
            far = [self.far_between(found[-1], place) for place in places]
            if min(far) > 3.0 * radius:
                break
            found.append(places.pop(far.index(min(far))))
        return found

    def search_cells(self, keys: dict[str, Any], t: float) -> float:
        """To where the target may be most likely; s until it looks again."""
        step = keys["cell"] / keys["speed"]
        if self.cells is None:
            self.lay_out(keys)
            self.others_checked = False
            self.spread_to, self.cleared, self.cell = t - self.age, 0.0, None
            self.note(t, "planned", 0)
        while t - self.spread_to >= step - 1e-9 * step:
            self.cells, self.spread_to = self.handed_on(), self.spread_to + step
        together, self.waits = self.company and not self.alone, False
        empty = {at for at in self.cells if any(b.has_in_view(at) or distance(b.at, at) <= b.close for b in (self.company if together else [self]))}
        own = {at for at in empty if self.has_in_view(at) or distance(self.at, at) <= self.close}
        self.others_checked = self.others_checked or any(self.cells[at] > 0.0 for at in empty - own)
        self.cleared += (1.0 - self.cleared) * sum(self.cells[at] for at in empty)
        rest = sum(self.cells.values()) - sum(self.cells[at] for at in empty)
        over = rest <= 0.0 or 1.0 - self.cleared <= 1e-6
        self.cells = {at: 0.0 if over or at in empty else share / rest for at, share in self.cells.items()}
        if self.point < 0 and self.is_anothers():
            self.point, self.others_checked = 1, True
        elif self.point < 0:
            self.point, self.aim = 0, self.around
            self.go(self.around)
        elif self.ended and (self.point == 0 or self.cell):
            self.note(t, "visited" if self.arrived else "unreachable", self.point, at=self.cell)
            if self.cell and not self.arrived:
                self.cells[self.cell] = 0.0
            self.point, self.cell = self.point + 1, None
        if self.point > 0:
            worth, near, best = self.handed_on(), keys["radius"] / 4.0, None
            for at in (at for at, share in self.cells.items() if share > 0.0):
                value = worth[at] / (1.0 + distance(self.at, at) / near) * self.share(at)
                best = (value, at) if value > (best[0] * (1.0 + 1e-9) if best else 0.0) else best
            if best is None and self.taken and any(self.cells.values()):
                self.waits, self.cell = True, None
                self.going = self.ended = False
                return 0.5
            if best is None and self.others_checked and not self.alone:
                self.alone, self.cells = True, None
                return self.search_cells(keys, t)
            if best is None:
                self.end_search(t, "nothing")
            elif self.cell is None or not self.share(self.cell) or worth[best[1]] > 1.5 * (1.0 + 1e-9) * worth[self.cell]:
                self.cell = self.aim = best[1]
                self.note(t, "planned", self.point, at=self.cell)
                self.go(self.cell)
        return min(max(step, self.dt), 0.5)

    def lay_out(self, keys: dict[str, Any]) -> None:
        """Cells of ground that can be walked on, row by row, and which are beside each other."""
        side, reach = keys["cell"], math.ceil(keys["radius"] / keys["cell"])
        whole = [(n, m) for m in range(-reach, reach + 1) for n in range(-reach, reach + 1)]
        x, y, _ = in_space(self.around)
        places = {(n, m, up): (x + UP * up + n * side, y + m * side) for up in range(1 + self.level["floors"]) for n, m in whole if math.hypot(n, m) * side <= keys["radius"] + 1e-9}
        places = {key: at for key, at in places.items() if self.reached(self.sets_out_from, at) == at and distance(at, self.around) <= keys["radius"] + 1e-6}
        self.beside = {at: [at] for at in places.values()}  # to where each leads
        pairs = [(at, places[key]) for (n, m, up), at in places.items() for key in ((n + 1, m, up), (n, m + 1, up)) if key in places]
        for at, other in (pair for pair, is_free in zip(pairs, self.are_free(pairs), strict=True) if is_free):
            self.beside[at].append(other)
            self.beside[other].append(at)
        for a, b in self.ground.links:
            near = [min(self.beside, key=lambda at, end=end: round(distance(at, end), 9), default=None) for end in (a, b)]
            if all(at and distance(at, end) <= side for at, end in zip(near, (a, b), strict=True)):
                self.beside[near[0]] += [near[1]] * (near[1] not in self.beside[near[0]])
        first = min((distance(at, self.around) for at in self.beside), default=0.0)
        begins = [at for at in self.beside if distance(at, self.around) <= first + 1e-9]
        self.cells = {at: (at in begins) / len(begins) for at in self.beside}

    def handed_on(self) -> dict[Place, float]:
        """What each cell has after all have shared with those beside them."""
        found = dict.fromkeys(self.cells, 0.0)
        for at, share in self.cells.items():
            for other in self.beside[at]:
                found[other] += share / len(self.beside[at])
        return found

    def next_point(self, t: float) -> float:
        """Set out for the next point, or wait until others leave one."""
        self.waits, left, points = False, False, self.points or []
        if not self.company:
            self.point += 1
        else:
            if self.point >= 0:
                self.checked[self.point] = "itself"
            best = self.best_point("")
            best = self.best_point("another") if best is None else best
            left = any(each != "itself" for each in self.checked)
            self.point = len(points) if best is None else best
        if self.point < len(points):
            self.aim = points[self.point]
            self.go(self.aim)
        elif left:
            self.waits, self.point, self.until = True, -1, t + 0.5
            self.going = self.ended = False
            return 0.5
        else:
            self.end_search(t, "nothing")
        return 0.2

    def end_search(self, t: float, outcome: str) -> None:
        self.hunts, self.look = False, self.state["look"]
        self.going = self.ended = False
        self.note(t, "ended", outcome=outcome)

    def sees(self, a: Place, b: Place) -> bool:
        """Whether nothing is between two places, as high as eyes and the middle of bodies."""
        (x, y, z), (to_x, to_y, to_z) = in_space(a), in_space(b)
        up = bool(self.level["floors"]) and z + 1.0 > STOREY - 1e-9
        if self.level["floors"] and up != (to_z > STOREY / 2):
            return False
        line = shapely.LineString([(x + UP * up, y), (to_x + UP * up, to_y)])
        solid = [*self.level["boxes"], *(door["box"] for door in self.doors if not door["open"])]
        if not HILLS:
            return not self.level["tall"] or not any(box.intersects(line) for box in solid)
        above = {at: z + 1.0 + math.dist((x, y), at) / math.dist((x, y), (to_x, to_y)) * (to_z - z) - height(at[0]) for at in cut_at_hills((x, y), (to_x, to_y))[1:-1]}
        met = [(top_of(box, self.level["tall"]), shapely.get_coordinates(box & line).tolist()) for box in solid]
        over = all(z + 1.0 + math.dist((x, y), at) / math.dist((x, y), (to_x, to_y)) * (to_z - z) > top for top, points in met for at in points)
        return over and min(above.values(), default=1.0) > 0.0

    def has_in_view(self, at: Place) -> bool:
        """Whether its cone takes in the middle of a body there, as high as its own eyes."""
        whole, far = self.cone
        ahead = math.dist(in_space(self.at)[:2], in_space(at)[:2]) <= 1e-9 or abs(off(bearing(self.at, at), self.heading)) <= math.radians(whole / 2.0)
        return ahead and distance(self.at, at) <= far and self.sees(self.at, at)

    def flee(self, keys: dict[str, Any], t: float, known: Place | None) -> None:
        """To the nearest spot that the focus cannot see; if it sees all, the farthest from it."""
        if self.over:
            return
        self.again = t + (0.2 if keys["until_unseen"] else 1.0)
        if keys["keep_eyes"] and known:
            self.look, self.looks_at = "place", known
        unseen = keys["until_unseen"] and self.spot and not (known and self.sees(known, self.at))
        if unseen or (self.spot and self.ended):
            self.over, self.again, self.look = True, math.inf, self.state["look"]
            self.going, self.ended, self.short = False, self.ended and not unseen, 0.0 if unseen else self.short
        elif not (self.spot and known) or self.sees(known, self.level[self.spot]):
            far = {spot: length(self.route(self.sets_out_from, self.level[spot])) for spot in keys["spots"]}
            out = [spot for spot in far if not (known and self.sees(known, self.level[spot]))]
            best = min(out, key=lambda each: far[each]) if out else max(far, key=lambda each: distance(self.level[each], known))
            if best != self.spot:
                self.spot = best
                self.go(self.level[best])

    def evade(self, keys: dict[str, Any], known: Place | None) -> None:
        """Once, in one of the directions that are free and do not lead nearer to the focus."""
        if self.over:
            return
        self.over, free, (x, y) = True, [], self.sets_out_from
        for n in range(keys["directions"]):
            angle = self.heading + 2.0 * math.pi * n / keys["directions"]
            dx, dy = keys["distance"] * math.cos(angle), keys["distance"] * math.sin(angle)
            away = not (keys["away"] and known) or dx * (in_space((x, y))[0] - in_space(known)[0]) + dy * (y - known[1]) >= -1e-6
            if away and self.are_free([((x, y), (x + dx, y + dy))])[0] and self.onto((x + dx, y + dy)) == (x + dx, y + dy):
                free.append((x + dx, y + dy))
        if free:
            self.go(free[stream(self.seed, "activity", self.name, self.state_name, self.entries).integers(len(free))])

    def roam(self, keys: dict[str, Any], t: float) -> float:
        """Over an area, straight from edge to edge or to random places; s until it thinks again."""
        if self.chance is None:
            self.chance = stream(self.seed, "activity", self.name, self.state_name, self.entries)
        follows = keys.get("about") == "guest"
        if self.area is None or follows:
            self.until = t + keys["every"] if self.until is None else self.until
            self.area = self.drawn = self.area_to_roam(keys)
            if HILLS and keys["method"] == "wander":
                self.area = shapely.union_all(shapely.get_parts(self.area))
        if not self.area:
            self.going, self.ended, self.told, self.short = False, not follows, True, 0.0 if follows else math.inf
            return keys["every"] if follows else math.inf
        if keys["method"] == "places":
            return self.to_a_place(keys, t)
        if self.link:
            return self.dt
        if (self.outside or follows) and not is_within(self.area, self.at):
            self.normal, self.until, self.keeps, self.pausing = None, t + keys["every"], False, False
            self.go(self.any_place() if follows else self.nearest_inside(), stop=EXACT)
            return keys["every"] if follows else math.inf
        keeps, self.keeps, self.outside = self.keeps and t < self.until - 1e-9, False, False
        if t >= self.until - 1e-9:
            if keys["pause"] > 0.0 and not self.pausing:
                self.pausing, self.going, self.ended = True, False, False
                return keys["pause"]
            self.pausing, self.normal, self.until = False, None, t + keys["every"]
        if keeps:
            angle = bearing(self.at, self.path[-1])
        else:
            share = float(self.chance.random())
            angle = (2.0 * share - 1.0) * math.pi if self.normal is None else self.normal + math.asin(2.0 * share - 1.0)
        ahead = self.at[0] + math.cos(angle), self.at[1] + math.sin(angle)
        self.take(lambda at: [self.straight_on(at, angle)], self.at, EXACT, self.area, ahead)
        self.last = self.path[-1], EXACT
        return max(self.until - t, self.dt)

    def to_a_place(self, keys: dict[str, Any], t: float) -> float:
        if self.chosen and t < self.until - 1e-9:
            return self.until - t
        if self.chosen and keys["pause"] > 0.0 and not self.pausing:
            self.pausing, self.going, self.ended = True, False, False
            return keys["pause"]
        self.pausing, self.chosen, self.until = False, True, t + keys["every"]
        self.go(self.any_place(), stop=EXACT)
        return keys["every"]

    def area_to_roam(self, keys: dict[str, Any]) -> Any:
        """The ground that it is on within a zone and a ring; nothing if there is none."""
        ends = 99 if self.level["floors"] else 102
        about, whole = keys.get("about"), self.yard.buffer(-1e-3) if self.yard else shapely.union_all(strips()) if HILLS else shapely.box(-ends, -ends, ends, ends)
        middle = {"here": self.entered, "guest": self.guest, "start": self.start}.get(about, self.home[:2])
        if not middle:
            return shapely.Polygon()
        x, y, _ = in_space(middle)
        own, places = self.sets_out_from[0] > UP / 2, keys["method"] == "places" or bool(HILLS and about == "guest")
        found = []
        for up in (own, not own):
            if not (up == own or (places and up in self.storeys(self.sets_out_from))):
                continue
            ground = shapely.affinity.translate(whole, UP * up).difference(shapely.union_all(self.grown))
            solid = shapely.union_all(self.grown)
            part = min(shapely.get_parts(ground), key=lambda part: part.distance(shapely.Point(self.sets_out_from)))
            cuts = [part]
            if HILLS and places:  # a piece of each floor at a time
                cuts = [each for strip in strips() for each in shapely.get_parts((strip & whole) - solid) if part.buffer(1e-6).covers(each)]
            if "zone" in keys:
                zone = self.level["meadow"]
                off = np.subtract((x, y), zone.centroid.coords[0]) if about else (0.0, 0.0)
                cuts = [each & shapely.affinity.translate(zone, off[0] + UP * up, off[1]) for each in cuts]
            if "ring" in keys:
                least, most = (shapely.Point(x + UP * up, y).buffer(far, quad_segs=32) for far in keys["ring"])
                cuts = [each & (most - least) for each in cuts]
            found += [each for each in cuts if each.area >= 1e-6]
        return shapely.GeometryCollection(found) if len(found) > 1 else found[0] if found else shapely.Polygon()

    def nearest_inside(self) -> Place:
        """The nearest place well within its area."""
        inner = [each for each in ((part & self.area).buffer(-0.05) for part in strips() or [self.area]) if not each.is_empty]
        near = [shapely.ops.nearest_points(each, shapely.Point(self.at))[0].coords[0] for each in inner]
        return min(near, key=lambda at: distance(at, self.at), default=self.area.representative_point().coords[0])

    def any_place(self) -> Place:
        """One that is drawn evenly from its area."""
        shape = self.drawn
        if isinstance(shape, shapely.GeometryCollection) and not isinstance(shape, shapely.MultiPolygon):
            sizes = np.cumsum([each.area for each in shape.geoms])
            shape = shape.geoms[int(np.searchsorted(sizes, float(self.chance.random()) * sizes[-1], side="right"))]
        low_x, low_y, high_x, high_y = shape.bounds
        while True:
            x, y = self.chance.random(2)
            found = (low_x + (high_x - low_x) * float(x), low_y + (high_y - low_y) * float(y))
            if shape.covers(shapely.Point(found)):
                return found

    def straight_on(self, at: Place, angle: float) -> Place:
        """As far as its area goes in a direction; the normal there is kept."""
        dx, dy = math.cos(angle), math.sin(angle)
        far, self.normal = math.inf, angle + math.pi
        least = 5e-4 if self.area.covers(shapely.Point(at[0] + 5e-4 * dx, at[1] + 5e-4 * dy)) else -5e-4  # or it is at an edge
        for a, b in (side for ring in shapely.get_rings(shapely.get_parts(self.area)) for side in pairwise(shapely.get_coordinates(ring).tolist())):
            along, to = np.subtract(b, a), np.subtract(a, at)
            across = dx * along[1] - dy * along[0]
            if abs(across) < 1e-12:
                continue
            away, share = (to[0] * along[1] - to[1] * along[0]) / across, (to[0] * dy - to[1] * dx) / across
            if least < away < far and 0.0 <= share <= 1.0:
                normal = math.atan2(along[0], -along[1])
                far, self.normal = away, normal + math.pi * (math.cos(normal - angle) > 0.0)
        far = max(far - 2e-3, 0.0) if far < math.inf else 0.0
        return at[0] + far * dx, at[1] + far * dy

    def patrol(self, keys: dict[str, Any], t: float) -> None:
        """To the nearest point of the route, without a pause there, and then from corner to corner."""
        route, loops = self.level["round"], keys["order"] == "loop"
        if self.corners is None:
            self.corners = corners_from(route, keys["order"], self.first_corner(route, loops))
            joint = min((at for at, _ in self.onto_legs(route, loops)), key=lambda at: round(distance(self.at, at), 9))
            if distance(self.at, joint) > self.legs["arrive"]:
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
        away = [(distance(self.at, at), share) for at, share in self.onto_legs(route, loops)]
        first = next(n for n, (far, _) in enumerate(away) if far <= min(away)[0] + 1e-9)
        return (first + (away[first][1] > 1e-9)) % len(route)

    def onto_legs(self, route: list[Place], loops: bool) -> list[tuple[Place, float]]:
        """Of each leg of a route the nearest point, and how far along it that is."""
        here, found = np.array(in_space(self.at)), []
        for a, b in [*zip(route, [*route[1:], route[0]], strict=True)][: len(route) - (not loops)]:
            start, leg = np.array(in_space(a)), np.subtract(in_space(b), in_space(a))
            share = min(max(float((here - start) @ leg / (leg @ leg)), 0.0), 1.0)
            at = a[0] + share * (b[0] - a[0]), a[1] + share * (b[1] - a[1])
            found.append((Aloft.at(*at, start[2] + share * leg[2]) if HILLS else at, share))
        return found

    @property
    def sets_out_from(self) -> Place:
        """Where its next path begins: at the end of a link first."""
        return self.link["to"] if self.link else self.at

    @property
    def grown(self) -> list[Any]:
        """What is in its way, grown by its radius: boxes, and shut doors that it may not open."""
        return self.ground.grown

    @property
    def ground(self) -> Ground:
        """Where it can walk, with the doors that stand open now."""
        shut = tuple(door["name"] for door in self.doors if not (door["open"] or may_open(door, "guard")))
        if shut not in self.grounds:
            boxes = [*self.level["boxes"], *(door["box"] for door in self.doors if door["name"] in shut)]
            graph, grown = nx.DiGraph(), [box.buffer(RADIUS, join_style="mitre") for box in boxes]
            outer = shapely.union_all(grown).buffer(1e-3, join_style="mitre" if self.yard else "round")
            inner = np.array([box.buffer(-1e-3) for box in grown], dtype=object)
            yards = (self.yard.difference(shapely.union_all(grown)), self.yard.buffer(-2e-3, join_style="mitre").difference(outer)) if self.yard else ()
            self.grounds[shut] = Ground(grown, inner, outer.boundary, [shapely.get_parts(yard).tolist() for yard in yards], graph, [])
            graph.add_nodes_from(at for box in grown for at in box.exterior.coords[:-1])
            graph.add_nodes_from(self.level["bends"](shut, self.yard))
            links = [each for each in self.level["links"] if may_take(each, self.name) and not {*each["doors"]} & {*shut}]
            links = [each for each in links if all(self.onto(each[end]) == each[end] for end in ("at", "to"))]
            links = [each for each in links if not (self.are_free([(each["at"], each["to"])])[0] and length([each["at"], each["to"]]) <= distance(each["at"], each["to"]) + 1e-9)]
            graph.add_nodes_from(each[end] for each in links for end in ("at", "to"))
            self.join(graph, list(combinations(graph, 2)))
            self.ground.links.extend((each["at"], each["to"]) for each in links)
            graph.add_edges_from((each["at"], each["to"], {"weight": distance(each["at"], each["to"]), "link": each}) for each in links)
        return self.grounds[shut]

    def join(self, graph: nx.Graph, pairs: list[tuple[Place, Place]]) -> None:
        pairs = [pair for pair, is_free in zip(pairs, self.are_free(pairs), strict=True) if is_free]
        graph.add_edges_from((*ends, {"weight": far}) for (a, b), far in zip(pairs, lengths(pairs), strict=True) for ends in ((a, b), (b, a)))

    def are_free(self, pairs: list[tuple[Place, Place]]) -> list[bool]:
        """From where to where it can walk straight."""
        lines = shapely.linestrings(np.array(pairs).reshape(-1, 2, 2))
        cut = shapely.relate_pattern(lines[:, None], self.ground.inner[None, :], "T********")
        out = [bool(self.yard) and not self.yard.buffer(1e-6).covers(line) for line in lines]
        out = [no or (a[0] > UP / 2) != (b[0] > UP / 2) for no, (a, b) in zip(out, pairs, strict=True)]
        out = [no or (bool(HILLS) and max(abs(a[1]), abs(b[1])) > 9.0) for no, (a, b) in zip(out, pairs, strict=True)]
        found: list[bool] = (~cut.any(axis=1) & ~np.array(out, dtype=bool)).tolist()
        return found

    def tend_doors(self, t: float, other: Place | None, step: Place | None) -> None:
        """Before anybody decides: doors open for who has waited or comes through, and shut by themselves."""
        if self.opening and t >= self.opening[1] - 1e-9:
            self.turn(self.opening[0], True, t)
            self.opening = None
        if other and step and math.hypot(*step) > 1e-9:
            reach = math.hypot(*step) + 0.05
            far = (reach + RADIUS) / math.hypot(*step)
            door = self.door_ahead(other, [(other[0] + far * step[0], other[1] + far * step[1])], reach)
            if door and may_open(door, "guest"):
                self.turn(door, True, t)
        for door in self.doors:
            up = door["box"].bounds[0] > UP / 2
            places = [in_space(place) for place in (self.at, *([other] if other else []))]
            near = [(x + UP * up, y) for x, y, z in places if HILLS or STOREY * up - 2.0 <= z < STOREY * (up + 1)]
            empty = all(door["box"].distance(shapely.Point(place)) >= RADIUS + 0.05 for place in near)
            if t >= door["shuts_at"] - 1e-9 and empty:
                self.turn(door, False, t)

    def turn(self, door: dict[str, Any], is_open: bool, t: float) -> None:
        if door["soon"] != is_open:
            door["soon"], self.turned = is_open, True
            self.turns.append((round(t, 6), door["name"], "open" if is_open else "shut"))
            door["shuts_at"] = t + door["shuts"] if is_open and door["shuts"] else math.inf

    def begin_to_open(self, t: float) -> None:
        """The first shut door on its path, when it comes near."""
        if not self.going or self.opening or self.link:
            return
        reach, rest = self.pace * self.dt + 0.05, before_links(self.path)
        door = self.door_ahead(self.at, rest, reach)
        if not door and len(rest) < len(self.path) and length([self.at, *rest]) <= reach:
            door = next((each for each in self.doors if each["name"] in self.path[len(rest)].link["doors"] and not each["soon"]), None)
        if door and may_open(door, "guard"):
            self.opening = door, t + door["seconds"]

    def door_ahead(self, here: Place, way: list[Place], reach: float) -> dict[str, Any] | None:
        """The nearest shut door on the next metres of a path."""
        line, at = shapely.LineString([here, *(along([here, *way], reach + RADIUS, math.dist) or [here])]), shapely.Point(here)
        shut = {n: door["box"] for n, door in enumerate(self.doors) if not door["soon"] and not (HILLS and in_space(here)[2] >= top_of(door["box"], self.level["tall"]))}
        far = {n: box.distance(at) for n, box in shut.items() if box.intersects(line)}
        near = min(far, key=lambda n: far[n], default=None)
        return None if near is None or far[near] - RADIUS > reach else self.doors[near]

    def make_room(self) -> tuple[float, float] | None:
        """How far it is pushed by those of its group that are too near to it."""
        x = y = 0.0
        for b in self.company:
            (p, q, z), (r, s, other_z) = in_space(self.at), in_space(b.at)
            far = math.dist((p, q), (r, s))
            lacks = self.apart - far if abs(z - other_z) < 1.0 else 0.0
            if b is not self and lacks > 1e-9 and not self.link and b not in self.passes:
                dx, dy = (p - r) / far, (q - s) / far
                aside = 0.35 * self.going
                part = 1.0 if b.link else 0.5
                if not b.link and min(self.before_stop, b.before_stop) < self.apart:  # one of them keeps its place
                    part = float((b.before_stop, self.company.index(b)) < (self.before_stop, self.company.index(self)))
                x, y = x + part * lacks * (dx - aside * dy), y + part * lacks * (dy + aside * dx)
        return (x, y) if x or y else None

    def let_pass(self) -> None:
        """Those that it is stuck on, until they are far enough apart."""
        waits = {b for b in self.company if not b.going or b.was_stuck >= 1.0 - 1e-9}
        for b in self.company:
            (x, y, z), (p, q, other_z) = in_space(self.at), in_space(b.at)
            near = b is not self and self.apart - math.dist((x, y), (p, q)) > 1e-9 and abs(z - other_z) < 1.0
            if near and {self, b} <= waits and (self.going or b.going):
                self.passes.add(b)
            elif not near:
                self.passes.discard(b)

    def was_pushed(self) -> None:
        if self.going and self.was_left - self.left < 0.02 * self.pace * self.dt:
            self.stuck = self.was_stuck + self.dt

    @property
    def before_stop(self) -> float:
        """How far its path still leads to its end, or to where the next link begins."""
        rest = before_links(self.path)
        whole = self.left - self.stop if len(rest) == len(self.path) else length([self.at, *rest])
        return max(whole, 0.0) if self.going else math.inf

    def shift(self, x: float, y: float) -> None:
        """Be pushed, or along one axis only if something is in the way; and plan again if it has to."""
        places = [(self.at[0] + dx, self.at[1] + dy) for dx, dy in ((x, y), (x, 0.0), (0.0, y))]
        to = next((to for to in places if self.are_free([(self.at, to)])[0]), None)
        if to:
            self.at, self.outside = to, True
            ahead = before_links(self.path)[: 2 if self.going and "roam" not in self.state and self.path[0] != self.turn_at else 1]
            straight = [length([to, place]) if free else math.inf for place, free in zip(ahead, self.are_free([(to, place) for place in ahead]), strict=True)]
            if len(ahead) == 2 and straight[1] < math.inf and straight[1] <= straight[0] + length(ahead) + 1e-9:
                self.path = self.path[1:]
            elif self.going and straight[0] == math.inf:
                self.go(*self.last)

    def settle(self) -> None:
        """At the end of a tick doors are as they were turned, and who is on a path plans again."""
        for door in self.doors:
            door["open"] = door["soon"]
        if self.turned and "roam" in self.state:
            to_a_place, had_none = self.state["roam"]["method"] == "places", self.area is not None and self.area.is_empty
            self.area, self.outside, self.keeps = None, True, self.going
            if had_none or (not to_a_place and (self.going or self.short > 0.0)):
                self.again = -math.inf
        if self.turned and (self.going or self.short > 0.0) and self.again > -math.inf:
            self.go(self.last[0], self.last[1])
        self.turned = False

    def onto(self, place: Place, stays: bool = False) -> Place:
        """The place itself, or the nearest where it can stand."""
        if self.yard:
            own, inner = (min(parts, key=lambda part: part.distance(shapely.Point(self.at))) for parts in self.ground.yards)
            on = shapely.ops.nearest_points(inner, shapely.Point(place))[0].coords[0]
            return place if own.covers(shapely.Point(place)) else on
        if HILLS and (is_deep(place) or abs(place[1]) > 9.0 or shapely.contains_properly(self.grown, shapely.Point(place)).any()):
            solid = shapely.union_all([box.buffer(1e-3) for box in self.grown])
            parts = [part for strip in strips() for part in shapely.get_parts(strip.buffer(-1e-3, join_style="mitre") - solid)]
            found = [shapely.ops.nearest_points(part, shapely.Point(place))[0].coords[0] for part in parts]
            return min(found, key=lambda at: (stays and abs(height(at[0]) - height(place[0])) > 0.5, distance(at, place)))
        if shapely.contains_properly(self.grown, shapely.Point(place)).any():
            rim = self.ground.rim
            return rim.interpolate(rim.project(shapely.Point(place))).coords[0]
        return place

    def reached(self, start: Place, goal: Place) -> Place:
        """The goal, or the nearest to it that can be reached: on each floor in plan, of these in space."""
        there = self.storeys(start)
        goal = placed(*in_space(goal))
        if (goal[0] > UP / 2) in there:
            return self.onto(goal if is_deep(goal) else (goal[0], goal[1]))
        x, y, _ = in_space(goal)
        return min((self.onto((x + UP * up, y)) for up in there), key=lambda at: distance(at, goal))

    def storeys(self, start: Place) -> set[bool]:
        """The floors in reach from a place."""
        there = {start[0] > UP / 2}
        for _ in range(2):
            there |= {b[0] > UP / 2 for a, b in self.ground.links if (a[0] > UP / 2) in there}
        return there

    def far_between(self, start: Place, goal: Place) -> float:
        """By path, of the nearest places to both that it can get to."""
        start, goal = (self.reached(self.sets_out_from, place) for place in (start, goal))
        line = self.route(start, goal)
        return length(line) if line[-1] == goal else math.inf

    def route(self, start: Place, goal: Place) -> list[Place]:
        """The shortest path around the boxes, as near to both as it can stand."""
        start = self.onto(start, stays=True)
        goal = self.reached(start, goal)
        if start == goal:
            return [goal, goal]
        graph = self.ground.graph
        new = {start, goal}.difference(graph)
        self.join(graph, [(start, goal), *((end, at) for end in new for at in graph if at != end)])
        found: list[Place] = nx.dijkstra_path(graph, start, goal)
        links = [graph.edges[pair].get("link") for pair in pairwise(found)]
        graph.remove_nodes_from(new)
        return [found[0], *(Landing.of(link) if link else place for place, link in zip(found[1:], links, strict=True))]

    def way(self, start: Place, goal: Place) -> list[Place]:
        """Its path: first back onto the ground, if it stands too near to a wall."""
        on, *turns = self.route(start, goal)
        return [on, *turns] if distance(on, start) > 2e-3 else turns

    def go(self, goal: Place, stop: float = 0.0) -> None:
        """Take the path to a goal."""
        path = self.take(lambda at: self.way(at, goal), self.sets_out_from, stop)
        ground = (goal[0], goal[1]) if HILLS else placed(*in_space(goal))
        short, self.last = distance(path[-1], ground), (goal, stop)
        short = math.dist(path[-1], goal[:2]) if is_deep(goal) else short
        self.stop, self.short = max(stop - short, 0.0), short if short > stop + self.close else 0.0

    def take(self, leads: Any, start: Place, stop: float, area: Any = None, ahead: Place | None = None) -> list[Place]:
        """Take a path, first along an arc, in an area, or to a stand if it has to: if its first place is behind."""
        path, brakes, gain = leads(start), self.legs["acceleration"], self.legs["acceleration"] * self.dt
        far, self.turn_at, arc = length([self.at, *path]), None, None
        if self.legs["smooth"] and far > (self.close if area else stop or self.close) and not self.link:
            arc = None if isinstance(path[0], Landing) else self.arc_to(path[0], area)
        behind = self.path and self.speed > gain and self.is_behind(ahead or path[0])
        rest = along([self.at, *before_links(self.path)], self.speed**2 / (2.0 * brakes)) if behind and self.left > 2e-6 else []
        if area and behind and not rest:
            self.speed = 0.0
        if arc and not (area and rest):
            path = [*arc, *path]
        elif behind:
            self.speed = self.speed if rest else 0.0
            if rest and area and not is_within(area, rest[-1]):
                path, self.outside = rest, True
            elif rest:
                path, self.turn_at = [*rest, *leads(rest[-1])], rest[-1]
        self.path, self.stop, self.short = path, stop, 0.0
        self.going, self.ended, self.told = True, False, False
        return path

    def is_behind(self, place: Place) -> bool:
        ahead, there = (np.subtract(each, self.at) for each in (self.path[0], place))
        return self.left <= 2e-6 or bool(ahead @ there < -1e-9 * np.hypot(*ahead) * np.hypot(*there))

    def arc_to(self, corner: Place, area: Any = None) -> list[Place] | None:
        """The shorter of the arcs to the right and to the left that do not cut into a box, or leave its area."""
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
            free = free and (not (area or self.yard) or (area or self.yard).covers(line)) and (not HILLS or shapely.union_all(strips()).covers(line))
            if free and (best is None or line.length < best[0] - 1e-9):
                best = line.length, arc
        return best[1] if best else None

    def arrive(self) -> None:
        if self.going and not any(isinstance(place, Landing) for place in self.path) and self.left - self.stop <= (1e-9 if self.stop > 0.0 else self.close):
            self.going, self.ended = False, True

    def can_stop_within(self, far: float) -> float:
        gain = self.legs["acceleration"] * self.dt
        if far <= gain * self.dt + 1e-9:
            return max(far, 0.0) / self.dt
        return math.sqrt(gain**2 + 2.0 * self.legs["acceleration"] * far) - gain

    def looks(self, focus: Place | None) -> float:
        look, t, whole = self.look, self.ticks * self.dt, math.radians(self.state["sweep_whole"])
        period = self.state["sweep_period"]
        focus = self.looks_at if look == "place" else focus
        if look in ("focus", "place") and focus and distance(focus, self.at) > 1e-9:
            return bearing(self.at, focus)
        if look == "sweep":
            return self.base + whole / 2.0 * math.sin(2.0 * math.pi * t / period)
        if look == "glances":
            n = math.floor(t / period + 1e-9)
            when, side = stream(self.seed, "glance", self.name, self.entries, n).random(2)
            if 0.7 * when * period <= t - n * period < (0.7 * when + 0.3) * period:
                return float(self.base + (2.0 * side - 1.0) * whole / 2.0)
        return self.base

    def move(self, focus: Place | None) -> None:
        if self.going and "speeds" in self.state:
            self.pace = float(np.interp(self.left, *zip(*self.state["speeds"], strict=True)))
        if self.opening:  # it waits for it to open
            self.arrive()
            self.speed, self.ticks = 0.0, self.ticks + 1
            return
        left, gain = self.left - self.stop, self.legs["acceleration"] * self.dt
        self.was_left, self.was_stuck = self.left, self.stuck
        if self.link:
            self.stuck = 0.0
            self.climb(focus)
            return
        self.arrive()
        rest = before_links(self.path)
        links, before = len(rest) < len(self.path), length([self.at, *rest])
        if self.going and links and before <= 1e-9:
            self.path, self.ticks = self.path[len(rest):], self.ticks + 1
            self.begin_link()
            return
        if self.going:
            while len(self.path) > 1 and distance(self.at, self.path[0]) <= 1e-9:
                self.path.pop(0)
            self.base = math.atan2(self.path[0][1] - self.at[1], self.path[0][0] - self.at[0])
        most, wanted = math.radians(self.legs["turn_rate"]) * self.dt, 0.0
        turned = min(max(off(self.looks(focus), self.heading), -most), most)
        self.heading += turned
        aims = self.going and self.look == "ahead" and abs(turned) > 1e-9
        if self.going:
            ahead = max(math.cos(self.base - self.heading), 0.0) if self.look == "ahead" else 1.0
            wanted = min(self.pace * ahead, self.can_stop_within(left))
            back = length([self.at, *self.path[: self.path.index(self.turn_at) + 1]]) if self.turn_at in self.path else 0.0
            wanted = min(wanted, self.can_stop_within(back)) if back > 1e-6 else wanted
            wanted = min(wanted, self.can_stop_within(before)) if links else wanted
        self.speed = min(max(wanted, self.speed - gain, 0.0), self.speed + gain)
        rest = left if self.going else self.left
        self.speed = self.speed if rest > 0.0 or not self.going else 0.0
        went = along([self.at, *before_links(self.path)], min(self.speed * self.dt, rest)) if self.speed > 0.0 and rest > 0.0 else []
        if went:
            self.at = went[-1]
            passed = sum(a == b for a, b in zip(went, self.path, strict=False))
            self.path = self.path[min(passed, len(self.path) - 1):]
            self.begin_link()
        self.arrive()
        slow = not aims and (min(self.speed * self.dt, rest) if went else 0.0) < 0.02 * self.pace * self.dt
        self.stuck = self.stuck + self.dt if self.going and slow else 0.0
        self.ticks += 1

    def begin_link(self) -> None:
        if isinstance(self.path[0], Landing):
            self.link, self.climbed, self.speed = self.path[0].link, 0.0, 0.0

    def climb(self, focus: Place | None) -> None:
        """On along a link, at an even pace; at its end its path goes on."""
        (x, y, z), (to_x, to_y, to_z) = in_space(self.link["at"]), in_space(self.link["to"])
        whole = distance(self.link["at"], self.link["to"])
        self.climbed += whole * self.dt / self.link["seconds"]
        share = min(self.climbed / whole, 1.0)
        self.base = math.atan2(to_y - y, to_x - x) if math.dist((x, y), (to_x, to_y)) > 0.5 else self.base
        most = math.radians(self.legs["turn_rate"]) * self.dt
        self.heading += min(max(off(self.looks(focus), self.heading), -most), most)
        self.at, self.ticks = Aloft((x + share * (to_x - x), y + share * (to_y - y))), self.ticks + 1
        self.at.z = z + share * (to_z - z)
        if share > 1.0 - 1e-9:
            self.at = self.link["to"]
            was, self.link = self.link, None
            if isinstance(self.path[0], Landing) and self.path[0].link is was:
                self.path = self.path[1:] or [self.at]
                self.begin_link()


def random_walk(folder: Path, seed: int) -> tuple[snelk.Scenario, dict[str, Any]]:
    """A guard that goes from state to state, each for a while; a guest walks about in its view.

    Odd seeds have boxes to walk around, of which many are doors. It feels the guest wherever it is.
    Of every third there are two or three, who search together; of the others some have a territory.
    From 2000 on there are links over long walls, and no territories; from 3000 on a floor above.
    From 4000 on they roam; from 5000 on with links and no territories (but not in groups), from 6000 on with a floor above.
    From 7000 on the ground slopes, from 8000 on they roam there, both without making room for others; from 9000 on with links, too; from 10000 on both.
    """
    chance = np.random.default_rng(seed)

    def some(low: float, high: float) -> float:
        return round(float(chance.uniform(low, high)), 2)

    def one(*of: Any) -> Any:
        return of[int(chance.integers(len(of)))]

    boxes = []
    for x, y in np.argwhere(chance.random((3, 3)) < 0.6 * (seed % 2)) * 4.0 - 6.0:
        x, y = x + some(0.3, 1.0) + 0.0037, y + some(0.3, 1.0) + 0.0037  # no place is right at the edge of one
        boxes.append(shapely.box(x, y, x + some(0.5, 2.6), y + some(0.5, 2.6)))

    has_links, floors, roams, hilly = seed // 1000 in (2, 3, 5, 6, 9, 10), seed // 1000 in (3, 6), seed // 1000 in (4, 5, 6, 8, 10), seed >= 7000
    HILLS.clear()
    for x in sorted(chance.choice(13, int(chance.integers(2, 5)), replace=False).tolist()) if hilly else []:
        x, (before, low) = x - 5.9929, (HILLS or [(0.0, 0.0)])[-1]
        HILLS.append((x, low + (x - before) * some(-0.8, 0.8) if HILLS else 0.0))
    boxes = [shapely.affinity.translate(box, UP * one(0, floors)) for box in boxes] if has_links else boxes
    longs = [(one(-2.0, 2.0) + 0.0053, some(5, 9), UP * one(0, floors)) for _ in range(int(chance.integers(1, 3)) if has_links else 0)]
    boxes += [shapely.box(x - far - 0.0037, y - 0.1, x + some(5, 9), y + 0.1) for y, far, x in longs]

    def place(apart: float = RADIUS + 0.01) -> Place:
        while True:
            found = (some(-6, 6) + (UP * one(0, 1) if floors else 0.0), some(-6, 6))
            if not any(box.buffer(apart, join_style="mitre").intersects(shapely.Point(found)) for box in boxes):
                return found

    names = ("guard", "second", "third")[: int(chance.integers(2, 4)) if seed % 3 == 2 else 1]
    links = []
    for n in range(int(chance.integers(3, 7)) if longs else 0):
        x, (y, _, up) = some(-4, 4), one(*longs)
        ends = [(round(x + some(-0.5, 0.5) + up, 2), round(y + to, 2)) for to in (some(0.2, 1.5), -some(0.2, 1.5))]
        if floors and chance.random() < 0.7:
            ends = one([(x, some(-6, 6))], [(x + some(-2, 2), some(-6, 6))])
            ends = [*ends, (round(ends[0][0] + one(0.0, some(-2, 2)) + UP, 2), round(ends[0][1] + some(-1, 1), 2))][:: one(1, -1)]
        keys = {"one_way": bool(chance.random() < 0.3), **one({}, {"seconds": some(0.1, 4)}), **one({}, {}, {}, {"who": [one("guard", "second")]})}
        links.append({"name": f"link{n}", "ends": ends, **keys})
        if chance.random() < 0.3 and len(names) == 1:  # a hatch, in the wall itself
            boxes.append(shapely.box(x - 0.5 + up, y - 0.05, x + 0.5 + up, y + 0.05))
    doors = {}
    for n, box in enumerate(boxes):
        if chance.random() < (0.9 if box.area < 0.2 else 0.2 if box.area > 2.0 and longs else 0.75) and len(names) == 1:
            keys = {"who": one(None, ["guard"], ["guest"], []), "seconds": one(0.0, 0.3, 1.0), "open": bool(chance.random() < 0.2)}
            doors[f"box{n}"] = {**keys, **one({}, {"shuts": some(0.5, 6)})}
    tall = seed % 4 == 3 or floors
    level: dict[str, Any] = {
        "tall": tall, "floors": floors, "boxes": [box for n, box in enumerate(boxes) if f"box{n}" not in doors],
        "doors": [{"shuts": None, **keys, "name": name, "box": boxes[int(name[3:])]} for name, keys in doors.items()],
    }
    level["links"] = [
        {"who": each.get("who"), "at": at, "to": to, "seconds": each.get("seconds", distance(at, to)),
         "doors": [door["name"] for door in level["doors"] if passes(at, to, door["box"], tall)]}
        for each in links for at, to in (each["ends"], each["ends"][::-1])[: 2 - each["one_way"]]
    ]
    level |= {"round": [place() for _ in range(int(chance.integers(2, 5)))]}
    level["round"] = [at for at in level["round"] if (at[0] > UP / 2) == (level["round"][0][0] > UP / 2)]
    level["round"] += [(level["round"][0][0] + 0.5, 7.0)][: len(level["round"]) < 2]
    level |= {f"spot{n}": place(one(-9.0, 0.3)) for n in range(3)}

    def flee() -> dict[str, Any]:
        return {"flee": {"spots": [f"spot{n}" for n in range(3)], "keep_eyes": one(True, False), "until_unseen": one(True, False)}}

    def evade() -> dict[str, Any]:
        return {"evade": {"distance": some(0.5, 5), "directions": int(chance.integers(2, 13)), "away": one(True, False)}}

    def search() -> dict[str, Any]:
        keys = {"method": one("there", "nearby", "hideouts", "likelihood", "likelihood"), "radius": some(2, 6), "point_time": one(0.0, 0.5, some(0.2, 2))}
        spots = [f"spot{n}" for n in range(3) if chance.random() < 0.7] or ["spot0"]
        keys |= {"cell": one(1.0, some(0.5, 2)), "speed": one(1.0, some(0.3, 3))}
        return {"search": {**keys, "give_up": some(2, 20), "points": int(chance.integers(1, 9)), "spots": spots}}

    def roam() -> dict[str, Any]:
        keys = {"method": one("wander", "wander", "places"), "every": some(0.5, 6), "pause": one(0.0, 0.0, some(0.1, 2))}
        least = one(0.0, some(0.0, 3))
        keys |= one({"zone": "meadow"}, {"zone": "meadow"}, {"ring": [least, round(least + some(0.5, 6), 2)]}, {})
        keys |= one({}, {}, {"about": one("home", "start", "here", "guest")}) if len(keys) > 3 else {}
        if "ring" in keys and keys.get("about") in ("start", "here"):  # from its middle all of it is as near
            keys["ring"][0] = 0.0
        return {"roam": keys}

    kinds = [
        lambda: {"patrol": {"route": "round", "order": one("loop", "back_and_forth", "once"), "pause": one(0.0, 0.0, 0.3, 1.0)}},
        lambda: {"go": {"spot": f"spot{chance.integers(3)}"}}, lambda: {"home": {}}, lambda: {"resume": {}},
        lambda: {"approach": one({}, {"stop": some(0.0, 3.0)})}, lambda: {"stand": {}}, lambda: {"go": {}}, search, search, flee, evade,
    ]
    kinds = kinds[5:6] + 6 * [search] if len(names) > 1 else kinds
    kinds += 8 * (roams and (len(names) == 1 or seed // 1000 != 5)) * [roam]

    def guard() -> dict[str, Any]:
        keys = [f"s{n}" for n in range(int(chance.integers(2, 6)))]
        states, transitions = {}, {}
        for n, key in enumerate(keys):
            looks = {"look": one("ahead", "ahead", "focus", "sweep", "glances"), "sweep_whole": some(20, 300), "sweep_period": some(0.5, 4)}
            states[key] = {**one(*kinds)(), **looks, "pace": one("creeping", "walking", "running"), "rank": one(0, 0, 1)}
            if chance.random() < 0.3:
                states[key]["speeds"] = [[0.0, some(0.5, 2)], [some(0.5, 2), some(0.5, 4)], [some(3, 6), some(0.5, 4)]]
            transitions[f"c{n}"] = {"from": key, "to": keys[(n + 1) % len(keys)], "when": f"state_for >= {some(0.3, 6)}s"}
        legs = {
            "creeping": some(0.3, 1), "walking": some(1, 2), "running": some(2, 5), "turn_rate": one(some(40, 120), some(120, 720)),
            "acceleration": one(some(0.5, 3), some(3, 12)), "arrive": one(0.05, 0.3, some(0.1, 1.0)), "smooth": bool(chance.random() < 0.3),
        }
        *at, z = in_space(place())
        own_home = {"home": [round(at[0] + 0.31, 2), round(at[1] + 0.17, 2)]} if roams else {}
        member, cone = {"at": at, "z": z, **own_home, "facing": some(-180, 180)}, one((360.0, 99.0), (some(40, 300), some(1, 8)))
        return {"states": states, "transitions": transitions, "legs": legs, "member": member, "cone": cone}

    guards, dt = {name: guard() for name in names}, one(0.05, 0.1, 0.1, 0.25)
    features = [scenes.feature("spot", f"spot{n}", shapely.Point(*in_space(level[f"spot{n}"])[: 2 + (floors or hilly)])) for n in range(3)]
    for n, box in enumerate(boxes):
        up, keys = box.bounds[0] > UP / 2, {"door": True} if f"box{n}" in doors else {}
        box = shapely.affinity.translate(box, -UP * up)
        keys |= {"base": -20.0, "top": top_of(box, tall)} if hilly else {"base": STOREY * up, "top": STOREY * up + (STOREY if tall else 0.4)}
        features.append(scenes.feature("wall", f"box{n}", box, **keys))
    features += [scenes.feature("floor", f"floor{n}", shapely.box(-99, -99, 99, 99), height=STOREY * n) for n in range(2 * floors)]
    features += [scenes.feature("floor", f"hill{n}", shapely.Polygon([(x, y, height(x)) for x, y in shapely.get_coordinates(strip)])) for n, strip in enumerate(strips())]
    features += [scenes.feature("spot", f"end{x}", shapely.Point(x, x)) for x in (-99, 99)]  # no arc leads off the ground
    for each in links:
        line = shapely.LineString([*map(in_space, each["ends"])])
        features.append(scenes.feature("link", each["name"], line, **{key: each[key] for key in ("one_way", "seconds", "who") if key in each}))
    features.append(scenes.feature("zone", "all", shapely.box(-99, -99, 99, 99)))
    if roams:
        corners = [(some(2, 7) * math.cos(n), some(2, 7) * math.sin(n)) for n in (0.3, 1.2, 2.5, 3.3, 4.9, 5.8)]
        level["meadow"] = shapely.Polygon([(round(x + 1, 3), round(y, 3)) for x, y in corners])
        features.append(scenes.feature("zone", "meadow", level["meadow"]))
    features.append(scenes.feature("route", "round", shapely.LineString([in_space(at)[: 2 + (floors or hilly)] for at in level["round"]])))
    more: dict[str, Any] = {
        "seed": seed, "doors": {name: {key: value for key, value in keys.items() if value is not None} for name, keys in doors.items()},
    }
    for name, own in guards.items():
        more[f"profiles.{name}"] = {
            "body": "post", "notices": ["visitors"], "zone_sense": {"zones": ["all"]}, "meter": {"fill_time": 0.8},
            "cones": {"front": dict(zip(("fov_whole", "range"), own["cone"], strict=True))}, "movement": own["legs"],
            "memory": {"grace": 0.3, "forget": 8.0, "spread": 1.0}, "ladder": {key: own[key] for key in ("states", "transitions")},
        }
        more[f"cast.{name}"] = {"team": "home", "profile": name, **own["member"]}
    apart = one(0.0, some(0.4, 1.5)) if len(names) > 1 and seed // 1000 not in (7, 8) else 0.0
    if len(names) > 1:
        more["groups.watch"] = {"members": list(names), "apart": apart}
    yard = shapely.box(*(some(-6, -3) for _ in range(2)), *(some(3, 6) for _ in range(2))) if len(names) == 1 and chance.random() < 0.4 * (not has_links) else None
    if yard:
        features.append(scenes.feature("zone", "yard", yard))
        inside = next(at for at in iter(place, None) if yard.contains(shapely.Point(at)))
        guards["guard"]["member"]["at"] = list(inside)
        guards["guard"]["member"]["z"] = height(inside[0]) if hilly else guards["guard"]["member"]["z"]
        more["cast.guard"] |= {"leash": {"zone": "yard"}, "at": list(inside), "z": guards["guard"]["member"]["z"]}
    gone, back = sorted([some(2, 20), some(2, 24)])
    back += 0.01 * (gone == back)
    ways = [[in_space(place(-9.0)) for _ in range(3)] for _ in range(2)]
    track = "t,id,x,y,z,heading,present\n" + "".join(
        f"{t},guest,{x},{y},{ways[t >= back][0][2]},0,{int(t != gone)}\n" for (x, y, _), t in zip(ways[0] + ways[1], [0.0, gone / 2, gone, back, 25.0, 25.5], strict=True)
    )
    if hilly:  # the guest walks on the ground, too
        rows = []
        for (t, at), (until, to) in pairwise(zip([0.0, gone / 2, gone, back, 25.0, 25.5], ways[0] + ways[1], strict=True)):
            for x, y in cut_at_hills(at[:2], to[:2])[: 1 if t == gone else -1]:
                rows.append(f"{t + math.dist(at[:2], (x, y)) / math.dist(at[:2], to[:2]) * (until - t)},guest,{x},{y},{height(x)},0,{int(t != gone)}")
        track = "\n".join(["t,id,x,y,z,heading,present", *rows])

    def bends(shut: tuple[str, ...], yard: Any) -> list[Place]:
        """Where paths may bend as the slope changes, as the level has it: whether that is often enough is not tried here."""
        ground = Level.of(scenario.level)
        opened = frozenset(n for n, name in enumerate(ground.wall_names) if name in doors and name not in shut)
        corners = ground.ways(clearance=RADIUS, opened=opened, within="yard" if yard else None).corners if hilly else []
        return [(x, y) for x, y in corners if any(abs(x - at) < 1.5e-3 for at, _ in HILLS)]

    level["bends"] = bends
    scenario = scenes.scene(folder, *features, states={"idle": {"stand": {}}}, track=track, more=more, dt=dt, end=25.0)
    return scenario, {"guards": guards, "level": level, "dt": dt, "seed": seed, "apart": apart, "yard": yard}


PLAIN = [
    0, 1, 6, 8, 11, 12, 13, 15, 16, 19, 21, 28, 34, 36, 40, 43, 46, 48, 50, 53, 55, 63, 66, 71, 72, 76, 78, 79,
    83, 85, 146, 215, 337, 603, 1901,
]  # of 80 those in which each line of the rules is run six times
LINKS = [2024, 2027, 2037, 2076, 2109, 2161, 2212, 2250, 2288]
ROAMS = [4012, 4022, 4015, 4017, 4024, 4036, 4045, 4051, 4061, 4091, 4101, 4177, 4183, 4409, 4595, 5010, 5011, 5026, 5067, 5078, 6001, 6016]
HILLY = [7000, 7012, 7022, 7024, 7115, 8002, 8008, 8010, 9008, 9029, 9038, 9073, 9081, 9089, 9104]
FLOORS = [3000, 3002, 3003, 3011, 3029, 3047, 3014, 3016, 3022, 3041, 3104, 3153, 3155, 3206, 3215, 3297]


@pytest.mark.parametrize("seed", [*PLAIN, *LINKS, *FLOORS, *ROAMS, *HILLY])
def test_everybody_walks_as_the_rules_say(tmp_path: Path, seed: int) -> None:
    scenario, written = random_walk(tmp_path, seed)
    run, dt = snelk.run(scenario), written["dt"]
    if len(written["guards"]) > 1:  # who plan in turn, though paths are known the second time
        assert snelk.run(scenario).poses.equals(run.poses)
    walks = [Walk(name, written) for name in written["guards"]]
    for walk in walks:
        walk.company = walks if len(walks) > 1 else []
    signals, states = run.signals, run.states[run.states.transition.notna()]
    rows = [[*run.poses[run.poses.id == walk.name].itertuples()] for walk in walks]
    signals = [[*signals[signals.agent == walk.name].itertuples()] for walk in walks]
    changes = [{round(row.t / dt): row for row in states[states.agent == walk.name].itertuples()} for walk in walks]
    known, before, believed = [None] * len(walks), None, [None] * len(walks)
    for k, other in enumerate(run.poses[run.poses.id == "guest"].itertuples()):
        here = placed(other.x, other.y, other.z) if other.present else None
        for n, walk in enumerate(walks):
            row, signal = rows[n][k], signals[n][k]
            told = k, walk.name, walk.at, math.degrees(walk.heading), row, walk.state
            assert math.dist(in_space(walk.at), (row.x, row.y, row.z)) < 1e-6, told
            assert abs(off(walk.heading, math.radians(row.heading_deg))) < 1e-6, told
            assert (walk.arrived, walk.ended and not walk.arrived) == (signal.arrived, signal.unreachable), (walk.arrived, walk.ended, *told)
            believed[n] = placed(signal.target_x, signal.target_y, signal.target_z) if isinstance(signal.focus, str) else None
            known[n] = here or (known[n] if believed[n] else None)
            walk.focus, walk.guest = signal.focus if believed[n] else "", here
            walk.age = walk.age + dt if believed[n] and not here else 0.0
            walk.tend_doors(k * dt, here, (here[0] - before[0], here[1] - before[1]) if here and before else None)
            if k in changes[n]:
                walk.enter(changes[n][k].state, changes[n][k].before, k * dt, known[n], sensed=bool(here))
        before = here
        for n, walk in sorted(enumerate(walks), key=lambda each: each[1].by_cells):
            walk.think(k * dt, believed[n], known[n])
        for walk in walks:
            walk.plan_if_asked(k * dt)
        for walk in walks:
            walk.begin_to_open(k * dt)
        for n, walk in enumerate(walks):
            walk.move(believed[n])
        for walk in walks:
            walk.let_pass()
        for walk, by in [(walk, walk.make_room()) for walk in walks]:
            if by:
                walk.shift(*by)
                walk.was_pushed()
            walk.settle()
    table = run.searches.astype({"outcome": object}).fillna({"point": -1, "outcome": ""})
    for walk in walks:
        found = [(round(r.t, 6), r.what, r.point, r.outcome, round(r.x, 5), round(r.y, 5), round(r.z, 5)) for r in table[table.agent == walk.name].itertuples()]
        assert [row[:4] for row in found] == [note[:4] for note in walk.notes]
        np.testing.assert_allclose([row[4:] for row in found], [note[4:] for note in walk.notes], atol=2e-5)
    turns = run.table("turns")
    assert [(round(row.t, 6), row.of, row.to) for row in turns[turns.cause != "at first"].itertuples()] == walks[0].turns
