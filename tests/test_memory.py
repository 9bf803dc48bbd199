"""Memory and telling: what is believed of a target out of sight, and who is told of it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import samples
import shapely
from test_hearing import feature, level_of

import snelk

MEMORY = "profiles.watcher.memory"


def beliefs_of(run: snelk.Run, agent: str = "guard") -> dict[float, object]:
    rows = run.beliefs[(run.beliefs.agent == agent) & (run.beliefs.target == "guest")]
    return {row.t: row for row in rows.itertuples()}


@pytest.mark.parametrize(
    ("properties", "stops"),
    [
        ({"top": 2.0}, True),
        ({"top": 2.0, "see_through": 1.0}, True),
        ({"top": 0.3}, True),  # a low fence, and one that hangs: nobody walks through either
        ({"top": 2.0, "base": 0.5}, True),
        ({"top": 2.0, "walkable": True}, False),
    ],
)
def test_a_belief_that_is_led_on_stops_where_one_cannot_walk(
    tmp_path: Path, properties: dict[str, object], stops: bool
) -> None:
    wall = feature("wall", "wall", shapely.LineString([(13.5, -3), (13.5, 3)]), **properties)
    track = samples.track_of((0, 2, 0), (5.5, 13, 0), (6, 13, 4), (8, 13, 4))
    path = samples.write_sample(tmp_path, track=track, level=level_of(wall))
    run = snelk.run(path, overrides={MEMORY: {"grace": 0.0, "lead": 9.0}, "clock.dt": 0.1})
    late = beliefs_of(run)[8.0]
    assert late.y == pytest.approx(0.0)  # type: ignore[attr-defined]
    assert late.x == pytest.approx(13.48 if stops else 18.0, abs=1e-6)  # type: ignore[attr-defined]


def test_a_lead_stops_at_a_door_in_the_variant_in_which_that_is_shut(tmp_path: Path) -> None:
    gate = feature("wall", "gate", shapely.LineString([(13.5, -3), (13.5, 3)]), top=2.0, door=True)
    track = samples.track_of((0, 2, 0), (5.5, 13, 0), (6, 13, 4), (8, 13, 4))
    path = samples.write_sample(tmp_path, track=track, level=level_of(gate))
    shut = {MEMORY: {"grace": 0.0, "lead": 9.0}, "clock.dt": 0.1}
    opened = {**shut, "doors.gate.open": True}
    for variants in ([shut, opened], [opened, shut, opened]):
        for each, run in zip(variants, snelk.run_batch(path, variants=variants), strict=True):
            x = beliefs_of(run)[8.0].x  # type: ignore[attr-defined]
            assert x == pytest.approx(18.0 if each is opened else 13.48, abs=1e-6)


def test_the_table_of_the_croft_keeps_its_promises(night: snelk.Run) -> None:
    beliefs = night.beliefs
    assert not beliefs.duplicated(["t", "agent", "target"]).any()
    known = beliefs[beliefs.source.isin(["sensed", "grace"])]
    assert (known.error == 0.0).all()
    assert (known.uncertainty == 0.0).all()
    for agent in night.agents:
        memory = night.setup.profile_of(agent).memory
        ages = beliefs.age[beliefs.agent == agent]
        assert memory is None or not ages.max() > memory.forget + 1e-6
    assert {"sensed", "grace", "lead", "last_known", "heard", "told"} == set(
        beliefs.source.dropna()
    )
    sensed = beliefs[beliefs.source == "sensed"].set_index(["t", "agent", "target"]).index
    looks = night.sight[night.sight.in_view].set_index(["t", "agent", "target"]).index
    assert looks.isin(sensed).all()
    for (agent, target), rows in beliefs.groupby(["agent", "target"], observed=True):
        source = rows.source.astype(object).where(rows.source.notna(), "").to_numpy()
        before = np.concatenate([[""], source[:-1]])
        events = night.events[(night.events.agent == agent) & (night.events.target == target)]
        for kind, happened in (("told", source == "told"), ("forgot", source == "")):
            changed = rows.t[happened & (source != before)]
            assert list(events[events.kind == kind].t) == list(changed)
    answer = night.why("dog", "fox", at=64.0).belief
    row = beliefs[(beliefs.t == 64.0) & (beliefs.agent == "dog") & (beliefs.target == "fox")].iloc[
        0
    ]
    assert answer is not None
    assert (answer.source, answer.place) == (row.source, (row.x, row.y))
