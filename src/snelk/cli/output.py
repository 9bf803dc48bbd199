"""Terminal output: plain text first, colour on top, never alone."""

from __future__ import annotations

import codecs
import io
import json
import math
import os
import shlex
import sys
import textwrap
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from snelk.files import written

if TYPE_CHECKING:
    import pandas as pd

    from snelk.runs.run import Progress

WIDTH = 80

NARROWEST = 20
"""A column is not made narrower than this to fit in."""


class Screen:
    """Standard output: a terminal that wants colours gets them."""

    def __init__(self) -> None:
        self.coloured = sys.stdout.isatty() and not os.environ.get("NO_COLOR")

    def print(self, text: str = "", *, style: str = "") -> None:
        """Print lines. A style consists of the words bold and dim, and the name of a colour."""
        if style and self.coloured:
            words = style.split()
            colours = [word for word in words if word not in ("bold", "dim")]
            text = typer.style(
                text,
                fg=colours[0] if colours else None,
                bold="bold" in words or None,
                dim="dim" in words or None,
            )
        print(text)  # not typer.echo, which writes UTF-8 where ASCII is asked for


PLAINER = {
    "…": "...", "–": "-", "—": "-", "×": "x", "·": "-", "→": "->", "≠": "!=", "≥": ">=", "≤": "<=",
    "°": " deg", "±": "+-", "²": "2", "✓": "+", "✗": "!", "‹": "<", "›": ">", "“": '"', "”": '"',
    "’": "'",
}  # fmt: skip
"""What stands for letters that an encoding lacks; others become escapes."""


def mend_encoding(*streams: Any) -> None:
    """Make streams accept any text: characters missing in their encoding are replaced."""
    codecs.register_error("snelk", _plainer)
    for stream in streams:
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="snelk")


def _plainer(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    lacking = error.object[error.start : error.end]
    plain = (PLAINER.get(letter, ascii(letter)[1:-1]) for letter in lacking)
    return "".join(plain), error.end


def say_json(data: Any) -> None:
    """Print an answer as JSON: missing numbers become null."""
    utf8 = (getattr(sys.stdout, "encoding", None) or "").lower().replace("-", "") == "utf8"
    typer.echo(json.dumps(_plain(data), indent=2, ensure_ascii=not utf8, allow_nan=False))


def table(head: Sequence[str], rows: Iterable[Sequence[str]], *, indent: int = 2) -> list[str]:
    """Lines of a table; a column is set right if its head starts with a blank.

    The last column goes on in further lines where it is wider than there is room.
    """
    cells = [list(head), *(list(row) for row in rows)]
    widths = [max(len(row[n].strip()) for row in cells) for n in range(len(head))]
    before = indent + sum(width + 2 for width in widths[:-1])
    lines = []
    for row in cells:
        parts = [
            text.strip().rjust(width) if head[n].startswith(" ") else text.ljust(width)
            for n, (text, width) in enumerate(zip(row, widths, strict=True))
        ]
        line = (" " * indent + "  ".join(parts)).rstrip()
        if len(line) > WIDTH >= before + NARROWEST:
            line = wrap(parts[-1].strip(), indent=before, first=line[:before])
        lines += line.split("\n")
    return lines


def wrap(text: str, *, indent: int, first: str = "") -> str:
    """A paragraph of at most 80 columns; `first` stands where the indent of its first line is."""
    return textwrap.fill(
        text,
        WIDTH,
        initial_indent=first.ljust(indent),
        subsequent_indent=" " * indent,
        break_long_words=False,
        break_on_hyphens=False,
    )


def command(*words: str | Path) -> str:
    """A command line as it would be typed."""
    return shlex.join(str(word) for word in words)


def repeated(option: str, values: Iterable[str | Path] | None) -> list[str]:
    """An option repeated for each value, as words of a command line."""
    return [str(word) for value in values or () for word in (option, value)]


def seconds(value: float | None) -> str:
    """`12.40 s`, or a dash."""
    return "–" if value is None or math.isnan(value) else f"{value:.2f} s"


def file_name(name: str) -> str:
    """A character's name as part of a file name."""
    return "".join(letter if letter.isalnum() or letter in "-_" else "_" for letter in name)


def cell(value: Any) -> str:
    """A value in a table; a dash if there is none."""
    if isinstance(value, str | bool):
        return str(value)
    return "–" if math.isnan(value) else f"{value:.4g}"


def write_table(path: Path, frame: pd.DataFrame) -> None:
    """Write a table as CSV or Parquet, by its suffix; whole, or not at all."""
    with written(path) as draft:
        if path.suffix.lower() == ".csv":
            frame.to_csv(draft, index=False)
        else:
            frame.to_parquet(draft, index=False)


@contextmanager
def progress_bar(label: str) -> Iterator[Progress | None]:
    """A bar on standard error if that is a terminal and the work takes more than a moment."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import Progress as Bar

    with Bar(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(label, total=None)

        shown = 0

        def advance(done: int, total: int) -> None:
            nonlocal shown
            shown = min(shown, done)  # it may begin again
            if done == total or done - shown >= total / 200:  # drawing it costs time
                shown = done
                bar.update(task, completed=done, total=total)

        yield advance


def _plain(data: Any) -> Any:
    if isinstance(data, dict):
        return {str(key): _plain(value) for key, value in data.items()}
    if isinstance(data, list | tuple):
        return [_plain(value) for value in data]
    if isinstance(data, float):
        return data if math.isfinite(data) else None
    if hasattr(data, "item"):
        return _plain(data.item())
    return data
