"""Every command and snippet of the documents does what is said there, in the order of the page."""

from __future__ import annotations

import contextlib
import io
import re
import shlex
import tomllib
from pathlib import Path
from typing import Any

import pytest
from test_house import ROOT, script

from snelk.cli.main import app

BLOCK = re.compile(r"^```(\w*)\n(.*?)^```", re.MULTILINE | re.DOTALL)
ELSEWHERE = ("pip install .", "make demo", "make test")
"""Commands that CI runs, or another test."""


def typed(line: str) -> tuple[str, int]:
    """Run a command line of Snelk in this process: what it prints, and its exit code."""
    words = shlex.split(line, comments=True)
    assert words[0] == "snelk", line
    said = io.StringIO()
    with contextlib.redirect_stdout(said):
        code = app(words[1:], standalone_mode=False)
    return said.getvalue(), code or 0


def plain(text: str) -> str:
    return " ".join(text.split())


@pytest.mark.parametrize("name", ["start", "guide", "embedding", "importing"])
def test_a_page_does_what_it_says(
    name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    text = (ROOT / "docs" / f"{name}.md").read_text(encoding="utf-8")
    names: dict[str, Any] = {}
    said, done = "", 0
    for kind, block in BLOCK.findall(text):
        done += 1
        if kind == "sh":
            said = ""
            for line in block.splitlines():
                if line not in ELSEWHERE:
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
    columns = [line.split("|")[-2].strip() for line in made.reference().splitlines() if "`" in line]
    assert all(columns[:40])
    for _, _, model in made.SECTIONS:
        for name, field in model.model_fields.items():
            assert field.description, f"{model.__name__}.{name}"
