"""Messages over WebSocket, for programs on this machine that know the token."""

from __future__ import annotations

import asyncio
from collections.abc import Callable

from websockets.asyncio.server import ServerConnection

from snelk.serving.local import listening
from snelk.serving.talking import LONGEST_MESSAGE, Talk, Told, written

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
    async def one(client: ServerConnection) -> None:
        await _answer(talk, client)

    # A page of another site must not talk to it; what is no browser says no origin.
    async with listening(port, one, origins=[None], max_size=4 * LONGEST_MESSAGE) as (at, stop):
        began(at)
        await stop.wait()


async def _answer(talk: Talk, client: ServerConnection) -> None:
    """Answer all messages of one client, in the order in which they come."""
    told: Told | None = None
    loop = asyncio.get_running_loop()
    second, count = loop.time(), 0
    async for text in client:
        now = loop.time()
        if now - second >= 1.0:
            second, count = now, 0
        count += 1
        if count > MOST_A_SECOND:
            await asyncio.sleep(second + 1.0 - now)
        reply, told = talk.answer(text, told)
        await client.send(written(reply))
