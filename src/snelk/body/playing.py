"""A simulated player: it goes to a goal, looks ahead, waits, and hides when warned.

What it reacts to, and how often, depends on its care and on how many of the others it knows; both
are drawn once, from the seed of the run. The rules are in docs/calculations.md.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.activities import Activity
from snelk.body.agent import Me, Way
from snelk.body.doing import NEVER
from snelk.body.outcomes import Happening
from snelk.body.paces import PACES
from snelk.body.standing import SLACK
from snelk.body.visibility import looks_at
from snelk.body.walker import Walker
from snelk.config import minds
from snelk.config.words import GAITS, POSTURES
from snelk.level.columns import laid_out, plain
from snelk.level.level import Level
from snelk.mind.meter import REACHED, suspicion
from snelk.mind.signals import NOBODY
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns
from snelk.senses.sight import IN_VIEW

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

LOOK_EVERY = 0.3
"""Seconds between two looks ahead."""

AHEAD, AHEAD_BY_CARE = 2.0, 8.0
"""How far along its path it looks, m: so far, and so much farther with a care of 1."""

APART = 0.75
"""Places on its way are looked at so far from one another, m."""

BOLD_FOR = 3.0
"""Who takes a risk minds no other for so long, s."""

FORESEES = 1.5
"""It leaves a place that somebody will look at in so many seconds, and hides where nobody will, s.
"""

CALM_FOR = 1.0
"""Who hides goes on when nobody has been suspicious, nor had it in view, for so long, s."""

DETOURS = 5
"""So many ways around are thought of beside the shortest."""

DETOUR = 8.0
"""They lead through places within so much of a box about start and goal, m."""

STRAYS = 0.3
"""To somebody who chooses, a path seems up to so much longer than it is, as a share."""

EXPOSED = 3.0
"""With a care of 1 a path that is wholly in view counts as so much longer."""

RINGS, DIRECTIONS = (1.5, 3.0, 5.0, 8.0, 12.0), 24
"""Cover is looked for so far away, m, and in so many directions."""

TRIED = 8
"""Of so many places that are nearest as the crow flies the path is looked at."""

CREEPS, WALKS, RUNS = range(3)

GOING, WAITING, HIDING = range(3)

OUT_OF_IT = minds.Effects(removes="own")


class _Danger(NamedTuple):
    """A watcher that would have it in view, and how far along its path, m."""

    who: int
    far: float


class Play(Activity):
    """One stay of a simulated player in a state; see `snelk.config.minds.Play`."""

    written: minds.Play

    def __init__(self, me: Me) -> None:
        super().__init__(me)
        world, chance = me.world, me.chance
        drawn = self.written.care, self.written.knows, self.written.delay
        self.care, self.knows, self.delay = (
            low + (high - low) * float(chance.random()) for low, high in drawn
        )
        own = int(world.characters[me.a])
        self.who = own
        may = world.attention.numbers.may[me.v, :, own].copy()
        may[me.a] = False
        may[np.isin(world.agents, self.written.ignores)] = False
        self.watchers = np.flatnonzero(may)
        self.known = chance.random(len(world.agents)) < self.knows
        self.metered = world.attention.numbers.metered[me.v, self.watchers]
        steps = world.setups[me.v].body_of(me.name).steps
        self.reach = tuple(getattr(steps, pace) if steps is not None else 0.0 for pace in PACES)
        self.doing = GOING
        self.since = me.t
        self.bold_until = self.next_look = self.calm_since = -np.inf
        self.warned_at, self.minds_it, self.late = np.nan, False, False
        self.legs: list[Numbers] = []  # where to next, and at last its goal
        self.begun = False
        self._room: tuple[Poses, Poses] | None = None

    def __getstate__(self) -> dict[str, Any]:
        """All but room to work in; see `snelk.runs.saving`."""
        return {**vars(self), "_room": None}

    def come_to_end(self) -> None:
        """It is at the end of its path; `think` finds whether that is its goal."""

    def think(self) -> float:
        """Decide; called at every tick, so that signs are seen at once."""
        me = self.me
        if self.done:
            return NEVER
        sure = self._sure()
        self._see_signs(sure)
        if not self.begun:
            if np.isnan(self.warned_at) and me.t - self.since < self.delay - SLACK:
                return 0.0
            self.begun = True
            self._plan()
        if self._is_there():
            return self._arrive()
        if self.doing == HIDING:
            self._hide_on()
        elif self._has_to_hide(sure):
            self._hide(self._most_sure(sure))
        elif me.t >= self.next_look - SLACK:
            self.next_look = me.t + LOOK_EVERY
            if not self.legs:
                self._try_again()
            elif self.doing == WAITING:
                self._wait_on()
            else:
                self._go_on_ahead()
        if self.doing == GOING and (me.at_end or not me.on_way):
            self._next_leg()
        return 0.0

    # What it perceives.

    def _sure(self) -> Numbers:
        """(watchers,) how sure each is of it, 0 to 1."""
        senses, at = self.me.world.senses, (self.me.v, self.watchers, self.who)
        if not len(self.watchers):
            return np.zeros(0)
        sensed = (senses.sight.failed[at] == IN_VIEW).any(axis=-1) | senses.contacts.felt[at]
        return suspicion(senses.meters.value[at], sensed, self.metered)

    def _most_sure(self, sure: Numbers) -> int:
        """Who of the watchers is, by index of the agents."""
        return int(self.watchers[sure.argmax()])

    def _see_signs(self, sure: Numbers) -> None:
        """Note when somebody gives a sign, by its meter or its state, and when it is too late."""
        me, most = self.me, float(sure.max(initial=0.0))
        by = by_meter = self._most_sure(sure) if len(sure) else NOBODY
        has_meter = bool(len(sure) and self.metered[sure.argmax()])
        meter = f"'s meter is at {most:.2f}" if has_meter else " senses it"
        warned, text = most >= self.written.sign - REACHED, meter
        for w in self.watchers.tolist() if self.written.signs and not warned else ():
            state = me.world.state_name(me.v, w)
            if state in self.written.signs:
                warned, by, text = True, w, f" is {state}"
        if not warned:
            self.warned_at = np.nan
        elif np.isnan(self.warned_at):
            self.warned_at = me.t
            self.minds_it = bool(me.chance.random() < self.care)
            self._tell("warned", by, text)
        if most >= self.written.late - REACHED and not self.late:
            self.late = True
            self._tell("too_late", by_meter, meter)

    def _has_to_hide(self, sure: Numbers) -> bool:
        """Whether it has seen a sign, and minds it."""
        seen = self.me.t >= self.warned_at + self.written.react - SLACK  # of NaN: not
        if seen and not self.minds_it:
            self._set_stance(RUNS, "standing")  # on, as fast as it can
            self.bold_until = max(self.bold_until, self.me.t + LOOK_EVERY)
        return seen and self.minds_it and bool(len(sure))

    @property
    def _row(self) -> int:
        """The row of the poses that are those of its variant; there may be one for all."""
        return self.me.v if len(self.me.world.senses.poses.x) > 1 else 0

    def _reach_of(self) -> Numbers:
        """(watchers,) how far from where it is each can see now, m; 0 for who is not there."""
        me, world = self.me, self.me.world
        poses, limits = world.senses.poses, plain(world.outlook.limits)
        p = self._row
        far = np.fmax.reduce(limits.range[me.v, self.watchers], axis=1, initial=0.0)
        there = poses.present[p, world.characters[self.watchers]]
        reach: Numbers = np.where(there, far * limits.awake[me.v, self.watchers], 0.0)
        return reach

    def _near(self, places: Numbers, reach: Numbers) -> NDArray[np.bool_]:
        """(watchers, points) whether each point is within a reach, (watchers, 1 or points), m."""
        poses = self.me.world.senses.poses
        p = self._row
        i = self.me.world.characters[self.watchers]
        dx = places[:, 0] - poses.x[p, i][:, None]
        dy = places[:, 1] - poses.y[p, i][:, None]
        near: NDArray[np.bool_] = (np.hypot(dx, dy) <= reach) & (reach > 0.0)
        return near

    def _strides(self) -> Numbers:
        """(watchers,) how fast each leaves the place where it is, m/s, as far as it knows."""
        pace = self.me.world.motion.pace[self.me.v, self.watchers]
        strides: Numbers = np.where(self._foreseen_ones(), pace, 0.0)
        return strides

    def _seen_by(
        self, places: Numbers, tau: float | None = None, near: NDArray[np.bool_] | None = None
    ) -> NDArray[np.int64]:
        """(points,) the first watcher with it in view, or -1; at these times from now, s.

        Agents that it does not know are assumed to stay where they are. `near` is (watchers,
        points) who can come so near until then, and is asked; it is found out if it is not given.
        """
        found = np.full(len(places), -1, dtype=np.int64)
        if near is not None and not near.any():
            return found
        me, world = self.me, self.me.world
        reach, p = self._reach_of(), self._row
        if near is None:
            ahead = 0.0 if tau is None else self._strides()[:, None] * tau + SLACK
            near = self._near(places, reach[:, None] + ahead)
        for n in np.flatnonzero(near.any(axis=1)).tolist():
            w, left = int(self.watchers[n]), (found < 0) & near[n]
            if not left.any():
                continue
            i, there = int(world.characters[w]), None
            if tau is not None and self._foresees(w):
                there = world.motion.farther_on(me.v, w, tau, world.footing.goes_on_to(me.v, w))
                left &= np.hypot(places[:, 0] - there[0], places[:, 1] - there[1]) <= reach[n]
                if not left.any():
                    continue
            laid = None if there is None else self._foreseen(i, p, there)
            seen = looks_at(Me(world, me.v, w), places[left], self.who, laid)
            found[np.flatnonzero(left)[seen]] = w
        return found

    def _foreseen_ones(self) -> NDArray[np.bool_]:
        """(watchers,) whose routine it knows, and who moves."""
        return np.array([self._foresees(w) for w in self.watchers.tolist()], np.bool_)

    def _foresees(self, w: int) -> bool:
        """Whether it knows an agent's routine, and that agent moves."""
        return bool(self.known[w] and self.me.world.motion.driven[self.me.v, w])

    def _foreseen(self, i: int, p: int, there: tuple[float, ...]) -> Poses:
        """The poses of all, with one agent farther along its path, at x, y, z and a heading."""
        poses = self.me.world.senses.poses
        if self._room is None:
            room = Poses._make(np.array(values[p : p + 1]) for values in poses)
            self._room = room, laid_out(PoseColumns, room)
        room, laid = self._room
        for name in Poses._fields:
            getattr(room, name)[0] = getattr(poses, name)[p]
        room.x[0, i], room.y[0, i], room.z[0, i], room.heading[0, i] = there
        return laid

    def _danger(self) -> _Danger | None:
        """The first point of its path where a watcher would have it in view."""
        way, along = self._samples()
        speed = max(float(self.me.world.motion.pace[self.me.v, self.me.a]), 0.1)
        seconds = np.floor(along / speed)
        moves, reach = self._foreseen_ones()[:, None], self._reach_of()[:, None]
        near = self._near(way, reach + self._strides()[:, None] * (seconds + 0.5) + SLACK)
        by = self._seen_by(way, None, near & ~moves)
        for n in np.unique(seconds).tolist():
            now = seconds == n
            other = self._seen_by(way[now], n + 0.5, (near & moves)[:, now])
            # The first of both in the cast; -1 is nobody.
            both = np.where(
                other < 0, by[now], np.where(by[now] < 0, other, by[now].clip(max=other))
            )
            if (both >= 0).any():
                first = int(np.argmax(both >= 0))
                return _Danger(int(both[first]), float(along[now][first]))
        return None

    def _samples(self) -> tuple[Numbers, Numbers]:
        """(points, 3) of its path ahead, m, and their distances along it."""
        me, far = self.me, AHEAD + AHEAD_BY_CARE * self.care
        if me.on_way:
            way = np.vstack([me.here, me.world.motion.ahead(me.v, me.a)])
        else:
            found = me.path(self.legs[0]) if self.legs else None
            way = me.here[None] if found is None else self._in_space(found)
        return _along(way, np.arange(APART, far + SLACK, APART))

    def _in_space(self, way: Way) -> Numbers:
        """(points, 3) of a path by `path`, from its position."""
        level, here = self.me.world.level, self.me.here
        places = np.vstack([here, np.column_stack([way[:, :2], np.full(len(way), here[2])])])
        for n, floor in enumerate(way[:, 4].astype(int).tolist(), start=1):
            if floor >= 0:
                places[n, 2] = level.height_of(floor, *places[n, :2].tolist())
        return places

    # What it does.

    def _set_stance(self, pace: int, posture: str) -> None:
        motion, v, a = self.me.world.motion, self.me.v, self.me.a
        motion.pace[v, a] = motion.paces[v, a, pace]
        motion.gait[v, a] = GAITS.index(PACES[pace])
        motion.posture[v, a] = POSTURES.index(posture)

    def _suit_the_place(self) -> None:
        """The pace that its care asks for, and that nobody hears."""
        if self.care < 1.0 / 3.0:
            self._set_stance(RUNS, "standing")
            return
        pace, slowest = (WALKS, CREEPS) if self.care >= 2.0 / 3.0 else (RUNS, WALKS)
        while pace > slowest and self._is_heard(pace):
            pace -= 1
        self._set_stance(pace, "crouched" if pace == CREEPS else "standing")

    def _is_heard(self, pace: int) -> bool:
        """Whether anybody is so near that it could hear steps at a pace."""
        me, world = self.me, self.me.world
        poses, reach = world.senses.poses, self.reach[pace]
        p = self._row
        for w in self.watchers.tolist():
            i = int(world.characters[w])
            ears = world.setups[me.v].profile_of(world.agents[w]).hearing
            if not poses.present[p, i] or ears is None:
                continue
            far = np.hypot(poses.x[p, i] - me.here[0], poses.y[p, i] - me.here[1])
            if far <= reach * ears.acuity * world.state_of(me.v, w).awake_of("hearing"):
                return True
        return False

    def _go_on_ahead(self) -> None:
        """Look ahead, and wait or hide if there is a danger that it minds."""
        me = self.me
        if me.t < self.bold_until - SLACK:
            self._set_stance(RUNS, "standing")  # what is to be risked is over soon
            return
        if np.isnan(self.warned_at):
            self._suit_the_place()
        danger = self._danger()
        if danger is None:
            return
        if me.chance.random() >= self.care:
            self.bold_until = me.t + BOLD_FOR
        elif (self._seen_by(me.here[None]) >= 0).any():
            self._hide(danger.who)
        else:
            self.doing, self.since = WAITING, me.t
            me.stand()
            self._set_stance(CREEPS, "crouched")
            self._tell("waits", danger.who, f"{danger.far:.1f}")

    def _try_again(self) -> None:
        """There was no path; a door may have opened since."""
        self._plan()
        if self.legs:
            self.doing = GOING
            self._tell("goes_on", NOBODY, "there is a way")

    def _wait_on(self) -> None:
        """Go on when nobody looks any longer, or when its patience is over, on another path.

        It does not wait where somebody is about to look.
        """
        me = self.me
        by = int(self._seen_by(me.here[None], FORESEES)[0])
        if by >= 0:
            self._hide(by)
        elif me.t - self.since >= self.care * self.written.patience - SLACK:
            self.bold_until = me.t + BOLD_FOR
            self._resume("its patience is over")
        elif self._danger() is None:
            self._resume("nobody looks")

    def _resume(self, why: str) -> None:
        self.doing = GOING
        self._tell("goes_on", NOBODY, why)
        self._plan()

    def _hide(self, by: int) -> None:
        """Run for the nearest place that nobody has in view; without one run on."""
        me, cover = self.me, self._cover(by)
        self.minds_it = False
        if cover is None:
            self.bold_until = me.t + BOLD_FOR
            if self.doing != GOING:
                self._resume("there is no cover")
            self._set_stance(RUNS, "standing")
            return
        if self.doing != HIDING:
            self.since = me.t
            self._tell("hides", by, "")
        self.doing, self.calm_since = HIDING, np.inf
        self._set_stance(RUNS, "standing")
        me.walk_to(cover)

    def _hide_on(self) -> None:
        """Stay there until all is calm, or it has to leave."""
        me = self.me
        if me.at_end or not me.on_way:
            self._set_stance(CREEPS, "crouched")
        calm = bool(np.isnan(self.warned_at))
        if me.t >= self.next_look - SLACK:
            self.next_look = me.t + LOOK_EVERY
            by = int(self._seen_by(me.here[None])[0])
            if by >= 0:
                calm = False
                if not me.on_way:
                    self._hide(by)
            self.calm_since = min(self.calm_since, me.t) if calm else np.inf
        elif not calm:
            self.calm_since = np.inf
        if me.t >= self.calm_since + CALM_FOR - SLACK and not me.on_way:
            self._resume("all is calm")
        elif me.t - self.since >= self.written.patience - SLACK:
            self.bold_until = me.t + BOLD_FOR
            self._resume("its patience is over")

    def _cover(self, by: int) -> Numbers | None:
        """The nearest place on foot that nobody has in view; None if there is none near.

        Of places as near the one that is farthest from somebody.
        """
        me = self.me
        turns = np.linspace(0.0, 2.0 * np.pi, DIRECTIONS, endpoint=False)
        ring = np.stack([np.cos(turns), np.sin(turns)], axis=1)
        around = np.concatenate([far * ring for far in RINGS]) + me.here[:2]
        ways, found = me.walker.ways, [np.zeros((0, 3))]
        for floor in np.unique(ways.area_sheets).tolist():
            on = around[ways.may_stand(me.walker.part, floor, around)]
            found.append(np.column_stack([on, ways.heights_on(floor, on, float(me.here[2]))]))
        places = np.concatenate(found)
        places = places[self._seen_by(places) < 0]
        better = places[self._seen_by(places, FORESEES) < 0]
        places = better if len(better) else places
        if not len(places):
            return None
        off = np.linalg.norm(places - me.world.motion.place(me.v, by), axis=1).round(9)
        away = np.linalg.norm(places - me.here, axis=1).round(9)
        near = np.lexsort((-off, away))[:TRIED]
        lengths = np.array([me.length_to(places[n]) for n in near])
        best = int(np.lexsort((-off[near], lengths.round(9)))[0])
        return places[near[best]] if np.isfinite(lengths[best]) else None

    def _plan(self) -> None:
        """Choose a path, the shortest or a detour; parts in view cost more."""
        me, chance = self.me, self.me.chance
        level, near = me.world.level, me.world.motion.nearness(me.v, me.a)[0]
        goals = comes_to(me.walker, level, self.written.to, me.here, near)
        if not goals:
            if self.doing != WAITING:
                self._tell("waits", NOBODY, "there is no path")
            self.doing, self.since, self.legs = WAITING, me.t, []
            me.stand()
            return
        goal = goals[int(np.argmin([me.length_to(place) for place in goals]))]
        choices: list[list[Numbers]] = [[goal]]
        low = np.minimum(me.here, goal)[:2] - DETOUR
        high = np.maximum(me.here, goal)[:2] + DETOUR
        for _ in range(DETOURS):
            x, y = (low + chance.random(2) * (high - low)).tolist()
            choices.append([me.walker.nearest(np.array([x, y, me.here[2]])), goal])
        seems = 1.0 + STRAYS * chance.random(len(choices))
        costs = [self._cost(legs) * factor for legs, factor in zip(choices, seems, strict=True)]
        self.legs = choices[int(np.argmin(costs))] if np.isfinite(min(costs)) else [goal]
        self._set_out()

    def _cost(self, legs: list[Numbers]) -> float:
        """The cost of a path, m: parts in view now cost more."""
        me, start = self.me, self.me.here
        pieces: list[Numbers] = []
        for leg in legs:
            found = me.path(leg, start)
            if found is None:
                return float("inf")
            pieces.append(self._in_space(found)[0 if not pieces else 1 :])
            start = leg
        way = np.concatenate(pieces)
        length = float(np.hypot(*np.diff(way[:, :2], axis=0).T).sum())
        seen = self._seen_by(_along(way, np.arange(1.0, length, 1.0))[0]) >= 0
        return length * (1.0 + EXPOSED * self.care * (float(seen.mean()) if len(seen) else 0.0))

    def _set_out(self) -> None:
        self._suit_the_place()
        self.me.walk_to(self.legs[0])

    def _next_leg(self) -> None:
        """It is at a corner of its path: go on to the next; if it gets no nearer, plan again."""
        if len(self.legs) > 1:
            self.legs = self.legs[1:]
            self._set_out()
        else:
            self._plan()

    def _is_there(self) -> bool:
        me, level = self.me, self.me.world.level
        if self.written.to in level.spot_names:
            return bool(len(self.legs) == 1 and self.doing == GOING and me.arrived)
        x, y, z = me.here[:, None]
        return bool(level.within(self.written.to, x, y, z)[0])

    def _arrive(self) -> float:
        me = self.me
        self.done = True
        self._tell("through", NOBODY, self.written.to)
        me.stand()
        if self.written.leaves:
            me.world.outcomes.apply(OUT_OF_IT, me.v, me.a, NOBODY, f"through to {self.written.to}")
        return NEVER

    def _tell(self, kind: str, by: int, text: str) -> None:
        """Record what it did or saw, and about whom."""
        me = self.me
        about = int(me.world.characters[by]) if by >= 0 else NOBODY
        place = me.world.motion.place(me.v, me.a)
        me.world.happenings.append(Happening(me.v, me.a, kind, about, *place, text))


def comes_to(walker: Walker, level: Level, name: str, here: Numbers, near: float) -> list[Numbers]:
    """The reachable positions of a spot or a zone; `near` is a distance in m."""
    found = []
    for place in level.places_named(name, float(here[2])) if walker.part >= 0 else ():
        there = walker.nearest(place)
        if name in level.spot_names:
            reached = float(np.linalg.norm(there - place)) <= near
        else:
            reached = bool(level.within(name, *there[:, None])[0])
        if reached and np.isfinite(walker.length(here, place)):
            found.append(place)
    return found


def _along(way: Numbers, far: Numbers) -> tuple[Numbers, Numbers]:
    """(points, 3) at these distances along a path, m, and the distances; none beyond its end."""
    steps = np.hypot(*np.diff(way[:, :2], axis=0).T)
    at = np.concatenate([[0.0], np.cumsum(steps)])
    far = far[far <= at[-1] + SLACK]
    places = np.stack([np.interp(far, at, axis) for axis in way.T], axis=1)
    return np.ascontiguousarray(places), far
