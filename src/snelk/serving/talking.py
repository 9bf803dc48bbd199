"""Carrying out a game's messages, each completely or not at all, and replying."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import shapely

from snelk.config.foreign import GamePlaces, GameUnits
from snelk.config.problems import checked, key_path, shown
from snelk.config.scenario import Scenario
from snelk.errors import InputError, Problem, SnelkError, nearest, one_line, one_of
from snelk.files import claim
from snelk.runs.events import Event
from snelk.runs.keeping import check_empty
from snelk.runs.live import Belief, Live, Pose
from snelk.serving import messages
from snelk.serving.messages import PROTOCOL
from snelk.versions import version

Reply = dict[str, Any]

LONGEST_MESSAGE = 1_000_000
"""Bytes of one message, at most."""

MOST_SAVES = 32
"""Games that are kept in memory by name."""

WORDS = (
    "target",
    "cone",
    "gate",
    "wall",
    "threshold",
    "noise",
    "zone",
    "by",
    "state",
    "transition",
)
"""What an event says beside, where it does."""


class Told(GamePlaces):
    """What a client wants in replies to frames, and its units.

    Args:
        units: Its units, angles and axes.
        tells: What it wants to be told.

    Raises:
        InputError: It does not name each of its axes once.
    """

    def __init__(self, units: GameUnits, tells: tuple[str, ...] = ()) -> None:
        super().__init__(units, source="hello")
        self.tells, self.time, self.length = tells, units.time, units.length


class Talk:
    """One game, and all that clients say to it.

    Args:
        scenario: The scenario; or several by name, from which a hello chooses.
        token: The token that a client needs; none if empty.
        record: A folder to keep the game in; a second game of the same process goes into one
            beside it.
        saves: A folder for saved games; in memory if None.
        duration: The longest that it may be played, s.

    Attributes:
        live: The game; None before the first hello.
        keeps: Whether clients are told that the game is kept.
    """

    def __init__(
        self,
        scenario: Scenario | Mapping[str, Scenario],
        *,
        token: str = "",
        record: Path | None = None,
        saves: Path | None = None,
        duration: float = 36_000.0,
    ) -> None:
        if record is not None:
            check_empty(record)
        if isinstance(scenario, Scenario):
            scenario = {Path(scenario.source).stem: scenario}
        self._scenarios: dict[str, Scenario] = dict(scenario)
        self._played, self._token = next(iter(self._scenarios)), token
        self._record, self._saves_in, self._duration = record, saves, duration
        self.keeps = record is not None
        self._saves: dict[str, bytes] = {}
        self._games = 0
        self._setting: tuple[tuple[str, ...], tuple[tuple[str, int], ...]] = ((), ())
        self.live: Live | None = None

    @property
    def records(self) -> list[Path]:
        """The folders that games were kept in."""
        if self._record is None:
            return []
        return [self._folder(n) for n in range(1, self._games + 1)]

    def close(self) -> None:
        """End the game, and complete its record."""
        if self.live is not None:
            self.live.close()

    def answer(self, text: str | bytes, told: Told | None) -> tuple[Reply, Told | None]:
        """The reply to one message, and the client's settings after it.

        `told` is what it was told so far; None before it has said hello.
        """
        data: object = None
        try:
            data = parsed = _parsed(text)
            message = _read(parsed)
            if isinstance(message, messages.Hello):
                reply, told = self._hello(message)
            elif told is None or self.live is None:
                fix = '{"type": "hello", "version": 1, "token": "…"}'
                raise InputError.of("message", "", "", "must be a hello: it comes first", fix)
            else:
                kind: type[Any] = type(message)
                reply = _ANSWERS[kind](self, self.live, told, message)
        except InputError as error:
            lines = [_problem(problem) for problem in error.problems]
            reply = {
                "type": "error",
                "text": "; ".join(map(str, error.problems)),
                "problems": lines,
            }
        except SnelkError as error:
            reply = {"type": "error", "text": str(error), "problems": []}
        except Exception as error:  # a mistake of Snelk's must not end somebody's game
            text = f"{type(error).__name__} within Snelk: {one_line(str(error))[:200]}"
            fix = "this message may be half done; restore a saved game, and please report it"
            reply = {"type": "error", "text": f"snelk: {text}; {fix}", "problems": []}
        given = _identity(data)
        return ({**reply, "id": given} if given is not None else reply), told

    def _folder(self, n: int) -> Path:
        assert self._record is not None
        return self._record if n == 1 else self._record.with_name(f"{self._record.name}-{n}")

    def _hello(self, hello: messages.Hello) -> tuple[Reply, Told]:
        if self._token and hello.token != self._token:
            fix = "use the token that snelk serve printed at its start"
            raise InputError.of("hello", "token", "", "is not the right token", fix)
        if hello.version != PROTOCOL:
            rule = f"is not a version that this Snelk speaks; it speaks {PROTOCOL}"
            raise InputError.of("hello", "version", str(hello.version), rule)
        told = Told(hello.units, hello.tells)
        setting = (tuple(sorted(set(hello.moves))), tuple(sorted(hello.spare.items())))
        goes_on = self.live is not None and not hello.new
        if hello.scenario:
            one_of(
                hello.scenario, self._scenarios, source="hello", place="scenario", what="scenario"
            )
        if goes_on and hello.scenario not in ("", self._played):
            rule, fix = "is not the scenario that is being played", "use new = true for a new game"
            raise InputError.of("hello", "scenario", hello.scenario, rule, fix)
        if goes_on and setting != self._setting and (hello.moves or hello.spare):
            rule = "a game is running that was started with other moves or spare"
            fix = "use the same or neither, or new = true for a new game"
            raise InputError.of("hello", "moves", ", ".join(hello.moves), rule, fix)
        if not goes_on:
            self._begin(hello)
            self._setting = setting
        live = self.live
        assert live is not None
        return {
            "type": "welcome",
            "version": PROTOCOL,
            "snelk": version("snelk"),
            "game": "goes on" if goes_on else "new",
            "scenario": self._played,
            "t": None if math.isnan(live.t) else live.t / told.time,
            "dt": live.dt / told.time,
            "characters": _characters(live),
            "record": self.keeps,
        }, told

    def _begin(self, hello: messages.Hello) -> None:
        folder = None if self._record is None else self._folder(self._games + 1)
        name = hello.scenario or self._played
        begin = self.live.into if hello.carries and self.live is not None else Live
        live = begin(
            self._scenarios[name], pushed=hello.moves, spare=hello.spare, record=folder,
            duration=self._duration,
        )  # fmt: skip
        self.close()
        self.live, self._played, self._games = live, name, self._games + 1

    def _frame(self, live: Live, told: Told, frame: messages.Frame) -> Reply:
        if live.over:
            fix = 'send hello again with "new": true'
            raise InputError.of("frame", "", f"{live.t:g} s", "came after the end of the game", fix)
        seconds = frame.seconds * told.time
        with live.all_or_nothing():
            live.check_frame(seconds)
            spawned = self._put_in(live, told, frame)
        before = live.ticks
        events = live.frame(seconds)
        ticks = live.ticks - before
        reply: Reply = {
            "type": "frame",
            "t": None if math.isnan(live.t) else live.t / told.time,
            "ticks": ticks,
            "over": live.over,
            "spawned": spawned,
        }
        if "events" in told.tells:
            reply["events"] = [_event(each, told) for each in events]
        if ticks and "agents" in told.tells:
            reply["agents"] = _agents(live, told)
        if ticks and "characters" in told.tells:
            reply["characters"] = {name: _pose(live.pose(name), told) for name in live.moved_here}
        return reply

    @staticmethod
    def _put_in(live: Live, told: Told, frame: messages.Frame) -> list[str]:
        for name in frame.remove:
            live.remove(name)
        spawned = []
        for each in frame.spawn:
            x, y, z = (None,) * 3 if each.place is None else told.place_in(each.place)
            heading = None if each.heading is None else told.units.heading_in(each.heading)
            name = live.spawn(
                each.name or "", like=each.like or "", x=x, y=y, z=z, heading_deg=heading
            )
            spawned.append(name)
        for name, pose in frame.poses.items():
            x, y, z = told.place_in(pose.place)
            live.push(
                name, x=x, y=y, z=z, heading_deg=told.units.heading_in(pose.heading),
                posture=pose.posture, gait=pose.gait, present=pose.present, jumps=pose.jumps,
            )  # fmt: skip
        for noise in frame.noises:
            x, y, z = told.place_in(noise.place)
            reach = None if noise.reach is None else noise.reach * told.length
            live.noise(noise.kind, x=x, y=y, z=z, reach=reach, by=noise.by)
        for turn in frame.turns:
            live.change(turn.of, turn.to)
        for effect in frame.effects:
            if effect.set or effect.add:
                live.effect(effect.of, set=effect.set, add=effect.add)
            if effect.state is not None:
                live.set_state(effect.of, effect.state)
        return spawned

    def _why(self, live: Live, _told: Told, ask: messages.Why) -> Reply:
        answer = live.why(ask.agent, ask.target)
        gates = [
            {
                "cone": cone.cone, "gate": gate.name, "passed": gate.passed, "text": gate.text,
                "value": _finite(gate.value), "limit": _finite(gate.limit),
                "margin": _finite(gate.margin), "unit": gate.unit,
            }
            for cone in answer.cones
            for gate in cone.gates
        ]  # fmt: skip
        change = answer.counterfactual
        return {
            "type": "answer",
            "to": "why",
            "text": "; ".join([answer.headline, *(each.headline for each in answer.senses)]),
            "sees": answer.in_view,
            "gates": gates,
            "change": change.text if change is not None else None,
        }

    def _visible(self, live: Live, told: Told, ask: messages.Visible) -> Reply:
        height = None if ask.height is None else ask.height * told.length
        seen, z = live.visible(ask.agent, height=height)
        rings = [
            [told.place_out((x, y, z)) for x, y in shapely.get_coordinates(ring).tolist()]
            for ring in shapely.get_rings(seen)
        ]
        text = f"{ask.agent} sees {seen.area:.1f} m² at {z:.2f} m"
        return {"type": "answer", "to": "visible", "text": text, "rings": rings}

    def _path(self, live: Live, told: Told, ask: messages.PathBetween) -> Reply:
        start, goal = told.place_in(ask.start), told.place_in(ask.goal)
        found = live.path(ask.who, start, goal)
        if found is None:
            text = f"no way on foot for {ask.who}"
            return {"type": "answer", "to": "path", "text": text, "places": None}
        return {
            "type": "answer",
            "to": "path",
            "text": f"{found.length:.2f} m on foot for {ask.who}",
            "places": [told.place_out(place) for place in found.places],
            "length": found.length / told.length,
        }

    def _save(self, live: Live, told: Told, ask: messages.Save) -> Reply:
        if self._saves_in is not None:
            live.save(claim(self._saves_in / f"{ask.name}.save"))
        else:
            if ask.name not in self._saves and len(self._saves) >= MOST_SAVES:
                fix = "overwrite one of these, or start snelk serve with --saves"
                rule = f"{MOST_SAVES} games are already saved"
                raise InputError.of("save", "name", ask.name, rule, fix)
            self._saves[ask.name] = live.save()
        return self._kept("save", "kept", live, told, ask.name)

    def _restore(self, live: Live, told: Told, ask: messages.Restore) -> Reply:
        if self._saves_in is not None:
            live.restore(self._saves_in / f"{ask.name}.save")
        elif ask.name in self._saves:
            live.restore(self._saves[ask.name])
        else:
            fix = nearest(ask.name, self._saves)
            raise InputError.of("restore", "name", ask.name, "no such saved game", fix)
        return self._kept("restore", "goes on", live, told, ask.name)

    @staticmethod
    def _kept(to: str, word: str, live: Live, told: Told, name: str) -> Reply:
        t = None if math.isnan(live.t) else live.t / told.time
        return {"type": "answer", "to": to, "text": f"{name} {word}", "t": t}

    def _bye(self, _live: Live, _told: Told, _ask: messages.Bye) -> Reply:
        return {"type": "answer", "to": "bye", "text": "the game waits for you"}


_ANSWERS: Mapping[type[Any], Callable[..., Reply]] = {
    messages.Frame: Talk._frame,
    messages.Why: Talk._why,
    messages.Visible: Talk._visible,
    messages.PathBetween: Talk._path,
    messages.Save: Talk._save,
    messages.Restore: Talk._restore,
    messages.Bye: Talk._bye,
}


_ENCODER = json.JSONEncoder(
    ensure_ascii=False, separators=(",", ":"), allow_nan=False, check_circular=False
)


def written(reply: Reply) -> str:
    """A reply as one line of JSON. NaN becomes null."""
    try:
        return _ENCODER.encode(reply)
    except ValueError:
        return _ENCODER.encode(_with_nulls(reply))


def _with_nulls(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _with_nulls(each) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [_with_nulls(each) for each in value]
    return _finite(value) if isinstance(value, float) else value


def _parsed(text: str | bytes) -> Any:
    """A message as plain data.

    Raises:
        InputError: It is too long, or no JSON object.
    """
    if len(text) > LONGEST_MESSAGE:
        rule = f"is longer than {LONGEST_MESSAGE:,} bytes"
        raise InputError.of(
            "message", "", f"{len(text):,} bytes", rule, "split it into several messages"
        )
    try:
        found = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InputError.of(
            "message", "", "", f"is not valid JSON: {one_line(str(error))}"
        ) from None
    if not isinstance(found, dict):
        fix = '{"type": "frame", …}'
        raise InputError.of("message", "", shown(found), "must be a JSON object", fix)
    return found


def _read(data: dict[str, Any]) -> messages.Message:
    """A message, checked against its layout.

    Raises:
        InputError: It breaks a rule; all that is wrong is listed.
    """
    kind = data.get("type")
    if not isinstance(kind, str) or kind not in messages.TO_SNELK:
        fix = nearest(str(kind), messages.TO_SNELK)
        raise InputError.of("message", "type", shown(kind), "no such message", fix)
    problems: list[Problem] = []
    found = checked(messages.TO_SNELK[kind], data, lambda key: (kind, key_path(key)), problems)
    if found is None:
        raise InputError(problems)
    return found


def _finite(value: float | None) -> float | None:
    """A number for JSON; None for NaN and infinity."""
    return value if value is not None and math.isfinite(value) else None


def _identity(data: object) -> int | str | None:
    """The id of a message, also of one that is wrong in all else."""
    given = data.get("id") if isinstance(data, dict) else None
    fits = isinstance(given, str) and len(given) <= 80
    fits |= type(given) is int and 0 <= given < 2**53
    return given if fits else None


def _problem(problem: Problem) -> dict[str, str]:
    named = {
        "where": ": ".join(part for part in (problem.source, problem.place) if part),
        "given": problem.given, "rule": problem.rule, "fix": problem.fix,
    }  # fmt: skip
    return {key: text for key, text in named.items() if text}


def _characters(live: Live) -> dict[str, Reply]:
    setup = live.setup
    found = {}
    for name, member in setup.cast.items():
        ladder = setup.profile_of(name).ladder if member.profile is not None else None
        moved = "nobody" if member.clue is not None else "game"
        found[name] = {
            "team": member.team,
            "agent": name in live.agents,
            "moved_by": "snelk" if name in live.moved_here else moved,
            "states": list(ladder.states) if ladder else [],
        }
    return found


def _event(event: Event, told: Told) -> Reply:
    found: Reply = {
        "t": event.t / told.time, "kind": event.kind, "agent": event.agent, "text": event.text,
    }  # fmt: skip
    found |= {word: getattr(event, word) for word in WORDS if getattr(event, word)}
    zero = told.units.zero_deg
    numbers = {
        "strength": event.strength,
        "distance": None if event.distance is None else event.distance / told.length,
        "off": None if event.off_deg is None else told.units.heading_out(zero + event.off_deg),
    }
    # Of who is gone by then, some are no numbers.
    for name, number in numbers.items():
        if (known := _finite(number)) is not None:
            found[name] = abs(known)
    x, y, z = _finite(event.x), _finite(event.y), _finite(event.z)
    if x is not None and y is not None:
        found["place"] = told.place_out((x, y, z or 0.0))
    return found


def _pose(pose: Pose | None, told: Told) -> Reply | None:
    if pose is None:
        return None
    return {
        "place": told.place_out((pose.x, pose.y, pose.z)),
        "heading": told.units.heading_out(pose.heading_deg),
        "posture": pose.posture,
    }


def _belief(belief: Belief | None, told: Told) -> Reply | None:
    if belief is None:
        return None
    return {
        "place": told.place_out((belief.x, belief.y, belief.z)),
        "age": belief.age / told.time,
        "uncertainty": belief.uncertainty / told.length,
        "source": belief.source,
    }


def _agents(live: Live, told: Told) -> dict[str, Reply]:
    """What all present agents sense and know."""
    read, names = live.readout(), live.names
    there = dict(zip(names, read.present.tolist(), strict=True))
    found: dict[str, Reply] = {
        agent: {
            "state": state,
            "focus": names[focus] if focus >= 0 else None,
            "sees": [],
            "meters": {},
            "beliefs": {},
            "drawn_to": None,
        }
        for agent, state, focus in zip(
            live.agents, read.state.tolist(), read.focus.tolist(), strict=True
        )
        if there[agent]
    }
    agents = [found.get(agent) for agent in live.agents]
    for a, j in zip(*(axis.tolist() for axis in read.in_view.nonzero()), strict=True):
        if (mine := agents[a]) is not None:
            mine["sees"].append(names[j])
    filled = (read.meter > 0.0).nonzero()
    for a, j, value in zip(*(each.tolist() for each in (*filled, read.meter[filled])), strict=True):
        if (mine := agents[a]) is not None:
            mine["meters"][names[j]] = value
    known = (~np.isnan(read.age)).nonzero()
    values = (read.believed, read.age / told.time, read.uncertainty / told.length, read.source)
    rows = (*known, *(each[known] for each in values))
    for a, j, place, age, doubt, source in zip(*(each.tolist() for each in rows), strict=True):
        if (mine := agents[a]) is not None and names[j] != live.agents[a]:
            mine["beliefs"][names[j]] = {
                "place": told.place_out(place), "age": age, "uncertainty": doubt,
                "source": source,
            }  # fmt: skip
    for agent in live.drawn:
        if agent in found:
            found[agent]["drawn_to"] = _belief(live.drawn_to(agent), told)
    return found
