"""The outline of a subject as one smooth line with its normals, a point every pixel."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter1d

from peel.matte.arrays import FloatArray, IntArray

__all__ = ["Outline", "outline_of"]

_HALF: Final = 0.5
_BLUR: Final = 8.0  # sigma, in pixels of the small matte, that joins strands to one edge
_SMOOTH: Final = 20.0  # sigma along the line, in its points
_SHORT: Final = 80  # points of a line that is not worth walking along


@dataclass(frozen=True, eq=False)
class Outline:
    """Lines around a subject and its holes, one after another, the longest first.

    Attributes
    ----------
    points : (N, 2) float32 ndarray
        x and y in photo pixels, about a pixel apart.
    normals : (N, 2) float32 ndarray
        Of length 1, pointing out of the subject.
    starts : (M,) int ndarray
        Where each line begins.
    """

    points: FloatArray
    normals: FloatArray
    starts: IntArray

    @property
    def length(self) -> int:
        """Its points."""
        return len(self.points)

    def place_of(self, at: tuple[float, float]) -> int:
        """Return the number of the point nearest to a place; 0 without any."""
        if not self.length:
            return 0
        return int(np.argmin(np.square(self.points - np.asarray(at, np.float32)).sum(axis=1)))


def outline_of(alpha: FloatArray, step: int) -> Outline:
    """Find the outline of a subject.

    Parameters
    ----------
    alpha : (h, w) float32 ndarray
        The matte at a fraction of its size.
    step : int
        Photo pixels for a pixel of it.
    """
    soft = cv2.GaussianBlur(alpha, (0, 0), _BLUR)
    padded = cv2.copyMakeBorder((soft > _HALF).astype(np.uint8), 1, 1, 1, 1, cv2.BORDER_CONSTANT)
    lines, _ = cv2.findContours(padded, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    chosen = sorted((line[:, 0] - 1 for line in lines if len(line) >= _SHORT), key=len, reverse=True)
    made = [_walked(np.asarray(line, np.float64), step) for line in chosen]
    if not made:
        return Outline(np.zeros((0, 2), np.float32), np.zeros((0, 2), np.float32), np.zeros(0, np.int32))
    starts = np.cumsum([0, *(len(points) for points, _ in made[:-1])]).astype(np.int32)
    points, normals = (np.concatenate(part).astype(np.float32) for part in zip(*made, strict=True))
    return Outline(points, normals, starts)


def _walked(line: FloatArray, step: int) -> tuple[FloatArray, FloatArray]:
    """Smooth a closed line and put a point on every photo pixel of it."""
    once = gaussian_filter1d(line, _SMOOTH, axis=0, mode="wrap")
    smooth = 2 * once - gaussian_filter1d(once, _SMOOTH, axis=0, mode="wrap")  # gives back what smoothing shrinks
    large = (smooth + 0.5) * step
    closed = np.concatenate([large, large[:1]])
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    places = np.arange(0, along[-1], 1.0)
    points = np.stack([np.interp(places, along, closed[:, k]) for k in range(2)], axis=1)
    ahead, behind = np.roll(points, -3, axis=0), np.roll(points, 3, axis=0)
    tangent = ahead - behind
    tangent /= np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-6)
    # findContours keeps the subject on one side, for holes as well as for outer lines
    return points, np.stack([-tangent[:, 1], tangent[:, 0]], axis=1)
