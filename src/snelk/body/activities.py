"""What agents do in their alert states that `snelk.body.acting` leaves: flight, and more.

Such an activity is made when a state is entered. It thinks at once, whenever its way ends, and when
the time is up that it asked for; thinking sets a way to go and where to look.
"""

from __future__ import annotations

from typing import Any, ClassVar

import numpy as np

from snelk.body.doing import KEEP_UP, NEVER
from snelk.body.me import Me
from snelk.body.outlook import could_be_seen, free_lines
from snelk.body.paces import AT_PLACE
from snelk.body.registry import Situation, ask
from snelk.body.scene import Place
from snelk.config import minds

SIDEWAYS = 1e-6
"""A direction that leads nearer by less than this share of its length leads to the side."""


class Activity:
    """One stay of an agent in a state.

    Attributes:
        me: Whose it is.
        written: What is written about it; None for an agent that holds without being told to.
        done: Whether it has done what it is to do: then a state that cannot be interrupted may
            be left.
        failed: Whether it cannot; then so, too.
        walks: Whether it goes somewhere, so that arriving there is an event, and being done.
        asked_on_arrival: Whether it thinks as soon as its way ends.
    """

    walks: ClassVar[bool] = False
    asked_on_arrival: ClassVar[bool] = True

    def __init__(self, me: Me) -> None:
        self.me = me
        # Kept, for when the state is left its settings are no longer those of the agent.
        self.written: Any = getattr(me.settings, me.settings.activity)
        self.done = self.failed = False

    def come_to_end(self) -> None:
        """Its way is at its end: that is what was wanted, or as near as it gets."""
        self.done, self.failed = self.me.arrived, self.me.unreachable

    def think(self) -> float:
        """Decide what to do; return the seconds until it wants to think again."""
        raise NotImplementedError

    def leave(self) -> None:
        """The state is left."""


class Flee(Activity):
    """Go to a spot that the focus cannot see."""

    written: minds.Flee
    walks = True
    again = 1.0  # seconds after which it looks whether the spot is still out of sight

    def __init__(self, me: Me) -> None:
        super().__init__(me)
        self.spot = ""

    def think(self) -> float:
        """Choose a spot, and another if the target comes to see it."""
        me, written = self.me, self.written
        if self.done or self.failed:
            return NEVER
        threat = me.last_known
        if written.keep_eyes and threat is not None:
            me.look(AT_PLACE, threat)
        if written.until_unseen and self.spot and not could_be_seen(me, me.place):
            me.stand()
            self.done = True
            return NEVER
        if self.spot and me.at_end:
            self.come_to_end()
            me.look_as_written()
            return NEVER
        spots = {name: me.world.spots[name] for name in written.spots} or me.spots
        if not self.spot or threat is None or could_be_seen(me, spots[self.spot]):
            self._choose(spots)
        return KEEP_UP if written.until_unseen else self.again

    def _choose(self, spots: dict[str, Place]) -> None:
        """The nearest by way of those out of sight; in sight of all, the farthest from it."""
        me = self.me
        ways = {name: me.way_length(place) for name, place in spots.items()}
        there = [name for name in spots if np.isfinite(ways[name])]
        hidden = [name for name in there if not could_be_seen(me, spots[name])]
        threat = me.last_known
        if hidden:
            best = min(hidden, key=lambda name: ways[name])
        elif there and threat is not None:
            best = max(there, key=lambda name: float(np.hypot(*np.subtract(spots[name], threat))))
        elif there:
            best = there[0]
        else:
            me.cannot_go()
            self.failed = True
            return
        if best != self.spot:
            self.spot = best
            me.walk_to(spots[best])


class Evade(Activity):
    """Go a little way in a direction that is free."""

    written: minds.Evade
    walks = True

    def __init__(self, me: Me) -> None:
        super().__init__(me)
        self.chosen = False

    def think(self) -> float:
        """Choose of the directions in which the whole way is free, and go."""
        me, written = self.me, self.written
        if self.chosen:
            self.come_to_end()
            return NEVER
        self.chosen = True
        x, y = me.place
        angle = np.radians(me.heading_deg) + np.arange(written.directions) * (
            2.0 * np.pi / written.directions
        )
        step = written.distance * np.stack([np.cos(angle), np.sin(angle)], axis=1)
        ends = np.array([x, y]) + step
        free = free_lines(me, ends)
        if written.away and me.last_known is not None:
            from_it = np.array([x, y]) - me.last_known
            # To the side, neither to nor from it, counts as away on either side.
            free &= (step * from_it).sum(axis=1) >= -SIDEWAYS * written.distance
        open_ends = ends[free]
        if len(open_ends) == 0:
            me.stand()
            self.failed = True
            return NEVER
        end = open_ends[int(me.chance.integers(len(open_ends)))]
        me.walk_to((float(end[0]), float(end[1])))
        return NEVER


class Call(Activity):
    """Do what a user's function says."""

    written: minds.Call
    asked_on_arrival = False  # it says itself when it wants to be asked again

    def __init__(self, me: Me) -> None:
        super().__init__(me)
        self.to: Place | None = None
        self.memo: dict[str, Any] = {}

    def think(self) -> float:
        """Ask the function, and do it."""
        me, written = self.me, self.written
        situation = Situation(
            me.name, me.state, me.t, me.dt, me.state_for, me.place, me.heading_deg, me.home,
            me.spots, me.focus, me.in_view, me.believed, me.last_known, me.arrived,
            me.way_length, me.chance, self.memo, me.unreachable,
        )  # fmt: skip
        move = ask(written.activity, situation)
        self.done, self.failed = move.done, move.failed
        if move.look_at is not None:
            me.look(AT_PLACE, move.look_at)
        else:
            me.look_as_written()
        if move.to is None:
            me.stand()
            if move.face_deg is not None:
                me.face(move.face_deg)
        elif move.to != self.to:
            me.walk_to(move.to)
        self.to = move.to
        return move.again
