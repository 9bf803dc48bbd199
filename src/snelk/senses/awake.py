"""How awake all senses are, as scaled by alert states."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.senses.gates import SENSES

Numbers = NDArray[np.float64]


def awake_of(setups: Sequence[Setup]) -> dict[str, Numbers]:
    """For each sense (variant, agent) how awake it is at the start, 1 for fully.

    >>> import snelk
    >>> night = snelk.load(snelk.croft() / "night.toml").setup
    >>> awake_of([night])["hearing"][0, night.agents.index("dog")].round(3)
    np.float64(0.765)
    """
    return {
        sense: np.array([[s.cast[name].awake_of(sense) for name in s.agents] for s in setups])
        .astype(np.float64)
        .reshape(len(setups), -1)
        for sense in (each.name for each in SENSES)
    }


def in_one_piece(by_sense: Mapping[str, Numbers]) -> tuple[Numbers, dict[str, Numbers]]:
    """(sense, variant, agent) how awake all senses are, in the order of `SENSES`, and each of it.

    >>> whole, by_sense = in_one_piece({sense.name: np.ones((1, 2)) for sense in SENSES})
    >>> by_sense["touch"][0, 1] = 0.5
    >>> whole[:3, 0, 1].tolist()
    [1.0, 1.0, 0.5]
    """
    names = [sense.name for sense in SENSES]
    whole = np.stack([by_sense[name] for name in names])
    return whole, dict(zip(names, whole, strict=True))
