"""Simulated players: members of the cast that play instead of following a track."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from snelk.config.draft import Draft
from snelk.config.geojson import LevelData
from snelk.config.minds import Ladder, Movement, State
from snelk.config.models import Profile, Setup
from snelk.config.problems import shown
from snelk.config.recordings import NoiseData, ThrowData, TrackData, end_of
from snelk.config.words import GAITS, POSTURES
from snelk.errors import Problem, nearest

PLAYING = "playing"
"""The alert state of who plays."""


@dataclass(frozen=True)
class Recorded:
    """Recordings: poses by character, noises and throws."""

    tracks: Mapping[str, TrackData]
    noises: NoiseData
    throws: ThrowData

    def without(self, names: set[str]) -> Recorded:
        """The recordings without some characters."""
        if not names:
            return self
        tracks = {name: track for name, track in self.tracks.items() if name not in names}
        return Recorded(tracks, self.noises.without(names), self.throws.without(names))


NOTHING = Recorded({}, NoiseData.none(), ThrowData.none())


def players_of(setup: Setup) -> set[str]:
    """The members of a cast that play."""
    return {name for name, member in setup.cast.items() if member.play is not None}


def player_problems(setup: Setup, draft: Draft, level: LevelData) -> Iterator[Problem]:
    """Errors in a cast's simulated players."""
    known = [*(spot.name for spot, _ in level.spots), *(zone.name for zone, _ in level.zones)]
    for name, member in setup.cast.items():
        if member.play is None:
            continue
        source, place = draft.locate(("cast", name, "play"))
        if member.clue is not None:
            yield Problem(source, place, "", "a clue cannot be a player", "leave out play, or clue")
        if setup.played is not None:
            rule, fix = (
                "the record of the game already says where it is",
                "leave out play, or played",
            )
            yield Problem(source, place, "", rule, fix)
        if member.play.to not in known:
            given, fix = shown(member.play.to), nearest(member.play.to, known)
            yield Problem(source, f"{place}.to", given, "no such spot or zone", fix)
        profiles = [setup.profile_of(agent) for agent in setup.agents if agent != name]
        states = dict.fromkeys(state for p in profiles if p.ladder for state in p.ladder.states)
        for sign in member.play.signs:
            if sign not in states:
                given, fix = shown(sign), nearest(sign, states)
                yield Problem(source, f"{place}.signs", given, "no such alert state", fix)
        agents = [agent for agent in setup.agents if agent != name]
        for ignored in member.play.ignores:
            if ignored not in agents:
                fix = nearest(ignored, agents)
                yield Problem(source, f"{place}.ignores", shown(ignored), "no such agent", fix)


def with_players(setup: Setup, recorded: Recorded) -> Setup:
    """The same scenario, with players starting at their position or the start of their track.

    Recorded noises and throws of a player are left out.
    """
    names = players_of(setup)
    if not names:
        return setup
    cast, profiles = dict(setup.cast), dict(setup.profiles)
    for name in sorted(names):
        member = cast[name]
        track = recorded.tracks.get(name)
        profile = f"{name}-player"
        while profile in setup.profiles:
            profile += "-as-well"
        profiles[profile] = _profile(setup, name, track)
        where = {} if track is None or member.at is not None else _begins(track, member.z)
        changes = {**where, "profile": profile, "state": None}
        cast[name] = member.model_copy(update=changes)
    tracked = names & set(recorded.tracks)
    end = end_of(setup.clock, recorded.tracks) if tracked else setup.clock.end
    return setup.model_copy(
        update={
            "cast": cast,
            "profiles": profiles,
            "clock": setup.clock.model_copy(update={"end": end}),
            "noise": tuple(each for each in setup.noise if each.by not in tracked),
            "throw": tuple(each for each in setup.throw if each.by not in tracked),
        }
    )


def as_before_playing(setup: Setup, written: Setup) -> Setup:
    """The same numbers, where players are as it is written."""
    names = players_of(setup)
    if not names:
        return setup
    cast = {name: written.cast[name] if name in names else setup.cast[name] for name in setup.cast}
    update = {"cast": cast, "profiles": written.profiles, "clock": written.clock}
    return setup.model_copy(update=update)


def _profile(setup: Setup, name: str, track: TrackData | None) -> Profile:
    """The senses that it has anyway, and a ladder of a single state, in which it plays."""
    member = setup.cast[name]
    own = setup.profiles[member.profile] if member.profile is not None else Profile()
    ladder = Ladder(states={PLAYING: State(play=member.play)})
    return own.model_copy(
        update={
            "like": member.profile,
            "ladder": ladder,
            "movement": own.movement or recorded_movement(track),
        }
    )


def _begins(track: TrackData, z: float) -> dict[str, object]:
    """The start of a track, as keys of the cast; `z` if the track has no heights."""
    n = int(track.present.argmax())
    *at, up = track.begins(z, n)
    return {
        "at": tuple(at),
        "z": up,
        "facing": float(np.degrees(np.remainder(track.heading[n] + np.pi, 2 * np.pi) - np.pi)),
        "posture": POSTURES[int(track.posture[n])],
    }


def recorded_movement(track: TrackData | None) -> Movement:
    """How somebody moves as it was recorded, pace by pace, in the median; else as is usual."""
    movement = Movement()
    if track is None or len(track.t) < 2:
        return movement
    speeds = np.hypot(np.diff(track.x), np.diff(track.y)) / np.diff(track.t)
    found = {}
    for pace in ("creeping", "walking", "running"):
        some = speeds[(track.gait[:-1] == GAITS.index(pace)) & (speeds > 0.0)]
        if len(some):
            found[pace] = round(float(np.median(some)), 3)
    return movement.model_copy(update=found)
