"""How far a matte is from a reference.

References
----------
.. [1] C. Rhemann, C. Rother, J. Wang, M. Gelautz, P. Kohli, P. Rott, "A perceptually motivated online benchmark for
   image matting", IEEE Conference on Computer Vision and Pattern Recognition, 2009, pp. 1826-1833.
   :doi:`10.1109/CVPR.2009.5206503`
"""

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.composite.over import composite_over

__all__ = ["colour_error", "connectivity_error", "gradient_error", "mse", "sad"]

_STEPS = 10  # of alpha, at which connectedness is looked at
_LOOSE = 0.15  # difference to the level at which a pixel is still connected, that goes unnoticed
_BACKINGS = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), (1.0, 0.0, 1.0), (0.5, 0.5, 0.5))


def sad(alpha: FloatArray, truth: FloatArray, band: BoolArray) -> float:
    """Sum the absolute differences over the band, in thousands of pixels as is customary."""
    return float(np.abs(alpha[band].astype(np.float64) - truth[band]).sum() / 1000.0)


def mse(alpha: FloatArray, truth: FloatArray, band: BoolArray) -> float:
    """Average the squared differences over the band."""
    return float(np.square(alpha[band].astype(np.float64) - truth[band]).mean())


def gradient_error(alpha: FloatArray, truth: FloatArray, band: BoolArray, sigma: float = 1.4) -> float:
    """Compare gradient magnitudes (Gaussian derivative, sigma 1.4) over the band, in thousands."""

    def magnitude(picture: FloatArray) -> FloatArray:
        soft = cv2.GaussianBlur(picture.astype(np.float32), (0, 0), sigma)
        return np.hypot(cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=0.125), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=0.125))

    difference = magnitude(alpha)[band] - magnitude(truth)[band]
    return float(np.square(difference, dtype=np.float64).sum() / 1000.0)


def connectivity_error(alpha: FloatArray, truth: FloatArray, band: BoolArray) -> float:
    """Compare how well pixels hang together with the subject's main part, over the band, in thousands.

    A pixel's degree is 1 less what its alpha exceeds the highest level at which it is still connected to the largest
    part that both mattes share; excesses below 0.15 do not count.
    """
    level = np.zeros(alpha.shape, np.float32)
    connected = np.ones(alpha.shape, bool)
    for step in range(1, _STEPS + 1):
        limit = step / _STEPS
        connected &= _largest_part((alpha >= limit) & (truth >= limit))
        level[connected] = limit

    def degree(matte: FloatArray) -> FloatArray:
        excess = np.maximum(matte[band] - level[band], 0)
        return np.asarray(1 - np.where(excess >= _LOOSE, excess, 0))

    return float(np.abs(degree(alpha) - degree(truth)).sum(dtype=np.float64) / 1000.0)


def _largest_part(mask: BoolArray) -> BoolArray:
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=4)
    if count < 2:
        return np.zeros_like(mask)
    return np.asarray(labels == 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA])))


def colour_error(
    foreground: FloatArray, alpha: FloatArray, true_foreground: FloatArray, truth: FloatArray, band: BoolArray
) -> float:
    """Average the absolute difference of composites over white, black, magenta and mid-grey, in [0, 1]."""
    total = 0.0
    for backing in _BACKINGS:
        ours = composite_over(foreground, backing, alpha)[band]
        theirs = composite_over(true_foreground, backing, truth)[band]
        total += float(np.abs(ours - theirs).mean(dtype=np.float64))
    return total / len(_BACKINGS)
