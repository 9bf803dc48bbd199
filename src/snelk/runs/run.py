"""A run: the tables of one replay, in memory or in a folder, and questions about it."""

from __future__ import annotations

import platform
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from snelk.errors import one_of
from snelk.runs.record import Record
from snelk.runs.spans import Span, spans_of, story_of
from snelk.runs.standing import state_at
from snelk.runs.store import (
    FORMAT,
    TABLES,
    Draft,
    read_info,
    writing_run,
)
from snelk.showing import TALL, NotebookPage, heading, html_table, line
from snelk.versions import version

if TYPE_CHECKING:
    from snelk.config.scenario import Scenario
    from snelk.engine.simulation import Simulation
    from snelk.runs.answers import Answer
    from snelk.runs.ladders import LadderAnswer
    from snelk.runs.recorder import Kept

Progress = Callable[[int, int], None]
"""Told the ticks done and the ticks in all."""


class Run(Record):
    """One replay of a scenario, and the questions you can ask about it.

    Attributes:
        info: What `run.json` holds: scenario, numbers, overrides, seed, versions, counts.
        folder: Where the run lies, or None if it was never written.
        setup: All numbers of the run.
    """

    def save(self, folder: str | Path) -> Run:
        """Write the run to a folder, replacing an earlier run there; return it as saved.

        Raises:
            InputError: There is something else at that place, or it cannot be written.
        """
        folder = Path(folder)
        with writing_run(folder) as draft:
            for name in TABLES:
                draft.add(name, self.arrow(name))
            draft.finish(self.info, self.level.data.to_geojson())
        return Run(self.info, self.level, tables=self._tables, folder=folder)

    def why(self, agent: str, target: str, *, at: float) -> Answer:
        """Why `agent` did or did not see `target` at a time, gate by gate.

        >>> import snelk
        >>> run = snelk.run(snelk.croft() / "night.toml")
        >>> print(run.why("goose-2", "fox", at=40.0).headline)
        goose-2 does not see fox at 40.00 s: behind hay-3
        """
        from snelk.runs.reasons import explain  # which a story does not need

        return explain(self, agent, target, at=at)

    def why_state(self, agent: str, *, at: float) -> LadderAnswer:
        """Why an agent left the alert state it was in at a time, or what kept it there.

        >>> import snelk
        >>> run = snelk.run(snelk.croft() / "night.toml")
        >>> answer = run.why_state("farmer", at=40.0)
        >>> answer.state, answer.transition("evening-round").missing
        ('indoors', ('state_for 40 s, needs > 46 s',))
        """
        from snelk.runs.ladders import explain_ladder  # with the language of conditions

        one_of(agent, self.agents, source="agent", place="", what="agent")
        return explain_ladder(self, agent, at=at)

    def page(self, *, height: int = TALL, **options: Any) -> NotebookPage:
        """The replay page of this run, shown in a notebook.

        Args:
            height: How tall it is there, px.
            options: As `page_of` takes them, such as `agent`, `target`, and `other` for a second
                run beside it.

        Raises:
            InputError: As `page_of`.

        >>> import snelk
        >>> page = snelk.run(snelk.croft() / "night.toml").page(agent="farmer", target="fox")
        >>> page._repr_html_()[:15], page.html[:15]
        ('<iframe srcdoc=', '<!DOCTYPE html>')
        """
        import snelk  # by its front door: a run knows nothing of pages

        return NotebookPage(snelk.page_of(self, **options), height=height)

    def _repr_html_(self) -> str:
        """Its HTML in a notebook: who sensed whom, final states, and its folder."""
        from snelk.runs.summary import minds_of, pairs_of

        info, clock = self.info, self.setup.clock
        where = f"in {self.folder}" if self.folder is not None else "in memory"
        changed = ", ".join(f"{key} = {value}" for key, value in info["overrides"].items())
        span = f"{self.times[0]:g} to {self.times[-1]:g} s in steps of {clock.dt:g} s"
        text = f"{span}; seed {info['seed']}; {where}"
        named = {
            "first_seen": "first seen, s", "in_view": "in view, s", "nearest": "nearest, m",
            "highest_meter": "highest meter",
        }  # fmt: skip
        pairs = [
            {named.get(key, key): value for key, value in row.items() if key != "sensed"}
            for row in pairs_of(self)
            if row["sensed"]
        ]
        return "".join([
            heading(info["title"] or str(info["scenario"])),
            line(text),
            line(f"changed: {changed}") if changed else "",
            html_table(pairs),
            html_table(minds_of(self)),
            line("ask it: .why(agent, target, at=…), .why_state(agent, at=…), .events, .page()"),
        ])  # fmt: skip

    def state_at(self, agent: str, at: float) -> str:
        """The alert state in which an agent's senses worked at a time; empty without a ladder.

        >>> import snelk
        >>> snelk.run(snelk.croft() / "night.toml").state_at("dog", 40.0)
        'asleep'
        """
        one_of(agent, self.agents, source="agent", place="", what="agent")
        return state_at(self, agent, self.tick_at(at))

    def spans(
        self, agent: str, target: str, *, start: float | None = None, end: float | None = None
    ) -> list[Span]:
        """The results of an agent's looks at a target, in stretches with one reason."""
        return spans_of(self, agent, target, start=start, end=end)

    def story(
        self, agent: str, target: str, *, start: float | None = None, end: float | None = None
    ) -> list[Span]:
        """The story of one agent and one target across all senses, by the start of each stretch.

        A stretch of hearing is of noises of one kind, with the same result.

        >>> import snelk
        >>> run = snelk.run(snelk.croft() / "night.toml")
        >>> [span.text for span in run.story("bell", "fox")]
        ['in coop doorstep']
        """
        return story_of(self, agent, target, start=start, end=end)


def run(
    scenario: str | Path | Scenario,
    *,
    overrides: Mapping[str, Any] | None = None,
    out: str | Path | None = None,
    progress: Progress | None = None,
) -> Run:
    """Replay a scenario.

    Args:
        scenario: Its TOML file, or what `load` returned.
        overrides: Numbers to change, by key path.
        out: The folder to write the run to; an earlier run there is replaced. Without it the
            run stays in memory.
        progress: Called after each tick with the ticks done and the ticks in all.

    Raises:
        InputError: The scenario or an override is wrong, or the folder is taken.

    >>> import snelk
    >>> run = snelk.run(snelk.croft() / "night.toml")
    >>> run.events[run.events.kind == "saw"].text.iloc[0]
    'owl saw fox (night cone, 15.2 m, 52° off)'
    """
    from snelk.config.scenario import load

    if isinstance(scenario, str | Path):
        scenario = load(scenario, overrides=overrides)
    elif overrides:
        scenario = scenario.changed(overrides)
    if out is None:
        return run_batch(scenario, variants=({},), progress=progress)[0]
    from snelk.engine.simulation import Simulation

    folder = Path(out)
    with writing_run(folder) as draft:
        simulation = Simulation(scenario)
        _replay(simulation, [draft], progress)
        info = info_of(simulation, 0, {}, draft.rows)
        draft.finish(info, simulation.level.data.to_geojson())
        files = draft.tables()  # somebody else may put another run there at once
    return Run(info, simulation.level, folder=folder, files=files)


def run_batch(
    scenario: str | Path | Scenario,
    *,
    variants: Sequence[Mapping[str, Any]],
    progress: Progress | None = None,
) -> list[Run]:
    """Replay several variants of a scenario together, stepping all of them at once.

    Each entry of `variants` holds the numbers it changes, by key path. A variant's run is the
    same, bit for bit, as if it had been replayed alone.
    """
    # Who only asks a run that is there does not wait for what makes one.
    from snelk.engine.simulation import Simulation
    from snelk.runs.recorder import Kept

    simulation = Simulation(scenario, variants=variants)
    kept = [Kept() for _ in variants]
    _replay(simulation, kept, progress)
    runs = []
    for v, (overrides, each) in enumerate(zip(variants, kept, strict=True)):
        tables = each.tables()
        rows = {name: table.num_rows for name, table in tables.items()}
        runs.append(Run(info_of(simulation, v, overrides, rows), simulation.level, tables=tables))
    return runs


def _replay(
    simulation: Simulation, into: Sequence[Kept | Draft], progress: Progress | None
) -> None:
    """Step a simulation to its end, and add the rows of each variant to its tables."""
    from snelk.runs.measures import Measurer
    from snelk.runs.recorder import Recorder

    recorder, measurer = Recorder(simulation, into), Measurer(simulation)
    recorder.follow()
    while not simulation.done:
        simulation.advance(len(simulation.times), halts=True)
        measurer.keep(float(simulation.times[simulation.tick - 1]))
        recorder.keep_up()
        if progress is not None:
            progress(simulation.tick, len(simulation.times))
    recorder.finish()
    measured = measurer.measured()
    for v, tables in enumerate(into):
        tables.add("measures", measured.table(v))


def open_run(folder: str | Path) -> Run:
    """Open a run that was written to a folder.

    Raises:
        InputError: The folder is missing, is no run, or is damaged.
    """
    folder = Path(folder)
    info, level, digests = read_info(folder)
    return Run(info, level, folder=folder, digests=digests)


def info_of(
    simulation: Simulation, v: int, overrides: Mapping[str, Any], rows: Mapping[str, int]
) -> dict[str, Any]:
    """What `run.json` holds of one variant."""
    setup = simulation.setups[v]
    scenario = simulation.scenario
    return {
        "format": FORMAT,
        "snelk": version("snelk"),
        "scenario": scenario.source,
        "title": setup.title,
        "overrides": {**scenario.overrides, **overrides},
        "inputs": scenario.digests(),
        "seed": setup.seed,
        "ticks": len(simulation.times) if simulation.last[v] < 0 else int(simulation.last[v]) + 1,
        "ended_by_catch": bool(simulation.last[v] >= 0),
        "characters": list(setup.cast),
        "agents": list(setup.agents),
        "rows": {name: rows[name] for name in TABLES},
        "libraries": {name: version(name) for name in ("numpy", "shapely", "pyarrow")}
        | {"python": platform.python_version()},
        "setup": setup.model_dump(mode="json", by_alias=True),
    }
