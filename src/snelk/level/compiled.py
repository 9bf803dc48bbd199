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
from numba.core.dispatcher import Dispatcher

F = TypeVar("F", bound=Callable[..., Any])

_OPTIONS: dict[str, Any] = {
    "cache": True,
    "nogil": True,
    "error_model": "numpy",
    "_nrt": False,
    "no_cfunc_wrapper": True,
}
_INNER: dict[str, Any] = _OPTIONS | {"forceinline": True, "no_cpython_wrapper": True}


def compiled(function: F) -> F:
    """Compile a loop over plain arrays to machine code, cached on disk."""
    result: F = numba.njit(**_OPTIONS)(function)
    return result


def inlined(function: F) -> F:
    """Like `compiled`, for a part of a loop: its code is copied into its callers.

    It can only be called from compiled functions: without an entry for Python, which takes a
    good part of the time to compile, a call from Python ends the process.
    """
    result: F = numba.njit(**_INNER)(function)
    return result


class Direct:
    """Calls a compiled function without looking at the types of its arguments again.

    Telling the types of some dozens of arrays takes longer than a tick of a small scene takes
    to compute (docs/reasons.md). So all calls must pass what the first one passed: arrays of the
    same types, numbers of axes and layout, contiguous in C order.
    """

    def __init__(self, function: Callable[..., None]) -> None:
        self._function = function
        self._entry: Callable[..., None] | None = None

    def __call__(self, *arguments: Any) -> None:
        """Call it; the first time the compiler picks or makes the code for these types."""
        if self._entry is not None:
            self._entry(*arguments)
            return
        self._function(*arguments)
        if isinstance(self._function, Dispatcher):  # else compilation is switched off
            self._entry = self._function.get_overload(tuple(map(numba.typeof, arguments)))
