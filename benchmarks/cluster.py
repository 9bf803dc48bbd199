"""What a cluster costs beside the work, and what a hundred workers would do, from what is measured.

Workers are processes of this machine, so that many of them do not make it quicker here: what is
measured is what a variant takes, what each batch takes beside that, and how soon all can begin.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import snelk
from snelk.tuning.batches import BATCH
from snelk.tuning.cluster import on_cluster

KEY = "profiles.dog.cones.muzzle.range"
WORKERS, HUNDRED, VARIANTS = 2, 100, 10_000


def nothing(_: object, number: int) -> int:
    """A batch in which nothing is done."""
    return number


def main() -> None:
    night = snelk.load(snelk.croft() / "night.toml")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        words = [
            *(sys.executable, "-m", "distributed.cli.dask_scheduler", "--host", "127.0.0.1"),
            *("--port", "0", "--no-dashboard", "--scheduler-file", str(folder / "s.json")),
        ]
        started = [subprocess.Popen(words, **quiet)]  # type: ignore[call-overload]
        while not (folder / "s.json").is_file():
            time.sleep(0.1)
        address = json.loads((folder / "s.json").read_text())["address"]
        words = [
            *(sys.executable, "-m", "distributed.cli.dask_worker", address, "--nthreads", "1"),
            *("--no-nanny", "--no-dashboard", "--local-directory", name),
        ]
        started += [subprocess.Popen(words, **quiet) for _ in range(WORKERS)]  # type: ignore[call-overload]
        try:
            measure(night, folder, address)
        finally:
            for process in started:
                process.kill()
                process.wait()


def measure(night: snelk.Scenario, folder: Path, address: str) -> None:
    began = time.perf_counter()
    list(on_cluster(address, nothing, night, [(0,)]))
    first = time.perf_counter() - began
    count = 300
    began = time.perf_counter()
    list(on_cluster(address, nothing, night, ((n,) for n in range(count))))
    batch = (time.perf_counter() - began) / count
    began = time.perf_counter()
    snelk.sweep(night, {KEY: (6.0, 16.0)}, samples=128, out=folder / "a.parquet", jobs=1)
    variant = (time.perf_counter() - began) / 128
    sys.stdout.write(f"the first batch: {first:.1f} s; each further: {1000 * batch:.1f} ms\n")
    sys.stdout.write(f"a variant of the croft in a batch of {BATCH}: {variant:.3f} s\n")
    alone, batches = VARIANTS * variant, VARIANTS / BATCH
    rounds = -(-batches // HUNDRED)
    shared = first + max(rounds * BATCH * variant, batches * batch)
    sys.stdout.write(
        f"{VARIANTS} variants: {alone:.0f} s alone; by {HUNDRED} workers at least {shared:.0f} s, "
        f"{alone / shared:.0f} times as soon\n"
    )


if __name__ == "__main__":
    main()
