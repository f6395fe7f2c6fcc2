"""How the weights of a solve vary over the picture."""

from dataclasses import dataclass
from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import FloatArray

__all__ = ["MAP_STEP", "TermMaps"]

MAP_STEP: Final = 4
"""By which factor maps of weights are smaller than the picture."""


@dataclass(frozen=True)
class TermMaps:
    """How the weights of `EdgeTerms` vary over a picture, as factors on them.

    Attributes
    ----------
    sampled_colour, local_colour, patches, lines, steps, ramps, sheer : (h, w) float32 ndarray
        At a size smaller than the picture's by `MAP_STEP`, rounded up.
    """

    sampled_colour: FloatArray
    local_colour: FloatArray
    patches: FloatArray
    lines: FloatArray
    steps: FloatArray
    ramps: FloatArray
    sheer: FloatArray

    @staticmethod
    def window(factors: FloatArray, window: tuple[slice, slice]) -> FloatArray:
        """Return one of them in a window of the picture.

        Returns (h, w) float32.
        """
        rows, columns = window
        top, left = rows.start // MAP_STEP, columns.start // MAP_STEP
        part = factors[top : -(-rows.stop // MAP_STEP) + 1, left : -(-columns.stop // MAP_STEP) + 1]
        full = TermMaps.enlarged(part, (part.shape[0] * MAP_STEP, part.shape[1] * MAP_STEP))
        return full[rows.start - top * MAP_STEP :, columns.start - left * MAP_STEP :]

    @staticmethod
    def enlarged(factors: FloatArray, shape: tuple[int, int]) -> FloatArray:
        """Return one of them at the picture's size (H, W)."""
        size = (factors.shape[1] * MAP_STEP, factors.shape[0] * MAP_STEP)
        full = cv2.resize(factors, size, interpolation=cv2.INTER_LINEAR)
        return np.ascontiguousarray(full[: shape[0], : shape[1]])
