"""The story of one agent and one target: stretches of time with one reason each."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from snelk.errors import InputError
from snelk.runs.dense import looks_while_there
from snelk.runs.events import describe_noise
from snelk.senses.gates import CONTACTS, SIGHT, ZONE, Sense
from snelk.senses.sight import GATES, IN_VIEW, LINE_OF_SIGHT

if TYPE_CHECKING:
    from snelk.runs.record import Record

REASONS = {
    "in_view": "in view",
    **{gate.name: gate.short for gate in SIGHT.gates},
    "blind": "no cones",
}
"""What each reason of sight is called; the keys are those of `Span.reason`."""

OTHER_REASONS = {
    "heard": "heard",
    "quiet": "too quiet",
    "muffled": "muffled",
    "drowned": "drowned out",
    "asleep": "asleep",
    "absent": "away",
    **{sense.bar.reason: sense.bar.words for sense in CONTACTS if sense.bar is not None},
}
"""What the reasons of the other senses are called."""

QUIET = 2.0
"""Two noises that were heard farther apart than this, s, belong to two stretches."""

LONG_QUIET = 10.0
"""The same for noises that were not heard, of whatever kind."""


@dataclass(frozen=True)
class Span:
    """A stretch of time in which the answer and its reason stayed the same.

    Attributes:
        start, end: From its first tick to the first tick of the next stretch, s.
        reason: `in_view`, or the gate that failed: of all cones' the one farthest down the row
            of gates, because that cone was closest to seeing.
        cones: The cones that had the target in view.
        wall: The wall in the way, if that was the reason.
        sense: `sight`, `hearing`, `touch`, `zone` or `smell`.
        what: The noise, heard or not, or the zone.
        noises: Number of noises in the stretch; 0 if it is not about hearing.
        strength: The strongest of those heard; None where none was.
        nearest, farthest: Least and largest distance in the stretch, m; None while absent.
    """

    start: float
    end: float
    reason: str
    cones: tuple[str, ...] = ()
    wall: str = ""
    nearest: float | None = None
    farthest: float | None = None
    sense: str = "sight"
    what: str = ""
    noises: int = 0
    strength: float | None = None

    @property
    def text(self) -> str:
        """The reason in words, with the wall or the cones: `blocked by hay-3`."""
        if self.sense != "sight":
            return self._other_text()
        words = REASONS[self.reason]
        if self.cones:
            return f"{words} ({', '.join(self.cones)})"
        return f"{words} by {self.wall}" if self.wall else words

    def _other_text(self) -> str:
        """`heard: walking on gravel (3 noises, up to 0.31)`."""
        words = OTHER_REASONS[self.reason]
        words += f" by {self.wall}" if self.wall else ""
        if self.sense != "hearing":
            return f"{words} {self.what}".strip()
        words += f": {self.what}"
        notes = [f"{self.noises} noises"] if self.noises > 1 else []
        notes += [f"strength {self.strength:.2f}"] if self.strength is not None else []
        return f"{words} ({', '.join(notes)})" if notes else words

    def to_dict(self) -> dict[str, Any]:
        """The stretch as plain data."""
        return {**asdict(self), "text": self.text}


def spans_of(
    run: Record, agent: str, target: str, *, start: float | None = None, end: float | None = None
) -> list[Span]:
    """The stretches of a pair, in the order of time; see `Record.spans`.

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
    every = looks_while_there(run, agent, target)
    looks = run.times[every.ticks]
    first = max(int(np.searchsorted(looks, begin + 1e-9, side="right")) - 1, 0)
    last = max(int(np.searchsorted(looks, run.times[last_tick] + 1e-9, side="right")) - 1, first)
    failed, distance, walls = (values[first : last + 1] for values in every[1:])
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


def story_of(
    run: Record, agent: str, target: str, *, start: float | None = None, end: float | None = None
) -> list[Span]:
    """The stretches of all senses of a pair, by their start; see `Record.story`."""
    found = spans_of(run, agent, target, start=start, end=end)
    first, last = found[0].start, found[-1].end
    profile = run.setup.profile_of(agent)
    if not profile.cones:
        found = []
    if profile.hearing is not None:
        found += _hearing_spans(run, agent, target, first, last)
    for sense in CONTACTS:
        found += _contact_spans(run, agent, target, sense, first, last)
    return sorted(found, key=lambda span: span.start)


def _hearing_spans(run: Record, agent: str, target: str, first: float, last: float) -> list[Span]:
    """Runs of noises with one result: of one kind if heard, else of any."""
    rows = run.rows("hearing").where(agent=agent, target=target)
    during = (rows["t"] >= first - 1e-9) & (rows["t"] <= last + 1e-9)
    rows = rows.take(during & ~rows.equal(result="cares"))
    noises = run.rows("noises").take(rows["noise"])
    spans: list[Span] = []
    for row, noise in zip(rows.each(), noises.each(), strict=True):
        what = describe_noise(noise.kind, noise.gait, noise.ground if row.heard else "")
        reason, wall = _why_heard_or_not(row)
        t, strength = row.t, row.strength if row.heard else None
        distance = row.straight if row.straight == row.straight else None
        span = Span(t, t, reason, (), wall, distance, distance, "hearing", what, 1, strength)
        longer = _joined(spans[-1], span) if spans else None
        if longer is None:
            spans.append(span)
        else:
            spans[-1] = longer
    return spans


def _joined(before: Span, span: Span) -> Span | None:
    """Two stretches of hearing as one, if they belong together."""
    heard = span.reason == "heard"
    alike = (before.reason, before.wall) == (span.reason, span.wall)
    if heard and before.what != span.what:
        return None
    if not alike or span.start - before.end > (QUIET if heard else LONG_QUIET):
        return None
    known = before.what.split(", ")
    near = [d for d in (before.nearest, before.farthest, span.nearest) if d is not None]
    return replace(
        before,
        end=span.end,
        what=before.what if span.what in known else f"{before.what}, {span.what}",
        noises=before.noises + 1,
        strength=max(before.strength or 0.0, span.strength or 0.0) if heard else None,
        nearest=min(near, default=None),
        farthest=max(near, default=None),
    )


def _why_heard_or_not(row: Any) -> tuple[str, str]:
    """The reason of a row of the table `hearing`, and the wall if one muffled it."""
    if row.heard:
        return "heard", ""
    if row.result in ("present", "awake"):
        return ("absent" if row.result == "present" else "asleep"), ""
    if row.straight <= row.around_limit and row.wall:
        return "muffled", row.wall
    aloud = row.around_limit / (1.0 - row.background) if row.background < 1.0 else np.inf
    return ("drowned" if row.straight <= aloud and row.background > 0.0 else "quiet"), ""


def _contact_spans(
    run: Record, agent: str, target: str, sense: Sense, first: float, last: float
) -> list[Span]:
    """Stretches in which touch, the zone sense or smell had the target."""
    rows = run.rows_of("contacts", agent, target).where(sense=sense.name)
    rows = rows.take((rows["t"] >= first - 1e-9) & (rows["t"] <= last + 1e-9))
    sensed = np.concatenate([[False], rows["sensed"], [False]])
    starts, ends = (
        np.flatnonzero(sensed[1:] & ~sensed[:-1]),
        np.flatnonzero(~sensed[1:] & sensed[:-1]),
    )
    times = np.append(rows["t"], last)
    spans = []
    for a, b in zip(starts, ends, strict=True):
        near: tuple[float | None, float | None] = (None, None)
        if sense is not ZONE:
            apart = rows["distance"][a:b]
            near = float(apart.min()), float(apart.max())
        zone = str(rows["zone"][a]) if sense is ZONE else ""
        reason = sense.bar.reason if sense.bar is not None else ""
        begin, end = float(times[a]), float(times[b])
        spans.append(Span(begin, end, reason, (), "", *near, sense.name, zone))
    return spans
