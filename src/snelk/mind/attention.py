"""Attention: how long targets have been seen and lost, and each agent's focus."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Setup
from snelk.level.columns import laid_out
from snelk.mind.columns import AttendedColumns, FocusNumberColumns
from snelk.mind.signals import (
    FARTHEST,
    NOBODY,
    RULES,
    Attended,
    FocusNumbers,
    Numbers,
    Truths,
)
from snelk.senses.sight import SightNumbers


class Attention:
    """Follows for how long targets are seen and lost, and chooses each agent's focus.

    Args:
        setups: The numbers of each variant.
        numbers: Everybody's sight.
        remembers: (variant, agent) who has a memory.

    Attributes:
        numbers: What a focus is chosen by.
        now: What every agent has of every target; a tick overwrites it.
        laid_numbers: `numbers` as compiled loops read them.
    """

    def __init__(self, setups: Sequence[Setup], numbers: SightNumbers, remembers: Truths) -> None:
        shape = numbers.notices.shape
        names, agents = list(setups[0].cast), setups[0].agents
        characters = numbers.characters
        profiles = [[setup.profile_of(agent) for agent in agents] for setup in setups]
        ladders = [[profile.ladder for profile in row] for row in profiles]
        stick = [[0.0 if ladder is None else ladder.focus_stick for ladder in r] for r in ladders]
        rules = [[ladder.focus_by if ladder else RULES[0] for ladder in row] for row in ladders]
        self._rules = np.array(rules, dtype=np.str_).reshape(shape[:2])
        codes = [[RULES.index(r) if r in RULES else len(RULES) - 1 for r in row] for row in rules]
        metered = [[profile.meter is not None for profile in row] for row in profiles]
        self.numbers = FocusNumbers(
            characters=characters,
            may=numbers.notices & (characters[:, None] != np.arange(len(names))),
            remembers=remembers,
            metered=np.array(metered, np.bool_).reshape(shape[:2]),
            stick=np.array(stick, np.float64).reshape(shape[:2]),
            rule=np.array(codes, np.int8).reshape(shape[:2]),
            worth=_worth_of(setups, self._rules, names),
            # Of targets that are alike in all else the first by name is chosen.
            by_name=np.argsort(np.argsort(np.array(names))).astype(np.int64),
        )
        with_place = *shape[:2], shape[2] + 1
        seen, heard, felt, smelt, was_seen, seen_to = np.zeros((6, *shape), dtype=np.bool_)
        x, y, z, known_x, known_y, known_z = np.full((6, *shape), np.nan)
        self.now = Attended(
            seen=seen,
            heard=heard,
            felt=felt,
            smelt=smelt,
            scent_age=np.full(shape, np.inf),
            was_seen=was_seen,
            seen_to=seen_to,
            lost_for=np.full(shape, np.inf),
            seen_for=np.zeros(shape),
            x=x,
            y=y,
            z=z,
            known_x=known_x,
            known_y=known_y,
            known_z=known_z,
            first=np.full(with_place, np.inf),
            away=np.full(with_place, np.inf),
            value=np.full(with_place, -np.inf),
            sensed=np.zeros(with_place, dtype=np.bool_),
            focus=np.full(shape[:2], NOBODY, dtype=np.int32),
        )
        self._laid = laid_out(AttendedColumns, self.now)
        self.laid_numbers = laid_out(FocusNumberColumns, self.numbers)
        self._v, self._a = np.arange(shape[0])[:, None], np.arange(shape[1])

    @property
    def focus(self) -> NDArray[np.int32]:
        """(variant, agent) the target it acts on, NOBODY or PLACE."""
        return self.now.focus

    @property
    def laid(self) -> Attended:
        """`now` as compiled loops read it."""
        return self._laid

    def is_worth(self, v: int, attribute: str, who: int, value: float) -> None:
        """An attribute of somebody has changed: those that choose their focus by it mind that."""
        self.numbers.worth[v, self._rules[v] == f"target.{attribute}", who] = value

    def of_focus(self, values: NDArray[Any], otherwise: float | bool) -> NDArray[Any]:
        """(variant, agent) of values of (variant, agent, target): that of the focus."""
        found: NDArray[Any] = values[self._v, self._a, np.maximum(self.focus, 0)]
        found[self.focus < 0] = otherwise
        return found


def _worth_of(setups: Sequence[Setup], rules: NDArray[np.str_], names: Sequence[str]) -> Numbers:
    """(variant, agent, target or place) the attribute that a focus is chosen by; NaN for others.

    Who does not have it comes last.
    """
    worth = np.full((*rules.shape, len(names) + 1), np.nan)
    for v, a in np.argwhere(np.char.startswith(rules, "target.")):
        attribute = str(rules[v, a]).partition(".")[2]
        worth[v, a] = [
            *(setups[v].attributes_of(name).get(attribute, -FARTHEST) for name in names),
            -FARTHEST,
        ]
    return worth
