"""Which pixels have much the same colour as some picked ones."""

from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import ArrayLike

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.marking.regions import region_at
from peel.matte.pixels import unit_floats
from peel.matte.srgb import to_lab

__all__ = ["colour_distance", "distance_in_lab", "lab_of", "within"]


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
    return to_lab(unit_floats(picture))


@njit("void(float32[:,::1], float32[:,::1], float32[::1])", cache=True, nogil=True)
def _nearest(lab: Any, samples: Any, out: Any) -> None:
    for index in range(lab.shape[0]):
        least = np.float32(np.inf)
        for sample in range(samples.shape[0]):
            light = lab[index, 0] - samples[sample, 0]
            red = lab[index, 1] - samples[sample, 1]
            yellow = lab[index, 2] - samples[sample, 2]
            least = min(least, light * light + red * red + yellow * yellow)
        out[index] = np.sqrt(least)


def distance_in_lab(lab: FloatArray, samples: ArrayLike) -> FloatArray:
    """Return how far each colour is from the nearest of some samples.

    Parameters
    ----------
    lab : (..., 3) float32 ndarray
        CIE Lab, as from `lab_of`.
    samples : (K, 3) floats
        CIE Lab.

    Returns
    -------
    (...) float32 ndarray
        CIE76 colour difference: about 2 can just be seen, 100 is black to white.
    """
    masked_values = np.array(samples, np.float32).reshape(-1, 3)
    nearest = np.empty(lab.shape[:-1], np.float32)
    _nearest(lab.reshape(-1, 3), masked_values, nearest.reshape(-1))
    return nearest


@lru_cache(maxsize=1)
def _all_colours() -> FloatArray:
    """Return the Lab of every second value of each channel, (128, 128, 128, 3)."""
    values = np.arange(1, 256, 2, dtype=np.uint8)
    cube = np.stack(np.meshgrid(values, values, values, indexing="ij"), axis=-1)
    return lab_of(cube.reshape(128, -1, 3)).reshape(128, 128, 128, 3)


@njit("void(uint8[:,:,::1], float32[:,:,::1], float32[:,::1])", cache=True, nogil=True)
def _look_up(picture: Any, table: Any, out: Any) -> None:
    for row in range(picture.shape[0]):
        for column in range(picture.shape[1]):
            red, green, blue = picture[row, column, 0], picture[row, column, 1], picture[row, column, 2]
            out[row, column] = table[red >> 1, green >> 1, blue >> 1]


def colour_distance(picture: ByteArray, samples: ArrayLike) -> FloatArray:
    """Return how far each pixel's colour is from the nearest of some samples; quick on many pixels.

    Parameters
    ----------
    picture : (H, W, 3) uint8 ndarray
        sRGB.
    samples : (K, 3) floats
        CIE Lab.

    Returns
    -------
    (H, W) float32 ndarray
        As `distance_in_lab`, to within what one step of a channel makes.
    """
    out = np.empty(picture.shape[:2], np.float32)
    _look_up(np.require(picture, requirements=("C", "W")), distance_in_lab(_all_colours(), samples), out)
    return out


def within(distance: FloatArray, tolerance: float, seeds: list[tuple[int, int]]) -> BoolArray:
    """Return which pixels are alike: everywhere, or with seeds only what is connected to one of them.

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
