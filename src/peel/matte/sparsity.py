"""Most of a matte is solid or clear: pull what nearly is so towards it, where neither colour nor smoothness objects.

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
from peel.matte.parallel import in_portions

__all__ = ["pull_to_ends", "roughness"]

_STRENGTH: Final = 1e-5
_WIDTH: Final = 0.05  # distance from 0 or 1 up to which the pull is full; beyond, it falls with its square
_CLEAR: Final = 0.3  # of the pull towards clear: strands that vanish are missed sooner than a haze that stays
_CALM_CLEAR: Final = 0.005  # trust in colour at which a pull is halved: what colour knows needs no guess
_CALM_SOLID: Final = 0.05
_AROUND: Final = 17  # pixels a side, over which a photo is plain or not
_ROWS: Final = 256  # done at a time
_PLAIN: Final = (0.2, 0.6)  # share of pixels that are not plain, at which the pull begins and is full


def roughness(plain: ByteArray, band: BoolArray) -> FloatArray:
    """Tell strands, leaves and edges from sheer or plain material, which may be half-clear everywhere.

    Parameters
    ----------
    plain : (H, W) uint8 ndarray
        From `peel.matte.noise.plain_reach`.
    band : (H, W) bool ndarray

    Returns
    -------
    (N,) float32 ndarray
        For the band's pixels: 0 where the photo is plain, there or around, 1 where it is rough.
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

    return np.concatenate(in_portions(rows, len(band), _ROWS))


def _counted(mask: BoolArray) -> FloatArray:
    """Count the pixels of a mask around each pixel."""
    counts = cv2.boxFilter(mask.view(np.uint8), cv2.CV_32F, (_AROUND, _AROUND), normalize=False)
    return np.asarray(counts)


def pull_to_ends(
    alpha: FloatArray, estimate: FloatArray, confidence: FloatArray, rough: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """Weigh the pull of each pixel towards clear and solid by how near a first answer came to either.

    Parameters
    ----------
    alpha : (N,) float32 ndarray
        A first answer; need not be within [0, 1].
    estimate, confidence : (N,) float32 ndarray
        What colour says by itself, and how far it is listened to. What looks like backdrop is not pulled to solid.
    rough : (N,) float32 ndarray
        From `roughness`.

    Returns
    -------
    weight, towards : (N,) float32 ndarray
        Add ``weight (alpha - 1)^2`` to the cost for the share ``towards / weight`` of it, ``weight alpha^2`` for the
        rest: both weights together, and that of the pull to 1.
    """
    near = np.clip(alpha, 0, 1)
    strength = np.float32(_STRENGTH) * rough
    clear = np.float32(_CLEAR) * strength / (1 + confidence / np.float32(_CALM_CLEAR))
    clear /= np.maximum(near, np.float32(_WIDTH)) ** 2
    solid = strength * estimate**2 / (1 + confidence / np.float32(_CALM_SOLID))
    solid /= np.maximum(1 - near, np.float32(_WIDTH)) ** 2
    return clear + solid, solid
