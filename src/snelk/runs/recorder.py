"""Keeping what every tick came to, and turning it into tables."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.body.searching import Note, Snapshot
from snelk.body.world import Happening
from snelk.engine.simulation import Simulation
from snelk.engine.throws import Flight
from snelk.mind.ladder import Step
from snelk.mind.memory import Beliefs
from snelk.mind.meter import Meters
from snelk.mind.sharing import Message
from snelk.runs.events import EVENT_KINDS, Event
from snelk.runs.finding import EventFinder, find_hearing
from snelk.runs.happened import find_minds
from snelk.runs.minds import (
    SEARCH_COLUMNS,
    STATE_COLUMNS,
    THROW_COLUMNS,
    likelihood_table,
    search_rows,
    signal_table,
    state_rows,
    table_of,
    throw_rows,
)
from snelk.runs.tables import (
    Before,
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

BLOCK, MOST_GATHERED = 512, 1_000_000
"""Ticks that are gathered before they become rows, and checks of sight: what is less."""


class Recorder:
    """Gathers the ticks of a simulation and yields one set of tables a variant."""

    def __init__(self, simulation: Simulation) -> None:
        self.simulation = simulation
        numbers = simulation.numbers
        used = np.arange(numbers.range.shape[2]) < numbers.cones[:, :, None]  # (v, agent, cone)
        other = numbers.characters[:, None] != np.arange(len(simulation.names))  # (agent, target)
        # For each variant the (agent, target, cone) of a tick's rows, in that order.
        pairs = numbers.notices & other
        self._rows: list[Any] = [
            np.nonzero(used[v][:, None, :] & pairs[v][:, :, None]) for v in range(len(used))
        ]
        fits = MOST_GATHERED // max(used.shape[0] * other.size * used.shape[2], 1)
        self._size = max(min(BLOCK, fits, len(simulation.times)), 1)
        self._before = Before(simulation)
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
        self._awake = {
            sense: np.zeros((self._size, *simulation.awake[sense].shape))
            for sense in ("sight", "touch")
        }
        self._signals: Any = _blocks(simulation.world.signals, self._size)
        self._signal_parts: list[list[pa.Table]] = [[] for _ in simulation.setups]
        self._taken: list[tuple[float, Step]] = []
        self._happenings: list[tuple[float, Happening]] = []
        self._notes: list[Note] = []
        self._snapshots: list[Snapshot] = []
        self._flights: list[Flight] = []
        self._flushed = 0
        self._times = np.zeros(self._size)
        self._filled = 0
        variants = len(simulation.setups)
        self._sight_parts: list[list[pa.Table]] = [[] for _ in range(variants)]
        self._pose_parts: list[list[pa.Table]] = [[] for _ in range(variants)]
        self._events: list[list[Event]] = [[] for _ in range(variants)]

    def keep(self, time: float) -> None:
        """Keep the simulation's last tick."""
        n = self._filled
        for sense, block in self._awake.items():
            block[n] = self.simulation.awake_then[sense]
        world = self.simulation.world
        _store(self._signals, n, world.signals)
        self._taken += [(time, step) for step in world.taken]
        self._happenings += [(time, each) for each in world.happenings]
        self._notes += world.notes
        self._snapshots += world.snapshots
        self._flights += self.simulation.thrower.flights
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
            # A variant that ended before the others is told up to its end only.
            end = self._end_of(v)
            made = noises.of((noises.variant == v) & (noises.t <= end))
            rows = (heard.variant == v) & (times <= end)
            judged = Heard(*(values[rows] for values in heard))
            events = self._events[v] + list(
                find_hearing(self.simulation, times[rows], judged, made)
            )
            signals = pa.concat_tables(self._signal_parts[v])
            states, notes, flights = self._minds(v, end, signals)
            searches = search_rows(self.simulation, notes)
            happenings = [(t, h) for t, h in self._happenings if h.variant == v and t <= end]
            events += find_minds(self.simulation, states, happenings, searches, flights)
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
                    "throws": table_of(THROW_COLUMNS, throw_rows(self.simulation, flights)),
                    "signals": signals,
                    "states": table_of(STATE_COLUMNS, states),
                    "searches": table_of(SEARCH_COLUMNS, searches),
                    "likelihood": likelihood_table(
                        self.simulation,
                        [s for s in self._snapshots if s.variant == v and s.t <= end],
                    ),
                    "events": event_table(events),
                }
            )
        return tables

    def _end_of(self, v: int) -> float:
        last = int(self.simulation.last[v])
        return np.inf if last < 0 else float(self.simulation.times[last])

    def _minds(
        self, v: int, end: float, signals: pa.Table
    ) -> tuple[list[tuple[object, ...]], list[Note], list[Flight]]:
        """What the minds of one variant did: rows of states, notes of searches, throws."""
        taken = [(t, step) for t, step in self._taken if step.variant == v and t <= end]
        states = state_rows(self.simulation, v, signals, taken)
        notes = [note for note in self._notes if note.variant == v and note.t <= end]
        flights = [each for each in self._flights if each.variant == v and each.t <= end]
        return states, notes, flights

    def _flush(self) -> None:
        if self._filled == 0 and self._pose_parts[0]:
            return
        every = (self._sight, self._poses, self._meters, self._contacts, self._beliefs)
        times, simulation = self._times[: self._filled], self.simulation
        for v in range(len(self._events)):
            last = int(simulation.last[v])
            count = self._filled if last < 0 else min(last + 1 - self._flushed, self._filled)
            if count <= 0 and self._pose_parts[v]:
                continue
            self._flush_variant(v, times[:count], *(_ticks(block, count) for block in every))
        self._told.clear()
        whole = [_ticks(block, self._filled) for block in every]
        self._finder.remember(*whole[1:])
        if self._filled:
            self._before.remember(whole[0], *whole[2:])
        self._flushed += self._filled
        self._filled = 0

    def _flush_variant(
        self,
        v: int,
        times: NDArray[np.float64],
        sight: Sight,
        poses: Poses,
        meters: Meters,
        contacts: Contacts,
        beliefs: Beliefs,
    ) -> None:
        """Turn the gathered ticks of one variant into rows and events."""
        simulation, count = self.simulation, len(times)
        awake = {sense: block[:count] for sense, block in self._awake.items()}
        self._sight_parts[v].append(
            sight_table(simulation, v, self._rows[v], times, sight, awake["sight"], self._before)
        )
        light = self._light[:count, v]
        self._pose_parts[v].append(pose_table(simulation.names, v, times, poses, light))
        self._meter_parts[v].append(meter_table(simulation, v, times, meters, self._before))
        self._contact_parts[v].append(
            contact_table(simulation, v, times, contacts, awake["touch"], self._before)
        )
        self._belief_parts[v].append(
            belief_table(simulation, v, times, beliefs, poses, self._before)
        )
        signals = _ticks(self._signals, count)
        self._signal_parts[v].append(signal_table(simulation, v, times, signals, sight, poses))
        self._events[v] += self._finder.find(v, times, sight, poses, meters, contacts)
        told = [each for each in self._told if each[1].variant == v and each[0] in times]
        gone = {
            (t, each.agent, each.target)
            for t, each in self._happenings
            if each.kind == "disproved" and each.variant == v
        }
        self._events[v] += self._finder.find_beliefs(v, times, beliefs, told, gone)


def _ticks(blocks: Any, count: int) -> Any:
    """The first ticks of what was gathered."""
    return blocks._make(block[:count] for block in blocks)


def _blocks(values: Any, size: int) -> Any:
    """Room for `size` ticks of the same arrays."""
    return values._make(np.zeros((size, *array.shape), array.dtype) for array in values)


def _store(blocks: Any, n: int, values: Any) -> None:
    for array, value in zip(blocks, values, strict=True):
        array[n] = value
