"""What all kinds of warnings share: the profiles, cones and meters in use."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from snelk.config.models import Cone, Door, Meter, Profile
from snelk.config.problems import key_path
from snelk.config.scenario import Scenario

Found = Iterator[tuple[str, str, str]]
"""Place, reason and fix of each finding."""

Checks = dict[str, Callable[[Scenario], Found]]
"""Checks by the name of what they find."""


def used_profiles(scenario: Scenario) -> dict[str, Profile]:
    """The profiles of the agents of the cast, by name."""
    setup = scenario.setup
    names = dict.fromkeys(setup.cast[agent].profile or "" for agent in setup.agents)
    return {name: setup.profiles[name] for name in names}


def used_cones(scenario: Scenario) -> Iterator[tuple[str, Cone]]:
    """Their cones, also with the limits of alert states, each with its key path."""
    for name, profile in used_profiles(scenario).items():
        for cone_name, cone in profile.cones.items():
            yield key_path(("profiles", name, "cones", cone_name)), cone
        for state_name, state in (profile.ladder.states if profile.ladder else {}).items():
            for cone_name, cone in profile.cones_in(state).items():
                if cone_name in state.cones:
                    place = ("profiles", name, "ladder", "states", state_name, "cones", cone_name)
                    yield key_path(place), cone


def used_meters(scenario: Scenario) -> Iterator[tuple[str, Profile, Meter]]:
    """Their meters, each with its key path and profile."""
    for name, profile in used_profiles(scenario).items():
        if profile.meter is not None:
            yield key_path(("profiles", name, "meter")), profile, profile.meter


def is_moved(scenario: Scenario, name: str) -> bool:
    """Whether a member of the cast is moved by its alert states."""
    setup = scenario.setup
    walks = setup.cast[name].profile and setup.profile_of(name).movement is not None
    return bool(walks) and name not in scenario.tracks


def openers(scenario: Scenario, door: str) -> list[str]:
    """Members of the cast that move and can open a door."""
    setup = scenario.setup
    who = setup.doors[door].who if door in setup.doors else None
    return [
        name
        for name, member in setup.cast.items()
        if who is None or not set(who).isdisjoint(setup.names_of(name))
        if name in scenario.tracks
        or (member.profile and setup.profile_of(name).movement is not None)
    ]


def ever_opens(scenario: Scenario, door: str) -> bool:
    """Whether a door may ever stand open."""
    setup, rules = scenario.setup, scenario.setup.doors.get(door, Door())
    turned = {(change.of, change.to) for change in (*setup.change, *scenario.changes)}
    for profile in setup.profiles.values():
        for _, effects in profile.ladder.effects() if profile.ladder else ():
            turned |= set(effects.turns.items())
    return rules.open or (door, "open") in turned or bool(openers(scenario, door))
