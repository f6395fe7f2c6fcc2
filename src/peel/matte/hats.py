"""Fields on a band that are linear in the colours around each node of a grid: hat functions times one and the colours.

References
----------
.. [1] I. Babuska, J. M. Melenk, "The partition of unity method", International Journal for Numerical Methods in
   Engineering 40(4), 1997, pp. 727-758: a coarse basis of local functions under hats.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numpy.typing import NDArray

from peel.matte import hat_kernels as kernels
from peel.matte.arrays import FloatArray, IntArray
from peel.matte.parallel import checkpoint, run_all

__all__ = ["FORWARD", "FUNCTIONS", "Hats", "Piece", "Product", "couplings", "hats_on"]

FUNCTIONS: Final = 4
"""Of a node: one, and the three colours."""

FORWARD: Final = 13
"""Nodes that a node's hat meets, from itself on in reading order: up to two away, as stencils reach beyond a hat."""

_STRIP: Final = 4  # rows of cells looked at in one go: what the system says about them stays in the machine's caches
_STENCIL: Final = 2  # rows that the system reaches


@dataclass(frozen=True)
class Piece:
    """Some of a band's runs, and the unknowns they hold."""

    runs: slice
    values: slice


Product = Callable[[Piece, NDArray[np.int64], FloatArray, FloatArray], object]
"""Adds a piece's share of a product with the system to a second flat padded region; values off the band mean nothing.

The piece's runs come as they lie in the two regions, which may be cut from the whole one. The share is that of each
pair of unknowns whose first one is the piece's.
"""


@dataclass(frozen=True)
class Hats:
    """Hats on a band.

    Attributes
    ----------
    runs : (R, 2) int64 ndarray
        As in `BandSystem`.
    width : int
        Of the padded region.
    spacing : int
        Pixels between nodes; even.
    nodes : (GH, GW) int32 ndarray
        Number of each node of the grid whose hat meets an unknown, or -1.
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
    def everything(self) -> Piece:
        """Give the whole band as one piece."""
        return Piece(slice(0, len(self.runs)), slice(0, self.colours.shape[1]))

    def _loop(self, piece: Piece) -> tuple[Any, ...]:
        """Give what the loops over a piece begin with."""
        return self.runs[piece.runs], self.width, self.spacing, self.nodes, self.colours, piece.values.start

    def restrict(self, values: FloatArray, pieces: Sequence[Piece]) -> NDArray[np.float64]:
        """Add up (N,) float32 values under each hat, times one and times each colour; (M, 4)."""

        def restricted(piece: Piece) -> NDArray[np.float64]:
            sums = np.zeros((self.size, FUNCTIONS))
            kernels.restrict(*self._loop(piece), values, sums)
            return sums

        return np.asarray(np.sum(run_all([partial(restricted, piece) for piece in pieces]), axis=0))

    def prolong(
        self,
        answer: NDArray[np.float64],
        residual: FloatArray,
        own: FloatArray,
        out: FloatArray,
        pieces: Sequence[Piece],
    ) -> float:
        """Write ``own * residual`` and the field with (M, 4) coefficients `answer` to `out`; give ``residual out``."""

        def prolonged(piece: Piece) -> float:
            return float(kernels.prolong(*self._loop(piece), answer, residual, own, out))

        return sum(run_all([partial(prolonged, piece) for piece in pieces]))


def hats_on(runs: NDArray[np.int64], shape: tuple[int, int], colours: FloatArray, spacing: int) -> Hats:
    """Lay hats over a band.

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
    return Hats(runs, shape[1], spacing, nodes, cv2.transpose(np.ascontiguousarray(colours, np.float32)))


def couplings(hats: Hats, centre: NDArray[np.float64], product: Product) -> NDArray[np.float64]:
    """Find what the system makes of each pair of functions under hats that meet.

    Parameters
    ----------
    hats : Hats
    centre : (M, 3) float64 ndarray
        Colours that the second functions of each pair are relative to, for exactness in plain areas.
    product : callable
        Multiplies by the system.

    Returns
    -------
    (M, 13, 4, 4) float64 ndarray
        For each node, the following node in reading order, the node's own function, the other's relative one.
    """
    blocks = np.zeros((hats.size, FORWARD, FUNCTIONS, FUNCTIONS))
    strips = range(0, hats.nodes.shape[0] - 1, _STRIP)

    def couple(top: int) -> None:
        _couple_strip(hats, centre, product, top, blocks)

    # hats reach into the next strip: two threads must not write the same block
    for first in (0, 1):
        run_all([partial(couple, top) for top in strips[first::2]])
    return blocks


def _couple_strip(
    hats: Hats, centre: NDArray[np.float64], product: Product, top: int, blocks: NDArray[np.float64]
) -> None:
    """Add up the couplings seen from the unknowns in some rows of cells, from node row `top` on."""
    above = max(top - 1, 0)  # of the region cut out: stencils reach into the cells above
    rows = hats.runs[:, 0] // hats.width
    first, last = top * hats.spacing, (top + _STRIP) * hats.spacing
    wide, active, own = (
        _between(hats.runs, rows, first - more, last + less)
        for more, less in ((_STENCIL, _STENCIL), (_STENCIL, 0), (0, 0))
    )
    if own.runs.start == own.runs.stop:
        return
    here = hats.runs - (above * hats.spacing * hats.width, 0)
    size = (last - above * hats.spacing + 2 * _STENCIL) * hats.width
    field, answer = np.zeros(size, np.float32), np.zeros(size, np.float32)
    grid = (hats.width, hats.spacing, hats.nodes[above:], hats.colours)
    for number in range(9 * FUNCTIONS):
        checkpoint()
        which = (number // 12, number // 4 % 3, number % 4)
        kernels.write_basis(here[wide.runs], *grid, wide.values.start, centre, *which, field)
        kernels.clear(here[wide.runs], answer)
        product(active, here[active.runs], field, answer)
        kernels.add_couplings(here[own.runs], *grid, own.values.start, answer, *which, blocks)


def _between(runs: NDArray[np.int64], rows: NDArray[np.int64], first: int, last: int) -> Piece:
    """Give the piece that lies in some rows."""
    start, stop = (int(found) for found in np.searchsorted(rows, (first, last)))
    before = int(runs[:start, 1].sum())
    return Piece(slice(start, stop), slice(before, before + int(runs[start:stop, 1].sum())))
