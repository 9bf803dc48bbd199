"""The one place that names the compiler of the hot loops.

A compiled function allocates nothing: its caller hands in the arrays to fill. That lets the
compiler leave out the counting of references to arrays, which otherwise costs more than the
walk of a ray (twice the time: docs/reasons.md). Floating point stays
strict, so that a number does not depend on how many others were computed beside it.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar

import numba
from numba.core.caching import FunctionCache, NullCache
from numba.core.dispatcher import Dispatcher

F = TypeVar("F", bound=Callable[..., Any])

_Base: Any = FunctionCache  # which has no types

_OPTIONS: dict[str, Any] = {
    "nogil": True,
    "error_model": "numpy",
    "_nrt": False,
    "no_cfunc_wrapper": True,
}
_INNER: dict[str, Any] = _OPTIONS | {"forceinline": True, "no_cpython_wrapper": True}

SOURCES = ("level", "senses", "mind")
"""The folders that hold compiled code."""


@lru_cache(maxsize=1)
def _sources() -> str:
    """A digest of all compiled code: what one function inlines belongs to its machine code."""
    root, found = Path(__file__).parents[1], hashlib.blake2b(digest_size=16)
    for folder in SOURCES:
        for path in sorted((root / folder).glob("*.py")):
            text = path.read_bytes()
            if b"import compiled" in text or b"inlined" in text:
                found.update(text)
    return found.hexdigest()


class _Cache(_Base):  # type: ignore[misc]
    """Machine code kept on disk, as far as there is a disk.

    A file that cannot be read, or was cut off, is as good as none; one that cannot be written is
    done without. Code is used again only while no source of compiled code has changed.
    """

    def load_overload(self, sig: Any, target_context: Any) -> Any:
        try:
            return super().load_overload(sig, target_context)
        except Exception:  # a broken pickle fails in any way
            return None

    def save_overload(self, sig: Any, data: Any) -> None:
        try:
            super().save_overload(sig, data)
        except Exception:
            try:  # a broken index is in the way of every later one
                self.flush()
                super().save_overload(sig, data)
            except Exception:
                return

    def _index_key(self, sig: Any, codegen: Any) -> Any:
        return (*super()._index_key(sig, codegen), _sources())


def _kept(function: F) -> F:
    """A compiled function whose machine code is kept where there is a place for it."""
    if isinstance(function, Dispatcher):  # else compilation is switched off
        dispatcher: Any = function
        try:
            dispatcher._cache = _Cache(dispatcher.py_func)
        except (RuntimeError, OSError):  # neither beside the code nor in the user's folder
            dispatcher._cache = NullCache()
    return function


def compiled(function: F) -> F:
    """Compile a loop over plain arrays to machine code, cached on disk."""
    result: F = _kept(numba.njit(**_OPTIONS)(function))
    return result


def inlined(function: F) -> F:
    """Like `compiled`, for a part of a loop: its code is copied into its callers.

    It can only be called from compiled functions: without an entry for Python, which takes a
    good part of the time to compile, a call from Python ends the process.
    """
    result: F = _kept(numba.njit(**_INNER)(function))
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
