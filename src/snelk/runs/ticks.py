"""The result of one tick of a simulation, as it is recorded."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.doors import Turn
from snelk.body.outcomes import Effect, Happening
from snelk.body.scene import Note, Snapshot
from snelk.engine.simulation import Simulation
from snelk.engine.throws import Flight
from snelk.level.columns import plain
from snelk.mind.ladder import Step
from snelk.mind.memory import Beliefs
from snelk.mind.messages import Message
from snelk.mind.meter import Meters
from snelk.mind.sharing import Saying
from snelk.mind.signals import Signals
from snelk.senses.bodies import Poses
from snelk.senses.contact import Contacts
from snelk.senses.hearing import Heard, Noises
from snelk.senses.sight import Sight


class Tick(NamedTuple):
    """The result of one tick; the arrays are the simulation's, overwritten by the next tick."""

    t: float
    sight: Sight
    poses: Poses
    meters: Meters
    contacts: Contacts
    beliefs: Beliefs
    signals: Signals
    light: NDArray[np.float64]
    awake: dict[str, NDArray[np.float64]]
    taken: Sequence[Step]
    happenings: Sequence[Happening]
    effects: Sequence[Effect]
    turns: Sequence[Turn]
    notes: Sequence[Note]
    snapshots: Sequence[Snapshot]
    flights: Sequence[Flight]
    said: Sequence[Saying]
    told: Sequence[Message]
    noises: Noises | None
    heard: Heard | None


def tick_of(simulation: Simulation, t: float) -> Tick:
    """The simulation's last tick."""
    world, outcomes = simulation.world, simulation.world.outcomes
    return Tick(
        t,
        simulation.sight,
        simulation.poses,
        simulation.meters,
        simulation.contacts,
        simulation.beliefs,
        plain(world.signals),
        simulation.light,
        simulation.awake_then,
        world.taken,
        (*world.happenings, *outcomes.happenings),
        outcomes.changed,
        outcomes.turned,
        world.notes,
        world.snapshots,
        simulation.thrower.flights,
        simulation.said,
        simulation.told if simulation.any_told else (),
        simulation.noises if simulation.maker.noises.count else None,
        simulation.heard if simulation.listening.heard.count else None,
    )
