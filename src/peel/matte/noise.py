"""The picture's own noise: how strong it is, and how to keep it out of the matte.

A matte follows the photo, its noise included. Where the photo is a plane within its noise, over a window, the matte is
one too, and its mean over that window is the better value; where strands or edges cross the window it is left alone.

References
----------
.. [1] J. Immerkaer, "Fast noise variance estimation", Computer Vision and Image Understanding 64(2), 1996,
   pp. 300-302: noise is what is left of small windows once their slope is taken away.
.. [2] A. Goldenshluger, A. Nemirovski, "On spatially adaptive estimation of nonparametric regression", Mathematical
   Methods of Statistics 6(2), 1997, pp. 135-170: the largest window in which the data still agree.
"""

from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.along_edges import even_along
from peel.matte.arrays import BoolArray, ByteArray, FloatArray, unit_floats
from peel.matte.parallel import portions, run_all
from peel.matte.srgb import to_light, to_value

__all__ = ["NoiseCurve", "brightness_bin", "even_out", "measure_noise", "plain_reach"]

_BINS: Final = 16  # of brightness
_SAMPLES: Final = 60_000  # windows looked at
_FEWEST: Final = 200  # windows for a bin to count
_QUIET: Final = 0.1  # share of the windows taken to hold nothing but noise
_FLOOR: Final = 0.3 / 255  # noise of a picture of 8 bits that has no other
_NORMAL_QUANTILE: Final = -1.2816  # of a normal distribution, at `_QUIET`
_FREEDOM: Final = 66.0  # of 25 pixels times three channels, less a plane for each
# Wilson and Hilferty's approximation of the same quantile of a chi-square distribution, over its mean
_QUIET_SHARE: Final = (1 - 2 / (9 * _FREEDOM) + _NORMAL_QUANTILE * (2 / (9 * _FREEDOM)) ** 0.5) ** 3
_LARGEST_RESIDUE: Final = 1.36  # times the noise: 1.5 deviations of a window's residue and a tenth for a rough estimate
_LARGEST_SMALL: Final = 1.1
_LARGEST_OWN: Final = 3.0  # times the matte's own noise
_SPACINGS: Final = (1, 2)
_LEFT: Final = 0.28  # of a matte's noise after averaging over a window
_ROUGHEST: Final = 0.15
_ROWS: Final = 128  # done at a time
_CELL: Final = 8  # pixels a side for which a matte's noise is one value
_SEEN: Final = 24  # rows to either side, whole cells, that evening out looks at
_SURROUNDINGS: Final = ((7, np.float32(1)), (17, np.float32(0.01)))  # cells over which noise is carried, and weight


@dataclass(frozen=True)
class NoiseCurve:
    """Variance of the noise of a colour channel, for sixteen steps of brightness from 0 to 1."""

    variance: FloatArray

    def in_light(self) -> "NoiseCurve":
        """Give the noise of the same picture turned into amounts of light (sRGB)."""
        value = to_value(((np.arange(_BINS) + 0.5) / _BINS).astype(np.float32))
        step = np.float32(1e-2)
        slope = (to_light(value + step) - to_light(value - step)) / (2 * step)
        encoded = self.variance[np.clip((value * _BINS).astype(int), 0, _BINS - 1)]
        return NoiseCurve(encoded * slope**2)


@njit(cache=True, nogil=True, fastmath=True)
def _plane(picture: Any, y: int, x: int, c: int, spacing: int, radius: int) -> Any:
    """Give the mean of a window of a channel, and the squares left when the best plane is taken away, added up."""
    centre = picture[y, x, c]
    total = slope_y = slope_x = power = np.float32(0)
    for v in range(-radius, radius + 1):
        row = np.float32(0)
        for u in range(-radius, radius + 1):
            value = picture[y + v * spacing, x + u * spacing, c] - centre
            row += value
            power += value * value
            slope_x += np.float32(u) * value
        total += row
        slope_y += np.float32(v) * row
    count = np.float32((2 * radius + 1) ** 2)
    square = np.float32(2 * (1 + (4 if radius == 2 else 0)) * (2 * radius + 1))
    left = power - total * total / count - (slope_y * slope_y + slope_x * slope_x) / square
    return centre + total / count, max(left, np.float32(0))


@njit(cache=True, nogil=True, fastmath=True)
def _residue(image: Any, y: int, x: int, spacing: int, radius: int, limit: Any) -> Any:
    """Give a window's mean square distance from a plane, all channels together; more than `limit` need not be exact."""
    total = np.float32(0)
    share = np.float32(1) / np.float32(3 * ((2 * radius + 1) ** 2 - 3))
    for c in range(3):
        total += _plane(image, y, x, c, spacing, radius)[1] * share
        if total > limit:
            break
    return total


@njit(cache=True, nogil=True, fastmath=True)
def brightness_bin(image: Any, y: int, x: int, bins: int) -> int:
    """Give the step of brightness that a pixel's noise is looked up by; for kernels."""
    bright = (image[y, x, 0] + image[y, x, 1] + image[y, x, 2]) * np.float32(1 / 3)
    return min(max(int(bright * bins), 0), bins - 1)


@njit("void(float32[:,:,::1], int64[::1], int64[::1], float32[::1], int64[::1])", cache=True, nogil=True)
def _residues(image: Any, ys: Any, xs: Any, out: Any, places: Any) -> None:
    for i in range(ys.shape[0]):
        out[i] = _residue(image, ys[i], xs[i], 1, 2, np.float32(np.inf))
        places[i] = brightness_bin(image, ys[i], xs[i], _BINS)


def measure_noise(image: FloatArray) -> NoiseCurve:
    """Estimate the noise of a photo from its quietest windows.

    Parameters
    ----------
    image : (H, W, 3) ndarray
        Colours: floats in [0, 1], or 8- or 16-bit integers.

    Returns
    -------
    NoiseCurve
        No less than rounding to 8 bits leaves.
    """
    height, width = image.shape[:2]
    floor = np.full(_BINS, _FLOOR**2, np.float32)
    if min(height, width) < 5:
        return NoiseCurve(floor)
    step = max(1, int(np.sqrt(height * width / _SAMPLES)))
    rows = np.arange(2, height - 2, step)
    strips: Any = image[(rows[:, None] + np.arange(-2, 3)).ravel()]
    ys, xs = (part.ravel() for part in np.mgrid[2 : 5 * len(rows) : 5, 2 : width - 2 : step])
    seen, place = np.empty(len(ys), np.float32), np.empty(len(ys), np.int64)
    _residues(unit_floats(strips), ys, xs, seen, place)
    overall = float(np.quantile(seen, _QUIET)) / _QUIET_SHARE
    known = [k for k in range(_BINS) if (place == k).sum() >= _FEWEST]
    if not known:
        return NoiseCurve(np.maximum(floor, np.float32(overall)))
    # a brightness that only occurs in hair or leaves has no quiet window: it may not differ much from the rest
    found = [np.clip(np.quantile(seen[place == k], _QUIET) / _QUIET_SHARE, 0.5 * overall, 1.8 * overall) for k in known]
    return NoiseCurve(np.maximum(floor, np.interp(np.arange(_BINS), known, found).astype(np.float32)))


@njit(
    "void(float32[:,:,::1], boolean[:,::1], float32[::1], int64, int64, float32, uint8[:,::1], int64, int64)",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _find_planes(
    image: Any,
    asked: Any,
    variance: Any,
    spacing: int,
    radius: int,
    largest: Any,
    level: Any,
    top: int,
    bottom: int,
) -> None:
    """Note where the photo is a plane within its noise over a window."""
    height, width = level.shape
    reach = spacing * radius
    for y in range(max(top, reach), min(bottom, height - reach)):
        for x in range(reach, width - reach):
            if asked[y, x]:
                limit = largest * variance[brightness_bin(image, y, x, variance.shape[0])]
                if _residue(image, y, x, spacing, radius, limit) <= limit:
                    level[y, x] = reach


def plain_reach(image: FloatArray, unknown: BoolArray, noise: NoiseCurve) -> ByteArray:
    """Find where the photo is a plane within its noise, and how far around.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    unknown : (H, W) bool ndarray
        Where to look.
    noise : NoiseCurve

    Returns
    -------
    (H, W) uint8 ndarray
        Pixels in each direction, 0 to 4; 1 only right beside wider windows, where less evidence is enough.
    """
    image = np.ascontiguousarray(image, np.float32)
    reach = np.zeros(unknown.shape, np.uint8)
    asked = np.ascontiguousarray(unknown)

    def find(asked: BoolArray, spacing: int, radius: int, largest: float) -> None:
        def rows(part: slice) -> None:
            limits = (spacing, radius, np.float32(largest))
            _find_planes(image, asked, noise.variance, *limits, reach, part.start, part.stop)

        run_all([partial(rows, part) for part in portions(len(unknown), _ROWS)])

    for spacing in _SPACINGS:
        find(asked, spacing, 2, _LARGEST_RESIDUE)
        asked = reach == 2 * spacing
    beside = cv2.dilate(reach, np.ones((5, 5), np.uint8)).astype(bool) & unknown & (reach == 0)
    find(beside, 1, 1, _LARGEST_SMALL)
    return reach


@njit("void(float32[:,::1], uint8[:,::1], float32[:,:,::1])", cache=True, nogil=True)
def _roughness(alpha: Any, reach: Any, cells: Any) -> None:
    """Add up, cell by cell, how rough the matte is where the photo is plain, and how many pixels that were."""
    for y in range(1, alpha.shape[0] - 1):
        for x in range(1, alpha.shape[1] - 1):
            if reach[y, x] >= 2:
                across = alpha[y - 1, x - 1] - 2 * alpha[y - 1, x] + alpha[y - 1, x + 1]
                across += alpha[y + 1, x - 1] - 2 * alpha[y + 1, x] + alpha[y + 1, x + 1]
                across -= 2 * (alpha[y, x - 1] - 2 * alpha[y, x] + alpha[y, x + 1])
                cells[0, y // _CELL, x // _CELL] += min(across * across / 36, _ROUGHEST * _ROUGHEST)
                cells[1, y // _CELL, x // _CELL] += 1


@njit(
    "void(float32[:,:,::1], uint8[:,::1], float32[:,::1], int64, int64, float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _even(alpha: Any, reach: Any, variance: Any, spacing: int, radius: int, out: Any) -> None:
    """Average a matte over plain windows in which it is a plane within its own noise too."""
    height, width = reach.shape
    wide = spacing * radius
    free = (2 * radius + 1) ** 2 - 3
    for y in range(wide, height - wide):
        for x in range(wide, width - wide):
            if reach[y, x] >= wide:
                mean, left = _plane(alpha, y, x, 0, spacing, radius)
                if left <= _LARGEST_OWN * free * variance[y // _CELL, x // _CELL]:
                    out[y, x] = mean


def even_out(alpha: FloatArray, reach: ByteArray) -> tuple[FloatArray, FloatArray]:
    """Take the photo's noise out of a matte.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
        As solved, not yet clipped.
    reach : (H, W) uint8 ndarray
        From `plain_reach`.

    Returns
    -------
    evened : (H, W) float32 ndarray
        The matte evened out where the photo is plain: over windows, and along its edges where it slopes.
    left : (H, W) float32 ndarray
        Standard deviation of the noise that is left in it.
    """
    variance = _own_variance(alpha, reach)
    evened, left = np.empty_like(alpha), np.empty_like(alpha)

    def even(part: slice) -> None:
        top, bottom = max(part.start - _SEEN, 0), min(part.stop + _SEEN, len(alpha))
        cells = variance[top // _CELL : -(-bottom // _CELL)]
        own = slice(part.start - top, part.stop - top)
        evened[part] = _evened(alpha[top:bottom], reach[top:bottom], cells)[own]
        wide = np.sqrt(cells).repeat(_CELL, 0)[own].repeat(_CELL, 1)[:, : alpha.shape[1]]
        np.multiply(wide, np.where(reach[part] >= 2, np.float32(_LEFT), np.float32(1)), out=left[part])

    run_all([partial(even, slice(top, min(top + _ROWS, len(alpha)))) for top in range(0, len(alpha), _ROWS)])
    return evened, left


def _evened(alpha: FloatArray, reach: ByteArray, variance: FloatArray) -> FloatArray:
    """Even out some rows of a matte; those at the cut ends are not what they are in the whole."""
    smallest = np.where(reach == 1, reach, np.uint8(0))

    def evened(matte: FloatArray, spacing: int, radius: int, chosen: ByteArray) -> FloatArray:
        out = matte.copy()
        _even(matte[..., None], chosen, variance, spacing, radius, out)
        return out

    flat = evened(evened(evened(alpha, 1, 2, reach), 2, 2, reach), 1, 1, smallest)
    calmer = evened(alpha, 1, 1, reach)
    return even_along(calmer, flat, reach, np.sqrt(variance), _CELL)


def _own_variance(alpha: FloatArray, reach: ByteArray) -> FloatArray:
    """Measure a matte's noise where the photo is plain, and carry it to its neighbourhood; one value a cell."""
    cells = np.zeros((2, -(-alpha.shape[0] // _CELL), -(-alpha.shape[1] // _CELL)), np.float32)
    _roughness(alpha, reach, cells)
    count = max(float(cells[1].sum(dtype=np.float64)), 1.0)
    total = np.full_like(cells[0], 1e-5 * cells[0].sum(dtype=np.float64) / count)
    share = np.full_like(cells[1], 1e-5)
    for size, part in _SURROUNDINGS:
        total += part * _twice_blurred(cells[0], size)
        share += part * _twice_blurred(cells[1], size)
    return np.asarray(total / share, np.float32)


def _twice_blurred(picture: FloatArray, size: int) -> FloatArray:
    return cv2.blur(cv2.blur(picture, (size, size)), (size, size))
