"""Groups: members, posts, and bodies that keep apart."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from snelk.body.outcomes import Happening
from snelk.body.paces import STUCK_AFTER
from snelk.body.scene import Scene
from snelk.body.upkeep import ABOVE
from snelk.config.models import Setup
from snelk.indices import where
from snelk.mind.signals import NOBODY

Numbers = NDArray[np.float64]
Truths = NDArray[np.bool_]

SLACK = 1e-9
"""So near to far enough apart is far enough, m."""

ASIDE = 0.35
"""Who makes room steps so much to its right of straight away, as a share of that."""


def together(setups: Sequence[Setup]) -> Truths:
    """(variant, agent, agent) which two agents share a search; nobody with itself."""
    agents = setups[0].agents
    found = np.zeros((len(setups), len(agents), len(agents)), dtype=np.bool_)
    for v, setup in enumerate(setups):
        for group in setup.groups.values():
            if group.search:
                rows = [agents.index(name) for name in group.members]
                found[v][np.ix_(rows, rows)] = True
    found[:, np.arange(len(agents)), np.arange(len(agents))] = False
    return found


class Post(NamedTuple):
    """A group with posts: some members stay in their routine."""

    variant: int
    members: NDArray[np.intp]  # (members,) agents
    stays: int
    goes: str  # nearest, or own.NAME


class Company:
    """Everybody's groups.

    Args:
        world: The scene.

    Attributes:
        keeps_apart: Whether any bodies keep apart.
        apart: (variant, agent, agent) how far apart their middles keep, m; 0 for no matter.
        passing: (variant, agent, agent) who let each other pass, as they were stuck.
    """

    def __init__(self, world: Scene) -> None:
        self._world = world
        agents = world.agents
        self._posts: list[Post] = []
        self.apart = np.zeros((len(world.setups), len(agents), len(agents)))
        for v, setup in enumerate(world.setups):
            for group in setup.groups.values():
                rows = np.array([agents.index(name) for name in group.members])
                if group.stays:
                    self._posts.append(Post(v, rows, group.stays, group.goes))
                self.apart[v][np.ix_(rows, rows)] = group.apart
        self.apart[:, np.arange(len(agents)), np.arange(len(agents))] = 0.0
        self.keeps_apart = bool(self.apart.any())
        self.passing = np.zeros(self.apart.shape, dtype=np.bool_)
        self._kept_back = np.zeros((len(world.setups), len(agents)), dtype=np.bool_)

    def hold_back(self, routine: Numbers) -> None:
        """Let those not leave their routine who have to stay, at this tick.

        Args:
            routine: (variant, agent) the least rank of everybody's states.
        """
        if not self._posts:
            return
        world, ladders = self._world, self._world.ladders
        ready, ranks, kept_back = ladders.ready, ladders.ranks(), self._kept_back
        for post in self._posts:
            v, members = post.variant, post.members
            members = members[~ladders.out[v, members]]
            on_post = members[ranks[v, members] <= routine[v, members]]
            leaves = [a for a in on_post.tolist() if ladders.leads_above(v, a, routine[v, a])]
            may = max(len(on_post) - post.stays, 0)
            held = [] if len(leaves) <= may else self._in_order(post, leaves)[may:]
            for a in held:
                ready[v, a] &= ladders.rank[v, a, ladders.leads_to[v, a]] <= routine[v, a]
                if not kept_back[v, a]:
                    focus = max(int(world.attention.focus[v, a]), NOBODY)
                    place = world.motion.place(v, a)
                    world.happenings.append(Happening(v, a, "stays", focus, *place))
            kept_back[v, post.members] = np.isin(post.members, held)

    def _in_order(self, post: Post, agents: list[int]) -> list[int]:
        """The order in which members may go; if equal, as in the cast."""
        world, v = self._world, post.variant
        if post.goes == "nearest":
            values = [float(world.signals.distance[v, a]) for a in agents]
        else:
            own = world.ladders.attributes[post.goes.partition(".")[2]][v, world.characters]
            values = [-float(np.nan_to_num(own[a], nan=-np.inf)) for a in agents]
        return [a for _, a in sorted(zip(values, agents, strict=True))]

    def make_room(self) -> None:
        """Push bodies apart that are too close, each by half of the missing distance.

        As in position-based dynamics (Mueller et al. 2007), with a step to the right so that two
        who meet get past. Nobody is pushed off its ground. If one cannot move, or has almost come
        to where it stops, the other moves all of the distance. Two who are stuck let each other
        pass, until they are far enough apart again.
        """
        world, motion = self._world, self._world.motion
        there = world.present(world.characters) & ~world.ladders.out
        moves = there & motion.driven & ~motion.still & ~world.asleep & (motion.link < 0)
        x, y, z = motion.x, motion.y, motion.z
        dx, dy = x[:, :, None] - x[:, None, :], y[:, :, None] - y[:, None, :]
        level = np.abs(z[:, :, None] - z[:, None, :]) < ABOVE
        far = np.hypot(dx, dy)
        lacks = self.apart - far
        near = (lacks > SLACK) & level & there[:, :, None] & there[:, None, :]
        stuck = ~motion.on_way | (motion.was_stuck >= STUCK_AFTER - SLACK)
        jam = near & stuck[:, :, None] & stuck[:, None, :]
        jam &= motion.on_way[:, :, None] | motion.on_way[:, None, :]
        self.passing[...] = (self.passing & near) | jam
        near &= ~self.passing
        if not near.any():
            return
        # Who stands on the very same spot parts along x, the first in the cast to the left.
        same = near & (far <= SLACK)
        order = np.sign(np.arange(far.shape[1])[:, None] - np.arange(far.shape[1]))
        dx, far = np.where(same, order, dx), np.where(same, 1.0, np.maximum(far, SLACK))
        share = moves[:, :, None] / np.maximum(moves[:, :, None] + 1.0 * moves[:, None, :], 1.0)
        # Two who want to one place would else dance about it for ever.
        rest = np.broadcast_to(motion.before_stop()[:, :, None], far.shape)
        other = rest.swapaxes(1, 2)
        keeps = moves[:, None, :] & (rest < self.apart)
        keeps &= (rest < other) | ((rest == other) & (order < 0.0))
        share = np.where(keeps, 0.0, np.where(keeps.swapaxes(1, 2), 1.0 * moves[:, :, None], share))
        push = np.where(near, share * np.minimum(lacks, self.apart), 0.0) / far
        goes = motion.on_way[:, :, None] & near
        # Away from the other, and to the right of who looks at that one.
        by_x = (push * (dx - ASIDE * goes * dy)).sum(axis=2)
        by_y = (push * (dy + ASIDE * goes * dx)).sum(axis=2)
        pushed = moves & ((by_x != 0.0) | (by_y != 0.0))
        for v, a in where(pushed):
            world.footing.shift(v, a, float(by_x[v, a]), float(by_y[v, a]))
        motion.were_pushed(pushed)
