"""Likely causes of differences between what a game senses and what Snelk senses."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass, field

import numpy as np

from snelk.config.problems import key_path
from snelk.config.scenario import Scenario, load, parse_override
from snelk.errors import InputError
from snelk.runs.run import Run
from snelk.tuning.sensed import HEARING, Log, Numbers, Progress, Sensed, sensed_in_variants

MOST_LOOKED_INTO, ASKED_OF_EACH, MOST_TRIED = 60, 5, 30
"""Mismatches that are looked into, moments of each, and single numbers that are tried."""

EXPLAINED = 0.9
"""A mismatch is explained if so much of it agrees."""

SLACK_OF_NOISE = 0.3
"""A noise that both heard within so long is the same, s."""

ROUND = {"range": 0.5, "angle": 5.0, "elevation": 5.0, "light": 0.05, "line_of_sight": 0.05}
"""Gates whose numbers may be otherwise, and what a designer would round such a number to."""

LIMITED = {HEARING: ("reach", "acuity", 0.05), "touch": ("radius", "radius", 0.05)}
"""Of other senses the gate with a number, the key that its limit grows with, and how round."""


@dataclass(frozen=True)
class Mismatch:
    """A stretch in which the game and Snelk disagree about one pair.

    Attributes:
        agent, target, sense: The pair and sense.
        start, end: Its first and last tick, s.
        senses: `game` or `snelk`: which of them senses the target there.
        reason: Snelk's reason in the middle of the stretch.
        gate: The gate that decides there; empty if it is in view.
        margin: By how much, in the gate's unit; None without a number.
        unit: Of the margin.
    """

    agent: str
    target: str
    sense: str
    start: float
    end: float
    senses: str
    reason: str
    gate: str
    margin: float | None
    unit: str


@dataclass(frozen=True)
class Cause:
    """Mismatches that one number explains, or that share a gate and no number explains.

    Attributes:
        profile, gate, senses: Their most common profile and gate, and which of the two senses the
            target.
        mismatches: How many there are of these.
        explains: How many mismatches, of whatever kind, the number explains.
        change: That number, as `KEY=VALUE`; some where limits follow each other; empty for none.
        now: What the first of them is in the run.
        gains, costs: Ticks that would agree and do not today, and the other way round.
        margin: The largest margin among them; None without a number.
        unit: Of the margin.
        explained: The mismatches themselves.
    """

    profile: str
    gate: str
    senses: str
    mismatches: int
    explains: int
    change: tuple[str, ...]
    now: float | str | None
    gains: int
    costs: int
    margin: float | None
    unit: str
    explained: tuple[Mismatch, ...] = field(default=(), repr=False)

    @property
    def text(self) -> str:
        """The cause in words."""
        who = {
            "game": "the game senses, Snelk does not",
            "snelk": "Snelk senses, the game does not",
        }
        near = f", all within {abs(self.margin):.3g} {self.unit}".rstrip() if self.margin else ""
        what = f"{self.mismatches} of {self.profile} by {self.gate or 'view'}: "
        what += f"{who[self.senses]}{near}"
        if not self.change:
            return f"{what}; no single number explains them"
        key, _, value = self.change[0].partition("=")
        also = f" (with {', '.join(self.change[1:])})" if self.change[1:] else ""
        rest = self.explains - self.mismatches
        what += f", and {rest} more" if rest else ""
        return f"{key} = {value} instead of {self.now}{also} would explain {self.explains}: {what}"


def causes_of(
    run: Run, log: Log, ours: Sensed, mismatches: list[Mismatch], progress: Progress | None
) -> list[Cause]:
    """Mismatches by likely cause: first what the number explains that makes most ticks agree."""
    tried = _tried(run, mismatches)
    results: dict[tuple[str, ...], tuple[list[Mismatch], int, int]] = {}
    if tried:
        scenario = load(run.info["scenario"], overrides=run.info["overrides"])
        tried = {change: now for change, now in tried.items() if _can_be(scenario, change)}
        variants = [dict(map(parse_override, change)) for change in tried]
        others = sensed_in_variants(scenario, variants, log, progress)
        results = {
            change: _explained(run, ours, other, log, mismatches)
            for change, other in zip(tried, others, strict=True)
        }
    left, found = list(mismatches), []
    while left:
        best = max(
            results,
            key=lambda change: (results[change][1] - results[change][2], -_digits(change[0])),
            default=None,
        )
        explained, gains, costs = results.pop(best) if best is not None else ([], 0, 0)
        mine = [each for each in left if each in explained]
        if best is None or gains <= costs:
            break
        if mine:
            found.append(_cause(run, mine, best, tried[best], gains, costs))
            left = [each for each in left if each not in mine]
    groups: dict[tuple[str, str, str], list[Mismatch]] = {}
    for each in left:
        groups.setdefault(_kind(run, each), []).append(each)
    rest = [_cause(run, some, (), None, 0, 0) for some in groups.values()]
    return [*found, *sorted(rest, key=lambda cause: -cause.mismatches)]


def _digits(change: str) -> int:
    """How many digits a number has but for zeros at its ends: the fewer the rounder it is."""
    return len(change.partition("=")[2].replace(".", "").strip("0"))


def _can_be(scenario: Scenario, change: tuple[str, ...]) -> bool:
    """Whether a scenario may have such a number."""
    try:
        scenario.changed(dict(map(parse_override, change)))
    except InputError:
        return False
    return True


def _kind(run: Run, mismatch: Mismatch) -> tuple[str, str, str]:
    return run.setup.cast[mismatch.agent].profile or "", mismatch.gate, mismatch.senses


def _cause(
    run: Run, some: list[Mismatch], change: tuple[str, ...], now: float | str | None, gains: int,
    costs: int,
) -> Cause:  # fmt: skip
    kinds = Counter(_kind(run, each) for each in some).most_common()
    owner = change[0].split(".")[1] if change else ""
    # Of what a number explains first that of the profile that has it.
    (profile, gate, senses), count = min(kinds, key=lambda kind: (kind[0][0] != owner, -kind[1]))
    alike = [each for each in some if _kind(run, each) == (profile, gate, senses)]
    margins = [each.margin for each in alike if each.margin is not None]
    margin = max(margins, key=abs) if margins else None
    unit = next((each.unit for each in alike if each.unit), "")
    explains = len(some) if change else 0
    return Cause(
        profile,
        gate,
        senses,
        count,
        explains,
        change,
        now,
        gains,
        costs,
        margin,
        unit,
        tuple(some),
    )


def _tried(run: Run, mismatches: list[Mismatch]) -> dict[tuple[str, ...], float | str]:
    """Numbers that would change a moment of a mismatch, with their current values.

    They are those that the gates were held against, as round as the moments allow. Of each key
    some are tried from the smallest to the largest, the most frequent keys first.
    """
    tried = _Tried()
    seen = [each for each in mismatches if each.sense == "sight"]
    for each in _spread(seen, MOST_LOOKED_INTO):
        for at in _moments(run, each):
            _try_cones(tried, run, each, at)
    rest = [each for each in mismatches if each.sense in LIMITED]
    for each in _spread(rest, MOST_LOOKED_INTO):
        for at in _moments(run, each):
            _try_sense(tried, run, each, at)
    return tried.chosen()


def _moments(run: Run, mismatch: Mismatch) -> list[float]:
    """Times of some ticks of it, from its first to its last, s; of a noise when it is judged."""
    if mismatch.sense == HEARING:
        later = SLACK_OF_NOISE if mismatch.senses == "game" else 0.0
        return [min(mismatch.start + later, float(run.times[-1]))]
    times = np.linspace(mismatch.start, mismatch.end, ASKED_OF_EACH)
    return list(dict.fromkeys(float(run.times[run.tick_at(float(t))]) for t in times))


def _spread(mismatches: list[Mismatch], most: int) -> list[Mismatch]:
    """A sample of them, evenly spread."""
    step = max(len(mismatches) / most, 1.0)
    return [mismatches[int(n * step)] for n in range(min(len(mismatches), most))]


class _Tried:
    """Values that keys may have, and how often each key could turn something."""

    def __init__(self) -> None:
        self._counts: Counter[str] = Counter()
        self._values: dict[str, set[float]] = {}
        self._now: dict[str, float] = {}

    def add(self, place: str, now: float, needs: float, step: float, *, up: bool) -> None:
        self._now[place] = now
        self._counts[place] += 1
        self._values.setdefault(place, set()).update(_rounded(needs, step, up=up))

    def chosen(self) -> dict[tuple[str, ...], float | str]:
        found: dict[tuple[str, ...], float | str] = {}
        share = max(MOST_TRIED // max(len(self._counts), 1), 6)
        for place, _ in self._counts.most_common():
            numbers = sorted(self._values[place])
            some = np.linspace(0, len(numbers) - 1, min(share, len(numbers))).astype(int)
            picked = [numbers[n] for n in dict.fromkeys(some.tolist())]
            found |= {(f"{place}={number:g}",): self._now[place] for number in picked}
        return dict(list(found.items())[:MOST_TRIED])


def _try_cones(tried: _Tried, run: Run, mismatch: Mismatch, at: float) -> None:
    profile = run.setup.cast[mismatch.agent].profile or ""
    game = mismatch.senses == "game"
    for cone in run.why(mismatch.agent, mismatch.target, at=at).cones:
        written = run.setup.profiles[profile].cones[cone.cone]
        for gate in cone.gates:
            if gate.value is None or gate.name not in ROUND or not gate.scale:
                continue
            if game == (gate.passed is True):
                continue  # it would not turn it
            key = gate.key.removeprefix("hold_")
            for name in (key, f"hold_{key}"):
                if not hasattr(written, name):
                    continue
                before = getattr(written, name)
                now = getattr(written, key) if before is None else before
                place = key_path(("profiles", profile, "cones", cone.cone, name))
                up = game == (gate.rule == "<=")
                tried.add(place, now, gate.value / gate.scale, ROUND[gate.name], up=up)


def _try_sense(tried: _Tried, run: Run, mismatch: Mismatch, at: float) -> None:
    """The acuity of an ear, or the radius of touch: what carries or reaches grows with it."""
    game, profile = mismatch.senses == "game", run.setup.cast[mismatch.agent].profile or ""
    settings = getattr(run.setup.profiles[profile], mismatch.sense)
    answer = run.why(mismatch.agent, mismatch.target, at=at).sense(mismatch.sense)
    if settings is None or answer is None:
        return
    name, key, step = LIMITED[mismatch.sense]
    gate = next((each for each in answer.gates if each.name == name), None)
    if gate is None or gate.value is None or not gate.limit or game == (gate.passed is True):
        return
    if math.isfinite(gate.value):
        now = getattr(settings, key)
        place = key_path(("profiles", profile, mismatch.sense, key))
        tried.add(place, now, now * gate.value / gate.limit, step, up=game)


def _rounded(need: float, step: float, *, up: bool) -> list[float]:
    """A number and the next round one on its far side."""
    to = math.ceil if up else math.floor
    return [round(to(need / fine) * fine, 6) for fine in (step / 10.0, step)]


def _explained(
    run: Run, ours: Sensed, other: Sensed, log: Log, mismatches: list[Mismatch]
) -> tuple[list[Mismatch], int, int]:
    """What agrees in another run: mismatches that are gone, and ticks won and lost.

    That is counted in ticks, and in noises.
    """
    explained, gains, costs = list[Mismatch](), 0, 0
    for pair, says in log.pairs.items():
        before, now = ours.pairs[pair], other.pairs[pair]
        count = min(len(before), len(now))
        right, known = (says == 1)[:count], (says >= 0)[:count]
        was, becomes = before[:count] == right, now[:count] == right
        gains += int((~was & becomes & known).sum())
        costs += int((was & ~becomes & known).sum())
        for each in mismatches:
            if (each.agent, each.target, each.sense) == pair:
                span = slice(run.tick_at(each.start), run.tick_at(each.end) + 1)
                if becomes[span].size and becomes[span].mean() >= EXPLAINED:
                    explained.append(each)
    for two, theirs in log.heard.items():
        _, *were_apart = matched(theirs, ours.heard[two])
        _, *are_apart = matched(theirs, other.heard[two])
        mine = [p for p in mismatches if (p.agent, p.target, p.sense) == (*two, HEARING)]
        for side, had, has in zip(("game", "snelk"), were_apart, are_apart, strict=True):
            gains += len(set(had) - set(has))
            costs += len(set(has) - set(had))
            explained += [p for p in mine if p.senses == side and p.start not in has]
    return explained, gains, costs


def matched(theirs: Numbers, ours: Numbers) -> tuple[int, list[float], list[float]]:
    """How many moments both have, and those that only one of them has: the nearest go together.

    >>> matched(np.array([1.0, 2.0, 5.0]), np.array([1.1, 4.0, 5.0]))
    (2, [2.0], [4.0])
    """
    both, left, mine = 0, list[float](), [float(t) for t in ours]
    for t in theirs.tolist():
        near = min(mine, key=lambda each: abs(each - t), default=math.inf)
        if abs(near - t) <= SLACK_OF_NOISE + 1e-9:
            mine.remove(near)
            both += 1
        else:
            left.append(t)
    return both, left, mine
