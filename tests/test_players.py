"""Simulated players, against their runs' own tables, closed forms, and what they are to avoid."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
import scenes
import shapely
from test_cli import command

import snelk
from snelk.body.playing import Play
from snelk.engine.simulation import Simulation
from snelk.plots.players import plot_players

CROFT = snelk.croft() / "night.toml"
MILL = snelk.mill() / "night.toml"

STANDS = {"standing": {"stand": {}}}


def field(folder: Path, *features: dict[str, Any], **more: Any) -> snelk.Scenario:
    """A guard and a guest on an empty field of 20 x 12 m; the guest plays, and is to get to exit."""
    ground = [
        scenes.feature("zone", "exit", shapely.box(18, 4, 20, 8)),
        scenes.feature("spot", "gate", shapely.Point(19, 6)),
        scenes.feature("edge", "hedge", shapely.box(0, 0, 20, 12).exterior),
    ]
    numbers = {"cast.guest.at": [1.0, 6.0], "cast.guard.at": [10.0, 11.0], **more}
    states = numbers.pop("states", STANDS)
    return scenes.scene(
        folder, *ground, *features, states=states, end=numbers.pop("end", 20.0), more=numbers
    )


@pytest.fixture(scope="module")
def many() -> snelk.Players:
    return snelk.players(CROFT, to="hedge-gap", count=20, ignore=["owl"], jobs=2)


def test_a_player_comes_to_what_the_tables_of_its_run_say(many: snelk.Players) -> None:
    found, chosen = many, many.table.groupby("outcome").head(2)
    assert len(chosen) >= 4
    spots = {spot.name: point for spot, point in found.scenario.level.spots}
    x, y = spots["hedge-gap"].x, spots["hedge-gap"].y
    for row in chosen.itertuples():
        run = snelk.run(found.scenario, overrides={"seed": row.seed})
        meters = run.meters[(run.meters.target == "fox") & (run.meters.agent != "owl")]
        caught = run.events[(run.events.kind == "caught") & (run.events.target == "fox")].t.min()
        there = run.poses[run.poses.id == "fox"]
        near = there[np.hypot(there.x - x, there.y - y) <= 0.41]  # m: a tick's way
        through = near.t.min()
        until = meters[meters.t <= (through if through == through else np.inf)]
        texts = run.events[run.events.kind == "warned"].text
        assert not texts.str.contains("scarecrow's meter").any()  # it has none
        saw = run.events[(run.events.kind == "saw") & (run.events.agent == "scarecrow")].t.min()
        warned = np.fmin(until[until.value >= 0.3 - 1e-9].t.min(), saw)  # which has no meter
        late = np.nanmin([until[until.value >= 1.0 - 1e-9].t.min(), caught, saw, np.inf])
        late = np.nan if np.isinf(late) else late
        assert row.warned_at == pytest.approx(warned, nan_ok=True)
        assert row.too_late_at == pytest.approx(late, nan_ok=True)
        assert row.through_at == pytest.approx(through, abs=0.21, nan_ok=True)
        in_time = through == through and not late <= through
        outcome = "too late"
        if in_time:
            outcome = "unnoticed" if np.isnan(warned) else "warned"
        assert row.outcome == outcome
        at = there[(there.t - row.warned_at).abs() < 1e-6]
        assert not len(at) or (at.x.iloc[0], at.y.iloc[0]) == (row.warned_x, row.warned_y)
        stays = run.events[(run.events.agent == "fox") & run.events.kind.isin(
            ["hides", "waits", "goes_on", "through"])]  # fmt: skip
        ends = [*stays.t.iloc[1:], run.times[-1]]
        for kind, total in (("hides", row.hidden_for), ("waits", row.waited_for)):
            spent = sum(
                b - a for a, b, k in zip(stays.t, ends, stays.kind, strict=True) if k == kind
            )
            assert total == pytest.approx(spent, abs=1e-6)


def test_shares_and_who_noticed_are_those_of_the_table(many: snelk.Players) -> None:
    rows = pd.DataFrame(
        [
            (0.0, "too late", "dog", "dog", 4.0, np.nan, 2.0),
            (0.333, "unnoticed", None, None, np.nan, 40.0, 0.0),
            (1 / 3, "too late", "bell", "dog", 6.0, np.nan, 0.0),
            (0.6, "warned", "dog", None, np.nan, 60.0, 1.0),
            (2 / 3, "not there", "bell", None, np.nan, np.nan, 5.0),
            (1.0, "warned", "owl", None, np.nan, 50.0, 0.0),
        ],
        columns=["care", "outcome", "warned_by", "too_late_by", "too_late_x", "through_at", "hides"],
    )  # fmt: skip
    rows["warned_x"], rows["warned_y"], rows["too_late_y"] = range(6), range(0, 12, 2), 3.0
    rows["hidden_for"], rows["waited_for"] = 2.0 * rows.hides, 3.0 * rows.hides
    found = replace(many, table=rows)
    assert found.through == 0.5
    shares = found.shares.set_index("care")
    assert shares.players.to_dict() == {"reckless": 2, "medium": 2, "careful": 2, "all": 6}
    for care, part in (
        ("reckless", rows[:2]),
        ("medium", rows[2:4]),
        ("careful", rows[4:]),
        ("all", rows),
    ):
        row = shares.loc[care]
        for outcome in ("unnoticed", "warned", "too late", "not there"):
            assert row[outcome] == (part.outcome == outcome).mean()
        assert (row.hides, row.hidden_for, row.waited_for) == tuple(
            part.hides.mean() * n for n in (1, 2, 3)
        )
    assert shares.seconds.to_dict() == {
        "reckless": 40.0,
        "medium": 60.0,
        "careful": 50.0,
        "all": 50.0,
    }
    assert found.noticers.to_dict(orient="records") == [
        {"agent": "dog", "warned_first": 2, "too_late": 2, "where": (5.0, 3.0)},
        {"agent": "bell", "warned_first": 2, "too_late": 0, "where": (3.0, 6.0)},
        {"agent": "owl", "warned_first": 1, "too_late": 0, "where": (5.0, 10.0)},
    ]


def test_players_are_the_same_alone_in_batches_and_in_processes(many: snelk.Players) -> None:
    alone = snelk.players(CROFT, count=2, to="hedge-gap", ignore=["owl"])
    assert many.table.iloc[:2].equals(alone.table)
    assert all(np.array_equal(a, b) for a, b in zip(alone.ways, many.ways[:2], strict=True))
    run = snelk.run(alone.scenario)
    ran = run.events[run.events.agent == "fox"]
    events, live = [], snelk.Live(alone.scenario)
    for tick in range(len(run.times)):
        if tick % 50 == 49:  # saved, and gone on with by another
            saved, live = live.save(), snelk.Live(alone.scenario)
            live.restore(saved)
        events += [event.text for event in live.step() if event.agent == "fox"]
    assert events == ran.text.tolist()
    assert "through" in set(ran.kind)


@pytest.mark.parametrize("to", ["exit", "gate"])
def test_reckless_players_run_straight_on_or_nearly_so(to: str, tmp_path: Path) -> None:
    scenario = field(tmp_path, **{"profiles.watcher.cones": {}, "profiles.watcher.hearing": None})
    scenario = field(tmp_path / "deaf", **{"profiles.watcher.cones.front.range": 0.5})
    found = snelk.players(scenario, to=to, count=8, care=0.0, delay=0.0)
    assert (found.table.outcome == "unnoticed").all()
    straight = 17.0 if to == "exit" else 18.0
    lengths = [np.hypot(*np.diff(way[:, 1:3], axis=0).T).sum() for way in found.ways]
    assert straight - 0.8 <= min(lengths)
    assert max(lengths) <= 1.3 * (straight + 1.0)
    assert len({round(length, 3) for length in lengths}) > 1  # no two need go alike
    # Running at 4 m/s from standstill, 6 m/s2; corners cost little.
    assert (found.table.through_at >= straight / 4.0 - 0.3).all()
    assert (found.table.through_at <= 1.3 * (straight + 1.0) / 4.0 + 2.5).all()
    if to == "exit":
        ends = np.array([way[-1, 1:3] for way in found.ways])
        assert (np.abs(ends[:, 0] - 18.2) <= 0.41).all()  # as soon as they are in it


def test_who_cares_a_little_walks_where_its_running_would_be_heard(tmp_path: Path) -> None:
    """Of steps that carry 3 m, ears of acuity 2.5 that are awake by 0.8 hear those within 6 m."""
    numbers = {
        "profiles.watcher.cones.front.range": 0.5, "profiles.watcher.hearing.acuity": 2.5,
        "profiles.watcher.meter": None, "end": 30.0,
        "states": {"standing": {"stand": {}, "senses": {"hearing": 0.8}}},
        "bodies.post.steps": {"stride": 0.8, "creeping": 0.5, "walking": 1.0, "running": 3.0},
    }  # fmt: skip
    found = snelk.players(field(tmp_path, **numbers), to="gate", count=3, care=0.5, delay=0.0)
    for way in found.ways:
        away = np.hypot(way[:, 1] - 10.0, way[:, 2] - 11.0)
        speed = np.hypot(*np.diff(way[:, 1:3], axis=0).T) / np.diff(way[:, 0])
        near = np.maximum(away[1:], away[:-1]) < 5.8  # m: half a second ago as well
        assert near.sum() >= 4
        assert speed[near].max() < 2.0
        assert speed[away[1:] > 7.5].max() > 3.0


def test_nobody_minds_who_is_not_there(tmp_path: Path) -> None:
    played = snelk.players(field(tmp_path), to="gate", count=1).scenario
    simulation = Simulation(played)
    simulation.step()
    player = simulation.world.thinking.activity_of(0, simulation.agents.index("guest"))
    assert isinstance(player, Play)
    places = np.array([[10.0, 10.0, 0.0], [10.0, 9.0, 0.0]])
    assert player._reach_of().tolist() == [12.0]
    assert player._near(places, player._reach_of()[:, None]).all()
    simulation.poses.present[0, simulation.names.index("guard")] = False
    assert player._reach_of().tolist() == [0.0]
    assert (player._seen_by(places) < 0).all()


@pytest.mark.parametrize("rise", [0.0, 0.7])
def test_who_knows_a_round_foresees_it(tmp_path: Path, rise: float) -> None:
    line = shapely.LineString([(x, y, rise * x) for x, y in ((4, 2), (16, 2), (16, 10), (4, 10))])
    round_ = scenes.feature("route", "round", line)
    slope = shapely.Polygon([(x, y, rise * x) for x, y in ((-9, -9), (29, -9), (29, 29), (-9, 29))])
    scenario = field(
        tmp_path, round_, scenes.feature("floor", "slope", slope), states={"round": {"patrol": {}}},
        **{"cast.guard.route": "round", "cast.guard.at": [4.0, 2.0], "cast.guard.z": 4.0 * rise},
    )  # fmt: skip
    simulation = Simulation(scenario)
    motion, places = simulation.world.motion, []
    foreseen: dict[int, list[tuple[float, ...]]] = {}
    while not simulation.done:
        simulation.step()
        places.append((motion.x[0, 0], motion.y[0, 0]))
        for ticks in (10, 30):
            foreseen.setdefault(simulation.tick + ticks, []).append(
                motion.farther_on(0, 0, ticks * 0.1)
            )
    off = [
        np.hypot(*(np.array(place[:2]) - places[tick - 1]))
        for tick, every in foreseen.items()
        for place in every
        if 20 < tick <= len(places)
    ]
    assert len(off) > 300
    assert np.median(off) < 0.05  # at corners it slows down, and a new way is not known yet
    assert np.percentile(off, 80) < 0.8


def test_who_knows_a_round_expects_to_be_seen_where_the_agent_will_be(tmp_path: Path) -> None:
    line = shapely.LineString([(2, 2), (17, 2)])
    scenario = field(
        tmp_path, scenes.feature("route", "round", line), states={"round": {"patrol": {}}},
        **{"cast.guard.route": "round", "cast.guard.at": [2.0, 2.0], "cast.guard.facing": 0.0,
           "profiles.watcher.cones.front.range": 3.0,
           "cast.guest.play": {"to": "exit", "care": 1.0, "knows": 1.0, "delay": 20.0}},
    )  # fmt: skip
    simulation = Simulation(scenario)
    while simulation.tick < 20:
        simulation.step()
    world = simulation.world
    player = world.thinking.activity_of(0, simulation.agents.index("guest"))
    assert isinstance(player, Play)
    guard = simulation.agents.index("guard")
    x = float(world.motion.x[0, guard])
    ahead = np.array([[x + far, 2.0, 0.0] for far in (1.0, 7.0, 30.0)])
    assert player._seen_by(ahead).tolist() == [guard, -1, -1]
    assert player._seen_by(ahead, 4.0).tolist() == [-1, guard, -1]  # it walks 1.5 m/s


def test_knowing_the_rounds_helps(tmp_path: Path) -> None:
    wall = scenes.feature("wall", "shed", shapely.box(6, 5, 8, 7), top=3.0)
    line = shapely.LineString([(10, 10.5), (10, 1.5)])
    scenario = field(
        tmp_path, wall, scenes.feature("route", "round", line),
        states={"round": {"patrol": {"order": "back_and_forth"}}}, end=60.0,
        **{"cast.guard.route": "round", "cast.guard.at": [10.0, 10.5], "cast.guard.facing": -90,
           "profiles.watcher.meter.fill_time": 0.2,
           "profiles.watcher.cones.front.fov_whole": 90, "profiles.watcher.cones.front.range": 6.0},
    )  # fmt: skip
    through = {
        (care, knows): snelk.players(scenario, to="exit", count=6, care=care, knows=knows)
        for care, knows in ((0.0, 1.0), (1.0, 0.0), (1.0, 1.0))
    }
    unnoticed = {key: (each.table.outcome == "unnoticed").mean() for key, each in through.items()}
    assert unnoticed[1.0, 0.0] + 0.2 < unnoticed[1.0, 1.0]
    assert through[0.0, 1.0].table.waited_for.max() == 0.0
    assert through[1.0, 1.0].table.waited_for.max() > 1.0
    for way, row in zip(through[1.0, 1.0].ways, through[1.0, 1.0].table.itertuples(), strict=True):
        assert np.isnan(row.through_at) or way[-1, 0] == row.through_at


def test_who_hides_goes_on_when_nobody_looks_and_all_is_calm(many: snelk.Players) -> None:
    found, calm = many, 0
    assert (found.table.hides > 0).sum() > 3
    for seed in found.table.seed[found.table.hides > 0].head(2):
        run = snelk.run(found.scenario, overrides={"seed": int(seed)})
        rows = run.events[(run.events.agent == "fox") & (run.events.kind == "goes_on")]
        for t in rows.t[rows.text.str.endswith("all is calm")].head(2):
            calm += 1
            watchers = [name for name in run.agents if name not in ("fox", "owl")]
            for back in (0.0, 0.5):
                assert not any(run.why(name, "fox", at=t - back).in_view for name in watchers)
                meters = run.meters[(run.meters.target == "fox") & (run.meters.agent != "owl")]
                assert meters[(meters.t - t + back).abs() < 1e-6].value.max() < 0.3
    assert calm >= 2


def test_who_is_noticed_before_it_sets_out_is_warned_and_sets_out(tmp_path: Path) -> None:
    sees = {"cast.guard.at": [4.0, 9.0], "cast.guard.facing": -135.0}
    found = snelk.players(field(tmp_path, **sees), to="exit", count=3, delay=8.0, care=0.0)
    assert (found.table.outcome == "too late").all()
    assert (found.table.warned_at < 1.0).all()
    assert (found.table.through_at < 8.0).all()


LOOKS_DOWN: dict[str, Any] = {
    "cast.guard.at": [10.0, 11.0], "cast.guard.facing": -90.0,
    "profiles.watcher.cones.front": {"fov_whole": 90, "range": 12.0},
    "profiles.watcher.meter": {"fill_time": 1000.0},
    "cast.guest.play": {"to": "exit", "care": 1.0, "delay": 0.0, "patience": 4.0},
}  # fmt: skip


@pytest.mark.parametrize(("start", "does"), [((1.0, 6.0), "waits"), ((8.0, 6.0), "hides")])
def test_who_minds_a_danger_waits_out_of_view_and_hides_in_view(
    start: tuple[float, float], does: str, tmp_path: Path
) -> None:
    looks = {**LOOKS_DOWN, "cast.guest.at": list(start)}
    run = snelk.run(field(tmp_path, **looks))
    own = run.events[(run.events.agent == "guest") & run.events.kind.isin(["waits", "hides"])]
    first = own.iloc[0]
    assert (first.kind, first.target) == (does, "guard")
    there = [run.why("guard", "guest", at=t) for t in np.arange(first.t + 3.0, first.t + 3.9, 0.2)]
    assert not any(each.in_view for each in there)  # where it waits, or has come to hide
    floors = [
        scenes.feature("floor", f"{n}", shapely.box(-9, n, 29, n + 1.5))
        for n in np.arange(-9.0, 29.0, 1.5)
    ]
    tiled = snelk.run(field(tmp_path, *floors, **looks))
    pd.testing.assert_frame_equal(tiled.poses[["x", "y"]], run.poses[["x", "y"]], atol=0.01)


@pytest.mark.parametrize("rise", [0.0, 0.05])
def test_cover_is_the_farthest_of_the_nearest_places_that_nobody_has_in_view_now(
    rise: float, tmp_path: Path, monkeypatch: Any
) -> None:
    covers, cover, seen_by = [], Play._cover, Play._seen_by
    slope = shapely.Polygon([(x, y, rise * x) for x, y in [(-9, -9), (29, -9), (29, 29), (-9, 29)]])
    turns = np.radians(np.arange(0, 360, 15))

    def foresees_nothing(self: Play, at: Any, tau: Any = None) -> Any:
        return seen_by(self, at) if tau is None else np.full(len(at), -1)

    def noted(self: Play, by: int) -> Any:
        with monkeypatch.context() as patched:
            patched.setattr(Play, "_seen_by", foresees_nothing)
            found = cover(self, by)
        here, guard = self.me.here, [10.0, 11.0, 10.0 * rise]
        assert found[2] == pytest.approx(rise * found[0])
        far = np.hypot(*(found - here)[:2])
        x, y = here[:2, None] + far * np.array([np.cos(turns), np.sin(turns)])
        places = np.column_stack([x, y, rise * x])
        free = [at for at in places if seen_by(self, at[None])[0] < 0]
        as_near = [at for at in free if self.me.length_to(at) < self.me.length_to(found) + 1e-6]
        off = [np.linalg.norm(at - guard) for at in (found, *as_near)]
        assert off[0] > max(off) - 1e-6
        covers.append(len(as_near))
        return found

    monkeypatch.setattr(Play, "_cover", noted)
    floor = scenes.feature("floor", "slope", slope)
    more = {"cast.guest.at": [8.0, 6.0], "cast.guest.z": 8.0 * rise, "cast.guard.z": 10.0 * rise}
    more["profiles.watcher.cones.front"] = {"fov_whole": 48, "range": 12.0}
    snelk.run(field(tmp_path, floor, **{**LOOKS_DOWN, **more}))
    assert max(covers) > (0 if rise else 8)


def patrolled(folder: Path, y: float, knows: float, **more: Any) -> snelk.Run:
    """A guard walks to and fro along y, and whoever plays has much patience."""
    line = shapely.LineString([(17, y), (2, y)])
    looks = {
        "cast.guard.route": "round", "cast.guard.at": [17.0, y], "cast.guard.facing": 180.0,
        "profiles.watcher.cones.front": {"fov_whole": 90, "range": 6.0},
        "profiles.watcher.meter": {"fill_time": 1000.0},
        "cast.guest.play": {"to": "exit", "care": 1.0, "knows": knows, "delay": 0.0, "patience": 60.0},
    }  # fmt: skip
    states = {"round": {"patrol": {"order": "back_and_forth"}}}
    route = scenes.feature("route", "round", line)
    return snelk.run(field(folder, route, states=states, end=10.0, **{**looks, **more}))


def test_who_waits_leaves_before_somebody_looks_there(tmp_path: Path) -> None:
    keeper = {
        "like": "watcher", "ladder": {"states": {"standing": {"stand": {}}}},
        "cones": {"front": {"fov_whole": 40, "range": 12.0}},
    }  # fmt: skip
    stands = {"team": "home", "profile": "keeper", "at": [10.0, 11.0], "facing": -90.0}
    run = patrolled(tmp_path, 2.0, 1.0, **{"profiles.keeper": keeper, "cast.keeper": stands})
    own = run.events[run.events.agent == "guest"]
    assert list(zip(own.kind, own.target, strict=True))[:2] == [
        ("waits", "keeper"),
        ("hides", "guard"),
    ]
    # From 5.47 m on, in the cone's corner, the guard would see it: at 7.7 s, told 1.5 s ahead.
    assert own.t.iloc[1] == pytest.approx((17.0 - 5.47) / 1.5 - 1.5, abs=0.45)
    assert not run.sight[(run.sight.target == "guest")].in_view.any()


def test_who_is_seen_where_it_hides_runs_on(tmp_path: Path) -> None:
    run = patrolled(tmp_path, 6.0, 0.0, **{"cast.guest.at": [7.0, 6.0]})
    sees = run.sight[
        (run.sight.agent == "guard") & (run.sight.target == "guest")
    ].in_view.to_numpy()
    x, y = run.poses[run.poses.id == "guest"][["x", "y"]].to_numpy().T
    stands = np.append(np.hypot(np.diff(x), np.diff(y)) < 1e-9, True)
    assert sees.sum() > 40
    seen_for = longest = 0
    for still in sees & stands:
        seen_for = seen_for + 1 if still else 0
        longest = max(longest, seen_for)
    assert longest <= 4  # it looks about every 0.3 s, and may have to turn


def test_the_careful_choose_ways_that_are_less_in_view(tmp_path: Path) -> None:
    looks = {
        "cast.guard.at": [10.0, 9.0], "cast.guard.facing": -90.0,
        "profiles.watcher.cones.front": {"fov_whole": 100, "range": 6.0},
    }  # fmt: skip
    scenario = field(tmp_path, **looks)
    in_view: dict[float, list[float]] = {}
    for care in (0.0, 1.0):
        play = {"to": "exit", "care": care, "delay": 0.0}
        played = scenario.changed({"cast.guest.play": play})
        simulation = Simulation(played, variants=[{"seed": n} for n in range(12)])
        simulation.step()
        for v in range(12):
            player = simulation.world.thinking.activity_of(v, simulation.agents.index("guest"))
            assert isinstance(player, Play)
            way = shapely.LineString([(1.0, 6.0), *(leg[:2] for leg in player.legs)])
            turns = np.radians(np.linspace(-140, -40, 60))
            arc = np.stack([10 + 6 * np.cos(turns), 9 + 6 * np.sin(turns)], axis=1)
            cone = shapely.Polygon([(10, 9), *arc])
            in_view.setdefault(care, []).append(way.intersection(cone).length / way.length)
    assert np.mean(in_view[1.0]) < np.mean(in_view[0.0]) - 0.05


def test_a_state_can_be_the_sign() -> None:
    asked: dict[str, Any] = {"to": "coop-door-north", "ignore": ["owl"], "count": 3}
    found = snelk.players(CROFT, signs=["pricked-up"], **asked)
    by_meter = snelk.players(CROFT, **asked).table
    assert (found.table.warned_at <= by_meter.warned_at).all()
    for row in found.table.itertuples():
        run = snelk.run(found.scenario, overrides={"seed": row.seed})
        pricked = run.states[(run.states.agent == "dog") & (run.states.state == "pricked-up")]
        if row.warned_by == "dog":
            assert row.warned_at == pytest.approx(pricked.t.min(), abs=0.11)
            text = run.events[run.events.kind == "warned"].text.iloc[0]
            assert text == "fox is warned: dog is pricked-up"


def test_doors_and_floors(tmp_path: Path) -> None:
    walls = [
        scenes.feature("wall", "fence", shapely.LineString(ends), top=3.0)
        for ends in ([(12, -1), (12, 5)], [(12, 7), (12, 13)])
    ]
    walls[1]["properties"]["name"] = "other fence"
    door = scenes.feature(
        "wall", "wicket", shapely.LineString([(12, 5), (12, 7)]), top=2.0, door=True
    )
    opens = {"doors.wicket.who": ["guard"], "change": [{"t": 6.0, "of": "wicket", "to": "open"}],
             "profiles.watcher.cones.front.range": 0.5}  # fmt: skip
    found = snelk.players(field(tmp_path, *walls, door, **opens), to="exit", count=4, delay=0.0)
    assert found.doors == ("wicket",)
    assert (found.table.outcome == "unnoticed").all()
    assert (found.table.waited_for >= 6.0).all()
    assert (found.table.through_at > 8.0).all()
    never = {key: each for key, each in opens.items() if key != "change"}
    shut = field(tmp_path / "shut", *walls, door, **never)
    shut = snelk.players(shut, to="exit", count=2, delay=0.0)
    assert (shut.table.outcome == "not there").all()
    assert (shut.table.waited_for == 20.0).all()
    solid = scenes.feature("wall", "wicket", shapely.LineString([(12, 5), (12, 7)]), top=2.0)
    with pytest.raises(snelk.InputError, match=r"cannot be reached on foot from \(1, 6\)"):
        snelk.players(field(tmp_path / "no", *walls, solid), to="exit", count=1)
    upstairs = snelk.players(MILL, target="thief", to="stone floor lamp", count=2, care=0.9)
    assert max(way[:, 3].max() for way in upstairs.ways) > 2.0  # m: they climb the stairs


def test_recorded_noises_of_a_player_are_left_out_and_its_rights_kept() -> None:
    scenario = snelk.load(CROFT, overrides={"cast.fox.play.to": "coop doorstep"})
    assert "fox" not in scenario.tracks
    assert scenario.setup.clock.end == 90.0
    assert scenario.setup.names_of("fox") == ("fox", "fox-player", "fox")
    assert not any(each.by == "fox" for each in scenario.setup.noise)
    assert "fox" not in scenario.noises.by
    again = scenario.changed({"seed": 3})
    assert again.setup.cast["fox"].at == (6.0, 4.0)
    assert "fox" not in again.tracks
    with pytest.raises(snelk.InputError, match="must have the same simulated players"):
        Simulation(snelk.load(CROFT), variants=[{}, {"cast.fox.play.to": "coop doorstep"}])
    taken = scenario.changed({"profiles.fox-player": {"like": "hen"}})
    assert taken.setup.profiles["fox-player"].like == "hen"
    assert taken.setup.profile_of("fox").ladder == scenario.setup.profile_of("fox").ladder


def test_a_player_begins_where_it_is_first_in_its_track(tmp_path: Path) -> None:
    loft = scenes.feature("floor", "loft", shapely.box(-5, -5, 20, 5), height=4.0)
    rows = "0,guest,1,0,0,false\n1,guest,2,0,90,true\n3,guest,8,0,0,true\n"
    track = f"t,id,x,y,heading,present\n{rows}"
    end = scenes.feature("spot", "end", shapely.Point(15, 0, 4))
    more = {"cast.guest.play.to": "end", "cast.guest.z": 4.0}
    scenario = scenes.scene(tmp_path, loft, end, states=STANDS, track=track, more=more)
    member = scenario.setup.cast["guest"]
    assert (member.at, member.z, member.facing) == ((2.0, 0.0), 4.0, pytest.approx(90.0))
    assert snelk.players(scenario, count=1, delay=0.0).ways[0][0, 1:4].tolist() == [2.0, 0.0, 4.0]


def test_sweeps_expectations_and_wishes_count_players(tmp_path: Path) -> None:
    command("new", "yard", cwd=tmp_path)
    path = tmp_path / "yard" / "scenario.toml"
    with path.open("a") as file:
        file.write("""
[cast.child.play]
to = "exit"

[expect.hard]
measure = { of = "child.got_through", at_least = 1 }
seeds = 3
share = 0.9

[fairness.garden]
cell = 1.0
every = 5.0

[expect.fair]
measure = { of = "garden.unfair", at_most = 0.05 }
""")
    players = snelk.players(path, count=3).table
    key = "profiles.hound.meter.fill_time"
    usual = snelk.load(path).setup.profiles["hound"].meter
    assert usual is not None
    swept = snelk.sweep(
        path, vary={key: [usual.fill_time, 9.0]}, seeds=3, out=tmp_path / "s.parquet", jobs=1
    )
    rows = swept.table[swept.table[key] == usual.fill_time]
    for name in ("got_through", "through_at", "too_late_at", "hidden_for", "warning"):
        assert np.array_equal(rows[f"child.{name}"], players[name], equal_nan=True)
    slower = snelk.players(snelk.load(path, overrides={key: 9.0}), count=3).table
    others = swept.table[swept.table[key] == 9.0]
    assert np.array_equal(others["child.got_through"], slower.got_through)
    verdicts = {each.name: each for each in snelk.verify(path)}
    assert verdicts["hard"].held == int(players.got_through.sum())
    share = snelk.fairness(path, cell=1.0, every=5.0).share
    assert rows["garden.unfair"].iloc[0] == share > 0.05
    assert others["garden.unfair"].iloc[0] != share
    assert not verdicts["fair"].met
    assert "unfair is at most 0.05; it is" in str(verdicts["fair"])
    with pytest.raises(snelk.InputError, match='no such threshold \\(given: "sur"\\)'):
        snelk.load(path, overrides={"fairness.garden.late": "sur"})


def test_who_is_taken_out_waits_no_longer(tmp_path: Path) -> None:
    wall = scenes.feature("wall", "fence", shapely.LineString([(12, -1), (12, 13)]), top=3.0)
    taken = field(tmp_path, wall, **{
        "cast.guest.play": {"to": "exit", "delay": 0.0}, "profiles.watcher.cones.front.range": 0.5,
        "effect": [{"t": 5.0, "of": "guest", "removes": True}],
    })  # fmt: skip
    measures = snelk.run(taken).measures.set_index(["measure", "agent"]).value
    began = snelk.run(taken).events.query("kind == 'waits'").t.iloc[0]
    assert measures["waited_for", "guest"] == pytest.approx(5.0 - began)


def test_a_player_stays_if_it_is_to(tmp_path: Path) -> None:
    quiet = {"profiles.watcher.cones.front.range": 0.5}
    stays = field(tmp_path, **quiet).changed({"cast.guest.play": {"to": "exit", "leaves": False}})
    run = snelk.run(stays)
    assert run.poses[(run.poses.id == "guest") & run.poses.present].t.max() == run.times[-1]
    leaves = snelk.run(stays, overrides={"cast.guest.play.leaves": True})
    through = leaves.events[leaves.events.kind == "through"].t.iloc[0]
    there = leaves.poses[(leaves.poses.id == "guest") & leaves.poses.present]
    assert there.t.max() == pytest.approx(through)


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--to", "coop-dor"], 'no such spot or zone (given: "coop-dor"); did you mean'),
        ([], "to: is missing; name a spot or a zone, or write [cast.fox.play] to"),
        (
            ["--to", "pasture", "--care", "0.8:0.2"],
            "must be a number from 0 to 1, or [least, most]",
        ),
        (["--to", "pasture", "--care", "high"], "must be a number, or two as 0.2:0.8"),
        (["--to", "pasture", "--knows", "1.5"], "must be a number from 0 to 1"),
        (["--to", "pasture", "--count", "0"], "count: must be from 1 to 100000 (given: 0)"),
        (
            ["--to", "pasture", "--ignore", "gose-1"],
            'no such agent (given: "gose-1"); did you mean',
        ),
        (["--to", "pasture", "--signs", "asleap"], "no such alert state"),
        (["--to", "pasture", "--sign", "0"], "must be above 0"),
        (["--to", "pasture", "--from", "1,2,3,4"], "must be a spot, a zone, or (x, y)"),
        (["--to", "pasture", "--from", "pasture"], "to: is where fox starts, at ("),
        (["--to", "coop doorstep", "--from", "coop doorstep"], "start elsewhere, or choose"),
        (
            ["--to", "pasture", "--set", "cast.fox.play={to='pasture', delay=[5]}"],
            "0 to 3600 s, or [least, most]",
        ),
        (
            ["--to", "pasture", "--set", "cast.fox.play={to='pasture', care=nan}"],
            "from 0 to 1, or [least, most]",
        ),
        (
            ["--to", "pasture", "--set", "fairness.f.sign=true"],
            "must be a meter value from 0 to 1, or",
        ),
        (["--to", "pasture", "--least", "2"], "--least: must be from 0 to 1"),
        (["--to", "pasture", "--target", "owls"], "no such character"),
        (["--to", "pasture", "--figure", "a.bmp"], "a.bmp"),
    ],
)
def test_mistakes_get_one_line(words: list[str], said: str, tmp_path: Path) -> None:
    complained = command("players", CROFT, *words, cwd=tmp_path, code=2)
    assert said in complained
    assert len(complained.strip().splitlines()) == 1
    assert not list(tmp_path.iterdir())


def test_the_command_tells_all_and_fails_if_it_is_too_hard(tmp_path: Path) -> None:
    words = (
        "players",
        CROFT,
        "--to",
        "hedge-gap",
        "--ignore",
        "owl",
        "--count",
        "3",
        "--jobs",
        "1",
    )
    said = command(*words, "--out", "p.csv", "--figure", "p.png", cwd=tmp_path, process=True)
    assert max(map(len, said.split("snelk run")[0].splitlines())) <= 80
    assert "seeds 7 to 9" in said
    assert "scarecrow" in said
    data = json.loads(command(*words, "--json", cwd=tmp_path))
    assert len((tmp_path / "p.csv").read_text().splitlines()) == 4
    assert {row["outcome"] for row in data["players"]} <= {
        "unnoticed", "warned", "too late", "not there"}  # fmt: skip
    # The run that is told of is that of the player.
    row = next(row for row in data["players"] if row["outcome"] == "too late")
    line = next(each for each in said.splitlines() if "snelk run" in each)
    assert f"seed={row['seed']}" in line
    sets = ["--set=cast.fox.play.to=hedge-gap", '--set=cast.fox.play.ignores=["owl"]']
    command("run", CROFT, *sets, f"--set=seed={row['seed']}", "--out", "r", cwd=tmp_path)
    run = snelk.open_run(tmp_path / "r")
    measures = run.measures.set_index("key").value
    assert measures["fox.too_late_at"] == row["too_late_at"]
    command(*words, "--least", "0.9", "--json", cwd=tmp_path, code=1)


def test_the_figure_shows_every_way_and_outcome(many: snelk.Players) -> None:
    found = many
    drawn = plot_players(found)
    counts = found.table.outcome.value_counts()
    for outcome, lines in drawn.ways.items():
        assert len(lines) == counts[outcome]
    heights = {key: [bar.get_height() for bar in bars] for key, bars in drawn.bars.items()}
    assert np.allclose(np.sum(list(heights.values()), axis=0), 100.0)
    assert drawn.late is not None
    assert np.sum(~np.isnan(drawn.late.get_xdata())) == found.table.too_late_x.notna().sum()  # type: ignore[arg-type]
    often = found.noticers[found.noticers.too_late >= 3]
    assert {name.get_text() for name in drawn.named} >= set(often.agent)
    shares = found.shares.set_index("care")
    assert shares.loc["all", "players"] == 20
    assert found.through == pytest.approx(shares.loc["all", ["unnoticed", "warned"]].sum())
