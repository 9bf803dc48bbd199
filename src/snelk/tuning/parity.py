"""A game's log of what its agents sensed and decided, compared with a run of the same input."""

from __future__ import annotations

import itertools
import math
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from snelk.runs.run import Run
from snelk.tuning.causes import SLACK_OF_NOISE, Cause, Mismatch, causes_of, matched
from snelk.tuning.sensed import HEARING, Log, Progress, Truths, sensed_in

SLACK = 0.15
"""What parts for no longer than this, s, is a matter of when somebody looked."""

MOST_ASKED = 60
"""Mismatches of a pair that are looked into."""

LATEST = 5.0
"""A state that is entered later than this after the other side did is another one, s."""


@dataclass(frozen=True)
class PairParity:
    """How often both agree about one pair: `agree` of `ticks`; and the number of mismatches.

    Of hearing it is noises that either heard, not ticks.
    """

    agent: str
    target: str
    sense: str
    ticks: int
    agree: float
    mismatches: int
    short: int  # stretches of no more than SLACK, which are not told


@dataclass(frozen=True)
class StateParity:
    """How often an agent is in the same state, and how much later the game enters states, s."""

    agent: str
    ticks: int
    agree: float
    delay: float | None  # mean; None where no state is entered on both sides
    entered: int  # states that both entered
    missed: int  # that only one of them entered


@dataclass(frozen=True)
class Parity:
    """A comparison of a run with a game's log."""

    pairs: list[PairParity]
    states: list[StateParity]
    mismatches: list[Mismatch]
    causes: list[Cause]
    end: float

    @property
    def agree(self) -> float:
        """Share of all ticks of all pairs that agree; NaN without any."""
        ticks = sum(pair.ticks for pair in self.pairs)
        return sum(p.agree * p.ticks for p in self.pairs) / ticks if ticks else float("nan")

    def to_dict(self) -> dict[str, Any]:
        """It as plain data."""
        causes = [{**asdict(each), "text": each.text} for each in self.causes]
        for cause in causes:
            del cause["explained"]  # they are among the mismatches
        return {**asdict(self), "agree": self.agree, "causes": causes}


def parity(run: Run, log: Log, *, progress: Progress | None = None) -> Parity:
    r"""Compare a run with a game's log of the same input.

    Args:
        run: The run.
        log: What `read_log` returned.
        progress: Called with ticks done and ticks in all while numbers are tried.

    Raises:
        InputError: The scenario of the run cannot be read any more, to try numbers.

    >>> import snelk, tempfile
    >>> from pathlib import Path
    >>> run = snelk.run(snelk.croft() / "night.toml")
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     path = Path(folder) / "log.csv"
    ...     _ = path.write_text("t,until,agent,target,sense\n57.7,59.2,dog,fox,touch\n")
    ...     found = parity(run, snelk.read_log(path, run))
    >>> [pair.mismatches for pair in found.pairs if pair.target == "fox"]
    [1]
    """
    pairs, mismatches, ours = [], list[Mismatch](), sensed_in(run, log)
    for (agent, target, sense), says in log.pairs.items():
        known = says >= 0
        apart = known & (ours.pairs[agent, target, sense] != (says == 1))
        found, short = [], 0
        for first, last in _stretches(apart, says):
            if run.times[last] - run.times[first] <= SLACK:
                short += 1
                continue
            found.append((first, last))
        mismatches += [
            _mismatch(run, agent, target, sense, first, last, bool(says[first] == 1))
            for first, last in found[:MOST_ASKED]
        ]
        share = float((~apart & known).sum() / max(known.sum(), 1))
        pairs.append(PairParity(agent, target, sense, int(known.sum()), share, len(found), short))
    for (agent, target), theirs in log.heard.items():
        mine = ours.heard[agent, target]
        mine = mine[mine <= log.end + 1e-6]
        both, only_game, only_snelk = matched(theirs, mine)
        count = len(theirs) + len(mine) - both
        if not count:
            continue
        apart_at = [(float(t), True) for t in only_game] + [(float(t), False) for t in only_snelk]
        mismatches += [
            _unheard(run, agent, target, t, game) for t, game in sorted(apart_at)[:MOST_ASKED]
        ]
        share = both / count
        pairs.append(PairParity(agent, target, HEARING, count, share, len(apart_at), 0))
    states = [_states(run, agent, says) for agent, says in log.states.items()]
    causes = causes_of(run, log, ours, mismatches, progress)
    return Parity(pairs, states, mismatches, causes, log.end)


def _stretches(apart: Truths, says: NDArray[np.int8]) -> list[tuple[int, int]]:
    """(first, last) ticks of each stretch in which both disagree in the same way."""
    code = np.where(apart, says + 1, 0)
    edges = np.flatnonzero(np.diff(code, prepend=0, append=0))
    return [(int(a), int(b) - 1) for a, b in itertools.pairwise(edges) if code[a] > 0]


def _mismatch(
    run: Run, agent: str, target: str, sense: str, first: int, last: int, game: bool
) -> Mismatch:
    middle = run.times[(first + last) // 2]
    answer = run.why(agent, target, at=float(middle))
    gate, margin, unit, reason = "", None, "", answer.headline
    if sense == "sight" and answer.cones:
        # The cone that came closest: the one whose failed gate is farthest down the row.
        best = max(answer.cones, key=lambda cone: sum(g.passed is True for g in cone.gates))
        failed = [each for each in best.gates if each.passed is False]
        if failed:
            gate, margin, unit = failed[0].name, failed[0].margin, failed[0].unit
        elif not game:
            numeric = [g for g in best.gates if g.margin is not None and g.limit]
            least = min(numeric, key=lambda g: abs(g.margin / g.limit), default=None)  # type: ignore[operator]
            if least is not None:
                gate, margin, unit = least.name, least.margin, least.unit
    elif sense != "sight":
        other = answer.sense(sense)
        reason = other.headline if other is not None else f"{agent} has no such sense"
        gate = "" if other is None or other.sensed else other.result
        numeric = [] if other is None else [g for g in other.gates if g.margin is not None]
        if numeric and (other is None or other.sensed or gate == numeric[-1].name):
            gate, margin, unit = numeric[-1].name, numeric[-1].margin, numeric[-1].unit
    ends = float(run.times[first]), float(run.times[last])
    return Mismatch(agent, target, sense, *ends, "game" if game else "snelk", reason, gate,
                   None if margin is None else float(margin), unit)  # fmt: skip


def _unheard(run: Run, agent: str, target: str, t: float, game: bool) -> Mismatch:
    """A noise that only one of them heard."""
    at = min(t + SLACK_OF_NOISE, float(run.times[-1])) if game else t
    answer = run.why(agent, target, at=at).sense(HEARING)
    gate, margin, unit = "", None, ""
    if answer is None:
        reason = f"{agent} has no such sense"
    elif abs(answer.t - t) > SLACK_OF_NOISE + 1e-9 or answer.result == "silent":
        reason = f"no noise of {target} reached any ear within {SLACK_OF_NOISE:g} s of {t:.2f} s"
    else:
        reason = answer.headline
        reach = answer.gates[-1]
        failed = "" if answer.result == "heard" else answer.result
        gate = failed if game else reach.name
        if gate == reach.name and reach.margin is not None and math.isfinite(reach.margin):
            margin, unit = float(reach.margin), reach.unit
    side = "game" if game else "snelk"
    return Mismatch(agent, target, HEARING, t, t, side, reason, gate, margin, unit)


def _states(run: Run, agent: str, says: NDArray[np.object_]) -> StateParity:
    rows = run.rows("states").where(agent=agent)
    entered = run.ticks_of(rows["t"])
    names = np.array([str(each) for each in rows["state"]], dtype=object)
    ours = names[np.searchsorted(entered, np.arange(len(run.times)), side="right") - 1]
    known = says != ""
    moves = [
        (run.times[n], says[n])
        for n in np.flatnonzero(known)
        if n and says[n] != says[n - 1] and says[n - 1] != ""
    ]
    left = [(t, state) for t, state in zip(rows["t"], names, strict=True) if t > run.times[0]]
    left = [(t, state) for t, state in left if known[run.tick_at(float(t))]]
    delays, missed = [], 0
    for t, state in moves:
        near = [each for each in left if each[1] == state and abs(each[0] - t) <= LATEST]
        if not near:
            missed += 1
            continue
        best = min(near, key=lambda each: abs(each[0] - t))
        left.remove(best)
        delays.append(float(t - best[0]))
    share = float((ours == says)[known].mean()) if known.any() else float("nan")
    mean = float(np.mean(delays)) if delays else None
    return StateParity(agent, int(known.sum()), share, mean, len(delays), missed + len(left))
