"""The workbench within a notebook."""

from __future__ import annotations

import contextlib
import json
import os
import secrets
import subprocess
import sys
import weakref
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from snelk.config.scenario import Scenario, load
from snelk.errors import SnelkError, one_line
from snelk.serving.local import HOST
from snelk.serving.workbench import tune_on_a_page
from snelk.showing import TALL, frame
from snelk.tuning.batches import end_with
from snelk.tuning.workbench import Workbench


class Tuning:
    """A workbench served by another process, until it is stopped or no longer referenced.

    Attributes:
        address: Its address, usable on this machine only, by anybody who knows it.
        height: How tall it is in a notebook, px.
    """

    def __init__(self, address: str, height: int, process: subprocess.Popen[str]) -> None:
        self.address, self.height = address, height
        self._end = weakref.finalize(self, _stop, process)

    def _repr_html_(self) -> str:
        return frame(f'src="{self.address}"', self.height)

    def stop(self) -> None:
        """Stop it; unsaved changes are lost."""
        self._end()


def tune(
    scenario: str | Path | Scenario, *, overrides: Mapping[str, Any] | None = None, port: int = 0,
    height: int = TALL,
) -> Tuning:  # fmt: skip
    """Change numbers on a page in a notebook, and see the replay change.

    Args:
        scenario: Its TOML file, or what `load` returned: numbers are written into its files only
            when one says so.
        overrides: Numbers overridden from the start, by key path.
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
    secret = secrets.token_urlsafe(16)
    what = {"path": str(Path(scenario).resolve()), "overrides": given, "port": port}
    # A program of its own: it asks for no guard in a script that calls this.
    process = subprocess.Popen(
        [sys.executable, "-m", "snelk.serving.inline"], stdin=subprocess.PIPE,
        stdout=subprocess.PIPE, text=True, encoding="utf-8", start_new_session=True,
    )  # fmt: skip
    assert process.stdin is not None
    assert process.stdout is not None
    with contextlib.suppress(OSError):
        process.stdin.write(json.dumps({**what, "secret": secret, "parent": os.getpid()}))
        process.stdin.close()
    found = process.stdout.readline().strip()
    if not found.isdecimal():
        process.wait(10)
        raise SnelkError(
            f"the workbench cannot be opened: {found or 'it stopped before it started'}"
        )
    return Tuning(f"http://{HOST}:{found}/?token={secret}", height, process)


def _stop(process: subprocess.Popen[str]) -> None:
    """End a process, as Ctrl-C would."""
    with contextlib.suppress(OSError, subprocess.TimeoutExpired):
        process.terminate()
        process.wait(10)
    if process.stdout is not None:
        process.stdout.close()


def main() -> None:
    """Serve the workbench named on standard input; print the port, or the error."""
    what = json.loads(sys.stdin.read())
    end_with(what["parent"])
    try:
        bench = Workbench(what["path"], what["overrides"])
        tune_on_a_page(bench, what["port"], what["secret"], lambda at: print(at, flush=True))
    except SnelkError as error:
        print(one_line(str(error)), flush=True)


if __name__ == "__main__":
    main()
