"""Solve the band's system by preconditioned conjugate gradients.

References
----------
.. [1] M. R. Hestenes, E. Stiefel, "Methods of conjugate gradients for solving linear systems", Journal of Research of
   the National Bureau of Standards 49(6), 1952, pp. 409-436.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import FloatArray
from peel.matte.coarse_space import CoarseSpace, coarse_space
from peel.matte.hats import Piece
from peel.matte.laplacian import BORDER, BandSystem
from peel.matte.parallel import checkpoint, run_all

__all__ = ["NOTHING_TO_DO", "Progress", "Pull", "SolveReport", "solve_band"]

Progress = Callable[[float], None]
"""Told the share done in [0, 1]; answers True to go on and False to stop."""

Pull = Callable[[FloatArray], tuple[FloatArray, FloatArray]]
"""Given a rough solution, gives weights to add to the diagonal and to the right side."""

_ROWS: Final = 13  # of the stencil
_FRINGE: Final = 4  # zeros before and behind each row of a packed run
_CUT_ABOVE: Final = 60_000  # unknowns from which two threads are worth their hand-over
_OWN: Final = 2.0  # how much of a pixel's own answer is taken, beside those of the coarse grids
_ROUGHER: Final = (10.0, 2.0, 1.0)  # times the tolerance: all but the last solution only decide what is pulled where
_ROUNDING: Final = 3e-6  # of the diagonal: what sums over a stencil come to by rounding alone
_FLATTEST: Final = 1e-6  # curvature along a direction, of what the preconditioner takes it for, that is none at all
_SHOWN_AFTER: Final = 10  # iterations; the coarse space has placed everything by then, and fine strands are coming


@dataclass(frozen=True)
class SolveReport:
    """What the solver did: unknowns, iterations, relative residual reached, and whether that was enough."""

    unknowns: int
    iterations: int
    residual: float
    converged: bool


NOTHING_TO_DO: Final = SolveReport(0, 0, 0.0, True)


@njit("float32[::1](int64[:,::1], float32[:,::1])", cache=True, nogil=True)
def _pack(runs: Any, stencil: Any) -> Any:
    """Lay each run's 13 rows one after another, each with four zeros before and behind it."""
    rows = stencil.shape[0]
    packed = np.zeros(rows * (stencil.shape[1] + 8 * runs.shape[0]), np.float32)
    start, at = 0, 0
    for r in range(runs.shape[0]):
        n = runs[r, 1]
        for k in range(rows):
            packed[at + 4 : at + 4 + n] = stencil[k, start : start + n]
            at += n + 8
        start += n
    return packed


@njit(
    "float64(int64[:,::1], float32[::1], uint64, float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _multiply(runs: Any, packed: Any, width: Any, p: Any, y: Any) -> float:
    """Add ``A p`` to `y`, both padded regions with `p` zero outside the band; give ``p A p``.

    Unsigned indices and few places in each loop let the compiler use the machine's vectors; slices are avoided since
    each costs as much as many pixels. Each row of `y` is written once a run: adding one shifted product after another
    would wait for what was just stored.
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
    "float64(int64[:,::1], float32[::1], float32[::1], float32, float32[::1], float32[::1], float32[::1], "
    "float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _step(runs: Any, p: Any, y: Any, length: Any, x: Any, r: Any, inverse: Any, z: Any) -> float:
    """Go `length` along `p`, clear `y` for the next product, begin ``z = M r`` by the diagonal; give ``r r``."""
    start = np.uint64(0)
    norm: Any = 0.0
    for k in range(runs.shape[0]):
        at = np.uint64(runs[k, 0])
        n = np.uint64(runs[k, 1])
        square = np.float32(0)
        for u in range(n):
            i = np.uint64(u)
            x[start + i] += length * p[at + i]
            value = r[start + i] - length * y[at + i]
            r[start + i] = value
            z[start + i] = value * inverse[start + i]
            square += value * value
        for u in range(n):
            y[at + np.uint64(u)] = np.float32(0)
        norm += square
        start += n
    return norm


@njit("float64(int64[:,::1], float32[::1], float32[::1])", cache=True, nogil=True, fastmath=True)
def _inner(runs: Any, a: Any, b: Any) -> float:
    """Give ``a b``, summed run by run so that it comes out the same on any machine."""
    start = np.uint64(0)
    total: Any = 0.0
    for k in range(runs.shape[0]):
        part = np.float32(0)
        n = np.uint64(runs[k, 1])
        for u in range(n):
            part += a[start + np.uint64(u)] * b[start + np.uint64(u)]
        total += part
        start += n
    return total


@njit("void(int64[:,::1], float32[::1], float32, float32[::1])", cache=True, nogil=True, fastmath=True)
def _turn(runs: Any, p: Any, beta: Any, z: Any) -> None:
    """Turn the direction: ``p = z + beta p``."""
    start = np.uint64(0)
    for k in range(runs.shape[0]):
        at = np.uint64(runs[k, 0])
        n = np.uint64(runs[k, 1])
        for u in range(n):
            i = np.uint64(u)
            p[at + i] = z[start + i] + beta * p[at + i]
        start += n


def _product(system: BandSystem, packed: FloatArray, values: FloatArray) -> FloatArray:
    """Give ``A x`` for compact values."""
    p = _scatter(system, values)
    y = np.zeros_like(p)
    _multiply(system.runs, packed, np.uint64(system.shape[1]), p, y)
    return _gather(system.runs, y, system.size)


def _scale(system: BandSystem, packed: FloatArray) -> float:
    """Give the size of residuals to compare with: the same for a matte and for its inverse.

    The right side alone vanishes where all fixed neighbours are backdrop, and no residual would ever be small enough.
    """
    inverted = _product(system, packed, np.ones(system.size, np.float32)) - system.rhs
    both = np.hypot(np.linalg.norm(system.rhs), np.linalg.norm(inverted))
    return float(both) / float(np.sqrt(2))


def _scatter(system: BandSystem, values: FloatArray) -> FloatArray:
    """Lay compact values into a zero padded region, flat."""
    region = np.zeros(system.shape, np.float32)
    region[BORDER:-BORDER, BORDER:-BORDER][system.unknown] = values
    return region.ravel()


def solve_band(
    system: BandSystem,
    colours: FloatArray,
    start: FloatArray,
    *,
    tolerance: float = 1e-4,
    max_iterations: int = 500,
    pull: Pull | None = None,
    progress: Progress | None = None,
    interim: Callable[[FloatArray], None] | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Solve ``A x = b`` from a first guess; the preconditioner adds the diagonal and a coarse space.

    Parameters
    ----------
    system : BandSystem
        Its stencil is taken apart: the system cannot be used again.
    colours : (N, 3) float32 ndarray
        Colours of the unknowns in reading order, in [0, 1], which the coarse space is made of.
    start : (N,) float32 ndarray
        First guess; the better it is, the fewer iterations.
    tolerance : float
        Stop when the residual is this much of what the fixed neighbours contribute. Smaller: closer, slower.
    max_iterations : int
        Stop there in any case; the report then says it did not converge.
    pull : callable, optional
        Asked after each rough solution for what to add to the diagonal and to the right side for the next one.
    progress : callable, optional
        Told the share done before each iteration.
    interim : callable, optional
        Given the solution as it is after a few iterations, to be looked at meanwhile.

    Returns
    -------
    (N,) float32 ndarray
        The solution, neither clipped nor rounded; `start` if nothing holds it anywhere.
    SolveReport

    Raises
    ------
    Cancelled
        If it is called off; see `peel.matte.parallel.stopping`.
    """
    if system.size == 0:
        return start.astype(np.float32), NOTHING_TO_DO
    state = _State(system, start)
    if state.is_free:
        return state.x, SolveReport(system.size, 0, 0.0, True)

    def product(region: FloatArray, out: FloatArray) -> None:
        checkpoint()
        _clear(state.runs, out)
        _multiply(state.runs, state.packed, np.uint64(system.shape[1]), region, out)

    coarse = base = coarse_space(state.runs, system.shape, colours, product)
    limits = [tolerance * times for times in (_ROUGHER if pull else (1.0,))]
    done, residual = 0, np.inf
    for turn, limit in enumerate(limits):
        if pull and turn:
            state.pull(*pull(state.x))
            checkpoint()
            coarse = base.pulled(state.weight)

        def told(more: int, share: float, turn: int = turn) -> None:
            if progress:
                progress((turn + share) / len(limits))
            if interim and turn == 0 and more == _SHOWN_AFTER:
                interim(state.x)

        more, residual = _iterate(state, coarse, limit, max_iterations - done, told)
        done += more
    return state.x, SolveReport(system.size, done, residual, residual <= tolerance)


def _iterate(
    state: "_State", coarse: CoarseSpace, limit: float, most: int, told: Callable[[int, float], None]
) -> tuple[int, float]:
    """Iterate until the residual falls to `limit`; give the iterations, at most `most`, and the residual."""
    coarse.correct(state.r, state.z, state.pieces)
    state.turn(0.0)
    rho, residual = state.inner(), state.residual()
    first, done = max(residual, limit), 0
    while residual > limit and done < most:
        told(done, _share(residual, first, limit))
        curvature = state.multiply()
        if rho <= 0 or curvature <= _FLATTEST * rho:  # what is left lies in a piece that nothing holds, or is rounding
            break
        residual = state.step(rho / curvature)
        coarse.correct(state.r, state.z, state.pieces)
        new = state.inner()
        state.turn(new / rho)
        rho = new
        done += 1
    return done, residual


class _State:
    """The vectors of the iteration, and its steps, each done piece by piece."""

    def __init__(self, system: BandSystem, start: FloatArray) -> None:
        self.runs, self.width = system.runs, np.uint64(system.shape[1])
        self.pieces = _pieces(system)
        self.inverse = (_OWN / np.maximum(system.stencil[0], 1e-12)).astype(np.float32)
        rounding = _ROUNDING * float(np.linalg.norm(system.stencil[0]))
        checkpoint()
        self.packed = _pack(self.runs, system.stencil)
        system.release()
        self.weight = self.towards = np.zeros(system.size, np.float32)
        checkpoint()
        self.x = start.astype(np.float32, copy=True)
        self.r = system.rhs - _product(system, self.packed, self.x)
        checkpoint()
        self.scale = _scale(system, self.packed)
        self.is_free = self.scale <= max(rounding, 1e-9)  # neither a fixed neighbour nor an estimate holds anything
        self.z = self.inverse * self.r
        self.p = np.zeros(system.shape[0] * system.shape[1], np.float32)
        self.y = np.zeros_like(self.p)

    def pull(self, weight: FloatArray, towards: FloatArray) -> None:
        """Add to the diagonal and to the right side, in place of what was added before."""
        more = weight - self.weight
        _add_diagonal(self.runs, self.packed, more)
        self.inverse = np.float32(_OWN) / (np.float32(_OWN) / self.inverse + more)
        self.r += towards - self.towards - more * self.x
        self.z = self.inverse * self.r
        self.weight, self.towards = weight, towards

    def residual(self) -> float:
        """Give the relative residual."""
        return float(np.sqrt(_inner(self.runs, self.r, self.r))) / self.scale

    def multiply(self) -> float:
        """Put ``A p`` into `y`; give ``p A p``.

        The rows before each cut wait until both sides are done: what they add falls across it.
        """
        sides, seams = self.pieces[::2], self.pieces[1::2]
        total = sum(run_all([partial(self._multiply, piece) for piece in sides]))
        return total + sum(self._multiply(piece) for piece in seams)

    def _multiply(self, piece: Piece) -> float:
        before = _ROWS * (piece.values.start + 2 * _FRINGE * piece.runs.start)
        return _multiply(self.runs[piece.runs], self.packed[before:], self.width, self.p, self.y)

    def step(self, length: float) -> float:
        """Go `length` along `p`, and begin ``z = M r`` by the diagonal; give the relative residual."""

        def step(piece: Piece) -> float:
            vectors = (v[piece.values] for v in (self.x, self.r, self.inverse, self.z))
            return _step(self.runs[piece.runs], self.p, self.y, np.float32(length), *vectors)

        return float(np.sqrt(sum(run_all([partial(step, piece) for piece in self.pieces])))) / self.scale

    def inner(self) -> float:
        """Give ``r z``."""
        return _inner(self.runs, self.r, self.z)

    def turn(self, beta: float) -> None:
        """Turn the direction: ``p = z + beta p``."""

        def turn(piece: Piece) -> None:
            _turn(self.runs[piece.runs], self.p, np.float32(beta), self.z[piece.values])

        run_all([partial(turn, piece) for piece in self.pieces])


def _pieces(system: BandSystem) -> list[Piece]:
    """Cut a large band into an upper side, a seam of two rows, and a lower side; a small one is one piece."""
    if system.size < _CUT_ABOVE:
        return [Piece(slice(0, len(system.runs)), slice(0, system.size))]
    rows = system.runs[:, 0] // system.shape[1]
    before = np.concatenate([[0], np.cumsum(system.runs[:, 1])])
    middle = rows[int(np.searchsorted(before, system.size // 2))]
    cuts = [0, *(int(np.searchsorted(rows, middle + k)) for k in (-2, 0)), len(rows)]
    return [Piece(slice(a, b), slice(int(before[a]), int(before[b]))) for a, b in pairwise(cuts)]


def _share(residual: float, first: float, tolerance: float) -> float:
    """Guess the share done from how far the residual has fallen, on a logarithmic scale."""
    if residual <= tolerance or first <= tolerance:
        return 1.0
    return float(np.clip(np.log(first / residual) / np.log(first / tolerance), 0.0, 1.0))


@njit("void(int64[:,::1], float32[::1], float32[::1])", cache=True, nogil=True)
def _add_diagonal(runs: Any, packed: Any, weight: Any) -> None:
    """Add to the first row of each run's stencil."""
    start, at = 0, 4
    for k in range(runs.shape[0]):
        n = runs[k, 1]
        packed[at : at + n] += weight[start : start + n]
        start += n
        at += 13 * (n + 8)


@njit("void(int64[:,::1], float32[::1])", cache=True, nogil=True)
def _clear(runs: Any, y: Any) -> None:
    """Set a padded region to zero on the band."""
    for k in range(runs.shape[0]):
        y[runs[k, 0] : runs[k, 0] + runs[k, 1]] = 0


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
