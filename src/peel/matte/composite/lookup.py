"""Grades as tables of colours: as quick for one change as for all of them.

References
----------
.. [1] J. M. Kasson, S. I. Nin, W. Plouffe, J. L. Hafner, "Performing color space conversions with three-dimensional
   linear interpolation", Journal of Electronic Imaging 4(3), 1995, pp. 226-250. :doi:`10.1117/12.208656`
"""

from functools import lru_cache, partial
from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray
from peel.matte.composite.grading import Grading, graded
from peel.matte.parallel import run_all, split_range

__all__ = ["graded_quickly"]

_STEPS: Final = 41  # a side of the table; colours between are interpolated from four around them [1]_


@njit(cache=True, nogil=True)
def _place(value: Any, side: Any) -> Any:
    """Return where a value lies on a side of the table, short of its end."""
    last = np.float32(side - 1)
    return min(max(value, np.float32(0)) * last, last - np.float32(1e-4))


@njit("void(float32[:,::1], float32[::1], int64, float32[:,::1])", cache=True, nogil=True, fastmath=True)
def _look_up(colours: Any, table: Any, side: Any, out: Any) -> None:
    across, down, along = np.uint64(side * side * 3), np.uint64(side * 3), np.uint64(3)
    for i in range(colours.shape[0]):
        r, g, b = _place(colours[i, 0], side), _place(colours[i, 1], side), _place(colours[i, 2], side)
        x, y, z = np.int32(r), np.int32(g), np.int32(b)
        r, g, b = r - np.float32(x), g - np.float32(y), b - np.float32(z)
        # from the cube's first corner to its last along its edges: that of the largest part first, of the least last
        first = across if r >= g and r >= b else down if g >= b else along
        final = along if b <= r and b <= g else down if g <= r else across
        high, low = max(r, g, b), min(r, g, b)
        middle = r + g + b - high - low
        near = np.uint64(x) * across + np.uint64(y) * down + np.uint64(z) * along
        far = near + across + down + along
        for k in range(np.uint64(3)):
            out[i, k] = (
                (1 - high) * table[near + k]
                + (high - middle) * table[near + first + k]
                + (middle - low) * table[far - final + k]
                + low * table[far + k]
            )


@lru_cache(maxsize=16)
def _table(grading: Grading) -> FloatArray:
    steps = np.linspace(0, 1, _STEPS, dtype=np.float32)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    return np.ascontiguousarray(graded(grid, grading), np.float32).ravel()


def graded_quickly(colours: FloatArray, grading: Grading) -> FloatArray:
    """Grade colours (H, W, 3) by a table; the same array where nothing changes. See `grading.graded`."""
    if grading.is_neutral:
        return colours
    flat = np.ascontiguousarray(colours, np.float32).reshape(-1, 3)
    out, table = np.empty_like(flat), _table(grading)
    run_all([partial(_look_up, flat[part], table, _STEPS, out[part]) for part in split_range(len(flat), 4)])
    return out.reshape(colours.shape)
