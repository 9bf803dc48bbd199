"""The demonstration: a night at the croft.

It lies beside its data and not among them: a module `snelk.croft` would take the place of the
function of that name as soon as anybody imports it.
"""

from __future__ import annotations

from pathlib import Path


def croft() -> Path:
    """The folder with the files of the demonstration; `night.toml` is its scenario."""
    return Path(__file__).parent / "croft"
