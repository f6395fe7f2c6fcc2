"""Turn strokes of a round brush into areas of pixels."""

import cv2
import numpy as np
from numpy.typing import ArrayLike

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["simplify_run", "stroke_bounds", "stroke_mask", "stroke_weights"]

_SHIFT = 4  # OpenCV draws at a sixteenth of a pixel
_WIDE_PX = 100  # twice this radius a brush is drawn at half size, from three times at a third, and so on


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


def stroke_weights(
    points: ArrayLike,
    radius_px: float,
    window: tuple[int, int, int, int],
    softness: float = 0.0,
    pressures: ArrayLike | None = None,
    sizes: ArrayLike | None = None,
) -> FloatArray:
    """Draw a soft round brush dragged along a path.

    Parameters
    ----------
    points : (N, 2) floats
        x, y in photo pixels; the first pixel spans 0 to 1.
    radius_px : float
    window : top, left, bottom, right
        The part of the photo to draw.
    softness : float
        Share of the radius over which the brush fades to its rim, in [0, 1].
    pressures : (N,) floats, optional
        Of the pen at each point, in [0, 1]; they scale the weight. 1 if not given.
    sizes : (N,) floats, optional
        The same for the radius.

    Returns
    -------
    (H, W) float32 ndarray
        In [0, 1]; exactly 0 outside the brush.
    """
    top, left, bottom, right = window
    step = int(radius_px // _WIDE_PX)
    if step > 1:  # a wide brush is as good from a coarser grid
        height, width = bottom - top, right - left
        small = (0, 0, -(-height // step), -(-width // step))
        moved = (np.asarray(points, np.float64).reshape(-1, 2) - (left, top)) / step
        drawn = stroke_weights(moved, radius_px / step, small, softness, pressures, sizes)
        full = cv2.resize(drawn, (small[3] * step, small[2] * step), interpolation=cv2.INTER_LINEAR)
        return np.ascontiguousarray(full[:height, :width])
    pad = int(np.ceil(radius_px)) + 2  # a path beside the window reaches into it
    inner = slice(pad, pad + bottom - top), slice(pad, pad + right - left)
    path = _fixed(points, left - pad, top - pad)
    line = np.full((bottom - top + 2 * pad, right - left + 2 * pad), -1, np.int32)
    pieces = max(1, len(path) - 1)
    for k in range(pieces):
        cv2.line(line, path[k].tolist(), path[min(k + 1, len(path) - 1)].tolist(), k, 1, cv2.LINE_8, _SHIFT)
    if not (line >= 0).any():
        return np.zeros((bottom - top, right - left), np.float32)
    away, nearest = cv2.distanceTransformWithLabels(
        (line < 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    piece_of = np.zeros(int(nearest.max()) + 1, np.int32)
    piece_of[nearest[line >= 0]] = line[line >= 0]
    away, piece = away[inner], piece_of[nearest[inner]]
    radius = np.float32(radius_px) * _along(sizes, pieces)[piece]
    rim = np.maximum(np.float32(softness) * radius, 1)
    share = np.clip((radius - away) / rim + np.float32(0.5) / rim, 0, 1)
    return np.asarray(share * share * (3 - 2 * share) * _along(pressures, pieces)[piece], np.float32)


def _along(values: ArrayLike | None, pieces: int) -> FloatArray:
    """Return what a pen reports for each piece of a path; nonsense counts as full pressure."""
    given = np.ones(pieces) if values is None else np.asarray(values, np.float64).ravel()
    if len(given) == 0:
        given = np.ones(pieces)
    at_points = np.clip(np.where(np.isfinite(given), given, 1.0), 0.0, 1.0)
    both = np.resize(at_points, pieces + 1) if len(at_points) < pieces + 1 else at_points[: pieces + 1]
    return np.asarray(np.maximum(both[:-1], both[1:]), np.float32)


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
