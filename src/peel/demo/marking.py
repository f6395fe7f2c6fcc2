"""Mark zones as a specialist in a hurry would: roughly, but never wrongly."""

import cv2
import numpy as np

from peel.demo.camera import cloud
from peel.matte.arrays import ByteArray, FloatArray

__all__ = ["rough_zones"]


def rough_zones(
    alpha: FloatArray, *, inside_px: float, outside_px: float, seed: int, gather_px: float = 2.0
) -> ByteArray:
    """Draw 0 / 128 / 255 zones around a true matte with a wobbling margin.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
        The truth.
    inside_px, outside_px : float
        About how far the unsure band reaches into the solid subject and the clear backdrop.
    seed : int
    gather_px : float
        Gaps smaller than this inside hair are marked over, as a person would.

    Returns
    -------
    (H, W) uint8 ndarray
    """
    height, width = alpha.shape
    wobble = 0.7 + 0.9 * cloud(width, height, 14, 14, seed + 90, 3)
    solid = cv2.erode((cv2.GaussianBlur(alpha, (0, 0), gather_px) > 0.96).astype(np.uint8), np.ones((3, 3)))
    clear = (alpha <= 0).astype(np.uint8)
    to_edge = cv2.distanceTransform(solid, cv2.DIST_L2, 5)
    to_subject = cv2.distanceTransform(clear, cv2.DIST_L2, 5)
    zones = np.full(alpha.shape, 128, np.uint8)
    zones[to_edge > inside_px * wobble] = 255
    zones[to_subject > outside_px * wobble] = 0
    return zones
