"""Place a picture by a homography, applied once from the original, premultiplied, with a good filter either way.

References
----------
.. [1] R. G. Keys, "Cubic convolution interpolation for digital image processing", IEEE Transactions on Acoustics,
   Speech, and Signal Processing 29(6), 1981, pp. 1153-1160. :doi:`10.1109/TASSP.1981.1163711`
"""

from collections.abc import Callable
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import FloatArray
from peel.matte.composite.homography import mapped

__all__ = ["Read", "source_window", "warped"]

Read = Callable[[tuple[int, int, int, int], int], FloatArray]
"""Returns a window (top, left, bottom, right) of a pyramid level of a picture, (h, w, C) float32."""

_MARGIN: Final = 3  # pixels that cubic interpolation may look beyond a window
_MOST_SAMPLES: Final = 4  # a side, averaged for one pixel
_MOST_LEVEL: Final = 12
_ROOM: Final = 40  # pixels beyond a window that coarser levels may average in


def warped(
    read: Read,
    size: tuple[int, int],
    matrix: NDArray[Any],
    window: tuple[int, int, int, int],
    *,
    is_solid: bool = False,
) -> FloatArray:
    """Return a window of a plane on which a picture was placed.

    Parameters
    ----------
    read : callable
        Of the picture, premultiplied where it has alpha.
    size : (int, int)
        The picture's height and width at level 0.
    matrix : (3, 3) ndarray
        From the picture to the plane; it must map the picture to a convex quadrilateral.
    window : (int, int, int, int)
        Top, left, bottom, right in pixels of the plane.
    is_solid : bool
        Whether the picture is solid up to its border, which then is as sharp as the plane, however much it is enlarged.

    Returns
    -------
    (h, w, C) float32 ndarray
        0 outside the picture; within it, what cubics give, kept within [0, 1].

    Notes
    -----
    Of a picture that becomes smaller, the level is taken whose pixels are nearest to those of the plane and not
    larger, and up to 4 by 4 samples are averaged for a pixel. Results depend on the window; ask for the same ones.
    """
    top, left, bottom, right = window
    seen = _seen(matrix, size, window)
    channels = read((0, 0, 1, 1), 0).shape[2]
    if seen is None:
        return np.zeros((bottom - top, right - left, channels), np.float32)
    within = mapped(np.linalg.inv(matrix), seen)
    least, most = _steps(matrix, within)
    level = min(int(np.floor(np.log2(max(least, 1.0)))), _MOST_LEVEL)
    step = 1 << level
    samples = min(max(int(np.ceil(most / step - 0.01)), 1), _MOST_SAMPLES)
    around = _around(within / step, (-(-size[0] // step), -(-size[1] // step)))
    from_level = matrix @ np.diag([step, step, 1.0]) @ _shift(around[1], around[0])
    to_samples = np.diag([samples, samples, 1.0]) @ _shift(-left, -top) @ from_level
    centred = _shift(-0.5, -0.5) @ to_samples @ _shift(0.5, 0.5)  # OpenCV counts from the middle of a pixel
    shape = ((right - left) * samples, (bottom - top) * samples)
    border = cv2.BORDER_REPLICATE if is_solid else cv2.BORDER_CONSTANT
    out = cv2.warpPerspective(read(around, level), centred, shape, flags=cv2.INTER_CUBIC, borderMode=border)
    if samples > 1:
        out = cv2.resize(out, (right - left, bottom - top), interpolation=cv2.INTER_AREA)
    out = out.reshape(bottom - top, right - left, channels)
    _bound(out)
    if is_solid:
        _cut_off(out, mapped(matrix, _corners(size)), window)
    return np.asarray(out, np.float32)


def source_window(
    size: tuple[int, int], matrix: NDArray[Any], window: tuple[int, int, int, int]
) -> tuple[int, int, int, int] | None:
    """Return the window of a picture that a window of the plane shows, with some room; None if it shows nothing.

    The homography is (3, 3), from the picture to the plane; windows are top, left, bottom, right in pixels.
    """
    seen = _seen(matrix, size, window)
    return None if seen is None else _around(mapped(np.linalg.inv(matrix), seen), size, _ROOM)


def _shift(x: float, y: float) -> NDArray[Any]:
    return np.array([[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]])


def _corners(size: tuple[int, int]) -> list[tuple[int, int]]:
    height, width = size
    return [(0, 0), (width, 0), (width, height), (0, height)]


def _cut_off(out: FloatArray, quad: NDArray[Any], window: tuple[int, int, int, int]) -> None:
    """Scale each pixel of a window by how much of it a convex figure covers, about."""
    top, left, bottom, right = window
    turn = np.sign(np.cross(np.append(quad[1] - quad[0], 0), np.append(quad[2] - quad[1], 0))[2])
    lines = np.empty((len(quad), 3))  # of each side: the distance inward is a x + b y + c
    for line, start, end in zip(lines, quad, np.roll(quad, -1, axis=0), strict=True):
        along = (end - start) * turn / np.hypot(*(end - start))
        line[:] = -along[1], along[0], along[1] * start[0] - along[0] * start[1]
    frame = np.array([(left, top, 1), (right, top, 1), (right, bottom, 1), (left, bottom, 1)])
    if (frame @ lines.T).min() < 1:
        _cover(out, lines, top, left)


@njit("void(float32[:,:,::1])", cache=True, nogil=True)
def _bound(out: Any) -> None:
    """Keep values within [0, 1], and premultiplied colours within their alpha."""
    channels = out.shape[2]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            most = min(max(out[y, x, channels - 1], np.float32(0)), np.float32(1)) if channels == 4 else np.float32(1)
            for k in range(channels):
                out[y, x, k] = min(max(out[y, x, k], np.float32(0)), most)


@njit("void(float32[:,:,::1], float64[:,::1], int64, int64)", cache=True, nogil=True)
def _cover(out: Any, lines: Any, top: Any, left: Any) -> None:
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            away = 1.0
            for k in range(lines.shape[0]):
                away = min(away, lines[k, 0] * (left + x + 0.5) + lines[k, 1] * (top + y + 0.5) + lines[k, 2] + 0.5)
            for k in range(out.shape[2]):
                out[y, x, k] *= np.float32(max(away, 0.0))


def _seen(matrix: NDArray[Any], size: tuple[int, int], window: tuple[int, int, int, int]) -> NDArray[Any] | None:
    """Return the part of the window that the picture lies in, as a convex polygon (N, 2); None if there is none."""
    quad = mapped(matrix, _corners(size))
    top, left, bottom, right = window
    # a little more than the window, so that samples on its border are covered
    frame = np.array([(left - 1, top - 1), (right + 1, top - 1), (right + 1, bottom + 1), (left - 1, bottom + 1)])
    if (quad.max(axis=0) <= frame[0]).any() or (quad.min(axis=0) >= frame[2]).any():
        return None
    at = frame[0]  # nearer to 0, where float32 is fine
    area, polygon = cv2.intersectConvexConvex((frame - at).astype(np.float32), (quad - at).astype(np.float32))
    if polygon is None or area <= 0:
        return None
    return np.asarray(polygon.reshape(-1, 2) + at, np.float64)


def _steps(matrix: NDArray[Any], points: NDArray[Any]) -> tuple[float, float]:
    """Return the least and the largest number of the picture's pixels that one pixel of the plane spans."""
    spans = []
    for x, y in points:
        w = matrix[2] @ (x, y, 1.0)
        u, v = (matrix[0] @ (x, y, 1.0)) / w, (matrix[1] @ (x, y, 1.0)) / w
        jacobian = np.array([matrix[0, :2] - u * matrix[2, :2], matrix[1, :2] - v * matrix[2, :2]]) / w
        stretch = np.linalg.svd(jacobian, compute_uv=False)
        spans += [1 / max(float(part), 1e-9) for part in stretch]
    return min(spans), max(spans)


def _around(points: NDArray[Any], size: tuple[int, int], room: int = _MARGIN) -> tuple[int, int, int, int]:
    """Return the window of a picture around points, with what interpolation looks at."""
    low, high = np.floor(points.min(axis=0)) - room, np.ceil(points.max(axis=0)) + room
    left, top = (int(min(max(low[k], 0), size[1 - k] - 1)) for k in (0, 1))
    right, bottom = (int(min(max(high[k], 1), size[1 - k])) for k in (0, 1))
    return top, left, max(bottom, top + 1), max(right, left + 1)
