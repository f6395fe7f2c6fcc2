"""Subject colours in the band, so that no cutout carries the old backdrop in its edge.

References
----------
.. [1] T. Germer, T. Uelwer, S. Conrad, S. Harmeling, "Fast multi-level foreground estimation", 25th International
   Conference on Pattern Recognition, 2020, pp. 1104-1111. :doi:`10.1109/ICPR48806.2021.9411919`
"""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["estimate_foreground"]

_REGULARISATION: Final = 5e-3  # smoothness everywhere; both values are those of the engine's study
_GRADIENT_WEIGHT: Final = 0.1  # more smoothness where alpha is steep
_SMALL_SIZE: Final = 32
_SWEEPS_SMALL: Final = 10
_SWEEPS_LARGE: Final = 2


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _balance(image: Any, alpha: Any, fg: Any, bg: Any, regularisation: Any, gradient: Any, y: int, x: int) -> None:
    """Set a pixel's two colours to what the paper's cost (eq. 3) asks for, given its four neighbours."""
    height, width = alpha.shape
    zero, one = np.float32(0), np.float32(1)
    up, down, left, right = max(y - 1, 0), min(y + 1, height - 1), max(x - 1, 0), min(x + 1, width - 1)
    a = alpha[y, x]
    c = one - a
    above, below = (
        regularisation + gradient * abs(a - alpha[up, x]),
        regularisation + gradient * abs(a - alpha[down, x]),
    )
    before, behind = (
        regularisation + gradient * abs(a - alpha[y, left]),
        regularisation + gradient * abs(a - alpha[y, right]),
    )
    total = above + below + before + behind
    m00, m01, m11 = a * a + total, a * c, c * c + total
    scale = one / (m00 * m11 - m01 * m01)
    for k in range(3):
        value = image[y, x, k]
        f = above * fg[up, x, k] + below * fg[down, x, k] + before * fg[y, left, k] + behind * fg[y, right, k]
        b = above * bg[up, x, k] + below * bg[down, x, k] + before * bg[y, left, k] + behind * bg[y, right, k]
        f += a * value
        b += c * value
        fg[y, x, k] = min(max((m11 * f - m01 * b) * scale, zero), one)
        bg[y, x, k] = min(max((m00 * b - m01 * f) * scale, zero), one)


@njit(
    "void(float32[:,:,::1], float32[:,::1], float32[:,:,::1], float32[:,:,::1], float32, float32, int64)",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def _sweep(image: Any, alpha: Any, fg: Any, bg: Any, regularisation: Any, gradient: Any, sweeps: int) -> None:
    """Minimise the cost pixel by pixel, Gauss-Seidel, in place."""
    for _ in range(sweeps):
        for y in range(alpha.shape[0]):
            for x in range(alpha.shape[1]):
                _balance(image, alpha, fg, bg, regularisation, gradient, y, x)


def estimate_foreground(image: FloatArray, alpha: FloatArray, *, linear: bool = False) -> FloatArray:
    """Estimate the subject's own colours from a photo and its matte.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    alpha : (H, W) float32 ndarray
        In [0, 1].
    linear : bool
        Whether the photo mixes amounts of light rather than encoded values.

    Returns
    -------
    (H, W, 3) float32 ndarray
        Straight colours. Exactly the photo where alpha is 1; continued outward where it is 0.

    Notes
    -----
    Coarse to fine over powers of two, a few Gauss-Seidel sweeps each: O(H W).
    """
    solid = alpha >= 1.0
    fg = to_encoded(_estimated(to_linear(image), alpha)) if linear else _estimated(image, alpha)
    fg[solid] = image[solid]
    return fg


def _estimated(image: FloatArray, alpha: FloatArray) -> FloatArray:
    """Estimate coarse to fine; image and answer in the encoding in which colours mix."""
    height, width = alpha.shape
    levels = max(1, int(np.ceil(np.log2(max(height, width, 2)))) + 1)
    fg = _weighted_mean(image, alpha)
    bg = _weighted_mean(image, 1.0 - alpha)
    size = (1, 1)
    for level in range(levels):
        share = 2.0 ** (levels - 1 - level)
        size = (max(1, round(width / share)), max(1, round(height / share)))
        last = level == levels - 1
        small = image if last else cv2.resize(image, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], 3)
        matte = alpha if last else cv2.resize(alpha, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0])
        fg = cv2.resize(fg, size, interpolation=cv2.INTER_NEAREST).reshape(size[1], size[0], 3)
        bg = cv2.resize(bg, size, interpolation=cv2.INTER_NEAREST).reshape(size[1], size[0], 3)
        sweeps = _SWEEPS_SMALL if max(size) <= _SMALL_SIZE else _SWEEPS_LARGE
        fg, bg = (np.ascontiguousarray(part, np.float32) for part in (fg, bg))
        _sweep(
            np.ascontiguousarray(small, np.float32),
            np.ascontiguousarray(matte, np.float32),
            fg,
            bg,
            _REGULARISATION,
            _GRADIENT_WEIGHT,
            sweeps,
        )
    return fg


def _weighted_mean(image: FloatArray, weight: FloatArray) -> FloatArray:
    """Return the mean colour under a weight as a 1x1 picture."""
    total = float(weight.sum(dtype=np.float64))
    if total <= 0:
        return np.full((1, 1, 3), 0.5, np.float32)
    mean = np.einsum("hwc,hw->c", image, weight, optimize=True) / total
    return mean.astype(np.float32).reshape(1, 1, 3)
