"""Two runs held against each other."""

from __future__ import annotations

import json
import math
from collections import defaultdict
from itertools import combinations
from pathlib import Path

import numpy as np
import pytest
import samples
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from test_cli import command

import snelk
from snelk.plots.compare import plot_compare
from snelk.tuning.compare import NEAR, _paired
from snelk.tuning.looks import Samples, first_unlike

NIGHT = snelk.croft() / "night.toml"
RANGE = "profiles.watcher.cones.front.range"
WALK = samples.track_of((0, 20, 1), (20, -5, 1))


def test_a_run_does_not_differ_from_itself(night: snelk.Run) -> None:
    same = snelk.compare(night, snelk.run(NIGHT))
    assert same.inputs == []
    assert same.first_differences == []
    assert len(same.changed) == 0
    assert {pair.status for pair in same.events} == {"same"}
    assert len(same.events) == len(night.events)


def test_runs_part_where_geometry_says(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, track=WALK)
    short, far = (snelk.run(path, overrides={RANGE: r}) for r in (8.0, 10.0))
    found = snelk.compare(short, far)
    assert [(each.place, each.a, each.b) for each in found.inputs] == [(RANGE, "8.0", "10.0")]
    (difference,) = found.first_differences
    # In view of the one from sqrt(10² - 1) m before the guard on; the clock ticks every 0.5 s.
    t = math.ceil((20 - math.sqrt(99)) / 1.25 * 2) / 2
    assert (difference.agent, difference.t, difference.kind, difference.target) == (
        *("guard", t, "sight"),
        "guest",
    )
    assert "too far" in difference.a
    assert "in view" in difference.b
    row = found.changed.set_index("key").loc["guard.guest.first_seen"]
    assert row.b == t
    assert row.difference == row.b - row.a
    moved = next(pair for pair in found.events if pair.kind == "saw")
    assert (moved.status, moved.t_a, moved.t_b) == ("moved", row.a, row.b)


def first_difference(a: snelk.Run, b: snelk.Run, agent: str) -> float:
    """The first tick at which any table of what an agent senses and does is not the same."""
    times = np.intersect1d(a.times, b.times)
    columns = {
        "sight": ["target", "cone", "in_view"],
        "contacts": ["target", "sense", "sensed"],
        "meters": ["target", "value"],
        "beliefs": ["target", "x", "y", "z"],
        "states": ["state"],
        "poses": ["x", "y", "z", "heading_deg", "posture"],
        "hearing": ["target", "heard"],
    }
    firsts = []
    for name, wanted in columns.items():
        sides = []
        for run in (a, b):
            table = run.table(name)
            table = table[table["id" if name == "poses" else "agent"] == agent]
            if name == "hearing":
                table = table[table.heard & table.target.notna()]
            ticks = defaultdict(list)
            for t, *row in table[["t", *wanted]].round(6).itertuples(index=False):
                ticks[t].append(str(row))
            sides.append(ticks)
        other = [t for t in times if sides[0].get(t) != sides[1].get(t)]
        firsts += other[:1]
    return min(firsts, default=math.inf)


@pytest.mark.parametrize(
    "overrides",
    [
        {"profiles.goose.cones.wide.range": 9.0},
        {"profiles.dog.ladder.states.asleep.senses.hearing": 0.8},
    ],
)
def test_every_agent_parts_at_the_first_tick_at_which_its_tables_do(
    night: snelk.Run, overrides: dict[str, float]
) -> None:
    other = snelk.run(NIGHT, overrides=overrides)
    found = {
        difference.agent: difference.t
        for difference in snelk.compare(night, other).first_differences
    }
    for agent in night.agents:
        assert found.get(agent, math.inf) == first_difference(night, other, agent), agent
    assert found
    assert list(found.values()) == sorted(found.values())


def test_what_was_seen_lasts_until_the_next_look(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, track=WALK)
    seldom = {"clock.dt": 0.1, "profiles.watcher.look_every": 0.7}
    runs = [snelk.run(path, overrides={**seldom, RANGE: r}) for r in (8.0, 10.0)]
    late, early = (run.measures.set_index("key").value["guard.guest.first_seen"] for run in runs)
    found = snelk.compare(*runs)
    between = (found.times >= early - 1e-6) & (found.times < late - 1e-6)
    assert found.differs("guard").tolist() == between.tolist()
    assert between.sum() > 7


def test_how_many_noises_which_posture_and_which_height_matter(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [90, 90]")
    bang = {"t": 1.0, "kind": "bang", "by": "guest", "at": [4, 4], "reach": 9.0}
    ears = {"clock.end": 3.0, "profiles.watcher.hearing": {}}
    near = {"cast.guest.at": [4, 0], "profiles.watcher.memory": {}}
    for one, other, kind, t in (
        ({"noise": [bang]}, {"noise": [bang, bang]}, "hearing", 1.0),
        ({}, {"cast.guard.posture": "crouched"}, "pose", 0.0),
        (near, {**near, "cast.guest.z": 0.5}, "belief", 0.0),
        ({}, {"cast.guard.z": 1.5}, "pose", 0.0),
    ):
        runs = [snelk.run(path, overrides=ears | more) for more in (one, other)]
        (parted,) = snelk.compare(*runs).first_differences
        assert (parted.agent, parted.t, parted.kind) == ("guard", t, kind)
        assert kind != "belief" or parted.b.startswith("(4.00, 0.00), 0.50 m up, senses it")
    assert "(0.00, 0.00), 1.50 m up, facing" in parted.b
    times, none = np.zeros(1), np.full((1, 1), np.nan)
    nowhere, origin = (Samples(times, ("fox",), each) for each in (none, np.zeros((1, 1))))
    assert first_unlike(nowhere, origin, times) == (0.0, "fox")


def test_what_went_in_otherwise_is_named(tmp_path: Path) -> None:
    wall = samples.wall_feature("fence", [(5, -1), (5, 1)], top=1.0)
    path = samples.write_sample(tmp_path / "a", track=WALK, level=wall)
    later = samples.track_of((0, 20, 1), (4, 15, 1), (20, -6, 1))
    high = wall.replace('"top": 1.0', '"top": 3.0')
    moved = json.loads(high)
    moved["features"][0]["geometry"]["coordinates"] = [(6, -1), (6, 1)]
    other = samples.write_sample(tmp_path / "b", track=later, level=json.dumps(moved))
    changes = {"profiles.watcher.meter": {"fill_time": 1.0}, "seed": 4}
    found = snelk.compare(snelk.run(path), snelk.run(other, overrides=changes)).inputs
    places = {each.place: (each.what, each.a, each.b) for each in found}
    assert places["wall fence: top"] == ("level", "1.0", "3.0")
    assert places["wall fence: outline"][0] == "level"
    assert places["profiles.watcher.meter.fill_time"] == ("number", "–", "1.0")
    assert places["seed"] == ("number", "0", "4")
    assert places["guest"] == ("track", "recorded", "another from 4.50 s on")


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.floats(0, 40), max_size=5).map(sorted),
    st.lists(st.floats(0, 40), max_size=5).map(sorted),
)
def test_events_are_paired_as_cheaply_as_can_be(a: list[float], b: list[float]) -> None:
    def cost(pairs: list[tuple[int | None, int | None]]) -> float:
        alone = NEAR / 2
        return sum(alone if i is None or j is None else abs(a[i] - b[j]) for i, j in pairs)

    found = _paired(a, b)
    assert [i for i, _ in found if i is not None] == list(range(len(a)))
    assert [j for _, j in found if j is not None] == list(range(len(b)))
    cheapest = min(
        sum(abs(a[i] - b[j]) for i, j in zip(chosen, others, strict=True))
        + (len(a) + len(b) - 2 * k) * NEAR / 2
        for k in range(min(len(a), len(b)) + 1)
        for chosen in combinations(range(len(a)), k)
        for others in combinations(range(len(b)), k)
    )
    assert cost(found) == pytest.approx(cheapest)


def test_the_figure_marks_where_runs_differ(night: snelk.Run) -> None:
    change = {"profiles.dog.ladder.states.asleep.senses.hearing": 0.8}
    found = snelk.compare(night, snelk.run(NIGHT, overrides=change))
    drawn = plot_compare(found)
    assert drawn.rows == night.agents
    assert drawn.first_differences == {each.agent: each.t for each in found.first_differences}
    (stretch,) = drawn.differences["dog"]
    assert stretch == (25.8, 32.9)
    assert drawn.differences["gander"] == []
    states = [name for name, *_ in drawn.states["dog", "b"]]
    assert states == found.b.states[found.b.states.agent == "dog"].state.tolist()
    line = drawn.meters["dog", "a"]
    dog = night.meters[night.meters.agent == "dog"]
    row = drawn.rows.index("dog")
    height = row - 0.40 + 0.31 * (1 - dog.groupby("t").value.max().to_numpy())
    np.testing.assert_allclose(line.get_ydata(), height)
    assert plot_compare(found, agents=["owl"], start=10.0, end=20.0).rows == ("owl",)


def test_the_command_compares_runs_and_a_scenario_with_itself(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path / "s", track=WALK)
    for name, reach in (("a", 8), ("b", 10)):
        command("run", path, "--set", f"{RANGE}={reach}", "--out", f"runs/{name}", cwd=tmp_path)
    said = command("compare", "runs/a", "runs/b", cwd=tmp_path)
    assert f"    {RANGE}: 8.0 → 10.0" in said
    assert "guard: sight of guest" in said
    assert all(len(line) <= 80 for line in said.splitlines())
    data = json.loads(command("compare", path, "--set", f"{RANGE}=8", "--json", cwd=tmp_path))
    assert data["first_differences"][0]["kind"] == "sight"
    assert data["inputs"][0]["place"] == RANGE
    command("plot", "compare", "runs/a", "runs/b", "--out", "c.png", cwd=tmp_path)
    assert (tmp_path / "c.png").stat().st_size > 10_000
    for words, error in (
        (["runs/a"], "needs two runs, or one scenario and --set"),
        (["runs/a", "runs/x"], "no such run"),
        ([path], "needs two runs"),
    ):
        assert error in command("compare", *words, cwd=tmp_path, code=2)


def test_level_names_do_not_have_to_be_shapes(tmp_path: Path) -> None:
    # A level is compared by what it holds: the same wall written as it comes back from a run.
    wall = samples.wall_feature("fence", [(5, -1), (5, 1)], top=1.0)
    run = snelk.run(samples.write_sample(tmp_path / "a", track=WALK, level=wall))
    saved = snelk.open_run(run.save(tmp_path / "run").folder or "")
    assert isinstance(saved.level.data.walls[0][1], shapely.LineString)
    assert snelk.compare(run, saved).inputs == []
