"""Roaming: wandering so that in the long run no part of the area is visited more than another.

The agent walks straight; at the edge it leaves in a direction by the cosine law, and every so
often it takes any direction. Of such a walk the places are spread evenly over the area, whatever
its shape (Comets, Popov, Schütz, Vachkovskaia 2009, "Billiards in a general domain with random
reflections"); going to points at random would crowd the middle.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from snelk.body.activities import NEVER, Activity
from snelk.body.me import Me
from snelk.config.minds import PLACES
from snelk.config.minds import Roam as RoamSettings
from snelk.level.columns import GroundColumns, laid_out, plain
from snelk.level.ground import ground_of
from snelk.level.walking import part_of, step_back
from snelk.level.within import edge_ahead

Numbers = NDArray[np.float64]

INNER = 0.05
"""So far within its area somebody who comes from outside begins to wander, m."""

EXACT = 1e-6
"""Ways that end this far before their end are walked to there, not only nearly, m."""

MOST_TRIES = 10_000
"""So often a place is drawn until it lies within an area; of one so thin any place will do."""

INSIDE = 2e-3
"""Ways end this far before the edge, m."""


class Area:
    """An area to roam over: a polygon with holes.

    Attributes:
        shape: The polygon.
    """

    def __init__(self, shape: shapely.Geometry) -> None:
        self.shape = shape
        inner = shapely.buffer(shape, -INNER)
        on_it = shapely.get_coordinates(shapely.point_on_surface(shape))[0].tolist()
        self._middle = (on_it[0], on_it[1]) if inner.is_empty else None  # of one too thin
        self._ground = laid_out(GroundColumns, ground_of([shape], [inner]))
        self._edges = plain(self._ground).edges

    def holds(self, x: float, y: float) -> bool:
        """Whether a place, m, is within it."""
        return part_of(self._ground, x, y) == 0

    def nearest(self, x: float, y: float) -> tuple[float, float]:
        """The place itself, m, or the nearest well within it."""
        if self._middle is not None:
            return self._middle
        return step_back(self._ground, 0, x, y)

    def any_place(self, chance: np.random.Generator) -> tuple[float, float]:
        """A place within it, any as likely as another, m."""
        low_x, low_y, high_x, high_y = shapely.bounds(self.shape)
        for _ in range(MOST_TRIES):
            x, y = chance.uniform((low_x, low_y), (high_x, high_y)).tolist()
            if self.holds(x, y):
                return x, y
        x, y = shapely.get_coordinates(shapely.point_on_surface(self.shape))[0].tolist()
        return x, y

    def ahead(self, place: Numbers, direction: Numbers) -> tuple[float, Numbers]:
        """How far the edge is in a direction, m, and the normal there, (2,), that points back."""
        (x, y), (dx, dy) = place.tolist(), direction.tolist()
        far, *normal = edge_ahead(self._edges, x, y, dx, dy, INSIDE / 4)
        return far, np.array(normal)


def area_of(me: Me, written: RoamSettings) -> Area | None:
    """The area to roam over: the ground in reach within a zone and a ring about home."""
    walker, known = me.walker, me.world.areas
    moves = written.ring is not None or written.about is not None
    centre = me.centre(written.about) if moves else None
    if moves and centre is None:
        return None
    key = (id(walker.ways), walker.part, written.zone, written.ring, written.about, centre)
    if key not in known:
        shape = walker.area
        if written.zone is not None:
            zone = me.world.level.zone_area(written.zone)
            if written.about is not None and centre is not None:
                middle = shapely.get_coordinates(shapely.centroid(zone))[0]
                zone = shapely.transform(zone, lambda at: at + (np.array(centre) - middle))
            shape = shapely.intersection(shape, zone)
        if written.ring is not None and centre is not None:
            least, most = (shapely.Point(centre).buffer(r, quad_segs=32) for r in written.ring)
            shape = shapely.intersection(shape, shapely.difference(most, least))
        if centre is not None and written.about not in (None, "home", "start"):
            return None if shape.area < 1e-6 else Area(shape)  # it is about another place each time
        known[key] = None if shape.area < 1e-6 else Area(shape)
    found: Area | None = known[key]
    return found


class Roam(Activity):
    """Wander over an area."""

    written: RoamSettings

    def __init__(self, me: Me) -> None:
        super().__init__(me)
        self.follows = self.written.about not in (None, *PLACES)
        self.area: Area | None = None
        self.begun = False
        self.until = me.t + self.written.every
        self.normal: Numbers | None = None
        self.pausing = False
        self.outside = True
        self.chosen = False

    def think(self) -> float:
        """Take another direction at the edge, and when it is time."""
        me = self.me
        if not self.begun or (self.follows and not self.pausing):
            self.begun = True
            self.area = area_of(me, self.written)  # whom it is about may have gone on
            self.failed = self.area is None
            if self.area is None and self.follows:
                me.stand()
                return self.written.every
        if self.area is None:
            me.cannot_go()  # its area is none, or cannot be walked to
            self.failed = True
            return NEVER
        if self.written.method == "places":
            return self._to_a_place()
        here = np.array(me.place)
        if self.outside and not self.area.holds(*me.place):
            return self._go_in()
        self.outside = self.follows  # its area may be left behind
        if me.t >= self.until - 1e-9:
            if self.written.pause > 0.0 and not self.pausing:
                self.pausing = True
                me.stand()
                return self.written.pause
            self.pausing, self.normal = False, None
            self.until = me.t + self.written.every
        angle = self._angle()
        direction = np.array([np.cos(angle), np.sin(angle)])
        motion, first = me.world.motion, np.zeros((0, 2))
        if motion.turns_back(me.v, me.a, *(here + direction).tolist()):
            first = motion.run_out(me.v, me.a)  # it comes to a stand first
            here = first[-1]
        far, self.normal = self.area.ahead(here, direction)
        end = here + direction * max(far - INSIDE, 0.0)
        way = np.concatenate([first, end[None]])
        arc = me.smoothed(end[None], self.area.shape) if len(first) == 0 else None
        if arc is not None:
            way = arc
        me.world.footing.doing.goals[me.v, me.a] = end
        motion.go(me.v, me.a, way, EXACT, turn_at=len(first) - 1)
        return max(self.until - me.t, me.dt)

    def _to_a_place(self) -> float:
        """Go to a place taken evenly from the area, and to another when it is time."""
        assert self.area is not None
        me = self.me
        if self.chosen and me.t < self.until - 1e-9:
            return self.until - me.t
        if self.chosen and self.written.pause > 0.0 and not self.pausing:
            self.pausing = True
            me.stand()
            return self.written.pause
        self.pausing, self.chosen = False, True
        self.until = me.t + self.written.every
        self.failed = not me.walk_to(self.area.any_place(me.chance), stop=EXACT)
        return self.written.every

    def _go_in(self) -> float:
        """Walk to the nearest place well within the area, and then wander."""
        assert self.area is not None
        me = self.me
        if self.follows:  # the nearest place would be outside again when it gets there
            self.failed = not me.walk_to(self.area.any_place(me.chance), stop=EXACT)
            self.normal, self.until = None, me.t + self.written.every
            return self.written.every
        if not me.walk_to(self.area.nearest(*me.place), stop=EXACT):
            self.failed = True
        self.normal, self.until = None, me.t + self.written.every
        return NEVER

    def _angle(self) -> float:
        """Any direction, or from the edge one by the cosine law."""
        chance = self.me.chance
        if self.normal is None:
            return float(chance.uniform(-np.pi, np.pi))
        # The sine of the angle to the normal is even between -1 and 1.
        turn = np.arcsin(chance.uniform(-1.0, 1.0))
        return float(np.arctan2(self.normal[1], self.normal[0]) + turn)
