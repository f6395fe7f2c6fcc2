"""How much detail the certain backdrop has, measured where it is known and carried into the band."""

from typing import Final

import cv2
import numpy as np

from peel.matte.arrays import ByteArray, FloatArray

__all__ = ["backdrop_detail", "local_spread"]

_STEP: Final = 4  # the average is taken at this much smaller a size
_NEAR_PX: Final = 24.0  # over which the mean square is averaged
_FAR_PX: Final = 192.0  # ... where nothing is known nearer by
_FAR_SHARE: Final = 1e-3


def backdrop_detail(image: FloatArray, backdrop: ByteArray, blur_px: float) -> FloatArray:
    """Measure the local deviation of the certain backdrop from its own blur.

    Parameters
    ----------
    image : (H, W, 3) float32 ndarray
    backdrop : (H, W) uint8 ndarray
        1 where the photo certainly shows backdrop, else 0.
    blur_px : float
        Sigma of the blur. Small: noise and weave; large: all structure.

    Returns
    -------
    (H, W) float32 ndarray
        Root mean square over the channels.
    """
    step = max(1, int(blur_px / 2))  # blurred at a smaller size
    size = tuple(-(-side // step) for side in reversed(backdrop.shape))
    known = backdrop.astype(np.float32)
    weighed = cv2.resize(image * known[..., None], size, interpolation=cv2.INTER_AREA)
    weight = cv2.resize(known, size, interpolation=cv2.INTER_AREA)
    smooth = cv2.GaussianBlur(weighed, (0, 0), blur_px / step)
    smooth /= np.maximum(cv2.GaussianBlur(weight, (0, 0), blur_px / step), 1e-4)[..., None]
    off = cv2.resize(smooth, backdrop.shape[::-1], interpolation=cv2.INTER_LINEAR)
    np.subtract(image, off, out=off)
    np.multiply(off, off, out=off)
    return local_spread(cv2.transform(off, np.full((1, 3), 1 / 3)), backdrop, 1e-6)


def local_spread(squared: FloatArray, backdrop: ByteArray, least: float) -> FloatArray:
    """Return the root of the local mean of squares over the certain backdrop, at every pixel; `least` is added.

    Takes (H, W, C) float32; returns (H, W) float32.
    """
    known = backdrop.astype(np.float32)
    size = tuple(max(1, side // _STEP) for side in reversed(known.shape))
    total, count = (cv2.resize(part, size, interpolation=cv2.INTER_AREA) for part in (squared * known, known))
    sums = [np.zeros_like(total), np.zeros_like(count)]
    for sigma, share in ((_NEAR_PX, 1.0), (_FAR_PX, _FAR_SHARE)):
        sums[0] += np.float32(share) * cv2.GaussianBlur(total, (0, 0), sigma / _STEP)
        sums[1] += np.float32(share) * cv2.GaussianBlur(count, (0, 0), sigma / _STEP)
    spread = np.sqrt(sums[0] / np.maximum(sums[1], 1e-9) + np.float32(least))
    return np.asarray(cv2.resize(spread, known.shape[::-1], interpolation=cv2.INTER_LINEAR))
