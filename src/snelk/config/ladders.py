"""Errors in alert ladders, and in the names that they and the cast refer to."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import numpy as np

from snelk.config.conditions import Condition, parse
from snelk.config.draft import Draft, Place
from snelk.config.geojson import LevelData
from snelk.config.minds import PLACES, Ladder, State
from snelk.config.models import Change, Effect, Profile, Setup
from snelk.config.nodes import BUILT_IN, WORDS_OF, ConditionError, Node
from snelk.config.problems import shown
from snelk.errors import Problem, nearest

Names = dict[str, list[str]]

MOST_CELLS = 50_000
"""Of a search by likelihood."""


def ladder_problems(setup: Setup, draft: Draft, level: LevelData) -> Iterator[Problem]:
    """States, routes, zones, spots and attributes that are named but are not there, and so on."""
    known = {
        "route": [route.name for route, _ in level.routes],
        "spot or zone": [
            *(spot.name for spot, _ in level.spots),
            *(zone.name for zone, _ in level.zones),
        ],
        "spot": [spot.name for spot, _ in level.spots],
        "zone": [zone.name for zone, _ in level.zones],
        "team": sorted({member.team for member in setup.cast.values()}),
        "character": list(setup.cast),
        "attribute": sorted(
            {name for body in setup.bodies.values() for name in body.attributes}
            | set(setup.attributes)
        ),
        "kind of noise": list(setup.noise_kinds),
        "door": [wall.name for wall, _ in level.walls if wall.door],
        "light": list(setup.lights),
    }

    def missing(
        place: Place, what: str, names: Iterable[str], of: Iterable[str] | None = None
    ) -> Iterator[Problem]:
        for name in names:
            there = known[what] if of is None else list(of)
            if name not in there:
                source, where = draft.locate(place)
                fix = nearest(name, there)
                yield Problem(source, where, shown(name), f"no such {what}", fix)

    for name, member in setup.cast.items():
        own: Place = ("cast", name)
        yield from missing((*own, "route"), "route", [member.route] if member.route else [])
        yield from missing((*own, "spots"), "spot", member.spots)
        if member.leash is not None:
            yield from missing((*own, "leash", "zone"), "zone", [member.leash.zone])
        ladder = setup.profiles[member.profile].ladder if member.profile is not None else None
        if member.state is not None and (ladder is None or member.state not in ladder.states):
            source, where = draft.locate((*own, "state"))
            fix = nearest(member.state, ladder.states) if ladder else "its profile has no ladder"
            yield Problem(source, where, shown(member.state), "no such alert state", fix)
    yield from _group_problems(setup, draft)
    doors = [wall.name for wall, _ in level.walls if wall.door]
    for name, door in setup.doors.items():
        if name not in doors:
            source, where = draft.locate(("doors", name))
            fix = nearest(name, doors) or "give a wall of the level `door = true`"
            yield Problem(source, where, "", "no such door", fix)
        kinds = [door.noise] if door.noise else []
        yield from missing(("doors", name, "noise"), "kind of noise", kinds)
    for name in setup.lights:
        lit = [zone.name for zone, _ in level.zones if zone.light is not None]
        if name not in lit:
            source, where = draft.locate(("lights", name))
            fix = nearest(name, lit) or "give a zone of the level a `light`"
            yield Problem(source, where, "", "no zone with this name has a light", fix)
    for n, change in enumerate(setup.change):
        yield from change_problems(setup, draft, level, change.of, change.to, ("change", n))
    for n, effect in enumerate(setup.effect):
        yield from missing(("effect", n, "of"), "character", [effect.of])
        for name in (*effect.set, *effect.add):
            if name in BUILT_IN or name in WORDS_OF:
                source, where = draft.locate(("effect", n))
                rule = "is computed at every tick, and cannot be set"
                yield Problem(source, where, name, rule, "use another name")
        yield from effect_problems(setup, effect, *draft.locate(("effect", n)))
    owners = {("bodies", name): body.attributes for name, body in setup.bodies.items()}
    owners |= {("cast", name): member.attributes for name, member in setup.cast.items()}
    for owner, attributes in owners.items():
        for attribute in attributes:
            if attribute in BUILT_IN or attribute in WORDS_OF:
                source, where = draft.locate((*owner, "attributes", attribute))
                yield Problem(
                    source, where, "", "is a built-in attribute of every character", "rename it"
                )
    before = draft.checked_before()
    draft.names = known
    for name, profile in setup.profiles.items():
        if profile.ladder is None or (before and _was_checked(name, profile, known, *before)):
            continue
        place: Place = ("profiles", name, "ladder")
        yield from _within_ladder(profile.ladder, place, draft)
        if profile.ladder.focus_by.startswith("target."):
            attribute = profile.ladder.focus_by.partition(".")[2]
            yield from missing((*place, "focus_by"), "attribute", [attribute])
        for part, effects in profile.ladder.effects():
            for turned, to in effects.turns.items():
                here: Place = (*place, *part, "turns", turned)
                yield from change_problems(setup, draft, level, turned, to, here)
            yield from missing((*place, *part, "alarm"), "team", effects.alarm)
            kinds = [effects.noise] if effects.noise else []
            yield from missing((*place, *part, "noise"), "kind of noise", kinds)
            for name in effects.attributes:
                if name in BUILT_IN or name in WORDS_OF:
                    source, where = draft.locate((*place, *part))
                    rule = "is computed at every tick, and cannot be set"
                    yield Problem(source, where, name, rule, "use another name")
        for state_name, state in profile.ladder.states.items():
            yield from missing(
                (*place, "states", state_name, "cones"), "cone", state.cones, profile.cones
            )
            for key, what, names in named_by(state):
                yield from missing((*place, "states", state_name, *key), what, names)
        for transition_name, transition in profile.ladder.transitions.items():
            try:
                condition = parse(transition.when)
            except ConditionError as error:
                source, where = draft.locate((*place, "transitions", transition_name, "when"))
                given = shown(transition.when)
                rule = f"column {error.column + 1}: {error.rule}"
                yield Problem(source, where, given, rule, error.fix)
                continue
            for what, word in names_in(condition):
                at: Place = (*place, "transitions", transition_name, "when")
                yield from missing(at, what, [word], profile.cones if what == "cone" else None)


def _was_checked(name: str, profile: Profile, known: Names, whole: Setup, names: Names) -> bool:
    """Whether a ladder was found right before, and all is there that it could refer to."""
    own = whole.profiles.get(name)
    alike = (
        own is not None
        and own.ladder is profile.ladder
        and own.cones.keys() == profile.cones.keys()
    )
    return alike and known == names


def _group_problems(setup: Setup, draft: Draft) -> Iterator[Problem]:
    """Members of groups that are no agents or in several, and rules that nobody can meet."""
    taken: dict[str, str] = {}
    for name, group in setup.groups.items():
        source, place = draft.locate(("groups", name))
        for member in group.members:
            if member not in setup.agents:
                fix = nearest(member, setup.agents)
                yield Problem(source, f"{place}.members", shown(member), "no such agent", fix)
            elif member in taken:
                rule = (
                    f"is already in {taken[member]}" if taken[member] != name else "is named twice"
                )
                fix = "leave it out here"
                yield Problem(source, f"{place}.members", shown(member), rule, fix)
            taken.setdefault(member, name)
        for member in group.members if group.stays else ():
            if member in setup.agents and not _has_routine(setup.profile_of(member).ladder):
                rule = "has no routine that it could stay in"
                fix = "give it a ladder with states of different ranks"
                yield Problem(source, f"{place}.members", shown(member), rule, fix)
        if group.stays > len(group.members):
            rule = f"must be at most {len(group.members)}, as many as it has members"
            yield Problem(source, f"{place}.stays", str(group.stays), rule)
        side, _, attribute = group.goes.partition(".")
        if side == "own" and attribute not in setup.attributes:
            fix = nearest(attribute, setup.attributes)
            yield Problem(source, f"{place}.goes", shown(group.goes), "no such attribute", fix)


def _has_routine(ladder: Ladder | None) -> bool:
    """Whether some states of a ladder are less alert than others."""
    return ladder is not None and len({ladder.rank_of(name) for name in ladder.states}) > 1


def effect_problems(setup: Setup, effect: Effect, source: str, place: str) -> Iterator[Problem]:
    """Errors in an effect that spawns a character, or puts it into a state."""
    member = setup.cast.get(effect.of)
    if member is None:
        return  # that is told
    if member.clue is not None and (effect.spawns or effect.removes or effect.state):
        fix = f"a clue is there {member.clue.in_words}"
        yield Problem(
            source, f"{place}.of", shown(effect.of), "appears and disappears by itself", fix
        )
    ladder = setup.profiles[member.profile].ladder if member.profile is not None else None
    if effect.state is not None and (ladder is None or effect.state not in ladder.states):
        fix = nearest(effect.state, ladder.states) if ladder else "its profile has no ladder"
        yield Problem(source, f"{place}.state", shown(effect.state), "no such alert state", fix)


def recorded_changes_problems(
    setup: Setup, draft: Draft, level: LevelData, changes: Sequence[Change]
) -> Iterator[Problem]:
    """What files say changed that is no door or light."""
    for name, to in dict.fromkeys((change.of, change.to) for change in changes):
        yield from change_problems(setup, draft, level, name, to, ("changes",))


def change_problems(
    setup: Setup, draft: Draft, level: LevelData, name: str, to: str, place: Place
) -> Iterator[Problem]:
    """Errors in changes: doors and lights that do not exist, or are of another kind."""
    doors = [wall.name for wall, _ in level.walls if wall.door]
    known, what = (doors, "door") if to in ("open", "shut") else (list(setup.lights), "light")
    if name not in known:
        source, where = draft.locate(place)
        fix = nearest(name, known)
        if not known:
            fix = (
                "a door is a wall with `door = true`" if what == "door" else f"add [lights.{name}]"
            )
        yield Problem(source, where, shown(name), f"no such {what}", fix)


def _within_ladder(ladder: Ladder, place: Place, draft: Draft) -> Iterator[Problem]:
    """States that are named within a ladder, and states of several activities."""
    wanted: list[tuple[Place, str]] = [(("first",), ladder.first)] if ladder.first else []
    for name, transition in ladder.transitions.items():
        wanted += [
            (("transitions", name, "from"), state)
            for state in transition.from_
            if state not in ladder.groups
        ]
        wanted.append((("transitions", name, "to"), transition.to))
        if not ladder.origins(transition) and len(ladder.states) > 1:
            source, where = draft.locate((*place, "transitions", name))
            rule = "leads from a state to the same state"
            yield Problem(source, where, "", rule, "use another state in from or to")
    for name, group in ladder.groups.items():
        wanted += [(("groups", name), state) for state in group]
        if name in ladder.states:
            source, where = draft.locate((*place, "groups", name))
            yield Problem(source, where, "", "is already the name of a state", "rename it")
    for key, state in wanted:
        if state not in ladder.states:
            source, where = draft.locate((*place, *key))
            fix = nearest(state, [*ladder.states, *(ladder.groups if "from" in key else ())])
            yield Problem(source, where, shown(state), "no such alert state", fix)
    for name, written in ladder.states.items():
        several = written.activities()
        if len(several) > 1:
            source, where = draft.locate((*place, "states", name))
            rule = f"has {len(several)} activities: {', '.join(several)}"
            yield Problem(source, where, "", rule, "keep one")
        search = written.search
        if search is not None and search.method == "likelihood":
            cells = int(np.pi * (search.radius / search.cell) ** 2)
            if cells > MOST_CELLS:
                source, where = draft.locate((*place, "states", name, "search"))
                rule = f"radius {search.radius:g} m makes {cells:,} cells, more than {MOST_CELLS:,}"
                least = search.radius * (np.pi / MOST_CELLS) ** 0.5
                fix = f"make cell {np.ceil(least * 10) / 10:g} m or more, or the radius smaller"
                yield Problem(source, where, f"cell = {search.cell:g}", rule, fix)
        roam = written.roam
        if roam is not None and roam.ring is not None and roam.ring[0] >= roam.ring[1]:
            source, where = draft.locate((*place, "states", name, "roam", "ring"))
            rule = "must be [least, largest] distance, the largest above the least"
            yield Problem(source, where, shown(roam.ring), rule)


def named_by(state: State) -> Iterator[tuple[Place, str, tuple[str, ...]]]:
    """The names in a state: their key, kind and values."""
    yield ("freeze_seen_by",), "team", state.freeze_seen_by
    if state.patrol is not None and state.patrol.route is not None:
        yield ("patrol", "route"), "route", (state.patrol.route,)
    if state.roam is not None and state.roam.zone is not None:
        yield ("roam", "zone"), "zone", (state.roam.zone,)
    for key, moved in (("roam", state.roam), ("patrol", state.patrol)):
        if moved is not None and moved.about not in (None, *PLACES):
            yield (key, "about"), "character", (moved.about or "",)
    if state.go is not None and state.go.spot is not None:
        yield ("go", "spot"), "spot", (state.go.spot,)
    if state.flee is not None:
        yield ("flee", "spots"), "spot", state.flee.spots
    if state.search is not None:
        yield ("search", "spots"), "spot", state.search.spots
    if state.play is not None:
        yield ("play", "to"), "spot or zone", (state.play.to,)
        yield ("play", "ignores"), "character", state.play.ignores


def names_in(condition: Condition) -> Iterator[tuple[str, str]]:
    """The names in a condition: their kind and value."""
    kinds = {"in_zone": "zone", "target_in_zone": "zone", "observed_by": "team", "seen": "cone"}
    kinds |= {"open": "door", "lit": "light"}
    for node in condition.root.walk():
        if node.kind == "call" and node.word in kinds:
            yield kinds[node.word], node.parts[0].word
        if node.kind == "attribute":
            name = node.word.partition(".")[2]
            if name not in BUILT_IN and name not in WORDS_OF:
                yield "attribute", name
        if node.kind == "compare":
            yield from _words_compared(node)


def _words_compared(node: Node) -> Iterator[tuple[str, str]]:
    texts = [part.word for part in node.parts if part.kind == "text"]
    words = [part.word for part in node.parts if part.kind == "attribute"]
    for text in texts:
        for word in words:
            yield ("team" if word.endswith(".team") else "character"), text
