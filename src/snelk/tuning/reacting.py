"""Stand-ins that everybody reacts to: each position is a variant of the whole scenario.

So alert states can be signs. It takes a run for each place and moment, where stand-ins that nobody
reacts to share the rounds of all others.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from snelk.config.models import Effect, Member, Setup
from snelk.config.recordings import end_of
from snelk.config.scenario import Scenario
from snelk.engine.simulation import Simulation
from snelk.mind.meter import REACHED, suspicion
from snelk.senses.sight import IN_VIEW
from snelk.tuning.coverage import without

Numbers = NDArray[np.float64]

SLACK = 1e-9


@dataclass(frozen=True)
class Reacted:
    """The job of one stand-in that everybody reacts to.

    Attributes:
        scenario: The scenario.
        target: Who stands there.
        posture: How.
        agents: Who counts, by name.
        sign, late: (agents,) the meters that warn, and that are too late.
        signs: Alert states that warn.
        ticks: For so many it is looked at.
    """

    scenario: Scenario
    target: str
    posture: Literal["standing", "crouched", "prone"]
    agents: tuple[str, ...]
    sign: Numbers
    late: Numbers
    signs: tuple[str, ...]
    ticks: int


def when_reacted(
    job: Reacted, first: int, low: int, places: Numbers
) -> tuple[int, int, Numbers, Numbers, NDArray[np.int64]]:
    """When each place gives the first sign, and when it is too late there, s; and by whom.

    Args:
        job: What is asked.
        first: The tick at which it comes to be there.
        low: Which is the first of the places, among all; it is returned with `first`.
        places: (places, 3) m.
    """
    simulation = _simulation(job, first, places)
    count, j = len(places), simulation.names.index(job.target)
    who = np.array([simulation.agents.index(name) for name in job.agents])
    warned, lost = np.full((2, count), np.nan)
    by = np.full(count, -1, dtype=np.int64)
    named = [[state in job.signs for state in _states(simulation, a)] for a in who.tolist()]
    metered = simulation.meter_numbers.used[:, who]
    while not simulation.done and np.isnan(lost).any():
        time = simulation.step()
        tick = simulation.tick - 1
        if tick < first:
            continue
        since = round(time - float(simulation.times[first]), 9)
        sensed = (simulation.sight.failed[:, who, j] == IN_VIEW).any(axis=-1)
        sensed |= simulation.contacts.felt[:, who, j]
        sure = suspicion(simulation.meters.value[:, who, j], sensed, metered)
        caught = simulation.world.caught[:, who, j] != 0
        over = (sure >= job.late - REACHED) | caught
        warns = over | (sure >= np.maximum(job.sign, SLACK) - REACHED)
        states = simulation.world.ladders.state[:, who]
        for n, of in enumerate(named):
            if any(of):
                warns[:, n] |= np.array(of)[np.maximum(states[:, n], 0)]
        for reached, when in ((warns, warned), (over, lost)):
            new = np.isnan(when) & reached.any(axis=1)
            when[new] = since
            if when is lost:
                surest = np.where(over[new], np.where(caught[new], 2.0, sure[new]), -1.0)
                by[new] = surest.argmax(axis=1)
    return first, low, warned, lost, by


def _states(simulation: Simulation, agent: int) -> list[str]:
    """The alert states of an agent, by their numbers."""
    ladder = simulation.setups[0].profile_of(simulation.agents[agent]).ladder
    return list(ladder.states) if ladder is not None else []


def _simulation(job: Reacted, first: int, places: Numbers) -> Simulation:
    """All places, each a variant; the run ends when enough has been looked at."""
    base = without(job.scenario, job.target)
    dt, clock = base.setup.clock.dt, base.setup.clock
    begins = clock.start + first * dt
    ends = min(end_of(clock, base.tracks), begins + (job.ticks - 1) * dt)
    tracks = {name: track for name, track in base.tracks.items() if name != job.target}
    setups = [_standing(base.setup, job, place, first, ends) for place in places.tolist()]
    return Simulation(replace(base, setup=setups[0], tracks=tracks), setups=setups, logged=False)


def _standing(setup: Setup, job: Reacted, place: Sequence[float], first: int, ends: float) -> Setup:
    """The scenario in which the target stands at a position and does nothing."""
    member, dt, start = setup.cast[job.target], setup.clock.dt, setup.clock.start
    profiles, x, y, z = setup.profiles, place[0], place[1], place[2]
    changes: dict[str, object] = {
        "at": (x, y), "z": z, "posture": job.posture, "absent": first > 0, "play": None,
        "body": setup.body_name_of(job.target),
    }  # fmt: skip
    if member.profile is not None:  # it senses as before, and stands
        name = f"{member.profile} of who stands"
        still = {"ladder": None}
        profiles = {**profiles, name: profiles[member.profile].model_copy(update=still)}
        changes["profile"] = name
    stands: Member = member.model_copy(update=changes)
    effects = tuple(each for each in setup.effect if each.of != job.target)
    if first > 0:  # it is there from the tick after on
        effects += (Effect(t=start + (first - 1) * dt, of=job.target, spawns=True),)
    return setup.model_copy(
        update={
            "cast": {**setup.cast, job.target: stands},
            "profiles": profiles,
            "effect": effects,
            "clock": setup.clock.model_copy(update={"end": ends}),
        }
    )
