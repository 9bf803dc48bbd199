"""How arrays lie in memory for the compiled loops.

A module with a `.pxd` beside it is a compiled loop: rules as they are written here, translated to
machine code when Snelk is installed. The `.pxd` says which types its numbers have, the rule stays
Python. Where there is no compiler the same source runs interpreted, to the same last digit, and
more slowly. Loops allocate nothing: their caller hands in the arrays to fill. Floating
point stays strict and nothing is contracted, so that a number depends on its own inputs only.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

import cython
import numpy as np
from numpy.typing import NDArray

from snelk.built import is_stale
from snelk.errors import InputError
from snelk.waiting import say_once

if cython.compiled and is_stale():
    raise InputError.of(
        "snelk",
        "",
        "",
        "its loops were built from other sources",
        "build them with: pip install -e .",
    )

SLOW = "Snelk is slow: its loops are not compiled; install it again where there is a C compiler"

T = TypeVar("T")
F = TypeVar("F", bound=Callable[..., Any])


class Columns:
    """The arrays of a named tuple; compiled, each is an address with a shape."""

    def __init__(self, given: Any) -> None:
        self.given = given
        for name, value in zip(given._fields, given, strict=True):
            setattr(self, name, value)


class GridColumns(Columns):
    """Those of a `Grid`."""


class ScratchColumns(Columns):
    """Those of a `Scratch`."""


class ZoneColumns(Columns):
    """Those of `Zones`."""


class FloorColumns(Columns):
    """Those of `Floors`."""


class LinkColumns(Columns):
    """Those of `Links`."""


class JoinColumns(Columns):
    """Those of `Joins`."""


class GroundColumns(Columns):
    """Those of a `Ground`."""


class GroundStageColumns(Columns):
    """Those of a `GroundStage`."""


def laid_out(columns: Callable[[Any], Any], given: T) -> T:
    """A named tuple as compiled loops read it.

    Looking at its arrays takes longer than many a loop: who calls with the same ones again and
    again keeps what comes of it, and calls with that. One that has a `check` of how its arrays
    agree is checked first.

    Raises:
        ValueError: An array has another type or number of axes than the loops read, or they do not
            agree.
    """
    if isinstance(given, Columns):
        return given
    check = getattr(given, "check", None)
    if check is not None:
        check()
    if not cython.compiled:
        return given
    found: T = columns(given)
    return found


def frozen(given: T) -> T:
    """A named tuple of numbers that nothing may write to any more."""
    for value in given:  # type: ignore[attr-defined]  # all are NamedTuples
        if isinstance(value, np.ndarray):
            value.flags.writeable = False
    return given


def in_one(given: T) -> T:
    """A named tuple with equal arrays in one piece of memory.

    So they can be kept all at once, by copying that, the `base` of each.
    """
    arrays: Any = given
    sizes = [-(-array.nbytes // 8) * 8 for array in arrays]  # so that numbers lie where they may
    piece, start, found = np.zeros(sum(sizes), dtype=np.uint8), 0, []
    for size, array in zip(sizes, arrays, strict=True):
        own = piece[start : start + array.nbytes].view(array.dtype).reshape(array.shape)
        own[...] = array
        found.append(own)
        start += size
    return arrays._make(found)  # type: ignore[no-any-return]


def readable(array: NDArray[Any]) -> NDArray[Any]:
    """An array; if it is of records, and loops are interpreted, their numbers are attributes."""
    is_plain = cython.compiled or array.dtype.names is None
    return array if is_plain else array.view(np.recarray)


def plain(given: T) -> T:
    """The named tuple itself, whose sizes are quicker to read."""
    return given.given if isinstance(given, Columns) else given


def agree(*shapes: tuple[int, ...]) -> None:
    """Make sure that shapes of arrays match: a loop does not check its indices.

    Raises:
        ValueError: They do not.
    """
    if any(shape != shapes[0] for shape in shapes):
        raise ValueError(f"arrays do not match: {', '.join(map(str, shapes))}")


def agree_axes(given: Any, axes: str, **others: str) -> None:
    """Make sure that the arrays of a named tuple have the right axes.

    Args:
        given: The named tuple.
        axes: The names of the axes of its arrays; axes of one name are as long. A number is a
            length, and dots in front stand for any more axes before.
        others: By field the axes of those arrays that have others.

    Raises:
        ValueError: They do not agree.

    >>> from typing import NamedTuple
    >>> class Places(NamedTuple):
    ...     where: np.ndarray
    ...     seen: np.ndarray
    >>> agree_axes(Places(np.zeros((3, 2)), np.zeros(4)), "places", where="places 2")
    Traceback (most recent call last):
    ValueError: arrays do not match: Places.seen has the shape (4,), with places = 3
    """
    known: dict[str, Any] = {}
    for field, values in zip(given._fields, given, strict=True):
        if not isinstance(values, np.ndarray):
            continue
        names, shape = others.get(field, axes).split(), values.shape
        if names and names[0].startswith("..."):
            names[0], before = names[0][3:], max(len(shape) - len(names), 0)
            names, shape = ["...", *names], (shape[:before], *shape[before:])
        if len(names) != len(shape):
            raise ValueError(_axes_differ(given, field, f"and not the axes {' '.join(names)}"))
        for name, length in zip(names, shape, strict=True):
            should = int(name) if name.isdigit() else known.setdefault(name, length)
            if length != should:
                raise ValueError(_axes_differ(given, field, f"with {name} = {should}"))


def _axes_differ(given: Any, field: str, rule: str) -> str:
    shape = getattr(given, field).shape
    name = f"{type(given).__name__}.{field}"
    return f"arrays do not match: {name} has the shape {shape}, {rule}"


def door(function: F) -> F:
    """An entry from Python into the loops: division by 0 gives infinity, without a warning."""
    if cython.compiled:
        return function

    @wraps(function)
    def quietly(*arguments: Any, **named: Any) -> Any:
        say_once(SLOW)
        with np.errstate(all="ignore"):
            return function(*arguments, **named)

    return quietly  # type: ignore[return-value]
