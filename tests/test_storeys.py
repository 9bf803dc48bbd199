"""Whom Snelk moves on levels with storeys: stairs, ladders, drops, and nothing but floors."""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely
from browser import opened, unpacked
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from test_floors import HOUSE, feature, level_of, link, square
from test_walks import random_walk

import snelk
from snelk.body.turning import first_corner
from snelk.config.steps import HEADROOM, STEP
from snelk.level.barring import first_bar
from snelk.page.gathering import Gathered
from snelk.page.glance import glances
from snelk.page.packing import Packer
from snelk.plots.animation import HEARD_FOR, Animation
from snelk.plots.appearance import FAINTNESS, shares_on
from snelk.runs.record import ANY_FLOOR, floors_of
from snelk.runs.rows import Rows

LADDER = link("ladder", [[-3.0, 1.5, 0.0], [-3.0, 2.5, 2.8]], seconds=4.0)
LOFT = {**scenes.feature("spot", "loft", shapely.Point(-3, 3, 2.8))}
YARD = {**scenes.feature("spot", "yard", shapely.Point(-3, 3, 0.0))}


def poses(run: snelk.Run, who: str = "guard") -> Any:
    rows = run.poses[run.poses.id == who]
    return rows.t.to_numpy(), rows[["x", "y", "z"]].to_numpy()


def go(folder: Path, spot: str, *more: dict[str, Any], **changes: Any) -> snelk.Run:
    states = {"go": {"go": {"spot": spot}, "pace": "walking"}}
    return snelk.run(
        scenes.scene(folder, *HOUSE, LOFT, YARD, *more, states=states, end=40.0, more=changes)
    )


@pytest.mark.parametrize(("z", "wall", "up_to"), [(0.0, "low", 2.02), (2.8, "high", 1.02)])
def test_the_walls_of_a_storey_stop_touch_and_beliefs_there_and_no_others(
    tmp_path: Path, z: float, wall: str, up_to: float
) -> None:
    walls = [
        scenes.feature("wall", name, shapely.LineString([(x, 1), (x, 5)]), see_through=1.0, **span)
        for name, x, span in (("low", 2, {"top": 2.5}), ("high", 1, {"base": 2.8, "top": 5.0}))
    ]
    more = {
        "profiles.watcher.touch": {"radius": 6.0}, "profiles.watcher.memory.lead": 9.0,
        "cast.guard.at": [0.5, 3.0], "cast.guard.z": z, "cast.guest.z": z,
    }  # fmt: skip
    track = samples.track_of((0, 3.5, 3), (1, 2.5, 3))
    run = snelk.run(
        scenes.scene(
            tmp_path, *HOUSE, *walls, states={"stand": {}}, track=track, more=more, end=4.0
        )
    )
    felt = run.contacts[run.contacts.sense == "touch"].iloc[0]
    assert (felt.result, felt.wall) == ("wall", wall)
    last = run.beliefs.iloc[-1]
    assert (last.source, last.x) == ("lead", pytest.approx(up_to, abs=1e-9))


@pytest.mark.parametrize(("up", "z", "arrives"), [
    (2.8, 0.0, False), (2.8, 2.8, True), (2.8, 2.6, True), (2.6, 2.8, True), (0.1, 2.8, False),
])  # fmt: skip
def test_who_is_moved_below_or_above_where_it_would_go_has_not_arrived(
    up: float, z: float, arrives: bool, tmp_path: Path
) -> None:
    spot = scenes.feature("spot", "loft", shapely.Point(-3, 3, up))
    states = {"go": {"go": {"spot": "loft"}}, "there": {}}
    transitions = {"up": {"to": "there", "when": "arrived"}}
    scenario = scenes.scene(
        tmp_path,
        *HOUSE,
        spot,
        states=states,
        transitions=transitions,
        track=samples.track_of((0, 5, 1)),
        end=8.0,
    )
    path = Path(scenario.source)
    path.write_text(path.read_text().replace("at = [0, 0]\n", ""))
    rows = "".join(f"{t},guard,{x},3,{z},0\n{t},guest,5,-8,0,0\n" for t, x in ((0, -9), (8, 9)))
    (tmp_path / "track.csv").write_text("t,id,x,y,z,heading\n" + rows)
    run = snelk.run(path, overrides=dict(scenario.overrides))
    changes = run.states[run.states.transition == "up"]
    assert len(changes) == arrives
    near = (6.0 - 0.3) / 18.0 * 8.0
    assert changes.t.tolist() == pytest.approx([near] * arrives, abs=0.101)


def test_a_rail_round_the_head_of_a_stair_is_over_its_foot(tmp_path: Path) -> None:
    # At the loft's height all round: beside the upper half of the stair, over the lower.
    corners = [(8, 0), (4, 0), (4, 2), (8, 2)]
    rail = scenes.feature("wall", "rail", shapely.LineString(corners), base=2.8, top=3.8)
    _t, at = poses(go(tmp_path, "loft", rail))
    assert at[-1, 2] == 2.8
    high = (at[:, 0] > 6.0) & (at[:, 0] < 7.9) & (at[:, 2] < 2.8)
    assert np.abs(at[high, 1] - 1.0).max() <= 1.0 - 0.25 + 1e-9
    low = scenes.feature("wall", "rail", shapely.LineString(corners), base=1.9, top=3.8)
    assert poses(go(tmp_path, "loft", low))[1][:, 2].max() < 0.1


def test_of_a_search_over_two_floors_what_is_on_the_other_is_faint(
    browser: Any, tmp_path: Path
) -> None:
    scenario, left = random_walk(tmp_path, 3113)[0], {}
    run = snelk.run(scenario)
    points = run.searches[(run.searches.agent == "second") & (run.searches.search == 3)]
    points = points[(points.what == "planned") & (points.t <= 10.6)]
    cells = run.likelihood[(run.likelihood.agent == "second") & (run.likelihood.t == 10.5)]
    for name, rows in (("points", points), ("cells", cells)):
        assert set(rows.z) == {0.0, 3.0}
        on = [run.level.floor_at(x, y, z) for x, y, z in rows[["x", "y", "z"]].to_numpy()]
        assert on == ["floor1" if z else "floor0" for z in rows.z]
        left[name] = np.where(rows.z == 3.0, 1.0, FAINTNESS).tolist()
    whole, drawn = (
        snelk.plot_map(run, at=10.6, floor=floor).searches["second"] for floor in (None, "floor1")
    )
    assert [mark.get_alpha() for mark in drawn.marks] == left["points"]
    assert {mark.get_alpha() for mark in whole.marks} == {1.0}
    assert drawn.cells is not None
    assert whole.cells is not None
    shares = np.divide(drawn.cells.get_alpha(), whole.cells.get_alpha())
    np.testing.assert_allclose(shares, left["cells"])
    looked_at = snelk.plot_map(run, at=3.0, floor="floor1").searches["guard"]
    assert len(looked_at.visited) == 2
    assert {mark.get_alpha() for mark in looked_at.marks} == {FAINTNESS}
    figure = snelk.plot_search(run, "second", search=3)
    assert all(panel.get_title().endswith(", on floor0") for panel in figure.axes)
    # Of a run of before these tables had heights nothing is faint.
    table = run.rows("searches")
    before = Rows({name: table.column(name) for name in table if name != "z"})
    assert set(floors_of(run, before)) == {ANY_FLOOR}
    assert set(shares_on(run, before, "floor1")) == {1.0}
    # What the workbench shows at once lies on the same floors.
    whole_page = Packer()
    kept = Gathered(run, whole_page, "a").kept
    packers = whole_page, [*glances(scenario, Packer, "a", kept)][-1].packer
    told, quick = (unpacked(b"".join(each._pieces), each.index) for each in packers)
    floors = [name for name in told if re.fullmatch(r"a\.likely\.\d+\.on", name)]
    assert {on for name in floors for on in told[name].tolist()} == {0, 1}
    assert all(quick[name].tolist() == told[name].tolist() for name in floors)
    opened(browser, snelk.write_page(tmp_path / "page.html", run))
    script = """const map = snelkPage.maps[0], { pen } = map, found = { cells: [], points: [] };
        snelkPage.go(10.6);
        for (const [of, how] of [["cells", "fillRect"], ["points", "stroke"]]) {
          const real = pen[how].bind(pen);
          pen[how] = (...at) => { found[of].push(pen.globalAlpha); real(...at); };
        }
        map.run.searches = map.run.searches.filter((line) => line.agent === 1);
        map.showFloor(arguments[0]);
        map.drawSearch(10.6);
        return found;"""
    shown, all_of = (browser.execute_script(script, floor) for floor in ("floor1", ""))
    script = (
        "const [map] = snelkPage.maps; map.showFloor('floor1'); return map.shareOn(arguments[0])"
    )
    assert browser.execute_script(script, ANY_FLOOR) == 1.0
    assert set(all_of["points"]) == {1.0}
    np.testing.assert_allclose(shown["points"], np.where(points.z == 3.0, 1.0, 0.15))
    halves = np.divide(shown["cells"], all_of["cells"])
    np.testing.assert_allclose(halves, np.where(cells.z == 3.0, 1.0, 0.15))


ALPHAS = """const [t, floor] = arguments, map = snelkPage.maps[0], { pen } = map, out = {};
    const real = pen.stroke.bind(pen);
    snelkPage.alike = true;
    snelkPage.go(t);
    for (const theme of ["drawReaches", "drawBeliefs", "drawNoise"]) {
      out[theme] = ["", floor].map((name) => {
        const kept = [];
        map.showFloor(name);
        pen.stroke = (...how) => { kept.push(pen.globalAlpha); real(...how); };
        map[theme](t);
        return kept;
      });
    }
    pen.stroke = real;
    return out;"""
"""How strong a page draws what belongs to a theme: on all floors alike, and on a map of one."""


def test_on_a_map_of_one_floor_all_that_is_on_others_is_faint(browser: Any, tmp_path: Path) -> None:
    run, shown, seen = snelk.run(snelk.mill() / "night.toml"), "stone floor", set()
    ears: set[tuple[float, bool]] = set()
    opened(browser, snelk.write_page(tmp_path / "page.html", run))
    for t in (21.8, 29.7, 36.2, 49.3, 64.1):
        now = {
            name: run.table(name)[run.table(name).t == t]
            for name in ("poses", "signals", "beliefs")
        }
        there, believed = (
            now["poses"].set_index("id"),
            now["beliefs"].set_index(["agent", "target"]),
        )
        goals = now["signals"].set_index("agent")[["goal_x", "goal_y", "goal_z"]]
        wanted = {theme: Counter[float]() for theme in ("drawReaches", "drawBeliefs", "drawNoise")}

        def left(
            at: Any, theme: str, strokes: int, wanted: dict[str, Counter[float]] = wanted
        ) -> float:
            here = run.level.floor_at(*at) == shown
            wanted[theme][1.0 if here else 0.15] += strokes
            return 1.0 if here else FAINTNESS

        drawn = snelk.plot_map(run, at=t, floor=shown)
        for (agent, what), circle in drawn.reaches.items():
            at = goals.loc[agent] if what == "arrive" else there.loc[agent, ["x", "y", "z"]]
            assert circle.get_alpha() == left(at, "drawReaches", 3 if what == "arrive" else 1)
        for pair, mark in drawn.ghosts.items():
            share = left(believed.loc[pair, ["x", "y", "z"]], "drawBeliefs", 2)
            assert (mark.get_alpha(), drawn.uncertainties[pair].get_alpha()) == (share, 0.8 * share)
            assert bool(drawn.ghost_places[pair][2]) == (share == 1.0)
        for n, noise in drawn.noises.items():
            share = left(run.noises.loc[n, ["x", "y", "z"]], "drawNoise", 0)
            assert {
                each.get_alpha() for each in (noise.mark, noise.ring, noise.through, noise.around)
            } == {share}
            assert bool(noise.text) == (share == 1.0)
            for agent, line in noise.ears.items():  # strong if one of its ends is here
                heard = run.hearing[(run.hearing.noise == n) & (run.hearing.agent == agent)]
                ear = run.poses[(run.poses.t == heard.t.iloc[-1]) & (run.poses.id == agent)]
                here = run.level.floor_at(*ear[["x", "y", "z"]].iloc[0]) == shown
                assert line.get_alpha() == max(share, 1.0 if here else FAINTNESS)
                ears.add((share, here))
        for at in run.noises[(run.noises.t > t - 0.8) & (run.noises.t <= t + 1e-6)][
            ["x", "y", "z"]
        ].to_numpy():
            left(at, "drawNoise", 1)
        for theme, (alike, alphas) in browser.execute_script(ALPHAS, t, shown).items():
            shares = Counter(round(b / a, 3) for a, b in zip(alike, alphas, strict=True))
            assert shares == wanted[theme], (t, theme)
            seen |= {(theme, share) for share in shares}
        # So it is in an animation.
        film = Animation(run, start=t, end=t + 0.1, target="mouse", size=(640, 480), floor=shown)
        film.picture(t)
        recent = run.noises[(run.noises.t > t - HEARD_FOR) & (run.noises.t <= t + 1e-9)]
        for ring, row in zip(film.shown["noises"], recent.itertuples(), strict=True):
            fade = max(1.0 - (t - row.t) / HEARD_FOR, 0.15)
            share = 1.0 if run.level.floor_at(row.x, row.y, row.z) == shown else FAINTNESS
            assert ring.get_alpha() == pytest.approx(fade * share)
        marks = [
            each.get_alpha()
            for theme in ("beliefs", "uncertainties")
            for each in film.shown.get(theme, ())
        ]
        assert Counter(marks) == Counter(
            {1.0 if share == 1.0 else FAINTNESS: n for share, n in wanted["drawBeliefs"].items()}
        )
    assert len(seen) == 6
    assert (FAINTNESS, True) in ears


def test_what_flies_from_floor_to_floor_is_faint_only_where_it_neither_begins_nor_ends(
    tmp_path: Path,
) -> None:
    floors = (
        scenes.feature("floor", "yard", shapely.box(-9, -9, 9, 2)),
        scenes.feature("floor", "attic", shapely.box(-9, 2, 9, 9), height=2.8),
    )
    cast = {"cast.guest.at": [0.0, -3.0], "cast.guest.z": 0.0}
    for to, z, faint in ((-6.0, 0.0, True), (4.0, 2.8, False)):
        throw = {"t": 0.5, "by": "guest", "kind": "bang", "at": [0.0, to], "z": z}
        more = {**cast, "throw": [throw], "noise_kinds": {"bang": {"reach": 5.0}}}
        scene = scenes.scene(
            tmp_path / str(faint), *floors, states={"stand": {"stand": {}}}, more=more
        )
        run = snelk.run(scene)
        (drawn,) = snelk.plot_map(run, at=1.0, floor="attic").throws
        assert (drawn.line.get_alpha(), drawn.text == "") == (
            (FAINTNESS, True) if faint else (1.0, False)
        )


def test_where_somebody_was_last_seen_is_faint_on_maps_of_other_floors(tmp_path: Path) -> None:
    scene = scenes.scene(
        tmp_path,
        scenes.feature("floor", "yard", shapely.box(-9, -9, 9, 9)),
        scenes.feature("floor", "attic", shapely.box(-9, -9, 9, 9), height=2.8),
        states={"stand": {"stand": {}}},
        track="t,id,x,y,heading,z,present\n0,guest,3,0,0,2.8,1\n1,guest,3,0,0,2.8,0\n9,guest,3,0,0,2.8,0\n",
        profiles=re.sub("memory = .*", "", scenes.GUARD),
        more={"cast.guard.at": [0.0, 0.0], "cast.guard.z": 2.8, "cast.guard.facing": 0.0},
        end=3.0,
    )
    run = snelk.run(scene)
    for floor, share in (("attic", 1.0), ("yard", FAINTNESS), (None, 1.0)):
        drawn = snelk.plot_map(run, at=2.0, floor=floor)
        assert drawn.ghosts["guard", "guest"].get_alpha() == share
        assert bool(drawn.ghost_places["guard", "guest"][2]) == (share == 1.0)


def test_a_hatch_over_a_ladder_is_opened_from_below_or_shuts_the_way(tmp_path: Path) -> None:
    hatch = scenes.feature(
        "wall", "hatch", shapely.box(-3.5, 1.0, -2.5, 2.4), base=2.2, top=2.3, door=True
    )

    def walk(*links: dict[str, Any], **changes: Any) -> tuple[Any, Any, list[tuple[float, str]]]:
        run = go(tmp_path, "loft", hatch, *links, **changes)
        told = run.events[run.events.kind.isin(["opened", "shut"])]
        return *poses(run), list(zip(told.t, told.text, strict=True))

    t, at, told = walk(LADDER, **{"doors.hatch": {"seconds": 2.0}})
    ((opened, text),) = told
    assert text == "hatch opened (guard, on its way)"
    up = np.flatnonzero(at[:, 2] > 0.0)[0]
    assert opened < t[up] < opened + 1.0  # not before it is open
    stood = np.flatnonzero((np.diff(at, axis=0) == 0).all(axis=1) & (t[:-1] < opened))
    assert len(stood) * 0.1 == pytest.approx(2.0, abs=0.11)
    # Also where it is farther from the foot of the ladder than one looks.
    hatch = scenes.feature(
        "wall", "hatch", shapely.box(-3.5, 2.2, -2.5, 2.4), base=2.2, top=2.3, door=True
    )
    t, at, told = walk(LADDER)
    assert told[0][1] == "hatch opened (guard, on its way)"
    assert told[0][0] < t[np.flatnonzero(at[:, 2] > 0.0)[0]]
    # For who may not open it there is no ladder while it is shut, but the stair.
    locked = {"doors.hatch": {"who": []}}
    assert walk(LADDER, **locked)[1][:, 0].max() > 7.0
    opens = [{"t": 1.5, "of": "hatch", "to": "open"}]
    t, at, _ = walk(LADDER, **locked, change=opens)
    assert at[:, 0].max() < 7.0
    assert at[-1, 2] == 2.8
    # A ladder beside the hatch does not lead through it.
    beside = link("ladder", [[-2.0, 1.5, 0.0], [-2.0, 2.5, 2.8]])
    t, at, told = walk(beside, **locked)
    assert at[:, 0].max() < 1.0
    assert told == []


def test_a_patrol_a_home_and_a_roamer_keep_to_their_floors(tmp_path: Path) -> None:
    route = scenes.feature("route", "round", shapely.LineString([(0, 0, 0), (0, 3, 2.8)]))
    states: dict[str, Any] = {"walk": {"patrol": {"route": "round"}, "pace": "walking"}}
    _, at = poses(snelk.run(scenes.scene(tmp_path, *HOUSE, route, states=states, end=60.0)))
    for corner in ((0, 0, 0.0), (0, 3, 2.8)):
        assert np.linalg.norm(at - corner, axis=1).min() <= 0.3 + 1e-9
    states = {"home": {"home": {}, "pace": "walking"}}
    more = {"cast.guard.home": [-3, 3], "cast.guard.home_z": 2.8}
    _, at = poses(snelk.run(scenes.scene(tmp_path, *HOUSE, states=states, end=40.0, more=more)))
    assert np.linalg.norm(at[-1] - (-3, 3, 2.8)) <= 0.3 + 1e-9


def test_nobody_who_lies_above_is_caught_and_who_chases_takes_the_stair(tmp_path: Path) -> None:
    states: dict[str, Any] = {
        "stand": {},
        "chase": {"approach": {}, "pace": "running", "catch": {"reach": 0.8}},
    }
    when = {"seen": {"to": "chase", "when": "knows"}}
    more = {
        "cast.guest.at": [3, 3],
        "cast.guest.z": 2.8,
        "cast.guard.at": [3, -2],
        "profiles.watcher.zone_sense": {"zones": ["attic"]},
    }
    attic = feature("zone", "attic", square(-9, -9, 30), floor="gallery")
    scene = scenes.scene(
        tmp_path, *HOUSE, attic, states=states, transitions=when, more=more, end=15.0
    )
    run = snelk.run(scene)
    _, at = poses(run)
    caught = run.events[run.events.kind == "caught"]
    assert len(caught) == 1
    assert at[:, 0].max() > 7.0
    here = at[round(caught.t.iloc[0] / 0.1)]
    assert here[2] == 2.8
    assert np.hypot(*(here - (3, 3, 2.8))[:2]) <= 0.8 + 0.25 + 0.25 + 0.5


def blocks(rng: np.random.Generator) -> list[dict[str, Any]]:
    """A level of terraces at random, with a screen, a ladder and a drop."""
    found, z = [], 0.0
    for n in range(5):
        x, y = rng.uniform(-5, 5, 2)
        z = float(rng.choice([0.0, 0.4, 1.2, 2.6, 3.0]))
        found.append(feature("floor", f"f{n}", square(x, y, float(rng.uniform(2, 6))), height=z))
    found.append(feature("floor", "base", square(-6, -6, 9), height=0.0))
    x, y = rng.uniform(-3, 1, 2)
    ramp = [[x, y, 0.0], [x + 3, y, 2.6], [x + 3, y + 2, 2.6], [x, y + 2, 0.0]]
    found.append(feature("floor", "ramp", ramp))
    line, top = shapely.LineString(rng.uniform(-5, 3, (2, 2))), float(rng.choice([0.5, 3.0]))
    wall = scenes.feature("wall", "screen", line, top=top)
    for n in range(2):
        a, b = rng.uniform(-6, 6, (2, 2))
        ends = [[*a.tolist(), 0.0], [*b.tolist(), float(rng.choice([0.4, 2.6, 3.0]))]]
        found.append(link(f"l{n}", ends, one_way=bool(n)))
    return [*found, wall]


@pytest.mark.parametrize("seed", [40, 44, 48, 93])
def test_paths_known_before_are_as_short_as_those_found_when_they_are_asked_for(seed: int) -> None:
    known, asked = (level_of(*blocks(np.random.default_rng(seed))) for _ in range(2))
    rng = np.random.default_rng(seed)
    for clearance in (0.0, 0.5):
        ways, others = known.ways(clearance=clearance), asked.ways(clearance=clearance)
        others.is_small = False
        for _ in range(12):
            a, b = (
                np.array([*rng.uniform(-6, 8, 2), rng.choice([0, 0.4, 1.2, 2.6])]) for _ in "ab"
            )
            part = ways.part_at(a)
            for stays in (False, True):
                length = ways.length_on(part, a, b, stays=stays)
                again = others.length_on(part, a, b, stays=stays)
                ends = ways.nearest(a, part, stays=stays), ways.nearest(b, part)
                assert [length, again] == pytest.approx([ways.length(*ends)] * 2, rel=1e-12)
            here = ends[0] + (2e-4, 3e-4, 0.0)  # where it stands, right beside
            for each in (ways, others):
                way, beside = each.way(*ends), each.way(*ends, here)
                assert np.isfinite(length) == (way is not None) == (beside is not None)
                if beside is not None and way is not None:
                    turns = [
                        w[first_corner(at[:2], w) :, :2]
                        for at, w in ((here, beside), (ends[0], way))
                    ]
                    np.testing.assert_array_equal(*turns)  # not first back to the other place
                    line = np.concatenate([[here[:2]], beside[:, :2]])
                    assert (
                        np.hypot(*np.diff(line, axis=0).T) @ beside[:, 2] <= length + 1e-3
                        or (beside[:, 3] >= 0).any()
                    )
                if way is not None:  # nobody stops at a corner twice, as it lies on two floors
                    twice = (np.diff(way[:, :2], axis=0) == 0.0).all(axis=1) & (way[1:, 3] < 0)
                    assert not twice.any()


def test_what_is_in_the_way_is_on_the_floor_that_the_line_comes_to_and_not_behind_its_end() -> None:
    boxes = [("ditch", 6.0, 0.0), ("bin", 2.0, 0.0), ("rail", 5.0, 2.2), ("shed", 13.0, 0.0)]
    walls = [
        scenes.feature("wall", name, shapely.box(x, -2, x + 0.5, 2), base=base, top=base + 1.0)
        for name, x, base in boxes
    ]
    floors = [
        feature("floor", "yard", square(-8, -4, 16), height=0.0),
        feature("floor", "isle", square(12, -4, 8), height=0.0),
        feature("floor", "ramp", [[-4, -2, 0], [0, -2, 2.2], [0, 2, 2.2], [-4, 2, 0]]),
    ]
    for end, said in ((8, "rail"), (4, "")):  # over the bin, and no further than the terrace
        terrace = feature("floor", "terrace", [[0, -2], [end, -2], [end, 2], [0, 2]], height=2.2)
        level = level_of(*floors, terrace, *walls)
        assert first_bar(level, np.array([-6.0, 0.0, 0.0]), np.array([7.0, 0.0, 2.2])) == said
    flat = level_of(*floors[:2], *walls)
    for x, said in ((1.0, "bin"), (7.0, ""), (30.0, "")):
        assert first_bar(flat, np.array([x, 0.0, 0.0]), np.array([15.0, 0.0, 0.0])) == said


@pytest.mark.parametrize("whole", [600, 0])  # of a large level not all paths are known before
def test_who_stands_where_it_cannot_goes_back_on_its_own_floor_or_says_why_not(
    whole: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("snelk.level.ways.WHOLE", whole)
    yard = feature("floor", "yard", square(-8, -8, 16), height=0.0)
    gate = scenes.feature("spot", "gate", shapely.Point(6, 0, 0.0))
    wall = scenes.feature("wall", "far", shapely.box(4, -8, 5, 8), top=1.0)
    kerb = scenes.feature("wall", "kerb", shapely.box(2, -8, 3, 8), top=0.3)
    beam = scenes.feature("wall", "beam", shapely.box(2, -8, 3, 8), base=1.0, top=1.5)
    loft = feature("floor", "loft", [[-3, -8], [3, -8], [3, 8], [-3, 8]], height=1.9)
    bridge = feature("floor", "bridge", [[-3, -8], [3, -8], [3, 8], [-3, 8]], height=3.0)
    rail = scenes.feature("wall", "rail", shapely.box(-3, -8, -2, 8), base=3.0, top=4.0)
    open_door = scenes.feature("wall", "gap", shapely.box(1, -8, 1.5, 8), top=2.0, door=True)

    def walk(
        x: float, *features: dict[str, Any], ground: dict[str, Any] = yard, **more: Any
    ) -> tuple[Any, str]:
        more = {"cast.guard.at": [x, 0.0], "bodies.post.radius": 0.6, **more}
        states = {"a": {"go": {"spot": "gate"}, "pace": "running"}}
        run = snelk.run(
            scenes.scene(tmp_path, ground, gate, *features, states=states, end=6.0, more=more)
        )
        return poses(run)[1], " ".join(run.events.text)

    def slab(height: float) -> dict[str, Any]:
        return feature("floor", "slab", square(-3, -3, 6), height=height)

    # The top of the slab is nearer than the yard, but no step, even if a ladder leads there.
    ladder = link("ladder", [[-6.0, 0.0, 0.0], [-2.0, 0.0, STEP + 0.05]])
    for more in ([], [ladder]):
        at, told = walk(3.02, slab(STEP + 0.05), *more)
        assert at[-1, 0] > 5.5
        assert at[:, 2].max() == 0.0
    at, told = walk(0.0, slab(1.2))
    assert (at == (0.0, 0.0, 0.0)).all()
    assert "6.0 m short, slab, too low to stand under (at" in told
    pit = feature("floor", "pit", square(-2, -2, 4), height=0.0)  # of which nothing is free
    at, told = walk(0.0, slab(1.2), ground=pit)
    assert (at == (0.0, 0.0, 0.0)).all()
    assert "cannot get to" in told
    for bars, said in (
        ([kerb], "kerb"), ([beam], "beam"), ([wall, kerb], "kerb"),
        ([open_door, wall], "gap"), ([loft], "loft, too low to stand under"), ([bridge, rail, wall], "far"),
    ):  # fmt: skip
        shut = {"doors.gap.who": []} if open_door in bars else {}
        assert f"m short, {said} (at" in walk(-6.0, *bars, **shut)[1]
    assert "m short, far (at" in walk(-6.0, open_door, wall)[1]


def holds(level: Any, at: np.ndarray, above: float) -> np.ndarray:
    """(places, floors) how much higher each floor is there, m; NaN where it is not."""
    rises = []
    for n, (_, area) in enumerate(level.data.floors):
        plane = np.array(snelk.level.columns.plain(level.floors).planes[n])
        rise = at[:, :2] @ plane[:2] + plane[2] - at[:, 2]
        rises.append(
            np.where(shapely.intersects_xy(shapely.buffer(area, above), *at[:, :2].T), rise, np.nan)
        )
    return np.stack(rises, axis=1)


def moved(given: Any, by: tuple[float, float]) -> Any:
    """Coordinates farther to a side."""
    if isinstance(given[0], int | float):
        return [given[0] + by[0], given[1] + by[1], *given[2:]]
    return [moved(each, by) for each in given]


@pytest.mark.parametrize("seed", [0, 12, 23, 28, 53, 54, 64, 71, 95, 112, 113, 124, 172])
def test_no_last_digit_decides_who_turns_where(seed: int, tmp_path: Path) -> None:
    """A level far off has other last digits; all that is at random is drawn the same."""

    def guard(by: tuple[float, float]) -> np.ndarray:
        rng = np.random.default_rng(seed)
        start, ends = rng.uniform(-5, 2, 2), []
        for _ in range(4):
            ends.append((*rng.uniform(-5, 5, 2), float(rng.choice([0, 1.2, 2.6]))))
        walls = blocks(rng)
        (screen,) = (each for each in walls if each["properties"]["name"] == "screen")
        screen["properties"]["door"] = True
        spots = [scenes.feature("spot", f"s{n}", shapely.Point(at)) for n, at in enumerate(ends)]
        route = scenes.feature("route", "round", shapely.LineString(ends))
        features = [*walls, *spots, route]
        for each in features:
            each["geometry"]["coordinates"] = moved(each["geometry"]["coordinates"], by)
        to = {"b": {"go": {"spot": "s1"}}}
        states: dict[str, Any] = {
            0: {"a": {"roam": {"every": 3.0}}},
            4: {"a": {"patrol": {"route": "round"}}, **to},
            5: {"a": {"go": {"spot": "s0"}}, **to},
        }[seed % 6]
        for state in states.values():
            state["pace"] = "running"
        turns = {
            "on": {"from": ["a"], "to": "b", "when": "state_for > 2s"},
            "back": {"from": ["b"], "to": "a", "when": "state_for > 1.7s"},
        }  # fmt: skip
        more = {
            "cast.guard.at": (start + by).tolist(), "cast.guard.z": float(rng.choice([0, 2.6])),
            "bodies.post.radius": 0.2, "doors.screen": {"seconds": 0.5, "shuts": 1.0},
            "profiles.watcher.movement.smooth": seed % 2 == 1,
        }  # fmt: skip
        scene = scenes.scene(
            tmp_path / str(by), *features, states=states, end=15.0, more=more,
            transitions=turns if "b" in states else {},
        )  # fmt: skip
        rows = snelk.run(scene).poses.query("id == 'guard'")
        return rows[["x", "y", "z", "heading_deg"]].to_numpy() - (*by, 0.0, 0.0)

    off = guard((64.0, -32.0)) - guard((0.0, 0.0))
    off[:, 3] = (off[:, 3] + 180.0) % 360.0 - 180.0
    assert np.abs(off).max() < 1e-6


@given(st.integers(0, 10_000))
@settings(max_examples=8, deadline=None)
def test_nobody_leaves_the_floors_passes_walls_or_climbs_but_by_links(
    tmp_path_factory: pytest.TempPathFactory, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    start = rng.uniform(-5, 2, 2)
    kind = ("roam", "flee", "places", "search")[seed % 4]
    spots = [
        scenes.feature(
            "spot", f"s{n}", shapely.Point(*rng.uniform(-5, 5, 2), float(rng.choice([0, 1.2, 2.6])))
        )
        for n in range(4)
    ]
    states: dict[str, Any] = {
        "roam": {"a": {"roam": {"every": 3.0}}},
        "places": {"a": {"roam": {"method": "places", "every": 3.0}}},
        "flee": {
            "a": {"evade": {"distance": 3.0}},
            "b": {"flee": {"spots": [f"s{n}" for n in range(4)]}},
        },
        "search": {
            "a": {"search": {"method": "nearby", "radius": 6.0, "points": 4, "give_up": 30.0}}
        },
    }[kind]
    for state in states.values():
        state["pace"] = "running"
    turns = {"on": {"from": ["a"], "to": "b", "when": "state_for > 2s"}} if "b" in states else {}
    scene = scenes.scene(
        tmp_path_factory.mktemp("storeys"),
        *blocks(rng),
        *spots,
        states=states,
        transitions=turns,
        end=15.0,
        more={
            "cast.guard.at": start.tolist(),
            "cast.guard.z": float(rng.choice([0, 2.6])),
            "bodies.post.radius": 0.2,
        },
    )
    run = snelk.run(scene)
    level, (_, at) = run.level, poses(run)
    with pytest.MonkeyPatch.context() as patch:  # the same if each path is found when asked for
        patch.setattr("snelk.level.ways.WHOLE", 0)
        asked = snelk.run(snelk.load(scene.source, overrides=dict(scene.overrides)))
    assert asked.events.text.equals(run.events.text)
    np.testing.assert_allclose(poses(asked)[1], at, atol=1e-9)
    ways = level.ways(clearance=0.2)
    assume(ways.part_on(at[0]) >= 0)
    ends = snelk.level.columns.plain(level.links).ends
    on_link = np.zeros(len(at), dtype=np.bool_)
    for a, b in ends.reshape(-1, 2, 3):
        share = np.clip((at - a) @ (b - a) / max((b - a) @ (b - a), 1e-9), 0, 1)[:, None]
        on_link |= np.linalg.norm(a + share * (b - a) - at, axis=1) < 1e-6
    rise = holds(level, at, 1e-6)
    stands = (np.abs(rise) < 1e-6).any(axis=1)
    assert (stands | on_link).all()
    above = np.where(rise > 1e-3, rise, np.inf).min(axis=1, initial=np.inf)
    assert (on_link | (above >= HEADROOM - 1e-3)).all(), "nobody stands where it is too low"
    free = ~(on_link[1:] | on_link[:-1])
    flat = np.hypot(*np.diff(at[:, :2], axis=0).T)
    assert (np.abs(np.diff(at[:, 2]))[free] <= STEP + flat[free] + 1e-6).all()
    screen = level.data.walls[0]
    beside = (at[:, 2] < screen[0].top - 1e-3) & ~on_link
    assert (shapely.distance(screen[1], shapely.points(at[:, :2]))[beside] > 0.2 - 2e-3).all()
    lines = shapely.linestrings(np.stack([at[:-1, :2], at[1:, :2]], axis=1))
    assert not (shapely.intersects(screen[1], lines) & beside[1:] & free).any()


def test_an_event_tells_at_which_height_it_is() -> None:
    run = snelk.run(snelk.mill() / "night.toml")
    there = {(row.t, row.id): row.z for row in run.poses.itertuples()}
    searched = {(row.t, row.agent): row.z for row in run.searches.itertuples()}
    heights: dict[str, set[float]] = {}
    for row in run.events[run.events.x.notna()].itertuples():
        wanted = {
            **dict.fromkeys(("reached", "gave_up"), there.get((row.t, row.agent))),
            **dict.fromkeys(("seen_to", "alarm"), there.get((row.t, row.target))),
            **dict.fromkeys(("lit", "darkened"), 2.8),
            "searched": searched.get((row.t, row.agent)),
            "opened": {"hatch": 5.3}.get(row.wall, 0.0),
            "disproved": 0.0,
        }
        assert row.z == pytest.approx(wanted[row.kind]), row
        heights.setdefault(row.kind, set()).add(round(row.z, 2))
    assert heights["lit"] == {2.8}
    assert heights["opened"] == {0.0, 5.3}
    assert all(heights[kind] == {0.0, 2.8} for kind in ("reached", "searched", "seen_to"))
    smelt = snelk.run(snelk.croft() / "night.toml").events.query("kind == 'smelt'")
    assert smelt.z.notna().all()
