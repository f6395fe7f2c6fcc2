"""The far-reaching part of the solver's preconditioner: smooth fields that are linear in the colours.

The matting Laplacian leaves any matte that is a linear function of the colours, window by window, nearly unpunished.
Such mattes are what a diagonal preconditioner needs hundreds of iterations to sort out. A coarse space that holds
them, hat functions on a grid each times one and the three colours, solves for them at once.

References
----------
.. [1] I. Babuska, J. M. Melenk, "The partition of unity method", International Journal for Numerical Methods in
   Engineering 40(4), 1997, pp. 727-758: a coarse basis of local functions under hats.
.. [2] P. Vanek, J. Mandel, M. Brezina, "Algebraic multigrid by smoothed aggregation for second and fourth order
   elliptic problems", Computing 56(3), 1996, pp. 179-196: coarse spaces from what an operator leaves unpunished.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from peel.matte.arrays import FloatArray, IntArray
from peel.matte.parallel import run_all, spans

__all__ = ["CoarseSpace", "Piece", "coarse_space"]

_FUNCTIONS: Final = 4  # one, and the three colours
_NEIGHBOURS: Final = 25  # nodes that a node's hat meets, two pixels of stencil beyond its edge included
_DAMPING: Final = 1e-6  # keeps the factorisation definite where colours are flat and the basis is not independent

_FEW: Final = 60_000  # unknowns up to which the first of two spacings serves best
_SPACINGS: Final = (12, 24)

Product = Callable[[FloatArray], FloatArray]
"""Multiplies a flat padded region by the system; the answer is a padded region too, read on the band only."""


@dataclass(frozen=True)
class Piece:
    """Some of a band's runs, and the unknowns they hold."""

    runs: slice
    values: slice


@dataclass(frozen=True)
class CoarseSpace:
    """A factorised coarse problem.

    Attributes
    ----------
    runs : (R, 2) int64 ndarray
        As in `BandSystem`.
    width : int
        Of the padded region.
    spacing : int
        Pixels between nodes.
    nodes : (GH, GW) int32 ndarray
        Number of each node of the grid, or -1.
    colours : (N, 3) float32 ndarray
        Colours of the unknowns.
    centre : (M, 3) float64 ndarray
        Mean colour around each node, which its colour functions are relative to.
    factor : SuperLU
        Of the coarse matrix.
    """

    runs: NDArray[np.int64]
    width: int
    spacing: int
    nodes: IntArray
    colours: FloatArray
    centre: NDArray[np.float64]
    factor: Any

    def correct(self, residual: FloatArray, correction: FloatArray, pieces: Sequence["Piece"]) -> None:
        """Add to `correction` the answer of the coarse problem to `residual`; both (N,) float32."""
        layout = (self.width, self.spacing, self.nodes)

        def restricted(piece: Piece) -> NDArray[np.float64]:
            sums = np.zeros((len(self.centre), _FUNCTIONS))
            _restrict(self.runs[piece.runs], *layout, self.colours[piece.values], residual[piece.values], sums)
            return sums

        def prolonged(piece: Piece) -> None:
            part = correction[piece.values]
            _prolong(self.runs[piece.runs], *layout, self.colours[piece.values], answer, part)

        sums = np.sum(run_all([partial(restricted, piece) for piece in pieces]), axis=0)
        sums[:, 1:] -= self.centre * sums[:, :1]
        answer = self.factor.solve(sums.ravel()).reshape(-1, _FUNCTIONS)
        answer[:, 0] -= (answer[:, 1:] * self.centre).sum(axis=1)
        run_all([partial(prolonged, piece) for piece in pieces])


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _along(values: Any, at: int, colours: Any, i: int, count: int, offset: Any, step: Any) -> Any:
    """Add up some of a run's values times one and each colour, and the same times the way across the cell."""
    a0 = a1 = a2 = a3 = b0 = b1 = b2 = b3 = np.float32(0)
    for k in range(count):
        v = values[at + k]
        t = (offset + np.float32(k)) * step * v
        r, g, b = colours[i + k, 0], colours[i + k, 1], colours[i + k, 2]
        a0 += v
        a1 += v * r
        a2 += v * g
        a3 += v * b
        b0 += t
        b1 += t * r
        b2 += t * g
        b3 += t * b
    return a0, a1, a2, a3, b0, b1, b2, b3


@njit(
    "void(int64[:,::1], int64, int64, int32[:,::1], float32[:,::1], float32[::1], float64[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _restrict(runs: Any, width: int, spacing: int, nodes: Any, colours: Any, values: Any, sums: Any) -> None:
    """Add up values under each hat, times one and times each colour.

    Along a run the hats of two columns of nodes are linear, so that eight sums serve a cell.
    """
    step = np.float32(1.0 / spacing)
    i = 0
    for run in range(runs.shape[0]):
        y, x = runs[run, 0] // width, runs[run, 0] % width
        row = y // spacing
        down = (y - row * spacing) / spacing
        end = x + runs[run, 1]
        while x < end:
            column = x // spacing
            stop = min(end, (column + 1) * spacing)
            count = stop - x
            offset = np.float32(x - column * spacing)
            a0, a1, a2, a3, b0, b1, b2, b3 = _along(values, i, colours, i, count, offset, step)
            for side in range(2):
                weight = down if side else 1.0 - down
                left, right = nodes[row + side, column], nodes[row + side, column + 1]
                sums[left, 0] += weight * (a0 - b0)
                sums[left, 1] += weight * (a1 - b1)
                sums[left, 2] += weight * (a2 - b2)
                sums[left, 3] += weight * (a3 - b3)
                sums[right, 0] += weight * b0
                sums[right, 1] += weight * b1
                sums[right, 2] += weight * b2
                sums[right, 3] += weight * b3
            i += count
            x = stop


@njit(
    "void(int64[:,::1], int64, int64, int32[:,::1], float32[:,::1], float64[:,::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _prolong(runs: Any, width: int, spacing: int, nodes: Any, colours: Any, answer: Any, out: Any) -> None:
    """Add the field that the coarse answer stands for to `out`."""
    left, right = np.empty(4, np.float32), np.empty(4, np.float32)
    i = 0
    for run in range(runs.shape[0]):
        y, x = runs[run, 0] // width, runs[run, 0] % width
        row = y // spacing
        down = (y - row * spacing) / spacing
        end = x + runs[run, 1]
        while x < end:
            column = x // spacing
            stop = min(end, (column + 1) * spacing)
            count = stop - x
            n00, n01 = nodes[row, column], nodes[row, column + 1]
            n10, n11 = nodes[row + 1, column], nodes[row + 1, column + 1]
            for f in range(4):
                left[f] = (1.0 - down) * answer[n00, f] + down * answer[n10, f]
                right[f] = (1.0 - down) * answer[n01, f] + down * answer[n11, f] - left[f]
            offset = np.float32((x - column * spacing) / spacing)
            step = np.float32(1.0 / spacing)
            l0, l1, l2, l3 = left[0], left[1], left[2], left[3]
            r0, r1, r2, r3 = right[0], right[1], right[2], right[3]
            for k in range(count):
                t = offset + np.float32(k) * step
                r, g, b = colours[i + k, 0], colours[i + k, 1], colours[i + k, 2]
                out[i + k] += l0 + t * r0 + (l1 + t * r1) * r + (l2 + t * r2) * g + (l3 + t * r3) * b
            i += count
            x = stop


@njit(
    "void(int64[:,::1], int64, int64, int32[:,::1], float32[:,::1], float64[:,::1], int64, int64, int64, float32[::1])",
    cache=True,
    nogil=True,
)
def _basis(
    runs: Any,
    width: int,
    spacing: int,
    nodes: Any,
    colours: Any,
    centre: Any,
    row_class: int,
    column_class: int,
    function: int,
    region: Any,
) -> None:
    """Write one function of every third node, whose hats do not meet, to a padded region."""
    zero, step = np.float32(0), np.float32(1.0 / spacing)
    start = 0
    for run in range(runs.shape[0]):
        at = runs[run, 0]
        y, x = at // width, at % width
        row = y // spacing
        down = np.float32(y - row * spacing) * step
        above = row % 3 == row_class
        own_row = row if above else row + 1
        weight = np.float32(1) - down if above else down
        done = 0
        while done < runs[run, 1]:
            column = (x + done) // spacing
            stop = min(runs[run, 1], (column + 1) * spacing - x)
            before = column % 3 == column_class
            if own_row % 3 == row_class and (before or (column + 1) % 3 == column_class):
                node = nodes[own_row, column if before else column + 1]
                across = np.float32(x + done - column * spacing) * step
                level, slope = (
                    (weight - weight * across, -weight * step) if before else (weight * across, weight * step)
                )
                for k in range(done, stop):
                    region[at + k] = level + slope * np.float32(k - done)
                if function > 0:
                    middle = np.float32(centre[node, function - 1])
                    for k in range(done, stop):
                        region[at + k] *= colours[start + k, function - 1] - middle
            else:
                for k in range(done, stop):
                    region[at + k] = zero
            done = stop
        start += runs[run, 1]


@njit(cache=True, nogil=True)
def _beside(position: int, spacing: int, wanted: int) -> int:
    """Give the node line of a class, of every third, whose hat can reach a position; at most two away."""
    cell = position // spacing
    first = cell - 1 if 2 * (position - cell * spacing) < spacing else cell
    return first + (wanted - first) % 3


@njit(
    "void(int64[:,::1], int64, int64, int32[:,::1], float32[:,::1], float32[::1], int64, int64, int64,"
    "float64[:,:,:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _couple(
    runs: Any,
    width: int,
    spacing: int,
    nodes: Any,
    colours: Any,
    product: Any,
    row_class: int,
    column_class: int,
    function: int,
    blocks: Any,
) -> None:
    """Add up what a product of `_basis` gives under each hat: ``blocks[node, place of the other, own, other's]``."""
    half, step = spacing // 2, np.float32(1.0 / spacing)
    i = 0
    for run in range(runs.shape[0]):
        y, x = runs[run, 0] // width, runs[run, 0] % width
        row = y // spacing
        down = (y - row * spacing) / spacing
        other_row = _beside(y, spacing, row_class)
        end = x + runs[run, 1]
        at = runs[run, 0] - x
        while x < end:
            column = x // spacing
            # half a cell at a time: the other node is the same one for all of it
            stop = min(end, column * spacing + (half if x - column * spacing < half else spacing))
            other_column = _beside(x, spacing, column_class)
            offset = np.float32(x - column * spacing)
            a0, a1, a2, a3, b0, b1, b2, b3 = _along(product, at + x, colours, i, stop - x, offset, step)
            for side in range(2):
                weight = down if side else 1.0 - down
                place = (other_row - row - side + 2) * 5 + other_column - column + 2
                left, right = nodes[row + side, column], nodes[row + side, column + 1]
                blocks[left, place, 0, function] += weight * (a0 - b0)
                blocks[left, place, 1, function] += weight * (a1 - b1)
                blocks[left, place, 2, function] += weight * (a2 - b2)
                blocks[left, place, 3, function] += weight * (a3 - b3)
                blocks[right, place - 1, 0, function] += weight * b0
                blocks[right, place - 1, 1, function] += weight * b1
                blocks[right, place - 1, 2, function] += weight * b2
                blocks[right, place - 1, 3, function] += weight * b3
            i += stop - x
            x = stop


def _grid(runs: NDArray[np.int64], shape: tuple[int, int], spacing: int) -> IntArray:
    """Give each node whose hat meets an unknown a number."""
    unknown = np.zeros(shape[0] * shape[1], bool)
    _mark(runs, unknown)
    rows, columns = -(-shape[0] // spacing), -(-shape[1] // spacing)
    padded = np.zeros((rows * spacing, columns * spacing), bool)
    padded[: shape[0], : shape[1]] = unknown.reshape(shape)
    cells = padded.reshape(rows, spacing, columns, spacing).any(axis=(1, 3))
    used = np.zeros((rows + 1, columns + 1), bool)
    for dy in (0, 1):
        for dx in (0, 1):
            used[dy : dy + rows, dx : dx + columns] |= cells
    nodes = np.full(used.shape, -1, np.int32)
    nodes[used] = np.arange(int(used.sum()), dtype=np.int32)
    return nodes


@njit("void(int64[:,::1], boolean[::1])", cache=True, nogil=True)
def _mark(runs: Any, mask: Any) -> None:
    for k in range(runs.shape[0]):
        mask[runs[k, 0] : runs[k, 0] + runs[k, 1]] = True


def _assembled(blocks: NDArray[np.float64], nodes: IntArray) -> sparse.csc_matrix:
    """Lay the blocks into a symmetric sparse matrix."""
    rows, columns = np.nonzero(nodes >= 0)
    padded = np.pad(nodes, 2, constant_values=-1)
    own, other, parts = [], [], []
    for place in range(_NEIGHBOURS):
        neighbour = padded[rows + place // 5, columns + place % 5]
        there = np.flatnonzero((neighbour >= 0) & blocks[:, place].any(axis=(1, 2)))
        own.append(there)
        other.append(neighbour[there])
        parts.append(blocks[there, place])
    size = _FUNCTIONS * len(blocks)
    block = np.concatenate(parts)
    first = np.concatenate(own)[:, None, None] * _FUNCTIONS + np.arange(_FUNCTIONS)[None, :, None]
    second = np.concatenate(other)[:, None, None] * _FUNCTIONS + np.arange(_FUNCTIONS)[None, None, :]
    first, second = np.broadcast_arrays(first, second)
    matrix = sparse.coo_matrix((block.ravel(), (first.ravel(), second.ravel())), shape=(size, size)).tocsc()
    matrix = 0.5 * (matrix + matrix.T)
    diagonal = matrix.diagonal()
    least = max(float(diagonal.max()) * 1e-9, 1e-12)
    return (matrix + sparse.diags(diagonal * _DAMPING + least)).tocsc()


def coarse_space(
    runs: NDArray[np.int64], shape: tuple[int, int], colours: FloatArray, product: Product, spacing: int | None = None
) -> CoarseSpace:
    """Build and factorise the coarse problem ``P' A P`` of a band's system.

    Parameters
    ----------
    runs, shape
        As in `BandSystem`.
    colours : (N, 3) float32 ndarray
        Colours of the unknowns in reading order, in [0, 1].
    product : callable
        Multiplies by the system.
    spacing : int, optional
        Pixels between nodes, even and at least 8; chosen by the number of unknowns if not given. Smaller: fewer
        iterations, more to factorise.

    Returns
    -------
    CoarseSpace
    """
    if spacing is None:
        spacing = _SPACINGS[0] if len(colours) <= _FEW else _SPACINGS[1]
    nodes = _grid(runs, shape, spacing)
    count = int(nodes.max()) + 1
    colours = np.ascontiguousarray(colours, np.float32)
    width = shape[1]
    sums = np.zeros((count, _FUNCTIONS))
    _restrict(runs, width, spacing, nodes, colours, np.ones(len(colours), np.float32), sums)
    centre = np.ascontiguousarray(sums[:, 1:] / np.maximum(sums[:, :1], 1e-9))
    blocks = np.zeros((count, _NEIGHBOURS, _FUNCTIONS, _FUNCTIONS))

    def couple(classes: slice) -> None:
        # hats of other classes fill other places of the blocks: two threads never write the same one
        region = np.zeros(shape[0] * shape[1], np.float32)
        for number in range(classes.start, classes.stop):
            which = (number // 12, number // 4 % 3, number % 4)
            _basis(runs, width, spacing, nodes, colours, centre, *which, region)
            _couple(runs, width, spacing, nodes, colours, product(region), *which, blocks)

    run_all([partial(couple, classes) for classes in spans(9 * _FUNCTIONS, 2)])
    blocks[:, :, 1:] -= centre[:, None, :, None] * blocks[:, :, :1]
    matrix = _assembled(blocks, nodes)
    factor = splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
    return CoarseSpace(runs, width, spacing, nodes, colours, centre, factor)
