"""Checking a scenario before it is run: what is allowed, but probably wrong.

Each finding has a short, stable name, by which a scenario can silence it with a reason.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from snelk.body.registry import registered
from snelk.config import renamed
from snelk.config.problems import key_path
from snelk.config.scenario import Scenario, as_scenario
from snelk.errors import UnknownNameError, nearest
from snelk.tuning import clues, ladders, noises, places, profiles, trails

CHECKS = {
    **places.CHECKS, **profiles.CHECKS, **noises.CHECKS, **trails.CHECKS, **ladders.CHECKS,
    **clues.CHECKS,
}  # fmt: skip
"""Every check, by the name of what it finds."""


@dataclass(frozen=True)
class Finding:
    """A warning: something that is allowed but probably wrong.

    Attributes:
        name: Short, stable name of the check that found it.
        place: Where it is: a key path or a name.
        reason: What is wrong with it.
        fix: What to do about it.
    """

    name: str
    place: str
    reason: str
    fix: str

    def __str__(self) -> str:
        return f"{self.name}: {self.place}: {self.reason}; {self.fix}"


def check(scenario: str | Path | Scenario) -> list[Finding]:
    """All warnings about a scenario that was read without errors.

    What its `silence` names is left out.

    Raises:
        InputError: `silence` names a finding that does not exist, or an alert state calls an
            activity that is not registered.

    >>> import snelk
    >>> check(snelk.load(snelk.croft() / "night.toml"))
    []
    """
    scenario = as_scenario(scenario)
    for profile in scenario.setup.profiles.values():
        for state in profile.ladder.states.values() if profile.ladder else ():
            if state.call is not None:
                registered(state.call.activity)
    silence = {renamed.FINDINGS.get(name, name) for name in scenario.setup.silence}
    for name in silence:
        if name not in CHECKS:
            place, fix = key_path(("silence", name)), nearest(name, CHECKS)
            raise UnknownNameError.of(scenario.source, place, "", "no such kind of warning", fix)
    return [
        Finding(name, *found)
        for name, look in CHECKS.items()
        if name not in silence
        for found in dict.fromkeys(look(scenario))
    ]
