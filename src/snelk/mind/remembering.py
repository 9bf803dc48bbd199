"""The beliefs of all agents at each tick; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from numpy.typing import NDArray

from snelk.level.columns import GridColumns, agree, door, laid_out, plain
from snelk.level.grid import Grid, Scratch, agree_scratch
from snelk.mind.columns import BeliefColumns, MemoryNumberColumns, NewsColumns
from snelk.mind.memory import (
    GRACE,
    HEARD,
    LAST_KNOWN,
    LEAD,
    NO_BELIEF,
    SENSED_NOW,
    SLACK,
    SMELT,
    TOLD,
    Beliefs,
    MemoryNumbers,
    News,
)
from snelk.senses.bodies import Poses
from snelk.senses.columns import ContactColumns, PoseColumns
from snelk.senses.contact import SENSED, Contacts
from snelk.senses.sight import IN_VIEW

if not compiled:  # else it is the loop's own, by the .pxd
    from snelk.level.casting import cast_ray
    from snelk.level.lengths import hypot

INF = float("inf")
NAN = float("nan")

SHORT_OF_WALL = 0.02
"""A belief that is led on stops this far before a wall, m."""


@door
def remember(
    notices: NDArray[np.bool_],
    poses: Poses,
    before: Poses,
    dt: float,
    failed: NDArray[np.int8],
    contacts: Contacts,
    heard: News,
    told: News,
    numbers: MemoryNumbers,
    grid: Grid,
    scratch: Scratch,
    beliefs: Beliefs,
) -> None:
    """One tick of all memories.

    Args:
        notices: (variant, agent, target) whom they can notice; of all others nothing is believed.
        poses: Everybody's poses.
        before: Everybody's poses a tick ago.
        dt: Length of the tick, s.
        failed: (variant, agent, target, cone) the first gate of sight that failed, or IN_VIEW.
        contacts: What touch, the zone sense and smell came to.
        heard: The newest noises that were heard.
        told: The newest that was told.
        numbers: The numbers of the memories.
        grid: The walls that stop a belief that is led on.
        scratch: Of the grid.
        beliefs: Overwritten.
    """
    agree_scratch(scratch, grid, len(plain(beliefs).x))
    agree(
        plain(beliefs).x.shape,
        failed.shape[:3],
        plain(contacts).touch.shape,
        plain(heard).x.shape,
        plain(told).x.shape,
        notices.shape,
    )
    agree(
        plain(poses).x.shape,
        plain(before).x.shape,
        (len(plain(poses).x), plain(beliefs).x.shape[2]),
    )
    agree(plain(numbers).used.shape, plain(beliefs).x.shape[:2])
    _remember(
        notices,
        laid_out(PoseColumns, poses),
        laid_out(PoseColumns, before),
        dt,
        failed,
        laid_out(ContactColumns, contacts),
        laid_out(NewsColumns, heard),
        laid_out(NewsColumns, told),
        laid_out(MemoryNumberColumns, numbers),
        laid_out(GridColumns, grid),
        scratch,
        laid_out(BeliefColumns, beliefs),
    )


def _remember(
    notices: NDArray[np.bool_],
    poses: Poses,
    before: Poses,
    dt: float,
    failed: NDArray[np.int8],
    contacts: Contacts,
    heard: News,
    told: News,
    numbers: MemoryNumbers,
    grid: Grid,
    scratch: Scratch,
    beliefs: Beliefs,
) -> None:
    agents, targets = beliefs.x.shape[1], beliefs.x.shape[2]
    for v in range(len(beliefs.x)):
        scratch.row[0] = v if len(scratch.opened) > 1 else 0
        p = v if len(poses.x) > 1 else 0
        for a in range(agents):
            for j in range(targets if numbers.used[v, a] else 0):
                if not notices[v, a, j]:
                    continue
                beliefs.age[v, a, j] += dt  # NaN without a belief
                source, age = beliefs.source[v, a, j], beliefs.age[v, a, j]
                now = contacts.felt[v, a, j]
                for k in range(failed.shape[3]):
                    now |= failed[v, a, j, k] == IN_VIEW
                # Between two looks a target may have gone; who is not there is not sensed.
                now &= poses.present[p, j]
                followed = source in (SENSED_NOW, GRACE)
                if now:
                    moving = before.present[p, j]
                    beliefs.source[v, a, j] = SENSED_NOW
                    beliefs.vx[v, a, j] = (poses.x[p, j] - before.x[p, j]) / dt if moving else 0.0
                    beliefs.vy[v, a, j] = (poses.y[p, j] - before.y[p, j]) / dt if moving else 0.0
                    beliefs.age[v, a, j], beliefs.blur[v, a, j] = 0.0, 0.0
                elif followed and poses.present[p, j] and age <= numbers.grace[v, a] + SLACK:
                    beliefs.source[v, a, j] = GRACE
                    now = True
                if now:
                    beliefs.x[v, a, j], beliefs.y[v, a, j] = poses.x[p, j], poses.y[p, j]
                    beliefs.z[v, a, j] = poses.z[p, j]
                    continue
                # Of what was heard, smelt, told and is believed the newest counts; what was
                # told must be news, what one hears or smells oneself counts also if as new.
                oldest = INF if source == NO_BELIEF else age
                by_ear = heard.age[v, a, j] <= oldest + SLACK
                if by_ear:
                    oldest = heard.age[v, a, j]
                by_nose = contacts.smell[v, a, j] == SENSED
                by_nose = by_nose and contacts.scent_age[v, a, j] <= oldest + SLACK
                if by_nose:
                    oldest = contacts.scent_age[v, a, j]
                by_word = told.age[v, a, j] < oldest - SLACK
                if by_ear or by_nose or by_word:
                    if by_word:
                        _take(told, TOLD, v, a, j, beliefs)
                    elif by_nose:
                        _take_scent(contacts, v, a, j, beliefs)
                    else:
                        _take(heard, HEARD, v, a, j, beliefs)
                elif age > numbers.forget[v, a] + SLACK:
                    beliefs.source[v, a, j] = NO_BELIEF
                    beliefs.x[v, a, j], beliefs.y[v, a, j] = NAN, NAN
                    beliefs.z[v, a, j] = NAN
                    beliefs.vx[v, a, j], beliefs.vy[v, a, j] = NAN, NAN
                    beliefs.age[v, a, j], beliefs.blur[v, a, j] = NAN, NAN
                elif followed:
                    beliefs.source[v, a, j] = LEAD
                if beliefs.source[v, a, j] == LEAD:
                    _lead_on(numbers, dt, grid, scratch, v, a, j, beliefs)


def _take(news: News, source: int, v: int, a: int, j: int, beliefs: Beliefs) -> None:
    """Take news as the belief."""
    beliefs.source[v, a, j] = source
    beliefs.x[v, a, j], beliefs.y[v, a, j] = news.x[v, a, j], news.y[v, a, j]
    beliefs.z[v, a, j] = news.z[v, a, j]
    beliefs.vx[v, a, j], beliefs.vy[v, a, j] = 0.0, 0.0
    beliefs.age[v, a, j], beliefs.blur[v, a, j] = news.age[v, a, j], news.blur[v, a, j]


def _take_scent(contacts: Contacts, v: int, a: int, j: int, beliefs: Beliefs) -> None:
    """Believe that it is where the trail that is smelt was left, as long ago as that was."""
    beliefs.source[v, a, j] = SMELT
    beliefs.x[v, a, j], beliefs.y[v, a, j] = contacts.scent_x[v, a, j], contacts.scent_y[v, a, j]
    beliefs.z[v, a, j] = contacts.scent_z[v, a, j]
    beliefs.vx[v, a, j], beliefs.vy[v, a, j] = 0.0, 0.0
    beliefs.age[v, a, j], beliefs.blur[v, a, j] = contacts.scent_age[v, a, j], 0.0


def _lead_on(
    numbers: MemoryNumbers,
    dt: float,
    grid: Grid,
    scratch: Scratch,
    v: int,
    a: int,
    j: int,
    beliefs: Beliefs,
) -> None:
    """Move a belief with the last velocity, for the part of the tick within the lead."""
    since = beliefs.age[v, a, j] - numbers.grace[v, a]
    led = max(since - dt, 0.0)
    if numbers.lead[v, a] - led <= SLACK:
        beliefs.source[v, a, j] = LAST_KNOWN
    part = min(max(min(since, numbers.lead[v, a]) - led, 0.0), dt)
    dx, dy = beliefs.vx[v, a, j] * part, beliefs.vy[v, a, j] * part
    length = hypot(dx, dy)
    if not length > 0.0:
        return
    # Look a little farther, so that it stops short of a wall.
    ahead = 1.0 + SHORT_OF_WALL / length
    x, y = beliefs.x[v, a, j], beliefs.y[v, a, j]
    z = beliefs.z[v, a, j]
    _share, wall, at = cast_ray(grid, scratch, x, y, z, x + ahead * dx, y + ahead * dy, z)
    share = 1.0
    if wall >= 0:
        share = max(at * ahead - (ahead - 1.0), 0.0)
        beliefs.vx[v, a, j] = beliefs.vy[v, a, j] = 0.0
    beliefs.x[v, a, j], beliefs.y[v, a, j] = x + share * dx, y + share * dy
