"""Saving a live game and restoring it, in memory or in a file.

Constant data is not saved: the scenario, its level, and its paths. Arrays that share memory share
    it again afterwards. Only data of Snelk's own types is read.
"""

from __future__ import annotations

import io
import json
import pickle
from collections.abc import Iterator
from hashlib import blake2b
from importlib import import_module
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from snelk.chance import stream_of
from snelk.config.scenario import Scenario
from snelk.engine.simulation import Simulation
from snelk.errors import InputError
from snelk.level.columns import Columns, laid_out, plain, readable
from snelk.level.ways import Ways
from snelk.versions import version

MOST_BYTES = 1_000_000_000
"""Of what is kept of one game."""

LAYOUT = "18"
"""Of what is kept; another where classes have got other attributes."""

OWN = tuple(f"snelk.{layer}." for layer in ("config", "level", "senses", "mind", "body", "engine"))
"""Where the kinds of data are that a game consists of: none of them touches a file when made."""

OTHERS = {
    ("snelk.runs.finding", "EventFinder"),
    ("snelk.runs.minds", "Searches"),
    ("snelk.runs.saving", "_array"),
    ("snelk.runs.saving", "_view"),
    ("snelk.runs.saving", "_number"),
    ("snelk.runs.saving", "_stream"),
    ("builtins", "set"),
    ("builtins", "frozenset"),
    ("collections", "OrderedDict"),
    ("shapely.io", "from_wkb"),
    ("shapely.linearrings", "linearrings"),
}
"""What is kept that is not of Snelk's own kinds: plain collections and shapes."""


def kept(state: dict[str, Any], simulation: Simulation) -> bytes:
    """The state of a game, with a head that names its scenario and version."""
    body = io.BytesIO()
    _Keeper(body, simulation).dump(state)
    head = {**_head_of(simulation), "body": _digest(body.getvalue())}
    return json.dumps(head).encode() + b"\n" + body.getvalue()


def taken_up(saved: bytes, simulation: Simulation, source: str) -> dict[str, Any]:
    """What `kept` kept, with a simulation of the same scenario for all that never changes.

    Raises:
        InputError: It is nothing that was kept, is broken, or is of another scenario or Snelk.
    """
    line, _, body = saved.partition(b"\n")
    try:
        head = json.loads(line)
    except (ValueError, RecursionError):
        head = None
    if not isinstance(head, dict) or "snelk" not in head or "body" not in head:
        fix = "use what save() returned or wrote"
        raise InputError.of(source, "", "", "is not a saved game", fix)
    for what, here in _head_of(simulation).items():
        if head.get(what) != here:
            given = str(head.get(what, "an earlier one"))[:60]
            rule = f"was saved with another {what}; here it is {here}"
            raise InputError.of(source, what, given, rule, "restore it where it was saved")
    if head["body"] != _digest(body):
        raise InputError.of(source, "", "", "is damaged or incomplete", "save it again")
    try:
        found = _Taker(body, simulation).load()
    except InputError:
        raise
    except Exception as error:  # whatever can be wrong with a file that was tampered with
        raise InputError.of(source, "", "", f"cannot be read: {error}", "save it again") from None
    assert isinstance(found, dict)
    return found


def _digest(body: bytes) -> str:
    return blake2b(body, digest_size=16).hexdigest()


def _head_of(simulation: Simulation) -> dict[str, str]:
    return {
        "snelk": version("snelk"),
        "layout of its state": LAYOUT,
        "scenario": scenario_digest(simulation.scenario),
        "moved by the game": ", ".join(simulation.scenario.tracks) or "nobody",
    }


def scenario_digest(scenario: Scenario) -> str:
    """A digest of all numbers of a scenario and its level; not of how long it may run."""
    setup = scenario.setup.model_dump(mode="json")
    setup["clock"].pop("end")
    whole = json.dumps([setup, scenario.level.to_geojson()], sort_keys=True)
    return _digest(whole.encode())


def _unchanging(simulation: Simulation) -> Iterator[tuple[tuple[str, int], object]]:
    """Data that is referenced instead of saved, as it exists when a game is restored."""
    level = simulation.level
    named = {
        "scenario": simulation.scenario, "level": level, "data": level.data, "kept": level.kept,
    }  # fmt: skip
    for name, each in named.items():
        yield (name, 0), each
    grids = ("grid", "solid_grid", "feet_grid", "sound_grid", "scent_grid")
    for name in (*grids, "zones", "floors", "links"):
        yield (name, 0), getattr(level, name)
        yield (name, 1), plain(getattr(level, name))
    for v, setup in enumerate(simulation.setups):
        for n, model in enumerate(_models_in(setup)):
            yield (f"numbers {v}", n), model


def _models_in(given: object) -> Iterator[BaseModel]:
    """All models within one, in the order in which they are written."""
    if isinstance(given, BaseModel):
        yield given
        given = [getattr(given, name) for name in type(given).model_fields]
    elif isinstance(given, dict):
        given = list(given.values())
    if isinstance(given, list | tuple):
        for each in given:
            yield from _models_in(each)


class _Keeper(pickle.Pickler):
    """Writes the state of a game."""

    def __init__(self, file: io.BytesIO, simulation: Simulation) -> None:
        super().__init__(file, protocol=5)
        self._level = simulation.level
        self._all = list(_unchanging(simulation))  # so that none of it goes away meanwhile
        self._known = {id(each): key for key, each in self._all}

    def persistent_id(self, given: Any) -> Any:
        if isinstance(given, Ways):
            return "ways", self._level.key_of(given)
        return self._known.get(id(given))

    def reducer_override(self, given: Any) -> Any:
        if isinstance(given, np.ndarray):
            base = _owner_of(given)
            flags = bool(given.flags.writeable)
            if base is given:
                order: Any = "C" if given.flags.c_contiguous else "F"
                whole = _kind_of(given), given.shape, order, given.tobytes(order), flags
                return _array, whole
            start = given.__array_interface__["data"][0] - base.__array_interface__["data"][0]
            return _view, (base, _kind_of(given), given.shape, given.strides, start, flags)
        if isinstance(given, np.generic):
            return _number, (given.dtype.str, given.tobytes())
        if isinstance(given, np.random.Generator):
            return _stream, (given.bit_generator.state,)
        if isinstance(given, Columns):
            return laid_out, (type(given), given.given)
        return NotImplemented


class _Taker(pickle.Unpickler):
    """Reads that again; only data, of Snelk's kinds."""

    def __init__(self, body: bytes, simulation: Simulation) -> None:
        super().__init__(io.BytesIO(body))
        self._level = simulation.level
        self._known = dict(_unchanging(simulation))

    def persistent_load(self, key: Any) -> Any:
        name, which = key
        return self._level.ways_by(which) if name == "ways" else self._known[name, which]

    def find_class(self, module: str, name: str) -> Any:
        own = module.startswith(OWN) and "." not in name
        if not own and (module, name) not in OTHERS:
            raise pickle.UnpicklingError(f"holds {module}.{name}, which is not data of Snelk")
        found = getattr(import_module(module), name)
        makes = found in (laid_out, _array, _view, _number, _stream)
        made_there = isinstance(found, type) and found.__module__ == module
        if own and not makes and not made_there:
            raise pickle.UnpicklingError(f"holds {module}.{name}, which is not data")
        return found


def _owner_of(array: NDArray[Any]) -> NDArray[Any]:
    """The array whose memory one looks at; itself if it has its own."""
    while isinstance(array.base, np.ndarray):
        array = array.base
    return array


def _kind_of(array: NDArray[Any]) -> Any:
    """What NumPy makes a data type of again."""
    return array.dtype.str if array.dtype.names is None else array.dtype.descr


def _array(
    dtype: Any, shape: tuple[int, ...], order: str, content: bytes, writeable: bool
) -> NDArray[Any]:
    flat = np.frombuffer(content, np.dtype(dtype))
    found = flat.reshape(shape, order=order).copy(order=order)  # type: ignore[call-overload]
    found.flags.writeable = writeable
    return readable(found)


def _view(
    base: NDArray[Any], dtype: Any, shape: tuple[int, ...], strides: tuple[int, ...], start: int,
    writeable: bool,
) -> NDArray[Any]:  # fmt: skip
    found: NDArray[Any] = np.ndarray(shape, np.dtype(dtype), base, start, strides)
    if not writeable:
        found.flags.writeable = False
    return readable(found)


def _number(dtype: str, content: bytes) -> Any:
    return np.frombuffer(content, np.dtype(dtype))[0]


def _stream(state: dict[str, Any]) -> np.random.Generator:
    """A random stream, at its saved position."""
    found = stream_of(0)
    found.bit_generator.state = state
    return found
