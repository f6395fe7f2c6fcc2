"""The noise of a photo: its strength by brightness, and where the photo is plain within it.

References
----------
.. [1] J. Immerkaer, "Fast noise variance estimation", Computer Vision and Image Understanding 64(2), 1996,
   pp. 300-302: noise from the residue of small windows after removing their slope.
.. [2] E. B. Wilson, M. M. Hilferty, "The distribution of chi-square", Proceedings of the National Academy of Sciences
   17(12), 1931, pp. 684-688. :doi:`10.1073/pnas.17.12.684`
"""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.parallel import map_chunks
from peel.matte.pixels import unit_floats
from peel.matte.srgb import to_encoded, to_linear

__all__ = ["NoiseCurve", "brightness_bin", "measure_noise", "plain_reach", "plane"]

_ROWS: Final = 128  # rows per task
_BINS: Final = 16  # of brightness
_SAMPLES: Final = 60_000  # windows sampled
_SAMPLED_ROWS: Final = 16  # rows of windows per task
_FEWEST: Final = 200  # windows a bin needs to count
_FLOOR: Final = 0.3 / 255  # rounding noise of 8 bits
_FLAT: Final = 0.1 / 255  # residue below that of a single pixel off by one in 8 bits
_CLIPPED: Final = 0.5 / 255  # from the ends of the range
_QUIET: Final = (0.02, 0.1)  # quantiles of the residue taken to be noise alone
_QUIET_NORMAL: Final = (-2.0537, -1.2816)  # the same quantiles of a normal distribution
_WINDOWS: Final = ((1, 1), (1, 2), (2, 2))  # spacing and radius: 3, 5 and 9 pixels a side
_FREEDOM: Final = 66.0  # of 25 pixels times three channels, less a plane for each
_LEAST_FREEDOM: Final = 4.0
_ROUGH_ESTIMATE: Final = 1.1
_DEVIATIONS: Final = 1.5  # standard deviations above the mean up to which a window counts as plain
_MOST_OF_THEM: Final = 0.93  # the quantile at 1.5 standard deviations
_LEAST, _MOST = 0.5, 1.8  # bounds on the noise of one brightness relative to that of all
_FAINT: Final = (0.45 / 255, 0.9 / 255, 0.9 / 255)  # residue allowed in a plain window, however clean the photo


@dataclass(frozen=True)
class NoiseCurve:
    """A photo's noise variance by brightness, and the residue limits of plain windows.

    Attributes
    ----------
    variance : (16,) float32 ndarray
        Of a colour channel, in bins of brightness from 0 to 1, measured over windows of 9 pixels.
    limits : (3,) float32 ndarray
        Largest residue of a plain window of 3, 5 and 9 pixels a side after removing its slope: mean square over
        variance. Noise that was filtered, compressed or demosaiced is weaker in small windows, and varies more from
        one window to the next.
    """

    variance: FloatArray
    limits: FloatArray

    def in_linear_light(self) -> "NoiseCurve":
        """Return the noise of the same picture converted to linear light (sRGB)."""
        value = to_encoded(((np.arange(_BINS) + 0.5) / _BINS).astype(np.float32))
        step = np.float32(1e-2)
        slope = (to_linear(value + step) - to_linear(value - step)) / (2 * step)
        encoded = self.variance[np.clip((value * _BINS).astype(int), 0, _BINS - 1)]
        return NoiseCurve(encoded * slope**2, self.limits)


@njit(cache=True, nogil=True, fastmath=True)
def plane(picture: Any, y: int, x: int, c: int, spacing: int, radius: int) -> Any:
    """Return a window's mean, and the residual sum of squares of its least-squares plane; for kernels."""
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
    """Return the mean square residue of a window over all channels; inexact above `limit`."""
    total = np.float32(0)
    share = np.float32(1) / np.float32(3 * ((2 * radius + 1) ** 2 - 3))
    for c in range(3):
        total += plane(image, y, x, c, spacing, radius)[1] * share
        if total > limit:
            break
    return total


@njit(cache=True, nogil=True, fastmath=True)
def brightness_bin(image: Any, y: int, x: int, bins: int) -> int:
    """Return the brightness bin of a pixel; for kernels."""
    bright = (image[y, x, 0] + image[y, x, 1] + image[y, x, 2]) * np.float32(1 / 3)
    return min(max(int(bright * bins), 0), bins - 1)


@njit("void(float32[:,:,::1], int64[::1], int64[::1], float32[:,::1], int64[::1])", cache=True, nogil=True)
def _residues(image: Any, ys: Any, xs: Any, out: Any, places: Any) -> None:
    """Write the residues of windows of three sizes, and each one's brightness bin: -1 where it is clipped."""
    endless = np.float32(np.inf)
    for i in range(ys.shape[0]):
        y, x = ys[i], xs[i]
        for k, (spacing, radius) in enumerate(_WINDOWS):
            out[k, i] = _residue(image, y, x, spacing, radius, endless)
        low = min(image[y, x, 0], image[y, x, 1], image[y, x, 2])
        high = max(image[y, x, 0], image[y, x, 1], image[y, x, 2])
        clipped = low < np.float32(_CLIPPED) or high > np.float32(1 - _CLIPPED)
        places[i] = -1 if clipped else brightness_bin(image, y, x, _BINS)


def measure_noise(image: FloatArray) -> NoiseCurve:
    """Estimate the noise of a photo from its quietest windows.

    Parameters
    ----------
    image : (H, W, 3) ndarray
        Colours: floats in [0, 1], or 8- or 16-bit integers.

    Returns
    -------
    NoiseCurve
        At least the rounding noise of 8 bits.

    Notes
    -----
    The residue of white noise follows a chi-square distribution with as many degrees of freedom as values minus plane
    parameters; spatially correlated noise has fewer. Two quantiles give the degrees of freedom, and with them the
    mean. Clipped and flat windows carry no information about noise and are skipped.
    """
    seen, place = _looked_at(image)
    if len(place) < _FEWEST:
        return NoiseCurve(np.full(_BINS, _FLOOR**2, np.float32), (np.square(_FAINT) / _FLOOR**2).astype(np.float32))
    relative = _by_brightness(seen[1], place)
    seen = seen / relative[place]
    mean, largest = _quiet_mean(seen[2])
    limits = np.maximum([*_limits(seen, largest), largest], np.square(_FAINT)) / mean
    variance = np.maximum(np.float32(mean) * relative, np.float32(_FLOOR**2))
    return NoiseCurve(variance, limits.astype(np.float32))


def _looked_at(image: FloatArray) -> tuple[FloatArray, NDArray[np.int64]]:
    """Sample windows all over a photo; return the residues of each, and its brightness bin."""
    height, width = image.shape[:2]
    down = max(9, int(np.sqrt(height * width / _SAMPLES)))
    right = max(1, height * width // (_SAMPLES * down))
    rows = np.arange(4, height - 4, down)

    def look(part: slice) -> tuple[FloatArray, NDArray[np.int64]]:
        strips: Any = image[(rows[part, None] + np.arange(-4, 5)).ravel()]
        ys, xs = (at.ravel() for at in np.mgrid[4 : len(strips) : 9, 4 : max(width - 4, 4) : right])
        seen, place = np.empty((len(_WINDOWS), len(ys)), np.float32), np.empty(len(ys), np.int64)
        _residues(unit_floats(strips), ys, xs, seen, place)
        return seen, place

    looked = map_chunks(look, len(rows), _SAMPLED_ROWS)
    seen, place = (np.concatenate(parts, axis=-1) for parts in zip(*looked, strict=True))
    return seen[:, place >= 0], place[place >= 0]


def _by_brightness(seen: FloatArray, place: NDArray[np.int64]) -> FloatArray:
    """Return how noise varies with brightness, relative to all windows together."""
    seen, place = seen[seen > _FLAT**2], place[seen > _FLAT**2]
    known = np.flatnonzero(np.bincount(place, minlength=_BINS) >= _FEWEST)
    if not len(known):
        return np.ones(_BINS, np.float32)
    found = np.array([np.quantile(seen[place == k], _QUIET[1]) for k in known]) / np.quantile(seen, _QUIET[1])
    # a brightness found only in hair or leaves has no quiet window: interpolate between its neighbours
    calm = found <= _MOST
    between = np.logical_or.accumulate(calm) & np.logical_or.accumulate(calm[::-1])[::-1]
    kept = calm | ~between
    return np.interp(np.arange(_BINS), known[kept], np.clip(found[kept], _LEAST, _MOST)).astype(np.float32)


def _quiet_mean(seen: FloatArray) -> tuple[float, float]:
    """Return the mean noise residue of wide windows, and the largest that a plain one should show."""
    report = seen[seen > _FLAT**2]
    few, some = np.quantile(report, _QUIET) if len(report) >= _FEWEST else (_FLOOR**2, _FLOOR**2)
    tried = np.geomspace(_LEAST_FREEDOM, _FREEDOM, 60)
    shares = [_chi_square_share(tried, normal) for normal in _QUIET_NORMAL]
    freedom = np.interp(few / some, shares[0] / shares[1], tried)
    mean = max(float(some / _chi_square_share(freedom, _QUIET_NORMAL[1])), _FLOOR**2)
    return mean, mean * _ROUGH_ESTIMATE * (1 + _DEVIATIONS * float(np.sqrt(2 / freedom)))


def _limits(seen: FloatArray, largest: float) -> tuple[float, float]:
    """Return the residue limits of plain windows of 3 and 5 pixels, from the centres of wider plain ones.

    They never exceed the wide limit: patterns of two pixels' period look plain in small windows.
    """
    small, middle, wide = seen
    middle_limit = min(float(np.quantile(middle[wide <= largest], _MOST_OF_THEM)) * _ROUGH_ESTIMATE, largest)
    plain = small[(wide <= largest) & (middle <= middle_limit)]
    return float(plain.mean()) * _ROUGH_ESTIMATE if len(plain) else middle_limit, middle_limit


def _chi_square_share(freedom: Any, normal: float) -> Any:
    """Return a quantile of a chi-square distribution relative to its mean, by Wilson and Hilferty's approximation."""
    spread = 2 / (9 * freedom)
    return (1 - spread + normal * np.sqrt(spread)) ** 3


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
    """Mark where the photo is a plane within its noise over a window."""
    height, width = level.shape
    reach = spacing * radius
    for y in range(max(top, reach), min(bottom, height - reach)):
        for x in range(reach, width - reach):
            if asked[y, x]:
                limit = largest * variance[brightness_bin(image, y, x, variance.shape[0])]
                if _residue(image, y, x, spacing, radius, limit) <= limit:
                    level[y, x] = reach


def plain_reach(image: FloatArray, unknown: BoolArray, noise: NoiseCurve) -> ByteArray:
    """Find where the photo is a plane within its noise, and over how wide a window.

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
        Radius in pixels, 0 to 4; 1 only right beside wider windows, where less evidence is enough.
    """
    image = np.ascontiguousarray(image, np.float32)
    reach = np.zeros(unknown.shape, np.uint8)
    asked = np.ascontiguousarray(unknown)

    def find(asked: BoolArray, window: int) -> None:
        spacing, radius = _WINDOWS[window]

        def rows(part: slice) -> None:
            limits = (spacing, radius, noise.limits[window])
            _find_planes(image, asked, noise.variance, *limits, reach, part.start, part.stop)

        map_chunks(rows, len(unknown), _ROWS)

    find(asked, 1)
    find(reach == 2, 2)
    beside = cv2.dilate(reach, np.ones((5, 5), np.uint8)).astype(bool) & unknown & (reach == 0)
    find(beside, 0)
    return reach
