"""Memory: what an agent believes of where a target is; see docs/calculations.md.

A belief has a place, a source and an age. Whoever senses a target by sight, touch or the zone
sense knows where it is; after that the belief is what is left of it, unless something newer comes.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.rays import Grid, cast_rays
from snelk.senses.bodies import Poses

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


def remember(
    poses: Poses,
    before: Poses,
    dt: float,
    sensed: NDArray[np.bool_],
    heard: News,
    told: News,
    numbers: MemoryNumbers,
    grid: Grid,
    beliefs: Beliefs,
) -> None:
    """One tick of all memories, written to `beliefs`.

    Args:
        poses: Everybody's poses.
        before: Everybody's poses a tick ago.
        dt: Length of the tick, s.
        sensed: (variant, agent, target) who is sensed by sight, touch or the zone sense.
        heard: The newest noises that were heard.
        told: The newest that was told.
        numbers: The numbers of the memories.
        grid: The walls that stop a belief that is led on.
        beliefs: What everybody believes, overwritten.
    """
    used = numbers.used[:, :, None]
    there = poses.present[:, None, :]
    source, age = beliefs.source, beliefs.age
    # Between two looks a target may have gone; who is not there is not sensed.
    sensed = sensed & there & used
    age += dt  # NaN without a belief
    followed = (source == SENSED_NOW) | (source == GRACE)
    grace = followed & ~sensed & there & (age <= numbers.grace[:, :, None] + SLACK)
    if sensed.any() or grace.any():
        follow = sensed | grace
        for name in ("x", "y"):
            place, ago = getattr(poses, name)[:, None, :], getattr(before, name)[:, None, :]
            np.copyto(getattr(beliefs, name), place, where=follow)
            velocity = np.where(before.present[:, None, :], (place - ago) / dt, 0.0)
            np.copyto(getattr(beliefs, f"v{name}"), velocity, where=sensed)
        age[sensed] = 0.0
        beliefs.blur[sensed] = 0.0
        source[sensed] = SENSED_NOW
        source[grace] = GRACE
    rest = used & ~sensed & ~grace
    # Of what was heard, what was told and what is believed the newest counts.
    for news, from_source in ((heard, HEARD), (told, TOLD)):
        if np.isnan(news.age).all():
            continue
        # What was told must be news; what one hears oneself counts also if it is as new.
        slack = SLACK if from_source == HEARD else -SLACK
        newer = rest & (news.age <= np.where(source == NO_BELIEF, np.inf, age) + slack)
        source[newer] = from_source
        for name in News._fields:
            getattr(beliefs, name)[newer] = getattr(news, name)[newer]
        beliefs.vx[newer] = beliefs.vy[newer] = 0.0
    gone = rest & (age > numbers.forget[:, :, None] + SLACK)
    if gone.any():
        source[gone] = NO_BELIEF
        for values in beliefs[1:]:
            values[gone] = np.nan
    led = rest & ((source == SENSED_NOW) | (source == GRACE) | (source == LEAD))
    if led.any():
        _lead_on(np.nonzero(led), dt, numbers, grid, beliefs)


def uncertainty(numbers: MemoryNumbers, beliefs: Beliefs) -> Numbers:
    """(..., variant, agent, target) radius in which the target is believed to be, m."""
    spread, grace = numbers.spread[:, :, None], numbers.grace[:, :, None]
    frozen = (beliefs.source == LEAD) | (beliefs.source == LAST_KNOWN)
    since = np.where(frozen, np.maximum(beliefs.age - grace, 0.0), beliefs.age)
    known_now = (beliefs.source == SENSED_NOW) | (beliefs.source == GRACE)
    result: Numbers = np.where(known_now, 0.0, beliefs.blur + spread * since)
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
