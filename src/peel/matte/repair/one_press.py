"""Repairs of a whole matte that need no brush: pinholes, specks, a see-through inside, what floats outside, haze."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import BoolArray, FloatArray

__all__ = ["haze", "hollow_inside", "littered_outside", "pinholes", "specks"]

_SOLID: Final = 0.95
_CLEAR: Final = 0.05
_LEAST: Final = 0.004  # alpha below which a matte is as good as clear
_RING_PX: Final = 3  # width of the ring around a hole or a speck that is looked at
_RING: Final = 0.97  # share of it that has to be solid, or clear: gaps between strands and tips of them are neither
_FAINT: Final = 0.22  # alpha up to which something may be haze
_NEAR_PX: Final = 9  # side of the square in which nothing stronger may lie
_STRAND: Final = 0.02  # contrast over a few pixels from which something faint is a strand


def _small_pieces(mask: BoolArray, most_px: float, rim: BoolArray) -> BoolArray:
    """Return the pieces of a mask of at most ``most_px^2`` pixels whose rim lies in another mask, off the border."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    small = stats[:, cv2.CC_STAT_AREA] <= most_px**2
    small[0] = False
    border = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    small[border] = False
    if not small.any():
        return np.zeros(mask.shape, bool)
    chosen = small[labels]
    around = np.ones((2 * _RING_PX + 1,) * 2, np.uint8)
    grown = cv2.dilate(np.where(chosen, labels, 0).astype(np.float32), around).astype(np.int32)
    ring = (grown > 0) & ~chosen
    total = np.bincount(grown[ring], minlength=count)
    within = np.bincount(grown[ring & rim], minlength=count)
    kept = small & (within >= _RING * np.maximum(total, 1))
    return np.asarray(kept[labels], bool)


def pinholes(alpha: FloatArray, most_px: float) -> BoolArray:
    """Find holes in what is solid.

    Parameters
    ----------
    alpha : (H, W) float32 ndarray
    most_px : float
        Side of a square as large as the largest of them.

    Returns
    -------
    (H, W) bool ndarray
        To be made solid.
    """
    return _small_pieces(alpha < _SOLID, most_px, alpha >= _SOLID)


def specks(alpha: FloatArray, most_px: float) -> BoolArray:
    """Find small things that float in what is clear; see `pinholes`.

    Takes (H, W) float32 in [0, 1]; returns (H, W) bool.
    """
    return _small_pieces(alpha > _LEAST, most_px, alpha <= _CLEAR)


def hollow_inside(alpha: FloatArray, distance_px: float) -> BoolArray:
    """Find what is not solid farther inside than a distance from anything clear; gaps that are clear stay.

    Takes (H, W) float32 in [0, 1]; returns (H, W) bool. Distances are in pixels.
    """
    away = cv2.distanceTransform((alpha > _CLEAR).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray((away > distance_px) & (alpha < 1), bool)


def littered_outside(alpha: FloatArray, distance_px: float) -> BoolArray:
    """Find what is not clear farther outside than a distance from anything solid.

    Takes (H, W) float32 in [0, 1]; returns (H, W) bool. Distances are in pixels.
    """
    away = cv2.distanceTransform((alpha < _SOLID).astype(np.uint8), cv2.DIST_L2, 5)
    return np.asarray((away > distance_px) & (alpha > 0), bool)


def haze(alpha: FloatArray) -> BoolArray:
    """Find low values without the structure of strands.

    Takes (H, W) float32 in [0, 1]; returns (H, W) bool.
    """
    strongest = cv2.dilate(alpha, np.ones((_NEAR_PX, _NEAR_PX), np.uint8))
    contrast = np.abs(alpha - cv2.GaussianBlur(alpha, (0, 0), 3))
    structured = cv2.dilate((contrast > _STRAND).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    return np.asarray((alpha > 0) & (strongest <= _FAINT) & ~structured, bool)
