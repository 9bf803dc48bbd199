"""The first part of a page after a change: everything that moves, without the numbers of *why*."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.config.scenario import Scenario
from snelk.engine.simulation import Simulation
from snelk.page.kinds import doors_of, kinds_of
from snelk.page.packing import Packer
from snelk.runs.quick import Pairs, Quick, quick_parts
from snelk.runs.record import ANY_FLOOR
from snelk.runs.tables import is_thin
from snelk.senses.bodies import blocker_codes
from snelk.senses.gates import CONTACTS
from snelk.senses.hearing import HEARD
from snelk.senses.sight import GATES

Numbers = NDArray[Any]


def glances(
    scenario: Scenario, packer: Callable[[], Packer], key: str, kept: Mapping[str, Sequence[str]],
    *, rays_of: str | None = None, first_until: float = math.inf,
) -> Iterator[Glance]:  # fmt: skip
    """The quick part of a run for a page, and before it the part up to a moment.

    Args:
        scenario: What is run.
        packer: Makes what packs the numbers of one.
        key: How their names begin.
        kept: By agent, of whom is told.
        rays_of: The agent of whose rays it is told where they were stopped; of all if None.
        first_until: When what there is so far is told, s.
    """
    simulation = Simulation(scenario)
    names = list(simulation.names)
    told = {
        a: [names.index(name) for name in kept[agent]] for a, agent in enumerate(simulation.agents)
    }
    every = np.indices((len(told), len(names))).reshape(2, -1)
    if is_thin(len(told), len(names)):
        both = [(a, c) for a, targets in told.items() for c in targets]
        every = np.array(both or np.zeros((0, 2)), dtype=np.intp).T
    pairs = Pairs(*every)
    for quick in quick_parts(simulation, pairs, first_until):
        yield Glance(simulation, quick, pairs, packer(), key, told, rays_of)


class Glance:
    """The quick part of a run for a page: like `Gathered`, with much left out.

    Args:
        simulation: Of the run.
        quick: What became of it so far.
        pairs: Of whom `quick` tells.
        packer: The numbers.
        key: How their names begin.
        kept: By agent, of whom is told, by number.
        rays_of: As `glances` takes it.

    Attributes:
        facts: Plain data for JSON: what is another than of another run of the same level.
    """

    def __init__(
        self, simulation: Simulation, quick: Quick, pairs: Pairs, packer: Packer, key: str,
        kept: Mapping[int, list[int]], rays_of: str | None,
    ) -> None:  # fmt: skip
        self.scenario, self.packer, self.key = simulation.scenario, packer, key
        self.simulation, self.level, self.quick = simulation, simulation.level, quick
        self.kept, self._rays_of = kept, rays_of
        self.place = {(int(a), int(c)): n for n, (a, c) in enumerate(zip(*pairs, strict=True))}
        scenario = self.scenario
        setup, times = scenario.setup, self.quick.times
        self._has_floors = len(self.level.floor_names) > 1
        self._teams = [setup.cast[name].team for name in simulation.names]
        turned = (
            (("open" if each.is_on else "shut") if each.is_door else "", each.name, t)
            for t, each in self.quick.turns
        )
        self.facts: dict[str, Any] = {
            "key": key, "start": float(times[0]), "end": self._end(), "ticks": len(times),
            "dt": setup.clock.dt, "look_dt": setup.clock.dt,
            **kinds_of(setup), "doors": doors_of(self.level, setup, turned),
        }  # fmt: skip
        self._poses()
        self._looks()
        self._of_pairs()
        self._noises()
        self._minds()
        self._searches()

    def _end(self) -> float:
        """When it ends, or would if nothing ends it before."""
        times = self.quick.times if self.simulation.done else self.simulation.times
        return float(times[-1])

    def _add(self, name: str, values: Any, **how: Any) -> None:
        self.packer.add(f"{self.key}.{name}", values, **how)

    def _poses(self) -> None:
        poses = self.quick.poses
        for name, values in (("x", poses.x), ("y", poses.y), ("z", poses.z)):
            self._add(name, np.where(poses.present, values, np.nan).T, parts=1000)
        heading = (np.degrees(poses.heading) + 180.0) % 360.0 - 180.0
        for c, there in enumerate(poses.present.T):  # so that it does not jump at 180 degrees
            heading[there, c] = np.unwrap(heading[there, c], period=360.0)
        self._add("heading", np.where(poses.present, heading, np.nan).T, parts=100)
        self._add("present", poses.present.T)
        self._add("posture", np.where(poses.present, poses.posture, 0).T)
        if self._has_floors:
            at = [np.where(poses.present, each, 0.0) for each in poses[:3]]
            self._add("floor", self._on(np.stack(at, axis=-1)).T)

    def _on(self, places: Numbers) -> NDArray[np.int32]:
        """The floor below each of (..., 3), by number; -1 for none."""
        at = np.ascontiguousarray(np.nan_to_num(places)).reshape(-1, 3)
        return self.level.floors_at(at).reshape(places.shape[:-1])

    def _looks(self) -> None:
        quick, setup, kept = self.quick, self.scenario.setup, self.kept
        there = quick.poses.present
        self.facts["kept"] = {}
        for a, agent in enumerate(self.simulation.agents):
            profile = setup.profile_of(agent)
            cones, ticks = len(profile.cones), np.flatnonzero(quick.looked[:, a])
            if not cones:
                continue
            self.facts["kept"][a] = kept[a]
            self._add(f"{a}.look", ticks)
            self._add(f"{a}.awake", quick.awake[ticks, a], parts=100_000_000)
            if not kept[a]:
                continue
            own = [self.place[a, c] for c in kept[a]]

            def pairs(values: Numbers, ticks: Any = ticks, own: Any = own) -> Any:
                return np.moveaxis(values.take(own, axis=1).take(ticks, axis=0), 0, -1)

            results = pairs(quick.failed)[:, :cones].copy()
            self_there = there[ticks, self.simulation.names.index(agent)]
            noticed = profile.noticed()
            # Of whom it never notices nothing is worked out.
            rest = np.flatnonzero([self._teams[c] not in noticed for c in kept[a]])
            both = self_there & there[ticks].take(np.take(kept[a], rest), axis=1).T
            why = np.where(both, GATES.index("cares"), GATES.index("present"))
            results[rest] = why[:, np.newaxis]
            self._add(f"{a}.result", results)
            if self._rays_of not in (None, agent):
                continue
            walls = blocker_codes(pairs(quick.wall), len(self.level.wall_names))
            self._add(f"{a}.wall", walls)
            self._add(f"{a}.wall_place", pairs(quick.wall_place), parts=100)

    def _of_pairs(self) -> None:
        """Meters, beliefs, touch, zones and smell, of those that an agent ever notices."""
        quick, setup = self.quick, self.scenario.setup
        columns: dict[str, tuple[str, dict[str, tuple[Numbers, int]]]] = {
            "meters": ("meter", {"meter.value": (quick.meter, 1000)}),
            "beliefs": ("memory", {
                "belief.source": (quick.source, 1),
                "belief.x": (quick.believed_x, 100), "belief.y": (quick.believed_y, 100),
                "belief.uncertainty": (quick.uncertainty, 10)}),
            **{
                sense.name: (sense.key, {f"{sense.name}.result": (results, 1)})
                for sense, results in zip(CONTACTS, quick.contacts, strict=True)
            },
        }  # fmt: skip
        if self._has_floors:
            believed = np.stack([quick.believed_x, quick.believed_y, quick.believed_z], axis=-1)
            columns["beliefs"][1]["belief.on"] = self._on(believed), 1
        teams = self._teams
        profiles = [setup.profile_of(agent) for agent in self.simulation.agents]
        noticed = [profile.noticed() for profile in profiles]
        for fact, (has, parts) in columns.items():
            self.facts[fact] = [
                (a, c) for a, targets in self.kept.items() for c in targets
                if getattr(profiles[a], has) is not None and teams[c] in noticed[a]
            ]  # fmt: skip
            chosen = [self.place[pair] for pair in self.facts[fact]]
            for name, (values, of_one) in parts.items() if chosen else ():
                shown = 100 if name == "meter.value" else None
                self._add(name, values.take(chosen, axis=1).T, parts=of_one, shown=shown)

    def _noises(self) -> None:
        noises, heard = self.quick.noises, self.quick.heard
        for name, values, parts in (
            ("t", noises.t, 1000), ("x", noises.x, 100), ("y", noises.y, 100),
            ("reach", noises.reach, 100),
        ):  # fmt: skip
            self._add(f"noise.{name}", values, parts=parts)
        if self._has_floors:
            self._add("noise.on", self._on(np.stack([noises.x, noises.y, noises.z], axis=-1)))
        order = np.lexsort((self.quick.heard_at, heard.agent))
        self._add("heard.agent", heard.agent[order])
        self._add("heard.target", heard.by[order])
        self._add("heard.t", self.quick.heard_at[order], parts=1000)
        self._add("heard.heard", heard.failed[order] == HEARD)

    def _minds(self) -> None:
        quick, setup = self.quick, self.scenario.setup
        self.facts["ladders"] = {}
        for a, agent in enumerate(self.simulation.agents):
            if setup.profile_of(agent).ladder is None:
                continue
            # What is entered at a tick holds from the next one on.
            new = np.flatnonzero(np.diff(quick.entry[:, a]))
            entered = [(float(quick.times[0]), int(quick.state[0, a]))]
            entered += [(float(quick.times[n]), int(quick.state[n + 1, a])) for n in new]
            self.facts["ladders"][agent] = {
                "entered": [{"t": t, "state": state, "transition": ""} for t, state in entered],
                "away": [], "reactions": [], "transitions": [],
            }  # fmt: skip
            self._add(f"{a}.state", quick.state[:, a])
            self._add(f"{a}.goes", ~np.isnan(quick.goal_x[:, a]))
            self._add(f"{a}.goal_x", quick.goal_x[:, a], parts=10)
            self._add(f"{a}.goal_y", quick.goal_y[:, a], parts=10)
            if self._has_floors:
                goals = [each[:, a] for each in (quick.goal_x, quick.goal_y, quick.goal_z)]
                self._add(f"{a}.goal_on", self._on(np.stack(goals, axis=-1)))

    def _searches(self) -> None:
        quick = self.quick
        places = np.array([(note.x, note.y, note.z) for note in quick.notes]).reshape(-1, 3)
        on = self._on(places).tolist() if self._has_floors else [ANY_FLOOR] * len(places)
        self.facts["searches"] = [
            {"t": note.t, "agent": note.agent, "what": note.what,
             "x": None if np.isnan(note.x) else note.x, "y": None if np.isnan(note.y) else note.y,
             "on": here}
            for note, here in zip(quick.notes, on, strict=True)
        ]  # fmt: skip
        self.facts["likelihoods"] = []
        for n, shot in enumerate(quick.snapshots):
            some = shot.share > 1e-4
            share, (x, y, _) = shot.share[some], shot.likelihood.centres[some].T
            if self._has_floors:
                self._add(f"likely.{n}.on", self._on(shot.likelihood.centres[some]))
            for name, values, parts in (("x", x, 100), ("y", y, 100)):
                self._add(f"likely.{n}.{name}", values, parts=parts)
            self._add(f"likely.{n}.share", share / share.max(initial=1e-300), parts=50)
            about = {"agent": shot.agent, "t": shot.t, "cell": shot.likelihood.cell}
            self.facts["likelihoods"].append(about)
