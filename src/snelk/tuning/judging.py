"""Expectations judged while a batch is stepped: whether each holds, and by how much it fails.

An expectation is true or false at every tick, and must become true for the first time within an
interval, never be true, or always be true. So it needs no tables, and all variants are judged
together.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.columns import NamedColumns
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
from snelk.config.measures import Address, find_measure
from snelk.config.models import Setup
from snelk.config.scenario import Scenario
from snelk.engine.columns import FollowedColumns, FollowStageColumns, TrialStageColumns
from snelk.engine.followed import (
    A_NOISE,
    A_SIGHT,
    A_STATE,
    CONDITION,
    IS_IN,
    LEVEL,
    NO_KIND,
    NO_STATE,
    NOTHING,
    SLACK,
    Followed,
    FollowStage,
    JudgeStage,
    TrialStage,
)
from snelk.engine.simulation import Simulation
from snelk.level.columns import laid_out
from snelk.mind.columns import CodeColumns, MeterColumns
from snelk.mind.meter import REACHED
from snelk.runs.measures import Measured, Measurer
from snelk.senses.columns import ContactColumns, SightColumns
from snelk.tuning.fair import Fairness, fairness

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

NEVER_CAME = 10.0
"""What never came true counts as so many seconds too late, for each unit that it fell short."""

SCALES = {"s": 1.0, "m": 1.0, "": 0.1}
"""What a measure outside of its limits by so much, in its unit, counts as much as 1 s."""


class Verdicts(NamedTuple):
    """The results of expectations: (variant, expectation) each."""

    names: tuple[str, ...]
    met: Truths
    off: Numbers  # how far it is from being met: 0 if it is, else like seconds
    at: Numbers  # the moment that decided, s; NaN if there is none
    value: Numbers  # the time, meter or measure that decided; NaN if there is none
    since: Numbers  # the moment from which on it counts, s; NaN if there is none


class Judge:
    """Lets a simulation follow the expectations of its scenario, and judges them.

    Args:
        simulation: It; nothing before its next tick counts. It is to be advanced with `halts`, and
            `keep` to be called each time: else conditions do not know which doors have turned.
    """

    def __init__(self, simulation: Simulation) -> None:
        self.simulation = simulation
        simulation.scenario.check_expectations()
        expectations = simulation.scenario.setup.expect
        self.names = tuple(expectations)
        self._trials = [_trials(simulation, each) for each in expectations.values()]
        every = [each for trials in self._trials for each in trials if isinstance(each, TickTrial)]
        holding = [
            (each.said.when, each.agents) for each in every if isinstance(each.said, Holding)
        ]
        numbers = {when: n for n, when in enumerate(dict.fromkeys(when for when, _ in holding))}
        asked = np.zeros((len(numbers), len(simulation.agents)), dtype=np.bool_)
        for when, agents in holding:
            asked[numbers[when], agents] = True
        ladders, shape = simulation.world.ladders, simulation.world.ladders.state.shape
        code, table = ladders.programs_of([parse(when) for when in numbers])
        self._asked = list(enumerate(table.leaves))
        self._named = laid_out(NamedColumns, simulation.world.named_of(self._asked))
        stage = JudgeStage(
            last=simulation.last,
            sight=laid_out(SightColumns, simulation.sight),
            contacts=laid_out(ContactColumns, simulation.contacts),
            loudness=simulation.listening.loudness,
            meters=laid_out(MeterColumns, simulation.meters),
            characters=simulation.numbers.characters,
            state=ladders.state,
            signals=simulation.world.laid_signals,
            code=laid_out(CodeColumns, code),
            facts=ladders.facts,
            named=self._named,
            table=np.zeros((len(table.leaves), *shape)),
            stack=np.zeros(table.deepest),
            asked=asked,
            true=np.zeros((len(numbers), *shape), dtype=np.bool_),
            trials=[laid_out(TrialStageColumns, each.stage(numbers)) for each in every],
        )
        if every:
            simulation.judges.append(stage)

    def keep(self) -> None:
        """Take in the doors and lights that turned at the simulation's last tick."""
        if self.simulation.world.outcomes.turned:
            self.simulation.world.read_turns(self._named, self._asked)

    def verdicts(self, measured: Measured) -> Verdicts:
        """All results; for an expectation about several agents, the worst."""
        variants = len(self.simulation.setups)
        shape = (variants, len(self.names))
        met, off = np.ones(shape, dtype=np.bool_), np.zeros(shape)
        at, value, since = np.full((3, *shape), np.nan)
        for n, trials in enumerate(self._trials):
            for trial in trials:
                outcome = trial.outcome(measured)
                worse = ~outcome.met & (outcome.off >= off[:, n])
                first = np.isnan(at[:, n]) & np.isnan(value[:, n])
                take = worse | (met[:, n] & outcome.met & first)
                for whole, part in zip((off, at, value, since), outcome[1:], strict=True):
                    whole[take, n] = part[take]
                met[:, n] &= outcome.met
        return Verdicts(self.names, met, off, at, value, since)


class Outcome(NamedTuple):
    """The result of one trial: (variant,) each; see `Verdicts`."""

    met: Truths
    off: Numbers
    at: Numbers
    value: Numbers
    since: Numbers


class Trial:
    """One statement that is judged: about one agent, or about any of a group."""

    def outcome(self, measured: Measured) -> Outcome:
        """Its result at the end."""
        raise NotImplementedError


class MeasureTrial(Trial):
    """A measure between two bounds."""

    def __init__(self, address: Address, said: MeasureBetween) -> None:
        self.address, self.said = address, said

    def outcome(self, measured: Measured) -> Outcome:
        """By how much it is outside; a missing measure is not met."""
        value = measured.values[:, measured.addresses.index(self.address)]
        low = -np.inf if self.said.at_least is None else self.said.at_least
        high = np.inf if self.said.at_most is None else self.said.at_most
        met = (value >= low - SLACK) & (value <= high + SLACK)
        beyond = np.maximum(low - value, value - high) / SCALES[self.address.unit]
        off = np.where(met, 0.0, np.where(np.isnan(value), NEVER_CAME, np.maximum(beyond, SLACK)))
        at = value if self.address.is_moment else np.full(len(value), np.nan)
        return Outcome(met, off, at, value, np.full(len(value), np.nan))


class TickTrial(Trial):
    """Something that is true or false at every tick."""

    def __init__(self, simulation: Simulation, agents: list[int], expectation: Expectation) -> None:
        self.simulation, self.agents = simulation, agents
        said: Interval = getattr(expectation, expectation.statement)
        self.said = said
        never = isinstance(said, Notices | Reaches) and said.never
        self.demand = (
            "never"
            if never or expectation.never or isinstance(said, MeterUnder)
            else "always"
            if expectation.always or isinstance(said, Stays)
            else "once"
        )
        self.low = -np.inf if said.after is None else said.after
        self.high = np.inf if said.before is None else said.before
        shape = len(simulation.setups), len(agents)
        # When what it counts from happened first, for each agent, s.
        self._since = np.full(shape, np.nan if said.since else -np.inf)
        self.followed = Followed.blank(self._since)
        self.limit = np.zeros(shape)

    def stage(self, conditions: Mapping[str, int]) -> TrialStage:
        """It as compiled loops read it; given are the numbers of conditions."""
        simulation, said, shape = self.simulation, self.said, self._since.shape
        holds, gap, value = np.zeros(shape, dtype=np.bool_), np.zeros(shape), np.zeros(shape)
        follow = FollowStage(holds, gap, value, laid_out(FollowedColumns, self.followed))
        metered, states = np.zeros(shape, dtype=np.bool_), self._states_of(None, self.agents)
        if isinstance(said, Notices | MeterUnder):
            metered, self.limit = self._limits(said)
        elif isinstance(said, Reaches | Stays):
            states = self._states_of(said.state, self.agents)
        whom = said.target if isinstance(said, Notices | MeterUnder) else None
        return TrialStage(
            asks=LEVEL if whom is not None else CONDITION if isinstance(said, Holding) else IS_IN,
            low=self.low,
            high=self.high,
            within=np.inf if said.within is None else said.within,
            agents=np.array(self.agents, dtype=np.int32),
            target=-1 if whom is None else simulation.names.index(whom),
            metered=metered,
            limit=self.limit,
            states=states,
            row=conditions[said.when] if isinstance(said, Holding) else -1,
            **self._awaited(),
            follow=laid_out(FollowStageColumns, follow),
        )

    def _awaited(self) -> dict[str, Any]:
        """What it counts from, as fields of its stage."""
        simulation, since, chosen = self.simulation, self.said.since, self.agents
        awaits, awaited, state = NOTHING, -1, None
        if since is not None:
            if since.of is not None:
                chosen = [simulation.agents.index(since.of)] * len(self.agents)
            if since.what == "seen":
                awaits, awaited = A_SIGHT, simulation.names.index(since.seen or "")
            elif since.what == "noise":
                words = simulation.maker.words
                known = since.noise in words
                awaits, awaited = A_NOISE, words.index(since.noise or "") if known else NO_KIND
            else:
                awaits, state = A_STATE, since.state
        return {
            "awaits": awaits,
            "awaited": awaited,
            "awaited_of": np.array(chosen, dtype=np.int32),
            "awaited_states": self._states_of(state, chosen),
        }

    def _states_of(self, name: str | None, agents: Sequence[int]) -> NDArray[np.int16]:
        """(variant, agent) the number of a state of each of some agents; NO_STATE for none."""
        found = np.full(self._since.shape, NO_STATE, dtype=np.int16)
        for v, row in enumerate(self.simulation.world.ladders.ladders):
            for n, a in enumerate(agents):
                ladder = row[a]
                if ladder is not None and name in ladder.states:
                    found[v, n] = list(ladder.states).index(name)
        return found

    def _limits(self, said: Notices | MeterUnder) -> tuple[Truths, Numbers]:
        """(variant, agent) who has a meter, and what it is held against."""
        simulation = self.simulation
        meters = [
            [setup.profile_of(simulation.agents[a]).meter for a in self.agents]
            for setup in simulation.setups
        ]
        metered = np.array([[meter is not None for meter in row] for row in meters])
        limit = np.full(metered.shape, 2.0 * REACHED)
        for v, a in np.argwhere(metered):
            meter = meters[v][a]
            assert meter is not None
            if isinstance(said, MeterUnder):
                limit[v, a] = said.under
            elif said.threshold is not None:
                limit[v, a] = meter.thresholds.get(said.threshold, np.inf)
            elif meter.thresholds:
                limit[v, a] = min(meter.thresholds.values())
        return metered, limit

    def outcome(self, measured: Measured) -> Outcome:  # noqa: ARG002
        """Whether it came true in time, and how far off it was."""
        dt = self.simulation.setups[0].clock.dt
        found = self._judged(dt)
        since = np.where(np.isinf(self._since), np.nan, self._since)
        began = np.where(np.isnan(since), np.inf, since).min(axis=1)
        if self.said.since is None:
            return Outcome(*found, np.full(len(began), np.nan))
        met, off, at, value = found
        never = np.isinf(began)  # what it counts from did not happen
        nothing = np.where(never, np.nan, began)
        return Outcome(
            met & ~never, np.where(never, NEVER_CAME, off), np.where(never, np.nan, at),
            np.where(never, np.nan, value), nothing,
        )  # fmt: skip

    def _judged(self, dt: float) -> tuple[Truths, Numbers, Numbers, Numbers]:
        """The same, counted from its moment: whether met, how far off, when, and the value."""
        found = self.followed
        if self.demand == "never":
            at = np.where(np.isnan(found.true_at), found.most_at, found.true_at)
            excess = found.most - self.limit.min(axis=1) if self._is_level else 0.0
            off = np.where(found.true > 0, found.true * dt + NEVER_CAME * excess, 0.0)
            value = found.most if self._is_level else found.true_at
            return found.true == 0, off, at, value
        if self.demand == "always":
            return (
                found.false == 0,
                found.false * dt,
                found.false_at,
                found.false_at,
            )
        first, high = found.first, np.full(len(found.first), self.high)
        if self.said.since is not None:
            within = np.inf if self.said.within is None else self.said.within
            began = np.where(np.isnan(self._since), np.inf, self._since).min(axis=1)
            high = np.minimum(high, np.where(np.isinf(began), np.inf, began + within))
            first = np.where(found.true > 0, found.true_at, first)
        met = (first >= self.low - SLACK) & (first <= high + SLACK)
        if self.said.since is not None:
            met = found.true > 0
        late = np.maximum(first - high, self.low - first)
        short = np.where(np.isinf(found.gap), 1.0, found.gap)
        came = ~np.isnan(first)
        missed = np.maximum(found.end - high, 0.0) + NEVER_CAME * np.maximum(short, 0.1)
        off = np.where(met, 0.0, np.where(came, late, missed))
        return met, off, np.where(came, first, found.gap_at), first

    @property
    def _is_level(self) -> bool:
        """Whether a value is held against a limit."""
        return isinstance(self.said, Notices | MeterUnder)


def _trials(simulation: Simulation, expectation: Expectation) -> list[Trial]:
    """The trials of an expectation: one for each agent, or one for any of a group."""
    if expectation.measure is not None:
        setup, said = simulation.scenario.setup, expectation.measure
        return [MeasureTrial(find_measure(setup, said.of, source="expect"), said)]
    agents = [simulation.agents.index(name) for name in expectation.who]
    groups = [[agent] for agent in agents] if expectation.each_of else [agents]
    return [TickTrial(simulation, group, expectation) for group in groups]


def unfair(scenario: Scenario, setup: Setup, name: str) -> float:
    """The unfair share of a fairness test; NaN if a variant does not have it."""
    found = fairness_of(scenario, setup, name)
    return np.nan if found is None else found.share


def fairness_of(scenario: Scenario, setup: Setup, name: str) -> Fairness | None:
    """A fairness test by name, with the numbers of a variant."""
    asked = setup.fairness.get(name)
    if asked is None:
        return None
    return fairness(replace(scenario, setup=setup), **dict(asked))


def judge_batch(
    scenario: Scenario,
    *,
    variants: Sequence[Mapping[str, Any]] = ({},),
    fair_for: int | None = None,
) -> tuple[Measured, Verdicts]:
    """The measures of several variants, and the results of the expectations in each.

    They are stepped together without tables. The expectations are those of the scenario, not of the
    variants. Fairness takes seconds, and is computed for the first `fair_for` variants only, or for
    all.
    """
    simulation = Simulation(scenario, variants=variants, logged=False)
    measurer, judge = Measurer(simulation), Judge(simulation)
    while not simulation.done:
        simulation.advance(len(simulation.times), halts=True)
        measurer.keep(float(simulation.times[simulation.tick - 1]))
        judge.keep()
    measured = measurer.measured()
    for n, address in enumerate(measured.addresses):
        if address.measure == "unfair":
            for v, setup in enumerate(simulation.setups[:fair_for]):
                measured.values[v, n] = unfair(scenario, setup, address.agent)
    return measured, judge.verdicts(measured)
