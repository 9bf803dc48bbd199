"""How the interest in a noise made by nobody fades; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import DrawStageColumns
from snelk.mind.drawn import Drawn
from snelk.mind.meter import MeterNumbers
from snelk.mind.stage import DrawStage
from snelk.senses.columns import HeardColumns, NoiseColumns
from snelk.senses.hearing import HEARD, NOBODY, Heard, Noises

Numbers = NDArray[np.float64]

NAN = float("nan")

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def follow_drawn(
    stage: DrawStage, noises: Noises, heard: Heard, pairs: int, now: float, dt: float
) -> None:
    """One tick of noises made by nobody: what they add, holding, draining, forgetting.

    Args:
        stage: What draws them; overwritten.
        noises: The noises that were judged.
        heard: What became of them.
        pairs: How many pairs of noise and ear that is.
        now: The time of the tick, s.
        dt: Length of the tick, s.
    """
    agree((0 <= pairs <= len(plain(heard).row),), (True,))
    _follow_drawn(
        laid_out(DrawStageColumns, stage), laid_out(NoiseColumns, noises),
        laid_out(HeardColumns, heard), pairs, now, dt,
    )  # fmt: skip


def _follow_drawn(
    stage: DrawStage, noises: Noises, heard: Heard, pairs: int, now: float, dt: float
) -> None:
    if pairs or stage.is_loud[0]:
        _draw_loud(heard, pairs, stage.can, stage.loud)
        stage.is_loud[0] = pairs > 0
    _fade(stage.loud, stage.meters, stage.forget, dt, stage.drawn)
    if pairs:
        _draw(noises, heard, pairs, stage.can, stage.error, now, stage.drawn)


def _fade(loud: Numbers, numbers: MeterNumbers, forget: Numbers, dt: float, drawn: Drawn) -> None:
    for v in range(len(loud)):
        for a in range(loud.shape[1]):
            drawn.heard[v, a] = False
            drawn.age[v, a] += dt
            if drawn.age[v, a] > forget[v, a] + SLACK:
                drawn.x[v, a], drawn.y[v, a], drawn.z[v, a] = NAN, NAN, NAN
                drawn.age[v, a] = NAN
                drawn.blur[v, a], drawn.meter[v, a], drawn.kind[v, a] = NAN, 0.0, -1
            added, drained = 0.0, 0.0
            if numbers.used[v, a]:
                added = numbers.noise_gain[v, a] * loud[v, a]
            if loud[v, a] > 0.0:
                drawn.quiet[v, a] = 0.0
            else:
                drawn.quiet[v, a] += dt
                # Of the tick in which the hold ends only the rest drains.
                drained = min(max(drawn.quiet[v, a] - numbers.drain_after[v, a], 0.0), dt)
                drained = drained / numbers.drain_time[v, a]
            drawn.meter[v, a] = min(max(drawn.meter[v, a] + added - drained, 0.0), 1.0)


def _draw(
    noises: Noises,
    heard: Heard,
    pairs: int,
    can: NDArray[np.bool_],
    error: Numbers,
    now: float,
    drawn: Drawn,
) -> None:
    """Keep the newest place that a noise of nobody drew everybody to."""
    for pair in range(pairs):
        v, a, n = heard.variant[pair], heard.agent[pair], heard.row[pair]
        if heard.failed[pair] != HEARD or heard.by[pair] != NOBODY or not can[v, a]:
            continue
        drawn.heard[v, a] = True
        age = now - noises.t[n]
        if not drawn.age[v, a] < age - SLACK:
            drawn.x[v, a], drawn.y[v, a] = heard.x[pair], heard.y[pair]
            drawn.z[v, a] = noises.z[n]
            drawn.age[v, a], drawn.kind[v, a] = max(age, 0.0), noises.kind[n]
            drawn.blur[v, a] = error[v, a] * heard.straight[pair]


def _draw_loud(heard: Heard, pairs: int, can: NDArray[np.bool_], loud: Numbers) -> None:
    """How strong the noises of nobody were that were heard."""
    for v in range(len(loud)):
        for a in range(loud.shape[1]):
            loud[v, a] = 0.0
    for pair in range(pairs):
        v, a = heard.variant[pair], heard.agent[pair]
        if heard.failed[pair] == HEARD and heard.by[pair] == NOBODY and can[v, a]:
            loud[v, a] += heard.strength[pair]
