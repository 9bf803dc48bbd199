"""The errors that Snelk raises: one base class, with the facts as fields."""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Self

__all__ = [
    "InputError",
    "Problem",
    "ReadError",
    "SnelkError",
    "UnknownNameError",
    "WriteError",
    "nearest",
    "one_of",
]


class SnelkError(Exception):
    """Base class of all errors that Snelk raises on purpose."""


@dataclass(frozen=True)
class Problem:
    """One error in the input.

    Attributes:
        source: The file, option or call with the error.
        place: Where in it: a key path such as ``cast.fox.team``, a line, a feature.
        given: The given value, as text; empty if there was none.
        rule: What must hold.
        fix: How to fix it; can be empty if the rule says it all.
    """

    source: str
    place: str
    given: str
    rule: str
    fix: str = ""

    def __str__(self) -> str:
        place = f"{self.source}: {self.place}" if self.place else self.source
        given = f" (given: {self.given})" if self.given else ""
        fix = f"; {self.fix}" if self.fix else ""
        return one_line(f"{place}: {self.rule}{given}{fix}")


MOST_TOLD = 25
"""So many problems are told at most; all are in `problems`."""


def either(words: Sequence[str]) -> str:
    """Words as a choice.

    >>> either(["touch", "zone", "smell"])
    'touch, zone or smell'
    """
    *most, last = words
    return f"{', '.join(most)} or {last}" if most else last


def one_line(text: str) -> str:
    r"""Text without line ends, escape sequences and other letters that cannot be printed.

    >>> one_line("a\tb\x1b[31m")
    'a b\\x1b[31m'
    """
    if text.isprintable():
        return text
    plain = ("" if c == "\ufeff" else " " if c in "\t\n\r" else c for c in text)
    return "".join(c if c.isprintable() else c.encode("unicode_escape").decode() for c in plain)


class InputError(SnelkError, ValueError):
    """Invalid input; `problems` lists everything that is wrong with it.

    >>> error = InputError([Problem("night.toml", "clock.dt", "-1", "must be above 0 s")])
    >>> print(error)
    night.toml: clock.dt: must be above 0 s (given: -1)
    """

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = tuple(problems)
        lines = [str(problem) for problem in self.problems[:MOST_TOLD]]
        if len(self.problems) > MOST_TOLD:
            lines.append(f"and {len(self.problems) - MOST_TOLD} more like these")
        super().__init__("\n".join(lines))

    def __reduce__(self) -> tuple[type[InputError], tuple[tuple[Problem, ...]]]:
        """So that it can come from another process."""
        return type(self), (self.problems,)

    @classmethod
    def of(cls, source: str, place: str, given: str, rule: str, fix: str = "") -> Self:
        """An error with a single problem."""
        return cls([Problem(source, place, given, rule, fix)])


class ReadError(InputError):
    """A file cannot be read: it is missing, damaged, or of another type."""


class WriteError(InputError):
    """A file or folder cannot be written, or something would be overwritten."""


class UnknownNameError(InputError):
    """An unknown name; the fix names the closest valid one."""


ALL = "known: "
"""How a fix begins that lists all right names."""


def nearest(name: str, known: Iterable[str]) -> str:
    """The fix for a wrong name: the nearest right one, else all right ones.

    >>> nearest("rnage", ["range", "fov_whole"])
    'did you mean "range"?'
    >>> nearest("q", ["range", "fov_whole"])
    'known: fov_whole, range'
    """
    names = sorted(set(known))
    lowered = {n.lower(): n for n in reversed(names)}
    close = difflib.get_close_matches(name.lower(), list(lowered), n=1, cutoff=0.5)
    if close:
        return f'did you mean "{lowered[close[0]]}"?'
    longer = [n for n in names if len(name) > 2 and name.lower() in n.lower()]
    if longer:
        return f'did you mean "{longer[0]}"?'
    if not names:
        return "there are none"
    return f"{ALL}{', '.join(names)}"


def one_of(name: str, known: Iterable[str], *, source: str, place: str, what: str) -> None:
    """Raise `UnknownNameError` unless `name` is among the `known` names of a `what`."""
    names = list(known)
    if name not in names:
        raise UnknownNameError.of(
            source, place, f'"{name}"', f"no such {what}", nearest(name, names)
        )
