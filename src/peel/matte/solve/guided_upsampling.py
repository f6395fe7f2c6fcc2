"""Enlarge a matte that was solved at a smaller size: coefficients that are linear in the colours follow the photo.

References
----------
.. [1] K. He, J. Sun, "Fast guided filter", arXiv:1505.00996, 2015: coefficients found at a small size and evaluated at
   the full one.
"""

from collections.abc import Callable
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.parallel import map_chunks

__all__ = ["enlarge_matte", "line_coefficients"]

_EPS: Final = 1e-4  # regulariser of the colour covariance
_AVERAGED: Final = 3  # side of the windows over which coefficients are averaged
_ROWS: Final = 64  # per task


@njit("void(float32[:,:,::1], float32[:,::1], float64, float32[:,:,::1], int64, int64)",
      cache=True, nogil=True, fastmath=True, error_model="numpy")  # fmt: skip
def _fit(image: Any, alpha: Any, eps: float, out: Any, top: int, bottom: int) -> None:
    """Fit alpha as a linear function of the colours over 3 x 3 pixels around each one, in some rows."""
    height, width = alpha.shape
    for y in range(top, bottom):
        for x in range(width):
            least, most = alpha[y, x], alpha[y, x]
            for v in range(max(y - 1, 0), min(y + 2, height)):
                for u in range(max(x - 1, 0), min(x + 2, width)):
                    least, most = min(least, alpha[v, u]), max(most, alpha[v, u])
            if least == most:  # plain subject or backdrop
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = 0.0
                out[y, x, 3] = least
                continue
            n, ma = 0.0, 0.0
            m0, m1, m2 = 0.0, 0.0, 0.0
            c00, c01, c02, c11, c12, c22 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            d0, d1, d2 = 0.0, 0.0, 0.0
            for v in range(max(y - 1, 0), min(y + 2, height)):
                for u in range(max(x - 1, 0), min(x + 2, width)):
                    r, g, b, a = image[v, u, 0], image[v, u, 1], image[v, u, 2], alpha[v, u]
                    n += 1
                    ma += a
                    m0 += r
                    m1 += g
                    m2 += b
                    c00 += r * r
                    c01 += r * g
                    c02 += r * b
                    c11 += g * g
                    c12 += g * b
                    c22 += b * b
                    d0 += r * a
                    d1 += g * a
                    d2 += b * a
            m0, m1, m2, ma = m0 / n, m1 / n, m2 / n, ma / n
            c00, c11, c22 = c00 / n - m0 * m0 + eps, c11 / n - m1 * m1 + eps, c22 / n - m2 * m2 + eps
            c01, c02, c12 = c01 / n - m0 * m1, c02 / n - m0 * m2, c12 / n - m1 * m2
            d0, d1, d2 = d0 / n - m0 * ma, d1 / n - m1 * ma, d2 / n - m2 * ma
            i00, i01, i02 = c11 * c22 - c12 * c12, c02 * c12 - c01 * c22, c01 * c12 - c02 * c11
            i11, i12, i22 = c00 * c22 - c02 * c02, c01 * c02 - c00 * c12, c00 * c11 - c01 * c01
            scale = 1.0 / (c00 * i00 + c01 * i01 + c02 * i02)
            w0 = (i00 * d0 + i01 * d1 + i02 * d2) * scale
            w1 = (i01 * d0 + i11 * d1 + i12 * d2) * scale
            w2 = (i02 * d0 + i12 * d1 + i22 * d2) * scale
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = w0, w1, w2
            out[y, x, 3] = ma - w0 * m0 - w1 * m1 - w2 * m2


def line_coefficients(image: FloatArray, alpha: FloatArray) -> FloatArray:
    """Fit a matte as a linear function of the colours around each pixel [1]_.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    alpha : (H, W) float32 ndarray

    Returns
    -------
    (H, W, 4) float32 ndarray
        Three slopes and a constant.
    """
    fitted = np.empty((*alpha.shape, 4), np.float32)
    image, alpha = np.ascontiguousarray(image), np.ascontiguousarray(alpha)
    map_chunks(lambda part: _fit(image, alpha, _EPS, fitted, part.start, part.stop), len(alpha), _ROWS)
    return np.asarray(cv2.blur(fitted, (_AVERAGED, _AVERAGED)), np.float32)


@njit("void(float32[:,:,::1], float32[:,:,::1], boolean[:,::1], int64, int64, int64, float32, float32[:,::1])",
      cache=True, nogil=True, fastmath=True, error_model="numpy")  # fmt: skip
def _evaluate(lines: Any, image: Any, asked: Any, step: int, top: int, left: int, faint: Any, out: Any) -> None:
    """Evaluate coefficients, interpolated between four pixels of the small size; faint values become 0 or 1."""
    rows, columns = lines.shape[0], lines.shape[1]
    for y in range(out.shape[0]):
        v = min(max((y + top + 0.5) / step - 0.5, 0.0), rows - 1.0)
        v0 = int(v)
        v1, b = min(v0 + 1, rows - 1), np.float32(v - v0)
        for x in range(out.shape[1]):
            if not asked[y, x]:
                continue
            u = min(max((x + left + 0.5) / step - 0.5, 0.0), columns - 1.0)
            u0 = int(u)
            u1, a = min(u0 + 1, columns - 1), np.float32(u - u0)
            w00, w01 = (np.float32(1) - a) * (np.float32(1) - b), a * (np.float32(1) - b)
            w10, w11 = (np.float32(1) - a) * b, a * b
            total = np.float32(0)
            for c in range(4):
                line = w00 * lines[v0, u0, c] + w01 * lines[v0, u1, c] + w10 * lines[v1, u0, c] + w11 * lines[v1, u1, c]
                total += line * (image[y, x, c] if c < 3 else np.float32(1))
            total = min(max(total, np.float32(0)), np.float32(1))
            end = min(total, np.float32(1) - total)
            kept = max(min(end, np.float32(2) * (end - faint)), np.float32(0))
            out[y, x] = kept if total < np.float32(0.5) else np.float32(1) - kept


def enlarge_matte(
    lines: FloatArray,
    colours: Callable[[slice], FloatArray],
    asked: BoolArray,
    step: int,
    place: tuple[int, int],
    out: FloatArray,
    faint: float = 0.0,
) -> None:
    """Evaluate the coefficients of a small matte on the colours of a window at the full size.

    Parameters
    ----------
    lines : (h, w, 4) float32 ndarray
        From `line_coefficients`.
    colours : callable
        Returns the colours of some rows of the window, (n, W, 3) float32.
    asked : (H, W) bool ndarray
        Where in the window alpha is wanted.
    step : int
        By how much the small picture is smaller.
    place : (int, int)
        Row and column where the window begins, in pixels of the full size.
    out : (H, W) float32 ndarray
        Alpha in [0, 1] is written here where it is asked for.
    faint : float
        Alpha this close to 0 or 1 becomes 0 or 1; values up to twice as far away are stretched.
    """
    top, left = place

    def rows(part: slice) -> None:
        if asked[part].any():
            image = np.ascontiguousarray(colours(part), np.float32)
            wanted = np.ascontiguousarray(asked[part])
            _evaluate(lines, image, wanted, step, top + part.start, left, np.float32(faint), out[part])

    map_chunks(rows, len(out), _ROWS)
