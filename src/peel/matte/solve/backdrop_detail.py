"""How much detail the certain backdrop has, measured where it is known and carried into the band."""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import ByteArray, FloatArray

__all__ = ["backdrop_detail", "local_spread"]

_STEP: Final = 4  # the average is taken at this much smaller a size
_NEAR_PX: Final = 24.0  # over which the mean square is averaged
_FAR_PX: Final = 192.0  # ... where nothing is known nearer by
_FAR_SHARE: Final = 1e-3
_FAST: Final = {"cache": True, "nogil": True, "fastmath": True, "error_model": "numpy"}


@njit("void(float32[:,:,::1], uint8[:,::1], int64, float32[:,:,::1])", **_FAST)
def _sum_colours(image: Any, backdrop: Any, step: int, sums: Any) -> None:
    """Add up the backdrop's colours over squares, and how many pixels they are; sums are (h, w, 4) zeros."""
    for y in range(backdrop.shape[0]):
        row = sums[y // step]
        for x in range(backdrop.shape[1]):
            if backdrop[y, x]:
                out = row[x // step]
                out[0] += image[y, x, 0]
                out[1] += image[y, x, 1]
                out[2] += image[y, x, 2]
                out[3] += np.float32(1)


@njit("void(float32[:,:,::1], uint8[:,::1], float32[:,:,::1], int64, int64, float32[:,:,::1])", **_FAST)
def _sum_squares(image: Any, backdrop: Any, blurred: Any, step: int, side: int, sums: Any) -> None:
    """Add up over squares how far the backdrop is from its blur, at a smaller size, and how many pixels they are."""
    rows, columns = blurred.shape[0], blurred.shape[1]
    one = np.float32(1)
    for y in range(backdrop.shape[0]):
        v = min(max((y + 0.5) / step - 0.5, 0.0), rows - 1.0)
        v0 = int(v)
        v1, b = min(v0 + 1, rows - 1), np.float32(v - v0)
        row = sums[y // side]
        for x in range(backdrop.shape[1]):
            if not backdrop[y, x]:
                continue
            u = min(max((x + 0.5) / step - 0.5, 0.0), columns - 1.0)
            u0 = int(u)
            u1, a = min(u0 + 1, columns - 1), np.float32(u - u0)
            total = np.float32(0)
            for c in range(3):
                above = (one - a) * blurred[v0, u0, c] + a * blurred[v0, u1, c]
                below = (one - a) * blurred[v1, u0, c] + a * blurred[v1, u1, c]
                off = image[y, x, c] - (one - b) * above - b * below
                total += off * off
            row[x // side, 0] += total / np.float32(3)
            row[x // side, 1] += one


@njit("void(float32[:,::1], uint8[:,::1], int64, float32[:,:,::1])", **_FAST)
def _sum_values(values: Any, backdrop: Any, side: int, sums: Any) -> None:
    """Add up the squares of the backdrop's values, where they are not 0, over squares of pixels; and how many."""
    for y in range(backdrop.shape[0]):
        row = sums[y // side]
        for x in range(backdrop.shape[1]):
            value = values[y, x]
            if backdrop[y, x] and value != np.float32(0):
                row[x // side, 0] += value * value
                row[x // side, 1] += np.float32(1)


def _squares(shape: tuple[int, ...], side: int, channels: int) -> FloatArray:
    return np.zeros((-(-shape[0] // side), -(-shape[1] // side), channels), np.float32)


def backdrop_detail(image: FloatArray, backdrop: ByteArray, blur_px: float) -> FloatArray:
    """Measure the local deviation of the certain backdrop from its own blur.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
    backdrop : (H, W) uint8 ndarray
        1 where the photo certainly shows backdrop, else 0.
    blur_px : float
        Sigma of the blur. Small: noise and weave; large: all structure.

    Returns
    -------
    (H, W) float32 ndarray
        Root mean square over the channels.
    """
    step = max(1, int(blur_px / 2))  # blurred at a smaller size
    image = np.ascontiguousarray(image)
    sums = _squares(backdrop.shape, step, 4)
    _sum_colours(image, backdrop, step, sums)
    blurred = cv2.GaussianBlur(sums, (0, 0), blur_px / step)
    blurred /= np.maximum(blurred[..., 3:], np.float32(1e-4 * step * step))
    squares = _squares(backdrop.shape, _STEP, 2)
    _sum_squares(image, backdrop, blurred, step, _STEP, squares)
    return _carried(squares, backdrop.shape, 1e-6)


def local_spread(values: FloatArray, backdrop: ByteArray, least: float) -> FloatArray:
    """Return the root mean square of the certain backdrop's values around every pixel; `least` is added to the mean.

    Parameters
    ----------
    values : (H, W) float32 ndarray
        0 where nothing was measured.
    backdrop : (H, W) uint8 ndarray
    least : float

    Returns
    -------
    (H, W) float32 ndarray
    """
    squares = _squares(backdrop.shape, _STEP, 2)
    _sum_values(values, backdrop, _STEP, squares)
    return _carried(squares, backdrop.shape, least)


def _carried(squares: FloatArray, shape: tuple[int, ...], least: float) -> FloatArray:
    """Average sums of squares around every pixel, farther where nothing is known near by; (H, W)."""
    sums = np.zeros_like(squares)
    for sigma, share in ((_NEAR_PX, 1.0), (_FAR_PX, _FAR_SHARE)):
        sums += np.float32(share) * _widely_blurred(squares, sigma / _STEP)
    spread = np.sqrt(sums[..., 0] / np.maximum(sums[..., 1], np.float32(1e-9)) + np.float32(least))
    size = (spread.shape[1] * _STEP, spread.shape[0] * _STEP)
    return np.ascontiguousarray(cv2.resize(spread, size, interpolation=cv2.INTER_LINEAR)[: shape[0], : shape[1]])


def _widely_blurred(picture: FloatArray, sigma: float) -> FloatArray:
    """Blur by a Gaussian, a wide one at a smaller size."""
    step = max(1, int(sigma / 6))
    if step == 1:
        return np.asarray(cv2.GaussianBlur(picture, (0, 0), sigma))
    size = tuple(max(1, side // step) for side in picture.shape[1::-1])
    small = cv2.GaussianBlur(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), (0, 0), sigma / step)
    return np.asarray(cv2.resize(small, picture.shape[1::-1], interpolation=cv2.INTER_LINEAR))
