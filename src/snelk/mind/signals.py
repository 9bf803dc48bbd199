"""The signals of an agent at a tick: about itself, and about its focus."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.nodes import TRUTHS
from snelk.level.columns import agree, agree_axes, in_one

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NOBODY, PLACE = -1, -2
"""Instead of a target: no focus, and a place that a noise of nobody drew the agent to."""

OVER = ("done", "failed", "stuck")
"""Signals, any of which lets a state be left that cannot be interrupted."""

FARTHEST = 1e9
"""Farther off than anybody can be, m: of whom nobody knows where they are."""


class Signals(NamedTuple):
    """Signals of every agent at a tick: (variant, agent); those of a target are of the focus."""

    state: NDArray[np.int16]  # the state in which they are asked
    focus: NDArray[np.int32]  # the target it acts on, or NOBODY
    entry: NDArray[np.int32]  # how many states it has been in before
    place: NDArray[np.int32]  # the noise, where the focus is the place of one that nobody made
    seen: Truths
    heard: Truths
    felt: Truths
    smelt: Truths
    told: Truths
    any_seen: Truths
    any_heard: Truths
    any_felt: Truths
    any_smelt: Truths
    any_told: Truths
    knows: Truths
    arrived: Truths
    unreachable: Truths
    done: Truths
    failed: Truths
    search_done: Truths
    stuck: Truths
    faces_focus: Truths
    caught: Truths
    was_caught: Truths
    seen_to: Truths
    observed: Truths
    asleep: Truths
    inside_territory: Truths
    target_inside_territory: Truths
    meter: Numbers
    exposure: Numbers
    distance: Numbers  # m
    from_home: Numbers  # m
    lost_for: Numbers  # s
    seen_for: Numbers  # s
    scent_age: Numbers  # s
    state_for: Numbers  # s
    told_rank: Numbers
    rank: Numbers
    bearing: Numbers  # deg
    own_speed: Numbers  # m/s
    own_height: Numbers  # m
    own_light: Numbers
    target_speed: Numbers
    target_height: Numbers
    target_light: Numbers
    target_x: Numbers  # where the focus is believed to be, m; NaN without a belief
    target_y: Numbers
    target_z: Numbers
    goal_x: Numbers  # where its path leads to, m; NaN if it has none
    goal_y: Numbers
    goal_z: Numbers

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents")

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> Signals:
        """Room for one tick."""
        kinds: dict[str, Any] = {"state": np.int16, "focus": np.int32, "entry": np.int32}
        kinds["place"] = np.int32
        kinds |= dict.fromkeys(TRUTHS, np.bool_)
        return in_one(cls(*(np.zeros(shape, kinds.get(name, np.float64)) for name in cls._fields)))


RULES = ("meter", "nearest", "first", "attribute")
"""What a focus can be chosen by."""


class FocusNumbers(NamedTuple):
    """How agents choose their focus."""

    characters: NDArray[np.int32]  # (agent,): which character the agent is
    may: Truths  # (variant, agent, target): who can ever be its focus
    remembers: Truths  # (variant, agent): who has a memory
    metered: Truths  # (variant, agent): who has a detection meter
    stick: Numbers  # (variant, agent): how much better another must be
    rule: NDArray[np.int8]  # (variant, agent): index of RULES
    worth: Numbers  # (variant, agent, target or place): the attribute it goes by, else NaN
    by_name: NDArray[np.int64]  # (target,): which comes first of those that are alike

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents",
            characters="agents",
            may="variants agents targets",
            worth="variants agents notions",
            by_name="targets",
        )
        agree((self.worth.shape[2],), (self.may.shape[2] + 1,))


class Attended(NamedTuple):
    """What every agent has of every target, (variant, agent, target), and which it acts on."""

    seen: Truths
    heard: Truths
    felt: Truths  # touched, or in a zone that is watched
    smelt: Truths  # its trail
    scent_age: Numbers  # s since it left the place that is smelt; infinite if none is
    was_seen: Truths  # at the tick before
    seen_to: Truths  # a clue that it has seen to, and minds no more; read only
    lost_for: Numbers  # s since it was last seen or felt; infinite before
    seen_for: Numbers  # s on end
    x: Numbers  # where it is believed to be, m; NaN where there is no idea of it
    y: Numbers
    z: Numbers
    known_x: Numbers  # the last-known position: where it last was when it was sensed or told
    known_y: Numbers
    known_z: Numbers
    first: Numbers  # (variant, agent, target or place): tick at which it became a candidate
    away: Numbers  # (variant, agent, target or place), m; infinite where there is no idea of it
    value: Numbers  # (variant, agent, target or place): how good a focus it is; -inf for no one
    sensed: Truths  # (variant, agent, target or place): now, and no candidate for its past only
    focus: NDArray[np.int32]  # (variant, agent): the target it acts on, NOBODY or PLACE

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(
            self,
            "variants agents targets",
            first="variants agents notions",
            away="variants agents notions",
            value="variants agents notions",
            sensed="variants agents notions",
            focus="variants agents",
        )
        agree((self.first.shape[2],), (self.seen.shape[2] + 1,))
