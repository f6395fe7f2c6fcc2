"""How far a matte is from a reference.

References
----------
.. [1] C. Rhemann, C. Rother, J. Wang, M. Gelautz, P. Kohli, P. Rott, "A perceptually motivated online benchmark for
   image matting", IEEE Conference on Computer Vision and Pattern Recognition, 2009, pp. 1826-1833.
   :doi:`10.1109/CVPR.2009.5206503`
.. [2] G. Sharma, W. Wu, E. N. Dalal, "The CIEDE2000 color-difference formula: implementation notes, supplementary test
   data, and mathematical observations", Color Research and Application 30(1), 2005, pp. 21-30.
   :doi:`10.1002/col.20070`
"""

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.composite.over import composite_over

__all__ = ["ciede2000", "colour_error", "connectivity_error", "gradient_error", "mse", "sad"]

_STEPS = 10  # of alpha, at which connectedness is looked at
_LOOSE = 0.15  # difference to the level at which a pixel is still connected, that goes unnoticed
_BACKINGS = ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), (1.0, 0.0, 1.0), (0.5, 0.5, 0.5))


def sad(alpha: FloatArray, truth: FloatArray, band: BoolArray) -> float:
    """Sum the absolute differences over the band, in thousands of pixels as is customary.

    Mattes and band are (H, W), in [0, 1] and bool.
    """
    return float(np.abs(alpha[band].astype(np.float64) - truth[band]).sum() / 1000.0)


def mse(alpha: FloatArray, truth: FloatArray, band: BoolArray) -> float:
    """Average the squared differences over the band.

    Mattes and band are (H, W), in [0, 1] and bool.
    """
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

    Mattes and band are (H, W), in [0, 1] and bool.

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
    """Average the absolute difference of composites over white, black, magenta and mid-grey, in [0, 1].

    Colours are (H, W, 3), mattes and band (H, W).
    """
    total = 0.0
    for backing in _BACKINGS:
        ours = composite_over(foreground, backing, alpha)[band]
        theirs = composite_over(true_foreground, backing, truth)[band]
        total += float(np.abs(ours - theirs).mean(dtype=np.float64))
    return total / len(_BACKINGS)


def ciede2000(one: FloatArray, other: FloatArray) -> FloatArray:
    """Return the CIEDE2000 difference [2]_ of two arrays of CIE Lab colours, (..., 3), as (...)."""
    l1, a1, b1 = (one[..., k].astype(np.float64) for k in range(3))
    l2, a2, b2 = (other[..., k].astype(np.float64) for k in range(3))
    mean = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean**7 / (mean**7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.arctan2(b1, a1) % (2 * np.pi), np.arctan2(b2, a2) % (2 * np.pi)
    gray = (c1 * c2) == 0
    turn = np.where(gray, 0, (h2 - h1 + np.pi) % (2 * np.pi) - np.pi)
    dl, dc, dh = l2 - l1, c2 - c1, 2 * np.sqrt(c1 * c2) * np.sin(turn / 2)
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = np.where(gray, h1 + h2, h1 + turn / 2)
    t = 1 - 0.17 * np.cos(hm - np.deg2rad(30)) + 0.24 * np.cos(2 * hm)
    t += 0.32 * np.cos(3 * hm + np.deg2rad(6)) - 0.20 * np.cos(4 * hm - np.deg2rad(63))
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    turned = np.deg2rad(60) * np.exp(-(((np.rad2deg(hm) % 360 - 275) / 25) ** 2))
    rotation = -2 * np.sqrt(cm**7 / (cm**7 + 25.0**7)) * np.sin(turned)
    parts = (dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rotation * (dc / sc) * (dh / sh)
    return np.sqrt(np.maximum(parts, 0)).astype(np.float32)
