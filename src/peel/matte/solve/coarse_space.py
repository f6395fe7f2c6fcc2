"""The coarse-grid corrections of the preconditioner: smooth fields that are linear in the colours.

Any matte that is locally a linear function of the colours lies in the near-null space of the matting Laplacian, and
a diagonal preconditioner needs hundreds of iterations to resolve it. The coarse spaces here contain such mattes: hat
functions on grids of several spacings, each times one and the three colours. The coarsest problem is factorised, the
finer ones are solved by block Jacobi.

References
----------
.. [1] P. Vanek, J. Mandel, M. Brezina, "Algebraic multigrid by smoothed aggregation for second and fourth order
   elliptic problems", Computing 56(3), 1996, pp. 179-196: coarse spaces from the near-null space of an operator.
.. [2] J. H. Bramble, J. E. Pasciak, J. Xu, "Parallel multilevel preconditioners", Mathematics of Computation 55(191),
   1990, pp. 1-22: corrections on all levels, computed independently and added.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

from peel.matte.arrays import FloatArray, IntArray
from peel.matte.parallel import checkpoint, chunks, run_all
from peel.matte.solve.bilinear_basis import (
    NODE_FUNCTIONS,
    NODES_AHEAD,
    BilinearBasis,
    Product,
    RunRange,
    basis_on_band,
    couplings,
)
from peel.matte.solve.bilinear_kernels import add_block

__all__ = ["CoarseSpace", "coarse_space"]

_DAMPING: Final = 1e-6  # keeps the factorisation definite where colours are flat and the basis is not independent
_MIN_RELATIVE_EIGENVALUE: Final = 1e-4  # of a node's block; directions below it are left to other nodes
_SHARE: Final = 0.5  # damping of a node's block solve: neighbours and the coarser grid correct the same errors
_AT_ONCE: Final = 2_000  # blocks inverted per task
_SPACING: Final = 16  # pixels between the nodes of the finest grid
_FACTORISED: Final = (8, 150, 2_500)  # nodes of the coarsest grid: one in 8, within these bounds

_Floats = NDArray[np.float64]


@dataclass(frozen=True)
class _Level:
    """A grid smoothed by block Jacobi: mean colours, inverted blocks, transfers to the next coarser grid."""

    centre: _Floats
    inverse: _Floats
    finer_from_coarser: sparse.csr_matrix
    coarser_from_finer: sparse.csr_matrix

    def answer(self, sums: _Floats) -> _Floats:
        answer = np.empty_like(sums)
        _solve_each(self.inverse, self.centre, sums, answer)
        return answer


@dataclass(frozen=True)
class CoarseSpace:
    """The coarse problems of a band's system.

    Attributes
    ----------
    basis : BilinearBasis
        Of the finest grid.
    levels : list of _Level
        All grids but the coarsest, whose mean colours are `centre` and whose matrix is `factor`.
    """

    basis: BilinearBasis
    levels: list[_Level]
    centre: _Floats
    factor: Any

    def precondition(
        self, residual: FloatArray, jacobi: FloatArray, out: FloatArray, ranges: Sequence[RunRange]
    ) -> float:
        """Write ``jacobi * residual`` plus the coarse corrections to `out`; return ``residual out``; all (N,)."""
        return self.basis.prolong(self._answer(self.basis.restrict(residual, ranges), 0), residual, jacobi, out, ranges)

    def _answer(self, sums: _Floats, depth: int) -> _Floats:
        if depth < len(self.levels):
            level = self.levels[depth]
            answer = level.answer(sums)
            answer += level.finer_from_coarser @ self._answer(level.coarser_from_finer @ sums, depth + 1)
            return answer
        relative = sums.copy()
        relative[:, 1:] -= self.centre * sums[:, :1]
        answer = self.factor.solve(relative.ravel()).reshape(-1, NODE_FUNCTIONS)
        answer[:, 0] -= (answer[:, 1:] * self.centre).sum(axis=1)
        return np.asarray(answer)


@njit("void(float64[:,:,::1], float64[:,::1], float64[:,::1], float64[:,::1])", cache=True, nogil=True)
def _solve_each(inverse: Any, centre: Any, sums: Any, answer: Any) -> None:
    """Multiply each node's sums by its inverted block, whose colours are relative to the node's mean."""
    relative = np.empty(4)
    for k in range(len(sums)):
        relative[0] = sums[k, 0]
        for c in range(3):
            relative[c + 1] = sums[k, c + 1] - centre[k, c] * sums[k, 0]
        for a in range(4):
            answer[k, a] = 0
            for b in range(4):
                answer[k, a] += inverse[k, a, b] * relative[b]
        for c in range(3):
            answer[k, 0] -= centre[k, c] * answer[k, c + 1]


def coarse_space(
    runs: NDArray[np.int64], shape: tuple[int, int], colours: FloatArray, product: Product, spacing: int = _SPACING
) -> CoarseSpace:
    """Build the coarse problems ``P' A P`` of a band's system.

    Parameters
    ----------
    runs, shape
        As in `BandSystem`.
    colours : (N, 3) float32 ndarray
        Colours of the unknowns in reading order, in [0, 1].
    product : callable
        Multiplies by the system.
    spacing : int, optional
        Pixels between the nodes of the finest grid, even and at least 8. Smaller: fewer iterations, more memory.

    Returns
    -------
    CoarseSpace
    """
    basis = basis_on_band(runs, shape, colours, spacing)
    checkpoint()
    mass = basis.restrict(np.ones(len(colours), np.float32), [basis.everything])
    centre = _mean(mass)
    blocks = couplings(basis, centre, product)
    checkpoint()
    blocks[:, :, :, 1:] += centre[_followers(basis.nodes)][:, :, None, :] * blocks[:, :, :, :1]
    return _factorised(basis, mass, blocks)


def _factorised(basis: BilinearBasis, mass: _Floats, blocks: _Floats) -> CoarseSpace:
    """Coarsen the products grid by grid until few enough nodes are left to factorise."""
    levels: list[_Level] = []
    nodes, sums, couples = basis.nodes, mass, blocks
    share, fewest, most = _FACTORISED
    while len(sums) > min(max(len(mass) // share, fewest), most):
        checkpoint()
        coarser, ways = _coarser(nodes)
        centre = _mean(sums)
        inverse = _inverses(_relative(couples[:, :1], centre, centre[:, None])[:, 0])
        levels.append(_Level(centre, inverse, ways, ways.T.tocsr()))
        checkpoint()
        couples = _gathered(couples, nodes, coarser)
        checkpoint()
        sums, nodes = levels[-1].coarser_from_finer @ sums, coarser
    centre, other = _mean(sums), _followers(nodes)
    checkpoint()
    matrix = _assembled(_relative(couples, centre, centre[other]), other)
    checkpoint()
    factor = splu(matrix, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True})
    return CoarseSpace(basis, levels, centre, factor)


def _mean(mass: _Floats) -> _Floats:
    return np.ascontiguousarray(mass[:, 1:] / np.maximum(mass[:, :1], 1e-9))


def _followers(nodes: IntArray) -> NDArray[np.int64]:
    """Return the thirteen nodes from each node on in reading order; 0, whose blocks are zero, for missing ones."""
    padded = np.pad(nodes, 2, constant_values=-1)
    rows, columns = np.nonzero(nodes >= 0)
    steps = [(place + 2) // 5 * 5 for place in range(NODES_AHEAD)]
    found = [padded[rows + 2 + step // 5, columns + 2 + place - step] for place, step in enumerate(steps)]
    return np.maximum(np.stack(found, axis=1), 0).astype(np.int64)


def _relative(blocks: _Floats, own: _Floats, others: _Floats) -> _Floats:
    """Make (M, K, 4, 4) blocks relative to the (M, 3) mean colours of a node and (M, K, 3) of the others."""
    out = blocks.copy()
    out[:, :, 1:] -= own[:, None, :, None] * out[:, :, :1]
    out[:, :, :, 1:] -= others[:, :, None, :] * out[:, :, :, :1]
    return out


def _inverses(blocks: _Floats) -> _Floats:
    """Invert each node's own block except along directions in which colours hardly differ, and damp it."""
    own = np.einsum("nii->ni", blocks)
    least = max(float(own.max()) * 1e-9, 1e-12)
    scale = np.where(own > least, 1 / np.sqrt(np.maximum(own, least)), 0)
    balanced = blocks * scale[:, :, None] * scale[:, None, :]
    parts = chunks(len(blocks), _AT_ONCE)
    inverse = np.concatenate(run_all([partial(_steep_inverses, balanced[part]) for part in parts]))
    return np.ascontiguousarray(_SHARE * inverse * scale[:, :, None] * scale[:, None, :])


def _steep_inverses(blocks: _Floats) -> _Floats:
    values, vectors = np.linalg.eigh(0.5 * (blocks + blocks.transpose(0, 2, 1)))
    inverted = np.where(values > _MIN_RELATIVE_EIGENVALUE, 1 / np.maximum(values, _MIN_RELATIVE_EIGENVALUE), 0)
    return np.asarray((vectors * inverted[:, None, :]) @ vectors.transpose(0, 2, 1))


def _coarser(nodes: IntArray) -> tuple[IntArray, sparse.csr_matrix]:
    """Return the next coarser grid, every second node of every second row, and the interpolation from it."""
    rows, columns = np.nonzero(nodes >= 0)
    width = nodes.shape[1] // 2 + 2
    own, above, weight = [], [], []
    for down in (0, 1):
        for across in (0, 1):
            part = np.where(rows % 2, 0.5, 1.0 - down) * np.where(columns % 2, 0.5, 1.0 - across)
            near = np.flatnonzero(part)
            own.append(near)
            above.append(((rows // 2 + down) * width + columns // 2 + across)[near])
            weight.append(part[near])
    used, numbers = np.unique(np.concatenate(above), return_inverse=True)
    coarser = np.full((nodes.shape[0] // 2 + 2, width), -1, np.int32)
    coarser.ravel()[used] = np.arange(len(used), dtype=np.int32)
    ways = (np.concatenate(weight), (np.concatenate(own), numbers.ravel()))
    return coarser, sparse.csr_matrix(ways, shape=(len(rows), len(used)))


def _gathered(blocks: _Floats, nodes: IntArray, coarser: IntArray) -> _Floats:
    """Sum the blocks of a coarser grid."""
    out = np.zeros((int(coarser.max()) + 1, NODES_AHEAD, NODE_FUNCTIONS, NODE_FUNCTIONS))
    _add_up(blocks, nodes, coarser, out)
    return out


@njit(cache=True, nogil=True)
def _distribute(block: Any, y: int, x: int, v: int, u: int, coarser: Any, out: Any) -> None:
    """Distribute one block; of two mirrored pairs of coarser nodes only the one in reading order is kept."""
    mirrored = y != v or x != u
    weight = 0.5 ** (y % 2 + x % 2 + v % 2 + u % 2)
    for j in range(y // 2, (y + 1) // 2 + 1):
        for i in range(x // 2, (x + 1) // 2 + 1):
            for q in range(v // 2, (v + 1) // 2 + 1):
                for p in range(u // 2, (u + 1) // 2 + 1):
                    place = (q - j) * 5 + p - i
                    if place >= 0:
                        add_block(out[coarser[j, i], place], weight, block)
                    if place <= 0 and mirrored:
                        add_block(out[coarser[q, p], -place], weight, block.T)


@njit("void(float64[:,:,:,::1], int32[:,::1], int32[:,::1], float64[:,:,:,::1])", cache=True, nogil=True)
def _add_up(blocks: Any, nodes: Any, coarser: Any, out: Any) -> None:
    """Add each pair's block to the pairs of coarser nodes whose hat functions contain it."""
    height, width = nodes.shape
    for y in range(height):
        for x in range(width):
            if nodes[y, x] < 0:
                continue
            for place in range(blocks.shape[1]):
                down = (place + 2) // 5
                v, u = y + down, x + place - 5 * down
                if v < height and 0 <= u < width and nodes[v, u] >= 0:
                    _distribute(blocks[nodes[y, x], place], y, x, v, u, coarser, out)


def _assembled(blocks: _Floats, other: NDArray[np.int64]) -> sparse.csc_matrix:
    """Assemble the blocks and their transposes into a symmetric sparse matrix."""
    own, place = np.nonzero(blocks.any(axis=(2, 3)))
    size = NODE_FUNCTIONS * len(blocks)
    first = own[:, None, None] * NODE_FUNCTIONS + np.arange(NODE_FUNCTIONS)[None, :, None]
    second = other[own, place][:, None, None] * NODE_FUNCTIONS + np.arange(NODE_FUNCTIONS)[None, None, :]
    first, second = np.broadcast_arrays(first, second)
    half = blocks[own, place] * np.where(place > 0, 1.0, 0.5)[:, None, None]
    matrix = sparse.coo_matrix((half.ravel(), (first.ravel(), second.ravel())), shape=(size, size)).tocsc()
    matrix = matrix + matrix.T
    diagonal = matrix.diagonal()
    least = max(float(diagonal.max()) * 1e-9, 1e-12)
    return (matrix + sparse.diags(diagonal * _DAMPING + least)).tocsc()
