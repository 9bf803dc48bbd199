"""The words that files, tables and messages share; they take no time to import."""

from __future__ import annotations

POSTURES = ("standing", "crouched", "prone")
GAITS = ("still", "creeping", "walking", "running")
SENSES = ("sight", "hearing", "touch", "zone")

STEP = "step"
"""The kind of the noise of a footstep."""
