"""The measures of a run by name: definition, unit, and of whom."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import NamedTuple

from snelk.config import renamed
from snelk.config.models import Setup
from snelk.config.problems import key_path
from snelk.errors import ALL, UnknownNameError, nearest


class Measure(NamedTuple):
    """A measure: its subject, unit and definition."""

    of: str  # run, agent, player, state (of an agent), pair (of agent and target) or fairness
    unit: str  # s, m, or nothing for counts and shares
    text: str  # what it is


MEASURES: dict[str, Measure] = {
    "length": Measure("run", "s", "Length of the run, from the first tick to the last."),
    "catches": Measure("run", "", "Number of catches."),
    "caught_at": Measure("run", "s", "Time of the first catch."),
    "first_sensed": Measure("pair", "s", "Time it was first seen, felt, heard or smelt."),
    "first_seen": Measure("pair", "s", "Time it was first in view."),
    "first_noticed": Measure(
        "pair",
        "s",
        "Time the meter first reached its lowest threshold, or rose above 0 if it has no "
        "thresholds; without a meter, the time it was first sensed.",
    ),
    "first_full": Measure(
        "pair", "s", "Time the meter was first full; without a meter, first seen or felt."
    ),
    "view_to_full": Measure(
        "pair", "s", "From `first_seen` to `first_full`; none if it was full before it was seen."
    ),
    "time_in_view": Measure("pair", "s", "Total time in view."),
    "longest_unseen": Measure(
        "pair", "s", "Longest time in a row in which it was present but not in view."
    ),
    "losses": Measure("pair", "", "Number of times it went out of view."),
    "regains": Measure("pair", "", "Number of times it came back into view."),
    "view_flicker": Measure(
        "pair", "", "Number of times it came into or went out of view within 1 s of the opposite."
    ),
    "highest_meter": Measure("pair", "", "Highest value of the meter, 0 to 1."),
    "near_miss": Measure(
        "pair", "", "Highest value of the meter if it was never noticed; none if it was."
    ),
    "noises_heard": Measure("pair", "", "Number of its noises that were heard."),
    "believed_for": Measure("pair", "s", "Total time with a belief of where it is."),
    "mean_belief_error": Measure(
        "pair",
        "m",
        "Mean distance between its believed and its real position, while there are both.",
    ),
    "worst_belief_error": Measure(
        "pair", "m", "Largest distance between its believed and its real position."
    ),
    "caught": Measure("pair", "", "Number of times the agent caught it."),
    "false_alarms": Measure(
        "agent",
        "",
        "Transitions to a higher rank about a focus neither in view nor felt that was not present, "
        "or more than 5 m from where it was believed to be.",
    ),
    "transitions": Measure(
        "agent", "", "Number of transitions taken. Being put into an alert state is none."
    ),
    "flicker": Measure(
        "agent", "", "Number of transitions that reversed the previous one within 1 s."
    ),
    "highest_rank": Measure("agent", "", "Highest rank of the alert states it was in."),
    "time_in": Measure("state", "s", "Total time in that alert state."),
    "searches": Measure("agent", "", "Number of searches begun."),
    "search_time": Measure(
        "agent", "s", "Total time spent searching; an unfinished search counts to the end."
    ),
    "longest_search": Measure("agent", "s", "Time of the longest search."),
    "searches_found": Measure("agent", "", "Number of searches that ended with the target sensed."),
    "searches_given_up": Measure(
        "agent", "", "Number of searches given up, or with nothing left to search."
    ),
    "distance_walked": Measure("agent", "m", "Distance walked, in plan."),
    "times_stuck": Measure("agent", "", "Number of times it was stuck."),
    "got_through": Measure(
        "player", "", "1 if it reached its goal before it was too late, else 0."
    ),
    "through_at": Measure("player", "s", "Time it reached its goal."),
    "warned_at": Measure(
        "player", "s", "Time it was first warned by a meter or a state of another."
    ),
    "too_late_at": Measure("player", "s", "Time at which it was too late, or it was caught."),
    "warning": Measure(
        "player", "s", "Time from the last warning sign until it was too late; none without both."
    ),
    "hides": Measure("player", "", "Number of times it hid."),
    "hidden_for": Measure("player", "s", "Total time spent hiding, including the way to cover."),
    "unfair": Measure(
        "fairness",
        "",
        "Share of positions and moments with a detection at which no cover is in reach in time. "
        "For each [fairness.NAME]; computed by sweep, fit and verify, not by run.",
    ),
    "waited_for": Measure("player", "s", "Total time spent waiting for somebody to look away."),
}
"""Every measure, by name."""


class Address(NamedTuple):
    """The key of a measure: which one, and of whom."""

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
        return self.measure.startswith("first_") or self.measure.endswith("_at")


Has = tuple[str, tuple[str, ...], tuple[str, ...], bool]
"""An agent, the states of its ladder, the targets that it notices, and whether it plays."""


def addresses_of(setups: Sequence[Setup]) -> tuple[Address, ...]:
    """Every measure that any of some variants can have."""
    fairness = dict.fromkeys(name for setup in setups for name in setup.fairness)
    return tuple(_known(_who_has(setups), tuple(fairness)).values())


def _who_has(setups: Sequence[Setup]) -> tuple[Has, ...]:
    found: list[Has] = []
    for agent in setups[0].agents:
        states: dict[str, None] = {}
        targets: dict[str, None] = {}
        plays = False
        for setup in setups:
            profile = setup.profile_of(agent)
            plays |= profile.ladder is not None and profile.ladder.plays
            states |= dict.fromkeys(profile.ladder.states if profile.ladder else ())
            teams = profile.noticed()
            targets |= dict.fromkeys(n for n, each in setup.cast.items() if each.team in teams)
        others = tuple(name for name in setups[0].cast if name in targets and name != agent)
        found.append((agent, tuple(states), others, plays))
    return tuple(found)


@lru_cache(maxsize=64)
def _known(who: tuple[Has, ...], fairness: tuple[str, ...]) -> dict[str, Address]:
    """Their measures, by key."""
    names = {
        of: [name for name, measure in MEASURES.items() if measure.of == of]
        for of in ("run", "agent", "pair", "player")
    }
    found = [Address(name) for name in names["run"]]
    for agent, states, targets, plays in who:
        found += [Address(name, agent) for name in names["agent"]]
        found += [Address(name, agent) for name in names["player"] if plays]
        found += [Address("time_in", agent, state=state) for state in states]
        found += [Address(name, agent, target) for target in targets for name in names["pair"]]
    found += [Address("unfair", name) for name in fairness]
    return {address.key: address for address in found}


def find_measure(setup: Setup, key: str, *, source: str, place: str = "") -> Address:
    """The measure of a key such as `farmer.fox.first_full` or `length`.

    Raises:
        InputError: This scenario has no such measure; with the nearest that it has.

    >>> import snelk
    >>> find_measure(snelk.load(snelk.croft() / "night.toml").setup, "dog.fox.first", source="")
    Traceback (most recent call last):
    snelk.errors.UnknownNameError: : no such measure (given: "dog.fox.first"); \
did you mean "dog.fox.first_seen"?
    """
    known = _known(_who_has([setup]), tuple(setup.fairness))
    who, _, name = key.rpartition(".")
    key = f"{who}.{renamed.MEASURES[name]}" if who and name in renamed.MEASURES else key
    if key not in known:
        raise UnknownNameError.of(
            source, place, f'"{key}"', "no such measure", nearest_measure(key, known)
        )
    return known[key]


def nearest_measure(key: str, known: Iterable[str]) -> str:
    """The fix for a wrong measure: the nearest right one, else how measures are named."""
    fix = nearest(key, known)
    return _forms() if fix.startswith(ALL) else fix


def _forms() -> str:
    """How measures are named: a run has hundreds, too many to list each."""
    kinds = {
        of: ", ".join(name for name, measure in MEASURES.items() if measure.of == of)
        for of in ("run", "agent", "pair")
    }
    return (
        f"of the run: {kinds['run']}; AGENT. and one of: {kinds['agent']}; AGENT.time_in.STATE; "
        f"AGENT.TARGET. and one of: {kinds['pair']}"
    )
