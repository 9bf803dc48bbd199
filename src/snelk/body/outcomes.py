"""The effects of transitions, of catching, and of the game.

Attributes change, noises are made, alarms raised, and characters taken out; all of it holds from
the next tick on.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import BY_ITSELF, Doors, Turn
from snelk.config import minds, models
from snelk.config.models import Setup
from snelk.mind.attention import Attention
from snelk.mind.sharing import Alarm
from snelk.mind.signals import FARTHEST, NOBODY
from snelk.senses.bodies import Poses

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

GIVEN = "the scenario"
"""What caused what is given by the scenario, and not done by an agent."""

SLACK = 1e-9
"""Times this close are the same, s."""


class Effect(NamedTuple):
    """A changed attribute, or a removed character, from the next tick."""

    variant: int
    who: int  # character
    attribute: str  # empty where somebody came in or was taken out: 0 is away, 1 is there
    before: float  # NaN if it had none
    value: float
    by: int  # agent, or NOBODY: the scenario or the game
    cause: str


class Happening(NamedTuple):
    """Something that happened to an agent: it arrived, got stuck, or caught a target."""

    variant: int
    agent: int  # or NOBODY: it comes from the scenario, and the target is whom it happens to
    kind: str  # a kind of event
    target: int  # who was caught, or is not there, or NOBODY
    x: float
    y: float
    z: float
    text: str = ""  # what cannot be told from the rest


Given = models.Effect | models.Change
"""What the scenario or the game does."""


class Spawn(NamedTuple):
    """A character to spawn, from the next tick."""

    variant: int
    who: int  # character
    effect: models.Effect


class Put(NamedTuple):
    """Somebody that is put into a state, and is in it from the next tick on."""

    variant: int
    who: int  # character
    state: str


def _lists(setup: Setup, recorded: Sequence[models.Change]) -> tuple[Sequence[Given], ...]:
    """What the scenario says that the game does, list by list."""
    return setup.effect, setup.change, recorded


class Outcomes:
    """What has come of what agents did and of what the game does to characters.

    Args:
        setups: The numbers of each variant.
        characters: (agent,) which characters the agents are.
        attention: Everybody's, which may go by an attribute.
        attributes: Those of everybody; they are written to.
        doors: All doors and lights; they are turned.
        recorded: What of them files say.
        played: The input of a live game, by time in s.

    Attributes:
        attributes: By name (variant, character) as they are now; NaN for who has none.
        removed: (variant, character) who has been taken out.
        changed: The attributes that changed, and who was taken out, at the last tick.
        happenings: The events of these.
        noises: (variant, agent, kind) noises that agents make at the next tick.
        alarms: What agents let all of some teams know at the last tick.
        turned: The doors and lights that changed at the last tick.
        spawned: Who comes in.
        gone: (variant, character) who is taken out.
        put: Who is put into a state, after that.
        door_noises: (variant, door, kind, character or NOBODY) what doors make at the next tick.
    """

    def __init__(
        self,
        setups: Sequence[Setup],
        characters: NDArray[np.int32],
        attention: Attention,
        attributes: dict[str, Numbers],
        doors: Doors,
        recorded: Sequence[models.Change] = (),
        played: Sequence[tuple[float, Given]] = (),
    ) -> None:
        self.setups, self.characters, self.attention = setups, characters, attention
        self.names = tuple(setups[0].cast)
        self.attributes, self.doors, self._recorded = attributes, doors, recorded
        absent = [[member.absent for member in setup.cast.values()] for setup in setups]
        self.removed: Truths = np.array(absent, dtype=np.bool_)  # spawned when they come in
        self._played = list(played)[::-1]
        # What the scenario gives: the time, the variant, and which of its list.
        self.waiting = sorted(
            (each.t, v, listed, n)
            for v, setup in enumerate(setups)
            for listed, given in enumerate(_lists(setup, recorded))
            for n, each in enumerate(given)
            if each.t >= setup.clock.start - SLACK
        )
        self._queued: list[Given] = []
        self.spawned: list[Spawn] = []
        self.gone: list[tuple[int, int]] = []
        self.put: list[Put] = []
        self.turned: list[Turn] = []
        self.door_noises: list[tuple[int, str, str, int]] = []
        self.changed: list[Effect] = []
        self.happenings: list[Happening] = []
        self.noises: list[tuple[int, int, str]] = []
        self.alarms: list[Alarm] = []

    def begin(self, poses: Poses, time: float) -> None:
        """A tick begins."""
        self._poses, self._time = poses, time
        self.changed, self.happenings, self.noises, self.alarms = [], [], [], []
        self.turned, self.door_noises = [], []
        self.spawned, self.put, self.gone = [], [], []

    def apply(self, effects: minds.Effects | None, v: int, a: int, target: int, cause: str) -> None:
        """What comes of something that an agent did, or was led to, about a target."""
        if effects is None:
            return
        sides = {"own": int(self.characters[a]), "target": target}
        for adds, values in ((False, effects.set), (True, effects.add)):
            for key, value in values.items():
                side, _, name = key.partition(".")
                self._set(v, sides[side], name, value, adds, a, cause)
        if effects.noise is not None:
            self.noises.append((v, a, effects.noise))
        if effects.alarm:
            known = self.attention.now
            place = np.full(3, np.nan)
            if target >= 0:
                place[:] = [axis[v, a, target] for axis in (known.x, known.y, known.z)]
            self.alarms.append(Alarm(v, a, target, effects.alarm, *place.tolist()))
        if effects.removes is not None:
            self._remove(v, sides[effects.removes], a, cause)
        for name, to in effects.turns.items():
            self.turn(v, name, to, a, cause)

    def turn(self, v: int, name: str, to: str, by: int, cause: str, *, who: int = NOBODY) -> None:
        """Let a door open or shut, or a light go on or out.

        `by` is the agent that does it, `who` a character that is no agent, or NOBODY.
        """
        who = int(self.characters[by]) if by >= 0 else who
        turn = self.doors.turn(v, name, to, by, who, cause, self._time)
        if turn is None:
            return
        self.turned.append(turn)
        place = self.doors.place_of(name)
        kind = {"open": "opened", "shut": "shut", "lit": "lit", "dark": "darkened"}[to]
        self.happenings.append(Happening(v, by, kind, NOBODY, *place, f"{name}\n{cause}"))
        rules = self.setups[v].doors.get(name)
        if turn.is_door and rules is not None and rules.noise is not None:
            # Who opened a door is who lets it fall shut.
            maker = self.doors.opener_of(v, name) if cause == BY_ITSELF else who
            self.door_noises.append((v, name, rules.noise, maker))

    def queue(self, effect: Given) -> None:
        """An effect of a live game on a character, a door or a light, at the next tick."""
        self._queued.append(effect)

    def mark(self) -> int:
        """A mark in the queue, to take back whatever is queued after it."""
        return len(self._queued)

    def take_back(self, mark: int) -> None:
        """Drop what was queued since a mark, at the same tick."""
        del self._queued[mark:]

    @property
    def coming(self) -> list[str]:
        """The characters to spawn at the next tick."""
        return [each.of for each in self._queued if isinstance(each, models.Effect) and each.spawns]

    def _give(self, effect: Given, v: int) -> None:
        """What the game does to a character, a door or a light."""
        if isinstance(effect, models.Change):
            self.turn(v, effect.of, effect.to, NOBODY, GIVEN)
            return
        who = self.names.index(effect.of)
        if effect.spawns:
            self._spawn(v, who, effect)
        for adds, values in ((False, effect.set), (True, effect.add)):
            for name, value in values.items():
                self._set(v, who, name, value, adds, NOBODY, GIVEN)
        if effect.state is not None:
            if self.removed[v, who]:
                text = f"is not there, and is not put into {effect.state} ({GIVEN})"
                self._tell(v, "missed", NOBODY, who, text)
            else:
                self.put.append(Put(v, who, effect.state))
        if effect.removes:
            self._remove(v, who, NOBODY, GIVEN)

    @property
    def next_time(self) -> float:
        """When the game does something to a character next, s; infinite for never."""
        if self._queued:
            return -np.inf
        played = self._played[-1][0] if self._played else np.inf
        return min(self.waiting[0][0] if self.waiting else np.inf, played)

    def give_due(self, time: float, ended: Truths) -> None:
        """What the scenario says that the game does up to now."""
        for effect in self._queued:
            self._give(effect, 0)
        self._queued = []
        while self._played and self._played[-1][0] <= time + SLACK:
            _, effect = self._played.pop()
            for v in np.flatnonzero(~ended).tolist():
                self._give(effect, v)
        while self.waiting and self.waiting[0][0] <= time + SLACK:
            _, v, listed, n = self.waiting.pop(0)
            if not ended[v]:
                self._give(_lists(self.setups[v], self._recorded)[listed][n], v)

    def tell_alarm(self, alarm: Alarm, count: int) -> None:
        """An alarm was raised, and this many agents know of it from the next tick."""
        v, a, teams = alarm.variant, alarm.teller, ", ".join(alarm.teams)
        focus = max(alarm.target, NOBODY)
        of = f" of {self.names[focus]}" if focus >= 0 else ""
        text = f"{count} of {teams} learn{of}" if count else f"nobody of {teams} learns{of}"
        if np.isnan(alarm.x):
            text += ": it knows of no target"
        elif not count:
            text += ": none of them is present, has a memory and notices the target"
        self._tell(v, "alarm", a, focus, text)

    def _set(
        self, v: int, who: int, name: str, value: float, adds: bool, by: int, cause: str
    ) -> None:
        """Set an attribute, or add to it; a missing one starts at 0."""
        if who < 0:
            text = f"nobody to set target.{name} of: it has no focus ({cause})"
            self._tell(v, "missed", by, NOBODY, text)
            return
        before = float(self.attributes[name][v, who])
        now = value + (0.0 if np.isnan(before) else before) if adds else value
        if now == before:
            return
        self.attributes[name][v, who] = now
        self.attention.is_worth(v, name, who, now)
        self.changed.append(Effect(v, who, name, before, now, by, cause))
        was = "none" if np.isnan(before) else f"{before:g}"
        self._tell(v, "became", by, who, f"{name} {was} → {now:g} ({cause})")

    def _remove(self, v: int, who: int, by: int, cause: str) -> None:
        """Remove a character: from the next tick it is absent and does nothing."""
        if who < 0:
            text = f"nobody to remove: it has no focus ({cause})"
            self._tell(v, "missed", by, NOBODY, text)
            return
        if self.removed[v, who]:
            return
        self.removed[v, who] = True
        self.gone.append((v, who))
        self.changed.append(Effect(v, who, "", 1.0, 0.0, by, cause))
        self._tell(v, "removed", by, who, f"is removed ({cause})")

    def _spawn(self, v: int, who: int, effect: models.Effect) -> None:
        """Spawn a character: from the next tick it is present, as at the start."""
        if not self.removed[v, who]:
            self._tell(
                v, "missed", NOBODY, who, f"is already present, and is not spawned ({GIVEN})"
            )
            return
        self.removed[v, who] = False
        self.changed.append(Effect(v, who, "", 0.0, 1.0, NOBODY, GIVEN))
        self.spawned.append(Spawn(v, who, effect))
        self._tell(v, "spawned", NOBODY, who, f"is spawned ({GIVEN})")
        own = self.setups[v].attributes_of(self.names[who])
        for name, values in self.attributes.items():
            now, before = own.get(name, np.nan), float(values[v, who])
            if now == before or (np.isnan(now) and np.isnan(before)):
                continue
            values[v, who] = now
            self.attention.is_worth(v, name, who, -FARTHEST if np.isnan(now) else now)
            self.changed.append(Effect(v, who, name, before, now, NOBODY, "comes in"))

    def _tell(self, v: int, kind: str, by: int, who: int, text: str) -> None:
        """An event, at the position of the target, or else of the agent."""
        place = self._poses.place(v, who if who >= 0 else int(self.characters[by]))
        self.happenings.append(Happening(v, by, kind, who, *place, text))
