"""Chance that is explicit: a stream of numbers for each purpose, all from one seed.

A stream is named by what it is for, so that another agent, variant or purpose more changes no
one else's numbers.
"""

from __future__ import annotations

from hashlib import blake2b

import numpy as np


def stream(seed: int, *labels: str | float) -> np.random.Generator:
    """A generator of its own for each seed and row of labels.

    The generator is Philox (Salmon et al. 2011, "Parallel random numbers: as easy as 1, 2, 3"),
    its key the BLAKE2b hash of seed and labels.

    >>> a, b = stream(7, "dog", "hearing"), stream(7, "dog", "hearing")
    >>> bool(a.random() == b.random())
    True
    """
    text = "\x1f".join([str(seed), *map(repr, labels)])
    key = int.from_bytes(blake2b(text.encode(), digest_size=16).digest(), "little")
    return np.random.Generator(np.random.Philox(key=key))
