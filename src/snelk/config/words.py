"""The words that files, tables and messages share; they take no time to import."""

from __future__ import annotations

POSTURES = ("standing", "crouched", "prone")
GAITS = ("still", "creeping", "walking", "running")
PRESENT = ("0", "1", "false", "true")
"""What a track says of whether somebody is there, in turn no and yes."""

TRUTHS = (*PRESENT, "no", "yes")
"""What a game's log says of whether something was sensed, in turn no and yes."""

SENSES = ("sight", "hearing", "touch", "zone", "smell")

STEP = "step"
"""The kind of the noise of a footstep."""
