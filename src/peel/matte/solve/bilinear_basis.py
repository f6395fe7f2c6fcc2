"""A bilinear basis on a band: hat functions on a grid of nodes, each times one and the three colours.

References
----------
.. [1] I. Babuska, J. M. Melenk, "The partition of unity method", International Journal for Numerical Methods in
   Engineering 40(4), 1997, pp. 727-758: a coarse basis of local functions under hat functions.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte.arrays import FloatArray, IntArray
from peel.matte.parallel import checkpoint, run_all
from peel.matte.solve import bilinear_kernels as kernels

__all__ = ["NODES_AHEAD", "NODE_FUNCTIONS", "BilinearBasis", "Product", "RunRange", "basis_on_band", "couplings"]

NODE_FUNCTIONS: Final = 4
"""Functions per node: one, and the three colours."""

NODES_AHEAD: Final = 13
"""Nodes coupled to a node, itself and those after it in reading order: stencils reach beyond a hat, to two nodes."""

_STRIP: Final = 4  # rows of cells per task: their part of the system fits the cache
_STENCIL: Final = 2  # rows that the stencil reaches


@dataclass(frozen=True)
class RunRange:
    """A range of a band's runs, and the unknowns they hold."""

    runs: slice
    values: slice


Product = Callable[[RunRange, NDArray[np.int64], FloatArray, FloatArray], object]
"""Adds a range's share of a product with the system to a second flat padded region; values off the band are undefined.

The runs are given as they lie in the two regions, which may be cut-outs of the whole one. The share covers each pair
of unknowns whose first one is in the range.
"""


@dataclass(frozen=True)
class BilinearBasis:
    """A hat-function basis on a band.

    Attributes
    ----------
    runs : (R, 2) int64 ndarray
        As in `BandSystem`.
    width : int
        Width of the padded region.
    spacing : int
        Pixels between nodes; even.
    nodes : (GH, GW) int32 ndarray
        Number of each node of the grid whose hat function covers an unknown, or -1.
    colours : (3, N) float32 ndarray
        Colours of the unknowns.
    """

    runs: NDArray[np.int64]
    width: int
    spacing: int
    nodes: IntArray
    colours: FloatArray

    @property
    def size(self) -> int:
        """Number of nodes."""
        return int(self.nodes.max()) + 1

    @property
    def everything(self) -> RunRange:
        """The whole band as one range."""
        return RunRange(slice(0, len(self.runs)), slice(0, self.colours.shape[1]))

    def _loop(self, part: RunRange) -> tuple[Any, ...]:
        """Return the leading arguments of the loops over a range."""
        return self.runs[part.runs], self.width, self.spacing, self.nodes, self.colours, part.values.start

    def restrict(self, values: FloatArray, ranges: Sequence[RunRange]) -> NDArray[np.float64]:
        """Add up (N,) float32 values under each hat function, times one and times each colour; (M, 4)."""

        def restricted(part: RunRange) -> NDArray[np.float64]:
            sums = np.zeros((self.size, NODE_FUNCTIONS))
            kernels.restrict(*self._loop(part), values, sums)
            return sums

        return np.asarray(np.sum(run_all([partial(restricted, part) for part in ranges]), axis=0))

    def prolong(
        self,
        answer: NDArray[np.float64],
        residual: FloatArray,
        own: FloatArray,
        out: FloatArray,
        ranges: Sequence[RunRange],
    ) -> float:
        """Write ``jacobi * residual`` plus the field with (M, 4) coefficients to `out`; return ``residual out``."""

        def prolonged(part: RunRange) -> float:
            return float(kernels.prolong(*self._loop(part), answer, residual, own, out))

        return sum(run_all([partial(prolonged, part) for part in ranges]))


def basis_on_band(runs: NDArray[np.int64], shape: tuple[int, int], colours: FloatArray, spacing: int) -> BilinearBasis:
    """Build the hat-function basis of a band.

    Parameters
    ----------
    runs, shape
        As in `BandSystem`.
    colours : (N, 3) float32 ndarray
        Colours of the unknowns in reading order, in [0, 1].
    spacing : int
        Pixels between nodes; even, and at least 8.
    """
    unknown = np.zeros(shape[0] * shape[1], bool)
    kernels.mark_runs(runs, unknown)
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
    checkpoint()
    return BilinearBasis(runs, shape[1], spacing, nodes, cv2.transpose(np.ascontiguousarray(colours, np.float32)))


def couplings(basis: BilinearBasis, centre: NDArray[np.float64], product: Product) -> NDArray[np.float64]:
    """Compute the Galerkin products of all pairs of basis functions that overlap.

    Parameters
    ----------
    hat functions : Hats
    centre : (M, 3) float64 ndarray
        Colours that the second function of each pair is relative to, for accuracy in plain areas.
    product : callable
        Multiplies by the system.

    Returns
    -------
    (M, 13, 4, 4) float64 ndarray
        For each node, the following node in reading order, the node's own function, the other's relative one.
    """
    blocks = np.zeros((basis.size, NODES_AHEAD, NODE_FUNCTIONS, NODE_FUNCTIONS))
    strips = range(0, basis.nodes.shape[0] - 1, _STRIP)

    def couple(top: int) -> None:
        _couple_strip(basis, centre, product, top, blocks)

    # a hat function reaches into the next strip: two threads must not write the same block
    for first in (0, 1):
        run_all([partial(couple, top) for top in strips[first::2]])
    return blocks


def _couple_strip(
    basis: BilinearBasis, centre: NDArray[np.float64], product: Product, top: int, blocks: NDArray[np.float64]
) -> None:
    """Add the products over the unknowns in some rows of cells, from node row `top` on."""
    above = max(top - 1, 0)  # the cut-out begins here: stencils reach into the cells above
    rows = basis.runs[:, 0] // basis.width
    first, last = top * basis.spacing, (top + _STRIP) * basis.spacing
    wide, active, own = (
        _between(basis.runs, rows, first - more, last + less)
        for more, less in ((_STENCIL, _STENCIL), (_STENCIL, 0), (0, 0))
    )
    if own.runs.start == own.runs.stop:
        return
    here = basis.runs - (above * basis.spacing * basis.width, 0)
    size = (last - above * basis.spacing + 2 * _STENCIL) * basis.width
    field, answer = np.zeros(size, np.float32), np.zeros(size, np.float32)
    grid = (basis.width, basis.spacing, basis.nodes[above:], basis.colours)
    for number in range(9 * NODE_FUNCTIONS):
        checkpoint()
        which = (number // 12, number // 4 % 3, number % 4)
        kernels.write_basis(here[wide.runs], *grid, wide.values.start, centre, *which, field)
        kernels.clear(here[wide.runs], answer)
        product(active, here[active.runs], field, answer)
        kernels.add_couplings(here[own.runs], *grid, own.values.start, answer, *which, blocks)


def _between(runs: NDArray[np.int64], rows: NDArray[np.int64], first: int, last: int) -> RunRange:
    """Return the range of runs in some rows."""
    start, stop = (int(found) for found in np.searchsorted(rows, (first, last)))
    before = int(runs[:start, 1].sum())
    return RunRange(slice(start, stop), slice(before, before + int(runs[start:stop, 1].sum())))
