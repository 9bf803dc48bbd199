"""Light, elevation, wakefulness and how often an agent looks."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
import samples
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from test_sight import gate_of

import snelk
from snelk.level.within import which_inside
from snelk.level.zones import build_zones

CONE = "profiles.watcher.cones.front"


def light_on_guest(path: Path, overrides: dict[str, object] | None = None) -> float:
    poses = snelk.run(path, overrides=overrides).poses
    return float(poses[poses.id == "guest"].light.iloc[0])


def lamp_of(light: float, reach: float) -> dict[str, object]:
    return {"cast.guard.lamp": {"light": light, "reach": reach}}


def zone(
    name: str, ring: list[tuple[float, float]] | None, **properties: object
) -> dict[str, object]:
    geometry = (
        {"type": "Polygon", "coordinates": [ring]}
        if ring
        else {"type": "Point", "coordinates": [5, 0]}
    )
    return {
        "type": "Feature",
        "properties": {"kind": "zone", "name": name, **properties},
        "geometry": geometry,
    }


@given(st.integers(0, 10_000))
@settings(max_examples=20, deadline=None)
def test_inside_agrees_with_geos_holes_and_parts_included(seed: int) -> None:
    from snelk.config.models import Zone

    rng = np.random.default_rng(seed)
    blobs = [
        shapely.Point(*rng.uniform(0, 10, 2)).buffer(rng.uniform(0.5, 3), quad_segs=3)
        for _ in range(5)
    ]
    shape = shapely.difference(shapely.union_all(blobs), shapely.Point(5, 5).buffer(1.5))
    zones = build_zones([(Zone(kind="zone", name="blob"), shape)], {})
    points = rng.uniform(-1, 11, (500, 3))
    found = np.zeros(500, dtype=np.bool_)
    which_inside(zones, 0, points, found)
    np.testing.assert_array_equal(found, shapely.contains_xy(shape, points[:, :2]))


def test_min_light_is_inclusive_and_the_dark_is_a_reason(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    for least, expected in ((0.3, "in_view"), (0.300001, "light")):
        run = snelk.run(path, overrides={"light": 0.3, f"{CONE}.min_light": least})
        assert run.sight.result.iloc[0] == expected
    assert run.why("guard", "guest", at=0).headline.startswith(
        "guard does not see guest at 0.00 s: too dark"
    )


@pytest.mark.parametrize(
    ("z", "expected"),
    [
        (5 * math.tan(math.radians(20)), "in_view"),
        (5 * math.tan(math.radians(20.001)), "elevation"),
        (-5 * math.tan(math.radians(10)), "in_view"),
        (-5 * math.tan(math.radians(10.001)), "elevation"),
    ],
)
def test_edges_of_elevation(tmp_path: Path, z: float, expected: str) -> None:
    profiles = samples.SAMPLE_PROFILES.replace(
        "fov_whole = 90", "up = 20\ndown = 10\nfov_whole = 90", 1
    )
    assert gate_of(tmp_path, f"at = [5, 0]\nz = {z!r}", profiles=profiles) == expected


def test_a_dozing_agent_sees_less_far_and_one_fast_asleep_nothing(tmp_path: Path) -> None:
    path = samples.write_sample(tmp_path, guest="at = [5, 0]")
    for awake, expected in ((0.5, "in_view"), (0.499, "range"), (0.0, "awake")):
        run = snelk.run(path, overrides={"cast.guard.awake": awake})
        assert run.sight.result.iloc[0] == expected
    change = run.why("guard", "guest", at=0).counterfactual
    assert change is not None
    assert change.text == "seen if awake of guard ≥ 0.5 (is 0)"
