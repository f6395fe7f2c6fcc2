"""Grades as tables of colours: as quick for one change as for all of them."""

from functools import lru_cache, partial
from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray
from peel.matte.composite.grading import Grading, graded
from peel.matte.parallel import run_all, split_range

__all__ = ["graded_quickly"]

_STEPS: Final = 41  # a side of the table; colours between are interpolated from the eight around them


@njit("void(float32[:,::1], float32[:,:,:,::1], float32[:,::1])", cache=True, nogil=True)
def _look_up(colours: Any, table: Any, out: Any) -> None:
    last = table.shape[0] - 1
    low, part = np.empty(3, np.int64), np.empty(3, np.float32)
    for i in range(colours.shape[0]):
        for k in range(3):
            place = min(max(colours[i, k], np.float32(0)), np.float32(1)) * np.float32(last)
            low[k] = min(int(place), last - 1)
            part[k] = place - np.float32(low[k])
        for k in range(3):
            total = np.float32(0)
            for corner in range(8):
                r, g, b = corner >> 2, (corner >> 1) & 1, corner & 1
                weight = part[0] if r else 1 - part[0]
                weight *= part[1] if g else 1 - part[1]
                weight *= part[2] if b else 1 - part[2]
                total += weight * table[low[0] + r, low[1] + g, low[2] + b, k]
            out[i, k] = total


@lru_cache(maxsize=16)
def _table(grading: Grading) -> FloatArray:
    steps = np.linspace(0, 1, _STEPS, dtype=np.float32)
    grid = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1)
    return np.ascontiguousarray(graded(grid, grading), np.float32)


def graded_quickly(colours: FloatArray, grading: Grading) -> FloatArray:
    """Grade colours (H, W, 3) by a table; the same array where nothing changes. See `grading.graded`."""
    if grading.is_neutral:
        return colours
    flat = np.ascontiguousarray(colours, np.float32).reshape(-1, 3)
    out, table = np.empty_like(flat), _table(grading)
    run_all([partial(_look_up, flat[part], table, out[part]) for part in split_range(len(flat), 4)])
    return out.reshape(colours.shape)
