"""Turn strokes of a round brush into areas of pixels."""

import cv2
import numpy as np
from numpy.typing import ArrayLike

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["simplify_run", "stroke_bounds", "stroke_mask"]

_SHIFT = 4  # OpenCV draws at a sixteenth of a pixel


def stroke_bounds(points: ArrayLike, radius_px: float) -> tuple[int, int, int, int]:
    """Return top, left, bottom, right (exclusive) of the pixels a stroke can touch; may lie beyond the photo."""
    path = np.asarray(points, np.float64).reshape(-1, 2)
    low, high = np.floor(path.min(axis=0) - radius_px - 1), np.ceil(path.max(axis=0) + radius_px + 2)
    return int(low[1]), int(low[0]), int(high[1]), int(high[0])


def _fixed(points: ArrayLike, left: int, top: int) -> FloatArray:
    """Return points relative to a window in OpenCV's fixed point, pixel centres at whole numbers."""
    path = np.asarray(points, np.float64).reshape(-1, 2) - (left + 0.5, top + 0.5)
    return np.round(path * (1 << _SHIFT)).astype(np.int32)


def stroke_mask(points: ArrayLike, radius_px: float, window: tuple[int, int, int, int]) -> BoolArray:
    """Rasterise a round brush dragged along a path.

    Parameters
    ----------
    points : (N, 2) floats
        x, y in photo pixels; the first pixel spans 0 to 1.
    radius_px : float
    window : top, left, bottom, right
        The part of the photo to draw.

    Returns
    -------
    (H, W) bool ndarray
    """
    top, left, bottom, right = window
    mask = np.zeros((bottom - top, right - left), np.uint8)
    path = _fixed(points, left, top)
    if len(path) > 1 and radius_px >= 1:
        cv2.polylines(mask, [path], False, 1, max(1, round(2 * radius_px)), cv2.LINE_8, _SHIFT)
    for x, y in path[[0, -1]]:
        cv2.circle(mask, (int(x), int(y)), round(radius_px * (1 << _SHIFT)), 1, -1, cv2.LINE_8, _SHIFT)
    if len(path) > 1 and radius_px < 1:
        cv2.polylines(mask, [path], False, 1, 1, cv2.LINE_8, _SHIFT)
    return mask.astype(bool)


def simplify_run(points: ArrayLike, tolerance_px: float) -> list[tuple[float, float]]:
    """Thin out a freehand run, staying within `tolerance_px` of it; the ends stay.

    Notes
    -----
    Douglas and Peucker 1973, as in OpenCV.

    Examples
    --------
    >>> simplify_run([(0, 0), (5, 0.1), (10, 0)], 1.0)
    [(0.0, 0.0), (10.0, 0.0)]
    """
    path = np.asarray(points, np.float32).reshape(-1, 1, 2)
    if len(path) < 3:
        return [(float(x), float(y)) for x, y in path[:, 0]]
    kept = cv2.approxPolyDP(path, tolerance_px, False)[:, 0]
    return [(float(x), float(y)) for x, y in kept]
