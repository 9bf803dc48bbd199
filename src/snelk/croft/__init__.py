"""The demonstration: a night at the croft."""

from __future__ import annotations

from pathlib import Path


def croft() -> Path:
    """The folder with the files of the demonstration; `night.toml` is its scenario."""
    return Path(__file__).parent
