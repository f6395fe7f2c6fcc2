"""Follow the photo's edge between two points, at once, whatever the photo's size."""

import threading
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from peel.job.rect import Rect
from peel.matte.marking.edge_line import EdgePaths, edge_strength, snap_line
from peel.matte.pixels import bytes_of_words
from peel.work.stages import Pyramid

__all__ = ["Tracer"]

Points = NDArray[np.float64]

_WINDOW_PX: Final = 272  # of a level: what the costs are spread over in a few hundredths of a second
_ROOM_PX: Final = 48
_FAINT: Final = 4.0  # values a pixel; less is grain


@dataclass(frozen=True)
class _Spread:
    """The paths from one anchor within one window of a level."""

    anchor: tuple[float, float]
    level: int
    window: Rect
    paths: EdgePaths

    def serves(self, anchor: tuple[float, float], to: tuple[float, float]) -> bool:
        if anchor != self.anchor:
            return False
        x, y = to[0] / (1 << self.level), to[1] / (1 << self.level)
        inside = self.window.left <= x < self.window.right and self.window.top <= y < self.window.bottom
        far = max(abs(to[0] - anchor[0]), abs(to[1] - anchor[1])) / (1 << self.level)
        return inside and (self.level == 0 or far > _WINDOW_PX / 8)


class Tracer:
    """Finds paths along edges in one photo; remembers the last spread of costs. Any thread."""

    def __init__(self, pyramid: Pyramid) -> None:
        self._pyramid = pyramid
        self._turn = threading.Lock()
        self._spread: _Spread | None = None

    def path(self, anchor: tuple[float, float], to: tuple[float, float]) -> Points:
        """Return the line from one photo point to another that keeps to the strongest edges, (N, 2), ends as given."""
        if not np.isfinite([*anchor, *to]).all() or np.hypot(to[0] - anchor[0], to[1] - anchor[1]) < 4:
            return np.array([anchor, to], np.float64)
        with self._turn:
            spread = self._spread
            if spread is None or not spread.serves(anchor, to):
                spread = self._spread = self._spread_from(anchor, to)
        step = 1 << spread.level
        corner = np.array([spread.window.left, spread.window.top], np.float64)
        coarse = (spread.paths.to((to[0] / step - corner[0], to[1] / step - corner[1])) + corner) * step
        coarse[0], coarse[-1] = anchor, to
        return self._refined(coarse, spread.level)

    def snapped(self, point: tuple[float, float], reach_px: float) -> tuple[float, float]:
        """Return the strongest edge near a photo point, the nearer the better; the point itself where there is none."""
        level = max(int(np.log2(max(reach_px / 8, 1))), 0)
        step = 1 << level
        pixels = self._pyramid.pixels(level)
        x, y, reach = point[0] / step, point[1] / step, int(np.ceil(reach_px / step))
        left, top = int(x) - reach, int(y) - reach
        window = Rect(top - 2, left - 2, top + 2 * reach + 3, left + 2 * reach + 3)
        window = window.intersection(Rect(0, 0, *pixels.shape[:2]))
        if window.height < 3 or window.width < 3:
            return point
        strength = edge_strength(bytes_of_words(pixels[window.slices]))
        ys, xs = np.mgrid[window.top : window.bottom, window.left : window.right] + 0.5
        away = np.hypot(xs - x, ys - y) / max(reach, 1)
        worth = np.where(away <= 1, strength * (1 - 0.6 * away), 0)
        best = np.unravel_index(int(np.argmax(worth)), worth.shape)
        if worth[best] < _FAINT:
            return point
        return float(xs[best]) * step, float(ys[best]) * step

    def _spread_from(self, anchor: tuple[float, float], to: tuple[float, float]) -> _Spread:
        far = max(abs(to[0] - anchor[0]), abs(to[1] - anchor[1]))
        level = 0
        while far / (1 << level) > _WINDOW_PX - 2 * _ROOM_PX:
            level += 1
        pixels = self._pyramid.pixels(level)
        bounds = Rect(0, 0, *pixels.shape[:2])
        x, y = ((anchor[axis] + to[axis]) / 2 / (1 << level) for axis in (0, 1))
        side = _WINDOW_PX // 2
        left = int(np.clip(x - side, 0, max(bounds.right - 2, 0)))
        top = int(np.clip(y - side, 0, max(bounds.bottom - 2, 0)))
        window = Rect(top, left, top + _WINDOW_PX, left + _WINDOW_PX).intersection(bounds)
        start = (anchor[0] / (1 << level) - window.left, anchor[1] / (1 << level) - window.top)
        return _Spread(anchor, level, window, EdgePaths(bytes_of_words(pixels[window.slices]), start))

    def _refined(self, line: Points, level: int) -> Points:
        """Snap a line found at a level to the edges of finer ones, down to the photo itself."""
        while level >= 0:
            step = 1 << level
            line = snap_line(self._pyramid.pixels(level), line / step, 3) * step
            level = level - 2 if level > 1 else level - 1
        return line
