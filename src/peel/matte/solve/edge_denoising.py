"""Denoise a matte along its edges: the profile across a soft edge is kept, along it values are averaged.

References
----------
.. [1] J. Weickert, "Coherence-enhancing diffusion filtering", International Journal of Computer Vision 31(2-3), 1999,
   pp. 111-127: smoothing along edges, not across them. :doi:`10.1023/A:1008009714131`
"""

from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import ByteArray, FloatArray

__all__ = ["SLOPE_RADIUS", "denoise_along_edges", "slope"]

SLOPE_RADIUS: Final = 3
"""Radius, in pixels, of the window over which an edge's slope is measured."""

_LENGTH: Final = 8  # pixels in either direction
_SPREAD: Final = 196.0  # sum of squared offsets in that window
_LEAST_SLOPE: Final = 0.2  # slope per pixel, in deviations of the noise, from which there is an edge to follow
_LEFT_IT: Final = 3.0  # deviations by which alpha differs once a straight line has left its edge
_LEAST_REACH: Final = 2


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def slope(matte: Any, y: int, x: int) -> Any:
    """Return the slope of a window down and across; for kernels."""
    down = across = np.float32(0)
    for v in range(-SLOPE_RADIUS, SLOPE_RADIUS + 1):
        for u in range(-SLOPE_RADIUS, SLOPE_RADIUS + 1):
            value = matte[y + v, x + u]
            down += np.float32(v) * value
            across += np.float32(u) * value
    return down / np.float32(_SPREAD), across / np.float32(_SPREAD)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _between(matte: Any, v: int, u: int, dy: Any, dx: Any) -> Any:
    one = np.float32(1)
    above = (one - dx) * matte[v, u] + dx * matte[v, u + 1]
    return (one - dy) * above + dy * ((one - dx) * matte[v + 1, u] + dx * matte[v + 1, u + 1])


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _walk(noisy: Any, denoised: Any, reach: Any, y: int, x: int, step_y: Any, step_x: Any, limit: Any) -> Any:
    """Sum a matte's values along a line until it leaves its edge or the plain area; return the sum and count."""
    height, width = reach.shape
    total, count = np.float32(0), 0
    for k in range(1, _LENGTH + 1):
        at_y, at_x = np.float32(y) + k * step_y, np.float32(x) + k * step_x
        v, u = int(np.floor(at_y)), int(np.floor(at_x))
        if v < 0 or u < 0 or v + 1 >= height or u + 1 >= width:
            break
        if min(reach[v, u], reach[v, u + 1], reach[v + 1, u], reach[v + 1, u + 1]) < _LEAST_REACH:
            break
        dy, dx = at_y - np.float32(v), at_x - np.float32(u)
        if abs(_between(denoised, v, u, dy, dx) - denoised[y, x]) > limit:
            break
        total += _between(noisy, v, u, dy, dx)
        count += 1
    return total, count


@njit(
    "void(float32[:,::1], float32[:,::1], uint8[:,::1], float32[:,::1], int64, float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def _follow(noisy: Any, denoised: Any, reach: Any, deviation: Any, cell: int, out: Any) -> None:
    """Average a matte along its level lines, as far as the photo is plain."""
    height, width = reach.shape
    for y in range(SLOPE_RADIUS, height - SLOPE_RADIUS):
        for x in range(SLOPE_RADIUS, width - SLOPE_RADIUS):
            if reach[y, x] < _LEAST_REACH:
                continue
            noise = deviation[y // cell, x // cell]
            down, across = slope(denoised, y, x)
            steep = np.sqrt(down * down + across * across)
            if steep <= np.float32(_LEAST_SLOPE) * noise:
                continue
            step_y, step_x = -across / steep, down / steep
            limit = np.float32(_LEFT_IT) * noise
            ahead, steps = _walk(noisy, denoised, reach, y, x, step_y, step_x, limit)
            behind, steps_back = _walk(noisy, denoised, reach, y, x, -step_y, -step_x, limit)
            out[y, x] = (noisy[y, x] + ahead + behind) / np.float32(1 + steps + steps_back)


def denoise_along_edges(
    noisy: FloatArray, denoised: FloatArray, reach: ByteArray, deviation: FloatArray, cell: int
) -> FloatArray:
    """Average a matte along its edges, where it slopes; a new array.

    Parameters
    ----------
    noisy : (H, W) float32 ndarray
        The values to average.
    evened : (H, W) float32 ndarray
        The same, denoised over windows: it gives the direction of edges, and is kept where there is no slope.
    reach : (H, W) uint8 ndarray
        From `peel.matte.solve.noise.plain_reach`: where it is less than 2, nothing is averaged and no line passes.
    deviation : (H / cell, W / cell) float32 ndarray
        Standard deviation of the matte's noise, one value for each `cell` by `cell` pixels.
    cell : int

    Returns
    -------
    (H, W) float32 ndarray

    Notes
    -----
    Averaging over windows flattens the ends of a blurred step, however well a plane fits each of them; a mean of
    seventeen values along the step does not. A line ends where the edge bends away from it.
    """
    out = denoised.copy()
    _follow(noisy, denoised, np.ascontiguousarray(reach), np.ascontiguousarray(deviation), cell, out)
    return out
