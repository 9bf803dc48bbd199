"""A run as arrays, for a quick first picture: no tables, no events, no reasons."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import Turn
from snelk.body.scene import Note, Snapshot
from snelk.body.seeker import notes_in_order
from snelk.engine.simulation import Simulation
from snelk.level.columns import plain
from snelk.mind.memory import doubt
from snelk.runs.tables import told_of
from snelk.senses.bodies import Poses
from snelk.senses.gates import CONTACTS
from snelk.senses.hearing import Heard, Noises

Numbers = NDArray[np.float64]


class Pairs(NamedTuple):
    """Agents and targets, by number: `agents[n]` of `targets[n]`."""

    agents: NDArray[np.intp]
    targets: NDArray[np.intp]


class Quick(NamedTuple):
    """The result of every tick; the arrays are (tick, ...)."""

    times: Numbers  # (tick,), s
    poses: Poses  # (tick, character)
    looked: NDArray[np.bool_]  # (tick, agent)
    awake: Numbers  # (tick, agent) of sight
    failed: NDArray[np.int8]  # (tick, pair, cone) first failed gate, or IN_VIEW
    wall: NDArray[np.int32]  # (tick, pair)
    wall_place: Numbers  # (tick, pair, 3), m
    meter: Numbers  # (tick, pair)
    source: NDArray[np.int8]  # (tick, pair) of a belief, or NO_BELIEF
    believed_x: Numbers  # (tick, pair), m
    believed_y: Numbers
    believed_z: Numbers
    uncertainty: Numbers  # (tick, pair), m
    # Of each of CONTACTS (tick, pair) the first gate that failed, or SENSED.
    contacts: tuple[NDArray[np.int8], ...]
    state: NDArray[np.int16]  # (tick, agent) the alert state it is in
    entry: NDArray[np.int32]  # (tick, agent) how many it has been in before
    goal_x: Numbers  # (tick, agent) where its path leads to, m; NaN without one
    goal_y: Numbers
    goal_z: Numbers
    turns: list[tuple[float, Turn]]
    notes: list[Note]
    snapshots: list[Snapshot]
    noises: Noises
    heard: Heard
    heard_at: Numbers  # (heard,), s


def quick_parts(
    simulation: Simulation, pairs: Pairs, first_until: float = math.inf
) -> Iterator[Quick]:
    """Step a simulation of one variant to its end.

    Args:
        simulation: At its beginning.
        pairs: Of whom is told.
        first_until: The time, s, at which a first part is yielded.

    Yields: The first part, if it is before the end, and then the whole. The arrays are the same.
    """
    world, copies = simulation.world, simulation.copies
    sight, beliefs, contacts = simulation.sight, simulation.beliefs, simulation.contacts
    signals = plain(world.signals)
    count = simulation.numbers.cares.shape[2]
    given = pairs.agents * count + pairs.targets
    are_all = np.array_equal(given, np.arange(len(simulation.agents) * count))
    places = None if are_all else given  # all of them are in one piece
    kept = [copies.of(values[0].reshape(-1, *values.shape[3:]), places) for values in (
        sight.failed, sight.wall, sight.wall_place, simulation.meters.value, beliefs.source,
        beliefs.x, beliefs.y, beliefs.z, beliefs.age, beliefs.blur,
        *(getattr(contacts, sense.name) for sense in CONTACTS),
    )]  # fmt: skip
    own = [copies.of(values[0]) for values in (
        sight.looked, signals.state, signals.entry, signals.goal_x, signals.goal_y,
        signals.goal_z,
    )]  # fmt: skip
    awake = copies.of(simulation.awake_then["sight"][0])
    even: Any
    odd: Any
    even, odd = simulation.poses_of_ticks
    poses = [copies.of(of_all[0], ticks=0) for of_all in even]
    for into, of_all in zip(poses, odd, strict=True):
        copies.into(into, of_all[0], ticks=1)
    maker, listening, seeker = simulation.maker, simulation.listening, world.thinking.seeker
    noises_of = copies.of_table(lambda: maker.noises.rows, maker.noises.held)
    heard_of = copies.of_table(lambda: listening.heard.rows, listening.heard.held)
    notes_of = copies.of_table(*seeker.noted)
    turns: list[tuple[float, Turn]] = []
    snapshots: list[Snapshot] = []

    events_until = -math.inf

    def keep_events(t: float) -> None:
        nonlocal events_until
        if t > events_until:
            turns.extend((t, each) for each in world.outcomes.turned)
            snapshots.extend(world.snapshots)
            events_until = t

    def told(n: int) -> Quick:
        keep_events(float(simulation.times[n - 1]))
        made = Noises(*(values.copy() for values in noises_of()[1]))
        ticks, columns = heard_of()
        judged = Heard(*columns)
        some = told_of(simulation, judged, made)
        looked, *in_state = (each[:n] for each in own)
        felt = tuple(each[:n] for each in kept[-len(CONTACTS) :])
        *first, age, blur = (each[:n] for each in kept[: -len(CONTACTS)])
        numbers, who = simulation.memory_numbers, pairs.agents
        radius = doubt(first[4], age, blur, numbers.grace[0, who], numbers.spread[0, who])
        arrays = (
            simulation.times[:n], Poses(*(each[:n] for each in poses)), looked, awake[:n], *first,
            radius, felt, *in_state,
        )  # fmt: skip
        at, notes = simulation.times[ticks][some], notes_in_order(*notes_of())
        return Quick._make((*arrays, [*turns], notes, [*snapshots], made, judged.of(some), at))

    simulation.before_forgetting = keep_events
    first = int(np.searchsorted(simulation.times, first_until)) + 1
    if first < len(simulation.times):
        simulation.advance(first)
        if not simulation.done:
            yield told(first)
    simulation.advance(len(simulation.times))
    yield told(simulation.tick)
