"""The posterior of alpha given Gaussian colour models of subject and backdrop: the loops of `LocalColourModel`.

References
----------
.. [1] Y.-Y. Chuang, B. Curless, D. H. Salesin, R. Szeliski, "A Bayesian approach to digital matting", IEEE Conference
   on Computer Vision and Pattern Recognition, 2001. :doi:`10.1109/CVPR.2001.990970`
"""

from typing import Any, Final

import numpy as np
from numba import njit

from peel.matte.solve.noise import brightness_bin

__all__ = ["add_posterior_terms", "compare_sides"]

_LEAST_VARIANCE: Final = 1e-4
_SPREAD: Final = 2.0  # factor on the subject's sample covariance: strands differ from one to the next
_MISFIT: Final = 0.006  # standard deviation of the mixing model itself, apart from noise
_TOO_FAR: Final = 12.0  # squared Mahalanobis distance beyond which no mixture explains a pixel
_SHADING: Final = 0.03  # standard deviation of the colour of sheer material
_GRAIN: Final = 0.012  # standard deviation that colours of one side have at least, when both are compared
_FARTHEST: Final = 60.0  # squared Mahalanobis distance beyond which a colour is no less likely
_LEVELS: Final = 21  # of alpha at which the likelihood is evaluated
_END_LEVELS: Final = 5.0  # prior odds of 0 and of 1 against a level between


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _look_up(moments: Any, y: Any, x: Any, out: Any) -> None:
    """Interpolate the moments of blocks at a place, bilinearly."""
    last_y, last_x = moments.shape[0] - 1, moments.shape[1] - 1
    y, x = min(max(y, np.float32(0)), np.float32(last_y)), min(max(x, np.float32(0)), np.float32(last_x))
    v, u = int(y), int(x)
    below, right = min(v + 1, last_y), min(u + 1, last_x)
    dy, dx = y - np.float32(v), x - np.float32(u)
    one = np.float32(1)
    a, b, c, d = moments[v, u], moments[v, right], moments[below, u], moments[below, right]
    for k in range(out.shape[0]):
        out[k] = (one - dy) * ((one - dx) * a[k] + dx * b[k]) + dy * ((one - dx) * c[k] + dx * d[k])


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _try_levels(m: Any, r: Any, g: Any, b: Any, noise: Any, levels: Any, misfit: Any, weight: Any) -> Any:
    """Compute each level's squared Mahalanobis distance and normalisation; return the least distance.

    The normalisation is one over the square root of the covariance's determinant. `m` holds the moments of the subject
    and then of the backdrop. The spacing of the levels adds to the covariance; without it, strong contrast in a clean
    photo would leave most colours unexplained.
    """
    one = np.float32(1)
    spread = np.float32(_SPREAD)
    way0, way1, way2 = m[0] - m[9], m[1] - m[10], m[2] - m[11]
    between = (levels[1] - levels[0]) ** 2 / np.float32(12)
    n00, n01, n02 = between * way0 * way0 + noise, between * way0 * way1, between * way0 * way2
    n11, n12, n22 = between * way1 * way1 + noise, between * way1 * way2, between * way2 * way2 + noise
    for i in range(levels.shape[0]):
        a = levels[i]
        c = one - a
        d0 = r - a * m[0] - c * m[9]
        d1 = g - a * m[1] - c * m[10]
        d2 = b - a * m[2] - c * m[11]
        aa, cc = spread * a * a, c * c
        m00, m01 = aa * m[3] + cc * m[12] + n00, aa * m[4] + cc * m[13] + n01
        m02, m11 = aa * m[5] + cc * m[14] + n02, aa * m[6] + cc * m[15] + n11
        m12, m22 = aa * m[7] + cc * m[16] + n12, aa * m[8] + cc * m[17] + n22
        # the inverse by cofactors: no roots, and loops that SIMD instructions take
        i00, i01, i02 = m11 * m22 - m12 * m12, m02 * m12 - m01 * m22, m01 * m12 - m02 * m11
        i11, i12, i22 = m00 * m22 - m02 * m02, m01 * m02 - m00 * m12, m00 * m11 - m01 * m01
        inverse = one / max(m00 * i00 + m01 * i01 + m02 * i02, noise * noise * noise)
        far = d0 * (i00 * d0 + i01 * d1 + i02 * d2) + d1 * (i01 * d0 + i11 * d1 + i12 * d2)
        misfit[i] = max((far + d2 * (i02 * d0 + i12 * d1 + i22 * d2)) * inverse, np.float32(0))
        weight[i] = np.sqrt(inverse)
    least = misfit[0]
    for i in range(levels.shape[0]):
        least = min(least, misfit[i])
    return least


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _weigh_levels(levels: Any, misfit: Any, likely: Any, least: Any) -> Any:
    """Return the posterior mean and variance of alpha over all levels."""
    one, zero = np.float32(1), np.float32(0)
    likely[0] *= np.float32(_END_LEVELS)
    likely[-1] *= np.float32(_END_LEVELS)
    total = mean = square = zero
    for k in range(levels.shape[0]):
        bell = max(
            one - (misfit[k] - least) * np.float32(1 / 64), zero
        )  # approximates exp(-x / 2) with compact support
        bell *= bell
        bell *= bell
        bell *= bell
        bell *= bell
        bell *= bell
        bell *= likely[k]
        total += bell
        mean += bell * levels[k]
        square += bell * levels[k] * levels[k]
    mean /= total
    return mean, max(square / total - mean * mean, zero)


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _best_sheer(m: Any, r: Any, g: Any, b: Any, noise: Any, sheer: Any, levels: Any, misfit: Any, likely: Any) -> Any:
    """Put the sheer colour that explains a pixel best in place of the subject's model; return its least distance."""
    best, chosen = np.float32(np.inf), 0
    m[3:9] = np.float32(0)
    m[3] = m[6] = m[8] = np.float32(_SHADING * _SHADING / _SPREAD)
    for k in range(sheer.shape[0] + 1):
        m[:3] = sheer[k if k < sheer.shape[0] else chosen]  # the best is tried again last, for its levels
        least = _try_levels(m, r, g, b, noise, levels, misfit, likely)
        if least < best:
            best, chosen = least, k
    return best


@njit(
    "void(float32[:,:,::1], int32[::1], int32[::1], float32[:,:,::1], float32[:,:,::1], float32[:,::1], int64, "
    "float32[::1], float32[::1], float32, float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def add_posterior_terms(
    image: Any,
    ys: Any,
    xs: Any,
    moments: Any,
    marked: Any,
    sheer: Any,
    side: int,
    variance: Any,
    texture: Any,
    strength: Any,
    weights: Any,
    towards: Any,
) -> None:
    """Write each pixel's prior towards the posterior mean of alpha; see `LocalColourModel.terms`.

    Textured pixels use `moments`, which include samples from a preliminary solution. Plain ones are tested for sheer
    material against the backdrop that was `marked` only: faint cloth that the preliminary solution took for backdrop
    would otherwise explain itself away.
    """
    one, zero = np.float32(1), np.float32(0)
    levels = np.linspace(0, 1, _LEVELS).astype(np.float32)
    misfit, likely, m = np.empty_like(levels), np.empty_like(levels), np.empty(moments.shape[2], np.float32)
    scale = one / np.float32(side)
    half = (np.float32(side) - one) / np.float32(2)
    for i in range(ys.shape[0]):
        weights[i] = towards[i] = zero
        share = texture[i]
        if share <= zero and sheer.shape[0] == 0:
            continue
        y, x = ys[i], xs[i]
        r, g, b = image[y, x, 0], image[y, x, 1], image[y, x, 2]
        noise = variance[brightness_bin(image, y, x, variance.shape[0])] + np.float32(_MISFIT * _MISFIT)
        source = moments if share > zero else marked
        _look_up(source, (np.float32(y) - half) * scale, (np.float32(x) - half) * scale, m)
        least = _try_levels(m, r, g, b, noise, levels, misfit, likely)
        if share <= zero:  # plain: only colours that the marked ones do not explain may be sheer
            share = min(least / np.float32(_TOO_FAR), one)
            least = _best_sheer(m, r, g, b, noise, sheer, levels, misfit, likely)
        if least >= np.float32(_TOO_FAR):
            continue
        mean, doubt = _weigh_levels(levels, misfit, likely, least)
        weights[i] = strength * share / (doubt + np.float32(_LEAST_VARIANCE))
        towards[i] = weights[i] * mean


@njit(cache=True, nogil=True, fastmath=True, error_model="numpy")
def _compared(m: Any, first: int, r: Any, g: Any, b: Any) -> Any:
    """Return a colour's squared Mahalanobis distance from a Gaussian, and the logarithm of its determinant.

    The Gaussian's moments begin at `first`.
    """
    grain = np.float32(_GRAIN * _GRAIN)
    d0, d1, d2 = r - m[first], g - m[first + 1], b - m[first + 2]
    m00, m01, m02 = m[first + 3] + grain, m[first + 4], m[first + 5]
    m11, m12, m22 = m[first + 6] + grain, m[first + 7], m[first + 8] + grain
    i00, i01, i02 = m11 * m22 - m12 * m12, m02 * m12 - m01 * m22, m01 * m12 - m02 * m11
    i11, i12, i22 = m00 * m22 - m02 * m02, m01 * m02 - m00 * m12, m00 * m11 - m01 * m01
    determinant = max(m00 * i00 + m01 * i01 + m02 * i02, grain * grain * grain)
    far = d0 * (i00 * d0 + i01 * d1 + i02 * d2) + d1 * (i01 * d0 + i11 * d1 + i12 * d2)
    far = (far + d2 * (i02 * d0 + i12 * d1 + i22 * d2)) / determinant
    return min(max(far, np.float32(0)), np.float32(_FARTHEST)), np.log(determinant)


@njit(
    "void(float32[:,::1], float32[:,::1], float32[:,:,::1], int64, float32[:,::1])",
    cache=True,
    nogil=True,
    fastmath=True,
    error_model="numpy",
)
def compare_sides(colours: Any, places: Any, moments: Any, side: int, out: Any) -> None:
    """Compare colours with both models.

    Writes how much likelier each is under the subject's than under the backdrop's, as a logarithm, and its squared
    Mahalanobis distances from both. Places are columns and rows; moments as `LocalColourModel` has them, in blocks of
    some side.
    """
    m = np.empty(moments.shape[2], np.float32)
    scale, half = np.float32(1) / np.float32(side), (np.float32(side) - np.float32(1)) / np.float32(2)
    for i in range(colours.shape[0]):
        _look_up(moments, (places[i, 1] - half) * scale, (places[i, 0] - half) * scale, m)
        r, g, b = colours[i, 0], colours[i, 1], colours[i, 2]
        subject, wide = _compared(m, 0, r, g, b)
        backdrop, wide_too = _compared(m, 9, r, g, b)
        out[i, 0] = np.float32(0.5) * (backdrop + wide_too - subject - wide)
        out[i, 1], out[i, 2] = subject, backdrop
