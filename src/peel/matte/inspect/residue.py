"""Residue: how far the cutout, laid back over the clean backdrop around it, is from the photo."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.composite.over import composite_over

__all__ = ["RESIDUE_REACH", "clean_backdrop", "residue"]

_SIGMAS: Final = (3.0, 12.0, 40.0)  # blurs through which the clear backdrop is carried inward, the nearest that reaches
_COVERED: Final = 0.02  # share of clear backdrop under a blur from which it is taken

RESIDUE_REACH: Final = 96
"""Pixels around a window from which its backdrop is carried."""


def clean_backdrop(photo: FloatArray, alpha: FloatArray) -> FloatArray:
    """Carry the backdrop that is fully clear in under the subject.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    alpha : (H, W) float32 ndarray

    Returns
    -------
    (H, W, 3) float32 ndarray
        The photo where alpha is 0; elsewhere the average of what is clear nearby, and the photo where nothing is.
    """
    clear = (alpha <= 0).astype(np.float32)
    out = photo.copy()
    for sigma in reversed(_SIGMAS):
        step = max(1, int(sigma / 4))
        size = (-(-photo.shape[1] // step), -(-photo.shape[0] // step))
        seen = cv2.resize(photo * clear[..., None], size, interpolation=cv2.INTER_AREA)
        weight = cv2.GaussianBlur(cv2.resize(clear, size, interpolation=cv2.INTER_AREA), (0, 0), sigma / step)
        mean = cv2.GaussianBlur(seen, (0, 0), sigma / step) / np.maximum(weight, 1e-4)[..., None]
        share = np.clip(weight / _COVERED - 1, 0, 1)
        full = (photo.shape[1], photo.shape[0])
        mean, share = (cv2.resize(part, full, interpolation=cv2.INTER_LINEAR) for part in (mean, share))
        out += share[..., None] * (mean - out)
    out[clear > 0] = photo[clear > 0]
    return np.asarray(out, np.float32)


def residue(photo: FloatArray, colours: FloatArray, alpha: FloatArray, *, linear: bool = False) -> FloatArray:
    """Return how far each pixel is from being explained.

    Parameters
    ----------
    photo, colours : (H, W, 3) float32 ndarray
        The photo, and the subject's own colours.
    alpha : (H, W) float32 ndarray
    linear : bool
        Whether the photo mixes in linear light.

    Returns
    -------
    (H, W) float32 ndarray
        Largest difference over the channels; 0 where alpha is 0 or nothing clear is near.
    """
    laid_back = composite_over(colours, clean_backdrop(photo, alpha), alpha, linear=linear)
    return np.asarray(np.abs(laid_back - photo).max(axis=2), np.float32)
