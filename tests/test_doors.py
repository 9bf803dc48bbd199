"""Doors and lights that change: what they hide, who opens them, and how it is told."""

from __future__ import annotations

import math
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely
from browser import opened as shown
from hypothesis import given, settings
from hypothesis import strategies as st
from test_games import played

import snelk
from snelk.body.world import World
from snelk.level.columns import plain
from snelk.level.level import Level
from snelk.tuning.judging import judge_batch

# Two rooms side by side, with a door of 2 m between them, and a lamp in the second.
WALLS = [
    scenes.feature("wall", "north", shapely.LineString([(5, 1), (5, 9)]), top=3.0),
    scenes.feature("wall", "south", shapely.LineString([(5, -9), (5, -1)]), top=3.0),
    scenes.feature("wall", "gate", shapely.LineString([(5, -1), (5, 1)]), top=3.0, door=True),
    scenes.feature(
        "wall",
        "round",
        shapely.LineString([(-9, -9), (14, -9), (14, 9), (-9, 9), (-9, -9)]),
        top=3.0,
    ),
    scenes.feature("zone", "hall", shapely.box(5, -9, 14, 9), light=1.0),
    scenes.feature("spot", "far", shapely.Point(9, 0)),
]
STAND: dict[str, Any] = {"stand": {}}


def seen(run: snelk.Run) -> list[tuple[float, str]]:
    events = run.events
    return [
        (t, kind) for t, kind in zip(events.t, events.kind, strict=True) if kind in ("saw", "lost")
    ]


def scene(folder: Path, states: dict[str, Any] = STAND, **more: Any) -> snelk.Scenario:
    end = more.pop("end", 6.0)
    every = {"cast.guest.at": [9, 0], "cast.guard.at": [0, 0], **more.pop("changes", {})}
    return scenes.scene(
        folder, *WALLS, states=states, end=end, more={**every, **more.pop("more", {})}, **more
    )


def test_a_shut_door_hides_and_an_open_one_does_not(tmp_path: Path) -> None:
    changes = [{"t": 2.0, "of": "gate", "to": "open"}, {"t": 4.0, "of": "gate", "to": "shut"}]
    run = snelk.run(scene(tmp_path, more={"change": changes}))
    assert seen(run) == [(2.1, "saw"), (4.1, "lost")]
    texts = dict(zip(run.events.t, run.events.text, strict=True))
    assert texts[2.0] == "gate opened (the scenario)"
    assert texts[4.0] == "gate shut (the scenario)"
    assert "behind gate" in texts[4.1]
    assert run.why("guard", "guest", at=1.0).headline.endswith("behind gate, shut")
    assert run.why("guard", "guest", at=3.0).in_view
    assert run.why("guard", "guest", at=5.0).headline.endswith("behind gate, shut since 4 s")
    assert run.table("turns").astype(object).where(run.table("turns").notna(), None).to_numpy().tolist() == [
        [0.0, "gate", "door", "shut", None, "at first"],
        [2.0, "gate", "door", "open", None, "the scenario"],
        [4.0, "gate", "door", "shut", None, "the scenario"],
    ]  # fmt: skip
    always = snelk.run(scene(tmp_path, more={"doors.gate.open": True}))
    assert always.table("turns")["to"].tolist() == ["open"]
    assert seen(always) == [(0.0, "saw")]


def test_who_may_opens_a_door_on_its_way_and_it_shuts_behind_it(tmp_path: Path) -> None:
    go = {"go": {"go": {"spot": "far"}, "pace": "walking"}}
    more = {"doors.gate.seconds": 1.5, "doors.gate.shuts": 2.0, "doors.gate.noise": "creak",
            "noise_kinds": {"creak": {"reach": 20.0}}, "cast.guest.at": [7, 5], "cast.guest.team": "home"}  # fmt: skip
    run = snelk.run(scene(tmp_path, go, end=14.0, more=more))
    told = run.events[run.events.kind.isin(["opened", "shut"])]
    t, at, _ = scenes.guard_of(run)
    opened, shut = told.t.tolist()
    assert told.text.tolist() == ["gate opened (guard, on its way)", "gate shut (by itself)"]
    stood = np.flatnonzero((np.diff(at, axis=0) == 0).all(axis=1) & (t[:-1] < opened))
    assert (stood[-1] - stood[0] + 1) * 0.1 == pytest.approx(1.5, abs=0.11)
    assert 4.0 < at[stood[0], 0] < 5.0 - 0.25
    assert np.hypot(*(at[-1] - (9, 0))) <= 0.3 + 1e-9
    # Shut as soon as it has been open for so long, and nobody is in it.
    clear = t[np.argmax(at[:, 0] > 5.3)]
    assert shut == pytest.approx(max(opened + 2.0, clear), abs=0.11)
    noises = run.noises[run.noises.kind == "creak"]
    assert noises[["x", "y"]].to_numpy().tolist() == [[5.0, 0.0]] * 2
    assert noises.by.tolist() == ["guard", "guard"]  # who let it fall shut


def test_a_door_opens_for_who_was_recorded_before_it_comes_through(tmp_path: Path) -> None:
    rows = [(0.1 * n, 9.0 - 0.15 * n, 0.0) for n in range(61)]
    track = samples.track_of(*rows)
    agent = {"cast.guest.profile": "watcher"}  # though its track moves it
    for who, opens, also in (
        (None, True, {}), (["guest"], True, {}), (["guest"], True, agent), (["guard"], False, {}),
        ([], False, agent),
    ):  # fmt: skip
        more: dict[str, Any] = {"doors.gate.who": who, **also} if who is not None else {}
        night = scenes.scene(
            tmp_path,
            *WALLS,
            states=STAND,
            end=6.0,
            track=track,
            more={"cast.guard.at": [0, 0], **more},
        )
        run = snelk.run(night)
        told = run.events[run.events.kind == "opened"]
        assert len(told) == opens, who
        if opens:
            by = "guest, on its way" if also else "guest comes through"
            assert told.text.iloc[0] == f"gate opened ({by})"
            at = 9.0 - 1.5 * told.t.iloc[0]
            assert 5.0 + 0.25 <= at <= 5.0 + 0.25 + 0.15 + 0.05 + 0.15
            assert seen(run)[0][1] == "saw"


def test_doors_are_tended_whenever_somebody_is_near(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As if that were done at every tick; also in a game that moves people at random."""
    mill, ticks = snelk.mill() / "night.toml", []
    variants = [{"seed": n, "doors.hatch.open": n == 1, "clock.end": 60.0} for n in range(2)]
    # Who stands with its back to a door, and sets out.
    states = {**STAND, "go": {"go": {"spot": "far"}}}
    begins = {"off": {"from": "stand", "to": "go", "when": "state_for >= 1s"}}
    beside = scene(tmp_path, states, transitions=begins)
    nearer = [{"cast.guard.at": [x, 0.0], "cast.guard.facing": 180.0} for x in (4.5, 4.62, 4.7)]

    def every(name: str) -> list[Any]:
        batch = [run.events for run in snelk.run_batch(mill, variants=variants)]
        batch += [run.events for run in snelk.run_batch(beside, variants=nearer)]
        games = [played(mill, tmp_path / f"{name} {n}", n)[0]["events"] for n in (5,)]
        return batch + games

    prepare, lay_out, note = World.prepare, World.lay_out, World._note_openings

    def at_each(world: World, do: Any, *arguments: Any) -> None:
        do(world, *arguments)
        ticks.append(world.ladders.tick)
        world._next_opening[0] = -np.inf

    def always(world: World) -> None:
        note(world)
        world._next_opening[0] = -np.inf

    seldom = every("seldom")
    monkeypatch.setattr(World, "_note_openings", always)
    monkeypatch.setattr(World, "prepare", lambda world: at_each(world, prepare))
    monkeypatch.setattr(World, "lay_out", lambda world, senses: at_each(world, lay_out, senses))
    opened = [(events.kind == "opened").sum() for events in seldom]
    for events, same in zip(seldom, every("always"), strict=True):
        assert events.equals(same)
    assert min(opened) > 0
    assert min(opened[0], opened[1], opened[-1]) > 1  # in the mill
    assert len(ticks) > 600


@pytest.mark.parametrize(("who", "height", "kinds"), [
    ("guard", 3.0, ["opened", "reached"]), ("guest", 0.0, ["unreachable"]),
])  # fmt: skip
def test_a_hatch_far_along_a_ladder_opens_and_who_is_left_below_has_not_arrived(
    who: str, height: float, kinds: list[str], tmp_path: Path
) -> None:
    features = [
        scenes.feature("floor", "ground", shapely.box(-6, -4, 10, 4)),
        scenes.feature("floor", "loft", shapely.box(4, -4, 10, 4), height=3.0),
        scenes.feature("link", "ladder", shapely.LineString([(0, 0, 0), (5, 0, 3)]), seconds=2.0),
        scenes.feature("wall", "hatch", shapely.box(4.5, -0.5, 5.5, 0.5), base=2.9, top=3.1, door=True),
        scenes.feature("spot", "bed", shapely.Point(8, 0, 3)),
    ]  # fmt: skip
    more = {"cast.guard.at": [-5, 0], "doors.hatch": {"who": [who]}, "cast.guest.at": [-6, 3]}
    states = {"a": {"go": {"spot": "bed"}}}
    run = snelk.run(scenes.scene(tmp_path, *features, states=states, end=12.0, more=more))
    assert [
        kind for kind in run.events.kind if kind in ("opened", "reached", "unreachable")
    ] == kinds
    guard = run.poses[run.poses.id == "guard"]
    assert guard.z.iloc[-1] == height
    climbs = guard.t[guard.z > 0.0].min()  # not before the hatch stands open
    assert run.events.t[run.events.kind == "opened"].max() < climbs or height == 0.0


@pytest.mark.parametrize(("z", "shuts"), [(-2.1, True), (-1.9, False), (2.9, False), (3.1, True)])
def test_a_door_shuts_on_nobody_who_stands_in_it_at_its_height(
    z: float, shuts: bool, tmp_path: Path
) -> None:
    more = {"doors.gate.shuts": 1.0, "change": [{"t": 0.5, "of": "gate", "to": "open"}],
            "cast.guest.at": [5, 0], "cast.guest.z": z}  # fmt: skip
    told = snelk.run(scene(tmp_path, more=more)).events
    assert told.text[told.kind == "shut"].tolist() == ["gate shut (by itself)"] * shuts


def test_who_may_not_open_a_door_cannot_get_through_until_it_stands_open(tmp_path: Path) -> None:
    go = {"go": {"go": {"spot": "far"}, "pace": "walking"}}
    for who, through in (([], False), (["cat"], False), (["guard"], True), (["watcher"], True)):
        run = snelk.run(scene(tmp_path, go, end=14.0, more={"doors.gate.who": who}))
        assert bool(scenes.guard_of(run)[1][:, 0].max() > 5.0) is through, who
    later = [{"t": 6.0, "of": "gate", "to": "open"}]
    run = snelk.run(scene(tmp_path, go, end=20.0, more={"doors.gate.who": [], "change": later}))
    t, at, _ = scenes.guard_of(run)
    assert at[t <= 6.0, 0].max() < 5.0 - 0.25 + 1e-9
    assert np.hypot(*(at[-1] - (9, 0))) <= 0.3 + 1e-9


@pytest.mark.parametrize("method", ["go", "roam"])
def test_nobody_passes_a_door_that_shuts_in_its_face(tmp_path: Path, method: str) -> None:
    states = {
        "go": {"go": {"go": {"spot": "far"}, "pace": "running"}},
        "roam": {"roam": {"roam": {"every": 9.0, "zone": "all"}, "pace": "running"}},
    }[method]
    everywhere = scenes.feature("zone", "all", shapely.box(-9, -9, 14, 9))
    for shut in np.arange(0.5, 2.6, 0.3).tolist():
        change = [{"t": round(shut, 1), "of": "gate", "to": "shut"}]
        more = {
            "doors.gate.open": True,
            "doors.gate.who": [],
            "change": change,
            "seed": int(shut * 10),
        }
        WALLS.append(everywhere)
        try:
            run = snelk.run(scene(tmp_path, states, end=12.0, more=more))
        finally:
            WALLS.pop()
        t, at, _ = scenes.guard_of(run)
        sides = at[t > shut + 0.1, 0] > 5.0
        assert sides.all() or not sides.any(), shut


def test_lights_go_out_and_on_and_darkness_hides(tmp_path: Path) -> None:
    changes = [{"t": 2.0, "of": "hall", "to": "dark"}, {"t": 4.0, "of": "hall", "to": "lit"}]
    more = {"doors.gate.open": True, "lights.hall.dark": 0.1, "change": changes,
            "profiles.watcher.cones.front.min_light": 0.5}  # fmt: skip
    run = snelk.run(scene(tmp_path, more=more))
    assert seen(run) == [(0.0, "saw"), (2.1, "lost"), (4.1, "saw")]
    assert "too dark" in run.why("guard", "guest", at=3.0).headline
    assert run.why("guard", "guest", at=5.0).in_view
    assert "hall went dark (the scenario)" in run.events.text.tolist()
    dark = snelk.run(scene(tmp_path, more={**more, "lights.hall.lit": False}))
    assert seen(dark)[0] == (4.1, "saw")


def test_paths_on_floors_laid_out_before_are_those_of_a_level_laid_out_anew() -> None:
    data = snelk.load(snelk.mill() / "night.toml").level
    used = Level(data)
    doors = np.flatnonzero(used.is_door).tolist()
    for clearance, within, opened in (
        (0.3, None, doors[:1]), (0.3, None, doors), (0.3, "hay", doors), (0.3, None, []),
        (0.2, None, []), (0.3, "meal floor", doors[2:]), (0.3, "meal floor", []),
    ):  # fmt: skip
        how: Any = {"clearance": clearance, "within": within, "opened": frozenset(opened)}
        for ours, anew in (
            (used.ways(**how), Level(data).ways(**how)),
            (used.sound_ways_through(how["opened"]), Level(data).sound_ways_through(how["opened"])),
        ):
            assert ours.corners.tolist() == anew.corners.tolist()
            pieces = [np.array(plain(each.grid).solid_pieces).tolist() for each in (ours, anew)]
            assert pieces[0] == pieces[1]
            assert [each.wkb for each in ours.areas] == [each.wkb for each in anew.areas]


def test_variants_with_other_doors_are_as_when_they_run_alone(tmp_path: Path) -> None:
    go = {"go": {"go": {"spot": "far"}, "pace": "walking"}}
    ear = {"profiles.watcher.hearing.of_nobody": True, "noise_kinds": {"clank": {"reach": 14.0}},
           "noise": [{"t": t, "kind": "clank", "at": [7, 5]} for t in (1.0, 3.0)]}  # fmt: skip
    mate = {"cast.mate": {"team": "house", "profile": "watcher", "at": [4, 6], "facing": 180},
            "cast.guard.team": "house", "profiles.watcher.memory": {},
            "profiles.watcher.tell": {"reach": 7.0, "every": 0.4}}  # fmt: skip
    night = scene(tmp_path, go, end=8.0, more={**ear, **mate})
    variants = [
        {}, {"doors.gate.open": True}, {"doors.gate.who": []},
        {"doors.gate.seconds": 0.0, "doors.gate.shuts": 0.5},
    ]  # fmt: skip
    together = snelk.run_batch(night, variants=variants)
    for variant, one in zip(variants, together, strict=True):
        alone = snelk.run(night.changed(variant))
        for name in ("poses", "sight", "hearing", "events", "signals", "beliefs", "voices"):
            assert one.table(name).equals(alone.table(name)), (variant, name)
    words = [one.table("voices") for one in together]
    said = [(len(each), set(each.result)) for each in words]
    assert len({count for count, _ in said}) > 2
    assert set().union(*(results for _, results in said)) == {"told", "reach"}


def test_states_and_a_game_turn_doors(tmp_path: Path) -> None:
    states = {"stand": {}, "flee": {"then": {"turns": {"gate": "shut", "hall": "dark"}}}}
    turn = {"away": {"from": ["stand"], "to": "flee", "when": "seen"}}
    more = {"doors.gate.open": True, "lights.hall.dark": 0.0}
    run = snelk.run(scene(tmp_path, states, more=more, transitions=turn))
    told = run.events[run.events.kind.isin(["shut", "darkened"])]
    assert told.text.tolist() == ["gate shut (guard, away)", "hall went dark (guard, away)"] or (
        told.text.tolist() == ["gate shut (guard, flee)", "hall went dark (guard, flee)"]
    )
    live = snelk.Live(scene(tmp_path))
    kinds = []
    for n in range(20):
        if n == 5:
            live.change("gate", "open")
        kinds += [(event.kind, n) for event in live.step() if event.kind in ("saw", "opened")]
    assert kinds == [("opened", 5), ("saw", 6)]
    with pytest.raises(snelk.InputError, match="no such door"):
        live.change("north", "open")


def test_doors_and_lights_that_nothing_turns_are_told(tmp_path: Path) -> None:
    def idle(**more: Any) -> list[str]:
        found = snelk.check(scene(tmp_path, more=more))
        return [each.place for each in found if each.name == "idle-door"]

    assert idle() == []  # the guard opens it
    assert idle(**{"doors.gate.who": []}) == ['wall "gate"']
    assert idle(**{"doors.gate.who": ["cat"]}) == ['wall "gate"']
    assert idle(**{"doors.gate.who": ["watcher"], "lights.hall.dark": 0.1}) == ["lights.hall"]
    turns = [{"t": 1.0, "of": "gate", "to": "open"}, {"t": 1.0, "of": "hall", "to": "dark"}]
    assert idle(**{"doors.gate.who": [], "lights.hall.dark": 0.1, "change": turns}) == []
    (tmp_path / "doors.csv").write_text("t,of,to\n2.0,gate,open\n")
    assert idle(**{"doors.gate.who": [], "changes": ["doors.csv"]}) == []
    track = samples.track_of((0, 7, 0), (3, 8, 0))
    by_track = {"doors.gate.who": ["guest"], "cast.guest.at": None}
    night = scenes.scene(tmp_path, *WALLS, states=STAND, track=track, more=by_track)
    assert "idle-door" not in {each.name for each in snelk.check(night)}  # it comes through


def test_a_recording_turns_doors_and_lights(tmp_path: Path) -> None:
    rows = "t,of,to\n4.0,gate,shut\n2.0,gate,open\n"
    (tmp_path / "doors.csv").write_text(rows)
    listed = [{"t": 2.0, "of": "gate", "to": "open"}, {"t": 4.0, "of": "gate", "to": "shut"}]
    told = [
        snelk.run(scene(tmp_path, more=more)).table("events")
        for more in ({"changes": ["doors.csv"]}, {"change": listed})
    ]
    assert told[0].equals(told[1])
    assert {"opened", "shut"} <= {*told[0].kind}
    for text, expected in (
        ("t,of,to\n1,gatt,open\n", 'changes: no such door (given: "gatt"); did you mean "gate"'),
        ("t,of,to\n1,gate,ajar\n", 'line 2: unknown word (given: to = "ajar")'),
        ("t,of\n1,gate\n", 'column "to" is missing'),
    ):
        (tmp_path / "doors.csv").write_text(text)
        with pytest.raises(snelk.InputError, match=re.escape(expected)):
            scene(tmp_path, more={"changes": ["doors.csv"]})


def test_coverage_takes_doors_and_lights_as_they_are_while_all_pass(tmp_path: Path) -> None:
    changes = [
        {"t": 2.0, "of": "gate", "to": "open"}, {"t": 4.0, "of": "gate", "to": "shut"},
        {"t": 5.0, "of": "gate", "to": "open"}, {"t": 5.0, "of": "hall", "to": "dark"},
    ]  # fmt: skip
    more = {"change": changes, "lights.hall.dark": 0.0, "cast.guard.facing": 0,
            "profiles.watcher.cones.front.min_light": 0.5}  # fmt: skip
    night = scene(tmp_path, more=more)
    run = snelk.run(night)
    seen = run.sight[(run.sight.agent == "guard") & (run.sight.target == "guest")].in_view
    for stance in ("standing", "walking"):
        found = snelk.coverage(night, target="guest", stance=stance, places=np.array([[9.0, 0.0]]))
        np.testing.assert_array_equal(found.watched[0], seen.to_numpy())
        assert found.windows(9, 0)[0].end == pytest.approx(2.1)


@given(st.integers(0, 10_000))
@settings(max_examples=14, deadline=None)
def test_opening_a_door_never_hides_anything_nor_muffles_it(
    tmp_path_factory: pytest.TempPathFactory, seed: int
) -> None:
    rng = np.random.default_rng(seed)
    walls = [
        scenes.feature("wall", f"w{n}", shapely.LineString(rng.uniform(-6, 6, (2, 2))), top=3.0,
                       door=n == 0, see_through=float(rng.choice([0.0, 0.4])), hear_through=0.3)
        for n in range(4)
    ]  # fmt: skip
    solid = shapely.box(*rng.uniform(-5, 0, 2), *rng.uniform(0, 5, 2))
    walls[0] = walls[0] if seed % 2 else scenes.feature("wall", "w0", solid, top=1.6, door=True)
    more = {"cast.guard.at": rng.uniform(-8, 8, 2).tolist(), "cast.guest.at": rng.uniform(-8, 8, 2).tolist(),
            "profiles.watcher.cones.front.fov_whole": 360, "profiles.watcher.hearing.of_nobody": True,
            "profiles.watcher.touch": {"radius": 6.0}, "noise_kinds": {"bang": {"reach": 14.0}},
            "noise": [{"t": 0.5, "kind": "bang", "at": rng.uniform(-8, 8, 2).tolist()}]}  # fmt: skip
    night = scenes.scene(tmp_path_factory.mktemp("doors"), *walls, states=STAND, end=1.0, more=more)
    shut, opened = snelk.run_batch(night, variants=[{}, {"doors.w0.open": True}])
    for table, value in (("sight", "exposure"), ("hearing", "strength"), ("meters", "value")):
        before, after = (run.table(table)[value].fillna(0.0).to_numpy() for run in (shut, opened))
        assert len(before) == len(after)
        assert (after >= before - 1e-12).all(), table
    felt = [run.contacts.query("sense == 'touch'").result == "sensed" for run in (shut, opened)]
    assert (felt[1].to_numpy() >= felt[0].to_numpy()).all()
    around = [run.hearing.around.fillna(np.inf).to_numpy() for run in (shut, opened)]
    assert (around[1] <= around[0] + 0.003).all()  # corners stand 1 or 2 mm off
    with pytest.MonkeyPatch.context() as patch:  # where each way is found when it is asked for
        patch.setattr("snelk.level.ways.WHOLE", 0)
        again = snelk.load(night.source, overrides=dict(night.overrides))
        large = snelk.run_batch(again, variants=[{}, {"doors.w0.open": True}])
        for run, known in zip(large, around, strict=True):
            np.testing.assert_allclose(run.hearing.around.fillna(np.inf), known, atol=1e-9)


def sight(level: Any, x: float, z: float) -> float:
    """How far along a ray from the guard's eye it comes, from 0 to 1."""
    found = level.sightline((0.0, 0.0, 1.0), (x, 0.0, z))
    return 1.0 if found.place is None else found.place[0] / x


def test_the_page_shows_one_floor_and_doors_as_they_stand(browser: Any, tmp_path: Path) -> None:
    floors = [
        scenes.feature("floor", "ground", shapely.box(-9, -9, 14, 9)),
        scenes.feature("floor", "loft", shapely.box(-9, -9, -4, 9), height=2.5),
    ]
    changes = [{"t": 2.0, "of": "gate", "to": "open"}]
    night = scenes.scene(
        tmp_path, *WALLS, *floors, states=STAND, end=6.0,
        more={
            "cast.guest.at": [-6, 0], "cast.guest.z": 2.5, "cast.guard.at": [0, 0],
            "change": changes,
            "cast.post": {"team": "visitors", "body": "post", "at": [9, 0]},
        },
    )  # fmt: skip
    page = snelk.write_page(tmp_path / "page.html", snelk.run(night))
    shown(browser, page)

    def after(script: str) -> Any:
        return browser.execute_script(script)

    seen = [
        after(
            f"snelkPage.go({t}); const m = snelkPage.maps[0]; return [...m.seen.values()][0].region.outline"
        )
        for t in (1.0, 3.0)
    ]
    shut, opened = (shapely.Polygon(outline) for outline in seen)
    through = shapely.box(5.5, -0.5, 8, 0.5)
    assert not shut.intersects(through)
    assert opened.contains(through)
    level = snelk.run(night).level
    for target, feet in (("guest", 2.5), ("post", 0.0)):
        x = {"guest": -6.0, "post": 9.0}[target]
        stops = after(
            f"return sectionAt(snelkPage.run, 0, snelkPage.run.names.indexOf('{target}'), 1.0)"
            ".rays.map((ray) => ray.stops)"
        )
        points = night.setup.body_of(target).points
        shares = [sight(level, x, feet + 2.0 * share) for share, _ in points]
        np.testing.assert_allclose(sorted(stops), sorted(shares), atol=1e-3)
    alphas = """snelkPage.showFloor('loft'); const all = snelkPage.maps[0].plot.renderers;
        return all.filter((each) => each.name === 'ground')
                  .map((each) => Array.from(each.data_source.data.line_alpha))"""
    lofts = after(alphas)
    assert sorted(lofts[0]) == [0.15, 1.0]
    assert after("return [0, 1].map((c) => snelkPage.maps[0].elsewhere(c, 1))") == [True, False]
    assert after("snelkPage.showFloor(''); return snelkPage.maps[0].elsewhere(0, 1)") is False
    names = "return Array.from(document.getElementById('floor').options).map((each) => each.value)"
    assert after(names) == ["", "ground", "loft"]
    # Of very many those that somebody is on.
    many = [
        scenes.feature("floor", f"stone {n}", shapely.box(20 + n, 0, 20.5 + n, 1), height=0.2)
        for n in range(70)
    ]
    night = scenes.scene(
        tmp_path, *floors, *many, states=STAND, end=1.0, more={"cast.guest.at": [60.2, 0.5]}
    )
    shown(browser, snelk.write_page(tmp_path / "many.html", snelk.run(night)))
    assert after(names) == ["", "ground", "stone 40"]


@pytest.mark.parametrize(
    ("more", "expected"),
    [
        ({"doors.north": {}}, "no such door"),
        ({"doors.gate.noise": "creak"}, "no such kind of noise"),
        ({"lights.attic": {}}, "no zone with this name has a light"),
        ({"change": [{"t": 1.0, "of": "gatt", "to": "open"}]}, "no such door"),
        ({"change": [{"t": 1.0, "of": "hall", "to": "dark"}]}, "no such light"),
        ({"change": [{"t": 1.0, "of": "gate", "to": "ajar"}]}, "unknown word"),
    ],
)
def test_mistakes_are_told(tmp_path: Path, more: dict[str, Any], expected: str) -> None:
    with pytest.raises(snelk.InputError, match=expected):
        scene(tmp_path, more=more)


def test_conditions_ask_for_doors_and_lights_from_the_next_tick_on(tmp_path: Path) -> None:
    changes = [{"t": 1.0, "of": "gate", "to": "open"}, {"t": 2.0, "of": "hall", "to": "dark"}]
    states: dict[str, Any] = {"calm": {}, "wary": {}, "dim": {}}
    turns = {
        "ajar": {"from": ["calm"], "to": "wary", "when": 'open("gate") and lit("hall")'},
        "dark": {"from": ["wary"], "to": "dim", "when": 'not lit("hall")'},
    }
    more = {"lights.hall.dark": 0.0, "change": changes, "cast.guest.at": [-8, 8]}
    expect = {"ajar": {"agent": "guard", "once": {"when": 'open("gate")'}}}
    expect["dark"] = {"agent": "guard", "once": {"when": 'not lit("hall")'}}
    night = scene(tmp_path, states, more={**more, "expect": expect}, transitions=turns)
    assert judge_batch(night)[1].value.tolist() == [[1.1, 2.1]]
    run = snelk.run(night)
    rows = run.states[run.states.transition.notna()]
    assert list(zip(rows.t, rows.transition, strict=True)) == [(1.1, "ajar"), (2.1, "dark")]
    assert 'open("gate")' in rows.reason.iloc[0]


def test_a_door_that_shuts_at_a_tick_is_open_for_all_of_it(tmp_path: Path) -> None:
    more = {
        "cast.guest.at": [1, 0], "cast.mate": {"team": "home", "profile": "watcher", "at": [9, 0]},
        "cast.guard.team": "home", "doors.gate.open": True, "profiles.watcher.memory": {},
        "change": [{"t": 1.0, "of": "gate", "to": "shut"}],
        "profiles.watcher.tell": {"every": 0.1, "reach": 12.0},
    }  # fmt: skip
    said = snelk.run(scene(tmp_path, end=2.0, more=more)).rows("voices")
    said = said.where(teller="guard", listener="mate", target="guest")
    told = said.equal(result="told")
    assert said["t"][told].max() == pytest.approx(1.0)
    assert said["t"][~told].min() == pytest.approx(1.1)


def test_a_track_that_trembles_by_rounding_opens_no_door(tmp_path: Path) -> None:
    track = samples.track_of(*[(0.1 * n, 5.3 + 1e-13 * (n % 2), 0.0) for n in range(21)])
    run = snelk.run(scenes.scene(tmp_path, *WALLS, states=STAND, end=2.0, track=track))
    assert not (run.events.kind == "opened").any()


@pytest.mark.parametrize("corner", [False, True])
def test_nobody_passes_a_shut_door_within_one_tick(tmp_path: Path, corner: bool) -> None:
    """Right beside it a new path leads through; or it is right behind a corner of the path."""
    post = scenes.feature("wall", "post", shapely.LineString([(3.35, 0.0), (9, 0.0)]), top=3.0)
    gate = scenes.feature(
        "wall", "gate", shapely.LineString([(2, 0.1), (3.1, 0.1)]), top=3.0, door=True
    )
    there = (2.9, 6.0) if not corner else (2.8, 4.0)
    spot = scenes.feature("spot", "there", shapely.Point(*there))
    states = {"stand": {}, "run": {"go": {"spot": "there"}, "pace": "running"}}
    run = snelk.run(scenes.scene(
        tmp_path, gate, spot, *([post] if corner else []), states=states, dt=0.25, end=6.0,
        transitions={"go": {"from": "stand", "to": "run", "when": "state_for > 1s"}},
        more={"cast.guard.at": [5.5, -0.5] if corner else [2.9, 0.0], "cast.guard.facing": 90.0,
              "profiles.watcher.movement.acceleration": 100.0,
              "profiles.watcher.movement.turn_rate": 5000.0},
    ))  # fmt: skip
    _, places, _ = scenes.guard_of(run)
    assert math.dist(places[-1], there) < 1.1
    opened = run.events[run.events.kind == "opened"]
    assert len(opened) == 1
