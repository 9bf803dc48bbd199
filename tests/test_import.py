"""What a game wrote, in its own axes, units and angles, comes in as the same tracks and walls."""

from __future__ import annotations

import json
import subprocess
import sys
from decimal import Decimal
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
import shapely
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

import snelk
from snelk.cli.main import app_for
from snelk.config.geojson import read_level
from snelk.config.recordings import read_changes, read_noises, read_throws, read_tracks
from snelk.level.level import Level
from snelk.plots.imported import plot_level
from snelk.tuning.imported import figures_of, import_warnings

FOX = pd.read_csv(snelk.croft() / "fox.csv")
FOX["z"] = 0.25 * np.sin(FOX.t)

GAMES: dict[str, tuple[dict[str, Any], dict[str, Any]]] = {
    # As left-handed engines with y up do it: cm, yaw clockwise from forward, which is z.
    "y up, left-handed, cm": (
        {"ms": FOX.t * 1000 + 5000, "actor": FOX.id, "X": FOX.x * 100, "Y": FOX.z * 100,
         "Z": FOX.y * 100, "yaw": (90 - FOX.heading) % 360},
        {"columns": {"t": "ms", "id": "actor", "x": "X", "y": "Z", "z": "Y", "heading": "yaw"},
         "time": 0.001, "length": 0.01, "turn": "cw", "zero": "+y", "from_zero": True},
    ),
    # y up and right-handed: z comes towards the viewer; radians about y, 0 looks along -z.
    "y up, right-handed, rad": (
        {"t": FOX.t, "id": FOX.id, "x": FOX.x, "y": FOX.z, "z": -FOX.y,
         "heading": np.radians(FOX.heading - 90)},
        {"columns": {"y": "-z", "z": "y"}, "angle": "rad", "zero": "+y"},
    ),
    # Pixels of a picture: y down, clockwise turns from the right, 40 pixels a metre.
    "y down, pixels, turns": (
        {"frame": FOX.t * 60, "who": FOX.id, "px": FOX.x * 40, "py": -FOX.y * 40,
         "up": FOX.z * 40, "a": (-FOX.heading / 360) % 1},
        {"columns": {"t": "frame", "id": "who", "x": "px", "y": "-py", "z": "up", "heading": "a"},
         "time": 1 / 60, "length": 1 / 40, "angle": "turns", "turn": "cw"},
    ),
    # x forward, y left, as z-up engines and robots do it, with a facing instead of an angle.
    "x forward, y left, facing": (
        {"t": FOX.t, "id": FOX.id, "fwd": FOX.y, "left": -FOX.x, "z": FOX.z,
         "dir.0": np.sin(np.radians(FOX.heading)), "dir.1": -np.cos(np.radians(FOX.heading))},
        {"columns": {"x": "-left", "y": "fwd", "facing_x": "-dir.1", "facing_y": "dir.0"}},
    ),
}  # fmt: skip


def write(folder: Path, game: str, suffix: str) -> Path:
    frame, path = pd.DataFrame(GAMES[game][0]), folder / f"game{suffix}"
    if suffix == ".csv":
        frame.to_csv(path, index=False)
    elif suffix == ".parquet":
        frame.to_parquet(path)
    else:
        rows = frame.to_dict(orient="records")
        if "dir.0" in frame:
            rows = [{**row, "dir": [row.pop("dir.0"), row.pop("dir.1")]} for row in rows]
        path.write_text("".join(json.dumps(row) + "\n" for row in rows))
    return path


def test_half_a_letter_in_the_name_of_a_column_is_no_matter(tmp_path: Path) -> None:
    row = {"t": 0.0, "id": "fox", "x": 1.0, "y": 2.0, "heading": 0.0, "\ud800": 5}
    lines = [json.dumps({**row, "t": t}) for t in (0.0, 1.0)]
    (tmp_path / "game.jsonl").write_text("\n".join(lines))
    made = snelk.import_tracks(tmp_path / "game.jsonl")
    assert made.write(tmp_path / "made.csv").read_text().splitlines()[1].startswith("0,fox,1,2,0")


def test_numbers_are_read_of_all_that_is_one_and_of_nothing_else(tmp_path: Path) -> None:
    columns = {
        "t": pa.array([Decimal("0.1"), Decimal("0.5")]),
        "id": pa.array(["7", "fox"]).dictionary_encode(),
        "x": pa.array([1, 2], pa.int32()),
        "y": pa.array(["-2.5e-1", "+3"]),
        "heading": pa.array([True, False]),
        "posture": pa.array(["standing", "prone"]),
    }
    pq.write_table(pa.table(columns), tmp_path / "a.parquet")
    rows = "1, -2.5e-1 ,0.1,7,1,standing\n2,+3,0.5,fox,0,prone\n"
    (tmp_path / "a.csv").write_text(f"x,y,t,id,heading,posture\n{rows}")
    by_table, by_text = (read_tracks(tmp_path / f"a.{end}") for end in ("parquet", "csv"))
    assert list(by_table) == list(by_text) == ["7", "fox"]
    for name, one in by_table.items():
        np.testing.assert_equal(vars(one), vars(by_text[name]))
    assert (one.x[0], one.y[0], one.t[0], one.posture[0]) == (2.0, 3.0, 0.5, 2)
    none, many = pa.nulls(2), pa.array([[1.0], [2.0, 3.0]])
    for kind in (pa.array([0, 1], pa.timestamp("s")), pa.array([0, 1], pa.time32("s")), many, none):
        pq.write_table(pa.table(columns | {"t": kind}), tmp_path / "b.parquet")
        with pytest.raises(snelk.InputError, match=r"row 0: must be a number .*and 1 more like it"):
            read_tracks(tmp_path / "b.parquet")
    pq.write_table(pa.table(columns | {"id": many}), tmp_path / "b.parquet")
    assert list(read_tracks(tmp_path / "b.parquet")) == ["[1.0]", "[2.0, 3.0]"]
    for wrong in ("1_000", "\N{ARABIC-INDIC DIGIT ONE}", "0x10", "nan", "inf", "1 2", ""):
        rows = f"0,fox,0,0,0\n1,fox,{wrong},0,0\n"
        (tmp_path / "c.csv").write_text(f"t,id,x,y,heading\n{rows}", encoding="utf-8")
        with pytest.raises(snelk.InputError, match=r"line 3: must be a number") as said:
            read_tracks(tmp_path / "c.csv")
        assert f"x = {wrong}" in str(said.value)


@pytest.mark.parametrize("suffix", [".csv", ".jsonl", ".parquet"])
@pytest.mark.parametrize("game", GAMES)
def test_four_conventions_come_to_the_same_tracks(tmp_path: Path, game: str, suffix: str) -> None:
    done = snelk.import_tracks(write(tmp_path, game, suffix), GAMES[game][1])
    for name in ("t", "x", "y", "z"):
        assert np.allclose(done.tracks[name], FOX[name], atol=1e-9), name
    off = (done.tracks.heading - FOX.heading + 180) % 360 - 180
    assert np.allclose(off, 0, atol=1e-9)
    assert import_warnings(done, Level(read_level(snelk.croft() / "croft.geojson"))) == []
    again = snelk.import_tracks(done.write(tmp_path / "fox.csv"))
    assert np.allclose(again.tracks[["t", "x", "y"]], FOX[["t", "x", "y"]], atol=1e-6)


@settings(max_examples=40, deadline=None)
@given(
    st.sampled_from([1, -1]), st.sampled_from([1, -1]), st.booleans(),
    st.floats(-180, 180), st.sampled_from(["cw", "ccw"]), st.floats(0.001, 1000),
)  # fmt: skip
def test_any_mapping_is_undone(
    tmp_path_factory: pytest.TempPathFactory,
    sx: int, sy: int, swap: bool, zero: float, turn: str, length: float,
) -> None:  # fmt: skip
    folder = tmp_path_factory.mktemp("any")
    sign = 1 if turn == "ccw" else -1
    frame = pd.DataFrame({"t": FOX.t, "id": "fox", "h": sign * (FOX.heading - zero)})
    frame["p"], frame["q"] = sx * FOX.x / length, sy * FOX.y / length
    names = ("q", "p") if swap else ("p", "q")
    frame = frame.rename(columns={"p": names[0], "q": names[1]})
    frame.to_parquet(folder / "game.parquet")
    columns = {
        "x": f"{'-' * (sx < 0)}{names[0]}",
        "y": f"{'-' * (sy < 0)}{names[1]}",
        "heading": "h",
    }
    told = {"columns": columns, "zero": zero, "turn": turn, "length": length}
    done = snelk.import_tracks(folder / "game.parquet", told)
    assert np.allclose(done.tracks[["x", "y"]], FOX[["x", "y"]], rtol=1e-9, atol=1e-9)
    off = (done.tracks.heading - FOX.heading + 180) % 360 - 180
    assert np.allclose(off, 0, atol=1e-6)


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"length": 1.0}, "m/s, faster than anybody on foot: try --length 0.01"),
        ({"time": 1.0}, "has a sample only every 100 s: try --time 0.001"),
        ({"turn": "ccw"}, "headings turn against the motion: try --turn cw"),
        ({"zero": "+x"}, "headings point 90° to the right of the motion throughout: try --zero=+y"),
        ({"zero": "-y"}, "headings point backwards throughout: try --zero=+y"),
        ({"columns": {"y": "-Z"}}, "with y turned round it would be 0%"),
        ({"columns": {"x": "Z", "y": "X"}}, "with x and y swapped it would be 0%"),
    ],
)
def test_a_wrong_mapping_is_obvious(tmp_path: Path, wrong: dict[str, Any], said: str) -> None:
    path = write(tmp_path, "y up, left-handed, cm", ".csv")
    right = GAMES["y up, left-handed, cm"][1]
    told = {**right, **wrong, "columns": {**right["columns"], **wrong.get("columns", {})}}
    done = snelk.import_tracks(path, told)
    warnings = import_warnings(done, Level(read_level(snelk.croft() / "croft.geojson")))
    assert any(said in each for each in warnings), warnings


def test_without_headings_everybody_faces_where_they_go(tmp_path: Path) -> None:
    frame = FOX[["t", "id", "x", "y"]]
    frame.to_csv(tmp_path / "game.csv", index=False)
    done = snelk.import_tracks(tmp_path / "game.csv")
    figures = figures_of(done)[0]
    assert figures.off_motion == pytest.approx(0, abs=0.5)
    assert figures.steadiness > 0.98
    assert figures.way == pytest.approx(np.hypot(FOX.x.diff(), FOX.y.diff()).sum())


def test_the_command_writes_a_track_that_runs(tmp_path: Path) -> None:
    write(tmp_path, "y up, left-handed, cm", ".csv")
    (tmp_path / "game.toml").write_text(
        'length = 0.01\ntime = 0.001\nzero = "+y"\nfrom_zero = true\n'
        '[columns]\nt = "ms"\nid = "actor"\nx = "X"\ny = "Z"\nheading = "yaw"\n'
    )
    words = ["import", "game.csv", "--mapping", "game.toml", "--turn", "cw", "--out", "fox.csv",
             "--level", str(snelk.croft() / "croft.geojson")]  # fmt: skip
    done = subprocess.run(
        [sys.executable, "-m", "snelk", *words],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=True,
    )
    assert "Nothing looks wrong" in done.stdout
    assert "outside of the level: 0%" in done.stdout
    assert (tmp_path / "fox.png").stat().st_size > 10_000
    for name in ("night.toml", "creatures.toml", "croft.geojson", "noises.csv"):
        (tmp_path / name).write_text((snelk.croft() / name).read_text())
    changes = {"clock.end": 20.0}
    run = snelk.run(tmp_path / "night.toml", overrides=changes)
    own = snelk.run(snelk.croft() / "night.toml", overrides=changes)
    ours, theirs = (r.poses[r.poses.id == "fox"][["x", "y"]].to_numpy() for r in (run, own))
    assert np.allclose(ours, theirs, atol=1e-6)


def test_samples_where_nobody_can_be_are_told_as_shares(tmp_path: Path) -> None:
    level = tmp_path / "level.geojson"
    wall = {"type": "Polygon", "coordinates": [[[0, 0], [4, 0], [4, 4], [0, 4], [0, 0]]]}
    more = {"type": "LineString", "coordinates": [[-10, -10], [10, 10]]}
    features = [
        {
            "type": "Feature",
            "properties": {"kind": "wall", "name": str(n), "top": 2},
            "geometry": each,
        }
        for n, each in enumerate((wall, more))
    ]
    level.write_text(json.dumps({"type": "FeatureCollection", "features": features}))
    walk = pd.DataFrame({"t": range(8), "id": "fox", "x": [*[6.0] * 4, 1, 2, 3, 40], "y": 1.0})
    walk.assign(heading=90.0).to_csv(tmp_path / "game.csv", index=False)
    words = ["import", "game.csv", "--level", str(level), "--out", "fox.csv", "--json"]
    done = subprocess.run(
        [sys.executable, "-m", "snelk", *words], cwd=tmp_path, capture_output=True, check=True
    )
    assert json.loads(done.stdout)["misplaced"] == {"outside": 1 / 8, "in_walls": 3 / 8}


def scene(**boxes: tuple[float, float, float, float, float, float]) -> trimesh.Scene:
    """Boxes with y up and z towards the viewer, by their middle in plan, base, sides and height."""
    made = trimesh.Scene()
    for name, (x, y, base, wide, deep, tall) in boxes.items():
        box = trimesh.creation.box((wide, tall, deep))
        box.apply_translation((x, base + tall / 2, -y))
        made.add_geometry(box, node_name=name, geom_name=name)
    return made


@pytest.mark.parametrize("suffix", [".glb", ".obj", ".gltf"])
def test_boxes_of_a_mesh_become_walls(tmp_path: Path, suffix: str) -> None:
    boxes = {
        "shed": (5.0, 5.0, 0.0, 4.0, 3.0, 2.5),
        "beam": (5.0, 10.0, 2.2, 8.0, 0.3, 0.3),
        "floor": (8.0, 6.0, -0.2, 30.0, 20.0, 0.2),
    }
    path = tmp_path / f"yard{suffix}"
    scene(**boxes).export(path)
    data = snelk.level_from_mesh(path)
    assert [wall.name for wall, _ in data.walls] == ["beam", "shed"]
    for wall, outline in data.walls:
        x, y, base, wide, deep, tall = boxes[wall.name]
        assert (wall.base, wall.top) == pytest.approx((base, base + tall), abs=1e-4)
        wanted = shapely.box(x - wide / 2, y - deep / 2, x + wide / 2, y + deep / 2)
        assert shapely.symmetric_difference(outline, wanted).area < 1e-3
    feet = snelk.level_from_mesh(path, length=0.3048, mirror=True)
    assert feet.walls[1][1].area == pytest.approx(12 * 0.3048**2, rel=1e-3)
    assert feet.walls[1][1].centroid.y == pytest.approx(-5 * 0.3048, rel=1e-3)


def test_sloping_sides_courtyards_and_open_meshes(tmp_path: Path) -> None:
    cone = trimesh.creation.cone(radius=2, height=3, sections=64)
    cone.export(tmp_path / "cone.glb")
    walls = snelk.level_from_mesh(tmp_path / "cone.glb", up="z", cuts=(0, 1, 2, 3)).walls
    ngon = 64 / 2 * np.sin(2 * np.pi / 64)  # area of a polygon of 64 corners in a circle of 1
    for (_, outline), middle in zip(walls, (0.5, 1.5, 2.5), strict=True):
        assert outline.area == pytest.approx(ngon * (2 * (3 - middle) / 3) ** 2, rel=1e-3)
    ring = trimesh.creation.annulus(r_min=2, r_max=3, height=1, sections=64)
    ring.apply_translation((0, 0, 0.5))
    ring.export(tmp_path / "ring.obj")
    ((_, outline),) = snelk.level_from_mesh(tmp_path / "ring.obj", up="z").walls
    assert outline.area == pytest.approx(ngon * (9 - 4), rel=1e-3)
    assert not outline.contains(shapely.Point(0, 0))
    plane = trimesh.Trimesh([[0, 0, 0], [4, 0, 0], [4, 0, 2], [0, 0, 2]], [[0, 1, 2], [0, 2, 3]])
    plane.export(tmp_path / "fence.glb")
    ((wall, line),) = snelk.level_from_mesh(tmp_path / "fence.glb", up="z").walls
    assert (wall.base, wall.top, line.length) == pytest.approx((0, 2, 4))


def test_geojson_of_others_becomes_a_level(tmp_path: Path) -> None:
    def feature(geometry: shapely.Geometry, **properties: Any) -> dict[str, Any]:
        return {
            "type": "Feature",
            "properties": properties,
            "geometry": json.loads(shapely.to_geojson(geometry)),
        }

    features = [
        feature(shapely.box(0, 0, 400, 200), label="barn", height=500),
        feature(shapely.box(500, 0, 600, 100), label="barn"),
        feature(shapely.MultiPoint([(100, 300), (200, 300)]), id=7),
        feature(shapely.box(0, 0, 900, 900), kind="zone", name="yard", light=0.5),
    ]
    path = tmp_path / "town.geojson"
    path.write_text(json.dumps({"type": "FeatureCollection", "features": features}))
    data = snelk.level_from_outlines(path, length=0.01, top=2.0)
    assert [(w.name, w.top) for w, _ in data.walls] == [("barn", 5.0), ("barn 2", 2.0)]
    assert data.walls[0][1].area == pytest.approx(8.0)
    assert [spot.name for spot, _ in data.spots] == ["7", "7 2"]
    assert [(zone.name, zone.light, shape.area) for zone, shape in data.zones] == [
        ("yard", 0.5, pytest.approx(81))
    ]


CASES = {
    "import game.txt": 'game.txt: unknown format (given: .txt); use .csv, .parquet, or .jsonl for JSON Lines',
    "import gaem.csv": 'gaem.csv: no such file; did you mean "game.csv"?',
    "import game.csv --column x=Xx": 'game.csv: has no such column for x (given: "Xx"); did you mean "X"?',
    "import game.csv --column q=X": 'conventions: columns: no such column (given: "q"); known:',
    "import game.csv --column x": '--column: must be OURS=THEIRS (given: "x"); such as y=pos_z',
    "import game.csv --turn left": 'conventions: turn: unknown word (given: "left"); known: ccw, cw',
    "import game.csv --zero up": 'conventions: zero: must be +x, -x, +y, -y or degrees (given: "up")',
    "import game.csv --length 0": "conventions: length: must be above 0 and at most 1e+09 (given: 0.0)",
    "import game.csv --mapping no.toml": "no.toml: no such file; check the path",
    "import bad.jsonl": "bad.jsonl: line 2: is not valid JSON:",
    "import word.csv --name fox": "word.csv: line 3: is not a number (given: x = 'wall')",
    "import back.csv --name fox": 'back.csv: times of "fox" must rise',
    "import none.csv": "none.csv: id is empty",
    "import back.csv --name fox --out back.csv": "back.csv: is an input of this command, and would be overwritten",
    "import game.csv --word posture.duck=sqat": "conventions: words.posture.duck: is not a value of posture (given: \"sqat\"); known: crouched, prone, standing",
    "import game.csv --word postur.x=crouched": 'conventions: words: has no words (given: "postur"); did you mean "posture"?',
    "import-level box.obj --out box.png": "box.png: unknown format (given: .png); use .geojson",
    "import-level box.obj --length 1e9": "needs coordinates that are numbers within ±100000 m",
    "import-level box.obj --length 10000 --cut 0 --cut 1e9": "box.obj: feature 0",
    "import-level town.geojson --out town.geojson": "town.geojson: is an input of this command, and would be overwritten",
    "import-level game.csv": "game.csv: unknown format (given: .csv); use .glb, .gltf or .obj",
    "import-level bad.glb": "bad.glb: cannot be read:",
    "import-level empty.obj": "empty.obj: ",
    "import-level bad.geojson": "bad.geojson: features: must be a GeoJSON FeatureCollection with features",
    "import-level bad.glb --up w": 'up: must be x, y or z (given: "w")',
    "import-level bad.glb --cut 1 --cut 1": "cuts: must be 2 to 64 heights in m, in rising order (given: 1, 1)",
}  # fmt: skip


@pytest.mark.parametrize("line", CASES)
def test_a_mistake_is_one_clear_line(
    line: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    write(tmp_path, "y up, left-handed, cm", ".csv")
    Path("game.txt").write_text("")
    Path("bad.jsonl").write_text('{"t": 0}\n{"t": \n')
    Path("word.csv").write_text("t,x,y\n0,0,0\n1,wall,0\n")
    Path("back.csv").write_text("t,x,y\n1,0,0\n1,2,0\n")
    Path("none.csv").write_text("t,id,x,y\n0,a,0,0\n1,,1,0\n")
    Path("town.geojson").write_text((snelk.croft() / "croft.geojson").read_text())
    scene(box=(0.0, 0.0, 0.0, 20.0, 20.0, 30.0)).export("box.obj")
    Path("bad.glb").write_text("hello")
    Path("empty.obj").write_text("# nothing\n")
    Path("bad.geojson").write_text("{}")
    before = sorted(tmp_path.iterdir())
    with pytest.raises(snelk.InputError) as told:
        app_for(line.split())(line.split(), standalone_mode=False)
    assert CASES[line] in str(told.value)
    assert sorted(tmp_path.iterdir()) == before


def test_pictures_show_what_was_imported(tmp_path: Path) -> None:
    level = Level(read_level(snelk.croft() / "croft.geojson"))
    done = snelk.import_tracks(
        write(tmp_path, "y down, pixels, turns", ".csv"), GAMES["y down, pixels, turns"][1]
    )
    artists = snelk.plot_imported(done, level=level)
    assert np.allclose(artists.ways["fox"].get_xydata(), FOX[["x", "y"]], atol=1e-9)
    arrows = artists.headings["fox"]
    nearest = [int(np.argmin(np.hypot(FOX.x - x, FOX.y - y))) for x, y in arrows.get_offsets()]
    off = np.degrees(np.arctan2(arrows.V, arrows.U)) - FOX.heading.to_numpy()[nearest]
    assert np.median(np.abs((off + 180) % 360 - 180)) < 1e-6
    names = {text.get_text() for text in plot_level(level).texts}
    assert {"barn", "coop", "farmhouse"} & names


@pytest.mark.parametrize("suffix", [".csv", ".parquet"])
def test_noises_throws_and_doors_come_in_as_tracks_do(tmp_path: Path, suffix: str) -> None:
    """By hand: y up, left-handed, cm, ms, names of its own; and they are what a scenario reads."""
    from snelk.config.foreign import import_rows

    rows = [
        {"ms": 7000, "what": "CLATTER", "pos": {"x": 320, "y": 15, "z": 450}, "loud": 1200, "who": "P1", "fast": 0.9, "to": "OPENED"},
        {"ms": 5500, "what": "step", "pos": {"x": -40, "y": 0, "z": 80}, "loud": None, "who": "fox", "fast": None, "to": "shut"},
    ]  # fmt: skip
    path = tmp_path / "game.jsonl"
    path.write_text("".join(json.dumps(row) + "\n" for row in rows))
    how = {
        "columns": {"t": "ms", "kind": "what", "x": "pos.x", "y": "pos.z", "z": "pos.y", "reach": "loud", "by": "who", "speed": "fast", "of": "what"},
        "length": 0.01, "time": 0.001, "begin": 5000.0,
        "words": {"kind": {"CLATTER": "clatter"}, "by": {"P1": "thief"}, "of": {"CLATTER": "gate"}, "to": {"OPENED": "open"}},
    }  # fmt: skip
    files = {
        what: import_rows(path, what, how).write(tmp_path / f"{what}{suffix}")
        for what in ("noises", "throws", "changes")
    }
    noises = read_noises(files["noises"])
    assert noises.t.tolist() == [0.5, 2.0]
    assert (noises.kind, noises.by) == (("step", "clatter"), ("fox", "thief"))
    assert noises.x.tolist() == pytest.approx([-0.4, 3.2])
    assert noises.y.tolist() == pytest.approx([0.8, 4.5])
    assert noises.z.tolist() == pytest.approx([0.0, 0.15])
    assert np.isnan(noises.reach[0])
    assert noises.reach[1] == pytest.approx(12.0)
    throws = read_throws(files["throws"])
    assert throws.speed.tolist() == pytest.approx([12.0, 9.0])  # 900 cm in a ms; none says 12 m/s
    assert [(each.t, each.of, each.to) for each in read_changes(files["changes"])] == [
        (0.5, "step", "shut"),
        (2.0, "gate", "open"),
    ]
    for wrong, said in (
        ({**how, "from_zero": True}, "can be used for tracks only; give the time"),
        ({**how, "columns": {**how["columns"], "kind": "wat"}}, 'has no such column for kind (given: "wat"); did you mean "what"?'),
        ({**how, "words": {"to": {"OPENED": "ajar"}}}, "is not a value of to"),
    ):  # fmt: skip
        with pytest.raises(snelk.InputError) as told:
            import_rows(path, "noises", wrong)
        assert said in str(told.value)
    with pytest.raises(snelk.InputError, match="must be a number"):
        import_rows(path, "throws", {**how, "length": 10.0}).write(tmp_path / "t.csv")
    assert not (tmp_path / "t.csv").exists()


def test_the_time_that_became_zero_is_told(tmp_path: Path) -> None:
    path = tmp_path / "game.csv"
    path.write_text("ms,x,y\n7000,0,0\n7500,1,0\n")
    how = {"name": "fox", "time": 0.001, "from_zero": True, "columns": {"t": "ms"}}
    for begin in (0.0, 1000.0):
        done = snelk.import_tracks(path, {**how, "begin": begin})
        assert (done.begin, done.tracks.t.tolist()) == (pytest.approx(7000.0), [0.0, 0.5])
