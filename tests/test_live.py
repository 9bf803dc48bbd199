"""A game that pushes what a recording holds gets what a run of that recording gives."""

from __future__ import annotations

import functools
import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely

import snelk
from snelk.level.ways import Ways

NIGHT = snelk.croft() / "night.toml"


@pytest.fixture(scope="module")
def run() -> snelk.Run:
    return snelk.run(NIGHT)


def pushed_from(run: snelk.Run, live: snelk.Live, who: str, ticks: int) -> list[snelk.Event]:
    """Push one character as it went in a run, with its gait, and gather the events."""
    rows = run.poses[run.poses.id == who]
    track = run_track()
    events = []
    for row in list(rows.itertuples())[:ticks]:
        sample = np.searchsorted(track.t, row.t + 1e-9, side="right") - 1
        gait = ("still", "creeping", "walking", "running")[track.gait[max(sample, 0)]]
        where: dict[str, Any] = {"x": 0.0, "y": 0.0, "heading_deg": 0.0}
        if row.present:
            where = {"x": row.x, "y": row.y, "z": row.z, "heading_deg": row.heading_deg}
            where["posture"] = row.posture
        live.push(who, **where, gait=gait, present=row.present)
        events += live.step()
    return events


def run_track() -> Any:
    return snelk.load(NIGHT).tracks["fox"]


def test_the_same_poses_give_the_same_events(run: snelk.Run) -> None:
    live = snelk.Live(NIGHT, duration=90.0)
    events = pushed_from(run, live, "fox", len(run.times))
    wanted = list(run.events.text)
    assert [event.text for event in events] == wanted
    assert len(wanted) > 200
    last = run.poses[np.isclose(run.poses.t, 90.0)]
    for row in last[last.present].itertuples():
        pose = live.pose(row.id)
        assert pose is not None
        assert (pose.x, pose.y) == (row.x, row.y)
    for agent in live.agents:
        rows = run.states[(run.states.agent == agent)]
        assert live.state(agent) == (rows.state.iloc[-1] if len(rows) else "")
    beliefs = run.beliefs[np.isclose(run.beliefs.t, 90.0) & run.beliefs.source.notna()]
    for row in beliefs.itertuples():
        belief = live.belief(row.agent, row.target)
        assert belief is not None
        assert (belief.x, belief.y, belief.source) == (row.x, row.y, row.source)
        assert belief.uncertainty == pytest.approx(row.uncertainty)


def test_who_snelk_would_move_can_be_moved_by_the_game(run: snelk.Run) -> None:
    live = snelk.Live(NIGHT, pushed=["dog"], duration=10.0)
    live.push("fox", x=24.0, y=24.0, heading_deg=90.0)
    live.push("dog", x=23.6, y=26.0, heading_deg=-60.0)
    for n in range(40):
        live.push("dog", x=23.6, y=26.0 - 0.01 * n, heading_deg=-90.0)
        live.noise("shot", x=24.0, y=25.0, reach=60.0, by="fox")
        live.step()
    pose = live.pose("dog")
    assert pose is not None
    assert pose.y == pytest.approx(26.0 - 0.39)
    assert live.state("dog") != "asleep"  # its ladder goes on all the same
    assert live.in_view("dog", "fox")
    assert live.meter("dog", "fox") == 1.0
    assert live.focus("dog") == "fox"


def test_noises_are_heard_when_they_are_made(tmp_path: Path) -> None:
    profiles = samples.SAMPLE_PROFILES + "\n[profiles.watcher.hearing]\n"
    path = samples.write_sample(tmp_path, guest="at = [3, 0]", profiles=profiles)
    live = snelk.Live(path, duration=60.0)
    assert [event.kind for event in live.step()] == ["saw"]
    live.noise("clap", x=6.0, y=0.0, reach=10.0, by="guest")
    (event,) = live.step()
    assert (event.kind, event.agent, event.target, event.noise) == (
        "heard",
        "guard",
        "guest",
        "clap",
    )
    assert event.strength == pytest.approx(1 - 6 / 10, abs=0.01)
    assert live.step() == []
    live.push("guest", x=-3.0, y=0.0, heading_deg=0.0)
    assert [event.text for event in live.step()] == [
        "guard lost guest: outside the front cone (180° off)"
    ]


def test_the_ground_grows_with_the_game_and_what_draws_an_agent_is_told(tmp_path: Path) -> None:
    states = {"calm": {}, "after": {"approach": {}, "pace": "running"}, "look": {"go": {}}}
    transitions = {
        "see": {"from": ["calm", "look"], "to": "after", "when": "seen"},
        "bell": {"from": "calm", "to": "look", "when": "heard"},
    }
    more = {
        "profiles.watcher.cones.front.range": 300.0,
        "profiles.watcher.cones.front.fov_whole": 360.0,
    }
    scene = scenes.scene(tmp_path, states=states, transitions=transitions, more=more)
    live = snelk.Live(scene, pushed=["guest"], duration=200.0)
    live.step()
    live.noise("bell", x=0.0, y=-2.0, reach=30.0)
    assert [event.kind for event in live.step()] == ["heard", "changed"]
    drawn = live.drawn_to("guard")
    assert drawn is not None
    assert (drawn.x, drawn.y, drawn.source, live.focus("guard")) == (0.0, -2.0, "heard", "")
    for _ in range(5):
        live.step()
    later = live.drawn_to("guard")
    assert later is not None
    assert later.age == pytest.approx(drawn.age + 0.5)
    assert later.uncertainty == pytest.approx(drawn.uncertainty + 0.5)  # its spread is 1 m/s
    # To each side far beyond all that the level held at the beginning.
    for x, y in ((-1, 0), (0, -1), (1, 0), (0, 1)):
        game = snelk.Live(scene, pushed=["guest"], duration=200.0)
        for n in range(600):
            game.push("guest", x=0.2 * n * x, y=0.2 * n * y, heading_deg=180.0)
            game.step()
        pose = game.pose("guard")
        assert pose is not None
        assert pose.x * x + pose.y * y > 110.0


@pytest.mark.parametrize(("path", "ticks"), [(snelk.croft(), 600), (snelk.mill(), 300)])
def test_what_takes_long_is_done_before_the_first_step(
    path: Path, ticks: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    scenario, late = snelk.load(path / "night.toml"), []
    live = snelk.Live(scenario)

    def noted(found: Callable[..., Any]) -> Callable[..., Any]:
        return lambda *given: (late.append(n), found(*given))[1]

    for part in ("_lay_out", "_lay_out_sheets"):
        monkeypatch.setattr(Ways, part, noted(getattr(Ways, part)))
    whole = functools.cached_property(noted(Ways.whole_ground.func))
    whole.__set_name__(Ways, "whole_ground")
    monkeypatch.setattr(Ways, "whole_ground", whole)
    events = []
    for n in range(ticks):
        for name, track in scenario.tracks.items():
            x, y, z, heading = (
                float(each[min(n, len(each) - 1)])
                for each in (track.x, track.y, track.z, track.heading)
            )
            live.push(name, x=x, y=y, z=z, heading_deg=math.degrees(heading))
        events += [(n, event.kind) for event in live.step()]
    assert {"heard", "changed"} <= {kind for _, kind in events}
    turned = min((n for n, kind in events if kind in ("opened", "shut")), default=ticks)
    assert min(late, default=ticks) >= turned > 80


def test_on_a_large_level_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Of more corners than those between which all paths are known."""
    spots = [scenes.feature("spot", "far", shapely.Point(95, 95))]
    rng = np.random.default_rng(0)
    walls = [
        scenes.feature("wall", f"w{n}", shapely.box(x, y, x + 1, y + 1), top=2.0)
        for n, (x, y) in enumerate(rng.uniform(2, 90, (200, 2)).round(2).tolist())
    ]
    states = {"go": {"go": {"spot": "far"}, "pace": "running"}}
    live = snelk.Live(scenes.scene(tmp_path, *walls, *spots, states=states, end=5.0))
    late = functools.cached_property(lambda _: pytest.fail("found within a step"))
    late.__set_name__(Ways, "_sights")
    monkeypatch.setattr(Ways, "_sights", late)
    for _ in range(40):
        live.step()
    pose = live.pose("guard")
    assert pose is not None
    assert np.hypot(pose.x, pose.y) > 10.0


def test_a_belief_disproved_is_told_in_a_live_game_as_in_a_run(tmp_path: Path) -> None:
    track = samples.track_of((0, 6, 0), (1, 6, 0), (1.1, -6, 0), (10, -6, 0))
    more = {"profiles.watcher.memory.grace": 0.0, "profiles.watcher.memory.seen_empty": 1.0}
    run = snelk.run(scenes.scene(tmp_path, states={"a": {}}, track=track, more=more, end=5.0))
    live = snelk.Live(scenes.scene(tmp_path, states={"a": {}}, track=track, more=more, end=5.0))
    told = []
    for row in run.poses[run.poses.id == "guest"].itertuples():
        live.push("guest", x=row.x, y=row.y, heading_deg=row.heading_deg)
        told += [event.text for event in live.step()]
    assert told == run.events.text.tolist()
    assert "disproved" in set(run.events.kind)
    assert "forgot" not in set(run.events.kind)


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (lambda live: live.push("fxo", x=0, y=0, heading_deg=0), 'push: no such character (given: "fxo"); did you mean "fox"?'),
        (lambda live: live.push("dog", x=0, y=0, heading_deg=0), 'push: is moved by Snelk (given: "dog"); name it in Live(pushed=["dog"]) if the game moves it'),
        (lambda live: live.push("fox", x=float("nan"), y=0, heading_deg=0), "push: fox.x: must be a number within ±100000 (given: nan)"),
        (lambda live: live.push("fox", x=0, y=0, heading_deg=0, posture="duck"), 'push: fox.posture: no such posture (given: "duck")'),
        (lambda live: live.noise("bang", x=0, y=0), 'noise: no such kind of noise without a reach (given: "bang")'),
        (lambda live: live.noise("bang", x=0, y=0, reach=-1), "noise: reach: is out of range (given: -1 m)"),
        (lambda live: live.state("bush"), 'agent: no such agent (given: "bush")'),
        (lambda live: [live.step() for _ in range(99)], "live: is over (given: 1 s); make a new Live with a longer duration"),
    ],
)  # fmt: skip
def test_a_mistake_is_one_clear_line(call: Any, said: str) -> None:
    with pytest.raises(snelk.InputError) as told:
        call(snelk.Live(NIGHT, duration=1.0))
    assert said in str(told.value)
