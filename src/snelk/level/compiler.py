"""The one place that names the compiler of the hot loops; see `compiled` for what they are.

It is loaded when the first of them is called: loading it takes longer than many a question.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import Any

import numba
from numba.core.caching import FunctionCache, NullCache
from numba.core.dispatcher import Dispatcher
from numba.extending import typeof_impl

from snelk.level.compiled import Compiled
from snelk.waiting import say_once

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
            found = super().load_overload(sig, target_context)
        except Exception:  # a broken pickle fails in any way
            found = None
        if found is None:
            say_once("compiling for this machine, once: some 20 s …")
        return found

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


def dispatcher_of(function: Callable[..., Any], *, inner: bool) -> Any:
    """What compiles a function; its machine code is kept where there is a place for it."""
    found = numba.njit(**(_INNER if inner else _OPTIONS))(function)
    if isinstance(found, Dispatcher):  # else compilation is switched off
        dispatcher: Any = found
        try:
            dispatcher._cache = _Cache(dispatcher.py_func)
        except (RuntimeError, OSError):  # neither beside the code nor in the user's folder
            dispatcher._cache = NullCache()
    return found


def entry_of(dispatcher: Any, arguments: tuple[Any, ...]) -> Callable[..., None] | None:
    """The machine code for arguments of these types; None where compilation is switched off."""
    if not isinstance(dispatcher, Dispatcher):
        return None
    entry: Callable[..., None] = dispatcher.get_overload(tuple(map(numba.typeof, arguments)))
    return entry


_typeof_any: Any = numba.typeof


@typeof_impl.register(Compiled)
def _typeof(function: Compiled, _context: Any) -> Any:
    """A function that another one calls is compiled for it."""
    return _typeof_any(function.dispatcher)
