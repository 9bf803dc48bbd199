"""Snelk: what NPCs sense, replayed, explained and tuned.

>>> import snelk
>>> run = snelk.run(snelk.croft() / "night.toml")
>>> print(run.why("goose-2", "fox", at=40.0).headline)
goose-2 does not see fox at 40.00 s: behind hay-3
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from snelk.body.registry import Move, Situation, activity, check_activity
    from snelk.config.foreign import Conventions, Imported, import_tracks
    from snelk.config.meshes import level_from_mesh
    from snelk.config.outlines import level_from_outlines
    from snelk.config.scenario import Scenario, load
    from snelk.demonstration import croft
    from snelk.engine.simulation import Simulation
    from snelk.errors import InputError, Problem, SnelkError
    from snelk.level.level import Level, Sightline
    from snelk.level.visible import VisibleRegion, visible_region
    from snelk.page.build import page_of, write_page
    from snelk.plots.animation import animate
    from snelk.plots.compare import plot_compare
    from snelk.plots.coverage import plot_coverage
    from snelk.plots.imported import plot_imported
    from snelk.plots.map import plot_map
    from snelk.plots.meter import plot_meter
    from snelk.plots.search import plot_search
    from snelk.plots.states import plot_states
    from snelk.plots.sweep import plot_sweep
    from snelk.plots.timeline import plot_timeline
    from snelk.runs.answers import (
        Answer,
        BeliefAnswer,
        Change,
        ConeAnswer,
        Gate,
        MeterAnswer,
        SenseAnswer,
    )
    from snelk.runs.asked import Part
    from snelk.runs.events import Event
    from snelk.runs.ladders import ChangeAnswer, LadderAnswer
    from snelk.runs.live import Belief, Live, Pose
    from snelk.runs.run import Run, open_run, run, run_batch
    from snelk.runs.spans import Span
    from snelk.tuning.check import Finding, check
    from snelk.tuning.compare import Comparison, compare
    from snelk.tuning.coverage import Coverage, coverage
    from snelk.tuning.fit import FitResult, fit
    from snelk.tuning.imported import doubts_about
    from snelk.tuning.reading import Want
    from snelk.tuning.searches import SearchResult, compare_searches
    from snelk.tuning.sweep import Sweep, open_sweep, sweep
    from snelk.tuning.verify import Failure, Verdict, verify

_HOMES = {
    "Answer": "snelk.runs.answers",
    "Belief": "snelk.runs.live",
    "BeliefAnswer": "snelk.runs.answers",
    "Change": "snelk.runs.answers",
    "ChangeAnswer": "snelk.runs.ladders",
    "Comparison": "snelk.tuning.compare",
    "ConeAnswer": "snelk.runs.answers",
    "Conventions": "snelk.config.foreign",
    "Coverage": "snelk.tuning.coverage",
    "Event": "snelk.runs.events",
    "Failure": "snelk.tuning.verify",
    "Finding": "snelk.tuning.check",
    "FitResult": "snelk.tuning.fit",
    "Gate": "snelk.runs.answers",
    "Imported": "snelk.config.foreign",
    "InputError": "snelk.errors",
    "LadderAnswer": "snelk.runs.ladders",
    "Level": "snelk.level.level",
    "Live": "snelk.runs.live",
    "MeterAnswer": "snelk.runs.answers",
    "Move": "snelk.body.registry",
    "Part": "snelk.runs.asked",
    "Pose": "snelk.runs.live",
    "Problem": "snelk.errors",
    "Run": "snelk.runs.run",
    "Scenario": "snelk.config.scenario",
    "SearchResult": "snelk.tuning.searches",
    "SenseAnswer": "snelk.runs.answers",
    "Sightline": "snelk.level.level",
    "Simulation": "snelk.engine.simulation",
    "Situation": "snelk.body.registry",
    "SnelkError": "snelk.errors",
    "Span": "snelk.runs.spans",
    "Sweep": "snelk.tuning.sweep",
    "Verdict": "snelk.tuning.verify",
    "VisibleRegion": "snelk.level.visible",
    "Want": "snelk.tuning.reading",
    "activity": "snelk.body.registry",
    "animate": "snelk.plots.animation",
    "check": "snelk.tuning.check",
    "check_activity": "snelk.body.registry",
    "compare": "snelk.tuning.compare",
    "compare_searches": "snelk.tuning.searches",
    "coverage": "snelk.tuning.coverage",
    "croft": "snelk.demonstration",
    "doubts_about": "snelk.tuning.imported",
    "fit": "snelk.tuning.fit",
    "import_tracks": "snelk.config.foreign",
    "level_from_mesh": "snelk.config.meshes",
    "level_from_outlines": "snelk.config.outlines",
    "load": "snelk.config.scenario",
    "open_run": "snelk.runs.run",
    "open_sweep": "snelk.tuning.sweep",
    "page_of": "snelk.page.build",
    "plot_compare": "snelk.plots.compare",
    "plot_coverage": "snelk.plots.coverage",
    "plot_imported": "snelk.plots.imported",
    "plot_map": "snelk.plots.map",
    "plot_meter": "snelk.plots.meter",
    "plot_search": "snelk.plots.search",
    "plot_states": "snelk.plots.states",
    "plot_sweep": "snelk.plots.sweep",
    "plot_timeline": "snelk.plots.timeline",
    "run": "snelk.runs.run",
    "run_batch": "snelk.runs.run",
    "sweep": "snelk.tuning.sweep",
    "verify": "snelk.tuning.verify",
    "visible_region": "snelk.level.visible",
    "write_page": "snelk.page.build",
}
"""Where each public name lives; it is loaded when first asked for, so that import is quick."""

__all__ = [
    "Answer",
    "Belief",
    "BeliefAnswer",
    "Change",
    "ChangeAnswer",
    "Comparison",
    "ConeAnswer",
    "Conventions",
    "Coverage",
    "Event",
    "Failure",
    "Finding",
    "FitResult",
    "Gate",
    "Imported",
    "InputError",
    "LadderAnswer",
    "Level",
    "Live",
    "MeterAnswer",
    "Move",
    "Part",
    "Pose",
    "Problem",
    "Run",
    "Scenario",
    "SearchResult",
    "SenseAnswer",
    "Sightline",
    "Simulation",
    "Situation",
    "SnelkError",
    "Span",
    "Sweep",
    "Verdict",
    "VisibleRegion",
    "Want",
    "activity",
    "animate",
    "check",
    "check_activity",
    "compare",
    "compare_searches",
    "coverage",
    "croft",
    "doubts_about",
    "fit",
    "import_tracks",
    "level_from_mesh",
    "level_from_outlines",
    "load",
    "open_run",
    "open_sweep",
    "page_of",
    "plot_compare",
    "plot_coverage",
    "plot_imported",
    "plot_map",
    "plot_meter",
    "plot_search",
    "plot_states",
    "plot_sweep",
    "plot_timeline",
    "run",
    "run_batch",
    "sweep",
    "verify",
    "visible_region",
    "write_page",
]


def __getattr__(name: str) -> Any:
    if name not in _HOMES:
        raise AttributeError(f"module 'snelk' has no attribute {name!r}")
    value = getattr(import_module(_HOMES[name]), name)
    globals()[name] = value
    return value


def __dir__() -> list[str]:
    return sorted([*globals(), *_HOMES])
