"""Hot loops: functions over plain arrays that are compiled to machine code.

A compiled function allocates nothing: its caller hands in the arrays to fill. That lets the
compiler leave out the counting of references to arrays, which otherwise costs more than the
walk of a ray (twice the time: docs/reasons.md). Floating point stays
strict, so that a number does not depend on how many others were computed beside it.

The compiler itself, `snelk.level.compiler`, is loaded with the first call. A question about one
moment needs a few rays, and is answered before it would be loaded: within `uncompiled` the same
code runs as it is written.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import update_wrapper
from threading import Lock
from typing import Any, TypeVar, cast

import numpy as np

F = TypeVar("F", bound=Callable[..., Any])

_PLAIN: ContextVar[bool] = ContextVar("_PLAIN", default=False)
_LOCK = Lock()


class Compiled:
    """A function that is compiled when it is called first.

    Attributes:
        dispatcher: What compiles it, and calls the machine code.
    """

    def __init__(self, function: Callable[..., Any], *, inner: bool) -> None:
        update_wrapper(self, function)
        self._function, self._inner, self._dispatcher = function, inner, None

    @property
    def dispatcher(self) -> Any:
        """What compiles it; the compiler is loaded with the first that is asked for."""
        if self._dispatcher is None:
            from snelk.level.compiler import dispatcher_of

            with _LOCK:
                if self._dispatcher is None:
                    self._dispatcher = dispatcher_of(self._function, inner=self._inner)
        return self._dispatcher

    def __call__(self, *arguments: Any) -> Any:
        """Call the machine code, or within `uncompiled` the function as it is written."""
        return (self._function if _PLAIN.get() else self.dispatcher)(*arguments)


@contextmanager
def uncompiled() -> Iterator[None]:
    """Run hot loops as they are written, without the compiler: quicker for a few rays.

    What is divided by 0 is infinite there as well, and says nothing.
    """
    before = _PLAIN.set(True)
    try:
        with np.errstate(all="ignore"):
            yield
    finally:
        _PLAIN.reset(before)


def compiled(function: F) -> F:
    """Compile a loop over plain arrays to machine code, cached on disk."""
    return cast("F", Compiled(function, inner=False))


def inlined(function: F) -> F:
    """Like `compiled`, for a part of a loop: its code is copied into its callers.

    It can only be called from compiled functions: without an entry for Python, which takes a
    good part of the time to compile, a call from Python ends the process.
    """
    return cast("F", Compiled(function, inner=True))


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
        if isinstance(self._function, Compiled) and not _PLAIN.get():
            from snelk.level.compiler import entry_of

            self._entry = entry_of(self._function.dispatcher, arguments)
