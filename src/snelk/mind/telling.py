"""Who tells whom what, and what arrives; compiled, see `snelk.level.columns`."""

from __future__ import annotations

import numpy as np
from cython import compiled
from cython.cimports.libc.math import isnan
from numpy.typing import NDArray

from snelk.level.columns import agree, door, laid_out, plain
from snelk.level.grid import NO_WALL
from snelk.level.ground import GroundStage
from snelk.mind.columns import MessageColumns, TellStageColumns
from snelk.mind.memory import NO_BELIEF, SENSED_NOW, TOLD
from snelk.mind.messages import (
    AWAKE,
    CARES,
    EARS,
    MEMORY,
    PRESENT,
    REACH,
    TOLD_IT,
    Messages,
)
from snelk.mind.stage import DISAGREE, MOST_MESSAGES, SAID_AT, TELLERS, TellStage
from snelk.senses.bodies import Poses
from snelk.senses.columns import HeardColumns, NoiseColumns, PoseColumns
from snelk.senses.contact import SENSED
from snelk.senses.hearing import AWAKE as EAR_AWAKE
from snelk.senses.hearing import NOBODY, Heard, Noises
from snelk.senses.hearing import REACH as EAR_REACH
from snelk.senses.stage import EarStage

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.senses.listening import _at_ears, _begin_pair

NAN = float("nan")


@door
def who_tells(stage: TellStage, poses: Poses, tick: int) -> int:
    """Who tells about whom at a tick, written to the stage; return the number of pairs."""
    agree(plain(poses).x.shape[1:], plain(stage).due.shape[2:])
    return _who_tells(laid_out(TellStageColumns, stage), laid_out(PoseColumns, poses), tick)


@door
def raise_voices(
    stage: TellStage, poses: Poses, voices: Noises, heard: Heard
) -> tuple[int, int, int]:
    """Make the voices of agents that tell.

    Args:
        stage: Who tells of whom; the tellers are overwritten.
        poses: Everybody's poses.
        voices: The voices of those that have one; overwritten.
        heard: Each voice with all it is meant for and who have ears, of which nothing is known
            yet; overwritten.

    Returns:
        How many tellers, voices, and pairs of voice and listener there are.

    Raises:
        ValueError: There is too little room, or the poses do not agree.
    """
    found = _raise_voices(
        laid_out(TellStageColumns, stage), laid_out(PoseColumns, poses),
        laid_out(NoiseColumns, voices), laid_out(HeardColumns, heard),
    )  # fmt: skip
    if found[0] < 0:
        raise ValueError(
            "poses do not match the agents that tell, or there is too little room for voices"
        )
    return found


@door
def pass_on(
    stage: TellStage,
    poses: Poses,
    row: int,
    v: int,
    a: int,
    listeners: NDArray[np.bool_],
    targets: NDArray[np.bool_],
    heard: Heard,
    pair: int,
    later: int,
    tick: int,
    rank: float,
    x: float,
    y: float,
    z: float,
    messages: Messages,
    count: int,
) -> int:
    """Send an agent's messages to all that it reaches.

    Args:
        stage: What became of it at everybody it is meant for is overwritten.
        poses: Everybody's poses.
        row: Where that is written, of as many rows as the stage has.
        v: The variant.
        a: The agent that tells.
        listeners: (agent,) whom it is meant for.
        targets: (target,) of whom it tells.
        heard: What became of voices.
        pair: The first pair of its own voice; -1 if it needs none.
        later: After so many ticks it arrives.
        tick: The index of the tick.
        rank: Of its alert state.
        x: The place that is told, m; NaN for where it believes each of them to be.
        y: The same.
        z: The same.
        messages: Those that are on their way; added to.
        count: How many these are.

    Returns:
        How many are on their way now.
    """
    agree(listeners.shape + targets.shape, plain(stage).failed.shape[1:])
    agree((0 <= v < len(plain(stage).due), 0 <= a < len(listeners)), (True, True))
    agree((0 <= row < len(plain(stage).failed),), (True,))
    room = count + int(listeners.sum()) * int(targets.sum())
    agree((count >= 0, room <= len(plain(messages).x)), (True, True))
    agree(plain(poses).x.shape[1:], targets.shape)
    return _pass_on(
        laid_out(TellStageColumns, stage), laid_out(PoseColumns, poses), row, v, a, listeners,
        targets, laid_out(HeardColumns, heard), pair, later, tick, rank, x, y, z,
        laid_out(MessageColumns, messages), count,
    )  # fmt: skip


@door
def pass_all_on(
    stage: TellStage,
    poses: Poses,
    heard: Heard,
    state: NDArray[np.int16],
    rank: NDArray[np.float64],
    messages: Messages,
    held: NDArray[np.int64],
) -> None:
    """Send the messages of all who tell, with the rank of their alert state.

    Args:
        stage: Who tells of whom; what became of it is overwritten.
        poses: Everybody's poses.
        heard: What became of their voices.
        state: (variant, agent) the alert state, or below 0 without a ladder.
        rank: (variant, agent, state) of these.
        messages: Those that are on their way; added to.
        held: (1,) how many these are; overwritten.
    """
    whole = plain(stage)
    agree(held.shape, (1,))
    room = held[0] + whole.said[MOST_MESSAGES] <= len(plain(messages).x)
    agree((held[0] >= 0, room, whole.said[TELLERS] <= len(whole.tellers)), (True, True, True))
    agree(plain(poses).x.shape[1:], whole.due.shape[2:])
    agree(state.shape, rank.shape[:2], whole.tells.shape)
    _pass_all_on(
        laid_out(TellStageColumns, stage), laid_out(PoseColumns, poses),
        laid_out(HeardColumns, heard), state, rank, laid_out(MessageColumns, messages), held,
    )  # fmt: skip


@door
def arrive(
    stage: TellStage,
    tick: int,
    messages: Messages,
    held: NDArray[np.int64],
    came: Messages,
    came_held: NDArray[np.int64],
) -> None:
    """The messages that arrive at a tick, after clearing those of the last tick.

    Args:
        stage: What arrived is overwritten.
        tick: The index of the tick.
        messages: Those that are on their way; those that are left stand first.
        held: (1,) how many these are; overwritten.
        came: Those that arrive; overwritten.
        came_held: (1,) how many these are; overwritten.
    """
    agree(held.shape, came_held.shape, (1,))
    count, room = held[0], min(len(plain(messages).x), len(plain(came).x))
    agree((0 <= count <= room, 0 <= came_held[0] <= len(plain(came).x)), (True, True))
    _arrive(
        laid_out(TellStageColumns, stage), tick, laid_out(MessageColumns, messages), held,
        laid_out(MessageColumns, came), came_held,
    )  # fmt: skip


def _who_tells(stage: TellStage, poses: Poses, tick: int) -> int:
    found = 0
    stage.said[TELLERS], stage.said[SAID_AT], stage.said[MOST_MESSAGES] = 0, tick, 0
    for v in range(stage.tells.shape[0]):
        p = v if len(poses.x) > 1 else 0
        for a in range(stage.tells.shape[1]):
            before = found
            tells = stage.tells[v, a] and poses.present[p, stage.characters[a]]
            for j in range(stage.due.shape[2]):
                stage.due[v, a, j] = False
                source = stage.beliefs.source[v, a, j]
                if source == NO_BELIEF or not tells:
                    continue
                own = source == SENSED_NOW or not isnan(stage.heard.age[v, a, j])
                own = (own or stage.contacts.smell[v, a, j] == SENSED) and source != TOLD
                moment = tick * stage.dt - stage.beliefs.age[v, a, j]
                if source == TOLD and stage.passes[v, a]:  # if it is news to it
                    own = moment > stage.passed_on[v, a, j] + 0.5 * stage.dt
                if own and tick >= stage.next_time[v, a, j]:
                    stage.due[v, a, j] = True
                    stage.passed_on[v, a, j] = moment
                    stage.next_time[v, a, j] = tick + stage.every[v, a]
                    found += 1
            if found > before:
                stage.said[TELLERS] += 1
                for b in range(stage.audience.shape[2]):
                    if stage.audience[v, a, b]:
                        stage.said[MOST_MESSAGES] += found - before
    return found


def _raise_voices(
    stage: TellStage, poses: Poses, voices: Noises, heard: Heard
) -> tuple[int, int, int]:
    tellers, n, pair = 0, 0, 0
    rows, agents = poses.x.shape[0], stage.tells.shape[1]
    if poses.x.shape[1] != stage.due.shape[2] or not (rows == 1 or rows == stage.due.shape[0]):
        return -1, 0, 0
    for v in range(stage.tells.shape[0]):
        p = v if rows > 1 else 0
        for a in range(agents):
            tells = False
            for j in range(stage.due.shape[2]):
                tells = tells or stage.due[v, a, j] != 0
            if not tells:
                continue
            stage.tellers[tellers, 0], stage.tellers[tellers, 1] = v, a
            tellers += 1
            if isnan(stage.reach[v, a]):
                continue
            if n >= voices.t.shape[0] or pair + agents > heard.row.shape[0]:
                return -1, 0, 0
            i = stage.characters[a]
            voices.variant[n], voices.noise[n], voices.by[n] = v, n, NOBODY
            voices.x[n], voices.y[n] = poses.x[p, i], poses.y[p, i]
            voices.z[n] = poses.z[p, i] + stage.bodies.eyes[v, i, poses.posture[p, i]]
            voices.reach[n], voices.t[n] = stage.reach[v, a], 0.0
            for b in range(agents):
                if stage.audience[v, a, b] and stage.ears[v, b]:
                    _begin_pair(voices, n, b, pair, heard)
                    pair += 1
            n += 1
    return tellers, n, pair


def is_cramped(
    stage: TellStage, voices: Noises, heard: Heard, messages: Messages, held: int
) -> bool:
    """Whether there is too little room for what those who tell now come to."""
    tellers, agents = stage.said[TELLERS], stage.tells.shape[1]
    cramped: bool = stage.keeps and tellers >= stage.failed.shape[0]
    cramped = cramped or tellers > voices.t.shape[0] or (tellers + 1) * agents > heard.row.shape[0]
    return cramped or held + stage.said[MOST_MESSAGES] > messages.x.shape[0]


def _say(
    stage: TellStage,
    poses: Poses,
    background: NDArray[np.float64],
    ears: EarStage,
    walk: GroundStage,
    voices: Noises,
    voices_held: NDArray[np.int64],
    heard: Heard,
    heard_held: NDArray[np.int64],
) -> int:
    """Raise the voices, and judge them at ears; what is left of that, as `at_ears` says."""
    tellers, raised, pairs = _raise_voices(stage, poses, voices, heard)
    if tellers < 0:
        return DISAGREE
    voices_held[0], heard_held[0] = raised, pairs
    if pairs == 0:
        return 0
    left = _at_ears(ears, voices, poses, background, walk, heard, pairs)
    return left if left >= 0 else DISAGREE


def _pass_all_on(
    stage: TellStage,
    poses: Poses,
    heard: Heard,
    state: NDArray[np.int16],
    rank: NDArray[np.float64],
    messages: Messages,
    held: NDArray[np.int64],
) -> None:
    pair = 0
    for n in range(stage.said[TELLERS]):
        v, a = stage.tellers[n, 0], stage.tellers[n, 1]
        voiced = not isnan(stage.reach[v, a])
        held[0] = _pass_on(
            stage, poses, min(n, stage.failed.shape[0] - 1), v, a, stage.audience[v, a],
            stage.due[v, a], heard, pair if voiced else -1, stage.delay[v, a],
            stage.said[SAID_AT], rank[v, a, max(state[v, a], 0)], NAN, NAN, NAN, messages, held[0],
        )  # fmt: skip
        for b in range(stage.audience.shape[2] if voiced else 0):
            pair += stage.audience[v, a, b] and stage.ears[v, b]


def _pass_on(
    stage: TellStage,
    poses: Poses,
    row: int,
    v: int,
    a: int,
    listeners: NDArray[np.bool_],
    targets: NDArray[np.bool_],
    heard: Heard,
    pair: int,
    later: int,
    tick: int,
    rank: float,
    x: float,
    y: float,
    z: float,
    messages: Messages,
    count: int,
) -> int:
    voiced = pair >= 0
    p = v if poses.x.shape[0] > 1 else 0
    for b in range(listeners.shape[0]):
        if not listeners[b]:
            continue
        stage.straight[row, b], stage.limit[row, b], stage.wall[row, b] = NAN, NAN, NO_WALL
        at_ear, i = TOLD_IT, stage.characters[b]
        if voiced and not stage.ears[v, b]:
            at_ear = EARS
        elif voiced:
            stage.straight[row, b] = heard.straight[pair]
            stage.limit[row, b], stage.wall[row, b] = heard.limit[pair], heard.wall[pair]
            if heard.failed[pair] == EAR_AWAKE:
                at_ear = AWAKE
            elif heard.failed[pair] == EAR_REACH:
                at_ear = REACH
            pair += 1
        for j in range(targets.shape[0]):
            if not targets[j]:
                continue
            failed = at_ear
            if not poses.present[p, i]:
                failed = PRESENT
            elif not stage.remembers[v, b]:
                failed = MEMORY
            elif i == j or not stage.notices[v, b, j]:
                failed = CARES
            stage.failed[row, b, j] = failed
            if failed == TOLD_IT:
                _send(stage, v, a, b, j, later, tick, rank, x, y, z, messages, count)
                count += 1
    return count


def _send(
    stage: TellStage,
    v: int,
    a: int,
    b: int,
    j: int,
    later: int,
    tick: int,
    rank: float,
    x: float,
    y: float,
    z: float,
    messages: Messages,
    n: int,
) -> None:
    """Send one message of a target."""
    messages.variant[n], messages.teller[n], messages.listener[n] = v, a, b
    messages.target[n], messages.arrives[n], messages.rank[n] = j, tick + later, rank
    age, blur = stage.beliefs.age[v, a, j], stage.beliefs.blur[v, a, j]
    if isnan(x):
        x, y = stage.beliefs.x[v, a, j], stage.beliefs.y[v, a, j]
        z = stage.beliefs.z[v, a, j]
    elif isnan(age):  # who senses it without a memory has no belief: then it is fresh
        age, blur = 0.0, 0.0
    messages.x[n], messages.y[n], messages.z[n] = x, y, z
    messages.age[n], messages.blur[n] = age + later * stage.dt, blur


def _arrive(
    stage: TellStage,
    tick: int,
    messages: Messages,
    held: NDArray[np.int64],
    came: Messages,
    came_held: NDArray[np.int64],
) -> None:
    _forget_what_came(stage, came, came_held[0])
    found, left = 0, 0
    for n in range(held[0]):
        if messages.arrives[n] != tick:
            _copy(messages, n, messages, left)
            left += 1
            continue
        _copy(messages, n, came, found)
        found += 1
        v, b, j = messages.variant[n], messages.listener[n], messages.target[n]
        if not stage.news.age[v, b, j] <= messages.age[n]:
            stage.news.x[v, b, j], stage.news.y[v, b, j] = messages.x[n], messages.y[n]
            stage.news.z[v, b, j] = messages.z[n]
            stage.news.age[v, b, j], stage.news.blur[v, b, j] = messages.age[n], messages.blur[n]
        stage.told[v, b, j] = True
        stage.told_rank[v, b, j] = max(stage.told_rank[v, b, j], messages.rank[n])
    held[0], came_held[0] = left, found


def _copy(messages: Messages, n: int, to: Messages, m: int) -> None:
    to.variant[m], to.teller[m] = messages.variant[n], messages.teller[n]
    to.listener[m], to.target[m] = messages.listener[n], messages.target[n]
    to.arrives[m], to.rank[m] = messages.arrives[n], messages.rank[n]
    to.x[m], to.y[m], to.z[m] = messages.x[n], messages.y[n], messages.z[n]
    to.age[m], to.blur[m] = messages.age[n], messages.blur[n]


def _forget_what_came(stage: TellStage, came: Messages, count: int) -> None:
    for n in range(count):
        v, b, j = came.variant[n], came.listener[n], came.target[n]
        stage.news.x[v, b, j], stage.news.y[v, b, j], stage.news.z[v, b, j] = NAN, NAN, NAN
        stage.news.age[v, b, j], stage.news.blur[v, b, j] = NAN, NAN
        stage.told[v, b, j], stage.told_rank[v, b, j] = False, -1.0
