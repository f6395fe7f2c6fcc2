"""Local colour models of both sides of a marked boundary, and how each pixel compares with them.

A side is described by the mean and covariance of its plain pixels in a window, kept at a quarter of the working size.
Lengths are in working pixels.
"""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["Distances", "Sides", "compare_sides"]

_NEARBY: Final = 48  # half the side of the windows of the colour models
_CORE: Final = 7  # pixels this near the boundary enter neither model
_COARSE: Final = 4  # step at which the models are kept
_FAR: Final = 10.5  # standard deviations from the backdrop at which a pixel counts fully for the subject's model
_FLOOR: Final = 0.008  # least standard deviation of a side's colours


@dataclass(frozen=True)
class Distances:
    """Distance of each pixel from the subject and from the backdrop as marked; (h, w) float32, 0 within them."""

    to_subject: FloatArray
    to_backdrop: FloatArray

    @classmethod
    def of(cls, subject: BoolArray) -> "Distances":
        """Measure them from a mark, (h, w) bool."""
        inside = subject.astype(np.uint8)
        return cls(cv2.distanceTransform(1 - inside, cv2.DIST_L2, 3), cv2.distanceTransform(inside, cv2.DIST_L2, 3))

    @property
    def to_boundary(self) -> FloatArray:
        """Distance from the boundary on either side."""
        return self.to_subject + self.to_backdrop


@dataclass(frozen=True)
class Sides:
    """How each pixel compares with both sides; (h, w) float32.

    Attributes
    ----------
    from_backdrop, from_own : Mahalanobis distance from the backdrop's and from the subject's model.
    gain : twice the log likelihood ratio of backdrop to subject.
    cover : place on the line from the backdrop's mean colour to the subject's, in [0, 1].
    apart : length of that line, in colours of [0, 1].
    """

    from_backdrop: FloatArray
    from_own: FloatArray
    gain: FloatArray
    cover: FloatArray
    apart: FloatArray


@njit("void(float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], int64, float32[:,::1])", cache=True, nogil=True)
def _deviations(colours: Any, mean: Any, root: Any, step: int, out: Any) -> None:
    """Write the Mahalanobis distance of each pixel from a model kept at a coarser size."""
    for row in range(colours.shape[0]):
        up = min(row // step, mean.shape[0] - 1)
        for column in range(colours.shape[1]):
            at = min(column // step, mean.shape[1] - 1)
            x = colours[row, column, 0] - mean[up, at, 0]
            y = colours[row, column, 1] - mean[up, at, 1]
            z = colours[row, column, 2] - mean[up, at, 2]
            a = root[up, at, 0] * x
            b = root[up, at, 3] * x + root[up, at, 4] * y
            c = root[up, at, 6] * x + root[up, at, 7] * y + root[up, at, 8] * z
            out[row, column] = np.sqrt(a * a + b * b + c * c)


class _Side:
    """The local colour model of one side, at a coarse size."""

    def __init__(self, colours: FloatArray, weight: FloatArray, noise: float) -> None:
        height, width = weight.shape
        small = (max(1, width // _COARSE), max(1, height // _COARSE))
        pairs = [(i, j) for i in range(3) for j in range(i, 3)]
        shares = cv2.resize(weight, small, interpolation=cv2.INTER_AREA)
        # Sums of the fine pixels, not of their averages: a half-covered coarse pixel must not show a mixed colour.
        sums = [cv2.resize(weight * colours[..., i], small, interpolation=cv2.INTER_AREA) for i in range(3)]
        sums += [
            cv2.resize(weight * colours[..., i] * colours[..., j], small, interpolation=cv2.INTER_AREA)
            for i, j in pairs
        ]
        spread = [_spread(part) for part in (shares, *sums)]
        total = np.maximum(spread[0], 1e-12)
        mean = np.dstack(spread[1:4]) / total[..., None]
        covariance = np.empty((*mean.shape[:2], 3, 3), np.float32)
        for part, (i, j) in zip(spread[4:], pairs, strict=True):
            covariance[..., i, j] = covariance[..., j, i] = part / total - mean[..., i] * mean[..., j]
        covariance[..., range(3), range(3)] += np.float32(_FLOOR**2 + noise**2)
        self.mean = np.ascontiguousarray(mean, np.float32)
        root = np.linalg.inv(np.linalg.cholesky(covariance))
        self.root = np.ascontiguousarray(root.reshape(*mean.shape[:2], 9), np.float32)
        diagonal = root[..., range(3), range(3)]
        self.spread = np.asarray(-2 * np.log(diagonal).sum(-1), np.float32)  # log determinant of the covariance

    def deviations(self, colours: FloatArray) -> FloatArray:
        """Return by how many standard deviations each pixel differs from the side."""
        out = np.empty(colours.shape[:2], np.float32)
        _deviations(np.ascontiguousarray(colours), self.mean, self.root, _COARSE, out)
        return out

    def centre(self, height: int, width: int) -> FloatArray:
        """Return the side's mean colour at every pixel."""
        return cv2.resize(self.mean, (width, height), interpolation=cv2.INTER_LINEAR)


def _spread(sums: FloatArray) -> FloatArray:
    """Sum over windows; where these are empty, over wider and wider ones."""
    half = _NEARBY // _COARSE
    out = np.zeros_like(sums)
    for weight, factor in ((1.0, 1), (1e-3, 3), (1e-6, 9)):
        side = 2 * half * factor + 1
        out += np.float32(weight) * cv2.blur(sums, (side, side), borderType=cv2.BORDER_REFLECT)
    return out


def _detail(colours: FloatArray) -> FloatArray:
    """Return how much a pixel's surroundings vary at the scale of strands."""
    off = np.abs(colours - cv2.blur(colours, (9, 9))).max(axis=2)
    return cv2.blur(off, (5, 5))


def compare_sides(colours: FloatArray, subject: BoolArray, distances: Distances, noise: float) -> Sides:
    """Compare each pixel with both sides of a mark.

    Parameters
    ----------
    colours : (h, w, 3) float32 ndarray
        In [0, 1], at the working size.
    subject : (h, w) bool ndarray
    distances : Distances
        Of `subject`.
    noise : float
        Standard deviation of the noise in `colours`.

    Returns
    -------
    Sides
    """
    height, width = subject.shape
    detail = _detail(colours)
    clear = ~subject & (distances.to_subject > _CORE)
    usual = float(np.percentile(detail[clear][::7], 50)) if clear.any() else 1.0
    plain = np.exp(-((detail / np.float32(1.6 * max(usual, noise))) ** 2))
    backdrop = _Side(colours, clear * (plain + np.float32(1e-4)), noise)
    from_backdrop = backdrop.deviations(colours)
    solid = subject & (distances.to_backdrop > _CORE)
    own = _Side(colours, solid * (np.clip(from_backdrop / _FAR, 0, 1) ** 2 + np.float32(1e-4)), noise)
    from_own = own.deviations(colours)
    base = backdrop.centre(height, width)
    line = own.centre(height, width) - base
    length = np.maximum((line**2).sum(-1), 1e-6)
    cover = np.clip(((colours - base) * line).sum(-1) / length, 0, 1)
    gain = cv2.resize(own.spread - backdrop.spread, (width, height)) + from_own**2 - from_backdrop**2
    return Sides(from_backdrop, from_own, gain, cover, np.sqrt(length))
