"""A message before a long silence: a user interface says here how to show it."""

from __future__ import annotations

import gc
from collections.abc import Callable
from contextvars import ContextVar

_SAY: ContextVar[Callable[[str], None] | None] = ContextVar("_SAY", default=None)

GARBAGE = 100_000
"""So many objects more than before are looked through for such as nobody needs any more."""


def say_with(say: Callable[[str], None]) -> None:
    """Let `say` tell the user what takes long; each message once."""
    _SAY.set(say)


def say_once(text: str) -> None:
    """Tell the user, if there is one, what will take long, once."""
    say = _SAY.get()
    if say is not None:
        _SAY.set(None)
        say(text)


USUAL = gc.get_threshold()
"""When Python looks for garbage by itself."""


def seldom_look_for_garbage() -> None:
    """Let a process of Snelk's own look for objects that nobody needs any more only seldom.

    A start and a batch make many objects that stay: to look through them again and again took a
    twelfth of the time of stepping 32 variants.
    """
    gc.set_threshold(GARBAGE)


def look_for_garbage_as_usual() -> None:
    """Restore normal garbage collection in a long process, without its first objects."""
    gc.freeze()
    gc.set_threshold(*USUAL)
