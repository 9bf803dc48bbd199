"""The entry point of `snelk`: what has to be so before anything large is imported."""

from __future__ import annotations

import atexit
import gc
import os

from snelk.waiting import seldom_look_for_garbage


def main() -> None:
    """Run the command line in a process of its own."""
    seldom_look_for_garbage()
    atexit.register(gc.freeze)  # so that objects are not taken apart one by one at the end
    # Both make a start longer: threads for large matrices, of which there are none here, and
    # looking for plugins of others that watch what is read.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    from snelk.cli.main import run  # it takes a fifth of the start

    run()
