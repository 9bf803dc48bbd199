"""All ears: which noises reach them, by which path, and where they seem to come from."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.chance import stream_at_once
from snelk.config.steps import STEP
from snelk.level.columns import laid_out
from snelk.level.grid import scratch_for
from snelk.level.ground import GroundStage
from snelk.level.level import Level
from snelk.level.ways import Ways
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.columns import BodyColumns, EarStageColumns
from snelk.senses.hearing import HEARD, NOBODY, UNDERFOOT, HearingNumbers, Numbers
from snelk.senses.listening import at_ears, walk_to_ears
from snelk.senses.sight import EDGE
from snelk.senses.stage import ALL_ALIKE, APART, EarStage
from snelk.senses.stores import HeardStore, NoiseStore


class Ears:
    """Everybody's ears in one level.

    Args:
        numbers: The ears.
        awake: (variant, agent) how awake they are now: it scales their acuity.
        bodies: How high they are.
        characters: (agent,) which character an agent is.
        names: Names of all characters, for the streams of chance.
        level: Whose walls muffle and are in the way.
        opened: (variant or 1, wall) which doors stand open now.

    Attributes:
        stage: All that compiled loops read of them.
    """

    def __init__(
        self,
        numbers: HearingNumbers,
        awake: Numbers,
        bodies: Bodies,
        characters: NDArray[np.int32],
        names: Sequence[str],
        level: Level,
        opened: NDArray[np.bool_],
    ) -> None:
        self.numbers = numbers
        self.awake = awake
        self.bodies = bodies
        self.characters = characters
        self.names = names
        self.level = level
        self._agents = [names[j] for j in characters.tolist()]
        self._errs = bool(numbers.place_error.any())
        self._grounds: dict[int, GroundStage] = {}
        self._opened, self._doors, self._ways = opened, [frozenset[int]()], [level.sound_ways]
        self._way_of = np.zeros(len(numbers.acuity), dtype=np.int32)
        self._which = np.full(1, ALL_ALIKE, dtype=np.int32)
        self.mind_doors()
        stage = EarStage(
            characters=characters,
            bodies=laid_out(BodyColumns, bodies),
            acuity=numbers.acuity,
            awake=awake,
            cares=numbers.cares,
            error=numbers.place_error,
            sound_grid=level.laid_sound_grid,
            feet_grid=level.laid_feet_grid,
            low=level.alike[0],
            high=level.alike[1],
            scratch=scratch_for(level.sound_grid, opened),
            floors=level.floors,
            way_of=self._way_of,
            which=self._which,
        )
        self.stage = laid_out(EarStageColumns, stage)

    def mind_doors(self) -> None:
        """Doors have opened or shut: noises take other paths on foot."""
        known: dict[frozenset[int], int] = {}
        for v in range(len(self._way_of)):
            row = self._opened[min(v, len(self._opened) - 1)]
            opened = frozenset(np.flatnonzero(row).tolist())
            self._way_of[v] = known.setdefault(opened, len(known))
        self._doors = list(known)
        self._ways = [self.level.sound_ways_through(opened) for opened in known]
        self._which[0] = ALL_ALIKE if len(known) == 1 else APART

    @property
    def ways(self) -> Ways:
        """The paths of noises on foot, of the first variant."""
        return self._ways[0]

    def __getstate__(self) -> dict[str, Any]:
        """All but room to work in; see `snelk.runs.saving`."""
        return {**vars(self), "_grounds": {}}

    def make_ready(self) -> None:
        """Find the paths of sounds, which else is done when a noise is first judged."""
        for ways in self._ways:
            ways.make_ready()

    def judge(
        self, noises: NoiseStore, heard: HeardStore, poses: Poses, background: Numbers,
        *, placed: bool = True,
    ) -> None:  # fmt: skip
        """Judge noises at ears.

        Args:
            noises: The noises.
            heard: Which noise is judged at whose ears; what becomes of it is filled in.
            poses: Where everybody is.
            background: (variant, character) background noise everybody is in, 0 to 1.
            placed: Whether it is asked where they seem to come from.
        """
        apart = len(self._ways) > 1
        for which, ways in enumerate(self._ways):
            self._which[0] = which if apart else ALL_ALIKE
            only = which if apart else None
            if self._are_left(ways, noises, heard, poses, background):
                self._find_ways(self._doors[which], ways, only, noises, heard)
        self._which[0] = APART if apart else ALL_ALIKE
        if placed:
            self.misplace(noises, heard)

    def _are_left(
        self, ways: Ways, noises: NoiseStore, heard: HeardStore, poses: Poses, background: Numbers
    ) -> bool:
        """The same on one of the grounds, for the variants that have that; whether any is left."""
        count, left = heard.count, 0
        for walk in ways.stages(self._grounds):
            left = at_ears(self.stage, noises.laid, poses, background, walk, heard.laid, count)
            if not left:
                break
        return left > 0

    def _find_ways(
        self, opened: frozenset[int], ways: Ways, which: int | None, noises: NoiseStore,
        heard: HeardStore,
    ) -> None:  # fmt: skip
        """What is left: on a level too large to know all ways, or on higher or lower ground."""
        rows, count = heard.rows, heard.count
        left = ~np.isnan(rows.through[:count])
        if which is not None:
            left &= self._way_of[rows.variant[:count]] == which
        pairs = np.flatnonzero(left)
        n, ears = rows.row[pairs], rows.ear[pairs]
        up = noises.rows.z[n] + UNDERFOOT - STEP  # as high as feet would be on its floor
        start = np.stack([noises.rows.x[n], noises.rows.y[n], up], axis=1)
        # From floor to floor a path that bends may be shorter than one that is straight.
        left = np.isnan(rows.around[pairs]) | (ways.sheets_at(start) != ways.sheets_at(ears))
        pairs, start, ears = pairs[left], start[left], ears[left]
        if self.level.data.floors:
            walked = ways.distance(start, ears, rows.limit[pairs] + EDGE)
            return walk_to_ears(noises.laid, pairs, walked, heard.laid)
        ground = np.minimum(noises.rows.z[rows.row[pairs]], ears[:, 2]).tolist()
        at = {z: self.level.sound_ways_through(opened, z) for z in set(ground)}
        for each in {id(each): each for each in at.values()}.values():
            here = np.array([at[z] is each for z in ground])
            walked = each.distance(start[here], ears[here], rows.limit[pairs[here]] + EDGE)
            walk_to_ears(noises.laid, pairs[here], walked, heard.laid)
        return None

    def misplace(self, noises: NoiseStore, heard: HeardStore) -> None:
        """Let what was heard seem to come from where ears err to, by more from farther off."""
        if not self._errs:
            return
        rows, error, made = heard.rows, self.numbers.place_error, noises.rows.t
        drawn: dict[tuple[Any, ...], list[float]] = {}  # variants have most of them in common
        # Number by number: of a run there are only a few at a tick.
        for pair in np.flatnonzero(rows.failed[: heard.count] == HEARD).tolist():
            v, a = rows.variant.item(pair), rows.agent.item(pair)
            far = error.item(v, a) * rows.straight.item(pair)
            if far > 0.0:
                # To the microsecond: the last digits of a step's time are those of the machine.
                by, t = rows.by.item(pair), round(made.item(rows.row.item(pair)), 6)
                key = self.numbers.seeds[v], a, by, t
                if key not in drawn:
                    # Named by maker and time, so that another noise does not change this error.
                    maker = self.names[by] if by != NOBODY else ""
                    chance = stream_at_once(key[0], "hearing", self._agents[a], maker, t)
                    drawn[key] = [chance.standard_normal(), chance.standard_normal()]
                off_x, off_y = drawn[key]
                rows.x[pair] += off_x * far
                rows.y[pair] += off_y * far
