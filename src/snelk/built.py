"""Whether the compiled loops were built from the current sources.

`setup.py` records the sources it built them from. In a checkout, whose sources change, that is
compared, so that no test passes on old machine code.
"""

from __future__ import annotations

import hashlib
from pathlib import Path

PACKAGE = Path(__file__).parent
WRITTEN = PACKAGE / "_built.txt"


def sources() -> list[Path]:
    """All sources of compiled loops: each `.pxd`, and the module that it belongs to."""
    types = sorted(PACKAGE.rglob("*.pxd"))
    return [path for each in types for path in (each, each.with_suffix(".py"))]


def digest() -> str:
    """A digest of all sources, because loops inline code from each other."""
    found = hashlib.blake2b(digest_size=16)
    for path in sources():
        found.update(path.relative_to(PACKAGE).as_posix().encode() + path.read_bytes())
    return found.hexdigest()


def is_stale() -> bool:
    """Whether this is a checkout, and its loops were built of other sources."""
    if not (PACKAGE.parents[1] / "setup.py").is_file():
        return False
    return not WRITTEN.is_file() or WRITTEN.read_text(encoding="ascii") != digest()
