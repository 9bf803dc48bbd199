"""Figures, by looking at what was drawn."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import samples
import scenes
import shapely
from matplotlib.colors import to_hex
from matplotlib.figure import Figure
from PIL import Image

import snelk
from snelk.plots.appearance import NOISE, REASON_STYLES
from snelk.plots.sound import carried
from snelk.plots.style import save_figure
from snelk.plots.sweep import plot_sweep
from snelk.runs.dense import distances
from snelk.runs.reasons import reason_of_look
from snelk.runs.standing import reaches_at
from snelk.senses.sight import GATES
from snelk.tuning.reading import tradeoffs_of


def test_map_shows_everybody_who_is_there_and_their_rays(night: snelk.Run) -> None:
    drawn = snelk.plot_map(night, at=40.0)
    assert set(drawn.bodies) == set(night.names)
    reasons = {pair: reason for pair, (reason, _) in drawn.rays.items()}
    assert ("dog", "fox") not in reasons  # which is fast asleep
    assert reasons["gander", "fox"] == reasons["goose-2", "fox"] == "line_of_sight"
    assert reasons["scarecrow", "fox"] == "line_of_sight"
    assert reasons["owl", "fox"] == "in_view"
    for (agent, target), reason in reasons.items():  # of the cone that comes farthest
        results = [cone.result for cone in night.why(agent, target, at=40.0).cones]
        assert reason == max(results, key=[*GATES, "in_view"].index)
    assert reason_of_look(night, "farmer", "fox", at=65.0) == ("light", None)  # near: range
    # A blocked ray ends at the wall, one in view at the target.
    answer = night.why("gander", "fox", at=40.0)
    blocked = drawn.rays["gander", "fox"][1]
    assert answer.wall_place is not None
    np.testing.assert_allclose(blocked.get_xydata()[1], answer.wall_place[:2])
    fox = night.poses[(night.poses.t == 40.0) & (night.poses.id == "fox")].iloc[0]
    np.testing.assert_allclose(drawn.rays["owl", "fox"][1].get_xydata()[1], (fox.x, fox.y))
    assert "fox" not in snelk.plot_map(night, at=85.0).bodies


def test_map_cuts_cones_at_walls(night: snelk.Run) -> None:
    drawn = snelk.plot_map(night, at=56.0)
    cones = {(a, cone) for a in night.agents for cone in night.setup.profile_of(a).cones}
    assert set(drawn.cones) == cones
    clear, _, hold = drawn.cones["dog", "muzzle"]
    vertices = clear.get_path().vertices
    dog = night.poses[(night.poses.t == 56.0) & (night.poses.id == "dog")].iloc[0]
    hay = next(shape for wall, shape in night.level.data.walls if wall.name == "hay-1")
    # The dog is 85 % awake: 14 m to gain and 16 m to hold shrink to 11.9 and 13.6 m.
    assert 11.5 < np.hypot(*(vertices - (dog.x, dog.y)).T).max() <= 11.9
    assert not shapely.contains(hay.buffer(-0.05), shapely.points(vertices)).any()
    assert 13.0 < np.hypot(*(hold.get_path().vertices - (dog.x, dog.y)).T).max() <= 13.6
    # At 40 s it is asleep, and nobody indoors sees out.
    assert set(snelk.plot_map(night, at=40.0).cones) == cones - {
        ("dog", "muzzle"), ("farmer", "far"), ("farmer", "near"),
    }  # fmt: skip


def test_map_marks_where_a_target_is_believed_with_its_uncertainty(night: snelk.Run) -> None:
    some = ["gander", "goose-1", "goose-2"]
    drawn = snelk.plot_map(night, at=40.0, agents=some)
    beliefs = night.beliefs[(night.beliefs.t == 40.0) & night.beliefs.agent.isin(some)]
    hidden = beliefs[beliefs.source.notna() & ~beliefs.source.isin(["sensed", "grace"])]
    assert set(drawn.ghosts) == {(str(agent), "fox") for agent in hidden.agent} > set()
    for row in hidden.itertuples():
        x, y, words = drawn.ghost_places[row.agent, "fox"]
        assert (x, y) == (row.x, row.y)
        assert str(row.source).replace("_", " ") in words
        assert drawn.uncertainties[row.agent, "fox"].get_radius() == row.uncertainty


def test_without_a_memory_map_marks_where_a_target_was_last_seen() -> None:
    path = snelk.croft() / "night.toml"
    cones = {"muzzle": {"fov_whole": 100, "range": 14.0}}
    dog = {"notices": ["wild"], "body": "dog", "cones": cones}
    night = snelk.run(path, overrides={"profiles.dog": dog, "clock.end": 45.0})
    drawn = snelk.plot_map(night, at=40.0, agents=["dog"])
    assert set(drawn.ghosts) == {("dog", "fox")}
    x, y, words = drawn.ghost_places["dog", "fox"]
    last = night.sight[
        (night.sight.agent == "dog") & night.sight.in_view & (night.sight.t < 40)
    ].t.max()
    fox = night.poses[(night.poses.t == last) & (night.poses.id == "fox")].iloc[0]
    assert (x, y) == (fox.x, fox.y)
    assert words == f"fox last seen by dog, {40 - last:.1f} s ago"


def test_labels_of_characters_do_not_overlap(night: snelk.Run) -> None:
    drawn = snelk.plot_map(night, at=44.6)
    names = [t for t in drawn.axes.texts if t.get_text().split(":")[0] in night.names]
    boxes = [text.get_window_extent() for text in names]
    assert len(boxes) == 12
    assert not any(a.overlaps(b) for n, a in enumerate(boxes) for b in boxes[n + 1 :])


def test_map_from_near_and_of_chosen_agents(night: snelk.Run) -> None:
    drawn = snelk.plot_map(night, at=40.0, agents=["gander"], around="fox", radius=5.0)
    assert {agent for agent, _ in drawn.cones} == {"gander"}
    fox = night.poses[(night.poses.t == 40.0) & (night.poses.id == "fox")].iloc[0]
    assert drawn.axes.get_ylim() == pytest.approx((fox.y - 5, fox.y + 5))


def test_an_axis_of_ones_own_is_drawn_on_or_gives_way(
    night: snelk.Run, walk_sweep: snelk.Sweep, tmp_path: Path
) -> None:
    figure = Figure(figsize=(12, 7.2))
    axes = [*figure.subplots(2, 3).ravel(), figure.add_axes((0.4, 0.4, 0.1, 0.1))]
    places = [ax.get_position() for ax in axes]
    assert snelk.plot_map(night, at=1.0, ax=axes[0]).axes is axes[0]
    assert snelk.plot_timeline(night, ax=axes[1]).axes is axes[1]
    panels = [
        snelk.plot_states(night, "dog", ax=axes[2]),
        snelk.plot_meter(night, "dog", "fox", ax=axes[3]),
        snelk.plot_search(night, "farmer", ax=axes[4]),
        snelk.plot_sweep(walk_sweep, ax=axes[5]),
        snelk.plot_sweep(walk_sweep, ax=axes[6]),
    ]
    assert not {*axes[2:]} & {*figure.axes}
    for place, drawn in zip(places[2:], panels, strict=True):
        for ax in drawn.axes if isinstance(drawn.axes, list) else [drawn.axes]:
            middle = ax.get_window_extent().get_points().mean(axis=0) / (1200, 720)
            assert place.contains(*middle)
    saved = panels[2].save(tmp_path / "all.png")
    with Image.open(saved) as image:
        assert image.size == (1200, 720)


def test_timeline_has_a_lane_per_pair_and_a_band_per_stretch(night: snelk.Run) -> None:
    drawn = snelk.plot_timeline(night)
    teams = {name: member.team for name, member in night.setup.cast.items()}
    assert set(drawn.lanes) == {
        (agent, target)
        for agent in night.agents
        for target in night.names
        if agent != target and night.setup.profile_of(agent).ever_notices(teams[target])
    }
    for agent, bands in drawn.states.items():
        rows = night.states[night.states.agent == agent]
        assert [name for name, *_ in bands] == list(rows.state)
        assert [begin for _, begin, *_ in bands] == list(rows.t)
        assert set(drawn.transitions[agent]) <= set(rows.transition.dropna())
    assert "evening-round" not in drawn.transitions["farmer"]  # there is no room for it
    assert "gives-up" in drawn.transitions["farmer"]
    rows = night.hearing[(night.hearing.agent == "dog") & (night.hearing.target == "fox")]
    assert drawn.heard["dog", "fox"] == (list(rows[rows.heard].t), list(rows[~rows.heard].t))
    zone = [(span.start, span.end) for span, _ in drawn.stretches["bell", "fox"]]
    events = night.events[night.events.agent == "bell"]
    assert zone == [tuple(events[events.kind.isin(["entered", "left"])].t)]
    gander = night.meters[night.meters.agent == "gander"]
    height = drawn.meters["gander", "fox"].get_ydata()
    row = [text.get_text() for text in drawn.axes.get_yticklabels()].index("gander → fox")
    np.testing.assert_allclose(height, row + 0.62 * (0.5 - gander.value))
    for agent, target in drawn.lanes:
        bands = drawn.bands[agent, target]
        assert [span for span, _ in bands] == night.spans(agent, target)
        for span, band in bands:
            assert (band.get_x(), band.get_x() + band.get_width()) == pytest.approx(
                (span.start, span.end)
            )
            style = REASON_STYLES[span.reason]
            assert to_hex(band.get_facecolor()) == style.band
            assert (band.get_hatch() or "") == style.hatch
    events = night.events[(night.events.agent == "dog") & (night.events.target == "fox")]
    assert drawn.marks["dog", "fox"] == (
        list(events[events.kind == "saw"].t),
        list(events[events.kind == "lost"].t),
    )


def test_meter_shows_the_value_its_thresholds_and_factors(night: snelk.Run) -> None:
    drawn = snelk.plot_meter(night, "farmer", "fox")
    rows = night.meters[(night.meters.agent == "farmer") & (night.meters.target == "fox")]
    np.testing.assert_array_equal(drawn.line.get_ydata(), rows.value)
    assert {name: line.get_ydata()[0] for name, line in drawn.thresholds.items()} == {
        "wary": 0.3,
        "sure": 1.0,
    }
    assert set(drawn.areas) == {"far", "near", "holding", "draining"}
    assert drawn.noises is not None
    assert list(drawn.noises.get_xdata()) == list(rows.t[rows.noise > 0])
    bell = snelk.plot_meter(night, "bell", "fox").areas
    assert set(bell) == {"zone", "holding", "draining"}
    image = np.ma.filled(drawn.strips.get_array(), np.nan)
    np.testing.assert_array_equal(image[0], rows.distance_factor)
    np.testing.assert_array_equal(image[6], rows.weight_factor)


def test_map_draws_the_light_of_lamps(night: snelk.Run) -> None:
    rings = snelk.plot_map(night, at=45.0).lamps["farmer"]
    reach = [ring.get_path().get_extents().width / 2 for ring in rings]
    assert reach == sorted(reach, reverse=True)
    assert reach[0] <= 9.0
    assert set(snelk.plot_map(night, at=5.0).lamps) == {"farmer"}


def test_map_draws_noises_as_far_as_they_carry_and_who_heard_them(night: snelk.Run) -> None:
    heard = night.hearing[night.hearing.heard & (night.hearing.target == "fox")]
    number = int(heard.noise[heard.agent == "hen-1"].iloc[0])
    row, t = night.noises.iloc[number], float(heard.t[heard.noise == number].iloc[0])
    drawn = snelk.plot_map(night, at=t).noises[number]
    assert drawn.place == (row.x, row.y)
    assert drawn.ring.get_radius() == row.reach
    judged = heard[(heard.noise == number) & (heard.t <= t + 1e-9)]
    assert set(drawn.ears) == set(judged.agent) > set()
    hen = night.poses[(night.poses.id == "hen-1") & (night.poses.t == t)].iloc[0]
    np.testing.assert_allclose(drawn.ears["hen-1"].get_xydata(), [(row.x, row.y), (hen.x, hen.y)])
    assert to_hex(drawn.mark.get_markerfacecolor()) == NOISE
    unheard = snelk.plot_map(night, at=14.2, agents=["goose-1"]).noises
    assert all(each.mark.get_markerfacecolor() == "white" for each in unheard.values())
    assert "hoot" in {each.text for each in unheard.values()}


def test_noises_are_cut_by_what_they_cannot_pass(tmp_path: Path) -> None:
    barn = samples.wall_feature("barn", [(2, -3), (2, 3)], top=9.0, hear_through=0.4)
    profiles = samples.SAMPLE_PROFILES + "[profiles.watcher.hearing]\n"
    run = snelk.run(
        samples.write_sample(tmp_path, guest="at = [5, 0]", level=barn, profiles=profiles)
    )
    x, y, straight, on_foot = carried(run, (0.0, 0.0, 1.0), 10.0, run.level)
    for at_x, at_y, left in ((6.0, 0.0, 10 * 0.4 - 6), (-6.0, 0.0, 4.0), (0.0, 8.0, 2.0)):
        column, line = int(np.abs(x - at_x).argmin()), int(np.abs(y - at_y).argmin())
        slack = 0.3  # the places lie in a grid
        assert straight[line, column] == pytest.approx(left, abs=slack)
        free = at_x < 2
        around = np.hypot(2, 3) + np.hypot(4, 3)  # past the end of the wall
        expected = left if free else 10 - around
        assert on_foot[line, column] == pytest.approx(expected, abs=slack + (0 if free else 0.8))


def test_names_with_markup_are_shown_as_they_are(tmp_path: Path) -> None:
    name = r"$\frac{a}/[b]<i>"
    path = samples.write_sample(
        tmp_path,
        guest=f"at = [5, 0]\n[cast.'{name}']\nteam = 'home'\nprofile = 'watcher'\nat = [0, 1]",
    )
    path.write_text(f"title = '{name}'\n" + path.read_text())
    meter = {"fill_time": 1.0, "thresholds": {name: 0.5}}
    cones = {name: {"fov_whole": 90, "range": 9.0}}
    run = snelk.run(
        path, overrides={"profiles.watcher.meter": meter, "profiles.watcher.cones": cones}
    )
    for drawn in (
        snelk.plot_map(run, at=0.0),
        snelk.plot_timeline(run),
        snelk.plot_meter(run, name, "guest"),
    ):
        save_figure(drawn.axes, tmp_path / "figure.png")
    assert name in [text.get_text() for text in snelk.plot_map(run, at=0.0).axes.texts]


def test_of_very_many_walls_the_largest_have_names(tmp_path: Path) -> None:
    """Far apart, so that there is room for all."""
    places = [(100 * x, 100 * y) for x in range(13) for y in range(10)]
    walls = [
        scenes.feature("wall", f"w{n}", shapely.box(x, y, x + 10 + n, y + 1), top=2.0)
        for n, (x, y) in enumerate(places)
    ]
    run = snelk.run(
        samples.write_sample(tmp_path, guest="at = [90, 90]", level=scenes.level(*walls))
    )
    texts = [text.get_text() for text in snelk.plot_map(run, at=0.0).axes.texts]
    named = {int(text[1:]) for text in texts if text[:1] == "w" and text[1:].isdigit()}
    assert 50 < len(named) <= 120
    assert min(named) >= 10
    assert 129 in named


def test_many_lanes_make_the_figure_taller(tmp_path: Path) -> None:
    extra = "\n".join(
        f'[cast.guard-{n}]\nteam = "home"\nprofile = "watcher"\nat = [{n}, 1]' for n in range(30)
    )
    run = snelk.run(samples.write_sample(tmp_path, guest=f"at = [5, 0]\n{extra}"))
    drawn = snelk.plot_timeline(run)
    figure = drawn.axes.get_figure(root=True)
    assert figure is not None
    assert figure.get_figheight() > 12
    assert len(drawn.lanes) == 31


def test_a_run_of_one_moment_is_drawn_as_such(night: snelk.Run) -> None:
    short = snelk.run(snelk.croft() / "night.toml", overrides={"clock.end": 0.0})
    for drawn in (
        snelk.plot_timeline(short),
        snelk.plot_compare(snelk.compare(short, short)),
        snelk.plot_meter(short, "owl", "fox"),
    ):
        ax = drawn.axes[0] if isinstance(drawn.axes, list) else drawn.axes
        assert ax.get_xlim() == (-0.5, 0.5)
        assert "only one moment, 0 s: see the map of it" in [each.get_text() for each in ax.texts]
    assert snelk.plot_timeline(night).axes.get_xlim() == (0.0, 90.0)


def luminance(colour: str) -> float:
    red, green, blue = (int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5))
    return 0.2126 * red**2.2 + 0.7152 * green**2.2 + 0.0722 * blue**2.2


def test_bands_differ_without_colour() -> None:
    kinds = {(style.hatch, round(luminance(style.band), 1)) for style in REASON_STYLES.values()}
    assert len({style.hatch for style in REASON_STYLES.values()}) >= 4
    assert len(kinds) == len(REASON_STYLES)
    assert luminance(REASON_STYLES["in_view"].band) < 0.3 < luminance(REASON_STYLES["range"].band)


@pytest.mark.parametrize(
    ("call", "message"),
    [
        (lambda run: snelk.plot_map(run, at=99), "must lie within the run"),
        (lambda run: snelk.plot_map(run, at=1, agents=["fix"]), 'no such agent .given: "fix"'),
        (lambda run: snelk.plot_map(run, at=1, around="fix"), 'did you mean "fox"'),
        (lambda run: snelk.plot_map(run, at=1, around="fox", radius=0), "must be above 0 m"),
        (lambda run: snelk.plot_map(run, at=1, tail=-1), "must be 0 s or more"),
        (lambda run: snelk.plot_meter(run, "dog", "goose-1"), "dog has no meter for goose-1"),
        (
            lambda run: snelk.plot_timeline(run, agents=["bell"], targets=["dog"]),
            "no agent notices anybody",
        ),
        (lambda run: snelk.plot_timeline(run, start=9, end=1), "must come after the start"),
        (lambda run: save_figure(snelk.plot_timeline(run).axes, Path("x.doc")), "unknown format"),
    ],
)
def test_wrong_wishes(night: snelk.Run, call: object, message: str) -> None:
    assert callable(call)
    with pytest.raises(snelk.InputError, match=message):
        call(night)


def test_states_shows_every_change_how_often_and_when(night: snelk.Run) -> None:
    drawn = snelk.plot_states(night, "dog")
    ladder = night.setup.profile_of("dog").ladder
    assert ladder is not None
    rows = night.states[night.states.agent == "dog"]
    assert set(drawn.boxes) == set(ladder.states)
    assert drawn.taken == {
        name: list(rows.t[rows.transition == name]) for name in ladder.transitions
    }
    pairs = {(name, start) for name, c in ladder.transitions.items() for start in c.from_}
    assert set(drawn.arrows) == pairs
    for (name, start), arrow in drawn.arrows.items():
        times = int(((rows.transition == name) & (rows.before == start)).sum())
        assert (arrow.get_linestyle() == "-") == (times > 0)
        assert drawn.labels[name, start].get_text() == (f"{name} ×{times}" if times else name)
    assert sum(drawn.shares.values()) == pytest.approx(1.0)
    asleep = rows.t.iloc[1] + 90.0 - rows.t[rows.transition == "lies-down"].iloc[0]
    assert drawn.shares["asleep"] == pytest.approx(asleep / 90.0)
    texts = {text.get_text() for text in drawn.axes.texts}
    assert {"noise ×1", "nothing-there"} <= texts
    with pytest.raises(snelk.InputError, match="has no alert states"):
        snelk.plot_states(night, "bell")


@pytest.mark.parametrize("agent", ["fox", "dog", "goose-1", "hen-1", "farmer", "owl"])
def test_what_is_written_at_the_states_stands_apart(night: snelk.Run, agent: str) -> None:
    drawn = snelk.plot_states(night, agent)
    texts = [text.get_window_extent() for text in drawn.labels.values()]
    others = [box.get_window_extent() for box in drawn.boxes.values()]
    for n, text in enumerate(texts):
        assert not any(text.overlaps(other) for other in texts[n + 1 :] + others)


def test_a_search_is_drawn_as_it_stood(night: snelk.Run) -> None:
    drawn = snelk.plot_search(night, "farmer")
    rows = night.searches[night.searches.agent == "farmer"]
    assert (drawn.times[0], drawn.times[-1]) == (rows.t.min(), rows.t.max())
    shots = night.likelihood[night.likelihood.agent == "farmer"]
    for t, search in zip(drawn.times, drawn.searches, strict=True):
        until = rows[rows.t <= t + 1e-9]
        assert len(search.planned) == (until.what == "planned").sum()
        assert len(search.visited) == until.what.isin(["visited", "looked"]).sum()
        now = shots[shots.t == shots.t[shots.t <= t + 1e-9].max()]
        assert search.cells is not None
        assert len(search.cells.get_paths()) == len(now)
        darkest = int(np.argmax(np.asarray(search.cells.get_alpha())))
        assert now.likelihood.iloc[darkest] == now.likelihood.max()
    with pytest.raises(snelk.InputError, match="did not search in this run"):
        snelk.plot_search(night, "owl")
    with pytest.raises(snelk.InputError, match="no such search; farmer searched 1 times"):
        snelk.plot_search(night, "farmer", search=7)


def test_map_draws_territories_ways_searches_and_arcs(night: snelk.Run) -> None:
    drawn = snelk.plot_map(night, at=66.5, agents=["farmer", "dog"], ways=True)
    yard = night.level.zone_area("gravel yard")
    assert set(drawn.territories) == {"dog"}
    edge = shapely.Polygon(drawn.territories["dog"].get_path().vertices)
    assert edge.equals(yard)
    walked = night.poses[(night.poses.id == "farmer") & (night.poses.t <= 66.5)]
    np.testing.assert_array_equal(drawn.ways["farmer"].get_xydata(), walked[["x", "y"]])
    assert set(drawn.searches) == {"farmer"}
    throw = night.throws.iloc[0]
    flying = snelk.plot_map(night, at=25.0, agents=["dog"])
    (arc,) = flying.throws
    ends = [(throw.from_x, throw.from_y), (throw.to_x, throw.to_y)]
    np.testing.assert_allclose(arc.line.get_xydata(), ends)
    assert arc.text.startswith("pebble, middle arc, 2.")
    assert snelk.plot_map(night, at=20.0, agents=["dog"]).throws == []


@pytest.fixture(scope="module")
def walk_sweep(tmp_path_factory: pytest.TempPathFactory) -> snelk.Sweep:
    path = samples.write_sample(
        tmp_path_factory.mktemp("sweep"), track=samples.track_of((0, 20, 1), (20, -5, 1))
    )
    front = "profiles.watcher.cones.front"
    vary = {f"{front}.range": [4.0, 7.0, 10.0], f"{front}.fov_whole": [60.0, 90.0]}
    return snelk.sweep(path, vary, seeds=2, out=path.with_name("two.parquet"), jobs=1)


def test_reaches_goals_and_contacts_are_those_of_their_time(night: snelk.Run) -> None:
    signals, touches = night.signals, 0
    for agent in ("farmer", "dog"):
        rows = signals[signals.agent == agent].reset_index()
        for tick in range(0, len(night.times), 37):
            found, here = reaches_at(night, agent, tick), rows.loc[tick]
            goal = None if np.isnan(here.goal_x) else (here.goal_x, here.goal_y)
            assert found.goal == goal, (agent, tick)
            touches += goal is not None
    assert touches > 10
    sight = night.sight[(night.sight.agent == "owl") & (night.sight.target == "fox")]
    here = distances(night, "owl", "fox")[night.ticks_of(sight.t.to_numpy())]
    np.testing.assert_allclose(here[sight.distance.notna()], sight.distance.dropna())
    (whole,) = (each for each in night.story("bell", "fox") if each.sense == "zone")
    start, end = whole.start + 0.3, whole.end - 0.2
    (part,) = (each for each in night.story("bell", "fox", start=start, end=end)
               if each.sense == "zone")  # fmt: skip
    assert (part.start, part.end) == (pytest.approx(start, abs=0.11), pytest.approx(end, abs=0.11))
    assert part.start >= start - 1e-9


def test_a_sweep_of_two_numbers_is_a_map_of_means(walk_sweep: snelk.Sweep) -> None:
    key, other = "guard.guest.time_in_view", "guard.guest.first_seen"
    wants = [snelk.Want(key, True), snelk.Want(other, True)]
    drawn = plot_sweep(walk_sweep, wants=wants)
    means = walk_sweep.table.groupby(walk_sweep.keys[::-1])[key].mean().to_numpy().reshape(2, 3)
    np.testing.assert_allclose(drawn.cells[key], means)
    texts = [float(text.get_text()) for text in drawn.axes[0].texts]
    np.testing.assert_allclose(texts, means.ravel(), rtol=6e-3)
    assert drawn.best == tradeoffs_of(walk_sweep, wants).variant.tolist() != []


def test_a_sweep_of_one_number_is_a_line_with_a_band_and_of_more_parallel_axes(
    walk_sweep: snelk.Sweep, tmp_path: Path
) -> None:
    scenario = walk_sweep.info["scenario"]
    reach = "profiles.watcher.cones.front.range"
    one = snelk.sweep(
        scenario, {reach: [4.0, 7.0, 10.0]}, seeds=2, out=tmp_path / "1.parquet", jobs=1
    )
    drawn = plot_sweep(one, show=["guard.guest.first_seen"])
    means = one.table.groupby(reach)["guard.guest.first_seen"].mean()
    np.testing.assert_allclose(drawn.lines["guard.guest.first_seen"].get_ydata(), means)
    assert "today, 10" in [text.get_text() for text in drawn.axes[0].get_legend().get_texts()]
    vary = {reach: (4.0, 12.0), "cast.guest.team": ["visitors", "home"], "light": (0.2, 1.0)}
    many = snelk.sweep(scenario, vary, samples=20, out=tmp_path / "3.parquet", jobs=1)
    wants = [snelk.Want("guard.guest.time_in_view", False)]
    drawn = plot_sweep(many, wants=wants)
    assert drawn.rows is not None
    assert len(drawn.rows.get_segments()) == 20
    heights = np.concatenate([segment[:, 1] for segment in drawn.rows.get_segments()])
    assert heights.min() == 0.0
    assert heights.max() == 1.0
    for number in drawn.best:
        assert any(str(number) in text.get_text() for text in drawn.axes[0].texts)
