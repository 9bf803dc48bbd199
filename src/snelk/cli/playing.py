"""Simulated players: how hard a level is, as a distribution."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from snelk.cli.output import (
    Screen,
    command,
    progress_bar,
    repeated,
    say_json,
    table,
    wrap,
    write_table,
)
from snelk.cli.scenarios import (
    Activities,
    Cluster,
    Jobs,
    Json,
    Overrides,
    ScenarioFile,
    load_scenario,
    run_files,
)
from snelk.cli.sneaking import Figure, Floor, claim_drawing, place_of
from snelk.errors import InputError
from snelk.files import claim

if TYPE_CHECKING:
    from snelk.tuning.players import Players, Range

Goal = Annotated[
    str | None,
    typer.Option(
        "--to", metavar="PLACE", help="Goal: a spot or a zone; default: as written in the scenario."
    ),
]
Start = Annotated[
    str | None,
    typer.Option(
        "--from", metavar="PLACE", help="Start: a spot, a zone or X,Y[,Z]; default: where it is."
    ),
]
Who = Annotated[
    str | None,
    typer.Option(
        "--target", metavar="NAME", help="Character to play; default: the one with a track."
    ),
]
Count = Annotated[int, typer.Option("--count", metavar="N", help="Number of players.")]
Care = Annotated[
    str | None,
    typer.Option("--care", metavar="A[:B]", help="Care, 0 reckless to 1 careful, or a range."),
]
Knows = Annotated[
    str | None,
    typer.Option(
        "--knows", metavar="A[:B]", help="Share of the agents' routines they know, or a range."
    ),
]
Delay = Annotated[
    str | None,
    typer.Option("--delay", metavar="A[:B]", help="Seconds before they set out, or a range."),
]
Sign = Annotated[
    float | None, typer.Option("--sign", metavar="VALUE", help="Meter value that warns them.")
]
Signs = Annotated[
    list[str] | None,
    typer.Option("--signs", metavar="STATE", help="An alert state that warns as well. Repeatable."),
]
Late = Annotated[
    float | None,
    typer.Option("--late", metavar="VALUE", help="Meter value at which it is too late."),
]
React = Annotated[float | None, typer.Option("--react", metavar="S", help="Reaction time, s.")]
Patience = Annotated[
    float | None, typer.Option("--patience", metavar="S", help="Longest time to wait or hide, s.")
]
Ignored = Annotated[
    list[str] | None,
    typer.Option("--ignore", metavar="AGENT", help="Agent to ignore. Repeatable."),
]


def players(
    scenario: ScenarioFile,
    to: Goal = None,
    start: Start = None,
    target: Who = None,
    count: Count = 100,
    care: Care = None,
    knows: Knows = None,
    delay: Delay = None,
    sign: Sign = None,
    signs: Signs = None,
    late: Late = None,
    react: React = None,
    patience: Patience = None,
    ignore: Ignored = None,
    least: Annotated[
        float | None,
        typer.Option(
            "--least", metavar="SHARE", help="Exit with 1 if a smaller share gets through."
        ),
    ] = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="Write every player to a .csv or .parquet file."
        ),
    ] = None,
    figure: Figure = None,
    floor: Floor = None,
    overrides: Overrides = None,
    activities: Activities = None,
    jobs: Jobs = None,
    cluster: Cluster = None,
    as_json: Json = False,
) -> None:
    """Simulate players and count how many get through a level.

    From reckless to careful, each with its own seed; who notices them, where, and how long they
    wait and hide.
    """
    from snelk.tuning.batches import cores
    from snelk.tuning.players import players as play

    if least is not None and not 0.0 <= least <= 1.0:
        raise InputError.of("--least", "", f"{least:g}", "must be from 0 to 1")
    if out is not None:
        claim(out, ".csv", ".parquet")
    run_files(activities)
    loaded = load_scenario(scenario, overrides)
    claim_drawing(loaded, figure, floor)
    with progress_bar("playing") as progress:
        found = play(
            loaded, to=to, start=None if start is None else place_of(start), target=target,
            count=count, care=_range("--care", care), knows=_range("--knows", knows),
            delay=_range("--delay", delay), sign=sign,
            signs=signs, late=late, react=react, patience=patience, ignore=ignore,
            jobs=jobs or cores(), cluster=cluster, progress=progress,
        )  # fmt: skip
    if out is not None:
        write_table(out, found.table)
    if figure is not None:
        from snelk.plots.players import plot_players

        plot_players(found, floor=floor).save(figure)
    if as_json:
        say_json(
            {
                "target": found.target,
                "to": found.goal,
                "from": found.start.tolist(),
                "play": found.play.model_dump(mode="json"),
                "through": found.through,
                "shares": found.shares.to_dict(orient="records"),
                "noticers": found.noticers.to_dict(orient="records"),
                "players": found.table.to_dict(orient="records"),
            }
        )
    else:
        screen = Screen()
        _say_players(screen, found, least)
        for place in (out, figure):
            if place is not None:
                screen.print(f"Written to {place}")
        _say_next(screen, found, scenario, figure, activities)
    if least is not None and found.through < least:
        raise typer.Exit(1)


def _range(name: str, text: str | None) -> Range | None:
    """A number, or two with a colon between, as written."""
    if text is None:
        return None
    try:
        low, *high = (float(part) for part in text.split(":"))
    except ValueError:
        low, high = float("nan"), [0.0, 0.0]
    if len(high) > 1:
        raise InputError.of(name, "", f'"{text}"', "must be a number, or two as 0.2:0.8")
    return (low, high[0]) if high else low


def _say_players(screen: Screen, found: Players, least: float | None) -> None:
    play = found.play
    x, y = found.start[:2].tolist()
    seeds = f"{found.seeds[0]} to {found.seeds[-1]}" if len(found.seeds) > 1 else found.seeds[0]
    text = f"{found.target} played {len(found.seeds)} times from ({x:g}, {y:g}) to {found.goal}, "
    text += f"seeds {seeds}. A meter of {play.sign:g} warns, {play.late:g} is too late"
    text += f". Warned by the states {', '.join(play.signs)} as well" if play.signs else ""
    text += f". Ignored: {', '.join(play.ignores)}" if play.ignores else ""
    screen.print(wrap(text, indent=2))
    if found.doors:
        text = f"{found.target} cannot open {' or '.join(found.doors)}: "
        text += "it waits until somebody else opens it"
        screen.print(wrap(text, indent=2))
    rows = [
        [
            row["care"], str(row["players"]), f"{row['unnoticed']:.0%}", f"{row['warned']:.0%}",
            f"{row['too late']:.0%}", f"{row['not there']:.0%}", _in_seconds(row["seconds"]),
            f"{row['hidden_for']:.0f} s", f"{row['waited_for']:.0f} s",
        ]
        for row in found.shares.to_dict(orient="records")
    ]  # fmt: skip
    head = ["care", " count", " unnoticed", " warned", " too late", " not there", " takes",
            " hides", " waits"]  # fmt: skip
    screen.print("\n" + "\n".join(table(head, rows)))
    text = (
        "unnoticed, warned: got through without and with a sign; too late: a meter reached that, "
    )
    text += "or it was caught; not there: still under way when the run ended; takes: median time "
    text += "of those who got through; hides, waits: mean time"
    screen.print(wrap(text, indent=2, first="  "))
    warning = found.table.warning
    if warning.notna().any():
        text = f"The sign came {warning.median():g} s before it was too late, in the median; "
        text += f"{warning.min():g} s at least"
        screen.print(wrap(text, indent=2))
    noticers = found.noticers.to_dict(orient="records")
    if noticers:
        rows = [
            [row["agent"], str(row["warned_first"]), str(row["too_late"]), _at(row["where"])]
            for row in noticers[:6]
        ]
        head = ["who notices", " warns first", " too late", " mostly at"]
        screen.print("\n" + "\n".join(table(head, rows)))
    if least is not None:
        verdict = "FEWER than" if found.through < least else "at least"
        screen.print(wrap(f"{found.through:.1%} get through: {verdict} {least:.1%}", indent=2))


def _in_seconds(value: float) -> str:
    return "–" if value != value else f"{value:.1f} s"


def _at(place: tuple[float, float] | None) -> str:
    return "–" if place is None else f"({place[0]:.1f}, {place[1]:.1f})"


def _say_next(
    screen: Screen,
    found: Players,
    scenario: Path,
    figure: Path | None,
    activities: list[Path] | None,
) -> None:
    """How to look at one player, and how to try a number."""
    late = found.table[found.table.outcome == "too late"]
    chosen = (late if len(late) else found.table).iloc[0]
    from snelk.config.values import as_toml

    changes = [f"--set={key}={as_toml(value)}" for key, value in found.scenario.overrides.items()]
    changes += [f"--set=seed={chosen.seed}", *repeated("--activities", activities)]
    run = command("snelk", "run", scenario, *changes, "--out=player")
    text = (
        f"The player with seed {chosen.seed} ({chosen.outcome}) as a run, for pages and questions:"
    )
    screen.print("\n" + wrap(text, indent=2))
    screen.print("  " + run)
    text = f"With [cast.{found.target}.play] in the scenario, sweep, fit and verify count players: "
    text += f"--seeds 50 and {found.target}.got_through"
    screen.print(wrap(text, indent=2))
    if figure is None:
        screen.print(wrap("--figure FILE draws it", indent=2))
