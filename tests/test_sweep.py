"""Sweeps: which variants, their rows, being stopped, and reading them."""

from __future__ import annotations

import json
import math
import signal
import subprocess
import sys
import time
from itertools import product
from pathlib import Path
from types import SimpleNamespace

import numpy as np
import pandas as pd
import pytest
import samples
import scenes
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from test_cli import command

import snelk
from snelk.cli.main import app_for
from snelk.tuning.batches import BATCH
from snelk.tuning.judging import judge_batch
from snelk.tuning.plan import parse_vary, plan_of
from snelk.tuning.reading import best_tradeoffs, movers

NIGHT = snelk.croft() / "night.toml"
RANGE = "profiles.watcher.cones.front.range"
TEAM = "cast.guest.team"
WALK = samples.track_of((0, 20, 1), (20, -5, 1))


@pytest.fixture(scope="module")
def walk(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A guest who walks towards the guard and past it, at 1.25 m/s."""
    folder = tmp_path_factory.mktemp("walk")
    meter = "\n[profiles.watcher.meter]\nfill_time = 2.0\n"
    return samples.write_sample(folder, track=WALK, profiles=samples.SAMPLE_PROFILES + meter)


def test_rows_are_what_the_variants_measure_alone(tmp_path: Path) -> None:
    # The busiest seconds of the night; whole nights are compared in the next test.
    night = snelk.load(NIGHT, overrides={"clock.start": 54.6, "clock.end": 56.0})
    vary = {
        "profiles.dog.cones.muzzle.range": (6.0, 20.0),
        "profiles.goose.cones.wide.range": (5.0, 12.0),
        "profiles.guardian.meter.fill_time": (0.5, 5.0),
        "profiles.farmer.movement.running": (1.4, 4.0),
        "profiles.dog.ladder.states.asleep.senses.hearing": (0.2, 1.0),
        "profiles.dog.ladder.states.sniffing.search.method": ["there", "nearby", "likelihood"],
        "seed": (0, 1000),
    }
    done = snelk.sweep(night, vary, samples=40, out=tmp_path / "a.parquet", jobs=1)
    assert done.table.seed.nunique() > 30
    for n in range(40):
        measured = judge_batch(night, variants=[done.overrides(n)])[0]
        row = done.table.iloc[n][measured.keys].to_numpy(dtype=np.float64)
        np.testing.assert_array_equal(row, measured.values[0], err_msg=str(n))


def test_who_only_runs_faster_in_a_variant_does_so_in_the_batch(tmp_path: Path) -> None:
    spot = scenes.feature("spot", "far", shapely.Point(40, 0))
    states = {"run": {"go": {"spot": "far"}, "pace": "running"}}
    scenario, walked = scenes.scene(tmp_path, spot, states=states, end=4.0), []
    paces = [{"profiles.watcher.movement.running": pace} for pace in (2.0, 3.5, 3.5, 1.0)]
    measured = judge_batch(scenario, variants=paces)[0]
    column = measured.values[:, measured.keys.index("guard.distance_walked")]
    for pace in paces:
        alone = judge_batch(scenario, variants=[pace])[0]
        walked.append(alone.values[0, alone.keys.index("guard.distance_walked")])
    assert column.tolist() == walked
    assert len({*walked}) == 3


def test_a_row_of_the_whole_night_is_that_of_the_picked_run(tmp_path: Path) -> None:
    out = tmp_path / "night.parquet"
    vary = {"profiles.dog.ladder.states.asleep.senses.hearing": [0.5, 0.8]}
    done = snelk.sweep(NIGHT, vary, out=out, keep=tmp_path / "kept", jobs=2)
    assert not list(tmp_path.glob(".*"))
    for n in (0, 1):
        run = done.pick(n)
        row = done.table.iloc[n]
        np.testing.assert_array_equal(run.measures.value, row[run.measures.key].astype(float))
        kept = snelk.open_run(tmp_path / "kept" / f"variant-{n:05d}")
        for name in ("sight", "states", "events", "measures"):
            assert kept.arrow(name).equals(run.arrow(name)), name
    assert done.table["expect.nobody-is-caught"].tolist() == [1, 0]
    with pytest.raises(snelk.InputError, match="must be 0 to 1"):
        done.pick(2)


def test_a_sweep_that_was_killed_goes_on_and_comes_to_the_same(walk: Path, tmp_path: Path) -> None:
    scenario = walk.parent / "slow.toml"
    scenario.write_text(walk.read_text().replace("dt = 0.5", "dt = 0.01"))
    options = ["--vary", f"{RANGE}=5:12:64", "--jobs", "1", "--out"]
    words = [sys.executable, "-m", "snelk", "sweep", scenario, *options]
    killed = subprocess.Popen([*words, tmp_path / "a.parquet"], stdout=subprocess.DEVNULL)
    parts = tmp_path / ".a.parquet.parts"
    while not list(parts.glob("0*.parquet")):
        assert killed.poll() is None
        time.sleep(0.01)
    killed.send_signal(signal.SIGKILL)
    killed.wait()
    kept = len(list(parts.glob("0*.parquet")))
    assert 1 <= kept < 3
    assert not (tmp_path / "a.parquet").exists()
    done_before = (parts / "00000000.parquet").stat().st_mtime_ns
    # Another sweep does not go on there.
    with pytest.raises(snelk.InputError, match="another sweep is unfinished there"):
        snelk.sweep(scenario, {RANGE: [3.0]}, out=tmp_path / "a.parquet")
    progress: list[int] = []
    vary = dict([parse_vary(f"{RANGE}=5:12:64")])
    again = snelk.sweep(
        scenario, vary, out=tmp_path / "a.parquet", jobs=1, progress=lambda n, _: progress.append(n)
    )
    assert progress[0] == kept * BATCH
    assert done_before > 0
    whole = snelk.sweep(scenario, vary, out=tmp_path / "b.parquet", jobs=2)
    pd.testing.assert_frame_equal(again.table, whole.table)
    # What is done is not done again.
    made = (tmp_path / "a.parquet").stat().st_mtime_ns
    snelk.sweep(scenario, vary, out=tmp_path / "a.parquet")
    assert (tmp_path / "a.parquet").stat().st_mtime_ns == made


def test_the_measures_of_a_walk_are_those_of_geometry(walk: Path, tmp_path: Path) -> None:
    ranges = [4.0, 7.0, 10.0]
    out = tmp_path / "walk.parquet"
    fov = "profiles.watcher.cones.front.fov_whole"
    done = snelk.sweep(walk, {RANGE: ranges, fov: [60, 90]}, out=out)
    assert done.table[RANGE].tolist() == [4, 4, 7, 7, 10, 10]
    for row in done.table.to_dict(orient="records"):
        # In view from sqrt(range² - 1) m before the guard on; the clock ticks every 0.5 s.
        t = (20 - math.sqrt(row[RANGE] ** 2 - 1)) / 1.25
        assert row["guard.guest.first_seen"] == math.ceil(t * 2) / 2
    best = {mover.number: mover for mover in movers(done)}
    assert best[RANGE].together == pytest.approx(-1.0) or best[RANGE].together == pytest.approx(1.0)


LOADED = snelk.load(NIGHT)


@settings(max_examples=12, deadline=None)
@given(
    counts=st.lists(st.integers(1, 4), min_size=1, max_size=3),
    seeds=st.integers(1, 3),
)
def test_a_grid_holds_every_combination_once(counts: list[int], seeds: int) -> None:
    keys = ["profiles.dog.hearing.acuity", "cast.dog.awake", "profiles.dog.cones.muzzle.range"]
    vary = {key: [0.5 + 0.1 * n for n in range(k)] for key, k in zip(keys, counts, strict=False)}
    plan = plan_of(LOADED, vary, seeds=seeds)
    rows = plan.overrides(range(plan.count))
    found = [tuple(row.values()) for row in rows]
    wanted = [(*each, 7 + n) for each in product(*vary.values()) for n in range(seeds)]
    np.testing.assert_allclose(found, wanted)
    assert all(list(row) == [*vary, "seed"] for row in rows)


def test_how_much_words_move_a_measure_is_the_share_of_its_variance_that_they_explain() -> None:
    words, values = np.array(["b", "a", "b", "c", "a", "b"]), np.array([1.0, 4, 2, 9, 4, 3])
    within = sum(((values[words == w] - values[words == w].mean()) ** 2).sum() for w in "abc")
    explained = 1.0 - within / ((values - values.mean()) ** 2).sum()
    plan = SimpleNamespace(axes=[SimpleNamespace(key="method")], seeds=[7])
    table = pd.DataFrame({"variant": range(6), "method": words, "found": values, "alike": 1.0})
    swept = SimpleNamespace(plan=plan, table=table, measures=["alike", "found"], keys=["method"])
    (mover,) = movers(swept)  # type: ignore[arg-type]
    assert (mover.number, mover.measure, mover.low, mover.high) == ("method", "found", 1.0, 9.0)
    assert 0.9 < explained < 1.0
    assert mover.together == pytest.approx(explained)


def test_samples_fill_the_limits_evenly() -> None:
    vary = {
        "profiles.dog.cones.muzzle.range": (6.0, 20.0),
        "profiles.dog.ladder.states.sniffing.search.points": (3, 6),
        "profiles.dog.ladder.states.sniffing.search.method": ["there", "nearby"],
    }
    plan = plan_of(LOADED, vary, samples=256)
    rows = pd.DataFrame(plan.overrides(range(256)))
    # Each sixteenth of an axis holds a sixteenth of the points, as no chance would have it.
    counts = np.histogram(rows.iloc[:, 0], bins=16, range=(6, 20))[0]
    np.testing.assert_array_equal(counts, 16)
    np.testing.assert_array_equal(np.sort(rows.iloc[:, 1].unique()), [3, 4, 5, 6])
    assert rows.iloc[:, 1].value_counts().tolist() == [64] * 4
    assert rows.iloc[:, 2].value_counts().tolist() == [128] * 2
    assert plan.overrides([200]) == plan.overrides(range(256))[200:201]


@given(
    st.lists(st.tuples(*[st.integers(0, 4)] * 3), min_size=1, max_size=30),
    st.tuples(*[st.booleans()] * 3),
)
def test_the_best_tradeoffs_are_those_that_nothing_beats(
    rows: list[tuple[int, ...]], high: tuple[bool, ...]
) -> None:
    values = np.array(rows, dtype=np.float64)
    values[values == 4] = np.nan

    def beats(a: np.ndarray, b: np.ndarray) -> bool:
        gain = np.where(high, a - b, b - a)
        return bool((gain >= 0).all() and (gain > 0).any())

    wanted = [
        n
        for n, row in enumerate(values)
        if not np.isnan(row).any() and not any(beats(other, row) for other in values)
    ]
    assert best_tradeoffs(values, high).tolist() == wanted


@pytest.mark.parametrize(
    ("words", "error"),
    [
        (["--vary", f"{RANGE}=5:12"], "a range without a number of values needs samples"),
        (["--vary", f"{RANGE}=5:12:1"], "must be LO:HI:N with N a whole number"),
        (["--vary", f"{RANGE}=nan:3:2"], "must be LO:HI:N"),
        (["--vary", RANGE], "must be KEY=LO:HI:N"),
        (["--vary", "profiles.watcher.cones.front.rnage=1,2"], 'did you mean "range"'),
        (["--vary", f"{RANGE}=-1,2"], "must be above 0 m"),
        (["--vary", "clock.dt=0.1,0.2"], "cannot be varied within a sweep"),
        (["--vary", f"{RANGE}=1:9:999999999"], "at most"),
        (["--vary", f"{RANGE}=1.5,1{'0' * 400}"], "is too large a number"),
        (["--vary", f"{RANGE}=1,two"], "must be all numbers or all text"),
        (["--vary", f"{RANGE}=1,2", "--out", "x.csv"], "unknown format"),
        (["--vary", f"{RANGE}=1,2", "--want", "length=lower"], "must be KEY=low or KEY=high"),
        (["--pick", "3", "--out", "none.parquet"], "no such file"),
        ([], "must be the path of a number"),
    ],
)
def test_mistakes_are_told_in_one_line(
    walk: Path, tmp_path: Path, words: list[str], error: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    with pytest.raises(snelk.InputError, match=error) as caught:
        app_for(["sweep"])(["sweep", str(walk), *words], standalone_mode=False)
    assert len(caught.value.problems) == 1
    assert list(tmp_path.iterdir()) == []


def test_the_commands_sweep_read_pick_and_draw(walk: Path, tmp_path: Path) -> None:
    options = ["--vary", f"{RANGE}=4:10:7", "--seeds", "2", "--out", "s.parquet"]
    said = command("sweep", walk, *options, cwd=tmp_path)
    assert "7 variants, each with 2 seeds" in said
    assert "4.0 to 10.0, 7 values (today 10.0)" in said
    assert all(len(line) <= 80 for line in said.split("Next")[0].splitlines())
    want = ["--want", "guard.guest.first_seen=high", "--want", "guard.guest.time_in_view=high"]
    data = json.loads(command("sweep", walk, *options, *want, "--json", cwd=tmp_path))
    assert [point["variant"] for point in data["points"]] == list(range(0, 14, 2))
    assert {point["variant"] for point in data["best"]} >= {0, 12}
    picked = command("sweep", walk, "--pick", "5", "--out", "s.parquet", cwd=tmp_path)
    assert f"{RANGE} = 6.0" in picked
    run = snelk.open_run(tmp_path / "runs" / "scene-5")
    assert run.info["overrides"] == {RANGE: 6.0, "seed": 1}
    command("plot", "sweep", "s.parquet", *want, cwd=tmp_path)
    assert (tmp_path / "s.png").stat().st_size > 10_000
    wrong = [*options, "--show", "guard.guest.first"]
    assert "did you mean" in command("sweep", walk, *wrong, cwd=tmp_path, code=2)
    # The scenario has changed since: the variant would not be the same.
    text = walk.read_text()
    walk.write_text(text.replace("dt = 0.5", "dt = 0.25"))
    said = command("sweep", walk, "--pick", "5", "--out", "s.parquet", cwd=tmp_path, code=2)
    walk.write_text(text)
    assert "was changed after the sweep; run the sweep again" in said
