"""Smooth turning, places to roam to, areas about somebody, resuming, speeds and glances."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely

import snelk


def test_a_zone_and_a_route_can_be_moved_and_whom_they_follow_may_be_gone(tmp_path: Path) -> None:
    route = scenes.feature("route", "beat", shapely.LineString([(10, 10), (14, 10), (14, 14)]))
    patrol = {"patrol": {"route": "beat", "about": "start", "order": "once"}, "pace": "running"}
    run = snelk.run(scenes.scene(tmp_path, route, states={"a": patrol}))
    x, y = scenes.guard_of(run)[1][-1]
    assert np.hypot(x - 4, y - 4) < 0.5  # from (0, 0) as from (10, 10)
    zone = scenes.feature("zone", "yard", shapely.box(30, 30, 34, 34))
    roam = {"roam": {"zone": "yard", "about": "guest", "every": 1.0, "method": "places"}}
    scenario = scenes.scene(
        tmp_path, zone, states={"a": roam}, end=40.0,
        more={"cast.guest.at": [9.0, 5.0], "effect": [{"t": 30.0, "of": "guest", "removes": True}]},
    )  # fmt: skip
    run = snelk.run(scenario)
    t, at, _ = scenes.guard_of(run)
    late = at[(t > 10) & (t < 30)]
    assert shapely.box(7 - 0.01, 3 - 0.01, 11.01, 7.01).covers(shapely.MultiPoint(late))
    assert (np.ptp(late, axis=0) > 1.5).all()
    assert np.ptp(at[t > 32.5], axis=0).max() == 0.0
    failed = run.events[run.events.kind == "failed"]
    assert failed.text.tolist() == ["guard failed to roam (a)"]


@pytest.mark.parametrize(
    ("about", "end"), [("home", (7.0, 9.0)), ("start", (6.0, 7.0)), (None, (14.0, 14.0))]
)
def test_a_route_lies_about_home_or_where_somebody_stood_at_first(
    tmp_path: Path, about: str | None, end: tuple[float, float]
) -> None:
    route = scenes.feature("route", "beat", shapely.LineString([(10, 10), (14, 10), (14, 14)]))
    patrol: dict[str, Any] = {"route": "beat", "order": "once"}
    patrol |= {"about": about} if about else {}
    more = {"cast.guard.home": [3.0, 5.0], "cast.guard.at": [2.0, 3.0]}
    states = {"a": {"patrol": patrol, "pace": "running"}}
    run = snelk.run(scenes.scene(tmp_path, route, states=states, more=more, end=12.0))
    np.testing.assert_allclose(scenes.guard_of(run)[1][-1], end, atol=0.3)


def test_a_route_about_somebody_begins_at_the_nearest_of_its_corners(tmp_path: Path) -> None:
    corners = [(20.0, 5.0), (22.0, 5.0), (22.0, 7.0), (20.0, 7.0)]
    route = scenes.feature("route", "beat", shapely.LineString(np.subtract(corners, (7, 9))))
    states = {"a": {"patrol": {"route": "beat", "about": "guest", "order": "loop"}}}
    more = {"cast.guest.at": [20.0, 5.0], "cast.guard.at": [21.7, 5.4]}
    run = snelk.run(scenes.scene(tmp_path, route, states=states, more=more, end=8.0))
    reached = run.events[run.events.kind == "reached"][["x", "y"]].to_numpy()
    np.testing.assert_allclose(reached[:4], [*corners[1:], corners[0]], atol=0.3)


def test_an_activity_taken_over_by_like_can_be_replaced(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [90, 90]", profiles=scenes.GUARD + """
[profiles.watcher.ladder.states.a]
patrol = { route = "beat" }
pace = "running"
[profiles.lazy]
like = "watcher"
[profiles.lazy.ladder.states.a]
stand = {}
""")  # fmt: skip
    setup = snelk.load(
        path,
        overrides={"cast.guard.profile": "lazy", "profiles.watcher.ladder.states.a.patrol": {}},
    ).setup
    state = setup.profiles["lazy"].ladder.states["a"]  # type: ignore[union-attr]
    assert (state.activity, state.pace, state.patrol) == ("stand", "running", None)


def test_a_patrol_about_somebody_goes_where_its_route_lies_now(tmp_path: Path) -> None:
    """From the nearest corner on, each moved as whom it is about has moved."""
    line = shapely.LineString([(30, 30), (34, 30), (34, 34)])
    beat = scenes.feature("route", "beat", line)
    states = {"a": {"patrol": {"route": "beat", "about": "guest", "order": "once"}}}
    track = samples.track_of((0.0, -10.0, 0.5), (20.0, 0.0, 0.5))
    run = snelk.run(
        scenes.scene(
            tmp_path, beat, states=states, track=track, end=20.0, more={"cast.guard.at": (-9, 5)}
        )
    )
    guest = scenes.places_at(run, "guest", *run.times.round(9).tolist())
    rows = run.signals[run.signals.agent == "guard"]
    goal = rows[["goal_x", "goal_y"]].to_numpy()
    corners = [np.array(at) for at in ((0.0, 0.0), (4.0, 0.0), (4.0, 4.0))]
    on = np.flatnonzero(~np.isnan(goal[:, 0]))
    off = np.stack([np.hypot(*(goal[on] - guest[on - 1] - corner).T) for corner in corners], axis=1)
    nearest = off.argmin(axis=1)
    # It looks again every 0.2 s, and lags by as far as the guest has come since.
    assert off.min(axis=1).max() <= 0.5 * 0.2 + 1e-6
    here = np.array([-9.0, 5.0]) - guest[0]
    assert nearest[0] == int(np.argmin([np.hypot(*(here - corner)) for corner in corners])) == 2
    assert (np.diff(nearest) >= 0).all()


def test_who_is_near_enough_walks_no_arc_and_who_gave_up_looks_around_no_more(
    tmp_path: Path,
) -> None:
    sees = {"profiles.watcher.cones.front.fov_whole": 360, "cast.guard.facing": 180.0}
    near = {**sees, "cast.guest.at": [1.5, 0.0], "profiles.watcher.movement.smooth": True}
    states: dict[str, Any] = {"near": {"approach": {"stop": 2.0}}}
    _, places, _ = scenes.guard_of(snelk.run(scenes.scene(tmp_path, states=states, more=near)))
    assert (places == 0.0).all()  # 1.5 m is within 2 m: there is nowhere to go
    search = {"method": "there", "point_time": 9.0, "give_up": 4.0}
    track = samples.track_of((0, 1, 0), (1, 1, 0), (1.1, 90, 90), (12, 90, 90))
    lost = {"lost": {"from": "watch", "to": "look", "when": "lost_for > 1s"}}
    run = snelk.run(
        scenes.scene(
            tmp_path, states={"watch": {}, "look": {"search": search}}, transitions=lost,
            track=track, more=sees,
        )
    )  # fmt: skip
    over = run.searches[run.searches.what == "ended"].iloc[0]
    t, _, heading = scenes.guard_of(run)
    assert over.outcome == "gave_up"
    assert np.ptp(heading[(t > over.t - 2.0) & (t <= over.t)]) > 1.0  # it looks around, and stops
    assert np.ptp(heading[t > over.t + 0.55]) == 0.0


def test_a_round_of_two_corners_is_joined_on_its_first_leg(tmp_path: Path) -> None:
    ends = np.array([(-1.65, -1.78), (0.52, 5.05)])
    route = scenes.feature("route", "round", shapely.LineString(ends))
    states = {"walk": {"patrol": {"route": "round"}, "pace": "running"}}
    scene = scenes.scene(tmp_path, route, states=states, end=1.3)
    starts = [{"cast.guard.at": [x, y]} for x in (-2.3, -0.24, 1.7) for y in (-0.14, 1.1, 2.3)]
    for run in snelk.run_batch(scene, variants=starts):
        _, places, _ = scenes.guard_of(run)
        along = (places - ends[0]) @ (ends[1] - ends[0])
        assert along[-1] > along[0]
