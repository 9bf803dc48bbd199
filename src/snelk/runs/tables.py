"""From arrays of ticks to tables; docs/tables.md describes their columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.config.problems import key_path
from snelk.config.words import GAITS, POSTURES, SENSES
from snelk.level.grid import NO_WALL
from snelk.mind.memory import NO_BELIEF, SENSED_NOW, SOURCES, Beliefs, uncertainty
from snelk.mind.meter import EMPTY, FACTORS, STATES, Meters
from snelk.runs.arrow import numbers_of, table_of, table_of_rows, texts_of, words_of
from snelk.runs.events import EVENT_COLUMNS, Event
from snelk.senses.bodies import Poses, blocker_codes, blockers_of
from snelk.senses.contact import NO_ZONE, SENSED, Contacts
from snelk.senses.gates import AROUND, CONTACTS, SIGHT, STRAIGHT, TOUCH, Limit
from snelk.senses.hearing import (
    BY_KIND,
    HEARD,
    HEARING_GATES,
    HEARING_RESULTS,
    IN_FILE,
    NOBODY,
    Heard,
    Noises,
)
from snelk.senses.sight import ELEVATION, IN_VIEW, LIMITS, RESULTS, Sight

if TYPE_CHECKING:
    from snelk.engine.simulation import Simulation

Numbers = NDArray[np.float64]
Rows = tuple[NDArray[np.intp], NDArray[np.intp], NDArray[np.intp]]
"""The (agent, target, cone) of the rows that one tick has if everybody looks."""


SLACK = 1e-9
"""Numbers this close are the same."""

MOST_PAIRS = 600
"""Of runs with more pairs of an agent and a character, rows that only repeat are left out."""


def is_thin(agents: int, names: int) -> bool:
    """Whether the tables of a run leave out rows that only repeat what the one before said."""
    return agents * (names - 1) > MOST_PAIRS


class Before:
    """The state at the tick before a block, to find what is new.

    Attributes:
        thin: Whether rows that tell nothing new are left out.
    """

    def __init__(self, simulation: Simulation) -> None:
        self.thin = is_thin(len(simulation.agents), len(simulation.names))
        self.failed = np.full_like(simulation.sight.failed, -2)
        self.contacts = {
            name: np.full_like(values, -2) for name, values in _told_of(simulation.contacts).items()
        }
        self.state = simulation.meters.state.copy()
        self.source = simulation.beliefs.source.copy()
        self.belief = _held(simulation.beliefs)

    def remember(self, sight: Sight, meters: Meters, contacts: Contacts, beliefs: Beliefs) -> None:
        """Keep the last tick of a block."""
        self.failed = sight.failed[-1].copy()
        self.contacts = {name: values[-1].copy() for name, values in _told_of(contacts).items()}
        self.state, self.source = meters.state[-1].copy(), beliefs.source[-1].copy()
        self.belief = _held(beliefs)[:, -1]


PLACES = ("wall", "zone")
"""The columns of contacts that say which wall or zone it is, by number."""


def _told_of(contacts: Contacts) -> dict[str, NDArray[Any]]:
    """By field of the contacts the results of all senses, with their walls and zones."""
    names = [each.name for each in CONTACTS]
    names += [each.fields[name] for each in CONTACTS for name in PLACES if name in each.fields]
    return {name: getattr(contacts, name) for name in names}


def _held(beliefs: Beliefs) -> Numbers:
    """(5, …) the numbers of beliefs: position, age, and first error."""
    return np.stack([beliefs.x, beliefs.y, beliefs.z, beliefs.age, beliefs.blur])


def _shifted(before: NDArray[Any], now: NDArray[Any]) -> NDArray[Any]:
    """The state before each tick of a block."""
    return np.concatenate([before[None], now[:-1]])


def sight_table(
    simulation: Simulation, v: int, rows: Rows, times: Numbers, sight: Sight, awake: Numbers,
    states: NDArray[np.int16], before: Before,
) -> pa.Table:  # fmt: skip
    """A row per look, agent, target and cone of one variant; arrays are (tick, variant, ...).

    But for those that say what the look before said, without a ray: that the target is absent, of
    no interest, too far, outside the cone or too steep, or the agent asleep. `awake`
    and `states`, (tick, variant, agent), are how awake everybody's sight was, and in which state.
    """
    setup = simulation.setups[v]
    agent, target, cone = rows
    failed_now = sight.failed[:, v]
    tells = (failed_now == IN_VIEW) | (failed_now > ELEVATION)
    tells |= (failed_now != _shifted(before.failed[v], failed_now)) | (not before.thin)
    told = tells.any(axis=3)  # (tick, agent, target)
    ticks, each = np.nonzero(sight.looked[:, v][:, agent] & told[:, agent, target])
    a, j, k = agent[each], target[each], cone[each]
    cone_names = [list(setup.profile_of(simulation.agents[n]).cones) for n in agent]
    words = list(dict.fromkeys(names[m] for names, m in zip(cone_names, cone, strict=True)))
    codes = np.array([words.index(names[m]) for names, m in zip(cone_names, cone, strict=True)])

    def pair(values: Numbers) -> Numbers:
        result: Numbers = values[ticks, v, a, j]
        return result

    held, failed = sight.held[ticks, v, a, j, k], sight.failed[ticks, v, a, j, k]
    state = np.maximum(states[ticks, v, a], 0)
    limits = dict(zip(LIMITS, simulation.world.cone_limits[:, v, a, state, k], strict=True))
    columns = {
        "t": times[ticks],
        "agent": words_of(a, simulation.agents),
        "target": words_of(j, simulation.names),
        "cone": words_of(codes[each] if len(codes) else each, words),
        "in_view": failed == IN_VIEW,
        "result": words_of(failed + 1, RESULTS),
        "held": held,
        "awake": awake[ticks, v, a],
    }
    for limit in SIGHT.limits.values():
        value, (most, *other) = pair(getattr(sight, limit.field)), limit.fields
        allowed = limits[most]
        if other:
            allowed = np.where(limit.is_second(value, held), limits[other[0]], allowed)
        if limit.unit == "deg":
            value, allowed = np.degrees(value), np.degrees(allowed)
        columns |= _gate(limit, value, allowed * awake[ticks, v, a] if limit.is_scaled else allowed)
    walls = simulation.level.wall_names
    codes_of_walls = blocker_codes(sight.wall[ticks, v, a, j], len(walls))
    columns["wall"] = words_of(codes_of_walls, blockers_of(walls, simulation.names))
    place = sight.wall_place[ticks, v, a, j]
    columns |= {f"wall_{axis}": numbers_of(place[:, n]) for n, axis in enumerate("xyz")}
    return table_of(columns)


def _gate(held: Limit, value: Numbers, limit: Numbers) -> dict[str, pa.Array]:
    """Value, limit and margin of a gate; the margin is negative where it fails."""
    columns = (value, limit, held.margin(value, limit))
    return dict(zip(held.columns, map(numbers_of, columns), strict=True))


def meter_table(
    simulation: Simulation, v: int, times: Numbers, meters: Meters, before: Before
) -> pa.Table:
    """A row per tick, agent with a meter and target it notices, while it is not empty.

    And one when it has become so; arrays are (tick, variant, ...).
    """
    numbers, setup = simulation.numbers, simulation.setups[v]
    pairs = numbers.notices[v] & simulation.meter_numbers.used[v][:, None]
    pairs &= numbers.characters[:, None] != np.arange(len(simulation.names))
    agent, target = np.nonzero(pairs)
    names = [list(setup.profile_of(name).cones) for name in simulation.agents]
    words = list(dict.fromkeys(name for row in names for name in row))
    code = np.full((len(names), max(map(len, names), default=0) + 1), -1)
    for n, row in enumerate(names):
        code[n, : len(row)] = [words.index(name) for name in row]
    state = meters.state[:, v]
    tells = (state != EMPTY) | (_shifted(before.state[v], state) != EMPTY) | (not before.thin)
    ticks, each = np.nonzero(tells[:, agent, target])
    a, j = agent[each], target[each]
    cone = meters.cone[ticks, v, a, j]

    def column(values: NDArray[Any]) -> Any:
        return values[ticks, v, a, j]

    columns: dict[str, Any] = {
        "t": times[ticks],
        "agent": words_of(a, simulation.agents),
        "target": words_of(j, simulation.names),
        "value": column(meters.value),
        "state": words_of(column(meters.state).astype(np.int32), STATES),
        "rate": column(meters.rate),
        "sense": words_of(column(meters.sense).astype(np.int32), SENSES),
        "cone": words_of(code[a, cone], words),
        "noise": column(meters.noise),
    }
    factors = meters.factors[ticks, v, a, j]
    columns |= {f"{name}_factor": numbers_of(factors[:, n]) for n, name in enumerate(FACTORS)}
    return table_of(columns)


def belief_table(
    simulation: Simulation, v: int, times: Numbers, beliefs: Beliefs, poses: Poses, before: Before
) -> pa.Table:
    """A row per tick, agent with a memory and target it notices, while its belief changes.

    So one when it comes to stand still, none while it only grows older, and one when it is gone;
    arrays are (tick, variant, …).
    """
    numbers = simulation.numbers
    used = simulation.memory_numbers.used[v]
    pairs = numbers.notices[v] & used[:, None]
    pairs &= numbers.characters[:, None] != np.arange(len(simulation.names))
    agent, target = np.nonzero(pairs)
    p = v if poses.x.shape[1] > 1 else 0
    source = beliefs.source[:, v]
    tells = (source != _shifted(before.source[v], source)) | (source == SENSED_NOW)
    # A tick on, the same belief is of the same place, and a tick older.
    grows = np.array([0.0, 0.0, 0.0, simulation.setups[v].clock.dt, 0.0])
    for now, was, more in zip(_held(beliefs)[:, :, v], before.belief[:, v], grows, strict=True):
        was = _shifted(was, now) + more
        tells |= (source != NO_BELIEF) & ~(np.abs(now - was) <= SLACK)
    tells |= not before.thin
    ticks, each = np.nonzero(tells[:, agent, target])
    a, j = agent[each], target[each]

    def column(values: NDArray[Any]) -> Any:
        return values[ticks, v, a, j]

    x, y, z = column(beliefs.x), column(beliefs.y), column(beliefs.z)
    there = poses.present[ticks, p, j]
    off = [x - poses.x[ticks, p, j], y - poses.y[ticks, p, j], z - poses.z[ticks, p, j]]
    error = np.where(there, np.hypot(np.hypot(off[0], off[1]), off[2]), np.nan)
    doubt = uncertainty(simulation.memory_numbers, beliefs)
    return table_of(
        {
            "t": times[ticks],
            "agent": words_of(a, simulation.agents),
            "target": words_of(j, simulation.names),
            "source": words_of(source[ticks, a, j], SOURCES),
            "x": numbers_of(x),
            "y": numbers_of(y),
            "z": numbers_of(z),
            "age": numbers_of(column(beliefs.age)),
            "uncertainty": numbers_of(column(doubt)),
            "error": numbers_of(error),
        }
    )


def pose_table(
    names: Sequence[str], v: int, times: Numbers, poses: Poses, light: Numbers
) -> pa.Table:
    """A row per tick and character of one variant; arrays are (tick, variant or 1, character)."""
    p = v if poses.x.shape[1] > 1 else 0
    present = poses.present[:, p].ravel()

    def column(values: Numbers) -> pa.Array:
        return numbers_of(np.where(present, values[:, p].ravel(), np.nan))

    return table_of(
        {
            "t": np.repeat(times, len(names)),
            "id": words_of(np.tile(np.arange(len(names)), len(times)), names),
            "present": present,
            "x": column(poses.x),
            "y": column(poses.y),
            "z": column(poses.z),
            "heading_deg": column((np.degrees(poses.heading) + 180.0) % 360.0 - 180.0),
            "posture": words_of(poses.posture[:, p].ravel(), POSTURES),
            "light": numbers_of(light.ravel()),
        }
    )


def kinds_of(simulation: Simulation, v: int, kinds: NDArray[np.integer]) -> pa.DictionaryArray:
    """Kinds of noise by name, of one variant only; with those that a game brought up."""
    own, words = simulation.maker.own_words[v], simulation.maker.words
    given = (n for n, word in enumerate(words) if word not in own and (kinds == n).any())
    own = (*own, *(words[n] for n in given))
    places = [own.index(word) if word in own else -1 for word in words]
    return words_of(np.array([*places, -1])[kinds], own)


def noise_table(simulation: Simulation, v: int, noises: Noises) -> pa.Table:
    """A row per noise of one variant, in the order in which they were made."""
    maker = simulation.maker
    return table_of(
        {
            "noise": noises.noise,
            "t": noises.t,
            "kind": kinds_of(simulation, v, noises.kind),
            "by": words_of(noises.by, simulation.names),
            "gait": words_of(noises.gait, GAITS),
            "ground": words_of(noises.ground, maker.grounds),
            "x": noises.x,
            "y": noises.y,
            "z": noises.z,
            "reach": noises.reach,
            "reach_key": texts_of(_reach_keys(simulation, v, noises)).dictionary_encode(),
        }
    )


def _reach_keys(simulation: Simulation, v: int, noises: Noises) -> list[str]:
    """Where the reach of each noise is written, as a key path; empty if in a recording."""
    setup, words = simulation.setups[v], simulation.maker.words
    keys = []
    for kind, gait, by, listed in zip(
        noises.kind, noises.gait, noises.by, noises.listed, strict=True
    ):
        if listed == IN_FILE:
            keys.append("")
        elif listed != BY_KIND:
            thrown = int(listed) - len(setup.noise)
            place = ("throw", thrown) if thrown >= 0 else ("noise", int(listed))
            keys.append(key_path((*place, "reach")))
        elif gait >= 0:
            body = setup.body_name_of(simulation.names[by])
            keys.append(key_path(("bodies", body, "steps", GAITS[gait])))
        else:
            keys.append(key_path(("noise_kinds", words[kind], "reach")))
    return keys


def hearing_table(
    simulation: Simulation, v: int, times: Numbers, heard: Heard, noises: Noises
) -> pa.Table:
    """The rows of hearing of one variant; `times` are of the rows."""
    told = told_of(simulation, heard, noises)
    times, heard = times[told], heard.of(told)
    columns = {
        "t": times,
        "agent": words_of(heard.agent, simulation.agents),
        "target": words_of(heard.by, simulation.names),
        "noise": heard.noise,
        "kind": kinds_of(simulation, v, noises.kind[heard.noise]),
        "heard": heard.failed == HEARD,
        "result": words_of(heard.failed + 1, HEARING_RESULTS),
        "acuity": numbers_of(heard.acuity),
        "background": numbers_of(heard.background),
    }
    around = np.where(np.isinf(heard.around), np.nan, heard.around)
    columns |= _gate(STRAIGHT, heard.straight, heard.limit * heard.through)
    columns |= _gate(AROUND, around, heard.limit)
    columns |= {
        "through": numbers_of(heard.through),
        "wall": words_of(heard.wall, simulation.level.wall_names),
        "strength": heard.strength,
        "x": numbers_of(heard.x),
        "y": numbers_of(heard.y),
    }
    return table_of(columns)


def told_of(simulation: Simulation, heard: Heard, noises: Noises) -> NDArray[np.bool_]:
    """Which hearing results get a row.

    Not noises of those it never notices; and of a run that is thinned, none of those of no
    interest, and of those not heard none that was made twice as far off as it carries to it in
    the open.
    """
    far = heard.straight > FAR * np.where(
        heard.limit > 0.0, heard.limit, noises_reach(heard, noises)
    )
    of_interest = (heard.by == NOBODY) | simulation.numbers.notices[
        heard.variant, heard.agent, heard.by
    ]
    told = (heard.failed == HEARD) | ((heard.failed != HEARING_GATES.index("cares")) & ~far)
    told |= not is_thin(len(simulation.agents), len(simulation.names))
    found: NDArray[np.bool_] = told & of_interest
    return found


FAR = 2.0
"""A noise that was made more than so many times as far off as it carries is not told of."""


def noises_reach(heard: Heard, noises: Noises) -> Numbers:
    """(pairs,) how far each noise carries to an ordinary ear, m."""
    place = np.searchsorted(noises.noise, heard.noise)
    found: NDArray[np.float64] = np.append(noises.reach, np.nan)[place]
    return found


def contact_table(
    simulation: Simulation, v: int, times: Numbers, contacts: Contacts, before: Before
) -> pa.Table:
    """A row per tick, agent with a sense of contact, sense and target of one variant.

    While the target is sensed, and when what comes of it is another than at the tick before.
    """
    numbers, count = simulation.contact_numbers, len(simulation.names)
    other = numbers.characters[:, None] != np.arange(count)
    other &= simulation.numbers.notices[v]
    agent, sense, target = np.nonzero(numbers.has(v)[:, :, None] & other[:, None])
    differs = {
        name: now[:, v] != _shifted(before.contacts[name][v], now[:, v])
        for name, now in _told_of(contacts).items()
    }
    tells = np.stack(  # (tick, agent, sense, target)
        [
            np.logical_or.reduce(
                [
                    getattr(contacts, each.name)[:, v] == SENSED,
                    differs[each.name],
                    *(differs[each.fields[name]] for name in PLACES if name in each.fields),
                ]
            )
            for each in CONTACTS
        ],
        axis=2,
    )
    tells |= not before.thin
    ticks, each = np.nonzero(tells[:, agent, sense, target])
    a, sense, j = agent[each], sense[each], target[each]

    def column(name: str, nothing: float) -> Any:
        """A column of the table, of those senses that have it."""
        found = np.full(len(sense), nothing)
        for n, of in enumerate(CONTACTS):
            if name in of.fields:
                own = sense == n
                found[own] = getattr(contacts, of.fields[name])[ticks, v, a, j][own]
        return found

    failed = np.stack([getattr(contacts, of.name)[ticks, v, a, j] for of in CONTACTS])
    failed = failed[sense, np.arange(len(sense))]
    words = list(dict.fromkeys(name for of in CONTACTS for name in of.results))
    codes = np.zeros((len(CONTACTS), max(len(of.results) for of in CONTACTS)), dtype=np.int64)
    for n, of in enumerate(CONTACTS):
        codes[n, : len(of.results)] = [words.index(name) for name in of.results]
    zones = [zone.name for zone, _ in simulation.level.data.zones]
    distance, limit = column("distance", np.nan), column("distance_limit", np.nan)
    return table_of(
        {
            "t": times[ticks],
            "agent": words_of(a, simulation.agents),
            "target": words_of(j, simulation.names),
            "sense": words_of(sense, [of.name for of in CONTACTS]),
            "sensed": failed == SENSED,
            "result": words_of(codes[sense, failed + 1], words),
            **_gate(TOUCH.limit("radius"), distance, limit),
            "wall": words_of(column("wall", NO_WALL), simulation.level.wall_names),
            "zone": words_of(column("zone", NO_ZONE), zones),
            **{
                name: numbers_of(column(name, np.nan))
                for name in ("strength", "age", "x", "y", "z")
            },
        }
    )


def event_table(events: list[Event]) -> pa.Table:
    """The events as a table."""
    return table_of_rows(EVENT_COLUMNS, [event.row() for event in events])
