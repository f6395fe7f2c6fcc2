"""A picture at every pyramid level."""

import threading
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.job.rect import Rect
from peel.job.space import level_size
from peel.matte.arrays import FloatArray
from peel.matte.pixels import unit_floats

__all__ = ["Pyramid", "shrunk"]


def shrunk(values: NDArray[Any], level: int) -> NDArray[Any]:
    """Average squares of pixels; those cut off by the border average what they have.

    Takes (H, W) or (H, W, C); each side is halved, rounded up, once for each level.
    """
    if level == 0:
        return values
    step = 1 << level
    height, width = level_size(values.shape[0], values.shape[1], level)
    missing = (height * step - values.shape[0], width * step - values.shape[1])
    if any(missing):
        values = cv2.copyMakeBorder(values, 0, missing[0], 0, missing[1], cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(values, (width, height), interpolation=cv2.INTER_AREA))


class Pyramid:
    """A picture (H, W, C) at every level; a level is made on first use. Any thread."""

    def __init__(self, pixels: NDArray[Any]) -> None:
        self._levels: list[NDArray[Any]] = [pixels]
        self._turn = threading.Lock()

    def pixels(self, level: int) -> NDArray[Any]:
        """Return the whole picture at a level, in its own depth.

        (h, w, C) uint8 or uint16.
        """
        with self._turn:
            while len(self._levels) <= level:
                self._levels.append(shrunk(self._levels[-1], 1))
            return self._levels[level]

    def colours(self, rect: Rect, level: int) -> FloatArray:
        """Copy a window of a level as float32 in [0, 1].

        Returns (h, w, C).
        """
        return unit_floats(self.pixels(level)[rect.slices])
