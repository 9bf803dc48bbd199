"""Write what documents tell of the code: docs/reference.md, and the measures in docs/tuning.md.

A test holds both to the code.
"""

from __future__ import annotations

import inspect
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import typer.main

import snelk
from snelk.cli.main import app_for
from snelk.config import goals, minds, models
from snelk.config.foreign import Conventions
from snelk.config.measures import MEASURES
from snelk.config.nodes import BUILT_IN, FUNCTIONS, NUMBERS, TRUTHS, WORDS_OF, unit_of
from snelk.config.recordings import NOISE_COLUMNS, THROW_COLUMNS, TRACK_COLUMNS
from snelk.runs.events import EVENT_KINDS
from snelk.runs.store import TABLES

DOCS = Path(__file__).parents[1] / "docs"
PLACE = re.compile(r"(<!-- the table of measures.*?-->\n)(.*?)(<!-- end -->)", re.DOTALL)
OF = {
    "run": "run", "agent": "agent", "pair": "agent and target", "state": "agent and state",
    "player": "player", "fairness": "fairness",
}  # fmt: skip

SECTIONS: tuple[tuple[str, str, Any], ...] = (
    ("A scenario", "", models.Setup),
    ("The clock", "clock.", models.Clock),
    ("The air", "air.", models.Air),
    ("A character of the cast", "cast.NAME.", models.Member),
    ("A lamp", "cast.NAME.lamp.", models.Lamp),
    ("A clue", "cast.NAME.clue.", models.Clue),
    ("A territory", "cast.NAME.leash.", minds.Leash),
    ("A group", "groups.NAME.", models.Group),
    ("A noise", "noise[].", models.Noise),
    ("A thing thrown", "throw[].", models.Throw),
    ("What the game does to a character", "effect[].", models.Effect),
    ("A door", "doors.NAME.", models.Door),
    ("A light that can be switched", "lights.NAME.", models.Light),
    ("A door that opens or shuts, or a light that changes", "change[].", models.Change),
    ("A kind of noise", "noise_kinds.NAME.", models.NoiseKind),
    ("A body", "bodies.NAME.", models.Body),
    ("Footsteps", "bodies.NAME.steps.", models.Steps),
    ("A profile", "profiles.NAME.", models.Profile),
    ("A cone", "profiles.NAME.cones.NAME.", models.Cone),
    ("Hearing", "profiles.NAME.hearing.", models.Hearing),
    ("Touch", "profiles.NAME.touch.", models.Touch),
    ("A zone sense", "profiles.NAME.zone_sense.", models.ZoneSense),
    ("A nose", "profiles.NAME.smell.", models.Smell),
    ("The detection meter", "profiles.NAME.meter.", models.Meter),
    ("Memory", "profiles.NAME.memory.", models.Memory),
    ("Telling others", "profiles.NAME.tell.", models.Tell),
    ("Movement", "profiles.NAME.movement.", minds.Movement),
    ("The alert ladder", "profiles.NAME.ladder.", minds.Ladder),
    ("A change of state", "profiles.NAME.ladder.transitions.NAME.", minds.Transition),
    ("An alert state", "profiles.NAME.ladder.states.NAME.", minds.State),
    ("Limits of a cone in a state", "… .states.NAME.cones.NAME.", minds.ConeLimits),
    ("Catching", "… .states.NAME.catch.", minds.Catch),
    ("What comes of it", "… .then.", minds.Effects),
    ("Patrol", "… .states.NAME.patrol.", minds.Patrol),
    ("Roam", "… .states.NAME.roam.", minds.Roam),
    ("Approach", "… .states.NAME.approach.", minds.Approach),
    ("Go", "… .states.NAME.go.", minds.Go),
    ("Flee", "… .states.NAME.flee.", minds.Flee),
    ("Evade", "… .states.NAME.evade.", minds.Evade),
    ("Sleep", "… .states.NAME.sleep.", minds.Sleep),
    ("Search", "… .states.NAME.search.", minds.Search),
    ("Playing, of a state or a character", "cast.NAME.play.", minds.Play),
    ("An activity of one's own", "… .states.NAME.call.", minds.Call),
    ("An expectation", "expect.NAME.", goals.Expectation),
    ("It notices", "expect.NAME.notices.", goals.Notices),
    ("It reaches", "expect.NAME.reaches.", goals.Reaches),
    ("It stays", "expect.NAME.stays.", goals.Stays),
    ("Its meter stays under", "expect.NAME.meter.", goals.MeterUnder),
    ("A measure lies between", "expect.NAME.measure.", goals.MeasureBetween),
    ("A condition holds: always, never, once", "expect.NAME.always.", goals.Holding),
    ("A moment to count from", "….since.", goals.Since),
    ("A wish", "wish.NAME.", goals.Wish),
    ("What is asked of fairness", "fairness.NAME.", goals.Fair),
    ("Fitting", "fit.", goals.Fit),
    ("How far a number may move", "fit.move.KEY.", goals.Limits),
    ("A wall of a level", "properties.", models.Wall),
    ("A floor of a level", "properties.", models.Floor),
    ("A mesh of a level", "properties.", models.Mesh),
    ("A link of a level", "properties.", models.Link),
    ("A zone of a level", "properties.", models.Zone),
    ("A spot of a level", "properties.", models.Spot),
    ("A route of a level", "properties.", models.Route),
    ("Conventions of a foreign recording", "", Conventions),
)


def measures() -> str:
    """The table of all measures."""
    lines = ["| measure | of | unit | what it is |", "|---|---|---|---|"]
    for name, kind in MEASURES.items():
        lines.append(f"| `{name}` | {OF[kind.of]} | {kind.unit or '–'} | {kind.text} |")
    return "\n".join(lines) + "\n"


def written(page: str) -> str:
    """The page with the table as the code has it."""
    return PLACE.sub(lambda found: found[1] + measures() + found[3], page)


def reference() -> str:
    """The whole of docs/reference.md."""
    parts = [
        "# Reference",
        "",
        "Every file key, signal, measure, table, command and public name. This page is made",
        "from the code by `python scripts/make_reference.py`; a test holds it to it. What things",
        "mean together is told in [files](files.md), [conditions](conditions.md),",
        "[calculations](calculations.md), [tables](tables.md) and [tuning](tuning.md).",
        "",
        "- [Keys of the files](#keys-of-the-files)",
        "- [Columns of recordings](#columns-of-recordings)",
        "- [Signals of conditions](#signals-of-conditions)",
        "- [Measures](#measures)",
        "- [Tables of a run](#tables-of-a-run)",
        "- [Commands](#commands)",
        "- [Python](#python)",
        "",
        "## Keys of the files",
        "",
        "Lengths are metres, times seconds, angles degrees. `NAME` is a name of your own.",
    ]
    for title, prefix, model in SECTIONS:
        where = f": `{prefix}…`" if prefix else ""
        parts += [
            "",
            f"### {title}",
            "",
            f"{_sentence(model.__doc__)}{where and ' Keys' + where}",
            "",
        ]
        parts += _keys(model)
    parts += ["", "## Columns of recordings", ""]
    for what, columns in (
        ("tracks", TRACK_COLUMNS),
        ("noises", NOISE_COLUMNS),
        ("throws", THROW_COLUMNS),
    ):
        needed = ", ".join(f"`{name}`" for name, must in columns.items() if must)
        more = ", ".join(f"`{name}`" for name, must in columns.items() if not must)
        parts.append(f"- {what}: {needed}; if wanted {more}")
    parts += ["", "## Signals of conditions", "", "| signal | unit | what it is |", "|---|---|---|"]
    parts += [f"| `{name}` | true or false | {text} |" for name, text in TRUTHS.items()]
    parts += [
        f"| `{name}` | {unit_of(unit) or '–'} | {text} |" for name, (unit, text) in NUMBERS.items()
    ]
    parts += [f"| `{name}(…)` | true or false | {text} |" for name, text in FUNCTIONS.items()]
    for side in ("own", "target"):
        parts += [
            f"| `{side}.{name}` | {unit_of(unit) or '–'} | of this tick |"
            for name, unit in BUILT_IN.items()
        ]
        parts += [f"| `{side}.{name}` | a word | to compare with == or != |" for name in WORDS_OF]
    parts += ["", "## Measures", "", measures().rstrip()]
    parts += ["", "## Tables of a run", "", "Their meaning is told in [tables](tables.md).", ""]
    parts += _tables()
    parts += ["", f"Kinds of event: {', '.join(f'`{kind}`' for kind in EVENT_KINDS)}."]
    parts += ["", "## Commands", "", "`snelk COMMAND --help` says the same."]
    parts += _commands()
    parts += [
        "",
        "## Python",
        "",
        "`import snelk`, and then:",
        "",
        "| name | what it is |",
        "|---|---|",
    ]
    for name in snelk.__all__:
        parts.append(f"| `snelk.{name}` | {_sentence(getattr(snelk, name).__doc__)} |")
    parts += ["| `snelk.__version__` | The version that is installed, as text. |"]
    parts += [
        "",
        "### Signatures",
        "",
        "What each takes and has; `help(snelk.NAME)` says more.",
        "",
    ]
    for name in snelk.__all__:
        parts += _python(name, getattr(snelk, name))
    return "\n".join(parts).rstrip() + "\n"


def _python(name: str, what: Any) -> Iterator[str]:
    """How a public name is called, and what it has."""
    if not inspect.isclass(what):
        yield f"- `snelk.{name}{_call(what)}`"
        yield from _told(what, "  ")
        return
    made = name in MADE
    yield f"- `snelk.{name}{_call(what) if made else ''}`"
    yield from _told(what, "  ")
    own = [each for each in reversed(what.__mro__) if each.__module__.startswith("snelk.")]
    for method, function in {
        name: value for each in own for name, value in vars(each).items()
    }.items():
        if method.startswith("_") or not inspect.isfunction(function):
            continue
        yield f"  - `.{method}{_call(function)}`: {_sentence(function.__doc__)}"
        yield from _told(function, "    ")


def _told(what: Any, indent: str) -> Iterator[str]:
    """What its docstring tells of arguments and attributes, of what is returned and raised."""
    text = inspect.getdoc(what) or ""
    for part in ("Args", "Attributes", "Returns", "Raises"):
        found = re.search(rf"(?:^|\n){part}:\n(.*?)(\n\n|\Z)", text, re.DOTALL)
        entries = re.split(r"\n {4}(?! )", "\n" + found[1]) if found else ()
        for entry in entries:
            names, colon, rest = " ".join(entry.split()).partition(": ")
            if part == "Returns" and entry.strip():
                yield f"{indent}- returns: {' '.join(entry.split())}"
            elif colon:
                yield f"{indent}- {'raises ' if part == 'Raises' else ''}`{names}`: {rest}"


MADE = ("Conventions", "Level", "Live", "Move", "Simulation", "Want")
"""Classes that a user makes an object of; of the others they are given some."""


def _call(function: Any) -> str:
    """The parameters of a function, without those that say whose method it is."""
    signature = inspect.signature(function)
    kept = [each for each in signature.parameters.values() if each.name != "self"]
    text = str(signature.replace(parameters=kept))
    # Annotations are text, which is shown in quotes; defaults that are text keep theirs.
    text = re.sub(r"(: |-> )'([^']*)'", r"\1\2", text)
    return text.replace(" -> None", "")


def _sentence(text: str | None) -> str:
    first = (text or "").strip().split("\n\n")[0]
    return " ".join(first.split()).replace("|", "\\|")


def _keys(model: Any) -> Iterator[str]:
    schema = model.model_json_schema(by_alias=True)
    needed = schema.get("required", [])
    yield "| key | what may stand there | default | what it means |"
    yield "|---|---|---|---|"
    for name, field in schema["properties"].items():
        default = "needed" if name in needed else _default(field.get("default"))
        text = " ".join(field.get("description", "").split()).replace("|", "\\|")
        yield f"| `{name}` | {_kind(field, schema)} | {default} | {text} |"


def _default(value: Any) -> str:
    if value in (None, {}, [], ""):
        return "none"
    if isinstance(value, dict):
        return "as below"
    if isinstance(value, bool):
        return str(value).lower()
    return f"{value:g}" if isinstance(value, float) else str(value).replace("|", "\\|")


def _kind(field: dict[str, Any], schema: dict[str, Any]) -> str:
    """What may stand at a key, in words: `0 to 360 deg`."""
    if "anyOf" in field:
        kinds = [_kind(each, schema) for each in field["anyOf"] if each.get("type") != "null"]
        return " or ".join(dict.fromkeys(kinds))
    if "allOf" in field:
        return _kind(field["allOf"][0], schema)
    if "$ref" in field:
        return "a table"
    if "enum" in field or "const" in field:
        return ", ".join(f"`{word}`" for word in field.get("enum", [field.get("const")]))
    kind = field.get("type")
    if kind in ("number", "integer"):
        low, high = field.get("minimum"), field.get("maximum")
        unit = f" {field['unit']}" if field.get("unit") else ""
        least = f"{low:,.12g}" if low is not None else None
        if "exclusiveMinimum" in field:
            least = f"above {field['exclusiveMinimum']:,.12g}"
        most = f"{high:,.12g}" if high is not None else None
        if "exclusiveMaximum" in field:
            most = f"below {field['exclusiveMaximum']:,.20g}"
        whole = "a whole number" if kind == "integer" else "a number"
        limits = " to ".join(each for each in (least, most) if each)
        return (
            f"{limits}{unit}"
            if limits and kind == "number"
            else f"{whole}{', ' + limits if limits else ''}{unit}"
        )
    if kind == "array":
        if "prefixItems" in field:
            return "[" + ", ".join(_kind(each, schema) for each in field["prefixItems"]) + "]"
        return f"a list of {_kind(field.get('items', {}), schema)}"
    if kind == "object":
        return f"a table by name, each {_kind(field.get('additionalProperties', {}), schema)}"
    return {"string": "text", "boolean": "`true` or `false`"}.get(str(kind), "anything")


def _tables() -> Iterator[str]:
    run = snelk.run(snelk.croft() / "night.toml", overrides={"clock.end": 1.0})
    yield "| table | columns |"
    yield "|---|---|"
    for name in TABLES:
        columns = ", ".join(f"`{column}`" for column in run.arrow(name).column_names)
        yield f"| `{name}` | {columns} |"


def _commands() -> Iterator[str]:
    root = typer.main.get_command(app_for([]))
    for name, command in _leaves(root, ""):
        yield ""
        arguments = [each for each in command.params if each.param_type_name == "argument"]
        words = " ".join(_argument(each) for each in arguments)
        yield f"### snelk {name}"
        yield ""
        yield f"`snelk {name}{' ' + words if words else ''}`"
        yield ""
        yield " ".join((command.help or "").split())
        yield ""
        yield "| | what it is | default |"
        yield "|---|---|---|"
        for each in command.params:
            if each.name == "help":
                continue
            if each in arguments:
                label = f"`{_argument(each)}`"
            else:
                value = f" {each.metavar}" if each.metavar and not each.is_flag else ""
                label = f"`{', '.join(each.opts)}{value}`"
            default = each.default if isinstance(each.default, str | int | float) else ""
            shown = "" if default is False else f"{default}"
            yield f"| {label} | {' '.join((each.help or '').split())} | {shown} |".replace("\\", "")


def _argument(each: Any) -> str:
    name = each.metavar or (each.name or "").upper()
    name = re.sub(r"[{}\[\]]|<.*?>", "", name).strip()
    return name if each.required else f"[{name}]"


def _leaves(command: Any, before: str) -> Iterator[tuple[str, Any]]:
    for name, each in command.commands.items():
        whole = f"{before} {name}".strip()
        if hasattr(each, "commands"):
            yield from _leaves(each, whole)
        else:
            yield whole, each


if __name__ == "__main__":
    tuning = DOCS / "tuning.md"
    tuning.write_text(written(tuning.read_text(encoding="utf-8")), encoding="utf-8")
    (DOCS / "reference.md").write_text(reference(), encoding="utf-8")
