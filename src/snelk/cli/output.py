"""How answers are written to the terminal: plain words first, colour on top, never alone."""

from __future__ import annotations

import codecs
import io
import json
import math
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
    from rich.console import Console

    from snelk.runs.run import Progress, Run

WIDTH = 80


def console() -> Console:
    """Where answers go; without colour if it is no terminal or NO_COLOR is set."""
    from rich.console import Console

    return Console(highlight=False, markup=False, soft_wrap=True)


PLAINER = {
    "…": "...", "–": "-", "—": "-", "×": "x", "·": "-", "→": "->", "≠": "!=", "≥": ">=", "≤": "<=",
    "°": " deg", "±": "+-", "²": "2", "✓": "+", "✗": "!", "‹": "<", "›": ">", "“": '"', "”": '"',
    "’": "'",
}  # fmt: skip
"""What stands for letters that an encoding lacks; others become escapes."""


def fit_encoding(*streams: Any) -> None:
    """Let streams take every text, whatever their encoding: what it lacks is written plainer."""
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
    """Print an answer for a program to read: numbers that are not there become null."""
    utf8 = (getattr(sys.stdout, "encoding", None) or "").lower().replace("-", "") == "utf8"
    typer.echo(json.dumps(_plain(data), indent=2, ensure_ascii=not utf8, allow_nan=False))


def table(head: Sequence[str], rows: Iterable[Sequence[str]], *, indent: int = 2) -> list[str]:
    """Lines of a table; a column is set right if its head starts with a blank."""
    cells = [list(head), *(list(row) for row in rows)]
    widths = [max(len(row[n].strip()) for row in cells) for n in range(len(head))]
    lines = []
    for row in cells:
        parts = [
            text.strip().rjust(width) if head[n].startswith(" ") else text.ljust(width)
            for n, (text, width) in enumerate(zip(row, widths, strict=True))
        ]
        lines.append((" " * indent + "  ".join(parts)).rstrip())
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


def seconds(value: float | None) -> str:
    """`12.40 s`, or a dash."""
    return "–" if value is None or math.isnan(value) else f"{value:.2f} s"


def file_name(name: str) -> str:
    """A character's name as part of a file name."""
    return "".join(letter if letter.isalnum() or letter in "-_" else "_" for letter in name)


def summary(run: Run) -> list[dict[str, Any]]:
    """Per agent and target it notices: seen, heard, nearest, highest meter; as the measures say."""
    measures = run.measures
    pairs = measures[(measures.agent != "") & (measures.target != "") & measures.target.notna()]
    wide = pairs.pivot(index=["agent", "target"], columns="measure", values="value")
    sight = run.sight
    seen = sight[sight.in_view.to_numpy(dtype=bool)]
    near = seen.groupby(["agent", "target"], observed=True).distance.min().to_dict()
    order = {name: n for n, name in enumerate(run.names)}
    rows = []
    for agent, target in sorted(wide.index, key=lambda pair: (order[pair[0]], order[pair[1]])):
        each, profile = wide.loc[(agent, target)], run.setup.profile_of(agent)
        team = run.setup.cast[target].team
        senses = [place for place, teams in profile.teams().items() if team in teams]
        # Whom it can only hear, and never did, is left out.
        if each.noises_heard == 0 and senses == [("hearing",)]:
            continue
        first = None if math.isnan(each.first_seen) else float(each.first_seen)
        rows.append(
            {
                "agent": agent,
                "target": target,
                "first_seen": first,
                "in_view": float(each.time_in_view),
                "times": int(each.regains) + (first is not None),
                "heard": int(each.noises_heard),
                "highest_meter": None if math.isnan(each.highest_meter) else each.highest_meter,
                "nearest": near.get((agent, target)),
                "sensed": not math.isnan(each.first_sensed),
            }
        )
    return rows


def minds_summary(run: Run) -> list[dict[str, Any]]:
    """Per agent with a ladder: changes, most alert state and since when, last state, metres."""
    walked = run.measures[run.measures.measure == "distance_walked"].set_index("agent").value
    rows = []
    for name, states in run.states.groupby("agent", sort=False):
        top = states.iloc[int(states["rank"].to_numpy().argmax())]
        rows.append(
            {
                "agent": str(name),
                "changes": len(states) - 1,
                "highest": str(top.state),
                "highest_at": float(top.t),
                "last": str(states.state.iloc[-1]),
                "walked": float(walked[name]),
            }
        )
    return rows


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
    from rich.console import Console
    from rich.progress import Progress as Bar

    screen = Console(stderr=True)
    if not screen.is_terminal:
        yield None
        return
    with Bar(console=screen, transient=True) as bar:
        task = bar.add_task(label, total=None)

        shown = 0

        def advance(done: int, total: int) -> None:
            nonlocal shown
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
