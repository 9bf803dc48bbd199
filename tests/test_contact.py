"""Touch and the zone sense."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import samples
import shapely
from test_hearing import feature, level_of

import snelk
from snelk.engine.simulation import Simulation
from snelk.runs.dense import contacts_of
from snelk.senses.contact import SENSED
from snelk.senses.gates import CONTACTS

FEELS = samples.SAMPLE_PROFILES + "\n[profiles.watcher.touch]\nradius = 1.0\n"
YARD = feature("zone", "yard", shapely.box(4, -1, 6, 1), light=1.0)
POND = feature("zone", "pond", shapely.box(5, -1, 8, 1), light=1.0)


def test_touch_fills_the_meter_at_once_and_is_told_when_it_begins_and_ends(tmp_path: Path) -> None:
    track = samples.track_of((0, -5.1, 0), (5, -0.1, 0), (10, -5.1, 0))
    run = snelk.run(
        samples.write_sample(tmp_path, track=track, profiles=FEELS),
        overrides={"profiles.watcher.meter": {"fill_time": 9.0, "thresholds": {"sure": 1.0}}},
    )
    events = [(e.t, e.kind) for e in run.events.itertuples()]
    # It is full while felt, holds a second from the last tick of that, and then falls.
    assert events == [(4.5, "felt"), (4.5, "rose"), (6.0, "parted"), (7.0, "fell")]
    assert set(run.meters.sense[run.meters.t.between(4.5, 5.5)]) == {"touch"}
    assert [
        (s.start, s.end, s.text) for s in run.story("guard", "guest") if s.sense == "touch"
    ] == [(4.5, 6.0, "felt")]


def test_who_enters_a_watched_zone_is_sensed_from_anywhere(tmp_path: Path) -> None:
    track = samples.track_of((0, 0, 0), (10, 10, 0))
    path = samples.write_sample(tmp_path, track=track, level=level_of(YARD, POND))
    changes = {
        "profiles.watcher.cones": {},
        "profiles.watcher.zone_sense": {"zones": ["pond", "yard"]},
        "profiles.watcher.meter": {"fill_time": 4.0, "zone_rate": 0.5, "drain_after": 0.0},
    }
    run = snelk.run(path, overrides=changes)
    sensed = run.contacts[run.contacts.sensed]
    assert (sensed.t.min(), sensed.t.max()) == (4.0, 8.0)  # a border belongs to the zone
    assert [(e.t, e.kind, e.zone) for e in run.events.itertuples()] == [
        (4.0, "entered", "yard"),
        (8.5, "left", "pond"),
    ]
    value = dict(zip(run.meters.t, run.meters.value, strict=True))
    assert value[8.0] == pytest.approx(9 * 0.5 * 0.5 / 4)
    other = snelk.run(
        path, overrides={**changes, "profiles.watcher.zone_sense.notices": ["others"]}
    )
    assert len(other.contacts) == 0
    # Who is not noticed is where it is all the same, in the first of two zones that overlap.
    zones = [list(contacts_of(each, "guard", "guest", "zone")["zone"]) for each in (run, other)]
    assert zones[0] == zones[1]
    assert {"yard", "pond"} <= {*zones[1]}
    answer = run.why("guard", "guest", at=9.0).sense("zone")
    assert answer is not None
    assert answer.headline == "guard does not sense guest at 9.00 s: guest is not in pond or yard"


def test_each_sense_says_what_is_felt_and_how_fast_it_fills() -> None:
    far = {"profiles.goose.touch.radius": 9.0, "profiles.dog.meter.smell_rate": 0.6}
    far["profiles.dog.zone_sense"] = {"zones": ["coop doorstep"]}
    far["profiles.dog.meter.zone_rate"] = 0.3
    simulation = Simulation(snelk.croft() / "night.toml", variants=[{}, far])
    meters = [[setup.profile_of(a).meter for a in setup.agents] for setup in simulation.setups]
    zone_rate, smell_rate = (
        np.array([[getattr(m, key) if m else 1.0 for m in row] for row in meters])[..., None]
        for key in ("zone_rate", "smell_rate")
    )
    before, turned = simulation.contacts.felt.copy(), np.zeros(2, np.int64)
    while not simulation.done:
        simulation.step()
        contacts = simulation.contacts
        touch, zone, smell = (getattr(contacts, s.name) == SENSED for s in CONTACTS)
        np.testing.assert_array_equal(contacts.felt, touch | zone)
        expected = (
            np.where(touch, np.inf, np.nan),
            np.where(zone, zone_rate, np.nan),
            np.where(smell, smell_rate * contacts.strength, np.nan),
        )
        np.testing.assert_array_equal(contacts.fills, np.stack(expected, axis=-1))
        turned += (contacts.felt & ~before).sum(), (before & ~contacts.felt).sum()
        before = contacts.felt.copy()
    assert turned.min() > 3
