"""A run as arrays, for a quick first picture: no tables, no events, no reasons."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import Turn
from snelk.body.scene import Note, Snapshot
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
    uncertainty: Numbers  # (tick, pair), m
    # Of each of CONTACTS (tick, pair) the first gate that failed, or SENSED.
    contacts: tuple[NDArray[np.int8], ...]
    state: NDArray[np.int16]  # (tick, agent) the alert state it is in
    entry: NDArray[np.int32]  # (tick, agent) how many it has been in before
    goal_x: Numbers  # (tick, agent) where its path leads to, m; NaN without one
    goal_y: Numbers
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
    world, ticks = simulation.world, len(simulation.times)
    sight, beliefs, contacts = simulation.sight, simulation.beliefs, simulation.contacts
    signals = plain(world.signals)
    count = simulation.numbers.cares.shape[2]
    places = pairs.agents * count + pairs.targets
    in_order = np.array_equal(places, np.arange(len(simulation.agents) * count))
    of_pairs = [values[0].reshape(-1, *values.shape[3:]) for values in (
        sight.failed, sight.wall, sight.wall_place, simulation.meters.value, beliefs.source,
        beliefs.x, beliefs.y, beliefs.age, beliefs.blur,
        *(getattr(contacts, sense.name) for sense in CONTACTS),
    )]  # fmt: skip
    of_agents = [values[0] for values in (
        sight.looked, signals.state, signals.entry, signals.goal_x, signals.goal_y,
    )]  # fmt: skip
    kept = [np.zeros((ticks, len(places), *each.shape[1:]), each.dtype) for each in of_pairs]
    own = [np.zeros((ticks, len(each)), each.dtype) for each in of_agents]
    poses = [np.zeros((ticks, *each.shape[1:]), each.dtype) for each in simulation.poses]
    awake = np.zeros((ticks, simulation.awake["sight"].shape[1]))
    turns: list[tuple[float, Turn]] = []
    notes: list[Note] = []
    snapshots: list[Snapshot] = []
    noises, heard, heard_at = [Noises.blank(0)], [Heard.none()], list[float]()

    def told(n: int) -> Quick:
        made = Noises(*map(np.concatenate, zip(*noises, strict=True)))
        judged = Heard(*map(np.concatenate, zip(*heard, strict=True)))
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
        at = np.array(heard_at)[some]
        return Quick._make((*arrays, [*turns], [*notes], [*snapshots], made, judged.of(some), at))

    n = 0
    while not simulation.done:
        t = simulation.step()
        for into, values in zip(kept, of_pairs, strict=True):
            if in_order:  # which takes a fourth of the time
                into[n] = values
            else:
                np.take(values, places, axis=0, out=into[n], mode="clip")
        for into, values in zip(own, of_agents, strict=True):
            into[n] = values
        now: Any = simulation.poses  # two take turns
        for into, values in zip(poses, now, strict=True):
            into[n] = values[0]
        awake[n] = simulation.awake_then["sight"][0]
        if world.outcomes.turned:
            turns += [(t, each) for each in world.outcomes.turned]
        notes += world.notes
        snapshots += world.snapshots
        if simulation.maker.noises.count:
            noises.append(simulation.noises)
        if simulation.listening.heard.count:
            heard.append(simulation.heard)
            heard_at += [t] * len(heard[-1].agent)
        n += 1
        if t >= first_until:
            first_until = math.inf
            yield told(n)
    yield told(n)
