"""Change the shape of a marked region: grow, shrink, smooth, fill its holes, drop its islands."""

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, ByteArray

__all__ = ["drop_islands", "fill_holes", "grown", "region_at", "smoothed"]


def grown(region: BoolArray, by_px: float) -> BoolArray:
    """Move a region's boundary outward by `by_px`, or inward if that is negative; the frame is not a boundary.

    Parameters
    ----------
    region : (H, W) bool ndarray
    by_px : float
        In pixels.

    Returns
    -------
    (H, W) bool ndarray
    """
    if by_px == 0 or region.all() or not region.any():
        return region.copy()
    outside = (~region if by_px > 0 else region).astype(np.uint8)
    near = cv2.distanceTransform(outside, cv2.DIST_L2, 5) <= abs(by_px)
    return np.asarray(region | near if by_px > 0 else region & ~near)


def smoothed(region: BoolArray, radius_px: float) -> BoolArray:
    """Even out a region's boundary: bumps and dents smaller than about `radius_px` go.

    Takes and returns (H, W) bool.

    Notes
    -----
    Three passes of a box blur and a threshold at one half: motion by mean curvature, after Merriman, Bence, Osher 1992.
    """
    if radius_px <= 0:
        return region.copy()
    side = 2 * max(round(radius_px / 1.7), 1) + 1
    soft = region.astype(np.uint8) * np.uint8(255)
    for _ in range(3):
        soft = cv2.blur(soft, (side, side), borderType=cv2.BORDER_REPLICATE)
    return np.asarray(soft >= 128)


def fill_holes(region: BoolArray, most_px: float = np.inf) -> BoolArray:
    """Add to a region what it encloses, up to holes of `most_px` pixels; what touches the frame is not enclosed.

    Takes and returns (H, W) bool.
    """
    labels, counts, framed = _pieces(~region)
    filled = (counts <= most_px) & ~framed
    filled[0] = False
    return np.asarray(region | filled[labels])


def drop_islands(region: BoolArray, below_px: float) -> BoolArray:
    """Take away a region's separate pieces of fewer than `below_px` pixels.

    Takes and returns (H, W) bool.
    """
    labels, counts, _ = _pieces(region)
    kept = counts >= below_px
    kept[0] = False
    return np.asarray(kept[labels])


def _pieces(region: BoolArray) -> tuple[np.ndarray, np.ndarray, BoolArray]:
    """Tell the connected pieces apart; return how many pixels each has and whether it touches the frame."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(region.astype(np.uint8), connectivity=4)
    framed = np.zeros(count, bool)
    for side in (labels[0], labels[-1], labels[:, 0], labels[:, -1]):
        framed[side] = True
    return labels, stats[:, cv2.CC_STAT_AREA].astype(np.float64), framed


def region_at(codes: ByteArray, row: int, column: int) -> BoolArray:
    """Return the connected area of equal codes around a pixel.

    Codes are (H, W) uint8; returns (H, W) bool.
    """
    mask = np.zeros((codes.shape[0] + 2, codes.shape[1] + 2), np.uint8)
    flags = 4 | cv2.FLOODFILL_MASK_ONLY | (1 << 8)
    cv2.floodFill(codes.copy(), mask, (column, row), 0, 0, 0, flags)
    return mask[1:-1, 1:-1] > 0
