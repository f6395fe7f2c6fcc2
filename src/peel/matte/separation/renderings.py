"""Renderings of a photo in one tone, in which subject and backdrop may be easier to tell apart than in the photo.

References
----------
.. [1] CIE 15:2018, "Colorimetry", 4th edition: CIE 1976 L*a*b*. :doi:`10.25039/TR.015.2018`
"""

from collections.abc import Callable, Mapping
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import FloatArray

__all__ = ["CONTRAST_REACH", "RENDERINGS", "mix_tone", "strengthened"]

_LAB_RANGE: Final = 128.0
_LOCAL_PX: Final = 24.0  # over which local contrast is measured, in photo pixels
_FINE_PX: Final = 1.2  # ... and sharpness

CONTRAST_REACH: Final = int(3 * _LOCAL_PX)
"""Photo pixels around a window that its strengthened tone depends on."""


def mix_tone(colours: FloatArray, weights: tuple[float, float, float]) -> FloatArray:
    """Return a linear combination of the three channels.

    Parameters
    ----------
    colours : (H, W, 3) float32 ndarray
        In [0, 1].
    weights : three floats
        Of red, green and blue; only their ratios matter. A negative weight counts the channel's complement.

    Returns
    -------
    (H, W) float32 ndarray
        In [0, 1].

    Raises
    ------
    ValueError
        If all the weights are 0.

    >>> mix_tone(np.array([[[0.25, 0.5, 1.0]]], np.float32), (0.0, 2.0, 0.0)).tolist()
    [[0.5]]
    """
    shares = np.asarray(weights, np.float32)
    total = np.abs(shares).sum()
    if not total > 0:
        msg = "a mix needs a weight other than 0"
        raise ValueError(msg)
    shares = shares / total
    tone = cv2.transform(np.ascontiguousarray(colours, np.float32), shares[None])
    return np.asarray(tone.reshape(colours.shape[:2]) - np.minimum(shares, 0).sum(), np.float32)


def _mixed(red: float, green: float, blue: float) -> Callable[[FloatArray], FloatArray]:
    return lambda colours: mix_tone(colours, (red, green, blue))


def _lab(axis: int) -> Callable[[FloatArray], FloatArray]:
    """Return a rendering along one axis of CIE 1976 L*a*b* [1]_, scaled to [0, 1]."""

    def tone(colours: FloatArray) -> FloatArray:
        lab = cv2.cvtColor(np.clip(colours, 0, 1).astype(np.float32), cv2.COLOR_RGB2Lab)[..., axis]
        return np.asarray(lab / 100 if axis == 0 else 0.5 + lab / (2 * _LAB_RANGE), np.float32)

    return tone


def _saturation(colours: FloatArray) -> FloatArray:
    most, least = colours.max(axis=2), colours.min(axis=2)
    return np.asarray((most - least) / np.maximum(most, np.float32(0.05)), np.float32)


RENDERINGS: Final[Mapping[str, Callable[[FloatArray], FloatArray]]] = {
    "red": _mixed(1, 0, 0),
    "green": _mixed(0, 1, 0),
    "blue": _mixed(0, 0, 1),
    "lightness": _lab(0),
    "green to rose": _lab(1),
    "blue to yellow": _lab(2),
    "saturation": _saturation,
    "red less green": _mixed(1, -1, 0),
    "red less blue": _mixed(1, 0, -1),
    "green less blue": _mixed(0, 1, -1),
}
"""The renderings that depend on nothing but the colour of a pixel, by name; (H, W, 3) to (H, W), both in [0, 1]."""


def strengthened(tone: FloatArray, local_contrast: float, sharpening: float, scale: float = 1.0) -> FloatArray:
    """Raise local contrast and sharpness of a tone, for the computation only.

    Parameters
    ----------
    tone : (H, W) float32 ndarray
    local_contrast, sharpening : float
        How many times the difference from the surroundings (24 pixels) and from the neighbours (1.2) is added.
    scale : float
        Pixels of `tone` for a pixel of the photo.
    """
    out = tone
    for amount, sigma in ((local_contrast, _LOCAL_PX), (sharpening, _FINE_PX)):
        if amount > 0:
            out = out + np.float32(amount) * (tone - cv2.GaussianBlur(tone, (0, 0), max(sigma * scale, 0.3)))
    return out
