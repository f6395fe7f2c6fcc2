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
from peel.matte.composite import composite_over

__all__ = ["colour_error", "gradient_error", "mse", "sad"]

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
