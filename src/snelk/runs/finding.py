"""Finding events in the ticks of a simulation."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.body.outcomes import Happening
from snelk.config.models import Setup
from snelk.config.words import GAITS, STEP
from snelk.engine.simulation import Simulation
from snelk.level.grid import NO_WALL
from snelk.mind.memory import NO_BELIEF, TOLD, Beliefs
from snelk.mind.messages import Message
from snelk.mind.meter import REACHED, Meters
from snelk.runs.events import (
    EVENT_KINDS,
    Event,
    describe_contact,
    describe_crossing,
    describe_hearing,
    describe_loss,
    describe_noise,
    describe_sight,
)
from snelk.senses.bodies import Poses, blocker_codes, blockers_of
from snelk.senses.contact import NO_ZONE, SENSED, Contacts
from snelk.senses.gates import CONTACTS
from snelk.senses.hearing import HEARD, NOBODY, Heard, Noises
from snelk.senses.sight import GATES, GONE, IN_VIEW, Sight

QUIET = 2.0
"""Footsteps heard after less quiet than this, s, are no event of their own."""

Numbers = NDArray[np.float64]


class EventFinder:
    """Compares each tick with the one before, block of ticks by block of ticks."""

    def __init__(self, simulation: Simulation) -> None:
        self.simulation = simulation
        self._present: NDArray[np.bool_] | None = None  # (variant or 1, character)
        self._seen = simulation.sight.failed == IN_VIEW  # (variant, agent, target, cone)
        self._value: Numbers = simulation.meters.value.copy()  # (variant, agent, target)
        self._source = simulation.beliefs.source.copy()
        self._contacts = Contacts._make(values.copy() for values in simulation.contacts)
        self._thresholds = [_thresholds_of(setup) for setup in simulation.setups]

    def remember(
        self, sight: Sight, poses: Poses, meters: Meters, contacts: Contacts, beliefs: Beliefs
    ) -> None:
        """Keep the last tick of a block, to compare the next block with."""
        if len(poses.present):
            self._seen = sight.failed[-1] == IN_VIEW
            self._present = poses.present[-1].copy()
            self._source = beliefs.source[-1].copy()
            self._value = meters.value[-1].copy()
            self._contacts = Contacts._make(values[-1].copy() for values in contacts)

    def find(
        self,
        v: int,
        times: Numbers,
        sight: Sight,
        poses: Poses,
        meters: Meters,
        contacts: Contacts,
    ) -> list[Event]:
        """The events of one variant in a block: arrays are (tick, variant or 1, ...)."""
        found = [
            *self._comings_and_goings(v, times, poses),
            *self._sightings(v, times, sight, poses),
            *self._contacts_made(v, times, contacts),
            *self._crossings(v, times, sight, meters),
        ]
        return sorted(found, key=lambda event: (event.t, EVENT_KINDS.index(event.kind)))

    def _comings_and_goings(self, v: int, times: Numbers, poses: Poses) -> Iterator[Event]:
        p = v if poses.present.shape[1] > 1 else 0
        present = poses.present[:, p]
        before = present[:1] if self._present is None else self._present[p][None]
        for n, j in np.argwhere(np.diff(np.concatenate([before, present]), axis=0)):
            kind, name = "appeared" if present[n, j] else "vanished", self.simulation.names[j]
            yield Event(float(times[n]), kind, name, text=f"{name} {kind}")

    def _sightings(self, v: int, times: Numbers, sight: Sight, poses: Poses) -> Iterator[Event]:
        p = v if poses.present.shape[1] > 1 else 0
        simulation = self.simulation
        seen = np.concatenate([self._seen[None, v], sight.failed[:, v] == IN_VIEW])
        changed = seen[1:].any(axis=-1) != seen[:-1].any(axis=-1)
        for n, a, j in np.argwhere(changed):
            agent, target = simulation.agents[a], simulation.names[j]
            cones = list(simulation.setups[v].profile_of(agent).cones)
            saw = bool(seen[n + 1, a, j].any())
            k = int(np.argmax(seen[n + saw, a, j]))
            gate = int(sight.failed[n, v, a, j, k])
            walls, gone = simulation.level.wall_names, gate == GONE  # no look told of that
            wall = int(blocker_codes(sight.wall[n, v, a, j], len(walls)))
            behind = not saw and not gone and wall != NO_WALL
            event = Event(
                float(times[n]),
                "saw" if saw else "lost",
                agent,
                target,
                cones[k],
                float("nan") if gone else float(sight.distance[n, v, a, j]),
                float("nan") if gone else float(np.degrees(sight.off[n, v, a, j])),
                "" if saw else "present" if gone else GATES[gate],
                blockers_of(walls, simulation.names)[wall] if behind else "",
            )
            there = poses.present[n, p, simulation.numbers.characters[a]]
            absent = target if there else agent
            said = describe_sight(event) if saw else describe_loss(event, absent=absent)
            yield event.with_text(said)

    def _contacts_made(self, v: int, times: Numbers, contacts: Contacts) -> Iterator[Event]:
        """Touch, the zone sense and smell: where they begin and end."""
        simulation, before = self.simulation, self._contacts
        zones = [zone.name for zone, _ in simulation.level.data.zones]
        for each in CONTACTS:
            sense, told = each.name, each.told
            assert told is not None
            failed = np.concatenate(
                [getattr(before, sense)[None, v], getattr(contacts, sense)[:, v]]
            )
            sensed = failed == SENSED
            place = np.concatenate([before.zone_in[None, v], contacts.zone_in[:, v]])
            for n, a, j in np.argwhere(sensed[1:] != sensed[:-1]):
                now = bool(sensed[n + 1, a, j])
                noted: dict[str, Any] = {}
                for name in told.begun if now else told.ended:
                    if name == "gate":
                        noted[name] = each.names[int(failed[n + 1, a, j])]
                    elif name == "zone":
                        zone = int(place[n + now, a, j])
                        noted[name] = zones[zone] if zone != NO_ZONE else ""
                    else:
                        noted[name] = float(getattr(contacts, each.fields[name])[n, v, a, j])
                event = Event(
                    float(times[n]),
                    told.begins if now else told.ends,
                    simulation.agents[a],
                    simulation.names[j],
                    **noted,
                )
                age = float(contacts.scent_age[n, v, a, j])
                yield event.with_text(describe_contact(event, each, age=age))

    def find_beliefs(
        self,
        v: int,
        times: Numbers,
        beliefs: Beliefs,
        told: list[tuple[float, Message]],
        gone: Collection[tuple[float, int, int]],
    ) -> Iterator[Event]:
        """Beliefs from messages, and beliefs that were forgotten.

        Not those that are `gone`, (t, agent, target), as the agent saw that nobody is there.
        """
        simulation = self.simulation
        source = np.concatenate([self._source[None, v], beliefs.source[:, v]])
        tellers = {(t, m.listener, m.target): m.teller for t, m in told}
        for n, a, j in np.argwhere(source[1:] != source[:-1]):
            t, now = float(times[n]), source[n + 1, a, j]
            agent, target = simulation.agents[a], simulation.names[j]
            if now == NO_BELIEF and (t, int(a), int(j)) not in gone:
                yield Event(t, "forgot", agent, target, text=f"{agent} forgot {target}")
            elif now == TOLD:
                by = simulation.agents[tellers[t, int(a), int(j)]]
                yield Event(
                    t, "told", agent, target, by=by, text=f"{agent} was told of {target} by {by}"
                )

    def _crossings(self, v: int, times: Numbers, sight: Sight, meters: Meters) -> Iterator[Event]:
        """Each threshold that a meter reached or fell below, in the order of their values."""
        simulation, (names, limits) = self.simulation, self._thresholds[v]
        value = np.concatenate([self._value[None, v], meters.value[:, v]])
        # (agent, threshold, tick, target)
        above = value.transpose(1, 0, 2)[:, None] >= limits[:, :, None, None] - REACHED
        for a, k, n, j in np.argwhere(above[:, :, 1:] != above[:, :, :-1]).tolist():
            event = Event(
                float(times[n]),
                "rose" if above[a, k, n + 1, j] else "fell",
                simulation.agents[a],
                simulation.names[j],
                distance=float(sight.distance[n, v, a, j]),
                threshold=names[a][k],
            )
            yield event.with_text(describe_crossing(event, float(value[n + 1, a, j])))


ENDS = {"forgot", "fell", "lost", "parted", "left"}
"""Kinds of events that tell of something that is over."""


def without_former(
    events: Sequence[Event], happenings: Sequence[tuple[float, Happening]], names: Sequence[str]
) -> list[Event]:
    """Events without endings that belong to a character's former self."""
    new = {(t, names[each.target]) for t, each in happenings if each.kind == "spawned"}
    if not new:
        return list(events)
    return [
        event
        for event in events
        if event.kind not in ENDS
        or new.isdisjoint({(event.t, event.agent), (event.t, event.target)})
    ]


def _thresholds_of(setup: Setup) -> tuple[list[list[str]], Numbers]:
    """Everybody's thresholds by their values: names, and (agent, threshold) these; NaN beyond."""
    meters = [setup.profile_of(agent).meter for agent in setup.agents]
    each = [sorted(m.thresholds.items(), key=lambda item: item[1]) if m else [] for m in meters]
    limits = np.full((len(each), max(map(len, each), default=0)), np.nan)
    for a, thresholds in enumerate(each):
        limits[a, : len(thresholds)] = [limit for _, limit in thresholds]
    return [[name for name, _ in thresholds] for thresholds in each], limits


def find_hearing(
    simulation: Simulation,
    times: Numbers,
    heard: Heard,
    noises: Noises,
    last: dict[tuple[int, int], float] | None = None,
) -> Iterator[Event]:
    """The noises of one variant that were heard; of footsteps only the first after quiet.

    `last` keeps when each agent last heard each maker's footsteps, from call to call.
    """
    words, grounds = simulation.maker.words, simulation.maker.grounds
    last = {} if last is None else last
    for row in np.flatnonzero(heard.failed == HEARD):
        noise, a, by = heard.noise[row], int(heard.agent[row]), int(heard.by[row])
        t, kind = float(times[row]), words[noises.kind[noise]]
        gait, ground = noises.gait[noise], noises.ground[noise]
        if kind == STEP:
            before = last.get((a, by), -np.inf)
            last[a, by] = t
            if t - before < QUIET:
                continue
        event = Event(
            t,
            "heard",
            simulation.agents[a],
            simulation.names[by] if by != NOBODY else "",
            distance=float(heard.straight[row]),
            wall=simulation.level.wall_names[heard.wall[row]] if heard.wall[row] >= 0 else "",
            noise=describe_noise(
                kind, GAITS[gait] if gait >= 0 else "", grounds[ground] if ground >= 0 else ""
            ),
            strength=float(heard.strength[row]),
        )
        yield event.with_text(describe_hearing(event))
