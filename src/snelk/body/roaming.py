"""Roaming: its areas, and what `snelk.body.wandering` leaves to Python."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from itertools import product
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.body.agent import Me
from snelk.body.columns import RoamStageColumns, StreamColumns
from snelk.body.doing import NEVER
from snelk.body.motion import Motion
from snelk.body.roams import EXACT, NO_AREA, NOT_ASKED, ROUNDING, RoamStage
from snelk.body.scene import Scene
from snelk.body.streams import Streams, draw
from snelk.body.wandering import is_within, wander_alone
from snelk.config.minds import PLACES
from snelk.config.minds import Roam as RoamSettings
from snelk.level.columns import GroundColumns, laid_out, plain
from snelk.level.ground import Areas, Ground, ground_of
from snelk.level.level import Level
from snelk.level.walking import part_of, step_back

Numbers = NDArray[np.float64]

INNER = 0.05
"""So far within its area somebody who comes from outside begins to wander, m."""

MOST_KEPT = 1000
"""More areas than this are worked out each time."""

MOST_TRIES = 10_000
"""So often a place is drawn until it lies within an area; of one so thin any place will do."""


class Area:
    """An area to roam over: polygons with holes, each on a floor.

    Attributes:
        shapes: The polygons.
        inner: They a little smaller.
        sheets: The floor of each; 0 without floors.
        ground: It as compiled loops read it.
    """

    def __init__(self, level: Level, shapes: Sequence[BaseGeometry], sheets: Sequence[int]) -> None:
        self.shapes, self.sheets, self._level = shapes, sheets, level
        inner = [shapely.buffer(shape, -INNER) for shape in shapes]
        on_it = shapely.get_coordinates(shapely.point_on_surface(shapes[0]))[0].tolist()
        thin = all(each.is_empty for each in inner)
        self._middle = self._at(on_it[0], on_it[1], 0) if thin else None
        self.inner = inner
        self.ground = ground_over([self], level)

    def _at(self, x: float, y: float, n: int) -> Numbers:
        return np.array([x, y, self._level.height_of(self.sheets[n], x, y)])

    def holds(self, place: Numbers) -> bool:
        """Whether a place, (3,) in m, is within it."""
        return part_of(self.ground, *place.tolist()) == 0

    def shape_on(self, sheet: int) -> BaseGeometry:
        """What is of it on a floor."""
        on = np.flatnonzero(np.asarray(self.sheets) == sheet).tolist()
        return shapely.union_all([self.shapes[n] for n in on])

    def nearest(self, place: Numbers) -> Numbers:
        """The nearest place well within it to one, (3,) in m, outside of it or on its edge."""
        if self._middle is not None:
            return self._middle
        off = [np.array([*each, 0.0]) for each in product((-ROUNDING, ROUNDING), repeat=2)]
        around = (place, *(place + each for each in off))
        outside = next((each for each in around if not self.holds(each)), place)
        return np.array(step_back(self.ground, 0, *outside.tolist()))

    def any_place(self, chance: Callable[[], float]) -> Numbers:
        """(3,) a place within it, any as likely as another in plan, m."""
        n = 0
        if len(self.shapes) > 1:
            sizes = np.cumsum([shape.area for shape in self.shapes])
            n = int(np.searchsorted(sizes, chance() * sizes[-1], side="right"))
            n = min(n, len(sizes) - 1)
        shape = self.shapes[n]
        low_x, low_y, high_x, high_y = shapely.bounds(shape).tolist()
        for _ in range(MOST_TRIES):
            x = low_x + (high_x - low_x) * chance()
            y = low_y + (high_y - low_y) * chance()
            if self.holds(self._at(x, y, n)) and shapely.contains_xy(shape, x, y):
                return self._at(x, y, n)
        x, y = shapely.get_coordinates(shapely.point_on_surface(shape))[0].tolist()
        return self._at(x, y, n)


def ground_over(areas: Sequence[Area], level: Level) -> Ground:
    """Areas to roam over as compiled loops read them, a part for each."""
    counts = [len(area.shapes) for area in areas]
    packed = Areas(
        [shape for area in areas for shape in area.shapes],
        [shape for area in areas for shape in area.inner],
        np.array([sheet for area in areas for sheet in area.sheets], dtype=np.int32),
        np.concatenate([[0], np.cumsum(counts)]).astype(np.int32),
        np.eye(len(areas), dtype=np.bool_),
    )
    return laid_out(GroundColumns, ground_of(packed, floors=level.floors))


def area_of(me: Me, written: RoamSettings, known: dict[object, object]) -> Area | None:
    """The area to roam over: the ground in reach within a zone and a ring about home.

    Those about nothing that moves are kept in `known`, for all runs on the level.
    """
    walker = me.walker
    moves = written.ring is not None or written.about is not None
    centre = me.centre(written.about) if moves else None
    if moves and centre is None:
        return None
    where = None if centre is None else tuple(centre.tolist())
    roams = walker.reach if written.method == "places" else (walker.part,)
    key = (walker.ways, roams, written.zone, written.ring, written.about, where)
    if key in known:
        found = known.get(key)
        return found if isinstance(found, Area) else None
    level, shapes, sheets = me.world.level, [], []
    for shape, sheet in walker.areas_in(roams):
        if written.zone is not None:
            zone = level.zone_on(written.zone, sheet)
            if written.about is not None and centre is not None:
                whole = shapely.centroid(level.zone_area(written.zone))
                off = centre[:2] - shapely.get_coordinates(whole)[0]
                zone = shapely.transform(zone, lambda at, off=off: at + off)
            shape = shapely.intersection(shape, zone)
        if written.ring is not None and centre is not None:
            least, most = (shapely.Point(centre[:2]).buffer(r, quad_segs=32) for r in written.ring)
            shape = shapely.intersection(shape, shapely.difference(most, least))
        if shape.area >= 1e-6:
            shapes.append(shape)
            sheets.append(sheet)
    area = Area(level, shapes, sheets) if shapes else None
    if written.about in (None, "home", "start") and len(known) < MOST_KEPT:
        known[key] = area
    return area


class Roaming:
    """Roaming of all agents: what `snelk.body.wandering` does, and what it leaves to Python.

    Args:
        world: The scene.

    Attributes:
        stage: Where everybody roams.
        streams: Everybody's stream of chance for what it does.
    """

    def __init__(self, world: Scene) -> None:
        ladders, points = world.ladders, world.motion.now
        shape, states = ladders.used.shape, ladders.least.shape
        every, pause = np.zeros((2, *states))
        for v, row in enumerate(ladders.ladders):
            for a, ladder in enumerate(row):
                for s, state in enumerate(ladder.states.values() if ladder else ()):
                    if state.roam is not None:
                        every[v, a, s], pause[v, a, s] = state.roam.every, state.roam.pause
        self.streams = Streams.blank(shape)
        pausing, outside, keeps = np.zeros((3, *shape), dtype=np.bool_)
        self._stage = RoamStage(
            areas=ground_over([], world.level),
            floors=world.level.floors,
            streams=laid_out(StreamColumns, self.streams),
            area=np.full(shape, NOT_ASKED, dtype=np.int32),
            every=every,
            pause=pause,
            until=np.zeros(shape),
            normal=np.full((*shape, 2), np.nan),
            pausing=pausing,
            outside=outside,
            keeps=keeps,
            way=np.zeros((plain(points).points.shape[2] + 1, 5)),
        )
        self.stage = laid_out(RoamStageColumns, self._stage)
        self._level, self._known = world.level, world.level.kept
        self._areas: list[Area] = []  # by index
        self._own: dict[tuple[int, int], Area | None] = {}  # of those that are left to Python
        self._chosen = np.zeros(shape, dtype=np.bool_)

    def begin(self, me: Me) -> None:
        """Somebody begins to roam."""
        v, a, stage = me.v, me.a, self._stage
        stage.until[v, a], stage.normal[v, a] = me.t + stage.every[v, a, me.state_index], np.nan
        stage.pausing[v, a] = self._chosen[v, a] = False
        self._leave_area(v, a)
        self.streams.begin(v, a, me.chance_key)

    def mind_doors(self, me: Me) -> bool:
        """Doors have opened or shut: it goes on as it goes, but over the ground that there is now.

        Returns whether it has to think again at once: who goes to a place does not.
        """
        v, a, motion = me.v, me.a, me.world.motion
        had_none = (v, a) in self._own and self._own[v, a] is None
        self._leave_area(v, a)
        self._stage.keeps[v, a] = motion.on_way[v, a]
        stands = not (motion.on_way[v, a] or motion.no_way[v, a] or motion.short[v, a] > 0.0)
        written = me.settings.roam
        return had_none or not (stands or (written is not None and written.method == "places"))

    def was_pushed(self, v: int, a: int) -> None:
        """Somebody may have come out of its area."""
        self._stage.outside[v, a] = True

    def _leave_area(self, v: int, a: int) -> None:
        """Its area is asked for when it is next needed."""
        self._stage.area[v, a], self._stage.outside[v, a] = NOT_ASKED, True
        self._stage.keeps[v, a] = False
        self._own.pop((v, a), None)

    def think(self, me: Me) -> float:
        """Go on roaming, where loops have left it to Python; s until it thinks again."""
        v, a, stage, doing = me.v, me.a, self._stage, me.world.footing.doing
        written = me.settings.roam
        assert written is not None
        follows = written.about not in (None, *PLACES)
        if np.isnan(me.world.entered[v, a, 0]):  # it has not entered any other state before
            me.world.entered[v, a] = me.here
        if (v, a) not in self._own or follows:  # whom it is about may have gone on
            area = self._own[v, a] = area_of(me, written, self._known)
            doing.failed[v, a] = area is None
            if area is None and follows:
                me.stand()
                return written.every
            if written.method == "wander" and not follows:
                stage.area[v, a] = NO_AREA if area is None else self._index_of(area)
        area = self._own[v, a]
        if area is None:
            me.cannot_go()  # its area is none, or cannot be walked to
            doing.failed[v, a] = True
            return NEVER
        if written.method == "places":
            return self._to_a_place(me, written, area)
        if me.world.motion.link[v, a] >= 0:
            return me.dt  # it is on a link: it comes to its end first
        leaves = stage.outside[v, a] or follows
        if leaves and not is_within(area.ground, 0, *me.here.tolist()):
            return self._go_in(me, written, area, follows)  # its area may be left behind
        return self._wander(me, area, follows)

    def _wander(self, me: Me, area: Area, follows: bool) -> float:
        """Straight on, as loops choose it, along an arc if it turns in arcs."""
        v, a, motion = me.v, me.a, me.world.motion
        self.make_room(motion)
        stage = self.stage
        if follows:  # its area is none of those that loops know
            area_of_its_own = np.zeros_like(self._stage.area)
            stage = self._stage._replace(areas=area.ground, area=area_of_its_own)
        again, count, turn_at = wander_alone(
            motion.now, stage, me.state_index, me.t, me.dt, v, a, me.world.footing.laid
        )
        if count:
            way = self._stage.way[:count].copy()
            arc = me.smoothed(way, area.shape_on) if turn_at < 0 else None
            motion.go(v, a, way if arc is None else arc, EXACT, turn_at=turn_at)
        return again

    def make_room(self, motion: Motion) -> None:
        """Make room for a path and one point more."""
        most = plain(motion.now).points.shape[2] + 1
        if len(self._stage.way) < most:
            self._lay_out(way=np.zeros((most, 5)))

    def _lay_out(self, **changed: Any) -> None:
        self._stage = self._stage._replace(**changed)
        self.stage = laid_out(RoamStageColumns, self._stage)

    def _index_of(self, area: Area) -> int:
        """The number by which loops know an area."""
        if area not in self._areas:
            self._areas.append(area)
            self._lay_out(areas=self._ground_over_all())
        return self._areas.index(area)

    def _ground_over_all(self) -> Ground:
        """Its areas as compiled loops read them; other runs on the level may know them as well."""
        key, known = ("all of", *self._areas), self._known
        if key not in known:
            ground = ground_over(self._areas, self._level)
            if len(known) >= MOST_KEPT:
                return ground
            known[key] = ground
        found: Any = known[key]
        return found  # type: ignore[no-any-return]

    def _draw(self, me: Me) -> Callable[[], float]:
        return partial(draw, self._stage.streams, me.v, me.a)

    def _to_a_place(self, me: Me, written: RoamSettings, area: Area) -> float:
        """Go to a place taken evenly from the area, and to another when it is time."""
        v, a, stage, doing = me.v, me.a, self._stage, me.world.footing.doing
        if self._chosen[v, a] and me.t < stage.until[v, a] - 1e-9:
            return float(stage.until[v, a]) - me.t
        if self._chosen[v, a] and written.pause > 0.0 and not stage.pausing[v, a]:
            stage.pausing[v, a] = True
            me.stand()
            return written.pause
        stage.pausing[v, a], self._chosen[v, a] = False, True
        stage.until[v, a] = me.t + written.every
        doing.failed[v, a] = not me.walk_to(area.any_place(self._draw(me)), stop=EXACT)
        return written.every

    def _go_in(self, me: Me, written: RoamSettings, area: Area, follows: bool) -> float:
        """Walk to the nearest place well within the area, and then wander."""
        v, a, stage, doing = me.v, me.a, self._stage, me.world.footing.doing
        stage.normal[v, a], stage.until[v, a] = np.nan, me.t + written.every
        stage.keeps[v, a] = stage.pausing[v, a] = False
        if follows:  # the nearest place would be outside again when it gets there
            doing.failed[v, a] = not me.walk_to(area.any_place(self._draw(me)), stop=EXACT)
            return written.every
        if not me.walk_to(area.nearest(me.here), stop=EXACT):
            doing.failed[v, a] = True
        return NEVER
