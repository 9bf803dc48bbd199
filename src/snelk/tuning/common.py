"""What all kinds of findings share: the profiles, cones and meters that are in use."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from snelk.config.models import Cone, Meter, Profile
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
