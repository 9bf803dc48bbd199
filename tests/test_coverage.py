"""Coverage, against runs with a target that stands at each place."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely
from matplotlib.colors import to_hex
from test_cli import command

import snelk
from snelk.plots.coverage import plot_coverage
from snelk.runs.measures import measure_batch

ROUND = shapely.LineString([(-8, -6), (8, -6), (8, 6), (-8, 6)])
WALLS = [
    scenes.feature("wall", "house", shapely.box(-3, -2, 3, 2), top=3.0),
    scenes.feature("wall", "low", shapely.LineString([(-12, 9), (12, 9)]), top=0.8),
    scenes.feature("wall", "hedge", shapely.LineString([(11, -8), (11, 8)]), top=2, see_through=0.4),
    scenes.feature("zone", "shade", shapely.box(-14, -12, 0, 0), light=0.3, ground="gravel"),
    scenes.feature("route", "round", ROUND),
]  # fmt: skip
FAR = {"fov_whole": 70, "range": 14.0, "hold_range": 16.0, "hold_fov_whole": 90, "min_light": 0.2}
NUMBERS: dict[str, Any] = {
    "profiles.watcher.cones": {"far": FAR, "near": {"fov_whole": 200, "range": 5.0}},
    "profiles.watcher.meter": {
        "fill_time": 3.0, "drain_time": 4.0, "drain_after": 1.0, "at_once": 1.5,
        "distance": [[0.2, 1.0], [1.0, 0.3]], "motion": [[0.0, 0.5], [1.5, 1.0]], "crouched": 0.5,
        "light": [[0.2, 0.4], [1.0, 1.0]], "noise_gain": 0.2,
    },
    "profiles.watcher.touch": {"radius": 1.0},
    "profiles.watcher.look_every": 0.3,
    "cast.guard.route": "round",
    "cast.guard.at": [-8, -6],
    "cast.guard.lamp": {"light": 0.5, "reach": 6.0},
    "grounds": {"gravel": 2.0},
}  # fmt: skip


def scene(folder: Path, **more: Any) -> snelk.Scenario:
    """A guard that walks round a house and never changes its mind."""
    limits = {"far": {"range": 12.0, "fov_whole": 60, "hold_range": 15.0}}
    states = {"round": {"patrol": {}, "look": "sweep", "sweep_whole": 80, "cones": limits}}
    return scenes.scene(folder, *WALLS, states=states, end=40.0, more={**NUMBERS, **more})


LAMP = {"cast.guest.lamp": {"light": 0.3, "reach": 8.0}, "light": 0.1}


@pytest.mark.parametrize(
    ("stance", "more"),
    [
        ("standing", {}),
        ("crouched", {}),
        ("standing", LAMP),
        ("standing", {"bodies.post.blocks": True}),
    ],
)
def test_places_are_as_dangerous_as_runs_with_somebody_there(
    stance: Any, more: dict[str, Any], tmp_path: Path
) -> None:
    """Also with a lamp or a body that blocks: stand-ins are nothing to one another."""
    scenario = scene(tmp_path, **{"cast.guest.posture": stance, **more})
    rng = np.random.default_rng(4)
    places = np.round(rng.uniform((-14, -12), (14, 12), (200, 2)), 3)
    found = snelk.coverage(scenario, stance=stance, places=places, jobs=1)
    assert found.target == "guest"  # the only one whom anybody notices
    variants = [{"cast.guest.at": place.tolist()} for place in places]
    measured = measure_batch(scenario, variants=variants)
    column = dict(zip(measured.keys, measured.values.T, strict=True))
    dt = scenario.setup.clock.dt
    np.testing.assert_allclose(found.full, column["guard.guest.first_full"], atol=dt + 1e-9)
    np.testing.assert_allclose(
        found.watched.sum(axis=1) * dt, column["guard.guest.time_in_view"], atol=1e-9
    )
    np.testing.assert_allclose(found.highest, column["guard.guest.highest_meter"])
    np.testing.assert_array_equal(found.blind, np.isnan(column["guard.guest.first_sensed"]))
    assert 20 < np.isnan(found.full).sum() < 180  # the places are not all alike
    # The windows are the stretches between in view and out of view.
    n = int(np.argmax(found.share))
    windows = found.windows(*places[n])
    run = snelk.run(scenario, overrides=variants[n])
    events = run.events[run.events.kind.isin(["saw", "lost"])]
    edges = [(w.start, w.end) for w in windows]
    times = {t for edge in edges for t in edge} - {0.0, 40.1}
    assert times == set(events.t) - {0.0}


def test_nobody_reacts_and_the_real_one_is_not_there() -> None:
    night = snelk.croft() / "night.toml"
    places = np.array([[30.0, 20.0], [36.0, 25.0]])
    found = snelk.coverage(night, target="fox", places=places)
    # Without the fox nobody is alarmed: the farmer is on his round at the end, the dog asleep.
    farmer = found.paths[found.agents.index("farmer")]
    assert np.ptp(farmer, axis=0).max() > 10
    assert np.ptp(found.paths[found.agents.index("dog")], axis=0).max() == 0.0
    assert "fox" not in found.agents
    only = snelk.coverage(night, target="fox", agents=["dog"], places=places)
    assert only.agents == ("dog",)
    assert only.blind.all()  # fast asleep


def test_who_walks_is_heard(tmp_path: Path) -> None:
    # Behind the house and out of sight the meter rises by what each step adds.
    steps = {"stride": 0.7, "creeping": 1.0, "walking": 6.0, "running": 9.0}
    bodies = {"bodies.post.steps": steps, "profiles.watcher.movement": None}
    more = {**bodies, "cast.guard.facing": 180, "cast.guard.at": [-6.0, 4.0]}
    scenario = scene(tmp_path, **{k: v for k, v in more.items() if v is not None})
    still = {"profiles.watcher.ladder.states.round": {"stand": {}}}
    place = np.array([[-2.0, 4.0]])
    found = snelk.coverage(
        scenario.changed(still), target="guest", stance="walking", places=place, jobs=1
    )
    assert not found.watched.any()
    # 4 m off, and the ears a metre up; a fifth of a step's strength is added to the meter. It
    # walks between creeping and running, 1.65 m/s.
    strength = 1 - math.sqrt(17) / 6.0
    count = math.ceil(1.0 / (0.2 * strength) - 1e-9)
    t = count * 0.7 / 1.65
    assert found.full[0] == pytest.approx(math.ceil(t * 10) / 10, abs=0.1 + 1e-9)
    quiet = snelk.coverage(scenario.changed(still), target="guest", places=place, jobs=1)
    assert quiet.blind.all()
    # Ears that listen seldom do so at the same moments of the run, whenever somebody comes.
    seldom = {**still, "profiles.watcher.hearing.listen_every": 0.9}
    for start in (0.0, 0.5, 1.3):
        later = snelk.coverage(
            scenario.changed(seldom), target="guest", stance="walking", places=place, jobs=1,
            start=start,
        )  # fmt: skip
        turn = 0.9 * math.ceil(math.ceil((start + t) / 0.1 - 1e-6) / 9)
        assert later.full[0] == pytest.approx(turn - start, abs=1e-6)


def test_the_grid_the_zones_and_the_figure(tmp_path: Path) -> None:
    found = snelk.coverage(scene(tmp_path), target="guest", cell=2.0, jobs=2)
    points = shapely.points(found.x, found.y)
    assert not shapely.contains(shapely.box(-3, -2, 3, 2), points).any()
    zones = found.zones.set_index("zone")
    inside = shapely.intersects(shapely.box(-14, -12, 0, 0), points)
    assert zones.loc["shade", "places"] == inside.sum()
    assert zones.loc["shade", "watched"] == pytest.approx(found.share[inside].mean())
    assert zones.loc["everywhere", "soonest"] == np.nanmin(found.full)
    drawn = plot_coverage(found)
    for n, values in enumerate((found.full, np.where(found.blind, np.nan, found.share))):
        assert len(drawn.cells[n].get_paths()) == (~np.isnan(values)).sum()
        assert len(drawn.never[n].get_paths()) == np.isnan(values).sum()
    assert set(drawn.paths) == {"guard"}
    # Dark is dangerous in both maps.
    for cells, dangerous in zip(drawn.cells, (np.min, np.max), strict=True):
        assert to_hex(cells.to_rgba(dangerous(cells.get_array()))) in ("#00224e", "#00204c")


def test_the_command_tells_writes_and_draws(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 3]", level=scenes.level(*WALLS[:2]))
    said = command("coverage", path, "--cell", "2", "--target", "guest", "--out", "c.csv",
                   cwd=tmp_path)  # fmt: skip
    assert "guest, standing, at" in said
    assert all(len(line) <= 80 for line in said.split("Next")[0].splitlines())
    lines = (tmp_path / "c.csv").read_text().splitlines()
    assert lines[0].startswith("x,y,full,by,highest_meter,watched,blind,window_start")
    data = json.loads(command("coverage", path, "--cell", "2", "--target", "guest", "--json",
                              cwd=tmp_path))  # fmt: skip
    assert len(data["places"]) == len(lines) - 1
    command("plot", "coverage", path, "--cell", "2", "--target", "guest", "--out", "c.png",
            cwd=tmp_path)  # fmt: skip
    assert (tmp_path / "c.png").stat().st_size > 10_000


@pytest.mark.parametrize(
    ("given", "error"),
    [
        ({"target": "gest"}, 'did you mean "guest"'),
        ({"target": "guard"}, "no agent notices its team"),
        ({"target": "guest", "stance": "sitting"}, "no such stance"),
        ({"target": "guest", "cell": 0.0}, "must be above 0 m"),
        ({"target": "guest", "cell": 0.01}, "use a larger cell"),
        ({"target": "guest", "agents": ["owl"]}, "no such agent"),
        ({"target": "guest", "start": 50.0}, "must overlap the run"),
        ({"target": "guest", "places": np.zeros((0, 2))}, "must be .x, y. or .x, y, z. in m"),
    ],
)
def test_mistakes_are_told(tmp_path: Path, given: dict[str, Any], error: str) -> None:
    with pytest.raises(snelk.InputError, match=error):
        snelk.coverage(scene(tmp_path), **given)
