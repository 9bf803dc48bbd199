"""Names by which the files of a scenario refer to each other: each must exist."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from snelk.config.draft import Draft
from snelk.config.geojson import LevelData
from snelk.config.ladders import ladder_problems
from snelk.config.models import Noise, Setup, Throw
from snelk.config.problems import shown
from snelk.config.recordings import NoiseData, ThrowData
from snelk.errors import Problem, nearest


def name_problems(
    setup: Setup, draft: Draft, level: LevelData, noises: NoiseData, throws: ThrowData
) -> Iterator[Problem]:
    """Zones, spots, grounds, kinds of noise and characters that are named but are not there."""
    zones = [zone.name for zone, _ in level.zones]
    for name, profile in setup.profiles.items():
        for n, wanted in enumerate(profile.zone_sense.zones if profile.zone_sense else ()):
            if wanted not in zones:
                source, place = draft.locate(("profiles", name, "zone_sense", "zones", n))
                yield Problem(source, place, shown(wanted), "no such zone", nearest(wanted, zones))
    for zone, _ in level.zones:
        if zone.ground is not None and zone.ground not in setup.grounds:
            fix = f"{nearest(zone.ground, setup.grounds)}; or add grounds.{zone.ground} = 1.0"
            place = f'zone "{zone.name}": ground'
            yield Problem(level.source, place, shown(zone.ground), "no such ground", fix)
    yield from _noise_problems(setup, draft, level, setup.noise, "noise")
    yield from _noise_problems(setup, draft, level, setup.throw, "throw")
    yield from ladder_problems(setup, draft, level)
    for found, files in ((noises, setup.noises), (throws, setup.throws)):
        unknown = {
            kind
            for kind, reach in zip(found.kind, found.reach, strict=True)
            if np.isnan(reach) and kind not in setup.noise_kinds
        }
        for kind in sorted(unknown):
            fix = f"{nearest(kind, setup.noise_kinds)}; or give it a reach"
            yield Problem(", ".join(files), "kind", shown(kind), "no such kind of noise", fix)
    for by in sorted(set(throws.by) - set(setup.cast)):
        fix = nearest(by, setup.cast)
        yield Problem(", ".join(setup.throws), "by", shown(by), "no such character", fix)


def _noise_problems(
    setup: Setup, draft: Draft, level: LevelData, listed: Sequence[Noise | Throw], key: str
) -> Iterator[Problem]:
    """Errors in the scenario's own noises and throws."""
    spots = [spot.name for spot, _ in level.spots]
    for n, noise in enumerate(listed):
        source, place = draft.locate((key, n))
        if noise.reach is None and noise.kind not in setup.noise_kinds:
            fix = f"{nearest(noise.kind, setup.noise_kinds)}; or give it a reach"
            yield Problem(source, f"{place}.kind", shown(noise.kind), "no such kind of noise", fix)
        if noise.by is not None and noise.by not in setup.cast:
            fix = nearest(noise.by, setup.cast)
            yield Problem(source, f"{place}.by", shown(noise.by), "no such character", fix)
        if noise.spot is not None and noise.spot not in spots:
            fix = nearest(noise.spot, spots)
            yield Problem(source, f"{place}.spot", shown(noise.spot), "no such spot", fix)
        if noise.at is not None and noise.spot is not None:
            yield Problem(
                source,
                place,
                "",
                "has both at and spot, and needs only one",
                "leave out one of the two",
            )
        somewhere = noise.by is not None and key == "noise"
        if noise.at is None and noise.spot is None and not somewhere:
            fix = (
                "add at = [x, y], a spot, or by" if key == "noise" else "add at = [x, y] or a spot"
            )
            yield Problem(source, place, "", "has no position", fix)
