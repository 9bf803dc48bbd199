"""The workbench in the browser: tune."""

from __future__ import annotations

import os
import sys
import webbrowser
from typing import Annotated

import typer

from snelk.cli.addresses import Port, Token, secret_of
from snelk.cli.output import Screen
from snelk.cli.scenarios import Activities, Overrides, ScenarioFile, load_scenario, run_files
from snelk.waiting import look_for_garbage_as_usual

PORT = 7422
"""Where its page is if nothing else is said."""


def tune(
    scenario: ScenarioFile,
    overrides: Overrides = None,
    activities: Activities = None,
    port: Port = PORT,
    token: Token = None,
    opens: Annotated[
        bool | None,
        typer.Option("--open/--no-open", help="Open the browser; if not said, in a terminal."),
    ] = None,
) -> None:
    """Adjust numbers on a page and see the run change at once.

    The replay page with a slider for each number. A change replays the run and shows it at the
    same moment; whatever differs from the numbers in the files is marked. Nothing is written
    until you say so.
    """
    from snelk.serving.local import HOST
    from snelk.serving.workbench import tune_on_a_page
    from snelk.tuning.workbench import Workbench

    run_files(activities)
    loaded = load_scenario(scenario, overrides)
    workbench = Workbench(scenario, loaded.overrides)
    look_for_garbage_as_usual()
    secret = secret_of(token, "tune")

    def began(at: int) -> None:
        screen = Screen()
        screen.print(f"Tuning {loaded.setup.title or scenario.stem}", style="bold")
        screen.print(f"Open http://{HOST}:{at}/?token={secret}")
        screen.print("Only from this machine. Stop it with Ctrl-C.")
        sys.stdout.flush()
        if (sys.stdout.isatty() and _has_windows()) if opens is None else opens:
            webbrowser.open(f"http://{HOST}:{at}/?token={secret}")

    tune_on_a_page(workbench, port, secret, began)


def _has_windows() -> bool:
    """Whether a browser could show itself: one of letters would take the terminal."""
    shown = os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")
    return bool(shown) or sys.platform in ("win32", "darwin")
