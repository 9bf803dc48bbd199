"""The situations that conditions can distinguish, to find what can never be true.

For each signal a few values are enough: true and false, and for a number those at, below and
above everything it is compared with. Of all combinations those that cannot be are left out.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import Condition
from snelk.config.minds import MOST_OF_AN_ATTRIBUTE, State
from snelk.config.models import Profile, Setup
from snelk.config.nodes import FACES, TRUTHS, Node
from snelk.config.scenario import Scenario
from snelk.mind.evaluation import evaluate
from snelk.tuning.noises import makers_heard

MOST = 60_000
"""More combinations than this are not looked at; then nothing is said."""

MOVING = (
    "patrol", "roam", "approach", "go", "home", "resume", "flee", "evade", "search", "play", "call",
)  # fmt: skip

Values = NDArray[Any]


@dataclass(frozen=True)
class Situations:
    """Combinations of values of all that some conditions ask for.

    Attributes:
        values: The values by name, (situations,).
    """

    values: dict[str, Values]

    def true(self, condition: Condition) -> NDArray[np.bool_]:
        """(situations,) in which a condition is true."""
        size = len(next(iter(self.values.values())))
        with np.errstate(invalid="ignore", divide="ignore", over="ignore"):
            found = evaluate(condition.root, lambda node: self.values[key_of(node)])
        return np.broadcast_to(found, (size,))


def key_of(node: Node) -> str:
    """A name for a signal, an attribute or a call."""
    if node.kind != "call":
        return node.word
    return f"{node.word}({node.parts[0].word if node.word != 'chance' else id(node)})"


def situations(
    scenario: Scenario,
    profile_name: str,
    state: State,
    conditions: Sequence[Condition],
    *,
    fresh: bool = False,
) -> Situations | None:
    """The situations of agents of a profile in a state; None if there are too many to look at.

    `fresh` leaves those in which the state was entered a tick ago.
    """
    setup = scenario.setup
    profile, members = setup.profiles[profile_name], _members(setup, profile_name)
    nodes = {
        key_of(node): node
        for condition in conditions
        for node in condition.root.walk()
        if node.kind in ("signal", "attribute", "call")
    }
    for name in ("seen", "felt", "knows", "told"):  # others hang on these
        nodes.setdefault(name, Node("signal", name, truth=True))
    if "scent_age" in nodes:
        nodes.setdefault("smelt", Node("signal", "smelt", truth=True))
    domains = {
        key: _domain(scenario, profile, members, state, key, node, conditions)
        for key, node in nodes.items()
    }
    if fresh:
        domains |= {key: [False] for key in ("arrived", "search_done", "stuck") if key in nodes}
        if "state_for" in nodes:
            domains["state_for"] = [setup.clock.dt]
    count = every = math.prod(len(values) for values in domains.values())
    if count > MOST:
        return None
    values = {}
    for key, domain in domains.items():  # each value with every one of all the others
        every //= max(len(domain), 1)
        turns = count // max(every * len(domain), 1)
        values[key] = np.tile(np.repeat(np.array(domain), every), turns)
    possible = _possible(values, profile, state)
    return Situations({key: each[possible] for key, each in values.items()})


def _members(setup: Setup, profile_name: str) -> list[str]:
    return [name for name in setup.agents if setup.cast[name].profile == profile_name]


def _domain(
    scenario: Scenario,
    profile: Profile,
    members: list[str],
    state: State,
    key: str,
    node: Node,
    conditions: Sequence[Condition],
) -> list[Any]:
    """The values worth looking at."""
    setup = scenario.setup
    if node.kind == "call" or key in TRUTHS:
        return _truths(scenario, profile, members, state, key, node)
    if node.kind == "attribute" and node.is_word:
        who = members if key.startswith("own.") else [*setup.cast]
        words = [name if key.endswith(".name") else setup.cast[name].team for name in who]
        return sorted({*words, *([""] if key.startswith("target.") else [])})
    if node.kind == "attribute" and key.partition(".")[2] not in ("speed", "height", "light"):
        name = key.partition(".")[2]
        if name in changing(setup):
            return [*_numbers(setup, profile, key, conditions), math.nan]
        who = members if key.startswith("own.") else [*setup.cast]
        return sorted({setup.attributes_of(each).get(name, math.nan) for each in who}, key=str)
    return _numbers(setup, profile, key, conditions)


def _truths(
    scenario: Scenario, profile: Profile, members: list[str], state: State, key: str, node: Node
) -> list[Any]:
    cast, both = scenario.setup.cast, [False, True]
    can: dict[str, Callable[[], object]] = {  # what is asked for only
        "seen": lambda: profile.cones,
        "heard": lambda: any(_can_hear(scenario, name) for name in members),
        "felt": lambda: profile.touch or profile.zone_sense,
        "smelt": lambda: profile.smell,
        "told": lambda: profile.memory and _can_be_told(scenario.setup, members),
        "seen_to": lambda: any(
            each.clue and profile.ever_notices(each.team) for each in cast.values()
        ),
        "caught": lambda: state.catch,
        "arrived": lambda: state.activity in MOVING,
        "stuck": lambda: state.activity in MOVING,
        "search_done": lambda: state.activity == "search",
        "observed": lambda: (
            _watchers(scenario.setup, members) - {cast[name].team for name in members}
        ),
        "felt(touch)": lambda: profile.touch,
        "felt(zone)": lambda: profile.zone_sense,
    }
    if key.removeprefix("any_") in can:
        return both if can[key.removeprefix("any_")]() else [False]
    if key == "asleep":
        return [state.activity == "sleep"]
    if key in ("inside_territory", "target_inside_territory"):
        return both if any(cast[name].leash for name in members) else [True]
    if node.word == "chance":
        sure = node.parts[0].kind == "number" and node.value in (0.0, 1.0)
        return [node.value == 1.0] if sure else both
    if node.word == "observed_by":
        return both if node.parts[0].word in _watchers(scenario.setup, members) else [False]
    return both


def _can_be_told(setup: Setup, members: list[str]) -> bool:
    """Whether somebody tells agents of a profile something, or gives them an alarm."""
    if any(setup.profile_of(name).tell for name in setup.agents if name not in members[:1]):
        return True
    teams = {setup.cast[name].team for name in members}
    return any(
        not teams.isdisjoint(effects.alarm)
        for name in setup.agents
        if [name] != members and (ladder := setup.profile_of(name).ladder) is not None
        for _, effects in ladder.effects()
    )


def _watchers(setup: Setup, members: list[str]) -> set[str]:
    """The teams of those that can see an agent of a profile."""
    return {
        setup.cast[name].team
        for name in setup.agents
        for member in members
        if name != member and setup.profile_of(name).sees(setup.cast[member].team)
    }


def _can_hear(scenario: Scenario, agent: str) -> bool:
    """Whether a noise can be one that an agent hears and acts on."""
    profile = scenario.setup.profile_of(agent)
    drawn = profile.memory is not None and profile.hearing is not None
    drawn &= profile.hearing is not None and profile.hearing.of_nobody
    return any(maker or drawn for maker in makers_heard(scenario, agent))


def changing(setup: Setup) -> set[str]:
    """The attributes that change during a run."""
    ladders = [setup.profile_of(name).ladder for name in setup.agents]
    found = {name for each in setup.effect for name in (*each.set, *each.add)}
    effects = [each for ladder in ladders if ladder for _, each in ladder.effects()]
    return found | {name for each in effects for name in each.attributes}


def _numbers(
    setup: Setup, profile: Profile, key: str, conditions: Sequence[Condition]
) -> list[Any]:
    """A number at, below and above everything it is compared with, within its limits."""
    low, high = 0.0, math.inf
    if key in ("meter", "exposure") or key.endswith(".light"):
        high = 1.0
    if key == "meter" and profile.meter is None:
        high = 0.0
    if key == "bearing":
        high = 180.0
    if key.partition(".")[2] in changing(setup):
        low = -MOST_OF_AN_ATTRIBUTE
    if key in ("told_rank", "rank"):
        low = -1.0 if key == "told_rank" else 0.0
        ladders = [setup.profile_of(name).ladder for name in setup.agents]
        ranks = [ladder.rank_of(name) for ladder in ladders if ladder for name in ladder.states]
        high = float(max(ranks, default=0))
    found = {max(low, -1e3), high if math.isfinite(high) else 1e3}
    for condition in conditions:
        for node in condition.root.walk():
            if node.kind != "compare" or not any(key_of(n) == key for n in node.walk()):
                continue
            for each in node.walk():
                if each.kind == "number":
                    apart = 1e-3 * max(1.0, abs(each.value))
                    found |= {each.value - apart, each.value, each.value + apart}
    values: list[Any] = sorted(value for value in found if low <= value <= high)
    if key == "distance":
        values.append(math.inf)
    if key in ("lost_for", "scent_age"):
        values.append(math.inf)
    if key.startswith("target.") or key == "bearing":
        values.append(math.nan)
    return values


def _possible(values: dict[str, Values], profile: Profile, state: State) -> NDArray[np.bool_]:
    """Which combinations can be."""
    seen, felt, knows = values["seen"], values["felt"], values["knows"]
    sensed = seen | felt
    possible: NDArray[np.bool_] = knows | ~sensed
    if "lost_for" in values:
        possible &= (values["lost_for"] <= 0.0) == sensed
    if "scent_age" in values:
        possible &= np.isinf(values["scent_age"]) == ~values["smelt"]
    if "seen_for" in values:
        possible &= seen | (values["seen_for"] <= 0.0)
    if "exposure" in values:
        possible &= (values["exposure"] > 0.0) == seen
    if "distance" in values:
        possible &= np.isinf(values["distance"]) == ~knows
        cones = profile.cones_in(state).values()
        farthest = max((max(c.range, c.hold_range or 0.0) for c in cones), default=0.0)
        possible &= ~seen | (values["distance"] <= farthest)
    for name in ("seen", "felt", "heard", "smelt", "told"):
        if name in values and f"any_{name}" in values:
            possible &= values[f"any_{name}"] | ~values[name]
    for key in values:
        if key.startswith(("seen(", "felt(")):
            possible &= values[key[:4]] | ~values[key]
    if "bearing" in values:
        possible &= np.isnan(values["bearing"]) == ~knows
        if "faces_focus" in values:
            possible &= values["faces_focus"] == (values["bearing"] <= FACES)
    if "told_rank" in values:
        possible &= (values["told_rank"] >= 0.0) == values["told"]
    for key, each in values.items():
        if key in ("target.speed", "target.height", "target.light"):
            possible &= np.isnan(each) == ~seen
        elif key.startswith("target.") and each.dtype.kind == "U":
            possible &= (each != "") | ~(sensed | knows)
    return possible
