"""Memory: what an agent believes of where a target is; see docs/calculations.md.

A belief has a place, a source and an age. Whoever senses a target by sight, touch or the zone
sense knows where it is; after that the belief is what is left of it, unless something newer comes.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.compiled import Direct, compiled
from snelk.level.rays import Grid, cast_rays
from snelk.senses.bodies import Poses
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.sight import IN_VIEW

SOURCES = ("sensed", "grace", "lead", "last_known", "heard", "told")
"""Where a belief comes from; of one that is there."""

NO_BELIEF = -1
SENSED_NOW, GRACE, LEAD, LAST_KNOWN, HEARD, TOLD = range(len(SOURCES))

SHORT_OF_WALL = 0.02
"""A belief that is led on stops this far before a wall, m."""

SLACK = 1e-9
"""Times this close are the same, s."""

Numbers = NDArray[np.float64]


class MemoryNumbers(NamedTuple):
    """The numbers of everybody's memory; see `memory_numbers`."""

    used: NDArray[np.bool_]  # (variant, agent): whether it has a memory
    grace: Numbers  # (variant, agent), s
    lead: Numbers  # (variant, agent), s
    spread: Numbers  # (variant, agent), m/s
    forget: Numbers  # (variant, agent), s


class Beliefs(NamedTuple):
    """What everybody believes of everybody: (variant, agent, target)."""

    source: NDArray[np.int8]  # index of SOURCES, or NO_BELIEF
    x: Numbers  # the believed place, m; NaN without a belief
    y: Numbers
    vx: Numbers  # velocity when last sensed, m/s
    vy: Numbers
    age: Numbers  # s since it was sensed, or since what was heard or told was so
    blur: Numbers  # how far off it may have been then, m

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> Beliefs:
        """Nobody believes anything."""
        source = np.full(shape, NO_BELIEF, dtype=np.int8)
        x, y, vx, vy, age, blur = (np.full(shape, np.nan) for _ in range(6))
        return cls(source, x, y, vx, vy, age, blur)


class News(NamedTuple):
    """What reached an agent of a target at this tick otherwise: (variant, agent, target)."""

    x: Numbers  # m; NaN without news
    y: Numbers
    age: Numbers  # s since it was so
    blur: Numbers  # how far off it may be, m

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> News:
        """No news."""
        return cls(*(np.full(shape, np.nan) for _ in range(4)))

    def clear(self) -> None:
        """Forget the news of the tick before."""
        for values in self:
            values[...] = np.nan


def memory_numbers(setups: Sequence[Setup]) -> MemoryNumbers:
    """Pack the memories of every agent of every variant into arrays."""
    agents = setups[0].agents
    shape = (len(setups), len(agents))
    numbers = MemoryNumbers(np.zeros(shape, dtype=np.bool_), *(np.zeros(shape) for _ in range(4)))
    for v, setup in enumerate(setups):
        for a, agent in enumerate(agents):
            memory = setup.profile_of(agent).memory
            if memory is not None:
                numbers.used[v, a] = True
                numbers.grace[v, a], numbers.lead[v, a] = memory.grace, memory.lead
                numbers.spread[v, a], numbers.forget[v, a] = memory.spread, memory.forget
    return numbers


class Memories:
    """Everybody's memory.

    Attributes:
        numbers: The numbers of the memories.
        beliefs: What everybody believes of everybody; a tick overwrites it.
    """

    def __init__(self, setups: Sequence[Setup], shape: tuple[int, ...]) -> None:
        self.numbers = memory_numbers(setups)
        self.beliefs = Beliefs.blank(shape)
        self._remember = Direct(remember)

    def step(
        self,
        poses: Poses,
        before: Poses,
        dt: float,
        failed: NDArray[np.int8],
        contacts: Contacts,
        heard: News,
        told: News,
        grid: Grid,
    ) -> None:
        """One tick of all memories.

        Args:
            poses: Everybody's poses.
            before: Everybody's poses a tick ago.
            dt: Length of the tick, s.
            failed: (variant, agent, target, cone) the first gate of sight that failed, or IN_VIEW.
            contacts: What touch and the zone sense came to.
            heard: The newest noises that were heard.
            told: The newest that was told.
            grid: The walls that stop a belief that is led on.
        """
        self._remember(
            (poses.x, poses.y, poses.present), (before.x, before.y, before.present),
            dt, failed, contacts.touch, contacts.zone, heard, told, self.numbers, self.beliefs,
        )  # fmt: skip
        led = self.beliefs.source == LEAD
        if led.any():
            _lead_on(np.nonzero(led), dt, self.numbers, grid, self.beliefs)


@compiled
def remember(
    poses: tuple[Numbers, Numbers, NDArray[np.bool_]],
    before: tuple[Numbers, Numbers, NDArray[np.bool_]],
    dt: float,
    failed: NDArray[np.int8],
    touch: NDArray[np.int8],
    zone: NDArray[np.int8],
    heard: News,
    told: News,
    numbers: MemoryNumbers,
    beliefs: Beliefs,
) -> None:
    """One tick of all memories, but for leading beliefs on: these are marked LEAD."""
    x, y, present = poses
    was_x, was_y, was_present = before
    variants, agents, targets = beliefs.x.shape
    for v in range(variants):
        p = v if len(x) > 1 else 0
        for a in range(agents):
            for j in range(targets if numbers.used[v, a] else 0):
                beliefs.age[v, a, j] += dt  # NaN without a belief
                source, age = beliefs.source[v, a, j], beliefs.age[v, a, j]
                now = touch[v, a, j] == SENSED or zone[v, a, j] == SENSED
                for k in range(failed.shape[3]):
                    now |= failed[v, a, j, k] == IN_VIEW
                # Between two looks a target may have gone; who is not there is not sensed.
                now &= present[p, j]
                followed = source in (SENSED_NOW, GRACE)
                if now:
                    moving = was_present[p, j]
                    beliefs.source[v, a, j] = SENSED_NOW
                    beliefs.vx[v, a, j] = (x[p, j] - was_x[p, j]) / dt if moving else 0.0
                    beliefs.vy[v, a, j] = (y[p, j] - was_y[p, j]) / dt if moving else 0.0
                    beliefs.age[v, a, j], beliefs.blur[v, a, j] = 0.0, 0.0
                elif followed and present[p, j] and age <= numbers.grace[v, a] + SLACK:
                    beliefs.source[v, a, j] = GRACE
                    now = True
                if now:
                    beliefs.x[v, a, j], beliefs.y[v, a, j] = x[p, j], y[p, j]
                    continue
                # Of what was heard, what was told and what is believed the newest counts; what
                # was told must be news, what one hears oneself counts also if it is as new.
                oldest = np.inf if source == NO_BELIEF else age
                by_ear = heard.age[v, a, j] <= oldest + SLACK
                if by_ear:
                    oldest = heard.age[v, a, j]
                by_word = told.age[v, a, j] < oldest - SLACK
                if by_ear or by_word:
                    news = told if by_word else heard
                    beliefs.source[v, a, j] = TOLD if by_word else HEARD
                    beliefs.x[v, a, j], beliefs.y[v, a, j] = news.x[v, a, j], news.y[v, a, j]
                    beliefs.vx[v, a, j], beliefs.vy[v, a, j] = 0.0, 0.0
                    beliefs.age[v, a, j], beliefs.blur[v, a, j] = (
                        news.age[v, a, j],
                        news.blur[v, a, j],
                    )
                elif age > numbers.forget[v, a] + SLACK:
                    beliefs.source[v, a, j] = NO_BELIEF
                    beliefs.x[v, a, j], beliefs.y[v, a, j] = np.nan, np.nan
                    beliefs.vx[v, a, j], beliefs.vy[v, a, j] = np.nan, np.nan
                    beliefs.age[v, a, j], beliefs.blur[v, a, j] = np.nan, np.nan
                elif followed:
                    beliefs.source[v, a, j] = LEAD


def forget(beliefs: Beliefs, pair: tuple[int, int, int]) -> None:
    """Let go of what a (variant, agent) believes of a target."""
    beliefs.source[pair] = NO_BELIEF
    for values in beliefs[1:]:
        values[pair] = np.nan


def uncertainty(numbers: MemoryNumbers, beliefs: Beliefs) -> Numbers:
    """(..., variant, agent, target) radius in which the target is believed to be, m."""
    spread, grace = numbers.spread[:, :, None], numbers.grace[:, :, None]
    return doubt(beliefs.source, beliefs.age, beliefs.blur, grace, spread)


def doubt(source: Any, age: Any, blur: Any, grace: Any, spread: Any) -> Numbers:
    """(...) the uncertainty of beliefs, m; `source` holds their numbers in SOURCES."""
    frozen = (source == LEAD) | (source == LAST_KNOWN)
    since = np.where(frozen, np.maximum(age - grace, 0.0), age)
    known_now = (source == SENSED_NOW) | (source == GRACE)
    result: Numbers = np.where(known_now, 0.0, blur + spread * since)
    return result


def _lead_on(
    pairs: tuple[NDArray[np.intp], ...],
    dt: float,
    numbers: MemoryNumbers,
    grid: Grid,
    beliefs: Beliefs,
) -> None:
    """Carry beliefs along the last velocity for what of the tick lies within the lead."""
    v, a, _ = pairs
    since = beliefs.age[pairs] - numbers.grace[v, a]
    part = np.minimum(since, numbers.lead[v, a]) - np.maximum(since - dt, 0.0)
    part = np.clip(part, 0.0, dt)
    ended = part <= SLACK
    beliefs.source[pairs] = np.where(ended, LAST_KNOWN, LEAD)
    step = np.stack([beliefs.vx[pairs], beliefs.vy[pairs]], axis=1) * part[:, None]
    length = np.hypot(*step.T)
    if not (length > 0.0).any():
        return
    # Look a little farther, so that it stops short of a wall.
    start = np.stack([beliefs.x[pairs], beliefs.y[pairs], np.zeros(len(v))], axis=1)
    ahead = 1.0 + np.divide(SHORT_OF_WALL, length, out=np.zeros_like(length), where=length > 0.0)
    end = start.copy()
    end[:, :2] += ahead[:, None] * step
    _, wall, at = cast_rays(grid, start, end)
    share = np.where(wall >= 0, np.maximum(np.nan_to_num(at) * ahead - (ahead - 1.0), 0.0), 1.0)
    beliefs.x[pairs] += share * step[:, 0]
    beliefs.y[pairs] += share * step[:, 1]
    stopped = tuple(index[wall >= 0] for index in pairs)
    beliefs.vx[stopped] = beliefs.vy[stopped] = 0.0
