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
        """Distance from the boundary on either side.

        (h, w) float32, in working pixels.
        """
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
            b = root[up, at, 1] * x + root[up, at, 2] * y
            c = root[up, at, 3] * x + root[up, at, 4] * y + root[up, at, 5] * z
            out[row, column] = np.sqrt(a * a + b * b + c * c)


@njit("void(float32[:,:,::1], float32[:,::1], int64, float32[:,:,::1])", cache=True, nogil=True)
def _add_moments(colours: Any, weight: Any, step: int, sums: Any) -> None:
    """Sum the weights, the weighted colours and their weighted products over squares of pixels."""
    for row in range(weight.shape[0]):
        up = min(row // step, sums.shape[0] - 1)
        for column in range(weight.shape[1]):
            share = weight[row, column]
            if share == 0:
                continue
            at = min(column // step, sums.shape[1] - 1)
            red, green, blue = colours[row, column, 0], colours[row, column, 1], colours[row, column, 2]
            sums[up, at, 0] += share
            sums[up, at, 1] += share * red
            sums[up, at, 2] += share * green
            sums[up, at, 3] += share * blue
            sums[up, at, 4] += share * red * red
            sums[up, at, 5] += share * red * green
            sums[up, at, 6] += share * red * blue
            sums[up, at, 7] += share * green * green
            sums[up, at, 8] += share * green * blue
            sums[up, at, 9] += share * blue * blue


@njit("void(float32[:,:,::1], float64, float32[:,:,::1], float32[:,:,::1], float32[:,::1])", cache=True, nogil=True)
def _describe(sums: Any, least: float, mean: Any, root: Any, spread: Any) -> None:
    """Write the mean, the inverse Cholesky factor (lower rows) and the log determinant of each covariance."""
    for row in range(sums.shape[0]):
        for column in range(sums.shape[1]):
            part = sums[row, column]
            total = max(float(part[0]), 1e-12)
            red, green, blue = part[1] / total, part[2] / total, part[3] / total
            a = np.sqrt(max(part[4] / total - red * red, 0.0) + least)
            b = (part[5] / total - red * green) / a
            c = (part[6] / total - red * blue) / a
            d = np.sqrt(max(part[7] / total - green * green + least - b * b, least * 1e-2))
            e = (part[8] / total - green * blue - b * c) / d
            f = np.sqrt(max(part[9] / total - blue * blue + least - c * c - e * e, least * 1e-2))
            mean[row, column, 0], mean[row, column, 1], mean[row, column, 2] = red, green, blue
            root[row, column, 0] = 1 / a
            root[row, column, 1], root[row, column, 2] = -b / (a * d), 1 / d
            root[row, column, 3] = (b * e - c * d) / (a * d * f)
            root[row, column, 4], root[row, column, 5] = -e / (d * f), 1 / f
            spread[row, column] = 2 * np.log(a * d * f)


@njit(
    "void(float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], float32[:,::1], float32[:,::1])",
    cache=True,
    nogil=True,
)
def _project(colours: Any, base: Any, other: Any, cover: Any, apart: Any) -> None:
    """Write the place of each pixel on the line between two colours, and the length of that line."""
    for row in range(cover.shape[0]):
        for column in range(cover.shape[1]):
            along, length = np.float32(0), np.float32(0)
            for channel in range(3):
                line = other[row, column, channel] - base[row, column, channel]
                along += (colours[row, column, channel] - base[row, column, channel]) * line
                length += line * line
            length = max(length, np.float32(1e-6))
            cover[row, column] = min(max(along / length, np.float32(0)), np.float32(1))
            apart[row, column] = np.sqrt(length)


class _Side:
    """The local colour model of one side, at a coarse size."""

    def __init__(self, colours: FloatArray, weight: FloatArray, noise: float) -> None:
        height, width = (max(1, side // _COARSE) for side in weight.shape)
        sums = np.zeros((height, width, 10), np.float32)
        # Sums of the fine pixels, not of their averages: a half-covered coarse pixel must not show a mixed colour.
        _add_moments(colours, weight, _COARSE, sums)
        self.mean, self.root = np.empty((height, width, 3), np.float32), np.empty((height, width, 6), np.float32)
        self.spread = np.empty((height, width), np.float32)  # log determinant of the covariance
        _describe(_spread(sums), _FLOOR**2 + noise**2, self.mean, self.root, self.spread)

    def deviations(self, colours: FloatArray) -> FloatArray:
        """Return by how many standard deviations each pixel differs from the side."""
        out = np.empty(colours.shape[:2], np.float32)
        _deviations(colours, self.mean, self.root, _COARSE, out)
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
    red, green, blue = cv2.split(cv2.absdiff(colours, cv2.blur(colours, (9, 9))))
    return cv2.blur(cv2.max(cv2.max(red, green), blue), (5, 5))


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
    colours = np.ascontiguousarray(colours)
    detail = _detail(colours)
    clear = ~subject & (distances.to_subject > _CORE)
    usual = float(np.percentile(detail[clear][::7], 50)) if clear.any() else 1.0
    plain = np.exp(-((detail / np.float32(1.6 * max(usual, noise))) ** 2))
    backdrop = _Side(colours, clear * (plain + np.float32(1e-4)), noise)
    from_backdrop = backdrop.deviations(colours)
    solid = subject & (distances.to_backdrop > _CORE)
    own = _Side(colours, solid * (np.clip(from_backdrop / _FAR, 0, 1) ** 2 + np.float32(1e-4)), noise)
    from_own = own.deviations(colours)
    cover, apart = np.empty((2, height, width), np.float32)
    _project(colours, backdrop.centre(height, width), own.centre(height, width), cover, apart)
    gain = cv2.resize(own.spread - backdrop.spread, (width, height)) + from_own**2 - from_backdrop**2
    return Sides(from_backdrop, from_own, gain, cover, apart)
