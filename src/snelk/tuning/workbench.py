"""Trying other numbers on a scenario: what becomes of the night, at once, and what differs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from snelk.config.numbers import Number, numbers_of
from snelk.config.scenario import Scenario, load
from snelk.config.writing import Rewrite, rewritten, write_back
from snelk.engine.simulation import Simulation
from snelk.errors import InputError
from snelk.runs.quick import Dense, quick_run
from snelk.runs.run import Run, run
from snelk.tuning.compare import Comparison, compare
from snelk.tuning.judging import judge_batch

Changes = Mapping[str, float]
"""Numbers by their key paths."""

MOVED = 8
"""Measures that are told: those that moved most."""


@dataclass(frozen=True)
class Judged:
    """What became of an expectation, with today's numbers and with those that are tried."""

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


class Workbench:
    """A scenario whose numbers are tried.

    Args:
        path: Its TOML file.
        overrides: Numbers that are otherwise than in the file from the beginning.

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
        """Read the files anew, which an editor may have changed.

        Raises:
            InputError: They are wrong; then all stays as it was.
        """
        scenario = load(self.path, overrides=self.overrides)
        self.scenario, self.today = scenario, run(scenario)
        self._whole = {each.key for each in self.numbers() if each.whole}
        self.stamps = self._stamped(scenario)
        self._met = self._judge(scenario)

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

    def _typed(self, changes: Changes) -> dict[str, float]:
        """Whole numbers as such, and all others not, whatever a page makes of them."""
        return {
            key: int(value) if key in self._whole and float(value).is_integer() else float(value)
            for key, value in changes.items()
        }

    def numbers(self) -> list[Number]:
        """All numbers that can be turned, as they are in the files."""
        return numbers_of(self.scenario.setup)

    def quick(self, changes: Changes) -> tuple[Run, Dense]:
        """The night with other numbers, in arrays; see `quick_run`.

        Raises:
            InputError: A number breaks its rule.
        """
        return quick_run(Simulation(self.scenario.changed(self._typed(changes))))

    def whole(self, changes: Changes) -> Trial:
        """The night with other numbers, all of it, and what is otherwise than today.

        Raises:
            InputError: A number breaks its rule.
        """
        tried = self.scenario.changed(self._typed(changes))
        now = run(tried)
        comparison = compare(self.today, now)
        met, expect = self._judge(tried), self.scenario.setup.expect
        verdicts = [Judged(name, expect[name].sentence, met[name], self._met[name]) for name in met]
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
        self.scenario.changed(self._typed(changes))
        return rewritten(self.scenario, self._typed(changes))

    def write(self, changes: Changes) -> list[Path]:
        """Write other numbers into the files, comments kept, and read them anew.

        Raises:
            InputError: A file was changed meanwhile, or cannot be written; then none is.
        """
        if self.is_outdated:
            rule, fix = "was changed meanwhile", "take it in first, and look again"
            raise InputError.of(str(self.path), "", "", rule, fix)
        files = self.rewritten(changes)
        write_back(files)
        self.take_in()
        return [each.path for each in files]


def _moved(comparison: Comparison) -> list[Moved]:
    """The measures that moved most, by the share of the larger value."""
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
