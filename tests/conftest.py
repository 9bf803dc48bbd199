"""Settings that all tests share."""

from __future__ import annotations

import os

from hypothesis import settings

# The same cases every time, so that a test does not fail for one and pass for another; new ones
# are tried with SNELK_NEW_CASES=1.
settings.register_profile("same", derandomize=True, deadline=None)
settings.register_profile("new", derandomize=False, deadline=None)
settings.load_profile("new" if os.environ.get("SNELK_NEW_CASES") else "same")
