"""What alpha is where the backdrop is known at each pixel: from a picture of the set without the subject.

With B known, a pixel that is B is clear, and any other lies on the line from B to the subject's colour, of which
samples are gathered as usual. What the picture of the set does not show, such as the subject's shadow or a cloth that
has moved, is measured where the zones say backdrop: smooth changes of light are followed, the rest widens what a pixel
may differ by, so that less and less is concluded there.

References
----------
.. [1] R. J. Qian, M. I. Sezan, "Video background replacement without a blue screen", IEEE International Conference on
   Image Processing, 1999, pp. 143-146. :doi:`10.1109/ICIP.1999.819566`
.. [2] J. Wang, M. F. Cohen, "Optimized color sampling for robust matting", IEEE Conference on Computer Vision and
   Pattern Recognition, 2007. :doi:`10.1109/CVPR.2007.383006`
"""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import mean_part
from peel.matte.edge.zones import FOREGROUND
from peel.matte.parallel import checkpoint, map_chunks
from peel.matte.plate.difference import cast_shadow
from peel.matte.plate.told import Compared, Told, blurred
from peel.matte.smaller import any_in_squares, averaged, smaller_trimap
from peel.matte.solve.noise import brightness_bin
from peel.matte.solve.sampling import blurred_within, nearest_samples
from peel.matte.srgb import to_encoded

__all__ = ["known_backdrop", "lit_like"]

_LIGHT_PX: Final = 20  # standard deviation, in photo pixels, over which light is followed
_LEVELS: Final = (6.0, 2.5, 1.0, 0.4)  # times that
_SEEN: Final = (1.5, 6.0)  # times that, over which what is left is averaged: near, and where nothing near is known
_FINEST_PX: Final = 2.0  # standard deviation of the finest of them in the picture that they are found in
_GUESSED: Final = 0.5  # share of the light's changes that may be otherwise between known pixels
_MOST_LIGHT: Final = 0.7  # by which it may differ, as a logarithm of encoded values
_TOE: Final = 0.02
_MISFIT: Final = 0.012  # standard deviation of the mixing model itself, apart from noise
_FAR: Final = 0.15
_ELSEWHERE: Final = 0.05
_BELOW: Final = 0.25  # how far below 0 a single pixel may seem to lie
_ALIKE: Final = 0.12  # difference from a sample of the subject at which an opaque subject explains a pixel by half
_OPAQUE: Final = 0.3  # share of such pixels that are opaque
_UNLIKE: Final = 0.13  # standard deviation of the subject's own colours from their samples
_SHARED: Final = 2.0  # by how much more an error of the set's colours counts than noise: neighbours share it
_SURE: Final = 0.06  # standard deviation of alpha at which the pull has fallen to a half
_BELIEVED: Final = 0.02  # standard deviation of the set's colours at which they are believed by half
_STRUCTURE_PX: Final = 16.0  # standard deviation, in photo pixels, of the surroundings over which a set is plain or not
_PLAIN: Final = 0.06  # standard deviation of the set's colours there at which it counts by half
_WINDOWS: Final = (3, 6)  # radius, in pixels
_CORRELATED: Final = 8.0  # by how much fewer independent values a window has than values
_PULL: Final = 1.0
_PULL_THROUGH: Final = 1.0  # per pixel of sheer cloth
_AT_ONCE: Final = 20_000


def lit_like(
    image: FloatArray, plate: FloatArray, backdrop: FloatArray, scale: int = 1
) -> tuple[FloatArray, FloatArray]:
    """Follow smooth changes of light between a set and a photo, such as the subject's shadow.

    Parameters
    ----------
    image, plate : (H, W, 3) float32 ndarray
    backdrop : (H, W) float32 ndarray
        Weights of the pixels that show the backdrop in both.
    scale : int
        Photo pixels per pixel.

    Returns
    -------
    (H, W, 3) float32 ndarray
        The set in the photo's light.
    (H, W) float32 ndarray
        Variance of what is left between both, where there is backdrop near; rising to the worst elsewhere.
    """
    sigma = _LIGHT_PX / scale
    step = max(1, int(_LEVELS[-1] * sigma / _FINEST_PX))
    known, (seen, shown) = _small(backdrop, step), (_small_within(part, backdrop, step) for part in (image, plate))
    ratio = np.clip(np.log((seen + _TOE) / (shown + _TOE)), -_MOST_LIGHT, _MOST_LIGHT)
    field = coarse = np.zeros_like(ratio)
    for number, wide in enumerate(_LEVELS):  # from coarse to fine: near what is known by what is near
        share = blurred(known, max(1.0, wide * sigma / step)) + np.float32(0.02)
        left = np.asarray((ratio - field) * known[..., None], np.float32)
        field = field + blurred(left, max(1.0, wide * sigma / step)) / share[..., None]
        coarse = field if number == 0 else coarse
    size = image.shape[1::-1]
    lit = np.clip((plate + _TOE) * np.exp(cv2.resize(field, size)) - _TOE, 0, 1).astype(np.float32)
    off = _small(mean_part(np.square(image - lit)) * backdrop, step)
    near_px, far_px = (max(1.0, wide * sigma / step) for wide in _SEEN)
    share = blurred(known, near_px)
    near = blurred(off, near_px) / np.maximum(share, 1e-4)
    far = blurred(off, far_px) / np.maximum(blurred(known, far_px), 1e-4)
    certain = share / (share + np.float32(0.05))
    # where light changes from place to place, what it is in between is guessed
    guessed = mean_part(np.square(np.float32(_GUESSED) * (field - coarse) * shown))
    return lit, np.asarray(cv2.resize(certain * near + (1 - certain) * far + guessed, size), np.float32)


def _small(values: FloatArray, step: int) -> FloatArray:
    """Average over about squares of a side."""
    if step == 1:
        return values
    size = max(1, values.shape[1] // step), max(1, values.shape[0] // step)
    return np.asarray(cv2.resize(values, size, interpolation=cv2.INTER_AREA))


def _small_within(values: FloatArray, weight: FloatArray, step: int) -> FloatArray:
    """Average over squares by a weight; the plain mean where there is none."""
    if step == 1:
        return values
    share = _small(weight, step)[..., None]
    within = _small(values * weight[..., None], step) / np.maximum(share, 1e-4)
    return np.where(share > 1e-3, within, _small(values, step)).astype(np.float32)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _weigh_known(r: Any, g: Any, b: Any, p0: Any, p1: Any, p2: Any, fg: Any, weights: Any, spread: Any) -> Any:
    """Average alpha over the subject's samples by how well each, mixed with the set, explains a colour."""
    zero, one = np.float32(0), np.float32(1)
    total = mean = square = inverse = zero
    best = zero
    d0, d1, d2 = r - p0, g - p1, b - p2
    scale = one / (np.float32(32) * spread)
    for k in range(fg.shape[0]):
        w0, w1, w2 = fg[k, 0] - p0, fg[k, 1] - p1, fg[k, 2] - p2
        length = w0 * w0 + w1 * w1 + w2 * w2 + np.float32(1e-6)
        dot = d0 * w0 + d1 * w1 + d2 * w2
        along = dot / length
        a = min(max(along, zero), one)
        beside = max(d0 * d0 + d1 * d1 + d2 * d2 - dot * along, zero)
        beyond = (along - a) * (dot - a * length)
        # brighter than every sample is a brighter strand; what lies the other way from the set nothing explains
        fit = max(one - (beside + np.float32(0.3 if along > zero else 3.0) * beyond) * scale, zero)
        fit *= fit
        fit *= fit
        fit *= fit
        fit *= fit
        best = max(best, fit)
        weight = fit * weights[k]
        total += weight
        # below 0 too: clear pixels with their noise are to average to 0
        free = min(max(along, np.float32(-_BELOW)), one)
        mean += weight * free
        square += weight * free * free
        inverse += weight / length
    if total <= np.float32(1e-9):
        return np.float32(0.5), one, zero, one
    mean /= total
    inverse /= total
    return mean, max(square / total - mean * mean, zero) + np.float32(_SHARED) * inverse * spread, best, inverse


@njit(
    "void(float32[:,:,::1], float32[:,:,::1], float32[:,::1], boolean[:,::1], int64, int64, float32[:,::1], "
    "int64[::1], int32[:,::1], float32[:,::1], float32[::1], float32[:,::1], float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def _on_lines(
    image: Any,
    plate: Any,
    uncertain: Any,
    asked: Any,
    step: int,
    small: int,
    subject: Any,
    places: Any,
    near_fg: Any,
    more: Any,
    variance: Any,
    alpha: Any,
    weight: Any,
) -> None:
    """Find alpha and its weight for the wanted pixels of some cells, which share their samples of the subject."""
    count = near_fg.shape[1]
    fg, fg_weight = np.empty((count + more.shape[0], 3), np.float32), np.empty(count + more.shape[0], np.float32)
    fg[count:], fg_weight[count:] = more, _ELSEWHERE
    for j in range(places.shape[0]):
        v, u = places[j] // small, places[j] % small
        nearest = 1e9
        for k in range(count):
            fg_weight[k] = -1.0
            if near_fg[j, k] >= 0:
                dy, dx = near_fg[j, k] // small - v, near_fg[j, k] % small - u
                fg_weight[k] = np.sqrt(float(dy * dy + dx * dx))
                nearest = min(nearest, fg_weight[k])
        for k in range(count):
            found = fg_weight[k] >= 0
            fg_weight[k] = np.exp(-_FAR * (fg_weight[k] / max(nearest, 1.0) - 1.0)) if found else 0.0
            for c in range(3):
                fg[k, c] = subject[max(near_fg[j, k], 0), c]
        for y in range(v * step, min(v * step + step, asked.shape[0])):
            for x in range(u * step, min(u * step + step, asked.shape[1])):
                if asked[y, x]:
                    r, g, b = image[y, x, 0], image[y, x, 1], image[y, x, 2]
                    p0, p1, p2 = plate[y, x, 0], plate[y, x, 1], plate[y, x, 2]
                    noise = variance[brightness_bin(image, y, x, variance.shape[0])]
                    spread = np.float32(_MISFIT * _MISFIT) + np.float32(2) * noise + uncertain[y, x]
                    a, doubt, fit, inverse = _weigh_known(r, g, b, p0, p1, p2, fg, fg_weight, spread)
                    opaque = np.float32(0)
                    for k in range(fg.shape[0]):
                        apart = (r - fg[k, 0]) ** 2 + (g - fg[k, 1]) ** 2 + (b - fg[k, 2]) ** 2
                        opaque = max(opaque, np.float32(1) / (np.float32(1) + apart / np.float32(_ALIKE * _ALIKE)) ** 2)
                    doubt += np.float32(_OPAQUE) * opaque * (np.float32(1) - a) ** 2
                    # the subject's colour is known only as well as its samples stand for it: alpha is off in proportion
                    doubt += a * a * np.float32(_UNLIKE * _UNLIKE) * inverse
                    alpha[y, x] = a
                    # what is nearly opaque rests on the subject's colour alone, what is nearly clear on the set's
                    seen = np.float32(1) - max(a, np.float32(0))
                    seen *= seen
                    weight[y, x] = fit * seen * seen / (np.float32(1) + doubt / np.float32(_SURE * _SURE)) ** 2


def seen_through(
    image: FloatArray, lit: FloatArray, uncertain: FloatArray, noise: float, wanted: BoolArray
) -> tuple[FloatArray, FloatArray]:
    """Find how much of the set's structure shows through: the slope of the photo over the set, window by window.

    Where alpha and the subject's colour hardly change over a window, as in gauze and glass, the photo is the set times
    1 - alpha plus a constant, whatever the subject's colour is.

    Returns
    -------
    alpha, variance : (H, W) float32 ndarray
        Variance of the estimate: large where the set is plain, and where more than the set varies.
    """
    best = np.full(wanted.shape, 0.5, np.float32), np.full(wanted.shape, 1e3, np.float32)
    for radius in _WINDOWS:
        side = (2 * radius + 1, 2 * radius + 1)
        mean_i, mean_b = cv2.blur(image, side), cv2.blur(lit, side)
        of_b = 3 * mean_part(cv2.blur(lit * lit, side) - mean_b * mean_b)
        both = 3 * mean_part(cv2.blur(image * lit, side) - mean_i * mean_b)
        of_i = 3 * mean_part(cv2.blur(image * image, side) - mean_i * mean_i)
        slope = both / (of_b + np.float32(3 * noise))
        rest = np.maximum(of_i - slope * both, 0) + np.float32(3 * noise) + cv2.blur(uncertain, side)
        variance = np.float32(_CORRELATED) * rest / ((side[0] ** 2) * np.maximum(of_b, 1e-7))
        better = variance < best[1]
        best[0][better], best[1][better] = np.clip(1 - slope, 0, 1)[better], variance[better]
    return best


def known_backdrop(compared: Compared, *, palette: FloatArray, sheer: FloatArray | float = 0.0, step: int) -> Told:
    """Find what the set says of alpha.

    Parameters
    ----------
    compared : Compared
        With the set as its frame.
    palette : (K, 3) float32 ndarray
        Of the subject.
    sheer : (H, W) float32 ndarray or float
        How far a place is sheer cloth or glass, through which the set's structure shows evenly.
    step : int
        Side of the cells that share their samples.
    """
    image = np.ascontiguousarray(compared.image, np.float32)
    lit, variance = lit_like(image, compared.frame, compared.clear, compared.scale)
    checkpoint()
    typical = float(compared.noise.variance.mean())
    uncertain = np.ascontiguousarray(np.maximum(variance - np.float32(2 * typical), 0))
    # what is only darker may be the subject's shadow: nothing is said of it
    seen, shown = (to_encoded(part) if compared.is_linear else part for part in (image, lit))
    shade = cast_shadow(seen, shown, float(np.sqrt(typical)))
    told = compared.inside & compared.wanted & ~shade
    belief = told / (1 + uncertain / np.float32(_BELIEVED**2))
    belief = belief * _structured(lit, compared.scale)
    alpha, heard = _estimated(compared, image, lit, uncertain, palette, step)
    weight = heard * belief * np.float32(_PULL)
    pull = weight * alpha
    if np.any(sheer):
        # gauze is hardly ever opaque: all of the line counts, and the set's structure besides
        weight /= np.where(np.asarray(sheer) > 0, np.maximum((1 - np.clip(alpha, 0, 1)) ** 4, np.float32(0.01)), 1)
        through, doubt = seen_through(image, lit, uncertain, 2 * typical, compared.wanted)
        more = belief * sheer * np.float32(_PULL_THROUGH) / np.square(1 + doubt / np.float32(_SURE**2))
        weight, pull = weight + more, weight * alpha + more * through
    return Told(np.asarray(weight, np.float32), np.asarray(pull, np.float32))


def _structured(lit: FloatArray, scale: int) -> FloatArray:
    """Return how far a set has structure of its own: a plain one is known from the photo's backdrop already."""
    sigma = _STRUCTURE_PX / scale
    varies = np.maximum(mean_part(blurred(lit * lit, sigma) - np.square(blurred(lit, sigma))), 0)
    return np.asarray(varies / (varies + np.float32(_PLAIN**2)), np.float32)


def _estimated(
    compared: Compared, image: FloatArray, lit: FloatArray, uncertain: FloatArray, palette: FloatArray, step: int
) -> tuple[FloatArray, FloatArray]:
    """Return alpha on the lines from the set to the subject's samples, and how far each estimate is heard."""
    shape = compared.trimap.shape
    alpha, heard = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    places = np.flatnonzero(any_in_squares(compared.wanted, step)).astype(np.int64)
    if not len(places):
        return alpha, heard
    cells = averaged(image, step) if step > 1 else image
    zones = np.ascontiguousarray(smaller_trimap(compared.trimap, step))
    subject, near = blurred_within(cells, zones == FOREGROUND), nearest_samples(zones, places, FOREGROUND)
    asked, more = np.ascontiguousarray(compared.wanted), np.ascontiguousarray(palette, np.float32)
    pictures = image, np.ascontiguousarray(lit), uncertain, asked, step, cells.shape[1], subject

    def some(part: slice) -> None:
        _on_lines(*pictures, places[part], near[part], more, compared.noise.variance, alpha, heard)

    map_chunks(some, len(places), _AT_ONCE)
    return alpha, heard
