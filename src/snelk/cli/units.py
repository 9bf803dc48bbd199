"""Options for a game's units and angles."""

from __future__ import annotations

from typing import Annotated

import typer

Length = Annotated[
    float | None, typer.Option("--length", metavar="M", help="Metres in one of its units.")
]
Time = Annotated[
    float | None, typer.Option("--time", metavar="S", help="Seconds in one of its units.")
]
Angle = Annotated[str | None, typer.Option("--angle", metavar="UNIT", help="deg, rad or turns.")]
Turn = Annotated[
    str | None,
    typer.Option("--turn", metavar="WAY", help="ccw or cw: how headings grow, from above."),
]
Zero = Annotated[
    str | None,
    typer.Option("--zero", metavar="AXIS", help="Where heading 0 points: +x, +y, -x, or deg."),
]
