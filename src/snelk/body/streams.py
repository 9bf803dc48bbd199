"""Random streams in the loops, with the numbers of `snelk.chance.stream`; compiled.

The generator is Philox4x64-10 (Salmon et al. 2011, "Parallel random numbers: as easy as 1, 2, 3"):
a block of four numbers is the key's scrambling of how many blocks came before, so that a stream
needs no more state than that. See `snelk.level.columns`.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from cython import cast, ulonglong
from numpy.typing import NDArray

from snelk.body.columns import StreamColumns
from snelk.level.columns import agree, agree_axes, door, laid_out, plain

Words = NDArray[np.uint64]

BLOCK = 4
"""Numbers of a block."""

WORD, HALF = 0xFFFFFFFFFFFFFFFF, 0xFFFFFFFF
TIMES_0, TIMES_1 = 0xD2E7470EE14C6C93, 0xCA5A826395121157
PLUS_0, PLUS_1 = 0x9E3779B97F4A7C15, 0xBB67AE8584CAA73B
ROUNDS = 10
STEP = float(2.0**-53)


class Streams(NamedTuple):
    """A stream of chance of every agent: (variant, agent) where nothing else is said."""

    key: Words  # (variant, agent, 2)
    blocks: Words  # that were drawn
    block: Words  # (variant, agent, 4) the last of them
    used: NDArray[np.int64]  # how many of its numbers have been taken

    def check(self) -> None:
        """Make sure that its arrays agree; see `agree`."""
        agree_axes(self, "variants agents", key="variants agents 2", block="variants agents 4")

    @classmethod
    def blank(cls, shape: tuple[int, ...]) -> Streams:
        """Those that have not begun."""
        key, block = np.zeros((*shape, 2), np.uint64), np.zeros((*shape, BLOCK), np.uint64)
        return cls(key, np.zeros(shape, np.uint64), block, np.full(shape, BLOCK))

    def begin(self, v: int, a: int, key: int) -> None:
        """Start a stream again, with a key of 128 bits."""
        self.key[v, a] = key & WORD, key >> 64
        self.blocks[v, a], self.used[v, a] = 0, BLOCK


@door
def draw(streams: Streams, v: int, a: int) -> float:
    """The next number of somebody's stream, from 0 up to but not with 1, any as likely."""
    agree((0 <= v < len(plain(streams).used), 0 <= a < plain(streams).used.shape[1]), (True, True))
    return next_of(laid_out(StreamColumns, streams), v, a)


@door
def draw_whole(streams: Streams, v: int, a: int, count: int) -> int:
    """A whole number from 0 up to but not with `count`, any as likely."""
    agree((0 <= v < len(plain(streams).used), 0 <= a < plain(streams).used.shape[1]), (True, True))
    agree((0 < count <= HALF,), (True,))
    return whole_of(laid_out(StreamColumns, streams), v, a, count)


def next_of(streams: Streams, v: int, a: int) -> float:
    """As `draw`."""
    return float((_word_of(streams, v, a) >> 11) * STEP)


def whole_of(streams: Streams, v: int, a: int, count: int) -> int:
    """As `draw_whole`: the upper half of a product, drawn again where that would be uneven.

    Lemire 2019, "Fast random integer generation in an interval"; of each word the lower half first.
    """
    if count == 1:
        return 0
    word = _word_of(streams, v, a)
    product, upper = (word & HALF) * count, True
    while (product & HALF) < (HALF + 1 - count) % count:
        if not upper:
            word = _word_of(streams, v, a)
        product = ((word >> 32) if upper else (word & HALF)) * count
        upper = not upper
    return product >> 32


def _word_of(streams: Streams, v: int, a: int) -> int:
    """The next word."""
    if streams.used[v, a] >= BLOCK:
        _draw_block(streams, v, a)
    n = streams.used[v, a]
    streams.used[v, a] = n + 1
    word: int = cast(ulonglong, streams.block[v, a, n])
    return word


def _draw_block(streams: Streams, v: int, a: int) -> None:
    key_0 = cast(ulonglong, streams.key[v, a, 0])
    key_1 = cast(ulonglong, streams.key[v, a, 1])
    count = cast(ulonglong, streams.blocks[v, a]) + 1
    streams.blocks[v, a] = count
    word_0, word_1 = count, cast(ulonglong, 0)
    word_2, word_3 = cast(ulonglong, 0), cast(ulonglong, 0)
    for _ in range(ROUNDS):
        high_0, low_0 = _high(TIMES_0, word_0), (TIMES_0 * word_0) & WORD
        high_1, low_1 = _high(TIMES_1, word_2), (TIMES_1 * word_2) & WORD
        word_0, word_1 = high_1 ^ word_1 ^ key_0, low_1
        word_2, word_3 = high_0 ^ word_3 ^ key_1, low_0
        key_0, key_1 = (key_0 + PLUS_0) & WORD, (key_1 + PLUS_1) & WORD
    streams.block[v, a, 0], streams.block[v, a, 1] = word_0, word_1
    streams.block[v, a, 2], streams.block[v, a, 3] = word_2, word_3
    streams.used[v, a] = 0


def _high(one: int, other: int) -> int:
    """The upper half of a product of two words."""
    low, high = one & HALF, one >> 32
    first = high * (other & HALF) + ((low * (other & HALF)) >> 32)
    second = low * (other >> 32) + (first & HALF)
    return high * (other >> 32) + (first >> 32) + (second >> 32)
