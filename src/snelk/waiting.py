"""A word before a long silence: whoever has a user to talk to says here how to say it."""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar

_SAY: ContextVar[Callable[[str], None] | None] = ContextVar("_SAY", default=None)


def say_with(say: Callable[[str], None]) -> None:
    """Let `say` tell the user what takes long; each thing once."""
    _SAY.set(say)


def say_once(text: str) -> None:
    """Tell the user, if there is one, what will take long; nothing more after that."""
    say = _SAY.get()
    if say is not None:
        _SAY.set(None)
        say(text)
