"""What a workbench tries, told by itself: places, nights, searches; without a page."""

from __future__ import annotations

import asyncio
import json
import math
import os
import random
import re
import shutil
import time
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import snelk
from snelk.config.corners import corners_of, with_corners, with_corners_in
from snelk.config.geojson import level_from
from snelk.serving.helper import Helper
from snelk.serving.nights import bench_of
from snelk.serving.workbench import Bench
from snelk.tuning.here import Here
from snelk.tuning.turning import turnings
from snelk.tuning.workbench import Workbench

NIGHTS = [snelk.croft() / "night.toml", snelk.mill() / "night.toml"]
ACUITY = "profiles.dog.hearing.acuity"


def copied(night: Path, folder: Path) -> Path:
    shutil.copytree(night.parent, folder, ignore=shutil.ignore_patterns("*.py", "__pycache__"))
    return folder / night.name


@pytest.mark.parametrize("night", NIGHTS)
def test_a_corner_that_is_moved_is_moved_in_the_file_and_nothing_else(night: Path) -> None:
    level, rnd = snelk.load(night).level, random.Random(5)
    text = Path(level.source).read_text()
    for corner, (x, y), _ in corners_of(level):
        place = {corner: (round(x + rnd.uniform(-0.2, 0.2), 3), round(y + 0.1, 3))}
        moved, written = with_corners(level, place), with_corners_in(text, place)
        again = level_from(json.loads(written), source=level.source, folder=night.parent)
        assert again.to_geojson() == moved.to_geojson() != level.to_geojson(), corner
        assert [c for c, at, _ in corners_of(moved) if at == place[corner]] == [corner]
        others = zip(text.splitlines(), written.splitlines(), strict=True)
        assert 1 <= sum(one != other for one, other in others) <= 2
    corners = {c: at for c, at, closed in corners_of(level) if closed}
    last = next(c for c in corners if c.kind == "wall" and c.number == 3)
    one, two = last._replace(number=1), last._replace(number=2)
    with pytest.raises(snelk.InputError, match="not a valid polygon"):
        with_corners(level, {one: corners[two], two: corners[one]})
    with pytest.raises(snelk.InputError, match="has corners 0 to"):
        with_corners(level, {last._replace(number=99): (0.0, 0.0)})


GUARD = """
level = "level.geojson"
[clock]
end = 20.0
[bodies.man]
standing = 1.8
[profiles.guard]
body = "man"
notices = ["thieves"]
cones.front = { range = 10.0, fov_whole = 90.0, min_exposure = 0.5 }
meter = { fill_time = 2.0, distance = [[0.0, 1.0], [1.0, 0.5]] }
[profiles.dog]
body = "man"
notices = ["thieves"]
touch = { radius = 3.0 }
[cast.guard]
team = "guards"
profile = "guard"
at = [0.0, 0.0]
[cast.dog]
team = "guards"
profile = "dog"
at = [0.0, 6.0]
[cast.thief]
team = "thieves"
body = "man"
at = [-50.0, -50.0]
"""
SCREEN = {"type": "FeatureCollection", "features": [
    {"type": "Feature", "properties": {"kind": "wall", "name": "screen", "top": 3.0},
     "geometry": {"type": "LineString", "coordinates": [[4.0, -3.0], [4.0, -1.0]]}},
    {"type": "Feature", "properties": {"kind": "wall", "name": "sill", "top": 1.3},
     "geometry": {"type": "LineString", "coordinates": [[3.0, 1.0], [3.0, 3.0]]}},
    {"type": "Feature", "properties": {"kind": "zone", "name": "all"},
     "geometry": {"type": "Polygon",
                  "coordinates": [[[-60, -60], [60, -60], [60, 60], [-60, 60], [-60, -60]]]}},
]}  # fmt: skip


def test_a_stand_in_is_noticed_as_the_closed_form_says(tmp_path: Path) -> None:
    path = tmp_path / "guard.toml"
    path.write_text(GUARD)
    (tmp_path / "level.geojson").write_text(json.dumps(SCREEN))
    here = Here(snelk.load(path))
    for place, gate, exposure, after in (
        ((5.0, 0.0), "in_view", 1.0, 2.0 / 0.75),
        ((9.0, 0.0), "in_view", 1.0, 2.0 / 0.55),
        ((8.0, -4.0), "line_of_sight", 0.0, None),
        ((6.0, 4.0), "line_of_sight", 0.25, None),  # its head alone, which is not enough
        ((1.0, 4.0), "angle", None, None),
        ((11.0, 0.0), "range", None, None),
    ):
        guard, dog = here.at("thief", 3.0, place)
        assert (guard.agent, guard.gate, dog.gate) == ("guard", gate, ""), place
        assert guard.distance == pytest.approx(math.hypot(*place, 1.62 - 0.9)), place
        assert exposure is None or guard.exposure == exposure, place
        near = np.hypot(place[0], place[1] - 6.0) <= 3.0
        assert (dog.felt, dog.after) == ((True, 0.0) if near else (False, None)), place
        distance = guard.distance / 10.0
        wanted = None if after is None else 2.0 / (1.0 - 0.5 * distance)
        assert (guard.after is None) == (wanted is None), place
        assert wanted is None or guard.after == pytest.approx(wanted, abs=0.1), place
        some = np.array([[*place, 0.0], [0.0, 7.0, 0.0], [-30.0, 0.0, 0.0]])
        shade = here.shade("thief", 3.0, some)
        soonest = min((each.after for each in (guard, dog) if each.after is not None), default=None)
        assert np.nan_to_num(shade.after[0], nan=-1.0) == (-1.0 if soonest is None else soonest)
        assert shade.after[1:].tolist() == [0.0, pytest.approx(np.nan, nan_ok=True)]
        assert shade.exposure[0] == (1.0 if gate == "in_view" else 0.0)
    assert here.at("guard", 3.0, (1.0, 1.0)) == []
    for name, t, x in (("nobody", 3.0, 0.0), ("thief", 30.0, 0.0), ("thief", -1.0, 0.0),
                       ("thief", 3.0, math.inf), ("thief", 3.0, math.nan)):  # fmt: skip
        with pytest.raises(snelk.InputError):
            here.at(name, t, (x, 0.0))


def test_a_stand_in_is_sensed_as_somebody_who_stands_there() -> None:
    """The bell, which nobody goes to: in a run it stands there from the beginning."""
    night, rnd = snelk.load(NIGHTS[0]), random.Random(4)
    here, seen = Here(night), 0
    poses = snelk.run(night).poses
    fox = poses[poses.id == "fox"].set_index("t")
    for _ in range(4):
        near = fox.loc[rnd.choice([31.7, 52.3])]
        place = tuple(round(float(near[axis]) + rnd.uniform(-5, 5), 2) for axis in "xy")
        run = snelk.run(night.changed({"cast.bell.at": [*place], "cast.bell.z": 0.0}))
        sight = run.sight[run.sight.target == "bell"]
        for t in (0.0, 31.7, 40.5, 52.3, 58.0):
            for each in here.at("bell", t, place):
                if each.agent not in night.tracks:  # who would react
                    continue
                rows = sight[(sight.agent == each.agent) & (sight.t <= t + 1e-9)]
                now = rows[rows.t == rows.t.max()]
                before = rows[rows.t < rows.t.max()]
                told = now[now.cone == each.cone].iloc[0]
                held = before[before.t == before.t.max()].in_view.any()
                if held and told.in_view and each.gate != "in_view":
                    continue  # other limits hold there
                assert each.gate == told.result, (place, t, each)
                seen += each.gate == "in_view"
                if each.gate in ("in_view", "line_of_sight"):
                    assert each.exposure == pytest.approx(told.exposure)
    assert seen > 2


CHANGES: dict[str, dict[str, Any]] = {
    "croft": {
        "+noise": [{"t": 20.0, "kind": "pebble", "at": [22.0, 27.0]}],
        "cast.bell.at": [44.0, 24.0],
        "level.wall.hay-3.0": [34.5, 20.5],
        "level.spot.wood.0": [15.0, 5.0],
        "profiles.owl.meter.distance": [[0.2, 1.0], [0.8, 0.4]],
        "profiles.goose.ladder.transitions.something-stirs.when": "meter > 0.3 or heard",
        "profiles.goose.cones.wide.range": 7,
    },
    "mill": {
        "+noise": [{"t": 5.0, "kind": "squeak", "at": [4.0, 3.0]}],
        "+change": [{"t": 6.5, "of": "pantry-door", "to": "open"}],
        "cast.cat.at": [2.6, 1.6],
    },
}  # fmt: skip


@pytest.mark.parametrize("night", NIGHTS)
def test_what_is_tried_is_what_is_written(night: Path, tmp_path: Path) -> None:
    path = copied(night, tmp_path / "copy")
    half = re.sub(r"(?m)^end = .*$", "end = 45.0", path.read_text())
    path.write_text(half.partition("[expect.")[0])
    bench = Workbench(path)
    changes = dict(CHANGES["croft" if "croft" in str(night.parent) else "mill"])
    setup = bench.scenario.setup
    changes["+noise"] = [{**changes["+noise"][0], "kind": next(iter(setup.noise_kinds))}]
    if "+change" in changes:
        changes["+change"] = [{**changes["+change"][0], "of": next(iter(setup.doors))}]
    else:
        corners = {c.name: c for c, _, _ in corners_of(bench.scenario.level) if c.kind == "spot"}
        changes[f"level.spot.{next(iter(corners))}.0"] = changes.pop("level.spot.wood.0")
    changes["+noise"] = [*changes["+noise"], {**changes["+noise"][0], "t": 21.0}]
    handle = next(each for each in bench.handles() if each.kind == "wall")
    for x in (handle.x + 0.1, handle.x + 0.2):  # of two levels tried the second is not the first
        tried_level = bench.tried({handle.key: [x, handle.y]}).level
        assert next(at for c, at, _ in corners_of(tried_level) if c.name == handle.name)[0] == x
    known = {each.key for each in bench.handles()}
    assert {key for key in changes if key.startswith("level.")} <= known
    tried = snelk.run(bench.tried(changes))
    parted = snelk.compare(bench.today, tried).first_differences
    assert parted
    trial = bench.whole(changes)
    assert trial.run.events.text.tolist() == tried.events.text.tolist()
    back = bench.whole({}, changes)  # the other way round
    assert [each.t for each in back.comparison.first_differences] == [each.t for each in parted]
    before = {each: each.read_text() for each in path.parent.iterdir() if each.is_file()}
    files = bench.rewritten(changes)
    assert {each: each.read_text() for each in before} == before
    assert bench.write(changes) == [each.path for each in files]
    for each in files:  # all that was not changed stands as it stood
        kept = [line for line in each.before.splitlines() if line.startswith("#")]
        assert [line for line in each.path.read_text().splitlines() if line[:1] == "#"] == kept
    read = snelk.run(path)
    for name in ("events", "poses", "noises", "turns"):
        assert read.arrow(name).equals(tried.arrow(name)), name
    for wrong in (
        {"+noise": [{"t": 1.0}]}, {"+effect": []}, {"level.wall.nothing.0": [0, 0]},
        {"cast.bell.at": [1.0]}, {"level.wall.hay-3.x": [0, 0]}, {"+change": "open"},
        {"profiles.goose.ladder.transitions.something-stirs.when": "metre > 0.3"},
    ):  # fmt: skip
        with pytest.raises(snelk.InputError):
            bench.tried(wrong)


def test_the_grid_of_places_is_that_of_the_floor_that_is_shown_or_the_highest() -> None:
    here, level = Here(snelk.load(NIGHTS[1])), snelk.Level(snelk.load(NIGHTS[1]).level)
    near, every = (3.0, 2.0), []
    for n, floor in enumerate(level.floor_names):
        places = here.grid(near, floor)
        assert (level.floors_at(places) == n).all()
        every.append(places)
    assert sum(len(places) > 0 for places in every) >= 3
    top = {}
    for x, y, z in np.concatenate(every).tolist():
        top[x, y] = max(z, top.get((x, y), -np.inf))
    shown = here.grid(near)
    assert {(x, y): z for x, y, z in shown.tolist()} == top
    assert len(shown) == len(top)
    assert (np.diff(np.hypot(*(shown[:, :2] - near).T)) >= 0).all()


def test_smallest_changes_turn_the_answer() -> None:
    bench, turned = Workbench(NIGHTS[0]), 0
    for agent, target, t in (("scarecrow", "fox", 20.0), ("owl", "fox", 0.5), ("dog", "fox", 30.0)):
        was = bench.today.why(agent, target, at=t)
        for each in bench.smallest({}, agent, target, t):
            if each.sense != "sight":
                continue
            run = bench.night(each.changes)[0]
            assert run.why(agent, target, at=t).in_view != was.in_view, each
            turned += 1
    assert turned >= 2


def test_the_number_that_kept_a_state_turns_it(night: snelk.Run) -> None:
    taken = 0
    for agent, t in (("farmer", 40.0), ("gander", 63.0), ("farmer", 63.0), ("goose-1", 34.0)):
        before = night.rows("states").where(agent=agent)
        for each in turnings(night, agent, t):
            run = snelk.run(NIGHTS[0], overrides={each.key: each.value})
            to = each.text.split(" → ")[1].split(" if ")[0]
            entered = run.states[(run.states.agent == agent) & (run.states.state == to)].t
            earlier = [time for time in entered if time <= t + 0.15]
            assert len(earlier) > sum(
                state == to and time <= t + 0.15
                for state, time in zip(before["state"], before["t"], strict=True)
            ), each
            taken += 1
    assert taken >= 3
    assert turnings(night, "farmer", 40.0)[0].value == "state_for > 39.99 s"
    sizes = [turnings(night, *at)[0].size for at in (("farmer", 40.0), ("gander", 63.0))]
    assert sizes == pytest.approx([(46 - 39.99) / 46, (11.46 - 6) / 6])
    held = 0
    for agent in ("scarecrow", "dog", "farmer", "hen-1"):
        ladder = night.setup.profile_of(agent).ladder
        assert ladder is not None
        for t in night.times[::38].tolist():
            found, now = turnings(night, agent, t), night.why_state(agent, at=t)
            if 0.0 < t - now.since < ladder.states[now.state].least - 0.11:  # it cannot leave yet
                held += 1
                assert found == []
    assert held > 2
    # Where it has to be true for a while as well one number is not enough.
    also = {"profiles.farmer.ladder.transitions.evening-round.for": 0.5, "clock.end": 41.0}
    both = snelk.run(NIGHTS[0], overrides={**also, "expect": {}})
    assert "evening-round" not in str(turnings(both, "farmer", 40.0))
    sooner = next(each for each in turnings(night, "scarecrow", 38.5) if "true for" in each.text)
    assert sooner.key.endswith("transitions.stirs.for")
    assert sooner.value == pytest.approx(0.8, abs=0.011)
    assert sooner.size == pytest.approx((1.0 - sooner.value) / 1.0)


def test_of_a_long_night_it_is_shown_first_what_is_around_the_moment(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    for long, told in ((100, [231, 901]), (901, [901])):
        monkeypatch.setattr("snelk.serving.workbench.LONG", long)
        bench = Bench(Workbench(NIGHTS[0]))
        asked = {"changes": {ACUITY: 1.0}, "t": 20.0, "agent": "dog"}
        parts = list(bench.glances(asked))
        assert [each["facts"]["ticks"] for each in parts] == told
        assert [each["more"] for each in parts] == [True, False][-len(told) :]


def test_a_sweep_and_a_fit_are_what_the_library_finds(tmp_path: Path) -> None:
    bench, told = Workbench(NIGHTS[0]), list[tuple[int, int]]()
    found = bench.swept({"light": 0.3}, {ACUITY: [0.6, 1.8]}, lambda *each: told.append(each))
    assert told[-1] == (2, 2)
    night = snelk.load(NIGHTS[0], overrides={"light": 0.3})
    swept = snelk.sweep(night, {ACUITY: [0.6, 1.8]}, out=tmp_path / "s.parquet", jobs=1)
    assert len(found["rows"]) == 2
    for n, row in enumerate(found["rows"]):
        assert row["changes"] == {"light": 0.3, ACUITY: [0.6, 1.8][n]}
        columns = {each["key"]: value for each, value in zip(
            found["measures"], row["values"], strict=True)}  # fmt: skip
        assert columns
        for key, value in columns.items():
            wanted = float(swept.table[key][n])
            assert (value is None and np.isnan(wanted)) or value == wanted, key
        unmet = [name for name in night.setup.expect if swept.table[f"expect.{name}"][n] == 0]
        assert row["unmet"] == unmet
    wish = {"measure": "owl.fox.first_full", "toward": 3.5, "within": 0.05}
    short = Workbench(NIGHTS[0], {"clock.end": 8.0, "expect": {}, "wish": {}})
    fitted = short.fitted({}, {"profiles.owl.meter.fill_time": [0.5, 4.0]}, wish, 400)
    assert fitted["met"]
    reached = snelk.run(short.tried(fitted["changes"])).measures.set_index("key").value
    assert reached["owl.fox.first_full"] == pytest.approx(3.5, abs=0.05 + 1e-9)
    with pytest.raises(snelk.InputError, match="more than 400"):
        bench.swept({}, {ACUITY: [n / 1000 for n in range(1, 402)]})


def test_results_show_themselves_in_a_notebook(night: snelk.Run, tmp_path: Path) -> None:
    other = snelk.run(NIGHTS[0], overrides={ACUITY: 3.0, "clock.end": 30.0})
    swept = snelk.sweep(NIGHTS[0], {ACUITY: [1.0, 3.0]}, out=tmp_path / "a<b.parquet")
    two = [name for name in swept.measures if swept.table[name].nunique() == 2]
    assert two
    shown = {
        "run": (night, ["A night at the croft", "first seen, s", ".page()"]),
        "answer": (night.why("gander", "fox", at=40.0), ["behind hay-3", "✗", "line of sight"]),
        "state": (night.why_state("farmer", at=40.0), ["evening-round", "needs &gt; 46 s"]),
        "compared": (snelk.compare(night, other), [ACUITY, "25.8", "heard fox"]),
        "swept": (swept, ["2 variants", "a&lt;b", *two[:8]]),
        "rows": (night.rows("events"), ["<th>t</th>", f"{len(night.events)} rows"]),
        "page": (night.page(agent="owl", height=400), ["srcdoc=", "height:400px"]),
    }
    for name, (each, texts) in shown.items():
        html = each._repr_html_()
        assert [text for text in texts if text not in html] == [], name
    page = night.page(agent="owl", target="fox")
    assert page.write(tmp_path / "p.html").read_text() == page.html
    assert '"first":["owl","fox"]' in page.html


@pytest.mark.skipif(os.name != "posix", reason="elsewhere there is no such signal")
def test_a_helper_is_paused_only_while_it_works_and_begins_ahead(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    paused: list[int] = []
    monkeypatch.setattr("snelk.serving.helper.os.kill", lambda pid, _: paused.append(pid))

    async def asked() -> None:
        helper = Helper()
        try:
            # What fails ahead of the first question spoils none.
            helper.prepare(bench_of, "nowhere.toml", {}, None)
            while helper._process is None or helper._process.pid is None:
                await asyncio.sleep(0.01)
            pid = helper._process.pid
            assert await helper.ask(os.getpid) == pid != os.getpid()
            helper.give_way()
            assert paused == []
            waiting = asyncio.create_task(helper.ask(time.sleep, 0.5))
            while not helper._works:
                await asyncio.sleep(0.01)
            helper.give_way()
            await waiting
            helper.give_way()
            assert paused == [pid]
            helper.prepare(os._exit, 3)  # it is there already: nothing is done ahead
            assert await helper.ask(os.getpid) == pid
        finally:
            monkeypatch.undo()
            helper.stop()

    asyncio.run(asked())
