"""What an agent's conditions can ask for at a tick: of itself, and of the focus it acts on."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import TRUTHS
from snelk.config.models import Setup
from snelk.mind.memory import HEARD, NO_BELIEF, SENSED_NOW, TOLD, Beliefs
from snelk.mind.meter import REACHED, Meters
from snelk.mind.places import Places
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.sight import IN_VIEW, Sight, SightNumbers

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NOBODY, PLACE = -1, -2
"""Instead of a target: no focus, and a place that a noise of nobody drew the agent to."""


FARTHEST = 1e9
"""Farther off than anybody can be, m: of whom nobody knows where they are."""


class Signals(NamedTuple):
    """Signals of every agent at a tick: (variant, agent); those of a target are of the focus."""

    state: NDArray[np.int16]  # the state in which they are asked
    focus: NDArray[np.int32]  # the target it acts on, or NOBODY
    entry: NDArray[np.int32]  # how many states it has been in before
    place: NDArray[np.int32]  # the noise, where the focus is the place of one that nobody made
    seen: Truths
    heard: Truths
    felt: Truths
    told: Truths
    any_seen: Truths
    any_heard: Truths
    any_felt: Truths
    any_told: Truths
    knows: Truths
    arrived: Truths
    unreachable: Truths
    done: Truths
    failed: Truths
    search_done: Truths
    stuck: Truths
    faces_focus: Truths
    caught: Truths
    was_caught: Truths
    observed: Truths
    asleep: Truths
    inside_territory: Truths
    target_inside_territory: Truths
    meter: Numbers
    exposure: Numbers
    distance: Numbers  # m
    from_home: Numbers  # m
    lost_for: Numbers  # s
    seen_for: Numbers  # s
    state_for: Numbers  # s
    told_rank: Numbers
    rank: Numbers
    bearing: Numbers  # deg
    own_speed: Numbers  # m/s
    own_height: Numbers  # m
    own_light: Numbers
    target_speed: Numbers
    target_height: Numbers
    target_light: Numbers
    target_x: Numbers  # where the focus is believed to be, m; NaN without a belief
    target_y: Numbers
    goal_x: Numbers  # where its way leads to, m; NaN if it has none
    goal_y: Numbers

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> Signals:
        """Room for one tick."""
        kinds: dict[str, Any] = {"state": np.int16, "focus": np.int32, "entry": np.int32}
        kinds["place"] = np.int32
        kinds |= dict.fromkeys(TRUTHS, np.bool_)
        return cls(*(np.zeros(shape, kinds.get(name, np.float64)) for name in cls._fields))


class Notions(NamedTuple):
    """What every agent has of every target: (variant, agent, target)."""

    x: Numbers  # where it is believed to be, m; NaN where there is no idea of it
    y: Numbers
    known_x: Numbers  # the last-known position: where it last was when it was sensed or told
    known_y: Numbers


class Attention:
    """Follows for how long targets are seen and lost, and chooses each agent's focus.

    Args:
        setups: The numbers of each variant.
        numbers: Everybody's sight.
        remembers: (variant, agent) who has a memory.
        dt: Length of a tick, s.

    Attributes:
        seen, heard, felt: (variant, agent, target) who is in view, heard at this tick, felt or in
            a zone that is watched.
        lost_for, seen_for: (variant, agent, target), s; infinite before it was ever sensed.
        focus: (variant, agent) the target it acts on, or NOBODY.
        notions: What every agent has of every target.
    """

    def __init__(
        self, setups: Sequence[Setup], numbers: SightNumbers, remembers: Truths, dt: float
    ) -> None:
        shape = numbers.notices.shape
        self.dt = dt
        self.characters = numbers.characters
        self.remembers = remembers[:, :, None]
        names, agents = list(setups[0].cast), setups[0].agents
        self.may = numbers.notices & (self.characters[:, None] != np.arange(len(names)))
        ladders = [[setup.profile_of(agent).ladder for agent in agents] for setup in setups]
        stick = [[0.0 if ladder is None else ladder.focus_stick for ladder in r] for r in ladders]
        self.stick: Numbers = np.array(stick, np.float64).reshape(shape[:2])
        rules = [[ladder.focus_by if ladder else "meter" for ladder in row] for row in ladders]
        self._rule = np.array(rules, dtype=np.str_).reshape(shape[:2])
        self._worth = _worth_of(setups, self._rule, names)  # (variant, agent, target)
        self._first = np.full((*shape[:2], shape[2] + 1), np.inf)  # tick at which it became one
        self._tick = 0
        metered = [
            [setup.profile_of(agent).meter is not None for agent in agents] for setup in setups
        ]
        self.metered: Truths = np.array(metered, np.bool_).reshape(*shape[:2], 1)
        # Of targets that are alike in all else the first by name is chosen.
        self.by_name = np.argsort(np.argsort(np.array(names)))
        self.seen, self.heard, self.felt = np.zeros((3, *shape), dtype=np.bool_)
        self.lost_for = np.full(shape, np.inf)
        self.seen_for = np.zeros(shape)
        self.focus = np.full(shape[:2], NOBODY, dtype=np.int32)
        self._v, self._a = np.arange(shape[0])[:, None], np.arange(shape[1])
        self._at, self._nobody = np.zeros_like(self.focus), self.focus == NOBODY
        self._anybody_without = True
        self.notions = Notions(*(np.full(shape, np.nan) for _ in Notions._fields))
        self._was_seen = np.zeros(shape, dtype=np.bool_)

    def step(
        self,
        poses: Poses,
        sight: Sight,
        contacts: Contacts,
        loudness: Numbers,
        meters: Meters,
        beliefs: Beliefs,
        ignored: Truths | None,
        places: Places,
    ) -> None:
        """Follow one tick; `ignored`, (variant, agent, target), are not worth a focus."""
        there = poses.present[:, None, :]
        np.logical_and((sight.failed == IN_VIEW).any(axis=3), there, out=self.seen)
        self.felt = ((contacts.touch == SENSED) | (contacts.zone == SENSED)) & there
        self.heard = loudness > 0.0
        sensed = self.seen | self.felt
        self.lost_for += self.dt
        self.lost_for[sensed] = 0.0
        self.seen_for += self.dt
        self.seen_for[~(self.seen & self._was_seen)] = 0.0
        self._was_seen = self.seen.copy()
        notions = self.notions
        x, y = poses.x[:, None, :], poses.y[:, None, :]
        notions.x[...] = np.where(self.remembers, beliefs.x, np.where(sensed, x, np.nan))
        notions.y[...] = np.where(self.remembers, beliefs.y, np.where(sensed, y, np.nan))
        source = beliefs.source
        news = np.where(
            self.remembers,
            (source == SENSED_NOW) | (source == HEARD) | (source == TOLD),
            sensed,
        )
        np.copyto(notions.known_x, notions.x, where=news)
        np.copyto(notions.known_y, notions.y, where=news)
        gone = np.isnan(notions.x) & self.remembers
        notions.known_x[gone] = notions.known_y[gone] = np.nan
        self._choose(poses, meters, source, sensed, ignored, places)

    def _choose(
        self,
        poses: Poses,
        meters: Meters,
        source: NDArray[np.int8],
        sensed: Truths,
        ignored: Truths | None,
        places: Places,
    ) -> None:
        """The best by the ladder's rule, then the nearest, then the first by name; it sticks.

        Behind the targets stands the place that a noise of nobody drew the agent to.
        """
        candidate = self.may & (sensed | (source != NO_BELIEF) | (meters.value > REACHED))
        if ignored is not None:
            candidate &= ~ignored
        own_x, own_y = poses.x[:, self.characters, None], poses.y[:, self.characters, None]
        x = np.concatenate([self.notions.x, places.x[:, :, None]], axis=2)
        y = np.concatenate([self.notions.y, places.y[:, :, None]], axis=2)
        away = np.hypot(x - own_x, y - own_y)
        away[np.isnan(away)] = np.inf
        candidate = np.concatenate([candidate, ~np.isnan(places.x)[:, :, None]], axis=2)
        sensed = np.concatenate([sensed, places.heard[:, :, None]], axis=2)
        meter = np.concatenate([meters.value, places.meter[:, :, None]], axis=2)
        # Without a meter, who is sensed counts as full.
        value = self._scores(np.where(self.metered, meter, sensed * 1.0), away, candidate)
        most = value.max(axis=2, initial=-np.inf)
        best = candidate & (value >= most[:, :, None] - REACHED)
        nearest = np.where(best, away, np.inf).min(axis=2, initial=np.inf)
        best &= away <= nearest[:, :, None] + REACHED
        last = len(self.by_name)
        order = np.where(best, np.append(self.by_name, last), last + 1)
        chosen = order.argmin(axis=2).astype(np.int32)
        v, a = self._v, self._a
        now = np.where(self.focus == PLACE, last, np.maximum(self.focus, 0))
        held = value[v, a, now]
        kept = (self.focus != NOBODY) & candidate[v, a, now] & (self.stick > 0.0)
        kept &= most <= held + self.stick + REACHED
        # A focus that is not sensed gives way to one that is, and is as good.
        other = ~sensed[v, a, now] & sensed[v, a, chosen]
        kept &= ~(other & (most >= held - REACHED))
        chosen[chosen == last] = PLACE
        chosen[~candidate.any(axis=2)] = NOBODY
        np.copyto(self.focus, chosen, where=~kept)
        self._at = np.maximum(self.focus, 0)
        self._nobody = self.focus < 0
        self._anybody_without = bool(self._nobody.any())

    def _scores(self, meter: Numbers, away: Numbers, candidate: Truths) -> Numbers:
        """(variant, agent, target) how good a focus each candidate is, by the ladder's rule."""
        self._first = np.where(candidate, np.minimum(self._first, self._tick), np.inf)
        self._tick += 1
        rule, value = self._rule[:, :, None], meter
        if (self._rule != "meter").any():
            far = np.where(np.isfinite(away), away, FARTHEST)
            value = np.where(rule == "nearest", -far, value)
            first = np.where(np.isfinite(self._first), self._first, 0.0)
            value = np.where(rule == "first", -first, value)
            value = np.where(np.isnan(self._worth), value, self._worth)
        return np.where(candidate, value, -np.inf)

    def is_worth(self, v: int, attribute: str, who: int, value: float) -> None:
        """An attribute of somebody has changed: those that choose their focus by it mind that."""
        self._worth[v, self._rule[v] == f"target.{attribute}", who] = value

    def of_focus(self, values: NDArray[Any], otherwise: float | bool) -> NDArray[Any]:
        """(variant, agent) of values of (variant, agent, target): that of the focus."""
        found: NDArray[Any] = values[self._v, self._a, self._at]
        if self._anybody_without:
            found[self._nobody] = otherwise
        return found

    def of_everybody(self, values: NDArray[Any], otherwise: float | str) -> NDArray[Any]:
        """(variant, agent) of values of (variant, character): that of the focus."""
        found: NDArray[Any] = values[self._v, self._at]
        if self._anybody_without:
            found[self._nobody] = otherwise
        return found


def _worth_of(setups: Sequence[Setup], rules: NDArray[np.str_], names: Sequence[str]) -> Numbers:
    """(variant, agent, target or place) the attribute that a focus is chosen by; NaN for others.

    Who does not have it comes last.
    """
    worth = np.full((*rules.shape, len(names) + 1), np.nan)
    for v, a in np.argwhere(np.char.startswith(rules, "target.")):
        attribute = str(rules[v, a]).partition(".")[2]
        worth[v, a] = [
            *(setups[v].attributes_of(name).get(attribute, -FARTHEST) for name in names),
            -FARTHEST,
        ]
    return worth


def heights_of(bodies: Bodies, poses: Poses) -> Numbers:
    """(variant, character) how tall everybody is in their posture, m."""
    variants, characters = bodies.height.shape[:2]
    v, j = np.arange(variants)[:, None], np.arange(characters)
    found: Numbers = bodies.height[v, j, poses.posture]
    return found
