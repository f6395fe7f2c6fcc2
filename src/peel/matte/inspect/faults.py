"""Faults of a matte: what one is, and how a mask of what may be wrong is split into them."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray, IntArray
from peel.matte.inspect.sorts import SnagSort

__all__ = ["Find", "Window", "extent_of", "pieces_of", "window_around"]


@dataclass(frozen=True, eq=False)
class Find:
    """One fault.

    Attributes
    ----------
    sort : SnagSort
    top, left : int
        Where its mask begins, in the space of the matte that was looked at.
    mask : (h, w) bool ndarray
        The pixels that are wrong.
    size : float
        By how many solid pixels the matte is off there: the sum over the mask of what a mend would change.
    change : (h, w) float16 ndarray
        By how much a mend would change alpha, or colour, at each pixel; 0 outside the mask.
    """

    sort: SnagSort
    top: int
    left: int
    mask: BoolArray
    size: float
    change: NDArray[np.float16]

    @property
    def box(self) -> tuple[int, int, int, int]:
        """Top, left, bottom and right (exclusive)."""
        return self.top, self.left, self.top + self.mask.shape[0], self.left + self.mask.shape[1]

    def enlarged(self, times: int) -> "Find":
        """Return the same fault in a picture so many times as large."""
        if times == 1:
            return self
        mask = self.mask.repeat(times, axis=0).repeat(times, axis=1)
        change = self.change.repeat(times, axis=0).repeat(times, axis=1)
        return Find(self.sort, self.top * times, self.left * times, mask, self.size * times**2, change)

    def change_in(self, top: int, left: int, height: int, width: int, step: int) -> FloatArray:
        """Return its change in a window of a picture of which each pixel stands for `step` of its own, a side.

        Of (height, width) float32; the window has to hold it.
        """
        out = np.zeros((height, width), np.float32)
        part = self.change[-self.top % step :: step, -self.left % step :: step]
        y, x = -(-self.top // step) - top, -(-self.left // step) - left
        out[y : y + part.shape[0], x : x + part.shape[1]] = part
        return out

    def moved(self, down: int, right: int) -> "Find":
        """Return the same fault in a space that begins elsewhere."""
        return replace(self, top=self.top + down, left=self.left + right)


Window = tuple[slice, slice]


def pieces_of(
    sort: SnagSort,
    mask: BoolArray,
    change: FloatArray,
    least: float,
    join: int = 0,
    keep: Callable[[BoolArray, Window], bool] | None = None,
    keep_each: Callable[[IntArray, Window], BoolArray] | None = None,
) -> Iterator[Find]:
    """Split a mask into faults.

    Parameters
    ----------
    sort : SnagSort
    mask : (H, W) bool ndarray
    change : (H, W) float32 ndarray
        By how much a mend changes alpha.
    least : float
        Size below which a piece is none.
    join : int
        Gaps up to this many pixels do not part two pieces.
    keep : callable, optional
        Given a piece and the window that it fills, says whether it is a fault.
    keep_each : callable, optional
        The same for all at once, where there may be thousands: given their numbers, 0 elsewhere, in a window, says it
        for each number.
    """
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if len(rows) == 0:
        return
    y, x = max(int(rows[0]) - join, 0), max(int(columns[0]) - join, 0)
    part = (slice(y, int(rows[-1]) + join + 1), slice(x, int(columns[-1]) + join + 1))
    inner = mask[part]
    joined = inner.astype(np.uint8)
    if join:
        joined = cv2.dilate(joined, np.ones((join, join), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    sizes = np.bincount(labels[inner], change[part][inner], minlength=count)
    wanted = sizes >= least
    if keep_each is not None and wanted.any():
        wanted &= keep_each(np.where(inner, labels, 0), part)
    for number in np.flatnonzero(wanted):
        left, top, width, height = (int(stats[number, k]) for k in range(4))
        window = (slice(top, top + height), slice(left, left + width))
        own = inner[window] & (labels[window] == number)
        whole = (slice(y + top, y + top + height), slice(x + left, x + left + width))
        if number > 0 and (keep is None or keep(own, whole)):
            by = np.where(own, change[part][window], 0).astype(np.float16)
            yield Find(sort, y + top, x + left, own, float(sizes[number]), by)


def extent_of(piece: BoolArray) -> float:
    """Return how long a piece is, from corner to corner.

    Takes (h, w) bool; the length is in pixels.
    """
    rows, columns = np.nonzero(piece)
    return float(np.hypot(np.ptp(rows), np.ptp(columns)))


def window_around(values: FloatArray, at: Window, by: int) -> FloatArray:
    """Copy a window with a margin around it; beyond the border the values at it go on.

    Takes (H, W) float32; returns (h + 2 margin, w + 2 margin).
    """
    rows, columns = (
        np.clip(np.arange(part.start - by, part.stop + by), 0, size - 1)
        for part, size in zip(at, values.shape, strict=True)
    )
    return np.asarray(values[np.ix_(rows, columns)], np.float32)
