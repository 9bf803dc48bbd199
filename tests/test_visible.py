"""The visible region against a sweep of angles that knows nothing of polygons."""

from __future__ import annotations

import math

import numpy as np
import pytest
import samples
import shapely
from hypothesis import example, given, settings
from hypothesis import strategies as st

from snelk.errors import InputError
from snelk.level.level import Level
from snelk.level.rays import cast_rays
from snelk.level.visible import visible_region

RANGE = 18.0


def swept_area(
    level: Level, eye: tuple[float, float, float], facing: float, fov: float, height: float
) -> float:
    """Half the integral of r^2 over all angles, with the hidden stretches of each taken out.

    Along one direction a face at distance d hides the points at distance r > d whose ray
    crosses it between base and top; both ends of that stretch follow from similar triangles.
    """
    x, y, z = eye
    radius = math.sqrt(RANGE**2 - (z - height) ** 2)
    steps = 16_000
    angles = facing + fov * ((np.arange(steps) + 0.5) / steps - 0.5)
    total = 0.0
    a = level.pieces[:, 0:2] - (x, y)
    along = level.pieces[:, 2:4] - level.pieces[:, 0:2]
    base, top = level.pieces[:, 4], level.pieces[:, 5]
    for angle in angles:
        dx, dy = math.cos(angle), math.sin(angle)
        cross = dx * along[:, 1] - dy * along[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            distance = (a[:, 0] * along[:, 1] - a[:, 1] * along[:, 0]) / cross
            on = (a[:, 0] * dy - a[:, 1] * dx) / cross
        met = (distance > 0) & (distance < radius) & (on >= 0) & (on <= 1)
        hidden = []
        for d, low, high in zip(distance[met], base[met], top[met], strict=True):
            # The crossing height falls or rises from `height` at r = d towards z at r = inf.
            if z == height:
                stretch = (d, math.inf) if low <= z <= high else None
            else:
                ends = [
                    math.inf if (h - z) / (height - z) <= 0 else d * (height - z) / (h - z)
                    for h in (low, high)
                ]
                first = d if low <= height <= high else min(ends)
                last = math.inf if low <= z <= high else max(ends)
                outside = min(height, z) > high or max(height, z) < low
                stretch = None if outside or last < d else (max(first, d), last)
            if stretch is not None:
                hidden.append(stretch)
        seen, reached = 0.0, 0.0
        for first, last in sorted(hidden):
            if first >= radius:
                break
            seen += max(first, reached) ** 2 - reached**2
            reached = max(reached, min(last, radius))
        seen += max(radius**2 - reached**2, 0.0)
        total += 0.5 * seen * fov / steps
    return total


@pytest.mark.parametrize(
    ("name", "z", "height", "fov"),
    [
        ("streets", 1.7, 1.0, 360.0),
        ("scattered", 1.7, 0.25, 120.0),
        ("scattered", 0.6, 1.5, 270.0),
        ("ring", 1.0, 1.0, 75.0),
    ],
)
def test_area_agrees_with_a_sweep_of_angles(name: str, z: float, height: float, fov: float) -> None:
    rng = np.random.default_rng(4)
    pieces = {
        "streets": samples.street_pieces(50),
        "scattered": samples.scattered_pieces(rng, 120, 50),
        "ring": samples.ring_pieces(50),
    }[name]
    level = samples.level_of()
    level.pieces, level.piece_walls = pieces, np.zeros(len(pieces), dtype=np.int32)
    level.see_through = np.zeros(1)
    eye = (25.3, 23.1, z)
    found = visible_region(
        level, eye=eye, heading_deg=40.0, fov_whole=fov, range=RANGE, height=height
    )
    expected = swept_area(level, eye, math.radians(40.0), math.radians(fov), height)
    assert found.clear.area == pytest.approx(expected, rel=1e-3)
    assert 0.15 * found.sector.area < found.clear.area < 0.97 * found.sector.area


heights = st.floats(0.1, 2.5).map(lambda value: round(value, 1))


@given(heights, heights, st.integers(0, 10_000))
@example(1.2, 1.2, 7)
@settings(max_examples=25, deadline=None)
def test_a_point_is_in_the_region_if_its_ray_is_clear(z: float, height: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    pieces = samples.scattered_pieces(rng, 25, 30)
    level = samples.level_of()
    level.pieces, level.piece_walls = pieces, np.arange(25, dtype=np.int32)
    level.see_through = np.where(rng.random(25) < 0.3, 0.5, 0.0)
    level.is_door = np.zeros(25, dtype=np.bool_)
    triangles = rng.uniform((2, 2, 0), (28, 28, 3), (6, 1, 3)) + rng.normal(0, 2, (6, 3, 3))
    triangles[:3, :, 2] = np.round(triangles[:3, :1, 2], 1)  # lie flat
    triangles[0, :, 2], triangles[3, :2, 2] = height, height
    level.triangles, level.triangle_walls = triangles, np.arange(6, dtype=np.int32)
    region = visible_region(
        level, eye=(15, 15, z), heading_deg=0, fov_whole=360, range=12, height=height
    )
    ends = np.column_stack([rng.uniform(6, 24, (200, 2)), np.full(200, height)])
    share, _, _ = cast_rays(level.grid, np.tile((15.0, 15.0, z), (200, 1)), ends)
    inside = np.linalg.norm(ends - (15, 15, z), axis=1) < 12
    points = shapely.points(ends[:, :2])
    borders = shapely.union_all([region.clear.boundary, region.dimmed.boundary])
    sure = inside & ~shapely.dwithin(borders, points, 1e-4)
    np.testing.assert_array_equal(shapely.contains(region.clear, points)[sure], share[sure] == 1)
    dimmed = (share > 0) & (share < 1)
    np.testing.assert_array_equal(shapely.contains(region.dimmed, points)[sure], dimmed[sure])


def test_a_low_wall_hides_only_what_is_close_behind_it() -> None:
    level = samples.level_of(("low", shapely.LineString([(5, -9), (5, 9)]), 1.0))
    view = visible_region(level, eye=(0, 0, 1.7), heading_deg=0, fov_whole=10, range=15, height=0.3)
    # The ray clears the wall where 1.7 - 1.4 * 5 / d >= 1, that is from d = 10 on.
    assert [view.clear.contains(shapely.Point(d, 0)) for d in (4.9, 5.1, 9.9, 10.1)] == [
        True,
        False,
        False,
        True,
    ]


def test_a_body_out_of_reach_in_height_gives_an_empty_region() -> None:
    view = visible_region(
        samples.level_of(), eye=(0, 0, 9), heading_deg=0, fov_whole=90, range=3, height=0
    )
    assert view.clear.is_empty


@pytest.mark.parametrize(
    "wrong", [{"fov_whole": 361}, {"fov_whole": 0}, {"range": 0}, {"height": math.nan}]
)
def test_wrong_numbers_are_refused(wrong: dict[str, float]) -> None:
    numbers = {"heading_deg": 0.0, "fov_whole": 90.0, "range": 5.0, "height": 1.0} | wrong
    with pytest.raises(InputError, match="fov_whole above 0 to 360"):
        visible_region(samples.level_of(), eye=(0, 0, 1), **numbers)
