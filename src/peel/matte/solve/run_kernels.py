"""The loops behind `peel.matte.solve.conjugate_gradients`: products and vector steps over a band's runs.

Runs and stencil are those of `peel.matte.solve.laplacian.BandSystem`; `p` and `y` are flat padded regions, all other
vectors hold the unknowns only. Unsigned indices let the compiler use SIMD instructions.
"""

from typing import Any

import numpy as np
from numba import njit

__all__ = ["add_diagonal", "gather", "multiply", "pack", "step", "update_direction"]


@njit("void(int64[:,::1], float32[:,::1], int64, float32[::1])", cache=True, nogil=True)
def pack(runs: Any, stencil: Any, start: int, packed: Any) -> None:
    """Write each run's 13 rows one after another into zeros, each with four zeros before and after it."""
    rows = stencil.shape[0]
    at = 0
    for r in range(runs.shape[0]):
        n = runs[r, 1]
        for k in range(rows):
            packed[at + 4 : at + 4 + n] = stencil[k, start : start + n]
            at += n + 8
        start += n


@njit(
    "float64(int64[:,::1], float32[::1], uint64, float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def multiply(runs: Any, packed: Any, width: Any, p: Any, y: Any) -> float:
    """Add ``A p`` to `y`, both padded regions with `p` zero outside the band; return ``p A p``.

    Unsigned indices and few operands per loop let the compiler use SIMD instructions; slices are avoided because
    each costs as much as many pixels. Each row of `y` is written once per run: accumulating one shifted product after
    another would stall on the values just stored.
    """
    one, two, three, four = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
    ahead = np.zeros(runs[:, 1].max() + 2, np.float32)
    s0 = np.uint64(4)
    total: Any = 0.0
    for r in range(runs.shape[0]):
        n = np.uint64(runs[r, 1])
        step = n + np.uint64(8)
        a = np.uint64(runs[r, 0])
        b, c = a + width - two, a + width + width - two
        s1, s2, s3, s4 = s0 + step, s0 + two * step, s0 + three * step, s0 + four * step
        s5, s6, s7, s8 = s4 + step, s4 + two * step, s4 + three * step, s4 + four * step
        s9, s10, s11, s12 = s8 + step, s8 + two * step, s8 + three * step, s8 + four * step
        for u in range(n):
            i = np.uint64(u)
            row = packed[s3 + i] * p[b + i] + packed[s4 + i] * p[b + i + one] + packed[s5 + i] * p[b + i + two]
            ahead[i] = row + packed[s6 + i] * p[b + i + three] + packed[s7 + i] * p[b + i + four]
        for u in range(n):
            i = np.uint64(u)
            row = packed[s8 + i] * p[c + i] + packed[s9 + i] * p[c + i + one] + packed[s10 + i] * p[c + i + two]
            row += packed[s11 + i] * p[c + i + three] + packed[s12 + i] * p[c + i + four]
            ahead[i] += row + packed[s1 + i] * p[a + i + one] + packed[s2 + i] * p[a + i + two]
        ahead[n], ahead[n + one] = np.float32(0), np.float32(0)
        part = np.float32(0)
        for u in range(n + two):
            i = np.uint64(u)
            behind = packed[s1 + i - one] * p[a + i - one] + packed[s2 + i - two] * p[a + i - two]
            own = packed[s0 + i] * p[a + i]
            y[a + i] += own + ahead[i] + behind
            part += p[a + i] * (own + ahead[i] + ahead[i])
        total += part
        at = a - four
        for u in range(n + four):
            i = np.uint64(u)
            row = packed[s3 + i] * p[at + i + four] + packed[s4 - one + i] * p[at + i + three]
            row += packed[s5 - two + i] * p[at + i + two]
            y[b + i] += row + packed[s6 - three + i] * p[at + i + one] + packed[s7 - four + i] * p[at + i]
        for u in range(n + four):
            i = np.uint64(u)
            row = packed[s8 + i] * p[at + i + four] + packed[s9 - one + i] * p[at + i + three]
            row += packed[s10 - two + i] * p[at + i + two]
            y[c + i] += row + packed[s11 - three + i] * p[at + i + one] + packed[s12 - four + i] * p[at + i]
        s0 += np.uint64(13) * step
    return total


@njit(
    "void(int64[:,::1], float32[::1], float32[::1], float32, float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def step(runs: Any, p: Any, y: Any, length: Any, x: Any, r: Any) -> None:
    """Move ``x`` by `length` along `p`, update the residual, and clear `y` for the next product."""
    start = np.uint64(0)
    for k in range(runs.shape[0]):
        at = np.uint64(runs[k, 0])
        n = np.uint64(runs[k, 1])
        for u in range(n):
            i = np.uint64(u)
            x[start + i] += length * p[at + i]
            r[start + i] -= length * y[at + i]
        for u in range(n):
            y[at + np.uint64(u)] = np.float32(0)
        start += n


@njit("void(int64[:,::1], float32[::1], float32, float32[::1])", cache=True, nogil=True, fastmath=True)
def update_direction(runs: Any, p: Any, beta: Any, z: Any) -> None:
    """Compute ``p = z + beta p``."""
    start = np.uint64(0)
    for k in range(runs.shape[0]):
        at = np.uint64(runs[k, 0])
        n = np.uint64(runs[k, 1])
        for u in range(n):
            i = np.uint64(u)
            p[at + i] = z[start + i] + beta * p[at + i]
        start += n


@njit("void(int64[:,::1], float32[::1], float32[::1])", cache=True, nogil=True)
def add_diagonal(runs: Any, packed: Any, weight: Any) -> None:
    """Add to the diagonal of the packed stencil."""
    start, at = 0, 4
    for k in range(runs.shape[0]):
        n = runs[k, 1]
        packed[at : at + n] += weight[start : start + n]
        start += n
        at += 13 * (n + 8)


@njit("float32[::1](int64[:,::1], float32[::1], int64)", cache=True, nogil=True)
def gather(runs: Any, y: Any, size: int) -> Any:
    """Gather a padded region's values on the band."""
    out = np.empty(size, np.float32)
    start = 0
    for k in range(runs.shape[0]):
        n = runs[k, 1]
        out[start : start + n] = y[runs[k, 0] : runs[k, 0] + n]
        start += n
    return out
