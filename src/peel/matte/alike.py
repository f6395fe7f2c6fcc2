"""Which pixels have much the same colour as some picked ones."""

from typing import Final

import cv2
import numpy as np
from numpy.typing import ArrayLike

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.regions import region_at

__all__ = ["colour_distance", "lab_of", "within"]

_ROWS: Final = 512


def lab_of(picture: ByteArray) -> FloatArray:
    """Convert sRGB to CIE Lab.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray

    Returns
    -------
    (H, W, 3) float32 ndarray
        L* 0 to 100, a* and b* about -100 to 100.
    """
    return np.asarray(cv2.cvtColor(picture.astype(np.float32) / np.float32(255), cv2.COLOR_RGB2Lab))


def colour_distance(picture: ByteArray, samples: ArrayLike) -> FloatArray:
    """Give how far each pixel's colour is from the nearest of some samples.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
        sRGB.
    samples : (K, 3) floats
        CIE Lab.

    Returns
    -------
    (H, W) float32 ndarray
        CIE76 colour difference: about 2 can just be seen, 100 is black to white.
    """
    picked = np.asarray(samples, np.float32).reshape(-1, 3)
    out = np.empty(picture.shape[:2], np.float32)
    for top in range(0, len(picture), _ROWS):
        lab = lab_of(picture[top : top + _ROWS])
        nearest = np.full(lab.shape[:2], np.inf, np.float32)
        for sample in picked:
            away = lab - sample
            np.minimum(nearest, np.einsum("ijk,ijk->ij", away, away), out=nearest)
        out[top : top + _ROWS] = np.sqrt(nearest)
    return out


def within(distance: FloatArray, tolerance: float, seeds: list[tuple[int, int]]) -> BoolArray:
    """Tell which pixels are alike: everywhere, or with seeds only what is connected to one of them.

    Parameters
    ----------
    distance : (H, W) float32 ndarray
    tolerance : float
        The largest distance that counts as the same.
    seeds : list of (row, column)
        Empty for everywhere.
    """
    alike = distance <= np.float32(tolerance)
    if not seeds:
        return alike
    codes = alike.astype(np.uint8)
    connected = np.zeros_like(alike)
    for row, column in seeds:
        if codes[row, column] and not connected[row, column]:
            connected |= region_at(codes, row, column)
    return connected
