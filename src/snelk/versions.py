"""The versions of what is installed."""

from __future__ import annotations

from functools import cache
from importlib import metadata


@cache  # to look for it takes as long as many a short run's ticks
def version(package: str) -> str:
    """The installed version of a package, by its name.

    >>> version("numpy").split(".")[0].isdigit()
    True
    """
    return metadata.version(package)
