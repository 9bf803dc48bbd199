"""Snelk: what NPCs sense, replayed, explained and tuned.

>>> import snelk
>>> run = snelk.run(snelk.croft() / "night.toml")
>>> print(run.why("goose-2", "fox", at=40.0).headline)
goose-2 does not see fox at 40.00 s: behind hay-3
"""

from __future__ import annotations

from typing import Any

import lazy_loader

# Each name of __init__.pyi is loaded when it is first asked for, so that import is quick.
_loaded, __dir__, __all__ = lazy_loader.attach_stub(__name__, __file__)


def __getattr__(name: str) -> Any:
    if name == "__version__":
        from importlib.metadata import version

        return version("snelk")
    return _loaded(name)
