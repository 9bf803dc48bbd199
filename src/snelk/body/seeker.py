"""Searches: how they are set up, and what `snelk.body.searching` leaves to Python."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.body.agent import LOOK_CODES, Me
from snelk.body.columns import NoteColumns, SearchStageColumns
from snelk.body.company import together
from snelk.body.scene import Note, Scene, Snapshot
from snelk.body.searches import (
    GOING_ON,
    HIDEOUTS,
    METHODS,
    MOST_NOTES,
    NEARBY,
    NO_CELLS,
    OUTCOMES,
    WHATS,
    Notes,
    SearchStage,
)
from snelk.body.searching import begin_search, end_search, plan_by_lengths, search_cells
from snelk.level.columns import laid_out, plain
from snelk.level.ground import GroundStage
from snelk.mind.search import Likelihood, points_about
from snelk.mind.signals import PLACE

NO_SEARCH = -1
"""Instead of a method: the state is no search."""


class Seeker:
    """Everybody's searches.

    Args:
        world: The scene.
        shows: Whether it is kept where the targets may be, once a second.

    Attributes:
        stage: How far everybody has come, as compiled loops read it.
        asks: (variant, agent) who asks for points to search.
        snapshots: Where the targets of searches may be, kept at the last tick.
    """

    def __init__(self, world: Scene, *, shows: bool) -> None:
        self._world = world
        self._stage = _searches_of(world, shows=shows)
        self.stage = laid_out(SearchStageColumns, self._stage)
        self.asks = self._stage.asks
        self.snapshots: list[Snapshot] = []
        self._likelihoods: dict[tuple[int, int], Likelihood] = {}

    def forget_snapshots(self) -> None:
        """A tick begins: nothing is kept yet."""
        if self.snapshots:
            self.snapshots = []

    @property
    def notes(self) -> list[Note]:
        """What searches noted at the last tick, agent by agent."""
        rows, noted = self.noted
        count = int(noted[0])
        if not count:
            return []
        columns = [values[:count] for values in rows()]
        return notes_in_order(np.zeros(count, dtype=np.int64), columns)

    @property
    def noted(self) -> tuple[Callable[[], Notes], NDArray[np.int64]]:
        """What gives the arrays of notes, and (1,) how many are of the last tick."""
        return lambda: plain(self._stage.notes), self._stage.noted

    def begin(self, me: Me) -> None:
        """Somebody begins to search."""
        known = me.last_known_at
        x, y, z = (me.here if known is None else known).tolist()
        begin_search(self.stage, me.world.motion.now, me.state_index, x, y, z, me.t, me.v, me.a)

    def leave(self, v: int, a: int) -> None:
        """The state in which somebody searches is left."""
        world = self._world
        self._likelihoods.pop((v, a), None)
        self._stage.cells[self._row(v, a)] = None
        end_search(self.stage, world.stage, world.motion.now, world.time, v, a)

    def think(self, me: Me) -> float:
        """Search where the target may be; s until it thinks again."""
        again, key = self._search(me, fresh=False), (me.v, me.a)
        while again == NO_CELLS:  # and once more, if others of its group have all in view
            self._likelihoods[key] = fresh = self._laid_out(me)
            self._stage.cells[self._row(*key)] = fresh.laid
            again = self._search(me, fresh=True)
        likelihood = self._likelihoods.get(key)
        if self._stage.shows and likelihood is not None and likelihood.cells.is_shot[0]:
            search = int(self._stage.begun[key]) - 1
            share = likelihood.cells.shot.copy()
            self.snapshots.append(Snapshot(*key, me.t, search, likelihood, share))
            likelihood.cells.is_shot[0] = False
        return again

    def _search(self, me: Me, *, fresh: bool) -> float:
        world, cells = self._world, self._stage.cells[self._row(me.v, me.a)]
        return search_cells(
            self.stage, cells, world.stage, world.senses.laid_poses, world.motion.now, me.t, me.v,
            me.a, fresh,
        )  # fmt: skip

    def _row(self, v: int, a: int) -> int:
        return v * len(self.asks[v]) + a

    def _laid_out(self, me: Me) -> Likelihood:
        """The likelihood of the target, spread since it was last known."""
        stage, v, a = self._stage, me.v, me.a
        place = np.array([stage.x[v, a], stage.y[v, a], stage.z[v, a]])
        written, walker = me.settings.search, me.walker
        assert written is not None
        age, blur = self._age_and_blur(v, a)
        stage.spread_to[v, a] = me.t - age
        if not self._world.level.data.floors:
            place[2] = self._world.motion.z[v, a]
        part = max(walker.part, 0)
        return Likelihood(walker.ways, part, place, written.radius, written.cell, blur)

    def _age_and_blur(self, v: int, a: int) -> tuple[float, float]:
        """The age of the belief about the focus, s, and its error, m."""
        focus, senses = int(self._world.attention.focus[v, a]), self._world.senses
        if focus == PLACE:
            found = senses.places.drawn.age[v, a], senses.places.drawn.blur[v, a]
        elif focus >= 0:
            found = senses.beliefs.age[v, a, focus], senses.beliefs.blur[v, a, focus]
        else:
            return 0.0, 0.0
        age, blur = (0.0 if np.isnan(value) else float(value) for value in found)
        return age, blur

    def plan(self, me: Me, walk: GroundStage) -> None:
        """Plan the points of an agent in a level too large to know all paths."""
        world, stage, v, a = self._world, self._stage, me.v, me.a
        given = (walk, self.stage, world.stage, world.motion.now, me.t, v, a)
        more = plan_by_lengths(*given, begins=True)
        while more:
            last, state = int(stage.size[v, a]) - 1, int(stage.state[v, a])
            here = stage.points[v, a, last].copy()
            first = int(stage.first[v, a, state])
            for n in np.flatnonzero(stage.left[: stage.last[v, a, state] - first]).tolist():
                place = stage.places[first + n].copy()
                if stage.method[v, a, state] == NEARBY:
                    place[:2] += stage.x[v, a], stage.y[v, a]
                    place[2] = world.level.height_of(int(place[2]), place[0], place[1])
                if not world.level.data.floors:
                    place[2] = me.here[2]
                stage.lengths[n] = me.walker.length(here, place, stays=False)
            more = plan_by_lengths(*given, begins=False)


def notes_in_order(ticks: NDArray[np.int64], columns: Sequence[NDArray[Any]]) -> list[Note]:
    """The notes of some ticks, (note,), given the columns of `Notes`, agent by agent in each."""
    notes = Notes(*columns)
    order = np.lexsort((notes.agent, notes.variant, ticks)).tolist()
    rows: Sequence[Any] = list(zip(*(values.tolist() for values in notes), strict=True))
    return [_note_of(rows[n]) for n in order]


def _note_of(row: Sequence[Any]) -> Note:
    v, a, search, what, point, t, x, y, z, likelihood, outcome, walked, method = row
    ended = "" if outcome == GOING_ON else OUTCOMES[outcome]
    return Note(
        v, a, t, search, WHATS[what], point, x, y, z, likelihood, ended, walked, METHODS[method]
    )


def _searches_of(world: Scene, *, shows: bool) -> SearchStage:
    """Pack the search settings of all agents into arrays, before any search."""
    ladders, characters = world.ladders, world.characters
    shape, states = ladders.used.shape, ladders.least.shape
    method = np.full(states, NO_SEARCH, dtype=np.int8)
    radius, give_up, point_time, speed = np.ones((4, *states))
    first, last = np.zeros((2, *states), dtype=np.int32)
    look = np.zeros(states, dtype=np.int8)
    known: dict[object, tuple[int, int]] = {}
    places: list[Any] = []
    floors = max(len(world.level.data.floors), 1)
    for v, row in enumerate(ladders.ladders):
        for a, ladder in enumerate(row):
            member = world.setups[v].cast[world.agents[a]]
            for s, state in enumerate(ladder.states.values() if ladder else ()):
                look[v, a, s], written = LOOK_CODES[state.look], state.search
                if written is None:
                    continue
                at = (v, a, s)
                method[at] = METHODS.index(written.method)
                radius[at], give_up[at] = written.radius, written.give_up
                point_time[at] = written.point_time
                speed[at] = written.speed or float(world.memory.spread[v, a]) or 1.0
                names = tuple(dict.fromkeys(written.spots or member.spots))
                key: object = (written.radius, written.points)
                if method[at] == HIDEOUTS:
                    key = names
                elif method[at] != NEARBY:
                    continue
                if key not in known:
                    own = [tuple(np.nan_to_num(world.spots[name])) for name in names]
                    if method[at] == NEARBY:
                        about = points_about((0.0, 0.0), written.radius, written.points).tolist()
                        own = [(x, y, float(n)) for n in range(floors) for x, y in about]
                    known[key] = len(places), len(places) + len(own)
                    places += own
                first[at], last[at] = known[key]
    most = int((last - first).max(initial=0))
    since, walked, x, y, z, until, spread_to, next_shot = np.zeros((8, *shape))
    looked, asks, planned, going, waiting = np.zeros((5, *shape), dtype=np.bool_)
    begun, at_point, size, target = np.zeros((4, *shape), dtype=np.int64)
    searchers = int((method != NO_SEARCH).any(axis=2).sum())
    return SearchStage(
        outlook=world.outlook,
        floors=world.level.floors,
        characters=characters,
        method=method,
        radius=radius,
        give_up=give_up,
        point_time=point_time,
        speed=speed,
        first=first,
        last=last,
        look=look,
        places=np.array(places, dtype=np.float64).reshape(-1, 3),
        state=np.zeros(shape, dtype=np.int32),
        begun=begun,
        since=since,
        walked=walked,
        x=x,
        y=y,
        z=z,
        over=np.full(shape, GOING_ON, dtype=np.int8),
        looked=looked,
        asks=asks,
        planned=planned,
        going=going,
        waiting=waiting,
        until=until,
        at=at_point,
        size=size,
        points=np.zeros((*shape, most + 1, 3)),
        chances=np.zeros((*shape, most + 1)),
        spread_to=spread_to,
        next_shot=next_shot,
        company=together(world.setups),
        cleared=np.zeros((*shape, most + 1), dtype=np.int8),
        others=np.zeros((shape[1], 6)),
        target=target,
        left=np.zeros(most, dtype=np.bool_),
        lengths=np.zeros(most),
        spot=np.zeros((1, 3)),
        seen=np.zeros(1, dtype=np.bool_),
        cells=[None] * asks.size,
        shows=shows,
        notes=laid_out(NoteColumns, Notes.blank(searchers * (2 * most + 2 + MOST_NOTES))),
        noted=np.zeros(1, dtype=np.int64),
    )
