"""A process that works something out beside the one that serves, and ends with it."""

from __future__ import annotations

import asyncio
import os
import signal
import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from multiprocessing import get_context
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from snelk.errors import SnelkError


class Helper:
    """A process that is asked one thing after the other; it begins with the first."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._waiting = ThreadPoolExecutor(1)
        self._pipe: Connection | None = None
        self._process: BaseProcess | None = None
        self._stopped = False
        self._goes_on: asyncio.TimerHandle | None = None

    async def ask(self, work: Callable[..., Any], *given: Any) -> Any:
        """What a function of a module comes to, in the process beside this one.

        Raises:
            SnelkError: The process is gone; the next question begins another.
        """
        loop = asyncio.get_running_loop()  # what is not asked any more is not begun
        return await loop.run_in_executor(self._waiting, self._ask, work, given)

    def _ask(self, work: Callable[..., Any], given: tuple[Any, ...]) -> Any:
        try:
            pipe = self._begun()
            pipe.send((work, given))
            return pipe.recv()
        except (EOFError, OSError) as error:
            self._pipe = None
            raise SnelkError(f"the process beside this one is gone: {error}") from None

    def _begun(self) -> Connection:
        with self._guard:
            if self._stopped:
                raise EOFError("it was stopped")
            if self._pipe is None:
                context = get_context("spawn")
                self._pipe, theirs = context.Pipe()
                self._process = context.Process(target=_help, args=(theirs,), daemon=True)
                self._process.start()
                theirs.close()
            return self._pipe

    def pause(self, seconds: float) -> None:
        """Let it do nothing for a while, so that it takes no time from what is shown at once."""
        self._signal("SIGSTOP")
        loop = asyncio.get_running_loop()
        if self._goes_on is not None:
            self._goes_on.cancel()
        self._goes_on = loop.call_later(seconds, self._signal, "SIGCONT")

    def _signal(self, name: str) -> None:
        number, process = getattr(signal, name, None), self._process
        if number is not None and process is not None and process.pid and process.is_alive():
            with suppress(ProcessLookupError):
                os.kill(process.pid, number)

    def stop(self) -> None:
        """End it at once, whatever it does."""
        with self._guard:  # not while it begins
            self._stopped = True
            if self._process is not None and self._process.is_alive():
                self._signal("SIGCONT")  # else it does not hear the next
                self._process.terminate()
                self._process.join(5)


def _help(pipe: Connection) -> None:
    """Work out what is asked, until nobody asks any more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the process that serves
    if hasattr(os, "nice"):
        os.nice(10)  # what shows a change at once goes before
    with suppress(EOFError, OSError):
        while True:
            work, given = pipe.recv()
            pipe.send(work(*given))
