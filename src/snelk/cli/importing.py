"""Importing recordings and levels."""

from __future__ import annotations

import json
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from snelk.cli.output import Screen, command, say_json, table, wrap
from snelk.cli.questions import Json
from snelk.cli.units import Angle, Length, Time, Turn, Zero
from snelk.errors import InputError, one_of
from snelk.files import claim, write_text, written

if TYPE_CHECKING:
    from snelk.config.foreign import Imported, ImportedRows

Source = Annotated[Path, typer.Argument(metavar="FILE", help="The file written by the game.")]
Columns = Annotated[
    list[str] | None,
    typer.Option(
        "--column", metavar="OURS=THEIRS",
        help="Name of a column in the file, such as y=-pos.z. Repeatable.",
    ),
]  # fmt: skip
Words = Annotated[
    list[str] | None,
    typer.Option(
        "--word", metavar="COLUMN.THEIRS=OURS",
        help="Meaning of a word in the file, such as posture.duck=crouched. Repeatable.",
    ),
]  # fmt: skip


def import_recording(
    source: Source,
    mapping: Annotated[
        Path | None,
        typer.Option(
            "--mapping", metavar="FILE", help="TOML file with all of these; options override it."
        ),
    ] = None,
    column: Columns = None,
    name: Annotated[
        str | None,
        typer.Option("--name", metavar="ID", help="Character it belongs to, if it has no ids."),
    ] = None,
    length: Length = None,
    time: Time = None,
    from_zero: Annotated[
        bool, typer.Option("--from-zero", help="Shift times so that the first is 0 s.")
    ] = False,
    begin: Annotated[
        float | None,
        typer.Option(
            "--begin", metavar="T", help="Time in the file that becomes 0 s, in its unit."
        ),
    ] = None,
    what: Annotated[
        str, typer.Option("--as", metavar="WHAT", help="tracks, noises, throws, changes or log.")
    ] = "tracks",
    angle: Angle = None,
    turn: Turn = None,
    zero: Zero = None,
    word: Words = None,
    level: Annotated[
        Path | None, typer.Option("--level", metavar="FILE", help="Level to compare it with.")
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out",
            metavar="FILE",
            help="A .csv or .parquet file; default: FILE.track.csv in this folder.",
        ),
    ] = None,
    as_json: Json = False,
) -> None:
    """Convert a game's recording into tracks, noises or throws.

    From CSV, JSON Lines or Parquet, with any column names, axes, units and angles. Prints a
    summary and what looks wrong, and draws the tracks.
    """
    from snelk.config.foreign import (
        HAPPENINGS,
        TABLES,
        conventions_from,
        import_rows,
        import_tracks,
        read_conventions,
    )
    from snelk.config.geojson import read_level
    from snelk.level.level import Level
    from snelk.plots.imported import plot_imported
    from snelk.plots.style import claim_figure, save_figure
    from snelk.tuning.imported import figures_of, import_warnings, misplaced_in

    raw: dict[str, Any] = {} if mapping is None else read_conventions(mapping).model_dump()
    given = {"name": name, "length": length, "time": time, "angle": angle, "turn": turn}
    given |= {"zero": _zero(zero), "from_zero": from_zero or None, "begin": begin}
    raw |= {key: value for key, value in given.items() if value is not None}
    raw["columns"] = {**raw.get("columns", {}), **_pairs(column, "--column")}
    raw["words"] = _words(raw.get("words", {}), word)
    one_of(what, ("tracks", *HAPPENINGS), source="import", place="--as", what="kind of recording")
    if what != "tracks":
        place = claim(out or Path(f"{source.stem}.{what}.csv"), *TABLES, source=source)
        found = import_rows(source, what, conventions_from(raw, source="conventions"))
        found.write(place)
        _say_rows(found, place, as_json)
        return
    ground = None if level is None else Level(read_level(level))
    place = claim(out or Path(f"{source.stem}.track.csv"), *TABLES, source=source)
    picture = claim_figure(place.with_suffix(".png"))
    imported = import_tracks(source, conventions_from(raw, source="conventions"))
    imported.write(place)
    save_figure(plot_imported(imported, level=ground).axes, picture)
    warnings = import_warnings(imported, ground)
    if as_json:
        misplaced = None if ground is None else vars(misplaced_in(imported, ground))
        tracks = [vars(each) for each in figures_of(imported)]
        where = {"written": str(place), "picture": str(picture)}
        say_json({**where, "tracks": tracks, "misplaced": misplaced, "warnings": warnings})
        return
    _say_imported(imported, warnings)
    screen = Screen()
    if ground is not None:
        lies = misplaced_in(imported, ground)
        words = f"outside of the level: {lies.outside:.0%} of the samples; in walls"
        screen.print(f"\n{words}: {lies.in_walls:.0%}")
    screen.print(f"\nWritten to {place}\nDrawn in   {picture}")
    if imported.begin:
        words = f"Its time {imported.begin:g} became 0 s: for its noises, throws and doors use"
        screen.print("\n" + wrap(f"{words} --begin {imported.begin:g}", indent=2))
    line = f'tracks = ["{place.name}"]'
    ids = ", ".join(dict.fromkeys(map(str, imported.tracks.id)))
    screen.print("\n" + wrap(f"In a scenario: {line}, and a [cast.NAME] for {ids}", indent=2))


def _say_rows(found: ImportedRows, place: Path, as_json: bool) -> None:
    """Print a summary of imported noises, throws or logs, by kind."""
    rows, by = found.rows, {"changes": "of", "log": "agent"}.get(found.what, "kind")
    each = [(str(name), some) for name, some in rows.groupby(by, sort=True)]
    if as_json:
        kinds = [{by: name, "rows": len(some)} for name, some in each]
        say_json({"written": str(place), "rows": len(rows), "kinds": kinds})
        return
    screen = Screen()
    lines = []
    for name, some in each:
        line = [name, f"{len(some)}", f"{some.t.min():g} to {some.t.max():g} s"]
        if "x" in rows:
            line += [f"{some.x.min():.4g} to {some.x.max():.4g}"]
            line += [f"{some.y.min():.4g} to {some.y.max():.4g} m"]
        lines.append(line)
    head = [by, " rows", " time", " x", " y    "][: len(lines[0]) if lines else 3]
    screen.print("\n".join(table(head, lines)))
    screen.print(f"\nWritten to {place}")
    if found.what == "log":
        hold = command("snelk", "parity", "RUN", place)
        screen.print("\n" + wrap(f"Compare a run of the same input with it: {hold}", indent=2))
        return
    line_there = f'{found.what} = ["{place.name}"]'
    names = {"noises": "noise_kinds", "throws": "noise_kinds", "changes": "doors and lights"}
    what = f"In a scenario: {line_there}; its {names[found.what]} need these names"
    screen.print("\n" + wrap(what, indent=2))


def _say_imported(imported: Imported, found: list[str]) -> None:
    from snelk.tuning.imported import figures_of

    screen = Screen()
    rows = []
    for each in figures_of(imported):
        facing = "–"
        if each.steadiness == each.steadiness and imported.heading_from != "motion":
            side = "left" if each.off_motion > 0 else "right"
            facing = f"{abs(each.off_motion):.0f}° {side}" if each.steadiness > 0.3 else "any way"
        rows.append(
            [
                each.id, f"{each.samples}", f"{each.start:g} to {each.end:g}",
                f"{each.x[0]:.4g} to {each.x[1]:.4g}", f"{each.y[0]:.4g} to {each.y[1]:.4g}",
                f"{each.speed:.3g}", f"{each.top_speed:.3g}", facing,
            ]
        )  # fmt: skip
    head = ["id", " rows", " time, s", " x, m", " y, m", " speed, m/s", " top, m/s", "facing"]
    screen.print("\n".join(table(head, rows)))
    how = {
        "column": "facing: mean angle from where it goes to where it faces",
        "facing": "facing: mean angle from where it goes to where it faces",
        "motion": "no headings in the file: everybody faces where they go",
    }[imported.heading_from]
    screen.print(wrap(how, indent=2, first="  "))
    if not found:
        screen.print("\nNothing looks wrong; see the picture to be sure.")
    for warning in found:
        screen.print("\n" + wrap(warning, indent=9, first="warning"), style="bold")


def import_level(
    source: Source,
    up: Annotated[
        str, typer.Option("--up", metavar="AXIS", help="Of a mesh: the axis that points up.")
    ] = "y",
    mirror: Annotated[
        bool, typer.Option("--mirror", help="Of a mesh: turn y round, for left-handed axes.")
    ] = False,
    length: Length = None,
    cut: Annotated[
        list[float] | None,
        typer.Option("--cut", metavar="M", help="A height to cut a mesh at. Twice or more."),
    ] = None,
    triangles: Annotated[
        bool, typer.Option("--triangles", help="Of a mesh: keep its triangles, and find floors.")
    ] = False,
    doors: Annotated[
        list[str] | None,
        typer.Option(
            "--door", metavar="NAME", help='Of a mesh: an object that is a door, such as "door*".'
        ),
    ] = None,
    kind: Annotated[
        str, typer.Option("--as", metavar="KIND", help="Of GeoJSON: what has no kind is a …")
    ] = "wall",
    top: Annotated[
        float, typer.Option("--top", metavar="M", help="Of GeoJSON: where a wall has no top, m.")
    ] = 3.0,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out",
            metavar="FILE",
            help="A .geojson file; default: FILE.level.geojson in this folder.",
        ),
    ] = None,
    as_json: Json = False,
) -> None:
    """Convert a game's level into a level for Snelk.

    From GeoJSON in any unit of length, or from triangle meshes in glTF or OBJ: each object is
    cut at given heights into walls, or its triangles are kept in a table beside the level.
    """
    from snelk.config.meshes import CUTS, level_from_mesh
    from snelk.config.outlines import level_from_outlines
    from snelk.config.triangles import write_triangles
    from snelk.level.level import Level
    from snelk.level.meshes import level_with_triangles
    from snelk.plots.imported import plot_level
    from snelk.plots.style import claim_figure, save_figure

    if triangles and (cut or source.suffix.lower() in (".geojson", ".json")):
        given = "--cut" if cut else source.suffix
        rule = "keeps the triangles of a mesh as they are"
        raise InputError.of("--triangles", "", given, rule, "leave out one of the two")
    place = claim(out or Path(f"{source.stem}.level.geojson"), ".geojson", ".json", source=source)
    picture = claim_figure(place.with_suffix(".png"))
    own_file = place.with_suffix(".triangles.parquet")
    if triangles:
        claim(own_file, ".parquet", source=source)
    scale = 1.0 if length is None else length
    if source.suffix.lower() in (".geojson", ".json"):
        data = level_from_outlines(source, length=scale, kind=kind, top=top)
    elif triangles:
        data = level_with_triangles(source, up=up, mirror=mirror, length=scale, doors=doors or ())
    else:
        data = level_from_mesh(
            source, up=up, mirror=mirror, length=scale, cuts=cut or CUTS, doors=doors or ()
        )
    if triangles:
        with written(own_file) as draft:
            write_triangles(data.triangles, draft)
    document = data.to_geojson(triangles=own_file.name)
    write_text(place, json.dumps(document, ensure_ascii=False) + "\n")
    level = Level(data)
    axes = plot_level(level, title=f"{source.name}   ·   as imported")
    save_figure(axes, picture)
    walls = [
        {"name": wall.name, "base": wall.base, "top": wall.top, "area": float(shape.area)}
        for wall, shape in data.walls
    ]
    names = ("walls", "floors", "meshes", "zones", "spots", "routes")
    counts = {name: len(getattr(data, name)) for name in names}
    if as_json:
        where = {"written": str(place), "picture": str(picture), "bounds": list(level.bounds)}
        where |= {"triangles": str(own_file)} if triangles else {}
        say_json({**where, **{**counts, "walls": walls}, "warnings": list(data.warnings)})
        return
    screen = Screen()
    x0, y0, x1, y1 = level.bounds
    screen.print(", ".join(f"{count} {name}" for name, count in counts.items() if count))
    screen.print(f"x {x0:.4g} to {x1:.4g} m, y {y0:.4g} to {y1:.4g} m")
    shown = sorted(walls, key=lambda wall: -float(str(wall["area"])))[:12]
    rows = [
        [str(w["name"]), f"{w['base']:g}", f"{w['top']:g} m", f"{w['area']:.4g} m²"] for w in shown
    ]
    screen.print("\n".join(["", *table(["largest walls", " base", " top  ", " area   "], rows)]))
    for warning in data.warnings:
        screen.print("\n" + wrap(warning, indent=9, first="warning"), style="bold")
    if triangles:
        count = sum(map(len, data.triangles.values()))
        screen.print(f"\n{count:,} triangles in {own_file}: keep both together")
    screen.print(f"\nWritten to {place}\nDrawn in   {picture}")
    screen.print(f'\nIn a scenario\n  level = "{place.name}"')
    hint = command("snelk", "import", "RECORDING", "--level", place)
    screen.print(f"\nCompare a recording with it\n  {hint}")


def _zero(text: str | None) -> str | float | None:
    try:
        return None if text is None else float(text)
    except ValueError:
        return text


def _pairs(texts: list[str] | None, option: str) -> dict[str, str]:
    found = {}
    for text in texts or ():
        name, sign, value = text.partition("=")
        if not sign or not name.strip() or not value.strip():
            raise InputError.of(option, "", f'"{text}"', "must be OURS=THEIRS", "such as y=pos_z")
        found[name.strip()] = value.strip()
    return found


def _words(known: dict[str, dict[str, str]], texts: list[str] | None) -> dict[str, dict[str, str]]:
    found = {column: dict(words) for column, words in known.items()}
    for text, ours in _pairs(texts, "--word").items():
        column, dot, theirs = text.partition(".")
        if not dot or not theirs:
            fix = "such as posture.duck=crouched"
            raise InputError.of("--word", "", f'"{text}"', "must be COLUMN.THEIRS=OURS", fix)
        found.setdefault(column, {})[theirs] = ours
    return found
