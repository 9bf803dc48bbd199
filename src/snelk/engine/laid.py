"""What compiled loops are called with again and again, as they read it."""

from __future__ import annotations

from typing import NamedTuple

from snelk.level.grid import Grid
from snelk.level.zones import Zones
from snelk.mind.meter import MeterNumbers, Meters
from snelk.senses.bodies import Bodies, Poses
from snelk.senses.contact import ContactNumbers, Contacts
from snelk.senses.light import LightNumbers
from snelk.senses.sight import Sight, SightLimits, SightNumbers
from snelk.senses.surroundings import Around, Surroundings


class Laid(NamedTuple):
    """That of a simulation; poses change at each tick, all else stays where it is."""

    poses: Poses
    before: Poses
    zones: Zones
    grid: Grid
    solid_grid: Grid
    bodies: Bodies
    lights: LightNumbers
    numbers: SightNumbers
    limits: SightLimits
    contact_numbers: ContactNumbers
    meter_numbers: MeterNumbers
    around: Around
    surroundings: Surroundings
    sight: Sight
    contacts: Contacts
    meters: Meters
