"""The command line: `snelk COMMAND`. Commands are thin; a known error is one line and exit 2."""

from __future__ import annotations

import sys

import typer

from snelk.cli import (
    aims,
    comparing,
    covering,
    figures,
    importing,
    pages,
    questions,
    scenarios,
    sweeping,
)
from snelk.cli.output import fit_encoding
from snelk.errors import SnelkError

app = typer.Typer(
    name="snelk",
    help="Set up what NPCs can sense, replay it exactly, ask why, and tune it.",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)
plot = typer.Typer(help="Draw a run.", no_args_is_help=True, rich_markup_mode=None)

app.command()(scenarios.demo)
app.command()(scenarios.new)
app.command()(scenarios.check)
app.command()(scenarios.run)
app.command()(questions.events)
app.command()(questions.why)
app.command()(comparing.compare)
app.command()(sweeping.sweep)
app.command()(aims.verify)
app.command()(aims.fit)
app.command()(covering.coverage)
app.command()(pages.page)
app.command()(pages.animate)
app.add_typer(plot, name="plot")
plot.command("compare")(figures.plot_compare)
plot.command("coverage")(figures.plot_coverage)
plot.command("map")(figures.plot_map)
plot.command("meter")(figures.plot_meter)
plot.command("search")(figures.plot_search)
plot.command("states")(figures.plot_states)
plot.command("sweep")(figures.plot_sweep)
plot.command("timeline")(figures.plot_timeline)
app.command("import")(importing.import_recording)
app.command()(importing.import_level)
app.command()(scenarios.searches)
app.command()(scenarios.schema)


def _version(wanted: bool) -> None:
    if wanted:
        from importlib.metadata import version

        typer.echo(f"snelk {version('snelk')}")
        raise typer.Exit


@app.callback()
def _options(
    version: bool = typer.Option(
        False, "--version", callback=_version, is_eager=True, help="Print the version and stop."
    ),
) -> None:
    pass


def main() -> None:
    """Entry point of `snelk`."""
    fit_encoding(sys.stdout, sys.stderr)
    try:
        app()
    except SnelkError as error:
        for line in str(error).split("\n"):
            typer.echo(f"error: {line}", err=True)
        sys.exit(2)


if __name__ == "__main__":
    main()
