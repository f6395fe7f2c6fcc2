"""How kinds of edge are told apart.

A stretch of edge is described by five numbers gathered around it, and compared with the typical ones of each kind.
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.kind import KINDS
from peel.matte.edge.laying import EdgeReading

__all__ = ["Suggestion", "kinds_from_gray", "suggest_kinds"]


_WINDOW: Final = 49  # working pixels across in which a stretch is described
_EVERY: Final = 3  # working pixels of the edge for which one is described
_WISPY: Final = 0.1  # of `EdgeReading.wispy`, from which strands are believed
_NEED_STRANDS: Final = tuple(kind for kind, spec in KINDS.items() if spec.needs_strands)
_MARGIN: Final = 3  # working pixels around the boundary that always belong to the band
_SPREADS: Final = np.array([0.35, 0.25, 0.15, 0.10, 0.20], np.float32)


@dataclass(frozen=True)
class Suggestion:
    """Which kind each pixel's nearest stretch is likely to be.

    Attributes
    ----------
    kinds : (h, w) uint8 ndarray
        Values of `Kind`.
    confidence : (h, w) uint8 ndarray
        255 for certain.
    """

    kinds: ByteArray
    confidence: ByteArray


def kinds_from_gray(levels: ByteArray) -> ByteArray:
    """Return the kinds that gray levels stand for.

    Parameters
    ----------
    levels : (H, W) uint8 ndarray
        Levels of `KindSpec.mask_level`; 0 for no kind.

    Returns
    -------
    (H, W) uint8 ndarray
        Values of `Kind`; 0 too where a level stands for none.
    """
    of_level = np.zeros(256, np.uint8)
    for kind, spec in KINDS.items():
        of_level[spec.mask_level] = kind
    return of_level[levels]


def suggest_kinds(reading: EdgeReading) -> Suggestion:
    """Tell the kind of every stretch from what was read of the edge.

    Parameters
    ----------
    reading : EdgeReading

    Returns
    -------
    Suggestion
        Of every pixel, taken from the nearest point of the marked boundary.
    """
    on_edge = (reading.distance < 1.6).astype(np.uint8)
    # A description changes little from one pixel of the edge to the next.
    on_edge &= (np.add.outer(*map(np.arange, on_edge.shape)) % _EVERY == 0).astype(np.uint8)
    if not on_edge.any():
        blank = np.zeros(on_edge.shape, np.uint8)
        return Suggestion(blank, blank)
    chosen, confidence = _compared(_descriptions(reading)[on_edge > 0])
    # What looks like strands may be the backdrop's: nothing is said unless strands leave the mark nearby.
    confidence[np.isin(chosen, _NEED_STRANDS) & (reading.wispy[on_edge > 0] < _WISPY)] = 0
    _, labels = cv2.distanceTransformWithLabels(1 - on_edge, cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL)
    kinds, sure = (np.zeros(int(labels.max()) + 1, np.uint8) for _ in range(2))
    at = labels[on_edge > 0]
    kinds[at], sure[at] = chosen, confidence
    return Suggestion(kinds[labels], sure[labels])


def _compared(described: FloatArray) -> tuple[ByteArray, ByteArray]:
    """Return the likeliest kind of each (N, 5) description, and how much likelier it is than the others."""
    logs = np.array([0, 1, 4])
    described[:, logs] = np.log(np.maximum(described[:, logs], 1e-3))
    best = np.full((len(KINDS), len(described)), -1e9, np.float32)
    for row, spec in enumerate(KINDS.values()):
        for values in spec.typical:
            typical = np.array(values, np.float32)
            typical[logs] = np.log(typical[logs])
            best[row] = np.maximum(best[row], -0.5 * (((described - typical) / _SPREADS) ** 2).sum(-1))
    likely = np.exp(best - best.max(axis=0))
    confidence = 255 * likely.max(axis=0) / likely.sum(axis=0)
    return np.array([*KINDS], np.uint8)[likely.argmax(axis=0)], np.rint(confidence).astype(np.uint8)


def _descriptions(reading: EdgeReading) -> FloatArray:
    """Return the five numbers of every pixel's surroundings."""
    cover = cv2.GaussianBlur(reading.cover, (0, 0), 1.0)
    across, down = (cv2.Sobel(cover, cv2.CV_32F, *order, scale=1 / 8) for order in ((1, 0), (0, 1)))
    band = (reading.unsure | (reading.distance < _MARGIN)).astype(np.float32)
    window = (_WINDOW, _WINDOW)
    share = cv2.blur(band, window)

    def pooled(values: FloatArray) -> FloatArray:
        return cv2.blur(values * band, window) / np.maximum(share, 1e-6)

    both, along, askew = pooled(across * across), pooled(down * down), pooled(across * down)
    coherence = np.hypot(both - along, 2 * askew) / (both + along + 1e-9)
    half_clear = pooled(((cover > 0.15) & (cover < 0.85)).astype(np.float32))
    ridges = pooled(np.abs(cv2.Laplacian(cover, cv2.CV_32F))) / np.maximum(pooled(np.hypot(across, down)), 1e-4)
    width = share * _WINDOW / (2 * _MARGIN)
    steep = cv2.blur(reading.steepness, (9, 9))
    return np.asarray(np.stack([width, steep, coherence, half_clear, ridges], axis=-1), np.float32)
