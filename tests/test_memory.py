"""Memory and telling: what is believed of a target out of sight, and who is told of it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import samples
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from test_hearing import feature, level_of

import snelk

MEMORY = "profiles.watcher.memory"


def beliefs_of(run: snelk.Run, agent: str = "guard") -> dict[float, object]:
    rows = run.beliefs[(run.beliefs.agent == agent) & (run.beliefs.target == "guest")]
    return {row.t: row for row in rows.itertuples()}


@given(
    grace=st.sampled_from([0.0, 0.3, 1.0]),
    lead=st.sampled_from([0.0, 0.5, 2.0]),
    spread=st.floats(0, 3),
    forget=st.sampled_from([1.2, 3.0, 9.0]),
    dt=st.sampled_from([0.05, 0.1, 0.25]),
)
@settings(max_examples=25, deadline=None)
def test_a_belief_follows_leads_on_freezes_and_is_forgotten(
    tmp_path_factory: pytest.TempPathFactory,
    grace: float,
    lead: float,
    spread: float,
    forget: float,
    dt: float,
) -> None:
    # Away from the guard at (2, 0.5) m/s: out of the hold range of 12 m at some 5 s.
    track = samples.track_of((0, 2, 0), (10, 22, 5))
    path = samples.write_sample(tmp_path_factory.mktemp("memory"), track=track)
    memory = {"grace": grace, "lead": lead, "spread": spread, "forget": forget}
    run = snelk.run(path, overrides={MEMORY: memory, "clock.dt": dt})
    seen = run.sight[run.sight.in_view]
    last = float(seen.t.max())
    for t, row in beliefs_of(run).items():
        true = np.array([2 + 2 * t, 0.5 * t])
        age = t - last
        if age <= 1e-9:
            assert (row.source, row.age, row.uncertainty, row.error) == ("sensed", 0, 0, 0)
            continue
        if age <= grace + 1e-9:
            assert row.source == "grace"
            assert row.error == row.uncertainty == 0.0
            continue
        if age > forget + 1e-9:
            assert not isinstance(row.source, str)
            assert np.isnan([row.x, row.y, row.age, row.uncertainty]).all()
            continue
        # The closed form: it knows until the last tick within the grace, and leads on from there.
        known = last + np.floor(grace / dt + 1e-6) * dt
        led = min(age - grace, lead)
        expected = np.array([2 + 2 * known, 0.5 * known]) + np.array([2, 0.5]) * led
        slack = 2.1 * dt  # the grace may end within a tick
        assert np.hypot(row.x - expected[0], row.y - expected[1]) <= slack
        assert row.source == (
            "lead" if age - grace - dt < lead - 1e-9 and lead > 0 else "last_known"
        )
        assert row.uncertainty == pytest.approx(spread * (age - grace))
        assert row.age == pytest.approx(age)
        assert row.error == pytest.approx(np.hypot(row.x - true[0], row.y - true[1]))
    assert list(run.events.kind[run.events.kind == "forgot"]) == ["forgot"] * (10 - last > forget)


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
