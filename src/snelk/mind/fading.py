"""How places that a noise drew somebody to fade: compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import nogil
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.mind.columns import DrawnColumns, MeterNumberColumns
from snelk.mind.drawn import Drawn
from snelk.mind.meter import MeterNumbers
from snelk.senses.columns import HeardColumns, NoiseColumns
from snelk.senses.hearing import HEARD, NOBODY, Heard, Noises

Numbers = NDArray[np.float64]

NAN = float("nan")

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def fade(loud: Numbers, numbers: MeterNumbers, forget: Numbers, dt: float, drawn: Drawn) -> None:
    """One tick of the meters of places: what noises add, the hold, draining; and forgetting.

    Args:
        loud: (variant, agent) strengths of such noises heard at this tick, added up.
        numbers: The numbers of the meters.
        forget: (variant, agent) the age at which a place is forgotten, s.
        dt: Length of the tick, s.
        drawn: Overwritten.
    """
    agree(loud.shape, forget.shape, plain(numbers).used.shape, plain(drawn).x.shape)
    _fade(loud, laid_out(MeterNumberColumns, numbers), forget, dt, laid_out(DrawnColumns, drawn))


def _fade(loud: Numbers, numbers: MeterNumbers, forget: Numbers, dt: float, drawn: Drawn) -> None:
    with nogil:
        for v in range(len(loud)):
            for a in range(loud.shape[1]):
                drawn.heard[v, a] = False
                drawn.age[v, a] += dt
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
                if drawn.age[v, a] > forget[v, a] + SLACK:
                    drawn.x[v, a], drawn.y[v, a], drawn.age[v, a] = NAN, NAN, NAN
                    drawn.blur[v, a], drawn.meter[v, a], drawn.kind[v, a] = NAN, 0.0, -1


@door
def draw(
    noises: Noises,
    heard: Heard,
    pairs: int,
    can: NDArray[np.bool_],
    error: Numbers,
    now: float,
    drawn: Drawn,
) -> None:
    """Keep the newest place that a noise of nobody drew everybody to.

    Args:
        noises: The noises that were judged.
        heard: What became of them.
        pairs: How many pairs of noise and ear that is.
        can: (variant, agent) who can be drawn to a place.
        error: (variant, agent) how far off it may seem, m for each m of distance.
        now: The time of the tick, s.
        drawn: Overwritten.
    """
    agree((0 <= pairs <= len(plain(heard).row),), (True,))
    agree(can.shape, error.shape, plain(drawn).x.shape)
    _draw(
        laid_out(NoiseColumns, noises), laid_out(HeardColumns, heard), pairs, can, error, now,
        laid_out(DrawnColumns, drawn),
    )  # fmt: skip


def _draw(
    noises: Noises,
    heard: Heard,
    pairs: int,
    can: NDArray[np.bool_],
    error: Numbers,
    now: float,
    drawn: Drawn,
) -> None:
    with nogil:
        for pair in range(pairs):
            v, a, n = heard.variant[pair], heard.agent[pair], heard.row[pair]
            if heard.failed[pair] != HEARD or heard.by[pair] != NOBODY or not can[v, a]:
                continue
            drawn.heard[v, a] = True
            age = now - noises.t[n]
            if not drawn.age[v, a] < age - SLACK:
                drawn.x[v, a], drawn.y[v, a] = heard.x[pair], heard.y[pair]
                drawn.age[v, a], drawn.kind[v, a] = max(age, 0.0), noises.kind[n]
                drawn.blur[v, a] = error[v, a] * heard.straight[pair]


@door
def draw_loud(heard: Heard, pairs: int, can: NDArray[np.bool_], loud: Numbers) -> None:
    """How strong the noises of nobody were that were heard: `loud`, (variant, agent)."""
    agree((0 <= pairs <= len(plain(heard).row),), (True,))
    agree(can.shape, loud.shape)
    _draw_loud(laid_out(HeardColumns, heard), pairs, can, loud)


def _draw_loud(heard: Heard, pairs: int, can: NDArray[np.bool_], loud: Numbers) -> None:
    with nogil:
        for v in range(len(loud)):
            for a in range(loud.shape[1]):
                loud[v, a] = 0.0
        for pair in range(pairs):
            v, a = heard.variant[pair], heard.agent[pair]
            if heard.failed[pair] == HEARD and heard.by[pair] == NOBODY and can[v, a]:
                loud[v, a] += heard.strength[pair]
