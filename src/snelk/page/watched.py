"""What is sent to a page that follows a running game: new data and packed numbers."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from snelk.page.build import feed_page_of
from snelk.page.gathering import Gathered
from snelk.page.packing import Packer
from snelk.senses.gates import CONTACTS

if TYPE_CHECKING:
    from snelk.config.models import Setup
    from snelk.runs.following import Following

SENT = (
    "kept", "meters", "beliefs", *(sense.name for sense in CONTACTS), "sounds", "noise_words",
    "searches", "likelihoods", "events",
)  # fmt: skip
"""Facts of a run that a piece holds; all others are in the page from the beginning."""

MOST_HELD = 200_000_000
"""Bytes of pieces that are held for pages opened later; then the oldest lose their numbers."""

LEAST_BEFORE = 1.0
"""How much is looked at before what is new, s: a look and what was heard last."""

LONGEST_PIECE = 20.0
"""Of a game that is behind, s."""


class Watched:
    """A game that pages watch.

    Attributes:
        pieces: All that there is to send, in order, as JSON.
    """

    def __init__(self, game: Following) -> None:
        self._game = game
        self._before = seconds_before(game.setup)
        self._kept: dict[str, list[str]] = {}
        self._held, self._sparse = 0, list[str]()
        self._whole = 0  # the first piece that has its numbers
        self.pieces: list[str] = []
        run, after = game.stretch(self._before)
        self._run = run
        self._add(run, after)

    def page(self, address: str) -> str:
        """The HTML text of the page, which asks for the pieces at an address."""
        return feed_page_of(self._run, address)

    def add(self) -> str:
        """The new part since the last call, as a piece; at least one tick."""
        return self._add(*self._game.stretch(self._before))

    def _add(self, run: Any, after: float) -> str:
        packer = Packer()
        found = Gathered(run, packer, "a", after=after, kept=self._kept)
        self._kept, facts = found.kept, found.facts
        first = run.first_tick + int(found.ticks[0])
        sparse = {
            "after": max(after, -1e9),
            "ladders": {
                agent: {key: ladder[key] for key in ("entered", "away", "reactions")}
                for agent, ladder in facts["ladders"].items()
            },
            "doors": [door["open"] for door in facts["doors"]],
            "events": facts["events"],
            "searches": facts["searches"],
        }
        piece = sparse | {key: facts[key] for key in SENT if key in facts} | {
            "first": first,
            "window": run.first_tick,
            "start": float(run.times[found.ticks[0]]),
            "end": float(run.times[-1]),
            "texts": facts.get("texts", {}),
            "places": facts.get("places", {}),
            "along": found.along,
            "index": packer.index,
            "numbers": packer.text(),
        }  # fmt: skip
        text = json.dumps(piece, separators=(",", ":"))
        self._sparse.append(json.dumps(sparse, separators=(",", ":")))
        self.pieces.append(text)
        self._hold(len(text))
        return text

    def _hold(self, more: int) -> None:
        """Let go of the numbers of the oldest pieces, once there is too much."""
        self._held += more
        while self._held > MOST_HELD and self._whole < len(self.pieces) - 1:
            self._held -= len(self.pieces[self._whole])
            self.pieces[self._whole] = self._sparse[self._whole]
            self._held += len(self.pieces[self._whole])
            self._whole += 1


def seconds_before(setup: Setup) -> float:
    """How far back the data of a tick can reach, s."""
    found = [LEAST_BEFORE]
    for agent in setup.agents:
        profile = setup.profile_of(agent)
        found.append(2.0 * profile.look_every)
        ladder = profile.ladder
        if ladder is None:
            continue
        for transition in ladder.transitions.values():
            found.append(transition.for_)
            found += [ladder.reaction_of(transition, state) for state in ladder.states]
    return max(found) + 2.0 * setup.clock.dt
