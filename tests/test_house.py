"""The house itself: front door, layers, quick start, data made by its script, examples."""

from __future__ import annotations

import ast
import contextlib
import importlib.metadata
import importlib.util
import inspect
import io
import re
import runpy
import subprocess
import sys
from functools import cache
from pathlib import Path
from typing import Any

import networkx
import pytest

import snelk
from snelk.cli.covering import coverage
from snelk.cli.fairness import fair
from snelk.cli.goals import fit
from snelk.cli.playing import players
from snelk.cli.sneaking import sneak
from snelk.cli.sweeping import sweep
from snelk.config.goals import (
    Expectation,
    Fair,
    Fit,
    Holding,
    Interval,
    Limits,
    MeasureBetween,
    MeterUnder,
    Notices,
    Reaches,
    Since,
    Stays,
    Wish,
)
from snelk.config.minds import (
    Approach,
    Call,
    Catch,
    ConeLimits,
    Effects,
    Evade,
    Flee,
    Go,
    Ladder,
    Leash,
    Movement,
    Patrol,
    Resume,
    Roam,
    Search,
    Sleep,
    State,
    Transition,
)
from snelk.config.models import (
    Air,
    Body,
    Clock,
    Cone,
    Effect,
    Hearing,
    Lamp,
    Member,
    Memory,
    Meter,
    Noise,
    NoiseKind,
    Profile,
    Setup,
    Smell,
    Steps,
    Tell,
    Throw,
    Touch,
    Wall,
    Zone,
    ZoneSense,
)
from snelk.runs.store import TABLES

ROOT = Path(__file__).parents[1]
PACKAGE = ROOT / "src" / "snelk"
LAYERS = (
    "config",
    "level",
    "senses",
    "mind",
    "body",
    "engine",
    "runs",
    "tuning",
    "plots",
    "page",
    "serving",
    "cli",
)
HEAVY = (
    "numpy",
    "cython",
    "pandas",
    "pyarrow",
    "shapely",
    "matplotlib",
    "pydantic",
    "scipy",
    "rich",
    "lark",
    "joblib",
    "tomlkit",
    "bokeh",
    "jinja2",
    "PIL",
    "trimesh",
)


def test_the_front_door_lists_what_is_really_there() -> None:
    tree = ast.parse((PACKAGE / "__init__.pyi").read_text())
    homes = {
        alias.name: f"snelk.{node.module}"
        for node in ast.walk(tree)
        if isinstance(node, ast.ImportFrom)
        for alias in node.names
    }
    assert sorted(homes) == sorted(snelk.__all__)
    for name in snelk.__all__:
        thing = getattr(snelk, name)
        assert thing.__module__ == homes[name], name
        # A module of that name would take its place as soon as it is imported.
        assert not (PACKAGE / name / "__init__.py").exists(), name
        assert not (PACKAGE / f"{name}.py").exists(), name
        assert thing.__doc__, name
    assert issubclass(snelk.InputError, ValueError)
    assert snelk.__version__ == importlib.metadata.version("snelk")
    with pytest.raises(AttributeError, match="No snelk attribute rnu"):
        _ = snelk.rnu  # type: ignore[attr-defined]


INSIDE = {
    "Change",
    "Draft",
    "Grid",
    "LevelData",
    "Links",
    "Plan",
    "Play",
    "Played",
    "Recorded",
    "Setup",
    "Ways",
    "Zones",
}
"""What public things have of the inside; `Setup` and `Plan` are told as keys and options."""


def test_everything_returned_is_at_the_front_door_too() -> None:
    known = {
        name
        for place, module in list(sys.modules.items())
        if place.startswith("snelk.")
        for name, value in vars(module).items()
        if inspect.isclass(value) and value.__module__.startswith("snelk.")
    }
    told = 0
    for name in snelk.__all__:
        thing = getattr(snelk, name)
        parts = [thing, *vars(thing).values()] if inspect.isclass(thing) else [thing]
        texts = list(getattr(thing, "__annotations__", {}).values()) if len(parts) > 1 else []
        for part in parts:
            part = getattr(part, "fget", None) or getattr(part, "func", None) or part
            part = getattr(part, "__func__", part)
            if inspect.isfunction(part) and not (part.__name__.startswith("_")):
                texts.append(part.__annotations__.get("return", ""))
                if "scenario" in inspect.signature(part).parameters and part is thing:
                    assert part.__annotations__["scenario"] == "str | Path | Scenario", name
        words = {word for text in texts for word in re.findall(r"(?<![\w.])[A-Z]\w+", str(text))}
        assert words & known <= {*snelk.__all__, *INSIDE}, name
        told += len(words & known)
        if name.startswith("plot_"):
            assert "ax" in inspect.signature(thing).parameters, name
            assert hasattr(getattr(snelk, thing.__annotations__["return"]), "save"), name
    assert told > 60


@cache
def imports() -> list[tuple[str, str, list[str]]]:
    """Which module imports which names from which other, also within functions."""
    return [
        (".".join(("snelk", *path.relative_to(PACKAGE).with_suffix("").parts)), node.module or "",
         [alias.name for alias in node.names])
        for path in PACKAGE.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.ImportFrom)
    ]  # fmt: skip


def test_imports_run_one_way_only() -> None:
    for name, module, _ in imports():
        layer, other = name.split(".")[1], [*module.split("."), ""][1]
        if module.startswith("snelk.") and layer in LAYERS and other in LAYERS:
            assert LAYERS.index(other) <= LAYERS.index(layer), f"{name} imports {module}"


def test_no_module_leads_back_to_itself() -> None:
    """Imports for type checkers, and those within functions, count too."""
    graph = networkx.DiGraph()
    for name, module, inner in imports():
        others = module, *(f"{module}.{each}" for each in inner)
        graph.add_edges_from((name, other) for other in others)
    places = [".".join(("snelk", *path.relative_to(PACKAGE).with_suffix("").parts))
              for path in PACKAGE.rglob("*.py")]  # fmt: skip
    graph = graph.subgraph(places)
    assert graph.number_of_edges() > 500
    assert [
        sorted(some) for some in networkx.strongly_connected_components(graph) if len(some) > 1
    ] == []


@pytest.mark.parametrize(
    ("code", "unused"),
    [
        ("import snelk", HEAVY),
        ("import snelk.cli.main", HEAVY),
        ("import snelk.page.build, snelk.serving.workbench", ("matplotlib", "scipy", "PIL")),
        (
            f"import snelk; run = snelk.run({str(PACKAGE / 'starter' / 'scenario.toml')!r})\n"
            "snelk.page_of(run), snelk.plot_map(run, at=3.0), snelk.plot_timeline(run)\n"
            "snelk.plot_states(run, 'hound'), snelk.compare(run, run).events",
            ("pandas", "scipy"),
        ),
    ],
)
def test_heavy_libraries_load_only_where_used(code: str, unused: tuple[str, ...]) -> None:
    script = f"{code}\nimport sys\nprint(*(m for m in {unused!r} if m in sys.modules))"
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    )
    assert done.stdout.split() == []


def script(name: str) -> Any:
    spec = importlib.util.spec_from_file_location(name, ROOT / "scripts" / f"{name}.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def test_faults_are_built_into_all_that_is_compiled() -> None:
    tests = script("faults").TESTS
    loops = {str(path.relative_to(PACKAGE).with_suffix(".py")) for path in PACKAGE.rglob("*.pxd")}
    assert {file for file in loops if not file.endswith("columns.py")} <= set(tests)
    for file, names in tests.items():
        assert (PACKAGE / file).is_file(), file
        assert all((ROOT / "tests" / f"test_{name}.py").is_file() for name in names.split()), file


@pytest.mark.parametrize("folder", ["croft", "mill"])
def test_the_demonstrations_are_what_their_scripts_make(
    folder: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.syspath_prepend(str(ROOT / "scripts"))
    for name, text in script(f"make_{folder}").files().items():
        assert (PACKAGE / folder / name).read_text(encoding="utf-8") == text, name


@pytest.mark.parametrize("path", sorted((ROOT / "examples").glob("*.py")), ids=lambda p: p.stem)
def test_examples_print_what_is_written_beside_them(
    path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        runpy.run_path(str(path), run_name="__main__")
    assert said.getvalue() == path.with_suffix(".out").read_text(encoding="utf-8")


def test_every_screenshot_is_shown_in_the_readme() -> None:
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    shots = list((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(shots) < 20
    for shot in shots:
        assert f"docs/screenshots/{shot.name}" in text


def test_links_in_the_documents_lead_somewhere() -> None:
    for page in [*ROOT.glob("*.md"), *ROOT.glob("docs/*.md")]:
        for link in re.findall(r"\]\(([^)#:]+)\)", page.read_text(encoding="utf-8")):
            assert (page.parent / link).exists(), f"{page.name}: {link}"


def test_a_default_that_stands_in_several_places_is_one() -> None:
    def taken(of: Any) -> dict[str, Any]:
        return {
            name: each.default
            for name, each in inspect.signature(of).parameters.items()
            if each.default not in (None, inspect.Parameter.empty)
        }

    compared = 0
    for command, call in (
        (fair, snelk.fairness),
        (sneak, snelk.sneak),
        (coverage, snelk.coverage),
        (fit, snelk.fit),
        (sweep, snelk.sweep),
        (players, snelk.players),
    ):
        typed, called = taken(command), taken(call)
        for name in typed.keys() & called.keys() - {"seeds"}:  # how many, and which
            same = type(called[name])(typed[name])
            assert same == called[name], f"{command.__name__} {name}"
            compared += 1
    for name, value in taken(snelk.fairness).items():
        if name in Fair.model_fields:
            assert Fair.model_fields[name].default == value, name
            compared += 1
    assert compared >= 23


def test_every_key_and_column_is_in_the_documents() -> None:
    files = (ROOT / "docs" / "files.md").read_text(encoding="utf-8")
    senses = (Cone, Hearing, Touch, ZoneSense, Smell)
    for model in (
        Setup,
        Air,
        Clock,
        Member,
        Lamp,
        Noise,
        NoiseKind,
        Body,
        Steps,
        Profile,
        *senses,
        Meter,
        Memory,
        Tell,
        Wall,
        Zone,
        Throw,
        Movement,
        Ladder,
        Leash,
        Catch,
        Effect,
        Effects,
        ConeLimits,
        Resume,
        Since,
        State,
        Transition,
        *(Patrol, Roam, Approach, Go, Flee, Evade, Sleep, Search, Call),
        *(Expectation, Notices, Reaches, Stays, MeterUnder, MeasureBetween, Holding, Interval),
        *(Wish, Fit, Limits),
    ):
        for name, field in model.model_fields.items():
            key = field.alias or name
            assert re.search(rf"\b{key}[`.]", files), f"{model.__name__}.{key}"
    tables = (ROOT / "docs" / "tables.md").read_text(encoding="utf-8")
    run = snelk.run(snelk.croft() / "night.toml")
    for name in TABLES:
        section = tables.split(f"## {name}\n")[1].split("\n## ")[0]
        for column in run.arrow(name).column_names:
            assert f"`{column}`" in section, f"{name}.{column}"
