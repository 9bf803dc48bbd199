"""How awake all senses are, as scaled by alert states."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.senses.gates import SENSES


def awake_of(setups: Sequence[Setup]) -> dict[str, NDArray[np.float64]]:
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
