"""Recording the input of a live game, as a scenario that replays to the same tables.

A folder holds `scenario.toml`, `level.geojson`, the files of noises and the like that the scenario
names, and `played.jsonl`: a line for each tick, written as soon as the tick is computed. So a game
that is killed leaves a record up to its last whole tick.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Mapping
from hashlib import blake2b
from pathlib import Path
from typing import Any, BinaryIO

import tomlkit

from snelk.config.models import Change, Effect, Setup
from snelk.config.played import PLAYED
from snelk.config.scenario import Scenario
from snelk.config.words import GAITS, POSTURES
from snelk.errors import InputError
from snelk.files import cannot_write, claim, write_text, written
from snelk.senses.bodies import Poses

SCENARIO, LEVEL, TICKS = "scenario.toml", "level.geojson", "played.jsonl"
LEFT_OUT = ("use", "tracks", "expect", "wish", "fit")
"""What a record does not say again: what is in it anyway, and what was expected of other nights."""


class Keeping:
    """A record that is being written.

    Args:
        folder: Where; made if it is not there.
        scenario: What is played, with the cast that it is played with.
        given: Where those are whom the game moves: read at each tick.
        names: Whose poses are kept.

    Raises:
        InputError: The folder holds something already, or cannot be written to.
    """

    def __init__(
        self, folder: str | Path, scenario: Scenario, given: Poses, names: Mapping[str, int]
    ) -> None:
        self.folder = Path(folder)
        check_empty(self.folder)
        self._names = dict(names)
        self.begin(given)
        files = _files_of(scenario)
        for name, source in files.items():
            claim(self.folder / name)
            self.folder.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(source, self.folder / name)
        write_text(self.folder / LEVEL, json.dumps(scenario.level.to_geojson()) + "\n")
        write_text(self.folder / SCENARIO, _toml_of(scenario, list(files)))
        self._digest, self.size = blake2b(digest_size=16), 0
        self._file: BinaryIO
        try:
            self._file = (self.folder / TICKS).open("wb")
        except OSError as error:
            raise cannot_write(self.folder / TICKS, error) from None
        self._write({"played": PLAYED})

    def begin(self, given: Poses) -> None:
        """All poses are to be written at the next tick, and nothing else is waiting."""
        self._given = given
        self._last: dict[str, list[object]] = {}
        self._noises: list[dict[str, object]] = []
        self._effects: list[dict[str, object]] = []

    def noise(
        self, kind: str, place: tuple[float, float, float], reach: float, by: str | None
    ) -> None:
        """A noise that the game makes at the next tick."""
        x, y, z = place
        found = {"kind": kind, "x": x, "y": y, "z": z, "reach": reach, "by": by}
        self._noises.append({key: each for key, each in found.items() if each is not None})

    def effect(self, effect: Effect | Change) -> None:
        """Something that the game does at the next tick."""
        self._effects.append(effect.model_dump(mode="json", exclude_defaults=True))

    def waiting(self) -> tuple[int, int]:
        """How many noises and effects wait for the next tick."""
        return len(self._noises), len(self._effects)

    def take_back(self, mark: tuple[int, int]) -> None:
        """Drop those that were added after a count."""
        noises, effects = mark
        del self._noises[noises:], self._effects[effects:]

    def poses(self) -> dict[str, list[object]]:
        """Where everybody is at a tick that is to be computed: it may put some elsewhere."""
        return {name: self._pose(j) for name, j in self._names.items()}

    def tick(self, t: float, poses: dict[str, list[object]]) -> None:
        """A tick has been computed, at which everybody was there."""
        line: dict[str, object] = {"t": t}
        moved = {name: each for name, each in poses.items() if self._last.get(name) != each}
        if moved:
            line["poses"] = moved
        for key, waiting in (("noises", self._noises), ("effects", self._effects)):
            if waiting:
                line[key] = [{**each, "t": t} if key == "effects" else each for each in waiting]
                waiting.clear()
        self._last = poses
        self._write(line)

    def _pose(self, j: int) -> list[object]:
        given = self._given
        gait = int(given.gait[0, 0, j])
        return [
            *(float(values[0, 0, j]) for values in (given.x, given.y, given.z, given.heading)),
            POSTURES[int(given.posture[0, 0, j])], None if gait < 0 else GAITS[gait],
            bool(given.present[0, 0, j]),
        ]  # fmt: skip

    def _write(self, line: dict[str, object]) -> None:
        row = json.dumps(line, separators=(",", ":")).encode() + b"\n"
        try:
            self._file.write(row)
            self._file.flush()
        except OSError as error:
            raise cannot_write(self.folder / TICKS, error) from None
        self._digest.update(row)
        self.size += len(row)

    @property
    def mark(self) -> tuple[int, str]:
        """How much has been written, bytes, and a digest of it."""
        return self.size, self._digest.hexdigest()

    def close(self) -> None:
        """Nothing more is written."""
        self._file.close()

    def cut_back(self, mark: tuple[int, str], given: Poses) -> None:
        """Continue from a saved game: what was played since is cut off.

        Raises:
            InputError: It was not saved in the game that is kept here.
        """
        size, digest = mark
        path = self.folder / TICKS
        content = path.read_bytes()[:size]
        found = blake2b(content, digest_size=16)
        if len(content) < size or found.hexdigest() != digest:
            rule = "does not contain what was played before the game was saved"
            fix = "restore it where its own game is recorded, or record a new game"
            raise InputError.of(str(self.folder), "", "", rule, fix)
        self._file.close()
        with written(path) as draft:  # another file, so that who follows it notices
            draft.write_bytes(content)
        self._file = path.open("ab")
        self._digest, self.size = found, size
        self.begin(given)

    @classmethod
    def going_on(
        cls, folder: str | Path, mark: tuple[int, str], given: Poses, names: Mapping[str, int]
    ) -> Keeping:
        """Go on with a record that another process has begun; see `cut_back`."""
        self = cls.__new__(cls)
        self.folder, self._names = Path(folder), dict(names)
        path = self.folder / TICKS
        try:
            self._file = path.open("r+b")
        except OSError as error:
            raise cannot_write(path, error) from None
        self.cut_back(mark, given)
        return self


def check_empty(folder: Path) -> None:
    """Make sure that a record can be kept in a folder.

    Raises:
        InputError: It holds something already, or cannot be written to.
    """
    claim(folder / TICKS)
    if folder.is_dir() and any(folder.iterdir()):
        rule, fix = "is not empty", "choose another folder, or empty this one"
        raise InputError.of(str(folder), "", "", rule, fix)


def _files_of(scenario: Scenario) -> dict[str, Path]:
    """The other files that a scenario names, by name."""
    folder, found = Path(scenario.source).parent, {}
    for key in ("noises", "throws", "changes"):
        for n, name in enumerate(getattr(scenario.setup, key), 1):
            found[f"{key}-{n}{Path(name).suffix}"] = folder / name
    return found


def _toml_of(scenario: Scenario, files: list[str]) -> str:
    """The scenario that a record holds."""
    raw = {key: each for key, each in scenario.draft.raw.items() if key not in LEFT_OUT}
    raw |= {"level": LEVEL, "played": TICKS, "ground": "grows"}
    for key in ("noises", "throws", "changes"):
        if raw.get(key):
            raw[key] = [name for name in files if name.startswith(f"{key}-")]
    raw["clock"] = {key: each for key, each in raw.get("clock", {}).items() if key != "end"}
    raw["cast"] = {name: dict(each) for name, each in raw.get("cast", {}).items()}
    for name, (at, z) in _places_of_clues(scenario.setup).items():
        raw["cast"][name] |= {"at": at, "z": z}
    # Of TOML, what is no table comes first.
    order = sorted(raw, key=lambda key: _is_table(raw[key]))
    head = "# What a live game put in, kept tick by tick: replay it with `snelk run`.\n"
    return head + tomlkit.dumps({key: raw[key] for key in order})


def _places_of_clues(setup: Setup) -> dict[str, tuple[list[float], float]]:
    """The positions of clues, which can depend on tracks that are not in the record."""
    return {
        name: (list(member.at), member.z)
        for name, member in setup.cast.items()
        if member.clue is not None and member.at is not None
    }


def _is_table(value: Any) -> bool:
    tables = isinstance(value, list | tuple) and bool(value) and isinstance(value[0], dict)
    return isinstance(value, dict) or tables
