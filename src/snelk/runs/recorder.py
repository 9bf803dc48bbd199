"""Recording each tick, and turning ticks into tables."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.body.doors import Turn
from snelk.body.outcomes import Effect, Happening
from snelk.body.scene import Note, Snapshot
from snelk.engine.copies import EVERY, Copies
from snelk.engine.simulation import Simulation
from snelk.engine.throws import Flight
from snelk.level.columns import plain
from snelk.mind.ladder import Step
from snelk.mind.memory import Beliefs
from snelk.mind.messages import Message
from snelk.mind.meter import Meters
from snelk.mind.sharing import Saying
from snelk.runs.arrow import table_of_rows
from snelk.runs.events import EVENT_KINDS, Event
from snelk.runs.finding import EventFinder, find_hearing, without_former
from snelk.runs.mind_events import find_minds
from snelk.runs.minds import (
    EFFECT_COLUMNS,
    SEARCH_COLUMNS,
    STATE_COLUMNS,
    THROW_COLUMNS,
    TURN_COLUMNS,
    VOICE_COLUMNS,
    Searches,
    effect_rows,
    first_states,
    likelihood_table,
    signal_table,
    throw_rows,
    transition_rows,
    turn_rows,
    voice_rows,
)
from snelk.runs.store import TABLES, Draft
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
from snelk.runs.ticks import Tick, tick_of
from snelk.senses.bodies import Poses
from snelk.senses.contact import Contacts
from snelk.senses.hearing import Heard, Noises
from snelk.senses.sight import Sight

BLOCK, MOST_GATHERED = 512, 250_000
"""Ticks that are gathered before they become rows, and checks of sight: what is less."""


RECORDED_SENSES = ("sight",)
"""Those of which it is recorded how awake they are."""


class Block(NamedTuple):
    """The results of some ticks; the arrays are (tick, variant, ...)."""

    times: NDArray[np.float64]  # (tick,), s
    sight: Sight
    poses: Poses
    meters: Meters
    contacts: Contacts
    beliefs: Beliefs


class Kept:
    """The tables of a run that stays in memory."""

    def __init__(self) -> None:
        self._parts: dict[str, list[pa.Table]] = {}

    def add(self, name: str, rows: pa.Table) -> None:
        """Add rows to a table."""
        self._parts.setdefault(name, []).append(rows)

    def tables(self) -> dict[str, pa.Table]:
        """The tables by name."""
        return {name: pa.concat_tables(self._parts[name]) for name in TABLES}


class Recorder:
    """Gathers the ticks of a simulation, and adds them to the tables of each variant as rows.

    Args:
        simulation: What is recorded.
        into: The tables of each variant: in memory, or on their way to disk.
        first: The tick that is recorded first, where it is not the first of the run.
    """

    def __init__(
        self, simulation: Simulation, into: Sequence[Kept | Draft], *, first: Tick | None = None
    ) -> None:
        self.simulation, self._first = simulation, first
        self._into = into
        numbers = simulation.numbers
        used = np.arange(numbers.cares.shape[3]) < numbers.cones[:, :, None]  # (v, agent, cone)
        other = numbers.characters[:, None] != np.arange(len(simulation.names))  # (agent, target)
        # For each variant the (agent, target, cone) of a tick's rows, in that order.
        pairs = numbers.notices & other
        self._rows: list[Any] = [
            np.nonzero(used[v][:, None, :] & pairs[v][:, :, None]) for v in range(len(used))
        ]
        held = MOST_GATHERED // max(used.shape[0] * other.size * used.shape[2], 1)
        self._size = max(min(BLOCK, held, len(simulation.times)), 1)
        self._before = Before(simulation)
        self._sight = _Blocks(simulation.sight, self._size)
        self._poses = _Blocks(simulation.poses, self._size)
        self._meters = _Blocks(simulation.meters, self._size)
        self._contacts = _Blocks(simulation.contacts, self._size)
        self._beliefs = _Blocks(simulation.beliefs, self._size)
        self._told: list[tuple[float, Message]] = []
        self._voices: list[list[tuple[object, ...]]] = [[] for _ in simulation.setups]
        self._voiced: dict[tuple[int, int], NDArray[np.int8]] = {}
        self._noises: list[Noises] = [Noises.blank(0)]
        self._heard: list[tuple[NDArray[np.float64], Heard]] = []  # with the time of each
        self._last_heard: list[dict[tuple[int, int], float]] = [{} for _ in simulation.setups]
        self._finder = EventFinder(simulation)
        if first is not None:  # nothing is new at it
            before: Any = (first.sight, first.poses, first.meters, first.contacts, first.beliefs)
            one = (each._make(values[None] for values in each) for each in before)
            self._finder.remember(*one)
        self._light = np.zeros((self._size, *simulation.light.shape))
        self._awake = {
            sense: np.zeros((self._size, *simulation.awake[sense].shape))
            for sense in RECORDED_SENSES
        }
        self._signals = _Blocks(simulation.world.signals, self._size)
        self._taken: list[tuple[float, Step]] = []
        self._states = [first_states(simulation, v, first) for v in range(len(simulation.setups))]
        self._happenings: list[tuple[float, Happening]] = []
        self._effects: list[tuple[float, Effect]] = []
        self._turns: list[tuple[float, Turn]] = []
        self._notes: list[Note] = []
        self._snapshots: list[Snapshot] = []
        self._flights: list[Flight] = []
        # The number of the first tick, and how many have become rows.
        self.first_tick = 0 if first is None else simulation.tick_at(first.t)
        self._flushed = self.first_tick
        self._times = np.zeros(self._size)
        self._filled = 0
        self._begun = [False] * len(simulation.setups)
        self._events: list[list[Event]] = [[] for _ in simulation.setups]

    def follow(self) -> None:
        """Let the simulation's ticks be copied from now on; see `keep_up`."""
        simulation = self.simulation
        simulation.copies = copies = Copies(self._size)
        copies.begin(simulation.tick)
        even, odd = simulation.poses_of_ticks
        self._poses.follow(copies, even, ticks=0)
        self._poses.follow(copies, odd, ticks=1)
        for blocks, values in (
            (self._sight, simulation.sight), (self._meters, simulation.meters),
            (self._contacts, simulation.contacts), (self._beliefs, simulation.beliefs),
            (self._signals, plain(simulation.world.signals)),
        ):  # fmt: skip
            blocks.follow(copies, values)
        copies.into(self._light, simulation.light)
        for sense, block in self._awake.items():
            copies.into(block, simulation.awake_then[sense])
        maker, listening = simulation.maker, simulation.listening
        self._noises_of = copies.of_table(lambda: maker.noises.rows, maker.noises.held)
        self._heard_of = copies.of_table(lambda: listening.heard.rows, listening.heard.held)

    def keep_up(self) -> None:
        """Keep the ticks up to the simulation's last one, of which only that may have events."""
        simulation, begun = self.simulation, self._flushed
        self._filled = simulation.tick - begun
        time = float(simulation.times[simulation.tick - 1])
        self._keep_events(tick_of(simulation, time)._replace(noises=None, heard=None))
        if self._filled == self._size or simulation.done:
            self._times[: self._filled] = simulation.times[begun : simulation.tick]
            self._noises.append(Noises(*(values.copy() for values in self._noises_of()[1])))
            ticks, columns = self._heard_of()
            self._heard.append((simulation.times[ticks], Heard(*columns)))
            self._flush()
            simulation.copies.begin(simulation.tick)

    def keep_tick(self, tick: Tick) -> None:
        """Keep a tick, the next after the last that was kept."""
        n = self._filled
        for sense, block in self._awake.items():
            block[n] = tick.awake[sense]
        self._signals.keep(n, tick.signals)
        self._sight.keep(n, tick.sight)
        self._poses.keep(n, tick.poses)
        self._meters.keep(n, tick.meters)
        self._contacts.keep(n, tick.contacts)
        self._beliefs.keep(n, tick.beliefs)
        self._light[n] = tick.light
        self._times[n] = tick.t
        self._keep_events(tick)
        self._filled += 1
        if self._filled == self._size:
            self._flush()

    def _keep_events(self, tick: Tick) -> None:
        """Keep what happened at a tick."""
        time = tick.t
        self._taken += [(time, step) for step in tick.taken]
        self._happenings += [(time, each) for each in tick.happenings]
        self._effects += [(time, each) for each in tick.effects]
        self._turns += [(time, each) for each in tick.turns]
        self._notes += tick.notes
        self._snapshots += tick.snapshots
        self._flights += tick.flights
        self._keep_said(time, tick.said)
        self._told += [(time, message) for message in tick.told]
        if tick.noises is not None:
            self._noises.append(tick.noises)
        if tick.heard is not None:
            self._heard.append((np.full(len(tick.heard.agent), time), tick.heard))

    def _keep_said(self, time: float, said: Sequence[Saying]) -> None:
        """Keep messages; with many pairs, only results that changed."""
        simulation = self.simulation
        for saying in said:
            v = saying.variant
            if time > self._end_of(v):
                continue
            new = np.ones(saying.failed.shape, dtype=np.bool_)
            if self._before.thin:
                shape = (len(simulation.agents), len(simulation.names))
                key = (v, saying.teller)
                last = self._voiced.setdefault(key, np.full(shape, -2, dtype=np.int8))
                place = np.ix_(saying.listeners, saying.targets)
                new = (last[place] != saying.failed) | (saying.by == "alarm")
                last[place] = saying.failed
            self._voices[v] += voice_rows(simulation, time, saying, new)

    def finish(self) -> None:
        """Add the rest, and what is only known at the end."""
        self._flush()
        noises = self._made()
        began = None if self._first is None else self._first.t
        for v, into in enumerate(self._into):
            # A variant that ended before the others is told up to its end only.
            end = self._end_of(v)
            made = noises.of((noises.variant == v) & (noises.t <= end))
            effects = self._effects_of(v, end)
            notes = [note for note in self._notes if note.variant == v and note.t <= end]
            flights = [each for each in self._flights if each.variant == v and each.t <= end]
            searches = Searches(self.simulation).rows(notes)
            happenings = [(t, h) for t, h in self._happenings if h.variant == v and t <= end]
            events = without_former(self._events[v], happenings, self.simulation.names)
            events += find_minds(self.simulation, self._states[v], happenings, searches, flights)
            events.sort(key=lambda event: (event.t, EVENT_KINDS.index(event.kind)))
            into.add("noises", noise_table(self.simulation, v, made))
            into.add("throws", table_of_rows(THROW_COLUMNS, throw_rows(self.simulation, flights)))
            into.add("states", table_of_rows(STATE_COLUMNS, self._states[v]))
            into.add("effects", table_of_rows(EFFECT_COLUMNS, effects))
            turns = [(t, each) for t, each in self._turns if each.variant == v and t <= end]
            into.add(
                "turns", table_of_rows(TURN_COLUMNS, turn_rows(self.simulation, v, turns, began))
            )
            into.add("searches", table_of_rows(SEARCH_COLUMNS, searches))
            into.add("events", event_table(events))

    def _made(self) -> Noises:
        """All noises so far."""
        whole = Noises(*map(np.concatenate, zip(*self._noises, strict=True)))
        self._noises = [whole]
        return whole

    def _effects_of(self, v: int, end: float) -> list[tuple[object, ...]]:
        effects = [(t, e) for t, e in self._effects if e.variant == v and t <= end]
        return effect_rows(self.simulation, effects)

    def _end_of(self, v: int) -> float:
        last = int(self.simulation.last[v])
        return np.inf if last < 0 else float(self.simulation.times[last])

    def _flush(self) -> None:
        if self._filled == 0 and self._begun[0]:
            return
        gathered_now = (self._sight, self._poses, self._meters, self._contacts, self._beliefs)
        every = [block.ticks for block in gathered_now]
        times, simulation = self._times[: self._filled], self.simulation
        for v in range(len(self._events)):
            last = int(simulation.last[v])
            count = self._filled if last < 0 else min(last + 1 - self._flushed, self._filled)
            if count <= 0 and self._begun[v]:
                continue
            self._begun[v] = True
            parts = (_ticks(block, count) for block in every)
            self._flush_variant(v, Block(times[:count], *parts))
        self._flush_heard()
        for gathered in (self._told, self._taken, self._snapshots):
            gathered.clear()
        whole = [_ticks(block, self._filled) for block in every]
        self._finder.remember(*whole)
        if self._filled:
            self._before.remember(whole[0], *whole[2:])
        self._flushed += self._filled
        self._filled = 0

    def _flush_variant(self, v: int, block: Block) -> None:
        """Turn the gathered ticks of one variant into rows and events."""
        times, sight, poses, meters, contacts, beliefs = block
        simulation, count, into = self.simulation, len(times), self._into[v]
        self._add_dense(v, block)
        signals = signal_table(
            simulation, v, times, _ticks(self._signals.ticks, count), sight, contacts, poses
        )
        into.add("signals", signals)
        end = self._end_of(v)
        taken = [(t, step) for t, step in self._taken if step.variant == v and t <= end]
        effects = self._effects_of(v, end)
        self._states[v] += transition_rows(
            simulation, v, signals, self._flushed, taken, effects,
            [(t, each) for t, each in self._turns if each.variant == v],
        )  # fmt: skip
        into.add("voices", table_of_rows(VOICE_COLUMNS, self._voices[v]))
        self._voices[v].clear()
        shots = [shot for shot in self._snapshots if shot.variant == v and shot.t <= end]
        into.add("likelihood", likelihood_table(simulation, shots))
        self._events[v] += self._finder.find(v, times, sight, poses, meters, contacts)
        told = [each for each in self._told if each[1].variant == v and each[0] in times]
        gone = {
            (t, each.agent, each.target)
            for t, each in self._happenings
            if each.kind == "disproved" and each.variant == v
        }
        self._events[v] += self._finder.find_beliefs(v, times, beliefs, told, gone)

    def _add_dense(self, v: int, block: Block) -> None:
        """Add the rows that there are of every tick and pair."""
        times, sight, poses, meters, contacts, beliefs = block
        simulation, count, into = self.simulation, len(times), self._into[v]
        awake = {sense: block[:count] for sense, block in self._awake.items()}
        into.add(
            "sight",
            sight_table(
                simulation,
                v,
                self._rows[v],
                times,
                sight,
                awake["sight"],
                self._signals.ticks.state[:count],
                self._before,
            ),
        )
        light = self._light[:count, v]
        into.add("poses", pose_table(simulation.names, v, times, poses, light))
        into.add("meters", meter_table(simulation, v, times, meters, self._before))
        contact = contact_table(simulation, v, times, contacts, self._before)
        into.add("contacts", contact)
        into.add("beliefs", belief_table(simulation, v, times, beliefs, poses, self._before))

    def _flush_heard(self) -> None:
        """Turn the hearing results since the last block into rows and events."""
        judged = [each for _, each in self._heard] or [Heard.none()]
        heard = Heard(*map(np.concatenate, zip(*judged, strict=True)))
        times = np.concatenate([np.zeros(0), *(times for times, _ in self._heard)])
        noises = self._made()
        for v, into in enumerate(self._into):
            end = self._end_of(v)
            made = noises.of((noises.variant == v) & (noises.t <= end))
            rows = (heard.variant == v) & (times <= end)
            mine, then = Heard(*(values[rows] for values in heard)), times[rows]
            into.add("hearing", hearing_table(self.simulation, v, then, mine, made))
            last = self._last_heard[v]
            self._events[v] += find_hearing(self.simulation, then, mine, made, last)
        self._heard.clear()


def _ticks(blocks: Any, count: int) -> Any:
    """The first of the gathered ticks."""
    return blocks._make(block[:count] for block in blocks)


class _Blocks:
    """Space for some ticks of the same arrays, in one piece of memory.

    Attributes:
        ticks: The arrays, each with a tick axis first.
    """

    def __init__(self, values: Any, size: int) -> None:
        piece = values[0].base
        self._rows = np.zeros((size, len(piece)), dtype=np.uint8)
        start = piece.ctypes.data
        self.ticks = values._make(
            np.ndarray(
                (size, *array.shape),
                array.dtype,
                self._rows,
                array.ctypes.data - start,
                (len(piece), *array.strides),
            )
            for array in values
        )

    def follow(self, copies: Copies, values: Any, *, ticks: int = EVERY) -> None:
        """Let the arrays be copied at each tick."""
        copies.into(self._rows, values[0].base, ticks=ticks)

    def keep(self, n: int, values: Any) -> None:
        """Keep the arrays as they are now, as tick n."""
        self._rows[n] = values[0].base
