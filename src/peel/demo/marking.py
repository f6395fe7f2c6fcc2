"""Mark zones as a specialist in a hurry would: roughly, but never wrongly."""

from typing import Final

import cv2
import numpy as np

from peel.demo.camera import cloud
from peel.matte.arrays import ByteArray, FloatArray
from peel.matte.edge.kind import Kind

__all__ = ["BRAMBLE_HAIR", "loose_outline", "rough_zones", "true_kinds"]

BRAMBLE_HAIR: Final = (
    ((760, 1250), (600, 900), (700, 500), (950, 220), (1300, 110), (1750, 100), (2100, 260), (2330, 600), (2330, 1000)),
    ((2330, 900), (2100, 1250)),
    ((1150, 300), (1500, 180), (1850, 330)),
    ((1000, 1150), (950, 700)),
    ((1950, 1150), (2050, 700)),
    ((900, 560), (1150, 430)),
    ((1880, 440), (2070, 540)),
    ((820, 700), (800, 1000)),
    ((1170, 960), (1220, 1060)),
    ((1840, 960), (1780, 1070)),
)
"""Strokes of a brush 330 pixels wide over Bramble's hair, in photo pixels."""


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


def true_kinds(alpha: FloatArray, layers: dict[Kind, FloatArray], unit: float) -> ByteArray:
    """Say of which kind the edge is at each place: that of the layer which makes it half-clear.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
        The truth.
    layers : dict of Kind to (H, W) float32 ndarray
        What each kind covers by itself, in [0, 1].
    unit : float
        Pixels of this photo for one of a photo at the demo's usual size.

    Returns
    -------
    (H, W) uint8 ndarray
        `Kind` codes within about 6 px of half-clear pixels, 0 elsewhere.
    """
    half_clear = ((alpha > 0.02) & (alpha < 0.98)).astype(np.float32)
    weights = [cv2.GaussianBlur(half_clear * cover, (0, 0), 4 * unit) for cover in layers.values()]
    codes = np.array([int(kind) for kind in layers], np.uint8)
    near = cv2.dilate(half_clear, np.ones((2 * round(6 * unit) + 1,) * 2, np.uint8)) > 0
    return np.where(near, codes[np.argmax(weights, axis=0)], np.uint8(0)).astype(np.uint8)


def loose_outline(alpha: FloatArray, gather_px: float = 14.0, tolerance_px: float = 12.0) -> list[tuple[float, float]]:
    """Click around what is mostly subject, with straight runs: the outline that a person draws in half a minute.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
        The truth.
    gather_px : float
        Hair thinner than about this is left outside.
    tolerance_px : float
        How far straight runs may stray from the boundary. Larger: fewer points.

    Returns
    -------
    list of (x, y)
        Points of the photo; where the subject is cut off by the frame they lie a little beyond it.
    """
    beyond = 20
    framed = cv2.copyMakeBorder(alpha, beyond, beyond, beyond, beyond, cv2.BORDER_REPLICATE)
    mostly = (cv2.GaussianBlur(framed, (0, 0), gather_px) > 0.5).astype(np.uint8)
    contours, _ = cv2.findContours(mostly, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    largest = max(contours, key=cv2.contourArea)
    points = cv2.approxPolyDP(largest, tolerance_px, True)[:, 0]
    return [(float(x) - beyond, float(y) - beyond) for x, y in points]
