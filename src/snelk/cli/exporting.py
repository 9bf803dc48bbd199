"""Numbers for a game's own code, and back: export and cases."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated, Any

import typer

from snelk.cli.output import Screen, command, say_json, table
from snelk.cli.questions import Json
from snelk.cli.scenarios import Overrides, ScenarioFile, load_scenario
from snelk.cli.units import Angle, Length, Time, Turn, Zero
from snelk.errors import InputError
from snelk.files import claim, write_text

UnitsFile = Annotated[
    Path | None,
    typer.Option(
        "--units", metavar="FILE", help="TOML file with all of these; options override it."
    ),
]
Axis = Annotated[
    list[str] | None,
    typer.Option(
        "--axis",
        metavar="OURS=THEIRS",
        help="Which of its axes is one of ours, such as y=z or y=-z.",
    ),
]


def export(
    scenario: ScenarioFile,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out",
            metavar="FILE",
            help="A .json file; default: SCENARIO.export.json in this folder.",
        ),
    ] = None,
    units: UnitsFile = None,
    length: Length = None,
    time: Time = None,
    angle: Angle = None,
    turn: Turn = None,
    zero: Zero = None,
    axis: Axis = None,
    take: Annotated[
        Path | None,
        typer.Option("--take", metavar="FILE", help="Import the changes made to an exported file."),
    ] = None,
    write: Annotated[
        bool, typer.Option("--write", help="Write them into the scenario's files.")
    ] = False,
    overrides: Overrides = None,
    as_json: Json = False,
) -> None:
    """Export all numbers in a game's units, or import changes.

    Inheritance and defaults are resolved, and conditions are parsed into trees. The format is
    described by `snelk schema export`.
    """
    from snelk.config.exporting import changes_in
    from snelk.config.exporting import export as export_of
    from snelk.config.reading import read_json

    loaded = load_scenario(scenario, overrides)
    given = _options(length, time, angle, turn, zero)
    if take is not None:
        if given or units is not None or axis:
            fix = "leave them out: the file has its own"
            raise InputError.of("export", "--take", "", "is read in its own units", fix)
        found = read_json(take)
        if not isinstance(found, dict):
            raise InputError.of(
                str(take), "", "", "is no export", "use a file that snelk export wrote"
            )
        _take(scenario, loaded, changes_in(loaded, found), write, overrides or [], as_json)
        return
    path = claim(
        out or Path(f"{scenario.stem}.export.json"), ".json", source=scenario,
        ours=lambda there: b"snelk_export" in there.read_bytes()[:200],
    )  # fmt: skip
    whole = export_of(loaded, _units(units, given, axis or []))
    write_text(path, json.dumps(whole, indent=1, ensure_ascii=False) + "\n")
    if as_json:
        say_json({"written": str(path), "units": whole["units"]})
        return
    screen = Screen()
    said = whole["units"]
    setup = loaded.setup
    held = (
        f"{len(setup.profiles)} profiles, {len(setup.bodies)} bodies, a cast of {len(setup.cast)}"
    )
    screen.print(f"Written to {path}: {held}")
    screen.print(
        f"  lengths in {said['length']:g} m, times in {said['time']:g} s, angles in "
        f"{said['angle']}, {said['turn']} from {said['zero']}"
    )
    screen.print("\nNext")
    screen.print("  snelk schema export")
    screen.print("  " + command("snelk", "export", scenario, "--take", path))


def cases(
    scenario: ScenarioFile,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out",
            metavar="FILE",
            help="A .jsonl file; default: SCENARIO.cases.jsonl in this folder.",
        ),
    ] = None,
    units: UnitsFile = None,
    length: Length = None,
    time: Time = None,
    angle: Angle = None,
    turn: Turn = None,
    zero: Zero = None,
    axis: Axis = None,
    overrides: Overrides = None,
    as_json: Json = False,
) -> None:
    """Write test cases with expected results for a game.

    They lie at, just inside and just outside every limit, and where common mistakes give
    another result. The file is JSON Lines; its first line holds what all cases share.
    """
    from collections import Counter

    from snelk.tuning.cases import MISTAKES, cases_of

    loaded = load_scenario(scenario, overrides)
    path = claim(
        out or Path(f"{scenario.stem}.cases.jsonl"), ".jsonl", source=scenario,
        ours=lambda there: b"snelk_cases" in there.read_bytes()[:200],
    )  # fmt: skip
    rows = cases_of(loaded, _units(units, _options(length, time, angle, turn, zero), axis or []))
    write_text(path, "".join(json.dumps(row, ensure_ascii=False) + "\n" for row in rows))
    counts = Counter(row["kind"] for row in rows[1:])
    if as_json:
        say_json({"written": str(path), "units": rows[0]["units"], "cases": dict(counts)})
        return
    screen = Screen()
    told = ", ".join(f"{count} of {kind}" for kind, count in counts.items()) or "none"
    screen.print(f"Written to {path}")
    screen.print(f"  {told}")
    screen.print(f"  each of {len(MISTAKES)} usual mistakes gives a wrong answer in at least one,")
    screen.print("  as far as the scenario's numbers allow; the first line names them")
    screen.print("\nNext")
    screen.print("  run your own code on each line, and compare with its `right`")


def _options(
    length: float | None, time: float | None, angle: str | None, turn: str | None, zero: str | None
) -> dict[str, Any]:
    """The units that options say."""
    options = {"length": length, "time": time, "angle": angle, "turn": turn, "zero": _zero(zero)}
    return {name: value for name, value in options.items() if value is not None}


def _zero(text: str | None) -> str | float | None:
    try:
        return None if text is None else float(text)
    except ValueError:
        return text


def _units(path: Path | None, given: dict[str, Any], axes: list[str]) -> Any:
    """The units of a game, of a file and of options that go over it."""
    from snelk.config.foreign import GameUnits
    from snelk.config.problems import checked, key_path
    from snelk.config.reading import read_toml

    raw = {} if path is None else read_toml(path)
    source = "units" if path is None else str(path)
    raw |= given
    for text in axes:
        ours, equals, theirs = text.partition("=")
        if not equals:
            raise InputError.of("export", "--axis", text, "must be OURS=THEIRS", "such as y=z")
        raw.setdefault("axes", {})[ours] = theirs
    problems: list[Any] = []
    found = checked(GameUnits, raw, lambda key: (source, key_path(key)), problems)
    if found is None:
        raise InputError(problems)
    return found


def _take(
    scenario: Path, loaded: Any, changes: dict[str, Any], write: bool, overrides: list[str],
    as_json: bool,
) -> None:  # fmt: skip
    """Show what was changed, and write it."""
    from snelk.config.scenario import value_of
    from snelk.config.writing import rewritten, write_back

    loaded.changed(changes)
    files = rewritten(loaded, changes)
    before = {key: value_of(loaded.setup, key) for key in changes}
    screen = Screen()
    if as_json:
        said = [{"key": key, "before": before[key], "now": now} for key, now in changes.items()]
        say_json({"changes": said, "difference": "".join(each.difference for each in files)})
    elif not changes:
        screen.print("Nothing was changed.")
    else:
        rows = [(key, _short(before[key]), _short(now)) for key, now in changes.items()]
        screen.print("\n".join(table(("key", "before", "now"), rows, indent=0)))
        for each in files:
            screen.print("\n" + each.difference.rstrip())
    if not changes:
        return
    if write:
        write_back(files)
        if not as_json:
            screen.print(f"\nWritten to {', '.join(str(each.path) for each in files)}")
    if not as_json:
        screen.print("\nNext")
        sets = [word for text in overrides for word in ("--set", text)]
        screen.print("  " + command("snelk", "verify", scenario, *sets))


def _short(value: Any) -> str:
    """A value in a table."""
    if value is None:
        return "–"
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return text if len(text) <= 40 else text[:39] + "…"
