"""What is handed over to a game's own code, resolved and in its units, and taken back from it."""

from __future__ import annotations

import json
import math
import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import jsonschema
import pytest
from test_cli import command
from test_rules import Maker

import snelk
from snelk.config.conditions import parse
from snelk.config.exporting import changes_in, export, export_schema
from snelk.config.foreign import GameUnits

NIGHT, MILL = snelk.croft() / "night.toml", snelk.mill() / "night.toml"
GAME = {
    "length": 0.01,
    "time": 0.001,
    "angle": "rad",
    "turn": "cw",
    "zero": "+y",
    "axes": {"x": "x", "y": "z", "z": "y"},
}
Place = tuple[str | int, ...]


def leaves(given: Any, place: Place = ()) -> Iterator[tuple[Place, Any]]:
    parts = (
        given.items()
        if isinstance(given, dict)
        else enumerate(given)
        if isinstance(given, list)
        else None
    )
    if parts is None:
        yield place, given
    for key, value in parts or ():
        yield from leaves(value, (*place, key))


def exported(scenario: snelk.Scenario, units: dict[str, Any]) -> Any:
    return json.loads(json.dumps(export(scenario, GameUnits.model_validate(units))))


def same(one: Any, other: Any) -> bool:
    ours, theirs = dict(leaves(one)), dict(leaves(other))
    return ours.keys() == theirs.keys() and all(
        math.isclose(value, theirs[place], rel_tol=1e-9, abs_tol=1e-9)
        if type(value) is float
        else value == theirs[place]
        for place, value in ours.items()
    )


@pytest.mark.parametrize(("of", "units"), [(NIGHT, GAME), (MILL, {}), (11, {}), (18, GAME)])
def test_what_a_game_changes_comes_back_and_nothing_else(
    of: Path | int, units: dict[str, Any], tmp_path: Path
) -> None:
    """Whatever number is changed: with what is taken back, the export is the game's file."""
    if is_random := isinstance(of, int):
        Maker(of).scene(tmp_path)
        of = tmp_path / "scene.toml"
    scenario, rnd = snelk.load(of), random.Random(len(units))
    whole = exported(scenario, units)
    jsonschema.Draft202012Validator(export_schema()).validate(whole)
    assert changes_in(scenario, whole) == {}
    numbers = [
        (place, value)
        for place, value in leaves(whole)
        if type(value) in (float, int, bool) and place[0] not in ("units", "snelk_export")
    ]
    assert len(numbers) > (200 if is_random else 700)
    taken = 0
    for place, value in rnd.sample(numbers, 80 if is_random else 16):
        changed = json.loads(json.dumps(whole))
        here = changed
        for part in place[:-1]:
            here = here[part]
        here[place[-1]] = (
            (not value)
            if isinstance(value, bool)
            else value + 1
            if isinstance(value, int)
            else value * 0.97 + (0.01 if value == 0 else 0.0)
        )
        try:
            other = scenario.changed(changes_in(scenario, changed))
        except snelk.InputError:  # such as 0.97 of a curve's first point
            continue
        taken += 1
        assert same(exported(other, units), changed), place
    assert taken > 9


def test_players_and_groups_are_exported_as_written_and_come_back() -> None:
    play = {
        "to": "hedge-gap",
        "delay": [2.0, 5.0],
        "care": 0.5,
        "react": 0.25,
        "signs": ["stalking"],
    }
    group = {"members": ["dog", "farmer"], "apart": 0.5, "stays": 1}
    plain = snelk.load(NIGHT)
    scenario = plain.changed({"cast.fox.play": play, "groups.keepers": group})
    whole, before = exported(scenario, GAME), exported(plain, GAME)
    jsonschema.Draft202012Validator(export_schema()).validate(whole)
    assert changes_in(scenario, whole) == {}
    assert (
        whole["cast"]["fox"]["play"] | {"delay": [2000.0, 5000.0], "react": 250.0}
        == (whole["cast"]["fox"]["play"])
    )
    assert whole["groups"]["keepers"]["apart"] == 50.0
    # But for what was added they are exported as if there were neither.
    whole["cast"]["fox"]["play"] = None
    assert whole["clock"]["end"] == before["clock"]["end"]
    assert whole | {"groups": {}} == before
    whole = exported(scenario, GAME)
    whole["cast"]["fox"]["play"] |= {"delay": [1000.0, 6000.0], "care": [0.5, 0.75], "sign": 0.4}
    whole["groups"]["keepers"] |= {"apart": 60.0, "search": False}
    assert changes_in(scenario, whole) == {
        "cast.fox.play.delay": [1.0, 6.0], "cast.fox.play.care": [0.5, 0.75],
        "cast.fox.play.sign": 0.4, "groups.keepers.apart": 0.6, "groups.keepers.search": False,
    }  # fmt: skip


def test_what_was_exported_before_there_were_players_and_groups_is_still_taken() -> None:
    scenario = snelk.load(NIGHT)
    old = exported(scenario, GAME)
    del old["groups"]
    for member in old["cast"].values():
        del member["play"]
    for profile in old["profiles"].values():
        for state in ((profile["ladder"] or {}).get("states") or {}).values():
            state.pop("play")
        if profile["tell"] is not None:
            del profile["tell"]["passes_on"]
    assert changes_in(scenario, old) == {}
    old["profiles"]["dog"]["cones"]["muzzle"]["range"] = 1500.0
    assert changes_in(scenario, old) == {"profiles.dog.cones.muzzle.range": 15.0}


def test_all_is_resolved_and_in_the_games_units() -> None:
    setup = snelk.load(NIGHT).setup
    found = exported(snelk.load(NIGHT), GAME)
    muzzle, cone = (
        setup.profiles["dog"].cones["muzzle"],
        found["profiles"]["dog"]["cones"]["muzzle"],
    )
    assert cone["range"] == pytest.approx(muzzle.range * 100)
    assert cone["fov_whole"] == pytest.approx(math.radians(muzzle.fov_whole))
    assert cone["notices"] == list(setup.profiles["dog"].notices)
    bare = found["profiles"]["scarecrow"]["cones"]["stare"]
    assert (bare["hold_range"], bare["hold_fov_whole"]) == (bare["range"], bare["fov_whole"])
    assert (
        found["profiles"]["gander"]["movement"] == found["profiles"]["goose"]["movement"]
    )  # it is like that
    assert found["profiles"]["dog"]["meter"]["motion"][2][0] == pytest.approx(
        setup.profiles["dog"].meter.motion[2][0] * 100 / 1000
    )
    assert found["bodies"]["fox"]["crouched"] == pytest.approx(
        100 * setup.bodies["fox"].heights()[1]
    )
    owl = found["cast"]["owl"]
    assert owl["at"] == pytest.approx([2100.0, 400.0, 890.0])  # y is up
    assert owl["facing"] == pytest.approx(-math.radians(setup.cast["owl"].facing - 90))
    assert found["cast"]["dog"]["body"] == "dog"
    states = found["profiles"]["dog"]["ladder"]["states"]
    assert [state["rank"] for state in states.values()] == [
        setup.profiles["dog"].ladder.rank_of(name) for name in states
    ]
    when = found["profiles"]["dog"]["ladder"]["transitions"]["nothing-there"]["when"]
    assert when == {
        "op": "and",
        "of": [
            {"op": ">", "of": [{"signal": "state_for"}, {"number": 6000.0}]},
            {"op": ">", "of": [{"signal": "lost_for"}, {"number": 4000.0}]},
        ],
    }


@pytest.mark.parametrize(
    "text",
    [
        "not (seen or heard) and meter < 0.5",
        "seen(\"wide\") xor felt(\"touch\") or chance(0.25)",
        "distance - 3 < target.size * 2 - own.size / 4",
        "distance < 5 m and (bearing > 30 deg or lost_for >= 2 s)",
        "target.team == \"wild\" and -1 < told_rank",
        "not (not seen and target.name != \"fox\")",
    ],
)  # fmt: skip
def test_a_condition_leads_there_and_back(text: str) -> None:
    """Its tree, written out again, is the same tree."""
    from snelk.config.exporting import _Exporter, parse_out, text_of

    exporter = _Exporter(GameUnits.model_validate(GAME))
    tree = parse_out(exporter, text)
    again = text_of(exporter, json.loads(json.dumps(tree)))
    assert same(parse_out(exporter, again), tree)

    def shape(node: Any) -> Any:
        parts = tuple(map(shape, node.parts))
        return (
            node.kind,
            node.word if node.kind not in ("number",) else round(node.value, 9),
            parts,
        )

    if not set("-*/") & set(text):  # the order of sums is told by parentheses there
        assert shape(parse(again).root) == shape(parse(text).root)


def test_on_the_command_line(tmp_path: Path) -> None:
    import shutil

    shutil.copytree(snelk.croft(), tmp_path / "croft")
    said = command(
        "export",
        "croft/night.toml",
        "--length",
        "0.01",
        "--axis",
        "y=z",
        "--axis",
        "z=y",
        "--turn",
        "cw",
        "--zero",
        "+y",
        cwd=tmp_path,
    )
    assert "lengths in 0.01 m, times in 1 s, angles in deg, cw from +y" in said
    assert all(len(line) <= 80 for line in said.splitlines())
    path = tmp_path / "night.export.json"
    whole = json.loads(path.read_text(encoding="utf-8"))
    whole["profiles"]["dog"]["cones"]["muzzle"]["range"] = 1500.0
    path.write_text(json.dumps(whole))
    said = command("export", "croft/night.toml", "--take", path, "--write", cwd=tmp_path)
    assert "+range = 15.0" in said
    assert (
        snelk.load(tmp_path / "croft" / "night.toml").setup.profiles["dog"].cones["muzzle"].range
        == 15.0
    )
    assert "Nothing was changed." in command(
        "export", "croft/night.toml", "--take", path, cwd=tmp_path
    )
    for change, rule in (
        (lambda d: d["cast"].pop("dog"), "export: cast.dog: is missing; add it"),
        (lambda d: d["cast"].update(cow={}), "export: cast.cow: was not in the export; add it to the scenario first"),
        (lambda d: d.update(snelk_export=9), "export: snelk_export: is no export of layout 1 (given: 9)"),
        (lambda d: d["units"].update(length=-1), "export: units.length: must be above 0"),
        (lambda d: d["clock"].update(dt="x"), "clock.dt: must be a number"),
        (lambda d: d["profiles"]["dog"]["ladder"]["transitions"]["fox"].update(when={"op": "and", "of": [{"signal": "sen"}]}), "cannot be read: column 2: no such signal, \"sen\""),
    ):  # fmt: skip
        wrong = json.loads(json.dumps(whole))
        change(wrong)
        path.write_text(json.dumps(wrong))
        assert rule in command("export", "croft/night.toml", "--take", path, cwd=tmp_path, code=2)
    assert "is read in its own units" in command(
        "export", "croft/night.toml", "--take", path, "--length", "2", cwd=tmp_path, code=2
    )
    assert "must use each of the game's axes once" in command(
        "export", "croft/night.toml", "--axis", "y=x", cwd=tmp_path, code=2
    )
    assert json.loads(command("schema", "export", cwd=tmp_path))["title"] == "Snelk export"
