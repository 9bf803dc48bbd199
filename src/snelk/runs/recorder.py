"""Keeping what every tick came to, and turning it into tables."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.engine.simulation import Simulation
from snelk.level.rays import NO_WALL
from snelk.mind.meter import REACHED, Meters
from snelk.runs.events import Event, describe_crossing, describe_loss, describe_sight
from snelk.runs.tables import event_table, meter_table, noise_table, pose_table, sight_table
from snelk.senses.bodies import Poses
from snelk.senses.sight import GATES, IN_VIEW, Sight

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
        self._meter_parts: list[list[pa.Table]] = [[] for _ in simulation.setups]
        self._value: NDArray[np.float64] = simulation.meters.value.copy()  # at the tick before
        self._light = np.zeros((self._size, *simulation.light.shape))
        self._times = np.zeros(self._size)
        self._filled = 0
        variants = len(simulation.setups)
        self._sight_parts: list[list[pa.Table]] = [[] for _ in range(variants)]
        self._pose_parts: list[list[pa.Table]] = [[] for _ in range(variants)]
        self._events: list[list[Event]] = [[] for _ in range(variants)]
        self._present: NDArray[np.bool_] | None = None  # (1 or variant, character), tick before

    def keep(self, time: float) -> None:
        """Keep the simulation's last tick."""
        n = self._filled
        _store(self._sight, n, self.simulation.sight)
        _store(self._poses, n, self.simulation.poses)
        _store(self._meters, n, self.simulation.meters)
        self._light[n] = self.simulation.light
        self._times[n] = time
        self._filled += 1
        if self._filled == self._size:
            self._flush()

    def tables(self) -> list[dict[str, pa.Table]]:
        """The tables of each variant, by name."""
        self._flush()
        noises = noise_table(self.simulation)
        return [
            {
                "poses": pa.concat_tables(self._pose_parts[v]),
                "sight": pa.concat_tables(self._sight_parts[v], promote_options="none"),
                "meters": pa.concat_tables(self._meter_parts[v]),
                "noises": noises,
                "events": event_table(self._events[v]),
            }
            for v in range(len(self._events))
        ]

    def _flush(self) -> None:
        if self._filled == 0 and self._pose_parts[0]:
            return
        sight: Sight = self._sight._make(block[: self._filled] for block in self._sight)
        poses: Poses = self._poses._make(block[: self._filled] for block in self._poses)
        meters: Meters = self._meters._make(block[: self._filled] for block in self._meters)
        times, simulation = self._times[: self._filled], self.simulation
        for v in range(len(self._events)):
            self._sight_parts[v].append(sight_table(simulation, v, self._rows[v], times, sight))
            light = self._light[: self._filled, v]
            self._pose_parts[v].append(pose_table(simulation.names, v, times, poses, light))
            self._meter_parts[v].append(meter_table(simulation, v, times, meters))
            self._events[v] += self._find_events(v, times, sight, poses, meters)
        if len(poses.present):
            self._present = poses.present[-1].copy()
            self._value = meters.value[-1].copy()
        self._filled = 0

    def _find_events(
        self,
        v: int,
        times: NDArray[np.float64],
        sight: Sight,
        poses: Poses,
        meters: Meters,
    ) -> Iterable[Event]:
        """What changed from a tick to the next; at one time: who came, saw, lost, went."""
        simulation = self.simulation
        setup = simulation.setups[v]
        p = v if poses.present.shape[1] > 1 else 0
        found: list[tuple[int, int, int, int, Event]] = []
        present = poses.present[:, p]
        before = present[:1] if self._present is None else self._present[p][None]
        for n, j in np.argwhere(np.diff(np.concatenate([before, present]), axis=0)):
            kind, order = ("appeared", 0) if present[n, j] else ("vanished", 5)
            name = simulation.names[j]
            found.append(
                (n, order, j, 0, Event(float(times[n]), kind, name, text=f"{name} {kind}"))
            )
        now = sight.failed[:, v] == IN_VIEW
        changed = now.any(axis=-1) != sight.held[:, v].any(axis=-1)
        changed &= sight.looked[:, v, :, None]
        for n, a, j in np.argwhere(changed):
            agent, target = simulation.agents[a], simulation.names[j]
            cones = list(setup.profile_of(agent).cones)
            saw = bool(now[n, a, j].any())
            k = int(np.argmax(now[n, a, j] if saw else sight.held[n, v, a, j]))
            gate = int(sight.failed[n, v, a, j, k])
            wall = int(sight.wall[n, v, a, j])
            event = Event(
                float(times[n]),
                "saw" if saw else "lost",
                agent,
                target,
                cones[k],
                float(sight.distance[n, v, a, j]),
                float(np.degrees(sight.off[n, v, a, j])),
                "" if saw else GATES[gate],
                simulation.level.wall_names[wall] if not saw and wall != NO_WALL else "",
            )
            text = describe_sight(event) if saw else describe_loss(event)
            found.append((n, 1 if saw else 2, a, j, event.with_text(text)))
        found += self._find_crossings(v, times, sight, meters)
        return [row[-1] for row in sorted(found, key=lambda row: row[:4])]

    def _find_crossings(
        self, v: int, times: NDArray[np.float64], sight: Sight, meters: Meters
    ) -> Iterator[tuple[int, int, int, int, Event]]:
        """Each threshold that a meter reached or fell below, in the order of their values."""
        simulation = self.simulation
        value = np.concatenate([self._value[None, v], meters.value[:, v]])
        for a, agent in enumerate(simulation.agents):
            meter = simulation.setups[v].profile_of(agent).meter
            if meter is None:
                continue
            for name, limit in sorted(meter.thresholds.items(), key=lambda item: item[1]):
                above = value[:, a] >= limit - REACHED
                for n, j in np.argwhere(above[1:] != above[:-1]):
                    rose = bool(above[n + 1, j])
                    event = Event(
                        float(times[n]),
                        "rose" if rose else "fell",
                        agent,
                        simulation.names[j],
                        distance=float(sight.distance[n, v, a, j]),
                        threshold=name,
                    )
                    text = describe_crossing(event, float(value[n + 1, a, j]))
                    yield n, 3 if rose else 4, a, j, event.with_text(text)


def _blocks(values: Any, size: int) -> Any:
    """Room for `size` ticks of the same arrays."""
    return values._make(np.zeros((size, *array.shape), array.dtype) for array in values)


def _store(blocks: Any, n: int, values: Any) -> None:
    for array, value in zip(blocks, values, strict=True):
        array[n] = value
