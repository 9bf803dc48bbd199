"""The walk of a ray against Embree and against Shapely's STRtree, one thread each.

A million rays of 2 to 40 m over 3,000 wall pieces, in levels from crowded to open, and over
triangles: crates that lie about at all heights, uneven ground, and both with walls. All take part
in one run, turn by turn, and the best of several turns counts, so that the ratios hold on a
busy machine too. Embree gets the walls as upright rectangles of two triangles. Both are asked for
occlusion only, of a level that is ready; beside it stands what Snelk takes when it also returns the
wall that stopped the ray, and where. STRtree, which knows no heights, sits out where there are
triangles.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

import numpy as np
import shapely
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh

from snelk.level.columns import GridColumns, laid_out
from snelk.level.grid import build_grid
from snelk.level.rays import cast_rays, shares_past

PIECES = 3000
RAYS = 1_000_000
SHAPELY_RAYS = 20_000
TURNS = 7


def pieces_in(size: float, rng: np.random.Generator) -> np.ndarray:
    middle = rng.uniform(0, size, (PIECES, 2))
    angle = rng.uniform(0, 2 * np.pi, PIECES)
    half = rng.lognormal(np.log(2.5), 0.6, (PIECES, 1)) / 2
    along = half * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    base, top = np.zeros((PIECES, 1)), rng.uniform(0.8, 4, (PIECES, 1))
    return np.hstack([middle - along, middle + along, base, top])


def rays_in(size: float, rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    start = np.column_stack([rng.uniform(0, size, (RAYS, 2)), np.full(RAYS, 1.7)])
    angle, length = rng.uniform(0, 2 * np.pi, RAYS), rng.uniform(2, 40, RAYS)
    fall = rng.uniform(-1.5, 0.0, RAYS)
    return start, start + np.column_stack([length * np.cos(angle), length * np.sin(angle), fall])


def crates_in(size: float, count: int, rng: np.random.Generator) -> np.ndarray:
    """Boxes of 12 triangles each, up to 6 m up: (triangles, 3, 3)."""
    corner = np.array([(x, y, z) for z in (0, 1) for y in (0, 1) for x in (0, 1)], dtype=float)
    sides = [(0, 1, 3, 2), (4, 5, 7, 6), (0, 1, 5, 4), (2, 3, 7, 6), (0, 2, 6, 4), (1, 3, 7, 5)]
    faces = [half for a, b, c, d in sides for half in ((a, b, c), (a, c, d))]
    low = rng.uniform((0, 0, 0), (size, size, 6), (count // 12, 3))
    boxes = low[:, None] + corner * rng.lognormal(-0.3, 0.6, (count // 12, 1, 3))
    return boxes[:, faces].reshape(-1, 3, 3)


def ground_in(size: float, count: int, rng: np.random.Generator) -> np.ndarray:
    """Uneven ground of so many triangles, which share their corners: (triangles, 3, 3)."""
    steps = int(np.sqrt(count / 2))
    x, y = np.meshgrid(*[np.linspace(0, size, steps + 1)] * 2, indexing="ij")
    z = 1.5 * np.sin(x / 7) * np.cos(y / 9) + rng.normal(0, 0.05, x.shape)
    corners = np.dstack([x, y, z])
    a, b, c, d = corners[:-1, :-1], corners[1:, :-1], corners[1:, 1:], corners[:-1, 1:]
    halves = np.stack([a, b, c], axis=2), np.stack([a, c, d], axis=2)
    return np.concatenate([half.reshape(-1, 3, 3) for half in halves])


def embree(
    pieces: np.ndarray, more: np.ndarray, start: np.ndarray, end: np.ndarray
) -> Callable[[], np.ndarray]:
    a, b = pieces[:, 0:2], pieces[:, 2:4]
    low, high = pieces[:, 4:5], pieces[:, 5:6]
    corners = [np.hstack(pair) for pair in ((a, low), (b, low), (b, high), (a, high))]
    triangles = [np.stack([corners[n] for n in three], axis=1) for three in ((0, 1, 2), (0, 2, 3))]
    scene = rtcore_scene.EmbreeScene()
    mesh = TriangleMesh(scene, np.concatenate([*triangles, more]).astype(np.float32))
    origin, toward = start.astype(np.float32), (end - start).astype(np.float32)
    far = np.ones(len(start), dtype=np.float32)

    def blocked(_keep: object = mesh) -> np.ndarray:
        return np.asarray(scene.run(origin, toward, far, query="OCCLUDED")) != -1

    return blocked


def strtree(pieces: np.ndarray, start: np.ndarray, end: np.ndarray) -> Callable[[], np.ndarray]:
    """In plan only, which is less work: heights are left out."""
    walls = shapely.linestrings(pieces[:, :4].reshape(-1, 2, 2))
    tree = shapely.STRtree(walls)
    rays = shapely.linestrings(np.stack([start[:, :2], end[:, :2]], axis=1))
    shapely.prepare(rays)

    def blocked() -> np.ndarray:
        found = np.zeros(len(rays), dtype=bool)
        found[tree.query(rays, "intersects")[0]] = True
        return found

    return blocked


def seconds(call: Callable[[], object]) -> float:
    began = time.perf_counter()
    call()
    return time.perf_counter() - began


def main() -> None:
    write = sys.stdout.write
    write(f"{PIECES} wall pieces, {RAYS} rays of 2 to 40 m, one thread each\n")
    write("level           blocked  snelk M/s  x Embree  with wall  x STRtree  agrees\n")
    none, flat = np.zeros((0, 6)), np.zeros((0, 3, 3))
    for size in (100.0, 200.0, 300.0):
        rng = np.random.default_rng(1)
        compare(f"{size:3.0f} x {size:3.0f} m", pieces_in(size, rng), flat, rays_in(size, rng))
    for name, size, count, make in (
        ("crates 1,000", 40.0, 1_000, crates_in),
        ("crates 10,000", 80.0, 10_000, crates_in),
        ("crates 200,000", 250.0, 200_000, crates_in),
        ("ground 20,000", 100.0, 20_000, ground_in),
        ("ground 200,000", 300.0, 200_000, ground_in),
    ):
        rng = np.random.default_rng(1)
        compare(name, none, make(size, count, rng), rays_in(size, rng))
    rng = np.random.default_rng(1)
    triangles = np.concatenate([crates_in(100.0, 5_000, rng), ground_in(100.0, 20_000, rng)])
    compare("walls and both", pieces_in(100.0, rng), triangles, rays_in(100.0, rng))


def compare(
    name: str, pieces: np.ndarray, triangles: np.ndarray, rays: tuple[np.ndarray, np.ndarray]
) -> None:
    write, (start, end) = sys.stdout.write, rays
    walls = np.arange(len(pieces) + len(triangles), dtype=np.int32)
    own, others = np.split(walls, [len(pieces)])
    grid = build_grid(pieces, own, np.zeros(len(walls)), triangles, others)
    few, ready = slice(0, SHAPELY_RAYS), laid_out(GridColumns, grid)
    calls = {
        "snelk": lambda: shares_past(ready, start, end) == 0.0,
        "wall": lambda: cast_rays(ready, start, end)[0] == 0.0,
        "embree": embree(pieces, triangles, start, end),
    }
    if not len(triangles):
        calls["strtree"] = strtree(pieces, start[few], end[few])
    calls["snelk"]()
    best = dict.fromkeys(calls, np.inf)
    for _ in range(TURNS):
        for each, call in calls.items():
            best[each] = min(best[each], seconds(call))
    blocked = calls["snelk"]()
    agree = float(np.mean(blocked == calls["embree"]()))
    tree = "–"
    if "strtree" in best:
        tree = f"{best['strtree'] * RAYS / SHAPELY_RAYS / best['snelk']:.0f}"
    write(f"{name:14}  {blocked.mean():6.0%}  {RAYS / best['snelk'] / 1e6:9.2f}  ")
    write(f"{best['embree'] / best['snelk']:8.2f}  {best['embree'] / best['wall']:9.2f}  ")
    write(f"{tree:>9}  {agree:.5%}\n")


if __name__ == "__main__":
    main()
