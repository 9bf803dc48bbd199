"""The meter against closed forms, at any length of a tick."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
import samples

import snelk

METER = "profiles.watcher.meter"


def run_of(folder: Path, track: str, meter: dict[str, object], **changes: object) -> snelk.Run:
    path = samples.write_sample(folder, track=track)
    return snelk.run(
        path, overrides={METER: meter, **{k.replace("__", "."): v for k, v in changes.items()}}
    )


def values(run: snelk.Run) -> dict[float, float]:
    return dict(zip(run.meters.t, run.meters.value, strict=True))


IN_AND_OUT = samples.track_of((0, 5, 0), (4.0, 5, 0))


def test_thresholds_are_events_up_and_down(tmp_path: Path) -> None:
    meter = {
        "fill_time": 2.0,
        "drain_time": 2.0,
        "drain_after": 0.0,
        "thresholds": {"wary": 0.5, "sure": 1.0},
    }
    run = run_of(tmp_path, IN_AND_OUT, meter, clock__end=8.0)
    crossings = run.events[run.events.kind.isin(["rose", "fell"])]
    assert list(zip(crossings.t, crossings.kind, crossings.threshold, strict=True)) == [
        (0.5, "rose", "wary"), (1.5, "rose", "sure"), (4.5, "fell", "sure"), (5.5, "fell", "wary"),
    ]  # fmt: skip
    assert crossings.text.iloc[0] == "guard rose to wary of guest (meter 0.50)"


def test_why_so_slow_names_the_costliest_factor_and_the_time_to_full(tmp_path: Path) -> None:
    meter = {"fill_time": 2.0, "distance": [[0, 1], [1, 0.5]], "crouched": 0.25}
    track = samples.track_of((0, 5, 0), (8.0, 5, 0), extra=",crouched")
    run = run_of(tmp_path, track, meter)
    found = run.why("guard", "guest", at=1.0).meter
    assert found is not None
    assert (found.costs_most, found.state) == ("posture", "filling")
    assert found.factors["posture"] == 0.25
    assert found.rate == pytest.approx(found.factors["distance"] * 0.25)
    assert found.to_full == pytest.approx((1 - found.value) * 2.0 / found.rate)
    # And it is full when it said it would be.
    later = 1.0 + found.to_full
    assert values(run_of(tmp_path, samples.track_of((0, 5, 0), (later + 1, 5, 0), extra=",crouched"), meter))[
        math.ceil(later * 2) / 2
    ] == 1.0  # fmt: skip


@pytest.mark.parametrize(
    ("meter", "line"),
    [
        ({"fill_time": 0}, "fill_time: must be above 0 s and at most 3600 (given: 0)"),
        ({}, "fill_time: is missing; add it"),
        ({"fill_time": 1, "angel": []}, 'angel: no such key (given: []); did you mean "angle"?'),
        ({"fill_time": 1, "angle": [[0, 1], [0, 2]]}, "angle: x must rise from point to point (given: [[0, 1], [0, 2]])"),
        ({"fill_time": 1, "angle": []}, "angle: must be 1 to 32 points [x, factor] (given: [])"),
        ({"fill_time": 1, "light": [[0, -1]]}, "light: x must be 0 or more, and factors 0 to 100 (given: [[0, -1]])"),
        ({"fill_time": 1, "thresholds": {"wary": 1.5}}, "thresholds.wary: must be at most 1 and above 0 (given: 1.5)"),
    ],
)  # fmt: skip
def test_mistakes_in_meters(tmp_path: Path, meter: dict[str, object], line: str) -> None:
    with pytest.raises(snelk.InputError) as caught:
        run_of(tmp_path, IN_AND_OUT, meter)
    assert str(caught.value) == f"overrides: {METER}.{line}"
