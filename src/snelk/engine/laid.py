"""What compiled loops are called with again and again, as they read it."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from snelk.level.columns import GridColumns, ZoneColumns, laid_out
from snelk.mind.columns import MeterColumns, MeterNumberColumns
from snelk.senses.columns import (
    AroundColumns,
    BodyColumns,
    ContactColumns,
    ContactNumberColumns,
    LightColumns,
    PoseColumns,
    SightColumns,
    SightNumberColumns,
    SurroundingColumns,
)

if TYPE_CHECKING:
    from snelk.engine.simulation import Simulation
    from snelk.level.grid import Grid
    from snelk.level.zones import Zones
    from snelk.mind.meter import MeterNumbers, Meters
    from snelk.senses.bodies import Bodies, Poses
    from snelk.senses.contact import ContactNumbers, Contacts
    from snelk.senses.light import LightNumbers
    from snelk.senses.sight import Sight, SightNumbers
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
    contact_numbers: ContactNumbers
    meter_numbers: MeterNumbers
    around: Around
    surroundings: Surroundings
    sight: Sight
    contacts: Contacts
    meters: Meters

    @classmethod
    def of(cls, simulation: Simulation) -> Laid:
        """Before the first tick."""
        here = laid_out(PoseColumns, simulation.poses)
        return cls(
            poses=here,
            before=here,
            zones=laid_out(ZoneColumns, simulation.level.zones),
            grid=laid_out(GridColumns, simulation.level.grid),
            solid_grid=laid_out(GridColumns, simulation.level.solid_grid),
            bodies=laid_out(BodyColumns, simulation.bodies),
            lights=laid_out(LightColumns, simulation.lights),
            numbers=laid_out(SightNumberColumns, simulation.numbers),
            contact_numbers=laid_out(ContactNumberColumns, simulation.contact_numbers),
            meter_numbers=laid_out(MeterNumberColumns, simulation.meter_numbers),
            around=laid_out(AroundColumns, simulation.around),
            surroundings=laid_out(SurroundingColumns, simulation.surroundings),
            sight=laid_out(SightColumns, simulation.sight),
            contacts=laid_out(ContactColumns, simulation.contacts),
            meters=laid_out(MeterColumns, simulation.meters),
        )
