"""The rules of docs/calculations.md once more, by one tick, pair and ray after the other.

For scenes without stairs: what is sensed, how meters fill, what is believed and told, whom agents
act on, which transitions they take, and what comes of it. Where those are that move by themselves,
and how far what they do is, is taken from the run. Written from the document alone, in plain
Python with Shapely and NetworkX, so slow, and short of everything that makes the library fast.
"""

from __future__ import annotations

# fmt: off
import math
import re
from collections import defaultdict
from collections.abc import Iterator
from functools import cache
from itertools import pairwise
from typing import Any

import networkx as nx
import shapely
from shapely.geometry import LineString, Point

from snelk.chance import stream

CLOSE = 1e-9
NEVER = -math.inf
FACTS = ("arrived", "unreachable", "done", "failed", "search_done", "stuck", "asleep")
CLUES = ("open", "shut", "lit", "dark", "still", "gone")


def wrapped(degrees: float) -> float:
    return (degrees + 180) % 360 - 180


def curve(points: list[list[float]] | None, x: float) -> float:
    if not points:
        return 1.0
    if x <= points[0][0]:
        return points[0][1]
    for (left, low), (right, high) in pairwise(points):
        if x <= right:
            return low + (high - low) * (x - left) / (right - left)
    return points[-1][1]


class Shape:
    """A wall, a floor or a zone of the level."""

    def __init__(self, feature: dict[str, Any]) -> None:
        self.own = feature["properties"]
        self.name, self.kind = self.own["name"], self.own["kind"]
        self.area = shapely.geometry.shape(feature["geometry"])
        self.base, self.top = self.own.get("base", 0.0), self.own.get("top")
        self.is_solid = self.area.geom_type == "Polygon"
        points = self.area.exterior.coords if self.is_solid else self.area.coords
        self.sides = list(pairwise(points))
        if self.kind == "floor":
            self.base = self.top = self.own["height"]
            self.sides = []

    def share(self, sense: str) -> float:
        return self.own.get(sense, 0.5 if sense == "hear_through" else 0.0)

    def contains(self, x: float, y: float, z: float) -> bool:
        own = self.own
        if not own.get("base", NEVER) - CLOSE <= z <= own.get("top", math.inf) + CLOSE:
            return False
        if self.area.geom_type == "Point":
            return math.dist((x, y), self.area.coords[0]) <= own["radius"]
        return bool(self.area.covers(Point(x, y)))

    def first_hit(self, a: Any, b: Any) -> float:
        """At which share of the way a ray meets it; endless if it does not."""
        hits, (ax, ay, az), (bx, by, bz), near = [], a, b, CLOSE / max(math.dist(a, b), CLOSE)
        dx, dy = bx - ax, by - ay
        for (x1, y1), (x2, y2) in self.sides:
            ex, ey = x2 - x1, y2 - y1
            across = dx * ey - dy * ex
            if across:
                at = ((x1 - ax) * ey - (y1 - ay) * ex) / across
                on = ((x1 - ax) * dy - (y1 - ay) * dx) / across
                if 0 <= on <= 1 and near < at < 1 - near and self.base <= az + at * (bz - az) <= self.top:
                    hits.append(at)
        ends = [self.top] if self.base <= 0 else [self.base, self.top]
        for z in ends if self.is_solid and az != bz else []:
            at = (z - az) / (bz - az)
            if near < at < 1 - near and self.area.covers(Point(ax + at * dx, ay + at * dy)):
                hits.append(at)
        return min(hits, default=math.inf)


class Rules:
    """A scene: the scenario's tables, the level's features, and the rows of its tracks."""

    def __init__(self, scenario: dict[str, Any], features: list[Any], rows: list[Any]) -> None:
        self.seed = scenario["seed"]
        self.scenario, self.dt, self.start = (scenario, scenario["clock"]["dt"], scenario["clock"]["start"])
        self.ticks = math.floor((scenario["clock"]["end"] - self.start) / self.dt + 1e-6) + 1
        shapes = [Shape(each) for each in features if each["properties"]["kind"] in ("wall", "floor", "zone")]
        self.all_walls = [each for each in shapes if each.kind != "zone"]
        self.walls = self.all_walls  # all that stand: doors do while they are shut
        self.floors = [each for each in shapes if each.kind == "floor"]
        self.zones = [each for each in shapes if each.kind == "zone"]
        for zone in self.zones:
            for floor in self.floors if "floor" in zone.own else ():
                if floor.name == zone.own["floor"]:
                    zone.own = {**zone.own, "base": floor.base - 0.5, "top": floor.base + 2.0}
        self.names, self.cast = list(scenario["cast"]), list(scenario["cast"].values())
        self.doors = {w.name: scenario["doors"].get(w.name, {}) for w in self.walls if w.own.get("door")}
        self.on = {name: door.get("open", False) for name, door in self.doors.items()}
        self.bright = {z.name: z.own["light"] for z in self.zones if z.name in scenario["lights"]}
        for name, light in scenario["lights"].items():
            self.on[name] = True
            if not light.get("lit", True):
                self.switch(name, False)
        self.shuts_at, self.opened_by = dict.fromkeys(self.doors, math.inf), dict.fromkeys(self.doors)
        self.team = [member["team"] for member in self.cast]
        self.profile = [scenario["profiles"].get(member.get("profile")) for member in self.cast]
        self.body = [
            scenario["bodies"][member.get("body") or (profile or {}).get("body") or "clue"]
            for member, profile in zip(self.cast, self.profile, strict=True)
        ]
        self.agents = [i for i, profile in enumerate(self.profile) if profile]
        self.everybody = range(len(self.names))
        self.rows = {name: [row for row in rows if row["id"] == name] for name in self.names}
        self.attributes = [self.first_attributes(i) for i in self.everybody]
        homes = {i: member.get("home", member.get("at")) for i, member in enumerate(self.cast)}
        self.homes = {i: (*at, self.floor_at(self.cast[i].get("z", 0.0), 0.5)) for i, at in homes.items() if at}
        self.clues = {j: member["clue"] for j, member in enumerate(self.cast) if "clue" in member}
        self.out_of_order = {j: self.start for j in self.clues if self.asks_of(j) in self.on and self.is_so(j)}
        self.removed = {i for i, member in enumerate(self.cast) if member.get("absent")}
        self.put: dict[int, dict[str, Any]] = {}  # where effects and clues are
        self.way = cache(self._way)
        self.ground = cache(self._ground)

    def time(self, k: int) -> float:
        return self.start + k * self.dt

    def follow(self, poses: Any, signals: Any, turns: Any) -> None:
        """Take from a run where those went that move by themselves, and how far what they do is."""
        self.movers = {i for i in self.agents if "at" in self.cast[i] and "movement" in self.profile[i]}

        def of(table: Any, key: str, whom: Any) -> dict[tuple[int, int], Any]:
            rows = ((self.names.index(name), k, row) for k, rows in table.items() for row in rows if (name := getattr(row, key)))
            return {(i, k): row for i, k, row in rows if i in whom}

        self.went, self.facts = of(poses, "id", self.movers), of(signals, "agent", self.agents)
        self.walked_into = {who: row for who, row in of(turns, "by", self.movers).items() if row.cause == "on its way"}

    def first_attributes(self, i: int) -> dict[str, float]:
        return {**self.body[i].get("attributes", {}), **self.cast[i].get("attributes", {})}

    def may_open(self, i: int, door: str) -> bool:
        names = [self.names[i], self.cast[i].get("profile")]
        return any(name in names for name in self.doors[door].get("who", names))

    def switch(self, name: str, on: bool) -> None:
        """A door opens or shuts, or a light goes on or out."""
        self.on[name] = on
        for zone in self.zones:
            if zone.name == name:
                light = self.bright[name] if on else self.scenario["lights"][name].get("dark", 0.0)
                zone.own = {**zone.own, "light": light}

    # --- Clues.

    def asks_of(self, j: int) -> str:
        """The door, light or character that a clue is of."""
        return next(str(self.clues[j][word]) for word in CLUES if word in self.clues[j])

    def is_so(self, j: int) -> bool:
        """Whether what a clue is of is out of order."""
        clue, of = self.clues[j], self.asks_of(j)
        if of in self.on:
            return self.on[of] == ("open" in clue or "lit" in clue)
        who = self.names.index(of)
        pose, before = None if who in self.removed else self.now[who], self.before[who]
        if "gone" in clue:
            return not pose or math.dist(pose["at"], self.clue_at(j)) > clue.get("within", 1.0) + CLOSE
        return bool(pose and before and self.k and pose["posture"] == "prone" and math.dist(pose["at"], before["at"]) <= CLOSE)

    def clue_at(self, j: int) -> Any:
        member, of = self.cast[j], self.asks_of(j)
        if "still" in member["clue"]:
            return self.now[self.names.index(of)]["at"]
        if "at" in member:
            return (*member["at"], self.floor_at(member.get("z", 0.0), 0.5))
        shapes = [s for s in (*self.all_walls, *self.zones) if s.name == of]
        if shapes:
            middle = shapes[0].area.centroid
            return middle.x, middle.y, max(shapes[0].own.get("base", 0.0), 0.0)
        return self.rows[of][0]

    def mind_clues(self, minds: Any) -> None:
        """Which clues are there at the next tick."""
        for j, clue in self.clues.items():
            if not self.is_so(j):
                self.out_of_order.pop(j, None)
                for mind in minds.values():
                    if mind.saw_to.pop(j, None) is not None:
                        mind.beliefs.pop(j, None)
                        mind.meter[j] = 0.0
            else:
                self.out_of_order.setdefault(j, self.t)
                if "still" in clue:
                    self.put[j] = {**self.now[self.names.index(clue["still"])], "gait": None}

    def clue_pose(self, j: int) -> dict[str, Any] | None:
        if j not in self.out_of_order or self.t < self.out_of_order[j] + self.clues[j].get("seconds", 0.0) - CLOSE:
            return None
        if self.k == 0 and self.clues[j].get("seconds", 0.0):
            return None
        return self.put.get(j) or {"at": self.clue_at(j), "facing": 0.0, "posture": "standing", "gait": None}

    def pose(self, i: int) -> dict[str, Any] | None:
        """Where somebody is; nothing while it is absent."""
        member, rows, t = self.cast[i], self.rows[self.names[i]], self.t
        if i in self.clues:
            return None if i in self.removed else self.clue_pose(i)
        if i in self.removed or i in self.put:
            return None if i in self.removed else self.put[i]
        if i in self.movers:
            row = self.went[i, self.k]
            return {"at": (row.x, row.y, row.z), "facing": row.heading_deg, "posture": row.posture, "gait": self.minds[i].pace()}
        if "at" in member:
            x, y = member["at"]
            facing, posture = member.get("facing", 0.0), member.get("posture", "standing")
            return {"at": (x, y, self.floor_at(member.get("z", 0.0), 0.5)), "facing": facing, "posture": posture, "gait": None}
        if not rows[0]["t"] - CLOSE <= t <= rows[-1]["t"] + CLOSE:
            return None
        n = max(n for n, row in enumerate(rows) if row["t"] <= t + CLOSE)
        a, b = rows[n], rows[min(n + 1, len(rows) - 1)]
        if not a["present"]:
            return None
        part = (t - a["t"]) / (b["t"] - a["t"]) if a is not b else 0.0
        flat = self.floor_at(member.get("z", 0.0), 0.5)
        x, y, z = (a.get(c, flat) * (1 - part) + b.get(c, flat) * part for c in "xyz")
        facing = wrapped(a["heading"] + part * wrapped(b["heading"] - a["heading"]))
        return {"at": (x, y, z), "facing": facing, "posture": a["posture"], "gait": a.get("gait")}

    def floor_at(self, z: float, above: float) -> float:
        """The height of the floor no more than so far above a height; the height without floors.

        Each floor of these scenes lies below all of them.
        """
        return max((f.base for f in self.floors if f.base <= z + above + CLOSE), default=z)

    def tall(self, i: int, posture: str) -> float:
        standing = self.body[i]["standing"]
        heights = {"standing": standing, "crouched": 0.6 * standing, "prone": 0.3 * standing}
        return self.body[i].get(posture, heights[posture])

    def up(self, i: int, pose: dict[str, Any], share: float) -> tuple[float, float, float]:
        """So far up somebody's body."""
        x, y, z = pose["at"]
        return x, y, z + share * self.tall(i, pose["posture"])

    def eye(self, i: int, pose: dict[str, Any]) -> tuple[float, float, float]:
        return self.up(i, pose, self.body[i].get("eyes", 0.9))

    def zonal(self, key: str, at: Any, outside: Any) -> Any:
        inside = [zone.own[key] for zone in self.zones if key in zone.own and zone.contains(*at)]
        return inside[-1] if inside else outside

    def is_in(self, zone: str, at: Any) -> bool:
        return any(z.name == zone and z.contains(*at) for z in self.zones)

    def passes(self, a: Any, b: Any, sense: str) -> float:
        return math.prod(w.share(sense) for w in self.walls if w.share(sense) < 1 and w.first_hit(a, b) < 1)

    def hidden_by(self, a: Any, b: Any, i: int, j: int) -> bool:
        """Whether another body stands between an eye and a body."""
        for c in self.everybody:
            if c in (i, j) or self.clues.get(j, {}).get("still") == self.names[c] or not self.body[c].get("blocks") or self.now[c] is None:
                continue
            (x, y, low), radius = self.now[c]["at"], self.body[c].get("radius", 0.2)
            high = low + self.tall(c, self.now[c]["posture"])
            # The share of the way at which it enters and leaves the cylinder, in plan.
            dx, dy, away_x, away_y = b[0] - a[0], b[1] - a[1], a[0] - x, a[1] - y
            far, along = dx * dx + dy * dy, dx * away_x + dy * away_y
            inside = along * along - far * (away_x**2 + away_y**2 - radius**2)
            if inside <= 0 or (math.hypot(away_x, away_y) < radius and low <= a[2] <= high):
                continue
            first, last = (min(max((-along + sign * math.sqrt(inside)) / far, 0.0), 1.0) for sign in (-1, 1))
            if last <= first:
                continue
            heights = [a[2] + (b[2] - a[2]) * share for share in (first, last)]
            if max(heights) >= low and min(heights) <= high:
                return True
        return False

    def light(self, i: int) -> float:
        total = self.zonal("light", self.now[i]["at"], self.scenario["light"])
        for j in self.everybody:
            lamp = self.cast[j].get("lamp")
            if lamp and self.now[j]:
                a, b = self.up(j, self.now[j], 0.5), self.up(i, self.now[i], 0.5)
                near = max(1 - math.dist(a, b) / lamp["reach"], 0.0)
                total += lamp["light"] * (1.0 if i == j else near * (near and self.passes(a, b, "see_through")))
        of = self.clues.get(i, {}).get("dark")
        return max(min(total, 1.0), self.bright[of] if of else 0.0)

    def exposure(self, i: int, j: int) -> float:
        points = self.body[j].get("points", [[0.05, 0.25], [0.5, 0.5], [0.95, 0.25]])
        seen, a = 0.0, self.eye(i, self.now[i])
        for share, weight in points:
            b = self.up(j, self.now[j], share)
            if not self.hidden_by(a, b, i, j):
                seen += weight * self.passes(a, b, "see_through")
        return seen / sum(weight for _, weight in points)

    def _ground(self, walls: tuple[int, ...]) -> tuple[Any, Any]:
        """What is in the way on foot, and the corners that can see each other."""
        shapes = [self.all_walls[n].area for n in walls]
        faces = [s.boundary if s.area else s for s in shapes]  # solids are hollow
        thin = [s.buffer(1e-5, cap_style="flat", join_style="mitre") for s in faces]
        block = shapely.union_all(thin)
        around = shapely.union_all([s.buffer(1e-3, cap_style="square", join_style="mitre") for s in shapes])
        corners = [
            c
            for part in shapely.get_parts(around)
            for ring in (part.exterior, *part.interiors)
            for c in ring.coords[:-1]
        ]
        graph = nx.Graph()
        for n, a in enumerate(corners):
            for b in corners[:n]:
                if not block.intersects(LineString([a, b])):
                    graph.add_edge(a, b, weight=math.dist(a, b))
        return block, graph

    def _way(self, a: Any, b: Any, z: float) -> float:
        """The length of the shortest path on foot on ground at a height."""
        stops = [n for n, w in enumerate(self.all_walls) if not w.own.get("walkable") and w.base < z + 2 and w.top > z and w in self.walls]
        block, corners = self.ground(tuple(stops))
        if block.intersects(Point(a)):  # a noise of a door that is shut: to both sides
            block = block.difference(Point(a).buffer(1e-4))
        if not block.intersects(LineString([a, b])):
            return math.dist(a, b)
        graph = corners.copy()
        for end in (a, b):
            for corner in corners:
                if not block.intersects(LineString([end, corner])):
                    graph.add_edge(end, corner, weight=math.dist(end, corner))
        try:
            return float(nx.shortest_path_length(graph, a, b, weight="weight"))
        except (nx.NetworkXNoPath, nx.NodeNotFound):
            return math.inf

    def given_noises(self) -> Iterator[dict[str, Any]]:
        """The scenario's own."""
        for given in sorted(self.scenario["noise"], key=lambda n: n["t"]):
            by = self.names.index(given["by"]) if "by" in given else None
            reach = given.get("reach", self.scenario["noise_kinds"]["bang"]["reach"])
            k = max(math.ceil((given["t"] - self.start) / self.dt - 1e-6), 0)
            yield {"t": given["t"], "by": by, "at": (*given["at"], given.get("z", 0.0)), "reach": reach, "k": k}

    def footsteps(self, i: int) -> Iterator[dict[str, Any]]:
        """Those of somebody since the tick before."""
        steps, a, b = self.body[i].get("steps"), self.before[i], self.now[i]
        if not steps or not self.k or not a or not b:
            self.left[i] = steps["stride"] if steps else math.inf
            return
        walked, speed = 0.0, math.dist(a["at"][:2], b["at"][:2]) / self.dt
        gait = "creeping" if speed < steps.get("creep_below", 0.8) else "running" if speed > steps.get("run_above", 2.5) else "walking"
        while speed * self.dt - walked >= self.left[i] - CLOSE * steps["stride"] and speed > 0:
            walked, self.left[i] = walked + self.left[i], steps["stride"]
            part = walked / (speed * self.dt)
            at = tuple(p + part * (q - p) for p, q in zip(a["at"], b["at"], strict=True))
            ground = self.scenario["grounds"].get(self.zonal("ground", at, None), 1.0)
            kind = "still" if i in self.movers and not self.went_on[i] else a["gait"] or gait
            reach = steps.get(kind, 0.0) * ground
            if reach > 0:
                yield {"t": self.t - self.dt + part * self.dt, "by": i, "at": at, "reach": reach, "k": self.k}
        self.left[i] -= speed * self.dt - walked

    def leave(self, j: int, trail: list[Any]) -> None:
        """Somebody goes on with its trail; what is too weak at its end for all noses is dropped."""
        if self.now[j]:
            if len(trail) > 1 and math.dist(trail[-2][0], self.now[j]["at"]) < 0.5:
                trail.pop()
            trail.append((self.now[j]["at"], self.t))
        noses = [self.profile[i]["smell"]["weakest"] for i in self.agents if "smell" in self.profile[i]]
        while len(trail) > 2 and self.strength(j, *trail[0]) < min(noses, default=0.0):
            trail.pop(0)

    def strength(self, j: int, place: Any, left: float) -> float:
        """How strong a point of a trail is now."""
        air, wind = self.scenario["air"], self.zonal("wind", place, 1.0)
        fades = (1 + air["thins"] * air["wind"] * wind) / air["half_life"]
        return self.body[j].get("scent", 1.0) * self.zonal("scent", place, 1.0) * 2 ** -((self.t - left) * fades)

    def noticed(self, i: int, sense: str | None = None) -> list[str]:
        """The teams that a sense notices, or any."""
        own = self.profile[i]
        if sense is not None:
            return own.get(sense, {}).get("notices", own["notices"])
        senses = [*own.get("cones", {}).values(), *(own[s] for s in ("hearing", "touch", "zone_sense", "smell") if s in own)]
        return [team for each in senses or [own] for team in each.get("notices", own["notices"])]

    def turns(self, i: int, every: float, k: int) -> bool:
        ticks = max(int(every / self.dt + 0.5), 1)
        return k == 0 or (k - self.agents.index(i)) % ticks == 0

    k: int
    t: float
    now: list[Any]
    before: list[Any]
    speed: list[float]
    lights: list[float]

    def run(self) -> Iterator[None]:
        """What everybody sensed and did, tick by tick."""
        self.minds = minds = {i: Mind(self, i) for i in self.agents}
        self.trails: list[list[Any]] = [[] for _ in self.names]
        self.left: list[float] = [math.inf for _ in self.names]
        self.noises, self.poses = list(self.given_noises()), []
        self.next_noises: list[Any] = []
        given = sorted([*self.scenario["effect"], *self.scenario["change"]], key=lambda each: (each["t"], "to" in each))
        ended, self.speed = False, [0.0 for _ in self.names]
        for k in range(self.ticks):
            self.k, self.t = k, self.time(k)
            self.walls, self.was_on = [w for w in self.all_walls if not self.on.get(w.name)], self.on.copy()
            self.now = [self.pose(i) for i in self.everybody]
            self.poses.append(self.now)
            self.before = self.poses[max(k - 1, 0)]
            ends = zip(self.before, self.now, strict=True)
            self.went_on = [speed > 0.01 for speed in self.speed]
            self.speed = [math.dist(a["at"], b["at"]) / self.dt if a and b else 0.0 for a, b in ends]
            self.lights = [self.light(i) if self.now[i] else math.nan for i in self.everybody]
            for i in self.everybody:
                self.noises += self.footsteps(i)
            for by, kind, at in self.next_noises:
                self.noises.append({"t": self.t, "by": by, "at": at, "reach": self.scenario["noise_kinds"][kind]["reach"], "k": k})
            self.next_noises = []
            for j, trail in enumerate(self.trails):
                self.leave(j, trail)
            for mind in minds.values():
                mind.sense(self.noises, self.trails)
            for mind in minds.values():
                mind.believe()
            self.changed: list[Any] = []  # (who, attribute, before, value, by)
            self.came_in: list[int] = []
            self.noted: list[Any] = []  # (caught or seen_to, agent, target)
            self.turned: list[Any] = []  # (door or light, whether it is on, by)
            self.open_and_shut()
            self.said: list[Any] = []
            for mind in minds.values():
                mind.decide()
            self.keep_posts()
            for mind in minds.values():
                if mind.took:
                    mind.enter(mind.ladder["transitions"][mind.took]["to"])
            for mind in minds.values():
                if mind.took:
                    self.bring_about(mind.ladder["transitions"][mind.took].get("then"), mind, mind.focus)
                    self.bring_about(mind.ladder["states"][mind.state].get("then"), mind, mind.focus)
            for mind in minds.values():
                ended |= mind.catch()
            while not ended and given and given[0]["t"] <= self.t + CLOSE:
                self.give(given.pop(0))
            self.said += [each for mind in minds.values() for each in mind.tell(minds)]
            for mind in minds.values():
                mind.see_to()
            self.mind_clues(minds)
            yield
            if ended:
                return
            for i in self.came_in:
                self.forget(i)

    # --- What comes of it.

    def keep_posts(self) -> None:
        """Members of groups that have to stay do not take a transition out of their routine."""
        for group in self.scenario["groups"].values():
            members = [self.minds[self.names.index(name)] for name in sorted(group["members"], key=self.names.index)]
            on_post = [m for m in members if self.now[m.i] and m.rank() <= m.routine()]
            leaves = [m for m in on_post if m.took and m.rank(m.took) > m.routine()]
            if group["goes"] == "nearest":
                leaves.sort(key=lambda m: m.signals["distance"])
            else:
                leaves.sort(key=lambda m: -self.attributes[m.i].get(group["goes"][4:], NEVER))
            for m in leaves[max(len(on_post) - group["stays"], 0) :]:
                m.took = next((name for name in m.could if m.rank(name) <= m.routine()), None)

    def bring_about(self, then: Any, mind: Any, target: Any) -> None:
        """The effects of a transition, of entering a state or of a catch."""
        then, i = then or {}, mind.i
        sides = {"own": i, "target": target if isinstance(target, int) else None}
        for adds, values in ((False, then.get("set", {})), (True, then.get("add", {}))):
            for key, value in values.items():
                self.change(sides[key.split(".")[0]], key.split(".")[1], value, adds, i)
        if "noise" in then and self.now[i]:
            self.next_noises.append((i, then["noise"], self.now[i]["at"]))
        if "alarm" in then:
            mind.alarm(then["alarm"], sides["target"])
        if "removes" in then:
            self.remove(sides[then["removes"]], i)
        for name, to in then.get("turns", {}).items():
            self.turn(name, to, i)

    def change(self, who: int | None, name: str, value: float, adds: bool, by: int | None) -> None:
        before = self.attributes[who].get(name) if who is not None else None
        now = value + (before or 0.0) if adds else value
        if who is not None and now != before:
            self.attributes[who][name] = now
            self.changed.append((who, name, before, now, by))

    def remove(self, who: int | None, by: int | None) -> None:
        if who is not None and who not in self.removed:
            self.removed.add(who)
            self.changed.append((who, None, 1.0, 0.0, by))

    def turn(self, name: str, to: str, by: int | None, maker: int | None = None) -> None:
        on = to in ("open", "lit")
        if self.on[name] == on:
            return
        self.switch(name, on)
        self.turned.append((name, to, by))
        if name in self.doors:
            door = next(w for w in self.all_walls if w.name == name)
            self.opened_by[name] = by if on else self.opened_by[name]
            self.shuts_at[name] = self.t + self.doors[name].get("shuts", math.inf) if on else math.inf
            if "noise" in self.doors[name]:
                middle = door.area.centroid
                maker = by if maker is None else maker
                self.next_noises.append((maker, self.doors[name]["noise"], (middle.x, middle.y, door.base)))

    def give(self, each: Any) -> None:
        """What the scenario does to somebody, a door or a light."""
        if "to" in each:
            self.turn(each["of"], each["to"], None)
            return
        i = self.names.index(each["of"])
        if each.get("spawns") and i in self.removed:
            self.spawn(i, each)
        for adds, values in ((False, each.get("set", {})), (True, each.get("add", {}))):
            for key, value in values.items():
                self.change(i, key, value, adds, None)
        if "state" in each and i not in self.removed:
            self.minds[i].enter(each["state"])
            self.bring_about(self.minds[i].ladder["states"][each["state"]].get("then"), self.minds[i], self.minds[i].focus)
        if each.get("removes"):
            self.remove(i, None)

    def spawn(self, i: int, each: Any) -> None:
        """Somebody comes in, with nothing left of its former self."""
        member = self.cast[i]
        self.removed.discard(i)
        self.changed.append((i, None, 0.0, 1.0, None))
        first, now = self.first_attributes(i), self.attributes[i]
        self.changed += [(i, name, now.get(name), first.get(name), None) for name in {**first, **now} if now.get(name) != first.get(name)]
        self.attributes[i] = first
        at = each.get("at", member.get("at"))
        z = self.floor_at(each.get("z", member.get("z", 0.0)), 0.5)
        if "at" in member and "home" not in member:
            self.homes[i] = (*at, z)
        if "at" in member and i not in self.movers:
            facing = each.get("facing", member.get("facing", 0.0))
            self.put[i] = {"at": (*at, z), "facing": facing, "posture": member.get("posture", "standing"), "gait": None}
        self.came_in.append(i)

    def forget(self, i: int) -> None:
        """Nothing of somebody's former self is left."""
        if i in self.minds:
            self.minds[i] = Mind(self, i)
            self.minds[i].since, self.minds[i].listened = self.t + self.dt, self.k
        for noise in self.noises:
            if noise["by"] == i and noise["k"] <= self.k:
                noise["by"] = None
        self.trails[i] = []
        for mind in self.minds.values():
            mind.forget(i)

    def open_and_shut(self) -> None:
        """Doors open to those who walk into them, and shut by themselves."""
        for (i, k), row in self.walked_into.items():
            if k == self.k:
                self.turn(row.of, "open", i)
        for i in self.everybody if self.k else ():
            if i in self.movers:
                continue
            a, b = self.before[i], self.now[i]
            far = math.dist(a["at"][:2], b["at"][:2]) if a and b else 0.0
            if far > CLOSE:
                x, y, z = b["at"]
                longer = (far + 0.05 + self.body[i].get("radius", 0.2)) / far
                line = LineString([(x, y), (x + longer * (x - a["at"][0]), y + longer * (y - a["at"][1]))])
                ahead = [
                    w for w in self.all_walls
                    if w.name in self.doors and not self.on[w.name] and w.base - 2 < z < w.top and w.area.intersects(line)
                ]
                door = min(ahead, key=lambda w: w.area.distance(Point(x, y)), default=None)
                if door and self.may_open(i, door.name):
                    self.turn(door.name, "open", i)
        for name, shuts in self.shuts_at.items():
            door = next(w for w in self.all_walls if w.name == name)
            within = [
                i for i in self.everybody
                if self.now[i] and door.base - 2 < self.now[i]["at"][2] < door.top
                and door.area.distance(Point(self.now[i]["at"][:2])) < self.body[i].get("radius", 0.2) + 0.05
            ]
            if self.t >= shuts - CLOSE and not within:
                self.turn(name, "shut", None, self.opened_by[name])


class Mind:
    """An agent: what it senses and believes, and what it does about it."""

    def __init__(self, rules: Rules, i: int) -> None:
        self.rules, self.i, self.own = rules, i, rules.profile[i]
        self.others = [j for j in rules.everybody if j != i]
        self.notices = [j for j in self.others if rules.team[j] in rules.noticed(i)]
        self.ladder = self.own["ladder"]
        self.state, self.since = next(iter(self.ladder["states"])), rules.start
        self.looks: dict[int, dict[str, dict[str, Any]]] = defaultdict(dict)
        self.meter: dict[int | None, float] = defaultdict(float)
        self.rates: dict[int | None, float] = {}
        self.fed: dict[int | None, float] = {}
        self.beliefs: dict[int, dict[str, Any]] = {}
        self.place: dict[str, Any] | None = None
        self.empty: dict[int | None, int] = defaultdict(int)
        self.mail: list[dict[str, Any]] = []
        self.told: set[int] = set()
        self.told_last: dict[int, tuple[int, float]] = {}
        self.first: dict[int | None, int] = {}
        self.focus: int | str | None = "nobody"
        self.seen_since: dict[int, float] = {}
        self.last_sensed: dict[int, float] = {}
        self.true_since: dict[str, float] = {}
        self.possible_since: dict[str, float] = {}
        self.listened = -1
        self.took: str | None = None
        self.wakes = NEVER
        self.saw_to: dict[int, int] = {}
        self.caught: set[int] = set()
        self.since_entry: set[str] = set()  # caught, was_caught, seen_to
        self.told_ranks: dict[int, float] = {}
        self.put_into_state = False

    def awake(self, sense: str) -> float:
        """How awake it is in its state, times the factors of a sense."""
        rules = self.rules
        tables = rules.cast[self.i], self.ladder["states"][self.state]
        return math.prod(each.get("awake", 1.0) * each.get("senses", {}).get(sense, 1.0) for each in tables)

    def cone(self, name: str) -> dict[str, Any]:
        """A cone as it is in its state."""
        return {**self.own["cones"][name], **self.ladder["states"][self.state].get("cones", {}).get(name, {})}

    def views(self, j: int) -> bool:
        return any(look["result"] == "in_view" for look in self.looks[j].values())

    def knows_now(self, j: int) -> bool:
        return self.views(j) or j in self.felt

    # --- Senses.

    def sense(self, noises: Any, trails: Any) -> None:
        rules, i, own = self.rules, self.i, self.own
        self.looked = rules.turns(i, own.get("look_every", 0.0), rules.k)
        for j in self.others:
            if self.looked:
                self.look(j)
            elif not rules.now[i] or not rules.now[j]:
                for look in self.looks[j].values():
                    look["result"] = look["result"].replace("in_view", "gone")
        self.contacts = {
            (j, sense): self.feel(j, sense) for j in self.others for sense in ("touch", "zone_sense") if sense in own
        }
        self.felt = {j for (j, _), result in self.contacts.items() if result == "sensed"}
        self.touched = {j for (j, sense), result in self.contacts.items() if result == "sensed" and sense == "touch"}
        self.judged: dict[int, dict[str, Any]] = {}
        if "hearing" in own and (
            rules.turns(i, own["hearing"].get("listen_every", 0.0), rules.k) or rules.k == rules.ticks - 1
        ):
            self.judged = {
                n: self.listen(noise)
                for n, noise in enumerate(noises)
                if self.listened < noise["k"] <= rules.k and noise["by"] != i
            }
            self.listened = rules.k
        self.heard: dict[int | None, list[tuple[Any, float]]] = defaultdict(list)
        for n, found in self.judged.items():
            if found["result"] == "heard":
                self.heard[noises[n]["by"]].append((noises[n] | self.seems(noises[n], found["straight"]), found["strength"]))
        self.scents = {j: self.smell(j, trails[j]) for j in self.others} if "smell" in own else {}
        self.smelt = {j: scent for j, scent in self.scents.items() if scent["result"] == "sensed"}
        for j in [*self.notices, None]:
            self.fill(j)

    def look(self, j: int) -> None:
        rules, i, awake = self.rules, self.i, self.awake("sight")
        for name in self.own["cones"]:
            was = self.looks[j].get(name, {}).get("result") in ("in_view", "gone")
            cone = self.cone(name)
            look = self.looks[j][name] = {"held": was, "cone": cone, "result": "present"}
            if not rules.now[i] or not rules.now[j]:
                continue
            hold = "hold_" if was else ""
            reach = cone.get(f"{hold}range", cone["range"]) * awake
            half = cone.get(f"{hold}fov_whole", cone["fov_whole"]) / 2
            look.update(self.line(rules.up(j, rules.now[j], 0.5)), limit=reach, half=half, light=rules.lights[j])
            if rules.team[j] not in cone.get("notices", self.own["notices"]):
                look["result"] = "cares"
            elif awake <= 0:
                look["result"] = "awake"
            else:
                look["result"] = self.gate(look, cone, reach, half, rules.lights[j]) or "line_of_sight"
        pending = [look for look in self.looks[j].values() if look["result"] == "line_of_sight"]
        exposure = rules.exposure(i, j) if pending else math.nan
        for look in self.looks[j].values():
            look["exposure"] = exposure
        for look in pending:
            if exposure > look["cone"].get("min_exposure", 0.0):
                look["result"] = "in_view"

    def line(self, to: Any) -> dict[str, float]:
        """How far off, aside and up something is."""
        rules = self.rules
        x, y, z = rules.eye(self.i, rules.now[self.i])
        dx, dy = to[0] - x, to[1] - y
        off = abs(wrapped(math.degrees(math.atan2(dy, dx)) - rules.now[self.i]["facing"])) if math.hypot(dx, dy) > CLOSE else 0.0
        return {
            "distance": math.dist((x, y, z), to),
            "off": off,
            "elevation": math.degrees(math.atan2(to[2] - z, math.hypot(dx, dy))),
        }

    def gate(self, line: Any, cone: Any, reach: float, half: float, light: float) -> str:
        """The first gate before the ray that fails."""
        close = math.degrees(CLOSE)
        if line["distance"] > reach + CLOSE:
            return "range"
        if line["off"] > half + close:
            return "angle"
        if not -cone.get("down", 90.0) - close <= line["elevation"] <= cone.get("up", 90.0) + close:
            return "elevation"
        return "light" if light < cone.get("min_light", 0.0) - CLOSE else ""

    def feel(self, j: int, sense: str) -> str:
        rules, i = self.rules, self.i
        awake = self.awake("zone" if sense == "zone_sense" else sense)
        if not rules.now[i] or not rules.now[j]:
            return "present"
        if rules.team[j] not in rules.noticed(i, sense):
            return "cares"
        if awake <= 0:
            return "awake"
        mine, theirs = rules.now[i], rules.now[j]
        if sense == "zone_sense":
            watched = [z for z in rules.zones if z.name in self.own[sense]["zones"]]
            return "sensed" if any(z.contains(*theirs["at"]) for z in watched) else "inside"
        if self.away(j) > self.own[sense]["radius"] * awake + CLOSE:
            return "radius"
        between = rules.up(i, mine, 0.5), rules.up(j, theirs, 0.5)
        return "wall" if any(not w.own.get("walkable") and w.first_hit(*between) < 1 for w in rules.walls) else "sensed"

    def listen(self, noise: Any) -> dict[str, Any]:
        rules, i = self.rules, self.i
        if not rules.now[i]:
            return {"result": "present", "strength": 0.0}
        if noise["by"] is not None and rules.team[noise["by"]] not in rules.noticed(i, "hearing"):
            return {"result": "cares", "strength": 0.0}
        return self.carry(noise["at"], noise["reach"])

    def seems(self, noise: Any, straight: float) -> dict[str, Any]:
        """Where it seems to come from, and by how much it errs, m."""
        rules, (x, y, z), blur = self.rules, noise["at"], self.own["hearing"].get("place_error", 0.0) * straight
        maker = "" if noise["by"] is None else rules.names[noise["by"]]
        drawn = stream(rules.seed, "hearing", rules.names[self.i], maker, round(noise["t"], 6))
        return {"at": (x + blur * drawn.standard_normal(), y + blur * drawn.standard_normal(), z), "blur": blur}

    def carry(self, source: Any, reach: float) -> dict[str, Any]:
        """What becomes of a noise at its ear."""
        rules, feet, awake = self.rules, self.rules.now[self.i]["at"], self.awake("hearing")
        if awake <= 0:
            return {"result": "awake", "strength": 0.0}
        ear = rules.eye(self.i, rules.now[self.i])
        background = rules.zonal("background", feet, rules.scenario["background"])
        limit = reach * self.own["hearing"].get("acuity", 1.0) * awake * (1 - background)
        straight, strength = math.dist(source, ear), -1.0
        if straight <= limit + CLOSE:
            above = (*source[:2], source[2] + (1e-6 if rules.floors else 0.0))
            through = limit * rules.passes(above, ear, "hear_through")
            under, below = rules.floor_at(source[2], 0.1), rules.floor_at(feet[2], 0.5)
            rise = ear[2] - below - (source[2] - under) if rules.floors else ear[2] - source[2]
            apart = bool(rules.floors) and under != below
            around = math.inf if apart else math.hypot(rules.way(source[:2], ear[:2], min(under, below)), rise)
            strength = max(
                (
                    1 - length / most
                    for length, most in ((straight, through), (around, limit))
                    if most > 0 and length <= most + CLOSE
                ),
                default=-1.0,
            )
        return {"result": "heard" if strength >= 0 else "reach", "strength": max(strength, 0.0), "straight": straight}

    def smell(self, j: int, trail: Any) -> dict[str, Any]:
        rules, i, nose, air = self.rules, self.i, self.own["smell"], self.rules.scenario["air"]
        scent, awake = rules.body[j].get("scent", 1.0), self.awake("smell")
        if not rules.now[i]:
            return {"result": "present"}
        if rules.team[j] not in rules.noticed(i, "smell"):
            return {"result": "cares"}
        if not trail or scent == 0:
            return {"result": "present"}
        if awake <= 0:
            return {"result": "awake"}
        result, at = "strength", rules.now[i]["at"]
        for place, left in reversed(trail):
            strength, wind = rules.strength(j, place, left), air["wind"] * rules.zonal("wind", place, 1.0)
            if strength < nose["weakest"] - CLOSE:
                continue
            result, along = "reach", math.radians(air["blows_to"])
            dx, dy = at[0] - place[0], at[1] - place[1]
            cosine = (dx * math.cos(along) + dy * math.sin(along)) / math.hypot(dx, dy) if math.hypot(dx, dy) > CLOSE else 0.0
            limit, away = (
                nose["reach"] * awake * strength * math.exp(air["carries"] * wind * cosine),
                math.dist(place, at),
            )
            if away <= limit + CLOSE:
                x, y, z = place
                limit *= rules.passes(
                    (x, y, z + 0.5 * rules.tall(j, "standing")), rules.eye(i, rules.now[i]), "smell_through"
                )
                if away <= limit + CLOSE:
                    return {
                        "result": "sensed",
                        "strength": strength,
                        "age": rules.t - left,
                        "since": left,
                        "at": place,
                        "distance": away,
                        "limit": limit,
                    }
        return {"result": result}

    def fill(self, j: int | None) -> None:
        """The meter for a target, or for the place of a noise that nobody made."""
        rules = self.rules
        meter = self.own.get("meter")
        if meter is None:
            return
        rates, at_once = [], j in self.touched
        for name, look in self.looks[j].items() if j is not None and self.views(j) else ():
            if look["result"] == "in_view":
                cone = self.cone(name)
                factors = {
                    "distance": look["distance"] / cone["range"],
                    "angle": look["off"] / cone["fov_whole"] * 2,
                    "light": look["light"],
                    "motion": rules.speed[j],
                }
                rate = math.prod(curve(meter.get(key), x) for key, x in factors.items())
                rates.append(
                    rate
                    * look["exposure"]
                    * meter.get(rules.now[j]["posture"], 1.0)
                    * self.own["cones"][name].get("weight", 1.0)
                )
                at_once |= 0 < meter.get("at_once", 0.0) >= look["distance"] - CLOSE
        rates = [max(rates)] if rates else []
        if j is not None and self.contacts.get((j, "zone_sense")) == "sensed":
            rates.append(meter.get("zone_rate", 1.0))
        if j in self.smelt:
            rates.append(meter.get("smell_rate", 0.5) * self.smelt[j]["strength"])
        noise = meter.get("noise_gain", 0.1) * sum(strength for _, strength in self.heard[j])
        value, self.rates[j] = self.meter[j] + noise, max(rates, default=0.0)
        if at_once or rates or self.heard[j]:
            self.fed[j] = rules.t
            value = 1.0 if at_once else value + self.rates[j] * rules.dt / meter["fill_time"]
        elif j in self.fed:
            quiet = rules.t - self.fed[j] - meter.get("drain_after", 1.0)
            value -= min(max(quiet, 0.0), rules.dt) / meter.get("drain_time", 5.0)
        self.meter[j] = min(max(value, 0.0), 1.0)

    # --- Memory and telling.

    def believe(self) -> None:
        rules, memory, dt = self.rules, self.own.get("memory"), self.rules.dt
        came = [letter for letter in self.mail if letter["k"] == rules.k]
        self.mail = [letter for letter in self.mail if letter["k"] > rules.k]
        self.told = {letter["about"] for letter in came}
        self.told_ranks = {letter["about"]: letter["rank"] for letter in sorted(came, key=lambda each: each["rank"])}
        for j in self.notices:
            belief, known = self.beliefs.get(j), self.knows_now(j) and rules.now[j]
            if known:
                moved = rules.now[j] and rules.before[j] and rules.k > 0
                velocity = (
                    [(b - a) / dt for a, b in zip(rules.before[j]["at"][:2], rules.now[j]["at"][:2], strict=True)]
                    if moved
                    else [0.0, 0.0]
                )
                belief = {"source": "sensed", "at": rules.now[j]["at"], "since": rules.t, "velocity": velocity}
            elif memory is None:
                belief = None
            elif (
                belief
                and belief["source"] in ("sensed", "grace")
                and rules.now[j]
                and rules.t - belief["since"] <= memory["grace"] + CLOSE
            ):
                belief.update(source="grace", at=rules.now[j]["at"])
            else:
                belief = self.remember(j, belief, [letter for letter in came if letter["about"] == j])
            self.beliefs[j] = belief or {}
            lost = belief and belief["source"] not in ("sensed", "grace", "smelt")
            if self.sees_empty(j, belief["at"] if lost else None, rules.tall(j, "standing")):
                self.beliefs[j] = {}
        self.beliefs = {j: belief for j, belief in self.beliefs.items() if belief}
        if memory and self.own.get("hearing", {}).get("of_nobody", "hearing" in self.own):
            news = [noise for noise, _ in self.heard[None]]
            if news:
                newest = max(news, key=lambda noise: noise["t"])
                if not self.place or newest["t"] >= self.place["since"]:
                    self.place = {"at": newest["at"], "since": newest["t"]}
            elif self.place and rules.t - self.place["since"] > memory["forget"] + CLOSE:
                self.place, self.meter[None] = None, 0.0
            if self.sees_empty(None, self.place and self.place["at"], rules.tall(self.i, "standing")):
                self.place, self.meter[None] = None, 0.0

    def remember(self, j: int, belief: Any, letters: Any) -> Any:
        """What it believes of somebody that it does not sense."""
        rules = self.rules
        memory, dt = self.own["memory"], rules.dt
        since = belief["since"] if belief else NEVER
        news = [("heard", noise["t"], noise["at"], noise["blur"]) for noise, _ in self.heard[j]]
        news += [("smelt", self.smelt[j]["since"], self.smelt[j]["at"], 0.0)] if j in self.smelt else []
        source, newest, at, blur = max(news, key=lambda each: (each[1], each[0]), default=("", NEVER, None, 0.0))
        if newest < since - CLOSE:
            source, newest = "", since
        letter = max(letters, key=lambda each: each["since"], default=None)
        if letter and letter["since"] > max(since, newest) + CLOSE:
            return {"source": "told", **{key: letter[key] for key in ("at", "since", "blur")}}
        if source:
            return {"source": source, "at": at, "since": newest, "blur": blur}
        if not belief or rules.t - since > memory["forget"] + CLOSE:
            return None
        if belief["source"] in ("sensed", "grace"):
            belief["source"] = "lead"
        if belief["source"] == "lead":
            low, end = max(rules.t - dt - since, memory["grace"]), memory["grace"] + memory["lead"]
            if end - low <= CLOSE:
                belief["source"] = "last_known"
            self.lead(belief, max(min(rules.t - since, end) - low, 0.0))
        return belief

    def spread_of(self, belief: Any) -> float:
        """The radius within which it believes somebody to be."""
        memory, source = self.own["memory"], belief["source"]
        if source in ("sensed", "grace"):
            return 0.0
        age = self.rules.t - belief["since"] - (memory["grace"] if source in ("lead", "last_known") else 0.0)
        return float(memory.get("spread", 1.0) * max(age, 0.0) + belief.get("blur", 0.0))

    def lead(self, belief: Any, seconds: float) -> None:
        """Move a belief on, up to 2 cm before a wall."""
        rules = self.rules
        (x, y, z), velocity = belief["at"], belief["velocity"]
        far = seconds * math.hypot(*velocity)
        if far:
            ahead = [v / math.hypot(*velocity) for v in velocity]
            line = LineString([(x, y), (x + (far + 0.02) * ahead[0], y + (far + 0.02) * ahead[1])])
            stops = [w for w in rules.walls if not w.own.get("walkable") and w.base < z + 2 and w.top > z]
            hits = [
                line.intersection(side).distance(Point(x, y))
                for w in stops
                for side in map(LineString, w.sides)
                if line.intersects(side)
            ]
            if hits:
                far, belief["velocity"] = max(min(hits) - 0.02, 0.0), [0.0, 0.0]
            belief["at"] = (x + far * ahead[0], y + far * ahead[1], z)

    def sees_empty(self, j: int | None, at: Any, tall: float) -> bool:
        """Whether it has seen for long enough that nobody is at a place."""
        memory, rules, i, can = self.own.get("memory", {}), self.rules, self.i, False
        if "seen_empty" not in memory or not rules.now[i] or at is None:
            self.empty[j] = 0
            return False
        middle = (at[0], at[1], at[2] + 0.5 * tall)
        line, light = self.line(middle), rules.zonal("light", at, rules.scenario["light"])
        lamp = rules.cast[i].get("lamp")
        if lamp:
            light += lamp["light"] * max(1 - math.dist(rules.up(i, rules.now[i], 0.5), middle) / lamp["reach"], 0.0)
        for name in self.own["cones"]:
            cone = self.cone(name)
            cares = j is None or rules.team[j] in cone.get("notices", self.own["notices"])
            awake = self.awake("sight")
            can |= (
                cares
                and awake > 0
                and not self.gate(line, cone, cone["range"] * awake, cone["fov_whole"] / 2, min(light, 1.0))
            )
        can = can and rules.passes(rules.eye(i, rules.now[i]), middle, "see_through") > 0
        self.empty[j] = self.empty[j] + 1 if can else 0
        if can and (self.empty[j] - 1) * rules.dt >= memory["seen_empty"] - CLOSE:
            self.empty[j] = 0
            return True
        return False

    def tell(self, minds: Any) -> list[Any]:
        """Messages to others: (teller, listener, target, result, when it arrives)."""
        rules, i, how, said = self.rules, self.i, self.own.get("tell"), []
        for j in self.notices if how is not None and rules.now[i] and "memory" in self.own else []:
            belief, (tick, since) = self.beliefs.get(j), self.told_last.get(j, (-math.inf, NEVER))
            if not belief or rules.k - tick < max(round(how.get("every", 1.0) / rules.dt), 1):
                continue
            own = belief["source"] != "told" and (
                (self.knows_now(j) and rules.now[j]) or self.heard[j] or j in self.smelt
            )
            again = belief["source"] == "told" and how.get("passes_on") and belief["since"] > since + rules.dt / 2
            if (not own and not again) or j in self.saw_to:
                continue
            self.told_last[j] = rules.k, belief["since"]
            arrives = rules.k + max(round(how.get("delay", 0.0) / rules.dt), 1)
            for b, mind in minds.items():
                if b == i or rules.team[b] not in how.get("teams", [rules.team[i]]):
                    continue
                result = "told"
                if not rules.now[b]:
                    result = "present"
                elif "memory" not in mind.own:
                    result = "memory"
                elif j not in mind.notices:
                    result = "cares"
                elif "reach" in how:
                    ears = "hearing" in mind.own
                    carried = mind.carry(rules.eye(i, rules.now[i]), how["reach"])["result"] if ears else "ears"
                    result = carried.replace("heard", "told")
                said.append((i, b, j, result, arrives))
                if result == "told":
                    mind.mail.append({"k": arrives, "about": j, "at": belief["at"], "since": belief["since"], "blur": belief.get("blur", 0.0), "rank": self.rank()})
        return said

    def alarm(self, teams: list[str], j: int | None) -> None:
        """Let all of these teams know what it believes of somebody."""
        belief = self.beliefs.get(j) if j is not None else None
        for b, mind in self.rules.minds.items() if belief and j is not None else ():
            if b == self.i or self.rules.team[b] not in teams:
                continue
            cares = j in mind.notices
            result = "present" if not self.rules.now[b] else "memory" if "memory" not in mind.own else "told" if cares else "cares"
            self.rules.said.append((self.i, b, j, "alarm " + result, self.rules.k + 1))
            if result == "told":
                mind.mail.append({"k": self.rules.k + 1, "about": j, "at": belief["at"], "since": belief["since"], "blur": belief.get("blur", 0.0), "rank": self.rank()})

    # --- Focus, signals and transitions.

    def pace(self) -> str:
        return str(self.ladder["states"][self.state].get("pace", "walking"))

    def rank(self, transition: str | None = None) -> float:
        """Of its state, or of the one that a transition leads to."""
        state = self.ladder["transitions"][transition]["to"] if transition else self.state
        return float(self.ladder["states"][state].get("rank", list(self.ladder["states"]).index(state)))

    def routine(self) -> float:
        ranks = {float(s.get("rank", n)) for n, s in enumerate(self.ladder["states"].values())}
        return min(ranks) if len(ranks) > 1 else NEVER

    def enter(self, state: str) -> None:
        sleep = self.ladder["states"][self.state].get("sleep")
        self.wakes = self.rules.t + sleep.get("wake_time", 1.0) if sleep and "sleep" not in self.ladder["states"][state] else NEVER
        self.state, self.since = state, self.rules.t
        self.true_since, self.possible_since, self.since_entry = {}, {}, set()

    def forget(self, j: int) -> None:
        """Somebody has come in anew."""
        for each in (self.looks, self.beliefs, self.told_last, self.first, self.seen_since, self.last_sensed, self.fed, self.saw_to):
            each.pop(j, None)
        self.meter[j] = 0.0
        self.empty[j] = 0
        self.caught.discard(j)
        self.mail = [letter for letter in self.mail if letter["about"] != j]
        self.focus = "nobody" if self.focus == j else self.focus

    def catch(self) -> bool:
        """Catch whoever is in reach; return whether that ends the run."""
        rules, i, catch = self.rules, self.i, self.ladder["states"][self.state].get("catch")
        ends = False
        for j in self.others:
            near = rules.now[i] and rules.now[j] and self.away(j) <= catch.get("reach", 0.5) + CLOSE if catch else False
            if not near:
                self.caught.discard(j)
            elif j not in self.caught and self.views(j) and j not in rules.clues:
                self.caught.add(j)
                rules.noted.append(("caught", i, j))
                self.since_entry.add("caught")
                if j in rules.minds:
                    rules.minds[j].since_entry.add("was_caught")
                ends |= catch.get("ends", True)
                rules.bring_about(catch.get("then"), self, j)
        return ends

    def see_to(self) -> None:
        j, rules = self.focus, self.rules
        if j in rules.clues and j not in self.saw_to and rules.now[self.i] and rules.now[j]:
            above = self.rank() > self.routine()
            if above and self.knows_now(j) and (self.away(j) <= rules.clues[j].get("reach", 1.5) + CLOSE or self.signals["unreachable"]):
                self.saw_to[j] = rules.k
                rules.noted.append(("seen_to", self.i, j))
                self.since_entry.add("seen_to")

    def away(self, j: int) -> float:
        """How far off another body is, as for touch."""
        rules, i = self.rules, self.i
        mine, theirs = rules.now[i], rules.now[j]
        tops = [rules.up(who, rules.now[who], 1.0)[2] for who in (i, j)]
        gap = max(max(mine["at"][2], theirs["at"][2]) - min(tops), 0.0)
        return math.hypot(*(a - b for a, b in zip(mine["at"][:2], theirs["at"][:2], strict=True)), gap)

    def ignores(self, j: int) -> bool:
        """Whether it does not mind somebody: a clue that it saw to, or beyond its territory."""
        if self.saw_to.get(j, math.inf) < self.rules.k - 1:
            return True
        leash = self.rules.cast[self.i].get("leash", {})
        at = (self.beliefs.get(j) or self.rules.now[j] or {}).get("at")
        return bool(leash.get("outside") == "ignore" and at and not self.rules.is_in(leash["zone"], at))

    def decide(self) -> None:
        rules, i = self.rules, self.i
        self.attend()
        j = self.focus if isinstance(self.focus, int) else None
        for n in self.others:
            minds = self.saw_to.get(n, math.inf) >= rules.k - 1
            if minds and self.views(n):
                self.seen_since.setdefault(n, rules.t)
            else:
                self.seen_since.pop(n, None)
            if minds and self.knows_now(n):
                self.last_sensed[n] = rules.t
        is_place = self.focus is None
        belief = (self.place if is_place else self.beliefs.get(j)) if j is not None or is_place else None
        seen = j is not None and self.views(j)
        looks = [look["exposure"] for look in self.looks[j].values() if look["result"] == "in_view"] if seen else [0.0]
        at = rules.now[i]["at"] if rules.now[i] else (math.nan,) * 3
        bearing = math.nan
        if belief and rules.now[i]:
            dx, dy = belief["at"][0] - at[0], belief["at"][1] - at[1]
            bearing = abs(wrapped(math.degrees(math.atan2(dy, dx)) - rules.now[i]["facing"])) if math.hypot(dx, dy) > CLOSE else 0.0
        by_nobody = self.heard[None] and self.own["hearing"].get("of_nobody", True) and "memory" in self.own
        minded = [n for n in self.notices if self.saw_to.get(n, math.inf) >= rules.k - 1]
        home, leash = rules.homes.get(i), rules.cast[i].get("leash", {})
        fact = rules.facts.get((i, rules.k))
        self.observers = [a for a, mind in rules.minds.items() if mind.views(i)]
        self.signals = {
            "seen": seen,
            "felt": j in self.felt,
            "smelt": j in self.smelt,
            "told": j in self.told,
            "heard": bool(self.heard[None] if is_place else j is not None and self.heard[j]),
            "any_seen": any(map(self.views, minded)),
            "any_felt": any(n in self.felt for n in minded),
            "any_smelt": any(n in self.smelt for n in minded),
            "any_told": any(n in self.told for n in minded),
            "any_heard": bool(by_nobody or any(self.heard[n] for n in self.others)),
            "knows": bool(belief),
            "observed": any(rules.team[a] != rules.team[i] for a in self.observers),
            "faces_focus": bearing <= 5 + CLOSE,
            "inside_territory": not leash or rules.is_in(leash["zone"], at),
            "target_inside_territory": not leash or bool(belief and rules.is_in(leash["zone"], belief["at"])),
            **{word: word in self.since_entry for word in ("caught", "was_caught", "seen_to")},
            "exposure": looks[0],
            "meter": self.meter[j] if j is not None or is_place else 0.0,
            "distance": math.dist(at, belief["at"]) if belief else math.inf,
            "from_home": math.dist(at[: 3 if rules.floors else 2], home[: 3 if rules.floors else 2]) if home else math.nan,
            "lost_for": rules.t - self.last_sensed.get(j, NEVER) if j is not None else math.inf,
            "seen_for": rules.t - self.seen_since.get(j, rules.t) if j is not None else 0.0,
            "scent_age": self.smelt[j]["age"] if j in self.smelt else math.inf,
            "state_for": rules.t - self.since,
            "told_rank": self.told_ranks.get(j, -1.0) if j is not None else -1.0,
            "rank": self.rank(),
            "bearing": bearing,
            **{word: bool(fact and getattr(fact, word)) for word in FACTS},
            "own_speed": rules.speed[i],
            "own_height": rules.tall(i, rules.now[i]["posture"]) if rules.now[i] else math.nan,
            **{f"target_{axis}": belief["at"][n] if belief else math.nan for n, axis in enumerate("xyz")},
            "own_light": rules.lights[i],
            "target_speed": rules.speed[j] if seen else math.nan,
            "target_light": rules.lights[j] if seen else math.nan,
            "target_height": rules.tall(j, rules.now[j]["posture"]) if seen else math.nan,
            "own_nerve": rules.attributes[i].get("nerve", math.nan),
            "target_nerve": rules.attributes[j].get("nerve", math.nan) if j is not None else math.nan,
        }
        self.in_state, self.took, self.could = self.state, None, []
        state, waits = self.ladder["states"][self.state], self.ladder.get("transitions", {})
        for name, transition in waits.items():
            leads = self.state in transition.get("from", [s for s in self.ladder["states"] if s != transition["to"]])
            if not rules.now[i] or not leads or not self.holds(transition["when"], at, belief, j):
                self.true_since.pop(name, None)
                self.possible_since.pop(name, None)
                continue
            held = rules.t - self.true_since.setdefault(name, rules.t)
            busy = not state.get("interruptible", True) and not any(self.signals[word] for word in ("done", "failed", "stuck"))
            busy |= rules.t < self.wakes - CLOSE
            if busy or held < transition.get("for", 0.0) - CLOSE or rules.t - self.since < state.get("least", 0.0) - CLOSE:
                self.possible_since.pop(name, None)
                continue
            waited = rules.t - self.possible_since.setdefault(name, rules.t)
            if waited >= transition.get("reaction", state.get("reaction", 0.0)) - CLOSE:
                self.could.append(name)
        self.took = self.could[0] if self.could else None

    def attend(self) -> None:
        """Choose the focus: a target, None for the place of a noise of nobody, or "nobody"."""
        rules, ladder, values = self.rules, self.ladder, {}
        sensed: dict[int | None, bool] = {j: self.knows_now(j) for j in self.notices}
        sensed[None] = bool(self.heard[None])
        for j in [*self.notices, None]:
            known = (
                self.place
                if j is None
                else sensed[j] or self.heard[j] or j in self.smelt or j in self.beliefs or self.meter[j] > 0
            )
            if not known or (j is not None and self.ignores(j)):
                self.first.pop(j, None)
                continue
            self.first.setdefault(j, rules.k)
            belief = self.place if j is None else self.beliefs.get(j)
            away = math.dist(rules.now[self.i]["at"], belief["at"]) if belief and rules.now[self.i] else math.inf
            full = self.meter[j] if "meter" in self.own else float(sensed[j])
            values[j] = ({"meter": full, "nearest": -away, "first": -self.first[j]}[ladder["focus_by"]], away)
        if not rules.now[self.i]:
            return
        if not values:
            self.focus = "nobody"
            return
        most = max(value for value, _ in values.values())
        best = [j for j, (value, _) in values.items() if value >= most - CLOSE]
        nearest = min(values[j][1] for j in best)
        best = [j for j in best if values[j][1] <= nearest + CLOSE]
        chosen = min(best, key=lambda j: (j is None, rules.names[j or 0]))
        if self.focus in values and ladder["focus_stick"] > 0:
            held = values[self.focus][0]  # type: ignore[index]
            gives_way = sensed[chosen] and not sensed[self.focus] and most >= held - CLOSE  # type: ignore[index]
            if most <= held + ladder["focus_stick"] + CLOSE and not gives_way:
                return
        self.focus = chosen

    def holds(self, when: str, at: Any, belief: Any, j: int | None) -> bool:
        """Whether a condition is true: signals and comparisons, joined by the same word."""
        rules = self.rules
        for word, join in (("or", any), ("xor", lambda parts: sum(parts) % 2 == 1), ("and", all)):
            parts = when.split(f" {word} ")
            if len(parts) > 1:
                return join([self.holds(part, at, belief, j) for part in parts])
        if when.startswith("not "):
            return not self.holds(when[4:], at, belief, j)
        if when.startswith("target.team"):
            return j is not None and f'"{rules.team[j]}"' in when
        asked = re.fullmatch(r'(\w+)\("(.*)"\)', when)
        if asked:
            word, name = asked.groups()
            if word in ("in_zone", "target_in_zone"):
                where = at if word == "in_zone" else belief and belief["at"]
                return bool(where) and rules.is_in(name, where)
            if word in ("open", "lit"):
                return rules.was_on[name]
            if word == "observed_by":
                return any(rules.team[a] == name for a in self.observers)
            if word == "seen":
                return j is not None and self.looks[j].get(name, {}).get("result") == "in_view"
            return j is not None and self.contacts.get((j, "zone_sense" if name == "zone" else name)) == "sensed"
        compared = re.fullmatch(r"([a-z_.]+) ([<>]) ([0-9.]+)(s|m|deg)?", when)
        if not compared:
            return bool(self.signals[when])
        left, right = self.signals[compared[1].replace(".", "_")], float(compared[3])
        return left < right - CLOSE if compared[2] == "<" else left > right + CLOSE
