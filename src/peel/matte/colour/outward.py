"""Carry the colours of a part of a picture on into the rest, and average them around each pixel."""

from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import blended

__all__ = ["GRID", "carried", "mean_around"]

_SIGMAS: Final = (3.0, 12.0, 40.0)  # blurs through which colours are carried, the nearest that reaches
_NEAR: Final = 0.5  # of what is carried, from which a pixel counts as reached
_COVERED: Final = 0.02  # share of the source under a blur from which it is taken

GRID: Final = 60
"""Pixels after which the grids of all blurs begin together."""


def carried(photo: FloatArray, source: BoolArray) -> tuple[FloatArray, BoolArray]:
    """Carry the colours of a part of a photo on into the rest of it.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    source : (H, W) bool ndarray

    Returns
    -------
    (H, W, 3) float32 ndarray
        The photo within the part; elsewhere the average of what is near of it, and the photo where nothing is.
    (H, W) bool ndarray
        Where something is near.
    """
    whole, part = _padded(photo), _padded(source)
    out, reached = np.zeros((1, 1, 3), np.float32), np.zeros((1, 1), np.float32)
    for sigma in reversed(_SIGMAS):  # each is blended at its own size
        mean, share = _mean_at(whole, part, sigma)
        size = (mean.shape[1], mean.shape[0])
        out, reached = (cv2.resize(part, size, interpolation=cv2.INTER_LINEAR) for part in (out, reached))
        out = blended(out, mean, share)
        reached += share * (1 - reached)
    out, reached = (_enlarged(small, whole.shape, photo.shape) for small in (out, reached))
    near = reached > _NEAR
    cv2.copyTo(photo, (source | ~near).astype(np.uint8), out)
    return np.asarray(out, np.float32), near | source


def _mean_at(values: FloatArray, source: BoolArray, sigma: float) -> tuple[FloatArray, FloatArray]:
    """Average a part at the size that a blur leaves; see `mean_around`."""
    step = max(1, round(sigma / 2))
    size = (-(-values.shape[1] // step), -(-values.shape[0] // step))
    known = source.astype(np.uint8)
    held = cv2.resize(cv2.copyTo(values, known), size, interpolation=cv2.INTER_AREA)
    weight = cv2.resize(known.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    weight = cv2.GaussianBlur(weight, (0, 0), sigma / step)
    mean = cv2.GaussianBlur(held, (0, 0), sigma / step).reshape(*weight.shape, -1) / np.maximum(weight, 1e-4)[..., None]
    return np.asarray(mean, np.float32), np.clip(weight / _COVERED - 1, 0, 1).astype(np.float32)


def mean_around(values: FloatArray, source: BoolArray, sigma: float) -> tuple[FloatArray, FloatArray]:
    """Average a part of a picture around each pixel.

    Parameters
    ----------
    values : (H, W, C) float32 ndarray
    source : (H, W) bool ndarray
        The part.
    sigma : float
        Of the Gaussian by which it is averaged, in pixels.

    Returns
    -------
    (H, W, C) float32 ndarray
        The mean of the part.
    (H, W) float32 ndarray
        0 where the part is out of reach, 1 where it is well within.
    """
    whole = _padded(values)
    mean, share = (_enlarged(part, whole.shape, values.shape) for part in _mean_at(whole, _padded(source), sigma))
    return mean.reshape(values.shape), share


def _padded(values: NDArray[Any]) -> NDArray[Any]:
    """Fill a picture up to the grid, below and on the right, with nothing."""
    missing = [-size % GRID for size in values.shape[:2]]
    if not any(missing):
        return values
    pixels = values.view(np.uint8) if values.dtype == bool else values
    filled = cv2.copyMakeBorder(pixels, 0, missing[0], 0, missing[1], cv2.BORDER_CONSTANT, value=0)
    return np.asarray(filled.reshape(*filled.shape[:2], *values.shape[2:]).view(values.dtype))


def _enlarged(small: FloatArray, whole: tuple[int, ...], shape: tuple[int, ...]) -> FloatArray:
    """Bring what was made at a fraction of the size to the full one, without what was filled up."""
    large = cv2.resize(small, (whole[1], whole[0]), interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(large[: shape[0], : shape[1]], np.float32)
