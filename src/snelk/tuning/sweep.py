"""Sweeps: many variants stepped together, on all cores, their measures in one table.

Every batch that is done lies on disk as a part of its own until all are there. So a sweep that
was stopped goes on where it was, and takes no more memory however many variants it has.
"""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from hashlib import blake2b
from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from snelk.config.measures import Address, addresses_of
from snelk.config.scenario import Scenario, load, value_of
from snelk.errors import InputError, nearest
from snelk.runs.run import Run, run_batch
from snelk.tuning.batches import batch_size, cores, in_batches
from snelk.tuning.judging import judge_batch
from snelk.tuning.plan import Axis, Plan, plan_of

if TYPE_CHECKING:
    import pandas as pd

Progress = Callable[[int, int], None]
"""Told the variants done and the variants in all."""

FORMAT = 1

PLAN = "snelk"


@dataclass(frozen=True)
class Sweep:
    """The measures of all variants of a sweep.

    Attributes:
        path: The Parquet table.
        info: The scenario, what was changed beforehand, the plan, versions.
        plan: Which variants there are.
    """

    path: Path
    info: Mapping[str, Any]
    plan: Plan

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row per variant: `variant`, what it changes, its measures, and `expect.NAME`: 1 or 0.

        A measure that a variant has none of is NaN.
        """
        frame: pd.DataFrame = pq.read_table(self.path).to_pandas()
        return frame

    @property
    def keys(self) -> list[str]:
        """What is varied, without the seed if it is varied only by trying each with several."""
        return [axis.key for axis in self.plan.axes]

    @property
    def measures(self) -> list[str]:
        """The measures' keys, and the expectations' behind them."""
        return [name for name in self.table.columns if name not in ("variant", "seed", *self.keys)]

    def find(self, key: str) -> str:
        """The key, if it is that of a measure or an expectation.

        Raises:
            InputError: There is no such measure; with the nearest there is.
        """
        if key not in self.measures:
            fix = nearest(key, self.measures)
            raise InputError.of(str(self.path), "", f'"{key}"', "no such measure", fix)
        return key

    def unit(self, key: str) -> str:
        """The unit of a measure; empty for counts and shares."""
        return str(self.info["units"].get(key, ""))

    def changes(self, variant: int) -> dict[str, Any]:
        """What a variant changes, by key path.

        Raises:
            InputError: There is no such variant.
        """
        if not 0 <= variant < self.plan.count:
            rule = f"must be 0 to {self.plan.count - 1}"
            raise InputError.of(str(self.path), "variant", str(variant), rule)
        return dict(self.plan.changes([variant])[0])

    def pick(self, variant: int, *, out: str | Path | None = None) -> Run:
        """Replay one variant in full, with all tables.

        Raises:
            InputError: There is no such variant, or the scenario is no longer what it was.
        """
        changes = self.changes(variant)
        scenario = load(self.info["scenario"], changes=self.info["changes"])
        if fingerprint(scenario) != self.info["fingerprint"]:
            rule, fix = "has changed since the sweep", "make the sweep again"
            raise InputError.of(str(self.info["scenario"]), "", "", rule, fix)
        run = run_batch(scenario, variants=[changes])[0]
        return run if out is None else run.save(out)


def sweep(
    scenario: str | Path | Scenario,
    vary: Mapping[str, Any],
    *,
    out: str | Path,
    seeds: int = 1,
    samples: int | None = None,
    jobs: int | None = None,
    keep: str | Path | None = None,
    progress: Progress | None = None,
) -> Sweep:
    """Measure many variants of a scenario.

    Args:
        scenario: Its TOML file, or what `load` returned.
        vary: For each key path a sequence of values, or `(low, high)` with `samples`.
        out: The Parquet file to write. A sweep that was stopped goes on there.
        seeds: With how many seeds each is tried, from the scenario's on.
        samples: How many quasi-random points are drawn; the grid of all values if None.
        jobs: How many processes work at it; as many as there are cores if None.
        keep: A folder for the whole run of every variant; none is kept if None.
        progress: Called with the variants done and the variants in all.

    Raises:
        InputError: Anything given is wrong, or another sweep is unfinished at that place.

    >>> import snelk, tempfile
    >>> place = tempfile.TemporaryDirectory()
    >>> reach = {"profiles.dog.hearing.acuity": [1.0, 1.8]}
    >>> done = snelk.sweep(snelk.croft() / "night.toml", reach, out=place.name + "/dog.parquet")
    >>> done.table["dog.time_in.asleep"].round(1).tolist()
    [90.1, 68.7]
    >>> place.cleanup()
    """
    scenario = scenario if isinstance(scenario, Scenario) else load(scenario)
    plan, path = plan_of(scenario, vary, seeds=seeds, samples=samples), Path(out)
    if path.suffix != ".parquet":
        raise InputError.of(str(path), "", "", "must end in .parquet", f"{path}.parquet")
    if path.exists() and not _is_sweep(path):
        raise InputError.of(str(path), "", "", "exists and is no sweep", "choose another place")
    info = json.loads(json.dumps(_info(scenario, plan)))
    if path.exists() and keep is None and open_sweep(path).info == info:
        if progress is not None:
            progress(plan.count, plan.count)
        return open_sweep(path)
    work = _Parts(path, info)
    batch = work.begin(plan, jobs or cores())
    starts = range(0, plan.count, batch)
    missing = [start for start in starts if not work.part(start).exists()]
    done = plan.count - sum(min(batch, plan.count - start) for start in missing)
    if progress is not None:
        progress(done, plan.count)
    keep = None if keep is None else Path(keep).absolute()
    tasks = (
        (numbers, plan.changes(numbers))
        for numbers in (range(start, min(start + batch, plan.count)) for start in missing)
    )
    job = _Job(scenario, _addresses(scenario, plan), keep)
    workers = min(jobs or cores(), len(missing))
    for numbers, table in in_batches(_rows, job, tasks, jobs=workers):
        work.write(numbers[0], table)
        done += len(numbers)
        if progress is not None:
            progress(done, plan.count)
    work.join(starts)
    return Sweep(path, info, plan)


def open_sweep(path: str | Path) -> Sweep:
    """Open the table of a sweep.

    Raises:
        InputError: The file is missing, or no sweep.
    """
    path = Path(path)
    if not path.is_file():
        near = [p.name for p in path.parent.glob("*.parquet")] if path.parent.is_dir() else []
        fix = nearest(path.name, near) if near else "make one with: snelk sweep SCENARIO"
        raise InputError.of(str(path), "", "", "no such file", fix)
    if not _is_sweep(path):
        rule, fix = "is not the table of a sweep", "name the file that snelk sweep printed"
        raise InputError.of(str(path), "", "", rule, fix)
    info = json.loads(pq.read_schema(path).metadata[PLAN.encode()])
    plan = info["plan"]
    axes = tuple(Axis(**{**axis, "values": tuple(axis["values"])}) for axis in plan["axes"])
    made = Plan(axes, tuple(plan["seeds"]), plan["samples"], plan["chance"])
    return Sweep(path, info, made)


def fingerprint(scenario: Scenario) -> str:
    """A short hash of all that a scenario's runs depend on."""
    setup = scenario.setup.model_dump_json(by_alias=True)
    text = json.dumps([setup, scenario.digests(), version("snelk")])
    return blake2b(text.encode(), digest_size=8).hexdigest()


def _is_sweep(path: Path) -> bool:
    try:
        metadata = pq.read_schema(path).metadata or {}
    except (OSError, pa.ArrowInvalid):
        return False
    return PLAN.encode() in metadata


def _info(scenario: Scenario, plan: Plan) -> dict[str, Any]:
    units = {address.key: address.unit for address in _addresses(scenario, plan)}
    return {
        "format": FORMAT,
        "snelk": version("snelk"),
        "scenario": scenario.source,
        "title": scenario.setup.title,
        "changes": dict(scenario.changes),
        "fingerprint": fingerprint(scenario),
        "plan": asdict(plan),
        "today": {axis.key: value_of(scenario.setup, axis.key) for axis in plan.axes},
        "units": units,
    }


def _addresses(scenario: Scenario, plan: Plan) -> tuple[Address, ...]:
    """The measures that the variants can have."""
    changed = [scenario.changed({axis.key: v}) for axis in plan.axes for v in axis.ends()]
    return addresses_of([scenario.setup, *(each.setup for each in changed)])


class _Parts:
    """The batches of a sweep that are done, each in a file, beside the table that is to be."""

    def __init__(self, path: Path, info: Mapping[str, Any]) -> None:
        self.path, self.info = path, info
        self.folder = path.with_name(f".{path.name}.parts")

    def part(self, start: int) -> Path:
        """The file of the batch that begins with a variant."""
        return self.folder / f"{start:08d}.parquet"

    def begin(self, plan: Plan, jobs: int) -> int:
        """Make room, or find what was done before; return the variants of a batch."""
        notes = self.folder / "plan.json"
        if notes.is_file():
            found = json.loads(notes.read_text(encoding="utf-8"))
            if found["info"] != self.info:
                rule = "another sweep is unfinished there"
                fix = f"choose another place, or remove {self.folder}"
                raise InputError.of(str(self.path), "", "", rule, fix)
            return int(found["batch"])
        batch = batch_size(plan.count, jobs)
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            draft = notes.with_suffix(".draft")
            draft.write_text(json.dumps({"info": self.info, "batch": batch}))
            draft.replace(notes)
        except OSError as error:
            raise self._cannot(error) from None
        return batch

    def write(self, start: int, table: pa.Table) -> None:
        """Keep a batch that is done."""
        draft = self.part(start).with_suffix(".draft")
        try:
            pq.write_table(table, draft, compression="zstd")
            draft.replace(self.part(start))
        except OSError as error:
            raise self._cannot(error) from None

    def join(self, starts: Sequence[int]) -> None:
        """Write all parts, in order, as one table, and remove them."""
        draft = self.path.with_name(f".{self.path.name}.{os.getpid()}.draft")
        tables = (pq.read_table(self.part(start)) for start in starts)
        first = next(tables)
        schema = first.schema.with_metadata({PLAN: json.dumps(self.info)})
        try:
            with pq.ParquetWriter(draft, schema, compression="zstd") as writer:
                writer.write_table(first.cast(schema))
                for table in tables:
                    writer.write_table(table.cast(schema))
            draft.replace(self.path)
        except OSError as error:
            raise self._cannot(error) from None
        finally:
            draft.unlink(missing_ok=True)
        shutil.rmtree(self.folder, ignore_errors=True)

    def _cannot(self, error: OSError) -> InputError:
        rule, fix = f"cannot be written: {error.strerror or error}", "choose another place"
        return InputError.of(str(self.path), "", "", rule, fix)


@dataclass(frozen=True)
class _Job:
    """What is the same for all batches."""

    scenario: Scenario
    addresses: tuple[Address, ...]
    keep: Path | None


def _rows(job: _Job, numbers: range, changes: list[dict[str, Any]]) -> tuple[range, pa.Table]:
    """The rows of one batch."""
    measured, verdicts = judge_batch(job.scenario, variants=changes)
    known = dict(zip(measured.addresses, measured.values.T, strict=True))
    columns: dict[str, Any] = {"variant": np.array(numbers)}
    columns |= {key: [row[key] for row in changes] for key in changes[0]}
    # What nobody in this batch can have, others may: the columns are those of all.
    nothing = np.full(len(numbers), np.nan)
    columns |= {each.key: known.get(each, nothing) for each in job.addresses}
    names = verdicts.names
    columns |= {f"expect.{name}": verdicts.met[:, n] * 1.0 for n, name in enumerate(names)}
    if job.keep is not None:
        runs = run_batch(job.scenario, variants=changes)
        for number, run in zip(numbers, runs, strict=True):
            run.save(job.keep / f"variant-{number:05d}")
    return numbers, pa.table(columns)
