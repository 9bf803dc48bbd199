"""An agent's alert state at a time of a run, and how it scaled the senses."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.runs.record import ANY_FLOOR, Record, floors_of

if TYPE_CHECKING:
    from snelk.config.minds import State
    from snelk.config.models import Cone, Setup
    from snelk.runs.rows import Row


@dataclass(frozen=True)
class Scale:
    """One number that scales a sense: its key path, its name, and its value."""

    place: tuple[str, ...]
    label: str
    value: float


def state_at(run: Record, agent: str, tick: int) -> str:
    """The state in which an agent's senses worked at a tick; empty without a ladder.

    A transition that was taken at the tick holds from the next one on.
    """
    ladder = run.setup.profile_of(agent).ladder
    if ladder is None:
        return ""
    rows = run.rows("states").where(agent=agent)
    before = np.flatnonzero(rows["t"] < run.times[tick] - 1e-9)
    return str(rows["state"][before[-1] if len(before) else 0])


def who_is_there(run: Record, tick: int) -> dict[str, Row]:
    """The poses at a tick of all who are there, by name: rows of the table `poses`."""
    count = len(run.names)
    rows = run.rows("poses").take(slice(tick * count, (tick + 1) * count))
    return {row.id: row for row in rows.each() if row.present}


def cones_at(run: Record, agent: str, tick: int) -> dict[str, Cone]:
    """An agent's cones with the limits that they had at a tick."""
    return run.setup.profile_of(agent).cones_in(_state(run, agent, state_at(run, agent, tick)))


def cone_place(run: Record, agent: str, tick: int, cone: str, key: str) -> tuple[str, ...]:
    """Where the limit of a cone stands that held at a tick: in the state, or in the profile."""
    name, profile = state_at(run, agent, tick), run.setup.cast[agent].profile or ""
    state = _state(run, agent, name)
    if state is not None and cone in state.cones and key in state.cones[cone].given:
        return ("profiles", profile, "ladder", "states", name, "cones", cone)
    return ("profiles", profile, "cones", cone)


class Reaches(NamedTuple):
    """An agent's reach at a tick, m, and its goal.

    Attributes:
        touch: Within this it feels; None without touch.
        catch: Within this it catches; None where its state does not.
        arrive: Within this of its goal it has arrived.
        goal: Where its path leads to, m; None without one.
        goal_on: The floor of that, by number; -1 for none.
    """

    touch: float | None
    catch: float | None
    arrive: float
    goal: tuple[float, float] | None
    goal_on: int


def reaches_at(run: Record, agent: str, tick: int) -> Reaches:
    """An agent's reach at a tick, and its goal."""
    profile, state = run.setup.profile_of(agent), _state(run, agent, state_at(run, agent, tick))
    touch = profile.touch.radius * awake_at(run, agent, "touch", tick) if profile.touch else None
    catch = state.catch.reach if state is not None and state.catch is not None else None
    rows = run.rows("signals")
    now = np.flatnonzero(rows.equal(agent=agent) & (np.abs(rows["t"] - run.times[tick]) < 1e-9))
    goal, goal_on = None, ANY_FLOOR
    if len(now) and not np.isnan(rows["goal_x"][now[0]]):
        goal = float(rows["goal_x"][now[0]]), float(rows["goal_y"][now[0]])
        goal_on = int(floors_of(run, rows.take(now[:1]), ("goal_x", "goal_y", "goal_z"))[0])
    return Reaches(touch, catch, arrives_within(run.setup, agent, state), goal, goal_on)


def arrives_within(setup: Setup, agent: str, state: State | None) -> float:
    """Nearer than this to its goal an agent has arrived in a state, m: no finer than a tick."""
    movement = setup.profile_of(agent).movement
    if movement is None or state is None:
        return 0.0
    pace: float = getattr(movement, state.pace) if state.speeds is None else state.speeds[0][1]
    return max(movement.arrive, pace * setup.clock.dt)


def scales_of(run: Record, agent: str, sense: str, tick: int) -> list[Scale]:
    """The numbers whose product is how awake a sense was at a tick."""
    member = run.setup.cast[agent]
    found = [Scale(("cast", agent, "awake"), f"awake of {agent}", member.awake)]
    own = {str(name): scale for name, scale in member.senses.items()}
    if sense in own:
        label = f"senses.{sense} of {agent}"
        found.append(Scale(("cast", agent, "senses", sense), label, own[sense]))
    name = state_at(run, agent, tick)
    state = _state(run, agent, name)
    if state is not None:
        place = ("profiles", member.profile or "", "ladder", "states", name)
        if state.awake < 1.0:
            found.append(Scale((*place, "awake"), f"awake in {name}", state.awake))
        of_state = {str(each): scale for each, scale in state.senses.items()}
        if sense in of_state:
            label = f"senses.{sense} in {name}"
            found.append(Scale((*place, "senses", sense), label, of_state[sense]))
    return found


def awake_at(run: Record, agent: str, sense: str, tick: int) -> float:
    """How awake one of an agent's senses was at a tick, 0 to 1."""
    return math.prod(scale.value for scale in scales_of(run, agent, sense, tick))


def awake_of_ticks(
    run: Record, agent: str, sense: str, ticks: NDArray[np.intp]
) -> NDArray[np.float64]:
    """(ticks,) how awake one of an agent's senses was; as `awake_at`."""
    rows = run.rows("states").where(agent=agent)
    # The state in which it is asked holds from the tick after it was entered on.
    entered = run.ticks_of(rows["t"]) + 1
    stay = np.searchsorted(entered, ticks, side="right")
    found = np.zeros(len(ticks))
    for n in np.unique(stay):
        found[stay == n] = awake_at(run, agent, sense, int(ticks[stay == n][0]))
    return found


def awake_in_words(run: Record, agent: str, sense: str, tick: int) -> str:
    """`dog is 43% awake (asleep)`: with the alert state if that has to do with it."""
    scales = scales_of(run, agent, sense, tick)
    name = state_at(run, agent, tick)
    by_state = any("states" in scale.place for scale in scales)
    note = f" ({name})" if by_state else ""
    return f"{agent} is {math.prod(scale.value for scale in scales):.0%} awake{note}"


def _state(run: Record, agent: str, name: str) -> State | None:
    ladder = run.setup.profile_of(agent).ladder
    return None if ladder is None else ladder.states[name]
