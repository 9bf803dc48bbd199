"""Trying other numbers on a scenario: the result at once, and the differences."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.config.corners import Corner, corners_of, with_corners, with_corners_in
from snelk.config.draft import split_key
from snelk.config.geojson import LevelData
from snelk.config.numbers import Number, numbers_of
from snelk.config.problems import key_path, shown
from snelk.config.scenario import Scenario, load, parse_override
from snelk.config.writing import Rewrite, read_text, rewritten, write_back
from snelk.errors import InputError, one_of
from snelk.runs.answers import Answer, SenseAnswer
from snelk.runs.measures import Measured
from snelk.runs.run import Run, run
from snelk.tuning.batches import cores, in_batches
from snelk.tuning.compare import Comparison, compare
from snelk.tuning.fit import as_given, fit
from snelk.tuning.judging import Verdicts, judge_batch
from snelk.tuning.plan import plan_of
from snelk.tuning.trials import Progress
from snelk.tuning.turning import turnings

Changes = Mapping[str, Any]
"""What is tried, by key:

- `KEY PATH`: a number, a text, or a list, as for `--set`;
- `level.KIND.NAME.N`: `[x, y]`, where corner N of a feature of the level is put, m;
- `+noise`, `+change`: a list of tables, noises and changes of doors and lights, that are added.
"""

ADDED = ("noise", "change")
"""Tables of a scenario that can be added to."""

WISHED = "asked for here"
"""The name of a wish that is tried."""

MOST_CORNERS = 3000
"""Of more corners a page would be no pleasure."""

NIGHTS_KEPT = 3
"""So many nights are kept, beside the last."""

SWEPT, MOST_SWEPT = 4, 400
"""Variants that are judged together, and that a sweep has at most."""

MOVED = 8
"""Measures that are told: those that moved most."""


@dataclass(frozen=True)
class Judged:
    """The result of an expectation, with the current numbers of the files and with those tried."""

    name: str
    sentence: str
    met: bool
    before: bool


@dataclass(frozen=True)
class Moved:
    """A measure that is another than with today's numbers."""

    measure: str
    before: float | None
    now: float | None
    unit: str


@dataclass(frozen=True)
class Trial:
    """A night with other numbers, all of it.

    Attributes:
        run: The night.
        comparison: With today's.
        verdicts: What is expected of it.
        moved: The measures that moved, the largest share first.
    """

    run: Run
    comparison: Comparison
    verdicts: list[Judged]
    moved: list[Moved]


@dataclass(frozen=True)
class Handle:
    """A place that can be moved: of a character, or a corner of a feature of the level.

    Attributes:
        key: How it is named in `Changes`.
        name, kind: Of whom; `at` or `home` of a character, or the kind of feature.
        x, y: Where it is, m.
        closed: Whether it is a corner of a closed outline.
    """

    key: str
    name: str
    kind: str
    x: float
    y: float
    closed: bool = False


@dataclass(frozen=True)
class Smallest:
    """A change that would change an answer: its sense, in words, and what to try."""

    sense: str
    text: str
    changes: dict[str, Any]


class Workbench:
    """A scenario whose numbers are tried.

    Args:
        path: Its TOML file.
        overrides: Numbers overridden from the start.

    Attributes:
        path, overrides: As given.
        today: The night with the numbers of the files.
        stamps: When each of the files was changed last, and its size.

    Raises:
        InputError: The scenario is wrong.
    """

    def __init__(self, path: str | Path, overrides: Mapping[str, Any] | None = None) -> None:
        self.path, self.overrides = Path(path), dict(overrides or {})
        self.take_in()

    def take_in(self) -> None:
        """Read the files again, after changes by an editor.

        Raises:
            InputError: They are wrong; then all stays as it was.
        """
        scenario = load(self.path, overrides=self.overrides)
        self.scenario, self.today = scenario, run(scenario)
        self._whole = {each.key for each in self.numbers() if each.whole}
        self._moved: tuple[dict[Corner, tuple[float, float]], LevelData] | None = None
        self.stamps = self._stamped(scenario)
        self._nights = {"{}": (self.today, self._judge(scenario))}

    @property
    def is_outdated(self) -> bool:
        """Whether a file of the scenario was changed since it was read."""
        return self._stamped(self.scenario) != self.stamps

    @staticmethod
    def _stamped(scenario: Scenario) -> tuple[tuple[str, int, int], ...]:
        found = []
        for path in files_of(scenario):
            try:
                state = path.stat()
                found.append((str(path), state.st_mtime_ns, state.st_size))
            except OSError:
                found.append((str(path), -1, -1))
        return tuple(found)

    def _sorted(self, changes: Changes) -> _Sorted:
        """Changes sorted by where they belong, with the types of the files."""
        sort = _Sorted({}, {}, {})
        for key, value in changes.items():
            if key[:1] == "+":
                one_of(key[1:], ADDED, source="changes", place="", what="table to add to")
                tables = isinstance(value, list) and all(isinstance(each, dict) for each in value)
                if not tables:
                    raise InputError.of("changes", key, shown(value), "must be a list of tables")
                sort.added[key[1:]] = value
                continue
            parts = split_key(key)
            if parts[0] == "level" and len(parts) == 4:
                place = isinstance(value, list) and len(value) == 2 and all(map(_is_number, value))
                if not place or not parts[3].isdecimal():
                    raise InputError.of(
                        "changes", key, shown(value), "must be a place, [x, y] in m"
                    )
                corner = Corner(parts[1], parts[2], int(parts[3]))
                sort.corners[corner] = float(value[0]), float(value[1])
            elif _is_number(value):
                whole = key in self._whole and float(value).is_integer()
                sort.values[key] = int(value) if whole else float(value)
            else:
                sort.values[key] = value
        return sort

    def numbers(self) -> list[Number]:
        """All numbers that can be changed, as they are in the files."""
        return numbers_of(self.scenario.as_written)

    def tried(self, changes: Changes) -> Scenario:
        """The scenario with other numbers.

        Raises:
            InputError: A number breaks its rule.
        """
        sort = self._sorted(changes)
        values = dict(sort.values)
        for name, more in sort.added.items():
            values[name] = [*self.scenario.draft.raw.get(name, []), *more]
        tried = self.scenario.changed(values)
        if not sort.corners:
            return tried
        if self._moved is None or self._moved[0] != sort.corners:  # a new level takes long
            self._moved = sort.corners, with_corners(self.scenario.level, sort.corners)
        return replace(tried, level=self._moved[1])

    def handles(self) -> list[Handle]:
        """All positions that can be moved, as they are in the files.

        Of a level with very many corners only spots and routes.
        """
        cast = [
            Handle(key_path(("cast", name, key)), name, key, *place)
            for name, member in self.scenario.setup.cast.items()
            for key in ("at", "home")
            if (place := getattr(member, key)) is not None and member.clue is None
        ]
        corners = list(corners_of(self.scenario.level))
        if len(corners) > MOST_CORNERS:
            corners = [each for each in corners if each[0].kind in ("spot", "route")]
        return cast + [
            Handle(key_path(("level", each.kind, each.name, str(each.number))), each.name,
                   each.kind, x, y, closed)
            for each, (x, y), closed in corners
        ]  # fmt: skip

    def smallest(self, changes: Changes, agent: str, target: str, t: float) -> list[Smallest]:
        """The smallest changes that would change what an agent senses of a target at a time.

        Raises:
            InputError: A number breaks its rule, a name or the time is wrong.
        """
        night = self.night(changes)[0]
        answer = night.why(agent, target, at=t)
        parts: list[tuple[str, Answer | SenseAnswer]] = [("sight", answer)]
        parts += [(each.sense, each) for each in answer.senses]
        found = [
            Smallest(sense, each.text, dict(map(parse_override, each.settable)))
            for sense, part in parts
            for each in (part.counterfactual, *part.others)
            if each is not None and each.settable
        ]
        if self.scenario.setup.profile_of(agent).ladder is not None:
            turned = turnings(night, agent, t)
            found += [Smallest("state", each.text, {each.key: each.value}) for each in turned]
        return found

    def may_move(self) -> dict[str, list[Any]]:
        """The numbers that `fit.move` lets move: by key path [low, high], or the choices."""
        found = {}
        for key, limits in self.scenario.setup.fit.move.items():
            given = as_given(limits)
            found[key] = [*given]
        return found

    def fitted(
        self, changes: Changes, move: Mapping[str, Sequence[Any]], wish: Mapping[str, Any] | None,
        budget: int, progress: Progress | None = None,
    ) -> dict[str, Any]:  # fmt: skip
        """Numbers that meet the expectations and wishes, as plain data; see `fit`.

        Args:
            changes: What is tried already.
            move: By key path (low, high), or choices; as the scenario says if empty.
            wish: One more wish, as in a scenario; none if None.
            budget: How many variants are tried at most.
            progress: Called with the variants tried and the total.

        Raises:
            InputError: As `fit`.
        """
        scenario = self.tried(changes)
        if wish:
            scenario = scenario.changed({f'wish."{WISHED}"': dict(wish)})
        limits = {key: tuple(each) if len(each) == 2 else each for key, each in move.items()}
        found = fit(scenario, move=limits or None, budget=budget, progress=progress)
        return {
            "changes": {**changes, **found.overrides},
            "met": found.met, "tried": found.tried,
            "goals": [{"name": goal.name, "sentence": goal.sentence, "met": goal.met,
                      "before": _finite(goal.before), "after": _finite(goal.after)}
                     for goal in found.goals],
        }  # fmt: skip

    def swept(
        self, changes: Changes, vary: Mapping[str, Sequence[Any]],
        progress: Progress | None = None,
    ) -> dict[str, Any]:  # fmt: skip
        """How expectations and measures change with a number, as plain data.

        Args:
            changes: What is tried already.
            vary: For each key path its values; of several all combinations.
            progress: Called with the variants tried and the total.

        Raises:
            InputError: As `sweep`; or there are more than 400 variants.
        """
        scenario = self.tried(changes)
        plan = plan_of(scenario, vary)
        if plan.count > MOST_SWEPT:
            rule = f"makes {plan.count} variants, more than {MOST_SWEPT}"
            raise InputError.of("sweep", "", "", rule, "use fewer values, or use snelk sweep")
        variants = [
            {key: value for key, value in each.items() if key in vary}
            for each in plan.overrides(range(plan.count))
        ]
        tasks = [(n, variants[n : n + SWEPT]) for n in range(0, len(variants), SWEPT)]
        rows: dict[int, tuple[Measured, Verdicts]] = {}
        for first, judged in in_batches(_judged, scenario, tasks, jobs=min(cores(), len(tasks))):
            rows[first] = judged
            if progress is not None:
                progress(sum(len(each.met) for _, each in rows.values()), len(variants))
        measured, verdicts = zip(*(rows[n] for n, _ in tasks), strict=True)
        values = np.concatenate([each.values for each in measured])
        addresses, names = measured[0].addresses, verdicts[0].names
        met = np.concatenate([each.met for each in verdicts])
        told = _telling(values)
        return {
            "of": len(names),
            "measures": [{"key": addresses[n].key, "unit": addresses[n].unit} for n in told],
            "rows": [
                {"changes": {**changes, **each},
                 "unmet": [name for name, is_met in zip(names, met[n], strict=True) if not is_met],
                 "values": [_finite(float(values[n, m])) for m in told]}
                for n, each in enumerate(variants)
            ],
        }  # fmt: skip

    def night(self, changes: Changes) -> tuple[Run, dict[str, bool]]:
        """The night with other numbers, and which expectations it meets; the last few are kept.

        Raises:
            InputError: A number breaks its rule.
        """
        key = json.dumps(changes, sort_keys=True)
        if key not in self._nights:
            tried = self.tried(changes)
            if len(self._nights) > NIGHTS_KEPT:
                oldest = next(each for each in self._nights if each != "{}")  # today's stays
                del self._nights[oldest]
            self._nights[key] = run(tried), self._judge(tried)
        return self._nights[key]

    def whole(self, changes: Changes, against: Changes | None = None) -> Trial:
        """The whole run with other numbers, and its differences from another run.

        Args:
            changes: What is tried.
            against: What the other night has; today's numbers if None.

        Raises:
            InputError: A number breaks its rule.
        """
        (now, met), (other, before) = self.night(changes), self.night(against or {})
        comparison, expect = compare(other, now), self.scenario.setup.expect
        verdicts = [Judged(name, expect[name].sentence, met[name], before[name]) for name in met]
        return Trial(now, comparison, verdicts, _moved(comparison))

    @staticmethod
    def _judge(scenario: Scenario) -> dict[str, bool]:
        """Whether each expectation is met, with the scenario's own seed."""
        if not scenario.setup.expect:
            return {}
        verdicts = judge_batch(scenario)[1]
        return dict(zip(verdicts.names, verdicts.met[0].tolist(), strict=True))

    def rewritten(self, changes: Changes) -> list[Rewrite]:
        """The files with other numbers; nothing is written yet.

        Raises:
            InputError: A number breaks its rule, or a file cannot be read.
        """
        self.tried(changes)
        sort = self._sorted(changes)
        files = rewritten(self.scenario, sort.values, added=sort.added)
        if sort.corners:
            path = Path(self.scenario.level.source)
            before = read_text(path)
            files.append(Rewrite(path, before, with_corners_in(before, sort.corners)))
        return files

    def write(self, changes: Changes) -> list[Path]:
        """Write other numbers into the files, comments kept, and read them again.

        Raises:
            InputError: A file was changed meanwhile, or cannot be written; then none is.
        """
        if self.is_outdated:
            rule, fix = "was changed by another program", "reload it first"
            raise InputError.of(str(self.path), "", "", rule, fix)
        files = self.rewritten(changes)
        write_back(files)
        self.take_in()
        return [each.path for each in files]


class _Sorted(NamedTuple):
    """Changes sorted by where they belong."""

    values: dict[str, Any]
    corners: dict[Corner, tuple[float, float]]
    added: dict[str, list[dict[str, Any]]]


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _judged(
    scenario: Scenario, first: int, variants: list[dict[str, Any]]
) -> tuple[int, tuple[Measured, Verdicts]]:
    return first, judge_batch(scenario, variants=variants)


def _telling(values: NDArray[np.float64]) -> list[int]:
    """The measures that differ most from variant to variant, by the share of the largest."""
    some = np.isfinite(values).any(axis=0)
    low, high = (np.full(values.shape[1], np.nan) for _ in range(2))
    low[some], high[some] = np.nanmin(values[:, some], axis=0), np.nanmax(values[:, some], axis=0)
    most = np.maximum(np.abs(low), np.abs(high))
    share = np.divide(high - low, most, out=np.zeros_like(most), where=most > 0.0)
    share[~np.isfinite(values).all(axis=0) & some] += 1.0  # some have none
    order = np.argsort(-np.nan_to_num(share), kind="stable")[:MOVED]
    return [int(n) for n in order if np.nan_to_num(share[n]) > 0.0]


def _moved(comparison: Comparison) -> list[Moved]:
    """The measures that changed most, by the share of the larger value."""
    rows = comparison.changed
    share = rows.difference.abs() / rows[["a", "b"]].abs().max(axis=1)
    order = share.fillna(2.0).sort_values(ascending=False, kind="stable").index[:MOVED]
    each: Any = rows.loc[order].itertuples()
    return [Moved(str(row.key), _finite(row.a), _finite(row.b), str(row.unit)) for row in each]


def _finite(value: float) -> float | None:
    """A measure; None if there is none."""
    return float(value) if value == value else None


def files_of(scenario: Scenario) -> list[Path]:
    """All files that a scenario comes from: its numbers, level, tracks and the like."""
    folder, setup = Path(scenario.source).parent, scenario.setup
    named = (setup.use, [setup.level], setup.tracks, setup.noises, setup.throws, setup.changes)
    return [Path(scenario.source), *(folder / name for names in named for name in names)]
