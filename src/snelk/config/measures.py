"""The measures of a run by name: what each is, its unit, and who has it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from snelk.config.models import Setup
from snelk.config.problems import key_path
from snelk.errors import InputError, nearest


class Kind(NamedTuple):
    """A kind of measure."""

    of: str  # run, agent, state (of an agent) or pair (of agent and target)
    unit: str  # s, m, or nothing for counts and shares
    text: str  # what it is


MEASURES: dict[str, Kind] = {
    "length": Kind("run", "s", "From the first to the last tick."),
    "catches": Kind("run", "", "How often anybody was caught."),
    "caught_at": Kind("run", "s", "When somebody was caught first."),
    "first_sensed": Kind("pair", "s", "When it was first seen, felt or heard."),
    "first_seen": Kind("pair", "s", "When it was first in view."),
    "first_noticed": Kind(
        "pair",
        "s",
        "When the meter first reached the lowest of its thresholds, without thresholds rose above "
        "0; without a meter, when it was first sensed.",
    ),
    "first_full": Kind(
        "pair", "s", "When the meter was first full; without a meter, when first seen or felt."
    ),
    "view_to_full": Kind(
        "pair", "s", "From `first_seen` to `first_full`; none if it was full before it was seen."
    ),
    "time_in_view": Kind("pair", "s", "Ticks in view, times dt."),
    "longest_unseen": Kind(
        "pair", "s", "The most ticks on end in which it was there and not in view, times dt."
    ),
    "losses": Kind("pair", "", "How often it went out of view."),
    "regains": Kind("pair", "", "How often it came into view again."),
    "view_flicker": Kind(
        "pair", "", "How often it came into or went out of view within 1 s after the opposite."
    ),
    "highest_meter": Kind("pair", "", "The highest value of the meter, 0 to 1."),
    "near_miss": Kind("pair", "", "The same if it was never noticed; none if it was."),
    "noises_heard": Kind("pair", "", "How many of its noises were heard."),
    "believed_for": Kind("pair", "s", "Ticks with a belief of where it is, times dt."),
    "mean_belief_error": Kind(
        "pair", "m", "Mean distance from where it was believed to where it was, while both were."
    ),
    "worst_belief_error": Kind("pair", "m", "The greatest such distance."),
    "caught": Kind("pair", "", "How often the agent caught it."),
    "false_alarms": Kind(
        "agent",
        "",
        "Changes to a state of higher rank about a focus neither in view nor felt that was not "
        "there, or farther than 5 m from where it was believed.",
    ),
    "changes": Kind("agent", "", "Changes of alert state."),
    "flicker": Kind("agent", "", "Changes of alert state that undid the one before within 1 s."),
    "highest_rank": Kind("agent", "", "The highest rank of its alert states."),
    "time_in": Kind("state", "s", "Ticks in that alert state, times dt."),
    "searches": Kind("agent", "", "Searches begun."),
    "search_time": Kind("agent", "s", "What they took in all, one unfinished counted to the end."),
    "longest_search": Kind("agent", "s", "What the longest took."),
    "searches_found": Kind("agent", "", "Searches that ended with the target sensed."),
    "searches_given_up": Kind("agent", "", "Searches that were given up, or had nothing left."),
    "distance_walked": Kind("agent", "m", "How far it went, in plan."),
    "times_stuck": Kind("agent", "", "How often it did not get on."),
}
"""Every measure, by name."""


class Address(NamedTuple):
    """Which measure of whom."""

    measure: str
    agent: str = ""
    target: str = ""
    state: str = ""

    @property
    def key(self) -> str:
        """`farmer.fox.first_full`, `farmer.time_in.searching`, `length`.

        >>> Address("first_full", "farmer", "fox").key
        'farmer.fox.first_full'
        """
        parts = (self.agent, self.target, self.measure, self.state)
        return key_path([part for part in parts if part])

    @property
    def unit(self) -> str:
        """Its unit; empty for counts and shares."""
        return MEASURES[self.measure].unit

    @property
    def is_moment(self) -> bool:
        """Whether it is a moment of the run."""
        return self.measure.startswith("first_") or self.measure == "caught_at"


def addresses_of(setups: Sequence[Setup]) -> tuple[Address, ...]:
    """Every measure that any of some variants can have."""
    names = {
        of: [name for name, kind in MEASURES.items() if kind.of == of]
        for of in ("run", "agent", "pair")
    }
    found = [Address(name) for name in names["run"]]
    for agent in setups[0].agents:
        found += [Address(name, agent) for name in names["agent"]]
        states: dict[str, None] = {}
        for setup in setups:
            ladder = setup.profile_of(agent).ladder
            states |= dict.fromkeys(ladder.states if ladder else ())
        found += [Address("time_in", agent, state=state) for state in states]
        for target in setups[0].cast:
            if target != agent and any(
                setup.profile_of(agent).ever_notices(setup.cast[target].team) for setup in setups
            ):
                found += [Address(name, agent, target) for name in names["pair"]]
    return tuple(found)


def find_measure(setup: Setup, key: str, *, source: str, place: str = "") -> Address:
    """The measure of a key such as `farmer.fox.first_full` or `length`.

    Raises:
        InputError: This scenario has no such measure; with the nearest that it has.

    >>> import snelk
    >>> find_measure(snelk.load(snelk.croft() / "night.toml").setup, "dog.fox.first", source="")
    Traceback (most recent call last):
    snelk.errors.InputError: : no such measure (given: "dog.fox.first"); \
did you mean "dog.fox.first_seen"?
    """
    known = {address.key: address for address in addresses_of([setup])}
    if key not in known:
        raise InputError.of(source, place, f'"{key}"', "no such measure", nearest(key, known))
    return known[key]
