"""Measures, counted while a batch is stepped.

They are gathered from arrays of all variants, without tables, by numbers that depend on nothing
but their own variant. So a sweep's row is the same, bit for bit, as that of the run alone.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from snelk.config.measures import Address, addresses_of
from snelk.config.scenario import Scenario
from snelk.engine.columns import PairColumns, TallyColumns
from snelk.engine.simulation import Simulation
from snelk.engine.tally import CountStage, Pairs, Tally
from snelk.level.columns import laid_out
from snelk.mind.columns import MeterColumns
from snelk.mind.ladder import NO_TRANSITION, Step
from snelk.mind.meter import REACHED
from snelk.runs.arrow import numbers_of, table_of, texts_of
from snelk.senses.columns import ContactColumns, SightColumns

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

UNDONE = 1.0
"""What is undone within so many seconds is flicker."""

PLAYED = ("warned", "too_late", "waits", "hides", "goes_on", "through")
"""What happens to simulated players."""

NOTHING_THERE = 5.0
"""A target farther than this from where it is believed is not there, m."""

SLACK = 1e-9


class Measured(NamedTuple):
    """The measures of some variants."""

    addresses: tuple[Address, ...]
    values: Numbers  # (variant, address); NaN where there is none

    @property
    def keys(self) -> list[str]:
        """The key of every address."""
        return [address.key for address in self.addresses]

    def table(self, v: int = 0) -> pa.Table:
        """The measures of one variant that it can have, a row each."""
        rows = self.addresses
        return table_of(
            {
                "key": texts_of(row.key for row in rows),
                "agent": texts_of(row.agent or None for row in rows),
                "target": texts_of(row.target or None for row in rows),
                "state": texts_of(row.state or None for row in rows),
                "measure": texts_of(row.measure for row in rows),
                "value": numbers_of(self.values[v]),
                "unit": texts_of(row.unit for row in rows),
            }
        )


class Measurer:
    """Follows a simulation and gathers every measure of every variant.

    Args:
        simulation: What is measured.
        follows: Whether all its ticks from now on are counted; else it measures nothing.
    """

    def __init__(self, simulation: Simulation, *, follows: bool = True) -> None:
        self.simulation = simulation
        numbers, world = simulation.numbers, simulation.world
        self.may = world.attention.numbers.may
        self._a, self._j = np.nonzero(self.may.any(axis=0))  # the pairs that are followed
        variants, agents = numbers.notices.shape[:2]
        self._metered = np.ascontiguousarray(world.attention.numbers.metered[:, self._a])
        notice = np.ascontiguousarray(self._lowest_thresholds()[:, self._a])
        a, j = self._a.astype(np.int32), self._j.astype(np.int32)
        states = world.ladders.least.shape[2]
        self.tally = Tally.blank(variants, len(a), self.may.shape[1:], states)
        stage = CountStage(
            undone=UNDONE,
            pairs=laid_out(PairColumns, Pairs(a, j, self._metered, notice)),
            last=simulation.last,
            sight=laid_out(SightColumns, simulation.sight),
            contacts=laid_out(ContactColumns, simulation.contacts),
            loudness=simulation.listening.loudness,
            meters=laid_out(MeterColumns, simulation.meters),
            beliefs=simulation.laid_beliefs,
            characters=numbers.characters,
            signals=world.laid_signals,
            rank=world.ladders.rank,
            used=world.ladders.used,
            tally=laid_out(TallyColumns, self.tally),
        )
        if follows:
            simulation.counts.append(stage)
        self.caught = np.zeros(numbers.notices.shape)
        self.catches = np.zeros(variants)
        self.caught_at = np.full(variants, np.nan)
        by_agent = (variants, agents)
        self.false_alarms, self.transitions, self.flicker, self.times_stuck = np.zeros(
            (4, *by_agent)
        )
        self.searches, self.search_time, self.longest_search = np.zeros((3, *by_agent))
        self.found, self.given_up = np.zeros((2, *by_agent))
        self._began = np.full(by_agent, np.nan)
        self._before: dict[tuple[int, int], tuple[float, Step]] = {}
        self.hides, self.hidden_for, self.waited_for = np.zeros((3, *by_agent))
        self.through_at, self.warned_at, self.too_late_at = np.full((3, *by_agent), np.nan)
        self.warning, self._warned_last = np.full((2, *by_agent), np.nan)
        self._stays: dict[tuple[int, int], tuple[float, str]] = {}  # who hides or waits since when

    def _lowest_thresholds(self) -> Numbers:
        """(variant, agent) the value from which on a target is noticed."""
        simulation = self.simulation
        lowest = np.full((len(simulation.setups), len(simulation.agents)), 2.0 * REACHED)
        for v, setup in enumerate(simulation.setups):
            for a, agent in enumerate(simulation.agents):
                meter = setup.profile_of(agent).meter
                if meter is not None and meter.thresholds:
                    lowest[v, a] = min(meter.thresholds.values())
        return lowest

    def keep(self, t: float) -> None:
        """Take in the events of the simulation's last tick, before anybody empties its logs."""
        simulation, world = self.simulation, self.simulation.world
        if world.taken or world.happenings or world.outcomes.happenings or world.notes:
            alive = (simulation.last < 0) | (simulation.last == simulation.tick - 1)
            self._keep_states(t, alive)
            self._keep_searches(alive)

    def _keep_states(self, t: float, alive: Truths) -> None:
        world, characters = self.simulation.world, self.simulation.numbers.characters
        for step in world.taken:
            if alive[step.variant]:
                self._keep_transition(t, step)
        for each in world.happenings:
            if not alive[each.variant]:
                continue
            if each.kind == "stuck":
                self.times_stuck[each.variant, each.agent] += 1.0
            elif each.kind in PLAYED:
                self._keep_played((each.variant, each.agent), t, each.kind)
            elif each.kind == "caught":
                for a in np.flatnonzero(characters == each.target):
                    self._keep_too_late((each.variant, int(a)), t)
                self.caught[each.variant, each.agent, each.target] += 1.0
                self.catches[each.variant] += 1.0
                if np.isnan(self.caught_at[each.variant]):
                    self.caught_at[each.variant] = t
        for each in world.outcomes.happenings:
            if each.kind == "removed" and alive[each.variant]:
                for a in np.flatnonzero(characters == each.target):
                    self._end_stay((each.variant, int(a)), t)

    def _keep_played(self, place: tuple[int, int], t: float, kind: str) -> None:
        """Count what a simulated player did, and its warnings."""
        if kind in ("hides", "waits", "goes_on", "through"):
            self._end_stay(place, t)
        if kind == "too_late":
            self._keep_too_late(place, t)
            return
        if kind == "warned":
            self._warned_last[place] = t
        if kind in ("hides", "waits"):
            self._stays[place] = t, kind
            self.hides[place] += kind == "hides"
        elif kind != "goes_on":
            _first(getattr(self, f"{kind}_at"), place, t)

    def _keep_too_late(self, place: tuple[int, int], t: float) -> None:
        if np.isnan(self.too_late_at[place]):
            self.too_late_at[place] = t
            self.warning[place] = round(t - float(self._warned_last[place]), 9)

    def _end_stay(self, place: tuple[int, int], t: float) -> None:
        since, kind = self._stays.pop(place, (t, "hides"))
        total = self.hidden_for if kind == "hides" else self.waited_for
        total[place] = round(float(total[place]) + t - since, 9)

    def _keep_transition(self, t: float, step: Step) -> None:
        world, place = self.simulation.world, (step.variant, step.agent)
        rank = world.ladders.rank[place]
        highest = self.tally.highest_rank
        highest[place] = np.fmax(highest[place], rank[step.after])
        before = self._before.pop(place, None)
        if step.transition == NO_TRANSITION:  # it is spawned, or put there
            return
        self.transitions[place] += 1.0
        if before is not None and before[1].before == step.after:
            self.flicker[place] += t - before[0] <= UNDONE + SLACK
        self._before[place] = t, step
        if rank[step.after] > rank[step.before] and step.focus >= 0:
            self.false_alarms[place] += self._is_false(step)

    def _is_false(self, step: Step) -> bool:
        """Whether the target of an alarm is not where it is believed to be."""
        world, poses = self.simulation.world, self.simulation.poses
        signals, place = world.signals, (step.variant, step.agent)
        if signals.seen[place] or signals.felt[place]:
            return False
        p = step.variant if len(poses.x) > 1 else 0
        if not poses.present[p, step.focus]:
            return True
        believed = signals.target_x[place], signals.target_y[place], signals.target_z[place]
        off = np.linalg.norm(
            np.array(believed) - [axis[p, step.focus] for axis in (poses.x, poses.y, poses.z)]
        )
        return bool(off > NOTHING_THERE)  # not where it is not believed to be anywhere

    def _keep_searches(self, alive: Truths) -> None:
        for note in self.simulation.world.notes:
            place = note.variant, note.agent
            if not alive[note.variant]:
                continue
            if note.what == "began":
                self.searches[place] += 1.0
                self._began[place] = note.t
            elif note.what == "ended":
                self._end_search(place, note.t)
                self.found[place] += note.outcome == "found"
                self.given_up[place] += note.outcome in ("gave_up", "nothing")

    def _end_search(self, place: tuple[int, int], t: float) -> None:
        took = round(t - float(self._began[place]), 9)
        self.search_time[place] += took
        self.longest_search[place] = max(float(self.longest_search[place]), took)
        self._began[place] = np.nan

    def measured(self) -> Measured:
        """The measures of all variants; nothing can be taken in after that."""
        simulation, tally = self.simulation, self.tally
        world, dt = simulation.world, simulation.setups[0].clock.dt
        for v, a in np.argwhere(~np.isnan(self._began)):
            self._end_search((int(v), int(a)), float(tally.end[v]))
        for place in list(self._stays):
            self._end_stay(place, float(tally.end[place[0]]))
        laddered, pair = world.ladders.used, (slice(None), self._a, self._j)
        noticed = ~np.isnan(tally.first_noticed)
        full = np.where(self._metered, tally.highest, np.nan)
        with np.errstate(divide="ignore", invalid="ignore"):
            mean = tally.error_sum / tally.error_count
        wait = np.round(tally.first_full - tally.first_seen, 9)
        judged = tally.error_count > 0
        pairs: dict[str, Numbers] = {
            "first_sensed": tally.first_sensed,
            "first_seen": tally.first_seen,
            "first_noticed": tally.first_noticed,
            "first_full": tally.first_full,
            "view_to_full": np.where(wait >= 0.0, wait, np.nan),
            "time_in_view": _seconds(tally.in_view, dt),
            "longest_unseen": _seconds(tally.longest_unseen, dt),
            "losses": tally.losses,
            "regains": tally.regains,
            "view_flicker": tally.view_flicker,
            "highest_meter": full,
            "near_miss": np.where(noticed, np.nan, full),
            "noises_heard": tally.noises_heard[pair],
            "believed_for": _seconds(tally.believed, dt),
            "mean_belief_error": np.where(judged, mean, np.nan),
            "worst_belief_error": np.where(judged, tally.worst, np.nan),
            "caught": self.caught[pair],
        }
        agents: dict[str, Numbers] = {
            "false_alarms": np.where(laddered, self.false_alarms, np.nan),
            "transitions": np.where(laddered, self.transitions, np.nan),
            "flicker": np.where(laddered, self.flicker, np.nan),
            "highest_rank": tally.highest_rank,
            "searches": np.where(laddered, self.searches, np.nan),
            "search_time": np.where(laddered, self.search_time, np.nan),
            "longest_search": np.where(laddered, self.longest_search, np.nan),
            "searches_found": np.where(laddered, self.found, np.nan),
            "searches_given_up": np.where(laddered, self.given_up, np.nan),
            "distance_walked": tally.walked,
            "times_stuck": np.where(laddered, self.times_stuck, np.nan),
            **self._of_players(),
        }
        start = float(simulation.times[0])
        whole = {
            "length": np.round(tally.end - start, 9),
            "catches": self.catches,
            "caught_at": self.caught_at,
        }
        may = self.may[pair]
        numbers = {(int(a), int(j)): n for n, (a, j) in enumerate(zip(*pair[1:], strict=True))}
        names = {name: n for n, name in enumerate(simulation.agents)}
        others = {name: n for n, name in enumerate(simulation.names)}
        states = [self._time_in(a) for a in range(len(names))]
        addresses = addresses_of(simulation.setups)
        columns = []
        for each in addresses:
            a = names.get(each.agent, -1)
            if each.target:
                n = numbers[a, others[each.target]]
                columns.append(np.where(may[:, n], pairs[each.measure][:, n], np.nan))
            elif each.measure == "unfair":  # not of a run; see `snelk.tuning.judging`
                columns.append(np.full(len(tally.end), np.nan))
            elif each.state:
                columns.append(_seconds(states[a][each.state], dt))
            else:
                columns.append(agents[each.measure][:, a] if a >= 0 else whole[each.measure])
        return Measured(addresses, np.stack(columns, axis=1))

    def _of_players(self) -> dict[str, Numbers]:
        """The measures of simulated players; NaN for others."""
        ladders = self.simulation.world.ladders.ladders
        plays = [[each is not None and each.plays for each in row] for row in ladders]
        through, late = self.through_at, self.too_late_at
        in_time = ~np.isnan(through) & (np.isnan(late) | (late > through + SLACK))
        found = {
            "got_through": in_time * 1.0,
            "through_at": through,
            "warned_at": self.warned_at,
            "too_late_at": late,
            "warning": self.warning,
            "hides": self.hides,
            "hidden_for": self.hidden_for,
            "waited_for": self.waited_for,
        }
        return {key: np.where(plays, values, np.nan) for key, values in found.items()}

    def _time_in(self, a: int) -> dict[str, Numbers]:
        """(variant,) ticks in each state of an agent's ladder, by name; NaN where it has none."""
        found: dict[str, Numbers] = {}
        states = self.tally.states
        for v, row in enumerate(self.simulation.world.ladders.ladders):
            ladder = row[a]
            for s, name in enumerate(ladder.states if ladder else ()):
                found.setdefault(name, np.full(len(states), np.nan))[v] = states[v, a, s]
        return found


def _first(times: Numbers, place: tuple[int, int], t: float) -> None:
    """Note when something was first so."""
    if np.isnan(times[place]):
        times[place] = t


def _seconds(ticks: Numbers, dt: float) -> Numbers:
    result: Numbers = np.round(ticks * dt, 9)
    return result


def measure_batch(scenario: Scenario, *, variants: Sequence[Mapping[str, Any]] = ({},)) -> Measured:
    """The measures of several variants, stepped together and without keeping tables.

    >>> import snelk
    >>> night = snelk.load(snelk.croft() / "night.toml")
    >>> measured = measure_batch(night)
    >>> round(float(measured.values[0, measured.keys.index("farmer.searches")]))
    1
    """
    simulation = Simulation(scenario, variants=variants, logged=False)
    measurer = Measurer(simulation)
    while not simulation.done:
        simulation.advance(len(simulation.times), halts=True)
        measurer.keep(float(simulation.times[simulation.tick - 1]))
    return measurer.measured()
