"""What a second frame is compared in, and what it tells of alpha, as the solver takes it."""

from dataclasses import dataclass

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray, FloatArray
from peel.matte.edge.zones import BACKGROUND
from peel.matte.solve.noise import NoiseCurve

__all__ = ["Compared", "Told", "blurred"]


@dataclass(frozen=True)
class Compared:
    """A window of a photo, and of its second frame brought over it.

    Attributes
    ----------
    image, frame : (H, W, 3) float32 ndarray
    trimap : (H, W) uint8 ndarray
    inside : (H, W) bool ndarray
        Where the frame shows anything.
    wanted : (H, W) bool ndarray
        Where an answer is needed, in the unknown zone.
    noise : NoiseCurve
        Of the photo.
    scale : int
        Photo pixels per pixel.
    is_linear : bool
        Whether colours are amounts of light rather than encoded.
    """

    image: FloatArray
    frame: FloatArray
    trimap: ByteArray
    inside: BoolArray
    wanted: BoolArray
    noise: NoiseCurve
    scale: int = 1
    is_linear: bool = False

    @property
    def clear(self) -> FloatArray:
        """1 where both show backdrop, else 0; (H, W) float32."""
        return ((self.trimap == BACKGROUND) & self.inside).astype(np.float32)


@dataclass(frozen=True)
class Told:
    """A quadratic pull on alpha; see `peel.matte.solve.evidence.Evidence.pulled`.

    Attributes
    ----------
    weight, pull : (H, W) float32 ndarray
        Its weight, and its weight times its target.
    """

    weight: FloatArray
    pull: FloatArray


def blurred(values: FloatArray, sigma: float) -> FloatArray:
    """Blur (H, W) or (H, W, C) by a bell; a wide one at a smaller size."""
    step = max(1, int(sigma / 4))
    if step == 1:
        return np.asarray(cv2.GaussianBlur(values, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE))
    size = max(1, values.shape[1] // step), max(1, values.shape[0] // step)
    small = cv2.resize(values, size, interpolation=cv2.INTER_AREA)
    wide = cv2.GaussianBlur(small, (0, 0), sigma / step, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.resize(wide, values.shape[1::-1], interpolation=cv2.INTER_LINEAR))
