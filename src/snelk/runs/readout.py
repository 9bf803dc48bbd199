"""What all characters in a live game sense, know and do, as arrays."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.words import POSTURES
from snelk.engine.simulation import Simulation
from snelk.mind.memory import NO_BELIEF, SOURCES, uncertainty
from snelk.senses.sight import IN_VIEW

Numbers = NDArray[np.float64]


class Readout(NamedTuple):
    """All characters and agents of a live game at once, in the order of `names` and `agents`.

    Arrays of (character,): `present`; `x`, `y`, `z` in m; `heading_deg` counter-clockwise from
    +x, -180 to below 180; `posture`, a word. Of (agent,): `state`, a word, empty without a
    ladder; `focus`, the number of the character it acts on, -1 for nobody. Of
    (agent, character): `in_view` at its last look; `meter`, 0 to 1; `believed`, the believed
    position, (agent, character, 3) in m, NaN without a belief; `age` of that, s;
    `uncertainty`, m; `source`, a word, empty without a belief. They are copies.
    """

    present: NDArray[np.bool_]
    x: Numbers
    y: Numbers
    z: Numbers
    heading_deg: Numbers
    posture: NDArray[np.str_]
    state: NDArray[np.str_]
    focus: NDArray[np.int64]
    in_view: NDArray[np.bool_]
    meter: Numbers
    believed: Numbers
    age: Numbers
    uncertainty: Numbers
    source: NDArray[np.str_]


def read_out(simulation: Simulation) -> Readout:
    """What all characters sense, know and do after the last tick."""
    poses, beliefs, world = simulation.poses, simulation.beliefs, simulation.world
    setup = simulation.setups[0]
    ladders = [setup.profile_of(agent).ladder for agent in simulation.agents]
    state = [
        list(ladder.states)[index] if ladder else ""
        for ladder, index in zip(ladders, world.ladders.state[0].tolist(), strict=True)
    ]
    cones = simulation.numbers.cones[0]
    used = np.arange(simulation.sight.failed.shape[3]) < cones[:, None]
    seen = (simulation.sight.failed[0] == IN_VIEW) & used[:, None, :]
    known = beliefs.source[0] != NO_BELIEF
    words = np.array([*SOURCES, ""])
    doubt = uncertainty(simulation.memory_numbers, beliefs)[0]
    place = np.stack([beliefs.x[0], beliefs.y[0], beliefs.z[0]], axis=-1)
    return Readout(
        present=poses.present[0].copy(),
        x=poses.x[0].copy(),
        y=poses.y[0].copy(),
        z=poses.z[0].copy(),
        heading_deg=(np.degrees(poses.heading[0]) + 180.0) % 360.0 - 180.0,
        posture=np.array(POSTURES)[poses.posture[0]],
        state=np.array(state, dtype=np.str_),
        focus=np.maximum(world.signals.focus[0].astype(np.int64), -1),
        in_view=seen.any(axis=2),
        meter=simulation.meters.value[0].copy(),
        believed=np.where(known[:, :, None], place, np.nan),
        age=np.where(known, beliefs.age[0], np.nan),
        uncertainty=np.where(known, doubt, np.nan),
        source=words[np.where(known, beliefs.source[0], -1)],
    )
