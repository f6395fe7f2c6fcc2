"""The profile of an edge: pulled in or out, crisper or softer, evened along the contour; and the ends of its values.

References
----------
.. [1] S. Osher, J. A. Sethian, "Fronts propagating with curvature-dependent speed", Journal of Computational Physics
   79(1), 1988, pp. 12-49, on moving a contour along its normal, and on smoothing it by its curvature.
   :doi:`10.1016/0021-9991(88)90002-2`
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.separation.tone_curve import ToneCurve

__all__ = ["MOST_EVEN", "MOST_PULL", "PROFILE_REACH", "EdgeShape", "measured_profile", "shaped"]

MOST_PULL: Final = 12.0
"""Most pixels by which an edge is pulled in or out."""

MOST_EVEN: Final = 40.0
"""Longest bumps, in pixels, that are evened out."""

_SOFTEST: Final = 3.0  # sigma, in pixels, of the softest edge
_CRISPEST: Final = 6.0  # how many times steeper the crispest edge is
_STEEPEST: Final = 20.0  # most by which an evened edge is made steep again
_BUMP: Final = 0.3  # sigma of the blur that evens bumps out, relative to their length

PROFILE_REACH: Final = int(MOST_PULL + 3 * _SOFTEST + 3 * _BUMP * MOST_EVEN) + 4
"""Pixels around a window that shaping its edges reads."""


@dataclass(frozen=True)
class EdgeShape:
    """How an edge is shaped; the defaults leave it exactly as it is.

    Attributes
    ----------
    pull_px : float
        Outward, in pixels; inward where negative.
    crisp : float
        From -1, softest, to 1, crispest.
    even_px : float
        Bumps along the edge shorter than this are evened out.
    clear_below, solid_above : float
        Alpha up to which everything is clear, and from which it is solid.
    middle : float
        Where between them alpha becomes one half.
    strength : float
        Share of all this in the result.
    """

    pull_px: float = 0.0
    crisp: float = 0.0
    even_px: float = 0.0
    clear_below: float = 0.0
    solid_above: float = 1.0
    middle: float = 0.5
    strength: float = 1.0

    @property
    def is_neutral(self) -> bool:
        """Whether it changes nothing."""
        plain = (self.pull_px, self.crisp, self.even_px, self.clear_below) == (0, 0, 0, 0)
        return self.strength == 0 or (plain and (self.solid_above, self.middle) == (1, 0.5))


def shaped(alpha: FloatArray, shape: EdgeShape, scale: float = 1.0) -> FloatArray:
    """Shape the edges of a matte.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    shape : EdgeShape
    scale : float
        Pixels of `alpha` for a pixel of the photo.

    Returns
    -------
    (H, W) float32 ndarray
        In [0, 1]; the same array where the shape is neutral.
    """
    if shape.is_neutral:
        return alpha
    out = alpha
    if shape.even_px > 0:
        out = _evened(out, shape.even_px * scale)
    if shape.pull_px != 0:
        out = _pulled(out, shape.pull_px * scale)
    if shape.crisp < 0:
        out = cv2.GaussianBlur(out, (0, 0), max(-shape.crisp * _SOFTEST * scale, 0.05))
    elif shape.crisp > 0:
        out = np.clip(0.5 + (out - 0.5) * np.float32(1 + (_CRISPEST - 1) * shape.crisp), 0, 1)
    if (shape.clear_below, shape.solid_above, shape.middle) != (0, 1, 0.5):
        out = ToneCurve(shape.clear_below, shape.solid_above, shape.middle).alpha(out)
    return np.asarray(alpha + np.float32(shape.strength) * (out - alpha), np.float32)


def _slope(alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Return the gradient of a matte, across and down."""
    return cv2.Sobel(alpha, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(alpha, cv2.CV_32F, 0, 1, scale=0.125)


def _pulled(alpha: FloatArray, px: float) -> FloatArray:
    """Move every edge along its normal [1]_: the value found `px` further inside is put here."""
    across, down = _slope(cv2.GaussianBlur(alpha, (0, 0), max(1.5, abs(px) / 1.5)))
    length = np.maximum(cv2.magnitude(across, down), np.float32(1e-5))
    ys, xs = np.mgrid[: alpha.shape[0], : alpha.shape[1]].astype(np.float32)
    by = np.float32(px) / length
    return cv2.remap(alpha, xs + across * by, ys + down * by, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _evened(alpha: FloatArray, length: float) -> FloatArray:
    """Blur an edge until its bumps are gone, then make it as steep as it was."""
    blurred = cv2.GaussianBlur(alpha, (0, 0), max(_BUMP * length, 0.3))
    size = 2 * int(np.ceil(length / 2)) + 1
    square = np.ones((size, size), np.uint8)
    steep = [cv2.dilate(cv2.magnitude(*_slope(part)), square) for part in (alpha, blurred)]
    gain = np.clip(steep[0] / np.maximum(steep[1], np.float32(1e-4)), 1, _STEEPEST)
    return np.asarray(np.clip(0.5 + (blurred - 0.5) * gain, 0, 1), np.float32)


def measured_profile(alpha: FloatArray, where: BoolArray | None = None, reach: int = 12) -> FloatArray | None:
    """Measure how alpha rises across the edges of a matte.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    where : (H, W) bool ndarray, optional
        Which part counts; all of it if not given.
    reach : int
        How many pixels to either side of the half-way line.

    Returns
    -------
    (2 reach + 1,) float32 ndarray or None
        Mean alpha at each distance, from `reach` pixels outside to as many inside; None without an edge.
    """
    inside = (alpha >= 0.5).astype(np.uint8)
    if inside.all() or not inside.any():
        return None
    within, without = (cv2.distanceTransform(side, cv2.DIST_L2, 5) for side in (inside, 1 - inside))
    signed = np.where(inside > 0, within - 0.5, 0.5 - without)
    near = np.abs(signed) <= reach + 0.5
    if where is not None:
        near &= where
    bins = np.round(signed[near]).astype(int) + reach
    bins, values = np.clip(bins, 0, 2 * reach), alpha[near]
    counts = np.bincount(bins, minlength=2 * reach + 1)
    if (counts == 0).any():
        return None
    return np.asarray(np.bincount(bins, values, minlength=2 * reach + 1) / counts, np.float32)
