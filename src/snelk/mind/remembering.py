"""What everybody believes, tick by tick: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import BeliefColumns, MemoryNumberColumns, NewsColumns
from snelk.mind.memory import (
    GRACE,
    HEARD,
    LEAD,
    NO_BELIEF,
    SENSED_NOW,
    SLACK,
    TOLD,
    Beliefs,
    MemoryNumbers,
    News,
)
from snelk.senses.bodies import Poses
from snelk.senses.columns import PoseColumns
from snelk.senses.contact import SENSED
from snelk.senses.sight import IN_VIEW

INF = float("inf")
NAN = float("nan")


@door
def remember(
    poses: Poses,
    before: Poses,
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
    agree(
        plain(beliefs).x.shape,
        failed.shape[:3],
        touch.shape,
        zone.shape,
        plain(heard).x.shape,
        plain(told).x.shape,
    )
    agree(
        plain(poses).x.shape,
        plain(before).x.shape,
        (len(plain(poses).x), plain(beliefs).x.shape[2]),
    )
    agree(plain(numbers).used.shape, plain(beliefs).x.shape[:2])
    _remember(
        laid_out(PoseColumns, poses),
        laid_out(PoseColumns, before),
        dt,
        failed,
        touch,
        zone,
        laid_out(NewsColumns, heard),
        laid_out(NewsColumns, told),
        laid_out(MemoryNumberColumns, numbers),
        laid_out(BeliefColumns, beliefs),
    )


def _remember(
    poses: Poses,
    before: Poses,
    dt: float,
    failed: NDArray[np.int8],
    touch: NDArray[np.int8],
    zone: NDArray[np.int8],
    heard: News,
    told: News,
    numbers: MemoryNumbers,
    beliefs: Beliefs,
) -> None:
    with nogil:
        agents, targets = beliefs.x.shape[1], beliefs.x.shape[2]
        for v in range(len(beliefs.x)):
            p = v if len(poses.x) > 1 else 0
            for a in range(agents):
                for j in range(targets if numbers.used[v, a] else 0):
                    beliefs.age[v, a, j] += dt  # NaN without a belief
                    source, age = beliefs.source[v, a, j], beliefs.age[v, a, j]
                    now = touch[v, a, j] == SENSED or zone[v, a, j] == SENSED
                    for k in range(failed.shape[3]):
                        now |= failed[v, a, j, k] == IN_VIEW
                    # Between two looks a target may have gone; who is not there is not sensed.
                    now &= poses.present[p, j]
                    followed = source in (SENSED_NOW, GRACE)
                    if now:
                        moving = before.present[p, j]
                        beliefs.source[v, a, j] = SENSED_NOW
                        beliefs.vx[v, a, j] = (
                            (poses.x[p, j] - before.x[p, j]) / dt if moving else 0.0
                        )
                        beliefs.vy[v, a, j] = (
                            (poses.y[p, j] - before.y[p, j]) / dt if moving else 0.0
                        )
                        beliefs.age[v, a, j], beliefs.blur[v, a, j] = 0.0, 0.0
                    elif followed and poses.present[p, j] and age <= numbers.grace[v, a] + SLACK:
                        beliefs.source[v, a, j] = GRACE
                        now = True
                    if now:
                        beliefs.x[v, a, j], beliefs.y[v, a, j] = poses.x[p, j], poses.y[p, j]
                        continue
                    # Of what was heard, what was told and what is believed the newest counts; what
                    # was told must be news, what one hears oneself counts also if it is as new.
                    oldest = INF if source == NO_BELIEF else age
                    by_ear = heard.age[v, a, j] <= oldest + SLACK
                    if by_ear:
                        oldest = heard.age[v, a, j]
                    by_word = told.age[v, a, j] < oldest - SLACK
                    if by_ear or by_word:
                        if by_word:
                            _take(told, TOLD, v, a, j, beliefs)
                        else:
                            _take(heard, HEARD, v, a, j, beliefs)
                    elif age > numbers.forget[v, a] + SLACK:
                        beliefs.source[v, a, j] = NO_BELIEF
                        beliefs.x[v, a, j], beliefs.y[v, a, j] = NAN, NAN
                        beliefs.vx[v, a, j], beliefs.vy[v, a, j] = NAN, NAN
                        beliefs.age[v, a, j], beliefs.blur[v, a, j] = NAN, NAN
                    elif followed:
                        beliefs.source[v, a, j] = LEAD


def _take(news: News, source: int, v: int, a: int, j: int, beliefs: Beliefs) -> None:
    """Believe what is news."""
    beliefs.source[v, a, j] = source
    beliefs.x[v, a, j], beliefs.y[v, a, j] = news.x[v, a, j], news.y[v, a, j]
    beliefs.vx[v, a, j], beliefs.vy[v, a, j] = 0.0, 0.0
    beliefs.age[v, a, j], beliefs.blur[v, a, j] = news.age[v, a, j], news.blur[v, a, j]
