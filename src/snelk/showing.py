"""How results show themselves in a notebook: plain HTML, never colour alone."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from snelk.files import claim, write_text

MOST_SHOWN = 30
"""Rows of a table that are shown."""

TALL = 800
"""How tall a page is in a notebook, px."""


def _escaped(text: str) -> str:
    from html import escape  # it lists every sign there is: not at each start

    return escape(text)


def heading(text: str) -> str:
    """A line in bold."""
    return f"<p><b>{_escaped(text)}</b></p>"


def line(text: str) -> str:
    """A line."""
    return f"<p>{_escaped(text)}</p>"


def lines(texts: Iterable[str]) -> str:
    """Lines, one below the other."""
    return "".join(map(line, texts))


def html_table(rows: Iterable[Mapping[str, Any]], most: int = MOST_SHOWN) -> str:
    """A table of the first rows, and how many more there are; nothing if there are none.

    >>> html_table([{"t, s": 1.5, "who": "owl"}])
    '<table><tr><th>t, s</th><th>who</th></tr><tr><td>1.5</td><td>owl</td></tr></table>'
    """
    every = list(rows)
    if not every:
        return ""
    head = "".join(f"<th>{_escaped(str(name))}</th>" for name in every[0])
    body = "".join(
        f"<tr>{''.join(f'<td>{_escaped(cell(value))}</td>' for value in row.values())}</tr>"
        for row in every[:most]
    )
    more = f"<p>and {len(every) - most} more</p>" if len(every) > most else ""
    return f"<table><tr>{head}</tr>{body}</table>{more}"


def cell(value: Any) -> str:
    """A value in a table; – if missing."""
    if value is None or (isinstance(value, float) and math.isnan(value)):
        return "–"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.6g}"
    if isinstance(value, Sequence) and not isinstance(value, str):
        return ", ".join(map(cell, value))
    return str(value)


class NotebookPage:
    """A page shown in a notebook cell.

    Attributes:
        html: Its text, which needs nothing else.
        height: How tall it is in a notebook, px.
    """

    def __init__(self, html: str, *, height: int = TALL) -> None:
        self.html, self.height = html, height

    def _repr_html_(self) -> str:
        return frame(f'srcdoc="{_escaped(self.html)}"', self.height)

    def write(self, path: str | Path) -> Path:
        """Write it to a file, completely or not at all.

        Raises:
            InputError: The file is no .html, or cannot be written.
        """
        claim(path, ".html", ".htm")
        return write_text(path, self.html)


def frame(what: str, height: int) -> str:
    """A page within a page."""
    style = f"width:100%;height:{height}px;border:1px solid #c9c7c0"
    return f'<iframe {what} style="{style}" title="Snelk"></iframe>'
