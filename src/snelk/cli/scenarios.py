"""Commands about scenarios: demo, new, check, run, schema."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from snelk.cli.output import (
    Screen,
    command,
    progress_bar,
    repeated,
    say_json,
    seconds,
    table,
    wrap,
)
from snelk.config.words import SENSE_KEYS, SINGLE_SENSES
from snelk.errors import InputError, UnknownNameError, nearest
from snelk.files import claim, write_text, written

if TYPE_CHECKING:
    from snelk.config.models import Profile
    from snelk.config.scenario import Scenario
    from snelk.runs.run import Run
    from snelk.tuning.searches import SearchResult

Activities = Annotated[
    list[Path] | None,
    typer.Option(
        "--activities",
        metavar="FILE.py",
        help="Python file to run first, which registers activities. Repeatable.",
    ),
]

MOST_PAIRS, MOST_MINDS = 24, 12
"""Of more pairs and agents than these only those that matter most are printed."""

FEW_SEEDS = 8
"""Of so many seeds at most `searches` tells what came of each."""

ScenarioFile = Annotated[Path, typer.Argument(metavar="SCENARIO", help="The scenario's TOML file.")]
Overrides = Annotated[
    list[str] | None,
    typer.Option(
        "--set",
        metavar="KEY=VALUE",
        help="Change a number, such as profiles.goose.cones.wide.range=9.4. Repeatable.",
    ),
]
Cluster = Annotated[
    str | None,
    typer.Option("--cluster", metavar="ADDRESS", help="Run on the workers of this Dask scheduler."),
]
Jobs = Annotated[
    int | None, typer.Option("--jobs", min=1, help="Number of processes; default: one per core.")
]
Json = Annotated[bool, typer.Option("--json", help="Print the result as JSON.")]


def demo(
    which: Annotated[
        str, typer.Argument(metavar="NAME", help="croft: a yard; mill: a house of three floors.")
    ] = "croft",
    folder: Annotated[
        Path | None, typer.Argument(metavar="DIR", help="Folder to create; default: its name.")
    ] = None,
) -> None:
    """Create a demo scenario in a folder, run it and draw it."""
    from snelk.demonstration import DEMONSTRATIONS
    from snelk.page.build import write_page
    from snelk.plots.map import plot_map
    from snelk.plots.style import save_figure
    from snelk.plots.timeline import plot_timeline
    from snelk.runs.run import run as replay
    from snelk.runs.standing import who_is_there
    from snelk.runs.store import claim_run

    if which not in DEMONSTRATIONS:
        fix = f"{nearest(which, DEMONSTRATIONS)}; the folder comes after it"
        raise UnknownNameError.of("demo", "NAME", f'"{which}"', "no such demonstration", fix)
    shown, folder = DEMONSTRATIONS[which], folder or Path(which)
    out = claim_run(folder / "runs" / "night")
    kept = _copy_files(shown.folder(), folder, keep_changed=True)
    with progress_bar("replaying the night") as progress:
        night = replay(folder / "night.toml", out=out, progress=progress)
    screen = Screen()
    _say_run(night, out)
    screen.print()
    for row in night.rows("events").each():
        screen.print(f"{row.t:8.2f} s  {row.text}")
    at = _telling_moment(night)
    busy = _busy(night, at)
    floor = None
    if len(night.level.floor_names) > 1:
        there = who_is_there(night, night.tick_at(at))
        first = [there[name] for name in night.names if name in busy and name in there][:1]
        floor = night.level.floor_at(first[0].x, first[0].y, first[0].z) if first else None
    pictures = [
        (
            plot_map(night, at=at, agents=busy, floor=floor).axes,
            folder / "runs" / f"night-map-{at:.2f}s.png",
        ),
        (plot_timeline(night).axes, folder / "runs" / "night-timeline.png"),
    ]
    for axes, path in pictures:
        save_figure(axes, path)
    write_page(folder / "runs" / "night.html", night)
    lost = [*night.rows("events").where(kind="lost").each()][:1]
    screen.print("\nWhere everything is")
    places = [
        ["the scenario", str(folder / "night.toml")],
        ["bodies and profiles", str(folder / shown.profiles)],
        ["the run's tables", str(out)],
        [f"map at {at:.2f} s", str(pictures[0][1])],
        ["timeline", str(pictures[1][1])],
        ["page to scrub through it", str(folder / "runs" / "night.html")],
    ]
    screen.print("\n".join(table(["", ""], places)[1:]))
    for name in kept:
        screen.print(f"  kept {folder / name}: it differs from the one Snelk brings")
    screen.print("\nNext")
    for each in lost:  # of a night that was changed there may be none
        asked = each.agent, each.target, "--at", f"{each.t:g}"
        screen.print("  " + command("snelk", "why", out, *asked))
    tried = folder / "runs" / shown.tried
    words = ("snelk", "run", folder / "night.toml", "--set", shown.change, "--out", tried)
    screen.print("  " + command(*words))


def new(
    folder: Annotated[Path, typer.Argument(metavar="DIR", help="Folder to create.")],
) -> None:
    """Create a small commented scenario, ready to run."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise InputError.of(str(folder), "", "", "is already present", "choose a new folder")
    _copy_files(Path(__file__).parents[1] / "starter", folder, keep_changed=False)
    screen = Screen()
    screen.print(f"Written to {folder}")
    notes = {
        "scenario.toml": "who is there, and what was recorded: start here",
        "creatures.toml": "bodies, and what each kind can see",
        "level.geojson": "walls, zones, spots and routes, in metres",
        "walk.csv": "where the child went",
    }
    screen.print("\n".join(table(["", ""], [[name, note] for name, note in notes.items()])[1:]))
    screen.print(f"\nNext\n  {command('snelk', 'run', folder / 'scenario.toml')}")


def check(
    scenario: ScenarioFile,
    overrides: Overrides = None,
    strict: Annotated[
        bool, typer.Option("--strict", help="Exit with 1 if there are warnings.")
    ] = False,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Check a scenario for mistakes before running it."""
    from snelk.tuning.check import check as look_over

    run_files(activities)
    loaded = load_scenario(scenario, overrides)
    findings = look_over(loaded)
    if as_json:
        say_json(
            {
                "scenario": str(scenario),
                "errors": [],
                "warnings": [vars(finding) for finding in findings],
                "characters": list(loaded.setup.cast),
                "agents": list(loaded.setup.agents),
            }
        )
        if strict and findings:
            raise typer.Exit(1)
        return
    screen = Screen()
    setup, level = loaded.setup, loaded.level
    screen.print(f"{scenario}: {setup.title}" if setup.title else str(scenario))
    counts = {
        "wall": len(level.walls),
        "edge": len(level.edges),
        "floor": len(level.floors),
        "link": len(level.links),
        "zone": len(level.zones),
        "spot": len(level.spots),
        "route": len(level.routes),
        "track": len(loaded.tracks),
        "noise": len(loaded.noises.t) + len(setup.noise),
    }
    for kind in ("floor", "link"):
        if not counts[kind]:
            del counts[kind]
    parts = [f"{count} {name}{'' if count == 1 else 's'}" for name, count in counts.items()]
    screen.print("  " + ", ".join(parts))
    rows = []
    for name, member in setup.cast.items():
        profile = setup.profiles[member.profile] if member.profile else None
        moves = "track" if name in loaded.tracks else "stands"
        moves = "driven" if profile and profile.movement and name not in loaded.tracks else moves
        moves += f", {member.awake:.0%} awake" if profile and member.awake < 1 else ""
        moves += ", lamp" if member.lamp else ""
        moves = "clue" if member.clue else moves
        senses = ", ".join(profile.notices) if profile else "senses nothing"
        rows.append(
            [
                name,
                member.team,
                member.profile or "–",
                moves,
                f"there {member.clue.in_words}" if member.clue else senses,
            ]
        )
    screen.print()
    screen.print("\n".join(table(["character", "team", "profile", "how", "notices"], rows)))
    cones = [
        [
            f"{profile}.{name}",
            f"{cone.fov_whole:g}° (±{cone.fov_whole / 2:g}°)",
            f"{cone.range:g} m",
            f"{cone.hold_fov_whole or cone.fov_whole:g}°",
            f"{cone.hold_range or cone.range:g} m",
            f"{cone.min_light:g}",
            f"{cone.min_exposure:.0%}",
        ]
        for profile in dict.fromkeys(setup.cast[agent].profile or "" for agent in setup.agents)
        for name, cone in setup.profiles[profile].cones.items()
    ]
    if cones:
        head = ["cone", " whole fov", " range", " hold fov", " hold range", " light", " shown"]
        screen.print("\n" + "\n".join(table(head, cones)))
    ladders = [
        [
            profile,
            name,
            state.activity,
            state.pace_in or "–",
            _leads_to(setup.profiles[profile], name),
        ]
        for profile in dict.fromkeys(setup.cast[agent].profile or "" for agent in setup.agents)
        if (ladder := setup.profiles[profile].ladder) is not None
        for name, state in ladder.states.items()
    ]
    others = [
        [profile, *row]
        for profile in dict.fromkeys(setup.cast[agent].profile or "" for agent in setup.agents)
        for row in _other_senses(setup.profiles[profile])
    ]
    if others:
        screen.print("\n" + "\n".join(table(["profile", "sense", "how", "notices"], others)))
    if ladders:
        lines = table(["profile", "alert state", "does", "pace", "may turn to"], ladders)
        indent = lines[0].index("may turn to")
        screen.print()
        for line in lines:
            screen.print(wrap(line[indent:], indent=indent, first=line[:indent]))
    screen.print()
    for finding in findings:
        screen.print(wrap(str(finding), indent=9, first="warning:"))
    for name, why in setup.silence.items():
        screen.print(wrap(f"{name}: {why}", indent=9, first="silent:"))
    count = "no warnings" if not findings else f"warnings: {len(findings)}"
    following = command("snelk", "run", scenario, *repeated("--activities", activities))
    screen.print(f"No errors; {count}.\n\nNext\n  {following}")
    if strict and findings:
        raise typer.Exit(1)


def _leads_to(profile: Profile, state: str) -> str:
    """The states that an alert state may turn to."""
    if profile.ladder is None:
        return ""
    transitions = profile.ladder.transitions.values()
    out = [c.to for c in transitions if state in profile.ladder.origins(c)]
    return ", ".join(dict.fromkeys(out)) or "–"


def _other_senses(profile: Profile) -> Iterator[list[str]]:
    """The other senses of a profile: name, numbers, and the teams it notices."""
    teams = {place[0]: ", ".join(names) for place, names in profile.teams().items()}
    for sense, key in SENSE_KEYS.items():
        if key in SINGLE_SENSES and (own := getattr(profile, key)) is not None:
            yield [sense, own.in_words, teams[key]]


def run(
    scenario: ScenarioFile,
    overrides: Overrides = None,
    activities: Activities = None,
    out: Annotated[
        Path | None,
        typer.Option(
            "--out",
            metavar="DIR",
            help="Folder, replacing a run there; default: runs/ and the scenario's name.",
        ),
    ] = None,
    as_json: Json = False,
) -> None:
    """Replay a scenario and write the run's tables."""
    from snelk.runs.run import run as replay
    from snelk.runs.store import claim_run

    place = out if out is not None else Path("runs") / scenario.stem
    loaded = load_scenario(scenario, overrides)
    run_files(activities)
    claim_run(place)
    say_warnings(loaded, scenario, activities)
    with progress_bar("replaying") as progress:
        done = replay(loaded, out=place, progress=progress)
    if as_json:
        counts = {key: done.info[key] for key in ("overrides", "ticks", "rows", "seed")}
        from snelk.runs.summary import minds_of, pairs_of

        found = {"pairs": pairs_of(done), "minds": minds_of(done)}
        say_json({"run": str(place), "scenario": str(scenario), **counts, **found})
        return
    _say_run(done, place)
    screen = Screen()
    screen.print("\nNext")
    screen.print("  " + command("snelk", "events", place))
    lost = next(done.rows("events").where(kind="lost").each(), None)
    pair = (lost.agent, lost.target) if lost else _first_pair(done)
    if pair:
        when = f"{lost.t if lost else done.times[-1] / 2:g}"
        screen.print("  " + command("snelk", "why", place, *pair, "--at", when))
        screen.print("  " + command("snelk", "page", place))


def searches(
    scenario: ScenarioFile,
    agent: Annotated[str, typer.Argument(metavar="AGENT", help="Agent that searches, or a group.")],
    overrides: Overrides = None,
    seeds: Annotated[
        int, typer.Option("--seeds", metavar="N", min=1, max=1000, help="Number of seeds, from 0.")
    ] = 5,
    activities: Activities = None,
    as_json: Json = False,
) -> None:
    """Compare the four search methods over several seeds.

    For a group: searching together against each member alone.
    """
    from snelk.config.problems import key_path
    from snelk.tuning.searches import compare_searches, means_by_way

    loaded = load_scenario(scenario, overrides)
    run_files(activities)
    if agent in loaded.setup.groups and agent not in loaded.setup.agents:
        _compare_company(loaded, agent, seeds, as_json=as_json)
        return
    with progress_bar("searching in four ways") as progress:
        results = compare_searches(loaded, agent, seeds=range(seeds), progress=progress)
    means = means_by_way(results)
    if as_json:
        say_json({"agent": agent, "ways": means, "runs": [r.to_dict() for r in results]})
        return
    screen = Screen()
    screen.print(
        f"{agent}: four ways to search, {seeds} seeds each; the soonest to find it first\n"
    )
    rows = [
        [
            row["method"],
            f"{row['found']} of {row['searched']}",
            seconds(row["until_found"]),
            str(row["searches"]),
            seconds(row["seconds"]),
            "–" if row["searches"] == 0 else f"{row['walked']:.1f} m",
        ]
        for row in means
    ]
    head = ["method", " found in", " until found", " searches", " each lasted", " walked"]
    screen.print("\n".join(table(head, rows)))
    text = (
        "found in: of the runs in which it searched; until found: mean from the first search on, "
    )
    text += "a run in which it never did counting to its end"
    screen.print(wrap(text, indent=2, first="  "))
    if seeds <= FEW_SEEDS:
        each = [
            [
                result.method,
                str(result.seed),
                ", ".join(outcome.replace("_", " ") for outcome in result.outcomes) or "–",
                seconds(result.seconds),
                f"{result.walked:.1f} m",
            ]
            for result in results
        ]
        head = ["method", " seed", "outcome of its searches", " lasted in all", " walked"]
        screen.print("\n" + "\n".join(table(head, each)))
    name = loaded.setup.cast[agent].profile or ""
    ladder = loaded.setup.profiles[name].ladder
    state = next(s for s, each in ladder.states.items() if each.search) if ladder else ""
    best = means[0]
    if not any(row["found"] for row in means):
        screen.print("\n" + wrap(_why_none_found(agent, results), indent=0))
        return
    key = key_path(("profiles", name, "ladder", "states", state, "search", "method"))
    words = ["snelk", "run", str(scenario), "--set", f"{key}={best['method']}"]
    screen.print(f"\nTry it\n  {command(*words, *repeated('--activities', activities))}")


def _compare_company(loaded: Scenario, group: str, seeds: int, *, as_json: bool) -> None:
    """Print how a group searches together, and how its members search alone."""
    from snelk.tuning.searches import compare_company, means_by_company

    with progress_bar("searching together and alone") as progress:
        results = compare_company(loaded, group, seeds=range(seeds), progress=progress)
    means = means_by_company(results)
    if as_json:
        say_json({"group": group, "ways": means, "runs": [each.to_dict() for each in results]})
        return
    screen = Screen()
    members = ", ".join(loaded.setup.groups[group].members)
    text = f"{group} ({members}): as one, and each as if alone, {seeds} seeds each"
    screen.print(wrap(text, indent=2))
    rows = [
        [
            row["way"], f"{row['found']} of {row['searched']}", seconds(row["until_found"]),
            "–" if row["searched"] == 0 else f"{row['walked']:.1f} m", seconds(row["same_point"]),
        ]
        for row in means
    ]  # fmt: skip
    head = ["search", " found in", " until found", " walked", " at the same point"]
    screen.print("\n" + "\n".join(table(head, rows)))
    text = "found in: of the runs in which anybody searched; until found: mean from the first "
    text += "search on until the first of them found the target, a run in which none did counting "
    text += "to its end; walked: all of them, while they searched; at the same point: the longest "
    text += "that two of them stood no more than 0.5 m apart"
    screen.print(wrap(text, indent=2, first="  "))
    if not any(row["searched"] for row in means):
        text = "Nobody of it ever searched: no transition led to a state that does. See with: "
        screen.print("\n" + wrap(text + f"snelk why RUN {members.split(',')[0]}", indent=2))


def _why_none_found(agent: str, results: list[SearchResult]) -> str:
    """Why no search found the target, as far as known."""
    ends = Counter(outcome for result in results for outcome in result.outcomes)
    if not ends:
        text = (
            f"{agent} never searched: no transition led to a state that does. See its states with "
        )
        return text + "snelk why RUN AGENT."
    words = {
        "gave_up": "gave up after its give_up seconds",
        "nothing": "had nothing left to check",
        "broken_off": "left the state before it was over",
        "open": "were still going on when the run ended",
    }
    told = ", ".join(f"{count} {words[name]}" for name, count in ends.most_common())
    text = f"No method found it, so none is better: of {sum(ends.values())} searches {told}. "
    return text + "A longer give_up, a larger radius, more points or a later clock.end may help."


def schema(
    kind: Annotated[
        str, typer.Argument(metavar="KIND", help="scenario, profiles, level, messages, export.")
    ],
    out: Annotated[
        Path | None, typer.Option("--out", metavar="FILE", help="Write to this file.")
    ] = None,
) -> None:
    """Print the JSON Schema of a file type, or of the messages."""
    import json

    from snelk.config.exporting import export_schema
    from snelk.config.schema import FILES
    from snelk.config.schema import schema as schema_of
    from snelk.serving.messages import messages_schema

    others = {"messages": messages_schema, "export": export_schema}
    if kind not in (*FILES, *others):
        fix = nearest(kind, (*FILES, *others))
        raise UnknownNameError.of("schema", "KIND", f'"{kind}"', "no such kind of file", fix)
    if out is not None:
        claim(out, ".json", ours=lambda path: b'"$schema"' in path.read_bytes()[:4096])
    found = others[kind]() if kind in others else schema_of(kind)
    text = json.dumps(found, indent=2)
    if out is None:
        typer.echo(text)
        return
    write_text(out, text + "\n")
    Screen().print(f"Written to {out}")


def load_scenario(path: Path, overrides: list[str] | None) -> Scenario:
    """Read a scenario, with what `--set` changes."""
    from snelk.config.scenario import load, parse_override

    return load(path, overrides=dict(parse_override(text) for text in overrides or ()))


def say_warnings(loaded: Scenario, path: str | Path, activities: list[Path] | None = None) -> None:
    """Say on standard error how many warnings `snelk check` has, and the first of them."""
    from snelk.tuning.check import check as look_over

    findings = look_over(loaded)
    if findings:
        count = f"{len(findings)} warnings; the first" if len(findings) > 1 else "1 warning"
        look = command("snelk", "check", path, *repeated("--activities", activities))
        text = f"{count}: {findings[0]}. All: {look}"
        typer.echo(wrap(text, indent=9, first="warning:"), err=True)


def run_files(paths: list[Path] | None) -> None:
    """Run Python files of the user's, for the activities that they register."""
    import runpy

    for path in paths or ():
        if not path.is_file():
            raise UnknownNameError.of(str(path), "", "", "no such file", "name a Python file")
        try:
            runpy.run_path(str(path))
        except InputError:
            raise
        except Exception as error:
            rule = f"cannot be run: {type(error).__name__}: {error}"
            raise InputError.of(str(path), "", "", rule) from error


def _copy_files(source: Path, folder: Path, *, keep_changed: bool) -> list[str]:
    """Copy the data files of a folder; return the names of those that were left as they were."""
    kept = []
    for path in sorted(source.iterdir()):
        if path.suffix not in (".toml", ".csv", ".geojson"):
            continue
        to, text = claim(folder / path.name), path.read_bytes()
        if keep_changed and to.exists() and to.read_bytes() != text:
            kept.append(path.name)
            continue
        with written(to) as draft:
            draft.write_bytes(text)
    return kept


def _say_run(done: Run, place: Path) -> None:
    screen = Screen()
    clock, times = done.setup.clock, done.times
    screen.print(done.info["title"] or done.info["scenario"])
    screen.print(
        f"  {len(times)} ticks of {clock.dt:g} s, from {times[0]:g} to {times[-1]:g} s; "
        f"{len(done.names)} characters, {len(done.agents)} of them agents"
    )
    for key, value in done.info["overrides"].items():
        screen.print(f"  changed: {key} = {value}")
    from snelk.runs.summary import pairs_of

    pairs = pairs_of(done)
    sensed = shown = pairs
    if len(pairs) > MOST_PAIRS:  # of many those that matter
        sensed = sorted((row for row in pairs if row["sensed"]), key=lambda r: -r["in_view"])
        shown = sensed[:MOST_PAIRS]
    rows = [
        [
            row["agent"],
            row["target"],
            seconds(row["first_seen"]),
            seconds(row["in_view"]),
            str(row["times"]),
            "–" if row["nearest"] is None else f"{row['nearest']:.1f} m",
            str(row["heard"]),
            "–" if row["highest_meter"] is None else f"{row['highest_meter']:.2f}",
        ]
        for row in shown
    ]
    if rows:
        head = [
            "agent",
            "target",
            " first saw",
            " in view",
            " times",
            " nearest",
            " heard",
            " meter up to",
        ]
        screen.print("\n" + "\n".join(table(head, rows)))
    if len(shown) < len(pairs):
        never = len(pairs) - len(sensed)
        text = f"These were in view longest; {len(sensed) - len(shown)} more pairs sensed each "
        screen.print(wrap(text + f"other, {never} never did.", indent=2, first="  "))
    from snelk.runs.summary import minds_of

    every = minds_of(done)
    minds = every
    if len(every) > MOST_MINDS:
        minds = sorted(every, key=lambda row: -row["transitions"])[:MOST_MINDS]
    if minds:
        rows = [
            [
                row["agent"],
                str(row["transitions"]),
                row["highest"],
                seconds(row["highest_at"]),
                row["last"],
                f"{row['walked']:.1f} m",
            ]
            for row in minds
        ]
        head = ["agent", " transitions", "most alert", " first at", "at the end", " walked"]
        screen.print("\n" + "\n".join(table(head, rows)))
    if len(minds) < len(every):
        screen.print(f"  and {len(every) - len(minds)} more, with no more transitions than these")
    if done.info["ended_by_catch"]:
        caught = done.rows("events").where(kind="caught").row(-1).text
        screen.print(f"\nThe run ended at {times[-1]:.2f} s: {caught}.")
    counts: dict[str, Any] = done.info["rows"]
    written = f"Written to {place}: {counts['events']} events, {counts['sight']} checks of sight, "
    written += f"{counts['hearing']} of hearing, {counts['contacts']} of touch, zones and smell"
    screen.print("\n" + wrap(written, indent=0))


def _first_pair(done: Run) -> tuple[str, str] | None:
    from snelk.runs.summary import pairs_of

    rows = pairs_of(done)
    return (rows[0]["agent"], rows[0]["target"]) if rows else None


def _busy(done: Run, at: float) -> list[str]:
    """The agents that something happened to about a time, so that the map is not crowded."""
    near = {each.agent for each in done.rows("events").each() if abs(each.t - at) <= 2.0}
    return [agent for agent in done.agents if agent in near][:6]


def _telling_moment(done: Run) -> float:
    """The tick with most agents losing or seeing somebody near it: the first busy moment.

    Of a run in which nobody does, the last.
    """
    times = [each.t for each in done.rows("events").each() if each.kind in ("saw", "lost")]
    counts = [sum(abs(other - t) <= 2.0 for other in times) for t in times]
    return times[counts.index(max(counts))] if counts else float(done.times[-1])
