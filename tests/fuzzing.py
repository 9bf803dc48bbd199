"""Files and texts that went wrong in every way, for each reader of Snelk.

A case takes something good apart, spoils it by structure or by bytes, and has it read. It is well
if that works, or is refused by an `InputError` in lines that can be printed.
"""

from __future__ import annotations

import copy
import json
import random
import shutil
import tomllib
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any

import pandas as pd
import tomli_w

import snelk
from snelk.config.conditions import parse
from snelk.config.foreign import conventions_from, import_tracks, read_conventions
from snelk.config.geojson import read_level
from snelk.config.meshes import level_from_mesh
from snelk.config.nodes import ConditionError
from snelk.config.outlines import level_from_outlines
from snelk.config.recordings import read_noises, read_throws, read_tracks
from snelk.config.scenario import parse_override
from snelk.level.level import Level
from snelk.runs.store import TABLES
from snelk.tuning.check import check
from snelk.tuning.plan import parse_vary, plan_of

STARTER = Path(snelk.__file__).parent / "starter"
CROFT = snelk.croft()

NASTY: tuple[Any, ...] = (
    None, True, False, 0, 1, -1, 2, 0.5, -0.0, 1e308, -1e308, 1e-320, float("nan"), float("inf"),
    10**30, -(10**400), 2**63, "", " ", "x", "fox", "constructor", "__proto__", "007", "NA", "nan",
    "-inf", "1e999", "a\nb", "a\tb", "\x1b[31m", "\x00", "\ud800", "é" * 200, "‮", "' or \"",
    [], {}, [[]], [None], {"": 1}, [1, 2, 3], [[0, 0], [1, 1]], {"a": {"b": []}}, "§", "=", "[", "]]",
)  # fmt: skip
"""Values that were not thought of."""

WORDS = (
    "seen", "not", "and", "or", "xor", "(", ")", "meter", ">=", "==", "0.5", "3s", "2m", "chance(0.3)",
    'in_zone("x")', "own.size", "target.", "+", "-", "*", "/", "1e9", "", "nan", '"', "&&", "%", "\n",
)  # fmt: skip

Case = Callable[[random.Random, Path], object]


def read_all(case: Case, seed: int, folder: Path) -> str:
    """Read one spoilt thing; what was wrong with how that went, or nothing."""
    chance = random.Random(seed)
    try:
        case(chance, folder)
    except snelk.InputError as error:
        lines = str(error).split("\n")
        if not error.problems or not all(line.isprintable() and line.strip() for line in lines):
            return f"cannot be printed: {lines!r:.300}"
        if len(lines) > 30 or max(map(len, lines)) > 2000:
            return f"is far too long: {len(lines)} lines"
    except Exception as error:
        where = error.__traceback__
        while where is not None and where.tb_next is not None:
            where = where.tb_next
        place = f"{where.tb_frame.f_code.co_filename}:{where.tb_lineno}" if where else ""
        return f"{type(error).__name__}: {error!s:.200} ({place})"
    return ""


def spoil_tree(tree: Any, chance: random.Random, times: int) -> Any:
    """Lists and tables with some values replaced, taken out, doubled, moved or wrapped."""
    for _ in range(times):
        nodes: list[tuple[Any, Any]] = []
        rest = [tree]
        while rest:
            here = rest.pop()
            keys = list(here) if isinstance(here, dict) else range(len(here))
            for key in keys:
                nodes.append((here, key))
                if isinstance(here[key], dict | list):
                    rest.append(here[key])
        if not nodes:
            return tree
        here, key = chance.choice(nodes)
        kind = chance.randrange(6)
        if kind == 0:
            del here[key]
        elif kind == 1:
            other, place = chance.choice(nodes)
            if place in other if isinstance(other, dict) else place < len(other):
                here[key] = json.loads(json.dumps(other[place], default=str))
        elif kind == 2 and isinstance(here, dict):
            here[str(chance.choice(NASTY))] = here.pop(key)
        elif kind == 3:
            here[key] = [here[key]] if chance.random() < 0.5 else {"x": here[key]}
        else:
            here[key] = copy.deepcopy(chance.choice(NASTY))
    return tree


def spoil_text(text: str, chance: random.Random, times: int, signs: str = ',\n"[]{}.:#;\t') -> str:
    """Text with fields, lines and letters replaced, taken out and doubled."""
    for _ in range(times):
        at, kind = chance.randrange(len(text) + 1), chance.randrange(6)
        if kind == 0:
            text = text[:at] + str(chance.choice(NASTY)) + text[at + chance.randrange(4) :]
        elif kind == 1:
            text = text[:at] + text[at + chance.randrange(40) :]
        elif kind == 2:
            text = text[:at] + text[at : at + 30] + text[at:]
        elif kind == 3:
            text = text[:at] + chance.choice(signs) + text[at:]
        else:
            fields = text.split(",")
            fields[chance.randrange(len(fields))] = str(chance.choice(NASTY))
            text = ",".join(fields)
    return text


def spoil_bytes(data: bytes, chance: random.Random) -> bytes:
    """Bytes flipped, cut off, put in or set to 0."""
    some, at = bytearray(data), chance.randrange(max(len(data), 1))
    kind = chance.randrange(4)
    if kind == 0:
        return bytes(some[:at])
    for _ in range(chance.choice((1, 1, 3, 20))):
        at = chance.randrange(len(some))
        if kind == 1:
            some[at] ^= 1 << chance.randrange(8)
        elif kind == 2:
            some[at : at + 4] = chance.choice((b"\x00" * 4, b"\xff" * 4, b"\x7f\xff\xff\xff"))
        else:
            some[at:at] = bytes(chance.randrange(256) for _ in range(3))
    return bytes(some)


def write(path: Path, text: str | bytes) -> Path:
    path.write_bytes(text if isinstance(text, bytes) else text.encode("utf-8", "surrogatepass"))
    return path


def toml_of(tree: Any) -> str:
    """A tree as TOML, as far as TOML can hold it."""

    def kept(value: Any) -> Any:
        if isinstance(value, dict):
            return {k: kept(v) for k, v in value.items() if v is not None}
        if isinstance(value, list):
            return [kept(v) for v in value if v is not None]
        return value

    return tomli_w.dumps(kept(tree))


def starter(chance: random.Random, folder: Path, which: str) -> object:
    place = folder / "starter"
    if not place.exists():
        shutil.copytree(STARTER, place)
    good = (STARTER / which).read_text()
    if which.endswith("json"):
        text = json.dumps(spoil_tree(json.loads(good), chance, chance.choice((1, 1, 2, 4))))
    elif which.endswith("toml") and chance.random() < 0.7:
        text = toml_of(spoil_tree(tomllib.loads(good), chance, chance.choice((1, 1, 2, 4))))
    else:
        text = spoil_text(good, chance, chance.choice((1, 2, 5)))
    try:
        write(place / which, text)
        found = snelk.load(place / "scenario.toml")
        return check(found)
    finally:
        shutil.copy(STARTER / which, place / which)


def croft(chance: random.Random, folder: Path) -> object:
    place = folder / "croft"
    if not place.exists():
        shutil.copytree(CROFT, place)
    which = chance.choice(("night.toml", "creatures.toml"))
    tree = spoil_tree(tomllib.loads((CROFT / which).read_text()), chance, chance.choice((1, 2)))
    try:
        write(place / which, toml_of(tree))
        return check(snelk.load(place / "night.toml"))
    finally:
        shutil.copy(CROFT / which, place / which)


def recording(chance: random.Random, folder: Path) -> object:
    goods: tuple[tuple[str, Callable[[Path], object]], ...] = (
        ("t,id,x,y,heading,z,posture,gait,present\n0,fox,1,2,90,0,standing,still,1\n"
         "1,fox,2,2,90,0,crouched,walking,1\n0.5,hen,0,0,0,0,prone,still,0\n", read_tracks),
        ("t,kind,x,y,reach,z,by\n0,bark,1,2,9,0,fox\n1,bark,1,2,,0,\n", read_noises),
        ("t,by,kind,x,y,z,speed,reach\n0,fox,bark,1,2,0,9,3\n1,hen,bark,1,2,,,\n", read_throws),
    )  # fmt: skip
    text, read = chance.choice(goods)
    if chance.random() < 0.3:
        path = folder / "rows.parquet"
        rows = [line.split(",") for line in text.splitlines()]
        frame = pd.DataFrame(rows[1:], columns=rows[0])
        frame["t"] = pd.to_numeric(frame.t)
        frame.to_parquet(path)
        write(path, spoil_bytes(path.read_bytes(), chance))
    else:
        path = write(folder / "rows.csv", spoil_text(text, chance, chance.choice((1, 2, 4))))
    return read(path)


def foreign(chance: random.Random, folder: Path) -> object:
    names = {"t": "ms", "id": "who", "x": "pos.x", "y": "-pos.z", "heading": "yaw"}
    conventions: dict[str, Any] = {
        "columns": names, "length": 0.01, "time": 0.001, "angle": "deg", "turn": "cw", "zero": "+y",
        "words": {"posture": {"duck": "crouched"}},
    }  # fmt: skip
    rows = [
        {"ms": 20 * n, "who": "fox", "pos": {"x": n, "z": -n}, "yaw": n, "posture": "duck"}
        for n in range(4)
    ]
    if chance.random() < 0.5:
        kind = chance.randrange(3)
        if kind == 0:
            lines = [json.dumps(spoil_tree(row, chance, 1)) for row in rows]
            path = write(folder / "game.jsonl", "\n".join(lines))
        elif kind == 1:
            text = pd.json_normalize(rows).to_csv(index=False)
            path = write(folder / "game.csv", spoil_text(text, chance, 2))
        else:
            path = folder / "game.parquet"
            pd.json_normalize(rows).to_parquet(path)
            write(path, spoil_bytes(path.read_bytes(), chance))
        made = import_tracks(path, conventions)
    else:
        spoilt = spoil_tree(conventions, chance, chance.choice((1, 2)))
        if chance.random() < 0.5:
            read = read_conventions(write(folder / "map.toml", toml_of(spoilt)))
        else:
            read = conventions_from(spoilt)
        text = pd.json_normalize(rows).to_csv(index=False)
        made = import_tracks(write(folder / "game.csv", text), read)
    return made.write(folder / "made.csv")


def level(chance: random.Random, folder: Path) -> object:
    tree = json.loads((CROFT / "croft.geojson").read_text())
    tree["features"] = chance.sample(tree["features"], 4)
    text = json.dumps(spoil_tree(tree, chance, chance.choice((1, 2, 3))))
    path = write(folder / "level.geojson", text)
    if chance.random() < 0.5:
        return Level(read_level(path)).zones
    return Level(level_from_outlines(path, length=chance.choice((1.0, 0.01)))).grid


BOX = (
    "o box\n"
    + "".join(f"v {x} {y} {z}\n" for x in (0, 2) for y in (0, 1) for z in (0, 3))
    + "".join(f"f {a} {b} {c}\nf {a} {c} {d}\n" for a, b, c, d in (
        (1, 2, 4, 3), (5, 7, 8, 6), (1, 5, 6, 2), (3, 4, 8, 7), (1, 3, 7, 5), (2, 6, 8, 4)))
)  # fmt: skip


def mesh(chance: random.Random, folder: Path) -> object:
    import trimesh

    kind = chance.choice(("obj", "gltf", "glb"))
    path = folder / f"mesh.{kind}"
    if kind == "obj":
        write(path, spoil_text(BOX, chance, chance.choice((1, 2, 4)), signs=" \n/-vf"))
    elif kind == "glb":
        good = trimesh.creation.box((1, 2, 3)).export(file_type="glb")
        write(path, spoil_bytes(good, chance))
    else:
        parts = trimesh.exchange.gltf.export_gltf(
            trimesh.Scene(trimesh.creation.box((1, 2, 3))), embed_buffers=True
        )
        tree = json.loads(parts["model.gltf"])
        write(path, json.dumps(spoil_tree(tree, chance, chance.choice((1, 2)))))
    return level_from_mesh(path, length=chance.choice((1.0, 0.01)))


@cache
def night() -> snelk.Scenario:
    """The croft, read once: what is spoilt here is what is asked of it."""
    return snelk.load(CROFT / "night.toml")


def key(chance: random.Random) -> str:
    good = chance.choice((
        "profiles.dog.cones.muzzle.range", "cast.dog.facing", "clock.end", "bodies.fox.eyes", "seed",
        'grounds."gravel"', "profiles.goose.meter.distance", "profiles.dog.ladder.transitions", "expect",
    ))  # fmt: skip
    return spoil_text(good, chance, chance.choice((0, 1, 2)), signs='."[]#= ')


def setting(chance: random.Random, folder: Path) -> object:
    text = f"{key(chance)}={chance.choice(NASTY)}"
    changes = dict([parse_override(spoil_text(text, chance, chance.choice((0, 0, 1))))])
    return night().changed(changes)


def varying(chance: random.Random, folder: Path) -> object:
    values = chance.choice(("1:2:3", "1:2", "1,2,3", '"a",b', "1:2:nan", "[1],[2]", "1e999:2:2"))
    text = f"{key(chance)}={spoil_text(values, chance, chance.choice((0, 0, 1, 2)), signs=':,.')}"
    return plan_of(night(), dict([parse_vary(text)]), samples=chance.choice((None, 4)))


def condition(chance: random.Random, folder: Path) -> object:
    text = " ".join(chance.choices(WORDS, k=chance.randrange(1, 12)))
    try:
        return parse(text)
    except ConditionError as error:
        raise snelk.InputError.of("condition", "", text, str(error)) from None


def run_folder(chance: random.Random, folder: Path) -> object:
    place = folder / "run"
    if not place.exists():
        snelk.run(STARTER / "scenario.toml", out=place)
    path = chance.choice(sorted(place.iterdir()))
    good = path.read_bytes()
    try:
        if path.suffix == ".parquet" or chance.random() < 0.5:
            write(path, spoil_bytes(good, chance))
        else:
            write(path, json.dumps(spoil_tree(json.loads(good), chance, 1)))
        spoilt = path.read_bytes()
        run = snelk.open_run(place)
        for name in TABLES:
            run.table(name)
        same = spoilt == good or json.loads(spoilt) == json.loads(good)
        assert same, "damage that nobody saw"
    finally:
        path.write_bytes(good)
    return run


def sweep_table(chance: random.Random, folder: Path) -> object:
    place = folder / "sweep.parquet"
    if not place.exists():
        vary = {"bodies.child.eyes": [0.8, 0.9]}
        snelk.sweep(STARTER / "scenario.toml", vary, out=place, jobs=1)
    spoilt = write(folder / "spoilt.parquet", spoil_bytes(place.read_bytes(), chance))
    table, good = snelk.open_sweep(spoilt).table, snelk.open_sweep(place).table
    assert table.equals(good), "damage that nobody saw"
    return table


READERS: dict[str, Case] = {
    "scenario": lambda chance, folder: starter(chance, folder, "scenario.toml"),
    "profiles": lambda chance, folder: starter(chance, folder, "creatures.toml"),
    "croft": croft,
    "recordings": recording,
    "foreign recordings": foreign,
    "levels": level,
    "meshes": mesh,
    "--set": setting,
    "--vary": varying,
    "conditions": condition,
    "run folders": run_folder,
    "sweeps": sweep_table,
}
