"""The matting Laplacian over 3x3 windows, on the unsure band only.

References
----------
.. [1] A. Levin, D. Lischinski, Y. Weiss, "A closed-form solution to natural image matting", IEEE Transactions on
   Pattern Analysis and Machine Intelligence 30(2), 2008, pp. 228-242. :doi:`10.1109/TPAMI.2007.1177`
"""

from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.parallel import checkpoint, chunks, run_all

__all__ = ["BORDER", "BandSystem", "assemble_band", "runs_of"]

BORDER: Final = 2
"""Pixels of padding around the region, so that a 5x5 neighbourhood never leaves the array."""

_FORWARD: Final = 12  # neighbours that follow a pixel in its 5x5 neighbourhood; the others follow by symmetry
_ROWS: Final = 64  # rows of pixels per task
_AT_ONCE: Final = 32  # windows per batch: their buffers fit the first-level cache
_KEPT: Final = 5  # rows of couplings held: pixels reach two rows back, windows one row ahead


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
        Contribution of the fixed neighbours.
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
        """Release the stencil, the bulk of the system, once it has been repacked."""
        self.stencil = self.stencil[:, :0]


def runs_of(mask: BoolArray) -> NDArray[np.int64]:
    """List the horizontal runs of True in a mask as flat start and length.

    >>> runs_of(np.array([[0, 1, 1], [1, 0, 1]], bool)).tolist()
    [[1, 2], [3, 1], [5, 1]]
    """
    return _runs(np.ascontiguousarray(mask))


@njit("int64[:,::1](boolean[:,::1])", cache=True, nogil=True)
def _runs(mask: Any) -> Any:
    height, width = mask.shape
    count = 0
    for y in range(height):
        for x in range(width):
            count += mask[y, x] and (x == 0 or not mask[y, x - 1])
    out = np.empty((count, 2), np.int64)
    run = -1
    for y in range(height):
        for x in range(width):
            if mask[y, x]:
                if x == 0 or not mask[y, x - 1]:
                    run += 1
                    out[run, 0], out[run, 1] = y * width + x, 0
                out[run, 1] += 1
    return out


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _centre(image: Any, y: int, x: int, count: Any, colours: Any, means: Any) -> None:
    """Copy the colours under `count` adjacent windows, channel by channel, and compute each window's mean."""
    for v in range(3):
        for u in range(count + 2):
            for c in range(3):
                colours[v, c, u] = image[y - 1 + v, x - 1 + u, c]
    one, two = np.uint64(1), np.uint64(2)
    for c in range(3):
        above, row, below = colours[0, c], colours[1, c], colours[2, c]
        for j in range(count):
            i = np.uint64(j)
            total = above[i] + above[i + one] + above[i + two] + row[i] + row[i + one] + row[i + two]
            means[c, i] = (total + below[i] + below[i + one] + below[i + two]) / 9.0


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _factorise(colours: Any, means: Any, eps: float, count: Any, factor: Any) -> None:
    """Compute the Cholesky factor of each window's regularised covariance, its diagonal inverted."""
    f00, f10, f20, f11, f21, f22 = factor[0], factor[1], factor[2], factor[3], factor[4], factor[5]
    red, green, blue = means[0], means[1], means[2]
    factor[:] = 0.0
    for v in range(3):
        for u in range(3):
            reds, greens, blues = colours[v, 0, u:], colours[v, 1, u:], colours[v, 2, u:]
            for j in range(count):
                i = np.uint64(j)
                r, g, b = reds[i] - red[i], greens[i] - green[i], blues[i] - blue[i]
                f00[i] += r * r
                f10[i] += r * g
                f20[i] += r * b
                f11[i] += g * g
                f21[i] += g * b
                f22[i] += b * b
    for j in range(count):
        i = np.uint64(j)
        i00 = 1.0 / np.sqrt((f00[i] + eps) / 9.0)
        l10, l20 = f10[i] / 9.0 * i00, f20[i] / 9.0 * i00
        i11 = 1.0 / np.sqrt((f11[i] + eps) / 9.0 - l10 * l10)
        l21 = (f21[i] / 9.0 - l20 * l10) * i11
        f00[i], f10[i], f20[i], f11[i], f21[i] = i00, l10, l20, i11, l21
        f22[i] = 1.0 / np.sqrt((f22[i] + eps) / 9.0 - l20 * l20 - l21 * l21)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _whiten(colours: Any, means: Any, factor: Any, count: Any, white: Any) -> None:
    """Whiten the nine colours of each window; the whitened values need only single precision."""
    f00, f10, f20, f11, f21, f22 = factor[0], factor[1], factor[2], factor[3], factor[4], factor[5]
    red, green, blue = means[0], means[1], means[2]
    for k in range(9):
        reds, greens, blues = colours[k // 3, 0, k % 3 :], colours[k // 3, 1, k % 3 :], colours[k // 3, 2, k % 3 :]
        first, second, third = white[k, 0], white[k, 1], white[k, 2]
        for j in range(count):
            i = np.uint64(j)
            w = (reds[i] - red[i]) * f00[i]
            first[i] = w
            z = (greens[i] - green[i] - f10[i] * w) * f11[i]
            second[i] = z
            third[i] = (blues[i] - blue[i] - f20[i] * w - f21[i] * z) * f22[i]


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _add_windows(white: Any, count: Any, y: int, x: int, couplings: Any) -> None:
    """Add the blocks of adjacent windows (Levin et al. 2008, eq. 12) to the rows of couplings."""
    ninth = np.float32(1 / 9)
    for k in range(9):
        rows = couplings[(y + k // 3 - 1) % _KEPT]
        start = x + k % 3 - 1
        a0, a1, a2 = white[k, 0], white[k, 1], white[k, 2]
        for m in range(k, 9):
            out = rows[m % 3 - k % 3 + 5 * (m // 3 - k // 3), start:]
            b0, b1, b2 = white[m, 0], white[m, 1], white[m, 2]
            own = np.float32(1 if m == k else 0)
            for j in range(count):
                i = np.uint64(j)
                out[i] += own - (np.float32(1) + a0[i] * b0[i] + a1[i] * b1[i] + a2[i] * b2[i]) * ninth


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _write_run(
    couplings: Any, unknown: Any, fixed: Any, y: int, x: int, n: Any, first: Any, stencil: Any, rhs: Any
) -> None:
    """Write a run's couplings to the stencil; couplings to fixed pixels go to the right-hand side."""
    for o in range(_FORWARD + 1):
        dy = (o + 2) // 5
        dx = o - 5 * dy
        ahead, behind = couplings[y % _KEPT, o, x:], couplings[(y - dy) % _KEPT, o, x - dx :]
        free, value, value_behind = unknown[y + dy, x + dx :], fixed[y + dy, x + dx :], fixed[y - dy, x - dx :]
        row, side = stencil[o, first:], rhs[first:]
        for j in range(n):
            i = np.uint64(j)
            row[i] = ahead[i] * np.float32(free[i])
            side[i] -= ahead[i] * value[i] + behind[i] * value_behind[i]


@njit(
    "void(float32[:,:,::1], uint8[:,::1], float32[:,::1], float64, int64[:,::1], int64[::1], int64[::1], "
    "float32[:,::1], float32[::1], int64, int64)",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def _assemble_rows(
    image: Any,
    unknown: Any,
    fixed: Any,
    eps: float,
    runs: Any,
    numbers: Any,
    rows: Any,
    stencil: Any,
    rhs: Any,
    top: int,
    bottom: int,
) -> None:
    """Fill in the stencil and the right-hand side of the unknowns in some rows of the padded region.

    Windows of neighbouring rows are computed too, so that no two threads write to the same place.
    """
    height, width = unknown.shape
    colours, means = np.empty((3, 3, _AT_ONCE + 2), np.float64), np.empty((3, _AT_ONCE), np.float64)
    factor, white = np.empty((6, _AT_ONCE), np.float64), np.empty((9, 3, _AT_ONCE), np.float32)
    couplings = np.zeros((_KEPT, _FORWARD + 1, width), np.float32)
    touched = np.zeros(width, np.uint8)
    for y in range(max(top - 3, 3), min(bottom + 1, height - 1)):
        couplings[(y + 1) % _KEPT] = 0
        if y < height - 3:  # a window that reaches beyond the picture is left out
            for x in range(3, width - 3):
                above = unknown[y - 1, x - 1] | unknown[y - 1, x] | unknown[y - 1, x + 1]
                below = unknown[y + 1, x - 1] | unknown[y + 1, x] | unknown[y + 1, x + 1]
                touched[x] = above | below | unknown[y, x - 1] | unknown[y, x] | unknown[y, x + 1]
            x = 3
            while x < width - 3:
                count = 0
                while count < _AT_ONCE and x + count < width - 3 and touched[x + count]:
                    count += 1
                if count:
                    _centre(image, y - 2, x - 2, count, colours, means)
                    _factorise(colours, means, eps, count, factor)
                    _whiten(colours, means, factor, count, white)
                    _add_windows(white, count, y, x, couplings)
                x += max(count, 1)
        done = y - 1
        if top <= done < bottom:
            for r in range(rows[done], rows[done + 1]):
                _write_run(couplings, unknown, fixed, done, runs[r, 0] % width, runs[r, 1], numbers[r], stencil, rhs)


def _bordered(picture: Any) -> Any:
    return cv2.copyMakeBorder(picture, BORDER, BORDER, BORDER, BORDER, cv2.BORDER_CONSTANT, value=0)


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
        Regulariser of the colour covariance. Larger: smoother, less sensitive to faint colour differences.

    Returns
    -------
    BandSystem
        ``A`` is symmetric and positive semi-definite; definite when each piece of band touches a fixed pixel.

    Notes
    -----
    Windows reaching beyond the picture are left out, as in the paper. O(N) time and 52 bytes an unknown.
    """
    height, width = (size + 2 * BORDER for size in unknown.shape)
    padded = _bordered(unknown.view(np.uint8))
    checkpoint()
    fixed = _bordered(alpha)
    fixed[padded > 0] = 0
    checkpoint()
    runs = runs_of(padded.view(bool))
    numbers = np.concatenate([[0], np.cumsum(runs[:, 1])])
    rows = np.searchsorted(runs[:, 0], np.arange(height + 1) * width)
    stencil = np.empty((_FORWARD + 1, numbers[-1]), np.float32)
    rhs = np.zeros(numbers[-1], np.float32)
    whole = (np.ascontiguousarray(image), padded, fixed, eps, runs, numbers, rows, stencil, rhs)
    run_all([partial(_assemble_rows, *whole, part.start, part.stop) for part in chunks(height, _ROWS)])
    return BandSystem((height, width), runs, stencil, rhs, unknown)
