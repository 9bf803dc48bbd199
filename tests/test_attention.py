"""Attention and signals, against the same rules worked out on whole arrays, on random ticks."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from snelk.mind.attending import attend
from snelk.mind.memory import SOURCES, Beliefs
from snelk.mind.signals import FARTHEST, NOBODY, PLACE, RULES, Attended, FocusNumbers
from snelk.senses.bodies import Poses
from snelk.senses.contact import SENSED, Contacts

V, A, J, TICKS, DT = 2, 5, 6, 12, 0.1
NO_CLUE = np.full((V, J), -1, np.int32)
AGENTS = np.array([0, 1, 2, 4, 5], np.int32)
NEAR = 1e-9


def sometimes(chance: np.random.Generator, share: float, *shape: int) -> Any:
    return chance.random(shape) < share


def poses_of(chance: np.random.Generator, rows: int) -> Poses:
    # On a coarse grid, so that many are as far off as others, or in one place.
    x, y, z = chance.integers(-2, 3, (3, rows, J)).astype(float)
    heading = chance.uniform(-7.0, 7.0, (rows, J))
    codes = chance.integers(0, 3, (2, rows, J)).astype(np.int8)
    return Poses(x, y, z, heading, *codes, sometimes(chance, 0.8, rows, J))


def focus_numbers(chance: np.random.Generator) -> FocusNumbers:
    rule = chance.integers(0, len(RULES), (V, A)).astype(np.int8)
    worth = np.where(rule[..., None] == 3, chance.integers(0, 3, (V, A, J + 1)) * 1.0, np.nan)
    return FocusNumbers(
        AGENTS,
        sometimes(chance, 0.9, V, A, J) & (AGENTS[:, None] != np.arange(J)),
        sometimes(chance, 0.7, V, A),
        sometimes(chance, 0.6, V, A),
        chance.choice([0.0, 0.3], (V, A)),
        rule,
        worth,
        chance.permutation(J).astype(np.int64),
    )


def nothing_yet() -> Attended:
    none = np.zeros((6, V, A, J), np.bool_)
    unknown = np.full((6, V, A, J), np.nan)
    first, away, value = np.full((3, V, A, J + 1), np.inf)
    value *= -1
    sensed, focus = np.zeros((V, A, J + 1), np.bool_), np.full((V, A), NOBODY, np.int32)
    seen_for, lost_for = np.zeros((V, A, J)), np.full((V, A, J), np.inf)
    ages = np.full((V, A, J), np.inf)
    both = none[4:], lost_for, seen_for
    return Attended(
        *none[:4], ages, *both[0], *both[1:], *unknown, first, away, value, sensed, focus
    )


def contacts_of(*results: Any, age: Any = np.nan) -> Contacts:
    """What touch, the zone sense and smell came to, and how old what is smelt is."""
    contacts = Contacts.blank(results[0].shape)
    for into, values in zip((contacts.touch, contacts.zone, contacts.smell), results, strict=True):
        into[...] = values
    contacts.felt[...] = (contacts.touch == SENSED) | (contacts.zone == SENSED)
    contacts.scent_age[...] = age
    return contacts


def focus_by_arrays(
    numbers: FocusNumbers, now: Attended, own: Any, meter: Any, source: Any, place: Any, was: Any
) -> Any:
    """Whom each acts on: the rules of docs/calculations.md, one array after the other."""
    *drawn, place_meter, place_heard, ignored = place

    def with_place(targets: Any, there: Any) -> Any:
        return np.concatenate([targets, there[..., None]], axis=2)

    sensed = now.seen | now.felt
    known = (source >= 0) | now.heard | now.smelt
    candidate = numbers.may & ~ignored & (sensed | known | (meter > NEAR))
    candidate = with_place(candidate, ~np.isnan(drawn[0]))
    sensed = with_place(sensed, place_heard)
    believed = map(with_place, (now.x, now.y, now.z), drawn)
    off = [there - here[..., None] for there, here in zip(believed, own, strict=True)]
    away = np.sqrt(np.sum(np.square(off), axis=0))
    away[np.isnan(away)] = np.inf
    full = np.where(numbers.metered[..., None], with_place(meter, place_meter), sensed * 1.0)
    rule = numbers.rule[..., None]
    value = np.select(
        [rule == 1, rule == 2, rule == 3],
        [-np.where(np.isinf(away), FARTHEST, away), -now.first, numbers.worth],
        full,
    )
    value[~candidate] = -np.inf
    best = candidate & (value >= value.max(axis=2, keepdims=True) - NEAR)
    nearest = np.where(best, away, np.inf).min(axis=2, keepdims=True)
    best &= away <= nearest + NEAR
    chosen = np.where(best, np.append(numbers.by_name, J), J + 1).argmin(axis=2)
    found = np.where(chosen == J, PLACE, chosen)
    found[~candidate.any(axis=2)] = NOBODY
    for v, a in np.argwhere((was != NOBODY) & (numbers.stick > 0)):
        old = J if was[v, a] == PLACE else was[v, a]
        new = chosen[v, a]
        if not candidate[v, a, old]:
            continue
        gap = value[v, a].max() - value[v, a, old]
        gives_way = sensed[v, a, new] and not sensed[v, a, old] and gap >= -NEAR
        if gap <= numbers.stick[v, a] + NEAR and not gives_way:
            found[v, a] = was[v, a]
    return found


@pytest.mark.parametrize("seed", range(40))
def test_attention_is_what_the_rules_make_of_whole_arrays(seed: int) -> None:
    chance = np.random.default_rng(seed)
    numbers, now, rows = focus_numbers(chance), nothing_yet(), int(chance.choice([1, V]))
    seen, lost_for, seen_for = np.zeros((V, A, J), np.bool_), now.lost_for.copy(), 0.0
    known, first = np.full((3, V, A, J), np.nan), now.first.copy()
    for tick in range(TICKS):
        poses, p = poses_of(chance, rows), np.arange(V) if rows > 1 else np.zeros(V, int)
        failed = chance.integers(-1, 3, (V, A, J, 2)).astype(np.int8)
        touch, zone, smell = chance.integers(-1, 6, (3, V, A, J)).astype(np.int8)
        age = chance.random((V, A, J))
        loudness = chance.choice([0.0, 0.5], (V, A, J))
        meter = chance.choice([0.0, 0.4, 0.6, 0.65, 1.0], (V, A, J))
        source = chance.integers(-1, len(SOURCES), (V, A, J)).astype(np.int8)
        source[~numbers.remembers] = -1
        for noticed in (failed, touch, zone, smell):
            noticed[~numbers.may] = 2
        for none, held in ((0.0, loudness), (0.0, meter), (-1, source)):
            held[~numbers.may] = none  # who can never be noticed is not
        at = np.where(source < 0, np.nan, chance.integers(-2, 3, (3, V, A, J)))
        beliefs = Beliefs(source, *at, *np.zeros((4, V, A, J)))
        drawn = np.where(sometimes(chance, 0.4, V, A), chance.integers(-2, 3, (3, V, A)), np.nan)
        place = (*drawn, chance.random((V, A)), sometimes(chance, 0.5, V, A))
        ignored = sometimes(chance, 0.1, V, A, J)
        was, now.seen_to[...] = now.focus.copy(), sometimes(chance, 0.1, V, A, J)
        attend(
            poses, failed, contacts_of(touch, zone, smell, age=age), loudness, meter, beliefs,
            ignored, *place, numbers, DT, tick, now,
        )  # fmt: skip
        there = poses.present[p][:, None, :] & ~now.seen_to
        ignored |= now.seen_to
        before, seen = seen, (failed == -1).any(axis=3) & there
        felt = ((touch == -1) | (zone == -1)) & there
        lost_for = np.where(seen | felt, 0.0, lost_for + DT)
        seen_for = np.where(seen & before, seen_for + DT, 0.0)
        remembers = numbers.remembers[..., None]
        believed = [
            np.where(remembers, held, np.where(seen | felt, real[p][:, None, :], np.nan))
            for held, real in zip(at, (poses.x, poses.y, poses.z), strict=True)
        ]
        news = np.where(remembers, np.isin(source, [0, 4, 5, 6]), seen | felt)
        known = np.where(news, believed, np.where(remembers & (source < 0), np.nan, known))
        np.testing.assert_array_equal(now.seen, seen)
        np.testing.assert_array_equal(now.felt, felt)
        np.testing.assert_array_equal(now.heard, loudness > 0)
        smelt = (smell == -1) & ~now.seen_to & numbers.may
        np.testing.assert_array_equal(now.smelt, smelt)
        np.testing.assert_array_equal(now.scent_age, np.where(smelt, age, np.inf))
        np.testing.assert_allclose(now.lost_for, lost_for)
        np.testing.assert_allclose(now.seen_for, seen_for, atol=1e-12)
        np.testing.assert_array_equal([now.x, now.y, now.z], believed)
        np.testing.assert_array_equal([now.known_x, now.known_y, now.known_z], known)
        sensed = seen | felt | smelt | (loudness > 0)
        asked = numbers.may & ~ignored & (sensed | (source >= 0) | (meter > NEAR))
        candidate = np.concatenate([asked, ~np.isnan(drawn[0])[..., None]], axis=2)
        first = np.where(candidate, np.minimum(first, tick), np.inf)
        np.testing.assert_array_equal(now.first, first)
        own = [axis[p][:, AGENTS] for axis in (poses.x, poses.y, poses.z)]
        expected = focus_by_arrays(numbers, now, own, meter, source, (*place, ignored), was)
        there = poses.present[p][:, AGENTS]
        np.testing.assert_array_equal(now.focus, np.where(there, expected, was))


def test_a_focus_sticks_to_what_is_better_by_so_much_and_no_more() -> None:
    numbers = focus_numbers(np.random.default_rng(0))
    shape, none = (V, A, J), np.full((V, A), np.nan)
    numbers = numbers._replace(
        may=np.ones(shape, np.bool_), metered=np.ones((V, A), np.bool_),
        rule=np.zeros((V, A), np.int8), stick=np.full((V, A), 0.25),
    )  # fmt: skip
    rng = np.random.default_rng(1)
    poses, nobody = poses_of(rng, 1), np.full(shape, 3, np.int8)
    poses.present[:] = True
    beliefs = Beliefs(np.full(shape, -1, np.int8), *np.full((7, *shape), np.nan))
    now, meter = nothing_yet(), np.zeros(shape)
    for held, other, focus in ((0.5, 0.0, 0), (0.5, 0.75, 0), (0.5, 0.7500001, 3), (0.6, 0.75, 3)):
        meter[..., 0], meter[..., 3] = held, other
        attend(
            poses, nobody[..., None], contacts_of(*[nobody] * 3), np.zeros(shape), meter, beliefs,
            np.zeros(shape, np.bool_), none, none, none, none, np.zeros((V, A), np.bool_), numbers, DT,
            0, now,
        )  # fmt: skip
        assert (now.focus == focus).all(), (held, other)
