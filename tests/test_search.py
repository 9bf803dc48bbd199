"""Searching in four ways, and things thrown to mislead."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import samples
import scenes
import shapely
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from test_floors import level_of

import snelk
from snelk.engine.throws import GRAVITY, Arc, arcs_to, points_of
from snelk.mind.search import Likelihood
from snelk.mind.spreading import likeliest

HUT = scenes.feature("wall", "hut", shapely.box(6, -2, 8, 2), top=3.0)
FIELD = scenes.feature("zone", "field", shapely.box(-10, -10, 20, 10))
SPOTS = [
    scenes.feature("spot", "near", shapely.Point(9, 3)),
    scenes.feature("spot", "far", shapely.Point(12, -6)),
    scenes.feature("spot", "beyond", shapely.Point(-9, 9)),
]
CONE = "profiles.watcher.cones.front"
NAMES = {"spots": ["near", "far", "beyond"]}


def searching(
    folder: Path, way: str, *features: Any, end: float = 30.0, track: str | None = None,
    more: dict[str, Any] | None = None, **search: Any,
) -> snelk.Run:  # fmt: skip
    """The guest goes behind the hut and is lost; the guard looks for it."""
    track = track or samples.track_of((0, 4, -4), (2, 9, -3), (3, 9, 0), (30, 9, 0))
    written = {"method": way, "radius": 8.0, "give_up": 20.0, "point_time": 1.0, **NAMES, **search}
    states = {"watch": {}, "search": {"search": written}, "over": {}, "found": {"face": {}}}
    transitions = {
        "lost": {"from": "watch", "to": "search", "when": "lost_for > 1s and knows"},
        "there": {"from": "search", "to": "found", "when": "seen"},
        "enough": {"from": "search", "to": "over", "when": "search_done"},
    }
    more = {"cast.guard.facing": -40.0, f"{CONE}.fov_whole": 120, **(more or {})}
    return snelk.run(
        scenes.scene(
            folder,
            HUT,
            FIELD,
            *SPOTS,
            *features,
            states=states,
            transitions=transitions,
            track=track,
            end=end,
            more=more,
        )
    )


@pytest.mark.parametrize("way", ["there", "nearby", "hideouts", "likelihood"])
def test_a_search_begins_where_the_target_was_lost_and_ends_as_it_is_told(
    tmp_path: Path, way: str
) -> None:
    run = searching(tmp_path, way, give_up=9.0)
    rows = run.searches
    assert set(rows.method) == {way}
    began, ended = rows.iloc[0], rows[rows.what == "ended"].iloc[0]
    known = run.beliefs[(run.beliefs.source == "sensed") & (run.beliefs.t < began.t)].iloc[-1]
    assert (began.what, began.x, began.y) == ("began", known.x, known.y)
    t, places, _ = scenes.guard_of(run)
    during = places[(t >= began.t) & (t <= ended.t)]
    assert ended.walked == pytest.approx(np.hypot(*np.diff(during, axis=0).T).sum(), abs=0.16)
    assert ended.seconds == pytest.approx(ended.t - began.t)
    assert ended.seconds <= 9.0 + 0.1
    states = run.states.state.tolist()
    if ended.outcome == "found":
        assert states[-1] == "found"
        seen = run.events[(run.events.kind == "saw") & (run.events.t > began.t)]
        assert len(seen)
    else:
        assert ended.outcome in ("gave_up", "nothing")
        assert states[-1] == "over"
        assert (run.events.kind == "gave_up").sum() == 1
    if ended.outcome == "gave_up":
        assert ended.seconds == pytest.approx(9.0)  # to the tick
    # The first place it looks at is where the target was lost.
    visited = rows[rows.what.isin(["visited", "looked"])]
    if len(visited):
        assert math.hypot(visited.x.iloc[0] - known.x, visited.y.iloc[0] - known.y) < 1e-6
        there = places[np.searchsorted(t, visited.t.iloc[0] - 1e-9)]
        assert math.hypot(*(there - (known.x, known.y))) <= 0.31


@pytest.mark.parametrize("one_way", [False, True])
def test_likelihood_climbs_links_as_far_as_they_lead(one_way: bool) -> None:
    ends = [(1.5, 0, 2), (-0.5, 0, 0)]  # down only, if it is one way
    level = level_of(
        scenes.feature("floor", "yard", shapely.box(-4, -4, 5, 4), height=0.0),
        scenes.feature("floor", "loft", shapely.box(1, -4, 5, 4), height=2.0),
        scenes.feature("link", "rungs", shapely.LineString(ends), one_way=one_way),
    )
    ways = level.ways(clearance=0.2)
    for place, leads in (((-0.6, 0.1, 0.0), not one_way), ((1.6, 0.1, 2.0), True)):
        start = np.array(place)
        likelihood = Likelihood(ways, ways.part_at(start), start, 7.0, 0.5, 0.0)
        other = likelihood.centres[:, 2] != start[2]
        assert other.any() == leads
        for _ in range(12):
            likelihood.spread(1)
            assert likelihood.share.sum() == pytest.approx(1.0)
        there = likelihood.centres[other & (likelihood.share > 0.0)]
        assert (len(there) > 20) == leads
        if leads:  # from the end of the link on
            from_end = np.hypot(*(there[:, :2] - (ends[0] if start[2] == 0.0 else ends[1])[:2]).T)
            assert from_end.min() < 0.5
            assert from_end.max() < 0.5 * 12 * math.sqrt(2.0)


def test_cells_that_a_link_joins_once_more_count_once() -> None:
    stub = scenes.feature("wall", "stub", shapely.LineString([(0.5, 0.1), (0.5, 0.6)]), top=2.0)
    hole = scenes.feature("link", "hole", shapely.LineString([(0.3, 0.3, 0), (0.7, 0.3, 0)]))
    shares = []
    for features in ((stub,), (stub, hole)):
        ways = level_of(*features).ways()
        assert ways.has_links == (hole in features)
        likelihood = Likelihood(ways, 0, np.zeros(3), 3.0, 1.0, 0.0)
        likelihood.spread(2)
        shares.append(likelihood.share)
    np.testing.assert_array_equal(*shares)


def test_where_not_all_paths_are_known_before_the_same_happens(
    night: snelk.Run, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As on a large level, of which each path is found when it is asked for."""

    def runs(folder: Path) -> list[snelk.Run]:
        return [searching(folder / way, way, end=16.0) for way in ("nearby", "hideouts")]

    known = [night, *runs(tmp_path / "known"), snelk.run(snelk.mill() / "night.toml")]
    monkeypatch.setattr("snelk.level.ways.WHOLE", 0)
    asked = [snelk.run(snelk.croft() / "night.toml"), *runs(tmp_path / "asked")]
    asked.append(snelk.run(snelk.mill() / "night.toml"))
    for one, other in zip(known, asked, strict=True):
        assert one.events.text.equals(other.events.text)
        for table, columns in (
            ("poses", ["x", "y", "z"]), ("searches", ["x", "y", "walked"]),
            ("hearing", ["around", "around_margin", "through", "strength", "x", "y"]),
        ):  # fmt: skip
            np.testing.assert_allclose(
                one.table(table)[columns], other.table(table)[columns], atol=1e-9
            )
    assert min((run.searches.what == "planned").sum() for run in known) >= 3


@given(seed=st.integers(0, 10_000))
@settings(max_examples=20, deadline=None, phases=[Phase.generate])
def test_likelihood_spreads_no_faster_than_the_target_and_is_all_accounted_for(seed: int) -> None:
    rng = np.random.default_rng(seed)
    walls = [shapely.LineString([p, p + rng.uniform(-5, 5, 2)]) for p in rng.uniform(-5, 5, (4, 2))]
    level = samples.level_of(
        *((f"w{n}", w, 2.0) for n, w in enumerate(walls)),
        ("far", shapely.Point(30, 30).buffer(1), 2.0),
    )
    ways = level.ways(clearance=0.2)
    start = ways.nearest(np.array([0.0, 0.0]), ways.part_at(np.array([0.0, 0.0])))
    likelihood = Likelihood(ways, ways.part_at(start), np.append(start, 0.0), 6.0, 0.5, 0.0)
    assert likelihood.share.sum() == pytest.approx(1.0)
    assert (likelihood.share > 0).sum() == 1
    wide = Likelihood(ways, ways.part_at(start), np.append(start, 0.0), 6.0, 0.5, 1.3)
    near = np.hypot(*(wide.centres[:, :2] - start).T) <= 1.3
    np.testing.assert_allclose(wide.share, near / near.sum())
    left = 1.0
    for n in range(1, 9):
        likelihood.spread(1)
        assert likelihood.share.sum() == pytest.approx(1.0)
        held = likelihood.centres[likelihood.share > 0]
        far = ways.distance(
            np.repeat(start[None], len(held), axis=0), held, np.full(len(held), np.inf)
        )
        # From cell to cell it is farther than straight, but it never gets farther than it walks.
        assert far.max() <= 0.5 * n * (1 + 1e-9) + 1e-9
        seen = rng.random(len(likelihood.share)) < 0.2
        left *= 1.0 - likelihood.share[seen].sum()
        likelihood.clear(seen)
        assert (likelihood.share[seen] == 0.0).all()
        assert 1.0 - likelihood.cleared == pytest.approx(left)
    likelihood.clear(np.ones(len(likelihood.share), dtype=np.bool_))
    assert likeliest(likelihood.laid, 0.0, 0.0, 0.0, 2.0, np.zeros((0, 6))) == -1


def test_a_hideout_out_of_reach_is_not_looked_around_at(tmp_path: Path) -> None:
    away = samples.track_of((0, 4, -4), (2, 9, -3), (2.2, 90, 90), (30, 90, 90))
    nook = scenes.feature("spot", "nook", shapely.Point(7.5, -5.5))
    pen = scenes.feature("wall", "pen", shapely.box(7, -6, 8, -5).exterior, top=2.5)
    more = {"track": away, "give_up": 60.0, "end": 40.0, "radius": 12.0, "point_time": 5.0}
    run = searching(tmp_path, "hideouts", pen, nook, spots=["nook", "near"], **more)
    rows = run.searches
    missed = rows[(rows.what == "unreachable") & (rows.x == 7.5)].iloc[0]
    assert missed.point == 1
    after = rows[(rows.point == 2) & (rows.what != "planned")].iloc[0]
    assert after.t - missed.t < 4.9  # it goes on at once


def test_a_search_to_begin_with_begins_when_the_clock_does(tmp_path: Path) -> None:
    first = {"search": {"method": "nearby", "radius": 3.0, "give_up": 2.0, "point_time": 9.0}}
    more = {"clock.start": 5.0}
    rows = snelk.run(scenes.scene(tmp_path, states={"first": first}, more=more)).searches
    assert rows.what.tolist()[:2] == ["began", "planned"]
    assert rows.t.tolist()[0] == 5.0
    assert (rows.what.iloc[-1], rows.t.iloc[-1]) == ("ended", pytest.approx(7.0))


def before_its_eyes(run: snelk.Run, t: float, cells: Any) -> Any:
    """Of likely cells those that the guard looks at: near, ahead, and in the open."""
    pose = run.poses[(run.poses.id == "guard") & (run.poses.t == t)].iloc[0]
    angle = np.degrees(np.arctan2(cells.y - pose.y, cells.x - pose.x)) - pose.heading_deg
    off = np.abs((angle + 180) % 360 - 180)
    away = np.hypot(cells.x - pose.x, cells.y - pose.y)
    here = np.tile([pose.x, pose.y], (len(cells), 1))
    lines = shapely.linestrings(np.stack([here, cells[["x", "y"]].to_numpy()], axis=1))
    clear = ~shapely.intersects(lines, shapely.box(6, -2, 8, 2))
    return cells[(off < 59.9) & (away < 11.9) & clear]


def test_what_lies_in_the_dark_is_not_cleared(tmp_path: Path) -> None:
    dark = scenes.feature("zone", "dark", shapely.box(5, -10, 20, 10), light=0.0)
    more = {f"{CONE}.min_light": 0.3}
    run = searching(tmp_path, "likelihood", dark, give_up=8.0, cell=0.5, more=more)
    looked = [before_its_eyes(run, t, cells) for t, cells in run.likelihood.groupby("t")]
    assert min((cells.x > 5.1).sum() for cells in looked[2:]) >= 5
    assert not any((cells.x < 4.9).any() for cells in looked)


def test_the_likelihood_logged_is_what_was_cleared_where_it_looked(tmp_path: Path) -> None:
    run = searching(tmp_path, "likelihood", give_up=12.0, cell=0.5)
    shots = run.likelihood
    totals = shots.groupby("t").likelihood.sum()
    assert len(totals) >= 3
    assert (totals <= 1.0 + 1e-9).all()
    assert (totals > 0.95).all()  # cells with next to nothing are left out
    assert np.diff(totals.index) == pytest.approx(1.0, abs=0.11)
    # First it goes to where the target was last known, and from there to what is likeliest.
    rows = run.searches
    visited, planned = (rows[rows.what == what] for what in ("visited", "planned"))
    assert tuple(visited.iloc[0][["x", "y"]]) == tuple(rows.iloc[0][["x", "y"]])
    assert planned.t[planned.point > 0].min() == visited.t.iloc[0]
    assert visited.point.tolist() == list(range(len(visited)))
    # Of cells straight before its eyes, near and in the open, none is likely.
    for t, cells in shots.groupby("t"):
        assert not len(before_its_eyes(run, t, cells))


def test_four_ways_side_by_side(tmp_path: Path) -> None:
    run = searching(tmp_path, "nearby")
    scenario = snelk.load(Path(run.info["scenario"]), overrides=run.info["overrides"])
    results = snelk.compare_searches(scenario, "guard", seeds=[3, 4])
    assert [(r.method, r.seed) for r in results] == [
        (w, s) for w in ("there", "nearby", "hideouts", "likelihood") for s in (3, 4)
    ]
    key = "profiles.watcher.ladder.states.search.search.method"
    for result in results[::2]:
        alone = snelk.run(scenario, overrides={key: result.method, "seed": 3}).searches
        ended = alone[alone.what == "ended"]
        assert result.seconds == pytest.approx(ended.seconds.sum())
        assert result.walked == pytest.approx(ended.walked.sum())
        assert list(result.outcomes) == list(ended.outcome)
    with pytest.raises(snelk.InputError, match="has no alert state that searches"):
        snelk.compare_searches(scenes.scene(tmp_path / "b", states={"a": {}}), "guard")


# Things thrown.


@given(
    distance=st.floats(0.5, 40), rise=st.floats(-10, 10), limit=st.floats(1, 40)
)  # fmt: skip
@settings(max_examples=200, deadline=None)
def test_arcs_land_where_they_should_at_no_more_than_the_limit(
    distance: float, rise: float, limit: float
) -> None:
    arcs = arcs_to(distance, rise, limit)
    # The parabola of safety: what can be reached at all at this speed.
    reachable = rise <= limit**2 / (2 * GRAVITY) - GRAVITY * distance**2 / (2 * limit**2)
    gap = limit**2 / (2 * GRAVITY) - GRAVITY * distance**2 / (2 * limit**2) - rise
    assert bool(arcs) == reachable or abs(gap) < 1e-6
    for arc in arcs:
        assert arc.speed <= limit * (1 + 1e-9)
        vx, vz = arc.speed * math.cos(arc.angle), arc.speed * math.sin(arc.angle)
        assert vx * arc.flight == pytest.approx(distance)
        assert vz * arc.flight - GRAVITY * arc.flight**2 / 2 == pytest.approx(
            rise, abs=1e-5 * limit**2
        )
    if arcs:
        flat, middle, high = arcs
        assert flat.angle <= middle.angle + 1e-6 <= high.angle + 2e-6
        assert middle.speed <= min(flat.speed, high.speed) + 1e-9
        slower = arcs_to(distance, rise, middle.speed * 0.999)
        assert slower == []


def test_points_of_an_arc_are_a_parabola() -> None:
    (_, middle, _) = arcs_to(5.0, 1.0, 20.0)
    points = points_of(middle, (1.0, 2.0, 0.5), (4.0, 6.0, 1.5), 10)
    np.testing.assert_allclose(points[[0, -1]], [(1, 2, 0.5), (4, 6, 1.5)], atol=1e-9)
    t = np.linspace(0, middle.flight, 11)
    fit = np.polyfit(t, points[:, 2], 2)
    assert fit[0] == pytest.approx(-GRAVITY / 2)


def throwing(folder: Path, walls: list[dict[str, Any]], **throw: Any) -> snelk.Run:
    thrown = {"t": 0.34, "by": "guest", "kind": "stone", "at": [8.0, 0.0], "reach": 12.0, **throw}
    track = samples.track_of((0, -2, 0), (5, -2, 0))
    return snelk.run(
        scenes.scene(
            folder,
            *walls,
            states={"a": {}},
            track=track,
            end=5.0,
            more={"throw": [thrown], "cast.guard.at": [6.0, 5.0]},
        )
    )


@pytest.mark.parametrize(
    ("tops", "arc"),
    [((0.9,), "flat"), ((2.2,), "middle"), ((2.2, 5.0), "high"), ((2.2, 5.0, 60.0), None)],
)
def test_the_lowest_arc_that_clears_the_walls_is_flown(
    tmp_path: Path, tops: tuple[float, ...], arc: str | None
) -> None:
    # Each wall stands 4 m from the thrower, a little beside the one before.
    walls = [
        scenes.feature(
            "wall", f"wall-{n}", shapely.LineString([(2 + n / 10, -5), (2 + n / 10, 3)]), top=top
        )
        for n, top in enumerate(tops)
    ]
    run = throwing(tmp_path, walls, speed=13.0)
    (row,) = run.throws.itertuples()
    expected = {a.name: a for a in arcs_to(10.0, -1.0, 13.0)}
    if arc is None:
        assert (row.reason, row.wall) == ("walls", "wall-0")
        assert len(run.noises) == 0
        (told,) = run.events[run.events.kind == "not_thrown"].text
        assert told == "guest could not throw a stone to (8.0, 0.0): no arc clears wall-0"
        return
    chosen: Arc = expected[arc]
    assert row.arc == arc
    assert row.angle_deg == pytest.approx(math.degrees(chosen.angle))
    (noise,) = run.noises.itertuples()
    assert (noise.kind, noise.by, noise.x, noise.y, noise.reach_key) == (
        "stone",
        "guest",
        8.0,
        0.0,
        "throw[0].reach",
    )
    assert noise.t == pytest.approx(0.34 + chosen.flight) == row.lands
    heard = run.hearing[run.hearing.heard].iloc[0]
    assert heard.t == pytest.approx(math.ceil((noise.t - 1e-9) * 10) / 10)
    belief = run.beliefs[run.beliefs.t == heard.t].iloc[0]
    assert (belief.source, belief.x, belief.y) == ("heard", 8.0, 0.0)
    # It passes over each wall that is there.
    points = points_of(chosen, (-2.0, 0.0, 1.0), (8.0, 0.0, 0.0), 2000)
    for n, top in enumerate(tops):
        assert np.interp(2 + n / 10, points[:, 0], points[:, 2]) > top - 0.01


def test_what_is_too_far_or_nobody_throws_is_told(tmp_path: Path) -> None:
    run = throwing(tmp_path, [], speed=5.0)
    assert run.throws.reason.tolist() == ["too_far"]
    assert run.events.text[run.events.kind == "not_thrown"].tolist() == [
        "guest could not throw a stone to (8.0, 0.0): it is too far"
    ]
    (tmp_path / "throws.csv").write_text(
        "t,by,kind,x,y,speed,reach\n1,guest,stone,2,2,,6\n9,guest,stone,2,2,20,6\n"
    )
    path = tmp_path / "scene.toml"
    path.write_text(path.read_text().replace("use =", 'throws = ["throws.csv"]\nuse ='))
    run = snelk.run(path, overrides={"clock.end": 12.0})
    assert run.throws.reason.fillna("").tolist() == ["", "absent"]
    assert run.throws.by.tolist() == ["guest", "guest"]
    assert len(run.noises) == 1
    for text, message in (
        (
            "t,by,kind,x,y\n1,gest,stone,2,2\n",
            'by: no such character (given: "gest"); did you mean "guest"?',
        ),
        (
            "t,by,kind,x,y,reach\n1,guest,stone,2,2,\n",
            'kind: no such kind of noise (given: "stone")',
        ),
        (
            "t,by,kind,x,y,reach,speed\n1,guest,stone,2,2,3,0\n",
            "line 2: speed must be above 0 m/s (given: speed = 0)",
        ),
        ("t,by,kind,x\n1,guest,stone,2\n", 'columns: column "y" is missing'),
    ):
        (tmp_path / "throws.csv").write_text(text)
        with pytest.raises(snelk.InputError) as caught:
            snelk.load(path)
        assert message in str(caught.value)
