"""Snelk in a running game: poses and noises go in at each tick, events and states come out."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from snelk.config.fields import LONGEST
from snelk.config.minds import MOST_OF_AN_ATTRIBUTE
from snelk.config.models import Change, Effect, Setup
from snelk.config.reading import read_bytes
from snelk.config.scenario import MOST_TICKS, Scenario, as_scenario
from snelk.config.words import GAITS, POSTURES
from snelk.engine.simulation import Simulation
from snelk.errors import InputError, one_of
from snelk.files import claim, written
from snelk.level.columns import plain
from snelk.level.visible import visible_region
from snelk.mind.ladder import NO_TRANSITION
from snelk.mind.memory import NO_BELIEF, SOURCES, uncertainty
from snelk.runs.answers import Answer
from snelk.runs.events import EVENT_KINDS, Event
from snelk.runs.finding import EventFinder, find_hearing, without_former
from snelk.runs.keeping import Keeping
from snelk.runs.mind_events import find_minds
from snelk.runs.minds import Searches, outside_row
from snelk.runs.readout import Readout, read_out
from snelk.runs.recent import Recent
from snelk.runs.run import Run
from snelk.runs.saving import kept, taken_up
from snelk.runs.spare import nowhere_in, with_spare
from snelk.runs.standing import awake_at, cones_at
from snelk.runs.turning import level_at
from snelk.senses.bodies import Poses
from snelk.senses.hearing import Heard, Noises
from snelk.senses.sight import IN_VIEW


@dataclass(frozen=True)
class Pose:
    """The pose of one character.

    Attributes:
        x, y, z: m.
        heading_deg: Degrees counter-clockwise from +x, -180 to below 180.
        posture: `standing`, `crouched` or `prone`.
    """

    x: float
    y: float
    z: float
    heading_deg: float
    posture: str


@dataclass(frozen=True)
class Belief:
    """An agent's belief about a target: position in m, age in s, uncertainty in m, and its source.

    `z` is the height of its feet there, m.
    """

    x: float
    y: float
    age: float
    uncertainty: float
    source: str
    z: float = 0.0


class FootPath(NamedTuple):
    """A path on foot: the points where it turns, (x, y, z) in m, the goal last; its length, m.

    The risers of steps are not counted.
    """

    places: list[tuple[float, float, float]]
    length: float


class _Asked(NamedTuple):
    """The arguments a game was started with."""

    pushed: tuple[str, ...]
    duration: float
    spare: dict[str, int]


class Live:
    """A scenario that a game steps in its own loop.

    Characters with a track in the scenario, and those in `pushed`, are moved by the game: absent
        until the first push, then where they were last pushed. Standing characters can be pushed as
        well. All others with a ladder and `movement` are moved by Snelk; the game reads their
        position with `pose`.
    Everything else is as in a run: the same input gives the same events, to the last digit.

    Args:
        scenario: A TOML file, or what `load` returned. Its tracks are not replayed; its noises
            and throws are, at their times.
        pushed: Characters that the game moves instead of Snelk.
        duration: The longest duration of the game, s.
        spare: Room for more characters, to be spawned while the game runs: by a character of the
            cast how many others like it.
        record: A folder to record the input of the game, tick by tick: a scenario that replays
            to the same tables.
        remembers: How long it keeps the results of each tick, to answer `why`, s.

    Attributes:
        names, agents: All characters, and the agents among them.
        t: Time of the last tick, s; NaN before the first.
        dt: Length of a tick, s.
        remembers: As given.

    Raises:
        InputError: The scenario has errors, a name is unknown, there would be too many ticks,
            or the folder is not empty.

    >>> import snelk
    >>> live = Live(snelk.croft() / "night.toml")
    >>> live.push("fox", x=33.0, y=19.0, heading_deg=90.0)
    >>> [event.text for event in live.step() if event.agent == "goose-1"][0]
    'goose-1 saw fox (wide cone, 4.1 m, 4° off)'
    >>> live.in_view("goose-1", "fox"), live.state("goose-1")
    (True, 'scattering')
    """

    def __init__(
        self,
        scenario: str | Path | Scenario,
        *,
        pushed: Sequence[str] = (),
        duration: float = 3600.0,
        spare: Mapping[str, int] | None = None,
        record: str | Path | None = None,
        remembers: float = 10.0,
    ) -> None:
        if not 0.0 <= remembers <= MOST_REMEMBERED:
            rule = f"must be from 0 to {MOST_REMEMBERED:g} s"
            raise InputError.of("remembers", "", f"{remembers:g} s", rule)
        self.remembers = remembers
        scenario = as_scenario(scenario)
        self._asked = _Asked(tuple(pushed), duration, dict(spare or {}))
        scenario, self._slots = with_spare(scenario, spare or {})
        names = tuple(scenario.setup.cast)
        for name in pushed:
            one_of(name, names, source="pushed", place="", what="character")
        clock = scenario.setup.clock
        if not 0.0 < duration <= clock.dt * MOST_TICKS:
            rule = f"must be above 0 and at most {clock.dt * MOST_TICKS:g} s"
            raise InputError.of("duration", "", f"{duration:g} s", rule)
        scenario = scenario.changed({"clock.end": clock.start + duration})
        moved = (*scenario.tracks, *pushed, *(n for o in pushed for n in self._slots.get(o, ())))
        nowhere = nowhere_in(scenario)
        tracks = {name: nowhere for name in names if name in moved}
        self._simulation = Simulation(replace(scenario, tracks=tracks, played=None), pushed=True)
        simulation = self._simulation
        simulation.make_ready()
        self.names, self.agents, self.dt = names, simulation.agents, clock.dt
        self.t = math.nan
        driven = simulation.world.motion.driven[0]
        self._driven = {agent for agent, moves in zip(self.agents, driven, strict=True) if moves}
        self._finder = EventFinder(simulation)
        self._last_steps: dict[tuple[int, int], float] = {}
        self._noises: list[Noises] = []
        self._recent = Recent(math.ceil(remembers / clock.dt))
        self._searches = Searches(simulation)
        self._states = self._first_states()
        self._before = Poses._make(values.copy() for values in simulation.given)
        self._frame_end = clock.start
        self._jumps: set[int] = set()
        self._record: Keeping | None = None
        self._scenario = scenario
        if record is not None:
            self._record = Keeping(record, scenario, simulation.given, self._given)

    @property
    def _given(self) -> dict[str, int]:
        """Whose poses the game may push, each with its number."""
        cast = self._simulation.setups[0].cast
        return {
            name: j
            for j, name in enumerate(self.names)
            if name not in self._driven and cast[name].clue is None
        }

    @property
    def over(self) -> bool:
        """Whether it has been stepped for its whole duration, or the run has ended before."""
        return self._simulation.done

    def push(
        self,
        name: str,
        *,
        x: float,
        y: float,
        heading_deg: float,
        z: float = 0.0,
        posture: str = "standing",
        gait: str | None = None,
        present: bool = True,
        jumps: bool = False,
    ) -> None:
        """Set the pose of a character from the next tick; with `frame`, at the end of the frame.

        Args:
            name: The character.
            x: m, within 100,000 of the origin; so are y and z.
            y: m.
            heading_deg: Degrees counter-clockwise from +x.
            z: Height of the ground it stands on, m.
            posture: `standing`, `crouched` or `prone`.
            gait: `still`, `creeping`, `walking` or `running`; taken from its speed if None.
            present: Whether it is present.
            jumps: Whether it was teleported there.

        Raises:
            InputError: The name is unknown, Snelk moves the character, or a value is out of range.
        """
        one_of(name, self.names, source="push", place="", what="character")
        if name in self._driven:
            fix = f'name it in Live(pushed=["{name}"]) if the game moves it'
            raise InputError.of("push", "", f'"{name}"', "is moved by Snelk", fix)
        self._refuse_clue(name, "push")
        _check_range("push", name, {"x": x, "y": y, "z": z, "heading_deg": heading_deg})
        one_of(posture, POSTURES, source="push", place=f"{name}.posture", what="posture")
        if gait is not None:
            one_of(gait, GAITS, source="push", place=f"{name}.gait", what="gait")
        given, j = self._simulation.given, self.names.index(name)
        given.x[0, 0, j], given.y[0, 0, j], given.z[0, 0, j] = x, y, z
        # Between two places it turns along the shorter arc.
        before, heading = float(self._before.heading[0, 0, j]), math.radians(heading_deg)
        given.heading[0, 0, j] = heading + math.tau * round((before - heading) / math.tau)
        (self._jumps.add if jumps else self._jumps.discard)(j)
        given.posture[0, 0, j] = POSTURES.index(posture)
        given.gait[0, 0, j] = -1 if gait is None else GAITS.index(gait)
        given.present[0, 0, j] = present

    def noise(
        self,
        kind: str,
        *,
        x: float,
        y: float,
        z: float = 0.0,
        reach: float | None = None,
        by: str | None = None,
    ) -> None:
        """Make a noise at the next tick.

        Args:
            kind: One of the scenario's `noise_kinds`, or any word with a `reach`.
            x: m.
            y: m.
            z: m.
            reach: How far it carries to an ordinary ear in the open, m; that of its kind if None.
            by: Who made it; nobody if None, and then every agent with ears can hear it.

        Raises:
            InputError: The kind is unknown and has no reach, or a value is out of range.
        """
        kinds = self._simulation.setups[0].noise_kinds
        if reach is None:
            one_of(kind, kinds, source="noise", place="", what="kind of noise without a reach")
            reach = kinds[kind].reach
        if by is not None:
            one_of(by, self.names, source="noise", place="by", what="character")
        for what, value in {"x": x, "y": y, "z": z, "reach": reach}.items():
            if not abs(value) <= LONGEST or (what == "reach" and value <= 0):
                raise InputError.of("noise", what, f"{value:g} m", "is out of range")
        place = float(x), float(y), float(z)
        self._simulation.maker.give(kind, place, float(reach), by)
        if self._record is not None:
            self._record.noise(kind, place, float(reach), by)

    def effect(
        self,
        of: str,
        *,
        set: Mapping[str, float] | None = None,
        add: Mapping[str, float] | None = None,
        removes: bool = False,
    ) -> None:
        """Do something to a character at the next tick, such as a hit; it holds from then on.

        Args:
            of: The character.
            set: Attributes that get a value.
            add: Attributes that grow by so much, or shrink if below 0.
            removes: Whether it is taken out for good.

        Raises:
            InputError: Nobody has that name, no attribute is known by it, or a number is wrong.
        """
        one_of(of, self.names, source="effect", place="of", what="character")
        known = self._simulation.setups[0].attributes
        for key, given in (("set", set or {}), ("add", add or {})):
            for name, value in given.items():
                one_of(name, known, source="effect", place=key, what="attribute")
                if not abs(value) <= MOST_OF_AN_ATTRIBUTE:
                    rule = f"must be a number within ±{MOST_OF_AN_ATTRIBUTE:g}"
                    raise InputError.of("effect", f"{key}.{name}", f"{value}", rule)
        if removes:
            self._refuse_clue(of, "effect")
        self._do(Effect(t=0.0, of=of, set=dict(set or {}), add=dict(add or {}), removes=removes))

    def spawn(
        self,
        name: str = "",
        *,
        like: str = "",
        x: float | None = None,
        y: float | None = None,
        z: float | None = None,
        heading_deg: float | None = None,
    ) -> str:
        """Spawn an absent character, at the next tick.

        It has no memory, its first attributes and its first state, and nobody knows of it. Its
        random streams continue, so that two lives differ. A character that is moved by the game has
        to be pushed as well.

        Args:
            name: Who: `absent` in the cast, taken out before, or spare.
            like: Instead of a name: a character, of which the first absent `spare` one is spawned.
            x: Where, m; as in the cast if None, for characters that Snelk moves.
            y: m.
            z: Height of the ground there, m; as in the cast if None.
            heading_deg: Degrees counter-clockwise from +x; as in the cast if None.

        Returns:
            Its name.

        Raises:
            InputError: Nobody has that name, it is there, no spare one is left, or a value is out
                of range.
        """
        if (name == "") == (like == ""):
            raise InputError.of("spawn", "", "", "needs either a name or like")
        waiting = self._simulation.world.outcomes.coming
        if like:
            one_of(like, self._slots, source="spawn", place="like", what="character with spares")
            away = [each for each in self._slots[like] if self._is_away(each)]
            left = [each for each in away if each not in waiting]
            if not left:
                rule = f"all {len(self._slots[like])} spare ones are there"
                fix = "give Live more spare ones, or remove one before"
                raise InputError.of("spawn", "like", f'"{like}"', rule, fix)
            name = left[0]
        one_of(name, self.names, source="spawn", place="", what="character")
        self._refuse_clue(name, "spawn")
        if not self._is_away(name) or name in waiting:
            fix = "remove it first, or spawn another one"
            raise InputError.of("spawn", "", f'"{name}"', "is already present", fix)
        if (x is None) != (y is None):
            raise InputError.of("spawn", name, "", "needs x and y, or neither")
        place = {"x": x, "y": y, "z": z, "heading_deg": heading_deg}
        given = {key: value for key, value in place.items() if value is not None}
        _check_range("spawn", name, given)
        if name in self._simulation.scenario.tracks or x is None or y is None:
            self._do(Effect(t=0.0, of=name, spawns=True))
            if x is not None and y is not None:
                self.push(name, x=x, y=y, z=z or 0.0, heading_deg=heading_deg or 0.0, jumps=True)
            return name
        # A whole turn more or less is the same direction.
        facing = None if heading_deg is None else math.remainder(heading_deg, 360.0)
        self._do(Effect(t=0.0, of=name, spawns=True, at=(x, y), z=z, facing=facing))
        return name

    def remove(self, name: str) -> None:
        """Take somebody out at the next tick, until it is spawned again.

        Raises:
            InputError: Nobody has that name.
        """
        self.effect(name, removes=True)

    def set_state(self, agent: str, state: str) -> None:
        """Put an agent into one of its alert states at the next tick, as if it had entered it.

        Raises:
            InputError: There is no such agent or state.
        """
        self._agent(agent)
        ladder = self._simulation.setups[0].profile_of(agent).ladder
        if ladder is None:
            fix = "only agents with a ladder have alert states"
            raise InputError.of("set_state", "", f'"{agent}"', "has no ladder", fix)
        one_of(state, ladder.states, source="set_state", place=agent, what="alert state")
        self._do(Effect(t=0.0, of=agent, state=state))

    def into(
        self,
        scenario: str | Path | Scenario,
        *,
        pushed: Sequence[str] | None = None,
        duration: float | None = None,
        spare: Mapping[str, int] | None = None,
        record: str | Path | None = None,
        remembers: float | None = None,
    ) -> Live:
        """Continue in another scenario, such as the next level, with the characters in both.

        Who has the same name there brings its attributes and its alert state, and is there if it
        is here. All that is tied to places stays behind: poses, meters, beliefs, searches. Time
        begins at the other scenario's start; this game can still be asked, and stepped.

        Args:
            scenario: Where to: a TOML file, or what `load` returned.
            pushed: As for `Live`; those of this game that are there too, if None.
            duration: As for `Live`; as in this game if None.
            spare: As for `Live`; as in this game for those that are there too, if None.
            record: A folder to keep the new game in.
            remembers: As for `Live`; as in this game if None.

        Returns:
            The new game, before its first tick.

        Raises:
            InputError: As for `Live`.

        >>> import snelk
        >>> live = Live(snelk.croft() / "night.toml")
        >>> _ = live.step()
        >>> live.set_state("gander", "wary")
        >>> _ = live.step()
        >>> later = live.into(snelk.croft() / "night.toml")
        >>> _ = later.step()
        >>> later.state("gander"), later.t
        ('wary', 0.0)
        """
        scenario = as_scenario(scenario)
        cast, mine = scenario.setup.cast, self._asked
        if pushed is None:
            pushed = [name for name in mine.pushed if name in cast]
        if spare is None:
            spare = {name: count for name, count in mine.spare.items() if name in cast}
        other = Live(
            scenario, pushed=pushed, spare=spare, record=record,
            duration=mine.duration if duration is None else duration,
            remembers=self.remembers if remembers is None else remembers,
        )  # fmt: skip
        for name in (each for each in self.names if each in other.names):
            if other.setup.cast[name].clue is None:
                self._carry(other, name)
        return other

    def _carry(self, other: Live, name: str) -> None:
        """Carry a character's attributes and state into another game."""
        if self._is_away(name):
            if not other._is_away(name):
                other.remove(name)
            return
        if other._is_away(name):
            other.spawn(name)
        values = {each: self.attribute(name, each) for each in self.setup.attributes}
        known = {k: v for k, v in values.items() if k in other.setup.attributes and v == v}
        if known:
            other.effect(name, set=known)
        if name in self.agents and name in other.agents:
            ladder, state = other.setup.profile_of(name).ladder, self.state(name)
            if ladder is not None and state in ladder.states and state != next(iter(ladder.states)):
                other.set_state(name, state)

    def _is_away(self, name: str) -> bool:
        return bool(self._simulation.world.outcomes.removed[0, self.names.index(name)])

    def _refuse_clue(self, name: str, source: str) -> None:
        clue = self._simulation.setups[0].cast[name].clue
        if clue is not None:
            fix = "it appears and disappears by itself"
            raise InputError.of(source, "", f'"{name}"', f"is a clue, {clue.in_words}", fix)

    def _do(self, given: Effect | Change) -> None:
        """Let the game do something at the next tick."""
        self._simulation.world.outcomes.queue(given)
        self._simulation.world.active = True
        if self._record is not None:
            self._record.effect(given)

    def change(self, of: str, to: str) -> None:
        """Let a door open or shut, or a light go on or out, at the next tick, and so from then on.

        Args:
            of: Which: a door of the level, or a zone that the scenario's `lights` name.
            to: `open` or `shut`, `lit` or `dark`.

        Raises:
            InputError: The door or light is unknown, or cannot have that state.
        """
        one_of(to, ("open", "shut", "lit", "dark"), source="change", place="to", what="state")
        level, lights = self._simulation.level, self._simulation.setups[0].lights
        doors = [level.wall_names[wall] for wall in self._simulation.world.doors.walls]
        known, what = (doors, "door") if to in ("open", "shut") else ([*lights], "light")
        one_of(of, known, source="change", place="of", what=what)
        self._do(Change(t=0.0, of=of, to=to))  # type: ignore[arg-type]

    def attribute(self, name: str, attribute: str) -> float:
        """The current value of an attribute; NaN if the character does not have it."""
        one_of(name, self.names, source="attribute", place="", what="character")
        known = self._simulation.setups[0].attributes
        one_of(attribute, known, source="attribute", place="", what="attribute")
        values = self._simulation.world.outcomes.attributes[attribute]
        return float(values[0, self.names.index(name)])

    def step(self) -> list[Event]:
        """Compute the next tick and return what happened at it, as in the table `events`.

        Raises:
            InputError: Its duration is over, or somebody was caught in a
                state that ends the run.
        """
        simulation = self._simulation
        if simulation.done:
            rule, fix = "is over", "make a new Live with a longer duration"
            raise InputError.of("live", "", f"{self.t:g} s", rule, fix)
        placed = self._record.poses() if self._record is not None else {}
        self.t = simulation.step()
        times = np.array([self.t])
        sight, poses, meters, contacts, beliefs = (
            _one_tick(each)
            for each in (
                simulation.sight,
                simulation.poses,
                simulation.meters,
                simulation.contacts,
                simulation.beliefs,
            )
        )
        events = self._finder.find(0, times, sight, poses, meters, contacts)
        told = [(self.t, message) for message in simulation.told]
        gone = {
            (self.t, each.agent, each.target)
            for each in simulation.world.happenings
            if each.kind == "disproved"
        }
        events += self._finder.find_beliefs(0, times, beliefs, told, gone)
        self._finder.remember(sight, poses, meters, contacts, beliefs)
        events += self._hearing()
        happened = [(self.t, each) for each in simulation.world.outcomes.happenings]
        events = without_former(events, happened, self.names)
        events += self._minds()
        self._before = Poses._make(values.copy() for values in simulation.given)
        self._recent.keep(simulation, self.t)
        if self._record is not None:
            self._record.tick(self.t, placed)
        return sorted(events, key=lambda event: (event.t, EVENT_KINDS.index(event.kind)))

    def frame(self, seconds: float) -> list[Event]:
        """Compute all ticks of a frame, which may be as long or short as the game's frames are.

        Who was pushed before is at the end of the frame where it was pushed to, and on its way
        there between: places and headings are interpolated as those of a track are. Posture,
        gait, and whether it is there, are as before until then. Who is pushed before the very
        first tick is there from the beginning on.

        Args:
            seconds: Since the frame before; above 0, and at most 60.

        Returns:
            What happened at these ticks; nothing at all in a frame between two ticks.

        Raises:
            InputError: The time is wrong, or as `step`.

        >>> import snelk
        >>> live = Live(snelk.croft() / "night.toml")
        >>> live.push("fox", x=33.0, y=19.0, heading_deg=90.0)
        >>> seen = [event.text for event in live.frame(0.016) if event.agent == "goose-1"]
        >>> seen[0], live.t
        ('goose-1 saw fox (wide cone, 4.1 m, 4° off)', 0.0)
        >>> live.frame(0.016)
        []
        """
        self.check_frame(seconds)
        given, times = self._simulation.given, self._simulation.times
        begin, end = self._frame_end, self._frame_end + seconds
        to = Poses._make(values.copy() for values in given)
        start = self._before
        if self._simulation.tick == 0:
            start = to
        events: list[Event] = []
        try:
            while not self._simulation.done and times[self._simulation.tick] <= end + SLACK:
                t = float(times[self._simulation.tick])
                if t < end - SLACK:
                    _between(given, start, to, max(t - begin, 0.0), seconds, self._jumps)
                else:
                    _take_over(given, to)
                events += self.step()
        finally:
            _take_over(given, to)
        self._before, self._frame_end = to, end
        self._jumps.clear()
        return events

    def check_frame(self, seconds: float) -> None:
        """Make sure that a frame can be computed, before anything of it is put in.

        Raises:
            InputError: As `frame`.
        """
        if not 0.0 < seconds <= LONGEST_FRAME:
            rule = f"must be above 0 and at most {LONGEST_FRAME:g} s"
            raise InputError.of("frame", "seconds", f"{seconds:g} s", rule)
        if self._simulation.done:
            rule, fix = "is over", "make a new Live with a longer duration"
            raise InputError.of("live", "", f"{self.t:g} s", rule, fix)

    @property
    def ticks(self) -> int:
        """How many ticks have been computed."""
        return self._simulation.tick

    @property
    def setup(self) -> Setup:
        """All numbers of the game."""
        return self._simulation.setups[0]

    @property
    def moved_here(self) -> tuple[str, ...]:
        """The characters that Snelk moves, in the order of the cast."""
        return tuple(name for name in self.names if name in self._driven)

    def visible(self, agent: str, *, height: float | None = None) -> tuple[BaseGeometry, float]:
        """The area that an agent's cones see at the last tick, and its height.

        Args:
            agent: Whose cones.
            height: Height of the points looked for above the agent's ground, m; eye height if None.

        Returns:
            The area in plan, m², empty while it is not there or sees nothing; and its height, m.

        Raises:
            InputError: There is no such agent, or no tick has been computed yet.
        """
        self._agent(agent)
        pose, run = self.pose(agent), self.recent()
        if pose is None:
            return shapely.Polygon(), 0.0
        posture = POSTURES.index(pose.posture)
        eye = float(self._simulation.bodies.eyes[0, self.names.index(agent), posture])
        high, last = pose.z + (eye if height is None else height), len(run.times) - 1
        awake, level = awake_at(run, agent, "sight", last), level_at(run, last)
        areas = [
            visible_region(
                level, eye=(pose.x, pose.y, pose.z + eye), heading_deg=pose.heading_deg,
                fov_whole=cone.fov_whole, range=cone.range * awake, height=high,
            )
            for cone in (cones_at(run, agent, last).values() if awake > 0.0 else ())
        ]  # fmt: skip
        return shapely.union_all([shapely.union(a.clear, a.dimmed) for a in areas]), high

    def path(
        self, who: str, start: tuple[float, float, float], goal: tuple[float, float, float]
    ) -> FootPath | None:
        """The shortest path on foot for a character, with doors as they are now.

        Args:
            who: The character, for its body, territory, links and doors.
            start: (x, y, z), m.
            goal: (x, y, z), m.

        Returns: Its turning points and length; None if there is no path.

        Raises:
            InputError: Nobody has that name, or a number is out of range.
        """
        one_of(who, self.names, source="path", place="who", what="character")
        for word, place in (("start", start), ("goal", goal)):
            _check_range("path", word, dict(zip("xyz", place, strict=True)))
        world = self._simulation.world
        ways = world.ways_of(0, who)
        way = ways.way(np.array(start, dtype=np.float64), np.array(goal, dtype=np.float64))
        if way is None:
            return None
        level, found, (x0, y0, z) = self._simulation.level, [], start
        ends, length = plain(level.links).ends, 0.0
        for x, y, longer, link, floor in way.tolist():
            # A link has its length; what is walked is longer than in plan by the slope.
            length += longer if link >= 0 else math.hypot(x - x0, y - y0) * longer
            x0, y0 = x, y
            if link >= 0:
                z = float(ends[int(link), 5])
            elif floor >= 0 and level.data.floors:
                z = level.height_of(int(floor), x, y)
            else:
                z = level.stands_at(x, y, z)
            found.append((x, y, z))
        return FootPath(found, length)

    def readout(self) -> Readout:
        """What all characters sense, know and do, as arrays, after the last tick."""
        return read_out(self._simulation)

    def why(self, agent: str, target: str) -> Answer:
        """Why an agent does or does not see a target at the last tick, gate by gate.

        Only the last `remembers` seconds are known; a record has everything.

        Raises:
            InputError: There is no such agent or target, or no tick has been computed yet.

        >>> import snelk
        >>> live = Live(snelk.croft() / "night.toml")
        >>> live.push("fox", x=33.0, y=19.0, heading_deg=90.0)
        >>> _ = live.step()
        >>> live.why("goose-2", "fox").headline
        'goose-2 does not see fox at 0.00 s: too far (8.71 m, limit 8 m, wide cone)'
        """
        self._pair(agent, target)
        return self.recent().why(agent, target, at=self.t)

    def recent(self) -> Run:
        """The last `remembers` seconds as a run, for all questions.

        Raises:
            InputError: No tick has been computed yet, or it does not remember any.
        """
        if math.isnan(self.t) or not self.remembers:
            rule = "no tick has been computed yet" if self.remembers else "remembers nothing"
            fix = "step it first" if self.remembers else "make Live with a larger remembers, s"
            raise InputError.of("recent", "", "", rule, fix)
        return self._recent.run(self._simulation)

    @contextmanager
    def all_or_nothing(self) -> Iterator[None]:
        """Input within it is taken only if all of it is valid.

        >>> import contextlib, snelk
        >>> live = Live(snelk.croft() / "night.toml")
        >>> with contextlib.suppress(snelk.InputError), live.all_or_nothing():
        ...     live.push("fox", x=33.0, y=19.0, heading_deg=90.0)
        ...     live.push("fxo", x=33.0, y=19.0, heading_deg=90.0)
        >>> _ = live.step()
        >>> live.pose("fox") is None
        True
        """
        given, simulation = self._simulation.given, self._simulation
        before = Poses._make(values.copy() for values in given)
        jumps, outcomes, maker = set(self._jumps), simulation.world.outcomes, simulation.maker
        active = simulation.world.active
        marks = outcomes.mark(), maker.mark(), self._record and self._record.waiting()
        try:
            yield
        except BaseException:
            _take_over(given, before)
            self._jumps, simulation.world.active = jumps, active
            outcomes.take_back(marks[0])
            maker.take_back(marks[1])
            if self._record is not None and marks[2]:
                self._record.take_back(marks[2])
            raise

    def save(self, path: str | Path | None = None) -> bytes:
        """The whole state of the game, to continue from there as often as you like.

        Args:
            path: A file to write it to as well, if given.

        Raises:
            InputError: The file cannot be written.
        """
        left = ("_record", "_simulation", "_scenario", "_recent", "_asked", "remembers")
        state = {key: value for key, value in vars(self).items() if key not in left}
        simulation = self._simulation
        state["_mark"] = None if self._record is None else self._record.mark
        saved = kept({"simulation": simulation, **state}, simulation)
        if path is not None:
            with written(claim(path)) as draft:
                draft.write_bytes(saved)
        return saved

    def restore(self, saved: bytes | str | Path, *, record: str | Path | None = None) -> None:
        """Go on from where something was saved, as if nothing had been since.

        With the same input, the game continues the same, to the last digit. A record is cut back to
        that moment.

        Args:
            saved: What `save` returned, or the file it wrote.
            record: The folder that the saved game was kept in, to go on with that in another
                process.

        Raises:
            InputError: It is not a saved game, is of another scenario, `pushed` or version, or the
                record does not contain what was played before it was saved.
        """
        source = "restore" if isinstance(saved, bytes) else str(saved)
        content = saved if isinstance(saved, bytes) else read_bytes(Path(saved))
        state = taken_up(content, self._simulation, source)
        simulation, mark = state.pop("simulation"), state.pop("_mark")
        if record is not None or self._record is not None:
            if mark is None:
                rule, fix = (
                    "was saved in a game without a record",
                    "restore it in a Live without a record",
                )
                raise InputError.of(source, "", "", rule, fix)
            if self._record is not None:
                self._record.cut_back(mark, simulation.given)
            elif record is not None:
                given = self._given
                self._record = Keeping.going_on(record, mark, simulation.given, given)
        self._simulation = simulation
        self._recent = Recent(math.ceil(self.remembers / self.dt))
        vars(self).update(state)

    def __enter__(self) -> Live:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Nothing more is kept in the record; `with Live(...) as live:` does so at its end."""
        if self._record is not None:
            self._record.close()
            self._record = None

    def pose(self, name: str) -> Pose | None:
        """The pose of a character at the last tick; None while absent."""
        one_of(name, self.names, source="pose", place="", what="character")
        poses, j = self._simulation.poses, self.names.index(name)
        if not poses.present[0, j]:
            return None
        heading = (math.degrees(float(poses.heading[0, j])) + 180.0) % 360.0 - 180.0
        x, y, z = (float(values[0, j]) for values in (poses.x, poses.y, poses.z))
        return Pose(x, y, z, heading, POSTURES[int(poses.posture[0, j])])

    def state(self, agent: str) -> str:
        """The alert state an agent is in after the last tick; empty without a ladder."""
        a = self._agent(agent)
        ladder = self._simulation.setups[0].profile_of(agent).ladder
        if ladder is None:
            return ""
        return list(ladder.states)[int(self._simulation.world.ladders.state[0, a])]

    def focus(self, agent: str) -> str:
        """The focus of an agent at the last tick; empty for none."""
        focus = int(self._simulation.world.signals.focus[0, self._agent(agent)])
        return self.names[focus] if focus >= 0 else ""

    def in_view(self, agent: str, target: str) -> bool:
        """Whether an agent had a target in view at its last look."""
        a, j = self._pair(agent, target)
        cones = self._simulation.numbers.cones[0, a]
        return bool((self._simulation.sight.failed[0, a, j, :cones] == IN_VIEW).any())

    def meter(self, agent: str, target: str) -> float:
        """An agent's meter for a target, 0 to 1; 0 without a meter."""
        a, j = self._pair(agent, target)
        return float(self._simulation.meters.value[0, a, j])

    def belief(self, agent: str, target: str) -> Belief | None:
        """Where an agent believes a target to be; None without a belief."""
        a, j = self._pair(agent, target)
        beliefs = self._simulation.beliefs
        source = int(beliefs.source[0, a, j])
        if source == NO_BELIEF:
            return None
        doubt = uncertainty(self._simulation.memory_numbers, beliefs)[0, a, j]
        held = beliefs.x, beliefs.y, beliefs.z, beliefs.age
        x, y, z, age = (float(values[0, a, j]) for values in held)
        return Belief(x, y, age, float(doubt), SOURCES[source], z)

    @property
    def drawn(self) -> list[str]:
        """The agents that are drawn to a place; see `drawn_to`."""
        x = self._simulation.places.drawn.x[0]
        return [self.agents[a] for a in np.flatnonzero(~np.isnan(x)).tolist()]

    def drawn_to(self, agent: str) -> Belief | None:
        """The place that a noise which nobody made drew an agent to; None if nothing does.

        Its source is `heard`. The agent acts on it while `focus` is empty and this is not.
        """
        a, places = self._agent(agent), self._simulation.places.drawn
        if np.isnan(places.x[0, a]):
            return None
        age = float(places.age[0, a])
        doubt = float(places.blur[0, a]) + float(self._simulation.memory_numbers.spread[0, a]) * age
        x, y, z = (float(axis[0, a]) for axis in (places.x, places.y, places.z))
        return Belief(x, y, age, doubt, "heard", z)

    def _agent(self, agent: str) -> int:
        one_of(agent, self.agents, source="agent", place="", what="agent")
        return self.agents.index(agent)

    def _pair(self, agent: str, target: str) -> tuple[int, int]:
        one_of(target, self.names, source="target", place="", what="character")
        return self._agent(agent), self.names.index(target)

    def _first_states(self) -> dict[str, tuple[object, ...]]:
        """The row of each agent's state, by its name."""
        world = self._simulation.world
        rows: dict[str, tuple[object, ...]] = {}
        for a in np.flatnonzero(world.ladders.used[0]):
            ladder = world.ladders.ladders[0][a]
            assert ladder is not None
            first = list(ladder.states)[int(world.ladders.state[0, a])]
            start = float(self._simulation.times[0])
            agent = self.agents[a]
            rows[agent] = _state_row(start, agent, first, rank=ladder.rank_of(first))
        return rows

    def _hearing(self) -> list[Event]:
        """The noises that were heard at this tick; they may have been made some ticks before."""
        simulation = self._simulation
        if simulation.maker.noises.count:
            self._noises.append(simulation.noises)
        heard: Heard = simulation.heard
        if not len(heard.agent):
            return []
        made = Noises(*map(np.concatenate, zip(*self._noises, strict=True)))
        self._noises = [made]
        times = np.full(len(heard.agent), self.t)
        replaced = heard._replace(noise=np.searchsorted(made.noise, heard.noise))
        found = list(find_hearing(simulation, times, replaced, made, self._last_steps))
        # What is older than any ear waits is forgotten, so that a long game does not fill memory.
        old = made.t < self.t - OLDEST
        if old.any():
            self._noises = [made.of(~old)] if not old.all() else []
        return found

    def _minds(self) -> list[Event]:
        simulation, world = self._simulation, self._simulation.world
        fresh: list[tuple[object, ...]] = []
        for step in world.taken:
            ladder = world.ladders.ladders[0][step.agent]
            assert ladder is not None
            if step.transition == NO_TRANSITION:
                fresh.append(outside_row(self.t, self.agents[step.agent], ladder, step))
                continue
            states, transitions = list(ladder.states), list(ladder.transitions)
            focus = self.names[step.focus] if step.focus >= 0 else None
            kind = int(world.signals.place[0, step.agent])
            after = states[step.after]
            fresh.append(
                _state_row(
                    self.t, self.agents[step.agent], after, rank=ladder.rank_of(after),
                    transition=transitions[step.transition], before=states[step.before],
                    focus=focus,
                    place=simulation.maker.words[kind] if kind >= 0 else None,
                )
            )  # fmt: skip
        for row in fresh:
            self._states[str(row[1])] = row
        happened = [(self.t, each) for each in (*world.happenings, *world.outcomes.happenings)]
        searches = self._searches.rows(world.notes)
        known = list(self._states.values())
        flights = simulation.thrower.flights
        return list(find_minds(simulation, known, happened, searches, flights, transitions=fresh))


MOST_REMEMBERED = 600.0
"""Of what was in a game, s."""

LONGEST_FRAME = 60.0
"""A frame is no longer than this, s: what is longer is a game that stood still."""

SLACK = 1e-9
"""Times this close are the same, s."""

OLDEST = 120.0
"""Nobody listens so seldom that a noise is judged later than this, s."""


def _state_row(
    t: float, agent: str, state: str, *, rank: int, transition: str | None = None,
    before: str | None = None, focus: str | None = None, place: str | None = None,
) -> tuple[object, ...]:  # fmt: skip
    """A row as in the table `states`, without its reason."""
    return t, agent, transition, before, state, rank, focus, place, None, None, None


def _one_tick(values: Any) -> Any:
    """Arrays of a tick with an axis of ticks before."""
    return values._make(array[None] for array in values)


def _check_range(source: str, name: str, numbers: Mapping[str, float]) -> None:
    for what, value in numbers.items():
        if not abs(value) <= LONGEST:
            rule = f"must be a number within ±{LONGEST:g}"
            raise InputError.of(source, f"{name}.{what}", f"{value:g}", rule)


def _between(
    given: Poses, start: Poses, to: Poses, since: float, seconds: float, jumps: set[int]
) -> None:
    """Interpolate all poses within a frame."""
    _take_over(given, start)
    goes = start.present[0, 0] & to.present[0, 0]
    goes[list(jumps)] = False
    for name in ("x", "y", "z", "heading"):
        here, there = getattr(start, name)[0, 0], getattr(to, name)[0, 0]
        on_way = (there - here) / seconds * since + here  # as of a track, to the last digit
        getattr(given, name)[0, :, goes] = on_way[goes, None]


def _take_over(given: Poses, poses: Poses) -> None:
    arrays: Any = zip(given, poses, strict=True)
    for values, now in arrays:
        values[...] = now
