"""Bring a region found in a small picture to the edges of the large one."""

from collections.abc import Sequence
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray
from peel.matte.marking.coverage import coverage
from peel.matte.marking.edge_line import snap_line

__all__ = ["outlines_of", "traced"]

_SHORT_PX: Final = 24  # outlines shorter than this have no sides to move


def outlines_of(region: BoolArray) -> list[NDArray[np.float64]]:
    """Return a region's outlines as closed lines along its pixels' rims; those of holes run the other way round.

    The region is (H, W) bool; each outline is (N, 2) float, x and y at the corners of pixels.
    """
    # twice the size, so that a line through pixel centres of the large one runs where pixels of the region meet others
    large = cv2.resize(region.astype(np.uint8), None, fx=2, fy=2, interpolation=cv2.INTER_NEAREST)
    lines, _ = cv2.findContours(large, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    return [(line[:, 0].astype(np.float64) + 0.5) / 2 for line in lines]


def traced(
    pictures: Sequence[tuple[int, NDArray[Any]]], region: BoolArray, window: tuple[int, int, int, int]
) -> BoolArray:
    """Draw a region found in a small picture at full size, its boundary snapped to the photo's edges.

    Parameters
    ----------
    pictures : sequence of (step, picture)
        The photo made smaller by whole steps, largest step first, down to step 1 or whatever is to be drawn.
    region : (h, w) bool ndarray
        Of the same scene, smaller than the first picture.
    window : top, left, bottom, right
        The part of the last picture to draw.

    Returns
    -------
    (H, W) bool ndarray
    """
    if region.all() or not region.any():
        return np.full((window[2] - window[0], window[3] - window[1]), bool(region.any()))
    height, width = pictures[-1][1].shape[:2]
    wide = pictures[-1][0]
    ratio = np.array([width / region.shape[1], height / region.shape[0]]) * wide
    framed = cv2.copyMakeBorder(region.astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_REPLICATE).astype(bool)
    size = np.array([region.shape[1], region.shape[0]])
    lines = []
    for line in outlines_of(framed):
        outline = line - 1
        # beyond the frame the region goes on, so that its boundary does not bend at the border
        beyond = np.where(outline <= 0.01, -3.0, np.where(outline >= size - 0.01, 3.0, 0.0))
        lines.append(_snapped((outline + beyond) * ratio, pictures, float(ratio.mean())) / wide)
    return coverage(lines, window) >= 128


def _snapped(
    outline: NDArray[np.float64], pictures: Sequence[tuple[int, NDArray[Any]]], cell: float
) -> NDArray[np.float64]:
    """Snap an outline in photo pixels to one picture after the other, each by what the one before left open."""
    for step, picture in pictures:
        if len(outline) < 4 or np.hypot(*np.diff(outline, axis=0).T).sum() < _SHORT_PX * step:
            break
        outline = snap_line(picture, outline / step, min(cell / step, 8), closed=True) * step
        cell = 2.0 * step
    return outline
