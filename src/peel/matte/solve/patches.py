"""What is simply backdrop, or simply subject, inside a wide band: it looks like what lies outside.

For each pixel of the band the most similar patches of the certain backdrop and of the certain subject are found. Where
one side explains the pixel's neighbourhood and the other does not, alpha is pulled to that side, weakly.

References
----------
.. [1] C. Barnes, E. Shechtman, A. Finkelstein, D. B. Goldman, "PatchMatch: a randomized correspondence algorithm for
   structural image editing", ACM Transactions on Graphics 28(3), 2009, 24. :doi:`10.1145/1531326.1531330`
"""

from typing import Any, Final

import cv2
import numpy as np
from numba import njit

from peel.matte.arrays import BoolArray, ByteArray, FloatArray, IntArray
from peel.matte.edge.zones import BACKGROUND, FOREGROUND
from peel.matte.parallel import checkpoint, map_chunks

__all__ = ["REACH_PX", "patch_distances", "patch_evidence"]

REACH_PX: Final = 150
"""How far away a similar patch may lie, in pixels of the photo."""

_LARGE: Final = (9_000_000, 16_000_000)  # pixels of a photo from which patches are compared at 1/3 and 1/4
_JUMPS: Final = (
    (6, 3, 1, 2, 1, 1),
    (6, 2, 1, 1),
)  # from how far away the neighbours' matches are tried, round by round
_AT_ONCE: Final = 40_000  # places per task
_FAR: Final = np.float32(9.0)  # the distance of a side that has no patch within reach
_FLOOR: Final = 0.0004  # squared difference of colours that noise explains
_PER_GRADIENT: Final = 0.1  # ... and what a shift by a fraction of a pixel explains, per squared gradient
_BIAS: Final = 0.5
_SLOPE: Final = 0.35


_FAST: Final = {"cache": True, "nogil": True, "fastmath": True}


@njit(**_FAST)
def _distance(padded: Any, y: int, x: int, v: int, u: int, most: float) -> Any:
    """Sum the squared differences of two 5 x 5 patches, up to about `most`; places are of the unpadded picture."""
    total = np.float32(0)
    for row in range(5):
        for k in range(15):
            e = padded[y + row, 3 * x + k] - padded[v + row, 3 * u + k]
            total += e * e
        if total >= most:
            break
    return total


@njit(**_FAST)
def _random(state: int) -> int:
    """Return the next number of a xorshift generator."""
    state = (state ^ (state << 13)) & 0xFFFFFFFF
    state = state ^ (state >> 17)
    return (state ^ (state << 5)) & 0xFFFFFFFF


@njit(**_FAST)
def _try(padded: Any, source: Any, reach: int, y: int, x: int, v: int, u: int, best: Any) -> None:
    """Take a match if it is allowed and better; best is (row, column, cost)."""
    if v < 0 or v >= source.shape[0] or u < 0 or u >= source.shape[1] or not source[v, u]:
        return
    if abs(v - y) > reach or abs(u - x) > reach:
        return
    cost = _distance(padded, y, x, v, u, best[2])
    if cost < best[2]:
        best[0], best[1], best[2] = v, u, cost


@njit(
    "void(float32[:,::1], int32[:,::1], int32[:,::1], boolean[:,::1], int64, int64, int64, "
    "float32[:,::1], float32[:,::1], float32[:,::1])",
    **_FAST,
)
def _improve(
    padded: Any, places: Any, numbers: Any, source: Any, reach: int, jump: int, turn: int, old: Any, own: Any, new: Any,
) -> None:  # fmt: skip
    """Try the matches of neighbours at a distance, then random ones ever nearer to the best; one round of [1]_."""
    height, width = numbers.shape
    for i in range(places.shape[0]):
        y, x = places[i, 0], places[i, 1]
        best = new[i]
        best[0], best[1], best[2] = own[i, 0], own[i, 1], own[i, 2]
        for k in range(4):
            dy = jump * ((k == 0) - (k == 1))
            dx = jump * ((k == 2) - (k == 3))
            if 0 <= y + dy < height and 0 <= x + dx < width and numbers[y + dy, x + dx] >= 0:
                n = numbers[y + dy, x + dx]
                _try(padded, source, reach, y, x, int(old[n, 0]) - dy, int(old[n, 1]) - dx, best)
        state = ((y * 73856093) ^ (x * 19349663) ^ (turn * 83492791)) & 0xFFFFFFFF | 1
        radius = reach
        while radius >= 1:
            state = _random(state)
            v = int(best[0]) - radius + (((state & 0xFFFF) * (2 * radius + 1)) >> 16)
            u = int(best[1]) - radius + (((state >> 16) * (2 * radius + 1)) >> 16)
            _try(padded, source, reach, y, x, v, u, best)
            radius //= 2


def patch_distances(
    image: FloatArray, places: IntArray, source: ByteArray, reach: int, *, quick: bool = False
) -> FloatArray:
    """Find how much the patch around each place differs from the most similar one of a source.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
    places : (N, 2) int32 ndarray
        Row and column of each place.
    source : (H, W) uint8 ndarray
        Above 0 where centres of similar patches may lie.
    reach : int
        How far away they may lie, in pixels of `image`.
    quick : bool
        Whether to search in four rounds in place of six.

    Returns
    -------
    (N,) float32 ndarray
        Mean squared difference over the 5 x 5 patch and its channels; large where nothing lies within reach.
    """
    distance, labels = cv2.distanceTransformWithLabels(
        (source == 0).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    rows, columns = np.nonzero(source)
    nearest = np.zeros((int(labels.max()) + 1, 2), np.int32)
    nearest[labels[rows, columns]] = np.stack([rows, columns], axis=1)
    at = (places[:, 0], places[:, 1])
    match = nearest[labels[at]] if len(rows) else places.copy()
    numbers = np.full(source.shape, -1, np.int32)
    numbers[at] = np.arange(len(places), dtype=np.int32)
    padded = np.pad(image, ((2, 2), (2, 2), (0, 0)), mode="edge").reshape(image.shape[0] + 4, -1)
    allowed = source > 0
    old = np.column_stack([match, np.full(len(places), 75 * _FAR)]).astype(np.float32)
    new = np.empty_like(old)
    for turn, jump in enumerate(_JUMPS[quick]):

        def improve(
            part: slice, before: FloatArray = old, after: FloatArray = new, round_: tuple[int, int] = (jump, turn)
        ) -> None:
            _improve(padded, places[part], numbers, allowed, reach, *round_, before, before[part], after[part])

        map_chunks(improve, len(places), _AT_ONCE)
        checkpoint()
        old, new = new, old
    within = (distance[at] <= reach) & (len(rows) > 0)
    return np.where(within, old[:, 2] / np.float32(75), _FAR).astype(np.float32)


def patch_evidence(
    image: FloatArray, trimap: ByteArray, wanted: BoolArray, photo_pixels: int | None = None, scale: int = 1
) -> tuple[FloatArray, FloatArray]:
    """Say how surely each pixel of the band is simply backdrop, or simply subject.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
        Colours in [0, 1].
    trimap : (H, W) uint8 ndarray
    wanted : (H, W) bool ndarray
        Where in the band an answer is needed.
    photo_pixels : int, optional
        Size of the photo of which this is a window: patches grow with it. The picture's own if not given.
    scale : int
        By how much smaller than the photograph itself that photo is: patches are as large in either.

    Returns
    -------
    (H, W) float32 ndarray
        Confidence that a pixel is backdrop, in [0, 1]; 0 elsewhere.
    (H, W) float32 ndarray
        Confidence that it is subject.

    Notes
    -----
    With the mean squared distances ``D_B`` and ``D_F`` and what noise and a small shift explain, ``tau``, the evidence
    is ``l = ln((D_F + tau) / (D_B + tau))``, and the confidence in the backdrop
    ``sigmoid((l - 0.5 D_B / tau - 0.5) / 0.35)^2``.
    """
    height, width = trimap.shape
    pixels = (photo_pixels or trimap.size) * scale**2
    step = max(1, (2 + int(np.searchsorted(_LARGE, pixels, side="right"))) // scale)
    size = (-(-width // step), -(-height // step))
    small = np.ascontiguousarray(cv2.resize(image, size, interpolation=cv2.INTER_AREA), np.float32)
    is_backdrop = _all_of(trimap == BACKGROUND, size)
    is_subject = _all_of(trimap == FOREGROUND, size)
    asked = cv2.resize(wanted.astype(np.uint8) * np.uint8(255), size, interpolation=cv2.INTER_AREA) > 0
    places = np.ascontiguousarray(np.argwhere(asked), np.int32)
    maps = [np.zeros(asked.shape, np.float32) for _ in range(2)]
    if len(places):
        reach = REACH_PX // (step * scale)
        to_backdrop = patch_distances(small, places, is_backdrop, reach, quick=scale > 1)
        to_subject = patch_distances(small, places, is_subject, reach, quick=scale > 1)
        at = (places[:, 0], places[:, 1])
        floor = _FLOOR + _PER_GRADIENT * _squared_gradient(small)[at]
        evidence = np.log((to_subject + floor) / (to_backdrop + floor))
        maps[0][at] = _confidence(evidence, to_backdrop / floor)
        maps[1][at] = _confidence(-evidence, to_subject / floor)
    backdrop, subject = (cv2.resize(part, (width, height), interpolation=cv2.INTER_LINEAR) * wanted for part in maps)
    return backdrop, subject


def _all_of(mask: Any, size: tuple[int, int]) -> ByteArray:
    """Return where all the pixels that a smaller one covers are set."""
    part = cv2.resize(mask.astype(np.uint8) * np.uint8(255), size, interpolation=cv2.INTER_AREA)
    return np.asarray(part == 255, np.uint8)


def _squared_gradient(image: FloatArray) -> FloatArray:
    """Return the mean squared difference of neighbours over a patch and its channels."""
    total = np.zeros(image.shape[:2], np.float32)
    for axis in (0, 1):
        steps = np.diff(image, axis=axis, append=image.take([-1], axis=axis))
        total += (steps**2).mean(axis=2)
    return cv2.blur(total, (5, 5))


def _confidence(evidence: FloatArray, unexplained: FloatArray) -> FloatArray:
    argument = np.clip((evidence - np.float32(0.5) * unexplained - _BIAS) / _SLOPE, -30, 30)
    return np.asarray((1 / (1 + np.exp(-argument))) ** 2, np.float32)
