"""Users' own activities: what they are given, what they return, and a checker for them."""

from __future__ import annotations

import inspect
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from hashlib import blake2b
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from snelk.errors import InputError, SnelkError, UnknownNameError, nearest

Place = tuple[float, ...]


@dataclass(frozen=True)
class Situation:
    """What an agent's activity is given. Lengths are in m, times in s.

    Places are (x, y) on a level without floors, (x, y, z) on one with floors.

    Attributes:
        name, state: Who it is, and the alert state it is in.
        t, dt: The time of the tick, and its length.
        state_for: Since when it is in the state, s ago.
        place, heading_deg: Its position, and its heading, degrees counter-clockwise from +x.
        home: Its home; its position if it has none.
        spots: The spots that it knows.
        focus: The target it acts on, or None.
        in_view: Whether the focus is in view.
        believed: Where the focus is believed to be, or None.
        last_known: Where it was last sensed, heard, smelt or told to be, or None.
        arrived: Whether it has arrived at its goal.
        way_length: Gives the length of the path to a position, m; infinite if there is none.
        chance: Its own stream of chance for this stay in the state.
        memo: What the activity keeps for itself; empty when the state is entered. Nothing else
            may be changed.
        unreachable: Whether it is as near to its goal as it can get.
    """

    name: str
    state: str
    t: float
    dt: float
    state_for: float
    place: Place
    heading_deg: float
    home: Place
    spots: dict[str, Place]
    focus: str | None
    in_view: bool
    believed: Place | None
    last_known: Place | None
    arrived: bool
    way_length: Callable[[Place], float]
    chance: np.random.Generator
    memo: dict[str, Any] = field(default_factory=dict)
    unreachable: bool = False


@dataclass(frozen=True)
class Move:
    """What an activity wants to do until it is called again.

    Attributes:
        to: Where to go, (x, y) at its own height or (x, y, z); None stands.
        face_deg: Where to face while standing, degrees counter-clockwise from +x.
        look_at: A position to look at, instead of where the state looks.
        done: Whether the activity is done: then its state may be left.
        again: Seconds until it is asked again; at the next tick if 0.
        failed: Whether it cannot be done: then its state may be left, too.
    """

    to: Place | None = None
    face_deg: float | None = None
    look_at: Place | None = None
    done: bool = False
    again: float = 0.0
    failed: bool = False


UserActivity = Callable[[Situation], Move]


class Registered(NamedTuple):
    """An activity and its file, which a function forgets when it is sent to another process."""

    function: UserActivity
    file: str
    line: int
    digest: str


_REGISTERED: dict[str, Registered] = {}


def activity(name: str) -> Callable[[UserActivity], UserActivity]:
    """Register a function as an activity, for alert states to `call` by name.

    >>> import snelk
    >>> @snelk.activity("stand by")
    ... def stand_by(me: snelk.Situation) -> snelk.Move:
    ...     return snelk.Move(to=me.home, done=me.arrived)
    """
    if not name or name != name.strip():
        raise InputError.of("activity", "", repr(name), "must be a name without spaces at its ends")

    def register(function: UserActivity) -> UserActivity:
        code = getattr(inspect.unwrap(function), "__code__", None)
        file, line = (code.co_filename, code.co_firstlineno) if code else ("activity", 0)
        _REGISTERED[name] = Registered(function, file, line, _digest(function))
        return function

    return register


def registry() -> dict[str, Registered]:
    """All that are registered, by name."""
    return _REGISTERED


def registered(name: str) -> Registered:
    """The activity of a name.

    Raises:
        InputError: None was registered under it.
    """
    if name not in _REGISTERED:
        fix = f"{nearest(name, _REGISTERED)}; or " if _REGISTERED else ""
        fix += "register it with snelk.activity, and name its file with --activities FILE.py"
        raise UnknownNameError.of(
            "activity", "", f'"{name}"', "no such activity is registered", fix
        )
    return _REGISTERED[name]


def ask(name: str, situation: Situation) -> Move:
    """The move of an activity in a situation.

    Raises:
        InputError: It is not registered, raises an error, or its answer cannot be done; with the
            file and line where.
    """
    known = registered(name)
    place = f'activity "{name}" of {situation.name} at {situation.t:g} s'
    code = getattr(inspect.unwrap(known.function), "__code__", None)
    here = code.co_filename if code else ""
    try:
        move = known.function(situation)
    except SnelkError:
        raise
    except Exception as error:
        calls = traceback.extract_tb(error.__traceback__)[1:]
        own = [call for call in calls if call.filename == here]
        last = f"{calls[-1].filename}:{calls[-1].lineno}" if calls else known.file
        where = f"{known.file}:{own[-1].lineno}" if own else last
        rule = f"raised {type(error).__name__}: {error}"
        raise InputError.of(where, place, "", rule, "snelk.check_activity tries it") from error
    return check_move(move, place, source=f"{known.file}:{known.line}")


def _digest(function: UserActivity) -> str:
    """A digest of the file that a function is written in, or of its code where there is none."""
    inner = inspect.unwrap(function)
    try:
        text = Path(inspect.getsourcefile(inner) or "").read_bytes()
    except (OSError, TypeError):
        code = getattr(inner, "__code__", None)
        text = repr((code.co_code, code.co_consts, code.co_names) if code else inner).encode()
    return blake2b(text, digest_size=8).hexdigest()


def check_activity(function: UserActivity, *, situations: int = 200) -> None:
    """Check that a function can be used as an activity.

    It is called in made-up situations: with a focus and without, with spots and without. It must
    return a `Move` of finite numbers, the same one again in the same situation, and take chance
    from its `chance` only.

    Raises:
        InputError: It breaks a rule; which, and in what situation.

    >>> import snelk
    >>> snelk.check_activity(lambda me: snelk.Move(to=me.believed))
    >>> snelk.check_activity(lambda me: me.believed)
    Traceback (most recent call last):
    snelk.errors.InputError: activity: situation 0: must return a Move (given: None); \
such as snelk.Move(to=me.home)
    """
    for number in range(situations):
        place = f"situation {number}"
        moves = []
        for _ in range(2):
            before = np.random.get_state()[1]  # type: ignore[index]  # noqa: NPY002
            try:
                moves.append(function(_made_up(number)))
            except Exception as error:
                fix = "focus, believed and last_known can be None, and spots can be empty"
                rule = f"raised {type(error).__name__}: {error}"
                raise InputError.of("activity", place, "", rule, fix) from error
            after = np.random.get_state()[1]  # type: ignore[index]  # noqa: NPY002
            if not np.array_equal(before, after):
                rule, fix = (
                    "uses randomness from elsewhere",
                    "use the random numbers of the situation, situation.chance",
                )
                raise InputError.of("activity", place, "", rule, fix)
        check_move(moves[0], place)
        if moves[0] != moves[1]:
            given = f"{moves[0]} and {moves[1]}"
            rule, fix = (
                "must return the same move in the same situation",
                "keep what it needs in situation.memo",
            )
            raise InputError.of("activity", place, given, rule, fix)


def check_move(move: object, place: str, *, source: str = "activity") -> Move:
    """The move of an activity, if it is valid.

    Raises:
        InputError: It is no `Move`, or one of its numbers is none.
    """
    if not isinstance(move, Move):
        fix = "such as snelk.Move(to=me.home)"
        raise InputError.of(source, place, repr(move), "must return a Move", fix)
    for name in ("to", "look_at"):
        value = getattr(move, name)
        if value is not None and not (_are_finite(value, (2,)) or _are_finite(value, (3,))):
            rule = f"{name} must be (x, y) or (x, y, z) in m, or None"
            raise InputError.of(source, place, repr(value), rule)
    if move.face_deg is not None and not _are_finite(move.face_deg, ()):
        rule = "face_deg must be a finite number"
        raise InputError.of(source, place, repr(move.face_deg), rule)
    if not (_are_finite(move.again, ()) and move.again >= 0.0):
        rule = "again must be seconds, 0 or more"
        raise InputError.of(source, place, repr(move.again), rule)
    return move


def _are_finite(value: object, shape: tuple[int, ...]) -> bool:
    """Whether a value has this number of finite numbers."""
    try:
        numbers = np.asarray(value, dtype=np.float64)
    except (TypeError, ValueError):
        return False
    return numbers.shape == shape and bool(np.isfinite(numbers).all())


def _made_up(number: int) -> Situation:
    """A random situation, the same for the same number."""
    chance = np.random.default_rng(number)
    x, y, home_x, home_y, far_x, far_y = chance.uniform(-20, 20, 6).tolist()
    knows, sees = number % 2 == 1, number % 4 == 1
    return Situation(
        name="somebody",
        state="some state",
        t=0.1 * number,
        dt=0.1,
        state_for=0.1 * (number % 50),
        place=(x, y),
        heading_deg=float(chance.uniform(-180, 180)),
        home=(home_x, home_y),
        spots={"here": (1.0, 2.0), "there": (-3.0, 4.0)} if number % 3 else {},
        focus="target" if knows else None,
        in_view=sees,
        believed=(far_x, far_y) if knows else None,
        last_known=(far_x, far_y) if knows else None,
        arrived=number % 5 == 0,
        way_length=lambda to: float(np.hypot(to[0] - x, to[1] - y)),
        chance=chance,
    )
