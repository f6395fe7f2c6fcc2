"""A prior from sampled colours: alpha from pairs of known colours around each pixel, and its confidence.

References
----------
.. [1] J. Wang, M. F. Cohen, "Optimized color sampling for robust matting", IEEE Conference on Computer Vision and
   Pattern Recognition, 2007. :doi:`10.1109/CVPR.2007.383006`
.. [2] E. S. L. Gastal, M. M. Oliveira, "Shared sampling for real-time alpha matting", Computer Graphics Forum 29(2),
   2010, pp. 575-584. :doi:`10.1111/j.1467-8659.2009.01627.x`
.. [3] Y.-Y. Chuang, B. Curless, D. H. Salesin, R. Szeliski, "A Bayesian approach to digital matting", IEEE Conference
   on Computer Vision and Pattern Recognition, 2001. :doi:`10.1109/CVPR.2001.990970`
"""

from dataclasses import dataclass
from functools import partial
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, ByteArray, FloatArray, IntArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint, map_chunks, run_all
from peel.matte.pixels import unit_floats
from peel.matte.smaller import any_in_squares, averaged, smaller_trimap
from peel.matte.solve.noise import NoiseCurve, brightness_bin, measure_noise, plain_reach

__all__ = [
    "THINNED_PX",
    "ColourPrior",
    "blurred_within",
    "colour_prior",
    "gathering_step",
    "nearest_samples",
    "subject_palette",
]

_DIRECTIONS: Final = ((0, 1), (0, -1), (1, 0), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1))
_GATHERED_AT_MOST: Final = (
    400_000,
    4_000_000,
)  # pixels of a photo up to which samples are gathered at full and at half size
_MISFIT: Final = 0.014  # standard deviation of the mixing model itself, apart from noise
_FAR: Final = 0.15  # decay of a sample's weight with its distance, relative to the nearest sample's
_BEYOND: Final = 0.3  # weight of the distance beyond the end of a colour line, against that beside it
_ELSEWHERE: Final = 0.05  # weight of the palette's colours, against nearby samples
_AT_ONCE: Final = 32_000  # pixels per task
_ROWS: Final = 256  # rows per task
_ROUNDS: Final = 3  # of median cut: a palette of eight colours
_ABOUT: Final = 41  # dilation, in those pixels, of the unknown zone around which the palette is taken
_LEAST_FIT: Final = 0.06  # fit below which confidence is 0: faint priors add up over wide, smooth areas
_ROOT: Final = 0.6  # exponent on the confidence
_DEEP: Final = 0.084  # depth in the band, relative to the photo's side, at which the confidence counts in full
_SHALLOWEST: Final = 0.03  # factor on the confidence beside certain zones
_NEAR_BACKDROP: Final = 0.15  # alpha below which a pixel is nearly a backdrop colour
_SUBJECT_SIDE: Final = 0.4  # factor otherwise: subjects have unmarked colours more often than backdrops
_IN_PLAIN: Final = 0.02  # upper bound in plain stretches, towards the subject
_SURE: Final = 0.03  # standard deviation of alpha over the pairs at which confidence has fallen to a half


THINNED_PX: Final = 700
"""Side, in pixels, of the subsampled photo from which the palette is taken."""


@dataclass(frozen=True)
class ColourPrior:
    """An estimate for each pixel of a picture.

    Attributes
    ----------
    alpha : (H, W) float32 ndarray
        In [0, 1]; meaningful in the unsure zone.
    confidence : (H, W) float32 ndarray
        In [0, 1]; 0 where no colours were found, and outside the unknown zone.
    plain : (H, W) uint8 ndarray
        Reach of the plain window around each wanted pixel, from `peel.matte.solve.noise.plain_reach`.
    """

    alpha: FloatArray
    confidence: FloatArray
    plain: ByteArray

    def part(self, window: tuple[slice, slice]) -> "ColourPrior":
        """Return the estimate for a window."""
        return ColourPrior(self.alpha[window], self.confidence[window], self.plain[window])


@njit("void(uint8[:,::1], uint8, int64, int64, int32[:,::1])", cache=True, nogil=True)
def _nearest_along(trimap: Any, value: Any, dy: int, dx: int, seen: Any) -> None:
    """Write for each pixel the flat index of the nearest pixel of a zone in direction (-dy, -dx), or -1."""
    height, width = trimap.shape
    for row in range(height):
        y = row if dy >= 0 else height - 1 - row
        for column in range(width):
            x = column if dx >= 0 else width - 1 - column
            if trimap[y, x] == value:
                seen[y, x] = y * width + x
            elif 0 <= y - dy < height and 0 <= x - dx < width:
                seen[y, x] = seen[y - dy, x - dx]
            else:
                seen[y, x] = -1


@njit(cache=True, nogil=True, fastmath=True)
def _weigh_distances(found: Any, i: int, y: int, x: int, width: int, weights: Any) -> None:
    """Weigh each sample by its distance relative to the nearest; 0 for missing ones."""
    nearest = 1e9
    for k in range(found.shape[1]):
        weights[k] = -1.0
        if found[i, k] >= 0:
            dy, dx = found[i, k] // width - y, found[i, k] % width - x
            weights[k] = np.sqrt(float(dy * dy + dx * dx))
            nearest = min(nearest, weights[k])
    for k in range(found.shape[1]):
        weights[k] = np.exp(-_FAR * (weights[k] / max(nearest, 1.0) - 1.0)) if weights[k] >= 0 else 0.0


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _pair_up(fg: Any, fg_weight: Any, bg: Any, bg_weight: Any, pairs: Any) -> None:
    """List all pairs: backdrop colour, vector to the subject's, its squared length, the inverse of that, weight."""
    red, green, blue, way_r, way_g, way_b, square, inverse, weight = pairs
    i = np.uint64(0)
    for k in range(fg.shape[0]):
        for m in range(bg.shape[0]):
            red[i], green[i], blue[i] = bg[m, 0], bg[m, 1], bg[m, 2]
            d0, d1, d2 = fg[k, 0] - bg[m, 0], fg[k, 1] - bg[m, 1], fg[k, 2] - bg[m, 2]
            way_r[i], way_g[i], way_b[i] = d0, d1, d2
            square[i] = d0 * d0 + d1 * d1 + d2 * d2 + np.float32(1e-6)
            inverse[i] = np.float32(1) / square[i]
            weight[i] = fg_weight[k] * bg_weight[m]
            i += np.uint64(1)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _weigh(pairs: Any, r: Any, g: Any, b: Any, spread: Any) -> Any:
    """Average alpha over pairs by how well each explains a colour; return the mean, its variance and the fit.

    The weight of a misfit is a bell of compact support, which is faster than an exponential; SIMD instructions are
    used only if each list of `pairs` is an array of its own.
    """
    red, green, blue, way_r, way_g, way_b, square, inverse, weights = pairs
    total = mean = spreading = fits = noise = np.float32(0)
    zero, one = np.float32(0), np.float32(1)
    scale = one / (np.float32(32) * spread)
    for u in range(red.shape[0]):
        i = np.uint64(u)
        d0, d1, d2 = r - red[i], g - green[i], b - blue[i]
        dot = d0 * way_r[i] + d1 * way_g[i] + d2 * way_b[i]
        along = dot * inverse[i]
        a = min(max(along, zero), one)
        beside = max(d0 * d0 + d1 * d1 + d2 * d2 - dot * along, zero)
        beyond = (along - a) * (dot - a * square[i])
        fit = max(one - (beside + np.float32(_BEYOND) * beyond) * scale, zero)
        fit *= fit
        fit *= fit
        fit *= fit
        fit *= fit
        weight = fit * weights[i]
        fits += weight * fit
        total += weight
        mean += weight * a
        spreading += weight * a * a
        noise += weight * inverse[i]
    if total <= np.float32(1e-9):
        return np.float32(0.5), one, zero
    mean /= total
    return mean, max(spreading / total - mean * mean, zero) + noise * spread / total, fits / total


@njit(
    "void(float32[:,:,::1], boolean[:,::1], int64, int64, float32[:,::1], float32[:,::1], int64[::1], int32[:,::1], "
    "int32[:,::1], float32[:,::1], float32[::1], float32[:,::1], float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def _mix(
    image: Any,
    asked: Any,
    step: int,
    small: int,
    subject: Any,
    backdrop: Any,
    places: Any,
    near_fg: Any,
    near_bg: Any,
    more: Any,
    variance: Any,
    alpha: Any,
    trust: Any,
) -> None:
    """Estimate alpha of each wanted pixel from all pairs of its cell's samples; confidence is how far they agree."""
    count, others = near_fg.shape[1], near_bg.shape[1]
    fg, fg_weight = np.empty((count + more.shape[0], 3), np.float32), np.empty(count + more.shape[0], np.float32)
    bg, bg_weight = np.empty((others, 3), np.float32), np.empty(others, np.float32)
    fg[count:], fg_weight[count:] = more, _ELSEWHERE
    lists = np.empty((9, fg.shape[0] * others), np.float32)
    pairs = (lists[0], lists[1], lists[2], lists[3], lists[4], lists[5], lists[6], lists[7], lists[8])
    for j in range(places.shape[0]):
        v, u = places[j] // small, places[j] % small
        _weigh_distances(near_fg, j, v, u, small, fg_weight[:count])
        _weigh_distances(near_bg, j, v, u, small, bg_weight)
        for c in range(3):
            for k in range(count):
                fg[k, c] = subject[max(near_fg[j, k], 0), c]
            for k in range(others):
                bg[k, c] = backdrop[max(near_bg[j, k], 0), c]
        _pair_up(fg, fg_weight, bg, bg_weight, pairs)
        for y in range(v * step, min(v * step + step, asked.shape[0])):
            for x in range(u * step, min(u * step + step, asked.shape[1])):
                if asked[y, x]:
                    r, g, b = image[y, x, 0], image[y, x, 1], image[y, x, 2]
                    noise = variance[brightness_bin(image, y, x, variance.shape[0])]
                    spread = np.float32(_MISFIT * _MISFIT) + np.float32(2) * noise
                    alpha[y, x], doubt, fit = _weigh(pairs, r, g, b, spread)
                    heard = fit / (np.float32(1) + doubt / np.float32(_SURE * _SURE))
                    trust[y, x] = max(heard - np.float32(_LEAST_FIT), np.float32(0)) / np.float32(1 - _LEAST_FIT)


def nearest_samples(trimap: ByteArray, unknown: Any, zone: int) -> IntArray:
    """Return the flat index of the nearest pixel of a zone in eight directions for each unknown; O(pixels).

    Returns (N, 8) int32, -1 where there is none, for N unknown pixels.
    """
    seen = np.empty(trimap.shape, np.int32)
    found = np.empty((len(unknown), len(_DIRECTIONS)), np.int32)
    for k, (dy, dx) in enumerate(_DIRECTIONS):
        checkpoint()
        _nearest_along(trimap, np.uint8(zone), dy, dx, seen)
        found[:, k] = seen.ravel()[unknown]
    return found


def blurred_within(image: FloatArray, zone: BoolArray) -> FloatArray:
    """Blur a zone's colours over 3x3 pixels without the other zones; (N, 3)."""
    weight = zone.astype(np.float32)
    share = np.maximum(cv2.blur(weight, (3, 3)), np.float32(1e-6))[..., None]
    checkpoint()
    return np.ascontiguousarray(cv2.blur(image * weight[..., None], (3, 3)) / share).reshape(-1, 3)


def gathering_step(pixels: int) -> int:
    """Return the side, in pixels, of the cells that share their samples, for a photo of so many pixels."""
    return int(2 ** np.searchsorted(_GATHERED_AT_MOST, pixels))


def subject_palette(image: Any, trimap: Any) -> FloatArray:
    """Return a palette of the subject around the unknown zone, by median cut.

    Parameters
    ----------
    image : (H, W, 3) ndarray
        The whole photo: floats in [0, 1], or 8- or 16-bit integers.
    trimap : (H, W) uint8 ndarray

    Returns
    -------
    (K, 3) float32 ndarray
        Up to eight colours in [0, 1].
    """
    stride = max(1, round(np.sqrt(trimap.size) / THINNED_PX))
    thinned = np.ascontiguousarray(trimap[::stride, ::stride])
    unsure = ((thinned != BACKGROUND) & (thinned != FOREGROUND)).astype(np.uint8)
    near = cv2.dilate(unsure, np.ones((_ABOUT, _ABOUT), np.uint8)) > 0
    boxes = [unit_floats(image[::stride, ::stride][near & (thinned == FOREGROUND)])]
    for _ in range(_ROUNDS):
        boxes = [half for box in boxes for half in _cut(box)]
    return np.array([box.mean(axis=0) for box in boxes if len(box)], np.float32).reshape(-1, 3)


def _cut(colours: FloatArray) -> list[FloatArray]:
    """Split colours at the median of the channel with the largest spread."""
    if len(colours) < 2:
        return [colours]
    channel = colours[:, int(np.argmax(colours.std(axis=0)))]
    upper = channel > np.median(channel)
    return [colours[~upper], colours[upper]] if upper.any() else [colours]


def colour_prior(
    image: FloatArray,
    trimap: ByteArray,
    *,
    noise: NoiseCurve | None = None,
    wanted: BoolArray | None = None,
    photo_shape: tuple[int, int] | None = None,
    palette: FloatArray | None = None,
) -> ColourPrior:
    """Estimate alpha in the unknown zone from known colours around it, pixel by pixel.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
        BACKGROUND, UNKNOWN, FOREGROUND.
    noise : NoiseCurve, optional
        Measured here if not given.
    wanted : (H, W) bool ndarray, optional
        Where an estimate is needed; the rest of the picture only supplies samples.
    photo_shape : tuple of int, optional
        Height and width of the photo of which this is a window; the window begins at multiples of 4, and then yields
        what the whole photo would. The picture's own if not given.
    palette : (K, 3) float32 ndarray, optional
        Palette of the whole subject; from `subject_palette` if not given.

    Returns
    -------
    ColourPrior

    Notes
    -----
    Where several pairs explain a pixel by different alphas, as for hair before a backdrop of nearly its own colour,
    the confidence is low: it falls with the variance of alpha over the pairs, and with the variance due to noise.

    Samples are gathered in eight fixed directions rather than along rays that turn from pixel to pixel [2]_, so that
    rotating the photo by a right angle rotates the result.
    """
    unsure = (trimap != BACKGROUND) & (trimap != FOREGROUND)
    asked = unsure if wanted is None else unsure & wanted
    checkpoint()
    height, width = photo_shape or trimap.shape
    noise = noise or measure_noise(image)
    around = asked if wanted is None else unsure & cv2.dilate(wanted.astype(np.uint8), np.ones((5, 5))).astype(bool)
    checkpoint()
    plain = plain_reach(image, around, noise)
    checkpoint()
    prior = ColourPrior(np.full(trimap.shape, 0.5, np.float32), np.zeros(trimap.shape, np.float32), plain)
    if not asked.any():
        return prior
    checkpoint()
    step = gathering_step(height * width)
    small = averaged(image, step) if step > 1 else np.ascontiguousarray(image, np.float32)
    checkpoint()
    zones = np.ascontiguousarray(smaller_trimap(trimap, step))
    checkpoint()
    places = np.flatnonzero(any_in_squares(asked, step)).astype(np.int64)
    subject, backdrop = run_all([partial(blurred_within, small, zones == zone) for zone in (FOREGROUND, BACKGROUND)])
    near = run_all([partial(nearest_samples, zones, places, zone) for zone in (FOREGROUND, BACKGROUND)])
    common = subject_palette(image, trimap) if palette is None else palette
    more = np.ascontiguousarray(common, np.float32)
    whole = (np.ascontiguousarray(image, np.float32), np.ascontiguousarray(asked), step, zones.shape[1])

    def mix(part: slice) -> None:
        colours = (subject, backdrop, places[part], near[0][part], near[1][part], more, noise.variance)
        _mix(*whole, *colours, prior.alpha, prior.confidence)

    map_chunks(mix, len(places), _AT_ONCE // step**2)
    checkpoint()
    within = ((zones != BACKGROUND) & (zones != FOREGROUND)).astype(np.uint8)
    away = np.minimum(cv2.distanceTransform(within, cv2.DIST_L2, 5), np.float32(1e6))
    depth = away * np.float32(step / np.sqrt(height * width))

    def weigh(part: slice) -> None:
        rows = slice(part.start * step, part.stop * step)
        wanted = asked[rows]
        deep = depth[part].repeat(step, 0).repeat(step, 1)[: wanted.shape[0], : wanted.shape[1]][wanted]
        estimate, trust = prior.alpha[rows][wanted], prior.confidence[rows][wanted]
        prior.confidence[rows][wanted] = _weighed_confidence(estimate, trust, plain[rows][wanted], deep)

    map_chunks(weigh, len(depth), _ROWS // step)
    return prior


def _weighed_confidence(alpha: FloatArray, trust: FloatArray, plain: ByteArray, depth: FloatArray) -> FloatArray:
    """Weigh confidence by position: more where the band is deep, less near certain zones.

    A half-clear estimate over a plain stretch of the photo is more often a colour that nobody marked, as of sheer
    cloth, than a mixture of marked ones: it gets no weight.
    """
    boost = np.clip(2 * (depth / np.float32(_DEEP)) ** np.float32(1.5), _SHALLOWEST, 1)
    boost = boost * np.where(alpha > _NEAR_BACKDROP, np.float32(_SUBJECT_SIDE), np.float32(1))
    capped = np.where(alpha > 0.5, np.minimum(boost, np.float32(_IN_PLAIN)), boost)
    clearness = np.maximum(1 - 8 * alpha * (1 - alpha), 0)
    return np.asarray(trust ** np.float32(_ROOT) * np.where(plain > 0, capped * clearness, boost), np.float32)
