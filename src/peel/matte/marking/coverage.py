"""How much of each pixel an outline covers, exactly."""

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import ArrayLike

from peel.matte.arrays import ByteArray

__all__ = ["coverage"]

_LEVEL: Final = 1e-9  # pixels by which an edge must rise to count; the slope of a flatter one may be infinite


@njit("void(float32[:,::1], float64, float64, float64, float64)", cache=True, nogil=True)
def _add_edge(out: Any, x0: float, y0: float, x1: float, y1: float) -> None:
    """Add what lies to the right of one edge, as differences along each row; x must lie in [0, columns - 2]."""
    if abs(y1 - y0) < _LEVEL:
        return
    sign = 1.0
    if y0 > y1:
        x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
    slope = (x1 - x0) / (y1 - y0)
    least, most = min(x0, x1), max(x0, x1)
    height = out.shape[0]
    if y0 < 0:
        x0, y0 = x0 - y0 * slope, 0.0
    x = x0
    for row in range(int(y0), min(height, int(np.ceil(y1)))):
        tall = min(row + 1.0, y1) - max(float(row), y0)
        if tall <= 0:
            continue
        then = min(max(x + slope * tall, least), most)  # rounding must not carry it out of the window
        low, high = min(x, then), max(x, then)
        share = sign * tall
        first = int(low)
        if high <= first + 1:
            middle = 0.5 * (low + high) - first
            out[row, first] += share * (1 - middle)
            out[row, first + 1] += share * middle
        else:
            covered = 0.0
            steep = 1.0 / (high - low)
            for column in range(first, int(np.ceil(high))):
                # the area right of the edge within this column, integrated over where the edge passes it
                left, right = max(low, float(column)), min(high, column + 1.0)
                passed = (right - left) * steep
                here = passed * (column + 1 - 0.5 * (left + right)) + (left - low) * steep
                out[row, column] += share * (here - covered)
                covered = here
            out[row, int(np.ceil(high))] += share * (1.0 - covered)
        x = then


@njit("void(float32[:,::1], float64[:,::1])", cache=True, nogil=True)
def _add_outline(out: Any, points: Any) -> None:
    """Add a closed outline; what lies left or right of the window is moved onto its border, which changes nothing."""
    count, wide = points.shape[0], out.shape[1] - 2.0
    for number in range(count):
        following = (number + 1) % count
        x0, y0, x1, y1 = points[number, 0], points[number, 1], points[following, 0], points[following, 1]
        stops = np.array([0.0, 1.0, 1.0, 1.0])
        used = 1
        for border in (0.0, wide):
            if (x0 < border) != (x1 < border):
                stops[used] = (border - x0) / (x1 - x0)
                used += 1
        if used == 3 and stops[1] > stops[2]:
            stops[1], stops[2] = stops[2], stops[1]
        for part in range(used):
            a, b = stops[part], 1.0 if part == used - 1 else stops[part + 1]
            ax, bx = min(max(x0 + (x1 - x0) * a, 0.0), wide), min(max(x0 + (x1 - x0) * b, 0.0), wide)
            _add_edge(out, ax, y0 + (y1 - y0) * a, bx, y0 + (y1 - y0) * b)


@njit("void(float32[:,::1], uint8[:,::1])", cache=True, nogil=True)
def _total(differences: Any, out: Any) -> None:
    for row in range(out.shape[0]):
        total = 0.0
        for column in range(out.shape[1]):
            total += differences[row, column]
            out[row, column] = int(min(abs(total), 1.0) * 255 + 0.5)


def coverage(outlines: Sequence[ArrayLike], window: tuple[int, int, int, int]) -> ByteArray:
    """Return how much of each pixel lies inside closed outlines.

    Parameters
    ----------
    outlines : sequence of (N, 2) floats
        x, y in photo pixels; the first pixel spans 0 to 1. Inside is what an outline winds around; outlines that run
        the other way round take away.
    window : top, left, bottom, right
        The part of the photo to draw.

    Returns
    -------
    (H, W) uint8 ndarray
        255 inside, 0 outside; a pixel that an edge passes through holds the area covered.

    Notes
    -----
    Signed areas added up along rows, as in Levien's font rasteriser, 2016.
    """
    top, left, bottom, right = window
    differences = np.zeros((bottom - top, right - left + 2), np.float32)
    for outline in outlines:
        points = np.asarray(outline, np.float64).reshape(-1, 2) - (left, top)
        if len(points) > 2:
            # one column more than the window, so that an edge on its right border has somewhere to be
            _add_outline(differences, np.ascontiguousarray(points))
    out = np.empty((bottom - top, right - left), np.uint8)
    _total(differences, out)
    return out
