"""What a second frame tells of alpha, as the solver takes it."""

from dataclasses import dataclass

import cv2
import numpy as np

from peel.matte.arrays import FloatArray

__all__ = ["Told", "blurred"]


@dataclass(frozen=True)
class Told:
    """What follows from a second frame.

    Attributes
    ----------
    behind : (H, W, 3) float32 ndarray or None
        The backdrop in the photo's light, if the frame shows it.
    belief : (H, W) float32 ndarray
        How far the frame can be relied on, in [0, 1].
    weight, pull : (H, W) float32 ndarray
        A quadratic pull on alpha, and its weight times its target; see `peel.matte.solve.evidence.Evidence.pulled`.
    """

    behind: FloatArray | None
    belief: FloatArray
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
