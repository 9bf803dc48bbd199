"""Difficulty as a distribution: many simulated players, and the result of each.

Each player is a run with its own seed, in which one member of the cast plays; see
`snelk.config.minds.Play`. Everybody reacts to it as to any character.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.agent import Me
from snelk.body.playing import Play, comes_to
from snelk.config import minds
from snelk.config.measures import MEASURES
from snelk.config.problems import key_path
from snelk.config.scenario import Scenario, as_scenario
from snelk.engine.simulation import Simulation
from snelk.errors import InputError, one_of
from snelk.level.level import Level
from snelk.runs.measures import Measurer
from snelk.showing import heading, html_table, line
from snelk.tuning.batches import BATCH, in_batches, workers
from snelk.tuning.coverage import target_of

if TYPE_CHECKING:
    import pandas as pd

Numbers = NDArray[np.float64]
Progress = Callable[[int, int], None]
Range = float | tuple[float, float]

MOST_PLAYERS = 100_000

EVERY = 0.5
"""So far apart in time are the places of a player that are kept, s."""

OUTCOMES = ("unnoticed", "warned", "too late", "not there")
"""How it can go: through without a sign, through with one, too late, and neither."""

OWN = tuple(name for name, measure in MEASURES.items() if measure.of == "player")

CARE = {"reckless": (0.0, 1 / 3), "medium": (1 / 3, 2 / 3), "careful": (2 / 3, 1.0)}
"""Thirds of care, by what they are called."""

SLACK = 1e-9


@dataclass(frozen=True)
class Players:
    """The result of simulated players.

    Attributes:
        scenario: The scenario with the player in its cast.
        target: Who plays.
        goal: Where to.
        start: (3,) where from, m.
        doors: Doors that it cannot open itself, and that block every path to the goal.
        seeds: The seed of each player's run.
        table: A row per player, see docs/tuning.md.
        ways: The path of each: (places, 4) t in s, then x, y and z in m, each half second.
    """

    scenario: Scenario
    target: str
    goal: str
    start: Numbers
    doors: tuple[str, ...]
    seeds: tuple[int, ...]
    table: pd.DataFrame
    ways: tuple[Numbers, ...]

    @property
    def play(self) -> minds.Play:
        """The settings of its players."""
        found = self.scenario.setup.cast[self.target].play
        assert found is not None
        return found

    @property
    def through(self) -> float:
        """The share that got through before it was too late, 0 to 1."""
        return float(self.table.outcome.isin(OUTCOMES[:2]).mean())

    @cached_property
    def shares(self) -> pd.DataFrame:
        """A row per third of care that was played, and one for all: shares of each outcome."""
        import pandas as pd

        rows = []
        care = self.table.care
        for name, (low, high) in CARE.items():
            chosen = self.table[(care >= low) & ((care < high) | (high == 1.0))]
            rows += [_shares(name, chosen)] if len(chosen) else []
        return pd.DataFrame([*rows, _shares("all", self.table)])

    @cached_property
    def noticers(self) -> pd.DataFrame:
        """A row per agent that warned a player first, or for which it was too late; most first."""
        import pandas as pd

        warned = self.table.warned_by.value_counts()
        late = self.table.too_late_by.value_counts()
        names = sorted(
            {*warned.index, *late.index}, key=lambda n: (-late.get(n, 0), -warned.get(n, 0), n)
        )
        rows = [
            {
                "agent": name,
                "warned_first": int(warned.get(name, 0)),
                "too_late": int(late.get(name, 0)),
                "where": self._mostly_at(name),
            }
            for name in names
        ]
        return pd.DataFrame(rows, columns=["agent", "warned_first", "too_late", "where"])

    def _mostly_at(self, agent: str) -> tuple[float, float] | None:
        """The middle of positions where an agent made it too late, or first warned, m."""
        for what in ("too_late", "warned"):
            rows = self.table[self.table[f"{what}_by"] == agent]
            if len(rows):
                return (float(rows[f"{what}_x"].median()), float(rows[f"{what}_y"].median()))
        return None

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: shares of outcomes by care."""
        rows = [
            {str(key): f"{value:.0%}" if key in OUTCOMES else value for key, value in row.items()}
            for row in self.shares.to_dict(orient="records")
        ]
        title = f"{len(self.seeds)} players as {self.target} to {self.goal}"
        text = "all players: .table; drawn: plot_players(…); one as a run: run(.scenario, "
        text += 'overrides={"seed": …})'
        return heading(title) + html_table(rows) + line(text)


def _shares(name: str, rows: pd.DataFrame) -> dict[str, Any]:
    found: dict[str, Any] = {"care": name, "players": len(rows)}
    found |= {outcome: float((rows.outcome == outcome).mean()) for outcome in OUTCOMES}
    through = rows[rows.outcome.isin(OUTCOMES[:2])]
    found["seconds"] = float(through.through_at.median()) if len(through) else np.nan
    return found | {key: float(rows[key].mean()) for key in ("hides", "hidden_for", "waited_for")}


def players(
    scenario: str | Path | Scenario,
    *,
    to: str | None = None,
    start: str | Sequence[float] | None = None,
    target: str | None = None,
    count: int = 100,
    care: Range | None = None,
    knows: Range | None = None,
    delay: Range | None = None,
    sign: float | None = None,
    signs: Sequence[str] | None = None,
    late: float | None = None,
    react: float | None = None,
    patience: float | None = None,
    ignore: Sequence[str] | None = None,
    jobs: int = 1,
    cluster: str | None = None,
    progress: Progress | None = None,
) -> Players:
    """Let many simulated players try to get through a level, each with its own seed.

    None uses `cast.NAME.play` of the scenario, or else its default.

    Args:
        scenario: Its TOML file, or what `load` returned.
        to: Where to: a spot or a zone.
        start: Where from: a spot, a zone, or (x, y) or (x, y, z) in m; where the target stands or
            its track begins if None.
        target: Who plays: a member of the cast; who plays in the scenario, else as for `coverage`,
            if None.
        count: How many players, 1 to 100,000.
        care: How careful they are, 0 to 1; a pair is drawn between.
        knows: Share of the others whose routines they know, 0 to 1; a pair is a range to draw from.
        delay: For how long they stand before they set out, s; a pair is drawn between.
        sign: The meter that warns, above 0 to 1.
        signs: Alert states of agents that warn as well.
        late: The meter at which it is too late, above 0 to 1.
        react: How long it takes to see a sign, s.
        patience: How long a player waits or hides at a time, s.
        ignore: Agents that players ignore, and whose meters do not count.
        jobs: How many processes share the work; the result is the same.
        cluster: The address of a Dask scheduler, whose workers are used instead.
        progress: Called with the players done and the players in all.

    Raises:
        InputError: A name or a number is wrong, or no path leads to the goal.

    >>> import snelk
    >>> found = snelk.players(snelk.croft() / "night.toml", to="hedge-gap", count=2)
    >>> found.table.outcome.tolist()
    ['too late', 'too late']
    """
    scenario = as_scenario(scenario)
    if not 1 <= count <= MOST_PLAYERS:
        raise InputError.of("count", "", str(count), f"must be from 1 to {MOST_PLAYERS}")
    asked = {
        "to": to, "care": care, "knows": knows, "delay": delay, "sign": sign, "late": late,
        "react": react,
        "patience": patience, "signs": None if signs is None else list(signs),
        "ignores": None if ignore is None else list(ignore),
    }  # fmt: skip
    target = _who_plays(scenario, target)
    played = with_player(scenario, target, start, asked)
    begin, goal, doors = _from_to(played, target)
    first = played.setup.seed
    seeds = range(first, first + count)
    rows: dict[int, _Row] = {}
    jobs = workers(jobs, cluster)
    tasks = [(seeds[low : low + BATCH],) for low in range(0, count, BATCH)]
    for done in in_batches(
        _played, (played, target), tasks, jobs=min(jobs, len(tasks)), cluster=cluster
    ):
        rows |= {row.values["seed"]: row for row in done}
        if progress is not None:
            progress(len(rows), count)
    ordered = [rows[seed] for seed in seeds]
    import pandas as pd

    table = pd.DataFrame([row.values for row in ordered])
    ways = tuple(row.way for row in ordered)
    return Players(played, target, goal, begin, doors, tuple(seeds), table, ways)


def _who_plays(scenario: Scenario, target: str | None) -> str:
    playing = [name for name, member in scenario.setup.cast.items() if member.play is not None]
    if target is None and len(playing) == 1:
        return playing[0]
    return target_of(scenario, target)


def with_player(
    scenario: Scenario,
    target: str,
    start: str | Sequence[float] | None,
    asked: dict[str, Any],
) -> Scenario:
    """The scenario with a player; None keeps what is written.

    Raises:
        InputError: A name or a number is wrong.
    """
    written = scenario.setup.cast[target].play
    if written is None and asked["to"] is None:
        fix = f"name a spot or a zone, or write [cast.{target}.play] to = … in the scenario"
        raise InputError.of("to", "", "", "is missing", fix)
    level = Level.of(scenario.level)
    known = [*level.spot_names, *(zone.name for zone, _ in scenario.level.zones)]
    if asked["to"] is not None:
        one_of(asked["to"], known, source="to", place="", what="spot or zone")
    changes: dict[str, Any] = {
        key_path(("cast", target, "play", key)): list(value) if isinstance(value, tuple) else value
        for key, value in asked.items()
        if value is not None
    }
    if start is not None:
        x, y, *z = _place(level, known, start)
        changes[key_path(("cast", target, "at"))] = [x, y]
        changes |= {key_path(("cast", target, "z")): each for each in z}
    return scenario.changed(changes)


def _place(level: Level, known: list[str], start: str | Sequence[float]) -> list[float]:
    """A place that a player begins at, m."""
    if isinstance(start, str):
        one_of(start, known, source="start", place="", what="spot or zone")
        found = level.places_named(start, 0.0)
        if not len(found):
            raise InputError.of("start", "", f'"{start}"', "is a zone without a floor")
        return list(map(float, found[0]))
    if len(start) not in (2, 3) or not np.isfinite(list(start)).all():
        rule = "must be a spot, a zone, or (x, y) or (x, y, z) in m"
        raise InputError.of("start", "", str(start), rule)
    return list(map(float, start))


def _from_to(scenario: Scenario, target: str) -> tuple[Numbers, str, tuple[str, ...]]:
    """A player's start, (3,) m, its goal, and the doors it has to wait for.

    Raises:
        InputError: No path leads there, whatever doors are open.
    """
    world = Simulation(scenario).world
    goal, me = scenario.setup.cast[target].play, Me(world, 0, world.agents.index(target))
    assert goal is not None
    here, level, near = me.here, world.level, world.motion.nearness(0, me.a)[0]
    doors = np.flatnonzero(level.is_door).tolist()
    places = level.places_named(goal.to, float(here[2]))
    if goal.to in level.spot_names:
        is_there = bool((np.linalg.norm(places - here, axis=1) <= near).any())
    else:
        is_there = bool(level.within(goal.to, *here[:, None])[0])
    if is_there:
        rule = f"is where {target} starts, at ({here[0]:g}, {here[1]:g})"
        raise InputError.of(
            "to", "", f'"{goal.to}"', rule, "start elsewhere, or choose another goal"
        )

    def leads(*opened: int) -> bool:
        walker = world.new_walker(0, me.a, frozenset(opened))
        return bool(comes_to(walker, level, goal.to, here, near))

    if leads():
        return here, goal.to, ()
    if leads(*doors):  # somebody else may open them
        alone = [door for door in doors if leads(door)] or doors
        return here, goal.to, tuple(level.wall_names[door] for door in alone)
    rule = f"cannot be reached on foot from ({here[0]:g}, {here[1]:g})"
    fix = "check walls, edges, doors, the leash and the body's radius, or start elsewhere"
    raise InputError.of("to", "", f'"{goal.to}"', rule, fix)


class _Row(NamedTuple):
    """The result of one player."""

    values: dict[str, Any]
    way: Numbers


def _played(job: tuple[Scenario, str], seeds: range) -> list[_Row]:
    """The results of some players, each a variant of one batch."""
    scenario, target = job
    simulation = Simulation(scenario, variants=[{"seed": seed} for seed in seeds], logged=False)
    world, measurer = simulation.world, Measurer(simulation)
    a, j = simulation.agents.index(target), simulation.names.index(target)
    notes: list[dict[str, Any]] = [{} for _ in seeds]
    ways: list[list[tuple[float, ...]]] = [[] for _ in seeds]
    over = np.zeros(len(seeds), dtype=np.bool_)
    each = max(round(EVERY / scenario.setup.clock.dt), 1)
    while not simulation.done and not over.all():
        t = simulation.step()
        measurer.keep(t)
        poses = simulation.poses
        here = np.stack([poses.x[:, j], poses.y[:, j], poses.z[:, j]], axis=1).tolist()
        for happening in world.happenings:
            v, kind, by = happening.variant, happening.kind, happening.target
            if over[v] or not (happening.agent == a or by == j):
                continue
            if kind == "caught" and by == j:
                kind, by = "too_late", int(world.characters[happening.agent])
            if kind in ("warned", "too_late"):
                notes[v].setdefault(kind, (simulation.names[by], *here[v]))
            if kind == "through":
                ways[v].append((t, *here[v]))
                over[v] = True
        if (simulation.tick - 1) % each == 0:
            for v in np.flatnonzero(~over & ~world.outcomes.removed[:, j]).tolist():
                ways[v].append((t, *here[v]))
        over |= world.ended
    measured = measurer.measured()
    known = {key: measured.values[:, n] for n, key in enumerate(measured.keys)}
    rows = []
    for v, seed in enumerate(seeds):
        player = world.thinking.activity_of(v, a)
        assert isinstance(player, Play)
        own = {key: float(known[f"{target}.{key}"][v]) for key in OWN}
        drawn = {"care": round(player.care, 9), "knows": round(player.knows, 9)}
        values = {"seed": seed, **drawn, "outcome": _outcome(own), **own, **_where(notes[v])}
        rows.append(_Row(values, np.array(ways[v]).reshape(-1, 4)))
    return rows


def _where(notes: dict[str, Any]) -> dict[str, Any]:
    """Who first warned a player, and for whom it was first too late; and where."""
    found: dict[str, Any] = {}
    for kind in ("warned", "too_late"):
        by, x, y, z = notes.get(kind, (None, np.nan, np.nan, np.nan))
        found |= {f"{kind}_by": by, f"{kind}_x": x, f"{kind}_y": y, f"{kind}_z": z}
    return found


def _outcome(own: dict[str, float]) -> str:
    if own["got_through"] > 0.0:
        return OUTCOMES[int(not np.isnan(own["warned_at"]))]
    return OUTCOMES[3 if np.isnan(own["too_late_at"]) else 2]
