"""Solve the band's system by preconditioned conjugate gradients.

References
----------
.. [1] M. R. Hestenes, E. Stiefel, "Methods of conjugate gradients for solving linear systems", Journal of Research of
   the National Bureau of Standards 49(6), 1952, pp. 409-436.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numba import njit

from peel.errors import Cancelled
from peel.matte.arrays import FloatArray
from peel.matte.laplacian import BandSystem

__all__ = ["Progress", "SolveReport", "solve_band"]

Progress = Callable[[float], bool]
"""Told the share done in [0, 1]; answers True to go on and False to stop."""

_CHUNK: Final = 8  # iterations between two looks at the caller: about 20 ms on half a million unknowns


@dataclass(frozen=True)
class SolveReport:
    """What the solver did: unknowns, iterations, relative residual reached, and whether that was enough."""

    unknowns: int
    iterations: int
    residual: float
    converged: bool


@njit(
    "void(int64[:,::1], float32[:,::1], uint64, float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _multiply(runs: Any, stencil: Any, width: Any, p: Any, y: Any) -> None:
    """Write ``y = A p`` on the band; `p` and `y` are padded regions, `p` zero outside the band."""
    start = np.uint64(0)
    for r in range(runs.shape[0]):
        at = np.uint64(runs[r, 0])
        n = np.uint64(runs[r, 1])
        y[at : at + n] = np.float32(0)
    for r in range(runs.shape[0]):
        at = np.uint64(runs[r, 0])
        n = np.uint64(runs[r, 1])
        stop = start + n
        s0 = stencil[0, start:stop]
        s1 = stencil[1, start:stop]
        s2 = stencil[2, start:stop]
        s3 = stencil[3, start:stop]
        s4 = stencil[4, start:stop]
        s5 = stencil[5, start:stop]
        s6 = stencil[6, start:stop]
        s7 = stencil[7, start:stop]
        s8 = stencil[8, start:stop]
        s9 = stencil[9, start:stop]
        s10 = stencil[10, start:stop]
        s11 = stencil[11, start:stop]
        s12 = stencil[12, start:stop]
        two = np.uint64(2)
        one = np.uint64(1)
        a = p[at : at + n + two]
        b = p[at + width - two : at + width + n + two]
        c = p[at + width + width - two : at + width + width + n + two]
        ya = y[at : at + n + two]
        yb = y[at + width - two : at + width + n + two]
        yc = y[at + width + width - two : at + width + width + n + two]
        for u in range(n):
            i = np.uint64(u)
            ya[i] += (
                s0[i] * a[i]
                + s1[i] * a[i + one]
                + s2[i] * a[i + two]
                + s3[i] * b[i]
                + s4[i] * b[i + one]
                + s5[i] * b[i + two]
                + s6[i] * b[i + np.uint64(3)]
                + s7[i] * b[i + np.uint64(4)]
                + s8[i] * c[i]
                + s9[i] * c[i + one]
                + s10[i] * c[i + two]
                + s11[i] * c[i + np.uint64(3)]
                + s12[i] * c[i + np.uint64(4)]
            )
        for u in range(n):
            i = np.uint64(u)
            ya[i + one] += s1[i] * a[i]
        for u in range(n):
            i = np.uint64(u)
            ya[i + two] += s2[i] * a[i]
        for k in range(5):
            sk = stencil[3 + k, start:stop]
            yk = yb[k : np.uint64(k) + n]
            for u in range(n):
                i = np.uint64(u)
                yk[i] += sk[i] * a[i]
        for k in range(5):
            sk = stencil[8 + k, start:stop]
            yk = yc[k : np.uint64(k) + n]
            for u in range(n):
                i = np.uint64(u)
                yk[i] += sk[i] * a[i]
        start = stop


@njit("float64(int64[:,::1], float32[::1], float32[::1])", cache=True, nogil=True, fastmath=True)
def _dot_on_band(runs: Any, p: Any, y: Any) -> float:
    """Give the inner product of two padded regions over the band."""
    total: Any = 0.0
    for r in range(runs.shape[0]):
        at = np.uint64(runs[r, 0])
        n = np.uint64(runs[r, 1])
        part = np.float32(0)
        ps = p[at : at + n]
        ys = y[at : at + n]
        for u in range(n):
            i = np.uint64(u)
            part += ps[i] * ys[i]
        total += part
    return total


@njit(
    "UniTuple(float64, 2)(int64[:,::1], float32[::1], float32[::1], float32, float32[::1], float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _step(runs: Any, p: Any, y: Any, length: Any, x: Any, r: Any, inverse: Any) -> Any:
    """Go `length` along `p`; give the new ``r M r`` and ``r r``."""
    start = np.uint64(0)
    rho: Any = 0.0
    norm: Any = 0.0
    for k in range(runs.shape[0]):
        at = np.uint64(runs[k, 0])
        n = np.uint64(runs[k, 1])
        ps = p[at : at + n]
        ys = y[at : at + n]
        xs = x[start : start + n]
        rs = r[start : start + n]
        ms = inverse[start : start + n]
        part = np.float32(0)
        square = np.float32(0)
        for u in range(n):
            i = np.uint64(u)
            xs[i] += length * ps[i]
            value = rs[i] - length * ys[i]
            rs[i] = value
            part += value * value * ms[i]
            square += value * value
        rho += part
        norm += square
        start += n
    return rho, norm


@njit(
    "void(int64[:,::1], float32[::1], float32, float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _turn(runs: Any, p: Any, beta: Any, r: Any, inverse: Any) -> None:
    """Turn the direction: ``p = M r + beta p``."""
    start = np.uint64(0)
    for k in range(runs.shape[0]):
        at = np.uint64(runs[k, 0])
        n = np.uint64(runs[k, 1])
        ps = p[at : at + n]
        rs = r[start : start + n]
        ms = inverse[start : start + n]
        for u in range(n):
            i = np.uint64(u)
            ps[i] = ms[i] * rs[i] + beta * ps[i]
        start += n


def _scatter(system: BandSystem, values: FloatArray) -> FloatArray:
    """Lay compact values into a zero padded region, flat."""
    from peel.matte.laplacian import BORDER

    region = np.zeros(system.shape, np.float32)
    region[BORDER:-BORDER, BORDER:-BORDER][system.unknown] = values
    return region.ravel()


def solve_band(
    system: BandSystem,
    start: FloatArray,
    *,
    tolerance: float = 1e-4,
    max_iterations: int = 3000,
    progress: Progress | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Solve ``A x = b`` from a first guess, with the diagonal as preconditioner.

    Parameters
    ----------
    system : BandSystem
    start : (N,) float32 ndarray
        First guess; the better it is, the fewer iterations.
    tolerance : float
        Stop when the residual is this much of the right side's norm. Smaller: closer, slower.
    max_iterations : int
        Stop there in any case; the report then says it did not converge.
    progress : callable, optional
        Asked every few iterations; False stops.

    Returns
    -------
    (N,) float32 ndarray
        The solution, neither clipped nor rounded.
    SolveReport

    Raises
    ------
    Cancelled
        If `progress` said to stop.
    """
    x = start.astype(np.float32, copy=True)
    if system.size == 0:
        return x, SolveReport(0, 0, 0.0, True)
    runs, width = system.runs, np.uint64(system.shape[1])
    p = _scatter(system, x)
    y = np.zeros_like(p)
    _multiply(runs, system.stencil, width, p, y)
    r = system.rhs - _gather(runs, y, system.size)
    inverse = (1.0 / np.maximum(system.stencil[0], 1e-12)).astype(np.float32)
    scale = max(float(np.linalg.norm(system.rhs)), 1e-12)
    rho, residual = float(np.sum(r * r * inverse, dtype=np.float64)), float(np.linalg.norm(r)) / scale
    first = max(residual, tolerance)
    _turn(runs, p, np.float32(0), r, inverse)
    done = 0
    while residual > tolerance and done < max_iterations:
        _multiply(runs, system.stencil, width, p, y)
        length = np.float32(rho / max(_dot_on_band(runs, p, y), 1e-30))
        new, square = _step(runs, p, y, length, x, r, inverse)
        residual = float(np.sqrt(square)) / scale
        _turn(runs, p, np.float32(new / max(rho, 1e-30)), r, inverse)
        rho = new
        done += 1
        if progress and done % _CHUNK == 0 and not progress(_share(residual, first, tolerance)):
            raise Cancelled
    return x, SolveReport(system.size, done, residual, residual <= tolerance)


def _share(residual: float, first: float, tolerance: float) -> float:
    """Guess the share done from how far the residual has fallen, on a logarithmic scale."""
    if residual <= tolerance or first <= tolerance:
        return 1.0
    return float(np.clip(np.log(first / residual) / np.log(first / tolerance), 0.0, 1.0))


@njit("float32[::1](int64[:,::1], float32[::1], int64)", cache=True, nogil=True)
def _gather(runs: Any, y: Any, size: int) -> Any:
    """Collect a padded region's values on the band."""
    out = np.empty(size, np.float32)
    start = 0
    for k in range(runs.shape[0]):
        n = runs[k, 1]
        out[start : start + n] = y[runs[k, 0] : runs[k, 0] + n]
        start += n
    return out
