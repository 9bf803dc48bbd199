"""Keeping what every tick came to, and turning it into tables."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.config.models import POSTURES
from snelk.engine.simulation import Simulation
from snelk.level.rays import NO_WALL
from snelk.runs.events import EVENT_COLUMNS, Event, describe_loss, describe_sight
from snelk.senses.sight import GATES, IN_VIEW, RESULTS, Poses, Sight

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
        self._rows = [np.nonzero(used[v][:, None, :] & other[:, :, None]) for v in range(len(used))]
        self._size = min(BLOCK, len(simulation.times))
        self._sight: Any = _blocks(simulation.sight, self._size)
        self._poses: Any = _blocks(simulation.poses, self._size)
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
        self._times[n] = time
        self._filled += 1
        if self._filled == self._size:
            self._flush()

    def tables(self) -> list[dict[str, pa.Table]]:
        """The tables of each variant, by name."""
        self._flush()
        noises = _noise_table(self.simulation)
        return [
            {
                "poses": pa.concat_tables(self._pose_parts[v]),
                "sight": pa.concat_tables(self._sight_parts[v], promote_options="none"),
                "noises": noises,
                "events": _event_table(self._events[v]),
            }
            for v in range(len(self._events))
        ]

    def _flush(self) -> None:
        if self._filled == 0 and self._pose_parts[0]:
            return
        sight: Sight = self._sight._make(block[: self._filled] for block in self._sight)
        poses: Poses = self._poses._make(block[: self._filled] for block in self._poses)
        times = self._times[: self._filled]
        for v in range(len(self._events)):
            self._sight_parts[v].append(self._sight_table(v, times, sight))
            self._pose_parts[v].append(self._pose_table(v, times, poses))
            self._events[v] += self._find_events(v, times, sight, poses)
        if len(poses.present):
            self._present = poses.present[-1].copy()
        self._filled = 0

    def _sight_table(self, v: int, times: NDArray[np.float64], sight: Sight) -> pa.Table:
        simulation, numbers = self.simulation, self.simulation.numbers
        agent, target, cone = self._rows[v]
        setup = simulation.setups[v]
        cone_names: list[str] = []
        cone_codes = np.zeros(len(agent), dtype=np.int32)
        for row, (a, k) in enumerate(zip(agent, cone, strict=True)):
            profile = setup.profiles[setup.cast[simulation.agents[a]].profile or ""]
            name = list(profile.cones)[k]
            if name not in cone_names:
                cone_names.append(name)
            cone_codes[row] = cone_names.index(name)

        def pair(values: NDArray[np.float64]) -> NDArray[np.float64]:
            result: NDArray[np.float64] = values[:, v, agent, target].ravel()
            return result

        held = sight.held[:, v, agent, target, cone]
        failed = sight.failed[:, v, agent, target, cone].ravel()
        distance, off, exposure = (
            pair(sight.distance),
            np.degrees(pair(sight.off)),
            pair(sight.exposure),
        )
        reach = np.where(
            held, numbers.hold_range[v, agent, cone], numbers.range[v, agent, cone]
        ).ravel()
        half = np.where(
            held, numbers.hold_half_fov[v, agent, cone], numbers.half_fov[v, agent, cone]
        )
        half_deg = np.degrees(half).ravel()
        least = np.broadcast_to(numbers.min_exposure[v, agent, cone], held.shape).ravel()
        wall = sight.wall[:, v, agent, target].ravel()
        place = sight.wall_place[:, v, agent, target].reshape(-1, 3)
        ticks = len(times)
        return pa.table(
            {
                "t": np.repeat(times, len(agent)),
                "agent": _words(np.tile(agent, ticks), simulation.agents),
                "target": _words(np.tile(target, ticks), simulation.names),
                "cone": _words(np.tile(cone_codes, ticks), cone_names),
                "in_view": failed == IN_VIEW,
                "result": _words(failed + 1, RESULTS),
                "held": held.ravel(),
                "distance": _numbers(distance),
                "distance_limit": reach,
                "distance_margin": _numbers(reach - distance),
                "off_deg": _numbers(off),
                "off_limit_deg": half_deg,
                "off_margin_deg": _numbers(half_deg - off),
                "exposure": _numbers(exposure),
                "exposure_limit": least,
                "exposure_margin": _numbers(exposure - least),
                "wall": _words(wall, simulation.level.wall_names),
                "wall_x": _numbers(place[:, 0]),
                "wall_y": _numbers(place[:, 1]),
                "wall_z": _numbers(place[:, 2]),
            }
        )

    def _pose_table(self, v: int, times: NDArray[np.float64], poses: Poses) -> pa.Table:
        names = self.simulation.names
        p = v if poses.x.shape[1] > 1 else 0
        present = poses.present[:, p].ravel()

        def column(values: NDArray[np.float64]) -> pa.Array:
            return _numbers(np.where(present, values[:, p].ravel(), np.nan))

        heading = (np.degrees(poses.heading) + 180.0) % 360.0 - 180.0
        return pa.table(
            {
                "t": np.repeat(times, len(names)),
                "id": _words(np.tile(np.arange(len(names)), len(times)), names),
                "present": present,
                "x": column(poses.x),
                "y": column(poses.y),
                "z": column(poses.z),
                "heading_deg": column(heading),
                "posture": _words(poses.posture[:, p].ravel(), POSTURES),
            }
        )

    def _find_events(
        self, v: int, times: NDArray[np.float64], sight: Sight, poses: Poses
    ) -> Iterable[Event]:
        """What changed from a tick to the next; at one time: who came, saw, lost, went."""
        simulation = self.simulation
        setup = simulation.setups[v]
        p = v if poses.present.shape[1] > 1 else 0
        found: list[tuple[int, int, int, int, Event]] = []
        present = poses.present[:, p]
        before = present[:1] if self._present is None else self._present[p][None]
        for n, j in np.argwhere(np.diff(np.concatenate([before, present]), axis=0)):
            kind, order = ("appeared", 0) if present[n, j] else ("vanished", 3)
            name = simulation.names[j]
            found.append(
                (n, order, j, 0, Event(float(times[n]), kind, name, text=f"{name} {kind}"))
            )
        now = sight.failed[:, v] == IN_VIEW
        changed = now.any(axis=-1) != sight.held[:, v].any(axis=-1)
        for n, a, j in np.argwhere(changed):
            agent, target = simulation.agents[a], simulation.names[j]
            cones = list(setup.profiles[setup.cast[agent].profile or ""].cones)
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
        return [row[-1] for row in sorted(found, key=lambda row: row[:4])]


def _blocks(values: Any, size: int) -> Any:
    """Room for `size` ticks of the same arrays."""
    return values._make(np.zeros((size, *array.shape), array.dtype) for array in values)


def _store(blocks: Any, n: int, values: Any) -> None:
    for array, value in zip(blocks, values, strict=True):
        array[n] = value


def _words(codes: NDArray[np.integer], words: Iterable[str]) -> pa.DictionaryArray:
    """Names by their number; a negative number is nothing."""
    codes = np.asarray(codes, dtype=np.int32)
    dictionary = pa.array(list(words), type=pa.string())
    return pa.DictionaryArray.from_arrays(pa.array(codes, mask=codes < 0), dictionary)


def _numbers(values: NDArray[np.float64]) -> pa.Array:
    """Numbers, with nothing where they are NaN."""
    return pa.array(values, mask=np.isnan(values))


def _noise_table(simulation: Simulation) -> pa.Table:
    noises = simulation.scenario.noises
    within = (noises.t >= simulation.times[0] - 1e-9) & (noises.t <= simulation.times[-1] + 1e-9)
    return pa.table(
        {
            "t": noises.t[within],
            "kind": pa.array(
                [k for k, kept in zip(noises.kind, within, strict=True) if kept], pa.string()
            ),
            "x": noises.x[within],
            "y": noises.y[within],
            "z": noises.z[within],
            "reach": noises.reach[within],
            "by": pa.array(
                [b for b, kept in zip(noises.by, within, strict=True) if kept], pa.string()
            ),
        }
    )


def _event_table(events: list[Event]) -> pa.Table:
    columns = (
        zip(*(event.row() for event in events), strict=True)
        if events
        else [()] * len(EVENT_COLUMNS)
    )
    arrays = [
        pa.array(list(values), type=kind)
        for values, kind in zip(columns, EVENT_COLUMNS.values(), strict=True)
    ]
    return pa.table(dict(zip(EVENT_COLUMNS, arrays, strict=True)))
