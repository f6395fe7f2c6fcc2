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

from peel.matte import run_kernels as kernels
from peel.matte.arrays import FloatArray
from peel.matte.coarse_space import CoarseSpace, coarse_space
from peel.matte.hats import Piece
from peel.matte.laplacian import BandSystem
from peel.matte.parallel import checkpoint, in_portions, run_all

__all__ = ["NOTHING_TO_DO", "Progress", "Pull", "SolveReport", "solve_band"]

Progress = Callable[[float], None]
"""Told the share done in [0, 1]."""

Pull = Callable[[FloatArray], tuple[FloatArray, FloatArray]]
"""Given a rough solution, gives weights to add to the diagonal and to the right side."""

_ROWS: Final = 13  # of the stencil
_PACKED_AT_ONCE: Final = 1_000  # runs
_FRINGE: Final = 4  # zeros before and behind each row of a packed run
_CUT_ABOVE: Final = 60_000  # unknowns from which two threads are worth their hand-over
_OWN: Final = 2.0  # how much of a pixel's own answer is taken, beside those of the coarse grids
_ROUGH_TURNS: Final = (8, 6)  # iterations for answers that only decide what is pulled where
_LOOK_EVERY: Final = 4  # iterations, at how far alpha moved
_ROUNDING: Final = 3e-6  # of the diagonal: what sums over a stencil come to by rounding alone
_FLATTEST: Final = 1e-6  # curvature along a direction, of what the preconditioner takes it for, that is none at all


@dataclass(frozen=True)
class SolveReport:
    """What the solver did.

    Attributes
    ----------
    unknowns, iterations : int
    residual : float
        Of the system, relative to what fixed neighbours and colour contribute.
    moved : float
        How far alpha went in the last four iterations, root mean square.
    converged : bool
        Whether that is little enough.
    """

    unknowns: int
    iterations: int
    residual: float
    moved: float
    converged: bool


NOTHING_TO_DO: Final = SolveReport(0, 0, 0.0, 0.0, True)


def solve_band(
    system: BandSystem,
    colours: FloatArray,
    start: FloatArray,
    *,
    tolerance: float = 8e-4,
    max_iterations: int = 500,
    pulls: Sequence[Pull] = (),
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
        Stop when alpha moves by less than this, root mean square, in four iterations: about what is still missing.
        A residual says less: smooth errors, as of sheer cloth, hardly show in it. Smaller: closer, slower.
    max_iterations : int
        Stop there in any case; the report then says it did not converge.
    pulls : sequence of callables, optional
        Asked after each rough solution for what to add to the diagonal and to the right side for the next one.
    progress : callable, optional
        Told the share done before each iteration.
    interim : callable, optional
        Given the first rough solution, to be looked at meanwhile.

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
        return state.x, SolveReport(system.size, 0, 0.0, 0.0, True)
    coarse = coarse_space(state.runs, system.shape, colours, state.add_product)
    told = progress or (lambda _share: None)
    turns = _ROUGH_TURNS if pulls else ()
    done = 0
    for turn, count in enumerate(turns):
        most = min(count, max_iterations - done)
        done += _iterate(state, coarse, tolerance, most, _within(told, turn, len(turns) + 1))[0]
        if interim and turn == 0:
            interim(state.x)
        state.pull(*_together(pulls, state.x))
    last = _within(told, len(turns), len(turns) + 1)
    more, moved = _iterate(state, coarse, tolerance, max_iterations - done, last)
    return state.x, SolveReport(system.size, done + more, state.residual(), moved, moved <= tolerance)


def _together(pulls: Sequence[Pull], alpha: FloatArray) -> tuple[FloatArray, FloatArray]:
    """Add all pulls up."""
    weight, towards = np.zeros_like(alpha), np.zeros_like(alpha)
    for pull in pulls:
        checkpoint()
        for total, part in zip((weight, towards), pull(alpha), strict=True):
            total += part
    checkpoint()
    return weight, towards


def _within(told: Progress, turn: int, turns: int) -> Progress:
    """Tell the share done of one of several turns as that of all."""
    return lambda share: told((turn + share) / turns)


def _iterate(state: "_State", coarse: CoarseSpace, tolerance: float, most: int, told: Progress) -> tuple[int, float]:
    """Iterate at most `most` times, until alpha hardly moves; give the iterations and how far it moved last."""
    rho = state.precondition(coarse)
    state.turn(0.0)
    first, moved, before, share = 0.0, np.inf, state.x.copy(), 0.0
    for done in range(most):
        share = max(share, _share(moved, first, tolerance))
        told(share)
        curvature = state.multiply()
        if rho <= 0 or curvature <= _FLATTEST * rho:  # what is left lies in a piece that nothing holds, or is rounding
            return done, 0.0
        state.step(rho / curvature)
        if (done + 1) % _LOOK_EVERY == 0:
            moved = float(np.sqrt(np.square(state.x - before).mean(dtype=np.float64)))
            if moved <= tolerance:
                return done + 1, moved
            first, before = max(first, moved), state.x.copy()
        new = state.precondition(coarse)
        state.turn(new / rho)
        rho = new
    return most, moved


class _State:
    """The vectors of the iteration, and its steps, each done piece by piece."""

    def __init__(self, system: BandSystem, start: FloatArray) -> None:
        self.runs, self.width = system.runs, np.uint64(system.shape[1])
        self.pieces = _pieces(system)
        self.inverse = (_OWN / np.maximum(system.stencil[0], 1e-12)).astype(np.float32)
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
        self.is_free = self.scale <= max(rounding, 1e-9)  # neither a fixed neighbour nor an estimate holds anything
        checkpoint()
        self._head_for(start.astype(np.float32))
        self.step(1.0)
        self.z = np.empty_like(self.r)

    def _packed(self, system: BandSystem) -> FloatArray:
        """Lay the stencil out for products; see `peel.matte.run_kernels.pack`."""
        before = np.concatenate([[0], np.cumsum(self.runs[:, 1])])
        packed = np.zeros(_ROWS * (system.size + 2 * _FRINGE * len(self.runs)), np.float32)

        def pack(part: slice) -> None:
            start = int(before[part.start])
            into = packed[_ROWS * (start + 2 * _FRINGE * part.start) :]
            kernels.pack(self.runs[part], system.stencil, start, into)

        in_portions(pack, len(self.runs), _PACKED_AT_ONCE)
        return packed

    def _scale(self, rhs: FloatArray) -> float:
        """Give the size of residuals to compare with: the same for a matte and for its inverse.

        The right side alone vanishes where all fixed neighbours are backdrop.
        """
        self._head_for(np.ones_like(rhs))
        inverted = kernels.gather(self.runs, self.y, len(rhs)) - rhs
        self.step(0.0)
        return float(np.sqrt((np.square(rhs).mean(dtype=np.float64) + np.square(inverted).mean(dtype=np.float64)) / 2))

    def _head_for(self, values: FloatArray) -> None:
        """Turn the direction to (N,) values, and multiply it."""
        self.z = values
        self.turn(0.0)
        self.multiply()

    def pull(self, weight: FloatArray, towards: FloatArray) -> None:
        """Add to the diagonal and to the right side, in place of what was added before."""
        more = weight - self.weight
        kernels.add_diagonal(self.runs, self.packed, more)
        self.inverse = np.float32(_OWN) / (np.float32(_OWN) / self.inverse + more)
        self.r += towards - self.towards - more * self.x
        self.weight, self.towards = weight, towards

    def residual(self) -> float:
        """Give the relative residual."""
        return float(np.sqrt(np.square(self.r).mean(dtype=np.float64))) / self.scale

    def multiply(self) -> float:
        """Put ``A p`` into `y`; give ``p A p``.

        The rows before each cut wait until both sides are done: what they add falls across it.
        """
        sides, seams = self.pieces[::2], self.pieces[1::2]
        total = sum(run_all([partial(self._multiply, piece) for piece in sides]))
        return total + sum(self._multiply(piece) for piece in seams)

    def _multiply(self, piece: Piece) -> float:
        return self.add_product(piece, self.runs[piece.runs], self.p, self.y)

    def add_product(self, piece: Piece, runs: NDArray[np.int64], region: FloatArray, out: FloatArray) -> float:
        """Add a piece's share of ``A p`` to a region; give its share of ``p A p``. See `peel.matte.hats.Product`."""
        before = _ROWS * (piece.values.start + 2 * _FRINGE * piece.runs.start)
        return float(kernels.multiply(runs, self.packed[before:], self.width, region, out))

    def step(self, length: float) -> None:
        """Go `length` along `p`."""

        def step(piece: Piece) -> None:
            vectors = (v[piece.values] for v in (self.x, self.r))
            kernels.step(self.runs[piece.runs], self.p, self.y, np.float32(length), *vectors)

        run_all([partial(step, piece) for piece in self.pieces])

    def precondition(self, coarse: CoarseSpace) -> float:
        """Put ``M r`` into `z`; give ``r z``."""
        return coarse.precondition(self.r, self.inverse, self.z, self.pieces)

    def turn(self, beta: float) -> None:
        """Turn the direction: ``p = z + beta p``."""

        def turn(piece: Piece) -> None:
            kernels.turn(self.runs[piece.runs], self.p, np.float32(beta), self.z[piece.values])

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


def _share(moved: float, first: float, tolerance: float) -> float:
    """Guess the share done from how much less alpha moves than at first, on a logarithmic scale."""
    if not tolerance < moved < first:
        return 0.0
    return float(np.log(first / moved) / np.log(first / tolerance))
