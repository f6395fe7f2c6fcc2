"""Read the edge of a marked subject: where the photo is unsure, and where the mark is simply right.

Both sides of the boundary are described by local colour models: the mean and covariance of the plain pixels outside the
mark, and of those inside. What the backdrop explains is backdrop; what it does not, and hangs together with the mark,
is unsure; so is what lies within the mark and looks like the backdrop, or like a mixture of both sides. All of it is
worked out at reduced size.
"""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray, FloatArray, unit_floats
from peel.matte.marking.regions import drop_islands

__all__ = ["Reading", "read_edge", "reduced", "working_step"]

_WORKING_PIXELS: Final = 1_500_000
_REACH: Final = 90  # how far thick pieces outside the mark are followed; all lengths are in working pixels
_DEPTH: Final = 110  # how far gaps are looked for inside the mark
_NEARBY: Final = 48  # half the side of the windows of the colour models
_CORE: Final = 7  # what lies this near the boundary enters neither model
_COARSE: Final = 4  # the models are kept at a quarter of the working size
_EXPLAINED: Final = 3.5  # standard deviations up to which a side explains a colour
_FLOOR: Final = 0.008  # least standard deviation of a side's colours
_THICK: Final = 9  # pieces that a square of this side fits into are no strands
_FLAT: Final = 17  # gaps that a square of this side fits into are parts of the subject, of the backdrop's colour
_BETTER: Final = 2.0  # by how much the backdrop has to explain a gap better, as twice the logarithm of a likelihood
_PLAIN: Final = 2.0  # standard deviations within which a side explains a pixel well
_ALIKE: Final = 0.02  # difference of mean colours below which both sides count as the same
_BRIDGE: Final = 5  # gaps over which pieces of a strand hang together
_OFF: Final = 2  # evidence this near the mark only says that the mark is a little off
_BESIDE: Final = 8  # the same around a strand
_LOOSELY: Final = 1.3  # standard deviations that are evidence enough there
_SLACK: Final = 2  # by which evidence is widened: the faint rims of strands
_NEXT: Final = 18  # how far around a gap its fellows are looked for with less evidence
_SEEN: Final = 14  # how far from the mark the boundary may be
_WIDEST: Final = 60  # most that a blurred edge is wide
_ISLAND: Final = 600  # pixels; smaller pieces of certainty within the band are not trusted
_LEAST: Final = 5  # pixels; smaller pieces of evidence are noise


def working_step(height: int, width: int) -> int:
    """Return by which whole factor a photo is reduced to read its edge.

    >>> working_step(2000, 3000), working_step(4000, 6000)
    (2, 4)
    """
    return max(1, int(np.ceil(np.sqrt(height * width / _WORKING_PIXELS) - 1e-9)))


def reduced(picture: NDArray[Any], step: int) -> FloatArray:
    """Average a picture over squares; what is left over at the right and at the bottom counts as a whole square.

    Parameters
    ----------
    picture : (H, W, ...) uint8 or uint16 ndarray
    step : int

    Returns
    -------
    (ceil(H / step), ceil(W / step), ...) float32 ndarray
        In [0, 1].
    """
    height, width = (-(-side // step) for side in picture.shape[:2])
    down, right = height * step - picture.shape[0], width * step - picture.shape[1]
    if down or right:
        picture = cv2.copyMakeBorder(picture, 0, down, 0, right, cv2.BORDER_REPLICATE)
    small = cv2.resize(picture, (width, height), interpolation=cv2.INTER_AREA)
    return unit_floats(small)


@dataclass(frozen=True)
class Reading:
    """What the photo says about an edge, at the working size; all (h, w).

    Attributes
    ----------
    unsure : bool ndarray
        Where evidence was found that a pixel is not what it is marked as.
    cover : float32 ndarray
        A first estimate of alpha from the local colour models, in [0, 1].
    distance : float32 ndarray
        Of each pixel from the marked boundary, in working pixels.
    steepness : float32 ndarray
        How steeply alpha usually rises along the nearby boundary, per working pixel.
    stray, plain : bool ndarray
        Outside the mark: what the backdrop does not explain, whether or not it hangs together with the mark. Anywhere:
        what one side explains well, over more than a strand's width.
    alike : bool
        Whether the two sides have the same colours along most of the edge, so that colour tells nothing.
    """

    unsure: BoolArray
    cover: FloatArray
    distance: FloatArray
    steepness: FloatArray
    stray: BoolArray
    plain: BoolArray
    alike: bool


@njit("void(float32[:,:,::1], float32[:,:,::1], float32[:,:,::1], int64, float32[:,::1])", cache=True, nogil=True)
def _deviations(colours: Any, mean: Any, root: Any, step: int, out: Any) -> None:
    """Return the Mahalanobis distance of each pixel from a model kept at a coarser size."""
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


def read_edge(
    colours: FloatArray, subject: BoolArray, noise: float = 0.004, joined: BoolArray | None = None
) -> Reading:
    """Read the edge of a marked subject.

    Parameters
    ----------
    colours : (h, w, 3) float32 ndarray
        The photo, or a window of it, at the working size, in [0, 1].
    subject : (h, w) bool ndarray
        What is marked.
    noise : float
        Standard deviation of the photo's noise at that size.
    joined : (h, w) bool ndarray, optional
        What is known to hang together with the subject beyond this window.

    Returns
    -------
    Reading
    """
    inside = subject.astype(np.uint8)
    distances = _Distances(
        cv2.distanceTransform(1 - inside, cv2.DIST_L2, 3), cv2.distanceTransform(inside, cv2.DIST_L2, 3)
    )
    sides = _compared(colours, subject, distances, noise)
    stray, gap = _strays(subject, distances, sides), _gaps(subject, distances, sides)
    roots = inside if joined is None else inside | joined.astype(np.uint8)
    unsure = _with_fellows(_connected((stray | gap).astype(np.uint8), roots), subject, distances, sides)
    distance = distances.to_subject + distances.to_backdrop
    steep = _steepness(sides.cover, distance)
    # The working size alone makes a step four pixels wide.
    ramp = np.clip(1 / np.maximum(steep, 1e-3) - 4, 0, _WIDEST)
    # A few pixels wrongly held within the band pull all strands around them along.
    unsure = ~drop_islands(~unsure & ~((steep > 0) & (distance < 1.3 * ramp)), _ISLAND)
    plain = ((sides.from_backdrop < _PLAIN) | (sides.from_own < _PLAIN)).astype(np.uint8)
    plain = cv2.morphologyEx(plain, cv2.MORPH_OPEN, _disc(_FLAT // 2))
    rim = distance < _SEEN
    alike = bool(rim.any() and np.median(sides.apart[rim]) < _ALIKE)
    return Reading(unsure, sides.cover, distance, steep, stray, plain > 0, alike)


@dataclass(frozen=True)
class _Distances:
    """Of each pixel from the subject and from the backdrop as marked, in working pixels; 0 within them."""

    to_subject: FloatArray
    to_backdrop: FloatArray


@dataclass(frozen=True)
class _Sides:
    """How each pixel compares with both sides.

    Attributes
    ----------
    from_backdrop, from_own : by how many standard deviations it differs from each.
    gain : twice the logarithm of how much better the backdrop explains it.
    cover : its place on the line from the backdrop's mean colour to the subject's, in [0, 1].
    apart : the length of that line.
    """

    from_backdrop: FloatArray
    from_own: FloatArray
    gain: FloatArray
    cover: FloatArray
    apart: FloatArray


def _compared(colours: FloatArray, subject: BoolArray, distances: _Distances, noise: float) -> _Sides:
    height, width = subject.shape
    detail = _detail(colours)
    clear = ~subject & (distances.to_subject > _CORE)
    usual = float(np.percentile(detail[clear][::7], 50)) if clear.any() else 1.0
    plain = np.exp(-((detail / np.float32(1.6 * max(usual, noise))) ** 2))
    backdrop = _Side(colours, clear * (plain + np.float32(1e-4)), noise)
    from_backdrop = backdrop.deviations(colours)
    solid = subject & (distances.to_backdrop > _CORE)
    own = _Side(colours, solid * (np.clip(from_backdrop / (3 * _EXPLAINED), 0, 1) ** 2 + np.float32(1e-4)), noise)
    from_own = own.deviations(colours)
    base = backdrop.centre(height, width)
    line = own.centre(height, width) - base
    length = np.maximum((line**2).sum(-1), 1e-6)
    cover = np.clip(((colours - base) * line).sum(-1) / length, 0, 1)
    gain = cv2.resize(own.spread - backdrop.spread, (width, height)) + from_own**2 - from_backdrop**2
    return _Sides(from_backdrop, from_own, gain, cover, np.sqrt(length))


def _strays(subject: BoolArray, distances: _Distances, sides: _Sides) -> BoolArray:
    """Return what the backdrop does not explain outside the mark: anything near it, strands however far away."""
    stray = ~subject & (sides.from_backdrop > _EXPLAINED)
    thick = cv2.morphologyEx(stray.astype(np.uint8), cv2.MORPH_OPEN, np.ones((_THICK, _THICK), np.uint8)) > 0
    return stray & ((distances.to_subject < _REACH) | ~thick)


def _gaps(subject: BoolArray, distances: _Distances, sides: _Sides) -> BoolArray:
    """Return what looks like the backdrop, or like a mixture with it, within the mark."""
    mixed = (sides.from_own > _EXPLAINED) & (sides.cover < 0.8)
    gap = subject & (distances.to_backdrop < _DEPTH) & (sides.from_backdrop < 4 * _EXPLAINED)
    gap &= (sides.gain > _BETTER) | mixed
    flat = cv2.morphologyEx(gap.astype(np.uint8), cv2.MORPH_OPEN, np.ones((_FLAT, _FLAT), np.uint8))
    return gap & ((distances.to_backdrop < _FLAT) | (cv2.dilate(flat, _disc(_FLAT // 2)) == 0))


def _with_fellows(unsure: BoolArray, subject: BoolArray, distances: _Distances, sides: _Sides) -> BoolArray:
    """Add what is likely the same, around evidence that a slightly wrong mark does not account for."""
    near_gap = cv2.dilate((unsure & (distances.to_backdrop > _OFF)).astype(np.uint8), _disc(_NEXT)) > 0
    near_stray = cv2.dilate((unsure & (distances.to_subject > _OFF)).astype(np.uint8), _disc(_BESIDE)) > 0
    inner = subject & (distances.to_backdrop < _DEPTH)
    unsure = unsure | (inner & near_gap & ((sides.from_own > _LOOSELY) | (sides.cover < 0.95)))
    unsure |= ~subject & near_stray & (sides.from_backdrop > _LOOSELY)
    loose = unsure & (near_gap | near_stray)
    return unsure | (cv2.dilate(loose.astype(np.uint8), _disc(_SLACK)) > 0)


def _steepness(cover: FloatArray, distance: FloatArray) -> FloatArray:
    """Return the usual steepest rise of alpha along the edge, per working pixel, carried outward from the boundary."""
    smooth = cv2.GaussianBlur(cover, (0, 0), 1.5)
    across, down = (cv2.Sobel(smooth, cv2.CV_32F, *order, scale=1 / 8) for order in ((1, 0), (0, 1)))
    seen = (distance <= _SEEN).astype(np.float32)
    window = (2 * _SEEN + 1,) * 2
    steepest = cv2.dilate(np.hypot(across, down) * seen, np.ones(window, np.uint8))
    usual = cv2.blur(steepest * seen, window) / np.maximum(cv2.blur(seen, window), 1e-6)
    usual = np.where(seen > 0, usual, 0).astype(np.float32)
    beyond = cv2.dilate(usual, np.ones((2 * _WIDEST + 1,) * 2, np.uint8))
    return np.asarray(np.where(seen > 0, usual, beyond), np.float32)


def _disc(radius: int) -> ByteArray:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1,) * 2), np.uint8)


def _connected(evidence: ByteArray, inside: ByteArray) -> BoolArray:
    """Keep what hangs together with the mark and is larger than a speck."""
    joined = cv2.morphologyEx(evidence | inside, cv2.MORPH_CLOSE, np.ones((_BRIDGE, _BRIDGE), np.uint8))
    count, labels = cv2.connectedComponents(joined, connectivity=8)
    marked = np.zeros(count, bool)
    marked[np.unique(labels[inside == 1])] = True
    marked[0] = False
    kept = evidence & marked[labels].astype(np.uint8)
    # Pixels of a strand a pixel wide often touch by their corners only, which `drop_islands` does not count.
    _, labels, stats, _ = cv2.connectedComponentsWithStats(kept, connectivity=8)
    large = stats[:, cv2.CC_STAT_AREA] >= _LEAST
    large[0] = False
    return np.asarray(large[labels], bool)
