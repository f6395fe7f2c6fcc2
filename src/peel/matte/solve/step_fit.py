"""A step along the contour: where an edge is hard, alpha is a blurred step, fitted along the normal.

The half-way contour of a preliminary matte is walked; at each of its points the profile along the normal is explained
by a step of some place and width between two free colours. The best steps that follow one another smoothly are found by
dynamic programming, and places where both sides look alike are bridged by the smoothest contour through the others.

References
----------
.. [1] A. A. Amini, T. E. Weymouth, R. C. Jain, "Using dynamic programming for solving variational problems in vision",
   IEEE Transactions on Pattern Analysis and Machine Intelligence 12(9), 1990, pp. 855-867. :doi:`10.1109/34.57681`
"""

from dataclasses import dataclass
from functools import lru_cache, partial
from math import erf, sqrt
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from scipy.linalg import solveh_banded
from scipy.ndimage import gaussian_filter1d

from peel.matte.arrays import BoolArray, FloatArray, IntArray
from peel.matte.parallel import run_all

__all__ = ["StepContour", "Steps", "fit_steps", "step_prior", "walk_contours"]

REACH_PX: Final = 14
"""How far a profile reaches to either side of the contour."""

_OFFSETS: Final = np.arange(-9, 9.01, 0.5, dtype=np.float32)
_SIGMAS: Final = np.array([0.55, 0.8, 1.2, 1.8, 2.7, 4.0], np.float32)
_SMOOTH_PX: Final = 4.0  # by which the contour is smoothed before profiles are taken
_SHORTEST: Final = 24  # points of a contour that is worth fitting
_MOVES: Final = 0.35  # cost of a change of place by half a pixel from one point to the next
_WIDENS: Final = 0.5  # ... and of a change of width by one level
_PHOTO: Final = 3.0  # weight of the photo's own profile against the preliminary matte's
_MATTE: Final = 2.0
_USUAL: Final = 0.15  # cost of a width that is not the contour's usual one, per squared level
_STIFF: Final = 40.0  # resistance of the contour to bending, against the certainty of its places
_FADE_PX: Final = (9.0, 13.0)  # distances from the contour over which the prior ends
_MISMATCH: Final = (1.0, 2.2)  # summed squared difference from the preliminary matte of a step, and of hair
_AROUND: Final = 15.0  # points over which that is averaged


@dataclass(frozen=True)
class StepContour:
    """A line of the matte at about one point a pixel.

    Attributes
    ----------
    points, normals : (N, 2) float64 ndarray
        Column and row; unit normals towards the subject.
    valid : (N,) bool ndarray
        Where the line runs through the band.
    """

    points: FloatArray
    normals: FloatArray
    valid: BoolArray


def walk_contours(alpha: FloatArray, band: BoolArray) -> list[StepContour]:
    """Walk the half-way lines of a matte where they pass through the band.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    band : (H, W) bool ndarray
    """
    inside = np.pad((alpha > 0.5).astype(np.uint8), 1)
    lines, _ = cv2.findContours(inside, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    height, width = alpha.shape
    found = []
    for line in lines:
        if len(line) < _SHORTEST:
            continue
        points = _resampled(gaussian_filter1d(line[:, 0].astype(np.float64) - 1, _SMOOTH_PX, axis=0, mode="wrap"))
        if len(points) < _SHORTEST:
            continue
        columns, rows = np.round(points).astype(int).T.clip(0)
        columns, rows = columns.clip(0, width - 1), rows.clip(0, height - 1)
        framed = (columns < 2) | (rows < 2) | (columns >= width - 2) | (rows >= height - 2)
        valid = band[rows, columns] & ~framed
        if valid.sum() >= _SHORTEST:
            found.append(StepContour(points, _normals(points, alpha), valid))
    return found


def _resampled(points: FloatArray) -> FloatArray:
    """Place points about one pixel apart along a closed line."""
    ends = np.concatenate([points, points[:1]])
    length = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(ends, axis=0).T))])
    at = np.linspace(0, length[-1], max(4, round(length[-1])), endpoint=False)
    return np.stack([np.interp(at, length, ends[:, axis]) for axis in (0, 1)], axis=1)


def _normals(points: FloatArray, alpha: FloatArray) -> FloatArray:
    """Return unit normals of a closed line, towards where alpha is larger."""
    along = np.roll(points, -2, axis=0) - np.roll(points, 2, axis=0)
    normals = np.stack([-along[:, 1], along[:, 0]], axis=1)
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-6)
    sides = [_sampled(alpha, points + sign * 3 * normals) for sign in (1, -1)]
    return np.asarray(normals * (1.0 if np.mean(sides[0] - sides[1]) >= 0 else -1.0))


def _sampled(picture: FloatArray, places: FloatArray) -> FloatArray:
    shape = places.shape[:-1]
    flat = places.reshape(1, -1, 2).astype(np.float32)
    # remap takes at most 32767 places a row
    parts = [
        cv2.remap(
            picture,
            flat[:, k : k + 32000, 0],
            flat[:, k : k + 32000, 1],
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )[0]
        for k in range(0, flat.shape[1], 32000)
    ]
    return np.asarray(np.concatenate(parts)).reshape(*shape, *picture.shape[2:])


@lru_cache(maxsize=1)
def _templates() -> FloatArray:
    """Return the steps to try, (offsets * sigmas, profile)."""
    n = np.arange(-REACH_PX, REACH_PX + 1)
    phi = np.vectorize(lambda t: 0.5 * (1 + erf(t / sqrt(2))))
    return np.stack([phi((n - o) / s) for o in _OFFSETS for s in _SIGMAS]).astype(np.float32)


@njit(
    "void(float32[:,:,::1], float32[:,::1], boolean[::1], float64, float64, float32[:,::1], float32[:,::1], "
    "float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _step_costs(  # noqa: C901 - one pass over the profiles
    profiles: Any, matte: Any, valid: Any, floor: float, most: float, templates: Any, costs: Any, mismatch: Any
) -> None:
    """Cost of every step at every valid point: the photo's unexplained part against that of no step, and the matte's.

    Points whose matte differs from every step by more than `most` cost nothing.
    """
    size = templates.shape[1]
    n0, nn = 0.0, 0.0
    for k in range(size):
        n0 += k
        nn += k * k
    lever = nn - n0 * n0 / size
    for i in range(profiles.shape[0]):
        costs[i] = 0.0
        mismatch[i] = 0.0
        if not valid[i]:
            continue
        least = np.float32(1e9)
        for t in range(templates.shape[0]):
            away = np.float32(0)
            for k in range(size):
                d = matte[i, k] - templates[t, k]
                away += d * d
            mismatch[i, t] = away
            least = min(least, away)
        if least > most:
            mismatch[i] = least
            continue
        sums, squares, plain = np.zeros(3), np.zeros(3), 0.0
        for c in range(3):
            sk = 0.0
            for k in range(size):
                v = profiles[i, k, c]
                sums[c] += v
                squares[c] += v * v
                sk += v * k
            squares[c] -= sums[c] * sums[c] / size
            slope = (sk - sums[c] * n0 / size) / lever
            plain += squares[c] - slope * slope * lever
        for t in range(templates.shape[0]):
            a0, aa, ra, ga, ba = np.float32(0), np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for k in range(size):
                a = templates[t, k]
                a0 += a
                aa += a * a
                ra += a * profiles[i, k, 0]
                ga += a * profiles[i, k, 1]
                ba += a * profiles[i, k, 2]
            spread = max(aa - a0 * a0 / size, 1e-6)
            rest = 0.0
            for c, va in ((0, ra), (1, ga), (2, ba)):
                cov = va - a0 * sums[c] / size
                rest += squares[c] - cov * cov / spread
            costs[i, t] = np.log((max(rest, 0.0) + floor) / (max(plain, 0.0) + floor))


@njit("void(float32[:,:,::1], boolean[::1], float64, float64, int32[:,::1])", cache=True, nogil=True)
def _best_path(  # noqa: C901 - one pass along the contour
    costs: Any, valid: Any, moves: float, widens: float, path: Any
) -> None:
    """Find the cheapest sequence of (offset, sigma) [1]_; costs (N, O, S), path (N, 2)."""
    count, offsets, sigmas = costs.shape
    total = costs[0].copy()
    came = np.zeros((count, offsets, sigmas), np.int8)
    for i in range(1, count):
        best = np.empty_like(total)
        for o in range(offsets):
            for s in range(sigmas):
                least, which = 1e30, 0
                for do in range(-1, 2):
                    p = o + do
                    if p < 0 or p >= offsets:
                        continue
                    for ds in range(-1, 2):
                        q = s + ds
                        if q < 0 or q >= sigmas:
                            continue
                        tried = total[p, q] + moves * do * do + widens * ds * ds
                        if tried < least:
                            least, which = tried, (do + 1) * 3 + ds + 1
                best[o, s] = least + (costs[i, o, s] if valid[i] else 0.0)
                came[i, o, s] = which
        total = best
    o, s, least = 0, 0, 1e30
    for p in range(offsets):
        for q in range(sigmas):
            if total[p, q] < least:
                o, s, least = p, q, total[p, q]
    for i in range(count - 1, -1, -1):
        path[i, 0], path[i, 1] = o, s
        if i > 0:
            which = came[i, o, s]
            o, s = o + which // 3 - 1, s + which % 3 - 1


@dataclass(frozen=True)
class Steps:
    """Steps along a contour: where they lie along the normal, how wide they are, and how far the matte is from them."""

    offsets: FloatArray
    sigmas: FloatArray
    mismatch: FloatArray


def fit_steps(image: FloatArray, alpha: FloatArray, contour: StepContour, floor: float) -> Steps:
    """Fit a step at every point of a contour.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
    alpha : (H, W) float32 ndarray
        The preliminary matte that the contour comes from.
    contour : StepContour
    floor : float
        Summed squared difference over a profile that the texture of either side explains.
    """
    n = np.arange(-REACH_PX, REACH_PX + 1)
    places = contour.points[:, None] + n[None, :, None] * contour.normals[:, None]
    profiles = np.ascontiguousarray(_sampled(image, places), np.float32)
    matte = np.ascontiguousarray(_sampled(alpha, places), np.float32)
    templates = _templates()
    shape = (len(contour.points), len(_OFFSETS), len(_SIGMAS))
    costs, mismatch = np.empty((shape[0], len(templates)), np.float32), np.empty((shape[0], len(templates)), np.float32)
    _step_costs(profiles, matte, contour.valid, floor, _MISMATCH[1], templates, costs, mismatch)
    total = np.float32(_PHOTO) * costs + np.float32(_MATTE) * mismatch
    cube = np.ascontiguousarray(total.reshape(shape))
    usual = int(np.argmin(cube[contour.valid].min(axis=1).mean(axis=0)))
    cube += np.float32(_USUAL) * (np.arange(len(_SIGMAS), dtype=np.float32) - usual) ** 2
    path = np.empty((shape[0], 2), np.int32)
    _best_path(cube, contour.valid, _MOVES, _WIDENS, path)
    every = np.arange(shape[0])
    chosen = mismatch.reshape(shape)[every, path[:, 0], path[:, 1]]
    offsets = _bridged(contour, cube, path)
    sigmas = np.exp(gaussian_filter1d(np.log(_SIGMAS[path[:, 1]]), 6, mode="wrap"))
    return Steps(offsets, sigmas, gaussian_filter1d(chosen, _AROUND, mode="wrap"))


def _bridged(contour: StepContour, costs: FloatArray, path: IntArray) -> FloatArray:
    """Move weak places to where the contour bends least; returns offsets in pixels.

    Minimises ``sum c_i (o_i - best_i)^2 + stiffness sum |p_{i-1} - 2 p_i + p_{i+1}|^2`` for the points
    ``p_i = q_i + o_i n_i``, with ``c_i`` the curvature of the cost about its minimum.
    """
    count = len(contour.points)
    every = np.arange(count)
    o = path[:, 0].clip(1, len(_OFFSETS) - 2)
    around = [costs[every, o + k, path[:, 1]] for k in (-1, 0, 1)]
    curvature = np.maximum((around[0] - 2 * around[1] + around[2]) / 0.25, 0.0)
    shift = np.where(curvature > 1e-3, (around[0] - around[2]) / np.maximum(2 * 0.25 * curvature, 1e-3) * 0.5, 0.0)
    best = _OFFSETS[path[:, 0]] + np.clip(shift, -0.25, 0.25)
    trust = np.where(contour.valid, curvature, 0.0) + 1e-3
    nx, ny = contour.normals.T
    # second differences as a stencil over five neighbours: 1 -4 6 -4 1
    bands = np.zeros((3, count))
    bands[0] = trust + _STIFF * 6
    for reach, factor in ((1, -4.0), (2, 1.0)):
        bands[reach, : count - reach] = _STIFF * factor * (nx[:-reach] * nx[reach:] + ny[:-reach] * ny[reach:])
    bend = [np.convolve(np.pad(axis, 2, mode="wrap"), [1, -4, 6, -4, 1], mode="valid") for axis in contour.points.T]
    pull = trust * best - _STIFF * (nx * bend[0] + ny * bend[1])
    solved = np.asarray(solveh_banded(bands, pull, lower=True))
    return np.clip(solved, _OFFSETS[0], _OFFSETS[-1])


@njit(
    "void(float64[:,::1], float64[:,::1], float64[::1], float64[::1], boolean[::1], int64, "
    "float32[:,::1], float32[:,::1], float32[:,::1])",
    cache=True,
    nogil=True,
)
def _rasterise(
    points: Any, normals: Any, sigmas: Any, trust: Any, valid: Any, reach: int, near: Any, step: Any, certain: Any
) -> None:
    """Write the step of the nearest point of a contour into every pixel within reach."""
    height, width = near.shape
    for i in range(points.shape[0]):
        if not valid[i]:
            continue
        x0, y0 = int(np.round(points[i, 0])), int(np.round(points[i, 1]))
        for y in range(max(0, y0 - reach), min(height, y0 + reach + 1)):
            for x in range(max(0, x0 - reach), min(width, x0 + reach + 1)):
                dx, dy = x - points[i, 0], y - points[i, 1]
                away = dx * dx + dy * dy
                if away >= near[y, x]:
                    continue
                near[y, x] = away
                n = dx * normals[i, 0] + dy * normals[i, 1]
                sign = 1.0 if n >= 0 else -1.0
                d = sign * np.sqrt(away) if away > 4.0 else n
                step[y, x] = 0.5 * (1.0 + erf(d / (sigmas[i] * 1.4142135)))
                certain[y, x] = trust[i]


def step_prior(image: FloatArray, alpha: FloatArray, band: BoolArray, floor: float) -> tuple[FloatArray, FloatArray]:
    """Fit steps along every contour of a preliminary matte.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
    alpha : (H, W) float32 ndarray
    band : (H, W) bool ndarray
    floor : float

    Returns
    -------
    (H, W) float32 ndarray
        Confidence in [0, 1]; 0 away from contours, and where the preliminary matte is nothing like a step.
    (H, W) float32 ndarray
        The step.
    """
    near = np.full(alpha.shape, np.float32((REACH_PX + 1) ** 2), np.float32)
    step, certain = np.zeros_like(alpha), np.zeros_like(alpha)
    contours = walk_contours(alpha, band)
    least, most = _MISMATCH
    fits = run_all([partial(fit_steps, image, alpha, contour, floor) for contour in contours])
    for contour, steps in zip(contours, fits, strict=True):
        trust = np.clip((most - steps.mismatch) / (most - least), 0, 1)
        moved = contour.points + steps.offsets[:, None] * contour.normals
        normals = _normals(moved, alpha)
        same = np.sign((normals * contour.normals).sum(axis=1, keepdims=True))
        _rasterise(
            np.ascontiguousarray(moved), np.ascontiguousarray(normals * same), steps.sigmas.astype(np.float64),
            trust.astype(np.float64), contour.valid, REACH_PX, near, step, certain,
        )  # fmt: skip
    first, last = _FADE_PX
    fade = np.clip((last - np.sqrt(near)) / (last - first), 0, 1)
    return np.where(band, certain * fade, 0).astype(np.float32), step
