"""The strands of a matte, one by one: how long each is and how faint, so that whole ones can be left out.

A strand is what a grey opening takes away: thin, and more opaque than what lies around it. Its middle is a ridge, and
ridges are linked along their direction, also across others. Leaving a strand out leaves what is opaque beneath it.

References
----------
.. [1] J. Serra, "Image Analysis and Mathematical Morphology", Academic Press, 1982: openings, and what they take away.
.. [2] C. Steger, "An unbiased detector of curvilinear structures", IEEE Transactions on Pattern Analysis and Machine
   Intelligence 20(2), 1998, pp. 113-125: ridges, linked along their direction. :doi:`10.1109/34.659930`
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
import numpy.typing as npt

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.repair.hair_kernels import find_middles, link, spread, total_of

__all__ = ["LEAST_LENGTH", "WIDEST_PX", "Hair", "Heights", "Numbers", "fall_of", "hair_of"]

WIDEST_PX: Final = 8
"""Widest strands, in pixels."""

LEAST_LENGTH: Final = 6.0
"""Length, in pixels, from which a strand counts as one."""

_SLENDER: Final = 2.0  # how many times longer than wide a strand has to be
_FULLY: Final = 0.5  # opacity from which a strand counts with all of its length
_MOST: Final = 2_000_000  # strands
_BLUR_PX: Final = 0.8
_SMOOTH_PX: Final = 3.0  # what is left beneath strands is haze, not the discs of an opening
_TENTH: Final = 10  # part of its alpha that an opening may take of what is no strand
_ALONE: Final = 0.3  # alpha beneath, from which a short bit belongs to what it lies on


Heights = npt.NDArray[np.uint16]
Numbers = npt.NDArray[np.int32]


@dataclass(frozen=True, eq=False)
class Hair:
    """The strands of a matte.

    Attributes
    ----------
    heights : (H, W) uint16 ndarray
        By how much each pixel's alpha stands out of what lies beneath strands; 65535 for 1.
    numbers : (H, W) int32 ndarray
        The strand that it belongs to, from 1; 0 for none.
    under : (H, W) int32 ndarray
        Another one that goes on there beneath it, or 0.
    length, opacity, width : (N,) float32 ndarrays
        Of each strand, and of each crumb that lies alone: in pixels, the mean height of its middle in [0, 1], and the
        mean sum of heights across.
    ends : (N, 2, 2) float32 ndarray
        Row and column of both ends.
    """

    heights: Heights
    numbers: Numbers
    under: Numbers
    length: FloatArray
    opacity: FloatArray
    width: FloatArray
    ends: FloatArray

    @property
    def visible_length(self) -> FloatArray:
        """The length of each strand; of one fainter than a half, less in proportion."""
        return np.asarray(self.length * np.minimum(self.opacity / _FULLY, 1), np.float32)

    def falls(self, shortest_px: float) -> Heights:
        """Return by how much alpha falls where strands of which less is seen are left out, (H, W) uint16."""
        return fall_of(self.heights, self.numbers, self.under, self.visible_length < shortest_px)


def fall_of(heights: Heights, numbers: Numbers, under: Numbers | None, is_out: BoolArray) -> Heights:
    """Return by how much alpha falls where some strands are left out; what belongs to two stays for either.

    `is_out` is (N,) bool; the others, and what is returned, (H, W). Without `under` nothing lies beneath another.
    """
    gone = np.append(False, is_out)[numbers]
    if under is not None:
        gone &= ~np.append(False, ~is_out)[under]
    return np.asarray(heights * gone, np.uint16)


def hair_of(alpha: npt.NDArray[np.uint16]) -> Hair:
    """Find the strands of a matte.

    Parameters
    ----------
    alpha : (H, W) uint16 ndarray
        65535 for 1.
    """
    round_ = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (WIDEST_PX + 1, WIDEST_PX + 1))
    opened = cv2.morphologyEx(alpha, cv2.MORPH_OPEN, round_)
    beneath = cv2.GaussianBlur(opened, (0, 0), _SMOOTH_PX)
    np.copyto(beneath, opened, where=opened >= alpha - alpha // _TENTH)  # what is no strand stays as it is
    del opened
    heights = cv2.subtract(alpha, beneath)
    direction = np.full(alpha.shape, 255, np.uint8)
    numbers, under = np.zeros(alpha.shape, np.int32), np.zeros(alpha.shape, np.int32)
    middles = find_middles(cv2.GaussianBlur(heights, (0, 0), _BLUR_PX), direction)
    order = np.argsort(-heights[middles[:, 0], middles[:, 1]].astype(np.int32), kind="stable")
    strands = np.zeros((min(len(middles), _MOST), 7), np.float32)
    count = link(np.ascontiguousarray(middles[order]), direction, heights, numbers, under, strands)
    del direction
    strands = strands[:count]
    crumbs = np.nonzero(np.append(True, strands[:, 0] < LEAST_LENGTH)[numbers] & (numbers > 0))
    whose, numbers[crumbs] = numbers[crumbs], 0
    spread(heights, numbers, WIDEST_PX // 2 + 2)  # strands first: what is next to one is a part of it
    alone = numbers[crumbs] == 0
    numbers[crumbs[0][alone], crumbs[1][alone]] = whose[alone]
    spread(heights, numbers, WIDEST_PX // 2 + 2)
    total_of(heights, numbers, strands)
    return _sorted_out(heights, numbers, under, strands, beneath)


def _sorted_out(heights: Heights, numbers: Numbers, under: Numbers, strands: FloatArray, beneath: Heights) -> Hair:
    """Keep what is a strand, or a crumb that lies alone, and number it anew."""
    length, width = strands[:, 0], strands[:, 6] / np.maximum(strands[:, 0], 1)
    ends = strands[:, 2:6].astype(np.int32)
    lies_on = np.minimum(beneath[ends[:, 0], ends[:, 1]], beneath[ends[:, 2], ends[:, 3]])
    is_one = (length >= LEAST_LENGTH) & (length >= _SLENDER * width)
    is_one |= lies_on < _ALONE * 65535  # what lies on something solid is its corner
    is_one &= strands[:, 6] > 0
    renumbered = np.zeros(len(strands) + 1, np.int32)
    renumbered[1:][is_one] = np.arange(1, int(is_one.sum()) + 1)
    kept = strands[is_one]
    return Hair(
        heights,
        np.take(renumbered, numbers),
        np.take(renumbered, under),
        np.ascontiguousarray(kept[:, 0]),
        np.ascontiguousarray(kept[:, 1]),
        np.ascontiguousarray(width[is_one]),
        np.ascontiguousarray(kept[:, 2:6].reshape(-1, 2, 2)),
    )
