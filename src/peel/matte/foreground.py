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
from peel.matte.srgb import to_light, to_value

__all__ = ["estimate_foreground"]

_REGULARISATION: Final = 5e-3  # smoothness everywhere; both values are those of the engine's study
_GRADIENT_WEIGHT: Final = 0.1  # more smoothness where alpha is steep
_SMALL_SIZE: Final = 32
_SWEEPS_SMALL: Final = 10
_SWEEPS_LARGE: Final = 2


@njit(
    "void(float32[:,:,::1], float32[:,::1], float32[:,:,::1], float32[:,:,::1], float64, float64, int64)",
    cache=True,
    nogil=True,
)
def _sweep(image: Any, alpha: Any, fg: Any, bg: Any, regularisation: float, gradient: float, sweeps: int) -> None:
    """Minimise the paper's cost (eq. 3) pixel by pixel, Gauss-Seidel, in place."""
    height, width = alpha.shape
    for _ in range(sweeps):
        for y in range(height):
            for x in range(width):
                a = alpha[y, x]
                total = 0.0
                f0 = f1 = f2 = b0 = b1 = b2 = 0.0
                for k in range(4):
                    v = min(max(y + (1 if k == 0 else -1 if k == 1 else 0), 0), height - 1)
                    u = min(max(x + (1 if k == 2 else -1 if k == 3 else 0), 0), width - 1)
                    weight = regularisation + gradient * abs(a - alpha[v, u])
                    total += weight
                    f0 += weight * fg[v, u, 0]
                    f1 += weight * fg[v, u, 1]
                    f2 += weight * fg[v, u, 2]
                    b0 += weight * bg[v, u, 0]
                    b1 += weight * bg[v, u, 1]
                    b2 += weight * bg[v, u, 2]
                c = 1.0 - a
                m00 = a * a + total
                m01 = a * c
                m11 = c * c + total
                scale = 1.0 / (m00 * m11 - m01 * m01)
                for channel in range(3):
                    value = image[y, x, channel]
                    f = f0 if channel == 0 else f1 if channel == 1 else f2
                    b = b0 if channel == 0 else b1 if channel == 1 else b2
                    f += a * value
                    b += c * value
                    fg[y, x, channel] = min(max((m11 * f - m01 * b) * scale, 0.0), 1.0)
                    bg[y, x, channel] = min(max((m00 * b - m01 * f) * scale, 0.0), 1.0)


def estimate_foreground(image: FloatArray, alpha: FloatArray, *, as_light: bool = False) -> FloatArray:
    """Estimate the subject's own colours from a photo and its matte.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    alpha : (H, W) float32 ndarray
        In [0, 1].
    as_light : bool
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
    fg = to_value(_estimated(to_light(image), alpha)) if as_light else _estimated(image, alpha)
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
    """Give the mean colour under a weight as a 1x1 picture."""
    total = float(weight.sum(dtype=np.float64))
    if total <= 0:
        return np.full((1, 1, 3), 0.5, np.float32)
    mean = np.einsum("hwc,hw->c", image, weight, optimize=True) / total
    return mean.astype(np.float32).reshape(1, 1, 3)
