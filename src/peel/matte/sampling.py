"""What colour says about a pixel by itself: the pair of known colours that explains it best, and how far to trust it.

References
----------
.. [1] J. Wang, M. F. Cohen, "Optimized color sampling for robust matting", IEEE Conference on Computer Vision and
   Pattern Recognition, 2007. :doi:`10.1109/CVPR.2007.383006`
.. [2] E. S. L. Gastal, M. M. Oliveira, "Shared sampling for real-time alpha matting", Computer Graphics Forum 29(2),
   2010, pp. 575-584. :doi:`10.1111/j.1467-8659.2009.01627.x`
"""

from dataclasses import dataclass
from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, ByteArray, FloatArray, IntArray
from peel.matte.trimap import BACKGROUND, FOREGROUND, UNKNOWN

__all__ = ["ColourPrior", "colour_prior", "is_halved"]

_DIRECTIONS: Final = ((0, 1), (0, -1), (1, 0), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1))
_HALVE_ABOVE: Final = 400_000  # pixels of a picture above which pairs are looked for at half size
_PASSES: Final = 2
_FIT: Final = 0.03  # colour distance at which a pair explains a pixel badly
_FAR: Final = 0.15  # how much a colour twice as far away as the nearest has to explain better, in units of `_FIT`
_CLOSE: Final = 0.35  # colours nearer than this tell little
_LISTENED_PX: Final = (12.0, 36.0)  # distance from certain zones at which colour begins to be, and is, listened to
_SPREAD: Final = 0.15  # alpha on which neighbouring pairs may disagree


@dataclass(frozen=True)
class ColourPrior:
    """An estimate for each pixel of a picture.

    Attributes
    ----------
    alpha : (H, W) float32 ndarray
        In [0, 1]; meaningful in the unsure zone.
    confidence : (H, W) float32 ndarray
        In [0, 1]; 0 where no colours could be found, and outside the unsure zone.
    """

    alpha: FloatArray
    confidence: FloatArray

    def part(self, window: tuple[slice, slice]) -> "ColourPrior":
        """Give the estimate for a window."""
        return ColourPrior(self.alpha[window], self.confidence[window])


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


@njit(cache=True, nogil=True, fastmath=True, inline="always")
def _explain(r: Any, g: Any, b: Any, pair: Any) -> Any:
    """Give alpha and colour distance of a colour to the line between a pair's two colours."""
    fr, fg, fb = pair[0] - pair[3], pair[1] - pair[4], pair[2] - pair[5]
    square = fr * fr + fg * fg + fb * fb + np.float32(1e-6)
    r, g, b = r - pair[3], g - pair[4], b - pair[5]
    alpha = min(max((r * fr + g * fg + b * fb) / square, np.float32(0)), np.float32(1))
    r, g, b = r - alpha * fr, g - alpha * fg, b - alpha * fb
    return alpha, np.sqrt(r * r + g * g + b * b), np.sqrt(square)


@njit(
    "void(float32[:,::1], int64[::1], int64, int32[:,::1], int32[:,::1], float32[:,::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _choose(image: Any, unknown: Any, width: int, near_fg: Any, near_bg: Any, pairs: Any, costs: Any) -> None:  # noqa: C901 - one loop over pairs
    """Choose for each unknown the pair of gathered colours that explains it best, near ones preferred."""
    trial = np.empty(6, np.float32)
    away = np.empty((2, near_fg.shape[1]), np.float32)
    for i in range(unknown.shape[0]):
        here = unknown[i]
        y, x = here // width, here % width
        nearest = np.array([1e9, 1e9], np.float32)
        for side in range(2):
            near = near_fg if side == 0 else near_bg
            for k in range(near.shape[1]):
                at = near[i, k]
                away[side, k] = -1.0
                if at >= 0:
                    away[side, k] = np.sqrt(float((at // width - y) ** 2 + (at % width - x) ** 2))
                    nearest[side] = min(nearest[side], away[side, k])
        costs[i] = 1e9
        for k in range(near_fg.shape[1]):
            if away[0, k] < 0:
                continue
            for c in range(3):
                trial[c] = image[near_fg[i, k], c]
            for m in range(near_bg.shape[1]):
                if away[1, m] < 0:
                    continue
                for c in range(3):
                    trial[3 + c] = image[near_bg[i, m], c]
                _, distance, _ = _explain(image[here, 0], image[here, 1], image[here, 2], trial)
                cost = distance / _FIT + _FAR * (away[0, k] / nearest[0] + away[1, m] / nearest[1] - 2.0)
                if cost < costs[i]:
                    costs[i] = cost
                    pairs[i, :] = trial


@njit(
    "void(float32[:,::1], int64[::1], int32[:,::1], float32[:,::1], float32[::1], float32[:,::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _share(image: Any, unknown: Any, index: Any, pairs: Any, costs: Any, shared: Any, agreement: Any) -> None:
    """Average the pairs of a 5x5 neighbourhood by how well each explains the pixel in its middle."""
    height, width = index.shape
    for i in range(unknown.shape[0]):
        here = unknown[i]
        y, x = here // width, here % width
        total, mean, square = 0.0, 0.0, 0.0
        shared[i, :] = 0.0
        for v in range(max(y - 2, 0), min(y + 3, height)):
            for u in range(max(x - 2, 0), min(x + 3, width)):
                j = index[v, u]
                if j < 0 or costs[j] >= 1e8:
                    continue
                alpha, distance, _ = _explain(image[here, 0], image[here, 1], image[here, 2], pairs[j])
                weight = np.exp(-2.0 * distance / _FIT - 0.25 * costs[j])
                total += weight
                mean += weight * alpha
                square += weight * alpha * alpha
                for c in range(6):
                    shared[i, c] += weight * pairs[j, c]
        agreement[i] = 0.0
        if total > 0:
            for c in range(6):
                shared[i, c] /= total
            spread = max(square / total - (mean / total) ** 2, 0.0)
            agreement[i] = np.exp(-spread / (_SPREAD * _SPREAD))


@njit(
    "void(float32[:,::1], int64[::1], int64, int32[:,::1], int64,"
    "float32[:,::1], float32[::1], float32[::1], float32[::1])",
    cache=True,
    nogil=True,
    fastmath=True,
)
def _project(
    image: Any, unknown: Any, width: int, index: Any, step: int, pairs: Any, agreement: Any, alpha: Any, trust: Any
) -> None:
    """Project each full-size pixel on the colour line of its pair; say how far to trust the answer."""
    for i in range(unknown.shape[0]):
        here = unknown[i]
        v = min((here // width) // step, index.shape[0] - 1)
        u = min((here % width) // step, index.shape[1] - 1)
        j = index[v, u]
        alpha[i], trust[i] = 0.5, 0.0
        if j >= 0 and agreement[j] > 0:
            alpha[i], distance, between = _explain(image[here, 0], image[here, 1], image[here, 2], pairs[j])
            apart = 1.0 - np.exp(-((between / _CLOSE) ** 4))
            trust[i] = np.exp(-((distance / (2.0 * _FIT)) ** 2)) * apart * agreement[j]


def _gather(trimap: ByteArray, unknown: Any, zone: int) -> IntArray:
    """List for each unknown the nearest pixel of a zone in eight directions; O(pixels)."""
    seen = np.empty(trimap.shape, np.int32)
    found = np.empty((len(unknown), len(_DIRECTIONS)), np.int32)
    for k, (dy, dx) in enumerate(_DIRECTIONS):
        _nearest_along(trimap, np.uint8(zone), dy, dx, seen)
        found[:, k] = seen.ravel()[unknown]
    return found


def _smaller(image: FloatArray, trimap: ByteArray) -> tuple[FloatArray, ByteArray]:
    """Halve picture and zones; a pixel that covers more than one zone is unsure."""
    size = (-(-trimap.shape[1] // 2), -(-trimap.shape[0] // 2))
    odd = (trimap.shape[0] % 2, trimap.shape[1] % 2)
    if any(odd):
        image = cv2.copyMakeBorder(image, 0, odd[0], 0, odd[1], cv2.BORDER_REPLICATE)
        trimap = cv2.copyMakeBorder(trimap, 0, odd[0], 0, odd[1], cv2.BORDER_REPLICATE)
    mean = cv2.resize(trimap.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    zones = np.full(mean.shape, UNKNOWN, np.uint8)
    zones[mean <= BACKGROUND] = BACKGROUND
    zones[mean >= FOREGROUND] = FOREGROUND
    return np.ascontiguousarray(cv2.resize(image, size, interpolation=cv2.INTER_AREA)), zones


def is_halved(height: int, width: int) -> bool:
    """Tell whether pairs of a picture of this size are looked for at half size, which loses nothing there."""
    return height * width > _HALVE_ABOVE


def colour_prior(
    image: FloatArray, trimap: ByteArray, *, wanted: BoolArray | None = None, halved: bool | None = None
) -> ColourPrior:
    """Estimate alpha in the unsure zone from known colours around it, pixel by pixel.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
        BACKGROUND, UNKNOWN, FOREGROUND.
    wanted : (H, W) bool ndarray, optional
        Where an estimate is needed; the rest of the picture only lends its colours.
    halved : bool, optional
        Whether to look for pairs at half size; by the picture's size if not given. A window of a larger photo gives
        what that photo gives, and begins at even coordinates.

    Returns
    -------
    ColourPrior

    Notes
    -----
    Gathers in eight fixed directions rather than along rays that turn from pixel to pixel [2]_, so that turning the
    photo turns the answer; variety comes from sharing pairs between neighbours.
    """
    unsure = (trimap != BACKGROUND) & (trimap != FOREGROUND)
    # Close to certain zones the matting Laplacian alone is better; far from them it fills every gap.
    near, far = _LISTENED_PX
    away = cv2.distanceTransform(unsure.astype(np.uint8), cv2.DIST_L2, 5)
    asked = unsure & (away > near) if wanted is None else unsure & (away > near) & wanted
    prior = ColourPrior(np.full(trimap.shape, 0.5, np.float32), np.zeros(trimap.shape, np.float32))
    if not asked.any():
        return prior
    step = 2 if (is_halved(*trimap.shape) if halved is None else halved) else 1
    small_image, small_trimap = _smaller(image, trimap) if step == 2 else (image, trimap)
    index, pairs, agreement = _find_pairs(small_image, small_trimap, _needed(asked, step))
    unknown = np.flatnonzero(asked).astype(np.int64)
    found, trust = np.empty(len(unknown), np.float32), np.empty(len(unknown), np.float32)
    full = np.ascontiguousarray(image, np.float32).reshape(-1, 3)
    _project(full, unknown, image.shape[1], index, step, pairs, agreement, found, trust)
    prior.alpha.ravel()[unknown] = found
    heard = np.clip((away.ravel()[unknown] - np.float32(near)) / np.float32(far - near), 0, 1)
    prior.confidence.ravel()[unknown] = trust * heard
    return prior


def _needed(asked: BoolArray, step: int) -> BoolArray:
    """Give the pixels, at the size pairs are looked for, whose pairs the asked ones will share."""
    reach = 2 * _PASSES * step
    near = cv2.dilate(asked.astype(np.uint8), np.ones((2 * reach + 1, 2 * reach + 1), np.uint8))
    if step == 2:
        odd = (near.shape[0] % 2, near.shape[1] % 2)
        near = cv2.copyMakeBorder(near, 0, odd[0], 0, odd[1], cv2.BORDER_REPLICATE)
        near = near[::2, ::2] | near[1::2, ::2] | near[::2, 1::2] | near[1::2, 1::2]
    return near.astype(bool)


def _find_pairs(image: FloatArray, trimap: ByteArray, needed: BoolArray) -> tuple[IntArray, FloatArray, FloatArray]:
    """Choose and share pairs; give each pixel's place among them (or -1), the pairs, and how far neighbours agree."""
    unsure = (trimap != BACKGROUND) & (trimap != FOREGROUND)
    unknown = np.flatnonzero(unsure & needed).astype(np.int64)
    index = np.full(trimap.shape, -1, np.int32)
    index.ravel()[unknown] = np.arange(len(unknown), dtype=np.int32)
    flat = np.ascontiguousarray(image, np.float32).reshape(-1, 3)
    zones = np.ascontiguousarray(trimap)
    near_fg, near_bg = _gather(zones, unknown, FOREGROUND), _gather(zones, unknown, BACKGROUND)
    pairs, costs = np.zeros((len(unknown), 6), np.float32), np.empty(len(unknown), np.float32)
    _choose(flat, unknown, zones.shape[1], near_fg, near_bg, pairs, costs)
    agreement = np.zeros(len(unknown), np.float32)
    for _ in range(_PASSES):
        shared = np.empty_like(pairs)
        _share(flat, unknown, index, pairs, costs, shared, agreement)
        pairs = shared
    return index, pairs, agreement
