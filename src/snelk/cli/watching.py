"""A page that follows a running game: watch."""

from __future__ import annotations

import sys
import threading
from pathlib import Path
from typing import Annotated

import typer

from snelk.cli.addresses import Port, Token, secret_of
from snelk.cli.output import Screen
from snelk.waiting import look_for_garbage_as_usual

PORT = 7421
"""Where its page is if nothing else is said."""


def watch(
    folder: Annotated[
        Path, typer.Argument(metavar="DIR", help="Where a game is kept: serve --record DIR.")
    ],
    port: Port = PORT,
    token: Token = None,
    with_input: Annotated[
        bool, typer.Option("--with-input", hidden=True, help="Token from there; end with it.")
    ] = False,
) -> None:
    """Watch a running game in the browser.

    The map, timeline, events and why of a game that snelk serve or Live records in a folder. The
    page follows the game; you can pause and go back while it goes on.
    """
    from snelk.serving.local import HOST
    from snelk.serving.watching import Watch, show_to_pages

    secret, shown, closed = secret_of(token, "watch"), Watch(folder), threading.Event()
    if with_input:
        secret = sys.stdin.readline().strip()
        threading.Thread(target=_read_to_end, args=[closed], daemon=True).start()
    look_for_garbage_as_usual()

    def began(at: int) -> None:
        screen = Screen()
        screen.print(f"Watch the game at http://{HOST}:{at}/?token={secret}")
        if shown.waits and not with_input:
            screen.print(f"No game is kept in {folder} yet: the page waits for one.")
        if not with_input:
            screen.print("Only from this machine. Stop it with Ctrl-C.")
        sys.stdout.flush()

    try:
        show_to_pages(shown, port, secret, began, closed.is_set)
    finally:
        shown.close()


def _read_to_end(closed: threading.Event) -> None:
    sys.stdin.read()
    closed.set()
