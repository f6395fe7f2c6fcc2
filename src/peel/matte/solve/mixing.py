"""Whether subject and backdrop mix in linear light or in encoded values.

A lens mixes light: where a strand covers half a pixel, the light is half and half, and its encoded value is not the
mean of the two encoded values. Retouched, rendered and scanned pictures are often mixed by encoded value. The matting
equation holds for one or the other.
"""

from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import map_chunks
from peel.matte.pixels import unit_floats
from peel.matte.solve.sampling import blurred_within, nearest_samples
from peel.matte.srgb import encoded, to_linear

__all__ = ["mixes_linearly"]

_SAMPLES: Final = 3000
_AT_ONCE: Final = 1_000  # samples per task
_THINNED: Final = 900  # side, in pixels, of the subsampled photo
_LEVELS: Final = 16  # of alpha that are tried
_FINER: Final = 16  # steps between two of them
_ROUNDING: Final = 1e-5  # squared distance due to rounding to 8 bits
_MIXED: Final = (0.15, 0.85)  # alpha at which the two ways of mixing differ
_MISS: Final = 0.03**2  # squared distance beyond which a pair explains a pixel neither way
_FEWEST: Final = 60  # mixed pixels to decide by
_BETTER: Final = 1.08  # factor by which linear light has to fit better
_CERTAINTY: Final = 4.0  # standard errors of the mean by which it has to


@njit(cache=True, nogil=True, fastmath=True)
def _off_value(here: Any, fg: Any, bg: Any, a: Any) -> Any:
    """Return the square distance of a colour from a mixture by value."""
    total = 0.0
    for c in range(3):
        off = a * fg[c] + (1 - a) * bg[c] - here[c]
        total += off * off
    return total


@njit(cache=True, nogil=True, fastmath=True)
def _off_light(here: Any, fg: Any, bg: Any, a: Any) -> Any:
    """Return the square distance of a colour from a mixture of light, in encoded values."""
    total = 0.0
    for c in range(3):
        off = encoded(max(a * fg[c] + (1 - a) * bg[c], 0.0)) - here[c]
        total += off * off
    return total


@njit(
    "void(float32[:,::1], int64[::1], float32[:,::1], float32[:,::1], float32[:,::1], float32[:,::1], "
    "int32[:,::1], int32[:,::1], float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _compare(
    image: Any, places: Any, fg: Any, bg: Any, fg_light: Any, bg_light: Any, near_fg: Any, near_bg: Any, out: Any
) -> None:
    """Return each pixel its least square distance from mixtures by value and of light, and the alphas of both."""
    for i in range(places.shape[0]):
        by_value = of_light = 1e9
        value_alpha = light_alpha = 0.0
        value_pair, light_pair = (-1, -1), (-1, -1)
        here = image[places[i]]
        for k in range(near_fg.shape[1]):
            for m in range(near_bg.shape[1]):
                f, b = near_fg[i, k], near_bg[i, m]
                if f < 0 or b < 0:
                    continue
                for level in range(1, _LEVELS):
                    a = level / _LEVELS
                    value = _off_value(here, fg[f], bg[b], a)
                    light = _off_light(here, fg_light[f], bg_light[b], a)
                    if value < by_value:
                        by_value, value_alpha, value_pair = value, a, (f, b)
                    if light < of_light:
                        of_light, light_alpha, light_pair = light, a, (f, b)
        if value_pair[0] >= 0:
            # the two models pass the levels at different places: refine the best pair of each
            for level in range(-_FINER + 1, _FINER):
                step = level / (_FINER * _LEVELS)
                by_value = min(by_value, _off_value(here, fg[value_pair[0]], bg[value_pair[1]], value_alpha + step))
                pair = fg_light[light_pair[0]], bg_light[light_pair[1]]
                of_light = min(of_light, _off_light(here, pair[0], pair[1], light_alpha + step))
        out[i, 0], out[i, 1], out[i, 2], out[i, 3] = by_value, of_light, value_alpha, light_alpha


def mixes_linearly(image: Any, trimap: ByteArray) -> bool:
    """Decide how a photo mixes colours, from how well either model explains its unknown pixels.

    Parameters
    ----------
    image : (H, W, 3) ndarray
        Encoded colours of the whole photo: floats in [0, 1], or 8- or 16-bit integers.
    trimap : (H, W) uint8 ndarray

    Returns
    -------
    bool
        True for linear light. False where the pixels do not decide, as between colours of one hue.

    Notes
    -----
    Pairs of certain colours are sampled as in `peel.matte.solve.sampling`; both kinds of mixture are compared with
    the pixel in encoded values, where noise is uniform, so that neither is favoured.
    """
    stride = max(1, round(np.sqrt(trimap.size) / _THINNED))
    zones = np.ascontiguousarray(trimap[::stride, ::stride])
    picture = unit_floats(image[::stride, ::stride])
    unsure = np.flatnonzero((zones != BACKGROUND) & (zones != FOREGROUND)).astype(np.int64)
    places = np.ascontiguousarray(unsure[:: max(1, len(unsure) // _SAMPLES)])
    if len(places) < _FEWEST:
        return False
    fg, bg = blurred_within(picture, zones == FOREGROUND), blurred_within(picture, zones == BACKGROUND)
    near = [nearest_samples(zones, places, zone) for zone in (FOREGROUND, BACKGROUND)]
    found = np.empty((len(places), 4), np.float32)
    flat = np.ascontiguousarray(picture).reshape(-1, 3)
    sides = (fg, bg, to_linear(fg), to_linear(bg))

    def compare(part: slice) -> None:
        _compare(flat, places[part], *sides, near[0][part], near[1][part], found[part])

    map_chunks(compare, len(places), _AT_ONCE)
    return _decide(found)


def _decide(found: FloatArray) -> bool:
    """Decide by the mixed pixels that at least one model explains."""
    low, high = _MIXED
    mixed = ((found[:, 2:] > low) & (found[:, 2:] < high)).any(axis=1)
    if mixed.sum() < _FEWEST:
        return False
    by_value, of_light = np.minimum(found[mixed, :2], _MISS).T
    gain = by_value - of_light
    certainty = gain.mean() / max(float(gain.std()) / np.sqrt(len(gain)), 1e-12)
    return bool(by_value.mean() + _ROUNDING > _BETTER * (of_light.mean() + _ROUNDING) and certainty > _CERTAINTY)
