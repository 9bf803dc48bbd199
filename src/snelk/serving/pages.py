"""A page for people on this machine who know its address, and its WebSocket."""

from __future__ import annotations

import asyncio
import hmac
import http
from collections.abc import Awaitable, Callable, Mapping
from contextlib import suppress
from urllib.parse import parse_qs, urlsplit

from websockets.asyncio.server import ServerConnection
from websockets.datastructures import Headers
from websockets.http11 import Request, Response

from snelk.errors import InputError
from snelk.serving.local import HOST, listening

LONGEST = 1_000_000
"""Of a message of a page, bytes."""


async def serve_page(
    port: int,
    token: str,
    page: Callable[[str], str],
    talk: Callable[[ServerConnection], Awaitable[None]],
    began: Callable[[int], None],
    each: Callable[[], float | None],
    more: Mapping[str, Callable[[dict[str, list[str]]], str]] | None = None,
) -> None:
    """Serve a page until the process is asked to stop, with Ctrl-C or by a signal.

    Args:
        port: Of this machine; any free one if 0.
        token: What the address of the page has to hold.
        page: The HTML text, by the address of its WebSocket.
        talk: What is said over that.
        began: Told the port, once the page can be opened.
        each: Done again and again: returns how long to wait until the next time, s; None to stop.
        more: Other pages, by path: each is told what its address asks for.

    Raises:
        InputError: The port is taken or not allowed.
    """
    own = ""

    others = more or {}

    def answer(_: ServerConnection, request: Request) -> Response | None:
        asked, host = urlsplit(request.path), request.headers.get("Host", "")
        given = parse_qs(asked.query).get("token", [""])[0]
        # By another name than its own it would be another site's page that asks.
        if host not in (own, own.replace(HOST, "localhost")):
            return _reply(403, "text/plain", f"ask http://{own}/\n")
        if not hmac.compare_digest(given.encode(), token.encode()):
            return _reply(403, "text/plain", "the address has to end with the token as printed\n")
        if asked.path == "/feed":
            same = request.headers.get("Origin") in (None, f"http://{host}")
            return None if same else _reply(403, "text/plain", "is of another site\n")
        if asked.path in others:
            try:
                text = others[asked.path](parse_qs(asked.query))
            except InputError as error:
                return _reply(400, "text/plain", f"{error}\n")
            return _reply(200, "text/html", text)
        if asked.path != "/":
            return _reply(404, "text/plain", "no such page\n")
        return _reply(200, "text/html", page(f"ws://{host}/feed?token={token}"))

    how = {"process_request": answer, "max_size": LONGEST}
    # A browser opens more than it uses.
    async with listening(port, talk, close_timeout=0.5, open_timeout=2, **how) as (at, stop):
        own = f"{HOST}:{at}"
        began(at)
        while not stop.is_set() and (wait := each()) is not None:
            with suppress(TimeoutError):
                await asyncio.wait_for(stop.wait(), max(wait, 0.001))


def _reply(status: int, kind: str, text: str) -> Response:
    content = text.encode()
    headers = Headers([
        ("Content-Type", f"{kind}; charset=utf-8"), ("Content-Length", str(len(content))),
        ("Cache-Control", "no-store"), ("Referrer-Policy", "no-referrer"),
        ("X-Content-Type-Options", "nosniff"), ("Connection", "close"),
    ])  # fmt: skip
    return Response(status, http.HTTPStatus(status).phrase, headers, content)
