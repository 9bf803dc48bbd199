"""Searching: the four methods to look for a target from its last-known position on."""

from __future__ import annotations

import numpy as np

from snelk.body.activities import Activity
from snelk.body.doing import KEEP_UP, NEVER
from snelk.body.me import Me
from snelk.body.outlook import looks_at
from snelk.body.paces import SWEEP
from snelk.body.scene import Note, Place, Snapshot
from snelk.config.minds import Search as SearchSettings
from snelk.mind.search import Likelihood, points_about

LOOK_AGAIN = 0.5
"""Seconds at most between two looks at how likely places are."""

OTHER_NEWS = 1.0
"""A last-known position farther than this from the one searched from begins it anew, m."""

MORE = 1.5
"""So many times better another cell must be to change course for it."""

SNAPSHOT = 1.0
"""Seconds between two rows of likelihoods that are kept."""


class Search(Activity):
    """Look for the focus."""

    written: SearchSettings

    def __init__(self, me: Me) -> None:
        super().__init__(me)
        self.since = me.t
        self.walked = self._walked()
        self.search = me.world.next_search(me.v, me.a)
        self.place: Place = me.last_known or me.place
        self.points: list[Place] = []
        self.chances: list[float] = []
        self.at = -1  # the point it is on its way to, or at
        self.waiting = False
        self.likelihood: Likelihood | None = None
        self.spread_to = me.t  # until when the likelihood has spread
        self.next_snapshot = me.t
        self.target = -1  # the cell it heads for
        self.planned = False
        self.over = ""
        self.looked = False  # at any of its points
        self._note("began", -1, self.place)

    def think(self) -> float:
        """Go on searching."""
        me = self.me
        if self.over:
            return NEVER
        news = me.last_known
        if news is not None and np.hypot(*np.subtract(news, self.place)) > OTHER_NEWS:
            self._begin_anew(news)
        left = self.since + self.written.give_up - me.t
        if left <= 1e-9:
            self._end("gave_up")
            return NEVER
        if not self.planned:
            self._plan()
        again = self._search_cells() if self.likelihood is not None else self._search_points()
        return min(again, left)

    def leave(self) -> None:
        """The state is left: what came of it?"""
        if not self.over:
            sensed = self.me.in_view or self.me.world.feels_focus(self.me.v, self.me.a)
            self._end("found" if sensed else "broken_off")
        self.me.world.search_done[self.me.v, self.me.a] = False

    def _begin_anew(self, place: Place) -> None:
        """Something newer is known: search from there, and for as long as from the beginning."""
        self.place, self.since = place, self.me.t
        self.planned, self.waiting, self.at, self.target = False, False, -1, -1
        self.likelihood = None
        self._note("moved", -1, place)

    def _plan(self) -> None:
        """Where to look: first where the target was last known."""
        me, written = self.me, self.written
        self.planned = True
        self.points, self.chances = [self.place], [np.nan]
        if written.method == "likelihood":
            blur = me.world.blur_of_focus(me.v, me.a)
            self.likelihood = Likelihood(
                me.walker.ways,
                max(me.walker.part, 0),
                self.place,
                written.radius,
                written.cell,
                blur,
            )
            # It has been spreading since it was last known.
            self.spread_to = me.t - me.world.age_of_focus(me.v, me.a)
        elif written.method == "nearby":
            about = points_about(self.place, written.radius, written.points)
            self._plan_nearest([(float(x), float(y)) for x, y in about])
        elif written.method == "hideouts":
            self._plan_hideouts()
        for n, (point, chance) in enumerate(zip(self.points, self.chances, strict=True)):
            self._note("planned", n, point, chance)

    def _plan_nearest(self, points: list[Place]) -> None:
        """Points that can be walked to, each time the nearest of those that are left."""
        walker, ways = self.me.walker, self.me.walker.ways
        limit = np.array([3.0 * self.written.radius])
        left = [p for p, on in zip(points, walker.holds(np.array(points)), strict=True) if on]
        here = self.place
        while left:
            ends = np.array(left)
            start = walker.nearest(here)
            far = ways.distance(
                np.repeat(start[None], len(ends), axis=0), ends, np.repeat(limit, len(ends))
            )
            best = int(np.argmin(far))
            if not np.isfinite(far[best]):
                return
            here = left.pop(best)
            self.points.append(here)
            self.chances.append(np.nan)

    def _plan_hideouts(self) -> None:
        """Known spots within the radius by way, likeliest first: the nearer the likelier."""
        me, written = self.me, self.written
        spots = {name: me.world.spots[name] for name in written.spots} or me.spots
        walker, ways = me.walker, me.walker.ways
        if walker.part < 0 or not spots:
            return
        start = walker.nearest(self.place)[None]
        found = []
        for place in spots.values():
            end = walker.nearest(place)[None]
            far = float(ways.distance(start, end, np.array([written.radius]))[0])
            if np.isfinite(far):
                found.append((float(np.exp(-far / written.radius)), place))
        whole = sum(chance for chance, _ in found)
        for chance, place in sorted(found, key=lambda each: -each[0]):
            self.points.append(place)
            self.chances.append(chance / whole)

    def _search_points(self) -> float:
        """From point to point, looking around at each."""
        me = self.me
        if self.at < 0 or (self.waiting and me.t >= self.until - 1e-9):
            if self.at >= 0:
                self.waiting = False
                me.look_as_written()
            return self._next_point()
        if self.waiting:
            return max(self.until - me.t, me.dt)
        if me.unreachable:
            self._note("unreachable", self.at, self.points[self.at], self.chances[self.at])
            return self._look_around() if self.at == 0 else self._next_point()
        if me.arrived:
            self._note("visited", self.at, self.points[self.at], self.chances[self.at])
            return self._look_around()
        return self._strike_off()

    def _next_point(self) -> float:
        self.at += 1
        if self.at >= len(self.points):
            self._end("nothing")
            return NEVER
        if self.me.walk_to(self.points[self.at]):
            return KEEP_UP
        self._note("unreachable", self.at, self.points[self.at], self.chances[self.at])
        return self._next_point()

    def _look_around(self) -> float:
        """At a point: look to both sides for a while."""
        self.waiting, self.until = True, self.me.t + self.written.point_time
        self.me.look(SWEEP)
        return self.written.point_time

    def _strike_off(self) -> float:
        """A hideout that is in view from afar, with nobody there, need not be visited."""
        if self.written.method == "hideouts" and self.at > 0:
            place = np.array(self.points[self.at])[None]
            if looks_at(self.me, place)[0]:
                self._note("looked", self.at, self.points[self.at], self.chances[self.at])
                return self._next_point()
        return KEEP_UP

    def _search_cells(self) -> float:
        """Go where the target is likeliest to be found soon; what is seen empty is not likely."""
        me, likelihood = self.me, self.likelihood
        assert likelihood is not None
        speed = self.written.speed or me.world.spread_of(me.v, me.a) or 1.0
        step = likelihood.cell / speed
        times = int((me.t - self.spread_to) / step + 1e-9)
        if times > 0:
            likelihood.spread(min(times, 10_000))
            self.spread_to += times * step
        self._look_out()
        if me.t >= self.next_snapshot - 1e-9:
            self.next_snapshot = me.t + SNAPSHOT
            me.world.snapshots.append(
                Snapshot(me.v, me.a, me.t, self.search, likelihood, likelihood.share.copy())
            )
        if self.at < 0:  # first to where it was last known
            self.at = 0
            me.walk_to(self.place)
        elif (me.at_end or me.unreachable) and not self.waiting:
            what = "unreachable" if me.unreachable else "visited"
            if self.at == 0:
                self._note(what, 0, self.place)
                self.at = 1
            elif self.target >= 0:
                self._note(what, self.at, self._centre(self.target))
                if me.unreachable:
                    likelihood.share[self.target] = 0.0
                self.at += 1
            self.target = -1
        if self.at > 0:
            best = likelihood.best(me.place, self.written.radius / 4.0)
            if best < 0:
                self._end("nothing")
                return NEVER
            if self.target < 0 or self._much_better(best):
                self.target = best
                chance = float(likelihood.share[best])
                self._note("planned", self.at, self._centre(best), chance)
                me.walk_to(self._centre(best))
        return float(np.clip(step, me.dt, LOOK_AGAIN))

    def _much_better(self, best: int) -> bool:
        likelihood = self.likelihood
        assert likelihood is not None
        return likelihood.around(best) > MORE * likelihood.around(self.target)

    def _look_out(self) -> None:
        likelihood = self.likelihood
        assert likelihood is not None
        likelihood.clear(looks_at(self.me, likelihood.centres))

    def _centre(self, cell: int) -> Place:
        assert self.likelihood is not None
        x, y = self.likelihood.centres[cell]
        return float(x), float(y)

    def _walked(self) -> float:
        return float(self.me.world.motion.walked[self.me.v, self.me.a])

    def _end(self, outcome: str) -> None:
        self.over = outcome
        # Who could not get to any of its points has searched nowhere.
        self.failed = outcome == "nothing" and not self.looked
        self.done = not self.failed
        world = self.me.world
        world.search_done[self.me.v, self.me.a] = True
        world.motion.stand(self.me.v, self.me.a)
        self._note("ended", -1, self.me.place, outcome=outcome)

    def _note(
        self, what: str, point: int, place: Place, chance: float = np.nan, outcome: str = ""
    ) -> None:
        me = self.me
        self.looked |= what in ("visited", "looked")
        walked = self._walked() - self.walked
        me.world.notes.append(
            Note(
                *(me.v, me.a, me.t, self.search, what, point),
                *(*place, chance, outcome, walked, self.written.method),
            )
        )
