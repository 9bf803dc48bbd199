"""The command line: `snelk COMMAND`. Commands are thin; a known error is one line and exit 2."""

from __future__ import annotations

import shlex
import sys
from collections.abc import Mapping, Sequence
from importlib import import_module
from itertools import pairwise
from pathlib import Path
from typing import Any

import typer

from snelk.cli.output import mend_encoding
from snelk.errors import InputError, SnelkError, UnknownNameError, nearest
from snelk.waiting import say_with

COMMANDS = {
    "demo": "scenarios.demo",
    "new": "scenarios.new",
    "check": "scenarios.check",
    "run": "scenarios.run",
    "events": "questions.events",
    "why": "questions.why",
    "compare": "comparing.compare",
    "sweep": "sweeping.sweep",
    "verify": "goals.verify",
    "fit": "goals.fit",
    "coverage": "covering.coverage",
    "sneak": "sneaking.sneak",
    "fair": "fairness.fair",
    "players": "playing.players",
    "page": "pages.page",
    "animate": "pages.animate",
    "import": "importing.import_recording",
    "import-level": "importing.import_level",
    "export": "exporting.export",
    "cases": "exporting.cases",
    "parity": "parity.parity",
    "tune": "tuning.tune",
    "serve": "serving.serve",
    "watch": "watching.watch",
    "searches": "scenarios.searches",
    "schema": "scenarios.schema",
}
"""Where each command is, in the order of the help."""

PLOTS = {
    "compare": "figures.plot_compare",
    "coverage": "figures.plot_coverage",
    "map": "figures.plot_map",
    "meter": "figures.plot_meter",
    "parity": "parity.plot_parity",
    "ray": "figures.plot_ray",
    "search": "figures.plot_search",
    "states": "figures.plot_states",
    "sweep": "figures.plot_sweep",
    "timeline": "figures.plot_timeline",
}
"""The same of `snelk plot`."""


def app_for(words: Sequence[str]) -> typer.Typer:
    """The command line with the requested command; with all commands if none is.

    A command is only read in when it is wanted: all of them take longer than most answers.

    Raises:
        InputError: It is none of them.
    """
    _check_command(words)
    app = typer.Typer(
        name="snelk",
        help="Set up what NPCs can sense, replay it exactly, ask why, and tune it.",
        add_completion=False,
        rich_markup_mode=None,
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    app.callback()(_options)
    wanted = words[0] if words else ""
    if wanted != "plot":
        _add(app, COMMANDS, wanted)
    if wanted not in COMMANDS:
        plot = typer.Typer(help="Draw a run.", rich_markup_mode=None)
        plot.callback()(lambda: None)
        _add(plot, PLOTS, words[1] if wanted == "plot" and len(words) > 1 else "")
        app.add_typer(plot, name="plot")
    return app


def _check_command(words: Sequence[str]) -> None:
    """Make sure that a command is there; else say which is meant, if that can be told."""
    first, second = [*words, "", ""][:2]
    if first == "plot":
        if second and second[0] != "-" and second not in PLOTS:
            fix = nearest(second, PLOTS)
            if _is_run(second):
                fix = f"use snelk plot timeline {shlex.quote(second)}"
            raise UnknownNameError.of("snelk plot", "", f'"{second}"', "no such figure", fix)
    elif first and first[0] != "-" and first not in COMMANDS:
        fix = nearest(first, [*COMMANDS, "plot"])
        if first in PLOTS:
            fix = f"use snelk plot {shlex.join(words)}"
        elif _is_run(first):
            fix = f"use snelk events {shlex.quote(first)}"
        elif first.endswith(".toml"):
            fix = f"use snelk run {shlex.quote(first)}"
        raise UnknownNameError.of("snelk", "", f'"{first}"', "no such command", fix)


def _is_run(word: str) -> bool:
    """Whether it is the folder of a run."""
    from snelk.runs.store import NOTES  # which takes as long as a whole answer

    return Path(word, NOTES).is_file()


def _add(app: typer.Typer, commands: Mapping[str, str], wanted: str) -> None:
    for name, place in commands.items():
        if name == wanted or wanted not in commands:
            module, _, function = place.partition(".")
            app.command(name)(getattr(import_module(f"snelk.cli.{module}"), function))


def _version(wanted: bool) -> None:
    if wanted:
        from importlib.metadata import version

        typer.echo(f"snelk {version('snelk')}")
        raise typer.Exit


def _options(
    version: bool = typer.Option(
        False, "--version", callback=_version, is_eager=True, help="Print the version and stop."
    ),
) -> None:
    pass


def run() -> None:
    """Run the command that the process was started with."""
    mend_encoding(sys.stdout, sys.stderr)
    say_with(lambda text: typer.echo(text, err=True))
    words = sys.argv[1:]
    if words in ([], ["plot"]):
        words.append("--help")
    try:
        code = app_for(words)(words, prog_name="snelk", standalone_mode=False)
    except (SnelkError, typer.TyperException) as error:
        wrong = error if isinstance(error, SnelkError) else _problem(error, words)
        for line in str(wrong).split("\n"):
            typer.echo(f"error: {line}", err=True)
        sys.exit(2)
    sys.exit(code)


NUMBERS = {"number": "must be a number", "integer": "must be a whole number"}
"""What is said of a value that is none, by how the library calls it that reads the words."""


def _problem(error: typer.TyperException, words: Sequence[str]) -> InputError:
    """What is wrong with the words behind a command."""
    context: Any = getattr(error, "ctx", None)
    named = [each for each in words[: 2 if words[0] == "plot" else 1] if each[:1] != "-"]
    command = " ".join(["snelk", *named])
    option = getattr(error, "option_name", "")
    if context is not None and hasattr(error, "possibilities"):
        known = [name for each in context.command.params for name in each.opts]
        fix = nearest(option, [name for name in known if name[:1] == "-"])
        return UnknownNameError.of(command, "", f'"{option}"', "no such option", fix)
    rule = error.format_message().strip().removesuffix(".")
    # The value of an option is not told with what is wrong with it.
    options = [
        name for name in getattr(getattr(error, "param", None), "opts", ()) if name[0] == "-"
    ]
    pairs = (*(each.split("=", 1) for each in words if "=" in each), *pairwise(words))
    name, value = next(((name, value) for name, value in pairs if name in options), ("", ""))
    place = ""
    for kind, plain in NUMBERS.items():
        if f"Input should be a valid {kind}" in rule:
            place, rule = name, plain
    given = f'"{value}"' if name else ""
    help_ = f"see {command} --help"
    return InputError.of(command, place, given, rule[:1].lower() + rule[1:], help_)
