"""Whether an agent sees given positions."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.body.agent import Me
from snelk.body.looking import look_out
from snelk.senses.bodies import Poses

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


def looks_at(me: Me, places: Numbers, whom: int, poses: Poses | None = None) -> Truths:
    """Which places, (places, 3), it has in view now, well enough to see somebody there.

    That is a character, by index. With other poses, as compiled loops read them, the answer is
    for those poses.
    """
    world = me.world
    found = np.empty(len(places), dtype=np.bool_)
    where = np.ascontiguousarray(places)
    poses = world.senses.laid_poses if poses is None else poses
    look_out(me.v, me.a, whom, whom, where, poses, world.outlook, found)
    return found
