"""Address and token options of commands that serve something on this machine."""

from __future__ import annotations

import secrets
from typing import Annotated

import typer

from snelk.errors import InputError

Port = Annotated[
    int, typer.Option("--port", metavar="N", min=0, max=65535, help="Port; 0 for any free one.")
]
Token = Annotated[
    str | None,
    typer.Option("--token", metavar="TEXT", help="Access token; a random one by default."),
]


def secret_of(token: str | None, command: str) -> str:
    """The token as given, or one that nobody can guess.

    Raises:
        InputError: It is empty.
    """
    if token is not None and not token:
        raise InputError.of(command, "--token", "", "must not be empty", "leave it out")
    return token or secrets.token_urlsafe(16)
