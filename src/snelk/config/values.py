"""Values written as TOML; quick to import."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any


def as_toml(value: Any) -> str:
    """A value as it is written after a key and `=`.

    >>> as_toml({"to": "gap", "care": (0.0, 0.5), "leaves": True})
    '{ to = "gap", care = [0.0, 0.5], leaves = true }'
    """
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, int | float):
        return str(value)
    import tomlkit  # what is asked for most is a number, and this takes longer than all of it

    if isinstance(value, Mapping):
        pairs = (f"{tomlkit.key(key).as_string()} = {as_toml(each)}" for key, each in value.items())
        return f"{{ {', '.join(pairs)} }}"
    if isinstance(value, list | tuple):
        return f"[{', '.join(map(as_toml, value))}]"
    return str(tomlkit.item(value).as_string())
