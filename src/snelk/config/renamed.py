"""Old names of keys, which are still read, and the names they have now.

They go for a version, with a note by `snelk check`.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

Place = tuple[str, ...]

STATE = ("profiles", "*", "ladder", "states", "*")

KEYS = {
    ("profiles", "*", "ladder", "changes"): "transitions",
    ("profiles", "*", "meter", "hold"): "drain_after",
    (*STATE, "hold"): "stand",
    (*STATE, "search", "way"): "method",
    (*STATE, "roam", "way"): "method",
}
"""Today's names of keys by where they were; `*` is any name."""

MEASURES = {"changes": "transitions"}
"""Today's names of measures."""

FINDINGS = {"change-hidden": "transition-hidden"}
"""Today's names of kinds of findings."""


def today(parts: Sequence[str]) -> list[str]:
    """A key path with the names of today.

    >>> today(["profiles", "dog", "ladder", "changes", "calm"])
    ['profiles', 'dog', 'ladder', 'transitions', 'calm']
    """
    found = list(parts)
    for place, name in KEYS.items():
        if len(found) >= len(place) and _matches(found[: len(place)], place):
            found[len(place) - 1] = name
    return found


def as_written(tree: Any, parts: Sequence[str]) -> Place:
    """A key path of today as a tree has it, which may use the names of before."""
    found = list(parts)
    for place, name in KEYS.items():
        now = (*place[:-1], name)
        if len(found) >= len(now) and _matches(found[: len(now)], now):
            here = tree
            for part in found[: len(now) - 1]:
                here = here.get(part) if isinstance(here, dict) else None
            if isinstance(here, dict) and place[-1] in here and name not in here:
                found[len(now) - 1] = place[-1]
    return tuple(found)


def bring_up_to_date(raw: dict[str, Any]) -> list[Place]:
    """Rename old keys, and report which had old names.

    Who writes both has the old one refused as any unknown key.
    """
    return [place for pattern, name in KEYS.items() for place in _rename(raw, pattern, name, ())]


def _rename(tree: Any, pattern: Place, name: str, above: Place) -> Iterator[Place]:
    if not isinstance(tree, dict):
        return
    first, rest = pattern[0], pattern[1:]
    for key in list(tree) if first == "*" else [first] if first in tree else []:
        if rest:
            yield from _rename(tree[key], rest, name, (*above, key))
        elif name not in tree:
            # In the place of the old one: the order is that in which transitions are tried.
            entries = [(name if each == key else each, value) for each, value in tree.items()]
            tree.clear()
            tree.update(entries)
            yield (*above, key)


def _matches(parts: Sequence[str], pattern: Place) -> bool:
    return all(wanted in ("*", part) for part, wanted in zip(parts, pattern, strict=True))
