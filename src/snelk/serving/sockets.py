"""Messages over WebSocket, for whoever is on this machine and knows the token."""

from __future__ import annotations

import asyncio
import signal
from collections.abc import Callable
from contextlib import suppress

from websockets.asyncio.server import ServerConnection, serve
from websockets.exceptions import ConnectionClosed

from snelk.errors import InputError
from snelk.serving.talking import LONGEST_MESSAGE, Talk, Told, written

HOST = "127.0.0.1"
"""Of this machine only: nobody else on the net comes near it."""

MOST_CLIENTS = 8
"""That talk to one game at once."""

MOST_A_SECOND = 2000
"""Messages of one client; who says more waits until the second is over."""


def talk_over_sockets(talk: Talk, port: int, began: Callable[[int], None]) -> None:
    """Answer messages until the process is asked to stop, with Ctrl-C or by a signal.

    Args:
        talk: The game.
        port: Of this machine; any free one if 0.
        began: Told the port, once somebody can connect.

    Raises:
        InputError: The port is taken or not allowed.
    """
    asyncio.run(_serve(talk, port, began))


async def _serve(talk: Talk, port: int, began: Callable[[int], None]) -> None:
    stop = asyncio.Event()
    loop = asyncio.get_running_loop()
    for number in (signal.SIGINT, signal.SIGTERM):
        with suppress(NotImplementedError):  # where the system has no such signals
            loop.add_signal_handler(number, stop.set)
    clients: set[ServerConnection] = set()

    async def one(client: ServerConnection) -> None:
        if len(clients) >= MOST_CLIENTS:
            await client.close(1013, f"{MOST_CLIENTS} clients are there already")
            return
        clients.add(client)
        try:
            await _answer(talk, client)
        finally:
            clients.discard(client)

    try:
        # A page of another site must not talk to it; what is no browser says no origin.
        server = await serve(
            one, HOST, port, origins=[None], max_size=4 * LONGEST_MESSAGE, compression=None
        )
    except (OSError, OverflowError) as error:
        rule = f"cannot be opened: {getattr(error, 'strerror', None) or error}"
        fix = "choose another --port, or 0 for any that is free"
        raise InputError.of("serve", "port", str(port), rule, fix) from None
    async with server:
        began(next(iter(server.sockets)).getsockname()[1])
        await stop.wait()


async def _answer(talk: Talk, client: ServerConnection) -> None:
    """Answer all messages of one client, in the order in which they come."""
    told: Told | None = None
    loop = asyncio.get_running_loop()
    second, count = loop.time(), 0
    with suppress(ConnectionClosed):
        async for text in client:
            now = loop.time()
            if now - second >= 1.0:
                second, count = now, 0
            count += 1
            if count > MOST_A_SECOND:
                await asyncio.sleep(second + 1.0 - now)
            reply, told = talk.answer(text, told)
            await client.send(written(reply))
