"""The contour of a plain edge: of all lines through the band, the one along which the photo is most like a step.

The line half-way between the zones is walked, and the photo is read along its normals. At each place on a normal the
colours around it are compared with steps blurred by various amounts, with a slope, and with what the colours of either
zone near by would say. The line of least cost that bends little is found by dynamic programming [1]_, so that places
where both sides look alike are bridged, and what a matte makes of them does not matter.

References
----------
.. [1] A. A. Amini, T. E. Weymouth, R. C. Jain, "Using dynamic programming for solving variational problems in vision",
   IEEE Transactions on Pattern Analysis and Machine Intelligence 12(9), 1990, pp. 855-867. :doi:`10.1109/34.57681`
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d
from scipy.special import erf

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import run_all
from peel.matte.smaller import averaged, smaller_trimap

__all__ = ["Compare", "Contour", "Search", "Sides", "along_normals", "blurred_step", "find_contours"]


@dataclass(frozen=True)
class Sides:
    """How colours compare with those of the subject and of the backdrop near by.

    Attributes
    ----------
    odds : (...) float32 ndarray
        How much likelier the subject than the backdrop has a colour, as a logarithm.
    from_subject, from_backdrop : (...) float32 ndarray
        Squared Mahalanobis distances.
    """

    odds: FloatArray
    from_subject: FloatArray
    from_backdrop: FloatArray


Compare = Callable[[FloatArray, NDArray[np.float64]], Sides]
"""Compares colours (..., 3) at places (..., 2), column and row, with both sides."""

_REACH_PX: Final = 44  # how far a profile reaches to either side
_AGAIN_PX: Final = 10  # ... when a contour of a smaller picture is followed at the full size
_WIDEST_PX: Final = 36.0  # half the width of a band that is searched at its own size
_SMOOTH_PX: Final = 4.0  # by which the line half-way is smoothed
_SHORTEST: Final = 24  # points of a contour that is worth following
_BESIDE: Final = (3, 2.5)  # pixels before and behind a place that are compared: so many, and so many sigmas
_FLOOR: Final = 0.0012  # summed squared difference over a window that the texture of either side explains
_WIDER: Final = 0.1  # cost of a wider step, per unit of the logarithm of its sigma
_STEP: Final = 6.0  # weight of the step against a slope
_SIDES: Final = 0.05  # weight of what the colours of either zone say about a pixel
_CLAMP: Final = 3.0  # the most that one pixel may say
_KNOWN: Final = 160.0  # what a pixel of a zone says
_BARRED: Final = 1e4  # cost of a place on the far side of a thin part
_APART: Final = 5  # pixels between a line and another one beside it, at least
_FARTHEST: Final = 20  # ... and at most
_STRETCH_PX: Final = 40.0  # along the contour, over which both are compared
_EVEN_PX: Final = 4.0  # by which the contour that was found is smoothed


@dataclass(frozen=True)
class Contour:
    """A closed line, at about one point a pixel.

    Attributes
    ----------
    points, normals : (N, 2) float64 ndarray
        Column and row; unit normals towards the subject.
    valid : (N,) bool ndarray
        Where the line runs through the part of the band that was asked about.
    lead : (N,) float64 ndarray
        How much clearer the step along a stretch of it is than along the best line beside it, as a part of it; 1 before
        a line was searched.
    """

    points: NDArray[np.float64]
    normals: NDArray[np.float64]
    valid: BoolArray
    lead: NDArray[np.float64]


@dataclass(frozen=True)
class Search:
    """What contour is looked for.

    Attributes
    ----------
    sigmas : tuple of float
        How far the photo may blur the edge, in pixels.
    moves : float
        Cost of a change of place by a pixel from one point to the next.
    left_out : float
        Half-widths of the band beyond which the subject's zone counts as left out, as it is in thin parts; the line
        half-way still passes along them.
    """

    sigmas: tuple[float, ...]
    moves: float
    left_out: float = np.inf


@dataclass(frozen=True)
class _Seen:
    """What is read along the normals: colours, zones, and what colours are like; and the steps that are looked for."""

    image: FloatArray
    trimap: ByteArray
    compare: Compare
    search: Search

    def smaller(self, step: int) -> "_Seen":
        """Return the same at a smaller size."""

        def compare(colours: FloatArray, places: NDArray[np.float64]) -> Sides:
            return self.compare(colours, places * step + (step - 1) / 2)

        return _Seen(averaged(self.image, step), smaller_trimap(self.trimap, step), compare, self.search)


def find_contours(
    image: FloatArray, trimap: ByteArray, asked: BoolArray, compare: Compare, search: Search
) -> list[Contour]:
    """Find the contours of edges without strands.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
    asked : (H, W) bool ndarray
        The part of the band that has such edges.
    compare : callable
    search : Search
    """
    from_backdrop, from_subject = (
        cv2.distanceTransform((trimap != zone).astype(np.uint8), cv2.DIST_L2, 5) for zone in (BACKGROUND, FOREGROUND)
    )
    start = _half_way(_side(from_backdrop, from_subject, asked, search.left_out), asked)
    if not start:
        return []
    seen = _Seen(image, trimap, compare, search)
    step = max(1, int(np.ceil(_half_width(np.maximum(from_backdrop, from_subject)[asked]) / _WIDEST_PX)))
    if step == 1:
        return run_all([partial(_searched, seen, contour, _REACH_PX) for contour in start])
    small = seen.smaller(step)

    def followed(contour: Contour) -> Contour:
        coarse = _searched(small, _resized(contour, 1 / step), _REACH_PX)
        return _searched(seen, _resized(coarse, step), _AGAIN_PX)

    return run_all([partial(followed, contour) for contour in start])


def _side(from_backdrop: FloatArray, from_subject: FloatArray, asked: BoolArray, left_out: float) -> FloatArray:
    """Return by how much farther the backdrop's zone is than the subject's, both as distances in pixels (H, W).

    Where the subject's is much farther than elsewhere it is taken for nearer: see `Search.left_out`.
    """
    between = from_backdrop[asked & (np.abs(from_backdrop - from_subject) < 1)].astype(np.float64)
    farthest = left_out * np.median(between) if between.size else np.inf
    return from_backdrop - np.minimum(from_subject, np.float32(farthest))


def _half_width(farther: FloatArray) -> float:
    """Return half the width of all but the widest twentieth of a band, by its distances from the farther zone."""
    return float(np.percentile(farther[::7], 95)) / 2 + 1


def _half_way(side: FloatArray, asked: BoolArray) -> list[Contour]:
    """Walk the lines half-way between the zones, smoothed, where they pass through the part that is asked about.

    The side is how much nearer the subject's zone is than the backdrop's; (H, W).
    """
    lines, _ = cv2.findContours(np.pad((side > 0).astype(np.uint8), 1), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    height, width = side.shape
    found = []
    for line in lines:
        if len(line) < _SHORTEST:
            continue
        points = _evenly_spaced(gaussian_filter1d(line[:, 0].astype(np.float64) - 1, _SMOOTH_PX, axis=0, mode="wrap"))
        columns, rows = np.round(points).astype(int).T
        framed = (columns < 2) | (rows < 2) | (columns >= width - 2) | (rows >= height - 2)
        valid = asked[rows.clip(0, height - 1), columns.clip(0, width - 1)] & ~framed
        if len(points) >= _SHORTEST and valid.sum() >= _SHORTEST:
            normals = _normals(points)
            ahead = [along_normals(side, points, normals, np.array([sign * 3.0])).mean() for sign in (1, -1)]
            sign = 1.0 if ahead[0] >= ahead[1] else -1.0
            found.append(Contour(points, normals * sign, valid, np.ones(len(points))))
    return found


def _evenly_spaced(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Place points about one pixel apart along a closed line."""
    ends = np.concatenate([points, points[:1]])
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ends, axis=0).T))])
    at = np.linspace(0, length[-1], max(4, round(length[-1])), endpoint=False)
    return np.stack([np.interp(at, length, ends[:, axis]) for axis in (0, 1)], axis=1)


def _normals(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return unit normals of a closed line, all on the same side of it."""
    along = np.roll(points, -2, axis=0) - np.roll(points, 2, axis=0)
    normals = np.stack([-along[:, 1], along[:, 0]], axis=1)
    return np.asarray(normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-6))


def _resized(contour: Contour, factor: float) -> Contour:
    """Bring a contour to a picture of another size; its points are a pixel apart there."""
    shift = (factor - 1) / 2
    points = _evenly_spaced(contour.points * factor + shift)
    nearest = np.minimum((np.arange(len(points)) * len(contour.points)) // len(points), len(contour.points) - 1)
    normals = _normals(points)
    same = np.sign((normals * contour.normals[nearest]).sum())
    return Contour(points, normals * same, contour.valid[nearest], contour.lead[nearest])


def along_normals(
    picture: FloatArray, points: NDArray[np.float64], normals: NDArray[np.float64], places: NDArray[np.float64]
) -> FloatArray:
    """Read a picture along the normals of a contour.

    Parameters
    ----------
    picture : (H, W) or (H, W, C) float32 ndarray
    points, normals : (N, 2) float64 ndarray
    places : (K,) float64 ndarray
        Pixels along the normal.

    Returns
    -------
    (N, K) or (N, K, C) float32 ndarray
    """
    at = (points[:, None] + places[None, :, None] * normals[:, None]).reshape(1, -1, 2).astype(np.float32)
    # remap takes at most 32767 places a row
    parts = [
        cv2.remap(
            picture, at[:, k : k + 32000, 0], at[:, k : k + 32000, 1], cv2.INTER_LINEAR, None, cv2.BORDER_REPLICATE
        )[0]
        for k in range(0, at.shape[1], 32000)
    ]
    return np.asarray(np.concatenate(parts)).reshape(len(points), len(places), *picture.shape[2:])


def _searched(seen: _Seen, contour: Contour, reach: int) -> Contour:
    """Move a contour to the line of least cost within reach."""
    places = np.arange(-reach, reach + 1, dtype=np.float64)
    costs, steps = np.zeros((2, len(contour.points), len(places)), np.float32)
    costs[contour.valid], steps[contour.valid] = _costs(seen, contour, places)
    # a closed line: twice around, and the middle of it taken
    path = np.empty(2 * len(costs), np.int32)
    _least_path(np.concatenate([costs, costs]), seen.search.moves, path)
    half = len(costs) // 2
    chosen = np.concatenate([path[len(costs) : len(costs) + half], path[half : len(costs)]])
    offsets = gaussian_filter1d(places[chosen] - 0.5, _EVEN_PX, mode="wrap")
    points = contour.points + offsets[:, None] * contour.normals
    normals = _normals(points)
    same = np.sign((normals * contour.normals).sum(axis=1, keepdims=True))
    lead = np.minimum(_lead(steps, chosen), contour.lead)
    return Contour(points, np.where(same == 0, contour.normals, normals * same), contour.valid, lead)


def _costs(seen: _Seen, contour: Contour, places: NDArray[np.float64]) -> tuple[FloatArray, FloatArray]:
    """Return what an edge right before each place costs at the valid points, and the part of it that is the step's."""
    points, normals = contour.points[contour.valid], contour.normals[contour.valid]
    beside = _reach_beside(max(seen.search.sigmas))
    wider = np.arange(places[0] - beside, places[-1] + beside + 1)
    around = along_normals(seen.image, points, normals, wider)
    steps = _step_costs(around, seen.search.sigmas)[:, beside:-beside]
    zones = along_normals(seen.trimap.astype(np.float32), points, normals, places)
    at = points[:, None] + places[None, :, None] * normals[:, None]
    said = np.float32(_SIDES) * np.clip(seen.compare(around[:, beside:-beside], at).odds, -_CLAMP, _CLAMP)
    said = np.where(zones > 254.5, _SIDES * _KNOWN, np.where(zones < 0.5, -_SIDES * _KNOWN, said)).astype(np.float32)
    barred = _beyond(zones < 0.5, places) | _beyond(zones[:, ::-1] > 254.5, places)[:, ::-1]
    said[barred] = 0
    before = np.cumsum(said, axis=1) - said
    costs = 2 * before - said.sum(axis=1, keepdims=True) + _STEP * steps
    costs[barred] += np.float32(_BARRED)
    return costs, steps


def _beyond(zone: BoolArray, places: NDArray[np.float64]) -> BoolArray:
    """Return what lies beyond the far side of a thin part: behind where a profile is in the same zone again.

    The zone, (N, K), is that in which profiles start; they pass from it through the place 0.
    """
    ahead = places >= 0
    left = np.logical_or.accumulate(~zone & ahead, axis=1)
    return np.logical_or.accumulate(left & zone & ahead, axis=1)


def _lead(steps: FloatArray, path: NDArray[np.int32]) -> NDArray[np.float64]:
    """Return how much clearer the step along a path is than the clearest along one beside it; see `Contour`."""
    every = np.arange(len(steps))

    def beside(by: int) -> NDArray[np.float64]:
        at = path + by
        within = (at >= 0) & (at < steps.shape[1])
        cost = np.where(within, steps[every, at.clip(0, steps.shape[1] - 1)], 0)
        return np.asarray(gaussian_filter1d(cost.astype(np.float64), _STRETCH_PX, mode="wrap"))

    own = np.minimum(beside(0), -1e-6)
    shifts = [by for by in range(-_FARTHEST, _FARTHEST + 1) if abs(by) >= _APART]
    return np.asarray(1 - np.min([beside(by) for by in shifts], axis=0) / own)


def blurred_step(places: NDArray[np.float64], sigma: float) -> NDArray[np.float64]:
    """Return a step from 0 to 1 at place 0, blurred by a Gaussian."""
    return np.asarray(0.5 * (1 + erf(places / (sigma * np.sqrt(2)))))


def _reach_beside(sigma: float) -> int:
    """Return how many pixels to either side of a place are compared with a step."""
    return round(_BESIDE[0] + _BESIDE[1] * sigma)


def _step_costs(profiles: FloatArray, sigmas: tuple[float, ...]) -> FloatArray:
    """Return the cost of the clearest step before each sample of profiles (N, K, 3); (N, K), 0 where there is none.

    It is the logarithm of what the step leaves unexplained of the profile around it, as a part of what a slope leaves.
    """
    least = np.zeros(profiles.shape[:2], np.float32)
    for sigma in sigmas:
        reach = _reach_beside(sigma)
        places = np.arange(-reach, reach, dtype=np.float64) + 0.5
        columns = np.stack([np.ones_like(places), places, blurred_step(places, sigma)], axis=1)
        flat, slope, step = np.linalg.qr(columns)[0].T.astype(np.float32)

        def around(values: FloatArray, kernel: FloatArray, reach: int = reach) -> FloatArray:
            return cv2.filter2D(values, cv2.CV_32F, kernel[None], anchor=(reach, 0), borderType=cv2.BORDER_REPLICATE)

        squares = around(np.square(profiles).sum(axis=2), np.ones_like(flat))
        left = squares - sum(np.square(around(profiles, kernel)).sum(axis=2) for kernel in (flat, slope))
        explained = np.square(around(profiles, step)).sum(axis=2)
        cost = np.log((np.maximum(left - explained, 0) + _FLOOR) / (np.maximum(left, 0) + _FLOOR))
        cost += np.float32(_WIDER * np.log(sigma / sigmas[0]))
        least = np.minimum(least, cost)
    return least


@njit("void(float32[:,::1], float64, int32[::1])", cache=True, nogil=True)
def _least_path(costs: Any, moves: float, path: Any) -> None:
    """Find the cheapest sequence of places, one a point, that moves by at most one from point to point [1]_."""
    count, places = costs.shape
    total, new = costs[0].astype(np.float64), np.empty(places)
    came = np.zeros((count, places), np.int8)
    for i in range(1, count):
        for k in range(places):
            least, which = total[k], 0
            for d in (-1, 1):
                if 0 <= k + d < places and total[k + d] + moves < least:
                    least, which = total[k + d] + moves, d
            new[k] = least + costs[i, k]
            came[i, k] = which
        total, new = new, total
    k = int(np.argmin(total))
    for i in range(count - 1, -1, -1):
        path[i] = k
        k += came[i, k]
