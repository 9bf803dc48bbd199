"""Sweeps: many variants stepped together, on all cores, their measures in one table.

Every finished batch is a file on disk until all are there. So a sweep that was stopped can be
resumed, and memory does not grow with the number of variants.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from functools import cached_property
from hashlib import blake2b
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from snelk.body.registry import registered
from snelk.config.measures import Address, addresses_of, nearest_measure
from snelk.config.scenario import Scenario, as_scenario, load, value_of
from snelk.errors import InputError, ReadError, UnknownNameError, nearest
from snelk.files import claim, write_text, written
from snelk.runs.arrow import guessed_of, table_of
from snelk.runs.run import Run, run_batch
from snelk.showing import heading, html_table, line
from snelk.tuning.batches import BATCH, in_batches, workers
from snelk.tuning.judging import judge_batch
from snelk.tuning.plan import Axis, Plan, plan_of
from snelk.versions import version

if TYPE_CHECKING:
    import pandas as pd

Progress = Callable[[int, int], None]
"""Told the variants done and the variants in all."""

FORMAT = 3

ROW_GROUP = 100
"""So many rows of a table are written together."""

PLAN, SEAL = b"snelk", b"snelk.seal"
"""Where in the metadata of a table its plan lies, and the digest of that."""

AGAIN = "run the sweep again: snelk sweep"


@dataclass(frozen=True)
class Sweep:
    """The measures of all variants of a sweep.

    Attributes:
        path: The Parquet table.
        info: The scenario, its overrides, the plan, versions.
        plan: Which variants there are.
    """

    path: Path
    info: Mapping[str, Any]
    plan: Plan

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row per variant: `variant`, what it overrides, its measures, and `expect.NAME`: 1 or 0.

        A measure that a variant has none of is NaN.
        """
        frame: pd.DataFrame = _whole(self).to_pandas()
        return frame

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: the first variants and their measures."""
        rows = self.table.to_dict(orient="records")
        text = f"{self.plan.count} variants of {', '.join(self.keys)}, in {self.path}"
        told = [name for name in self.measures if self.table[name].nunique() > 1][:8]
        shown = [
            {key: row[key] for key in ("variant", *self.keys, *told) if key in row} for row in rows
        ]
        ask = "all of it: .table; one as a run: .pick(variant)"
        return heading(text) + html_table(shown) + line(ask)

    @property
    def keys(self) -> list[str]:
        """The keys that are varied; without the seed if it is varied only by `seeds`."""
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
            fix = nearest_measure(key, self.measures)
            raise UnknownNameError.of(str(self.path), "", f'"{key}"', "no such measure", fix)
        return key

    def unit(self, key: str) -> str:
        """The unit of a measure; empty for counts and shares."""
        return str(self.info["units"].get(key, ""))

    def overrides(self, variant: int) -> dict[str, Any]:
        """The overrides of a variant, by key path.

        Raises:
            InputError: There is no such variant.
        """
        if not 0 <= variant < self.plan.count:
            rule = f"must be 0 to {self.plan.count - 1}"
            raise InputError.of(str(self.path), "variant", str(variant), rule)
        return dict(self.plan.overrides([variant])[0])

    def pick(self, variant: int, *, out: str | Path | None = None) -> Run:
        """Replay one variant in full, with all tables.

        Raises:
            InputError: The variant is unknown, or the scenario has changed.
        """
        overrides = self.overrides(variant)
        scenario = load(self.info["scenario"], overrides=self.info["overrides"])
        if fingerprint(scenario) != self.info["fingerprint"]:
            rule, fix = "was changed after the sweep", "run the sweep again"
            raise InputError.of(str(self.info["scenario"]), "", "", rule, fix)
        run = run_batch(scenario, variants=[overrides])[0]
        return run if out is None else run.save(out)


def sweep(
    scenario: str | Path | Scenario,
    vary: Mapping[str, Any],
    *,
    out: str | Path,
    seeds: int = 1,
    samples: int | None = None,
    jobs: int | None = None,
    cluster: str | None = None,
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
        cluster: The address of a Dask scheduler whose workers do the work, as `host:8786`; the
            table is the same.
        keep: A folder for the whole run of every variant, none if None; as the workers of a
            cluster see it.
        progress: Called with the variants done and the variants in all.

    Raises:
        InputError: Anything given is wrong, or another sweep is unfinished at that place.

    >>> import snelk, tempfile
    >>> place = tempfile.TemporaryDirectory()
    >>> reach = {"profiles.dog.hearing.acuity": [1.0, 1.8]}
    >>> done = snelk.sweep(snelk.croft() / "night.toml", reach, out=place.name + "/dog.parquet")
    >>> done.table["dog.time_in.asleep"].round(1).tolist()
    [90.1, 64.1]
    >>> place.cleanup()
    """
    scenario = as_scenario(scenario)
    plan, path = plan_of(scenario, vary, seeds=seeds, samples=samples), Path(out)
    claim(path, ".parquet", ours=_is_sweep)
    addresses = _addresses(scenario, plan)
    info = json.loads(json.dumps(_info(scenario, plan, addresses)))
    if path.exists() and keep is None and _is_same(path, info):
        if progress is not None:
            progress(plan.count, plan.count)
        return open_sweep(path)
    work = _Parts(path, info, _columns(plan, info))
    at_once = workers(jobs, cluster)
    batch = work.begin()
    starts = range(0, plan.count, batch)
    rows = {start: min(batch, plan.count - start) for start in starts}
    missing = [start for start in starts if not work.is_done(start, rows[start])]
    done = plan.count - sum(rows[start] for start in missing)
    if progress is not None:
        progress(done, plan.count)
    keep = None if keep is None else Path(keep).absolute()
    tasks = (
        (numbers, plan.overrides(numbers))
        for numbers in (range(start, min(start + batch, plan.count)) for start in missing)
    )
    job = _Job(scenario, addresses, keep)
    for numbers, table in in_batches(
        _rows, job, tasks, jobs=min(at_once, len(missing)), cluster=cluster if missing else None
    ):
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
        near = [p.name for p in path.parent.glob("*.parquet") if p.name[0] != "."]
        fix = nearest(path.name, near) if near else "make one: snelk sweep SCENARIO"
        raise ReadError.of(str(path), "", "", "no such file", fix)
    metadata = _metadata(path)
    if PLAN not in metadata:
        rule, fix = "is not a sweep table", "use the file that snelk sweep printed"
        raise ReadError.of(str(path), "", "", rule, fix)
    try:
        info = json.loads(metadata[PLAN])
        form = info["format"]
    except (ValueError, TypeError, KeyError, RecursionError):
        raise _damaged(path) from None
    if form != FORMAT:
        rule = f"was written in format {form}; this Snelk reads format {FORMAT}"
        raise ReadError.of(str(path), "", "", rule, AGAIN)
    if metadata.get(SEAL) != seal_of(info).encode():
        raise _damaged(path)
    plan = info["plan"]
    given: list[dict[str, Any]] = plan["axes"]
    axes = tuple(Axis(**(axis | {"values": tuple(axis["values"])})) for axis in given)
    made = Plan(axes, tuple(plan["seeds"]), plan["samples"], plan["chance"])
    return Sweep(path, info, made)


def seal_of(info: Mapping[str, Any]) -> str:
    """A digest of a sweep's own description, to detect damage."""
    text = json.dumps(info, sort_keys=True)
    return blake2b(text.encode(), digest_size=16).hexdigest()


def read_parquet(path: Path) -> pa.Table:
    """Read a sweep table, and check that it is undamaged.

    Raises:
        InputError: It is damaged.
    """
    try:
        table = pq.read_table(path, page_checksum_verification=True, partitioning=None)
        table.validate(full=True)
    except Exception:  # a damaged file fails in as many ways as there are bytes
        raise _damaged(path) from None
    return table


def _whole(found: Sweep) -> pa.Table:
    """The table of a sweep, checked.

    Raises:
        InputError: It is damaged.
    """
    table = read_parquet(found.path)
    names = _columns(found.plan, found.info)
    numbers = all(
        pa.types.is_floating(table.schema.field(name).type)
        for name in names[1 + len(found.keys) :]
        if name in table.column_names and name != "seed"
    )
    if table.column_names != names or table.num_rows != found.plan.count or not numbers:
        raise _damaged(found.path)
    return table


def _damaged(path: Path) -> ReadError:
    return ReadError.of(str(path), "", "", "was changed after Snelk wrote it", AGAIN)


def measures_of(
    scenario: Scenario, vary: Mapping[str, Any], *, seeds: int = 1, samples: int | None = None
) -> list[str]:
    """The keys of all measures and expectations that the table of a sweep would have.

    Raises:
        InputError: What is varied cannot be.
    """
    plan = plan_of(scenario, vary, seeds=seeds, samples=samples)
    keys = [address.key for address in _addresses(scenario, plan)]
    return [*keys, *(f"expect.{name}" for name in scenario.setup.expect)]


def fingerprint(scenario: Scenario) -> str:
    """A short hash of all that a scenario's runs depend on, users' activities too."""
    setup = scenario.setup.model_dump_json(by_alias=True)
    called = {
        state.call.activity
        for profile in scenario.setup.profiles.values()
        for state in (profile.ladder.states.values() if profile.ladder else ())
        if state.call is not None
    }
    activities = {name: registered(name).digest for name in sorted(called)}
    text = json.dumps([setup, scenario.digests(), version("snelk"), activities])
    return blake2b(text.encode(), digest_size=8).hexdigest()


def _metadata(path: Path) -> dict[bytes, bytes]:
    try:
        return pq.read_schema(path).metadata or {}
    except Exception:  # a damaged file fails in as many ways as there are bytes
        return {}


def _is_sweep(path: Path) -> bool:
    return PLAN in _metadata(path)


def _is_same(path: Path, info: Mapping[str, Any]) -> bool:
    """Whether a finished sweep at a place is this one, and whole."""
    try:
        found = open_sweep(path)
        return all((found.info == info, _whole(found).num_rows == found.plan.count))
    except InputError:
        return False


def _columns(plan: Plan, info: Mapping[str, Any]) -> list[str]:
    """The columns of a sweep's table."""
    keys = [axis.key for axis in plan.axes]
    seed = [] if "seed" in keys else ["seed"]
    expected = [f"expect.{name}" for name in info["expected"]]
    return ["variant", *keys, *seed, *info["units"], *expected]


def _info(scenario: Scenario, plan: Plan, addresses: Sequence[Address]) -> dict[str, Any]:
    units = {address.key: address.unit for address in addresses}
    return {
        "format": FORMAT,
        "snelk": version("snelk"),
        "scenario": scenario.source,
        "title": scenario.setup.title,
        "overrides": dict(scenario.overrides),
        "fingerprint": fingerprint(scenario),
        "plan": asdict(plan),
        "today": {axis.key: value_of(scenario.setup, axis.key) for axis in plan.axes},
        "units": units,
        "expected": list(scenario.setup.expect),
    }


def _addresses(scenario: Scenario, plan: Plan) -> tuple[Address, ...]:
    """The measures that the variants can have."""
    changed = [scenario.changed({axis.key: v}) for axis in plan.axes for v in axis.ends()]
    return addresses_of([scenario.setup, *(each.setup for each in changed)])


class _Parts:
    """The finished batches of a sweep, each in a file beside the future table."""

    def __init__(self, path: Path, info: Mapping[str, Any], columns: Sequence[str]) -> None:
        self.path, self.info, self.columns = path, info, list(columns)
        self.folder = path.with_name(f".{path.name}.parts")
        self.seal = seal_of(info).encode()

    def part(self, start: int) -> Path:
        """The file of the batch that begins with a variant."""
        return self.folder / f"{start:08d}.parquet"

    def begin(self) -> int:
        """Prepare the folder, or find finished batches; return the size of a batch."""
        notes = self.folder / "plan.json"
        if notes.is_file():
            try:
                found = json.loads(notes.read_text(encoding="utf-8"))
                info, batch = found["info"], found["batch"]
            except (OSError, ValueError, TypeError, KeyError, RecursionError):
                info, batch = None, 0
            if info != self.info or type(batch) is not int or not 1 <= batch <= ROW_GROUP:
                rule = "another sweep is unfinished there"
                fix = f"choose another place, or remove {self.folder}"
                raise InputError.of(str(self.path), "", "", rule, fix)
            return batch
        write_text(notes, json.dumps({"info": self.info, "batch": BATCH}))
        return BATCH

    def is_done(self, start: int, rows: int) -> bool:
        """Whether a batch exists, is complete, and belongs to this sweep."""
        try:
            return bool(self._read(start).num_rows == rows)
        except InputError:
            return False

    def write(self, start: int, table: pa.Table) -> None:
        """Keep a batch that is done."""
        sealed = table.replace_schema_metadata({SEAL: self.seal})
        with written(self.part(start)) as draft:
            pq.write_table(sealed, draft, compression="zstd", write_page_checksum=True)

    def join(self, starts: Sequence[int]) -> None:
        """Write all parts, in order, as one table, and remove them."""
        plan = {PLAN: json.dumps(self.info), SEAL: self.seal}
        with written(self.path) as draft:
            schema = self._read(starts[0]).schema.with_metadata(plan)
            with pq.ParquetWriter(
                draft, schema, compression="zstd", write_page_checksum=True
            ) as writer:
                # Of always as many rows, however large the batches were: the same bytes.
                rest = schema.empty_table()
                for start in starts:
                    rest = pa.concat_tables([rest, self._read(start).cast(schema)])
                    whole = rest.num_rows // ROW_GROUP * ROW_GROUP
                    for low in range(0, whole, ROW_GROUP):
                        writer.write_table(rest.slice(low, ROW_GROUP).combine_chunks())
                    rest = rest.slice(whole)
                if rest.num_rows:
                    writer.write_table(rest.combine_chunks())
        shutil.rmtree(self.folder, ignore_errors=True)

    def _read(self, start: int) -> pa.Table:
        table = read_parquet(self.part(start))
        sealed = (table.schema.metadata or {}).get(SEAL) == self.seal
        if not sealed or table.column_names != self.columns:
            raise _damaged(self.part(start))
        return table


@dataclass(frozen=True)
class _Job:
    """Data that all batches share."""

    scenario: Scenario
    addresses: tuple[Address, ...]
    keep: Path | None


def _rows(job: _Job, numbers: range, overrides: list[dict[str, Any]]) -> tuple[range, pa.Table]:
    """The rows of one batch."""
    measured, verdicts = judge_batch(job.scenario, variants=overrides)
    known = dict(zip(measured.addresses, measured.values.T, strict=True))
    columns: dict[str, Any] = {"variant": np.array(numbers)}
    columns |= {key: guessed_of([row[key] for row in overrides]) for key in overrides[0]}
    # What nobody in this batch can have, others may: the columns are those of all.
    nothing = np.full(len(numbers), np.nan)
    columns |= {each.key: known.get(each, nothing) for each in job.addresses}
    names = verdicts.names
    columns |= {f"expect.{name}": verdicts.met[:, n] * 1.0 for n, name in enumerate(names)}
    if job.keep is not None:
        runs = run_batch(job.scenario, variants=overrides)
        for number, run in zip(numbers, runs, strict=True):
            run.save(job.keep / f"variant-{number:05d}")
    return numbers, table_of(columns)
