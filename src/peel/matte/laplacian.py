"""The matting Laplacian over 3x3 windows, on the unsure band only.

References
----------
.. [1] A. Levin, D. Lischinski, Y. Weiss, "A closed-form solution to natural image matting", IEEE Transactions on
   Pattern Analysis and Machine Intelligence 30(2), 2008, pp. 228-242. :doi:`10.1109/TPAMI.2007.1177`
"""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray, IntArray

__all__ = ["BORDER", "BandSystem", "assemble_band", "runs_of"]

BORDER: Final = 2
"""Pixels of padding around the region, so that a 5x5 neighbourhood never leaves the array."""

# The half of the 5x5 neighbourhood that follows a pixel in reading order; the other half is its mirror.
_FORWARD: Final = 12


@dataclass(frozen=True)
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


def runs_of(mask: BoolArray) -> NDArray[np.int64]:
    """List the horizontal runs of True in a mask as flat start and length.

    >>> runs_of(np.array([[0, 1, 1], [1, 0, 1]], bool)).tolist()
    [[1, 2], [3, 1], [5, 1]]
    """
    edges = np.diff(np.pad(mask.astype(np.int8), ((0, 0), (1, 1))), axis=1)
    rows, starts = np.nonzero(edges == 1)
    _, ends = np.nonzero(edges == -1)
    return np.stack([rows * mask.shape[1] + starts, ends - starts], axis=1).astype(np.int64)


@njit(
    "void(float32[:,:,::1], int32[:,::1], float32[:,::1], float64, float32[:,::1], float32[::1])",
    cache=True,
    nogil=True,
)
def _accumulate(image: Any, index: Any, alpha: Any, eps: float, stencil: Any, rhs: Any) -> None:
    """Add every window that touches the band (Levin et al. 2008, eq. 12) to the stencil and right side."""
    height, width = index.shape
    colours = np.empty((9, 3), np.float64)
    whitened = np.empty((9, 3), np.float64)
    members = np.empty(9, np.int32)
    known = np.empty(9, np.float64)
    for y in range(1, height - 1):
        for x in range(1, width - 1):
            touched = False
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    if index[y + dy, x + dx] >= 0:
                        touched = True
            if not touched:
                continue
            inside = True
            m0 = m1 = m2 = 0.0
            k = 0
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    i = index[y + dy, x + dx]
                    if i == -2:
                        inside = False
                    members[k] = i
                    known[k] = alpha[y + dy, x + dx]
                    for c in range(3):
                        colours[k, c] = image[y + dy, x + dx, c]
                    m0 += colours[k, 0]
                    m1 += colours[k, 1]
                    m2 += colours[k, 2]
                    k += 1
            if not inside:
                continue
            m0 /= 9.0
            m1 /= 9.0
            m2 /= 9.0
            s00 = s01 = s02 = s11 = s12 = s22 = 0.0
            for k in range(9):
                colours[k, 0] -= m0
                colours[k, 1] -= m1
                colours[k, 2] -= m2
                a, b, c3 = colours[k, 0], colours[k, 1], colours[k, 2]
                s00 += a * a
                s01 += a * b
                s02 += a * c3
                s11 += b * b
                s12 += b * c3
                s22 += c3 * c3
            r = eps / 9.0
            s00 = s00 / 9.0 + r
            s11 = s11 / 9.0 + r
            s22 = s22 / 9.0 + r
            s01 /= 9.0
            s02 /= 9.0
            s12 /= 9.0
            i00 = s11 * s22 - s12 * s12
            i01 = s02 * s12 - s01 * s22
            i02 = s01 * s12 - s02 * s11
            det = s00 * i00 + s01 * i01 + s02 * i02
            i11 = (s00 * s22 - s02 * s02) / det
            i12 = (s01 * s02 - s00 * s12) / det
            i22 = (s00 * s11 - s01 * s01) / det
            i00 /= det
            i01 /= det
            i02 /= det
            for k in range(9):
                a, b, c3 = colours[k, 0], colours[k, 1], colours[k, 2]
                whitened[k, 0] = i00 * a + i01 * b + i02 * c3
                whitened[k, 1] = i01 * a + i11 * b + i12 * c3
                whitened[k, 2] = i02 * a + i12 * b + i22 * c3
            for k in range(9):
                first = members[k]
                for m in range(k, 9):
                    second = members[m]
                    if first < 0 and second < 0:
                        continue
                    value = -(
                        1.0
                        + whitened[k, 0] * colours[m, 0]
                        + whitened[k, 1] * colours[m, 1]
                        + whitened[k, 2] * colours[m, 2]
                    ) / 9.0
                    if k == m:
                        stencil[0, first] += 1.0 + value
                    elif first >= 0 and second >= 0:
                        dy = m // 3 - k // 3
                        dx = m % 3 - k % 3
                        # offsets in reading order: (0,1) (0,2) (1,-2..2) (2,-2..2)
                        o = dx if dy == 0 else 5 * dy + dx
                        stencil[o, first] += value
                    elif first >= 0:
                        rhs[first] -= value * known[m]
                    else:
                        rhs[second] -= value * known[k]


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
    index: IntArray = np.full(shape, -2, np.int32)
    inner = index[pad:-pad, pad:-pad]
    inner[...] = -1
    inner[unknown] = np.arange(int(unknown.sum()), dtype=np.int32)
    count = int(unknown.sum())
    stencil = np.zeros((_FORWARD + 1, count), np.float32)
    rhs = np.zeros(count, np.float32)
    padded = ((pad, pad), (pad, pad))
    _accumulate(
        np.pad(image, (*padded, (0, 0))), index, np.pad(alpha.astype(np.float32), padded), eps, stencil, rhs
    )
    runs = runs_of(np.pad(unknown, padded))
    return BandSystem(shape, runs, stencil, rhs, unknown)
