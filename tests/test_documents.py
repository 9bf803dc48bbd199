"""Every command and snippet of the documents does what is said there, in the order of the page."""

from __future__ import annotations

import contextlib
import io
import os
import re
import shlex
import shutil
import subprocess
import sys
import tomllib
import zipfile
from pathlib import Path
from typing import Any

import pytest
from test_house import PACKAGE, ROOT, script

import snelk
from snelk.cli.main import app_for
from snelk.config import goals, minds, models
from snelk.config.conditions import parse
from snelk.config.fields import Model

BLOCK = re.compile(r"^```(\w*)\n(.*?)^```", re.MULTILINE | re.DOTALL)
ELSEWHERE = ("pip install .", "make demo", "make test")
"""Commands that CI runs, or another test."""


def typed(line: str) -> tuple[str, int]:
    """Run a command line of Snelk in this process: what it prints, and its exit code."""
    words = shlex.split(line, comments=True)
    assert words[0] == "snelk", line
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        code = app_for(words[1:])(words[1:], standalone_mode=False)
    return said.getvalue(), code or 0


def plain(text: str) -> str:
    return " ".join(text.split())


@pytest.mark.parametrize("name", ["start", "guide", "embedding", "importing"])
def test_a_page_does_what_it_says(
    name: str, demos: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    shown = {"snelk demo": "croft", "snelk demo mill": "mill"}
    text = (ROOT / "docs" / f"{name}.md").read_text(encoding="utf-8")
    names: dict[str, Any] = {}
    said, done = "", 0
    for kind, block in BLOCK.findall(text):
        done += 1
        if kind == "sh":
            said = ""
            for line in block.splitlines():
                if line in shown:
                    shutil.copytree(demos / shown[line], shown[line])
                    said += (demos / f"{shown[line]}.txt").read_text(encoding="utf-8")
                elif line not in ELSEWHERE:
                    out, code = typed(line)
                    assert code == 0, line
                    said += out
        elif kind == "python":
            exec(compile(block, f"{name}.md", "exec"), names)
        elif kind == "toml":
            tomllib.loads(block)
            file = re.match(r"# file: (\S+)\n", block)
            if file is not None:
                Path(file[1]).write_text(block, encoding="utf-8")
        else:
            assert kind == "text", kind
            for line in block.splitlines():
                assert plain(line) in plain(said), line
    assert done >= 4


def test_the_reference_is_what_the_code_says() -> None:
    made = script("make_reference")
    assert (ROOT / "docs" / "reference.md").read_text(encoding="utf-8") == made.reference()
    told = {model for _, _, model in made.SECTIONS}
    for module in (models, minds, goals):
        for name, model in vars(module).items():
            if (
                isinstance(model, type)
                and issubclass(model, Model)
                and model.__module__ == module.__name__
            ):
                own = set(model.model_fields) - {"kind", "name"}
                base = any(issubclass(each, model) for each in told - {model})
                assert model in told or base or not own, name
    for _, _, model in made.SECTIONS:
        for name, field in model.model_fields.items():
            assert field.description, f"{model.__name__}.{name}"


def test_the_readme_does_what_it_says(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    code = re.search(r"```python\n(.*?)```", text, re.DOTALL)
    commands = re.search(r"run by the tests.*?```sh\n(.*?)```", text, re.DOTALL)
    assert code is not None
    assert commands is not None
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        exec(compile(code[1], "README.md", "exec"), {})
    for promised in re.findall(r"# (\w.*)", code[1]):
        assert promised in said.getvalue()
    for line in commands[1].splitlines():
        assert typed(line)[1] == 0, line


def test_the_page_about_tuning_does_what_it_says(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    text = (ROOT / "docs" / "tuning.md").read_text(encoding="utf-8")
    commands = re.search(r"run by the tests.*?```sh\n(.*?)```", text, re.DOTALL)
    assert commands is not None
    for line in commands[1].splitlines():
        assert typed(line)[1] == 0, line
    assert script("make_reference").written(text) == text
    night = (PACKAGE / "croft" / "night.toml").read_text(encoding="utf-8")
    shutil.copytree(PACKAGE / "croft", tmp_path / "try")
    (code,) = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    (tmp_path / "try" / "test_it.py").write_text(code, encoding="utf-8")
    code = code.replace('"night.toml"', '"night.toml", seeds=1')
    expected, wished, fair, plays = re.findall(r"```toml\n(.*?)```", text, re.DOTALL)
    (tmp_path / "try" / "night.toml").write_text(f"{night}\n{fair}\n{plays}", encoding="utf-8")
    snelk.load(tmp_path / "try" / "night.toml")
    monkeypatch.chdir(tmp_path / "try")
    for toml in (wished, expected):
        alone = night.split("# What has been agreed")[0] + toml
        Path("night.toml").write_text(alone, encoding="utf-8")
        snelk.load("night.toml")
        if toml == wished:
            with pytest.raises(snelk.InputError, match="has no expectations"):
                exec(compile(code, "test_it.py", "exec"), {})
    words = [sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider", "test_it.py"]
    done = subprocess.run(words, capture_output=True, text=True, check=False)
    assert "2 passed" in done.stdout, done.stdout


def test_what_pip_installs_is_whole(tmp_path: Path) -> None:
    """Data, starter and the page's parts are in the package, and no test or screenshot is."""
    # With one loop, and without a compiler, as all take minutes: that loops are built and found
    # every test shows.
    others = {path.name for path in PACKAGE.rglob("*.pxd")} - {"turns.pxd"}
    ours = shutil.ignore_patterns(
        ".*", "*.so", "*.pyd", "_built.txt", "__pycache__", "tests", "docs", "build", *others
    )
    shutil.copytree(ROOT, tmp_path / "checkout", ignore=ours)
    shared = ROOT / "build" / "_shared.c"  # which takes long to make, and is the same
    if shared.is_file():
        (tmp_path / "checkout" / "build").mkdir()
        shutil.copy(shared, tmp_path / "checkout" / "build")
    words = [sys.executable, "-c", "import setuptools.build_meta as it; it.build_wheel('..')"]
    env = {**os.environ, "CC": "false"}  # what pip asks for
    subprocess.run(words, cwd=tmp_path / "checkout", check=True, capture_output=True, env=env)
    (wheel,) = tmp_path.glob("snelk-*.whl")
    with zipfile.ZipFile(wheel) as packed:
        inside = {name.removeprefix("snelk/") for name in packed.namelist() if "/" in name}
    there = {
        str(path.relative_to(PACKAGE))
        for path in PACKAGE.rglob("*.*")
        if path.suffix not in (".pyc", ".so", ".pyd") and path.name not in {"_built.txt", *others}
    }
    there = {name for name in there if (PACKAGE / name).is_file() and "__pycache__" not in name}
    assert {"page/page.html", "page/player.js", "page/page.css", "croft/night.toml"} <= there
    assert there <= inside
    assert {name for name in inside if "dist-info" not in name} - {"_built.txt"} == there


def test_conditions_told_of_are_understood() -> None:
    text = (ROOT / "docs" / "conditions.md").read_text(encoding="utf-8")
    conditions = re.findall(r"^    (\S.*)$", text, re.MULTILINE)
    assert len(conditions) >= 5
    for condition in conditions:
        assert parse(condition).text == condition
