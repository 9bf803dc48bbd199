"""Decisions within activities, each agent at its own times, and paths.

Compiled loops do most of it (`snelk.body.acting`); the rest is done here, by activities that are
Python objects, and only for agents that need it.
"""

from __future__ import annotations

from itertools import islice
from typing import Any

import numpy as np

from snelk.body.acting import goes_somewhere, set_out, set_out_one
from snelk.body.activities import Activity, Call
from snelk.body.agent import LOOK_CODES, Me
from snelk.body.columns import (
    DoingColumns,
    FlightStageColumns,
    RoundStageColumns,
    StreamColumns,
)
from snelk.body.doing import (
    CODES,
    EVADE,
    FLEE,
    NEVER,
    NEWLY_DONE,
    NEWLY_FAILED,
    OTHERS,
    PATROL,
    ROAM,
    SEARCH,
    Doing,
)
from snelk.body.escapes import FlightStage
from snelk.body.fleeing import choose_by_lengths, choose_where
from snelk.body.outcomes import Happening
from snelk.body.patrols import (
    BACK_AND_FORTH,
    HERE,
    HOME,
    LOOP,
    ONCE,
    START,
    WHERE_IT_IS,
    RoundStage,
)
from snelk.body.playing import Play
from snelk.body.roaming import Roaming
from snelk.body.roams import RoamStage
from snelk.body.scene import Numbers, Scene
from snelk.body.searches import SearchStage
from snelk.body.searching import go_to_next, plan_points
from snelk.body.seeker import Seeker
from snelk.body.stage import WHOSE_GROUND, BodyStage
from snelk.body.standing import SLACK
from snelk.body.streams import Streams
from snelk.body.walker import Walker
from snelk.config.minds import State
from snelk.indices import where
from snelk.level.columns import laid_out
from snelk.level.grid import scratch_for
from snelk.level.ground import GroundStage
from snelk.level.ways import Ways
from snelk.mind.ladder import Step
from snelk.mind.signals import NOBODY
from snelk.senses.columns import BodyColumns

CORNERS_FORESEEN = 4
"""So many corners of a round somebody knows who knows it."""


class Thinking:
    """The activities of all agents.

    Args:
        world: The scene.
        shows: Whether it is kept where the targets of searches may be.

    Attributes:
        doing: It, as plain arrays.
        laid: The same as compiled loops read it.
        seeker: Everybody's searches.
        walks: The grounds that somebody walks on, as compiled loops read them.
        kinds: (variant, agent, state) what is done in each state, see `Doing.kind`.
    """

    def __init__(self, world: Scene, *, shows: bool) -> None:
        self._world = world
        ladders = world.ladders
        shape = ladders.used.shape
        self.doing = doing = Doing.blank(shape, ladders.least.shape[2])
        doing.done[...] = True  # who has no activity has done all it had to
        self.laid = laid_out(DoingColumns, doing)
        self._roaming = Roaming(world)
        self._objects: dict[tuple[int, int], Activity] = {}
        self._walkers: dict[tuple[int, int], Walker] = {}
        self._grounds: list[Ways] = []  # by index
        self._stages: dict[int, GroundStage] = {}
        self._known: list[bool] = []  # whether all paths between corners are, by ground
        self.walks: list[GroundStage] = []  # of the grounds, with all that is known of the paths
        self._names: dict[tuple[int, int], list[str]] = {}  # of what is done in each state
        self.kinds = np.zeros(ladders.least.shape, dtype=np.int8)
        motion = world.motion
        homes = motion.home_x, motion.home_y, motion.home_z, motion.home_heading
        for place, values in enumerate(homes):
            doing.home[:, :, place] = values
        self._flights = flights_of(world, self._roaming.streams)
        self._laid_flights = laid_out(FlightStageColumns, self._flights)
        self.seeker = Seeker(world, shows=shows)
        self._rounds = rounds_of(world, doing)
        self._laid_rounds = laid_out(RoundStageColumns, self._rounds)
        for v, row in enumerate(ladders.ladders):
            for a, ladder in enumerate(row):
                for s, state in enumerate(ladder.states.values() if ladder else ()):
                    names = self._names.setdefault((v, a), [])
                    names.append(state.activity)
                    self.kinds[v, a, s] = CODES.get(names[-1], OTHERS)
                    if state.approach is not None:
                        doing.stops[v, a, s] = state.approach.stop
                    if state.go is not None and state.go.spot is not None:
                        doing.spots[v, a, s] = world.spots[state.go.spot]

    def __getstate__(self) -> dict[str, Any]:
        """All but scratch space, which is made again; see `snelk.runs.saving`."""
        return {**vars(self), "_stages": {}, "_known": [], "walks": []}

    def __setstate__(self, state: dict[str, Any]) -> None:
        vars(self).update(state)
        self._renew_walks()

    def leave(self, step: Step) -> None:
        """A state is left; an agent that is woken is busy for a while."""
        world, v, a = self._world, step.variant, step.agent
        before = world.states_of(v, a)[step.before]
        if before.sleep is not None:
            until = world.ladders.tick + round(before.sleep.wake_time / world.dt)
            world.ladders.busy_until[v, a] = until
        self._objects.pop((v, a), None)
        if self.doing.kind[v, a] == SEARCH:
            self.seeker.leave(v, a)

    def let_go(self, v: int, a: int) -> None:
        """A character is removed, and its activity with it."""
        if self.doing.kind[v, a] == SEARCH:
            self.seeker.leave(v, a)

    def let_in(self, v: int, a: int) -> None:
        """A character is spawned, without its former activity, and perhaps with another home."""
        motion, doing = self._world.motion, self.doing
        self._objects.pop((v, a), None)
        self._walkers.pop((v, a), None)
        doing.ground[v, a] = -1
        homes = motion.home_x, motion.home_y, motion.home_z, motion.home_heading
        for place, values in enumerate(homes):
            doing.home[v, a, place] = values[v, a]
        self._rounds.home[v, a] = doing.home[v, a, :3]
        if motion.driven[v, a]:
            up = motion.z[v, a] if self._world.level.data.floors else np.nan
            self._rounds.start[v, a] = motion.x[v, a], motion.y[v, a], up

    def begin(self, v: int, a: int) -> None:
        """Begin the activity of an agent's current state; see `entering.begin_in_state`."""
        doing, world = self.doing, self._world
        kind = int(doing.kind[v, a])
        if kind == ROAM:
            self._roaming.begin(Me(world, v, a))
        elif kind == PATROL:
            self._rounds.begin(v, a)
        elif kind in (FLEE, EVADE):
            self._flights.begin(v, a, Me(world, v, a).chance_key)
        elif kind == SEARCH:
            self.seeker.begin(Me(world, v, a))
        elif kind == OTHERS:
            of_kind = Play if self._name(v, a) == "play" else Call
            activity = self._objects[v, a] = of_kind(Me(world, v, a))
            doing.done[v, a], doing.failed[v, a] = activity.done, activity.failed

    def goes_on_to(self, v: int, a: int) -> list[tuple[Numbers, float]]:
        """The next corners of who walks its rounds, and for how long it stands before each, s."""
        if self.doing.kind[v, a] != PATROL or not self._rounds.begun[v, a]:
            return []
        state, up = max(int(self._world.ladders.state[v, a]), 0), self._world.motion.z[v, a]
        found = []
        for corner, pause in islice(self._rounds.to_come(v, a, state), CORNERS_FORESEEN):
            corner[2] = up if np.isnan(corner[2]) else corner[2]
            found.append((corner, pause))
        return found

    def activity_of(self, v: int, a: int) -> Activity | None:
        """The activity of an agent as a Python object; None for those in loops."""
        return self._objects.get((v, a))

    def _name(self, v: int, a: int) -> str:
        """The name of the activity of an agent's current state."""
        names = self._names.get((v, a))
        return names[self._world.ladders.state[v, a]] if names else State().activity

    @property
    def stages(self) -> tuple[RoamStage, RoundStage, FlightStage, SearchStage]:
        """Where everybody roams, patrols, flees to and searches, as compiled loops read it."""
        return self._roaming.stage, self._laid_rounds, self._laid_flights, self.seeker.stage

    def make_room(self) -> None:
        """Let loops have room for a path as long as any can be now."""
        self._roaming.make_room(self._world.motion)

    def ask_others(self) -> None:
        """Let agents decide that loops leave to Python."""
        for v, a in where(self._world.timing.due):
            self._ask(v, a)

    def tell_news(self) -> None:
        """What has come of activities."""
        for v, a in where(self.doing.news):
            self._tell_news(v, a)

    def _ask(self, v: int, a: int) -> None:
        """Let one agent decide that loops leave to Python."""
        world, timing, doing = self._world, self._world.timing, self.doing
        activity = self._objects.get((v, a))
        time_is_up = world.time >= timing.next_thought[v, a] - SLACK
        if activity is not None and not (activity.asked_on_arrival or time_is_up):
            return
        timing.thought_there[v, a] = world.motion.at_end[v, a] | world.motion.no_way[v, a]
        was_done, was_failed = bool(doing.done[v, a]), bool(doing.failed[v, a])
        if doing.kind[v, a] == SEARCH:
            again = self.seeker.think(Me(world, v, a))
        elif activity is None:
            again = self._roaming.think(Me(world, v, a))
        else:
            again = activity.think()
            doing.done[v, a], doing.failed[v, a] = activity.done, activity.failed
        timing.next_thought[v, a] = world.time + again
        newly_done = NEWLY_DONE * bool(doing.done[v, a] and not was_done)
        doing.news[v, a] = newly_done + NEWLY_FAILED * bool(doing.failed[v, a] and not was_failed)

    def shift(self, v: int, a: int, x: float, y: float) -> None:
        """Push a body, m, or along one axis only if a wall is in the way."""
        motion, me = self._world.motion, Me(self._world, v, a)
        here, walker = me.here, self.walker_of(v, a)
        for step in ((x, y, 0.0), (x, 0.0, 0.0), (0.0, y, 0.0)):
            to = here + np.array(step)
            if walker.part >= 0 and walker.ways.clear(here[None], to[None])[0]:
                break
        else:
            return
        motion.x[v, a], motion.y[v, a] = to[0], to[1]
        motion.z[v, a] = self._world.level.stands_at(*to.tolist())
        self._roaming.was_pushed(v, a)
        if not motion.is_going(v, a):
            motion.forget_way(v, a)
            return
        turns, between = motion.next_turns(v, a, here)
        places = motion.ahead(v, a)[turns]
        if not motion.on_way[v, a]:
            motion.lay_again(v, a, walker.ways.along(me.here, places[:1, :2]), turns[0])
            return
        far = walker.ways.lengths_from(me.here, places)
        # Where it was pushed the second corner may be in reach, and the first may lie behind it.
        may_skip = len(turns) > 1 and self.doing.kind[v, a] != ROAM
        n = int(may_skip and far[-1] <= far[0] + between + SLACK)
        if np.isfinite(far[n]):
            motion.lay_again(v, a, walker.ways.along(me.here, places[n : n + 1, :2]), turns[n])
        else:
            me.find_way()

    def find_ways(self, stage: BodyStage, wants: int) -> None:
        """Compute what was requested: spots, directions, search points and paths."""
        doing, asks, points = self.doing, self._flights.asks, self.seeker.asks
        if wants == WHOSE_GROUND:
            unknown = (doing.wants | (asks != 0) | points) & (doing.ground < 0)
            for v, a in where(unknown):
                self.walker_of(v, a)
        if asks.any():
            self._choose_where(stage)
        if points.any():
            self._plan_points(stage)
        self._set_out(stage)
        while go_to_next(self.seeker.stage, stage, self._world.motion.now, self._world.time):
            self._set_out(stage)
        self._renew_walks()

    def _renew_walks(self) -> None:
        """More paths between corners may be known than before."""
        known = [ways.is_wholly_known for ways in self._grounds]
        if known != self._known:
            self._known = known
            self.walks = [next(ways.stages(self._stages)) for ways in self._grounds]

    def _choose_where(self, stage: BodyStage) -> None:
        """Choose spots and directions for those that ask for them."""
        world, motion, flights = self._world, self._world.motion, self._laid_flights
        asks = self._flights.asks
        for index, ways in enumerate(self._grounds):
            for walk in ways.stages(self._stages):
                if not choose_where(index, walk, flights, stage, motion.now):
                    break
        for v, a in where(asks) if asks.any() else ():  # on large levels
            me, s = Me(world, v, a), max(int(world.ladders.state[v, a]), 0)
            first, last = self._flights.first[v, a, s], self._flights.last[v, a, s]
            for n, spot in enumerate(self._flights.spots[first:last]):
                self._flights.lengths[n] = me.length_to(spot)
            choose_by_lengths(v, a, flights, stage, motion.now)

    def _plan_points(self, stage: BodyStage) -> None:
        """Plan points to search for those that ask for them, agent by agent."""
        world, seeker = self._world, self.seeker
        given = seeker.stage, stage, world.motion.now, world.time
        for v, a in where(seeker.asks):
            ways = self._walkers[v, a].ways
            if not any(plan_points(v, a, walk, *given) for walk in ways.stages(self._stages)):
                seeker.plan(Me(world, v, a), next(ways.stages(self._stages)))  # on large levels

    def _set_out(self, stage: BodyStage) -> None:
        """Find the requested paths."""
        motion, left = self._world.motion, 0
        for index, ways in enumerate(self._grounds):
            still = 0
            for walk in ways.stages(self._stages):
                still = set_out(index, walk, stage, motion.now)
                if not still:
                    break
            left += still
        for v, a in where(self.doing.wants) if left else ():
            Me(self._world, v, a).find_way()

    def set_out(self, v: int, a: int, goal: Numbers, stop: float) -> bool:
        """Take the path to a position, or as near as an agent can get; return whether it is done.

        Who is moved here and turns in arcs, has to turn back or stands where it cannot, has to
        find its path itself.
        """
        doing, motion = self.doing, self._world.motion
        doing.goals[v, a], doing.stop[v, a], doing.wants[v, a] = goal, stop, True
        if (v, a) not in self._walkers:
            self.walker_of(v, a)
        ways, stage = self._walkers[v, a].ways, self._world.stage
        return any(set_out_one(v, a, walk, stage, motion.now) for walk in ways.stages(self._stages))

    def _tell_news(self, v: int, a: int) -> None:
        """What has come of an activity."""
        world, news = self._world, self.doing.news[v, a]
        activity, place = self._name(v, a), world.motion.place(v, a)
        goes = goes_somewhere(int(self.doing.kind[v, a]))
        reached = world.timing.at_end[v, a] and world.motion.nearness(v, a)[1]
        if news & NEWLY_DONE and goes and not reached:
            world.happenings.append(Happening(v, a, "done", NOBODY, *place, activity))
        if news & NEWLY_FAILED:
            world.happenings.append(Happening(v, a, "failed", NOBODY, *place, activity))

    def tell_ends(self) -> None:
        """Record the ends of paths: arrived, or as near as it can get, and why."""
        world, told = self._world, self._world.timing.short_told
        for v, a in where(world.timing.at_end):
            if self.doing.joins[v, a]:
                continue
            me = Me(world, v, a)
            place = world.motion.place(v, a)
            if me.arrived:
                told[v, a] = False
                if goes_somewhere(int(self.doing.kind[v, a])):
                    world.happenings.append(Happening(v, a, "reached", NOBODY, *place))
            elif not told[v, a]:
                told[v, a] = True
                text = self._why_short(me, self.doing.goals[v, a].copy())
                world.happenings.append(Happening(v, a, "unreachable", NOBODY, *place, text))

    def _why_short(self, me: Me, goal: Numbers) -> str:
        """How far from its goal an agent has to stop, and what is in the way."""
        if np.isnan(goal[0]):
            return "nowhere: there is no ground to go to"
        on_floors = bool(self._world.level.data.floors)
        off = float(np.linalg.norm((goal - me.here)[: 3 if on_floors else 2]))
        up = f", at {goal[2]:.1f} m" if on_floors else ""
        return f"({goal[0]:.1f}, {goal[1]:.1f}{up}): {off:.1f} m short, {me.in_the_way(goal)}"

    def walker_of(self, v: int, a: int) -> Walker:
        """The ground that an agent walks on; found out when first asked for."""
        if (v, a) not in self._walkers:
            self._walkers[v, a] = walker = self._world.new_walker(v, a)
            if walker.ways not in self._grounds:
                self._grounds.append(walker.ways)
            self.doing.ground[v, a] = self._grounds.index(walker.ways)
            self.doing.part[v, a] = walker.part
        return self._walkers[v, a]

    def mind_doors(self, v: int) -> None:
        """The ground of a variant is another, as doors have opened or shut."""
        self.forget_ground(v)
        motion = self._world.motion
        goes = motion.on_way[v] | motion.no_way[v] | (motion.short[v] > 0.0)
        roams = self.doing.kind[v] == ROAM
        for a in np.flatnonzero(motion.driven[v] & (goes | roams)).tolist():
            if roams[a] and self._roaming.mind_doors(Me(self._world, v, a)):
                self._world.timing.next_thought[v, a] = -NEVER
            elif goes[a] and not np.isnan(self.doing.goals[v, a, 0]):
                self.doing.wants[v, a] = True
        self.find_ways(self._world.stage, WHOSE_GROUND)

    def forget_ground(self, v: int) -> None:
        """The ground of a variant is another from now on."""
        self._walkers = {key: each for key, each in self._walkers.items() if key[0] != v}
        self.doing.ground[v] = -1
        self._stages.clear()
        self._known = []
        self._renew_walks()


ORDERS = {"loop": LOOP, "back_and_forth": BACK_AND_FORTH, "once": ONCE}
ABOUT = {None: WHERE_IT_IS, "home": HOME, "start": START, "here": HERE}


def rounds_of(world: Scene, doing: Doing) -> RoundStage:
    """Pack the routes of everybody's patrols into arrays."""
    ladders = world.ladders
    shape, states = ladders.used.shape, ladders.least.shape
    first, last = np.zeros((2, *states), dtype=np.int32)
    order, pause = np.zeros(states, dtype=np.int8), np.zeros(states)
    about = np.full(states, WHERE_IT_IS, dtype=np.int32)
    start = np.full((*shape, 3), np.nan)
    known: dict[tuple[tuple[float, ...], ...], int] = {}
    corners: list[list[float]] = []
    for v, row in enumerate(ladders.ladders):
        for a, ladder in enumerate(row):
            member = world.setups[v].cast[world.agents[a]]
            at = member.at or member.home
            if at is not None:
                up = member.z if member.at or member.home_z is None else member.home_z
                start[v, a] = (*at, up if world.level.data.floors else np.nan)
            for s, state in enumerate(ladder.states.values() if ladder else ()):
                patrol = state.patrol
                if patrol is None:
                    continue
                route = world.route_of(v, a, patrol.route).tolist()
                key = tuple(map(tuple, route))
                if key not in known:
                    known[key] = len(corners)
                    corners += route
                first[v, a, s], last[v, a, s] = known[key], known[key] + len(route)
                order[v, a, s], pause[v, a, s] = ORDERS[patrol.order], patrol.pause
                whom = patrol.about
                code = ABOUT[whom] if whom in ABOUT else world.names.index(whom or "")
                about[v, a, s] = code
    begun, pausing = np.zeros((2, *shape), dtype=np.bool_)
    return RoundStage(
        heights=bool(world.level.data.floors),
        corners=np.array(corners, dtype=np.float64).reshape(-1, 3),
        first=first,
        last=last,
        order=order,
        pause=pause,
        about=about,
        home=np.ascontiguousarray(doing.home[:, :, :3]),
        start=start,
        entered=world.entered,
        shift=np.zeros((*shape, 3)),
        begun=begun,
        pausing=pausing,
        at=np.zeros(shape, dtype=np.int64),
        step=np.ones(shape, dtype=np.int64),
    )


def flights_of(world: Scene, streams: Streams) -> FlightStage:
    """Pack where everybody flees to, and how it evades, into arrays."""
    ladders, level = world.ladders, world.level
    shape, states = ladders.used.shape, ladders.least.shape
    first, last = np.zeros((2, *states), dtype=np.int32)
    directions, distance = np.ones(states, dtype=np.int32), np.zeros(states)
    keep_eyes, until_unseen, away = np.zeros((3, *states), dtype=np.bool_)
    look = np.zeros(states, dtype=np.int8)
    known: dict[tuple[str, ...], int] = {}
    spots: list[Numbers] = []
    for v, row in enumerate(ladders.ladders):
        for a, ladder in enumerate(row):
            member = world.setups[v].cast[world.agents[a]]
            for s, state in enumerate(ladder.states.values() if ladder else ()):
                look[v, a, s] = LOOK_CODES[state.look]
                if state.evade is not None:
                    directions[v, a, s] = state.evade.directions
                    distance[v, a, s], away[v, a, s] = state.evade.distance, state.evade.away
                if state.flee is not None:
                    names = tuple(state.flee.spots or member.spots)
                    if names not in known:
                        known[names] = len(spots)
                        spots += [world.spots[name] for name in names]
                    first[v, a, s], last[v, a, s] = known[names], known[names] + len(names)
                    keep_eyes[v, a, s] = state.flee.keep_eyes
                    until_unseen[v, a, s] = state.flee.until_unseen
    return FlightStage(
        bodies=laid_out(BodyColumns, world.bodies),
        grid=level.laid_grid,
        scratch=scratch_for(level.grid, world.doors.opened),
        characters=world.characters,
        streams=laid_out(StreamColumns, streams),
        spots=np.array(spots, dtype=np.float64).reshape(-1, 3),
        first=first,
        last=last,
        keep_eyes=keep_eyes,
        until_unseen=until_unseen,
        look=look,
        distance=distance,
        directions=directions,
        away=away,
        chosen=np.full(shape, -1, dtype=np.int64),
        asks=np.zeros(shape, dtype=np.int8),
        lengths=np.zeros(int((last - first).max(initial=0))),
    )
