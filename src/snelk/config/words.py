"""Words that files, tables and messages share; quick to import."""

from __future__ import annotations

from typing import Literal, get_args

POSTURES = ("standing", "crouched", "prone")
GAITS = ("still", "creeping", "walking", "running")
PRESENT = ("0", "1", "false", "true")
"""What a track says of whether somebody is there, in turn no and yes."""

TRUTHS = (*PRESENT, "no", "yes")
"""What a game's log says of whether something was sensed, in turn no and yes."""

SenseName = Literal["sight", "hearing", "touch", "zone", "smell"]
SENSES: tuple[SenseName, ...] = get_args(SenseName)
SENSE_KEYS = {
    "sight": "cones", "hearing": "hearing", "touch": "touch", "zone": "zone_sense",
    "smell": "smell",
}  # fmt: skip
"""Where each sense stands in a profile."""

SINGLE_SENSES = tuple(key for key in SENSE_KEYS.values() if key != "cones")
"""The keys of those of which a profile has one at most."""

THROUGH = ("see_through", "hear_through", "smell_through")
"""What walls let pass of sight, of noises and of scent."""

STEP = "step"
"""The kind of the noise of a footstep."""
