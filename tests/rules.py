"""The rules of docs/calculations.md once more, by one tick, pair and ray after the other.

For scenes without doors and stairs in which nobody moves by itself: what is sensed, how meters
fill, what is believed and told, whom agents act on, and which transitions they take. Written from
the document alone, in plain Python with Shapely and NetworkX, so slow, and short of everything
that makes the library fast.
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

CLOSE = 1e-9
NEVER = -math.inf


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
        hits, (ax, ay, az), (bx, by, bz) = [], a, b
        dx, dy = bx - ax, by - ay
        for (x1, y1), (x2, y2) in self.sides:
            ex, ey = x2 - x1, y2 - y1
            across = dx * ey - dy * ex
            if across:
                at = ((x1 - ax) * ey - (y1 - ay) * ex) / across
                on = ((x1 - ax) * dy - (y1 - ay) * dx) / across
                if 0 <= on <= 1 and 0 < at < 1 and self.base <= az + at * (bz - az) <= self.top:
                    hits.append(at)
        ends = [self.top] if self.base <= 0 else [self.base, self.top]
        for z in ends if self.is_solid and az != bz else []:
            at = (z - az) / (bz - az)
            if 0 < at < 1 and self.area.covers(Point(ax + at * dx, ay + at * dy)):
                hits.append(at)
        return min(hits, default=math.inf)


class Rules:
    """A scene: the scenario's tables, the level's features, and the rows of its tracks."""

    def __init__(self, scenario: dict[str, Any], features: list[Any], rows: list[Any]) -> None:
        self.scenario, self.dt, self.start = (scenario, scenario["clock"]["dt"], scenario["clock"]["start"])
        self.ticks = math.floor((scenario["clock"]["end"] - self.start) / self.dt + 1e-6) + 1
        shapes = [Shape(each) for each in features]
        self.walls = [each for each in shapes if each.kind != "zone"]
        self.floors = [each for each in shapes if each.kind == "floor"]
        self.zones = [each for each in shapes if each.kind == "zone"]
        for zone in self.zones:
            for floor in self.floors if "floor" in zone.own else ():
                if floor.name == zone.own["floor"]:
                    zone.own = {**zone.own, "base": floor.base - 0.5, "top": floor.base + 2.0}
        self.names, self.cast = list(scenario["cast"]), list(scenario["cast"].values())
        self.team = [member["team"] for member in self.cast]
        self.profile = [scenario["profiles"].get(member.get("profile")) for member in self.cast]
        self.body = [
            scenario["bodies"][member.get("body") or (profile or {}).get("body")]
            for member, profile in zip(self.cast, self.profile, strict=True)
        ]
        self.agents = [i for i, profile in enumerate(self.profile) if profile]
        self.everybody = range(len(self.names))
        self.rows = {name: [row for row in rows if row["id"] == name] for name in self.names}
        self.poses = [[self.pose(i, self.time(k)) for i in self.everybody] for k in range(self.ticks)]
        self.way = cache(self._way)
        self.ground = cache(self._ground)

    def time(self, k: int) -> float:
        return self.start + k * self.dt

    def pose(self, i: int, t: float) -> dict[str, Any] | None:
        """Where somebody is; nothing while it is absent."""
        member, rows = self.cast[i], self.rows[self.names[i]]
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

    def passes(self, a: Any, b: Any, sense: str) -> float:
        return math.prod(w.share(sense) for w in self.walls if w.share(sense) < 1 and w.first_hit(a, b) < 1)

    def hidden_by(self, a: Any, b: Any, i: int, j: int) -> bool:
        """Whether another body stands between an eye and a body."""
        for c in self.everybody:
            if c in (i, j) or not self.body[c].get("blocks") or self.now[c] is None:
                continue
            (x, y, low), radius = self.now[c]["at"], self.body[c].get("radius", 0.2)
            high = low + self.tall(c, self.now[c]["posture"])
            column = LineString([a[:2], b[:2]]).intersection(Point(x, y).buffer(radius, quad_segs=2000))
            if column.length == 0 or (math.dist(a[:2], (x, y)) < radius and low <= a[2] <= high):
                continue
            heights = [a[2] + (b[2] - a[2]) * math.dist(a[:2], p) / math.dist(a[:2], b[:2]) for p in column.coords]
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
        return min(total, 1.0)

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
        shapes = [self.walls[n].area for n in walls]
        faces = [s.boundary if s.area else s for s in shapes]  # solids are hollow
        thin = [s.buffer(5e-4, cap_style="flat", join_style="mitre") for s in faces]
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
        stops = [n for n, w in enumerate(self.walls) if not w.own.get("walkable") and w.base < z + 2 and w.top > z]
        block, corners = self.ground(tuple(stops))
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

    def noises(self) -> list[dict[str, Any]]:
        """All that make one, with the tick at which each is to be judged first."""
        found = []
        for given in self.scenario["noise"]:
            by = self.names.index(given["by"]) if "by" in given else None
            reach = given.get("reach", self.scenario["noise_kinds"]["bang"]["reach"])
            found.append({"t": given["t"], "by": by, "at": (*given["at"], given.get("z", 0.0)), "reach": reach})
        for i in self.everybody:
            steps = self.body[i].get("steps")
            left = steps["stride"] if steps else math.inf
            for k in range(1, self.ticks if steps else 0):
                a, b = self.poses[k - 1][i], self.poses[k][i]
                if not a or not b:
                    left = steps["stride"]
                    continue
                walked, speed = 0.0, math.dist(a["at"][:2], b["at"][:2]) / self.dt
                gait = (
                    "creeping"
                    if speed < steps.get("creep_below", 0.8)
                    else "running"
                    if speed > steps.get("run_above", 2.5)
                    else "walking"
                )
                while speed * self.dt - walked >= left - 1e-12 and speed > 0:
                    walked, left = walked + left, steps["stride"]
                    part = walked / (speed * self.dt)
                    at = tuple(p + part * (q - p) for p, q in zip(a["at"], b["at"], strict=True))
                    reach = steps.get(a["gait"] or gait, 0.0) * self.scenario["grounds"].get(
                        self.zonal("ground", at, None), 1.0
                    )
                    if reach > 0:
                        found.append({"t": self.time(k - 1) + part * self.dt, "by": i, "at": at, "reach": reach})
                left -= speed * self.dt - walked
        for noise in found:
            noise["k"] = max(math.ceil((noise["t"] - self.start) / self.dt - 1e-6), 0)
        return sorted((n for n in found if n["k"] < self.ticks), key=lambda n: n["t"])

    def leave(self, j: int, trail: list[Any]) -> None:
        """Somebody goes on with its trail; what is too weak at its end for all noses is dropped."""
        if self.now[j]:
            if len(trail) > 1 and math.dist(trail[-2][0], self.now[j]["at"]) < 0.5:
                trail.pop()
            trail.append((self.now[j]["at"], self.t))
        noses = [self.profile[i]["smell"]["weakest"] for i in self.agents if "smell" in self.profile[i]]
        while len(trail) > 1 and self.strength(j, *trail[0]) < min(noses, default=0.0):
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
        senses = [
            *own.get("cones", {}).values(),
            *(own.get(s, {}) for s in ("hearing", "touch", "zone_sense", "smell")),
        ]
        return [team for each in (own, *senses) for team in each.get("notices", [])]

    def turns(self, i: int, every: float, k: int) -> bool:
        ticks = max(int(every / self.dt + 0.5), 1)
        return k == 0 or (k - self.agents.index(i)) % ticks == 0

    k: int
    t: float
    now: list[Any]
    before: list[Any]
    speed: list[float]
    lights: list[float]

    def run(self) -> Iterator[dict[str, Any]]:
        """What everybody sensed and did, tick by tick."""
        minds = {i: Mind(self, i) for i in self.agents}
        trails: list[list[Any]] = [[] for _ in self.names]
        noises = self.noises()
        for k, poses in enumerate(self.poses):
            self.k, self.t, self.now = k, self.time(k), poses
            self.before = self.poses[max(k - 1, 0)]
            ends = zip(self.before, self.now, strict=True)
            self.speed = [math.dist(a["at"], b["at"]) / self.dt if a and b else 0.0 for a, b in ends]
            self.lights = [self.light(i) if self.now[i] else math.nan for i in self.everybody]
            for j, trail in enumerate(trails):
                self.leave(j, trail)
            for mind in minds.values():
                mind.sense(noises, trails)
            for mind in minds.values():
                mind.believe()
            said = [each for mind in minds.values() for each in mind.tell(minds)]
            for i, mind in minds.items():
                observed = any(other.views(i) for a, other in minds.items() if self.team[a] != self.team[i])
                mind.decide(observed)
            yield {"noises": noises, "said": said, "minds": minds}


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
                self.heard[noises[n]["by"]].append((noises[n], found["strength"]))
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
        off = abs(wrapped(math.degrees(math.atan2(dy, dx)) - rules.now[self.i]["facing"])) if dx or dy else 0.0
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
        tops = [rules.up(who, rules.now[who], 1.0)[2] for who in (i, j)]
        gap = max(max(mine["at"][2], theirs["at"][2]) - min(tops), 0.0)
        if (
            math.hypot(*(a - b for a, b in zip(mine["at"][:2], theirs["at"][:2], strict=True)), gap)
            > self.own[sense]["radius"] * awake + CLOSE
        ):
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
        return {"result": "heard" if strength >= 0 else "reach", "strength": max(strength, 0.0)}

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
            cosine = (dx * math.cos(along) + dy * math.sin(along)) / math.hypot(dx, dy) if dx or dy else 0.0
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
                self.place = None
            if self.sees_empty(None, self.place and self.place["at"], rules.tall(self.i, "standing")):
                self.place = None

    def remember(self, j: int, belief: Any, letters: Any) -> Any:
        """What it believes of somebody that it does not sense."""
        rules = self.rules
        memory, dt = self.own["memory"], rules.dt
        since = belief["since"] if belief else NEVER
        news = [("heard", noise["t"], noise["at"]) for noise, _ in self.heard[j]]
        news += [("smelt", self.smelt[j]["since"], self.smelt[j]["at"])] if j in self.smelt else []
        source, newest, at = max(news, key=lambda each: (each[1], each[0]), default=("", NEVER, None))
        if newest < since - CLOSE:
            source, newest = "", since
        letter = max(letters, key=lambda each: each["since"], default=None)
        if letter and letter["since"] > max(since, newest) + CLOSE:
            return {"source": "told", "at": letter["at"], "since": letter["since"]}
        if source:
            return {"source": source, "at": at, "since": newest}
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
            if not own and not again:
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
                    mind.mail.append({"k": arrives, "about": j, "at": belief["at"], "since": belief["since"]})
        return said

    # --- Focus, signals and transitions.

    def decide(self, observed: bool) -> None:
        rules, i = self.rules, self.i
        self.attend()
        j = self.focus if isinstance(self.focus, int) else None
        for n in self.others:
            if self.views(n):
                self.seen_since.setdefault(n, rules.t)
            else:
                self.seen_since.pop(n, None)
            if self.knows_now(n):
                self.last_sensed[n] = rules.t
        is_place = self.focus is None
        belief = (self.place if is_place else self.beliefs.get(j)) if j is not None or is_place else None
        seen = j is not None and self.views(j)
        exposure = (
            [look["exposure"] for look in self.looks[j].values() if look["result"] == "in_view"] if seen else [0.0]
        )
        at = rules.now[i]["at"] if rules.now[i] else (math.nan,) * 3
        bearing = math.nan
        if belief and rules.now[i]:
            dx, dy = belief["at"][0] - at[0], belief["at"][1] - at[1]
            bearing = abs(wrapped(math.degrees(math.atan2(dy, dx)) - rules.now[i]["facing"])) if dx or dy else 0.0
        by_nobody = self.heard[None] and self.own["hearing"].get("of_nobody", True) and "memory" in self.own
        self.signals = {
            "seen": seen,
            "felt": j in self.felt,
            "smelt": j in self.smelt,
            "told": j in self.told,
            "heard": bool(self.heard[None] if is_place else j is not None and self.heard[j]),
            "any_seen": any(map(self.views, self.others)),
            "any_felt": bool(self.felt),
            "any_smelt": bool(self.smelt),
            "any_told": bool(self.told),
            "any_heard": bool(by_nobody or any(self.heard[n] for n in self.others)),
            "knows": bool(belief),
            "observed": observed,
            "exposure": exposure[0],
            "meter": self.meter[j] if j is not None or is_place else 0.0,
            "distance": math.dist(at, belief["at"]) if belief else math.inf,
            "lost_for": rules.t - self.last_sensed.get(j, NEVER) if j is not None else math.inf,
            "seen_for": rules.t - self.seen_since.get(j, rules.t) if j is not None else 0.0,
            "scent_age": self.smelt[j]["age"] if j in self.smelt else math.inf,
            "state_for": rules.t - self.since,
            "bearing": bearing,
            "own_speed": rules.speed[i],
            "own_light": rules.lights[i],
            "target_speed": rules.speed[j] if seen else math.nan,
            "target_light": rules.lights[j] if seen else math.nan,
            "target_height": rules.tall(j, rules.now[j]["posture"]) if seen else math.nan,
        }
        self.in_state, self.took = self.state, None
        state, waits = self.ladder["states"][self.state], self.ladder.get("transitions", {})
        for name, transition in waits.items():
            leads = self.state in transition.get("from", [s for s in self.ladder["states"] if s != transition["to"]])
            if not rules.now[i] or not leads or not self.holds(transition["when"], at, belief, j):
                self.true_since.pop(name, None)
                self.possible_since.pop(name, None)
                continue
            held = rules.t - self.true_since.setdefault(name, rules.t)
            if held < transition.get("for", 0.0) - CLOSE or rules.t - self.since < state.get("least", 0.0) - CLOSE:
                self.possible_since.pop(name, None)
                continue
            waited = rules.t - self.possible_since.setdefault(name, rules.t)
            if waited >= transition.get("reaction", state.get("reaction", 0.0)) - CLOSE and not self.took:
                self.took = name
        if self.took:
            self.state, self.since = waits[self.took]["to"], rules.t
            self.true_since, self.possible_since = {}, {}

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
            if not known:
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
        zoned = re.fullmatch(r'(target_)?in_zone\("(.*)"\)', when)
        if zoned:
            where = (belief and belief["at"]) if zoned[1] else at
            return bool(where) and any(z.name == zoned[2] and z.contains(*where) for z in rules.zones)
        compared = re.fullmatch(r"([a-z_.]+) ([<>]) ([0-9.]+)(s|m|deg)?", when)
        if not compared:
            return bool(self.signals[when])
        left, right = self.signals[compared[1].replace(".", "_")], float(compared[3])
        return left < right - CLOSE if compared[2] == "<" else left > right + CLOSE
