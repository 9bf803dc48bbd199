"""Spare characters in a cast, for a live game to spawn."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from snelk.config.problems import key_path
from snelk.config.recordings import TrackData
from snelk.config.scenario import Scenario
from snelk.errors import InputError, one_of
from snelk.level.level import Level

MOST_SPARE = 1000
"""Like one character, at most."""


def with_spare(
    scenario: Scenario, spare: Mapping[str, int]
) -> tuple[Scenario, dict[str, list[str]]]:
    """A scenario with more characters that are not there, like some of its cast.

    Returns it with the names of the new ones, by whom they are like: `goose-2` is like `goose`.

    Raises:
        InputError: Nobody has such a name, it is a clue, or the number is none.
    """
    cast, found = scenario.setup.cast, dict[str, list[str]]()
    names = set(cast)
    more: dict[str, object] = {}
    nowhere, tracks = nowhere_in(scenario), dict(scenario.tracks)
    for like, count in spare.items():
        one_of(like, cast, source="spare", place="", what="character")
        if cast[like].clue is not None:
            raise InputError.of("spare", like, "", "is a clue: it comes and goes by itself")
        if isinstance(count, bool) or not isinstance(count, int) or not 0 <= count <= MOST_SPARE:
            rule = f"must be a whole number from 0 to {MOST_SPARE}"
            raise InputError.of("spare", like, str(count), rule)
        found[like], number = [], 2
        while len(found[like]) < count:
            name, number = f"{like}-{number}", number + 1
            if name in names:
                continue
            names.add(name)
            found[like].append(name)
            more[key_path(("cast", name))] = {**scenario.draft.raw["cast"][like], "absent": True}
            if like in scenario.tracks:
                tracks[name] = nowhere
    if not more:
        return scenario, found
    return replace(scenario, tracks=tracks).changed(more), found


def nowhere_in(scenario: Scenario) -> TrackData:
    """A track of an absent character, in the middle of the level."""
    level, start = Level.of(scenario.level), scenario.setup.clock.start
    x0, y0, x1, y1 = level.bounds if level.has_features else (0.0, 0.0, 0.0, 0.0)
    one = np.ones(1)
    code = np.zeros(1, dtype=np.int8)
    there = np.zeros(1, dtype=np.bool_)
    x, y = one * (x0 + x1) / 2, one * (y0 + y1) / 2
    return TrackData(one * start, x, y, one * 0.0, one * 0.0, code, code - 1, there)
