"""Arithmetic over the three channels of a picture's pixels; NumPy is slow along an axis of length three."""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray

__all__ = [
    "blended",
    "largest_part",
    "length_of",
    "mean_part",
    "over",
    "place_between",
    "straight",
    "writable",
]

_MEAN: Final = np.full((1, 3), 1 / 3, np.float32)


def writable(values: FloatArray) -> FloatArray:
    """Return an array as kernels take it, contiguous and writable: the same array if it is, otherwise a copy.

    Of any shape.
    """
    return np.require(values, np.float32, ("C", "W"))


def largest_part(colours: FloatArray) -> FloatArray:
    """Return the largest of each pixel's three parts, (H, W)."""
    red, green, blue = cv2.split(colours)
    return np.maximum(np.maximum(red, green), blue)


def mean_part(colours: FloatArray) -> FloatArray:
    """Return the mean of each pixel's three parts, (H, W)."""
    return np.asarray(cv2.transform(colours, _MEAN), np.float32)


def length_of(colours: FloatArray) -> FloatArray:
    """Return the Euclidean length of each pixel's colour, (H, W)."""
    out = np.empty(colours.shape[:2], np.float32)
    _lengths(writable(colours), out)
    return out


def place_between(colours: FloatArray, one: FloatArray, other: FloatArray, least: float = 1e-3) -> FloatArray:
    """Return how far each colour is on the way from one to another: 0 at the first, 1 at the second, (H, W).

    Parameters
    ----------
    colours, one, other : (H, W, 3) float32 ndarray
    least : float
        Distance below which the two count as this far apart.
    """
    out = np.empty(colours.shape[:2], np.float32)
    given = (writable(part) for part in (colours, one, other))
    _places(*given, np.float32(least**2), out)
    return out


def blended(one: FloatArray, other: FloatArray, share: FloatArray) -> FloatArray:
    """Go a share of the way from one picture to another.

    Parameters
    ----------
    one, other : (H, W, 3) float32 ndarray
    share : (H, W) float32 ndarray

    Returns
    -------
    (H, W, 3) float32 ndarray
        A new array; exactly the first picture where the share is 0, the second where it is 1.
    """
    out = np.empty(one.shape, np.float32)
    _blend(*(writable(part) for part in (one, other, share)), out)
    return out


def over(laid: FloatArray, under: FloatArray) -> FloatArray:
    """Lay premultiplied colours (H, W, 4) over solid ones (H, W, 3); a new array of these."""
    out = np.empty(under.shape, np.float32)
    _lay(writable(laid), writable(under), out)
    return out


def straight(laid: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Take premultiplied colours (H, W, 4) apart: straight colours (H, W, 3), near 0 where clear, and alpha (H, W)."""
    colours, alpha = np.empty((*laid.shape[:2], 3), np.float32), np.empty(laid.shape[:2], np.float32)
    _take_apart(writable(laid), colours, alpha)
    return colours, alpha


@njit("void(float32[:,:,::1], float32[:,::1])", cache=True, nogil=True)
def _lengths(colours: Any, out: Any) -> None:
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            a, b, c = colours[y, x, 0], colours[y, x, 1], colours[y, x, 2]
            out[y, x] = np.sqrt(a * a + b * b + c * c)


@njit(
    "void(float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], float32, float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _places(colours: Any, one: Any, other: Any, least: Any, out: Any) -> None:
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            along, length = np.float32(0), np.float32(0)
            for k in range(3):
                across = other[y, x, k] - one[y, x, k]
                along += (colours[y, x, k] - one[y, x, k]) * across
                length += across * across
            out[y, x] = along / max(length, least)


@njit("void(float32[:,:,::1], float32[:,:,::1], float32[:,::1], float32[:,:,::1])", cache=True, nogil=True)
def _blend(one: Any, other: Any, share: Any, out: Any) -> None:
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            for k in range(3):
                if share[y, x] == 1:  # exactly, whatever is rounded on the way there
                    out[y, x, k] = other[y, x, k]
                else:
                    out[y, x, k] = one[y, x, k] + share[y, x] * (other[y, x, k] - one[y, x, k])


@njit("void(float32[:,:,::1], float32[:,:,::1], float32[:,:,::1])", cache=True, nogil=True)
def _lay(laid: Any, under: Any, out: Any) -> None:
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            clear = 1 - laid[y, x, 3]
            for k in range(3):
                out[y, x, k] = laid[y, x, k] + clear * under[y, x, k]


@njit("void(float32[:,:,::1], float32[:,:,::1], float32[:,::1])", cache=True, nogil=True)
def _take_apart(laid: Any, colours: Any, alpha: Any) -> None:
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            alpha[y, x] = laid[y, x, 3]
            scale = 1 / max(laid[y, x, 3], np.float32(1e-4))
            for k in range(3):
                colours[y, x, k] = laid[y, x, k] * scale
