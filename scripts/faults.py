"""Build subtle faults into the rules, one at a time, and see which of them no test notices.

python scripts/faults.py [--faults N] [--seed S] [--jobs N] [--doors] [FILE ...]

Each fault is one sign, number or word of a rule changed in a copy of the project, in which the
tests of that rule are run. What survives is printed with its line, and its share at the end. What
is no rule, but asks whether a caller's arrays agree, is tried by itself with `--doors`.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
TESTS = {
    "body/acting.py": "moving going ends storeys walks",
    "body/agent.py": "moving going ends walks",
    "body/agreeing.py": "loops",
    "body/answering.py": "conditions ladder",
    "body/asking.py": "ladder rules",
    "body/behaving.py": "ladder loops moving going outcomes walks",
    "body/clues.py": "clues rules",
    "body/company.py": "company rules",
    "body/doors.py": "doors rules",
    "body/entering.py": "moving going ends outcomes ladder walks",
    "body/fleeing.py": "moving going ends storeys",
    "body/looking.py": "loops rules",
    "body/motion.py": "moving going walks",
    "body/moving.py": "moving going storeys outcomes walks",
    "body/outcomes.py": "outcomes rules",
    "body/patrolling.py": "moving going walks",
    "body/playing.py": "players",
    "body/roaming.py": "moving going ends",
    "body/searching.py": "search ends company walks",
    "body/seeker.py": "search ends walks",
    "body/streams.py": "loops",
    "body/tending.py": "clues doors ends moving company smell games rules",
    "body/thinking.py": "moving going ends outcomes company players walks",
    "body/timing.py": "loops walks rules",
    "body/turning.py": "going walks",
    "body/upkeep.py": "doors light",
    "body/visibility.py": "search moving",
    "body/walker.py": "moving going storeys",
    "body/wandering.py": "moving going ends loops walks",
    "body/world.py": "ladder outcomes ends moving search doors clues rules",
    "config/draft.py": "config",
    "config/expectations.py": "expectations",
    "config/exporting.py": "exporting",
    "config/foreign.py": "import",
    "config/geojson.py": "config floors doors",
    "config/grammar.py": "conditions",
    "config/ladders.py": "config ladder",
    "config/meshes.py": "meshes",
    "config/recordings.py": "import config runs",
    "engine/copying.py": "runs loops",
    "engine/counting.py": "measures",
    "engine/followed.py": "expectations",
    "engine/following.py": "loops expectations",
    "engine/listening.py": "hearing",
    "engine/noises.py": "hearing rules",
    "engine/simulation.py": "runs live games",
    "engine/tally.py": "measures",
    "engine/throws.py": "search",
    "engine/ticking.py": "ends moving hearing outcomes runs",
    "level/barring.py": "storeys ends check",
    "level/casting.py": "rays",
    "level/floors.py": "floors",
    "level/footing.py": "floors",
    "level/grid.py": "rays",
    "level/ground.py": "ways floors storeys",
    "level/growing.py": "ways floors storeys",
    "level/lengths.py": "loops",
    "level/level.py": "floors doors ways light",
    "level/links.py": "floors storeys",
    "level/meshes.py": "meshes",
    "level/outlines.py": "ways floors storeys",
    "level/section.py": "floors",
    "level/sheets.py": "floors storeys",
    "level/splitting.py": "rays",
    "level/storeys.py": "storeys floors",
    "level/storing.py": "rays",
    "level/visible.py": "visible",
    "level/walking.py": "ways loops floors walks",
    "level/ways.py": "ways floors storeys live",
    "level/within.py": "loops contact hearing light floors",
    "level/zones.py": "ends contact floors",
    "mind/attending.py": "ladder rules",
    "mind/attention.py": "ladder",
    "mind/cells.py": "search ends",
    "mind/deciding.py": "conditions ladder outcomes rules",
    "mind/evaluation.py": "conditions",
    "mind/fading.py": "ends hearing loops rules",
    "mind/filling.py": "meter contact hearing rules",
    "mind/ladder.py": "ladder outcomes rules",
    "mind/memory.py": "memory rules",
    "mind/messages.py": "memory",
    "mind/meter.py": "meter contact rules",
    "mind/overhearing.py": "hearing memory loops rules",
    "mind/places.py": "ends hearing rules",
    "mind/programs.py": "conditions ladder",
    "mind/receiving.py": "loops hearing rules",
    "mind/remembering.py": "memory smell rules",
    "mind/search.py": "search",
    "mind/sharing.py": "memory outcomes rules",
    "mind/signals.py": "conditions ladder",
    "mind/spreading.py": "search loops",
    "mind/telling.py": "loops memory outcomes rules",
    "mind/updating.py": "meter memory rules",
    "runs/conditions.py": "why ladder outcomes",
    "runs/counterfactuals.py": "answers why why_senses smell",
    "runs/dense.py": "answers why parity page animation",
    "runs/finding.py": "runs outcomes ends hearing",
    "runs/ladders.py": "answers why ladder workbench",
    "runs/live.py": "live games",
    "runs/measures.py": "measures sweep players",
    "runs/mind_events.py": "runs outcomes search games",
    "runs/minds.py": "runs ladder memory search games",
    "runs/moment.py": "answers why why_senses",
    "runs/number_changes.py": "answers why why_senses smell",
    "runs/reasons.py": "answers why why_senses",
    "runs/recorder.py": "runs ends games live",
    "runs/scent.py": "answers smell plots",
    "runs/senses.py": "answers why why_senses smell",
    "runs/sounds.py": "why_senses hearing",
    "runs/spans.py": "why plots",
    "runs/standing.py": "why ladder why_senses plots",
    "runs/tables.py": "runs ends memory hearing smell measures",
    "runs/turning.py": "doors why light",
    "senses/awake.py": "sight hearing ladder rules",
    "senses/bodies.py": "sight rules",
    "senses/contact.py": "contact rules",
    "senses/doors.py": "doors",
    "senses/ears.py": "hearing rules",
    "senses/feeling.py": "contact rules",
    "senses/gates.py": "why why_senses",
    "senses/hearing.py": "hearing why_senses rules",
    "senses/light.py": "light why rules",
    "senses/listening.py": "hearing loops floors rules",
    "senses/seeing.py": "sight light why parity rules",
    "senses/sensing.py": "contact light sight",
    "senses/shining.py": "light rules",
    "senses/sight.py": "sight why rules",
    "senses/smelling.py": "smell rules",
    "senses/stepping.py": "hearing loops rules",
    "senses/surrounding.py": "light hearing meter rules",
    "senses/trails.py": "smell rules",
    "senses/turns.py": "sight hearing rules",
    "tuning/cases.py": "cases",
    "tuning/causes.py": "parity",
    "tuning/compare.py": "compare",
    "tuning/coverage.py": "coverage",
    "tuning/fair.py": "fair",
    "tuning/fit.py": "fit",
    "tuning/here.py": "workbench",
    "tuning/imported.py": "import",
    "tuning/judging.py": "expectations sweep",
    "tuning/ladders.py": "check company",
    "tuning/lattice.py": "sneak",
    "tuning/looks.py": "compare",
    "tuning/movers.py": "sneak",
    "tuning/noises.py": "check",
    "tuning/optimizing.py": "fit",
    "tuning/parity.py": "parity",
    "tuning/passages.py": "sneak",
    "tuning/places.py": "check",
    "tuning/players.py": "players",
    "tuning/profiles.py": "check",
    "tuning/reacting.py": "fair",
    "tuning/reading.py": "sweep plots",
    "tuning/searches.py": "cli company",
    "tuning/sensed.py": "parity",
    "tuning/situations.py": "check cases",
    "tuning/sneak.py": "sneak",
    "tuning/standins.py": "coverage",
    "tuning/sweep.py": "sweep",
    "tuning/trails.py": "check",
    "tuning/trials.py": "fit",
    "tuning/turning.py": "workbench",
    "tuning/verify.py": "expectations cases",
    "tuning/watching.py": "coverage fair",
}
"""The files that hold rules, and the tests of each."""

SIGNS: dict[type[ast.AST], tuple[str, str]] = {
    ast.Lt: ("<", "<="),
    ast.LtE: ("<=", "<"),
    ast.Gt: (">", ">="),
    ast.GtE: (">=", ">"),
    ast.Eq: ("==", "!="),
    ast.NotEq: ("!=", "=="),
    ast.Add: ("+", "-"),
    ast.Sub: ("-", "+"),
    ast.Mult: ("*", "/"),
    ast.Div: ("/", "*"),
    ast.BitAnd: ("&", "|"),
    ast.BitOr: ("|", "&"),
    ast.And: ("and", "or"),
    ast.Or: ("or", "and"),
}
NAMES = {"min": "max", "max": "min", "minimum": "maximum", "maximum": "minimum", "sin": "cos"}
TOLERANCES = {"CLOSE", "EDGE", "ROUNDING", "SLACK"}
"""A billionth more or less: no test can tell."""

FOLDERS = ("src", "tests", "examples", "docs")
LONGEST = 300
"""Tests that run longer than this, s, have noticed."""


class Fault(NamedTuple):
    """One change of a file: what stands from one place to another is replaced."""

    file: str
    line: int
    start: int
    end: int
    text: str


AGREE = {"agree", "agrees", "agreed", "_agrees", "_agree", "_is_there", "check"}
"""Functions that ask whether arrays agree."""

ASKED = {"same", "agrees"}
"""Names for what comes of that."""


def _names_in(node: ast.AST) -> set[str]:
    return {each.id for each in ast.walk(node) if isinstance(each, ast.Name)}


def _asks_a_caller(node: ast.AST) -> bool:
    """Whether a statement asks whether arrays agree, or tells that they do not."""
    if isinstance(node, ast.FunctionDef):
        return node.name in AGREE
    if isinstance(node, ast.Call):
        return getattr(node.func, "id", "") in AGREE
    if isinstance(node, ast.AnnAssign):
        return getattr(node.target, "id", "") in ASKED
    if isinstance(node, ast.If):
        asked = {getattr(each, "id", "") for each in ast.walk(node.test)}
        last = node.body[-1]
        value = ast.unparse(last.value) if isinstance(last, ast.Return) and last.value else ""
        raises = isinstance(last, ast.Raise) and "ValueError" in ast.unparse(last)
        return raises or bool(asked & (ASKED | AGREE)) or value in ("DISAGREE", "BAD")
    return False


def faults_of(file: str, *, doors: bool = False) -> Iterator[Fault]:
    """All faults that can be built into the rules of a file, or into what it asks of its caller."""
    source = (ROOT / "src" / "snelk" / file).read_bytes()
    starts = [0]
    for line in source.splitlines(keepends=True):
        starts.append(starts[-1] + len(line))

    def place(node: ast.AST, *, end: bool = False) -> int:
        at = ("end_lineno", "end_col_offset") if end else ("lineno", "col_offset")
        line, column = (getattr(node, name) for name in at)
        return int(starts[line - 1] + column)

    def between(left: ast.AST, right: ast.AST, sign: ast.AST) -> Iterator[Fault]:
        was, now = SIGNS.get(type(sign), ("", ""))
        low, high = place(left, end=True), place(right)
        at = source.find(was.encode(), low, high) if was else -1
        if at >= 0:
            yield Fault(file, getattr(left, "end_lineno", 0), at, at + len(was), now)

    tree = ast.parse(source)
    # No rules: what is said of types and above a definition, numbers that only stand for a name,
    # and a billionth.
    leave = {
        id(inner)
        for node in ast.walk(tree)
        for hint in (
            getattr(node, "annotation", None),
            getattr(node, "returns", None),
            *getattr(node, "decorator_list", ()),
        )
        if hint is not None
        for inner in ast.walk(hint)
    }
    leave |= {
        id(inner)
        for node in tree.body
        if isinstance(node, ast.Assign)
        for inner in ast.walk(node)
        if isinstance(inner, ast.Constant) and isinstance(inner.value, int)
    }
    asks = {
        id(inner)
        for node in ast.walk(tree)
        if _asks_a_caller(node)
        for inner in (ast.walk(node.test) if isinstance(node, ast.If) else ast.walk(node))
    }
    for node in ast.walk(tree):
        if id(node) in leave or (id(node) in asks) != doors:
            continue
        if isinstance(node, ast.Compare):
            if _names_in(node) & TOLERANCES:
                continue
            for left, sign, right in zip(
                [node.left, *node.comparators], node.ops, node.comparators, strict=False
            ):
                yield from between(left, right, sign)
        elif isinstance(node, ast.BinOp):
            if not {getattr(side, "id", "") for side in (node.left, node.right)} & TOLERANCES:
                yield from between(node.left, node.right, node.op)
        elif isinstance(node, ast.AugAssign):
            yield from between(node.target, node.value, node.op)
        elif isinstance(node, ast.BoolOp):
            yield from between(node.values[0], node.values[1], node.op)
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not | ast.Invert):
            yield Fault(file, node.lineno, place(node), place(node.operand), "")
        elif isinstance(node, ast.Constant) and isinstance(node.value, int | float):
            now = repr(not node.value if isinstance(node.value, bool) else node.value + 1)
            yield Fault(file, node.lineno, place(node), place(node, end=True), now)
        elif isinstance(node, ast.Name | ast.Attribute):
            name = node.id if isinstance(node, ast.Name) else node.attr
            if name in NAMES:
                end = place(node, end=True)
                yield Fault(file, node.lineno, end - len(name), end, NAMES[name])


def copy_of_the_project(folder: Path) -> Path:
    """A copy that faults can be built into."""
    for name in (*FOLDERS, "conftest.py", "pyproject.toml", "README.md", "setup.py"):
        there = ROOT / name
        if there.is_dir():
            leave = shutil.ignore_patterns("__pycache__")
            shutil.copytree(there, folder / name, ignore=leave)
        else:
            shutil.copy(there, folder / name)
    return folder


def _build(folder: Path) -> None:
    """Make the machine code of the compiled loops anew, as far as they changed."""
    words = [sys.executable, "setup.py", "-q", "build_ext", "--inplace"]
    subprocess.run(words, cwd=folder, capture_output=True, check=True)


def _tests(names: set[str], folder: Path) -> subprocess.CompletedProcess[bytes]:
    """Run tests in a copy of the project, up to the first that fails."""
    tests = [f"tests/test_{name}.py" for name in sorted(names)]
    words = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:cacheprovider", *tests]
    kept = {**os.environ, "PYTHONPATH": str(folder / "src")}
    return subprocess.run(
        words, cwd=folder, env=kept, capture_output=True, timeout=LONGEST, check=False
    )


def _machine_code(path: Path) -> bytes:
    """What a module is built to."""
    return b"".join(each.read_bytes() for each in sorted(path.parent.glob(f"{path.stem}.*.so")))


def is_noticed(fault: Fault, folder: Path, built: Mapping[str, bytes]) -> bool | None:
    """Whether a test of the rule fails with a fault in a copy of the project.

    None if it is no fault, as it leads to the very same machine code as is `built` without it.
    """
    path = folder / "src" / "snelk" / fault.file
    good = path.read_bytes()
    path.write_bytes(good[: fault.start] + fault.text.encode() + good[fault.end :])
    try:
        if path.with_suffix(".pxd").exists():
            _build(folder)
            if _machine_code(path) == built[fault.file]:
                return None
        return _tests(set(TESTS[fault.file].split()), folder).returncode != 0
    except subprocess.SubprocessError:  # it takes too long, or cannot be built
        return True
    finally:
        path.write_bytes(good)


def main() -> None:
    words = argparse.ArgumentParser()
    words.add_argument("files", nargs="*", metavar="FILE", help="such as mind/memory.py")
    words.add_argument("--faults", type=int, default=300)
    words.add_argument("--seed", type=int, default=0)
    words.add_argument("--jobs", type=int, default=os.cpu_count() or 1)
    words.add_argument("--doors", action="store_true", help="only what asks whether arrays agree")
    given = words.parse_args()
    unknown = set(given.files) - set(TESTS)
    if unknown:
        words.error(f"no such file with rules: {', '.join(sorted(unknown))}; known: {[*TESTS]}")
    files = given.files or TESTS
    every = [each for file in files for each in faults_of(file, doors=given.doors)]
    chosen = random.Random(given.seed).sample(every, min(given.faults, len(every)))
    survived = alike = 0
    with tempfile.TemporaryDirectory() as folder:
        free: SimpleQueue[Path] = SimpleQueue()
        for n in range(given.jobs):
            copy = copy_of_the_project(Path(folder) / str(n))
            _build(copy)
            free.put(copy)
        built = {file: _machine_code(copy / "src" / "snelk" / file) for file in TESTS}
        # Tests that fail anyway would seem to notice everything.
        for names in sorted({TESTS[fault.file] for fault in chosen}):
            done = _tests(set(names.split()), copy)
            if done.returncode != 0:
                sys.stderr.write(done.stdout.decode())
                sys.exit(f"the tests {names} fail without a fault")

        def try_it(fault: Fault) -> bool | None:
            copy = free.get()
            try:
                return is_noticed(fault, copy, built)
            finally:
                free.put(copy)

        with ThreadPoolExecutor(given.jobs) as pool:
            tried = zip(chosen, pool.map(try_it, chosen), strict=True)
            for n, (fault, noticed) in enumerate(tried, start=1):
                print(f"{n} of {len(chosen)}", end="\r", file=sys.stderr, flush=True)
                alike += noticed is None
                if noticed is False:
                    survived += 1
                    text = (ROOT / "src" / "snelk" / fault.file).read_bytes()
                    was = text[fault.start : fault.end].decode()
                    line = text.splitlines()[fault.line - 1].decode().strip()
                    place = f"{fault.file}:{fault.line}"
                    print(f"{place}: {was!r} -> {fault.text!r}: {line}", flush=True)
    count = len(chosen) - alike
    share = survived / max(count, 1)
    print(f"{count} faults of {len(every)}, {survived} survived ({share:.0%}); ", end="")
    print(f"{alike} more are none, as they lead to the same machine code")


if __name__ == "__main__":
    main()
