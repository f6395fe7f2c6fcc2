"""Tint: give a patch the colours of a good spot, or a hue; its brightness stays.

References
----------
.. [1] E. Reinhard, M. Adhikhmin, B. Gooch, P. Shirley, "Color transfer between images", IEEE Computer Graphics and
   Applications 21(5), 2001, pp. 34-41: mean and spread of one picture's colours given to another.
   :doi:`10.1109/38.946629`
"""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.srgb import to_lab

__all__ = ["Chroma", "chroma_of", "hue_chroma", "tinted"]

_LEAST: Final = 0.5  # spread of a* or b* below which a patch is taken for even
_MOST_GAIN: Final = 2.0


@dataclass(frozen=True)
class Chroma:
    """Mean and spread (one standard deviation) of a* and b* in CIE Lab."""

    mean: tuple[float, float]
    spread: tuple[float, float]


def chroma_of(colours: FloatArray, weights: FloatArray) -> Chroma | None:
    """Measure colours (H, W, 3) under weights (H, W); None where nothing weighs."""
    total = float(weights.sum())
    if total < 1e-3:
        return None
    parts = to_lab(colours)[..., 1:].reshape(-1, 2)
    shares = weights.reshape(-1) / total
    mean = shares @ parts
    spread = np.sqrt(shares @ np.square(parts - mean))
    return Chroma((float(mean[0]), float(mean[1])), (float(spread[0]), float(spread[1])))


def hue_chroma(hue_deg: float, saturation: float) -> Chroma:
    """Return an even chroma of a hue, in degrees around the plane of a* and b*, and a saturation in [0, 1]."""
    angle, length = np.deg2rad(hue_deg), 100.0 * saturation
    return Chroma((float(length * np.cos(angle)), float(length * np.sin(angle))), (0.0, 0.0))


def tinted(colours: FloatArray, weights: FloatArray, own: Chroma, aim: Chroma) -> FloatArray:
    """Move the chroma of a patch.

    Parameters
    ----------
    colours : (H, W, 3) float32 ndarray
        sRGB or near it, in [0, 1].
    weights : (H, W) float32 ndarray
        Of the patch, in [0, 1]; 0 changes nothing.
    own, aim : Chroma
        Of the patch as it is, and as it is to be [1]_; an even aim moves the mean and keeps the patch's spread.
    """
    lab = to_lab(colours)
    for part in (0, 1):
        gain = 1.0
        if aim.spread[part] > 0 and own.spread[part] > _LEAST:
            gain = min(max(aim.spread[part] / own.spread[part], 1 / _MOST_GAIN), _MOST_GAIN)
        moved = (lab[..., 1 + part] - own.mean[part]) * np.float32(gain) + np.float32(aim.mean[part])
        lab[..., 1 + part] += weights * (moved - lab[..., 1 + part])
    made = np.clip(cv2.cvtColor(lab, cv2.COLOR_Lab2RGB), 0, 1)
    return np.where((weights > 0)[..., None], made, colours).astype(np.float32)
