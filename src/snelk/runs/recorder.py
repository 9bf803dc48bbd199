"""Keeping what every tick came to, and turning it into tables."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa

from snelk.engine.simulation import Simulation
from snelk.mind.memory import Beliefs
from snelk.mind.meter import Meters
from snelk.mind.sharing import Message
from snelk.runs.events import EVENT_KINDS, Event
from snelk.runs.finding import EventFinder, find_hearing
from snelk.runs.tables import (
    belief_table,
    contact_table,
    event_table,
    hearing_table,
    meter_table,
    noise_table,
    pose_table,
    sight_table,
)
from snelk.senses.bodies import Poses
from snelk.senses.contact import Contacts
from snelk.senses.hearing import Heard, Noises
from snelk.senses.sight import Sight

BLOCK = 512
"""Ticks that are gathered before they become rows."""


class Recorder:
    """Gathers the ticks of a simulation and yields one set of tables a variant."""

    def __init__(self, simulation: Simulation) -> None:
        self.simulation = simulation
        numbers = simulation.numbers
        used = np.arange(numbers.range.shape[2]) < numbers.cones[:, :, None]  # (v, agent, cone)
        other = numbers.characters[:, None] != np.arange(len(simulation.names))  # (agent, target)
        # For each variant the (agent, target, cone) of a tick's rows, in that order.
        self._rows: list[Any] = [
            np.nonzero(used[v][:, None, :] & other[:, :, None]) for v in range(len(used))
        ]
        self._size = min(BLOCK, len(simulation.times))
        self._sight: Any = _blocks(simulation.sight, self._size)
        self._poses: Any = _blocks(simulation.poses, self._size)
        self._meters: Any = _blocks(simulation.meters, self._size)
        self._contacts: Any = _blocks(simulation.contacts, self._size)
        self._contact_parts: list[list[pa.Table]] = [[] for _ in simulation.setups]
        self._beliefs: Any = _blocks(simulation.beliefs, self._size)
        self._belief_parts: list[list[pa.Table]] = [[] for _ in simulation.setups]
        self._told: list[tuple[float, Message]] = []
        self._noises: list[Noises] = [simulation.maker.nothing]
        self._heard: list[tuple[float, Heard]] = [(0.0, simulation.heard)]
        self._finder = EventFinder(simulation)
        self._meter_parts: list[list[pa.Table]] = [[] for _ in simulation.setups]
        self._light = np.zeros((self._size, *simulation.light.shape))
        self._times = np.zeros(self._size)
        self._filled = 0
        variants = len(simulation.setups)
        self._sight_parts: list[list[pa.Table]] = [[] for _ in range(variants)]
        self._pose_parts: list[list[pa.Table]] = [[] for _ in range(variants)]
        self._events: list[list[Event]] = [[] for _ in range(variants)]

    def keep(self, time: float) -> None:
        """Keep the simulation's last tick."""
        n = self._filled
        _store(self._sight, n, self.simulation.sight)
        _store(self._poses, n, self.simulation.poses)
        _store(self._meters, n, self.simulation.meters)
        _store(self._contacts, n, self.simulation.contacts)
        _store(self._beliefs, n, self.simulation.beliefs)
        self._told += [(time, message) for message in self.simulation.told]
        if len(self.simulation.noises.t):
            self._noises.append(self.simulation.noises)
        if len(self.simulation.heard.agent):
            self._heard.append((time, self.simulation.heard))
        self._light[n] = self.simulation.light
        self._times[n] = time
        self._filled += 1
        if self._filled == self._size:
            self._flush()

    def tables(self) -> list[dict[str, pa.Table]]:
        """The tables of each variant, by name."""
        self._flush()
        noises = Noises(*map(np.concatenate, zip(*self._noises, strict=True)))
        heard = Heard(*map(np.concatenate, zip(*(h for _, h in self._heard), strict=True)))
        times = np.repeat([t for t, _ in self._heard], [len(h.agent) for _, h in self._heard])
        tables = []
        for v in range(len(self._events)):
            made, rows = noises.of(noises.variant == v), heard.variant == v
            judged = Heard(*(values[rows] for values in heard))
            events = self._events[v] + list(
                find_hearing(self.simulation, times[rows], judged, made)
            )
            events.sort(key=lambda event: (event.t, EVENT_KINDS.index(event.kind)))
            tables.append(
                {
                    "poses": pa.concat_tables(self._pose_parts[v]),
                    "sight": pa.concat_tables(self._sight_parts[v], promote_options="none"),
                    "hearing": hearing_table(self.simulation, times[rows], judged, made),
                    "contacts": pa.concat_tables(self._contact_parts[v]),
                    "meters": pa.concat_tables(self._meter_parts[v]),
                    "beliefs": pa.concat_tables(self._belief_parts[v]),
                    "noises": noise_table(self.simulation, v, made),
                    "events": event_table(events),
                }
            )
        return tables

    def _flush(self) -> None:
        if self._filled == 0 and self._pose_parts[0]:
            return
        sight: Sight = self._sight._make(block[: self._filled] for block in self._sight)
        poses: Poses = self._poses._make(block[: self._filled] for block in self._poses)
        meters: Meters = self._meters._make(block[: self._filled] for block in self._meters)
        contacts: Contacts = self._contacts._make(b[: self._filled] for b in self._contacts)
        beliefs: Beliefs = self._beliefs._make(b[: self._filled] for b in self._beliefs)
        times, simulation = self._times[: self._filled], self.simulation
        for v in range(len(self._events)):
            self._sight_parts[v].append(sight_table(simulation, v, self._rows[v], times, sight))
            light = self._light[: self._filled, v]
            self._pose_parts[v].append(pose_table(simulation.names, v, times, poses, light))
            self._meter_parts[v].append(meter_table(simulation, v, times, meters))
            self._contact_parts[v].append(contact_table(simulation, v, times, contacts))
            self._belief_parts[v].append(belief_table(simulation, v, times, beliefs, poses))
            self._events[v] += self._finder.find(v, times, sight, poses, meters, contacts)
            told = [each for each in self._told if each[1].variant == v]
            self._events[v] += self._finder.find_beliefs(v, times, beliefs, told)
        self._told.clear()
        self._finder.remember(poses, meters, contacts, beliefs)
        self._filled = 0


def _blocks(values: Any, size: int) -> Any:
    """Room for `size` ticks of the same arrays."""
    return values._make(np.zeros((size, *array.shape), array.dtype) for array in values)


def _store(blocks: Any, n: int, values: Any) -> None:
    for array, value in zip(blocks, values, strict=True):
        array[n] = value
