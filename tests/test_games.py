"""A live game for real: frames of any length, coming and going, saving, and a record of it all."""

from __future__ import annotations

import contextlib
import json
import math
import os
import random
import signal
import subprocess
import sys
from hashlib import blake2b
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import snelk
from snelk.level.columns import Columns
from snelk.runs import saving
from snelk.runs.recorder import Kept, Recorder
from snelk.runs.ticks import tick_of
from snelk.runs.turning import level_at

NIGHT, MILL = snelk.croft() / "night.toml", snelk.mill() / "night.toml"

TWO_GUARDS = """
level = "level.geojson"
clock = { dt = 0.1, end = 1 }

[bodies.post]
standing = 2.0
radius = 0.25
attributes = { hits = 0 }
steps = { stride = 1.3, creeping = 2, walking = 6, running = 12 }

[noise_kinds]
bang = { reach = 30 }

[profiles.watcher]
body = "post"
notices = ["visitors"]
cones = { front = { fov_whole = 120, range = 6.0, hold_fov_whole = 200, hold_range = 11.0 } }
hearing = { listen_every = 0.5 }
touch = { radius = 0.5 }
tell = { reach = 30, delay = 0.4, every = 1.0 }
meter = { fill_time = 0.8, drain_time = 2.0, thresholds = { alarm = 0.6 } }
memory = { grace = 0.3, forget = 8.0, spread = 1.0, seen_empty = 0.5 }
movement = { walking = 1.5, running = 4.0, turn_rate = 400, acceleration = 8.0 }

[profiles.watcher.ladder.states]
round = { patrol = { route = "round" } }
after = { approach = { stop = 0.2 }, pace = "running", catch = { reach = 1.0, ends = false, then = { add = { "target.hits" = 1 } } } }
look = { search = { method = "nearby", radius = 3, points = 3, give_up = 6 }, freeze_seen_by = ["visitors"] }

[profiles.watcher.ladder.transitions]
sees = { from = ["round", "look"], to = "after", when = "meter >= 0.6 and seen", reaction = 0.2 }
hears = { from = "round", to = "look", when = "heard or told" }
loses = { from = "after", to = "look", when = "lost_for > 1" }
over = { from = "look", to = "round", when = "search_done" }
again = { from = "round", to = "look", when = "lost_for < 3 and not seen and state_for > 0.5" }
long = { from = "after", to = "round", when = "seen_for > 2.5 or caught" }

[cast]
guest = { team = "visitors", body = "post", at = [90, 90], absent = true }
one = { team = "guards", profile = "watcher", at = [0, 0], absent = true }
two = { team = "guards", profile = "watcher", at = [0, 8], facing = 90, absent = true }
"""
"""Nothing here is left to chance, so that a second life is as the first was."""


def two_guards(folder: Path) -> Path:
    feature = {"type": "Feature", "properties": {"kind": "route", "name": "round"}}
    corners = [[0, 0], [8, 0], [8, 8], [0, 8]]
    feature["geometry"] = {"type": "LineString", "coordinates": corners}
    (folder / "level.geojson").write_text(
        json.dumps({"type": "FeatureCollection", "features": [feature]})
    )
    (folder / "scene.toml").write_text(TWO_GUARDS)
    return folder / "scene.toml"


def life(live: snelk.Live, seed: int, ticks: int) -> list[tuple[float, str]]:
    """Everybody comes in, plays, and goes out; what happened, by time since then."""
    while live.ticks % 10:  # eyes and ears take turns by the tick
        live.step()
    rnd, places = random.Random(seed), [(90.0, 90.0)]
    for name in ("guest", "one", "two"):
        if live._is_away(name):
            live.spawn(name)
    start, found = live.ticks, []
    for n in range(ticks):
        x, y = places[-1]
        if n % 25 == 0:
            x, y, way = rnd.uniform(-4, 12), rnd.uniform(-4, 12), rnd.uniform(0, math.tau)
        places.append((x + 0.12 * math.cos(way), y + 0.12 * math.sin(way)))
        live.push("guest", x=places[-1][0], y=places[-1][1], heading_deg=0.0, jumps=n % 25 == 0)
        if rnd.random() < 0.03:
            live.noise(
                "bang",
                x=rnd.uniform(0, 8),
                y=rnd.uniform(0, 8),
                by=rnd.choice(["guest", "one", None]),
            )
        found += [(round(event.t - 0.1 * start, 6), event.text) for event in live.step()]
        found += [
            (n, f"{name}: {live.pose(name)} {live.state(name)} {live.attribute('guest', 'hits')}")
            for name in ("one", "two")
        ]
    for name in ("guest", "one", "two"):
        live.remove(name)
    live.step()
    return found


def test_who_comes_in_again_is_as_at_first_and_nobody_knows_of_it(tmp_path: Path) -> None:
    """Whatever was before, a life is as it would be in a new game: chance has no part in it."""
    path, rnd = two_guards(tmp_path), random.Random(3)
    live, kinds = snelk.Live(path), ""
    for seed in range(9):
        ticks = rnd.choice([17, 43, 96, 220])
        again = life(live, seed, ticks)
        assert again == life(snelk.Live(path), seed, ticks), seed
        kinds += " ".join(text for _, text in again)
    for word in (
        "caught guest",
        "told",
        "began to search",
        "after → look",
        "is not at",
        "felt",
        "walking",
        "heard a bang",
    ):
        assert word in kinds
    live.spawn("one")
    with pytest.raises(snelk.InputError, match="is already present"):
        live.spawn("one")


def shape_of(rnd: random.Random, live: snelk.Live, doors: list[str], lights: list[str]) -> None:
    """What a game puts in before a frame: at random, and often nonsense."""
    x0, y0, x1, y1 = live._simulation.level.bounds
    for name in live._given:
        if rnd.random() < 0.4:
            live.push(
                name,
                x=rnd.uniform(x0, x1),
                y=rnd.uniform(y0, y1),
                heading_deg=rnd.uniform(-900, 900),
                posture=rnd.choice(["standing", "crouched"]),
                present=rnd.random() < 0.9,
                jumps=rnd.random() < 0.5,
            )
    where = {"x": rnd.uniform(x0, x1), "y": rnd.uniform(y0, y1)}
    for often, act in (
        (0.1, lambda: live.noise("bang", **where, reach=20.0, by=rnd.choice([None, *live.names[:3]]))),
        (0.1, lambda: live.change(rnd.choice(doors), rnd.choice(["open", "shut"]))),
        (0.1, lambda: live.change(rnd.choice(lights), rnd.choice(["lit", "dark"]))),
        (0.1, lambda: live.remove(rnd.choice(live.names))),
        (0.2, lambda: live.spawn(rnd.choice(live.names), **(where if rnd.random() < 0.5 else {}))),
        (0.1, lambda: live.set_state(who := rnd.choice(live.agents), rnd.choice(list(live._simulation.setups[0].profile_of(who).ladder.states)))),
    ):  # fmt: skip
        if rnd.random() < often:
            # It may be there already, be a clue, have no ladder, or there is no door.
            with contextlib.suppress(snelk.InputError, IndexError, AttributeError):
                act()


def played(
    path: Path, folder: Path, seed: int, **options: Any
) -> tuple[dict[str, pd.DataFrame], list[str]]:
    """A game at random that is kept in a folder; its tables and events."""
    rnd, scenario = random.Random(seed), snelk.load(path)
    live = snelk.Live(scenario, duration=500, record=folder, **options)
    doors = [wall.name for wall, _ in scenario.level.walls if wall.door]
    tables, step = Kept(), live._simulation.step
    recorder = Recorder(live._simulation, [tables])

    def kept() -> float:
        t = step()
        recorder.keep_tick(tick_of(live._simulation, t))
        return t

    live._simulation.step = kept  # type: ignore[method-assign]
    texts: list[str] = []
    while live._simulation.tick < 125 and not live.over:
        shape_of(rnd, live, doors, list(scenario.setup.lights))
        texts += [event.text for event in live.frame(rnd.choice([0.016, 0.033, 0.1, 0.35]))]
    recorder.finish()
    live.close()
    return {
        name: pa.concat_tables(parts).to_pandas() for name, parts in tables._parts.items()
    }, texts


@pytest.mark.parametrize(("path", "seed"), [(NIGHT, 1), (NIGHT, 2), (MILL, 4)])
def test_a_record_replays_to_the_same_tables(path: Path, seed: int, tmp_path: Path) -> None:
    first = snelk.load(path).setup.agents[0]
    options: dict[str, Any] = {"spare": {first: 2}} if seed % 2 else {"pushed": [first]}
    tables, texts = played(path, tmp_path / "record", seed, **options)
    run = snelk.run(tmp_path / "record" / "scenario.toml")
    for name, table in tables.items():
        pd.testing.assert_frame_equal(table, run.table(name), check_exact=True, obj=name)
    assert texts == list(run.events.text)
    assert {"spawned", "removed"} <= set(run.events.kind)
    assert set(run.noises.z[run.noises.kind == "bang"]) == {0.0}  # where nothing else is said
    # On other numbers the same input is played as well, alone and in a batch.
    other = snelk.run(tmp_path / "record" / "scenario.toml", overrides={"light": 0.4})
    assert len(other.poses) > 0.5 * len(run.poses)


def test_frames_of_any_length_are_the_samples_of_a_track(tmp_path: Path) -> None:
    """Each frame's end is a sample, between which a track is interpolated, to the last digit."""
    rnd = random.Random(5)
    live = snelk.Live(NIGHT, duration=300)
    t, rows, texts, x, heading = 0.0, [], [], 20.0, 170.0
    for _ in range(150):
        seconds = rnd.choice([0.004, 0.0166, 0.05, 0.1, 0.42])
        there = not rows or rnd.random() < 0.9
        if there:
            x, heading = x + rnd.uniform(0, 1.5) * seconds, heading + rnd.uniform(-90, 90)
        pose = (x, 19.0, heading, rnd.choice(["standing", "crouched"]), there)
        rows += [] if rows else [(0.0, *pose)]  # it is there from the beginning on
        t += seconds
        rows.append((t, *pose))
        live.push(
            "fox", x=pose[0], y=pose[1], heading_deg=pose[2], posture=pose[3], present=pose[4]
        )
        texts += [event.text for event in live.frame(seconds)]
    frame = pd.DataFrame(rows, columns=["t", "x", "y", "heading", "posture", "present"])
    frame.insert(1, "id", "fox")
    frame.assign(z=0.0).to_csv(tmp_path / "track.csv", index=False)
    text = NIGHT.read_text()
    for file in NIGHT.parent.iterdir():
        text = text.replace(f'"{file.name}"', f'"{file.as_posix()}"')
    tracks = str((NIGHT.parent / "fox.csv").as_posix())
    assert tracks in text
    (tmp_path / "scene.toml").write_text(text.replace(tracks, "track.csv"))
    run = snelk.run(
        tmp_path / "scene.toml", overrides={"clock.end": round(t - 0.05, 1), "ground": "grows"}
    )
    events = run.events[run.events.t <= live.t]
    assert texts == list(events.text)
    assert len(texts) > 40


@pytest.mark.parametrize("jumps", [False, True])
def test_who_is_taken_somewhere_is_nowhere_between(jumps: bool) -> None:
    live = snelk.Live(NIGHT)
    live.push("fox", x=20.0, y=19.0, heading_deg=0.0)
    live.frame(0.1)
    live.push("fox", x=24.0, y=19.0, heading_deg=90.0, jumps=jumps)
    live.frame(0.4)
    live.push("fox", x=28.0, y=19.0, heading_deg=90.0)  # the next frame it walks again
    live.frame(0.2)
    poses = live.recent().poses
    x, heading = (poses[poses.id == "fox"][name].round(6).tolist() for name in ("x", "heading_deg"))
    between = [20.0, 20.0, 20.0] if jumps else [21.0, 22.0, 23.0]
    assert x == [20.0, 20.0, *between, 24.0, 26.0, 28.0]
    assert heading[2:5] == ([0.0, 0.0, 0.0] if jumps else [22.5, 45.0, 67.5])


@pytest.mark.parametrize(("path", "ticks"), [(NIGHT, 110), (MILL, 110)])
def test_why_in_a_game_is_why_in_its_record(path: Path, ticks: int, tmp_path: Path) -> None:
    """It remembers two seconds only, and has looks, doors and states as they were before."""
    rnd, scenario = random.Random(3), snelk.load(path)
    asked = {}
    with snelk.Live(scenario, record=tmp_path / "record", remembers=2.0) as live:
        for n in range(ticks):
            for name, track in scenario.tracks.items():
                i = min(n, len(track.t) - 1)
                live.push(
                    name,
                    x=float(track.x[i]),
                    y=float(track.y[i]),
                    z=float(track.z[i]),
                    heading_deg=math.degrees(track.heading[i]),
                    present=bool(track.present[i]),
                )
            live.step()
            agent, target = rnd.choice(live.agents), rnd.choice(list(scenario.tracks))
            if n % 4 == 0 and agent != target:
                asked[agent, target, live.t] = live.why(agent, target)
    run = snelk.run(tmp_path / "record" / "scenario.toml")
    assert len(asked) > 20
    for (agent, target, t), told in asked.items():
        wanted = run.why(agent, target, at=t)
        for name in ("t", "in_view", "headline", "cones", "wall", "exposure", "meter", "belief"):
            assert str(getattr(told, name)) == str(getattr(wanted, name)), (agent, target, t, name)
        for sense in told.senses:  # of what was heard before, it says since when it knows
            if sense.result == "silent" and t > 2.5:
                assert "since" in sense.headline
            else:
                assert sense.result == wanted.sense(sense.sense).result


def test_what_a_game_remembers_has_doors_and_lights_as_they_were(tmp_path: Path) -> None:
    rnd, states, seen = random.Random(7), set(), []
    with snelk.Live(MILL, record=tmp_path / "record", remembers=2.0) as live:
        for _ in range(60):
            shape_of(rnd, live, list(live.setup.doors), list(live.setup.lights))
            live.frame(0.3)
            if live.ticks > 25 and rnd.random() < 0.2:
                seen.append(live.recent())
    run = snelk.run(tmp_path / "record" / "scenario.toml")
    for recent in seen:
        first = recent.rows("turns").where(cause="at first")
        for t in recent.times[::3].tolist():
            told = [
                str([level.see_through, level.zone_light])
                for level in (level_at(each, each.tick_at(t)) for each in (recent, run))
            ]
            assert told[0] == told[1], t
            states.add(told[0])
        then = {row.of: row.to for row in run.rows("turns").each() if row.t < first["t"][0] - 1e-9}
        assert {row.of: row.to for row in first.each()} == then
    assert len(states) > 3
    assert len(seen) > 5


def test_what_was_taken_back_is_not_in_the_record(tmp_path: Path) -> None:
    with snelk.Live(NIGHT, record=tmp_path / "record") as live:
        live.push("fox", x=33.0, y=19.0, heading_deg=90.0)
        texts = [event.text for event in live.step()]
        live.noise("crash", x=30.0, y=19.0, reach=50.0, by="fox")  # which waits for the next tick
        with contextlib.suppress(snelk.InputError), live.all_or_nothing():
            live.noise("bang", x=20.0, y=19.0, reach=50.0)
            live.remove("owl")
            live.push("fxo", x=1.0, y=1.0, heading_deg=0.0)
        for _ in range(20):
            texts += [event.text for event in live.step()]
    run = snelk.run(tmp_path / "record" / "scenario.toml")
    assert texts == list(run.events.text)
    assert len(texts) > 5
    assert ("heard fox: crash" in str(texts), "bang" in str(texts)) == (True, False)
    assert set(run.noises.kind) == {"crash", "step"}  # also of a kind that no file names
    assert "crash" in set(run.hearing.kind)
    answer = run.why("goose-1", "fox", at=0.2).sense("hearing")
    assert answer is not None
    assert answer.headline.startswith("goose-1 heard fox at 0.10 s: crash (strength ")
    assert run.poses.present[run.poses.id == "owl"].all()


def test_what_was_saved_goes_on_the_same_here_and_in_another_process(tmp_path: Path) -> None:
    live = snelk.Live(
        MILL,
        record=tmp_path / "record",
        spare={"boy": 1} if "boy" in snelk.load(MILL).setup.cast else None,
    )
    rnd, doors = random.Random(8), ["cellar-door"]

    def go_on(live: snelk.Live, frames: int) -> list[str]:
        found = []
        for _ in range(frames):
            shape_of(rnd, live, doors, [])
            found += [event.text for event in live.frame(0.07)]
        return found

    go_on(live, 40)
    state, saved = rnd.getstate(), live.save(tmp_path / "slot.save")
    wanted = go_on(live, 40)
    after = live.readout()
    for _ in range(2):
        rnd.setstate(state)
        live.restore(saved)
        assert go_on(live, 40) == wanted
        for one, other in zip(live.readout(), after, strict=True):
            assert np.array_equal(one, other, equal_nan=one.dtype.kind == "f")
    live.close()
    assert (
        list(snelk.run(tmp_path / "record" / "scenario.toml").events.text)[-len(wanted) :] == wanted
    )
    code = f"""
import pickle, random, sys
sys.path.insert(0, {str(Path(__file__).parent)!r})
import snelk, test_games
live = snelk.Live(test_games.MILL, spare={live._slots and {name: len(own) for name, own in live._slots.items()}!r})
live.restore({str(tmp_path / "slot.save")!r}, record={str(tmp_path / "record")!r})
rnd = random.Random(); rnd.setstate({state!r})
for _ in range(40):
    test_games.shape_of(rnd, live, ["cellar-door"], [])
    for event in live.frame(0.07):
        print(event.text)
"""
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.splitlines() == wanted
    assert (
        list(snelk.run(tmp_path / "record" / "scenario.toml").events.text)[-len(wanted) :] == wanted
    )


def test_another_layout_of_what_is_saved_has_another_number(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    found: dict[str, set[str]] = {}

    class Keeper(saving._Keeper):
        def reducer_override(self, given: Any) -> Any:
            kind = type(given)
            if kind.__module__.startswith("snelk.") and not isinstance(given, Columns):
                held = getattr(given, "_fields", None) or given.__getstate__() or ()
                found.setdefault(f"{kind.__module__}.{kind.__name__}", set()).update(held)
            return super().reducer_override(given)

    monkeypatch.setattr(saving, "_Keeper", Keeper)
    for path in (NIGHT, MILL):
        live = snelk.Live(path)
        live.step()
        live.save()
    layout = repr(sorted((name, sorted(held)) for name, held in found.items()))
    known = blake2b(layout.encode(), digest_size=8).hexdigest()
    # If this fails: give LAYOUT another number, and write here what there is now.
    assert (saving.LAYOUT, known) == ("18", "ae3657f5a28463b2")


def test_what_cannot_be_restored_is_one_clear_line(tmp_path: Path) -> None:
    live = snelk.Live(two_guards(tmp_path))
    live.step()
    saved = live.save()
    head, _, _ = saved.partition(b"\n")
    evil = b"cos\nsystem\n(S'touch " + str(tmp_path / "evil").encode() + b"'\ntR."
    said = json.loads(head) | {"body": blake2b(evil, digest_size=16).hexdigest()}
    earlier = json.loads(head)
    del earlier["layout of its state"]
    others = snelk.load(
        tmp_path / "scene.toml", overrides={"profiles.watcher.meter.fill_time": 3.0}
    )
    for given, game, rule in (
        (b"nonsense", live, "is not a saved game"),
        (saved[:-9], live, "is damaged or incomplete"),
        (json.dumps(said).encode() + b"\n" + evil, live, "holds os.system, which is not data of Snelk"),
        (json.dumps(earlier).encode() + b"\n", live, r"another layout of its state; here it is \d+ \(given: an earlier one\)"),
        (saved, snelk.Live(others), "was saved with another scenario"),
        (saved, snelk.Live(tmp_path / "scene.toml", pushed=["one"]), "was saved with another moved by the game"),
    ):  # fmt: skip
        with pytest.raises(snelk.InputError, match=rule):
            game.restore(given)
    assert not (tmp_path / "evil").exists()
    assert live.step() is not None  # it goes on as before
    kept = snelk.Live(tmp_path / "scene.toml", record=tmp_path / "record")
    kept.step()
    with pytest.raises(snelk.InputError, match="was saved in a game without a record"):
        kept.restore(saved)
    other = snelk.Live(tmp_path / "scene.toml", record=tmp_path / "other")
    other.push("guest", x=1, y=1, heading_deg=0)
    other.step()
    with pytest.raises(snelk.InputError, match="does not contain what was played before"):
        kept.restore(other.save())
    kept.close()
    other.close()
    with pytest.raises(snelk.InputError, match="is not empty"):
        snelk.Live(tmp_path / "scene.toml", record=tmp_path / "record")


def test_a_game_that_is_killed_leaves_its_record_up_to_the_last_whole_tick(tmp_path: Path) -> None:
    code = f"""
import snelk
live = snelk.Live({str(two_guards(tmp_path))!r}, record={str(tmp_path / "record")!r})
live.spawn("one")
for n in range(100000):
    live.push("guest", x=5 - 0.01 * n, y=0.0, heading_deg=0.0)
    live.step()
    print(n, flush=True)
"""
    game = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    assert game.stdout is not None
    while int(game.stdout.readline()) < 60:
        pass
    os.kill(game.pid, signal.SIGKILL)
    game.wait()
    game.stdout.close()
    log = tmp_path / "record" / "played.jsonl"
    whole = log.read_text()
    run = snelk.run(tmp_path / "record" / "scenario.toml")
    assert len(run.times) > 60
    log.write_text(whole[:-5])  # cut within its last line
    assert len(snelk.run(tmp_path / "record" / "scenario.toml").times) == len(run.times) - 1
    lines = whole.splitlines()
    for broken, rule in (
        ("\n".join([*lines[:3], "{" + lines[3], *lines[4:]]) + "\n", "line 4: is not valid JSON"),
        ("\n".join(lines[1:]) + "\n", 'must begin with {"played": 1}'),
        ("\n".join([*lines[:5], lines[3]]) + "\n", "line 6: times must rise"),
        (lines[0] + "\n", "holds no tick"),
        (
            whole.replace('"guest"', '"gest"'),
            'no such character (given: "gest"); did you mean "guest"?',
        ),
        (whole.replace('"standing"', '"sitting"'), "poses.guest[4]"),
    ):
        log.write_text(broken)
        with pytest.raises(snelk.InputError) as told:
            snelk.run(tmp_path / "record" / "scenario.toml")
        assert rule in str(told.value)


def test_a_path_leads_upstairs_at_the_height_of_its_floors() -> None:
    """By the stairs to 2.8 m, by the ladder to 5.4 m; as long as the ways say it is."""
    live = snelk.Live(MILL)
    start, goal = (3.0, 2.2, 0.0), (6.0, 3.0, 5.4)
    way = live.path("boy", start, goal)
    assert way is not None
    assert way.places[-1] == pytest.approx(goal)
    heights = [round(z, 9) for _, _, z in way.places]
    assert heights == sorted(heights)
    assert set(heights) >= {0.0, 2.8, 5.4}
    assert [round(z, 9) for x, y, z in way.places if (x, y) == (10.3, 1.1)] == [
        5.4
    ]  # the ladder's end
    ways = live._simulation.world.ways_of(0, "boy")
    assert way.length == pytest.approx(ways.length(np.array(start), np.array(goal)), rel=1e-9)
    assert live.path("boy", start, (100.0, 100.0, 0.0)) is None


def test_everybody_read_out_at_once_is_as_one_by_one() -> None:
    live = snelk.Live(NIGHT)
    for n in range(120):
        live.push("fox", x=20 + 0.1 * n, y=19.0, heading_deg=0.0)
        live.step()
    found = live.readout()
    for j, name in enumerate(live.names):
        pose = live.pose(name)
        assert bool(found.present[j]) == (pose is not None)
        if pose is not None:
            assert (found.x[j], found.y[j], found.z[j], found.posture[j]) == (
                pose.x,
                pose.y,
                pose.z,
                pose.posture,
            )
            assert found.heading_deg[j] == pytest.approx(pose.heading_deg)
    sources = set()
    for a, agent in enumerate(live.agents):
        assert found.state[a] == live.state(agent)
        assert (live.names[found.focus[a]] if found.focus[a] >= 0 else "") == live.focus(agent)
        for j, name in enumerate(live.names):
            assert (found.in_view[a, j], found.meter[a, j]) == (
                live.in_view(agent, name),
                live.meter(agent, name),
            )
            belief = live.belief(agent, name)
            sources.add(str(found.source[a, j]))
            if belief is None:
                assert (
                    found.source[a, j],
                    np.isnan(found.believed[a, j]).all(),
                    np.isnan(found.age[a, j]),
                ) == ("", True, True)
            else:
                values = (
                    *found.believed[a, j],
                    found.age[a, j],
                    found.uncertainty[a, j],
                    found.source[a, j],
                )
                assert values == (
                    belief.x,
                    belief.y,
                    belief.z,
                    belief.age,
                    belief.uncertainty,
                    belief.source,
                )
    assert len(sources) > 2


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda live: live.spawn(), "spawn: needs either a name or like"),
        (lambda live: live.spawn("fox"), 'spawn: is already present (given: "fox"); remove it first'),
        (lambda live: live.spawn(like="fox"), "spawn: like: no such character with spares"),
        (lambda live: [live.spawn(like="gander") for _ in range(3)], 'spawn: like: all 2 spare ones are there (given: "gander")'),
        (lambda live: live.spawn("gander-2", x=1), "spawn: gander-2: needs x and y"),
        (lambda live: live.spawn("gander-2", x=1, y=float("inf")), "spawn: gander-2.y: must be a number within"),
        (lambda live: live.set_state("bush", "wary"), "no such agent"),
        (lambda live: live.set_state("gander", "warry"), 'set_state: gander: no such alert state (given: "warry"); did you mean "wary"?'),
        (lambda live: live.frame(0), "frame: seconds: must be above 0 and at most 60 s (given: 0 s)"),
        (lambda live: live.frame(float("nan")), "frame: seconds: must be above 0"),
        (lambda live: [live.frame(1.0) for _ in range(99)], "live: is over"),
        (lambda _: snelk.Live(NIGHT, spare={"gander": -1}), "spare: gander: must be a whole number from 0"),
        (lambda _: snelk.Live(NIGHT, spare={"gandr": 1}), "spare: no such character"),
    ],
)  # fmt: skip
def test_a_mistake_in_a_game_is_one_clear_line(call: Any, said: str) -> None:
    with pytest.raises(snelk.InputError) as told:
        call(snelk.Live(NIGHT, duration=3.0, spare={"gander": 2}))
    assert said in str(told.value)


def test_what_a_scenario_spawns_and_puts(tmp_path: Path) -> None:
    text = (
        two_guards(tmp_path).read_text()
        + """
[[effect]]
t = 0.5
of = "one"
spawns = true
at = [4, 4]
facing = 45

[[effect]]
t = 1.0
of = "one"
state = "look"
set = { hits = 3 }

[[effect]]
t = 1.5
of = "one"
removes = true

[[effect]]
t = 2.0
of = "one"
state = "after"

[[effect]]
t = 2.5
of = "one"
spawns = true
"""
    )
    (tmp_path / "scene.toml").write_text(text)
    run = snelk.run(tmp_path / "scene.toml", overrides={"clock.end": 4.0})
    rows = run.poses[run.poses.id == "one"].set_index("t")
    assert list(rows.index[rows.present]) == [
        *np.round(np.arange(0.6, 1.51, 0.1), 9),
        *np.round(np.arange(2.6, 4.01, 0.1), 9),
    ]
    assert tuple(rows.loc[0.6, ["x", "y", "heading_deg"]]) == (4.0, 4.0, pytest.approx(45.0))
    assert tuple(rows.loc[2.6, ["x", "y", "heading_deg"]]) == (0.0, 0.0, 0.0)
    states = run.states[run.states.agent == "one"]
    assert [(t, state) for t, state in zip(states.t, states.state, strict=True)] == [
        (0.0, "round"),
        (0.5, "round"),
        (1.0, "look"),
        (2.5, "round"),
    ]
    assert [text for text in run.events.text if text.startswith("one:")] == [
        "one: is spawned (the scenario)", "one: round → look (the scenario)", "one: hits 0 → 3 (the scenario)",
        "one: is removed (the scenario)", "one: is not there, and is not put into after (the scenario)", "one: is spawned (the scenario)",
    ]  # fmt: skip
    back = run.table("effects").query("who == 'one' and t == 2.5")
    assert [
        (row.attribute or None, row.before, row.value)
        for row in back.fillna({"attribute": ""}).itertuples()
    ] == [(None, 0.0, 1.0), ("hits", 3.0, 0.0)]
    for t, said in (
        (0.3, "absent at 0.30 s: has not been spawned yet"),
        (0.6, "round at 0.60 s, for 0.1 s"),
        (2.0, "absent at 2.00 s: was removed at 1.50 s (the scenario)"),
        (2.6, "round at"),
    ):
        assert said in run.why_state("one", at=t).headline
    for wrong, said in (
        ("spawns = true\nremoves = true", "cannot both spawn and remove somebody"),
        ("at = [1, 2]", "has at but not spawns = true"),
        ('state = "luuk"', 'no such alert state; did you mean "look"?'),
    ):
        (tmp_path / "scene.toml").write_text(
            TWO_GUARDS + f'\n[[effect]]\nt = 1\nof = "one"\n{wrong}\n'
        )
        with pytest.raises(snelk.InputError) as told:
            snelk.load(tmp_path / "scene.toml")
        assert said.split(";")[0] in str(told.value)
