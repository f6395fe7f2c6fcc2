"""Solve the band's system by preconditioned conjugate gradients.

References
----------
.. [1] M. R. Hestenes, E. Stiefel, "Methods of conjugate gradients for solving linear systems", Journal of Research of
   the National Bureau of Standards 49(6), 1952, pp. 409-436.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from typing import Final

import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import FloatArray
from peel.matte.parallel import checkpoint, map_chunks, run_all
from peel.matte.solve import run_kernels as kernels
from peel.matte.solve.bilinear_basis import RunRange
from peel.matte.solve.coarse_space import CoarseSpace, coarse_space
from peel.matte.solve.laplacian import BandSystem

__all__ = ["NOTHING_TO_DO", "PriorTerms", "Progress", "SolveReport", "solve_band", "together"]

Progress = Callable[[float], None]
"""Called with the share done in [0, 1]."""

PriorTerms = Callable[[FloatArray], tuple[FloatArray, FloatArray]]
"""Returns the diagonal and right-hand-side terms of a prior, given the current estimate of alpha."""

_ROWS: Final = 13  # rows of the stencil
_PACK_CHUNK: Final = 1_000  # runs
_RUN_PADDING: Final = 4  # zeros before and after each row of a packed run
_PARALLEL_ABOVE: Final = 60_000  # unknowns above which a second thread pays
_JACOBI_WEIGHT: Final = 2.0  # weight of the Jacobi term next to the coarse-grid corrections
_WARM_UP_ITERATIONS: Final = (8, 6)  # iterations before the priors are evaluated, each time
_CHECK_EVERY: Final = 4  # iterations between two checks of how far alpha moved
_ROUNDING: Final = 3e-6  # rounding error of a sum over the stencil, relative to its diagonal
_MIN_RELATIVE_CURVATURE: Final = 1e-6  # below this, p'Ap / p'Mp is treated as zero and the direction is dropped


@dataclass(frozen=True)
class SolveReport:
    """What the solver did.

    Attributes
    ----------
    unknowns, iterations : int
    residual : float
        Relative to the contribution of fixed neighbours and priors.
    moved : float
        Root mean square change of alpha over the last four iterations.
    converged : bool
        Whether `moved` is within the tolerance.
    """

    unknowns: int
    iterations: int
    residual: float
    moved: float
    converged: bool


NOTHING_TO_DO: Final = SolveReport(0, 0, 0.0, 0.0, True)


def together(reports: Sequence[SolveReport]) -> SolveReport:
    """Return one report of several solves: the worst of their residuals and movements, the most of their iterations."""
    if not reports:
        return NOTHING_TO_DO
    return SolveReport(
        sum(report.unknowns for report in reports),
        max(report.iterations for report in reports),
        max(report.residual for report in reports),
        max(report.moved for report in reports),
        all(report.converged for report in reports),
    )


def solve_band(
    system: BandSystem,
    colours: FloatArray,
    start: FloatArray,
    *,
    tolerance: float = 8e-4,
    max_iterations: int = 500,
    priors: Sequence[PriorTerms] = (),
    progress: Progress | None = None,
) -> tuple[FloatArray, SolveReport]:
    """Solve ``A x = b`` by conjugate gradients, preconditioned by the diagonal and a coarse space.

    Parameters
    ----------
    system : BandSystem
        Consumed: its stencil is repacked and released.
    colours : (N, 3) float32 ndarray
        Colours of the unknowns in reading order, in [0, 1]; the coarse space is linear in them.
    start : (N,) float32 ndarray
        Initial guess; the better it is, the fewer iterations.
    tolerance : float
        Stop once the root mean square change of alpha over four iterations is below this, which is about the error
        left. A residual hardly shows smooth errors, as of sheer cloth. Smaller: more accurate, slower.
    max_iterations : int
        Stop there in any case; the report then says that the solver did not converge.
    priors : sequence of callables, optional
        Evaluated after each preliminary solution; they replace the terms of the evaluation before.
    progress : callable, optional
        Called with the share done before each iteration.

    Returns
    -------
    (N,) float32 ndarray
        The solution, neither clipped nor rounded; `start` if neither fixed neighbours nor priors hold it anywhere.
    SolveReport

    Raises
    ------
    Cancelled
        If it is cancelled; see `peel.matte.parallel.cancellable`.
    """
    if system.size == 0:
        return start.astype(np.float32), NOTHING_TO_DO
    state = _State(system, start)
    if state.is_free:
        return state.x, SolveReport(system.size, 0, 0.0, 0.0, True)
    coarse = coarse_space(state.runs, system.shape, colours, state.add_product)
    report = progress or (lambda _share_done: None)
    turns = _WARM_UP_ITERATIONS if priors else ()
    done = 0
    for turn, count in enumerate(turns):
        most = min(count, max_iterations - done)
        done += _iterate(state, coarse, tolerance, most, _within(report, turn, len(turns) + 1))[0]
        state.add_prior(*_sum_priors(priors, state.x))
    last = _within(report, len(turns), len(turns) + 1)
    more, moved = _iterate(state, coarse, tolerance, max_iterations - done, last)
    return state.x, SolveReport(system.size, done + more, state.residual(), moved, moved <= tolerance)


def _sum_priors(priors: Sequence[PriorTerms], alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Sum the terms of all priors."""
    weight, towards = np.zeros_like(alpha), np.zeros_like(alpha)
    for add_prior in priors:
        checkpoint()
        for total, part in zip((weight, towards), add_prior(alpha), strict=True):
            total += part
    checkpoint()
    return weight, towards


def _within(report: Progress, turn: int, turns: int) -> Progress:
    """Report the share done of one of several phases as a share of all."""
    return lambda share: report((turn + share) / turns)


def _iterate(state: "_State", coarse: CoarseSpace, tolerance: float, most: int, report: Progress) -> tuple[int, float]:
    """Iterate until alpha hardly moves, `most` times at most; return the iterations and the last movement."""
    rho = state.precondition(coarse)
    state.update_direction(0.0)
    first, moved, before, share = 0.0, np.inf, state.x.copy(), 0.0
    for done in range(most):
        share = max(share, _share_done(moved, first, tolerance))
        report(share)
        curvature = state.multiply()
        if rho <= 0 or curvature <= _MIN_RELATIVE_CURVATURE * rho:  # only rounding or unconstrained ranges are left
            return done, 0.0
        state.step(rho / curvature)
        if (done + 1) % _CHECK_EVERY == 0:
            moved = float(np.sqrt(np.square(state.x - before).mean(dtype=np.float64)))
            if moved <= tolerance:
                return done + 1, moved
            first, before = max(first, moved), state.x.copy()
        new = state.precondition(coarse)
        state.update_direction(new / rho)
        rho = new
    return most, moved


class _State:
    """The vectors of the iteration, and its steps, each split into ranges of runs."""

    def __init__(self, system: BandSystem, start: FloatArray) -> None:
        self.runs, self.width = system.runs, np.uint64(system.shape[1])
        self.ranges = _ranges(system)
        self.inverse = (_JACOBI_WEIGHT / np.maximum(system.stencil[0], 1e-12)).astype(np.float32)
        rounding = _ROUNDING * float(np.sqrt(np.square(system.stencil[0]).mean(dtype=np.float64)))
        checkpoint()
        self.packed = self._packed(system)
        system.release()
        self.weight = self.towards = np.zeros(system.size, np.float32)
        checkpoint()
        self.p = np.zeros(system.shape[0] * system.shape[1], np.float32)
        self.y = np.zeros_like(self.p)
        self.x, self.r = np.zeros(system.size, np.float32), system.rhs.copy()
        checkpoint()
        self.scale = self._scale(system.rhs)
        self.is_free = self.scale <= max(rounding, 1e-9)  # no fixed neighbour and no prior constrains anything
        checkpoint()
        self._set_direction(start.astype(np.float32))
        self.step(1.0)
        self.z = np.empty_like(self.r)

    def _packed(self, system: BandSystem) -> FloatArray:
        """Repack the stencil for products; see `peel.matte.solve.run_kernels.pack`."""
        before = np.concatenate([[0], np.cumsum(self.runs[:, 1])])
        packed = np.zeros(_ROWS * (system.size + 2 * _RUN_PADDING * len(self.runs)), np.float32)

        def pack(part: slice) -> None:
            start = int(before[part.start])
            into = packed[_ROWS * (start + 2 * _RUN_PADDING * part.start) :]
            kernels.pack(self.runs[part], system.stencil, start, into)

        map_chunks(pack, len(self.runs), _PACK_CHUNK)
        return packed

    def _scale(self, rhs: FloatArray) -> float:
        """Return the norm that residuals are relative to: the same for a matte and for its inverse.

        The right-hand side alone vanishes where all fixed neighbours are backdrop.
        """
        self._set_direction(np.ones_like(rhs))
        inverted = kernels.gather(self.runs, self.y, len(rhs)) - rhs
        self.step(0.0)
        return float(np.sqrt((np.square(rhs).mean(dtype=np.float64) + np.square(inverted).mean(dtype=np.float64)) / 2))

    def _set_direction(self, values: FloatArray) -> None:
        """Set the direction to (N,) values and multiply it by ``A``."""
        self.z = values
        self.update_direction(0.0)
        self.multiply()

    def add_prior(self, weight: FloatArray, towards: FloatArray) -> None:
        """Add a prior to the diagonal and the right-hand side, in place of the one added before."""
        more = weight - self.weight
        kernels.add_diagonal(self.runs, self.packed, more)
        self.inverse = np.float32(_JACOBI_WEIGHT) / (np.float32(_JACOBI_WEIGHT) / self.inverse + more)
        self.r += towards - self.towards - more * self.x
        self.weight, self.towards = weight, towards

    def residual(self) -> float:
        """Return the relative residual."""
        return float(np.sqrt(np.square(self.r).mean(dtype=np.float64))) / self.scale

    def multiply(self) -> float:
        """Write ``A p`` to `y`; return ``p A p``.

        The rows at a seam are multiplied after both sides, since they write to both.
        """
        sides, seams = self.ranges[::2], self.ranges[1::2]
        total = sum(run_all([partial(self._multiply, part) for part in sides]))
        return total + sum(self._multiply(part) for part in seams)

    def _multiply(self, part: RunRange) -> float:
        return self.add_product(part, self.runs[part.runs], self.p, self.y)

    def add_product(self, part: RunRange, runs: NDArray[np.int64], region: FloatArray, out: FloatArray) -> float:
        """Add a range's share of ``A p`` to a region; return its share of ``p A p``. See `bilinear_basis.Product`."""
        before = _ROWS * (part.values.start + 2 * _RUN_PADDING * part.runs.start)
        return float(kernels.multiply(runs, self.packed[before:], self.width, region, out))

    def step(self, length: float) -> None:
        """Move ``x`` by `length` along `p`."""

        def step(part: RunRange) -> None:
            vectors = (v[part.values] for v in (self.x, self.r))
            kernels.step(self.runs[part.runs], self.p, self.y, np.float32(length), *vectors)

        run_all([partial(step, part) for part in self.ranges])

    def precondition(self, coarse: CoarseSpace) -> float:
        """Write ``M r`` to `z`; return ``r z``."""
        return coarse.precondition(self.r, self.inverse, self.z, self.ranges)

    def update_direction(self, beta: float) -> None:
        """Compute ``p = z + beta p``."""

        def update(part: RunRange) -> None:
            kernels.update_direction(self.runs[part.runs], self.p, np.float32(beta), self.z[part.values])

        run_all([partial(update, part) for part in self.ranges])


def _ranges(system: BandSystem) -> list[RunRange]:
    """Split a large band into an upper side, a seam of two rows and a lower side; a small one is one range."""
    if system.size < _PARALLEL_ABOVE:
        return [RunRange(slice(0, len(system.runs)), slice(0, system.size))]
    rows = system.runs[:, 0] // system.shape[1]
    before = np.concatenate([[0], np.cumsum(system.runs[:, 1])])
    middle = rows[int(np.searchsorted(before, system.size // 2))]
    cuts = [0, *(int(np.searchsorted(rows, middle + k)) for k in (-2, 0)), len(rows)]
    return [RunRange(slice(a, b), slice(int(before[a]), int(before[b]))) for a, b in pairwise(cuts)]


def _share_done(moved: float, first: float, tolerance: float) -> float:
    """Estimate the share done from how far alpha's movement has fallen, on a logarithmic scale."""
    if not tolerance < moved < first:
        return 0.0
    return float(np.log(first / moved) / np.log(first / tolerance))
