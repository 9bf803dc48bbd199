"""What an agent makes of places: does it see them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from snelk.body.looking import look_out
from snelk.body.me import Me

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]


def looks_at(me: Me, places: Numbers, tall: int) -> Truths:
    """Which places, (places, 3), it has in view now, well enough to see somebody there.

    Somebody would be as tall as a character, by index.
    """
    world = me.world
    found = np.empty(len(places), dtype=np.bool_)
    where = np.ascontiguousarray(places)
    look_out(me.v, me.a, tall, where, world.senses.laid_poses, *world.outlook, found)
    return found
