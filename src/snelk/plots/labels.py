"""Labels that keep clear of each other."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from matplotlib.backends.backend_agg import RendererAgg

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.text import Text
    from numpy.typing import NDArray

Across = Literal["left", "center", "right"]
Along = Literal["top", "center", "bottom"]

_SIDES: tuple[tuple[float, float, Across, Along], ...] = (
    (0, 1, "center", "bottom"),
    (0, -1, "center", "top"),
    (1, 0, "left", "center"),
    (-1, 0, "right", "center"),
    (0.8, 0.8, "left", "bottom"),
    (-0.8, 0.8, "right", "bottom"),
    (0.8, -0.8, "left", "top"),
    (-0.8, -0.8, "right", "top"),
)
_SHIFT = {"left": 0.0, "center": 0.5, "right": 1.0, "bottom": 0.0, "top": 1.0}
_NEAR, _ALL = (1.0,), (1.0, 1.9, 3.0, 4.2)


@dataclass
class Labels:
    """Places labels one after the other, each where it covers neither label nor mark.

    Call it when the limits of the axis are final.
    """

    axes: Axes
    taken: list[tuple[float, float, float, float]] = field(default_factory=list)

    def __post_init__(self) -> None:
        # Measuring text makes a renderer for each label unless it is handed one.
        self._renderer = RendererAgg(1, 1, self.axes.figure.dpi)

    def keep_free(self, x: float, y: float, *, radius: float) -> None:
        """Keep labels away from a mark at (x, y); the radius is in points."""
        px, py = self.axes.transData.transform((x, y))
        pixels = radius * self.axes.figure.dpi / 72
        self.taken.append((px - pixels, py - pixels, px + pixels, py + pixels))

    def place(
        self,
        x: float,
        y: float,
        text: str,
        *,
        gap: float,
        needed: bool,
        first: int = 0,
        **style: Any,
    ) -> Text | None:
        """Write a label near (x, y), `gap` points away or a little farther.

        It tries above, below, right, left and the corners, `first` of these first. Where there
        is no room a label that is not `needed` is left out.
        """
        label = self.axes.annotate(
            text, (x, y), xytext=(0.0, gap), textcoords="offset points", parse_math=False, **style
        )
        extent = label.get_window_extent(self._renderer)
        width, height = extent.width + 2.0, extent.height + 2.0
        frame = self.axes.bbox
        pixels = self.axes.figure.dpi / 72
        px, py = self.axes.transData.transform((x, y))
        tries = [
            (ring, side)
            for ring in (_NEAR if not needed else _ALL)
            for side in _SIDES[first:] + _SIDES[:first]
        ]
        boxes = []
        for ring, (across, along, ha, va) in tries:
            left = px + across * gap * ring * pixels - _SHIFT[ha] * width
            low = py + along * gap * ring * pixels - _SHIFT[va] * height
            boxes.append((left, low, left + width, low + height))
        free = self._free(np.array(boxes), np.array(frame.extents))
        if not free.any() and not (needed and frame.contains(px, py)):
            label.remove()
            return None
        best = int(np.argmax(free))  # the first of all if none is free
        ring, (across, along, ha, va) = tries[best]
        label.set(ha=ha, va=va, position=(across * gap * ring, along * gap * ring))
        self.taken.append(boxes[best])
        return label

    def _free(self, boxes: NDArray[np.float64], frame: NDArray[np.float64]) -> NDArray[np.bool_]:
        """(boxes,) which of (boxes, 4) left, low, right, high are in the frame and free."""
        taken = np.array(self.taken).reshape(-1, 1, 4)
        inside = (boxes[:, :2] >= frame[:2]).all(axis=1) & (boxes[:, 2:] <= frame[2:]).all(axis=1)
        meets = (boxes[:, :2] <= taken[..., 2:]) & (taken[..., :2] <= boxes[:, 2:])
        return inside & ~np.any(meets.all(axis=2), axis=0)
