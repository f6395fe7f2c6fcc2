"""Roots: the hue that strands have where they are solid takes the place of the backdrop's in their half-clear parts.

What colour a half-clear pixel of the subject has is hardly told by the photo; what the same strand is like where it is
solid tells better. Solid colours are carried outward along the cheapest paths, which keep to what is opaque. Only what
leans from there towards the backdrop is taken back, along the line between both hues: it is light of the backdrop, or a
mixture that was not taken apart. A colour that differs in another way is the subject's own, and so is one that differs
as much in nearly solid parts near by, as the tips of feathers do. Brightness stays.
"""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import blended, mean_part, writable
from peel.matte.colour.outward import mean_around
from peel.matte.colour.spill import BACK, PLANE
from peel.matte.edge.geodesic import geodesic_sources

__all__ = ["LIKENESS_PX", "ROOTS_PX", "SPILL_SEEN", "leaning", "rooted", "spill_over"]

ROOTS_PX: Final = 64
"""Photo pixels over which roots are followed."""

LIKENESS_PX: Final = 24
"""Photo pixels around a window over which colours of nearly solid parts are compared."""

SPILL_SEEN: Final = 0.03
"""What `spill_over` gives from which an edge is seen to have the backdrop's hue."""

_STEP: Final = 2  # by how much smaller the picture is in which roots are followed
_SOLID: Final = 0.97  # alpha from which a pixel there is a root
_CLEAR: Final = 0.01  # ... and up to which it is backdrop
_HAZE: Final = 1.5  # cost of a step through what is clear, in steps through what is solid, less 1
_ROOT_SIGMA: Final = 2.0  # over which solid colours are averaged, in pixels of that picture
_SMOOTH: Final = 1.5  # ... and what was carried
_BEHIND: Final = (12.0, 3.0)  # ... and the backdrop, from far to near
_FAR: Final = 4.0  # path lengths, in reaches, at which roots count no more; they count fully within one
_DISTINCT: Final = 0.12  # chroma between backdrop and root at which they can be told apart, more or less
_NEARLY: Final = 0.75  # alpha from which the estimate is believed
_LIKENESS_SIGMA: Final = LIKENESS_PX / 3
_COARSE: Final = 4  # photo pixels of the picture in which they are compared
_UNLIKE: Final = (0.25, 0.5)  # share of the way to the backdrop by which believed colours differ that are their own
_SPREADS: Final = 1.0  # deviations of the solid parts' own hues that are no spill
_MOST: Final = 1.2  # of the way to the backdrop that is taken back
_TONES: Final = (0.3, 1.4)  # least and most by which a root's chroma is scaled with brightness
_SHADE: Final = 0.7  # ... and the power of the brightness by which it is
_DARK: Final = 0.03  # brightness below which a root has none


def leaning(
    photo: FloatArray, colours: FloatArray, alpha: FloatArray, inner: tuple[slice, slice], step: int
) -> FloatArray:
    """Return by how much the colours of an edge lean towards the backdrop from those of its roots.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    colours : (h, w, 3) float32 ndarray
        The subject's colours as estimated, of a window of it.
    alpha : (H, W) float32 ndarray
    inner : tuple of slice
        The window.
    step : int
        Photo pixels per pixel, a power of two.

    Returns
    -------
    (h, w, 3) float32 ndarray
        To be taken off; the mean of its three parts is 0. It is 0 where the subject is solid or no root is in reach.
    """
    root, behind, share = _carried(photo, alpha, inner, step)
    part = np.ascontiguousarray(alpha[inner])
    back = np.empty((*part.shape, 2), np.float32)
    unlike, believed = np.empty((2, *part.shape), np.float32)
    _compare(writable(colours), part, root, behind, share * (part < 1), back, unlike, believed)
    alike = _alike(unlike, believed, step)
    return np.asarray(cv2.transform(cv2.multiply(back, cv2.merge([alike, alike])), BACK), np.float32)


def _alike(unlike: FloatArray, believed: FloatArray, step: int) -> FloatArray:
    """Return 1 where believed colours near by are those of their roots, 0 where they differ by much; (h, w)."""
    by = max(1, _COARSE // step)
    size = (-(-unlike.shape[1] // by), -(-unlike.shape[0] // by))
    fields = (cv2.resize(field, size, interpolation=cv2.INTER_AREA) for field in (unlike, believed))
    mean, weight = (cv2.GaussianBlur(field, (0, 0), max(_LIKENESS_SIGMA / (by * step), 0.5)) for field in fields)
    least, most = _UNLIKE
    alike = np.clip((most - mean / np.maximum(weight, np.float32(1e-3))) / (most - least), 0, 1)
    return np.asarray(cv2.resize(alike, unlike.shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)


def rooted(colours: FloatArray, leans: FloatArray, amount: FloatArray | float) -> FloatArray:
    """Take back what leans towards the backdrop.

    Parameters
    ----------
    colours, leans : (h, w, 3) float32 ndarray
        See `leaning`.
    amount : (h, w) float32 ndarray or float
        How much of it, 0 to 1.
    """
    share = np.asarray(amount, np.float32)
    return np.clip(colours - leans * (share[..., None] if share.ndim else share), 0, 1).astype(np.float32)


def spill_over(
    photo: FloatArray, colours: FloatArray, alpha: FloatArray, inner: tuple[slice, slice], step: int
) -> FloatArray:
    """Return how far the hue of an edge leans to the backdrop, beyond what the solid parts near by differ in hue.

    Parameters are those of `leaning`, whose colours may be corrected in any way: nothing is left out here that a
    correction leaves out.

    Returns
    -------
    (h, w) float32 ndarray
        In the plane of chroma, of full brightness; 0 where the hues cannot be told apart, or no root is in reach.
    """
    root, behind, share = _carried(photo, alpha, inner, step)
    tone = mean_part(colours) / np.maximum(mean_part(root), np.float32(_DARK))
    aim = cv2.transform(root, PLANE) * (np.clip(tone, *_TONES) ** np.float32(_SHADE))[..., None]
    way, off = cv2.transform(behind, PLANE) - aim, cv2.transform(colours, PLANE) - aim
    apart = np.hypot(way[..., 0], way[..., 1])
    along = (way * off).sum(axis=2) / np.maximum(apart, np.float32(1e-6))
    over = np.minimum(along, apart) - np.float32(_SPREADS) * _own_spread(photo, alpha, inner)
    return np.where((apart > _DISTINCT / 2) & (alpha[inner] > 0), np.maximum(over, 0) * np.minimum(share, 1), 0)


def _own_spread(photo: FloatArray, alpha: FloatArray, inner: tuple[slice, slice]) -> FloatArray:
    """Return how far solid parts near by are from their mean in the plane of chroma, one standard deviation; (h, w)."""
    by = _STEP
    small, solid = _averaged(photo, by), _averaged(alpha, by) >= _SOLID
    mean, _ = mean_around(small, solid, _BEHIND[0])
    away = np.square(cv2.transform(small - mean, PLANE)).sum(axis=2)
    spread, _ = mean_around(away[..., None], solid, _BEHIND[0])
    return _enlarged(np.sqrt(np.maximum(spread[..., 0], 0)), by, inner)


def _carried(
    photo: FloatArray, alpha: FloatArray, inner: tuple[slice, slice], step: int
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Carry solid colours along strands, and the backdrop's in: both (h, w, 3), and how far roots count, (h, w)."""
    by = _STEP
    small, matte = _averaged(photo, by), _averaged(alpha, by)
    solid, clear = matte >= _SOLID, matte <= _CLEAR
    reach = ROOTS_PX / (by * step)
    away, sources = geodesic_sources(1 + np.float32(_HAZE) * (1 - matte), solid, ~clear, _FAR * reach)
    own, _ = mean_around(small, solid, _ROOT_SIGMA)
    reached = sources >= 0
    root = np.zeros_like(small)
    root[reached] = own.reshape(-1, 3)[sources[reached]]
    weight = _smoothed(reached.astype(np.float32))
    root = cv2.divide(_smoothed(root), cv2.merge([np.maximum(weight, np.float32(1e-4))] * 3))
    behind, known = _backdrop(small, clear)
    share = np.clip(np.float32(_FAR) - away / np.float32(reach), 0, 1) * np.clip(2 * weight, 0, 1) * known
    root, behind, share = (_enlarged(part, by, inner) for part in (root, behind, share))
    return root, behind, share


def _enlarged(small: FloatArray, by: int, inner: tuple[slice, slice]) -> FloatArray:
    """Bring a window of a picture that was averaged over squares back to its size."""
    rows, columns = (slice(max(0, part.start // by - 1), -(-part.stop // by) + 1) for part in inner)
    part = small[rows, columns]
    large = cv2.resize(part, (part.shape[1] * by, part.shape[0] * by), interpolation=cv2.INTER_LINEAR)
    top, left = inner[0].start - rows.start * by, inner[1].start - columns.start * by
    height, width = inner[0].stop - inner[0].start, inner[1].stop - inner[1].start
    return np.ascontiguousarray(large[top : top + height, left : left + width])


def _averaged(picture: FloatArray, by: int) -> FloatArray:
    """Average a picture over squares; at its ends the last pixels are repeated."""
    height, width = (-(-side // by) * by for side in picture.shape[:2])
    filled = cv2.copyMakeBorder(
        picture, 0, height - picture.shape[0], 0, width - picture.shape[1], cv2.BORDER_REPLICATE
    )
    return np.asarray(cv2.resize(filled, (width // by, height // by), interpolation=cv2.INTER_AREA))


def _backdrop(small: FloatArray, clear: BoolArray) -> tuple[FloatArray, FloatArray]:
    """Average the nearest backdrop around each pixel, (h, w, 3), and say whether any is near, (h, w)."""
    far, near = _BEHIND
    behind, known = mean_around(small, clear, far)
    closer, share = mean_around(small, clear, near)
    return blended(behind, closer, share), known


def _smoothed(values: FloatArray) -> FloatArray:
    return np.asarray(cv2.GaussianBlur(values, (0, 0), _SMOOTH))


@njit(
    "void(float32[:,:,::1], float32[:,::1], float32[:,:,::1], float32[:,:,::1], float32[:,::1], "
    "float32[:,:,::1], float32[:,::1], float32[:,::1])",
    cache=True,
    nogil=True,
)
def _compare(
    colours: Any, alpha: Any, root: Any, behind: Any, share: Any, back: Any, unlike: Any, believed: Any
) -> None:
    """Write what leans towards the backdrop in the plane of chroma, and how unlike their roots believed colours are."""
    zero, one, tiny = np.float32(0), np.float32(1), np.float32(1e-6)
    third = one / np.float32(3)
    for y in range(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            back[y, x, 0] = back[y, x, 1] = unlike[y, x] = believed[y, x] = zero
            if share[y, x] <= 0:
                continue
            own = (colours[y, x, 0] + colours[y, x, 1] + colours[y, x, 2]) * third
            solid = (root[y, x, 0] + root[y, x, 1] + root[y, x, 2]) * third
            shade = min(max(own / max(solid, np.float32(_DARK)), np.float32(_TONES[0])), np.float32(_TONES[1]))
            shade = shade ** np.float32(_SHADE)
            dx = dy = ex = ey = zero
            for k in range(3):
                aim = root[y, x, k] * shade
                dx += PLANE[0, k] * (behind[y, x, k] - aim)
                dy += PLANE[1, k] * (behind[y, x, k] - aim)
                ex += PLANE[0, k] * (colours[y, x, k] - aim)
                ey += PLANE[1, k] * (colours[y, x, k] - aim)
            apart, off = dx * dx + dy * dy, ex * ex + ey * ey
            distinct = min(max(np.sqrt(apart) / np.float32(_DISTINCT) - np.float32(0.5), zero), one)
            along = (dx * ex + dy * ey) / max(apart, tiny)
            towards = np.float32(1.5) * along * along * apart / max(off, tiny) - np.float32(0.25)
            weight = share[y, x] * distinct * min(max(towards, zero), one)
            weight *= min(max(along, zero), np.float32(_MOST))
            back[y, x, 0], back[y, x, 1] = weight * dx, weight * dy
            if alpha[y, x] > np.float32(_NEARLY) and alpha[y, x] < 1:
                believed[y, x] = distinct
                unlike[y, x] = distinct * min(np.sqrt(off / max(apart, tiny)), np.float32(2))
