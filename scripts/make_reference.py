"""Write the tables of docs/tuning.md that come from the code; a test holds them to it."""

from __future__ import annotations

import re
from pathlib import Path

from snelk.config.measures import MEASURES

PAGE = Path(__file__).parents[1] / "docs" / "tuning.md"
PLACE = re.compile(r"(<!-- the table of measures.*?-->\n)(.*?)(<!-- end -->)", re.DOTALL)
OF = {"run": "run", "agent": "agent", "pair": "agent and target", "state": "agent and state"}


def measures() -> str:
    """The table of all measures."""
    lines = ["| measure | of | unit | what it is |", "|---|---|---|---|"]
    for name, kind in MEASURES.items():
        lines.append(f"| `{name}` | {OF[kind.of]} | {kind.unit or '–'} | {kind.text} |")
    return "\n".join(lines) + "\n"


def written(page: str) -> str:
    """The page with the table as the code has it."""
    return PLACE.sub(lambda found: found[1] + measures() + found[3], page)


if __name__ == "__main__":
    PAGE.write_text(written(PAGE.read_text(encoding="utf-8")), encoding="utf-8")
