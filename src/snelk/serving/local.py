"""A WebSocket for programs and pages of this machine, until Ctrl-C."""

from __future__ import annotations

import asyncio
import signal
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager, suppress
from typing import Any

from websockets.asyncio.server import ServerConnection, serve
from websockets.exceptions import ConnectionClosed

from snelk.errors import InputError

HOST = "127.0.0.1"
"""Of this machine only: nobody else on the net comes near it."""

MOST_CLIENTS = 8
"""That talk at once."""


@asynccontextmanager
async def listening(
    port: int, talk: Callable[[ServerConnection], Awaitable[None]], **how: Any
) -> AsyncIterator[tuple[int, asyncio.Event]]:
    """Let clients connect, and talk with each of them.

    Args:
        port: Of this machine; any free one if 0.
        talk: What is said to one; it may end as soon as the client goes away.
        how: As `websockets.serve` takes it.

    Yields:
        The port, and what is set when the process is asked to stop, with Ctrl-C or by a signal.

    Raises:
        InputError: The port is taken or not allowed.
    """
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM):
        with suppress(NotImplementedError):  # where the system has no such signals
            loop.add_signal_handler(number, stop.set)
    clients: set[ServerConnection] = set()

    async def one(client: ServerConnection) -> None:
        if len(clients) >= MOST_CLIENTS:
            await client.close(1013, f"{MOST_CLIENTS} clients are already connected")
            return
        clients.add(client)
        try:
            with suppress(ConnectionClosed):
                await talk(client)
        finally:
            clients.discard(client)

    try:
        server = await serve(one, HOST, port, compression=None, **how)
    except (OSError, OverflowError) as error:
        rule = f"cannot be opened: {getattr(error, 'strerror', None) or error}"
        fix = "choose another --port, or 0 for any that is free"
        raise InputError.of("port", "", str(port), rule, fix) from None
    async with server:
        yield next(iter(server.sockets)).getsockname()[1], stop
