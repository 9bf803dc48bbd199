"""A helper process that ends with the process that started it."""

from __future__ import annotations

import asyncio
import os
import signal
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from multiprocessing import get_context
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from snelk.errors import SnelkError
from snelk.tuning.batches import end_with

WAITS = 0.5
"""So long it does nothing after it was told to give way, s."""

GIVE_WAY = getattr(signal, "SIGUSR1", None)
"""What tells it to; nothing does where a system has no such signal."""


class Helper:
    """A process that is asked one thing after the other; it begins when it is first needed."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._waiting = ThreadPoolExecutor(1)
        self._pipe: Connection | None = None
        self._process: BaseProcess | None = None
        self._listens = False  # whether it knows what to do when it is to give way
        self._works = False
        self._stopped = False

    async def ask(self, work: Callable[..., Any], *given: Any) -> Any:
        """The result of a module's function, computed in the helper process.

        Raises:
            SnelkError: The process is gone; the next question begins another.
        """
        loop = asyncio.get_running_loop()  # what is not asked any more is not begun
        return await loop.run_in_executor(self._waiting, self._ask, work, given)

    def prepare(self, work: Callable[..., Any], *given: Any) -> None:
        """Begin the process, so that the first question need not wait; `work` is done there, too.

        What fails is told by the questions that follow.
        """
        if self._pipe is None and not self._stopped:
            self._waiting.submit(self._ask, _quietly, (work, given))

    def _ask(self, work: Callable[..., Any], given: tuple[Any, ...]) -> Any:
        try:
            pipe = self._begun()
            if not self._listens:
                pipe.recv()  # it says that it is there
                self._listens = True
            self._works = True
            pipe.send((work, given))
            return pipe.recv()
        except (EOFError, OSError) as error:
            self._pipe, self._listens = None, False
            raise SnelkError(f"the helper process has stopped: {error}") from None
        finally:
            self._works = False

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

    def give_way(self) -> None:
        """Pause what it works on for a moment, so that the quick part is not slowed down."""
        process = self._process
        if GIVE_WAY is None or not (self._listens and self._works):
            return
        if process is None or process.pid is None:
            return
        if process.is_alive():
            with suppress(ProcessLookupError):
                os.kill(process.pid, GIVE_WAY)

    def stop(self) -> None:
        """Stop it at once."""
        with self._guard:  # not while it begins
            self._stopped = True
            if self._process is not None and self._process.is_alive():
                self._process.terminate()
                self._process.join(5)


class _Pause:
    """Pauses while told to."""

    def __init__(self) -> None:
        self._until, self._waits = 0.0, False

    def __call__(self, *_: Any) -> None:
        self._until = time.monotonic() + WAITS
        if self._waits:  # told again while it does
            return
        self._waits = True
        while (left := self._until - time.monotonic()) > 0.0:
            time.sleep(left)
        self._waits = False


def _quietly(work: Callable[..., Any], given: tuple[Any, ...]) -> None:
    """Do something whose result nobody waits for."""
    with suppress(SnelkError):
        work(*given)


def _help(pipe: Connection) -> None:
    """Compute what is asked, until nobody asks any longer."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for the process that serves
    end_with(os.getppid())
    if GIVE_WAY is not None:
        signal.signal(GIVE_WAY, _Pause())
    if hasattr(os, "nice"):
        os.nice(10)  # what shows a change at once goes before
    with suppress(EOFError, OSError):
        pipe.send("there")
        while True:
            work, given = pipe.recv()
            pipe.send(work(*given))
