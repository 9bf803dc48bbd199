"""Activities that `snelk.body.acting` leaves to Python, such as a designer's own.

Such an activity is made when a state is entered. It decides at once, whenever its path ends, and
when the time it asked for is up. It then sets a path and where to look.
"""

from __future__ import annotations

from typing import Any, ClassVar

from snelk.body.agent import Me
from snelk.body.paces import AT_PLACE
from snelk.body.registry import Situation, ask
from snelk.body.scene import Place
from snelk.config import minds


class Activity:
    """One stay of an agent in a state.

    Attributes:
        me: Whose it is.
        written: Its settings; None for an agent that stands by default.
        done: Whether it is done: then a state that cannot be interrupted can be left.
        failed: Whether it cannot; then so, too.
        asked_on_arrival: Whether it thinks as soon as its path ends.
    """

    asked_on_arrival: ClassVar[bool] = True

    def __init__(self, me: Me) -> None:
        self.me = me
        # Kept, for when the state is left its settings are no longer those of the agent.
        self.written: Any = getattr(me.settings, me.settings.activity)
        self.done = self.failed = False

    def come_to_end(self) -> None:
        """It is at the end of its path: at its goal, or as near as it can get."""
        self.done, self.failed = self.me.arrived, self.me.unreachable

    def think(self) -> float:
        """Decide what to do; return the seconds until it wants to think again."""
        raise NotImplementedError

    def leave(self) -> None:
        """The state is left."""


class Call(Activity):
    """Do what a user's function returns."""

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
