"""Fairness, against runs of somebody who stands at a place from a moment on."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import networkx
import numpy as np
import pytest
import shapely
from test_cli import command
from test_sneak import yard

import snelk
from snelk.config.recordings import TrackData
from snelk.plots.fair import plot_fair
from snelk.tuning.coverage import without
from snelk.tuning.fair import cover


def lodge(folder: Path, seed: int, **more: Any) -> snelk.Scenario:
    """The yard of two guards, who see farther and keep what they hear."""
    cones = {"front": {"fov_whole": 120, "range": 7.0, "hold_range": 8.0, "min_exposure": 0.1}}
    return yard(
        folder,
        seed,
        **{
            "profiles.watcher.cones": cones,
            "clock.end": 6.0,
            "profiles.watcher.look_every": 0.0,
            **more,
        },
    )


@pytest.mark.parametrize("seed", [5, 11])
def test_a_sign_and_too_late_are_when_a_run_has_them(seed: int, tmp_path: Path) -> None:
    rng = np.random.default_rng(seed)
    scenario = lodge(tmp_path / "yard", seed)
    found = snelk.fairness(scenario, cell=1.1, every=1.5, within=4.0, sign=0.25, late=0.6)
    assert found.times.tolist() == [0.0, 1.5, 3.0, 4.5, 6.0]
    turned = 0
    some = np.argwhere(~np.isnan(found.lost[:4]))
    order = np.argsort(found.lost[:4][tuple(some.T)])
    chosen = [*rng.permutation(some)[:8].tolist(), *some[order[[0, -2, -1]]].tolist()]
    chosen += [[int(rng.integers(4)), int(rng.integers(len(found.x)))] for _ in range(4)]
    chosen += [each for each in some.tolist() if found.by[tuple(each)] == 1][:2]
    for n, p in chosen:
        t = float(found.times[n])
        there = standing(scenario, found.x[p], found.y[p], t)
        meters = snelk.run(there).meters
        meters = meters[(meters.target == "guest") & (meters.t < t + 4.0 - 1e-6)]
        for limit, when in ((0.25, found.warned), (0.6, found.lost)):
            full = meters[meters.value >= limit - 1e-9].sort_values("t")
            expected = full.t.iloc[0] - t if len(full) else np.nan
            assert when[n, p] == pytest.approx(expected, abs=1e-6, nan_ok=True)
            turned += len(full) > 0
        if not np.isnan(found.lost[n, p]):
            first = full[full.t == full.t.iloc[0]]
            assert found.agents[found.by[n, p]] == first.sort_values("value").agent.iloc[-1]
    assert turned > 10


WARY = {
    "states": {"calm": {"patrol": {}}, "wary": {"face": {}, "catch": {"reach": 1.6}}},
    "transitions": {
        "stirs": {"from": "calm", "to": "wary", "when": "meter >= 0.15 and seen", "for": 0.2},
        "settles": {"from": "wary", "to": "calm", "when": "lost_for > 1.5s"},
    },
}


def test_where_a_state_is_a_sign_everybody_reacts_as_in_a_run(tmp_path: Path) -> None:
    slow = {"profiles.watcher.ladder": WARY, "profiles.watcher.meter.fill_time": 2.5}
    scenario = lodge(tmp_path, 5).changed(slow)
    ask: dict[str, Any] = {"cell": 1.0, "every": 2.0, "within": 4.0, "sign": 0.5, "late": 0.8}
    found = snelk.fairness(scenario, signs=["wary"], **ask)
    ends, catches = {"sooner": 0, "later": 0, "same": 0}, 0
    plain = snelk.fairness(scenario, **ask)
    assert found.times.tolist() == [0.0, 2.0, 4.0, 6.0]
    some = np.argwhere(~np.isnan(found.warned[:3]))
    for n, p in np.random.default_rng(3).permutation(some)[:24].tolist():
        t = float(found.times[n])
        run = snelk.run(standing(scenario, found.x[p], found.y[p], t))
        meters = run.meters[(run.meters.target == "guest") & (run.meters.t >= t - 1e-6)]
        states = run.signals[(run.signals.t >= t - 1e-6)]
        until = t + 4.0 - 1e-6
        wary = run.states[(run.states.state == "wary") & (run.states.t >= t - 1e-6)]
        signs = [*meters.t[meters.value >= 0.5 - 1e-9], *wary.t, *states.t[states.state == "wary"]]
        caught = run.events.t[(run.events.kind == "caught") & (run.events.t >= t - 1e-6)]
        late = [*meters.t[meters.value >= 0.8 - 1e-9], *caught]
        catches += len(caught) > 0 and caught.iloc[0] == min(late)
        for when, at in ((found.warned, [*signs, *caught]), (found.lost, late)):
            first = min((each for each in at if each < until), default=np.nan)
            assert when[n, p] == pytest.approx(first - t, abs=1e-6, nan_ok=True), (n, p)
        ours, theirs = found.warned[n, p], plain.warned[n, p]
        ends["same" if ours == theirs else "sooner" if ours < theirs else "later"] += 1
    assert ends["sooner"] > 5
    assert catches > 0
    assert not np.array_equal(found.lost, plain.lost, equal_nan=True)  # they turn to it
    shared = snelk.fairness(scenario, signs=["wary"], jobs=2, **ask)
    assert np.array_equal(shared.warned, found.warned, equal_nan=True)
    assert shared.share == found.share
    for wrong, said in (({"signs": ["weary"]}, "alert state"), ({"stance": "walking"}, "standing")):
        with pytest.raises(snelk.InputError, match=said):
            snelk.fairness(scenario, **{**ask, "signs": ["wary"], **wrong})


def test_who_has_alert_states_itself_stands_there_all_the_same(tmp_path: Path) -> None:
    wanders = {
        "cast.guest.profile": "wanderer",
        "profiles.wanderer": {
            "body": "post",
            "movement": {"walking": 3.0},
            "ladder": {"states": {"about": {"roam": {"ring": [0.5, 2.0], "every": 0.5}}}},
        },
    }
    slow = {"profiles.watcher.ladder": WARY, "profiles.watcher.meter.fill_time": 2.5}
    scenario = lodge(tmp_path, 5).changed({**slow, **wanders})
    ask: dict[str, Any] = {"cell": 1.6, "every": 3.0, "within": 4.0, "target": "guest"}
    found = snelk.fairness(scenario, signs=["wary"], agents=["guard", "other"], **ask)
    some = np.argwhere(found.lost > 0.5)
    assert len(some) > 1
    for n, p in some[:6]:
        t = float(found.times[n])
        run = snelk.run(standing(scenario, found.x[p], found.y[p], t))
        of_guest = run.meters[(run.meters.target == "guest") & (run.meters.t >= t - 1e-6)]
        caught = run.events.t[(run.events.kind == "caught") & (run.events.t >= t - 1e-6)]
        late = min([*of_guest.t[of_guest.value >= 1 - 1e-9], *caught])
        assert found.lost[n, p] == pytest.approx(late - t, abs=1e-6)


def standing(
    scenario: snelk.Scenario, x: float, y: float, t: float, who: str = "guest"
) -> snelk.Scenario:
    """The same, in which the guest comes to stand at a place."""
    when, still = np.array([t, 120.0]), np.zeros(2)
    track = TrackData(
        when, still + x, still + y, still, still, np.zeros(2, "i1"), np.zeros(2, "i1"), still == 0.0
    )
    return replace(without(scenario, who), tracks={who: track})


@pytest.mark.parametrize(("seed", "hold"), [(7, 0.5), (1, 0.8)])
def test_cover_is_where_nobody_looks_when_one_can_be_there(
    seed: int, hold: float, tmp_path: Path
) -> None:
    scenario = lodge(tmp_path, seed)
    ask: dict[str, Any] = {"cell": 1.0, "every": 2.0, "within": 4.0, "sign": 0.2, "late": 0.8,
                           "react": 0.3}  # fmt: skip
    found = snelk.fairness(scenario, pace="walking", hold=hold, **ask)
    places = np.stack([found.x, found.y, found.z], axis=1)
    seen = snelk.coverage(scenario, places=places).watched
    graph = networkx.Graph()
    walls = [outline for wall, outline in scenario.level.walls if not wall.walkable]
    for a, place in enumerate(places[:, :2]):
        for b in range(a):
            far = float(np.hypot(*(place - places[b, :2])))
            line = shapely.LineString([place, places[b, :2]])
            if far <= 1.5 and not any(line.intersects(wall) for wall in walls):
                graph.add_edge(a, b, weight=far)
    far_off = dict(networkx.all_pairs_dijkstra_path_length(graph, weight="weight"))
    unfair = noticed = 0
    for n, first in enumerate(np.rint(found.times / 0.1).astype(int).tolist()):
        for p in np.flatnonzero(~np.isnan(found.lost[n])).tolist():
            best = np.inf
            for q, far in far_off[p].items():
                takes, there = 0.3 + far / 1.4, False
                tick = first + int(np.ceil((found.warned[n, p] + takes) / 0.1 - 1e-6))
                while not there and takes <= found.lost[n, p] - found.warned[n, p] + 1e-9:
                    there = not seen[q, tick : tick + round(10 * hold)].any()
                    if not there:  # it waits there for somebody to look elsewhere
                        tick += 1
                        takes = (tick - first) * 0.1 - found.warned[n, p]
                best = min(best, takes) if there else best
            expected = best if np.isfinite(best) else np.nan
            assert found.needed[n, p] == pytest.approx(expected, abs=1e-6, nan_ok=True)
            assert found.unfair[n, p] == np.isnan(expected)
            unfair, noticed = unfair + np.isnan(expected), noticed + 1
    assert 0 < unfair < noticed
    assert found.share == pytest.approx(unfair / noticed)
    everywhere = found.zones.iloc[0]
    assert everywhere.unfair == pytest.approx(found.share)
    assert everywhere.noticed == pytest.approx(noticed / found.lost.size)
    row = found.table.unfair.to_numpy() @ (found.table.noticed.to_numpy() * len(found.times))
    assert row == pytest.approx(unfair)
    # Who has all the time there is, and who sees no sign before it is too late.
    calm = snelk.fairness(scenario, pace="running", hold=0.0, **{**ask, "react": 0.0})
    assert calm.share <= found.share
    late = snelk.fairness(scenario, pace="walking", hold=hold, **{**ask, "react": 9.0})
    assert late.share == 1.0


@pytest.mark.parametrize(("hold", "needed"), [(0.1, 0.5), (0.3, 0.9), (2.0, 0.9)])
def test_cover_is_out_of_view_for_as_long_as_it_has_to_be(hold: float, needed: float) -> None:
    looks = np.array(
        [[True] * 10, [False, False, True, False, False, False, False, True, True, True]]
    )
    away, when = (
        np.array([[0.0, 1.0], [1.0, 0.0]]),
        (0, np.array([0.1, np.nan]), np.array([2.0, np.nan])),
    )
    assert cover(looks, when, away, 2.0, 0.0, hold, 0.1)[0] == needed  # after the end nobody looks


def test_the_command_tells_zones_and_fails_where_too_much_is_unfair(tmp_path: Path) -> None:
    night = snelk.mill() / "night.toml"
    words = ["--target", "mouse", "--cell", "3", "--every", "45"]
    said = command("fair", night, *words, "--most", "1", "--out", "fair.csv",
                   "--figure", "f.png", "--floor", "ground", cwd=tmp_path)  # fmt: skip
    assert "meal floor" in said
    assert "is unfair: no more than 100.0%" in said
    assert (tmp_path / "fair.csv").read_text().startswith("x,y,z,noticed,shortest_warning,")
    data = json.loads(command("fair", night, *words, "--json", cwd=tmp_path))
    assert 0.0 < data["unfair"] < 1.0
    assert command("fair", night, *words, "--most", "0", cwd=tmp_path, code=1) == ""
    assert (tmp_path / "f.png").stat().st_size > 10_000
    found = snelk.fairness(night, target="mouse", cell=3.0, every=45.0)
    html = found._repr_html_()
    assert "meal floor" in html
    assert f"{found.share:.0%} of what is noticed is unfair" in html
    drawn = plot_fair(found, floor="ground")
    on = found.level.floors_at(np.stack([found.x, found.y, found.z], axis=1)) == 0
    noticed = (~np.isnan(found.lost)).any(axis=0)
    assert len(drawn.cells[0].get_array()) == int((on & noticed).sum())
    named = snelk.fairness(
        snelk.croft() / "night.toml", sign="wary", late="sure", cell=8.0, every=30.0
    )
    numbered = snelk.fairness(
        snelk.croft() / "night.toml", sign=0.3, late=1.0, cell=8.0, every=30.0
    )
    with_both = [a for a in named.agents if np.isfinite(named.late[a])]
    assert 3 < len(with_both) <= len(named.agents)
    assert set(np.array(with_both)).issuperset(np.array(named.agents)[named.by[named.by >= 0]])
    same = ~np.isnan(named.lost)
    assert (named.lost[same] >= numbered.lost[same]).all()
    with pytest.raises(snelk.InputError, match="no such stance"):
        snelk.fairness(night, target="mouse", stance="flying")  # type: ignore[arg-type]
    for wrong, told in (
        (["--sign", "warry"], "no such threshold"),
        (["--sign", "2"], "must be from 0 to 1"),
        (["--sign", "1"], "must be below what is too late"),
        (["--cell", "nan"], "must be above 0 m"),
        (["--cell", "0"], "must be above 0 m"),
        (["--cell", "0.2"], "use a larger cell"),
        (["--cell", "500"], "use a smaller cell"),
        (["--most", "nan"], "must be from 0 to 1"),
        (["--every", "0"], "must be above 0 s"),
        (["--react", "-1"], "must be at least 0 s"),
        (["--pace", "flying"], "no such pace"),
        (["--ignore", "bat"], "no such agent"),
    ):
        assert told in command("fair", night, "--target", "mouse", *wrong, cwd=tmp_path, code=2)
