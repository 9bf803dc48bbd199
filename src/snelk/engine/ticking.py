"""Many ticks in one call, as far as loops can do it; compiled, see `snelk.level.columns`.

A tick runs its phases in order. When something has to be done in Python, such as the effects of a
transition, the loops return what that is, and continue with the next phase when called again. So a
tick in which nothing happens uses no Python at all.
"""

from __future__ import annotations

from cython import compiled, nogil

from snelk.body.stage import NOT_YET
from snelk.engine.columns import TickStageColumns
from snelk.engine.stage import (
    ACTIVE,
    ACTS,
    ARRIVES,
    ASK,
    ATTENDS,
    BAD,
    BEGIN_TO_OPEN,
    BEGINS,
    BEGUN,
    CATCH,
    COMES_BY,
    COMES_TO,
    COUNT,
    ENDS,
    FIND_WAYS,
    FINDS_WAYS,
    FINISH,
    FINISHES,
    GATHER,
    GLANCE,
    HALTS,
    HEARS,
    IS_DONE,
    IS_STUCK,
    JUDGE,
    JUDGE_VOICES,
    MAKES,
    MINDS,
    MISPLACE,
    MOVES,
    MOVES_ON,
    NOISES_AT,
    NOTHING,
    OVER,
    PASSES_ON,
    PHASE,
    PREPARE,
    PREPARES,
    RESTS,
    ROOM_FOR_COPIES,
    ROOM_FOR_EARS,
    ROOM_FOR_MESSAGES,
    ROOM_FOR_NOISES,
    ROOM_FOR_TRAILS,
    ROOM_FOR_VOICES,
    SAYS,
    SMELLS,
    TAKE,
    TAKES_IN,
    TELL_CLUES,
    TELL_ENDS,
    TELL_NEWS,
    TELL_STUCK,
    TELLS,
    TELLS_NEWS,
    THINKS,
    THINKS_ON,
    TICK,
    WAITS,
    WALKS,
    TickStage,
)
from snelk.level.columns import door, laid_out
from snelk.mind.stage import DISAGREE, LEFT, NOTHING_HEARD, ROOM, TELLERS, WAITED
from snelk.senses.bodies import Poses

if not compiled:  # else they are the loops' own, by the .pxd
    from snelk.body.acting import (
        _act_on,
        _who_wants,
        ends_are_events,
        news_are_events,
        set_out_on,
    )
    from snelk.body.answering import answer_all
    from snelk.body.behaving import _come_to, _go_on, _move_on, _perceive, _think_on
    from snelk.body.moving import _place
    from snelk.body.tending import _come_to_doors, _is_crowded, _mind_clues, _tend
    from snelk.engine.copying import copy_tick
    from snelk.engine.counting import count_tick
    from snelk.engine.following import judge_tick
    from snelk.mind.deciding import _decide, leave_out
    from snelk.mind.fading import _follow_drawn
    from snelk.mind.receiving import _receive, _take_in, errs
    from snelk.mind.telling import _arrive, _pass_all_on, _say, _who_tells, is_cramped
    from snelk.mind.updating import _mind
    from snelk.senses.sensing import _sense
    from snelk.senses.smelling import _leave_and_smell
    from snelk.senses.stepping import _count_strides, _make_steps, _put_in_order
    from snelk.senses.turns import whose_turn

SLACK = 1e-9
"""Times this close are the same, s."""


@door
def advance(stage: TickStage, until: int) -> int:
    """Compute ticks, up to but not with one, or as far as it goes without Python.

    Args:
        stage: All that they read and write.
        until: The index of a tick.

    Returns:
        What is left to Python; NOTHING when the ticks are computed, or the run is over.

    Raises:
        ValueError: Its arrays do not agree.
    """
    found = _advance(laid_out(TickStageColumns, stage), until)
    if found == BAD:
        raise ValueError("arrays do not match the tick")
    return found


def _advance(stage: TickStage, until: int) -> int:
    most = min(until, stage.times.shape[0])
    if len(stage.copies.values) > 0:
        if stage.at[TICK] < stage.copies.first:
            return BAD
        most = min(most, stage.copies.first + stage.copies.end)
    while stage.at[TICK] < most:
        if stage.at[OVER] and stage.at[PHASE] == BEGINS:
            break
        is_even = stage.at[TICK] % 2 == 0
        poses = stage.even_poses if is_even else stage.odd_poses
        before = stage.odd_poses if is_even else stage.even_poses
        with nogil:  # once for a tick: other threads can go on, and asking them takes its time
            left = _go_through(stage, poses, before)
        if left != NOTHING:
            return left
        if not copy_tick(stage.copies, stage.at[TICK]):
            return ROOM_FOR_COPIES
        if not _count_all(stage):
            return BAD
        stage.at[TICK] += 1
        stage.at[PHASE] = BEGINS
        if stage.at[HALTS] and _tells(stage):
            break
    return NOTHING


def _count_all(stage: TickStage) -> bool:
    """Add the tick to the measures, and hold it against expectations, if somebody wants that."""
    tick, same = stage.at[TICK], True
    poses = stage.even_poses if tick % 2 == 0 else stage.odd_poses
    for n in range(len(stage.counts)):
        same = same and count_tick(
            stage.counts[n], tick, stage.times[tick], poses, stage.listens.heard,
            stage.listens.heard_count[0],
        )  # fmt: skip
    for n in range(len(stage.judges)):
        same = same and judge_tick(
            stage.judges[n], tick, stage.times[tick], poses, stage.bodies, stage.moving,
            stage.noises, stage.noises_count[0],
        )  # fmt: skip
    return same


def _tells(stage: TickStage) -> bool:
    """Whether anything was told at a tick, or noted of a search."""
    told = stage.came_count[0] > 0 or stage.tells.said[TELLERS] > 0
    return told or stage.searches.noted[0] > 0


def _go_through(stage: TickStage, poses: Poses, before: Poses) -> int:
    """Run the rest of a tick; return what has to be done in Python first."""
    left, at = NOTHING, stage.at
    while left == NOTHING and at[PHASE] != IS_DONE:
        phase = at[PHASE]
        at[PHASE] = phase + 1  # from where it goes on
        if phase <= TAKES_IN:
            left = _sense_all(stage, phase, poses, before)
        elif phase <= ATTENDS:
            left = _mind_all(stage, phase, poses, before)
        elif phase <= RESTS:
            left = _think_all(stage, phase, poses)
        else:
            left = _move_all(stage, phase, poses)
    return left


def _sense_all(stage: TickStage, phase: int, poses: Poses, before: Poses) -> int:
    """Poses, sight and contact, noises, and hearing."""
    at = stage.at
    tick = at[TICK]
    if phase == BEGINS:
        return _begin(stage, tick, poses, before)
    if phase == SMELLS:
        if stage.smells.used:
            if not _leave_and_smell(stage.smells, poses, stage.times[tick]):
                at[PHASE] = SMELLS
                return ROOM_FOR_TRAILS
    elif phase == WALKS:
        at[COUNT] = _count_strides(stage.steps) if tick > 0 else 0
    elif phase == MAKES:
        whole = stage.made_count[0] + at[COUNT]
        if whole > min(stage.made.t.shape[0], stage.noises.t.shape[0]):
            at[PHASE] = MAKES
            return ROOM_FOR_NOISES
        return _make(stage, tick, poses, before)
    elif phase == HEARS:
        came = _receive(
            stage.listens, stage.noises, stage.noises_made_at, stage.noises_count[0], poses,
            stage.senses.surroundings.background, tick,
        )  # fmt: skip
        if came == ROOM:
            at[PHASE] = HEARS
            return ROOM_FOR_EARS
        if came == DISAGREE:
            return BAD
        if came == LEFT:
            return JUDGE
        if came != NOTHING_HEARD and errs(stage.listens):
            return MISPLACE
    elif phase == TAKES_IN:
        pairs = stage.listens.heard_count[0]
        if pairs > 0:
            _take_in(stage.listens, stage.noises, stage.times[tick])
        if stage.any_drawn:
            _draw(stage, pairs, stage.times[tick])
    return NOTHING


def _begin(stage: TickStage, tick: int, poses: Poses, before: Poses) -> int:
    """Begin the tick: poses, sight and contact."""
    row = 0 if stage.is_pushed else tick
    if tick % 2 == 0:
        same = _place(stage.placed, row, stage.moving, stage.even_room)
    else:
        same = _place(stage.placed, row, stage.moving, stage.odd_room)
    if not same:
        return BAD
    whose_turn(stage.look_every, tick, stage.looks)
    if tick == 0:
        stage.looks[:, :] = True
    if tick > 0:  # what searches note that agents begin with is told with the first tick
        stage.searches.noted[0] = 0
    if not _sense(stage.senses, poses, before, stage.looks):
        return BAD
    stage.made_count[0] = 0
    return GATHER if tick >= stage.at[NOISES_AT] else NOTHING


def _make(stage: TickStage, tick: int, poses: Poses, before: Poses) -> int:
    """The noises of the tick, footsteps among them, in their order."""
    if stage.at[COUNT] > 0:
        count = _make_steps(
            stage.steps, poses, before, stage.times[tick], stage.made_count[0], stage.made
        )
        if count < 0:
            return BAD
        stage.made_count[0] = count
    count = stage.made_count[0]
    for n in range(count):
        stage.noises_made_at[n] = tick
    if count > 0:
        _put_in_order(stage.made, count, stage.order, stage.numbered, stage.noises)
    stage.noises_count[0] = count
    return NOTHING


def _draw(stage: TickStage, pairs: int, now: float) -> None:
    """Places that noises of nobody draw agents to."""
    if stage.listens.now[WAITED]:
        _follow_drawn(stage.draws, stage.listens.waiting, stage.listens.heard, pairs, now, stage.dt)
    else:
        _follow_drawn(stage.draws, stage.noises, stage.listens.heard, pairs, now, stage.dt)


def _mind_all(stage: TickStage, phase: int, poses: Poses, before: Poses) -> int:
    """Telling, meters, memories, focus and transitions."""
    at = stage.at
    tick = at[TICK]
    if phase == ARRIVES:
        if stage.going_count[0] > stage.came.x.shape[0]:
            at[PHASE] = ARRIVES
            return ROOM_FOR_MESSAGES
        _arrive(stage.tells, tick, stage.going, stage.going_count, stage.came, stage.came_count)
    elif phase == MINDS:
        if not _mind(stage.minds, poses, before):
            return BAD
        if at[ACTIVE] == 0:
            at[PHASE] = TELLS
            return NOTHING
        stage.awake_then[:, :, :] = stage.awake
        if at[PREPARES]:
            if _tend(stage.upkeep, stage.bodies, poses, before, stage.times[tick]):
                return PREPARE
    elif phase == ATTENDS:
        begun = at[BEGUN] != 0
        if not _perceive(stage.bodies, poses, stage.moving, stage.ignored, tick, begun):
            return BAD
        at[BEGUN] = 1
        at[WAITS] = 0
        if answer_all(stage.named, stage.bodies, stage.moving, stage.ladders.values) == DISAGREE:
            return BAD
        leave_out(stage.ladders.ladders, poses, stage.bodies.characters)
        found = _decide(stage.ladders, stage.bodies.signals, tick, stage.dt)
        if found != 0:
            return TAKE if found > 0 else BAD
    return NOTHING


def _think_all(stage: TickStage, phase: int, poses: Poses) -> int:
    """Catching, activities, and the paths they need."""
    at = stage.at
    tick = at[TICK]
    time = stage.times[tick]
    if phase == COMES_TO:
        waits = at[WAITS] != 0 or stage.next_effect[0] <= time + SLACK
        at[COUNT] = _come_to(stage.bodies, poses, stage.moving, tick, time, waits)
        if at[COUNT] == NOT_YET:
            return CATCH
        at[PHASE] = THINKS
    elif phase == THINKS_ON:
        at[COUNT] = _think_on(stage.bodies, stage.moving, tick, time)
    elif phase == THINKS:
        if at[COUNT] < 0:
            return BAD
        if at[COUNT] == 0:
            at[PHASE] = COMES_BY
        elif ends_are_events(stage.bodies, stage.moving):
            return TELL_ENDS
    elif phase == ACTS:
        found = _act_on(
            stage.bodies, stage.roams, stage.rounds, stage.flights, stage.searches, poses,
            stage.moving, time,
        )  # fmt: skip
        if found != 0:
            return ASK if found > 0 else BAD
    elif phase == FINDS_WAYS:
        at[COUNT] = _who_wants(stage.bodies, stage.flights, stage.searches)
        if at[COUNT] == DISAGREE:
            return BAD
        if at[COUNT] > 0:
            found = set_out_on(
                stage.walks, stage.flights, stage.searches, stage.bodies, stage.moving, time
            )
            if found != 0:
                return FIND_WAYS if found > 0 else BAD
        elif at[COUNT] != 0:
            return FIND_WAYS
    elif phase == TELLS_NEWS:
        if news_are_events(stage.bodies, stage.moving):
            return TELL_NEWS
    elif phase == RESTS:
        for v in range(stage.bodies.doing.news.shape[0]):
            for a in range(stage.bodies.doing.news.shape[1]):
                there = stage.moving.at_end[v, a] or stage.moving.no_way[v, a]
                there = stage.bodies.timing.thought_there[v, a] and there
                stage.bodies.timing.thought_there[v, a] = there
    return NOTHING


def _move_all(stage: TickStage, phase: int, poses: Poses) -> int:
    """Coming to doors, moving, and telling."""
    at = stage.at
    if phase == COMES_BY:
        if _come_to_doors(stage.upkeep, stage.bodies, stage.moving):
            return BEGIN_TO_OPEN
    elif phase == MOVES:
        at[COUNT] = _go_on(stage.bodies, stage.moving, at[TICK])
        if at[COUNT] == NOT_YET:
            return GLANCE
        at[PHASE] = IS_STUCK
    elif phase == MOVES_ON:
        at[COUNT] = _move_on(stage.bodies, stage.moving)
    elif phase == IS_STUCK:
        if at[COUNT] != 0:
            return TELL_STUCK if at[COUNT] > 0 else BAD
    elif phase == ENDS and at[ACTIVE] != 0:
        crowded = stage.upkeep.keeps_apart and _is_crowded(stage.upkeep, stage.moving)
        if at[FINISHES] or crowded:
            return FINISH
        if stage.upkeep.any_clues:
            time = stage.times[at[TICK]]
            if _mind_clues(stage.upkeep, stage.bodies, stage.tells, poses, time, stage.dt):
                return TELL_CLUES
    elif phase == TELLS:
        if not stage.any_tells or _who_tells(stage.tells, poses, at[TICK]) == 0:
            at[PHASE] = ENDS
    elif phase == SAYS:
        count = stage.going_count[0]
        if is_cramped(stage.tells, stage.voices, stage.voiced, stage.going, count):
            at[PHASE] = SAYS
            return ROOM_FOR_VOICES
        left = _say(
            stage.tells, poses, stage.senses.surroundings.background, stage.listens.ears,
            stage.listens.walk, stage.voices, stage.voices_count, stage.voiced,
            stage.voiced_count,
        )  # fmt: skip
        if left != 0:
            return JUDGE_VOICES if left > 0 else BAD
    elif phase == PASSES_ON:
        _pass_all_on(
            stage.tells, poses, stage.voiced, stage.bodies.standing.state,
            stage.bodies.standing.rank, stage.going, stage.going_count,
        )  # fmt: skip
    return NOTHING
