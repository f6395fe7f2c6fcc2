"""The matting Laplacian over 3x3 windows, on the unsure band only.

References
----------
.. [1] A. Levin, D. Lischinski, Y. Weiss, "A closed-form solution to natural image matting", IEEE Transactions on
   Pattern Analysis and Machine Intelligence 30(2), 2008, pp. 228-242. :doi:`10.1109/TPAMI.2007.1177`
"""

from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray, IntArray
from peel.matte.parallel import checkpoint, run_all

__all__ = ["BORDER", "BandSystem", "assemble_band", "runs_of"]

BORDER: Final = 2
"""Pixels of padding around the region, so that a 5x5 neighbourhood never leaves the array."""

# The half of the 5x5 neighbourhood that follows a pixel in reading order; the other half is its mirror.
_FORWARD: Final = 12
_ROWS: Final = 64  # done at a time
_OUTSIDE: Final = -2  # in the index: beyond the picture; -1 is a fixed pixel

# Row of the stencil that couples the k-th pixel of a window to the m-th, k before m in reading order.
_OFFSETS: Final = np.array(
    [[m % 3 - k % 3 + 5 * (m // 3 - k // 3) if m > k else 0 for m in range(9)] for k in range(9)], np.int64
)


@dataclass
class BandSystem:
    """The linear system ``A x = b`` whose unknowns are the band's pixels in reading order.

    Attributes
    ----------
    shape : tuple of int
        Height and width of the padded region that `positions` refer to.
    runs : (R, 2) int64 ndarray
        Padded flat position and length of each horizontal run of unknowns.
    stencil : (13, N) float32 ndarray
        Row 0 is the diagonal; rows 1-12 couple a pixel to the 12 following it in its 5x5 neighbourhood.
    rhs : (N,) float32 ndarray
        What the fixed neighbours contribute.
    unknown : (H, W) bool ndarray
        The unpadded band.
    """

    shape: tuple[int, int]
    runs: NDArray[np.int64]
    stencil: FloatArray
    rhs: FloatArray
    unknown: BoolArray

    @property
    def size(self) -> int:
        """Number of unknowns."""
        return int(self.rhs.shape[0])

    def release(self) -> None:
        """Let go of the stencil, the bulk of the system, once it is laid out otherwise."""
        self.stencil = self.stencil[:, :0]


def runs_of(mask: BoolArray) -> NDArray[np.int64]:
    """List the horizontal runs of True in a mask as flat start and length.

    >>> runs_of(np.array([[0, 1, 1], [1, 0, 1]], bool)).tolist()
    [[1, 2], [3, 1], [5, 1]]
    """
    edges = np.diff(np.pad(mask.astype(np.int8), ((0, 0), (1, 1))), axis=1)
    rows, starts = np.nonzero(edges == 1)
    _, ends = np.nonzero(edges == -1)
    return np.stack([rows * mask.shape[1] + starts, ends - starts], axis=1).astype(np.int64)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _gather(index: Any, alpha: Any, y: int, x: int, members: Any, known: Any) -> bool:
    """Collect a window's unknowns and fixed values; tell whether it counts: inside the picture, with an unknown."""
    touched = False
    k = 0
    for v in range(y - 1, y + 2):
        for u in range(x - 1, x + 2):
            members[k] = index[v, u]
            known[k] = alpha[v, u]
            if members[k] == _OUTSIDE:
                return False
            touched = touched or members[k] >= 0
            k += 1
    return touched


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _whiten(image: Any, y: int, x: int, eps: float, centred: Any, whitened: Any) -> None:
    """Centre a window's colours, and multiply them by the inverse of their regularised covariance."""
    for c in range(3):
        mean = 0.0
        k = 0
        for v in range(y - 1, y + 2):
            for u in range(x - 1, x + 2):
                centred[k, c] = image[v, u, c]
                mean += centred[k, c]
                k += 1
        for k in range(9):
            centred[k, c] -= mean / 9.0
    s00 = s11 = s22 = eps / 9.0
    s01 = s02 = s12 = 0.0
    for k in range(9):
        r, g, b = centred[k, 0], centred[k, 1], centred[k, 2]
        s00 += r * r / 9.0
        s01 += r * g / 9.0
        s02 += r * b / 9.0
        s11 += g * g / 9.0
        s12 += g * b / 9.0
        s22 += b * b / 9.0
    i00, i01, i02 = s11 * s22 - s12 * s12, s02 * s12 - s01 * s22, s01 * s12 - s02 * s11
    i11, i12, i22 = s00 * s22 - s02 * s02, s01 * s02 - s00 * s12, s00 * s11 - s01 * s01
    scale = 1.0 / (s00 * i00 + s01 * i01 + s02 * i02)
    for k in range(9):
        r, g, b = centred[k, 0], centred[k, 1], centred[k, 2]
        whitened[k, 0] = (i00 * r + i01 * g + i02 * b) * scale
        whitened[k, 1] = (i01 * r + i11 * g + i12 * b) * scale
        whitened[k, 2] = (i02 * r + i12 * g + i22 * b) * scale


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _scatter(members: Any, known: Any, centred: Any, whitened: Any, stencil: Any, rhs: Any) -> None:
    """Add a window's block: to the stencil between unknowns, to the right side beside a fixed pixel."""
    for k in range(9):
        first = members[k]
        if first >= 0:
            own = whitened[k, 0] * centred[k, 0] + whitened[k, 1] * centred[k, 1] + whitened[k, 2] * centred[k, 2]
            stencil[0, first] += 1.0 - (1.0 + own) / 9.0
        for m in range(k + 1, 9):
            second = members[m]
            if first < 0 and second < 0:
                continue
            inner = whitened[k, 0] * centred[m, 0] + whitened[k, 1] * centred[m, 1] + whitened[k, 2] * centred[m, 2]
            value = -(1.0 + inner) / 9.0
            if first >= 0 and second >= 0:
                stencil[_OFFSETS[k, m], first] += value
            elif first >= 0:
                rhs[first] -= value * known[m]
            else:
                rhs[second] -= value * known[k]


@njit(
    "void(float32[:,:,::1], int32[:,::1], float32[:,::1], float64, float32[:,::1], float32[::1], int64, int64)",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def _accumulate(image: Any, index: Any, alpha: Any, eps: float, stencil: Any, rhs: Any, top: int, bottom: int) -> None:
    """Add every window of some rows that touches the band (Levin et al. 2008, eq. 12) to the stencil and right side."""
    centred, whitened = np.empty((9, 3), np.float64), np.empty((9, 3), np.float64)
    members, known = np.empty(9, np.int32), np.empty(9, np.float64)
    for y in range(top, bottom):
        for x in range(1, index.shape[1] - 1):
            if _gather(index, alpha, y, x, members, known):
                _whiten(image, y, x, eps, centred, whitened)
                _scatter(members, known, centred, whitened, stencil, rhs)


def assemble_band(image: FloatArray, unknown: BoolArray, alpha: FloatArray, eps: float) -> BandSystem:
    """Assemble the matting Laplacian for the unknown pixels, with the others held at `alpha`.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    unknown : (H, W) bool ndarray
        The band.
    alpha : (H, W) float32 ndarray
        Read where the band is not.
    eps : float
        Regulariser of the colour covariance. Larger: smoother, less led by faint colour differences.

    Returns
    -------
    BandSystem
        ``A`` is symmetric and positive semi-definite; definite when each piece of band touches a fixed pixel.

    Notes
    -----
    Windows reaching beyond the picture are left out, as in the paper. O(N) time and 52 bytes an unknown.
    """
    pad = BORDER
    height, width = unknown.shape
    shape = (height + 2 * pad, width + 2 * pad)
    index: IntArray = np.full(shape, _OUTSIDE, np.int32)
    inner = index[pad:-pad, pad:-pad]
    inner[...] = -1
    inner[unknown] = np.arange(int(unknown.sum()), dtype=np.int32)
    count = int(unknown.sum())
    stencil = np.zeros((_FORWARD + 1, count), np.float32)
    rhs = np.zeros(count, np.float32)
    padded = ((pad, pad), (pad, pad))
    checkpoint()
    colours, fixed = np.pad(image, (*padded, (0, 0))), np.pad(alpha.astype(np.float32), padded)

    def rows(top: int, bottom: int) -> None:
        for row in range(top, bottom, _ROWS):
            checkpoint()
            _accumulate(colours, index, fixed, eps, stencil, rhs, row, min(row + _ROWS, bottom))

    # windows of the two rows at the cut write to both sides: they wait
    last, middle = shape[0] - 1, shape[0] // 2
    run_all([partial(rows, 1, max(middle - 1, 1)), partial(rows, min(middle + 1, last), last)])
    rows(max(middle - 1, 1), min(middle + 1, last))
    checkpoint()
    runs = runs_of(np.pad(unknown, padded))
    return BandSystem(shape, runs, stencil, rhs, unknown)
