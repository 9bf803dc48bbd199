"""Testing a scenario against its expectations, with when and why each one fails."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

from snelk.config.conditions import parse
from snelk.config.goals import (
    Expectation,
    Holding,
    Interval,
    MeasureBetween,
    MeterUnder,
    Notices,
    Reaches,
    Stays,
)
from snelk.config.measures import find_measure
from snelk.config.scenario import Scenario, as_scenario
from snelk.errors import InputError
from snelk.runs.answers import written
from snelk.runs.ladders import asked_by, explain_ladder, lacking
from snelk.runs.run import Run, run_batch
from snelk.tuning.batches import BATCH, in_batches, workers
from snelk.tuning.judging import Verdicts, fairness_of, judge_batch

SLACK = 1e-9

Numbers = NDArray[np.float64]

Reasons = tuple[tuple[str, ...], tuple[str, ...]]
"""Why, a line each, and what to ask `snelk why` for more."""


@dataclass(frozen=True)
class Failure:
    """Why an expectation does not hold with one seed.

    Attributes:
        seed: Which.
        t: The deciding moment, s; None if there is none.
        found: What was found instead, in words.
        why: The causes, one line each.
        ask: Arguments of `snelk why` that explain more; empty if there are none.
    """

    seed: int
    t: float | None
    found: str
    why: tuple[str, ...]
    ask: tuple[str, ...]


@dataclass(frozen=True)
class Verdict:
    """The result of an expectation.

    Attributes:
        name, sentence: Its name in the scenario, and its text.
        met: Whether it holds with the required share of seeds.
        seeds, held: With how many it was tried, and held.
        found: What was found with the first seed, in words.
        failures: The seeds with which it does not hold; the first with its reasons.
    """

    name: str
    sentence: str
    met: bool
    seeds: int
    held: int
    found: str
    failures: tuple[Failure, ...]

    def __str__(self) -> str:
        """One line, and why it failed."""
        state = "holds" if self.met else "FAILS"
        lines = [f"{self.name} {state}: {self.sentence}; {self.found}"]
        if not self.met:
            lines += [f"  {line}" for line in self.failures[0].why]
        return "\n".join(lines)

    def to_dict(self) -> dict[str, Any]:
        """The verdict as plain data."""
        return asdict(self)


def verify(
    scenario: str | Path | Scenario,
    *,
    seeds: int | None = None,
    jobs: int = 1,
    cluster: str | None = None,
) -> list[Verdict]:
    """Test a scenario against its expectations.

    Args:
        scenario: Its TOML file, or what `load` returned.
        seeds: With how many seeds each is tried; as it says itself if None.
        jobs: How many processes share the seeds.
        cluster: The address of a Dask scheduler, whose workers are used instead.

    Raises:
        InputError: The scenario is wrong, or expects nothing.

    >>> import snelk
    >>> verdicts = snelk.verify(snelk.croft() / "night.toml")
    >>> [verdict.name for verdict in verdicts if not verdict.met]
    []
    """
    scenario = as_scenario(scenario)
    expectations = scenario.setup.expect
    if not expectations:
        fix = "add [expect.NAME] with agent = … and, say, notices = { target = … }"
        raise InputError.of(scenario.source, "expect", "", "has no expectations", fix)
    counts = {name: seeds or each.seeds for name, each in expectations.items()}
    first = scenario.setup.seed
    variants = [{"seed": first + n} for n in range(max(counts.values()))]
    about = [counts[name] for name, each in expectations.items() if _fairness_in(scenario, each)]
    fair = max(about, default=0)
    jobs = workers(jobs, cluster)
    starts = range(0, len(variants), BATCH)
    tasks = [(low, variants[low : low + BATCH], max(fair - low, 0)) for low in starts]
    done = dict(in_batches(_judged, scenario, tasks, jobs=min(jobs, len(tasks)), cluster=cluster))
    judged = [done[low] for low in starts]
    met, at, value, since = (
        np.concatenate([getattr(each, name) for each in judged])
        for name in ("met", "at", "value", "since")
    )
    runs: dict[int, Run] = {}
    verdicts = []
    for n, (name, expectation) in enumerate(expectations.items()):
        count = counts[name]
        held = int(met[:count, n].sum())
        holds = held >= math.ceil(expectation.share * count - SLACK)
        failures: list[Failure] = []
        for v in np.flatnonzero(~met[:count, n]):
            seed, t = first + int(v), float(at[v, n])
            moment = float(since[v, n])
            found = found_in_words(expectation, scenario, t, float(value[v, n]), moment)
            why: tuple[str, ...] = ()
            ask: tuple[str, ...] = ()
            if not failures and not holds:
                if asked := _fairness_in(scenario, expectation):
                    why = _of_fairness(scenario, seed, asked)
                else:
                    if seed not in runs:
                        runs[seed] = run_batch(scenario, variants=[{"seed": seed}])[0]
                    why, ask = _reasons(runs[seed], expectation, t, moment)
            failures.append(Failure(seed, None if math.isnan(t) else t, found, why, ask))
        first_found = (float(each[0, n]) for each in (at, value, since))
        found = found_in_words(expectation, scenario, *first_found)
        if failures and not holds:
            found = failures[0].found
        verdicts.append(
            Verdict(name, expectation.sentence, holds, count, held, found, tuple(failures))
        )
    return verdicts


def _judged(
    scenario: Scenario, low: int, variants: list[dict[str, Any]], fair_for: int
) -> tuple[int, Verdicts]:
    return low, judge_batch(scenario, variants=variants, fair_for=fair_for)[1]


def found_in_words(
    expectation: Expectation, scenario: Scenario, at: float, value: float, since: float
) -> str:
    """What was found, from the deciding moment and value, and the moment it counts from."""
    said = getattr(expectation, expectation.statement)
    if isinstance(said, Interval) and said.since is not None:
        words = said.since.words(expectation.who[0] if len(expectation.who) == 1 else "it")
        if math.isnan(since):
            return f"there is nothing to count from: never {words}"
        plain = expectation.model_copy(
            update={expectation.statement: said.model_copy(update={"since": None})}
        )
        found = found_in_words(plain, scenario, at, value, math.nan)
        return f"{found} ({words} at {since:.2f} s)"
    when = "" if math.isnan(at) else f" at {at:.2f} s"
    if isinstance(said, MeasureBetween):
        unit = find_measure(scenario.setup, said.of, source="expect").unit
        return "there is none" if math.isnan(value) else f"it is {written(value, unit)}"
    if isinstance(said, MeterUnder) or (isinstance(said, Notices) and said.never):
        return f"up to {max(value, 0.0):.2f}{when}" if math.isfinite(value) else "not looked at"
    if isinstance(said, Stays) or expectation.always:
        return f"not{when}" if when else "all the time"
    came = not math.isnan(value)
    if (isinstance(said, Reaches) and said.never) or expectation.never:
        return f"it did{when}" if came else "it did not"
    return f"it did{when}" if came else "it never did"


def _reasons(
    run: Run, expectation: Expectation, t: float, since: float
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """What made a run break an expectation, and what to ask `why` for more."""
    said = getattr(expectation, expectation.statement)
    if isinstance(said, MeasureBetween):
        return _of_measure(run, said, t)
    if said.since is not None and math.isnan(since):
        who = said.since.of or expectation.who[0]
        ask = (who, said.since.seen) if said.since.seen else ()
        return (f"the run has no such moment in {run.times[-1]:.2f} s",), ask
    if said.since is not None:
        said = said.from_then(since)
    if run.info["ended_by_catch"] and (said.after or 0.0) > run.times[-1]:
        caught = run.events[run.events.kind == "caught"].text.iloc[-1]
        return (f"the run was over at {run.times[-1]:.2f} s: {caught}",), ()
    t = float(run.times[-1]) if math.isnan(t) else min(max(t, run.times[0]), run.times[-1])
    if isinstance(said, Notices | MeterUnder):
        return _of_meter(run, expectation.who, said, t)
    if isinstance(said, Holding):
        agent, condition = expectation.who[0], parse(said.when)
        asked = asked_by(run, agent)
        if expectation.once is not None:
            near = np.where(_within(said, asked.rows["t"]), asked.nearness(condition), -1.0)
            t = float(asked.rows["t"][int(near.argmax())])
        part = asked.explain_condition(condition, run.tick_at(t))
        reasons = part.reasons() if part.true else lacking(part, wanted=True)
        words = ("" if part.true else "lacked: ") + "; ".join(reasons)
        return (f"{agent} at {t:.2f} s {words}",), (agent, "--at", f"{t:g}")
    return _of_state(run, expectation.who, said, t)


def _within(said: Interval, times: Numbers) -> NDArray[np.bool_]:
    """Which times are within an interval."""
    after = -math.inf if said.after is None else said.after
    before = math.inf if said.before is None else said.before
    return (times >= after - SLACK) & (times <= before + SLACK)


def _of_measure(run: Run, said: MeasureBetween, t: float) -> Reasons:
    address = find_measure(run.setup, said.of, source="expect")
    if address.target and not math.isnan(t):
        return _of_meter(run, (address.agent,), Notices(target=address.target), t)
    if address.target:
        return (), (address.agent, address.target)
    return (), (address.agent,) if address.agent else ()


def _fairness_in(scenario: Scenario, expectation: Expectation) -> str:
    """The name of the fairness test an expectation is about; empty if none."""
    if expectation.measure is None:
        return ""
    address = find_measure(scenario.setup, expectation.measure.of, source="expect")
    return address.agent if address.measure == "unfair" else ""


def _of_fairness(scenario: Scenario, seed: int, name: str) -> tuple[str, ...]:
    """Where it is least fair: the zones, and one position and moment."""
    found = fairness_of(scenario, scenario.changed({"seed": seed}).setup, name)
    assert found is not None
    zones = found.zones[found.zones.zone != "everywhere"].sort_values("unfair", ascending=False)
    lines = [f"{row.zone}: {row.unfair:.0%} unfair" for row in zones.head(3).itertuples()]
    return (*lines, found.example) if found.example else tuple(lines)


def _of_meter(run: Run, agents: Sequence[str], said: Notices | MeterUnder, t: float) -> Reasons:
    """What the agent with the fullest meter sees, and what fills that meter.

    If none was ever filled, of the agent and the moment at which the target was nearest.
    """
    answers = [run.why(agent, said.target, at=t) for agent in agents]
    fullest = [a.meter.value if a.meter is not None else float(a.in_view) for a in answers]
    best = answers[int(np.argmax(fullest))]
    if max(fullest) <= 0.0:
        poses = {name: run.poses[run.poses.id == name] for name in (said.target, *agents)}
        other = poses[said.target][["x", "y"]].to_numpy()
        away = [np.hypot(*(poses[agent][["x", "y"]].to_numpy() - other).T) for agent in agents]
        near = np.where(_within(said, run.times) & ~np.isnan(away), away, np.inf)
        agent, tick = np.unravel_index(int(near.argmin()), near.shape)
        t = float(run.times[tick])
        best = run.why(agents[int(agent)], said.target, at=t)
    lines = [best.headline]
    lines += [f"meter: {best.meter.text}"] if best.meter else []
    lines += [best.counterfactual.text] if best.counterfactual is not None else []
    return tuple(lines), (best.agent, said.target, "--at", f"{t:g}")


def _of_state(run: Run, agents: Sequence[str], said: Reaches | Stays, t: float) -> Reasons:
    """The transition that was taken, or what those to the state lacked when it was nearest."""
    states = run.states[run.states.agent.isin(agents)]
    taken = states[states.transition.notna() & ((states.t - t).abs() < SLACK)]
    if len(taken):
        row = taken.iloc[0]
        why = f"{row.agent}: {row.before} → {row.state} ({row.transition}): {row.reason}"
        return (why,), (str(row.agent), "--at", f"{t:g}")
    came = set(states.agent[(states.state == said.state) & _within(said, states.t.to_numpy())])
    agent = next((name for name in agents if name not in came), agents[0])
    signals = run.signals[run.signals.agent == agent]
    signals = signals[_within(said, signals.t.to_numpy())]
    if len(signals):  # when it was fullest, else at the end
        fullest = int(signals.meter.to_numpy().argmax())
        t = float(signals.t.iloc[fullest if signals.meter.iloc[fullest] > 0.0 else -1])
    answer = explain_ladder(run, agent, at=t)
    leading = [transition for transition in answer.transitions if transition.to == said.state]
    lines = [
        f"{transition.name} (to {transition.to}) lacked: {'; '.join(transition.missing)}"
        for transition in leading or answer.transitions
        if not transition.taken
    ]
    return (answer.headline, *lines), (agent, "--at", f"{t:g}")


def junit(verdicts: dict[str, list[Verdict]]) -> str:
    """The verdicts of some scenarios as JUnit XML, as test runners read it."""
    root = ElementTree.Element("testsuites")
    for scenario, found in verdicts.items():
        failed = sum(not verdict.met for verdict in found)
        suite = ElementTree.SubElement(
            root, "testsuite", name=scenario, tests=str(len(found)), failures=str(failed)
        )
        for verdict in found:
            case = ElementTree.SubElement(
                suite, "testcase", classname=scenario, name=f"{verdict.name}: {verdict.sentence}"
            )
            if not verdict.met:
                message = f"{verdict.found}; held with {verdict.held} of {verdict.seeds} seeds"
                failure = ElementTree.SubElement(case, "failure", message=message)
                failure.text = "\n".join(verdict.failures[0].why)
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="utf-8"?>\n' + ElementTree.tostring(root, "unicode")
