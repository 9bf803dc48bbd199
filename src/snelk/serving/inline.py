"""The workbench within a notebook."""

from __future__ import annotations

import contextlib
import os
import secrets
import weakref
from collections.abc import Mapping
from multiprocessing import get_context
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from snelk.config.scenario import Scenario, load
from snelk.errors import SnelkError
from snelk.serving.local import HOST
from snelk.serving.workbench import tune_on_a_page
from snelk.showing import TALL, frame
from snelk.tuning.batches import end_with
from snelk.tuning.workbench import Workbench


class Tuning:
    """A workbench that another process serves, until it is stopped or nobody holds it any more.

    Attributes:
        address: Where it is: for this machine only, and for who knows the address.
        height: How tall it is in a notebook, px.
    """

    def __init__(self, address: str, height: int, process: Any) -> None:
        self.address, self.height = address, height
        self._end = weakref.finalize(self, _stop, process)

    def _repr_html_(self) -> str:
        return frame(f'src="{self.address}"', self.height)

    def stop(self) -> None:
        """End it; what was tried and not written is gone."""
        self._end()


def tune(
    scenario: str | Path | Scenario, *, overrides: Mapping[str, Any] | None = None, port: int = 0,
    height: int = TALL,
) -> Tuning:  # fmt: skip
    """Turn numbers on a page that a notebook shows where it stands, and see the night change.

    Args:
        scenario: Its TOML file, or what `load` returned: numbers are written into its files only
            when one says so.
        overrides: Numbers that are otherwise from the beginning, by key path.
        port: Of this machine; any free one if 0.
        height: How tall the page is, px.

    Raises:
        InputError: The scenario is wrong.
        SnelkError: The port is taken.

    >>> import snelk
    >>> bench = snelk.tune(snelk.croft() / "night.toml")
    >>> bench.address[:17], bench._repr_html_()[:29]
    ('http://127.0.0.1:', '<iframe src="http://127.0.0.1')
    >>> bench.stop()
    """
    given = dict(overrides or {})
    if isinstance(scenario, Scenario):
        given = {**scenario.overrides, **given}
        scenario = scenario.source
    load(scenario, overrides=given)  # what is wrong is told here
    context = get_context("spawn")
    ours, theirs = context.Pipe(duplex=False)
    secret = secrets.token_urlsafe(16)
    path = str(Path(scenario).resolve())
    process = context.Process(
        target=_serve, args=(theirs, os.getpid(), path, given, port, secret), daemon=False
    )
    process.start()
    theirs.close()
    try:
        found = ours.recv()
    except EOFError:
        found = "it ended before it began"
    if not isinstance(found, int):
        raise SnelkError(f"the workbench cannot be opened: {found}")
    return Tuning(f"http://{HOST}:{found}/?token={secret}", height, process)


def _stop(process: Any) -> None:
    """End a process, as Ctrl-C would."""
    with contextlib.suppress(OSError, ValueError):
        process.terminate()
        process.join(10)


def _serve(
    pipe: Connection, parent: int, path: str, overrides: dict[str, Any], port: int, secret: str
) -> None:
    end_with(parent)
    try:
        tune_on_a_page(Workbench(path, overrides), port, secret, pipe.send)
    except SnelkError as error:
        pipe.send(str(error))
