"""A level ready for use: its walls as segments in a grid, its zones, spots and routes."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.config.steps import HEADROOM, STEP
from snelk.config.words import THROUGH
from snelk.level.casting import cast_each
from snelk.level.columns import GridColumns, ZoneColumns, laid_out, plain
from snelk.level.floors import build_floors
from snelk.level.footing import floors_below, footing
from snelk.level.grid import Grid, build_grid, scratch_for
from snelk.level.growing import APART, MITRE
from snelk.level.links import Links, are_at, build_links, crosses
from snelk.level.rays import cast_rays
from snelk.level.sheets import Sheets
from snelk.level.storeys import build_storeys, strip_of
from snelk.level.ways import Ways
from snelk.level.within import which_inside
from snelk.level.zones import Zones, build_zones

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

    from snelk.config.geojson import LevelData

FOOT = 1e-3
"""A wall that ends no more than this above a floor is no bar on it, m."""

GROUND = 0.0
"""The height of the ground that has no end, m."""


Bars = tuple[list[int], shapely.STRtree]
"""Numbers of walls, and a tree of what they stop feet with."""


@dataclass(frozen=True)
class Sightline:
    """The result of one ray: the share that passes, and the wall that stopped it, and where."""

    share: float
    wall: str | None
    place: tuple[float, float, float] | None


class Level:
    """Walls, zones, spots and routes of a level.

    Attributes:
        data: The level as it was read.
        wall_names: Names of the walls, edges, floors and meshes, in the order of the file; wall
            numbers index it.
        base, top: (walls,) heights, m.
        see_through, hear_through, smell_through: (walls,) the share of sight, of a noise's reach,
            and of how far off a trail is smelt, that passes.
        walkable: (walls,) whether bodies pass through a wall.
        floors: What compiled loops read of the floors.
        is_edge, is_floor, is_mesh: (walls,) what is an edge, a floor or a mesh, which are numbered
            after the walls.
        pieces: (pieces, 6) upright faces: ax, ay, bx, by, base, top, m.
        piece_walls: (pieces,) the wall each piece belongs to.
        triangles: (triangles, 3, 3) tops and bottoms of solids, floors and meshes, as triangles of
            three places, m.
        triangle_walls: (triangles,) the wall each belongs to.
        kept: What runs work out of it and need again, such as areas to roam over.
    """

    @classmethod
    def of(cls, data: LevelData) -> Level:
        """The level of these features; as long as they are in use, one and the same.

        So its grids and paths are computed once for all runs of a scenario.
        """
        if "level" not in data.derived:
            data.derived["level"] = cls(data)
        level: Level = data.derived["level"]
        return level

    def __init__(self, data: LevelData) -> None:
        self.data = data
        # Behind the walls stand the edges, as walls of no height that stop feet only.
        # Behind those lie floors and meshes, which stop whatever would pass through them.
        blocking = (*data.walls, *data.edges, *data.floors, *data.meshes)
        self._outlines = [outline for _, outline in blocking]
        walls = [wall for wall, _ in data.walls] + [edge.as_wall for edge, _ in data.edges]
        walls += [floor.as_wall for floor, _ in data.floors]
        walls += [mesh.as_wall for mesh, _ in data.meshes]
        self.wall_names = tuple(wall.name for wall in walls)
        self.base = np.array([wall.base for wall in walls], dtype=np.float64)
        self.top = np.array([wall.top for wall in walls], dtype=np.float64)
        self.see_through = np.array([wall.see_through for wall in walls], dtype=np.float64)
        self.hear_through = np.array([wall.hear_through for wall in walls], dtype=np.float64)
        self.smell_through = np.array([wall.smell_through for wall in walls], dtype=np.float64)
        self.is_door = np.array([wall.door for wall in walls], dtype=np.bool_)
        own = np.arange(len(walls)) - len(data.walls)
        self.is_edge = (own >= 0) & (own < len(data.edges))
        self.is_mesh = own >= len(data.edges) + len(data.floors)
        self.is_floor = (own >= len(data.edges)) & ~self.is_mesh
        self.floors = build_floors(data.floors)
        self.base[self.is_floor], self.top[self.is_floor] = self.floors.spans.T
        self.walkable = np.array([wall.walkable for wall in walls], dtype=np.bool_)
        self._walked_through = self.walkable & ~self.is_edge
        for n, (mesh, _) in zip(np.flatnonzero(self.is_mesh), data.meshes, strict=True):
            heights = data.triangles[mesh.name][:, :, 2]
            self.base[n], self.top[n] = heights.min(initial=0.0), heights.max(initial=0.0)
        # Whoever walks does so on floors; a mesh comes with walls that stop feet.
        self._walked_through[self.is_floor | self.is_mesh] = True
        self.walkable[self.is_floor | self.is_mesh] = False
        self._bars: dict[tuple[str, float], Bars] = {}
        self._ways: dict[tuple[object, ...], Ways] = {}
        self._near: dict[float, list[list[int]]] = {}
        self._beside_floors: dict[float, list[list[tuple[int, BaseGeometry]]]] = {}
        self.kept: dict[object, object] = {}
        faces = [
            np.zeros((0, 4)) if flat else _faces(outline)
            for outline, flat in zip(self._outlines, self.is_floor | self.is_mesh, strict=True)
        ]
        counts = [len(f) for f in faces]
        self.piece_walls = np.repeat(np.arange(len(faces), dtype=np.int32), counts)
        plan = np.concatenate([np.zeros((0, 4)), *faces])
        heights = np.column_stack([self.base[self.piece_walls], self.top[self.piece_walls]])
        self.pieces: NDArray[np.float64] = np.ascontiguousarray(np.hstack([plan, heights]))
        self.triangles, self.triangle_walls = self._triangles()

    def _triangles(self) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
        """Tops and bottoms of solids, floors and meshes, and the wall each belongs to."""
        found, walls = [np.zeros((0, 3, 3))], []
        first_floor = len(self.data.walls) + len(self.data.edges)
        for n, outline in enumerate(self._outlines):
            if self.is_mesh[n]:
                own = self.data.triangles[self.wall_names[n]]
                found.append(own)
                walls += [n] * len(own)
            if self.is_edge[n] or self.is_mesh[n] or not is_solid(outline):
                continue
            plan = triangles_of(outline)
            if self.is_floor[n]:
                planes = [self.floors.planes[n - first_floor]]
            else:
                # What the ground closes from below needs no bottom.
                closed = self.base[n] <= GROUND and not self.data.floors
                ends = [self.top[n]] if closed else [self.base[n], self.top[n]]
                planes = [np.array([0.0, 0.0, height]) for height in ends]
            for plane in planes:
                found.append(np.dstack([plan, plan @ plane[:2] + plane[2]]))
                walls += [n] * len(plan)
        return np.ascontiguousarray(np.concatenate(found)), np.array(walls, dtype=np.int32)

    def footing(self, x: float, y: float, z: float) -> float:
        """How high the ground is under feet at a height, m: NaN where there is none.

        On a level without floors that is that height everywhere: its ground has no end, and
        characters may stand above it. Else it is that of the highest floor that is no more than
        a step above.

        >>> import shapely
        >>> from snelk.config.geojson import LevelData
        >>> from snelk.config.models import Floor
        >>> loft = Floor(kind="floor", name="loft", height=2.8)
        >>> level = Level(LevelData("", floors=((loft, shapely.box(0, 0, 4, 4)),)))
        >>> level.footing(1, 1, 3.0), level.footing(1, 1, 0.0), level.footing(9, 1, 3.0)
        (2.8, nan, nan)
        """
        return z if not self.data.floors else float(footing(self.floors, x, y, z))

    def as_turned(self, opened: frozenset[str], light: tuple[tuple[str, float], ...]) -> Level:
        """The level with these doors open and these zones lit."""
        key = ("turned", opened, light)
        if key not in self.kept:
            gone = {**dict.fromkeys(THROUGH, 1.0), "walkable": True}
            walls = tuple(
                (wall.model_copy(update=gone) if wall.name in opened else wall, outline)
                for wall, outline in self.data.walls
            )
            lit = dict(light)
            zones = tuple(
                (zone.model_copy(update={"light": lit.get(zone.name, zone.light)}), area)
                for zone, area in self.data.zones
            )
            self.kept[key] = Level(replace(self.data, walls=walls, zones=zones, derived={}))
        found = self.kept[key]
        assert isinstance(found, Level)
        return found

    def outline_of(self, wall: int) -> BaseGeometry:
        """The outline of a wall, by number, in plan."""
        return self._outlines[wall]

    def height_of(self, floor: int, x: float, y: float) -> float:
        """How high a floor is at a place, m; without floors 0."""
        return float(plain(self.floors).planes[floor] @ (x, y, 1.0)) if self.data.floors else 0.0

    def above_floor(self, x: float, y: float, z: float, feet: float) -> float:
        """How high a place is above the floor under feet there, m; without floors above 0."""
        height = self.footing(x, y, feet) if self.data.floors else 0.0
        return z - height

    def stands_at(self, x: float, y: float, z: float) -> float:
        """Height of a character put at a height: that of the floor there, if there is one."""
        height = self.footing(x, y, z)
        return z if np.isnan(height) else height

    def _filed(self, through: NDArray[np.float64]) -> Grid:
        """All that blocks, by the share that each wall lets pass."""
        pieces, triangles = (self.pieces, self.piece_walls), (self.triangles, self.triangle_walls)
        return build_grid(*pieces, through, *triangles, doors=self.is_door)

    @cached_property
    def grid(self) -> Grid:
        """The pieces sorted for the walk of a ray; built when first needed."""
        return self._filed(self.see_through)

    @cached_property
    def laid_grid(self) -> Grid:
        """The same as compiled loops read it, as all whose names begin so."""
        return laid_out(GridColumns, self.grid)

    @cached_property
    def laid_sound_grid(self) -> Grid:
        """See `sound_grid`."""
        return laid_out(GridColumns, self.sound_grid)

    @cached_property
    def laid_scent_grid(self) -> Grid:
        """See `scent_grid`."""
        return laid_out(GridColumns, self.scent_grid)

    @cached_property
    def laid_solid_grid(self) -> Grid:
        """See `solid_grid`."""
        return laid_out(GridColumns, self.solid_grid)

    @cached_property
    def laid_feet_grid(self) -> Grid:
        """See `feet_grid`."""
        return laid_out(GridColumns, self.feet_grid)

    @cached_property
    def sound_grid(self) -> Grid:
        """The pieces for the walk of a sound: a wall lets its `hear_through` pass."""
        return self._filed(self.hear_through)

    @cached_property
    def scent_grid(self) -> Grid:
        """The pieces between a trail and a nose: a wall lets its `smell_through` pass."""
        return self._filed(self.smell_through)

    @cached_property
    def solid_grid(self) -> Grid:
        """The wall segments that block bodies, see-through or not.

        Edges stop feet, not what is above them.
        """
        return self._filed((self.walkable | self.is_edge).astype(np.float64))

    @cached_property
    def feet_grid(self) -> Grid:
        """What stops feet, for level rays at the height of the feet; see `stops_at`."""
        pieces, edge = self.pieces.copy(), self.is_edge[self.piece_walls]
        pieces[:, 4] = np.where(edge, -np.inf, pieces[:, 4] - HEADROOM + FOOT)
        pieces[:, 5] = np.where(edge, np.inf, pieces[:, 5] - FOOT)
        through = self.walkable.astype(np.float64)
        return build_grid(pieces, self.piece_walls, through, doors=self.is_door)

    def ways(
        self,
        *,
        clearance: float = 0.0,
        within: str | None = None,
        bounds: tuple[float, float, float, float] | None = None,
        z: float = 0.0,
        who: Collection[str] | None = None,
        opened: frozenset[int] = frozenset(),
        by_links: bool = True,
    ) -> Ways:
        """The paths on foot; computed when first needed.

        `clearance` is the distance that the centre of a body keeps from walls, m; `within` names a
        zone that is not left; `bounds` is the smallest x, y and largest x, y of the ground, the
        level's if None, m; `z` is the height of ground without floors, m; `who` are the names of
        the walker, for links with `who`; `opened` are doors that are open, by number; `by_links` is
        whether links are used.
        """
        may = tuple(
            n
            for n in self.links_for(who)
            if by_links and self.link_doors[n] <= opened and self.is_link_at(n, z)
        )
        if self.data.floors:
            return self.ways_by((clearance, within, may, opened))
        stops = self.stops_at(z).tobytes()
        return self.ways_by((clearance, within, bounds, stops, may, opened))

    def key_of(self, ways: Ways) -> tuple[Any, ...]:
        """The key by which `ways_by` finds these ways."""
        return next(key for key, each in self._ways.items() if each is ways)

    def ways_by(self, key: tuple[Any, ...]) -> Ways:
        """The paths on foot, by everything they depend on."""
        if key[0] == "sound":
            return self.sound_ways_through(key[1])
        if self.data.floors:
            clearance, within, may, opened = key
            if key not in self._ways:
                floors = range(len(self.data.floors))
                territory = None if within is None else [self.zone_on(within, n) for n in floors]
                self._ways[key] = Ways(
                    self.bounds, self._standing(opened, clearance), clearance, territory,
                    (self.floors, self._sheets), self.links, may,
                )  # fmt: skip
            return self._ways[key]
        clearance, within, bounds, stands, may, opened = key
        stops = np.frombuffer(stands, np.bool_)
        if key not in self._ways:
            blocking = [
                outline
                for wall, (outline, n) in enumerate(zip(self._outlines, stops, strict=True))
                if n and wall not in opened
            ]
            territory = None if within is None else self.zone_area(within)
            self._ways[key] = Ways(
                bounds or self.bounds, blocking, clearance, territory, links=self.links, may=may
            )
        return self._ways[key]

    @cached_property
    def links(self) -> Links:
        """The links, each in one direction; built when first needed."""
        return build_links(self.data.links)

    @cached_property
    def link_doors(self) -> tuple[frozenset[int], ...]:
        """The doors that each link leads through, such as a hatch over a ladder, by number."""
        if not self.data.links:
            return ()
        doors = np.flatnonzero(self.is_door).tolist()
        return tuple(
            frozenset(
                wall
                for wall in doors
                if crosses(ends, self._outlines[wall], self.base[wall], self.top[wall])
            )
            for ends in plain(self.links).ends
        )

    def links_for(self, who: Collection[str] | None) -> list[int]:
        """The links that may be taken by somebody of these names, by number; all if None."""
        whom = [link.who for link, _ in self.data.links]
        features = plain(self.links).feature.tolist() if self.data.links else []
        return [
            n
            for n, feature in enumerate(features)
            if who is None or whom[feature] is None or not set(who).isdisjoint(whom[feature] or ())
        ]

    def is_link_at(self, link: int, z: float) -> bool:
        """Whether a link, by number, begins and ends on the ground of a walker at this height, m.

        Without floors that ground is at `z` everywhere; with floors it may be at any height.
        """
        return bool(self.data.floors) or are_at(plain(self.links).ends[link], z)

    @cached_property
    def _sheets(self) -> Sheets:
        """How the floors are connected for bodies."""
        return self._sheets_for(HEADROOM)

    @cached_property
    def _sound_sheets(self) -> Sheets:
        return self._sheets_for(STEP)

    def _sheets_for(self, headroom: float) -> Sheets:
        storeys = build_storeys(self.floors, [area for _, area in self.data.floors], headroom)
        return Sheets(storeys, np.array(plain(self.floors).planes))

    def _standing(self, opened: frozenset[int], clearance: float) -> list[list[BaseGeometry]]:
        """What stops somebody on each floor, who keeps so far away from it, m."""
        if clearance not in self._beside_floors:
            planes, reach = plain(self.floors).planes, MITRE * max(clearance, 2 * APART)
            self._beside_floors[clearance] = [
                [(wall, self._beside(wall, plane)) for wall in walls]
                for walls, plane in zip(self._near_floors(reach), planes, strict=True)
            ]
        return [
            [outline for wall, outline in walls if wall not in opened]
            for walls in self._beside_floors[clearance]
        ]

    def _beside(self, wall: int, plane: NDArray[np.float64]) -> BaseGeometry:
        """The part of a wall that stops somebody on a plane: on a slope perhaps not all of it."""
        if plane[0] == 0.0 == plane[1]:
            return self._outlines[wall]
        span = (self.base[wall] - HEADROOM, self.top[wall] - FOOT)
        low, high = (-STEP, STEP) if self.is_edge[wall] else span
        return strip_of(self._outlines[wall], plane, low, high)

    def bars_on(self, floor: int) -> Bars:
        """What stops somebody on a floor while all doors are shut; see `bars_at`."""
        if ("bars", floor) not in self._bars:
            self._standing(frozenset(), 0.0)
            self._bars["bars", floor] = _bars_of(self._beside_floors[0.0][floor])
        return self._bars["bars", floor]

    def bars_at(self, z: float) -> Bars:
        """The walls that stop somebody on ground at a height, m, on a level without floors.

        By number, and a tree of the parts of them that do.
        """
        if ("ground", z) not in self._bars:
            walls = np.flatnonzero(self.stops_at(z)).tolist()
            self._bars["ground", z] = _bars_of([(wall, self._outlines[wall]) for wall in walls])
        return self._bars["ground", z]

    def zone_on(self, name: str, floor: int) -> BaseGeometry:
        """The area of a zone on a floor, within the zone's heights; all of it without floors."""
        area, n = self.zone_area(name), self.zone_index(name)
        if not self.data.floors:
            return area
        low, high = plain(self.zones).spans[n].tolist()
        over = plain(self.floors).planes[floor] - plain(self.zones).planes[n]
        return strip_of(area, over, low, high)

    @property
    def sound_ways(self) -> Ways:
        """The paths of a sound on foot with all doors shut; see `sound_ways_through`."""
        return self.sound_ways_through(frozenset())

    def sound_ways_through(self, opened: frozenset[int], z: float = 0.0) -> Ways:
        """The paths of a sound on foot: around walls as drawn, by stairs.

        `opened` are the doors that stand open, by number; `z` is the height of ground without
        floors, m.
        """
        if not self.data.floors:
            return self.ways(z=z, opened=opened, by_links=False)
        key = ("sound", opened)
        if key not in self._ways:
            self._ways[key] = Ways(
                self.bounds, self._standing(opened, 0.0), 0.0,
                floors=(self.floors, self._sound_sheets),
            )  # fmt: skip
        return self._ways[key]

    @property
    def spot_names(self) -> tuple[str, ...]:
        """Names of the spots, in the order of the file."""
        return tuple(spot.name for spot, _ in self.data.spots)

    @cached_property
    def spot_places(self) -> NDArray[np.float64]:
        """(spots, 3) their positions, m; height 0 if the file has none."""
        points = np.array([point for _, point in self.data.spots], dtype=object)
        places: NDArray[np.float64] = shapely.get_coordinates(points, include_z=True)
        return np.nan_to_num(places)

    def places_named(self, name: str, z: float) -> NDArray[np.float64]:
        """(positions, 3) of a spot or a zone, m: for a zone, one on each of its floors.

        Without floors that is `z` high, m. None where a zone is on no floor.
        """
        if name in self.spot_names:
            return self.spot_places[[self.spot_names.index(name)]]
        found = []
        for floor in range(max(len(self.floor_names), 1)):
            area = self.zone_on(name, floor)
            if not area.is_empty:
                x, y = shapely.get_coordinates(area.representative_point())[0].tolist()
                found.append((x, y, self.height_of(floor, x, y) if self.floor_names else z))
        return np.array(found, dtype=np.float64).reshape(-1, 3)

    @property
    def floor_names(self) -> tuple[str, ...]:
        """Names of the floors, in the order of the file."""
        return tuple(floor.name for floor, _ in self.data.floors)

    def floor_at(self, x: float, y: float, z: float) -> str | None:
        """The floor below a position, m: the highest within a step.

        >>> from snelk.config.geojson import LevelData
        >>> Level(LevelData("")).floor_at(0, 0, 0) is None
        True
        """
        found = np.empty(1, dtype=np.int32)
        floors_below(self.floors, np.array([[x, y, z]], dtype=np.float64), found)
        return self.floor_names[found[0]] if found[0] >= 0 else None

    def floors_at(self, places: NDArray[np.float64]) -> NDArray[np.int32]:
        """(positions,) the floor below each, (positions, 3) in m; -1 for none."""
        found = np.empty(len(places), dtype=np.int32)
        floors_below(self.floors, places, found)
        return found

    def standing_on(self, floor: str) -> list[int]:
        """The walls and edges that stop somebody on a floor, by number.

        Neither those that begin above their head nor those that end below their feet, where the
        wall is; edges stop them on floors within a step of 0.
        """
        return self._near_floors(0.0)[self.floor_names.index(floor)]

    def _near_floors(self, distance: float) -> list[list[int]]:
        """Each floor, and the floors within a distance of it, m."""
        if distance in self._near:
            return self._near[distance]
        areas = [shapely.force_2d(area) for _, area in self.data.floors]
        found: list[list[int]] = [[] for _ in areas]
        if self._outlines:
            tree = shapely.STRtree(self._outlines)
            pairs = tree.query(areas, predicate="dwithin", distance=distance)
            around = [shapely.buffer(area, distance) if distance else area for area in areas]
            planes = plain(self.floors).planes
            for floor, n in sorted(pairs.T.tolist()):
                if self._walked_through[n]:
                    continue
                there = shapely.intersection(around[floor], self._outlines[n])
                heights = shapely.get_coordinates(there) @ planes[floor, :2] + planes[floor, 2]
                if not len(heights):
                    continue  # as far away as the distance, to the last digit
                if self.is_edge[n]:
                    stops = bool(heights.min() <= STEP and heights.max() >= -STEP)
                else:
                    above = self.top[n] > heights.min() + FOOT
                    stops = bool(above and self.base[n] < heights.max() + HEADROOM)
                if stops:
                    found[floor].append(n)
        self._near[distance] = found
        return found

    def stops_at(self, z: float) -> NDArray[np.bool_]:
        """(walls,) which walls block bodies on ground at a height, m.

        Neither those that begin above their head nor those that end below their feet; edges are
        on the ground at 0.
        """
        beside = (self.base < z + HEADROOM) & ((self.top > z) | self.is_edge)
        return ~self._walked_through & beside

    @cached_property
    def alike(self) -> tuple[float, float]:
        """Between which heights of ground without floors the same walls stop feet as at 0, m."""
        walls = ~self._walked_through & ~self.is_edge
        steps = np.concatenate([self.top[walls], self.base[walls] - HEADROOM])
        low, high = (
            steps[steps <= 0.0].max(initial=-np.inf),
            steps[steps >= 0.0].min(initial=np.inf),
        )
        return float(low), float(high)

    @property
    def lit(self) -> dict[str, float]:
        """The light inside of each zone that says it, while it is lit."""
        return {zone.name: zone.light for zone, _ in self.data.zones if zone.light is not None}

    def zone_area(self, name: str) -> BaseGeometry:
        """The area of a zone; a round one as a polygon of 64 corners."""
        zone, geometry = next(each for each in self.data.zones if each[0].name == name)
        return geometry if zone.radius is None else geometry.buffer(zone.radius, quad_segs=16)

    def within(
        self,
        name: str,
        x: NDArray[np.float64],
        y: NDArray[np.float64],
        z: NDArray[np.float64] | float = 0.0,
    ) -> NDArray[np.bool_]:
        """Which places, arrays of one shape in m, are in a zone; a place of NaN is not."""
        x, y, z = np.broadcast_arrays(x, y, z)
        places = np.stack([np.ravel(x), np.ravel(y), np.ravel(z)], axis=1).astype(np.float64)
        found = np.empty(len(places), dtype=np.bool_)
        which_inside(self.zones, self.zone_index(name), places, found)
        return found.reshape(np.shape(x))

    def zone_index(self, name: str) -> int:
        """The index of a zone in the order of the file."""
        return next(n for n, (zone, _) in enumerate(self.data.zones) if zone.name == name)

    @cached_property
    def zones(self) -> Zones:
        """The zones, for asking which of them a place is in; built when first needed."""
        planes = dict(zip((f.name for f, _ in self.data.floors), self.floors.planes, strict=True))
        return laid_out(ZoneColumns, build_zones(self.data.zones, planes))

    @cached_property
    def zone_light(self) -> NDArray[np.float64]:
        """(zones,) light inside each zone, 0 to 1; NaN where the zone does not say."""
        return _or_nan([zone.light for zone, _ in self.data.zones])

    @cached_property
    def zone_background(self) -> NDArray[np.float64]:
        """(zones,) background noise inside each zone, 0 to 1; NaN if it has none."""
        return _or_nan([zone.background for zone, _ in self.data.zones])

    @cached_property
    def zone_wind(self) -> NDArray[np.float64]:
        """(zones,) share of the wind inside each zone; NaN if it has none."""
        return _or_nan([zone.wind for zone, _ in self.data.zones])

    @cached_property
    def zone_scent(self) -> NDArray[np.float64]:
        """(zones,) share of its strength that a trail has in each zone; NaN if it does not say."""
        return _or_nan([zone.scent for zone, _ in self.data.zones])

    def sightline(
        self, start: tuple[float, float, float], end: tuple[float, float, float]
    ) -> Sightline:
        """Follow one ray from `start` to `end`, both (x, y, z) in m.

        >>> import shapely
        >>> from snelk.config.geojson import LevelData
        >>> from snelk.config.models import Wall
        >>> fence = Wall(kind="wall", name="fence", top=1.0)
        >>> level = Level(LevelData("", walls=((fence, shapely.LineString([(2, -1), (2, 1)])),)))
        >>> level.sightline((0, 0, 0.5), (4, 0, 0.5))
        Sightline(share=0.0, wall='fence', place=(2.0, 0.0, 0.5))
        >>> level.sightline((0, 0, 1.5), (4, 0, 1.5))
        Sightline(share=1.0, wall=None, place=None)
        """
        a, b = np.array([start], dtype=np.float64), np.array([end], dtype=np.float64)
        share, wall, at = cast_rays(self.grid, a, b)
        if wall[0] < 0:
            return Sightline(float(share[0]), None, None)
        x, y, z = (float(value) for value in a[0] + at[0] * (b[0] - a[0]))
        return Sightline(float(share[0]), self.wall_names[wall[0]], (x, y, z))

    def walls_between(
        self, start: tuple[float, float, float], end: tuple[float, float, float]
    ) -> list[int]:
        """The walls that a straight line between two places, (x, y, z) in m, crosses.

        They come in the order of the line. Walls are closed and the line is open, as for a ray.
        """
        a, b = np.array([start], dtype=np.float64), np.array([end], dtype=np.float64)
        scratch = scratch_for(self._halving)
        cast_each(self._halving, scratch, a, b, np.empty(1), np.empty(1, np.int32), np.empty(1))
        found = []
        met = plain(scratch).met[0]  # one ray takes the first slot
        for wall in np.flatnonzero((met[:-1] == met[-1]) & (met[-1] > 0)).tolist():
            own, ends = self.piece_walls == wall, self.triangle_walls == wall
            alone = build_grid(
                self.pieces[own], self.piece_walls[own], self._halving.see_through,
                self.triangles[ends], self.triangle_walls[ends],
            )  # fmt: skip
            places = cast_rays(alone, a, b)[2]
            found.append((float(places[0]), wall))
        return [wall for _, wall in sorted(found)]

    @cached_property
    def _halving(self) -> Grid:
        """The pieces as if each wall let half of a ray pass, so that all that are met are noted."""
        return self._filed(np.full(len(self.wall_names), 0.5))

    @property
    def has_features(self) -> bool:
        """Whether there is anything in it."""
        return any(self.data.groups)

    @cached_property
    def bounds(self) -> tuple[float, float, float, float]:
        """Smallest x, y and largest x, y of anything in the level, m; zeros if it is empty."""
        data = self.data
        shapes = [geometry for group in data.groups for _, geometry in group]
        shapes += [self.zone_area(zone.name) for zone, _ in data.zones if zone.radius is not None]
        if not shapes:
            return 0.0, 0.0, 0.0, 0.0
        low_x, low_y, high_x, high_y = shapely.total_bounds(shapes)
        return float(low_x), float(low_y), float(high_x), float(high_y)


def is_solid(outline: BaseGeometry) -> bool:
    """Whether a wall is drawn as an area, which is a solid, or as a line, which is a face."""
    return outline.geom_type in ("Polygon", "MultiPolygon")


def triangles_of(area: BaseGeometry) -> NDArray[np.float64]:
    """(triangles, 3, 2) the triangles that an area consists of; its corners are all they have."""
    parts = [part for part in shapely.get_parts(area) if part.area > 0.0]
    cut = shapely.get_parts(shapely.constrained_delaunay_triangles(parts))
    found: NDArray[np.float64] = shapely.get_coordinates(cut).reshape(-1, 4, 2)[:, :3]
    return found


def _bars_of(walls: list[tuple[int, BaseGeometry]]) -> Bars:
    return [wall for wall, _ in walls], shapely.STRtree([outline for _, outline in walls])


def _or_nan(values: list[float | None]) -> NDArray[np.float64]:
    return np.array([np.nan if value is None else value for value in values], np.float64)


def _faces(outline: BaseGeometry) -> NDArray[np.float64]:
    """The (pieces, 4) faces ax, ay, bx, by of an outline: lines as they are, polygons all round."""
    faces = [np.zeros((0, 4))]
    for part in shapely.get_parts(outline):
        lines = [part.exterior, *part.interiors] if part.geom_type == "Polygon" else [part]
        for line in lines:
            points = shapely.get_coordinates(line)
            faces.append(np.hstack([points[:-1], points[1:]]))
    return np.concatenate(faces)
