"""The walk of a ray against Embree and against Shapely's STRtree, one thread each.

A million rays of 2 to 40 m over 3,000 wall pieces, in levels from crowded to open. All take part
in one run, turn by turn, and the best of several turns counts, so that the ratios hold on a
busy machine too. Embree gets the walls as upright rectangles of two triangles and is asked for
occlusion only; Snelk also returns the wall that stopped the ray, and where.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable

import numpy as np
import shapely
from embreex import rtcore_scene
from embreex.mesh_construction import TriangleMesh

from snelk.level.grid import build_grid
from snelk.level.rays import cast_rays

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


def embree(pieces: np.ndarray, start: np.ndarray, end: np.ndarray) -> Callable[[], np.ndarray]:
    a, b = pieces[:, 0:2], pieces[:, 2:4]
    low, high = pieces[:, 4:5], pieces[:, 5:6]
    corners = [np.hstack(pair) for pair in ((a, low), (b, low), (b, high), (a, high))]
    triangles = [np.stack([corners[n] for n in three], axis=1) for three in ((0, 1, 2), (0, 2, 3))]
    scene = rtcore_scene.EmbreeScene()
    mesh = TriangleMesh(scene, np.concatenate(triangles).astype(np.float32))
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
    write("level      blocked  snelk M/s  x Embree  x STRtree  agrees with Embree\n")
    for size in (100.0, 200.0, 300.0):
        rng = np.random.default_rng(1)
        pieces, (start, end) = pieces_in(size, rng), rays_in(size, rng)
        grid = build_grid(pieces, np.arange(PIECES, dtype=np.int32), np.zeros(PIECES))
        few = slice(0, SHAPELY_RAYS)
        calls = {
            "snelk": lambda g=grid, s=start, e=end: cast_rays(g, s, e)[0] == 0.0,
            "embree": embree(pieces, start, end),
            "strtree": strtree(pieces, start[few], end[few]),
        }
        calls["snelk"]()
        best = dict.fromkeys(calls, np.inf)
        for _ in range(TURNS):
            for name, call in calls.items():
                best[name] = min(best[name], seconds(call))
        blocked = calls["snelk"]()
        agree = float(np.mean(blocked == calls["embree"]()))
        best["strtree"] *= RAYS / SHAPELY_RAYS
        million = RAYS / best["snelk"] / 1e6
        ratios = best["embree"] / best["snelk"], best["strtree"] / best["snelk"]
        write(f"{size:3.0f} x {size:3.0f} m  {blocked.mean():6.0%}  {million:9.2f}  ")
        write(f"{ratios[0]:8.2f}  {ratios[1]:9.0f}  {agree:.5%}\n")


if __name__ == "__main__":
    main()
