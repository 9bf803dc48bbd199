"""Runs: the same tables always, alone and in a batch, written whole or not at all."""

from __future__ import annotations

import copy
import json
import os
import pickle
import shutil
import tomllib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import samples
import scenes
import shapely
import tomli_w
from hypothesis import given, settings
from hypothesis import strategies as st

import snelk
from snelk.body.seeker import notes_in_order
from snelk.engine.simulation import Simulation
from snelk.runs import arrow, store
from snelk.runs.store import TABLES, Draft

NIGHT = snelk.croft() / "night.toml"


def same_tables(a: snelk.Run, b: snelk.Run) -> bool:
    return all(a.arrow(name).equals(b.arrow(name)) for name in TABLES)


def test_a_run_repeats_itself_bit_for_bit(night: snelk.Run, tmp_path: Path) -> None:
    assert same_tables(night, snelk.run(NIGHT))
    folders = [tmp_path / "a", tmp_path / "b"]
    for folder in folders:
        snelk.run(NIGHT, out=folder)
    for name in sorted(path.name for path in folders[0].iterdir()):
        assert (folders[0] / name).read_bytes() == (folders[1] / name).read_bytes(), name


def without_ties(scenario: snelk.Scenario) -> dict[str, Any]:
    """Rings without holes: who is in the middle of one may go to any side."""
    return {
        f"profiles.{name}.ladder.states.{key}.roam.ring": [0.0, state.roam.ring[1]]
        for name, profile in scenario.setup.profiles.items()
        for key, state in (profile.ladder.states if profile.ladder else {}).items()
        if state.roam is not None and state.roam.ring is not None
    }


def test_a_flat_floor_below_everything_changes_nothing(tmp_path: Path) -> None:
    shutil.copytree(snelk.croft(), tmp_path / "meadow")
    level = tmp_path / "meadow" / "croft.geojson"
    document = json.loads(level.read_text())
    low_x, low_y, high_x, high_y = snelk.Level(snelk.load(NIGHT).level).bounds
    ground = shapely.box(low_x - 3.0, low_y - 3.0, high_x + 3.0, high_y + 3.0)
    document["features"].append(scenes.feature("floor", "meadow", ground, height=0.0))
    level.write_text(json.dumps(document))
    scenario = snelk.load(NIGHT)
    high = [name for name, member in scenario.setup.cast.items() if member.z]  # who would fall
    overrides = {"seed": 1, **without_ties(scenario), **{f"cast.{name}.z": 0.0 for name in high}}
    run, other = (
        snelk.run(path, overrides=overrides) for path in (NIGHT, tmp_path / "meadow" / "night.toml")
    )
    columns = ["t", "kind", "agent", "target"]
    pd.testing.assert_frame_equal(run.events[columns], other.events[columns])
    for table, told in (
        ("poses", ["x", "y", "z"]), ("sight", ["exposure", "light", "distance"]), ("meters", ["value"]),
        ("hearing", ["straight", "around", "through", "strength"]), ("beliefs", ["x", "y", "uncertainty"]),
        ("searches", ["x", "y", "walked"]),
    ):  # fmt: skip
        np.testing.assert_allclose(run.table(table)[told], other.table(table)[told], atol=1e-5)


@pytest.mark.parametrize("place", ["croft", "mill"])
def test_the_same_happens_wherever_the_level_lies_and_however_its_features_are_ordered(
    place: str, tmp_path: Path
) -> None:
    def moved(given: Any, key: str = "") -> Any:
        if isinstance(given, dict):
            found = {key: moved(value, key) for key, value in given.items()}
            if ("team" in given and "clue" not in given) or {"at", "t"} <= given.keys():
                found["z"] = given.get("z", 0.0) + by[2]
            return found
        if key == "at":
            return [given[0] + by[0], given[1] + by[1], *given[2:]]
        return [moved(each) for each in given] if isinstance(given, list) else given

    source, by = getattr(snelk, place)(), np.array([128.0, -64.0, 32.0])
    scenario = snelk.load(source / "night.toml")
    overrides = {"clock.end": 43.0, **without_ties(scenario)}
    run = snelk.run(scenario, overrides=overrides)
    shutil.copytree(source, tmp_path / "elsewhere")
    document = json.loads((source / f"{place}.geojson").read_text())
    kinds = [each["properties"]["kind"] for each in document["features"]]
    for each in document["features"]:
        shape = shapely.from_geojson(json.dumps(each["geometry"]))
        if each["properties"]["kind"] in ("spot", "route"):
            shape = shapely.force_3d(shape)
        away = shapely.affinity.translate(shape, *by)
        each["geometry"] = json.loads(shapely.to_geojson(away))
        if each["properties"]["kind"] == "wall":
            each["properties"].setdefault("base", 0.0)
        for key in {"base", "top", "height"} & each["properties"].keys():
            each["properties"][key] += by[2]
    # Floors and zones keep their order, which tells which of two counts.
    order = sorted(range(len(kinds)), key=lambda n: (kinds[n] in ("floor", "zone") and n, -n))
    document["features"] = [document["features"][n] for n in order]
    (tmp_path / "elsewhere" / f"{place}.geojson").write_text(json.dumps(document))
    for path in (tmp_path / "elsewhere").glob("*.csv"):
        frame = pd.read_csv(path)
        frame[["x", "y"]] += by[:2]
        if "id" not in frame:  # the height of a track is that of the cast
            frame["z"] = by[2]
        frame.to_csv(path, index=False)
    for path in (tmp_path / "elsewhere").glob("*.toml"):
        path.write_text(tomli_w.dumps(moved(tomllib.loads(path.read_text()))))
    other = snelk.run(tmp_path / "elsewhere" / "night.toml", overrides=overrides)
    columns = ["t", "kind", "agent", "target"]
    assert len(run.events) > 40
    pd.testing.assert_frame_equal(run.events[columns], other.events[columns])
    for table, axes in (
        ("poses", "xyz"),
        ("events", "xyz"),
        ("signals", ["goal_x", "goal_y", "goal_z"]),
    ):
        here, there = (each.table(table)[[*axes]].dropna() for each in (run, other))
        assert here.index.equals(there.index)
        np.testing.assert_allclose(there - here, np.tile(by, (len(here), 1)), atol=1e-9)
    for table, told in (
        ("meters", ["value"]), ("sight", ["exposure", "light"]), ("hearing", ["strength", "around"]),
    ):  # fmt: skip
        np.testing.assert_allclose(run.table(table)[told], other.table(table)[told], atol=1e-9)
    if place == "croft":
        asked = [each.why("hen-1", "fox", at=1.9).sense("hearing") for each in (run, other)]
        on_foot = [answer.gates[-1].value for answer in asked if answer is not None]
        assert on_foot == pytest.approx([37.254, 37.254], abs=1e-3)  # around walls, as high as they
        nights = source / "night.toml", tmp_path / "elsewhere" / "night.toml"
        here, there = (
            snelk.coverage(night, target="fox", cell=4.0, end=9.0, jobs=1) for night in nights
        )
        assert here.watched.mean() > 0.1
        assert (here.watched != there.watched).mean() < 1e-3  # rays along walls
        assert set(there.z) == {by[2]}


@pytest.mark.parametrize("by", [1000.3, 86_400.0])
def test_the_same_happens_whenever_the_night_begins(by: float, tmp_path: Path) -> None:
    """With all that is given for a time as much later; no last digit of a time decides."""
    scenario = snelk.load(NIGHT)
    exact = {  # else the place that is heard goes by the time
        f"profiles.{name}.hearing.place_error": 0.0
        for name, profile in scenario.setup.profiles.items()
        if profile.hearing is not None
    }
    overrides = {"expect": {}, "wish": {}, "fairness": {}, "seed": 7, **exact}
    run = snelk.run(NIGHT, overrides=overrides)
    shutil.copytree(NIGHT.parent, tmp_path / "later")
    for path in (tmp_path / "later").glob("*.csv"):
        frame = pd.read_csv(path)
        frame["t"] += by
        frame.to_csv(path, index=False)
    path = tmp_path / "later" / "night.toml"
    written = tomllib.loads(path.read_text())
    written["clock"].update(start=by, end=90.0 + by)
    for kind in ("noise", "throw", "change", "effect"):
        for each in written.get(kind, []):
            each["t"] += by
    path.write_text(tomli_w.dumps(written))
    other = snelk.run(path, overrides=overrides)
    columns = ["kind", "agent", "target"]
    pd.testing.assert_frame_equal(run.events[columns], other.events[columns])
    np.testing.assert_allclose(other.events.t - by, run.events.t, atol=1e-9)
    for table, told in (("poses", ["x", "y", "z"]), ("meters", ["value"]), ("beliefs", ["x", "y"])):
        np.testing.assert_allclose(run.table(table)[told], other.table(table)[told], atol=1e-9)


def test_rows_that_go_to_disk_as_they_come_are_those_of_memory(
    night: snelk.Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("snelk.runs.recorder.BLOCK", 97)
    monkeypatch.setattr("snelk.runs.store.GROUP", 1000)
    waiting: list[int] = []
    write = Draft._write

    def noted(draft: Draft, name: str, rows: pa.Table) -> None:
        waiting.append(rows.num_rows if name == "sight" else 0)
        write(draft, name, rows)

    monkeypatch.setattr(Draft, "_write", noted)
    streamed = snelk.run(NIGHT, out=tmp_path / "streamed")
    assert same_tables(night, streamed)
    # No more wait than a group and what a block of ticks adds; on disk they are in groups.
    assert 1000 <= max(waiting) < 1000 + 97 * 13
    for name in ("sight", "poses", "signals"):
        parts = list(streamed.parts(name))
        assert [len(part) for part in parts[:-1]] == [1000] * (len(parts) - 1)
        for column in parts[0]:
            whole = np.concatenate([part[column] for part in parts])
            assert np.array_equal(whole, night.rows(name)[column], equal_nan=whole.dtype != object)
    # And a run that is saved later is the same, byte by byte.
    night.save(tmp_path / "saved")
    for name in sorted(path.name for path in (tmp_path / "saved").iterdir()):
        pair = [(tmp_path / each / name).read_bytes() for each in ("saved", "streamed")]
        assert pair[0] == pair[1], name
    # It answers from what it wrote, also when somebody has put another run there.
    first, second = (
        snelk.run(NIGHT, overrides={"clock.end": end}, out=tmp_path / "short") for end in (1.0, 2.0)
    )
    assert (first.poses.t.max(), second.poses.t.max()) == (1.0, 2.0)
    # Another process can be handed it, and its rows.
    assert same_tables(first, pickle.loads(pickle.dumps(first)))
    rows = pickle.loads(pickle.dumps(first.rows("states").where(agent="dog")))
    assert copy.copy(rows.row(0)).state == "asleep"
    with pytest.raises(KeyError, match='did you mean "state"'):
        rows["stat"]
    with pytest.raises(AttributeError, match="no such column"):
        _ = rows.row(0).stat
    with pytest.raises(snelk.InputError, match="contains numbers, not text"):
        rows.where(t="calm")


def test_a_variant_is_the_same_in_a_batch_of_many_as_alone(night: snelk.Run) -> None:
    rng = np.random.default_rng(1)
    variants: list[dict[str, object]] = [{"clock.end": 12.0, "clock.start": 8.0}] * 25
    for n in range(25):
        variants[n] = {
            "clock.start": 37.6,
            "clock.end": 40.0,
            "profiles.goose.cones.wide.range": float(rng.uniform(4, 16)),
            "profiles.dog.cones.muzzle.fov_whole": float(rng.uniform(20, 200)),
            "bodies.fox.crouched": float(rng.uniform(0.1, 1.5)),
            "cast.dog.facing": float(rng.uniform(-180, 180)),
        }
        if n % 5 == 0:
            variants[n] |= {
                "profiles.dog.hearing.acuity": float(rng.uniform(0.5, 4)),
                "bodies.fox.steps.stride": float(rng.uniform(0.2, 1)),
                "grounds.gravel": float(rng.uniform(0.5, 4)),
                "profiles.goose.touch.radius": float(rng.uniform(0.2, 5)),
                "noise_kinds.honk.reach": float(rng.uniform(5, 50)),
            }
        if n % 3 == 0:
            extra = {"fov_whole": 360.0, "range": 3.0}
            variants[n]["profiles.dog.cones.nose"] = extra
    scenario = snelk.load(NIGHT)
    batch = snelk.run_batch(scenario, variants=variants)
    assert len({len(run.events) for run in batch}) > 5
    for n in (0, 1, 23):
        alone = snelk.run(scenario, overrides=variants[n])
        assert same_tables(batch[n], alone), n
        assert batch[n].info == alone.info


def test_a_variant_that_ends_early_is_cut_there_as_it_is_alone() -> None:
    scenario = snelk.load(NIGHT, overrides={"clock.end": 40.0})
    keen = {"profiles.dog.ladder.states.asleep.senses.hearing": 0.8}
    night, short = snelk.run_batch(scenario, variants=[{}, keen])
    assert (night.info["ended_by_catch"], short.info["ended_by_catch"]) == (False, True)
    assert short.times[-1] < 40.0 == night.times[-1]
    assert short.poses.t.max() == short.events.t.max() == short.times[-1]
    assert same_tables(short, snelk.run(scenario, overrides=keen))
    assert same_tables(night, snelk.run(scenario))


def test_a_run_survives_the_way_through_a_folder(night: snelk.Run, tmp_path: Path) -> None:
    saved = night.save(tmp_path / "night")
    opened = snelk.open_run(tmp_path / "night")
    assert same_tables(night, opened)
    assert opened.info == night.info == saved.info
    assert opened.setup == night.setup
    assert opened.level.data.to_geojson() == night.level.data.to_geojson()
    assert opened.why("gander", "fox", at=36.9) == night.why("gander", "fox", at=36.9)
    assert opened.why_state("dog", at=57.6) == night.why_state("dog", at=57.6)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["night"]


def test_blocks_of_ticks_join_without_a_seam(
    monkeypatch: pytest.MonkeyPatch, night: snelk.Run
) -> None:
    monkeypatch.setattr("snelk.runs.recorder.BLOCK", 7)
    assert same_tables(night, snelk.run(NIGHT))


def test_every_check_has_exactly_one_row_and_result(night: snelk.Run) -> None:
    sight = night.sight
    assert not sight.duplicated(["t", "agent", "target", "cone"]).any()
    cones = {agent: len(night.setup.profile_of(agent).cones) for agent in night.agents}
    # Geese and hens look at every other of the 901 ticks, some of them out of step with the
    # first, at which all look; the others at each.
    birds = [a for a in night.agents if night.setup.profile_of(a).look_every == 0.2]
    assert len(birds) == 6
    counts = sight.agent.value_counts()
    assert counts[counts > 0].to_dict() == {
        agent: pytest.approx((451 if agent in birds else 901) * cones[agent] * noticed, abs=11)
        for agent in cones
        if cones[agent] and (noticed := _noticed_by(night, agent))
    }
    first = sight.groupby("agent", observed=True).t.agg(["min", lambda t: np.unique(t)[1]])
    assert (first["min"] == 0.0).all()
    out_of_step = [int(night.agents.index(bird)) % 2 for bird in birds]
    assert first.iloc[:, 1][birds].tolist() == pytest.approx([0.2 - 0.1 * n for n in out_of_step])
    assert sight.result.notna().all()
    assert (sight.in_view == (sight.result == "in_view")).all()
    passed = sight.result.cat.codes.replace(0, 99)
    margins = {
        4: "distance_margin",
        5: "off_margin_deg",
        6: "elevation_margin_deg",
        7: "light_margin",
        8: "exposure_margin",
    }
    for gate, column in margins.items():
        margin = sight[column]
        assert (margin[passed == gate] <= 1e-9).all()
        assert (margin[passed > gate] >= -1e-9).all()
    assert (sight.exposure.notna() | (sight.result != "line_of_sight")).all()


def _noticed_by(run: snelk.Run, agent: str) -> int:
    """How many characters an agent could ever notice."""
    profile = run.setup.profile_of(agent)
    others = [member.team for name, member in run.setup.cast.items() if name != agent]
    return sum(profile.ever_notices(team) for team in others)


def test_events_are_what_the_table_implies(night: snelk.Run) -> None:
    seen = night.sight.groupby(["agent", "target", "t"], observed=True).in_view.any()
    for (agent, target), rows in seen.groupby(level=[0, 1], observed=True):
        flips = np.diff(rows.to_numpy().astype(int), prepend=0)
        events = night.events[(night.events.agent == agent) & (night.events.target == target)]
        times = rows.index.get_level_values("t")
        assert list(events[events.kind == "saw"].t) == list(times[flips == 1])
        assert list(events[events.kind == "lost"].t) == list(times[flips == -1])
    assert night.events.t.is_monotonic_increasing
    told = list(night.events.text)
    assert "gander saw fox (wide cone, 9.6 m, 124° off)" in told
    assert "goose-1 lost fox: behind hay-3" in told
    assert "bell: fox entered coop doorstep" in told


def test_noises_are_kept_within_the_time_of_the_run(night: snelk.Run) -> None:
    named = night.noises[night.noises.kind != "step"]
    kinds = ["chain", "hoot", "pebble", "door", "cluck", "honk", "latch"]
    assert list(named.kind) == kinds
    assert night.noises.t.is_monotonic_increasing
    assert list(night.noises.noise) == list(range(len(night.noises)))
    assert snelk.run(NIGHT, overrides={"clock.end": 45.0}).noises.t.max() <= 45.0


def test_a_place_that_is_taken_is_left_alone(night: snelk.Run, tmp_path: Path) -> None:
    (tmp_path / "notes.txt").write_text("mine")
    with pytest.raises(snelk.InputError, match="exists and is not a run"):
        night.save(tmp_path)
    with pytest.raises(snelk.InputError, match="is a file, not a folder"):
        night.save(tmp_path / "notes.txt")
    assert (tmp_path / "notes.txt").read_text() == "mine"


def test_a_write_that_fails_leaves_the_run_before(
    night: snelk.Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    night.save(tmp_path / "night")
    before = (tmp_path / "night" / "sight.parquet").read_bytes()

    def full(*_: object, **__: object) -> None:
        raise OSError(28, os.strerror(28))

    monkeypatch.setattr(pq.ParquetWriter, "write_table", full)
    with pytest.raises(snelk.InputError, match="cannot be written: No space left on device"):
        night.save(tmp_path / "night")
    with pytest.raises(snelk.InputError, match="cannot be written: No space left on device"):
        snelk.run(NIGHT, overrides={"clock.end": 1.0}, out=tmp_path / "night")
    assert (tmp_path / "night" / "sight.parquet").read_bytes() == before
    assert [p.name for p in tmp_path.iterdir()] == ["night"]


@pytest.mark.parametrize(
    ("damage", "message"),
    [
        (lambda run: (run / "run.json").unlink(), "is not a run folder"),
        (lambda run: (run / "run.json").write_text("{"), "changed after Snelk wrote it"),
        (lambda run: (run / "run.json").write_text('{"format": 99}'), "was written in format 99"),
        (lambda run: (run / "events.parquet").write_bytes(b"PAR1"), "changed after Snelk wrote it"),
        (
            lambda run: (run / "events.parquet").unlink(),
            "is missing, or was changed after Snelk wrote it",
        ),
    ],
)
def test_damaged_runs_are_told(
    night: snelk.Run, tmp_path: Path, damage: object, message: str
) -> None:
    assert callable(damage)
    night.save(tmp_path / "night")
    damage(tmp_path / "night")
    with pytest.raises(snelk.InputError, match=message):
        _ = snelk.open_run(tmp_path / "night").events


@given(st.lists(st.tuples(st.floats(-20, 20), st.floats(-20, 20)), min_size=2, max_size=6))
@settings(max_examples=15, deadline=None)
def test_poses_follow_the_track(
    tmp_path_factory: pytest.TempPathFactory, points: list[tuple[float, float]]
) -> None:
    track = samples.track_of(*((n * 0.7, x, y) for n, (x, y) in enumerate(points)))
    run = snelk.run(samples.write_sample(tmp_path_factory.mktemp("poses"), track=track))
    poses = run.poses[run.poses.id == "guest"]
    recorded = pd.read_csv(pd.io.common.StringIO(track))
    for column in ("x", "y"):
        expected = np.interp(poses.t, recorded.t, recorded[column])
        np.testing.assert_allclose(poses[column][poses.present], expected[poses.present], atol=1e-9)


def test_variants_of_a_batch_must_fit_together() -> None:
    scenario = snelk.load(NIGHT)
    with pytest.raises(snelk.InputError, match=r"variants: \[1\]: .* the same clock"):
        snelk.run_batch(scenario, variants=[{}, {"clock.dt": 0.2}])
    with pytest.raises(snelk.InputError, match="at least one variant"):
        snelk.run_batch(scenario, variants=[])


def test_run_json_tells_how_the_run_was_made(tmp_path: Path) -> None:
    key = "profiles.goose.cones.wide.range"
    snelk.run(NIGHT, overrides={key: 12}, out=tmp_path / "wider")
    info = json.loads((tmp_path / "wider" / "run.json").read_text())
    assert info["overrides"] == {key: 12}
    assert info["setup"]["profiles"]["goose"]["cones"]["wide"]["range"] == 12
    assert info["seed"] == 7
    assert info["rows"]["sight"] == len(snelk.open_run(tmp_path / "wider").sight)
    assert {"numpy", "shapely", "python"} <= info["libraries"].keys()


def test_kinds_of_noise_of_other_variants_are_no_matter() -> None:
    """Also those that a change of state makes in one of them, before any other noise."""
    scenario = snelk.load(NIGHT, overrides={"clock.end": 6.0, "noise_kinds.cry": {"reach": 9.0}})
    cries = {"profiles.owl.ladder.states.watching.then": {"noise": "cry"}}
    listed = {"noise": [{"t": 1.0, "kind": "bang", "reach": 50, "at": [30, 20]}]}
    together = snelk.run_batch(scenario, variants=[listed, cries, {}])
    for changes, run in zip((listed, cries, {}), together, strict=True):
        assert same_tables(run, snelk.run(scenario.changed(changes)))
    assert "cry" in set(together[1].noises.kind)


def test_threads_that_replay_at_once_do_not_disturb_one_another() -> None:
    """Each thread has another seed, so that numbers drawn by one and used by another would show."""

    # They share its level.
    night = snelk.load(snelk.croft() / "night.toml", overrides={"clock.end": 15.0})

    def replay(seed: int) -> pa.Table:
        return snelk.run(night.changed({"seed": seed})).arrow("events")

    seeds = [3, 4, 5]
    with ThreadPoolExecutor(3) as threads:
        together = list(threads.map(replay, seeds))
    for seed, events in zip(seeds, together, strict=True):
        assert events.equals(replay(seed))


def test_tables_of_a_run_just_written_stay_whatever_becomes_of_its_folder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    over, folder = {"clock.end": 3.0}, tmp_path / "night"
    kept = snelk.run(snelk.croft() / "night.toml", overrides=over)
    for held in (0, store.HELD):  # on disk as files that stay open, and in memory
        monkeypatch.setattr(store, "HELD", held)
        here = snelk.run(snelk.croft() / "night.toml", overrides=over, out=folder)
        shutil.rmtree(folder)
        for name in TABLES:
            assert here.arrow(name).equals(kept.arrow(name)), name


def test_many_ticks_at_once_come_to_what_one_after_the_other_does() -> None:
    """Also when loops are called again in the middle, and after somebody has spoken up."""
    variants = [{"seed": n, "clock.end": 60.0} for n in range(3)]
    one, many = (Simulation(snelk.croft() / "night.toml", variants=variants) for _ in range(2))
    one.maker.give("bell", (30.0, 20.0, 0.0), 40.0, None)
    many.maker.give("bell", (30.0, 20.0, 0.0), 40.0, None)
    chosen = np.array([2, 0])
    kept = [many.copies.of(many.sight.failed), many.copies.of(many.meters.value, chosen)]
    even, odd = many.poses_of_ticks
    kept.append(many.copies.of(even.x, ticks=0))
    many.copies.into(kept[-1], odd.x, ticks=1)
    noises_of = many.copies.of_table(lambda: many.maker.noises.rows, many.maker.noises.held)
    heard_of = many.copies.of_table(lambda: many.listening.heard.rows, many.listening.heard.held)
    notes_of, notes = many.copies.of_table(*many.world.thinking.seeker.noted), list[Any]()
    happened: tuple[list[Any], list[Any]] = ([], [])
    many.before_forgetting = lambda t: happened[1].extend((t, h) for h in many.world.happenings)
    each: list[Any] = []
    rows: tuple[list[Any], list[Any]] = ([], [])
    for until in (1, 2, 333, 10_000):
        while not one.done and one.tick < until:
            t = one.step()
            now = one.sight.failed, one.meters.value[chosen], one.poses.x
            each.append([values.copy() for values in now])
            for of_all, of_tick in zip(rows, (one.noises, one.heard), strict=True):
                of_all += [(one.tick - 1, *row) for row in zip(*of_tick, strict=True)]
            happened[0].extend((t, h) for h in one.world.happenings)
            notes += one.world.notes
        many.advance(until)
        assert one.tick == many.tick == min(until, len(one.times))
        for found in ("poses", "sight", "contacts", "meters", "beliefs"):
            for mine, theirs in zip(getattr(one, found), getattr(many, found), strict=True):
                np.testing.assert_array_equal(mine, theirs)
        assert one.world.taken == many.world.taken
        assert one.world.happenings == many.world.happenings
        assert one.world.notes == many.world.notes
        assert one.told == many.told
        np.testing.assert_array_equal(one.noises.t, many.noises.t)
    assert many.done
    # What is copied of every tick is what was there after it.
    for copied, values in zip(kept, zip(*each, strict=True), strict=True):
        np.testing.assert_array_equal(copied, np.array(values))
    assert happened[1] == happened[0][: len(happened[1])] != []
    assert str(notes_in_order(*notes_of())) == str(notes)
    assert len(notes) > 50
    for found_of, of_all in zip((noises_of, heard_of), rows, strict=True):
        ticks, columns = found_of()
        assert len(ticks) == len(of_all) > 500
        assert str([*zip(ticks.tolist(), *columns, strict=True)]) == str(of_all)


def test_searches_are_the_same_whether_it_is_kept_where_targets_may_be_or_not() -> None:
    """What is kept once a second needs Python; without it, searches stay in loops."""
    search = "profiles.farmer.ladder.states.searching.search"
    variants = [{"seed": n, f"{search}.give_up": 30.0 + 10 * n} for n in range(8)]
    found = []
    for logged in (True, False):
        night = Simulation(snelk.croft() / "night.toml", variants=variants, logged=logged)
        notes_of = night.copies.of_table(*night.world.thinking.seeker.noted)
        night.advance(len(night.times))
        notes = notes_in_order(*notes_of())
        assert {"planned", "visited", "moved", "ended"} <= {note.what for note in notes}
        points: dict[tuple[int, ...], list[int]] = {}
        for note in notes:
            if note.method == "likelihood" and note.what in ("moved", "visited", "unreachable"):
                of_search = points.setdefault((note.variant, note.agent, note.search), [])
                of_search[:] = [] if note.what == "moved" else [*of_search, note.point]
        assert all(order == [*range(len(order))] for order in points.values())
        assert max(map(len, points.values())) > 2
        found.append(str((notes, [values.tolist() for values in night.poses])))
    assert found[0] == found[1]


@given(
    st.lists(st.one_of(st.none(), st.text(max_size=5)), max_size=20),
    st.lists(st.one_of(st.none(), st.floats(allow_nan=False)), max_size=20),
    st.lists(st.booleans(), max_size=20),
)
def test_arrays_are_those_that_arrow_makes_itself(
    words: list[str | None], values: list[float | None], truths: list[bool]
) -> None:
    made = arrow.texts_of(words)
    made.validate(full=True)
    assert made.equals(pa.array(words, pa.string()))
    nothing = np.array([value is None for value in values], dtype=np.bool_)
    given = np.array([value or 0.0 for value in values])
    assert arrow.array_of(given, nothing).equals(pa.array(values, pa.float64()))
    assert arrow.array_of(np.array(truths, dtype=np.bool_)).equals(pa.array(truths, pa.bool_()))
    with pytest.MonkeyPatch.context() as patched:  # more text than fits in one array
        patched.setattr(arrow, "MOST_BYTES", 3)
        assert arrow.texts_of(words).equals(made)
