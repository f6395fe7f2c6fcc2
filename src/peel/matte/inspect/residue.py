"""Residue: how far the cutout, laid back over the clean backdrop around it, is from the photo."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray
from peel.matte.channels import largest_part
from peel.matte.colour.outward import GRID, carried
from peel.matte.composite.over import composite_over

__all__ = ["clean_backdrop", "residue", "residue_window"]


RESIDUE_REACH: Final = 240
"""Pixels around a window from which its backdrop is carried."""


def residue_window(top: int, left: int, bottom: int, right: int) -> tuple[int, int, int, int]:
    """Return the window that has to be read for the residue of another, so that any two agree where they overlap."""
    low = [(part - RESIDUE_REACH) // GRID * GRID for part in (top, left)]
    high = [-(-(part + RESIDUE_REACH) // GRID) * GRID for part in (bottom, right)]
    return max(low[0], 0), max(low[1], 0), high[0], high[1]


def clean_backdrop(photo: FloatArray, alpha: FloatArray) -> FloatArray:
    """Carry the backdrop that is fully clear in under the subject; see `carried`.

    Takes (H, W, 3) colours and (H, W) alpha in [0, 1]; returns (H, W, 3) float32.
    """
    return carried(photo, alpha <= 0)[0]


def residue(
    photo: FloatArray,
    colours: FloatArray,
    alpha: FloatArray,
    *,
    linear: bool = False,
    behind: tuple[FloatArray, BoolArray] | None = None,
) -> FloatArray:
    """Return how far each pixel is from being explained.

    Parameters
    ----------
    photo, colours : (H, W, 3) float32 ndarray
        The photo, and the subject's own colours.
    alpha : (H, W) float32 ndarray
    linear : bool
        Whether the photo mixes in linear light.
    behind : (H, W, 3) float32 ndarray and (H, W) bool ndarray, optional
        The backdrop from a picture of the set, and where that can be relied on.

    Returns
    -------
    (H, W) float32 ndarray
        Largest difference over the channels; 0 where alpha is 0 or nothing clear is near.
    """
    backdrop, reached = carried(photo, alpha <= 0)
    if behind is not None:
        backdrop, reached = np.where(behind[1][..., None], behind[0], backdrop), reached | (behind[1] & (alpha > 0))
    laid_back = composite_over(colours, backdrop, alpha, linear=linear)
    return np.where(reached, largest_part(cv2.absdiff(laid_back, photo)), 0).astype(np.float32)
