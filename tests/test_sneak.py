"""Sneaking: against all ways there are on small levels, and against the whole replay."""

from __future__ import annotations

import json
import math
import os
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import scenes
import shapely
from test_cli import command

import snelk
from snelk.config.recordings import TrackData, read_tracks
from snelk.level.level import Level
from snelk.plots.sneak import plot_sneak
from snelk.senses.hearing import Noises
from snelk.tuning.coverage import rounds_of, without
from snelk.tuning.lattice import Lattice, Mode, lay_lattice
from snelk.tuning.movers import Crowd, States, Waiting
from snelk.tuning.passages import Found, Search, _rank
from snelk.tuning.sneak import _telling, paces_of
from snelk.tuning.standins import Job

METER = {
    "fill_time": 2.5, "drain_time": 3.0, "drain_after": 0.4, "at_once": 0.6, "noise_gain": 0.3,
    "distance": [[0.2, 1.0], [1.0, 0.3]], "motion": [[0.0, 0.4], [1.5, 1.0]], "crouched": 0.5,
}  # fmt: skip
SEEDS = int(os.environ.get("SNELK_SNEAK_SEEDS", "6"))
"""So many small levels; fifty take half a minute."""

PEN = shapely.box(0.1, 0.1, 3.5, 3.5)
CONE = {"fov_whole": 80, "range": 3.0, "hold_range": 7.0, "hold_fov_whole": 170}
STEPS = {"stride": 0.7, "creeping": 0.5, "walking": 2.5, "running": 5.0}


def yard(folder: Path, seed: int, **more: Any) -> snelk.Scenario:
    """Two guards about a pen, with things to hide behind; they look about and never react."""
    rng = np.random.default_rng(seed)
    walls = [scenes.feature("zone", "pen", PEN)]
    for n in range(4):
        x, y, turn = *rng.uniform(0.3, 3.3, 2), rng.uniform(0, math.pi)
        dx, dy = rng.uniform(0.2, 0.7) * np.array([math.cos(turn), math.sin(turn)])
        line, top = shapely.LineString([(x - dx, y - dy), (x + dx, y + dy)]), rng.choice([1.0, 3.0])
        walls.append(scenes.feature("wall", f"w{n}", line, top=float(top), walkable=True))
    corners = rng.uniform(-2.0, 5.5, (4, 2)).tolist()
    walls.append(scenes.feature("route", "round", shapely.LineString(corners[:3])))
    walls.append(scenes.feature("zone", "gravel", shapely.box(0, 0, 2, 5), ground="gravel"))
    states = {"round": {"patrol": {}, "look": "sweep", "sweep_whole": 120, "sweep_period": 3.0}}
    numbers: dict[str, Any] = {
        "cast.guard.route": "round", "cast.guard.at": corners[0],
        "profiles.watcher.cones": {"front": CONE}, "profiles.watcher.meter": METER,
        "cast.other": {"team": "home", "profile": "watcher", "at": corners[3],
                       "facing": float(rng.uniform(-180, 180))},
        "profiles.watcher.look_every": float(rng.choice([0.0, 0.3, 0.5])),
        "profiles.watcher.hearing": {"listen_every": float(rng.choice([0.0, 0.7]))},
        "cast.guest.at": [0.2, 0.2], "grounds": {"gravel": 1.8},
    }  # fmt: skip
    if seed % 2:
        numbers["bodies.post.steps"] = STEPS
    else:
        del numbers["cast.other"]
    return scenes.scene(folder, *walls, states=states, end=8.0, more={**numbers, **more})


def every_way(
    job: Job, lattice: Lattice, modes: list[Mode], ticks: int, layers: int, limits: np.ndarray
) -> list[float]:
    """The least of the highest meters of all ways there are to a goal, at each layer."""
    seconds, best = ticks * job.scenario.setup.clock.dt, [np.inf] * (layers + 1)
    posture = np.array([("standing", "crouched", "prone").index(m.posture) for m in modes], np.int8)
    gait = np.array(
        [("still", "creeping", "walking", "running").index(m.pace) for m in modes], "i1"
    )
    takes = [lattice.layers(m, seconds) if m.speed else None for m in modes]
    groups: list[list[tuple[np.ndarray, States, np.ndarray]]] = [[] for _ in range(layers + 1)]
    with Crowd(job) as crowd:
        began = crowd.appear(0, lattice.places[lattice.start], np.unique(posture))
        rows = np.flatnonzero((began.highest < limits).all(axis=1))
        place = np.full(len(rows), lattice.start)
        groups[0].append((place, began.states.take(rows), began.highest[rows].max(axis=1)))
        for layer in range(layers + 1):
            for place, states, peak in groups[layer]:
                there = lattice.goals[place]
                best[layer] = min(best[layer], peak[there].min(initial=np.inf))
                for m, each in enumerate(takes):
                    for k in {1} if each is None else set(each.tolist()) - {0}:
                        if layer + k > layers:
                            continue
                        if each is None:
                            row, end = np.arange(len(place)), place
                            way = np.repeat(lattice.places[place][:, None], ticks + 1, axis=1)
                        else:
                            chosen = np.flatnonzero(each == k)
                            row, at = np.nonzero(place[:, None] == lattice.moves.start[chosen])
                            end = lattice.moves.end[chosen[at]]
                            way = lattice.along(chosen[at], k * ticks)
                        if not len(row):
                            continue
                        same = np.full(len(row), m)
                        went = crowd.go(
                            layer * ticks, states.take(row), way, posture[same], gait[same]
                        )
                        peaks = np.maximum(peak[row], went.highest.max(axis=1))
                        left = lattice.places[lattice.goals][0] - lattice.places[end]
                        can = np.hypot(*left.T[:2]) <= (layers - layer - k) * seconds * 1.4 + 1e-9
                        kept = np.flatnonzero((went.highest < limits).all(axis=1) & can)
                        groups[layer + k].append((end[kept], went.states.take(kept), peaks[kept]))
    return best


def search_of(alone: snelk.Scenario) -> Search:
    """A search through the pen, corner to corner, in seven time steps of 0.8 s."""
    watching, level = tuple(alone.setup.agents), Level.of(alone.level)
    job = Job(alone, "guest", "standing", watching, rounds_of(alone))
    modes = [Mode("standing", "walking", 1.4), Mode("crouched", "creeping", 0.9)]
    modes.append(Mode("crouched", "still", 0.0))
    start, goal = np.array([0.3, 0.3, 0.0]), np.array([[3.3, 3.3, 0.0]])
    lattice = lay_lattice(level, level.ways(within="pen"), 1.4, start, goal, None, 0.0)
    limits = np.full(len(watching), 1.0 - 1e-9)
    return Search(
        job, lattice, modes, ticks=8, first=0, last=56, limits=limits, kept=10_000, by_feet=True
    )


@pytest.mark.parametrize("some", range(SEEDS // 6))
def test_no_way_of_all_there_are_is_better(some: int, tmp_path: Path) -> None:
    seen = 0
    for seed in range(6 * some, 6 * some + 6):
        scenario = yard(tmp_path / str(seed), seed)
        alone = without(scenario, "guest")
        search, layers = search_of(alone), 7
        job, lattice, limits = search.job, search.lattice, search.limits
        modes = list(search.modes)
        found = search.run()
        expected = every_way(job, lattice, modes, 8, layers, limits)
        stairs = []
        for layer, peak in enumerate(expected):
            if peak < min([np.inf, *(p for _, p in stairs)]):
                stairs.append((layer, peak))
        assert [(each.layer, each.peak) for each in found] == stairs
        assert all(each.highest.max() == each.peak for each in found)
        seen += len(stairs) > 1
    assert seen >= 3  # there was something to weigh


SEEN = np.full((1, 1, 1), True)
NOISE = Waiting(np.zeros(1, np.int64), np.zeros(1, np.int64), Noises.blank(1))


@pytest.mark.parametrize(
    ("change", "better"),
    [
        ({}, True),
        ({"quiet": np.full((1, 1), 0.1)}, False),  # drains later
        ({"seen": SEEN}, False),  # is held on to
        ({"waiting": NOISE}, False),  # somebody may still hear it
        ({"walked": np.full(1, 0.3)}, False),  # its next footstep falls elsewhere
        ({"value": np.zeros((1, 1)), "quiet": np.zeros((1, 1))}, True),  # nothing that could drain
        ({"value": np.full((1, 1), 0.4), "quiet": np.full((1, 1), 0.9)}, False),
    ],
)
def test_a_way_is_left_out_only_for_one_that_is_as_good_in_every_respect(
    change: dict[str, Any], better: bool, tmp_path: Path
) -> None:
    scenario = yard(tmp_path, 2, **{"profiles.watcher.look_every": 0.0})
    search = search_of(without(scenario, "guest"))
    worse = States.fresh(1, 1, 1)._replace(value=np.full((1, 1), 0.3), quiet=np.full((1, 1), 0.5))
    other = worse._replace(**{"value": np.full((1, 1), 0.2), **change})
    both = States.joined([other, worse])
    ways = search.arrivals_at(np.zeros(2, np.intp), np.array([0.5, 0.5]), both)
    assert sorted(search.front(ways, both).tolist()) == ([0] if better else [0, 1])


def test_a_way_is_kept_on_which_any_agent_knows_less(tmp_path: Path) -> None:
    search = search_of(without(yard(tmp_path, 3), "guest"))
    values = np.array([[0.1, 0.4], [0.3, 0.3], [0.2, 0.4]])
    same = States.fresh(3, 2, 1)._replace(value=values, quiet=np.full((3, 2), 0.5))
    ways = search.arrivals_at(np.zeros(3, np.intp), np.full(3, 0.5), same)
    assert search.front(ways, same).tolist() == [0, 1]


def test_who_may_still_be_heard_or_is_in_view_is_not_unnoticed(tmp_path: Path) -> None:
    search = search_of(without(yard(tmp_path, 2), "guest"))
    fresh = States.fresh(1, 1, 1)
    some = [fresh, fresh._replace(seen=SEEN), fresh._replace(waiting=NOISE)]
    ways = search.arrivals_at(np.zeros(3, np.intp), np.zeros(3), States.joined(some))
    assert ways.clean.tolist() == [True, False, False]


@pytest.mark.parametrize("seldom", [False, True])
def test_a_look_that_stands_is_part_of_how_things_are(seldom: bool, tmp_path: Path) -> None:
    scenario = yard(tmp_path, 2, **{"profiles.watcher.look_every": 0.5 if seldom else 0.0})
    search = search_of(without(scenario, "guest"))
    near = States.fresh(1, 1, 1)._replace(seen=SEEN, sight=np.full((1, 1, 4), 1.0))
    far = near._replace(value=np.full((1, 1), 0.1), sight=np.full((1, 1, 4), 2.0))
    both = States.joined([near, far])
    ways = search.arrivals_at(np.zeros(2, np.intp), np.array([0.5, 0.5]), both)
    assert len(search.front(ways, both)) == (2 if seldom else 1)


@pytest.mark.parametrize("seed", [3, 4, 5, 9])
def test_the_whole_replay_comes_to_what_was_promised(seed: int, tmp_path: Path) -> None:
    more: dict[str, Any] = {"cast.guard.lamp": {"light": 0.5, "reach": 4.0}, "light": 0.4}
    more["profiles.watcher.touch"] = {"radius": 0.6}
    if seed == 4:  # somebody without a meter, whom nothing must reach
        more["profiles.blunt"] = {"body": "post", "notices": ["visitors"], "touch": {"radius": 1.0}}
        more["cast.post"] = {"team": "home", "profile": "blunt", "at": [1.7, 1.7]}
    scenario = yard(tmp_path, seed, **more)
    found = snelk.sneak(scenario, to=(3.3, 3.3), start=(0.3, 0.3), cell=1.2, kept=6, begin=0.4)
    assert len(found.passages) > 1 or found.passages[0].highest == 0.0
    for passage in found.passages:
        assert passage.holds
        assert not passage.reactions
        assert not passage.cut_short
        assert passage.promised == pytest.approx(passage.replayed, abs=1e-9)
        track = passage.track
        paces = np.hypot(np.diff(track.x), np.diff(track.y)) / np.diff(track.t)
        assert (paces <= np.array([0.0, 0.6, 1.4, 4.0])[track.gait[:-1]] + 1e-9).all()
        path = passage.save_track(tmp_path / "way.csv", "guest")
        run = snelk.run(found.with_track(passage))
        assert read_tracks(path)["guest"].x.tolist() == track.x.tolist()
        meters = run.meters[(run.meters.target == "guest") & (run.meters.t <= passage.arrives)]
        highest = meters.groupby("agent").value.max().to_dict()
        for agent, value in highest.items():
            assert value == pytest.approx(passage.promised[agent], abs=1e-9)


def corridor(folder: Path, look: str = "sweep") -> snelk.Scenario:
    """A corridor of 12 m with an opening half way, through which a guard looks, now and then."""
    walls = [
        scenes.feature("wall", "south", shapely.LineString([(-4, -1), (16, -1)]), top=3.0),
        scenes.feature("wall", "north", shapely.LineString([(-4, 1), (5, 1)]), top=3.0),
        scenes.feature("wall", "beyond", shapely.LineString([(7, 1), (16, 1)]), top=3.0),
        scenes.feature("wall", "west", shapely.LineString([(-4, -1), (-4, 1)]), top=3.0),
        scenes.feature("wall", "east", shapely.LineString([(16, -1), (16, 1)]), top=3.0),
        scenes.feature("spot", "gate", shapely.Point(12, 0)),
        scenes.feature("zone", "hall", shapely.box(11, -1, 13, 1)),
    ]
    states = {"watch": {"stand": {}, "look": look, "sweep_whole": 200, "sweep_period": 12.0}}
    numbers: dict[str, Any] = {
        "cast.guard.at": [6, 3.5], "cast.guard.facing": -90, "cast.guest.at": [0, 0],
        "profiles.watcher.cones": {"front": {"fov_whole": 60, "range": 9.0}},
        "profiles.watcher.meter": {"fill_time": 0.3}, "profiles.watcher.hearing": None,
    }  # fmt: skip
    return scenes.scene(folder, *walls, states=states, end=24.0, more=numbers)


def test_a_gap_in_time_is_found_and_who_closes_it_is_told(tmp_path: Path) -> None:
    found = snelk.sneak(corridor(tmp_path / "open"), to="gate", cell=1.5)
    last = found.passages[-1]
    assert (last.highest, last.holds, last.agent) == (0.0, True, None)
    assert last.arrives > 12.0 / 4.0  # at a run it would be there
    seen = snelk.run(found.with_track(last)).sight
    assert not (seen[seen.target == "guest"].exposure > 0.0).any()
    # He who looks there all the time lets nobody through; only where the opening is.
    closed = snelk.sneak(corridor(tmp_path / "shut", "ahead"), to="hall", cell=3.0)
    assert (closed.passages, closed.walkable) == ((), True)
    assert [each.agent for each in closed.closings] == ["guard"]
    x = closed.closings[0].places[:, 0]
    assert closed.closings[0].share == 1.0
    assert 3.0 < x.min() <= x.max() < 9.0
    assert "in the way" in closed._repr_html_()
    assert "holds" in found._repr_html_()
    drawn = plot_sneak(closed)
    assert len(drawn.closed["guard"].get_xdata()) == len(x)
    opened = snelk.openings(closed)
    range_ = next(each for each in opened if each.key.endswith("range"))
    assert (range_.instead_of, range_.unit) == (9.0, "m")
    assert opened == tuple(
        sorted(opened, key=lambda each: abs(math.log(each.value / each.instead_of)))
    )
    for factor, passes in ((1.0, True), (1.2, False)):
        scenario = corridor(tmp_path / f"by {factor}", "ahead")
        cones = {"profiles.watcher.cones.front.range": factor * range_.value}
        tried = snelk.sneak(scenario.changed(cones), to="hall", cell=3.0)
        assert any(each.holds for each in tried.passages) is passes
    assert snelk.openings(found) == ()
    # Too little time is another thing, and so is to be there already.
    soon = snelk.sneak(corridor(tmp_path / "soon"), to="gate", cell=1.0, end=2.0)
    assert (soon.passages, soon.closings, soon.walkable) == ((), (), True)
    assert soon.soonest == pytest.approx(11 * 0.4)  # steps of 1.12 m, each at less than a run
    here = snelk.sneak(corridor(tmp_path / "here"), to=(0, 0), cell=1.0)
    assert [(each.seconds, each.far) for each in here.passages] == [(0.0, 0.0)]
    # Who is ignored is no hindrance, and nobody can walk through a wall.
    with pytest.raises(snelk.InputError, match="leaves no agent"):
        snelk.sneak(corridor(tmp_path / "none"), to="gate", ignore=["guard"])


@pytest.mark.parametrize("shuts", [0.5, None])
def test_doors_open_for_who_may_are_seen_through_and_heard(
    shuts: float | None, tmp_path: Path
) -> None:
    def house(folder: Path, who: list[str]) -> snelk.Scenario:
        walls = [
            scenes.feature("wall", "low", shapely.LineString([(4, -6), (4, -0.6)]), top=3.0),
            scenes.feature("wall", "high", shapely.LineString([(4, 0.6), (4, 6)]), top=3.0),
            scenes.feature("wall", "door", shapely.LineString([(4, -0.6), (4, 0.6)]), top=2.5,
                           door=True),
            scenes.feature("wall", "fence", shapely.box(-6, -6, 14, 6).exterior, top=3.0),
        ]  # fmt: skip
        rules: dict[str, Any] = {"who": who, "noise": "creak"}
        numbers: dict[str, Any] = {
            "cast.guard.at": [9, 2.5], "cast.guard.facing": 205, "noise_kinds": {"creak": {"reach": 9.0}},
            "doors": {"door": rules if shuts is None else {**rules, "shuts": shuts}},
            # Who looks through the door afterwards, if it still stands open.
            "cast.porter": {"team": "home", "profile": "watcher", "at": [0, 3], "facing": -37},
            "profiles.watcher.cones": {"front": {"fov_whole": 100, "range": 12.0}},
            "profiles.watcher.meter": {"fill_time": 9.0, "noise_gain": 0.4, "drain_time": 30.0},
            "cast.guest.profile": "lodger",
            "cast.guest.at": [0, 0],
        }  # fmt: skip
        kinds = scenes.GUARD + '\n[profiles.lodger]\nbody = "broad"\n'
        kinds += "[bodies.broad]\nstanding = 1.8\neyes = 0.9\nradius = 0.55\n"
        return scenes.scene(
            folder, *walls, states={"stand": {}}, end=8.0, more=numbers, profiles=kinds
        )

    found = snelk.sneak(house(tmp_path / "may", ["guest"]), to=(9, -3), cell=1.6, kept=3)
    assert found.passages
    for passage in found.passages:
        assert passage.holds
        events = snelk.run(found.with_track(passage)).events
        opened = events[events.kind == "opened"]
        assert len(opened) == 1
        assert (events.kind == "shut").sum() == (shuts is not None)
        heard = events[(events.kind == "heard") & (events.agent == "guard")]
        assert heard.t.iloc[0] == pytest.approx(opened.t.iloc[0] + 0.1)
        assert passage.promised["guard"] >= 0.4 * 0.3  # so loud is a creak at most 6 m off
        assert passage.promised == pytest.approx(passage.replayed, abs=1e-9)
    with pytest.raises(snelk.InputError, match="cannot be reached on foot"):
        snelk.sneak(house(tmp_path / "not", ["guard"]), to=(9, -3), cell=1.0)


def test_where_somebody_reacts_it_is_told_and_another_way_looked_for(tmp_path: Path) -> None:
    wide = {"fov_whole": 330, "range": 30.0}
    alert = {"states": {"watch": {"stand": {}, "look": "sweep", "sweep_whole": 60,
                                  "sweep_period": 9.0},
                        "alert": {"approach": {}, "rank": 1, "pace": "running", "look": "focus", "cones": {"front": wide}}},
             "transitions": {"stir": {"from": "watch", "to": "alert", "when": "meter >= 0.25"}}}  # fmt: skip
    scenario = corridor(tmp_path)
    changed = {"profiles.watcher.ladder": alert, "profiles.watcher.meter.fill_time": 1.5}
    scenario = snelk.load(scenario.source, overrides={**scenario.overrides, **changed})
    soon = snelk.sneak(scenario, to="gate", cell=1.0, unseen=False, end=6.0)
    assert soon.passages
    for each in soon.passages:
        assert not each.holds
        (reaction,) = each.reactions
        assert (reaction.agent, reaction.state, reaction.instead_of) == ("guard", "alert", "watch")
        assert each.promised["guard"] >= 0.25
        assert each.replayed["guard"] != pytest.approx(each.promised["guard"], abs=1e-9)
    closed = snelk.sneak(scenario, to="gate", cell=1.0, end=6.0)
    assert 0.25 <= closed.below["guard"] < 0.35  # the meter at which it reacted
    assert [each.agent for each in closed.closings] == ["guard"]
    assert not any(each.holds for each in closed.passages)
    found = snelk.sneak(scenario, to="gate", cell=1.0)  # with more time there is a way
    assert [(each.holds, each.highest, each.reactions) for each in found.passages] == [
        (True, 0.0, ())
    ]


def test_it_comes_to_the_same_on_one_core_and_in_parts(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    scenario = yard(tmp_path, 3)
    tables = []
    for count, most in ((1, 2048), (3, 150)):
        monkeypatch.setattr("snelk.tuning.movers.cores", lambda count=count: count)
        monkeypatch.setattr("snelk.tuning.movers.MOST", most)
        found = snelk.sneak(scenario, to=(3.3, 3.3), start=(0.3, 0.3), cell=1.0)
        tables.append((found.table, [each.rows() for each in found.passages]))
    assert tables[0][0].equals(tables[1][0])
    assert tables[0][1] == tables[1][1]


def test_the_command_finds_a_way_past_the_croft(tmp_path: Path) -> None:
    night = snelk.croft() / "night.toml"
    words = ["--to", "coop-door-north", "--ignore", "owl", "--ignore", "scarecrow", "--cell", "4.5"]
    said = command("sneak", night, *words, "--out", "sneak", cwd=tmp_path)
    assert "holds" in said
    assert "reacts owl at" in said
    assert all(len(line) <= 80 or str(night) in line for line in said.splitlines())
    runs = sorted(path.name for path in (tmp_path / "sneak").iterdir() if path.is_dir())
    run = snelk.open_run(tmp_path / "sneak" / runs[-1])
    assert run.poses[run.poses.id == "fox"].present.any()
    assert (tmp_path / "sneak" / f"{runs[-1]}.csv").is_file()
    (tmp_path / "sneak" / "passage-11").write_text("not a run")
    assert "passage-11" in command("sneak", night, *words, "--out", "sneak", cwd=tmp_path, code=2)
    (tmp_path / "sneak" / "passage-11").unlink()
    words[-1] = "5"
    data = json.loads(command("sneak", night, *words, "--json", "--figure", "s.png", cwd=tmp_path))
    assert (tmp_path / "s.png").stat().st_size > 10_000
    assert [each["holds"] for each in data["passages"]] == [True] * len(data["passages"])
    assert data["passages"][-1]["highest_meter"] == 0.0
    for wrong, told in (
        (["--to", "nowhere"], "no such spot or zone"),
        (["--to", "10,30"], "the nearest position that can be reached is"),
        (["--to", "gravel yard", "--mode", "flying:walking"], "no such posture"),
        (["--to", "gravel yard", "--cell", "nan"], "must be above 0 m"),
        (["--to", "gravel yard", "--ignore", "bat"], "no such agent that notices fox"),
        (["--to", "gravel yard", "--floor", "attic"], "no such floor"),
        (["--to", "gravel yard", "--figure", "s.txt"], "unknown format"),
        (["--to", "gravel yard", "--begin", "95"], "must leave some time within the run"),
    ):
        assert told in command("sneak", night, *wrong, cwd=tmp_path, code=2)


def test_rows_are_numbered_within_each_place() -> None:
    assert _rank(np.array([3, 3, 3, 5, 2, 2])).tolist() == [0, 1, 2, 0, 0, 1]


def test_of_many_passages_those_that_differ_clearly_are_told() -> None:
    # Those that are noticed at least 0.02 less, and the last; of many those least apart are left out.
    for peaks, told in (
        ([0.9, 0.87, 0.86, 0.5, 0.49], [0.9, 0.87, 0.5, 0.49]),
        (
            [0.9, 0.89, 0.7, 0.66, 0.5, 0.4, 0.37, 0.2, 0.13, 0.125],
            [0.9, 0.7, 0.5, 0.4, 0.2, 0.125],
        ),
    ):
        found = [Found(peak, n, (), np.array([peak])) for n, peak in enumerate(peaks)]
        assert [each.peak for each in _telling(found)] == told


def loft(folder: Path) -> snelk.Scenario:
    """A loft over the ground, and a ladder; a guard below, one above, and a room on either."""
    features = [
        scenes.feature("floor", "ground", shapely.box(-2, -2, 12, 6), height=0.0),
        scenes.feature("floor", "loft", shapely.box(4, -2, 12, 6), height=3.0),
        scenes.feature("link", "ladder", shapely.LineString([(3, 0, 0), (5, 0, 3)]), seconds=6.0),
        scenes.feature("zone", "den", shapely.box(7, 1, 9, 3), floor="loft"),
        scenes.feature("zone", "cellar", shapely.box(7, 1, 9, 3), floor="ground"),
        scenes.feature("wall", "screen", shapely.LineString([(6, -2), (6, 1.5)]), base=3.0, top=5.0),
    ]  # fmt: skip
    numbers: dict[str, Any] = {
        "cast.guest.at": [0, 4], "cast.guard.at": [11, 5], "cast.guard.facing": 180,
        "cast.other": {"team": "home", "profile": "watcher", "at": [11, -1], "z": 3.0, "facing": 180},
        "profiles.watcher.cones": {"front": {"fov_whole": 70, "range": 5.0}},
        "profiles.watcher.meter": {"fill_time": 2.0}, "bodies.post.steps": STEPS,
    }  # fmt: skip
    return scenes.scene(folder, *features, states={"stand": {}}, end=16.0, more=numbers)


@pytest.mark.parametrize(
    ("start", "to", "ends"),
    [
        (None, "den", 3.0),
        (None, "cellar", 0.0),
        (None, (5, 4, 3), 3.0),
        (None, (5, 4), 0.0),
        ((8, 2, 3), (0, 4), 0.0),
        ("den", "cellar", 0.0),
    ],
)
def test_upstairs_is_another_place(start: Any, to: Any, ends: float, tmp_path: Path) -> None:
    scenario = loft(tmp_path)
    found = snelk.sneak(scenario, start=start, to=to, cell=1.2, kept=3)
    assert found.passages
    for passage in found.passages:
        assert passage.holds
        track = passage.track
        assert track.z[-1] == pytest.approx(ends, abs=1e-9)
        zone = Level.of(scenario.level).within
        if isinstance(to, str):
            assert zone(to, track.x[-1:], track.y[-1:], track.z[-1:]).all()
        climbs = np.flatnonzero(np.abs(np.diff(track.z)) > 0.0)
        begins = 3.0 if start else 0.0
        assert (len(climbs) > 0) == (begins != ends)
        if len(climbs):  # by the ladder, in no less than its seconds
            assert np.ptp(track.t[[climbs[0], climbs[-1] + 1]]) >= 6.0 - 1e-9
        steps = (passage.arrives - found.begins) / found.time_step
        assert steps == pytest.approx(round(steps))
        assert steps >= len(passage.track.t) / 40  # at least a tick each, and no move is longer


def test_where_one_cannot_stand_is_said_and_outside_of_all_walls_one_can(tmp_path: Path) -> None:
    scenario = loft(tmp_path)
    for place, what in (((5, 4, 9), "start"), ((40, 4), "start"), ((5, 4, 1.5), "start")):
        with pytest.raises(snelk.InputError, match=f"{what}: .*cannot stand"):
            snelk.sneak(scenario, start=place, to="den")
    with pytest.raises(snelk.InputError, match="cannot be reached on foot"):
        snelk.sneak(scenario, to=(5, 4, 9))
    away = corridor(tmp_path / "away")
    found = snelk.sneak(away, start=(30, 20), to=(34, 20), cell=1.0, end=6.0)
    assert found.passages[-1].highest == 0.0


def test_paces_are_of_the_profile_else_as_recorded_else_as_is_usual(tmp_path: Path) -> None:
    usual = {"creeping": 0.6, "walking": 1.4, "running": 4.0}
    scenario = corridor(tmp_path)
    assert paces_of(scenario, "guest") == usual
    assert paces_of(scenario, "guard") == {**usual, "walking": 1.5}
    t, gait = np.arange(6.0), np.array([2, 2, 2, 0, 3, 3], np.int8)
    x, still = np.array([0.0, 1.0, 2.2, 3.2, 3.2, 8.2]), np.zeros(6)
    track = TrackData(t, x, still, still, still, np.zeros(6, np.int8), gait, still == 0.0)
    recorded = replace(scenario, tracks={"guest": track})
    assert paces_of(recorded, "guest") == {**usual, "walking": 1.0, "running": 5.0}


def test_how_near_a_cone_it_came_is_the_distance_to_its_sector(tmp_path: Path) -> None:
    scenario = corridor(tmp_path, "ahead")  # he looks south from (6, 3.5)
    near = {"profiles.watcher.cones.front.range": 3.0}
    scenario = snelk.load(scenario.source, overrides={**scenario.overrides, **near})
    turns = np.radians(-90 + np.linspace(-30, 30, 2001))
    rim = np.stack([6 + 3 * np.cos(turns), 3.5 + 3 * np.sin(turns)], axis=1)
    sector = shapely.Polygon([(6.0, 3.5), *rim])
    places = [(6.0, 0.0), (9.0, 2.5), (9.5, -0.4), (1.0, 0.3), (6.5, 7.0)]
    for place in places:  # beyond it, beside it, past its corner, far off, behind him
        (here,) = snelk.sneak(scenario, start=place, to=place, cell=1.0).passages
        assert here.margin == pytest.approx(sector.distance(shapely.Point(place)), abs=1e-3)
        assert here.margin_of == ("guard", 0.0)
    (inside,) = snelk.sneak(scenario, start=(6.0, 2.0), to=(6.0, 2.0), below=1.0).passages
    assert (inside.margin, inside.margin_of) == (None, None)
    # Of a whole passage it is the least.
    past = snelk.sneak(scenario, start=(0, 0), to="gate", cell=1.0).passages[-1]
    x, y = past.track.x, past.track.y
    line = shapely.LineString(np.stack([x, y], axis=1))
    assert past.margin == pytest.approx(sector.distance(line), abs=0.2)


def test_who_reacts_for_another_reason_than_a_meter_is_not_called_a_closed_level(
    tmp_path: Path,
) -> None:
    ladder = {"states": {"watch": {"stand": {}}, "alert": {"approach": {}, "rank": 1}},
              "transitions": {"stir": {"from": "watch", "to": "alert", "when": "heard"}}}  # fmt: skip
    scenario = corridor(tmp_path, "ahead")
    changed: dict[str, Any] = {
        "profiles.watcher.ladder": ladder, "profiles.watcher.hearing": {"acuity": 3.0},
        "profiles.watcher.cones": {"front": {"fov_whole": 359, "range": 30.0}},
        "profiles.watcher.meter": {"fill_time": 2.0, "noise_gain": 0.0},
        "bodies.post.steps": {**STEPS, "creeping": 4.0},
    }  # fmt: skip
    scenario = snelk.load(scenario.source, overrides={**scenario.overrides, **changed})
    found = snelk.sneak(scenario, to="gate", cell=1.0)
    assert found.passages
    assert not any(each.holds for each in found.passages)
    assert found.closings == ()
    assert snelk.openings(found) == ()
