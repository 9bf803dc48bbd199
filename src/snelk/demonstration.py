"""The demonstrations: a night at the croft, and a night at the mill.

This module is not in their folders: a module `snelk.croft` would replace the function of that name
    when imported.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import NamedTuple


def croft() -> Path:
    """The folder with the files of the first demonstration; `night.toml` is its scenario.

    A yard and a pasture on level ground, and a fox.
    """
    return Path(__file__).parent / "croft"


def mill() -> Path:
    """The folder with the files of the second demonstration; `night.toml` is its scenario.

    A house of three floors with stairs, a ladder, a hatch, doors, lamps and clues.

    >>> (mill() / "night.toml").is_file()
    True
    """
    return Path(__file__).parent / "mill"


class Demonstration(NamedTuple):
    """Where the files of a demonstration are, and what to try with it."""

    folder: Callable[[], Path]
    profiles: str  # the file with its bodies and profiles
    change: str  # a number to change, as `KEY=VALUE`
    tried: str  # what a run with it is called


DEMONSTRATIONS = {
    "croft": Demonstration(
        croft, "creatures.toml", "profiles.dog.cones.muzzle.fov_whole=40", "narrow-dog"
    ),
    "mill": Demonstration(mill, "millers.toml", "profiles.cat.hearing.acuity=1.0", "deaf-cat"),
}
