"""The story of one agent and one target: stretches of time with one and the same reason."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from snelk.errors import InputError
from snelk.senses.sight import GATES, IN_VIEW, LINE_OF_SIGHT, RESULTS

if TYPE_CHECKING:
    from snelk.runs.run import Run

REASONS = {
    "in_view": "in view",
    "present": "not there",
    "cares": "of no interest",
    "awake": "asleep",
    "range": "too far",
    "angle": "outside the cone",
    "elevation": "too steep",
    "light": "too dark",
    "line_of_sight": "blocked",
    "blind": "no cones",
}
"""What each reason is called; the keys are those of `Span.reason`."""


@dataclass(frozen=True)
class Span:
    """A stretch of time in which the answer and its reason stayed the same.

    Attributes:
        start, end: From its first tick to the first tick of the next stretch, s.
        reason: `in_view`, or the gate that failed: of all cones' the one farthest down the row
            of gates, because that cone was closest to seeing.
        cones: The cones that had the target in view.
        wall: The wall in the way, if that was the reason.
        nearest, farthest: Least and largest distance in the stretch, m; None while absent.
    """

    start: float
    end: float
    reason: str
    cones: tuple[str, ...] = ()
    wall: str = ""
    nearest: float | None = None
    farthest: float | None = None

    @property
    def text(self) -> str:
        """The reason in words, with the wall or the cones: `blocked by hay-3`."""
        words = REASONS[self.reason]
        if self.cones:
            return f"{words} ({', '.join(self.cones)})"
        return f"{words} by {self.wall}" if self.wall else words

    def to_dict(self) -> dict[str, Any]:
        """The stretch as plain data."""
        return {**asdict(self), "text": self.text}


def spans_of(
    run: Run, agent: str, target: str, *, start: float | None = None, end: float | None = None
) -> list[Span]:
    """The stretches of a pair, in the order of time; see `Run.spans`.

    Raises:
        InputError: A name is wrong, or the times lie outside the run or do not rise.
    """
    run.pair(agent, target)
    first_tick = 0 if start is None else run.tick_at(start)
    last_tick = len(run.times) - 1 if end is None else run.tick_at(end)
    if last_tick < first_tick:
        rule = "the end must come after the start"
        raise InputError.of("time", "", f"{start:g} to {end:g} s", rule)
    begin, finish = float(run.times[first_tick]), float(run.times[-1])
    if last_tick < len(run.times) - 1:
        finish = float(run.times[last_tick + 1])
    cones = tuple(run.setup.profile_of(agent).cones)
    if not cones:
        return [Span(begin, finish, "blind")]
    frame = run.sight
    rows = frame[(frame.agent == agent) & (frame.target == target)]
    looks = rows.t.to_numpy()[:: len(cones)]
    first = max(int(np.searchsorted(looks, begin + 1e-9, side="right")) - 1, 0)
    last = max(int(np.searchsorted(looks, run.times[last_tick] + 1e-9, side="right")) - 1, first)
    shape = (len(looks), len(cones))
    codes = rows.result.cat.set_categories(list(RESULTS)).cat.codes.to_numpy() - 1
    failed = codes.reshape(shape)[first : last + 1]
    distance = rows.distance.to_numpy().reshape(shape)[first : last + 1, 0]
    walls = rows.wall.astype(object).where(rows.wall.notna(), "").to_numpy()
    walls = walls.reshape(shape)[first : last + 1, 0]
    edges = [max(float(t), begin) for t in looks[first : last + 1]] + [finish]
    seen = failed == IN_VIEW
    gate = np.where(seen.any(axis=1), IN_VIEW, failed.max(axis=1))
    wall = np.where(gate == LINE_OF_SIGHT, walls, "")
    seen &= (gate == IN_VIEW)[:, None]
    new = np.ones(len(gate), dtype=np.bool_)
    new[1:] = (
        (gate[1:] != gate[:-1]) | (wall[1:] != wall[:-1]) | (seen[1:] != seen[:-1]).any(axis=1)
    )
    starts = np.flatnonzero(new)
    spans = []
    for a, b in zip(starts, np.append(starts[1:], len(gate)), strict=True):
        there = bool(np.isfinite(distance[a:b]).any())
        spans.append(
            Span(
                edges[a],
                edges[b],
                "in_view" if gate[a] == IN_VIEW else GATES[gate[a]],
                tuple(name for name, used in zip(cones, seen[a], strict=True) if used),
                str(wall[a]),
                float(np.nanmin(distance[a:b])) if there else None,
                float(np.nanmax(distance[a:b])) if there else None,
            )
        )
    return spans
