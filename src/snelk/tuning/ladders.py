"""Warnings about alert ladders, and the activities of their states."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from snelk.body.agent import Me
from snelk.config.conditions import Condition, parse
from snelk.config.minds import Ladder, Transition
from snelk.config.nodes import Node
from snelk.config.problems import key_path
from snelk.config.scenario import Scenario
from snelk.level.level import Level
from snelk.tuning.common import Checks, Found, is_moved, used_profiles
from snelk.tuning.situations import MOVING, situations

MOMENTS = ("heard", "told", "any_heard", "any_told")
"""Signals that are true for a tick at a time."""


def used_ladders(scenario: Scenario) -> Iterator[tuple[str, Ladder]]:
    """The ladders of the agents of the cast, by the name of their profile."""
    for name, profile in used_profiles(scenario).items():
        if profile.ladder is not None:
            yield name, profile.ladder


def _key(profile: str, *place: str) -> str:
    return key_path(("profiles", profile, "ladder", *place))


def _from(ladder: Ladder, transition: Transition) -> list[str]:
    """The states that a transition leads out of."""
    return list(ladder.origins(transition))


def _state_unreachable(scenario: Scenario) -> Found:
    for name, ladder in used_ladders(scenario):
        starts = {
            member.state or ladder.first_state
            for member in scenario.setup.cast.values()
            if member.profile == name
        }
        reached, rest = set(starts), True
        while rest:
            new = {c.to for c in ladder.transitions.values() if reached & set(_from(ladder, c))}
            rest = bool(new - reached)
            reached |= new
        for state in ladder.states:
            if state not in reached:
                reason = f"no row of transitions leads there from {' or '.join(sorted(starts))}"
                yield (
                    _key(name, "states", state),
                    reason,
                    "add a transition, or leave out the state",
                )


def _sleeps_with_open_eyes(scenario: Scenario) -> Found:
    for name, ladder in used_ladders(scenario):
        if not scenario.setup.profiles[name].cones:
            continue
        for state, written in ladder.states.items():
            if written.sleep is not None and written.awake_of("sight") > 0.0:
                share = written.awake_of("sight")
                reason = f"sleeps, and sees all the same, {share:.0%} as far as awake"
                fix = "add senses = { sight = 0 }, or awake = 0"
                yield _key(name, "states", state), reason, fix


def _search_slower_than_target(scenario: Scenario) -> Found:
    for name, ladder in used_ladders(scenario):
        profile = scenario.setup.profiles[name]
        for state, written in ladder.states.items():
            search, movement = written.search, profile.movement
            if search is None or search.method != "likelihood" or movement is None:
                continue
            own = getattr(movement, written.pace)
            memory = profile.memory
            speed = search.speed or (memory.spread if memory else 0.0) or 1.0
            if speed > own:
                reason = f"searches at {own:g} m/s for somebody who may go {speed:g} m/s"
                fix = "the likelihood spreads faster than the agent can check it: raise the pace"
                yield _key(name, "states", state, "search"), reason, fix


def _raw_flips(scenario: Scenario) -> Found:
    """Two transitions that swap two states each time the target goes in or out of view."""
    for name, ladder in used_ladders(scenario):
        cones = scenario.setup.profiles[name].cones.values()
        held = all(c.hold_range or c.hold_fov_whole for c in cones)
        if held:
            continue
        flips = {
            (state, transition.to): transition_name
            for transition_name, transition in ladder.transitions.items()
            for state in _from(ladder, transition)
            if parse(transition.when).text.strip() in ("seen", "not seen") and not transition.for_
        }
        for (a, b), transition_name in flips.items():
            waits = ladder.states[a].least or ladder.states[b].least
            back = flips.get((b, a))
            if back is not None and a < b and not waits:
                reason = f"swaps {a} and {b} with {back} at every look that turns"
                fix = "give one of them a for, one state a least, or the cones hold limits"
                yield _key(name, "transitions", transition_name), reason, fix


def _roams_to_the_end(scenario: Scenario) -> Found:
    leashed = {m.profile for m in scenario.setup.cast.values() if m.leash is not None}
    for name, ladder in used_ladders(scenario):
        for state, written in ladder.states.items():
            roam = written.roam
            if roam is not None and roam.zone is None and roam.ring is None and name not in leashed:
                reason = "roams over all the ground, up to 3 m outside the level"
                fix = "give it a zone or a ring, or draw an edge in the level"
                yield _key(name, "states", state, "roam"), reason, fix


def _out_of_reach(scenario: Scenario) -> Found:
    """Homes, spots and routes that an agent cannot reach from its start."""
    from snelk.engine.simulation import Simulation

    ladders = dict(used_ladders(scenario))
    movers = [
        agent
        for agent in scenario.setup.agents
        if is_moved(scenario, agent) and scenario.setup.cast[agent].profile in ladders
    ]
    if not movers:
        return
    world = Simulation(scenario).world
    for agent in movers:
        a, member = scenario.setup.agents.index(agent), scenario.setup.cast[agent]
        ladder = ladders[member.profile or ""]
        goals: dict[str, NDArray[np.float64]] = {}
        for state in ladder.states.values():
            spots = [state.go.spot] if state.go and state.go.spot else []
            for each in (state.flee, state.search):
                spots += list(each.spots or member.spots) if each else []
            goals |= {f"the spot {spot}": world.spots[spot] for spot in spots}
            if state.play is not None:
                there = world.level.places_named(state.play.to, float(world.motion.z[0, a]))
                if len(there):
                    goals[state.play.to] = there[0]
            if state.home is not None and (member.home or member.at) is not None:
                goals["its home"] = Me(world, 0, a).home_at
            if state.patrol is not None:
                corners = world.route_of(0, a, state.patrol.route)
                goals |= {f"corner {n} of its route": corner for n, corner in enumerate(corners)}
        walker, close = world.thinking.walker_of(0, a), world.motion.nearness(0, a)[0]
        for what, goal in goals.items():
            end = np.nan_to_num(goal)
            nowhere = walker.part < 0
            off = np.inf if nowhere else float(np.linalg.norm(walker.nearest(end) - end))
            if off > close:
                far = "there is no path" if nowhere else f"it comes no nearer than {off:.1f} m"
                reason = f"cannot get to {what} at ({goal[0]:.1f}, {goal[1]:.1f}): {far}"
                fix = "move it, or check walls, edges, the leash and the body's radius"
                yield key_path(("cast", agent)), reason, fix


def _state_without_way_out(scenario: Scenario) -> Found:
    for name, ladder in used_ladders(scenario):
        out = {state for c in ladder.transitions.values() for state in _from(ladder, c)}
        for state in ladder.states:
            if state not in out and len(ladder.states) > 1:
                reason = "no transition leads out of it"
                yield (
                    _key(name, "states", state),
                    reason,
                    "add one; or silence this warning if the state is meant to be final",
                )


def _never_true(scenario: Scenario) -> Found:
    for name, ladder in used_ladders(scenario):
        for transition_name, transition in ladder.transitions.items():
            condition = parse(transition.when)
            if not _can_be(scenario, name, ladder, transition, condition):
                reason = f"{transition.when} can never be true with this profile and cast"
                fix = "check its senses, its activities, and who tells it"
                yield _key(name, "transitions", transition_name, "when"), reason, fix


def _can_be(
    scenario: Scenario, name: str, ladder: Ladder, transition: Transition, condition: Condition
) -> bool:
    """Whether a transition's condition can be true in any state that it leads out of."""
    for state in _from(ladder, transition):
        found = situations(scenario, name, ladder.states[state], [condition])
        if found is None or found.true(condition).any():
            return True
    return False


def _for_on_a_moment(scenario: Scenario) -> Found:
    for name, ladder in used_ladders(scenario):
        for transition_name, transition in ladder.transitions.items():
            waits = [ladder.reaction_of(transition, state) for state in _from(ladder, transition)]
            wait = max(transition.for_, *waits, 0.0)
            if wait <= scenario.setup.clock.dt:
                continue
            key = "for" if transition.for_ >= wait else "when"
            condition, lasts, ever = parse(transition.when), False, False
            yield from _parts_of_a_moment(name, transition_name, condition, wait)
            for state in _from(ladder, transition):
                found = situations(scenario, name, ladder.states[state], [condition])
                if found is None:
                    lasts = True
                    break
                true = found.true(condition)
                moment = np.zeros(len(true), dtype=np.bool_)
                for signal in MOMENTS:
                    moment |= found.values.get(signal, moment & False)
                ever |= bool(true.any())
                lasts |= bool((true & ~moment).any())
            if ever and not lasts:
                reason = f"{wait:g} s cannot pass: {transition.when} is true for a tick at a time"
                fix = "leave it out" if key == "for" else "give the transition reaction = 0"
                yield _key(name, "transitions", transition_name, key), reason, fix


def _parts_of_a_moment(name: str, transition_name: str, condition: Condition, wait: float) -> Found:
    """Parts of an `or` that can never decide: true for a tick, while the transition waits."""
    root = condition.root
    for part in root.parts if root.kind == "or" else ():
        asked = part.parts if part.kind == "and" else (part,)
        moment = next((n.word for n in asked if n.kind == "signal" and n.word in MOMENTS), "")
        if moment:
            reason = f"{wait:g} s cannot pass for its part {condition.words_in(part)}: {moment} is "
            reason += "true for one tick at a time"
            fix = "make it a separate transition without a wait, or use a signal that lasts, "
            fix += "such as knows"
            yield _key(name, "transitions", transition_name, "when"), reason, fix


def _for_too_short(scenario: Scenario) -> Found:
    for name, profile in used_profiles(scenario).items():
        if profile.ladder is None:
            continue
        for transition_name, transition in profile.ladder.transitions.items():
            asked = {node.word for node in parse(transition.when).root.walk()}
            yield from _shorter_than_watchers(scenario, name, transition_name, transition, asked)
            sight = asked & {"seen", "exposure", "seen_for", "lost_for"}
            if sight and 0.0 < transition.for_ < profile.look_every:
                reason = (
                    f"{transition.for_:g} s is shorter than look_every, {profile.look_every:g} s"
                )
                fix = "so a single look decides; make it longer, or leave it out"
                yield _key(name, "transitions", transition_name, "for"), reason, fix


def _shorter_than_watchers(
    scenario: Scenario, name: str, transition_name: str, transition: Transition, asked: set[str]
) -> Found:
    """A `for` on `not observed` that is shorter than the observer's look interval."""
    setup = scenario.setup
    if not asked & {"observed", "observed_by"} or transition.for_ <= 0.0:
        return
    teams = {setup.cast[agent].team for agent in setup.agents if setup.cast[agent].profile == name}
    for watcher in setup.agents:
        profile = setup.profile_of(watcher)
        sees = any(profile.sees(team) for team in teams - {setup.cast[watcher].team})
        if sees and transition.for_ < profile.look_every:
            reason = f"{transition.for_:g} s is shorter than look_every of {watcher}, "
            reason += f"{profile.look_every:g} s"
            fix = "so a single look decides; make it longer, or let that agent look more often"
            yield _key(name, "transitions", transition_name, "for"), reason, fix
            return


def _limits_overlap(scenario: Scenario) -> Found:
    """Two transitions back and forth whose limits of one number overlap."""
    for name, ladder in used_ladders(scenario):
        transitions = list(ladder.transitions.items())
        for n, (there_name, there) in enumerate(transitions):
            for back_name, back in transitions[n + 1 :]:
                chase = there.to in _from(ladder, back) and back.to in _from(ladder, there)
                waits = max(there.for_, back.for_) > 0.0
                if not chase or not waits or not _together(scenario, name, ladder, there, back):
                    continue  # without a wait it is a flicker, which is told by itself
                mine, its = _limits(parse(there.when)), _limits(parse(back.when))
                for signal in mine.keys() & its.keys():
                    # One has to be below a limit, the other above one.
                    if np.isinf(mine[signal][0]) != np.isinf(its[signal][0]):
                        reason = f'asks {there.when}, and "{back_name}" back again {back.when}: '
                        reason += f"between the two {signal} both are true"
                        fix = "move the limit for entering inside the limit for leaving"
                        yield _key(name, "transitions", there_name, "when"), reason, fix


def _limits(condition: Condition) -> dict[str, tuple[float, float]]:
    """The range of each signal that a condition, or each part of an `and`, asks for."""
    root = condition.root
    found: dict[str, tuple[float, float]] = {}
    for node in root.parts if root.kind == "and" else (root,):
        if node.kind != "compare" or node.parts[1].kind != "number":
            continue
        signal, limit = node.parts[0], node.parts[1].value
        low, high = found.get(signal.word, (-np.inf, np.inf))
        if signal.kind == "signal" and node.word in ("<", "<="):
            found[signal.word] = low, min(high, limit)
        elif signal.kind == "signal" and node.word in (">", ">="):
            found[signal.word] = max(low, limit), high
    return {
        signal: ends for signal, ends in found.items() if np.isinf(ends[0]) != np.isinf(ends[1])
    }


ABOUT_TARGETS = {
    "seen", "heard", "felt", "told", "knows", "meter", "exposure", "distance", "seen_for",
    "told_rank", "any_seen", "any_heard", "any_felt", "any_told", "smelt", "any_smelt",
}  # fmt: skip
"""Signals for whose sake an agent should look at what it stands for."""


def _watches_ahead(scenario: Scenario) -> Found:
    """States entered because of a target that only look ahead while standing."""
    movers = {
        scenario.setup.cast[agent].profile
        for agent in scenario.setup.agents
        if is_moved(scenario, agent)
    }
    for name, ladder in used_ladders(scenario):
        if name not in movers or not scenario.setup.profiles[name].cones:
            continue
        for state, written in ladder.states.items():
            if written.activity != "stand" or written.look != "ahead":
                continue
            if written.awake_of("sight") <= 0.0 or written.catch is not None:
                continue
            into = [
                transition for transition in ladder.transitions.values() if transition.to == state
            ]
            for transition in into:
                asked = {node.word for node in _wanted(parse(transition.when).root)}
                if asked & ABOUT_TARGETS:
                    reason = "stands and looks ahead, wherever it faced when it entered, though "
                    reason += f"it comes here as {transition.when}"
                    fix = 'use face = {}, or look = "focus" or "sweep"'
                    yield _key(name, "states", state, "look"), reason, fix
                    break


def _wanted(node: Node) -> Iterator[Node]:
    """The parts of a condition that have to be true; not those behind a `not`."""
    if node.kind == "not":
        return
    yield node
    for part in node.parts:
        yield from _wanted(part)


def _transition_hidden(scenario: Scenario) -> Found:
    for name, ladder in used_ladders(scenario):
        transitions = list(ladder.transitions.items())
        for n, (late_name, late) in enumerate(transitions):
            hiders = [
                {
                    early_name
                    for early_name, early in transitions[:n]
                    if state in _from(ladder, early)
                    and early.for_ <= late.for_
                    and "chance" not in early.when  # drawn for each transition by itself
                    and _implies(scenario, name, ladder, state, late, early)
                }
                for state in _from(ladder, late)
            ]
            always = set.intersection(*hiders) if hiders else set()
            if always:
                first = next(each for each, _ in transitions if each in always)
                reason = f'is never taken: whenever it is true, "{first}" before it is true as well'
                yield (
                    _key(name, "transitions", late_name),
                    reason,
                    "move it before that one, or make its condition narrower",
                )


def _implies(
    scenario: Scenario, name: str, ladder: Ladder, state: str, late: Transition, early: Transition
) -> bool:
    """Whether the earlier transition is true whenever the later one is, and that can be."""
    conditions = [parse(late.when), parse(early.when)]
    found = situations(scenario, name, ladder.states[state], conditions)
    if found is None:
        return late.when == early.when
    true = found.true(conditions[0])
    return bool(true.any() and found.true(conditions[1])[true].all())


def _flicker(scenario: Scenario) -> Found:
    """Two transitions that lead back and forth between two states in the same situation."""
    dt = scenario.setup.clock.dt
    for name, ladder in used_ladders(scenario):
        transitions = list(ladder.transitions.items())
        told = set()
        for there_name, there in transitions:
            for back_name, back in transitions:
                pair = frozenset((there_name, back_name))
                chase = there.to in _from(ladder, back) and back.to in _from(ladder, there)
                at_once = max(there.for_, back.for_) <= 0.0
                at_once &= max(
                    ladder.reaction_of(there, back.to), ladder.reaction_of(back, there.to)
                ) <= 0.0  # fmt: skip
                least = max(ladder.states[each.to].least for each in (there, back))
                if not chase or not at_once or least > 2 * dt or pair in told:
                    continue
                if _together(scenario, name, ladder, there, back):
                    told.add(pair)
                    reason = (
                        f'can be true together with "{back_name}" which leads back: '
                        f"{back.to} and {there.to} take turns every tick"
                    )
                    fix = "give one of them a for, one of the states a least, or let them exclude"
                    yield _key(name, "transitions", there_name), reason, fix + " each other"


def _together(
    scenario: Scenario, name: str, ladder: Ladder, there: Transition, back: Transition
) -> bool:
    """Whether both can be true a tick after the state was entered."""
    conditions = [parse(there.when), parse(back.when)]
    found = [
        situations(scenario, name, ladder.states[state], conditions, fresh=True)
        for state in (back.to, there.to)
    ]
    if found[0] is None or found[1] is None:
        return False
    both = [each.true(conditions[0]) & each.true(conditions[1]) for each in found if each]
    for true, each in zip(both, found, strict=True):
        for signal in MOMENTS:  # what is true for a tick cannot lead back and forth
            true &= ~(each.values.get(signal, true & False) if each else true)
    return all(each.any() for each in both)


def _activity_lacks(scenario: Scenario) -> Found:
    """Activities that have nothing to work with."""
    setup = scenario.setup
    for agent in setup.agents:
        member, profile = setup.cast[agent], setup.profile_of(agent)
        if profile.ladder is None:
            continue
        for name, state in profile.ladder.states.items():
            place = _key(member.profile or "", "states", name)
            doing = state.activity
            if doing in MOVING and profile.movement is None and agent not in scenario.tracks:
                yield (
                    place,
                    f"{agent} cannot {doing}: it has no movement",
                    "give the profile movement",
                )
            if doing in ("approach", "go", "search") and profile.memory is None:
                if state.go is None or state.go.spot is None:
                    reason = (
                        f"{agent} cannot {doing} well: it forgets at once whom it does not sense"
                    )
                    yield place, reason, "give the profile a memory"
            route = state.patrol is not None and not (state.patrol.route or member.route)
            flee = state.flee is not None and not (state.flee.spots or member.spots)
            hide = state.search is not None and state.search.method == "hideouts"
            hide = hide and not ((state.search and state.search.spots) or member.spots)
            if route:
                yield place, f"{agent} has no route to patrol", "add one here or in the cast"
            if flee or hide:
                yield place, f"{agent} knows no spots to {doing}", "add some here or in the cast"


def _idle_group(scenario: Scenario) -> Found:
    """Groups whose members do nothing together."""
    setup = scenario.setup
    for name, group in setup.groups.items():
        ladders = [(member, setup.profile_of(member).ladder) for member in group.members]
        search = [m for m, each in ladders if each and any(s.search for s in each.states.values())]
        if group.stays or group.apart or (group.search and len(search) > 1):
            continue
        why = (
            f"only {search[0]} of it ever searches"
            if search
            else "none of its members ever searches"
        )
        why = why if group.search else "its members do not share searches"
        fix = "give two members a state with search = { … }, or the group stays or apart"
        reason = f"does nothing: {why}, and it keeps neither posts nor room"
        yield key_path(("groups", name)), reason, fix


def _outside_territory(scenario: Scenario) -> Found:
    for name, member in scenario.setup.cast.items():
        if member.leash is None or member.at is None:
            continue
        zone, (x, y) = member.leash.zone, map(np.array, member.at)
        if not Level.of(scenario.level).within(zone, x, y, member.z):
            reason = f"starts outside of its territory, {zone}"
            yield key_path(("cast", name, "at")), reason, "move it, or choose another territory"


CHECKS: Checks = {
    "idle-group": _idle_group,
    "state-unreachable": _state_unreachable,
    "state-without-way-out": _state_without_way_out,
    "never-true": _never_true,
    "transition-hidden": _transition_hidden,
    "flicker": _flicker,
    "for-too-short": _for_too_short,
    "for-on-a-moment": _for_on_a_moment,
    "activity-lacks": _activity_lacks,
    "outside-territory": _outside_territory,
    "sleeps-with-open-eyes": _sleeps_with_open_eyes,
    "search-too-slow": _search_slower_than_target,
    "raw-flips": _raw_flips,
    "out-of-reach": _out_of_reach,
    "limits-overlap": _limits_overlap,
    "watches-ahead": _watches_ahead,
    "roams-to-the-end": _roams_to_the_end,
}
