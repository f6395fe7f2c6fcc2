"""Remove the photo's noise from a matte where the photo is plain.

A matte follows the photo, noise included. Where the photo is a plane within its noise over a window, so is the matte,
and its mean over that window is the better estimate; where strands or edges cross the window it is left alone.

References
----------
.. [1] A. Goldenshluger, A. Nemirovski, "On spatially adaptive estimation of nonparametric regression", Mathematical
   Methods of Statistics 6(2), 1997, pp. 135-170: the largest window in which the data still agree.
"""

from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.parallel import run_all
from peel.matte.solve.edge_denoising import SLOPE_RADIUS, denoise_along_edges, slope
from peel.matte.solve.noise import plane

__all__ = ["denoise_matte"]

_LARGEST_OWN: Final = 4.0  # residue of a plain window, in variances of the matte's own noise
_LEFT: Final = (0.28, 1.2)  # share of the noise left after averaging: where the matte slopes, where it is level
_SLOPES: Final = 0.06  # slope per pixel, in deviations of the noise; at twice this the matte surely slopes
_FREE: Final = 22  # degrees of freedom: 25 pixels less a plane
_MAX_DEVIATION: Final = 0.15
_ROWS: Final = 128  # rows per task
_CELL: Final = 8  # side, in pixels, of the cells over which the matte's noise is measured
_SEEN: Final = 24  # rows to either side, whole cells, that denoising reads
_SURROUNDINGS: Final = (
    (7, np.float32(1)),
    (17, np.float32(0.01)),
)  # blur, in cells, that carries noise estimates around, and its weight


@njit("void(float32[:,:,::1], uint8[:,::1], float32[:,:,::1])", cache=True, nogil=True, fastmath=True)
def _add_residues(alpha: Any, reach: Any, cells: Any) -> None:
    """Sum the matte's plane residues where the photo is plain, cell by cell, and count the windows."""
    for y in range(2, reach.shape[0] - 2):
        for x in range(2, reach.shape[1] - 2):
            if reach[y, x] >= 2:
                left = plane(alpha, y, x, 0, 1, 2)[1] / np.float32(_FREE)
                cells[0, y // _CELL, x // _CELL] += min(left, np.float32(_MAX_DEVIATION * _MAX_DEVIATION))
                cells[1, y // _CELL, x // _CELL] += 1


@njit(
    "void(float32[:,:,::1], uint8[:,::1], float32[:,::1], int64, int64, float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _average_windows(alpha: Any, reach: Any, variance: Any, spacing: int, radius: int, out: Any) -> None:
    """Average a matte over plain windows in which it is itself a plane within its noise."""
    height, width = reach.shape
    wide = spacing * radius
    free = (2 * radius + 1) ** 2 - 3
    for y in range(wide, height - wide):
        for x in range(wide, width - wide):
            if reach[y, x] >= wide:
                mean, left = plane(alpha, y, x, 0, spacing, radius)
                if left <= _LARGEST_OWN * free * variance[y // _CELL, x // _CELL]:
                    out[y, x] = mean


@njit(
    "void(float32[:,::1], uint8[:,::1], float32[:,::1], int64, float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def _write_deviation(denoised: Any, reach: Any, deviation: Any, top: int, left: Any) -> None:
    """Write the noise left in some rows of a matte, from row `top` on.

    It is taken as low where the matte slopes, since values near an end belong to an edge there, and as high where it
    is level, since spatially correlated noise averages out badly.
    """
    height, width = denoised.shape
    for v in range(left.shape[0]):
        y = top + v
        for x in range(width):
            noise = deviation[y // _CELL, x // _CELL]
            left[v, x] = noise
            if reach[y, x] >= 2:
                level = np.float32(0)
                if min(x, y, width - 1 - x, height - 1 - y) >= SLOPE_RADIUS:
                    down, across = slope(denoised, y, x)
                    steep = np.sqrt(down * down + across * across) / (np.float32(_SLOPES) * noise + np.float32(1e-9))
                    level = min(max(np.float32(2) - steep, np.float32(0)), np.float32(1))
                left[v, x] = noise * (np.float32(_LEFT[0]) + np.float32(_LEFT[1] - _LEFT[0]) * level)


def denoise_matte(alpha: FloatArray, reach: ByteArray) -> tuple[FloatArray, FloatArray]:
    """Remove the photo's noise from a matte.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
        As solved, not yet clipped.
    reach : (H, W) uint8 ndarray
        From `plain_reach`.

    Returns
    -------
    denoised : (H, W) float32 ndarray
        Averaged where the photo is plain: over windows, and along edges where the matte slopes.
    left : (H, W) float32 ndarray
        Standard deviation of the noise left in it.
    """
    variance = _own_variance(alpha, reach)
    denoised, left = np.empty_like(alpha), np.empty_like(alpha)

    def even(part: slice) -> None:
        top, bottom = max(part.start - _SEEN, 0), min(part.stop + _SEEN, len(alpha))
        cells = variance[top // _CELL : -(-bottom // _CELL)]
        own = slice(part.start - top, part.stop - top)
        flat = _denoised(alpha[top:bottom], reach[top:bottom], cells)
        denoised[part] = flat[own]
        _write_deviation(flat, reach[top:bottom], np.sqrt(cells), own.start, left[part])

    run_all([partial(even, slice(top, min(top + _ROWS, len(alpha)))) for top in range(0, len(alpha), _ROWS)])
    return denoised, left


def _denoised(alpha: FloatArray, reach: ByteArray, variance: FloatArray) -> FloatArray:
    """Denoise some rows of a matte; those at the cut ends differ from a denoising of the whole."""
    smallest = np.where(reach == 1, reach, np.uint8(0))

    def denoised(matte: FloatArray, spacing: int, radius: int, chosen: ByteArray) -> FloatArray:
        out = matte.copy()
        _average_windows(matte[..., None], chosen, variance, spacing, radius, out)
        return out

    flat = denoised(denoised(denoised(alpha, 1, 2, reach), 2, 2, reach), 1, 1, smallest)
    calmer = denoised(alpha, 1, 1, reach)
    return denoise_along_edges(calmer, flat, reach, np.sqrt(variance), _CELL)


def _own_variance(alpha: FloatArray, reach: ByteArray) -> FloatArray:
    """Measure a matte's noise variance where the photo is plain, and spread it around; one value a cell."""
    cells = np.zeros((2, -(-alpha.shape[0] // _CELL), -(-alpha.shape[1] // _CELL)), np.float32)
    _add_residues(np.ascontiguousarray(alpha)[..., None], reach, cells)
    count = max(float(cells[1].sum(dtype=np.float64)), 1.0)
    total = np.full_like(cells[0], 1e-5 * cells[0].sum(dtype=np.float64) / count)
    share = np.full_like(cells[1], 1e-5)
    for size, part in _SURROUNDINGS:
        total += part * _twice_blurred(cells[0], size)
        share += part * _twice_blurred(cells[1], size)
    return np.asarray(total / share, np.float32)


def _twice_blurred(picture: FloatArray, size: int) -> FloatArray:
    return cv2.blur(cv2.blur(picture, (size, size)), (size, size))
