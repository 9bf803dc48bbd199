"""Answers in random scenes: they are what the tables say, and what they name turns them."""

from __future__ import annotations

import json
import math
import random
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import pytest
from test_rules import Maker

import snelk
from snelk.config.scenario import parse_override
from snelk.config.words import POSTURES
from snelk.runs.answers import Counterfactual
from snelk.runs.dense import distances
from snelk.senses.bodies import bodies_of

HAIR = 1e-6
UNSET = re.compile(r"ladder\.states\.\w+\.awake")
"""How awake a state is, is not named if it has no say in how awake an agent is now."""


class Night:
    """A random scene at a time, which can be asked again with other numbers."""

    def __init__(self, seed: int, folder: Path) -> None:
        self.folder, maker = folder, Maker(seed)
        maker.scene(folder)
        self.at, self.base, self.chance = 0.0, dict[str, Any](), maker.chance
        self.scenario = snelk.load(folder / "scene.toml")

    def at_its_first_tick(self) -> Night:
        """Where nothing has gone before."""
        clock = self.scenario.setup.clock
        self.at = round(self.chance.uniform(clock.start, clock.end - 0.3), 2)
        self.base = {"clock.start": self.at, "clock.end": self.at + clock.dt}
        return self

    def as_something_is_heard(self) -> Night:
        """Where nobody reacts to what is heard, so that the past is the same with other numbers."""
        profiles = self.scenario.setup.profiles
        self.base = {f"profiles.{name}.ladder.transitions": {} for name in profiles}
        times = sorted({*self.run().hearing.t})
        self.at = float(self.chance.choice(times)) if times else self.scenario.setup.clock.end
        return self

    def run(self, changes: dict[str, Any] | None = None) -> snelk.Run:
        """A run with other numbers, of the scenario or of the level."""
        path, own, scenario = self.folder / "level.geojson", {**self.base}, self.scenario
        text = path.read_text()
        for key, value in (changes or {}).items():
            name, _, word = key.rpartition(".")
            level = json.loads(text)
            found = [each for each in level["features"] if each["properties"]["name"] == name]
            if found:
                found[0]["properties"][word] = value
                path.write_text(json.dumps(level))
                scenario = snelk.load(self.folder / "scene.toml")
                path.write_text(text)
            else:
                own[key] = value
        return snelk.run(scenario.changed(own))

    def sensed(self, run: snelk.Run, agent: str, target: str) -> dict[str, bool]:
        answer = run.why(agent, target, at=self.at)
        return {"sight": answer.in_view, **{each.sense: each.sensed for each in answer.senses}}

    def named(
        self, run: snelk.Run, agent: str, target: str
    ) -> Iterator[tuple[str, Counterfactual]]:
        answer = run.why(agent, target, at=self.at)
        yield from (("sight", each) for each in (answer.counterfactual, *answer.others) if each)
        for one in answer.senses:
            yield from ((one.sense, each) for each in (one.counterfactual, *one.others) if each)

    def extremes(self) -> Iterator[tuple[str, float]]:
        """Numbers as low and as high as they can be."""
        setup = self.scenario.setup
        limits = {"min_light": (0, 1), "min_exposure": (0, 0.999), "up": (0, 90), "down": (0, 90)}
        for name, profile in setup.profiles.items():
            keys: dict[str, tuple[float, float]] = {}
            for cone, own in profile.cones.items():
                keys |= {f"cones.{cone}.{word}": values for word, values in limits.items()}
                keys[f"cones.{cone}.range"] = 0.01, own.hold_range or 1e3
                keys[f"cones.{cone}.fov_whole"] = 0.01, own.hold_fov_whole or 360.0
            keys |= {"hearing.acuity": (1e-3, 100)} if profile.hearing else {}
            keys |= {"touch.radius": (0.01, 1e3)} if profile.touch else {}
            keys |= (
                {"smell.reach": (0.01, 1e3), "smell.weakest": (1e-3, 1)} if profile.smell else {}
            )
            keys |= {f"ladder.states.{each}.awake": (0, 1) for each in profile.ladder.states}  # type: ignore[union-attr]
            yield from ((f"profiles.{name}.{key}", each) for key in keys for each in keys[key])
        for member in setup.cast:
            yield from ((f"cast.{member}.awake", each) for each in (0.0, 1.0))
        yield from (
            (f"bodies.{body}.scent", each) for body in setup.bodies for each in (0.0, 100.0)
        )
        yield from (("air.half_life", each) for each in (1e-3, 1e5))


def pairs_of(run: snelk.Run) -> list[tuple[str, str]]:
    return [(agent, target) for agent in run.agents for target in run.names if agent != target]


def hold_what_is_named(night: Night, senses: tuple[str, ...], seen: Counter[str]) -> None:
    run = night.run()
    named = [
        ((sense, *pair, each.key), each)
        for pair in pairs_of(run)
        for sense, each in night.named(run, *pair)
    ]
    found = dict(named)
    assert len(found) == len(named)  # each number once
    for sense in senses:
        of = [each for each in found if each[0] == sense]
        for one in night.chance.sample(of, min(2, len(of))):
            (_, agent, target, _), change = one, found[one]
            was = night.sensed(run, agent, target)
            settings: list[tuple[dict[str, Any], bool]] = []
            if isinstance(change.needs, float) and len(change.settable) < 2:
                hair = max(HAIR, abs(change.needs) * HAIR)
                hair *= 1.0 if change.comparison in (">=", ">") else -1.0
                settings += [
                    ({change.key: change.needs + each}, each == hair) for each in (hair, -hair)
                ]
            if change.settable and (not settings or night.chance.random() < 0.5):
                settings[:1] = [(dict(map(parse_override, change.settable)), True)]
            for changes, turns in settings:
                try:
                    again = night.sensed(night.run(changes), agent, target)
                except snelk.InputError:  # a hair less than nothing
                    assert changes[change.key] < 0.01, change
                    continue
                assert (again[sense] != was[sense]) == turns, (agent, target, change, changes)
            seen[sense] += 1


@pytest.mark.parametrize("seed", range(3))
def test_a_hair_beyond_each_named_change_turns_the_answer_and_a_hair_short_does_not(
    seed: int, tmp_path: Path
) -> None:
    seen = Counter[str]()
    for n in range(4):
        (folder := tmp_path / str(n)).mkdir()
        night = Night(12 * n + 4 * seed + n % 3, folder)  # in these nobody moves by itself
        hold_what_is_named(
            night.at_its_first_tick(), ("sight", "sight", "touch", "zone", "smell"), seen
        )
        hold_what_is_named(night.as_something_is_heard(), ("hearing", "smell"), seen)
    assert min(seen[sense] for sense in ("sight", "hearing", "smell")) > 3, seen


def test_no_number_turns_the_answer_alone_that_is_not_named(tmp_path: Path) -> None:
    turned = 0
    for seed in (4, 10, 13):
        (folder := tmp_path / str(seed)).mkdir()
        night = Night(seed, folder).at_its_first_tick()
        run = night.run()
        pairs = night.chance.sample(pairs_of(run), 6)
        was = {pair: night.sensed(run, *pair) for pair in pairs}
        keys = {
            pair: {(sense, each.key) for sense, each in night.named(run, *pair)} for pair in was
        }
        for key, value in night.chance.sample([*night.extremes()], 20):
            try:
                again = night.run({key: value})
            except snelk.InputError:  # limits that hold must not be less
                continue
            for pair in was:
                now = night.sensed(again, *pair)
                for sense in (each for each in now if now[each] != was[pair][each]):
                    turned += 1
                    is_named = (sense, key) in keys[pair] or UNSET.search(key)
                    assert is_named, (pair, sense, key, value)
    assert turned > 9


@pytest.mark.parametrize("seed", [7, 35, 38, 42, 55])
def test_how_low_a_wall_has_to_be_is_named_if_that_is_enough(seed: int, tmp_path: Path) -> None:
    night = Night(seed, tmp_path).at_its_first_tick()
    run, enough = night.run(), 0
    for pair in pairs_of(run):
        answer = run.why(*pair, at=night.at)
        if answer.in_view or answer.exposure != 0.0 or not answer.wall:
            continue
        key, low = f"{answer.wall}.top", run.level.base[run.level.wall_names.index(answer.wall)]
        named = {each.key: each for each in (answer.counterfactual, *answer.others) if each}
        gone = night.run({key: low + 0.01}).why(*pair, at=night.at).in_view
        assert gone == (key in named), (pair, key)
        for change in filter(None, [named.get(key)]):
            enough += 1
            for height, turns in ((change.needs - HAIR, True), (change.needs + HAIR, False)):
                assert night.run({key: height}).why(*pair, at=night.at).in_view == turns
    assert enough


MARGINS = {
    "range": ("distance", "distance_margin"), "angle": ("off_deg", "off_margin_deg"), "light": ("light", "light_margin"),
    "elevation": ("elevation_deg", "elevation_margin_deg"), "line_of_sight": ("exposure", "exposure_margin"),
    "reach": ("distance", "distance_margin"), "radius": ("distance", "distance_margin"), "strength": ("strength", ""),
}  # fmt: skip
"""By gate the columns of its value and of its margin."""


def hold_gates(gates: Iterable[Any], row: Any) -> None:
    for gate in gates:
        for found, column in zip(
            (gate.value, gate.margin), MARGINS.get(gate.name, ()), strict=False
        ):
            logged = getattr(row, column, math.nan)
            if not math.isnan(logged):
                logged = abs(logged) if column == "elevation_deg" else logged
                assert found == pytest.approx(logged, abs=1e-9), (gate, row)


@pytest.mark.parametrize("seed", [3, 9, 14, 17, 30])
def test_answers_are_what_the_tables_say(seed: int, tmp_path: Path) -> None:
    Maker(seed).scene(tmp_path)
    run, chance = snelk.run(tmp_path / "scene.toml"), random.Random(seed)
    names = ("sight", "contacts", "hearing", "meters", "beliefs")
    rows = {name: dict([*run.table(name).groupby(["agent", "target"])]) for name in names}
    for pair in pairs_of(run):
        for t in chance.sample(run.times.tolist(), 5):
            answer = run.why(*pair, at=t)
            of = {name: every.get(pair, run.table(name)[:0]) for name, every in rows.items()}
            past = {name: every[every.t <= t + 1e-9] for name, every in of.items()}
            now = {name: [*every[every.t >= t - 1e-9].itertuples()] for name, every in past.items()}
            for row in now["sight"]:
                cone = next(each for each in answer.cones if each.cone == row.cone)
                assert (cone.result, cone.held) == (row.result, row.held)
                hold_gates(cone.gates, row)
            for row in now["contacts"]:
                sense = answer.sense(row.sense)
                assert sense is not None
                assert (sense.result, sense.sensed) == (row.result, row.sensed)
                hold_gates(sense.gates, row)
            if zone := answer.sense("zone"):
                failing = {gate.name for gate in zone.gates if gate.passed is not True}
                assert (zone.counterfactual is not None) == (
                    failing <= {"awake"} or failing == {"cares"}
                )
            if len(past["hearing"]):
                heard, row = answer.sense("hearing"), past["hearing"].iloc[-1]
                assert heard is not None
                assert (heard.result, heard.sensed, heard.t) == (row.result, row.heard, row.t)
            for row in now["meters"]:
                meter: Any = answer.meter
                assert (meter.value, meter.rate) == pytest.approx((row.value, row.rate))
                assert meter.state == row.state
            for row in now["beliefs"]:
                belief: Any = answer.belief
                logged = (row.x, row.y, row.age, row.uncertainty, row.error)
                said = [
                    *(belief.place or (None, None)),
                    belief.age,
                    belief.uncertainty,
                    belief.error,
                ]
                assert belief.source == (row.source if isinstance(row.source, str) else "")
                assert [math.nan if each is None else each for each in said] == pytest.approx(
                    [*logged], nan_ok=True
                )
            look = run.poses[(run.poses.t - t).abs() < 1e-9].set_index("id").loc[list(pair)]
            if look.present.all():  # how far off it is, also where no table says so
                (i, j), bodies = (run.names.index(each) for each in pair), bodies_of([run.setup])
                up, other = look.posture.map(POSTURES.index)
                ends = look[["x", "y", "z"]].to_numpy(dtype=float, copy=True)
                ends[:, 2] += bodies.eyes[0, i, up], bodies.height[0, j, other] / 2
                off = distances(run, *pair)[run.tick_at(t)]
                assert off == pytest.approx(math.dist(*ends), abs=1e-9)
    for agent in run.agents:
        every = run.states[run.states.agent == agent]
        for t in {*chance.sample(run.times[1:].tolist(), 10), *every.t[1:]}:
            said, before = run.why_state(agent, at=t), every[every.t < t - 1e-9].iloc[-1]
            assert (said.state, said.since) == (before.state, before.t)
            known = {each.name for each in said.transitions}
            taken = set(every.transition[(every.t - t).abs() < 1e-9]) & known
            assert {each.name for each in said.transitions if each.taken} == taken
            if told := re.search(r"for ([\d.]+) s", said.headline):
                assert float(told[1]) == pytest.approx(t - before.t, abs=0.006)
