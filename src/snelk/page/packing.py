"""Numbers of a run, packed into text that a page unpacks again.

A number is kept as a whole number of its smallest shown part, a series of them as the differences
from one to the next. These are zigzag coded (small ones of either sign become small ones), laid
out by byte, highest apart from lowest, and deflated (RFC 1950) all together. The other half of
this is `unpack` in store.js.
"""

from __future__ import annotations

import base64
import zlib
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

LARGEST = 2**31 - 1


class Packer:
    """Gathers arrays under names; `text` holds them all.

    >>> packer = Packer()
    >>> packer.add("x", [[0.0, 0.5, 1.0]], parts=10)
    >>> packer.index["x"]
    {'parts': 10, 'shape': [1, 3], 'planes': 1, 'start': 0}
    """

    def __init__(self) -> None:
        self.index: dict[str, dict[str, Any]] = {}
        self._pieces: list[bytes] = []
        self._size = 0

    def add(
        self, name: str, values: ArrayLike, *, parts: int = 1, shown: int | None = None
    ) -> None:
        """Keep an array; the last axis is the one along which values change little.

        Args:
            name: Under which the page finds it.
            values: Any shape. NaN becomes the value before it; the page has to know from elsewhere
                that there is none.
            parts: How many parts a unit is cut into: 1000 keeps mm of m.
            shown: How many parts of a unit the page shows, if fewer: then rounding what is kept
                gives what rounding the number itself gives.
        """
        kept = np.atleast_1d(self._whole(values, parts, shown))
        steps: NDArray[np.int64] = np.diff(kept, axis=-1, prepend=0)
        codes = ((steps << 1) ^ (steps >> 63)).astype(np.uint32).ravel()
        planes = max((int(codes.max(initial=0)).bit_length() + 7) // 8, 1)
        for plane in range(planes):
            self._keep(((codes >> (8 * plane)) & 0xFF).astype(np.uint8).tobytes())
        self.index[name] = {
            "parts": parts,
            "shape": list(kept.shape),
            "planes": planes,
            "start": self._size - planes * codes.size,
        }

    @staticmethod
    def _whole(values: ArrayLike, parts: int, shown: int | None) -> NDArray[np.int64]:
        """The whole numbers that are kept of some."""
        numbers = _filled(np.asarray(values, dtype=np.float64))
        whole = _rounded(numbers, parts)
        if shown is not None:
            # A number just below an edge of rounding must not be kept as one on or above it.
            step = parts / shown
            wanted = _rounded(numbers, shown)
            whole = np.clip(whole, np.ceil((wanted - 0.5) * step + 0.5), None)
            whole = np.clip(whole, None, np.floor((wanted + 0.5) * step - 0.5))
        return np.clip(whole, -LARGEST // 2, LARGEST // 2).astype(np.int64)

    def text(self, effort: int = 9) -> str:
        """Everything kept so far, deflated, in base 64; 1 is fastest, 9 smallest."""
        return base64.b64encode(zlib.compress(b"".join(self._pieces), effort)).decode("ascii")

    def _keep(self, piece: bytes) -> None:
        self._pieces.append(piece)
        self._size += len(piece)


def _filled(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
    """With each NaN replaced by what stands before it in its row, or by 0 at the start."""
    if numbers.ndim == 0 or not np.isnan(numbers).any():
        return np.nan_to_num(numbers)
    places = np.where(np.isnan(numbers), 0, np.arange(numbers.shape[-1]))
    latest = np.maximum.accumulate(places, axis=-1)
    return np.nan_to_num(np.take_along_axis(numbers, latest, axis=-1))


def _rounded(numbers: NDArray[np.float64], parts: int) -> NDArray[np.float64]:
    """Whole parts, rounded as Python writes a number; that matters halfway between two.

    >>> _rounded(np.array([33.955, 0.125, 0.135]), 100).tolist()  # as f"{33.955:.2f}"
    [3395.0, 12.0, 14.0]
    """
    scaled = numbers * parts
    whole: NDArray[np.float64] = np.rint(scaled)
    halfway = np.abs(scaled - np.floor(scaled) - 0.5) < 1e-6
    digits = len(str(parts)) - 1
    if halfway.any():
        whole[halfway] = [
            round(float(f"{value:.{digits}f}") * parts) for value in numbers[halfway].tolist()
        ]
    return whole


ENDS = {kind: int(np.iinfo(kind).max) for kind in ("i1", "i2", "i4")}
"""The largest number in each kind of number that is kept."""


class RawPacker(Packer):
    """As `Packer`, for a page of the same machine: larger, and at once.

    The numbers themselves, in as few bytes as the largest needs, one array after the other; each
    begins at a multiple of four bytes. The other half of this is `unpackRaw` in store.js.
    """

    def add(
        self, name: str, values: ArrayLike, *, parts: int = 1, shown: int | None = None
    ) -> None:
        """Keep an array, see `Packer`."""
        kept, most = self._whole_and_most(np.atleast_1d(values), parts, shown)
        kind = next(each for each, end in ENDS.items() if most <= end)
        piece = kept.astype(f"<{kind}", order="C", copy=False).tobytes()
        self.index[name] = {
            "parts": parts, "shape": list(kept.shape), "kind": kind, "start": self._size,
        }  # fmt: skip
        self._keep(piece)
        if over := -len(piece) % 4:
            self._keep(bytes(over))

    def _whole_and_most(
        self, values: NDArray[Any], parts: int, shown: int | None
    ) -> tuple[NDArray[Any], int]:
        """The whole numbers that are kept of some, and the largest of them without its sign."""
        kept = self._whole(values, parts, shown)
        return kept, max(int(kept.max(initial=0)), -int(kept.min(initial=0)))

    def content(self) -> bytes:
        """Everything kept so far."""
        return b"".join(self._pieces)


class DrawnPacker(RawPacker):
    """As `RawPacker`, for what is only drawn: rounded in any way where it is halfway, 0 for NaN."""

    def _whole_and_most(
        self,
        values: NDArray[Any],
        parts: int,
        shown: int | None,  # noqa: ARG002
    ) -> tuple[NDArray[Any], int]:
        if values.dtype.kind != "f":
            small = values.itemsize == 1 and values.dtype.kind in "bi"
            return (values, 0) if small else (values, _most(values))
        whole: NDArray[np.float64] = np.multiply(values, parts, order="C", dtype=np.float64)
        np.rint(whole, out=whole)
        most = _most(whole)
        if not most <= LARGEST // 2:  # or there is none: NaN
            np.copyto(whole, 0.0, where=~np.isfinite(whole))
            most = _most(whole)
            if most > LARGEST // 2:
                np.clip(whole, -LARGEST // 2, LARGEST // 2, out=whole)
                most = LARGEST // 2
        return whole, int(most)


def _most(values: NDArray[Any]) -> Any:
    """The largest without its sign; NaN if there is one."""
    return max(values.max(initial=0), -values.min(initial=0))
