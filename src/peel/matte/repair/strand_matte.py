"""The alpha of one strand that was followed: a line with one profile across, as opaque at each place as it looks.

Across a thin line no pixel shows its own colour, and before a busy backdrop each single one misleads; what many places
of one strand have in common does not.
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np
import numpy.typing as npt
from scipy.ndimage import median_filter, uniform_filter1d
from scipy.spatial import cKDTree

from peel.matte.arrays import FloatArray

__all__ = ["StrandMatte", "strand_matte"]

_BIN_PX: Final = 0.5  # of the profile across
_ALIKE: Final = 0.8  # least cosine between a strand's contrast and the subject's at its root
_BEYOND: Final = 2.5  # most by which the subject's own colour lies beyond what the strand shows
_FAINTEST: Final = 0.06  # of the profile, relative to its middle
_PLACES: Final = 9  # over which opacity along a strand is evened
_SEEN: Final = 90.0  # percentile of places that show the strand at its most opaque
_FADE_PX: Final = 1.5

Points = npt.NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class StrandMatte:
    """The alpha of a strand in a window.

    Attributes
    ----------
    top, left : int
        Where the window lies in the picture.
    alpha, weight : (h, w) float32 ndarrays
        In [0, 1]; the weight is 1 on the strand and fades beside it.
    """

    top: int
    left: int
    alpha: FloatArray
    weight: FloatArray


def strand_matte(image: FloatArray, points: Points, side_px: float, root_colour: FloatArray | None) -> StrandMatte:
    """Solve the alpha along a strand.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1], in the encoding in which they mix.
    points : (N, 2) float64 ndarray
        x and y along the strand, at least two, in the picture.
    side_px : float
        How far beside it the backdrop is seen.
    root_colour : (3,) float32 ndarray, optional
        The subject's colour at the root; believed where it lies in the direction in which the strand differs.
    """
    line, along = _densely(points)
    normal = np.stack([-along[:, 1], along[:, 0]], axis=1)
    sides = [_sampled(image, line + sign * side_px * normal) for sign in (-1.0, 1.0)]
    left, right = (median_filter(part, size=(_PLACES, 1), mode="nearest") for part in sides)
    lift = _sampled(image, line) - (left + right) / 2
    own = _direction(lift)
    seen = lift @ own
    full = max(float(np.percentile(seen, _SEEN)), 1e-3)
    behind = (left + right) / 2
    full = _by_root(full, own, root_colour, behind[:_PLACES].mean(axis=0))
    return _drawn(image, line, normal, (left, right), own, full, side_px)


def _densely(points: Points) -> tuple[Points, Points]:
    """Return a path about a pixel apart, and its unit direction."""
    steps = np.hypot(*np.diff(points, axis=0).T)
    way = np.concatenate([[0], np.cumsum(steps)])
    at = np.linspace(0, way[-1], max(int(way[-1]) + 1, 4))
    line = np.stack([np.interp(at, way, points[:, k]) for k in range(2)], axis=1)
    along = np.gradient(uniform_filter1d(line, 5, axis=0, mode="nearest"), axis=0)
    return line, along / np.maximum(np.hypot(*along.T), 1e-9)[:, None]


def _sampled(image: FloatArray, places: Points) -> FloatArray:
    x, y = (np.ascontiguousarray(places[:, k], np.float32)[:, None] for k in range(2))
    return np.asarray(cv2.remap(image, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[:, 0], np.float32)


def _direction(lift: FloatArray) -> FloatArray:
    """Return the direction in which most places differ from the backdrop."""
    mean = np.median(lift, axis=0)
    return np.asarray(mean / max(float(np.linalg.norm(mean)), 1e-6), np.float32)


def _by_root(full: float, own: FloatArray, root: FloatArray | None, behind: FloatArray) -> float:
    """Return the contrast of an opaque strand: the subject's, where that goes on in the strand's own direction."""
    if root is None:
        return full
    lift = root - behind
    reach = float(lift @ own)
    if reach < _ALIKE * float(np.linalg.norm(lift)):
        return full
    return min(max(reach, full), _BEYOND * full)


def _drawn(
    image: FloatArray, line: Points, normal: Points, sides: tuple[FloatArray, FloatArray], own: FloatArray, full: float,
    side_px: float,
) -> StrandMatte:  # fmt: skip
    """Draw the strand: its mean profile across, times how opaque it is along."""
    reach = int(np.ceil(side_px)) + 2
    height, width = image.shape[:2]
    left, top = np.maximum(np.floor(line.min(axis=0)).astype(int) - reach, 0)
    right, bottom = np.minimum(np.ceil(line.max(axis=0)).astype(int) + reach + 1, [width, height])
    near = np.zeros((max(bottom - top, 1), max(right - left, 1)), np.uint8)
    cv2.polylines(near, [np.round(line - [left, top]).astype(np.int32)], isClosed=False, color=1, thickness=2 * reach)
    rows, columns = np.nonzero(near)
    alpha, weight = np.zeros(near.shape, np.float32), np.zeros(near.shape, np.float32)
    if not len(rows):
        return StrandMatte(int(top), int(left), alpha, weight)
    places = np.stack([columns + left, rows + top], axis=1).astype(np.float64)
    distance, nearest = cKDTree(line).query(places)
    across = ((places - line[nearest]) * normal[nearest]).sum(axis=1)
    share = np.clip((across / side_px + 1) / 2, 0, 1)[:, None]
    behind = sides[0][nearest] * (1 - share) + sides[1][nearest] * share
    looks = (image[rows + top, columns + left] - behind) @ own / full
    profile, half = _profile(distance, looks, side_px)
    middle = looks[distance < 1.0], nearest[distance < 1.0]
    opacity = _along(len(line), *middle)
    drawn = opacity[nearest] * np.interp(distance, np.arange(len(profile)) * _BIN_PX, profile, right=0)
    alpha[rows, columns] = np.clip(drawn, 0, 1)
    weight[rows, columns] = np.clip((half + _FADE_PX - distance) / _FADE_PX, 0, 1)
    return StrandMatte(int(top), int(left), alpha, weight)


def _profile(distance: FloatArray, looks: FloatArray, side_px: float) -> tuple[FloatArray, float]:
    """Return how opaque a strand is across, relative to its middle, by half pixels, and where that ends."""
    bins = (distance / _BIN_PX).astype(int)
    count = int(side_px / _BIN_PX)
    mean = np.array([np.median(looks[bins == k]) if (bins == k).any() else 0.0 for k in range(count)])
    mean = np.minimum.accumulate(np.clip(mean / max(float(mean[:2].max()), 1e-3), 0, 1))
    mean[mean < _FAINTEST] = 0
    ends = np.flatnonzero(mean == 0)
    half = float(ends[0] if len(ends) else count) * _BIN_PX
    return np.asarray(mean, np.float32), half


def _along(count: int, looks: FloatArray, where: npt.NDArray[np.int64]) -> FloatArray:
    """Return how opaque a strand is at each place along it; what is in between goes over gaps."""
    most = np.zeros(count)
    np.maximum.at(most, where, looks)
    even = uniform_filter1d(median_filter(most, _PLACES, mode="nearest"), 5, mode="nearest")
    return np.asarray(np.clip(even, 0.05, 1), np.float32)
