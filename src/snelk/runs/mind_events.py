"""Events of minds and bodies: transitions, arriving, searching, throwing, catching."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from typing import Any

from snelk.body.outcomes import GIVEN, Happening
from snelk.engine.simulation import Simulation
from snelk.engine.throws import Flight
from snelk.runs.events import Event
from snelk.runs.minds import SEARCH_COLUMNS, STATE_COLUMNS
from snelk.runs.turning import TURNS

OUTCOMES = {
    "found": "found it",
    "gave_up": "gave up",
    "nothing": "found nothing",
    "broken_off": "broke off the search",
}
"""How a search can end, in words."""


def find_minds(
    simulation: Simulation,
    states: Sequence[tuple[object, ...]],
    happenings: Sequence[tuple[float, Happening]],
    searches: Sequence[tuple[object, ...]],
    flights: Sequence[Flight],
    *,
    transitions: Sequence[tuple[object, ...]] | None = None,
) -> Iterator[Event]:
    """The events of one variant, in no order.

    `states` are the states that agents came to be in until then; all of them are told as
    transitions, if `transitions` does not say which.
    """
    yield from _transitions(states if transitions is None else transitions)
    yield from _happenings(simulation, states, happenings)
    yield from _searches(searches)
    yield from _throws(simulation, flights)


def _transitions(states: Sequence[tuple[object, ...]]) -> Iterator[Event]:
    for values in states:
        row: dict[str, Any] = dict(zip(STATE_COLUMNS, values, strict=True))
        if row["before"] is None:  # it has been there from the beginning on, or came in
            continue
        focus = row["focus"] or ""
        about = focus or (f"a {row['place']}" if row["place"] else "")
        text = f"{row['agent']}: {row['before']} → {row['state']} ({row['transition'] or GIVEN}"
        text += f", about {about})" if about else ")"
        yield Event(
            row["t"],
            "changed",
            row["agent"],
            focus,
            state=row["state"],
            transition=row["transition"] or "",
            text=text,
        )


def _happenings(
    simulation: Simulation,
    states: Sequence[tuple[object, ...]],
    happenings: Sequence[tuple[float, Happening]],
) -> Iterator[Event]:
    stays: dict[str, list[tuple[float, str]]] = {}  # since when each agent was in which state
    for row in states:
        stays.setdefault(str(row[1]), []).append((float(str(row[0])), str(row[4])))
    for t, each in happenings:
        if each.kind in TURNS:
            yield _turn(simulation, t, each)
            continue
        if each.agent < 0:
            whose = simulation.names[each.target]
            text = f"{whose}: {each.text}"
            yield Event(t, each.kind, whose, x=each.x, y=each.y, z=each.z, text=text)
            continue
        agent = simulation.agents[each.agent]
        state = stays[agent][bisect_right(stays[agent], t, key=lambda stay: stay[0]) - 1][1]
        target = simulation.names[each.target] if each.target >= 0 else ""
        place = f"({each.x:.1f}, {each.y:.1f})"
        text = {
            "caught": f"{agent} caught {target} at {place}",
            "seen_to": f"{agent} has seen to {target} at {place} ({state})",
            "reached": f"{agent} arrived at {place} ({state})",
            "disproved": f"{agent} sees that "
            + (f"{target} is not at {place}" if target else f"nobody is at {place}"),
            "unreachable": f"{agent} cannot get to {each.text} (at {place}, {state})",
            "reacts": f"{agent} reacts to {each.text} ({state})",
            "ignored": f"{agent} ignores {each.text}: it is no longer possible ({state})",
            "became": f"{target}: {each.text}, by {agent}",
            "alarm": f"{agent} raised an alarm: {each.text}",
            "missed": f"{agent}: {each.text}",
            "removed": f"{target} {each.text}, by {agent}",
            "stuck": f"{agent} is stuck at {place} ({state})",
            "done": f"{agent} is done with {each.text} ({state})",
            "failed": f"{agent} failed to {each.text} ({state})",
            "stays": f"{agent} stays at its post ({state})",
            "warned": f"{agent} is warned: {target}{each.text}",
            "too_late": f"too late for {agent}: {target}{each.text}",
            "waits": f"{agent} waits at {place}: "
            + (f"{target} would see it in {each.text} m" if target else each.text),
            "hides": f"{agent} hides from {target} at {place}",
            "goes_on": f"{agent} goes on from {place}: {each.text}",
            "through": f"{agent} is through to {each.text} at {place}",
        }[each.kind]
        transition = each.text if each.kind in ("reacts", "ignored") else ""
        yield Event(
            t,
            each.kind,
            agent,
            target,
            state=state,
            transition=transition,
            x=each.x,
            y=each.y,
            z=each.z,
            text=text,
        )


def _turn(simulation: Simulation, t: float, each: Happening) -> Event:
    """A door that opened or shut, or a light that went on or out."""
    name, _, cause = each.text.partition("\n")
    agent = simulation.agents[each.agent] if each.agent >= 0 else ""
    is_light = each.kind in ("lit", "darkened")
    text = f"{name} {TURNS[each.kind]} ({f'{agent}, ' if agent else ''}{cause})"
    wall, zone = ("", name) if is_light else (name, "")
    place = {"x": each.x, "y": each.y, "z": each.z}
    return Event(t, each.kind, agent, wall=wall, zone=zone, text=text, **place)


def _searches(searches: Sequence[tuple[object, ...]]) -> Iterator[Event]:
    for values in searches:
        row: dict[str, Any] = dict(zip(SEARCH_COLUMNS, values, strict=True))
        agent, place = row["agent"], {axis: row[axis] for axis in "xyz"}
        if row["what"] == "began":
            text = f"{agent} began to search from ({row['x']:.1f}, {row['y']:.1f}), {row['method']}"
            yield Event(row["t"], "searched", agent, text=text, **place)
        elif row["what"] == "ended":
            outcome = OUTCOMES[row["outcome"]]
            text = f"{agent} {outcome} after {row['seconds']:.1f} s and {row['walked']:.1f} m"
            kind = "gave_up" if row["outcome"] in ("gave_up", "nothing") else "searched"
            yield Event(row["t"], kind, agent, text=text, **place)


def _throws(simulation: Simulation, flights: Sequence[Flight]) -> Iterator[Event]:
    for flight in flights:
        by, (x, y, z) = simulation.names[flight.by], flight.end
        what = f"a {flight.kind} to ({x:.1f}, {y:.1f})"
        if flight.arc is not None:
            text = f"{by} threw {what}: {flight.arc.name} arc, {flight.arc.speed:.1f} m/s, "
            text += f"lands in {flight.arc.flight:.1f} s"
            yield Event(flight.t, "threw", by, noise=flight.kind, x=x, y=y, z=z, text=text)
            continue
        why = {"absent": "is not there", "too_far": "it is too far"}.get(flight.reason, "")
        wall = simulation.level.wall_names[flight.wall] if flight.wall >= 0 else ""
        why = why or f"no arc clears {wall}"
        text = f"{by} could not throw {what}: {why}"
        place = {"x": x, "y": y, "z": z}
        yield Event(flight.t, "not_thrown", by, wall=wall, noise=flight.kind, text=text, **place)
