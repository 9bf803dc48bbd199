"""Looking a scenario over before it is run: what is allowed, but surely not meant."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from snelk.config.problems import key_path
from snelk.errors import nearest

if TYPE_CHECKING:
    from snelk.config.scenario import Scenario


@dataclass(frozen=True)
class Finding:
    """Something that is allowed but makes sensing go silently wrong.

    Attributes:
        name: Short, stable name of the kind of finding.
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


def check(scenario: Scenario) -> list[Finding]:
    """Everything suspicious in a scenario that has been read without errors.

    >>> import snelk
    >>> check(snelk.load(snelk.croft() / "night.toml"))
    []
    """
    return [*_strangers(scenario), *_senses(scenario), *_limits(scenario)]


def _strangers(scenario: Scenario) -> Iterator[Finding]:
    cast = scenario.setup.cast
    for name in scenario.strangers:
        reason = "is recorded in a track but is not in the cast, so it is left out"
        fix = f"add it to the cast, or {nearest(name, cast)}"
        yield Finding("track-without-character", f'id "{name}"', reason, fix)


def _senses(scenario: Scenario) -> Iterator[Finding]:
    setup = scenario.setup
    teams = {member.team for member in setup.cast.values()}
    for name in setup.agents:
        place = key_path(("cast", name))
        profile_name = setup.cast[name].profile or ""
        profile = setup.profiles[profile_name]
        if not profile.cones:
            reason, fix = f'its profile "{profile_name}" has no cones', "add a cone to it"
            yield Finding("agent-without-senses", place, reason, fix)
        others = {member.team for other, member in setup.cast.items() if other != name}
        if not others.intersection(profile.notices):
            listed = ", ".join(profile.notices) or "no team"
            reason = f"notices {listed}, and nobody else here belongs to that"
            fix = f"teams here: {', '.join(sorted(teams))}"
            yield Finding("notices-nobody", place, reason, fix)
        for team in profile.notices:
            if team not in teams and others.intersection(profile.notices):
                where = key_path(("profiles", profile_name, "notices"))
                reason = f'team "{team}" has no member here'
                yield Finding("unknown-team", where, reason, nearest(team, teams))


def _limits(scenario: Scenario) -> Iterator[Finding]:
    setup = scenario.setup
    for name in dict.fromkeys(setup.cast[agent].profile or "" for agent in setup.agents):
        for cone_name, cone in setup.profiles[name].cones.items():
            place = key_path(("profiles", name, "cones", cone_name))
            pairs = (
                ("hold_range", cone.hold_range, "range", cone.range, "m"),
                ("hold_fov_whole", cone.hold_fov_whole, "fov_whole", cone.fov_whole, "deg"),
            )
            for hold_key, hold, gain_key, gain, unit in pairs:
                if hold is not None and hold < gain:
                    reason = f"{hold:g} {unit} is less than {gain_key}, {gain:g} {unit}"
                    fix = "a target would flicker; make it at least as large"
                    yield Finding("hold-below-gain", f"{place}.{hold_key}", reason, fix)
