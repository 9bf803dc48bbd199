"""What a designer writes: every mistake gets one clear line with the nearest right name."""

from __future__ import annotations

import copy
import json
from pathlib import Path
from typing import Any

import jsonschema
import numpy as np
import pytest
import samples
from hypothesis import given, settings
from hypothesis import strategies as st

import snelk
from snelk.config.geojson import level_from
from snelk.config.models import Setup
from snelk.config.schema import schema
from snelk.errors import nearest


def complaints(path: Path, overrides: dict[str, object] | None = None) -> list[str]:
    """The lines that loading says, with the folder cut off."""
    with pytest.raises(snelk.InputError) as caught:
        snelk.load(path, overrides=overrides)
    return str(caught.value).replace(f"{path.parent}/", "").splitlines()


CONE = "profiles.watcher.cones.front"


@pytest.mark.parametrize(
    ("old", "new", "line"),
    [
        ("range = 10", "rnage = 10", f'{CONE}.rnage: no such key (given: 10.0); did you mean "range"?'),
        ("fov_whole = 90", "fov = 90", f'{CONE}.fov: no such key (given: 90); did you mean "fov_whole"?'),
        ("fov_whole = 90", "fov_whole = 400", f"{CONE}.fov_whole: must be at most 360 deg and above 0 (given: 400)"),
        ("range = 10.0", "range = -1", f"{CONE}.range: must be above 0 m and at most 100000 (given: -1)"),
        ("range = 10.0", "range = nan", f"{CONE}.range: must be a finite number (given: nan)"),
        ("range = 10.0", 'range = "10"', f'{CONE}.range: must be a number (given: "10")'),
        ("range = 10.0", "range = true", f"{CONE}.range: must be a number (given: true)"),
        ("range = 10.0", "", f"{CONE}.range: is missing; add it"),
        ('["visitors"]', '"visitors"', 'profiles.watcher.notices: must be a list (given: "visitors")'),
        ('body = "post"', 'body = "pots"', 'profiles.watcher.body: no such body (given: "pots"); did you mean "post"?'),
        ('body = "post"', 'like = "wacher"', 'profiles.watcher.like: no such profile (given: "wacher"); there are none'),
        ('body = "post"', 'like = "watcher"', "profiles.watcher.like: profiles inherit in a circle (given: watcher like watcher); cut it"),
        ("[profiles.watcher]", "[profile.watcher]", 'profile: a file in use holds only the tables bodies, profiles, noise_kinds, grounds (given: a table with watcher); did you mean "profiles"?'),
        ("standing = 2.0", "standing = 2.0.0", "is not valid TOML: Expected newline or end of document after a statement (at line 3, column 15)"),
    ],
)  # fmt: skip
def test_mistakes_in_profiles(tmp_path: Path, old: str, new: str, line: str) -> None:
    assert old in samples.SAMPLE_PROFILES
    text = samples.SAMPLE_PROFILES.replace(old, new, 1)
    path = samples.write_sample(tmp_path, guest="at = [5, 0]", profiles=text)
    assert f"kinds.toml: {line}" in complaints(path)


@pytest.mark.parametrize(
    ("old", "new", "line"),
    [
        ("level.geojson", "levl.geojson", 'levl.geojson: no such file; did you mean "level.geojson"?'),
        ("level.geojson", "\\u0000", "'\\x00': is not a valid path; check the path"),
        ("kinds.toml", "kins.toml", 'kins.toml: no such file; did you mean "kinds.toml"?'),
        ('"watcher"', '"watchr"', 'scene.toml: cast.guard.profile: no such profile (given: "watchr"); did you mean "watcher"?'),
        ("dt = 0.5", "dt = 0", "scene.toml: clock.dt: must be at least 0.001 s and at most 10 (given: 0)"),
        ("end = 0.5", "", "scene.toml: clock.end: is required if there are no tracks; add end = … seconds"),
        ("end = 0.5", "end = 600000", "scene.toml: clock: makes 1200000 ticks, more than 1000000; raise dt, or choose an earlier end"),
        ("at = [5, 0]", "at = [5]", "scene.toml: cast.guest.at[1]: is missing; add it"),
        ("at = [5, 0]", "", "scene.toml: cast.guest: has neither a track nor a position; add at = [x, y], or a track (there are none)"),
        ('body = "post"\nat', "at", 'scene.toml: cast.guest: has no body; add body = … (known: post)'),
        ("[cast.guest]", '[cast.guest]\nposture = "crouching"', 'scene.toml: cast.guest.posture: unknown word (given: "crouching"); did you mean "crouched"?'),
        ("[cast.guest]", "[cast.guest]\nfacing = inf", "scene.toml: cast.guest.facing: must be a finite number (given: inf)"),
        ("[cast.guest]", '[cast." "]', 'scene.toml: cast." ": must be 1 to 80 printable characters without spaces at the ends (given: " ")'),
    ],
)  # fmt: skip
def test_mistakes_in_scenarios(tmp_path: Path, old: str, new: str, line: str) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    assert old in path.read_text()
    path.write_text(path.read_text().replace(old, new, 1))
    assert line in complaints(path)


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ("", "is empty; it needs a first line with the names of its columns"),
        ("t,id,x,y,heading\n", "has no rows; it needs at least one row; or leave the file out"),
        ("t,id,x,y\n0,guest,0,0\n", 'columns: column "heading" is missing; add it'),
        ("t,id,x,y,heading,postur\n0,guest,0,0,0,prone\n", 'columns: no such column (given: "postur"); did you mean "posture"?; or leave out the column'),
        ("t,id,x,y,heading\n0,guest,0,0,0\n1,guest,nan,0,0\n", "line 3: must be a number from -100000 to 100000 (given: x = nan)"),
        ("t,id,x,y,heading\n0,guest,0,0,0\n1,guest,a,0,0\n", "line 3: must be a number from -100000 to 100000 (given: x = a)"),
        ("t,id,x,y,heading\nnan,guest,0,0,0\n", "line 2: must be a number from 0 to 1e+06 (given: t = nan)"),
        ("t,id,x,y,heading\n1,guest,0,0,0\n1,guest,0,0,0\n", 'line 3: times of "guest" must rise; the previous sample is at 1 s (given: t = 1); sort by t, and remove duplicates'),
        ("t,id,x,y,heading,gait\n0,guest,0,0,0,run\n", 'line 2: unknown word (given: gait = "run"); did you mean "running"?'),
    ],
)  # fmt: skip
def test_mistakes_in_tracks(tmp_path: Path, text: str, line: str) -> None:
    path = samples.write_sample(tmp_path, track=text)
    assert f"track.csv: {line}" in complaints(path)


def feature(
    kind: str, geometry: str, coordinates: object, **properties: object
) -> dict[str, object]:
    return {
        "type": "Feature",
        "properties": {"kind": kind, "name": "thing", **properties},
        "geometry": {"type": geometry, "coordinates": coordinates},
    }


LINE = [[0, 0], [1, 0]]


@pytest.mark.parametrize(
    ("item", "line"),
    [
        (feature("wal", "LineString", LINE), 'feature 0 "thing": kind: is missing or unknown (given: "wal"); did you mean "wall"?'),
        (feature("wall", "LineString", LINE), 'feature 0 "thing": top: is missing; add it'),
        (feature("wall", "LineString", LINE, top=1, base=2), 'feature 0 "thing": top: must be above base, 2 m (given: 1)'),
        (feature("wall", "LineString", LINE, top=1, see_trough=1), 'feature 0 "thing": see_trough: no such key (given: 1); did you mean "see_through"?'),
        (feature("wall", "LineString", LINE, top=1, see_through=1.5), 'feature 0 "thing": see_through: must be at most 1 and at least 0 (given: 1.5)'),
        (feature("wall", "Point", [0, 0], top=1), 'feature 0 "thing": geometry: wrong type of geometry (given: "Point"); use LineString or MultiLineString or Polygon or MultiPolygon'),
        (feature("wall", "LineString", [[0, 0], [float("nan"), 0]], top=1), 'feature 0 "thing": geometry: needs coordinates that are numbers within ±100000 m (given: [[0, 0], [nan, 0]])'),
        (feature("wall", "LineString", [[0, 0]], top=1), 'feature 0 "thing": geometry: coordinates do not make a LineString (given: [[0, 0]])'),
        (feature("zone", "Polygon", [[[0, 0], [2, 2], [2, 0], [0, 2], [0, 0]]]), 'feature 0 "thing": geometry: is not a valid polygon (given: Self-intersection[1 1]); draw an outline that does not cross itself'),
        (feature("zone", "Point", [0, 0]), 'feature 0 "thing": radius: a zone needs a radius if it is a Point, and only then'),
        ({"type": "Feature"}, "feature 0: must be a GeoJSON Feature with properties (given: a table with type)"),
    ],
)  # fmt: skip
def test_mistakes_in_levels(item: dict[str, object], line: str) -> None:
    with pytest.raises(snelk.InputError) as caught:
        level_from({"type": "FeatureCollection", "features": [item]}, source="level")
    assert str(caught.value) == f"level: {line}"


def test_a_level_of_more_corners_than_can_be_walked_around_is_refused(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    features = [
        feature("wall", "LineString", [[0, 0], [1, 0], [1, 1]], top=1),
        feature("zone", "Polygon", [[[0, 0], [1, 0], [1, 1], [0, 0]]]),
    ]
    level = {"type": "FeatureCollection", "features": features}
    monkeypatch.setattr("snelk.config.geojson.MOST_CORNERS", 7)
    level_from(level, source="level")
    monkeypatch.setattr("snelk.config.geojson.MOST_CORNERS", 6)
    with pytest.raises(snelk.InputError, match=r"features: has 7 corners, more than 6; "):
        level_from(level, source="level")


def test_everything_wrong_is_told_in_one_go(tmp_path: Path) -> None:
    path = samples.write_sample(
        tmp_path,
        track="t,id,x,y,heading\n0,guest,zero,0,0\n",
        level=samples.wall_feature("wall", LINE, topp=1.0),
        profiles=samples.SAMPLE_PROFILES.replace("range = 10.0", "range = 0"),
    )
    path.write_text(path.read_text().replace("dt = 0.5", "dt = -1"))
    files = [line.split(":")[0] for line in complaints(path)]
    assert files == ["kinds.toml", "scene.toml", "level.geojson", "level.geojson", "track.csv"]


def test_a_duplicate_name_and_id_are_refused(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, track=samples.track_of((0, 1, 1)))
    (tmp_path / "more.toml").write_text("[bodies.post]\nstanding = 1.0\n")
    (tmp_path / "again.csv").write_text(samples.track_of((0, 2, 2)))
    text = path.read_text().replace('use = ["kinds.toml"]', 'use = ["kinds.toml", "more.toml"]')
    path.write_text(text.replace('["track.csv"]', '["track.csv", "again.csv"]'))
    told = complaints(path)
    assert told[0].startswith("more.toml: bodies.post: is already defined in ")
    assert told[1].startswith('again.csv: id "guest": has a track in ')


def test_inheritance_takes_what_is_not_written_and_blames_who_wrote_it(tmp_path: Path) -> None:
    child = (
        samples.SAMPLE_PROFILES
        + '[profiles.owl]\nlike = "watcher"\n[profiles.owl.cones.front]\nrange = 30\n'
    )
    path = samples.write_sample(tmp_path, guest="at = [5, 0]", profiles=child)
    setup = snelk.load(path).setup
    owl, watcher = setup.profiles["owl"], setup.profiles["watcher"]
    assert (owl.notices, owl.body) == (watcher.notices, watcher.body)
    assert owl.cones["front"] == watcher.cones["front"].model_copy(update={"range": 30})
    loaded = snelk.load(path)
    written = copy.deepcopy(loaded.draft.raw)
    changed = loaded.changed({f"{CONE}.fov_whole": 70}).setup
    assert changed.profiles["owl"].cones["front"].fov_whole == 70
    assert loaded.draft.raw == written
    (tmp_path / "kinds.toml").write_text(child.replace("fov_whole = 90", "fov_whole = 0"))
    assert complaints(path) == [
        f"kinds.toml: {CONE}.fov_whole: must be above 0 deg and at most 360 (given: 0)"
    ]


def test_what_nobody_wrote_is_blamed_on_who_wrote_most_of_it(tmp_path: Path) -> None:
    meters = "[profiles.owl]\nlike = 'watcher'\n[profiles.owl.meter]\nfill_time = 2\n"
    meters += "[profiles.watcher.meter]\nfill_time = 3\ndrain_after = 1\n"
    path = samples.write_sample(
        tmp_path, guest="at = [5, 0]", profiles=samples.SAMPLE_PROFILES + meters
    )
    draft = snelk.load(path).draft
    for key, owner in (("fill_time", "owl"), ("drain_after", "watcher"), ("drain_time", "owl")):
        place = draft.locate(("profiles", "owl", "meter", key))
        assert place == (str(path.with_name("kinds.toml")), f"profiles.{owner}.meter.{key}")


@pytest.mark.parametrize(("overrides", "outdated"), [
    ({"profiles.hen.ladder.transitions.safe.when": "seen(wied)"}, None),
    ({"profiles.hen.ladder.transitions.safe.to": "nowhere"}, None),
    (dict.fromkeys((f"cast.{name}.team" for name in ("boy", "bell", "farmer", "dog")), "croft"), None),
    ({"bodies.fox.attributes": {}}, None),
    ({"profiles.dog.ladder.states.asleep.cones": {"eye": {"range": 5.0}}}, None),
    ({"profiles.dog.ladder.states.asleep": {"hold": {}}}, [("profiles", "dog", "ladder", "states", "asleep", "hold")]),
])  # fmt: skip
def test_what_others_refer_to_may_not_be_taken_away(
    overrides: dict[str, Any], outdated: Any
) -> None:
    """However little was written, all that it concerns is looked at, as where all is read anew."""
    night = snelk.croft() / "night.toml"
    scenario, found = snelk.load(night), []
    for change in (scenario.changed, lambda overrides: snelk.load(night, overrides=overrides)):
        try:
            changed = change(overrides)
            found.append((changed.setup, changed.draft.outdated))
        except snelk.InputError as error:
            found.append((str(error), None))
    assert found[0] == found[1]
    assert found[0][1] == outdated
    looks = scenario.changed(
        {"profiles.dog.ladder.states.asleep.cones": {"muzzle": {"range": 5.0}}}
    )
    with pytest.raises(snelk.InputError, match="no such cone"):
        looks.changed({"profiles.dog.cones": {"eyes": {"range": 9.0, "fov_whole": 90.0}}})


@pytest.mark.parametrize(
    ("overrides", "line"),
    [
        ({f"{CONE}.rnge": 3}, f'overrides: {CONE}.rnge: no such key (given: 3); did you mean "range"?'),
        ({f"{CONE}.range": -3}, f"overrides: {CONE}.range: must be above 0 m and at most 100000 (given: -3)"),
        ({"profiles.wacher.body": "x"}, 'overrides: profiles.wacher: no such name; did you mean "watcher"?'),
        ({"clock.dt.x": 1}, "overrides: clock.dt: is a value, not a table (given: 0.5)"),
        ({"clock dt": 1}, 'overrides: is not a key path (given: "clock dt"); write it like profiles.goose.cones.wide.range'),
    ],
)  # fmt: skip
def test_mistakes_in_overrides(tmp_path: Path, overrides: dict[str, object], line: str) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    assert complaints(path, overrides) == [line]
    with pytest.raises(snelk.InputError) as caught:
        snelk.load(path).changed(overrides)
    assert str(caught.value) == line


def test_changes_leave_what_the_caller_handed_in_alone(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    senses = {"sight": 0.5}
    changes = {"cast.guard.senses": senses, "cast.guard.senses.hearing": 0.25}
    loaded = snelk.load(path, overrides=changes).setup.cast["guard"].senses
    assert (loaded, senses) == ({"sight": 0.5, "hearing": 0.25}, {"sight": 0.5})


def test_files_cannot_be_changed_in_a_loaded_scenario(tmp_path: Path) -> None:
    scenario = snelk.load(samples.write_sample(tmp_path, guest="at = [5, 0]"))
    with pytest.raises(snelk.InputError, match="overrides: level: cannot be overridden"):
        scenario.changed({"level": "other.geojson"})


def test_parquet_tracks_are_read_like_csv(tmp_path: Path) -> None:
    import pandas as pd

    path = samples.write_sample(tmp_path, track=samples.track_of((0, 12, 0), (3, 1, 1)))
    expected = snelk.run(path).sight
    pd.read_csv(tmp_path / "track.csv").to_parquet(tmp_path / "track.parquet")
    path.write_text(path.read_text().replace("track.csv", "track.parquet"))
    pd.testing.assert_frame_equal(snelk.run(path).sight, expected)
    (tmp_path / "track.parquet").write_bytes(b"PAR1 but not really")
    assert complaints(path)[0].startswith("track.parquet: cannot be read as Parquet: ")


length = st.floats(0.1, 1000)
cone = st.fixed_dictionaries(
    {"fov_whole": st.floats(1, 360), "range": length},
    optional={"hold_range": length, "hold_fov_whole": st.floats(1, 360), "min_exposure": st.floats(0, 0.9)},
)  # fmt: skip
words = st.text(st.characters(categories=["L", "N"]), min_size=1, max_size=12)


@given(
    st.dictionaries(words, cone, max_size=3), words, st.integers(0, 2**63 - 1), st.floats(0.001, 10)
)
@settings(max_examples=40, deadline=None)
def test_a_setup_survives_json(cones: dict[str, object], name: str, seed: int, dt: float) -> None:
    setup = Setup.model_validate(
        {
            "level": "level.geojson",
            "seed": seed,
            "clock": {"dt": dt, "end": 1.0},
            "bodies": {name: {"standing": 1.0}},
            "profiles": {name: {"cones": cones, "notices": (name,), "body": name}},
            "cast": {name: {"team": name, "profile": name, "at": (0.1, 0.2)}},
        }
    )
    assert Setup.model_validate_json(setup.model_dump_json()) == setup


@pytest.mark.parametrize("folder", [snelk.croft(), snelk.croft().parent / "starter"])
def test_schemas_accept_what_snelk_accepts_and_refuse_a_typo(folder: Path) -> None:
    import tomllib

    for path in folder.glob("*.*"):
        kind = {"creatures.toml": "profiles", ".toml": "scenario", ".geojson": "level"}
        name = kind.get(path.name) or kind.get(path.suffix)
        if name is None:
            continue
        text = path.read_text()
        document = json.loads(text) if path.suffix == ".geojson" else tomllib.loads(text)
        found = schema(name)
        jsonschema.Draft202012Validator.check_schema(found)
        checked = jsonschema.Draft202012Validator(found)
        checked.validate(document)
        broken = text.replace("top", "topp").replace("fov_whole", "fov").replace("dt =", "td =")
        document = json.loads(broken) if path.suffix == ".geojson" else tomllib.loads(broken)
        assert not checked.is_valid(document)


def test_nearest_names() -> None:
    assert nearest("hold", ["hold_range", "fov_whole"]) == 'did you mean "hold_range"?'
    assert nearest("x", [f"name-{n:02}" for n in range(15)]).endswith("name-13, name-14")


SOME = {
    "seed": 3, "light": 0.5, "profiles.guardian.meter.fill_time": 3.0, "clock.end": 12.0,
    "profiles.goose.cones.wide.range": 9.0, "profiles.gander.cones.wide.range": 11.5,
    "cast.dog.awake": 0.5, "bodies.fox.standing": 0.6, "grounds.gravel": 3.0,
    "profiles.dog.ladder.states.asleep": {"stand": {}}, "noise_kinds.door.reach": 12.0,
    "profiles.hen.ladder.transitions.safe.when": "lost_for > 9s", "profiles.goose.touch.radius": 0.5,
    "expect.gander-is-sure.once.before": 70.0, "wish.dog-is-slower.toward": 50.0,
}  # fmt: skip


@pytest.mark.parametrize("seed", range(12))
def test_overriding_one_after_the_other_is_the_same_as_all_at_once(seed: int) -> None:
    """Also where most is taken over from what was checked before, and told where it came from."""
    night, chance = snelk.croft() / "night.toml", np.random.default_rng(seed)
    keys = chance.permutation([*SOME])[: int(chance.integers(1, 7))].tolist()
    scenario = snelk.load(night)
    for key in keys:
        scenario = scenario.changed({key: SOME[key]})
    whole = snelk.load(night, overrides={key: SOME[key] for key in keys})
    assert scenario.setup == whole.setup
    for place in (
        ("profiles", "gander", "meter", "fill_time"),
        ("profiles", "goose", "cones", "wide", "range"),
        ("profiles", "gander", "cones", "wide", "hold_range"),
        ("profiles", "hen", "ladder", "transitions", "safe", "when"),
    ):
        assert scenario.draft.locate(place) == whole.draft.locate(place)


def test_an_equal_value_of_another_type_is_not_taken_for_the_same() -> None:
    night = snelk.load(snelk.croft() / "night.toml")
    rank = "profiles.dog.ladder.states.pricked-up.rank"
    assert night.setup.profiles["dog"].ladder.states["pricked-up"].rank == 1  # type: ignore[union-attr]
    with pytest.raises(snelk.InputError, match="must be a whole number"):
        night.changed({rank: True})
    again = night.changed({"seed": 5})
    with pytest.raises(snelk.InputError, match="must be a whole number"):
        again.changed({rank: True})
