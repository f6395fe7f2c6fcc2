"""Take noise out of a matte along its edges: across a soft edge its profile counts, along it little changes.

References
----------
.. [1] J. Weickert, "Coherence-enhancing diffusion filtering", International Journal of Computer Vision 31(2-3), 1999,
   pp. 111-127: smoothing along edges, not across them. :doi:`10.1023/A:1008009714131`
"""

from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import ByteArray, FloatArray

__all__ = ["SLOPE_RADIUS", "even_along", "slope"]

SLOPE_RADIUS: Final = 3
"""Pixels from the middle of the window whose slope is an edge's."""

_LENGTH: Final = 8  # pixels in either direction
_SPREAD: Final = 196.0  # squares of the steps in that window, added up
_LEAST_SLOPE: Final = 0.2  # a pixel, in deviations of the matte's noise, from which there is an edge to follow
_LEFT_IT: Final = 3.0  # deviations by which alpha differs where a straight line has left its edge
_LEAST_REACH: Final = 2


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def slope(matte: Any, y: int, x: int) -> Any:
    """Give the slope of a window down and across; for kernels."""
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
def _walk(noisy: Any, evened: Any, reach: Any, y: int, x: int, step_y: Any, step_x: Any, limit: Any) -> Any:
    """Add up a matte's values along a line until it leaves its edge or what is plain; also how many."""
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
        if abs(_between(evened, v, u, dy, dx) - evened[y, x]) > limit:
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
def _follow(noisy: Any, evened: Any, reach: Any, deviation: Any, cell: int, out: Any) -> None:
    """Average a matte along the direction in which it does not change, as far as the photo is plain."""
    height, width = reach.shape
    for y in range(SLOPE_RADIUS, height - SLOPE_RADIUS):
        for x in range(SLOPE_RADIUS, width - SLOPE_RADIUS):
            if reach[y, x] < _LEAST_REACH:
                continue
            noise = deviation[y // cell, x // cell]
            down, across = slope(evened, y, x)
            steep = np.sqrt(down * down + across * across)
            if steep <= np.float32(_LEAST_SLOPE) * noise:
                continue
            step_y, step_x = -across / steep, down / steep
            limit = np.float32(_LEFT_IT) * noise
            ahead, steps = _walk(noisy, evened, reach, y, x, step_y, step_x, limit)
            behind, steps_back = _walk(noisy, evened, reach, y, x, -step_y, -step_x, limit)
            out[y, x] = (noisy[y, x] + ahead + behind) / np.float32(1 + steps + steps_back)


def even_along(noisy: FloatArray, evened: FloatArray, reach: ByteArray, deviation: FloatArray, cell: int) -> FloatArray:
    """Average a matte along its edges, where it slopes; a new array.

    Parameters
    ----------
    noisy : (H, W) float32 ndarray
        What is averaged.
    evened : (H, W) float32 ndarray
        The same with its noise taken out, which shows the edges' direction; kept where there is no slope.
    reach : (H, W) uint8 ndarray
        From `peel.matte.noise.plain_reach`: nothing is done, and no line goes, where it is less than 2.
    deviation : (H / cell, W / cell) float32 ndarray
        Standard deviation of the matte's noise, one value for each `cell` by `cell` pixels.
    cell : int

    Returns
    -------
    (H, W) float32 ndarray

    Notes
    -----
    Averaging over windows flattens the ends of a blurred step, however well a plane fits each of them. Along the step
    a mean of seventeen values does not. A line ends where the edge bends away from it.
    """
    out = evened.copy()
    _follow(noisy, evened, np.ascontiguousarray(reach), np.ascontiguousarray(deviation), cell, out)
    return out
