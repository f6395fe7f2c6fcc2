"""Touch-ups of a matte: forced, firmed and thinned, pushed, softened.

A touch-up is kept as a small number per pixel, apart from the solved matte, and acts on whatever that is at the time.
"""

from itertools import pairwise
from typing import Final

import cv2
import numpy as np
from numpy.typing import ArrayLike

from peel.matte.arrays import FloatArray

__all__ = [
    "MOST_PUSH",
    "MOST_SOFT",
    "TOUCH_REACH",
    "borrowed",
    "firmed",
    "forced",
    "nudged",
    "push_steps",
    "pushed",
    "softened",
]

MOST_PUSH: Final = 15.0
"""Most pixels by which an edge can be pushed."""

MOST_SOFT: Final = 4.0
"""Sigma of the blur, in pixels, of what is fully softened."""

_AROUND: Final = 5  # side of the square in which a strand protects its rims
_HAZE: Final = (0.20, 0.45)  # strongest alpha nearby up to which everything is haze, and from which it is a strand
_FOLD: Final = 0.5  # of a brush's radius, most that one movement pushes, so that the field never folds

TOUCH_REACH: Final = int(MOST_PUSH + 3 * MOST_SOFT) + 2 * _AROUND
"""Pixels around a window that its touch-ups read."""


def borrowed(alpha: FloatArray, other: FloatArray, weight: FloatArray) -> FloatArray:
    """Lay another matte over a matte.

    All are (H, W) float32 in [0, 1]; a weight of 0 changes nothing.
    """
    return np.asarray(alpha + weight * (other - alpha), np.float32)


def forced(alpha: FloatArray, force: FloatArray) -> FloatArray:
    """Pull alpha to solid or clear.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    force : (H, W) float32 ndarray
        From -1, clear, to 1, solid; 0 changes nothing.
    """
    target = (force > 0).astype(np.float32)
    return np.asarray(alpha + np.abs(force) * (target - alpha), np.float32)


def firmed(alpha: FloatArray, firmness: FloatArray, cleared: FloatArray | None = None) -> FloatArray:
    """Let what is partly there climb to solid, or thin haze; clear and solid stay what they are.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    firmness : (H, W) float32 ndarray
        From -1, thinned, to 1, firmed; 0 changes nothing.
    cleared : (H, W) float32 ndarray, optional
        How far it was cleared by hand, in [0, 1]: thinning goes on with that, strand or not.

    Notes
    -----
    Firmed by f, ``alpha / (1 - f (1 - m))`` with m the largest alpha in a square of 5 pixels: at full strength the
    strongest nearby is solid, and whatever is fainter beside it stays so in proportion, which is the strands' contrast.
    Thinned by t, ``alpha (1 - t s(m))``: s is 1 up to m = 0.20 and falls smoothly to 0 at 0.45, so that haze goes while
    strands and their rims stay.
    """
    thin, firm = np.maximum(-firmness, 0), np.maximum(firmness, 0)
    out = alpha
    if thin.any():
        haze = _is_haze(_strongest(alpha))
        out = out * (1 - thin * (haze if cleared is None else np.maximum(haze, cleared)))
    if firm.any():
        strongest = np.maximum(cv2.blur(_strongest(out), (_AROUND, _AROUND)), out)
        out = np.minimum(out / np.maximum(1 - firm * (1 - strongest), np.float32(1e-6)), 1)
    return np.asarray(out, np.float32)


def _strongest(alpha: FloatArray) -> FloatArray:
    """Return the largest alpha around each pixel."""
    return np.asarray(cv2.dilate(alpha, np.ones((_AROUND, _AROUND), np.uint8)))


def _is_haze(strongest: FloatArray) -> FloatArray:
    least, most = _HAZE
    share = np.clip((strongest - least) / (most - least), 0, 1)
    return np.asarray(1 - share * share * (3 - 2 * share), np.float32)


def nudged(alpha: FloatArray, right: FloatArray, down: FloatArray) -> FloatArray:
    """Move a matte by a field of displacements.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    right, down : (H, W) float32 ndarray
        By how many pixels what is shown here was moved; 0 changes nothing.
    """
    ys, xs = np.mgrid[: alpha.shape[0], : alpha.shape[1]].astype(np.float32)
    moved = cv2.remap(alpha, xs - right, ys - down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.where((right != 0) | (down != 0), moved, alpha)


def softened(alpha: FloatArray, softness: FloatArray) -> FloatArray:
    """Blur a matte by up to a sigma of 4 pixels; softness from 0, not at all, to 1, fully.

    Matte and softness are (H, W) float32 in [0, 1].
    """
    half = cv2.GaussianBlur(alpha, (0, 0), MOST_SOFT / 2)
    full = cv2.GaussianBlur(alpha, (0, 0), MOST_SOFT)
    lower = alpha + np.minimum(2 * softness, 1) * (half - alpha)
    return np.asarray(lower + np.maximum(2 * softness - 1, 0) * (full - lower), np.float32)


def pushed(
    right: FloatArray, down: FloatArray, weights: FloatArray, by: tuple[float, float]
) -> tuple[FloatArray, FloatArray]:
    """Push a field of displacements on, under a brush.

    Parameters
    ----------
    right, down : (H, W) float32 ndarray
        The field so far, in pixels.
    weights : (H, W) float32 ndarray
        The brush where it stands now, in [0, 1].
    by : (float, float)
        Movement of the brush, to the right and down.

    Notes
    -----
    The new field is what the old one becomes when the picture under the brush slides along: displacements are
    composed, not added, so that a long stroke carries an edge with it and never smears it.
    """
    dx, dy = weights * np.float32(by[0]), weights * np.float32(by[1])
    ys, xs = np.mgrid[: weights.shape[0], : weights.shape[1]].astype(np.float32)
    carried = [
        cv2.remap(field, xs - dx, ys - dy, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for field in (right, down)
    ]
    x, y = carried[0] + dx, carried[1] + dy
    length = np.hypot(x, y)
    share = np.minimum(1, np.float32(MOST_PUSH) / np.maximum(length, np.float32(1e-6)))
    return np.asarray(x * share, np.float32), np.asarray(y * share, np.float32)


def push_steps(points: ArrayLike, radius_px: float) -> list[tuple[int, tuple[float, float], tuple[float, float]]]:
    """Split a path into short movements; see `pushed`.

    Returns
    -------
    list of (int, (float, float), (float, float))
        The number of the point before it, the place of the brush, and its movement.
    """
    path = np.asarray(points, np.float64).reshape(-1, 2)
    longest = max(_FOLD * radius_px, 0.5)
    steps = []
    for number, (start, end) in enumerate(pairwise(path)):
        count = max(1, int(np.ceil(np.hypot(*(end - start)) / longest)))
        by = (end - start) / count
        places = (start + by * k for k in range(count))
        steps += [(number, (float(x), float(y)), (float(by[0]), float(by[1]))) for x, y in places]
    return steps
