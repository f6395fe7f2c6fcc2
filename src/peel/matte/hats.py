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

import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import FloatArray, IntArray
from peel.matte.parallel import run_all, spans

__all__ = ["FORWARD", "FUNCTIONS", "Hats", "Piece", "Product", "add_block", "couplings", "hats_on"]

FUNCTIONS: Final = 4
"""Of a node: one, and the three colours."""

FORWARD: Final = 13
"""Nodes that a node's hat meets, from itself on in reading order: up to two away, as stencils reach beyond a hat."""

Product = Callable[[FloatArray, FloatArray], None]
"""Multiplies a flat padded region by the system into a second one, whose values off the band mean nothing."""


@dataclass(frozen=True)
class Piece:
    """Some of a band's runs, and the unknowns they hold."""

    runs: slice
    values: slice


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

    def restrict(self, values: FloatArray, pieces: Sequence[Piece]) -> NDArray[np.float64]:
        """Add up (N,) float32 values under each hat, times one and times each colour; (M, 4)."""

        def restricted(piece: Piece) -> NDArray[np.float64]:
            sums = np.zeros((self.size, FUNCTIONS))
            _restrict(
                self.runs[piece.runs],
                self.width,
                self.spacing,
                self.nodes,
                self.colours,
                piece.values.start,
                values,
                sums,
            )
            return sums

        return np.asarray(np.sum(run_all([partial(restricted, piece) for piece in pieces]), axis=0))

    def prolong(self, answer: NDArray[np.float64], out: FloatArray, pieces: Sequence[Piece]) -> None:
        """Add the field with (M, 4) coefficients `answer` to (N,) float32 `out`."""

        def prolonged(piece: Piece) -> None:
            _prolong(
                self.runs[piece.runs],
                self.width,
                self.spacing,
                self.nodes,
                self.colours,
                piece.values.start,
                answer,
                out,
            )

        run_all([partial(prolonged, piece) for piece in pieces])

    def weighed(self, weight: FloatArray) -> NDArray[np.float64]:
        """Give the couplings that (N,) float32 weights of single pixels make; as `couplings`, all colours absolute."""
        blocks = np.zeros((self.size, FORWARD, FUNCTIONS, FUNCTIONS))
        _weigh(self.runs, self.width, self.spacing, self.nodes, self.colours, weight, blocks)
        return blocks


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
    return Hats(runs, shape[1], spacing, nodes, np.ascontiguousarray(colours.T, np.float32))


def couplings(hats: Hats, centre: NDArray[np.float64], size: int, product: Product) -> NDArray[np.float64]:
    """Find what the system makes of each pair of functions under hats that meet.

    Parameters
    ----------
    hats : Hats
    centre : (M, 3) float64 ndarray
        Colours that the second functions of each pair are relative to, for exactness in plain areas.
    size : int
        Of the padded region.
    product : callable
        Multiplies by the system.

    Returns
    -------
    (M, 13, 4, 4) float64 ndarray
        For each node, the following node in reading order, the node's own function, the other's relative one.
    """
    blocks = np.zeros((hats.size, FORWARD, FUNCTIONS, FUNCTIONS))
    grid = (hats.runs, hats.width, hats.spacing, hats.nodes, hats.colours)

    def couple(classes: slice) -> None:
        # hats of other classes fill other places of the blocks: two threads never write the same one
        field, answer = np.zeros(size, np.float32), np.zeros(size, np.float32)
        for number in range(classes.start, classes.stop):
            which = (number // 12, number // 4 % 3, number % 4)
            _basis(*grid, centre, *which, field)
            product(field, answer)
            _couple(*grid, answer, *which, blocks)

    run_all([partial(couple, classes) for classes in spans(9 * FUNCTIONS, 2)])
    return blocks


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def add_block(into: Any, weight: Any, block: Any) -> None:
    """Add a 4x4 block times a weight."""
    for a in range(4):
        for b in range(4):
            into[a, b] += weight * block[a, b]


@njit("void(int64[:,::1], boolean[::1])", cache=True, nogil=True)
def _mark(runs: Any, mask: Any) -> None:
    for k in range(runs.shape[0]):
        mask[runs[k, 0] : runs[k, 0] + runs[k, 1]] = True


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _along(values: Any, at: Any, red: Any, green: Any, blue: Any, i: Any, count: Any, offset: Any, step: Any) -> Any:
    """Add up some of a run's values times one and each colour, and the same times the way across the cell.

    Colours in planes and unsigned indices: the compiler uses the machine's vectors only then, three times faster.
    """
    a0 = a1 = a2 = a3 = b0 = b1 = b2 = b3 = np.float32(0)
    for q in range(count):
        k = np.uint64(q)
        v = values[at + k]
        t = (offset + np.float32(q)) * step * v
        r, g, b = red[i + k], green[i + k], blue[i + k]
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
    "void(int64[:,::1], int64, int64, int32[:,::1], float32[:,::1], int64, float32[::1], float64[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _restrict(
    runs: Any, width: int, spacing: int, nodes: Any, colours: Any, start: int, values: Any, sums: Any
) -> None:
    """Add up values under each hat, times one and times each colour.

    Along a run the hats of two columns of nodes are linear, so that eight sums serve a cell.
    """
    step = np.float32(1.0 / spacing)
    red, green, blue = colours[0], colours[1], colours[2]
    i = np.uint64(start)
    for run in range(runs.shape[0]):
        y, x = runs[run, 0] // width, runs[run, 0] % width
        row, column = y // spacing, x // spacing
        down = (y - row * spacing) / spacing
        end = x + runs[run, 1]
        while x < end:
            stop = min(end, (column + 1) * spacing)
            count = np.uint64(stop - x)
            offset = np.float32(x - column * spacing)
            a0, a1, a2, a3, b0, b1, b2, b3 = _along(values, i, red, green, blue, i, count, offset, step)
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
            column += 1


@njit(
    "void(int64[:,::1], int64, int64, int32[:,::1], float32[:,::1], int64, float64[:,::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _prolong(runs: Any, width: int, spacing: int, nodes: Any, colours: Any, start: int, answer: Any, out: Any) -> None:
    """Add the field that the coarse answer stands for to `out`."""
    step = np.float32(1.0 / spacing)
    red, green, blue = colours[0], colours[1], colours[2]
    left, right = np.empty(4, np.float32), np.empty(4, np.float32)
    i = np.uint64(start)
    for run in range(runs.shape[0]):
        y, x = runs[run, 0] // width, runs[run, 0] % width
        row, column = y // spacing, x // spacing
        down = (y - row * spacing) / spacing
        end = x + runs[run, 1]
        while x < end:
            stop = min(end, (column + 1) * spacing)
            count = np.uint64(stop - x)
            n00, n01 = nodes[row, column], nodes[row, column + 1]
            n10, n11 = nodes[row + 1, column], nodes[row + 1, column + 1]
            for f in range(4):
                left[f] = (1.0 - down) * answer[n00, f] + down * answer[n10, f]
                right[f] = (1.0 - down) * answer[n01, f] + down * answer[n11, f] - left[f]
            offset = np.float32((x - column * spacing) / spacing)
            l0, l1, l2, l3 = left[0], left[1], left[2], left[3]
            r0, r1, r2, r3 = right[0], right[1], right[2], right[3]
            for q in range(count):
                k = i + np.uint64(q)
                t = offset + np.float32(q) * step
                out[k] += l0 + t * r0 + (l1 + t * r1) * red[k] + (l2 + t * r2) * green[k] + (l3 + t * r3) * blue[k]
            i += count
            x = stop
            column += 1


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
    colour = colours[max(function - 1, 0)]
    start = np.uint64(0)
    for run in range(runs.shape[0]):
        at = np.uint64(runs[run, 0])
        y, x = runs[run, 0] // width, runs[run, 0] % width
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
            first, count = np.uint64(done), np.uint64(stop - done)
            if own_row % 3 == row_class and (before or (column + 1) % 3 == column_class):
                node = nodes[own_row, column if before else column + 1]
                across = np.float32(x + done - column * spacing) * step
                level = weight - weight * across if before else weight * across
                slope = -weight * step if before else weight * step
                for q in range(count):
                    region[at + first + np.uint64(q)] = level + slope * np.float32(q)
                if function > 0:
                    middle = np.float32(centre[node, function - 1])
                    for q in range(count):
                        region[at + first + np.uint64(q)] *= colour[start + first + np.uint64(q)] - middle
            else:
                for q in range(count):
                    region[at + first + np.uint64(q)] = zero
            done = stop
        start += np.uint64(runs[run, 1])


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
    """Add up what a product of `_basis` gives under each hat that is the other's own or comes before it."""
    half, step = spacing // 2, np.float32(1.0 / spacing)
    red, green, blue = colours[0], colours[1], colours[2]
    i = np.uint64(0)
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
            count = np.uint64(stop - x)
            offset = np.float32(x - column * spacing)
            if other_row >= row:
                a0, a1, a2, a3, b0, b1, b2, b3 = _along(
                    product, np.uint64(at + x), red, green, blue, i, count, offset, step
                )
                for side in range(2):
                    weight = down if side else 1.0 - down
                    place = (other_row - row - side) * 5 + other_column - column
                    if place >= 0:
                        left = nodes[row + side, column]
                        blocks[left, place, 0, function] += weight * (a0 - b0)
                        blocks[left, place, 1, function] += weight * (a1 - b1)
                        blocks[left, place, 2, function] += weight * (a2 - b2)
                        blocks[left, place, 3, function] += weight * (a3 - b3)
                    if place >= 1:
                        right = nodes[row + side, column + 1]
                        blocks[right, place - 1, 0, function] += weight * b0
                        blocks[right, place - 1, 1, function] += weight * b1
                        blocks[right, place - 1, 2, function] += weight * b2
                        blocks[right, place - 1, 3, function] += weight * b3
            i += count
            x = stop


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _squares(v: Any, red: Any, green: Any, blue: Any, i: Any, count: Any, out: Any) -> None:
    """Add up `v` times one, each colour, and each product of two colours, as a symmetric 4x4 block."""
    s = sr = sg = sb = rr = rg = rb = gg = gb = bb = np.float32(0)
    for q in range(count):
        k = np.uint64(q)
        w, r, g, b = v[k], red[i + k], green[i + k], blue[i + k]
        s += w
        sr += w * r
        sg += w * g
        sb += w * b
        rr += w * r * r
        rg += w * r * g
        rb += w * r * b
        gg += w * g * g
        gb += w * g * b
        bb += w * b * b
    out[0, 0], out[1, 1], out[2, 2], out[3, 3] = s, rr, gg, bb
    out[0, 1] = out[1, 0] = sr
    out[0, 2] = out[2, 0] = sg
    out[0, 3] = out[3, 0] = sb
    out[1, 2] = out[2, 1] = rg
    out[1, 3] = out[3, 1] = rb
    out[2, 3] = out[3, 2] = gb


@njit(
    "void(int64[:,::1], int64, int64, int32[:,::1], float32[:,::1], float32[::1], float64[:,:,:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _weigh(runs: Any, width: int, spacing: int, nodes: Any, colours: Any, weight: Any, blocks: Any) -> None:
    """Add up weights times each product of two functions under hats that share pixels.

    Along a run a product of two hats is a square of the way across the cell, so that three blocks serve a cell.
    """
    step = np.float32(1.0 / spacing)
    red, green, blue = colours[0], colours[1], colours[2]
    v = np.empty((3, spacing), np.float32)
    sums = np.empty((3, 4, 4))
    i = np.uint64(0)
    for run in range(runs.shape[0]):
        y, x = runs[run, 0] // width, runs[run, 0] % width
        row, column = y // spacing, x // spacing
        down = (y - row * spacing) / spacing
        end = x + runs[run, 1]
        while x < end:
            stop = min(end, (column + 1) * spacing)
            count = np.uint64(stop - x)
            for q in range(count):
                t = np.float32(x + q - column * spacing) * step
                v[0, q] = weight[i + np.uint64(q)] * (np.float32(1) - t) * (np.float32(1) - t)
                v[1, q] = weight[i + np.uint64(q)] * (np.float32(1) - t) * t
                v[2, q] = weight[i + np.uint64(q)] * t * t
            for power in range(3):
                _squares(v[power], red, green, blue, i, count, sums[power])
            for side in range(2):
                own = down if side else 1.0 - down
                left, right = nodes[row + side, column], nodes[row + side, column + 1]
                add_block(blocks[left, 0], own * own, sums[0])
                add_block(blocks[left, 1], own * own, sums[1])
                add_block(blocks[right, 0], own * own, sums[2])
            both = down * (1.0 - down)
            add_block(blocks[nodes[row, column], 5], both, sums[0])
            add_block(blocks[nodes[row, column], 6], both, sums[1])
            add_block(blocks[nodes[row, column + 1], 4], both, sums[1])
            add_block(blocks[nodes[row, column + 1], 5], both, sums[2])
            i += count
            x = stop
            column += 1
