"""The far-reaching part of the solver's preconditioner: smooth fields that are linear in the colours.

The matting Laplacian leaves any matte that is a linear function of the colours, window by window, nearly unpunished.
Such mattes are what a diagonal preconditioner needs hundreds of iterations to sort out. Spaces that hold them, hat
functions on grids of several spacings each times one and the three colours, sort them out at once: the coarsest is
solved exactly, each node of the finer ones for itself.

References
----------
.. [1] P. Vanek, J. Mandel, M. Brezina, "Algebraic multigrid by smoothed aggregation for second and fourth order
   elliptic problems", Computing 56(3), 1996, pp. 179-196: coarse spaces from what an operator leaves unpunished.
.. [2] J. H. Bramble, J. E. Pasciak, J. Xu, "Parallel multilevel preconditioners", Mathematics of Computation 55(191),
   1990, pp. 1-22: corrections on all levels, found beside each other and added up.
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
from peel.matte.hat_kernels import add_block
from peel.matte.hats import FORWARD, FUNCTIONS, Hats, Piece, Product, couplings, hats_on
from peel.matte.parallel import checkpoint, portions, run_all

__all__ = ["CoarseSpace", "coarse_space"]

_DAMPING: Final = 1e-6  # keeps the factorisation definite where colours are flat and the basis is not independent
_FLATTEST: Final = 1e-4  # of a node's own problem: directions that count for less are left to other nodes
_SHARE: Final = 0.5  # of a node's own answer, as its neighbours and the coarser grid answer for the same errors
_AT_ONCE: Final = 2_000  # nodes inverted in one go
_SPACING: Final = 16  # pixels between the nodes of the finest grid
_FACTORISED: Final = (8, 150, 2_500)  # nodes solved exactly: one in so many, but no fewer and no more than these

_Floats = NDArray[np.float64]


@dataclass(frozen=True)
class _Level:
    """A grid whose nodes are solved each for itself: mean colours, inverses of their blocks, way to the next grid."""

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
    """Hats on a band, and what the system makes of them.

    Attributes
    ----------
    hats : Hats
        Of the finest grid.
    levels : list of _Level
        All grids but the coarsest, whose mean colours are `centre` and whose matrix is `factor`.
    """

    hats: Hats
    levels: list[_Level]
    centre: _Floats
    factor: Any

    def precondition(self, residual: FloatArray, own: FloatArray, out: FloatArray, pieces: Sequence[Piece]) -> float:
        """Write ``own * residual`` and the answer of the coarse problems to `out`; give ``residual out``; all (N,)."""
        return self.hats.prolong(self._answer(self.hats.restrict(residual, pieces), 0), residual, own, out, pieces)

    def _answer(self, sums: _Floats, depth: int) -> _Floats:
        if depth < len(self.levels):
            level = self.levels[depth]
            answer = level.answer(sums)
            answer += level.finer_from_coarser @ self._answer(level.coarser_from_finer @ sums, depth + 1)
            return answer
        relative = sums.copy()
        relative[:, 1:] -= self.centre * sums[:, :1]
        answer = self.factor.solve(relative.ravel()).reshape(-1, FUNCTIONS)
        answer[:, 0] -= (answer[:, 1:] * self.centre).sum(axis=1)
        return np.asarray(answer)


@njit("void(float64[:,:,::1], float64[:,::1], float64[:,::1], float64[:,::1])", cache=True, nogil=True)
def _solve_each(inverse: Any, centre: Any, sums: Any, answer: Any) -> None:
    """Multiply each node's sums by its inverse block, which is that of colours relative to its mean."""
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
    hats = hats_on(runs, shape, colours, spacing)
    checkpoint()
    mass = hats.restrict(np.ones(len(colours), np.float32), [hats.everything])
    centre = _mean(mass)
    blocks = couplings(hats, centre, product)
    checkpoint()
    blocks[:, :, :, 1:] += centre[_followers(hats.nodes)][:, :, None, :] * blocks[:, :, :, :1]
    return _factorised(hats, mass, blocks)


def _factorised(hats: Hats, mass: _Floats, blocks: _Floats) -> CoarseSpace:
    """Hand the couplings on from grid to grid until few enough nodes are left to solve exactly."""
    levels: list[_Level] = []
    nodes, sums, couples = hats.nodes, mass, blocks
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
    return CoarseSpace(hats, levels, centre, factor)


def _mean(mass: _Floats) -> _Floats:
    return np.ascontiguousarray(mass[:, 1:] / np.maximum(mass[:, :1], 1e-9))


def _followers(nodes: IntArray) -> NDArray[np.int64]:
    """Give for each node the thirteen from itself on in reading order; 0, whose blocks are zero, for none."""
    padded = np.pad(nodes, 2, constant_values=-1)
    rows, columns = np.nonzero(nodes >= 0)
    steps = [(place + 2) // 5 * 5 for place in range(FORWARD)]
    found = [padded[rows + 2 + step // 5, columns + 2 + place - step] for place, step in enumerate(steps)]
    return np.maximum(np.stack(found, axis=1), 0).astype(np.int64)


def _relative(blocks: _Floats, own: _Floats, others: _Floats) -> _Floats:
    """Turn (M, K, 4, 4) blocks into those of colours relative to (M, 3) own and (M, K, 3) others' mean colours."""
    out = blocks.copy()
    out[:, :, 1:] -= own[:, None, :, None] * out[:, :, :1]
    out[:, :, :, 1:] -= others[:, :, None, :] * out[:, :, :, :1]
    return out


def _inverses(blocks: _Floats) -> _Floats:
    """Invert each node's own block, but for directions in which colours hardly differ, and take its share."""
    own = np.einsum("nii->ni", blocks)
    least = max(float(own.max()) * 1e-9, 1e-12)
    scale = np.where(own > least, 1 / np.sqrt(np.maximum(own, least)), 0)
    balanced = blocks * scale[:, :, None] * scale[:, None, :]
    parts = portions(len(blocks), _AT_ONCE)
    inverse = np.concatenate(run_all([partial(_steep_inverses, balanced[part]) for part in parts]))
    return np.ascontiguousarray(_SHARE * inverse * scale[:, :, None] * scale[:, None, :])


def _steep_inverses(blocks: _Floats) -> _Floats:
    values, vectors = np.linalg.eigh(0.5 * (blocks + blocks.transpose(0, 2, 1)))
    inverted = np.where(values > _FLATTEST, 1 / np.maximum(values, _FLATTEST), 0)
    return np.asarray((vectors * inverted[:, None, :]) @ vectors.transpose(0, 2, 1))


def _coarser(nodes: IntArray) -> tuple[IntArray, sparse.csr_matrix]:
    """Give every second node of every second row, as far as they are needed, and how finer hats add up to theirs."""
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
    """Add blocks up to those of a coarser grid."""
    out = np.zeros((int(coarser.max()) + 1, FORWARD, FUNCTIONS, FUNCTIONS))
    _add_up(blocks, nodes, coarser, out)
    return out


@njit(cache=True, nogil=True)
def _share_out(block: Any, y: int, x: int, v: int, u: int, coarser: Any, out: Any) -> None:
    """Share one block out; of two mirrored pairs of coarser nodes only the one in reading order is kept."""
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
    """Give each pair of nodes' block to the pairs of coarser nodes whose hats they are part of."""
    height, width = nodes.shape
    for y in range(height):
        for x in range(width):
            if nodes[y, x] < 0:
                continue
            for place in range(blocks.shape[1]):
                down = (place + 2) // 5
                v, u = y + down, x + place - 5 * down
                if v < height and 0 <= u < width and nodes[v, u] >= 0:
                    _share_out(blocks[nodes[y, x], place], y, x, v, u, coarser, out)


def _assembled(blocks: _Floats, other: NDArray[np.int64]) -> sparse.csc_matrix:
    """Lay the blocks and their mirrors into a symmetric sparse matrix."""
    own, place = np.nonzero(blocks.any(axis=(2, 3)))
    size = FUNCTIONS * len(blocks)
    first = own[:, None, None] * FUNCTIONS + np.arange(FUNCTIONS)[None, :, None]
    second = other[own, place][:, None, None] * FUNCTIONS + np.arange(FUNCTIONS)[None, None, :]
    first, second = np.broadcast_arrays(first, second)
    half = blocks[own, place] * np.where(place > 0, 1.0, 0.5)[:, None, None]
    matrix = sparse.coo_matrix((half.ravel(), (first.ravel(), second.ravel())), shape=(size, size)).tocsc()
    matrix = matrix + matrix.T
    diagonal = matrix.diagonal()
    least = max(float(diagonal.max()) * 1e-9, 1e-12)
    return (matrix + sparse.diags(diagonal * _DAMPING + least)).tocsc()
