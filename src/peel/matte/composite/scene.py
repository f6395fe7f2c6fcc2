"""What a photo tells of the scene: where floor and wall meet, and where the subject's own shadow falls."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import FloatArray
from peel.matte.composite.shadow import Ground, kept_shadow

__all__ = ["own_lean", "proposed_wall"]

_BLUR_PX: Final = 1.5
_COVER: Final = 0.35  # share of a line across the photo that has to be free of the subject
_STEP: Final = 0.006  # least change of colour for a pixel of height that is a line
_STANDS_OUT: Final = 5.0  # by how much it has to exceed what is usual above the ground
_BESIDE_PX: Final = 6
_SHARPER: Final = 3.0  # by how much a line exceeds what is beside it
_DARK: Final = 0.06  # least opacity of what counts as a shadow
_LEAST_SHADOW: Final = 0.02  # of the subject's area
_FAR: Final = 1.5  # subject's heights, beyond which darkness is not its shadow
_UPWARD: Final = -1.1  # lean up the picture, beyond which light would come from before the camera
_EVERYWHERE: Final = 0.5  # share of what lies about the foot, above which darkness is no shadow
_DENSER: Final = 3.0  # by how much darkness has to be denser there than elsewhere: else the backdrop is merely uneven
_CLOSE: Final = 0.04  # of the subject's height, above the ground line, where a change is its contact and no wall


def proposed_wall(photo: FloatArray, alpha: FloatArray, ground: Ground) -> float | None:
    """Find the line, parallel to the ground line and above it, along which the backdrop changes all at once.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    alpha : (H, W) float32 ndarray
    ground : Ground

    Returns
    -------
    float or None
        How far above the ground line it lies, in pixels; None if nothing stands out.
    """
    soft = cv2.GaussianBlur(photo, (0, 0), _BLUR_PX, borderType=cv2.BORDER_REPLICATE)
    clear = cv2.erode((alpha <= 0).astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool)
    up = ground.up
    down, across = np.gradient(soft, axis=(0, 1))
    rising = np.asarray(down * up[1] + across * up[0], np.float32)
    heights = np.floor(ground.heights(alpha.shape)).astype(np.int64)
    rows, columns = np.nonzero(alpha > 0.5)
    high = max(float(heights[rows, columns].max()), 1.0) if len(rows) else 1.0
    used = clear & (heights > max(2, round(_CLOSE * high))) & (heights < high)  # higher up no shadow would climb it
    if not used.any():
        return None
    bins = heights[used]
    count = np.bincount(bins).astype(np.float64)
    mean = np.stack([np.bincount(bins, rising[..., c][used]) / np.maximum(count, 1) for c in range(3)])
    strength = np.where(count > _COVER * alpha.shape[1], np.abs(mean).mean(axis=0), 0)
    strength = np.convolve(strength, np.ones(3) / 3, mode="same")
    usual = float(np.median(strength[strength > 0])) if (strength > 0).any() else 0.0
    best = int(np.argmax(strength))
    beside = np.concatenate([strength[max(best - 2 * _BESIDE_PX, 0) : max(best - _BESIDE_PX, 0)],
                             strength[best + _BESIDE_PX : best + 2 * _BESIDE_PX]])  # fmt: skip
    slope = float(beside.mean()) if len(beside) else 0.0  # a backdrop that darkens slowly is no line
    stands_out = strength[best] > max(_STEP / 3, _STANDS_OUT * usual, _SHARPER * slope)
    return float(best) + 0.5 if stands_out else None


def own_lean(
    photo: FloatArray, alpha: FloatArray, ground: Ground, wall: float | None = None
) -> tuple[float, float] | None:
    """Find where the subject's own shadow falls: the middle of what is darker than the backdrop about its foot.

    Parameters
    ----------
    photo : (H, W, 3) float32 ndarray
    alpha : (H, W) float32 ndarray
    ground : Ground
    wall : float, optional
        How far above the ground line a wall begins: above it another backdrop is seen, which is left out.

    Returns
    -------
    (float, float) or None
        Where the shadow of a point one pixel above the ground falls, from its foot, in pixels; None if the photo has
        no shadow that says so.
    """
    rows, columns = np.nonzero(alpha > 0.5)
    if not len(rows):
        return None
    heights = ground.heights(alpha.shape)
    high = max(float(heights[rows, columns].max()), 1.0)
    floor = alpha if wall is None else np.where(heights > wall, np.float32(1), alpha)
    clear = floor <= 0
    dark = np.where(clear, kept_shadow(photo, floor), 0)
    y, x = np.mgrid[: alpha.shape[0], : alpha.shape[1]].astype(np.float32)
    foot = np.array([(columns.min() + columns.max()) / 2, ground.at[1]])
    near = np.hypot(x - foot[0], y - foot[1]) < _FAR * high
    weight = np.where(near & (dark > _DARK), dark, 0)
    if float(weight.sum()) < _LEAST_SHADOW * len(rows):
        return None
    here, elsewhere = (float(dark[part].mean()) if part.any() else 0.0 for part in (clear & near, clear & ~near))
    if here < _DENSER * elsewhere or float((weight > 0)[clear & near].mean()) > _EVERYWHERE:
        return None
    middle = np.array([float((x * weight).sum()), float((y * weight).sum())]) / float(weight.sum())
    # the middle of a shadow is the shadow of about the middle of the subject
    lean = 2 * (middle - foot) / high
    return (float(lean[0]), float(lean[1])) if 0.15 < float(np.hypot(*lean)) < 2.5 and lean[1] > _UPWARD else None
