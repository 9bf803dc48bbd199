"""Minds and bodies together: signals, alert states, activities and moving, tick by tick."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from snelk.body.agent import LOOK_CODES
from snelk.body.clues import Clues
from snelk.body.columns import (
    BodyStageColumns,
    EntryStageColumns,
    NamedColumns,
    OutlookColumns,
    PlacedColumns,
    PlaceStageColumns,
    StandingColumns,
    TimingColumns,
    UpkeepColumns,
)
from snelk.body.company import Company
from snelk.body.doors import BY_ITSELF, Doors
from snelk.body.entering import begin_in_state, stand_as_in_state
from snelk.body.entries import EntryStage
from snelk.body.motion import Motion
from snelk.body.moving import place
from snelk.body.named import (
    FELT_BY,
    IN_ZONE,
    IS_ON,
    NAMED,
    OBSERVED_BY,
    TARGET_IN_ZONE,
    TOUCH,
    ZONE,
    NamedSignals,
)
from snelk.body.outcomes import Given, Happening, Outcomes, Put, Spawn
from snelk.body.outlook import Outlook
from snelk.body.paces import GLANCE, PACES
from snelk.body.registry import registered
from snelk.body.scene import Footing, Note, Place, Senses, Snapshot
from snelk.body.stage import BodyStage, PlaceStage
from snelk.body.standing import NEWLY, SLACK, Standing, Timing
from snelk.body.tending import mind_clues
from snelk.body.thinking import Thinking
from snelk.body.upkeep import DOORSTEP, IN_ORDER, SEEN_TO, Upkeep
from snelk.body.walker import Walker
from snelk.chance import stream_at_once
from snelk.config.minds import Effects, Ladder, State
from snelk.config.models import Change, Member, Setup
from snelk.config.nodes import Node
from snelk.config.recordings import TrackData
from snelk.config.words import GAITS, POSTURES
from snelk.indices import where
from snelk.level.columns import ZoneColumns, in_one, laid_out, plain
from snelk.level.grid import scratch_for
from snelk.level.level import Level
from snelk.level.ways import Ways
from snelk.mind.attention import Attention
from snelk.mind.columns import MeterColumns, SignalColumns
from snelk.mind.ladder import NO_LADDER, NO_TRANSITION, Ladders, Step
from snelk.mind.memory import MemoryNumbers, forget
from snelk.mind.signals import NOBODY, Signals
from snelk.mind.stage import TellStage
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import (
    AroundColumns,
    BodyColumns,
    ContactColumns,
    LightColumns,
    PoseColumns,
    SightColumns,
    SightLimitColumns,
    SightNumberColumns,
    SurroundingColumns,
)
from snelk.senses.light import light_numbers
from snelk.senses.sight import SightLimits, SightNumbers, limits_in_states, whole_of
from snelk.senses.surroundings import Around

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

Caused = tuple[Effects | None, str]

ON_ITS_WAY = "on its way"
"""Why an agent opens a door."""

ROOM = 50.0
"""The ground of a live game that grows does so by this much more, m, so that it seldom has to."""


class World:
    """The minds and bodies of all agents of all variants.

    Args:
        setups: The numbers of each variant.
        level: The level.
        tracks: The tracks of those that have one.
        numbers, bodies, memory: Everybody's sight, bodies and memory.
        limits: The limits of everybody's cones: written to as states change.
        awake: (sense, variant, agent) how awake they are: written to as states change.
        senses: The names of the senses, in that order.
        dt: Length of a tick, s.
        grows: Whether the ground grows when somebody reaches its end, as in a live game.
        shows: Whether it is kept where the targets of searches may be.

    Attributes:
        signals: What conditions asked for at the last tick; overwritten by the next.
        ignored: (variant, agent, target) who is not worth a focus at this tick.
        named: What conditions ask for with a name, as compiled loops read it.
        prepares: Whether something is to be done before anybody attends to anything; see `prepare`.
        upkeep: What every tick has to look after beside minds and moving.
        laid_signals: The same as compiled loops read them.
        taken: The transitions of the last tick.
        happenings: What else happened at the last tick.
        outcomes: The effects of agents and of the game.
        senses: The results of senses and memory at the last tick.
        stage: All that compiled loops read and write at a tick.
        entered: (variant, agent, 3) where each entered its state, m; NaN at the beginning.
        sees_me: (variant, agent, watcher) by whom each was seen at the last tick.
        caught: (variant, agent, target) whom each has caught.
        empty_for: (variant, agent, target) for how long each has seen the place empty where it
            believes the target, s; last that of a place.
        kept: What else is kept of agents from tick to tick: (variant, agent), by name.
        cone_limits: (limit, variant, agent, state, cone) those of everybody's cones in each state.
        thinking: What everybody does.
        company: Who acts together with whom.
        timing: When everybody thinks and glances.
        laid_timing: The same as compiled loops read it.
        outlook: What agents look at places with.
        ended: (variant,) whether somebody was caught and the run ends with that.
        newly_ended: Whether any of them has at this tick.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        level: Level,
        tracks: Mapping[str, TrackData],
        numbers: SightNumbers,
        limits: SightLimits,
        bodies: Bodies,
        memory: MemoryNumbers,
        awake: Numbers,
        senses: Sequence[str],
        around: Around,
        opened: Truths,
        recorded: Sequence[Change],
        played: Sequence[tuple[float, Given]],
        dt: float,
        *,
        grows: bool = False,
        shows: bool = True,
    ) -> None:
        self.setups, self.level, self.dt = setups, level, dt
        self.time = setups[0].clock.start
        self.names, self.agents = tuple(setups[0].cast), setups[0].agents
        self.numbers, self.bodies, self.memory = numbers, bodies, memory
        self.characters = numbers.characters
        self.motion = Motion(setups, tuple(tracks), dt, level)
        self.attention = Attention(setups, numbers, memory.used)
        self.ladders = Ladders(setups, dt)
        shape = self.ladders.used.shape
        self.signals = Signals.blank(shape)
        self.active = bool(self.ladders.used.any() or self.motion.driven.any())
        self.taken: list[Step] = []
        self.happenings: list[Happening] = []
        self.ended = np.zeros(shape[0], dtype=np.bool_)
        self.newly_ended = False
        self.search_done = np.zeros(shape, dtype=np.bool_)
        self.sees_me = np.zeros((*shape, shape[1]), dtype=np.bool_)  # (variant, agent, watcher)
        self.spots = {spot.name: self._in_space(point)[0] for spot, point in level.data.spots}
        self._routes = {route.name: self._in_space(line) for route, line in level.data.routes}
        self._awake, self._sense_names = awake, tuple(senses)
        self.ignored = np.zeros(numbers.notices.shape, dtype=np.bool_)
        self.caught = np.zeros(numbers.notices.shape, dtype=np.int8)
        self.cone_limits = limits_in_states(setups)
        self._limits = whole_of(limits)
        self.doors = Doors(setups, level, opened, around.zone_light)
        self.outcomes = Outcomes(
            setups, self.characters, self.attention, self.ladders.attributes, self.doors, recorded,
            played,
        )  # fmt: skip
        self.active |= bool(self.outcomes.waiting or self.doors.walls or played)
        self.ladders.out[...] = self.outcomes.removed[:, self.characters]
        self._has_caught, self._was_caught, self._has_seen_to = np.zeros((3, *shape), np.bool_)
        self.clues = Clues(setups, len(self.agents), self.doors)
        self.active |= self.clues.any
        self._routine_rank = np.array(
            [[_routine_rank(each) for each in row] for row in self.ladders.ladders], np.float64
        ).reshape(shape)
        self.entered = np.full((*shape, 3), np.nan)
        self.senses: Senses  # of the last tick; not there before `lay_out`
        empty = [
            [self.setups[v].profile_of(n).memory for n in self.agents] for v in range(shape[0])
        ]
        self._seen_empty = np.array(
            [
                [np.nan if m is None or m.seen_empty is None else m.seen_empty for m in r]
                for r in empty
            ]
        ).reshape(shape)
        # For how long each agent has seen each target's place empty, s; last that of a place.
        self.empty_for = np.zeros((*shape, len(self.names) + 1))
        self._read_teams()
        self._read_states()
        self._catches = not np.isnan(self._catch).all()
        self._grows = grows
        self._tracked = tuple(tracks)
        self._bounds = np.array([self._bounds_of(setup, tracks) for setup in setups])
        disproves = not np.isnan(self._seen_empty).all()
        self.prepares = grows or bool(self._ignores.any()) or disproves or bool(self.doors.walls)
        self._opening: dict[tuple[int, int], tuple[int, float]] = {}
        self._given: Poses | None = None  # where a game says that those are whom it moves
        self._poses_of: tuple[Poses, ...] = ()  # of even ticks, and of odd ones
        self._next_opening = np.full(1, np.inf)  # s: when a door that somebody opens is open
        self._radii = np.array(
            [[setup.body_of(name).radius for name in self.names] for setup in setups]
        )
        self._laid_bodies = laid_out(BodyColumns, bodies)
        self.laid_signals = laid_out(SignalColumns, self.signals)
        outlook = Outlook(
            bodies=self._laid_bodies,
            numbers=laid_out(SightNumberColumns, numbers),
            limits=laid_out(SightLimitColumns, limits),
            around=laid_out(AroundColumns, around),
            lamps=laid_out(LightColumns, light_numbers(setups, level.lit)),
            zones=level.zones,
            grid=level.laid_grid,
            scratch=scratch_for(level.grid, opened),
        )
        self.outlook = laid_out(OutlookColumns, outlook)
        self.thinking = Thinking(self, shows=shows)
        self.company = Company(self)
        standing = Standing(
            self.ladders.state, self.ladders.entries, self.ladders.since, self.ladders.rank,
            self._asleep, self.motion.home_x, self.motion.home_y, self.motion.home_z,
            self.thinking.doing.goals, self._others, self._territory,
        )  # fmt: skip
        self._standing = laid_out(StandingColumns, standing)
        self._stuck, self._newly_stuck = np.zeros((2, *shape), dtype=np.bool_)
        self.kept = {
            "entered": self.entered,
            "search done": self.search_done,
            "has caught": self._has_caught,
            "was caught": self._was_caught,
            "has seen to": self._has_seen_to,
            "stuck": self._stuck,
            "newly stuck": self._newly_stuck,
        }
        self.stage: BodyStage  # the same
        self.named: NamedSignals  # the same
        self.upkeep: Upkeep  # the same
        self._entries = self._laid_out_entries()
        for v, a in where(self.ladders.used):
            self._enter(v, a)
            self._begin(v, a, NO_LADDER)

    def _in_space(self, shape: BaseGeometry) -> Numbers:
        """(corners, 3) of a spot or a route, m; of no height on ground without floors."""
        corners: Numbers = shapely.get_coordinates(shape, include_z=True)
        corners[:, 2] = np.nan_to_num(corners[:, 2]) if self.level.data.floors else np.nan
        return corners

    def _bounds_of(
        self, setup: Setup, tracks: Mapping[str, TrackData]
    ) -> tuple[float, float, float, float]:
        """Smallest x, y and largest x, y of the level and of everybody's places, m."""
        level, members = self.level, setup.cast.values()
        places = [np.reshape(level.bounds, (2, 2))] if level.has_features else []
        if self._grows:  # where a game will have somebody is not known yet
            places += [] if places else [np.zeros((1, 2))]
        else:
            places += [np.stack([track.x, track.y], axis=1) for track in tracks.values()]
        places += [np.array([at]) for member in members for at in (member.at, member.home) if at]
        for agent in setup.agents:
            member, ladder = setup.cast[agent], setup.profile_of(agent).ladder
            for state in ladder.states.values() if ladder else ():
                if state.roam is not None and state.roam.ring is not None:
                    reach = state.roam.ring[1]
                    known = {} if self._grows else tracks
                    for at in _middles(setup, member, known, state.roam.about):
                        places.append(np.add(at, [(-reach, -reach), (reach, reach)]))
        every = np.concatenate(places or [np.zeros((1, 2))])
        (low_x, low_y), (high_x, high_y) = every.min(axis=0), every.max(axis=0)
        return float(low_x), float(low_y), float(high_x), float(high_y)

    def _read_teams(self) -> None:
        agents = self.agents
        teams = np.array([[s.cast[name].team for name in self.names] for s in self.setups])
        own = teams[:, self.characters]
        # (variant, agent, watcher)
        self._others = np.ascontiguousarray(own[:, :, None] != own[:, None, :])
        self._team_of = own
        leashes = [[setup.cast[name].leash for name in agents] for setup in self.setups]
        zones = [[each and self.level.zone_index(each.zone) for each in row] for row in leashes]
        zones = [[-1 if each is None else each for each in row] for row in zones]
        self._territory = np.array(zones, np.int32).reshape(len(self.setups), len(agents))
        ignores = [[each is not None and each.outside == "ignore" for each in r] for r in leashes]
        self._ignores: Truths = np.array(ignores, np.bool_).reshape(len(self.setups), -1)

    def _read_states(self) -> None:
        shape = self.ladders.least.shape
        motion = self.motion
        pace, swing, period = np.ones((3, *shape))
        gait, look, posture = np.zeros((3, *shape), dtype=np.int8)
        self._stances: dict[str, NDArray[Any]] = {
            "pace": pace, "swing": swing, "period": period, "gait": gait, "look": look,
            "posture": posture,
        }  # fmt: skip
        self._awake_in = np.ones((len(self._awake), *shape))
        self._catch = np.full(shape, np.nan)
        self._ends = np.zeros(shape, dtype=np.bool_)
        freeze = np.zeros((*shape, len(self.agents)), dtype=np.bool_)
        self._asleep = np.zeros(shape, dtype=np.bool_)
        self._states = [
            [(list(each.states), list(each.states.values())) if each else ([], []) for each in row]
            for row in self.ladders.ladders
        ]
        self._effects: dict[tuple[int, int], tuple[list[Caused], list[Caused]]] = {}
        self._speed_first, self._speed_last = np.zeros((2, *shape), dtype=np.int32)
        speeds: list[tuple[float, float]] = []
        packed = [self._catch, self._ends, freeze, self._asleep, pace, gait, look, swing, period]
        packed += [posture, self._speed_first, self._speed_last, *self._awake_in]
        for v, row in enumerate(self.ladders.ladders):
            for a, ladder in enumerate(row):
                if v > 0 and self._is_alike(v - 1, v, a):
                    for values in packed:
                        values[v, a] = values[v - 1, a]
                    continue
                for s, state in enumerate(ladder.states.values() if ladder else ()):
                    if state.catch is not None:
                        self._catch[v, a, s] = state.catch.reach
                        self._ends[v, a, s] = state.catch.ends
                    if state.freeze_seen_by:
                        freeze[v, a, s] = np.isin(self._team_of[v], state.freeze_seen_by)
                    self._asleep[v, a, s] = state.activity == "sleep"
                    pace[v, a, s] = motion.paces[v, a, PACES.index(state.pace)]
                    gait[v, a, s] = GAITS.index(state.pace)
                    look[v, a, s] = LOOK_CODES[state.look]
                    swing[v, a, s] = np.radians(state.sweep_whole) / 2.0
                    period[v, a, s] = state.sweep_period
                    posture[v, a, s] = POSTURES.index(state.posture_in)
                    self._speed_first[v, a, s] = len(speeds)
                    speeds += state.speeds or ()
                    self._speed_last[v, a, s] = len(speeds)
                    self._awake_in[:, v, a, s] = [
                        state.awake_of(name) for name in self._sense_names
                    ]
                    if state.call is not None:
                        registered(state.call.activity)
        self._speeds = np.array(speeds, np.float64).reshape(-1, 2)
        due, at_end, fresh, thought_there, short_told = np.zeros((5, *shape[:2]), dtype=np.bool_)
        self.timing = Timing(
            used=self.ladders.used,
            ended=self.ended,
            next_thought=np.zeros(shape[:2]),
            state_for=np.zeros(shape[:2]),
            thought_there=thought_there,
            due=due,
            at_end=at_end,
            short_told=short_told,
            fresh=fresh,
            glanced=np.full(shape[:2], -1, dtype=np.int64),
            freeze=freeze,
        )
        self.laid_timing = laid_out(TimingColumns, self.timing)

    def _is_alike(self, before: int, v: int, a: int) -> bool:
        """Whether an agent has the very same states, paces and others around it in a variant."""
        if self.ladders.ladders[before][a] is not self.ladders.ladders[v][a]:
            return False
        one, other, paces = self.setups[before], self.setups[v], self.motion.paces
        same_team = one.cast is other.cast or (self._team_of[before] == self._team_of[v]).all()
        return bool(same_team) and bool((paces[before, a] == paces[v, a]).all())

    def begin_tick(self, tick: int, time: float, senses: Senses) -> None:
        """A tick begins, at which nothing has happened yet."""
        self.time, self.senses = time, senses
        self.taken, self.happenings = [], []
        self.outcomes.begin(senses.poses, time)
        self.ladders.begin(tick)
        self.thinking.seeker.forget_snapshots()

    def prepare(self) -> None:
        """Grow the ground, drop disproved beliefs, and tend doors, as far as there is anything."""
        if self._grows:
            self._grow_ground(self.senses.poses)
        for v, a, slot in np.argwhere(plain(self.upkeep).is_empty).tolist():
            self._disprove(v, a, slot)
        if self.doors.walls:
            self._tend_doors()
            self._note_openings()

    def _note_openings(self) -> None:
        """Note when the next door that somebody opens is open."""
        opening = (until for _, until in self._opening.values())
        self._next_opening[0] = min(opening, default=np.inf)

    def begin_to_open(self) -> None:
        """Let agents begin to open the doors that they come to, on the paths they are on now."""
        motion = self.motion
        for v, a in where(motion.driven & motion.on_way & (motion.link < 0)):
            radius = float(self._radii[v, self.characters[a]])
            reach = float(motion.pace[v, a]) * self.dt + DOORSTEP
            if (
                (v, a) in self._opening
                or self.ended[v]
                or self.outcomes.removed[v, self.characters[a]]
            ):
                continue
            wall = self.doors.ahead(v, self._here(v, a), motion.before_link(v, a), reach, radius)
            link = motion.link_within(v, a, reach) if wall < 0 else -1
            if link >= 0:
                shut = [
                    each
                    for each in self.level.link_doors[link]
                    if not self.doors.is_open_soon(v, each)
                ]
                wall = min(shut, default=-1)
            if wall >= 0 and wall in self.doors.may_open(v, self._names_of(v, self.agents[a])):
                self._opening[v, a] = wall, self.time + self.doors.rules_of(v, wall).seconds
                motion.holds[v, a] = True
        self._note_openings()

    def _tend_doors(self) -> None:
        """Open doors for those that have waited for them, and let doors shut by themselves."""
        poses, motion = self.senses.poses, self.motion
        for (v, a), (wall, until) in list(self._opening.items()):
            if self.time >= until - SLACK:
                del self._opening[v, a]
                motion.holds[v, a] = False
                self.outcomes.turn(v, self.level.wall_names[wall], "open", a, ON_ITS_WAY)
        self._let_through(poses)
        for v in np.flatnonzero((self.doors.shuts_at <= self.time + SLACK).any(axis=1)).tolist():
            p = v if len(poses.x) > 1 else 0
            there = poses.present[p]
            places = np.stack([poses.x[p], poses.y[p], poses.z[p]], axis=1)[there]
            for name in self.doors.to_shut(v, self.time, places, self._radii[v, there]):
                self.outcomes.turn(v, name, "shut", NOBODY, BY_ITSELF)

    def _let_through(self, poses: Poses) -> None:
        """Open doors at once for characters moved from outside that would walk into them."""
        if self.ladders.tick == 0:
            return
        before = self._poses_of[1 if poses is self._poses_of[0] else 0]
        along = np.stack([poses.x - before.x, poses.y - before.y], axis=2)
        moves = (np.hypot(*along.T).T > SLACK) & poses.present & before.present
        agents = {j: a for a, j in enumerate(self.characters.tolist())}
        for p, j in where(moves):  # who comes in comes from nowhere
            for v in [p] if len(along) > 1 else range(len(self.setups)):
                a = agents.get(j, NOBODY)
                if not self.ended[v] and (a < 0 or not self.motion.driven[v, a]):
                    here = np.array([poses.x[p, j], poses.y[p, j], poses.z[p, j]])
                    self._open_ahead_of(v, a, j, here, along[p, j])

    def _open_ahead_of(self, v: int, a: int, j: int, here: Numbers, along: Numbers) -> None:
        """Open the door that a character would walk into, given its last step, m."""
        radius, far, name = float(self._radii[v, j]), float(np.hypot(*along)), self.names[j]
        reach = far + DOORSTEP
        end = here[:2] + along * ((reach + radius) / far)
        wall = self.doors.ahead(v, here, end[None], reach, radius)
        if wall >= 0 and wall in self.doors.may_open(v, self._names_of(v, name)):
            cause = f"{name} comes through" if a < 0 else ON_ITS_WAY
            self.outcomes.turn(v, self.level.wall_names[wall], "open", a, cause, who=j)

    def mind_turns(self) -> None:
        """Update which doors are open and lights lit, for the next tick's conditions."""
        self.read_turns(self.named, self.ladders.asked)

    def read_turns(self, named: NamedSignals, asked: Sequence[tuple[int, Node]]) -> None:
        """Let what conditions ask for with a name have the doors and lights as they are now."""
        which = plain(named).which
        for n, (_, node) in enumerate(asked):
            if NAMED[node.word] == IS_ON:
                which[n] = self.doors.are_on(node.word, node.parts[0].word)[:, None]

    def mind_doors(self) -> None:
        """Doors have opened or shut: everybody on a path plans again."""
        for v in np.flatnonzero(self.doors.changed).tolist():
            self.thinking.mind_doors(v)
        self.doors.changed[...] = False

    def mind_clues(self, tells: TellStage) -> None:
        """Find who sees to clues at this tick, and which clues are present at the next."""
        at = self.senses.laid_poses, self.time, self.dt
        if self.clues.any and mind_clues(self.upkeep, self.stage, tells, *at):
            self.tell_clues()

    def tell_clues(self) -> None:
        """Tell who has seen to clues, and let go what is in order again."""
        news, poses = self.clues.news, self.senses.poses
        for v, j, a in np.argwhere(news.swapaxes(1, 2) & SEEN_TO).tolist():
            self._has_seen_to[v, a] = True
            self.happenings.append(Happening(v, a, "seen_to", j, *poses.place(v, j)))
        for v, a, j in np.argwhere(news & IN_ORDER).tolist():
            forget(self.senses.beliefs, (v, a, j))  # it knows that it is in order again
            self.senses.meters.value[v, a, j] = 0.0

    def _names_of(self, v: int, name: str) -> tuple[str, ...]:
        """The names that a character goes by: its own, and its profile's."""
        return self.setups[v].names_of(name)

    def take_transitions(self) -> bool:
        """Take the transitions that are due; return whether they have effects."""
        self.company.hold_back(self._routine_rank)
        self.taken = self.ladders.take(self.laid_signals)
        for step in self.taken:
            self._enter(step.variant, step.agent)
        for step in self.taken:
            self.thinking.leave(step)
            self._begin(step.variant, step.agent, step.before)
        self._tell_reactions()
        return self._apply_outcomes()

    def catch(self) -> None:
        """What comes of those that are newly caught, and what the game does to characters."""
        self._catch_targets(self.senses.poses)
        self.outcomes.give_due(self.time, self.ended)
        away = self.outcomes.removed.copy()
        for spawn in self.outcomes.spawned:
            away[spawn.variant, spawn.who] = True  # it does nothing at this tick yet
        self.ladders.out[...] = away[:, self.characters]

    def agent_of(self, j: int) -> int:
        """Which agent a character is, by index; NOBODY if it senses nothing."""
        found = np.flatnonzero(self.characters == j)
        return int(found[0]) if len(found) else NOBODY

    def let_in(self, spawn: Spawn) -> None:
        """A character is spawned, with nothing left of its former self."""
        v, j, effect = spawn.variant, spawn.who, spawn.effect
        a, name = self.agent_of(j), self.names[j]
        member, motion = self.setups[v].cast[name], self.motion
        at = effect.at or member.at
        if at is not None and name not in self._tracked:
            up = effect.z if effect.z is not None else member.z
            z = self.level.stands_at(*at, up)
            heading = float(np.radians(member.facing if effect.facing is None else effect.facing))
            if a == NOBODY or not motion.driven[v, a]:
                self._set_down(v, j, at, z, heading, POSTURES.index(member.posture))
            else:
                motion.x[v, a], motion.y[v, a], motion.z[v, a] = *at, z
                motion.heading[v, a] = motion.home_heading[v, a] = heading
            if a != NOBODY and member.home is None:
                home_z = z if self.level.data.floors else np.nan
                motion.home_x[v, a], motion.home_y[v, a], motion.home_z[v, a] = *at, home_z
        if a == NOBODY:
            return
        self.ladders.out[v, a] = False
        self.thinking.let_in(v, a)
        self._opening.pop((v, a), None)
        if self.ladders.used[v, a]:
            self.taken.append(self.ladders.put(v, a, ""))
            self._enter(v, a)
            self._begin(v, a, NO_LADDER)

    def _set_down(self, v: int, j: int, at: Place, z: float, heading: float, posture: int) -> None:
        """Put a character that is moved from outside elsewhere, from the next tick."""
        if self._given is None:
            self.clues.put[v, j] = (*at, z, posture, heading)
            return
        given, g = self._given, min(v, self._given.x.shape[1] - 1)
        given.x[0, g, j], given.y[0, g, j], given.z[0, g, j] = *at, z
        given.heading[0, g, j], given.posture[0, g, j] = heading, posture

    def put(self, put: Put) -> None:
        """Somebody is put into a state, as if it had entered it by itself."""
        v, a = put.variant, self.agent_of(put.who)
        focus = int(self.attention.focus[v, a])
        step = self.ladders.put(v, a, put.state)._replace(focus=focus)
        self._enter(v, a)
        self.thinking.leave(step)
        self._begin(v, a, step.before)
        self.taken.append(step)
        self._apply(step)

    def lay_out(self, senses: Senses) -> None:
        """Lay out all that a tick reads and writes."""
        self.senses = senses
        stage = BodyStage(
            dt=self.dt,
            any_tracked=bool((~self.motion.driven).any()),
            characters=self.characters,
            bodies=self._laid_bodies,
            zones=laid_out(ZoneColumns, self.level.zones),
            floors=self.level.floors,
            links=self.level.links,
            surroundings=laid_out(SurroundingColumns, senses.surroundings),
            light=senses.light,
            sight=laid_out(SightColumns, senses.sight),
            contacts=laid_out(ContactColumns, senses.contacts),
            loudness=senses.loudness,
            meters=laid_out(MeterColumns, senses.meters),
            beliefs=senses.laid_beliefs,
            told=senses.told,
            told_rank=senses.told_rank,
            drawn=senses.places.laid,
            focus_numbers=self.attention.laid_numbers,
            attended=self.attention.laid,
            standing=self._standing,
            sees_me=self.sees_me,
            search_done=self.search_done,
            has_caught=self._has_caught,
            was_caught=self._was_caught,
            has_seen_to=self._has_seen_to,
            doing=self.thinking.laid,
            signals=self.laid_signals,
            ladders=self.ladders.laid,
            timing=self.laid_timing,
            catches=self._catches,
            reach=self._catch,
            caught=self.caught,
            stuck=self._stuck,
            newly_stuck=self._newly_stuck,
            any_speeds=len(self._speeds) > 0,
            speed_first=self._speed_first,
            speed_last=self._speed_last,
            speeds=self._speeds,
        )
        self.stage = laid_out(BodyStageColumns, stage)
        self.named = laid_out(NamedColumns, self.named_of(self.ladders.asked))
        self.upkeep = laid_out(UpkeepColumns, self._upkeep())

    def _upkeep(self) -> Upkeep:
        doors, clues = self.doors, self.clues
        links = [sorted(each) for each in self.level.link_doors]
        starts = np.cumsum([0, *map(len, links)])
        return Upkeep(
            disproves=not np.isnan(self._seen_empty).all(),
            seen_empty=self._seen_empty,
            empty_for=self.empty_for,
            is_empty=np.zeros(self.empty_for.shape, dtype=np.bool_),
            outlook=self.outlook,
            spot=np.zeros((1, 3)),
            looked=np.zeros(1, dtype=np.bool_),
            any_ignores=bool(self._ignores.any()),
            ignores=self._ignores,
            ignored=self.ignored,
            doors=np.array(doors.walls, np.int32),
            boxes=doors.boxes,
            opened=doors.opened,
            turned=doors.changed,
            shuts_at=doors.shuts_at,
            radii=self._radii,
            next_opening=self._next_opening,
            link_starts=starts.astype(np.int32),
            link_doors=np.array([wall for each in links for wall in each], np.int32),
            grows=self._grows,
            bounds=self._bounds,
            any_clues=clues.any,
            clue=clues.kind,
            clue_of=clues.of,
            clue_on=clues.on,
            seconds=clues.seconds,
            within=clues.within,
            reach=clues.reach,
            lit=doors.lit,
            removed=self.outcomes.removed,
            since=clues.since,
            lay=clues.lay,
            away=clues.away,
            put=clues.put,
            seen_to=clues.seen_to,
            routine_rank=self._routine_rank,
            news=clues.news,
            keeps_apart=self.company.keeps_apart,
            apart=self.company.apart,
            passing=self.company.passing,
        )

    def entered_at(self, v: int, a: int) -> Numbers:
        """(3,) where an agent was when it entered its state, m."""
        return (self._here(v, a) if np.isnan(self.entered[v, a, 0]) else self.entered[v, a]).copy()

    def rooms_for_poses(self, given: Poses, *, pushed: bool) -> tuple[PlaceStage, list[PoseRoom]]:
        """Arrays for the poses of even and odd ticks, and the positions given from outside.

        Args:
            given: (tick, variant or 1, character) those who are not moved here.
            pushed: Whether a game writes to that.
        """
        self._given = plain(given) if pushed else None
        # Where nobody moves, does anything or can be taken out, all variants are alike.
        alike = plain(given).x.shape[1] == 1 and not self.active
        shape = (1 if alike else len(self.setups), len(self.names))
        placed = PlaceStage(
            given, self.characters, self.outcomes.removed, self.clues.away, self.clues.put
        )
        stage = laid_out(PlaceStageColumns, placed)
        rooms = [_room_for_poses(shape) for _ in range(2)]
        for room in rooms:  # before the first tick everybody is where it is at that
            place(stage, 0, self.motion.now, room.to_write)
        self._poses_of = tuple(room.poses for room in rooms)
        return stage, rooms

    def _tell_reactions(self) -> None:
        """Transitions that agents begin to react to, and those that they then do not take."""
        left = {(step.variant, step.agent) for step in self.taken}
        for kind, transitions in (
            ("reacts", self.ladders.reacting),
            ("ignored", self.ladders.dropped),
        ):
            for v, a, c in transitions:
                if (v, a) not in left:
                    ladder = self.ladders.ladders[v][a]
                    name = list(ladder.transitions)[c] if ladder else ""
                    focus = max(int(self.attention.focus[v, a]), NOBODY)
                    self.happenings.append(
                        Happening(v, a, kind, focus, *self.motion.place(v, a), name)
                    )

    def _here(self, v: int, a: int) -> Numbers:
        return np.array(self.motion.place(v, a))

    def _apply_outcomes(self) -> bool:
        """Carry out the effects of transitions; return whether there were any."""
        comes = [self._apply(step) for step in self.taken]
        return any(comes)

    def _apply(self, step: Step) -> bool:
        """What comes of a transition, and of the state that it leads to; whether anything does."""
        v, a = step.variant, step.agent
        if (v, a) not in self._effects:
            self._effects[v, a] = _effects_of(self.ladders.ladders[v][a])
        taken, entered = self._effects[v, a]
        causes = [] if step.transition == NO_TRANSITION else [taken[step.transition]]
        comes = False
        for effect, cause in (*causes, entered[step.after]):
            if effect is not None:
                self.outcomes.apply(effect, v, a, step.focus, cause)
                comes = True
        return comes

    def _grow_ground(self, poses: Poses) -> None:
        """Grow the ground of a live game around everybody who is present, with a margin."""
        for v, (low_x, low_y, high_x, high_y) in enumerate(self._bounds.tolist()):
            p = v if len(poses.x) > 1 else 0
            x, y = poses.x[p, poses.present[p]], poses.y[p, poses.present[p]]
            if len(x) == 0:
                continue
            low = [min(end, at - ROOM) if at < end else end for end, at in
                   ((low_x, float(x.min())), (low_y, float(y.min())))]  # fmt: skip
            high = [max(end, at + ROOM) if at > end else end for end, at in
                    ((high_x, float(x.max())), (high_y, float(y.max())))]  # fmt: skip
            if [*low, *high] != [low_x, low_y, high_x, high_y]:
                self._bounds[v] = *low, *high
                self.thinking.forget_ground(v)

    def _disprove(self, v: int, a: int, slot: int) -> None:
        """Drop a belief of an agent that sees the position empty; the last is a place."""
        beliefs, places = self.senses.beliefs, self.senses.places
        self.empty_for[v, a, slot] = 0.0  # what is believed next is looked at anew
        if slot == len(self.names):
            drawn = places.drawn
            x, y, z = (float(of[v, a]) for of in (drawn.x, drawn.y, drawn.z))
            places.drop(v, a)
        else:
            x, y, z = (float(of[v, a, slot]) for of in (beliefs.x, beliefs.y, beliefs.z))
            forget(beliefs, (v, a, slot))
        who = NOBODY if slot == len(self.names) else slot
        self.happenings.append(Happening(v, a, "disproved", who, x, y, z))

    def present(self, characters: NDArray[np.int32]) -> Truths:
        """(variant, of these) who is there at this tick."""
        there = self.senses.poses.present[:, characters]
        return np.broadcast_to(there, (len(self.setups), len(characters)))

    @property
    def asleep(self) -> Truths:
        """(variant, agent) who sleeps, by the state that it is in."""
        state = np.maximum(self.ladders.state, 0)[:, :, None]
        found: Truths = np.take_along_axis(self._asleep, state, axis=2)[:, :, 0]
        return found

    def named_of(self, asked: Sequence[tuple[int, Node]]) -> NamedSignals:
        """Pack calls of the language of conditions, with the rows for them, into arrays."""
        named = NamedSignals.blank(len(asked), self.search_done.shape)
        for n, (row, node) in enumerate(asked):
            name = node.parts[0].word
            kind = named.kind[n] = NAMED[node.word]
            named.row[n] = row
            if kind in (IN_ZONE, TARGET_IN_ZONE):
                named.zone[n] = self.level.zone_index(name)
            elif kind == IS_ON:
                named.which[n] = self.doors.are_on(node.word, name)[:, None]
            elif kind == OBSERVED_BY:
                named.which[n] = self._team_of == name
            elif kind == FELT_BY:
                named.which[n] = TOUCH if name == "touch" else ZONE
            else:
                cones = [[list(s.profile_of(a).cones) for a in self.agents] for s in self.setups]
                which = [[each.index(name) if name in each else -1 for each in r] for r in cones]
                named.which[n] = np.array(which, np.int32).reshape(named.which[n].shape)
        return named

    def _laid_out_entries(self) -> EntryStage:
        """What changes when an agent enters a state, as compiled loops read it."""
        count = [[len(states) for _, states in row] for row in self._states]
        stage = EntryStage(
            state=self.ladders.state,
            states=np.array(count, dtype=np.int64).reshape(self.ladders.state.shape),
            rank=self.ladders.rank,
            own_awake=self._awake.copy(),
            awake_in=self._awake_in,
            awake=self._awake,
            limits_in=self.cone_limits,
            limits=self._limits,
            **self._stances,
            kind=self.thinking.kinds,
            entered=self.entered,
            routine=self.thinking.doing.routine,
            has_caught=self._has_caught,
            was_caught=self._was_caught,
            has_seen_to=self._has_seen_to,
            doing=self.thinking.laid,
            timing=self.laid_timing,
        )
        return laid_out(EntryStageColumns, stage)

    def _enter(self, v: int, a: int) -> None:
        """Let an agent stand as in the state that it is in now."""
        stand_as_in_state(self._entries, self.motion.now, v, a)

    def _begin(self, v: int, a: int, before: int) -> None:
        """Begin what an agent does in the state that it is in now; `before` is the one left."""
        begin_in_state(self._entries, self.motion.now, v, a, before)
        self.thinking.begin(v, a)

    def _catch_targets(self, poses: Poses) -> None:
        """What comes of those that are newly caught."""
        if not self._catches:
            return
        for v, a, j in where(self.caught == NEWLY):
            if self.clues.is_clue[j]:  # nobody is there
                continue
            place = poses.place(int(v), int(j))
            self.happenings.append(Happening(int(v), int(a), "caught", int(j), *place))
            self._has_caught[v, a] = True
            self._was_caught[v, self.characters == j] = True
            if self._ends[v, a, self.ladders.state[v, a]] and not self.ended[v]:
                self.ended[v] = self.newly_ended = True
            catch = self.state_of(v, a).catch
            if catch is not None:
                cause = f"caught {self.names[j]}"
                self.outcomes.apply(catch.then, int(v), int(a), int(j), cause)

    def tell_stuck(self) -> None:
        """Record agents that became stuck."""
        for v, a in where(self._newly_stuck):
            self.happenings.append(Happening(v, a, "stuck", NOBODY, *self.motion.place(v, a)))

    def glance(self) -> None:
        """Draw when the next glance begins, and to where, of those that have begun a period."""
        motion, timing = self.motion, self.timing
        for v, a in where(timing.fresh):
            entry, n = int(self.ladders.entries[v, a]), int(timing.glanced[v, a])
            name = self.agents[a]
            when, side = stream_at_once(self.setups[v].seed, "glance", name, entry, n).random(2)
            motion.glance_at[v, a] = (n + when * (1.0 - GLANCE)) * motion.period[v, a]
            motion.glance_by[v, a] = (2.0 * side - 1.0) * motion.swing[v, a]

    @property
    def notes(self) -> list[Note]:
        """What searches noted at the last tick."""
        return self.thinking.seeker.notes

    @property
    def snapshots(self) -> list[Snapshot]:
        """Where the targets of searches may be, kept at the last tick."""
        return self.thinking.seeker.snapshots

    # What activities ask for.

    @property
    def footing(self) -> Footing:
        """The paths over the ground."""
        return self.thinking

    def state_name(self, v: int, a: int) -> str:
        """The name of the state that an agent is in."""
        names = self._states[v][a][0]
        return names[self.ladders.state[v, a]] if names else ""

    def states_of(self, v: int, a: int) -> list[State]:
        """The states of an agent's ladder; none without one."""
        return self._states[v][a][1]

    def state_of(self, v: int, a: int) -> State:
        """The state that an agent is in."""
        states = self._states[v][a][1]
        return states[self.ladders.state[v, a]] if states else State()

    def ways_of(self, v: int, name: str, also: frozenset[int] = frozenset()) -> Ways:
        """The paths for a character: with its clearance, links and doors.

        Others may open the doors of `also`, by number.
        """
        member, whom = self.setups[v].cast[name], self._names_of(v, name)
        return self.level.ways(
            clearance=self.setups[v].body_of(name).radius,
            within=member.leash.zone if member.leash else None,
            bounds=tuple(self._bounds[v].tolist()),
            z=member.z,
            who=whom,
            opened=self.doors.open_for(v, whom) | also,
        )

    def make_ready(self) -> None:
        """Find the paths of everybody who walks, and what may be in the way.

        Else that is done when it is first needed.
        """
        for v, a in where(self.motion.driven & self.ladders.used):
            name = self.agents[a]
            whom = self._names_of(v, name)
            z = self.setups[v].cast[name].z
            self.level.ways(z=z, who=whom, opened=self.doors.open_for(v, whom))
            self.ways_of(v, name).make_ready()
            if not self.level.data.floors:
                self.level.bars_at(float(self.motion.z[v, a]))
        for floor in range(len(self.level.data.floors)):
            self.level.bars_on(floor)

    def new_walker(self, v: int, a: int, also: frozenset[int] = frozenset()) -> Walker:
        """The ground that an agent walks on; as if doors were open, given by number."""
        whom = self._names_of(v, self.agents[a])
        z, opened = self.setups[v].cast[self.agents[a]].z, self.doors.open_for(v, whom) | also
        ways = free = self.level.ways(z=z, who=whom, opened=opened)
        if self.motion.driven[v, a]:
            ways = self.ways_of(v, self.agents[a], also)
        return Walker(ways, free, self._here(v, a))

    def route_of(self, v: int, a: int, name: str | None) -> Numbers:
        """The corners, (corners, 3), of a route, or of the agent's own; none if it has none."""
        name = name or self.setups[v].cast[self.agents[a]].route
        return self._routes[name] if name is not None else np.zeros((0, 3))


def _routine_rank(ladder: Ladder | None) -> float:
    """The rank of states in which nobody acts on anything; below all if they are all alike."""
    ranks = {ladder.rank_of(name) for name in ladder.states} if ladder else set()
    return min(ranks) if len(ranks) > 1 else -np.inf


def _effects_of(ladder: Ladder | None) -> tuple[list[Caused], list[Caused]]:
    """What comes of each transition, and of each state that is entered, with the name of that."""
    if ladder is None:
        return [], []
    taken = [(each.then, name) for name, each in ladder.transitions.items()]
    return taken, [(each.then, name) for name, each in ladder.states.items()]


def _middles(
    setup: Setup, member: Member, tracks: Mapping[str, TrackData], about: str | None
) -> list[Place]:
    """Positions, m, whose bounding box contains every known centre of a ring."""
    if about in (None, "home"):
        found = member.home or member.at
    elif about == "start":
        found = member.at or member.home
    elif about == "here":
        return []
    elif about in tracks:
        x, y = tracks[about].x, tracks[about].y
        return [(float(end(x)), float(end(y))) for end in (np.min, np.max)]
    else:
        found = setup.cast[about or ""].at
    return [found] if found is not None else []


class PoseRoom(NamedTuple):
    """Room for the poses of a tick."""

    poses: Poses
    laid: Poses  # as compiled loops read it
    to_write: Poses  # as they write it


def _room_for_poses(shape: tuple[int, int]) -> PoseRoom:
    x, y, z, heading = np.zeros((4, *shape))
    posture, gait = np.zeros((2, *shape), dtype=np.int8)
    room = in_one(Poses(x, y, z, heading, posture, gait, np.zeros(shape, dtype=np.bool_)))
    return PoseRoom(room, laid_out(PoseColumns, room), laid_out(PlacedColumns, room))
