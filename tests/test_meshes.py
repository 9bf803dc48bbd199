"""Levels whose meshes keep their triangles, and the floors found in them."""

from __future__ import annotations

import json
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
import samples
import shapely
import test_floors as house
import trimesh
from test_cli import in_this_process

import snelk
from snelk.config.geojson import LevelData, read_level
from snelk.config.meshes import unused
from snelk.config.triangles import CORNERS, read_triangles, write_triangles
from snelk.level.meshes import level_with_triangles

BOXES = {
    "ground": (-6, -6, -0.25, 12, 6, 0), "yard": (-6, 6, -0.25, 16, 10, 0),
    "east yard": (12, -6, -0.25, 16, 6, 0), "gallery": (-4, 2, 2.5, 12, 4, 2.75),
    "landing": (8, 0, 2.5, 12, 2, 2.75), "counter": (-2, -3, 0, 2, -2.5, 1.25),
    "back": (-4, 4, 0, 4, 4.25, 5), "back east": (5.25, 4, 0, 12, 4.25, 5),
    "back lintel": (4, 4, 2, 5.25, 4.25, 2.5), "back high": (4, 4, 4.75, 5.25, 4.25, 5),
    "rail": (-4, 2, 2.75, 8, 2.125, 3.75), "cellar": (-6, -10, -2.75, 4, -6, -2.5),
    "cellar wall": (-6, -10, -2.5, -5.75, -6, 0), "cellar roof": (-6, -10, -0.25, -1, -6, 0),
    "lane": (8, -10, -0.25, 16, -6, 0), "outer landing": (4, 4, 2.5, 5.25, 6, 2.75),
    "store": (0, -10, -2.5, 0.25, -8.25, -0.25), "store post": (0, -7, -2.5, 0.25, -6, -0.25),
}  # fmt: skip
"""Of the tavern: smallest and largest x, y and z, m; in numbers that are exact in 32 bits."""

DOORS = {
    "back door": (4, 4, 0, 5.25, 4.25, 2), "gallery door": (4, 4, 2.75, 5.25, 4.25, 4.75),
    "store door": (0, -8.25, -2.5, 0.25, -7, -0.5), "yard gate": (12, 7, 0, 12.25, 9, 1.75),
    "hatch": (-1, -10, -0.25, 0, -6, -0.125), "bar flap": (2, -3, 0.75, 3, -2.5, 1.25),
}  # fmt: skip

# Up to the gallery, down to the cellar, and outside up to the gallery's door.
STAIRS = {
    "stair": ((4, 0, 0), (8, 2, 2.75)), "cellar stair": ((4, -10, -2.5), (8, -6, 0)),
    "outer stair": ((9.25, 4.25, 0), (5.25, 6, 2.75)),
}  # fmt: skip


def ramp(low: Any, high: Any) -> list[list[float]]:
    """The corners of a stair that rises along x, from its foot on."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    return [[x0, y0, z0], [x1, y0, z1], [x1, y1, z1], [x0, y1, z0]]


def wedge(low: Any, high: Any) -> trimesh.Trimesh:
    """A stair as a solid."""
    top = np.array(ramp(low, high), dtype=float)
    under = top * (1, 1, 0) + (0, 0, low[2])
    return trimesh.Trimesh(*_hull(np.concatenate([top, under[1:3]])), process=False)


def _hull(corners: Any) -> Any:
    hull = trimesh.convex.convex_hull(corners)
    hull.fix_normals()
    return hull.vertices, hull.faces


def tavern_mesh(path: Path) -> Path:
    scene = trimesh.Scene()
    for name, (x0, y0, z0, x1, y1, z1) in {**BOXES, **DOORS}.items():
        box = trimesh.creation.box((x1 - x0, y1 - y0, z1 - z0))
        box.apply_translation(((x0 + x1) / 2, (y0 + y1) / 2, (z0 + z1) / 2))
        scene.add_geometry(box, node_name=name, geom_name=name)
    for name, ends in STAIRS.items():
        scene.add_geometry(wedge(*ends), node_name=name, geom_name=name)
    scene.export(path)
    return path


def tavern(folder: Path) -> LevelData:
    doors = ["*door", "yard gate", "hatch", "bar flap"]
    return level_with_triangles(tavern_mesh(folder / "tavern.glb"), up="z", doors=doors)


FLOORS = ("ground", "yard", "east yard", "gallery", "landing", "cellar", "lane", "outer landing")


def tavern_drawn() -> dict[str, Any]:
    """The same as solids; the stairs as sloping floors."""
    solids = {**BOXES, **DOORS}
    features = [
        house.feature("wall", name, [[x0, y0], [x1, y0], [x1, y1], [x0, y1]], base=z0, top=z1,
                      door=name in DOORS)
        for name, (x0, y0, z0, x1, y1, z1) in solids.items()
    ]  # fmt: skip
    for name in FLOORS:
        x0, y0, _, x1, y1, height = BOXES[name]
        corners = [[x0, y0], [x1, y0], [x1, y1], [x0, y1]]
        features.append(house.feature("floor", f"{name} floor", corners, height=height))
    for name, ends in STAIRS.items():
        features.append(house.feature("floor", name, ramp(*ends)))
    return {"type": "FeatureCollection", "features": features}


SENSES = """
[profiles.watcher.hearing]
notices = ["visitors"]
acuity = 1.0
[profiles.watcher.touch]
radius = 0.8
"""
SCENARIO = """
level = "{level}"
use = ["kinds.toml"]
tracks = ["guest.csv"]
[clock]
dt = 0.1
[bodies.walker]
standing = 1.75
eyes = 0.9
[bodies.walker.steps]
stride = 0.7
creeping = 2.0
walking = 6.0
running = 12.0
creep_below = 0.7
run_above = 2.5
[cast.low]
team = "home"
profile = "watcher"
at = [1, -5]
facing = 60
[cast.high]
team = "home"
profile = "watcher"
at = [0, 3.25]
z = 2.75
facing = -20
[cast.deep]
team = "home"
profile = "watcher"
at = [-5, -7]
z = -2.5
facing = -10
[cast.guest]
team = "visitors"
body = "walker"
z = -2.5
[doors."store door"]
shuts = 2.0
[doors."gallery door"]
shuts = 1.0
"""


def test_a_tavern_gives_the_same_events_as_a_mesh_and_as_it_is_drawn(tmp_path: Path) -> None:
    """From the cellar, round the counter, up, and out by the yard; recorded in plan."""
    turns = [(-3, -8), (-1, -7.6), (3.5, -7.6), (8.5, -8), (9, -5), (3.5, -4), (3.5, 1), (9, 1), (9, 3),
             (4.6, 3), (4.6, 5.1), (10, 5.1), (10, 8), (15, 8)]  # fmt: skip
    rows, t = [], 0.0
    for (ax, ay), (bx, by) in pairwise(turns):
        for share in np.linspace(0, 1, 8)[:-1]:
            place = (ax + share * (bx - ax), ay + share * (by - ay))
            rows.append(f"{t:.3f},guest,{place[0]:.4f},{place[1]:.4f},0")
            t += float(np.hypot(bx - ax, by - ay)) / 7 / 1.4
    samples.write_sample(tmp_path, profiles=samples.SAMPLE_PROFILES + SENSES)
    (tmp_path / "guest.csv").write_text("t,id,x,y,heading\n" + "\n".join(rows) + "\n")
    (tmp_path / "drawn.geojson").write_text(json.dumps(tavern_drawn()))
    data = tavern(tmp_path)
    assert {wall.name for wall, _ in data.walls if wall.door} == {*DOORS}
    write_triangles(data.triangles, tmp_path / "mesh.parquet")
    document = data.to_geojson(triangles="mesh.parquet")
    (tmp_path / "mesh.geojson").write_text(json.dumps(document))
    runs = []
    for kind in ("drawn", "mesh"):
        (tmp_path / f"{kind}.toml").write_text(SCENARIO.format(level=f"{kind}.geojson"))
        runs.append(snelk.run(tmp_path / f"{kind}.toml"))
    drawn, mesh = runs
    np.testing.assert_allclose(drawn.poses.z, mesh.poses.z, atol=1e-6)
    guest = drawn.poses[drawn.poses.id == "guest"]
    assert (guest.z.iloc[0], guest.z.max(), guest.z.iloc[-1]) == (-2.5, 2.75, 0.0)
    columns = ["t", "kind", "agent", "target", "wall"]
    turned = drawn.events[drawn.events.kind.isin(["opened", "shut"])]
    assert turned[turned.kind == "opened"].wall.tolist() == [
        "store door",
        "gallery door",
        "yard gate",
    ]
    assert len(drawn.events) > 12
    walls = [run.events.wall.where(run.events.wall.isin([*DOORS]), "") for run in runs]
    events = [run.events.assign(wall=wall)[columns] for run, wall in zip(runs, walls, strict=True)]
    pd.testing.assert_frame_equal(*events)
    for run in runs:
        seen = run.sight[run.sight.in_view]
        assert {*seen.agent} == {"low", "high", "deep"}
        blocking = {*run.sight.wall.dropna().astype(str)}
        assert {"gallery", "counter", "store door"} <= blocking
    np.testing.assert_allclose(drawn.sight.exposure, mesh.sight.exposure)
    heard = [run.hearing.reset_index(drop=True) for run in runs]
    np.testing.assert_array_equal(heard[0].heard, heard[1].heard)
    moved = {name: own + (name == "rail") for name, own in mesh.level.data.triangles.items()}
    write_triangles(moved, tmp_path / "mesh.parquet")
    unlike = [each.place for each in snelk.compare(mesh, snelk.run(tmp_path / "mesh.toml")).inputs]
    assert unlike == ["mesh rail: triangles"]
    # A run that was kept knows its triangles without the file beside the level.
    kept = mesh.save(tmp_path / "kept")
    (tmp_path / "mesh.parquet").unlink()
    again = snelk.open_run(kept.folder)
    assert len(again.level.triangles) == len(mesh.level.triangles)


def test_floors_are_found_by_slope_and_what_stops_feet_by_cuts(tmp_path: Path) -> None:
    level = snelk.Level(tavern(tmp_path))
    for place, height in (
        ((0, -5, 0), 0.0), ((6, 1, 1.375), 1.375), ((0, 3, 3), 2.75), ((0, 3, 0), 0.0),
        ((10, 1, 2.75), 2.75), ((0, -2.75, 1.25), 1.25),
    ):  # fmt: skip
        assert level.footing(*place) == pytest.approx(height, abs=1e-6)
    walls = [(wall, outline) for wall, outline in level.data.walls if 0 < wall.base < 0.6]
    on_ground = shapely.union_all([outline for _, outline in walls])
    for name, stops in (("counter", True), ("back", True), ("stair", False), ("gallery", False)):
        x0, y0, _, x1, y1, _ = BOXES.get(name, (4, 0, 0, 8, 2, 0))
        middle = shapely.Point((x0 + x1) / 2, (y0 + y1) / 2)
        assert on_ground.contains(middle) == stops, name
    up = level.sound_ways.distance(
        np.array([[0.0, 0.0, 0.0]]), np.array([[10.0, 1.0, 2.75]]), np.array([np.inf])
    )
    assert up[0] == pytest.approx(np.hypot(4, 0.4) + np.hypot(4, 2.75) + 2.1, abs=0.3)
    assert np.isinf(level.sound_ways.distance(
        np.array([[0.0, 0.0, 0.0]]), np.array([[0.0, -2.75, 1.25]]), np.array([np.inf])
    )[0])  # fmt: skip


def test_triangles_are_read_as_they_were_written_and_mistakes_are_told(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    triangles = {"one": rng.normal(0, 5, (4, 3, 3)), "two": rng.normal(0, 5, (2, 3, 3))}
    path = tmp_path / "t.parquet"
    write_triangles(triangles, path)
    again = read_triangles(path)
    assert again.keys() == triangles.keys()
    for name, own in triangles.items():
        np.testing.assert_array_equal(again[name], own)
    frame = pd.read_parquet(path)
    outline = [[0, 0], [1, 0], [1, 1]]
    level = {"type": "FeatureCollection", "triangles": "t.parquet",
             "features": [house.feature("mesh", "three", outline)]}  # fmt: skip
    place = tmp_path / "level.geojson"
    scene = samples.write_sample(tmp_path, guest="at = [5, 0]", level=json.dumps(level))
    for change, message in (
        (lambda: None, 'mesh "three": no triangles have this name; known: one, two'),
        (lambda: frame.drop(columns="bz").to_parquet(path), 'column "bz" is missing'),
        (lambda: frame.assign(cy=np.inf).to_parquet(path), r"row 0: cy: must be a number within"),
        (lambda: frame.assign(ax="far").to_parquet(path), 'must be a number .*given: "far"'),
        (lambda: path.unlink(), "no such file"),
        (lambda: place.write_text(json.dumps(level | {"triangles": {"three": [[1, 2]]}})), "nine numbers per triangle"),
    ):  # fmt: skip
        change()
        with pytest.raises(snelk.InputError, match=message):
            snelk.load(scene)
    assert CORNERS[5] == "bz"


def test_the_command_writes_both_and_says_so(tmp_path: Path) -> None:
    tavern_mesh(tmp_path / "tavern.glb")

    def said(*words: str) -> tuple[int, str]:
        all_words = ["import-level", "tavern.glb", "--up", "z", *words]
        code, text, complained = in_this_process(all_words, tmp_path)
        return code, text + complained

    doors = [
        word for name in ("*door", "yard gate", "hatch", "bar flap") for word in ("--door", name)
    ]
    code, text = said("--triangles", *doors, "--out", "t.geojson")
    assert code == 0
    assert "21 floors, 21 meshes" in text.splitlines()[0]
    boxes, wedges = 12 * len(BOXES), 8 * len(STAIRS)
    assert f"{boxes + wedges} triangles in t.triangles.parquet: keep both together" in text
    data = read_level(tmp_path / "t.geojson")
    assert sum(map(len, data.triangles.values())) == boxes + wedges
    for more in ((), ("--triangles",)):
        code, text = said(*doors, *more, "--out", "d.geojson")
        read = {
            wall.name: (wall.base, wall.top)
            for wall, _ in read_level(tmp_path / "d.geojson").walls
            if wall.door
        }
        assert read == {name: (box[2], box[5]) for name, box in DOORS.items()}
        code, text = said(*more, "--door", "yard gat", "--out", "none.geojson")
        assert (code, text.count("\n"), (tmp_path / "none.geojson").exists()) == (2, 1, False)
        assert (
            'doors: no object has this name (given: "yard gat"); did you mean "yard gate"?' in text
        )
    code, text = said("--triangles", "--cut", "0", "--cut", "1")
    assert (code, text.count("\n")) == (2, 1)
    assert "--triangles: keeps the triangles of a mesh as they are (given: --cut)" in text


def test_each_name_is_given_once() -> None:
    used: dict[str, int] = {}
    names = [unused(name, used) for name in ("a", "a", "a 2", "a", "b 2", "b", "b")]
    assert names[:2] + names[4:] == ["a", "a 2", "b 2", "b", "b 3"]
    assert len({*names}) == len(names)
