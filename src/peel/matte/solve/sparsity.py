"""A sparsity prior: most of a matte is solid or clear, so values near 0 or 1 are pulled there.

References
----------
.. [1] A. Levin, A. Rav-Acha, D. Lischinski, "Spectral matting", IEEE Transactions on Pattern Analysis and Machine
   Intelligence 30(10), 2008, pp. 1699-1712: a cost that favours mattes whose values are 0 or 1.
   :doi:`10.1109/TPAMI.2008.168`
.. [2] R. Chartrand, W. Yin, "Iteratively reweighted algorithms for compressive sensing", IEEE International Conference
   on Acoustics, Speech and Signal Processing, 2008, pp. 3869-3872: such costs as quadratic ones whose weights come from
   the last answer. :doi:`10.1109/ICASSP.2008.4518498`
"""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.parallel import map_chunks

__all__ = ["sparsity_terms", "texture_weight"]

_WIDTH: Final = 0.05  # distance from 0 or 1 up to which the weight is full; beyond, it falls with the square
_CLEAR: Final = 0.3  # weight towards 0 relative to 1: a lost strand is worse than a faint haze
_HALF_CONFIDENCE_CLEAR: Final = 0.005  # confidence of the colour prior at which the weight towards 0 is halved
_HALF_CONFIDENCE_SOLID: Final = 0.05
_AROUND: Final = 17  # side, in pixels, of the window over which texture is measured
_ROWS: Final = 256  # per task
_PLAIN: Final = (0.2, 0.6)  # shares of textured pixels at which the weight begins and is full


def texture_weight(plain: ByteArray, band: BoolArray) -> FloatArray:
    """Measure local texture: 1 on strands, leaves and edges; 0 on plain or sheer material.

    Sheer material may be half-clear throughout, so no sparsity prior should act on it.

    Parameters
    ----------
    plain : (H, W) uint8 ndarray
        From `peel.matte.solve.noise.plain_reach`.
    band : (H, W) bool ndarray

    Returns
    -------
    (N,) float32 ndarray
        For the band's pixels: 0 where the photo is plain there or around, 1 where it is textured.
    """
    low, high = _PLAIN

    def rows(part: slice) -> FloatArray:
        top = max(part.start - _AROUND // 2, 0)
        own, seen = slice(part.start - top, part.stop - top), slice(top, part.stop + _AROUND // 2)
        inside = band[seen]
        rough = (plain[seen] == 0) & inside
        wanted = inside[own]
        share = _counted(rough)[own][wanted] / np.maximum(_counted(inside)[own][wanted], 1)
        return np.asarray(rough[own][wanted] * np.clip((share - low) / (high - low), 0, 1), np.float32)

    return np.concatenate(map_chunks(rows, len(band), _ROWS))


def _counted(mask: BoolArray) -> FloatArray:
    """Count the pixels of a mask around each pixel."""
    counts = cv2.boxFilter(mask.view(np.uint8), cv2.CV_32F, (_AROUND, _AROUND), normalize=False)
    return np.asarray(counts)


def sparsity_terms(
    alpha: FloatArray, estimate: FloatArray, confidence: FloatArray, texture: FloatArray, *, strength: float
) -> tuple[FloatArray, FloatArray]:
    """Return the prior towards 0 and 1, by how near each pixel of a preliminary solution is to either.

    Parameters
    ----------
    alpha : (N,) float32 ndarray
        A preliminary solution; need not be within [0, 1].
    estimate, confidence : (N,) float32 ndarray
        The sampled-colour estimate and its confidence. Pixels that look like backdrop are not pulled to solid.
    texture : (N,) float32 ndarray
        From `texture_weight`.
    strength : float
        Weight of a pixel at 0 or 1.

    Returns
    -------
    weight, towards : (N,) float32 ndarray
        The sum of both weights, and the weight towards 1: together they add
        ``towards (alpha - 1)^2 + (weight - towards) alpha^2`` to the cost.
    """
    near = np.clip(alpha, 0, 1)
    full = np.float32(strength) * texture
    clear = np.float32(_CLEAR) * full / (1 + confidence / np.float32(_HALF_CONFIDENCE_CLEAR))
    clear /= np.maximum(near, np.float32(_WIDTH)) ** 2
    solid = full * estimate**2 / (1 + confidence / np.float32(_HALF_CONFIDENCE_SOLID))
    solid /= np.maximum(1 - near, np.float32(_WIDTH)) ** 2
    return clear + solid, solid
