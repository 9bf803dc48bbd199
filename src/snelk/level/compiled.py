"""The one place that names the compiler of the hot loops.

A compiled function allocates nothing: its caller hands in the arrays to fill. That lets the
compiler leave out the counting of references to arrays, which otherwise costs more than the
walk of a ray (twice the time: docs/reasons.md). Floating point stays
strict, so that a number does not depend on how many others were computed beside it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import numba

F = TypeVar("F", bound=Callable[..., Any])

_OPTIONS: dict[str, Any] = {"cache": True, "nogil": True, "error_model": "numpy", "_nrt": False}


def compiled(function: F) -> F:
    """Compile a loop over plain arrays to machine code, cached on disk."""
    result: F = numba.njit(**_OPTIONS)(function)
    return result


def inlined(function: F) -> F:
    """Like `compiled`, for a part of a loop: its code is copied into its callers."""
    result: F = numba.njit(forceinline=True, **_OPTIONS)(function)
    return result
